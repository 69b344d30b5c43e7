//! Prescribing: doses, instructions in plain words, and the checks before signing.

mod states;
mod substances;

pub use states::{MedicineState, PrescriptionEvent, PrescriptionRefusal, PrescriptionState};
use substances::{ALLERGY_FAMILIES, says};
pub use substances::{Substance, international, substance, substance_read};

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
    /// Ingredients in small letters, as in their international names.
    pub ingredients: Vec<String>,
    /// WHO ATC code: its beginnings are the families.
    pub atc: String,
    pub form: String,
    /// Milligrams of the main ingredient in one unit of the form.
    pub strength_mg: f64,
    pub strength: String,
    pub route: String,
    pub usual_dose: f64,
    pub usual_per_day: f64,
    pub usual_days: u32,
    /// The most milligrams a day for an adult.
    pub max_mg_per_day: f64,
    /// The youngest age in years.
    pub from_age: u32,
}

/// Two families or ingredients that harm together.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Interaction {
    pub a: String,
    pub b: String,
    pub severity: Severity,
    pub reason: String,
}

/// A family or ingredient that harms with a problem.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ProblemHarm {
    pub medicine: String,
    /// Beginning of a diagnosis code.
    pub diagnosis: String,
    pub severity: Severity,
    pub reason: String,
}

/// Whether a term of a table (an ingredient, or the beginning of an ATC code in capitals) means this product.
fn means(term: &str, product: &Product) -> bool {
    let is_code =
        term.starts_with(|c: char| c.is_ascii_uppercase()) && term.len() >= 3 && term.as_bytes()[1].is_ascii_digit();
    if is_code { product.atc.starts_with(term) } else { product.ingredients.iter().any(|i| i == term) }
}

/// What is known of the patient.
#[derive(Debug, Clone, Default)]
pub struct Patient<'a> {
    pub age: Option<u32>,
    /// Substances as recorded, with the reaction.
    pub allergies: Vec<(String, String)>,
    /// Whether allergies were asked at all: a list, or "none known".
    pub allergies_asked: bool,
    /// Products being taken.
    pub taking: Vec<&'a Product>,
    /// Diagnosis codes of the problems and of this visit.
    pub problems: Vec<String>,
    pub pregnant: bool,
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

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Warning {
    pub severity: Severity,
    pub kind: &'static str,
    pub sentence: String,
}

/// What harms with which of these diagnosis codes.
fn harms_of<'h>(
    product: &Product,
    problems: &'h [String],
    harms: &'h [ProblemHarm],
) -> impl Iterator<Item = (&'h ProblemHarm, &'h String)> {
    let of_product: Vec<&ProblemHarm> = harms.iter().filter(|h| means(&h.medicine, product)).collect();
    of_product.into_iter().filter_map(|harm| {
        let begins = harm.diagnosis.replace('.', "");
        problems.iter().find(|p| p.replace('.', "").starts_with(&begins)).map(|code| (harm, code))
    })
}

/// What medicines that are taken do to the problems somebody has: told as soon as a problem is on the list, not when the
/// next prescription is written.
pub fn harms_now(taking: &[&Product], problems: &[String], harms: &[ProblemHarm]) -> Vec<Warning> {
    let mut out: Vec<Warning> = taking
        .iter()
        .flat_map(|product| {
            harms_of(product, problems, harms).map(|(harm, code)| Warning {
                severity: harm.severity,
                kind: "problem",
                sentence: format!("{} with {code}: {}", product.brand, harm.reason),
            })
        })
        .collect();
    out.sort_by_key(|w| std::cmp::Reverse(w.severity));
    out
}

/// All checks before signing. The rules and amounts are the caller's tables; nothing is assumed.
pub fn check(
    product: &Product,
    dosing: &Dosing,
    patient: &Patient,
    interactions: &[Interaction],
    harms: &[ProblemHarm],
) -> Vec<Warning> {
    let mut out = Vec::new();
    let mut warn = |severity, kind, sentence: String| out.push(Warning { severity, kind, sentence });
    if !patient.allergies_asked {
        warn(Severity::Caution, "allergies_unknown", "Nobody has asked about allergies yet.".into());
    }
    for (substance, reaction) in &patient.allergies {
        let name = substance_read(substance);
        let direct = product.ingredients.iter().any(|i| name.split(' ').any(|w| w == i));
        let family = ALLERGY_FAMILIES
            .iter()
            .find(|(f, codes)| says(&name, f) && codes.iter().any(|c| product.atc.starts_with(c)));
        let reaction = if reaction.is_empty() { String::new() } else { format!(" ({reaction})") };
        if direct {
            warn(
                Severity::Serious,
                "allergy",
                format!("Allergic to {substance}{reaction}, which {} contains.", product.brand),
            );
        } else if let Some((family, _)) = family {
            warn(
                Severity::Serious,
                "allergy",
                format!("Allergic to {substance}{reaction}; {} is of the {family} family.", product.brand),
            );
        }
    }
    for other in &patient.taking {
        for i in interactions {
            let meet = (means(&i.a, product) && means(&i.b, other)) || (means(&i.b, product) && means(&i.a, other));
            if meet {
                warn(i.severity, "interaction", format!("With {}: {}", other.brand, i.reason));
            }
        }
        let same = product.ingredients.iter().find(|i| other.ingredients.contains(i));
        if let Some(ingredient) = same {
            warn(Severity::Serious, "doubled", format!("{ingredient} is already taken as {}.", other.brand));
        } else if product.atc.len() >= 5 && other.atc.len() >= 5 && product.atc[..5] == other.atc[..5] {
            warn(Severity::Caution, "doubled", format!("{} is of the same family and already taken.", other.brand));
        }
    }
    for (harm, code) in harms_of(product, &patient.problems, harms) {
        warn(harm.severity, "problem", format!("{code}: {}", harm.reason));
    }
    if let Some(age) = patient.age.filter(|a| *a < product.from_age) {
        warn(Severity::Serious, "age", format!("Not meant for this age ({age} y); from {} y on.", product.from_age));
    }
    let daily = dosing.dose * dosing.per_day * product.strength_mg;
    if daily > product.max_mg_per_day {
        warn(
            Severity::Serious,
            "dose",
            format!("{} mg a day is above the usual maximum of {} mg.", plain(daily), plain(product.max_mg_per_day)),
        );
    } else if daily * 8.0 < product.strength_mg * product.usual_dose * product.usual_per_day {
        warn(Severity::Caution, "dose", format!("{} mg a day is far below the usual dose.", plain(daily)));
    }
    out.sort_by_key(|w| std::cmp::Reverse(w.severity));
    out
}

/// Whether a prescription may be signed: every serious warning needs an override reason.
pub fn may_sign(warnings: &[Warning], override_reason: &str) -> Result<(), String> {
    match warnings.iter().find(|w| w.severity == Severity::Serious) {
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

/// A number without needless zeros.
fn plain(x: f64) -> String {
    let rounded = (x * 100.0).round() / 100.0;
    format!("{rounded}")
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

    fn product(brand: &str, ingredient: &str, atc: &str, mg: f64) -> Product {
        Product {
            code: brand.to_lowercase(),
            brand: brand.into(),
            ingredients: vec![ingredient.into()],
            atc: atc.into(),
            form: "tablet".into(),
            strength_mg: mg,
            strength: format!("{mg} mg"),
            route: "oral".into(),
            usual_dose: 1.0,
            usual_per_day: 2.0,
            usual_days: 7,
            max_mg_per_day: mg * 4.0,
            from_age: 12,
        }
    }

    fn dosing(dose: f64, per_day: f64) -> Dosing {
        Dosing { dose, per_day, days: 7, as_needed: false }
    }

    fn adult<'a>() -> Patient<'a> {
        Patient { age: Some(34), allergies_asked: true, ..Patient::default() }
    }

    #[test]
    fn what_is_taken_and_harms_a_problem_is_told_at_once() {
        let beta = product("Propravel", "propranolol", "C07AA05", 40.0);
        let harms = [ProblemHarm {
            medicine: "C07AA".into(),
            diagnosis: "J45".into(),
            severity: Severity::Serious,
            reason: "narrows the airways.".into(),
        }];
        let told = harms_now(&[&beta], &["I10".into(), "J45.20".into()], &harms);
        assert_eq!(told[0].sentence, "Propravel with J45.20: narrows the airways.");
        assert_eq!(harms_now(&[&beta], &["I10".into()], &harms), []);
        assert_eq!(harms_now(&[], &["J45.20".into()], &harms), []);
    }

    fn kinds(warnings: &[Warning]) -> Vec<(&'static str, Severity)> {
        warnings.iter().map(|w| (w.kind, w.severity)).collect()
    }

    #[test]
    fn allergies_reach_the_family() {
        let amoxicillin = product("Amorex", "amoxicillin", "J01CA04", 500.0);
        for substance in ["Penicillins", "penicillin", "Amoxicillin"] {
            let p = Patient { allergies: vec![(substance.into(), "hives".into())], ..adult() };
            let found = check(&amoxicillin, &dosing(1.0, 2.0), &p, &[], &[]);
            assert_eq!(kinds(&found), [("allergy", Severity::Serious)], "{substance}");
            assert!(may_sign(&found, "").is_err() && may_sign(&found, "tolerated in 2024").is_ok());
        }
        let nobody_asked = Patient { allergies_asked: false, ..adult() };
        assert_eq!(
            kinds(&check(&amoxicillin, &dosing(1.0, 2.0), &nobody_asked, &[], &[])),
            [("allergies_unknown", Severity::Caution)]
        );
    }

    #[test]
    fn interactions_work_both_ways_and_doubling_is_seen() {
        let ibuprofen = product("Ibudrin", "ibuprofen", "M01AE01", 400.0);
        let naproxen = product("Naprel", "naproxen", "M01AE02", 250.0);
        let warfarin = product("Warfanol", "warfarin", "B01AA03", 5.0);
        let rules = [Interaction {
            a: "B01AA".into(),
            b: "M01A".into(),
            severity: Severity::Serious,
            reason: "bleeding.".into(),
        }];
        let seen = |new: &Product, old: &Product| {
            kinds(&check(new, &dosing(1.0, 2.0), &Patient { taking: vec![old], ..adult() }, &rules, &[]))
        };
        assert_eq!(seen(&ibuprofen, &warfarin), [("interaction", Severity::Serious)]);
        assert_eq!(seen(&warfarin, &ibuprofen), [("interaction", Severity::Serious)]);
        assert_eq!(seen(&ibuprofen, &naproxen), [("doubled", Severity::Caution)]);
        assert_eq!(seen(&ibuprofen, &ibuprofen), [("doubled", Severity::Serious)]);
    }

    #[test]
    fn problem_age_and_dose() {
        let propranolol = product("Proprabel", "propranolol", "C07AA05", 40.0);
        let harms = [ProblemHarm {
            medicine: "C07A".into(),
            diagnosis: "J45".into(),
            severity: Severity::Serious,
            reason: "narrows the airways.".into(),
        }];
        let p = Patient { problems: vec!["J45.20".into()], age: Some(9), ..adult() };
        let found = check(&propranolol, &dosing(3.0, 2.0), &p, &[], &harms);
        assert_eq!(found.iter().map(|w| w.kind).collect::<Vec<_>>(), ["problem", "age", "dose"]);
        assert_eq!(
            check(&propranolol, &dosing(1.0, 0.1), &adult(), &[], &[])[0].sentence,
            "4 mg a day is far below the usual dose."
        );
    }

    #[test]
    fn quantity_days_and_words() {
        assert_eq!(quantity(&dosing(1.0, 2.0)), Some(14));
        assert_eq!(quantity(&dosing(f64::NAN, 2.0)), None);
        assert_eq!(quantity(&dosing(0.0, 2.0)), None);
        let needed = Dosing { as_needed: true, ..dosing(1.0, 1.0) };
        assert_eq!(
            instructions(&product("A", "a", "J01", 1.0), &needed, "in the morning with food", "pain"),
            "Take 1 tablet by mouth once a day in the morning with food, only when needed for pain, for 7 days."
        );
        assert_eq!(days_of(30, 1.0, 2.0), Some(15));
        assert_eq!(
            instructions(&product("A", "a", "J01", 1.0), &dosing(2.0, 3.0), "", ""),
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
