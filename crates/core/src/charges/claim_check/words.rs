//! Faults of one thing, of each line, and of each diagnosis, in few words.

use super::ClaimCandidate;
use crate::charges::ChargeLine;

/// What a rule found.
pub(super) struct Found {
    pub code: &'static str,
    pub sentence: String,
    pub line: Option<u32>,
}

/// One fault, where it is bad.
pub(super) fn when(bad: bool, code: &'static str, sentence: impl Into<String>) -> Vec<Found> {
    if bad { vec![Found { code, sentence: sentence.into(), line: None }] } else { vec![] }
}

/// What is wrong with each line: its code, and a sentence behind `Line n`.
pub(super) fn each_line(
    c: &ClaimCandidate,
    wrong: impl Fn(&ChargeLine) -> Option<(&'static str, String)>,
) -> Vec<Found> {
    let of = |l: &ChargeLine| {
        let (code, said) = wrong(l)?;
        Some(Found { code, sentence: format!("Line {}{said}", l.number), line: Some(l.number) })
    };
    c.lines.iter().filter_map(of).collect()
}
