//! The waiting list, what a person can come to, and confirming a contact.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

#[actix_web::test]
async fn a_freed_slot_is_offered_to_whom_it_suits_and_taking_it_ends_the_waiting() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = desk.person("Brandvold").await["id"].clone();
    let (early, late) =
        (desk.get("/api/open-times?from=2026-12-01").await, desk.get("/api/open-times?from=2026-12-15").await);
    let early = early[0].clone();
    let same = late.as_array().unwrap().iter().find(|s| s["visitTypeId"] == early["visitTypeId"]).unwrap().clone();
    let has = desk
        .post(
            "/api/visits",
            json!({ "personId": person, "slotId": same["id"], "reason": "x", "meant": crate::meant() }),
        )
        .await
        .ok();
    let wait = |more: Value| {
        let mut form = json!({ "personId": person, "visitId": has["id"] });
        form.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        let desk = desk.clone();
        async move { desk.post("/api/waiting", form).await }
    };
    assert!(wait(json!({ "after": "14:00", "before": "9:00" })).await.detail().contains("no time of the day"));
    assert!(wait(json!({ "weekdays": [9] })).await.detail().contains("weekdays"));
    let entry = wait(json!({ "note": "calls back" })).await.ok();
    assert!(wait(json!({})).await.detail().contains("waits for an earlier time already"));
    let other = desk.person("Ferreira").await["id"].clone();
    let kind = early["visitTypeId"].clone();
    let first = json!({ "personId": other, "visitTypeId": kind, "urgent": true });
    desk.post("/api/waiting", first).await.ok();
    let path = format!("/api/slots/{}/waiting", id(&early));
    let asked = desk.get(&path).await;
    let asked = asked.as_array().unwrap();
    assert_eq!(asked[0]["person"]["id"], other, "what cannot wait comes first");
    let mine = asked.iter().find(|a| a["entry"]["id"] == entry["id"]).expect("it suits");
    assert!(mine["reasons"][0].as_str().unwrap().ends_with("days earlier"), "{mine}");
    let move_there = json!({ "slotId": early["id"] });
    desk.post(&format!("/api/visits/{}/move", id(&has)), move_there).await.ok();
    let left = desk.get("/api/waiting").await;
    assert!(!left.as_array().unwrap().iter().any(|w| w["entry"]["id"] == entry["id"]), "who has it waits no more");
    let second = desk.get("/api/open-times?from=2026-12-02").await;
    let fits = second.as_array().unwrap().iter().find(|s| s["visitTypeId"] == kind).unwrap().clone();
    desk.post(
        "/api/visits",
        json!({ "personId": other, "slotId": fits["id"], "reason": "x", "meant": crate::meant() }),
    )
    .await
    .ok();
    let left = desk.get("/api/waiting").await;
    assert!(!left.as_array().unwrap().iter().any(|w| w["person"]["id"] == other), "{left}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_plan_keeps_to_what_a_person_can_do() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let clinic = desk.get("/api/clinic").await;
    let site = clinic["sites"].as_array().unwrap().iter().find(|s| s["name"] == "Lantern Hill").unwrap()["id"].clone();
    let person = desk.person("Brandvold").await["id"].clone();
    let limits = format!("/api/people/{}/limits", person.as_str().unwrap());
    assert_eq!(desk.get(&limits).await["weekdays"], json!([]));
    let form = |days: Value| json!({ "siteIds": [site], "weekdays": days, "sameClinician": false, "note": "the bus" });
    assert_eq!(desk.put(&limits, form(json!([8]))).await.status, 422);
    desk.put(&limits, form(json!([3]))).await.ok();
    // Open times keep to it too, until something else is asked for.
    let ask = async |more: &str| {
        desk.get(&format!("/api/open-times?from=2026-12-08&personId={}{more}", person.as_str().unwrap())).await
    };
    let weekdays = |times: &Value| -> Vec<u32> {
        let of = |s: &Value| s["startsAt"].as_str().unwrap().parse::<chrono::DateTime<chrono::Utc>>().unwrap();
        times.as_array().unwrap().iter().map(|s| chrono::Datelike::weekday(&of(s)).number_from_monday()).collect()
    };
    let theirs = ask("").await;
    assert!(!weekdays(&theirs).is_empty() && weekdays(&theirs).iter().all(|d| *d == 3), "{theirs}");
    assert!(theirs.as_array().unwrap().iter().all(|s| s["siteId"] == site), "{theirs}");
    assert!(weekdays(&ask("&weekdays=4").await).iter().all(|d| *d == 4));
    let open = desk.get("/api/open-times?from=2026-12-08").await;
    let visit = desk
        .post(
            "/api/visits",
            json!({ "personId": person, "slotId": open[0]["id"], "reason": "x", "meant": crate::meant() }),
        )
        .await
        .ok();
    let day = desk.get(&format!("/api/schedule?day={}", visit["day"].as_str().unwrap())).await;
    let slot = day["slots"].as_array().unwrap().iter().find(|s| s["id"] == visit["slotId"]).unwrap();
    desk.post("/api/shifts/cancel", json!({ "shiftIds": [slot["shiftId"].as_str().unwrap()], "reason": "ill" }))
        .await
        .ok();
    let plan = desk.post("/api/rebooking", json!([])).await.ok();
    let lines = plan["lines"].as_array().unwrap();
    let line = lines.iter().find(|l| l["card"]["visit"]["id"] == visit["id"]).unwrap();
    for slot in line["others"].as_array().unwrap().iter().chain([&line["slot"]]) {
        let starts: chrono::DateTime<chrono::Utc> = slot["startsAt"].as_str().unwrap().parse().unwrap();
        assert_eq!(chrono::Datelike::weekday(&starts), chrono::Weekday::Wed, "{line}");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_contact_is_confirmed_or_corrected_on_the_way() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = desk.person("Brandvold").await["id"].as_str().unwrap().to_owned();
    let path = format!("/api/people/{person}/contact");
    assert_eq!(desk.get(&path).await["confirmedAt"], Value::Null);
    let bad = desk.post(&path, json!({ "phone": "12", "email": "nobody" })).await;
    assert_eq!(bad.body["fields"].as_array().map(Vec::len), Some(2), "{}", bad.body);
    desk.post(&path, json!({ "phone": "207 555 0133", "email": "new@example.org" })).await.ok();
    let now = desk.get(&path).await;
    assert_eq!((&now["phone"], &now["email"]), (&json!("2075550133"), &json!("new@example.org")));
    assert!(now["confirmedBy"].as_str().unwrap().contains("Vance"));
    product.stop().await.unwrap();
}
