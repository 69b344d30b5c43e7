//! Reports of the laboratory: written and read back, as others write them, and what is not to be read as something else.

use chrono::{NaiveDate, TimeZone, Utc};
use harbor_core::orders::candidates::NamedPerson;
use harbor_core::orders::{
    Comparator, FlaggedBy, Interpretation, LabReport, Limits, ReportFile, ReportStatus, ReportedValue, Said,
};
use harbor_formats::fhir::reports::{read_report, write_report};
use proptest::prelude::*;
use serde_json::{Value, json};

/// A report with one of everything.
pub fn report() -> LabReport {
    let plain = ReportedValue::measured("2823-3", "Potassium", 5.4, "mmol/L", 3.5, 5.1);
    let critical = ReportedValue { critical: Limits::between(2.8, 6.2), said: Said::number(7.1), ..plain.clone() };
    let flagged = ReportedValue {
        own_code: "urn:laboratory:test|777".into(),
        interpretation: Some(Interpretation::Normal),
        flagged_by: Some(FlaggedBy::Laboratory),
        method: "Ion-selective electrode".into(),
        note: "Slightly hemolysed.".into(),
        ..plain.clone()
    };
    let below = Said::Number { comparator: Some(Comparator::Below), value: 5.0 };
    let bounded = ReportedValue { unit: "mg/L".into(), ..ReportedValue::new("1988-5", "C-reactive protein", below) };
    let titer = ReportedValue {
        range: "below 1:40".into(),
        ..ReportedValue::new("", "Antinuclear antibodies", Said::Words("1:80".into()))
    };
    LabReport {
        number: "GP-8117".into(),
        order_reference: "O2".into(),
        subject: NamedPerson {
            record_number: "IH-10005".into(),
            last: "Ferreira-Holm".into(),
            first: "Lucan".into(),
            birth_date: NaiveDate::from_ymd_opt(1968, 2, 11),
            sex: "M".into(),
        },
        status: ReportStatus::Final,
        issued: Utc.with_ymd_and_hms(2026, 11, 24, 9, 0, 0).unwrap(),
        name: "Basic metabolic panel".into(),
        performer: "Gannet Point Laboratory".into(),
        values: vec![
            plain,
            ReportedValue { interpretation: None, flagged_by: None, ..critical }.interpreted(),
            flagged,
            bounded,
            titer,
            ReportedValue::new("2345-7", "Glucose", Said::NotMeasured("specimen clotted".into())),
        ],
        conclusion: "Repeat the potassium.".into(),
        files: vec![ReportFile {
            title: "As printed".into(),
            media_type: "application/pdf".into(),
            content: b"%PDF-1.7 \x00\xff".to_vec(),
        }],
    }
}

#[test]
fn a_report_reads_back_in_every_state() {
    for status in ReportStatus::ALL {
        let sent = LabReport { status: *status, ..report() };
        let text = write_report(&sent).unwrap();
        assert_eq!(read_report(text.as_bytes()).unwrap(), sent, "{status}");
    }
    let bare = LabReport {
        order_reference: String::new(),
        subject: NamedPerson::default(),
        performer: String::new(),
        conclusion: String::new(),
        values: vec![],
        files: vec![],
        ..report()
    };
    assert_eq!(read_report(write_report(&bare).unwrap().as_bytes()).unwrap(), bare);
}

/// The first value of a report whose first observation is bent.
fn bent(bend: &Value) -> ReportedValue {
    let mut written: Value = serde_json::from_str(&write_report(&report()).unwrap()).unwrap();
    let o = written["contained"][0].as_object_mut().unwrap();
    for (name, value) in bend.as_object().unwrap() {
        match value {
            Value::Null => o.remove(name),
            value => o.insert(name.clone(), value.clone()),
        };
    }
    read_report(written.to_string().as_bytes()).unwrap().values.remove(0)
}

#[test]
fn a_value_is_read_as_what_it_is() {
    let instead = |what: Value| {
        let mut bend = json!({ "valueQuantity": null, "referenceRange": null });
        bend.as_object_mut().unwrap().extend(what.as_object().unwrap().clone());
        bent(&bend).said
    };
    for (what, is) in [
        (json!({ "valueInteger": 3 }), "3"),
        (json!({ "valueQuantity": { "value": 5, "comparator": "<" } }), "<5"),
        (json!({ "valueQuantity": { "value": 5, "comparator": ">=" } }), ">=5"),
        (json!({ "valueString": "no growth" }), "no growth"),
        (json!({ "valueString": "5.4" }), "5.4"),
        (json!({ "valueBoolean": true }), "yes"),
        (json!({ "valueCodeableConcept": { "text": "positive" } }), "positive"),
        (json!({ "valueCodeableConcept": { "coding": [{ "code": "10828004", "display": "Positive" }] } }), "Positive"),
        (json!({ "valueRatio": { "numerator": { "value": 1 }, "denominator": { "value": 80 } } }), "1:80"),
        (json!({ "valueRange": { "low": { "value": 0 }, "high": { "value": 2, "unit": "/[HPF]" } } }), "0–2 /[HPF]"),
        (json!({ "valueSampledData": {} }), "said in a way that is not read here; see what the laboratory sent"),
        (json!({ "dataAbsentReason": { "text": "hemolysed" } }), "not measured: hemolysed"),
        (json!({}), "not measured"),
    ] {
        assert_eq!(instead(what.clone()).in_words(), is, "{what}");
    }
    assert_eq!(instead(json!({ "valueString": "5.4" })).exactly(), None, "words are no number");
}

#[test]
fn codes_units_and_marks_are_taken_from_the_system_they_are_of() {
    let own = json!({ "system": "urn:laboratory:test", "code": "777" });
    let loinc = json!({ "system": "http://loinc.org", "code": "2823-3" });
    let coded = bent(&json!({ "code": { "coding": [own, loinc], "text": "Kalium" } }));
    assert_eq!((coded.loinc.as_str(), coded.own_code.as_str()), ("2823-3", "urn:laboratory:test|777"));
    let coded = bent(&json!({ "code": { "coding": [own] } }));
    assert_eq!((coded.loinc.as_str(), coded.name.as_str()), ("", "777"), "a code of their own is no LOINC code");
    // The printed unit counts only where there is no UCUM code.
    let unit = |q: Value| bent(&json!({ "valueQuantity": q })).unit;
    let ucum = "http://unitsofmeasure.org";
    assert_eq!(unit(json!({ "value": 2, "unit": "mIU/L", "system": ucum, "code": "m[IU]/L" })), "m[IU]/L");
    assert_eq!(unit(json!({ "value": 2, "unit": "mIU/L", "code": "X1" })), "mIU/L");
    let marked = |code: &str| {
        let v3 = "http://terminology.hl7.org/CodeSystem/v3-ObservationInterpretation";
        bent(&json!({ "interpretation": [{ "coding": [{ "system": v3, "code": code }], "text": "see below" }] }))
    };
    for (code, is) in [
        ("HH", Interpretation::CriticalHigh),
        ("HU", Interpretation::CriticalHigh),
        ("<", Interpretation::Low),
        ("ND", Interpretation::Negative),
        ("A", Interpretation::Abnormal),
    ] {
        let value = marked(code);
        assert_eq!((value.interpretation, value.flagged_by), (Some(is), Some(FlaggedBy::Laboratory)), "{code}");
    }
    // What is unknown here is told in its words, and the range tells the rest.
    let odd = marked("QCF");
    assert_eq!((odd.interpretation, odd.flagged_by), (Some(Interpretation::High), Some(FlaggedBy::Range)));
    assert_eq!(odd.note, "The laboratory's mark: see below");
}

#[test]
fn a_bundle_brings_its_observations_panels_and_person() {
    let observation = |id: &str, rest: Value| {
        let mut o = json!({ "resourceType": "Observation", "id": id, "status": "final", "code": { "text": id } });
        o.as_object_mut().unwrap().extend(rest.as_object().unwrap().clone());
        json!({ "fullUrl": format!("urn:uuid:{id}"), "resource": o })
    };
    let part = |name: &str| json!({ "code": { "text": name }, "valueQuantity": { "value": 80, "unit": "mm[Hg]" } });
    let bundle = json!({ "resourceType": "Bundle", "type": "collection", "entry": [
        { "resource": { "resourceType": "DiagnosticReport", "status": "final", "code": { "text": "Panel" },
            "identifier": [{ "value": "B-1" }], "issued": "2026-11-24T09:00:00Z",
            "subject": { "reference": "Patient/p7" }, "performer": [{ "reference": "urn:uuid:lab" }],
            "result": [{ "reference": "urn:uuid:panel" }, { "reference": "Observation/both" }] } },
        observation("panel", json!({ "hasMember": [{ "reference": "urn:uuid:one" }, { "reference": "urn:uuid:panel" }] })),
        observation("one", json!({ "valueString": "1" })),
        observation("both", json!({ "component": [part("upper"), part("lower")] })),
        { "fullUrl": "urn:uuid:lab", "resource": { "resourceType": "Organization", "name": "Gannet Point" } },
        { "resource": { "resourceType": "Patient", "id": "p7", "birthDate": "1968-02-11", "gender": "female",
            "identifier": [{ "system": "urn:laboratory:patient", "value": "77" }, { "system": "urn:indigo-harbor:record", "value": "IH-10005" }],
            "name": [{ "family": "Holm", "given": ["Lu"] }] } }
    ]});
    let read = read_report(bundle.to_string().as_bytes()).unwrap();
    let names: Vec<&str> = read.values.iter().map(|v| v.name.as_str()).collect();
    assert_eq!(names, ["one", "upper", "lower"]);
    assert_eq!((read.performer.as_str(), read.subject.record_number.as_str()), ("Gannet Point", "IH-10005"));
    assert_eq!((read.subject.last.as_str(), read.subject.sex.as_str()), ("Holm", "F"));
    // A value that is named and not brought would be lost without anybody seeing it.
    let mut lost = bundle.clone();
    lost["entry"].as_array_mut().unwrap().remove(2);
    assert!(read_report(lost.to_string().as_bytes()).unwrap_err().to_string().contains("urn:uuid:one"));
    let mut two = bundle.clone();
    let again = two["entry"][0].clone();
    two["entry"].as_array_mut().unwrap().push(again);
    assert!(read_report(two.to_string().as_bytes()).unwrap_err().to_string().contains("exactly one DiagnosticReport"));
}

#[test]
fn a_person_told_only_by_a_name_is_told_by_it() {
    let mut written: Value = serde_json::from_str(&write_report(&report()).unwrap()).unwrap();
    for (shown, last, first) in
        [("Ferreira-Holm, Lucan", "Ferreira-Holm", "Lucan"), ("Lucan Holm", "Holm", "Lucan"), ("", "", "")]
    {
        written["subject"] = json!({ "identifier": { "value": "IH-10005" } });
        if !shown.is_empty() {
            written["subject"]["display"] = json!(shown);
        }
        let read = read_report(written.to_string().as_bytes()).unwrap().subject;
        assert_eq!((read.last.as_str(), read.first.as_str()), (last, first));
        assert_eq!((read.record_number.as_str(), read.birth_date, read.sex.as_str()), ("IH-10005", None, ""));
    }
}

#[test]
fn more_than_anybody_reads_is_refused_and_odd_words_are_made_plain() {
    let one = ReportedValue::new("", "x", Said::Words("y".into()));
    let many = LabReport { values: vec![one; 2001], ..report() };
    assert!(read_report(write_report(&many).unwrap().as_bytes()).unwrap_err().to_string().contains("2000 values"));
    let odd = bent(
        &json!({ "valueQuantity": null, "referenceRange": null, "valueString": format!("a\u{0}b{}", "c".repeat(30_000)) }),
    );
    let Said::Words(words) = odd.said else { panic!("{odd:?}") };
    assert!(words.starts_with("abc") && words.len() == 20_000);
}

proptest! {
    #[test]
    fn any_number_reads_back(number in -1e6f64..1e6, digits in 0i32..6) {
        let scale = 10f64.powi(digits);
        let rounded = (number * scale).round() / scale;
        let mut reported = report();
        reported.values.truncate(1);
        reported.values[0].said = Said::number(rounded);
        let text = write_report(&reported).unwrap();
        prop_assert_eq!(&read_report(text.as_bytes()).unwrap().values[0].said, &Said::number(rounded));
    }
}
