//! What patients are told, and what is printed: messages by consent, letters, the call list, lists, slips, calendars.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use harbor_standins::Mood;
use serde_json::{Value, json};

/// Cancels an afternoon in which so many new people are booked, each with these consents and this contact.
async fn fallen_out(desk: &Hand, people: &[(&str, Option<&str>, Value)]) -> Vec<String> {
    let day = desk.get("/api/schedule?day=2026-12-03").await;
    let visits = day["visits"].as_array().unwrap();
    let is_free = |s: &&Value| {
        let within = |v: &Value| {
            v["visit"]["startsAt"].as_str() < s["endsAt"].as_str()
                && v["visit"]["endsAt"].as_str() > s["startsAt"].as_str()
        };
        s["heldFor"].is_null() && !visits.iter().any(|v| v["visit"]["clinicianId"] == s["clinicianId"] && within(v))
    };
    let slots: Vec<&Value> = day["slots"].as_array().unwrap().iter().filter(is_free).collect();
    // The shift with the most room.
    let room = |shift: &Value| slots.iter().filter(|s| s["shiftId"] == *shift).count();
    let shift = slots.iter().map(|s| &s["shiftId"]).max_by_key(|shift| room(shift)).unwrap().clone();
    let mut free = slots.iter().filter(|s| s["shiftId"] == shift);
    let mut out = Vec::new();
    for (name, consent, contact) in people {
        let mut form = json!({ "firstName": "Runa", "lastName": format!("Ropewalk{name}"), "notATwin": true });
        form.as_object_mut().unwrap().extend(contact.as_object().unwrap().clone());
        let person = id(&desk.post("/api/people", form).await.ok());
        for kind in ["text", "email"] {
            let given = *consent == Some(kind);
            desk.post(&format!("/api/people/{person}/consents"), json!({ "kind": kind, "given": given })).await.ok();
        }
        loop {
            let slot = free.next().expect("room in the shift");
            let form = json!({ "personId": person, "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
            let reply = desk.post("/api/visits", form).await;
            if reply.status == 200 {
                out.push(id(&reply.body));
                break;
            }
        }
    }
    desk.post("/api/shifts/cancel", json!({ "shiftIds": [shift.as_str().unwrap()], "reason": "ill" })).await.ok();
    out
}

fn of<'a>(all: &'a Value, visit: &str) -> &'a Value {
    all.as_array().unwrap().iter().find(|m| m["message"]["visitId"] == visit).map_or(&Value::Null, |m| &m["message"])
}

#[actix_web::test]
async fn everybody_of_a_plan_is_told_as_they_agreed() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let address = json!({ "addressLine": "4 Rope Walk", "city": "Port Calder", "state": "ME", "postalCode": "04998" });
    let booked = fallen_out(
        &desk,
        &[
            ("text", Some("text"), json!({ "phone": "2075550111" })),
            ("lost", Some("text"), json!({ "phone": "2075550198" })),
            ("mail", Some("email"), json!({ "email": "bounce.me@example.org" })),
            ("post", None, address),
            ("call", None, json!({ "phone": "2075550112" })),
        ],
    )
    .await;
    let plan = desk.post("/api/rebooking", json!([])).await.ok();
    let ours: Vec<&Value> =
        plan["lines"].as_array().unwrap().iter().filter(|l| booked.contains(&id(&l["card"]["visit"]))).collect();
    let way = |visit: &str| ours.iter().find(|l| l["card"]["visit"]["id"] == visit).unwrap()["way"].clone();
    assert_eq!(booked.iter().map(|v| way(v)).collect::<Vec<_>>(), ["text", "text", "email", "letter", "call"]);
    let lines: Vec<Value> =
        ours.iter().map(|l| json!({ "visitId": l["card"]["visit"]["id"], "slotId": l["slot"]["id"] })).collect();
    // The other side is down: nothing is lost, and nothing holds the plan up.
    product.outside.lock().mood = Mood::Down;
    let told = desk.post("/api/rebooking/accept", json!({ "lines": lines, "tell": true })).await.ok();
    assert_eq!((&told["messages"], &told["letters"], &told["calls"]), (&json!(3), &json!(1), &json!(1)));
    product.outside.lock().mood = Mood::Usual;
    let state = |all: &Value, visit: &str| of(all, visit)["state"].as_str().unwrap_or("").to_owned();
    let all = desk
        .until("/api/messages", |m| {
            state(m, &booked[0]) == "delivered" && state(m, &booked[1]) == "failed" && state(m, &booked[2]) == "bounced"
        })
        .await;
    assert_eq!((state(&all, &booked[3]), state(&all, &booked[4])), ("waiting".into(), "waiting".into()));
    assert_eq!(of(&all, &booked[1])["fate"], "The number is not in service.");
    let body = of(&all, &booked[0])["body"].as_str().unwrap();
    assert!(body.contains("Your new time is") && !body.contains("reason"), "{body}");
    // The letter is printed, the call made; what failed is a call as well.
    let (headers, letters) = desk.file("/api/print/letters").await;
    assert!(headers["content-type"] == "application/pdf" && letters.starts_with(b"%PDF-"));
    let fate = |visit: &str, state: &str| {
        let (desk, path) = (desk.clone(), format!("/api/messages/{}/fate", id(of(&all, visit))));
        let body = json!({ "state": state });
        async move { desk.post(&path, body).await }
    };
    assert_eq!(fate(&booked[3], "delivered").await.status, 422, "only the other side says so");
    fate(&booked[3], "printed").await.ok();
    fate(&booked[4], "not_reached").await.ok();
    fate(&booked[4], "called").await.ok();
    fate(&booked[1], "called").await.ok();
    assert!(fate(&booked[0], "called").await.detail().contains("arrived already"));
    assert_eq!(desk.ask("get", "/api/print/letters", None).await.status, 422, "no letter is left");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn who_gets_no_time_is_told_so() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let booked = fallen_out(&desk, &[("text", Some("text"), json!({ "phone": "2075550111" }))]).await;
    assert_eq!(desk.post("/api/rebooking/tell", json!({ "visitIds": [] })).await.status, 422);
    let told = desk.post("/api/rebooking/tell", json!({ "visitIds": booked })).await.ok();
    assert_eq!(told["messages"], 1);
    let all = desk.until("/api/messages", |m| of(m, &booked[0])["state"] == "delivered").await;
    assert!(of(&all, &booked[0])["body"].as_str().unwrap().contains("cannot take place"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn lists_slips_and_calendars_come_out_whole() {
    let product = Product::start().await.unwrap();
    let (desk, clinician) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "oriane").await);
    for path in [
        "/api/print/day-lists?from=2026-11-23",
        "/api/print/day-lists?from=2026-11-23&to=2026-11-25&contact=true&after=9:00&before=12",
        "/api/print/calls",
    ] {
        let (headers, pdf) = desk.file(path).await;
        assert!(headers["content-type"] == "application/pdf" && pdf.starts_with(b"%PDF-"), "{path}");
    }
    let long = desk.ask("get", "/api/print/day-lists?from=2026-11-23&to=2027-11-23", None).await;
    assert!(long.detail().contains("1 to 31 days"), "{}", long.body);
    assert_eq!(desk.ask("get", "/api/print/day-lists?from=2026-11-23&after=noon", None).await.status, 422);
    let day = desk.get("/api/schedule?day=2026-11-24").await;
    let card = &day["visits"][0];
    let (_, slip) = desk.file(&format!("/api/people/{}/slip", id(&card["person"]))).await;
    assert!(slip.starts_with(b"%PDF-"));
    let (headers, ics) = desk.file(&format!("/api/visits/{}/calendar", id(&card["visit"]))).await;
    let ics = String::from_utf8(ics).unwrap();
    assert!(headers["content-type"].to_str().unwrap().starts_with("text/calendar"));
    let start = card["visit"]["startsAt"].as_str().unwrap().replace(['-', ':'], "");
    assert!(ics.contains(&format!("DTSTART:{start}")) && ics.contains("STATUS:CONFIRMED"), "{ics}");
    // The feed opens without a session, says no name, and ends when a new one is made.
    let address = clinician.post("/api/me/feed", json!({})).await.ok()["address"].as_str().unwrap().to_owned();
    assert!(address.len() > 40);
    let anybody = reqwest::Client::new();
    let read = |address: &str| {
        let request = anybody.get(format!("{}{address}", product.address()));
        async move {
            let answer = request.send().await.unwrap();
            (answer.status().as_u16(), answer.text().await.unwrap())
        }
    };
    let (status, feed) = read(&address).await;
    assert!(status == 200 && feed.matches("BEGIN:VEVENT").count() > 5, "{status} {feed}");
    let names = day["visits"].as_array().unwrap().iter().map(|v| v["person"]["name"].as_str().unwrap());
    for last in names.map(|n| n.split(',').next().unwrap()) {
        assert!(!feed.contains(last), "the feed names {last}");
    }
    let newer = clinician.post("/api/me/feed", json!({})).await.ok()["address"].as_str().unwrap().to_owned();
    assert_eq!((read(&address).await.0, read(&newer).await.0), (404, 200));
    clinician.ask("delete", "/api/me/feed", None).await.ok();
    assert_eq!((read(&newer).await.0, read("/feeds/guess").await.0), (404, 404));
    // Guessing is slow.
    let mut tried = 0;
    while read("/feeds/guess").await.0 == 404 {
        tried += 1;
        assert!(tried < 200, "nobody stops the guessing");
    }
    product.stop().await.unwrap();
}
