//! The house: who may do what, and what a password must be.

pub mod passwords;
pub mod permissions;
