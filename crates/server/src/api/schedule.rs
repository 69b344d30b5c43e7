//! The schedule of a day, open times, booking.

use super::views::VisitCard;
use super::{DONE, Done};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::http::StatusCode;
use actix_web::web::{Data, Json, Path, Query};
use chrono::{Duration, NaiveDate};
use harbor_core::fields::Faults;
use harbor_core::schedule::{VisitKind, day_bounds};
use harbor_store::rows::{Shift, Slot, Visit};
use harbor_store::schedule::{self as store, OpenTimes};
use harbor_store::visits::Booking;
use harbor_store::{StoreError, facts, visits};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct DayAsked {
    day: Option<NaiveDate>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DayView {
    day: NaiveDate,
    words: String,
    shifts: Vec<Shift>,
    slots: Vec<Slot>,
    visits: Vec<VisitCard>,
}

#[utoipa::path(get, path = "/api/schedule", params(DayAsked), responses((status = 200, body = DayView)))]
pub async fn day(state: Data<State>, asked: Query<DayAsked>) -> Answer<DayView> {
    let day = asked.day.unwrap_or_else(|| state.today());
    let (from, to) = day_bounds(state.zone, day);
    let mut conn = state.store.reader().await?;
    let rows = visits::of_day(&mut conn, day).await?;
    let gathered = facts::gather(&mut conn, rows, &state.tables.diagnoses).await?;
    Ok(Json(DayView {
        day,
        words: harbor_core::typed_date::in_words(day),
        shifts: store::shifts(&mut conn, from, to).await?,
        slots: store::slots(&mut conn, from, to).await?,
        visits: gathered.iter().map(|g| VisitCard::of(g, state.today())).collect(),
    }))
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(rename_all = "camelCase", parameter_in = Query)]
pub struct OpenAsked {
    from: Option<NaiveDate>,
    visit_type_id: Option<Uuid>,
    clinician_id: Option<Uuid>,
    site_id: Option<Uuid>,
}

#[utoipa::path(get, path = "/api/open-times", params(OpenAsked), responses((status = 200, body = Vec<Slot>)))]
pub async fn open_times(state: Data<State>, asked: Query<OpenAsked>) -> Answer<Vec<Slot>> {
    let from = asked.from.map_or_else(|| state.now(), |d| day_bounds(state.zone, d).0.max(state.now()));
    let wanted = OpenTimes {
        from,
        to: Some(from + Duration::days(92)),
        visit_type: asked.visit_type_id,
        clinician: asked.clinician_id,
        site: asked.site_id,
        limit: 12,
    };
    Ok(Json(store::open_slots(&mut *state.store.reader().await?, &wanted).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BookingForm {
    person_id: Uuid,
    slot_id: Uuid,
    #[serde(default)]
    reason: String,
    #[serde(default)]
    note: String,
    #[serde(default)]
    kind: String,
}

#[utoipa::path(post, path = "/api/visits", request_body = BookingForm, responses((status = 200, body = Visit), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn book(state: Data<State>, me: Me, form: Json<BookingForm>) -> Answer<Visit> {
    let mut faults = Faults::default();
    let kind = if form.kind.is_empty() { VisitKind::InPerson.code().to_owned() } else { form.kind.clone() };
    if VisitKind::from_code(&kind).is_none() {
        faults.add("kind", "Choose what kind of visit it is.");
    }
    let booking = Booking {
        person_id: form.person_id,
        slot_id: form.slot_id,
        reason: faults.line("reason", "Reason", &form.reason, 200),
        note: faults.optional_line("note", "Note", &form.note, 400),
        kind,
    };
    faults.none_or(())?;
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let booked = change.book(&booking, state.zone).await;
    match booked {
        Ok(visit) => {
            change.commit().await?;
            Ok(Json(visit))
        }
        Err(StoreError::Refused { code: "taken", sentence }) => {
            change.abandon().await.ok();
            // The one who was a moment late is offered the next best times.
            let mut conn = state.store.reader().await?;
            let (slot, _) = store::slot(&mut conn, form.slot_id).await?;
            let next = OpenTimes {
                from: state.now(),
                visit_type: slot.visit_type_id,
                clinician: Some(slot.clinician_id),
                limit: 3,
                ..OpenTimes::default()
            };
            let offered = store::open_slots(&mut conn, &next).await?;
            Err(Problem {
                current: serde_json::to_value(offered).ok().map(Box::new),
                ..Problem::new(StatusCode::CONFLICT, "taken", format!("{sentence} The next open times are offered."))
            })
        }
        Err(other) => Err(other.into()),
    }
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct CancelForm {
    reason: String,
}

#[utoipa::path(post, path = "/api/visits/{id}/cancel", params(("id" = Uuid, Path)), request_body = CancelForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn cancel(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<CancelForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let reason = faults.line("reason", "Reason", &form.reason, 200);
    faults.none_or(())?;
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    change.cancel_visit(*id, &reason).await?;
    change.commit().await?;
    Ok(DONE)
}
