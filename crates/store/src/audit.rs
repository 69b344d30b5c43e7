//! The record of looks and changes: append-only, each row chained to the one before by its hash.

use crate::schema::audit as table;
use crate::{Conn, Result};
use chrono::{DateTime, SecondsFormat, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::LastMove;
use serde::Serialize;
use sha2::{Digest, Sha256};
use utoipa::ToSchema;
use uuid::Uuid;

/// Who acts: a person who works here, or the clinic's own background work.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Actor {
    pub staff_id: Option<Uuid>,
    pub name: String,
}

impl Actor {
    /// Work that goes on by itself.
    pub fn system(name: &str) -> Actor {
        Actor { staff_id: None, name: name.to_owned() }
    }
}

/// One thing to be recorded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Look {
    pub action: String,
    pub entity: String,
    pub entity_id: Option<Uuid>,
    pub person_id: Option<Uuid>,
    pub detail: String,
}

/// A row as it is kept.
#[derive(Debug, Clone, PartialEq, Eq, Queryable, Selectable, Insertable, Serialize, ToSchema)]
#[diesel(table_name = table)]
#[serde(rename_all = "camelCase")]
pub struct AuditRow {
    pub seq: i64,
    pub at: DateTime<Utc>,
    pub staff_id: Option<Uuid>,
    pub staff_name: String,
    pub action: String,
    pub entity: String,
    pub entity_id: Option<Uuid>,
    pub person_id: Option<Uuid>,
    pub detail: String,
    pub previous: String,
    pub hash: String,
}

impl AuditRow {
    /// SHA-256 over the hash before and every field, each with its length, so that no two rows read alike.
    fn expected_hash(&self) -> String {
        let id = |id: Option<Uuid>| id.map(|i| i.to_string()).unwrap_or_default();
        let fields = [
            self.previous.clone(),
            self.seq.to_string(),
            self.at.to_rfc3339_opts(SecondsFormat::Micros, true),
            id(self.staff_id),
            self.staff_name.clone(),
            self.action.clone(),
            self.entity.clone(),
            id(self.entity_id),
            id(self.person_id),
            self.detail.clone(),
        ];
        let mut hash = Sha256::new();
        for field in fields {
            hash.update((field.len() as u64).to_be_bytes());
            hash.update(field.as_bytes());
        }
        hash.finalize().iter().map(|b| format!("{b:02x}")).collect()
    }
}

/// Appends rows to the chain. The advisory lock makes writers queue for the end of the chain only.
pub(crate) async fn append(conn: &mut Conn, actor: &Actor, at: DateTime<Utc>, looks: &[Look]) -> Result<()> {
    diesel::sql_query("select pg_advisory_xact_lock(7201)").execute(conn).await?;
    let last: Option<(i64, String)> =
        table::table.order(table::seq.desc()).select((table::seq, table::hash)).first(conn).await.optional()?;
    let (mut seq, mut previous) = last.unwrap_or_default();
    // PostgreSQL keeps microseconds; the hash must be of what is kept.
    let at = DateTime::from_timestamp_micros(at.timestamp_micros()).unwrap_or(at);
    let mut rows = Vec::with_capacity(looks.len());
    for look in looks {
        seq += 1;
        let mut row = AuditRow {
            seq,
            at,
            staff_id: actor.staff_id,
            staff_name: actor.name.clone(),
            action: look.action.clone(),
            entity: look.entity.clone(),
            entity_id: look.entity_id,
            person_id: look.person_id,
            detail: look.detail.clone(),
            previous: previous.clone(),
            hash: String::new(),
        };
        row.hash = row.expected_hash();
        previous.clone_from(&row.hash);
        rows.push(row);
    }
    for chunk in rows.chunks(1000) {
        diesel::insert_into(table::table).values(chunk).execute(conn).await?;
    }
    Ok(())
}

/// The last row and its hash; nothing while there is none.
pub async fn head(conn: &mut Conn) -> Result<Option<(i64, String)>> {
    Ok(table::table.order(table::seq.desc()).select((table::seq, table::hash)).first(conn).await.optional()?)
}

/// The hash of a row, if it is there.
pub async fn hash_of(conn: &mut Conn, seq: i64) -> Result<Option<String>> {
    Ok(table::table.find(seq).select(table::hash).first(conn).await.optional()?)
}

/// The outcome of walking the chain.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Verdict {
    Sound { rows: i64, last: String },
    Broken { seq: i64, why: &'static str },
}

/// Walks the whole chain and recomputes every hash.
pub async fn verify(conn: &mut Conn) -> Result<Verdict> {
    let (mut after, mut previous) = (0i64, String::new());
    loop {
        let rows: Vec<AuditRow> = table::table
            .filter(table::seq.gt(after))
            .order(table::seq)
            .limit(5000)
            .select(AuditRow::as_select())
            .load(conn)
            .await?;
        if rows.is_empty() {
            return Ok(Verdict::Sound { rows: after, last: previous });
        }
        for row in rows {
            if row.seq != after + 1 {
                return Ok(Verdict::Broken { seq: row.seq, why: "a row before it is missing" });
            }
            if row.previous != previous {
                return Ok(Verdict::Broken { seq: row.seq, why: "it does not follow the row before" });
            }
            if row.expected_hash() != row.hash {
                return Ok(Verdict::Broken { seq: row.seq, why: "its content was changed" });
            }
            after = row.seq;
            previous = row.hash;
        }
    }
}

/// What the record calls a move between stages, the end of check-in, and taking a move back.
pub const MOVED: &str = "moved";
pub const CHECKED_IN: &str = "checked in";
pub const TOOK_BACK: &str = "took back";

/// The last move of a visit between its stages.
pub async fn last_move(conn: &mut Conn, person: Uuid, visit: Uuid) -> Result<Option<LastMove<Uuid>>> {
    let row: Option<AuditRow> = table::table
        .filter(table::person_id.eq(person).and(table::entity.eq("visit")).and(table::entity_id.eq(visit)))
        .filter(table::action.eq_any([MOVED, CHECKED_IN, TOOK_BACK]))
        .order(table::seq.desc())
        .select(AuditRow::as_select())
        .first(conn)
        .await
        .optional()?;
    Ok(row.map(|r| LastMove { by: r.staff_id, name: r.staff_name, back: r.action == TOOK_BACK }))
}

/// Who looked at or changed a person's record, latest first.
pub async fn of_person(conn: &mut Conn, person: Uuid, limit: i64) -> Result<Vec<AuditRow>> {
    Ok(table::table
        .filter(table::person_id.eq(person))
        .order(table::seq.desc())
        .limit(limit)
        .select(AuditRow::as_select())
        .load(conn)
        .await?)
}
