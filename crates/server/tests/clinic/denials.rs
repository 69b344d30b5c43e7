//! Denial work, the next payer, and matching by hand: from the decision to money again, or to what is given up.

use crate::line::to_charges;
use crate::money::{adjusted, line, sent_claim, with};
use crate::{Hand, id};
use harbor_core::money::Cents;
use harbor_core::money::remittance::AdjustmentGroup::{Contractual, Other, PatientResponsibility, PayerInitiated};
use harbor_core::money::remittance::{Adjustment, Remittance};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

/// The claim is decided with these adjustments in place of all others.
fn decided(number: &str, trace: &str, status: &str, why: Vec<Adjustment>) -> Vec<u8> {
    let adjusted: Cents = why.iter().map(|a| a.amount).sum();
    let paid = Cents::new(19_500) - adjusted;
    let change = |r: &mut Remittance| {
        r.claims[0].status = status.into();
        let share = why.iter().filter(|a| a.group == PatientResponsibility).map(|a| a.amount).sum();
        (r.claims[0].paid, r.claims[0].patient_share) = (paid, share);
        line(r).paid = paid;
        line(r).adjustments = why;
        r.claims[0].remarks = vec!["MA01".into()];
        line(r).remarks = vec!["N115".into()];
    };
    with(number, trace, paid.get(), change).into_bytes()
}

async fn denial_of(biller: &Hand, claim: &Value) -> Value {
    let list = biller.get("/api/denials").await;
    let own = list.as_array().unwrap().iter().find(|d| d["claim"] == claim["number"]);
    own.unwrap_or_else(|| panic!("{list}")).clone()
}

async fn river(hand: &Hand, visit: &str) -> Value {
    hand.get(&format!("/api/visits/{visit}")).await["river"].clone()
}

fn part(river: &Value, name: &str) -> i64 {
    let parts = river["parts"].as_array().unwrap();
    parts.iter().find(|p| p["part"] == name).map_or(0, |p| p["cents"].as_i64().unwrap())
}

#[actix_web::test]
async fn a_denial_is_work_with_a_deadline_until_it_is_paid_after_all() {
    let product = Product::start().await.unwrap();
    let (biller, visit, claim) = sent_claim(&product).await;
    let number = claim["number"].as_str().unwrap();
    let file = decided(number, "T-50", "4", vec![adjusted(Contractual, "50", 19_500)]);
    biller.upload("/api/remittances", file).await.ok();
    let denial = denial_of(&biller, &claim).await;
    assert_eq!((&denial["remedy"], &denial["denial"]["state"]), (&json!("appeal"), &json!("open")), "{denial}");
    assert_eq!(denial["reasons"][0]["code"], "CO 50");
    // 60 days for an appeal, 90 for a correction, from the day of the decision.
    assert_eq!(denial["denial"]["dueOn"], denial["denial"]["appealBy"]);
    assert!(denial["denial"]["correctBy"].as_str() > denial["denial"]["appealBy"].as_str(), "{denial}");
    let path = format!("/api/denials/{}", id(&denial["denial"]));
    let remarks = biller.get(&path).await["remarks"].clone();
    assert!(remarks[0].as_str().unwrap().starts_with("MA01: Who disagrees"), "{remarks}");
    assert!(remarks[1].as_str().unwrap().starts_with("N115: Decided by the region's rule"), "{remarks}");
    let listed = biller.get("/api/remittances?q=T-50").await[0]["claims"][0].clone();
    assert_eq!((&listed["remarks"], &listed["claimNumber"]), (&remarks, &claim["number"]));
    biller.post(&path, json!({ "what": "own" })).await.ok();
    let mine = biller.get("/api/denials?mine=true").await;
    assert_eq!(mine.as_array().unwrap().len(), 1, "{mine}");
    let bare = biller.post(&path, json!({ "what": "appeal", "words": " ", "lookAgain": "yesterday" })).await;
    assert_eq!(bare.status, 422);
    assert!(bare.body.to_string().contains("lookAgain") && bare.body.to_string().contains("words"), "{}", bare.body);
    let words = "The record of the visit shows why it was needed.";
    biller.post(&path, json!({ "what": "note", "sentence": "Nobody answers.", "lookAgain": "+20w" })).await.ok();
    let noted = biller.get(&path).await["view"]["denial"].clone();
    assert_eq!(noted["dueOn"], noted["appealBy"], "a day that was set hides no deadline");
    biller.post(&path, json!({ "what": "appeal", "words": words, "lookAgain": "+3w" })).await.ok();
    let detail = biller.get(&path).await;
    assert_eq!(detail["view"]["denial"]["state"], "appealed");
    let letter = detail["events"].as_array().unwrap().iter().find_map(|e| e["documentId"].as_str()).unwrap().to_owned();
    let kept = biller.http.get(format!("{}/api/files/{letter}", biller.base)).header("cookie", &biller.cookie);
    let kept = kept.send().await.unwrap();
    assert_eq!(kept.headers()["content-type"], "application/pdf");
    assert!(kept.bytes().await.unwrap().starts_with(b"%PDF-"));
    let desk = Hand::sign_in(&product, "junia").await;
    assert_eq!(desk.ask("get", &path, None).await.status, 403, "denials are billing's");

    let why = vec![adjusted(Contractual, "45", 7_000), adjusted(PatientResponsibility, "2", 2_500)];
    biller.upload("/api/remittances", decided(number, "T-WON", "1", why)).await.ok();
    let detail = biller.get(&path).await;
    let ended = &detail["view"]["denial"];
    assert_eq!((&ended["state"], &ended["wonCents"]), (&json!("paid_after_all"), &json!(12_500)), "{ended}");
    assert_eq!(river(&biller, &visit).await["payerOwesCents"], 0);
    assert_eq!(biller.post(&path, json!({ "what": "own" })).await.status, 422, "it has ended");
    let today = harbor_demo::testing::day();
    for by in ["payer", "reason", "clinician", "service"] {
        let rates = biller.get(&format!("/api/denials/rates?by={by}&from={today}&to={today}")).await;
        let won: i64 = rates.as_array().unwrap().iter().map(|r| r["wonCents"].as_i64().unwrap()).sum();
        assert_eq!(won, 12_500, "{by}: {rates}");
    }
    let faulty = biller.ask("get", &format!("/api/denials/rates?by=moon&from={today}&to={today}"), None).await;
    assert_eq!(faulty.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn above_the_limit_a_second_person_agrees_before_anything_is_given_up() {
    let product = Product::start().await.unwrap();
    let (biller, visit, claim) = sent_claim(&product).await;
    let number = claim["number"].as_str().unwrap();
    let why = vec![adjusted(Contractual, "29", 9_500), adjusted(Contractual, "45", 5_000)];
    biller.upload("/api/remittances", decided(number, "T-29", "1", why)).await.ok();
    let denial = denial_of(&biller, &claim).await;
    assert_eq!(denial["denial"]["cents"], 9_500, "what the contract gives up is no denial");
    let path = format!("/api/denials/{}", id(&denial["denial"]));
    let reason = json!({ "what": "give_up", "reason": "the clinic was late" });
    biller.post(&path, reason.clone()).await.ok();
    assert_eq!(river(&biller, &visit).await["payerOwesCents"], 9_500, "nothing is given up yet");
    assert_eq!(biller.post(&path, reason.clone()).await.body["type"], "urn:indigo-harbor:same-person");
    let manager = Hand::sign_in(&product, "soren").await;
    let waits = manager.get("/api/today").await.to_string();
    assert!(waits.contains("a second person must agree"), "{waits}");
    assert_eq!(manager.get(&path).await["wantedByMe"], false);
    manager.post(&path, json!({ "what": "keep", "reason": "try an appeal first" })).await.ok();
    assert_eq!(manager.get(&path).await["view"]["denial"]["state"], "open");
    assert_eq!(manager.post(&path, json!({ "what": "keep", "reason": "again" })).await.status, 422);
    biller.post(&path, reason.clone()).await.ok();
    manager.post(&path, json!({ "what": "give_up", "reason": "agreed" })).await.ok();
    let after = river(&biller, &visit).await;
    assert_eq!((part(&after, "given_up"), part(&after, "written_off")), (9_500, 5_000), "{after}");
    assert_eq!(after["payerOwesCents"], 0);
    assert_eq!(manager.post(&path, reason).await.status, 422, "it is given up once");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_patient_is_billed_for_a_denial_only_where_the_payer_says_that_it_is_theirs() {
    let product = Product::start().await.unwrap();
    let (biller, visit, claim) = sent_claim(&product).await;
    let number = claim["number"].as_str().unwrap();
    let mixed = vec![adjusted(PatientResponsibility, "31", 10_000), adjusted(PayerInitiated, "97", 9_500)];
    biller.upload("/api/remittances", decided(number, "T-MIXED", "4", mixed)).await.ok();
    let first = format!("/api/denials/{}", id(&denial_of(&biller, &claim).await["denial"]));
    assert!(biller.get(&first).await["notThePatients"].is_string());
    let refused = biller.post(&first, json!({ "what": "bill_patient" })).await;
    assert_eq!(refused.body["type"], "urn:indigo-harbor:not-the-patients", "{}", refused.body);
    assert_eq!(biller.post(&first, json!({ "what": "bill_next" })).await.status, 422, "there is no other policy");

    // Denied once more, now for one reason: the work of before ends with it.
    let whole = decided(number, "T-31", "4", vec![adjusted(PatientResponsibility, "31", 19_500)]);
    biller.upload("/api/remittances", whole).await.ok();
    assert_eq!(biller.get(&first).await["view"]["denial"]["state"], "denied_again");
    let second = format!("/api/denials/{}", id(&denial_of(&biller, &claim).await["denial"]));
    biller
        .post(&second, json!({ "what": "ask_patient", "sentence": "Called; sends the card.", "lookAgain": "" }))
        .await
        .ok();
    assert_eq!(biller.get(&second).await["view"]["denial"]["state"], "asked");
    assert_eq!(river(&biller, &visit).await["patientOwesCents"], -2_500, "the copay waits, nobody is billed by itself");
    biller.post(&second, json!({ "what": "bill_patient" })).await.ok();
    let after = river(&biller, &visit).await;
    assert_eq!((&after["payerOwesCents"], &after["patientOwesCents"]), (&json!(0), &json!(17_000)), "{after}");
    product.stop().await.unwrap();
}

/// A claim that the payer has, of somebody who has a second policy.
async fn with_two_policies(product: &Product) -> (Hand, String, Value) {
    product.outside.lock().automatic = false;
    let walk = to_charges(product, "SM55510").await;
    let desk = Hand::sign_in(product, "junia").await;
    let clinic = desk.get("/api/clinic").await;
    let beacon = clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == "BEACN").unwrap();
    let policy = json!({ "payerId": id(beacon), "subscriberNumber": "BS77120", "rank": "S" });
    desk.post(&format!("/api/people/{}/coverages", walk.person), policy).await.ok();
    let (biller, claim) = crate::line::send_claim(product, &walk).await;
    biller.until(&format!("/api/claims/{}", id(&claim)), |c| c["claim"]["claim"]["state"] == "accepted").await;
    (biller, walk.visit, claim)
}

async fn second_claim(biller: &Hand, visit: &str) -> Value {
    let list = biller.get("/api/claims").await;
    let of_visit = list.as_array().unwrap().iter().filter(|c| c["visit"]["id"] == visit);
    let second = of_visit
        .map(|c| c["claim"].clone())
        .find(|c| c["payerId"] != "" && c["state"] != "paid" && c["state"] != "void");
    second.unwrap_or_else(|| panic!("{list}"))
}

fn from_beacon(file: Vec<u8>) -> Vec<u8> {
    let text = String::from_utf8(file).unwrap();
    text.replace("SALTMARSH MUTUAL HEALTH PLAN", "BEACON SHOALS BENEFIT TRUST").replace("SALTM", "BEACN").into_bytes()
}

#[actix_web::test]
async fn what_is_left_goes_to_the_next_policy_first_with_the_first_decision_on_its_claim() {
    let product = Product::start().await.unwrap();
    let (biller, visit, claim) = with_two_policies(&product).await;
    let number = claim["number"].as_str().unwrap();
    let why = || vec![adjusted(Contractual, "45", 7_000), adjusted(PatientResponsibility, "2", 4_500)];
    biller.upload("/api/remittances", decided(number, "T-FIRST", "1", why())).await.ok();
    let now = river(&biller, &visit).await;
    assert_eq!((&now["payerOwesCents"], &now["patientOwesCents"]), (&json!(4_500), &json!(-2_500)), "{now}");
    let second = second_claim(&biller, &visit).await;
    assert_eq!(second["state"], "ready");
    let person = biller.get(&format!("/api/visits/{visit}")).await["person"]["id"].as_str().unwrap().to_owned();
    let owed = biller.get(&format!("/api/people/{person}/account")).await["owed"].clone();
    assert_eq!((&owed[1]["who"], &owed[1]["cents"]), (&json!("Beacon Shoals Benefit Trust"), &json!(4_500)), "{owed}");
    let sent = biller.get(&format!("/api/claims/{}/as-sent", id(&second))).await.to_string();
    for told in ["SVD*SALTM*80*", "CAS*PR*2*45", "CAS*CO*45*70", "AMT*D*80", "SBR*S*18*"] {
        assert!(sent.contains(told), "{told}: {sent}");
    }
    // The first takes it back: so does the claim to the second.
    let reversed = with(number, "T-BACK", -8_000, |r| {
        r.claims[0].status = "22".into();
        (r.claims[0].charged, r.claims[0].paid) = (Cents::new(-19_500), Cents::new(-8_000));
        r.claims[0].patient_share = Cents::new(-4_500);
        (line(r).charged, line(r).paid) = (Cents::new(-19_500), Cents::new(-8_000));
        line(r).adjustments = vec![adjusted(Contractual, "45", -7_000), adjusted(PatientResponsibility, "2", -4_500)];
        // A payment is never below zero: what is owed is carried to the next one.
        let carried = harbor_core::money::remittance::ProviderAdjustment {
            reason: "FB".into(),
            reference: "CARRIED".into(),
            amount: Cents::new(-8_000),
        };
        (r.provider_adjustments, r.amount) = (vec![carried], Cents::ZERO);
    });
    biller.upload("/api/remittances", reversed.into_bytes()).await.ok();
    let now = river(&biller, &visit).await;
    assert_eq!((&now["payerOwesCents"], &now["patientOwesCents"]), (&json!(19_500), &json!(-2_500)), "{now}");
    assert_eq!(biller.get(&format!("/api/claims/{}", id(&second))).await["claim"]["claim"]["state"], "void");

    // Decided anew; the second payer pays a part, names what the first decided, and leaves the rest.
    biller.upload("/api/remittances", decided(number, "T-ANEW", "1", why())).await.ok();
    let second = second_claim(&biller, &visit).await;
    biller.post("/api/batches", json!({ "claimIds": [second["id"]] })).await.ok();
    biller.until(&format!("/api/claims/{}", id(&second)), |c| c["claim"]["claim"]["state"] == "accepted").await;
    // It names the whole fee as above its contract too: given up once, not twice.
    let rest = vec![
        adjusted(Other, "23", 8_000),
        adjusted(Contractual, "45", 7_000),
        adjusted(PatientResponsibility, "3", 1_000),
    ];
    let file = from_beacon(decided(second["number"].as_str().unwrap(), "B-1", "2", rest));
    assert_eq!(biller.upload("/api/remittances", file).await.ok()["matched"], 1);
    let after = river(&biller, &visit).await;
    assert_eq!((&after["payerOwesCents"], part(&after, "written_off")), (&json!(0), 7_000), "{after}");
    assert_eq!(part(&after, "paid_by_payer"), 11_500, "80.00 and 35.00: {after}");
    assert_eq!(after["patientOwesCents"], 1_000 - 2_500, "{after}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_claim_that_the_payer_forwarded_is_not_sent_again_and_answers_to_the_first_number() {
    let product = Product::start().await.unwrap();
    let (biller, visit, claim) = with_two_policies(&product).await;
    let number = claim["number"].as_str().unwrap();
    let why = vec![adjusted(Contractual, "45", 7_000), adjusted(PatientResponsibility, "2", 4_500)];
    biller.upload("/api/remittances", decided(number, "T-19", "19", why)).await.ok();
    let second = second_claim(&biller, &visit).await;
    assert_eq!(second["state"], "sent", "the payer sent it on by itself");
    let rest = vec![adjusted(Other, "23", 15_000), adjusted(PatientResponsibility, "3", 500)];
    let file = from_beacon(decided(number, "B-19", "2", rest));
    assert_eq!(biller.upload("/api/remittances", file).await.ok()["matched"], 1);
    let after = river(&biller, &visit).await;
    assert_eq!((&after["payerOwesCents"], part(&after, "paid_by_payer")), (&json!(0), 12_000), "{after}");
    assert_eq!(biller.get(&format!("/api/claims/{}", id(&second))).await["claim"]["claim"]["state"], "paid");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_decision_under_a_mistyped_number_is_matched_by_hand_once_and_never_beyond_what_is_open() {
    let product = Product::start().await.unwrap();
    let (biller, visit, claim) = sent_claim(&product).await;
    let number = claim["number"].as_str().unwrap();
    let named = |n: &str, trace: &str| {
        let bent = n.to_owned();
        with(n, trace, 10_000, move |r| {
            (r.claims[0].patient_last, r.claims[0].patient_first) = ("QUARRIE".into(), "INES".into());
            line(r).line_control = format!("{bent}-1").into();
        })
        .into_bytes()
    };
    let slip = format!("{number}7");
    assert_eq!(biller.upload("/api/remittances", named(&slip, "T-SLIP")).await.ok()["unmatched"], 1);
    let waiting = async |biller: &Hand, trace: &str| {
        let list = biller.get("/api/remittances").await;
        let own = list.as_array().unwrap().iter().find(|r| r["remittance"]["trace"] == trace).unwrap();
        own["claims"][0].clone()
    };
    let row = waiting(&biller, "T-SLIP").await;
    let path = format!("/api/decisions/{}", id(&row));
    let found = biller.get(&format!("{path}/candidates")).await;
    assert_eq!(found[0]["claim"]["number"], number, "{found}");
    assert!(found[0]["agrees"].to_string().contains("the same patient"), "{found}");
    assert_eq!(biller.post(&format!("{path}/match"), json!({ "claim": "" })).await.status, 422);
    assert_eq!(biller.post(&format!("{path}/match"), json!({ "claim": "C0" })).await.status, 404);
    biller.post(&format!("{path}/match"), json!({ "claim": number })).await.ok();
    let after = river(&biller, &visit).await;
    assert_eq!((part(&after, "paid_by_payer"), part(&after, "written_off")), (10_000, 9_500), "{after}");
    let row = waiting(&biller, "T-SLIP").await;
    assert_eq!((&row["claimId"], &row["matchedBy"]), (&claim["id"], &json!("Agathe Marlowe")), "{row}");
    assert_eq!(biller.post(&format!("{path}/match"), json!({ "claim": number })).await.status, 422, "matched once");

    biller.upload("/api/remittances", named(&slip, "T-SLIP2")).await.ok();
    let other = waiting(&biller, "T-SLIP2").await;
    let refused = biller.post(&format!("/api/decisions/{}/match", id(&other)), json!({ "claim": number })).await;
    assert_eq!(refused.body["type"], "urn:indigo-harbor:not-matched", "{}", refused.body);
    assert_eq!(part(&river(&biller, &visit).await, "paid_by_payer"), 10_000);
    product.stop().await.unwrap();
}
