//! Kidneys by the latest creatinine, and liver by the problems.

use super::amounts::daily;
use super::{Prescribed, Told, narrowest};
use crate::people::Sex;
use crate::prescribing::Severity;
use crate::prescribing::findings::{FindingKind, Patient};
use crate::prescribing::ingredients::Ingredient;
use crate::prescribing::kidney::{self, KidneyMeasure};
use crate::prescribing::rules::{KidneyRule, Rules};
use crate::prescribing::strength::{Amount, plain, weighed};

/// A creatinine older than this is not today's kidneys.
const CREATININE_LASTS_DAYS: u32 = 365;
const ADULT_YEARS: u32 = 18;
/// From this age on, and with these problems, kidneys are likelier to be weak than not to have been looked at.
const LIKELY_WEAK_YEARS: u32 = 60;
const LIKELY_WEAK: [&str; 8] = ["N17", "N18", "N19", "I50", "I12", "I13", "E10", "E11"];
/// Diseases of the liver in which it fails at its work; fat alone is none.
const LIVER: [&str; 14] =
    ["K70.1", "K70.2", "K70.3", "K70.4", "K70.9", "K71", "K72", "K73", "K74", "K75.4", "K76.6", "K76.7", "B18", "B19"];

/// How well the kidneys filter, or which fact is missing to say so.
pub fn kidneys(patient: &Patient, measure: KidneyMeasure) -> Result<(f64, KidneyMeasure), &'static str> {
    let creatinine = patient.creatinine.ok_or("creatinine was never measured")?.value;
    let age = patient.years().ok_or("the age is not known")?;
    if age < ADULT_YEARS {
        let height = patient.height.ok_or("the height is not known")?;
        return kidney::schwartz(creatinine, height)
            .map(|v| (v, KidneyMeasure::Schwartz))
            .ok_or("creatinine cannot be right");
    }
    if patient.sex == Sex::Unknown {
        return Err("the sex is not known");
    }
    let value = match measure {
        KidneyMeasure::Cockcroft => {
            let weight = patient.weight.ok_or("the weight is not known")?.value;
            kidney::cockcroft_gault(creatinine, age, patient.sex, weight)
        }
        KidneyMeasure::CkdEpi | KidneyMeasure::Schwartz => kidney::ckd_epi(creatinine, age, patient.sex),
    };
    value.map(|v| (v, measure)).ok_or("creatinine cannot be right")
}

pub(super) fn check(rules: &Rules, item: &Prescribed, patient: &Patient, told: &mut Told) {
    for part in &item.medicine.parts {
        let ingredient = part.ingredient;
        let amount = daily(&item.medicine, part.amount);
        let of_it: Vec<&KidneyRule> = rules.kidney.iter().filter(|r| r.medicine.means(ingredient)).collect();
        let narrow = of_it.iter().map(|r| r.medicine.narrowness()).max();
        let of_it: Vec<&KidneyRule> = of_it.into_iter().filter(|r| Some(r.medicine.narrowness()) == narrow).collect();
        if !of_it.is_empty() {
            kidney(&of_it, ingredient, amount, patient, told);
        }
        if patient.has(&LIVER)
            && let Some(rule) = narrowest(&rules.liver, |r| &r.medicine, ingredient)
        {
            let fits = rule.most_mg.zip(amount).is_some_and(|(most, a)| a.number() <= most);
            if !fits {
                let sentence = format!("{} with a liver that is ill: {}.", ingredient.name, rule.reason);
                told.tell(rule.severity, FindingKind::Liver, format!("{}+liver", ingredient.name), sentence);
            }
        }
    }
}

fn kidney(of_it: &[&KidneyRule], ingredient: &Ingredient, daily: Option<Amount>, patient: &Patient, told: &mut Told) {
    let name = &ingredient.name;
    let likely = patient.years().is_none_or(|y| y >= LIKELY_WEAK_YEARS) || patient.has(&LIKELY_WEAK);
    let unknown = |told: &mut Told, why: &str| {
        let severity = if likely { Severity::Caution } else { Severity::Note };
        let sentence = format!("{name} depends on the kidneys, but {why}; not checked.");
        told.missing(severity, &format!("kidneys {name}"), sentence);
    };
    let measured = match kidneys(patient, of_it[0].measure) {
        Ok((value, measure)) => (value, measure),
        Err(why) => return unknown(told, why),
    };
    let days_old = patient.creatinine.map_or(0, |c| c.days_old);
    if days_old > CREATININE_LASTS_DAYS {
        let sentence = format!("{name} depends on the kidneys; the latest creatinine is {days_old} days old.");
        told.missing(Severity::Note, &format!("kidneys {name}"), sentence);
    }
    let (value, measure) = measured;
    let Some(rule) = of_it.iter().filter(|r| value < r.below).min_by(|a, b| a.below.total_cmp(&b.below)) else {
        return;
    };
    // What is left to an adult says nothing about a child: only that it is less.
    let is_child = measure == KidneyMeasure::Schwartz;
    let what = match rule.most_mg {
        Some(most) if !is_child => match daily {
            Some(Amount::Milligrams(mg)) if mg <= most * 1.001 => return,
            _ => format!("no more than {} a day", weighed(most)),
        },
        Some(_) => "less than the usual dose; ask a specialist".to_owned(),
        None if rule.severity == Severity::Serious => "avoid it".to_owned(),
        None => "avoid it where another will do".to_owned(),
    };
    let sentence = format!(
        "{name} with {} of {} {} ({} days ago), below {}: {}; {what}.",
        measure.label(),
        plain(value.round()),
        measure.unit(),
        days_old,
        plain(rule.below),
        rule.reason,
    );
    told.tell(rule.severity, FindingKind::Kidney, format!("{name}+kidneys"), sentence);
}
