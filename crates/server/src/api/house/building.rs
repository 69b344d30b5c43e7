//! The building and the thresholds of the day, as the manager sets them.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::arrival::Thresholds;
use harbor_core::arrival::rooms::{DRAWING, RoomKind, is_place};
use harbor_core::claims::lawful::most;
use harbor_core::fields::Faults;
use harbor_store::house::staff;
use harbor_store::rows::{Room, Site};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HouseRules {
    wait_long: i64,
    wait_too_long: i64,
    late_after: i64,
    did_not_come_after: i64,
    critical_after: i64,
}

impl From<Thresholds> for HouseRules {
    fn from(t: Thresholds) -> Self {
        HouseRules {
            wait_long: t.long,
            wait_too_long: t.too_long,
            late_after: t.late,
            did_not_come_after: t.did_not_come,
            critical_after: t.critical,
        }
    }
}

/// The clinic's thresholds of the day.
#[utoipa::path(put, path = "/api/settings/thresholds", request_body = HouseRules, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_thresholds(state: Data<State>, me: Me, form: Json<HouseRules>) -> Answer<Done> {
    let wanted = Thresholds {
        long: form.wait_long,
        too_long: form.wait_too_long,
        late: form.late_after,
        did_not_come: form.did_not_come_after,
        critical: form.critical_after,
    };
    let said = "Waiting too long comes after waiting long, and not coming after being late; all in minutes of one day.";
    if !Thresholds::CRITICAL.contains(&form.critical_after) {
        return Err(Problem::field("criticalAfter", "Between 5 minutes and a day."));
    }
    let wanted = wanted.checked().ok_or_else(|| Problem::field("waitLong", said))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_thresholds(wanted).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RoomForm {
    site_id: Uuid,
    name: String,
    /// exam, lab or checkout.
    kind: String,
    place_x: i32,
    place_y: i32,
    active: bool,
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SiteForm {
    /// All four empty where the site lies at the clinic's own address.
    address_line: String,
    city: String,
    state: String,
    postal_code: String,
    /// X12 CLM05-1, two digits.
    place_of_service: String,
}

/// Where a site is: claims and calendars tell it.
#[utoipa::path(put, path = "/api/settings/sites/{id}", params(("id" = Uuid, Path)), request_body = SiteForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn set_site(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<SiteForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let address_line = faults.optional_line("addressLine", "Address", &form.address_line, most::STREET);
    let city = faults.optional_line("city", "City", &form.city, most::CITY);
    let in_state = faults.optional_line("state", "State", &form.state, 2).to_uppercase();
    let postal_code = faults.optional_line("postalCode", "Postal code", &form.postal_code, 10);
    let digits = postal_code.chars().filter(char::is_ascii_digit).count();
    let parts = [&address_line, &city, &in_state, &postal_code];
    if parts.iter().any(|p| p.is_empty()) && parts.iter().any(|p| !p.is_empty()) {
        faults.add("addressLine", "An address has a line, a city, a state and a postal code; or leave all four empty.");
    } else if !postal_code.is_empty() && !matches!(digits, 5 | 9) {
        faults.add("postalCode", "A postal code has five digits, or nine.");
    }
    if form.place_of_service.len() != 2 || !form.place_of_service.bytes().all(|b| b.is_ascii_digit()) {
        faults.add("placeOfService", "Has two digits, such as 11 for an office.");
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let sites = staff::sites(change.conn()).await?;
            let old = sites.into_iter().find(|s| s.id == *id).ok_or_else(|| Problem::not_found("site"))?;
            let place_of_service = form.place_of_service.clone();
            let row = Site { address_line, city, state: in_state, postal_code, place_of_service, ..old };
            change.save_site(&row).await?;
            Ok(DONE)
        })
        .await
}

/// Adds a room, or changes one: its name, its kind, its place in the drawing.
#[utoipa::path(put, path = "/api/settings/rooms/{id}", params(("id" = Uuid, Path)), request_body = RoomForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_room(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<RoomForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let name = faults.line("name", "Name", &form.name, 30);
    let kind: RoomKind =
        faults.coded("kind", &form.kind, "A room is for examining, for blood draw, or a checkout desk.");
    if !is_place(form.place_x, form.place_y) {
        faults.add("placeX", format!("The drawing has {DRAWING} columns and rows."));
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let rooms = staff::rooms(change.conn()).await?;
            let old = rooms.iter().find(|r| r.id == *id);
            if !staff::sites(change.conn()).await?.iter().any(|s| s.id == form.site_id) {
                return Err(Problem::field("siteId", "Choose a site."));
            }
            let row = Room {
                id: *id,
                site_id: old.map_or(form.site_id, |r| r.site_id),
                name,
                kind: kind.into(),
                sort: old.map_or(i32::try_from(rooms.len()).unwrap_or(0), |r| r.sort),
                place_x: form.place_x,
                place_y: form.place_y,
                active: form.active,
            };
            change.save_room(&row).await?;
            Ok(DONE)
        })
        .await
}
