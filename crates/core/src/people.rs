//! People: names, finding, likely twins, and what a record still lacks.

mod finding;
mod names;
pub mod merging;
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
