//! When a clinician is away: a new time for everybody at once.
//!
//! The plan is an assignment of people to open slots. First as many as possible get a time; among those
//! plans the one with the least total burden is taken, where a burden is the delay in minutes and a
//! surcharge for another clinician or another part of the day. It is found exactly (Hungarian method), so
//! that no booking one after the other does better.

use super::Span;
use chrono::{DateTime, Datelike, Duration, Timelike, Utc, Weekday};
use chrono_tz::Tz;
use pathfinding::kuhn_munkres::kuhn_munkres_min;
use pathfinding::matrix::Matrix;

/// A surcharge as minutes of delay: for another clinician than before, when the same one is wanted.
pub const OTHER_CLINICIAN: i64 = 3 * 24 * 60;
/// For the other half of the day.
pub const OTHER_HALF: i64 = 24 * 60;
/// Nobody can be told of a new time, and come, sooner than so many hours from now.
pub const NOTICE_HOURS: i64 = 24;
/// New times are looked for in so many days.
pub const AHEAD_DAYS: i64 = 42;
/// Coming earlier than planned burdens less than coming later, but it does.
const EARLIER: i64 = 2;

/// Morning or afternoon of the clinic's clock.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Half {
    Morning,
    Afternoon,
}

pub fn half_of(at: DateTime<Utc>, zone: Tz) -> Half {
    if at.with_timezone(&zone).hour() < 12 { Half::Morning } else { Half::Afternoon }
}

/// Somebody who needs a new time. `K` names people, clinicians, sites and visit types.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Displaced<K> {
    pub person: K,
    pub start: DateTime<Utc>,
    pub minutes: i64,
    pub visit_type: K,
    pub clinician: K,
    pub site: K,
    /// Other visits of the person that stand; nobody is at two places at once.
    pub busy: Vec<Span>,
    /// Wants the same clinician; another one is a burden, not impossible.
    pub same_clinician: bool,
    /// Sites and weekdays that the person can come to; empty: any.
    pub sites: Vec<K>,
    pub weekdays: Vec<Weekday>,
    /// How much a minute of delay weighs, from 1; more for what cannot wait.
    pub weight: i64,
}

/// A slot that nobody has.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Opening<K> {
    pub start: DateTime<Utc>,
    pub minutes: i64,
    pub visit_type: K,
    pub clinician: K,
    pub site: K,
}

impl<K> Opening<K> {
    /// From when to when a visit of so many minutes would be.
    fn span_of(&self, minutes: i64) -> Option<Span> {
        Span::new(self.start, self.start + Duration::minutes(minutes)).ok()
    }
}

/// How much a time burdens a person; nothing when it is impossible: another type, too short, or outside the
/// person's own limits, or at the time of another visit of theirs.
pub fn burden<K: PartialEq>(d: &Displaced<K>, o: &Opening<K>, zone: Tz) -> Option<i64> {
    let day = o.start.with_timezone(&zone).weekday();
    let fits = o.visit_type == d.visit_type
        && o.minutes >= d.minutes
        && (d.sites.is_empty() || d.sites.contains(&o.site))
        && (d.weekdays.is_empty() || d.weekdays.contains(&day))
        && !o.span_of(d.minutes).is_some_and(|span| d.busy.iter().any(|b| b.overlaps(&span)));
    if !fits {
        return None;
    }
    let moved = (o.start - d.start).num_minutes();
    let delay = if moved < 0 { -moved / EARLIER } else { moved };
    let other = if d.same_clinician && o.clinician != d.clinician { OTHER_CLINICIAN } else { 0 };
    let half = if half_of(o.start, zone) == half_of(d.start, zone) { 0 } else { OTHER_HALF };
    Some(delay * d.weight.max(1) + other + half)
}

/// For each person, in words, what is different about the new time.
pub fn reasons<K: PartialEq>(d: &Displaced<K>, o: &Opening<K>, zone: Tz) -> Vec<&'static str> {
    let mut out = vec![if o.clinician == d.clinician { "same clinician" } else { "another clinician" }];
    out.push(if half_of(o.start, zone) == half_of(d.start, zone) {
        "same part of the day"
    } else {
        "other part of the day"
    });
    if o.site != d.site {
        out.push("another site");
    }
    if o.start < d.start {
        out.push("earlier than planned");
    }
    let date = |at: DateTime<Utc>| at.with_timezone(&zone).date_naive();
    if d.busy.iter().any(|b| date(b.start()) == date(o.start)) {
        out.push("on the day of another visit of theirs");
    }
    if !d.weekdays.is_empty() {
        out.push("on a day that suits");
    }
    out
}

/// A plan: for each person the number of the slot, and what the plan costs in all.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Plan {
    pub slots: Vec<Option<usize>>,
    pub unplaced: usize,
    pub burden: i64,
    /// Minutes that people wait longer than before, in all; coming earlier does not make up for it.
    pub delay: i64,
}

/// The numbers of other times that would fit a person beside a plan, the least burden first.
pub fn other_times<K: PartialEq>(
    person: &Displaced<K>,
    openings: &[Opening<K>],
    plan: &Plan,
    zone: Tz,
    most: usize,
) -> Vec<usize> {
    let mut fit: Vec<(i64, usize)> = (0..openings.len())
        .filter(|o| !plan.slots.contains(&Some(*o)))
        .filter_map(|o| Some((burden(person, &openings[o], zone)?, o)))
        .collect();
    fit.sort_unstable();
    fit.into_iter().take(most).map(|(_, o)| o).collect()
}

/// Larger than any sum of burdens, so that placing one more person always counts more.
const UNPLACED: i64 = 1 << 40;

/// Two lines of one person at one time, of which the later gets another; what is pinned stays.
fn clash<K: PartialEq>(
    people: &[Displaced<K>],
    openings: &[Opening<K>],
    slots: &[Option<usize>],
    pinned: &[Option<Option<usize>>],
) -> Option<(usize, usize)> {
    let span = |n: usize| openings.get(slots[n]?)?.span_of(people[n].minutes);
    let fixed = |n: usize| pinned.get(n).is_some_and(Option::is_some);
    for b in 0..people.len() {
        for a in (0..b).filter(|a| people[*a].person == people[b].person) {
            if !span(a).zip(span(b)).is_some_and(|(one, two)| one.overlaps(&two)) {
                continue;
            }
            if let Some(moves) = [b, a].into_iter().find(|n| !fixed(*n)) {
                return Some((moves, slots[moves]?));
            }
        }
    }
    None
}

/// The best plan that keeps what is pinned: for a person a slot, or none at all (`Some(None)`). Where it would put one
/// person at two places at once, it is solved again without that.
pub fn plan<K: PartialEq>(
    people: &[Displaced<K>],
    openings: &[Opening<K>],
    pinned: &[Option<Option<usize>>],
    zone: Tz,
) -> Plan {
    let held: Vec<usize> = pinned.iter().filter_map(|p| p.flatten()).collect();
    let pinned_of = |person: usize| pinned.get(person).copied().flatten();
    let free: Vec<usize> = (0..people.len()).filter(|p| pinned_of(*p).is_none()).collect();
    let open: Vec<usize> = (0..openings.len()).filter(|o| !held.contains(o)).collect();
    let mut slots: Vec<Option<usize>> = (0..people.len()).map(|p| pinned_of(p).flatten()).collect();
    if free.is_empty() {
        return tally(people, openings, slots, zone);
    }
    // Behind the slots, for everybody a place of staying without a time.
    let mut costs = Matrix::from_fn(free.len(), open.len() + free.len(), |(row, column)| {
        let known = open.get(column).and_then(|o| burden(&people[free[row]], &openings[*o], zone));
        known.unwrap_or(UNPLACED)
    });
    loop {
        let (_, chosen) = kuhn_munkres_min(&costs);
        for (row, column) in chosen.into_iter().enumerate() {
            slots[free[row]] = open.get(column).copied().filter(|_| costs[(row, column)] < UNPLACED);
        }
        // Each round rules one pair out, so there is an end.
        let Some((person, opening)) = clash(people, openings, &slots, pinned) else { break };
        let row = free.iter().position(|p| *p == person);
        let column = open.iter().position(|o| *o == opening);
        let Some(place) = row.zip(column) else { break };
        costs[place] = UNPLACED;
    }
    tally(people, openings, slots, zone)
}

/// Booking one after the other, each the time that burdens least: what a person would do by hand. Kept to
/// compare with.
pub fn one_after_the_other<K: PartialEq>(people: &[Displaced<K>], openings: &[Opening<K>], zone: Tz) -> Plan {
    let mut used = vec![false; openings.len()];
    let mut slots = Vec::new();
    for person in people {
        let best = (0..openings.len())
            .filter(|o| !used[*o])
            .filter_map(|o| Some((burden(person, &openings[o], zone)?, o)))
            .min();
        slots.push(best.map(|(_, o)| o));
        if let Some((_, o)) = best {
            used[o] = true;
        }
    }
    tally(people, openings, slots, zone)
}

fn tally<K: PartialEq>(people: &[Displaced<K>], openings: &[Opening<K>], slots: Vec<Option<usize>>, zone: Tz) -> Plan {
    let unplaced = slots.iter().filter(|s| s.is_none()).count();
    let cost = |(p, s): (&Displaced<K>, &Option<usize>)| s.and_then(|o| burden(p, openings.get(o)?, zone)).unwrap_or(0);
    let burden = people.iter().zip(&slots).map(cost).sum();
    let late = |(p, s): (&Displaced<K>, &Option<usize>)| {
        s.and_then(|o| Some((openings.get(o)?.start - p.start).num_minutes().max(0))).unwrap_or(0)
    };
    let delay = people.iter().zip(&slots).map(late).sum();
    Plan { slots, unplaced, burden, delay }
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;
    use proptest::prelude::*;

    const ZONE: Tz = chrono_tz::America::New_York;

    /// A Monday, 9:00 at the clinic, and so many days and minutes later.
    fn at(day: i64, minute: i64) -> DateTime<Utc> {
        Utc.with_ymd_and_hms(2026, 11, 23, 14, 0, 0).unwrap() + Duration::days(day) + Duration::minutes(minute)
    }

    fn person(day: i64, minute: i64) -> Displaced<u8> {
        Displaced {
            person: 0,
            start: at(day, minute),
            minutes: 20,
            visit_type: 1,
            clinician: 1,
            site: 1,
            busy: vec![],
            same_clinician: true,
            sites: vec![],
            weekdays: vec![],
            weight: 1,
        }
    }

    fn opening(day: i64, minute: i64, clinician: u8) -> Opening<u8> {
        Opening { start: at(day, minute), minutes: 20, visit_type: 1, clinician, site: 1 }
    }

    #[test]
    fn the_first_in_line_steps_back_when_all_fare_better() {
        // The first could have either slot, the second only the earlier one.
        let mut second = person(0, 20);
        second.weekdays = vec![Weekday::Tue];
        second.person = 1;
        let people = [person(0, 0), second];
        let openings = [opening(1, 0, 1), opening(2, 0, 1)];
        let by_hand = one_after_the_other(&people, &openings, ZONE);
        assert_eq!((by_hand.slots, by_hand.unplaced), (vec![Some(0), None], 1));
        let best = plan(&people, &openings, &[], ZONE);
        assert_eq!((best.slots.clone(), best.delay), (vec![Some(1), Some(0)], 2 * 24 * 60 + 24 * 60 - 20));
        let more = [openings[0].clone(), openings[1].clone(), opening(4, 0, 1), opening(3, 0, 1), opening(3, 0, 2)];
        assert_eq!(other_times(&people[0], &more, &best, ZONE, 2), [3, 2], "the nearest first, none of the plan's");
    }

    #[test]
    fn hard_limits_hold_and_soft_ones_cost() {
        let p = person(0, 0);
        assert_eq!(burden(&p, &opening(1, 0, 1), ZONE), Some(24 * 60));
        assert_eq!(burden(&p, &opening(1, 0, 2), ZONE), Some(24 * 60 + OTHER_CLINICIAN));
        assert_eq!(burden(&p, &opening(1, 240, 1), ZONE), Some(24 * 60 + 240 + OTHER_HALF));
        assert_eq!(burden(&p, &Opening { minutes: 10, ..opening(1, 0, 1) }, ZONE), None);
        assert_eq!(burden(&p, &Opening { visit_type: 2, ..opening(1, 0, 1) }, ZONE), None);
        let elsewhere = Displaced { sites: vec![2], ..person(0, 0) };
        assert_eq!(burden(&elsewhere, &opening(1, 0, 1), ZONE), None);
        assert_eq!(reasons(&p, &opening(1, 240, 2), ZONE), ["another clinician", "other part of the day"]);
        let urgent = Displaced { person: 1, weight: 4, ..person(0, 0) };
        let both = [person(0, 0), urgent];
        assert_eq!(plan(&both, &[opening(1, 0, 1), opening(3, 0, 1)], &[], ZONE).slots, [Some(1), Some(0)]);
    }

    #[test]
    fn nobody_is_at_two_places_at_once() {
        let busy = Displaced { busy: vec![opening(1, 10, 2).span_of(20).unwrap()], ..person(0, 0) };
        assert_eq!(burden(&busy, &opening(1, 0, 1), ZONE), None);
        let later = opening(1, 60, 1);
        assert_eq!(burden(&busy, &later, ZONE), Some(25 * 60));
        assert_eq!(reasons(&busy, &later, ZONE)[2], "on the day of another visit of theirs");
        assert_eq!(reasons(&busy, &Opening { site: 2, ..later }, ZONE)[2], "another site");
        // Two visits of one person, with two clinicians who are free at one time.
        let two = [person(0, 0), Displaced { clinician: 2, ..person(0, 60) }];
        let openings = [opening(1, 0, 1), opening(1, 10, 2), opening(1, 60, 2)];
        assert_eq!(plan(&two, &openings, &[], ZONE).slots, [Some(0), Some(2)]);
        let others = [two[0].clone(), Displaced { person: 9, ..two[1].clone() }];
        assert_eq!(plan(&others, &openings[..2], &[], ZONE).slots, [Some(0), Some(1)], "two people can");
        assert_eq!(plan(&two, &openings[..2], &[], ZONE).unplaced, 1);
        assert_eq!(plan(&two, &openings, &[None, Some(Some(1))], ZONE).slots[1], Some(1), "what is pinned stays");
    }

    #[test]
    fn what_is_pinned_stays_and_the_rest_is_solved_again() {
        let people = [0, 1, 2].map(|n| Displaced { person: n, ..person(0, 20 * i64::from(n)) });
        let openings = [opening(1, 0, 1), opening(2, 0, 1), opening(3, 0, 1)];
        let pinned = [Some(Some(2)), Some(None), None];
        let made = plan(&people, &openings, &pinned, ZONE);
        assert_eq!(made.slots, [Some(2), None, Some(0)]);
        assert_eq!(plan(&people, &[], &[], ZONE).unplaced, 3);
        assert_eq!(plan::<u8>(&[], &openings, &[], ZONE).slots, []);
    }

    /// The best of all assignments, by trying each: how many stay without a time, and the least burden in all.
    fn by_trying_all(people: &[Displaced<u8>], openings: &[Opening<u8>], used: &mut Vec<bool>) -> (usize, i64) {
        let Some((first, rest)) = people.split_first() else { return (0, 0) };
        let (unplaced, burdens) = by_trying_all(rest, openings, used);
        let mut best = (unplaced + 1, burdens);
        for o in 0..openings.len() {
            if used[o] {
                continue;
            }
            if let Some(cost) = burden(first, &openings[o], ZONE) {
                used[o] = true;
                let (unplaced, burdens) = by_trying_all(rest, openings, used);
                best = best.min((unplaced, burdens + cost));
                used[o] = false;
            }
        }
        best
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(200))]
        #[test]
        fn the_plan_is_the_best_of_all_there_are(
            people in proptest::collection::vec((0i64..3, 0i64..400, 1i64..4, 0u8..4, any::<bool>()), 0..5),
            openings in proptest::collection::vec((0i64..6, 0i64..400, 1u8..3, 1u8..3, 1u8..3), 0..6),
        ) {
            let people: Vec<_> = people.into_iter().zip(0u8..).map(|((day, minute, weight, limits, same_clinician), person_key)| Displaced {
                person: person_key,
                weight,
                same_clinician,
                weekdays: if limits & 1 == 1 { vec![Weekday::Tue, Weekday::Thu] } else { vec![] },
                sites: if limits & 2 == 2 { vec![2] } else { vec![] },
                ..person(day, minute)
            }).collect();
            let openings: Vec<_> = openings.into_iter()
                .map(|(day, minute, clinician, visit_type, site)| Opening { visit_type, site, ..opening(day, minute, clinician) })
                .collect();
            let made = plan(&people, &openings, &[], ZONE);
            let best = by_trying_all(&people, &openings, &mut vec![false; openings.len()]);
            prop_assert_eq!((made.unplaced, made.burden), best);
        }
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(64))]
        #[test]
        fn nobody_shares_a_slot_and_by_hand_is_never_better(
            people in proptest::collection::vec((0i64..5, 0i64..400, 1i64..4, any::<bool>()), 0..12),
            openings in proptest::collection::vec((0i64..20, 0i64..400, 1u8..4, 1u8..3), 0..20),
            pins in proptest::collection::vec(proptest::option::of(0usize..20), 0..12),
        ) {
            let people: Vec<_> = people.into_iter().zip(0u8..).map(|((day, minute, weight, picky), person_key)| Displaced {
                person: person_key,
                weight,
                weekdays: if picky { vec![Weekday::Tue, Weekday::Wed] } else { vec![] },
                ..person(day, minute)
            }).collect();
            let openings: Vec<_> = openings.into_iter()
                .map(|(day, minute, clinician, visit_type)| Opening { visit_type, ..opening(day, minute, clinician) })
                .collect();
            let best = plan(&people, &openings, &[], ZONE);
            let by_hand = one_after_the_other(&people, &openings, ZONE);
            prop_assert!((best.unplaced, best.burden) <= (by_hand.unplaced, by_hand.burden));
            let mut used: Vec<usize> = best.slots.iter().flatten().copied().collect();
            used.sort_unstable();
            prop_assert!(used.windows(2).all(|w| w[0] != w[1]));
            for (p, o) in best.slots.iter().enumerate() {
                prop_assert!(o.is_none_or(|o| burden(&people[p], &openings[o], ZONE).is_some()));
            }
            let mut seen = std::collections::HashSet::new();
            let pinned: Vec<Option<Option<usize>>> = pins.iter()
                .map(|p| p.filter(|o| *o < openings.len() && seen.insert(*o)).map(Some))
                .collect();
            let again = plan(&people, &openings, &pinned, ZONE);
            for (p, pin) in pinned.iter().enumerate().take(people.len()) {
                prop_assert!(pin.is_none_or(|o| again.slots[p] == o));
            }
        }
    }
}
