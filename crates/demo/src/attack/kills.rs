//! The server is killed (SIGKILL) in the middle of its work, again and again: what was acknowledged is there once, what
//! was not is there whole or not at all.

use super::hand::Hand;
use super::{Tally, invariants};
use crate::testing::Product;
use anyhow::{Context, Result};
use futures_util::future::join_all;
use serde_json::json;
use std::path::Path;
use std::process::Stdio;
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, BufReader};
use tokio::process::{Child, Command};
use uuid::Uuid;

/// A server in a process of its own, on the product's database and stand-ins.
async fn start(product: &Product, server: &Path) -> Result<(Child, String)> {
    let settings = &product.server.state.settings;
    let mut child = Command::new(server)
        .args(["serve", "--port", "0", "--database", &settings.database_url])
        .args(["--outside", settings.outside_url.as_deref().unwrap_or("")])
        .env("RUST_LOG", "error")
        .stdout(Stdio::piped())
        .kill_on_drop(true)
        .spawn()
        .with_context(|| format!("starting {}", server.display()))?;
    let mut lines = BufReader::new(child.stdout.take().context("its output")?).lines();
    while let Some(line) = lines.next_line().await? {
        if let Some(address) = line.strip_prefix("ready ") {
            return Ok((child, address.to_owned()));
        }
    }
    anyhow::bail!("the server did not come up")
}

/// So many rounds.
pub async fn run(product: &Product, server: &Path, rounds: usize) -> Result<Tally> {
    let mut tally = Tally::of("kills in the middle of payments");
    let mut acknowledged = Vec::new();
    for round in 0..rounds {
        let (mut child, address) = start(product, server).await?;
        let desk = Hand::sign_in(&address, "junia").await?;
        let site = desk.get("/api/clinic").await["sites"][1]["id"].clone();
        let people = desk.get("/api/people?q=ferreira").await;
        let person = people[0]["person"]["id"].clone();
        let keys: Vec<Uuid> = (0..12).map(|_| Uuid::now_v7()).collect();
        let pay = keys.iter().enumerate().map(|(n, key)| {
            let method = if n % 2 == 0 { "card" } else { "cash" };
            let form = json!({ "personId": person, "siteId": site, "key": key, "moreThanOwed": true,
                "means": [{ "method": method, "amount": format!("{}.20", n + 1) }] });
            let desk = desk.clone();
            async move { (*key, desk.ask("post", "/api/payments", Some(&form)).await) }
        });
        let kill = async {
            tokio::time::sleep(Duration::from_millis(15 + 17 * (round as u64 % 11))).await;
            child.kill().await
        };
        let (answers, killed) = futures_util::future::join(join_all(pay), kill).await;
        killed?;
        for (key, answer) in answers {
            let right = answer.as_ref().is_none_or(|(status, _)| *status < 500 || *status == 503);
            tally.asked(right, || format!("payment {key}: {answer:?}"));
            if answer.is_some_and(|(status, _)| status == 200) {
                acknowledged.push(key);
            }
        }
    }
    // What was charged and not posted is settled by the next server from the terminal's own record.
    let (mut child, _) = start(product, server).await?;
    let end = tokio::time::Instant::now() + Duration::from_secs(40);
    let last = loop {
        let held =
            invariants::held(&product.database_url, Some(&product.outside), &acknowledged, "records after the kills")
                .await?;
        if held.wrong == 0 || tokio::time::Instant::now() > end {
            break held;
        }
        tokio::time::sleep(Duration::from_millis(500)).await;
    };
    child.kill().await?;
    tally.asked += last.asked;
    tally.wrong += last.wrong;
    tally.faults.extend(last.faults);
    Ok(tally)
}
