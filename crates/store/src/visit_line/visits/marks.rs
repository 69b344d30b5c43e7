//! The marks that visits have reached.

use crate::rows::{Visit, VisitMark};
use crate::schema::{visit_marks as m, visits};
use crate::{Change, Conn, Result};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::visit_line::{Mark, Marks, Reached};
use std::collections::HashMap;
use uuid::Uuid;

/// The marks of these visits.
pub async fn marks_of(conn: &mut Conn, visits: &[Uuid]) -> Result<HashMap<Uuid, Marks>> {
    let rows: Vec<VisitMark> =
        m::table.filter(m::visit_id.eq_any(visits)).select(VisitMark::as_select()).load(conn).await?;
    let mut found: HashMap<Uuid, Marks> = HashMap::new();
    for row in rows {
        found.entry(row.visit_id).or_default().set(*row.mark, Some(Reached { at: row.at, by: row.by }));
    }
    Ok(found)
}

impl Change<'_> {
    /// Writes a visit that begins; it is booked from this moment on.
    pub(crate) async fn insert_visit(&mut self, visit: &Visit) -> Result<()> {
        diesel::insert_into(visits::table).values(visit).execute(self.conn()).await?;
        self.reach_now(visit.id, Mark::Booked).await
    }

    pub async fn marks_of_visit(&mut self, visit: Uuid) -> Result<Marks> {
        Ok(marks_of(self.conn(), &[visit]).await?.remove(&visit).unwrap_or_default())
    }

    pub async fn has_reached(&mut self, visit: Uuid, mark: Mark) -> Result<bool> {
        Ok(self.marks_of_visit(visit).await?.has(mark))
    }

    /// Reaches a mark; one that was reached before is reached anew.
    pub(crate) async fn reach(&mut self, visit: Uuid, mark: Mark, reached: Reached) -> Result<()> {
        let row = VisitMark { visit_id: visit, mark: mark.into(), at: reached.at, by: reached.by };
        diesel::insert_into(m::table)
            .values(&row)
            .on_conflict((m::visit_id, m::mark))
            .do_update()
            .set((m::at.eq(row.at), m::by.eq(&row.by)))
            .execute(self.conn())
            .await?;
        Ok(())
    }

    /// Reaches a mark now, by whoever makes the change.
    pub(crate) async fn reach_now(&mut self, visit: Uuid, mark: Mark) -> Result<()> {
        let reached = Reached { at: self.now, by: self.actor.name.clone() };
        self.reach(visit, mark, reached).await
    }

    pub(crate) async fn take_back(&mut self, visit: Uuid, mark: Mark) -> Result<()> {
        diesel::delete(m::table.filter(m::visit_id.eq(visit).and(m::mark.eq(mark.code()))))
            .execute(self.conn())
            .await?;
        Ok(())
    }
}
