//! HL7 FHIR R4 (4.0.1): orders to the laboratory, reports from it, prescriptions to the pharmacy,
//! one person with policies in and out.
//!
//! Resources are checked on their way in and out against what the standard says of them ([`lawful`]); their content is
//! read leniently, since what a partner adds is not ours to refuse.

mod lawful;

mod account;
pub mod approval;
pub mod laboratory;
pub mod person;
pub mod pharmacy;
pub mod questionnaire;
pub mod reports;
pub mod specimen;

use crate::Located;
use harbor_core::orders::Subject;
use serde_json::{Value, json};
use sha2::{Digest, Sha256};
use std::collections::HashMap;

/// A place in a FHIR document, as an error of this crate.
fn wrong(place: &str, expected: impl Into<String>) -> Located {
    Located { segment: 0, byte: 0, id: place.to_owned(), element: None, expected: expected.into() }
}

/// Reads JSON and checks that it is a lawful resource of the wanted type.
fn resource(bytes: &[u8], kind: &str) -> Result<Value, Located> {
    let value: Value = serde_json::from_slice(bytes).map_err(|e| Located {
        segment: e.line(),
        byte: e.column(),
        id: "JSON".into(),
        element: None,
        expected: format!("well-formed JSON ({e})"),
    })?;
    if value["resourceType"] != kind {
        return Err(wrong("resourceType", kind));
    }
    lawful::check(&value)?;
    Ok(value)
}

/// Text at a path, empty when it is not there.
fn text<'v>(value: &'v Value, pointer: &str) -> &'v str {
    value.pointer(pointer).and_then(Value::as_str).unwrap_or("")
}

fn patient(s: &Subject) -> Value {
    let gender = match s.sex.as_str() {
        "F" => "female",
        "M" => "male",
        _ => "unknown",
    };
    json!({
        "resourceType": "Patient",
        "id": s.record_number,
        "identifier": [{ "system": "urn:indigo-harbor:record", "value": s.record_number }],
        "name": [{ "family": s.last, "given": [s.first] }],
        "birthDate": s.birth_date.to_string(),
        "gender": gender
    })
}

fn subject(p: &Value) -> Result<Subject, Located> {
    let sex = match text(p, "/gender") {
        "female" => "F",
        "male" => "M",
        _ => "U",
    };
    Ok(Subject {
        record_number: text(p, "/identifier/0/value").into(),
        last: text(p, "/name/0/family").into(),
        first: text(p, "/name/0/given/0").into(),
        birth_date: text(p, "/birthDate")
            .parse()
            .map_err(|_| wrong("Patient.birthDate", "a date such as 1962-03-04"))?,
        sex: sex.into(),
    })
}

fn practitioner(name: &str, npi: &str) -> Value {
    let mut out = json!({ "resourceType": "Practitioner", "id": "orderer", "name": [{ "text": name }] });
    // Who has no number is told by the name alone.
    if !npi.is_empty() {
        out["identifier"] = json!([{ "system": "http://hl7.org/fhir/sid/us-npi", "value": npi }]);
    }
    out
}

const ICD: &str = "http://hl7.org/fhir/sid/icd-10-cm";

fn reasons(diagnoses: &[(String, String)]) -> Value {
    diagnoses
        .iter()
        .map(|(code, title)| json!({ "coding": [{ "system": ICD, "code": code, "display": title }] }))
        .collect()
}

fn read_reasons(value: &Value) -> Vec<(String, String)> {
    value
        .as_array()
        .into_iter()
        .flatten()
        .map(|r| (text(r, "/coding/0/code").to_owned(), text(r, "/coding/0/display").to_owned()))
        .collect()
}

/// The resources of a bundle.
fn entries(bundle: &Value) -> impl Iterator<Item = &Value> {
    bundle["entry"].as_array().into_iter().flatten().map(|e| &e["resource"])
}

/// The resource of the entry with this address.
fn entry_at<'v>(bundle: &'v Value, full: &str) -> Option<&'v Value> {
    let mut all = bundle["entry"].as_array().into_iter().flatten();
    all.find(|e| !full.is_empty() && e["fullUrl"] == full).map(|e| &e["resource"])
}

/// A transaction. Every entry has an address of its own, and what refers to another entry refers to that address: `Patient/7`
/// would mean whatever the receiver has under 7 (FHIR R4, Bundle, "Resolving references in Bundles"). What is posted
/// carries no id; the receiver gives one.
fn transaction(mut resources: Vec<Value>) -> Value {
    let local = |r: &Value| format!("{}/{}", text(r, "/resourceType"), text(r, "/id"));
    let addresses: HashMap<String, String> = resources.iter().map(local).map(|l| (l.clone(), address(&l))).collect();
    let entry: Vec<Value> = resources
        .iter_mut()
        .map(|r| {
            let (kind, full) = (text(r, "/resourceType").to_owned(), address(&local(r)));
            refer(r, &addresses);
            if let Some(object) = r.as_object_mut() {
                object.remove("id");
            }
            json!({ "fullUrl": full, "resource": r, "request": { "method": "POST", "url": kind } })
        })
        .collect();
    json!({ "resourceType": "Bundle", "type": "transaction", "entry": entry })
}

/// The address of an entry: the same for the same thing, so that sent again it is the same bundle.
fn address(local: &str) -> String {
    let digest = Sha256::digest(local.as_bytes());
    let mut bytes = [0; 16];
    bytes.copy_from_slice(&digest[..16]);
    format!("urn:uuid:{}", uuid::Builder::from_custom_bytes(bytes).into_uuid())
}

/// Lets every reference to an entry mean its address.
fn refer(value: &mut Value, addresses: &HashMap<String, String>) {
    match value {
        Value::Object(object) => {
            if let Some(full) = object.get("reference").and_then(Value::as_str).and_then(|r| addresses.get(r)) {
                object.insert("reference".into(), json!(full));
            }
            object.values_mut().for_each(|v| refer(v, addresses));
        }
        Value::Array(all) => all.iter_mut().for_each(|v| refer(v, addresses)),
        _ => {}
    }
}
