//! What the database holds as JSON or as a code is read whole or not at all.

use diesel_async::SimpleAsyncConnection;
use harbor_core::coverage::{BenefitAnswer, Refusal};
use harbor_core::money::Cents;
use harbor_demo::testing::rolled_back;
use harbor_store::arrival::check_in::rules;
use harbor_store::documents::{Carried, StoredAnswer};
use harbor_store::orders::results::waiting;
use serde_json::json;

#[test]
fn a_payers_answer_comes_back_as_it_was_kept() {
    let answer = BenefitAnswer {
        trace: "BQ1".into(),
        payer_name: "A payer".into(),
        active: Some(true),
        plan_name: "Plan".into(),
        copay: Some(Cents::new(2500)),
        copay_covers_visit: true,
        coinsurance: Some(2000),
        deductible: Some(Cents::new(150_000)),
        deductible_left: Some(Cents::new(1)),
        out_of_pocket: Some(Cents::new(500_000)),
        out_of_pocket_left: None,
        plan_begins: chrono::NaiveDate::from_ymd_opt(2026, 1, 1),
        plan_ends: None,
        refusals: vec![Refusal { place: "2100C".into(), reason: "72".into(), follow_up: "C".into() }],
        messages: vec!["said".into()],
        not_covered: vec!["35".into()],
        other_plans: vec!["another".into()],
    };
    let kept = serde_json::to_value(StoredAnswer::from(&answer)).unwrap();
    let read: StoredAnswer = serde_json::from_value(kept).unwrap();
    assert_eq!(read.in_core(), answer);
}

/// Rows that an older program wrote have fewer parts.
#[test]
fn what_an_older_program_kept_can_be_read() {
    let tie = ["018f0000-0000-7000-8000-000000000001", "018f0000-0000-7000-8000-000000000002", "parent"];
    let kept = json!({ "visits.person_id": ["a", "b"], "relations": [tie] });
    let carried: Carried = serde_json::from_value(kept.clone()).unwrap();
    assert_eq!((carried.rows["visits.person_id"].len(), carried.relations.len()), (2, 1));
    assert_eq!(serde_json::to_value(&carried).unwrap(), kept);
}

/// A report that cannot be read is an error, never "nothing waits for review".
#[actix_web::test]
async fn a_report_that_cannot_be_read_is_not_passed_over() {
    for set in [
        r#"update lab_reports set subject = '{"last": 5}' where reviewed_at is null"#,
        "update lab_reports set urgency = 'moon' where reviewed_at is null",
        "alter table result_values disable trigger user; update result_values set flag = '??', flagged_by = 'range'",
    ] {
        rolled_back(async |conn| {
            assert!(!waiting(conn, None).await.unwrap().0.is_empty());
            conn.batch_execute(set).await.unwrap();
            assert!(waiting(conn, None).await.is_err(), "{set}");
        })
        .await
        .unwrap();
    }
}

/// The same for a code: a state that only a newer program knows.
#[actix_web::test]
async fn a_condition_of_an_unknown_kind_makes_no_silent_alert() {
    rolled_back(async |conn| {
        rules(conn).await.unwrap();
        let set = r#"update alert_rules set conditions = '[{"kind":"moon","value":"full"}]'"#;
        conn.batch_execute(set).await.unwrap();
        assert!(rules(conn).await.is_err());
    })
    .await
    .unwrap();
    rolled_back(async |conn| assert!(!rules(conn).await.unwrap().is_empty(), "it was rolled back")).await.unwrap();
}
