//! Balances from before this ledger.

use super::ledger::About;
use crate::people::imports::taken_back_key;
use crate::schema::ledger_transactions as t;
use crate::{Change, Result, StoreError};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::ledger::Posting;
use harbor_core::money::payments::carried_over;
use std::collections::{HashMap, HashSet};
use uuid::Uuid;

/// What somebody owed, or was owed when below zero, before this ledger.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CarriedOver {
    /// The same key comes in once, until it is taken back.
    pub key: String,
    pub person: Uuid,
    pub amount: Cents,
    pub since: DateTime<Utc>,
    pub memo: String,
}

impl Change<'_> {
    /// Carries balances over, in the order given; gives the transaction of each, and nothing for one that came in before.
    pub async fn carry_over_all(&mut self, all: &[CarriedOver]) -> Result<Vec<Option<Uuid>>> {
        let keys = self.free_keys(all.iter().map(|c| c.key.as_str()).collect()).await?;
        let mut postings = Vec::new();
        let mut seen = HashSet::new();
        let mut posts: Vec<bool> = Vec::with_capacity(all.len());
        for c in all {
            let free = keys.get(c.key.as_str()).filter(|_| seen.insert(c.key.as_str()));
            posts.push(free.is_some());
            if let Some(key) = free {
                let transaction = carried_over(c.amount).map_err(|e| StoreError::refused("balance", e.to_string()))?;
                let about = About {
                    person: Some(c.person),
                    since: Some(c.since),
                    ..About::new(Posting::CarriedOver, key.clone(), c.memo.clone())
                };
                postings.push((about, transaction));
            }
        }
        let mut done = match postings.is_empty() {
            true => vec![],
            false => self.post_all(&postings.iter().map(|(a, t)| (a, t)).collect::<Vec<_>>()).await?,
        }
        .into_iter();
        Ok(posts.into_iter().map(|posted| if posted { done.next() } else { None }).collect())
    }

    /// The key under which each of these may be posted; one that stands already has none. What was taken back with its
    /// import may come in again, under a key of its own.
    async fn free_keys<'k>(&mut self, keys: Vec<&'k str>) -> Result<HashMap<&'k str, String>> {
        let mut free = HashMap::new();
        let mut open = keys;
        let mut round = 1;
        while !open.is_empty() {
            let named = |key: &str| match round {
                1 => format!("carried_over:{key}"),
                n => format!("carried_over:{key}#{n}"),
            };
            let wanted: Vec<String> = open.iter().map(|key| named(key)).collect();
            let posted: HashMap<String, Uuid> = t::table
                .filter(t::idempotency_key.eq_any(&wanted))
                .select((t::idempotency_key, t::id))
                .load::<(String, Uuid)>(self.conn())
                .await?
                .into_iter()
                .collect();
            let back: Vec<String> = posted.values().map(|id| taken_back_key(*id)).collect();
            let back: HashSet<String> = t::table
                .filter(t::idempotency_key.eq_any(back))
                .select(t::idempotency_key)
                .load::<String>(self.conn())
                .await?
                .into_iter()
                .collect();
            let mut again = Vec::new();
            for (key, name) in open.into_iter().zip(wanted) {
                match posted.get(&name) {
                    None => {
                        free.insert(key, name);
                    }
                    Some(id) if back.contains(&taken_back_key(*id)) => again.push(key),
                    Some(_) => {}
                }
            }
            open = again;
            round += 1;
        }
        Ok(free)
    }
}
