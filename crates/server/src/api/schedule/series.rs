//! Visits that come again: looked over first, then booked whole.

use super::booking::{VISIT_MINUTES, kind_of, reason_and_note};
use super::open_times::open_of;
use crate::access::Me;
use crate::asked::Typed;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Duration, NaiveDate, Utc};
use harbor_core::fields::Faults;
use harbor_core::schedule::series::{DAYS_BESIDE, Lack, MOST, MOST_DAYS_AHEAD, Step, as_long_as, days, serve};
use harbor_core::schedule::supply::is_released;
use harbor_core::schedule::{Span, day_bounds};
use harbor_store::rows::{Series, Slot, SupplyException, Visit};
use harbor_store::schedule::Window;
use harbor_store::schedule::booking::{Booking, Place};
use harbor_store::schedule::series as store;
use harbor_store::visit_line::visits;
use harbor_store::{Actor, Change, Conn, StoreError, codes, schedule};
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
    /// Longer than a slot, and of another type than the first one; nothing: as the slot.
    minutes: Option<Typed>,
    visit_type_id: Option<Uuid>,
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
    let mut faults = Faults::default();
    let minutes = Typed::whole(asked.minutes.as_ref(), &mut faults, "minutes", VISIT_MINUTES);
    faults.none_or(())?;
    let (slot, _) = schedule::slot(&mut *state.store.reader().await?, asked.slot_id).await?;
    let Some(kind) = asked.visit_type_id.or(slot.visit_type_id) else {
        return Err(Problem::refused("held", "This time is held."));
    };
    let first_day = state.local_day(slot.starts_at);
    let wanted = days(first_day, step(asked.every, &asked.unit)?, asked.count)
        .map_err(|r| Problem::field("count", r.to_string()))?;
    make_ahead(&state, &wanted).await?;
    let mut conn = state.store.reader().await?;
    let beside = Duration::days(DAYS_BESIDE);
    let last = wanted.last().copied().unwrap_or(first_day) + beside;
    let window = (slot.starts_at.min(state.now()), day_bounds(state.zone, last).1);
    let (slots, times): (Vec<Slot>, Vec<_>) =
        open_of(&mut conn, &state, slot.clinician_id, kind, window).await?.into_iter().unzip();
    let length = minutes.unwrap_or((slot.ends_at - slot.starts_at).num_minutes());
    let long: Vec<_> = slots.into_iter().zip(as_long_as(length, times)).filter_map(|(s, o)| Some((s, o?))).collect();
    let (slots, times): (Vec<Slot>, Vec<_>) = long.into_iter().unzip();
    let lacks = Lacks::load(&mut conn, &state, &slot, kind, window).await?;
    let span = Span::new(slot.starts_at, slot.ends_at).map_err(|r| Problem::refused("slot", r.to_string()))?;
    let lines = serve(span, &wanted, &times, |day| lacks.on(day), state.zone).into_iter().map(|s| SeriesLine {
        day: s.day,
        wished: s.wished,
        slot: s.open.map(|n| slots[n].clone()),
        differs: s.differs,
    });
    Ok(Json(lines.collect()))
}

/// Makes the working time of the days of a series that lie further ahead than the clinic makes it by itself.
async fn make_ahead(state: &State, wanted: &[NaiveDate]) -> Result<(), Problem> {
    let until = state.today() + Duration::days(MOST_DAYS_AHEAD);
    let near = |day: &NaiveDate| (-DAYS_BESIDE..=DAYS_BESIDE).map(|n| *day + Duration::days(n)).collect::<Vec<_>>();
    let days: Vec<NaiveDate> = wanted.iter().flat_map(near).filter(|day| *day <= until).collect();
    let make = async |change: &mut Change<'_>| {
        if change.make_days(&days, state.zone).await?.is_still() {
            change.give_up();
        }
        Ok::<_, StoreError>(())
    };
    Ok(state.store.change(&Actor::system("working time"), state.now(), make).await?)
}

/// What is known of the days of a series, to say why no time serves one.
struct Lacks {
    until: NaiveDate,
    worked: Vec<NaiveDate>,
    unreleased: Vec<NaiveDate>,
    off: Vec<(NaiveDate, NaiveDate, String)>,
}

impl Lacks {
    async fn load(
        conn: &mut Conn,
        state: &State,
        slot: &Slot,
        kind: Uuid,
        (from, to): (DateTime<Utc>, DateTime<Utc>),
    ) -> Result<Lacks, Problem> {
        let window = Window { from, to, clinicians: vec![slot.clinician_id], sites: vec![], visit_types: vec![kind] };
        let shifts = schedule::shifts_of(conn, &window).await?;
        let free = schedule::free_slots(conn, &window, &shifts).await?;
        let rule = visits::visit_type(conn, kind).await?.release_rule();
        let closed = |at: &DateTime<Utc>| !is_released(*at, rule, state.now(), state.zone);
        let day = |at: DateTime<Utc>| state.local_day(at);
        let exceptions = schedule::supply::exceptions(conn, day(from)).await?;
        let whose = |e: &SupplyException| e.clinician_id.is_none_or(|who| who == slot.clinician_id);
        Ok(Lacks {
            until: state.today() + Duration::days(MOST_DAYS_AHEAD),
            worked: shifts.iter().map(|s| day(s.starts_at)).collect(),
            unreleased: free.iter().map(|s| s.starts_at).filter(closed).map(day).collect(),
            off: exceptions.into_iter().filter(whose).map(|e| (e.from_day, e.to_day, e.reason)).collect(),
        })
    }

    fn on(&self, day: NaiveDate) -> Lack {
        let near = |days: &[NaiveDate]| days.iter().any(|d| (*d - day).num_days().abs() <= DAYS_BESIDE);
        if day > self.until {
            Lack::TooFar
        } else if near(&self.unreleased) {
            Lack::NotReleased
        } else if near(&self.worked) {
            Lack::Taken
        } else if let Some((.., why)) = self.off.iter().find(|(from, to, _)| (*from..=*to).contains(&day)) {
            Lack::Off(why.clone())
        } else {
            Lack::NobodyWorks
        }
    }
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
    /// As of the first visit.
    #[serde(default)]
    kind: String,
    minutes: Option<Typed>,
    visit_type_id: Option<Uuid>,
    /// What was asked about (a problem of the type `ask-first`), and is meant.
    #[serde(default)]
    meant: Vec<codes::Doubt>,
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
        let kind = kind_of(&mut faults, &form.kind);
        let minutes = Typed::whole(form.minutes.as_ref(), &mut faults, "minutes", VISIT_MINUTES);
        faults.none_or(())?;
        let step = step(form.every, &form.unit)?;
        let meant: Vec<_> = form.meant.iter().map(|doubt| **doubt).collect();
        let booking = |slot: &Uuid| Booking {
            person_id: form.person_id,
            place: Place { minutes, visit_type_id: form.visit_type_id, meant: meant.clone(), ..Place::slot(*slot) },
            reason: reason.clone(),
            note: note.clone(),
            kind,
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
