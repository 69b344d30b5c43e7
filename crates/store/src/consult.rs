//! The consultation: the chart, the note with its runs, and the signature under it.

pub mod chart;
pub mod heads;
pub mod histories;
pub mod lists;
pub mod notes;
pub mod past;
pub mod questionnaires;
pub mod runs;
pub mod signed_parts;
pub mod signing;
pub mod texts;
