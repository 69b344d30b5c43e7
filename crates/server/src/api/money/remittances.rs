//! Remittances: by upload here, by themselves in the background work.

use crate::access::{Me, shown};
use crate::problem::{Answer, Problem};
use crate::state::State;
use crate::work::take_remittance_file;
use actix_web::HttpRequest;
use actix_web::web::{Bytes, Data, Json};
use harbor_store::money::remittances as store;
use harbor_store::rows::{Remittance, RemittedClaim};
use serde::Serialize;
use utoipa::ToSchema;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RemittanceView {
    remittance: Remittance,
    claims: Vec<RemittedClaim>,
}

#[utoipa::path(get, path = "/api/remittances", responses((status = 200, body = Vec<RemittanceView>)))]
pub async fn list(state: Data<State>, request: HttpRequest) -> Answer<Vec<RemittanceView>> {
    let mut conn = state.store.reader().await?;
    let (mut out, mut people) = (Vec::new(), Vec::new());
    for remittance in store::list(&mut conn).await? {
        let claims = store::claims_of(&mut conn, remittance.id).await?;
        people.extend(harbor_store::claims::people_in(&mut conn, remittance.document_id).await?);
        out.push(RemittanceView { remittance, claims });
    }
    shown::listed(&request, "remittances", people);
    Ok(Json(out))
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UploadAnswer {
    pub posted: usize,
    pub posted_before: usize,
    pub matched: usize,
    pub unmatched: usize,
}

/// Posts an 835 file: whole, once, and only when it balances.
#[utoipa::path(post, path = "/api/remittances", request_body(content = String, content_type = "text/plain"), responses((status = 200, body = UploadAnswer), (status = 422, body = Problem)))]
pub async fn upload(state: Data<State>, me: Me, body: Bytes) -> Answer<UploadAnswer> {
    Ok(Json(take_remittance_file(&state, &me.actor(), &body).await?))
}
