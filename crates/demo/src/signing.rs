//! Signing prescriptions through the API, until the pharmacy has them.

use crate::percentile;
use anyhow::{Context, Result, ensure};
use harbor_demo::attack::hand::Hand;
use harbor_demo::testing::Product;
use serde_json::{Value, json};
use std::time::{Duration, Instant};

/// So many people are prescribed for, each once: what was signed before is checked again.
const PEOPLE: usize = 60;

const ITEMS: [(&str, &str, &str); 5] = [
    ("lisovane-10", "daily", "90"),
    ("atorlune-40", "at bedtime", "90"),
    ("omepraze-20", "in the morning", "28"),
    ("paracalm-500", "tid", "10"),
    ("amoxelle-500", "tid", "7"),
];

async fn drafts(hand: &Hand, person: &str) -> Result<Vec<Value>> {
    let problem = json!({ "code": "I10" });
    // Whoever has it already keeps it.
    let _ = hand.ask("post", &format!("/api/people/{person}/problems"), Some(&problem)).await;
    let mut out = vec![];
    for (product, often, days) in ITEMS {
        let form = json!({ "productCode": product, "dose": "1", "often": often, "days": days, "diagnosis": "I10" });
        out.push(hand.send("post", &format!("/api/people/{person}/prescriptions"), form).await?);
    }
    Ok(out)
}

/// Five items under one signature: until the answer, and until the pharmacy has all of them.
pub async fn five_items() -> Result<()> {
    let product = Product::start().await?;
    let hand = Hand::sign_in(product.address(), "oriane").await?;
    let pharmacy = hand.read("/api/clinic").await?["pharmacies"][0]["id"].clone();
    let (mut answered, mut had) = (Vec::new(), Vec::new());
    let everybody = hand.read("/api/people?q=a").await?;
    let mut people: Vec<String> = Vec::new();
    for letters in ["a", "e", "i", "o", "ka", "le", "ma", "na", "ra", "so", "ta", "vi"] {
        let found = hand.read(&format!("/api/people?q={letters}")).await?;
        let ids = found.as_array().or(everybody.as_array()).into_iter().flatten();
        people.extend(ids.filter_map(|p| p["person"]["id"].as_str().map(str::to_owned)));
    }
    people.sort_unstable();
    people.dedup();
    for person in people.iter().take(PEOPLE) {
        // A chart under restriction is left alone.
        let Ok(drafts) = drafts(&hand, person).await else { continue };
        let items = drafts.into_iter().map(|d| {
            let serious = d["warnings"].as_array().into_iter().flatten().filter(|w| w["severity"] == "serious");
            let overrides: Vec<Value> = serious.map(|w| json!({ "about": w["about"], "reason": "weighed" })).collect();
            json!({ "id": d["id"], "pharmacyId": pharmacy, "overrides": overrides })
        });
        let body = json!({ "items": items.collect::<Vec<_>>() });
        let before = product.outside.lock().prescriptions.len();
        let begun = Instant::now();
        hand.send("post", &format!("/api/people/{person}/prescriptions/sign"), body).await?;
        answered.push(begun.elapsed());
        while product.outside.lock().prescriptions.len() < before + ITEMS.len() {
            ensure!(begun.elapsed() < Duration::from_secs(30), "the pharmacy has them");
            tokio::time::sleep(Duration::from_millis(1)).await;
        }
        had.push(begun.elapsed());
    }
    let n = answered.len();
    ensure!(n >= 30, "only {n} people could be prescribed for");
    let millis = |times: &mut Vec<Duration>| percentile(times, 0.95).as_secs_f64() * 1e3;
    println!("| five items signed, through the API, p95 of {n} | {:.1} ms | 200 ms |", millis(&mut answered));
    println!("| the same until the pharmacy has all five, p95 | {:.1} ms | 200 ms |", millis(&mut had));
    product.stop().await.context("stopping")
}
