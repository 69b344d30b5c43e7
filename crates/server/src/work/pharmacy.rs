//! Prescriptions to the pharmacy.

use super::{accepted, hand_over, subject};
use crate::state::State;
use harbor_core::prescribing::{PrescriptionEvent, SentItem};
use harbor_formats::fhir::pharmacy;
use harbor_store::consult::runs;
use harbor_store::house::staff;
use harbor_store::jobs::Job;
use harbor_store::{Actor, Change, people, prescribing};

pub(super) async fn send_prescription(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let p = prescribing::prescription(&mut conn, job.subject).await?;
    let person = people::get(&mut conn, p.person_id).await?;
    let prescriber = staff::get(&mut conn, p.prescriber_id).await?;
    let diagnoses = runs::diagnoses_of(&mut conn, p.visit_id).await?;
    drop(conn);
    let item = SentItem {
        reference: p.id.to_string(),
        subject: subject(&person)?,
        prescriber_name: prescriber.name,
        prescriber_npi: prescriber.npi.unwrap_or_default(),
        authored: p.prescribed_at,
        medicine: p.medicine.clone(),
        product_code: p.product_code.clone(),
        instructions: p.instructions.clone(),
        quantity: u32::try_from(p.quantity).unwrap_or(0),
        days: u32::try_from(p.days).unwrap_or(0),
        refills: u32::try_from(p.refills).unwrap_or(0),
        reason: diagnoses.into_iter().find(|d| Some(&d.code) == p.diagnosis.as_ref()).map(|d| (d.code, d.title)),
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
