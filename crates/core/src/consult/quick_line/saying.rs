//! What an item says of itself: as a row, in words, as a line that reads back, and what it needs to be put down.

use super::histories::{typed_of_all, typed_of_life};
use super::{Item, When};
use crate::consult::measurements::{Measure, Standing};
use crate::consult::{AllergyKind, HistoryKind, KnownList, Reaction};
use crate::house::permissions::Permission;

/// The longest column of a fact, in characters.
const LONGEST_FACT: usize = 200;

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
            Item::Immunisation(_) => "immunisation",
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
            Item::Allergy { substance, reaction, severity, kind } => {
                let kind = (*kind != AllergyKind::Allergy).then(|| kind.code());
                let note = [severity.map(|s| s.code()), kind].into_iter().flatten().collect::<Vec<_>>().join(", ");
                [substance.clone(), reaction.clone(), String::new(), note]
            }
            Item::NoneKnown(_) => ["none known".into(), String::new(), String::new(), String::new()],
            Item::Medicine { what, how, state, since, .. } => {
                let since = since.map(|s| format!(", since {s}")).unwrap_or_default();
                [what.clone(), how.clone(), String::new(), format!("{}{since}", state.code())]
            }
            Item::Family { relative, condition, age, died, born } => {
                let told = match (age, died) {
                    (Some(age), true) => format!("died at {age}"),
                    (None, true) => "died".to_owned(),
                    (Some(age), false) => age.to_string(),
                    (None, false) => String::new(),
                };
                let born = born.map(|year| format!("born {year}")).unwrap_or_default();
                let note = [told, born].into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>().join(", ");
                [relative.clone(), condition.clone(), String::new(), note]
            }
            Item::Social { topic, said, amount } => [topic.clone(), said.clone(), amount.clone(), String::new()],
            Item::Past { what, when: at, .. } => [what.clone(), when(at), String::new(), String::new()],
            Item::Immunisation(i) => {
                [i.what.clone(), when(&i.when), String::new(), i.how().replacen("given here", "given", 1)]
            }
            Item::Order { code, name, under } => {
                let reason = under.as_ref().map(|u| format!("for {u}")).unwrap_or_default();
                [code.clone(), name.clone(), String::new(), reason]
            }
            Item::Prescription(p) => [
                p.medicine.clone(),
                p.sig.in_words(&p.form),
                p.sig.days.map(|d| d.to_string()).unwrap_or_default(),
                p.doubts.join("; "),
            ],
            Item::Referral { to, question } => [to.clone(), question.clone(), String::new(), String::new()],
            Item::FollowUp { days, of } => [days.to_string(), of.clone(), String::new(), String::new()],
            Item::Template(name) => [name.clone(), String::new(), String::new(), String::new()],
            Item::Questionnaire(name) => [name.clone(), String::new(), String::new(), String::new()],
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
                let (code, bare) = match code {
                    Some(code) => (format!("{code} "), ""),
                    None => (String::new(), " (in words)"),
                };
                format!("Problem: {code}{words}{bare}, {state}{}", when(since, ", since "))
            }
            Item::Allergy { substance, reaction, severity, kind } => {
                let kind = match kind {
                    AllergyKind::Allergy => "Allergy",
                    AllergyKind::Intolerance => "Intolerance",
                    AllergyKind::SideEffect => "Side effect",
                };
                format!("{kind}: {substance}{}{}", and(reaction), and(severity.map_or("", Reaction::label)))
            }
            Item::NoneKnown(list) => format!("No {} known", list.label()),
            Item::Medicine { what, how, state, since, .. } => {
                format!("Medicine: {what}{}, {}{}", and(how), state.label().to_lowercase(), when(since, ", since "))
            }
            Item::Family { .. } => format!("Family history: {}", self.told()),
            Item::Social { topic, .. } => format!("Social history: {topic}, {}", self.told()),
            Item::Past { surgical: true, .. } => format!("Operation: {}", self.told()),
            Item::Past { .. } => format!("Hospital: {}", self.told()),
            Item::Immunisation(_) => format!("Immunisation: {}", self.told()),
            Item::Order { code, name, under } => {
                let reason = under.as_ref().map(|u| format!(" for {u}")).unwrap_or_default();
                format!("Order: {name} ({code}){reason}")
            }
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

    /// What is told of somebody's past and life, as it stands under its heading; otherwise the whole.
    pub fn told(&self) -> String {
        let when = |w: &Option<When>| w.map(|w| format!(", {w}")).unwrap_or_default();
        let and = |more: &str| if more.is_empty() { String::new() } else { format!(", {more}") };
        match self {
            Item::Family { relative, condition, age, died, born } => {
                let born = born.map(|year| format!(", born {year}")).unwrap_or_default();
                let at = age.map(|a| format!(" at {a}")).unwrap_or_default();
                let died = if *died { format!("died{at}") } else { String::new() };
                let onset = if died.is_empty() { at } else { String::new() };
                let condition = if condition.is_empty() { String::new() } else { format!(", {condition}{onset}") };
                format!("{relative}{condition}{}{born}", and(&died))
            }
            Item::Social { said, amount, .. } => format!("{said}{}", and(amount)),
            Item::Past { what, when: at, .. } => format!("{what}{}", when(at)),
            Item::Immunisation(i) => format!("{}, {}{}", i.what, i.how(), when(&i.when)),
            _ => self.in_words(),
        }
    }

    /// What somebody must be allowed to do to put this down.
    pub fn permission(&self) -> Permission {
        match self {
            Item::Order { .. } => Permission::PrepareOrders,
            Item::Diagnosis { .. }
            | Item::Prescription(_)
            | Item::Referral { .. }
            | Item::FollowUp { .. }
            | Item::Template(_) => Permission::WriteNote,
            _ => Permission::RecordVitals,
        }
    }

    /// Whether it says more than a fact can: then somebody told a story.
    pub fn is_too_long(&self) -> bool {
        !matches!(self, Item::Words(_)) && self.row().iter().any(|column| column.chars().count() > LONGEST_FACT)
    }

    /// Under what of the histories it lies.
    pub fn history(&self) -> Option<HistoryKind> {
        match self {
            Item::Family { .. } => Some(HistoryKind::Family),
            Item::Social { .. } => Some(HistoryKind::Social),
            Item::Past { surgical: true, .. } => Some(HistoryKind::Surgical),
            Item::Past { .. } => Some(HistoryKind::Hospital),
            Item::Immunisation(_) => Some(HistoryKind::Immunisation),
            _ => None,
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
            Item::Allergy { substance, reaction, severity, kind } => {
                let kind = kind.label();
                let severity = severity.map_or("", Reaction::code);
                let reaction = if reaction.is_empty() { String::new() } else { format!(" causes {reaction}") };
                format!("{kind} {substance}{reaction} {severity}").trim().to_owned()
            }
            Item::NoneKnown(list) => format!("no known {}", list.code()),
            Item::FollowUp { days, of } => format!("fu {days}d {of}").trim().to_owned(),
            Item::Family { relative, condition, .. } if relative == "family" => typed_of_all(condition)?,
            Item::Family { relative, condition, age, died, born } => {
                let died = if *died { "died " } else { "" };
                let born = born.map(|year| format!("born {year} ")).unwrap_or_default();
                let age = age.map(|a| format!(" at {a}")).unwrap_or_default();
                format!("{relative} {born}{died}{condition}{age}").trim_end().to_owned()
            }
            Item::Past { surgical, what, when: at } => {
                format!("{} {what}{}", if *surgical { "surgery" } else { "hospital" }, when(at, " "))
            }
            Item::Immunisation(i) => i.typed(),
            Item::Social { topic, said, amount } => typed_of_life(topic, said, amount)?,
            Item::Order { code, under, .. } => {
                let reason = under.as_ref().map(|u| format!(" for {u}")).unwrap_or_default();
                format!("order {code}{reason}")
            }
            Item::Template(name) => format!("template {name}"),
            Item::Questionnaire(name) => format!("questionnaire {name}"),
            _ => return None,
        })
    }
}
