//! What each role finds on Today, and how it leaves again when it is done.

use crate::flow::visit_of;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

async fn groups(hand: &Hand) -> Vec<String> {
    let today = hand.get("/api/today").await;
    let mut out: Vec<String> = Vec::new();
    for w in today["waiting"].as_array().unwrap() {
        let group = w["group"].as_str().unwrap().to_owned();
        if out.last() != Some(&group) {
            out.push(group);
        }
    }
    out
}

async fn tasks(hand: &Hand, visit: &str) -> Vec<Value> {
    let today = hand.get("/api/today").await;
    let own = |w: &&Value| w["card"]["visit"]["id"] == visit;
    today["waiting"].as_array().unwrap().iter().filter(own).cloned().collect()
}

#[actix_web::test]
async fn every_role_has_its_own_groups_in_the_order_of_urgency() {
    let product = Product::start().await.unwrap();
    for (login, wanted) in [
        (
            "junia",
            &["Check in", "On the way out", "Left open at check-in", "Expected", "Needs a new time", "Collect"][..],
        ),
        ("petra", &["Bring to a room", "Measure and record"]),
        ("oriane", &["Ready to be seen", "Finish and sign", "Review results", "Complete charges"]),
        (
            "agathe",
            &[
                "Correct claims",
                "Send claims",
                "Complete charges",
                "Follow up with the payer",
                "Match remittance lines",
                "Match the bank",
            ],
        ),
    ] {
        let hand = Hand::sign_in(&product, login).await;
        assert_eq!(groups(&hand).await, wanted, "{login}: each group once, together");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_till_that_nobody_counted_is_asked_for_the_next_morning() {
    let morning = harbor_demo::testing::now() + chrono::Duration::days(1);
    let product = Product::start_at(morning).await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let counting =
        |today: &Value| today["waiting"].as_array().unwrap().iter().find(|w| w["group"] == "Tills to count").cloned();
    let asked = counting(&desk.get("/api/today").await).expect("yesterday's till is open");
    assert!(asked["sentence"].as_str().unwrap().contains("open since"), "{asked}");
    assert_eq!(asked["place"], "till");
    let site = desk.get("/api/clinic").await["sites"][0]["id"].clone();
    let till = format!("/api/sites/{}/till", site.as_str().unwrap());
    let expected = desk.get(&till).await["expected"].clone();
    let amount = |m: &str| {
        let cents =
            expected.as_array().unwrap().iter().find(|e| e["method"] == m).map_or(0, |e| e["cents"].as_i64().unwrap());
        format!("{}.{:02}", cents / 100, cents % 100)
    };
    let mut body = json!({ "stays": "100" });
    for means in ["cash", "card", "cheque", "transfer"] {
        body[means] = json!(amount(means));
    }
    desk.post(&format!("{till}/closing"), body).await.ok();
    assert_eq!(counting(&desk.get("/api/today").await), None);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_visit_goes_from_hand_to_hand_as_it_moves() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let assistant = Hand::sign_in(&product, "petra").await;
    let (visit, _) = visit_of(&desk, "Sandoval").await;
    let at_desk = tasks(&desk, &visit).await;
    assert_eq!((at_desk.len(), &at_desk[0]["action"]), (1, &json!("Check in")));
    assert_eq!(at_desk[0]["blockers"][0]["sentence"], "Coverage is not verified.");
    assert!(tasks(&assistant, &visit).await.is_empty(), "nothing for the assistant yet");
    desk.post(&format!("/api/visits/{visit}/check-in"), json!({})).await.ok();
    let open = tasks(&desk, &visit).await;
    assert_eq!(open[0]["group"], "Left open at check-in", "what nobody verified stays until it is");
    assert_eq!(open[0]["blockers"][0]["sentence"], "Coverage is not verified.");
    let next = tasks(&assistant, &visit).await;
    assert_eq!((next.len(), &next[0]["group"]), (1, &json!("Bring to a room")));
    let clinic = desk.get("/api/clinic").await;
    let birch = clinic["rooms"].as_array().unwrap().iter().find(|r| r["name"] == "Birch").unwrap()["id"].clone();
    let to_room = json!({ "to": "in_room", "roomId": birch });
    assistant.post(&format!("/api/visits/{visit}/stage"), to_room).await.ok();
    assert_eq!(tasks(&assistant, &visit).await[0]["group"], "Measure and record");
    let clinician = Hand::sign_in(&product, "maelis").await;
    assert_eq!(tasks(&clinician, &visit).await[0]["group"], "Ready to be seen");
    let other = Hand::sign_in(&product, "tobias").await;
    assert!(tasks(&other, &visit).await.is_empty(), "a colleague's patient is no task");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn who_leaves_unseen_is_no_longer_in_the_building() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (visit, _) = visit_of(&desk, "Winterbourne").await;
    let before = desk.get("/api/in-clinic").await;
    let waiting =
        |v: &Value| v["waiting"].as_array().unwrap().iter().any(|w| w["card"]["visit"]["id"] == visit.as_str());
    assert!(waiting(&before));
    desk.post(&format!("/api/visits/{visit}/stage"), json!({ "to": "left_unseen" })).await.ok();
    assert!(!waiting(&desk.get("/api/in-clinic").await));
    let view = desk.get(&format!("/api/visits/{visit}")).await;
    assert_eq!(view["card"]["line"]["ended"], "left without being seen");
    desk.post(&format!("/api/visits/{visit}/stage"), json!({ "to": "back" })).await.ok();
    assert!(waiting(&desk.get("/api/in-clinic").await), "taken back, when they were only outside");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_waiting_line_stands_in_expected_order() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let view = desk.get("/api/in-clinic").await;
    let minutes: Vec<i64> =
        view["waiting"].as_array().unwrap().iter().map(|w| w["expectedMinutes"].as_i64().unwrap()).collect();
    assert!(minutes.len() >= 5 && minutes.is_sorted(), "{minutes:?}");
    for w in view["inRooms"].as_array().unwrap() {
        assert!(w["card"]["visit"]["roomId"].is_string() && w["stageMinutes"].as_i64().unwrap() >= 0, "{w}");
        assert!(w["totalMinutes"].as_i64() >= w["stageMinutes"].as_i64(), "the whole stay holds the stage");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_line_that_matches_nothing_waits_for_the_biller_from_the_first_start() {
    let product = Product::start().await.unwrap();
    let biller = Hand::sign_in(&product, "agathe").await;
    let remittances = biller.get("/api/remittances").await;
    let first = &remittances[0];
    let claims = first["claims"].as_array().unwrap();
    let statuses: Vec<&str> = claims.iter().map(|c| c["status"].as_str().unwrap()).collect();
    for wanted in ["1", "4", "22"] {
        assert!(statuses.contains(&wanted), "a payment, a denial and a take-back: {statuses:?}");
    }
    let paid: i64 = claims.iter().map(|c| c["paidCents"].as_i64().unwrap()).sum();
    let outside: i64 =
        first["remittance"]["outsideClaims"].as_array().unwrap().iter().map(|o| o["cents"].as_i64().unwrap()).sum();
    assert_eq!(first["remittance"]["amountCents"], paid - outside, "the file's total is what reached the bank");
    let unmatched: Vec<&Value> = claims.iter().filter(|c| c["claimId"].is_null()).collect();
    assert_eq!((unmatched.len(), &unmatched[0]["claimNumber"]), (1, &json!("C99312")));
    let denied = claims.iter().find(|c| c["status"] == "4").unwrap();
    let claim = biller.get(&format!("/api/claims/{}", denied["claimId"].as_str().unwrap())).await;
    assert_eq!(claim["claim"]["claim"]["state"], "denied");
    assert!(claim["claim"]["claim"]["reasons"].to_string().contains("lacks something the payer needs"));
    biller.post(&format!("/api/claims/{}/correct", id(&claim["claim"]["claim"])), json!({})).await.ok();
    product.stop().await.unwrap();
}
