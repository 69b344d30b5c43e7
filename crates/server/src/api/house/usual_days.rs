//! In how many days a result usually is here, where the clinic says otherwise than the list.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json};
use harbor_core::orders::waiting::USUAL_DAYS;
use harbor_store::house::staff;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Something that can be ordered, with its usual days.
#[derive(Debug, Serialize, ToSchema)]
pub struct UsualDays {
    code: String,
    name: String,
    /// Days from sending to the result, as the list has it.
    listed: u32,
    /// As the clinic has it.
    own: Option<u32>,
}

#[utoipa::path(get, path = "/api/settings/usual-days", responses((status = 200, body = Vec<UsualDays>)))]
pub async fn show(state: Data<State>) -> Answer<Vec<UsualDays>> {
    let own = staff::clinic(&mut *state.store.reader().await?).await?.usual_days.0;
    let all = state.tables.orderables.iter().map(|o| UsualDays {
        code: o.code.clone(),
        name: o.name.clone(),
        listed: o.usual_days,
        own: own.get(&o.code).copied(),
    });
    Ok(Json(all.collect()))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct UsualDaysForm {
    code: String,
    /// 1 to 180 days; without them as the list has it.
    days: Option<u32>,
}

/// Says for one thing when it is overdue.
#[utoipa::path(put, path = "/api/settings/usual-days", request_body = UsualDaysForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set(state: Data<State>, me: Me, form: Json<UsualDaysForm>) -> Answer<Done> {
    if state.tables.orderable(&form.code).is_none() {
        return Err(Problem::field("code", "Nothing that can be ordered has this code."));
    }
    if form.days.is_some_and(|d| !USUAL_DAYS.contains(&d)) {
        return Err(Problem::field("days", "Between 1 and 180 days."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_usual_days(&form.code, form.days).await?;
            Ok(DONE)
        })
        .await
}
