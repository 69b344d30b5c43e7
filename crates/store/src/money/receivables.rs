//! Receivables: what is open, summed up for the report, and the visits behind each figure.

use super::open_debts::{COLUMNS, OpenDebt};
use crate::{Conn, Result};
use chrono::NaiveDate;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::receivables::{AgedFrom, OpenSum, OwedBy};
use uuid::Uuid;

/// Whose row a sum is in: a payer's, a guarantor's, a clinician's or a site's id; nothing where it is of none.
pub type Key = Option<Uuid>;

fn day_of(from: AgedFrom) -> &'static str {
    match from {
        AgedFrom::Service => "service_day",
        AgedFrom::Owed => "owed_day",
        AgedFrom::LastEntry => "last_day",
    }
}

/// The column of the key, and which accounts the report is over.
fn key_of(by: OwedBy) -> (&'static str, &'static str) {
    match by {
        OwedBy::Payer => ("payer_id", "account = 'payer'"),
        OwedBy::Guarantor => ("guarantor_id", "account = 'patient'"),
        OwedBy::Clinician => ("clinician_id", "true"),
        OwedBy::Site => ("site_id", "true"),
    }
}

#[derive(diesel::QueryableByName)]
struct Sum {
    #[diesel(sql_type = sql_types::Nullable<sql_types::Uuid>)]
    key: Key,
    #[diesel(sql_type = sql_types::Date)]
    day: NaiveDate,
    #[diesel(sql_type = sql_types::BigInt)]
    owed: i64,
    #[diesel(sql_type = sql_types::BigInt)]
    ahead: i64,
}

/// What is open by key and day.
pub async fn sums(conn: &mut Conn, by: OwedBy, from: AgedFrom) -> Result<Vec<OpenSum<Key>>> {
    let ((key, over), day) = (key_of(by), day_of(from));
    let text = format!(
        "select {key} as key, {day} as day, sum(greatest(cents, 0))::bigint as owed, sum(least(cents, 0))::bigint as ahead
         from standing_debts where {over} group by 1, 2"
    );
    let rows: Vec<Sum> = diesel::sql_query(text).load(conn).await?;
    let sum = |s: Sum| OpenSum { key: s.key, day: s.day, owed: Cents::new(s.owed), ahead: Cents::new(s.ahead) };
    Ok(rows.into_iter().map(sum).collect())
}

/// Which of the debts are looked at: of one key, and on these days; what was paid ahead stands apart from what is owed.
#[derive(Debug, Clone)]
pub struct Within {
    pub by: OwedBy,
    pub from: AgedFrom,
    pub key: Key,
    /// After this day, and up to that one.
    pub after: Option<NaiveDate>,
    pub until: Option<NaiveDate>,
    pub ahead: bool,
}

/// The debts behind a figure, the oldest first, at most so many.
pub async fn within(conn: &mut Conn, w: &Within, limit: i64) -> Result<Vec<OpenDebt>> {
    let ((key, over), day) = (key_of(w.by), day_of(w.from));
    let sign = if w.ahead { "<" } else { ">" };
    let text = format!(
        "select {COLUMNS} from standing_debts
         where {over} and cents {sign} 0 and {key} is not distinct from $1
           and ($2 is null or {day} > $2) and ($3 is null or {day} <= $3)
         order by {day}, id limit $4"
    );
    Ok(diesel::sql_query(text)
        .bind::<sql_types::Nullable<sql_types::Uuid>, _>(w.key)
        .bind::<sql_types::Nullable<sql_types::Date>, _>(w.after)
        .bind::<sql_types::Nullable<sql_types::Date>, _>(w.until)
        .bind::<sql_types::BigInt, _>(limit)
        .load(conn)
        .await?)
}
