//! The segments of one claim in a file, each with what it tells in our words.

use crate::x12::date;
use crate::x12::envelope::{Segment, Set};
use harbor_core::claims::Frequency;
use harbor_core::consult::diagnoses::dot;

/// A segment as it stands in the file, what it is about, and what it says of that.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ToldSegment {
    pub segment: String,
    pub what: String,
    pub says: String,
}

/// The segments of a claim, from its subscriber to its last line; nothing where the set holds no such claim.
pub fn told(set: &Set, number: &str) -> Option<Vec<ToldSegment>> {
    let is_claim = |s: &Segment| s.id == "CLM" && s.get(1) == number;
    let at = set.segments.iter().position(is_claim)?;
    let begins = |s: &Segment| s.id == "HL" && s.get(3) == "22";
    let from = set.segments[..at].iter().rposition(begins)?;
    let ends = |s: &Segment| s.id == "HL" && matches!(s.get(3), "20" | "22");
    let to = set.segments[at..].iter().position(ends).map_or(set.segments.len(), |n| at + n);
    let one = |s: &Segment| {
        let (what, says) = words(s, set.component);
        ToldSegment { segment: s.elements().collect::<Vec<_>>().join("*"), what: what.to_owned(), says }
    };
    Some(set.segments[from..to].iter().map(one).collect())
}

fn day(text: &str) -> String {
    date(text).map_or_else(|| text.to_owned(), |d| d.format("%b %-d, %Y").to_string())
}

fn name(s: &Segment) -> String {
    let person = [s.get(3), s.get(4)].into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>().join(", ");
    if s.get(9).is_empty() { person } else { format!("{person}, number {}", s.get(9)) }
}

fn joined<'a>(parts: impl IntoIterator<Item = &'a str>) -> String {
    parts.into_iter().filter(|p| !p.is_empty()).collect::<Vec<_>>().join(", ")
}

fn words(s: &Segment, component: char) -> (&'static str, String) {
    match (s.id, s.get(1)) {
        ("HL", _) => ("level", if s.get(3) == "22" { "subscriber".into() } else { "patient".into() }),
        ("SBR", rank) => {
            let rank = match rank {
                "P" => "first",
                "S" => "second",
                "T" => "third",
                other => other,
            };
            let group = if s.get(3).is_empty() { String::new() } else { format!(", group {}", s.get(3)) };
            ("policy", format!("{rank} to pay{group}, kind {}", s.get(9)))
        }
        ("PAT", code) => ("relationship", if code == "20" { "employee".into() } else { code.to_owned() }),
        ("NM1", "IL") => (if s.get(2) == "2" { "employer" } else { "subscriber" }, name(s)),
        ("NM1", "QC") => ("patient", name(s)),
        ("NM1", "PR") => ("payer", name(s)),
        ("NM1", "82") => ("who did it", name(s)),
        ("NM1", "DN") => ("who referred", name(s)),
        ("NM1", "DQ") => ("who supervised", name(s)),
        ("NM1", "77") => ("where it was", name(s)),
        ("N3", _) => ("street", joined([s.get(1), s.get(2)])),
        ("N4", _) => ("town", joined([s.get(1), s.get(2), s.get(3)])),
        ("DMG", _) => ("born, sex", joined([day(s.get(2)).as_str(), s.get(3)])),
        ("PRV", _) => ("specialty", s.get(3).to_owned()),
        ("CLM", number) => {
            let mut place = s.get(5).split(component);
            let at = place.next().unwrap_or_default();
            let frequency = place.nth(1).and_then(Frequency::from_code).map_or("", |f| f.label());
            let cause = s.get(11).split(component).next().unwrap_or_default();
            let cause = match cause {
                "" => String::new(),
                "EM" => ", accident at work".into(),
                "AA" => ", accident with a motor vehicle".into(),
                _ => ", accident".into(),
            };
            ("claim", format!("{number}, {} in all, place {at}, {frequency}{cause}", s.get(2)))
        }
        ("DTP", "431") => ("ill since", day(s.get(3))),
        ("DTP", "304") => ("last seen", day(s.get(3))),
        ("DTP", "439") => ("accident on", day(s.get(3))),
        ("DTP", "472") => ("day of service", day(s.get(3))),
        ("DTP", "573") => ("decided on", day(s.get(3))),
        ("PWK", kind) => ("attachment", joined([kind, s.get(2), s.get(6)])),
        ("AMT", "F5") => ("patient paid", s.get(2).to_owned()),
        ("AMT", "D") => ("payer before paid", s.get(2).to_owned()),
        ("AMT", "EAF") => ("left to the patient", s.get(2).to_owned()),
        ("REF", "Y4") => ("payer's number of the accident", s.get(2).to_owned()),
        ("REF", "9F") => ("referral", s.get(2).to_owned()),
        ("REF", "G1") => ("approval", s.get(2).to_owned()),
        ("REF", "F8") => ("payer's number of the claim before", s.get(2).to_owned()),
        ("REF", "6R") => ("line's own number", s.get(2).to_owned()),
        ("HI", _) => {
            let codes: Vec<String> = s.elements().skip(1).filter_map(|e| e.split(component).nth(1)).map(dot).collect();
            ("diagnoses", codes.join(", "))
        }
        ("LX", n) => ("line", n.to_owned()),
        ("SV1", service) => {
            let code: Vec<&str> = service.split(component).skip(1).collect();
            let pointers = s.get(7).replace(component, ", ");
            let place = if s.get(5).is_empty() { String::new() } else { format!(", at place {}", s.get(5)) };
            ("service", format!("{}, {} for {}{place}, diagnoses {pointers}", code.join(" "), s.get(2), s.get(4)))
        }
        ("SVD", payer) => ("payer before decided", format!("{payer} paid {}", s.get(2))),
        ("CAS", group) => ("not paid", joined([group, s.get(2), s.get(3)])),
        ("OI", _) => ("assignment", "benefits go to the clinic, and it may tell the payer".into()),
        _ => ("", joined(s.elements().skip(1))),
    }
}
