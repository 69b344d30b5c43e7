//! The schedule: its days, booking and moving, and what slots are made from.

pub mod away;
pub mod booking;
pub mod day;
pub mod groups;
pub mod lists;
pub mod open_times;
pub mod paper;
pub mod series;
pub mod slots;
pub mod supply;
pub mod visit_types;
pub mod waiting;
