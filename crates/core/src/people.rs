//! People: names, finding, likely twins, and what a record still lacks.

mod finding;
pub mod importing;
pub mod merging;
pub mod messages;
mod names;
mod registration;
mod twin_keys;
mod twins;

pub use finding::*;
pub use names::*;
pub use registration::*;
pub use twin_keys::*;
pub use twins::*;

coded! {
    /// Sex as payers know it (X12 DMG03).
    Sex {
        Female = "F", "Female";
        Male = "M", "Male";
        Unknown = "U", "Unknown";
    }
}

impl Sex {
    /// As lists of other programs and people write it; nothing when it is none of these words.
    pub fn as_written(text: &str) -> Option<Sex> {
        match text.trim().trim_end_matches('.').to_lowercase().as_str() {
            "f" | "female" | "fem" | "woman" | "w" | "girl" => Some(Sex::Female),
            "m" | "male" | "man" | "boy" => Some(Sex::Male),
            "u" | "unknown" | "unk" | "not known" => Some(Sex::Unknown),
            _ => None,
        }
    }
}
