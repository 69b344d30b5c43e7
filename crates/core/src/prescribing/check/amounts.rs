//! Dose: how much at a time and a day, how often, in adults and by weight in children, too high and too low.

use super::{Prescribed, Told};
use crate::prescribing::Severity;
use crate::prescribing::findings::{FindingKind, Patient};
use crate::prescribing::ingredients::{Ingredient, Way};
use crate::prescribing::rules::{DoseRule, Medicine, Rules};
use crate::prescribing::strength::{Amount, plain, weighed};

/// Above a limit by no more than this a dose was rounded to what can be measured out.
const ROUNDED: f64 = 1.1;
/// Below this share of the least usual dose it does not work.
const TOO_LITTLE: f64 = 0.8;
/// Local forms go by how often, not by weight.
const MOST_LOCAL_A_DAY: f64 = 12.0;

/// How much of a part is taken a day.
pub(super) fn daily(medicine: &Medicine, amount: Option<Amount>) -> Option<Amount> {
    Some(amount?.times(medicine.dose? * medicine.per_day?))
}

pub(super) fn check(rules: &Rules, item: &Prescribed, patient: &Patient, told: &mut Told) {
    let medicine = &item.medicine;
    let (Some(dose), Some(per_day)) = (medicine.dose, medicine.per_day) else {
        let sentence = "How much and how often was not said; the dose was not checked.";
        told.missing(Severity::Caution, "dose", sentence.to_owned());
        return;
    };
    for part in &medicine.parts {
        let ingredient = part.ingredient;
        let name = &ingredient.name;
        if !matches!(ingredient.way, Way::Body | Way::Inhaled | Way::Mouth) {
            if per_day > MOST_LOCAL_A_DAY {
                told.tell(
                    Severity::Caution,
                    FindingKind::DoseHigh,
                    format!("{name}+often"),
                    format!("{name} {} times a day is more often than usual.", plain(per_day)),
                );
            }
            continue;
        }
        let Some(amount) = part.amount else {
            let sentence = format!("How much {name} one unit holds is not known; its dose was not checked.");
            told.missing(Severity::Caution, &format!("dose {name}"), sentence);
            continue;
        };
        match rule_for(rules, ingredient, patient) {
            Ok(rule) => within(rule, ingredient, amount.times(dose), per_day, patient, told),
            Err(why) => {
                let sentence = format!("{why} {name}; its dose was not checked.");
                told.missing(Severity::Caution, &format!("dose {name}"), sentence);
            }
        }
    }
}

fn rule_for<'r>(rules: &'r Rules, ingredient: &Ingredient, patient: &Patient) -> Result<&'r DoseRule, &'static str> {
    let of_it: Vec<&DoseRule> = rules.doses.iter().filter(|r| r.medicine.means(ingredient)).collect();
    if of_it.is_empty() {
        return Err("No usual dose is in the tables for");
    }
    let days = patient.age_days.ok_or("The age is not known, on which depends the dose of")?;
    of_it.into_iter().find(|r| r.ages.hold(days)).ok_or("No dose for this age is in the tables for")
}

fn within(rule: &DoseRule, ingredient: &Ingredient, single: Amount, per_day: f64, patient: &Patient, told: &mut Told) {
    let name = &ingredient.name;
    let Some(single) = rule.by.number(single) else {
        let sentence = format!("The tables count {name} in another unit; its dose was not checked.");
        return told.missing(Severity::Caution, &format!("dose {name}"), sentence);
    };
    let daily = single * per_day;
    let (mut low, mut high, mut once) = (rule.low, rule.high, rule.single);
    let mut by_weight = String::new();
    if rule.by.goes_by_weight() {
        let Some(weight) = patient.weight else {
            let sentence = format!("{name} goes by weight, and the weight is not known; its dose was not checked.");
            return told.missing(Severity::Caution, "weight", sentence);
        };
        let kg = weight.value;
        if !is_likely_weight(kg, patient.age_days) {
            let sentence =
                format!("A weight of {} kg cannot be right at this age; the dose was not checked.", plain(kg));
            return told.missing(Severity::Caution, "weight", sentence);
        }
        if patient.age_days.is_some_and(|age| weight.days_old > weight_lasts(age)) {
            let sentence = format!("The weight is {} days old; weigh again for the dose.", weight.days_old);
            told.missing(Severity::Caution, "weight", sentence);
        }
        (low, high, once) = (low * kg, high * kg, once * kg);
        if let Some(most) = rule.most {
            (low, high, once) = (low.min(most * TOO_LITTLE), high.min(most), once.min(most));
        }
        by_weight = format!(" ({} {} at {} kg)", plain(daily / kg), rule.by.label(), plain(kg));
    }
    let amount = |n: f64| if rule.by.code().starts_with("mg") { weighed(n) } else { format!("{} units", plain(n)) };
    let grave = |is: f64, most: f64| if is > most * ROUNDED { Severity::Serious } else { Severity::Caution };
    let over = |is: f64, most: f64| is > most * 1.001;
    if over(daily, high) {
        let sentence =
            format!("{name}: {} a day{by_weight} is above the usual most of {}.", amount(daily), amount(high));
        told.tell(grave(daily, high), FindingKind::DoseHigh, format!("{name}+daily"), sentence);
    } else if daily < low * TOO_LITTLE {
        let sentence =
            format!("{name}: {} a day{by_weight} is below the usual least of {}.", amount(daily), amount(low));
        told.tell(Severity::Caution, FindingKind::DoseLow, format!("{name}+daily"), sentence);
    }
    if over(single, once) {
        let sentence = format!("{name}: {} at a time is above the usual most of {}.", amount(single), amount(once));
        told.tell(grave(single, once), FindingKind::DoseHigh, format!("{name}+single"), sentence);
    }
    if over(per_day, rule.times) {
        let (severity, usual) = if rule.times < 1.0 {
            (Severity::Serious, "it is given once a week".to_owned())
        } else {
            (Severity::Caution, format!("{} times at most is usual", plain(rule.times)))
        };
        let sentence = format!("{name} {} times a day is too often: {usual}.", plain(per_day));
        told.tell(severity, FindingKind::DoseHigh, format!("{name}+often"), sentence);
    }
}

/// How long a weight holds for a dose: a child grows.
fn weight_lasts(age_days: u32) -> u32 {
    match age_days {
        0..90 => 7,
        90..730 => 60,
        730..6575 => 183,
        _ => 730,
    }
}

/// Whether a weight can be meant at an age: grams typed as kilograms cannot.
fn is_likely_weight(kg: f64, age_days: Option<u32>) -> bool {
    let years = age_days.map_or(18.0, |d| f64::from(d) / 365.25);
    let most = if years < 1.0 {
        18.0
    } else if years < 12.0 {
        25.0 + years * 12.0
    } else {
        400.0
    };
    kg > 0.3 && kg <= most
}
