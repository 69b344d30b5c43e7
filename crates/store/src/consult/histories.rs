//! Family, social, surgical and hospital history, immunisations: each entry a row for every version, and none is ever
//! changed.

use crate::documents::{Doc, HistoryDetail};
use crate::rows::History;
use crate::schema::histories as h;
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// What holds of a person: the last version of each entry, without those that ended.
pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<History>> {
    let mut rows = last_of_each(conn, person).await?;
    rows.retain(|r| r.ended.is_none());
    rows.sort_by_key(|r| (r.kind, r.entry_id));
    Ok(rows)
}

/// What no longer holds, the last that ended first.
pub async fn ended_of(conn: &mut Conn, person: Uuid) -> Result<Vec<History>> {
    let mut rows = last_of_each(conn, person).await?;
    rows.retain(|r| r.ended.is_some());
    rows.sort_by_key(|r| std::cmp::Reverse(r.recorded_at));
    Ok(rows)
}

async fn last_of_each(conn: &mut Conn, person: Uuid) -> Result<Vec<History>> {
    Ok(h::table
        .filter(h::person_id.eq(person))
        .distinct_on(h::entry_id)
        .order((h::entry_id, h::version.desc()))
        .select(History::as_select())
        .load(conn)
        .await?)
}
/// All that an entry ever said, the newest first.
pub async fn versions(conn: &mut Conn, person: Uuid, entry: Uuid) -> Result<Vec<History>> {
    Ok(h::table
        .filter(h::entry_id.eq(entry).and(h::person_id.eq(person)))
        .order(h::version.desc())
        .select(History::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    /// Puts an entry down that stands beside the others.
    pub async fn add_history(&mut self, person: Uuid, visit: Option<Uuid>, detail: HistoryDetail) -> Result<History> {
        let id = Uuid::now_v7();
        let row = History {
            id,
            entry_id: id,
            version: 1,
            person_id: person,
            visit_id: visit,
            kind: detail.kind().into(),
            detail: Doc(detail),
            ended: None,
            recorded_at: self.now,
            recorded_by: self.actor.name.clone(),
        };
        diesel::insert_into(h::table).values(&row).execute(self.conn()).await?;
        self.audit("recorded", "history", id, Some(person), row.kind.code());
        self.tell(Topic::Person, person);
        Ok(row)
    }

    /// Ends an entry for a reason, or, without one, takes its end back.
    pub async fn end_history(&mut self, person: Uuid, entry: Uuid, reason: Option<&str>) -> Result<History> {
        let last = versions(self.conn(), person, entry).await?.into_iter().next();
        let last = last.ok_or(StoreError::NotFound("history"))?;
        if last.ended.is_some() == reason.is_some() {
            return Err(StoreError::refused("history", "This was done already; look again."));
        }
        let now = History { ended: reason.map(str::to_owned), ..last };
        let what = if reason.is_some() { "ended" } else { "took back the end of" };
        self.next_version(now, what, reason.unwrap_or_default()).await
    }

    /// Says an entry anew; one that ended stays ended.
    pub async fn set_history(&mut self, last: History, detail: HistoryDetail) -> Result<History> {
        if last.ended.is_some() {
            return Err(StoreError::refused("history", "This has ended; take the end back first."));
        }
        if last.detail.0 == detail {
            return Ok(last);
        }
        let kind = last.kind.code();
        self.next_version(History { detail: Doc(detail), ..last }, "changed", kind).await
    }

    /// Puts down what an entry says now, after what it said last.
    async fn next_version(&mut self, now: History, what: &str, about: &str) -> Result<History> {
        let row = History {
            id: Uuid::now_v7(),
            version: now.version + 1,
            recorded_at: self.now,
            recorded_by: self.actor.name.clone(),
            ..now
        };
        // Two hands at once: the second finds the version taken.
        let n = diesel::insert_into(h::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?;
        if n == 0 {
            return Err(StoreError::Stale { current: serde_json::to_value(row.entry_id).unwrap_or_default() });
        }
        self.audit(what, "history", row.entry_id, Some(row.person_id), about);
        self.tell(Topic::Person, row.person_id);
        Ok(row)
    }
}
