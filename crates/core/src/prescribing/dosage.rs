//! How a medicine is taken, as people mean it: amounts with their unit, how often, changing steps, as needed, with food.
//!
//! Amounts are kept in thousandths, so that a half is a half and quantities add up. What is written by [`Dosage::in_words`]
//! is read back by [`Dosage::read`] to the same dosage.

mod often;
mod portion;
mod words;

pub use often::{DayTime, Often};
pub use portion::Portion;

use super::Product;
use super::strength::{Amount, amounts};

/// The most that a prescription can say; beyond it is a slip of typing.
pub const MOST_DAYS: u32 = 365;
pub const MOST_REFILLS: u32 = 12;
pub const MOST_QUANTITY: u32 = 10_000;
const MOST_STEPS: usize = 8;

coded! {
    /// What is counted when a form is taken.
    DoseUnit {
        Tablet = "tablet", "tablet";
        Capsule = "capsule", "capsule";
        Millilitre = "mL", "mL";
        Puff = "puff", "puff";
        Spray = "spray", "spray";
        Drop = "drop", "drop";
        Application = "application", "application";
        Patch = "patch", "patch";
        Sachet = "sachet", "sachet";
        Suppository = "suppository", "suppository";
        Injection = "injection", "injection";
    }
}

impl DoseUnit {
    /// What one counts of a form. A strength in so much a millilitre is counted in millilitres.
    pub fn of(form: &str, strength: &str) -> DoseUnit {
        let form = form.to_lowercase();
        let by_volume = strength.to_lowercase().trim_end().ends_with("ml");
        let has = |words: &[&str]| words.iter().any(|w| form.contains(w));
        if has(&["tablet"]) {
            DoseUnit::Tablet
        } else if has(&["capsule"]) {
            DoseUnit::Capsule
        } else if has(&["patch"]) {
            DoseUnit::Patch
        } else if has(&["suppository"]) {
            DoseUnit::Suppository
        } else if has(&["drops"]) {
            DoseUnit::Drop
        } else if has(&["spray"]) {
            DoseUnit::Spray
        } else if has(&["nebuliser", "suspension", "solution", "syrup"]) || by_volume {
            DoseUnit::Millilitre
        } else if has(&["inhaler"]) {
            DoseUnit::Puff
        } else if has(&["powder"]) {
            DoseUnit::Sachet
        } else if has(&["injection"]) {
            DoseUnit::Injection
        } else {
            DoseUnit::Application
        }
    }

    /// With its ending for more than one: `2 tablets`, `0.5 tablet`, `5 mL`.
    pub fn of_many(self, amount: Portion) -> String {
        let one = self.label();
        if self == DoseUnit::Millilitre || amount <= Portion::ONE {
            return one.to_owned();
        }
        match self {
            DoseUnit::Patch => "patches".to_owned(),
            DoseUnit::Suppository => "suppositories".to_owned(),
            _ => format!("{one}s"),
        }
    }

    /// The least that can be measured out: half a tablet, half a millilitre, else a whole one.
    pub fn smallest(self) -> Portion {
        match self {
            DoseUnit::Tablet | DoseUnit::Millilitre | DoseUnit::Sachet => Portion::HALF,
            _ => Portion::ONE,
        }
    }
}

coded! {
    /// How a dose stands to meals.
    Food {
        With = "with_food", "with food";
        Before = "before_food", "before meals";
        After = "after_food", "after meals";
        Empty = "empty_stomach", "on an empty stomach";
        Water = "with_water", "with water";
    }
}

/// One step of a dosage: so much, so often, for so many days.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    pub amount: Portion,
    /// The upper end of a range: one to two tablets.
    pub up_to: Option<Portion>,
    pub often: Often,
    pub days: u32,
}

impl Step {
    fn most_at_a_time(&self) -> Portion {
        self.up_to.unwrap_or(self.amount)
    }

    /// Thousandths of a unit that the step takes in so many days.
    fn takes(&self, days: u32) -> u64 {
        self.most_at_a_time().thousandths() * u64::from(self.often.doses_in(days))
    }
}

/// Only when needed.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct AsNeeded {
    /// For what; empty when nobody said.
    pub reason: String,
    pub most_per_day: Option<Portion>,
}

/// How a medicine is taken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Dosage {
    /// At least one.
    pub steps: Vec<Step>,
    pub as_needed: Option<AsNeeded>,
    pub food: Option<Food>,
}

/// What is wrong with a dosage: the field at fault and a sentence.
pub type DosageFault = (&'static str, String);

impl Dosage {
    /// Whether a dosage can be meant.
    pub fn checked(self) -> Result<Dosage, DosageFault> {
        if self.steps.is_empty() || self.steps.len() > MOST_STEPS {
            return Err(("steps", format!("A dosage has 1 to {MOST_STEPS} steps.")));
        }
        for step in &self.steps {
            if step.amount == Portion::NONE {
                return Err(("dose", "A dose is more than nothing.".into()));
            }
            if step.up_to.is_some_and(|most| most <= step.amount) {
                return Err(("dose", "A range goes from less to more.".into()));
            }
            if step.days == 0 {
                return Err(("days", format!("A prescription is for 1 to {MOST_DAYS} days.")));
            }
        }
        if self.days() > MOST_DAYS {
            return Err(("days", format!("A prescription is for 1 to {MOST_DAYS} days.")));
        }
        let most = self.as_needed.as_ref().and_then(|n| n.most_per_day);
        if most.is_some_and(|most| self.steps.iter().any(|s| most < s.amount)) {
            return Err(("mostPerDay", "The most a day is no less than one dose.".into()));
        }
        if self.quantity() > MOST_QUANTITY {
            return Err(("days", "The quantity comes out impossible; check dose, frequency and days.".into()));
        }
        Ok(self)
    }

    /// Days from the first dose to the last step's end.
    pub fn days(&self) -> u32 {
        self.steps.iter().map(|s| s.days).fold(0, u32::saturating_add)
    }

    /// Whole units of the form for all steps: what is needed is taken at its most.
    pub fn quantity(&self) -> u32 {
        let taken: u64 = self.steps.iter().map(|s| self.takes(s, s.days)).sum();
        u32::try_from(taken.div_ceil(Portion::THOUSAND)).unwrap_or(u32::MAX)
    }

    /// The same with as many days as a quantity lasts. With several steps the last one is longer or shorter; a quantity that
    /// does not even reach it gives nothing.
    pub fn lasting(&self, quantity: u32) -> Option<Dosage> {
        let (last, before) = self.steps.split_last()?;
        let taken: u64 = before.iter().map(|s| self.takes(s, s.days)).sum();
        let left = (u64::from(quantity) * Portion::THOUSAND).checked_sub(taken)?;
        let longest = MOST_DAYS.saturating_sub(before.iter().map(|s| s.days).sum());
        // Doses never grow fewer with more days, so the last day that fits is found by halving.
        let (mut fits, mut too_long) = (0, longest + 1);
        while too_long - fits > 1 {
            let middle = fits + (too_long - fits) / 2;
            if self.takes(last, middle) <= left { fits = middle } else { too_long = middle }
        }
        let mut steps = before.to_vec();
        steps.push(Step { days: fits, ..last.clone() });
        (fits > 0).then(|| Dosage { steps, ..self.clone() })
    }

    fn takes(&self, step: &Step, days: u32) -> u64 {
        let all = step.takes(days);
        let most = self.as_needed.as_ref().and_then(|n| n.most_per_day);
        most.map_or(all, |most| all.min(most.thousandths() * u64::from(days)))
    }

    /// The gravest that the checks look at: the most at a time, and the most times a day of any step.
    pub fn at_most(&self) -> (f64, f64) {
        let daily = |s: &Step| s.most_at_a_time().number() * s.often.per_day();
        let gravest = self.steps.iter().max_by(|a, b| daily(a).total_cmp(&daily(b)));
        gravest.map_or((0.0, 0.0), |s| {
            let single = s.most_at_a_time().number();
            let most = self.as_needed.as_ref().and_then(|n| n.most_per_day).map_or(f64::MAX, Portion::number);
            (single, (s.often.per_day()).min(most / single))
        })
    }
}

/// `400 mg`, `50,000 units`, `20 mEq`: what is no number of tablets or millilitres; nothing for what is, and for nothing at all.
fn weighed_or_counted(text: &str) -> Option<Amount> {
    let end = text.find(|c: char| !(c.is_ascii_digit() || matches!(c, '.' | ','))).unwrap_or(text.len());
    let (digits, unit) = text.split_at(end);
    let plain = digits.replace(',', "").parse().ok().map(|n: f64| (n, unit));
    // `1/2 g` and the like are read as portions are.
    let (number, unit) = match plain.filter(|(_, unit)| !unit.trim_start().starts_with('/')) {
        Some(read) => read,
        None => Portion::read_start(text).map(|(n, unit)| (n.number(), unit))?,
    };
    if number <= 0.0 {
        return None;
    }
    match unit.trim() {
        "mg" => Some(Amount::Milligrams(number)),
        "mcg" | "ug" | "µg" | "micrograms" => Some(Amount::Milligrams(number / 1000.0)),
        "g" => Some(Amount::Milligrams(number * 1000.0)),
        "units" | "unit" | "iu" => Some(Amount::Units(number)),
        "meq" => Some(Amount::Milliequivalents(number)),
        _ => None,
    }
}

/// An amount as it was typed: in units of the form (`1/2`, `2 tab`, `8 mL`), or in milligrams, international units or
/// milliequivalents, which the strength turns into units of the form. What cannot be measured out is refused with what can.
pub fn amount_typed(typed: &str, product: &Product) -> Result<Portion, String> {
    let unit = DoseUnit::of(&product.form, &product.strength);
    let text = typed.trim().to_lowercase();
    let first = product.ingredients.first().map_or("", String::as_str);
    let one = amounts(&product.strength).and_then(|a| Some(a.first()?.of(first)));
    let of_strength = |wanted: Amount| {
        let (wanted, one) = match (wanted.of(first), one) {
            (Amount::Milligrams(wanted), Some(Amount::Milligrams(one)))
            | (Amount::Units(wanted), Some(Amount::Units(one)))
            | (Amount::Milliequivalents(wanted), Some(Amount::Milliequivalents(one))) => (wanted, one),
            _ => return Err(format!("{} has no strength to count that by; say how many.", product.name())),
        };
        let exact = wanted / one;
        let near = Portion::near(exact, unit.smallest());
        if (near.number() - exact).abs() > 0.05 * exact {
            return Err(format!(
                "{} of {} cannot be measured out; {} {} is the nearest.",
                typed.trim(),
                product.name(),
                near,
                unit.of_many(near)
            ));
        }
        Ok(near)
    };
    if let Some(wanted) = weighed_or_counted(&text) {
        return of_strength(wanted);
    }
    let (number, rest) = Portion::read_start(&text).ok_or_else(|| format!("“{}” is no amount.", typed.trim()))?;
    let amount = match rest.trim() {
        "" => number,
        other => {
            let stem = |w: &str| w.trim_end_matches('.').trim_end_matches('s').to_owned();
            let said = stem(other);
            let own = unit.label().to_lowercase();
            if said.len() >= 2 && own.starts_with(&said) || stem(&own) == said {
                number
            } else {
                return Err(format!("{} is counted in {}.", product.name(), unit.of_many(Portion::whole(2))));
            }
        }
    };
    if amount == Portion::NONE { Err("A dose is more than nothing.".into()) } else { Ok(amount) }
}

/// How far the amount that can be measured out may lie from the one that was wished, as a part of it.
const MEASURED_WITHIN: f64 = 0.2;

/// A child's dose as it is wished: `15 mg/kg`, `15 mg/kg/dose`, or `45 mg/kg/day` in as many doses as are taken. Gives the
/// amount that can be measured out; nothing where the text says no such wish.
pub fn amount_by_weight(
    typed: &str,
    often: &Often,
    kg: Option<f64>,
    product: &Product,
) -> Option<Result<Portion, String>> {
    let text: String = typed.to_lowercase().split_whitespace().collect();
    let (wished, rest) = Portion::read_start(&text)?;
    let wished = wished.number();
    let per_dose = match rest {
        "mg/kg" | "mg/kg/dose" => wished,
        "mg/kg/day" | "mg/kg/d" | "mg/kgaday" => wished / often.per_day(),
        _ => return None,
    };
    let Some(kg) = kg else { return Some(Err("The weight is not known: weigh first, or say how much.".into())) };
    let Some(one) = product.milligrams() else {
        return Some(Err(format!("{} has no strength in milligrams; say how many.", product.name())));
    };
    let unit = DoseUnit::of(&product.form, &product.strength);
    let exact = per_dose * kg / one;
    let near = Portion::near(exact, unit.smallest());
    if wished == 0.0 || !exact.is_finite() || (near.number() - exact).abs() > MEASURED_WITHIN * exact {
        let mg = super::strength::plain(per_dose * kg);
        return Some(Err(format!("{mg} mg of {} cannot be measured out.", product.name())));
    }
    Some(Ok(near))
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use proptest::prelude::*;

    pub fn product(form: &str, strength: &str) -> Product {
        Product {
            code: "x".into(),
            brand: "Brand".into(),
            ingredients: vec!["a".into()],
            atc: "J01CA04".into(),
            form: form.into(),
            strength: strength.into(),
            route: "oral".into(),
            routes: vec!["oral".into()],
            usual_dose: 1.0,
            usual_per_day: 3.0,
            usual_days: 7,
            stock: false,
        }
    }

    fn step(amount: u32, often: Often, days: u32) -> Step {
        Step { amount: Portion::whole(amount), up_to: None, often, days }
    }

    fn plain(steps: Vec<Step>) -> Dosage {
        Dosage { steps, as_needed: None, food: None }
    }

    #[test]
    fn a_taper_adds_up() {
        let taper = plain(vec![step(4, Often::Times(1), 3), step(2, Often::Times(1), 3), step(1, Often::Times(1), 3)]);
        assert_eq!((taper.quantity(), taper.days()), (21, 9));
        assert_eq!(taper.at_most(), (4.0, 1.0));
        let longer = taper.lasting(25).unwrap();
        assert_eq!((longer.days(), longer.quantity()), (13, 25));
        assert_eq!(taper.lasting(10), None, "it does not reach the last step");
    }

    #[test]
    fn what_is_needed_is_counted_at_its_most() {
        let needed = Some(AsNeeded { reason: "pain".into(), most_per_day: Some(Portion::whole(4)) });
        let dosage = Dosage { as_needed: needed, ..plain(vec![step(1, Often::EveryHours(4), 5)]) };
        assert_eq!(dosage.quantity(), 20, "four a day and not six");
        assert_eq!(dosage.at_most(), (1.0, 4.0));
        assert_eq!(dosage.lasting(30).unwrap().days(), 7);
    }

    #[test]
    fn a_dosage_that_cannot_be_meant_names_its_field() {
        let once = |amount, days| plain(vec![Step { amount, ..step(1, Often::Times(2), days) }]);
        for (dosage, field) in [
            (plain(vec![]), "steps"),
            (once(Portion::NONE, 7), "dose"),
            (once(Portion::ONE, 0), "days"),
            (once(Portion::ONE, 366), "days"),
            (once(Portion::whole(1000), 300), "days"),
            (plain(vec![Step { up_to: Some(Portion::ONE), ..step(2, Often::Times(1), 3) }]), "dose"),
            (
                Dosage {
                    as_needed: Some(AsNeeded { reason: String::new(), most_per_day: Some(Portion::HALF) }),
                    ..once(Portion::ONE, 3)
                },
                "mostPerDay",
            ),
        ] {
            assert_eq!(dosage.checked().unwrap_err().0, field);
        }
        assert!(once(Portion::HALF, 365).checked().is_ok());
    }

    #[test]
    fn amounts_are_typed_in_units_or_in_milligrams() {
        let tablet = product("tablet", "500 mg");
        let liquid = product("suspension", "250 mg/5 mL");
        for (typed, of, amount) in [
            ("1", &tablet, "1"),
            ("half", &tablet, "0.5"),
            ("1 1/2 tab", &tablet, "1.5"),
            ("½", &tablet, "0.5"),
            ("0.33", &tablet, "0.33"),
            ("250 mg", &tablet, "0.5"),
            ("1 g", &tablet, "2"),
            ("2500 mg", &tablet, "5"),
            ("1/2 g", &tablet, "1"),
            ("8 mL", &liquid, "8"),
            ("400 mg", &liquid, "8"),
            ("408mg", &liquid, "8"),
        ] {
            assert_eq!(amount_typed(typed, of).unwrap().to_string(), amount, "{typed}");
        }
        for wrong in ["", "0", "-1", "1e9", "nan", "much", "300 mg", "2 mL", "1/0"] {
            assert!(amount_typed(wrong, &tablet).is_err(), "{wrong}");
        }
        assert_eq!(
            amount_typed("300 mg", &tablet).unwrap_err(),
            "300 mg of Brand 500 mg tablet cannot be measured out; 0.5 tablet is the nearest."
        );
    }

    #[test]
    fn vitamin_d_is_typed_in_units_and_potassium_in_milliequivalents() {
        let of = |ingredient: &str, form: &str, strength: &str| Product {
            ingredients: vec![ingredient.to_owned()],
            ..product(form, strength)
        };
        let vitamin = of("colecalciferol", "capsule", "25 micrograms");
        let weekly = of("ergocalciferol", "capsule", "1250 micrograms");
        let potassium = of("potassium chloride", "solution", "1500 mg/15 mL");
        for (typed, of, amount) in [
            ("2000 units", &vitamin, "2"),
            ("1,000 IU", &vitamin, "1"),
            ("50000 units", &weekly, "1"),
            ("20 mEq", &potassium, "15"),
        ] {
            assert_eq!(amount_typed(typed, of).map(|a| a.to_string()).as_deref(), Ok(amount), "{typed}");
        }
        // Of what nobody weighs a unit of, and of another measure, it is asked.
        for (typed, of) in [
            ("20 mEq", &vitamin),
            ("1000 units", &potassium),
            ("5 mg", &of("insulin glargine", "injection", "100 units/mL")),
        ] {
            assert!(amount_typed(typed, of).is_err(), "{typed}");
        }
    }

    #[test]
    fn a_childs_dose_is_what_can_be_measured_out() {
        let of = |typed: &str, kg, product: &Product| amount_by_weight(typed, &Often::Times(2), kg, product);
        // 80 mg/kg a day in two doses at 11 kg are 8.8 mL of 50 mg/mL.
        let liquid = product("suspension", "250 mg/5 mL");
        let amount = |typed: &str| of(typed, Some(11.0), &liquid).unwrap().unwrap().to_string();
        assert_eq!([amount("80 mg/kg/day"), amount("40 mg/kg"), amount("40mg/kg/dose")], ["9", "9", "9"]);
        assert_eq!(of("8 mL", Some(11.0), &liquid), None, "no wish by weight");
        for (typed, kg, of_what) in [
            ("80 mg/kg/day", None, &liquid),
            ("0 mg/kg", Some(11.0), &liquid),
            ("1 mg/kg", Some(11.0), &liquid),
            ("5 mg/kg", Some(11.0), &product("injection", "100 units/mL")),
        ] {
            assert!(of(typed, kg, of_what).unwrap().is_err(), "{typed} at {kg:?} kg");
        }
    }

    prop_compose! {
        fn a_step()(amount in 1..40_u32, up in proptest::option::of(1..8_u32), often in often::tests::any_often(), days in 1..60_u32) -> Step {
            let amount = Portion::thousandths_of(amount * 250);
            Step { amount, up_to: up.map(|n| Portion::thousandths_of(u32::try_from(amount.thousandths()).unwrap() + n * 500)), often, days }
        }
    }

    prop_compose! {
        pub fn any_dosage()(
            steps in proptest::collection::vec(a_step(), 1..4),
            needed in proptest::option::of(("[a-z]{0,8}( [a-z]{1,6})?", proptest::option::of(30..90_u32))),
            food in proptest::option::of(0..Food::ALL.len()),
        ) -> Dosage {
            Dosage {
                steps,
                as_needed: needed.map(|(reason, most)| AsNeeded { reason: reason.trim().to_owned(), most_per_day: most.map(Portion::whole) }),
                food: food.map(|n| Food::ALL[n]),
            }
        }
    }

    proptest! {
        #[test]
        fn quantity_and_days_agree_in_both_directions(dosage in any_dosage(), quantity in 1..3000_u32) {
            let quantity_of_all = dosage.quantity();
            let back = dosage.lasting(quantity_of_all).unwrap();
            prop_assert!(back.days() >= dosage.days().min(MOST_DAYS), "{} days became {}", dosage.days(), back.days());
            prop_assert!(back.quantity() <= quantity_of_all);
            if let Some(fits) = dosage.lasting(quantity) {
                prop_assert!(fits.quantity() <= quantity);
            }
        }

        #[test]
        fn what_is_written_is_read_back(dosage in any_dosage(), form in 0..3_usize) {
            let of = [product("tablet", "500 mg"), product("suspension", "250 mg/5 mL"), product("inhaler", "100 micrograms")];
            let words = dosage.in_words(&of[form]);
            prop_assert_eq!(Dosage::read(&words), Some(dosage), "{}", words);
        }

        #[test]
        fn no_text_breaks_the_reading(text in ".{0,80}") {
            let _ = Dosage::read(&text);
            let _ = amount_typed(&text, &product("tablet", "500 mg"));
            let _ = Often::read(&text);
        }
    }
}
