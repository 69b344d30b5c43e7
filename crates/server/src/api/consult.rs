//! The consultation: chart, note, codes.

pub mod chart;
pub mod codes;
pub mod glance;
pub mod note;
