//! What HL7 FHIR R4 (4.0.1) says of the resources that we read and write: for each element its type, whether it
//! repeats, whether it must be there, and the codes of a required binding.
//!
//! An element that is not in the tables passes: what a partner adds is not ours to refuse, and nothing here reads it.
//! The tables hold what this crate uses; an element that comes into use comes into its table (decision 0027).

mod payers;
mod tables;

use super::wrong;
use crate::Located;
use Is::{Bool, Code, Date, DateTime, Number, Resource, Text, Type, Whole};
use payers::PAYERS;
use serde_json::{Map, Value};
use tables::{SMALL, TYPES};

/// What a value may be (section "Data Types" of the standard).
#[derive(Clone, Copy)]
enum Is {
    Text,
    Bool,
    /// A whole number from 0 on.
    Whole,
    Number,
    /// 1962, 1962-03 or 1962-03-04.
    Date,
    /// A date, or a date with a time and a zone.
    DateTime,
    Code(&'static [&'static str]),
    /// A complex type of the tables.
    Type(&'static str),
    /// A whole resource, by its own type.
    Resource,
}

struct Element {
    name: &'static str,
    is: Is,
    many: bool,
    needed: bool,
}

const fn one(name: &'static str, is: Is) -> Element {
    Element { name, is, many: false, needed: false }
}

const fn many(name: &'static str, is: Is) -> Element {
    Element { name, is, many: true, needed: false }
}

const fn needed(element: Element) -> Element {
    Element { needed: true, ..element }
}

/// Deeper than any resource lies; what is nested further is no resource but an attack on the stack.
const DEEPEST: usize = 24;

/// Every type of the tables.
fn types() -> impl Iterator<Item = &'static (&'static str, &'static [Element])> {
    TYPES.iter().chain(&PAYERS).chain(&SMALL)
}

/// Whether a value is a lawful resource of its own type; a resource that is in no table passes.
pub(super) fn check(resource: &Value) -> Result<(), Located> {
    whole(resource, 0)
}

fn whole(resource: &Value, depth: usize) -> Result<(), Located> {
    let Some(object) = resource.as_object() else { return Err(wrong("resource", "an object")) };
    match object.get("resourceType").and_then(Value::as_str) {
        Some(kind) => parts(kind, object, depth),
        None => Err(wrong("resourceType", "the type of the resource")),
    }
}

fn parts(kind: &str, object: &Map<String, Value>, depth: usize) -> Result<(), Located> {
    if depth > DEEPEST {
        return Err(wrong(kind, "less depth"));
    }
    let Some((_, elements)) = types().find(|(name, _)| *name == kind) else { return Ok(()) };
    for element in *elements {
        let place = || format!("{kind}.{}", element.name);
        match object.get(element.name) {
            None if element.needed => return Err(wrong(&place(), "to be there: the standard requires it")),
            None => {}
            // An empty list is against the standard (2.6.2.2, "arrays"), and harmless: nothing is not told.
            Some(Value::Array(values)) if element.many => {
                for value in values {
                    single(&place(), element.is, value, depth)?;
                }
            }
            Some(_) if element.many => return Err(wrong(&place(), "a list")),
            Some(value) => single(&place(), element.is, value, depth)?,
        }
    }
    Ok(())
}

fn single(place: &str, is: Is, value: &Value, depth: usize) -> Result<(), Located> {
    let text = value.as_str();
    let (fits, expected) = match is {
        Text => (text.is_some_and(|t| !t.is_empty()), "a text".to_owned()),
        Bool => (value.is_boolean(), "true or false".into()),
        Whole => (value.as_u64().is_some(), "a whole number".into()),
        Number => (value.is_number(), "a number".into()),
        Date => (text.is_some_and(date), "a date such as 1962-03-04".into()),
        DateTime => {
            (text.is_some_and(|t| date(t) || chrono::DateTime::parse_from_rfc3339(t).is_ok()), "a date and time".into())
        }
        Code(codes) => (text.is_some_and(|t| codes.contains(&t)), format!("one of {}", codes.join(", "))),
        Type(kind) => match value.as_object() {
            Some(object) => return parts(kind, object, depth + 1),
            None => (false, format!("a {kind}")),
        },
        Resource => return whole(value, depth + 1),
    };
    if fits { Ok(()) } else { Err(wrong(place, expected)) }
}

/// A date to the year, the month or the day.
fn date(text: &str) -> bool {
    let digits = |t: &str| !t.is_empty() && t.bytes().all(|b| b.is_ascii_digit());
    match text.len() {
        4 => digits(text),
        7 => chrono::NaiveDate::parse_from_str(&format!("{text}-01"), "%Y-%m-%d").is_ok(),
        10 => chrono::NaiveDate::parse_from_str(text, "%Y-%m-%d").is_ok(),
        _ => false,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn every_type_that_is_named_has_a_table() {
        for (name, elements) in types() {
            for element in *elements {
                if let Type(kind) = element.is {
                    let there = types().any(|(n, _)| *n == kind);
                    assert!(there, "{name}.{} is a {kind}", element.name);
                }
            }
        }
    }

    #[test]
    fn what_the_standard_forbids_is_told_with_its_place() {
        let lawful = json!({ "resourceType": "Patient", "birthDate": "1962-03", "name": [{ "given": ["Mees"] }],
            "extension": [{ "url": "urn:x", "valueString": "kept" }] });
        assert!(check(&lawful).is_ok());
        for (bend, said) in [
            (json!({ "gender": "F" }), "Patient.gender"),
            (json!({ "birthDate": "1962-13-04" }), "Patient.birthDate"),
            (json!({ "birthDate": 1962 }), "Patient.birthDate"),
            (json!({ "name": { "given": ["Mees"] } }), "Patient.name"),
            (json!({ "name": [{ "given": [1] }] }), "HumanName.given"),
            (json!({ "name": ["Mees"] }), "Patient.name"),
            (json!({ "communication": [{ "preferred": true }] }), "Patient.communication.language"),
            (json!({ "deceasedDateTime": "yesterday" }), "Patient.deceasedDateTime"),
        ] {
            let mut bent = lawful.clone();
            for (name, value) in bend.as_object().unwrap() {
                bent[name] = value.clone();
            }
            assert_eq!(check(&bent).unwrap_err().id, said, "{bent}");
        }
    }

    #[test]
    fn a_resource_within_resources_is_checked_and_depth_has_an_end() {
        let lost = json!({ "resourceType": "Bundle", "type": "collection",
            "entry": [{ "resource": { "resourceType": "Coverage", "status": "active" } }] });
        assert_eq!(check(&lost).unwrap_err().id, "Coverage.beneficiary");
        let mut deep = json!({ "resourceType": "Bundle", "type": "collection" });
        for _ in 0..100 {
            deep = json!({ "resourceType": "Bundle", "type": "collection", "entry": [{ "resource": deep }] });
        }
        assert_eq!(check(&deep).unwrap_err().expected, "less depth");
    }
}
