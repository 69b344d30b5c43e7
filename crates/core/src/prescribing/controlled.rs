//! Controlled substances: what the schedule of an ingredient asks of a prescription (21 CFR 1306 and 1311).

use super::ingredients::Schedule;

/// Refills in schedules III and IV, within so many days (21 CFR 1306.22).
const MOST_REFILLS: u32 = 5;
const WITHIN_DAYS: u32 = 183;

/// How a prescription of a controlled substance is signed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Signing<'a> {
    /// The prescriber's DEA number, where there is one.
    pub dea: Option<&'a str>,
    /// Signed with the second factor just now.
    pub second_factor: bool,
    pub on_paper: bool,
}

/// Whether refills and days are within the law, for the schedule: a fault names its field.
pub fn refills_allowed(schedule: Schedule, refills: u32, days: u32) -> Result<(), (&'static str, String)> {
    match schedule {
        Schedule::Two if refills > 0 => {
            Err(("refills", "A controlled substance of schedule II has no refills; write a new one.".to_owned()))
        }
        Schedule::Three | Schedule::Four if refills > MOST_REFILLS => Err((
            "refills",
            format!("A controlled substance of {} has {MOST_REFILLS} refills at most.", schedule.label()),
        )),
        Schedule::Three | Schedule::Four if days.saturating_mul(refills + 1) > WITHIN_DAYS => Err((
            "days",
            format!("A controlled substance of {}, with its refills, is for six months at most.", schedule.label()),
        )),
        _ => Ok(()),
    }
}

/// Whether it may be signed this way.
pub fn may_sign(schedule: Schedule, signing: Signing) -> Result<(), String> {
    if signing.dea.is_none_or(str::is_empty) {
        return Err(format!(
            "This is a controlled substance ({}); it needs your DEA number, which a manager enters in the settings.",
            schedule.label()
        ));
    }
    if !signing.on_paper && !signing.second_factor {
        return Err(
            "A controlled substance goes to a pharmacy with the code of your second factor; otherwise print it."
                .to_owned(),
        );
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn refills_are_none_in_two_and_five_in_six_months_in_three_and_four() {
        use Schedule::{Five, Four, Three, Two};
        for (schedule, refills, days, field) in [
            (Two, 0, 30, None),
            (Two, 1, 30, Some("refills")),
            (Three, 5, 30, None),
            (Four, 6, 10, Some("refills")),
            (Four, 3, 60, Some("days")),
            (Five, 11, 30, None),
        ] {
            let refused = refills_allowed(schedule, refills, days).err().map(|(field, _)| field);
            assert_eq!(refused, field, "{schedule} {refills} {days}");
        }
    }

    #[test]
    fn it_is_signed_with_a_number_and_the_second_factor_or_printed() {
        let sign =
            |dea, second_factor, on_paper| may_sign(Schedule::Two, Signing { dea, second_factor, on_paper }).is_ok();
        assert!(sign(Some("AB1234563"), true, false) && sign(Some("AB1234563"), false, true));
        assert!(!sign(Some("AB1234563"), false, false) && !sign(None, true, false) && !sign(Some(""), true, true));
    }
}
