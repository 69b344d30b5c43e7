//! What is looked up beside the chart: likely twins, households, payments, diagnosis codes, files as they were sent.

use crate::{Hand, id, line, payment};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

#[actix_web::test]
async fn likely_twins_are_told_with_reasons_while_somebody_is_typed() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let wren = desk.person("Takahashi").await;
    let twins = async |form: Value| desk.post("/api/people/twins", form).await.ok();
    // The birth date with two digits changed about, the name with a slip.
    let typed = json!({ "firstName": "Wren", "lastName": "Takahashi Doyl", "birthDate": "5/1/1929" });
    let found = twins(typed).await;
    let same = found.as_array().unwrap().iter().find(|t| t["person"]["id"] == wren["id"]).expect("she is recognised");
    assert!(same["score"].as_u64().unwrap() > 50 && !same["reasons"].as_array().unwrap().is_empty(), "{same}");
    let scores: Vec<u64> = found.as_array().unwrap().iter().map(|t| t["score"].as_u64().unwrap()).collect();
    assert!(scores.len() <= 5 && scores.iter().rev().is_sorted(), "the likeliest first: {scores:?}");
    assert_eq!(twins(json!({ "firstName": "Quillon", "lastName": "Zwickelbauer" })).await, json!([]));
    assert_eq!(desk.post("/api/people/twins", json!({ "firstName": "7", "lastName": "8" })).await.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_household_is_tied_and_untied_from_both_sides() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (emeka, wren) = (id(&desk.person("Sorrentino").await), id(&desk.person("Takahashi").await));
    let household = async |of: &str| desk.get(&format!("/api/people/{of}")).await["household"].clone();
    let tied = async |of: &str, other: &str| {
        household(of).await.as_array().unwrap().iter().any(|m| m["person"]["id"] == other)
    };
    assert!(!tied(&emeka, &wren).await);
    let path = format!("/api/people/{emeka}/household");
    assert_eq!(desk.post(&path, json!({ "otherId": wren, "kind": "cousin twice removed" })).await.status, 422);
    assert_eq!(desk.post(&path, json!({ "otherId": emeka, "kind": "sibling" })).await.status, 422, "with oneself");
    desk.post(&path, json!({ "otherId": wren, "kind": "sibling" })).await.ok();
    assert!(tied(&emeka, &wren).await && tied(&wren, &emeka).await, "seen from both");
    // Untied from the other side.
    desk.ask("delete", &format!("/api/people/{wren}/household/{emeka}"), None).await.ok();
    assert!(!tied(&emeka, &wren).await && !tied(&wren, &emeka).await);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_somebody_paid_is_listed_the_newest_first() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = id(&desk.person("Takahashi").await);
    let path = format!("/api/people/{person}/payments");
    let before = desk.get(&path).await.as_array().unwrap().len();
    let clinic = desk.get("/api/clinic").await;
    for amount in ["5", "7.50"] {
        let body = payment(&clinic, &person, amount, "cash", uuid::Uuid::now_v7());
        desk.post("/api/payments", body).await.ok();
    }
    let after = desk.get(&path).await;
    let after = after.as_array().unwrap();
    assert_eq!(
        (after.len(), &after[0]["cents"], &after[1]["cents"]),
        (before + 2, &json!(750), &json!(500)),
        "{after:?}"
    );
    assert_ne!(after[0]["number"], after[1]["number"]);
    let assistant = Hand::sign_in(&product, "petra").await;
    assert_eq!(assistant.ask("get", &path, None).await.status, 403);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_code_tells_what_goes_with_it_and_what_does_not() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let code = async |code: &str| doctor.ask("get", &format!("/api/codes/{code}"), None).await;
    let whole = code("E11").await.ok();
    assert!(whole["missing"].is_string(), "a heading cannot be billed: {whole}");
    assert!(whole["below"].as_array().unwrap().iter().any(|b| b.as_str().unwrap().starts_with("E11.9 ")), "{whole}");
    let leaf = code("E11.9").await.ok();
    assert_eq!((&leaf["code"], &leaf["missing"], &leaf["below"]), (&json!("E11.9"), &Value::Null, &json!([])));
    // A fracture needs its seventh character, and the search says which there are.
    let hits = doctor.get("/api/codes?q=fracture%20of%20lower%20end%20of%20radius").await;
    let fracture = hits.as_array().unwrap().iter().find(|h| !h["seventh"].as_array().unwrap().is_empty());
    let fracture = fracture.expect("one of them needs a seventh character");
    assert!(fracture["missing"].is_string());
    for s in fracture["seventh"].as_array().unwrap() {
        let full = code(s["code"].as_str().unwrap()).await;
        assert!(full.status == 200 || full.status == 404, "{}", full.body);
        assert!(!s["meaning"].as_str().unwrap().is_empty());
    }
    for nothing in ["X", "E1199999", "nothing"] {
        assert_eq!(code(nothing).await.status, 404, "{nothing}");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_batch_stays_readable_byte_for_byte_as_it_was_sent() {
    let product = Product::start().await.unwrap();
    let walk = line::to_charges(&product, "SM55510").await;
    let (biller, claim) = line::send_claim(&product, &walk).await;
    let batches = biller.get("/api/batches").await;
    let file = batches[0]["documentId"].as_str().unwrap();
    let (headers, bytes) = biller.file(&format!("/api/files/{file}")).await;
    let text = String::from_utf8(bytes).unwrap();
    assert!(text.starts_with("ISA*00*") && text.contains("005010X222A1"), "{}", &text[..120]);
    assert!(text.contains(&format!("CLM*{}*", claim["number"].as_str().unwrap())), "the claim is in it");
    assert!(headers["content-disposition"].to_str().unwrap().starts_with("attachment"), "it never runs in the browser");
    assert_eq!(headers["content-security-policy"], "sandbox");
    let desk = Hand::sign_in(&product, "junia").await;
    assert_eq!(desk.ask("get", &format!("/api/files/{file}"), None).await.status, 403);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_sign_ins_of_the_demo_are_shown_and_each_of_them_works() {
    let product = Product::start().await.unwrap();
    let shown: Value = reqwest::get(format!("{}/api/sign-ins", product.address())).await.unwrap().json().await.unwrap();
    let logins: Vec<&str> = shown.as_array().unwrap().iter().map(|s| s["login"].as_str().unwrap()).collect();
    assert_eq!(logins.len(), 10, "{logins:?}");
    for login in logins {
        let hand = Hand::sign_in(&product, login).await;
        assert_eq!(hand.get("/api/me").await["staff"]["login"], login);
    }
    product.stop().await.unwrap();
}
