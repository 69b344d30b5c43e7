//! The consultation: chart, note, codes.

pub mod chart;
pub mod codes;
pub mod glance;
pub mod growth;
pub mod histories;
pub mod lists;
pub mod note;
mod papers;
pub mod past;
pub mod questionnaires;
pub mod quick_line;
pub mod runs;
pub mod texts;
