//! The visit, its line as the screens see it, and what is to be done today.

pub mod today;
pub mod views;
pub mod visits;
