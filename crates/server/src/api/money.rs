//! What is owed for a visit and why; taking payments.

use super::views::RiverView;
use super::visits::one;
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::http::StatusCode;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::fields;
use harbor_core::ledger::{Method, payment};
use harbor_core::money::Cents;
use harbor_store::ledger::{self as store, About};
use harbor_store::rows::RemittedClaim;
use harbor_store::{claims, remittances, visits};
use serde::{Deserialize, Serialize};
use serde_json::json;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
pub struct EntryView {
    account: String,
    cents: i64,
    line: Option<u32>,
    memo: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TransactionView {
    id: Uuid,
    kind: String,
    at: DateTime<Utc>,
    by: String,
    memo: String,
    entries: Vec<EntryView>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MoneyView {
    river: RiverView,
    transactions: Vec<TransactionView>,
    /// What the payers said, for the question "why do we owe this?".
    decisions: Vec<RemittedClaim>,
}

/// One visit of a person that something is still owed for.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OpenVisit {
    visit_id: Uuid,
    starts_at: DateTime<Utc>,
    reason: String,
    patient_owes_cents: i64,
    payer_owes_cents: i64,
}

/// What is still owed for a person's visits, by whom, the oldest first.
#[utoipa::path(get, path = "/api/people/{id}/balance", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<OpenVisit>)))]
pub async fn of_person(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<OpenVisit>> {
    let mut conn = state.store.reader().await?;
    let open = store::open_visits(&mut conn, *id).await?;
    let about = visits::many(&mut conn, &open.iter().map(|(id, _)| *id).collect::<Vec<_>>()).await?;
    let mut out: Vec<OpenVisit> = open
        .iter()
        .filter_map(|(id, b)| Some((about.get(id)?, b)))
        .map(|(v, b)| OpenVisit {
            visit_id: v.id,
            starts_at: v.starts_at,
            reason: v.reason.clone(),
            patient_owes_cents: b.patient_owes.get(),
            payer_owes_cents: b.payer_owes.get(),
        })
        .collect();
    out.sort_by_key(|v| v.starts_at);
    Ok(Json(out))
}

#[utoipa::path(get, path = "/api/visits/{id}/money", params(("id" = Uuid, Path)), responses((status = 200, body = MoneyView)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<MoneyView> {
    let mut conn = state.store.reader().await?;
    let history = store::history(&mut conn, *id).await?;
    let claim_ids: Vec<Uuid> = claims::of_visits(&mut conn, &[*id]).await?.iter().map(|c| c.id).collect();
    let transactions = history.into_iter().map(|(t, entries)| TransactionView {
        id: t.id,
        kind: t.kind,
        at: t.posted_at,
        by: t.posted_by,
        memo: t.memo,
        entries: entries
            .into_iter()
            .map(|e| EntryView { account: e.account.label().into(), cents: e.amount.get(), line: e.line, memo: e.memo })
            .collect(),
    });
    Ok(Json(MoneyView {
        transactions: transactions.collect(),
        river: store::balance(&mut conn, *id).await?.into(),
        decisions: remittances::of_claims(&mut conn, &claim_ids).await?,
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct PaymentForm {
    amount: String,
    method: String,
    #[serde(default)]
    reference: String,
    /// Made by the screen for this payment: sent twice, it pays once.
    key: Uuid,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Receipt {
    number: Uuid,
    at: DateTime<Utc>,
    by: String,
    cents: i64,
    method: String,
    memo: String,
    patient: String,
    clinic: String,
    left_cents: i64,
}

#[utoipa::path(post, path = "/api/visits/{id}/payments", params(("id" = Uuid, Path)), request_body = PaymentForm, responses((status = 200, body = Receipt), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn pay(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PaymentForm>) -> Answer<Receipt> {
    let amount = Cents::parse(&form.amount).map_err(|e| Problem::field("amount", e.to_string()))?;
    let method = Method::from_code(&form.method)
        .ok_or_else(|| Problem::field("method", "Choose cash, card, cheque or transfer."))?;
    let mut reference = fields::line("Reference", &form.reference, 40).map_err(|s| Problem::field("reference", s))?;
    let key = format!("payment:{}", form.key);
    // A repeated request gets the receipt of the first.
    let before = store::by_key(&mut *state.store.reader().await?, &key).await?;
    payment(amount, method, &reference).map_err(|e| {
        let field = if e == harbor_core::ledger::LedgerRefusal::ChequeNumber { "reference" } else { "amount" };
        Problem::field(field, e.to_string())
    })?;
    if method == Method::Card && before.is_none() {
        reference = charge_card(&state, &key, amount).await?;
    }
    let transaction = payment(amount, method, &reference).map_err(|e| Problem::field("amount", e.to_string()))?;
    let (number, at, by, memo) = match before {
        Some(t) if t.visit_id != Some(*id) => {
            return Err(Problem::field("key", "This key belongs to another payment."));
        }
        Some(t) => {
            let paid = store::amount_of(&mut *state.store.reader().await?, t.id).await?;
            if paid != amount {
                return Err(Problem::field("key", format!("This payment was taken already, as {paid}.")));
            }
            (t.id, t.posted_at, t.posted_by, t.memo)
        }
        None => {
            let mut change = state.store.begin(&me.actor(), state.now()).await?;
            let visit = change.lock_visit(*id).await?;
            let memo = transaction.entries().first().map(|e| e.memo.clone()).unwrap_or_default();
            let about = About {
                kind: "payment",
                visit: Some(*id),
                person: Some(visit.person_id),
                key,
                memo: memo.clone(),
                ..About::default()
            };
            let posted = change.post(&about, &transaction).await?;
            change.commit().await?;
            (posted, state.now(), me.staff.name.clone(), memo)
        }
    };
    let mut conn = state.store.reader().await?;
    let g = one(&mut conn, &state, *id).await?;
    Ok(Json(Receipt {
        number,
        at,
        by,
        cents: amount.get(),
        method: method.label().into(),
        memo,
        patient: format!("{} {}", g.person.first_name, g.person.last_name),
        clinic: state.clinic.name.clone(),
        left_cents: g.balances.patient_owes.get(),
    }))
}

/// Asks the card terminal; nothing is posted unless it approves.
async fn charge_card(state: &State, reference: &str, amount: Cents) -> Result<String, Problem> {
    let silent = || {
        let advice = "The card terminal does not answer. Ask again: the same payment is never taken twice. Or take another means.";
        Problem::new(StatusCode::SERVICE_UNAVAILABLE, "card-terminal", advice)
    };
    let url = state.settings.outside_url.as_ref().ok_or_else(silent)?;
    let body = json!({ "reference": reference, "cents": amount.get() });
    let answer = state.http.post(format!("{url}/card/charges")).json(&body).send().await.map_err(|_| silent())?;
    if !answer.status().is_success() {
        return Err(silent());
    }
    let answer: serde_json::Value = answer.json().await.map_err(|_| silent())?;
    match (answer["approved"].as_bool(), answer["approval"].as_str()) {
        (Some(true), Some(approval)) => Ok(format!("approval {approval}")),
        (Some(false), _) => {
            let why = answer["reason"].as_str().unwrap_or("declined").to_owned();
            Err(Problem::refused("card-declined", format!("The card was not charged: {why}.")))
        }
        _ => Err(silent()),
    }
}
