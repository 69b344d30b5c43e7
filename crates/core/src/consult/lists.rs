//! How an entry of a person's lists changes: what an end says, and what counts for the checks of prescriptions.

use super::ProblemState;
use super::quick_line::When;
use crate::prescribing::MedicineState;
use chrono::NaiveDate;

impl ProblemState {
    /// Whether the checks of a prescription look at it. What rests may come back: only what is resolved is over.
    pub fn counts(self) -> bool {
        self != ProblemState::Resolved
    }

    /// Whether it is no longer one, so that there is a reason to tell.
    pub fn has_ended(self) -> bool {
        matches!(self, ProblemState::Resolved | ProblemState::Inactive)
    }

    /// Why it is no longer one: as it is said now, or as it was said while it goes on being over.
    pub fn end_reason(self, said: Option<&str>, before: &str) -> String {
        if self.has_ended() { said.unwrap_or(before).to_owned() } else { String::new() }
    }
}

/// Whether a problem is new in a visit: the visit brought it about, and nobody says that it was there before. A year or a
/// month alone is before when it ended before the visit.
pub fn is_new_here(brought_here: bool, since: Option<When>, day: NaiveDate) -> bool {
    let of = When::of(day);
    let before = |since: When| {
        let known = (since.year, since.month.or(of.month), since.day.filter(|_| since.month.is_some()).or(of.day));
        known < (of.year, of.month, of.day)
    };
    brought_here && !since.is_some_and(before)
}

/// Until when a medicine was taken. What is stopped now is stopped today unless another time is said; what is taken again has
/// no end.
pub fn taken_until(now: MedicineState, said: Option<&str>, before: (MedicineState, &str), today: NaiveDate) -> String {
    let (state, until) = before;
    match (now, said) {
        (_, Some(said)) if !said.is_empty() => said.to_owned(),
        (MedicineState::Stopped, None) if state != MedicineState::Stopped => today.to_string(),
        (MedicineState::Taking, None) | (_, Some(_)) => String::new(),
        _ => until.to_owned(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use MedicineState::{NotTaking, Stopped, Taking};

    #[test]
    fn what_is_stopped_is_stopped_today_and_what_is_taken_has_no_end() {
        let today = NaiveDate::from_ymd_opt(2026, 11, 30).unwrap();
        let until = |now, said, before| taken_until(now, said, before, today);
        assert_eq!(until(Stopped, None, (Taking, "")), "2026-11-30");
        assert_eq!(until(Stopped, Some("2024"), (Taking, "")), "2024");
        assert_eq!(until(Stopped, None, (Stopped, "2019")), "2019", "it was stopped then");
        assert_eq!(until(Stopped, Some(""), (Stopped, "2019")), "", "nobody knows when");
        assert_eq!(until(Taking, None, (Stopped, "2019")), "");
        assert_eq!(until(NotTaking, None, (Stopped, "2019")), "2019");
    }

    #[test]
    fn a_reason_stays_as_long_as_it_is_over() {
        assert_eq!(ProblemState::Resolved.end_reason(None, "healed"), "healed");
        assert_eq!(ProblemState::Inactive.end_reason(Some("rests"), "healed"), "rests");
        assert_eq!(ProblemState::Recurrence.end_reason(Some("x"), "healed"), "");
        let counting: Vec<ProblemState> = ProblemState::ALL.iter().copied().filter(|s| s.counts()).collect();
        assert_eq!(counting.len(), 4, "{counting:?}");
    }

    #[test]
    fn a_problem_that_was_there_before_is_not_new() {
        let day = NaiveDate::from_ymd_opt(2026, 11, 30).unwrap_or_default();
        for (since, new) in [
            ("", true),
            ("2026", true),
            ("2026-11", true),
            ("2026-11-30", true),
            ("2026-11-29", false),
            ("2026-10", false),
            ("2019", false),
        ] {
            assert_eq!(is_new_here(true, When::parse(since), day), new, "{since}");
        }
        assert!(!is_new_here(false, None, day), "another visit brought it about");
    }
}
