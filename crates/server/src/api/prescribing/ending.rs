//! Where a prescription lies, what of it was handed over, and its end.

use crate::access::Me;
use crate::api::orders::{as_sent, open_visit};
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields;
use harbor_core::prescribing::PrescriptionState;
use harbor_store::prescribing as store;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct DiagnosisForm {
    code: Option<String>,
}

#[utoipa::path(put, path = "/api/prescriptions/{id}/diagnosis", params(("id" = Uuid, Path)), request_body = DiagnosisForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn place(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<DiagnosisForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = store::prescription(change.conn(), *id).await?;
            let Some(visit) = row.visit_id else {
                return Err(Problem::refused(
                    "no-visit",
                    "It was renewed without a visit, for the problem of the earlier one.",
                ));
            };
            if row.state == PrescriptionState::Draft {
                open_visit(change, visit).await?;
                change.place_prescription(*id, form.code.as_deref()).await?;
                return Ok(DONE);
            }
            // Signed, it keeps one; the signed note tells it in an addendum.
            let Some(code) = &form.code else {
                return Err(Problem::field("code", "A prescription that was signed lies under one diagnosis."));
            };
            let visit = change.lock_visit(visit).await?;
            change.move_signed_prescription(&visit, &row, code).await?;
            Ok(DONE)
        })
        .await
}

/// What was handed to the pharmacy, byte for byte.
#[utoipa::path(get, path = "/api/prescriptions/{id}/sent", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/fhir+json", body = String), (status = 404, body = Problem)))]
pub async fn sent(state: Data<State>, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let document = store::prescription(&mut conn, *id).await?.sent_document_id;
    as_sent(&mut conn, document).await
}

/// Takes away a prescription that nobody signed.
#[utoipa::path(delete, path = "/api/prescriptions/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn remove(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = store::prescription(change.conn(), *id).await?;
            if row.state != PrescriptionState::Draft {
                return Err(Problem::refused("signed", "This prescription is signed; stop it with a reason."));
            }
            if let Some(visit) = row.visit_id {
                open_visit(change, visit).await?;
            }
            change.stop_prescription(*id, "taken back before it was signed").await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct StopForm {
    reason: String,
}

/// Stops a signed prescription: the pharmacy is told, and what was taken by it is taken no more.
#[utoipa::path(post, path = "/api/prescriptions/{id}/stop", params(("id" = Uuid, Path)), request_body = StopForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn stop(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<StopForm>) -> Answer<Done> {
    let reason = fields::line("Reason", &form.reason, 200).map_err(|s| Problem::field("reason", s))?;
    if reason.is_empty() {
        return Err(Problem::field("reason", "Say why it is stopped."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = store::prescription(change.conn(), *id).await?;
            if row.state == PrescriptionState::Draft {
                return Err(Problem::refused("draft", "It is not signed yet; take it away instead."));
            }
            if matches!(*row.state, PrescriptionState::Stopped | PrescriptionState::Stopping) {
                return Err(Problem::refused("stopped", "This prescription has been stopped."));
            }
            change.stop_prescription(*id, &reason).await?;
            Ok(DONE)
        })
        .await
}
