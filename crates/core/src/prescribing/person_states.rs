//! What is true of a person for a time: that she is pregnant, that she breastfeeds. It is said at a date, and asked again
//! once it is too old to rely on.

use chrono::{Days, NaiveDate};

coded! {
    /// A state that checks of prescriptions depend on.
    PersonState {
        Pregnant = "pregnant", "Pregnant";
        Breastfeeding = "breastfeeding", "Breastfeeding";
    }
}

/// How long each word holds, in days.
const NOT_PREGNANT_HOLDS: u64 = 30;
/// From the earliest that one may know of it to three weeks after the latest birth.
const PREGNANT_HOLDS: u64 = 280;
const AFTER_DUE: u64 = 21;
const BREASTFEEDING_HOLDS: u64 = 182;

/// A word about a state.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct StateSaid {
    pub state: PersonState,
    pub holds: bool,
    /// Of a pregnancy: the day that the child is expected.
    pub due: Option<NaiveDate>,
    pub said_on: NaiveDate,
}

impl StateSaid {
    /// The last day that the word can be relied on.
    pub fn until(&self) -> NaiveDate {
        let after = |day: NaiveDate, days: u64| day.checked_add_days(Days::new(days)).unwrap_or(NaiveDate::MAX);
        match (self.state, self.holds, self.due) {
            (PersonState::Pregnant, true, Some(due)) => after(due, AFTER_DUE),
            (PersonState::Pregnant, true, None) => after(self.said_on, PREGNANT_HOLDS),
            (PersonState::Pregnant, false, _) => after(self.said_on, NOT_PREGNANT_HOLDS),
            (PersonState::Breastfeeding, ..) => after(self.said_on, BREASTFEEDING_HOLDS),
        }
    }
}

/// Whether a state holds on a day: as the latest word about it says, while it can be relied on. They come newest first.
pub fn holds_on(said: &[StateSaid], state: PersonState, day: NaiveDate) -> Option<bool> {
    let last = said.iter().find(|s| s.state == state && s.said_on <= day)?;
    (day <= last.until()).then_some(last.holds)
}

/// Whether a due date can be meant on a day: nine months before, and three weeks after at most.
pub fn due_is_likely(due: NaiveDate, today: NaiveDate) -> bool {
    let days = (due - today).num_days();
    (-(AFTER_DUE as i64)..=PREGNANT_HOLDS as i64).contains(&days)
}

#[cfg(test)]
mod tests {
    use super::*;
    use PersonState::{Breastfeeding, Pregnant};

    fn day(text: &str) -> NaiveDate {
        text.parse().unwrap()
    }

    #[test]
    fn a_word_holds_for_its_time_and_the_latest_counts() {
        let no = StateSaid { state: Pregnant, holds: false, due: None, said_on: day("2026-01-10") };
        let yes = StateSaid { state: Pregnant, holds: true, due: Some(day("2026-11-01")), said_on: day("2026-03-01") };
        let on = |said: &[StateSaid], at: &str| holds_on(said, Pregnant, day(at));
        assert_eq!(on(&[], "2026-01-10"), None, "nobody asked");
        assert_eq!(on(&[no], "2026-02-09"), Some(false));
        assert_eq!(on(&[no], "2026-02-10"), None, "a month ago is no answer");
        assert_eq!(on(&[yes, no], "2026-02-01"), Some(false), "as it was known then");
        assert_eq!([on(&[yes, no], "2026-11-22"), on(&[yes, no], "2026-11-23")], [Some(true), None]);
        assert_eq!(holds_on(&[yes], Breastfeeding, day("2026-03-02")), None);
        let undated = StateSaid { due: None, ..yes };
        assert_eq!(undated.until(), day("2026-12-06"));
    }

    #[test]
    fn a_due_date_is_within_nine_months() {
        let today = day("2026-12-01");
        assert!(due_is_likely(day("2027-05-01"), today) && due_is_likely(day("2026-11-20"), today));
        assert!(!due_is_likely(day("2027-12-01"), today) && !due_is_likely(day("2026-10-01"), today));
    }
}
