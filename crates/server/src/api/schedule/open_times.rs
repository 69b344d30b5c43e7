//! Open times: what is free, the best first.

use super::day::clock;
use crate::asked::Typed;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Query};
use chrono::{DateTime, NaiveDate, NaiveTime, Utc, Weekday};
use harbor_core::fields::Faults;
use harbor_core::schedule::open_times::{Open, Piece, Search, TypeRule, Wish, reasons};
use harbor_core::schedule::supply::is_released;
use harbor_core::schedule::{Span, day_bounds};
use harbor_store::rows::{Shift, Slot, VisitType};
use harbor_store::schedule::supply::weekday_of;
use harbor_store::schedule::{FreeSlot, Window, waiting};
use harbor_store::visit_line::visits;
use harbor_store::{Conn, people, schedule as store};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(rename_all = "camelCase", parameter_in = Query)]
pub struct OpenAsked {
    #[serde(default, deserialize_with = "crate::asked::some_day")]
    from: Option<NaiveDate>,
    /// One visit type, clinician or site, or several with commas; nothing: any.
    visit_type_id: Option<String>,
    clinician_id: Option<String>,
    site_id: Option<String>,
    /// Weekdays with commas, Monday is 1.
    weekdays: Option<String>,
    /// Starts not before, and before, by the clinic's clock: 13:00.
    after: Option<String>,
    before: Option<String>,
    /// The time of day that would suit best.
    around: Option<String>,
    /// 0 to 480, as typed; longer than a slot: over its neighbours.
    minutes: Option<String>,
    /// Whose usual clinician and limits count.
    person_id: Option<Uuid>,
    /// Leaves out so many of the best, which were offered before; 0 to 600.
    skip: Option<usize>,
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
/// Nobody reads on further; another wish finds more.
const MOST_SKIPPED: usize = 600;

fn list<T: std::str::FromStr>(field: &str, text: Option<&String>, faults: &mut Faults) -> Vec<T> {
    let parts: Vec<&str> = text.map_or("", |t| t.as_str()).split(',').filter(|p| !p.is_empty()).collect();
    let read: Vec<T> = parts.iter().filter_map(|p| p.parse().ok()).collect();
    if read.len() != parts.len() {
        faults.add(field, "Choose from the list.");
    }
    read
}

#[utoipa::path(get, path = "/api/open-times", params(OpenAsked), responses((status = 200, body = Vec<OpenTime>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn look(state: Data<State>, asked: Query<OpenAsked>) -> Answer<Vec<OpenTime>> {
    let mut faults = Faults::default();
    let clinicians: Vec<Uuid> = list("clinicianId", asked.clinician_id.as_ref(), &mut faults);
    let sites: Vec<Uuid> = list("siteId", asked.site_id.as_ref(), &mut faults);
    let visit_types: Vec<Uuid> = list("visitTypeId", asked.visit_type_id.as_ref(), &mut faults);
    let weekdays: Vec<u8> = list("weekdays", asked.weekdays.as_ref(), &mut faults);
    let typed = |text: &Option<String>| text.clone().unwrap_or_default();
    let after = clock(&mut faults, "after", &typed(&asked.after));
    let before = clock(&mut faults, "before", &typed(&asked.before));
    let around = clock(&mut faults, "around", &typed(&asked.around));
    let minutes = asked.minutes.clone().map(Typed::Text);
    let minutes = Typed::whole(minutes.as_ref(), &mut faults, "minutes", 0..=480).unwrap_or(0);
    let skip = asked.skip.unwrap_or(0);
    if after.zip(before).is_some_and(|(after, before)| before <= after) {
        faults.add("before", "This leaves no time of the day.");
    }
    if skip > MOST_SKIPPED {
        faults.add("skip", "So many times were offered; change the wish instead.");
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
        sites,
        visit_types,
        weekdays: weekdays.into_iter().filter_map(|n| Weekday::try_from(n.wrapping_sub(1)).ok()).collect(),
        between: (after.is_some() || before.is_some())
            .then(|| (after.unwrap_or(NaiveTime::MIN), before.unwrap_or(day_end))),
        minutes,
        around,
        usual,
    }
    .kept_to(own_sites, own_days);
    let from = asked.from.map_or_else(|| state.now(), |d| day_bounds(state.zone, d).0.max(state.now()));
    Ok(Json(best(&mut conn, &state, &wish, from, (skip, OFFERED)).await?))
}

/// A free slot as the core sees it.
fn piece(s: &FreeSlot, site: Uuid) -> Option<Piece<Uuid>> {
    let span = Span::new(s.starts_at, s.ends_at).ok()?;
    Some(Piece { slot: s.id, span, site, visit_type: s.visit_type_id })
}

/// Every open slot of a clinician and type within a stretch of time, in order, as the core sees it.
pub(crate) async fn open_of(
    conn: &mut Conn,
    state: &State,
    clinician: Uuid,
    visit_type: Uuid,
    (from, to): (DateTime<Utc>, DateTime<Utc>),
) -> Result<Vec<(Slot, Open<Uuid>)>, Problem> {
    let window = Window { from, to, clinicians: vec![clinician], sites: vec![], visit_types: vec![visit_type] };
    let shifts = store::shifts_of(conn, &window).await?;
    let site_of = |id: Uuid| shifts.iter().find(|s| s.id == id).map(|s| s.site_id);
    let rows = store::free_slots(conn, &window, &shifts).await?;
    let whole = store::slots_by_id(conn, &rows.iter().map(|s| s.id).collect::<Vec<_>>()).await?;
    let (now, kind) = (state.now(), visits::visit_type(conn, visit_type).await?);
    let open = |s: FreeSlot| {
        let Piece { slot, span, site, .. } = piece(&s, site_of(s.shift_id)?)?;
        let open = Open { slot, span, clinician, site, visit_type, left_before: 0, left_after: 0 };
        let right = s.visit_type_id == Some(visit_type) && s.ends_at > now;
        let released = is_released(s.starts_at, kind.release_rule(), now, state.zone);
        if right && released { Some((whole.get(&s.id)?.clone(), open)) } else { None }
    };
    Ok(rows.into_iter().filter_map(open).collect())
}

/// The best open times for a wish, the best first: behind so many that were offered before, so many more.
pub(crate) async fn best(
    conn: &mut Conn,
    state: &State,
    wish: &Wish<Uuid>,
    from: DateTime<Utc>,
    (skip, offered): (usize, usize),
) -> Result<Vec<OpenTime>, Problem> {
    let rule =
        |t: &VisitType| TypeRule { visit_type: t.id, minutes: i64::from(t.minutes), release_days: t.release_rule() };
    let types: Vec<TypeRule<Uuid>> = store::visit_types(conn).await?.iter().map(rule).collect();
    let mut search = Search::new(wish, &types, from, state.now(), state.zone, skip + offered);
    while let Some((from, to)) = search.next_window() {
        let window = Window {
            from,
            to,
            clinicians: wish.clinicians.clone(),
            sites: wish.sites.clone(),
            visit_types: wish.visit_types.clone(),
        };
        let mut shifts = store::shifts_of(conn, &window).await?;
        shifts.retain(|s| Span::new(s.starts_at, s.ends_at).is_ok_and(|span| search.may_hold(&span)));
        let rows = store::free_slots(conn, &window, &shifts).await?;
        let by_id: HashMap<Uuid, &Shift> = shifts.iter().map(|s| (s.id, s)).collect();
        for of_one in rows.chunk_by(|a, b| a.shift_id == b.shift_id) {
            let Some(shift) = by_id.get(&of_one[0].shift_id) else { continue };
            let pieces: Vec<Piece<Uuid>> = of_one.iter().filter_map(|s| piece(s, shift.site_id)).collect();
            search.take(shift.clinician_id, &pieces);
        }
    }
    let found = search.page(skip);
    let mut whole = store::slots_by_id(conn, &found.iter().map(|open| open.slot).collect::<Vec<_>>()).await?;
    let told = |open: Open<Uuid>| {
        let reasons = reasons(wish, &open, state.now(), state.zone);
        Some(OpenTime { slot: whole.remove(&open.slot)?, site_id: open.site, minutes: open.span.minutes(), reasons })
    };
    Ok(found.into_iter().filter_map(told).collect())
}
