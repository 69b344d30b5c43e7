//! A payer's decision on paper: kept, typed off, balanced while it is typed, and posted like one of a file.

use crate::money::sent_claim;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

const SCAN: &[u8] = b"%PDF-1.7\n% a letter of Saltmarsh\n%%EOF\n";

async fn kept(biller: &Hand) -> String {
    biller.upload("/api/letters", SCAN.to_vec()).await.ok().as_str().unwrap().to_owned()
}

async fn payer(hand: &Hand, code: &str) -> String {
    let clinic = hand.get("/api/clinic").await;
    clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == code).map(id).unwrap()
}

fn reason(group: &str, reason: &str, amount: &str) -> Value {
    json!({ "group": group, "reason": reason, "amount": amount })
}

/// Fee 195.00: 100.00 paid, 70.00 above the contract, 25.00 copay.
fn letter(payer: &str, claim: &str) -> Value {
    let reasons = [reason("CO", "45", "70"), reason("PR", "1", ""), reason("PR", "3", "25.00")];
    json!({
        "payerId": payer, "trace": "cheque 4411", "paidOn": "11/20/2026", "method": "CHK", "amount": "100",
        "claims": [{ "number": claim, "takesBack": false, "payerClaimNumber": "SM-1",
            "lines": [{ "number": 1, "paid": "100.00", "reasons": reasons }] }],
        "outside": []
    })
}

#[actix_web::test]
async fn a_letter_is_typed_off_beside_its_scan_and_posts_like_a_file() {
    let product = Product::start().await.unwrap();
    let (biller, visit, claim) = sent_claim(&product).await;
    let number = claim["number"].as_str().unwrap();
    let scan = kept(&biller).await;
    assert_eq!(kept(&biller).await, scan, "the same scan once more is the same letter");
    assert_eq!(biller.get("/api/letters").await[0]["documentId"], scan.as_str());
    assert!(biller.get("/api/today").await.to_string().contains("A payer's letter waits to be entered."));
    let (headers, bytes) = biller.file(&format!("/api/letters/{scan}/scan")).await;
    assert_eq!(bytes, SCAN);
    assert_eq!(
        (&headers["content-type"], &headers["x-frame-options"]),
        (&"application/pdf".parse().unwrap(), &"SAMEORIGIN".parse().unwrap())
    );
    let (headers, _) = biller.file(&format!("/api/files/{scan}")).await;
    assert_eq!(headers["x-frame-options"], "DENY", "nothing else stands in a frame");

    let saltmarsh = payer(&biller, "SALTM").await;
    let found = biller.get(&format!("/api/letters/claims?payerId={saltmarsh}&q=quar")).await;
    let ours = found.as_array().unwrap().iter().find(|c| c["number"] == number).unwrap();
    assert_eq!(ours["lines"][0]["chargedCents"], 19_500);

    // While it is typed: the copay is not there yet, and the cheque is of a few cents more.
    let path = |what: &str| format!("/api/letters/{scan}/{what}");
    let mut typed = letter(&saltmarsh, number);
    typed["claims"][0]["lines"][0]["reasons"][2]["amount"] = json!("");
    typed["amount"] = json!("100.30");
    let standing = biller.post(&path("check"), typed.clone()).await.ok();
    assert_eq!(standing["claims"][0]["lines"][0]["unexplainedCents"], 2_500);
    assert_eq!(standing["leftCents"], 30);
    let refused = biller.post(&path("post"), typed).await;
    assert!(
        refused.detail().contains("25.00 is unexplained") && refused.detail().contains("0.30 is unexplained"),
        "{}",
        refused.body
    );
    let whole = letter(&saltmarsh, number);
    let standing = biller.post(&path("check"), whole.clone()).await.ok();
    assert_eq!(
        (&standing["leftCents"], &standing["claims"][0]["lines"][0]["unexplainedCents"]),
        (&json!(0), &json!(0))
    );
    assert!(standing["claims"][0]["says"].to_string().contains("The copay."), "{standing}");
    assert_eq!(biller.get(&format!("/api/visits/{visit}/money")).await["decisions"], json!([]), "asking posts nothing");

    let posted = biller.post(&path("post"), whole.clone()).await.ok();
    assert_eq!((&posted["matched"], &posted["unmatched"]), (&json!(1), &json!(0)));
    let money = biller.get(&format!("/api/visits/{visit}/money")).await;
    let parts = money["river"]["parts"].as_array().unwrap().iter();
    let parts: Vec<(&str, i64)> = parts.map(|p| (p["part"].as_str().unwrap(), p["cents"].as_i64().unwrap())).collect();
    // The copay was taken at the desk.
    let expected = [("charged", 19_500), ("written_off", 7_000), ("paid_by_payer", 10_000), ("paid_by_patient", 2_500)];
    assert_eq!(parts, expected, "{money}");
    assert_eq!((&money["papers"][0]["documentId"], &money["papers"][0]["letter"]), (&json!(scan), &json!(true)));
    let listed = biller.get("/api/remittances?q=cheque").await;
    assert_eq!((&listed[0]["letter"], &listed[0]["remittance"]["method"]), (&json!(true), &json!("CHK")));
    assert_eq!(biller.get("/api/letters").await, json!([]), "its work is done");
    let again = biller.post(&path("post"), whole).await;
    assert!(again.detail().contains("was posted before"), "{}", again.body);

    // Taken back, typed as it was: the whole fee is open again.
    let mut back = letter(&saltmarsh, number);
    (back["trace"], back["amount"]) = (json!("letter of 11/21"), json!("-100"));
    back["claims"][0]["takesBack"] = json!(true);
    biller.post(&path("post"), back).await.ok();
    let river = biller.get(&format!("/api/visits/{visit}")).await["river"].clone();
    assert_eq!((&river["patientOwesCents"], &river["payerOwesCents"]), (&json!(-2_500), &json!(19_500)), "{river}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_a_letter_cannot_say_is_told_at_its_field_and_anothers_claim_waits() {
    let product = Product::start().await.unwrap();
    let (biller, visit, claim) = sent_claim(&product).await;
    let number = claim["number"].as_str().unwrap();
    let unreadable = biller.upload("/api/letters", b"PK\x03\x04 no letter".to_vec()).await;
    assert_eq!(unreadable.status, 422);
    let desk = Hand::sign_in(&product, "junia").await;
    assert_eq!(desk.upload("/api/letters", SCAN.to_vec()).await.status, 403);
    let scan = kept(&biller).await;
    let path = |what: &str| format!("/api/letters/{scan}/{what}");
    let saltmarsh = payer(&biller, "SALTM").await;
    let fields = |reply: crate::Reply| {
        assert_eq!(reply.status, 422, "{}", reply.body);
        let all = reply.body["fields"].as_array().unwrap();
        all.iter().map(|f| f["field"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    let mut wrong = letter(&saltmarsh, "C0");
    (wrong["trace"], wrong["paidOn"], wrong["method"]) = (json!(" "), json!("12/24/2026"), json!("GOLD"));
    wrong["claims"][0]["lines"][0]["paid"] = json!("ten");
    wrong["claims"][0]["lines"][0]["reasons"][0]["reason"] = json!("forty-five");
    wrong["outside"] = json!([{ "reason": "", "reference": "", "amount": "3" }]);
    let told = fields(biller.post(&path("post"), wrong).await);
    let expected = [
        "claims.0.number",
        "claims.0.lines.0.paid",
        "claims.0.lines.0.reasons.0.reason",
        "outside.0.reason",
        "paidOn",
        "trace",
        "method",
    ];
    assert_eq!(told, expected);
    let mut negative = letter(&saltmarsh, number);
    negative["claims"][0]["lines"][0]["paid"] = json!("-100");
    assert_eq!(fields(biller.post(&path("post"), negative).await), ["claims.0.lines.0.paid"]);
    let mut twice = letter(&saltmarsh, number);
    twice["claims"] = json!([twice["claims"][0], twice["claims"][0]]);
    assert_eq!(fields(biller.post(&path("post"), twice).await), ["claims.1.number"]);
    let mut empty = letter(&saltmarsh, number);
    empty["claims"] = json!([]);
    assert_eq!(fields(biller.post(&path("post"), empty).await), ["claims"]);
    let other = biller.get("/api/batches").await[0]["documentId"].as_str().unwrap().to_owned();
    let not_a_letter = biller.post(&format!("/api/letters/{other}/post"), letter(&saltmarsh, number)).await;
    assert_eq!(not_a_letter.status, 404);

    // The letter of another payer: the money is there, its claim is not this one.
    let beacon = payer(&biller, "BEACN").await;
    let posted = biller.post(&path("post"), letter(&beacon, number)).await.ok();
    assert_eq!((&posted["matched"], &posted["unmatched"]), (&json!(0), &json!(1)));
    let river = biller.get(&format!("/api/visits/{visit}")).await["river"].clone();
    assert_eq!(river["payerOwesCents"], 19_500, "{river}");
    product.stop().await.unwrap();
}
