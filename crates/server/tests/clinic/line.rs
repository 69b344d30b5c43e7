//! One visit from the telephone call to a settled balance, through the API.

use crate::{Hand, id, payment};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

pub struct Walk {
    pub visit: String,
    pub person: String,
}

fn current(view: &Value) -> &str {
    view["card"]["line"]["current"].as_str().unwrap_or("end")
}

pub async fn to_charges(product: &Product, subscriber: &str) -> Walk {
    let desk = Hand::sign_in(product, "junia").await;
    let form = json!({
        "firstName": "Ines", "lastName": "Quarrie", "birthDate": "2/13/1999", "sex": "F", "phone": "207 555 0199",
        "emailDeclined": true, "addressLine": "7 Ropewalk", "city": "Port Calder", "state": "me", "postalCode": "04998"
    });
    let person = id(&desk.post("/api/people", form).await.ok());
    desk.post(&format!("/api/people/{person}/consents"), json!({ "kind": "privacy_notice", "given": true })).await.ok();
    let clinic = desk.get("/api/clinic").await;
    let payer = clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == "SALTM").unwrap();
    let policy = json!({ "payerId": payer["id"], "subscriberNumber": subscriber });
    let policy = desk.post(&format!("/api/people/{person}/coverages"), policy).await.ok();
    let oriane = clinic["staff"].as_array().unwrap().iter().find(|s| s["login"] == "oriane").unwrap();
    let slots = desk.get(&format!("/api/open-times?clinicianId={}", id(oriane))).await;
    let booking = json!({ "personId": person, "slotId": slots[0]["id"], "reason": "High blood pressure and lipids", "meant": crate::meant() });
    let visit = id(&desk.post("/api/visits", booking).await.ok());
    let path = format!("/api/visits/{visit}");
    let move_to = |hand: Hand, to: &'static str, room: Value| {
        let path = format!("{path}/stage");
        async move { hand.post(&path, json!({ "to": to, "roomId": room })).await.ok() }
    };
    move_to(desk.clone(), "here", Value::Null).await;
    desk.post(&format!("/api/coverages/{}/benefits", id(&policy)), json!({ "visitId": visit })).await.ok();
    let answered = |v: &Value| v["coverages"][0]["benefits"]["outcome"].as_str().is_some_and(|o| o != "waiting");
    desk.until(&path, answered).await;
    desk.post(&format!("{path}/check-in"), json!({})).await.ok();
    let key = uuid::Uuid::now_v7();
    let pay = payment(&clinic, &person, "25", "card", key);
    let receipt = desk.post("/api/payments", pay.clone()).await.ok();
    let again = desk.post("/api/payments", pay).await.ok();
    assert_eq!(receipt["number"], again["number"], "the same key pays once");
    let assistant = Hand::sign_in(product, "petra").await;
    let room = clinic["rooms"].as_array().unwrap().iter().find(|r| r["name"] == "Curlew").unwrap()["id"].clone();
    move_to(assistant.clone(), "in_room", room).await;
    let line = json!({ "text": "bp 152/94 hr 72 w 80kg h 180cm", "keep": true });
    assert_eq!(assistant.post(&format!("{path}/quick-line"), line).await.ok()["kept"], 6);
    assistant.post(&format!("/api/people/{person}/none-known"), json!({ "list": "allergies" })).await.ok();
    let doctor = Hand::sign_in(product, "oriane").await;
    move_to(doctor.clone(), "with_clinician", Value::Null).await;
    let refused = doctor.sign_note(&visit).await;
    assert_eq!(refused.status, 422, "an empty note is not signed");
    doctor.put(&format!("{path}/diagnoses"), json!({ "codes": ["I10", "E78.5"] })).await.ok();
    doctor
        .put(&format!("{path}/note/plan"), json!({ "body": "Tablets, tests, back in four weeks.", "version": 0 }))
        .await
        .ok();
    let orders = doctor.post(&format!("{path}/orders"), json!({ "items": ["K", "LIPID"] })).await.ok();
    assert_eq!(
        (&orders[0]["codes"], &orders[1]["codes"]),
        (&json!(["I10"]), &json!(["E78.5"])),
        "each under its own diagnosis"
    );
    let unanswered = doctor.post(&format!("{path}/orders/send"), json!({})).await;
    assert!(unanswered.detail().contains("Fasting?"), "{}", unanswered.body);
    let answer = json!([{ "question": "Fasting?", "answer": "yes" }]);
    doctor.put(&format!("/api/orders/{}/answers", id(&orders[1]["order"])), answer).await.ok();
    doctor.post(&format!("{path}/orders/send"), json!({})).await.ok();
    doctor.sign_note(&visit).await.ok();
    let late = doctor.put(&format!("{path}/note/plan"), json!({ "body": "other", "version": 1 })).await;
    assert_eq!(late.body["type"], "urn:indigo-harbor:note-signed");
    let lines = json!([{ "serviceCode": "VISIT4", "units": 1, "pointers": [1, 2] }, { "serviceCode": "SPLINT", "units": 1, "pointers": [] }]);
    doctor.put(&format!("{path}/charges"), lines).await.ok();
    let charges = doctor.get(&format!("{path}/charges")).await;
    let faults = charges["faults"].as_array().unwrap().iter().filter(|f| f["severity"] == "stops");
    let stops: Vec<&str> = faults.map(|f| f["code"].as_str().unwrap()).collect();
    assert_eq!(stops, ["no_fee", "no_pointer"]);
    let refused = doctor.post(&format!("{path}/charges/complete"), json!({})).await;
    assert!(refused.detail().contains("Finger splint is not in the fee schedule"), "{}", refused.body);
    let lines = json!([{ "serviceCode": "VISIT4", "units": 1, "pointers": [1, 2] }]);
    doctor.put(&format!("{path}/charges"), lines).await.ok();
    doctor.post(&format!("{path}/charges/complete"), json!({})).await.ok();
    Walk { visit, person }
}

pub async fn send_claim(product: &Product, walk: &Walk) -> (Hand, Value) {
    let biller = Hand::sign_in(product, "agathe").await;
    let claims = biller.get("/api/claims?state=ready").await;
    let claim =
        claims.as_array().unwrap().iter().find(|c| c["visit"]["id"] == walk.visit.as_str()).unwrap()["claim"].clone();
    let made = biller.post("/api/batches", json!({ "claimIds": [claim["id"]] })).await.ok();
    assert_eq!(made["findings"], json!([]));
    (biller, claim)
}

#[actix_web::test]
async fn from_the_call_to_a_settled_balance() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    let (biller, claim) = send_claim(&product, &walk).await;
    let detail = biller.until(&format!("/api/claims/{}", id(&claim)), |c| c["claim"]["claim"]["state"] == "paid").await;
    let states: Vec<&str> = detail["events"].as_array().unwrap().iter().map(|e| e["state"].as_str().unwrap()).collect();
    assert_eq!(states, ["ready", "sent", "accepted", "paid"]);
    // Fee 195.00, allowed 65 % = 126.75; copay 25.00, then 20 % of the rest: 20.35.
    let path = format!("/api/visits/{}", walk.visit);
    let view = biller.get(&path).await;
    assert_eq!(view["river"]["patientOwesCents"], 2035);
    assert_eq!(current(&view), "settled");
    let money = biller.get(&format!("{path}/money")).await;
    let why = money["decisions"][0]["explanation"].to_string();
    assert!(why.contains("The copay.") && why.contains("above what the contract allows"), "{why}");
    let desk = Hand::sign_in(&product, "junia").await;
    let pay = payment(&desk.get("/api/clinic").await, &walk.person, "20.35", "cash", uuid::Uuid::now_v7());
    assert_eq!(desk.post("/api/payments", pay).await.ok()["leftCents"], 0);
    let view = desk.get(&path).await;
    assert_eq!(current(&view), "end");
    let reached = view["card"]["line"]["marks"].as_array().unwrap().iter().filter(|m| m["at"].is_string()).count();
    assert_eq!(reached, 9);
    // The laboratory has answered meanwhile; its results wait for the clinician.
    let doctor = Hand::sign_in(&product, "oriane").await;
    let own = |v: &Value| {
        v["waiting"].as_array().unwrap().iter().filter(|r| r["person"]["id"] == walk.person.as_str()).count() == 2
    };
    let results = doctor.until("/api/results", own).await;
    let mine =
        results["waiting"].as_array().unwrap().iter().find(|r| r["person"]["id"] == walk.person.as_str()).unwrap();
    let review = format!("/api/results/{}/review", id(mine));
    doctor.post(&review, json!({ "comment": "Seen." })).await.ok();
    assert_eq!(doctor.post(&review, json!({})).await.status, 422, "signed once");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_rejected_claim_is_corrected_and_goes_again() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55592").await;
    let (biller, claim) = send_claim(&product, &walk).await;
    let path = format!("/api/claims/{}", id(&claim));
    let rejected = biller.until(&path, |c| c["claim"]["claim"]["state"] == "rejected").await;
    assert_eq!(rejected["claim"]["claim"]["reasons"], json!(["subscriber number"]));
    assert_eq!(rejected["fixes"], json!(["coverage"]), "where it is put right");
    let view = biller.get(&format!("/api/visits/{}", walk.visit)).await;
    assert!(view["card"]["line"].to_string().contains("Payer rejected: subscriber number"));
    let policy = &view["coverages"][0]["coverage"];
    let form = json!({ "version": policy["version"], "subscriberNumber": "SM55511" });
    biller.put(&format!("/api/coverages/{}", id(policy)), form).await.ok();
    biller.post(&format!("{path}/correct"), json!({})).await.ok();
    send_claim(&product, &walk).await;
    biller.until(&path, |c| c["claim"]["claim"]["state"] == "paid").await;
    product.stop().await.unwrap();
}
