//! Reports read and kept, the grid of somebody with many values, open orders among many, and whom an uncertain report is about.

use crate::many::writing;
use crate::reading::p95;
use anyhow::{Context, Result};
use diesel_async::RunQueryDsl;
use harbor_core::orders::candidates::NamedPerson;
use harbor_core::orders::{LabReport, ReportStatus, ReportedValue};
use harbor_demo::attack::hand::Hand;
use harbor_demo::stack::Stack;
use harbor_formats::fhir::reports::{read_report, write_report};
use std::time::Instant;

/// Orders beside which the open ones are looked for, and how many of each hundred are open.
const ORDERS: usize = 1_000_000;
const OPEN_OF_A_HUNDRED: usize = 2;

fn report(n: usize, about: &NamedPerson) -> LabReport {
    let value = |i: usize| {
        let name = format!("Analyte {i}");
        ReportedValue::measured("2823-3", &name, 3.5 + (n * 7 + i) as f64 % 20.0 / 10.0, "mmol/L", 3.5, 5.1)
    };
    LabReport {
        number: format!("BENCH-{n}"),
        order_reference: String::new(),
        subject: about.clone(),
        status: ReportStatus::Final,
        issued: harbor_demo::testing::now() - chrono::Duration::hours(n as i64),
        name: "Panel of forty".into(),
        performer: "Gannet Point Laboratory".into(),
        values: (0..40).map(value).collect(),
        conclusion: String::new(),
        files: vec![],
    }
}

/// One core: read alone, and read, matched and kept one after the other.
async fn reports(stack: &Stack) -> Result<()> {
    let nobody = NamedPerson::default();
    let texts: Vec<String> = (0..400).map(|n| write_report(&report(n, &nobody))).collect::<Result<_, _>>()?;
    let begun = Instant::now();
    for text in &texts {
        std::hint::black_box(read_report(text.as_bytes())?);
    }
    let read = texts.len() as f64 / begun.elapsed().as_secs_f64();
    println!("| reports of 40 values read, a second | {read:.0} | |");
    let begun = Instant::now();
    // As many at once as the looking for what came files together.
    for some in texts.chunks(25) {
        let some: Vec<&str> = some.iter().map(String::as_str).collect();
        let taken = harbor_server::work::take_reports(&stack.server.state, &some).await;
        for one in taken.map_err(|p| anyhow::anyhow!(p.detail))? {
            one.map_err(|p| anyhow::anyhow!(p.detail))?;
        }
    }
    let kept = texts.len() as f64 / begun.elapsed().as_secs_f64();
    println!("| reports of 40 values read, matched and kept, 25 in a change, a second | {kept:.0} | 200 |");
    Ok(())
}

async fn grid(hand: &Hand, url: &str) -> Result<()> {
    let found = hand.read("/api/people?q=IH-10007").await?;
    let person = found[0]["person"]["id"].as_str().context("a person")?.to_owned();
    let mut conn = writing(url).await?;
    diesel::sql_query(format!(
        "with reports as (
            insert into lab_reports (id, number, person_id, record_number, status, issued_at, received_at, digest, reviewed_at,
                                     reviewed_by, name, performer, conclusion, subject, urgency)
            select gen_random_uuid(), 'G' || n, '{person}', '', 'final', d, d, 'G' || n, d, 'somebody', 'Panel ' || n % 5, '', '', '{{}}', 'usual'
            from generate_series(1, 200) n, lateral (select timestamptz '2018-01-06' + make_interval(days => n * 15) as d) x
            returning id, name)
         insert into result_values (report_id, position, test_key, loinc, own_code, name, number, words, missing, unit, low, high,
                                    range, method, note, flag, flagged_by)
         select id, i, 'name ' || name || ' ' || i, '', '', name || ' value ' || i, 4.1, '', false, 'mmol/L', 3.5, 5.1, '', '', '', 'N', 'laboratory'
         from reports, generate_series(0, 14) i"
    ))
    .execute(&mut conn)
    .await
    .context("values")?;
    let grid = p95(hand, &[format!("/api/people/{person}/results")]).await?;
    println!("| results grid of a person with 3,000 values, through the API, p95 | {grid:.1} ms | 60 ms |");
    Ok(())
}

async fn open_orders(hand: &Hand, url: &str) -> Result<()> {
    let mut conn = writing(url).await?;
    diesel::sql_query(format!(
        "insert into orders (id, visit_id, person_id, test_code, test_name, loinc, specimen, state, placement_reason, ordered_at,
                             ordered_by, orderer_id, state_reason, kind, priority, request, prepared_by, taken_over_from, signed_at, done_by,
                             taken_where, taken_by)
         select gen_random_uuid(), v.id, v.person_id, 'K', 'Potassium', '2823-3', 'serum',
                case when n % 100 < {OPEN_OF_A_HUNDRED} then 'accepted' else 'resulted' end, '',
                timestamptz '2020-01-06' + make_interval(mins => n), 'somebody', v.clinician_id, '', 'laboratory', 'routine', '{{}}', '', '',
                timestamptz '2020-01-06' + make_interval(mins => n), '', 'here', ''
         from generate_series(1, {ORDERS}) n
              join (select id, person_id, clinician_id, row_number() over () - 1 as at, count(*) over () as of from visits) v
                on v.at = n % v.of"
    ))
    .execute(&mut conn)
    .await
    .context("orders")?;
    diesel::sql_query("vacuum analyze orders").execute(&mut conn).await?;
    for (path, whose) in [("/api/orders/open", "one's own"), ("/api/orders/open?all=true", "all")] {
        let open = p95(hand, &[path.to_owned()]).await?;
        println!("| open orders, {whose}, among {ORDERS} orders, through the API, p95 | {open:.1} ms | 60 ms |");
    }
    Ok(())
}

async fn candidates(stack: &Stack, hand: &Hand, people: usize) -> Result<()> {
    let names = [
        ("Ferreira-Holn", "Lucan", "M"),
        ("Quillfether", "Maria", "F"),
        ("Takahashi", "Wrenn", "F"),
        ("Kowalczyk", "Zofja", "F"),
    ];
    let mut paths = Vec::new();
    for (n, (last, first, sex)) in names.into_iter().enumerate() {
        let named = NamedPerson {
            last: last.into(),
            first: first.into(),
            birth_date: chrono::NaiveDate::from_ymd_opt(1968, 11, 2),
            sex: sex.into(),
            ..NamedPerson::default()
        };
        let text = write_report(&report(10_000 + n, &named))?;
        harbor_server::work::take_report(&stack.server.state, &text).await.map_err(|p| anyhow::anyhow!(p.detail))?;
        let waiting = hand.read("/api/results?all=true").await?;
        let number = format!("BENCH-{}", 10_000 + n);
        let all = waiting["waiting"].as_array().context("a list")?;
        let id =
            all.iter().find(|w| w["number"] == number.as_str()).and_then(|w| w["id"].as_str()).context("the report")?;
        paths.push(format!("/api/results/{id}/candidates"));
    }
    let mut worst: f64 = 0.0;
    for path in &paths {
        worst = worst.max(p95(hand, std::slice::from_ref(path)).await?);
    }
    println!(
        "| whom an uncertain report may be about, among {people} people, through the API, p95 of the slowest name | {worst:.1} ms | 60 ms |"
    );
    Ok(())
}

/// Measures with so many people.
pub async fn results_among(stack: &Stack, people: usize) -> Result<()> {
    let url = stack.cluster.url("clinic");
    let hand = Hand::sign_in(&stack.server.address, "oriane").await?;
    grid(&hand, &url).await?;
    open_orders(&hand, &url).await?;
    crate::add_people(&url, 0, people - 1).await?;
    candidates(stack, &hand, people).await?;
    reports(stack).await
}
