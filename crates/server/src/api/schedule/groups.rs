//! Groups of clinicians to look at together.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::http::StatusCode;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::Faults;
use harbor_core::house::permissions::Permission;
use harbor_store::rows::ClinicianGroup;
use harbor_store::schedule::groups as store;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// The clinic's groups and one's own.
#[utoipa::path(get, path = "/api/groups", responses((status = 200, body = Vec<ClinicianGroup>)))]
pub async fn list(state: Data<State>, me: Me) -> Answer<Vec<ClinicianGroup>> {
    Ok(Json(store::seen_by(&mut *state.store.reader().await?, me.staff.id).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct GroupForm {
    name: String,
    members: Vec<Uuid>,
    /// For everybody; otherwise for oneself.
    #[serde(default)]
    for_clinic: bool,
}

#[utoipa::path(post, path = "/api/groups", request_body = GroupForm, responses((status = 200, body = ClinicianGroup), (status = 403, body = Problem), (status = 422, body = Problem)))]
pub async fn save(state: Data<State>, me: Me, form: Json<GroupForm>) -> Answer<ClinicianGroup> {
    if form.for_clinic && !me.role.may(Permission::SetClinic) {
        let detail = "A group for the whole clinic is made by a manager; save it for yourself.";
        return Err(Problem::new(StatusCode::FORBIDDEN, "not-allowed", detail));
    }
    let mut faults = Faults::default();
    let name = faults.line("name", "Name", &form.name, 40);
    if form.members.is_empty() || form.members.len() > 100 {
        faults.add("members", "Choose who is in the group.");
    }
    faults.none_or(())?;
    let owner = (!form.for_clinic).then_some(me.staff.id);
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = change.save_group(owner, &name, &form.members).await?;
            Ok(Json(row))
        })
        .await
}

#[utoipa::path(delete, path = "/api/groups/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn remove(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.remove_group(*id, me.staff.id, me.role.may(Permission::SetClinic)).await?;
            Ok(DONE)
        })
        .await
}
