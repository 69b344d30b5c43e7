//! The written estimate for whoever has no policy or does not use it (45 CFR 149.610): by when it is given, and what follows when
//! the charges go beyond it (45 CFR 149.620).
//!
//! Business days are Monday to Friday. Holidays count among them, which makes a deadline earlier and never later.

use crate::fields::typed_date::in_words;
use crate::money::Cents;
use chrono::{Datelike, Days, NaiveDate, Weekday};

/// Charges that are beyond the estimate by this much or more may be disputed (45 CFR 149.620(b)(1)).
pub const DISPUTABLE_FROM: Cents = Cents::new(40_000);

/// Within so many calendar days of the first bill the patient may dispute it (45 CFR 149.620(c)(1)).
pub const DAYS_TO_DISPUTE: u32 = 120;

fn is_business_day(day: NaiveDate) -> bool {
    !matches!(day.weekday(), Weekday::Sat | Weekday::Sun)
}

/// The business day that is the n-th after a day.
fn business_days_after(day: NaiveDate, n: u32) -> Option<NaiveDate> {
    let mut days = (1..=u64::from(n) * 2 + 4).filter_map(|d| day.checked_add_days(Days::new(d)));
    days.by_ref().filter(|d| is_business_day(*d)).nth(n.checked_sub(1)? as usize)
}

/// By when who is booked is given the estimate without asking for it: one business day after a booking that is at least three
/// ahead of the visit, three after one that is at least ten ahead (45 CFR 149.610(b)(1)(vi)(A) and (B)). Nothing for a booking
/// at shorter notice: there it is given to whoever asks.
pub fn due(booked: NaiveDate, day: NaiveDate) -> Option<NaiveDate> {
    let ahead = |n| business_days_after(booked, n).is_some_and(|at| at <= day);
    let within = if ahead(10) {
        3
    } else if ahead(3) {
        1
    } else {
        return None;
    };
    business_days_after(booked, within)
}

/// What is lacking while no estimate was given, in a sentence; nothing where none is due.
pub fn lack(booked: NaiveDate, day: NaiveDate, today: NaiveDate) -> Option<String> {
    let due = due(booked, day).filter(|_| today <= day)?;
    let when = in_words(due);
    Some(match due < today {
        true => format!("The written estimate was due by {when}."),
        false => format!("A written estimate is due by {when}."),
    })
}

/// By how much charges go beyond what was estimated, when that is enough to be disputed.
pub fn disputable(estimated: Cents, charged: Cents) -> Option<Cents> {
    let beyond = charged - estimated;
    (beyond >= DISPUTABLE_FROM).then_some(beyond)
}

/// A service of an estimate: its price of one unit, and how many.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct EstimatedService<'a> {
    pub name: &'a str,
    pub units: u32,
    pub price: Option<Cents>,
}

/// What the services come to. A service without a price makes no estimate: leaving it out would promise less than is charged.
pub fn total(services: &[EstimatedService]) -> Result<Cents, String> {
    if services.is_empty() {
        return Err("Choose at least one service.".into());
    }
    let mut sum = Cents::ZERO;
    for s in services {
        if !(1..=999).contains(&s.units) {
            return Err(format!("{}: units are 1 to 999.", s.name));
        }
        let price = s.price.ok_or_else(|| format!("{} has no price for who pays alone.", s.name))?;
        sum += price.times(s.units).ok_or_else(|| format!("{}: the fee is too large.", s.name))?;
    }
    Ok(sum)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, m, d).unwrap()
    }

    #[test]
    fn the_estimate_is_due_by_how_far_ahead_the_visit_is() {
        // Booked on Monday, 23 November.
        assert_eq!(due(day(11, 23), day(11, 23)), None, "today");
        assert_eq!(due(day(11, 23), day(11, 25)), None, "two business days ahead");
        assert_eq!(due(day(11, 23), day(11, 26)), Some(day(11, 24)), "three");
        assert_eq!(due(day(11, 23), day(12, 4)), Some(day(11, 24)), "nine");
        assert_eq!(due(day(11, 23), day(12, 7)), Some(day(11, 26)), "ten");
        assert_eq!(due(day(11, 27), day(12, 2)), Some(day(11, 30)), "a Friday's next business day is Monday");
        assert_eq!(due(day(11, 28), day(12, 2)), Some(day(11, 30)), "booked on a Saturday");
        assert_eq!(due(day(11, 28), day(12, 1)), None, "Monday and Tuesday are two");
    }

    #[test]
    fn what_is_lacking_tells_by_when_and_ends_with_the_day() {
        let lacks = |today| lack(day(11, 23), day(12, 7), today);
        assert_eq!(lacks(day(11, 26)).as_deref(), Some("A written estimate is due by Thursday, November 26, 2026."));
        assert_eq!(lacks(day(11, 27)).as_deref(), Some("The written estimate was due by Thursday, November 26, 2026."));
        assert!(lacks(day(12, 7)).is_some());
        assert_eq!(lacks(day(12, 8)), None, "the visit is over");
    }

    #[test]
    fn charges_are_disputable_from_four_hundred_dollars_beyond() {
        let c = Cents::new;
        assert_eq!(disputable(c(20_000), c(59_999)), None);
        assert_eq!(disputable(c(20_000), c(60_000)), Some(c(40_000)));
        assert_eq!(disputable(c(20_000), c(10_000)), None);
    }

    #[test]
    fn an_estimate_has_a_price_for_everything_in_it() {
        let one = EstimatedService { name: "ECG", units: 2, price: Some(Cents::new(8_000)) };
        assert_eq!(total(&[one, one]), Ok(Cents::new(32_000)));
        assert_eq!(
            total(&[one, EstimatedService { price: None, ..one }]).unwrap_err(),
            "ECG has no price for who pays alone."
        );
        assert!(total(&[]).is_err() && total(&[EstimatedService { units: 0, ..one }]).is_err());
        assert!(total(&[EstimatedService { price: Some(Cents::new(i64::MAX)), ..one }]).is_err());
    }
}
