//! A clinician is away: the rebooking list, the plan, and taking it.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

/// Tomorrow's morning shift of Dr. Renneberg, with so many people booked in it.
async fn full_shift(desk: &Hand, people: usize) -> (String, Vec<String>) {
    let clinic = desk.get("/api/clinic").await;
    let staff = clinic["staff"].as_array().unwrap();
    let who = staff.iter().find(|s| s["lastName"] == "Renneberg").unwrap()["id"].clone();
    let day = desk.get("/api/schedule?day=2026-11-24").await;
    let shifts = day["shifts"].as_array().unwrap();
    let shift = id(shifts.iter().find(|s| s["clinicianId"] == who).unwrap());
    let mut booked = Vec::new();
    for visit in day["visits"].as_array().unwrap().iter().map(|v| &v["visit"]) {
        let within = shifts.iter().find(|s| s["id"] == shift.as_str()).unwrap();
        if visit["clinicianId"] == who
            && visit["startsAt"].as_str() < within["endsAt"].as_str()
            && visit["stage"] == "booked"
        {
            booked.push(id(visit));
        }
    }
    for (n, slot) in day["slots"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|s| s["shiftId"] == shift.as_str() && s["heldFor"].is_null())
        .enumerate()
    {
        if booked.len() >= people {
            break;
        }
        let form = json!({ "firstName": "Runa", "lastName": format!("Ropewalk{}", ["a", "b", "c", "d", "e", "f", "g", "h", "i", "j", "k", "l"][n]), "notATwin": true });
        let person = desk.post("/api/people", form).await.ok();
        let reply = desk
            .post(
                "/api/visits",
                json!({ "personId": person["id"], "slotId": slot["id"], "reason": "x", "meant": crate::meant() }),
            )
            .await;
        if reply.status == 200 {
            booked.push(id(&reply.body));
        }
    }
    (shift, booked)
}

fn placed(plan: &Value) -> Vec<Value> {
    let lines = plan["lines"].as_array().unwrap().iter().filter(|l| l["slot"].is_object());
    lines.map(|l| json!({ "visitId": l["card"]["visit"]["id"], "slotId": l["slot"]["id"] })).collect()
}

#[actix_web::test]
async fn a_cancelled_shift_is_planned_anew_changed_and_taken_whole() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (shift, booked) = full_shift(&desk, 6).await;
    assert_eq!(desk.post("/api/shifts/cancel", json!({ "shiftIds": [shift], "reason": "" })).await.status, 422);
    let cancelled = desk.post("/api/shifts/cancel", json!({ "shiftIds": [shift], "reason": "ill" })).await.ok();
    assert_eq!(cancelled["visits"], booked.len());
    assert!(
        desk.post("/api/shifts/cancel", json!({ "shiftIds": [shift], "reason": "ill" }))
            .await
            .detail()
            .contains("already")
    );
    let plan = desk.post("/api/rebooking", json!([])).await.ok();
    let lines = plan["lines"].as_array().unwrap();
    assert!(lines.len() >= booked.len() && plan["unplaced"] == 0, "{plan}");
    for line in lines {
        let (old, new) = (&line["card"]["visit"], &line["slot"]);
        assert_eq!(new["visitTypeId"], old["visitTypeId"]);
        assert_ne!(new["shiftId"], shift.as_str());
        assert!(new["startsAt"].as_str().unwrap() > "2026-11-24T13", "nobody is told in less than a day: {new}");
        assert!(!line["reasons"].as_array().unwrap().is_empty());
    }
    // One line is put elsewhere by hand, one is taken out; the rest is planned around them.
    let (first, second) = (&lines[0], &lines[1]);
    let wanted = first["others"][2]["id"].clone();
    let pins = json!([
        { "visitId": first["card"]["visit"]["id"], "slotId": wanted },
        { "visitId": second["card"]["visit"]["id"], "slotId": null },
    ]);
    let changed = desk.post("/api/rebooking", pins).await.ok();
    assert_eq!((&changed["lines"][0]["slot"]["id"], &changed["lines"][1]["slot"]), (&wanted, &Value::Null));
    assert_eq!((&changed["lines"][0]["pinned"], &changed["unplaced"]), (&json!(true), &json!(1)));
    let take = placed(&changed);
    desk.post("/api/rebooking/accept", json!({ "lines": take })).await.ok();
    let visit =
        desk.get(&format!("/api/visits/{}", take[0]["visitId"].as_str().unwrap())).await["card"]["visit"].clone();
    assert_eq!((&visit["slotId"], &visit["rebook"]), (&wanted, &json!(false)));
    let left = desk.post("/api/rebooking", json!([])).await.ok();
    assert_eq!(left["lines"].as_array().unwrap().len(), 1, "who got no time stays on the list");
    let again = desk.post("/api/rebooking/accept", json!({ "lines": take })).await;
    assert!(again.detail().contains("has a new time already"), "{}", again.detail());
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_time_taken_meanwhile_changes_nothing_for_anybody() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (shift, booked) = full_shift(&desk, 4).await;
    desk.post("/api/shifts/cancel", json!({ "shiftIds": [shift], "reason": "ill" })).await.ok();
    let take = placed(&desk.post("/api/rebooking", json!([])).await.ok());
    let person = desk.person("Ferreira").await["id"].clone();
    let slot = take.last().unwrap()["slotId"].clone();
    desk.post(
        "/api/visits",
        json!({ "personId": person, "slotId": slot, "reason": "faster", "meant": crate::meant() }),
    )
    .await
    .ok();
    let refused = desk.post("/api/rebooking/accept", json!({ "lines": take })).await;
    assert_eq!((refused.status, refused.body["type"].as_str()), (409, Some("urn:indigo-harbor:taken")));
    for visit in booked {
        assert_eq!(desk.get(&format!("/api/visits/{visit}")).await["card"]["visit"]["rebook"], true);
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_shift_is_handed_to_whoever_is_free_then() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (shift, booked) = full_shift(&desk, 3).await;
    let clinic = desk.get("/api/clinic").await;
    let of =
        |last: &str| clinic["staff"].as_array().unwrap().iter().find(|s| s["lastName"] == last).unwrap()["id"].clone();
    let over = |to: &str| json!({ "shiftIds": [shift], "clinicianId": of(to) });
    let free = desk.get(&format!("/api/shifts/free?shiftIds={shift}")).await;
    assert!(!free.as_array().unwrap().contains(&of("Valcourt")), "who works then is not free");
    let busy = desk.post("/api/shifts/hand-over", over("Valcourt")).await;
    assert!(busy.detail().contains("works elsewhere"), "{}", busy.detail());
    // Dr. Valcourt's own morning falls out; then she can take the other one.
    let day = desk.get("/api/schedule?day=2026-11-24").await;
    let own = day["shifts"].as_array().unwrap().iter().find(|s| s["clinicianId"] == of("Valcourt")).unwrap();
    desk.post("/api/shifts/cancel", json!({ "shiftIds": [id(own)], "reason": "swap" })).await.ok();
    let free = desk.get(&format!("/api/shifts/free?shiftIds={shift}")).await;
    assert!(free.as_array().unwrap().contains(&of("Valcourt")) && !free.as_array().unwrap().contains(&of("Renneberg")));
    let mut told = over("Valcourt");
    told["tell"] = json!(true);
    let taken = desk.post("/api/shifts/hand-over", told).await.ok();
    assert_eq!(taken["visits"], booked.len());
    let said = ["messages", "letters", "calls"].iter().map(|way| taken["told"][way].as_u64().unwrap()).sum::<u64>();
    assert_eq!(said, booked.len() as u64, "each is told whom they will see, or listed for a call: {taken}");
    let words = desk.get("/api/messages").await.to_string();
    assert!(words.contains("you will see Dr. Oriane Valcourt at"), "{words}");
    let visit = desk.get(&format!("/api/visits/{}", booked[0])).await["card"]["visit"].clone();
    assert_eq!(visit["clinicianId"], of("Valcourt"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_plan_and_a_series_keep_to_the_release_rule() {
    let product = Product::start().await.unwrap();
    let (desk, boss) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "soren").await);
    let (shift, booked) = full_shift(&desk, 6).await;
    let clinic = desk.get("/api/clinic").await;
    let kind = clinic["visitTypes"].as_array().unwrap().iter().find(|t| t["name"] == "Consultation").unwrap().clone();
    let mut form = kind.clone();
    form["releaseDays"] = json!(2);
    boss.put(&format!("/api/visit-types/{}", id(&kind)), form).await.ok();
    desk.post("/api/shifts/cancel", json!({ "shiftIds": [shift], "reason": "ill" })).await.ok();
    let plan = desk.post("/api/rebooking", json!([])).await.ok();
    let ours = plan["lines"].as_array().unwrap().iter().filter(|l| booked.contains(&id(&l["card"]["visit"])));
    let mut proposed = 0;
    for slot in ours.flat_map(|l| l["others"].as_array().unwrap().iter().chain([&l["slot"]])) {
        if slot["visitTypeId"] == kind["id"] {
            assert!(slot["startsAt"].as_str().unwrap() < "2026-11-26T04", "opens later: {slot}");
            proposed += 1;
        }
    }
    assert!(proposed > 0, "what is open already is proposed: {plan}");
    let take = placed(&plan);
    desk.post("/api/rebooking/accept", json!({ "lines": take })).await.ok();
    // A series of such visits has only its first days open for booking.
    let open = desk.get(&format!("/api/open-times?visitTypeId={}", id(&kind))).await;
    assert!(open.as_array().unwrap().iter().all(|s| s["startsAt"].as_str().unwrap() < "2026-11-26T04"), "{open}");
    let asked = json!({ "slotId": open[0]["id"], "every": 1, "unit": "weeks", "count": 3 });
    let series = desk.post("/api/series/plan", asked).await.ok();
    assert!(series[0]["slot"].is_object() && series[1]["slot"].is_null(), "{series}");
    product.stop().await.unwrap();
}

/// The shifts of a clinician on some days, each with how many are booked in it.
async fn shifts_of(desk: &Hand, last: &str, from: &str, to: &str) -> Vec<Value> {
    let clinic = desk.get("/api/clinic").await;
    let who = id(clinic["staff"].as_array().unwrap().iter().find(|s| s["lastName"] == last).unwrap());
    let path = format!("/api/shifts?from={from}&to={to}&clinicianId={who}");
    desk.get(&path).await.as_array().unwrap().clone()
}

#[actix_web::test]
async fn a_week_away_is_cancelled_whole_or_not_at_all() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let week = shifts_of(&desk, "Renneberg", "2026-11-23", "2026-11-27").await;
    let booked = |all: &[Value]| all.iter().map(|s| s["visits"].as_u64().unwrap()).sum::<u64>();
    assert!(week.len() > 6 && booked(&week) > 8, "{week:?}");
    // Today's morning has begun with somebody, so nothing of the week falls out.
    let ids = |all: &[Value]| all.iter().map(id).collect::<Vec<_>>();
    let refused = desk.post("/api/shifts/cancel", json!({ "shiftIds": ids(&week), "reason": "ill" })).await;
    assert!(
        refused.detail().contains("the shift of Mon Nov 23 at 08:00 are here or were seen"),
        "{}",
        refused.detail()
    );
    assert_eq!(shifts_of(&desk, "Renneberg", "2026-11-23", "2026-11-27").await, week);
    let rest: Vec<Value> = week.iter().filter(|s| s["startsAt"].as_str().unwrap() > "2026-11-24").cloned().collect();
    // Named twice, it is one.
    let twice = [ids(&rest), ids(&rest)].concat();
    let gone = desk.post("/api/shifts/cancel", json!({ "shiftIds": twice, "reason": "ill" })).await.ok();
    assert_eq!(gone["visits"], booked(&rest));
    assert_eq!(shifts_of(&desk, "Renneberg", "2026-11-24", "2026-11-27").await, Vec::<Value>::new());
    let plan = desk.post("/api/rebooking", json!([])).await.ok();
    assert!(plan["lines"].as_array().unwrap().len() as u64 >= booked(&rest));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn several_shifts_are_handed_over_together_when_all_can_be() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let clinic = desk.get("/api/clinic").await;
    let of = |last: &str| id(clinic["staff"].as_array().unwrap().iter().find(|s| s["lastName"] == last).unwrap());
    let two = shifts_of(&desk, "Renneberg", "2026-11-25", "2026-11-25").await;
    let other = shifts_of(&desk, "Valcourt", "2026-11-25", "2026-11-25").await;
    assert_eq!((two.len(), other.len()), (2, 2));
    // She is free in the morning only.
    desk.post("/api/shifts/cancel", json!({ "shiftIds": [id(&other[0])], "reason": "swap" })).await.ok();
    let over = |ids: Vec<String>, to: &str| json!({ "shiftIds": ids, "clinicianId": of(to) });
    let refused = desk.post("/api/shifts/hand-over", over(two.iter().map(id).collect(), "Valcourt")).await;
    assert!(refused.detail().contains("works elsewhere"), "{}", refused.detail());
    assert_eq!(shifts_of(&desk, "Renneberg", "2026-11-25", "2026-11-25").await, two, "the morning stayed as well");
    desk.post("/api/shifts/cancel", json!({ "shiftIds": [id(&other[1])], "reason": "swap" })).await.ok();
    let taken = desk.post("/api/shifts/hand-over", over(two.iter().map(id).collect(), "Valcourt")).await.ok();
    assert_eq!(taken["visits"].as_u64(), Some(two.iter().map(|s| s["visits"].as_u64().unwrap()).sum()));
    let hers = shifts_of(&desk, "Valcourt", "2026-11-25", "2026-11-25").await;
    assert_eq!(hers.iter().map(id).collect::<Vec<_>>(), two.iter().map(id).collect::<Vec<_>>());
    for (body, field) in
        [(over(vec![], "Valcourt"), "shiftIds"), (over(vec![id(&two[0]); 201], "Valcourt"), "shiftIds")]
    {
        let reply = desk.post("/api/shifts/hand-over", body).await;
        assert_eq!((reply.status, &reply.body["fields"][0]["field"]), (422, &json!(field)));
    }
    let biller = Hand::sign_in(&product, "agathe").await;
    assert_eq!(biller.post("/api/shifts/hand-over", over(vec![id(&two[0])], "Renneberg")).await.status, 403);
    for query in ["from=2026-11-25&to=2026-11-24", "from=2026-11-25&to=2027-06-01"] {
        assert_eq!(desk.ask("get", &format!("/api/shifts?{query}"), None).await.status, 422, "{query}");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn two_who_cancel_the_same_shifts_at_once_get_one_answer_each() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let shifts = shifts_of(&desk, "Corrigan", "2026-12-07", "2026-12-11").await;
    let mut ids: Vec<String> = shifts.iter().map(id).collect();
    let tasks: Vec<_> = (0..6)
        .map(|n| {
            ids.rotate_left(n);
            let (desk, body) = (desk.clone(), json!({ "shiftIds": ids, "reason": "ill" }));
            tokio::spawn(async move { desk.post("/api/shifts/cancel", body).await })
        })
        .collect();
    let mut done = 0;
    for task in tasks {
        let reply = task.await.unwrap();
        match reply.status {
            200 => done += 1,
            422 => assert!(reply.detail().contains("cancelled already"), "{}", reply.detail()),
            other => panic!("{other} {}", reply.body),
        }
    }
    assert_eq!(done, 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_slot_that_is_no_more_is_still_told_among_the_changes_of_its_day() {
    let product = Product::start().await.unwrap();
    let (boss, desk) = (Hand::sign_in(&product, "soren").await, Hand::sign_in(&product, "junia").await);
    let slot = desk.get("/api/open-times?from=2026-12-08").await[0].clone();
    let day = desk.get("/api/schedule/changes?day=2026-12-08").await;
    let of = |all: &Value| {
        let events = all.as_array().unwrap().iter().filter(|e| e["slotId"] == slot["id"]);
        events.map(|e| e["what"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(of(&day), Vec::<String>::new(), "that the template made it is no change");
    let path = format!("/api/slots/{}", id(&slot));
    boss.post(&path, json!({ "what": "hold", "heldFor": "fire drill" })).await.ok();
    boss.post(&path, json!({ "what": "delete" })).await.ok();
    let day = desk.get("/api/schedule/changes?day=2026-12-08").await;
    assert_eq!(of(&day), ["deleted", "held"], "the latest first");
    let held = day.as_array().unwrap().iter().find(|e| e["what"] == "held" && e["slotId"] == slot["id"]).unwrap();
    assert_eq!((&held["detail"], &held["by"]), (&json!("fire drill"), &json!("Soren Whitlock")));
    assert_eq!(of(&desk.get("/api/schedule/changes?day=2026-12-09").await), Vec::<String>::new());
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_cancelled_shift_takes_place_after_all_for_whoever_has_no_new_time_yet() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (shift, booked) = full_shift(&desk, 4).await;
    let day = "/api/schedule?day=2026-11-24";
    let slots = async || {
        let day = desk.get(day).await;
        day["slots"].as_array().unwrap().iter().filter(|s| s["shiftId"] == shift.as_str()).count()
    };
    let open = slots().await;
    let restore = async || desk.post("/api/shifts/restore", json!({ "shiftIds": [shift] })).await;
    assert!(restore().await.detail().contains("takes place already"));
    desk.post("/api/shifts/cancel", json!({ "shiftIds": [shift], "reason": "ill" })).await.ok();
    assert_eq!(slots().await, 0);
    // One is given another time before.
    let plan = desk.post("/api/rebooking", json!([])).await.ok();
    let line = placed(&plan).into_iter().find(|l| booked.iter().any(|b| l["visitId"] == b.as_str())).unwrap();
    desk.post("/api/rebooking/accept", json!({ "lines": [line], "tell": false })).await.ok();
    let cancelled = async || {
        let all = desk.get("/api/shifts?from=2026-11-24&cancelled=true").await;
        all.as_array().unwrap().iter().find(|s| s["id"] == shift.as_str()).cloned()
    };
    let listed = cancelled().await.unwrap();
    assert_eq!((&listed["cancelReason"], &listed["visits"]), (&json!("ill"), &json!(booked.len() - 1)));
    assert_eq!(restore().await.ok()["visits"], booked.len() - 1);
    assert_eq!((slots().await, cancelled().await), (open, None));
    for visit in &booked {
        let now = desk.get(&format!("/api/visits/{visit}")).await["card"]["visit"].clone();
        let moved = line["visitId"] == visit.as_str();
        assert_eq!((&now["rebook"], now["slotId"] == line["slotId"]), (&json!(false), moved), "{now}");
    }
    assert_eq!(desk.post("/api/shifts/restore", json!({ "shiftIds": [] })).await.status, 422);
    product.stop().await.unwrap();
}
