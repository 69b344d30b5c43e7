//! Open formats to and from the values of `harbor_core`: X12 005010, HL7 FHIR R4, CSV and the ICD-10-CM
//! release.
//!
//! Every reader gives a typed value or a [`Located`] error; none panics on any bytes. Every writer's
//! output is read back by our own reader to the same value. Begin at [`x12`], or at `tests/tour.rs`.

pub mod calendar;
pub mod csv_catalogue;
pub mod csv_files;
pub mod csv_people;
pub mod csv_tables;
pub mod fhir;
pub mod icd10cm;
pub mod incoming;
pub mod medicine_case;
pub mod x12;

use std::fmt;

/// What is wrong with a file, and where.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Located {
    /// Segment number in the file, from 1 (0: the file as a whole).
    pub segment: usize,
    /// Byte offset where the segment begins.
    pub byte: usize,
    /// Segment identifier, such as `CLP`; empty when there is none yet.
    pub id: String,
    /// Element number, from 1, when one element is at fault.
    pub element: Option<usize>,
    pub expected: String,
}

impl fmt::Display for Located {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "segment {} (byte {})", self.segment, self.byte)?;
        if !self.id.is_empty() {
            write!(f, " {}", self.id)?;
            if let Some(e) = self.element {
                write!(f, "{e:02}")?;
            }
        }
        write!(f, ": {}", self.expected)
    }
}

impl std::error::Error for Located {}
