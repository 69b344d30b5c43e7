//! Orders: those of a visit, of a person, those that wait. How they are made and move on is in [`making`].

pub mod again;
pub mod hands;
pub mod making;
pub mod results;

use crate::codes::Code;
use crate::rows::*;
use crate::schema::{order_diagnoses, orders};
use crate::{Conn, Result, StoreError};
use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::{Bool, Text};
use diesel_async::RunQueryDsl;
use harbor_core::orders::{OrderKind, OrderState};
use std::collections::HashSet;
use uuid::Uuid;

pub async fn of_visits(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<Order>> {
    Ok(orders::table
        .filter(orders::visit_id.eq_any(visits).and(orders::state.ne("cancelled")))
        .order(orders::id)
        .select(Order::as_select())
        .load(conn)
        .await?)
}

/// Orders of a visit that were sent and then taken back; they stay readable, with why.
pub async fn taken_back_of(conn: &mut Conn, visit: Uuid) -> Result<Vec<Order>> {
    let taken_back = orders::state.eq("cancelled").and(orders::state_reason.ne(""));
    Ok(orders::table
        .filter(orders::visit_id.eq(visit).and(taken_back))
        .order(orders::id)
        .select(Order::as_select())
        .load(conn)
        .await?)
}

/// Most of a list of open orders; how many there are is told beside it.
pub const LISTED: i64 = 200;

/// Which of the open orders.
#[derive(Debug, Clone, Default)]
pub struct OpenOf {
    pub orderer: Option<Uuid>,
    pub kind: Option<OrderKind>,
    /// A part of the name of who is asked: another laboratory, a place for studies, a colleague; empty for all.
    pub to_whom: String,
}

/// Orders that somebody still waits for, the oldest first, with their people, and how many there are; of one orderer or of
/// all.
pub async fn open(conn: &mut Conn, of: &OpenOf) -> Result<(Vec<(Order, Person)>, i64)> {
    use crate::schema::people;
    // Written out and not bound, so that the index of the open ones serves.
    let open = OrderState::OPEN.map(|s| format!("'{}'", s.code())).join(", ");
    let is_open = || sql::<Bool>(&format!("orders.state in ({open})"));
    let mut some = orders::table.inner_join(people::table.on(people::id.eq(orders::person_id))).into_boxed();
    let mut all = orders::table.into_boxed();
    if let Some(orderer) = of.orderer {
        some = some.filter(orders::orderer_id.eq(orderer));
        all = all.filter(orders::orderer_id.eq(orderer));
    }
    if let Some(kind) = of.kind {
        some = some.filter(orders::kind.eq(Code(kind)));
        all = all.filter(orders::kind.eq(Code(kind)));
    }
    if !of.to_whom.is_empty() {
        let literally = of.to_whom.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_");
        let asks = || sql::<Bool>("orders.request ->> 'toWhom' ilike ").bind::<Text, _>(format!("%{literally}%"));
        some = some.filter(asks());
        all = all.filter(asks());
    }
    let count = all.filter(is_open()).count().get_result(conn).await?;
    let listed = some
        .filter(is_open())
        .order(orders::ordered_at)
        .limit(LISTED)
        .select((Order::as_select(), Person::as_select()))
        .load(conn)
        .await?;
    Ok((listed, count))
}

pub async fn links(conn: &mut Conn, orders: &[Uuid]) -> Result<Vec<OrderDiagnosis>> {
    use order_diagnoses as d;
    Ok(d::table
        .filter(d::order_id.eq_any(orders))
        .order((d::order_id, d::code))
        .select(OrderDiagnosis::as_select())
        .load(conn)
        .await?)
}

/// Orders that lie under a diagnosis, of these visits.
pub async fn placed_in(conn: &mut Conn, visits: &[Uuid]) -> Result<HashSet<Uuid>> {
    use order_diagnoses as d;
    let placed = d::table.filter(d::visit_id.eq_any(visits)).select(d::order_id);
    Ok(placed.load(conn).await?.into_iter().collect())
}

/// Orders that stand under a clinician's name and are not signed, and those whose orderer has left the clinic, which
/// otherwise nobody would see; the oldest first, with their people.
pub async fn to_sign(conn: &mut Conn, clinician: Uuid) -> Result<Vec<(Order, Person)>> {
    use crate::schema::people;
    Ok(orders::table
        .inner_join(people::table.on(people::id.eq(orders::person_id)))
        // Written out and not bound, so that the index of the drafts serves.
        .filter(sql::<Bool>("orders.state = 'draft'"))
        .filter(orders::orderer_id.eq(clinician).or(orders::orderer_id.eq_any(
            crate::schema::staff::table.filter(crate::schema::staff::active.eq(false)).select(crate::schema::staff::id),
        )))
        .order(orders::ordered_at)
        .limit(LISTED)
        .select((Order::as_select(), Person::as_select()))
        .load(conn)
        .await?)
}

/// Orders of a person without a visit: what is not signed, and the last that were, the newest first.
pub async fn beside_visits(conn: &mut Conn, person: Uuid) -> Result<Vec<Order>> {
    let theirs = orders::person_id.eq(person).and(orders::visit_id.is_null());
    Ok(orders::table
        .filter(theirs.and(orders::state.ne("cancelled").or(orders::state_reason.ne(""))))
        .order(orders::ordered_at.desc())
        .limit(50)
        .select(Order::as_select())
        .load(conn)
        .await?)
}

pub async fn order(conn: &mut Conn, id: Uuid) -> Result<Order> {
    orders::table.find(id).select(Order::as_select()).first(conn).await.optional()?.ok_or(StoreError::NotFound("order"))
}

pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<Order>> {
    Ok(orders::table
        .filter(orders::person_id.eq(person).and(orders::state.ne("cancelled")))
        .order(orders::ordered_at.desc())
        .limit(100)
        .select(Order::as_select())
        .load(conn)
        .await?)
}

/// Orders of one requisition, in the order they were made.
pub async fn of_requisition(conn: &mut Conn, requisition: &str) -> Result<Vec<Order>> {
    Ok(orders::table
        .filter(orders::requisition.eq(requisition))
        .order(orders::id)
        .select(Order::as_select())
        .load(conn)
        .await?)
}
