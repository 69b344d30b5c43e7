//! One file per noun; each handler is: permission (in the table), call, answer.

pub mod arrival;
pub mod charges;
pub mod claims;
pub mod consult;
pub mod coverage;
pub mod house;
pub mod money;
pub mod orders;
pub mod people;
pub mod prescribing;
pub mod schedule;
pub mod visit_line;

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// Nothing to say but that it was done.
#[derive(Debug, Serialize, ToSchema)]
pub struct Done {
    pub done: bool,
}

pub const DONE: actix_web::web::Json<Done> = actix_web::web::Json(Done { done: true });

/// What was typed into a search.
#[derive(Debug, Deserialize, utoipa::IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Typed {
    #[serde(default)]
    pub q: String,
}
