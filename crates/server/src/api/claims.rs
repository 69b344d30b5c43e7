//! Claims, batches and their files.

pub mod stray;

use super::visit_line::views::PersonCard;
use super::{DONE, Done};
use crate::access::{Me, shown};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use actix_web::{HttpRequest, HttpResponse};
use chrono::{DateTime, Utc};
use harbor_core::claims::assembling::assemble;
use harbor_core::claims::{ClaimEvent, ClaimState};
use harbor_core::money::Cents;
use harbor_formats::x12;
use harbor_store::people::registration::closed_charts;
use harbor_store::rows::{Batch, Claim, Visit};
use harbor_store::visit_line::visits;
use harbor_store::{Conn, claims as store, codes, coverage, people};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ClaimView {
    claim: Claim,
    payer: String,
    person: PersonCard,
    visit: Visit,
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ClaimsAsked {
    /// A state, or nothing for all.
    #[serde(default)]
    state: String,
}

async fn view(conn: &mut Conn, state: &State, claims: Vec<Claim>) -> Result<Vec<ClaimView>, Problem> {
    let payers = coverage::payers(conn).await?;
    let of: HashMap<Uuid, Visit> = visits::many(conn, &claims.iter().map(|c| c.visit_id).collect::<Vec<_>>()).await?;
    let persons = people::by_id(conn, of.values().map(|v| v.person_id)).await?;
    let whole = |claim: Claim| {
        let visit = of.get(&claim.visit_id)?.clone();
        Some(ClaimView {
            payer: payers.iter().find(|p| p.id == claim.payer_id).map(|p| p.name.clone()).unwrap_or_default(),
            person: PersonCard::of(persons.get(&visit.person_id)?, state.today()),
            visit,
            claim,
        })
    };
    Ok(claims.into_iter().filter_map(whole).collect())
}

#[utoipa::path(get, path = "/api/claims", params(ClaimsAsked), responses((status = 200, body = Vec<ClaimView>)))]
pub async fn list(state: Data<State>, request: HttpRequest, asked: Query<ClaimsAsked>) -> Answer<Vec<ClaimView>> {
    let mut conn = state.store.reader().await?;
    let states: Vec<&str> = if asked.state.is_empty() { vec![] } else { vec![asked.state.as_str()] };
    let rows = store::list(&mut conn, &states, 200).await?;
    let views = view(&mut conn, &state, rows).await?;
    shown::listed(&request, "claims", views.iter().map(|v| v.person.id));
    Ok(Json(views))
}

#[derive(Debug, Serialize, ToSchema)]
pub struct ClaimEventView {
    at: DateTime<Utc>,
    state: codes::ClaimState,
    sentence: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ClaimDetail {
    claim: ClaimView,
    events: Vec<ClaimEventView>,
}

#[utoipa::path(get, path = "/api/claims/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = ClaimDetail), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<ClaimDetail> {
    let mut conn = state.store.reader().await?;
    let claim = store::get(&mut conn, *id).await?;
    let events = store::events(&mut conn, *id).await?;
    let claim = view(&mut conn, &state, vec![claim]).await?.pop().ok_or_else(|| Problem::not_found("claim"))?;
    Ok(Json(ClaimDetail {
        claim,
        events: events.into_iter().map(|(at, state, sentence)| ClaimEventView { at, state, sentence }).collect(),
    }))
}

/// A rejected or denied claim that was put right is ready to go again.
#[utoipa::path(post, path = "/api/claims/{id}/correct", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn correct(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let claim = store::get(change.conn(), *id).await?;
            if !matches!(*claim.state, ClaimState::Rejected | ClaimState::Denied) {
                return Err(Problem::refused("claim-state", "Only a rejected or denied claim is made ready again."));
            }
            change.claim_happened(*id, ClaimEvent::Corrected, "Corrected; ready to go again.", &[]).await?;
            Ok(DONE)
        })
        .await
}

#[utoipa::path(get, path = "/api/batches", responses((status = 200, body = Vec<Batch>)))]
pub async fn batches(state: Data<State>) -> Answer<Vec<Batch>> {
    Ok(Json(store::batches(&mut *state.store.reader().await?).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BatchForm {
    claim_ids: Vec<Uuid>,
    /// True builds and checks the file and sends nothing.
    #[serde(default)]
    check_only: bool,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct BatchAnswer {
    batch: Option<Batch>,
    summary: Vec<String>,
    findings: Vec<String>,
}

/// Writes an 837P for these claims, checks it with our own reader, and sends it.
#[utoipa::path(post, path = "/api/batches", request_body = BatchForm, responses((status = 200, body = BatchAnswer), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn make_batch(state: Data<State>, me: Me, form: Json<BatchForm>) -> Answer<BatchAnswer> {
    if form.claim_ids.is_empty() || form.claim_ids.len() > 5000 {
        return Err(Problem::field("claimIds", "Choose one claim or more."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let rows = store::many(change.conn(), &form.claim_ids).await?;
            if let Some(other) = rows.iter().find(|c| c.state != ClaimState::Ready) {
                return Err(Problem::refused(
                    "not-ready",
                    format!(
                        "Claim {} is {}; only ready claims are sent.",
                        other.number,
                        other.state.label().to_lowercase()
                    ),
                ));
            }
            let facts = store::facts(change.conn(), &rows).await?;
            let built: Vec<_> = facts.into_iter().map(assemble).collect::<Result<_, _>>()?;
            let control = store::next_control(change.conn()).await?;
            let stamp = crate::claim_file::stamp(&state, u32::try_from(control).unwrap_or(0));
            let text = x12::claim::write(&stamp, &crate::claim_file::biller(&state), &format!("B{control}"), &built);
            let check = x12::show::check(text.as_bytes());
            if form.check_only || !check.findings.is_empty() {
                change.give_up();
                return Ok(Json(BatchAnswer { batch: None, summary: check.summary, findings: check.findings }));
            }
            let (document, _) = change.keep_document("837P", "out", text.as_bytes()).await?;
            let total: Cents = built.iter().map(harbor_core::claims::Claim::total).sum();
            let ids: Vec<Uuid> = rows.iter().map(|c| c.id).collect();
            let batch = change.add_batch(control, document, &ids, total.get()).await?;
            Ok(Json(BatchAnswer { batch: Some(batch), summary: check.summary, findings: vec![] }))
        })
        .await
}

/// A file as it was sent or received, byte for byte.
#[utoipa::path(get, path = "/api/files/{id}", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/octet-stream", body = String), (status = 404, body = Problem)))]
pub async fn file(state: Data<State>, me: Me, request: HttpRequest, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let document = store::document(&mut conn, *id).await?;
    // What went to a laboratory or a pharmacy, or came from there, is of a chart, and is read with it.
    if ["requisition", "taken back", "prescription", "report"].contains(&document.kind.as_str()) {
        return Err(Problem::not_found("file"));
    }
    let within = store::people_in(&mut conn, &[*id]).await?;
    let closed = closed_charts(&mut conn, &within, me.staff.id, state.now()).await?;
    if !closed.is_empty() {
        let names = people::by_id(&mut conn, closed.into_iter()).await?;
        let numbers: Vec<&str> = names.values().map(|p| p.record_number.as_str()).collect();
        let said = format!(
            "The file tells of charts under restriction: {}. Open each with a reason first, from their claims.",
            numbers.join(", ")
        );
        return Err(Problem { detail: said, ..Problem::restricted_chart() });
    }
    shown::opened(&request, "file", within);
    let name = format!("attachment; filename=\"{}-{}.txt\"", document.kind, &document.sha256[..8]);
    Ok(HttpResponse::Ok()
        .content_type("application/octet-stream")
        .insert_header(("content-disposition", name))
        .insert_header(("content-security-policy", "sandbox"))
        .body(document.content))
}
