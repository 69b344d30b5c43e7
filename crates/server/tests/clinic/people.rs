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
    for (typed, record, why) in [
        ("fer luc", "IH-10005", "last name, first name"),
        ("luc fer 1968", "IH-10005", "first name, last name, birth year"),
        ("2/11/68 ferreira", "IH-10005", "last name, birth date"),
        ("ih-10005", "IH-10005", "record number"),
        ("10005", "IH-10005", "record number"),
        ("SM47110", "IH-10005", "subscriber number"),
        ("SM 47110", "IH-10005", "subscriber number"),
        ("sm471-10", "IH-10005", "subscriber number"),
        ("Feb 11 1968 ferreira", "IH-10005", "last name, birth date"),
        ("11feb1968 lucan", "IH-10005", "first name, birth date"),
        ("IH 10005", "IH-10005", "record number"),
        ("ih10005", "IH-10005", "record number"),
        ("1-207-555-0105", "IH-10006", "telephone"),
        ("ferreira lukan", "IH-10005", "last name, spelt like first name Lucan"),
        ("takahasi wren", "IH-10006", "spelt like last name Takahashi, first name"),
        ("207 555 0105", "IH-10006", "telephone"),
        ("5550105 wre", "IH-10006", "first name, telephone"),
        ("0105 tak", "IH-10006", "last name, telephone"),
    ] {
        let encoded: String = typed.bytes().map(|b| format!("%{b:02X}")).collect();
        let found = desk.get(&format!("/api/people?q={encoded}")).await;
        let hits = found.as_array().unwrap();
        let hit = hits.iter().find(|h| h["person"]["recordNumber"] == record);
        assert_eq!(hit.map(|h| &h["why"]), Some(&json!(why)), "{typed}: {found}");
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
    let clinic = desk.get("/api/clinic").await;
    let public = clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == "COMWC").unwrap();
    let payer = public["id"].clone();
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

#[actix_web::test]
async fn a_new_name_is_found_at_once_by_its_sound_and_no_longer_by_the_old_one() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let form = json!({ "firstName": "Xanthe", "lastName": "Quillfeather", "notATwin": true });
    let made = desk.post("/api/people", form).await.ok();
    let record = made["recordNumber"].clone();
    let finds = |q: &'static str| {
        let (desk, record) = (desk.clone(), record.clone());
        async move {
            let found = desk.get(&format!("/api/people?q={q}")).await;
            found.as_array().unwrap().iter().any(|h| h["person"]["recordNumber"] == record)
        }
    };
    assert!(finds("quillfeather").await && finds("kwillfether").await && finds("zanthe").await);
    let renamed = json!({ "firstName": "Xanthe", "lastName": "Ropewalk", "version": 1 });
    desk.patch(&format!("/api/people/{}", id(&made)), renamed).await.ok();
    assert!(finds("ropewalk%20xan").await);
    assert!(!finds("quillfeather").await, "only a former name that is recorded finds");
    product.stop().await.unwrap();
}
