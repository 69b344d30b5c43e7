//! The technician's bench: what was ordered, its values as the machine measured them, to be changed, validated and released.
//!
//! | chosen | what goes out |
//! |---|---|
//! | whom: as ordered | the order's reference, the record number, name, birth date, sex |
//! | whom: label unreadable | no reference and no number; the name with a slip, day and month of birth swapped |
//! | whom: somebody unknown | no reference, a number and a name that nobody has |
//! | whom: another label | the order's reference with another person's number |
//! | issued: an hour ago, yesterday | a report that was under way for long |
//! | twice | the same report two times |
//!
//! Registered says that the work has begun; it brings no values.
//!
//! A value far outside of its range is not released before somebody accepts it as it is.

use crate::page::escape;
use crate::{Memory, World};
use actix_web::{HttpResponse, web};
use chrono::{Datelike, Duration, NaiveDate};
use harbor_core::orders::candidates::NamedPerson;
use harbor_core::orders::{Comparator, LabReport, ReportStatus, ReportedValue, Said};
use harbor_formats::fhir::reports::write_report;
use std::collections::HashMap;
use std::fmt::Write;

/// A test on the bench, with the report as it stands.
#[derive(Debug, Clone)]
pub struct OnTheBench {
    pub requisition: String,
    pub report: LabReport,
    /// What went out of it, the last at the end.
    pub sent: Vec<ReportStatus>,
    /// Why the last was not released.
    pub refused: String,
}

/// So many tests are shown, the newest first.
const SHOWN: usize = 60;

pub async fn show(world: web::Data<World>) -> HttpResponse {
    let memory = world.lock();
    let mut out = String::from(
        "<!doctype html><html lang=en><meta charset=utf-8><title>The laboratory's bench</title>
         <style>body{font:16px/1.5 sans-serif;margin:2rem;max-width:64rem}section{border-top:1px solid;padding:.6rem 0}
         label{margin-right:1rem}input,select,button{font:inherit}strong.refused{display:block}</style>
         <h1>The laboratory's bench</h1><p><a href=/>Everything that waits outside</a></p>",
    );
    if memory.bench.is_empty() {
        out.push_str("<p>No order has come in yet.</p>");
    }
    for (n, test) in memory.bench.iter().enumerate().rev().take(SHOWN) {
        section(&mut out, n, test);
    }
    out.push_str("</html>");
    HttpResponse::Ok().content_type("text/html; charset=utf-8").body(out)
}

fn section(out: &mut String, n: usize, test: &OnTheBench) {
    let r = &test.report;
    let who = format!("{}, {}, {}", r.subject.last, r.subject.first, r.subject.record_number);
    let sent: Vec<&str> = test.sent.iter().map(|s| s.label()).collect();
    let _ = write!(
        out,
        "<section id=t{n}><h2>{} <small>{} · {} · sent: {}</small></h2><form method=post action=/laboratory/bench/{n}>",
        escape(&r.name),
        escape(&test.requisition),
        escape(&who),
        if sent.is_empty() { "nothing yet".to_owned() } else { sent.join(", ") }
    );
    if !test.refused.is_empty() {
        let _ = write!(out, "<strong class=refused>{}</strong>", escape(&test.refused));
    }
    for (i, v) in r.values.iter().enumerate() {
        let _ = write!(
            out,
            "<div><label>{} <input name=value{i} value=\"{}\"></label><label>unit <input name=unit{i} value=\"{}\"></label>{}</div>",
            escape(&v.name),
            escape(&v.said.in_words()),
            escape(&v.unit),
            match (v.usual.low, v.usual.high) {
                (Some(low), Some(high)) => format!("{low}–{high}"),
                _ => String::new(),
            }
        );
    }
    let states = [
        ReportStatus::Final,
        ReportStatus::Registered,
        ReportStatus::Preliminary,
        ReportStatus::Corrected,
        ReportStatus::Cancelled,
    ];
    let options: String = states.iter().map(|s| format!("<option value={}>{}", s.code(), s.label())).collect();
    let _ = write!(
        out,
        "<div><label>what it says as a whole <input name=conclusion size=40 value=\"{}\"></label></div>
         <label>state <select name=status>{options}</select></label>
         <label>whom <select name=whom><option value=ordered>as ordered<option value=unreadable>label unreadable
           <option value=unknown>somebody unknown<option value=another>another label</select></label>
         <label>issued <select name=issued><option value=0>now<option value=1>an hour ago<option value=24>yesterday</select></label>
         <label><input type=checkbox name=twice> twice</label><label><input type=checkbox name=accept> accept values as they are</label>
         <button name=do value=release>Validate and release</button> <button name=do value=reject>Reject the specimen</button></form></section>",
        escape(&r.conclusion)
    );
}

/// What somebody typed, as it is meant.
fn typed(text: &str) -> Said {
    let text = text.trim();
    let comparator = ["<=", ">=", "<", ">"].into_iter().find(|c| text.starts_with(c));
    let number = text[comparator.map_or(0, str::len)..].trim().parse::<f64>().ok().filter(|n| n.is_finite());
    match number {
        Some(value) => Said::Number { comparator: comparator.and_then(Comparator::from_code), value },
        None if text.is_empty() => Said::NotMeasured(String::new()),
        None => Said::Words(text.into()),
    }
}

/// Whether a value is so far outside that somebody looks twice.
fn implausible(v: &ReportedValue) -> bool {
    let (Some(n), Some(low), Some(high)) = (v.said.exactly(), v.usual.low, v.usual.high) else { return false };
    let width = high - low;
    n < low - 3.0 * width || n > high + 3.0 * width || n < 0.0
}

fn whom(ordered: &NamedPerson, chosen: &str) -> NamedPerson {
    let swapped = |day: NaiveDate| NaiveDate::from_ymd_opt(day.year(), day.day(), day.month()).unwrap_or(day);
    match chosen {
        "unreadable" => NamedPerson {
            record_number: String::new(),
            // A letter is lost.
            last: ordered.last.chars().enumerate().filter(|(i, _)| *i != 2).map(|(_, c)| c).collect(),
            birth_date: ordered.birth_date.map(swapped),
            ..ordered.clone()
        },
        "unknown" => NamedPerson {
            record_number: "IH-00000".into(),
            last: "Nemorensis".into(),
            first: "Ulla".into(),
            birth_date: NaiveDate::from_ymd_opt(1930, 1, 1),
            sex: "F".into(),
        },
        "another" => NamedPerson { record_number: "IH-00000".into(), ..ordered.clone() },
        _ => ordered.clone(),
    }
}

pub async fn work(
    world: web::Data<World>,
    n: web::Path<usize>,
    form: web::Form<HashMap<String, String>>,
) -> HttpResponse {
    let mut memory = world.lock();
    let n = n.into_inner();
    if n < memory.bench.len() {
        release(&mut memory, n, &form);
    }
    HttpResponse::SeeOther().insert_header(("Location", format!("/laboratory/bench#t{n}"))).finish()
}

fn release(memory: &mut Memory, n: usize, form: &HashMap<String, String>) {
    let said = |name: &str| form.get(name).map(String::as_str).unwrap_or_default();
    let now = memory.clock();
    let mut test = memory.bench[n].clone();
    test.refused.clear();
    test.report.conclusion = said("conclusion").trim().to_owned();
    for (i, v) in test.report.values.iter_mut().enumerate() {
        if let Some(value) = form.get(&format!("value{i}")) {
            v.said = typed(value);
            v.unit = said(&format!("unit{i}")).trim().to_owned();
            (v.interpretation, v.flagged_by) = (None, None);
            *v = v.clone().interpreted();
        }
    }
    let rejects = said("do") == "reject";
    let odd: Vec<String> = test
        .report
        .values
        .iter()
        .filter(|v| implausible(v))
        .map(|v| format!("{} {}", v.name, v.said.in_words()))
        .collect();
    if rejects && test.report.conclusion.is_empty() {
        test.refused = "Say why the specimen is rejected.".into();
    } else if !rejects && said("status") != "registered" && !odd.is_empty() && !form.contains_key("accept") {
        test.refused = format!("Hardly possible: {}. Measure again, or accept it as it is.", odd.join(", "));
    } else {
        let status = match rejects {
            true => ReportStatus::Cancelled,
            false => ReportStatus::from_code(said("status")).unwrap_or(ReportStatus::Final),
        };
        let chosen = said("whom");
        let report = LabReport {
            status,
            subject: whom(&test.report.subject, chosen),
            order_reference: match chosen {
                "unreadable" | "unknown" => String::new(),
                _ => test.report.order_reference.clone(),
            },
            issued: now - Duration::hours(said("issued").parse().unwrap_or(0)),
            values: if rejects || status == ReportStatus::Registered { vec![] } else { test.report.values.clone() },
            ..test.report.clone()
        };
        if let Ok(content) = write_report(&report) {
            for _ in 0..if form.contains_key("twice") { 2 } else { 1 } {
                memory.put("laboratory", format!("{} {}", report.name, status.label()), content.clone());
                if let Some(last) = memory.outgoing.last_mut() {
                    last.released = true;
                }
            }
            test.sent.push(status);
        }
    }
    memory.bench[n] = test;
}
