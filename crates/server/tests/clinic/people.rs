//! Registration: twins, minors, coverage dates, search.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

#[actix_web::test]
async fn a_likely_twin_is_shown_before_a_record_is_made() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let slip = json!({ "firstName": "Lukan", "lastName": "Ferreira-Holm", "birthDate": "2/11/1968" });
    let reply = desk.post("/api/people", slip.clone()).await;
    assert_eq!((reply.status, reply.body["type"].as_str()), (409, Some("urn:indigo-harbor:likely-twin")));
    let twin = &reply.body["current"][0];
    assert_eq!(twin["person"]["recordNumber"], "IH-10005");
    assert!(twin["reasons"].to_string().contains("same birth date"), "{twin}");
    let mut anyway = slip;
    anyway["notATwin"] = json!(true);
    let made = desk.post("/api/people", anyway).await.ok();
    assert_eq!(made["version"], 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn people_are_found_by_any_mix() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    for (typed, record, why) in [
        ("fer luc", "IH-10005", "last name, first name"),
        ("luc fer 1968", "IH-10005", "first name, last name, birth year"),
        ("2/11/68 ferreira", "IH-10005", "last name, birth date"),
        ("ih-10005", "IH-10005", "record number"),
        ("10005", "IH-10005", "record number"),
        ("SM47110", "IH-10005", "subscriber number"),
        ("SM 47110", "IH-10005", "subscriber number"),
        ("sm471-10", "IH-10005", "subscriber number"),
        ("Feb 11 1968 ferreira", "IH-10005", "last name, birth date"),
        ("11feb1968 lucan", "IH-10005", "first name, birth date"),
        ("IH 10005", "IH-10005", "record number"),
        ("ih10005", "IH-10005", "record number"),
        ("1-207-555-0105", "IH-10006", "telephone"),
        ("ferreira lukan", "IH-10005", "last name, spelt like first name Lucan"),
        ("takahasi wren", "IH-10006", "spelt like last name Takahashi, first name"),
        ("207 555 0105", "IH-10006", "telephone"),
        ("5550105 wre", "IH-10006", "first name, telephone"),
        ("0105 tak", "IH-10006", "last name, telephone"),
    ] {
        let encoded: String = typed.bytes().map(|b| format!("%{b:02X}")).collect();
        let found = desk.get(&format!("/api/people?q={encoded}")).await;
        let hits = found.as_array().unwrap();
        let hit = hits.iter().find(|h| h["person"]["recordNumber"] == record);
        assert_eq!(hit.map(|h| &h["why"]), Some(&json!(why)), "{typed}: {found}");
    }
    assert_eq!(desk.get("/api/people?q=zzyzx%20qqq").await, json!([]));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_minor_needs_a_responsible_party_and_a_policy_its_order_of_dates() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let child = json!({ "firstName": "Pim", "lastName": "Quarrie", "birthDate": "1/5/2019", "notATwin": true });
    let child = id(&desk.post("/api/people", child).await.ok());
    let view = desk.get(&format!("/api/people/{child}")).await;
    assert!(view["gaps"].to_string().contains("responsible party for a minor"));
    let clinic = desk.get("/api/clinic").await;
    let public = clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == "COMWC").unwrap();
    let payer = public["id"].clone();
    let path = format!("/api/people/{child}/coverages");
    let backwards =
        json!({ "payerId": payer, "subscriberNumber": "AB1", "startsOn": "1/1/2026", "endsOn": "1/1/2025" });
    let reply = desk.post(&path, backwards).await;
    assert_eq!(reply.body["fields"][0]["sentence"], "The policy ends before it starts.");
    let unheld = json!({ "payerId": payer, "subscriberNumber": "AB1", "relationship": "19" });
    assert_eq!(desk.post(&path, unheld).await.body["fields"][0]["field"], "holderId");
    let first = json!({ "payerId": payer, "subscriberNumber": "AB1", "startsOn": "1/1/2026" });
    desk.post(&path, first.clone()).await.ok();
    let again = desk.post(&path, first).await;
    assert!(again.detail().contains("end it first"), "{}", again.body);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn self_pay_is_a_deliberate_record_with_a_shorter_line() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let form = json!({ "firstName": "Cass", "lastName": "Holder", "notATwin": true });
    let person = id(&desk.post("/api/people", form).await.ok());
    let slot = desk.open_slot().await;
    let booking = json!({ "personId": person, "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
    let visit = id(&desk.post("/api/visits", booking).await.ok());
    let path = format!("/api/visits/{visit}");
    let before = desk.get(&path).await;
    assert!(before["card"]["line"].to_string().contains("self-pay is not recorded"));
    let told = format!("{path}/self-pay");
    desk.post(&told, json!({})).await.ok();
    let after = desk.get(&path).await;
    assert_eq!(after["card"]["line"]["marks"].as_array().unwrap().len(), 8);
    assert_eq!(after["selfPay"]["by"], "Junia Vance");
    // The prices there are, due at the visit.
    let share = after["share"].clone();
    assert!(share["totalCents"].as_i64().unwrap() > 0 && share["totalCents"] == share["copayCents"], "{share}");
    let step = |walk: &Value, name: &str| {
        walk["steps"].as_array().unwrap().iter().find(|s| s["step"] == name).unwrap().clone()
    };
    let walk = desk.get(&format!("{path}/check-in")).await;
    assert_eq!((&step(&walk, "coverage")["fine"], &step(&walk, "collect")["fine"]), (&json!(true), &json!(false)));
    assert!(step(&walk, "coverage")["sentence"].as_str().unwrap().contains("told by Junia Vance"), "{walk}");
    // Of this visit alone, and taken back.
    let slot = desk.open_slot().await;
    let booking = json!({ "personId": person, "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
    let next = id(&desk.post("/api/visits", booking).await.ok());
    let other = desk.get(&format!("/api/visits/{next}")).await;
    assert!(other["card"]["line"].to_string().contains("self-pay is not recorded"), "{other}");
    desk.ask("delete", &told, None).await.ok();
    assert!(desk.get(&path).await["card"]["line"].to_string().contains("self-pay is not recorded"));
    // A policy that is there is not hidden by it.
    let payer = desk.get("/api/clinic").await["payers"][0]["id"].clone();
    let policy = json!({ "payerId": payer, "subscriberNumber": "SM4711", "startsOn": "1/1/2026" });
    desk.post(&format!("/api/people/{person}/coverages"), policy).await.ok();
    desk.post(&told, json!({})).await.ok();
    let walk = desk.get(&format!("{path}/check-in")).await;
    assert!(step(&walk, "coverage")["sentence"].as_str().unwrap().contains("SM4711 is on file and not used"), "{walk}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_same_name_alone_is_asked_about_and_quite_unlike_people_are_not_joined_unasked() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let one = id(&desk.post("/api/people", json!({ "firstName": "Cass", "lastName": "Holder" })).await.ok());
    let phone = json!({ "firstName": "Cass", "lastName": "Holder", "phone": "207 555 0177" });
    let twin = desk.post("/api/people", phone).await;
    assert_eq!(twin.body["type"], "urn:indigo-harbor:likely-twin", "{}", twin.body);
    let party = json!({ "firstName": "Cass", "lastName": "Holder", "noPatient": true });
    assert_eq!(desk.post("/api/people", party).await.status, 409, "also somebody who only answers for another");
    let other = json!({ "firstName": "Oriel", "lastName": "Wavecrest", "birthDate": "1/2/1970" });
    let other = id(&desk.post("/api/people", other).await.ok());
    let merge = |unlike: bool| {
        let (desk, path) = (desk.clone(), format!("/api/people/{one}/merge"));
        let choices = json!({ "first_name": false, "last_name": false });
        let form = json!({ "goneId": other, "unlike": unlike, "choices": choices });
        async move { desk.post(&path, form).await }
    };
    let asked = merge(false).await;
    assert_eq!(asked.body["type"], "urn:indigo-harbor:ask-unlike", "{}", asked.body);
    merge(true).await.ok();
    let both = json!({ "firstName": "Vell", "lastName": "Noor", "email": "v@example.org", "emailDeclined": true });
    assert_eq!(desk.post("/api/people", both).await.body["fields"][0]["field"], "email");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_address_is_checked_or_not_and_a_flat_is_no_unknown_address() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let typed =
        |line: &str| json!({ "addressLine": line, "city": "Port Calder", "state": "ME", "postalCode": "04998" });
    for (line, written) in [
        ("7 Ropewalk Apt 3", "7 Ropewalk Apt 3"),
        ("7 ropewalk, #3b", "7 Ropewalk Apt 3B"),
        ("7B Ropewalk", "7B Ropewalk"),
        ("7 Ropewlk unit 2", "7 Ropewalk Unit 2"),
    ] {
        let answer = desk.post("/api/addresses", typed(line)).await.ok();
        assert_eq!(answer["candidates"][0]["addressLine"], written, "{line}: {answer}");
    }
    let mut form = desk.post("/api/addresses", typed("7 Ropewalk Apt 3")).await.ok()["candidates"][0].clone();
    (form["firstName"], form["lastName"]) = (json!("Cass"), json!("Holder"));
    let person = id(&desk.post("/api/people", form).await.ok());
    let path = format!("/api/people/{person}");
    assert_eq!(desk.get(&path).await["addressCheck"], Value::Null, "nobody checked it");
    desk.post(&format!("{path}/address-check"), json!({})).await.ok();
    let view = desk.get(&path).await;
    assert_eq!(view["addressCheck"]["known"], true);
    let moved = json!({ "version": view["form"]["version"], "addressLine": "1 Nowhere Lane" });
    desk.patch(&path, moved).await.ok();
    assert_eq!(
        desk.get(&path).await["addressCheck"],
        Value::Null,
        "what was said of one address says nothing of another"
    );
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_new_name_is_found_at_once_by_its_sound_and_no_longer_by_the_old_one() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let form = json!({ "firstName": "Xanthe", "lastName": "Quillfeather", "notATwin": true });
    let made = desk.post("/api/people", form).await.ok();
    let record = made["recordNumber"].clone();
    let finds = |q: &'static str| {
        let (desk, record) = (desk.clone(), record.clone());
        async move {
            let found = desk.get(&format!("/api/people?q={q}")).await;
            found.as_array().unwrap().iter().any(|h| h["person"]["recordNumber"] == record)
        }
    };
    assert!(finds("quillfeather").await && finds("kwillfether").await && finds("zanthe").await);
    let renamed = json!({ "firstName": "Xanthe", "lastName": "Ropewalk", "version": 1 });
    desk.patch(&format!("/api/people/{}", id(&made)), renamed).await.ok();
    assert!(finds("ropewalk%20xan").await);
    assert!(!finds("quillfeather").await, "only a former name that is recorded finds");
    product.stop().await.unwrap();
}
