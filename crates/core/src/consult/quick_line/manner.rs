//! How a measurement was taken: position, arm or eye, place of the temperature, what was breathed.

use super::measured::{glued, is_pressure, measure_of, pressure};
use super::words::{Ends, Word};

/// How a pressure was taken, which arm or eye, where the temperature.
fn manner(words: &[Word]) -> Option<(&'static str, usize)> {
    let first = words.first()?;
    let runs = first.ends == Ends::Runs;
    let next = words.get(1).filter(|_| runs);
    let two = |second: &[&str]| next.is_some_and(|w| w.is(second));
    let arm = ["arm", "wrist", "eye"];
    // `left knee pain` is about a knee.
    let alone = next.is_none_or(|w| {
        pressure(&w.low).is_some()
            || is_pressure(&w.low)
            || measure_of(&w.low).is_some()
            || glued(&w.low).is_some()
            || w.is(&["sitting", "standing", "lying"])
    });
    Some(match first.low.as_str() {
        "sitting" | "seated" => ("sitting", 1),
        "standing" | "upright" => ("standing", 1),
        "lying" | "supine" | "recumbent" => ("lying", 1),
        "left" | "l" | "lt" if two(&arm) => ("left", 2),
        "right" | "r" | "rt" if two(&arm) => ("right", 2),
        "left" | "l" | "la" | "lt" | "os" if alone => ("left", 1),
        "right" | "r" | "ra" | "rt" | "od" if alone => ("right", 1),
        "both" | "ou" if alone => ("both", 1),
        "oral" | "orally" => ("oral", 1),
        "tympanic" | "tymp" => ("ear", 1),
        "ear" if alone => ("ear", 1),
        "axillary" | "ax" => ("axillary", 1),
        "rectal" => ("rectal", 1),
        "forehead" | "temporal" => ("forehead", 1),
        "resting" => ("resting", 1),
        "fasting" => ("fasting", 1),
        "pp" | "postprandial" => ("after food", 1),
        _ => return None,
    })
}

/// What was breathed while the oxygen was measured: `ra`, `on room air`, `2L`.
pub(super) fn breathed(words: &[Word]) -> Option<(String, usize)> {
    let lead = usize::from(words.first()?.is(&["on"]));
    let first = words.get(lead)?;
    let next = words.get(lead + 1).filter(|_| first.ends == Ends::Runs);
    if first.is(&["ra"]) {
        return Some(("room air".to_owned(), lead + 1));
    }
    if first.is(&["room"]) && next.is_some_and(|w| w.is(&["air"])) {
        return Some(("room air".to_owned(), lead + 2));
    }
    let digits = first.low.trim_end_matches('l');
    let litres: f64 = digits.parse().ok().filter(|n| (0.1..=60.0).contains(n))?;
    let used = match first.low.ends_with('l') {
        true => 1,
        false if next.is_some_and(|w| w.is(&["l", "liters", "litres"])) => 2,
        false => return None,
    };
    Some((format!("on {litres} L"), lead + used))
}

/// All manners that follow, in words: `sitting, left`.
pub(super) fn manners(words: &[Word]) -> (Vec<&'static str>, usize) {
    let mut said = Vec::new();
    let mut used = 0;
    while let Some((manner, n)) = words.get(used..).and_then(manner) {
        if said.contains(&manner) {
            break;
        }
        said.push(manner);
        used += n;
        if words[used - 1].ends != Ends::Runs {
            break;
        }
    }
    (said, used)
}
