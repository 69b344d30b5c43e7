//! Allergies as they are told, and that nothing is known.

use super::Item;
use super::words::{Ends, Word};
use crate::consult::{AllergyKind, KnownList, Reaction};

/// The reactions people name beside an allergy.
const REACTIONS: [&str; 31] = [
    "bloating",
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

/// What the words say it is, and how many of them do: `allergic`, `intolerance`, `side effect`.
fn kind(words: &[Word]) -> Option<(AllergyKind, usize)> {
    let first = words.first()?;
    if first.is(&["allergy", "allergies", "allergic", "allerg"]) {
        return Some((AllergyKind::Allergy, 1));
    }
    if first.is(&["intolerance", "intolerances", "intolerant"]) {
        return Some((AllergyKind::Intolerance, 1));
    }
    let second = words.get(1).filter(|_| first.ends == Ends::Runs)?;
    (first.is(&["side", "adverse"]) && second.is(&["effect", "effects"])).then_some((AllergyKind::SideEffect, 2))
}

/// `allergy penicillin hives severe`, `allergic to latex (rash)`, `lactose intolerance`, `nkda`.
pub fn allergies(words: &[Word]) -> Option<(Vec<Item>, usize)> {
    let first = words.first()?;
    if first.is(&["nkda", "nka"]) {
        return Some((vec![Item::NoneKnown(KnownList::Allergies)], 1));
    }
    // `penicillin allergy hives` says the same the other way round.
    if first.ends == Ends::Runs
        && words.get(1).is_some_and(|w| w.is(&["allergy", "intolerance"]))
        && !first.is(&[
            "no", "food", "seasonal", "drug", "known", "possible", "the", "an", "any", "exercise", "heat", "cold",
        ])
    {
        let mut turned = words.to_vec();
        turned.swap(0, 1);
        if words[1].ends != Ends::Runs {
            turned[1].ends = words[1].ends;
            turned[0].ends = Ends::Runs;
        }
        let (kind, _) = kind(&turned)?;
        return one_allergy(&turned, 1, kind).map(|(item, used)| (vec![item], used));
    }
    let (kind, said) = kind(words)?;
    if words[said - 1].ends == Ends::Stops {
        return None;
    }
    let mut at = said + usize::from(words.get(said).is_some_and(|w| w.is(&["to", "of", "from"])));
    if words.get(at)?.is(&["none", "no", "nkda", "nka"]) {
        return Some((vec![Item::NoneKnown(KnownList::Allergies)], at + 1));
    }
    let mut items = Vec::new();
    loop {
        let (item, used) = one_allergy(words, at, kind)?;
        items.push(item);
        at = used;
        // `allergies` lists several, each behind a comma.
        if !first.is(&["allergies", "intolerances"]) || words[at - 1].ends != Ends::Pauses || at >= words.len() {
            break;
        }
    }
    Some((items, at))
}

/// The allergy whose substance begins at a place, and where it ends.
fn one_allergy(words: &[Word], mut at: usize, kind: AllergyKind) -> Option<(Item, usize)> {
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
            _ if word.typed.contains("->") && substance.is_empty() => {
                let (what, does) = word.typed.split_once("->").unwrap_or((word.typed, ""));
                substance.push(what);
                reaction.extend((!does.is_empty()).then_some(does));
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
    let item = Item::Allergy { substance: substance.join(" "), reaction: reaction.join(" "), severity, kind };
    (!substance.is_empty()).then_some((item, at))
}

/// `no known allergies`, `no medicines`, `no meds`.
pub fn none_known(words: &[Word]) -> Option<(Item, usize)> {
    if !words.first()?.is(&["no", "denies"]) {
        return None;
    }
    let mut at = 1;
    while words.get(at).is_some_and(|w| w.is(&["any", "known", "drug", "current", "regular", "active", "food"])) {
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
