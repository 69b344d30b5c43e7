//! Looks for what has come from the partners.

use super::{clearing_house::take_file, laboratory::take_report, outside, told};
use crate::state::State;
use harbor_store::{Actor, Change, StoreError};
use serde_json::Value;
use std::time::Duration;

/// Looks every second for reports, acknowledgements and remittances that have come.
pub async fn poll_outside(state: State) {
    if state.settings.outside_url.is_none() {
        return;
    }
    let (mut reports, mut files, mut fates) = (0usize, 0usize, 0usize);
    loop {
        // A partner that is down is asked again a second later; nothing is lost meanwhile.
        let _ = fetch(&state, "/laboratory/reports", &mut reports, Incoming::Report).await;
        let _ = fetch(&state, "/exchange/files", &mut files, Incoming::File).await;
        let _ = fetch(&state, "/messages/fates", &mut fates, Incoming::Fate).await;
        tokio::time::sleep(Duration::from_millis(700)).await;
    }
}

#[derive(Clone, Copy)]
enum Incoming {
    Report,
    File,
    Fate,
}

async fn fetch(state: &State, path: &str, after: &mut usize, kind: Incoming) -> anyhow::Result<()> {
    let url = format!("{}{path}?after={after}", outside(state)?);
    let answer: Value = state.http.get(url).send().await?.json().await?;
    for item in answer.as_array().into_iter().flatten() {
        let (Some(number), Some(content)) = (item["number"].as_u64(), item["content"].as_str()) else { continue };
        let taken = match kind {
            Incoming::Report => take_report(state, content).await,
            Incoming::File => take_file(state, content).await,
            Incoming::Fate => told::take_fate(state, content).await,
        };
        match taken {
            Ok(()) => *after = usize::try_from(number)?,
            Err(problem) if problem.status == 503 => anyhow::bail!("the database does not answer"),
            Err(problem) => {
                // What cannot be used stays kept byte for byte; it must not hold up what comes after it.
                tracing::warn!(kind = problem.kind, "incoming file set aside");
                let aside = async |change: &mut Change<'_>| {
                    let (id, _) = change.keep_document("refused", "in", content.as_bytes()).await?;
                    change.audit("set aside", "document", id, None, problem.detail);
                    Ok::<_, StoreError>(())
                };
                state.store.change(&Actor::system("incoming"), state.now(), aside).await?;
                *after = usize::try_from(number)?;
            }
        }
    }
    Ok(())
}
