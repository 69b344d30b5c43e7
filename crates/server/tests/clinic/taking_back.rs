//! What came in with a file is taken back as a whole, and whoever was worked with since is left.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};
use std::time::Duration;

const FILE: &str = "Last name,First name,DOB,Sex,Phone,Payer,Member ID
Ropewalk,Runa,3/3/1985,F,207 555 0161,Saltmarsh Mutual Health Plan,SM8100
Saltbox,Pim,1/5/1971,M,207 555 0162,SALTM,SM8200
Quayle,Oda,9/9/1990,F,,,
";

async fn bring(hand: &Hand, what: &str, text: &str) -> Value {
    let path = format!("/api/import/{what}?dry_run=false&file=people.csv");
    hand.send(&path, "text/csv", text.as_bytes().to_vec()).await.ok()
}

async fn take_back(hand: &Hand, import: &Value, leave_used: bool) -> crate::Reply {
    let id = import["id"].as_str().unwrap();
    hand.post(&format!("/api/imports/{id}/take-back"), json!({ "leaveUsed": leave_used })).await
}

#[actix_web::test]
async fn a_file_is_taken_back_as_a_whole_and_comes_in_again() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let came = bring(&manager, "people", FILE).await;
    assert_eq!(came["added"], 3);
    let listed = manager.get("/api/imports").await;
    assert_eq!(
        (&listed[0]["id"], &listed[0]["fileName"], &listed[0]["added"], &listed[0]["kind"]),
        (&came["id"], &json!("people.csv"), &json!(3), &json!("people"))
    );
    assert!(listed[0]["endedAt"].is_string() && listed[0]["undoneAt"].is_null());
    let desk = Hand::sign_in(&product, "junia").await;
    assert_eq!(take_back(&desk, &came, false).await.status, 403, "who brings people in takes them back");
    let back = take_back(&manager, &came, false).await.ok();
    assert_eq!((&back["stayed"], &back["undoneBy"]), (&json!(0), &json!("Soren Whitlock")));
    for name in ["Runa%20Ropewalk", "Pim%20Saltbox", "Oda%20Quayle"] {
        assert!(manager.person(name).await.is_null(), "{name} is gone");
    }
    assert!(take_back(&manager, &came, false).await.detail().contains("already"));
    let again = bring(&manager, "people", FILE).await;
    assert_eq!(again["added"], 3, "what was taken back is nobody's twin");
    let none = bring(&manager, "people", FILE).await;
    assert!(none["id"].is_null(), "nobody came in, so there is nothing to take back");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn whoever_was_worked_with_since_is_named_and_stays_with_their_policy() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let came = bring(&manager, "people", FILE).await;
    let runa = manager.person("Runa%20Ropewalk").await;
    let desk = Hand::sign_in(&product, "junia").await;
    let slot = desk.open_slot().await;
    let visit = json!({ "personId": runa["id"], "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
    desk.post("/api/visits", visit).await.ok();
    let refused = take_back(&manager, &came, false).await;
    assert!(refused.body["type"].as_str().unwrap().ends_with(":used-since"), "{}", refused.body);
    assert!(refused.detail().contains("Runa Ropewalk"), "{}", refused.detail());
    assert!(manager.person("Pim%20Saltbox").await.is_object(), "asked first, nothing is gone yet");
    let back = take_back(&manager, &came, true).await.ok();
    assert_eq!(back["stayed"], 1);
    assert!(manager.person("Pim%20Saltbox").await.is_null() && manager.person("Oda%20Quayle").await.is_null());
    let held = manager.get(&format!("/api/people/{}/coverages", id(&runa))).await;
    assert_eq!(held[0]["coverage"]["subscriberNumber"], "SM8100");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn policies_and_balances_are_taken_back_and_people_who_were_here_stay() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let joris = manager.person("Joris%20Achterberg").await;
    let (who, number) = (id(&joris), joris["recordNumber"].as_str().unwrap());
    let policies = async || manager.get(&format!("/api/people/{who}/coverages")).await.as_array().unwrap().len();
    let before = policies().await;
    let file = format!("Record number,Payer,Member ID,Coverage from,Rank\n{number},BEACN,BS7,1/1/2020,T\n");
    let came = bring(&manager, "policies", &file).await;
    assert_eq!((&came["added"], policies().await), (&json!(1), before + 1), "{came}");
    take_back(&manager, &came, false).await.ok();
    assert_eq!(policies().await, before);

    let account = async || manager.get(&format!("/api/people/{who}/account")).await;
    let at_first = account().await;
    let file = format!("record number,amount,since\n{number},120.50,8/1/2026\n{number},-20,11/20/2026\n");
    let came = bring(&manager, "balances", &file).await;
    assert_ne!(account().await, at_first);
    take_back(&manager, &came, false).await.ok();
    assert_eq!(account().await, at_first, "every age owes what it owed");
    let again = bring(&manager, "balances", &file).await;
    assert_eq!((&again["added"], &again["twins"]), (&json!(2), &json!(0)), "taken back, it may come in again");
    assert_eq!(bring(&manager, "balances", &file).await["twins"], 2, "and then not twice");
    // Who paid on it keeps it.
    let clinic = manager.get("/api/clinic").await;
    let mut paid = crate::payment(&clinic, &who, "120.50", "cheque", uuid::Uuid::now_v7());
    paid["means"][0]["reference"] = json!("17");
    paid["parts"] = json!([{ "personId": who, "what": "carried_over", "amount": "120.50" }]);
    manager.post("/api/payments", paid).await.ok();
    let refused = take_back(&manager, &again, false).await;
    assert!(refused.detail().contains("Joris Achterberg"), "{}", refused.body);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_long_file_comes_in_part_by_part_and_screens_are_told_once_each() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    // Without a birth date nobody is taken for another of a name that is only alike.
    let line = |n: usize| format!("\nRopewalk{},Runa{n}", n % 7);
    let file = (0..1_100).fold("last,first".to_owned(), |text, n| text + &line(n));
    let desk = Hand::sign_in(&product, "junia").await;
    let mut live =
        desk.http.get(format!("{}/api/live", desk.base)).header("cookie", &desk.cookie).send().await.unwrap();
    let import = uuid::Uuid::now_v7();
    let path = format!("/api/import/people?dry_run=false&id={import}");
    let came = manager.send(&path, "text/csv", file.into_bytes()).await.ok();
    assert_eq!((&came["added"], &came["id"]), (&json!(1_100), &json!(import)));
    let row = manager.get("/api/imports").await[0].clone();
    assert_eq!((&row["lines"], &row["done"], &row["added"]), (&json!(1_100), &json!(1_100), &json!(1_100)));
    let mut heard = String::new();
    while !heard.contains("\"done\":1100") {
        let chunk = tokio::time::timeout(Duration::from_secs(10), live.chunk()).await.expect("progress").unwrap();
        heard.push_str(&String::from_utf8_lossy(&chunk.unwrap()));
    }
    let told: Vec<Value> = heard.lines().filter_map(|l| serde_json::from_str(l.strip_prefix("data: ")?).ok()).collect();
    let far: Vec<u64> = told.iter().filter(|t| t["topic"] == "progress").filter_map(|t| t["done"].as_u64()).collect();
    assert_eq!(far, [500, 1_000, 1_100]);
    assert!(told.iter().any(|t| t["topic"] == "everything"));
    assert!(told.iter().filter(|t| t["topic"] == "person").count() <= 200, "not one tiding for each of a thousand");
    // Under an id that another file came in under nothing is added to that one.
    let other = manager.send(&path, "text/csv", b"last,first\nSaltbox,Pim".to_vec()).await;
    assert!(other.detail().contains("came in before"), "{}", other.body);
    assert!(manager.person("Pim%20Saltbox").await.is_null());
    take_back(&manager, &came, false).await.ok();
    assert!(manager.person("Runa77%20Ropewalk0").await.is_null());
    product.stop().await.unwrap();
}
