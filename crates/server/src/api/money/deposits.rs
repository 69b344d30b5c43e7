//! What came to the bank, and which payments it is.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::money::Cents;
use harbor_core::money::deposits::{COMES_WITHIN_DAYS, DepositCandidate, OpenPayment, candidates};
use harbor_store::money::deposits::{self as store, ExpectedMoney};
use harbor_store::rows::{Deposit, Remittance};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// A payment that a deposit may be, with what agrees.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LikelyPayment {
    remittance_id: Uuid,
    payer: String,
    trace: String,
    open_cents: i64,
    agrees: Vec<&'static str>,
}

/// A payment that a deposit is, or a part of one.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DepositedPart {
    remittance_id: Uuid,
    payer: String,
    trace: String,
    cents: i64,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DepositView {
    deposit: Deposit,
    open_cents: i64,
    parts: Vec<DepositedPart>,
    /// What somebody said of the rest.
    said: Vec<String>,
    /// The likeliest first.
    likely: Vec<LikelyPayment>,
}

/// A payment whose money has not come, or not whole.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ExpectedView {
    remittance: Remittance,
    open_cents: i64,
    /// It should have come by now.
    overdue: bool,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BankView {
    /// In the bank, and not matched whole; the oldest first, 200 at most.
    unmatched: Vec<DepositView>,
    /// Paid, and not in the bank; the oldest first, 200 at most.
    expected: Vec<ExpectedView>,
    /// The last fifty that are matched.
    matched: Vec<DepositView>,
    /// After so many days money that has not come is work.
    comes_within_days: i64,
}

#[utoipa::path(get, path = "/api/deposits", responses((status = 200, body = BankView)))]
pub async fn list(state: Data<State>) -> Answer<BankView> {
    let mut conn = state.store.reader().await?;
    let expected = store::expected(&mut conn).await?;
    let payments: Vec<OpenPayment<Uuid>> = expected.iter().map(ExpectedMoney::to_match).collect();
    let unmatched = store::unmatched(&mut conn).await?;
    let matched = store::matched(&mut conn).await?;
    let ids: Vec<Uuid> = unmatched.iter().map(|d| d.deposit.id).chain(matched.iter().map(|d| d.id)).collect();
    let mut parts: HashMap<Uuid, Vec<DepositedPart>> = HashMap::new();
    for (of, r, cents) in store::parts_of(&mut conn, &ids).await? {
        let part = DepositedPart { remittance_id: r.id, payer: r.payer_name, trace: r.trace, cents: cents.get() };
        parts.entry(of).or_default().push(part);
    }
    let mut said: HashMap<Uuid, Vec<String>> = HashMap::new();
    for e in store::explanations_of(&mut conn, &ids).await? {
        if let Some(of) = e.deposit_id {
            said.entry(of).or_default().push(format!("{}: {} ({})", Cents::new(e.cents), e.reason, e.by));
        }
    }
    let mut view = |deposit: Deposit, open: Cents, likely: Vec<LikelyPayment>| DepositView {
        parts: parts.remove(&deposit.id).unwrap_or_default(),
        said: said.remove(&deposit.id).unwrap_or_default(),
        open_cents: open.get(),
        likely,
        deposit,
    };
    let open = unmatched.into_iter().map(|d| {
        let likely = candidates(&d.to_match(), &payments).into_iter().take(5);
        let one = |c: DepositCandidate<Uuid>| {
            let payment = payments.iter().find(|p| p.key == c.key)?;
            Some(LikelyPayment {
                remittance_id: c.key,
                payer: payment.payer.clone(),
                trace: payment.trace.clone(),
                open_cents: payment.open.get(),
                agrees: c.agrees,
            })
        };
        let likely = likely.filter_map(one).collect();
        view(d.deposit, d.open, likely)
    });
    let unmatched = open.collect();
    let matched = matched.into_iter().map(|d| view(d, Cents::ZERO, vec![])).collect();
    let today = state.today();
    let expected = expected.into_iter().map(|m| ExpectedView {
        overdue: (today - m.remittance.paid_on).num_days() > COMES_WITHIN_DAYS,
        open_cents: m.open.get(),
        remittance: m.remittance,
    });
    Ok(Json(BankView { unmatched, expected: expected.collect(), matched, comes_within_days: COMES_WITHIN_DAYS }))
}

/// What came to the bank, as it is typed.
#[derive(Debug, Deserialize, ToSchema)]
pub struct DepositForm {
    day: String,
    amount: String,
    reference: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct DepositEntered {
    id: Uuid,
    /// It is one payment without doubt, and was matched to it.
    matched: bool,
}

/// Puts down what came to the bank; what the bank took back has a minus.
#[utoipa::path(post, path = "/api/deposits", request_body = DepositForm, responses((status = 200, body = DepositEntered), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, form: Json<DepositForm>) -> Answer<DepositEntered> {
    let mut faults = Faults::default();
    let day = typed_date::parse(&form.day, state.today(), Sense::Death).unwrap_or_else(|why| {
        faults.add("day", why.to_string());
        NaiveDate::default()
    });
    let cents = match Cents::parse(&form.amount) {
        Ok(cents) if !cents.is_zero() => cents,
        Ok(_) => {
            faults.add("amount", "Nothing came.");
            Cents::ZERO
        }
        Err(why) => {
            faults.add("amount", why.to_string());
            Cents::ZERO
        }
    };
    let reference = faults.line("reference", "What the bank says", &form.reference, 140);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let (row, matched) = change.add_deposit(day, cents, &reference).await?;
            Ok::<_, Problem>(Json(DepositEntered { id: row.id, matched }))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DepositMatch {
    /// In the order in which they are filled.
    remittance_ids: Vec<Uuid>,
}

/// Says which payments a deposit is.
#[utoipa::path(post, path = "/api/deposits/{id}/match", params(("id" = Uuid, Path)), request_body = DepositMatch, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn match_one(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<DepositMatch>) -> Answer<Done> {
    if form.remittance_ids.is_empty() || form.remittance_ids.len() > 200 {
        return Err(Problem::field("remittanceIds", "Choose the payments that it is, 200 at most."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.match_deposit(*id, &form.remittance_ids).await?;
            Ok(DONE)
        })
        .await
}

/// Takes back what a deposit was matched to, and what was said of it.
#[utoipa::path(post, path = "/api/deposits/{id}/apart", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn apart(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.take_deposit_apart(*id).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ExplainForm {
    reason: String,
}

impl ExplainForm {
    fn reason(&self) -> Result<String, Problem> {
        let mut faults = Faults::default();
        let reason = faults.line("reason", "Why", &self.reason, 200);
        faults.none_or(())?;
        Ok(reason)
    }
}

/// Says why what is left of a deposit is no payment of a payer.
#[utoipa::path(post, path = "/api/deposits/{id}/explain", params(("id" = Uuid, Path)), request_body = ExplainForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn explain(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ExplainForm>) -> Answer<Done> {
    let reason = form.reason()?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.explain_deposit(*id, &reason).await?;
            Ok(DONE)
        })
        .await
}

/// Says why what is left of a payment does not come.
#[utoipa::path(post, path = "/api/remittances/{id}/explain", params(("id" = Uuid, Path)), request_body = ExplainForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn explain_payment(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ExplainForm>) -> Answer<Done> {
    let reason = form.reason()?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.explain_payment(*id, &reason).await?;
            Ok(DONE)
        })
        .await
}
