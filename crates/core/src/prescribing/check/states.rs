//! Problems, pregnancy, breastfeeding and age.

use super::{Prescribed, Told, because, narrowest};
use crate::people::Sex;
use crate::prescribing::Severity;
use crate::prescribing::findings::{Finding, FindingKind, Patient, starts};
use crate::prescribing::ingredients::Ingredient;
use crate::prescribing::rules::{Medicine, ProblemHarm, Rules};

/// The years in which a pregnancy is asked about where nobody has said.
const MAY_BE_PREGNANT: std::ops::RangeInclusive<u32> = 12..=50;

pub(super) fn check(rules: &Rules, item: &Prescribed, patient: &Patient, told: &mut Told) {
    for finding in harms(rules, &item.medicine, &patient.problems) {
        told.add(finding);
    }
    for part in &item.medicine.parts {
        children(rules, part.ingredient, patient, told);
        age(rules, part.ingredient, patient, told);
    }
}

/// The gravest harm of each ingredient with each problem.
pub(in crate::prescribing) fn harms(rules: &Rules, medicine: &Medicine, problems: &[String]) -> Vec<Finding> {
    let mut out = Vec::new();
    for part in &medicine.parts {
        let of_part: Vec<&ProblemHarm> = rules.harms.iter().filter(|h| h.medicine.means(part.ingredient)).collect();
        for (n, code) in problems.iter().enumerate() {
            // Listed, and a diagnosis of the visit as well.
            if problems[..n].contains(code) {
                continue;
            }
            let met = of_part.iter().filter(|h| starts(code, &h.diagnosis));
            if let Some(harm) = met.max_by_key(|h| (h.severity, h.diagnosis.len(), h.medicine.narrowness())) {
                out.push(Finding {
                    severity: harm.severity,
                    kind: FindingKind::Problem,
                    sentence: format!("{} with {code}: {}", medicine.label, because(&harm.reason, &harm.instead)),
                    about: format!("{}+{code}", part.ingredient.name),
                });
            }
        }
    }
    out
}

/// The unborn, and the child at the breast.
fn children(rules: &Rules, ingredient: &Ingredient, patient: &Patient, told: &mut Told) {
    if patient.sex == Sex::Male {
        return;
    }
    let name = &ingredient.name;
    let rule = narrowest(&rules.pregnancy, |r| &r.medicine, ingredient);
    let (pregnant, feeding) = (patient.is_pregnant(), patient.breastfeeding == Some(true));
    let Some(rule) = rule else {
        if pregnant == Some(true) || feeding {
            let sentence = format!("What {name} does in pregnancy or while breastfeeding is in no table; not checked.");
            told.missing(Severity::Caution, &format!("pregnancy {name}"), sentence);
        }
        return;
    };
    match (pregnant, rule.pregnancy) {
        (Some(true), Some(severity)) => {
            let sentence = format!("{name} in pregnancy: {}.", rule.pregnancy_reason);
            told.tell(severity, FindingKind::Pregnancy, format!("{name}+pregnancy"), sentence);
        }
        (None, Some(Severity::Serious)) if patient.years().is_none_or(|y| MAY_BE_PREGNANT.contains(&y)) => {
            let sentence = format!("Whether she is pregnant is not known; {name}: {}.", rule.pregnancy_reason);
            told.missing(Severity::Caution, "pregnancy", sentence);
        }
        _ => {}
    }
    if feeding && let Some(severity) = rule.breastfeeding {
        let sentence = format!("{name} while breastfeeding: {}.", rule.breastfeeding_reason);
        told.tell(severity, FindingKind::Breastfeeding, format!("{name}+breastfeeding"), sentence);
    }
}

fn age(rules: &Rules, ingredient: &Ingredient, patient: &Patient, told: &mut Told) {
    let of_it = rules.ages.iter().filter(|r| r.medicine.means(ingredient));
    let Some(days) = patient.age_days else {
        if of_it.count() > 0 {
            told.missing(Severity::Caution, "age", "The age is not known; limits of age were not checked.".to_owned());
        }
        return;
    };
    let Some(rule) = of_it.filter(|r| r.ages.hold(days)).max_by_key(|r| (r.severity, r.medicine.narrowness())) else {
        return;
    };
    let limit = match (rule.ages.from, rule.ages.until) {
        (_, Some(until)) => format!("below {}", until.in_words()),
        (Some(from), None) => format!("from {} on", from.in_words()),
        (None, None) => "at any age".to_owned(),
    };
    let name = &ingredient.name;
    let sentence = format!("{name} {limit}: {}", because(&rule.reason, &rule.instead));
    told.tell(rule.severity, FindingKind::Age, format!("{name}+age"), sentence);
}
