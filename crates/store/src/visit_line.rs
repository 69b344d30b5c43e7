//! The visit and its line: the row, its marks, and the facts that the line is computed from.

mod candidate;
pub mod facts;
pub mod visits;
