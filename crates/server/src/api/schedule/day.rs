//! The schedule of a day, and of more days.

use crate::access::Me;
use crate::api::visit_line::views::VisitCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use chrono::{DateTime, Datelike, Duration, NaiveDate, NaiveTime, Utc};
use harbor_core::fields::{Faults, typed_date};
use harbor_core::schedule::untimed::may_enter;
use harbor_core::schedule::{at_local, day_bounds};
use harbor_store::rows::{ScheduleNote, Shift, Slot, SupplyException, UntimedList};
use harbor_store::schedule::{RoomLeft, lists, supply};
use harbor_store::visit_line::{facts, visits};
use harbor_store::{Conn, schedule as store};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct DayAsked {
    #[serde(default, deserialize_with = "crate::asked::some_day")]
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
    notes: Vec<ScheduleNote>,
    /// The lists without times of the day.
    lists: Vec<ListOfDay>,
    /// Why nobody works, or somebody does not, on this day.
    exceptions: Vec<SupplyException>,
}

/// A list without times on one day.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ListOfDay {
    list: UntimedList,
    /// The visits on it, in order.
    visit_ids: Vec<Uuid>,
    /// Whether one more may go on it.
    takes_more: bool,
}

#[utoipa::path(get, path = "/api/schedule", params(DayAsked), responses((status = 200, body = DayView)))]
pub async fn day(state: Data<State>, asked: Query<DayAsked>) -> Answer<DayView> {
    let day = asked.day.unwrap_or_else(|| state.today());
    let mut conn = state.store.reader().await?;
    Ok(Json(day_view(&mut conn, &state, day).await?))
}

async fn day_view(conn: &mut Conn, state: &State, day: NaiveDate) -> Result<DayView, Problem> {
    let (from, to) = day_bounds(state.zone, day);
    let rows = visits::of_day(conn, day).await?;
    let gathered = facts::gather(conn, rows, state.asked_today()).await?;
    Ok(DayView {
        day,
        words: harbor_core::fields::typed_date::in_words(day),
        shifts: store::shifts(conn, from, to).await?,
        slots: store::slots(conn, from, to).await?,
        visits: gathered.iter().map(|g| VisitCard::of(g, state.today())).collect(),
        notes: store::notes(conn, from, to).await?,
        lists: lists_of_day(conn, state, day).await?,
        exceptions: supply::exceptions(conn, day).await?.into_iter().filter(|e| e.from_day <= day).collect(),
    })
}

async fn lists_of_day(conn: &mut Conn, state: &State, day: NaiveDate) -> Result<Vec<ListOfDay>, Problem> {
    let entries = lists::of_day(conn, day).await?;
    let mut out = Vec::new();
    for list in lists::all(conn).await? {
        let rule = lists::in_core(&list);
        let visit_ids: Vec<Uuid> = entries.iter().filter(|e| e.list_id == list.id).map(|e| e.visit_id).collect();
        if visit_ids.is_empty() && !rule.weekdays.contains(&day.weekday()) {
            continue;
        }
        let closed = supply::day_off(conn, list.clinician_id, list.site_id, day).await?;
        let takes_more = may_enter(&rule, (day, closed.as_deref()), state.today(), visit_ids.len(), None).is_ok();
        out.push(ListOfDay { list, visit_ids, takes_more });
    }
    Ok(out)
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(rename_all = "camelCase", parameter_in = Query)]
pub struct WeekAsked {
    #[serde(default, deserialize_with = "crate::asked::some_day")]
    day: Option<NaiveDate>,
    clinician_id: Uuid,
}

/// The week, from Monday on, of one clinician.
#[utoipa::path(get, path = "/api/schedule/week", params(WeekAsked), responses((status = 200, body = Vec<DayView>)))]
pub async fn week(state: Data<State>, asked: Query<WeekAsked>) -> Answer<Vec<DayView>> {
    let day = asked.day.unwrap_or_else(|| state.today());
    let monday = day - Duration::days(i64::from(day.weekday().num_days_from_monday()));
    let mut conn = state.store.reader().await?;
    let mut out = Vec::new();
    for n in 0..7 {
        let mut view = day_view(&mut conn, &state, monday + Duration::days(n)).await?;
        view.shifts.retain(|s| s.clinician_id == asked.clinician_id);
        view.slots.retain(|s| s.clinician_id == asked.clinician_id);
        view.visits.retain(|v| v.visit.clinician_id == asked.clinician_id);
        view.notes.retain(|n| n.clinician_id == asked.clinician_id);
        out.push(view);
    }
    Ok(Json(out))
}

/// The month around a day in whole weeks: room left and visits, per day and clinician.
#[utoipa::path(get, path = "/api/schedule/month", params(DayAsked), responses((status = 200, body = Vec<RoomLeft>)))]
pub async fn month(state: Data<State>, asked: Query<DayAsked>) -> Answer<Vec<RoomLeft>> {
    let day = asked.day.unwrap_or_else(|| state.today());
    let first = day.with_day(1).unwrap_or(day);
    let next = first.checked_add_months(chrono::Months::new(1)).unwrap_or(first);
    let before = Duration::days(i64::from(first.weekday().num_days_from_monday()));
    let behind = Duration::days(i64::from(7 - next.weekday().num_days_from_monday()) % 7);
    let mut conn = state.store.reader().await?;
    Ok(Json(store::room_left(&mut conn, (first - before, next + behind), state.now(), state.zone).await?))
}

/// A typed time of day; nothing when nothing was typed.
pub(crate) fn clock(faults: &mut Faults, field: &str, text: &str) -> Option<NaiveTime> {
    if text.trim().is_empty() {
        return None;
    }
    typed_date::time(text).map_err(|e| faults.add(field, e.to_string())).ok()
}

/// A typed time of day that is needed.
pub(crate) fn needed_clock(faults: &mut Faults, field: &str, text: &str) -> NaiveTime {
    typed_date::time(text).map_err(|e| faults.add(field, e.to_string())).unwrap_or_default()
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct NoteForm {
    clinician_id: Uuid,
    #[serde(deserialize_with = "crate::asked::day")]
    day: NaiveDate,
    /// By the clinic's clock: 10:20.
    time: String,
    body: String,
}

/// The moment of a day at which the clinic's clock shows a typed time.
pub(crate) fn clock_time(state: &State, day: NaiveDate, field: &str, text: &str) -> Result<DateTime<Utc>, Problem> {
    let mut faults = Faults::default();
    let time = needed_clock(&mut faults, field, text);
    faults.none_or(())?;
    Ok(at_local(state.zone, day, time))
}

/// Pins a short note for a clinician to a time.
#[utoipa::path(post, path = "/api/schedule/notes", request_body = NoteForm, responses((status = 200, body = ScheduleNote), (status = 422, body = Problem)))]
pub async fn pin_note(state: Data<State>, me: Me, form: Json<NoteForm>) -> Answer<ScheduleNote> {
    let mut faults = Faults::default();
    let body = faults.line("body", "Note", &form.body, 120);
    faults.none_or(())?;
    let at = clock_time(&state, form.day, "time", &form.time)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = change.pin_note(form.clinician_id, at, &body).await?;
            Ok(Json(row))
        })
        .await
}

#[utoipa::path(delete, path = "/api/schedule/notes/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done)))]
pub async fn remove_note(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.remove_note(*id).await?;
            Ok(DONE)
        })
        .await
}
