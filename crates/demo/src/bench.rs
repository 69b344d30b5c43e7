//! `./harbor bench`: each number beside its bound. Run in release; compare within one run only.

use anyhow::{Context, Result};
use chrono::NaiveDate;
use harbor_core::claims::{AddressOnClaim, Biller, Claim, ClaimLine, PersonOnClaim, ProviderOnClaim};
use harbor_core::coverage::{Rank, Relationship};
use harbor_core::money::Cents;
use harbor_core::money::remittance::{Adjustment, AdjustmentGroup, Remittance, RemittedClaim, RemittedLine};
use harbor_demo::stack::{Stack, Wanted, start};
use harbor_demo::{PASSWORD, ZONE, names};
use harbor_formats::x12::{self, Stamp, claim, remittance};
use std::time::{Duration, Instant};

mod answered;
mod at_work;
mod billed;
mod many;
mod owing;
mod reading;
mod signing;
mod typing;

fn main() -> Result<()> {
    // All of it, or the parts that are named.
    let wanted: Vec<String> = std::env::args().skip(1).collect();
    let on = |part: &str| wanted.is_empty() || wanted.iter().any(|w| w == part);
    println!("| what | measured | bound |");
    println!("|---|---|---|");
    if on("diagnoses") {
        typing::diagnosis_search()?;
    }
    if on("quick") {
        typing::quick_line()?;
    }
    if on("medicines") {
        typing::medicine_search()?;
        typing::prescription_checks()?;
    }
    if on("claims") {
        billed::claim_checks()?;
        claims_written();
        remittances_read()?;
    }
    if on("twins") {
        twins();
    }
    if on("rebooking") {
        rebooking();
    }
    if on("waiting") {
        waiting();
    }
    actix_web::rt::System::new().block_on(async {
        through_the_api(on("schedule"), on("people")).await?;
        // These take long, so only who names them gets them; a number beside them is how many people, how many minutes.
        let named = |part: &str| wanted.iter().any(|w| w == part);
        let number: Option<usize> = wanted.iter().find_map(|w| w.parse().ok());
        if named("views") {
            first_views(number.unwrap_or(1_000_000)).await?;
        }
        if named("sheet") {
            let stack = a_product().await?;
            reading::sheet_among(&stack, number.unwrap_or(1_000_000)).await?;
            stack.stop().await?;
        }
        if named("results") {
            let stack = a_product().await?;
            answered::results_among(&stack, number.unwrap_or(1_000_000)).await?;
            stack.stop().await?;
        }
        if on("medicines") {
            signing::five_items().await?;
        }
        if on("claims") {
            billed::five_hundred().await?;
        }
        if named("statements") {
            owing::statements().await?;
        }
        if named("receivables") {
            owing::receivables(number.unwrap_or(3_000_000)).await?;
        }
        if named("work") {
            let stack = a_product().await?;
            at_work::at_once(&stack, number.unwrap_or(10) as u64).await?;
            stack.stop().await?;
        }
        Ok(())
    })
}

/// The value below which this share of the times lies.
fn percentile(times: &mut [Duration], share: f64) -> Duration {
    times.sort_unstable();
    let at = ((times.len() as f64 * share).ceil() as usize).clamp(1, times.len());
    times[at - 1]
}

fn twins() {
    let pairs = harbor_demo::twins::pairs(20_000);
    let q = harbor_demo::twins::quality(&pairs);
    println!("| likely twins, precision over {} labelled pairs | {:.4} | 0.98 |", pairs.len(), q.precision);
    println!("| likely twins, recall over the same | {:.4} | 0.95 |", q.recall);
}

/// Generated mornings: our time of being roomed beside the usual rule of thumb.
fn waiting() {
    let errors = harbor_demo::mornings::measure(200);
    let (ours, plain) = errors.means();
    println!(
        "| time of being roomed, {} looks over 200 mornings, mean error | {ours:.1} min | half of {plain:.1} min (appointment time plus average delay) |",
        errors.looks
    );
}

/// Generated days on which a clinician falls out: the plan beside booking one after the other.
fn rebooking() {
    use harbor_core::schedule::rebooking::{one_after_the_other, plan};
    let (mut planned, mut by_hand) = ((0, 0, 0), (0, 0, 0));
    for day in 0..200 {
        let (people, openings) = harbor_demo::rebooking::fallen_out(day, 18, 40);
        let (a, b) = (plan(&people, &openings, &[], ZONE), one_after_the_other(&people, &openings, ZONE));
        planned = (planned.0 + a.unplaced, planned.1 + a.delay, planned.2 + a.burden);
        by_hand = (by_hand.0 + b.unplaced, by_hand.1 + b.delay, by_hand.2 + b.burden);
    }
    let days = |minutes: i64| minutes / (24 * 60);
    let row = |(none, delay, burden): (usize, i64, i64)| {
        format!("{none} without a time, {} days of delay, {} weighted", days(delay), days(burden))
    };
    println!("| rebooking over 200 days | {} | one after the other: {} |", row(planned), row(by_hand));
    let (people, openings) = harbor_demo::rebooking::fallen_out(7, 60, 2_000);
    let mut times: Vec<Duration> = (0..5)
        .map(|_| {
            let begun = Instant::now();
            std::hint::black_box(plan(&people, &openings, &[], ZONE));
            begun.elapsed()
        })
        .collect();
    let median = percentile(&mut times, 0.5);
    println!("| rebooking plan, 60 people into 2000 slots | {:.1} ms | 200 ms |", median.as_secs_f64() * 1e3);
}

fn stamp() -> Stamp {
    let at = NaiveDate::from_ymd_opt(2026, 11, 23).unwrap_or_default().and_hms_opt(9, 0, 0).unwrap_or_default();
    Stamp { at, control: 1, production: false, sender: "INDIGOHBR".into(), receiver: "CAUSEWAY".into() }
}

fn address() -> AddressOnClaim {
    AddressOnClaim {
        line: "7 ROPEWALK".into(),
        line2: String::new(),
        city: "PORT CALDER".into(),
        state: "ME".into(),
        postal_code: "049981234".into(),
    }
}

fn claims_written() {
    let day = NaiveDate::from_ymd_opt(2026, 11, 23).unwrap_or_default();
    let claims: Vec<Claim> = (0..20_000)
        .map(|n| Claim {
            number: format!("C{n}"),
            payer_name: "SALTMARSH MUTUAL HEALTH PLAN".into(),
            payer_id: "SALTM".into(),
            filing_code: "CI".into(),
            rank: Rank::First,
            subscriber_number: format!("SM{n}"),
            group_number: "G100".into(),
            patient: PersonOnClaim {
                last: names::LAST[n % names::LAST.len()].to_uppercase(),
                first: names::WOMEN[n % names::WOMEN.len()].to_uppercase(),
                middle: String::new(),
                birth_date: day,
                sex: "F".into(),
                address: address(),
            },
            subscriber: None,
            relationship: Relationship::SelfHolder,
            place_of_service: "11".into(),
            frequency: "1".into(),
            original_reference: None,
            accident: None,
            onset: None,
            last_seen: None,
            attachments: vec![],
            patient_paid: Cents::new(2500),
            prior_authorisation: None,
            referral: None,
            diagnoses: vec!["I10".into(), "E785".into()],
            rendering: ProviderOnClaim {
                last_or_name: "VALCOURT".into(),
                first: "ORIANE".into(),
                npi: "1234567893".into(),
                taxonomy: "207Q00000X".into(),
            },
            referring: None,
            supervising: None,
            facility: None,
            others: vec![],
            lines: (1..=3)
                .map(|l| ClaimLine {
                    control: format!("C{n}-{l}"),
                    code: "IH214".into(),
                    modifiers: vec![],
                    fee: Cents::new(19_500),
                    units: 1,
                    place: None,
                    pointers: vec![1, 2],
                    service_date: day,
                    decided: vec![],
                })
                .collect(),
        })
        .collect();
    let biller = Biller {
        organisation: "INDIGO HARBOR FAMILY CLINIC".into(),
        npi: "1234567893".into(),
        taxonomy: "261QP2300X".into(),
        tax_id: "990000001".into(),
        address: address(),
        pay_to: None,
        contact: "BILLING OFFICE".into(),
        telephone: "2075550100".into(),
        submitter_id: "INDIGOHBR".into(),
        receiver_name: "CAUSEWAY EXCHANGE".into(),
        receiver_id: "CAUSEWAY".into(),
    };
    let best = (0..3)
        .map(|_| {
            let begun = Instant::now();
            std::hint::black_box(claim::write(&stamp(), &biller, "B1", &claims));
            begun.elapsed()
        })
        .min()
        .unwrap_or_default();
    let rate = claims.len() as f64 / best.as_secs_f64();
    println!("| 837P written, claims of three lines, best of 3 | {rate:.0} claims/s | 50000 claims/s |");
}

fn remittances_read() -> Result<()> {
    let adjustment = |group, reason: &str, cents| Adjustment {
        group,
        reason: reason.into(),
        amount: Cents::new(cents),
        quantity: None,
    };
    let claims: Vec<RemittedClaim> = (0..40_000)
        .map(|n| RemittedClaim {
            claim_number: format!("C{n}").into(),
            status: "1".into(),
            charged: Cents::new(19_500),
            paid: Cents::new(10_000),
            patient_share: Cents::new(2_500),
            filing_code: "12".into(),
            payer_claim_number: format!("P{n}").into(),
            patient_last: "FERREIRA-HOLM".into(),
            patient_first: "LUCAN".into(),
            subscriber_number: format!("SM{n}").into(),
            adjustments: vec![],
            lines: vec![RemittedLine {
                line_control: format!("C{n}-1").into(),
                service_code: "IH214".into(),
                charged: Cents::new(19_500),
                paid: Cents::new(10_000),
                units: "1".into(),
                service_date: NaiveDate::from_ymd_opt(2026, 11, 20),
                adjustments: vec![
                    adjustment(AdjustmentGroup::Contractual, "45", 7_000),
                    adjustment(AdjustmentGroup::PatientResponsibility, "3", 2_500),
                ],
                allowed: Some(Cents::new(12_500)),
                ..RemittedLine::default()
            }],
            remarks: vec![],
        })
        .collect();
    let r = Remittance {
        payer_name: "SALTMARSH MUTUAL HEALTH PLAN".into(),
        payer_id: "SALTM".into(),
        payee_name: "INDIGO HARBOR FAMILY CLINIC".into(),
        payee_npi: "1234567893".into(),
        trace: "T1".into(),
        method: "ACH".into(),
        date: NaiveDate::from_ymd_opt(2026, 11, 23).unwrap_or_default(),
        amount: Cents::new(10_000 * claims.len() as i64),
        claims,
        provider_adjustments: vec![],
    };
    let text = remittance::write(&stamp(), &harbor_standins::payer::desk(""), &[r]);
    let mut best = Duration::MAX;
    for _ in 0..3 {
        let begun = Instant::now();
        let document = x12::read(&text)?;
        let read = remittance::read(&document.interchanges[0].groups[0].sets[0])?;
        read.check_balance().map_err(|e| anyhow::anyhow!("{e:?}"))?;
        best = best.min(begun.elapsed());
    }
    let rate = text.len() as f64 / 1e6 / best.as_secs_f64();
    println!("| 835 read and balanced, {:.0} MB, best of 3 | {rate:.0} MB/s | 100 MB/s |", text.len() as f64 / 1e6);
    Ok(())
}

/// People made up in the database itself: names from the demo's lists, with folded names as the core folds them.
async fn add_people(url: &str, from: usize, to: usize) -> Result<()> {
    use diesel_async::{AsyncConnection, RunQueryDsl};
    let mut conn = harbor_store::Conn::establish(url).await?;
    let list =
        |names: &[&str]| names.iter().map(|n| format!("'{}'", n.replace('\'', "''"))).collect::<Vec<_>>().join(",");
    let folded = |names: &[&str]| {
        names.iter().map(|n| format!("'{}'", harbor_core::people::fold(n))).collect::<Vec<_>>().join(",")
    };
    let first: Vec<&str> = names::WOMEN.iter().chain(&names::MEN).copied().collect();
    // Two syllables behind the last name make tens of thousands of different names, as a country has.
    let sql = format!(
        "with l as (select array[{}] as first, array[{}] as last, array[{}] as ffirst, array[{}] as flast,
                    array['', 'son', 'ova', 'berg', 'man', 'ston', 'ley', 'ford', 'dale', 'wick', 'by', 'holm'] as tail,
                    array['', '', '', 'a', 'e', 'en', 'er', 'es', 'et', 'i', 'ia', 'ic', 'in', 'is', 'ka', 'ko', 'li', 'lo', 'ma', 'na',
                          'nen', 'no', 'os', 'ra', 'ric', 'ro', 'sky', 'ta', 'to', 'um'] as tip)
         insert into people (id, record_number, first_name, last_name, birth_date, sex, phone, email_declined, folded)
         select gen_random_uuid(), 'IH-' || (1000000 + n), first[1 + n % {a}], last[1 + (n / {a}) % {b}] || tail[1 + (n::bigint * 7 / 31) % 12] || tip[1 + (n::bigint * 13 / 47) % 30],
                date '1930-01-01' + (n::bigint * 7919 % 34000)::integer, case n % 2 when 0 then 'F' else 'M' end, '207555' || lpad((n % 10000)::text, 4, '0'), true,
                ffirst[1 + n % {a}] || ' ' || flast[1 + (n / {a}) % {b}] || tail[1 + (n::bigint * 7 / 31) % 12] || tip[1 + (n::bigint * 13 / 47) % 30]
         from l, generate_series({from}, {to}) as n",
        list(&first), list(&names::LAST), folded(&first), folded(&names::LAST),
        a = first.len(), b = names::LAST.len(),
    );
    diesel::sql_query(sql).execute(&mut conn).await?;
    harbor_store::people::finding::hear_new_words(&mut conn).await?;
    diesel::sql_query("vacuum analyze people, name_words").execute(&mut conn).await?;
    Ok(())
}

/// The schedule of a clinic of 40 clinicians with 90 days made: open times under many wishes, and a day.
async fn schedule(url: &str, base: &str, http: &reqwest::Client, cookie: &str) -> Result<()> {
    let begun = Instant::now();
    harbor_demo::crowd::more_clinicians(url, harbor_demo::testing::day(), 36, 90, 60).await?;
    println!(
        "| 36 clinicians' templates made into 90 days of slots, two weeks booked | {:.1} s | |",
        begun.elapsed().as_secs_f64()
    );
    let clinic: serde_json::Value =
        http.get(format!("{base}/api/clinic")).header("cookie", cookie).send().await?.json().await?;
    let id = |list: &str, n: usize| clinic[list][n]["id"].as_str().unwrap_or("").to_owned();
    let wishes = [
        String::new(),
        format!("visitTypeId={}", id("visitTypes", 0)),
        format!("visitTypeId={}&after=14:00&weekdays=2,4", id("visitTypes", 0)),
        format!("visitTypeId={}&minutes=40&around=9:00", id("visitTypes", 0)),
        format!("siteId={}&before=10:00", id("sites", 1)),
        format!("clinicianId={},{}", id("staff", 0), id("staff", 1)),
        "from=2027-01-11&weekdays=5".to_owned(),
        // Nothing fits, so that all 90 days are looked through.
        "minutes=400".to_owned(),
        format!("visitTypeId={}", id("visitTypes", 4)),
    ];
    let measure = async |path: &str, queries: &[String]| -> Result<(Duration, Vec<(Duration, String)>)> {
        let mut times = vec![Vec::new(); queries.len()];
        for round in 0..21 {
            for (times, query) in times.iter_mut().zip(queries) {
                let begun = Instant::now();
                let answer = http.get(format!("{base}{path}?{query}")).header("cookie", cookie).send().await?;
                anyhow::ensure!(answer.status().is_success(), "{query}: {}", answer.status());
                answer.bytes().await?;
                if round > 0 {
                    times.push(begun.elapsed());
                }
            }
        }
        let each = times.iter_mut().zip(queries).map(|(t, q)| (percentile(t, 0.95), q.clone())).collect();
        Ok((percentile(&mut times.concat(), 0.95), each))
    };
    let millis = |d: Duration| d.as_secs_f64() * 1e3;
    let (open, mut each) = measure("/api/open-times", &wishes).await?;
    println!("| open times over 40 clinicians and 90 days, through the API, p95 | {:.1} ms | 60 ms |", millis(open));
    each.sort_unstable();
    if let Some((slowest, wish)) = each.last() {
        println!("| of these the slowest wish: {wish}, p95 | {:.1} ms | |", millis(*slowest));
    }
    let (day, _) = measure("/api/schedule", &["day=2026-11-24".to_owned()]).await?;
    println!("| a day of 40 clinicians, through the API, p95 | {:.1} ms | 60 ms |", millis(day));
    Ok(())
}

async fn through_the_api(with_schedule: bool, with_people: bool) -> Result<()> {
    if !with_schedule && !with_people {
        return Ok(());
    }
    let stack = a_product().await?;
    let url = stack.cluster.url("clinic");
    let base = stack.server.address.clone();
    let http = reqwest::Client::new();
    let body = serde_json::json!({ "login": "junia", "password": PASSWORD });
    let signed = http.post(format!("{base}/api/sign-in")).json(&body).send().await?;
    let cookie = signed.headers().get("set-cookie").and_then(|c| c.to_str().ok()).context("a session")?.to_owned();
    let cookie = cookie.split(';').next().unwrap_or("").to_owned();
    if with_schedule {
        schedule(&url, &base, &http, &cookie).await?;
    }
    if with_people {
        person_search(&url, &base, &http, &cookie).await?;
    }
    stack.stop().await
}

/// A product of its own for what is measured through the API.
async fn a_product() -> Result<Stack> {
    let folder = std::path::absolute("target/bench-postgres")?;
    let now = harbor_demo::testing::now();
    start(&folder, Wanted { port: 0, fresh: true, now: Some(now), checkpoints: None }, |_| {}).await
}

async fn first_views(many: usize) -> Result<()> {
    let stack = a_product().await?;
    many::first_views_among(&stack, 10_000, many).await?;
    stack.stop().await
}

async fn person_search(url: &str, base: &str, http: &reqwest::Client, cookie: &str) -> Result<()> {
    let wanted = [
        "fer luc 1968",
        "qui mar",
        "tak wre",
        "kow zof 1971",
        "sond ast",
        "lachance",
        "okonjo nadia",
        "2/13/1999 qua",
        "IH-10007",
        "halvorsen theo 1980",
        "2075550142",
        "rasmusen ilse",
        "gunnarson rune",
        "vil luc 1955",
        "pet hak",
    ];
    let mut measured = Vec::new();
    let mut have = 0;
    for size in [10_000, 1_000_000] {
        add_people(url, have, size - 1).await?;
        have = size;
        let mut times = Vec::new();
        for round in 0..21 {
            for q in wanted {
                let begun = Instant::now();
                let answer =
                    http.get(format!("{base}/api/people")).query(&[("q", q)]).header("cookie", cookie).send().await?;
                anyhow::ensure!(answer.status().is_success(), "{q}: {}", answer.status());
                answer.bytes().await?;
                // The first round warms what a clinic's day has warm.
                if round > 0 {
                    times.push(begun.elapsed());
                }
            }
        }
        let p95 = percentile(&mut times, 0.95).as_secs_f64() * 1e3;
        println!(
            "| person search among {size} people, through the API, p95 of {} | {p95:.1} ms | 40 ms |",
            times.len()
        );
        measured.push(p95);
    }
    println!("| the same, 1,000,000 against 10,000 | {:.2} times | 1.5 times |", measured[1] / measured[0]);
    Ok(())
}
