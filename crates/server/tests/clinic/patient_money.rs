//! What patients owe: receivables, what is taken off, statements, plans, calls, and months that are closed.

use crate::money::{adjusted, line, sent_claim, with};
use crate::{Hand, id, payment};
use harbor_core::money::Cents;
use harbor_core::money::remittance::AdjustmentGroup::{Contractual, PatientResponsibility};
use harbor_demo::testing::{Product, day};
use serde_json::{Value, json};
use tokio_postgres::NoTls;
use uuid::Uuid;

/// A visit over 195.00 of which the payer leaves `copay` and `other` to the patient, who paid 25.00 at the desk.
async fn owing(product: &Product, copay: i64, other: i64) -> (Hand, String, String) {
    let (biller, visit, claim) = sent_claim(product).await;
    let paid = Cents::new(15_000 - copay - other);
    let file = with(claim["number"].as_str().unwrap(), "T-OWE", paid.get(), |r| {
        (r.claims[0].paid, r.claims[0].patient_share) = (paid, Cents::new(copay + other));
        line(r).paid = paid;
        line(r).adjustments = vec![
            adjusted(Contractual, "45", 4_500),
            adjusted(PatientResponsibility, "3", copay),
            adjusted(PatientResponsibility, "2", other),
        ];
    });
    biller.upload("/api/remittances", file.into_bytes()).await.ok();
    let seen = biller.get(&format!("/api/visits/{visit}/reductions")).await;
    assert_eq!(seen["owedCents"], copay + other - 2_500, "{seen}");
    let person = id(&seen["guarantor"]);
    (biller, visit, person)
}

async fn database(product: &Product) -> tokio_postgres::Client {
    let (client, connection) = tokio_postgres::connect(&product.database_url, NoTls).await.unwrap();
    tokio::spawn(connection);
    client
}

async fn owed(hand: &Hand, visit: &str) -> i64 {
    hand.get(&format!("/api/visits/{visit}/reductions")).await["owedCents"].as_i64().unwrap()
}

fn off(kind: &str, amount: &str) -> Value {
    json!({ "key": Uuid::now_v7(), "kind": kind, "amount": amount, "reason": "agreed at the desk" })
}

/// What is open by the report is what the ledger says, whichever way it is summed up.
async fn receivables_equal_the_ledger(product: &Product, biller: &Hand) {
    let client = database(product).await;
    for (by, accounts) in [
        ("payer", "('payer')"),
        ("guarantor", "('patient')"),
        ("clinician", "('payer', 'patient')"),
        ("site", "('payer', 'patient')"),
    ] {
        let sum = format!("select sum(cents)::bigint from ledger_entries where account in {accounts}");
        let ledger: i64 = client.query_one(&sum, &[]).await.unwrap().get(0);
        for from in ["service", "owed", "last_entry"] {
            let report = biller.get(&format!("/api/receivables?by={by}&from={from}")).await;
            assert_eq!(report["total"]["cents"], ledger, "{by} {from}: {report}");
            let rows = report["rows"].as_array().unwrap();
            let all: i64 = rows.iter().map(|r| r["cents"].as_i64().unwrap()).sum();
            assert_eq!(all, ledger, "{by} {from}");
            // Every figure opens into the visits that it is made of.
            for row in rows {
                let whose = row["id"].as_str().map(|id| format!("&id={id}")).unwrap_or_default();
                for (age, cents) in row["agesCents"].as_array().unwrap().iter().enumerate() {
                    let path = format!("/api/receivables/visits?by={by}&from={from}{whose}&age={age}");
                    let behind = biller.get(&path).await;
                    let sum: i64 = behind.as_array().unwrap().iter().map(|d| d["cents"].as_i64().unwrap()).sum();
                    assert_eq!(json!(sum), *cents, "{path}: {behind}");
                }
            }
        }
    }
}

#[actix_web::test]
async fn what_is_taken_off_touches_only_the_patients_part_and_is_owed_again_when_taken_back() {
    let product = Product::start().await.unwrap();
    let (biller, visit, person) = owing(&product, 4_000, 4_500).await;
    let path = format!("/api/visits/{visit}/reductions");
    let seen = biller.get(&path).await;
    let way =
        |seen: &Value, kind: &str| seen["ways"].as_array().unwrap().iter().find(|w| w["kind"] == kind).unwrap().clone();
    assert_eq!(way(&seen, "discount")["mostCents"], 4_500, "what is left of the copay is not taken off by routine");
    for (kind, why) in [
        ("hardship", "No hardship is documented"),
        ("small_balance", "above the 3.00"),
        ("bad_debt", "0 of 3 statements were sent."),
    ] {
        assert!(way(&seen, kind)["notOpen"].as_str().unwrap().contains(why), "{kind}: {seen}");
        assert_eq!(biller.post(&path, off(kind, "10")).await.status, 422, "{kind}");
    }
    let copay = biller.post(&path, off("discount", "100%")).await;
    assert!(copay.detail().contains("15.00 of it is copay"), "{}", copay.detail());
    let form = off("discount", "50%");
    biller.post(&path, form.clone()).await.ok();
    biller.post(&path, form).await.ok();
    assert_eq!(owed(&biller, &visit).await, 3_000, "once, whatever is sent again");
    let river = biller.get(&format!("/api/visits/{visit}")).await["river"].clone();
    assert!(river.to_string().contains("takes 30.00 off"), "{river}");
    receivables_equal_the_ledger(&product, &biller).await;

    let seen = biller.get(&path).await;
    let made = id(&seen["reductions"][0]["reduction"]);
    let back = json!({ "what": "take_back", "reason": "wrong visit" });
    biller.post(&format!("/api/reductions/{made}"), back.clone()).await.ok();
    assert_eq!(owed(&biller, &visit).await, 6_000);
    assert_eq!(biller.post(&format!("/api/reductions/{made}"), back).await.status, 422, "taken back once");

    let hardship = json!({ "percent": 50, "from": day().to_string(), "to": "+1y", "shown": "Two payslips." });
    biller.post(&format!("/api/people/{person}/hardships"), hardship).await.ok();
    let over = biller.post(&path, off("hardship", "30.01")).await;
    assert!(over.detail().contains("at most 30.00"), "{}", over.detail());
    biller.post(&path, off("hardship", "30")).await.ok();
    assert_eq!(biller.post(&path, off("hardship", "1")).await.status, 422, "not again and again");
    let empty = json!({ "percent": "", "from": "", "to": "", "shown": "" });
    let bare = biller.post(&format!("/api/people/{person}/hardships"), empty).await;
    assert_eq!(bare.status, 422);
    for field in ["percent", "from", "to", "shown"] {
        assert!(bare.body["fields"].to_string().contains(field), "{}", bare.body);
    }
    let shown = biller.get(&format!("/api/people/{person}/statements")).await["hardships"][0].clone();
    let end = format!("/api/people/{person}/hardships/{}", id(&shown));
    biller.ask("delete", &end, None).await.ok();
    assert_eq!(biller.ask("delete", &end, None).await.status, 404, "it has ended");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn above_the_limit_a_second_person_agrees_to_a_discount() {
    let product = Product::start().await.unwrap();
    let (biller, visit, _) = owing(&product, 0, 15_000).await;
    let path = format!("/api/visits/{visit}/reductions");
    let wanted = biller.post(&path, off("discount", "100")).await.ok();
    assert_eq!((&wanted["state"], owed(&biller, &visit).await), (&json!("wanted"), 12_500), "nothing is posted yet");
    let work = format!("/api/reductions/{}", id(&wanted));
    let own = biller.post(&work, json!({ "what": "agree" })).await;
    assert!(own.detail().contains("Somebody else must agree"), "{}", own.detail());
    let manager = Hand::sign_in(&product, "soren").await;
    let agree = async |hand: &Hand| hand.get("/api/today").await["waiting"].to_string().contains("discount of 100.00");
    assert!(agree(&manager).await && !agree(&biller).await, "told to the others who may agree");
    manager.post(&work, json!({ "what": "agree" })).await.ok();
    assert!(!agree(&manager).await);
    assert_eq!(owed(&biller, &visit).await, 2_500);
    assert_eq!(manager.post(&work, json!({ "what": "refuse" })).await.status, 422, "it is made");
    let second = biller.post(&path, off("discount", "20")).await.ok();
    assert_eq!(second["state"], "made", "within the limit");
    let desk = Hand::sign_in(&product, "junia").await;
    assert_eq!(desk.post(&path, off("discount", "1")).await.status, 403, "the desk takes nothing off");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_statement_says_why_each_cent_is_left_and_goes_once_a_cycle() {
    let product = Product::start().await.unwrap();
    let (biller, visit, person) = owing(&product, 2_500, 6_000).await;
    let due = biller.get("/api/statements/due").await;
    let mine = due["due"].as_array().unwrap().iter().find(|d| d["guarantorId"] == person.as_str());
    let mine = mine.unwrap_or_else(|| panic!("{due}"));
    assert_eq!((&mine["cents"], &mine["way"]), (&json!(6_000), &json!("letter")), "{mine}");
    let run = json!({ "id": Uuid::now_v7() });
    biller.post("/api/statements/runs", run.clone()).await.ok();
    // Setting them takes a while where nothing is optimised.
    for part in [20, 40] {
        biller.until("/api/statements/runs", |runs| runs[0]["made"].as_i64() >= Some(part)).await;
    }
    let ended = |runs: &Value| !runs[0]["endedAt"].is_null();
    let runs = biller.until("/api/statements/runs", ended).await;
    assert_eq!(runs[0]["made"], due["count"], "{runs}");
    assert_eq!(biller.post("/api/statements/runs", run).await.ok()["id"], runs[0]["id"], "the same run begins once");
    let after = biller.get("/api/statements/due").await;
    assert_eq!(after["count"], 0, "{after}");
    let held = after["notNow"].as_array().unwrap().iter().find(|d| d["guarantorId"] == person.as_str()).unwrap();
    assert!(held["notNow"].as_str().unwrap().starts_with("the last was sent on"), "{held}");
    let (head, letters) = biller.file(&format!("/api/statements/runs/{}/letters", id(&runs[0]))).await;
    assert_eq!(head["content-type"], "application/pdf");
    assert!(letters.starts_with(b"%PDF-"));

    let own = biller.get(&format!("/api/people/{person}/statements")).await;
    let sent = &own["sent"][0];
    assert_eq!((&sent["cents"], &sent["visits"][0]), (&json!(6_000), &json!(visit)), "{own}");
    let (head, _) = biller.file(&format!("/api/statements/{}/paper", id(sent))).await;
    assert_eq!(head["content-type"], "application/pdf");
    let said: String = database(&product)
        .await
        .query_one("select facts::text from statements where guarantor_id = $1::text::uuid", &[&person])
        .await
        .unwrap()
        .get(0);
    for words in [
        "Charged",
        "195.00",
        "Saltmarsh Mutual Health Plan paid",
        "-65.00",
        "Given up by contract",
        "-45.00",
        "The copay.",
        "Paid by you",
        "-25.00",
        "Left to pay",
    ] {
        assert!(said.contains(words), "{words}: {said}");
    }
    // Asked for, it does not wait for its turn; and wishes hold.
    let path = format!("/api/people/{person}/statements");
    let wish = json!({ "heldBecause": "disputes it", "largeType": true, "byEmail": true, "otherAddress": "" });
    biller.put(&path, wish).await.ok();
    let again = biller.post(&path, json!({})).await.ok();
    assert_eq!(again[0]["way"], "letter", "e-mail was wished but never agreed to");
    biller.post(&format!("/api/people/{person}/consents"), json!({ "kind": "email", "given": true })).await;
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_nobody_else_may_learn_stands_on_no_other_statement() {
    let product = Product::start().await.unwrap();
    let (biller, visit, person) = owing(&product, 0, 15_000).await;
    let client = database(&product).await;
    // The debt is a parent's: the first entry says so, as it does for a child.
    let parent = id(&biller.person("Achterberg").await);
    client.execute("update open_debts set guarantor_id = $1::text::uuid where visit_id = $2::text::uuid and account = 'patient'", &[&parent, &visit]).await.unwrap();
    let path = format!("/api/people/{parent}/statements");
    let told =
        |seen: &Value| seen["drafts"].to_string().contains(&person) || seen["drafts"][0]["visits"].as_i64().is_some();
    let before = biller.get(&path).await;
    assert!(told(&before) && before["keptApart"].as_array().unwrap().is_empty(), "{before}");
    let desk = Hand::sign_in(&product, "junia").await;
    // Nor is it read out at the desk to another of the household who pays.
    let tie = json!({ "otherId": person, "kind": "sibling" });
    desk.post(&format!("/api/people/{parent}/household"), tie).await.ok();
    let dues = async |who: &str| desk.get(&format!("/api/people/{who}/collect")).await.to_string().contains(&visit);
    assert!(dues(&parent).await && dues(&person).await);
    desk.put(&format!("/api/visits/{visit}/confidential"), json!({ "confidential": true })).await.ok();
    assert!(!dues(&parent).await && dues(&person).await);
    assert_eq!(desk.get(&format!("/api/visits/{visit}/reductions")).await["confidential"], true);
    let apart = biller.get(&path).await;
    assert_eq!(apart["keptApart"][0]["visitId"], visit.as_str(), "{apart}");
    assert!(apart["drafts"].as_array().unwrap().is_empty(), "{apart}");
    // With an address of their own, the patient is written to there, and nobody else is.
    let wish = json!({ "heldBecause": "", "largeType": false, "byEmail": false, "otherAddress": "c/o The Lantern School\nPort Calder, ME 04998" });
    biller.put(&format!("/api/people/{person}/statements"), wish).await.ok();
    let own = biller.get(&path).await;
    assert_eq!(own["drafts"][0]["to"]["id"], person.as_str(), "{own}");
    let made = biller.post(&path, json!({})).await.ok();
    assert_eq!(made.as_array().unwrap().len(), 1, "{made}");
    let facts: String = client.query_one("select facts::text from statements", &[]).await.unwrap().get(0);
    assert!(facts.contains("c/o The Lantern School"), "{facts}");
    desk.put(&format!("/api/visits/{visit}/confidential"), json!({ "confidential": false })).await.ok();
    crate::restrict(&product, &person).await;
    biller
        .put(
            &format!("/api/people/{parent}/statements"),
            json!({ "heldBecause": "", "largeType": false, "byEmail": false, "otherAddress": "" }),
        )
        .await
        .ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_plan_is_kept_or_missed_and_a_promise_is_remembered() {
    let product = Product::start().await.unwrap();
    let (biller, visit, person) = owing(&product, 0, 15_000).await;
    let path = format!("/api/people/{person}/plan");
    let bare = biller.post(&path, json!({ "instalment": "", "every": "moon", "firstOn": "" })).await;
    assert_eq!(bare.status, 422);
    assert!(bare.body["fields"].as_array().unwrap().len() >= 3, "{}", bare.body);
    let plan = json!({ "instalment": "50", "every": "month", "firstOn": day().to_string() });
    biller.post(&path, plan.clone()).await.ok();
    assert_eq!(biller.post(&path, plan).await.status, 422, "one at a time");
    let own = biller.get(&format!("/api/people/{person}/statements")).await;
    assert_eq!((&own["plan"]["totalCents"], &own["plan"]["missed"]), (&json!(12_500), &json!(0)), "{own}");
    assert_eq!(own["plan"]["nextCents"], 5_000);
    let desk = Hand::sign_in(&product, "junia").await;
    let clinic = desk.get("/api/clinic").await;
    desk.post("/api/payments", payment(&clinic, &person, "50", "card", Uuid::now_v7())).await.ok();
    let own = biller.get(&format!("/api/people/{person}/statements")).await;
    assert_eq!(own["plan"]["paidCents"], 5_000, "{own}");
    // Two months later nothing more has come.
    let client = database(&product).await;
    client.execute("update payment_plans set first_on = first_on - 70", &[]).await.unwrap();
    let missed = biller.get("/api/calls").await;
    let call = missed["calls"].as_array().unwrap().iter().find(|c| c["person"]["id"] == person.as_str());
    assert!(call.unwrap_or_else(|| panic!("{missed}"))["why"].as_str().unwrap().contains("missed"), "{missed}");
    biller.post(&format!("{path}/end"), json!({ "reason": "asked for another" })).await.ok();

    client
        .execute("update open_debts set since = since - interval '40 days' where visit_id = $1::text::uuid", &[&visit])
        .await
        .unwrap();
    let listed = async || {
        let list = biller.get("/api/calls").await;
        let calls = list["calls"].as_array().unwrap().clone();
        calls.into_iter().find(|c| c["person"]["id"] == person.as_str())
    };
    assert!(listed().await.unwrap()["why"].as_str().unwrap().contains("40 days old"));
    let calls = format!("/api/people/{person}/calls");
    let half = json!({ "sentence": "Will pay.", "promised": "30", "promisedOn": "", "againOn": "" });
    assert_eq!(biller.post(&calls, half).await.status, 422, "a promise has its day");
    let promise = json!({ "sentence": "Will pay.", "promised": "30", "promisedOn": "+3d", "againOn": "" });
    biller.post(&calls, promise).await.ok();
    assert!(listed().await.is_none(), "left alone until then");
    client
        .execute("update call_notes set promised_on = promised_on - 10, at = at - interval '12 days'", &[])
        .await
        .unwrap();
    assert!(listed().await.unwrap()["why"].as_str().unwrap().contains("nothing came"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_closed_month_takes_no_entries_and_what_comes_late_lands_in_the_open_one() {
    let product = Product::start().await.unwrap();
    let (biller, ..) = owing(&product, 0, 15_000).await;
    let manager = Hand::sign_in(&product, "soren").await;
    let turn = async || {
        let months = manager.get("/api/months").await;
        let turn = months.as_array().unwrap().iter().find(|m| m["mayBeClosed"] == true).cloned();
        (months, turn)
    };
    let this = day().to_string()[..8].to_owned() + "01";
    let (months, first) = turn().await;
    let Some(first) = first else { panic!("no month is over: {months}") };
    assert_eq!(biller.post("/api/months", json!({ "month": first["month"] })).await.status, 403, "the manager closes");
    // The figures of any days, whichever way they stand together, are the months'.
    let whole = months.as_array().unwrap();
    let sum = |field: &str| whole.iter().map(|m| m["figures"][field].as_i64().unwrap()).sum::<i64>();
    for by in ["day", "clinician", "payer", "site"] {
        let figures = biller.get(&format!("/api/figures?by={by}&from=1/1/2015&to=12/31/2026")).await;
        for field in ["charged", "fromPayers", "fromPatients", "writtenOff", "owedMore", "forNoVisit"] {
            assert_eq!(figures["total"][field], sum(field), "{by} {field}");
        }
    }
    let (head, file) = biller.file("/api/figures/file?by=payer&from=1/1/2015&to=12/31/2026").await;
    assert_eq!(head["content-type"], "text/csv; charset=utf-8");
    let file = String::from_utf8(file).unwrap();
    assert!(file.lines().last().unwrap().starts_with("Together,"), "{file}");
    let wrong = biller.ask("get", "/api/figures?by=moon&from=soon&to=", None).await;
    assert_eq!((wrong.status, wrong.body["fields"].as_array().unwrap().len()), (422, 3), "{}", wrong.body);
    let early = manager.post("/api/months", json!({ "month": this })).await;
    assert!(early.detail().contains("not over"), "{}", early.detail());
    let mut last = String::new();
    while let (_, Some(month)) = turn().await {
        let closed = manager.post("/api/months", json!({ "month": month["month"] })).await.ok();
        assert_eq!(closed["sums"], month["figures"], "as it stood");
        last = month["month"].as_str().unwrap().to_owned();
    }
    let client = database(&product).await;
    let insert = "insert into ledger_transactions (id, kind, idempotency_key, posted_at, posted_by, memo)
        values (gen_random_uuid(), 'charge', 'late', $1::text::date + interval '12 hours', 'nobody', '')";
    let refused = client.execute(insert, &[&last]).await.unwrap_err();
    assert!(refused.as_db_error().unwrap().message().contains("is closed"), "{refused}");
    let record: String =
        client.query_one("select record_number from people where last_name = 'Quarrie'", &[]).await.unwrap().get(0);
    let (year, month) = (&last[..4], &last[5..7]);
    let file = format!("record number,amount,since\n{record},40.00,{month}/15/{year}\n");
    let came = manager.send("/api/import/balances?dry_run=false", "text/csv", file.into_bytes()).await;
    assert_eq!(came.status, 200, "{}", came.body);
    let landed: i64 = client
        .query_one(
            "select count(*) from ledger_transactions where kind = 'carried_over' and posted_at >= $1::text::date",
            &[&this],
        )
        .await
        .unwrap()
        .get(0);
    assert_eq!(landed, 1, "{}", came.body);
    product.stop().await.unwrap();
}
