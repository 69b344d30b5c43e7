use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

#[actix_web::test]
async fn two_hundred_book_one_slot_and_one_gets_it() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let slot = desk.open_slot().await;
    let person = desk.person("Brandvold").await;
    let tasks: Vec<_> = (0..200)
        .map(|_| {
            let (desk, body) = (
                desk.clone(),
                json!({ "personId": person["id"], "slotId": slot["id"], "reason": "race", "meant": crate::meant() }),
            );
            tokio::spawn(async move { desk.post("/api/visits", body).await })
        })
        .collect();
    let mut booked = 0;
    for task in tasks {
        let reply = task.await.unwrap();
        match reply.status {
            200 => booked += 1,
            409 => {
                assert_eq!(reply.body["type"], "urn:indigo-harbor:taken", "{}", reply.body);
                assert_eq!(reply.body["current"].as_array().map(Vec::len), Some(3), "the next best three are offered");
            }
            other => panic!("{other} {}", reply.body),
        }
    }
    assert_eq!(booked, 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_cannot_be_booked_says_why() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = desk.person("Brandvold").await;
    let day = desk.get("/api/schedule").await;
    let slots = day["slots"].as_array().unwrap();
    let book = |slot: &serde_json::Value, reason: &str| {
        let (desk, body) = (desk.clone(), json!({ "personId": person["id"], "slotId": slot["id"], "reason": reason }));
        async move { desk.post("/api/visits", body).await }
    };
    let held = slots.iter().find(|s| s["heldFor"].is_string()).unwrap();
    let reply = book(held, "x").await;
    assert_eq!(reply.status, 422);
    let first = slots.iter().find(|s| s["heldFor"].is_null()).unwrap();
    assert!(book(first, "x").await.detail().contains("passed"));
    let open = desk.open_slot().await;
    let reply = book(&open, " ").await;
    assert_eq!(reply.body["fields"][0]["sentence"], "Reason is needed.");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn one_persons_change_reaches_another_screen() {
    use std::time::{Duration, Instant};
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let other = Hand::sign_in(&product, "petra").await;
    let mut stream =
        other.http.get(format!("{}/api/live", other.base)).header("cookie", &other.cookie).send().await.unwrap();
    let slot = desk.open_slot().await;
    let person = desk.person("Brandvold").await;
    let body = json!({ "personId": person["id"], "slotId": slot["id"], "reason": "live", "meant": crate::meant() });
    let visit = desk.post("/api/visits", body).await.ok();
    let committed = Instant::now();
    let mut heard = String::new();
    while !heard.contains(&id(&visit)) {
        let chunk =
            tokio::time::timeout(Duration::from_secs(5), stream.chunk()).await.expect("a tiding in time").unwrap();
        heard.push_str(&String::from_utf8_lossy(&chunk.unwrap()));
    }
    assert!(committed.elapsed() < Duration::from_secs(1), "{:?}", committed.elapsed());
    product.stop().await.unwrap();
}

/// Open slots of tomorrow for one clinician, in order, as (id, start, type).
async fn tomorrow(hand: &Hand, login_name: &str) -> Vec<Value> {
    let clinic = hand.get("/api/clinic").await;
    let staff = clinic["staff"].as_array().unwrap();
    let who = staff.iter().find(|s| s["name"].as_str().unwrap().contains(login_name)).unwrap()["id"].clone();
    let day = hand.get("/api/schedule?day=2026-11-24").await;
    let visits = day["visits"].as_array().unwrap().clone();
    let taken = |s: &Value| {
        visits.iter().any(|v| {
            let v = &v["visit"];
            v["clinicianId"] == s["clinicianId"]
                && v["stage"] != "cancelled"
                && v["startsAt"].as_str() < s["endsAt"].as_str()
                && v["endsAt"].as_str() > s["startsAt"].as_str()
        })
    };
    let slots = day["slots"].as_array().unwrap();
    slots.iter().filter(|s| s["clinicianId"] == who && s["heldFor"].is_null() && !taken(s)).cloned().collect()
}

/// Of these slots the plain ones, any of which a plain visit fits into.
fn plain(open: Vec<Value>) -> Vec<Value> {
    open.into_iter().filter(|s| minutes(&s["startsAt"], &s["endsAt"]) == 20).collect()
}

fn minutes(a: &Value, b: &Value) -> i64 {
    let at = |v: &Value| chrono::DateTime::parse_from_rfc3339(v.as_str().unwrap()).unwrap();
    (at(b) - at(a)).num_minutes()
}

#[actix_web::test]
async fn a_double_length_takes_the_neighbour_and_an_extra_goes_beside() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = desk.person("Brandvold").await["id"].clone();
    let open = plain(tomorrow(&desk, "Adeyemi").await);
    let pair = open
        .windows(2)
        .find(|w| w[0]["endsAt"] == w[1]["startsAt"] && minutes(&w[0]["startsAt"], &w[1]["endsAt"]) == 40)
        .unwrap();
    let double = json!({ "personId": person, "meant": crate::meant(), "slotId": pair[0]["id"], "reason": "long talk", "minutes": "30" });
    let visit = desk.post("/api/visits", double).await.ok();
    assert_eq!(minutes(&visit["startsAt"], &visit["endsAt"]), 30, "minutes are what was said");
    let beside = json!({ "personId": person, "meant": crate::meant(), "slotId": pair[1]["id"], "reason": "x" });
    assert_eq!(desk.post("/api/visits", beside.clone()).await.status, 409, "the neighbour is taken");
    let mut extra = beside;
    extra["extra"] = json!(true);
    let assistant = Hand::sign_in(&product, "petra").await;
    assert_eq!(assistant.post("/api/visits", extra.clone()).await.status, 403, "beyond capacity needs a permission");
    let squeezed = desk.post("/api/visits", extra).await.ok();
    assert_eq!(squeezed["extra"], true);
    // Never over held time, however it is asked.
    let day = desk.get("/api/schedule?day=2026-11-24").await;
    let held = day["slots"].as_array().unwrap().iter().find(|s| s["heldFor"].is_string()).unwrap().clone();
    for more in [json!({ "extra": true }), json!({ "visitTypeId": pair[0]["visitTypeId"] })] {
        let mut asked = json!({ "personId": person, "meant": crate::meant(), "slotId": held["id"], "reason": "x" });
        asked.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        assert!(desk.post("/api/visits", asked).await.detail().contains("is held"));
    }
    let before_held = day["slots"]
        .as_array()
        .unwrap()
        .iter()
        .find(|s| s["endsAt"] == held["startsAt"] && s["clinicianId"] == held["clinicianId"]);
    if let Some(slot) = before_held {
        let over =
            json!({ "personId": person, "meant": crate::meant(), "slotId": slot["id"], "reason": "x", "minutes": 40 });
        assert_eq!(desk.post("/api/visits", over).await.status, 422, "nor by its length");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_is_seldom_meant_is_asked_about_in_one_go_and_nonsense_is_told_at_its_field() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = desk.person("Brandvold").await["id"].clone();
    let (first, others) = (plain(tomorrow(&desk, "Valcourt").await), plain(tomorrow(&desk, "Adeyemi").await));
    let book = |slot: &Value, more: Value| {
        let mut form = json!({ "personId": person, "slotId": slot["id"], "reason": "x" });
        form.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        let desk = desk.clone();
        async move { desk.post("/api/visits", form).await }
    };
    for nonsense in [json!("abc"), json!("20 min"), json!("3"), json!(481), json!("-20")] {
        let told = book(&first[0], json!({ "minutes": nonsense })).await;
        assert_eq!(told.body["fields"][0]["field"], "minutes", "{nonsense}: {}", told.body);
    }
    let plain_visit = book(&first[0], json!({ "minutes": " " })).await.ok();
    assert_eq!(minutes(&plain_visit["startsAt"], &plain_visit["endsAt"]), 20, "nothing typed is the slot's length");
    let later = others
        .windows(2)
        .find(|w| w[0]["startsAt"].as_str() > plain_visit["endsAt"].as_str() && w[0]["endsAt"] == w[1]["startsAt"]);
    let later = later.unwrap()[0].clone();
    let asked = book(&later, json!({ "minutes": 30 })).await;
    assert_eq!((asked.status, asked.body["type"].as_str()), (422, Some("urn:indigo-harbor:ask-first")));
    let doubts: Vec<&str> =
        asked.body["current"].as_array().unwrap().iter().map(|q| q["doubt"].as_str().unwrap()).collect();
    assert_eq!(doubts, ["same_day", "swallows", "age"], "{}", asked.body);
    assert!(asked.detail().contains("with Dr. Oriane Valcourt") && asked.detail().contains("10 of the 20 minutes at"));
    assert!(asked.detail().contains("at most 17 years; this one is 81"), "{}", asked.detail());
    let half = book(&later, json!({ "minutes": 30, "meant": ["same_day", "age"] })).await;
    assert_eq!(half.body["current"].as_array().unwrap().len(), 1, "only what was not answered: {}", half.body);
    let visit = book(&later, json!({ "minutes": 30, "meant": doubts })).await.ok();
    assert_eq!(minutes(&visit["startsAt"], &visit["endsAt"]), 30);
    let unknown = book(&first[1], json!({ "meant": ["anything"] })).await;
    assert_eq!(unknown.status, 400, "a doubt that nobody has");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn who_comes_too_late_is_offered_times_near_the_lost_one() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (one, two) = (desk.person("Brandvold").await["id"].clone(), desk.person("Moreau").await["id"].clone());
    // Next week, so that the first open time of all would be far away.
    let open = desk.get("/api/open-times?from=2026-11-30&after=10:00").await;
    let slot = open[0].clone();
    let form =
        |person: &Value| json!({ "personId": person, "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
    desk.post("/api/visits", form(&one)).await.ok();
    let late = desk.post("/api/visits", form(&two)).await;
    let offered = late.body["current"].as_array().unwrap();
    assert_eq!((late.status, offered.len()), (409, 3));
    for other in offered {
        assert_eq!(other["clinicianId"], slot["clinicianId"], "{other}");
        assert_eq!(other["startsAt"].as_str().unwrap()[..10], slot["startsAt"].as_str().unwrap()[..10], "that day");
        assert!(minutes(&slot["startsAt"], &other["startsAt"]).abs() <= 120, "{other}");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn another_types_slot_is_asked_about_and_the_release_rule_and_role_hold() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = desk.person("Brandvold").await["id"].clone();
    let clinic = desk.get("/api/clinic").await;
    let kind =
        |name: &str| clinic["visitTypes"].as_array().unwrap().iter().find(|t| t["name"] == name).unwrap()["id"].clone();
    let open = tomorrow(&desk, "Valcourt").await;
    let long = open.iter().find(|s| s["visitTypeId"] == kind("Long consultation")).unwrap();
    let short = open.iter().find(|s| s["visitTypeId"] == kind("Consultation")).unwrap();
    let mut urgent =
        json!({ "personId": person, "slotId": long["id"], "reason": "x", "visitTypeId": kind("Consultation") });
    let asked = desk.post("/api/visits", urgent.clone()).await;
    assert_eq!(asked.body["type"], "urn:indigo-harbor:ask-first");
    assert_eq!(asked.body["current"][0]["doubt"], "other_type");
    assert!(asked.detail().contains("kept for a long consultation"), "{}", asked.detail());
    urgent["meant"] = json!(["other_type"]);
    let visit = desk.post("/api/visits", urgent).await.ok();
    assert_eq!(visit["overTypeId"], kind("Long consultation"), "it is recorded");
    let too_long = json!({ "personId": person, "slotId": short["id"], "reason": "x", "visitTypeId": kind("Procedure"), "meant": crate::meant() });
    assert!(desk.post("/api/visits", too_long).await.detail().contains("takes 40 minutes; only 20"));
    let sql = |text: &'static str| crate::guards::run(&product.database_url, text);
    sql("update visit_types set release_days = 0").await.unwrap();
    let plain = json!({ "personId": person, "slotId": short["id"], "reason": "x", "meant": crate::meant() });
    assert!(
        desk.post("/api/visits", plain.clone()).await.detail().starts_with("This time opens for booking Tue Nov 24")
    );
    let offered = desk.get("/api/open-times").await;
    assert!(offered.as_array().unwrap().iter().all(|s| s["startsAt"].as_str().unwrap() < "2026-11-24T05"), "{offered}");
    sql("update visit_types set release_days = 1, booked_by = '{manager}'").await.unwrap();
    assert!(desk.post("/api/visits", plain.clone()).await.detail().ends_with("ask manager."));
    Hand::sign_in(&product, "soren").await.post("/api/visits", plain).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_visit_moves_and_back_with_its_history_and_is_cancelled_with_a_reason_of_the_list() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (person, other) = (desk.person("Brandvold").await["id"].clone(), desk.person("Moreau").await["id"].clone());
    let open = plain(tomorrow(&desk, "Adeyemi").await);
    let (a, b, c) = (&open[0], &open[1], &open[2]);
    let visit = id(&desk
        .post("/api/visits", json!({ "personId": person, "slotId": a["id"], "reason": "x", "meant": crate::meant() }))
        .await
        .ok());
    desk.post("/api/visits", json!({ "personId": other, "slotId": b["id"], "reason": "x", "meant": crate::meant() }))
        .await
        .ok();
    let path = format!("/api/visits/{visit}/move");
    let late = desk.post(&path, json!({ "slotId": b["id"] })).await;
    assert_eq!((late.status, late.body["current"].as_array().map(Vec::len)), (409, Some(3)), "{}", late.body);
    let moved = desk.post(&path, json!({ "slotId": c["id"], "reason": "asked for later" })).await.ok();
    assert_eq!((&moved["startsAt"], &moved["slotId"]), (&c["startsAt"], &c["id"]));
    desk.post(&path, json!({ "slotId": a["id"] })).await.ok();
    let moves = desk.get(&format!("/api/visits/{visit}/moves")).await;
    assert_eq!((moves.as_array().unwrap().len(), &moves[1]["reason"]), (2, &json!("asked for later")));
    let history = desk.get(&format!("/api/slots/{}/history", a["id"].as_str().unwrap())).await;
    let what: Vec<&str> = history.as_array().unwrap().iter().map(|e| e["what"].as_str().unwrap()).collect();
    assert_eq!(what, ["made", "booked", "visit moved here"]);
    // What was longer than its slot comes back as long as it was.
    let pair = open.windows(2).skip(2).find(|w| w[0]["endsAt"] == w[1]["startsAt"]).unwrap();
    let long = desk.post(&path, json!({ "slotId": pair[0]["id"], "minutes": 40 })).await.ok();
    assert_eq!(long["endsAt"], pair[1]["endsAt"]);
    let back = desk.post(&path, json!({ "slotId": a["id"], "minutes": 20, "meant": crate::meant() })).await.ok();
    assert_eq!((&back["startsAt"], &back["endsAt"]), (&a["startsAt"], &a["endsAt"]));
    let cancel = format!("/api/visits/{visit}/cancel");
    let own = desk.post(&cancel, json!({ "reason": "did not feel like it", "byPatient": true })).await;
    assert_eq!(own.detail(), "Choose a reason from the clinic's list.");
    desk.post(&cancel, json!({ "reason": "patient ill", "byPatient": true })).await.ok();
    let seen = desk.get(&format!("/api/visits/{visit}")).await["card"]["visit"].clone();
    assert_eq!((&seen["cancelledBy"], &seen["cancelReason"]), (&json!("patient"), &json!("patient ill")));
    let gone = desk.post(&path, json!({ "slotId": c["id"] })).await;
    assert!(gone.detail().contains("only a booked one can be moved"), "{}", gone.detail());
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn two_moves_that_swap_and_two_onto_one_slot_leave_one_order_of_things() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (one, two) = (desk.person("Brandvold").await["id"].clone(), desk.person("Moreau").await["id"].clone());
    let open = plain(tomorrow(&desk, "Adeyemi").await);
    let book = async |person: &Value, slot: &Value| {
        id(&desk
            .post(
                "/api/visits",
                json!({ "personId": person, "slotId": slot["id"], "reason": "x", "meant": crate::meant() }),
            )
            .await
            .ok())
    };
    let (first, second) = (book(&one, &open[0]).await, book(&two, &open[1]).await);
    let go = |visit: &str, slot: &Value| {
        let (desk, path, body) = (desk.clone(), format!("/api/visits/{visit}/move"), json!({ "slotId": slot["id"] }));
        tokio::spawn(async move { desk.post(&path, body).await.status })
    };
    let crossed = (go(&first, &open[1]), go(&second, &open[0]));
    assert_eq!((crossed.0.await.unwrap(), crossed.1.await.unwrap()), (409, 409), "each stands in the other's way");
    let both = (go(&first, &open[2]), go(&second, &open[2]));
    let mut statuses = [both.0.await.unwrap(), both.1.await.unwrap()];
    statuses.sort_unstable();
    assert_eq!(statuses, [200, 409]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn open_times_follow_the_wish_and_put_the_usual_clinician_first() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let ask = async |more: &str| desk.get(&format!("/api/open-times?from=2026-11-24{more}")).await;
    let local = |s: &Value| {
        chrono::DateTime::parse_from_rfc3339(s["startsAt"].as_str().unwrap())
            .unwrap()
            .with_timezone(&chrono_tz::America::New_York)
    };
    let afternoons = ask("&weekdays=4&after=14:00&before=16&minutes=40").await;
    assert!(!afternoons.as_array().unwrap().is_empty());
    for s in afternoons.as_array().unwrap() {
        let at = local(s);
        assert_eq!(at.format("%a").to_string(), "Thu");
        assert!((14..16).contains(&chrono::Timelike::hour(&at)) && s["minutes"].as_i64().unwrap() >= 40, "{s}");
    }
    let clinic = desk.get("/api/clinic").await;
    let maelis =
        clinic["staff"].as_array().unwrap().iter().find(|s| s["lastName"] == "Corrigan").unwrap()["id"].clone();
    let person = desk.person("Brandvold").await["id"].as_str().unwrap().to_owned();
    let form = desk.get(&format!("/api/people/{person}")).await;
    let mut body = json!({ "version": form["person"]["version"], "firstName": form["person"]["firstName"], "lastName": form["person"]["lastName"], "birthDate": form["person"]["birthDate"] });
    body["usualClinicianId"] = maelis.clone();
    desk.patch(&format!("/api/people/{person}"), body).await.ok();
    let loyal = ask(&format!("&personId={person}")).await;
    assert_eq!(
        (&loyal[0]["clinicianId"], loyal[0]["reasons"].to_string().contains("usual clinician")),
        (&maelis, true)
    );
    let wrong = desk.ask("get", "/api/open-times?after=noonish", None).await;
    assert_eq!(wrong.body["fields"][0]["field"], "after");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn slots_are_changed_by_hand_and_every_change_is_told() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let open = plain(tomorrow(&manager, "Adeyemi").await);
    let slot = open[0].clone();
    let path = format!("/api/slots/{}", slot["id"].as_str().unwrap());
    let middle = chrono::DateTime::parse_from_rfc3339(slot["startsAt"].as_str().unwrap()).unwrap()
        + chrono::Duration::minutes(10);
    let change = async |body: Value| manager.post(&path, body).await;
    let middle = middle.with_timezone(&chrono_tz::America::New_York).format("%H:%M").to_string();
    assert_eq!(change(json!({ "what": "split", "at": "later" })).await.body["fields"][0]["field"], "at");
    change(json!({ "what": "split", "at": middle })).await.ok();
    // What was cut short serves its type only together with a neighbour.
    for more in ["", &format!("&visitTypeId={}", slot["visitTypeId"].as_str().unwrap())] {
        let offered = manager.get(&format!("/api/open-times?from=2026-11-24{more}")).await;
        assert!(offered.as_array().unwrap().iter().all(|s| s["minutes"].as_i64() >= Some(20)), "{offered}");
    }
    let long = change(json!({ "what": "retype", "visitTypeId": slot["visitTypeId"] })).await;
    assert!(long.detail().contains("takes 20 minutes; the slot has 10"), "{}", long.detail());
    change(json!({ "what": "join" })).await.ok();
    change(json!({ "what": "hold", "heldFor": "staff meeting" })).await.ok();
    assert_eq!(change(json!({ "what": "hold", "heldFor": " " })).await.status, 422);
    change(json!({ "what": "free" })).await.ok();
    let shift = slot["shiftId"].as_str().unwrap();
    let add = json!({ "place": "beginning", "minutes": 20, "visitTypeId": slot["visitTypeId"] });
    let early = manager.post(&format!("/api/shifts/{shift}/slots"), add).await.ok();
    let person = manager.person("Brandvold").await["id"].clone();
    manager
        .post(
            "/api/visits",
            json!({ "personId": person, "slotId": early["id"], "reason": "x", "meant": crate::meant() }),
        )
        .await
        .ok();
    let booked =
        manager.post(&format!("/api/slots/{}", early["id"].as_str().unwrap()), json!({ "what": "delete" })).await;
    assert!(booked.detail().contains("Somebody is booked"));
    change(json!({ "what": "delete" })).await.ok();
    let history = manager.get(&format!("{path}/history")).await;
    let what: Vec<&str> = history.as_array().unwrap().iter().map(|e| e["what"].as_str().unwrap()).collect();
    assert_eq!(what, ["made", "split", "joined", "held", "freed", "deleted"], "also of a slot that is no more");
    let assistant = Hand::sign_in(&product, "petra").await;
    assert_eq!(assistant.post(&path, json!({ "what": "free" })).await.status, 403);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn whatever_many_hands_do_at_once_the_day_stays_in_order() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let manager = Hand::sign_in(&product, "soren").await;
    let open = plain(tomorrow(&desk, "Adeyemi").await);
    let names = ["Brandvold", "Moreau", "Ferreira", "Takahashi", "Sorrentino"];
    let mut people = Vec::new();
    for name in names {
        people.push(desk.person(name).await["id"].clone());
    }
    let mut seed = 20_261_123_u64;
    let mut chance = |n: usize| {
        seed = seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        usize::try_from(seed >> 33).unwrap() % n
    };
    let mut visits: Vec<String> = Vec::new();
    for _ in 0..12 {
        let mut hands = Vec::new();
        for _ in 0..8 {
            let slot = open[chance(open.len())].clone();
            let id = slot["id"].as_str().unwrap().to_owned();
            let (hand, path, body) = match chance(6) {
                0..=2 => {
                    let person = people[chance(people.len())].clone();
                    let (minutes, extra) = ([20, 40][chance(2)], chance(5) == 0);
                    let body = json!({ "personId": person, "slotId": id, "reason": "x", "minutes": minutes, "extra": extra, "meant": crate::meant() });
                    (desk.clone(), "/api/visits".to_owned(), body)
                }
                3 if !visits.is_empty() => {
                    let visit = visits[chance(visits.len())].clone();
                    (desk.clone(), format!("/api/visits/{visit}/move"), json!({ "slotId": id }))
                }
                4 if !visits.is_empty() => {
                    let visit = visits[chance(visits.len())].clone();
                    (desk.clone(), format!("/api/visits/{visit}/cancel"), json!({ "reason": "patient ill" }))
                }
                _ => {
                    let change = [
                        json!({ "what": "hold", "heldFor": "meeting" }),
                        json!({ "what": "free" }),
                        json!({ "what": "join" }),
                    ];
                    (manager.clone(), format!("/api/slots/{id}"), change[chance(3)].clone())
                }
            };
            hands.push(tokio::spawn(async move { (path.clone(), hand.post(&path, body).await) }));
        }
        for hand in hands {
            let (path, reply) = hand.await.unwrap();
            assert!(matches!(reply.status, 200 | 404 | 409 | 422), "{path}: {} {}", reply.status, reply.body);
            if path == "/api/visits" && reply.status == 200 {
                visits.push(id(&reply.body));
            }
        }
    }
    assert!(visits.len() > 5, "enough was booked to mean something");
    for (what, sql) in [
        (
            "two visits at once",
            "select from visits a join visits b on a.clinician_id = b.clinician_id and a.id < b.id
             where not a.extra and not b.extra and a.stage = 'booked' and b.stage = 'booked'
             and a.starts_at < b.ends_at and b.starts_at < a.ends_at",
        ),
        (
            "a visit in held time",
            "select from visits v join slots s on s.clinician_id = v.clinician_id and s.held_for is not null
             where v.stage = 'booked' and v.day > '2026-11-23' and v.starts_at < s.ends_at and s.starts_at < v.ends_at",
        ),
        ("two with one call-sign", "select from visits group by day, call_sign having count(*) > 1"),
    ] {
        let check = format!("do $$ begin if exists ({sql}) then raise exception '{what}'; end if; end $$");
        crate::guards::run(&product.database_url, &check).await.unwrap();
    }
    product.stop().await.unwrap();
}
