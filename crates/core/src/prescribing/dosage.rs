//! How a medicine is taken, as people mean it: amounts with their unit, how often, changing steps, as needed, with food.
//!
//! Amounts are kept in thousandths, so that a half is a half and quantities add up. What is written by [`Dosage::in_words`]
//! is read back by [`Dosage::read`] to the same dosage.

mod amount;
mod often;
mod portion;
mod words;

pub use amount::{amount_by_weight, amount_typed};
pub use often::{DayTime, Often};
pub use portion::Portion;

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

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use crate::prescribing::Product;
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
