//! The quick line: one line of typing turned into structure.
//!
//! [`understand`] reads a line and gives what it understood, one [`Item`] for each thing. It is forgiving about the order,
//! units and short forms of the trade, and never turns words into a fact it is not sure of: what is told in sentences stays
//! [`Item::Words`], and what is doubtful says so. Nothing here keeps anything.

mod allergies;
mod anew;
mod doing;
mod histories;
pub mod immunised;
mod manner;
mod measured;
mod medicine;
mod past;
mod saying;
mod sig;
mod when;
mod words;

pub use anew::{renewed, said_anew, said_of_the_past};
pub use histories::age_now;
pub use immunised::Immunised;
pub use medicine::Prescribed;
pub use sig::Sig;
pub use when::When;

use super::diagnoses::DiagnosisIndex;
use super::measurements::{Measure, Standing, Tenths};
use super::{AllergyKind, KnownList, ProblemState, Reaction};
use crate::orders::Orderable;
use crate::people::Sex;
use crate::prescribing::{MedicineState, Product};
use chrono::NaiveDate;
use past::onset;
use words::{Ends, Word};

/// What is known while a line is read. Whatever is not known is left out, and nothing is guessed in its place.
#[derive(Clone, Copy)]
pub struct Known<'a> {
    /// In years.
    pub age: Option<u32>,
    pub sex: Sex,
    /// The last height measured, for the body mass index of a grown person.
    pub height_on_file: Option<Tenths>,
    pub today: NaiveDate,
    pub diagnoses: Option<&'a DiagnosisIndex>,
    pub tests: &'a [Orderable],
    pub products: &'a [Product],
}

impl Known<'_> {
    /// Nothing but the day.
    pub fn nothing(today: NaiveDate) -> Self {
        Known { age: None, sex: Sex::Unknown, height_on_file: None, today, diagnoses: None, tests: &[], products: &[] }
    }
}

/// One thing understood from the line.
#[derive(Debug, Clone, PartialEq)]
pub enum Item {
    Measured(Measured),
    /// Of this visit; without a code it is to be coded later.
    Diagnosis {
        code: Option<String>,
        words: String,
    },
    /// Of the person's list.
    Problem {
        code: Option<String>,
        words: String,
        state: ProblemState,
        since: Option<When>,
    },
    Allergy {
        substance: String,
        reaction: String,
        severity: Option<Reaction>,
        kind: AllergyKind,
    },
    NoneKnown(KnownList),
    Medicine {
        what: String,
        product: Option<String>,
        how: String,
        state: MedicineState,
        since: Option<When>,
    },
    /// The age at onset, or at death.
    Family {
        relative: String,
        condition: String,
        age: Option<u32>,
        died: bool,
        /// The year, where it is told.
        born: Option<i32>,
    },
    Social {
        topic: String,
        said: String,
        amount: String,
    },
    /// An operation, or a stay in hospital.
    Past {
        surgical: bool,
        what: String,
        when: Option<When>,
    },
    Immunisation(Immunised),
    Order {
        code: String,
        name: String,
        /// The code of the diagnosis that it was said to be for.
        under: Option<String>,
    },
    Prescription(Box<Prescribed>),
    Referral {
        to: String,
        question: String,
    },
    FollowUp {
        days: u32,
        of: String,
    },
    Template(String),
    Questionnaire(String),
    /// What is left over: words for the part in focus, and offered as a diagnosis search.
    Words(String),
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Measured {
    pub measure: Measure,
    pub value: Tenths,
    pub standing: Standing,
    /// Position, side or place, as it was said: `sitting, left`.
    pub manner: String,
    /// What was typed, when a unit was converted.
    pub converted_from: Option<String>,
}

impl Measured {
    /// How it reads back: `Temperature 37.1 °C, high`.
    pub fn in_words(&self) -> String {
        let standing = match self.standing {
            Standing::Low => ", low",
            Standing::High => ", high",
            Standing::Usual => "",
            Standing::Impossible => ", impossible: please check",
            Standing::Unjudged => ", not judged: the age is not known",
        };
        let unit = self.measure.unit();
        let space = if unit.is_empty() { "" } else { " " };
        let manner = if self.manner.is_empty() { String::new() } else { format!(", {}", self.manner) };
        format!("{} {}{space}{unit}{manner}{standing}", self.measure.label(), self.value_in_words())
    }

    fn value_in_words(&self) -> String {
        match self.measure {
            Measure::VisualAcuity => format!("20/{}", self.value),
            _ => self.value.to_string(),
        }
    }
}

/// Understands a line.
pub fn understand(line: &str, known: &Known) -> Vec<Item> {
    understand_with_source(line, known).into_iter().map(|(item, _)| item).collect()
}

/// Understands a line, each thing with the words that said it, so that what is not kept stays in the line. Of several
/// things that the same words say, the first has them.
pub fn understand_with_source(line: &str, known: &Known) -> Vec<(Item, String)> {
    let read: usize = line.char_indices().nth(words::LONGEST).map_or(line.len(), |(at, _)| at);
    let all = words::words(&line[..read]);
    let mut items: Vec<(Item, String)> = Vec::new();
    let mut loose: Vec<Vec<&str>> = Vec::new();
    let mut from = 0;
    while from < all.len() {
        let end = all[from..].iter().position(|w| w.ends == Ends::Stops).map_or(all.len(), |at| from + at + 1);
        let mut left = Vec::new();
        sentence(&all[from..end], known, &mut items, &mut left);
        loose.push(left);
        from = end;
    }
    if read < line.len() {
        loose.push(vec![&line[read..]]);
    }
    measured::add_bmi(&mut items, known);
    let words = in_sentences(&loose);
    if !words.is_empty() {
        items.push((Item::Words(words.clone()), words));
    }
    items
}

/// What was not understood, as it was typed; what a full stop or a semicolon parted stays parted.
fn in_sentences(loose: &[Vec<&str>]) -> String {
    let mut out = String::new();
    for words in loose.iter().filter(|words| !words.is_empty()) {
        if !out.is_empty() {
            out.push_str(if out.ends_with(['.', '!', '?', ':', ',', ';']) { " " } else { "; " });
        }
        out.push_str(&words.join(" "));
    }
    out.trim().trim_end_matches([',', ';']).to_owned()
}

/// One stretch between full stops.
fn sentence<'a>(words: &[Word<'a>], known: &Known, items: &mut Vec<(Item, String)>, loose: &mut Vec<&'a str>) {
    let prose = words::is_prose(words);
    let starts = |rest: &[Word]| begins(rest, known);
    let mut at = 0;
    // Whether a fact may begin here: not behind words that were not understood.
    let mut fresh = true;
    while at < words.len() {
        let rest = &words[at..];
        let one = |found: Option<(Item, usize)>| found.map(|(item, used)| (vec![item], used));
        let found = measured::measured(rest, known, prose || !fresh);
        let found = if prose || found.is_some() {
            found
        } else {
            let anywhere = one(histories::family(rest, &starts)).or_else(|| one(histories::social(rest, &starts)));
            let begun = || {
                allergies::allergies(rest)
                    .or_else(|| one(allergies::none_known(rest)))
                    .or_else(|| one(doing::template(rest)))
                    .or_else(|| one(doing::follow_up(rest)))
                    .or_else(|| one(doing::referral(rest)))
                    .or_else(|| medicine::taken(rest, known))
                    .or_else(|| one(medicine::prescription(rest, known)))
                    .or_else(|| one(past::past(rest, known, &starts)))
                    .or_else(|| immunised::immunisations(rest, known))
                    .or_else(|| one(doing::questionnaire(rest)))
                    .or_else(|| doing::diagnoses(rest, known))
                    .or_else(|| doing::orders(rest, known))
            };
            anywhere.or_else(|| if fresh { begun() } else { None })
        };
        // `fh:` only says what comes.
        let heading = at == 0 && rest.len() > 2 && heading_words(rest) > 0;
        match found {
            Some((more, used)) => {
                let used = used.clamp(1, rest.len());
                let mut source = rest[..used].iter().map(|w| w.typed).collect::<Vec<_>>().join(" ");
                items.extend(more.into_iter().map(|item| (item, std::mem::take(&mut source))));
                at += used;
                fresh = true;
            }
            None if heading => at += heading_words(rest),
            None => {
                loose.push(rest[0].raw);
                at += 1;
                fresh = words[at - 1].ends != Ends::Runs;
            }
        }
    }
}

/// How many words only say what comes: `fh`, `family history`.
fn heading_words(words: &[Word]) -> usize {
    match words {
        [first, ..] if first.is(&["fh", "fhx", "sh", "shx", "vitals", "vs"]) => 1,
        [first, second, ..]
            if first.is(&["family", "social", "surgical", "past", "medical"])
                && second.is(&["history", "hx"])
                && second.ends == Ends::Runs =>
        {
            2
        }
        _ => 0,
    }
}

/// Whether something of its own begins here, so that what came before ends.
fn begins(words: &[Word], known: &Known) -> bool {
    let never = |_: &[Word]| false;
    let Some(first) = words.first() else { return false };
    histories::relative(words).is_some()
        || histories::social(words, &never).is_some()
        || measured::measured(words, known, true).is_some()
        || first.is(&[
            "allergy",
            "allergies",
            "nkda",
            "nka",
            "takes",
            "taking",
            "order",
            "labs",
            "refer",
            "rx",
            "dx",
            "fu",
            "f/u",
        ])
}

#[cfg(test)]
mod tests;
