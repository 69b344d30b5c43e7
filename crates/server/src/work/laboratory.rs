//! Orders to the laboratory, and its reports.

use super::{accepted, hand_over, subject};
use crate::api::orders::answers_of;
use crate::problem::Problem;
use crate::state::State;
use harbor_core::orders::candidates::contradicts;
use harbor_core::orders::truth::is_about;
use harbor_core::orders::{OrderState, RequestedTest, Requisition};
use harbor_formats::fhir::laboratory::TakenBack;
use harbor_formats::fhir::{laboratory, reports};
use harbor_store::consult::runs;
use harbor_store::house::staff;
use harbor_store::jobs::Job;
use harbor_store::orders::results::{NewReport, filing};
use harbor_store::{Actor, Change, claims, orders, people};

pub(super) async fn send_orders(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let first = orders::order(&mut conn, job.subject).await?;
    let Some(reference) = first.requisition.clone() else { return Ok(()) };
    let rows = orders::of_requisition(&mut conn, &reference).await?;
    let links = orders::links(&mut conn, &[first.visit_id]).await?;
    let diagnoses = runs::diagnoses_of(&mut conn, first.visit_id).await?;
    let person = people::get(&mut conn, first.person_id).await?;
    let orderer = staff::get(&mut conn, first.orderer_id).await?;
    drop(conn);
    let tests = rows.iter().map(|o| RequestedTest {
        reference: o.id.to_string(),
        loinc: o.loinc.clone(),
        name: o.test_name.clone(),
        diagnoses: diagnoses
            .iter()
            .filter(|d| links.iter().any(|l| l.order_id == o.id && l.code == d.code))
            .map(|d| (d.code.clone(), d.title.clone()))
            .collect(),
        answers: answers_of(o),
    });
    let requisition = Requisition {
        reference: reference.clone(),
        subject: subject(&person)?,
        orderer_name: orderer.name,
        orderer_npi: orderer.npi.unwrap_or_default(),
        authored: first.ordered_at,
        tests: tests.collect(),
    };
    let body = laboratory::write_order(&requisition)?;
    let keeping = Actor::system("laboratory");
    let kept = async |change: &mut Change<'_>| change.keep_sent_orders(&reference, body.as_bytes()).await;
    state.store.change(&keeping, state.now(), kept).await?;
    let answer = hand_over(state, "/laboratory/fhir", "application/fhir+json", body).await?;
    accepted(&answer, &reference)?;
    state
        .store
        .change(&Actor::system("laboratory"), state.now(), async |change| {
            change.orders_became(&reference, OrderState::Accepted).await?;
            change.audit("handed over", "requisition", job.subject, Some(person.id), reference);
            Ok(())
        })
        .await
}

/// Tells the laboratory that an order is not wanted any more.
pub(super) async fn cancel_order(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let order = orders::order(&mut conn, job.subject).await?;
    drop(conn);
    let Some(requisition) = order.requisition else { return Ok(()) };
    let taken_back =
        TakenBack { reference: order.id.to_string(), requisition, reason: order.state_reason, at: state.now() };
    let body = laboratory::write_taken_back(&taken_back)?;
    let answer = hand_over(state, "/laboratory/fhir", "application/fhir+json", body.clone()).await?;
    accepted(&answer, &taken_back.reference)?;
    state
        .store
        .change(&Actor::system("laboratory"), state.now(), async |change| {
            change.keep_document("taken back", "out", body.as_bytes()).await?;
            change.audit("told to the laboratory", "order", order.id, Some(order.person_id), taken_back.reason);
            Ok(())
        })
        .await
}

/// Files a laboratory report under its order; one whose order is not known waits unmatched.
pub async fn take_report(state: &State, content: &str) -> Result<(), Problem> {
    let report = reports::read_report(content.as_bytes()).map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    state
        .store
        .change(&Actor::system("laboratory"), state.now(), async |change| {
            let order = match report.order_reference.parse() {
                Ok(id) => orders::order(change.conn(), id).await.ok(),
                Err(_) => None,
            };
            // A report about somebody else waits for a person, whatever order it names.
            let order = match order {
                Some(order) => {
                    let numbers = people::merging::numbers_of(change.conn(), order.person_id).await?;
                    let person = people::get(change.conn(), order.person_id).await?;
                    let is_theirs = is_about(&report.subject.record_number, &numbers)
                        && !contradicts(&report.subject, &filing::somebody(&person, &[]));
                    Some(order).filter(|_| is_theirs)
                }
                None => None,
            };
            let new = NewReport { read: report, order, digest: claims::digest(content.as_bytes()) };
            change.file_report(new).await?;
            let (id, _) = change.keep_document("report", "in", content.as_bytes()).await?;
            change.audit("read", "document", id, None, "laboratory report");
            Ok(())
        })
        .await
}
