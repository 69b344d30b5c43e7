//! Two servers over one database: whatever one knows, the other knows.

use crate::{Hand, id, payment};
use harbor_demo::testing::Product;
use serde_json::{Value, json};
use std::time::{Duration, Instant};

#[actix_web::test]
async fn a_change_through_one_is_seen_live_through_the_other_and_sessions_hold_on_both() {
    let product = Product::start().await.unwrap();
    let second = product.another_server().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    // The same session, without signing in again.
    let there = Hand { base: second.address.clone(), ..desk.clone() };
    assert_eq!(there.get("/api/me").await["staff"]["login"], "junia");
    let mut stream =
        there.http.get(format!("{}/api/live", there.base)).header("cookie", &there.cookie).send().await.unwrap();
    let person = desk.person("Brandvold").await;
    let mut slowest = Duration::ZERO;
    for (n, slot) in desk.get("/api/open-times").await.as_array().unwrap().iter().take(5).enumerate() {
        let body = json!({ "personId": person["id"], "slotId": slot["id"], "reason": "live", "meant": crate::meant() });
        let reply = desk.post("/api/visits", body).await;
        let committed = Instant::now();
        let Some(visit) = (reply.status == 200).then(|| id(&reply.body)) else { continue };
        let mut heard = String::new();
        while !heard.contains(&visit) {
            let chunk = tokio::time::timeout(Duration::from_secs(5), stream.chunk()).await.expect("a tiding in time");
            heard.push_str(&String::from_utf8_lossy(&chunk.unwrap().unwrap()));
        }
        slowest = slowest.max(committed.elapsed());
        // And what it tells of can be read there at once.
        assert_eq!(there.get(&format!("/api/visits/{visit}")).await["card"]["visit"]["reason"], "live", "{n}");
        desk.post(&format!("/api/visits/{visit}/cancel"), json!({ "reason": "booked by mistake" })).await.ok();
    }
    assert!(slowest > Duration::ZERO && slowest < Duration::from_millis(250), "{slowest:?}");
    // Signed out at one, signed out at the other.
    desk.post("/api/sign-out", json!({})).await.ok();
    assert_eq!(there.ask("get", "/api/me", None).await.status, 401);
    second.stop().await;
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn throttles_and_keys_hold_across_both_and_each_job_goes_out_once() {
    let product = Product::start().await.unwrap();
    let second = product.another_server().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let there = Hand { base: second.address.clone(), ..desk.clone() };
    // One payment sent to both at one moment under one key is one payment.
    let clinic = desk.get("/api/clinic").await;
    let person = id(&desk.person("Brandvold").await);
    let form = payment(&clinic, &person, "20", "cash", uuid::Uuid::now_v7());
    let (a, b) = tokio::join!(desk.post("/api/payments", form.clone()), there.post("/api/payments", form));
    let receipts: Vec<Value> = [a, b].into_iter().filter(|r| r.status == 200).map(|r| r.body).collect();
    assert!(!receipts.is_empty());
    let paid = desk.get(&format!("/api/people/{person}/payments")).await;
    assert_eq!(paid.as_array().unwrap().len(), 1, "{paid}");
    // Benefits checks begun through either are asked once each, whichever server hands them over.
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let asked = async || {
        let sql = "select count(*) from documents where kind = '270' and direction = 'out'";
        client.query_one(sql, &[]).await.unwrap().get::<_, i64>(0)
    };
    let policies = desk.get(&format!("/api/people/{person}/coverages")).await;
    let (path, before) = (format!("/api/coverages/{}/benefits", id(&policies[0]["coverage"])), asked().await);
    for hand in [&desk, &there, &desk, &there] {
        hand.post(&path, json!({})).await.ok();
    }
    let began = Instant::now();
    while asked().await < before + 4 {
        assert!(began.elapsed() < Duration::from_secs(15), "not all were asked");
        tokio::time::sleep(Duration::from_millis(40)).await;
    }
    let left = "select count(*) from jobs where state = 'waiting' and kind = 'ask_benefits'";
    while client.query_one(left, &[]).await.unwrap().get::<_, i64>(0) > 0 {
        assert!(began.elapsed() < Duration::from_secs(15), "a job still waits");
        tokio::time::sleep(Duration::from_millis(40)).await;
    }
    assert_eq!(asked().await, before + 4);
    // Wrong passwords count wherever they are tried.
    let http = reqwest::Client::new();
    let mut statuses = Vec::new();
    for n in 0..40 {
        let base = if n % 2 == 0 { &desk.base } else { &there.base };
        let guess = json!({ "login": "petra", "password": format!("guess {n}") });
        statuses.push(http.post(format!("{base}/api/sign-in")).json(&guess).send().await.unwrap().status().as_u16());
        if statuses.ends_with(&[429, 429]) {
            break;
        }
    }
    assert!(statuses.ends_with(&[429, 429]), "both throttle: {statuses:?}");
    second.stop().await;
    product.stop().await.unwrap();
}
