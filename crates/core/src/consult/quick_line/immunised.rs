//! Immunisations: what was given here, with product, lot, site and dose number, and what is reported.

use super::when::{When, moment};
use super::words::{Ends, Word};
use super::{Item, Known};

/// An immunisation: given here, or reported.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Immunised {
    /// By what it protects from.
    pub what: String,
    pub when: Option<When>,
    /// Given in this clinic; otherwise it is reported.
    pub given: bool,
    /// The name on the package.
    pub product: String,
    pub lot: String,
    /// Where and how: `left deltoid, im`.
    pub site: String,
    /// Which of its series, from 1.
    pub dose: Option<u32>,
}

impl Immunised {
    /// Everything but what it was and when: `given here, dose 2, lot A12, left deltoid`.
    pub fn how(&self) -> String {
        let said = |lead: &str, text: &str| (!text.is_empty()).then(|| format!("{lead}{text}"));
        let given = if self.given { "given here" } else { "reported" };
        [
            Some(given.to_owned()),
            self.dose.map(|n| format!("dose {n}")),
            said("product ", &self.product),
            said("lot ", &self.lot),
            said("", &self.site),
        ]
        .into_iter()
        .flatten()
        .collect::<Vec<_>>()
        .join(", ")
    }

    /// A line that says the same.
    pub fn typed(&self) -> String {
        let when = self.when.map(|w| format!(" {w}")).unwrap_or_default();
        // What is not said to be given is reported.
        let how = self.how().replace(',', "");
        format!("imm {} {}{when}", self.what, how.trim_start_matches("reported").trim_start()).trim_end().to_owned()
    }
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

/// The short code of a vaccine by its name, such as `flu`; nothing where it is not one of ours.
pub fn vaccine_code(name: &str) -> Option<&'static str> {
    VACCINES.iter().find(|(what, _)| what.eq_ignore_ascii_case(name)).and_then(|(_, said)| said.first().copied())
}

pub fn is_vaccine_code(code: &str) -> bool {
    VACCINES.iter().any(|(_, said)| said.first() == Some(&code))
}

/// The most of a series that anything is given in.
const MOST_DOSES: u32 = 20;

fn dose_number(word: &str) -> Option<u32> {
    word.trim_start_matches('#')
        .trim_end_matches(['t', 'h', 's', 'n', 'd', 'r'])
        .parse()
        .ok()
        .filter(|n| (1..=MOST_DOSES).contains(n))
}

/// `2/3`: the second of three.
fn of_series(word: &str) -> Option<u32> {
    let (n, all) = word.split_once('/')?;
    let (n, all): (u32, u32) = (n.parse().ok()?, all.parse().ok()?);
    (1..=all).contains(&n).then_some(n).filter(|_| all <= 9)
}

/// A word of the site as it is kept, and whether it says a place by itself.
fn site_word(low: &str) -> Option<(&str, bool)> {
    Some(match low {
        "l" | "lt" | "left" => ("left", false),
        "r" | "rt" | "right" => ("right", false),
        "upper" | "outer" | "lateral" => (low, false),
        "deltoid" | "arm" | "thigh" | "vastus" | "lateralis" | "buttock" | "gluteal" | "gluteus" | "hip"
        | "forearm" | "nostril" | "nostrils" => (low, true),
        "im" | "sc" | "sq" | "subq" | "intramuscular" | "subcutaneous" | "intradermal" | "nasal" | "oral" => {
            (low, true)
        }
        _ => return None,
    })
}

/// Where it was given; a side alone is no place.
fn site(words: &[Word]) -> Option<(String, usize)> {
    let mut said = Vec::new();
    let mut placed = false;
    for (n, word) in words.iter().enumerate() {
        let Some((kept, place)) = site_word(&word.low) else { break };
        said.push(kept);
        placed |= place;
        if words[n].ends != Ends::Runs {
            break;
        }
    }
    placed.then(|| (said.join(" "), said.len()))
}

/// Words that say one more thing of an immunisation.
const KEYS: [&str; 12] = [
    "lot",
    "dose",
    "product",
    "brand",
    "given",
    "administered",
    "reported",
    "here",
    "shot",
    "vaccine",
    "booster",
    "done",
];

/// `tdap given`, `flu shot 2024`, `imm mmr 3/2019`, `tdap given lot A12 left deltoid dose 2`. What is not said to be given
/// here is reported; given on another day than today is given here only when that is said.
pub fn immunisations(words: &[Word], known: &Known) -> Option<(Vec<Item>, usize)> {
    let (item, mut at) = one(words, known)?;
    let mut items = vec![item];
    // `imm: tdap 2021, flu 2025`: each behind a comma is one too.
    let lead = &words[..1];
    while is_lead(&lead[0])
        && at < words.len()
        && words[at - 1].ends == Ends::Pauses
        && let Some((next, used)) = one(&[lead, &words[at..]].concat(), known)
    {
        items.push(next);
        at += used - 1;
    }
    Some((items, at))
}

fn is_lead(word: &Word) -> bool {
    word.is(&[
        "imm",
        "vaccine",
        "vaccines",
        "vax",
        "immunization",
        "immunizations",
        "immunisation",
        "immunisations",
        "vaccinated",
        "shot",
    ])
}

fn one(words: &[Word], known: &Known) -> Option<(Item, usize)> {
    let first = words.first()?;
    let named = is_lead(first);
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
    let mut is = Immunised { what: what.to_owned(), ..Immunised::default() };
    let (mut said, mut given, mut here) = (named, false, false);
    // Commas stand between what is said of one vaccine too, once it is clear that one is meant.
    while words.get(at).is_some()
        && (words[at - 1].ends == Ends::Runs || words[at - 1].ends == Ends::Pauses && (said || given))
    {
        let rest = &words[at..];
        let word = &rest[0];
        let next = rest.get(1).filter(|_| word.ends == Ends::Runs);
        let after_comma = words[at - 1].ends == Ends::Pauses;
        if after_comma
            && !(word.is(&["lot", "exp", "dose", "product", "brand", "given", "administered"]) || site(rest).is_some())
        {
            break;
        }
        if word.is(&["dose"])
            && let Some(n) = next.and_then(|w| dose_number(&w.low))
        {
            is.dose = Some(n);
            at += 1;
        } else if let Some(n) = of_series(&word.low) {
            is.dose = Some(n);
            said = true;
        } else if let Some(n) = word.low.strip_prefix('#').and_then(dose_number) {
            is.dose = Some(n);
        } else if word.is(&["1st", "2nd", "3rd", "4th", "5th"]) && next.is_some_and(|w| w.is(&["dose", "shot"])) {
            is.dose = dose_number(&word.low);
            at += 1;
        } else if word.is(&["shot", "vaccine", "vaccination", "jab", "booster", "imm", "dose", "done", "reported"]) {
            said |= !word.is(&["done"]) || is.when.is_none();
        } else if word.is(&["given", "administered"]) {
            given = true;
        } else if word.is(&["here"]) && given {
            here = true;
        } else if word.is(&["lot"])
            && let Some(lot) = next
        {
            let leads = lot.is(&["no", "nr", "number", "#"]) && rest.len() > 2 && lot.ends == Ends::Runs;
            is.lot = rest[1 + usize::from(leads)].typed.trim_matches([',', '#']).to_owned();
            at += 1 + usize::from(leads);
            said = true;
        } else if word.is(&["exp", "expires", "exp."])
            && !is.lot.is_empty()
            && let Some(until) = next
        {
            is.lot = format!("{} exp {}", is.lot, until.typed.trim_matches(','));
            at += 1;
        } else if word.is(&["product", "brand"]) && next.is_some() {
            let mut name = Vec::new();
            while words[at].ends == Ends::Runs
                && let Some(word) = words.get(at + 1)
                && !word.is(&KEYS)
                && site(&words[at + 1..]).is_none()
                && moment(&words[at + 1..], known.today).is_none()
            {
                name.push(word.typed.trim_end_matches(','));
                at += 1;
            }
            is.product = name.join(" ");
            said = true;
        } else if let Some((found, used)) = site(rest) {
            is.site = found;
            at += used - 1;
        } else if let Some((found, used)) = moment(rest, known.today) {
            is.when = Some(found);
            at += used - 1;
        } else {
            break;
        }
        at += 1;
    }
    // `flu` alone is an illness; these letters are nothing else.
    let only_vaccine = matches!(what, "Tdap" | "DTaP" | "MMR" | "PCV20" | "PCV15" | "PCV13" | "PPSV23" | "BCG" | "Td");
    let sure = said
        || given
        || is.when.is_some() && (only_vaccine || !matches!(word.low.as_str(), "covid" | "pneumonia" | "flu"));
    let today = When::of(known.today);
    // Whoever says the lot of today has the vial in hand.
    is.given = given && (here || is.when.is_none_or(|w| w == today))
        || is.when == Some(today) && !given && (!said || !is.lot.is_empty());
    if is.given && is.when.is_none() {
        is.when = Some(today);
    }
    sure.then_some((Item::Immunisation(is), at))
}
