//! The share estimate of a visit: facts from the store, the computation from the core.

use crate::api::visit_line::views::RiverPart;
use crate::problem::Problem;
use harbor_core::coverage::BenefitAnswer;
use harbor_core::coverage::share::{ExpectedService, Plan, ShareEstimate, ShareLine, share_estimate};
use harbor_core::money::Cents;
use harbor_core::visit_line::Pays;
use harbor_store::charges::fees::{self, Fees};
use harbor_store::rows::Service;
use harbor_store::visit_line::facts::Gathered;
use harbor_store::visit_line::visits;
use harbor_store::{Conn, charges, coverage as store};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// What is left of one expected service for the patient.
#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShareLineView {
    name: String,
    fee_cents: i64,
    share_cents: i64,
    why: String,
}

#[derive(Debug, Clone, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ShareView {
    total_cents: i64,
    copay_cents: i64,
    lines: Vec<ShareLineView>,
    /// All but the first add up to the first.
    river: Vec<RiverPart>,
    sentences: Vec<String>,
}

impl ShareView {
    pub fn copay(&self) -> Cents {
        Cents::new(self.copay_cents)
    }
}

/// What the patient will likely owe for a visit: all of it when nobody else pays, else from the last answers of the payers. Without an answer that
/// says that a policy is in force there is no estimate; a policy behind the first whose payer has not
/// answered is left out of it.
pub async fn share_of(conn: &mut Conn, g: &Gathered) -> Result<Option<ShareView>, Problem> {
    let expected = expected_services(conn, g).await?;
    let Some(first) = &g.coverage else {
        let alone = g.facts.pays == Pays::SelfPay;
        return Ok(alone.then(|| share_estimate(&[], &expected).into()));
    };
    let policies = store::of_person(conn, g.person.id).await?;
    let mut paying = vec![first];
    paying.extend(store::paying(&policies, g.person.id, g.visit.day).into_iter().filter(|c| c.id != first.id));
    let checks = store::latest_answers(conn, &paying.iter().map(|c| c.id).collect::<Vec<_>>()).await?;
    let payers = store::payers(conn).await?;
    let in_force = |id: Uuid| -> Option<BenefitAnswer> {
        let answer = checks.iter().find(|c| c.coverage_id == id)?.answer.as_ref().map(|a| a.in_core())?;
        (answer.active == Some(true)).then_some(answer)
    };
    if in_force(first.id).is_none() {
        return Ok(None);
    }
    let answers: Vec<(String, BenefitAnswer)> = paying
        .iter()
        .filter_map(|c| Some((payers.iter().find(|p| p.id == c.payer_id)?.name.clone(), in_force(c.id)?)))
        .collect();
    let plans: Vec<Plan> = answers.iter().map(|(payer, benefits)| Plan { payer, benefits }).collect();
    Ok(Some(share_estimate(&plans, &expected).into()))
}

/// What the visit type usually brings, at the prices of the day.
async fn expected_services(conn: &mut Conn, g: &Gathered) -> Result<Vec<ExpectedService>, Problem> {
    let kind = visits::visit_type(conn, g.visit.visit_type_id).await?;
    let fees = Fees::on(conn, &[g.visit.day]).await?;
    let pays = fees::paying(&g.visit, g.coverage.as_ref());
    let catalogue = charges::services(conn).await?;
    let usual = kind.services.iter().filter_map(|code| catalogue.iter().find(|s| s.code == *code));
    let expected = |s: &Service| ExpectedService {
        name: s.name.clone(),
        kind: s.service_type.clone(),
        fee: fees.price(&s.code, pays, g.visit.day).map(|p| Cents::new(p.cents)),
    };
    Ok(usual.map(expected).collect())
}

impl From<ShareEstimate> for ShareView {
    fn from(share: ShareEstimate) -> ShareView {
        let line = |l: ShareLine| ShareLineView {
            name: l.name,
            fee_cents: l.fee.get(),
            share_cents: l.share.get(),
            why: l.why,
        };
        ShareView {
            total_cents: share.total.get(),
            copay_cents: share.copay.get(),
            lines: share.lines.into_iter().map(line).collect(),
            river: share.river.into_iter().map(RiverPart::from).collect(),
            sentences: share.sentences,
        }
    }
}
