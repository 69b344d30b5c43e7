//! What the checks say, and what they know of the person.

use super::Severity;
use super::rules::Medicine;
use crate::consult::Reaction;
use crate::people::Sex;

coded! {
    /// What a finding is about.
    FindingKind {
        Allergy = "allergy", "Allergy";
        Interaction = "interaction", "Interaction";
        Doubled = "doubled", "Doubled therapy";
        Problem = "problem", "Harm with a problem";
        Pregnancy = "pregnancy", "Pregnancy";
        Breastfeeding = "breastfeeding", "Breastfeeding";
        Kidney = "kidney", "Kidneys";
        Liver = "liver", "Liver";
        Age = "age", "Age";
        DoseHigh = "dose_high", "Dose too high";
        DoseLow = "dose_low", "Dose too low";
        Duration = "duration", "How long";
        TooEarly = "too_early", "Too early";
        /// A fact that a check needs is not known: not checked.
        Missing = "missing", "Not checked";
    }
}

/// One thing that speaks against a prescription, or that could not be checked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    pub severity: Severity,
    pub kind: FindingKind,
    /// The reason and what to do instead.
    pub sentence: String,
    /// The pair it is about (`ibuprofen+warfarin`), the same whenever the same is found again: what was overridden for it
    /// before is found by it.
    pub about: String,
}

/// A recorded allergy.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Allergy {
    pub substance: String,
    pub reaction: String,
    pub severity: Option<Reaction>,
}

/// A value with its age in days.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Dated {
    pub value: f64,
    pub days_old: u32,
}

/// When the same was last handed out, and for how many days.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Dispensed {
    pub days_ago: u32,
    pub for_days: u32,
}

/// What is known of the person. What is not known is nothing, never a default.
#[derive(Debug, Clone)]
pub struct Patient<'r> {
    pub age_days: Option<u32>,
    pub sex: Sex,
    /// In kg.
    pub weight: Option<Dated>,
    /// In cm.
    pub height: Option<f64>,
    pub pregnant: Option<bool>,
    pub breastfeeding: Option<bool>,
    /// In mg/dL.
    pub creatinine: Option<Dated>,
    /// Whether allergies were asked at all: a list, or "none known".
    pub allergies_asked: bool,
    pub allergies: Vec<Allergy>,
    /// Diagnosis codes of the problems and of this visit.
    pub problems: Vec<String>,
    pub taking: Vec<Medicine<'r>>,
    pub dispensed: Option<Dispensed>,
}

impl Default for Patient<'_> {
    fn default() -> Self {
        Patient {
            age_days: None,
            sex: Sex::Unknown,
            weight: None,
            height: None,
            pregnant: None,
            breastfeeding: None,
            creatinine: None,
            allergies_asked: false,
            allergies: vec![],
            problems: vec![],
            taking: vec![],
            dispensed: None,
        }
    }
}

impl Patient<'_> {
    /// In whole years of 365.25 days.
    pub fn years(&self) -> Option<u32> {
        self.age_days.map(|d| (f64::from(d) / 365.25) as u32)
    }

    /// Whether a problem begins with one of these codes.
    pub(super) fn has(&self, begins: &[&str]) -> bool {
        self.problems.iter().any(|p| begins.iter().any(|b| starts(p, b)))
    }

    /// Whether she is pregnant: as a diagnosis says, or as it was said.
    pub fn is_pregnant(&self) -> Option<bool> {
        const CODES: [&str; 10] = ["O0", "O1", "O2", "O3", "O4", "O60", "Z33", "Z34", "Z3A", "O9A"];
        if self.has(&CODES) { Some(true) } else { self.pregnant }
    }
}

/// Whether a diagnosis code begins with another, with or without the dots.
pub(super) fn starts(code: &str, begins: &str) -> bool {
    let mut code = code.bytes().filter(|b| *b != b'.');
    begins.bytes().filter(|b| *b != b'.').all(|b| code.next() == Some(b))
}
