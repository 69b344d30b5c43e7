//! The quick line: one line of typing turned into structure.
//!
//! [`understand`] reads a line and gives what it understood, one [`Item`] for each thing. It is forgiving about the order,
//! units and short forms of the trade, and never turns words into a fact it is not sure of: what is told in sentences stays
//! [`Item::Words`], and what is doubtful says so. Nothing here keeps anything.

mod doing;
mod histories;
mod measured;
mod medicine;
mod when;
mod words;

pub use medicine::{Prescribed, Sig};
pub use when::When;

use super::diagnoses::DiagnosisIndex;
use super::measurements::{Measure, Standing, Tenths};
use super::{KnownList, ProblemState, Reaction};
use crate::orders::LabTest;
use crate::people::Sex;
use crate::prescribing::{MedicineState, Product};
use chrono::NaiveDate;
use histories::onset;
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
    pub tests: &'a [LabTest],
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
    },
    Social {
        topic: &'static str,
        said: String,
        amount: String,
    },
    /// An operation, or a stay in hospital.
    Past {
        surgical: bool,
        what: String,
        when: Option<When>,
    },
    Immunisation {
        what: String,
        when: Option<When>,
        given: bool,
    },
    Order {
        code: String,
        name: String,
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
    Questionnaire(&'static str),
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
    let mut loose: Vec<&str> = Vec::new();
    let mut from = 0;
    while from < all.len() {
        let end = all[from..].iter().position(|w| w.ends == Ends::Stops).map_or(all.len(), |at| from + at + 1);
        sentence(&all[from..end], known, &mut items, &mut loose);
        from = end;
    }
    if read < line.len() {
        loose.push(&line[read..]);
    }
    measured::add_bmi(&mut items, known);
    let words = loose.join(" ");
    if !words.trim().is_empty() {
        items.push((Item::Words(words.trim().to_owned()), words.trim().to_owned()));
    }
    items
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
                histories::allergies(rest)
                    .or_else(|| one(histories::none_known(rest)))
                    .or_else(|| one(doing::template(rest)))
                    .or_else(|| one(doing::follow_up(rest)))
                    .or_else(|| one(doing::referral(rest)))
                    .or_else(|| one(medicine::taken(rest, known)))
                    .or_else(|| one(medicine::prescription(rest, known)))
                    .or_else(|| one(histories::past(rest, known, &starts)))
                    .or_else(|| one(histories::immunisation(rest, known)))
                    .or_else(|| doing::questionnaire(&rest[0]).map(|name| (vec![Item::Questionnaire(name)], 1)))
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
                loose.push(rest[0].typed);
                at += 1;
                fresh = words[at - 1].ends != Ends::Runs;
            }
        }
    }
}

/// How many words only say what comes: `fh`, `family history`.
fn heading_words(words: &[Word]) -> usize {
    match words {
        [first, ..] if first.is(&["fh", "fhx", "sh", "shx"]) => 1,
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

impl Item {
    /// Its kind, as the command line prints it.
    pub fn kind(&self) -> &'static str {
        match self {
            Item::Measured(_) => "measure",
            Item::Diagnosis { .. } => "diagnosis",
            Item::Problem { .. } => "problem",
            Item::Allergy { .. } => "allergy",
            Item::NoneKnown(KnownList::Allergies) => "allergy",
            Item::NoneKnown(KnownList::Medicines) | Item::Medicine { .. } => "medicine",
            Item::NoneKnown(KnownList::Problems) => "problem",
            Item::Family { .. } => "family",
            Item::Social { .. } => "social",
            Item::Past { surgical: true, .. } => "surgical",
            Item::Past { .. } => "hospital",
            Item::Immunisation { .. } => "immunisation",
            Item::Order { .. } => "order",
            Item::Prescription(_) => "prescription",
            Item::Referral { .. } => "referral",
            Item::FollowUp { .. } => "follow_up",
            Item::Template(_) => "template",
            Item::Questionnaire(_) => "questionnaire",
            Item::Words(_) => "words",
        }
    }

    /// Kind, name, value, unit and note: the columns of `harbor quick`.
    pub fn row(&self) -> [String; 5] {
        let when = |w: &Option<When>| w.map(|w| w.to_string()).unwrap_or_default();
        let [name, value, unit, note] = match self {
            Item::Measured(m) => {
                let mut note = m.standing.code().to_owned();
                if !m.manner.is_empty() {
                    note = format!("{note}, {}", m.manner);
                }
                [m.measure.code().into(), m.value.to_string(), m.measure.unit().into(), note]
            }
            Item::Diagnosis { code, words } => {
                [code.clone().unwrap_or_default(), words.clone(), String::new(), String::new()]
            }
            Item::Problem { code, words, state, since } => {
                let since = since.map(|s| format!(", since {s}")).unwrap_or_default();
                [code.clone().unwrap_or_default(), words.clone(), String::new(), format!("{}{since}", state.code())]
            }
            Item::Allergy { substance, reaction, severity } => {
                let severity = severity.map(|s| s.code().to_owned()).unwrap_or_default();
                [substance.clone(), reaction.clone(), String::new(), severity]
            }
            Item::NoneKnown(_) => ["none known".into(), String::new(), String::new(), String::new()],
            Item::Medicine { what, how, state, since, .. } => {
                let since = since.map(|s| format!(", since {s}")).unwrap_or_default();
                [what.clone(), how.clone(), String::new(), format!("{}{since}", state.code())]
            }
            Item::Family { relative, condition, age, died } => {
                let note = match (age, died) {
                    (Some(age), true) => format!("died at {age}"),
                    (None, true) => "died".to_owned(),
                    (Some(age), false) => age.to_string(),
                    (None, false) => String::new(),
                };
                [relative.clone(), condition.clone(), String::new(), note]
            }
            Item::Social { topic, said, amount } => [(*topic).into(), said.clone(), amount.clone(), String::new()],
            Item::Past { what, when: at, .. } => [what.clone(), when(at), String::new(), String::new()],
            Item::Immunisation { what, when: at, given } => {
                [what.clone(), when(at), String::new(), if *given { "given" } else { "reported" }.into()]
            }
            Item::Order { code, name } => [code.clone(), name.clone(), String::new(), String::new()],
            Item::Prescription(p) => [
                p.medicine.clone(),
                p.sig.in_words(&p.form),
                p.sig.days.map(|d| d.to_string()).unwrap_or_default(),
                p.doubts.join("; "),
            ],
            Item::Referral { to, question } => [to.clone(), question.clone(), String::new(), String::new()],
            Item::FollowUp { days, of } => [days.to_string(), of.clone(), String::new(), String::new()],
            Item::Template(name) => [name.clone(), String::new(), String::new(), String::new()],
            Item::Questionnaire(name) => [(*name).into(), String::new(), String::new(), String::new()],
            Item::Words(words) => [String::new(), String::new(), String::new(), words.clone()],
        };
        [self.kind().to_owned(), name, value, unit, note]
    }

    /// How it reads back to whoever typed it.
    pub fn in_words(&self) -> String {
        let when = |w: &Option<When>, lead: &str| w.map(|w| format!("{lead}{w}")).unwrap_or_default();
        let and = |more: &str| if more.is_empty() { String::new() } else { format!(", {more}") };
        match self {
            Item::Measured(m) => m.in_words(),
            Item::Diagnosis { code: Some(code), words } => format!("Diagnosis {code}: {words}"),
            Item::Diagnosis { words, .. } => format!("Diagnosis in words: {words}; its code is still to be chosen"),
            Item::Problem { code, words, state, since } => {
                let code = code.as_ref().map(|c| format!("{c} ")).unwrap_or_default();
                format!("Problem: {code}{words}, {state}{}", when(since, ", since "))
            }
            Item::Allergy { substance, reaction, severity } => {
                format!("Allergy: {substance}{}{}", and(reaction), and(severity.map_or("", Reaction::label)))
            }
            Item::NoneKnown(list) => format!("No {} known", list.label()),
            Item::Medicine { what, how, state, since, .. } => {
                format!("Medicine: {what}{}, {}{}", and(how), state.label().to_lowercase(), when(since, ", since "))
            }
            Item::Family { relative, condition, age, died } => {
                let at = age.map(|a| format!(" at {a}")).unwrap_or_default();
                let died = if *died { format!("died{at}") } else { String::new() };
                let onset = if died.is_empty() { at } else { String::new() };
                let condition = if condition.is_empty() { String::new() } else { format!(", {condition}{onset}") };
                format!("Family history: {relative}{condition}{}", and(&died))
            }
            Item::Social { topic, said, amount } => format!("Social history: {topic}, {said}{}", and(amount)),
            Item::Past { surgical, what, when: at } => {
                format!("{}: {what}{}", if *surgical { "Operation" } else { "Hospital" }, when(at, ", "))
            }
            Item::Immunisation { what, when: at, given } => {
                let given = if *given { "given here" } else { "reported" };
                format!("Immunisation: {what}, {given}{}", when(at, ", "))
            }
            Item::Order { code, name } => format!("Order: {name} ({code})"),
            Item::Prescription(p) => {
                let days = p.sig.days.map(|d| format!(", for {d} days")).unwrap_or_default();
                let doubts = if p.doubts.is_empty() { String::new() } else { format!("; {}", p.doubts.join("; ")) };
                format!("Prescription: {}{}{days}{doubts}", p.medicine, and(&p.sig.in_words(&p.form)))
            }
            Item::Referral { to, question } => format!("Referral to {to}{}", and(question)),
            Item::FollowUp { days, of } => {
                format!("Follow-up in {days} days{}", if of.is_empty() { String::new() } else { format!(" for {of}") })
            }
            Item::Template(name) => format!("Text template {name}"),
            Item::Questionnaire(name) => format!("Questionnaire {name}"),
            Item::Words(words) => words.clone(),
        }
    }

    /// Whether it is sure enough to be kept as it stands.
    pub fn is_doubtful(&self) -> bool {
        match self {
            Item::Measured(m) => m.standing == Standing::Impossible,
            Item::Diagnosis { code, .. } => code.is_none(),
            Item::Prescription(p) => !p.doubts.is_empty(),
            _ => false,
        }
    }

    /// A line that says the same; nothing for what has no short way to be said.
    pub fn typed(&self) -> Option<String> {
        let when = |w: &Option<When>, lead: &str| w.map(|w| format!("{lead}{w}")).unwrap_or_default();
        Some(match self {
            Item::Measured(m) if matches!(m.measure, Measure::Systolic | Measure::Diastolic | Measure::Bmi) => {
                return None;
            }
            Item::Measured(m) => {
                let name = match m.measure {
                    Measure::HeartRate => "hr",
                    Measure::Temperature => "t",
                    Measure::RespiratoryRate => "rr",
                    Measure::OxygenSaturation => "sat",
                    Measure::Weight => "w",
                    Measure::Height => "h",
                    Measure::HeadCircumference => "hc",
                    Measure::PeakFlow => "pf",
                    Measure::VisualAcuity => "va",
                    other => other.code(),
                };
                let unit = if m.measure == Measure::Temperature { "c" } else { "" };
                format!("{name} {}{unit} {}", m.value_in_words(), m.manner.replace(',', "")).trim().to_owned()
            }
            Item::Allergy { substance, reaction, severity } => {
                let severity = severity.map_or("", Reaction::code);
                let reaction = if reaction.is_empty() { String::new() } else { format!(" causes {reaction}") };
                format!("allergy {substance}{reaction} {severity}").trim().to_owned()
            }
            Item::NoneKnown(list) => format!("no known {}", list.code()),
            Item::FollowUp { days, of } => format!("fu {days}d {of}").trim().to_owned(),
            Item::Family { relative, condition, age, died } => {
                let died = if *died { "died " } else { "" };
                let age = age.map(|a| format!(" at {a}")).unwrap_or_default();
                format!("{relative} {died}{condition}{age}")
            }
            Item::Past { surgical, what, when: at } => {
                format!("{} {what}{}", if *surgical { "surgery" } else { "hospital" }, when(at, " "))
            }
            Item::Order { code, .. } => format!("order {code}"),
            Item::Template(name) => format!("template {name}"),
            Item::Questionnaire(name) => name.to_lowercase(),
            _ => return None,
        })
    }
}

#[cfg(test)]
mod tests;
