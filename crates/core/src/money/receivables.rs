//! What is owed to the clinic, by whom and how old. A report over what is open at this moment; each figure opens into the visits
//! that it is made of.

use crate::money::Cents;
use crate::money::ages::{AgeBounds, Ages};
use chrono::NaiveDate;
use std::collections::BTreeMap;

coded! {
    /// From which day on something is old.
    AgedFrom {
        Service = "service", "from the day of the visit";
        Owed = "owed", "from the day it was first owed";
        LastEntry = "last_entry", "from the last entry";
    }
}

coded! {
    /// By whom or what the debts stand together.
    OwedBy {
        Payer = "payer", "by payer";
        Guarantor = "guarantor", "by guarantor";
        Clinician = "clinician", "by clinician";
        Site = "site", "by site";
    }
}

/// The open debts of one key and one day: what is owed, and what was paid ahead (below zero).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenSum<K> {
    pub key: K,
    pub day: NaiveDate,
    pub owed: Cents,
    pub ahead: Cents,
}

/// A row of the report. `ages` and `ahead` always add up to what the ledger says is open.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AgedRow<K> {
    pub key: K,
    pub ages: Ages,
    /// What was paid ahead stands by itself: it makes no debt of somebody else younger.
    pub ahead: Cents,
}

impl<K> AgedRow<K> {
    pub fn total(&self) -> Cents {
        self.ages.total() + self.ahead
    }
}

/// The rows of the report, who owes most first.
pub fn aged<K: Ord + Clone>(sums: &[OpenSum<K>], today: NaiveDate, bounds: &AgeBounds) -> Vec<AgedRow<K>> {
    let mut rows: BTreeMap<K, AgedRow<K>> = BTreeMap::new();
    for sum in sums {
        let fresh = || AgedRow { key: sum.key.clone(), ages: Ages::none(bounds), ahead: Cents::ZERO };
        let row = rows.entry(sum.key.clone()).or_insert_with(fresh);
        row.ages.0[bounds.place((today - sum.day).num_days())] += sum.owed;
        row.ahead += sum.ahead;
    }
    let mut rows: Vec<AgedRow<K>> = rows.into_values().collect();
    rows.sort_by_key(|row| -row.total().get());
    rows
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(ago: i64) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, 23).unwrap() - chrono::Duration::days(ago)
    }

    #[test]
    fn what_one_paid_ahead_makes_nobodys_debt_smaller() {
        let sum =
            |key, ago, owed, ahead| OpenSum { key, day: day(ago), owed: Cents::new(owed), ahead: Cents::new(ahead) };
        let sums = [sum("north", 10, 5_000, -2_000), sum("north", 70, 1_000, 0), sum("south", 400, 9_000, 0)];
        let rows = aged(&sums, day(0), &AgeBounds::default());
        let ages = |n: usize| rows[n].ages.0.iter().map(|c| c.get()).collect::<Vec<_>>();
        assert_eq!((rows[0].key, ages(0)), ("south", vec![0, 0, 0, 0, 9_000]));
        assert_eq!((rows[1].key, ages(1), rows[1].ahead.get()), ("north", vec![5_000, 0, 1_000, 0, 0], -2_000));
        assert_eq!(rows[1].total(), Cents::new(4_000));
    }

    proptest! {
        #[test]
        fn the_report_equals_what_is_open(list in proptest::collection::vec((0u8..5, -40i64..900, 0i64..90_000, -9_000i64..=0), 0..60)) {
            let sums: Vec<_> = list.iter().map(|(key, ago, owed, ahead)| OpenSum { key: *key, day: day(*ago), owed: Cents::new(*owed), ahead: Cents::new(*ahead) }).collect();
            let rows = aged(&sums, day(0), &AgeBounds::new(vec![7, 20]).unwrap());
            let all: i64 = list.iter().map(|(_, _, owed, ahead)| owed + ahead).sum();
            prop_assert_eq!(rows.iter().map(|r| r.total().get()).sum::<i64>(), all);
            prop_assert!(rows.windows(2).all(|two| two[0].total() >= two[1].total()));
        }
    }
}
