//! Orders to the laboratory.

use super::{
    entries, entry_at, patient, practitioner, read_reasons, reasons, resource, subject, text, transaction, wrong,
};
use crate::Located;
use chrono::{DateTime, SecondsFormat, Utc};
use harbor_core::orders::{RequestedTest, Requisition};
use serde_json::{Value, json};

pub(super) const LOINC: &str = "http://loinc.org";

const ORDER: &str = "urn:indigo-harbor:order";
const REQUISITION: &str = "urn:indigo-harbor:requisition";

pub(super) fn instant(at: DateTime<Utc>) -> String {
    at.to_rfc3339_opts(SecondsFormat::Secs, true)
}

/// A transaction bundle: Patient, Practitioner, and for each test a ServiceRequest with its answers and the Task that asks
/// for it, so that each is taken, refused and answered on its own.
pub fn write_order(r: &Requisition) -> Result<String, Located> {
    let who = json!({ "reference": format!("Patient/{}", r.subject.record_number) });
    let by = json!({ "reference": "Practitioner/orderer" });
    let group = json!({ "system": REQUISITION, "value": r.reference });
    let mut resources = vec![patient(&r.subject), practitioner(&r.orderer_name, &r.orderer_npi)];
    for test in &r.tests {
        let mut request = json!({
            "resourceType": "ServiceRequest", "id": test.reference, "status": "active", "intent": "order",
            "identifier": [{ "system": ORDER, "value": test.reference }],
            "code": { "coding": [{ "system": LOINC, "code": test.loinc, "display": test.name }], "text": test.name },
            "requisition": group, "subject": who, "requester": by, "authoredOn": instant(r.authored)
        });
        if !test.diagnoses.is_empty() {
            request["reasonCode"] = reasons(&test.diagnoses);
        }
        if !test.answers.is_empty() {
            request["supportingInfo"] = json!([{ "reference": format!("QuestionnaireResponse/{}", test.reference) }]);
            let items: Vec<Value> = test
                .answers
                .iter()
                .enumerate()
                .map(
                    |(i, (q, a))| json!({ "linkId": (i + 1).to_string(), "text": q, "answer": [{ "valueString": a }] }),
                )
                .collect();
            resources.push(json!({ "resourceType": "QuestionnaireResponse", "id": test.reference, "status": "completed", "item": items }));
        }
        resources.push(request);
        resources.push(json!({
            "resourceType": "Task", "id": test.reference, "status": "requested", "intent": "order",
            "identifier": [{ "system": ORDER, "value": test.reference }],
            "groupIdentifier": group,
            "focus": { "reference": format!("ServiceRequest/{}", test.reference) },
            "for": who, "requester": by, "authoredOn": instant(r.authored)
        }));
    }
    let out = transaction(resources).to_string();
    resource(out.as_bytes(), "Bundle")?;
    Ok(out)
}

/// An order that is not wanted any more.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TakenBack {
    /// Our reference of the order.
    pub reference: String,
    pub requisition: String,
    pub reason: String,
    pub at: DateTime<Utc>,
}

/// A transaction bundle with the Task of an order, cancelled, with why.
pub fn write_taken_back(t: &TakenBack) -> Result<String, Located> {
    let task = json!({
        "resourceType": "Task", "id": t.reference, "status": "cancelled", "intent": "order",
        "identifier": [{ "system": ORDER, "value": t.reference }],
        "groupIdentifier": { "system": REQUISITION, "value": t.requisition },
        "statusReason": { "text": t.reason },
        "focus": { "identifier": { "system": ORDER, "value": t.reference } },
        "lastModified": instant(t.at)
    });
    let out = transaction(vec![task]).to_string();
    resource(out.as_bytes(), "Bundle")?;
    Ok(out)
}

/// Reads an order that was taken back, as the laboratory does; nothing when the bundle asks for something.
pub fn read_taken_back(bytes: &[u8]) -> Result<Option<TakenBack>, Located> {
    let bundle = resource(bytes, "Bundle")?;
    let Some(task) = entries(&bundle).find(|r| r["resourceType"] == "Task" && r["status"] == "cancelled") else {
        return Ok(None);
    };
    Ok(Some(TakenBack {
        reference: text(task, "/identifier/0/value").into(),
        requisition: text(task, "/groupIdentifier/value").into(),
        reason: text(task, "/statusReason/text").into(),
        at: text(task, "/lastModified").parse().map_err(|_| wrong("Task.lastModified", "a date and time"))?,
    }))
}

/// Reads an order bundle, as the laboratory does.
pub fn read_order(bytes: &[u8]) -> Result<Requisition, Located> {
    let bundle = resource(bytes, "Bundle")?;
    let find = |kind: &str| {
        entries(&bundle).find(|r| r["resourceType"] == kind).ok_or_else(|| wrong("Bundle.entry", format!("a {kind}")))
    };
    let task = find("Task")?;
    let practitioner = find("Practitioner")?;
    let tests = entries(&bundle).filter(|r| r["resourceType"] == "ServiceRequest").map(|r| {
        let answers = r["supportingInfo"]
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(|info| entry_at(&bundle, text(info, "/reference")))
            .filter(|q| q["resourceType"] == "QuestionnaireResponse")
            .flat_map(|q| q["item"].as_array().into_iter().flatten())
            .map(|i| (text(i, "/text").to_owned(), text(i, "/answer/0/valueString").to_owned()))
            .collect();
        RequestedTest {
            reference: text(r, "/identifier/0/value").into(),
            loinc: text(r, "/code/coding/0/code").into(),
            name: text(r, "/code/text").into(),
            diagnoses: read_reasons(&r["reasonCode"]),
            answers,
        }
    });
    Ok(Requisition {
        reference: text(task, "/groupIdentifier/value").into(),
        subject: subject(find("Patient")?)?,
        orderer_name: text(practitioner, "/name/0/text").into(),
        orderer_npi: text(practitioner, "/identifier/0/value").into(),
        authored: text(task, "/authoredOn").parse().map_err(|_| wrong("Task.authoredOn", "a date and time"))?,
        tests: tests.collect(),
    })
}
