//! Charges that were completed are put right: on the books, in the claims, and at the payer.

use crate::building::Visit;
use crate::line::{send_claim, to_charges};
use crate::{Hand, id};
use harbor_demo::testing::Product;
use harbor_formats::x12;
use serde_json::{Value, json};

async fn lines(hand: &Hand, path: &str, of: Value) {
    hand.put(&format!("{path}/charges"), of).await.ok();
}

fn level(units: u32) -> Value {
    json!([{ "serviceCode": "VISIT4", "units": 1, "pointers": [1], "modifiers": ["25"] },
           { "serviceCode": "NEBUL", "units": units, "pointers": [1] }])
}

/// What is on the books of a visit: kind and amount of each entry on an account.
async fn booked(product: &Product, visit: &str, account: &str) -> Vec<(String, i64)> {
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let sql = "select t.kind, sum(e.cents)::bigint from ledger_transactions t join ledger_entries e on e.transaction_id = t.id
               where t.visit_id = $1::text::uuid and e.account = $2 group by t.id, t.kind order by t.id";
    let rows = client.query(sql, &[&visit, &account]).await.unwrap();
    rows.iter().map(|r| (r.get(0), r.get(1))).collect()
}

/// Number, state, frequency and what it takes the place of, for each claim of the visit of one of them.
async fn chain(biller: &Hand, claim: &str) -> Vec<(String, String, String, String)> {
    let detail = biller.get(&format!("/api/claims/{claim}")).await;
    let text = |v: &Value| v.as_str().unwrap_or("").to_owned();
    let of = |v: &Value| {
        (text(&v["claim"]["number"]), text(&v["claim"]["state"]), text(&v["claim"]["frequency"]), text(&v["replaces"]))
    };
    detail["versions"].as_array().unwrap().iter().map(of).collect()
}

#[actix_web::test]
async fn charges_put_right_are_reversed_charged_again_and_replaced_at_the_payer() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    let (biller, claim) = send_claim(&product, &walk).await;
    let first = claim["number"].as_str().unwrap().to_owned();
    let path = format!("/api/visits/{}", walk.visit);
    biller.until(&format!("/api/claims/{}", id(&claim)), |c| c["claim"]["claim"]["state"] == "paid").await;
    assert_eq!(biller.post(&format!("{path}/charges/again"), json!({ "reason": " " })).await.status, 422);

    biller.post(&format!("{path}/charges/again"), json!({ "reason": "The inhalation was left out." })).await.ok();
    let refused = biller.post(&format!("{path}/charges/again"), json!({ "reason": "Once more" })).await;
    assert_eq!(refused.status, 422, "it is open");
    let open = biller.get(&format!("{path}/charges")).await;
    assert_eq!((&open["completed"], &open["openAgain"]["begunBy"]), (&json!(false), &json!("Agathe Marlowe")));
    let kept = open["lines"][0]["line"]["id"].clone();
    assert_eq!(booked(&product, &walk.visit, "fees").await, [("charge".to_owned(), -19_500)], "nothing moved yet");

    let mut wanted = level(1);
    wanted[0]["id"] = kept.clone();
    lines(&biller, &path, wanted).await;
    biller.post(&format!("{path}/charges/complete"), json!({})).await.ok();
    let after = biller.get(&format!("{path}/charges")).await;
    assert_eq!((&after["completed"], &after["openAgain"]), (&json!(true), &Value::Null));
    assert_eq!(after["lines"][0]["line"]["id"], kept, "the line is the same one");
    assert_eq!(after["corrected"][0]["outcome"], "charged");
    assert_eq!(after["corrected"][0]["before"]["lines"].as_array().unwrap().len(), 1, "what stood before is kept");
    let fees = booked(&product, &walk.visit, "fees").await;
    let of = |kind: &str, cents: i64| (kind.to_owned(), cents);
    assert_eq!(fees, [of("charge", -19_500), of("uncharge", 19_500), of("charge", -23_700)]);

    // The replacement names the claim by the payer's number; once it is taken, the first is void.
    let made = chain(&biller, &id(&claim)).await;
    let second = made[1].0.clone();
    assert_eq!(made[1], (second.clone(), "ready".into(), "7".into(), first.clone()));
    let list = biller.get("/api/claims?state=ready").await;
    let row = list.as_array().unwrap().iter().find(|c| c["claim"]["number"] == second.as_str()).unwrap().clone();
    biller.post("/api/batches", json!({ "claimIds": [row["claim"]["id"]] })).await.ok();
    biller.until(&format!("/api/claims/{}", id(&row["claim"])), |c| c["claim"]["claim"]["state"] == "paid").await;
    let batch = biller.get("/api/batches").await[0].clone();
    let (_, file) = biller.file(&format!("/api/files/{}", batch["documentId"].as_str().unwrap())).await;
    let file = String::from_utf8(file).unwrap();
    assert!(file.contains(":B:7*") && file.contains(&format!("REF*F8*SALTM{first}~")), "{file}");
    let states: Vec<String> = chain(&biller, &id(&claim)).await.into_iter().map(|(_, state, ..)| state).collect();
    assert_eq!(states, ["void", "paid"]);

    // The payer took its first decision back and decided anew: it owes nothing, and paid for both.
    let river = biller.until(&path, |v| v["river"]["payerOwesCents"] == 0).await["river"].clone();
    let part =
        |name: &str| river["parts"].as_array().unwrap().iter().find(|p| p["part"] == name).unwrap()["cents"].clone();
    // Fee 237.00, allowed 65 % = 154.05; copay 25.00, then 20 % of the rest.
    assert_eq!((part("paid_by_payer"), part("written_off")), (json!(10_324), json!(8_295)), "{river}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn charges_opened_by_mistake_are_left_as_they_were_and_a_claim_does_not_go_out_meanwhile() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let path = format!("/api/visits/{}", walk.visit);
    let before = biller.get(&format!("{path}/charges")).await;
    assert_eq!(before["completed"], true);
    let ready = biller.get("/api/claims?state=ready").await;
    let claim = ready.as_array().unwrap().iter().find(|c| c["visit"]["id"] == walk.visit.as_str()).unwrap().clone();
    biller.post(&format!("{path}/charges/again"), json!({ "reason": "Wrong visit" })).await.ok();
    let held = biller.post("/api/batches", json!({ "claimIds": [claim["claim"]["id"]] })).await;
    assert!(held.status == 422 && held.detail().contains("open again"), "{}", held.detail());
    // Chosen with others, it is left out with its reason, and the others go.
    let ready = biller.get("/api/claims?state=ready").await;
    let other = ready.as_array().unwrap().iter().find(|c| c["claim"]["id"] != claim["claim"]["id"]).unwrap();
    let both = json!({ "claimIds": [claim["claim"]["id"], other["claim"]["id"]], "checkOnly": true });
    let checked = biller.post("/api/batches", both).await.ok();
    assert!(checked["leftOut"][0].as_str().unwrap().contains("open again"), "{checked}");
    assert_eq!(checked["leftOut"].as_array().unwrap().len(), 1);
    assert_eq!(checked["findings"], json!([]), "what goes is sound");
    lines(&biller, &path, level(2)).await;
    biller.post(&format!("{path}/charges/leave"), json!({})).await.ok();
    let after = biller.get(&format!("{path}/charges")).await;
    assert_eq!((&after["lines"], &after["completed"]), (&before["lines"], &json!(true)));
    assert_eq!(after["corrected"][0]["outcome"], "left");
    assert_eq!(biller.post(&format!("{path}/charges/leave"), json!({})).await.status, 422);
    assert_eq!(booked(&product, &walk.visit, "fees").await.len(), 1, "the books know nothing of it");
    biller.post("/api/batches", json!({ "claimIds": [claim["claim"]["id"]] })).await.ok();
    let desk = Hand::sign_in(&product, "junia").await;
    assert_eq!(desk.post(&format!("{path}/charges/again"), json!({ "reason": "x" })).await.status, 403);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn another_payer_gets_a_claim_of_its_own_and_the_first_one_is_voided_as_it_was_sent() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    let (biller, claim) = send_claim(&product, &walk).await;
    let first = claim["number"].as_str().unwrap().to_owned();
    let path = format!("/api/visits/{}", walk.visit);
    biller.until(&format!("/api/claims/{}", id(&claim)), |c| c["claim"]["claim"]["state"] == "paid").await;
    biller.post(&format!("{path}/charges/again"), json!({ "reason": "The patient pays for it herself." })).await.ok();
    let desk = Hand::sign_in(&product, "junia").await;
    desk.post(&format!("{path}/self-pay"), json!({})).await.ok();
    biller.post(&format!("{path}/charges/complete"), json!({})).await.ok();
    let made = chain(&biller, &id(&claim)).await;
    assert_eq!(made[1], (made[1].0.clone(), "ready".into(), "8".into(), first.clone()));
    assert_eq!(made.len(), 2, "nobody else is billed");
    let owed = booked(&product, &walk.visit, "patient").await;
    assert!(owed.contains(&("charge".to_owned(), 19_500)), "{owed:?}");
    let payer: i64 = booked(&product, &walk.visit, "payer").await.into_iter().map(|(_, cents)| cents).sum();
    assert!(payer < 0, "what the payer paid is to go back to it: {payer}");

    let ready = biller.get("/api/claims?state=ready").await;
    let void = ready.as_array().unwrap().iter().find(|c| c["claim"]["number"] == made[1].0.as_str()).unwrap().clone();
    biller.post("/api/batches", json!({ "claimIds": [void["claim"]["id"]] })).await.ok();
    let batch = biller.until("/api/batches", |b| b[0]["state"] == "accepted").await[0].clone();
    let (_, file) = biller.file(&format!("/api/files/{}", batch["documentId"].as_str().unwrap())).await;
    let text = String::from_utf8(file).unwrap();
    let document = x12::read(&text).unwrap();
    let sent = x12::claim::read(&document.interchanges[0].groups[0].sets[0]).unwrap().claims.remove(0);
    assert_eq!((sent.frequency.as_str(), sent.original_reference.clone()), ("8", Some(format!("SALTM{first}"))));
    assert_eq!((sent.total().get(), sent.lines.len()), (19_500, 1), "as it was sent, whatever stands there now");
    // The payer takes its decision back: it owes nothing and is owed nothing.
    biller.until(&path, |v| v["river"]["payerOwesCents"].as_i64().unwrap_or(0) == 0).await;
    let states: Vec<String> = chain(&biller, &id(&claim)).await.into_iter().map(|(_, state, ..)| state).collect();
    assert_eq!(states[0], "void");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn charges_that_are_taken_back_leave_nothing_on_the_books_and_can_be_made_anew() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["R05.3"]).await;
    let visit = visit.noted("plan", "Seen; back in four weeks.").await.charged().await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let path = visit.path("");
    assert_eq!(biller.post(&format!("{path}/charges/take-back"), json!({})).await.status, 422, "they are not open");
    biller.post(&format!("{path}/charges/again"), json!({ "reason": "Not this patient" })).await.ok();
    biller.post(&format!("{path}/charges/take-back"), json!({})).await.ok();
    let charges = biller.get(&format!("{path}/charges")).await;
    assert_eq!((&charges["completed"], &charges["lines"]), (&json!(false), &json!([])));
    let left: i64 = booked(&product, &visit.id, "fees").await.into_iter().map(|(_, cents)| cents).sum();
    assert_eq!(left, 0);
    lines(&biller, &path, json!([{ "serviceCode": "VISIT3", "units": 1, "pointers": [1] }])).await;
    biller.post(&format!("{path}/charges/complete"), json!({})).await.ok();
    let left: i64 = booked(&product, &visit.id, "fees").await.into_iter().map(|(_, cents)| cents).sum();
    assert_eq!(left, -14_000);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_line_has_another_price_only_with_its_reason_and_what_the_payer_allowed_is_told() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    let (biller, claim) = send_claim(&product, &walk).await;
    biller.until(&format!("/api/claims/{}", id(&claim)), |c| c["claim"]["claim"]["state"] == "paid").await;
    let path = format!("/api/visits/{}", walk.visit);
    let charges = biller.get(&format!("{path}/charges")).await;
    // 65 % of 195.00.
    assert_eq!(charges["lines"][0]["allowedCents"], json!(12_675), "{charges}");
    biller.post(&format!("{path}/charges/again"), json!({ "reason": "Agreed with the patient" })).await.ok();
    let line = |price: &str, why: &str| json!([{ "serviceCode": "VISIT4", "units": 1, "pointers": [1], "ownPrice": price, "ownPriceReason": why }]);
    for (price, why, field) in [("60", "", "ownPriceReason"), ("0", "x", "ownPrice"), ("much", "x", "ownPrice")] {
        let refused = biller.put(&format!("{path}/charges"), line(price, why)).await;
        assert!(
            refused.status == 422 && refused.body["fields"].to_string().contains(field),
            "{price}: {}",
            refused.body
        );
    }
    lines(&biller, &path, line("60.50", "Agreed on the telephone.")).await;
    let charges = biller.get(&format!("{path}/charges")).await;
    assert_eq!((&charges["lines"][0]["priceCents"], &charges["lines"][0]["schedule"]), (&json!(6_050), &Value::Null));
    biller.post(&format!("{path}/charges/complete"), json!({})).await.ok();
    assert!(booked(&product, &walk.visit, "fees").await.contains(&("charge".to_owned(), -6_050)));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_childs_debt_is_the_responsible_partys_and_a_plans_holder_owes_nothing() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    let (biller, claim) = send_claim(&product, &walk).await;
    biller.until(&format!("/api/claims/{}", id(&claim)), |c| c["claim"]["claim"]["state"] == "paid").await;
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let sql = "select e.account, e.payer_id is not null, e.guarantor_id = t.person_id
               from ledger_entries e join ledger_transactions t on t.id = e.transaction_id where t.visit_id = $1::text::uuid";
    for row in client.query(sql, &[&walk.visit]).await.unwrap() {
        let (account, payer, guarantor): (String, bool, Option<bool>) = (row.get(0), row.get(1), row.get(2));
        assert_eq!(payer, account == "payer", "{account}");
        assert_eq!(guarantor, (account == "patient").then_some(true), "{account}");
    }
    // Of a child the one who answers owes it, whoever holds the plan.
    let sql = "select count(*)::bigint, count(*) filter (where e.guarantor_id = p.responsible_id)::bigint
               from ledger_entries e join ledger_transactions t on t.id = e.transaction_id join people p on p.id = t.person_id
               where e.account = 'patient' and p.responsible_id is not null";
    let row = client.query_one(sql, &[]).await.unwrap();
    let (all, theirs): (i64, i64) = (row.get(0), row.get(1));
    assert_eq!(all, theirs);
    product.stop().await.unwrap();
}
