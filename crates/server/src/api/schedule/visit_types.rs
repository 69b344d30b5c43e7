//! Visit types as the manager makes them.

use super::booking::VISIT_MINUTES;
use crate::access::Me;
use crate::asked::Typed;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::Faults;
use harbor_core::house::permissions::Role;
use harbor_core::schedule::visit_type::{AGES, Draft, check};
use harbor_store::rows::VisitType;
use harbor_store::{charges, schedule};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct VisitTypeForm {
    name: String,
    glyph: String,
    pattern: String,
    ground: String,
    minutes: Option<Typed>,
    /// 0 to 365; nothing: always open.
    release_days: Option<Typed>,
    /// Whom it is for, in whole years.
    from_age: Option<Typed>,
    to_age: Option<Typed>,
    booked_by: Vec<String>,
    online: bool,
    active: bool,
    /// Codes of the services that usually come with it.
    services: Vec<String>,
}

async fn save(state: &State, me: &Me, id: Option<Uuid>, form: &VisitTypeForm) -> Answer<VisitType> {
    let mut faults = Faults::default();
    let name = faults.line("name", "Name", &form.name, 40);
    let roles: Vec<Role> = form.booked_by.iter().filter_map(|c| Role::from_code(c)).collect();
    if roles.len() != form.booked_by.len() {
        faults.add("bookedBy", "Choose the roles from the list.");
    }
    let mut whole = |field, typed: &Option<Typed>, range| Typed::whole(typed.as_ref(), &mut faults, field, range);
    let minutes = whole("minutes", &form.minutes, VISIT_MINUTES);
    let release_days = whole("releaseDays", &form.release_days, 0..=365);
    let ages = (whole("fromAge", &form.from_age, AGES), whole("toAge", &form.to_age, AGES));
    let draft = Draft {
        name,
        glyph: form.glyph.clone(),
        pattern: form.pattern.clone(),
        ground: form.ground.clone(),
        minutes: minutes.unwrap_or(0),
        release_days,
        ages,
        booked_by: roles,
        online: form.online,
        active: form.active,
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let others: Vec<(String, String, String)> = schedule::visit_types(change.conn())
                .await?
                .into_iter()
                .filter(|t| Some(t.id) != id && t.active)
                .map(|t| (t.name, t.glyph, t.pattern))
                .collect();
            faults.add_new(check(&draft, &others));
            let known = charges::services(change.conn()).await?;
            if form.services.iter().any(|code| !known.iter().any(|s| s.code == *code)) {
                faults.add("services", "Choose the services from the catalogue.");
            }
            faults.none_or(())?;
            let row = change.save_visit_type(id, &draft, &form.services).await?;
            Ok(Json(row))
        })
        .await
}

#[utoipa::path(post, path = "/api/visit-types", request_body = VisitTypeForm, responses((status = 200, body = VisitType), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, form: Json<VisitTypeForm>) -> Answer<VisitType> {
    save(&state, &me, None, &form).await
}

#[utoipa::path(put, path = "/api/visit-types/{id}", params(("id" = Uuid, Path)), request_body = VisitTypeForm, responses((status = 200, body = VisitType), (status = 422, body = Problem)))]
pub async fn change(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<VisitTypeForm>) -> Answer<VisitType> {
    save(&state, &me, Some(*id), &form).await
}
