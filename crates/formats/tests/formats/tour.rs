//! A guided tour: the release of diagnosis codes, an order to the laboratory and its report, a
//! prescription. The X12 sets have their own file beside this one.

use chrono::{NaiveDate, TimeZone, Utc};
use harbor_core::consult::diagnoses::{CodeProblem, DiagnosisIndex};
use harbor_core::orders::candidates::NamedPerson;
use harbor_core::orders::questions::AnswerValue;
use harbor_core::orders::*;
use harbor_core::prescribing::{DoseUnit, SentItem};
use harbor_formats::fhir::{laboratory, pharmacy, reports};
use harbor_formats::icd10cm;

fn release() -> icd10cm::Release {
    let bytes =
        std::fs::read(concat!(env!("CARGO_MANIFEST_DIR"), "/../../data/icd10cm-tabular-2026-04.xml.gz")).unwrap();
    icd10cm::read(&bytes).unwrap()
}

#[test]
fn the_release_of_diagnosis_codes() {
    let release = release();
    assert_eq!(release.version, "2026");
    let index = DiagnosisIndex::new(release.entries);
    // Counted in the file itself: its <diag> elements.
    assert_eq!(index.len(), 46_881);

    // Finding: words in any order, beginnings of words, inclusion terms, code fragments.
    let first = |typed: &str| index.search(typed, &[], 10).first().map(|h| h.code.clone()).unwrap_or_default();
    assert_eq!(first("hypertension essential"), "I10");
    assert_eq!(first("high blood pressure"), "I10");
    assert_eq!(first("obstr sleep apn"), "G47.33");
    assert_eq!(first("type 2 diabetes without comp"), "E11.9");
    assert_eq!(first("e785"), "E78.5");
    assert_eq!(first("chronic cough"), "R05.3");

    // What may be billed, and what is missing.
    assert!(matches!(index.resolve("E11"), Err(CodeProblem::TooGeneral { .. })));
    assert!(matches!(index.resolve("S93.401"), Err(CodeProblem::NeedsSeventh { .. })));
    assert_eq!(index.resolve("S93401A").unwrap().code, "S93.401A");
    assert_eq!(index.resolve("W19XXXA").unwrap().code, "W19.XXXA");
    assert_eq!(index.resolve("M54.50").unwrap().undotted(), "M5450");

    // What may stand together.
    let stops = |codes: &[&str]| index.check_together(codes).into_iter().filter(|f| f.stops_billing).count();
    assert_eq!(stops(&["E78.5", "I10", "G47.33"]), 0);
    assert_eq!(stops(&["E11.9", "E10.9"]), 1);
    assert_eq!(stops(&["J45.20", "J45.20"]), 1);
}

#[test]
fn a_release_that_is_cut_or_is_none_is_refused() {
    for bytes in [
        &b""[..],
        b"<x/>",
        b"<ICD10CM.tabular><version>1</version>",
        b"\x1f\x8b broken",
        b"<ICD10CM.tabular></ICD10CM.tabular>",
    ] {
        assert!(icd10cm::read(bytes).is_err(), "{}", String::from_utf8_lossy(bytes));
    }
}

fn subject() -> Subject {
    Subject {
        record_number: "IH-10007".into(),
        last: "Takahashi-Doyle".into(),
        first: "Wren".into(),
        birth_date: NaiveDate::from_ymd_opt(1992, 5, 1).unwrap(),
        sex: "F".into(),
    }
}

#[test]
fn an_order_and_its_report() {
    let requisition = Requisition {
        reference: "R100".into(),
        subject: subject(),
        orderer_name: "Dr. Oriane Valcourt".into(),
        orderer_npi: "1234567893".into(),
        authored: Utc.with_ymd_and_hms(2026, 11, 23, 15, 0, 0).unwrap(),
        tests: vec![
            RequestedTest {
                reference: "O1".into(),
                loinc: "2823-3".into(),
                name: "Potassium".into(),
                diagnoses: vec![("N18.31".into(), "Chronic kidney disease, stage 3a".into())],
                answers: vec![("Fasting?".into(), AnswerValue::YesNo(true))],
                priority: Priority::Urgent,
            },
            RequestedTest {
                reference: "O2".into(),
                loinc: "718-7".into(),
                name: "Hemoglobin".into(),
                diagnoses: vec![],
                answers: vec![],
                priority: Priority::Routine,
            },
        ],
        account: None,
        specimens: vec![],
    };
    let sent = laboratory::write_order(&requisition).unwrap();
    assert_eq!(laboratory::read_order(sent.as_bytes()).unwrap(), requisition);

    let report = LabReport {
        number: "G-1".into(),
        order_reference: "O1".into(),
        subject: NamedPerson { record_number: "IH-10007".into(), ..NamedPerson::default() },
        status: ReportStatus::Final,
        issued: Utc.with_ymd_and_hms(2026, 11, 23, 17, 0, 0).unwrap(),
        name: "Potassium".into(),
        performer: "Gannet Point Laboratory".into(),
        values: vec![
            ReportedValue::measured("2823-3", "Potassium", 5.4, "mmol/L", 3.5, 5.1),
            ReportedValue::new("718-7", "Comment", Said::Words("hemolysed".into())),
        ],
        conclusion: "Repeat with a fresh specimen.".into(),
        files: vec![],
    };
    let sent = reports::write_report(&report).unwrap();
    assert_eq!(reports::read_report(sent.as_bytes()).unwrap(), report);

    for nonsense in [
        "",
        "{",
        "{}",
        "[1]",
        r#"{"resourceType":"DiagnosticReport","status":"maybe"}"#,
        r#"{"resourceType":"Patient"}"#,
    ] {
        assert!(reports::read_report(nonsense.as_bytes()).is_err(), "{nonsense}");
        assert!(laboratory::read_order(nonsense.as_bytes()).is_err(), "{nonsense}");
    }
}

#[test]
fn a_prescription() {
    let item = SentItem {
        reference: "P1".into(),
        subject: subject(),
        prescriber_name: "Dr. Oriane Valcourt".into(),
        prescriber_npi: "1234567893".into(),
        authored: Utc.with_ymd_and_hms(2026, 11, 23, 15, 0, 0).unwrap(),
        medicine: "Budesal 200 micrograms inhaler".into(),
        product_code: "budesal-200".into(),
        instructions: "Inhale 1 puff twice a day for 30 days.".into(),
        dosage: None,
        group: "H1".into(),
        pharmacy: "Breakwater Pharmacy".into(),
        route: "oral".into(),
        unit: DoseUnit::Tablet,
        substitution: true,
        note: String::new(),
        replaces: None,
        approval: None,
        quantity: 60,
        days: 30,
        refills: 2,
        reason: Some(("J45.20".into(), "Mild intermittent asthma".into())),
    };
    let sent = pharmacy::write_prescription(&item).unwrap();
    assert_eq!(pharmacy::read_prescription(sent.as_bytes()).unwrap(), item);
}
