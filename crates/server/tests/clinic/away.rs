//! A clinician is away: the rebooking list, the plan, and taking it.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

/// Tomorrow's morning shift of Dr. Renneberg, with so many people booked in it.
async fn full_shift(desk: &Hand, people: usize) -> (String, Vec<String>) {
    let clinic = desk.get("/api/clinic").await;
    let staff = clinic["staff"].as_array().unwrap();
    let who = staff.iter().find(|s| s["lastName"] == "Renneberg").unwrap()["id"].clone();
    let day = desk.get("/api/schedule?day=2026-11-24").await;
    let shifts = day["shifts"].as_array().unwrap();
    let shift = id(shifts.iter().find(|s| s["clinicianId"] == who).unwrap());
    let mut booked = Vec::new();
    for visit in day["visits"].as_array().unwrap().iter().map(|v| &v["visit"]) {
        let within = shifts.iter().find(|s| s["id"] == shift.as_str()).unwrap();
        if visit["clinicianId"] == who
            && visit["startsAt"].as_str() < within["endsAt"].as_str()
            && visit["stage"] == "booked"
        {
            booked.push(id(visit));
        }
    }
    for (n, slot) in day["slots"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|s| s["shiftId"] == shift.as_str() && s["heldFor"].is_null())
        .enumerate()
    {
        if booked.len() >= people {
            break;
        }
        let form = json!({ "firstName": "Runa", "lastName": format!("Ropewalk{}", ["a", "b", "c", "d", "e", "f", "g", "h", "i", "j", "k", "l"][n]), "notATwin": true });
        let person = desk.post("/api/people", form).await.ok();
        let reply =
            desk.post("/api/visits", json!({ "personId": person["id"], "slotId": slot["id"], "reason": "x" })).await;
        if reply.status == 200 {
            booked.push(id(&reply.body));
        }
    }
    (shift, booked)
}

fn placed(plan: &Value) -> Vec<Value> {
    let lines = plan["lines"].as_array().unwrap().iter().filter(|l| l["slot"].is_object());
    lines.map(|l| json!({ "visitId": l["card"]["visit"]["id"], "slotId": l["slot"]["id"] })).collect()
}

#[actix_web::test]
async fn a_cancelled_shift_is_planned_anew_changed_and_taken_whole() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (shift, booked) = full_shift(&desk, 6).await;
    assert_eq!(desk.post(&format!("/api/shifts/{shift}/cancel"), json!({ "reason": "" })).await.status, 422);
    let cancelled = desk.post(&format!("/api/shifts/{shift}/cancel"), json!({ "reason": "ill" })).await.ok();
    assert_eq!(cancelled["visits"], booked.len());
    assert!(
        desk.post(&format!("/api/shifts/{shift}/cancel"), json!({ "reason": "ill" }))
            .await
            .detail()
            .contains("already")
    );
    let plan = desk.post("/api/rebooking", json!([])).await.ok();
    let lines = plan["lines"].as_array().unwrap();
    assert!(lines.len() >= booked.len() && plan["unplaced"] == 0, "{plan}");
    for line in lines {
        let (old, new) = (&line["card"]["visit"], &line["slot"]);
        assert_eq!(new["visitTypeId"], old["visitTypeId"]);
        assert_ne!(new["shiftId"], shift.as_str());
        assert!(new["startsAt"].as_str().unwrap() > "2026-11-24T13", "nobody is told in less than a day: {new}");
        assert!(!line["reasons"].as_array().unwrap().is_empty());
    }
    // One line is put elsewhere by hand, one is taken out; the rest is planned around them.
    let (first, second) = (&lines[0], &lines[1]);
    let wanted = first["others"][2]["id"].clone();
    let pins = json!([
        { "visitId": first["card"]["visit"]["id"], "slotId": wanted },
        { "visitId": second["card"]["visit"]["id"], "slotId": null },
    ]);
    let changed = desk.post("/api/rebooking", pins).await.ok();
    assert_eq!((&changed["lines"][0]["slot"]["id"], &changed["lines"][1]["slot"]), (&wanted, &Value::Null));
    assert_eq!((&changed["lines"][0]["pinned"], &changed["unplaced"]), (&json!(true), &json!(1)));
    let take = placed(&changed);
    desk.post("/api/rebooking/accept", json!({ "lines": take })).await.ok();
    let visit =
        desk.get(&format!("/api/visits/{}", take[0]["visitId"].as_str().unwrap())).await["card"]["visit"].clone();
    assert_eq!((&visit["slotId"], &visit["rebook"]), (&wanted, &json!(false)));
    let left = desk.post("/api/rebooking", json!([])).await.ok();
    assert_eq!(left["lines"].as_array().unwrap().len(), 1, "who got no time stays on the list");
    let again = desk.post("/api/rebooking/accept", json!({ "lines": take })).await;
    assert!(again.detail().contains("has a new time already"), "{}", again.detail());
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_time_taken_meanwhile_changes_nothing_for_anybody() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (shift, booked) = full_shift(&desk, 4).await;
    desk.post(&format!("/api/shifts/{shift}/cancel"), json!({ "reason": "ill" })).await.ok();
    let take = placed(&desk.post("/api/rebooking", json!([])).await.ok());
    let person = desk.person("Ferreira").await["id"].clone();
    let slot = take.last().unwrap()["slotId"].clone();
    desk.post("/api/visits", json!({ "personId": person, "slotId": slot, "reason": "faster" })).await.ok();
    let refused = desk.post("/api/rebooking/accept", json!({ "lines": take })).await;
    assert_eq!((refused.status, refused.body["type"].as_str()), (409, Some("urn:indigo-harbor:taken")));
    for visit in booked {
        assert_eq!(desk.get(&format!("/api/visits/{visit}")).await["card"]["visit"]["rebook"], true);
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_shift_is_handed_to_whoever_is_free_then() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (shift, booked) = full_shift(&desk, 3).await;
    let clinic = desk.get("/api/clinic").await;
    let of =
        |last: &str| clinic["staff"].as_array().unwrap().iter().find(|s| s["lastName"] == last).unwrap()["id"].clone();
    let path = format!("/api/shifts/{shift}/hand-over");
    let busy = desk.post(&path, json!({ "clinicianId": of("Valcourt") })).await;
    assert!(busy.detail().contains("works elsewhere"), "{}", busy.detail());
    // Dr. Valcourt's own morning falls out; then she can take the other one.
    let day = desk.get("/api/schedule?day=2026-11-24").await;
    let own = day["shifts"].as_array().unwrap().iter().find(|s| s["clinicianId"] == of("Valcourt")).unwrap();
    desk.post(&format!("/api/shifts/{}/cancel", id(own)), json!({ "reason": "swap" })).await.ok();
    let taken = desk.post(&path, json!({ "clinicianId": of("Valcourt") })).await.ok();
    assert_eq!(taken["visits"], booked.len());
    let visit = desk.get(&format!("/api/visits/{}", booked[0])).await["card"]["visit"].clone();
    assert_eq!(visit["clinicianId"], of("Valcourt"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_plan_and_a_series_keep_to_the_release_rule() {
    let product = Product::start().await.unwrap();
    let (desk, boss) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "soren").await);
    let (shift, booked) = full_shift(&desk, 6).await;
    let clinic = desk.get("/api/clinic").await;
    let kind = clinic["visitTypes"].as_array().unwrap().iter().find(|t| t["name"] == "Consultation").unwrap().clone();
    let mut form = kind.clone();
    form["releaseDays"] = json!(2);
    boss.put(&format!("/api/visit-types/{}", id(&kind)), form).await.ok();
    desk.post(&format!("/api/shifts/{shift}/cancel"), json!({ "reason": "ill" })).await.ok();
    let plan = desk.post("/api/rebooking", json!([])).await.ok();
    let ours = plan["lines"].as_array().unwrap().iter().filter(|l| booked.contains(&id(&l["card"]["visit"])));
    let mut proposed = 0;
    for slot in ours.flat_map(|l| l["others"].as_array().unwrap().iter().chain([&l["slot"]])) {
        if slot["visitTypeId"] == kind["id"] {
            assert!(slot["startsAt"].as_str().unwrap() < "2026-11-26T04", "opens later: {slot}");
            proposed += 1;
        }
    }
    assert!(proposed > 0, "what is open already is proposed: {plan}");
    let take = placed(&plan);
    desk.post("/api/rebooking/accept", json!({ "lines": take })).await.ok();
    // A series of such visits has only its first days open for booking.
    let open = desk.get(&format!("/api/open-times?visitTypeId={}", id(&kind))).await;
    assert!(open.as_array().unwrap().iter().all(|s| s["startsAt"].as_str().unwrap() < "2026-11-26T04"), "{open}");
    let asked = json!({ "slotId": open[0]["id"], "every": 1, "unit": "weeks", "count": 3 });
    let series = desk.post("/api/series/plan", asked).await.ok();
    assert!(series[0]["slot"].is_object() && series[1]["slot"].is_null(), "{series}");
    product.stop().await.unwrap();
}
