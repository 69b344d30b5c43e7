//! Prescriptions to the pharmacy, and their end.

use super::{accepted, hand_over, subject};
use crate::problem::Problem;
use crate::state::State;
use harbor_core::prescribing::approvals::{ApprovalState, counts_on};
use harbor_core::prescribing::{Dosage, PrescriptionEvent, PrescriptionState, SentItem};
use harbor_formats::fhir::pharmacy::words::{PharmacyWord, read_word, write_renewal_refused};
use harbor_formats::fhir::pharmacy::{self, StoppedItem};
use harbor_store::consult::runs;
use harbor_store::house::staff;
use harbor_store::jobs::Job;
use harbor_store::prescribing::{approvals, renewals};
use harbor_store::rows::{Approval, Dispense, Prescription, RenewalRequest};
use harbor_store::{Actor, Change, Conn, people, prescribing};
use uuid::Uuid;

pub(super) async fn send_prescription(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let p = prescribing::prescription(&mut conn, job.subject).await?;
    if !p.state.stands() {
        // Stopped before it went: nobody there knows of it.
        return Ok(());
    }
    let person = people::get(&mut conn, p.person_id).await?;
    let prescriber = staff::get(&mut conn, p.prescriber_id).await?;
    let head = match p.head_id {
        Some(id) => prescribing::head(&mut conn, id).await?,
        None => None,
    };
    let diagnoses = match p.visit_id {
        Some(visit) => runs::diagnoses_of(&mut conn, visit).await?,
        None => vec![],
    };
    let approval = approval_number(&mut conn, state, &p).await?;
    let pharmacies = prescribing::pharmacies(&mut conn).await?;
    drop(conn);
    let item = SentItem {
        reference: p.id.to_string(),
        group: p.head_id.unwrap_or(p.id).to_string(),
        subject: subject(&person)?,
        prescriber_name: prescriber.name,
        prescriber_npi: head.map_or(prescriber.npi.unwrap_or_default(), |h| h.npi),
        pharmacy: pharmacies.into_iter().find(|x| Some(x.id) == p.pharmacy_id).map(|x| x.name).unwrap_or_default(),
        authored: p.prescribed_at,
        medicine: p.medicine.clone(),
        product_code: p.product_code.clone(),
        instructions: p.instructions.clone(),
        dosage: Dosage::read(&p.dosage),
        route: route(state, &p),
        quantity: u32::try_from(p.quantity).unwrap_or(0),
        unit: *p.unit,
        days: u32::try_from(p.days).unwrap_or(0),
        refills: u32::try_from(p.refills).unwrap_or(0),
        substitution: p.substitution,
        note: p.note.clone(),
        replaces: p.replaces_id.or(p.renews_id).map(|id| id.to_string()),
        approval,
        reason: reason(state, &p, diagnoses.into_iter().map(|d| (d.code, d.title))),
    };
    let body = pharmacy::write_prescription(&item)?;
    let keeping = Actor::system("pharmacy");
    let kept = async |change: &mut Change<'_>| change.keep_sent_prescription(p.id, body.as_bytes()).await;
    state.store.change(&keeping, state.now(), kept).await?;
    let answer = hand_over(state, "/pharmacy/fhir", "application/fhir+json", body).await?;
    accepted(&answer, &item.reference)?;
    state
        .store
        .change(&Actor::system("pharmacy"), state.now(), async |change| {
            change.prescription_happened(p.id, PrescriptionEvent::HandedOver).await?;
            change.audit("handed over", "prescription", p.id, Some(p.person_id), "");
            Ok(())
        })
        .await
}

/// The payer's number of an approval that counts for it today.
async fn approval_number(conn: &mut Conn, state: &State, p: &Prescription) -> anyhow::Result<Option<String>> {
    let all = approvals::of_person(conn, p.person_id).await?;
    let counts = |a: &&Approval| {
        *a.state == ApprovalState::Granted
            && counts_on(*a.state, a.until, state.today())
            && a.product_code == p.product_code
    };
    Ok(all.iter().find(counts).map(|a| a.number.clone()))
}

/// The way in that was chosen; of what was written before one was, the product's usual one.
fn route(state: &State, p: &Prescription) -> String {
    let usual = || state.rules().product(&p.product_code).map(|product| product.route.clone());
    if p.route.is_empty() { usual().unwrap_or_default() } else { p.route.clone() }
}

/// The diagnosis that it lies under, as the visit calls it; without a visit, as the release does.
fn reason(
    state: &State,
    p: &Prescription,
    mut diagnoses: impl Iterator<Item = (String, String)>,
) -> Option<(String, String)> {
    let code = p.diagnosis.clone()?;
    let called = diagnoses.find(|(c, _)| *c == code).map(|(_, title)| title);
    let title = called.or_else(|| Some(state.tables.diagnoses.resolve(&code).ok()?.title));
    Some((code.clone(), title.unwrap_or(code)))
}

/// Tells the pharmacy that a prescription is stopped. One that never reached it is stopped at once.
pub(super) async fn stop_prescription(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let p = prescribing::prescription(&mut conn, job.subject).await?;
    if *p.state != PrescriptionState::Stopping {
        return Ok(());
    }
    let person = people::get(&mut conn, p.person_id).await?;
    let end = prescribing::end(&mut conn, p.id).await?;
    drop(conn);
    // What was kept as sent may have reached it, whatever its answer was.
    if p.sent_document_id.is_some() {
        let stopped = StoppedItem {
            reference: p.id.to_string(),
            record_number: person.record_number.clone(),
            medicine: p.medicine.clone(),
            reason: end.map(|e| e.reason).unwrap_or_default(),
        };
        let body = pharmacy::write_stop(&stopped)?;
        let answer = hand_over(state, "/pharmacy/fhir/stop", "application/fhir+json", body).await?;
        accepted(&answer, &stopped.reference)?;
    }
    state
        .store
        .change(&Actor::system("pharmacy"), state.now(), async |change| {
            change.prescription_happened(p.id, PrescriptionEvent::StopTold).await?;
            Ok(())
        })
        .await
}

/// Takes a word of the pharmacy about a prescription. The same one twice is one; about one that is not ours nothing is done.
pub(super) async fn take_word(state: &State, content: &str) -> Result<(), Problem> {
    let word = read_word(content.as_bytes()).map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    let ours = |reference: &str| {
        let sentence = "The pharmacy speaks of a prescription that is not ours.";
        reference.parse::<Uuid>().map_err(|_| Problem::refused("not-ours", sentence))
    };
    state
        .store
        .change(&Actor::system("pharmacy"), state.now(), async |change| match &word {
            PharmacyWord::Dispensed { reference, prescription, on, quantity, unit: _, days, in_part } => {
                let row = prescribing::prescription(change.conn(), ours(prescription)?).await?;
                let (document, _) = change.keep_document("dispense", "in", content.as_bytes()).await?;
                let dispense = Dispense {
                    id: Uuid::now_v7(),
                    prescription_id: row.id,
                    reference: reference.clone(),
                    dispensed_on: *on,
                    quantity: *quantity,
                    days: days.and_then(|n| i32::try_from(n).ok()),
                    in_part: *in_part,
                    document_id: Some(document),
                };
                if change.keep_dispense(&dispense).await? {
                    let event =
                        if *in_part { PrescriptionEvent::DispensedInPart } else { PrescriptionEvent::Dispensed };
                    change.prescription_happened(row.id, event).await?;
                }
                Ok(())
            }
            PharmacyWord::RenewalAsked { reference, prescription, note } => {
                let row = prescribing::prescription(change.conn(), ours(prescription)?).await?;
                let (document, _) = change.keep_document("renewal request", "in", content.as_bytes()).await?;
                let request = RenewalRequest {
                    id: Uuid::now_v7(),
                    prescription_id: row.id,
                    reference: reference.clone(),
                    asked_at: state.now(),
                    note: note.chars().take(300).collect(),
                    document_id: Some(document),
                    answer: None,
                    answered_at: None,
                    answered_by: String::new(),
                    reason: String::new(),
                    new_id: None,
                    told_at: None,
                };
                change.keep_renewal_request(&request, row.person_id).await?;
                Ok(())
            }
            PharmacyWord::Refused { prescription, reason } => {
                let row = prescribing::prescription(change.conn(), ours(prescription)?).await?;
                change.refuse_prescription(row.id, reason).await?;
                Ok(())
            }
        })
        .await
}

/// Tells the pharmacy that a renewal is not given.
pub(super) async fn refuse_renewal(state: &State, job: &Job) -> anyhow::Result<()> {
    let request = renewals::request(&mut *state.store.reader().await?, job.subject).await?;
    let body = write_renewal_refused(&request.reference, &request.reason)?;
    let answer = hand_over(state, "/pharmacy/fhir/not-renewed", "application/fhir+json", body).await?;
    accepted(&answer, &request.reference)?;
    state
        .store
        .change(&Actor::system("pharmacy"), state.now(), async |change| {
            change.renewal_told(request.id).await?;
            Ok(())
        })
        .await
}
