//! The clinic's own stages between the fixed ones.

use crate::rows::OwnStage as Row;
use crate::schema::{own_stages, visits};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::own_stages::OwnStage;
use harbor_core::schedule::untimed::reordered;
use uuid::Uuid;

/// Those in use, in the clinic's order.
pub async fn all(conn: &mut Conn) -> Result<Vec<Row>> {
    let used = own_stages::table.filter(own_stages::active.eq(true)).order((own_stages::sort, own_stages::id));
    Ok(used.select(Row::as_select()).load(conn).await?)
}

/// As the core knows it; the table allows no other words.
pub fn in_core(row: &Row) -> OwnStage<Uuid> {
    OwnStage { id: row.id, name: row.name.clone(), after: *row.after_stage, place: *row.place, walked: row.walked }
}

impl Change<'_> {
    /// Adds an own stage at the end, or changes one. While somebody is at it, it stays where it is and in use.
    pub async fn save_own_stage(&mut self, row: &Row) -> Result<()> {
        diesel::sql_query("lock table own_stages in share row exclusive mode").execute(self.conn()).await?;
        let used = all(self.conn()).await?;
        if row.active {
            let others: Vec<OwnStage<Uuid>> = used.iter().map(in_core).collect();
            in_core(row).checked(&others).map_err(|r| StoreError::refused("own-stage", r.to_string()))?;
        }
        let old = used.iter().find(|r| r.id == row.id);
        if old.is_some_and(|old| !row.active || old.after_stage != row.after_stage) {
            let at_it: i64 =
                visits::table.filter(visits::own_stage_id.eq(row.id)).count().get_result(self.conn()).await?;
            if at_it > 0 {
                return Err(StoreError::refused("own-stage", "Somebody is at this stage."));
            }
        }
        let last = used.iter().map(|r| r.sort).max().unwrap_or(0);
        let row = Row { sort: old.map_or(last + 1, |r| r.sort), ..row.clone() };
        diesel::insert_into(own_stages::table)
            .values(&row)
            .on_conflict(own_stages::id)
            .do_update()
            .set((
                (own_stages::name.eq(&row.name), own_stages::after_stage.eq(&row.after_stage)),
                (own_stages::place.eq(&row.place), own_stages::walked.eq(row.walked)),
                own_stages::active.eq(row.active),
            ))
            .execute(self.conn())
            .await?;
        self.audit("saved", "own stage", row.id, None, row.name.clone());
        self.tell(Topic::Clinic, row.id);
        Ok(())
    }

    /// Puts an own stage at another place (from 0) of the clinic's order.
    pub async fn reorder_own_stage(&mut self, id: Uuid, to: usize) -> Result<()> {
        diesel::sql_query("lock table own_stages in share row exclusive mode").execute(self.conn()).await?;
        let order: Vec<Uuid> = all(self.conn()).await?.into_iter().map(|r| r.id).collect();
        if !order.contains(&id) {
            return Err(StoreError::NotFound("own stage"));
        }
        for (place, id) in reordered(&order, id, to).into_iter().enumerate() {
            diesel::update(own_stages::table.find(id))
                .set(own_stages::sort.eq(i32::try_from(place).unwrap_or(0)))
                .execute(self.conn())
                .await?;
        }
        self.audit("reordered", "own stages", id, None, "");
        self.tell(Topic::Clinic, id);
        Ok(())
    }
}
