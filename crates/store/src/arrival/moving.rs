//! Moving through the building: stages, rooms, and the end of check-in.

use crate::arrival::own_stages::{all, in_core};
use crate::rows::{Room, Visit};
use crate::schema::{rooms, visits};
use crate::{Change, Result, StoreError, Topic, audit, coverage};
use chrono::Timelike;
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::own_stages::{At, OwnStage};
use harbor_core::arrival::rooms::may_room;
use harbor_core::arrival::{MoveRefusal, Stage, own_stages};
use harbor_core::visit_line::{Mark, marks as line_marks};
use uuid::Uuid;

impl Change<'_> {
    /// Moves a patient to another stage, a fixed one or one of the clinic's own; marks of the line that this reaches
    /// or takes back follow.
    pub async fn move_visit(&mut self, id: Uuid, to: impl Into<At<Uuid>>, room: Option<Uuid>) -> Result<Visit> {
        self.move_visit_as(id, to.into(), room, audit::MOVED).await
    }

    /// The same, recorded as taking the last move back.
    pub async fn take_move_back(&mut self, id: Uuid, to: At<Uuid>) -> Result<Visit> {
        let visit = self.move_visit_as(id, to, None, audit::TOOK_BACK).await?;
        // Whoever is booked again was not cancelled.
        let nobody: Option<String> = None;
        diesel::update(visits::table.filter(visits::id.eq(id).and(visits::stage.ne(Stage::Cancelled.code()))))
            .set((visits::cancel_reason.eq(nobody.clone()), visits::cancelled_by.eq(nobody)))
            .execute(self.conn())
            .await?;
        Ok(visit)
    }

    async fn move_visit_as(&mut self, id: Uuid, to: At<Uuid>, room: Option<Uuid>, how: &str) -> Result<Visit> {
        let mut visit = self.lock_visit(id).await?;
        let from = At { stage: visit.stage(), own: visit.own_stage_id };
        let refuse = |r: MoveRefusal| StoreError::refused("stage", r.to_string());
        if from == to && (room.is_none() || room == visit.room_id) {
            return Ok(visit);
        }
        let within = from.stage == to.stage;
        if !within {
            from.stage.may_become(to.stage).map_err(refuse)?;
        }
        let own = self.own_stage_of(to).await?;
        if to.stage == Stage::InRoom {
            let wanted = room.or(visit.room_id).ok_or_else(|| refuse(MoveRefusal::NeedsRoom))?;
            if room.is_some() {
                self.room_for(&visit, wanted).await?;
            }
            visit.room_id = Some(wanted);
        }
        let gives_room_up = own.as_ref().is_some_and(|o| !o.keeps_room());
        if gives_room_up || matches!(to.stage, Stage::Left | Stage::LeftUnseen) {
            visit.room_id = None;
        }
        if !within {
            let marks = self.marks_of_visit(id).await?;
            let change = line_marks::of_move(from.stage, to.stage, &marks);
            for mark in change.reached {
                self.reach_now(id, mark).await?;
            }
            if let Some(mark) = change.taken_back {
                self.take_back(id, mark).await?;
            }
            if change.taken_back == Some(Mark::Roomed) {
                visit.room_id = None;
            }
            visit.left_at = matches!(to.stage, Stage::Left | Stage::LeftUnseen).then_some(self.now);
        }
        let done = own_stages::is_done(to);
        if done != own_stages::is_done(from) {
            visit.done_at = done.then_some(self.now);
        }
        if to.stage == Stage::WithClinician && !within && !self.has_reached(id, Mark::Signed).await? {
            self.begin_note(&visit).await?;
        }
        visit.stage = to.stage.into();
        visit.own_stage_id = to.own;
        visit.stage_at = self.now;
        self.store_stage(&mut visit).await?;
        let name = own.map_or_else(|| to.stage.label().to_owned(), |o| o.name);
        self.audit(how, "visit", id, Some(visit.person_id), format!("{} → {name}", from.stage.label()));
        Ok(visit)
    }

    /// The own stage that is moved to, when it is one in use within the fixed one.
    async fn own_stage_of(&mut self, to: At<Uuid>) -> Result<Option<OwnStage<Uuid>>> {
        let Some(id) = to.own else { return Ok(None) };
        let used = all(self.conn()).await?;
        let found = used.iter().map(in_core).find(|o| o.id == id && o.after == to.stage);
        found.map(Some).ok_or(StoreError::NotFound("stage"))
    }

    /// Whether the patient may be brought into this room.
    async fn room_for(&mut self, visit: &Visit, wanted: Uuid) -> Result<()> {
        let found = rooms::table.find(wanted).select(Room::as_select()).first(self.conn()).await.optional()?;
        let row: Room = found.ok_or(StoreError::NotFound("room"))?;
        let kind = *row.kind;
        may_room(&row.name, kind, row.active, row.site_id == visit.site_id)
            .map_err(|r| StoreError::refused("stage", r.to_string()))
    }

    /// Check-in may be finished while the patient is already in a room. The policy that counts on this day is
    /// the visit's from then on.
    pub async fn finish_check_in(&mut self, id: Uuid) -> Result<Visit> {
        let mut visit = self.lock_visit(id).await?;
        let stage = visit.stage();
        if self.has_reached(id, Mark::CheckedIn).await? {
            return Ok(visit);
        }
        if matches!(stage, Stage::Here | Stage::Booked) {
            visit = self.move_visit(id, Stage::CheckedIn, None).await?;
        } else if stage.is_present() {
            self.reach_now(id, Mark::CheckedIn).await?;
            self.store_stage(&mut visit).await?;
            self.audit(audit::CHECKED_IN, "visit", id, Some(visit.person_id), "after rooming");
        } else {
            return Err(StoreError::refused("stage", format!("The visit is {}.", stage.label().to_lowercase())));
        }
        if visit.coverage_id.is_none()
            && !visit.self_pay
            && let Some(policy) = coverage::counting_for(self.conn(), &visit).await?
        {
            self.set_payer_of_visit(id, Some(policy), false, visit.accident_date).await?;
            visit.coverage_id = Some(policy);
        }
        Ok(visit)
    }

    /// Somebody who is booked on another day comes today instead: the visit is moved to now, beside the slots.
    pub async fn comes_today(&mut self, id: Uuid, zone: Tz) -> Result<Visit> {
        use visits as v;
        let today = self.now.with_timezone(&zone).date_naive();
        let before = self.lock_visit(id).await?;
        self.queue_for(&[today, before.day]).await?;
        let now = self.now.with_second(0).and_then(|at| at.with_nanosecond(0)).unwrap_or(self.now);
        let moved: Visit = diesel::update(v::table.find(id))
            .set((
                (v::starts_at.eq(now), v::ends_at.eq(now + (before.ends_at - before.starts_at))),
                (v::day.eq(today), v::call_sign.eq(self.next_call_sign(today).await?)),
                (v::slot_id.eq(None::<Uuid>), v::extra.eq(true), v::placed_at.eq(self.now)),
                (v::rebook.eq(false), v::version.eq(before.version + 1)),
            ))
            .returning(Visit::as_returning())
            .get_result(self.conn())
            .await?;
        self.record_move(&before, &moved, "came today instead").await?;
        self.audit("moved", "booking", id, Some(before.person_id), "came today instead");
        self.tell_moved(id, before.day);
        Ok(moved)
    }

    /// Writes where the patient of a locked visit is.
    async fn store_stage(&mut self, v: &mut Visit) -> Result<()> {
        use visits as t;
        v.version += 1;
        diesel::update(t::table.find(v.id))
            .set((
                (t::stage.eq(&v.stage), t::stage_at.eq(v.stage_at), t::left_at.eq(v.left_at)),
                (t::room_id.eq(v.room_id), t::own_stage_id.eq(v.own_stage_id), t::done_at.eq(v.done_at)),
                t::version.eq(v.version),
            ))
            .execute(self.conn())
            .await?;
        self.tell(Topic::Visit, v.id);
        Ok(())
    }
}
