//! Who is in the building, and the moves of the day.

use super::views::VisitCard;
use super::{DONE, Done};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::arrival::{InLine, Stage, waiting_line};
use harbor_core::typed_date::{self, Sense};
use harbor_store::rows::Visit;
use harbor_store::{coverage, facts, visits};
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
    /// Minutes until being roomed, for those who wait.
    expected_minutes: Option<u32>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct InClinicView {
    waiting: Vec<Present>,
    in_rooms: Vec<Present>,
    leaving: Vec<Present>,
    expected: Vec<VisitCard>,
}

#[utoipa::path(get, path = "/api/in-clinic", responses((status = 200, body = InClinicView)))]
pub async fn in_clinic(state: Data<State>) -> Answer<InClinicView> {
    let (today, now) = (state.today(), state.now());
    let mut conn = state.store.reader().await?;
    let rows = visits::of_day(&mut conn, today).await?;
    let gathered = facts::gather(&mut conn, rows, &state.tables.diagnoses).await?;
    let stage_of = |v: &Visit| Stage::from_code(&v.stage).unwrap_or(Stage::Booked);
    let day: Vec<InLine<Uuid>> = gathered
        .iter()
        .map(|g| InLine {
            visit: g.visit.id,
            clinician: g.visit.clinician_id,
            starts_at: g.visit.starts_at,
            stage: stage_of(&g.visit),
            seen_at: g.visit.seen_at,
        })
        .collect();
    let line = waiting_line(&day, now);
    let mut view = InClinicView { waiting: vec![], in_rooms: vec![], leaving: vec![], expected: vec![] };
    for g in &gathered {
        let stage = stage_of(&g.visit);
        if stage == Stage::Booked {
            view.expected.push(VisitCard::of(g, today));
        }
        if !stage.is_present() {
            continue;
        }
        let present = Present {
            card: VisitCard::of(g, today),
            stage_minutes: (now - g.visit.stage_at).num_minutes().max(0),
            total_minutes: g.visit.here_at.map_or(0, |at| (now - at).num_minutes().max(0)),
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

/// Finishes check-in; what blocks it is told, not hidden.
#[utoipa::path(post, path = "/api/visits/{id}/check-in", params(("id" = Uuid, Path)), responses((status = 200, body = Visit), (status = 422, body = Problem)))]
pub async fn check_in(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Visit> {
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let visit = change.finish_check_in(*id).await?;
    // The policy that counts on this day is the visit's from now on.
    if visit.coverage_id.is_none() && !visit.self_pay {
        let policies = coverage::of_person(change.conn(), visit.person_id).await?;
        if let Some(policy) = coverage::counting(&policies, visit.person_id, visit.day) {
            let policy = policy.id;
            change.set_payer_of_visit(visit.id, Some(policy), false, visit.accident_date).await?;
        }
    }
    change.commit().await?;
    Ok(Json(visit))
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
