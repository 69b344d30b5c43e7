//! The clinic's own stages between the fixed ones, as the manager sets them.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::arrival::Stage;
use harbor_core::arrival::own_stages::Where;
use harbor_core::fields::Faults;
use harbor_store::rows::OwnStage;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OwnStageForm {
    name: String,
    /// The fixed stage within which it lies: here, checked_in, in_room or with_clinician.
    after_stage: String,
    /// room, lab or waiting.
    place: String,
    /// Everybody passes it; otherwise it is only chosen.
    walked: bool,
    active: bool,
}

/// Adds a stage at the end of the clinic's order, or changes one.
#[utoipa::path(put, path = "/api/settings/own-stages/{id}", params(("id" = Uuid, Path)), request_body = OwnStageForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn save(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<OwnStageForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let name = faults.line("name", "Name", &form.name, 30);
    let after_stage: Stage = faults.coded("afterStage", &form.after_stage, "Choose the stage that it follows.");
    let place: Where = faults.coded("place", &form.place, "Choose where it takes place.");
    faults.none_or(())?;
    let row = OwnStage {
        id: *id,
        name,
        after_stage: after_stage.into(),
        place: place.into(),
        walked: form.walked,
        sort: 0,
        active: form.active,
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.save_own_stage(&row).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct OwnStagePlace {
    /// The new place, from 0.
    to: usize,
}

#[utoipa::path(post, path = "/api/settings/own-stages/{id}/place", params(("id" = Uuid, Path)), request_body = OwnStagePlace, responses((status = 200, body = Done), (status = 404, body = Problem)))]
pub async fn reorder(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<OwnStagePlace>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.reorder_own_stage(*id, form.to).await?;
            Ok(DONE)
        })
        .await
}
