//! People: found, registered, brought in from files, told.

pub mod addresses;
pub mod export;
pub mod import;
pub mod messages;
mod person_form;
pub mod records;
pub mod registration;
