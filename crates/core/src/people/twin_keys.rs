//! Likely twins among many: records that share no key cannot be likely twins, so each is compared with few.

use super::names::fold;
use super::twins::{Heard, Likeness, TWIN_THRESHOLD, TwinScore, score_heard};
use chrono::{Datelike, NaiveDate};
use std::collections::{HashMap, HashSet};

/// What two records have in common, at the least, when [`twin_score`](super::twin_score) takes them for one person: without a birth date of
/// nearly the same digits, a telephone, a house, a policy or the whole name, no names come to the threshold.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
enum TwinKey {
    Born(NaiveDate),
    Phone(String),
    Address(String),
    Subscriber(String),
    Name(String, String),
}

/// What a record is found under.
fn keys(l: &Likeness) -> HashSet<TwinKey> {
    let first = fold(&l.first);
    let last = std::iter::once(&l.last).chain(&l.other_names);
    let mut keys: HashSet<TwinKey> = last.map(|last| TwinKey::Name(first.clone(), fold(last))).collect();
    keys.extend(l.birth_date.map(TwinKey::Born));
    keys.extend(l.phone.clone().map(TwinKey::Phone));
    keys.extend(l.address.clone().map(TwinKey::Address));
    keys.extend(l.subscriber_number.clone().map(TwinKey::Subscriber));
    keys
}

/// A day, and those that it is when two neighbouring digits, or day and month, change places.
fn nearly(day: NaiveDate) -> Vec<NaiveDate> {
    let mut days = vec![day];
    days.extend(NaiveDate::from_ymd_opt(day.year(), day.day(), day.month()));
    let digits = day.format("%Y%m%d").to_string();
    for at in 1..digits.len() {
        let mut swapped = digits.clone().into_bytes();
        swapped.swap(at - 1, at);
        let swapped = String::from_utf8(swapped).unwrap_or_default();
        days.extend(NaiveDate::parse_from_str(&swapped, "%Y%m%d"));
    }
    days
}

/// Records among which likely twins are looked for, each with whatever it stands for.
#[derive(Debug)]
pub struct TwinFinder<T> {
    records: Vec<(Heard, T)>,
    by_key: HashMap<TwinKey, Vec<usize>>,
}

impl<T> Default for TwinFinder<T> {
    fn default() -> Self {
        TwinFinder { records: Vec::new(), by_key: HashMap::new() }
    }
}

impl<T> TwinFinder<T> {
    pub fn add(&mut self, likeness: Likeness, stands_for: T) {
        for key in keys(&likeness) {
            self.by_key.entry(key).or_default().push(self.records.len());
        }
        self.records.push((Heard::of(&likeness), stands_for));
    }

    /// All likely twins of a record, in the order in which they were added.
    pub fn likely(&self, wanted: &Likeness) -> Vec<(&T, TwinScore)> {
        let mut sought = keys(wanted);
        sought.extend(wanted.birth_date.into_iter().flat_map(nearly).map(TwinKey::Born));
        let mut near: Vec<usize> = sought.iter().filter_map(|k| self.by_key.get(k)).flatten().copied().collect();
        near.sort_unstable();
        near.dedup();
        let heard = Heard::of(wanted);
        let scored = near.into_iter().filter_map(|n| self.records.get(n)).map(|(l, t)| (t, score_heard(&heard, l)));
        scored.filter(|(_, s)| s.score >= TWIN_THRESHOLD).collect()
    }

    /// The likeliest twin of a record; of equal ones the first that was added.
    pub fn likeliest(&self, wanted: &Likeness) -> Option<(&T, TwinScore)> {
        self.likely(wanted).into_iter().rev().max_by_key(|(_, s)| s.score)
    }
}

#[cfg(test)]
mod tests {
    use super::super::twins::twin_score;
    use super::*;
    use proptest::prelude::*;

    /// Few values, so that records meet in them.
    fn likeness() -> impl Strategy<Value = Likeness> {
        let name =
            || prop::sample::select(vec!["Ines", "Inés", "Agnes", "William", "Bill", "Quarrie", "Quarry", "Holm", ""]);
        let day = (1998i32..2001, 1u32..13, 1u32..29).prop_map(|(y, m, d)| NaiveDate::from_ymd_opt(y, m, d));
        let near = prop::sample::select(vec!["1999-03-12", "1999-03-21", "1999-12-03", "1999-03-13", "1999-04-12"])
            .prop_map(|d| d.parse().ok());
        let born = prop_oneof![Just(None), day, near];
        let some =
            |values: &'static [&str]| prop::option::of(prop::sample::select(values.to_vec()).prop_map(str::to_owned));
        let other = prop::collection::vec(name().prop_map(str::to_owned), 0..2);
        (name(), name(), other, born, some(&["1", "2"]), some(&["1", "2"]), some(&["1", "2"])).prop_map(
            |(first, last, other_names, birth_date, phone, address, subscriber_number)| Likeness {
                first: first.into(),
                last: last.into(),
                other_names,
                birth_date,
                phone,
                address,
                subscriber_number,
            },
        )
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(4000))]
        #[test]
        fn no_likely_twin_is_passed_over(records in prop::collection::vec(likeness(), 1..12), wanted in likeness()) {
            let mut finder = TwinFinder::default();
            for (n, record) in records.iter().enumerate() {
                finder.add(record.clone(), n);
            }
            let found: Vec<usize> = finder.likely(&wanted).into_iter().map(|(n, _)| *n).collect();
            let all = records.iter().enumerate().filter(|(_, r)| twin_score(&wanted, r).score >= TWIN_THRESHOLD);
            prop_assert_eq!(found, all.map(|(n, _)| n).collect::<Vec<_>>());
        }
    }

    #[test]
    fn the_likeliest_is_found_the_first_of_equals() {
        let born = |d: &str| Likeness {
            first: "Ines".into(),
            last: "Quarrie".into(),
            birth_date: d.parse().ok(),
            ..Likeness::default()
        };
        let mut finder = TwinFinder::default();
        for (who, day) in
            [("slip", "1999-03-21"), ("same", "1999-03-12"), ("again", "1999-03-12"), ("other", "1961-07-02")]
        {
            finder.add(born(day), who);
        }
        let (who, score) = finder.likeliest(&born("1999-03-12")).unwrap();
        assert_eq!((*who, score.score), ("same", 88));
        assert!(finder.likeliest(&born("1950-01-01")).is_none());
    }
}
