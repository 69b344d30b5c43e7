//! The call list: whom to call about what they owe, and why now. Who promised something is left alone until the day of the promise;
//! who keeps a plan is not called at all.

use crate::fields::typed_date::in_words;
use crate::money::Cents;
use crate::money::ages::AgeBounds;
use chrono::NaiveDate;

/// Who was called and said nothing that binds is called again after so many days.
pub const CALL_AGAIN: i64 = 14;

/// The last call about a debt.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LastCall {
    pub on: NaiveDate,
    pub promised: Option<(Cents, NaiveDate)>,
    /// What was owed then.
    pub owed: Cents,
    pub again_on: Option<NaiveDate>,
}

/// What is known of somebody who owes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Debtor {
    pub owed: Cents,
    /// How old the oldest debt is, in days.
    pub oldest: i64,
    pub last_call: Option<LastCall>,
    /// Instalments missed of their plan; nothing without one.
    pub missed: Option<u32>,
}

/// Why somebody is called, the most pressing first.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum CallWhy {
    PromiseBroken { promised: Cents, by: NaiveDate, came: Cents },
    Missed(u32),
    Again(NaiveDate),
    Old(i64),
}

impl CallWhy {
    pub fn in_words(&self) -> String {
        match self {
            CallWhy::PromiseBroken { promised, by, came } if came.is_zero() => {
                format!("Promised {promised} by {}; nothing came.", in_words(*by))
            }
            CallWhy::PromiseBroken { promised, by, came } => {
                format!("Promised {promised} by {}; {came} came.", in_words(*by))
            }
            CallWhy::Missed(1) => "An instalment of the plan was missed.".into(),
            CallWhy::Missed(n) => format!("{n} instalments of the plan were missed."),
            CallWhy::Again(day) => format!("To be called again on {}.", in_words(*day)),
            CallWhy::Old(days) => format!("The oldest debt is {days} days old."),
        }
    }

    /// Its place in the list.
    pub fn rank(&self) -> u8 {
        match self {
            CallWhy::PromiseBroken { .. } => 0,
            CallWhy::Missed(_) => 1,
            CallWhy::Again(_) => 2,
            CallWhy::Old(_) => 3,
        }
    }
}

/// Why somebody is to be called today; nothing where they are not.
pub fn to_call(d: &Debtor, today: NaiveDate, bounds: &AgeBounds) -> Option<CallWhy> {
    if !d.owed.is_positive() {
        return None;
    }
    if let Some(last) = &d.last_call {
        if last.on == today || last.again_on.is_some_and(|day| day > today) {
            return None;
        }
        if let Some((promised, by)) = last.promised {
            let came = (last.owed - d.owed).max(Cents::ZERO);
            if came < promised {
                return (by < today).then_some(CallWhy::PromiseBroken { promised, by, came });
            }
        }
        if let Some(day) = last.again_on {
            return Some(CallWhy::Again(day));
        }
    }
    match d.missed {
        Some(0) => return None,
        Some(n) => return Some(CallWhy::Missed(n)),
        None => {}
    }
    let long_ago = d.last_call.as_ref().is_none_or(|last| (today - last.on).num_days() >= CALL_AGAIN);
    let old = bounds.days().first().is_some_and(|first| d.oldest > *first);
    (long_ago && old).then_some(CallWhy::Old(d.oldest))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(ago: i64) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, 23).unwrap() - chrono::Duration::days(ago)
    }

    fn debtor() -> Debtor {
        Debtor { owed: Cents::new(10_000), oldest: 31, last_call: None, missed: None }
    }

    fn called(ago: i64) -> LastCall {
        LastCall { on: day(ago), promised: None, owed: Cents::new(10_000), again_on: None }
    }

    fn why(d: &Debtor) -> Option<CallWhy> {
        to_call(d, day(0), &AgeBounds::default())
    }

    #[test]
    fn who_promised_is_left_alone_until_the_day_is_over() {
        let promise = |on_ago: i64| LastCall { promised: Some((Cents::new(4_000), day(on_ago))), ..called(10) };
        let with = |last, owed| why(&Debtor { owed: Cents::new(owed), last_call: Some(last), ..debtor() });
        assert_eq!(with(promise(0), 10_000), None, "the day is not over");
        let broken = with(promise(1), 9_000).unwrap();
        assert_eq!(broken.in_words(), "Promised 40.00 by Sunday, November 22, 2026; 10.00 came.");
        assert_eq!(with(promise(1), 6_000), None, "kept; and called ten days ago");
        assert_eq!(with(LastCall { on: day(15), ..promise(1) }, 6_000), Some(CallWhy::Old(31)), "kept, and long ago");
    }

    #[test]
    fn who_keeps_a_plan_is_not_called_and_a_day_to_call_again_is_kept() {
        assert_eq!(why(&Debtor { missed: Some(0), oldest: 300, ..debtor() }), None);
        assert_eq!(why(&Debtor { missed: Some(2), ..debtor() }), Some(CallWhy::Missed(2)));
        let again = |ago| Debtor { last_call: Some(LastCall { again_on: Some(day(ago)), ..called(3) }), ..debtor() };
        assert_eq!(why(&again(-1)), None);
        assert_eq!(why(&again(0)), Some(CallWhy::Again(day(0))));
    }

    #[test]
    fn an_old_debt_is_called_about_every_two_weeks_and_a_young_one_not() {
        assert_eq!(why(&debtor()), Some(CallWhy::Old(31)));
        assert_eq!(why(&Debtor { oldest: 30, ..debtor() }), None);
        assert_eq!(why(&Debtor { owed: Cents::ZERO, ..debtor() }), None);
        let last = |ago| why(&Debtor { last_call: Some(called(ago)), ..debtor() });
        assert_eq!((last(0), last(13), last(14)), (None, None, Some(CallWhy::Old(31))));
    }
}
