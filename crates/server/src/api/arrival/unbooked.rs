//! Visits without an appointment.

use crate::access::Me;
use crate::api::schedule::booking::{kind_of, reason_and_note};
use crate::api::schedule::day::needed_clock;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::typed_date::Sense;
use harbor_core::fields::{Faults, typed_date};
use harbor_core::schedule::at_local;
use harbor_store::arrival::unbooked::Unbooked;
use harbor_store::house::staff;
use harbor_store::rows::Visit;
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct UnbookedForm {
    /// in_person, phone, video, home or administrative.
    kind: String,
    clinician_id: Uuid,
    site_id: Uuid,
    visit_type_id: Uuid,
    #[serde(default)]
    reason: String,
    /// The day as typed; left out: today.
    #[serde(default)]
    date: String,
    /// The time of day as typed; left out: now.
    #[serde(default)]
    time: String,
}

/// Begins a visit that nobody booked. Whoever is here in person goes through check-in; all else is written up.
#[utoipa::path(post, path = "/api/people/{id}/visits", params(("id" = Uuid, Path)), request_body = UnbookedForm, responses((status = 200, body = Visit), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn begin(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<UnbookedForm>) -> Answer<Visit> {
    let mut faults = Faults::default();
    let kind = match form.kind.as_str() {
        "" => faults.coded("kind", "", "Choose what kind of visit it is."),
        code => kind_of(&mut faults, code),
    };
    let mut day = state.today();
    if !form.date.trim().is_empty() {
        match typed_date::parse(&form.date, state.today(), Sense::Any) {
            Ok(typed) => day = typed,
            Err(e) => faults.add("date", e.to_string()),
        }
    }
    let at = if form.time.trim().is_empty() && day == state.today() {
        state.now()
    } else {
        at_local(state.zone, day, needed_clock(&mut faults, "time", &form.time))
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let (reason, _) = reason_and_note(change, &mut faults, &form.reason, "").await?;
            if !staff::sites(change.conn()).await?.iter().any(|s| s.id == form.site_id) {
                faults.add("siteId", "Choose a site.");
            }
            faults.none_or(())?;
            let new = Unbooked {
                person: *id,
                kind,
                clinician: form.clinician_id,
                site: form.site_id,
                visit_type: form.visit_type_id,
                at,
                reason,
            };
            let visit = change.begin_unbooked(&new, state.zone).await?;
            Ok(Json(visit))
        })
        .await
}
