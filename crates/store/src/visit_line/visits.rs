//! Visits: reading them, and who pays for one.

mod about;
mod marks;

pub use marks::marks_of;

use crate::coverage::{self, kept};
use crate::rows::{NOT_LIVE, Visit, VisitType};
use crate::schema::{self_pay_told, visit_types, visits};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::schedule::VisitKind;
use harbor_core::visit_line::{Mark, Reached};
use std::collections::HashMap;
use uuid::Uuid;

pub async fn many(conn: &mut Conn, ids: &[Uuid]) -> Result<HashMap<Uuid, Visit>> {
    let rows: Vec<Visit> = visits::table.filter(visits::id.eq_any(ids)).select(Visit::as_select()).load(conn).await?;
    Ok(rows.into_iter().map(|v| (v.id, v)).collect())
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Visit> {
    visits::table.find(id).select(Visit::as_select()).first(conn).await.optional()?.ok_or(StoreError::NotFound("visit"))
}

/// That somebody comes: a charge that stands alone takes nobody's time and is counted among no visits.
pub(crate) fn somebody_comes() -> diesel::dsl::NotEq<visits::kind, &'static str> {
    visits::kind.ne(VisitKind::Charge.code())
}

/// The visits of a day, without the charges that stand alone.
pub async fn of_day(conn: &mut Conn, day: NaiveDate) -> Result<Vec<Visit>> {
    let mut rows = charged_on(conn, day).await?;
    rows.retain(|v| !v.is_charge_alone());
    Ok(rows)
}

/// The visits of a day and the charges without a visit.
pub async fn charged_on(conn: &mut Conn, day: NaiveDate) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::day.eq(day))
        .order((visits::starts_at, visits::id))
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

/// The visits of some people on a day, and their charges without a visit.
pub async fn of_day_and_people(conn: &mut Conn, day: NaiveDate, people: &[Uuid]) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::day.eq(day).and(visits::person_id.eq_any(people)))
        .order((visits::starts_at, visits::id))
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

/// The visits of a person, the newest first, 200 of them.
pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::person_id.eq(person).and(somebody_comes()))
        .order(visits::starts_at.desc())
        .limit(200)
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

/// The visit before this one in which the same person was seen.
pub async fn before(conn: &mut Conn, visit: &Visit) -> Result<Option<Visit>> {
    Ok(visits::table
        .filter(visits::person_id.eq(visit.person_id).and(visits::starts_at.lt(visit.starts_at)))
        .filter(visits::stage.eq_any(["ready_to_leave", "left"]).and(somebody_comes()))
        .order((visits::starts_at.desc(), visits::id))
        .select(Visit::as_select())
        .first(conn)
        .await
        .optional()?)
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

/// Visits of earlier days whose line is not at its end, the newest 400: what is more than that stands in the lists of
/// billing.
pub async fn unfinished_before(conn: &mut Conn, today: NaiveDate) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::day.lt(today).and(visits::settled.eq(false)))
        .filter(visits::stage.ne_all(NOT_LIVE))
        .order((visits::starts_at.desc(), visits::id))
        .limit(400)
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

/// A clinician's visits of earlier days that were seen and wait for their note or charges, however old and however
/// many: a task never disappears because there are many.
pub async fn uncharged_before(conn: &mut Conn, clinician: Uuid, today: NaiveDate) -> Result<Vec<Visit>> {
    use crate::schema::visit_marks as m;
    let reached = |mark: &'static str| m::table.filter(m::visit_id.eq(visits::id).and(m::mark.eq(mark)));
    Ok(visits::table
        .filter(visits::day.lt(today).and(visits::settled.eq(false)).and(visits::clinician_id.eq(clinician)))
        .filter(visits::stage.ne_all(NOT_LIVE))
        .filter(diesel::dsl::exists(reached("seen")).and(diesel::dsl::not(diesel::dsl::exists(reached("charged")))))
        .order((visits::starts_at, visits::id))
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

/// When and by whom it was told that payment is due at a visit.
pub async fn self_pay_told(conn: &mut Conn, id: Uuid) -> Result<Option<Reached>> {
    let row: Option<(DateTime<Utc>, String)> =
        self_pay_told::table.find(id).select((self_pay_told::at, self_pay_told::by)).first(conn).await.optional()?;
    Ok(row.map(|(at, by)| Reached { at, by }))
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

    /// Locks a visit of which it can still be said who pays.
    pub async fn visit_to_pay_for(&mut self, id: Uuid) -> Result<Visit> {
        let visit = self.lock_visit(id).await?;
        if self.has_reached(id, Mark::Charged).await? {
            return Err(StoreError::refused("charged", "The charges are completed; correct the claim instead."));
        }
        Ok(visit)
    }

    /// The patient was told that payment is due at this visit.
    pub async fn tell_self_pay(&mut self, id: Uuid) -> Result<()> {
        use self_pay_told as s;
        let visit = self.visit_to_pay_for(id).await?;
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::insert_into(s::table)
            .values((s::visit_id.eq(id), s::at.eq(now), s::by.eq(by)))
            .on_conflict_do_nothing()
            .execute(self.conn())
            .await?;
        self.audit("told that payment is due at the visit", "visit", id, Some(visit.person_id), "self-pay");
        self.set_payer_of_visit(id, None, true, visit.accident_date).await
    }

    /// The visit is not the patient's alone to pay.
    pub async fn take_self_pay_back(&mut self, id: Uuid) -> Result<()> {
        let visit = self.visit_to_pay_for(id).await?;
        if kept::kept(self.conn(), id).await?.is_some() {
            let sentence = "The patient keeps this visit from the plan; say first that they no longer do.";
            return Err(StoreError::refused("kept-from-plan", sentence));
        }
        diesel::delete(self_pay_told::table.find(id)).execute(self.conn()).await?;
        self.audit("took self-pay back", "visit", id, Some(visit.person_id), "");
        // Once checked in, the policy that counts on the day is the visit's.
        let counts = coverage::counting_for(self.conn(), &visit).await?;
        let policy = if self.has_reached(id, Mark::CheckedIn).await? { counts } else { None };
        self.set_payer_of_visit(id, policy, false, visit.accident_date).await
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
        self.tell(Topic::Visit, id);
        Ok(())
    }
}
