//! Who reads the results of somebody who is away.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::house::permissions::Permission;
use harbor_store::house::staff;
use harbor_store::orders::results::stand_ins as store;
use harbor_store::rows::StandIn;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Who reads somebody's results, and from when to when.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct StandInView {
    /// Any clinician without one.
    deputy: Option<Uuid>,
    deputy_name: Option<String>,
    from_day: NaiveDate,
    to_day: NaiveDate,
    set_by: String,
    /// It holds today.
    now: bool,
}

/// Oneself, or whoever manages who works here.
fn may_say(me: &Me, whose: Uuid) -> Result<(), Problem> {
    match me.staff.id == whose || me.role.may(Permission::ManageStaff) {
        true => Ok(()),
        false => Err(Problem::refused("not-yours", "A clinician, or the manager, says who stands in.")),
    }
}

#[utoipa::path(get, path = "/api/staff/{id}/stand-in", params(("id" = Uuid, Path)), responses((status = 200, body = Option<StandInView>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn show(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Option<StandInView>> {
    may_say(&me, *id)?;
    let mut conn = state.store.reader().await?;
    let Some(row) = store::of(&mut conn, *id).await? else { return Ok(Json(None)) };
    let deputy_name = match row.deputy_id {
        Some(deputy) => Some(staff::get(&mut conn, deputy).await?.name),
        None => None,
    };
    let today = state.today();
    Ok(Json(Some(StandInView {
        now: row.from_day <= today && today <= row.to_day,
        deputy: row.deputy_id,
        deputy_name,
        from_day: row.from_day,
        to_day: row.to_day,
        set_by: row.set_by,
    })))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct StandInForm {
    /// A colleague who signs results; without one any clinician reads them.
    deputy: Option<Uuid>,
    /// As they are typed.
    from_day: String,
    to_day: String,
}

/// Says who reads somebody's results from a day to a day; what waits already is theirs to read too.
#[utoipa::path(put, path = "/api/staff/{id}/stand-in", params(("id" = Uuid, Path)), request_body = StandInForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn set(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<StandInForm>) -> Answer<Done> {
    may_say(&me, *id)?;
    let day = |field: &'static str, typed: &str| {
        typed_date::parse(typed, state.today(), Sense::Any).map_err(|e| Problem::field(field, e.to_string()))
    };
    let (from_day, to_day) = (day("fromDay", &form.from_day)?, day("toDay", &form.to_day)?);
    if to_day < from_day || to_day < state.today() {
        return Err(Problem::field("toDay", "The last day comes after the first, and not before today."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            staff::get(change.conn(), *id).await?;
            if let Some(deputy) = form.deputy {
                let deputy = staff::get(change.conn(), deputy).await?;
                if deputy.id == *id || !deputy.active || !deputy.role.may(Permission::ReviewResults) {
                    return Err(Problem::field("deputy", "Choose a colleague who signs results."));
                }
            }
            let row =
                StandIn { staff_id: *id, deputy_id: form.deputy, from_day, to_day, set_by: me.staff.name.clone() };
            change.let_stand_in(*id, Some(row)).await?;
            Ok(DONE)
        })
        .await
}

/// They are back: they read their results themselves.
#[utoipa::path(delete, path = "/api/staff/{id}/stand-in", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn end(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    may_say(&me, *id)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.let_stand_in(*id, None).await?;
            Ok(DONE)
        })
        .await
}
