//! Working time: weekly templates with exceptions become shifts cut into slots, day by day.
//!
//! Making is idempotent and safe over the changes of the clock: a template says local times, and a shift
//! from 8:00 to 12:00 is four hours long on every day of the year. When a template changes, [`settle_day`]
//! says what to make, to change and to drop; a slot that somebody has stays as it is, and what stood in the
//! way of the new template is told.

mod settling;

pub use settling::*;

use super::{Span, at_local};
use chrono::{DateTime, Datelike, Duration, NaiveDate, NaiveTime, Utc, Weekday};
use chrono_tz::Tz;

/// What a slot is for. `T` names a visit type.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub enum Purpose<T> {
    Open(T),
    /// Held, and for what; it cannot be booked.
    Held(String),
}

/// A run of equal slots inside a template, such as nine of twenty minutes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Run<T> {
    pub count: u32,
    pub minutes: i64,
    pub purpose: Purpose<T>,
    /// A named clinic inside the shift, such as "Immunisations"; empty for none.
    pub clinic: String,
}

/// Working time that comes every week, or every so many weeks. `K` names templates, clinicians, sites and
/// visit types.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Template<K> {
    pub key: K,
    pub clinician: K,
    pub site: K,
    pub weekday: Weekday,
    pub from: NaiveTime,
    pub to: NaiveTime,
    /// 1: every week; 2: every second one, counted from the week in which it begins. At most [`MOST_WEEKS`].
    pub every_weeks: u8,
    pub runs: Vec<Run<K>>,
    /// The days between which it holds; both ends included.
    pub begins: NaiveDate,
    pub ends: Option<NaiveDate>,
}

/// No template pauses longer.
pub const MOST_WEEKS: u8 = 8;

/// The number of the week, from Monday on, since the beginning of the calendar.
fn week_of(day: NaiveDate) -> i64 {
    (i64::from(day.num_days_from_ce()) - 1).div_euclid(7)
}

impl<K: PartialEq> Template<K> {
    /// Whether there is a shift of it on this day, exceptions aside.
    pub fn holds_on(&self, day: NaiveDate) -> bool {
        self.weekday == day.weekday()
            && self.begins <= day
            && self.ends.is_none_or(|end| day <= end)
            && (week_of(day) - week_of(self.begins)) % i64::from(self.every_weeks.max(1)) == 0
    }

    /// Whether it and another one ever want the same time of the same clinician.
    fn meets(&self, other: &Template<K>) -> bool {
        let steps = gcd(i64::from(self.every_weeks.max(1)), i64::from(other.every_weeks.max(1)));
        self.clinician == other.clinician
            && self.weekday == other.weekday
            && self.from < other.to
            && other.from < self.to
            && self.ends.is_none_or(|end| other.begins <= end)
            && other.ends.is_none_or(|end| self.begins <= end)
            && (week_of(self.begins) - week_of(other.begins)) % steps == 0
    }
}

fn gcd(a: i64, b: i64) -> i64 {
    if b == 0 { a } else { gcd(b, a % b) }
}

/// A day that is not as the week says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Exception<K> {
    /// Nobody works: a holiday, or a site that is closed.
    Closed { site: Option<K>, from: NaiveDate, to: NaiveDate },
    /// One clinician does not.
    Away { clinician: K, from: NaiveDate, to: NaiveDate },
}

/// Why a template cannot be.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TemplateRefusal {
    #[error("The shift ends before it begins.")]
    Backwards,
    #[error("A slot needs some length.")]
    EmptySlot,
    #[error("The slots need {needed} minutes; the shift has {has}.")]
    TooLong { needed: i64, has: i64 },
    #[error("A {visit_type} takes {needed} minutes; its slot has {has}.")]
    TypeTooLong { visit_type: String, needed: i64, has: i64 },
    #[error("The clinician has another shift at this time on this weekday.")]
    Overlaps,
    #[error("The template ends before it begins.")]
    EndsFirst,
    #[error("It comes every week, or every 2 to {MOST_WEEKS} weeks.")]
    Weeks,
}

/// Checks a template alone and beside the others. `length_of` says how long a visit type takes.
pub fn check<K: PartialEq>(
    wanted: &Template<K>,
    others: &[Template<K>],
    length_of: impl Fn(&K) -> (String, i64),
) -> Result<(), TemplateRefusal> {
    if wanted.to <= wanted.from {
        return Err(TemplateRefusal::Backwards);
    }
    if wanted.ends.is_some_and(|end| end < wanted.begins) {
        return Err(TemplateRefusal::EndsFirst);
    }
    if !(1..=MOST_WEEKS).contains(&wanted.every_weeks) {
        return Err(TemplateRefusal::Weeks);
    }
    for run in &wanted.runs {
        if run.minutes < super::slots::SHORTEST || run.count == 0 {
            return Err(TemplateRefusal::EmptySlot);
        }
        if let Purpose::Open(visit_type) = &run.purpose {
            let (name, needed) = length_of(visit_type);
            if needed > run.minutes {
                return Err(TemplateRefusal::TypeTooLong { visit_type: name, needed, has: run.minutes });
            }
        }
    }
    let needed: i64 = wanted.runs.iter().map(|r| r.minutes * i64::from(r.count)).sum();
    let has = (wanted.to - wanted.from).num_minutes();
    if needed > has {
        return Err(TemplateRefusal::TooLong { needed, has });
    }
    let clash = others.iter().any(|other| other.key != wanted.key && wanted.meets(other));
    if clash { Err(TemplateRefusal::Overlaps) } else { Ok(()) }
}

/// A slot as a template makes it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MadeSlot<T> {
    pub span: Span,
    pub purpose: Purpose<T>,
    pub clinic: String,
}

/// A shift as a template makes it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MadeShift<K> {
    pub template: K,
    pub clinician: K,
    pub site: K,
    pub span: Span,
    pub slots: Vec<MadeSlot<K>>,
}

/// The shifts of one day.
pub fn shifts_of_day<K: Copy + PartialEq>(
    templates: &[Template<K>],
    exceptions: &[Exception<K>],
    day: NaiveDate,
    zone: Tz,
) -> Vec<MadeShift<K>> {
    let off = |t: &Template<K>| {
        exceptions.iter().any(|e| match e {
            Exception::Closed { site, from, to } => {
                site.is_none_or(|site| site == t.site) && (*from..=*to).contains(&day)
            }
            Exception::Away { clinician, from, to } => *clinician == t.clinician && (*from..=*to).contains(&day),
        })
    };
    templates
        .iter()
        .filter(|t| t.holds_on(day) && !off(t))
        .filter_map(|t| {
            let span = Span::new(at_local(zone, day, t.from), at_local(zone, day, t.to)).ok()?;
            let slots = cut(&t.runs, span);
            Some(MadeShift { template: t.key, clinician: t.clinician, site: t.site, span, slots })
        })
        .collect()
}

/// Cuts a shift into its slots, one run behind the other; what does not fit any more is left out.
pub fn cut<K: Copy>(runs: &[Run<K>], shift: Span) -> Vec<MadeSlot<K>> {
    let mut out = Vec::new();
    let mut start = shift.start();
    for run in runs {
        for _ in 0..run.count {
            let Ok(span) = Span::new(start, start + Duration::minutes(run.minutes)) else { return out };
            if !shift.contains(&span) {
                return out;
            }
            out.push(MadeSlot { span, purpose: run.purpose.clone(), clinic: run.clinic.clone() });
            start = span.end();
        }
    }
    out
}

/// From when a slot may be booked, by its type's release rule: so many days before its own day, from the
/// beginning of that day at the clinic. Nothing when it is always open.
pub fn opens_at(start: DateTime<Utc>, days_before: Option<u32>, zone: Tz) -> Option<DateTime<Utc>> {
    let day = start.with_timezone(&zone).date_naive() - chrono::Days::new(u64::from(days_before?));
    Some(at_local(zone, day, NaiveTime::MIN))
}

/// Whether a slot may be booked now, by its type's release rule.
pub fn is_released(start: DateTime<Utc>, days_before: Option<u32>, now: DateTime<Utc>, zone: Tz) -> bool {
    opens_at(start, days_before, zone).is_none_or(|opens| opens <= now)
}

#[cfg(test)]
mod tests {
    use super::*;

    const ZONE: Tz = chrono_tz::America::New_York;

    fn time(h: u32) -> NaiveTime {
        NaiveTime::from_hms_opt(h, 0, 0).unwrap()
    }

    fn day(m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, m, d).unwrap()
    }

    fn run(count: u32, minutes: i64, purpose: Purpose<u8>) -> Run<u8> {
        Run { count, minutes, purpose, clinic: String::new() }
    }

    fn sundays(from: u32, to: u32) -> Template<u8> {
        Template {
            key: 1,
            clinician: 1,
            site: 1,
            every_weeks: 1,
            weekday: Weekday::Sun,
            from: time(from),
            to: time(to),
            runs: vec![
                run(3, 20, Purpose::Open(7)),
                run(1, 10, Purpose::Held("catch-up".into())),
                run(99, 20, Purpose::Open(7)),
            ],
            begins: day(1, 1),
            ends: None,
        }
    }

    #[test]
    fn a_shift_is_as_long_on_the_days_when_the_clock_changes() {
        // Night work over the change: the clock skips from 2:00 to 3:00 on March 8, and shows 1:00 twice on
        // November 1; a shift that begins after the change has its usual length.
        for (m, d) in [(3, 1), (3, 8), (10, 25), (11, 1)] {
            let made = shifts_of_day(&[sundays(8, 12)], &[], day(m, d), ZONE);
            assert_eq!(made[0].span.minutes(), 240, "{m}/{d}");
            assert_eq!(made[0].span.start().with_timezone(&ZONE).time(), time(8), "{m}/{d}");
            let slots = &made[0].slots;
            assert_eq!((slots.len(), slots[3].purpose.clone()), (12, Purpose::Held("catch-up".into())));
            assert!(slots.windows(2).all(|w| w[0].span.end() == w[1].span.start()));
        }
        // Two hours by the clock, one in truth: only what fits is made.
        let short = shifts_of_day(&[sundays(1, 3)], &[], day(3, 8), ZONE);
        assert_eq!((short[0].span.minutes(), short[0].slots.len()), (60, 3));
    }

    #[test]
    fn exceptions_close_the_clinic_or_one_clinician() {
        let both = [sundays(8, 12), Template { key: 2, clinician: 2, ..sundays(8, 12) }];
        let of = |e: &[Exception<u8>]| shifts_of_day(&both, e, day(11, 29), ZONE).len();
        assert_eq!(of(&[]), 2);
        assert_eq!(of(&[Exception::Closed { site: None, from: day(11, 26), to: day(11, 29) }]), 0);
        assert_eq!(of(&[Exception::Away { clinician: 2, from: day(11, 29), to: day(11, 29) }]), 1);
        assert_eq!(of(&[Exception::Closed { site: None, from: day(11, 30), to: day(12, 1) }]), 2);
        assert_eq!(of(&[Exception::Closed { site: Some(2), from: day(11, 29), to: day(11, 29) }]), 2, "another site");
        assert_eq!(of(&[Exception::Closed { site: Some(1), from: day(11, 29), to: day(11, 29) }]), 0);
        assert_eq!(shifts_of_day(&both, &[], day(11, 30), ZONE).len(), 0, "a Monday");
        let ended = [Template { ends: Some(day(11, 22)), ..sundays(8, 12) }];
        assert_eq!(shifts_of_day(&ended, &[], day(11, 29), ZONE).len(), 0);
        let second = [Template { every_weeks: 2, begins: day(11, 16), ..sundays(8, 12) }];
        let made = |d| shifts_of_day(&second, &[], day(11, d), ZONE).len();
        assert_eq!([made(15), made(22), made(29)], [0, 1, 0], "every second week, from Monday the 16th on");
    }

    #[test]
    fn a_template_that_cannot_be_says_why() {
        let length = |t: &u8| (format!("type {t}"), i64::from(*t) * 3);
        let good = Template { runs: vec![run(2, 30, Purpose::Open(7))], ..sundays(8, 12) };
        assert_eq!(check(&good, &[], length), Ok(()));
        let refused = |t: Template<u8>| check(&t, std::slice::from_ref(&good), length).unwrap_err();
        assert_eq!(refused(Template { to: time(8), ..good.clone() }), TemplateRefusal::Backwards);
        assert_eq!(
            refused(Template { runs: vec![run(1, 0, Purpose::Open(7))], ..good.clone() }),
            TemplateRefusal::EmptySlot
        );
        let long = refused(Template { runs: vec![run(1, 20, Purpose::Open(7))], ..good.clone() });
        assert_eq!(long.to_string(), "A type 7 takes 21 minutes; its slot has 20.");
        let many = refused(Template { runs: vec![run(9, 30, Purpose::Open(7))], ..good.clone() });
        assert_eq!(many, TemplateRefusal::TooLong { needed: 270, has: 240 });
        assert_eq!(
            refused(Template { key: 2, from: time(11), to: time(14), runs: vec![], ..good.clone() }),
            TemplateRefusal::Overlaps
        );
        let other = Template { key: 2, from: time(11), to: time(14), runs: vec![], ..good.clone() };
        let alternate = |begins| Template { every_weeks: 2, begins, ..other.clone() };
        let one = alternate(day(11, 16));
        assert_eq!(check(&alternate(day(11, 23)), std::slice::from_ref(&one), length), Ok(()), "they take turns");
        let meets = check(&Template { key: 3, ..alternate(day(11, 30)) }, &[one], length);
        assert_eq!(meets, Err(TemplateRefusal::Overlaps));
        assert_eq!(refused(Template { every_weeks: 0, ..good.clone() }), TemplateRefusal::Weeks);
        let later = Template { key: 2, from: time(12), to: time(14), runs: vec![], ..good.clone() };
        assert_eq!(check(&later, std::slice::from_ref(&good), length), Ok(()));
        assert_eq!(
            refused(Template { ends: Some(day(1, 1).pred_opt().unwrap()), ..later }),
            TemplateRefusal::EndsFirst
        );
    }

    #[test]
    fn a_slot_opens_at_the_beginning_of_its_release_day() {
        let start = at_local(ZONE, day(11, 25), time(15));
        assert_eq!(opens_at(start, None, ZONE), None);
        assert_eq!(opens_at(start, Some(2), ZONE), Some(at_local(ZONE, day(11, 23), time(0))));
        assert_eq!(opens_at(start, Some(0), ZONE), Some(at_local(ZONE, day(11, 25), time(0))));
        let released = |now| is_released(start, Some(2), now, ZONE);
        let midnight = at_local(ZONE, day(11, 23), time(0));
        assert!(released(midnight) && !released(midnight - Duration::minutes(1)));
        assert!(is_released(start, None, midnight - Duration::days(90), ZONE));
    }
}
