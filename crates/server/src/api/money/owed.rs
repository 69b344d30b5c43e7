//! What is owed for a visit and why.

use crate::api::visit_line::views::RiverView;
use crate::problem::Answer;
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, NaiveDate, Utc};
use harbor_store::money::{ledger as store, remittances};
use harbor_store::rows::RemittedClaim;
use harbor_store::{claims, codes};
use serde::Serialize;
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
    kind: codes::Posting,
    at: DateTime<Utc>,
    by: String,
    memo: String,
    /// The payment that it is a part of.
    payment_id: Option<Uuid>,
    entries: Vec<EntryView>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MoneyView {
    river: RiverView,
    transactions: Vec<TransactionView>,
    /// What the payers said, for the question "why do we owe this?".
    decisions: Vec<RemittedClaim>,
    /// The papers and files that they came in.
    papers: Vec<DecisionPaper>,
}

/// In what a payer's decision came.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DecisionPaper {
    remittance_id: Uuid,
    document_id: Uuid,
    trace: String,
    paid_on: NaiveDate,
    /// It is the scan of a letter, not a file.
    letter: bool,
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
        payment_id: t.payment_id,
        entries: entries
            .into_iter()
            .map(|e| EntryView { account: e.account.label().into(), cents: e.amount.get(), line: e.line, memo: e.memo })
            .collect(),
    });
    let decisions = remittances::of_claims(&mut conn, &claim_ids).await?;
    let mut of: Vec<Uuid> = decisions.iter().map(|d| d.remittance_id).collect();
    of.dedup();
    let came = remittances::many(&mut conn, &of).await?;
    let documents: Vec<Uuid> = came.iter().map(|r| r.document_id).collect();
    let on_paper = remittances::letters::letters_among(&mut conn, &documents).await?;
    let paper = |r: harbor_store::rows::Remittance| DecisionPaper {
        remittance_id: r.id,
        document_id: r.document_id,
        trace: r.trace,
        paid_on: r.paid_on,
        letter: on_paper.contains(&r.document_id),
    };
    Ok(Json(MoneyView {
        papers: came.into_iter().map(paper).collect(),
        transactions: transactions.collect(),
        river: store::balance(&mut conn, *id).await?.into(),
        decisions,
    }))
}
