//! What is ordered again: told before it is made, in sets, by itself, from a result; and who reads while somebody is away.

use crate::building::Visit;
use crate::orders::{now, ordered, path};
use crate::results::{potassium, take, waiting};
use crate::{Hand, id, restrict};
use harbor_core::orders::ReportStatus;
use harbor_demo::testing::Product;
use serde_json::{Value, json};
use uuid::Uuid;

async fn sql(product: &Product, statement: &str) {
    use diesel_async::{AsyncConnection, SimpleAsyncConnection};
    let mut conn = harbor_store::Conn::establish(&product.database_url).await.unwrap();
    conn.batch_execute(statement).await.unwrap();
}

async fn offered(hand: &Hand, typed: &str, person: &str, code: &str) -> Value {
    let all = hand.get(&format!("/api/orderables?q={typed}&person={person}")).await;
    all.as_array().unwrap().iter().find(|o| o["code"] == code).unwrap()["already"].clone()
}

#[actix_web::test]
async fn what_was_ordered_lately_or_is_known_is_said_before_it_is_ordered_again() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E87.6", "I10"]).await;
    let doctor = &visit.clinician;
    assert_eq!(offered(doctor, "potassium", &visit.person, "K").await, Value::Null);
    let panel = ordered(&visit, doctor, "BMP").await;
    assert_eq!(panel["already"], Value::Null, "it does not repeat itself");
    let draft = offered(doctor, "potassium", &visit.person, "K").await;
    assert_eq!(draft, "In an order of Dr. Oriane Valcourt already, not signed yet.");
    let line = json!({ "text": "order potassium", "keep": false });
    let read = doctor.post(&visit.path("/quick-line"), line).await.ok();
    let sentence = read["items"][0]["sentence"].as_str().unwrap();
    assert!(sentence.contains("In an order of Dr. Oriane Valcourt already"), "read back before it is kept: {sentence}");
    doctor.put(&path(&panel, "/diagnoses"), json!({ "codes": ["I10"] })).await.ok();
    doctor.post(&visit.path("/orders/send"), json!({})).await.ok();
    let waits = offered(doctor, "potassium", &visit.person, "K").await;
    assert_eq!(waits, "Ordered today by Dr. Oriane Valcourt, no result yet.");
    let second = ordered(&visit, doctor, "K").await;
    assert_eq!(second["already"], waits, "the draft says it too");
    // Its value is here: that is said with what it is.
    let person = doctor.get(&format!("/api/people/{}", visit.person)).await;
    let own = person["person"]["recordNumber"].as_str().unwrap().to_owned();
    let order = panel["order"]["id"].as_str().unwrap();
    take(&product, &potassium("GP-AGAIN", order, &own, ReportStatus::Final, 5.4)).await;
    doctor.post(&format!("/api/orders/{}/taken-back", order), json!({ "reason": "x" })).await;
    let known = now(&visit, "K").await["already"].clone();
    assert_eq!(known, "Result of today is here: 5.4 mmol/L.");
    restrict(&product, &visit.person).await;
    let tobias = Hand::sign_in(&product, "tobias").await;
    assert_eq!(offered(&tobias, "potassium", &visit.person, "K").await, Value::Null, "a closed chart tells nothing");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn sets_are_the_clinics_or_ones_own_and_favourites_are_what_one_orders() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E11.9"]).await;
    let (doctor, tobias) = (&visit.clinician, Hand::sign_in(&product, "tobias").await);
    let keep = async |hand: &Hand, id: Uuid, body: Value| hand.put(&format!("/api/order-sets/{id}"), body).await;
    let (clinic, own) = (Uuid::now_v7(), Uuid::now_v7());
    let yearly = json!({ "name": "Yearly foot and eye", "items": ["A1C", "UACR", "R-EYE", "A1C"], "clinic": true });
    assert_eq!(keep(&visit.assistant, clinic, yearly.clone()).await.status, 422, "a clinician keeps the clinic's");
    keep(doctor, clinic, yearly.clone()).await.ok();
    assert_eq!(keep(doctor, Uuid::now_v7(), yearly).await.status, 422, "one of a name");
    assert_eq!(keep(doctor, own, json!({ "name": "x", "items": ["NOPE"] })).await.status, 422);
    assert_eq!(keep(doctor, own, json!({ "name": "x", "items": [] })).await.status, 422);
    keep(doctor, own, json!({ "name": "Tired", "items": ["CBC", "TSH", "FERR"] })).await.ok();
    let sets = async |hand: &Hand| hand.get("/api/order-sets").await.as_array().unwrap().clone();
    let find = |all: &[Value], name: &str| all.iter().find(|s| s["name"] == name).cloned();
    let shown = find(&sets(&tobias).await, "Yearly foot and eye").unwrap();
    assert_eq!((shown["items"].as_array().unwrap().len(), &shown["own"]), (3, &json!(false)), "each once");
    assert!(find(&sets(&tobias).await, "Tired").is_none() && find(&sets(doctor).await, "Tired").is_some());
    assert_eq!(keep(&tobias, own, json!({ "name": "Mine now", "items": ["CBC"] })).await.status, 422);
    assert_eq!(tobias.ask("delete", &format!("/api/order-sets/{own}"), None).await.status, 422);
    // Taken in part, and found again among what one orders most.
    let part = json!({ "items": ["A1C", "UACR"] });
    visit.clinician.post(&visit.path("/orders"), part).await.ok();
    let most = doctor.get("/api/orderables?q=").await;
    let codes: Vec<&str> = most.as_array().unwrap().iter().map(|o| o["code"].as_str().unwrap()).collect();
    assert!(codes.contains(&"A1C") && codes.len() <= 8, "{codes:?}");
    doctor.ask("delete", &format!("/api/order-sets/{own}"), None).await.ok();
    assert!(find(&sets(doctor).await, "Tired").is_none());
    product.stop().await.unwrap();
}

/// How many of six that ask at once are answered with this status.
async fn at_once(hand: &Hand, method: &'static str, paths: [String; 6], body: Value, status: u16) -> usize {
    let asked = paths.iter().map(|path| hand.ask(method, path, Some(body.clone())));
    futures_util::future::join_all(asked).await.into_iter().filter(|r| r.status == status).count()
}

#[actix_web::test]
async fn of_many_at_once_one_is_kept_and_the_others_say_why() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E11.9"]).await;
    let doctor = &visit.clinician;
    let sets = [(); 6].map(|()| format!("/api/order-sets/{}", Uuid::now_v7()));
    let form = json!({ "name": "Race", "items": ["CBC"] });
    assert_eq!(at_once(doctor, "put", sets.clone(), form.clone(), 200).await, 1);
    assert_eq!(at_once(doctor, "put", [(); 6].map(|()| sets[0].clone()), form, 500).await, 0);
    let a1c = ordered(&visit, doctor, "A1C").await;
    let rhythm = json!({ "months": 3, "until": "+1y" });
    assert_eq!(at_once(doctor, "post", [(); 6].map(|()| path(&a1c, "/repeat")), rhythm, 200).await, 1);
    let me = id(&doctor.get("/api/me").await["staff"]);
    let away = json!({ "deputy": null, "fromDay": "today", "toDay": "today" });
    assert_eq!(at_once(doctor, "put", [(); 6].map(|()| format!("/api/staff/{me}/stand-in")), away, 200).await, 6);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_order_comes_due_by_itself_until_its_last_day() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    let doctor = &visit.clinician;
    let theirs = format!("/api/people/{}/orders", visit.person);
    doctor.post(&format!("/api/people/{}/problems", visit.person), json!({ "code": "E11.9" })).await.ok();
    let made = doctor.post(&theirs, json!({ "items": ["A1C"] })).await.ok();
    let a1c = made["orders"][0].clone();
    let rhythm = path(&a1c, "/repeat");
    for wrong in [
        json!({ "months": 0, "until": "+1y" }),
        json!({ "months": 3, "until": "+1m" }),
        json!({ "months": 3, "until": "x" }),
    ] {
        assert_eq!(doctor.post(&rhythm, wrong.clone()).await.status, 422, "{wrong}");
    }
    assert_eq!(visit.assistant.post(&rhythm, json!({ "months": 3, "until": "+1y" })).await.status, 403);
    doctor.post(&rhythm, json!({ "months": 3, "until": "+1y" })).await.ok();
    assert_eq!(doctor.post(&rhythm, json!({ "months": 3, "until": "+1y" })).await.status, 422, "it runs already");
    doctor.post("/api/orders/signed", json!({ "ids": [a1c["order"]["id"]] })).await.ok();
    // Its day has come, and more than one day has passed: one draft is made, not many.
    sql(&product, "update order_repeats set due = due - interval '7 months'").await;
    let wanted = |v: &Value| {
        v["orders"].as_array().unwrap().iter().any(|o| o["order"]["preparedBy"] == "the repeat of every 3 months")
    };
    let came = doctor.until(&theirs, wanted).await;
    let due: Vec<&Value> =
        came["orders"].as_array().unwrap().iter().filter(|o| o["order"]["state"] == "draft").collect();
    assert_eq!((due.len(), &due[0]["codes"]), (1, &json!(["E11.9"])));
    assert!(
        doctor
            .get("/api/today")
            .await
            .to_string()
            .contains("Hemoglobin A1c, prepared by the repeat of every 3 months.")
    );
    let runs = came["repeats"][0].clone();
    assert!(runs["due"].as_str().unwrap() > "2026-12", "it goes on after today: {runs}");
    let end = format!("/api/people/{}/order-repeats/{}/end", visit.person, runs["id"].as_str().unwrap());
    assert_eq!(doctor.post(&end, json!({ "reason": " " })).await.status, 422);
    doctor.post(&end, json!({ "reason": "moved away" })).await.ok();
    assert_eq!(doctor.post(&end, json!({ "reason": "again" })).await.status, 422);
    assert_eq!(doctor.get(&theirs).await["repeats"], json!([]));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_somebody_who_left_has_not_signed_is_everybodys_to_take_over() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E87.6"]).await;
    let potassium = ordered(&visit, &visit.assistant, "K").await;
    let tobias = Hand::sign_in(&product, "tobias").await;
    let seen = async || {
        let all = tobias.get("/api/orders/to-sign").await;
        all.as_array().unwrap().iter().find(|o| o["id"] == potassium["order"]["id"]).cloned()
    };
    assert_eq!(seen().await, None);
    sql(&product, "update staff set active = false where login = 'oriane'").await;
    let left = seen().await.unwrap();
    assert_eq!((&left["mine"], &left["orderedBy"]), (&json!(false), &json!("Dr. Oriane Valcourt")));
    let today = tobias.get("/api/today").await.to_string();
    assert!(today.contains("Potassium, of Dr. Oriane Valcourt, who has left."), "{today}");
    let ids = json!({ "ids": [potassium["order"]["id"]] });
    assert_eq!(tobias.post("/api/orders/signed", ids.clone()).await.status, 422, "not by accident");
    tobias.post(&path(&potassium, "/taken-over"), json!({})).await.ok();
    tobias.post("/api/orders/signed", ids).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_result_is_acted_on_ordered_again_told_without_what_it_says() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = crate::results::ordered(&product).await;
    let doctor = &visit.clinician;
    doctor.post(&visit.path("/orders/send"), json!({})).await.ok();
    take(&product, &potassium("GP-ACT", &order, &own, ReportStatus::Final, 5.6)).await;
    let one = format!("/api/results/{}", id(&waiting(doctor, "GP-ACT").await[0]));
    assert_eq!(doctor.post(&format!("{one}/tell"), json!({ "by": "message" })).await.status, 422, "nobody has read it");
    doctor.post(&format!("/api/orders/{order}/again"), json!({})).await.ok();
    let again = doctor.get(&format!("/api/people/{}/orders", visit.person)).await["orders"][0].clone();
    assert_eq!(
        (&again["order"]["testCode"], &again["codes"]),
        (&json!("K"), &json!(["E87.6"])),
        "under what it lay under"
    );
    assert_eq!(again["order"]["state"], "draft");
    let signed = json!({ "comment": "High. Stop the supplement.", "tell": "call" });
    doctor.post(&format!("{one}/review"), signed).await.ok();
    doctor.post(&format!("{one}/tell"), json!({ "by": "message" })).await.ok();
    let told = visit.desk.get("/api/messages").await.to_string();
    assert_eq!(told.matches("A result is here").count(), 2, "{told}");
    assert!(!told.contains("supplement") && !told.contains("otassium"), "the desk learns nothing of it: {told}");
    let calls = async |hand: &Hand| hand.get("/api/today").await.to_string().contains("A result is here");
    assert!(calls(&visit.assistant).await, "called by somebody who may see what is to be said");
    assert_eq!(visit.assistant.post(&format!("{one}/tell"), json!({ "by": "call" })).await.status, 403);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn who_stands_in_reads_the_results_of_who_is_away() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = crate::results::ordered(&product).await;
    let (tobias, manager) = (Hand::sign_in(&product, "tobias").await, Hand::sign_in(&product, "soren").await);
    let me = async |hand: &Hand| id(&hand.get("/api/me").await["staff"]);
    let (oriane, deputy) = (me(&visit.clinician).await, me(&tobias).await);
    take(&product, &potassium("GP-AWAY", &order, &own, ReportStatus::Final, 5.6)).await;
    let mine = async |hand: &Hand| hand.get("/api/results").await.to_string().contains("GP-AWAY");
    assert!(mine(&visit.clinician).await && !mine(&tobias).await);
    let away = format!("/api/staff/{oriane}/stand-in");
    let form = |deputy: &str| json!({ "deputy": deputy, "fromDay": "today", "toDay": "+1w" });
    assert_eq!(tobias.put(&away, form(&deputy)).await.status, 422, "not by a colleague");
    assert_eq!(visit.clinician.put(&away, form(&oriane)).await.status, 422, "nobody stands in for themselves");
    assert_eq!(visit.clinician.put(&away, form(&me(&visit.assistant).await)).await.status, 422);
    let past = json!({ "deputy": deputy, "fromDay": "-3d", "toDay": "-1d" });
    assert_eq!(visit.clinician.put(&away, past).await.status, 422);
    // The manager says it for somebody who fell ill; what waits already is the deputy's to read.
    manager.put(&away, form(&deputy)).await.ok();
    assert!(mine(&tobias).await && mine(&visit.clinician).await);
    assert!(tobias.get("/api/today").await.to_string().contains("Review results"));
    assert_eq!(visit.clinician.get(&away).await["now"], true);
    visit.clinician.ask("delete", &away, None).await.ok();
    assert!(!mine(&tobias).await);
    // Without a deputy any clinician reads them.
    visit.clinician.put(&away, json!({ "deputy": null, "fromDay": "today", "toDay": "today" })).await.ok();
    assert!(mine(&tobias).await);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_clinic_says_when_something_is_late_and_the_list_is_narrowed() {
    let product = Product::start().await.unwrap();
    let (visit, order, _) = crate::results::ordered(&product).await;
    let (doctor, manager) = (&visit.clinician, Hand::sign_in(&product, "soren").await);
    doctor.post(&visit.path("/orders/send"), json!({})).await.ok();
    doctor.until(&visit.path("/chart"), |c| c["orders"][0]["order"]["state"] == "accepted").await;
    sql(&product, &format!("update orders set sent_at = sent_at - interval '3 days' where id = '{order}'")).await;
    let late = async |query: &str| {
        let all = doctor.get(&format!("/api/orders/open{query}")).await;
        all["orders"].as_array().unwrap().iter().find(|o| o["id"] == order.as_str()).map(|o| o["late"].clone())
    };
    assert_eq!(late("").await, Some(json!("no result yet, 2 days over its usual time")));
    let days = "/api/settings/usual-days";
    for wrong in
        [json!({ "code": "K", "days": 0 }), json!({ "code": "K", "days": 181 }), json!({ "code": "NOPE", "days": 3 })]
    {
        assert_eq!(manager.put(days, wrong).await.status, 422);
    }
    assert_eq!(doctor.put(days, json!({ "code": "K", "days": 4 })).await.status, 403);
    manager.put(days, json!({ "code": "K", "days": 4 })).await.ok();
    assert_eq!(late("").await, Some(Value::Null), "within the clinic's own time");
    manager.put(days, json!({ "code": "K", "days": null })).await.ok();
    assert!(late("?kind=laboratory").await.is_some());
    assert_eq!(late("?kind=imaging").await, None);
    let tobias = id(&Hand::sign_in(&product, "tobias").await.get("/api/me").await["staff"]);
    assert_eq!(late(&format!("?all=true&clinician={tobias}")).await, None);
    product.stop().await.unwrap();
}
