//! Faults of one thing, of each line, and of each diagnosis, in few words.

use super::ClaimCandidate;
use crate::charges::ChargeLine;
use crate::consult::diagnoses::Pair;

/// What a rule found.
pub(super) struct Found {
    pub code: &'static str,
    pub sentence: String,
    pub line: Option<u32>,
    pub pair: Option<Pair>,
}

impl Found {
    /// Of the claim as a whole.
    pub fn new(code: &'static str, sentence: impl Into<String>) -> Found {
        Found { code, sentence: sentence.into(), line: None, pair: None }
    }

    /// Of one line.
    pub fn at(line: u32, code: &'static str, sentence: impl Into<String>) -> Found {
        Found { line: Some(line), ..Found::new(code, sentence) }
    }
}

/// One fault, where it is bad.
pub(super) fn when(bad: bool, code: &'static str, sentence: impl Into<String>) -> Vec<Found> {
    if bad { vec![Found::new(code, sentence)] } else { vec![] }
}

/// What is wrong with each line: its code, and a sentence behind `Line n`.
pub(super) fn each_line(
    c: &ClaimCandidate,
    wrong: impl Fn(&ChargeLine) -> Option<(&'static str, String)>,
) -> Vec<Found> {
    let of = |l: &ChargeLine| {
        let (code, said) = wrong(l)?;
        Some(Found::at(l.number, code, format!("Line {}{said}", l.number)))
    };
    c.lines.iter().filter_map(of).collect()
}
