//! What was done or happened: operations, stays in hospital, and since when something lasts.

use super::when::{When, length, moment};
use super::words::{Ends, Word};
use super::{Item, Known};
use chrono::Datelike;

fn is_operation(word: &str) -> bool {
    const ENDINGS: [&str; 7] = ["ectomy", "plasty", "otomy", "ostomy", "rrhaphy", "pexy", "desis"];
    ENDINGS.iter().any(|e| word.len() > e.len() + 2 && word.ends_with(e))
        || matches!(
            word,
            "cabg" | "appy" | "chole" | "c-section" | "cesarean" | "caesarean" | "csection" | "tubal" | "lasik"
        )
}

/// What was done or happened, and when: `appendectomy 1998`, `surgery knee 2010`, `hospital pneumonia 2019`.
pub fn past(words: &[Word], known: &Known, starts: &dyn Fn(&[Word]) -> bool) -> Option<(Item, usize)> {
    let first = words.first()?;
    let surgical = first.is(&["surgery", "surgical", "operation", "s/p", "psh", "surgeries", "op"]);
    let hospital =
        first.is(&["hospital", "hospitalized", "hospitalised", "hospitalization", "admitted", "admission", "hosp"]);
    let mut at = if surgical || hospital {
        if first.ends == Ends::Stops {
            return None;
        }
        1
    } else if is_operation(&first.low) {
        0
    } else {
        return None;
    };
    while at > 0 && words.get(at).is_some_and(|w| w.is(&["for", "with", "history", "on", "of", "stay"])) {
        at += 1;
    }
    let mut what = Vec::new();
    let mut when: Option<When> = None;
    let mut time_first = false;
    while let Some(word) = words.get(at) {
        if when.is_none()
            && let Some((found, used)) = moment(&words[at..], known.today)
        {
            when = Some(found);
            time_first = what.is_empty();
            at += used;
        } else if !what.is_empty() && !words[at - 1].is(&["a", "an", "as", "the", "of", "for"]) && starts(&words[at..])
        {
            break;
        } else if what.is_empty() && when.is_some() && word.is(&["for", "with"]) {
            // `admitted 10/2026 for pneumonia`
            at += 1;
        } else {
            what.push(word.typed);
            at += 1;
        }
        if words[at - 1].ends != Ends::Runs {
            break;
        }
        // What stands before its time is told; what stands behind it goes on: `admitted 2021 covid pneumonia`.
        if when.is_some() && !what.is_empty() && !time_first {
            break;
        }
    }
    let item = Item::Past { surgical: !hospital, what: what.join(" "), when };
    (!what.is_empty()).then_some((item, at))
}

/// How long ago or since when something lasts, for what follows a problem or a medicine.
pub fn onset(words: &[Word], known: &Known) -> Option<(When, usize)> {
    if let Some(found) = moment(words, known.today) {
        return Some(found);
    }
    // `for 3 years` is since then.
    if !words.first()?.is(&["for", "x"]) {
        return None;
    }
    let (days, used) = length(words)?;
    let then = known.today.checked_sub_days(chrono::Days::new(u64::from(days)))?;
    let month = (days < 365 * 2).then(|| then.month());
    Some((When { year: then.year(), month, day: None }, used))
}
