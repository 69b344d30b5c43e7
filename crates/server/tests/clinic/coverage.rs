//! Policies: ranks and dates, policyholders, copies for the household, and the evening's questions.

use crate::{Hand, id};
use harbor_demo::testing::{Product, day};
use serde_json::{Value, json};

async fn add(desk: &Hand, first: &str, born: &str) -> String {
    let form = json!({ "firstName": first, "lastName": "Saltbox", "birthDate": born, "sex": "F", "notATwin": true });
    id(&desk.post("/api/people", form).await.ok())
}

async fn payer(desk: &Hand, code: &str) -> Value {
    let clinic = desk.get("/api/clinic").await;
    clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == code).unwrap()["id"].clone()
}

#[actix_web::test]
async fn the_rank_in_force_counts_and_an_ended_policy_stays_readable() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let runa = add(&desk, "Runa", "3/3/1985").await;
    let path = format!("/api/people/{runa}/coverages");
    let salt = payer(&desk, "SALTM").await;
    let old = json!({ "payerId": salt, "subscriberNumber": "SM1", "startsOn": "1/1/2024", "endsOn": "12/31/2025" });
    desk.post(&path, old).await.ok();
    let second = json!({ "payerId": salt, "subscriberNumber": "SM2", "rank": "S", "startsOn": "1/1/2026" });
    desk.post(&path, second).await.ok();
    let counting = |list: &Value| {
        let all = list.as_array().unwrap().clone();
        all.iter().find(|c| c["countsToday"] == true).map(|c| c["coverage"]["subscriberNumber"].clone())
    };
    assert_eq!(counting(&desk.get(&path).await), Some(json!("SM2")), "the second counts while no first is in force");
    let first = json!({ "payerId": salt, "subscriberNumber": "SM3", "startsOn": "6/1/2026", "copay": "20" });
    desk.post(&path, first).await.ok();
    let list = desk.get(&path).await;
    assert_eq!((counting(&list), list.as_array().unwrap().len()), (Some(json!("SM3")), 3), "nothing is overwritten");
    let overlapping = json!({ "payerId": salt, "subscriberNumber": "SM4", "startsOn": "7/1/2026" });
    assert!(desk.post(&path, overlapping).await.detail().contains("end it first"));
    let negative = json!({ "payerId": salt, "subscriberNumber": "SM4", "rank": "T", "copay": "-5" });
    assert_eq!(desk.post(&path, negative).await.body["fields"][0]["field"], "copay");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_child_holds_no_policy_and_a_known_number_is_asked_about() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (runa, pim) = (add(&desk, "Runa", "3/3/1985").await, add(&desk, "Pim", "5/5/2019").await);
    let salt = payer(&desk, "SALTM").await;
    let own = json!({ "payerId": salt, "subscriberNumber": "SM700", "startsOn": "1/1/2026" });
    let child = desk.post(&format!("/api/people/{pim}/coverages"), own.clone()).await;
    assert_eq!(child.detail(), "Pim Saltbox was 6 when the policy began; choose the adult who holds it.");
    desk.post(&format!("/api/people/{runa}/coverages"), own.clone()).await.ok();
    let through = json!({ "payerId": salt, "subscriberNumber": "SM700", "relationship": "19", "holderId": runa, "startsOn": "1/1/2026" });
    desk.post(&format!("/api/people/{pim}/coverages"), through).await.ok();
    let stranger = add(&desk, "Tove", "7/7/1970").await;
    let path = format!("/api/people/{stranger}/coverages");
    let asked = desk.post(&path, own.clone()).await;
    assert_eq!(asked.body["type"], "urn:indigo-harbor:subscriber-known");
    assert!(asked.detail().contains("Runa Saltbox"), "{}", asked.body);
    let mut knowingly = own;
    knowingly["knowingly"] = json!(true);
    desk.post(&path, knowingly).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_policy_is_copied_to_each_by_name_and_relationship() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (runa, pim, ida) = (
        add(&desk, "Runa", "3/3/1985").await,
        add(&desk, "Pim", "5/5/2019").await,
        add(&desk, "Ida", "5/5/2021").await,
    );
    let policy = json!({ "payerId": payer(&desk, "BEACN").await, "subscriberNumber": "BS900", "groupNumber": "G7", "startsOn": "1/1/2026" });
    let policy = id(&desk.post(&format!("/api/people/{runa}/coverages"), policy).await.ok());
    let copy = format!("/api/coverages/{policy}/copy");
    assert_eq!(desk.post(&copy, json!([])).await.status, 422);
    let unrelated = desk.post(&copy, json!([{ "personId": pim, "relationship": "18" }])).await;
    assert_eq!(unrelated.body["fields"][0]["field"], "relationship");
    let both = json!([{ "personId": pim, "relationship": "19" }, { "personId": ida, "relationship": "19" }]);
    let made = desk.post(&copy, both.clone()).await.ok();
    assert_eq!((made.as_array().unwrap().len(), &made[0]["holderId"]), (2, &json!(runa)));
    assert_eq!((&made[1]["groupNumber"], &made[1]["startsOn"]), (&json!("G7"), &json!("2026-01-01")));
    let again = desk.post(&copy, both).await;
    assert!(again.detail().contains("has this policy already"), "all or nobody: {}", again.body);
    // A child who has a policy: somebody chooses what becomes of it.
    let other = json!({ "payerId": payer(&desk, "SALTM").await, "subscriberNumber": "SM71", "startsOn": "1/1/2026" });
    let other = id(&desk
        .post(&format!("/api/people/{runa}/coverages"), {
            let mut second = other.clone();
            second["rank"] = json!("S");
            second
        })
        .await
        .ok());
    let copy_other = |beside: &str| {
        let (desk, path) = (desk.clone(), format!("/api/coverages/{other}/copy"));
        let body = json!([{ "personId": pim, "relationship": "19", "beside": beside }]);
        async move { desk.post(&path, body).await }
    };
    assert_eq!(copy_other("").await.ok()[0]["rank"], "S", "a free rank is taken as it is");
    let grown = json!({ "payerId": payer(&desk, "COMWC").await, "subscriberNumber": "CW5", "startsOn": "1/1/2026", "rank": "T" });
    let third = id(&desk.post(&format!("/api/people/{runa}/coverages"), grown).await.ok());
    let replaced =
        desk.post(&format!("/api/coverages/{policy}/copy"), json!([{ "personId": ida, "relationship": "19" }])).await;
    assert!(replaced.detail().contains("already"), "{}", replaced.body);
    desk.post(&format!("/api/coverages/{third}/copy"), json!([{ "personId": pim, "relationship": "19" }])).await.ok();
    // First, second and third are there now: a fourth replaces one by dates, or is refused.
    let beacon = json!({ "payerId": payer(&desk, "FERRY").await, "subscriberNumber": "FW8", "startsOn": "1/1/2026", "knowingly": true });
    let stranger = add(&desk, "Tove", "7/7/1970").await;
    let fourth = id(&desk.post(&format!("/api/people/{stranger}/coverages"), beacon).await.ok());
    let copy_fourth = |beside: &str| {
        let (desk, path) = (desk.clone(), format!("/api/coverages/{fourth}/copy"));
        let body = json!([{ "personId": pim, "relationship": "G8", "beside": beside }]);
        async move { desk.post(&path, body).await }
    };
    let asked = copy_fourth("").await;
    assert_eq!(asked.body["type"], "urn:indigo-harbor:policy-beside");
    assert!(asked.detail().contains("BS900"), "{}", asked.detail());
    assert!(copy_fourth("next_rank").await.detail().contains("three policies already"));
    let from_today = copy_fourth("replace").await.ok();
    assert_eq!((&from_today[0]["rank"], &from_today[0]["startsOn"]), (&json!("P"), &json!("2026-11-23")));
    let pims = desk.get(&format!("/api/people/{pim}/coverages")).await;
    let ended = pims.as_array().unwrap().iter().find(|c| c["coverage"]["subscriberNumber"] == "BS900").unwrap();
    assert_eq!(ended["coverage"]["endsOn"], "2026-11-22", "the other one ends the day before, and stays readable");
    // A correction is offered to the others by name, and goes to those who are chosen.
    let mine = desk.get(&format!("/api/people/{runa}/coverages")).await[0].clone();
    assert_eq!(mine["coverage"]["subscriberNumber"], "BS900");
    let names: Vec<&str> = mine["shared"].as_array().unwrap().iter().map(|o| o["name"].as_str().unwrap()).collect();
    assert_eq!(names, ["Ida Saltbox"], "Pim's has ended");
    let pims = mine["shared"].as_array().unwrap().iter().find(|o| o["name"] == "Ida Saltbox").unwrap();
    let corrected = json!({ "version": mine["coverage"]["version"], "subscriberNumber": "BS901", "groupNumber": "G7", "also": [pims["coverageId"]] });
    desk.put(&format!("/api/coverages/{policy}"), corrected).await.ok();
    let number = async |who: &str| {
        desk.get(&format!("/api/people/{who}/coverages")).await[0]["coverage"]["subscriberNumber"].clone()
    };
    assert_eq!((number(&runa).await, number(&ida).await), (json!("BS901"), json!("BS901")));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn payers_are_asked_about_tomorrow_and_the_refused_wait_at_the_desk() {
    let evening = day().and_hms_opt(0, 0, 0).unwrap().and_utc() + chrono::Duration::hours(24);
    // 19:00 at the clinic in November is midnight in UTC.
    let product = Product::start_at(evening).await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let asked = |v: &Value| {
        let hers = |w: &&Value| w["card"]["person"]["name"] == "Saltbox, Runa";
        v["waiting"].as_array().unwrap().iter().filter(hers).any(|w| w["group"] == "Coverage refused for tomorrow")
    };
    let runa = add(&desk, "Runa", "3/3/1985").await;
    let refused =
        json!({ "payerId": payer(&desk, "SALTM").await, "subscriberNumber": "SM70092", "startsOn": "1/1/2026" });
    desk.post(&format!("/api/people/{runa}/coverages"), refused).await.ok();
    let slots = desk.get("/api/open-times?from=2026-11-24").await;
    let tomorrow = slots.as_array().unwrap().iter().find(|s| s["startsAt"].as_str().unwrap().starts_with("2026-11-24"));
    let booking =
        json!({ "personId": runa, "slotId": tomorrow.unwrap()["id"], "reason": "x", "meant": crate::meant() });
    desk.post("/api/visits", booking).await.ok();
    desk.post("/api/benefits/tomorrow", json!({})).await.ok();
    let today = desk.until("/api/today", asked).await;
    let mine =
        today["waiting"].as_array().unwrap().iter().find(|w| w["card"]["person"]["name"] == "Saltbox, Runa").unwrap();
    assert_eq!((&mine["action"], &mine["place"]), (&json!("Fix coverage"), &json!("check_in")));
    assert!(mine["sentence"].as_str().unwrap().contains("no such subscriber"), "{mine}");
    let again = desk.post("/api/benefits/tomorrow", json!({})).await.ok();
    assert_eq!(again["asked"], 0, "who was asked about lately is not asked about again");
    product.stop().await.unwrap();
}

/// The smallest lawful PNG: one white pixel.
const PNG: [u8; 69] = [
    0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a, 0, 0, 0, 0x0d, 0x49, 0x48, 0x44, 0x52, 0, 0, 0, 1, 0, 0, 0, 1, 8,
    2, 0, 0, 0, 0x90, 0x77, 0x53, 0xde, 0, 0, 0, 0x0c, 0x49, 0x44, 0x41, 0x54, 8, 0xd7, 0x63, 0xf8, 0xff, 0xff, 0x3f,
    0, 5, 0xfe, 2, 0xfe, 0xdc, 0xcc, 0x59, 0xe7, 0, 0, 0, 0, 0x49, 0x45, 0x4e, 0x44, 0xae, 0x42, 0x60, 0x82,
];

#[actix_web::test]
async fn a_card_is_taken_by_what_it_is_and_given_as_a_file_that_cannot_run() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let runa = add(&desk, "Runa", "3/3/1985").await;
    let policy = json!({ "payerId": payer(&desk, "SALTM").await, "subscriberNumber": "SM1", "startsOn": "1/1/2026" });
    let policy = id(&desk.post(&format!("/api/people/{runa}/coverages"), policy).await.ok());
    let front = format!("/api/coverages/{policy}/card/front");
    let put = async |path: &str, kind: &str, bytes: &[u8]| desk.send_as("PUT", path, kind, bytes.to_vec()).await;
    let page = put(&front, "image/png", b"<html><script>alert(1)</script>").await;
    assert!(page.detail().contains("PNG or JPEG picture or a PDF"), "a name or a heading is not believed");
    let mut large = PNG.to_vec();
    large.resize((5 << 20) + 1, 0);
    assert!(put(&front, "image/png", &large).await.detail().contains("at most 5 MB"));
    assert_eq!(put(&format!("/api/coverages/{policy}/card/side"), "image/png", &PNG).await.status, 404);
    put(&front, "text/html", &PNG).await.ok();
    let mut second = PNG.to_vec();
    second.push(0);
    put(&front, "image/png", &second).await.ok();
    let (head, bytes) = desk.file(&front).await;
    assert_eq!(bytes, second, "the newest picture");
    assert_eq!(
        (&head["content-type"], &head["x-content-type-options"]),
        (&"image/png".parse().unwrap(), &"nosniff".parse().unwrap())
    );
    assert!(head["content-disposition"].to_str().unwrap().starts_with("attachment"));
    assert!(head["content-security-policy"].to_str().unwrap().contains("sandbox"));
    let cards = desk.get(&format!("/api/people/{runa}/coverages")).await[0]["cards"].clone();
    assert_eq!((cards.as_array().unwrap().len(), &cards[0]["addedBy"]), (1, &json!("Junia Vance")));
    assert_eq!(desk.ask("get", &format!("/api/coverages/{policy}/card/back"), None).await.status, 404);
    product.stop().await.unwrap();
}

/// Asks about a policy and waits for the payer's answer as the desk sees it.
async fn answer(desk: &Hand, person: &str, number: &str, holder: Option<&str>) -> Value {
    let mut form = json!({ "payerId": payer(desk, "SALTM").await, "subscriberNumber": number, "startsOn": "1/1/2026", "knowingly": true });
    if let Some(holder) = holder {
        (form["relationship"], form["holderId"]) = (json!("19"), json!(holder));
    }
    let path = format!("/api/people/{person}/coverages");
    let policy = id(&desk.post(&path, form).await.ok());
    desk.post(&format!("/api/coverages/{policy}/benefits"), json!({})).await.ok();
    let answered = |list: &Value| list[0]["benefits"]["check"]["state"] != "waiting";
    desk.until(&path, answered).await[0]["benefits"].clone()
}

#[actix_web::test]
async fn every_branch_of_the_payer_is_told_beside_the_fact_it_doubts() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let refused = |b: &Value| -> Vec<(String, String)> {
        let facts = b["facts"].as_array().unwrap().iter().filter(|f| f["verdict"] == "refused");
        facts.map(|f| (f["fact"].as_str().unwrap().into(), f["sent"].as_str().unwrap().into())).collect()
    };
    let cases = [
        ("SM70010", "in_force", None),
        ("SM70091", "refused", None),
        ("SM70092", "refused", Some(("subscriber number", "SM70092"))),
        ("SM70093", "refused", Some(("birth date", "Mar 3, 1985"))),
        ("SM70094", "refused", Some(("name", "Saltbox, Edda"))),
        ("SM70095", "refused", None),
        ("SM70096", "no_answer", None),
        ("SM70097", "no_answer", None),
        ("SM70085", "in_force", None),
    ];
    for (at, (number, outcome, doubted)) in cases.iter().enumerate() {
        let called = ["Ada", "Bea", "Cleo", "Dora", "Edda", "Fia", "Gerd", "Hedy", "Isa"][at];
        let person = add(&desk, called, "3/3/1985").await;
        let b = answer(&desk, &person, number, None).await;
        assert_eq!(b["outcome"], *outcome, "{number}: {b}");
        if let Some((fact, sent)) = doubted {
            assert_eq!(refused(&b), [((*fact).to_owned(), (*sent).to_owned())], "{number}");
        }
        let said = b["sentence"].as_str().unwrap();
        match *number {
            // The payer is down: nothing was refused.
            "SM70096" => assert!(said.contains("cannot answer at the moment"), "{said}"),
            "SM70097" => assert!(said.contains("cannot be read"), "{said}"),
            "SM70085" => assert!(b["plan"].to_string().contains("ask which pays first"), "{b}"),
            _ => {}
        }
    }
    // A child is asked about as a dependent; the verdict stands beside the child's facts.
    let mother = add(&desk, "Runa", "3/3/1985").await;
    let (ida, pim) = (add(&desk, "Ida", "5/5/2019").await, add(&desk, "Pim", "6/6/2020").await);
    let b = answer(&desk, &ida, "SM70098", Some(&mother)).await;
    assert_eq!(refused(&b), [("patient's name".to_owned(), "Saltbox, Ida".to_owned())], "{b}");
    let b = answer(&desk, &pim, "SM70099", Some(&mother)).await;
    assert_eq!(refused(&b), [("patient's birth date".to_owned(), "Jun 6, 2020".to_owned())], "{b}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn everything_on_a_policy_is_corrected_and_what_is_left_out_stays() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (runa, holder) = (add(&desk, "Runa", "3/3/1985").await, add(&desk, "Tove", "7/7/1970").await);
    let path = format!("/api/people/{runa}/coverages");
    let card = json!({ "payerId": payer(&desk, "SALTM").await, "subscriberNumber": "SM1", "groupNumber": "G1",
        "planName": "Harbor plus", "startsOn": "1/1/2026", "copay": "20" });
    let policy = desk.post(&path, card).await.ok();
    let place = format!("/api/coverages/{}", id(&policy));
    let beacon = payer(&desk, "BEACN").await;
    let all = json!({ "version": 1, "payerId": beacon, "subscriberNumber": "BS2", "groupNumber": "", "planName": "Shoals",
        "relationship": "01", "holderId": holder, "rank": "S", "startsOn": "2/1/2026", "endsOn": "12/31/2026", "copay": "" });
    let put = desk.put(&place, all).await.ok();
    assert_eq!((&put["payerId"], &put["rank"], &put["holderId"]), (&beacon, &json!("S"), &json!(holder)));
    assert_eq!(
        (&put["startsOn"], &put["endsOn"], &put["copayCents"]),
        (&json!("2026-02-01"), &json!("2026-12-31"), &Value::Null)
    );
    let little = json!({ "version": 2, "subscriberNumber": "BS3", "groupNumber": "", "endsOn": "" });
    let put = desk.put(&place, little).await.ok();
    assert_eq!(
        (&put["planName"], &put["relationship"], &put["endsOn"]),
        (&json!("Shoals"), &json!("01"), &Value::Null)
    );
    let wrong = json!({ "version": 3, "subscriberNumber": "BS3", "startsOn": "5/1/2026", "endsOn": "4/1/2026" });
    assert_eq!(desk.put(&place, wrong).await.body["fields"][0]["field"], "endsOn");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_payer_that_is_down_takes_nothing_back_and_an_answer_is_of_its_day_only() {
    use harbor_standins::Mood;
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let runa = add(&desk, "Runa", "3/3/1985").await;
    let b = answer(&desk, &runa, "SM70010", None).await;
    assert_eq!((&b["outcome"], b["sentence"].as_str().unwrap()), (&json!("in_force"), "In force on Nov 23, 2026."));
    let path = format!("/api/people/{runa}/coverages");
    let policy = id(&desk.get(&path).await[0]["coverage"]);
    product.outside.lock().mood = Mood::Nonsense;
    desk.post(&format!("/api/coverages/{policy}/benefits"), json!({})).await.ok();
    let list = desk.until(&path, |list| list[0]["benefits"]["outcome"] == "no_answer").await;
    assert_eq!(list[0]["saidBefore"]["outcome"], "in_force", "the last good answer stays readable");
    product.outside.lock().mood = Mood::Usual;
    // Tomorrow was never asked about.
    let slots = desk.get("/api/open-times?from=2026-11-24").await;
    let booking = json!({ "personId": runa, "slotId": slots[0]["id"], "reason": "x", "meant": crate::meant() });
    let visit = id(&desk.post("/api/visits", booking).await.ok());
    let view = desk.get(&format!("/api/visits/{visit}")).await;
    assert_eq!(view["coverages"][0]["askedAboutDay"], false, "{view}");
    assert!(view["card"]["line"].to_string().contains("benefits_not_asked"), "{view}");
    // Today counts as it was answered, for the payer took nothing back.
    let slot = desk.open_slot().await;
    let booking = json!({ "personId": runa, "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
    let today = id(&desk.post("/api/visits", booking).await.ok());
    let view = desk.get(&format!("/api/visits/{today}")).await;
    assert!(!view["card"]["line"].to_string().contains("benefits_"), "{view}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_estimate_counts_both_payers_and_what_the_first_does_not_cover() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let runa = add(&desk, "Runa", "3/3/1985").await;
    let slot = desk.open_slot().await;
    let booking = json!({ "personId": runa, "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
    let visit = id(&desk.post("/api/visits", booking).await.ok());
    let path = format!("/api/visits/{visit}");
    assert_eq!(desk.get(&path).await["share"], Value::Null, "without an answer there is no estimate");
    let coverages = format!("/api/people/{runa}/coverages");
    for (rank, code, number) in [("P", "BEACN", "BS710"), ("S", "SALTM", "SM710")] {
        let form = json!({ "payerId": payer(&desk, code).await, "subscriberNumber": number, "startsOn": "1/1/2026", "rank": rank });
        let policy = id(&desk.post(&coverages, form).await.ok());
        desk.post(&format!("/api/coverages/{policy}/benefits"), json!({ "visitId": visit })).await.ok();
    }
    let both = |v: &Value| v["share"]["river"].as_array().is_some_and(|r| r.len() == 4);
    let share = desk.until(&path, both).await["share"].clone();
    let cents = |at: usize| share["river"][at]["cents"].as_i64().unwrap();
    let fee = cents(0);
    // The first plan takes it all as deductible; the second alone would leave 25.00 and a fifth of the rest.
    assert_eq!(cents(1), 0);
    assert_eq!(share["totalCents"], 2500 + (fee - 2500) / 5);
    assert_eq!(cents(2) + cents(3), fee);
    assert_eq!(share["lines"][0]["why"], "deductible");
    product.stop().await.unwrap();
}
