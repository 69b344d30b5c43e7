//! Charges without a visit: on the books at once, to who answers for the patient, and never a visit.

use crate::building::Visit;
use crate::{Hand, Reply, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

async fn charge(hand: &Hand, person: &str, service: &str, day: &str) -> Reply {
    let clinic = hand.get("/api/clinic").await;
    let oriane = clinic["staff"].as_array().unwrap().iter().find(|s| s["login"] == "oriane").map(id).unwrap();
    let form = json!({ "service": service, "day": day, "clinicianId": oriane, "siteId": id(&clinic["sites"][0]) });
    hand.post(&format!("/api/people/{person}/charges"), form).await
}

fn field(reply: &Reply) -> String {
    assert_eq!(reply.status, 422, "{}", reply.body);
    reply.body["fields"][0]["field"].as_str().unwrap_or_default().to_owned()
}

#[actix_web::test]
async fn a_form_is_charged_at_the_desk_owed_paid_and_put_right() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    let (desk, person) = (&visit.desk, visit.person.as_str());
    let alone = id(&charge(desk, person, "FORM", "").await.ok());
    let view = desk.get(&format!("/api/visits/{alone}")).await;
    let marks = view["card"]["line"]["marks"].as_array().unwrap().clone();
    let names: Vec<&str> = marks.iter().map(|m| m["mark"].as_str().unwrap()).collect();
    assert_eq!(names, ["charged", "settled"]);
    assert_eq!(view["card"]["visit"]["kind"], "charge");
    let account = desk.get(&format!("/api/people/{person}/account")).await;
    let owed = account["visits"].as_array().unwrap().iter().find(|v| v["visitId"] == alone.as_str()).unwrap();
    assert_eq!((&owed["patientOwesCents"], &owed["payerOwesCents"]), (&json!(2000), &json!(0)), "insured or not");

    // It takes no time of anybody, and stands among what was charged that day.
    let today = desk.get("/api/clinic").await["today"].as_str().unwrap().to_owned();
    let day = desk.get(&format!("/api/schedule?day={today}")).await;
    assert!(!day.to_string().contains(&alone));
    let biller = Hand::sign_in(&product, "agathe").await;
    let sheet = biller.get("/api/charges/of-day").await;
    let row = sheet["rows"].as_array().unwrap().iter().find(|r| r["visitId"] == alone.as_str()).unwrap().clone();
    assert_eq!((&row["stand"], &row["cents"]), (&json!("done"), &json!(2000)));
    assert!(!biller.get("/api/claims?state=ready").await.to_string().contains(&alone), "no payer is asked");

    // Put right: two forms it were; the ledger follows.
    let path = |rest: &str| format!("/api/visits/{alone}{rest}");
    biller.post(&path("/charges/again"), json!({ "reason": "two forms" })).await.ok();
    let line = biller.get(&path("/charges")).await["lines"][0]["line"].clone();
    let two = json!([{ "id": line["id"], "serviceCode": "FORM", "units": 2 }]);
    biller.put(&path("/charges"), two).await.ok();
    biller.post(&path("/charges/complete"), json!({})).await.ok();
    let account = desk.get(&format!("/api/people/{person}/account")).await;
    let owed = account["visits"].as_array().unwrap().iter().find(|v| v["visitId"] == alone.as_str()).unwrap();
    assert_eq!(owed["patientOwesCents"], 4000);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_charge_alone_is_refused_where_a_visit_or_a_price_is_wanted() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    let (desk, person) = (&visit.desk, visit.person.as_str());
    assert_eq!(field(&charge(desk, person, "VISIT3", "").await), "service", "a level wants a note");
    assert_eq!(field(&charge(desk, person, "SPLINT", "").await), "service", "it has no price");
    assert_eq!(field(&charge(desk, person, "NOSUCH", "").await), "service");
    assert_eq!(field(&charge(desk, person, "FORM", "tomorrow").await), "day");
    assert_eq!(field(&charge(desk, person, "FORM", "1/2/2024").await), "day");
    assert_eq!(charge(&visit.assistant, person, "FORM", "").await.status, 403);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn nothing_is_written_or_claimed_under_a_charge_alone_and_no_visit_becomes_one() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    let alone = id(&charge(&visit.desk, &visit.person, "FORM", "").await.ok());
    let path = |rest: &str| format!("/api/visits/{alone}{rest}");
    let refused = |reply: Reply| {
        assert!((400..500).contains(&reply.status), "{} {}", reply.status, reply.body);
        reply.body["type"].as_str().unwrap_or_default().to_owned()
    };
    let head = json!({ "kind": "in_person", "supervisingId": null, "minutes": 10 });
    assert_eq!(refused(visit.clinician.put(&path("/note-head"), head).await), "urn:indigo-harbor:alone");
    let policy = visit.desk.get(&format!("/api/people/{}/coverages", visit.person)).await[0]["coverage"]["id"].clone();
    let payer = json!({ "coverageId": policy, "selfPay": false });
    refused(visit.desk.post(&path("/payer"), payer).await);
    let booked = json!({ "kind": "charge", "supervisingId": null, "minutes": 10 });
    assert_eq!(refused(visit.clinician.put(&visit.path("/note-head"), booked).await), "urn:indigo-harbor:alone");
    let clinic: Value = visit.desk.get("/api/clinic").await;
    assert!(!clinic["looks"]["kinds"].to_string().contains("charge"), "nobody is offered it");
    assert!(!clinic["visitTypes"].to_string().contains("Charge alone"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_charge_alone_is_counted_among_no_visits() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    let (desk, clinician, person) = (&visit.desk, &visit.clinician, visit.person.as_str());
    let today = desk.get("/api/clinic").await["today"].as_str().unwrap().to_owned();
    let of = |rest: &str| format!("/api/people/{person}{rest}");
    let looked = async || {
        let month = desk.get(&format!("/api/schedule/month?day={today}")).await;
        let open = desk.get("/api/open-times").await;
        let visits: usize = desk.get(&of("/visits")).await.as_array().unwrap().len();
        let view = desk.get("/api/today").await;
        let counts = json!([view["visitsToday"], view["seenToday"], view["present"]]);
        let chart = clinician.get(&of("/chart")).await;
        let past = clinician.get(&of("/past")).await;
        json!([month, open, visits, counts, chart["lastVisit"], past["visits"]])
    };
    let before = looked().await;
    for day in ["", "11/20/2026"] {
        charge(desk, person, "FORM", day).await.ok();
    }
    assert_eq!(looked().await, before);
    product.stop().await.unwrap();
}
