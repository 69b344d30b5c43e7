//! Moves through the building, the chart, orders and prescriptions, and what they refuse.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

pub async fn visit_of(hand: &Hand, name: &str) -> (String, String) {
    let person = id(&hand.person(name).await);
    let visits = hand.get(&format!("/api/people/{person}/visits")).await;
    let today = visits.as_array().unwrap().iter().find(|v| v["visit"]["day"] == "2026-11-23").expect("a visit today");
    (id(&today["visit"]), person)
}

#[actix_web::test]
async fn stages_follow_each_other_and_a_room_holds_one() {
    let product = Product::start().await.unwrap();
    let assistant = Hand::sign_in(&product, "petra").await;
    let (emeka, _) = visit_of(&assistant, "Sorrentino").await;
    let clinic = assistant.get("/api/clinic").await;
    let room =
        |name: &str| clinic["rooms"].as_array().unwrap().iter().find(|r| r["name"] == name).unwrap()["id"].clone();
    let step = |to: &str, room: Value| {
        let (hand, path, body) =
            (assistant.clone(), format!("/api/visits/{emeka}/stage"), json!({ "to": to, "roomId": room }));
        async move { hand.post(&path, body).await }
    };
    assert!(step("with_clinician", Value::Null).await.detail().contains("cannot become"));
    assert_eq!(step("in_room", Value::Null).await.detail(), "Choose a room first.");
    let taken = step("in_room", room("Heron")).await;
    assert_eq!((taken.status, taken.body["type"].as_str()), (409, Some("urn:indigo-harbor:room-occupied")));
    assert_eq!(step("in_room", room("Curlew")).await.ok()["stage"], "in_room");
    assert_eq!(step("back", Value::Null).await.ok()["roomId"], Value::Null);
    assert_eq!(step("nowhere", Value::Null).await.status, 422);
    let view = assistant.get("/api/in-clinic").await;
    let waiting = view["waiting"].as_array().unwrap();
    assert!(waiting.iter().all(|w| w["expectedMinutes"].is_u64()), "everybody who waits has an expected time");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_key_on_never_walks_past_check_in_and_the_key_back_takes_back_ones_own_move_once() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let other = Hand::sign_in(&product, "casimir").await;
    // Somebody with gaps, here today.
    let person = id(&desk.post("/api/people", json!({ "firstName": "Cass", "lastName": "Holder" })).await.ok());
    let slot = desk.open_slot().await;
    let booking = json!({ "personId": person, "slotId": slot["id"], "reason": "Sore throat", "meant": crate::meant() });
    let visit = id(&desk.post("/api/visits", booking).await.ok());
    let stage = format!("/api/visits/{visit}/stage");
    let key = |hand: &Hand, to: &str| {
        let (hand, stage, body) = (hand.clone(), stage.clone(), json!({ "to": to, "byKey": true }));
        async move { hand.post(&stage, body).await }
    };
    assert!(key(&desk, "back").await.detail().contains("Nothing was moved here"));
    assert_eq!(key(&desk, "next").await.ok()["stage"], "here");
    let asked = key(&desk, "next").await;
    assert_eq!(asked.body["type"], "urn:indigo-harbor:check-in-open", "{}", asked.body);
    assert!(
        asked.detail().starts_with("Check-in asks first: ") && asked.detail().contains("lacks"),
        "{}",
        asked.detail()
    );
    assert!(key(&other, "back").await.detail().starts_with("The last move was made by Junia Vance"));
    assert_eq!(key(&desk, "back").await.ok()["stage"], "booked");
    assert!(key(&desk, "back").await.detail().contains("taken back already"));
    // Whoever did not come, and comes after all, is here by the same key.
    desk.post(&stage, json!({ "to": "did_not_come" })).await.ok();
    let view = desk.get(&format!("/api/visits/{visit}")).await;
    assert_eq!((&view["next"], &view["card"]["line"]["ended"]), (&json!("came_after_all"), &json!("did not come")));
    assert_eq!(key(&desk, "next").await.ok()["stage"], "here");
    // Finished with something open, the line and Today go on telling it until it is closed.
    desk.post(&format!("/api/visits/{visit}/check-in"), json!({})).await.ok();
    let open = |today: &Value| {
        let mine = |w: &&Value| w["card"]["visit"]["id"] == visit.as_str();
        today["waiting"].as_array().unwrap().iter().find(mine).map(|w| w["group"].clone())
    };
    assert_eq!(open(&desk.get("/api/today").await), Some(json!("Left open at check-in")));
    let line = desk.get(&format!("/api/visits/{visit}")).await["card"]["line"].to_string();
    assert!(line.contains("registration_gaps") && line.contains("no_coverage"), "{line}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_visit_of_another_day_is_not_here_unless_it_is_moved_to_today() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = id(&desk.person("Brandvold").await);
    let slot = desk.get("/api/open-times?from=2026-11-30").await[0].clone();
    let booking = json!({ "personId": person, "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
    let visit = id(&desk.post("/api/visits", booking).await.ok());
    let stage = format!("/api/visits/{visit}/stage");
    let asked = desk.post(&stage, json!({ "to": "next" })).await;
    assert_eq!(asked.body["type"], "urn:indigo-harbor:other-day");
    assert!(asked.detail().contains("Monday, November 30, 2026"), "{}", asked.detail());
    let here = desk.post(&stage, json!({ "to": "here", "todayInstead": true })).await.ok();
    assert_eq!((&here["stage"], &here["day"], &here["slotId"]), (&json!("here"), &json!("2026-11-23"), &Value::Null));
    let moves = desk.get(&format!("/api/visits/{visit}/moves")).await;
    assert_eq!(moves[0]["reason"], "came today instead");
    let free = desk.get("/api/open-times?from=2026-11-30").await;
    assert!(free.as_array().unwrap().iter().any(|s| s["id"] == slot["id"]), "the time that was given up is free");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_cancelled_visit_frees_its_time_and_keeps_its_reason() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let slot = desk.open_slot().await;
    let person = id(&desk.person("Brandvold").await);
    let booking = json!({ "personId": person, "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
    let visit = id(&desk.post("/api/visits", booking.clone()).await.ok());
    assert_eq!(desk.post("/api/visits", booking.clone()).await.status, 409);
    desk.post(&format!("/api/visits/{visit}/cancel"), json!({ "reason": "patient ill" })).await.ok();
    let view = desk.get(&format!("/api/visits/{visit}")).await;
    assert_eq!(
        (&view["card"]["visit"]["cancelReason"], &view["card"]["line"]["ended"]),
        (&json!("patient ill"), &json!("cancelled"))
    );
    desk.post("/api/visits", booking).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_harmful_prescription_needs_an_override_reason() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let (wren, _) = visit_of(&doctor, "Takahashi").await;
    let path = format!("/api/visits/{wren}");
    let form = json!({ "productCode": "amoxelle-500", "dose": "1", "often": "tid", "days": "7", "diagnosis": "R05.3" });
    let checked = doctor.post(&format!("{path}/prescriptions/check"), form.clone()).await.ok();
    assert_eq!((&checked["needsOverride"], &checked["quantity"]), (&json!(true), &json!(21)));
    assert!(checked["findings"].to_string().contains("one of the penicillins"), "{checked}");
    let draft = id(&doctor.post(&format!("{path}/prescriptions"), form).await.ok());
    let pharmacy = doctor.get("/api/clinic").await["pharmacies"][0]["id"].clone();
    let send = format!("{path}/prescriptions/sign");
    let item = |overrides: Value| json!({ "items": [{ "id": draft, "pharmacyId": pharmacy, "overrides": overrides }] });
    let refused = doctor.post(&send, item(json!([]))).await;
    assert_eq!(refused.body["fields"][0]["field"], "overrideReason");
    let about = checked["findings"][0]["about"].clone();
    let body = item(json!([{ "about": about, "reason": "tolerated in 2024" }]));
    doctor.post(&send, body.clone()).await.ok();
    assert_eq!(doctor.post(&send, body).await.status, 422, "sent once");
    let sent = |c: &Value| c["prescriptions"][0]["state"] == "sent";
    let chart = doctor.until(&format!("{path}/chart"), sent).await;
    assert_eq!(chart["prescriptions"][0]["overrides"][0]["reason"], "tolerated in 2024");
    assert!(chart["medicines"].to_string().contains("Amoxelle"), "what is prescribed is taken");
    let asthma = json!({ "productCode": "propravel-40", "dose": "1", "often": "bid", "days": "30" });
    doctor.put(&format!("{path}/diagnoses"), json!({ "codes": ["R05.3", "J45.20"] })).await.ok();
    let checked = doctor.post(&format!("{path}/prescriptions/check"), asthma).await.ok();
    assert!(checked["findings"].to_string().contains("narrows the airways"), "{checked}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn diagnoses_say_what_is_missing_and_are_kept_while_something_hangs_on_them() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let (wren, _) = visit_of(&doctor, "Takahashi").await;
    let path = format!("/api/visits/{wren}/diagnoses");
    let set = |codes: Value| {
        let (doctor, path) = (doctor.clone(), path.clone());
        async move { doctor.put(&path, json!({ "codes": codes })).await }
    };
    assert!(set(json!(["S93.401"])).await.detail().contains("needs a seventh character"));
    assert!(set(json!(["J45"])).await.detail().contains("too general"));
    assert!(set(json!(["R05.3", "r053"])).await.detail().contains("stands here already"));
    let said = set(json!(["R05.3", "E11.9", "E10.9"])).await.ok();
    assert_eq!(said["stops"].as_array().map(Vec::len), Some(1), "an excluded pair is told");
    set(json!(["R05.3", "J45.20"])).await.ok();
    doctor.post(&format!("/api/visits/{wren}/orders"), json!({ "items": ["IGE"] })).await.ok();
    let held = set(json!(["R05.3"])).await;
    assert!(held.detail().contains("lies under J45.20"), "{}", held.body);
    set(json!(["J45.20", "R05.3"])).await.ok();
    let chart = doctor.get(&format!("/api/visits/{wren}/chart")).await;
    let order: Vec<&str> = chart["diagnoses"].as_array().unwrap().iter().map(|d| d["code"].as_str().unwrap()).collect();
    assert_eq!(order, ["J45.20", "R05.3"]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn two_who_write_one_part_lose_nothing() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let (wren, _) = visit_of(&doctor, "Takahashi").await;
    let path = format!("/api/visits/{wren}/note/reason");
    let first = doctor.put(&path, json!({ "body": "Cough, seven weeks.", "version": 2 })).await.ok();
    assert_eq!(first["version"], 3);
    let second = doctor.put(&path, json!({ "body": "Cough, eight weeks.", "version": 2 })).await;
    assert_eq!((second.status, second.body["current"]["body"].as_str()), (409, Some("Cough, seven weeks.")));
    assert_eq!(doctor.put(&path, json!({ "body": "x", "version": 0 })).await.status, 409, "nor can it be begun anew");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn none_known_is_a_statement_of_its_own() {
    let product = Product::start().await.unwrap();
    let assistant = Hand::sign_in(&product, "petra").await;
    let (_, wren) = visit_of(&assistant, "Takahashi").await;
    let path = format!("/api/people/{wren}/none-known");
    let refused = assistant.post(&path, json!({ "list": "allergies" })).await;
    assert_eq!(refused.detail(), "The list of allergies is not empty.");
    // The end of an allergy is taken back; what was said of the empty list meanwhile goes with it.
    let allergies = format!("/api/people/{wren}/allergies");
    let glance = format!("/api/people/{wren}/chart");
    let before = assistant.get(&glance).await["allergies"].clone();
    let ended = format!("{allergies}/{}", before[0]["id"].as_str().unwrap());
    assistant.post(&format!("{ended}/end"), json!({ "reason": "tested" })).await.ok();
    assistant.post(&path, json!({ "list": "allergies" })).await.ok();
    assistant.post(&format!("{ended}/not-ended"), json!({})).await.ok();
    let again = assistant.get(&glance).await;
    // As it stood, but for who said so last.
    let stands =
        |all: &Value| ["id", "substance", "reaction", "endedAt", "endReason"].map(|field| all[0][field].clone());
    assert_eq!(stands(&again["allergies"]), stands(&before));
    assert!(again["noneKnown"].as_array().unwrap().iter().all(|n| n["list"] != "allergies"), "{again}");
    let (visit, emeka) = visit_of(&assistant, "Sorrentino").await;
    let path = format!("/api/people/{emeka}/none-known");
    assistant.post(&path, json!({ "list": "medicines" })).await.ok();
    assistant.ask("delete", &format!("{path}/medicines"), None).await.ok();
    let said = assistant.get(&format!("/api/people/{emeka}/chart")).await["noneKnown"].clone();
    assert!(said.as_array().unwrap().iter().all(|n| n["list"] != "medicines"), "nobody asked, again: {said}");
    assistant.post(&path, json!({ "list": "medicines" })).await.ok();
    let medicine = json!({ "productCode": "ibudrift-400" });
    assistant.post(&format!("/api/people/{emeka}/medicines"), medicine).await.ok();
    let chart = assistant.get(&format!("/api/visits/{visit}/chart")).await;
    let still = chart["noneKnown"].as_array().unwrap().iter().any(|n| n["list"] == "medicines");
    assert!(!still, "a medicine unsays it");
    let medicine = chart["medicines"][0]["id"].as_str().unwrap();
    let taken = format!("/api/people/{emeka}/medicines/{medicine}");
    assistant.put(&taken, json!({ "state": "stopped" })).await.ok();
    assistant.post(&path, json!({ "list": "medicines" })).await.ok();
    assistant.put(&taken, json!({ "state": "taking" })).await.ok();
    let said = assistant.get(&format!("/api/people/{emeka}/chart")).await["noneKnown"].clone();
    assert!(said.as_array().unwrap().iter().all(|n| n["list"] != "medicines"), "taken again after all: {said}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_price_that_was_missing_is_set_on_the_spot_and_holds_everywhere() {
    let product = Product::start().await.unwrap();
    let biller = Hand::sign_in(&product, "agathe").await;
    let claims = biller.get("/api/today").await;
    let open: Vec<String> = claims["waiting"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|w| w["place"] == "charges")
        .map(|w| id(&w["card"]["visit"]))
        .take(2)
        .collect();
    assert_eq!(open.len(), 2, "two visits wait for their charges");
    for visit in &open {
        let lines = json!([{ "serviceCode": "SPLINT", "units": 2, "pointers": [1] }]);
        biller.put(&format!("/api/visits/{visit}/charges"), lines).await.ok();
        let faults = biller.get(&format!("/api/visits/{visit}/charges")).await["faults"].to_string();
        assert!(faults.contains("no_fee"), "{faults}");
    }
    assert_eq!(biller.put("/api/services/SPLINT/price", json!({ "price": "0" })).await.status, 422);
    biller.put("/api/services/SPLINT/price", json!({ "price": "42.50" })).await.ok();
    for visit in &open {
        let charges = biller.get(&format!("/api/visits/{visit}/charges")).await;
        assert_eq!(charges["totalCents"], 8500);
    }
    product.stop().await.unwrap();
}
