//! The schedule of a day, of more days, and what is free.

use super::views::VisitCard;
use super::{DONE, Done};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use chrono::{DateTime, Datelike, Duration, NaiveDate, NaiveTime, Utc, Weekday};
use harbor_core::fields::Faults;
use harbor_core::schedule::open_times::{
    LOOKS, Open, Piece, Wish, fits, is_settled, may_hold, reasons, score, stretches,
};
use harbor_core::schedule::supply::is_released;
use harbor_core::schedule::untimed::may_enter;
use harbor_core::schedule::{Span, at_local, day_bounds};
use harbor_core::typed_date;
use harbor_store::rows::{ScheduleNote, Shift, Slot, SupplyException, UntimedList, VisitType};
use harbor_store::schedule::{self as store, RoomLeft, Window};
use harbor_store::supply::weekday_of;
use harbor_store::{Conn, facts, lists, people, supply, visits, waiting};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
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
    let gathered = facts::gather(conn, rows, &state.tables.diagnoses).await?;
    Ok(DayView {
        day,
        words: harbor_core::typed_date::in_words(day),
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

/// The month around a day: room left per day and clinician.
#[utoipa::path(get, path = "/api/schedule/month", params(DayAsked), responses((status = 200, body = Vec<RoomLeft>)))]
pub async fn month(state: Data<State>, asked: Query<DayAsked>) -> Answer<Vec<RoomLeft>> {
    let day = asked.day.unwrap_or_else(|| state.today());
    let first = day.with_day(1).unwrap_or(day);
    let next = first.checked_add_months(chrono::Months::new(1)).unwrap_or(first);
    let (from, to) = (day_bounds(state.zone, first).0, day_bounds(state.zone, next).0);
    let mut conn = state.store.reader().await?;
    Ok(Json(store::room_left(&mut conn, from, to, state.now(), state.zone.name()).await?))
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(rename_all = "camelCase", parameter_in = Query)]
pub struct OpenAsked {
    from: Option<NaiveDate>,
    visit_type_id: Option<Uuid>,
    /// One clinician, or several with commas.
    clinician_id: Option<String>,
    site_id: Option<Uuid>,
    /// Weekdays with commas, Monday is 1.
    weekdays: Option<String>,
    /// Starts not before, and before, by the clinic's clock: 13:00.
    after: Option<String>,
    before: Option<String>,
    /// The time of day that would suit best.
    around: Option<String>,
    /// Longer than a slot: over its neighbours.
    minutes: Option<i64>,
    /// Whose usual clinician counts.
    person_id: Option<Uuid>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OpenTime {
    #[serde(flatten)]
    slot: Slot,
    site_id: Uuid,
    minutes: i64,
    /// Why it stands where it stands.
    reasons: Vec<String>,
}

/// So many times are offered at once.
const OFFERED: usize = 12;

/// A typed time of day; nothing when nothing was typed.
pub(super) fn clock(faults: &mut Faults, field: &str, text: &str) -> Option<NaiveTime> {
    if text.trim().is_empty() {
        return None;
    }
    typed_date::time(text).map_err(|e| faults.add(field, e.to_string())).ok()
}

/// A typed time of day that is needed.
pub(super) fn needed_clock(faults: &mut Faults, field: &str, text: &str) -> NaiveTime {
    typed_date::time(text).map_err(|e| faults.add(field, e.to_string())).unwrap_or_default()
}

fn list<T: std::str::FromStr>(field: &str, text: Option<&String>, faults: &mut Faults) -> Vec<T> {
    let parts: Vec<&str> = text.map_or("", |t| t.as_str()).split(',').filter(|p| !p.is_empty()).collect();
    let read: Vec<T> = parts.iter().filter_map(|p| p.parse().ok()).collect();
    if read.len() != parts.len() {
        faults.add(field, "Choose from the list.");
    }
    read
}

#[utoipa::path(get, path = "/api/open-times", params(OpenAsked), responses((status = 200, body = Vec<OpenTime>), (status = 422, body = Problem)))]
pub async fn open_times(state: Data<State>, asked: Query<OpenAsked>) -> Answer<Vec<OpenTime>> {
    let mut faults = Faults::default();
    let clinicians: Vec<Uuid> = list("clinicianId", asked.clinician_id.as_ref(), &mut faults);
    let weekdays: Vec<u8> = list("weekdays", asked.weekdays.as_ref(), &mut faults);
    let typed = |text: &Option<String>| text.clone().unwrap_or_default();
    let after = clock(&mut faults, "after", &typed(&asked.after));
    let before = clock(&mut faults, "before", &typed(&asked.before));
    let around = clock(&mut faults, "around", &typed(&asked.around));
    let minutes = asked.minutes.unwrap_or(0);
    if !(0..=480).contains(&minutes) {
        faults.add("minutes", "A visit takes at most 480 minutes.");
    }
    faults.none_or(())?;
    let mut conn = state.store.reader().await?;
    let (usual, limits) = match asked.person_id {
        Some(person) => {
            let usual = people::get(&mut conn, person).await?.usual_clinician_id;
            (usual, waiting::limits_of(&mut conn, &[person]).await?.remove(&person))
        }
        None => (None, None),
    };
    let own_days = limits.iter().flat_map(|l| &l.weekdays).filter_map(|n| weekday_of(*n)).collect();
    let own_sites = limits.iter().flat_map(|l| &l.site_ids).copied().collect();
    let day_end = NaiveTime::from_hms_opt(23, 59, 59).unwrap_or_default();
    let wish = Wish {
        clinicians,
        sites: asked.site_id.into_iter().collect(),
        visit_types: asked.visit_type_id.into_iter().collect(),
        weekdays: weekdays.into_iter().filter_map(|n| Weekday::try_from(n.wrapping_sub(1)).ok()).collect(),
        between: (after.is_some() || before.is_some())
            .then(|| (after.unwrap_or(NaiveTime::MIN), before.unwrap_or(day_end))),
        minutes,
        around,
        usual,
    }
    .kept_to(own_sites, own_days);
    let from = asked.from.map_or_else(|| state.now(), |d| day_bounds(state.zone, d).0.max(state.now()));
    Ok(Json(best(&mut conn, &state, &wish, from, OFFERED).await?))
}

/// Every open slot of a clinician and type within a stretch of time, in order, as the core sees it.
pub(super) async fn open_of(
    conn: &mut Conn,
    state: &State,
    clinician: Uuid,
    visit_type: Uuid,
    (from, to): (DateTime<Utc>, DateTime<Utc>),
) -> Result<Vec<(Slot, Open<Uuid>)>, Problem> {
    let window = Window { from, to, clinicians: vec![clinician], sites: vec![], visit_type: Some(visit_type) };
    let shifts = store::shifts_of(conn, &window).await?;
    let site_of = |id: Uuid| shifts.iter().find(|s| s.id == id).map(|s| s.site_id);
    let rows = store::free_slots(conn, &window, &shifts).await?;
    let whole = store::slots_by_id(conn, &rows.iter().map(|s| s.id).collect::<Vec<_>>()).await?;
    let (now, kind) = (state.now(), visits::visit_type(conn, visit_type).await?);
    let open = |s: store::FreeSlot| {
        let span = Span::new(s.starts_at, s.ends_at).ok()?;
        let site = site_of(s.shift_id)?;
        let open = Open { span, clinician, site, visit_type, left_before: 0, left_after: 0 };
        let right = s.visit_type_id == Some(visit_type) && s.ends_at > now;
        let released = is_released(s.starts_at, kind.release_rule(), now, state.zone);
        if right && released { Some((whole.get(&s.id)?.clone(), open)) } else { None }
    };
    Ok(rows.into_iter().filter_map(open).collect())
}

/// The best open times for a wish, the best first.
pub(super) async fn best(
    conn: &mut Conn,
    state: &State,
    wish: &Wish<Uuid>,
    from: DateTime<Utc>,
    offered: usize,
) -> Result<Vec<OpenTime>, Problem> {
    let types = store::visit_types(conn).await?;
    // A slot that was cut short serves its type only together with its neighbours.
    let asked_for = types.iter().filter(|t| wish.visit_types.contains(&t.id)).map(|t| i64::from(t.minutes)).max();
    let minutes = wish.minutes.max(asked_for.unwrap_or(0));
    let (mut found, mut begins): (Vec<(i64, Uuid, Open<Uuid>)>, _) = (Vec::new(), from);
    let first = state.local_day(from);
    for days in LOOKS {
        let to = day_bounds(state.zone, first + Duration::days(days)).0;
        let window = Window {
            from: begins,
            to,
            clinicians: wish.clinicians.clone(),
            sites: wish.sites.clone(),
            visit_type: wish.visit_types.first().copied(),
        };
        let mut shifts = store::shifts_of(conn, &window).await?;
        shifts
            .retain(|s| Span::new(s.starts_at, s.ends_at).is_ok_and(|span| may_hold(wish, &span, minutes, state.zone)));
        let sites: HashMap<Uuid, Uuid> = shifts.iter().map(|s| (s.id, s.site_id)).collect();
        let rows = store::free_slots(conn, &window, &shifts).await?;
        // A visit lies within one shift.
        for of_one in rows.chunk_by(|a, b| a.shift_id == b.shift_id) {
            let Some(site) = sites.get(&of_one[0].shift_id).copied() else { continue };
            let pieces: Vec<Piece<Uuid>> = of_one
                .iter()
                .filter_map(|s| {
                    let span = Span::new(s.starts_at, s.ends_at).ok()?;
                    Some(Piece { span, site, visit_type: s.visit_type_id })
                })
                .collect();
            for open in stretches(of_one[0].clinician_id, &pieces, minutes) {
                let kind = types.iter().find(|t| t.id == open.visit_type);
                if kind.is_some_and(|t| open.span.minutes() < i64::from(t.minutes)) {
                    continue;
                }
                let rule = kind.and_then(VisitType::release_rule);
                let released = is_released(open.span.start(), rule, state.now(), state.zone);
                if !fits(wish, &open, state.zone) || !released {
                    continue;
                }
                let slot = of_one.iter().find(|s| s.starts_at == open.span.start());
                let Some(slot) = slot else { continue };
                found.push((score(wish, &open, from, state.zone), slot.id, open));
            }
        }
        let scores: Vec<i64> = found.iter().map(|(score, ..)| *score).collect();
        if is_settled(&scores, offered, days) {
            break;
        }
        begins = to;
    }
    found.sort_by_key(|(score, slot, open)| (*score, open.span.start(), *slot));
    found.truncate(offered);
    let mut whole = store::slots_by_id(conn, &found.iter().map(|(_, slot, _)| *slot).collect::<Vec<_>>()).await?;
    let told = |(_, slot, open): (i64, Uuid, Open<Uuid>)| {
        let reasons = reasons(wish, &open, state.now(), state.zone);
        Some(OpenTime { slot: whole.remove(&slot)?, site_id: open.site, minutes: open.span.minutes(), reasons })
    };
    Ok(found.into_iter().filter_map(told).collect())
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct NoteForm {
    clinician_id: Uuid,
    day: NaiveDate,
    /// By the clinic's clock: 10:20.
    time: String,
    body: String,
}

/// The moment of a day at which the clinic's clock shows a typed time.
pub(super) fn clock_time(state: &State, day: NaiveDate, field: &str, text: &str) -> Result<DateTime<Utc>, Problem> {
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
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let row = change.pin_note(form.clinician_id, at, &body).await?;
    change.commit().await?;
    Ok(Json(row))
}

#[utoipa::path(delete, path = "/api/schedule/notes/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done)))]
pub async fn remove_note(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    change.remove_note(*id).await?;
    change.commit().await?;
    Ok(DONE)
}
