//! Arrival: moving through the building, check-in, the clinic's own stages, visits that nobody booked.

pub mod check_in;
mod moving;
pub mod own_stages;
pub mod unbooked;
