//! Visits: reading them, and moving through the building.

use crate::rows::{Visit, VisitType};
use crate::schema::{visit_types, visits};
use crate::{Change, Conn, Result, StoreError};
use chrono::{NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::{MoveRefusal, Stage};
use std::collections::HashMap;
use uuid::Uuid;

pub async fn many(conn: &mut Conn, ids: &[Uuid]) -> Result<HashMap<Uuid, Visit>> {
    let rows: Vec<Visit> = visits::table.filter(visits::id.eq_any(ids)).select(Visit::as_select()).load(conn).await?;
    Ok(rows.into_iter().map(|v| (v.id, v)).collect())
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Visit> {
    visits::table.find(id).select(Visit::as_select()).first(conn).await.optional()?.ok_or(StoreError::NotFound("visit"))
}

pub async fn of_day(conn: &mut Conn, day: NaiveDate) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::day.eq(day))
        .order((visits::starts_at, visits::id))
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

/// The visits of some people on a day.
pub async fn of_day_and_people(conn: &mut Conn, day: NaiveDate, people: &[Uuid]) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::day.eq(day).and(visits::person_id.eq_any(people)))
        .order((visits::starts_at, visits::id))
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::person_id.eq(person))
        .order(visits::starts_at.desc())
        .limit(200)
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

/// The next visit ahead of each of these people.
pub async fn next_of(conn: &mut Conn, people: &[Uuid], now: chrono::DateTime<Utc>) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::person_id.eq_any(people).and(visits::starts_at.gt(now)).and(visits::stage.eq("booked")))
        .order((visits::person_id, visits::starts_at))
        .distinct_on(visits::person_id)
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

/// Visits up to a day whose line is not at its end: what the homes of the roles are made of.
pub async fn unfinished(conn: &mut Conn, until: NaiveDate, since: NaiveDate) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::day.le(until).and(visits::day.ge(since)).and(visits::settled_at.is_null()))
        .filter(visits::stage.ne_all(crate::booking::NOT_LIVE))
        .order((visits::starts_at, visits::id))
        .limit(400)
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

pub async fn visit_type(conn: &mut Conn, id: Uuid) -> Result<VisitType> {
    visit_types::table
        .find(id)
        .select(VisitType::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("visit type"))
}

impl Change<'_> {
    /// Locks a visit for the rest of the change.
    pub async fn lock_visit(&mut self, id: Uuid) -> Result<Visit> {
        visits::table
            .find(id)
            .for_update()
            .select(Visit::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("visit"))
    }

    /// Moves a patient to another stage; marks of the line that this reaches or takes back follow.
    pub async fn move_visit(&mut self, id: Uuid, to: Stage, room: Option<Uuid>) -> Result<Visit> {
        let mut visit = self.lock_visit(id).await?;
        let from = Stage::from_code(&visit.stage).ok_or(StoreError::NotFound("stage"))?;
        let refuse = |r: MoveRefusal| StoreError::refused("stage", r.to_string());
        if from == to && (room.is_none() || room == visit.room_id) {
            return Ok(visit);
        }
        let changes_room = from == to && to == Stage::InRoom;
        if !changes_room {
            from.may_become(to).map_err(refuse)?;
        }
        if to == Stage::InRoom && room.or(visit.room_id).is_none() {
            return Err(refuse(MoveRefusal::NeedsRoom));
        }
        let (now, by) = (self.now, self.actor.name.clone());
        let back = from.previous() == Some(to);
        let set = |at: &mut Option<chrono::DateTime<Utc>>, who: &mut Option<String>| {
            *at = Some(now);
            *who = Some(by.clone());
        };
        let clear = |at: &mut Option<chrono::DateTime<Utc>>, who: &mut Option<String>| (*at, *who) = (None, None);
        if back {
            match from {
                Stage::Here => clear(&mut visit.here_at, &mut visit.here_by),
                Stage::CheckedIn => clear(&mut visit.checked_in_at, &mut visit.checked_in_by),
                Stage::InRoom => {
                    clear(&mut visit.roomed_at, &mut visit.roomed_by);
                    visit.room_id = None;
                }
                Stage::WithClinician => clear(&mut visit.seen_at, &mut visit.seen_by),
                Stage::Left => clear(&mut visit.left_at, &mut visit.left_by),
                _ => {}
            }
        } else {
            match to {
                Stage::Here => set(&mut visit.here_at, &mut visit.here_by),
                Stage::CheckedIn => {
                    if visit.here_at.is_none() {
                        set(&mut visit.here_at, &mut visit.here_by);
                    }
                    set(&mut visit.checked_in_at, &mut visit.checked_in_by);
                }
                Stage::InRoom => set(&mut visit.roomed_at, &mut visit.roomed_by),
                Stage::WithClinician => set(&mut visit.seen_at, &mut visit.seen_by),
                Stage::Left | Stage::LeftUnseen => set(&mut visit.left_at, &mut visit.left_by),
                _ => {}
            }
        }
        if to == Stage::InRoom && room.is_some() {
            visit.room_id = room;
        }
        if matches!(to, Stage::Left | Stage::LeftUnseen) {
            visit.room_id = None;
        }
        visit.stage = to.code().into();
        visit.stage_at = now;
        self.store_marks(&mut visit).await?;
        self.audit("moved", "visit", id, Some(visit.person_id), format!("{} → {}", from.label(), to.label()));
        Ok(visit)
    }

    /// Check-in may be finished while the patient is already in a room.
    pub async fn finish_check_in(&mut self, id: Uuid) -> Result<Visit> {
        let visit = self.lock_visit(id).await?;
        let stage = Stage::from_code(&visit.stage).ok_or(StoreError::NotFound("stage"))?;
        if visit.checked_in_at.is_some() {
            return Ok(visit);
        }
        if matches!(stage, Stage::Here | Stage::Booked) {
            return self.move_visit(id, Stage::CheckedIn, None).await;
        }
        if !stage.is_present() {
            return Err(StoreError::refused("stage", format!("The visit is {}.", stage.label().to_lowercase())));
        }
        let mut visit = visit;
        visit.checked_in_at = Some(self.now);
        visit.checked_in_by = Some(self.actor.name.clone());
        self.store_marks(&mut visit).await?;
        self.audit("checked in", "visit", id, Some(visit.person_id), "after rooming");
        Ok(visit)
    }

    /// Writes stage, room and the marks of a locked visit.
    async fn store_marks(&mut self, v: &mut Visit) -> Result<()> {
        use visits as t;
        v.version += 1;
        diesel::update(t::table.find(v.id))
            .set((
                t::stage.eq(&v.stage),
                t::stage_at.eq(v.stage_at),
                t::room_id.eq(v.room_id),
                (t::here_at.eq(v.here_at), t::here_by.eq(&v.here_by)),
                (t::checked_in_at.eq(v.checked_in_at), t::checked_in_by.eq(&v.checked_in_by)),
                (t::roomed_at.eq(v.roomed_at), t::roomed_by.eq(&v.roomed_by)),
                (t::seen_at.eq(v.seen_at), t::seen_by.eq(&v.seen_by)),
                (t::left_at.eq(v.left_at), t::left_by.eq(&v.left_by)),
                t::version.eq(v.version),
            ))
            .execute(self.conn())
            .await?;
        self.tell("visit", v.id);
        Ok(())
    }

    /// Who pays for this visit: a policy, or the patient alone.
    pub async fn set_payer_of_visit(
        &mut self,
        id: Uuid,
        coverage: Option<Uuid>,
        self_pay: bool,
        accident: Option<NaiveDate>,
    ) -> Result<()> {
        use visits as t;
        let person = diesel::update(t::table.find(id))
            .set((t::coverage_id.eq(coverage), t::self_pay.eq(self_pay), t::accident_date.eq(accident)))
            .returning(t::person_id)
            .get_result::<Uuid>(self.conn())
            .await?;
        self.audit("set payer", "visit", id, Some(person), if self_pay { "self-pay" } else { "policy" });
        self.tell("visit", id);
        Ok(())
    }

    pub(crate) async fn mark_signed(&mut self, id: Uuid) -> Result<()> {
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::update(visits::table.find(id))
            .set((visits::signed_at.eq(now), visits::signed_by.eq(by)))
            .execute(self.conn())
            .await?;
        Ok(())
    }

    pub(crate) async fn mark_charged(&mut self, id: Uuid) -> Result<()> {
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::update(visits::table.find(id))
            .set((visits::charged_at.eq(now), visits::charged_by.eq(by)))
            .execute(self.conn())
            .await?;
        Ok(())
    }

    pub(crate) async fn mark_claimed(&mut self, id: Uuid, claimed: bool) -> Result<()> {
        let (at, by) = if claimed { (Some(self.now), Some(self.actor.name.clone())) } else { (None, None) };
        diesel::update(visits::table.find(id))
            .set((visits::claimed_at.eq(at), visits::claimed_by.eq(by)))
            .execute(self.conn())
            .await?;
        Ok(())
    }
}
