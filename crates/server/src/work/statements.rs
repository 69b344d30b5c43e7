//! A run of statements: one guarantor after the other, each in a change of its own, so that a server that dies loses none and
//! sends none twice.

use crate::api::money::statements::paper::make_one;
use crate::problem::Problem;
use crate::state::State;
use harbor_store::Actor;
use harbor_store::jobs::Job;
use harbor_store::money::open_debts::of_all_guarantors;
use harbor_store::money::statements as store;
use harbor_store::money::statements::gathering::{AskedOn, drafts};
use std::collections::HashSet;
use uuid::Uuid;

/// Makes what is due. Called again after a stop, it goes on with those that are still due: what was made today is not.
pub async fn make(state: &State, job: &Job) -> anyhow::Result<()> {
    let run = {
        let mut conn = state.store.reader().await?;
        store::run(&mut conn, job.subject).await?
    };
    if run.ended_at.is_some() {
        return Ok(());
    }
    let on = AskedOn { today: state.today(), zone: state.zone, asked_for: false };
    let actor = Actor { staff_id: None, name: run.by.clone() };
    let mut due: Vec<Uuid> = {
        let mut conn = state.store.reader().await?;
        let debts = of_all_guarantors(&mut conn).await?;
        let (all, _) = drafts(&mut conn, debts, on).await?;
        all.iter().filter(|d| d.way.is_ok()).map(|d| d.guarantor).collect()
    };
    // One guarantor may have several papers.
    let mut seen = HashSet::new();
    due.retain(|guarantor| seen.insert(*guarantor));
    for guarantor in due {
        let made = state
            .store
            .change(&actor, state.now(), async |change| {
                let made = make_one(change, state, guarantor, Some(run.id), on).await?;
                let count = i32::try_from(made.len()).unwrap_or_default();
                change.statements_came(run.id, count, i32::from(made.is_empty())).await?;
                Ok::<_, Problem>(())
            })
            .await;
        match made {
            Ok(()) => {}
            // One that cannot be made keeps nobody else from theirs, nor the run from its end.
            Err(problem) if problem.status == 422 => {
                tracing::warn!(kind = %problem.kind, "a statement was not made");
                state
                    .store
                    .change(&actor, state.now(), async |change| change.statements_came(run.id, 0, 1).await)
                    .await?;
            }
            Err(_) => return Err(anyhow::anyhow!("a statement could not be made")),
        }
    }
    state.store.change(&actor, state.now(), async |change| change.statements_ended(run.id).await).await?;
    Ok(())
}
