//! A dosage in plain words, and read back from them.

use super::{AsNeeded, Dosage, DoseUnit, Food, Often, Portion, Step};
use crate::prescribing::Product;
use crate::prescribing::strength::{Amount, amounts, plain, weighed};

/// The verb and the way, by form and route.
fn verb(product: &Product) -> (&'static str, &'static str) {
    match product.route.as_str() {
        "inhaled" => ("Inhale", ""),
        "skin" if product.form == "shampoo" => ("Wash", " into the scalp"),
        "skin" => ("Apply", " to the skin"),
        "skin patch" => ("Stick", " on the skin"),
        "eye" => ("Put", " into the eye"),
        "ear" => ("Put", " into the ear"),
        "nose" => ("Spray", " into the nose"),
        "vaginal" => ("Put", " into the vagina"),
        "rectal" => ("Put", " into the rectum"),
        "subcutaneous" => ("Inject", " under the skin"),
        "intramuscular" => ("Inject", " into a muscle"),
        "intravenous" => ("Inject", " into a vein"),
        "under the tongue" => ("Dissolve", " under the tongue"),
        "mouth" => ("Rinse with", " in the mouth"),
        _ => ("Take", " by mouth"),
    }
}

impl Dosage {
    /// `Take 8 mL (400 mg) by mouth twice a day with food for 10 days.`
    pub fn in_words(&self, product: &Product) -> String {
        let (verb, way) = verb(product);
        let unit = DoseUnit::of(&product.form, &product.strength);
        let steps: Vec<String> = self
            .steps
            .iter()
            .enumerate()
            .map(|(n, step)| {
                let way = if n == 0 { way } else { "" };
                let food = self.food.filter(|_| n == 0).map(|f| format!(" {}", f.label())).unwrap_or_default();
                let needed = self.as_needed.as_ref().filter(|_| n == 0).map(|needed| in_words(needed, unit));
                let days = if step.days == 1 { "1 day".to_owned() } else { format!("{} days", step.days) };
                format!(
                    "{}{way} {}{food}{} for {days}",
                    amount(step, unit, product),
                    step.often.in_words(),
                    needed.unwrap_or_default(),
                )
            })
            .collect();
        format!("{verb} {}.", steps.join(", then "))
    }

    /// Reads what [`Dosage::in_words`] writes. Any other text gives nothing.
    pub fn read(text: &str) -> Option<Dosage> {
        let text = text.strip_suffix('.')?;
        let verbs = ["Inhale", "Wash", "Apply", "Stick", "Put", "Spray", "Inject", "Dissolve", "Rinse with", "Take"];
        let text = verbs.iter().find_map(|v| text.strip_prefix(v))?.strip_prefix(' ')?;
        let mut dosage = Dosage { steps: vec![], as_needed: None, food: None };
        for part in text.split(", then ") {
            dosage.steps.push(read_step(part, &mut dosage.as_needed, &mut dosage.food)?);
        }
        Some(dosage)
    }
}

fn amount(step: &Step, unit: DoseUnit, product: &Product) -> String {
    let most = step.up_to.unwrap_or(step.amount);
    let number = match step.up_to {
        Some(most) => format!("{} to {most}", step.amount),
        None => step.amount.to_string(),
    };
    // Of a liquid the milligrams stand beside: whoever measures sees a slip.
    let weight = match amounts(&product.strength).as_deref() {
        Some([Amount::Milligrams(mg)]) if unit == DoseUnit::Millilitre => {
            let of = |p: Portion| weighed(p.number() * mg);
            match step.up_to {
                Some(most) => format!(" ({} to {})", of(step.amount), of(most)),
                None => format!(" ({})", of(step.amount)),
            }
        }
        Some([Amount::Units(one)]) => format!(" ({} units)", plain(most.number() * one)),
        _ => String::new(),
    };
    format!("{number} {}{weight}", unit.of_many(most))
}

fn in_words(needed: &AsNeeded, unit: DoseUnit) -> String {
    let what = if needed.reason.is_empty() { String::new() } else { format!(" for {}", needed.reason) };
    let most = needed.most_per_day.map(|most| format!(", no more than {most} {} a day,", unit.of_many(most)));
    format!(" if needed{what}{}", most.unwrap_or_default())
}

/// One step: `8 mL (400 mg) by mouth twice a day with food if needed for pain, no more than 4 mL a day, for 10 days`.
fn read_step(text: &str, as_needed: &mut Option<AsNeeded>, food: &mut Option<Food>) -> Option<Step> {
    let (rest, days) = text.rsplit_once(" for ")?;
    let days = days.strip_suffix(" days").or(days.strip_suffix(" day"))?.parse().ok()?;
    let (rest, needed) = match rest.split_once(" if needed") {
        Some((rest, needed)) => (rest, Some(needed)),
        None => (rest, None),
    };
    if let Some(needed) = needed {
        let (what, most) = match needed.rsplit_once(", no more than ") {
            Some((what, most)) => (what, Some(Portion::read_start(most)?.0)),
            None => (needed, None),
        };
        let reason = what.strip_prefix(" for ").unwrap_or(what).trim().to_owned();
        *as_needed = Some(AsNeeded { reason, most_per_day: most });
    }
    let mut rest = rest;
    for one in Food::ALL {
        if let Some(before) = rest.strip_suffix(one.label()) {
            (*food, rest) = (Some(*one), before.trim_end());
            break;
        }
    }
    let (amount, rest) = Portion::read_start(rest)?;
    let (up_to, rest) = match rest.strip_prefix(" to ") {
        Some(more) => Portion::read_start(more).map(|(most, rest)| (Some(most), rest))?,
        None => (None, rest),
    };
    // The unit, the milligrams and the way stand between the amount and how often; they belong to the product.
    let words: Vec<&str> = rest.split_whitespace().collect();
    let often = (0..words.len()).find_map(|from| Often::read(&words[from..].join(" ")))?;
    Some(Step { amount, up_to, often, days })
}
