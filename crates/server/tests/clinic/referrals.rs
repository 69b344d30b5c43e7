//! Referrals to the clinic: asked for by the payer, named by visits, counted down, and told when they no longer hold.

use crate::building::Visit;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

/// Saltmarsh pays only with a referral from now on.
async fn asks(product: &Product) -> Hand {
    let manager = Hand::sign_in(product, "soren").await;
    let payers = manager.get("/api/clinic").await["payers"].clone();
    let payer = payers.as_array().unwrap().iter().find(|p| p["payerCode"] == "SALTM").unwrap().clone();
    let form = json!({ "name": payer["name"], "payerCode": "SALTM", "filingCode": "CI", "employment": false,
        "filingDays": "180", "correctionDays": "", "appealDays": "", "needsReferral": true, "telephone": "", "address": "" });
    manager.put(&format!("/api/settings/payers/{}", id(&payer)), form).await.ok();
    manager
}

fn referral(visits: &str) -> Value {
    json!({ "fromLast": "Okafor-Lund", "fromFirst": "Ada", "fromNpi": "1234567893", "number": "CR7", "payerId": null,
        "question": "cough", "validFrom": "11/1/2026", "validUntil": "12/31/2026", "visits": visits })
}

/// What stands before check-in because of a referral, and what the claim check says of it.
async fn told(visit: &Visit) -> (String, String) {
    let view = visit.desk.get(&visit.path("")).await;
    let marks = view["card"]["line"]["marks"].as_array().unwrap().clone();
    let blockers = marks.iter().flat_map(|m| m["blockers"].as_array().unwrap().clone()).collect::<Vec<_>>();
    let before = blockers.iter().find(|b| b["code"] == "referral").map_or("", |b| b["sentence"].as_str().unwrap());
    let charges = visit.clinician.get(&visit.path("/charges")).await;
    let faults = charges["faults"].as_array().unwrap();
    let fault = faults.iter().find(|f| f["code"] == "referral").map_or("", |f| f["sentence"].as_str().unwrap());
    (before.to_owned(), fault.to_owned())
}

#[actix_web::test]
async fn a_payer_that_asks_for_a_referral_is_told_of_before_check_in_and_before_the_claim() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    assert_eq!(told(&visit).await, (String::new(), String::new()), "nobody asks for one");
    let manager = asks(&product).await;
    let (before, fault) = told(&visit).await;
    assert!(before.contains("none on file holds") && before == fault, "{before} {fault}");
    let path = format!("/api/people/{}/referrals", visit.person);
    let written = visit.desk.post(&path, referral("1")).await.ok();
    assert!(told(&visit).await.0.contains("say which one"), "nobody guesses it");
    let name = async |visit: &Visit, referral: Value| {
        visit.desk.put(&visit.path("/referral"), json!({ "referralId": referral })).await
    };
    name(&visit, written["id"].clone()).await.ok();
    assert_eq!(told(&visit).await, (String::new(), String::new()));
    let own = visit.desk.get(&visit.path("/referrals")).await[0].clone();
    assert_eq!(
        (&own["booked"], &own["used"], &own["left"], &own["named"]),
        (&json!(1), &json!(0), &json!(0), &json!(true))
    );

    // One visit more than it allows is at fault, and not the first.
    let clinician = visit.desk.get(&visit.path("")).await["card"]["visit"]["clinicianId"].clone();
    let open = visit.desk.get(&format!("/api/open-times?clinicianId={}", clinician.as_str().unwrap())).await;
    let latest = open.as_array().unwrap().iter().max_by_key(|s| s["startsAt"].as_str()).unwrap().clone();
    let slot = latest["id"].clone();
    let booking = json!({ "personId": visit.person, "slotId": slot, "reason": "Again", "meant": crate::meant() });
    let second = id(&visit.desk.post("/api/visits", booking).await.ok());
    visit.desk.put(&format!("/api/visits/{second}/referral"), json!({ "referralId": written["id"] })).await.ok();
    let of_second = visit.desk.get(&format!("/api/visits/{second}/referrals")).await[0]["fault"].clone();
    assert!(of_second.as_str().unwrap().contains("was for one visit"), "{of_second}");
    assert_eq!(told(&visit).await.0, "");
    // Cancelled, it counts no more; and what is told anew is counted anew.
    let reason = json!({ "reason": "patient ill" });
    let cancelled = visit.desk.post(&format!("/api/visits/{second}/cancel"), reason).await;
    assert!(cancelled.status < 300, "{}", cancelled.body);
    assert_eq!(visit.desk.get(&path).await[0]["booked"], 1);
    let address = format!("/api/referrals/{}", id(&written));
    visit.desk.put(&address, referral("6")).await.ok();
    assert_eq!(visit.desk.get(&path).await[0]["left"], 5);

    // Taken back it holds for nothing, and it stands again.
    let end = async |ended: bool| visit.desk.put(&format!("{address}/ended"), json!({ "ended": ended })).await.ok();
    end(true).await;
    assert!(told(&visit).await.1.contains("was taken back"));
    end(false).await;
    assert_eq!(told(&visit).await.1, "");
    // For another payer it is no good.
    let payers = manager.get("/api/clinic").await["payers"].clone();
    let beacon = payers.as_array().unwrap().iter().find(|p| p["payerCode"] == "BEACN").map(id).unwrap();
    let mut other = referral("6");
    other["payerId"] = json!(beacon);
    visit.desk.put(&address, other).await.ok();
    assert!(told(&visit).await.0.contains("is for another payer"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_referral_of_a_visit_goes_out_with_its_claim_and_stays_as_it_was_once_charged() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10"]).await;
    let written = visit.desk.post(&format!("/api/people/{}/referrals", visit.person), referral("")).await.ok();
    let path = visit.path("/referral");
    visit.desk.put(&path, json!({ "referralId": written["id"] })).await.ok();
    // What else is said for the claim keeps it.
    visit.clinician.put(&visit.path("/for-claim"), json!({ "onset": "10/1/2026" })).await.ok();
    let said = visit.clinician.get(&visit.path("/for-claim")).await;
    assert_eq!(
        (&said["referral"]["fromLast"], &said["rendering"]),
        (&json!("Okafor-Lund"), &json!("Dr. Oriane Valcourt"))
    );
    let visit = visit.noted("plan", "Seen.").await.charged().await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let claims = biller.get("/api/claims?state=ready").await;
    let claim =
        claims.as_array().unwrap().iter().find(|c| c["visit"]["id"] == visit.id.as_str()).unwrap()["claim"].clone();
    let would = biller.get(&format!("/api/claims/{}/as-sent", id(&claim))).await.to_string();
    assert!(would.contains("OKAFOR-LUND") && would.contains("CR7"), "{would}");
    let late = visit.desk.put(&path, json!({ "referralId": null })).await;
    assert_eq!((late.status, late.body["type"].as_str()), (422, Some("urn:indigo-harbor:charged")));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_referral_is_refused_field_by_field_and_is_its_own_persons() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    let path = format!("/api/people/{}/referrals", visit.person);
    for (field, value) in [
        ("fromLast", " "),
        ("fromNpi", "1234567890"),
        ("validFrom", "someday"),
        ("validUntil", "10/1/2026"),
        ("visits", "0"),
        ("visits", "many"),
    ] {
        let mut form = referral("");
        form[field] = json!(value);
        let refused = visit.desk.post(&path, form).await;
        assert_eq!((refused.status, &refused.body["fields"][0]["field"]), (422, &json!(field)), "{}", refused.body);
    }
    let mut unknown = referral("");
    unknown["payerId"] = json!("00000000-0000-7000-8000-000000000009");
    assert_eq!(visit.desk.post(&path, unknown).await.status, 404);
    let another = id(&visit.desk.person("Sorrentino").await);
    // Written with a visit of somebody else, neither is kept.
    let mut foreign = referral("");
    foreign["forVisit"] = json!(visit.id);
    let strange = visit.desk.post(&format!("/api/people/{another}/referrals"), foreign).await;
    assert!(strange.status == 422 && strange.detail().contains("somebody else's"), "{}", strange.body);
    assert_eq!(visit.desk.get(&format!("/api/people/{another}/referrals")).await, json!([]));
    let mut own = referral("");
    own["forVisit"] = json!(visit.id);
    visit.desk.post(&path, own).await.ok();
    assert_eq!(visit.desk.get(&visit.path("/referrals")).await[0]["named"], true);
    let others = visit.desk.post(&format!("/api/people/{another}/referrals"), referral("")).await.ok();
    let refused = visit.desk.put(&visit.path("/referral"), json!({ "referralId": others["id"] })).await;
    assert!(refused.status == 422 && refused.detail().contains("somebody else's"), "{}", refused.body);
    assert_eq!(visit.assistant.post(&path, referral("")).await.status, 403, "the desk's and the biller's");
    product.stop().await.unwrap();
}
