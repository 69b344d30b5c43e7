//! Who reads the results of somebody who is away.

use crate::rows::StandIn;
use crate::schema::stand_ins;
use crate::{Change, Conn, Result};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// Who stands in for somebody, also when that is over or to come.
pub async fn of(conn: &mut Conn, staff: Uuid) -> Result<Option<StandIn>> {
    Ok(stand_ins::table.find(staff).select(StandIn::as_select()).first(conn).await.optional()?)
}

/// Whose results somebody reads on a day besides their own: of whom they stand in for, and of those for whom any clinician does.
async fn read_by(conn: &mut Conn, reader: Uuid, day: NaiveDate) -> Result<Vec<Uuid>> {
    use stand_ins as s;
    let holds = s::from_day.le(day).and(s::to_day.ge(day)).and(s::staff_id.ne(reader));
    Ok(s::table
        .filter(holds.and(s::deputy_id.eq(reader).or(s::deputy_id.is_null())))
        .select(s::staff_id)
        .load(conn)
        .await?)
}

/// Whose results are somebody's to read on a day: their own first.
pub async fn readers(conn: &mut Conn, reader: Uuid, day: NaiveDate) -> Result<Vec<Uuid>> {
    let mut all = vec![reader];
    all.extend(read_by(conn, reader, day).await?);
    Ok(all)
}

impl Change<'_> {
    /// Says who reads somebody's results while they are away, instead of what was said before; nothing ends it.
    pub async fn let_stand_in(&mut self, staff: Uuid, stand_in: Option<StandIn>) -> Result<()> {
        use stand_ins as s;
        self.alone_at("stand-in", &staff.to_string()).await?;
        diesel::delete(s::table.find(staff)).execute(self.conn()).await?;
        let detail = match &stand_in {
            Some(row) => {
                diesel::insert_into(s::table).values(row).execute(self.conn()).await?;
                format!("{} to {}", row.from_day, row.to_day)
            }
            None => "ended".to_owned(),
        };
        self.audit("stand-in", "staff", staff, None, detail);
        self.tell(crate::Topic::Result, staff);
        Ok(())
    }
}
