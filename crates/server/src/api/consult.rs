//! The consultation: chart, note, codes.

pub mod chart;
pub mod codes;
pub mod glance;
pub mod growth;
pub mod histories;
pub mod note;
pub mod quick_line;
pub mod runs;
