//! Prescribing: doses, instructions in plain words, and the checks before signing.

pub mod check;
pub mod dosage;
pub mod findings;
pub mod ingredients;
pub mod kidney;
pub mod person_states;
pub mod rules;
pub mod search;
mod states;
pub mod strength;
mod substances;

pub use check::{Prescribed, check};
pub use findings::{Allergy, Dated, Dispensed, Finding, FindingKind, Patient};
pub use rules::{Medicine, Rules};
pub use states::{MedicineState, PrescriptionEvent, PrescriptionRefusal, PrescriptionState};
pub use strength::Amount;
use strength::plain;
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
    pub route: String,
    pub usual_dose: f64,
    pub usual_per_day: f64,
    pub usual_days: u32,
}

impl Product {
    /// Milligrams of the first ingredient in one unit of the form; nothing where the strength is in another unit.
    pub fn milligrams(&self) -> Option<f64> {
        match strength::amounts(&self.strength)?.first()? {
            Amount::Milligrams(mg) => Some(*mg),
            Amount::Units(_) => None,
        }
    }

    /// As it is called on a list: `Amoxelle 500 mg capsule`.
    pub fn name(&self) -> String {
        format!("{} {} {}", self.brand, self.strength, self.form)
    }
}

/// What is to be prescribed.
#[derive(Debug, Clone, PartialEq)]
pub struct Dosing {
    /// Units of the form at a time: 1 tablet, 10 millilitres.
    pub dose: f64,
    pub per_day: f64,
    pub days: u32,
    pub as_needed: bool,
}

/// What medicines that are taken do to the problems somebody has: told as soon as a problem is on the list, not when the
/// next prescription is written.
pub fn harms_now(rules: &Rules, taking: &[Medicine], problems: &[String]) -> Vec<Finding> {
    let mut out: Vec<Finding> = taking.iter().flat_map(|m| check::harms(rules, m, problems)).collect();
    out.sort_by_key(|f| std::cmp::Reverse(f.severity));
    out
}

/// Whether a prescription may be signed: every serious warning needs an override reason.
pub fn may_sign(findings: &[Finding], override_reason: &str) -> Result<(), String> {
    match findings.iter().find(|w| w.severity == Severity::Serious) {
        Some(w) if override_reason.trim().is_empty() => Err(format!("Give an override reason: {}", w.sentence)),
        _ => Ok(()),
    }
}

/// The diagnosis that a prescription lies under when nobody says: the only one there is. Among several somebody chooses.
pub fn lane(diagnoses: &[(String, String)]) -> Option<String> {
    if let [(code, _)] = diagnoses { Some(code.clone()) } else { None }
}

/// The quantity to dispense, in whole units of the form, or nothing when it makes no sense.
pub fn quantity(dosing: &Dosing) -> Option<u32> {
    let exact = dosing.dose * dosing.per_day * f64::from(dosing.days);
    (exact.is_finite() && exact > 0.0 && exact <= 10_000.0).then(|| exact.ceil() as u32)
}

/// The days that a quantity lasts.
pub fn days_of(quantity: u32, dose: f64, per_day: f64) -> Option<u32> {
    let daily = dose * per_day;
    (daily.is_finite() && daily > 0.0).then(|| (f64::from(quantity) / daily).floor() as u32)
}

/// Instructions in plain words: with when it is taken (`in the morning with food`) and what it is needed for, as they were said.
pub fn instructions(product: &Product, dosing: &Dosing, when: &str, needed_for: &str) -> String {
    let unit = match product.form.as_str() {
        "solution" | "suspension" | "syrup" => "mL",
        "inhaler" => "puff",
        "drops" => "drop",
        "cream" | "ointment" | "gel" => "application",
        form => form,
    };
    let plural = if dosing.dose > 1.0 && unit != "mL" { "s" } else { "" };
    let (verb, way) = match product.route.as_str() {
        "inhaled" => ("Inhale", ""),
        "skin" => ("Apply", " to the skin"),
        "eye" => ("Put", " into the eye"),
        "injection" => ("Inject", " under the skin"),
        _ => ("Take", " by mouth"),
    };
    let often = match dosing.per_day {
        1.0 => "once a day".to_owned(),
        2.0 => "twice a day".to_owned(),
        3.0 => "three times a day".to_owned(),
        4.0 => "four times a day".to_owned(),
        x if x < 1.0 => format!("every {} days", plain(1.0 / x.max(0.01))),
        x => format!("{} times a day", plain(x)),
    };
    let when = if when.is_empty() { String::new() } else { format!(" {when}") };
    let need = match (dosing.as_needed, needed_for) {
        (false, _) => String::new(),
        (true, "") => ", only when needed".to_owned(),
        (true, what) => format!(", only when needed for {what},"),
    };
    format!("{verb} {} {unit}{plural}{way} {often}{when}{need} for {} days.", plain(dosing.dose), dosing.days)
}

/// A prescription as it goes to a pharmacy.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SentItem {
    pub reference: String,
    pub subject: crate::orders::Subject,
    pub prescriber_name: String,
    pub prescriber_npi: String,
    pub authored: chrono::DateTime<chrono::Utc>,
    pub medicine: String,
    pub product_code: String,
    pub instructions: String,
    pub quantity: u32,
    pub days: u32,
    pub refills: u32,
    pub reason: Option<(String, String)>,
}

/// The most that a prescription can say; beyond it is a slip of typing.
pub const MOST_DOSE: f64 = 10_000.0;
pub const MOST_PER_DAY: f64 = 24.0;
pub const MOST_DAYS: u32 = 365;
pub const MOST_REFILLS: u32 = 12;

/// Whether a dosing can be meant, each fault at its field (`dose`, `perDay`, `days`, `refills`), and how much it comes to.
pub fn quantity_of(d: &Dosing, refills: u32) -> Result<u32, (&'static str, String)> {
    let fine = |x: f64, most: f64| x.is_finite() && x > 0.0 && x <= most;
    if !fine(d.dose, MOST_DOSE) {
        return Err(("dose", "A dose is more than nothing.".into()));
    }
    if !fine(d.per_day, MOST_PER_DAY) {
        return Err(("perDay", format!("How often a day is between nothing and {MOST_PER_DAY} times.")));
    }
    if d.days == 0 || d.days > MOST_DAYS {
        return Err(("days", format!("A prescription is for 1 to {MOST_DAYS} days.")));
    }
    if refills > MOST_REFILLS {
        return Err(("refills", format!("Refills are 0 to {MOST_REFILLS}.")));
    }
    quantity(d).ok_or_else(|| ("days", "The quantity comes out impossible; check dose, frequency and days.".into()))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn tablet() -> Product {
        Product {
            code: "a-1".into(),
            brand: "A".into(),
            ingredients: vec!["a".into()],
            atc: "J01".into(),
            form: "tablet".into(),
            strength: "1 mg".into(),
            route: "oral".into(),
            usual_dose: 1.0,
            usual_per_day: 2.0,
            usual_days: 7,
        }
    }

    fn dosing(dose: f64, per_day: f64) -> Dosing {
        Dosing { dose, per_day, days: 7, as_needed: false }
    }

    #[test]
    fn quantity_days_and_words() {
        assert_eq!(quantity(&dosing(1.0, 2.0)), Some(14));
        assert_eq!(quantity(&dosing(f64::NAN, 2.0)), None);
        assert_eq!(quantity(&dosing(0.0, 2.0)), None);
        let needed = Dosing { as_needed: true, ..dosing(1.0, 1.0) };
        assert_eq!(
            instructions(&tablet(), &needed, "in the morning with food", "pain"),
            "Take 1 tablet by mouth once a day in the morning with food, only when needed for pain, for 7 days."
        );
        assert_eq!(days_of(30, 1.0, 2.0), Some(15));
        assert_eq!(
            instructions(&tablet(), &dosing(2.0, 3.0), "", ""),
            "Take 2 tablets by mouth three times a day for 7 days."
        );
    }

    #[test]
    fn a_dosing_that_cannot_be_meant_names_its_field() {
        let sane = Dosing { dose: 1.0, per_day: 2.0, days: 30, as_needed: false };
        assert_eq!(quantity_of(&sane, 3), Ok(60));
        for (d, refills, field) in [
            (Dosing { dose: 0.0, ..sane.clone() }, 0, "dose"),
            (Dosing { dose: f64::NAN, ..sane.clone() }, 0, "dose"),
            (Dosing { per_day: 25.0, ..sane.clone() }, 0, "perDay"),
            (Dosing { days: 0, ..sane.clone() }, 0, "days"),
            (Dosing { days: 366, ..sane.clone() }, 0, "days"),
            (sane.clone(), 13, "refills"),
        ] {
            assert_eq!(quantity_of(&d, refills).unwrap_err().0, field);
        }
    }
}
