//! What is written here as FHIR R4 is read by an independent reading of the R4 definitions, without a finding: structure,
//! types, cardinality, required bindings, and no element that the standard does not have.

use crate::fhir::{order_variants, person_with_policies, prescription, taken};
use crate::reports::report;
use harbor_core::orders::ReportStatus;
use harbor_formats::fhir::laboratory::{Moved, TakenBack, write_moved, write_taken_back};
use harbor_formats::fhir::reports::write_report;
use harbor_formats::fhir::specimen::write_taken;
use harbor_formats::fhir::{laboratory, pharmacy};
use serde_json::{Value, json};
use std::path::Path;
use std::process::Command;
use std::sync::atomic::{AtomicU32, Ordering};

/// The findings in these resources, each with the name it was given.
fn findings(resources: &[(String, Value)]) -> String {
    let here = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests");
    static COUNT: AtomicU32 = AtomicU32::new(0);
    let own = (std::process::id(), COUNT.fetch_add(1, Ordering::Relaxed));
    let file = std::env::temp_dir().join(format!("harbor-r4-{}-{}.jsonl", own.0, own.1));
    let lines: Vec<String> =
        resources.iter().map(|(name, resource)| json!({ "name": name, "resource": resource }).to_string()).collect();
    std::fs::write(&file, lines.join("\n")).unwrap();
    let out = Command::new("node").arg(here.join("read_fhir.mjs")).arg(&file).output().unwrap();
    std::fs::remove_file(&file).unwrap();
    assert!(out.status.success(), "{}", String::from_utf8_lossy(&out.stderr));
    String::from_utf8(out.stdout).unwrap()
}

#[test]
fn everything_written_is_lawful_to_an_independent_reader() {
    let at = "2026-11-23T16:00:00Z".parse().unwrap();
    let back = TakenBack { reference: "O1".into(), requisition: "R1".into(), reason: "the wrong patient".into(), at };
    let diagnoses = vec![("E78.5".to_owned(), "Hyperlipidemia".to_owned())];
    let moved = Moved { reference: "O1".into(), requisition: "R1".into(), diagnoses, at };
    let mut written = vec![
        ("taken back".to_owned(), write_taken_back(&back).unwrap()),
        ("moved".to_owned(), write_moved(&moved).unwrap()),
        ("specimens".to_owned(), write_taken(&taken()).unwrap()),
        ("prescription".to_owned(), pharmacy::write_prescription(&prescription()).unwrap()),
        ("person".to_owned(), person_with_policies()),
    ];
    for (n, order) in order_variants().iter().enumerate() {
        written.push((format!("order {n}"), laboratory::write_order(order).unwrap()));
    }
    for status in ReportStatus::ALL {
        let one = harbor_core::orders::LabReport { status: *status, ..report() };
        written.push((format!("report {status}"), write_report(&one).unwrap()));
    }
    let read = |(name, text): (String, String)| (name, serde_json::from_str(&text).unwrap());
    let resources: Vec<(String, Value)> = written.into_iter().map(read).collect();
    assert_eq!(findings(&resources), "");
}

#[test]
fn the_independent_reader_finds_what_is_wrong() {
    let task = json!({ "resourceType": "Task", "status": "asked", "intent": "order", "colour": "red" });
    let account = json!({ "resourceType": "Account", "status": "active", "guarantor": [{ "onHold": true }] });
    let found = findings(&[("task".into(), task), ("account".into(), account)]);
    for wanted in ["Task.status", "Task.colour", "Account.guarantor[0].party"] {
        assert!(found.contains(wanted), "{wanted}: {found}");
    }
}
