use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::json;

#[actix_web::test]
async fn two_hundred_book_one_slot_and_one_gets_it() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let slot = desk.open_slot().await;
    let person = desk.person("Brandvold").await;
    let tasks: Vec<_> = (0..200)
        .map(|_| {
            let (desk, body) =
                (desk.clone(), json!({ "personId": person["id"], "slotId": slot["id"], "reason": "race" }));
            tokio::spawn(async move { desk.post("/api/visits", body).await })
        })
        .collect();
    let mut booked = 0;
    for task in tasks {
        let reply = task.await.unwrap();
        match reply.status {
            200 => booked += 1,
            409 => {
                assert_eq!(reply.body["type"], "urn:indigo-harbor:taken", "{}", reply.body);
                assert_eq!(reply.body["current"].as_array().map(Vec::len), Some(3), "the next best three are offered");
            }
            other => panic!("{other} {}", reply.body),
        }
    }
    assert_eq!(booked, 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_cannot_be_booked_says_why() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = desk.person("Brandvold").await;
    let day = desk.get("/api/schedule").await;
    let slots = day["slots"].as_array().unwrap();
    let book = |slot: &serde_json::Value, reason: &str| {
        let (desk, body) = (desk.clone(), json!({ "personId": person["id"], "slotId": slot["id"], "reason": reason }));
        async move { desk.post("/api/visits", body).await }
    };
    let held = slots.iter().find(|s| s["heldFor"].is_string()).unwrap();
    let reply = book(held, "x").await;
    assert_eq!(reply.status, 422);
    let first = slots.iter().find(|s| s["heldFor"].is_null()).unwrap();
    assert!(book(first, "x").await.detail().contains("passed"));
    let open = desk.open_slot().await;
    let reply = book(&open, " ").await;
    assert_eq!(reply.body["fields"][0]["sentence"], "Reason is needed.");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn one_persons_change_reaches_another_screen() {
    use std::time::{Duration, Instant};
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let other = Hand::sign_in(&product, "petra").await;
    let mut stream =
        other.http.get(format!("{}/api/live", other.base)).header("cookie", &other.cookie).send().await.unwrap();
    let slot = desk.open_slot().await;
    let person = desk.person("Brandvold").await;
    let body = json!({ "personId": person["id"], "slotId": slot["id"], "reason": "live" });
    let visit = desk.post("/api/visits", body).await.ok();
    let committed = Instant::now();
    let mut heard = String::new();
    while !heard.contains(&id(&visit)) {
        let chunk =
            tokio::time::timeout(Duration::from_secs(5), stream.chunk()).await.expect("a tiding in time").unwrap();
        heard.push_str(&String::from_utf8_lossy(&chunk.unwrap()));
    }
    assert!(committed.elapsed() < Duration::from_secs(1), "{:?}", committed.elapsed());
    product.stop().await.unwrap();
}
