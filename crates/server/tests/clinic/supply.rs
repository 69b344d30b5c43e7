//! Working time: templates, exceptions, one-off shifts, visit types; and booking while they change.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

/// Clinician and visit type of the demo, by name.
async fn ids(hand: &Hand, last: &str, kind: &str) -> (Value, Value, Value) {
    let clinic = hand.get("/api/clinic").await;
    let of = |list: &str, field: &str, name: &str| {
        let all = clinic[list].as_array().unwrap();
        all.iter().find(|s| s[field] == name).unwrap()["id"].clone()
    };
    (of("staff", "lastName", last), of("visitTypes", "name", kind), of("sites", "name", "Quayside"))
}

async fn template_of(hand: &Hand, who: &Value, weekday: i64, from: i64) -> Value {
    let supply = hand.get("/api/supply").await;
    let all = supply["templates"].as_array().unwrap();
    let found = all.iter().find(|t| t["clinicianId"] == *who && t["weekday"] == weekday && t["fromMinute"] == from);
    found.unwrap().clone()
}

/// The slots of a clinician on a day, as (start, end, type or held).
async fn slots(hand: &Hand, day: &str, who: &Value) -> Vec<Value> {
    let view = hand.get(&format!("/api/schedule?day={day}")).await;
    view["slots"].as_array().unwrap().iter().filter(|s| s["clinicianId"] == *who).cloned().collect()
}

#[actix_web::test]
async fn the_demo_is_as_its_templates_say() {
    let product = Product::start().await.unwrap();
    let boss = Hand::sign_in(&product, "soren").await;
    let report = boss.post("/api/supply/make", json!({})).await.ok();
    assert_eq!(
        (&report["shiftsMade"], &report["slotsMade"], &report["slotsRemoved"]),
        (&json!(0), &json!(0), &json!(0))
    );
    let holiday = boss.get("/api/schedule?day=2027-01-01").await;
    assert_eq!(holiday["slots"], json!([]));
    assert_eq!(holiday["exceptions"][0]["reason"], "New Year's Day");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_changed_template_leaves_what_is_booked_and_tells_it() {
    let product = Product::start().await.unwrap();
    let (boss, desk) = (Hand::sign_in(&product, "soren").await, Hand::sign_in(&product, "junia").await);
    let (who, kind, site) = ids(&boss, "Renneberg", "Consultation").await;
    let person = desk.person("Brandvold").await["id"].clone();
    // Somebody is booked at 8:20 on Tuesday in two weeks; one slot is deleted by hand.
    let before = slots(&desk, "2026-12-08", &who).await;
    let booked = before[1].clone();
    let booking = json!({ "personId": person, "slotId": booked["id"], "reason": "stays", "meant": crate::meant() });
    let visit = desk.post("/api/visits", booking).await.ok();
    let template = template_of(&boss, &who, 2, 480).await;
    let form = |begins: &str, runs: Value| {
        json!({ "clinicianId": who, "siteId": site, "weekdays": [2], "everyWeeks": 1, "from": "8:30", "to": "12:30",
            "begins": begins, "runs": runs, "version": template["version"] })
    };
    let runs = json!([{ "count": 4, "minutes": 60, "visitTypeId": kind }]);
    let path = format!("/api/supply/templates/{}", id(&template));
    let mut stale = form("2026-12-01", runs.clone());
    stale["version"] = json!(99);
    assert_eq!(boss.put(&path, stale).await.status, 409);
    let past = boss.put(&path, form("2026-11-22", runs.clone())).await;
    assert!(past.detail().contains("What has been stays"), "{}", past.detail());
    let report = boss.put(&path, form("2026-12-01", runs)).await.ok();
    let left: Vec<&Value> = report["left"].as_array().unwrap().iter().map(|l| &l["startsAt"]).collect();
    assert!(left.contains(&&booked["startsAt"]), "{report}");
    let morning = |all: Vec<Value>| -> Vec<Value> {
        all.into_iter().filter(|s| s["startsAt"].as_str().unwrap()[11..16] < *"17:30").collect()
    };
    // Who is booked keeps the slot; hours over those are not made, the others are.
    let mut hours = 0;
    for day in ["2026-12-01", "2026-12-08", "2026-12-15"] {
        let there = morning(slots(&desk, day, &who).await);
        for (n, slot) in there.iter().enumerate() {
            assert!(there[n + 1..].iter().all(|o| o["startsAt"].as_str() >= slot["endsAt"].as_str()), "{slot}");
            let whole_hour = slot["startsAt"].as_str().unwrap()[14..16] == *"30";
            assert!(whole_hour || left.contains(&&slot["startsAt"]), "{slot}");
            hours += usize::from(whole_hour);
        }
    }
    assert!(hours > 1, "some hours were free: {hours}");
    assert!(morning(slots(&desk, "2026-12-08", &who).await).iter().any(|s| s["id"] == booked["id"]));
    let kept = desk.get(&format!("/api/visits/{}", id(&visit))).await["card"]["visit"].clone();
    assert_eq!((&kept["slotId"], &kept["startsAt"]), (&booked["id"], &booked["startsAt"]));
    // Before that day nothing changed, and doing it again does nothing.
    assert!(slots(&desk, "2026-11-24", &who).await[0]["startsAt"].as_str().unwrap().contains("T13:00"));
    let again = boss.post("/api/supply/make", json!({})).await.ok();
    assert_eq!((&again["slotsMade"], &again["slotsRemoved"]), (&json!(0), &json!(0)), "{again}");
    let history = desk.get(&format!("/api/slots/{}/history", booked["id"].as_str().unwrap())).await;
    let told: Vec<&str> = history.as_array().unwrap().iter().map(|e| e["what"].as_str().unwrap()).collect();
    assert_eq!(told, ["made", "booked"]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_slot_deleted_by_hand_and_a_cancelled_shift_are_not_made_again() {
    let product = Product::start().await.unwrap();
    let (boss, desk) = (Hand::sign_in(&product, "soren").await, Hand::sign_in(&product, "junia").await);
    let (who, ..) = ids(&boss, "Corrigan", "Consultation").await;
    let day = slots(&desk, "2026-12-29", &who).await;
    desk.post(&format!("/api/slots/{}", id(&day[0])), json!({ "what": "delete" })).await.ok();
    let afternoon = day.last().unwrap()["shiftId"].as_str().unwrap();
    desk.post("/api/shifts/cancel", json!({ "shiftIds": [afternoon], "reason": "course" })).await.ok();
    let report = boss.post("/api/supply/make", json!({})).await.ok();
    assert_eq!((&report["shiftsMade"], &report["slotsMade"]), (&json!(0), &json!(0)), "{report}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn days_are_closed_and_opened_again() {
    let product = Product::start().await.unwrap();
    let (boss, desk) = (Hand::sign_in(&product, "soren").await, Hand::sign_in(&product, "junia").await);
    let (who, ..) = ids(&boss, "Valcourt", "Consultation").await;
    let person = desk.person("Brandvold").await["id"].clone();
    let before = slots(&desk, "2026-12-21", &who).await;
    let free = before.iter().find(|s| s["heldFor"].is_null()).unwrap();
    desk.post(
        "/api/visits",
        json!({ "personId": person, "slotId": free["id"], "reason": "x", "meant": crate::meant() }),
    )
    .await
    .ok();
    let close = |from: &str, to: &str, reason: &str| json!({ "from": from, "to": to, "reason": reason });
    for (form, said) in [
        (close("2026-12-21", "2026-12-20", "x"), "comes before the first"),
        (close("2026-12-21", "", ""), "Reason is needed"),
        (close("2026-11-01", "2026-11-02", "x"), "have passed"),
        (close("someday", "", "x"), ""),
    ] {
        let reply = boss.post("/api/supply/exceptions", form).await;
        assert!(reply.status == 422 && reply.detail().contains(said), "{}", reply.body);
    }
    let report = boss.post("/api/supply/exceptions", close("2026-12-21", "", "course")).await.ok();
    let waits: Vec<&Value> =
        report["toRebook"].as_array().unwrap().iter().filter(|w| w["startsAt"] == free["startsAt"]).collect();
    assert_eq!((waits.len(), &waits[0]["name"]), (1, &json!("Ottoline Brandvold")), "told by name: {report}");
    assert!(slots(&desk, "2026-12-21", &who).await.is_empty(), "nobody is left in it");
    let plan = desk.post("/api/rebooking", json!([])).await.ok();
    let line = plan["lines"].as_array().unwrap().iter().find(|l| l["card"]["visit"]["id"] == waits[0]["visitId"]);
    assert!(line.is_some(), "who was booked is on the rebooking list");
    let view = boss.get("/api/supply").await;
    let made = view["exceptions"].as_array().unwrap().iter().find(|e| e["reason"] == "course").unwrap();
    boss.ask("delete", &format!("/api/supply/exceptions/{}", id(made)), None).await.ok();
    assert_eq!(slots(&desk, "2026-12-21", &who).await.len(), before.len());
    let again = desk.post("/api/rebooking", json!([])).await.ok();
    let line = again["lines"].as_array().unwrap().iter().find(|l| l["card"]["visit"]["id"] == waits[0]["visitId"]);
    assert_eq!(line.unwrap()["slot"]["startsAt"], free["startsAt"], "opened again, the plan gives them their own time");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn working_time_that_cannot_be_is_refused_with_its_sentence() {
    let product = Product::start().await.unwrap();
    let boss = Hand::sign_in(&product, "soren").await;
    let (who, kind, site) = ids(&boss, "Renneberg", "Long consultation").await;
    let form = |from: &str, to: &str, count: u32, minutes: i64| {
        json!({ "clinicianId": who, "siteId": site, "weekdays": [7], "everyWeeks": 1, "from": from, "to": to,
            "begins": "+1w", "runs": [{ "count": count, "minutes": minutes, "visitTypeId": kind }] })
    };
    let mut overlapping = form("9:00", "13:00", 1, 40);
    overlapping["weekdays"] = json!([1]);
    let mut strange = form("9:00", "12:00", 1, 40);
    strange["visitTypeId"] = json!("x");
    strange["everyWeeks"] = json!(9);
    for (wanted, said) in [
        (form("12:00", "9:00", 1, 40), "ends before it begins"),
        (form("9:00", "12:00", 0, 40), "A slot needs some length"),
        (form("9:00", "12:00", 1, 20), "A long consultation takes 40 minutes; its slot has 20."),
        (form("9:00", "12:00", 9, 40), "The slots need 360 minutes; the shift has 180."),
        (form("nine", "12:00", 1, 40), "Type a time such as 9:00"),
        (overlapping, "another shift at this time"),
        (strange, "every week, or every 2 to 8"),
    ] {
        let reply = boss.post("/api/supply/templates", wanted).await;
        assert!(reply.status == 422 && reply.detail().contains(said), "{said}: {}", reply.body);
    }
    // A Sunday morning that is good; the same time on one Sunday cannot be a one-off as well.
    boss.post("/api/supply/templates", form("9:00", "12:00", 4, 40)).await.ok();
    let one_off = json!({ "clinicianId": who, "siteId": site, "day": "2026-12-06", "from": "11:00", "to": "13:00",
        "runs": [{ "count": 2, "minutes": 40, "visitTypeId": kind }] });
    let reply = boss.post("/api/supply/shifts", one_off.clone()).await;
    assert!(reply.detail().contains("another shift at this time"), "{}", reply.body);
    let mut later = one_off;
    later["from"] = json!("14:00");
    later["to"] = json!("16:00");
    boss.post("/api/supply/shifts", later).await.ok();
    assert_eq!(slots(&boss, "2026-12-06", &who).await.len(), 6);
    // Ended again, its shifts go; the one-off stays.
    let template = template_of(&boss, &who, 7, 540).await;
    let end = json!({ "last": "2026-12-05", "version": template["version"] });
    boss.post(&format!("/api/supply/templates/{}/end", id(&template)), end).await.ok();
    assert_eq!(slots(&boss, "2026-12-06", &who).await.len(), 2);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_template_changes_while_many_book() {
    let product = Product::start().await.unwrap();
    let (boss, desk) = (Hand::sign_in(&product, "soren").await, Hand::sign_in(&product, "junia").await);
    let (who, kind, site) = ids(&boss, "Renneberg", "Consultation").await;
    let person = desk.person("Brandvold").await["id"].clone();
    let template = template_of(&boss, &who, 2, 480).await;
    let free: Vec<Value> =
        slots(&desk, "2026-12-15", &who).await.into_iter().filter(|s| s["heldFor"].is_null()).collect();
    let tasks: Vec<_> = free
        .iter()
        .map(|slot| {
            let (desk, body) = (
                desk.clone(),
                json!({ "personId": person, "slotId": slot["id"], "reason": "race", "meant": crate::meant() }),
            );
            tokio::spawn(async move { desk.post("/api/visits", body).await })
        })
        .collect();
    let form = json!({ "clinicianId": who, "siteId": site, "weekdays": [2], "everyWeeks": 1, "from": "8:00", "to": "12:00",
        "begins": "2026-12-01", "runs": [{ "count": 8, "minutes": 30, "visitTypeId": kind }], "version": template["version"] });
    boss.put(&format!("/api/supply/templates/{}", id(&template)), form).await.ok();
    for task in tasks {
        let reply = task.await.unwrap();
        assert!(matches!(reply.status, 200 | 409), "{} {}", reply.status, reply.body);
        if reply.status == 409 {
            assert_eq!(reply.body["type"], "urn:indigo-harbor:taken");
        }
    }
    // Whoever got a time has it in a slot of that very time, and nothing overlaps.
    let day = desk.get("/api/schedule?day=2026-12-15").await;
    let there = day["slots"].as_array().unwrap();
    for visit in day["visits"].as_array().unwrap().iter().map(|v| &v["visit"]).filter(|v| v["reason"] == "race") {
        let slot = there.iter().find(|s| s["id"] == visit["slotId"]).expect("its slot is there");
        assert_eq!(slot["startsAt"], visit["startsAt"]);
    }
    let again = boss.post("/api/supply/make", json!({})).await.ok();
    assert_eq!((&again["slotsMade"], &again["slotsRemoved"]), (&json!(0), &json!(0)), "{again}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_manager_makes_visit_types() {
    let product = Product::start().await.unwrap();
    let boss = Hand::sign_in(&product, "soren").await;
    let form = |name: &str, glyph: &str, minutes: i64| {
        json!({ "name": name, "glyph": glyph, "pattern": "solid", "ground": "tide", "minutes": minutes, "releaseDays": 2,
            "bookedBy": ["front_desk"], "online": true, "active": true, "services": [] })
    };
    let made = boss.post("/api/visit-types", form("Travel advice", "★", 30)).await.ok();
    assert_eq!((&made["releaseDays"], &made["bookedBy"]), (&json!(2), &json!(["front_desk"])));
    for (wanted, said) in [
        (form("travel ADVICE", "□", 30), "has this name"),
        (form("Other", "★", 30), "has this glyph"),
        (form("Other", "□", 7), "in steps of 5"),
    ] {
        let reply = boss.post("/api/visit-types", wanted).await;
        assert!(reply.status == 422 && reply.detail().contains(said), "{}", reply.body);
    }
    // A type that templates keep slots for grows no longer than those.
    let (_, kind, _) = ids(&boss, "Renneberg", "Consultation").await;
    let reply = boss.put(&format!("/api/visit-types/{}", kind.as_str().unwrap()), form("Consultation", "◆", 30)).await;
    assert!(reply.detail().contains("slots of 20 minutes"), "{}", reply.body);
    boss.put(&format!("/api/visit-types/{}", kind.as_str().unwrap()), form("Consultation", "◆", 15)).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_was_handed_over_outlives_the_absence_of_the_first_one() {
    let product = Product::start().await.unwrap();
    let (boss, desk) = (Hand::sign_in(&product, "soren").await, Hand::sign_in(&product, "junia").await);
    let (first, ..) = ids(&boss, "Renneberg", "Consultation").await;
    let (second, ..) = ids(&boss, "Valcourt", "Consultation").await;
    let day = desk.get("/api/schedule?day=2026-12-22").await;
    let shift = |who: &Value| {
        let all = day["shifts"].as_array().unwrap();
        id(all.iter().find(|s| s["clinicianId"] == *who).unwrap())
    };
    desk.post("/api/shifts/cancel", json!({ "shiftIds": [shift(&second)], "reason": "swap" })).await.ok();
    let over = json!({ "shiftIds": [shift(&first)], "clinicianId": second });
    desk.post("/api/shifts/hand-over", over).await.ok();
    let before = slots(&desk, "2026-12-22", &second).await.len();
    let away = json!({ "clinicianId": first, "from": "2026-12-22", "reason": "course" });
    let report = boss.post("/api/supply/exceptions", away).await.ok();
    let told = report["left"].as_array().unwrap();
    assert!(told.iter().any(|l| l["why"].as_str().unwrap().contains("handed over")), "{report}");
    assert_eq!(slots(&desk, "2026-12-22", &second).await.len(), before);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_a_booking_needs_is_a_setting() {
    let product = Product::start().await.unwrap();
    let (boss, desk) = (Hand::sign_in(&product, "soren").await, Hand::sign_in(&product, "junia").await);
    let form =
        |reasons: Value, days: i32| json!({ "cancelReasons": reasons, "reasonRequired": false, "supplyDays": days });
    for bad in [form(json!([" "]), 41), form(json!(["moved away"]), 3)] {
        assert_eq!(boss.put("/api/settings/booking", bad).await.status, 422);
    }
    assert_eq!(desk.put("/api/settings/booking", form(json!(["x"]), 41)).await.status, 403);
    boss.put("/api/settings/booking", form(json!(["moved away", "moved away", ""]), 48)).await.ok();
    assert_eq!(boss.get("/api/clinic").await["cancelReasons"], json!(["moved away"]));
    let person = desk.person("Brandvold").await["id"].clone();
    let slot = desk.open_slot().await;
    let visit = desk
        .post("/api/visits", json!({ "personId": person, "slotId": slot["id"], "meant": crate::meant() }))
        .await
        .ok();
    let cancel = |reason: &str| {
        let (desk, path) = (desk.clone(), format!("/api/visits/{}/cancel", id(&visit)));
        let body = json!({ "reason": reason });
        async move { desk.post(&path, body).await.status }
    };
    assert_eq!((cancel("patient ill").await, cancel("moved away").await), (422, 200));
    // Time is made as far ahead as was said.
    let far = desk.get("/api/schedule?day=2027-01-08").await;
    assert!(!far["slots"].as_array().unwrap().is_empty());
    // One more slot within a shift, by the clock of the clinic.
    let first = &far["slots"][0];
    desk.post(&format!("/api/slots/{}", id(first)), json!({ "what": "delete" })).await.ok();
    let add = |at: &str| json!({ "place": "at", "at": at, "minutes": 20, "visitTypeId": first["visitTypeId"] });
    let path = format!("/api/shifts/{}/slots", first["shiftId"].as_str().unwrap());
    assert_eq!(desk.post(&path, add("early")).await.body["fields"][0]["field"], "at");
    let added = desk.post(&path, add("8:00")).await.ok();
    assert_eq!(added["startsAt"], first["startsAt"]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_demo_loads_on_the_last_day_of_a_year_and_before_the_clock_changes() {
    use harbor_store::cluster::{create_database, drop_database};
    let product = Product::start().await.unwrap();
    // A Thursday before the holiday, the Friday before summer time, the one before winter time.
    for (n, day) in ["2026-12-31", "2027-03-12", "2026-10-30"].into_iter().enumerate() {
        let name = format!("odd_day_{n}_{}", std::process::id());
        create_database(&product.cluster, &name, None).await.unwrap();
        let url = product.cluster.url(&name);
        harbor_store::migrate(&url).await.unwrap();
        harbor_demo::load(&url, day.parse().unwrap()).await.unwrap_or_else(|e| panic!("{day}: {e:#}"));
        drop_database(&product.cluster, &name).await.unwrap();
    }
    product.stop().await.unwrap();
}
