//! The payers' desk for medicines: every row of its table, the same request twice, nonsense, and a person who decides.

use crate::outside::{Outside, lucan, now};
use chrono::Duration;
use harbor_core::coverage::Relationship;
use harbor_core::orders::TestPolicy;
use harbor_core::prescribing::approvals::{ApprovalRequest, ApprovalVerdict};
use harbor_formats::fhir::approval::{read_decision, write_request};

fn request(reference: &str, quantity: u32) -> String {
    let asked = ApprovalRequest {
        reference: reference.into(),
        subject: lucan(),
        payer_code: "SALTM".into(),
        policy: TestPolicy {
            payer: "Saltmarsh Mutual Health Plan".into(),
            subscriber_number: "SM1".into(),
            group_number: String::new(),
            relationship: Relationship::SelfHolder,
            holder: None,
        },
        prescriber_name: "Dr. Oriane Valcourt".into(),
        prescriber_npi: "1234567893".into(),
        asked: now(),
        medicine: "Semagholm 0.25 mg injection".into(),
        product_code: "semagholm-0_25".into(),
        instructions: "Inject 1 injection under the skin once a week.".into(),
        quantity,
        days: 28,
        covered_use: "type 2 diabetes".into(),
        reason: String::new(),
        diagnosis: None,
        answers: vec![],
    };
    write_request(&asked).unwrap()
}

async fn decisions(outside: &Outside) -> Vec<(String, ApprovalVerdict)> {
    let all = outside.released("/payer/decisions", 0).await;
    let read = all.iter().map(|(_, content)| read_decision(content.as_bytes()).unwrap());
    read.map(|d| (d.reference, d.verdict)).collect()
}

#[actix_web::test]
async fn a_request_is_decided_by_its_quantity_once() {
    let outside = Outside::open(true);
    for (reference, quantity) in [("A", 4), ("B", 9), ("C", 8), ("A", 4)] {
        assert_eq!(outside.post("/payer/approvals", request(reference, quantity)).await.0, 201, "{reference}");
    }
    let until = Some(now().date_naive() + Duration::days(365));
    let decided = decisions(&outside).await;
    let [(a, ApprovalVerdict::Granted { number, until: last }), (b, ApprovalVerdict::Refused { reason })] =
        decided.as_slice()
    else {
        panic!("{decided:?}")
    };
    assert_eq!((a.as_str(), b.as_str(), *last), ("A", "B", until));
    assert!(number.starts_with("SALTM") && !reason.is_empty());
    for nonsense in ["", "{", "[]", "{\"resourceType\":\"Bundle\"}"] {
        assert_eq!(outside.post("/payer/approvals", nonsense).await.0, 422, "{nonsense:?}");
    }
    outside.close().await;
}

#[actix_web::test]
async fn a_person_at_the_payer_decides_and_may_change_their_mind() {
    let outside = Outside::open(false);
    outside.post("/payer/approvals", request("A", 4)).await;
    assert!(decisions(&outside).await.is_empty(), "it waits for somebody");
    let (_, page) = outside.get("/").await;
    assert!(page.contains("Semagholm 0.25 mg injection, Ferreira-Holm"), "{page}");
    for word in ["refuse", "approve"] {
        outside.post(&format!("/payer/0/{word}"), "").await;
    }
    assert_eq!(outside.post("/payer/7/approve", "").await.0, 404);
    assert_eq!(outside.post("/payer/0/dance", "").await.0, 404);
    let decided = decisions(&outside).await;
    assert!(matches!(decided[0].1, ApprovalVerdict::Refused { .. }), "{decided:?}");
    assert!(matches!(decided[1].1, ApprovalVerdict::Granted { .. }), "{decided:?}");
    outside.close().await;
}
