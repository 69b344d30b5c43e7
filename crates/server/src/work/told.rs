//! Messages to patients: handed over, and what became of them.

use super::{accepted, hand_over};
use crate::problem::Problem;
use crate::state::State;
use harbor_core::people::messages::Fate;
use harbor_store::jobs::Job;
use harbor_store::people::messages;
use harbor_store::{Actor, Change, StoreError};
use serde_json::{Value, json};

pub(super) async fn send(state: &State, job: &Job) -> anyhow::Result<()> {
    let message = messages::get(&mut *state.store.reader().await?, job.subject).await?;
    if message.state != Fate::Waiting {
        return Ok(());
    }
    let reference = message.id.to_string();
    let body = json!({
        "reference": reference, "channel": message.channel, "to": message.reach, "subject": message.subject,
        "body": message.body,
    });
    let answer = hand_over(state, "/messages", "application/json", body.to_string()).await?;
    accepted(&answer, &reference)?;
    let sent = async |change: &mut Change<'_>| {
        if !change.message_became(message.id, Fate::Sent, "").await? {
            change.give_up();
        }
        Ok(())
    };
    state.store.change(&Actor::system("messages"), state.now(), sent).await
}

/// Takes the word about one message; about one that is not ours, or that has arrived, nothing is done.
pub(super) async fn take_fate(state: &State, content: &str) -> Result<(), Problem> {
    let unreadable = || Problem::refused("unreadable", "The word about a message cannot be read.");
    let said: Value = serde_json::from_str(content).map_err(|_| unreadable())?;
    let id = said["reference"].as_str().and_then(|r| r.parse().ok()).ok_or_else(unreadable)?;
    let fate = said["fate"].as_str().and_then(Fate::from_code);
    let fate = fate.filter(|f| matches!(f, Fate::Delivered | Fate::Failed | Fate::Bounced)).ok_or_else(unreadable)?;
    let became = async |change: &mut Change<'_>| {
        if !change.message_became(id, fate, said["why"].as_str().unwrap_or("")).await? {
            change.give_up();
        }
        Ok(())
    };
    match state.store.change(&Actor::system("messages"), state.now(), became).await {
        Ok(()) | Err(StoreError::NotFound(_)) => Ok(()),
        Err(other) => Err(other.into()),
    }
}
