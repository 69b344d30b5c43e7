//! Tables of medicines that a clinic imported, each set counting from a day.

use crate::documents::Doc;
use crate::rows::MedicineTables;
use crate::schema::medicine_tables;
use crate::{Change, Conn, Result};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use std::collections::BTreeMap;
use uuid::Uuid;

/// Which set counts on a day: of those that count by then the latest day's, and of one day the last that was imported.
/// Nothing where the set that ships does.
pub async fn in_force(conn: &mut Conn, day: NaiveDate) -> Result<Option<Uuid>> {
    use medicine_tables as t;
    let by_then = t::table.filter(t::counts_from.le(day)).order((t::counts_from.desc(), t::imported_at.desc()));
    Ok(by_then.select(t::id).first(conn).await.optional()?)
}

/// The files of a set, by their names.
pub async fn files(conn: &mut Conn, id: Uuid) -> Result<BTreeMap<String, String>> {
    let found: Doc<BTreeMap<String, String>> =
        medicine_tables::table.find(id).select(medicine_tables::files).first(conn).await?;
    Ok(found.0)
}

/// How many medicines that are taken now, and drafts that are not signed, are of each of these products.
pub async fn in_use(conn: &mut Conn, products: &[String]) -> Result<Vec<(String, i64)>> {
    #[derive(QueryableByName)]
    struct Used {
        #[diesel(sql_type = diesel::sql_types::Text)]
        product_code: String,
        #[diesel(sql_type = diesel::sql_types::BigInt)]
        times: i64,
    }
    let rows: Vec<Used> = diesel::sql_query(
        "select product_code, count(*) as times from (
             select product_code from medicines where struck_at is null and state = 'taking'
             union all select product_code from prescriptions where state = 'draft') used
         where product_code = any($1) group by product_code order by product_code",
    )
    .bind::<diesel::sql_types::Array<diesel::sql_types::Text>, _>(products)
    .load(conn)
    .await?;
    Ok(rows.into_iter().map(|r| (r.product_code, r.times)).collect())
}

impl Change<'_> {
    /// Keeps a set of tables, to count from a day.
    pub async fn import_medicine_tables(
        &mut self,
        counts_from: NaiveDate,
        files: BTreeMap<String, String>,
    ) -> Result<Uuid> {
        let row = MedicineTables {
            id: Uuid::now_v7(),
            counts_from,
            imported_at: self.now,
            imported_by: self.actor.name.clone(),
            files: Doc(files),
        };
        diesel::insert_into(medicine_tables::table).values(&row).execute(self.conn()).await?;
        self.audit("imported", "tables of medicines", row.id, None, format!("counting from {counts_from}"));
        Ok(row.id)
    }
}
