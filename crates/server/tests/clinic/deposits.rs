//! What came to the bank is matched to what payers paid; what differs is work.

use crate::money::{sent_claim, with};
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

async fn put_down(biller: &Hand, day: &str, amount: &str, reference: &str) -> Value {
    let form = json!({ "day": day, "amount": amount, "reference": reference });
    biller.post("/api/deposits", form).await.ok()
}

async fn bank(biller: &Hand) -> Value {
    biller.get("/api/deposits").await
}

/// What is open of the deposits of which the bank says this.
fn open(view: &Value, reference: &str) -> Vec<i64> {
    let all = view["unmatched"].as_array().unwrap().iter();
    let own = all.filter(|d| d["deposit"]["reference"].as_str().unwrap().contains(reference));
    own.map(|d| d["openCents"].as_i64().unwrap()).collect()
}

fn of<'v>(view: &'v Value, list: &str, reference: &str) -> &'v Value {
    let mut all = view[list].as_array().unwrap().iter();
    all.find(|d| d["deposit"]["reference"].as_str().unwrap().contains(reference)).unwrap_or_else(|| panic!("{view}"))
}

/// A payment of 100.00 under a number that is no other's.
async fn paid(biller: &Hand, claim: &Value, trace: &str) -> String {
    let file = with(claim["number"].as_str().unwrap(), trace, 10_000, |_| {});
    biller.upload("/api/remittances", file.into_bytes()).await.ok();
    let found = biller.get(&format!("/api/remittances?q={trace}")).await;
    id(&found[0]["remittance"])
}

#[actix_web::test]
async fn a_deposit_is_matched_by_its_number_and_amount_and_by_nothing_less() {
    let product = Product::start().await.unwrap();
    let (biller, _, claim) = sent_claim(&product).await;
    let payment = paid(&biller, &claim, "BANK-7711").await;
    let short = put_down(&biller, "11/20/2026", "99.00", "ACH SALTMARSH BANK7711").await;
    assert_eq!(short["matched"], false);
    let view = bank(&biller).await;
    let own = |view: &Value| {
        view["expected"].as_array().unwrap().iter().find(|e| e["remittance"]["id"] == payment.as_str()).cloned()
    };
    assert_eq!(own(&view).unwrap()["openCents"], 10_000);
    let likely = &of(&view, "unmatched", "BANK7711")["likely"][0];
    assert_eq!((&likely["remittanceId"], &likely["agrees"][0]), (&json!(payment), &json!("number")));
    let today = biller.get("/api/today").await.to_string();
    assert!(today.contains("in the bank is matched to no payment"), "{today}");

    // A person says that it is; the dollar that the bank kept is left on the payment until somebody says why.
    let path = |what: &str| format!("/api/deposits/{}/{what}", id(&short));
    biller.post(&path("match"), json!({ "remittanceIds": [payment] })).await.ok();
    let view = bank(&biller).await;
    assert_eq!(open(&view, "BANK7711"), [0; 0]);
    assert_eq!(own(&view).unwrap()["openCents"], 100);
    assert_eq!(of(&view, "matched", "BANK7711")["parts"][0]["trace"], "BANK-7711");
    let listed = biller.get("/api/remittances?q=BANK-7711").await;
    assert_eq!(listed[0]["cameOn"], json!(["2026-11-20"]));
    let again = biller.post(&path("match"), json!({ "remittanceIds": [payment] })).await;
    assert!(again.detail().contains("is left to match"), "{}", again.body);
    let unsaid = biller.post(&format!("/api/remittances/{payment}/explain"), json!({ "reason": " " })).await;
    assert_eq!(unsaid.body["fields"][0]["field"], "reason");
    biller.post(&format!("/api/remittances/{payment}/explain"), json!({ "reason": "Fee of the bank" })).await.ok();
    assert!(own(&bank(&biller).await).is_none());

    // Taken apart, it waits again; the right one is matched by itself.
    biller.post(&path("apart"), json!({})).await.ok();
    let view = bank(&biller).await;
    assert_eq!((open(&view, "BANK7711"), own(&view).unwrap()["openCents"].clone()), (vec![9_900], json!(9_900)));
    biller.post(&path("explain"), json!({ "reason": "Typed twice" })).await.ok();
    assert_eq!(put_down(&biller, "11/21/2026", "99", "SALTMARSH BANK-7711").await["matched"], true);
    let view = bank(&biller).await;
    assert_eq!((open(&view, "BANK7711"), open(&view, "BANK-7711")), (vec![], vec![]));
    assert!(own(&view).is_none());
    let said = of(&view, "matched", "BANK7711");
    assert!(said["said"].to_string().contains("Typed twice"), "{view}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_payment_comes_in_two_deposits_and_two_who_match_at_once_match_it_once() {
    let product = Product::start().await.unwrap();
    let (biller, _, claim) = sent_claim(&product).await;
    let payment = paid(&biller, &claim, "BANK-7722").await;
    let first = id(&put_down(&biller, "11/19/2026", "70.00", "SALTMARSH part").await);
    let second = id(&put_down(&biller, "11/20/2026", "70.00", "SALTMARSH rest").await);
    let other = Hand::sign_in(&product, "agathe").await;
    let body = json!({ "remittanceIds": [payment] });
    let (one, two) = (format!("/api/deposits/{first}/match"), format!("/api/deposits/{second}/match"));
    let (a, b) = tokio::join!(biller.post(&one, body.clone()), other.post(&two, body));
    a.ok();
    b.ok();
    let view = bank(&biller).await;
    let own = view["expected"].as_array().unwrap().iter().find(|e| e["remittance"]["id"] == payment.as_str());
    assert!(own.is_none(), "100.00 of the two has come: {view}");
    let left: i64 = open(&view, "SALTMARSH part").iter().chain(&open(&view, "SALTMARSH rest")).sum();
    assert_eq!(left, 4_000, "and what came beyond it is not lost");
    for (form, field) in [
        (json!({ "day": "12/24/2026", "amount": "5", "reference": "x" }), "day"),
        (json!({ "day": "11/20", "amount": "0", "reference": "x" }), "amount"),
        (json!({ "day": "11/20", "amount": "much", "reference": "x" }), "amount"),
        (json!({ "day": "11/20", "amount": "5", "reference": " " }), "reference"),
    ] {
        let refused = biller.post("/api/deposits", form).await;
        assert_eq!(refused.body["fields"][0]["field"], field, "{}", refused.body);
    }
    // An id that is nobody's.
    let nobody = "00000000-0000-7000-8000-000000000009";
    for (path, body) in [
        (format!("/api/deposits/{nobody}/match"), json!({ "remittanceIds": [payment] })),
        (format!("/api/deposits/{first}/match"), json!({ "remittanceIds": [nobody] })),
        (format!("/api/deposits/{nobody}/apart"), json!({})),
        (format!("/api/deposits/{nobody}/explain"), json!({ "reason": "x" })),
        (format!("/api/remittances/{nobody}/explain"), json!({ "reason": "x" })),
    ] {
        assert_eq!(biller.post(&path, body).await.status, 404, "{path}");
    }
    let desk = Hand::sign_in(&product, "junia").await;
    assert_eq!(desk.send("/api/deposits", "application/json", vec![]).await.status, 403);
    product.stop().await.unwrap();
}
