//! Specimens that were taken (FHIR R4, Specimen): with the order when they were there, or told after it.

use super::laboratory::{ORDER, REQUISITION, instant};
use super::{entries, entry_at, resource, text, transaction, wrong};
use crate::Located;
use harbor_core::orders::specimens::TakenSpecimen;
use serde_json::{Value, json};

/// The entries of specimens: each with who took it; `request` tells how an order is referred to.
pub(super) fn write(
    specimens: &[TakenSpecimen],
    patient: Option<&Value>,
    request: impl Fn(&str) -> Value,
) -> Vec<Value> {
    let mut people: Vec<&str> = specimens.iter().map(|s| s.by.as_str()).collect();
    people.sort_unstable();
    people.dedup();
    let collector = |by: &str| format!("collector-{}", people.iter().position(|p| *p == by).unwrap_or(0) + 1);
    let mut out: Vec<Value> = people
        .iter()
        .map(|by| json!({ "resourceType": "Practitioner", "id": collector(by), "name": [{ "text": by }] }))
        .collect();
    for (at, s) in specimens.iter().enumerate() {
        let mut row = json!({
            "resourceType": "Specimen", "id": format!("specimen-{}", at + 1), "status": "available",
            "type": { "text": s.specimen },
            "request": s.orders.iter().map(|o| request(o)).collect::<Vec<_>>(),
            "collection": {
                "collector": { "reference": format!("Practitioner/{}", collector(&s.by)) },
                "collectedDateTime": instant(s.at)
            }
        });
        if let Some(patient) = patient {
            row["subject"] = patient.clone();
        }
        if !s.container.is_empty() {
            row["container"] = json!([{ "type": { "text": s.container } }]);
        }
        out.push(row);
    }
    out
}

/// The specimens of a bundle.
pub(super) fn read(bundle: &Value) -> Result<Vec<TakenSpecimen>, Located> {
    let one = |s: &Value| {
        let order = |r: &Value| match entry_at(bundle, text(r, "/reference")) {
            Some(request) => text(request, "/identifier/0/value").to_owned(),
            None => text(r, "/identifier/value").to_owned(),
        };
        let by = entry_at(bundle, text(s, "/collection/collector/reference"));
        Ok(TakenSpecimen {
            specimen: text(s, "/type/text").into(),
            container: text(s, "/container/0/type/text").into(),
            at: text(s, "/collection/collectedDateTime")
                .parse()
                .map_err(|_| wrong("Specimen.collection.collectedDateTime", "a date and time"))?,
            by: by.map(|p| text(p, "/name/0/text").to_owned()).unwrap_or_default(),
            orders: s["request"].as_array().into_iter().flatten().map(order).collect(),
        })
    };
    entries(bundle).filter(|r| r["resourceType"] == "Specimen").map(one).collect()
}

/// Specimens of a requisition that were taken after it had been sent.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Taken {
    pub requisition: String,
    pub specimens: Vec<TakenSpecimen>,
}

/// A transaction bundle with the specimens, each naming its orders by our references.
pub fn write_taken(t: &Taken) -> Result<String, Located> {
    let request = |order: &str| json!({ "identifier": { "system": ORDER, "value": order } });
    let mut resources = write(&t.specimens, None, request);
    for r in resources.iter_mut().filter(|r| r["resourceType"] == "Specimen") {
        r["accessionIdentifier"] = json!({ "system": REQUISITION, "value": t.requisition });
    }
    let out = transaction(resources).to_string();
    resource(out.as_bytes(), "Bundle")?;
    Ok(out)
}

/// Reads specimens that are told after their order, as the laboratory does; nothing when the bundle is something else.
pub fn read_taken(bytes: &[u8]) -> Result<Option<Taken>, Located> {
    let bundle = resource(bytes, "Bundle")?;
    if entries(&bundle).any(|r| r["resourceType"] == "ServiceRequest" || r["resourceType"] == "Task") {
        return Ok(None);
    }
    let Some(first) = entries(&bundle).find(|r| r["resourceType"] == "Specimen") else { return Ok(None) };
    Ok(Some(Taken { requisition: text(first, "/accessionIdentifier/value").into(), specimens: read(&bundle)? }))
}
