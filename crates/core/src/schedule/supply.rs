//! Working time: weekly templates with exceptions become shifts cut into slots, day by day.
//!
//! Making is idempotent and safe over the changes of the clock: a template says local times, and a shift
//! from 8:00 to 12:00 is four hours long on every day of the year. When a template changes, [`reconcile`]
//! says what to add and what to remove; a slot that somebody has stays as it is, and what stood in the way
//! of the new template is told.

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

/// Working time that comes every week. `C` names a clinician, `S` a site.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Template<C, S, T> {
    pub clinician: C,
    pub site: S,
    pub weekday: Weekday,
    pub from: NaiveTime,
    pub to: NaiveTime,
    pub runs: Vec<Run<T>>,
    /// The days between which it holds; both ends included.
    pub begins: NaiveDate,
    pub ends: Option<NaiveDate>,
}

/// A day that is not as the week says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Exception<C> {
    /// Nobody works: a holiday, a closed site.
    Closed { from: NaiveDate, to: NaiveDate },
    /// One clinician does not.
    Away { clinician: C, from: NaiveDate, to: NaiveDate },
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
}

/// Checks a template alone and beside the clinician's others. `length_of` says how long a visit type takes.
pub fn check<C: PartialEq, S, T: Clone>(
    wanted: &Template<C, S, T>,
    others: &[Template<C, S, T>],
    length_of: impl Fn(&T) -> (String, i64),
) -> Result<(), TemplateRefusal> {
    if wanted.to <= wanted.from {
        return Err(TemplateRefusal::Backwards);
    }
    if wanted.ends.is_some_and(|end| end < wanted.begins) {
        return Err(TemplateRefusal::EndsFirst);
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
    let at_once = |o: &Template<C, S, T>| {
        o.clinician == wanted.clinician
            && o.weekday == wanted.weekday
            && o.from < wanted.to
            && wanted.from < o.to
            && o.ends.is_none_or(|end| wanted.begins <= end)
            && wanted.ends.is_none_or(|end| o.begins <= end)
    };
    if others.iter().any(at_once) { Err(TemplateRefusal::Overlaps) } else { Ok(()) }
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
pub struct MadeShift<C, S, T> {
    pub clinician: C,
    pub site: S,
    pub span: Span,
    pub slots: Vec<MadeSlot<T>>,
}

/// The shifts of one day.
pub fn shifts_of_day<C: Clone + PartialEq, S: Clone, T: Clone>(
    templates: &[Template<C, S, T>],
    exceptions: &[Exception<C>],
    day: NaiveDate,
    zone: Tz,
) -> Vec<MadeShift<C, S, T>> {
    let off = |clinician: &C| {
        exceptions.iter().any(|e| match e {
            Exception::Closed { from, to } => (*from..=*to).contains(&day),
            Exception::Away { clinician: who, from, to } => who == clinician && (*from..=*to).contains(&day),
        })
    };
    templates
        .iter()
        .filter(|t| t.weekday == day.weekday() && t.begins <= day && t.ends.is_none_or(|end| day <= end))
        .filter(|t| !off(&t.clinician))
        .filter_map(|t| {
            let span = Span::new(at_local(zone, day, t.from), at_local(zone, day, t.to)).ok()?;
            Some(MadeShift { clinician: t.clinician.clone(), site: t.site.clone(), span, slots: cut(t, span) })
        })
        .collect()
}

/// Cuts a shift into its slots, one run behind the other; what does not fit any more is left out.
fn cut<C, S, T: Clone>(t: &Template<C, S, T>, shift: Span) -> Vec<MadeSlot<T>> {
    let mut out = Vec::new();
    let mut start = shift.start();
    for run in &t.runs {
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

/// A slot that is there. `K` names it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Present<K, T> {
    pub key: K,
    pub slot: MadeSlot<T>,
    /// Somebody has it, or a person changed it by hand: it stays.
    pub fixed: bool,
}

/// What to do so that the slots are as the template says, as far as that can be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reconciled<K, T> {
    pub add: Vec<MadeSlot<T>>,
    pub remove: Vec<K>,
    /// Slots of the template that cannot be made, each with the slot that stays in its way.
    pub blocked: Vec<(MadeSlot<T>, K)>,
}

/// Compares what a template wants with what is there, for one clinician and day. Applying the answer and
/// asking again gives nothing to add and nothing to remove.
pub fn reconcile<K: Clone, T: Clone + PartialEq>(
    wanted: &[MadeSlot<T>],
    present: &[Present<K, T>],
) -> Reconciled<K, T> {
    let is_wanted = |p: &Present<K, T>| wanted.contains(&p.slot);
    let stays: Vec<&Present<K, T>> = present.iter().filter(|p| p.fixed || is_wanted(p)).collect();
    let remove = present.iter().filter(|p| !p.fixed && !is_wanted(p)).map(|p| p.key.clone()).collect();
    let mut out = Reconciled { add: vec![], remove, blocked: vec![] };
    for slot in wanted {
        if stays.iter().any(|p| p.slot == *slot) {
            continue;
        }
        match stays.iter().find(|p| p.slot.span.overlaps(&slot.span)) {
            Some(in_the_way) => out.blocked.push((slot.clone(), in_the_way.key.clone())),
            None => out.add.push(slot.clone()),
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

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

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

    fn sundays(from: u32, to: u32) -> Template<u8, u8, u8> {
        Template {
            clinician: 1,
            site: 1,
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
        let both = [sundays(8, 12), Template { clinician: 2, ..sundays(8, 12) }];
        let of = |e: &[Exception<u8>]| shifts_of_day(&both, e, day(11, 29), ZONE).len();
        assert_eq!(of(&[]), 2);
        assert_eq!(of(&[Exception::Closed { from: day(11, 26), to: day(11, 29) }]), 0);
        assert_eq!(of(&[Exception::Away { clinician: 2, from: day(11, 29), to: day(11, 29) }]), 1);
        assert_eq!(of(&[Exception::Closed { from: day(11, 30), to: day(12, 1) }]), 2);
        assert_eq!(shifts_of_day(&both, &[], day(11, 30), ZONE).len(), 0, "a Monday");
        let ended = [Template { ends: Some(day(11, 22)), ..sundays(8, 12) }];
        assert_eq!(shifts_of_day(&ended, &[], day(11, 29), ZONE).len(), 0);
    }

    #[test]
    fn a_template_that_cannot_be_says_why() {
        let length = |t: &u8| (format!("type {t}"), i64::from(*t) * 3);
        let good = Template { runs: vec![run(2, 30, Purpose::Open(7))], ..sundays(8, 12) };
        assert_eq!(check(&good, &[], length), Ok(()));
        let refused = |t: Template<u8, u8, u8>| check(&t, std::slice::from_ref(&good), length).unwrap_err();
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
            refused(Template { from: time(11), to: time(14), runs: vec![], ..good.clone() }),
            TemplateRefusal::Overlaps
        );
        let later = Template { from: time(12), to: time(14), runs: vec![], ..good.clone() };
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
    }

    fn apply(present: &[Present<usize, u8>], r: &Reconciled<usize, u8>) -> Vec<Present<usize, u8>> {
        let next = present.iter().map(|p| p.key).max().map_or(0, |k| k + 1);
        let stay = present.iter().filter(|p| !r.remove.contains(&p.key)).cloned();
        let added = r.add.iter().zip(next..).map(|(slot, key)| Present { key, slot: slot.clone(), fixed: false });
        stay.chain(added).collect()
    }

    proptest! {
        #[test]
        fn a_changed_template_never_touches_what_is_booked_and_settles_at_once(
            first in proptest::collection::vec((1u32..6, 1i64..6, 0u8..3), 0..5),
            second in proptest::collection::vec((1u32..6, 1i64..6, 0u8..3), 0..5),
            booked in proptest::collection::vec(any::<bool>(), 40),
        ) {
            let template = |runs: &[(u32, i64, u8)]| Template {
                runs: runs.iter().map(|(n, m, t)| run(*n, m * 10, Purpose::Open(*t))).collect(),
                ..sundays(8, 12)
            };
            let made = |runs: &[(u32, i64, u8)]| shifts_of_day(&[template(runs)], &[], day(11, 29), ZONE).remove(0).slots;
            let present: Vec<Present<usize, u8>> = made(&first).into_iter().enumerate()
                .map(|(key, slot)| Present { key, slot, fixed: booked[key % 40] })
                .collect();
            let wanted = made(&second);
            let r = reconcile(&wanted, &present);
            let after = apply(&present, &r);
            for p in present.iter().filter(|p| p.fixed) {
                prop_assert!(after.contains(p), "a booked slot was touched");
            }
            for (at, a) in after.iter().enumerate() {
                prop_assert!(after[at + 1..].iter().all(|b| !a.slot.span.overlaps(&b.slot.span)), "slots overlap");
            }
            let again = reconcile(&wanted, &after);
            prop_assert!(again.add.is_empty() && again.remove.is_empty(), "asked twice, done twice");
            prop_assert_eq!(again.blocked.len(), r.blocked.len());
        }
    }
}
