//! When in the day a medicine is taken, for the list that a patient puts on the refrigerator. What nobody said stays unsaid:
//! once a day is not the morning.

use super::dosage::DayTime;
use super::{Dosage, Often};

/// The parts of a patient's list, in their order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub enum PartOfDay {
    Morning,
    Noon,
    Evening,
    Bedtime,
    /// Once a day, at whatever hour suits, always the same.
    OnceADay,
    /// By the clock, on some days, in steps.
    AsWritten,
    WhenNeeded,
}

impl PartOfDay {
    pub const ALL: [PartOfDay; 7] = [
        PartOfDay::Morning,
        PartOfDay::Noon,
        PartOfDay::Evening,
        PartOfDay::Bedtime,
        PartOfDay::OnceADay,
        PartOfDay::AsWritten,
        PartOfDay::WhenNeeded,
    ];

    pub const fn label(self) -> &'static str {
        match self {
            PartOfDay::Morning => "In the morning",
            PartOfDay::Noon => "At noon",
            PartOfDay::Evening => "In the evening",
            PartOfDay::Bedtime => "At bedtime",
            PartOfDay::OnceADay => "Once a day, always at the same hour",
            PartOfDay::AsWritten => "At other times, as it is written",
            PartOfDay::WhenNeeded => "Only when needed",
        }
    }
}

/// How a medicine is taken, from the words on the list: the core's own, or an amount and how often (`1 tablet at bedtime`).
/// Nothing where the words are others; the list then says them as they are.
pub fn read_how(how: &str) -> Option<Dosage> {
    let how = how.trim().trim_end_matches('.');
    Dosage::read(&format!("{how}.")).or_else(|| Dosage::read(&format!("Take {how} for 1 day.")))
}

/// The parts of the day that a dosage falls into. Twice a day is morning and evening, three times with noon, four times with
/// bedtime; anything else is read from its words.
pub fn parts_of_day(dosage: &Dosage) -> Vec<PartOfDay> {
    use PartOfDay::{AsWritten, Bedtime, Evening, Morning, Noon, OnceADay, WhenNeeded};
    if dosage.as_needed.is_some() {
        return vec![WhenNeeded];
    }
    // Steps change: what holds today stands in the words.
    let [only] = dosage.steps.as_slice() else { return vec![AsWritten] };
    match &only.often {
        Often::Times(1) => vec![OnceADay],
        Often::Times(2) => vec![Morning, Evening],
        Often::Times(3) => vec![Morning, Noon, Evening],
        Often::Times(4) => vec![Morning, Noon, Evening, Bedtime],
        Often::At(times) => times
            .iter()
            .map(|t| match t {
                DayTime::Morning => Morning,
                DayTime::Noon => Noon,
                DayTime::Evening => Evening,
                DayTime::Bedtime => Bedtime,
            })
            .collect(),
        _ => vec![AsWritten],
    }
}

/// How much of it in a part of the day: the words of how it is taken up to how often, since the part says that; with food
/// where it matters. Whole where the part does not say how often.
pub fn amount_at(how: &str, dosage: &Dosage, part: PartOfDay) -> String {
    let how = how.trim().trim_end_matches('.');
    let often = dosage.steps.first().map(|s| s.often.in_words());
    let said = often.filter(|_| !matches!(part, PartOfDay::AsWritten | PartOfDay::WhenNeeded));
    match said.and_then(|often| how.split_once(&format!(" {often}"))) {
        Some((amount, _)) => {
            let food = dosage.food.map(|f| format!(", {}", f.label())).unwrap_or_default();
            format!("{amount}{food}")
        }
        None => how.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_taken_is_read_from_its_words_or_not_at_all() {
        assert_eq!(read_how("1 tablet at bedtime").map(|d| parts_of_day(&d)), Some(vec![PartOfDay::Bedtime]));
        assert_eq!(read_how("2 tablets twice a day").map(|d| parts_of_day(&d).len()), Some(2));
        assert!(read_how("Take 1 tablet by mouth once a day for 30 days.").is_some());
        for words in ["", "as the cardiologist said", "1 tablet", "when it hurts"] {
            assert_eq!(read_how(words), None, "{words}");
        }
    }

    #[test]
    fn a_part_of_the_day_says_how_much_and_not_how_often_again() {
        let at = |how: &str, part| amount_at(how, &read_how(how).unwrap(), part);
        let twice = "Take 2 tablets by mouth twice a day with food for 30 days.";
        assert_eq!(at(twice, PartOfDay::Morning), "Take 2 tablets by mouth, with food");
        assert_eq!(at("1 tablet once a day", PartOfDay::OnceADay), "1 tablet");
        let needed = "1 tablet every 6 hours if needed for pain";
        assert_eq!(at(needed, PartOfDay::WhenNeeded), needed, "what is needed is read whole");
        let weekly = "Take 1 tablet by mouth once a week for 84 days.";
        assert_eq!(at(weekly, PartOfDay::AsWritten), weekly.trim_end_matches('.'));
    }

    #[test]
    fn a_dosage_falls_into_the_parts_of_the_day_that_it_says() {
        use PartOfDay::*;
        for (words, parts) in [
            ("Take 1 tablet by mouth once a day for 30 days.", vec![OnceADay]),
            ("Take 1 tablet by mouth in the morning for 30 days.", vec![Morning]),
            ("Take 1 tablet by mouth twice a day for 30 days.", vec![Morning, Evening]),
            ("Take 1 tablet by mouth in the morning and at bedtime for 30 days.", vec![Morning, Bedtime]),
            ("Take 1 tablet by mouth every 6 hours for 5 days.", vec![AsWritten]),
            ("Take 1 tablet by mouth once a week for 84 days.", vec![AsWritten]),
            ("Take 1 tablet by mouth every 6 hours if needed for pain for 5 days.", vec![WhenNeeded]),
            ("Take 2 tablets by mouth once a day for 3 days, then 1 tablet once a day for 3 days.", vec![AsWritten]),
        ] {
            assert_eq!(parts_of_day(&Dosage::read(words).expect(words)), parts, "{words}");
        }
    }
}
