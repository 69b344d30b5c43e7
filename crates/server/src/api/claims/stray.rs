//! What the clearing house said that belongs to nothing we know.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_store::claims::stray;
use harbor_store::rows::StrayAnswer;
use uuid::Uuid;

/// Those that nobody looked at yet, the oldest first, 200 at most.
#[utoipa::path(get, path = "/api/stray-answers", responses((status = 200, body = Vec<StrayAnswer>)))]
pub async fn list(state: Data<State>) -> Answer<Vec<StrayAnswer>> {
    Ok(Json(stray::open(&mut *state.store.reader().await?).await?))
}

/// Somebody has seen to it; it leaves the list.
#[utoipa::path(post, path = "/api/stray-answers/{id}/seen", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn seen(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.see_stray_answer(*id).await?;
            Ok(DONE)
        })
        .await
}
