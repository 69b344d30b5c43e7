//! What somebody looks for again and again in a list, under a name of their own.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use harbor_core::fields::Faults;
use harbor_store::house::saved_views;
use harbor_store::rows::SavedView;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// The lists of which views are kept.
const PLACES: [&str; 1] = ["claims"];
/// So long is what is looked for at most.
const LONGEST: usize = 1000;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ViewsAsked {
    /// The list: claims.
    place: String,
}

/// One's own views of a list.
#[utoipa::path(get, path = "/api/saved-views", params(ViewsAsked), responses((status = 200, body = Vec<SavedView>)))]
pub async fn list(state: Data<State>, me: Me, asked: Query<ViewsAsked>) -> Answer<Vec<SavedView>> {
    let mut conn = state.store.reader().await?;
    Ok(Json(saved_views::of(&mut conn, me.staff.id, &asked.place).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ViewForm {
    place: String,
    name: String,
    /// What is looked for, as the list has it.
    asked: String,
}

/// Keeps a view under a name; one of that name is said anew.
#[utoipa::path(put, path = "/api/saved-views", request_body = ViewForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn keep(state: Data<State>, me: Me, form: Json<ViewForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let name = faults.line("name", "Name", &form.name, 40);
    if !PLACES.contains(&form.place.as_str()) {
        faults.add("place", "Views are kept of the list of claims.");
    }
    if form.asked.len() > LONGEST {
        faults.add("asked", "That is too much to look for.");
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.keep_view(me.staff.id, &form.place, &name, &form.asked).await?;
            Ok(DONE)
        })
        .await
}

/// Forgets a view of one's own.
#[utoipa::path(delete, path = "/api/saved-views/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem)))]
pub async fn forget(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.forget_view(me.staff.id, *id).await?;
            Ok(DONE)
        })
        .await
}
