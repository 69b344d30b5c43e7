//! Stand-ins that are down or talk nonsense: work goes on, waits visibly, and is never sent twice.

use crate::line::{send_claim, to_charges};
use crate::{Hand, id};
use harbor_demo::testing::Product;
use harbor_standins::Mood;
use serde_json::json;

#[actix_web::test]
async fn a_clearing_house_that_is_down_gets_the_batch_once_later() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    product.outside.lock().mood = Mood::Down;
    let (biller, claim) = send_claim(&product, &walk).await;
    let said = |t: &serde_json::Value| t["troubles"].to_string().contains("A batch to the clearing house");
    biller.until("/api/today", said).await;
    product.outside.lock().mood = Mood::Nonsense;
    let said = |t: &serde_json::Value| t["troubles"].to_string().contains("cannot be read");
    biller.until("/api/today", said).await;
    product.outside.lock().mood = Mood::Usual;
    biller.until(&format!("/api/claims/{}", id(&claim)), |c| c["claim"]["claim"]["state"] == "paid").await;
    let taken = product.outside.lock().received.iter().filter(|(part, _)| *part == "clearing house").count();
    assert_eq!(taken, 1, "handed over once");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_clearing_house_that_took_the_batch_and_fell_silent_gets_it_counted_once() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    product.outside.lock().mood = Mood::Silent;
    let (biller, claim) = send_claim(&product, &walk).await;
    // Meanwhile the work goes on.
    assert!(biller.get("/api/today").await["waiting"].is_array());
    let said = |t: &serde_json::Value| t["troubles"].to_string().contains("A batch to the clearing house");
    biller.until("/api/today", said).await;
    product.outside.lock().mood = Mood::Usual;
    biller.until(&format!("/api/claims/{}", id(&claim)), |c| c["claim"]["claim"]["state"] == "paid").await;
    let taken = product.outside.lock().received.iter().filter(|(part, _)| *part == "clearing house").count();
    assert_eq!(taken, 1, "sent again after the silence, counted once");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_nonsense_benefits_answer_is_told_and_can_be_asked_again() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let form = json!({ "firstName": "Odd", "lastName": "Answer", "notATwin": true });
    let person = id(&desk.post("/api/people", form).await.ok());
    let payer =
        desk.get("/api/clinic").await["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == "SALTM").unwrap()
            ["id"]
            .clone();
    let path = format!("/api/people/{person}/coverages");
    let policy = desk.post(&path, json!({ "payerId": payer, "subscriberNumber": "SM997" })).await.ok();
    let ask = format!("/api/coverages/{}/benefits", id(&policy));
    desk.post(&ask, json!({})).await.ok();
    let answered = |v: &serde_json::Value| v[0]["benefits"]["outcome"] == "no_answer";
    let view = desk.until(&path, answered).await;
    assert!(view[0]["benefits"]["sentence"].as_str().unwrap().contains("cannot be read"));
    let form = json!({ "version": 1, "subscriberNumber": "SM991" });
    desk.put(&format!("/api/coverages/{}", id(&policy)), form).await.ok();
    desk.post(&ask, json!({})).await.ok();
    let ended =
        |v: &serde_json::Value| v[0]["benefits"]["sentence"].as_str().is_some_and(|s| s.contains("not in force"));
    desk.until(&path, ended).await;
    product.stop().await.unwrap();
}
