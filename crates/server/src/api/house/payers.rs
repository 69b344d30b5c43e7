//! The payers in the settings.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::coverage::payers::{self, PayerEntry};
use harbor_core::fields::Faults;
use harbor_store::coverage;
use harbor_store::rows::Payer;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PayerSettings {
    name: String,
    payer_code: String,
    filing_code: String,
    employment: bool,
    /// As it is typed; empty while nobody has told.
    filing_days: String,
    /// From its decision on, for a corrected claim and for an appeal, as they are typed; empty while nobody has told.
    correction_days: String,
    appeal_days: String,
    /// It pays only with a referral.
    needs_referral: bool,
    telephone: String,
    address: String,
}

impl PayerSettings {
    fn read(&self) -> Result<PayerEntry, Faults> {
        let mut faults = Faults::default();
        // What is no number is said like one that is too large.
        let days = |typed: &str| (!typed.trim().is_empty()).then(|| typed.trim().parse().unwrap_or(0));
        let typed = PayerEntry {
            name: self.name.clone(),
            number: self.payer_code.clone(),
            filing_code: self.filing_code.clone(),
            employment: self.employment,
            filing_days: days(&self.filing_days),
            correction_days: days(&self.correction_days),
            appeal_days: days(&self.appeal_days),
            needs_referral: self.needs_referral,
            telephone: self.telephone.clone(),
            address: self.address.clone(),
        };
        let read = payers::read(typed, &mut faults, str::to_owned);
        faults.none_or(read)
    }
}

/// Adds a payer.
#[utoipa::path(post, path = "/api/settings/payers", request_body = PayerSettings, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, form: Json<PayerSettings>) -> Answer<Done> {
    let read = form.read()?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.keep_payer(&Payer::of(Uuid::now_v7(), read)).await?;
            Ok(DONE)
        })
        .await
}

/// Says a payer anew; claims that were sent stay as they were.
#[utoipa::path(put, path = "/api/settings/payers/{id}", params(("id" = Uuid, Path)), request_body = PayerSettings, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn set(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PayerSettings>) -> Answer<Done> {
    let read = form.read()?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            if !coverage::payers(change.conn()).await?.iter().any(|p| p.id == *id) {
                return Err(Problem::not_found("payer"));
            }
            change.keep_payer(&Payer::of(*id, read)).await?;
            Ok(DONE)
        })
        .await
}
