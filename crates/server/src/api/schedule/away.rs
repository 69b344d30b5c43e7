//! When a clinician is away: cancelling or handing over a shift, and the rebooking plan.

use crate::access::Me;
use crate::api::people::messages::Told;
use crate::api::visit_line::views::VisitCard;
use crate::problem::{Answer, Problem};
use crate::state::State;
use crate::telling::{self, Telling};
use actix_web::web::{Data, Json, Query};
use chrono::{Duration, NaiveDate};
use harbor_core::fields::Faults;
use harbor_core::house::permissions::Role;
use harbor_core::schedule::day_bounds;
use harbor_core::schedule::rebooking::{AHEAD_DAYS, NOTICE_HOURS, other_times, plan as solve, reasons};
use harbor_store::house::staff;
use harbor_store::rows::{Slot, Staff};
use harbor_store::schedule::away as store;
use harbor_store::schedule::away::ShiftBooked;
use harbor_store::schedule::waiting::limits_of;
use harbor_store::visit_line::facts;
use harbor_store::visit_line::facts::Gathered;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// A look over shifts spans at most so many days.
const MOST_DAYS: i64 = 92;
/// So many shifts are cancelled or handed over at once.
const MOST_SHIFTS: usize = 200;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(rename_all = "camelCase", parameter_in = Query)]
pub struct ShiftsAsked {
    #[serde(deserialize_with = "crate::asked::day")]
    from: NaiveDate,
    /// The last day; nothing: one day.
    #[serde(default, deserialize_with = "crate::asked::some_day")]
    to: Option<NaiveDate>,
    clinician_id: Option<Uuid>,
    /// Those that were cancelled, each with how many of its patients have no new time yet.
    #[serde(default)]
    cancelled: bool,
}

/// The shifts of some days, each with how many are booked in it.
#[utoipa::path(get, path = "/api/shifts", params(ShiftsAsked), responses((status = 200, body = Vec<ShiftBooked>), (status = 422, body = Problem)))]
pub async fn shifts(state: Data<State>, asked: Query<ShiftsAsked>) -> Answer<Vec<ShiftBooked>> {
    let to = asked.to.unwrap_or(asked.from);
    if to < asked.from || (to - asked.from).num_days() >= MOST_DAYS {
        return Err(Problem::field("to", format!("Choose 1 to {MOST_DAYS} days, the last one not before the first.")));
    }
    let bounds = (day_bounds(state.zone, asked.from).0, day_bounds(state.zone, to).1);
    let mut conn = state.store.reader().await?;
    Ok(Json(match asked.cancelled {
        false => store::shifts_booked(&mut conn, bounds, asked.clinician_id).await?,
        true => store::shifts_cancelled(&mut conn, bounds, asked.clinician_id).await?,
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CancelShifts {
    shift_ids: Vec<Uuid>,
    reason: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct Affected {
    visits: usize,
}

fn some_shifts(faults: &mut Faults, ids: &[Uuid]) {
    if ids.is_empty() || ids.len() > MOST_SHIFTS {
        faults.add("shiftIds", format!("Choose 1 to {MOST_SHIFTS} shifts."));
    }
}

/// Cancels shifts, all or none; their patients go to the rebooking list.
#[utoipa::path(post, path = "/api/shifts/cancel", request_body = CancelShifts, responses((status = 200, body = Affected), (status = 422, body = Problem)))]
pub async fn cancel_shifts(state: Data<State>, me: Me, form: Json<CancelShifts>) -> Answer<Affected> {
    let mut faults = Faults::default();
    let reason = faults.line("reason", "Reason", &form.reason, 120);
    some_shifts(&mut faults, &form.shift_ids);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visits = change.cancel_shifts(&form.shift_ids, &reason, state.zone).await?;
            Ok(Json(Affected { visits }))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RestoreShifts {
    shift_ids: Vec<Uuid>,
}

/// Cancelled shifts take place after all, all or none; whoever has no new time yet has the old one.
#[utoipa::path(post, path = "/api/shifts/restore", request_body = RestoreShifts, responses((status = 200, body = Affected), (status = 422, body = Problem)))]
pub async fn restore_shifts(state: Data<State>, me: Me, form: Json<RestoreShifts>) -> Answer<Affected> {
    let mut faults = Faults::default();
    some_shifts(&mut faults, &form.shift_ids);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            Ok(Json(Affected { visits: change.restore_shifts(&form.shift_ids).await? }))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HandOver {
    shift_ids: Vec<Uuid>,
    clinician_id: Uuid,
    /// Whether whoever is booked in them is told whom they will see, each by the way agreed to.
    #[serde(default)]
    tell: bool,
}

/// What came of handing over.
#[derive(Debug, Serialize, ToSchema)]
pub struct HandedOver {
    visits: usize,
    told: Told,
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(rename_all = "camelCase", parameter_in = Query)]
pub struct FreeAsked {
    /// Shifts, with commas.
    shift_ids: String,
}

/// The clinicians who have no shift of their own at the time of some shifts, so that these can be handed to them.
#[utoipa::path(get, path = "/api/shifts/free", params(FreeAsked), responses((status = 200, body = Vec<Uuid>), (status = 422, body = Problem)))]
pub async fn free(state: Data<State>, asked: Query<FreeAsked>) -> Answer<Vec<Uuid>> {
    let mut faults = Faults::default();
    let ids: Vec<Uuid> = asked.shift_ids.split(',').filter_map(|id| id.parse().ok()).collect();
    some_shifts(&mut faults, &ids);
    faults.none_or(())?;
    let mut conn = state.store.reader().await?;
    let wanted = store::shifts_by_id(&mut conn, &ids).await?;
    let busy = store::busy_then(&mut conn, &wanted).await?;
    let everybody = staff::all(&mut conn).await?;
    let free = |s: &&Staff| s.active && *s.role == Role::Clinician && !busy.contains(&s.id);
    Ok(Json(everybody.iter().filter(free).map(|s| s.id).collect()))
}

/// Hands shifts with their patients to another clinician, all or none.
#[utoipa::path(post, path = "/api/shifts/hand-over", request_body = HandOver, responses((status = 200, body = HandedOver), (status = 422, body = Problem)))]
pub async fn hand_over(state: Data<State>, me: Me, form: Json<HandOver>) -> Answer<HandedOver> {
    let mut faults = Faults::default();
    some_shifts(&mut faults, &form.shift_ids);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visits = change.hand_over_shifts(&form.shift_ids, form.clinician_id, state.zone).await?;
            let told = match form.tell {
                true => telling::tell_handed_over(change, &state, &visits).await?,
                false => vec![],
            };
            Ok(Json(HandedOver { visits: visits.len(), told: Told::count(told.iter()) }))
        })
        .await
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
    /// How the person would be told (text, email, letter, call), and why so; nothing: not at all.
    way: Option<String>,
    why: String,
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
    let (soonest, last) = (state.now() + Duration::hours(NOTICE_HOURS), state.now() + Duration::days(AHEAD_DAYS));
    let (slots, times): (Vec<Slot>, Vec<_>) =
        store::openings(&mut conn, (soonest, last), state.now(), state.zone).await?.into_iter().unzip();
    let ids: Vec<Uuid> = waiting.iter().map(|v| v.person_id).collect();
    let standing = store::standing(&mut conn, &ids, (state.now(), last)).await?;
    let people = store::displaced(&waiting, &limits_of(&mut conn, &ids).await?, &standing);
    let telling = Telling::load(&mut conn, &state, &waiting).await?;
    let pins: Vec<Option<Option<usize>>> = waiting.iter().map(|v| pin_of(v.id, &pinned, &slots)).collect();
    let found = solve(&people, &times, &pins, state.zone);
    let gathered = facts::gather(&mut conn, waiting, state.asked_today()).await?;
    let line = |(at, g): (usize, &Gathered)| {
        let chosen = found.slots.get(at).copied().flatten();
        let why = chosen.map_or_else(|| vec!["no time fits"], |o| reasons(&people[at], &times[o], state.zone));
        let others = other_times(&people[at], &times, &found, state.zone, OTHERS);
        PlanLine {
            card: VisitCard::of(g, state.today()),
            slot: chosen.map(|o| slots[o].clone()),
            reasons: why.into_iter().map(str::to_owned).collect(),
            pinned: pins[at].is_some(),
            others: others.into_iter().map(|o| slots[o].clone()).collect(),
            way: telling.way(g.visit.person_id).map(|w| w.channel.code().to_owned()),
            why: telling.way(g.visit.person_id).map_or_else(String::new, |w| w.why.clone()),
        }
    };
    Ok(Json(RebookingPlan {
        lines: gathered.iter().enumerate().map(line).collect(),
        unplaced: found.unplaced,
        delay_tenth_days: found.delay * 10 / (24 * 60),
    }))
}

/// So many other times are offered for each line.
const OTHERS: usize = 6;

/// What is pinned for a visit. A pinned time that was taken in the meantime is planned again.
fn pin_of(visit: Uuid, pinned: &[Pinned], slots: &[Slot]) -> Option<Option<usize>> {
    match pinned.iter().find(|p| p.visit_id == visit)?.slot_id {
        None => Some(None),
        Some(slot) => slots.iter().position(|s| s.id == slot).map(Some),
    }
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AcceptedLine {
    visit_id: Uuid,
    slot_id: Uuid,
}

/// The problem of a time that somebody else just got.
const TAKEN: &str = "urn:indigo-harbor:taken";

#[derive(Debug, Deserialize, ToSchema)]
pub struct AcceptedPlan {
    lines: Vec<AcceptedLine>,
    /// Whether everybody is told of the new time, each by the way agreed to.
    #[serde(default)]
    tell: bool,
}

/// Takes a plan: everybody in it gets the new time and is told, or nobody does and is.
#[utoipa::path(post, path = "/api/rebooking/accept", request_body = AcceptedPlan, responses((status = 200, body = Told), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn accept(state: Data<State>, me: Me, plan: Json<AcceptedPlan>) -> Answer<Told> {
    let lines = &plan.lines;
    if lines.is_empty() || lines.len() > 500 {
        return Err(Problem::field("lines", "The plan gives nobody a new time."));
    }
    let pairs: Vec<(Uuid, Uuid)> = lines.iter().map(|l| (l.visit_id, l.slot_id)).collect();
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let told = telling::take_plan(change, &state, &pairs, plan.tell).await.map_err(|problem| {
                if problem.kind != TAKEN {
                    return problem;
                }
                let detail = "One of the new times was just taken by somebody else. Nothing was changed: the plan is made \
                              anew around it. Look over what is marked, and take it.";
                Problem { detail: detail.into(), ..problem }
            })?;
            Ok(Json(Told::count(told.iter())))
        })
        .await
}
