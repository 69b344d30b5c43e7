//! Lists without times: home visits and walk-ins.

use super::booking::reason_and_note;
use super::day::needed_clock;
use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::schedule::untimed::ListKind;
use harbor_store::rows::{UntimedList, Visit};
use harbor_store::schedule::supply::{minute_of, weekday_of};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct EntryForm {
    person_id: Uuid,
    #[serde(deserialize_with = "crate::asked::day")]
    day: NaiveDate,
    #[serde(default)]
    reason: String,
    #[serde(default)]
    note: String,
}

/// Puts somebody at the end of a list; whoever walks in is here at once.
#[utoipa::path(post, path = "/api/lists/{id}/entries", params(("id" = Uuid, Path)), request_body = EntryForm, responses((status = 200, body = Visit), (status = 422, body = Problem)))]
pub async fn enter(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<EntryForm>) -> Answer<Visit> {
    let mut faults = Faults::default();
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let (reason, note) = reason_and_note(change, &mut faults, &form.reason, &form.note).await?;
            faults.none_or(())?;
            let visit = change.enter_list(*id, form.person_id, form.day, (&reason, &note), state.zone).await?;
            Ok(Json(visit))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ListPlaceForm {
    /// The new place, from 0.
    to: usize,
}

#[utoipa::path(post, path = "/api/visits/{id}/list-place", params(("id" = Uuid, Path)), request_body = ListPlaceForm, responses((status = 200, body = Done)))]
pub async fn reorder(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ListPlaceForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.reorder_list(*id, form.to).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UntimedListForm {
    name: String,
    /// home or walk_in.
    kind: String,
    clinician_id: Uuid,
    site_id: Uuid,
    visit_type_id: Uuid,
    /// Monday is 1.
    weekdays: Vec<i32>,
    from: String,
    to: String,
    /// How many a day.
    most: i32,
    active: bool,
}

/// Makes a list, or changes the one with this id.
#[utoipa::path(put, path = "/api/lists/{id}", params(("id" = Uuid, Path)), request_body = UntimedListForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn save(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<UntimedListForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let name = faults.line("name", "Name", &form.name, 40);
    let kind: ListKind = faults.coded("kind", &form.kind, "Choose home visits or walk-ins.");
    let mut weekdays = form.weekdays.clone();
    weekdays.sort_unstable();
    weekdays.dedup();
    if weekdays.is_empty() || weekdays.iter().any(|n| weekday_of(*n).is_none()) {
        faults.add("weekdays", "Choose the weekdays.");
    }
    let from = minute_of(needed_clock(&mut faults, "from", &form.from));
    let to = minute_of(needed_clock(&mut faults, "to", &form.to));
    if to <= from {
        faults.add("to", "It ends before it begins.");
    }
    if !(1..=200).contains(&form.most) {
        faults.add("most", "A list takes 1 to 200 a day.");
    }
    faults.none_or(())?;
    let row = UntimedList {
        id: *id,
        name,
        kind: kind.into(),
        clinician_id: form.clinician_id,
        site_id: form.site_id,
        visit_type_id: form.visit_type_id,
        weekdays,
        from_minute: from,
        to_minute: to,
        most: form.most,
        active: form.active,
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.save_list(&row).await?;
            Ok(DONE)
        })
        .await
}
