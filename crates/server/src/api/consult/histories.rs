//! Histories of a person: ended with a reason, and what an entry said before.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields;
use harbor_store::consult::histories;
use harbor_store::rows::History;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct EndForm {
    /// Why it no longer holds.
    reason: String,
}

/// Ends an entry; it stays readable with its reason.
#[utoipa::path(post, path = "/api/people/{id}/histories/{entry}/end", params(("id" = Uuid, Path), ("entry" = Uuid, Path)), request_body = EndForm, responses((status = 200, body = Done), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn end(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>, form: Json<EndForm>) -> Answer<Done> {
    let reason = fields::line("Reason", &form.reason, 200).map_err(|s| Problem::field("reason", s))?;
    if reason.is_empty() {
        return Err(Problem::field("reason", "Say why it no longer holds."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.end_history(ids.0, ids.1, Some(&reason)).await?;
            Ok(DONE)
        })
        .await
}

/// Takes the end of an entry back.
#[utoipa::path(post, path = "/api/people/{id}/histories/{entry}/not-ended", params(("id" = Uuid, Path), ("entry" = Uuid, Path)), responses((status = 200, body = Done), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn take_end_back(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.end_history(ids.0, ids.1, None).await?;
            Ok(DONE)
        })
        .await
}

/// All that an entry ever said, the newest first.
#[utoipa::path(get, path = "/api/people/{id}/histories/{entry}", params(("id" = Uuid, Path), ("entry" = Uuid, Path)), responses((status = 200, body = Vec<History>), (status = 404, body = Problem)))]
pub async fn versions(state: Data<State>, ids: Path<(Uuid, Uuid)>) -> Answer<Vec<History>> {
    let mut conn = state.store.reader().await?;
    let rows = histories::versions(&mut conn, ids.0, ids.1).await?;
    if rows.is_empty() {
        return Err(Problem::not_found("history"));
    }
    Ok(Json(rows))
}
