//! What was done or happened: operations, stays in hospital, immunisations, and since when something lasts.

use super::when::{When, length, moment};
use super::words::{Ends, Word};
use super::{Item, Known};
use chrono::Datelike;

fn is_operation(word: &str) -> bool {
    const ENDINGS: [&str; 7] = ["ectomy", "plasty", "otomy", "ostomy", "rrhaphy", "pexy", "desis"];
    ENDINGS.iter().any(|e| word.len() > e.len() + 2 && word.ends_with(e))
        || matches!(word, "cabg" | "c-section" | "cesarean" | "caesarean" | "csection" | "tubal" | "lasik")
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
    while at > 0 && words.get(at).is_some_and(|w| w.is(&["for", "with", "history", "on", "of"])) {
        at += 1;
    }
    let mut what = Vec::new();
    let mut when: Option<When> = None;
    while let Some(word) = words.get(at) {
        if when.is_none()
            && let Some((found, used)) = moment(&words[at..], known.today)
        {
            when = Some(found);
            at += used;
        } else if !what.is_empty() && starts(&words[at..]) {
            break;
        } else {
            what.push(word.typed);
            at += 1;
        }
        if words[at - 1].ends != Ends::Runs {
            break;
        }
        if when.is_some() && !what.is_empty() {
            break;
        }
    }
    let item = Item::Past { surgical: !hospital, what: what.join(" "), when };
    (!what.is_empty()).then_some((item, at))
}

/// Vaccines by what they protect from; no product names.
const VACCINES: [(&str, &[&str]); 26] = [
    ("influenza vaccine", &["flu", "influenza"]),
    ("COVID-19 vaccine", &["covid", "covid19", "covid-19"]),
    ("Tdap", &["tdap"]),
    ("DTaP", &["dtap"]),
    ("Td", &["td"]),
    ("tetanus vaccine", &["tetanus"]),
    ("MMR", &["mmr"]),
    ("varicella vaccine", &["varicella", "chickenpox"]),
    ("zoster vaccine", &["shingles", "zoster", "rzv"]),
    ("pneumococcal vaccine", &["pneumococcal", "pneumonia"]),
    ("PCV20", &["pcv20"]),
    ("PCV15", &["pcv15"]),
    ("PCV13", &["pcv13"]),
    ("PPSV23", &["ppsv23"]),
    ("HPV vaccine", &["hpv"]),
    ("hepatitis A vaccine", &["hepa", "hep-a"]),
    ("hepatitis B vaccine", &["hepb", "hep-b"]),
    ("RSV vaccine", &["rsv"]),
    ("meningococcal vaccine", &["meningococcal", "menacwy", "menb"]),
    ("polio vaccine", &["polio", "ipv"]),
    ("Hib vaccine", &["hib"]),
    ("rotavirus vaccine", &["rotavirus"]),
    ("BCG", &["bcg"]),
    ("rabies vaccine", &["rabies"]),
    ("typhoid vaccine", &["typhoid"]),
    ("yellow fever vaccine", &["yellow-fever"]),
];

/// `tdap given`, `flu shot 2024`, `imm mmr 3/2019`. What is not said to be given here is reported.
pub fn immunisation(words: &[Word], known: &Known) -> Option<(Item, usize)> {
    let first = words.first()?;
    let named = first.is(&["imm", "vaccine", "vax", "immunization", "immunisation", "vaccinated", "shot"]);
    if named && first.ends == Ends::Stops {
        return None;
    }
    let mut at = usize::from(named);
    at += usize::from(named && words.get(at).is_some_and(|w| w.is(&["for", "with", "against"])));
    let word = words.get(at)?;
    let two = words.get(at + 1).filter(|_| word.ends == Ends::Runs);
    let (what, used) = match (word.low.as_str(), two.map(|w| w.low.as_str())) {
        ("hep" | "hepatitis", Some("a")) => ("hepatitis A vaccine", 2),
        ("hep" | "hepatitis", Some("b")) => ("hepatitis B vaccine", 2),
        ("yellow", Some("fever")) => ("yellow fever vaccine", 2),
        (low, _) => (VACCINES.iter().find(|(_, said)| said.contains(&low)).map(|(name, _)| *name)?, 1),
    };
    at += used;
    let mut said = named;
    let mut given = false;
    let mut when = None;
    while words.get(at).is_some() && words[at - 1].ends == Ends::Runs {
        let word = &words[at];
        if word.is(&[
            "shot",
            "vaccine",
            "vaccination",
            "jab",
            "booster",
            "imm",
            "dose",
            "done",
            "reported",
            "#1",
            "#2",
            "#3",
        ]) {
            said = true;
        } else if word.is(&["given", "administered"]) {
            given = true;
        } else if let Some((found, used)) = moment(&words[at..], known.today) {
            when = Some(found);
            at += used;
            continue;
        } else {
            break;
        }
        at += 1;
    }
    // `flu` alone is an illness; these letters are nothing else.
    let only_vaccine = matches!(what, "Tdap" | "DTaP" | "MMR" | "PCV20" | "PCV15" | "PCV13" | "PPSV23" | "BCG" | "Td");
    let sure = said
        || given
        || when.is_some() && (only_vaccine || !matches!(word.low.as_str(), "covid" | "pneumonia" | "flu"));
    let here = given || when.is_some_and(|w| w.to_string() == known.today.to_string()) && !said;
    sure.then(|| (Item::Immunisation { what: what.to_owned(), when, given: here }, at))
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
