//! Ordering again: what was ordered lately or is known already, orders that come due by themselves, and what somebody
//! orders most.

use super::{OrderState, Orderable};
use chrono::{Datelike, Months, NaiveDate};
use std::collections::HashMap;

/// So many days back an order of the same counts as a repetition.
pub const LATELY_DAYS: i64 = 30;

/// Something of the same kind that is on record for this person.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Before {
    /// Ordered, and nobody has its result.
    Waiting { day: NaiveDate, by: String, state: OrderState },
    /// A value of it is here.
    Known { day: NaiveDate, said: String },
}

/// An order that is on record, by the code of what was ordered.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OnRecord {
    pub code: String,
    pub day: NaiveDate,
    pub by: String,
    pub state: OrderState,
}

/// A value that is known, by its LOINC code.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KnownValue {
    pub loinc: String,
    pub day: NaiveDate,
    pub said: String,
}

/// What is on record of something that can be ordered: itself, a panel that contains it, its value. A panel is known when
/// each of its parts is, as of the oldest of them.
pub fn on_record(item: &Orderable, all: &[Orderable], orders: &[OnRecord], values: &[KnownValue]) -> Vec<Before> {
    let named = |code: &str| all.iter().find(|o| o.code == code);
    let covers = |o: &&OnRecord| o.code == item.code || named(&o.code).is_some_and(|p| p.contains.contains(&item.code));
    let waits = |o: &&OnRecord| o.state == OrderState::Draft || o.state.is_open();
    let mut out: Vec<Before> = orders
        .iter()
        .filter(covers)
        .filter(waits)
        .map(|o| Before::Waiting { day: o.day, by: o.by.clone(), state: o.state })
        .collect();
    let newest = |loinc: &str| values.iter().filter(|v| !loinc.is_empty() && v.loinc == loinc).max_by_key(|v| v.day);
    if let Some(v) = newest(&item.loinc) {
        out.push(Before::Known { day: v.day, said: v.said.clone() });
    } else if !item.contains.is_empty() {
        let parts: Option<Vec<&KnownValue>> = item.contains.iter().map(|code| newest(&named(code)?.loinc)).collect();
        if let Some(day) = parts.and_then(|p| p.iter().map(|v| v.day).min()) {
            out.push(Before::Known { day, said: format!("all {} tests of it", item.contains.len()) });
        }
    }
    out
}

/// What is said first of something that is ordered again, the newest of what is known; nothing when it is new, or when
/// what is known is old.
pub fn said_first(before: &[Before], today: NaiveDate) -> Option<String> {
    let day = |b: &Before| match b {
        Before::Waiting { day, .. } | Before::Known { day, .. } => *day,
    };
    let lately = before.iter().filter(|b| (0..=LATELY_DAYS).contains(&(today - day(b)).num_days()));
    // An order that still runs says more than a value from before it.
    let newest = lately.max_by_key(|b| (matches!(b, Before::Waiting { .. }), day(b)))?;
    let ago = match (today - day(newest)).num_days() {
        0 => "today".to_owned(),
        1 => "yesterday".to_owned(),
        days => format!("{days} days ago"),
    };
    Some(match newest {
        Before::Waiting { by, state: OrderState::Draft, .. } => format!("In an order of {by} already, not signed yet."),
        Before::Waiting { by, .. } => format!("Ordered {ago} by {by}, no result yet."),
        Before::Known { said, .. } => format!("Result of {ago} is here: {said}."),
    })
}

/// How often something is ordered again.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Rhythm {
    /// Months between two, 1 to 60.
    pub months: u32,
    /// The last day on which one may come due.
    pub until: NaiveDate,
}

impl Rhythm {
    /// # Errors
    /// The sentence that says what is wrong with it.
    pub fn new(months: u32, until: NaiveDate, today: NaiveDate) -> Result<Rhythm, &'static str> {
        if !(1..=60).contains(&months) {
            return Err("Every 1 to 60 months.");
        }
        let rhythm = Rhythm { months, until };
        if rhythm.after(today).is_none() {
            return Err("The first of them would come due after the last day.");
        }
        if until.year() > today.year() + 10 {
            return Err("At most ten years ahead.");
        }
        Ok(rhythm)
    }

    /// The day on which the next comes due when one was ordered on this day: the same day of the month, or its last day;
    /// nothing when the last day is over.
    pub fn after(&self, day: NaiveDate) -> Option<NaiveDate> {
        day.checked_add_months(Months::new(self.months)).filter(|due| *due <= self.until)
    }

    /// The day after today on which the next comes due, counted from the day that was due: what stood still makes one and
    /// not many.
    pub fn goes_on(&self, was_due: NaiveDate, today: NaiveDate) -> Option<NaiveDate> {
        let mut next = self.after(was_due);
        while next.is_some_and(|day| day <= today) {
            next = next.and_then(|day| self.after(day));
        }
        next
    }
}

/// Why something comes due no more, whatever its last day.
pub fn ends(has_died: bool, can_be_ordered: bool) -> Option<&'static str> {
    match (has_died, can_be_ordered) {
        (true, _) => Some("The person has died."),
        (_, false) => Some("It cannot be ordered any more."),
        _ => None,
    }
}

/// Whether somebody may keep or take away a set: the clinic's who signs orders, one's own who prepares them.
///
/// # Errors
/// The sentence that says why not.
pub fn may_keep_set(is_of_clinic: bool, signs: bool, is_own: bool) -> Result<(), &'static str> {
    match (is_of_clinic, signs, is_own) {
        (true, false, _) => Err("A clinician keeps the clinic's sets."),
        (false, _, false) => Err("This set is a colleague's."),
        _ => Ok(()),
    }
}

/// What somebody orders, the most used first; of equally used the first of the list. What was never ordered is left out.
pub fn favourites<'a>(used: &HashMap<String, i64>, known: impl Iterator<Item = &'a str>, most: usize) -> Vec<&'a str> {
    let mut out: Vec<(i64, &str)> = known.filter_map(|code| Some((*used.get(code)?, code))).collect();
    out.sort_by_key(|(times, _)| -times);
    out.into_iter().map(|(_, code)| code).take(most).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).unwrap_or_default()
    }

    #[test]
    fn what_was_ordered_lately_or_is_known_is_said_first() {
        let today = day(2026, 12, 1);
        let waiting = |days: i64, state| Before::Waiting {
            day: today - chrono::Duration::days(days),
            by: "Dr. Renneberg".into(),
            state,
        };
        let known =
            |days: i64| Before::Known { day: today - chrono::Duration::days(days), said: "5.4 mmol/L (high)".into() };
        let said = |before: &[Before]| said_first(before, today);
        assert_eq!(said(&[]), None);
        assert_eq!(said(&[known(31), waiting(40, OrderState::Accepted)]), None, "it is old");
        assert_eq!(said(&[known(1)]).as_deref(), Some("Result of yesterday is here: 5.4 mmol/L (high)."));
        assert_eq!(
            said(&[known(1), waiting(3, OrderState::Accepted)]).as_deref(),
            Some("Ordered 3 days ago by Dr. Renneberg, no result yet.")
        );
        assert!(said(&[waiting(0, OrderState::Draft)]).is_some_and(|s| s.contains("not signed yet")));
        assert_eq!(said(&[known(-1)]), None, "a day that is still to come says nothing");
    }

    #[test]
    fn a_panel_covers_its_parts_and_is_known_when_all_of_them_are() {
        let item = |code: &str, loinc: &str, contains: &[&str]| Orderable {
            code: code.into(),
            loinc: loinc.into(),
            contains: contains.iter().map(|c| (*c).to_owned()).collect(),
            ..Orderable::default()
        };
        let all = [item("BMP", "51990-0", &["K", "NA"]), item("K", "2823-3", &[]), item("NA", "2951-2", &[])];
        let (today, by) = (day(2026, 12, 1), "Dr. Renneberg".to_owned());
        let bmp = OnRecord { code: "BMP".into(), day: today, by, state: OrderState::Accepted };
        let known = |loinc: &str, d| KnownValue { loinc: loinc.into(), day: day(2026, 11, d), said: "4.1".into() };
        assert_eq!(on_record(&all[1], &all, std::slice::from_ref(&bmp), &[]).len(), 1, "the panel brings it");
        let potassium = OnRecord { code: "K".into(), ..bmp.clone() };
        assert!(on_record(&all[0], &all, &[potassium], &[]).is_empty(), "a part is not the panel");
        let done = OnRecord { state: OrderState::Resulted, ..bmp };
        assert!(on_record(&all[1], &all, &[done], &[]).is_empty(), "what came of it are its values");
        assert!(on_record(&all[0], &all, &[], &[known("2823-3", 20)]).is_empty());
        let both = on_record(&all[0], &all, &[], &[known("2823-3", 20), known("2951-2", 11), known("2951-2", 9)]);
        assert_eq!(both, [Before::Known { day: day(2026, 11, 11), said: "all 2 tests of it".into() }]);
    }

    #[test]
    fn a_rhythm_keeps_to_the_day_of_the_month_and_ends() {
        let today = day(2026, 11, 30);
        let quarterly = Rhythm::new(3, day(2027, 12, 1), today).expect("a rhythm");
        assert_eq!(quarterly.after(today), Some(day(2027, 2, 28)));
        assert_eq!(quarterly.after(day(2027, 9, 30)), None);
        assert_eq!(quarterly.goes_on(day(2026, 1, 31), day(2026, 11, 30)), Some(day(2027, 1, 30)), "one, not four");
        assert_eq!(quarterly.goes_on(day(2027, 9, 30), day(2027, 9, 30)), None);
        assert_eq!(ends(false, true), None);
        assert!(ends(true, true).is_some() && ends(false, false).is_some());
        assert!(Rhythm::new(0, day(2027, 12, 1), today).is_err());
        assert!(Rhythm::new(3, day(2026, 12, 1), today).is_err(), "none would ever come due");
        assert!(Rhythm::new(12, day(2090, 1, 1), today).is_err());
    }

    proptest! {
        #[test]
        fn what_comes_due_moves_on_and_never_passes_the_end(months in 1_u32..=60, start in 0_i64..2000) {
            let today = day(2026, 1, 1) + chrono::Duration::days(start);
            let until = today + chrono::Duration::days(3000);
            if let Ok(rhythm) = Rhythm::new(months, until, today) {
                let mut at = today;
                while let Some(next) = rhythm.after(at) {
                    prop_assert!(next > at && next <= until);
                    at = next;
                }
            }
        }
    }

    #[test]
    fn sets_are_kept_by_whom_they_are_of() {
        assert_eq!(may_keep_set(true, true, false), Ok(()));
        assert_eq!(may_keep_set(false, false, true), Ok(()));
        assert!(may_keep_set(true, false, true).is_err() && may_keep_set(false, true, false).is_err());
    }

    #[test]
    fn favourites_are_what_somebody_orders_most() {
        let used: HashMap<String, i64> = [("K".to_owned(), 3), ("CBC".to_owned(), 9), ("GONE".to_owned(), 50)].into();
        assert_eq!(favourites(&used, ["BMP", "K", "CBC"].into_iter(), 5), ["CBC", "K"]);
        assert_eq!(favourites(&used, ["BMP", "K", "CBC"].into_iter(), 1), ["CBC"]);
    }
}
