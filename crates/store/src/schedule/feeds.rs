//! A clinician's days as a calendar with an unguessable address, of which only the hash is kept.

use crate::rows::{Staff, Visit};
use crate::schema::{calendar_feeds, staff, visits};
use crate::{Change, Conn, Result};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::schedule::VisitKind;
use sha2::{Digest, Sha256};
use uuid::Uuid;

fn hash(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}

/// Whose feed it is; nothing for an address that ended or never was.
pub async fn owner(conn: &mut Conn, token: &str) -> Result<Option<Staff>> {
    use calendar_feeds as f;
    Ok(f::table
        .inner_join(staff::table.on(staff::id.eq(f::staff_id)))
        .filter(f::token_hash.eq(hash(token)).and(f::ended_at.is_null()).and(staff::active.eq(true)))
        .select(Staff::as_select())
        .first(conn)
        .await
        .optional()?)
}

/// The visits of a clinician within some days.
pub async fn visits_between(conn: &mut Conn, clinician: Uuid, from: NaiveDate, to: NaiveDate) -> Result<Vec<Visit>> {
    Ok(visits::table
        .filter(visits::clinician_id.eq(clinician).and(visits::day.between(from, to)))
        .filter(
            visits::stage.ne("cancelled").and(visits::rebook.eq(false)).and(visits::kind.ne(VisitKind::Charge.code())),
        )
        .order((visits::starts_at, visits::id))
        .select(Visit::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    /// Ends the address that a clinician had, and remembers a new one, if any.
    pub async fn set_feed(&mut self, staff_id: Uuid, token: Option<&str>) -> Result<()> {
        use calendar_feeds as f;
        let now = self.now;
        diesel::update(f::table.filter(f::staff_id.eq(staff_id).and(f::ended_at.is_null())))
            .set(f::ended_at.eq(now))
            .execute(self.conn())
            .await?;
        if let Some(token) = token {
            diesel::insert_into(f::table)
                .values((f::token_hash.eq(hash(token)), f::staff_id.eq(staff_id), f::made_at.eq(now)))
                .execute(self.conn())
                .await?;
        }
        self.audit(if token.is_some() { "made" } else { "ended" }, "calendar feed", staff_id, None, "");
        Ok(())
    }
}
