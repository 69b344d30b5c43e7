//! Who is in the building, and the moves of the day.

use super::check_in;
use crate::access::Me;
use crate::api::visit_line::views::VisitCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::arrival::hands::{Hands, hands};
use harbor_core::arrival::own_stages::{self, At, OwnStage};
use harbor_core::arrival::rooms::{RoomKind, Spot, for_the_line, spot};
use harbor_core::arrival::waiting::{InLine, Setting, expected};
use harbor_core::arrival::{MoveRefusal, Stage, Stay, Wait, may_take_back};
use harbor_core::fields::typed_date;
use harbor_core::visit_line::{Mark, Marks};
use harbor_store::arrival::own_stages as stages;
use harbor_store::house::staff;
use harbor_store::rows::Visit;
use harbor_store::visit_line::{facts, visits};
use harbor_store::{audit, coverage, schedule};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Present {
    card: VisitCard,
    /// Minutes in the present stage, and in all since arrival.
    stage_minutes: i64,
    total_minutes: i64,
    /// fine, long or too_long, by the clinic's thresholds.
    wait: String,
    /// Minutes that they came late, by the clinic's rule.
    late_minutes: Option<i64>,
    /// Minutes until being roomed, for those who wait.
    expected_minutes: Option<i64>,
}

/// Somebody booked for today who is not here yet.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Coming {
    card: VisitCard,
    late_minutes: Option<i64>,
}

/// What a clinician is doing now.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HandsView {
    clinician_id: Uuid,
    doing: String,
    label: String,
    with_visit: Option<Uuid>,
}

impl From<Hands<Uuid>> for HandsView {
    fn from(h: Hands<Uuid>) -> Self {
        HandsView {
            clinician_id: h.clinician,
            doing: h.doing.code().into(),
            label: h.doing.label().into(),
            with_visit: h.with,
        }
    }
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct InClinicView {
    waiting: Vec<Present>,
    in_rooms: Vec<Present>,
    /// At one of the clinic's own stages, and in no exam room.
    elsewhere: Vec<Present>,
    leaving: Vec<Present>,
    expected: Vec<Coming>,
    clinicians: Vec<HandsView>,
}

fn at_of(v: &Visit) -> At<Uuid> {
    At { stage: v.stage(), own: v.own_stage_id }
}

fn in_line(v: &Visit, marks: &Marks, usual: i64) -> InLine<Uuid> {
    InLine {
        visit: v.id,
        clinician: v.clinician_id,
        site: v.site_id,
        starts_at: v.starts_at,
        stage: own_stages::in_line(at_of(v)),
        roomed_at: marks.at(Mark::Roomed),
        seen_at: marks.at(Mark::Seen),
        done_at: v.done_at,
        usual,
    }
}

#[utoipa::path(get, path = "/api/in-clinic", responses((status = 200, body = InClinicView)))]
pub async fn in_clinic(state: Data<State>) -> Answer<InClinicView> {
    let (today, now) = (state.today(), state.now());
    let mut conn = state.store.reader().await?;
    let rows = visits::of_day(&mut conn, today).await?;
    let gathered = facts::gather(&mut conn, rows, state.asked_today()).await?;
    let rule = staff::clinic(&mut conn).await?.thresholds();
    let types = schedule::visit_types(&mut conn).await?;
    let usual = |v: &Visit| types.iter().find(|t| t.id == v.visit_type_id).map_or(20, |t| i64::from(t.minutes));
    let day: Vec<InLine<Uuid>> = gathered.iter().map(|g| in_line(&g.visit, &g.facts.marks, usual(&g.visit))).collect();
    let all_rooms = staff::rooms(&mut conn).await?;
    let exam = all_rooms.iter().filter(|r| r.kind == RoomKind::Exam && r.active).map(|r| r.site_id);
    let in_rooms = gathered.iter().map(|g| &g.visit).filter(|v| v.room_id.is_some());
    let rooms = for_the_line(exam, in_rooms.map(|v| (v.site_id, at_of(v))));
    let line = expected(&day, &Setting { rooms, did_not_come: rule.did_not_come, now });
    let mut view = InClinicView {
        waiting: vec![],
        in_rooms: vec![],
        elsewhere: vec![],
        leaving: vec![],
        expected: vec![],
        clinicians: hands(&day).into_iter().map(HandsView::from).collect(),
    };
    for g in &gathered {
        let stage = g.visit.stage();
        let here_at = g.facts.marks.at(Mark::Here);
        let late_minutes = rule.late_by(g.visit.starts_at, here_at, now);
        if stage == Stage::Booked {
            view.expected.push(Coming { card: VisitCard::of(g, today), late_minutes });
        }
        let Some(spot) = spot(stage, g.visit.room_id.is_some()) else { continue };
        let stay = rule.stay(stage, (here_at, g.visit.stage_at), now);
        let present = Present {
            card: VisitCard::of(g, today),
            stage_minutes: stay.in_stage,
            total_minutes: stay.total,
            wait: stay.wait.code().into(),
            late_minutes,
            expected_minutes: line.iter().find(|(id, _)| *id == g.visit.id).map(|(_, minutes)| *minutes),
        };
        match spot {
            Spot::Waiting => view.waiting.push(present),
            Spot::Room => view.in_rooms.push(present),
            Spot::Elsewhere => view.elsewhere.push(present),
            Spot::Leaving => view.leaving.push(present),
        }
    }
    view.waiting.sort_by_key(|p| line.iter().position(|(id, _)| *id == p.card.visit.id));
    Ok(Json(view))
}

/// How many are in the building: for every screen's frame.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WaitingCount {
    waiting: usize,
    /// The longest of them, in minutes, and how that reads.
    longest_minutes: i64,
    wait: String,
}

#[utoipa::path(get, path = "/api/in-clinic/count", responses((status = 200, body = WaitingCount)))]
pub async fn count(state: Data<State>) -> Answer<WaitingCount> {
    let mut conn = state.store.reader().await?;
    let rule = staff::clinic(&mut conn).await?.thresholds();
    let rows = visits::of_day(&mut conn, state.today()).await?;
    let waiting: Vec<&Visit> = rows.iter().filter(|v| v.stage().waits_for_room()).collect();
    let marks = visits::marks_of(&mut conn, &waiting.iter().map(|v| v.id).collect::<Vec<_>>()).await?;
    let here_at = |v: &Visit| marks.get(&v.id).and_then(|m| m.at(Mark::Here));
    let stays: Vec<Stay> =
        waiting.iter().map(|v| rule.stay(v.stage(), (here_at(v), v.stage_at), state.now())).collect();
    let longest = stays.iter().max_by_key(|s| s.total);
    Ok(Json(WaitingCount {
        waiting: stays.len(),
        longest_minutes: longest.map_or(0, |s| s.total),
        wait: longest.map_or(Wait::Fine, |s| s.wait).code().into(),
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MoveForm {
    /// A stage, `next` or `back`.
    to: String,
    /// One of the clinic's own stages within it.
    own_stage_id: Option<Uuid>,
    room_id: Option<Uuid>,
    /// With `back`: by the key, which takes back only the last move, and only of the one who made it.
    #[serde(default)]
    by_key: bool,
    /// Said that somebody who is booked on another day comes today instead (a problem of the type `other-day`).
    #[serde(default)]
    today_instead: bool,
}

#[utoipa::path(post, path = "/api/visits/{id}/stage", params(("id" = Uuid, Path)), request_body = MoveForm, responses((status = 200, body = Visit), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn move_on(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<MoveForm>) -> Answer<Visit> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            let at = at_of(&visit);
            let own: Vec<OwnStage<Uuid>> = stages::all(change.conn()).await?.iter().map(stages::in_core).collect();
            let refuse = |r: MoveRefusal| Problem::refused("stage", r.to_string());
            if form.to == "back" {
                if form.by_key {
                    let last = audit::last_move(change.conn(), visit.person_id, *id).await?;
                    may_take_back(last.as_ref(), &me.staff.id).map_err(refuse)?;
                }
                let to = own_stages::previous(at, &own).ok_or_else(|| refuse(MoveRefusal::NothingToTakeBack))?;
                return Ok(Json(change.take_move_back(*id, to).await?));
            }
            let to = match form.to.as_str() {
                "next" => own_stages::next(at, &own),
                code => Stage::from_code(code).map(|stage| At { stage, own: form.own_stage_id }),
            };
            let to = to.ok_or_else(|| Problem::refused("stage", "There is no such stage to move to."))?;
            let arrives = to.stage == Stage::Here && matches!(at.stage, Stage::Booked | Stage::DidNotCome);
            if arrives && visit.day != state.today() {
                if !form.today_instead {
                    let told = MoveRefusal::OtherDay(typed_date::in_words(visit.day));
                    return Err(Problem::refused("other-day", told.to_string()));
                }
                change.comes_today(*id, state.zone).await?;
            }
            // Check-in is not walked past: what it asks is asked where it happens.
            let moved = if to == At::from(Stage::CheckedIn) && matches!(at.stage, Stage::Here | Stage::Booked) {
                if let Some(first) = check_in::first_question(change.conn(), &state, *id).await? {
                    return Err(Problem::refused("check-in-open", MoveRefusal::CheckInOpen(first).to_string()));
                }
                change.finish_check_in(*id).await?
            } else {
                change.move_visit(*id, to, form.room_id).await?
            };
            Ok(Json(moved))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PayerForm {
    coverage_id: Option<Uuid>,
    #[serde(default)]
    self_pay: bool,
}

/// Who pays for a visit; the accident that it is for stays as it was told.
#[utoipa::path(post, path = "/api/visits/{id}/payer", params(("id" = Uuid, Path)), request_body = PayerForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_payer(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PayerForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.visit_to_pay_for(*id).await?;
            if let Some(policy) = form.coverage_id
                && coverage::get(change.conn(), policy).await?.person_id != visit.person_id
            {
                return Err(Problem::field("coverageId", "This policy belongs to somebody else."));
            }
            change
                .set_payer_of_visit(
                    *id,
                    form.coverage_id.filter(|_| !form.self_pay),
                    form.self_pay,
                    visit.accident_date,
                )
                .await?;
            Ok(DONE)
        })
        .await
}

/// The patient was told that payment is due at this visit; nobody else is asked for the money of it.
#[utoipa::path(post, path = "/api/visits/{id}/self-pay", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn tell_self_pay(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.tell_self_pay(*id).await?;
            Ok(DONE)
        })
        .await
}

/// Takes back that this visit is paid by the patient alone: what is on file counts again.
#[utoipa::path(delete, path = "/api/visits/{id}/self-pay", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn take_self_pay_back(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.take_self_pay_back(*id).await?;
            Ok(DONE)
        })
        .await
}
