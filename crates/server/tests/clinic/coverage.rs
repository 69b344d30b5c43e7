//! Policies: ranks and dates, policyholders, copies for the household, and the evening's questions.

use crate::{Hand, id};
use harbor_demo::testing::{Product, day};
use serde_json::{Value, json};

async fn add(desk: &Hand, first: &str, born: &str) -> String {
    let form = json!({ "firstName": first, "lastName": "Saltbox", "birthDate": born, "sex": "F", "notATwin": true });
    id(&desk.post("/api/people", form).await.ok())
}

async fn payer(desk: &Hand, code: &str) -> Value {
    let clinic = desk.get("/api/clinic").await;
    clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == code).unwrap()["id"].clone()
}

#[actix_web::test]
async fn the_rank_in_force_counts_and_an_ended_policy_stays_readable() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let runa = add(&desk, "Runa", "3/3/1985").await;
    let path = format!("/api/people/{runa}/coverages");
    let salt = payer(&desk, "SALTM").await;
    let old = json!({ "payerId": salt, "subscriberNumber": "SM1", "startsOn": "1/1/2024", "endsOn": "12/31/2025" });
    desk.post(&path, old).await.ok();
    let second = json!({ "payerId": salt, "subscriberNumber": "SM2", "rank": "S", "startsOn": "1/1/2026" });
    desk.post(&path, second).await.ok();
    let counting = |list: &Value| {
        let all = list.as_array().unwrap().clone();
        all.iter().find(|c| c["countsToday"] == true).map(|c| c["coverage"]["subscriberNumber"].clone())
    };
    assert_eq!(counting(&desk.get(&path).await), Some(json!("SM2")), "the second counts while no first is in force");
    let first = json!({ "payerId": salt, "subscriberNumber": "SM3", "startsOn": "6/1/2026", "copay": "20" });
    desk.post(&path, first).await.ok();
    let list = desk.get(&path).await;
    assert_eq!((counting(&list), list.as_array().unwrap().len()), (Some(json!("SM3")), 3), "nothing is overwritten");
    let overlapping = json!({ "payerId": salt, "subscriberNumber": "SM4", "startsOn": "7/1/2026" });
    assert!(desk.post(&path, overlapping).await.detail().contains("end it first"));
    let negative = json!({ "payerId": salt, "subscriberNumber": "SM4", "rank": "T", "copay": "-5" });
    assert_eq!(desk.post(&path, negative).await.body["fields"][0]["field"], "copay");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_child_holds_no_policy_and_a_known_number_is_asked_about() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (runa, pim) = (add(&desk, "Runa", "3/3/1985").await, add(&desk, "Pim", "5/5/2019").await);
    let salt = payer(&desk, "SALTM").await;
    let own = json!({ "payerId": salt, "subscriberNumber": "SM700", "startsOn": "1/1/2026" });
    let child = desk.post(&format!("/api/people/{pim}/coverages"), own.clone()).await;
    assert_eq!(child.detail(), "Pim Saltbox was 6 when the policy began; choose the adult who holds it.");
    desk.post(&format!("/api/people/{runa}/coverages"), own.clone()).await.ok();
    let through = json!({ "payerId": salt, "subscriberNumber": "SM700", "relationship": "19", "holderId": runa, "startsOn": "1/1/2026" });
    desk.post(&format!("/api/people/{pim}/coverages"), through).await.ok();
    let stranger = add(&desk, "Tove", "7/7/1970").await;
    let path = format!("/api/people/{stranger}/coverages");
    let asked = desk.post(&path, own.clone()).await;
    assert_eq!(asked.body["type"], "urn:indigo-harbor:subscriber-known");
    assert!(asked.detail().contains("Runa Saltbox"), "{}", asked.body);
    let mut knowingly = own;
    knowingly["knowingly"] = json!(true);
    desk.post(&path, knowingly).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_policy_is_copied_to_each_by_name_and_relationship() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (runa, pim, ida) = (
        add(&desk, "Runa", "3/3/1985").await,
        add(&desk, "Pim", "5/5/2019").await,
        add(&desk, "Ida", "5/5/2021").await,
    );
    let policy = json!({ "payerId": payer(&desk, "BEACN").await, "subscriberNumber": "BS900", "groupNumber": "G7", "startsOn": "1/1/2026" });
    let policy = id(&desk.post(&format!("/api/people/{runa}/coverages"), policy).await.ok());
    let copy = format!("/api/coverages/{policy}/copy");
    assert_eq!(desk.post(&copy, json!([])).await.status, 422);
    let unrelated = desk.post(&copy, json!([{ "personId": pim, "relationship": "18" }])).await;
    assert_eq!(unrelated.body["fields"][0]["field"], "relationship");
    let both = json!([{ "personId": pim, "relationship": "19" }, { "personId": ida, "relationship": "19" }]);
    let made = desk.post(&copy, both.clone()).await.ok();
    assert_eq!((made.as_array().unwrap().len(), &made[0]["holderId"]), (2, &json!(runa)));
    assert_eq!((&made[1]["groupNumber"], &made[1]["startsOn"]), (&json!("G7"), &json!("2026-01-01")));
    let again = desk.post(&copy, both).await;
    assert!(again.detail().contains("end it first"), "all or nobody: {}", again.body);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn payers_are_asked_about_tomorrow_and_the_refused_wait_at_the_desk() {
    let evening = day().and_hms_opt(0, 0, 0).unwrap().and_utc() + chrono::Duration::hours(24);
    // 19:00 at the clinic in November is midnight in UTC.
    let product = Product::start_at(evening).await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let asked = |v: &Value| {
        let hers = |w: &&Value| w["card"]["person"]["name"] == "Saltbox, Runa";
        v["waiting"].as_array().unwrap().iter().filter(hers).any(|w| w["group"] == "Coverage refused for tomorrow")
    };
    let runa = add(&desk, "Runa", "3/3/1985").await;
    let refused =
        json!({ "payerId": payer(&desk, "SALTM").await, "subscriberNumber": "SM70092", "startsOn": "1/1/2026" });
    desk.post(&format!("/api/people/{runa}/coverages"), refused).await.ok();
    let slots = desk.get("/api/open-times?from=2026-11-24").await;
    let tomorrow = slots.as_array().unwrap().iter().find(|s| s["startsAt"].as_str().unwrap().starts_with("2026-11-24"));
    let booking = json!({ "personId": runa, "slotId": tomorrow.unwrap()["id"], "reason": "x" });
    desk.post("/api/visits", booking).await.ok();
    desk.post("/api/benefits/tomorrow", json!({})).await.ok();
    let today = desk.until("/api/today", asked).await;
    let mine =
        today["waiting"].as_array().unwrap().iter().find(|w| w["card"]["person"]["name"] == "Saltbox, Runa").unwrap();
    assert_eq!((&mine["action"], &mine["place"]), (&json!("Fix coverage"), &json!("check_in")));
    assert!(mine["sentence"].as_str().unwrap().contains("no such subscriber"), "{mine}");
    let again = desk.post("/api/benefits/tomorrow", json!({})).await.ok();
    assert_eq!(again["asked"], 0, "who was asked about lately is not asked about again");
    product.stop().await.unwrap();
}
