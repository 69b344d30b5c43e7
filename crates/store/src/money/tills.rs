//! Tills: what should lie in the open one, and those that were counted.

use crate::documents::{ByMeans, Doc};
use crate::money::ledger::About;
use crate::rows::{Payment, Till};
use crate::schema::{payment_means, payments, sites, tills};
use crate::{Change, Conn, Result, StoreError, Topic, codes};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::ledger::{Method, Posting};
use harbor_core::money::till::Counted;
use harbor_core::money::{Cents, till};
use uuid::Uuid;

pub async fn open_at(conn: &mut Conn, site: Uuid) -> Result<Option<Till>> {
    let open = tills::table.filter(tills::site_id.eq(site).and(tills::closed_at.is_null()));
    Ok(open.select(Till::as_select()).first(conn).await.optional()?)
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Till> {
    let found = tills::table.find(id).select(Till::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("till"))
}

/// Open tills that began before a time, with the names of their sites.
pub async fn open_since_before(conn: &mut Conn, before: DateTime<Utc>) -> Result<Vec<(Till, String)>> {
    let left_open = tills::table
        .inner_join(sites::table.on(sites::id.eq(tills::site_id)))
        .filter(tills::closed_at.is_null().and(tills::began_at.lt(before)));
    Ok(left_open.order(tills::began_at).select((Till::as_select(), sites::name)).load(conn).await?)
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
    let moved: Vec<(codes::Method, i64)> = m::table
        .inner_join(payments::table.on(payments::id.eq(m::payment_id)))
        .filter(payments::till_id.eq(row.id))
        .select((m::method, m::cents))
        .load(conn)
        .await?;
    let moved: Vec<(Method, Cents)> = moved.iter().map(|(method, cents)| (**method, Cents::new(*cents))).collect();
    Ok(till::expected(Cents::new(row.opening_cents), &moved))
}

impl Change<'_> {
    /// The open till of a site, made when there is none; held until the change ends, so that it is not closed
    /// meanwhile.
    pub async fn open_till(&mut self, site: Uuid) -> Result<Till> {
        let id = Uuid::now_v7();
        diesel::insert_into(tills::table)
            .values((tills::id.eq(id), tills::site_id.eq(site), tills::began_at.eq(self.now), tills::reason.eq("")))
            .on_conflict_do_nothing()
            .execute(self.conn())
            .await?;
        let open = tills::table.filter(tills::site_id.eq(site).and(tills::closed_at.is_null())).for_update();
        open.select(Till::as_select()).first(self.conn()).await.optional()?.ok_or(StoreError::NotFound("till"))
    }

    /// Begins a till with the cash that was counted in it.
    pub async fn count_opening(&mut self, site: Uuid, cash: Cents) -> Result<Till> {
        let till = self.open_till(site).await?;
        if till.opened_at.is_some() {
            return Err(StoreError::refused("till", "This till is opened already."));
        }
        let (now, by) = (self.now, self.actor.name.clone());
        let row = diesel::update(tills::table.find(till.id))
            .set((tills::opening_cents.eq(cash.get()), tills::opened_at.eq(now), tills::opened_by.eq(by)))
            .returning(Till::as_returning())
            .get_result(self.conn())
            .await?;
        self.audit("opened", "till", till.id, None, cash.to_string());
        self.tell(Topic::Till, till.id);
        Ok(row)
    }

    /// Closes the open till of a site as it was counted.
    pub async fn close_till(
        &mut self,
        site: Uuid,
        counted: &[(Method, Option<Cents>)],
        reason: &str,
        stays: Cents,
    ) -> Result<Till> {
        let open = self.open_till(site).await?;
        let counts: Vec<Counted> = expected(self.conn(), &open)
            .await?
            .iter()
            .map(|(method, should)| {
                let has = counted.iter().find(|(m, _)| m == method).and_then(|(_, c)| *c);
                Counted { method: *method, expected: *should, counted: has }
            })
            .collect();
        till::close(&counts, reason, stays).map_err(|r| StoreError::refused("till", r.to_string()))?;
        let by_means = |of: fn(&Counted) -> Cents| -> Doc<ByMeans> {
            Doc(counts.iter().map(|c| (c.method.into(), of(c).get())).collect())
        };
        let (now, by) = (self.now, self.actor.name.clone());
        let row = diesel::update(tills::table.find(open.id))
            .set((
                (tills::closed_at.eq(now), tills::closed_by.eq(by), tills::reason.eq(reason)),
                tills::expected.eq(by_means(|c| c.expected)),
                tills::counted.eq(by_means(|c| c.counted.unwrap_or(Cents::ZERO))),
                tills::stays_cents.eq(stays.get()),
            ))
            .returning(Till::as_returning())
            .get_result(self.conn())
            .await?;
        if let Some(moved) = till::differences(&counts).map_err(|r| StoreError::refused("till", r.to_string()))? {
            let about = About { ..About::new(Posting::Till, format!("till:{}", open.id), reason.to_owned()) };
            self.post(&about, &moved).await?;
        }
        let off: Cents = counts.iter().map(Counted::difference).sum();
        self.audit("closed", "till", open.id, None, format!("differs by {off}. {reason}"));
        self.tell(Topic::Till, open.id);
        Ok(row)
    }
}
