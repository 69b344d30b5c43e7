//! What is open, with who stands for it now: read from what the database keeps beside the ledger.

use super::accounts::records_of;
use crate::{Conn, Result};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use uuid::Uuid;

/// One debt: of a payer for a visit, or of a guarantor for a visit or for none. Below zero where it was paid ahead.
#[derive(Debug, Clone, QueryableByName)]
pub struct OpenDebt {
    #[diesel(sql_type = sql_types::Text)]
    pub account: String,
    #[diesel(sql_type = sql_types::Nullable<sql_types::Uuid>)]
    pub visit_id: Option<Uuid>,
    /// The patient.
    #[diesel(sql_type = sql_types::Nullable<sql_types::Uuid>)]
    pub person_id: Option<Uuid>,
    #[diesel(sql_type = sql_types::Nullable<sql_types::Uuid>)]
    pub payer_id: Option<Uuid>,
    #[diesel(sql_type = sql_types::Nullable<sql_types::Uuid>)]
    pub guarantor_id: Option<Uuid>,
    #[diesel(sql_type = sql_types::Date)]
    pub service_day: NaiveDate,
    #[diesel(sql_type = sql_types::Date)]
    pub owed_day: NaiveDate,
    #[diesel(sql_type = sql_types::Date)]
    pub last_day: NaiveDate,
    #[diesel(sql_type = sql_types::BigInt)]
    cents: i64,
}

impl OpenDebt {
    pub fn cents(&self) -> Cents {
        Cents::new(self.cents)
    }
}

pub(super) const COLUMNS: &str =
    "account, visit_id, person_id, payer_id, guarantor_id, service_day, owed_day, last_day, cents";

/// What guarantors owe, the oldest first.
pub async fn of_guarantors(conn: &mut Conn, guarantors: &[Uuid]) -> Result<Vec<OpenDebt>> {
    let records: Vec<Uuid> = records_of(conn, guarantors).await?.into_iter().map(|(record, _)| record).collect();
    let text = format!(
        "select {COLUMNS} from standing_debts where account = 'patient' and guarantor_record = any($1)
         order by service_day, id"
    );
    Ok(diesel::sql_query(text).bind::<sql_types::Array<sql_types::Uuid>, _>(records).load(conn).await?)
}

/// Everybody who owes something in all, and everything of each.
pub async fn of_all_guarantors(conn: &mut Conn) -> Result<Vec<OpenDebt>> {
    let text = format!(
        "select {COLUMNS} from standing_debts where account = 'patient' and guarantor_id in
             (select guarantor_id from standing_debts where account = 'patient' group by 1 having sum(cents) > 0)
         order by guarantor_id, service_day, id"
    );
    Ok(diesel::sql_query(text).load(conn).await?)
}

/// The visits among these of which a payer still owes something.
pub async fn payers_decide(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<Uuid>> {
    use crate::schema::open_debts as o;
    let found: Vec<Option<Uuid>> = o::table
        .filter(o::visit_id.eq_any(visits).and(o::account.eq("payer")).and(o::cents.gt(0)))
        .select(o::visit_id)
        .distinct()
        .load(conn)
        .await?;
    Ok(found.into_iter().flatten().collect())
}
