//! The checks of one prescription before it is signed. They read tables ([`super::rules`]) and facts ([`super::findings`]);
//! what they cannot look at they say: a missing fact is a finding of its own.
//!
//! More allergies, problems or medicines never make fewer findings, apart from those about missing facts.

mod allergies;
mod amounts;
mod lasting;
mod organs;
mod states;
mod together;

use super::Severity;
use super::findings::{Finding, FindingKind, Patient};
use super::ingredients::{Ingredient, Term};
use super::rules::{Medicine, Rules};
pub use allergies::substance_of;
pub use organs::kidneys;
pub(super) use states::harms;

/// What is to be prescribed.
#[derive(Debug, Clone)]
pub struct Prescribed<'r> {
    pub medicine: Medicine<'r>,
    pub days: Option<u32>,
}

/// Where findings gather while the checks run.
struct Told {
    findings: Vec<Finding>,
}

impl Told {
    fn tell(&mut self, severity: Severity, kind: FindingKind, about: String, sentence: String) {
        self.add(Finding { severity, kind, sentence, about });
    }

    /// What is about the same pair is told apart by its kind: each has an override reason of its own.
    fn add(&mut self, finding: Finding) {
        let about = format!("{} {}", finding.kind.code(), finding.about);
        let finding = Finding { about, ..finding };
        if !self.findings.contains(&finding) {
            self.findings.push(finding);
        }
    }

    fn missing(&mut self, severity: Severity, about: &str, sentence: String) {
        self.tell(severity, FindingKind::Missing, about.to_owned(), sentence);
    }
}

/// All checks, the gravest finding first.
pub fn check(rules: &Rules, item: &Prescribed, patient: &Patient) -> Vec<Finding> {
    let mut told = Told { findings: vec![] };
    for name in &item.medicine.unknown {
        let sentence = format!("{name} is in no table; nothing was checked about it.");
        told.missing(Severity::Caution, &format!("item {name}"), sentence);
    }
    allergies::check(rules, item, patient, &mut told);
    together::check(rules, item, patient, &mut told);
    states::check(rules, item, patient, &mut told);
    organs::check(rules, item, patient, &mut told);
    amounts::check(rules, item, patient, &mut told);
    lasting::check(rules, item, patient, &mut told);
    let mut findings = told.findings;
    findings.sort_by(|x, y| y.severity.cmp(&x.severity).then(x.kind.cmp(&y.kind)).then(x.sentence.cmp(&y.sentence)));
    findings
}

/// The narrowest row that means an ingredient.
fn narrowest<'t, T>(rows: &'t [T], term: impl Fn(&T) -> &Term, ingredient: &Ingredient) -> Option<&'t T> {
    rows.iter().filter(|r| term(r).means(ingredient)).max_by_key(|r| term(r).narrowness())
}

/// A reason and what to do instead, as the end of a sentence.
fn because(reason: &str, instead: &str) -> String {
    if instead.is_empty() || instead == "none needed" { format!("{reason}.") } else { format!("{reason}; {instead}.") }
}

/// Two names in an order of their own, so that a pair is the same from either side.
fn pair(a: &str, b: &str) -> String {
    if a <= b { format!("{a}+{b}") } else { format!("{b}+{a}") }
}
