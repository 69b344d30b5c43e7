//! Two hands at one moment: what is written stays true, whoever was first.

use crate::building::Visit;
use crate::guards::run;
use crate::{Hand, Reply, id, seen};
use futures_util::future::{join, join_all};
use harbor_demo::testing::Product;
use harbor_store::Store;
use harbor_store::consult::signing::broken_signatures;
use serde_json::{Value, json};
use uuid::Uuid;

async fn add(desk: &Hand, more: Value) -> String {
    let mut form = json!({ "notATwin": true });
    for (key, value) in more.as_object().unwrap() {
        form[key] = value.clone();
    }
    id(&desk.post("/api/people", form).await.ok())
}

#[actix_web::test]
async fn a_note_is_signed_as_it_was_seen_however_many_write_in_it() {
    let product = Product::start().await.unwrap();
    let store = Store::open(&product.database_url, 2).await.unwrap();
    assert_eq!(
        broken_signatures(&mut store.reader().await.unwrap()).await.unwrap(),
        Vec::<Uuid>::new(),
        "the demo's own"
    );
    let (doctor, colleague) = (Hand::sign_in(&product, "oriane").await, Hand::sign_in(&product, "tobias").await);
    let today = doctor.get("/api/schedule").await;
    let me = id(&doctor.get("/api/me").await["staff"]);
    let mine: Vec<String> = today["visits"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|v| v["visit"]["clinicianId"] == me && v["visit"]["signedAt"].is_null())
        .map(|v| id(&v["visit"]))
        .collect();
    let (mut signed, mut refused) = (0, 0);
    for visit in &mine {
        let path = format!("/api/visits/{visit}");
        let chart = doctor.get(&format!("{path}/chart")).await;
        let plan = chart["parts"].as_array().unwrap().iter().find(|p| p["part"] == "plan");
        let version = plan.map_or(json!(0), |p| p["version"].clone());
        doctor.put(&format!("{path}/note/plan"), json!({ "body": "Rest and drink.", "version": version })).await.ok();
        let chart = doctor.get(&format!("{path}/chart")).await;
        let parts = chart["parts"].as_array().unwrap();
        let saw: Vec<Value> = parts.iter().map(seen).collect();
        let next = parts.iter().find(|p| p["part"] == "plan").unwrap()["version"].clone();
        let other = json!({ "body": "Something else.", "version": next });
        let (sign, save) = join(
            doctor.post(&format!("{path}/sign"), json!({ "seen": saw })),
            colleague.put(&format!("{path}/note/plan"), other),
        )
        .await;
        assert!(sign.status != 500 && save.status != 500, "{} {}", sign.body, save.body);
        assert!(!(sign.status == 200 && save.status == 200), "both at once: the signer did not see what was saved");
        signed += usize::from(sign.status == 200);
        refused += usize::from(sign.status != 200);
    }
    assert!(signed + refused == mine.len() && mine.len() >= 3, "{signed} signed, {refused} refused");
    assert_eq!(broken_signatures(&mut store.reader().await.unwrap()).await.unwrap(), Vec::<Uuid>::new());
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_changes_beside_a_signed_note_is_told_in_an_addendum() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    let visit = visit.diagnosed(&["R05.3"]).await.noted("plan", "Lung function.").await.signed().await;
    let doctor = &visit.clinician;
    let stale = doctor.post(&visit.path("/sign"), json!({ "seen": [] })).await;
    assert!(stale.status == 409 || stale.status == 422, "{}", stale.body);
    doctor.put(&visit.path("/diagnoses"), json!({ "codes": ["J45.909"] })).await.ok();
    let line = json!({ "text": "bp 128/82", "keep": true });
    visit.assistant.post(&visit.path("/quick-line"), line).await.ok();
    let chart = doctor.get(&visit.path("/chart")).await;
    let told: Vec<&str> = chart["addenda"].as_array().unwrap().iter().map(|a| a["body"].as_str().unwrap()).collect();
    assert_eq!(told[0], "Diagnoses changed after signing: R05.3 became J45.909.");
    assert!(told[1].starts_with("Measured after signing:"), "{told:?}");
    // Even a wrong program cannot do it silently.
    for sql in [
        format!("update note_runs set code = 'I10' where visit_id = '{}'", visit.id),
        format!("update measurements set tenths = 1 where visit_id = '{}'", visit.id),
        format!("delete from note_runs where visit_id = '{}'", visit.id),
    ] {
        let said = run(&product.database_url, &sql).await.unwrap_err();
        assert!(said.contains("told in an addendum"), "{sql}: {said}");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn crosswise_merges_make_no_ring_and_lose_nobody() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    for round in 0..8 {
        let name = format!("Ringtail{}", char::from(b'a' + round));
        let a = add(&desk, json!({ "firstName": "Ama", "lastName": name })).await;
        let b = add(&desk, json!({ "firstName": "Amma", "lastName": name })).await;
        let c = add(&desk, json!({ "firstName": "Amaa", "lastName": name })).await;
        let merge = |kept: &str, gone: &str| {
            let (hand, path) = (desk.clone(), format!("/api/people/{kept}/merge"));
            let form = json!({ "goneId": gone, "choices": { "first_name": false } });
            async move { hand.post(&path, form).await }
        };
        let replies: Vec<Reply> = join_all([merge(&a, &b), merge(&b, &c), merge(&c, &a), merge(&b, &a)]).await;
        assert!(replies.iter().all(|r| r.status != 500), "{:?}", replies.iter().map(|r| &r.body).collect::<Vec<_>>());
        assert!(replies.iter().any(|r| r.status == 200), "one of them goes");
        let found = desk.get(&format!("/api/people?q={name}")).await;
        assert!(!found.as_array().unwrap().is_empty(), "somebody of {name} is found");
        assert!(found.as_array().unwrap().iter().all(|h| h["person"]["merged"] == false));
    }
    let ring = "update people set merged_into = (select id from people where merged_into is not null limit 1) where id = (select id from people where merged_into is null limit 1)";
    assert!(run(&product.database_url, ring).await.unwrap_err().contains("merged already"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_merge_carries_everything_and_parting_gives_it_back() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let mother = add(&desk, json!({ "firstName": "Signe", "lastName": "Wavecrest", "birthDate": "1/2/1970" })).await;
    let kept = add(&desk, json!({ "firstName": "Tove", "lastName": "Wavecrest", "phone": "207 555 0188" })).await;
    let gone = json!({ "firstName": "Tove", "lastName": "Skerry", "birthDate": "3/4/1991", "phone": "207 555 0199",
        "chartAlert": "latex", "formerName": "Lagoon", "emergencyName": "Signe", "emergencyPhone": "207 555 0101" });
    let gone = add(&desk, gone).await;
    desk.post(&format!("/api/people/{gone}/household"), json!({ "otherId": mother, "kind": "parent" })).await.ok();
    crate::restrict(&product, &gone).await;
    let before = desk.get(&format!("/api/people/{kept}")).await;
    let differ = desk.get(&format!("/api/people/{kept}/differences?other={gone}")).await;
    let codes: Vec<&str> = differ.as_array().unwrap().iter().map(|d| d["code"].as_str().unwrap()).collect();
    assert_eq!(codes, ["last_name", "phone"]);
    assert_eq!((&differ[1]["kept"], &differ[1]["gone"]), (&json!("(207) 555-0188"), &json!("(207) 555-0199")));
    let path = format!("/api/people/{kept}/merge");
    let asked = desk.post(&path, json!({ "goneId": gone })).await;
    assert_eq!(asked.detail(), "The records differ in: last name, mobile telephone. Choose which is right.");
    let choices = json!({ "last_name": false, "phone": true });
    let merge = desk.post(&path, json!({ "goneId": gone, "choices": choices, "unlike": true })).await.ok();
    let after = desk.get(&format!("/api/people/{kept}")).await;
    let p = &after["person"];
    assert_eq!(
        (&p["birthDate"], &p["phone"], &p["chartAlert"], &p["formerName"], &p["lastName"]),
        (&json!("1991-03-04"), &json!("2075550199"), &json!("latex"), &json!("Lagoon"), &json!("Wavecrest"))
    );
    assert_eq!(
        (&after["registration"]["restricted"], &after["registration"]["emergencyName"]),
        (&json!(true), &json!("Signe"))
    );
    assert_eq!(after["household"][0]["person"]["id"], json!(mother));
    // Found by everything that was known of either, always as the one that stays.
    for typed in ["skerry", "lagoon", "wavecrest", "tove 1991", "555 0199", "tove skerry 3/4/91"] {
        let found = desk.get(&format!("/api/people?q={}", typed.replace(' ', "%20").replace('/', "%2F"))).await;
        let ids: Vec<&Value> = found.as_array().unwrap().iter().map(|h| &h["person"]["id"]).collect();
        assert!(ids.contains(&&json!(kept)) && !ids.contains(&&json!(gone)), "{typed}: {found}");
    }
    assert_eq!(desk.get(&format!("/api/people/{gone}")).await["mergedInto"]["id"], json!(kept));
    desk.ask("delete", &format!("/api/merges/{}", id(&merge)), None).await.ok();
    let parted = desk.get(&format!("/api/people/{kept}")).await;
    for field in ["birthDate", "phone", "chartAlert", "formerName", "lastName", "firstName"] {
        assert_eq!(parted["person"][field], before["person"][field], "{field}");
    }
    assert_eq!((&parted["registration"]["restricted"], &parted["household"]), (&json!(false), &json!([])));
    let other = desk.get(&format!("/api/people/{gone}")).await;
    assert_eq!(
        (&other["household"][0]["person"]["id"], &other["registration"]["restricted"]),
        (&json!(mother), &json!(true))
    );
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn nobody_is_left_in_a_shift_that_falls_out_while_they_are_booked() {
    let product = Product::start().await.unwrap();
    let (desk, manager) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "soren").await);
    let people: Vec<String> =
        join_all((0..12).map(|n| {
            add(&desk, json!({ "firstName": "Kai", "lastName": format!("Sandbar{}", char::from(b'a' + n)) }))
        }))
        .await;
    let shifts = manager.get("/api/shifts?from=2026-11-30&to=2026-12-11").await;
    let shifts: Vec<&Value> = shifts.as_array().unwrap().iter().take(6).collect();
    assert!(shifts.len() >= 4, "{shifts:?}");
    for (n, shift) in shifts.iter().enumerate() {
        let from: String = shift["startsAt"].as_str().unwrap().chars().take(10).collect();
        let who = shift["clinicianId"].as_str().unwrap();
        let open = desk.get(&format!("/api/open-times?from={from}&clinicians={who}&count=40")).await;
        let slots: Vec<Value> =
            open.as_array().unwrap().iter().filter(|s| s["shiftId"] == shift["id"]).cloned().collect();
        let books = people.iter().zip(&slots).map(|(person, slot)| {
            let form = json!({ "personId": person, "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
            let desk = desk.clone();
            async move { desk.post("/api/visits", form).await }
        });
        let away = async {
            if n % 2 == 0 {
                manager.post("/api/shifts/cancel", json!({ "ids": [shift["id"]], "reason": "ill" })).await
            } else {
                let other = shifts.iter().find(|s| s["clinicianId"] != shift["clinicianId"]).unwrap();
                let form =
                    json!({ "ids": [shift["id"]], "clinicianId": other["clinicianId"], "to": other["clinicianId"] });
                manager.post("/api/shifts/hand-over", form).await
            }
        };
        let (replies, gone) = join(join_all(books), away).await;
        assert!(gone.status != 500, "{}", gone.body);
        assert!(replies.iter().all(|r| r.status != 500), "{:?}", replies.iter().map(|r| &r.body).collect::<Vec<_>>());
    }
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let left = "select count(*) from visits v join slots s on s.id = v.slot_id join shifts f on f.id = s.shift_id
        where v.stage = 'booked' and not v.rebook and (s.withdrawn or f.cancelled_at is not null or v.clinician_id <> s.clinician_id)";
    let count: i64 = client.query_one(left, &[]).await.unwrap().get(0);
    assert_eq!(count, 0, "nobody stands before a closed door");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn one_key_has_one_answer_and_another_payment_under_it_is_refused() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let clinic = desk.get("/api/clinic").await;
    let person = add(&desk, json!({ "firstName": "Una", "lastName": "Breakwater" })).await;
    let stranger = add(&desk, json!({ "firstName": "Una", "lastName": "Jetty" })).await;
    for method in ["cash", "card", "transfer"] {
        let key = Uuid::now_v7();
        let form = |person: &str, amount: &str, method: &str| {
            json!({ "personId": person, "siteId": clinic["sites"][1]["id"], "moreThanOwed": true, "key": key,
                "means": [{ "method": method, "amount": amount }] })
        };
        let replies = join_all((0..4).map(|_| desk.post("/api/payments", form(&person, "40", method)))).await;
        let numbers: Vec<Value> = replies.into_iter().map(|r| r.ok()["number"].clone()).collect();
        assert!(numbers.iter().all(|n| n == &numbers[0]), "{method}: {numbers:?}");
        let another = if method == "cash" { "transfer" } else { "cash" };
        for other in [form(&person, "41", method), form(&stranger, "40", method), form(&person, "40", another)] {
            let reply = desk.post("/api/payments", other).await;
            assert_eq!(reply.status, 422, "{}", reply.body);
        }
    }
    // Giving back: 120 are held.
    let key = Uuid::now_v7();
    let back = |amount: &str, method: &str| json!({ "siteId": clinic["sites"][1]["id"], "amount": amount, "method": method, "reason": "moved away", "key": key });
    let path = format!("/api/people/{person}/refunds");
    let replies = join_all((0..4).map(|_| biller.post(&path, back("30", "cash")))).await;
    let numbers: Vec<Value> = replies.into_iter().map(|r| r.ok()["number"].clone()).collect();
    assert!(numbers.iter().all(|n| n == &numbers[0]), "{numbers:?}");
    assert_eq!(biller.post(&path, back("31", "cash")).await.status, 422);
    assert_eq!(biller.post(&path, back("30", "transfer")).await.status, 422);
    assert_eq!(desk.get(&format!("/api/people/{person}/collect")).await["creditCents"], 9_000);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn one_person_is_registered_once_and_booked_once_at_a_time() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let form = json!({ "firstName": "Ivo", "lastName": "Groyne", "birthDate": "5/6/1977", "notATwin": true });
    let replies = join_all((0..4).map(|_| desk.post("/api/people", form.clone()))).await;
    let mut statuses: Vec<u16> = replies.iter().map(|r| r.status).collect();
    statuses.sort_unstable();
    assert_eq!(statuses, [200, 409, 409, 409]);
    let told = replies.iter().find(|r| r.status == 409).unwrap();
    assert_eq!(told.body["type"], "urn:indigo-harbor:likely-twin");
    assert_eq!(told.body["current"][0]["reasons"][0], "registered a moment ago by Junia Vance");
    let ivo = id(&desk.person("Groyne").await);
    let open = desk.get("/api/open-times?count=60").await;
    let open = open.as_array().unwrap();
    let (first, second) = open
        .iter()
        .find_map(|a| {
            open.iter().find(|b| b["startsAt"] == a["startsAt"] && b["clinicianId"] != a["clinicianId"]).map(|b| (a, b))
        })
        .expect("two clinicians are free at one time");
    let book = |slot: &Value, beside: bool| {
        let meant = if beside { crate::meant() } else { json!(["other_type", "same_day", "age"]) };
        let form = json!({ "personId": ivo, "slotId": slot["id"], "reason": "x", "meant": meant });
        let desk = desk.clone();
        async move { desk.post("/api/visits", form).await }
    };
    book(first, false).await.ok();
    let twice = book(second, false).await;
    assert_eq!((twice.status, twice.body["type"].as_str()), (422, Some("urn:indigo-harbor:ask-first")));
    assert_eq!(twice.body["current"][0]["doubt"], "twice_at_once");
    assert!(twice.detail().contains("They are booked at this time already"), "{}", twice.body);
    book(second, true).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn money_goes_where_it_came_from_and_a_till_is_counted() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let site = id(&desk.get("/api/clinic").await["sites"][1]);
    let person = add(&desk, json!({ "firstName": "Una", "lastName": "Breakwater" })).await;
    let pay = |amount: &str, method: &str, knowingly: bool| {
        let form = json!({ "personId": person, "siteId": site, "key": Uuid::now_v7(), "moreThanOwed": knowingly,
            "means": [{ "method": method, "amount": amount }] });
        let desk = desk.clone();
        async move { desk.post("/api/payments", form).await }
    };
    // A comma before the cents is no thousand; what is more than is owed is asked about.
    let asked = pay("25,00", "cash", false).await;
    assert_eq!((asked.status, asked.body["type"].as_str()), (409, Some("urn:indigo-harbor:more-than-owed")));
    assert!(asked.detail().starts_with("25.00 is 25.00 more than is owed"), "{}", asked.body);
    assert_eq!(pay("25,00", "cash", true).await.ok()["cents"], 2_500);
    let words = desk.get(&format!("/api/people/{person}/collect?amount=2,500")).await;
    assert_eq!(words["amountInWords"], "two thousand five hundred dollars");
    // Who paid cash gets nothing back on a card.
    let back = |amount: &str, method: &str| {
        let form =
            json!({ "siteId": site, "amount": amount, "method": method, "reason": "overpaid", "key": Uuid::now_v7() });
        let (biller, path) = (biller.clone(), format!("/api/people/{person}/refunds"));
        async move { biller.post(&path, form).await }
    };
    assert!(back("10", "card").await.detail().contains("Nothing of theirs was paid by card"));
    pay("20", "card", true).await.ok();
    assert!(back("21", "card").await.detail().contains("At most 20.00"));
    back("15", "card").await.ok();
    assert!(back("6", "card").await.detail().contains("At most 5.00"), "what went back is gone");
    // The till: blank is not zero, and a shortage is on the books.
    let path = format!("/api/sites/{site}/till/closing");
    let blank = desk.post(&path, json!({ "cash": "", "reason": "in a hurry" })).await;
    assert_eq!(blank.detail(), "Count the cash and write it down, also when it is nothing.");
    let half = desk.post(&path, json!({ "cash": "25", "reason": "in a hurry" })).await;
    assert_eq!(half.detail(), "Count the card and write it down, also when it is nothing.");
    let short = json!({ "cash": "20", "card": "5", "reason": "wrong change" });
    let till = desk.post(&path, short).await.ok();
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let rows = client
        .query(
            "select e.account, e.cents from ledger_entries e join ledger_transactions t on t.id = e.transaction_id where t.idempotency_key = $1 order by e.account",
            &[&format!("till:{}", id(&till))],
        )
        .await
        .unwrap();
    let posted: Vec<(String, i64)> = rows.iter().map(|r| (r.get(0), r.get(1))).collect();
    assert_eq!(posted, [("cash".to_owned(), -500), ("till_difference".to_owned(), 500)]);
    product.stop().await.unwrap();
}
