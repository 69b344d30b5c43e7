//! One file per noun; each handler is: permission (in the table), call, answer.

pub mod accounts;
pub mod auth;
pub mod away;
pub mod booking;
pub mod cards;
pub mod charges;
pub mod chart;
pub mod check_in;
pub mod check_in_settings;
pub mod claims;
pub mod clinic;
pub mod codes;
pub mod coverage;
pub mod flow;
pub mod groups;
pub mod house;
pub mod import;
pub mod lists;
pub mod messages;
pub mod money;
pub mod note;
pub mod open_times;
pub mod orders;
pub mod own_stages;
pub mod paper;
pub mod payments;
pub mod people;
mod person_form;
pub mod prescribing;
pub mod refunds;
pub mod registration;
pub mod remittances;
pub mod results;
pub mod schedule;
pub mod second_factor;
pub mod series;
pub mod share;
pub mod slots;
pub mod staff;
pub mod supply;
pub mod tills;
pub mod today;
pub mod unbooked;
pub mod views;
pub mod visit_types;
pub mod visits;
pub mod waiting;
pub mod words;

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
