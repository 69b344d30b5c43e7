//! Written estimates for who pays alone, and visits that are kept from the plan.

use crate::building::Visit;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

/// What stands before a visit because of an estimate.
async fn lacks(hand: &Hand, visit: &str) -> Option<String> {
    let view = hand.get(&format!("/api/visits/{visit}")).await;
    let marks = view["card"]["line"]["marks"].as_array().unwrap().clone();
    let mut blockers = marks.iter().flat_map(|m| m["blockers"].as_array().unwrap().clone());
    blockers.find(|b| b["code"] == "estimate").map(|b| b["sentence"].as_str().unwrap().to_owned())
}

/// A visit of the same patient as far ahead as it can be booked.
async fn far_ahead(visit: &Visit) -> String {
    let clinician = visit.desk.get(&visit.path("")).await["card"]["visit"]["clinicianId"].clone();
    let open =
        visit.desk.get(&format!("/api/open-times?from=2026-12-07&clinicianId={}", clinician.as_str().unwrap())).await;
    let latest = open.as_array().unwrap().iter().max_by_key(|s| s["startsAt"].as_str()).unwrap().clone();
    let booking =
        json!({ "personId": visit.person, "slotId": latest["id"], "reason": "Yearly look", "meant": crate::meant() });
    id(&visit.desk.post("/api/visits", booking).await.ok())
}

#[actix_web::test]
async fn who_pays_alone_is_given_an_estimate_in_time_and_it_is_kept_as_it_was_given() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    let ahead = far_ahead(&visit).await;
    assert_eq!(lacks(&visit.desk, &ahead).await, None, "a policy is on file");
    visit.desk.post(&format!("/api/visits/{ahead}/self-pay"), json!({})).await.ok();
    let lack = lacks(&visit.desk, &ahead).await.expect("an estimate is due");
    assert!(lack.starts_with("A written estimate is due by"), "{lack}");

    let begin = visit.desk.get(&format!("/api/visits/{ahead}/estimate")).await;
    assert!(begin["due"].is_string() && begin["services"].as_array().unwrap().len() > 20, "{begin}");
    let path = format!("/api/people/{}/estimates", visit.person);
    let form = |services: Value| json!({ "visitId": ahead, "reason": "Yearly look", "diagnoses": "i10", "services": services });
    let unpriced = visit.desk.post(&path, form(json!([{ "code": "SPLINT", "units": 1 }]))).await;
    assert_eq!(unpriced.status, 422);
    assert!(unpriced.body.to_string().contains("has no price"), "{}", unpriced.body);
    let listed = json!([{ "code": "VISIT3", "units": 1 }, { "code": "ECG", "units": 2 }]);
    let given = visit.desk.post(&path, form(listed)).await.ok();
    let own = begin["services"].as_array().unwrap();
    let price = |code: &str| own.iter().find(|s| s["code"] == code).unwrap()["priceCents"].as_i64().unwrap();
    assert_eq!(given["totalCents"], price("VISIT3") + 2 * price("ECG"));
    assert_eq!(lacks(&visit.desk, &ahead).await, None);
    assert_eq!(visit.desk.get(&path).await[0]["id"], given["id"]);
    let (headers, paper) = visit.desk.file(&format!("{path}/{}/paper", id(&given))).await;
    assert_eq!(headers["content-type"], "application/pdf");
    assert!(paper.starts_with(b"%PDF-"));
    // Somebody else's address does not open it.
    let other = visit.desk.get("/api/people?q=mari").await;
    let stranger = other.to_string();
    assert!(!stranger.contains(&id(&given)));
    let wrong = format!("/api/people/{}/estimates/{}/paper", uuid::Uuid::nil(), id(&given));
    assert_eq!(visit.desk.ask("GET", &wrong, None).await.status, 404);
    assert_eq!(visit.assistant.ask("GET", &path, None).await.status, 403);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_it_would_cost_is_told_without_a_visit_too_and_wrong_fields_are_told() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    let path = format!("/api/people/{}/estimates", visit.person);
    let form = |day: &str, reason: &str, codes: &str, units: u32| {
        json!({ "visitId": null, "day": day, "reason": reason, "diagnoses": codes,
            "services": [{ "code": "ECG", "units": units }] })
    };
    visit.desk.post(&path, form("", "Heart trace", "", 1)).await.ok();
    for wrong in [
        form("yesterday", "Heart trace", "", 1),
        form("", "", "", 1),
        form("", "Heart trace", "I99.999", 1),
        form("", "Heart trace", "", 0),
    ] {
        let reply = visit.desk.post(&path, wrong.clone()).await;
        assert_eq!(reply.status, 422, "{wrong} {}", reply.body);
    }
    assert_eq!(visit.desk.get(&path).await.as_array().unwrap().len(), 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn charges_far_beyond_the_estimate_are_told_before_they_are_completed() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    let visit = visit.roomed().await.diagnosed(&["I10"]).await.noted("plan", "Seen.").await.signed().await;
    visit.desk.post(&visit.path("/self-pay"), json!({})).await.ok();
    let form = json!({ "visitId": visit.id, "reason": "Cough", "services": [{ "code": "FORM", "units": 1 }] });
    visit.desk.post(&format!("/api/people/{}/estimates", visit.person), form).await.ok();
    let lines = json!([
        { "serviceCode": "VISIT5", "units": 1, "pointers": [1] },
        { "serviceCode": "SUTURE", "units": 1, "pointers": [1] },
    ]);
    visit.clinician.put(&visit.path("/charges"), lines).await.ok();
    let charges = visit.clinician.get(&visit.path("/charges")).await;
    let told = charges["faults"].as_array().unwrap().iter().find(|f| f["code"] == "beyond_estimate").cloned();
    let told = told.expect("it is told");
    assert_eq!(told["severity"], "warns");
    assert!(told["sentence"].as_str().unwrap().contains("within 120 days"), "{told}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_visit_kept_from_the_plan_is_the_patients_alone_until_they_say_otherwise() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10"]).await;
    let visit = visit.noted("plan", "Seen.").await.signed().await;
    let keep = visit.path("/kept-from-plan");
    visit.desk.post(&keep, json!({})).await.ok();
    visit.desk.post(&keep, json!({})).await.ok();
    let view = visit.desk.get(&visit.path("")).await;
    assert_eq!(view["selfPay"]["keptFromPlan"], true);
    assert_eq!(view["card"]["visit"]["selfPay"], true);
    let kept = "urn:indigo-harbor:kept-from-plan";
    let back = visit.desk.ask("DELETE", &visit.path("/self-pay"), None).await;
    assert_eq!((back.status, back.body["type"].as_str()), (422, Some(kept)));
    let policy = visit.desk.get(&format!("/api/people/{}/coverages", visit.person)).await[0]["coverage"]["id"].clone();
    let payer = json!({ "coverageId": policy, "selfPay": false });
    let to_plan = visit.desk.post(&visit.path("/payer"), payer).await;
    assert_eq!(to_plan.body["type"].as_str(), Some(kept), "{}", to_plan.body);

    let visit = visit.charged().await;
    let biller = Hand::sign_in(&product, "agathe").await;
    assert!(!biller.get("/api/claims?state=ready").await.to_string().contains(&visit.id), "no claim of it");
    let account = visit.desk.get(&format!("/api/people/{}/account", visit.person)).await;
    let owed = account["visits"].as_array().unwrap().iter().find(|v| v["visitId"] == visit.id.as_str()).unwrap();
    assert!(owed["payerOwesCents"] == 0 && owed["patientOwesCents"].as_i64() > Some(0), "{owed}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn who_thinks_better_of_keeping_a_visit_from_the_plan_has_it_paid_by_the_policy() {
    let product = Product::start().await.unwrap();
    let other = Visit::booked(&product, "oriane").await;
    other.desk.post(&other.path("/kept-from-plan"), json!({})).await.ok();
    other.desk.ask("DELETE", &other.path("/kept-from-plan"), None).await.ok();
    assert_eq!(other.desk.get(&other.path("")).await["selfPay"], Value::Null);
    let again = other.desk.ask("DELETE", &other.path("/kept-from-plan"), None).await;
    assert_eq!(again.body["type"].as_str(), Some("urn:indigo-harbor:not-kept"));
    let other = other.roomed().await.diagnosed(&["I10"]).await.noted("plan", "Seen.").await.charged().await;
    let late = other.desk.post(&other.path("/kept-from-plan"), json!({})).await;
    assert_eq!(late.status, 422, "it is charged");
    product.stop().await.unwrap();
}
