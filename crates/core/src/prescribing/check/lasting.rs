//! How long a course is, and whether it is due.

use super::{Prescribed, Told, narrowest};
use crate::prescribing::Severity;
use crate::prescribing::findings::{FindingKind, Patient};
use crate::prescribing::ingredients::Schedule;
use crate::prescribing::rules::Rules;

/// Share of what was dispensed that may be left when the next is due.
const MAY_BE_LEFT: f64 = 0.25;
const MAY_BE_LEFT_CONTROLLED: f64 = 0.15;
/// Days that never count: nobody comes on the very day.
const FEW_DAYS: u32 = 3;

pub(super) fn check(rules: &Rules, item: &Prescribed, patient: &Patient, told: &mut Told) {
    for part in &item.medicine.parts {
        let name = &part.ingredient.name;
        if let Some(days) = item.days
            && let Some(rule) = narrowest(&rules.durations, |r| &r.medicine, part.ingredient)
        {
            let about = format!("{name}+days");
            if let Some(most) = rule.most.filter(|most| days > *most) {
                let sentence = format!("{name} for {days} days, more than {most}: {}.", rule.reason);
                told.tell(rule.severity, FindingKind::Duration, about, sentence);
            } else if let Some(least) = rule.least.filter(|least| days < *least) {
                let sentence = format!("{name} for {days} days is shorter than the usual {least}; say why.");
                told.tell(Severity::Caution, FindingKind::Duration, about, sentence);
            }
        }
    }
    let Some(last) = patient.dispensed else { return };
    let left = last.for_days.saturating_sub(last.days_ago);
    let controlled = item.medicine.parts.iter().any(|p| p.ingredient.schedule.is_some_and(|s| s <= Schedule::Four));
    let share = if controlled { MAY_BE_LEFT_CONTROLLED } else { MAY_BE_LEFT };
    if left > FEW_DAYS && f64::from(left) > f64::from(last.for_days) * share {
        let severity = if controlled { Severity::Serious } else { Severity::Caution };
        let sentence = format!(
            "Dispensed {} days ago for {} days: {left} days are left. Ask what became of it.",
            last.days_ago, last.for_days
        );
        told.tell(severity, FindingKind::TooEarly, format!("{}+early", item.medicine.label), sentence);
    }
}
