//! Months of the books: their figures from the entries, and closing.

use crate::codes;
use crate::documents::{Doc, MonthFigures};
use crate::rows::ClosedMonth;
use crate::schema::{clinic, closed_months as m, ledger_transactions as t, tills};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::{DateTime, NaiveDate, Utc};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::ledger::Account;
use harbor_core::money::months::{FiguresBy, MonthSums, may_close, month_of, next};
use harbor_core::schedule::at_local;
use std::collections::BTreeMap;
use uuid::Uuid;

pub async fn closed(conn: &mut Conn) -> Result<Vec<ClosedMonth>> {
    Ok(m::table.order(m::month.desc()).select(ClosedMonth::as_select()).load(conn).await?)
}

/// The last month that is closed.
pub async fn last_closed(conn: &mut Conn) -> Result<Option<NaiveDate>> {
    Ok(m::table.select(diesel::dsl::max(m::month)).first(conn).await?)
}

/// The first moment that takes entries; nothing while no month is closed.
pub async fn open_since(conn: &mut Conn) -> Result<Option<DateTime<Utc>>> {
    let Some(month) = last_closed(conn).await? else { return Ok(None) };
    let zone: String = clinic::table.select(clinic::zone).first(conn).await?;
    Ok(zone.parse().ok().map(|zone| start(next(month), zone)))
}

fn start(day: NaiveDate, zone: Tz) -> DateTime<Utc> {
    at_local(zone, day, chrono::NaiveTime::MIN)
}

#[derive(QueryableByName)]
struct Sum {
    #[diesel(sql_type = sql_types::Date)]
    month: NaiveDate,
    #[diesel(sql_type = sql_types::Text)]
    account: codes::Account,
    #[diesel(sql_type = sql_types::BigInt)]
    cents: i64,
}

/// What the entries from a day on came to, month by month.
pub async fn figures(conn: &mut Conn, from: Option<NaiveDate>, zone: Tz) -> Result<BTreeMap<NaiveDate, MonthSums>> {
    let rows: Vec<Sum> = diesel::sql_query(
        "select date_trunc('month', t.posted_at at time zone $2)::date as month, e.account, sum(e.cents)::bigint as cents
         from ledger_entries e join ledger_transactions t on t.id = e.transaction_id
         where $1 is null or t.posted_at >= $1 group by 1, 2",
    )
    .bind::<sql_types::Nullable<sql_types::Timestamptz>, _>(from.map(|day| start(day, zone)))
    .bind::<sql_types::Text, _>(zone.name())
    .load(conn)
    .await?;
    let mut by_month: BTreeMap<NaiveDate, Vec<(Account, Cents)>> = BTreeMap::new();
    for row in rows {
        by_month.entry(row.month).or_default().push((*row.account, Cents::new(row.cents)));
    }
    Ok(by_month.into_iter().map(|(month, sums)| (month, MonthSums::of(sums))).collect())
}

#[derive(QueryableByName)]
struct KeyedSum {
    #[diesel(sql_type = sql_types::Nullable<sql_types::Text>)]
    key: Option<String>,
    #[diesel(sql_type = sql_types::Text)]
    account: codes::Account,
    #[diesel(sql_type = sql_types::BigInt)]
    cents: i64,
}

/// What the entries of some days came to: by day (as its ISO date), or by the id of a clinician, payer or site. What is of none of
/// them has no key.
pub async fn figures_by(
    conn: &mut Conn,
    by: FiguresBy,
    (from, to): (NaiveDate, NaiveDate),
    zone: Tz,
) -> Result<BTreeMap<Option<String>, MonthSums>> {
    let key = match by {
        FiguresBy::Day => "(t.posted_at at time zone $3)::date",
        FiguresBy::Clinician => "v.clinician_id",
        // A decision is of the payer of its claim; a charge of whom it makes owe it.
        FiguresBy::Payer => "coalesce(c.payer_id, e.payer_id)",
        FiguresBy::Site => "v.site_id",
    };
    let text = format!(
        "select ({key})::text as key, e.account, sum(e.cents)::bigint as cents
         from ledger_entries e join ledger_transactions t on t.id = e.transaction_id
         left join visits v on v.id = t.visit_id left join claims c on c.id = t.claim_id
         where t.posted_at >= $1 and t.posted_at < $2 and $3 <> '' group by 1, 2"
    );
    let rows: Vec<KeyedSum> = diesel::sql_query(text)
        .bind::<sql_types::Timestamptz, _>(start(from, zone))
        .bind::<sql_types::Timestamptz, _>(start(to + chrono::Days::new(1), zone))
        .bind::<sql_types::Text, _>(zone.name())
        .load(conn)
        .await?;
    let mut by_key: BTreeMap<Option<String>, Vec<(Account, Cents)>> = BTreeMap::new();
    for row in rows {
        by_key.entry(row.key).or_default().push((*row.account, Cents::new(row.cents)));
    }
    Ok(by_key.into_iter().map(|(key, sums)| (key, MonthSums::of(sums))).collect())
}

impl Change<'_> {
    /// Closes a month with its figures; from then on it takes no entries.
    pub async fn close_month(&mut self, month: NaiveDate, today: NaiveDate, zone: Tz) -> Result<ClosedMonth> {
        // One closes at a time, and nothing is posted meanwhile.
        diesel::sql_query("select pg_advisory_xact_lock(hashtext('closed_months'))").execute(self.conn()).await?;
        let closed = last_closed(self.conn()).await?;
        let first: Option<DateTime<Utc>> = t::table.select(diesel::dsl::min(t::posted_at)).first(self.conn()).await?;
        let first = first.map(|at| at.with_timezone(&zone).date_naive());
        let end = start(next(month_of(month)), zone);
        let open: i64 = tills::table
            .filter(tills::closed_at.is_null().and(tills::opened_at.lt(end)))
            .count()
            .get_result(self.conn())
            .await?;
        may_close(month, today, closed, first, usize::try_from(open).unwrap_or(0))
            .map_err(|e| StoreError::refused("month", e.to_string()))?;
        let figures = figures(self.conn(), Some(month), zone).await?.remove(&month).unwrap_or_default();
        let row = ClosedMonth {
            month,
            closed_at: self.now,
            closed_by: self.actor.name.clone(),
            sums: Doc(MonthFigures::from(figures)),
        };
        diesel::insert_into(m::table).values(&row).execute(self.conn()).await?;
        self.audit("closed", "month", Uuid::nil(), None, month.format("%Y-%m").to_string());
        self.tell(Topic::Owed, Uuid::nil());
        Ok(row)
    }
}
