//! Asking a payer to approve a medicine before it is dispensed (FHIR R4, Claim with the use `preauthorization`), and what it
//! decides (ClaimResponse).

use super::{
    account, entries, patient, practitioner, read_reasons, reasons, resource, subject, text, transaction, wrong,
};
use crate::Located;
use chrono::{DateTime, NaiveDate, SecondsFormat, Utc};
use harbor_core::prescribing::approvals::{ApprovalDecision, ApprovalRequest, ApprovalVerdict};
use serde_json::{Value, json};

const APPROVAL: &str = "urn:indigo-harbor:approval";
const PRODUCT: &str = "urn:indigo-harbor:product";
/// What the number of an approval is called between payer, pharmacy and clinic.
pub(super) const NUMBER: &str = "urn:indigo-harbor:payer-approval";
const CLAIM_TYPE: &str = "http://terminology.hl7.org/CodeSystem/claim-type";
const PRIORITY: &str = "http://terminology.hl7.org/CodeSystem/processpriority";
const CATEGORY: &str = "http://terminology.hl7.org/CodeSystem/claiminformationcategory";

fn instant(at: DateTime<Utc>) -> String {
    at.to_rfc3339_opts(SecondsFormat::Secs, true)
}

fn coded(system: &str, code: &str) -> Value {
    json!({ "coding": [{ "system": system, "code": code }] })
}

/// A transaction bundle with the Claim, and with everybody and everything that it refers to.
pub fn write_request(r: &ApprovalRequest) -> Result<String, Located> {
    let who = json!({ "reference": format!("Patient/{}", r.subject.record_number) });
    let payer = json!({
        "resourceType": "Organization", "id": "payer", "name": r.policy.payer,
        "identifier": [{ "system": "urn:indigo-harbor:payer", "value": r.payer_code }]
    });
    let item: Vec<Value> = r.answers.iter().enumerate().map(|(n, (question, answer))| {
        json!({ "linkId": (n + 1).to_string(), "text": question, "answer": [{ "valueString": answer }] })
    }).collect();
    let answers = json!({
        "resourceType": "QuestionnaireResponse", "id": "answers", "status": "completed",
        "subject": who, "authored": instant(r.asked), "item": item
    });
    let mut medication = json!({
        "resourceType": "MedicationRequest", "id": "wanted", "status": "draft", "intent": "order",
        "medicationCodeableConcept": { "coding": [{ "system": PRODUCT, "code": r.product_code }], "text": r.medicine },
        "subject": who, "requester": { "reference": "Practitioner/orderer" }, "authoredOn": instant(r.asked),
        "dosageInstruction": [{ "text": r.instructions }],
        "dispenseRequest": {
            "quantity": { "value": r.quantity },
            "expectedSupplyDuration": { "value": r.days, "unit": "days", "system": "http://unitsofmeasure.org", "code": "d" }
        }
    });
    if let Some(diagnosis) = &r.diagnosis {
        medication["reasonCode"] = reasons(std::slice::from_ref(diagnosis));
    }
    let info = |n: usize, value: Value| {
        let mut info = json!({ "sequence": n, "category": coded(CATEGORY, "info") });
        if let (Some(info), Some(value)) = (info.as_object_mut(), value.as_object()) {
            info.extend(value.clone());
        }
        info
    };
    let claim = json!({
        "resourceType": "Claim", "id": "request", "status": "active", "use": "preauthorization",
        "identifier": [{ "system": APPROVAL, "value": r.reference }],
        "type": coded(CLAIM_TYPE, "pharmacy"), "patient": who, "created": instant(r.asked),
        "insurer": { "reference": "Organization/payer" }, "provider": { "reference": "Practitioner/orderer" },
        "priority": coded(PRIORITY, "normal"),
        "prescription": { "reference": "MedicationRequest/wanted" },
        "insurance": [{ "sequence": 1, "focal": true, "coverage": { "reference": "Coverage/coverage" } }],
        "supportingInfo": [
            info(1, json!({ "valueString": r.covered_use })),
            info(2, json!({ "valueString": if r.reason.is_empty() { "-" } else { &r.reason } })),
            info(3, json!({ "valueReference": { "reference": "QuestionnaireResponse/answers" } })),
        ],
        "item": [{ "sequence": 1, "productOrService": { "text": r.medicine }, "quantity": { "value": r.quantity } }]
    });
    let mut all = vec![patient(&r.subject), practitioner(&r.prescriber_name, &r.prescriber_npi), payer];
    all.extend(account::policy(&r.policy, &who));
    all.extend([medication, answers, claim]);
    let out = transaction(all).to_string();
    resource(out.as_bytes(), "Bundle")?;
    Ok(out)
}

/// Reads a request, as the payer does.
pub fn read_request(bytes: &[u8]) -> Result<ApprovalRequest, Located> {
    let bundle = resource(bytes, "Bundle")?;
    let find = |kind: &str| {
        entries(&bundle).find(|r| r["resourceType"] == kind).ok_or_else(|| wrong("Bundle.entry", format!("a {kind}")))
    };
    let claim = find("Claim")?;
    if claim["use"] != "preauthorization" {
        return Err(wrong("Claim.use", "preauthorization"));
    }
    let medication = find("MedicationRequest")?;
    let practitioner = find("Practitioner")?;
    let payer = entries(&bundle).find(|r| text(r, "/identifier/0/system") == "urn:indigo-harbor:payer");
    let payer = payer.ok_or_else(|| wrong("Claim.insurer", "the payer with its code"))?;
    let whole = |pointer: &str| medication.pointer(pointer).and_then(Value::as_f64).unwrap_or(0.0) as u32;
    let answers = find("QuestionnaireResponse")?;
    let answer = |i: &Value| (text(i, "/text").to_owned(), text(i, "/answer/0/valueString").to_owned());
    let reason = text(claim, "/supportingInfo/1/valueString");
    Ok(ApprovalRequest {
        reference: text(claim, "/identifier/0/value").into(),
        subject: subject(find("Patient")?)?,
        payer_code: text(payer, "/identifier/0/value").into(),
        policy: account::read_policy(&bundle, find("Coverage")?),
        prescriber_name: text(practitioner, "/name/0/text").into(),
        prescriber_npi: text(practitioner, "/identifier/0/value").into(),
        asked: text(claim, "/created").parse().map_err(|_| wrong("Claim.created", "a date and time"))?,
        medicine: text(medication, "/medicationCodeableConcept/text").into(),
        product_code: text(medication, "/medicationCodeableConcept/coding/0/code").into(),
        instructions: text(medication, "/dosageInstruction/0/text").into(),
        quantity: whole("/dispenseRequest/quantity/value"),
        days: whole("/dispenseRequest/expectedSupplyDuration/value"),
        covered_use: text(claim, "/supportingInfo/0/valueString").into(),
        reason: if reason == "-" { String::new() } else { reason.into() },
        diagnosis: read_reasons(&medication["reasonCode"]).into_iter().next(),
        answers: answers["item"].as_array().into_iter().flatten().map(answer).collect(),
    })
}

/// What the payer decided, as it writes it.
pub fn write_decision(d: &ApprovalDecision, today: NaiveDate) -> Result<String, Located> {
    let mut out = json!({
        "resourceType": "ClaimResponse", "status": "active", "use": "preauthorization",
        "type": coded(CLAIM_TYPE, "pharmacy"), "patient": { "display": "the patient of the request" },
        "created": today.to_string(), "insurer": { "display": "the payer of the request" }, "outcome": "complete",
        "request": { "identifier": { "system": APPROVAL, "value": d.reference } }
    });
    match &d.verdict {
        ApprovalVerdict::Granted { number, until } => {
            out["preAuthRef"] = json!(number);
            let mut period = json!({ "start": today.to_string() });
            if let Some(until) = until {
                period["end"] = json!(until.to_string());
            }
            out["preAuthPeriod"] = period;
        }
        ApprovalVerdict::Refused { reason } => out["disposition"] = json!(reason),
    }
    let out = out.to_string();
    resource(out.as_bytes(), "ClaimResponse")?;
    Ok(out)
}

/// Reads a decision: with a number it is granted, with a reason it is not.
pub fn read_decision(bytes: &[u8]) -> Result<ApprovalDecision, Located> {
    let response = resource(bytes, "ClaimResponse")?;
    let place = |field: &str, expected: &str| wrong(&format!("ClaimResponse.{field}"), expected.to_owned());
    if response["use"] != "preauthorization" {
        return Err(place("use", "preauthorization"));
    }
    let reference = text(&response, "/request/identifier/value").to_owned();
    if reference.is_empty() {
        return Err(place("request", "the request that it answers"));
    }
    if response["outcome"] != "complete" {
        return Err(place("outcome", "complete"));
    }
    let (number, reason) = (text(&response, "/preAuthRef"), text(&response, "/disposition"));
    let verdict = match (number, reason) {
        ("", "") => return Err(place("disposition", "the number of an approval, or why there is none")),
        ("", reason) => ApprovalVerdict::Refused { reason: reason.to_owned() },
        (number, _) => {
            let end = text(&response, "/preAuthPeriod/end");
            let until = match end {
                "" => None,
                end => Some(
                    end.get(..10).and_then(|d| d.parse().ok()).ok_or_else(|| place("preAuthPeriod.end", "a day"))?,
                ),
            };
            ApprovalVerdict::Granted { number: number.to_owned(), until }
        }
    };
    Ok(ApprovalDecision { reference, verdict })
}
