//! Arrival: who is in the building, check-in and its settings.

pub mod check_in;
pub mod check_in_settings;
pub mod flow;
pub mod own_stages;
pub mod unbooked;
