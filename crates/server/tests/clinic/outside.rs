//! Stand-ins that are down or talk nonsense: work goes on, waits visibly, and is never sent twice.

use crate::building::Visit;
use crate::line::{send_claim, to_charges};
use crate::{Hand, id};
use harbor_core::orders::{LabReport, ReportStatus, ReportedValue};
use harbor_demo::testing::Product;
use harbor_formats::fhir::laboratory;
use harbor_server::work::take_report;
use harbor_standins::Mood;
use serde_json::{Value, json};

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

/// A report of one potassium, as the laboratory writes it.
fn potassium(number: &str, order: &str, about: &str, status: ReportStatus, value: f64) -> String {
    laboratory::write_report(&LabReport {
        number: number.into(),
        order_reference: order.into(),
        record_number: about.into(),
        status,
        issued: harbor_demo::testing::now(),
        values: vec![ReportedValue::measured("2823-3", "Potassium", value, "mmol/L", 3.5, 5.1)],
    })
    .unwrap()
}

/// The reports of a number that wait for their reviewer.
async fn waiting(doctor: &Hand, number: &str) -> Vec<Value> {
    let all = doctor.get("/api/results").await;
    all.as_array().unwrap().iter().filter(|r| r["report"]["number"] == number).cloned().collect()
}

#[actix_web::test]
async fn the_same_report_twice_is_one_and_a_corrected_one_replaces_it() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let take = async |status, value| {
        let report = potassium("GP-TWICE", "", "", status, value);
        take_report(&product.server.state, &report).await.unwrap();
    };
    for _ in 0..3 {
        take(ReportStatus::Final, 4.0).await;
    }
    let seen = waiting(&doctor, "GP-TWICE").await;
    assert_eq!((seen.len(), seen[0]["person"].is_null()), (1, true), "nothing is filed by guess");
    // A preliminary one that was under way for long says nothing new.
    take(ReportStatus::Preliminary, 3.9).await;
    let seen = waiting(&doctor, "GP-TWICE").await;
    assert_eq!((seen.len(), &seen[0]["report"]["status"]), (1, &json!("final")));
    take(ReportStatus::Corrected, 6.0).await;
    let seen = waiting(&doctor, "GP-TWICE").await;
    assert_eq!(seen.len(), 1);
    assert_eq!(seen[0]["before"]["content"][0]["number"], 4.0);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_report_about_somebody_else_waits_whatever_order_it_names() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E87.6"]).await;
    let ordered = visit.clinician.post(&visit.path("/orders"), json!({ "tests": ["K"] })).await.ok();
    let order = ordered[0]["order"]["id"].as_str().unwrap().to_owned();
    let state = async || visit.clinician.get(&visit.path("/chart")).await["orders"][0]["order"]["state"].clone();
    let person = visit.clinician.get(&format!("/api/people/{}", visit.person)).await;
    let own = person["person"]["recordNumber"].as_str().unwrap().to_owned();
    let take = async |about: &str, status, value| {
        let report = potassium("GP-WHOSE", &order, about, status, value);
        take_report(&product.server.state, &report).await.unwrap();
    };
    let uncertain = async || {
        let seen = waiting(&visit.clinician, "GP-WHOSE").await;
        (seen.len(), seen.iter().filter(|r| r["person"].is_null()).count())
    };
    for about in ["IH-10005", ""] {
        take(about, ReportStatus::Final, 6.9).await;
    }
    assert_eq!(uncertain().await, (2, 2), "nobody is certain");
    assert_ne!(state().await, "resulted");
    // Their own comes in beside those, and is filed.
    take(&own.to_lowercase(), ReportStatus::Preliminary, 4.4).await;
    assert_eq!(uncertain().await, (3, 2));
    assert_eq!(state().await, "resulted");
    // The final one takes its place in the chart too, and what comes late is not shown beside it.
    take(&own, ReportStatus::Final, 4.5).await;
    take(&own, ReportStatus::Preliminary, 4.3).await;
    let chart = visit.clinician.get(&visit.path("/chart")).await;
    let shown: Vec<&Value> = chart["reports"].as_array().unwrap().iter().map(|r| &r["status"]).collect();
    assert_eq!(shown, [&json!("final")]);
    // A cancelled report is no result: the order waits again.
    take(&own, ReportStatus::Cancelled, 4.4).await;
    assert_eq!(state().await, "accepted");
    product.stop().await.unwrap();
}
