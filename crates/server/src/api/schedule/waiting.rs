//! The waiting list, the limits of a person, and confirming how to reach them.

use super::day::clock;
use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::arrival::Stage;
use harbor_core::fields::{self, Faults};
use harbor_core::schedule::supply::is_released;
use harbor_core::schedule::waiting::{Waiting, whom_to_ask};
use harbor_store::rows::{PersonLimits, Visit, VisitType, WaitingEntry};
use harbor_store::schedule::supply::{minute_of, weekday_of};
use harbor_store::schedule::waiting as store;
use harbor_store::visit_line::visits;
use harbor_store::{Conn, people, schedule};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WaitingView {
    entry: WaitingEntry,
    person: PersonCard,
    /// The visit that they have and would give up.
    visit: Option<Visit>,
}

async fn with_people(
    conn: &mut Conn,
    state: &State,
    rows: Vec<(WaitingEntry, Option<Visit>)>,
) -> Result<Vec<WaitingView>, Problem> {
    let by_id = people::by_id(conn, rows.iter().map(|(w, _)| w.person_id)).await?;
    let view = |(entry, visit): (WaitingEntry, Option<Visit>)| {
        let person = PersonCard::of(by_id.get(&entry.person_id)?, state.today());
        Some(WaitingView { entry, person, visit })
    };
    Ok(rows.into_iter().filter_map(view).collect())
}

/// Everybody who waits, the longest first.
#[utoipa::path(get, path = "/api/waiting", responses((status = 200, body = Vec<WaitingView>)))]
pub async fn list(state: Data<State>, request: HttpRequest) -> Answer<Vec<WaitingView>> {
    let mut conn = state.store.reader().await?;
    let rows = store::list(&mut conn).await?;
    shown::listed(&request, "waiting list", rows.iter().map(|(entry, _)| entry.person_id));
    Ok(Json(with_people(&mut conn, &state, rows).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WaitForm {
    person_id: Uuid,
    /// The visit that they have; nothing when they have none.
    visit_id: Option<Uuid>,
    /// Without a visit: what they want.
    visit_type_id: Option<Uuid>,
    #[serde(default)]
    clinician_ids: Vec<Uuid>,
    #[serde(default)]
    site_ids: Vec<Uuid>,
    /// Monday is 1.
    #[serde(default)]
    weekdays: Vec<i32>,
    /// By the clinic's clock; empty: any.
    #[serde(default)]
    after: String,
    #[serde(default)]
    before: String,
    #[serde(default)]
    not_before: String,
    #[serde(default)]
    urgent: bool,
    #[serde(default)]
    note: String,
}

/// Somebody wants a time, or an earlier one than they have.
#[utoipa::path(post, path = "/api/waiting", request_body = WaitForm, responses((status = 200, body = WaitingEntry), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, form: Json<WaitForm>) -> Answer<WaitingEntry> {
    let mut faults = Faults::default();
    let note = faults.optional_line("note", "Note", &form.note, 200);
    let from = clock(&mut faults, "after", &form.after).map_or(0, minute_of);
    let to = clock(&mut faults, "before", &form.before).map_or(1440, minute_of);
    if to <= from {
        faults.add("before", "This leaves no time of the day.");
    }
    let not_before = match form.not_before.trim() {
        "" => None,
        text => Some(super::supply::typed_day(&state, &mut faults, "notBefore", text)),
    };
    if form.weekdays.iter().any(|n| weekday_of(*n).is_none()) {
        faults.add("weekdays", "Choose the weekdays.");
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let person = people::get(change.conn(), form.person_id).await?;
            if person.deceased_on.is_some() {
                faults.add("personId", "This person has died; nobody waits for a visit.");
            }
            let visit_type_id = match (form.visit_id, form.visit_type_id) {
                (Some(visit), _) => {
                    let visit = visits::get(change.conn(), visit).await?;
                    if visit.person_id != form.person_id || visit.stage != Stage::Booked {
                        faults.add("visitId", "Only a booked visit of this person can become earlier.");
                    }
                    visit.visit_type_id
                }
                (None, Some(kind)) => visits::visit_type(change.conn(), kind).await?.id,
                (None, None) => {
                    faults.add("visitTypeId", "Say what the person waits for.");
                    Uuid::nil()
                }
            };
            faults.none_or(())?;
            let row = WaitingEntry {
                id: Uuid::now_v7(),
                person_id: form.person_id,
                visit_id: form.visit_id,
                visit_type_id,
                clinician_ids: form.clinician_ids.clone(),
                site_ids: form.site_ids.clone(),
                weekdays: form.weekdays.clone(),
                from_minute: from,
                to_minute: to,
                not_before,
                urgent: form.urgent,
                note,
                made_at: state.now(),
                made_by: me.staff.name.clone(),
                closed_as: None,
                closed_at: None,
            };
            change.wait_for(&row).await?;
            Ok(Json(row))
        })
        .await
}

/// Nobody waits any more.
#[utoipa::path(delete, path = "/api/waiting/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done)))]
pub async fn withdraw(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.stop_waiting(*id, "withdrawn").await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ToAsk {
    #[serde(flatten)]
    waiting: WaitingView,
    reasons: Vec<String>,
}

/// Whom an open slot would suit, in the order in which to ask them.
#[utoipa::path(get, path = "/api/slots/{id}/waiting", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<ToAsk>)))]
pub async fn for_slot(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<ToAsk>> {
    let mut conn = state.store.reader().await?;
    let (slot, shift) = schedule::slot(&mut conn, *id).await?;
    let types = schedule::visit_types(&mut conn).await?;
    let rule = types.iter().find(|t| Some(t.id) == slot.visit_type_id).and_then(VisitType::release_rule);
    let open = slot.held_for.is_none()
        && shift.cancelled_at.is_none()
        && is_released(slot.starts_at, rule, state.now(), state.zone);
    let minutes = (slot.ends_at - slot.starts_at).num_minutes();
    let Some(freed) = store::freed(&slot, shift.site_id, minutes).filter(|_| open) else { return Ok(Json(vec![])) };
    let rows = store::list(&mut conn).await?;
    let length = |id: Uuid| types.iter().find(|t| t.id == id).map_or(0, |t| i64::from(t.minutes));
    let wishes: Vec<Waiting<Uuid>> =
        rows.iter().map(|(w, v)| store::in_core(w, v.as_ref(), length(w.visit_type_id))).collect();
    let order = whom_to_ask(&wishes, &freed, state.now(), state.zone);
    let chosen = order.iter().map(|(n, _)| rows[*n].clone()).collect();
    let views = with_people(&mut conn, &state, chosen).await?;
    let reasons = order.into_iter().map(|(_, reasons)| reasons);
    Ok(Json(views.into_iter().zip(reasons).map(|(waiting, reasons)| ToAsk { waiting, reasons }).collect()))
}

/// When and where a person can come at all.
#[utoipa::path(get, path = "/api/people/{id}/limits", params(("id" = Uuid, Path)), responses((status = 200, body = PersonLimits)))]
pub async fn limits(state: Data<State>, id: Path<Uuid>) -> Answer<PersonLimits> {
    let mut conn = state.store.reader().await?;
    people::get(&mut conn, *id).await?;
    let found = store::limits_of(&mut conn, &[*id]).await?.remove(&*id);
    let any =
        PersonLimits { person_id: *id, site_ids: vec![], weekdays: vec![], same_clinician: true, note: String::new() };
    Ok(Json(found.unwrap_or(any)))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LimitsForm {
    site_ids: Vec<Uuid>,
    weekdays: Vec<i32>,
    same_clinician: bool,
    #[serde(default)]
    note: String,
}

#[utoipa::path(put, path = "/api/people/{id}/limits", params(("id" = Uuid, Path)), request_body = LimitsForm, responses((status = 200, body = PersonLimits), (status = 422, body = Problem)))]
pub async fn set_limits(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<LimitsForm>) -> Answer<PersonLimits> {
    let mut faults = Faults::default();
    let note = faults.optional_line("note", "Note", &form.note, 200);
    if form.weekdays.iter().any(|n| weekday_of(*n).is_none()) {
        faults.add("weekdays", "Choose the weekdays.");
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            people::get(change.conn(), *id).await?;
            let sites = harbor_store::house::staff::sites(change.conn()).await?;
            if form.site_ids.iter().any(|id| !sites.iter().any(|s| s.id == *id)) {
                faults.add("siteIds", "Choose the sites from the list.");
            }
            faults.none_or(())?;
            let row = PersonLimits {
                person_id: *id,
                site_ids: form.site_ids.clone(),
                weekdays: form.weekdays.clone(),
                same_clinician: form.same_clinician,
                note,
            };
            change.set_limits(&row).await?;
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ContactView {
    phone: Option<String>,
    email: Option<String>,
    confirmed_at: Option<DateTime<Utc>>,
    confirmed_by: Option<String>,
}

/// How a person is reached, and when that was last confirmed.
#[utoipa::path(get, path = "/api/people/{id}/contact", params(("id" = Uuid, Path)), responses((status = 200, body = ContactView)))]
pub async fn contact(state: Data<State>, id: Path<Uuid>) -> Answer<ContactView> {
    let mut conn = state.store.reader().await?;
    let person = people::get(&mut conn, *id).await?;
    let (at, by) = store::contact_confirmed(&mut conn, *id).await?.unzip();
    Ok(Json(ContactView { phone: person.phone, email: person.email, confirmed_at: at, confirmed_by: by }))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ContactForm {
    #[serde(default)]
    phone: String,
    #[serde(default)]
    email: String,
}

/// The contact was asked and is right; what was wrong is corrected.
#[utoipa::path(post, path = "/api/people/{id}/contact", params(("id" = Uuid, Path)), request_body = ContactForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn confirm_contact(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ContactForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let mut read = |field: &str, text: &str, parse: fn(&str) -> Result<String, String>| match text.trim() {
        "" => None,
        text => parse(text).map_err(|sentence| faults.add(field, sentence)).ok(),
    };
    let phone = read("phone", &form.phone, fields::telephone);
    let email = read("email", &form.email, fields::email);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.confirm_contact(*id, phone.as_deref(), email.as_deref()).await?;
            Ok(DONE)
        })
        .await
}
