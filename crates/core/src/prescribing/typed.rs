//! A prescription as it is typed, and as it stands in the fields when it is taken up again.
//!
//! [`Typed::read`] gives what is meant or the field at fault with a sentence; what [`Typed::of`] writes is read back to the
//! same.

use super::controlled::refills_allowed;
use super::dosage::{
    AsNeeded, DosageFault, Food, MOST_DAYS, MOST_QUANTITY, MOST_REFILLS, Step, amount_by_weight, amount_typed,
};
use super::ingredients::Schedule;
use super::{Dosage, Often, Portion, Product};
use crate::fields;
use crate::fields::typed_date::{Sense, days_of_unit, parse};
use chrono::NaiveDate;

/// A later step: a taper, or a slow beginning.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct TypedStep {
    pub dose: String,
    pub often: String,
    pub days: String,
}

/// What stands in the fields.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Typed {
    /// `1`, `1/2`, `8 mL`, `250 mg`, `1-2`; for a child `15 mg/kg`, `50 mg/kg/day`.
    pub dose: String,
    /// `tid`, `every 8 hours`, `morning and bedtime`.
    pub often: String,
    /// Empty where the quantity says how long.
    pub days: String,
    /// Empty where it follows from dose and days.
    pub quantity: String,
    pub then: Vec<TypedStep>,
    pub as_needed: bool,
    pub needed_for: String,
    pub most_per_day: String,
    /// A code of [`Food`], or empty.
    pub food: String,
    /// Empty is none.
    pub refills: String,
}

/// What was meant.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Meant {
    pub dosage: Dosage,
    /// Whole units of the form, at least one.
    pub quantity: u32,
    pub refills: u32,
}

/// For what it is read.
#[derive(Debug, Clone, Copy)]
pub struct ReadFor<'p> {
    pub product: &'p Product,
    /// Of a controlled substance.
    pub schedule: Option<Schedule>,
    /// The latest weight in kilograms, where one is known.
    pub kg: Option<f64>,
    /// From when the days are counted, where they are said as `until fri`.
    pub today: NaiveDate,
}

fn whole(field: &'static str, typed: &str, most: u32) -> Result<u32, DosageFault> {
    let read = typed.trim().parse::<u32>().ok().filter(|n| *n <= most);
    read.ok_or_else(|| (field, format!("Type a whole number up to {most}.")))
}

/// `7`, `10d`, `2 weeks`, `3 mo` (of thirty days, as packs are), or `until 12/24`, that day included.
fn days(typed: &str, today: NaiveDate) -> Result<u32, DosageFault> {
    let text = typed.trim().to_lowercase();
    if let Some(last) = text.strip_prefix("until ") {
        let day = parse(last, today, Sense::Any).map_err(|bad| ("days", bad.to_string()))?;
        let days = u32::try_from((day - today).num_days() + 1).ok().filter(|n| (1..=MOST_DAYS).contains(n));
        return days.ok_or_else(|| ("days", format!("{} is not within the next {MOST_DAYS} days.", last.trim())));
    }
    let (number, unit) = text.split_at(text.find(|c: char| !c.is_ascii_digit()).unwrap_or(text.len()));
    let each = if unit.trim().is_empty() { Some(1) } else { days_of_unit(unit.trim()) };
    let read = number.parse::<u32>().ok().zip(each).and_then(|(n, each)| n.checked_mul(each));
    let sentence = || ("days", format!("Say for how long: days up to {MOST_DAYS}, 2 weeks, or until 12/24."));
    read.filter(|n| *n <= MOST_DAYS).ok_or_else(sentence)
}

fn often(typed: &str) -> Result<Often, DosageFault> {
    let sentence = "Say how often: 3, tid, every 8 hours, morning and bedtime, once a week.";
    Often::read(typed).ok_or_else(|| ("often", sentence.to_owned()))
}

impl ReadFor<'_> {
    /// `1`, `1/2`, `1-2`, `1 to 2`, `15 mg/kg`.
    fn amounts(&self, typed: &str, often: &Often) -> Result<(Portion, Option<Portion>), DosageFault> {
        let one = |text: &str| match amount_by_weight(text, often, self.kg, self.product) {
            Some(read) => read,
            None => amount_typed(text, self.product),
        };
        let one = |text: &str| one(text).map_err(|sentence| ("dose", sentence));
        let range =
            typed.split_once(" to ").or_else(|| typed.split_once('-').filter(|(low, _)| !low.trim().is_empty()));
        match range {
            Some((low, high)) => Ok((one(low)?, Some(one(high)?))),
            None => Ok((one(typed)?, None)),
        }
    }

    fn step(&self, dose: &str, how_often: Often, days: u32) -> Result<Step, DosageFault> {
        let (amount, up_to) = self.amounts(dose, &how_often)?;
        Ok(Step { amount, up_to, often: how_often, days })
    }
}

impl Typed {
    /// What is meant; the first fault with its field.
    pub fn read(&self, of: ReadFor<'_>) -> Result<Meant, DosageFault> {
        let how_often = often(&self.often)?;
        let steps = self.steps(&of, how_often)?;
        let food = match self.food.as_str() {
            "" => None,
            code => Some(Food::from_code(code).ok_or_else(|| ("food", "Choose one of the list.".to_owned()))?),
        };
        let as_needed = self.as_needed.then(|| self.needed()).transpose()?;
        let dosage = Dosage { steps, as_needed, food }.checked()?;
        let (dosage, quantity) = self.dispensed(dosage)?;
        let refills = if self.refills.trim().is_empty() { 0 } else { whole("refills", &self.refills, MOST_REFILLS)? };
        if let Some(schedule) = of.schedule {
            refills_allowed(schedule, refills, dosage.days())?;
        }
        Ok(Meant { dosage, quantity, refills })
    }

    fn steps(&self, of: &ReadFor<'_>, how_often: Often) -> Result<Vec<Step>, DosageFault> {
        let by_quantity = !self.quantity.trim().is_empty() && self.then.is_empty();
        let first = match self.days.trim() {
            "" if how_often == Often::Once || by_quantity => 1,
            "" => return Err(("days", "Say for how many days, or how many to dispense.".into())),
            typed => days(typed, of.today)?,
        };
        let mut steps = vec![of.step(&self.dose, how_often, first)?];
        for later in &self.then {
            steps.push(of.step(&later.dose, often(&later.often)?, days(&later.days, of.today)?)?);
        }
        Ok(steps)
    }

    /// The quantity, and the dosage as long as it lasts where the days are not said.
    fn dispensed(&self, dosage: Dosage) -> Result<(Dosage, u32), DosageFault> {
        if self.quantity.trim().is_empty() {
            return match dosage.quantity() {
                0 => Err(("quantity", "Dispense at least one.".into())),
                quantity => Ok((dosage, quantity)),
            };
        }
        let quantity = whole("quantity", &self.quantity, MOST_QUANTITY)?;
        if quantity == 0 {
            return Err(("quantity", "Dispense at least one.".into()));
        }
        if !self.days.trim().is_empty() {
            return Ok((dosage, quantity));
        }
        let lasting = dosage.lasting(quantity).ok_or_else(|| ("quantity", "This is less than one dose.".to_owned()))?;
        Ok((lasting, quantity))
    }

    fn needed(&self) -> Result<AsNeeded, DosageFault> {
        let reason = fields::line("What it is needed for", &self.needed_for, 60)
            .map_err(|sentence| ("neededFor", sentence))?
            // A comma ends the reason in the written words.
            .replace(',', " and");
        let most_per_day = match self.most_per_day.trim() {
            "" => None,
            typed => {
                let read = Portion::read_start(&typed.to_lowercase()).map(|(p, _)| p).filter(|p| *p > Portion::NONE);
                Some(read.ok_or_else(|| ("mostPerDay", "Say how many a day at most.".to_owned()))?)
            }
        };
        Ok(AsNeeded { reason, most_per_day })
    }

    /// The fields of what was prescribed, to be changed and read again.
    pub fn of(meant: &Meant) -> Typed {
        let dose = |s: &Step| s.up_to.map_or_else(|| s.amount.to_string(), |most| format!("{} to {most}", s.amount));
        let mut steps = meant.dosage.steps.iter().map(|s| TypedStep {
            dose: dose(s),
            often: s.often.in_words(),
            days: s.days.to_string(),
        });
        let first = steps.next().unwrap_or_default();
        let needed = meant.dosage.as_needed.clone();
        Typed {
            dose: first.dose,
            often: first.often,
            days: first.days,
            // Said only where it is not what follows from the dose.
            quantity: if meant.quantity == meant.dosage.quantity() {
                String::new()
            } else {
                meant.quantity.to_string()
            },
            then: steps.collect(),
            as_needed: needed.is_some(),
            most_per_day: needed.as_ref().and_then(|n| n.most_per_day).map(|p| p.to_string()).unwrap_or_default(),
            needed_for: needed.map(|n| n.reason).unwrap_or_default(),
            food: meant.dosage.food.map(|f| f.code().to_owned()).unwrap_or_default(),
            refills: meant.refills.to_string(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::dosage::tests::{any_dosage, product};
    use super::*;
    use proptest::prelude::*;

    fn read(product: &Product, kg: Option<f64>, typed: &Typed) -> Result<Meant, DosageFault> {
        typed.read(ReadFor { product, schedule: None, kg, today: today() })
    }

    fn today() -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 12, 1).unwrap()
    }

    fn typed(dose: &str, often: &str, days: &str, quantity: &str) -> Typed {
        let owned = str::to_owned;
        Typed {
            dose: owned(dose),
            often: owned(often),
            days: owned(days),
            quantity: owned(quantity),
            ..Typed::default()
        }
    }

    #[test]
    fn days_say_the_quantity_and_the_quantity_the_days() {
        let tablet = product("tablet", "500 mg");
        let by = |days, quantity| read(&tablet, None, &typed("2", "tid", days, quantity));
        let both = |r: Result<Meant, DosageFault>| r.map(|m| (m.dosage.days(), m.quantity));
        assert_eq!(both(by("7", "")), Ok((7, 42)));
        assert_eq!(both(by("", "42")), Ok((7, 42)));
        assert_eq!(both(by("7", "50")), Ok((7, 50)), "a whole pack: both as they were said");
        assert_eq!(by("", "").unwrap_err().0, "days");
        assert_eq!(by("", "1").unwrap_err(), ("quantity", "This is less than one dose.".into()));
        assert_eq!(by("7", "0").unwrap_err().0, "quantity");
    }

    #[test]
    fn how_long_is_said_in_days_weeks_months_or_until_a_day() {
        let tablet = product("tablet", "500 mg");
        let lasts = |days: &str| read(&tablet, None, &typed("1", "daily", days, "")).map(|m| m.dosage.days());
        for (said, days) in
            [("7", 7), ("10d", 10), ("2 weeks", 14), ("1w", 7), ("3 mo", 90), ("until 12/24", 24), ("until today", 1)]
        {
            assert_eq!(lasts(said), Ok(days), "{said}");
        }
        for wrong in ["until 11/30", "until the moon is full", "60 weeks", "5 years", "-7", "until 12/24/2028"] {
            assert_eq!(lasts(wrong).unwrap_err().0, "days", "{wrong}");
        }
    }

    #[test]
    fn bad_amounts_name_their_field() {
        let tablet = product("tablet", "500 mg");
        for (dose, days, field) in [
            ("0", "7", "dose"),
            ("-1", "7", "dose"),
            ("1e9", "7", "dose"),
            ("2-1", "7", "dose"),
            ("much", "7", "dose"),
            ("1", "0", "days"),
            ("1", "366", "days"),
            ("1", "a week", "days"),
            ("1000", "365", "days"),
        ] {
            assert_eq!(read(&tablet, None, &typed(dose, "tid", days, "")).unwrap_err().0, field, "{dose} for {days}");
        }
        for (dose, amount) in [("half", 500), ("1/2", 500), ("0.33", 330), ("250 mg", 500)] {
            let meant = read(&tablet, None, &typed(dose, "tid", "7", "")).unwrap();
            assert_eq!(meant.dosage.steps[0].amount.thousandths(), amount, "{dose}");
        }
    }

    #[test]
    fn a_childs_dose_is_said_by_weight_and_comes_as_it_can_be_measured_out() {
        let syrup = product("suspension", "250 mg/5 mL");
        let by = |dose, kg| read(&syrup, kg, &typed(dose, "tid", "7", ""));
        let amount = |dose, kg| by(dose, Some(kg)).unwrap().dosage.steps[0].amount.to_string();
        // 45 mg/kg a day at 18 kg are 270 mg three times: 5.4 mL, measured as 5.5.
        assert_eq!(amount("45 mg/kg/day", 18.0), "5.5");
        assert_eq!(amount("15 mg/kg", 18.0), "5.5");
        assert_eq!(amount("15mg/kg/dose", 18.0), "5.5");
        let unknown = by("15 mg/kg", None).unwrap_err();
        assert_eq!(unknown, ("dose", "The weight is not known: weigh first, or say how much.".into()));
        // Half a millilitre is the least that is measured: what comes to much less than half of that is refused.
        assert_eq!(by("0.1 mg/kg", Some(3.0)).unwrap_err().0, "dose");
        assert_eq!(by("15 kg", Some(18.0)).unwrap_err().0, "dose");
    }

    proptest! {
        #[test]
        fn what_is_taken_up_again_is_read_to_the_same(dosage in any_dosage(), more in 0u32..5, refills in 0u32..=12) {
            prop_assume!(dosage.quantity() > 0 && dosage.quantity() < 9_000 && dosage.clone().checked().is_ok());
            let meant = Meant { quantity: dosage.quantity() + more, dosage, refills };
            let tablet = product("tablet", "500 mg");
            prop_assert_eq!(read(&tablet, None, &Typed::of(&meant)), Ok(meant));
        }
    }
}
