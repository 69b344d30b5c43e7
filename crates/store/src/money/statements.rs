//! Statements: what was sent to whom, how people want theirs, and the runs that make them.

pub mod gathering;

use crate::jobs::JobKind;
use crate::rows::{StatementRun, StatementSent, StatementWish};
use crate::schema::{confidential_visits as cv, statement_runs as r, statement_wishes as w, statements as s};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use std::collections::HashMap;
use uuid::Uuid;

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<StatementSent> {
    let found = s::table.find(id).select(StatementSent::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("statement"))
}

/// What was sent to somebody, or about what they owe; the newest first.
pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<StatementSent>> {
    let of = s::table.filter(s::guarantor_id.eq(person).or(s::to_person_id.eq(person)));
    Ok(of.order((s::at.desc(), s::id.desc())).limit(50).select(StatementSent::as_select()).load(conn).await?)
}

/// What a run made, in its order.
pub async fn of_run(conn: &mut Conn, run: Uuid) -> Result<Vec<StatementSent>> {
    Ok(s::table.filter(s::run_id.eq(run)).order(s::id).select(StatementSent::as_select()).load(conn).await?)
}

/// How people want their statements; nothing where nobody asked.
pub async fn wishes(conn: &mut Conn, people: &[Uuid]) -> Result<HashMap<Uuid, StatementWish>> {
    let rows: Vec<StatementWish> = w::table
        .filter(w::person_id.eq_any(people))
        .order((w::person_id, w::at.desc(), w::id.desc()))
        .distinct_on(w::person_id)
        .select(StatementWish::as_select())
        .load(conn)
        .await?;
    Ok(rows.into_iter().map(|row| (row.person_id, row)).collect())
}

/// Of these visits, those that stand on nobody else's statement.
pub async fn confidential(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<Uuid>> {
    Ok(cv::table.filter(cv::visit_id.eq_any(visits)).select(cv::visit_id).load(conn).await?)
}

pub async fn run(conn: &mut Conn, id: Uuid) -> Result<StatementRun> {
    let found = r::table.find(id).select(StatementRun::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("run"))
}

/// The newest runs.
pub async fn runs(conn: &mut Conn) -> Result<Vec<StatementRun>> {
    Ok(r::table.order((r::at.desc(), r::id.desc())).limit(20).select(StatementRun::as_select()).load(conn).await?)
}

impl Change<'_> {
    pub async fn wish_statements(&mut self, row: &StatementWish) -> Result<()> {
        diesel::insert_into(w::table).values(row).execute(self.conn()).await?;
        self.audit("set", "statement wishes", row.id, Some(row.person_id), row.held_because.clone());
        self.tell(Topic::Statement, row.person_id);
        Ok(())
    }

    /// A visit stands on nobody else's statement, or does again.
    pub async fn keep_confidential(&mut self, visit: Uuid, confidential: bool) -> Result<()> {
        let person = self.lock_visit(visit).await?.person_id;
        if confidential {
            diesel::insert_into(cv::table)
                .values((cv::visit_id.eq(visit), cv::at.eq(self.now), cv::by.eq(self.actor.name.clone())))
                .on_conflict_do_nothing()
                .execute(self.conn())
                .await?;
        } else {
            diesel::delete(cv::table.find(visit)).execute(self.conn()).await?;
        }
        let said = if confidential { "confidential" } else { "not confidential" };
        self.audit(said, "visit", visit, Some(person), "statements");
        self.tell(Topic::Visit, visit);
        Ok(())
    }

    /// Begins a run: the statements are made by themselves from now on. One at a time.
    pub async fn begin_statements(&mut self, id: Uuid, asked: usize) -> Result<StatementRun> {
        diesel::sql_query("select pg_advisory_xact_lock(hashtext('statement_runs'))").execute(self.conn()).await?;
        if let Some(again) = r::table.find(id).select(StatementRun::as_select()).first(self.conn()).await.optional()? {
            self.give_up();
            return Ok(again);
        }
        let running = r::table.filter(r::ended_at.is_null()).count().get_result::<i64>(self.conn()).await?;
        if running > 0 {
            return Err(StoreError::refused("run", "A run is being made; wait until it has ended."));
        }
        let row = StatementRun {
            id,
            at: self.now,
            by: self.actor.name.clone(),
            asked: i32::try_from(asked).unwrap_or(i32::MAX),
            made: 0,
            passed_over: 0,
            ended_at: None,
        };
        diesel::insert_into(r::table).values(&row).execute(self.conn()).await?;
        self.add_job(JobKind::MakeStatements, id).await?;
        self.audit("began", "statements", id, None, format!("{asked} due"));
        self.tell(Topic::Statement, id);
        Ok(row)
    }

    /// Keeps a statement that was made; it counts for its run.
    pub async fn keep_statement(&mut self, row: &StatementSent) -> Result<()> {
        diesel::insert_into(s::table).values(row).execute(self.conn()).await?;
        self.audit("made", "statement", row.id, Some(row.to_person_id), row.way.label().to_owned());
        self.tell(Topic::Statement, row.to_person_id);
        Ok(())
    }

    /// How far a run has come.
    pub async fn statements_came(&mut self, run: Uuid, made: i32, passed_over: i32) -> Result<()> {
        diesel::update(r::table.find(run))
            .set((r::made.eq(r::made + made), r::passed_over.eq(r::passed_over + passed_over)))
            .execute(self.conn())
            .await?;
        if passed_over > 0 {
            self.audit("passed over", "statements", run, None, "not made");
        }
        self.tell(Topic::Statement, run);
        Ok(())
    }

    pub async fn statements_ended(&mut self, run: Uuid) -> Result<()> {
        diesel::update(r::table.filter(r::id.eq(run).and(r::ended_at.is_null())))
            .set(r::ended_at.eq(self.now))
            .execute(self.conn())
            .await?;
        self.audit("ended", "statements", run, None, String::new());
        self.tell(Topic::Statement, run);
        Ok(())
    }

    /// Keeps others from making a statement for the same guarantor meanwhile.
    pub async fn lock_guarantor(&mut self, guarantor: Uuid) -> Result<()> {
        crate::people::lock(self.conn(), guarantor).await
    }
}
