//! The consultation: chart, note, codes.

use crate::access::Me;
use crate::problem::Problem;

pub mod chart;
pub mod codes;
pub mod glance;
pub mod growth;
pub mod histories;
pub mod lists;
pub mod note;
pub mod papers;
pub mod past;
pub mod questionnaires;
pub mod quick_line;
pub mod runs;
pub mod texts;

/// Whether it was this hand that put something down.
fn own(me: &Me, by: Option<String>, what: &'static str) -> Result<(), Problem> {
    match by {
        None => Err(Problem::not_found(what)),
        Some(by) if by == me.staff.name => Ok(()),
        Some(by) => Err(Problem::refused("not-yours", format!("{by} put this down; end it instead."))),
    }
}
