//! The record of looks: what a person opened, once, and not each time that a screen looks again.

use crate::flow::visit_of;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

/// How often somebody is recorded to have looked at something of a person.
async fn looks(product: &Product, person: &str, what: &str) -> usize {
    let manager = Hand::sign_in(product, "soren").await;
    let rows = manager.get(&format!("/api/people/{person}/looks")).await;
    let of = |r: &&Value| r["entity"] == what && matches!(r["action"].as_str(), Some("looked at" | "saw in a list"));
    rows.as_array().unwrap().iter().filter(of).count()
}

async fn again(hand: &Hand, path: &str) {
    let request =
        hand.http.get(format!("{}{path}", hand.base)).header("cookie", &hand.cookie).header("x-harbor-again", "1");
    assert_eq!(request.send().await.unwrap().status(), 200);
}

#[actix_web::test]
async fn a_screen_that_looks_again_is_one_look_and_opening_again_is_another() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let (visit, wren) = visit_of(&doctor, "Takahashi").await;
    let chart = format!("/api/visits/{visit}/chart");
    assert_eq!(looks(&product, &wren, "chart").await, 0);
    // Nobody hides a first look by calling it another.
    again(&doctor, &chart).await;
    assert_eq!(looks(&product, &wren, "chart").await, 1);
    for _ in 0..5 {
        again(&doctor, &chart).await;
    }
    assert_eq!(looks(&product, &wren, "chart").await, 1, "a refetch is no look");
    doctor.get(&chart).await;
    assert_eq!(looks(&product, &wren, "chart").await, 2, "opening it again is one");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn every_kind_of_look_is_on_record() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let (visit, lucan) = visit_of(&desk, "Ferreira").await;
    for (path, what) in [
        (format!("/api/people/{lucan}"), "registration"),
        (format!("/api/people/{lucan}/visits"), "visits"),
        (format!("/api/people/{lucan}/slip"), "slip"),
        (format!("/api/people/{lucan}/account"), "account"),
        (format!("/api/people/{lucan}/payments"), "payments"),
        (format!("/api/people/{lucan}/coverages"), "coverages"),
        (format!("/api/people/{lucan}/fhir"), "fhir"),
        (format!("/api/visits/{visit}"), "visit"),
        (format!("/api/visits/{visit}/charges"), "charges"),
        (format!("/api/visits/{visit}/check-in"), "check in"),
    ] {
        desk.ask("get", &path, None).await;
        assert!(looks(&product, &lucan, what).await > 0, "{path} is not on record");
    }
    let policy = id(&desk.get(&format!("/api/people/{lucan}/coverages")).await[0]["coverage"]);
    desk.ask("get", &format!("/api/coverages/{policy}/card/front"), None).await;
    assert!(looks(&product, &lucan, "policy: card").await > 0);
    // Typing on in a search shows the same people: one look.
    assert_eq!(looks(&product, &lucan, "search").await, 1, "found by visit_of");
    for typed in ["ferr", "ferre", "ferreira"] {
        desk.get(&format!("/api/people?q={typed}")).await;
    }
    assert_eq!(looks(&product, &lucan, "search").await, 1);
    // Claims, and the very files that were sent.
    let claims = biller.get("/api/claims").await;
    let of = claims[0]["person"]["id"].as_str().unwrap();
    assert!(looks(&product, of, "claims").await > 0);
    biller.get(&format!("/api/claims/{}", id(&claims[0]["claim"]))).await;
    assert!(looks(&product, of, "claim").await > 0);
    // Reading the record is on record too.
    assert!(looks(&product, &lucan, "looks").await > 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_restricted_chart_tells_its_diagnoses_to_nobody_without_a_reason() {
    let product = Product::start().await.unwrap();
    let (desk, biller) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "agathe").await);
    let doctor = Hand::sign_in(&product, "oriane").await;
    let (visit, lucan) = visit_of(&doctor, "Ferreira").await;
    let charges = format!("/api/visits/{visit}/charges");
    let told = async |hand: &Hand| hand.get(&charges).await["diagnoses"].as_array().unwrap().len();
    assert!(told(&biller).await > 0);
    assert_eq!(told(&desk).await, 0, "the desk has no chart");
    crate::restrict(&product, &lucan).await;
    assert_eq!(told(&biller).await, 0);
    let closed = biller.ask("put", &charges, Some(json!([]))).await;
    assert_eq!(closed.body["type"], "urn:indigo-harbor:restricted-chart");
    let path = format!("/api/people/{lucan}/open-chart");
    let open = |reason: &str| biller.post(&path, json!({ "reason": reason }));
    assert_eq!(open(".....").await.status, 422, "dots are no reason");
    open("codes for the claim").await.ok();
    assert!(told(&biller).await > 0);
    // Nobody lifts it by the way: not by saving the person, not by merging.
    let assistant = Hand::sign_in(&product, "petra").await;
    let view = desk.get(&format!("/api/people/{lucan}")).await;
    let mut form = view["person"].clone();
    form["restricted"] = json!(false);
    form["notATwin"] = json!(true);
    assistant.patch(&format!("/api/people/{lucan}"), form).await.ok();
    assert_eq!(desk.get(&format!("/api/people/{lucan}")).await["registration"]["restricted"], true);
    let lift = json!({ "restricted": false, "reason": "asked for it" });
    assert_eq!(assistant.post(&format!("/api/people/{lucan}/restriction"), lift).await.status, 403);
    let new = json!({ "firstName": "Lukan", "lastName": "Ferreira Holm", "notATwin": true });
    let other = id(&desk.post("/api/people", new).await.ok());
    let choices = json!({ "first_name": false, "last_name": false });
    let form = json!({ "goneId": lucan, "choices": choices });
    desk.post(&format!("/api/people/{other}/merge"), form).await.ok();
    assert_eq!(desk.get(&format!("/api/people/{other}")).await["registration"]["restricted"], true);
    product.stop().await.unwrap();
}
