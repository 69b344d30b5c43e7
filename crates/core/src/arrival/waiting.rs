//! When each who waits will be roomed: the rest of the morning played forward with what is known now.
//!
//! Each clinician takes one after the other, at the pace they have shown today; two rooms a clinician are kept
//! busy, one with the clinician and one made ready; no more people are in rooms than there are rooms. Who is
//! booked earlier goes first, also when they came later; who is not here yet is expected at their time until
//! the clinic's rule says that they did not come.

use super::Stage;
use chrono::{DateTime, Duration, Utc};
use std::cmp::Reverse;
use std::collections::{BinaryHeap, HashMap};

/// One visit of the day, as the waiting line sees it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InLine<Id> {
    pub visit: Id,
    pub clinician: Id,
    /// Rooms are shared by a site.
    pub site: Id,
    pub starts_at: DateTime<Utc>,
    pub stage: Stage,
    pub roomed_at: Option<DateTime<Utc>>,
    pub seen_at: Option<DateTime<Utc>>,
    /// When the clinician was done: the room was left, or the patient ready to leave.
    pub done_at: Option<DateTime<Utc>>,
    /// What this type of visit usually takes with the clinician, in minutes.
    pub usual: i64,
}

/// What the day is played with.
#[derive(Debug, Clone)]
pub struct Setting<Id> {
    /// Rooms of each site.
    pub rooms: HashMap<Id, usize>,
    /// After so many minutes past their time somebody counts as not coming.
    pub did_not_come: i64,
    pub now: DateTime<Utc>,
}

/// Minutes from being roomed to the clinician's coming: measuring and asking.
const MADE_READY: i64 = 6;
/// A clinician keeps so many rooms busy.
const ROOMS_EACH: usize = 2;
/// Today's pace counts fully only after some visits; before that the usual one stands in for so many.
const PRIOR: f64 = 3.0;

/// How a clinician's visits went today against what they usually take: 1.2 is a fifth longer.
pub fn pace<Id: PartialEq>(day: &[InLine<Id>], clinician: &Id) -> f64 {
    let (mut took, mut usual) = (0.0, 0.0);
    for v in day.iter().filter(|v| v.clinician == *clinician) {
        if let (Some(seen), Some(done)) = (v.seen_at, v.done_at) {
            took += (done - seen).num_seconds().max(0) as f64 / 60.0;
            usual += v.usual as f64;
        }
    }
    if usual <= 0.0 {
        return 1.0;
    }
    // As if PRIOR visits had gone as usual.
    let typical = usual / day.iter().filter(|v| v.clinician == *clinician && v.done_at.is_some()).count().max(1) as f64;
    ((took + PRIOR * typical) / (usual + PRIOR * typical)).clamp(0.5, 2.5)
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Happens {
    /// A room and a clinician's hands become free.
    Done,
    Comes,
}

/// Those who wait for a room, in the order in which they will be roomed, with the minutes until then.
pub fn expected<Id: Copy + Ord + std::hash::Hash>(day: &[InLine<Id>], setting: &Setting<Id>) -> Vec<(Id, i64)> {
    use Stage::*;
    let now = setting.now;
    let minutes = |m: f64| Duration::seconds((m * 60.0) as i64);
    let mut paces: HashMap<Id, f64> = HashMap::new();
    for v in day {
        paces.entry(v.clinician).or_insert_with(|| pace(day, &v.clinician));
    }
    let lasts = |v: &InLine<Id>| minutes(v.usual.max(1) as f64 * paces[&v.clinician]);
    // Who is with a clinician, in rooms, and when the clinician's hands are free again.
    let mut free_at: HashMap<Id, DateTime<Utc>> = HashMap::new();
    let mut busy: HashMap<Id, usize> = HashMap::new();
    let mut rooms: HashMap<Id, i64> = setting.rooms.iter().map(|(site, n)| (*site, *n as i64)).collect();
    let mut events: BinaryHeap<Reverse<(DateTime<Utc>, Happens, usize)>> = BinaryHeap::new();
    for (n, v) in day.iter().enumerate().filter(|(_, v)| v.stage == WithClinician) {
        let spent = v.seen_at.map_or(Duration::zero(), |at| now - at);
        // Who takes long takes longer: a visit that has run over is still some minutes from its end.
        let left = (lasts(v) - spent).max(lasts(v) / 5);
        let done = now + left;
        let hands = free_at.entry(v.clinician).or_insert(now);
        *hands = done.max(*hands);
        events.push(Reverse((done, Happens::Done, n)));
    }
    let mut in_rooms: Vec<usize> = (0..day.len()).filter(|n| day[*n].stage == InRoom).collect();
    in_rooms.sort_by_key(|n| (day[*n].roomed_at, day[*n].starts_at, day[*n].visit));
    for n in in_rooms {
        let v = &day[n];
        let ready = v.roomed_at.map_or(now, |at| at + Duration::minutes(MADE_READY)).max(now);
        let hands = free_at.entry(v.clinician).or_insert(now);
        let done = ready.max(*hands) + lasts(v);
        *hands = done;
        events.push(Reverse((done, Happens::Done, n)));
    }
    for v in day.iter().filter(|v| matches!(v.stage, WithClinician | InRoom)) {
        *busy.entry(v.clinician).or_default() += 1;
        *rooms.entry(v.site).or_insert(1) -= 1;
    }
    let mut waiting: Vec<usize> = Vec::new();
    for (n, v) in day.iter().enumerate() {
        match v.stage {
            stage if stage.waits_for_room() => waiting.push(n),
            Booked if now < v.starts_at + Duration::minutes(setting.did_not_come) => {
                // Late already: they may come at any moment.
                events.push(Reverse((v.starts_at.max(now + Duration::minutes(5)), Happens::Comes, n)));
            }
            _ => {}
        }
    }
    let here: Vec<usize> = waiting.clone();
    let mut out: Vec<(Id, i64)> = Vec::new();
    let mut at = now;
    loop {
        waiting.sort_by_key(|n| (day[*n].starts_at, day[*n].visit));
        waiting.retain(|n| {
            let v = &day[*n];
            let has_hands = busy.get(&v.clinician).copied().unwrap_or(0) < ROOMS_EACH;
            let room = rooms.entry(v.site).or_insert(1);
            if !has_hands || *room <= 0 {
                return true;
            }
            *room -= 1;
            *busy.entry(v.clinician).or_default() += 1;
            if here.contains(n) {
                out.push((v.visit, (at - now).num_minutes()));
            }
            let hands = free_at.entry(v.clinician).or_insert(at);
            let done = (at + Duration::minutes(MADE_READY)).max(*hands) + lasts(v);
            *hands = done;
            events.push(Reverse((done, Happens::Done, *n)));
            false
        });
        let Some(Reverse((time, what, n))) = events.pop() else { break };
        at = time.max(at);
        match what {
            Happens::Comes => waiting.push(n),
            Happens::Done => {
                *rooms.entry(day[n].site).or_insert(1) += 1;
                if let Some(count) = busy.get_mut(&day[n].clinician) {
                    *count = count.saturating_sub(1);
                }
            }
        }
    }
    // Without a single room nobody is ever roomed; they wait to the end of what is known.
    for n in waiting.iter().filter(|n| here.contains(n)) {
        out.push((day[*n].visit, (at - now).num_minutes()));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;
    use proptest::prelude::*;

    fn at(h: u32, m: u32) -> DateTime<Utc> {
        Utc.with_ymd_and_hms(2026, 11, 23, h, m, 0).unwrap()
    }

    fn one(visit: u32, clinician: u32, h: u32, m: u32, stage: Stage) -> InLine<u32> {
        InLine {
            visit,
            clinician,
            site: 100,
            starts_at: at(h, m),
            stage,
            roomed_at: None,
            seen_at: None,
            done_at: None,
            usual: 20,
        }
    }

    fn setting(rooms: usize, now: DateTime<Utc>) -> Setting<u32> {
        Setting { rooms: HashMap::from([(100, rooms)]), did_not_come: 45, now }
    }

    #[test]
    fn a_free_clinician_rooms_at_once_and_two_at_most() {
        let day = [one(1, 7, 10, 0, Stage::Here), one(2, 7, 10, 20, Stage::CheckedIn), one(3, 7, 10, 40, Stage::Here)];
        // The third waits for the first to be done: made ready in 6 minutes, 20 with the clinician.
        assert_eq!(expected(&day, &setting(5, at(10, 0))), [(1, 0), (2, 0), (3, 26)]);
        // With one room everybody waits for the one before.
        assert_eq!(expected(&day, &setting(1, at(10, 0))), [(1, 0), (2, 26), (3, 52)]);
        assert_eq!(expected::<u32>(&[], &setting(5, at(10, 0))), []);
    }

    #[test]
    fn what_the_present_patient_has_had_counts_and_running_over_is_not_the_end() {
        let with = |since| InLine { seen_at: Some(since), ..one(1, 7, 9, 40, Stage::WithClinician) };
        let in_room = InLine { roomed_at: Some(at(9, 50)), ..one(2, 7, 10, 0, Stage::InRoom) };
        let line =
            |since| expected(&[with(since), in_room.clone(), one(3, 7, 10, 20, Stage::Here)], &setting(5, at(10, 20)));
        assert_eq!(line(at(10, 8)), [(3, 8)]);
        assert_eq!(line(at(9, 0)), [(3, 4)], "a fifth of the usual time, not nothing");
    }

    #[test]
    fn who_is_booked_earlier_goes_first_and_who_does_not_come_holds_nobody_up() {
        let busy = InLine { seen_at: Some(at(10, 10)), ..one(1, 7, 9, 40, Stage::WithClinician) };
        let ready = InLine { roomed_at: Some(at(10, 10)), ..one(2, 7, 9, 50, Stage::InRoom) };
        let day = [
            busy,
            ready,
            one(4, 7, 10, 20, Stage::Here),
            one(3, 7, 10, 0, Stage::Here),
            one(5, 7, 9, 0, Stage::Booked),
        ];
        assert_eq!(expected(&day, &setting(5, at(10, 20))), [(3, 10), (4, 30)]);
        let coming = [day[0].clone(), day[1].clone(), day[2].clone(), one(6, 7, 10, 10, Stage::Booked)];
        assert_eq!(expected(&coming, &setting(5, at(10, 20))), [(4, 30)], "the late one is before them");
    }

    #[test]
    fn todays_pace_is_learnt_slowly() {
        let done = |visit, took: i64| InLine {
            seen_at: Some(at(9, 0)),
            done_at: Some(at(9, 0) + Duration::minutes(took)),
            ..one(visit, 7, 9, 0, Stage::Left)
        };
        assert_eq!(pace(&[one(1, 7, 9, 0, Stage::Here)], &7), 1.0);
        let slow = pace(&[done(1, 40)], &7);
        assert!((slow - 1.25).abs() < 1e-9, "one visit of twice the length: {slow}");
        let many: Vec<_> = (0..12).map(|n| done(n, 40)).collect();
        assert!(pace(&many, &7) > 1.75);
        assert_eq!(pace(&many, &8), 1.0, "the colleague's pace is their own");
    }

    proptest! {
        #[test]
        fn everybody_who_waits_is_told_once_and_in_the_order_of_the_times(
            stages in proptest::collection::vec((0usize..6, 0u32..3, 0u32..120), 0..20), rooms in 1usize..5,
        ) {
            use Stage::*;
            let all = [Booked, Here, CheckedIn, InRoom, WithClinician, Left];
            let day: Vec<InLine<u32>> = stages.iter().enumerate().map(|(n, (s, c, m))| InLine {
                roomed_at: Some(at(9, 50)), seen_at: Some(at(9, 55)), ..one(n as u32, *c, 9 + m / 60, m % 60, all[*s])
            }).collect();
            let line = expected(&day, &setting(rooms, at(10, 0)));
            let mut told: Vec<u32> = line.iter().map(|(v, _)| *v).collect();
            told.sort_unstable();
            let waiting: Vec<u32> = day.iter().filter(|v| v.stage.waits_for_room()).map(|v| v.visit).collect();
            prop_assert_eq!(told, waiting);
            prop_assert!(line.windows(2).all(|w| w[0].1 <= w[1].1) && line.iter().all(|(_, m)| *m >= 0));
        }
    }
}
