//! Forty people at work at once: each reads, searches and types as their role does, with a live stream open.

use crate::percentile;
use anyhow::{Context, Result};
use harbor_demo::attack::hand::Hand;
use harbor_demo::stack::Stack;
use harbor_server::watch::resident_memory;
use serde_json::json;
use std::time::{Duration, Instant};

/// Forty people of the five roles, as a clinic of that size has them.
const PEOPLE: [(&str, usize); 10] = [
    ("junia", 7),
    ("casimir", 7),
    ("petra", 5),
    ("davi", 5),
    ("oriane", 3),
    ("tobias", 3),
    ("ifeoma", 3),
    ("maelis", 3),
    ("agathe", 3),
    ("soren", 1),
];

/// What one of them found: how long answers took, and what went wrong.
#[derive(Default)]
struct Found {
    times: Vec<Duration>,
    heard: usize,
    wrong: Vec<String>,
}

/// Somebody at work until the time is over; `n` keeps what they write apart from what the others write.
async fn work(hand: Hand, login: &'static str, n: usize, until: Instant) -> Found {
    let mut found = Found::default();
    let stream = hand.live();
    let Ok(mut stream) = stream.await else {
        found.wrong.push("no live stream".into());
        return found;
    };
    let mut turn = n;
    while Instant::now() < until {
        turn += 1;
        let begun = Instant::now();
        let done = match login {
            "junia" | "casimir" => desk(&hand, n, turn).await,
            "petra" | "davi" => assistant(&hand, n, turn).await,
            "agathe" => look(&hand, ["/api/claims", "/api/today", "/api/remittances", "/api/batches"][turn % 4]).await,
            "soren" => look(&hand, ["/api/today", "/api/supply", "/api/staff", "/api/in-clinic"][turn % 4]).await,
            // No two of the clinicians write in one note: they are the last but four.
            _ => clinician(&hand, n - PEOPLE[..4].iter().map(|(_, count)| count).sum::<usize>(), turn).await,
        };
        match done {
            Ok(asked) => found.times.push(begun.elapsed() / asked.max(1)),
            Err(error) => found.wrong.push(format!("{login}: {error:#}")),
        }
        // A thought of one to three seconds, in which tidings come in.
        let pause = Duration::from_millis(1_000 + (turn * 389 + n * 97) as u64 % 2_000);
        let rest = tokio::time::Instant::now() + pause;
        while let Ok(Ok(Some(bytes))) = tokio::time::timeout_at(rest, stream.chunk()).await {
            found.heard += bytes.windows(6).filter(|w| w == b"data: ").count();
        }
    }
    found
}

/// One question; how many were asked comes back, so that a chain of them counts each.
async fn look(hand: &Hand, path: &str) -> Result<u32> {
    hand.read(path).await.map(|_| 1)
}

async fn desk(hand: &Hand, n: usize, turn: usize) -> Result<u32> {
    match turn % 5 {
        0 => look(hand, "/api/schedule?day=2026-11-23").await,
        1 => look(hand, &format!("/api/people?q={}", ["tak", "fer luc", "lachance", "IH-10012"][turn / 5 % 4])).await,
        2 => look(hand, "/api/today").await,
        3 => look(hand, "/api/open-times").await,
        // Types into a registration of one's own.
        _ => {
            let people = hand.read(&format!("/api/people?q=IH-{}", 10_030 + n)).await?;
            let id = people[0]["person"]["id"].as_str().context("a person")?.to_owned();
            let version = hand.read(&format!("/api/people/{id}")).await?["person"]["version"].clone();
            let body = json!({ "version": version, "occupation": format!("Netmaker {turn}") });
            hand.send("patch", &format!("/api/people/{id}"), body).await.map(|_| 3)
        }
    }
}

async fn of_today(hand: &Hand, n: usize) -> Result<String> {
    let day = hand.read("/api/schedule?day=2026-11-23").await?;
    let visits: Vec<&str> = day["visits"]
        .as_array()
        .into_iter()
        .flatten()
        .filter(|v| {
            ["here", "checked_in", "in_room", "with_clinician"].contains(&v["visit"]["stage"].as_str().unwrap_or(""))
        })
        .filter_map(|v| v["visit"]["id"].as_str())
        .collect();
    Ok((*visits.get(n % visits.len().max(1)).context("a visit of today")?).to_owned())
}

async fn assistant(hand: &Hand, n: usize, turn: usize) -> Result<u32> {
    match turn % 3 {
        0 => look(hand, "/api/in-clinic").await,
        1 => look(hand, "/api/today").await,
        _ => {
            let visit = of_today(hand, n).await?;
            let body = json!({ "text": "bp 128/82 p 72 t 36.8", "keep": false });
            hand.send("post", &format!("/api/visits/{visit}/quick-line"), body).await.map(|_| 2)
        }
    }
}

async fn clinician(hand: &Hand, n: usize, turn: usize) -> Result<u32> {
    match turn % 4 {
        0 => look(hand, "/api/today").await,
        1 => look(hand, "/api/results").await,
        2 => {
            look(hand, &format!("/api/codes?q={}", ["chronic cough", "hypert", "e11", "pain knee"][turn / 4 % 4])).await
        }
        // Types a word more of a note.
        _ => {
            let visit = of_today(hand, n).await?;
            let chart = hand.read(&format!("/api/visits/{visit}/chart")).await?;
            let part = chart["parts"].as_array().into_iter().flatten().find(|p| p["part"] == "history");
            let version = part.map_or(json!(0), |p| p["version"].clone());
            let run = part.map(|p| p["runId"].clone());
            let body = json!({ "version": version, "run": run, "body": format!("Coughs since Friday, turn {turn}.") });
            hand.send("put", &format!("/api/visits/{visit}/note/history"), body).await.map(|_| 3)
        }
    }
}

/// Lets all of them work for so long.
pub async fn at_once(stack: &Stack, minutes: u64) -> Result<()> {
    let mut hands = Vec::new();
    for (login, count) in PEOPLE {
        for _ in 0..count {
            hands.push((Hand::sign_in(&stack.server.address, login).await?, login));
        }
    }
    let people = hands.len();
    let begun = resident_memory().context("VmRSS")?;
    let until = Instant::now() + Duration::from_secs(60 * minutes);
    let all = hands.into_iter().enumerate().map(|(n, (hand, login))| tokio::spawn(work(hand, login, n, until)));
    let mut found = Found::default();
    for one in futures_util::future::join_all(all).await {
        let one = one?;
        found.times.extend(one.times);
        found.heard += one.heard;
        found.wrong.extend(one.wrong);
    }
    let count = found.times.len();
    anyhow::ensure!(count > people, "hardly anything was done: {:?}", found.wrong.first());
    let p95 = percentile(&mut found.times, 0.95).as_secs_f64() * 1e3;
    println!(
        "| {people} people at work for {minutes} min, {count} answers, {} tidings heard, p95 | {p95:.1} ms | 100 ms |",
        found.heard
    );
    println!("| of these went wrong | {} {} | 0 |", found.wrong.len(), found.wrong.first().map_or("", String::as_str));
    println!(
        "| memory of server, stand-ins and crowd, before and after | {:.0} MB, {:.0} MB | flat |",
        begun / 1e6,
        resident_memory().context("VmRSS")? / 1e6
    );
    Ok(())
}
