//! Open times in the order in which a person at the desk would offer them: soon, close to the wish, with the
//! usual clinician, and without leaving scraps of time that nobody can use.

use super::Span;
use chrono::{DateTime, Duration, NaiveTime, Utc, Weekday};
use chrono::{Datelike, Timelike};
use chrono_tz::Tz;

/// What somebody asks for; what is left empty is any.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Wish<K> {
    pub clinicians: Vec<K>,
    pub sites: Vec<K>,
    pub visit_types: Vec<K>,
    pub weekdays: Vec<Weekday>,
    /// Earliest and latest start by the clinic's clock, the end excluded.
    pub between: Option<(NaiveTime, NaiveTime)>,
    /// How many minutes are needed; a longer visit takes neighbouring slots.
    pub minutes: i64,
    /// The time of day that would suit best.
    pub around: Option<NaiveTime>,
    /// The clinician that the person usually sees.
    pub usual: Option<K>,
}

impl<K> Wish<K> {
    /// What somebody can come to at all holds where nothing else was asked for.
    pub fn kept_to(mut self, sites: Vec<K>, weekdays: Vec<Weekday>) -> Wish<K> {
        if self.sites.is_empty() {
            self.sites = sites;
        }
        if self.weekdays.is_empty() {
            self.weekdays = weekdays;
        }
        self
    }
}

/// A stretch of one or more neighbouring free slots.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Open<K> {
    pub span: Span,
    pub clinician: K,
    pub site: K,
    pub visit_type: K,
    /// Free minutes that would stay before and behind it until the next taken or held time.
    pub left_before: i64,
    pub left_after: i64,
}

/// A free scrap shorter than this is of no use to anybody.
const SCRAP: i64 = 10;

/// The search goes so many days ahead, step by step, until [`is_settled`].
pub const LOOKS: [i64; 5] = [2, 5, 14, 42, 92];
const DAY: i64 = 24 * 60;

/// Whether nothing that lies `days` days or more after the day asked for can still come among the best
/// `offered`: a day of waiting costs a day, and nothing takes off from it.
pub fn is_settled(scores: &[i64], offered: usize, days: i64) -> bool {
    let mut sorted = scores.to_vec();
    sorted.sort_unstable();
    offered > 0 && sorted.get(offered - 1).is_some_and(|last| *last <= days * DAY)
}

/// Whether a time is within the wish.
pub fn fits<K: PartialEq>(wish: &Wish<K>, open: &Open<K>, zone: Tz) -> bool {
    let any = |wanted: &[K], has: &K| wanted.is_empty() || wanted.contains(has);
    let local = open.span.start().with_timezone(&zone);
    any(&wish.clinicians, &open.clinician)
        && any(&wish.sites, &open.site)
        && any(&wish.visit_types, &open.visit_type)
        && (wish.weekdays.is_empty() || wish.weekdays.contains(&local.weekday()))
        && wish.between.is_none_or(|(from, to)| (from..to).contains(&local.time()))
        && open.span.minutes() >= wish.minutes
}

/// Whether a shift can hold a time that fits, before its slots are looked at: on a wished day, open at a wished time
/// of day, and at least `minutes` long. It lies within one local day.
pub fn may_hold<K>(wish: &Wish<K>, shift: &Span, minutes: i64, zone: Tz) -> bool {
    let local = |at: DateTime<Utc>| at.with_timezone(&zone);
    let (start, last) = (local(shift.start()), local(shift.end() - Duration::minutes(1)));
    shift.minutes() >= minutes
        && (wish.weekdays.is_empty() || wish.weekdays.contains(&start.weekday()))
        && wish.between.is_none_or(|(from, to)| start.time() < to && last.time() >= from)
}

/// How well a time suits: the smaller the better. A day of waiting counts as much as two hours beside the wished time of day, the
/// usual clinician is worth three days, and a scrap left behind costs half a day.
/// The waiting is counted from the day asked for.
pub fn score<K: PartialEq>(wish: &Wish<K>, open: &Open<K>, from: DateTime<Utc>, zone: Tz) -> i64 {
    let local = open.span.start().with_timezone(&zone);
    let days = (local.date_naive() - from.with_timezone(&zone).date_naive()).num_days();
    let mut score = days.max(0) * DAY;
    score += match beside(wish, open, zone) {
        Some(minutes) => minutes * DAY / 120,
        // Within a day the earlier comes first.
        None => minute(local.time()) / 10,
    };
    if wish.usual.as_ref().is_some_and(|usual| *usual != open.clinician) {
        score += 3 * DAY;
    }
    for left in [open.left_before, open.left_after] {
        if (1..SCRAP).contains(&left) {
            score += DAY / 2;
        }
    }
    if open.span.minutes() > wish.minutes.max(1) && wish.minutes > 0 {
        // A longer slot than needed is kept for those who need it.
        score += (open.span.minutes() - wish.minutes) * 6;
    }
    score
}

fn minute(t: NaiveTime) -> i64 {
    i64::from(t.num_seconds_from_midnight() / 60)
}

/// Minutes between the wished time of day and the start.
fn beside<K>(wish: &Wish<K>, open: &Open<K>, zone: Tz) -> Option<i64> {
    let local = minute(open.span.start().with_timezone(&zone).time());
    wish.around.map(|around| (local - minute(around)).abs())
}

/// Why a time stands where it stands, as it is told at the desk; the waiting is told from `now`.
pub fn reasons<K: PartialEq>(wish: &Wish<K>, open: &Open<K>, now: DateTime<Utc>, zone: Tz) -> Vec<String> {
    let date = |at: DateTime<Utc>| at.with_timezone(&zone).date_naive();
    let mut reasons = vec![match (date(open.span.start()) - date(now)).num_days() {
        ..=0 => "today".to_owned(),
        1 => "tomorrow".to_owned(),
        n => format!("in {n} days"),
    }];
    if beside(wish, open, zone).is_some_and(|minutes| minutes <= 30) {
        reasons.push("at the wished time".into());
    }
    if wish.usual.as_ref() == Some(&open.clinician) {
        reasons.push("usual clinician".into());
    }
    if open.left_before == 0 && open.left_after == 0 {
        reasons.push("fills a gap".into());
    }
    reasons
}

/// A free slot of one clinician's day, in order, as stretches are made from it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Piece<K> {
    pub span: Span,
    pub site: K,
    pub visit_type: Option<K>,
}

/// The stretches of neighbouring free slots of one clinician that are at least `minutes` long, each as
/// short as can be; of several types the first one's counts. With no minutes every free slot is a stretch.
pub fn stretches<K: Copy + PartialEq>(clinician: K, pieces: &[Piece<K>], minutes: i64) -> Vec<Open<K>> {
    let mut out = Vec::new();
    let touches = |a: &Piece<K>, b: &Piece<K>| a.span.end() == b.span.start();
    for first in 0..pieces.len() {
        let Some(visit_type) = pieces[first].visit_type else { continue };
        let mut last = first;
        let long = |last: usize| (pieces[last].span.end() - pieces[first].span.start()).num_minutes();
        while long(last) < minutes && last + 1 < pieces.len() && touches(&pieces[last], &pieces[last + 1]) {
            last += 1;
        }
        let Ok(span) = Span::new(pieces[first].span.start(), pieces[last].span.end()) else { continue };
        if span.minutes() < minutes {
            continue;
        }
        let mut before = first;
        while before > 0 && touches(&pieces[before - 1], &pieces[before]) {
            before -= 1;
        }
        let mut after = last;
        while after + 1 < pieces.len() && touches(&pieces[after], &pieces[after + 1]) {
            after += 1;
        }
        out.push(Open {
            span,
            clinician,
            site: pieces[first].site,
            visit_type,
            left_before: (span.start() - pieces[before].span.start()).num_minutes(),
            left_after: (pieces[after].span.end() - span.end()).num_minutes(),
        });
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;
    use proptest::prelude::*;

    const ZONE: Tz = chrono_tz::America::New_York;

    /// Monday 9:00 at the clinic and so much later.
    fn at(day: i64, minute: i64) -> DateTime<Utc> {
        Utc.with_ymd_and_hms(2026, 11, 23, 14, 0, 0).unwrap() + Duration::days(day) + Duration::minutes(minute)
    }

    fn open(day: i64, minute: i64, clinician: u8) -> Open<u8> {
        let span = Span::new(at(day, minute), at(day, minute + 20)).unwrap();
        Open { span, clinician, site: 1, visit_type: 1, left_before: 0, left_after: 40 }
    }

    fn best(wish: &Wish<u8>, opens: &[Open<u8>]) -> usize {
        (0..opens.len()).min_by_key(|n| score(wish, &opens[*n], at(0, 0), ZONE)).unwrap()
    }

    #[test]
    fn soon_comes_first_unless_the_usual_clinician_is_near() {
        let any = Wish { minutes: 20, ..Wish::default() };
        assert_eq!(best(&any, &[open(2, 0, 1), open(1, 0, 2), open(1, 60, 3)]), 1);
        let loyal = Wish { usual: Some(1), ..any.clone() };
        assert_eq!(best(&loyal, &[open(3, 0, 1), open(1, 0, 2)]), 0);
        assert_eq!(best(&loyal, &[open(6, 0, 1), open(1, 0, 2)]), 1, "but not for a week of waiting");
        let told = reasons(&loyal, &open(1, 0, 1), at(0, 0), ZONE);
        assert_eq!(told, ["tomorrow", "usual clinician"]);
    }

    #[test]
    fn the_wished_hour_counts_and_scraps_cost() {
        let evening = Wish { minutes: 20, around: NaiveTime::from_hms_opt(16, 0, 0), ..Wish::default() };
        assert_eq!(best(&evening, &[open(1, 0, 1), open(2, 420, 1)]), 1);
        let any = Wish { minutes: 20, ..Wish::default() };
        let scrap = Open { left_after: 5, ..open(1, 0, 1) };
        assert_eq!(best(&any, &[scrap, open(1, 60, 1)]), 1);
    }

    #[test]
    fn only_what_is_wished_fits() {
        let wish = Wish {
            clinicians: vec![1],
            weekdays: vec![Weekday::Tue],
            between: Some((NaiveTime::from_hms_opt(9, 0, 0).unwrap(), NaiveTime::from_hms_opt(10, 0, 0).unwrap())),
            minutes: 20,
            ..Wish::default()
        };
        assert!(fits(&wish, &open(1, 0, 1), ZONE));
        assert!(!fits(&wish, &open(1, 60, 1), ZONE), "ten is no longer between nine and ten");
        assert!(!fits(&wish, &open(1, 0, 2), ZONE) && !fits(&wish, &open(2, 0, 1), ZONE));
        assert!(!fits(&Wish { minutes: 40, ..wish }, &open(1, 0, 1), ZONE));
    }

    #[test]
    fn neighbours_make_a_longer_time_but_not_over_a_held_one() {
        let piece = |from: i64, to: i64| Piece {
            span: Span::new(at(0, from), at(0, to)).unwrap(),
            site: 1u8,
            visit_type: Some(1),
        };
        // From 40 to 60 somebody is booked.
        let day = [piece(0, 20), piece(20, 40), piece(60, 80), piece(90, 110)];
        let long = stretches(1, &day, 40);
        assert_eq!(long.len(), 1);
        assert_eq!((long[0].span.minutes(), long[0].left_before, long[0].left_after), (40, 0, 0));
        let short = stretches(1, &day, 0);
        assert_eq!(short.len(), 4);
        assert_eq!((short[1].left_before, short[1].left_after), (20, 0));
    }

    proptest! {
        #[test]
        fn no_shift_is_left_out_that_holds_a_time_that_fits(
            begins in 0i64..400, slots in 1i64..12, day in 0i64..7, weekday in proptest::option::of(0u8..7),
            between in proptest::option::of((0u32..24, 0u32..24)), minutes in prop_oneof![Just(0i64), Just(40), Just(90)],
        ) {
            let wish: Wish<u8> = Wish {
                weekdays: weekday.and_then(|n| Weekday::try_from(n).ok()).into_iter().collect(),
                between: between.and_then(|(a, b)| Some((NaiveTime::from_hms_opt(a, 0, 0)?, NaiveTime::from_hms_opt(b, 0, 0)?))),
                minutes,
                ..Wish::default()
            };
            let pieces: Vec<Piece<u8>> = (0..slots)
                .map(|n| {
                    let span = Span::new(at(day, begins + n * 20), at(day, begins + n * 20 + 20)).unwrap();
                    Piece { span, site: 1, visit_type: Some(1) }
                })
                .collect();
            let shift = Span::new(at(day, begins), at(day, begins + slots * 20)).unwrap();
            let holds = stretches(1, &pieces, minutes).iter().any(|o| fits(&wish, o, ZONE));
            prop_assert!(may_hold(&wish, &shift, minutes, ZONE) || !holds);
        }

        #[test]
        fn looking_step_by_step_finds_what_looking_everywhere_finds(
            times in proptest::collection::vec((0i64..92, 0i64..500, 1u8..4), 0..80),
            usual in proptest::option::of(1u8..4),
            around in proptest::option::of(8u32..17),
        ) {
            let wish = Wish { usual, around: around.and_then(|h| NaiveTime::from_hms_opt(h, 0, 0)), ..Wish::default() };
            let opens: Vec<Open<u8>> = times.iter().map(|(d, m, c)| open(*d, *m, *c)).collect();
            let score = |o: &Open<u8>| score(&wish, o, at(0, 0), ZONE);
            let best = |mut scores: Vec<i64>| {
                scores.sort_unstable();
                scores.truncate(5);
                scores
            };
            let mut found = vec![];
            for (n, days) in LOOKS.iter().enumerate() {
                let since = if n == 0 { 0 } else { LOOKS[n - 1] };
                let within = |o: &&Open<u8>| {
                    let day = (o.span.start().with_timezone(&ZONE).date_naive() - at(0, 0).with_timezone(&ZONE).date_naive()).num_days();
                    (since..*days).contains(&day)
                };
                found.extend(opens.iter().filter(within).map(score));
                if is_settled(&found, 5, *days) {
                    break;
                }
            }
            prop_assert_eq!(best(found), best(opens.iter().map(score).collect()));
        }

        #[test]
        fn no_stretch_covers_a_taken_slot(frees in proptest::collection::vec((any::<bool>(), 0i64..3), 0..20), minutes in 0i64..100) {
            let mut start = 0;
            let mut pieces = Vec::new();
            for (free, gap) in frees {
                start += gap * 5;
                let span = Span::new(at(0, start), at(0, start + 20)).unwrap();
                if free {
                    pieces.push(Piece { span, site: 1u8, visit_type: Some(1) });
                }
                start += 20;
            }
            for open in stretches(1, &pieces, minutes) {
                prop_assert!(open.span.minutes() >= minutes);
                let covered: i64 = pieces.iter().filter(|p| open.span.contains(&p.span)).map(|p| p.span.minutes()).sum();
                prop_assert_eq!(covered, open.span.minutes(), "free from end to end");
            }
        }
    }
}
