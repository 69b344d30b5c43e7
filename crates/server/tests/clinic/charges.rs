//! Charges: lines that stand by themselves, the level and what it goes by, and what a payer would refuse.

use crate::building::Visit;
use crate::orders::{ordered, path};
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

fn services(charges: &Value) -> Vec<&str> {
    charges["lines"].as_array().unwrap().iter().map(|l| l["line"]["serviceCode"].as_str().unwrap()).collect()
}

fn text<'v>(fault: &'v Value, key: &str) -> &'v str {
    fault[key].as_str().unwrap_or_default()
}

/// The code, the severity and the place of each fault.
fn faults(charges: &Value) -> Vec<(&str, &str, &str)> {
    let all = charges["faults"].as_array().unwrap();
    all.iter().map(|f| (text(f, "code"), text(f, "severity"), text(f, "place"))).collect()
}

#[actix_web::test]
async fn what_was_done_stands_among_the_charges_by_itself_and_stays_away_when_taken_off() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E78.5", "I48.91"]).await;
    let ecg = ordered(&visit, &visit.clinician, "ECG").await;
    visit.clinician.put(&path(&ecg, "/diagnoses"), json!({ "codes": ["I48.91"] })).await.ok();
    let lipids = ordered(&visit, &visit.clinician, "K").await;
    visit.clinician.put(&path(&lipids, "/diagnoses"), json!({ "codes": ["E78.5"] })).await.ok();
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    assert_eq!(services(&visit.clinician.get(&visit.path("/charges")).await), [""; 0], "nothing is done yet");

    visit.assistant.post(&path(&lipids, "/specimen"), json!({})).await.ok();
    visit.assistant.post(&path(&ecg, "/done"), json!({})).await.ok();
    let charges = visit.clinician.get(&visit.path("/charges")).await;
    let mut there = services(&charges);
    there.sort_unstable();
    assert_eq!(there, ["DRAW", "ECG"], "the level is that of the whole note: {charges}");
    let line = |service: &str| {
        charges["lines"].as_array().unwrap().iter().find(|l| l["line"]["serviceCode"] == service).unwrap()["line"]
            .clone()
    };
    assert_eq!((&line("ECG")["pointers"], &line("DRAW")["pointers"]), (&json!([2]), &json!([1])), "what each was for");
    assert!(
        line("ECG")["reason"].as_str().unwrap().starts_with("Electrocardiogram, 12 leads was done here by"),
        "{charges}"
    );
    assert_eq!(charges["newPatient"], true);

    // Taken off, it does not come back, whatever is done after; what stays is the same line.
    let kept = line("ECG");
    let body = json!([{ "id": kept["id"], "serviceCode": "ECG", "units": 1, "pointers": [2] }]);
    visit.clinician.put(&visit.path("/charges"), body).await.ok();
    visit.clinician.post(&visit.path("/charges/by-themselves"), json!({})).await.ok();
    let visit = visit.noted("plan", "Seen; back in four weeks.").await.signed().await;
    let after = visit.clinician.get(&visit.path("/charges")).await;
    assert_eq!(
        services(&after),
        ["ECG", "NEW2"],
        "two lasting problems, but neither two tests nor a medicine: {after}"
    );
    assert_eq!(
        (&after["lines"][0]["line"]["id"], &after["lines"][0]["line"]["reason"]),
        (&kept["id"], &kept["reason"])
    );
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_level_goes_by_documented_minutes_and_says_what_the_next_would_want() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["R05.3"]).await;
    let draft = ordered(&visit, &visit.clinician, "K").await;
    let before = visit.clinician.get(&visit.path("/charges")).await;
    assert!(before["reasons"].to_string().contains(" 0 tests ordered"), "a draft is no order yet: {before}");
    visit.clinician.ask("delete", &path(&draft, ""), None).await.ok();
    assert_eq!(before["suggestedLevel"], 2, "one problem of the day: {before}");
    let said = before["nextLevel"].to_string();
    assert!(said.contains("30 minutes of the clinician's own time") && said.contains("two more of"), "{said}");
    let head = json!({ "kind": "in_person", "minutes": 47 });
    visit.clinician.put(&visit.path("/note-head"), head).await.ok();
    let after = visit.clinician.get(&visit.path("/charges")).await;
    assert_eq!((&after["suggestedLevel"], &after["suggestedService"]), (&json!(4), &json!("NEW4")), "{after}");
    assert!(after["reasons"].to_string().contains("47 minutes with somebody new: level 4 by time."), "{after}");

    // Seen again by another of the same specialty, the patient is known, and by one of another, new.
    let visit = visit.noted("plan", "Seen; back in four weeks.").await.signed().await;
    assert_eq!(services(&visit.clinician.get(&visit.path("/charges")).await), ["NEW4"]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_stops_a_claim_and_what_only_warns_are_told_apart_and_where_each_is_put_right() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10", "N18.30"]).await;
    let visit = visit.noted("plan", "Seen; back in four weeks.").await.signed().await;
    let charges = visit.clinician.get(&visit.path("/charges")).await;
    assert_eq!(faults(&charges), [("presumption", "warns", "note")], "{charges}");
    assert!(charges["ready"] == true && charges["said"].as_str().unwrap().ends_with("1 to look at."), "{charges}");
    // The note says that they are unrelated: that is an answer.
    let answered = json!({ "onset": "10/1/2026", "lastSeen": "10/2/2026" });
    visit.clinician.put(&visit.path("/for-claim"), answered).await.ok();
    let pair = charges["faults"][0]["pair"].clone();
    let unrelated = async |pair: &Value, is: bool| {
        visit.clinician.put(&visit.path("/unrelated"), json!({ "pair": pair, "unrelated": is })).await
    };
    unrelated(&pair, true).await.ok();
    unrelated(&pair, false).await.ok();
    assert_eq!(faults(&visit.clinician.get(&visit.path("/charges")).await).len(), 1, "taken back");
    unrelated(&pair, true).await.ok();
    assert_eq!(unrelated(&json!("I10"), true).await.status, 422, "two codes");
    assert_eq!(faults(&visit.clinician.get(&visit.path("/charges")).await), []);
    for (wrong, field) in [(json!({ "onset": "soon" }), "onset"), (json!({ "lastSeen": "12/1/2090" }), "lastSeen")] {
        let refused = visit.clinician.put(&visit.path("/for-claim"), wrong).await;
        assert_eq!((refused.status, &refused.body["fields"][0]["field"]), (422, &json!(field)), "{}", refused.body);
    }
    visit.clinician.post(&visit.path("/charges/complete"), json!({})).await.ok();
    let late = visit.clinician.put(&visit.path("/for-claim"), json!({})).await;
    assert_eq!((late.status, late.body["type"].as_str()), (422, Some("urn:indigo-harbor:charged")));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_policy_number_that_cannot_be_sent_is_told_and_not_changed() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane")
        .await
        .roomed()
        .await
        .diagnosed(&["I10"])
        .await
        .noted("plan", "Seen; back in four weeks.")
        .await
        .signed()
        .await;
    let desk = Hand::sign_in(&product, "junia").await;
    let policy = desk.get(&visit.path("")).await["coverages"][0]["coverage"].clone();
    let body = json!({ "version": policy["version"], "subscriberNumber": "SM55510", "groupNumber": "G 1:0*1" });
    desk.put(&format!("/api/coverages/{}", id(&policy)), body).await.ok();
    let charges = visit.clinician.get(&visit.path("/charges")).await;
    assert!(faults(&charges).contains(&("number_signs", "stops", "coverage")), "{charges}");
    product.stop().await.unwrap();
}

/// A price that somebody set for later must not go because one is set for today.
#[actix_web::test]
async fn a_price_of_today_leaves_one_that_begins_later() {
    let product = Product::start().await.unwrap();
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let later = "insert into prices (id, service_code, schedule, cents, starts_on, ends_on)
                 values (gen_random_uuid(), 'VISIT3', 'standard', 15500, date '2027-01-01', null)";
    client.execute("update prices set ends_on = date '2026-12-31' where service_code = 'VISIT3'", &[]).await.unwrap();
    client.execute(later, &[]).await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    manager.put("/api/services/VISIT3/price", json!({ "price": "145" })).await.ok();
    manager.put("/api/services/VISIT3/price", json!({ "price": "150" })).await.ok();
    let told = "select cents || ' ' || starts_on || ' ' || coalesce(ends_on::text, 'on')
                from prices where service_code = 'VISIT3' order by starts_on";
    let rows: Vec<String> = client.query(told, &[]).await.unwrap().iter().map(|r| r.get(0)).collect();
    assert_eq!(rows.len(), 3, "{rows:?}");
    assert!(rows[0].starts_with("14000 ") && rows[0].ends_with(" 2026-11-22"), "{rows:?}");
    assert_eq!(rows[1..], ["15000 2026-11-23 2026-12-31", "15500 2027-01-01 on"]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_sheet_of_a_day_tells_what_is_charged_missing_and_different() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10"]).await;
    let desk = Hand::sign_in(&product, "junia").await;
    let row = async |by: &Hand| {
        let sheet = by.get("/api/charges/of-day").await;
        let all = sheet["rows"].as_array().unwrap().clone();
        all.into_iter().find(|r| r["visitId"] == visit.id.as_str()).unwrap_or_else(|| panic!("{sheet}"))
    };
    assert_eq!(row(&visit.clinician).await["stand"], "unsigned");
    visit.clinician.put(&visit.path("/note/plan"), json!({ "body": "Tablets.", "version": 0 })).await.ok();
    visit
        .assistant
        .post(&format!("/api/people/{}/none-known", visit.person), json!({ "list": "allergies" }))
        .await
        .ok();
    visit.clinician.sign_note(&visit.id).await.ok();
    let signed = row(&visit.clinician).await;
    assert_eq!(
        (&signed["stand"], &signed["differs"], &signed["cents"]),
        (&json!("ready"), &Value::Null, &json!(12_000)),
        "{signed}"
    );
    let above = json!([{ "serviceCode": "NEW5", "units": 1, "pointers": [1] }]);
    visit.clinician.put(&visit.path("/charges"), above).await.ok();
    assert_eq!(row(&visit.clinician).await["differs"], "Level 5 is charged, and level 2 is documented.");

    visit
        .clinician
        .put(&visit.path("/charges"), json!([{ "serviceCode": "NEW2", "units": 1, "pointers": [1] }]))
        .await
        .ok();
    visit.clinician.post(&visit.path("/charges/complete"), json!({})).await.ok();
    assert_eq!(row(&desk).await["stand"], "done");
    let empty = desk.get("/api/charges/of-day?day=2031-01-01").await;
    assert_eq!((&empty["rows"], &empty["openCents"]), (&json!([]), &json!(0)));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_is_wrong_with_a_code_is_told_on_the_sheet_to_those_who_may_see_the_chart() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["F02.80"]).await;
    let visit = visit.noted("plan", "To be looked into.").await.signed().await;
    let missing = async |by: &Hand| {
        let sheet = by.get("/api/charges/of-day").await;
        let all = sheet["rows"].as_array().unwrap().clone();
        let row = all.into_iter().find(|r| r["visitId"] == visit.id.as_str()).unwrap();
        (row["stand"].clone(), row["missing"].to_string())
    };
    let (stand, told) = missing(&visit.clinician).await;
    assert!(stand == "nothing" && told.contains("F02.80 cannot stand first"), "{stand} {told}");
    let (_, told) = missing(&Hand::sign_in(&product, "junia").await).await;
    assert!(!told.contains("F02") && told.contains("Something of the chart"), "{told}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn codes_of_a_chart_are_withheld_from_the_desk_also_where_they_are_said_to_be_unrelated() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10", "N18.30"]).await;
    let said = json!({ "pair": "I10+N18.30", "unrelated": true });
    visit.clinician.put(&visit.path("/unrelated"), said).await.ok();
    assert_eq!(visit.clinician.get(&visit.path("/for-claim")).await["said"]["unrelated"], json!(["I10+N18.30"]));
    assert_eq!(visit.desk.get(&visit.path("/for-claim")).await["said"]["unrelated"], json!([]));
    product.stop().await.unwrap();
}

/// Without a taxonomy no claim of a clinician goes out, so it is entered where people are kept.
#[actix_web::test]
async fn a_clinician_without_a_taxonomy_is_given_one_in_the_settings() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let new = json!({ "login": "noor", "firstName": "Noor", "lastName": "Halloran", "role": "clinician", "npi": "1234567893" });
    let noor = manager.post("/api/staff", new.clone()).await.ok();
    assert!(noor["taxonomy"].is_null(), "{noor}");
    let with = |taxonomy: &str| {
        let mut form = new.clone();
        form["taxonomy"] = json!(taxonomy);
        form
    };
    let at = format!("/api/staff/{}", id(&noor));
    let refused = manager.put(&at, with("family")).await;
    assert_eq!((refused.status, &refused.body["fields"][0]["field"]), (422, &json!("taxonomy")));
    assert_eq!(manager.put(&at, with("207q00000x")).await.ok()["taxonomy"], "207Q00000X");
    assert_eq!(manager.put(&at, new.clone()).await.ok()["taxonomy"], "207Q00000X", "not said, it stays");
    product.stop().await.unwrap();
}
