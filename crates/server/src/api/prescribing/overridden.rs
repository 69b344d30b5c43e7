//! Serious warnings that were overridden lately, for whoever watches over the clinic: what, by whom and why; not of whom.

use crate::problem::Answer;
use crate::state::State;
use actix_web::web::{Data, Json, Query};
use chrono::{DateTime, Duration, Utc};
use harbor_store::prescribing as store;
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};

/// How far back is looked, in days, when nobody says.
pub const LATELY: u16 = 7;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct HowLong {
    /// 1 to 366 days back; a week when it is not said.
    #[serde(default)]
    days: Option<u16>,
}

/// A serious warning that a prescriber overrode.
#[derive(Debug, Serialize, ToSchema)]
pub struct OverriddenWarning {
    /// What it is about, the same for the same pair: `ibuprofen+warfarin`.
    about: String,
    medicine: String,
    sentence: String,
    reason: String,
    by: String,
    at: DateTime<Utc>,
}

/// The latest first.
#[utoipa::path(get, path = "/api/overridden-warnings", params(HowLong), responses((status = 200, body = Vec<OverriddenWarning>)))]
pub async fn list(state: Data<State>, asked: Query<HowLong>) -> Answer<Vec<OverriddenWarning>> {
    let days = asked.days.unwrap_or(LATELY).clamp(1, 366);
    let since = state.now() - Duration::days(days.into());
    let rows = store::overridden_since(&mut *state.store.reader().await?, since).await?;
    let one = |o: store::Overridden| OverriddenWarning {
        about: o.given.about,
        medicine: o.medicine,
        sentence: o.given.sentence,
        reason: o.given.reason,
        by: o.by,
        at: o.at,
    };
    Ok(Json(rows.into_iter().map(one).collect()))
}
