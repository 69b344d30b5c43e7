//! A payer is asked to approve a medicine: request and decision read back, what is missing is named.

use chrono::{NaiveDate, TimeZone, Utc};
use harbor_core::coverage::Relationship;
use harbor_core::orders::TestPolicy;
use harbor_core::prescribing::approvals::{ApprovalDecision, ApprovalRequest, ApprovalVerdict, needs_approval};
use harbor_formats::csv_tables::medicines::shipped;
use harbor_formats::fhir::approval::{read_decision, read_request, write_decision, write_request};
use serde_json::Value;

fn request() -> ApprovalRequest {
    ApprovalRequest {
        reference: "A-1".into(),
        subject: crate::fhir::subject(),
        payer_code: "COMWC".into(),
        policy: TestPolicy {
            payer: "Commonweal Care".into(),
            subscriber_number: "CW1001".into(),
            group_number: "G7".into(),
            relationship: Relationship::Child,
            holder: Some("Joris Achterberg".into()),
        },
        prescriber_name: "Dr. Oriane Valcourt".into(),
        prescriber_npi: "1234567893".into(),
        asked: Utc.with_ymd_and_hms(2026, 12, 1, 15, 20, 0).unwrap(),
        medicine: "Semagholm 0.25 mg injection".into(),
        product_code: "semagholm-0_25".into(),
        instructions: "Inject 1 injection under the skin once a week for 28 days.".into(),
        quantity: 4,
        days: 28,
        covered_use: "type 2 diabetes".into(),
        reason: "metformin was not borne".into(),
        diagnosis: Some(("E11.9".into(), "Type 2 diabetes mellitus without complications".into())),
        answers: vec![("What was tried?".into(), "metformin, 6 months".into()), ("Pancreas?".into(), "no".into())],
    }
}

#[test]
fn a_request_reads_back_with_its_questions() {
    let asked = request();
    let text = write_request(&asked).unwrap();
    assert_eq!(read_request(text.as_bytes()).unwrap(), asked);
    assert_eq!(text, write_request(&asked).unwrap(), "sent again it is the same");
    let own = TestPolicy { holder: None, relationship: Relationship::SelfHolder, ..asked.policy.clone() };
    let bare = ApprovalRequest { policy: own, reason: String::new(), diagnosis: None, answers: vec![], ..asked };
    assert_eq!(read_request(write_request(&bare).unwrap().as_bytes()).unwrap(), bare);
    for nonsense in ["", "{", "[]", r#"{"resourceType":"Bundle","type":"transaction"}"#] {
        assert!(read_request(nonsense.as_bytes()).is_err(), "{nonsense}");
    }
    let claim = text.replace("preauthorization", "claim");
    assert!(read_request(claim.as_bytes()).unwrap_err().to_string().contains("preauthorization"));
}

#[test]
fn a_decision_reads_back_and_what_is_missing_is_named() {
    let day = |m, d| NaiveDate::from_ymd_opt(2026, m, d).unwrap();
    let decided = |verdict| ApprovalDecision { reference: "A-1".into(), verdict };
    let granted = decided(ApprovalVerdict::Granted { number: "PA-77".into(), until: Some(day(12, 31)) });
    let endless = decided(ApprovalVerdict::Granted { number: "PA-78".into(), until: None });
    let refused = decided(ApprovalVerdict::Refused { reason: "another medicine first".into() });
    for one in [&granted, &endless, &refused] {
        assert_eq!(read_decision(write_decision(one, day(12, 1)).unwrap().as_bytes()).unwrap(), *one);
    }
    let sane: Value = serde_json::from_str(&write_decision(&refused, day(12, 1)).unwrap()).unwrap();
    for (field, value) in [
        ("request", Value::Null),
        ("disposition", Value::Null),
        ("outcome", "queued".into()),
        ("use", "claim".into()),
        ("status", "maybe".into()),
    ] {
        let mut wrong = sane.clone();
        match value {
            Value::Null => drop(wrong.as_object_mut().unwrap().remove(field)),
            value => wrong[field] = value,
        }
        let said = read_decision(wrong.to_string().as_bytes()).unwrap_err().to_string();
        assert!(said.contains(field), "{field}: {said}");
    }
    let late = write_decision(&granted, day(12, 1)).unwrap().replace("2026-12-31", "the 31st");
    assert!(read_decision(late.as_bytes()).is_err());
}

/// The shipped rules: what is needed, which use the chart meets, and where a payer asks nothing.
#[test]
fn covered_uses_are_met_by_the_chart_or_not() {
    let rules = shipped().unwrap();
    let product = |code: &str| rules.product(code).unwrap();
    let needs = |payer: &str, code: &str, present: &[&str]| {
        let present: Vec<String> = present.iter().map(|c| (*c).to_owned()).collect();
        let found = needs_approval(&rules, payer, product(code), &present)?;
        Some(found.uses.into_iter().map(|u| (u.covered.name.clone(), u.met_by)).collect::<Vec<_>>())
    };
    let diabetes = "type 2 diabetes".to_owned();
    assert_eq!(
        needs("SALTM", "semagholm-0_25", &["I10", "E11.9"]),
        Some(vec![(diabetes.clone(), Some("E11.9".into()))])
    );
    assert_eq!(needs("SALTM", "semagholm-0_25", &["I10", "E10.9"]), Some(vec![(diabetes, None)]));
    assert_eq!(
        needs("COMWC", "semagholm-0_25", &["E11.22"]).unwrap().iter().filter(|(_, met)| met.is_some()).count(),
        2
    );
    assert_eq!(needs("SALTM", "lisovane-10", &["I10"]), None, "this payer asks nothing for it");
    assert_eq!(needs("FERRY", "semagholm-0_25", &[]), None, "this payer has no such rule");
    // Every medicine with a covered use is asked about, and no question is about one without.
    for covered in &rules.covered_uses {
        assert!(
            rules.products().iter().any(|p| {
                let asked = covered.payers.first().and_then(|payer| needs_approval(&rules, payer, p, &[]));
                asked.is_some_and(|n| !n.questions.is_empty() && n.uses.iter().any(|u| u.covered.name == covered.name))
            }),
            "{} has no product, or no question",
            covered.name
        );
        assert!(covered.granted_days > 0 && covered.codes.iter().all(|c| c.len() >= 3), "{}", covered.name);
    }
}
