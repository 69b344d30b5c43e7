//! People: names, finding, likely twins, and what a record still lacks.

mod finding;
pub mod merging;
pub mod messages;
mod names;
mod registration;
mod twins;

pub use finding::*;
pub use names::*;
pub use registration::*;
pub use twins::*;

coded! {
    /// Sex as payers know it (X12 DMG03).
    Sex {
        Female = "F", "Female";
        Male = "M", "Male";
        Unknown = "U", "Unknown";
    }
}
