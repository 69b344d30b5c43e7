//! Visits that come again: on which days, and which open time serves each of them.

use super::open_times::Open;
use super::{Span, at_local};
use chrono::{DateTime, Datelike, Days, Months, NaiveDate, Utc, Weekday};
use chrono_tz::Tz;

/// How a series goes on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Step {
    /// Every so many weeks, on the same weekday.
    Weeks(u32),
    /// Every so many months, on the same weekday of the same week of the month: the second Tuesday. A fifth
    /// one is the last where there are only four.
    Months(u32),
}

/// A series has at most so many visits.
pub const MOST: u32 = 52;
/// Nobody can say who will work more than so many days from now.
pub const MOST_DAYS_AHEAD: i64 = 400;
/// A time so many days beside the wished day still serves it.
pub const DAYS_BESIDE: i64 = 3;

/// Why a series cannot be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum SeriesRefusal {
    #[error("A series has 2 to {MOST} visits.")]
    Count,
    #[error("A series goes on every 1 to 26 weeks, or every 1 to 12 months.")]
    Step,
}

impl Step {
    /// The step, when it is one that a series can have: every 1 to 26 weeks, or every 1 to 12 months.
    pub fn check(self) -> Result<Step, SeriesRefusal> {
        match self {
            Step::Weeks(1..=26) | Step::Months(1..=12) => Ok(self),
            _ => Err(SeriesRefusal::Step),
        }
    }

    /// In words: every 2 weeks.
    pub fn words(self) -> String {
        let (n, unit) = match self {
            Step::Weeks(n) => (n, "week"),
            Step::Months(n) => (n, "month"),
        };
        if n == 1 { format!("every {unit}") } else { format!("every {n} {unit}s") }
    }
}

/// The days of a series, the first among them.
///
/// ```
/// use harbor_core::schedule::series::{Step, days};
/// use chrono::NaiveDate;
/// let first = NaiveDate::from_ymd_opt(2026, 11, 24).unwrap();
/// let found = days(first, Step::Months(1), 3).unwrap();
/// assert_eq!(found[1], NaiveDate::from_ymd_opt(2026, 12, 22).unwrap(), "the fourth Tuesday again");
/// ```
pub fn days(first: NaiveDate, step: Step, count: u32) -> Result<Vec<NaiveDate>, SeriesRefusal> {
    if !(2..=MOST).contains(&count) {
        return Err(SeriesRefusal::Count);
    }
    match step.check()? {
        Step::Weeks(n) => Ok((0..count).map(|k| first + Days::new(u64::from(k) * u64::from(n) * 7)).collect()),
        Step::Months(n) => {
            let nth = first.day0() / 7;
            (0..count)
                .map(|k| {
                    let month = first.with_day(1).and_then(|d| d.checked_add_months(Months::new(k * n)));
                    month.and_then(|m| nth_weekday(m, first.weekday(), nth)).ok_or(SeriesRefusal::Step)
                })
                .collect()
        }
    }
}

/// The n-th (from 0) of these weekdays of the month that begins on `first`, or its last one.
fn nth_weekday(first: NaiveDate, weekday: Weekday, nth: u32) -> Option<NaiveDate> {
    let ahead = (7 + weekday.num_days_from_monday() - first.weekday().num_days_from_monday()) % 7;
    let wished = first + Days::new(u64::from(ahead + nth * 7));
    if wished.month() == first.month() { Some(wished) } else { wished.checked_sub_days(Days::new(7)) }
}

/// Why no time serves a day.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Lack {
    /// More than [`MOST_DAYS_AHEAD`] days from now.
    TooFar,
    /// The clinic's, the site's or the clinician's own reason.
    Off(String),
    /// The clinician has no shift near the day.
    NobodyWorks,
    /// There are times, which open for booking later.
    NotReleased,
    Taken,
}

impl Lack {
    pub fn sentence(&self) -> String {
        match self {
            Lack::TooFar => format!("working time is made at most {MOST_DAYS_AHEAD} days ahead"),
            Lack::Off(why) => format!("nobody works: {why}"),
            Lack::NobodyWorks => format!("does not work within {DAYS_BESIDE} days"),
            Lack::NotReleased => "not open for booking yet".into(),
            Lack::Taken => format!("everything within {DAYS_BESIDE} days is taken"),
        }
    }
}

/// Times of at least so many minutes, each over neighbouring slots as far as it must; a shorter time than its slot
/// stays that slot's.
pub fn as_long_as<K: Clone + PartialEq>(minutes: i64, open: Vec<Open<K>>) -> Vec<Option<Open<K>>> {
    let until = |n: usize| {
        let first = &open[n];
        let mut end = first.span.end();
        for next in &open[n + 1..] {
            if (end - first.span.start()).num_minutes() >= minutes || next.span.start() != end {
                break;
            }
            end = next.span.end();
        }
        let span = Span::new(first.span.start(), end).ok().filter(|span| span.minutes() >= minutes)?;
        Some(Open { span, ..first.clone() })
    };
    (0..open.len()).map(until).collect()
}

/// A day of a series with the open time that serves it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Served {
    pub day: NaiveDate,
    /// When it would be, had the clinic all the time in the world.
    pub wished: DateTime<Utc>,
    /// The number of the open time; nothing when none is near.
    pub open: Option<usize>,
    /// What differs from the wish, in words; empty when it is as wished.
    pub differs: String,
}

/// Finds for each day the open time nearest to the wish: the same day first, then days beside it, then the
/// time of day. No open time serves twice, and times that overlap do not serve together. `lack` says why no time
/// serves a day.
pub fn serve<K>(
    first: Span,
    days: &[NaiveDate],
    open: &[Open<K>],
    lack: impl Fn(NaiveDate) -> Lack,
    zone: Tz,
) -> Vec<Served> {
    let time = first.start().with_timezone(&zone).time();
    let date = |at: DateTime<Utc>| at.with_timezone(&zone).date_naive();
    let mut used: Vec<Span> = Vec::new();
    let mut out = Vec::new();
    for day in days {
        let wished = at_local(zone, *day, time);
        let apart = |o: &Open<K>| (date(o.span.start()) - *day).num_days();
        let minutes_apart = |o: &Open<K>| {
            let that_day = at_local(zone, date(o.span.start()), time);
            (o.span.start() - that_day).num_minutes()
        };
        let best = open
            .iter()
            .enumerate()
            .filter(|(_, o)| apart(o).abs() <= DAYS_BESIDE && !used.iter().any(|u| u.overlaps(&o.span)))
            .min_by_key(|(n, o)| (apart(o).abs(), minutes_apart(o).abs(), *n));
        let (served, differs) = match best {
            None => (None, lack(*day).sentence()),
            Some((n, o)) => {
                used.push(o.span);
                (Some(n), difference(apart(o), minutes_apart(o)))
            }
        };
        out.push(Served { day: *day, wished, open: served, differs });
    }
    out
}

fn difference(days: i64, minutes: i64) -> String {
    let words = |n: i64, unit: &str, after: &str, before: &str| match n {
        0 => None,
        n => Some(format!(
            "{} {unit}{} {}",
            n.abs(),
            if n.abs() == 1 { "" } else { "s" },
            if n > 0 { after } else { before }
        )),
    };
    let parts =
        [words(days, "day", "later", "before"), words(minutes, "minute", "later in the day", "earlier in the day")];
    parts.into_iter().flatten().collect::<Vec<_>>().join(", ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::{Duration, NaiveTime};
    use proptest::prelude::*;

    const ZONE: Tz = chrono_tz::America::New_York;

    fn date(m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, m, d).unwrap()
    }

    fn open(day: NaiveDate, h: u32, m: u32) -> Open<u8> {
        let start = at_local(ZONE, day, NaiveTime::from_hms_opt(h, m, 0).unwrap());
        let span = Span::new(start, start + Duration::minutes(20)).unwrap();
        Open { slot: 1, span, clinician: 1, site: 1, visit_type: 1, left_before: 0, left_after: 0 }
    }

    #[test]
    fn weeks_and_months_keep_the_weekday() {
        assert_eq!(days(date(10, 20), Step::Weeks(2), 3).unwrap(), [date(10, 20), date(11, 3), date(11, 17)]);
        let fifth = days(date(9, 29), Step::Months(1), 3).unwrap();
        assert_eq!(fifth, [date(9, 29), date(10, 27), date(11, 24)], "the fifth Tuesday, else the last");
        assert_eq!(days(date(1, 1), Step::Weeks(0), 3), Err(SeriesRefusal::Step));
        assert_eq!(days(date(1, 1), Step::Months(13), 3), Err(SeriesRefusal::Step));
        assert_eq!(days(date(1, 1), Step::Weeks(1), 1), Err(SeriesRefusal::Count));
        assert_eq!(
            (Step::Weeks(1).words().as_str(), Step::Months(3).words().as_str()),
            ("every week", "every 3 months")
        );
    }

    #[test]
    fn each_day_gets_the_nearest_time_by_the_clock_of_the_clinic() {
        // The clock changes on November 1: 9:00 stays 9:00.
        let first = open(date(10, 27), 9, 0).span;
        let days = days(date(10, 27), Step::Weeks(1), 4).unwrap();
        let found =
            [open(date(10, 27), 9, 0), open(date(11, 3), 9, 0), open(date(11, 10), 10, 0), open(date(11, 16), 9, 0)];
        let served = serve(first, &days, &found, |_| Lack::Taken, ZONE);
        let differs: Vec<&str> = served.iter().map(|s| s.differs.as_str()).collect();
        assert_eq!(differs, ["", "", "60 minutes later in the day", "1 day before"]);
        let none = |lack: Lack| serve::<u8>(first, &days[..1], &[], |_| lack.clone(), ZONE)[0].differs.clone();
        assert_eq!(none(Lack::Taken), "everything within 3 days is taken");
        assert_eq!(none(Lack::Off("holiday".into())), "nobody works: holiday");
    }

    #[test]
    fn a_longer_visit_takes_neighbours_and_no_gap() {
        let day = date(10, 27);
        let slots = vec![open(day, 9, 0), open(day, 9, 20), open(day, 10, 0)];
        let long = |minutes| {
            let found = as_long_as(minutes, slots.clone());
            found.iter().map(|o| o.as_ref().map(|o| o.span.minutes())).collect::<Vec<_>>()
        };
        assert_eq!(long(20), [Some(20), Some(20), Some(20)]);
        assert_eq!(long(40), [Some(40), None, None], "9:20 has no neighbour behind it");
        assert_eq!(long(10), [Some(20), Some(20), Some(20)]);
    }

    proptest! {
        #[test]
        fn no_time_serves_twice_and_none_is_far(offsets in proptest::collection::vec((0i64..80, 8u32..17), 0..60), weeks in 1u32..4, count in 2u32..9) {
            let all: Vec<Open<u8>> = offsets.iter().map(|(d, h)| open(date(9, 1) + Duration::days(*d), *h, 0)).collect();
            let first = open(date(9, 1), 9, 0).span;
            let served = serve(first, &days(date(9, 1), Step::Weeks(weeks), count).unwrap(), &all, |_| Lack::Taken, ZONE);
            let taken: Vec<&Open<u8>> = served.iter().filter_map(|s| s.open.map(|n| &all[n])).collect();
            for (n, a) in taken.iter().enumerate() {
                prop_assert!(taken[n + 1..].iter().all(|b| !a.span.overlaps(&b.span)));
            }
            for s in &served {
                if let Some(n) = s.open {
                    let off = all[n].span.start().with_timezone(&ZONE).date_naive() - s.day;
                    prop_assert!(off.num_days().abs() <= DAYS_BESIDE);
                }
            }
        }
    }
}
