//! Written estimates for who pays alone, as they were given.

use crate::documents::{Doc, EstimateLine};
use crate::rows::WrittenEstimate;
use crate::schema::written_estimates as w;
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use std::collections::HashMap;
use uuid::Uuid;

/// The estimates of a person, the newest first.
pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<WrittenEstimate>> {
    Ok(w::table
        .filter(w::person_id.eq(person))
        .order((w::made_at.desc(), w::id.desc()))
        .select(WrittenEstimate::as_select())
        .load(conn)
        .await?)
}

/// What the latest estimate of each of these visits came to, in cents.
pub async fn of_visits(conn: &mut Conn, visits: &[Uuid]) -> Result<HashMap<Uuid, i64>> {
    let rows: Vec<(Option<Uuid>, i64)> = w::table
        .filter(w::visit_id.eq_any(visits))
        .order(w::made_at)
        .select((w::visit_id, w::total_cents))
        .load(conn)
        .await?;
    Ok(rows.into_iter().filter_map(|(visit, cents)| Some((visit?, cents))).collect())
}

/// The paper of one of a person's estimates.
pub async fn paper(conn: &mut Conn, person: Uuid, id: Uuid) -> Result<Vec<u8>> {
    let own = w::table.filter(w::id.eq(id).and(w::person_id.eq(person)));
    own.select(w::paper).first(conn).await.optional()?.ok_or(StoreError::NotFound("estimate"))
}

/// An estimate as it is given.
#[derive(Debug, Clone)]
pub struct NewEstimate {
    pub id: Uuid,
    pub person: Uuid,
    pub visit: Option<Uuid>,
    pub day: Option<NaiveDate>,
    pub reason: String,
    pub lines: Vec<EstimateLine>,
    pub total_cents: i64,
    pub paper: Vec<u8>,
}

impl Change<'_> {
    pub async fn give_estimate(&mut self, new: NewEstimate) -> Result<WrittenEstimate> {
        let (now, by) = (self.now, self.actor.name.clone());
        let row = diesel::insert_into(w::table)
            .values((
                w::id.eq(new.id),
                w::person_id.eq(new.person),
                w::visit_id.eq(new.visit),
                w::day.eq(new.day),
                w::reason.eq(new.reason),
                w::lines.eq(Doc(new.lines)),
                w::total_cents.eq(new.total_cents),
                w::made_at.eq(now),
                w::made_by.eq(by),
                w::paper.eq(new.paper),
            ))
            .returning(WrittenEstimate::as_returning())
            .get_result(self.conn())
            .await?;
        self.audit("gave a written estimate", "person", new.person, Some(new.person), "");
        self.tell(Topic::Person, new.person);
        if let Some(visit) = new.visit {
            self.tell(Topic::Visit, visit);
        }
        Ok(row)
    }
}
