//! Commands of the `harbor` program that need no server: they read what they are given and print lines.

pub mod claims;
pub mod medicines;
pub mod remittances;
