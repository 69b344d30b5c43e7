//! How often somebody did not come, or left without being seen: counted for the desk that books the next visit.

use super::Stage;
use chrono::{Months, NaiveDate};
use std::fmt;

/// What is counted: the visits that should have been by now.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct Missed {
    pub did_not_come: usize,
    pub left_unseen: usize,
    /// All visits of the time that were due and not cancelled.
    pub due: usize,
}

/// So far back is counted: who changed their ways is not held to what was long ago.
const BACK: Months = Months::new(24);

/// Counts the visits of the last two years.
pub fn missed(visits: impl IntoIterator<Item = (Stage, NaiveDate)>, today: NaiveDate) -> Missed {
    let since = today.checked_sub_months(BACK).unwrap_or(NaiveDate::MIN);
    let mut count = Missed::default();
    for (stage, day) in visits {
        let never_due = stage == Stage::Cancelled || (stage == Stage::Booked && day >= today);
        if day < since || day > today || never_due {
            continue;
        }
        count.due += 1;
        count.did_not_come += usize::from(stage == Stage::DidNotCome);
        count.left_unseen += usize::from(stage == Stage::LeftUnseen);
    }
    count
}

impl Missed {
    pub fn is_none(&self) -> bool {
        self.did_not_come == 0 && self.left_unseen == 0
    }
}

/// "Did not come twice and left once without being seen, of 14 visits in two years."
impl fmt::Display for Missed {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let times = |n: usize| match n {
            1 => "once".to_owned(),
            2 => "twice".to_owned(),
            n => format!("{n} times"),
        };
        let (came_not, left) = (times(self.did_not_come), times(self.left_unseen));
        match (self.did_not_come, self.left_unseen) {
            (0, 0) => write!(f, "Always came and was seen")?,
            (_, 0) => write!(f, "Did not come {came_not}")?,
            (0, _) => write!(f, "Left {left} without being seen")?,
            _ => write!(f, "Did not come {came_not} and left {left} without being seen")?,
        }
        write!(f, ", of {} {} in two years.", self.due, if self.due == 1 { "visit" } else { "visits" })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_due_counts_and_what_was_cancelled_does_not() {
        let day = |y, m, d| NaiveDate::from_ymd_opt(y, m, d).unwrap();
        let today = day(2026, 11, 23);
        let found = missed(
            [
                (Stage::DidNotCome, day(2024, 11, 22)),
                (Stage::DidNotCome, day(2024, 11, 23)),
                (Stage::DidNotCome, today),
                (Stage::LeftUnseen, day(2026, 3, 1)),
                (Stage::Cancelled, day(2026, 3, 2)),
                (Stage::Left, day(2026, 3, 3)),
                (Stage::Booked, today),
                (Stage::Booked, day(2026, 12, 1)),
            ],
            today,
        );
        assert_eq!(found, Missed { did_not_come: 2, left_unseen: 1, due: 4 });
        assert_eq!(found.to_string(), "Did not come twice and left once without being seen, of 4 visits in two years.");
        let words = |did_not_come, left_unseen| Missed { did_not_come, left_unseen, due: 1 }.to_string();
        assert_eq!(words(3, 0), "Did not come 3 times, of 1 visit in two years.");
        assert_eq!(words(0, 1), "Left once without being seen, of 1 visit in two years.");
        assert!(Missed::default().is_none());
    }
}
