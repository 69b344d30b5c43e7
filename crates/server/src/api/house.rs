//! The house: the building, who works here, how they come in, and the words that screens show.

pub mod auth;
pub mod building;
pub mod clinic;
pub mod payers;
pub mod saved_views;
pub mod second_factor;
pub mod staff;
pub mod stand_ins;
pub mod usual_days;
pub mod words;
