//! Prescriptions to the pharmacy, their end, and what it says of them.

mod dosage;
pub mod words;

use super::approval::NUMBER;
use super::{entries, patient, practitioner, read_reasons, reasons, resource, subject, text, transaction, wrong};
use crate::Located;
use chrono::SecondsFormat;
use harbor_core::prescribing::{DoseUnit, SentItem};
use serde_json::{Value, json};

const PRODUCT: &str = "urn:indigo-harbor:product";
const PRESCRIPTION: &str = "urn:indigo-harbor:prescription";
const HEAD: &str = "urn:indigo-harbor:prescription-head";

/// A transaction bundle with a MedicationRequest, and with everybody that it refers to.
pub fn write_prescription(p: &SentItem) -> Result<String, Located> {
    let mut request = json!({
        "resourceType": "MedicationRequest", "id": p.reference, "status": "active", "intent": "order",
        "identifier": [{ "system": PRESCRIPTION, "value": p.reference }],
        "groupIdentifier": { "system": HEAD, "value": p.group },
        "medicationCodeableConcept": { "coding": [{ "system": PRODUCT, "code": p.product_code }], "text": p.medicine },
        "subject": { "reference": format!("Patient/{}", p.subject.record_number) },
        "requester": { "reference": "Practitioner/orderer" },
        "authoredOn": p.authored.to_rfc3339_opts(SecondsFormat::Secs, true),
        "dosageInstruction": dosage::write(p.dosage.as_ref(), &p.instructions, &p.route, p.unit),
        "dispenseRequest": {
            "numberOfRepeatsAllowed": p.refills,
            "quantity": { "value": p.quantity, "unit": p.unit.code() },
            "expectedSupplyDuration": { "value": p.days, "unit": "days", "system": dosage::UCUM, "code": "d" },
            "performer": { "reference": "Organization/pharmacy" }
        },
        "substitution": { "allowedBoolean": p.substitution }
    });
    if let Some(reason) = &p.reason {
        request["reasonCode"] = reasons(std::slice::from_ref(reason));
    }
    if !p.note.is_empty() {
        request["note"] = json!([{ "text": p.note }]);
    }
    if let Some(number) = &p.approval {
        // R4 lets a pre-authorization stand among the insurances (MedicationRequest.insurance, ClaimResponse).
        let approval = json!({ "type": "ClaimResponse", "identifier": { "system": NUMBER, "value": number } });
        request["insurance"] = json!([approval]);
    }
    if let Some(before) = &p.replaces {
        request["priorPrescription"] = json!({ "identifier": { "system": PRESCRIPTION, "value": before } });
    }
    let pharmacy = json!({ "resourceType": "Organization", "id": "pharmacy", "name": p.pharmacy });
    let all = vec![patient(&p.subject), practitioner(&p.prescriber_name, &p.prescriber_npi), pharmacy, request];
    let out = transaction(all).to_string();
    resource(out.as_bytes(), "Bundle")?;
    Ok(out)
}

/// Reads a prescription, as the pharmacy does.
pub fn read_prescription(bytes: &[u8]) -> Result<SentItem, Located> {
    let bundle = resource(bytes, "Bundle")?;
    let find = |kind: &str| {
        entries(&bundle).find(|r| r["resourceType"] == kind).ok_or_else(|| wrong("Bundle.entry", format!("a {kind}")))
    };
    let request = find("MedicationRequest")?;
    let practitioner = find("Practitioner")?;
    let whole = |pointer: &str| {
        request.pointer(pointer).and_then(Value::as_f64).filter(|n| (0.0..1e6).contains(n)).map(|n| n as u32)
    };
    let unit = text(request, "/dispenseRequest/quantity/unit");
    Ok(SentItem {
        reference: text(request, "/identifier/0/value").into(),
        group: text(request, "/groupIdentifier/value").into(),
        subject: subject(find("Patient")?)?,
        prescriber_name: text(practitioner, "/name/0/text").into(),
        prescriber_npi: text(practitioner, "/identifier/0/value").into(),
        pharmacy: text(find("Organization")?, "/name").into(),
        authored: text(request, "/authoredOn")
            .parse()
            .map_err(|_| wrong("MedicationRequest.authoredOn", "a date and time"))?,
        medicine: text(request, "/medicationCodeableConcept/text").into(),
        product_code: text(request, "/medicationCodeableConcept/coding/0/code").into(),
        instructions: text(request, "/dosageInstruction/0/text").into(),
        dosage: dosage::read(&request["dosageInstruction"]),
        route: text(request, "/dosageInstruction/0/route/text").into(),
        quantity: whole("/dispenseRequest/quantity/value")
            .ok_or_else(|| wrong("dispenseRequest.quantity", "a quantity"))?,
        unit: DoseUnit::from_code(unit).ok_or_else(|| wrong("dispenseRequest.quantity.unit", "a unit of a form"))?,
        days: whole("/dispenseRequest/expectedSupplyDuration/value").unwrap_or(0),
        refills: whole("/dispenseRequest/numberOfRepeatsAllowed").unwrap_or(0),
        substitution: request["substitution"]["allowedBoolean"] == true,
        note: text(request, "/note/0/text").into(),
        replaces: Some(text(request, "/priorPrescription/identifier/value").to_owned()).filter(|r| !r.is_empty()),
        reason: read_reasons(&request["reasonCode"]).into_iter().next(),
        approval: Some(text(request, "/insurance/0/identifier/value").to_owned()).filter(|n| !n.is_empty()),
    })
}

/// A prescription that stands no more.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct StoppedItem {
    pub reference: String,
    pub record_number: String,
    pub medicine: String,
    pub reason: String,
}

/// Tells the pharmacy that a prescription is stopped.
pub fn write_stop(p: &StoppedItem) -> Result<String, Located> {
    let out = json!({
        "resourceType": "MedicationRequest", "status": "stopped", "intent": "order",
        "identifier": [{ "system": PRESCRIPTION, "value": p.reference }],
        "statusReason": { "text": p.reason },
        "medicationCodeableConcept": { "text": p.medicine },
        "subject": { "identifier": { "system": "urn:indigo-harbor:record", "value": p.record_number } }
    })
    .to_string();
    resource(out.as_bytes(), "MedicationRequest")?;
    Ok(out)
}

/// Reads what [`write_stop`] writes, as the pharmacy does.
pub fn read_stop(bytes: &[u8]) -> Result<StoppedItem, Located> {
    let request = resource(bytes, "MedicationRequest")?;
    if request["status"] != "stopped" {
        return Err(wrong("MedicationRequest.status", "stopped"));
    }
    Ok(StoppedItem {
        reference: text(&request, "/identifier/0/value").into(),
        record_number: text(&request, "/subject/identifier/value").into(),
        medicine: text(&request, "/medicationCodeableConcept/text").into(),
        reason: text(&request, "/statusReason/text").into(),
    })
}
