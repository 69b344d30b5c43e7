//! One change: a transaction with its audit rows and its tidings.

use crate::audit::{self, Actor, Look};
use crate::codes::Code;
use crate::tidings::{self, Tiding};
use crate::topic::Topic;
use crate::{Borrowed, Conn, Result, StoreError};
use chrono::{DateTime, NaiveDate, Utc};
use diesel_async::{AnsiTransactionManager, RunQueryDsl, TransactionManager};
use serde_json::json;
use std::collections::HashSet;
use uuid::Uuid;

/// A transaction that is open; [`crate::Store::change`] ends it. Dropped before, it leaves nothing behind.
pub struct Change<'a> {
    conn: Borrowed<'a>,
    pub actor: Actor,
    pub now: DateTime<Utc>,
    id: Uuid,
    audits: Vec<Look>,
    told: Vec<(Topic, Uuid)>,
    told_already: HashSet<(Topic, Uuid)>,
    /// Days on which visits lay before.
    left: Vec<(Uuid, NaiveDate)>,
    given_up: bool,
    trial: bool,
}

/// A change that tells more than this tells screens to look at everything again: they do so in one go.
const MOST_TOLD: usize = 200;

/// The channel that servers listen on.
pub const CHANNEL: &str = "harbor";

impl<'a> Change<'a> {
    pub(crate) async fn begin(mut conn: Borrowed<'a>, actor: &Actor, now: DateTime<Utc>) -> Result<Change<'a>> {
        AnsiTransactionManager::begin_transaction(&mut *conn).await?;
        let (audits, told, left) = (vec![], vec![], vec![]);
        Ok(Change {
            conn,
            actor: actor.clone(),
            now,
            id: Uuid::now_v7(),
            audits,
            told,
            told_already: HashSet::new(),
            left,
            given_up: false,
            trial: false,
        })
    }

    pub fn conn(&mut self) -> &mut Conn {
        &mut self.conn
    }

    /// Holds everybody else who changes the same thing back until this change ends, where no row of it is there to lock.
    pub(crate) async fn alone_at(&mut self, what: &str, which: &str) -> Result<()> {
        diesel::sql_query("select pg_advisory_xact_lock(hashtext($1), hashtext($2))")
            .bind::<diesel::sql_types::Text, _>(what)
            .bind::<diesel::sql_types::Text, _>(which)
            .execute(self.conn())
            .await?;
        Ok(())
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
    pub fn tell(&mut self, topic: Topic, id: Uuid) {
        if self.told_already.insert((topic, id)) {
            self.told.push((topic, id));
        }
    }

    /// Tells that a visit changed, and that it lay on this day before.
    pub fn tell_moved(&mut self, visit: Uuid, from: NaiveDate) {
        self.tell(Topic::Visit, visit);
        self.left.push((visit, from));
    }

    /// Ends the change without any effect, although nothing went wrong: a dry run, or nothing was to be done.
    pub fn give_up(&mut self) {
        self.given_up = true;
    }

    /// From now on the change is only tried: it ends without any effect, and uses up no number on the way.
    pub fn on_trial(&mut self) {
        self.trial = true;
        self.given_up = true;
    }

    pub fn is_trial(&self) -> bool {
        self.trial
    }

    /// What was told, with whose it is and where it shows.
    async fn tidings(&mut self) -> Result<Vec<Tiding>> {
        if self.told.len() > MOST_TOLD {
            // What wakes work or ends a stream is no screen's to look at again: it is told all the same.
            self.told.retain(|(topic, _)| matches!(topic, Topic::Job | Topic::Session));
            self.told.push((Topic::Everything, Uuid::nil()));
        }
        let visits: Vec<Uuid> = self.told.iter().filter(|(t, _)| *t == Topic::Visit).map(|(_, id)| *id).collect();
        let about = tidings::about_visits(&mut self.conn, &visits).await?;
        let tiding = |(topic, id): &(Topic, Uuid)| {
            let visit = about.iter().find(|(v, ..)| v == id && *topic == Topic::Visit);
            let before = self.left.iter().filter(|(v, _)| v == id).map(|(_, day)| *day);
            let mut days: Vec<NaiveDate> = visit.map(|(.., day)| *day).into_iter().chain(before).collect();
            days.sort();
            days.dedup();
            let person = if *topic == Topic::Person { Some(*id) } else { visit.map(|(_, person, _)| *person) };
            Tiding { topic: Code(*topic), id: *id, person, days, change: self.id }
        };
        Ok(self.told.iter().map(tiding).collect())
    }

    /// Writes audit and tidings and makes the change true.
    async fn write(&mut self) -> Result<Vec<Tiding>> {
        if self.audits.is_empty() {
            return Err(StoreError::refused("unaudited", "A change must say what it did."));
        }
        let looks = std::mem::take(&mut self.audits);
        audit::append(&mut self.conn, &self.actor, self.now, &looks).await?;
        let tidings = self.tidings().await?;
        for tiding in &tidings {
            tidings::notify(&mut self.conn, &json!(tiding).to_string()).await?;
        }
        Ok(tidings)
    }

    pub(crate) async fn finish(mut self) -> Result<()> {
        if self.given_up {
            self.roll_back().await;
            return Ok(());
        }
        match self.write().await {
            Ok(tidings) => {
                // A commit that fails has rolled back by itself.
                AnsiTransactionManager::commit_transaction(&mut *self.conn).await?;
                tidings::pass_on(tidings);
                Ok(())
            }
            Err(error) => {
                self.roll_back().await;
                Err(error)
            }
        }
    }

    /// Takes everything back, so that the next one finds the connection whole. One that cannot even do that is broken, and
    /// the pool throws it away.
    pub(crate) async fn roll_back(mut self) {
        if let Err(error) = AnsiTransactionManager::rollback_transaction(&mut *self.conn).await {
            tracing::debug!(%error, "a change was not rolled back");
        }
    }

    /// A part that may be refused alone (a savepoint): what it did and would have recorded goes, the rest stays.
    pub async fn part<T, R, E: From<StoreError>>(
        &mut self,
        work: impl AsyncFnOnce(&mut Change<'a>) -> Result<Result<T, R>, E>,
    ) -> Result<Result<T, R>, E> {
        AnsiTransactionManager::begin_transaction(&mut *self.conn).await.map_err(StoreError::from)?;
        let (audits, told) = (self.audits.len(), self.told.len());
        let done = match work(self).await {
            Ok(done) => done,
            Err(refused) => {
                // The whole change is refused: its own end finds one transaction to roll back, not two.
                AnsiTransactionManager::rollback_transaction(&mut *self.conn).await.map_err(StoreError::from)?;
                return Err(refused);
            }
        };
        let ended = match &done {
            Ok(_) => AnsiTransactionManager::commit_transaction(&mut *self.conn).await,
            Err(_) => {
                self.audits.truncate(audits);
                for gone in self.told.drain(told..) {
                    self.told_already.remove(&gone);
                }
                AnsiTransactionManager::rollback_transaction(&mut *self.conn).await
            }
        };
        ended.map_err(StoreError::from)?;
        Ok(done)
    }
}
