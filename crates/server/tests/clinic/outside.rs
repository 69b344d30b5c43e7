//! Stand-ins that are down or talk nonsense: work goes on, waits visibly, and is never sent twice.

use crate::line::{send_claim, to_charges};
use crate::results::{ordered, potassium, take, waiting};
use crate::{Hand, id};
use harbor_core::orders::{LabReport, ReportFile, ReportStatus};
use harbor_demo::testing::Product;
use harbor_formats::fhir::reports::write_report;
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

#[actix_web::test]
async fn a_report_of_ten_megabytes_is_read_and_holds_up_nothing() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    let scan = ReportFile {
        title: "Scan".into(),
        media_type: "application/pdf".into(),
        content: [b"%PDF-1.7\n".to_vec(), vec![b'x'; 7_500_000]].concat(),
    };
    let huge = LabReport { files: vec![scan], ..potassium("GP-HUGE", &order, &own, ReportStatus::Final, 4.2) };
    let next = potassium("GP-NEXT", "", &own, ReportStatus::Final, 4.3);
    {
        let mut memory = product.outside.lock();
        for content in
            [write_report(&huge).unwrap(), "{\"resourceType\": \"Bundle\"".to_owned(), write_report(&next).unwrap()]
        {
            let what = "from a test".to_owned();
            memory.outgoing.push(harbor_standins::Outgoing { part: "laboratory", what, content, released: true });
        }
    }
    let doctor = &visit.clinician;
    let here = |number: &'static str| move |v: &Value| v.to_string().contains(number);
    doctor.until("/api/results?all=true", here("GP-HUGE")).await;
    doctor.until("/api/results?all=true", here("GP-NEXT")).await;
    let one = crate::results::opened(doctor, &waiting(doctor, "GP-HUGE").await[0]).await;
    let (_, file) = doctor.file(&format!("/api/results/{}/files/0", one["report"]["id"].as_str().unwrap())).await;
    assert_eq!(file.len(), 7_500_009);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_result_under_the_number_of_a_merged_record_finds_who_it_is_about() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    let same =
        json!({ "firstName": "Inez", "lastName": "Quarrie", "birthDate": "2/13/1999", "sex": "F", "notATwin": true });
    let other = id(&visit.desk.post("/api/people", same).await.ok());
    visit
        .desk
        .post(
            &format!("/api/people/{other}/merge"),
            json!({ "goneId": visit.person, "choices": { "first_name": false } }),
        )
        .await
        .ok();
    take(&product, &potassium("GP-MERGED", &order, &own, ReportStatus::Final, 4.2)).await;
    let found = waiting(&visit.clinician, "GP-MERGED").await;
    assert_eq!(found[0]["person"]["id"], other.as_str(), "{found:?}");
    product.stop().await.unwrap();
}
