//! Prescribing: doses, instructions in plain words, and the checks before signing.

pub mod approvals;
pub mod check;
pub mod controlled;
pub mod day_plan;
pub mod dosage;
pub mod findings;
pub mod ingredients;
pub mod kidney;
pub mod leaflets;
pub mod medicine;
pub mod person_states;
pub mod rules;
pub mod search;
mod states;
pub mod strength;
mod substances;
pub mod typed;

use chrono::NaiveDate;

pub use check::{Prescribed, check};
pub use dosage::{Dosage, DoseUnit, Often, Portion};
pub use findings::{Allergy, Dated, Dispensed, Finding, FindingKind, Patient};
pub use rules::{Medicine, Rules};
pub use states::{MedicineState, PrescriptionEvent, PrescriptionRefusal, PrescriptionState, RenewalAnswer};
pub use strength::Amount;
pub use substances::{international, substance_in_words, substance_read};

coded! {
    /// How much a finding weighs.
    Severity {
        Note = "note", "Note";
        Caution = "caution", "Caution";
        /// Needs an override reason before signing.
        Serious = "serious", "Serious";
    }
}

/// A product of the clinic's formulary.
#[derive(Debug, Clone, PartialEq)]
pub struct Product {
    pub code: String,
    pub brand: String,
    /// International names, in small letters.
    pub ingredients: Vec<String>,
    /// WHO ATC code: its beginnings are the families.
    pub atc: String,
    pub form: String,
    /// As on the pack, an amount for each ingredient in their order: `400/57 mg/5 mL`.
    pub strength: String,
    /// The usual way in: the first of [`Product::routes`].
    pub route: String,
    /// Every way in that the form allows.
    pub routes: Vec<String>,
    pub usual_dose: f64,
    pub usual_per_day: f64,
    pub usual_days: u32,
    /// The clinic keeps it itself, or wants it before others of its kind.
    pub stock: bool,
}

/// What the clinic keeps counts as if it had been prescribed so often: one's own habit of a few weeks comes before it.
const STOCK_COUNTS: u32 = 20;

impl Product {
    /// The product as it is given by one of its ways; nothing where the form does not allow it.
    pub fn by_route(&self, route: &str) -> Option<Product> {
        self.routes.iter().any(|r| r == route).then(|| Product { route: route.to_owned(), ..self.clone() })
    }

    /// How much it is liked: by how often it was prescribed, one's own counted tenfold, and by the clinic's stock.
    pub fn liked(&self, prescribed: u32) -> u32 {
        prescribed.saturating_add(if self.stock { STOCK_COUNTS } else { 0 })
    }

    /// Milligrams of the first ingredient in one unit of the form; nothing where the strength is in another unit.
    pub fn milligrams(&self) -> Option<f64> {
        match strength::amounts(&self.strength)?.first()? {
            Amount::Milligrams(mg) => Some(*mg),
            Amount::Units(_) | Amount::Milliequivalents(_) => None,
        }
    }

    /// As it is called on a list: `Amoxelle 500 mg capsule`.
    pub fn name(&self) -> String {
        format!("{} {} {}", self.brand, self.strength, self.form)
    }
}

/// What medicines that are taken do to the problems somebody has: told as soon as a problem is on the list, not when the
/// next prescription is written. Notes are for who prescribes.
pub fn harms_now(rules: &Rules, taking: &[Medicine], problems: &[String]) -> Vec<Finding> {
    let harms = taking.iter().flat_map(|m| check::harms(rules, m, problems));
    let mut out: Vec<Finding> = harms.filter(|f| f.severity > Severity::Note).collect();
    out.sort_by_key(|f| std::cmp::Reverse(f.severity));
    out
}

/// Why a serious finding is overridden: the pair it is about, and the reason.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Override {
    pub about: String,
    pub reason: String,
}

/// Whether a prescription may be signed: each serious finding needs an override reason of its own. Gives the findings that
/// have none.
pub fn not_overridden<'f>(findings: &'f [Finding], overrides: &[Override]) -> Vec<&'f Finding> {
    let given = |f: &Finding| overrides.iter().any(|o| o.about == f.about && !o.reason.trim().is_empty());
    findings.iter().filter(|f| f.severity == Severity::Serious && !given(f)).collect()
}

/// The last day of a course that ends by itself: of what is usually given for a short time, without refills. What is taken
/// for good goes on when its tablets run out; that is asked, not assumed. In days of the calendar, so that a change of the
/// clock within it does nothing.
pub fn course_ends(product: &Product, days: u32, refills: u32, begun: NaiveDate) -> Option<NaiveDate> {
    const SHORT: u32 = 14;
    const LONGEST: u32 = 31;
    let is_course = refills == 0 && product.usual_days <= SHORT && days <= LONGEST;
    if is_course { begun.checked_add_days(chrono::Days::new(u64::from(days))) } else { None }
}

/// The last day that a prescription lasts with its refills, taken as it was prescribed from the day it was signed.
pub fn runs_out(signed: NaiveDate, days: u32, refills: u32) -> NaiveDate {
    let days = u64::from(days) * (u64::from(refills) + 1);
    signed.checked_add_days(chrono::Days::new(days)).unwrap_or(NaiveDate::MAX)
}

/// The diagnosis that a prescription lies under when nobody says: the only one there is. Among several somebody chooses.
pub fn lane(diagnoses: &[(String, String)]) -> Option<String> {
    if let [(code, _)] = diagnoses { Some(code.clone()) } else { None }
}

/// A prescription as it goes to a pharmacy.
#[derive(Debug, Clone, PartialEq)]
pub struct SentItem {
    pub reference: String,
    /// What was signed together with it has the same.
    pub group: String,
    pub subject: crate::orders::Subject,
    pub prescriber_name: String,
    pub prescriber_npi: String,
    pub pharmacy: String,
    pub authored: chrono::DateTime<chrono::Utc>,
    pub medicine: String,
    pub product_code: String,
    pub instructions: String,
    /// In structure, where it is known so.
    pub dosage: Option<Dosage>,
    pub route: String,
    pub quantity: u32,
    pub unit: DoseUnit,
    pub days: u32,
    pub refills: u32,
    pub substitution: bool,
    pub note: String,
    /// The prescription that this one takes the place of.
    pub replaces: Option<String>,
    /// The number of the payer's approval, where there is one.
    pub approval: Option<String>,
    pub reason: Option<(String, String)>,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_prescription_lasts_with_its_refills() {
        let signed = NaiveDate::from_ymd_opt(2026, 10, 30).unwrap();
        assert_eq!(runs_out(signed, 30, 2), NaiveDate::from_ymd_opt(2027, 1, 28).unwrap());
        assert_eq!(runs_out(NaiveDate::MAX, u32::MAX, u32::MAX), NaiveDate::MAX);
    }

    #[test]
    fn a_course_ends_by_itself_and_what_is_taken_for_good_does_not() {
        let product = |usual_days| Product {
            code: "a".into(),
            brand: "A".into(),
            ingredients: vec!["a".into()],
            atc: "J01CA04".into(),
            form: "tablet".into(),
            strength: "1 mg".into(),
            route: "oral".into(),
            routes: vec!["oral".into()],
            usual_dose: 1.0,
            usual_per_day: 3.0,
            usual_days,
            stock: false,
        };
        let begun = NaiveDate::from_ymd_opt(2026, 10, 30).unwrap();
        let ends = |usual, days, refills| course_ends(&product(usual), days, refills, begun);
        assert_eq!(ends(7, 7, 0), NaiveDate::from_ymd_opt(2026, 11, 6), "over the change of the clock");
        assert_eq!([ends(90, 30, 0), ends(7, 7, 1), ends(7, 60, 0)], [None, None, None]);
    }

    #[test]
    fn each_serious_finding_needs_a_reason_of_its_own() {
        let finding = |severity, about: &str| Finding {
            severity,
            kind: FindingKind::Interaction,
            sentence: String::new(),
            about: about.into(),
        };
        let found =
            [finding(Severity::Serious, "a+b"), finding(Severity::Serious, "a+c"), finding(Severity::Caution, "a+d")];
        let given = |about: &str, reason: &str| Override { about: about.into(), reason: reason.into() };
        assert_eq!(not_overridden(&found, &[given("a+b", "INR tomorrow")]), [&found[1]]);
        assert_eq!(
            not_overridden(&found, &[given("a+b", "x"), given("a+c", " ")]),
            [&found[1]],
            "a blank is no reason"
        );
        assert!(not_overridden(&found, &[given("a+b", "x"), given("a+c", "y")]).is_empty());
    }
}
