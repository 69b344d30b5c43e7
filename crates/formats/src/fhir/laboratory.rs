//! Orders to the laboratory and reports from it.

use super::{entries, patient, practitioner, read_reasons, reasons, resource, subject, text, transaction, wrong};
use crate::Located;
use chrono::{DateTime, SecondsFormat, Utc};
use harbor_core::orders::{Interpretation, LabReport, ReportStatus, ReportedValue, RequestedTest, Requisition};
use serde_json::{Value, json};

const LOINC: &str = "http://loinc.org";
const UCUM: &str = "http://unitsofmeasure.org";
const INTERPRETATION: &str = "http://terminology.hl7.org/CodeSystem/v3-ObservationInterpretation";

fn instant(at: DateTime<Utc>) -> String {
    at.to_rfc3339_opts(SecondsFormat::Secs, true)
}

/// A transaction bundle: Task, Patient, Practitioner, and for each test a ServiceRequest with its answers.
pub fn write_order(r: &Requisition) -> Result<String, Located> {
    let who = json!({ "reference": format!("Patient/{}", r.subject.record_number) });
    let by = json!({ "reference": format!("Practitioner/{}", r.orderer_npi) });
    let mut resources = vec![
        json!({
            "resourceType": "Task", "id": r.reference, "status": "requested", "intent": "order",
            "identifier": [{ "system": "urn:indigo-harbor:requisition", "value": r.reference }],
            "for": who, "requester": by, "authoredOn": instant(r.authored)
        }),
        patient(&r.subject),
        practitioner(&r.orderer_name, &r.orderer_npi),
    ];
    for test in &r.tests {
        let mut request = json!({
            "resourceType": "ServiceRequest", "id": test.reference, "status": "active", "intent": "order",
            "identifier": [{ "system": "urn:indigo-harbor:order", "value": test.reference }],
            "code": { "coding": [{ "system": LOINC, "code": test.loinc, "display": test.name }], "text": test.name },
            "subject": who, "requester": by, "authoredOn": instant(r.authored)
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
    }
    let out = transaction(resources).to_string();
    resource(out.as_bytes(), "Bundle")?;
    Ok(out)
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
        let id = text(r, "/id");
        let answers = entries(&bundle)
            .filter(|q| q["resourceType"] == "QuestionnaireResponse" && text(q, "/id") == id)
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
        reference: text(task, "/identifier/0/value").into(),
        subject: subject(find("Patient")?)?,
        orderer_name: text(practitioner, "/name/0/text").into(),
        orderer_npi: text(practitioner, "/identifier/0/value").into(),
        authored: text(task, "/authoredOn").parse().map_err(|_| wrong("Task.authoredOn", "a date and time"))?,
        tests: tests.collect(),
    })
}

/// A DiagnosticReport with its observations contained.
pub fn write_report(r: &LabReport) -> Result<String, Located> {
    let observations: Vec<Value> = r.values.iter().enumerate().map(|(i, v)| observation(i, v, r.status)).collect();
    let links: Vec<Value> = (0..observations.len()).map(|i| json!({ "reference": format!("#v{}", i + 1) })).collect();
    let mut report = json!({
        "resourceType": "DiagnosticReport", "id": r.number, "status": r.status.code(),
        "identifier": [{ "system": "urn:laboratory:report", "value": r.number }],
        "code": { "text": "Laboratory report" },
        "issued": instant(r.issued)
    });
    if !r.order_reference.is_empty() {
        report["basedOn"] =
            json!([{ "identifier": { "system": "urn:indigo-harbor:order", "value": r.order_reference } }]);
    }
    if !r.record_number.is_empty() {
        report["subject"] = json!({ "identifier": { "system": "urn:indigo-harbor:record", "value": r.record_number } });
    }
    if !observations.is_empty() {
        report["contained"] = Value::Array(observations);
        report["result"] = Value::Array(links);
    }
    let out = report.to_string();
    resource(out.as_bytes(), "DiagnosticReport")?;
    Ok(out)
}

fn observation(i: usize, v: &ReportedValue, status: ReportStatus) -> Value {
    let status = match status {
        ReportStatus::Registered => "registered",
        ReportStatus::Preliminary => "preliminary",
        ReportStatus::Final => "final",
        ReportStatus::Corrected => "corrected",
        ReportStatus::Cancelled => "cancelled",
    };
    let mut o = json!({
        "resourceType": "Observation", "id": format!("v{}", i + 1), "status": status,
        "code": { "coding": [{ "system": LOINC, "code": v.loinc, "display": v.name }], "text": v.name }
    });
    let quantity = |n: f64| json!({ "value": n, "unit": v.unit, "system": UCUM, "code": v.unit });
    match v.number {
        Some(n) => o["valueQuantity"] = quantity(n),
        None => o["valueString"] = json!(v.text),
    }
    let mut range = json!({});
    if let Some(low) = v.low {
        range["low"] = quantity(low);
    }
    if let Some(high) = v.high {
        range["high"] = quantity(high);
    }
    if v.low.is_some() || v.high.is_some() {
        o["referenceRange"] = json!([range]);
    }
    if let Some(flag) = v.interpretation {
        o["interpretation"] = json!([{ "coding": [{ "system": INTERPRETATION, "code": flag.code() }] }]);
    }
    o
}

/// Reads a report.
pub fn read_report(bytes: &[u8]) -> Result<LabReport, Located> {
    let r = resource(bytes, "DiagnosticReport")?;
    let status = text(&r, "/status");
    let status = match status {
        "partial" => ReportStatus::Preliminary,
        "amended" | "appended" => ReportStatus::Corrected,
        "entered-in-error" => ReportStatus::Cancelled,
        other => ReportStatus::from_code(other)
            .ok_or_else(|| wrong("DiagnosticReport.status", "a report status of FHIR R4"))?,
    };
    let number = text(&r, "/identifier/0/value");
    if number.is_empty() {
        return Err(wrong("DiagnosticReport.identifier", "the laboratory's report number"));
    }
    let values =
        r["contained"].as_array().into_iter().flatten().filter(|o| o["resourceType"] == "Observation").map(read_value);
    Ok(LabReport {
        number: number.into(),
        order_reference: text(&r, "/basedOn/0/identifier/value").into(),
        record_number: text(&r, "/subject/identifier/value").into(),
        status,
        issued: text(&r, "/issued").parse().map_err(|_| wrong("DiagnosticReport.issued", "a date and time"))?,
        values: values.collect(),
    })
}

fn read_value(o: &Value) -> ReportedValue {
    let bound = |which: &str| o.pointer(&format!("/referenceRange/0/{which}/value")).and_then(Value::as_f64);
    let quantity = o.pointer("/valueQuantity/value").and_then(Value::as_f64);
    let integer = o.pointer("/valueInteger").and_then(Value::as_f64);
    // `<5` is not 5: it is kept in words, and never drawn or compared as a number.
    let comparator = text(o, "/valueQuantity/comparator");
    let bounded = quantity.filter(|_| !comparator.is_empty()).map(|n| format!("{comparator}{n}"));
    let said = ["/valueString", "/valueCodeableConcept/text", "/valueCodeableConcept/coding/0/display"];
    let said = said.iter().map(|at| text(o, at)).find(|t| !t.is_empty()).unwrap_or_default();
    // A code of another system that stands first is no LOINC code.
    let codings = o.pointer("/code/coding").and_then(Value::as_array);
    let loinc = codings.into_iter().flatten().find(|c| text(c, "/system") == LOINC);
    ReportedValue {
        loinc: loinc.map(|c| text(c, "/code")).unwrap_or_default().into(),
        name: Some(text(o, "/code/text")).filter(|t| !t.is_empty()).unwrap_or(text(o, "/code/coding/0/display")).into(),
        number: if bounded.is_some() { None } else { quantity.or(integer) },
        text: bounded.unwrap_or_else(|| said.into()),
        unit: text(o, "/valueQuantity/unit").into(),
        low: bound("low"),
        high: bound("high"),
        interpretation: Interpretation::from_code(text(o, "/interpretation/0/coding/0/code")),
    }
}
