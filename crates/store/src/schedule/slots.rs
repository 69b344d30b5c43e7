//! Changing slots by hand, each change in the slot's history.

use crate::rows::{NOT_LIVE, Shift, Slot, SlotEvent};
use crate::schedule::supply::FROM_TEMPLATE;
use crate::schema::{shifts, slot_events, slots, visits};
use crate::visit_line::visits::{somebody_comes, visit_type};
use crate::{Change, Conn, Result, StoreError, Topic, schedule};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::schedule::slots::{Cut, Place, SlotRefusal};
use harbor_core::schedule::{Span, slots as rules};
use uuid::Uuid;

fn refuse(r: SlotRefusal) -> StoreError {
    StoreError::refused("slot", r.to_string())
}

fn span_of(s: &Slot) -> Result<Span> {
    Span::new(s.starts_at, s.ends_at).map_err(|r| StoreError::refused("slot", r.to_string()))
}

/// The history of a slot, from its making on.
pub async fn history(conn: &mut Conn, slot: Uuid) -> Result<Vec<SlotEvent>> {
    use slot_events as e;
    Ok(e::table.filter(e::slot_id.eq(slot)).order(e::id).select(SlotEvent::as_select()).load(conn).await?)
}

/// What happened to the slots that begin within a stretch of time, the latest first; that templates made them is
/// left out, since it is so of nearly all.
pub async fn changes_of_day(conn: &mut Conn, (from, to): (DateTime<Utc>, DateTime<Utc>)) -> Result<Vec<SlotEvent>> {
    use slot_events as e;
    Ok(e::table
        .filter(e::starts_at.ge(from).and(e::starts_at.lt(to)))
        .filter(e::what.ne("made").or(e::detail.ne(FROM_TEMPLATE)))
        .order(e::id.desc())
        .limit(500)
        .select(SlotEvent::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    pub(crate) async fn record_slot(&mut self, slot: &Slot, what: &str, detail: &str) -> Result<()> {
        self.record_slots(std::slice::from_ref(slot), what, detail).await
    }

    /// Writes the same into the history of several slots.
    pub(crate) async fn record_slots(&mut self, slots: &[Slot], what: &str, detail: &str) -> Result<()> {
        use slot_events as e;
        let (now, by) = (self.now, self.actor.name.clone());
        let event = |slot: &Slot| {
            (
                e::slot_id.eq(slot.id),
                e::clinician_id.eq(slot.clinician_id),
                e::starts_at.eq(slot.starts_at),
                e::ends_at.eq(slot.ends_at),
                e::what.eq(what.to_owned()),
                e::detail.eq(detail.to_owned()),
                e::at.eq(now),
                e::by.eq(by.clone()),
            )
        };
        for some in slots.chunks(1_000) {
            let rows: Vec<_> = some.iter().map(event).collect();
            diesel::insert_into(e::table).values(rows).execute(self.conn()).await?;
        }
        Ok(())
    }

    async fn tell_slot(&mut self, slot: &Slot, what: &str, detail: &str) -> Result<()> {
        self.record_slot(slot, what, detail).await?;
        self.audit(what, "slot", slot.id, None, detail);
        self.tell(Topic::Schedule, slot.clinician_id);
        Ok(())
    }

    /// A slot with its shift, locked, and whether somebody has it.
    async fn lock_slot(&mut self, id: Uuid) -> Result<(Slot, Shift, Cut)> {
        // As whoever books: first the day, then what lies in it.
        let at: Option<DateTime<Utc>> =
            slots::table.find(id).select(slots::starts_at).first(self.conn()).await.optional()?;
        self.queue_for_times(&[at.ok_or(StoreError::NotFound("slot"))?]).await?;
        let slot: Slot = slots::table
            .find(id)
            .for_update()
            .select(Slot::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("slot"))?;
        let (_, shift) = schedule::slot(self.conn(), id).await?;
        let span = span_of(&slot)?;
        let booked: i64 = visits::table
            .filter(visits::clinician_id.eq(slot.clinician_id))
            .filter(visits::stage.ne_all(NOT_LIVE).and(visits::rebook.eq(false)).and(somebody_comes()))
            .filter(visits::starts_at.lt(slot.ends_at).and(visits::ends_at.gt(slot.starts_at)))
            .count()
            .get_result(self.conn())
            .await?;
        Ok((slot, shift, Cut { span, booked: booked > 0 }))
    }

    async fn resize_slot(&mut self, id: Uuid, span: Span) -> Result<()> {
        diesel::update(slots::table.find(id))
            .set((slots::starts_at.eq(span.start()), slots::ends_at.eq(span.end()), slots::by_hand.eq(true)))
            .execute(self.conn())
            .await?;
        Ok(())
    }

    /// A visit points at the slot that it was booked into; slots that are no more are let go of.
    async fn remove_slot(&mut self, id: Uuid) -> Result<()> {
        diesel::update(visits::table.filter(visits::slot_id.eq(id)))
            .set(visits::slot_id.eq(None::<Uuid>))
            .execute(self.conn())
            .await?;
        diesel::delete(slots::table.find(id)).execute(self.conn()).await?;
        Ok(())
    }

    pub async fn split_slot(&mut self, id: Uuid, at: DateTime<Utc>) -> Result<()> {
        let (slot, _, cut) = self.lock_slot(id).await?;
        let (first, second) = rules::split(cut, at).map_err(refuse)?;
        self.resize_slot(id, first).await?;
        let rest = Slot {
            id: Uuid::now_v7(),
            starts_at: second.start(),
            ends_at: second.end(),
            by_hand: true,
            ..slot.clone()
        };
        diesel::insert_into(slots::table).values(&rest).execute(self.conn()).await?;
        self.record_slot(&rest, "made", "split off").await?;
        self.tell_slot(&slot, "split", "").await
    }

    /// Joins a slot with the one right behind it.
    pub async fn join_slot(&mut self, id: Uuid) -> Result<()> {
        let (slot, ..) = self.lock_slot(id).await?;
        let next: Option<Uuid> = slots::table
            .filter(slots::shift_id.eq(slot.shift_id).and(slots::starts_at.eq(slot.ends_at)))
            .select(slots::id)
            .first(self.conn())
            .await
            .optional()?;
        let Some(next) = next else { return Err(refuse(SlotRefusal::NotNeighbours)) };
        let (behind, _, second) = self.lock_slot(next).await?;
        let (_, _, first) = self.lock_slot(id).await?;
        let whole = rules::join(first, second).map_err(refuse)?;
        self.record_slot(&behind, "deleted", "joined with the one before").await?;
        self.remove_slot(next).await?;
        self.resize_slot(id, whole).await?;
        self.tell_slot(&slot, "joined", "with the one behind").await
    }

    pub async fn delete_slot(&mut self, id: Uuid) -> Result<()> {
        let (slot, _, cut) = self.lock_slot(id).await?;
        rules::change(cut).map_err(refuse)?;
        self.tell_slot(&slot, "deleted", "").await?;
        self.remove_slot(id).await
    }

    /// Adds a slot to a shift, which grows when it comes before or behind.
    pub async fn add_slot(&mut self, shift: Uuid, place: Place, minutes: i64, visit_type_id: Uuid) -> Result<Slot> {
        self.queue_for_shifts(&[shift]).await?;
        let row = self.lock_shift(shift).await?;
        let kind = visit_type(self.conn(), visit_type_id).await?;
        let whole = Span::new(row.starts_at, row.ends_at).map_err(|r| StoreError::refused("slot", r.to_string()))?;
        let (from, to) = (row.starts_at - chrono::Duration::days(1), row.ends_at + chrono::Duration::days(1));
        let around = schedule::slots_of_clinician(self.conn(), row.clinician_id, from, to).await?;
        let taken: Vec<Span> = around.iter().filter_map(|s| span_of(s).ok()).collect();
        let others: Vec<(DateTime<Utc>, DateTime<Utc>)> = shifts::table
            .filter(shifts::clinician_id.eq(row.clinician_id).and(shifts::id.ne(shift)))
            .filter(shifts::cancelled_at.is_null().and(shifts::starts_at.lt(to)).and(shifts::ends_at.gt(from)))
            .select((shifts::starts_at, shifts::ends_at))
            .load(self.conn())
            .await?;
        let others: Vec<Span> = others.into_iter().filter_map(|(s, e)| Span::new(s, e).ok()).collect();
        let (span, grown) = rules::add(whole, &taken, &others, place, minutes).map_err(refuse)?;
        rules::retype(Cut { span, booked: false }, &kind.name.to_lowercase(), i64::from(kind.minutes))
            .map_err(refuse)?;
        diesel::update(shifts::table.find(shift))
            .set((shifts::starts_at.eq(grown.start()), shifts::ends_at.eq(grown.end())))
            .execute(self.conn())
            .await?;
        let slot = Slot {
            id: Uuid::now_v7(),
            shift_id: shift,
            clinician_id: row.clinician_id,
            visit_type_id: Some(visit_type_id),
            starts_at: span.start(),
            ends_at: span.end(),
            held_for: None,
            clinic: String::new(),
            by_hand: true,
            withdrawn: false,
        };
        diesel::insert_into(slots::table).values(&slot).execute(self.conn()).await?;
        self.tell_slot(&slot, "made", "added by hand").await?;
        Ok(slot)
    }

    pub async fn retype_slot(&mut self, id: Uuid, visit_type_id: Uuid) -> Result<()> {
        let (slot, _, cut) = self.lock_slot(id).await?;
        let kind = visit_type(self.conn(), visit_type_id).await?;
        rules::retype(cut, &kind.name.to_lowercase(), i64::from(kind.minutes)).map_err(refuse)?;
        diesel::update(slots::table.find(id))
            .set((slots::visit_type_id.eq(visit_type_id), slots::held_for.eq(None::<String>), slots::by_hand.eq(true)))
            .execute(self.conn())
            .await?;
        self.tell_slot(&slot, "retyped", &kind.name).await
    }

    /// Holds a slot for something, or frees it; a freed slot has its type again.
    pub async fn hold_slot(&mut self, id: Uuid, held_for: Option<&str>) -> Result<()> {
        let (slot, _, cut) = self.lock_slot(id).await?;
        rules::change(cut).map_err(refuse)?;
        if held_for.is_none() && slot.visit_type_id.is_none() {
            return Err(StoreError::refused("slot", "The slot has no type yet; choose one, which frees it."));
        }
        diesel::update(slots::table.find(id))
            .set((slots::held_for.eq(held_for), slots::by_hand.eq(true)))
            .execute(self.conn())
            .await?;
        let what = if held_for.is_some() { "held" } else { "freed" };
        self.tell_slot(&slot, what, held_for.unwrap_or("")).await
    }
}
