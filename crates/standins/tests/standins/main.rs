//! The outside world in small, in one program.

mod address;
mod approvals;
mod outside;
mod payer;
mod technician;
mod validated;
