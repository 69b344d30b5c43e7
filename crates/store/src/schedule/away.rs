//! When a clinician is away: a shift is handed over, or cancelled; its patients wait on the rebooking list
//! until a plan gives each a new time.

use crate::rows::{NOT_LIVE, PersonLimits, Shift, Slot, Visit, VisitType};
use crate::schedule::booking::Place;
use crate::schedule::supply::weekday_of;
use crate::schema::{shifts, slots, visits};
use crate::visit_line::visits::somebody_comes;
use crate::{Change, Conn, Result, StoreError, Topic, schedule};
use chrono::{DateTime, Utc};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::schedule::rebooking::{Displaced, Opening};
use harbor_core::schedule::supply::is_released;
use harbor_core::schedule::{Doubt, Span};
use std::collections::HashMap;
use uuid::Uuid;

/// Locked in one order, two who change the same shifts at once wait for each other and never for ever.
fn in_order(ids: &[Uuid]) -> Vec<Uuid> {
    let mut ids = ids.to_vec();
    ids.sort_unstable();
    ids.dedup();
    ids
}

/// A shift with how many are booked in it.
#[derive(Debug, Clone, PartialEq, serde::Serialize, utoipa::ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShiftBooked {
    #[serde(flatten)]
    pub shift: Shift,
    pub visits: usize,
}

/// The shifts of some days that take place, each with how many are booked in it; of one clinician, or of all.
pub async fn shifts_booked(
    conn: &mut Conn,
    (from, to): (DateTime<Utc>, DateTime<Utc>),
    clinician: Option<Uuid>,
) -> Result<Vec<ShiftBooked>> {
    let shifts = schedule::shifts(conn, from, to).await?;
    count_within(conn, shifts, (from, to), clinician, false).await
}

/// The shifts of some days that were cancelled, each with how many of its patients have no new time yet.
pub async fn shifts_cancelled(
    conn: &mut Conn,
    (from, to): (DateTime<Utc>, DateTime<Utc>),
    clinician: Option<Uuid>,
) -> Result<Vec<ShiftBooked>> {
    let rows: Vec<Shift> = shifts::table
        .filter(shifts::starts_at.lt(to).and(shifts::ends_at.gt(from)).and(shifts::cancelled_at.is_not_null()))
        .order(shifts::starts_at)
        .select(Shift::as_select())
        .load(conn)
        .await?;
    count_within(conn, rows, (from, to), clinician, true).await
}

/// How many visits lie in each shift: those that stand, or those that wait for a new time.
async fn count_within(
    conn: &mut Conn,
    shifts: Vec<Shift>,
    (from, to): (DateTime<Utc>, DateTime<Utc>),
    clinician: Option<Uuid>,
    rebook: bool,
) -> Result<Vec<ShiftBooked>> {
    let taken: Vec<(Uuid, DateTime<Utc>)> = visits::table
        .filter(visits::stage.ne_all(NOT_LIVE).and(visits::rebook.eq(rebook)).and(somebody_comes()))
        .filter(visits::starts_at.ge(from).and(visits::starts_at.lt(to)))
        .select((visits::clinician_id, visits::starts_at))
        .load(conn)
        .await?;
    let within = |s: &Shift| {
        let of = |(who, at): &&(Uuid, DateTime<Utc>)| *who == s.clinician_id && s.starts_at <= *at && *at < s.ends_at;
        taken.iter().filter(of).count()
    };
    let wanted = |s: &Shift| clinician.is_none_or(|who| who == s.clinician_id);
    let booked = |shift: Shift| ShiftBooked { visits: within(&shift), shift };
    Ok(shifts.into_iter().filter(wanted).map(booked).collect())
}

/// A time of a plan: it was looked over line by line, so only what nobody can do is asked about.
fn looked_over(slot: Uuid) -> Place {
    Place { meant: vec![Doubt::SameDay, Doubt::Swallows, Doubt::Age], ..Place::slot(slot) }
}

/// Clinicians who have a shift of their own at the time of some shifts.
pub async fn busy_then(conn: &mut Conn, wanted: &[Shift]) -> Result<Vec<Uuid>> {
    let mut busy = Vec::new();
    for shift in wanted {
        let there: Vec<Uuid> = shifts::table
            .filter(shifts::cancelled_at.is_null())
            .filter(shifts::starts_at.lt(shift.ends_at).and(shifts::ends_at.gt(shift.starts_at)))
            .select(shifts::clinician_id)
            .load(conn)
            .await?;
        busy.extend(there);
    }
    Ok(busy)
}

/// Shifts by their ids.
pub async fn shifts_by_id(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<Shift>> {
    Ok(shifts::table.filter(shifts::id.eq_any(ids)).select(Shift::as_select()).load(conn).await?)
}

/// Visits whose shift was cancelled, the earliest first.
pub async fn rebooking_list(conn: &mut Conn) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::rebook.eq(true).and(visits::stage.eq("booked")))
        .order((visits::starts_at, visits::id))
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

/// The visits that stand of some people between two moments.
pub async fn standing(
    conn: &mut Conn,
    people: &[Uuid],
    (from, until): (DateTime<Utc>, DateTime<Utc>),
) -> Result<Vec<(Uuid, Span)>> {
    let rows: Vec<(Uuid, DateTime<Utc>, DateTime<Utc>)> = visits::table
        .filter(visits::person_id.eq_any(people).and(visits::appointment))
        .filter(visits::stage.ne_all(NOT_LIVE).and(visits::rebook.eq(false)))
        .filter(visits::starts_at.ge(from).and(visits::starts_at.lt(until)))
        .select((visits::person_id, visits::starts_at, visits::ends_at))
        .load(conn)
        .await?;
    Ok(rows.into_iter().filter_map(|(who, start, end)| Some((who, Span::new(start, end).ok()?))).collect())
}

/// What the plan is made for: the visits as the core sees them, beside what else stands of their people.
pub fn displaced(
    visits: &[Visit],
    limits: &HashMap<Uuid, PersonLimits>,
    standing: &[(Uuid, Span)],
) -> Vec<Displaced<Uuid>> {
    let one = |v: &Visit| {
        let own = limits.get(&v.person_id);
        Displaced {
            person: v.person_id,
            site: v.site_id,
            busy: standing.iter().filter(|(who, _)| *who == v.person_id).map(|(_, span)| *span).collect(),
            start: v.starts_at,
            minutes: (v.ends_at - v.starts_at).num_minutes(),
            visit_type: v.visit_type_id,
            clinician: v.clinician_id,
            same_clinician: own.is_none_or(|l| l.same_clinician),
            sites: own.map_or_else(Vec::new, |l| l.site_ids.clone()),
            weekdays: own.iter().flat_map(|l| &l.weekdays).filter_map(|n| weekday_of(*n)).collect(),
            weight: 1,
        }
    };
    visits.iter().map(one).collect()
}

/// Open slots between two moments that may be booked now, for a plan.
pub async fn openings(
    conn: &mut Conn,
    (from, until): (DateTime<Utc>, DateTime<Utc>),
    now: DateTime<Utc>,
    zone: Tz,
) -> Result<Vec<(Slot, Opening<Uuid>)>> {
    let open = schedule::open_slots(conn, (from, until), 2_000).await?;
    let as_opening = |(slot, site): (Slot, Uuid)| {
        let opening = Opening {
            start: slot.starts_at,
            minutes: (slot.ends_at - slot.starts_at).num_minutes(),
            visit_type: slot.visit_type_id.unwrap_or_default(),
            clinician: slot.clinician_id,
            site,
        };
        (slot, opening)
    };
    let types = schedule::visit_types(conn).await?;
    let released = |slot: &Slot| {
        let kind = types.iter().find(|t| Some(t.id) == slot.visit_type_id);
        is_released(slot.starts_at, kind.and_then(VisitType::release_rule), now, zone)
    };
    Ok(open.into_iter().filter(|(slot, _)| released(slot)).map(as_opening).collect())
}

impl Change<'_> {
    /// Waits for whoever books in the days of these shifts, and keeps others waiting: days come before visits and
    /// shifts, in every change of the schedule.
    pub(crate) async fn queue_for_shifts(&mut self, ids: &[Uuid]) -> Result<()> {
        let spans: Vec<(DateTime<Utc>, DateTime<Utc>)> = shifts::table
            .filter(shifts::id.eq_any(ids))
            .select((shifts::starts_at, shifts::ends_at))
            .load(self.conn())
            .await?;
        let times: Vec<DateTime<Utc>> = spans.into_iter().flat_map(|(from, to)| [from, to]).collect();
        self.queue_for_times(&times).await
    }

    async fn lock_any_shift(&mut self, id: Uuid) -> Result<Shift> {
        shifts::table
            .find(id)
            .for_update()
            .select(Shift::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("shift"))
    }

    /// A shift for the rest of the change; one that is cancelled is changed no more.
    pub(crate) async fn lock_shift(&mut self, id: Uuid) -> Result<Shift> {
        let shift = self.lock_any_shift(id).await?;
        if shift.cancelled_at.is_some() {
            return Err(StoreError::refused("shift", "This shift is cancelled already."));
        }
        Ok(shift)
    }

    /// The visits of a shift that may leave it; none may when it has begun with somebody.
    async fn visits_to_leave(&mut self, shift: &Shift, zone: Tz) -> Result<Vec<Visit>> {
        let there: Vec<Visit> = visits::table
            .filter(visits::clinician_id.eq(shift.clinician_id))
            .filter(visits::stage.ne_all(NOT_LIVE).and(somebody_comes()))
            .filter(visits::starts_at.ge(shift.starts_at).and(visits::starts_at.lt(shift.ends_at)))
            .order(visits::starts_at)
            .select(Visit::as_select())
            .load(self.conn())
            .await?;
        if there.iter().any(|v| v.stage != Stage::Booked) {
            let begins = shift.starts_at.with_timezone(&zone).format("%a %b %-d at %H:%M");
            let sentence = format!(
                "Patients of the shift of {begins} are here or were seen; it stays. Hold the rest of its time instead."
            );
            return Err(StoreError::refused("shift", sentence));
        }
        Ok(there)
    }

    /// Cancels shifts, all or none; who is booked in them goes to the rebooking list. Gives how many those are.
    pub async fn cancel_shifts(&mut self, ids: &[Uuid], reason: &str, zone: Tz) -> Result<usize> {
        let mut visits = 0;
        self.queue_for_shifts(ids).await?;
        for id in in_order(ids) {
            visits += self.cancel_shift(id, reason, zone).await?;
        }
        Ok(visits)
    }

    /// Hands shifts with their slots and patients to another clinician, all or none. Gives the visits that went along.
    pub async fn hand_over_shifts(&mut self, ids: &[Uuid], to: Uuid, zone: Tz) -> Result<Vec<Uuid>> {
        let mut visits = Vec::new();
        self.queue_for_shifts(ids).await?;
        for id in in_order(ids) {
            visits.extend(self.hand_over_shift(id, to, zone).await?);
        }
        Ok(visits)
    }

    async fn cancel_shift(&mut self, id: Uuid, reason: &str, zone: Tz) -> Result<usize> {
        let shift = self.lock_shift(id).await?;
        let there = self.visits_to_leave(&shift, zone).await?;
        let now = self.now;
        diesel::update(shifts::table.find(id))
            .set((shifts::cancelled_at.eq(now), shifts::cancel_reason.eq(reason)))
            .execute(self.conn())
            .await?;
        diesel::update(slots::table.filter(slots::shift_id.eq(id)))
            .set(slots::withdrawn.eq(true))
            .execute(self.conn())
            .await?;
        let ids: Vec<Uuid> = there.iter().map(|v| v.id).collect();
        diesel::update(visits::table.filter(visits::id.eq_any(&ids).and(visits::stage.eq(Stage::Booked.code()))))
            .set(visits::rebook.eq(true))
            .execute(self.conn())
            .await?;
        self.audit("cancelled", "shift", id, None, format!("{reason}; {} to rebook", ids.len()));
        self.tell(Topic::Schedule, shift.clinician_id);
        for visit in &ids {
            self.tell(Topic::Visit, *visit);
        }
        Ok(ids.len())
    }

    /// Shifts that were cancelled take place after all, all or none: their slots are open again, and whoever has no new
    /// time yet has the old one. Gives how many those are.
    pub async fn restore_shifts(&mut self, ids: &[Uuid]) -> Result<usize> {
        let mut visits = 0;
        self.queue_for_shifts(ids).await?;
        for id in in_order(ids) {
            visits += self.restore_shift(id).await?;
        }
        Ok(visits)
    }

    async fn restore_shift(&mut self, id: Uuid) -> Result<usize> {
        let shift = self.lock_any_shift(id).await?;
        if shift.cancelled_at.is_none() {
            return Err(StoreError::refused("shift", "This shift takes place already."));
        }
        diesel::update(shifts::table.find(id))
            .set((shifts::cancelled_at.eq(None::<DateTime<Utc>>), shifts::cancel_reason.eq(None::<String>)))
            .execute(self.conn())
            .await?;
        // Slots that are withdrawn otherwise are deleted; these were withdrawn with their shift.
        diesel::update(slots::table.filter(slots::shift_id.eq(id)))
            .set(slots::withdrawn.eq(false))
            .execute(self.conn())
            .await?;
        let back: Vec<Uuid> = diesel::update(
            visits::table
                .filter(visits::clinician_id.eq(shift.clinician_id).and(visits::rebook.eq(true)))
                .filter(visits::starts_at.ge(shift.starts_at).and(visits::starts_at.lt(shift.ends_at)))
                .filter(visits::stage.eq(Stage::Booked.code())),
        )
        .set(visits::rebook.eq(false))
        .returning(visits::id)
        .get_results(self.conn())
        .await?;
        self.audit("restored", "shift", id, None, format!("{} have their time again", back.len()));
        self.tell(Topic::Schedule, shift.clinician_id);
        for visit in &back {
            self.tell(Topic::Visit, *visit);
        }
        Ok(back.len())
    }

    async fn hand_over_shift(&mut self, id: Uuid, to: Uuid, zone: Tz) -> Result<Vec<Uuid>> {
        let shift = self.lock_shift(id).await?;
        if shift.clinician_id == to {
            return Err(StoreError::refused("shift", "The shift is this clinician's already."));
        }
        let there = self.visits_to_leave(&shift, zone).await?;
        if busy_then(self.conn(), std::slice::from_ref(&shift)).await?.contains(&to) {
            return Err(StoreError::refused("shift", "This clinician works elsewhere at that time."));
        }
        diesel::update(shifts::table.find(id)).set(shifts::clinician_id.eq(to)).execute(self.conn()).await?;
        let moved: Vec<Slot> = diesel::update(slots::table.filter(slots::shift_id.eq(id)))
            .set(slots::clinician_id.eq(to))
            .returning(Slot::as_returning())
            .get_results(self.conn())
            .await?;
        for slot in &moved {
            self.record_slot(slot, "handed over", "").await?;
        }
        let ids: Vec<Uuid> = there.iter().map(|v| v.id).collect();
        let now = self.now;
        diesel::update(visits::table.filter(visits::id.eq_any(&ids)))
            .set((visits::clinician_id.eq(to), visits::placed_at.eq(now)))
            .execute(self.conn())
            .await?;
        self.audit("handed over", "shift", id, None, format!("with {} visits", ids.len()));
        self.tell(Topic::Schedule, to);
        for visit in &ids {
            self.tell(Topic::Visit, *visit);
        }
        Ok(ids)
    }

    /// Takes a plan: every visit gets its new time, or none does.
    pub async fn accept_plan(&mut self, lines: &[(Uuid, Uuid)], zone: Tz) -> Result<Vec<Visit>> {
        // Every day that the plan touches at once, so that two plans do not wait for each other.
        let (moving, into): (Vec<Uuid>, Vec<Uuid>) = lines.iter().copied().unzip();
        let mut times: Vec<DateTime<Utc>> =
            visits::table.filter(visits::id.eq_any(moving)).select(visits::starts_at).load(self.conn()).await?;
        times.extend(
            slots::table
                .filter(slots::id.eq_any(into))
                .select(slots::starts_at)
                .load::<DateTime<Utc>>(self.conn())
                .await?,
        );
        self.queue_for_times(&times).await?;
        let mut out = Vec::new();
        for (visit, slot) in lines {
            let waiting = crate::visit_line::visits::get(self.conn(), *visit).await?;
            if !waiting.rebook {
                return Err(StoreError::refused("plan", "Somebody of the plan has a new time already; plan again."));
            }
            out.push(self.move_booking(*visit, &looked_over(*slot), "shift cancelled", None, zone).await?);
        }
        Ok(out)
    }
}
