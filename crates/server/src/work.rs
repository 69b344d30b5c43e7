//! Work that goes on by itself: handing things over, and looking for what came back.

mod told;

use crate::api::orders::answers_of;
use crate::api::remittances::UploadAnswer;
use crate::problem::Problem;
use crate::state::State;
use chrono::{NaiveDate, Timelike};
use harbor_core::claims::{ClaimEvent, status_event, status_in_words};
use harbor_core::coverage::{BenefitQuestion, InsuredPerson, Relationship};
use harbor_core::orders::{RequestedTest, Requisition, Subject};
use harbor_core::prescribing::SentItem;
use harbor_formats::fhir::{laboratory, pharmacy};
use harbor_formats::x12::{self, benefits, claim_status, file_ack, remittance};
use harbor_store::jobs::{self, Job};
use harbor_store::orders::NewReport;
use harbor_store::rows::Person;
use harbor_store::{Actor, chart, claims, coverage, facts, orders, people, staff};
use serde_json::{Value, json};
use std::time::Duration;

/// Takes work as it comes due, for ever.
pub async fn run(state: State) {
    loop {
        let idle = match next(&state).await {
            Ok(worked) => !worked,
            Err(error) => {
                tracing::warn!(%error, "background work");
                true
            }
        };
        if idle {
            let _ = tokio::time::timeout(Duration::from_secs(1), state.work.notified()).await;
        }
    }
}

async fn next(state: &State) -> anyhow::Result<bool> {
    let Some(job) = jobs::take(&mut *state.store.reader().await?).await? else { return Ok(false) };
    match work(state, &job).await {
        Ok(()) => jobs::done(&mut *state.store.reader().await?, job.id).await?,
        Err(error) => jobs::put_back(&mut *state.store.reader().await?, &job, &error.to_string()).await?,
    }
    Ok(true)
}

async fn work(state: &State, job: &Job) -> anyhow::Result<()> {
    match job.kind.as_str() {
        "send_orders" => send_orders(state, job).await,
        "send_prescription" => send_prescription(state, job).await,
        "send_batch" => send_batch(state, job).await,
        "ask_benefits" => ask_benefits(state, job).await,
        "send_message" => told::send(state, job).await,
        other => anyhow::bail!("unknown work {other}"),
    }
}

fn outside(state: &State) -> anyhow::Result<&str> {
    state.settings.outside_url.as_deref().ok_or_else(|| anyhow::anyhow!("no partner is set up"))
}

/// Hands something over; anything but a success is a reason to try again.
async fn hand_over(state: &State, path: &str, kind: &str, body: String) -> anyhow::Result<String> {
    let url = format!("{}{path}", outside(state)?);
    let unreachable = |_| anyhow::anyhow!("the other side does not answer");
    let answer = state.http.post(url).header("content-type", kind).body(body).send().await.map_err(unreachable)?;
    let status = answer.status();
    let text = answer.text().await.map_err(unreachable)?;
    if !status.is_success() {
        anyhow::bail!("the other side answered {status}");
    }
    Ok(text)
}

/// An accepting answer names our reference; anything else is not an acceptance.
fn accepted(text: &str, reference: &str) -> anyhow::Result<()> {
    let answer: Value = serde_json::from_str(text).map_err(|_| anyhow::anyhow!("the answer cannot be read"))?;
    if answer["status"] != "accepted" || answer["reference"] != reference {
        anyhow::bail!("the answer is not about what was sent");
    }
    Ok(())
}

fn subject(p: &Person) -> anyhow::Result<Subject> {
    Ok(Subject {
        record_number: p.record_number.clone(),
        last: p.last_name.clone(),
        first: p.first_name.clone(),
        birth_date: p.birth_date.ok_or_else(|| anyhow::anyhow!("the birth date is missing"))?,
        sex: p.sex.clone().unwrap_or_else(|| "U".into()),
    })
}

async fn send_orders(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let first = orders::order(&mut conn, job.subject).await?;
    let Some(reference) = first.requisition.clone() else { return Ok(()) };
    let rows = orders::of_requisition(&mut conn, &reference).await?;
    let links = orders::links(&mut conn, &[first.visit_id]).await?;
    let diagnoses = chart::diagnoses_of(&mut conn, first.visit_id).await?;
    let person = people::get(&mut conn, first.person_id).await?;
    let orderer = staff::get(&mut conn, first.orderer_id).await?;
    drop(conn);
    let tests = rows.iter().map(|o| RequestedTest {
        reference: o.id.to_string(),
        loinc: o.loinc.clone(),
        name: o.test_name.clone(),
        diagnoses: diagnoses
            .iter()
            .filter(|d| links.iter().any(|l| l.order_id == o.id && l.code == d.code))
            .map(|d| (d.code.clone(), d.title.clone()))
            .collect(),
        answers: answers_of(o),
    });
    let requisition = Requisition {
        reference: reference.clone(),
        subject: subject(&person)?,
        orderer_name: orderer.name,
        orderer_npi: orderer.npi.unwrap_or_default(),
        authored: first.ordered_at,
        tests: tests.collect(),
    };
    let body = laboratory::write_order(&requisition)?;
    let answer = hand_over(state, "/laboratory/fhir", "application/fhir+json", body).await?;
    accepted(&answer, &reference)?;
    let mut change = state.store.begin(&Actor::system("laboratory"), state.now()).await?;
    change.orders_became(&reference, "accepted").await?;
    change.audit("handed over", "requisition", job.subject, Some(person.id), reference);
    change.commit().await?;
    Ok(())
}

async fn send_prescription(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let p = orders::prescription(&mut conn, job.subject).await?;
    let person = people::get(&mut conn, p.person_id).await?;
    let prescriber = staff::get(&mut conn, p.prescriber_id).await?;
    let diagnoses = chart::diagnoses_of(&mut conn, p.visit_id).await?;
    drop(conn);
    let item = SentItem {
        reference: p.id.to_string(),
        subject: subject(&person)?,
        prescriber_name: prescriber.name,
        prescriber_npi: prescriber.npi.unwrap_or_default(),
        authored: p.prescribed_at,
        medicine: p.medicine.clone(),
        product_code: p.product_code.clone(),
        instructions: p.instructions.clone(),
        quantity: u32::try_from(p.quantity).unwrap_or(0),
        days: u32::try_from(p.days).unwrap_or(0),
        refills: u32::try_from(p.refills).unwrap_or(0),
        reason: diagnoses.into_iter().find(|d| Some(&d.code) == p.diagnosis.as_ref()).map(|d| (d.code, d.title)),
    };
    let body = pharmacy::write_prescription(&item)?;
    let answer = hand_over(state, "/pharmacy/fhir", "application/fhir+json", body).await?;
    accepted(&answer, &item.reference)?;
    let mut change = state.store.begin(&Actor::system("pharmacy"), state.now()).await?;
    change.prescription_became(p.id, "sent").await?;
    change.audit("handed over", "prescription", p.id, Some(p.person_id), "");
    change.commit().await?;
    Ok(())
}

async fn send_batch(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let batch = claims::batch(&mut conn, job.subject).await?;
    let document = claims::document(&mut conn, batch.document_id).await?;
    drop(conn);
    let text = String::from_utf8(document.content).map_err(|_| anyhow::anyhow!("the stored file is not text"))?;
    let answer = hand_over(state, "/exchange/files", "application/edi-x12", text).await?;
    let answer: Value = serde_json::from_str(&answer).map_err(|_| anyhow::anyhow!("the answer cannot be read"))?;
    if answer["status"] != "taken" {
        anyhow::bail!("the clearing house has not taken the file");
    }
    if batch.state == "sending" {
        let mut change = state.store.begin(&Actor::system("clearing house"), state.now()).await?;
        change.batch_became(batch.id, "sent", "Handed over to the clearing house.").await?;
        change.commit().await?;
    }
    Ok(())
}

async fn ask_benefits(state: &State, job: &Job) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    let check = coverage::check(&mut conn, job.subject).await?;
    let policy = coverage::get(&mut conn, check.coverage_id).await?;
    let payer = coverage::payer(&mut conn, policy.payer_id).await?;
    let patient = people::get(&mut conn, policy.person_id).await?;
    let holder = match policy.holder_id {
        Some(id) => people::get(&mut conn, id).await?,
        None => patient.clone(),
    };
    drop(conn);
    let insured = |p: &Person, number: &str, group: &str| InsuredPerson {
        last: p.last_name.to_uppercase(),
        first: p.first_name.to_uppercase(),
        birth_date: p.birth_date,
        sex: p.sex.clone(),
        subscriber_number: number.to_owned(),
        group_number: group.to_owned(),
    };
    let question = BenefitQuestion {
        trace: check.trace.clone(),
        payer_name: payer.name.to_uppercase(),
        payer_id: payer.payer_code.clone(),
        provider_name: state.clinic.name.to_uppercase(),
        provider_npi: state.clinic.npi.clone(),
        subscriber: insured(&holder, &policy.subscriber_number, &policy.group_number),
        dependent: policy.holder_id.map(|_| {
            (insured(&patient, "", ""), Relationship::from_code(&policy.relationship).unwrap_or(Relationship::Other))
        }),
        service_date: check.service_date,
    };
    let stamp = crate::claim_file::stamp(state, u32::try_from(job.id % 100_000_000).unwrap_or(1));
    let sent = benefits::write_question(&stamp, &question);
    let received = hand_over(state, "/exchange/benefits", "application/edi-x12", sent.clone()).await?;
    let read = x12::read(&received).and_then(|d| {
        let set = d.interchanges.iter().flat_map(|i| &i.groups).flat_map(|g| &g.sets).find(|s| s.kind == "271");
        set.map(benefits::read_answer).transpose()
    });
    let mut change = state.store.begin(&Actor::system("payer"), state.now()).await?;
    change.keep_document("270", "out", sent.as_bytes()).await?;
    change.keep_document("271", "in", received.as_bytes()).await?;
    match read {
        Ok(Some(answer)) if answer.trace == check.trace => {
            change.answer_benefits(check.id, check.person_id, Some(facts::answer_to_json(&answer)), None).await?;
        }
        Ok(_) | Err(_) => {
            let why = "The payer's answer cannot be read; ask again, or call the payer.".to_owned();
            change.answer_benefits(check.id, check.person_id, None, Some(why)).await?;
        }
    }
    if let Some(visit) = check.visit_id {
        change.tell("visit", visit);
    }
    change.commit().await?;
    Ok(())
}

/// Asks the payers about tomorrow's visits, once, when the evening has come.
async fn overnight(state: &State, begun: &mut Option<NaiveDate>) -> anyhow::Result<()> {
    let now = state.now();
    let tomorrow = state.today() + chrono::Duration::days(1);
    if *begun == Some(tomorrow) || now.with_timezone(&state.zone).hour() < harbor_core::coverage::EVENING {
        return Ok(());
    }
    let mut change = state.store.begin(&Actor::system("overnight"), now).await?;
    change.ask_overnight(tomorrow, false).await?;
    change.commit().await?;
    *begun = Some(tomorrow);
    Ok(())
}

/// Makes the shifts of the days that have come into sight, once a day; several servers wait for each other.
async fn make_supply(state: &State, made: &mut Option<NaiveDate>) -> anyhow::Result<()> {
    let today = state.today();
    if *made == Some(today) {
        return Ok(());
    }
    let mut change = state.store.begin(&Actor::system("working time"), state.now()).await?;
    if change.settle_supply(today, None, state.zone).await?.is_still() {
        change.abandon().await?;
    } else {
        change.commit().await?;
    }
    *made = Some(today);
    Ok(())
}

/// The clinic's own daily work: working time, benefits checks of the evening.
pub async fn every_day(state: State) {
    let (mut begun, mut made) = (None, None);
    loop {
        state.strangers.retain_recent();
        if let Err(error) = make_supply(&state, &mut made).await {
            tracing::warn!(%error, "working time");
        }
        if let Err(error) = not_come(&state).await {
            tracing::warn!(%error, "who did not come");
        }
        if state.settings.outside_url.is_some()
            && let Err(error) = overnight(&state, &mut begun).await
        {
            tracing::warn!(%error, "overnight benefits checks");
        }
        tokio::time::sleep(Duration::from_millis(700)).await;
    }
}

/// Marks those of today who did not come, by the clinic's rule; undone when they do come.
async fn not_come(state: &State) -> anyhow::Result<()> {
    let rule = staff::clinic(&mut *state.store.reader().await?).await?.thresholds();
    let booked_until = state.now() - chrono::Duration::minutes(rule.did_not_come);
    let since = harbor_core::schedule::day_bounds(state.zone, state.today()).0;
    let mut change = state.store.begin(&Actor::system("the clinic's rule"), state.now()).await?;
    if change.mark_not_come(since, booked_until).await?.is_empty() {
        return Ok(change.abandon().await?);
    }
    Ok(change.commit().await?)
}

/// Looks every second for reports, acknowledgements and remittances that have come.
pub async fn poll_outside(state: State) {
    if state.settings.outside_url.is_none() {
        return;
    }
    let (mut reports, mut files, mut fates) = (0usize, 0usize, 0usize);
    loop {
        // A partner that is down is asked again a second later; nothing is lost meanwhile.
        let _ = fetch(&state, "/laboratory/reports", &mut reports, Incoming::Report).await;
        let _ = fetch(&state, "/exchange/files", &mut files, Incoming::File).await;
        let _ = fetch(&state, "/messages/fates", &mut fates, Incoming::Fate).await;
        tokio::time::sleep(Duration::from_millis(700)).await;
    }
}

#[derive(Clone, Copy)]
enum Incoming {
    Report,
    File,
    Fate,
}

async fn fetch(state: &State, path: &str, after: &mut usize, kind: Incoming) -> anyhow::Result<()> {
    let url = format!("{}{path}?after={after}", outside(state)?);
    let answer: Value = state.http.get(url).send().await?.json().await?;
    for item in answer.as_array().into_iter().flatten() {
        let (Some(number), Some(content)) = (item["number"].as_u64(), item["content"].as_str()) else { continue };
        let taken = match kind {
            Incoming::Report => take_report(state, content).await,
            Incoming::File => take_file(state, content).await,
            Incoming::Fate => told::take_fate(state, content).await,
        };
        match taken {
            Ok(()) => *after = usize::try_from(number)?,
            Err(problem) if problem.status == 503 => anyhow::bail!("the database does not answer"),
            Err(problem) => {
                // What cannot be used stays kept byte for byte; it must not hold up what comes after it.
                tracing::warn!(kind = problem.kind, "incoming file set aside");
                let mut change = state.store.begin(&Actor::system("incoming"), state.now()).await?;
                let (id, _) = change.keep_document("refused", "in", content.as_bytes()).await?;
                change.audit("set aside", "document", id, None, problem.detail);
                change.commit().await?;
                *after = usize::try_from(number)?;
            }
        }
    }
    Ok(())
}

/// Files a laboratory report under its order; one whose order is not known waits unmatched.
pub async fn take_report(state: &State, content: &str) -> Result<(), Problem> {
    let report =
        laboratory::read_report(content.as_bytes()).map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    let mut change = state.store.begin(&Actor::system("laboratory"), state.now()).await?;
    let order = match report.order_reference.parse() {
        Ok(id) => orders::order(change.conn(), id).await.ok(),
        Err(_) => None,
    };
    let values: Vec<Value> = report
        .values
        .iter()
        .map(|v| {
            json!({
                "loinc": v.loinc, "name": v.name, "number": v.number, "text": v.text, "unit": v.unit,
                "low": v.low, "high": v.high, "flag": v.interpretation.map(|i| i.code()),
                "flagLabel": v.interpretation.map(|i| i.label()),
            })
        })
        .collect();
    let new = NewReport {
        number: report.number,
        order,
        record_number: report.record_number,
        status: report.status.code().into(),
        issued_at: report.issued,
        content: Value::Array(values),
        digest: claims::digest(content.as_bytes()),
    };
    change.file_report(new).await?;
    let (id, _) = change.keep_document("report", "in", content.as_bytes()).await?;
    change.audit("read", "document", id, None, "laboratory report");
    change.commit().await?;
    Ok(())
}

/// Takes a file of the clearing house: acknowledgements move claims, remittances are posted.
pub async fn take_file(state: &State, content: &str) -> Result<(), Problem> {
    let document = x12::read(content).map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    let sets: Vec<_> = document.interchanges.iter().flat_map(|i| &i.groups).flat_map(|g| &g.sets).collect();
    if sets.iter().any(|s| s.kind == "835") {
        take_remittance_file(state, &Actor::system("clearing house"), content.as_bytes()).await?;
        return Ok(());
    }
    let mut change = state.store.begin(&Actor::system("clearing house"), state.now()).await?;
    let kind = sets.first().map_or("x12", |s| if s.kind == "999" { "999" } else { "277CA" });
    let (_, new) = change.keep_document(kind, "in", content.as_bytes()).await?;
    if !new {
        return Ok(());
    }
    for set in sets {
        let unreadable = |e: harbor_formats::Located| Problem::refused("unreadable", e.to_string());
        match set.kind {
            "999" => {
                let ack = file_ack::read(set).map_err(unreadable)?;
                let control = ack.group_control.parse().unwrap_or(0);
                let Some(batch) = claims::batch_by_control(change.conn(), control).await? else { continue };
                if ack.is_accepted() {
                    change.batch_became(batch.id, "accepted", "The clearing house has taken the file.").await?;
                } else {
                    let reasons = ack.reasons();
                    change.batch_became(batch.id, "rejected", &reasons.join("; ")).await?;
                    for claim in change.claims_of_batch(batch.id).await? {
                        change
                            .claim_happened(
                                claim,
                                ClaimEvent::Rejected,
                                "The clearing house refused the file.",
                                &reasons,
                            )
                            .await?;
                    }
                }
            }
            "277" => {
                for status in claim_status::read(set).map_err(unreadable)? {
                    let Some(claim) = claims::by_number(change.conn(), &status.claim_number).await? else { continue };
                    let Some((category, code, _)) = status.deciding() else { continue };
                    let Some(event) = status_event(category) else { continue };
                    let words = status_in_words(code);
                    let (sentence, reasons) = match event {
                        ClaimEvent::Rejected => (format!("Rejected: {words} ({category} {code})."), vec![words]),
                        _ => (format!("Accepted: {words} ({category} {code})."), vec![]),
                    };
                    change.claim_happened(claim.id, event, &sentence, &reasons).await?;
                }
            }
            _ => {}
        }
    }
    change.commit().await?;
    Ok(())
}

/// Posts every remittance of a file in one change: all or nothing.
pub async fn take_remittance_file(state: &State, actor: &Actor, bytes: &[u8]) -> Result<UploadAnswer, Problem> {
    let text = x12::envelope::decode(bytes);
    let document =
        x12::read(&text).map_err(|e| Problem::refused("unreadable", format!("This is no whole X12 file: {e}.")))?;
    let mut read = Vec::new();
    for set in document.interchanges.iter().flat_map(|i| &i.groups).flat_map(|g| &g.sets) {
        if set.kind != "835" {
            return Err(Problem::refused(
                "not-a-remittance",
                format!("The file holds a set {}; a remittance is a set 835.", set.kind),
            ));
        }
        read.push(
            remittance::read(set)
                .map_err(|e| Problem::refused("unreadable", format!("The remittance cannot be read: {e}.")))?,
        );
    }
    if read.is_empty() {
        return Err(Problem::refused("not-a-remittance", "The file holds no remittance."));
    }
    let mut change = state.store.begin(actor, state.now()).await?;
    let (document, _) = change.keep_document("835", "in", bytes).await?;
    let mut answer = UploadAnswer { posted: 0, posted_before: 0, matched: 0, unmatched: 0 };
    for r in &read {
        let posted = change.post_remittance(document, r).await?;
        if posted.now {
            answer.posted += 1
        } else {
            answer.posted_before += 1
        }
        answer.matched += posted.matched;
        answer.unmatched += posted.unmatched;
    }
    change.audit(
        "read",
        "document",
        document,
        None,
        format!("835: {} posted, {} before", answer.posted, answer.posted_before),
    );
    change.commit().await?;
    Ok(answer)
}
