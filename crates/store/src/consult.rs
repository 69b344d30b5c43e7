//! The consultation: the chart, and the signature under a note.

pub mod chart;
pub mod histories;
pub mod lists;
pub mod signing;
