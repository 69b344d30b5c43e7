//! Batches in bad luck: made twice at once, refused whole, and answered a day late.

use crate::claims::{acknowledged, exchange_says, sent};
use crate::line::to_charges;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use harbor_formats::x12;
use serde_json::{Value, json};

async fn claim(biller: &Hand, claim: &str) -> Value {
    biller.get(&format!("/api/claims/{claim}")).await["claim"]["claim"].clone()
}

/// Claims that are ready in the world, and one more of a visit of this morning.
async fn ready(product: &Product) -> (Hand, Vec<String>) {
    to_charges(product, "SM55510").await;
    let biller = Hand::sign_in(product, "agathe").await;
    let listed = biller.get("/api/claims?state=ready").await;
    let ids: Vec<String> = listed.as_array().unwrap().iter().map(|c| id(&c["claim"])).collect();
    assert!(ids.len() > 1, "{listed}");
    (biller, ids)
}

fn files_taken(product: &Product) -> usize {
    product.outside.lock().received.iter().filter(|(part, _)| *part == "clearing house").count()
}

#[actix_web::test]
async fn two_people_who_batch_the_same_claims_at_once_send_each_once() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let (biller, ids) = ready(&product).await;
    let manager = Hand::sign_in(&product, "soren").await;
    let before = biller.get("/api/batches").await.as_array().unwrap().len();
    let taken = files_taken(&product);
    // The other one chose one claim less: what they share goes out once all the same.
    let (all, most) = (json!({ "claimIds": ids }), json!({ "claimIds": ids[1..] }));
    let (one, other) = tokio::join!(biller.post("/api/batches", all), manager.post("/api/batches", most));
    let mut answers = [&one, &other];
    answers.sort_by_key(|a| a.status);
    assert_eq!((answers[0].status, answers[1].status), (200, 422), "{} {}", one.body, other.body);
    let why = answers[1].detail();
    assert!(why.contains("in the meantime") || why.contains("only ready claims are sent"), "{why}");
    let batches = biller.get("/api/batches").await;
    assert_eq!(batches.as_array().unwrap().len(), before + 1);
    biller.until("/api/batches", |b| b[0]["state"] == "accepted").await;
    assert_eq!(files_taken(&product), taken + 1, "handed over once");
    let chosen = usize::try_from(batches[0]["claims"].as_i64().unwrap()).unwrap();
    let mut moved = 0;
    for one in &ids {
        moved += usize::from(claim(&biller, one).await["batchId"] == batches[0]["id"]);
    }
    assert_eq!(moved, chosen);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_file_that_is_refused_whole_is_work_claim_by_claim_and_its_late_answer_moves_no_newer_file() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let (biller, ids) = ready(&product).await;
    biller.post("/api/batches", json!({ "claimIds": ids[..2] })).await.ok();
    let first = biller.until("/api/batches", |b| b[0]["state"] == "accepted").await[0].clone();
    let control = first["control"].as_i64().unwrap();
    let refused = || acknowledged("CAUSEWAY", control, x12::claim::VERSION, "R");
    exchange_says(&product, "999", refused());
    biller.until("/api/batches", |b| b[0]["state"] == "rejected").await;
    for one in &ids[..2] {
        let now = claim(&biller, one).await;
        assert_eq!(now["state"], "rejected", "{now}");
    }
    if let Some(untouched) = ids.get(2) {
        assert_eq!(claim(&biller, untouched).await["state"], "ready", "it was not in the file");
    }
    let rejected = biller.get("/api/claims?state=rejected").await;
    let listed = |one: &String| rejected.as_array().unwrap().iter().any(|c| id(&c["claim"]) == *one);
    assert!(ids[..2].iter().all(listed), "each is work of its own");

    // Put right and sent again, they are in another file; what is said of yesterday's file moves none of them.
    for one in &ids[..2] {
        biller.post(&format!("/api/claims/{one}/correct"), json!({})).await.ok();
    }
    biller.post("/api/batches", json!({ "claimIds": ids[..2] })).await.ok();
    biller.until("/api/batches", |b| b[0]["state"] == "accepted").await;
    let (second, file) = sent(&biller).await;
    assert!(second["control"].as_i64().unwrap() > control && file.contains("CLM*"), "{second}");
    exchange_says(&product, "999", refused());
    // Answers are read in their order: once the one behind it is told, it was read.
    exchange_says(&product, "999", acknowledged("CAUSEWAY", 987_654, x12::claim::VERSION, "R"));
    biller.until("/api/stray-answers", |s| s.to_string().contains("987654")).await;
    for one in &ids[..2] {
        let now = claim(&biller, one).await;
        assert_ne!(now["state"], "rejected", "{now}");
        assert_eq!(now["batchId"], second["id"]);
    }
    product.stop().await.unwrap();
}
