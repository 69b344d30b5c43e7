//! Open times in the order in which a person at the desk would offer them: soon, close to the wish, with the
//! usual clinician, and without leaving scraps of time that nobody can use.

use super::supply::is_released;
use super::{Span, day_bounds};
use chrono::{DateTime, Datelike, Duration, NaiveTime, Timelike, Utc, Weekday};
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
    /// The first of them.
    pub slot: K,
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
    pub slot: K,
    pub span: Span,
    pub site: K,
    pub visit_type: Option<K>,
}

/// The stretches of neighbouring free slots of one clinician, each as short as can be and at least as long as
/// `needed` says for the visit type of its first slot. Where no minutes are needed every free slot is a stretch.
pub fn stretches<K: Copy + PartialEq>(clinician: K, pieces: &[Piece<K>], needed: impl Fn(K) -> i64) -> Vec<Open<K>> {
    let mut out = Vec::new();
    let touches = |a: &Piece<K>, b: &Piece<K>| a.span.end() == b.span.start();
    for first in 0..pieces.len() {
        let Some(visit_type) = pieces[first].visit_type else { continue };
        let minutes = needed(visit_type);
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
            slot: pieces[first].slot,
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

/// What a visit type asks of a time.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TypeRule<K> {
    pub visit_type: K,
    pub minutes: i64,
    /// Opens so many days before; nothing: always open.
    pub release_days: Option<u32>,
}

/// A search that reads the schedule window by window ([`LOOKS`]), and stops as soon as nothing later can be
/// among the best: while [`Search::next_window`] gives one, its free slots are taken in by [`Search::take`].
///
/// ```
/// use harbor_core::schedule::open_times::{Search, TypeRule, Wish};
/// use chrono::{TimeZone, Utc};
/// let from = Utc.with_ymd_and_hms(2026, 11, 23, 14, 0, 0).unwrap();
/// let types = [TypeRule { visit_type: 1u8, minutes: 20, release_days: None }];
/// let wish = Wish { visit_types: vec![1], ..Wish::default() };
/// let mut search = Search::new(&wish, &types, from, from, chrono_tz::America::New_York, 12);
/// // An empty schedule is read to its end before the answer is "nothing".
/// let mut days = 0;
/// while let Some((from, to)) = search.next_window() {
///     days += (to - from).num_days();
/// }
/// assert!(days > 90 && search.page(0).is_empty());
/// ```
#[derive(Debug)]
pub struct Search<'a, K> {
    wish: &'a Wish<K>,
    types: &'a [TypeRule<K>],
    /// The moment asked for, and the present one.
    from: DateTime<Utc>,
    now: DateTime<Utc>,
    zone: Tz,
    /// So many of the best are to be known for certain.
    wanted: usize,
    /// How many windows were given out, and where the next one begins.
    given: usize,
    begins: DateTime<Utc>,
    found: Vec<(i64, Open<K>)>,
}

impl<'a, K: Copy + Ord> Search<'a, K> {
    pub fn new(
        wish: &'a Wish<K>,
        types: &'a [TypeRule<K>],
        from: DateTime<Utc>,
        now: DateTime<Utc>,
        zone: Tz,
        wanted: usize,
    ) -> Search<'a, K> {
        Search { wish, types, from, now, zone, wanted, given: 0, begins: from, found: Vec::new() }
    }

    fn rule(&self, visit_type: K) -> Option<&TypeRule<K>> {
        self.types.iter().find(|t| t.visit_type == visit_type)
    }

    /// The minutes that a time of a type must have: as wished, and at least those of the type. A slot that was cut
    /// short serves its type only together with its neighbours.
    fn needed(&self, visit_type: K) -> i64 {
        self.rule(visit_type).map_or(0, |t| t.minutes).max(self.wish.minutes)
    }

    /// The next stretch of days to be read; nothing when the best are known.
    pub fn next_window(&mut self) -> Option<(DateTime<Utc>, DateTime<Utc>)> {
        let scores: Vec<i64> = self.found.iter().map(|(score, _)| *score).collect();
        let read = self.given.checked_sub(1).map_or(0, |last| LOOKS[last]);
        let days = *LOOKS.get(self.given)?;
        if self.given > 0 && is_settled(&scores, self.wanted, read) {
            return None;
        }
        let first = self.from.with_timezone(&self.zone).date_naive();
        let window = (self.begins, day_bounds(self.zone, first + Duration::days(days)).0);
        (self.given, self.begins) = (self.given + 1, window.1);
        Some(window)
    }

    /// Whether the slots of a shift are worth reading.
    pub fn may_hold(&self, shift: &Span) -> bool {
        let least = self.wish.visit_types.iter().map(|t| self.needed(*t)).min().unwrap_or(self.wish.minutes);
        may_hold(self.wish, shift, least, self.zone)
    }

    /// Takes in the free slots of one shift, in order: a visit lies within one shift.
    pub fn take(&mut self, clinician: K, pieces: &[Piece<K>]) {
        for open in stretches(clinician, pieces, |visit_type| self.needed(visit_type)) {
            let release = self.rule(open.visit_type).and_then(|t| t.release_days);
            let released = is_released(open.span.start(), release, self.now, self.zone);
            if released && fits(self.wish, &open, self.zone) {
                self.found.push((score(self.wish, &open, self.from, self.zone), open));
            }
        }
    }

    /// The best that are wanted, without the first `skip` of them: every page of a search shows what no other does.
    pub fn page(mut self, skip: usize) -> Vec<Open<K>> {
        self.found.sort_by_key(|(score, open)| (*score, open.span.start(), open.slot));
        self.found.into_iter().map(|(_, open)| open).take(self.wanted).skip(skip).collect()
    }
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
        Open { slot: 0, span, clinician, site: 1, visit_type: 1, left_before: 0, left_after: 40 }
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
            slot: 0,
            span: Span::new(at(0, from), at(0, to)).unwrap(),
            site: 1u8,
            visit_type: Some(1),
        };
        // From 40 to 60 somebody is booked.
        let day = [piece(0, 20), piece(20, 40), piece(60, 80), piece(90, 110)];
        let long = stretches(1, &day, |_| 40);
        assert_eq!(long.len(), 1);
        assert_eq!((long[0].span.minutes(), long[0].left_before, long[0].left_after), (40, 0, 0));
        let short = stretches(1, &day, |_| 0);
        assert_eq!(short.len(), 4);
        assert_eq!((short[1].left_before, short[1].left_after), (20, 0));
    }

    #[test]
    fn a_search_keeps_to_the_length_and_the_release_rule_of_each_type() {
        let types = [
            TypeRule { visit_type: 1, minutes: 20, release_days: None },
            TypeRule { visit_type: 2, minutes: 40, release_days: Some(2) },
        ];
        let piece = |slot: u8, day: i64, minute: i64, visit_type: u8| {
            let span = Span::new(at(day, minute), at(day, minute + 20)).unwrap();
            Piece { slot, span, site: 1, visit_type: Some(visit_type) }
        };
        let found = |wish: &Wish<u8>, pieces: &[Piece<u8>]| {
            let mut search = Search::new(wish, &types, at(0, 0), at(0, 0), ZONE, 12);
            assert!(search.next_window().is_some());
            search.take(1, pieces);
            search.page(0).iter().map(|o| (o.slot, o.span.minutes())).collect::<Vec<_>>()
        };
        let (any, second) = (Wish::default(), Wish { visit_types: vec![2], ..Wish::default() });
        assert_eq!(found(&any, &[piece(1, 1, 0, 1)]), [(1, 20)]);
        assert_eq!(found(&any, &[piece(1, 1, 0, 2)]), [], "a slot that was cut short");
        let pair = [piece(1, 1, 0, 2), piece(2, 1, 20, 2)];
        assert_eq!(found(&second, &pair), [(1, 40)], "with its neighbour");
        assert_eq!(found(&any, &pair), [(1, 40)], "whatever was asked for");
        let both = Wish { visit_types: vec![1, 2], ..Wish::default() };
        let mixed = [piece(1, 1, 0, 1), piece(2, 1, 20, 2), piece(3, 1, 40, 2)];
        assert_eq!(found(&both, &mixed), [(1, 20), (2, 40)], "each type by its own length");
        assert_eq!(found(&second, &[piece(1, 1, 0, 2), piece(2, 1, 40, 2)]), [], "but not over a gap");
        assert_eq!(found(&second, &[piece(1, 3, 0, 2), piece(2, 3, 20, 2)]), [], "it opens two days before");
        let long = Wish { minutes: 60, ..Wish::default() };
        let row = [piece(1, 1, 0, 1), piece(2, 1, 20, 1), piece(3, 1, 40, 1)];
        assert_eq!(found(&long, &row), [(1, 60)]);
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
                    Piece { slot: 0, span, site: 1, visit_type: Some(1) }
                })
                .collect();
            let shift = Span::new(at(day, begins), at(day, begins + slots * 20)).unwrap();
            let holds = stretches(1, &pieces, |_| minutes).iter().any(|o| fits(&wish, o, ZONE));
            prop_assert!(may_hold(&wish, &shift, minutes, ZONE) || !holds);
        }

        #[test]
        fn looking_step_by_step_finds_what_looking_everywhere_finds_and_no_page_repeats_another(
            times in proptest::collection::vec((0i64..92, 0i64..25, 1u8..4), 0..80),
            usual in proptest::option::of(1u8..4),
            around in proptest::option::of(8u32..17),
        ) {
            let wish = Wish { usual, around: around.and_then(|h| NaiveTime::from_hms_opt(h, 0, 0)), ..Wish::default() };
            // Single free slots, each a shift of its own.
            let piece = |n: usize, (day, slot, _): (i64, i64, u8)| {
                let span = Span::new(at(day, slot * 20), at(day, slot * 20 + 20)).unwrap();
                Piece { slot: u8::try_from(n).unwrap(), span, site: 1, visit_type: Some(1) }
            };
            let all: Vec<(u8, Piece<u8>)> = times.iter().enumerate().map(|(n, t)| (t.2, piece(n, *t))).collect();
            let look = |wanted: usize, skip: usize| {
                let mut search = Search::new(&wish, &[], at(0, 0), at(0, 0), ZONE, wanted);
                let mut windows = 0;
                while let Some((from, to)) = search.next_window() {
                    windows += 1;
                    for (clinician, piece) in all.iter().filter(|(_, p)| from <= p.span.start() && p.span.start() < to) {
                        search.take(*clinician, std::slice::from_ref(piece));
                    }
                }
                (search.page(skip), windows)
            };
            let scores = |opens: &[Open<u8>]| opens.iter().map(|o| score(&wish, o, at(0, 0), ZONE)).collect::<Vec<_>>();
            let (everything, windows) = look(usize::MAX, 0);
            prop_assert_eq!((everything.len(), windows), (all.len(), LOOKS.len()));
            prop_assert!(scores(&everything).is_sorted());
            let mut paged = Vec::new();
            for page in 0..=all.len() / 5 {
                let (opens, _) = look(page * 5 + 5, page * 5);
                prop_assert!(opens.len() <= 5);
                paged.extend(opens);
            }
            // Times that suit equally may stand in any order, but each once.
            prop_assert_eq!(scores(&paged), scores(&everything));
            let mut slots: Vec<u8> = paged.iter().map(|o| o.slot).collect();
            slots.sort_unstable();
            prop_assert!(slots.windows(2).all(|w| w[0] != w[1]), "a time stands on two pages");
        }

        #[test]
        fn no_stretch_covers_a_taken_slot(frees in proptest::collection::vec((any::<bool>(), 0i64..3), 0..20), minutes in 0i64..100) {
            let mut start = 0;
            let mut pieces = Vec::new();
            for (free, gap) in frees {
                start += gap * 5;
                let span = Span::new(at(0, start), at(0, start + 20)).unwrap();
                if free {
                    pieces.push(Piece { slot: 0, span, site: 1u8, visit_type: Some(1) });
                }
                start += 20;
            }
            for open in stretches(1, &pieces, |_| minutes) {
                prop_assert!(open.span.minutes() >= minutes);
                let covered: i64 = pieces.iter().filter(|p| open.span.contains(&p.span)).map(|p| p.span.minutes()).sum();
                prop_assert_eq!(covered, open.span.minutes(), "free from end to end");
            }
        }
    }
}
