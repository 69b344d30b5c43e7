//! Visits that come again: looked over first, then booked whole.

use super::booking::reason_and_note;
use super::open_times::open_of;
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Duration, NaiveDate, Utc};
use harbor_core::fields::Faults;
use harbor_core::schedule::series::{DAYS_BESIDE, MOST, Step, days, serve};
use harbor_core::schedule::{Span, VisitKind, day_bounds};
use harbor_store::rows::{Series, Slot, Visit};
use harbor_store::schedule;
use harbor_store::schedule::booking::{Booking, Place};
use harbor_store::schedule::series as store;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SeriesAsked {
    /// The first time.
    slot_id: Uuid,
    every: u32,
    /// weeks or months.
    unit: String,
    count: u32,
}

/// How a series goes on, as it was typed.
fn step(every: u32, unit: &str) -> Result<Step, Problem> {
    let step = match unit {
        "weeks" => Step::Weeks(every),
        "months" => Step::Months(every),
        _ => return Err(Problem::field("unit", "Choose weeks or months.")),
    };
    step.check().map_err(|r| Problem::field("every", r.to_string()))
}

/// One day of a series, before it is booked.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SeriesLine {
    day: NaiveDate,
    wished: DateTime<Utc>,
    /// Nothing: no time is near.
    slot: Option<Slot>,
    /// What differs from the wish; empty when it is as wished.
    differs: String,
}

/// What a series would be: for each day the open time of the same clinician and type nearest to the wish.
#[utoipa::path(post, path = "/api/series/plan", request_body = SeriesAsked, responses((status = 200, body = Vec<SeriesLine>), (status = 422, body = Problem)))]
pub async fn plan(state: Data<State>, asked: Json<SeriesAsked>) -> Answer<Vec<SeriesLine>> {
    let mut conn = state.store.reader().await?;
    let (slot, _) = schedule::slot(&mut conn, asked.slot_id).await?;
    let Some(kind) = slot.visit_type_id else { return Err(Problem::refused("held", "This time is held.")) };
    let first_day = state.local_day(slot.starts_at);
    let wanted = days(first_day, step(asked.every, &asked.unit)?, asked.count)
        .map_err(|r| Problem::field("count", r.to_string()))?;
    let last = wanted.last().copied().unwrap_or(first_day) + Duration::days(DAYS_BESIDE);
    let until = day_bounds(state.zone, last).1;
    let open = open_of(&mut conn, &state, slot.clinician_id, kind, (slot.starts_at.min(state.now()), until)).await?;
    let span = Span::new(slot.starts_at, slot.ends_at).map_err(|r| Problem::refused("slot", r.to_string()))?;
    let (slots, times): (Vec<Slot>, Vec<_>) = open.into_iter().unzip();
    let lines = serve(span, &wanted, &times, state.zone).into_iter().map(|s| SeriesLine {
        day: s.day,
        wished: s.wished,
        slot: s.open.map(|n| slots[n].clone()),
        differs: s.differs,
    });
    Ok(Json(lines.collect()))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SeriesForm {
    person_id: Uuid,
    every: u32,
    unit: String,
    /// The times, as looked over; days left out are its exceptions.
    slot_ids: Vec<Uuid>,
    reason: String,
    #[serde(default)]
    note: String,
}

/// Books the series: every visit of it, or none.
#[utoipa::path(post, path = "/api/series", request_body = SeriesForm, responses((status = 200, body = Vec<Visit>), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn book(state: Data<State>, me: Me, form: Json<SeriesForm>) -> Answer<Vec<Visit>> {
    let mut faults = Faults::default();
    let actor = me.actor();
    let booked = state.store.change(&actor, state.now(), async |change| {
        let (reason, note) = reason_and_note(change, &mut faults, &form.reason, &form.note).await?;
        if !(1..=MOST as usize).contains(&form.slot_ids.len()) {
            faults.add("slotIds", format!("A series has at least one visit and at most {MOST}."));
        }
        faults.none_or(())?;
        let step = step(form.every, &form.unit)?;
        let booking = |slot: &Uuid| Booking {
            person_id: form.person_id,
            place: Place::slot(*slot),
            reason: reason.clone(),
            note: note.clone(),
            kind: VisitKind::InPerson,
            role: Some(me.role),
        };
        let bookings: Vec<Booking> = form.slot_ids.iter().map(booking).collect();
        let rule = format!("{}, {} times", step.words(), bookings.len());
        Ok::<_, Problem>(change.book_series(&bookings, &rule, state.zone).await?)
    });
    match booked.await {
        Ok(visits) => Ok(Json(visits)),
        Err(late) if late.is("taken") => Err(Problem::new(
            actix_web::http::StatusCode::CONFLICT,
            "taken",
            "One of the times was just taken. Nothing was booked; look the series over again.",
        )),
        Err(other) => Err(other),
    }
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SeriesView {
    series: Option<Series>,
    visits: Vec<Visit>,
}

/// The series of which a visit is one.
#[utoipa::path(get, path = "/api/visits/{id}/series", params(("id" = Uuid, Path)), responses((status = 200, body = SeriesView)))]
pub async fn of_visit(state: Data<State>, id: Path<Uuid>) -> Answer<SeriesView> {
    let found = store::of_visit(&mut *state.store.reader().await?, *id).await?;
    let (series, visits) = found.map_or((None, vec![]), |(series, visits)| (Some(series), visits));
    Ok(Json(SeriesView { series, visits }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CancelRest {
    /// Visits from this moment on.
    from: DateTime<Utc>,
    reason: String,
    #[serde(default)]
    by_patient: bool,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct CancelledRest {
    visits: usize,
}

#[utoipa::path(post, path = "/api/series/{id}/cancel-rest", params(("id" = Uuid, Path)), request_body = CancelRest, responses((status = 200, body = CancelledRest), (status = 422, body = Problem)))]
pub async fn cancel_rest(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<CancelRest>) -> Answer<CancelledRest> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visits = change.cancel_rest(*id, form.from, form.by_patient, form.reason.trim()).await?;
            Ok(Json(CancelledRest { visits }))
        })
        .await
}
