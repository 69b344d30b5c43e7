//! Consents, households, addresses, merging, restricted charts, and what a registration must hold.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use harbor_core::people::{Consent as Kind, Field, Relation, opening_reason};
use harbor_store::people::merging::{self, Difference};
use harbor_store::people::{finding, registration};
use harbor_store::rows::{ConsentAnswer, Merge};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct ConsentForm {
    kind: String,
    given: bool,
}

#[utoipa::path(post, path = "/api/people/{id}/consents", params(("id" = Uuid, Path)), request_body = ConsentForm, responses((status = 200, body = ConsentAnswer), (status = 422, body = Problem)))]
pub async fn consent(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ConsentForm>) -> Answer<ConsentAnswer> {
    let kind = Kind::from_code(&form.kind)
        .ok_or_else(|| Problem::field("kind", "Choose what the person agrees to or declines."))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = change.record_consent(*id, kind, form.given).await?;
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RelationForm {
    other_id: Uuid,
    /// What the other one is to the person.
    kind: String,
}

#[utoipa::path(post, path = "/api/people/{id}/household", params(("id" = Uuid, Path)), request_body = RelationForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn link(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<RelationForm>) -> Answer<Done> {
    let kind = Relation::from_code(&form.kind).ok_or_else(|| Problem::field("kind", "Choose how they are related."))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.link_household(*id, form.other_id, kind).await?;
            Ok(DONE)
        })
        .await
}

#[utoipa::path(delete, path = "/api/people/{id}/household/{other}", params(("id" = Uuid, Path), ("other" = Uuid, Path)), responses((status = 200, body = Done)))]
pub async fn unlink(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.unlink_household(ids.0, ids.1).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct OthersForm {
    people: Vec<Uuid>,
}

/// Others of the household who moved along, each by name.
#[utoipa::path(post, path = "/api/people/{id}/moved-along", params(("id" = Uuid, Path)), request_body = OthersForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn move_along(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<OthersForm>) -> Answer<Done> {
    if form.people.is_empty() || form.people.len() > 30 {
        return Err(Problem::field("people", "Choose who moved along."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.move_along(*id, &form.people).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MergeForm {
    /// The record that goes into this one.
    gone_id: Uuid,
    /// Of what differs: by its code, whether the other record's is taken.
    #[serde(default)]
    choices: HashMap<String, bool>,
    /// Said that they are one person although they are quite unlike (a problem of the type `ask-unlike`).
    #[serde(default)]
    unlike: bool,
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct MergeAsked {
    other: Uuid,
}

/// In what two records differ that are to become one.
#[utoipa::path(get, path = "/api/people/{id}/differences", params(("id" = Uuid, Path), MergeAsked), responses((status = 200, body = Vec<Difference>), (status = 404, body = Problem)))]
pub async fn differences(state: Data<State>, id: Path<Uuid>, asked: Query<MergeAsked>) -> Answer<Vec<Difference>> {
    let mut conn = state.store.reader().await?;
    harbor_store::people::get(&mut conn, asked.other).await?;
    Ok(Json(merging::differences(&mut conn, *id, asked.other).await?))
}

#[utoipa::path(post, path = "/api/people/{id}/merge", params(("id" = Uuid, Path)), request_body = MergeForm, responses((status = 200, body = Merge), (status = 422, body = Problem)))]
pub async fn merge(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<MergeForm>) -> Answer<Merge> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let unlike = !form.unlike && finding::are_unlike(change.conn(), *id, form.gone_id).await?;
            let row = change.merge_people(*id, form.gone_id, &form.choices).await?;
            // Asked last, when nothing else speaks against it; refused, nothing of it is done.
            if unlike {
                let sentence = "These two are quite unlike: neither name nor birth date speaks for one person. Merge them \
                                only when you are sure.";
                return Err(Problem::refused("ask-unlike", sentence));
            }
            Ok(Json(row))
        })
        .await
}

#[utoipa::path(delete, path = "/api/merges/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Merge), (status = 422, body = Problem)))]
pub async fn unmerge(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Merge> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = change.part_people(*id).await?;
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ReasonForm {
    reason: String,
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct RestrictionForm {
    restricted: bool,
    reason: String,
}

/// Puts a chart under restriction or lifts it: an act of its own, with its reason. Whoever puts it under restriction
/// opens it with a reason like everybody else.
#[utoipa::path(post, path = "/api/people/{id}/restriction", params(("id" = Uuid, Path)), request_body = RestrictionForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn restrict(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<RestrictionForm>) -> Answer<Done> {
    let reason = opening_reason(&form.reason).map_err(|s| Problem::field("reason", s))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.restrict_chart(*id, form.restricted, &reason).await?;
            Ok(DONE)
        })
        .await
}

/// Opens a restricted chart; the reason is kept and the manager is told.
#[utoipa::path(post, path = "/api/people/{id}/open-chart", params(("id" = Uuid, Path)), request_body = ReasonForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn open_chart(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ReasonForm>) -> Answer<Done> {
    let reason = opening_reason(&form.reason).map_err(|s| Problem::field("reason", s))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.open_chart(*id, me.staff.id, &reason).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Serialize, ToSchema)]
pub struct RequiredView {
    field: String,
    word: String,
    section: String,
    required: bool,
}

#[utoipa::path(get, path = "/api/settings/required-fields", responses((status = 200, body = Vec<RequiredView>)))]
pub async fn required(state: Data<State>) -> Answer<Vec<RequiredView>> {
    let required = registration::required(&mut *state.store.reader().await?).await?;
    let view = |f: Field| RequiredView {
        field: f.code().into(),
        word: f.label().into(),
        section: f.section().label().into(),
        required: required.contains(&f),
    };
    Ok(Json(Field::choices().map(view).collect()))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct RequiredForm {
    fields: Vec<String>,
}

#[utoipa::path(put, path = "/api/settings/required-fields", request_body = RequiredForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_required(state: Data<State>, me: Me, form: Json<RequiredForm>) -> Answer<Done> {
    let mut wanted = Vec::new();
    for code in &form.fields {
        let field = Field::choices().find(|f| f.code() == code);
        wanted.push(field.ok_or_else(|| Problem::field("fields", "One of the fields cannot be required."))?);
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_required_fields(&wanted).await?;
            Ok(DONE)
        })
        .await
}
