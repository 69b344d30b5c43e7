//! When a clinician is away: cancelling or handing over a shift, and the rebooking plan.

use super::views::VisitCard;
use super::{DONE, Done};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::Duration;
use harbor_core::fields::Faults;
use harbor_core::schedule::rebooking::{NOTICE_HOURS, plan as solve, reasons};
use harbor_store::rows::Slot;
use harbor_store::{StoreError, away as store, facts};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// New times are looked for in so many days.
const AHEAD: i64 = 42;

#[derive(Debug, Deserialize, ToSchema)]
pub struct CancelShift {
    reason: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct Affected {
    visits: usize,
}

/// Cancels a shift; its patients go to the rebooking list.
#[utoipa::path(post, path = "/api/shifts/{id}/cancel", params(("id" = Uuid, Path)), request_body = CancelShift, responses((status = 200, body = Affected), (status = 422, body = Problem)))]
pub async fn cancel_shift(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<CancelShift>) -> Answer<Affected> {
    let mut faults = Faults::default();
    let reason = faults.line("reason", "Reason", &form.reason, 120);
    faults.none_or(())?;
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let visits = change.cancel_shift(*id, &reason).await?;
    change.commit().await?;
    Ok(Json(Affected { visits }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HandOver {
    clinician_id: Uuid,
}

/// Hands a shift with its patients to another clinician.
#[utoipa::path(post, path = "/api/shifts/{id}/hand-over", params(("id" = Uuid, Path)), request_body = HandOver, responses((status = 200, body = Affected), (status = 422, body = Problem)))]
pub async fn hand_over(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<HandOver>) -> Answer<Affected> {
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let visits = change.hand_over_shift(*id, form.clinician_id).await?;
    change.commit().await?;
    Ok(Json(Affected { visits }))
}

/// A line that stays as it is when the rest is planned again.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Pinned {
    visit_id: Uuid,
    /// Nothing: this one gets no time from the plan.
    slot_id: Option<Uuid>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PlanLine {
    card: VisitCard,
    /// The new time; nothing when none fits.
    slot: Option<Slot>,
    reasons: Vec<String>,
    pinned: bool,
    /// Other times that would fit, the best first.
    others: Vec<Slot>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RebookingPlan {
    lines: Vec<PlanLine>,
    unplaced: usize,
    /// Days of delay in all, in tenths.
    delay_tenth_days: i64,
}

/// A plan for everybody on the rebooking list: the least burden in all, with what is pinned left as it is.
#[utoipa::path(post, path = "/api/rebooking", request_body = Vec<Pinned>, responses((status = 200, body = RebookingPlan)))]
pub async fn plan(state: Data<State>, pinned: Json<Vec<Pinned>>) -> Answer<RebookingPlan> {
    let mut conn = state.store.reader().await?;
    let waiting = store::rebooking_list(&mut conn).await?;
    let soonest = state.now() + Duration::hours(NOTICE_HOURS);
    let openings = store::openings(&mut conn, soonest, state.now() + Duration::days(AHEAD)).await?;
    let people = store::displaced(&waiting);
    let (slots, times): (Vec<_>, Vec<_>) = openings.into_iter().unzip();
    let pins: Vec<Option<Option<usize>>> = waiting
        .iter()
        .map(|v| {
            let pin = pinned.iter().find(|p| p.visit_id == v.id)?;
            match pin.slot_id {
                None => Some(None),
                // A pinned time that was taken in the meantime is planned again.
                Some(slot) => slots.iter().position(|s| s.id == slot).map(Some),
            }
        })
        .collect();
    let zone = state.zone;
    let found = solve(&people, &times, &pins, zone);
    let gathered = facts::gather(&mut conn, waiting, &state.tables.diagnoses).await?;
    let mut lines = Vec::new();
    let mut delay = 0;
    for (at, g) in gathered.iter().enumerate() {
        let chosen = found.slots.get(at).copied().flatten();
        delay += chosen.map_or(0, |o| (times[o].start - g.visit.starts_at).num_minutes().max(0));
        let taken = |o: &usize| found.slots.contains(&Some(*o));
        let mut others: Vec<(i64, usize)> = (0..times.len())
            .filter(|o| !taken(o))
            .filter_map(|o| Some((harbor_core::schedule::rebooking::burden(&people[at], &times[o], zone)?, o)))
            .collect();
        others.sort_unstable();
        lines.push(PlanLine {
            card: VisitCard::of(g, state.today()),
            slot: chosen.map(|o| slots[o].clone()),
            reasons: chosen.map_or_else(
                || vec!["no time fits".to_owned()],
                |o| reasons(&people[at], &times[o], zone).into_iter().map(str::to_owned).collect(),
            ),
            pinned: pins[at].is_some(),
            others: others.into_iter().take(6).map(|(_, o)| slots[o].clone()).collect(),
        });
    }
    Ok(Json(RebookingPlan { lines, unplaced: found.unplaced, delay_tenth_days: delay * 10 / (24 * 60) }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AcceptedLine {
    visit_id: Uuid,
    slot_id: Uuid,
}

/// Takes a plan: everybody in it gets the new time, or nobody does.
#[utoipa::path(post, path = "/api/rebooking/accept", request_body = Vec<AcceptedLine>, responses((status = 200, body = Done), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn accept(state: Data<State>, me: Me, lines: Json<Vec<AcceptedLine>>) -> Answer<Done> {
    if lines.is_empty() || lines.len() > 500 {
        return Err(Problem::field("lines", "The plan gives nobody a new time."));
    }
    let pairs: Vec<(Uuid, Uuid)> = lines.iter().map(|l| (l.visit_id, l.slot_id)).collect();
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    match change.accept_plan(&pairs, state.zone).await {
        Ok(()) => {
            change.commit().await?;
            Ok(DONE)
        }
        Err(StoreError::Refused { code: "taken", .. }) => Err(Problem::new(
            actix_web::http::StatusCode::CONFLICT,
            "taken",
            "One of the new times was just taken. Nothing was changed; plan again.",
        )),
        Err(other) => Err(other.into()),
    }
}
