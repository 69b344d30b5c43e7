//! Check-in: the clinic's own walk, alerts that are read first, forms that are signed; and the rules of the day.

use crate::{Hand, id};
use harbor_demo::testing::{Product, now};
use serde_json::{Value, json};
use uuid::Uuid;

/// A visit of today that is at a stage, in the order of the day.
async fn somebody(hand: &Hand, stage: &str) -> Value {
    let view = hand.get("/api/schedule").await;
    let all = view["visits"].as_array().unwrap();
    all.iter().find(|v| v["visit"]["stage"] == stage).unwrap_or_else(|| panic!("nobody is {stage}"))["visit"].clone()
}

fn step<'a>(view: &'a Value, code: &str) -> &'a Value {
    view["steps"].as_array().unwrap().iter().find(|s| s["step"] == code).unwrap()
}

#[actix_web::test]
async fn the_walk_is_the_clinics_own_and_says_why_a_step_is_fine() {
    let product = Product::start().await.unwrap();
    let (desk, boss) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "soren").await);
    let visit = somebody(&desk, "here").await;
    let path = format!("/api/visits/{}/check-in", id(&visit));
    let usual = desk.get(&path).await;
    let codes = |v: &Value| -> Vec<String> {
        v["steps"].as_array().unwrap().iter().map(|s| s["step"].as_str().unwrap().to_owned()).collect()
    };
    assert_eq!(codes(&usual), ["visit", "details", "consents", "coverage", "forms", "collect"]);
    assert!(step(&usual, "visit")["sentence"].as_str().unwrap().contains("Dr."), "{usual}");
    // Money first, and no forms, for this type alone.
    let own = json!({ "visitTypeId": visit["visitTypeId"], "steps": ["collect", "coverage", "visit"] });
    assert_eq!(desk.put("/api/settings/check-in/walk", own.clone()).await.status, 403);
    boss.put("/api/settings/check-in/walk", own).await.ok();
    assert_eq!(codes(&desk.get(&path).await), ["collect", "coverage", "visit"]);
    for wrong in [json!(["visit", "visit"]), json!(["dance"])] {
        let form = json!({ "visitTypeId": visit["visitTypeId"], "steps": wrong });
        assert_eq!(boss.put("/api/settings/check-in/walk", form).await.status, 422);
    }
    assert_eq!(
        boss.put("/api/settings/check-in/walk", json!({ "steps": [] })).await.status,
        422,
        "nobody walks nowhere"
    );
    boss.put("/api/settings/check-in/walk", json!({ "visitTypeId": visit["visitTypeId"], "steps": [] })).await.ok();
    assert_eq!(codes(&desk.get(&path).await).len(), 6, "as all others again");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_alert_is_read_before_check_in_is_finished_and_remembers_who() {
    let product = Product::start().await.unwrap();
    let (desk, other) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "casimir").await);
    let boss = Hand::sign_in(&product, "soren").await;
    let visit = somebody(&desk, "here").await;
    let path = format!("/api/visits/{}", id(&visit));
    let rule = Uuid::now_v7();
    let save = async |conditions: Value, sentence: &str| {
        boss.put(
            &format!("/api/settings/alerts/{rule}"),
            json!({ "sentence": sentence, "conditions": conditions, "active": true }),
        )
        .await
    };
    let type_is = json!([{ "kind": "visit_type", "value": visit["visitTypeId"] }]);
    assert_eq!(save(json!([]), "x").await.body["fields"][0]["sentence"], "A rule needs at least one condition.");
    assert!(save(json!([{ "kind": "age_from", "value": "old" }]), "x").await.detail().contains("needs a number"));
    save(type_is.clone(), "Ask for the card.").await.ok();
    // Whatever else stands there is read first.
    let read_all = async || {
        for alert in desk.get(&format!("{path}/check-in")).await["alerts"].as_array().unwrap() {
            if alert["at"].is_null() {
                desk.post(&format!("{path}/alerts"), json!({ "rule": alert["rule"] })).await.ok();
            }
        }
    };
    let refused = desk.post(&format!("{path}/check-in"), json!({})).await;
    assert!(refused.status == 409 || refused.status == 422, "{}", refused.body);
    assert!(refused.detail().starts_with("Read this first:"), "{}", refused.body);
    read_all().await;
    let view = desk.get(&format!("{path}/check-in")).await;
    let ours = view["alerts"].as_array().unwrap().iter().find(|a| a["rule"] == json!(rule)).unwrap();
    assert_eq!((&ours["by"], &view["mayFinish"]), (&json!("Junia Vance"), &json!(true)));
    // The sentence changes: what was read is not what stands there now.
    save(type_is, "Ask for both cards.").await.ok();
    assert_eq!(desk.get(&format!("{path}/check-in")).await["mayFinish"], false);
    // Two desks at once: one name stands, and the visit is checked in once.
    read_all().await;
    let finish = format!("{path}/check-in");
    let both = tokio::join!(desk.post(&finish, json!({})), other.post(&finish, json!({})));
    both.0.ok();
    both.1.ok();
    let done = desk.get(&format!("{path}/check-in")).await;
    assert_eq!(done["done"], true);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn forms_are_signed_on_the_screen_and_kept_as_they_were() {
    let product = Product::start().await.unwrap();
    let (desk, boss) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "soren").await);
    let visit = somebody(&desk, "here").await;
    let path = format!("/api/visits/{}", id(&visit));
    let form = Uuid::now_v7();
    let save = json!({ "name": "Photographs", "body": "I agree to photographs.\nOnly for my record.", "validMonths": 6, "active": true });
    boss.put(&format!("/api/settings/forms/{form}"), save.clone()).await.ok();
    let view = desk.get(&format!("{path}/check-in")).await;
    assert!(step(&view, "forms")["sentence"].as_str().unwrap().contains("Photographs"), "{view}");
    let forms = format!("{path}/forms");
    let sign = |body: Value| desk.post(&forms, body);
    let blank = sign(json!({ "formId": form, "signer": "Emeka Sorrentino", "strokes": [[[5, 5]]] })).await.status;
    let huge = sign(json!({ "formId": form, "signer": "E", "strokes": [[[5, 5], [9000, 1], [2, 2]]] })).await.status;
    assert_eq!((blank, huge), (422, 422));
    assert_eq!(
        sign(json!({ "formId": form, "signer": " ", "typed": true })).await.body["fields"][0]["field"],
        "signer"
    );
    let strokes = json!([[[10, 90], [60, 20], [110, 150]], [[120, 90], [200, 95]]]);
    sign(json!({ "formId": form, "signer": "Emeka Sorrentino", "strokes": strokes })).await.ok();
    let standing =
        |v: &Value| v["forms"].as_array().unwrap().iter().find(|f| f["form"]["id"] == json!(form)).unwrap().clone();
    let signed = standing(&desk.get(&format!("{path}/check-in")).await);
    assert_eq!((&signed["due"], &signed["signed"]["kind"]), (&json!(false), &json!("drawn")));
    let (_, paper) = desk.file(&format!("/api/signed-forms/{}", id(&signed["signed"]))).await;
    assert!(paper.starts_with(b"%PDF-"));
    // The words change afterwards: the paper stays as it was signed.
    boss.put(
        &format!("/api/settings/forms/{form}"),
        json!({ "name": "Photographs", "body": "Other words.", "active": true }),
    )
    .await
    .ok();
    let (_, later) = desk.file(&format!("/api/signed-forms/{}", id(&signed["signed"]))).await;
    assert_eq!(paper, later);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn on_arrival_the_reason_is_put_right_and_somebody_else_takes_over() {
    let product = Product::start().await.unwrap();
    let (desk, other) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "casimir").await);
    let (visit, _) = crate::flow::visit_of(&desk, "Sorrentino").await;
    let path = format!("/api/visits/{visit}");
    let before = desk.get(&path).await["card"]["visit"].clone();
    let staff = desk.get("/api/clinic").await["staff"].clone();
    let of = |login: &str| staff.as_array().unwrap().iter().find(|s| s["login"] == login).unwrap()["id"].clone();
    let form = |visit: &Value, reason: &str, who: &Value| json!({ "version": visit["version"], "reason": reason, "note": "", "clinicianId": who });
    let right = desk.put(&path, form(&before, "Shoulder and neck", &before["clinicianId"])).await.ok();
    assert_eq!((&right["reason"], &right["slotId"]), (&json!("Shoulder and neck"), &before["slotId"]));
    // The second desk has the page of before, and is shown what stands there now.
    let stale = other.put(&path, form(&before, "Shoulder only", &before["clinicianId"])).await;
    assert_eq!((stale.status, &stale.body["current"]["reason"]), (409, &json!("Shoulder and neck")));
    // Another clinician sees them, beside what is booked there; the slot is free again.
    let handed = desk.put(&path, form(&right, "Shoulder and neck", &of("oriane"))).await.ok();
    assert_eq!(
        (&handed["clinicianId"], &handed["slotId"], &handed["extra"]),
        (&of("oriane"), &Value::Null, &json!(true))
    );
    let moves = desk.get(&format!("{path}/moves")).await;
    assert_eq!(moves[0]["toClinicianId"], of("oriane"));
    let slot = before["slotId"].as_str().unwrap();
    let history = desk.get(&format!("/api/slots/{slot}/history")).await.to_string();
    assert!(history.contains("handed to somebody else"), "{history}");
    // Nobody who is no clinician, nobody once the clinician has begun, and not before they are here.
    assert_eq!(desk.put(&path, form(&handed, "x", &of("junia"))).await.status, 404);
    let (wren, _) = crate::flow::visit_of(&desk, "Takahashi").await;
    let begun = desk.get(&format!("/api/visits/{wren}")).await["card"]["visit"].clone();
    let late = desk.put(&format!("/api/visits/{wren}"), form(&begun, "x", &of("tobias"))).await;
    assert!(late.detail().contains("cannot take it over any more"), "{}", late.body);
    let coming = desk.get("/api/in-clinic").await["expected"][0]["card"]["visit"].clone();
    let to = if coming["clinicianId"] == of("oriane") { of("tobias") } else { of("oriane") };
    let early = desk.put(&format!("/api/visits/{}", id(&coming)), form(&coming, "x", &to)).await;
    assert!(early.detail().contains("move the booking on the schedule"), "{}", early.body);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn who_does_not_come_is_marked_by_itself_and_comes_after_all() {
    // A quarter before eleven: whoever was booked before a quarter to ten and is not here did not come.
    let product = Product::start_at(now() + chrono::Duration::minutes(25)).await.unwrap();
    let (desk, boss) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "soren").await);
    let before = desk.get("/api/in-clinic").await;
    let late = before["expected"].as_array().unwrap().iter().find(|c| c["lateMinutes"].is_i64()).cloned();
    let rule = json!({ "waitLong": 15, "waitTooLong": 30, "lateAfter": 5, "didNotComeAfter": 5, "criticalAfter": 30 });
    assert_eq!(desk.put("/api/settings/thresholds", rule.clone()).await.status, 403);
    let wrong = json!({ "waitLong": 30, "waitTooLong": 15, "lateAfter": 5, "didNotComeAfter": 5, "criticalAfter": 30 });
    assert_eq!(boss.put("/api/settings/thresholds", wrong).await.status, 422);
    boss.put("/api/settings/thresholds", rule).await.ok();
    let late = late.expect("somebody is late in the demo");
    let visit = id(&late["card"]["visit"]);
    let gone = |v: &Value| v["card"]["visit"]["stage"] == "did_not_come";
    let view = desk.until(&format!("/api/visits/{visit}"), gone).await;
    assert!(view["card"]["line"]["ended"].is_string(), "the line says so: {view}");
    desk.post(&format!("/api/visits/{visit}/stage"), json!({ "to": "here" })).await.ok();
    let here = desk.get("/api/in-clinic").await;
    let they = here["waiting"].as_array().unwrap().iter().find(|p| id(&p["card"]["visit"]) == visit).unwrap().clone();
    assert!(they["lateMinutes"].as_i64().unwrap() >= 5 && they["expectedMinutes"].is_i64(), "{they}");
    assert_eq!(desk.get("/api/in-clinic/count").await["waiting"], here["waiting"].as_array().unwrap().len());
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_building_is_drawn_by_the_manager() {
    let product = Product::start().await.unwrap();
    let (desk, boss) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "soren").await);
    let clinic = desk.get("/api/clinic").await;
    let site = clinic["sites"][0]["id"].clone();
    let room = Uuid::now_v7();
    let form = |name: &str, active: bool| json!({ "siteId": site, "name": name, "kind": "exam", "placeX": 3, "placeY": 0, "active": active });
    assert_eq!(desk.put(&format!("/api/settings/rooms/{room}"), form("Gannet", true)).await.status, 403);
    assert!(boss.put(&format!("/api/settings/rooms/{room}"), form("Heron", true)).await.detail().contains("already"));
    boss.put(&format!("/api/settings/rooms/{room}"), form("Gannet", true)).await.ok();
    let rooms = desk.get("/api/clinic").await["rooms"].clone();
    assert!(rooms.as_array().unwrap().iter().any(|r| r["name"] == "Gannet" && r["placeX"] == 3));
    // A room with somebody in it stays.
    let taken = desk.get("/api/in-clinic").await["inRooms"][0]["card"]["visit"]["roomId"].clone();
    let old = rooms.as_array().unwrap().iter().find(|r| r["id"] == taken).unwrap().clone();
    let mut gone = old.clone();
    gone["active"] = json!(false);
    let path = format!("/api/settings/rooms/{}", id(&old));
    assert!(boss.put(&path, gone).await.detail().contains("Somebody is in this room"));
    boss.put(&format!("/api/settings/rooms/{room}"), form("Gannet", false)).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn siblings_who_come_today_are_a_step_away() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let mees = desk.get("/api/people?q=Mees%20Achterberg").await[0]["person"]["id"].clone();
    let visits = desk.get(&format!("/api/people/{}/visits", mees.as_str().unwrap())).await;
    let today = visits.as_array().unwrap().iter().find(|v| v["visit"]["day"] == "2026-11-23").unwrap();
    let others = desk.get(&format!("/api/visits/{}/household-today", id(&today["visit"]))).await;
    let names: Vec<&str> = others.as_array().unwrap().iter().map(|s| s["person"]["name"].as_str().unwrap()).collect();
    assert!(names.iter().any(|n| n.contains("Fenna")) && names.iter().any(|n| n.contains("Teun")), "{names:?}");
    assert!(!names.iter().any(|n| n.contains("Mees")));
    product.stop().await.unwrap();
}
