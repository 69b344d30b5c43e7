//! Money that goes back: a payment that was a slip, credit or an overpaid visit; credit used for a visit.

use super::payments::{MeanForm, Receipt, read_means, receipt_of};
use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use crate::terminal::{self, Said};
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::Faults;
use harbor_core::money::Cents;
use harbor_core::money::ledger::Method;
use harbor_core::money::payments::For;
use harbor_store::money::payments as store;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct VoidForm {
    reason: String,
}

/// Takes a payment back that was a slip; what came by card goes back on the card first.
#[utoipa::path(post, path = "/api/payments/{id}/void", params(("id" = Uuid, Path)), request_body = VoidForm, responses((status = 200, body = Receipt), (status = 422, body = Problem), (status = 503, body = Problem)))]
pub async fn void(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<VoidForm>) -> Answer<Receipt> {
    let mut faults = Faults::default();
    let reason = faults.line("reason", "Reason", &form.reason, 120);
    faults.none_or(())?;
    // The card is asked last and inside the change, so that neither stands without the other; the terminal
    // knows the reference, so a repeated void puts the money back once.
    let row = state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = change.void_payment(*id, &reason).await?;
            let means = store::means_of(change.conn(), &[*id]).await?;
            let card: i64 = means.iter().filter(|m| m.method == Method::Card).map(|m| m.cents).sum();
            if card > 0 {
                let first = store::get(change.conn(), *id).await?;
                let charge = first.idempotency_key.strip_prefix("payment:").unwrap_or("").to_owned();
                put_back(&state, &format!("void:{}", *id), &charge, Cents::new(card)).await?;
            }
            Ok::<_, Problem>(row)
        })
        .await?;
    let mut conn = state.store.reader().await?;
    Ok(Json(receipt_of(&mut conn, &state, &row).await?))
}

async fn put_back(state: &State, reference: &str, charge: &str, amount: Cents) -> Result<(), Problem> {
    match terminal::put_back(state, reference, charge, amount).await? {
        Said::Approved(_) => Ok(()),
        Said::Declined(why) => {
            Err(Problem::refused("card-declined", format!("Nothing was put back on the card: {why}.")))
        }
    }
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RefundForm {
    site_id: Uuid,
    /// An overpaid visit; left out: from the credit.
    visit_id: Option<Uuid>,
    amount: String,
    method: String,
    #[serde(default)]
    reference: String,
    reason: String,
    key: Uuid,
}

/// Gives money back, from the credit or from what was overpaid for a visit.
#[utoipa::path(post, path = "/api/people/{id}/refunds", params(("id" = Uuid, Path)), request_body = RefundForm, responses((status = 200, body = Receipt), (status = 422, body = Problem), (status = 503, body = Problem)))]
pub async fn refund(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<RefundForm>) -> Answer<Receipt> {
    let mut faults = Faults::default();
    let reason = faults.line("reason", "Reason", &form.reason, 120);
    let f = MeanForm { method: form.method.clone(), amount: form.amount.clone(), reference: form.reference.clone() };
    let means = read_means(&[f], &mut faults);
    faults.none_or(())?;
    let Some(mean) = means.into_iter().next() else { return Err(Problem::field("amount", "Type an amount.")) };
    let key = format!("refund:{}", form.key);
    let from = form.visit_id.map_or(For::Credit, For::Visit);
    let given = state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let given = change.give_back((form.key, &reason), (*id, form.site_id), from, &mean).await?;
            if let Some(charge) = &given.to_card {
                put_back(&state, &key, charge, mean.amount).await?;
            }
            Ok::<_, Problem>(given)
        })
        .await?;
    let mut conn = state.store.reader().await?;
    Ok(Json(receipt_of(&mut conn, &state, &given.payment).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CreditForm {
    /// Whose credit; left out: what was paid too much for the visit is kept as one.
    from_person_id: Option<Uuid>,
    /// Left out: as much as fits.
    amount: Option<String>,
    key: Uuid,
}

/// Uses a credit for a visit, or keeps what was paid too much for it as one.
#[utoipa::path(post, path = "/api/visits/{id}/credit", params(("id" = Uuid, Path)), request_body = CreditForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn credit(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<CreditForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            match form.from_person_id {
                Some(owner) => {
                    let typed = form.amount.as_deref().map(Cents::parse).transpose();
                    let amount = typed.map_err(|e| Problem::field("amount", e.to_string()))?;
                    change.use_credit(form.key, owner, *id, amount).await?;
                }
                None => change.keep_as_credit(form.key, *id).await?,
            }
            Ok(DONE)
        })
        .await
}
