//! What a pharmacy says of a prescription: that it was handed out, whole or in part, that it is not taken, or that the
//! patient asks for another round.

use super::super::{resource, text, wrong};
use super::{PRESCRIPTION, dosage::UCUM};
use crate::Located;
use chrono::NaiveDate;
use harbor_core::prescribing::DoseUnit;
use serde_json::{Value, json};

/// First fill, whole or in part (HL7 v3 ActCode, ActPharmacySupplyType).
const SUPPLY: &str = "http://terminology.hl7.org/CodeSystem/v3-ActCode";

const PHARMACY: &str = "urn:stand-in:pharmacy";

/// A word of the pharmacy.
#[derive(Debug, Clone, PartialEq)]
pub enum PharmacyWord {
    Dispensed {
        /// The pharmacy's own: the same one twice is one.
        reference: String,
        prescription: String,
        on: NaiveDate,
        quantity: f64,
        unit: DoseUnit,
        days: Option<u32>,
        in_part: bool,
    },
    Refused {
        prescription: String,
        reason: String,
    },
    RenewalAsked {
        reference: String,
        prescription: String,
        note: String,
    },
}

/// A MedicationDispense, or a MedicationRequest that is proposed, as the pharmacy writes them.
pub fn write_word(word: &PharmacyWord) -> Result<String, Located> {
    let of = |prescription: &str| json!([{ "identifier": { "system": PRESCRIPTION, "value": prescription } }]);
    let out = match word {
        PharmacyWord::Dispensed { reference, prescription, on, quantity, unit, days, in_part } => {
            let mut out = json!({
                "resourceType": "MedicationDispense", "status": "completed",
                "identifier": [{ "system": PHARMACY, "value": reference }],
                "authorizingPrescription": of(prescription),
                "type": { "coding": [{ "system": SUPPLY, "code": if *in_part { "FFP" } else { "FF" } }] },
                "quantity": { "value": quantity, "unit": unit.code() },
                "whenHandedOver": on.to_string()
            });
            if let Some(days) = days {
                out["daysSupply"] = json!({ "value": days, "unit": "days", "system": UCUM, "code": "d" });
            }
            out
        }
        PharmacyWord::Refused { prescription, reason } => json!({
            "resourceType": "MedicationDispense", "status": "declined",
            "authorizingPrescription": of(prescription),
            "statusReasonCodeableConcept": { "text": reason }
        }),
        PharmacyWord::RenewalAsked { reference, prescription, note } => json!({
            "resourceType": "MedicationRequest", "status": "draft", "intent": "proposal",
            "identifier": [{ "system": PHARMACY, "value": reference }],
            "priorPrescription": { "identifier": { "system": PRESCRIPTION, "value": prescription } },
            "subject": { "display": "the patient of the prior prescription" },
            "note": [{ "text": note }]
        }),
    };
    let kind = text(&out, "/resourceType").to_owned();
    let out = out.to_string();
    resource(out.as_bytes(), &kind)?;
    Ok(out)
}

/// Reads a word of the pharmacy.
pub fn read_word(bytes: &[u8]) -> Result<PharmacyWord, Located> {
    if let Ok(request) = resource(bytes, "MedicationRequest") {
        return read_renewal(&request);
    }
    let dispense = resource(bytes, "MedicationDispense")?;
    let place = |field: &str, expected: &str| wrong(&format!("MedicationDispense.{field}"), expected.to_owned());
    let prescription = text(&dispense, "/authorizingPrescription/0/identifier/value").to_owned();
    if prescription.is_empty() {
        return Err(place("authorizingPrescription", "the prescription that it is about"));
    }
    match text(&dispense, "/status") {
        "declined" => Ok(PharmacyWord::Refused {
            prescription,
            reason: text(&dispense, "/statusReasonCodeableConcept/text").into(),
        }),
        "completed" => {
            let reference = text(&dispense, "/identifier/0/value").to_owned();
            if reference.is_empty() {
                return Err(place("identifier", "the pharmacy's own reference"));
            }
            let number = |pointer: &str| dispense.pointer(pointer).and_then(Value::as_f64);
            let on = text(&dispense, "/whenHandedOver").get(..10).and_then(|day| day.parse().ok());
            Ok(PharmacyWord::Dispensed {
                reference,
                prescription,
                on: on.ok_or_else(|| place("whenHandedOver", "a day"))?,
                quantity: number("/quantity/value")
                    .filter(|n| *n > 0.0 && *n < 1e6)
                    .ok_or_else(|| place("quantity", "more than nothing"))?,
                unit: DoseUnit::from_code(text(&dispense, "/quantity/unit"))
                    .ok_or_else(|| place("quantity.unit", "a unit of a form"))?,
                days: number("/daysSupply/value").filter(|n| (1.0..1000.0).contains(n)).map(|n| n as u32),
                in_part: text(&dispense, "/type/coding/0/code") == "FFP",
            })
        }
        _ => Err(place("status", "completed or declined")),
    }
}

fn read_renewal(request: &Value) -> Result<PharmacyWord, Located> {
    let place = |field: &str, expected: &str| wrong(&format!("MedicationRequest.{field}"), expected.to_owned());
    if request["intent"] != "proposal" {
        return Err(place("intent", "proposal"));
    }
    let reference = text(request, "/identifier/0/value").to_owned();
    let prescription = text(request, "/priorPrescription/identifier/value").to_owned();
    if reference.is_empty() {
        return Err(place("identifier", "the pharmacy's own reference"));
    }
    if prescription.is_empty() {
        return Err(place("priorPrescription", "the prescription that is to be renewed"));
    }
    Ok(PharmacyWord::RenewalAsked { reference, prescription, note: text(request, "/note/0/text").into() })
}

/// Tells the pharmacy that a renewal is not given.
pub fn write_renewal_refused(reference: &str, reason: &str) -> Result<String, Located> {
    let out = json!({
        "resourceType": "MedicationRequest", "status": "cancelled", "intent": "proposal",
        "identifier": [{ "system": PHARMACY, "value": reference }],
        "subject": { "display": "the patient of the prior prescription" },
        "statusReason": { "text": reason }
    })
    .to_string();
    resource(out.as_bytes(), "MedicationRequest")?;
    Ok(out)
}

/// Reads what [`write_renewal_refused`] writes, as the pharmacy does: its own reference, and why.
pub fn read_renewal_refused(bytes: &[u8]) -> Result<(String, String), Located> {
    let request = resource(bytes, "MedicationRequest")?;
    if request["status"] != "cancelled" || request["intent"] != "proposal" {
        return Err(wrong("MedicationRequest.status", "cancelled".to_owned()));
    }
    Ok((text(&request, "/identifier/0/value").into(), text(&request, "/statusReason/text").into()))
}
