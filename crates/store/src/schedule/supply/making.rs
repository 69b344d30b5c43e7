//! Making the days: what is there against what the templates want, and doing what the core says about it.

use super::{FROM_TEMPLATE, LeftAsIs, SupplyReport, WholeTemplate, exception_in_core, exceptions, templates};
use crate::rows::{NOT_LIVE, Shift, Slot};
use crate::schema::{clinic, shifts, slot_events, slots, visits};
use crate::visit_line::visits::somebody_comes;
use crate::{Change, Result, Topic};
use chrono::{DateTime, Days, Duration, NaiveDate, Utc};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::schedule::supply::{
    Exception, MadeShift, MadeSlot, Present, PresentShift, Purpose, SettledDay, Template,
};
use harbor_core::schedule::{Span, day_bounds, supply as rules};
use std::collections::BTreeMap;
use uuid::Uuid;

/// From when to when.
type Stretch = (DateTime<Utc>, DateTime<Utc>);

impl Change<'_> {
    pub(super) async fn make_shift(
        &mut self,
        made: &MadeShift<Uuid>,
        template: Option<Uuid>,
        how: &str,
    ) -> Result<Shift> {
        let shift = Shift {
            id: Uuid::now_v7(),
            clinician_id: made.clinician,
            site_id: made.site,
            starts_at: made.span.start(),
            ends_at: made.span.end(),
            cancelled_at: None,
            cancel_reason: None,
            template_id: template,
        };
        diesel::insert_into(shifts::table).values(&shift).execute(self.conn()).await?;
        self.make_slots(&shift, &made.slots, how).await?;
        Ok(shift)
    }

    async fn make_slots(&mut self, shift: &Shift, made: &[MadeSlot<Uuid>], how: &str) -> Result<()> {
        let slot = |s: &MadeSlot<Uuid>| Slot {
            id: Uuid::now_v7(),
            shift_id: shift.id,
            clinician_id: shift.clinician_id,
            visit_type_id: match &s.purpose {
                Purpose::Open(kind) => Some(*kind),
                Purpose::Held(_) => None,
            },
            starts_at: s.span.start(),
            ends_at: s.span.end(),
            held_for: match &s.purpose {
                Purpose::Open(_) => None,
                Purpose::Held(what) => Some(what.clone()),
            },
            clinic: s.clinic.clone(),
            by_hand: false,
            withdrawn: false,
        };
        let rows: Vec<Slot> = made.iter().map(slot).collect();
        diesel::insert_into(slots::table).values(&rows).execute(self.conn()).await?;
        self.record_slots(&rows, "made", how).await
    }

    /// Brings the days from one (or from today) to another (or as far ahead as the clinic wants) to what the
    /// templates say. Done twice it does nothing the second time; bookings of these days wait for it. Days further on that
    /// were made for a series are kept up too.
    pub async fn settle_supply(&mut self, from: NaiveDate, to: Option<NaiveDate>, zone: Tz) -> Result<SupplyReport> {
        let today = self.now.with_timezone(&zone).date_naive();
        let last = self.last_day_of_supply(today).await?;
        let mut days: Vec<NaiveDate> = from.max(today).iter_days().take_while(|d| *d <= last).collect();
        let made: Vec<DateTime<Utc>> = shifts::table
            .filter(shifts::template_id.is_not_null().and(shifts::starts_at.ge(day_bounds(zone, last).1)))
            .order(shifts::starts_at)
            .select(shifts::starts_at)
            .load(self.conn())
            .await?;
        days.extend(made.iter().map(|at| at.with_timezone(&zone).date_naive()));
        days.dedup();
        days.retain(|d| *d >= from && to.is_none_or(|to| *d <= to));
        self.settle_days(&days, zone).await
    }

    /// Makes single days that lie beyond what the clinic makes ahead; the others are there already.
    pub async fn make_days(&mut self, wanted: &[NaiveDate], zone: Tz) -> Result<SupplyReport> {
        let last = self.last_day_of_supply(self.now.with_timezone(&zone).date_naive()).await?;
        let mut days: Vec<NaiveDate> = wanted.iter().copied().filter(|d| *d > last).collect();
        days.sort_unstable();
        days.dedup();
        self.settle_days(&days, zone).await
    }

    /// The last day of which working time is made by itself.
    async fn last_day_of_supply(&mut self, today: NaiveDate) -> Result<NaiveDate> {
        let ahead: i32 = clinic::table.select(clinic::supply_days).first(self.conn()).await?;
        Ok(today + Days::new(u64::try_from(ahead).unwrap_or(0)))
    }

    /// Days in their order.
    async fn settle_days(&mut self, days: &[NaiveDate], zone: Tz) -> Result<SupplyReport> {
        let (Some(first), Some(last)) = (days.first(), days.last()) else {
            return Ok(SupplyReport::default());
        };
        self.queue_for(days).await?;
        let templates: Vec<Template<Uuid>> = templates(self.conn()).await?.iter().map(WholeTemplate::in_core).collect();
        let off: Vec<Exception<Uuid>> = exceptions(self.conn(), *first).await?.iter().map(exception_in_core).collect();
        let owners: BTreeMap<Uuid, Uuid> = templates.iter().map(|t| (t.key, t.clinician)).collect();
        let there = self.there(&owners, (day_bounds(zone, *first).0, day_bounds(zone, *last).1), zone).await?;
        let mut report = SupplyReport::default();
        let nothing = Vec::new();
        for day in days {
            let wanted = rules::shifts_of_day(&templates, &off, *day, zone);
            let present = there.get(day).unwrap_or(&nothing);
            let settled = rules::settle_day(&wanted, present);
            self.carry_out(&settled, &mut report).await?;
        }
        if !report.is_still() {
            let said = format!(
                "{} shifts, {} slots made, {} removed",
                report.shifts_made, report.slots_made, report.slots_removed
            );
            self.audit("settled", "working time", Uuid::nil(), None, said);
        }
        Ok(report)
    }

    /// The shifts of a stretch of time, by their local day, as the core sees them.
    async fn there(
        &mut self,
        owners: &BTreeMap<Uuid, Uuid>,
        (from, to): Stretch,
        zone: Tz,
    ) -> Result<BTreeMap<NaiveDate, Vec<PresentShift<Uuid>>>> {
        let found: Vec<Shift> = shifts::table
            .filter(shifts::starts_at.ge(from).and(shifts::starts_at.lt(to)))
            .order((shifts::starts_at, shifts::id))
            .for_update()
            .select(Shift::as_select())
            .load(self.conn())
            .await?;
        let ids: Vec<Uuid> = found.iter().map(|s| s.id).collect();
        let pieces: Vec<Slot> = slots::table
            .filter(slots::shift_id.eq_any(&ids))
            .order(slots::starts_at)
            .for_update()
            .select(Slot::as_select())
            .load(self.conn())
            .await?;
        let taken: Vec<(Uuid, DateTime<Utc>, DateTime<Utc>)> = visits::table
            .filter(visits::stage.ne_all(NOT_LIVE).and(visits::rebook.eq(false)).and(somebody_comes()))
            .filter(visits::starts_at.lt(to).and(visits::starts_at.gt(from - Duration::hours(24))))
            .select((visits::clinician_id, visits::starts_at, visits::ends_at))
            .load(self.conn())
            .await?;
        let emptied: Vec<(Uuid, DateTime<Utc>, DateTime<Utc>)> = slot_events::table
            .filter(slot_events::what.eq("deleted").and(slot_events::starts_at.ge(from)))
            .filter(slot_events::starts_at.lt(to))
            .select((slot_events::clinician_id, slot_events::starts_at, slot_events::ends_at))
            .load(self.conn())
            .await?;
        let mut by_shift: BTreeMap<Uuid, Vec<Slot>> = BTreeMap::new();
        for slot in pieces {
            by_shift.entry(slot.shift_id).or_default().push(slot);
        }
        let mut by_clinician: BTreeMap<Uuid, Vec<Stretch>> = BTreeMap::new();
        for (who, start, end) in taken {
            by_clinician.entry(who).or_default().push((start, end));
        }
        let (now, nobody) = (self.now, Vec::new());
        let mut out: BTreeMap<NaiveDate, Vec<PresentShift<Uuid>>> = BTreeMap::new();
        for shift in found {
            let Ok(span) = Span::new(shift.starts_at, shift.ends_at) else { continue };
            let booked = by_clinician.get(&shift.clinician_id).unwrap_or(&nobody);
            let present = |s: Slot| {
                let taken = booked.iter().any(|(start, end)| *start < s.ends_at && *end > s.starts_at);
                let purpose = match (s.held_for, s.visit_type_id) {
                    (None, Some(kind)) => Purpose::Open(kind),
                    (held, _) => Purpose::Held(held.unwrap_or_default()),
                };
                let span = Span::new(s.starts_at, s.ends_at).ok()?;
                let slot = MadeSlot { span, purpose, clinic: s.clinic };
                Some(Present { key: s.id, slot, fixed: taken || s.by_hand || s.starts_at <= now })
            };
            let own = by_shift.remove(&shift.id).unwrap_or_default();
            let gaps = emptied.iter().filter(|(who, start, _)| *who == shift.clinician_id && span.holds(*start));
            out.entry(shift.starts_at.with_timezone(&zone).date_naive()).or_default().push(PresentShift {
                key: shift.id,
                template: shift.template_id,
                clinician: shift.clinician_id,
                site: shift.site_id,
                span,
                cancelled: shift.cancelled_at.is_some(),
                handed_over: shift
                    .template_id
                    .and_then(|t| owners.get(&t))
                    .is_some_and(|who| *who != shift.clinician_id),
                slots: own.into_iter().filter_map(present).collect(),
                emptied: gaps.filter_map(|(_, start, end)| Span::new(*start, *end).ok()).collect(),
            });
        }
        Ok(out)
    }

    async fn carry_out(&mut self, day: &SettledDay<Uuid>, report: &mut SupplyReport) -> Result<()> {
        for shift in &day.drop {
            let gone: Vec<Uuid> =
                slots::table.filter(slots::shift_id.eq(shift)).select(slots::id).load(self.conn()).await?;
            report.slots_removed += gone.len();
            self.withdraw_slots(&gone, FROM_TEMPLATE).await?;
            let whose: Uuid = diesel::delete(shifts::table.find(shift))
                .returning(shifts::clinician_id)
                .get_result(self.conn())
                .await?;
            self.tell(Topic::Schedule, whose);
        }
        // Out of each other's way while they change, so that the order of changes does not matter.
        let keys: Vec<Uuid> = day.change.iter().map(|c| c.key).collect();
        let now = self.now;
        diesel::update(shifts::table.filter(shifts::id.eq_any(&keys)))
            .set(shifts::cancelled_at.eq(now))
            .execute(self.conn())
            .await?;
        for c in &day.change {
            report.slots_removed += c.remove.len();
            self.withdraw_slots(&c.remove, FROM_TEMPLATE).await?;
        }
        for c in &day.change {
            let shift: Shift = diesel::update(shifts::table.find(c.key))
                .set((
                    shifts::cancelled_at.eq(None::<DateTime<Utc>>),
                    shifts::starts_at.eq(c.span.start()),
                    shifts::ends_at.eq(c.span.end()),
                    shifts::site_id.eq(c.site),
                ))
                .returning(Shift::as_returning())
                .get_result(self.conn())
                .await?;
            report.slots_made += c.add.len();
            self.make_slots(&shift, &c.add, FROM_TEMPLATE).await?;
            self.tell(Topic::Schedule, shift.clinician_id);
        }
        for made in &day.make {
            self.make_shift(made, Some(made.template), FROM_TEMPLATE).await?;
            report.shifts_made += 1;
            report.slots_made += made.slots.len();
            self.tell(Topic::Schedule, made.clinician);
        }
        report.left.extend(day.left.iter().map(|(clinician, span, why)| LeftAsIs {
            clinician_id: *clinician,
            starts_at: span.start(),
            ends_at: span.end(),
            why: why.sentence().to_owned(),
        }));
        Ok(())
    }

    /// Takes slots away that nobody has; what was cancelled in them lets go of them.
    async fn withdraw_slots(&mut self, ids: &[Uuid], how: &str) -> Result<()> {
        if ids.is_empty() {
            return Ok(());
        }
        diesel::update(visits::table.filter(visits::slot_id.eq_any(ids)))
            .set(visits::slot_id.eq(None::<Uuid>))
            .execute(self.conn())
            .await?;
        let gone: Vec<Slot> = diesel::delete(slots::table.filter(slots::id.eq_any(ids)))
            .returning(Slot::as_returning())
            .get_results(self.conn())
            .await?;
        self.record_slots(&gone, "withdrawn", how).await
    }
}
