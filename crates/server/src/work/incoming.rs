//! Looks for what has come from the partners.

use super::{
    approvals::take_decision,
    clearing_house::{set_aside, take_file},
    laboratory::{take_report, take_reports},
    outside,
    pharmacy::take_word,
    told,
};
use crate::problem::Problem;
use crate::state::State;
use harbor_store::{Actor, Change, StoreError};
use serde_json::Value;
use std::collections::VecDeque;
use std::time::Duration;

/// Looks every second for reports, acknowledgements and remittances that have come.
pub async fn poll_outside(state: State) {
    if state.settings.outside_url.is_none() {
        return;
    }
    let (mut reports, mut files, mut fates) = (0usize, 0usize, 0usize);
    let (mut words, mut decisions) = (0usize, 0usize);
    loop {
        // A partner that is down is asked again a second later; nothing is lost meanwhile.
        let _ = fetch(&state, "/laboratory/reports", &mut reports, Incoming::Report).await;
        let _ = fetch(&state, "/exchange/files", &mut files, Incoming::File).await;
        let _ = fetch(&state, "/messages/fates", &mut fates, Incoming::Fate).await;
        let _ = fetch(&state, "/pharmacy/words", &mut words, Incoming::Word).await;
        let _ = fetch(&state, "/payer/decisions", &mut decisions, Incoming::Decision).await;
        tokio::time::sleep(Duration::from_millis(700)).await;
    }
}

/// Keeps what cannot be used of what is not billing's to see to.
async fn keep_unused(state: &State, content: &str, found: Problem) -> anyhow::Result<()> {
    let aside = async |change: &mut Change<'_>| {
        let (id, _) = change.keep_document("refused", "in", content.as_bytes()).await?;
        change.audit("set aside", "document", id, None, found.detail);
        Ok::<_, StoreError>(())
    };
    Ok(state.store.change(&Actor::system("incoming"), state.now(), aside).await?)
}

/// So many reports are filed in one change.
const TOGETHER: usize = 25;

#[derive(Clone, Copy)]
enum Incoming {
    Report,
    File,
    Fate,
    Word,
    Decision,
}

async fn fetch(state: &State, path: &str, after: &mut usize, kind: Incoming) -> anyhow::Result<()> {
    let url = format!("{}{path}?after={after}", outside(state)?);
    let answer: Value = state.http.get(url).send().await?.json().await?;
    let all = answer.as_array().into_iter().flatten();
    let items: Vec<(u64, &str)> = all.filter_map(|i| Some((i["number"].as_u64()?, i["content"].as_str()?))).collect();
    let mut together: VecDeque<Result<(), Problem>> = VecDeque::new();
    for (at, (number, content)) in items.iter().copied().enumerate() {
        if matches!(kind, Incoming::Report) && together.is_empty() {
            // What came together is filed together; where that does not come about, each alone.
            let some: Vec<&str> = items[at..].iter().take(TOGETHER).map(|(_, content)| *content).collect();
            together = take_reports(state, &some).await.unwrap_or_default().into();
        }
        let taken = match (kind, together.pop_front()) {
            (_, Some(taken)) => taken,
            (Incoming::Report, None) => take_report(state, content).await,
            (Incoming::File, None) => take_file(state, content.as_bytes()).await,
            (Incoming::Fate, None) => told::take_fate(state, content).await,
            (Incoming::Word, None) => take_word(state, content).await,
            (Incoming::Decision, None) => take_decision(state, content).await,
        };
        match taken {
            Ok(()) => *after = usize::try_from(number)?,
            Err(problem) if problem.status == 503 => anyhow::bail!("the database does not answer"),
            Err(problem) => {
                // What cannot be used stays kept byte for byte; it must not hold up what comes after it.
                tracing::warn!(kind = problem.kind, "incoming file set aside");
                match kind {
                    Incoming::File => {
                        set_aside(state, &Actor::system("clearing house"), content.as_bytes(), &problem).await?
                    }
                    _ => keep_unused(state, content, problem).await?,
                }
                *after = usize::try_from(number)?;
            }
        }
    }
    Ok(())
}
