//! The sheet of somebody with many visits, and words found in their notes, among many people.

use crate::{many, percentile};
use anyhow::{Context, Result};
use diesel_async::{AsyncConnection, RunQueryDsl};
use harbor_demo::attack::hand::Hand;
use harbor_demo::stack::Stack;
use std::time::{Duration, Instant};

/// Visits of the one whose chart is read, each with a note of six parts.
const VISITS: usize = 200;

/// A note for every visit that is over: one part for the many, six for the one who is read.
async fn add_notes(url: &str, person: &str) -> Result<()> {
    let mut conn = harbor_store::Conn::establish(url).await?;
    diesel::sql_query("set session_replication_role = replica").execute(&mut conn).await?;
    diesel::sql_query(format!(
        "insert into visits (id, person_id, clinician_id, site_id, visit_type_id, starts_at, ends_at, day, reason, call_sign, stage,
                             stage_at, left_at, extra, appointment, placed_at, settled, coverage_id, self_pay)
         select gen_random_uuid(), '{person}', s.id, t.id, y.id, d.day + time '08:00', d.day + time '08:20', d.day, 'follow-up',
                'Q' || n, 'left', d.day + time '08:30', d.day + time '08:30', true, true, d.day - 7, true, null, true
         from generate_series(1, {VISITS}) n, lateral (select date '2016-01-04' + n * 18 as day) d,
              (select id from staff where role = 'clinician' order by sort limit 1) s,
              (select id from sites order by sort limit 1) t, (select id from visit_types order by name limit 1) y"
    ))
    .execute(&mut conn)
    .await
    .context("visits")?;
    let words = "'Came for the pressure; sleeps well, walks daily, no chest pain. Readings at home are kept in a list. Cough '
                 || (array['dry at night', 'with phlegm', 'gone since May', 'worse on the stairs'])[1 + n % 4] || '. Takes what was agreed.'";
    for (part, of) in [
        ("history", "v.call_sign like 'P%' or v.call_sign like 'Q%'"),
        ("systems", "v.call_sign like 'Q%'"),
        ("examination", "v.call_sign like 'Q%'"),
        ("assessment", "v.call_sign like 'Q%'"),
        ("plan", "v.call_sign like 'Q%'"),
        ("advice", "v.call_sign like 'Q%'"),
    ] {
        diesel::sql_query(format!(
            "insert into note_parts (id, visit_id, part, body, version, updated_at, updated_by, carried)
             select gen_random_uuid(), v.id, '{part}', {words}, 1, v.starts_at, 'somebody', false
             from (select v.*, row_number() over () as n from visits v where {of}) v"
        ))
        .execute(&mut conn)
        .await
        .with_context(|| format!("notes: {part}"))?;
    }
    diesel::sql_query("vacuum analyze visits, note_parts").execute(&mut conn).await?;
    Ok(())
}

pub async fn p95(hand: &Hand, paths: &[String]) -> Result<f64> {
    let mut times: Vec<Duration> = Vec::new();
    for round in 0..22 {
        for path in paths {
            let begun = Instant::now();
            hand.read(path).await?;
            // What a clinic's day has warm is warm after the first two.
            if round > 1 {
                times.push(begun.elapsed());
            }
        }
    }
    Ok(percentile(&mut times, 0.95).as_secs_f64() * 1e3)
}

/// Measures with so many people, each with five visits before.
pub async fn sheet_among(stack: &Stack, people: usize) -> Result<()> {
    let url = stack.cluster.url("clinic");
    crate::add_people(&url, 0, people - 1).await?;
    many::add_visits(&url, 0, people - 1).await?;
    let hand = Hand::sign_in(&stack.server.address, "oriane").await?;
    let found = hand.read("/api/people?q=IH-10007").await?;
    let person = found[0]["person"]["id"].as_str().context("a person")?.to_owned();
    add_notes(&url, &person).await?;
    let past = hand.read(&format!("/api/people/{person}/past")).await?;
    let visit = past["visits"][0]["visitId"].as_str().context("a visit")?.to_owned();
    let among = format!("among {people} people and {} visits, p95", people * many::VISITS);
    let sheet = p95(&hand, &[format!("/api/visits/{visit}/chart")]).await?;
    println!("| sheet of a person with {VISITS} visits, through the API, {among} | {sheet:.1} ms | 60 ms |");
    let line = p95(&hand, &[format!("/api/people/{person}/past")]).await?;
    println!("| the past of that person as a line of time, {among} | {line:.1} ms | 60 ms |");
    let words = ["cough", "stairs", "phleg", "pressure home", "zebra"];
    let asked: Vec<String> =
        words.iter().map(|w| format!("/api/people/{person}/notes?words={}", w.replace(' ', "%20"))).collect();
    let search = p95(&hand, &asked).await?;
    println!("| words found in that person's {} parts of notes, {among} | {search:.1} ms | 60 ms |", VISITS * 6);
    Ok(())
}
