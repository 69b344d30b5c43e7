//! Visits without an appointment, and how often somebody did not come.

use crate::guards::run;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

async fn form(hand: &Hand, kind: &str) -> Value {
    let clinic = hand.get("/api/clinic").await;
    let clinician = clinic["staff"].as_array().unwrap().iter().find(|s| s["login"] == "oriane").unwrap()["id"].clone();
    json!({
        "kind": kind, "clinicianId": clinician, "siteId": clinic["sites"][0]["id"],
        "visitTypeId": clinic["visitTypes"][0]["id"], "reason": "cut finger",
    })
}

fn with(mut form: Value, key: &str, value: Value) -> Value {
    form[key] = value;
    form
}

fn marks(card: &Value) -> Vec<String> {
    let all = card["line"]["marks"].as_array().unwrap();
    all.iter().map(|m| m["mark"].as_str().unwrap().to_owned()).collect()
}

#[actix_web::test]
async fn who_stands_at_the_desk_goes_through_check_in_and_takes_nobodys_time() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = id(&desk.person("Sorrentino").await);
    let path = format!("/api/people/{person}/visits");
    let visit = desk.post(&path, form(&desk, "in_person").await).await.ok();
    assert_eq!(
        (&visit["stage"], &visit["appointment"], &visit["extra"]),
        (&json!("here"), &json!(false), &json!(true))
    );
    let view = desk.get(&format!("/api/visits/{}", id(&visit))).await;
    assert_eq!(marks(&view["card"])[..2], ["here", "checked_in"], "nothing was booked");
    let waiting = desk.get("/api/in-clinic").await["waiting"].clone();
    assert!(waiting.to_string().contains(&id(&visit)));
    desk.post(&format!("/api/visits/{}/check-in", id(&visit)), json!({})).await.ok();
    // The same clinician at the same minute: extra visits stand beside each other.
    desk.post(&path, form(&desk, "in_person").await).await.ok();
    let takes_time = "update visits set extra = false where not appointment";
    assert!(run(&product.database_url, takes_time).await.unwrap_err().contains("visits_unbooked_are_extra"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_call_is_written_up_signed_and_has_a_shorter_line() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let person = id(&doctor.person("Sorrentino").await);
    let path = format!("/api/people/{person}/visits");
    let call = doctor.post(&path, with(form(&doctor, "phone").await, "date", json!("11/20"))).await;
    assert_eq!(call.body["fields"][0]["field"], "time", "of another day the time is needed: {}", call.body);
    let mut past = with(form(&doctor, "phone").await, "date", json!("11/20"));
    past["time"] = json!("16:10");
    let call = doctor.post(&path, past).await.ok();
    assert_eq!((&call["day"], &call["stage"]), (&json!("2026-11-20"), &json!("left")));
    let view = doctor.get(&format!("/api/visits/{}", id(&call))).await;
    assert_eq!(marks(&view["card"]), ["seen", "signed", "charged", "claimed", "settled"]);
    assert_eq!(view["card"]["line"]["current"], "signed");
    assert!(call["coverageId"].is_string(), "the policy that counted on that day");
    let today = doctor.get("/api/today").await["waiting"].clone();
    assert!(today.to_string().contains(&id(&call)), "it waits to be signed");
    // Paper work is charged to nobody.
    let paper = doctor.post(&path, form(&doctor, "administrative").await).await.ok();
    let view = doctor.get(&format!("/api/visits/{}", id(&paper))).await;
    assert_eq!(marks(&view["card"]), ["seen", "signed"]);
    let present = doctor.get("/api/in-clinic").await.to_string();
    assert!(!present.contains(&id(&paper)) && !present.contains(&id(&call)), "nobody came");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_cannot_be_is_refused_with_its_sentence() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = id(&desk.person("Sorrentino").await);
    let path = format!("/api/people/{person}/visits");
    let usual = form(&desk, "phone").await;
    let (mut to_come, mut long_ago) = (usual.clone(), usual.clone());
    (to_come["date"], to_come["time"]) = (json!("11/24"), json!("9:00"));
    (long_ago["date"], long_ago["time"]) = (json!("11/1/2025"), json!("9:00"));
    for (body, status, said) in [
        (with(usual.clone(), "kind", json!("by pigeon")), 422, "Choose what kind of visit it is."),
        (to_come, 422, "That is still to come; book it instead."),
        (long_ago, 422, "more than 365 days ago"),
        (with(usual.clone(), "date", json!("the other day")), 422, "date"),
        (with(usual.clone(), "siteId", json!(person)), 422, "Choose a site."),
        (with(usual.clone(), "clinicianId", json!(person)), 404, "clinician"),
        (with(usual.clone(), "visitTypeId", json!(person)), 404, "visit type"),
    ] {
        let reply = desk.post(&path, body.clone()).await;
        assert_eq!(reply.status, status, "{body}: {}", reply.body);
        assert!(reply.body.to_string().contains(said), "{said}: {}", reply.body);
    }
    let nobody = format!("/api/people/{}/visits", uuid::Uuid::now_v7());
    assert_eq!(desk.post(&nobody, usual.clone()).await.status, 404);
    let biller = Hand::sign_in(&product, "agathe").await;
    assert_eq!(biller.post(&path, usual.clone()).await.status, 403);
    // After a death only paper work.
    run(&product.database_url, &format!("update people set deceased_on = '2026-11-20' where id = '{person}'"))
        .await
        .unwrap();
    assert!(desk.post(&path, usual.clone()).await.detail().contains("has died"));
    desk.post(&path, with(usual, "kind", json!("administrative"))).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_record_says_how_often_somebody_did_not_come() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = id(&desk.person("Brandvold").await);
    let path = format!("/api/people/{person}");
    let before = desk.get(&path).await["missed"].as_str().unwrap().to_owned();
    let visit = desk.post(&format!("{path}/visits"), form(&desk, "in_person").await).await.ok();
    let gone = json!({ "to": "left_unseen" });
    desk.post(&format!("/api/visits/{}/stage", id(&visit)), gone).await.ok();
    let after = desk.get(&path).await["missed"].as_str().unwrap().to_owned();
    assert!(after != before && after.contains("once without being seen"), "{before} / {after}");
    product.stop().await.unwrap();
}
