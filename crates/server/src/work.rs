//! Work that goes on by itself: handing things over and looking for what came back, a file for each partner, and the
//! clinic's own daily work.

mod approvals;
mod clearing_house;
mod daily;
pub mod exchange_folder;
mod incoming;
mod laboratory;
mod payer;
mod pharmacy;
mod statements;
mod told;

pub use clearing_house::{UploadAnswer, set_aside, take_remittance_file};
pub use daily::every_day;
pub use incoming::poll_outside;
pub use laboratory::{take_report, take_reports};

use crate::state::State;
use harbor_core::orders::Subject;
use harbor_core::people::Sex;
use harbor_store::StoreError;
use harbor_store::jobs;
use harbor_store::jobs::{Job, JobKind};
use harbor_store::rows::Person;
use serde_json::Value;
use std::time::Duration;

/// Takes work as it comes due, for ever.
pub async fn run(state: State) {
    loop {
        let idle = match next(&state).await {
            Ok(worked) => !worked,
            Err(error) => {
                tracing::warn!(error = for_log(&error), "background work");
                true
            }
        };
        if idle {
            let _ = tokio::time::timeout(Duration::from_secs(1), state.work.notified()).await;
        }
    }
}

/// What a log may tell of an error: nothing that quotes a record.
pub(crate) fn for_log(error: &anyhow::Error) -> String {
    error.downcast_ref::<StoreError>().map_or_else(|| error.to_string(), StoreError::for_log)
}

async fn next(state: &State) -> anyhow::Result<bool> {
    let Some(job) = jobs::take(&mut *state.store.reader().await?).await? else { return Ok(false) };
    match work(state, &job).await {
        Ok(()) => jobs::done(&mut *state.store.reader().await?, job.id).await?,
        Err(error) => jobs::put_back(&mut *state.store.reader().await?, &job, &error.to_string()).await?,
    }
    Ok(true)
}

async fn work(state: &State, job: &Job) -> anyhow::Result<()> {
    match *job.kind {
        JobKind::SendOrders => laboratory::send_orders(state, job).await,
        JobKind::CancelOrder => laboratory::cancel_order(state, job).await,
        JobKind::TellSpecimen => laboratory::tell_specimen(state, job).await,
        JobKind::MoveOrder => laboratory::move_order(state, job).await,
        JobKind::SendPrescription => pharmacy::send_prescription(state, job).await,
        JobKind::StopPrescription => pharmacy::stop_prescription(state, job).await,
        JobKind::RefuseRenewal => pharmacy::refuse_renewal(state, job).await,
        JobKind::AskApproval => approvals::ask(state, job).await,
        JobKind::SendBatch => clearing_house::send_batch(state, job).await,
        JobKind::AskBenefits => payer::ask_benefits(state, job).await,
        JobKind::SendMessage => told::send(state, job).await,
        JobKind::MakeStatements => statements::make(state, job).await,
    }
}

fn outside(state: &State) -> anyhow::Result<&str> {
    state.settings.outside_url.as_deref().ok_or_else(|| anyhow::anyhow!("no partner is set up"))
}

/// Hands something over; anything but a success is a reason to try again.
async fn hand_over(state: &State, path: &str, kind: &str, body: String) -> anyhow::Result<String> {
    let url = format!("{}{path}", outside(state)?);
    let unreachable = |_| anyhow::anyhow!("the other side does not answer");
    let answer = state.http.post(url).header("content-type", kind).body(body).send().await.map_err(unreachable)?;
    let status = answer.status();
    let text = answer.text().await.map_err(unreachable)?;
    if !status.is_success() {
        anyhow::bail!("the other side answered {status}");
    }
    Ok(text)
}

/// An accepting answer names our reference; anything else is not an acceptance.
fn accepted(text: &str, reference: &str) -> anyhow::Result<()> {
    let answer: Value = serde_json::from_str(text).map_err(|_| anyhow::anyhow!("the answer cannot be read"))?;
    if answer["status"] != "accepted" || answer["reference"] != reference {
        anyhow::bail!("the answer is not about what was sent");
    }
    Ok(())
}

fn subject(p: &Person) -> anyhow::Result<Subject> {
    Ok(Subject {
        record_number: p.record_number.clone(),
        last: p.last_name.clone(),
        first: p.first_name.clone(),
        birth_date: p.birth_date.ok_or_else(|| anyhow::anyhow!("the birth date is missing"))?,
        sex: p.sex.map_or(Sex::Unknown, |s| *s).code().into(),
    })
}
