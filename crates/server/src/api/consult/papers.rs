//! What stands on the paper of a note and of a chart.

use super::histories::HistoryView;
use super::past::last_visits;
use super::questionnaires;
use crate::access::Me;
use crate::papers::{born, head, large_type, local};
use crate::problem::Problem;
use crate::state::State;
use chrono::NaiveDate;
use harbor_core::consult::measurements::{Measure, Standing, Tenths};
use harbor_core::consult::{HistoryKind, KnownList, NotePart as Part, ProblemState};
use harbor_core::people::age_in_words;
use harbor_core::prescribing::MedicineState;
use harbor_store::consult::{chart as store, heads, histories, notes, runs, signed_parts};
use harbor_store::house::staff;
use harbor_store::orders::results;
use harbor_store::rows::{Measurement, NoneKnown, Person, ResultValue, Visit, WrittenPart};
use harbor_store::{Conn, orders, people, prescribing};
use serde_json::{Value, json};
use uuid::Uuid;

/// Parts before the runs, and after them; and in a run.
const BEFORE: [Part; 5] = [Part::Reason, Part::History, Part::PastHistory, Part::Systems, Part::Examination];
const AFTER: [Part; 4] = [Part::Assessment, Part::Plan, Part::Procedures, Part::Advice];
const IN_RUN: [Part; 4] = [Part::History, Part::Examination, Part::Assessment, Part::Plan];

fn patient(state: &State, p: &Person) -> Value {
    let age = p.birth_date.map(|b| age_in_words(b, state.today()));
    let sex = p.sex.map(|s| s.label().to_owned());
    let known = [Some(born(p)), age, sex, Some(p.record_number.clone())];
    json!({
        "name": format!("{} {}", p.first_name, p.last_name),
        "line": known.into_iter().flatten().filter(|t| !t.is_empty()).collect::<Vec<_>>().join(" · "),
    })
}

/// The words of parts, with who signed single ones of them.
fn written(parts: &[WrittenPart], signed: &[(Uuid, String)], run: Option<Uuid>, wanted: &[Part]) -> Vec<Value> {
    let one = |part: &Part| {
        let found = parts.iter().find(|p| p.run_id == run && p.part == *part && !p.body.trim().is_empty())?;
        let signed = signed.iter().find(|(id, _)| *id == found.id).map_or("", |(_, words)| words);
        Some(json!({ "label": part.label(), "body": found.body, "signed": signed }))
    };
    wanted.iter().filter_map(one).collect()
}

/// A value as it is read: a pressure as one, with what is beyond the usual.
fn measured(rows: &[Measurement]) -> String {
    let of = |measure: Measure| rows.iter().find(|m| m.measure == measure);
    let beyond = |m: &Measurement| match *m.standing {
        Standing::High => " (high)",
        Standing::Low => " (low)",
        _ => "",
    };
    let mut out = Vec::new();
    if let Some(high) = of(Measure::Systolic) {
        let low = of(Measure::Diastolic);
        let value = low.map_or("?".to_owned(), |m| Tenths(m.tenths).to_string());
        let marks = [beyond(high), low.map_or("", beyond)];
        let mark = marks.into_iter().find(|m| !m.is_empty()).unwrap_or_default();
        out.push(format!("blood pressure {}/{value} mmHg{mark}", Tenths(high.tenths)));
    }
    for measure in Measure::ALL.iter().filter(|m| !matches!(m, Measure::Systolic | Measure::Diastolic)) {
        if let Some(m) = of(*measure) {
            let value = format!("{} {} {}", measure.label().to_lowercase(), Tenths(m.tenths), measure.unit());
            out.push(format!("{}{}", value.trim(), beyond(m)));
        }
    }
    out.join(", ")
}

/// A list as it stands, or that none is known, or that nobody asked.
fn listed(items: Vec<String>, list: KnownList, none_known: &[NoneKnown]) -> String {
    match items.is_empty() {
        false => items.join("; "),
        true if none_known.iter().any(|n| n.list == list) => "none known".into(),
        true => "nobody asked".into(),
    }
}

/// The lists of a person, each by its word.
pub async fn lists(conn: &mut Conn, person: Uuid, today: NaiveDate) -> Result<Vec<Value>, Problem> {
    let none = store::none_known_of(conn, person).await?;
    let parted = |parts: &[&str]| parts.iter().filter(|t| !t.is_empty()).copied().collect::<Vec<_>>().join(", ");
    let allergies = store::allergies_of(conn, person).await?;
    let allergies = allergies.iter().map(|a| {
        let severity = a.severity.map_or("", |s| s.label());
        parted(&[&a.substance, &a.reaction, severity])
    });
    let medicines = store::medicines_of(conn, person).await?;
    let medicines = medicines.iter().filter(|m| m.state.counts()).map(|m| {
        parted(&[&m.name, &m.how, if m.state == MedicineState::Unknown { "not known whether taken" } else { "" }])
    });
    let problems = store::problems_of(conn, person).await?;
    let problems = problems.iter().filter(|p| p.state.counts()).map(|p| {
        let since = if p.since.is_empty() { String::new() } else { format!("since {}", p.since) };
        let state = if p.state == ProblemState::Active { "" } else { p.state.label() };
        parted(&[format!("{} {}", p.code, p.title).trim_start(), state, &since])
    });
    let told = histories::of_person(conn, person).await?;
    let mut out = vec![
        json!({ "label": "Allergies", "words": listed(allergies.collect(), KnownList::Allergies, &none) }),
        json!({ "label": "Medicines", "words": listed(medicines.collect(), KnownList::Medicines, &none) }),
        json!({ "label": "Problems", "words": listed(problems.collect(), KnownList::Problems, &none) }),
    ];
    for kind in HistoryKind::ALL {
        let words: Vec<String> = told
            .iter()
            .filter(|h| h.kind == *kind)
            .map(|h| HistoryView::on(h.clone(), today).words().to_owned())
            .collect();
        if !words.is_empty() {
            out.push(json!({ "label": kind.label(), "words": words.join("; ") }));
        }
    }
    Ok(out)
}

/// What was written in a visit, of it as a whole and of the problems of these codes, as parts of a letter.
pub async fn written_for(conn: &mut Conn, state: &State, visit: &Visit, codes: &[&str]) -> Result<Vec<Value>, Problem> {
    let parts = notes::parts(conn, visit.id).await?;
    let signed = store::signature(conn, visit.id).await?.is_some();
    let day = local(state, visit.starts_at, "%b %-d, %Y");
    let mut out = Vec::new();
    let mut take = |title: &str, run: Option<Uuid>, wanted: &[Part]| {
        for part in written(&parts, &[], run, wanted) {
            let label = part["label"].as_str().unwrap_or_default();
            let of = if title.is_empty() { String::new() } else { format!(", {title}") };
            out.push(json!({ "label": format!("{label}{of}, {day}{}", if signed { "" } else { " (not signed yet)" }), "words": part["body"] }));
        }
    };
    take("", None, &BEFORE);
    for run in runs::runs_of(conn, visit.id).await? {
        if run.code.as_deref().is_some_and(|code| codes.contains(&code)) {
            take(&run.title, Some(run.id), &IN_RUN);
        }
    }
    Ok(out)
}

/// Leaving the house on paper is recorded like a change.
pub async fn leaving(state: &State, me: &Me, what: &str, id: Uuid, person: Uuid) -> Result<(), Problem> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.audit("printed", what, id, Some(person), "");
            Ok(())
        })
        .await
}

/// A note as it stands.
pub async fn note(state: &State, visit: &Visit) -> Result<Value, Problem> {
    let mut conn = state.store.reader().await?;
    let conn = &mut conn;
    let person = people::get(conn, visit.person_id).await?;
    let parts = notes::parts(conn, visit.id).await?;
    let heading = super::chart::heading(conn, state, visit, &parts).await?;
    let clinician = staff::all(conn).await?.into_iter().find(|s| s.id == visit.clinician_id);
    let all_orders = orders::of_visits(conn, &[visit.id]).await?;
    let links = orders::links(conn, &all_orders.iter().map(|o| o.id).collect::<Vec<_>>()).await?;
    let prescriptions = prescribing::of_visits(conn, &[visit.id]).await?;
    let at = |when| local(state, when, "%B %-d, %Y at %-I:%M %p");
    let signed_alone = signed_parts::of_visit(conn, visit.id).await?;
    let signed_alone: Vec<(Uuid, String)> = signed_alone
        .into_iter()
        .map(|s| (s.part_id, format!("Signed by {}, {}", s.signed_by, at(s.signed_at))))
        .collect();
    let mut of_runs = Vec::new();
    for run in runs::runs_of(conn, visit.id).await? {
        let lies_here = |id: Uuid| links.iter().any(|l| l.order_id == id && Some(&l.code) == run.code.as_ref());
        let ordered: Vec<&str> = all_orders.iter().filter(|o| lies_here(o.id)).map(|o| o.test_name.as_str()).collect();
        let prescribed: Vec<String> = prescriptions
            .iter()
            .filter(|p| p.diagnosis.is_some() && p.diagnosis == run.code)
            .map(|p| {
                let ended = if p.state.has_ended() { format!(" ({})", p.state.label()) } else { String::new() };
                format!("{}: {}{ended}", p.medicine, p.instructions)
            })
            .collect();
        of_runs.push(json!({
            "title": run.title, "code": run.code.clone().unwrap_or_default(),
            "parts": written(&parts, &signed_alone, Some(run.id), &IN_RUN), "ordered": ordered.join(", "), "prescribed": prescribed,
        }));
    }
    let here: Vec<Measurement> =
        store::measurements_of(conn, person.id).await?.into_iter().filter(|m| m.visit_id == visit.id).collect();
    let asked = questionnaires::of_person(conn, person.id, person.sex.map(|s| *s)).await?;
    let asked: Vec<String> = asked.iter().filter(|a| a.is_of(visit.id)).flat_map(|a| a.in_words()).collect();
    let signature = store::signature(conn, visit.id).await?;
    let cosignature = heads::cosignature(conn, visit.id).await?;
    let struck = heads::struck(conn, visit.id).await?;
    let addenda = store::addenda_of(conn, visit.id).await?;
    let signed = signature.as_ref().map(|s| format!("Signed by {}, {}", s.signed_by, at(s.signed_at)));
    let cosigned = cosignature.map(|s| format!("Co-signed by {}, {}", s.signed_by, at(s.signed_at)));
    Ok(json!({
        "head": head(state),
        "patient": patient(state, &person),
        "visit": format!("{}, {}", at(visit.starts_at), clinician.map_or(String::new(), |c| c.name)),
        "heading": heading,
        "struck": struck.map_or(String::new(), |s| format!("Struck in error by {}, {}: {}", s.struck_by, at(s.struck_at), s.reason)),
        "lists": lists(conn, person.id, state.today()).await?,
        "measured": measured(&here),
        "asked": asked.join("; "),
        "before": written(&parts, &signed_alone, None, &BEFORE),
        "runs": of_runs,
        "after": written(&parts, &signed_alone, None, &AFTER),
        "signed": signed.unwrap_or_else(|| "Not signed: this is a draft.".into()),
        "cosigned": cosigned.unwrap_or_default(),
        "digest": signature.map_or(String::new(), |s| s.digest),
        "addenda": addenda.iter().map(|a| json!({ "label": format!("{}, {}", a.added_by, at(a.added_at)), "body": a.body })).collect::<Vec<_>>(),
        "large": large_type(state, &person),
    }))
}

/// What holds of a person now, and the last visits.
pub async fn chart(state: &State, person: &Person) -> Result<Value, Problem> {
    let mut conn = state.store.reader().await?;
    let conn = &mut conn;
    let mut newest: Vec<Measurement> = Vec::new();
    for m in store::measurements_of(conn, person.id).await? {
        if newest.iter().all(|n| n.measure != m.measure) {
            newest.push(m);
        }
    }
    let reports = results::of_person(conn, person.id, 8).await?;
    let day = |when| local(state, when, "%b %-d, %Y");
    let results: Vec<Value> = reports
        .iter()
        .map(|r| {
            let seen = if r.row.reviewed_at.is_some() { "" } else { " · not reviewed" };
            let values: Vec<String> = r.values.iter().map(ResultValue::in_words).collect();
            json!({ "label": day(r.row.issued_at), "body": format!("{}{seen}", values.join(", ")) })
        })
        .collect();
    let visits: Vec<Value> = last_visits(conn, person.id)
        .await?
        .iter()
        .map(|v| {
            let (at, words) = v.in_words();
            json!({ "label": day(at), "body": words })
        })
        .collect();
    Ok(json!({
        "head": head(state),
        "patient": patient(state, person),
        "alert": person.chart_alert,
        "lists": lists(conn, person.id, state.today()).await?,
        "measured": measured(&newest),
        "results": results,
        "visits": visits,
        "large": large_type(state, person),
    }))
}
