//! Requests for approval to payers, and what they decide.

use super::{accepted, hand_over, subject};
use crate::problem::Problem;
use crate::state::State;
use harbor_core::orders::TestPolicy;
use harbor_core::prescribing::PrescriptionState;
use harbor_core::prescribing::approvals::{ApprovalEvent, ApprovalRequest};
use harbor_formats::fhir::approval::{read_decision, write_request};
use harbor_store::house::staff;
use harbor_store::jobs::Job;
use harbor_store::prescribing::approvals;
use harbor_store::{Actor, Change, coverage, people, prescribing};
use uuid::Uuid;

pub(super) async fn ask(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let a = approvals::get(&mut conn, job.subject).await?;
    if !a.state.waits() {
        // Withdrawn before it went.
        return Ok(());
    }
    let p = prescribing::prescription(&mut conn, a.prescription_id).await?;
    if *p.state != PrescriptionState::Draft && !p.state.stands() {
        return Ok(());
    }
    let person = people::get(&mut conn, a.person_id).await?;
    let policy = coverage::get(&mut conn, a.coverage_id).await?;
    let payer = coverage::payer(&mut conn, a.payer_id).await?;
    let prescriber = staff::get(&mut conn, p.prescriber_id).await?;
    let holder = match policy.holder_id {
        Some(id) => Some(people::get(&mut conn, id).await?).map(|h| format!("{} {}", h.first_name, h.last_name)),
        None => None,
    };
    drop(conn);
    let title = |code: String| {
        let called = state.tables.diagnoses.resolve(&code).map(|d| d.title).unwrap_or_default();
        (code, called)
    };
    let request = ApprovalRequest {
        reference: a.id.to_string(),
        subject: subject(&person)?,
        payer_code: payer.payer_code,
        policy: TestPolicy {
            payer: payer.name,
            subscriber_number: policy.subscriber_number,
            group_number: policy.group_number,
            relationship: *policy.relationship,
            holder,
        },
        prescriber_name: prescriber.name,
        prescriber_npi: prescriber.npi.unwrap_or_default(),
        asked: a.asked_at,
        medicine: p.medicine,
        product_code: p.product_code,
        instructions: p.instructions,
        quantity: u32::try_from(p.quantity).unwrap_or(0),
        days: u32::try_from(p.days).unwrap_or(0),
        covered_use: if a.covered_use.is_empty() { "another use".into() } else { a.covered_use },
        reason: a.reason,
        diagnosis: p.diagnosis.map(title),
        answers: a.answers.0.into_iter().map(|q| (q.question, q.answer)).collect(),
    };
    let body = write_request(&request)?;
    let keeping = Actor::system("payer");
    let kept = async |change: &mut Change<'_>| change.keep_sent_approval(a.id, body.as_bytes()).await;
    state.store.change(&keeping, state.now(), kept).await?;
    let answer = hand_over(state, "/payer/approvals", "application/fhir+json", body).await?;
    accepted(&answer, &request.reference)?;
    state
        .store
        .change(&Actor::system("payer"), state.now(), async |change| {
            change.approval_happened(a.id, ApprovalEvent::HandedOver).await?;
            Ok(())
        })
        .await
}

/// Takes what a payer decided. The same twice is one; about a request that is not ours nothing is done.
pub(super) async fn take_decision(state: &State, content: &str) -> Result<(), Problem> {
    let decision = read_decision(content.as_bytes()).map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    let reference = decision.reference.parse::<Uuid>();
    let not_ours = "The payer speaks of a request that is not ours.";
    let id = reference.map_err(|_| Problem::refused("not-ours", not_ours))?;
    state
        .store
        .change(&Actor::system("payer"), state.now(), async |change| {
            approvals::get(change.conn(), id).await?;
            change.keep_document("approval", "in", content.as_bytes()).await?;
            change.decide_approval(id, &decision.verdict).await?;
            Ok(())
        })
        .await
}
