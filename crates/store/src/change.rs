//! One change: a transaction with its audit rows and its tidings.

use crate::audit::{self, Look};
use crate::{Borrowed, Conn, Result, StoreError};
use chrono::{DateTime, Utc};
use diesel_async::{AnsiTransactionManager, RunQueryDsl, TransactionManager};
use serde_json::json;
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

/// A transaction that is open. Dropped without [`Change::commit`], it leaves nothing behind.
pub struct Change<'a> {
    conn: Borrowed<'a>,
    pub actor: Actor,
    pub now: DateTime<Utc>,
    audits: Vec<Look>,
    tidings: Vec<String>,
}

/// A part of a change that may fail without the rest.
#[must_use = "a part is kept or dropped"]
pub struct Part {
    audits: usize,
}

/// The channel that servers listen on.
pub const CHANNEL: &str = "harbor";

impl<'a> Change<'a> {
    pub(crate) async fn begin(mut conn: Borrowed<'a>, actor: &Actor, now: DateTime<Utc>) -> Result<Change<'a>> {
        AnsiTransactionManager::begin_transaction(&mut *conn).await?;
        Ok(Change { conn, actor: actor.clone(), now, audits: vec![], tidings: vec![] })
    }

    pub fn conn(&mut self) -> &mut Conn {
        &mut self.conn
    }

    /// Records what was done, to what, for whom.
    pub fn audit(
        &mut self,
        action: &str,
        entity: &str,
        entity_id: Uuid,
        person_id: Option<Uuid>,
        detail: impl Into<String>,
    ) {
        self.audits.push(Look {
            action: action.to_owned(),
            entity: entity.to_owned(),
            entity_id: Some(entity_id),
            person_id,
            detail: detail.into(),
        });
    }

    /// Tells other screens that something of this topic changed.
    pub fn tell(&mut self, topic: &str, id: Uuid) {
        let tiding = json!({ "topic": topic, "id": id }).to_string();
        if !self.tidings.contains(&tiding) {
            self.tidings.push(tiding);
        }
    }

    /// Writes audit and tidings and makes the change true.
    pub async fn commit(mut self) -> Result<()> {
        if self.audits.is_empty() {
            return Err(StoreError::refused("unaudited", "A change must say what it did."));
        }
        let looks = std::mem::take(&mut self.audits);
        audit::append(&mut self.conn, &self.actor, self.now, &looks).await?;
        for tiding in std::mem::take(&mut self.tidings) {
            diesel::sql_query("select pg_notify($1, $2)")
                .bind::<diesel::sql_types::Text, _>(CHANNEL)
                .bind::<diesel::sql_types::Text, _>(tiding)
                .execute(&mut *self.conn)
                .await?;
        }
        AnsiTransactionManager::commit_transaction(&mut *self.conn).await?;
        Ok(())
    }

    /// Begins a part that may fail alone (a savepoint); it ends with [`Change::keep_part`] or
    /// [`Change::drop_part`].
    pub async fn begin_part(&mut self) -> Result<Part> {
        AnsiTransactionManager::begin_transaction(&mut *self.conn).await?;
        Ok(Part { audits: self.audits.len() })
    }

    pub async fn keep_part(&mut self, _: Part) -> Result<()> {
        AnsiTransactionManager::commit_transaction(&mut *self.conn).await?;
        Ok(())
    }

    /// Takes the part back, with what it would have recorded.
    pub async fn drop_part(&mut self, part: Part) -> Result<()> {
        AnsiTransactionManager::rollback_transaction(&mut *self.conn).await?;
        self.audits.truncate(part.audits);
        Ok(())
    }

    /// Takes everything back at once.
    pub async fn abandon(mut self) -> Result<()> {
        AnsiTransactionManager::rollback_transaction(&mut *self.conn).await?;
        Ok(())
    }
}
