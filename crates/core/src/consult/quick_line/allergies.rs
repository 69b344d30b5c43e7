//! Allergies as they are told, and that nothing is known.

use super::Item;
use super::words::{Ends, Word};
use crate::consult::{KnownList, Reaction};

/// The reactions people name beside an allergy.
const REACTIONS: [&str; 30] = [
    "hives",
    "rash",
    "anaphylaxis",
    "swelling",
    "nausea",
    "vomiting",
    "diarrhea",
    "itching",
    "itch",
    "cough",
    "angioedema",
    "headache",
    "dizziness",
    "wheezing",
    "wheeze",
    "upset",
    "stomach",
    "shortness",
    "throat",
    "lip",
    "face",
    "blisters",
    "urticaria",
    "fever",
    "palpitations",
    "unknown",
    "flushing",
    "cramps",
    "swollen",
    "breathing",
];

/// `allergy penicillin hives severe`, `allergic to latex (rash)`, `nkda`.
pub fn allergies(words: &[Word]) -> Option<(Vec<Item>, usize)> {
    let first = words.first()?;
    if first.is(&["nkda", "nka"]) {
        return Some((vec![Item::NoneKnown(KnownList::Allergies)], 1));
    }
    // `penicillin allergy hives` says the same the other way round.
    if first.ends == Ends::Runs
        && words.get(1).is_some_and(|w| w.is(&["allergy"]))
        && !first.is(&["no", "food", "seasonal", "drug", "known", "possible", "the", "an", "any"])
    {
        let mut turned = words.to_vec();
        turned.swap(0, 1);
        if words[1].ends != Ends::Runs {
            turned[1].ends = words[1].ends;
            turned[0].ends = Ends::Runs;
        }
        return one_allergy(&turned, 1).map(|(item, used)| (vec![item], used));
    }
    if !first.is(&["allergy", "allergies", "allergic", "allerg"]) || first.ends == Ends::Stops {
        return None;
    }
    let mut at = 1 + usize::from(words.get(1).is_some_and(|w| w.is(&["to"])));
    if words.get(at)?.is(&["none", "no", "nkda", "nka"]) {
        return Some((vec![Item::NoneKnown(KnownList::Allergies)], at + 1));
    }
    let mut items = Vec::new();
    loop {
        let (item, used) = one_allergy(words, at)?;
        items.push(item);
        at = used;
        // `allergies` lists several, each behind a comma.
        if !first.is(&["allergies"]) || words[at - 1].ends != Ends::Pauses || at >= words.len() {
            break;
        }
    }
    Some((items, at))
}

/// The allergy whose substance begins at a place, and where it ends.
fn one_allergy(words: &[Word], mut at: usize) -> Option<(Item, usize)> {
    let mut substance: Vec<&str> = Vec::new();
    let mut reaction: Vec<&str> = Vec::new();
    let mut severity = None;
    while let Some(word) = words.get(at) {
        let opens = REACTIONS.contains(&word.low.as_str());
        match word.low.as_str() {
            "mild" => severity = Some(Reaction::Mild),
            "moderate" => severity = Some(Reaction::Moderate),
            "severe" | "bad" | "serious" => severity = Some(Reaction::Severe),
            "->" | "→" | "causes" | "gives" | "reaction" | ":" | "with" | "=" | "gets" if !substance.is_empty() => {
                // What follows is the reaction.
                if let Some(next) = words.get(at + 1) {
                    reaction.push(next.typed);
                    at += 1;
                }
            }
            _ if !reaction.is_empty() || opens && !substance.is_empty() => reaction.push(word.typed),
            _ => substance.push(word.typed),
        }
        at += 1;
        let ends = words[at - 1].ends;
        // After a pause more of the reaction may come, but no other allergy.
        let goes_on =
            words.get(at).is_some_and(|w| w.is(&["mild", "moderate", "severe"]) || REACTIONS.contains(&w.low.as_str()));
        if ends == Ends::Stops || ends == Ends::Pauses && !goes_on {
            break;
        }
    }
    let item = Item::Allergy { substance: substance.join(" "), reaction: reaction.join(" "), severity };
    (!substance.is_empty()).then_some((item, at))
}

/// `no known allergies`, `no medicines`, `no meds`.
pub fn none_known(words: &[Word]) -> Option<(Item, usize)> {
    if !words.first()?.is(&["no"]) {
        return None;
    }
    let mut at = 1;
    while words.get(at).is_some_and(|w| w.is(&["known", "drug", "current", "regular", "active", "food"])) {
        at += 1;
    }
    let list = match words.get(at)?.low.as_str() {
        "allergies" | "allergy" => KnownList::Allergies,
        "meds" | "medicines" | "medications" | "medicine" => KnownList::Medicines,
        "problems" => KnownList::Problems,
        _ => return None,
    };
    Some((Item::NoneKnown(list), at + 1))
}
