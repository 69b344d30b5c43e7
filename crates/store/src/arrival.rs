//! Arrival: check-in, the clinic's own stages, visits that nobody booked.

pub mod check_in;
pub mod own_stages;
pub mod unbooked;
