//! Remittances: by upload here, by themselves in the background work.

use crate::access::{Me, shown};
use crate::problem::{Answer, Problem};
use crate::state::State;
use crate::work::{UploadAnswer, take_remittance_file};
use actix_web::HttpRequest;
use actix_web::web::{Bytes, Data, Json};
use harbor_store::money::remittances as store;
use harbor_store::rows::{Remittance, RemittedClaim};
use serde::Serialize;
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RemittanceView {
    remittance: Remittance,
    claims: Vec<RemittedClaim>,
}

#[utoipa::path(get, path = "/api/remittances", responses((status = 200, body = Vec<RemittanceView>)))]
pub async fn list(state: Data<State>, request: HttpRequest) -> Answer<Vec<RemittanceView>> {
    let mut conn = state.store.reader().await?;
    let rows = store::list(&mut conn).await?;
    let ids: Vec<Uuid> = rows.iter().map(|r| r.id).collect();
    let mut decided: HashMap<Uuid, Vec<RemittedClaim>> = HashMap::new();
    for claim in store::claims_of(&mut conn, &ids).await? {
        decided.entry(claim.remittance_id).or_default().push(claim);
    }
    let documents: Vec<Uuid> = rows.iter().map(|r| r.document_id).collect();
    let people = harbor_store::claims::people_in(&mut conn, &documents).await?;
    let view = |remittance: Remittance| {
        let claims = decided.remove(&remittance.id).unwrap_or_default();
        RemittanceView { remittance, claims }
    };
    let out = rows.into_iter().map(view).collect();
    shown::listed(&request, "remittances", people);
    Ok(Json(out))
}

/// Posts an 835 file: whole, once, and only when it balances.
#[utoipa::path(post, path = "/api/remittances", request_body(content = String, content_type = "text/plain"), responses((status = 200, body = UploadAnswer), (status = 422, body = Problem)))]
pub async fn upload(state: Data<State>, me: Me, body: Bytes) -> Answer<UploadAnswer> {
    Ok(Json(take_remittance_file(&state, &me.actor(), &body).await?))
}
