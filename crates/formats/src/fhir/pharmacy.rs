//! Prescriptions to the pharmacy.

use super::{entries, patient, practitioner, read_reasons, reasons, resource, subject, text, transaction, wrong};
use crate::Located;
use chrono::SecondsFormat;
use harbor_core::prescribing::SentItem;
use serde_json::{Value, json};

const PRODUCT: &str = "urn:indigo-harbor:product";

/// A transaction bundle with a MedicationRequest.
pub fn write_prescription(p: &SentItem) -> Result<String, Located> {
    let mut request = json!({
        "resourceType": "MedicationRequest", "id": p.reference, "status": "active", "intent": "order",
        "identifier": [{ "system": "urn:indigo-harbor:prescription", "value": p.reference }],
        "medicationCodeableConcept": { "coding": [{ "system": PRODUCT, "code": p.product_code }], "text": p.medicine },
        "subject": { "reference": format!("Patient/{}", p.subject.record_number) },
        "requester": { "reference": "Practitioner/orderer" },
        "authoredOn": p.authored.to_rfc3339_opts(SecondsFormat::Secs, true),
        "dosageInstruction": [{ "text": p.instructions }],
        "dispenseRequest": {
            "numberOfRepeatsAllowed": p.refills,
            "quantity": { "value": p.quantity },
            "expectedSupplyDuration": { "value": p.days, "unit": "days", "system": "http://unitsofmeasure.org", "code": "d" }
        },
        "substitution": { "allowedBoolean": true }
    });
    if let Some(reason) = &p.reason {
        request["reasonCode"] = reasons(std::slice::from_ref(reason));
    }
    let out = transaction(vec![patient(&p.subject), practitioner(&p.prescriber_name, &p.prescriber_npi), request])
        .to_string();
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
    Ok(SentItem {
        reference: text(request, "/identifier/0/value").into(),
        subject: subject(find("Patient")?)?,
        prescriber_name: text(practitioner, "/name/0/text").into(),
        prescriber_npi: text(practitioner, "/identifier/0/value").into(),
        authored: text(request, "/authoredOn")
            .parse()
            .map_err(|_| wrong("MedicationRequest.authoredOn", "a date and time"))?,
        medicine: text(request, "/medicationCodeableConcept/text").into(),
        product_code: text(request, "/medicationCodeableConcept/coding/0/code").into(),
        instructions: text(request, "/dosageInstruction/0/text").into(),
        quantity: whole("/dispenseRequest/quantity/value")
            .ok_or_else(|| wrong("dispenseRequest.quantity", "a quantity"))?,
        days: whole("/dispenseRequest/expectedSupplyDuration/value").unwrap_or(0),
        refills: whole("/dispenseRequest/numberOfRepeatsAllowed").unwrap_or(0),
        reason: read_reasons(&request["reasonCode"]).into_iter().next(),
    })
}
