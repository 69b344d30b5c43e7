//! The schedule: shifts, slots, visit types, booking and moving, and who waits for a time.

pub mod away;
pub mod booking;
mod day;
pub mod feeds;
pub mod groups;
pub mod lists;
pub mod series;
pub mod slots;
pub mod supply;
pub mod visit_types;
pub mod waiting;

pub use day::*;
