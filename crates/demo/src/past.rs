//! What lies behind: about eighteen months of visits, with claims in every state and a ledger that adds up.

mod decisions;

use crate::{World, at, coded, names};
use anyhow::Result;
use chrono::{DateTime, Datelike, Days, Duration, NaiveDate, Utc, Weekday};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::Frequency;
use harbor_core::claims::assembling::AccidentCause;
use harbor_core::money::ledger::{Method, Transaction};
use harbor_core::money::payments::payment;
use harbor_core::money::{Cents, ledger};
use harbor_core::schedule::{VisitKind, call_sign};
use harbor_store::charges::fees::STANDARD;
use harbor_store::consult::signing;
use harbor_store::rows::{
    Accident, ChargeLine, Claim, LedgerTransaction, NoteRun, NoteSignature, RemittedClaim, Visit, VisitMark,
    WrittenPart,
};
use harbor_store::{Actor, Conn, schema};
use uuid::Uuid;

/// How far a past visit has come.
#[derive(Clone, Copy, PartialEq, Eq)]
enum End {
    Settled,
    PatientOwes,
    WaitsForPayer,
    Denied,
    Rejected,
    Ready,
    Uncharged,
    Unsigned,
    DidNotCome,
}

#[derive(Default)]
struct Rows {
    visits: Vec<Visit>,
    marks: Vec<VisitMark>,
    runs: Vec<NoteRun>,
    parts: Vec<WrittenPart>,
    signatures: Vec<NoteSignature>,
    lines: Vec<ChargeLine>,
    accidents: Vec<Accident>,
    claims: Vec<Claim>,
    transactions: Vec<LedgerTransaction>,
    /// With whoever owes what payers and patients owe.
    entries: Vec<(Uuid, ledger::Entry, Option<Uuid>)>,
    decided: Vec<decisions::Decided>,
    remitted: Vec<RemittedClaim>,
}

pub async fn build(world: &mut World, conn: &mut Conn) -> Result<()> {
    let mut rows = Rows::default();
    let mut day = world.day - Days::new(540);
    while day < world.day {
        // Older weeks are thinner: the last three months are what people look at.
        let recent = (world.day - day).num_days() < 90;
        if !matches!(day.weekday(), Weekday::Sat | Weekday::Sun) {
            let mut nth = 0;
            for login in ["oriane", "tobias", "ifeoma", "maelis"] {
                for slot in 0..if recent { 4 } else { 1 } {
                    visit(world, &mut rows, day, login, slot, nth);
                    nth += 1;
                }
            }
        }
        day = day + Days::new(1);
    }
    decisions::store(world, &mut rows, conn).await?;
    store(&rows, conn).await
}

fn end_of(world: &mut World, day: NaiveDate) -> End {
    let age = (world.day - day).num_days();
    let n = world.chance.below(100);
    match age {
        0..=4 if n < 12 => End::Unsigned,
        0..=4 if n < 30 => End::Uncharged,
        0..=4 if n < 50 => End::Ready,
        0..=12 if n < 70 => End::WaitsForPayer,
        0..=40 if n < 8 => End::Rejected,
        0..=60 if n < 14 => End::Denied,
        0..=80 if n < 26 => End::PatientOwes,
        _ if n < 4 => End::DidNotCome,
        // No payer has decided about it yet.
        _ if decisions::friday_after(day, world.day).is_none() => End::WaitsForPayer,
        _ => End::Settled,
    }
}

/// A time of the clinic's day, in the quarter of it that has this number: other ones on other days and for others.
fn time_of(day: NaiveDate, quarter: u32, nth: u32) -> DateTime<Utc> {
    // Twelve times of twenty minutes before noon, and as many from one o'clock on; at 10:20 everybody catches up.
    let chosen = match quarter % 4 * 6 + (day.ordinal() * 5 + nth * 7) % 6 {
        7 => 11,
        n => n,
    };
    at(day, if chosen < 12 { 8 } else { 13 }, 0) + Duration::minutes(i64::from(chosen % 12) * 20)
}

fn visit(world: &mut World, rows: &mut Rows, day: NaiveDate, login: &str, slot: u32, nth: u32) {
    let children = login == "ifeoma";
    let fits = |w: &World, i: usize| {
        w.people[i].birth_date.and_then(|b| day.years_since(b)).is_some_and(|age| (age < 18) == children)
    };
    let mut tries = (0..60).map(|_| world.chance.below(world.people.len())).collect::<Vec<_>>().into_iter();
    let free = |w: &World, i: usize| fits(w, i) && !w.busy.contains(&(day, w.people[i].id));
    let Some(person) = tries.find(|i| free(world, *i)).map(|i| world.people[i].clone()) else { return };
    world.busy.insert((day, person.id));
    let Some(policy) = world.coverages.iter().find(|c| c.person_id == person.id).cloned() else { return };
    let (reason, code, title) = names::reason(&mut world.chance, children);
    let end = end_of(world, day);
    let clinician = world.staff(login).clone();
    let starts_at = time_of(day, slot, nth);
    let seen = end != End::DidNotCome;
    let signed = seen && end != End::Unsigned;
    let charged = signed && end != End::Uncharged;
    let claimed = charged && !matches!(end, End::Ready | End::Rejected);
    let moment = |minutes: i64, is: bool| is.then(|| starts_at + Duration::minutes(minutes));
    let visit = Visit {
        id: world.ids.fresh(),
        person_id: person.id,
        clinician_id: clinician.id,
        site_id: world.sites[0].id,
        visit_type_id: world.visit_types[if children { 3 } else { 0 }].id,
        slot_id: None,
        kind: VisitKind::InPerson.into(),
        starts_at,
        ends_at: starts_at + Duration::minutes(20),
        day,
        reason: reason.into(),
        booking_note: String::new(),
        call_sign: call_sign(nth),
        stage: coded(if seen { "left" } else { "did_not_come" }),
        stage_at: starts_at + Duration::minutes(40),
        room_id: None,
        extra: false,
        self_pay: false,
        coverage_id: Some(policy.id),
        accident_date: (world.payers.iter().any(|p| p.id == policy.payer_id && p.employment))
            .then(|| day - Days::new(20)),
        cancel_reason: None,
        left_at: moment(27, seen),
        settled: false,
        version: 1,
        over_type_id: None,
        placed_at: starts_at - Duration::days(9),
        cancelled_by: None,
        rebook: false,
        own_stage_id: None,
        appointment: true,
        done_at: moment(24, seen),
    };
    let by = [
        ("booked", -9 * 1440, "Junia Vance", true),
        ("here", -6, "Junia Vance", seen),
        ("checked_in", -3, "Junia Vance", seen),
        ("roomed", 1, "Petra Lindqvist", seen),
        ("seen", 8, &clinician.name, seen),
        ("signed", 45, &clinician.name, signed),
        ("charged", 300, "Agathe Marlowe", charged),
        ("claimed", 1_500, "clearing house", claimed),
    ];
    for (mark, minutes, name, _) in by.into_iter().filter(|(.., reached)| *reached) {
        let at = starts_at + Duration::minutes(minutes);
        rows.marks.push(VisitMark { visit_id: visit.id, mark: coded(mark), at, by: name.to_owned() });
    }
    if seen {
        chart(rows, &visit, &clinician.name, (reason, code, title), signed);
    }
    if signed {
        let level = if world.chance.below(3) == 0 { "VISIT4" } else { "VISIT3" };
        rows.lines.push(ChargeLine {
            id: world.ids.fresh(),
            visit_id: visit.id,
            number: 1,
            service_code: level.into(),
            modifiers: vec![],
            units: 1,
            pointers: vec![1],
            reason: String::new(),
            by_itself: false,
            own_price_cents: None,
            own_price_reason: String::new(),
            schedule: charged.then(|| STANDARD.to_owned()),
            price_cents: charged.then_some(if level == "VISIT4" { 19_500 } else { 14_000 }),
        });
    }
    if charged {
        money(world, rows, &visit, &policy, end);
    }
    if let Some(day) = visit.accident_date {
        rows.accidents.push(accident(world, &visit, day));
    }
    rows.visits.push(visit);
}

/// A fall at the boatyard, as the fund wants to know of it.
fn accident(world: &mut World, visit: &Visit, day: NaiveDate) -> Accident {
    Accident {
        id: world.ids.fresh(),
        person_id: visit.person_id,
        happened_on: day,
        cause: AccidentCause::Work.into(),
        state: String::new(),
        number: format!("FW-{}", 4400 + day.ordinal()),
        employer: "Port Calder Boatyard".into(),
        employer_line: "3 Slipway".into(),
        employer_city: "Port Calder".into(),
        employer_state: "ME".into(),
        employer_postal_code: "04998-0300".into(),
        told_at: visit.starts_at,
        told_by: "Junia Vance".into(),
    }
}

fn chart(rows: &mut Rows, visit: &Visit, by: &str, (reason, code, title): (&str, &str, &str), signed: bool) {
    let run = NoteRun {
        visit_id: visit.id,
        code: Some(code.into()),
        title: title.into(),
        position: 1,
        id: uuid::Uuid::now_v7(),
    };
    let at = visit.starts_at + Duration::minutes(20);
    let hand = Actor { staff_id: Some(visit.clinician_id), name: by.to_owned() };
    let mut parts = Vec::new();
    for (part, body) in [
        ("reason", format!("{reason}.")),
        ("history", "Came on gradually; no warning signs. Getting along at home and at work.".to_owned()),
        ("examination", "Well, in no distress. Findings otherwise unremarkable.".to_owned()),
        ("assessment", format!("{title}.")),
        ("plan", "Continue as discussed; come back if it does not settle.".to_owned()),
    ] {
        let of = (part != "reason").then_some(run.id);
        parts.push(WrittenPart::written(visit.id, of, coded(part), &body, (at, &hand)));
    }
    if signed {
        let facts = signing::Beside { runs: vec![run.clone()], ..Default::default() }.in_words();
        rows.signatures.push(NoteSignature {
            visit_id: visit.id,
            signed_at: visit.starts_at + Duration::minutes(45),
            signed_by: by.to_owned(),
            digest: signing::digest(&parts, &facts),
            facts,
        });
    }
    rows.parts.extend(parts);
    rows.runs.push(run);
}

fn money(world: &mut World, rows: &mut Rows, visit: &Visit, policy: &harbor_store::rows::Coverage, end: End) {
    let fee = Cents::new(rows.lines.last().and_then(|l| l.price_cents).unwrap_or(0));
    let payer = world.payers.iter().position(|p| p.id == policy.payer_id).unwrap_or(0);
    let state = match end {
        End::Ready => "ready",
        End::Rejected => "rejected",
        // The clearing house has not answered about the latest yet.
        End::WaitsForPayer if (world.day - visit.day).num_days() < 5 => "sent",
        End::WaitsForPayer => "accepted",
        End::Denied => "denied",
        _ => "paid",
    };
    let reasons = match end {
        End::Rejected => vec!["subscriber number".to_owned()],
        End::Denied => vec![format!("{fee}: The claim lacks something the payer needs. (contractual obligation)")],
        _ => vec![],
    };
    let number = format!("C{}", 10_001 + rows.claims.len());
    let claim = Claim {
        id: world.ids.fresh(),
        number: number.clone(),
        visit_id: visit.id,
        coverage_id: policy.id,
        payer_id: policy.payer_id,
        state: coded(state),
        frequency: Frequency::Original.into(),
        original_reference: None,
        payer_claim_number: if state == "ready" || state == "rejected" { String::new() } else { format!("P{number}") },
        total_cents: fee.get(),
        batch_id: None,
        reasons,
        made_at: visit.starts_at + Duration::hours(5),
        replaces_id: None,
    };
    let copay = if payer == 0 { Cents::new(2500) } else { Cents::ZERO };
    let decided = matches!(end, End::Settled | End::PatientOwes);
    let friday = decisions::friday_after(visit.day, world.day).filter(|_| decided);
    let answers = world.people.iter().find(|p| p.id == visit.person_id).and_then(|p| p.responsible_id);
    let answers = answers.unwrap_or(visit.person_id);
    let decision = decisions::decide(world, payer, &claim, visit, policy);
    let mut post =
        |key: &str, kind: &str, posted_at: DateTime<Utc>, transaction: Result<Transaction, ledger::LedgerRefusal>| {
            let transaction = transaction.ok()?;
            let id = world.ids.fresh();
            rows.transactions.push(LedgerTransaction {
                id,
                kind: coded(kind),
                visit_id: Some(visit.id),
                person_id: Some(visit.person_id),
                claim_id: (kind != "payment").then_some(claim.id),
                remittance_id: None,
                idempotency_key: format!("{key}:{}", visit.id),
                posted_at,
                posted_by: "Agathe Marlowe".into(),
                memo: String::new(),
                payment_id: None,
            });
            for e in transaction.entries() {
                let owes = match e.account {
                    ledger::Account::Payer => Some(claim.payer_id),
                    ledger::Account::Patient => Some(answers),
                    _ => None,
                };
                rows.entries.push((id, e.clone(), owes));
            }
            Some(id)
        };
    let came = visit.starts_at;
    post("copay", "payment", came, payment(copay, Method::Card, "approval A000001"));
    post("charge", "charge", came, ledger::charge(&[(1, fee)], true));
    if let (Some(friday), Some(as_sent)) = (friday, decision) {
        let at = decisions::comes_in(friday);
        let posted = post("decision", "decision", at, ledger::decision(&as_sent.decisions()));
        if end == End::Settled {
            let rest = as_sent.patient_share - copay;
            post("rest", "payment", at + Duration::hours(2), payment(rest, Method::Transfer, ""));
        }
        if let Some(transaction) = posted {
            rows.decided.push(decisions::Decided { payer, friday, claim_id: claim.id, transaction, as_sent });
        }
    }
    rows.claims.push(claim);
}

async fn store(rows: &Rows, conn: &mut Conn) -> Result<()> {
    macro_rules! put {
        ($table:ident, $list:expr) => {
            for chunk in $list.chunks(400) {
                diesel::insert_into(schema::$table::table).values(chunk).execute(conn).await?;
            }
        };
    }
    put!(visits, rows.visits);
    put!(visit_marks, rows.marks);
    put!(note_runs, rows.runs);
    put!(note_parts, rows.parts);
    put!(note_signatures, rows.signatures);
    put!(charge_lines, rows.lines);
    put!(accidents, rows.accidents);
    put!(claims, rows.claims);
    put!(ledger_transactions, rows.transactions);
    put!(remitted_claims, rows.remitted);
    use schema::ledger_entries as e;
    for chunk in rows.entries.chunks(1000) {
        let values: Vec<_> = chunk
            .iter()
            .map(|(t, entry, owes)| {
                (
                    e::transaction_id.eq(*t),
                    e::account.eq(entry.account.code()),
                    e::cents.eq(entry.amount.get()),
                    e::line.eq(entry.line.and_then(|l| i32::try_from(l).ok())),
                    e::memo.eq(&entry.memo),
                    e::payer_id.eq(owes.filter(|_| entry.account == ledger::Account::Payer)),
                    e::guarantor_id.eq(owes.filter(|_| entry.account == ledger::Account::Patient)),
                )
            })
            .collect();
        diesel::insert_into(e::table).values(values).execute(conn).await?;
    }
    // Where the payer decided and nothing is left, the line says so, from the last entry on.
    diesel::sql_query(
        "with done as (
             update visits v set settled = true where not v.settled and exists (
                 select 1 from ledger_transactions t where t.visit_id = v.id and t.kind = 'decision')
             and not exists (
                 select 1 from ledger_transactions t join ledger_entries e on e.transaction_id = t.id
                 where t.visit_id = v.id and e.account in ('patient', 'payer') group by e.account having sum(e.cents) <> 0)
             returning v.id)
         insert into visit_marks (visit_id, mark, at, by)
             select done.id, 'settled', (select max(t.posted_at) from ledger_transactions t where t.visit_id = done.id), 'Agathe Marlowe'
             from done",
    )
    .execute(conn)
    .await?;
    Ok(())
}
