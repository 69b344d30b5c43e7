//! Registration: twins, minors, coverage dates, search.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::json;

#[actix_web::test]
async fn a_likely_twin_is_shown_before_a_record_is_made() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let slip = json!({ "firstName": "Lukan", "lastName": "Ferreira-Holm", "birthDate": "2/11/1968" });
    let reply = desk.post("/api/people", slip.clone()).await;
    assert_eq!((reply.status, reply.body["type"].as_str()), (409, Some("urn:indigo-harbor:likely-twin")));
    let twin = &reply.body["current"][0];
    assert_eq!(twin["person"]["recordNumber"], "IH-10005");
    assert!(twin["reasons"].to_string().contains("same birth date"), "{twin}");
    let mut anyway = slip;
    anyway["notATwin"] = json!(true);
    let made = desk.post("/api/people", anyway).await.ok();
    assert_eq!(made["version"], 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn people_are_found_by_any_mix() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    for (typed, record) in [
        ("fer luc", "IH-10005"),
        ("luc fer 1968", "IH-10005"),
        ("2/11/68 ferreira", "IH-10005"),
        ("ih-10005", "IH-10005"),
        ("SM47110", "IH-10005"),
        ("ferreira lukan", "IH-10005"),
        ("takahasi wren", "IH-10006"),
        ("207 555 0105", "IH-10006"),
    ] {
        let encoded: String = typed.bytes().map(|b| format!("%{b:02X}")).collect();
        let found = desk.get(&format!("/api/people?q={encoded}")).await;
        let hits: Vec<&str> =
            found.as_array().unwrap().iter().map(|h| h["person"]["recordNumber"].as_str().unwrap()).collect();
        assert!(hits.contains(&record), "{typed}: {hits:?}");
    }
    assert_eq!(desk.get("/api/people?q=zzyzx%20qqq").await, json!([]));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_minor_needs_a_responsible_party_and_a_policy_its_order_of_dates() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let child = json!({ "firstName": "Pim", "lastName": "Quarrie", "birthDate": "1/5/2019", "notATwin": true });
    let child = id(&desk.post("/api/people", child).await.ok());
    let view = desk.get(&format!("/api/people/{child}")).await;
    assert!(view["gaps"].to_string().contains("responsible party for a minor"));
    let payer = desk.get("/api/clinic").await["payers"][0]["id"].clone();
    let path = format!("/api/people/{child}/coverages");
    let backwards =
        json!({ "payerId": payer, "subscriberNumber": "AB1", "startsOn": "1/1/2026", "endsOn": "1/1/2025" });
    let reply = desk.post(&path, backwards).await;
    assert_eq!(reply.body["fields"][0]["sentence"], "The policy ends before it starts.");
    let unheld = json!({ "payerId": payer, "subscriberNumber": "AB1", "relationship": "19" });
    assert_eq!(desk.post(&path, unheld).await.body["fields"][0]["field"], "holderId");
    let first = json!({ "payerId": payer, "subscriberNumber": "AB1", "startsOn": "1/1/2026" });
    desk.post(&path, first.clone()).await.ok();
    let again = desk.post(&path, first).await;
    assert!(again.detail().contains("end it first"), "{}", again.body);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn self_pay_is_a_deliberate_record_with_a_shorter_line() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let form = json!({ "firstName": "Cass", "lastName": "Holder", "notATwin": true });
    let person = id(&desk.post("/api/people", form).await.ok());
    let slot = desk.open_slot().await;
    let booking = json!({ "personId": person, "slotId": slot["id"], "reason": "x" });
    let visit = id(&desk.post("/api/visits", booking).await.ok());
    let path = format!("/api/visits/{visit}");
    let before = desk.get(&path).await;
    assert!(before["card"]["line"].to_string().contains("self-pay is not recorded"));
    desk.post(&format!("/api/people/{person}/self-pay"), json!({})).await.ok();
    let after = desk.get(&path).await;
    assert_eq!(after["card"]["line"]["marks"].as_array().unwrap().len(), 8);
    assert_eq!(after["person"]["selfPayToldBy"], "Junia Vance");
    product.stop().await.unwrap();
}
