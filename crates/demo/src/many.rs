//! The first view of every area with many people, visits, claims and results beside the same with few.

use crate::percentile;
use anyhow::{Context, Result};
use diesel_async::{AsyncConnection, RunQueryDsl};
use harbor_demo::attack::hand::Hand;
use harbor_demo::stack::Stack;
use std::time::{Duration, Instant};

/// What there is for each person, as a clinic of some years has it.
pub const VISITS: usize = 5;
const CLAIMS: usize = 3;
const RESULTS: usize = 20;

/// Connects for writing a past: triggers and references are left aside, as a restore does.
pub async fn writing(url: &str) -> Result<harbor_store::Conn> {
    let mut conn = harbor_store::Conn::establish(url).await?;
    diesel::sql_query("set session_replication_role = replica").execute(&mut conn).await?;
    Ok(conn)
}

/// The people whose record numbers lie in this range, numbered.
fn whose(from: usize, to: usize) -> String {
    format!(
        "select id, row_number() over (order by record_number) + {from} as n from people
         where record_number >= 'IH-' || (1000000 + {from}) and record_number <= 'IH-' || (1000000 + {to})"
    )
}

/// Adds visits that are over and settled, for the people whose record numbers lie in this range.
pub async fn add_visits(url: &str, from: usize, to: usize) -> Result<()> {
    let mut conn = writing(url).await?;
    let whose = whose(from, to);
    for v in 0..VISITS {
        diesel::sql_query(format!(
            "insert into visits (id, person_id, clinician_id, site_id, visit_type_id, starts_at, ends_at, day, reason, call_sign, stage,
                                 stage_at, left_at, extra, appointment, placed_at, settled, coverage_id, self_pay)
             select gen_random_uuid(), w.id, s.id, t.id, y.id, d.day + time '10:00', d.day + time '10:20', d.day, 'follow-up',
                    'P' || w.n || '-{v}', 'left', d.day + time '10:30', d.day + time '10:30', true, true, d.day - 7, true, null, true
             from ({whose}) w,
                  lateral (select date '2020-01-06' + ((w.n * 7 + {v} * 397) % 2400)::integer as day) d,
                  (select id from staff where role = 'clinician' order by sort limit 1) s,
                  (select id from sites order by sort limit 1) t, (select id from visit_types order by name limit 1) y"
        ))
        .execute(&mut conn)
        .await
        .context("visits")?;
    }
    diesel::sql_query(
        "insert into visit_marks (visit_id, mark, at, by)
         select v.id, m, v.starts_at, 'somebody' from visits v, unnest(array['booked', 'here', 'seen', 'signed', 'settled']) m
         where v.call_sign like 'P%' and not exists (select 1 from visit_marks x where x.visit_id = v.id)",
    )
    .execute(&mut conn)
    .await
    .context("marks")?;
    diesel::sql_query("vacuum analyze visits, visit_marks").execute(&mut conn).await?;
    Ok(())
}

/// Adds what follows of those visits: claims, paid, and results, seen.
async fn add_past(url: &str, from: usize, to: usize) -> Result<()> {
    add_visits(url, from, to).await?;
    let mut conn = writing(url).await?;
    let whose = whose(from, to);
    diesel::sql_query(format!(
        "insert into claims (id, visit_id, coverage_id, payer_id, state, total_cents, made_at)
         select gen_random_uuid(), v.id, c.id, c.payer_id, 'paid', 19500, v.starts_at
         from visits v, (select id, payer_id from coverages limit 1) c
         where v.call_sign like 'P%' and right(v.call_sign, 1)::integer < {CLAIMS}
           and not exists (select 1 from claims x where x.visit_id = v.id)"
    ))
    .execute(&mut conn)
    .await
    .context("claims")?;
    diesel::sql_query(format!(
        "with reports as (
         insert into lab_reports (id, number, person_id, record_number, status, issued_at, received_at, digest, reviewed_at, reviewed_by,
                                  name, performer, conclusion, subject, urgency)
         select gen_random_uuid(), 'R' || w.n || '-' || r, w.id, '', 'final', at, at, 'R' || w.n || '-' || r, at, 'somebody',
                'Potassium', '', '', '{{}}', 'usual'
         from ({whose}) w, generate_series(1, {RESULTS}) r, lateral (select timestamptz '2020-01-06' + make_interval(days => ((w.n * 3 + r * 97)::integer) % 2400) as at) d
         returning id)
         insert into result_values (report_id, position, test_key, loinc, own_code, name, number, words, missing, unit, range, method, note, flag, flagged_by)
         select id, 0, 'loinc 2823-3', '2823-3', '', 'Potassium', 4.1, '', false, 'mmol/L', '', '', '', 'N', 'laboratory' from reports"
    ))
    .execute(&mut conn)
    .await
    .context("results")?;
    diesel::sql_query("vacuum analyze claims, lab_reports, result_values").execute(&mut conn).await?;
    Ok(())
}

/// The first question of each area, with whoever asks it.
async fn first_views(base: &str) -> Result<Vec<(&'static str, String, Hand)>> {
    let desk = Hand::sign_in(base, "junia").await?;
    let clinic = desk.read("/api/clinic").await?;
    let site = clinic["sites"][0]["id"].as_str().context("a site")?.to_owned();
    let found = desk.read("/api/people?q=IH-10007").await?;
    let person = found[0]["person"]["id"].as_str().context("a person")?.to_owned();
    let visits = desk.read(&format!("/api/people/{person}/visits")).await?;
    let visit = visits[0]["visit"]["id"].as_str().context("a visit")?.to_owned();
    let of = async |login| Hand::sign_in(base, login).await;
    Ok(vec![
        ("Today, front desk", "/api/today".into(), desk),
        ("Today, clinician", "/api/today".into(), of("oriane").await?),
        ("Today, biller", "/api/today".into(), of("agathe").await?),
        ("schedule of a day", "/api/schedule?day=2026-11-24".into(), of("junia").await?),
        ("schedule of a month", "/api/schedule/month?day=2026-11-24".into(), of("junia").await?),
        ("in clinic", "/api/in-clinic".into(), of("petra").await?),
        ("a person", format!("/api/people/{person}"), of("junia").await?),
        ("a person's visits", format!("/api/people/{person}/visits"), of("junia").await?),
        ("a person's account", format!("/api/people/{person}/account"), of("junia").await?),
        ("a visit", format!("/api/visits/{visit}"), of("oriane").await?),
        ("a chart", format!("/api/visits/{visit}/chart"), of("oriane").await?),
        ("check-in", format!("/api/visits/{visit}/check-in"), of("junia").await?),
        ("results", "/api/results".into(), of("oriane").await?),
        ("claims", "/api/claims".into(), of("agathe").await?),
        ("claims that are ready", "/api/claims?state=ready".into(), of("agathe").await?),
        ("batches", "/api/batches".into(), of("agathe").await?),
        ("remittances", "/api/remittances".into(), of("agathe").await?),
        ("the till", format!("/api/sites/{site}/till"), of("junia").await?),
    ])
}

async fn measure(views: &[(&'static str, String, Hand)]) -> Result<Vec<f64>> {
    let mut out = Vec::new();
    for (_, path, hand) in views {
        let mut times: Vec<Duration> = Vec::new();
        for round in 0..22 {
            let begun = Instant::now();
            hand.read(path).await?;
            // What a clinic's day has warm is warm after the first two.
            if round > 1 {
                times.push(begun.elapsed());
            }
        }
        out.push(percentile(&mut times, 0.95).as_secs_f64() * 1e3);
    }
    Ok(out)
}

/// Measures with `few` people and with `many`.
pub async fn first_views_among(stack: &Stack, few: usize, many: usize) -> Result<()> {
    let url = stack.cluster.url("clinic");
    let begun = Instant::now();
    crate::add_people(&url, 0, few - 1).await?;
    add_past(&url, 0, few - 1).await?;
    let views = first_views(&stack.server.address).await?;
    let before = measure(&views).await?;
    crate::add_people(&url, few, many - 1).await?;
    add_past(&url, few, many - 1).await?;
    println!(
        "| {many} people, {} visits, {} claims, {} results made | {:.0} s | 20 min |",
        many * VISITS,
        many * CLAIMS,
        many * RESULTS,
        begun.elapsed().as_secs_f64()
    );
    let after = measure(&views).await?;
    for ((name, ..), (a, b)) in views.iter().zip(before.iter().zip(&after)) {
        println!(
            "| first view of {name}, p95 of 20, among {many} people; among {few} | {b:.1} ms; {a:.1} ms, {:.2} times | 60 ms, 1.5 times |",
            b / a
        );
    }
    Ok(())
}
