//! What stands on a statement, set as a PDF and kept; the mail that tells of one.

use crate::api::schedule::paper::set;
use crate::papers::{head, large_type, telephone};
use crate::problem::Problem;
use crate::state::State;
use harbor_core::fields::typed_date::{in_words, short};
use harbor_core::money::Cents;
use harbor_core::money::statements::StatementWay;
use harbor_core::people::called;
use harbor_core::people::messages::{Channel, Purpose, Way, about_statement};
use harbor_paper::Sheet;
use harbor_store::documents::Doc;
use harbor_store::money::open_debts::{OpenDebt, of_guarantors};
use harbor_store::money::plans;
use harbor_store::money::statements::gathering::{AskedOn, Behind, Draft, behind, drafts};
use harbor_store::rows::{RemittedClaim, StatementSent, Visit};
use harbor_store::{Change, Conn, claims};
use serde_json::{Value, json};
use uuid::Uuid;

/// One line of what came to what: words, and an amount where there is one.
fn line(words: impl Into<String>, amount: Option<Cents>) -> Value {
    json!({ "words": words.into(), "amount": amount.map(|a| a.to_string()).unwrap_or_default() })
}

/// What a payer decided, and why something is left.
fn decided(payer: &str, d: &RemittedClaim) -> Vec<Value> {
    let paid = Cents::new(d.paid_cents);
    let said = match d.status.as_str() {
        "22" => format!("{payer} took its decision back"),
        _ if paid.is_zero() => format!("{payer} paid nothing"),
        _ => format!("{payer} paid"),
    };
    let amount = (!paid.is_zero()).then_some(-paid);
    let mut out = vec![line(said, amount)];
    out.extend(d.explanation.iter().map(|why| json!({ "words": plain(why), "amount": "", "aside": true })));
    out
}

/// A reason without the trade's own word for who bears it.
fn plain(why: &str) -> &str {
    why.rsplit_once(" (").filter(|(_, word)| word.ends_with(')')).map_or(why, |(words, _)| words)
}

/// A visit as its statement explains it: what was charged, what became of it, what is left.
fn explained(v: &Visit, b: &Behind, left: Cents) -> Vec<Value> {
    let sums = b.balances.get(&v.id).copied().unwrap_or_default();
    let mut out = vec![line("Charged", Some(sums.charged))];
    for (payer, d) in b.decisions.get(&v.id).into_iter().flatten() {
        out.extend(decided(payer, d));
    }
    let below = [
        ("Given up by contract", sums.written_off),
        ("Given up by the clinic", sums.given_up),
        ("Taken off by the clinic", sums.taken_off),
        ("Paid by you", sums.paid_by_patient),
    ];
    out.extend(below.into_iter().filter(|(_, a)| !a.is_zero()).map(|(words, a)| line(words, Some(-a))));
    let words = if left.is_negative() { "Paid too much" } else { "Left to pay" };
    out.push(json!({ "words": words, "amount": left.to_string(), "strong": true }));
    out
}

/// To whom and where it goes, line by line.
fn address(d: &Draft) -> Vec<String> {
    let name = format!("{} {}", d.to.first_name, d.to.last_name);
    if let Some(other) = d.wish.as_ref().filter(|w| !w.other_address.is_empty()) {
        return std::iter::once(name).chain(other.other_address.lines().map(str::to_owned)).collect();
    }
    let p = &d.to;
    let place = format!("{}, {} {}", p.city, p.state, p.postal_code);
    let lines = [name, p.address_line.clone(), p.address_line2.clone(), place];
    lines.into_iter().filter(|l| !l.trim_matches([' ', ',']).is_empty()).collect()
}

/// The facts of one statement.
pub async fn facts(conn: &mut Conn, state: &State, d: &Draft, id: Uuid) -> Result<Value, Problem> {
    let b = behind(conn, &d.debts).await?;
    let section = |debt: &OpenDebt| {
        let patient = debt.person_id.and_then(|id| b.people.get(&id));
        let who = patient.map(|p| format!("{} {}", p.first_name, p.last_name)).unwrap_or_default();
        match debt.visit_id.and_then(|id| b.visits.get(&id)) {
            Some(v) => {
                json!({ "who": who, "what": format!("visit of {}", in_words(v.day)), "lines": explained(v, &b, debt.cents()) })
            }
            None => {
                let words = "carried over from before";
                json!({ "who": who, "what": words, "lines": [line("Left to pay", Some(debt.cents()))] })
            }
        }
    };
    let plan = match plans::of_guarantor(conn, d.guarantor).await? {
        Some(live) if d.guarantor == d.to.id => live.stands(state.today()).next,
        _ => None,
    };
    let plan = plan.map(|(day, cents)| format!("By your payment plan, {cents} is due on {}.", in_words(day)));
    let rules = b.rules.as_ref();
    let pay = rules.map(|r| r.how_to_pay.clone()).filter(|words| !words.is_empty()).unwrap_or_else(|| {
        format!(
            "Pay at the desk, by cheque to {}, or by card on {}.",
            state.clinic.name,
            telephone(&state.clinic.telephone)
        )
    });
    Ok(json!({
        "to": address(d),
        "date": in_words(state.today()),
        "number": number(id),
        "sum": format!("${}", d.owes),
        "sections": d.debts.iter().map(section).collect::<Vec<_>>(),
        "plan": plan.unwrap_or_default(),
        "pay": pay,
        "questions": format!("Something is not right, or you cannot pay it at once? Call {}.", telephone(&state.clinic.telephone)),
        "large": d.wish.as_ref().map_or_else(|| large_type(state, &d.to), |w| w.large_type || large_type(state, &d.to)),
    }))
}

/// The number of a statement, as it is read over the telephone.
fn number(id: Uuid) -> String {
    let text = id.simple().to_string();
    format!("S{}", text[text.len() - 8..].to_uppercase())
}

/// Statements in one file.
async fn sheet(state: &State, statements: Vec<Value>) -> Result<Vec<u8>, Problem> {
    let data = json!({ "head": head(state), "title": "Statement", "statements": statements });
    set(Sheet::Statement, data).await
}

/// The letters of a run in one file, each as it was made.
pub async fn set_together(state: &State, rows: &[StatementSent]) -> Result<Vec<u8>, Problem> {
    sheet(state, rows.iter().map(|row| row.facts.0.clone()).collect()).await
}

pub async fn document_of(conn: &mut Conn, row: &StatementSent) -> Result<Vec<u8>, Problem> {
    Ok(claims::document(conn, row.document_id).await?.content)
}

/// Makes what is due about one guarantor: sets each, keeps it, and writes the mail of those that go by mail.
pub async fn make_one(
    change: &mut Change<'_>,
    state: &State,
    guarantor: Uuid,
    run: Option<Uuid>,
    on: AskedOn,
) -> Result<Vec<StatementSent>, Problem> {
    change.lock_guarantor(guarantor).await?;
    let debts = of_guarantors(change.conn(), &[guarantor]).await?;
    let (all, _) = drafts(change.conn(), debts, on).await?;
    let mut made = Vec::new();
    for d in &all {
        let Ok(way) = d.way else { continue };
        let id = Uuid::now_v7();
        let facts = facts(change.conn(), state, d, id).await?;
        let content = sheet(state, vec![facts.clone()]).await?;
        let (document, _) = change.keep_document("statement", "out", &content).await?;
        let row = StatementSent {
            id,
            run_id: run,
            guarantor_id: guarantor,
            to_person_id: d.to.id,
            at: state.now(),
            by: change.actor.name.clone(),
            cents: d.owes.get(),
            way: way.into(),
            document_id: document,
            facts: Doc(facts),
            visits: d.debts.iter().filter_map(|debt| debt.visit_id).collect(),
        };
        change.keep_statement(&row).await?;
        if way == StatementWay::Email {
            mail(change, state, d, &row).await?;
        }
        made.push(row);
    }
    Ok(made)
}

/// A mail travels in the open: it tells how much and how to pay, not for whom or for what.
async fn mail(change: &mut Change<'_>, state: &State, d: &Draft, row: &StatementSent) -> Result<(), Problem> {
    let email = d.to.email.clone().unwrap_or_default();
    let way = Way { channel: Channel::Email, reach: email, why: "agreed to e-mail".into() };
    let words = about_statement(
        called(&d.to.first_name, &d.to.preferred_name),
        &state.clinic.name,
        &telephone(&state.clinic.telephone),
        (&number(row.id), d.owes, &short(state.today())),
    );
    change.add_message(d.to.id, None, Purpose::Statement, &way, words).await?;
    Ok(())
}
