//! Tills: what should lie in the open one, and those that were counted.

use crate::rows::{Payment, Till};
use crate::schema::{payment_means, payments, tills};
use crate::{Conn, Result, StoreError};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::ledger::{Method, till};
use harbor_core::money::Cents;
use uuid::Uuid;

pub async fn open_at(conn: &mut Conn, site: Uuid) -> Result<Option<Till>> {
    let open = tills::table.filter(tills::site_id.eq(site).and(tills::closed_at.is_null()));
    Ok(open.select(Till::as_select()).first(conn).await.optional()?)
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Till> {
    let found = tills::table.find(id).select(Till::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("till"))
}

/// The closed tills of a site, the newest first.
pub async fn closed_at(conn: &mut Conn, site: Uuid) -> Result<Vec<Till>> {
    let closed = tills::table.filter(tills::site_id.eq(site).and(tills::closed_at.is_not_null()));
    Ok(closed.order(tills::closed_at.desc()).limit(30).select(Till::as_select()).load(conn).await?)
}

/// What moved in a till, in its order.
pub async fn movements(conn: &mut Conn, till: Uuid) -> Result<Vec<Payment>> {
    let moved = payments::table.filter(payments::till_id.eq(till)).order((payments::at, payments::id));
    Ok(moved.select(Payment::as_select()).load(conn).await?)
}

/// What each means should come to in a till.
pub async fn expected(conn: &mut Conn, row: &Till) -> Result<Vec<(Method, Cents)>> {
    use payment_means as m;
    let moved: Vec<(String, i64)> = m::table
        .inner_join(payments::table.on(payments::id.eq(m::payment_id)))
        .filter(payments::till_id.eq(row.id))
        .select((m::method, m::cents))
        .load(conn)
        .await?;
    let moved: Vec<(Method, Cents)> =
        moved.iter().filter_map(|(method, cents)| Some((Method::from_code(method)?, Cents::new(*cents)))).collect();
    Ok(till::expected(Cents::new(row.opening_cents), &moved))
}
