//! Changing slots by hand, and reading what happened to one.

use super::day::clock_time;
use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::schedule::day_bounds;
use harbor_core::schedule::slots::Place;
use harbor_store::rows::{Slot, SlotEvent};
use harbor_store::schedule;
use harbor_store::schedule::slots as store;
use serde::Deserialize;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[utoipa::path(get, path = "/api/slots/{id}/history", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<SlotEvent>)))]
pub async fn history(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<SlotEvent>> {
    Ok(Json(store::history(&mut *state.store.reader().await?, *id).await?))
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ChangesAsked {
    #[serde(default, deserialize_with = "crate::asked::some_day")]
    day: Option<NaiveDate>,
}

/// What happened to the slots of a day since they were made, also to those that are no more; the latest first.
#[utoipa::path(get, path = "/api/schedule/changes", params(ChangesAsked), responses((status = 200, body = Vec<SlotEvent>)))]
pub async fn changes(state: Data<State>, asked: Query<ChangesAsked>) -> Answer<Vec<SlotEvent>> {
    let bounds = day_bounds(state.zone, asked.day.unwrap_or_else(|| state.today()));
    Ok(Json(store::changes_of_day(&mut *state.store.reader().await?, bounds).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", tag = "what")]
pub enum SlotChange {
    /// At a time of the slot's own day by the clinic's clock: 10:20.
    Split {
        at: String,
    },
    /// With the slot right behind it.
    Join,
    Delete,
    #[serde(rename_all = "camelCase")]
    Retype {
        visit_type_id: Uuid,
    },
    #[serde(rename_all = "camelCase")]
    Hold {
        held_for: String,
    },
    Free,
}

#[utoipa::path(post, path = "/api/slots/{id}", params(("id" = Uuid, Path)), request_body = SlotChange, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn change(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<SlotChange>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            match &*form {
                SlotChange::Split { at } => {
                    let (slot, _) = schedule::slot(change.conn(), *id).await?;
                    let day = slot.starts_at.with_timezone(&state.zone).date_naive();
                    change.split_slot(*id, clock_time(&state, day, "at", at)?).await?;
                }
                SlotChange::Join => change.join_slot(*id).await?,
                SlotChange::Delete => change.delete_slot(*id).await?,
                SlotChange::Retype { visit_type_id } => change.retype_slot(*id, *visit_type_id).await?,
                SlotChange::Hold { held_for } => {
                    let mut faults = Faults::default();
                    let held_for = faults.line("heldFor", "What it is held for", held_for, 60);
                    faults.none_or(())?;
                    change.hold_slot(*id, Some(&held_for)).await?;
                }
                SlotChange::Free => change.hold_slot(*id, None).await?,
            }
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct NewSlot {
    /// beginning, end or at.
    place: String,
    /// With `at`: when it begins, by the clinic's clock.
    #[serde(default)]
    at: String,
    minutes: i64,
    visit_type_id: Uuid,
}

#[utoipa::path(post, path = "/api/shifts/{id}/slots", params(("id" = Uuid, Path)), request_body = NewSlot, responses((status = 200, body = Slot), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<NewSlot>) -> Answer<Slot> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let place = match form.place.as_str() {
                "beginning" => Place::Beginning,
                "end" => Place::End,
                "at" => {
                    let day = state.local_day(schedule::shift(change.conn(), *id).await?.starts_at);
                    Place::At(clock_time(&state, day, "at", &form.at)?)
                }
                _ => return Err(Problem::field("place", "Say where the slot is added.")),
            };
            let slot = change.add_slot(*id, place, form.minutes, form.visit_type_id).await?;
            Ok(Json(slot))
        })
        .await
}
