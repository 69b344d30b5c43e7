//! The outside world in small, in one program.

mod address;
mod outside;
mod payer;
mod technician;
