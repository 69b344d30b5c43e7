//! A decision that matches nothing is matched by a person: the candidates, and the match.

use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::problem::{Answer, Problem};
use crate::state::State;
use crate::work::UploadAnswer;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_store::money::remittances::{self as store, by_hand};
use harbor_store::rows::Claim;
use harbor_store::visit_line::visits;
use harbor_store::{claims, coverage, people};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// A claim that the decision might be about.
#[derive(Debug, Serialize, ToSchema)]
pub struct ClaimCandidate {
    claim: Claim,
    person: PersonCard,
    payer: String,
    day: NaiveDate,
    /// What agrees, in words.
    agrees: Vec<String>,
    /// What does not; nothing where all but the number does.
    differs: Option<String>,
}

/// The claims that a waiting decision might be about, the likeliest first.
#[utoipa::path(get, path = "/api/decisions/{id}/candidates", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<ClaimCandidate>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn candidates(state: Data<State>, request: HttpRequest, id: Path<Uuid>) -> Answer<Vec<ClaimCandidate>> {
    let mut conn = state.store.reader().await?;
    let row = store::remitted(&mut conn, *id).await?;
    let remittance = store::get(&mut conn, row.remittance_id).await?;
    let found = by_hand::candidates_of(&mut conn, &remittance, &row).await?;
    let claim_ids: Vec<Uuid> = found.iter().map(|(_, claim, _)| *claim).collect();
    let of: HashMap<Uuid, Claim> = claims::many(&mut conn, &claim_ids).await?.into_iter().map(|c| (c.id, c)).collect();
    let on = visits::many(&mut conn, &found.iter().map(|(.., visit)| *visit).collect::<Vec<_>>()).await?;
    let persons = people::by_id(&mut conn, on.values().map(|v| v.person_id)).await?;
    let payers = coverage::payers(&mut conn).await?;
    let view = |(one, claim, visit): (harbor_core::money::remittance::matching::Candidate, Uuid, Uuid)| {
        let claim = of.get(&claim)?.clone();
        let visit = on.get(&visit)?;
        Some(ClaimCandidate {
            payer: payers.iter().find(|p| p.id == claim.payer_id).map(|p| p.name.clone()).unwrap_or_default(),
            person: PersonCard::of(persons.get(&visit.person_id)?, state.today()),
            day: visit.day,
            agrees: one.agrees.iter().map(|w| (*w).to_owned()).collect(),
            differs: one.differs,
            claim,
        })
    };
    let views: Vec<ClaimCandidate> = found.into_iter().filter_map(view).collect();
    shown::listed(&request, "candidates", views.iter().map(|v| v.person.id));
    Ok(Json(views))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct DecisionMatch {
    /// Our number of the claim.
    claim: String,
}

/// Posts a waiting decision to the claim that is named. Never more is decided than is open.
#[utoipa::path(post, path = "/api/decisions/{id}/match", params(("id" = Uuid, Path)), request_body = DecisionMatch, responses((status = 200, body = UploadAnswer), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn match_one(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<DecisionMatch>) -> Answer<UploadAnswer> {
    let mut faults = Faults::default();
    let number = faults.line("claim", "Claim", &form.claim, 20).to_uppercase();
    faults.none_or(())?;
    let posted = state
        .store
        .change(&me.actor(), state.now(), async |change| Ok::<_, Problem>(change.match_by_hand(*id, &number).await?))
        .await?;
    Ok(Json(UploadAnswer { posted: 1, posted_before: 0, matched: posted.matched, unmatched: posted.unmatched }))
}
