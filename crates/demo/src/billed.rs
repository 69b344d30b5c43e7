//! Five hundred claims in one batch through the API, and the claim check in the core.

use crate::percentile;
use anyhow::{Context, Result, ensure};
use chrono::NaiveDate;
use diesel_async::RunQueryDsl;
use harbor_core::charges::claim_check::{ClaimCandidate, PolicyOnClaim, Rendering, check_claim};
use harbor_core::charges::fee_schedules::ServiceNeed;
use harbor_core::charges::{Catalogued, ChargeLine};
use harbor_core::coverage::Relationship;
use harbor_core::money::Cents;
use harbor_core::people::Sex;
use harbor_demo::attack::hand::Hand;
use harbor_demo::testing::Product;
use harbor_server::tables::Tables;
use serde_json::{Value, json};
use std::time::{Duration, Instant};

/// A claim with twelve diagnoses and twelve lines.
fn candidate(codes: &[String], turn: usize) -> ClaimCandidate<'static> {
    let day = NaiveDate::from_ymd_opt(2026, 11, 20).unwrap_or_default();
    let line = |n: u32| ChargeLine {
        number: n,
        service: format!("service {n}"),
        code: format!("IH{n:03}"),
        modifiers: vec!["25".into()],
        units: 1,
        price: Some(Cents::new(12_000)),
        pointers: vec![1, 2, 3, 4],
        is_level: n == 1,
        is_procedure: n == 2,
        catalogued: Catalogued { most_units: Some(4), needs: vec![ServiceNeed::Side], ..Catalogued::default() },
    };
    ClaimCandidate {
        today: day,
        service_date: day,
        name: "Maximilian Montgomery Feuerstein-Adjei".into(),
        birth_date: NaiveDate::from_ymd_opt(1961, 2, 3),
        sex: Some(Sex::Male),
        has_address: true,
        policy: Some(PolicyOnClaim {
            payer: "Saltmarsh Mutual Health Plan".into(),
            subscriber_number: "SM55510".into(),
            group_number: "G100".into(),
            in_force: true,
            verified: true,
            employment: false,
            relationship: Relationship::SelfHolder,
            holder_name: "Maximilian Montgomery Feuerstein-Adjei".into(),
            holder_birth: NaiveDate::from_ymd_opt(1961, 2, 3),
            holder_address: true,
            filing_days: Some(180),
            needs_referral: false,
        }),
        self_pay: false,
        alone: false,
        estimated: None,
        diagnoses: (0..12).map(|n| codes[(turn * 131 + n * 977) % codes.len()].clone()).collect(),
        unrelated: vec![],
        lines: (1..=12).map(line).collect(),
        rendering: Rendering { npi: Some("1234567893"), taxonomy: Some("207Q00000X") },
        billing_postal_code: "04998-0001",
        accident_date: None,
        accident_number: String::new(),
        accident_at_work: false,
        employer: String::new(),
        supervised: false,
        referral: None,
        referrals_on_file: 0,
        approved: false,
    }
}

/// All rules over twelve diagnoses, drawn from the whole release, and twelve lines.
pub fn claim_checks() -> Result<()> {
    let index = &Tables::shared()?.diagnoses;
    let codes: Vec<String> =
        index.search("type", &[], 10).into_iter().chain(index.search("pain", &[], 10)).map(|h| h.code).collect();
    let more: Vec<String> = ["A", "C", "E", "F", "I", "J", "K", "M", "N", "R", "S", "Z"]
        .iter()
        .flat_map(|letter| (0..90).map(move |n| format!("{letter}{n:02}")))
        .flat_map(|category| index.below(&category).into_iter().map(|e| e.code.clone()).take(3).collect::<Vec<_>>())
        .collect();
    let codes: Vec<String> = codes.into_iter().chain(more).collect();
    ensure!(codes.len() > 1_000, "only {} codes", codes.len());
    let mut times: Vec<Duration> = (0..5_000)
        .map(|turn| {
            let c = candidate(&codes, turn);
            let begun = Instant::now();
            std::hint::black_box(check_claim(&c, index));
            begun.elapsed()
        })
        .collect();
    let n = times.len();
    let p99 = percentile(&mut times, 0.99);
    println!("| claim check, 12 diagnoses and 12 lines, p99 of {n} | {:.2} ms | 2 ms |", p99.as_secs_f64() * 1e3);
    Ok(())
}

/// Until the answer, and until the clearing house has the file.
pub async fn five_hundred() -> Result<()> {
    const CLAIMS: usize = 500;
    let product = Product::start().await?;
    let again = "update claims set state = 'ready', batch_id = null where id in (
                     select c.id from claims c join payers p on p.id = c.payer_id
                     where not p.employment order by c.made_at desc limit 500)";
    let store = harbor_store::Store::open(&product.database_url, 2).await?;
    diesel::sql_query(again).execute(&mut *store.reader().await?).await?;
    let hand = Hand::sign_in(product.address(), "agathe").await?;
    let ready = hand.read("/api/claims?state=ready&limit=1000").await?;
    let ids: Vec<Value> =
        ready.as_array().into_iter().flatten().map(|c| c["claim"]["id"].clone()).take(CLAIMS).collect();
    ensure!(ids.len() == CLAIMS, "only {} claims are ready", ids.len());
    let taken = || product.outside.lock().received.iter().filter(|(part, _)| *part == "clearing house").count();
    let before = taken();
    let begun = Instant::now();
    let made = hand.send("post", "/api/batches", json!({ "claimIds": ids })).await?;
    let answered = begun.elapsed();
    ensure!(made["batch"]["id"].is_string(), "a batch: {made}");
    while taken() == before {
        ensure!(begun.elapsed() < Duration::from_secs(60), "the clearing house has it");
        tokio::time::sleep(Duration::from_millis(2)).await;
    }
    let had = begun.elapsed();
    println!(
        "| {CLAIMS} claims checked and written in one batch, through the API | {:.2} s | 3 s |",
        answered.as_secs_f64()
    );
    println!("| the same until the clearing house has the file | {:.2} s | 3 s |", had.as_secs_f64());
    product.stop().await.context("stopping")
}
