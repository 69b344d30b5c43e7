//! Orders to the laboratory, and its reports.

use super::{accepted, hand_over, subject};
use crate::api::orders::hands::needed;
use crate::api::orders::paying::Paying;
use crate::problem::Problem;
use crate::state::State;
use harbor_core::orders::candidates::contradicts;
use harbor_core::orders::questions::AnswerValue;
use harbor_core::orders::specimens::TakenSpecimen;
use harbor_core::orders::truth::is_about;
use harbor_core::orders::{LabReport, OrderQuestion, OrderState, RequestedTest, Requisition};
use harbor_formats::fhir::laboratory::{Moved, TakenBack};
use harbor_formats::fhir::specimen::{Taken, write_taken};
use harbor_formats::fhir::{laboratory, reports};
use harbor_store::documents::QuestionAnswer;
use harbor_store::house::staff;
use harbor_store::jobs::Job;
use harbor_store::orders::results::{NewReport, filing};
use harbor_store::rows::{Order, OrderDiagnosis};
use harbor_store::{Actor, Change, claims, coverage, orders, people};
use uuid::Uuid;

pub(super) async fn send_orders(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let first = orders::order(&mut conn, job.subject).await?;
    let Some(reference) = first.requisition.clone() else { return Ok(()) };
    let rows = orders::of_requisition(&mut conn, &reference).await?;
    let links = orders::links(&mut conn, &rows.iter().map(|o| o.id).collect::<Vec<_>>()).await?;
    let person = people::get(&mut conn, first.person_id).await?;
    let orderer = staff::get(&mut conn, first.orderer_id).await?;
    let paying = Paying::of(&mut conn, state, &person).await?;
    let policy = match first.coverage_id {
        Some(id) => Some(coverage::get(&mut conn, id).await?),
        None => None,
    };
    let holder = match policy.as_ref().and_then(|p| p.holder_id).filter(|id| *id != person.id) {
        Some(holder) => {
            let holder = people::get(&mut conn, holder).await?;
            Some(format!("{} {}", holder.first_name, holder.last_name))
        }
        None => None,
    };
    drop(conn);
    let tests = rows.iter().map(|o| RequestedTest {
        reference: o.id.to_string(),
        loinc: o.loinc.clone(),
        name: o.test_name.clone(),
        diagnoses: reasons(&links, o.id),
        answers: o.answers.iter().map(|a| (a.question.clone(), value(state, a))).collect(),
        priority: *o.priority,
    });
    let requisition = Requisition {
        reference: reference.clone(),
        subject: subject(&person)?,
        orderer_name: orderer.name,
        orderer_npi: orderer.npi.unwrap_or_default(),
        authored: first.ordered_at,
        tests: tests.collect(),
        account: paying.account(&first, policy.as_ref(), holder, &state.clinic.name),
        specimens: specimens(state, &rows),
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
            // What was taken while it was on its way is not in it.
            let now = orders::of_requisition(change.conn(), &reference).await?;
            if specimens(state, &now) != requisition.specimens {
                change.tell_specimen(job.subject).await?;
            }
            change.audit("handed over", "requisition", job.subject, Some(person.id), reference);
            Ok(())
        })
        .await
}

/// The containers that were filled for these orders.
fn specimens(state: &State, rows: &[Order]) -> Vec<TakenSpecimen> {
    let taken: Vec<Order> = rows.iter().filter(|o| o.taken_at.is_some()).cloned().collect();
    let one = |(container, tests): (crate::api::orders::hands::ContainerView, Vec<usize>)| {
        let first = &taken[*tests.first()?];
        Some(TakenSpecimen {
            specimen: container.specimen,
            container: container.container,
            at: first.taken_at?,
            by: first.taken_by.clone(),
            orders: tests.iter().map(|at| taken[*at].id.to_string()).collect(),
        })
    };
    needed(state, &taken).into_iter().filter_map(one).collect()
}

/// Tells the laboratory of specimens that were taken after their order had been sent.
pub(super) async fn tell_specimen(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let order = orders::order(&mut conn, job.subject).await?;
    let Some(requisition) = order.requisition.clone() else { return Ok(()) };
    let rows = orders::of_requisition(&mut conn, &requisition).await?;
    drop(conn);
    let taken = Taken { requisition: requisition.clone(), specimens: specimens(state, &rows) };
    let body = write_taken(&taken)?;
    tell(state, &order, body, &requisition, ("specimens taken", "its specimens")).await
}

/// The diagnoses of an order, as the laboratory is told them.
fn reasons(links: &[OrderDiagnosis], order: Uuid) -> Vec<(String, String)> {
    links.iter().filter(|l| l.order_id == order).map(|l| (l.code.clone(), l.title.clone())).collect()
}

/// An answer as what it was asked for; one from before questions had a kind goes as words.
fn value(state: &State, answer: &QuestionAnswer) -> AnswerValue {
    match OrderQuestion::parse(&answer.asked) {
        Some(question) => question.value(&answer.answer, state.zone),
        None => AnswerValue::Words(answer.answer.clone()),
    }
}

/// Tells the laboratory for which diagnoses an order is that was laid elsewhere after it had been sent.
pub(super) async fn move_order(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let order = orders::order(&mut conn, job.subject).await?;
    let links = orders::links(&mut conn, &[order.id]).await?;
    drop(conn);
    let (Some(requisition), true) = (order.requisition.clone(), order.state.is_open()) else { return Ok(()) };
    let diagnoses = reasons(&links, order.id);
    let moved = Moved { reference: order.id.to_string(), requisition, diagnoses, at: state.now() };
    let body = laboratory::write_moved(&moved)?;
    tell(state, &order, body, &moved.reference, ("order for another diagnosis", "its diagnoses")).await
}

/// Tells the laboratory that an order is not wanted any more.
pub(super) async fn cancel_order(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let order = orders::order(&mut conn, job.subject).await?;
    drop(conn);
    let Some(requisition) = order.requisition.clone() else { return Ok(()) };
    let taken_back =
        TakenBack { reference: order.id.to_string(), requisition, reason: order.state_reason.clone(), at: state.now() };
    let body = laboratory::write_taken_back(&taken_back)?;
    tell(state, &order, body, &taken_back.reference, ("taken back", &taken_back.reason)).await
}

/// Tells the laboratory something of an order that it has, and keeps what was told: as what, and what of it.
async fn tell(
    state: &State,
    order: &Order,
    body: String,
    reference: &str,
    (kind, what): (&str, &str),
) -> anyhow::Result<()> {
    let answer = hand_over(state, "/laboratory/fhir", "application/fhir+json", body.clone()).await?;
    accepted(&answer, reference)?;
    state
        .store
        .change(&Actor::system("laboratory"), state.now(), async |change| {
            change.keep_document(kind, "out", body.as_bytes()).await?;
            change.audit("told to the laboratory", "order", order.id, Some(order.person_id), what);
            Ok(())
        })
        .await
}

/// Files a laboratory report under its order; one whose order is not known waits unmatched.
pub async fn take_report(state: &State, content: &str) -> Result<(), Problem> {
    take_reports(state, &[content]).await?.remove(0)
}

/// Files reports that came together, in their order and in one change: what they wait for most is the disk, and they
/// wait for it once. Each that cannot be read says so alone.
///
/// # Errors
/// When the change did not come about; then none is filed, and each may be tried alone.
pub async fn take_reports(state: &State, contents: &[&str]) -> Result<Vec<Result<(), Problem>>, Problem> {
    let unreadable = |e: harbor_formats::Located| Problem::refused("unreadable", e.to_string());
    let read: Vec<Result<LabReport, Problem>> =
        contents.iter().map(|c| reports::read_report(c.as_bytes()).map_err(unreadable)).collect();
    if read.iter().all(Result::is_err) {
        return Ok(read.into_iter().map(|r| r.map(drop)).collect());
    }
    state
        .store
        .change(&Actor::system("laboratory"), state.now(), async |change| {
            let mut taken = Vec::new();
            for (report, content) in read.into_iter().zip(contents) {
                taken.push(match report {
                    Ok(report) => Ok(file(change, report, content).await?),
                    Err(problem) => Err(problem),
                });
            }
            Ok(taken)
        })
        .await
}

/// Files one report, and keeps it byte for byte.
async fn file(change: &mut Change<'_>, report: LabReport, content: &str) -> Result<(), Problem> {
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
}
