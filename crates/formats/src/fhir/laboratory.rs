//! Orders to the laboratory.

use super::{account, specimen};
use super::{
    entries, entry_at, patient, practitioner, read_reasons, reasons, resource, subject, text, transaction, wrong,
};
use crate::Located;
use chrono::{DateTime, SecondsFormat, Utc};
use harbor_core::orders::questions::AnswerValue;
use harbor_core::orders::{Priority, RequestedTest, Requisition};
use serde_json::{Value, json};

pub(super) const LOINC: &str = "http://loinc.org";

pub(super) const ORDER: &str = "urn:indigo-harbor:order";
pub(super) const REQUISITION: &str = "urn:indigo-harbor:requisition";

pub(super) fn instant(at: DateTime<Utc>) -> String {
    at.to_rfc3339_opts(SecondsFormat::Secs, true)
}

/// An answer as QuestionnaireResponse.item.answer has it.
fn answer(value: &AnswerValue) -> Value {
    match value {
        AnswerValue::YesNo(yes) => json!({ "valueBoolean": yes }),
        // As a JSON number: a zero at its end is not told.
        AnswerValue::Number { number, unit } => {
            let number: Value = serde_json::from_str(number).unwrap_or_else(|_| json!(number.parse::<f64>().ok()));
            json!({ "valueQuantity": { "value": number, "unit": unit } })
        }
        AnswerValue::Date(day) => json!({ "valueDate": day.to_string() }),
        AnswerValue::Moment(at) => json!({ "valueDateTime": instant(*at) }),
        AnswerValue::Words(words) => json!({ "valueString": words }),
    }
}

fn read_answer(item: &Value) -> AnswerValue {
    let answer = &item["answer"][0];
    if let Some(yes) = answer["valueBoolean"].as_bool() {
        return AnswerValue::YesNo(yes);
    }
    if let Some(quantity) = answer.get("valueQuantity") {
        return AnswerValue::Number { number: quantity["value"].to_string(), unit: text(quantity, "/unit").to_owned() };
    }
    let day = text(answer, "/valueDate").parse().ok().map(AnswerValue::Date);
    let at = || text(answer, "/valueDateTime").parse().ok().map(AnswerValue::Moment);
    day.or_else(at).unwrap_or_else(|| AnswerValue::Words(text(answer, "/valueString").to_owned()))
}

/// A transaction bundle: Patient, Practitioner, who pays (Account, Coverage), specimens that were taken already, and for each
/// test a ServiceRequest with its answers and the Task that asks for it, so that each is taken, refused and answered on its
/// own.
pub fn write_order(r: &Requisition) -> Result<String, Located> {
    let who = json!({ "reference": format!("Patient/{}", r.subject.record_number) });
    let by = json!({ "reference": "Practitioner/orderer" });
    let group = json!({ "system": REQUISITION, "value": r.reference });
    let mut resources = vec![patient(&r.subject), practitioner(&r.orderer_name, &r.orderer_npi)];
    resources.extend(r.account.iter().flat_map(|a| account::write(a, &who)));
    let named = |order: &str| json!({ "reference": format!("ServiceRequest/{order}") });
    resources.extend(specimen::write(&r.specimens, Some(&who), named));
    for test in &r.tests {
        let mut request = json!({
            "resourceType": "ServiceRequest", "id": test.reference, "status": "active", "intent": "order",
            "identifier": [{ "system": ORDER, "value": test.reference }],
            "code": { "coding": [{ "system": LOINC, "code": test.loinc, "display": test.name }], "text": test.name },
            "priority": test.priority.code(),
            "requisition": group, "subject": who, "requester": by, "authoredOn": instant(r.authored)
        });
        if !test.diagnoses.is_empty() {
            request["reasonCode"] = reasons(&test.diagnoses);
        }
        if r.account.as_ref().is_some_and(|a| a.policy.is_some()) {
            request["insurance"] = json!([{ "reference": "Coverage/coverage" }]);
        }
        let from = r.specimens.iter().enumerate().filter(|(_, s)| s.orders.contains(&test.reference));
        let from: Vec<Value> =
            from.map(|(at, _)| json!({ "reference": format!("Specimen/specimen-{}", at + 1) })).collect();
        if !from.is_empty() {
            request["specimen"] = json!(from);
        }
        let mut beside: Vec<Value> = r.account.iter().map(|_| json!({ "reference": "Account/account" })).collect();
        if !test.answers.is_empty() {
            beside.push(json!({ "reference": format!("QuestionnaireResponse/{}", test.reference) }));
            let items: Vec<Value> = test
                .answers
                .iter()
                .enumerate()
                .map(|(i, (q, a))| json!({ "linkId": (i + 1).to_string(), "text": q, "answer": [answer(a)] }))
                .collect();
            resources.push(json!({ "resourceType": "QuestionnaireResponse", "id": test.reference, "status": "completed", "item": items }));
        }
        if !beside.is_empty() {
            request["supportingInfo"] = json!(beside);
        }
        resources.push(request);
        resources.push(json!({
            "resourceType": "Task", "id": test.reference, "status": "requested", "intent": "order",
            "identifier": [{ "system": ORDER, "value": test.reference }],
            "groupIdentifier": group,
            "focus": { "reference": format!("ServiceRequest/{}", test.reference) },
            "priority": test.priority.code(),
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

/// An order that was laid under other diagnoses after it had been sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Moved {
    /// Our reference of the order.
    pub reference: String,
    pub requisition: String,
    /// Codes with their titles, as they are now.
    pub diagnoses: Vec<(String, String)>,
    pub at: DateTime<Utc>,
}

/// A transaction bundle with the Task of an order as it stands, whose input brings the reasons that hold from now on.
pub fn write_moved(m: &Moved) -> Result<String, Located> {
    let reasons = reasons(&m.diagnoses);
    let input = reasons
        .as_array()
        .into_iter()
        .flatten()
        .map(|reason| json!({ "type": { "text": "reason" }, "valueCodeableConcept": reason }));
    let task = json!({
        "resourceType": "Task", "id": m.reference, "status": "requested", "intent": "order",
        "identifier": [{ "system": ORDER, "value": m.reference }],
        "groupIdentifier": { "system": REQUISITION, "value": m.requisition },
        "focus": { "identifier": { "system": ORDER, "value": m.reference } },
        "input": input.collect::<Vec<_>>(),
        "lastModified": instant(m.at)
    });
    let out = transaction(vec![task]).to_string();
    resource(out.as_bytes(), "Bundle")?;
    Ok(out)
}

/// Reads an order that was laid under other diagnoses, as the laboratory does; nothing when the bundle asks for something.
pub fn read_moved(bytes: &[u8]) -> Result<Option<Moved>, Located> {
    let bundle = resource(bytes, "Bundle")?;
    let Some(task) = entries(&bundle).find(|r| r["resourceType"] == "Task" && r["input"].is_array()) else {
        return Ok(None);
    };
    let reasons: Vec<Value> =
        task["input"].as_array().into_iter().flatten().map(|i| i["valueCodeableConcept"].clone()).collect();
    Ok(Some(Moved {
        reference: text(task, "/identifier/0/value").into(),
        requisition: text(task, "/groupIdentifier/value").into(),
        diagnoses: read_reasons(&Value::Array(reasons)),
        at: text(task, "/lastModified").parse().map_err(|_| wrong("Task.lastModified", "a date and time"))?,
    }))
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
    // Whoever took a specimen is a Practitioner too: the orderer is the one who asks.
    let practitioner = entry_at(&bundle, text(task, "/requester/reference"))
        .ok_or_else(|| wrong("Task.requester", "a Practitioner of the bundle"))?;
    let tests = entries(&bundle).filter(|r| r["resourceType"] == "ServiceRequest").map(|r| {
        let answers = r["supportingInfo"]
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(|info| entry_at(&bundle, text(info, "/reference")))
            .filter(|q| q["resourceType"] == "QuestionnaireResponse")
            .flat_map(|q| q["item"].as_array().into_iter().flatten())
            .map(|i| (text(i, "/text").to_owned(), read_answer(i)))
            .collect();
        RequestedTest {
            reference: text(r, "/identifier/0/value").into(),
            loinc: text(r, "/code/coding/0/code").into(),
            name: text(r, "/code/text").into(),
            diagnoses: read_reasons(&r["reasonCode"]),
            answers,
            priority: Priority::from_code(text(r, "/priority")).unwrap_or(Priority::Routine),
        }
    });
    Ok(Requisition {
        reference: text(task, "/groupIdentifier/value").into(),
        subject: subject(find("Patient")?)?,
        orderer_name: text(practitioner, "/name/0/text").into(),
        orderer_npi: text(practitioner, "/identifier/0/value").into(),
        authored: text(task, "/authoredOn").parse().map_err(|_| wrong("Task.authoredOn", "a date and time"))?,
        tests: tests.collect(),
        account: account::read(&bundle),
        specimens: specimen::read(&bundle)?,
    })
}
