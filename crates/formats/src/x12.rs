//! X12 005010: envelope and the transaction sets of a professional practice.
//!
//! [`envelope`] takes a file apart into transaction sets; each set has a module that reads it to core
//! values and writes it from them.

pub mod benefits;
pub mod claim;
pub mod claim_status;
pub mod envelope;
pub mod file_ack;
mod person;
pub mod remittance;
pub mod show;
mod writer;

pub use envelope::{Document, Envelope, Set, read};
pub use writer::Stamp;

use chrono::NaiveDate;

/// Reads `CCYYMMDD`.
pub(crate) fn date(text: &str) -> Option<NaiveDate> {
    (text.len() == 8 && text.bytes().all(|b| b.is_ascii_digit()))
        .then(|| NaiveDate::from_ymd_opt(text[..4].parse().ok()?, text[4..6].parse().ok()?, text[6..].parse().ok()?))
        .flatten()
}

/// Writes `CCYYMMDD`; years outside four digits cannot stand in X12 and never occur in a checked record.
pub(crate) fn d8(date: NaiveDate) -> String {
    use chrono::Datelike;
    format!("{:04}{:02}{:02}", date.year().clamp(0, 9999), date.month(), date.day())
}
