//! Shifts, slots and visit types.

use crate::rows::{Shift, Slot, VisitType};
use crate::schema::{shifts, slots, visit_types, visits};
use crate::{Conn, Result, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

pub async fn visit_types(conn: &mut Conn) -> Result<Vec<VisitType>> {
    Ok(visit_types::table.order(visit_types::sort).select(VisitType::as_select()).load(conn).await?)
}

pub async fn shifts(conn: &mut Conn, from: DateTime<Utc>, to: DateTime<Utc>) -> Result<Vec<Shift>> {
    Ok(shifts::table
        .filter(shifts::starts_at.lt(to).and(shifts::ends_at.gt(from)).and(shifts::cancelled_at.is_null()))
        .order(shifts::starts_at)
        .select(Shift::as_select())
        .load(conn)
        .await?)
}

pub async fn slots(conn: &mut Conn, from: DateTime<Utc>, to: DateTime<Utc>) -> Result<Vec<Slot>> {
    Ok(slots::table
        .inner_join(shifts::table)
        .filter(slots::starts_at.lt(to).and(slots::ends_at.gt(from)).and(shifts::cancelled_at.is_null()))
        .order(slots::starts_at)
        .select(Slot::as_select())
        .load(conn)
        .await?)
}

pub async fn slot(conn: &mut Conn, id: Uuid) -> Result<(Slot, Shift)> {
    slots::table
        .inner_join(shifts::table)
        .filter(slots::id.eq(id))
        .select((Slot::as_select(), Shift::as_select()))
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("slot"))
}

/// What is asked of open times.
#[derive(Debug, Clone, Default)]
pub struct OpenTimes {
    pub from: DateTime<Utc>,
    pub to: Option<DateTime<Utc>>,
    pub visit_type: Option<Uuid>,
    pub clinician: Option<Uuid>,
    pub site: Option<Uuid>,
    pub limit: i64,
}

/// Slots that nobody has, nor holds, soonest first.
pub async fn open_slots(conn: &mut Conn, asked: &OpenTimes) -> Result<Vec<Slot>> {
    let taken = visits::table
        .filter(visits::stage.ne_all(["cancelled", "did_not_come", "left_unseen"]))
        .filter(visits::clinician_id.eq(slots::clinician_id))
        .filter(visits::starts_at.lt(slots::ends_at).and(visits::ends_at.gt(slots::starts_at)))
        // No visit is longer than its type may be; the lower bound lets the index find the few in question.
        .filter(diesel::dsl::sql::<diesel::sql_types::Bool>("visits.starts_at > slots.starts_at - interval '8 hours'"))
        .select(visits::id);
    let mut query = slots::table
        .inner_join(shifts::table)
        .filter(slots::ends_at.gt(asked.from).and(slots::held_for.is_null()).and(shifts::cancelled_at.is_null()))
        .filter(diesel::dsl::not(diesel::dsl::exists(taken)))
        .order((slots::starts_at, slots::clinician_id))
        .limit(asked.limit.clamp(1, 200))
        .select(Slot::as_select())
        .into_boxed();
    if let Some(to) = asked.to {
        query = query.filter(slots::starts_at.lt(to));
    }
    if let Some(kind) = asked.visit_type {
        query = query.filter(slots::visit_type_id.eq(kind));
    }
    if let Some(clinician) = asked.clinician {
        query = query.filter(slots::clinician_id.eq(clinician));
    }
    if let Some(site) = asked.site {
        query = query.filter(shifts::site_id.eq(site));
    }
    Ok(query.load(conn).await?)
}
