//! What patients owe: a run of statements through the API, and receivables over many open debts.

use crate::percentile;
use anyhow::{Context, Result, ensure};
use diesel_async::RunQueryDsl;
use harbor_demo::attack::hand::Hand;
use harbor_demo::testing::Product;
use serde_json::json;
use std::time::{Duration, Instant};

/// Guarantors of a run.
const GUARANTORS: usize = 2_000;

/// A run for all of them, from the request until the last is kept.
pub async fn statements() -> Result<()> {
    let product = Product::start().await?;
    crate::add_people(&product.database_url, 0, GUARANTORS).await?;
    let store = harbor_store::Store::open(&product.database_url, 2).await?;
    for sql in [
        "update people set address_line = '7 Ropewalk', city = 'Port Calder', state = 'ME', postal_code = '04998'
         where address_line = ''",
        "with who as (select id from people where merged_into is null and deceased_on is null order by id desc limit 2000),
         t as (insert into ledger_transactions (id, kind, person_id, idempotency_key, posted_at, posted_by, memo)
               select gen_random_uuid(), 'carried_over', id, 'bench:' || id, now() - interval '60 days', 'bench', ''
               from who returning id, person_id)
         insert into ledger_entries (transaction_id, account, cents, memo, guarantor_id)
         select id, 'patient', 5000, '', person_id from t union all select id, 'opening', -5000, '', null from t",
    ] {
        diesel::sql_query(sql).execute(&mut *store.reader().await?).await?;
    }
    let hand = Hand::sign_in(product.address(), "agathe").await?;
    let begun = Instant::now();
    let due = hand.read("/api/statements/due").await?;
    let looked = begun.elapsed();
    let count = due["count"].as_u64().unwrap_or_default();
    ensure!(count >= GUARANTORS as u64, "only {count} are due");
    let begun = Instant::now();
    let run = hand.send("post", "/api/statements/runs", json!({ "id": uuid::Uuid::now_v7() })).await?;
    loop {
        let runs = hand.read("/api/statements/runs").await?;
        if !runs[0]["endedAt"].is_null() {
            ensure!(runs[0]["made"].as_u64() == Some(count), "made as asked: {run}");
            break;
        }
        ensure!(begun.elapsed() < Duration::from_secs(600), "the run ends");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    println!("| {count} statements made and kept | {:.1} s | 60 s for 2,000 |", begun.elapsed().as_secs_f64());
    println!("| what would be made of them | {:.2} s | — |", looked.as_secs_f64());
    product.stop().await.context("stopping")
}

/// Many open debts over the demo's visits, each of a guarantor of its own; as the database keeps them beside the ledger.
pub async fn receivables(debts: usize) -> Result<()> {
    let product = Product::start().await?;
    let store = harbor_store::Store::open(&product.database_url, 2).await?;
    let fill = format!(
        "insert into open_debts (account, visit_id, payer_id, guarantor_id, cents, since, last_at)
         select case when n % 2 = 0 then 'payer' else 'patient' end, v.id, case when n % 2 = 0 then p.id end,
                gen_random_uuid(), 1000 + n % 9000, v.starts_at, v.starts_at
         from generate_series(1, {debts}) n
         join (select id, starts_at, row_number() over () as at, count(*) over () as all from visits) v on v.at = n % v.all + 1
         join (select id, row_number() over () as at, count(*) over () as all from payers) p on p.at = n % p.all + 1"
    );
    diesel::sql_query(fill).execute(&mut *store.reader().await?).await?;
    diesel::sql_query("analyze open_debts").execute(&mut *store.reader().await?).await.ok();
    let hand = Hand::sign_in(product.address(), "agathe").await?;
    for by in ["payer", "clinician", "site", "guarantor"] {
        let path = format!("/api/receivables?by={by}&from=service");
        let mut times = Vec::new();
        for _ in 0..12 {
            let begun = Instant::now();
            hand.read(&path).await?;
            times.push(begun.elapsed());
        }
        let p95 = percentile(&mut times, 0.95);
        println!("| receivables by {by} over {debts} open debts, p95 of 12 | {} ms | 300 ms |", p95.as_millis());
    }
    product.stop().await.context("stopping")
}
