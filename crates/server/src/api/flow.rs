//! Who is in the building, and the moves of the day.

use super::views::VisitCard;
use super::{DONE, Done};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::arrival::waiting::{InLine, Setting, expected};
use harbor_core::arrival::{Stage, Thresholds};
use harbor_core::fields::Faults;
use harbor_core::typed_date::{self, Sense};
use harbor_store::rows::{Room, Visit};
use harbor_store::{coverage, facts, schedule, staff, visits};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
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

/// A clinician's hands: who is with them, and who is ready next.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Hands {
    clinician_id: Uuid,
    with_visit: Option<Uuid>,
    /// In a room, and waiting for them.
    ready_visits: Vec<Uuid>,
    waiting: usize,
    /// Everybody who came is seen.
    last_has_left: bool,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct InClinicView {
    waiting: Vec<Present>,
    in_rooms: Vec<Present>,
    leaving: Vec<Present>,
    expected: Vec<Coming>,
    clinicians: Vec<Hands>,
}

fn stage_of(v: &Visit) -> Stage {
    Stage::from_code(&v.stage).unwrap_or(Stage::Booked)
}

fn in_line(v: &Visit, usual: i64) -> InLine<Uuid> {
    let stage = stage_of(v);
    let done_at = if stage == Stage::ReadyToLeave { Some(v.stage_at) } else { v.left_at };
    InLine {
        visit: v.id,
        clinician: v.clinician_id,
        site: v.site_id,
        starts_at: v.starts_at,
        stage,
        roomed_at: v.roomed_at,
        seen_at: v.seen_at,
        done_at,
        usual,
    }
}

/// Who has whom, of those who have anybody today.
fn hands(day: &[InLine<Uuid>]) -> Vec<Hands> {
    use Stage::*;
    let mut ids: Vec<Uuid> =
        day.iter().filter(|v| v.stage.is_present() || v.stage == Left).map(|v| v.clinician).collect();
    ids.sort();
    ids.dedup();
    let one = |clinician_id: Uuid| {
        let own = || day.iter().filter(move |v| v.clinician == clinician_id);
        Hands {
            clinician_id,
            with_visit: own().find(|v| v.stage == WithClinician).map(|v| v.visit),
            ready_visits: own().filter(|v| v.stage == InRoom).map(|v| v.visit).collect(),
            waiting: own().filter(|v| matches!(v.stage, Here | CheckedIn)).count(),
            last_has_left: !own().any(|v| v.stage == Booked || v.stage.is_present()),
        }
    };
    ids.into_iter().map(one).collect()
}

#[utoipa::path(get, path = "/api/in-clinic", responses((status = 200, body = InClinicView)))]
pub async fn in_clinic(state: Data<State>) -> Answer<InClinicView> {
    let (today, now) = (state.today(), state.now());
    let mut conn = state.store.reader().await?;
    let rows = visits::of_day(&mut conn, today).await?;
    let gathered = facts::gather(&mut conn, rows, &state.tables.diagnoses).await?;
    let rule = staff::clinic(&mut conn).await?.thresholds();
    let types = schedule::visit_types(&mut conn).await?;
    let usual = |v: &Visit| types.iter().find(|t| t.id == v.visit_type_id).map_or(20, |t| i64::from(t.minutes));
    let day: Vec<InLine<Uuid>> = gathered.iter().map(|g| in_line(&g.visit, usual(&g.visit))).collect();
    let mut rooms: HashMap<Uuid, usize> = HashMap::new();
    for room in staff::rooms(&mut conn).await?.iter().filter(|r| r.kind == "exam" && r.active) {
        *rooms.entry(room.site_id).or_default() += 1;
    }
    let line = expected(&day, &Setting { rooms, did_not_come: rule.did_not_come, now });
    let mut view =
        InClinicView { waiting: vec![], in_rooms: vec![], leaving: vec![], expected: vec![], clinicians: hands(&day) };
    for g in &gathered {
        let stage = stage_of(&g.visit);
        let late_minutes = rule.late_by(g.visit.starts_at, g.visit.here_at, now);
        if stage == Stage::Booked {
            view.expected.push(Coming { card: VisitCard::of(g, today), late_minutes });
        }
        if !stage.is_present() {
            continue;
        }
        let total_minutes = g.visit.here_at.map_or(0, |at| (now - at).num_minutes().max(0));
        let stage_minutes = (now - g.visit.stage_at).num_minutes().max(0);
        let waits = if matches!(stage, Stage::Here | Stage::CheckedIn) { total_minutes } else { stage_minutes };
        let present = Present {
            card: VisitCard::of(g, today),
            stage_minutes,
            total_minutes,
            wait: rule.wait(waits).code().into(),
            late_minutes,
            expected_minutes: line.iter().find(|(id, _)| *id == g.visit.id).map(|(_, minutes)| *minutes),
        };
        match stage {
            Stage::Here | Stage::CheckedIn => view.waiting.push(present),
            Stage::ReadyToLeave => view.leaving.push(present),
            _ => view.in_rooms.push(present),
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
    let waits = rows.iter().filter(|v| matches!(stage_of(v), Stage::Here | Stage::CheckedIn));
    let minutes: Vec<i64> = waits.map(|v| v.here_at.map_or(0, |at| (state.now() - at).num_minutes().max(0))).collect();
    let longest_minutes = minutes.iter().copied().max().unwrap_or(0);
    Ok(Json(WaitingCount { waiting: minutes.len(), longest_minutes, wait: rule.wait(longest_minutes).code().into() }))
}

#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HouseRules {
    wait_long: i64,
    wait_too_long: i64,
    late_after: i64,
    did_not_come_after: i64,
}

impl From<Thresholds> for HouseRules {
    fn from(t: Thresholds) -> Self {
        HouseRules {
            wait_long: t.long,
            wait_too_long: t.too_long,
            late_after: t.late,
            did_not_come_after: t.did_not_come,
        }
    }
}

/// The clinic's thresholds of the day.
#[utoipa::path(put, path = "/api/settings/thresholds", request_body = HouseRules, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_thresholds(state: Data<State>, me: Me, form: Json<HouseRules>) -> Answer<Done> {
    let wanted = Thresholds {
        long: form.wait_long,
        too_long: form.wait_too_long,
        late: form.late_after,
        did_not_come: form.did_not_come_after,
    };
    let said = "Waiting too long comes after waiting long, and not coming after being late; all in minutes of one day.";
    let wanted = wanted.checked().ok_or_else(|| Problem::field("waitLong", said))?;
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    change.set_thresholds(wanted).await?;
    change.commit().await?;
    Ok(DONE)
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RoomForm {
    site_id: Uuid,
    name: String,
    /// exam, lab or checkout.
    kind: String,
    place_x: i32,
    place_y: i32,
    active: bool,
}

/// Adds a room, or changes one: its name, its kind, its place in the drawing.
#[utoipa::path(put, path = "/api/settings/rooms/{id}", params(("id" = Uuid, Path)), request_body = RoomForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_room(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<RoomForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let name = faults.line("name", "Name", &form.name, 30);
    if !["exam", "lab", "checkout"].contains(&form.kind.as_str()) {
        faults.add("kind", "A room is for examining, for blood draw, or a checkout desk.");
    }
    if !(0..=11).contains(&form.place_x) || !(0..=11).contains(&form.place_y) {
        faults.add("placeX", "The drawing has twelve columns and rows.");
    }
    faults.none_or(())?;
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let rooms = staff::rooms(change.conn()).await?;
    let old = rooms.iter().find(|r| r.id == *id);
    if rooms.iter().any(|r| r.active && r.id != *id && r.site_id == form.site_id && r.name == name) {
        return Err(Problem::field("name", format!("There is a room {name} already.")));
    }
    if !staff::sites(change.conn()).await?.iter().any(|s| s.id == form.site_id) {
        return Err(Problem::field("siteId", "Choose a site."));
    }
    let row = Room {
        id: *id,
        site_id: old.map_or(form.site_id, |r| r.site_id),
        name,
        kind: form.kind.clone(),
        sort: old.map_or(i32::try_from(rooms.len()).unwrap_or(0), |r| r.sort),
        place_x: form.place_x,
        place_y: form.place_y,
        active: form.active,
    };
    change.save_room(&row).await?;
    change.commit().await?;
    Ok(DONE)
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MoveForm {
    /// A stage, `next` or `back`.
    to: String,
    room_id: Option<Uuid>,
}

#[utoipa::path(post, path = "/api/visits/{id}/stage", params(("id" = Uuid, Path)), request_body = MoveForm, responses((status = 200, body = Visit), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn move_on(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<MoveForm>) -> Answer<Visit> {
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let visit = change.lock_visit(*id).await?;
    let stage = Stage::from_code(&visit.stage).unwrap_or(Stage::Booked);
    let to = match form.to.as_str() {
        "next" => stage.next(),
        "back" => stage.previous(),
        code => Stage::from_code(code),
    };
    let to = to.ok_or_else(|| Problem::refused("stage", "There is no such stage to move to."))?;
    let moved = change.move_visit(*id, to, form.room_id).await?;
    change.commit().await?;
    Ok(Json(moved))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PayerForm {
    coverage_id: Option<Uuid>,
    #[serde(default)]
    self_pay: bool,
    #[serde(default)]
    accident_date: String,
}

#[utoipa::path(post, path = "/api/visits/{id}/payer", params(("id" = Uuid, Path)), request_body = PayerForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_payer(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PayerForm>) -> Answer<Done> {
    let accident: Option<NaiveDate> = if form.accident_date.trim().is_empty() {
        None
    } else {
        let day = typed_date::parse(&form.accident_date, state.today(), Sense::Any);
        Some(day.map_err(|e| Problem::field("accidentDate", e.to_string()))?)
    };
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let visit = change.lock_visit(*id).await?;
    if visit.charged_at.is_some() {
        return Err(Problem::refused("charged", "The charges are completed; correct the claim instead."));
    }
    if let Some(policy) = form.coverage_id
        && coverage::get(change.conn(), policy).await?.person_id != visit.person_id
    {
        return Err(Problem::field("coverageId", "This policy belongs to somebody else."));
    }
    change.set_payer_of_visit(*id, form.coverage_id.filter(|_| !form.self_pay), form.self_pay, accident).await?;
    change.commit().await?;
    Ok(DONE)
}
