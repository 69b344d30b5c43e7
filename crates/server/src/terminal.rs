//! The card terminal: asked once for each payment, and believed by its own record when an answer was lost.
//!
//! What it is about to be asked is written down first ([`harbor_store::rows::CardRequest`]). An answer posts the
//! payment; when none comes, because the line, the terminal or this server broke off, [`settle`] reads the
//! terminal's record under the same reference and posts what was charged.

use crate::problem::Problem;
use crate::state::State;
use actix_web::http::StatusCode;
use chrono::{Duration, Utc};
use harbor_core::money::Cents;
use harbor_core::money::ledger::Method;
use harbor_core::money::payments::{For, Mean};
use harbor_store::Actor;
use harbor_store::codes;
use harbor_store::documents::{Doc, WaitingFor, WaitingPayment};
use harbor_store::money::payments::{NewPayment, Part};
use harbor_store::money::terminal as store;
use harbor_store::rows::{CardRequest, Payment};
use serde_json::{Value, json};
use uuid::Uuid;

/// What the terminal said.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Said {
    Approved(String),
    Declined(String),
}

fn silent() -> Problem {
    let advice = "The card terminal does not answer. Ask again: the same payment is never taken twice. What it charged meanwhile is posted by itself.";
    Problem::new(StatusCode::SERVICE_UNAVAILABLE, "card-terminal", advice)
}

fn read(answer: &Value) -> Result<Said, Problem> {
    match (answer["approved"].as_bool(), answer["approval"].as_str()) {
        (Some(true), Some(approval)) => Ok(Said::Approved(approval.to_owned())),
        (Some(false), _) => Ok(Said::Declined(answer["reason"].as_str().unwrap_or("declined").to_owned())),
        _ => Err(silent()),
    }
}

async fn ask(state: &State, path: &str, body: &Value) -> Result<Said, Problem> {
    let url = state.settings.outside_url.as_ref().ok_or_else(silent)?;
    let answer = state.http.post(format!("{url}{path}")).json(body).send().await.map_err(|_| silent())?;
    if !answer.status().is_success() {
        return Err(silent());
    }
    read(&answer.json().await.map_err(|_| silent())?)
}

/// Charges a card; a repeated reference charges once.
pub async fn charge(state: &State, reference: Uuid, amount: Cents) -> Result<Said, Problem> {
    ask(state, "/card/charges", &json!({ "reference": reference, "cents": amount.get() })).await
}

/// Puts money back, under a reference of its own, on the card that was charged under another.
pub async fn put_back(state: &State, reference: &str, charge: &str, amount: Cents) -> Result<Said, Problem> {
    ask(state, "/card/refunds", &json!({ "reference": reference, "charge": charge, "cents": amount.get() })).await
}

/// What the terminal has on record for a reference; nothing when it charged nothing.
async fn on_record(state: &State, reference: Uuid) -> Result<Option<Said>, Problem> {
    let url = state.settings.outside_url.as_ref().ok_or_else(silent)?;
    let answer = state.http.get(format!("{url}/card/charges/{reference}")).send().await.map_err(|_| silent())?;
    if answer.status() == 404 {
        return Ok(None);
    }
    if !answer.status().is_success() {
        return Err(silent());
    }
    read(&answer.json().await.map_err(|_| silent())?).map(Some)
}

/// Writes a payment down that waits for the terminal.
pub fn keep(new: &NewPayment) -> Doc<WaitingPayment> {
    let part = |p: &Part| {
        let (visit, kind) = match p.what {
            For::Visit(visit) => (Some(visit), WaitingFor::Visit),
            For::CarriedOver => (None, WaitingFor::CarriedOver),
            For::Credit => (None, WaitingFor::Credit),
        };
        (p.person, visit, kind, p.amount.get())
    };
    let mean = |m: &Mean| (m.method.into(), m.amount.get(), m.reference.clone());
    Doc(WaitingPayment {
        site: new.site,
        means: new.means.iter().map(mean).collect(),
        parts: new.parts.iter().map(part).collect(),
    })
}

fn kept(row: &CardRequest, approval: &str) -> NewPayment {
    let kept = row.payment.0.clone();
    let mean = |(method, cents, reference): (codes::Method, i64, String)| {
        let method = *method;
        let reference = if method == Method::Card { format!("approval {approval}") } else { reference };
        Mean { method, amount: Cents::new(cents), reference }
    };
    let part = |(person, visit, kind, cents): (Uuid, Option<Uuid>, WaitingFor, i64)| {
        let what = match (visit, kind) {
            (Some(visit), _) => For::Visit(visit),
            (None, WaitingFor::CarriedOver) => For::CarriedOver,
            // Of no visit that is known: it stays the payer's own.
            (None, WaitingFor::Credit | WaitingFor::Visit) => For::Credit,
        };
        Part { person, what, amount: Cents::new(cents) }
    };
    NewPayment {
        key: row.key,
        person: row.person_id,
        site: kept.site,
        means: kept.means.into_iter().map(mean).collect(),
        parts: kept.parts.into_iter().map(part).collect(),
    }
}

/// Posts what the terminal approved, once; nothing when somebody else has done so.
pub async fn post(state: &State, row: &CardRequest, approval: &str) -> Result<Option<Payment>, Problem> {
    let actor = Actor { staff_id: row.staff_id, name: row.asked_by.clone() };
    state
        .store
        .change(&actor, state.now(), async |change| {
            if change.unsettled_card(row.key).await?.is_none() {
                change.give_up();
                return Ok(None);
            }
            let payment = change.take_payment(&kept(row, approval)).await?;
            change.card_became(row.key, "posted", approval).await?;
            Ok(Some(payment))
        })
        .await
}

/// Notes that nothing was charged.
pub async fn nothing_charged(state: &State, row: &CardRequest, how: &str, word: &str) -> Result<(), Problem> {
    let actor = Actor { staff_id: row.staff_id, name: row.asked_by.clone() };
    state
        .store
        .change(&actor, state.now(), async |change| {
            change.card_became(row.key, how, word).await?;
            Ok(())
        })
        .await
}

/// Reads the terminal's record for a request whose answer was lost, and posts what it charged.
pub async fn settle(state: &State, row: &CardRequest) -> Result<Option<Payment>, Problem> {
    match on_record(state, row.key).await? {
        Some(Said::Approved(approval)) => post(state, row, &approval).await,
        Some(Said::Declined(why)) => nothing_charged(state, row, "declined", &why).await.map(|()| None),
        // It may still be at it: only after a while its silence means that nothing was charged.
        None if Utc::now() - row.asked_at < Duration::seconds(GIVEN_UP_AFTER) => Ok(None),
        None => nothing_charged(state, row, "not_charged", "the terminal knows of no charge").await.map(|()| None),
    }
}

/// An answer that takes longer than this is counted as lost, in seconds; a request may take ten.
const LOST_AFTER: i64 = 15;
/// What the terminal has not on record after this many seconds was not charged.
const GIVEN_UP_AFTER: i64 = 120;

/// Settles what was left open: at the start everything, then whatever waits too long.
pub async fn settle_lost(state: State) {
    if state.settings.outside_url.is_none() {
        return;
    }
    let mut patience = 0;
    loop {
        // By the machine's clock, as the rows were written: the clinic's own may stand still.
        let before = Utc::now() - Duration::seconds(patience);
        match state.store.reader().await {
            Ok(mut conn) => {
                for row in store::unsettled_cards(&mut conn, None, before).await.unwrap_or_default() {
                    if let Err(problem) = settle(&state, &row).await {
                        tracing::debug!(kind = problem.kind, "the terminal's record cannot be read yet");
                        break;
                    }
                }
            }
            Err(error) => tracing::debug!(error = error.for_log(), "no database for the terminal's record"),
        }
        patience = LOST_AFTER;
        tokio::time::sleep(std::time::Duration::from_secs(2)).await;
    }
}
