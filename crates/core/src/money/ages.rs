//! How old a balance is: money that comes in pays the oldest debt first.

use crate::money::Cents;
use chrono::NaiveDate;

/// The ages at which a balance moves on, in days.
///
/// Always true: one to six, each above the one before, from 1 to 3,650.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AgeBounds(Vec<i64>);

impl Default for AgeBounds {
    fn default() -> Self {
        AgeBounds(vec![30, 60, 90, 120])
    }
}

impl AgeBounds {
    /// Nothing where these cannot be bounds.
    pub fn new(days: Vec<i64>) -> Option<AgeBounds> {
        let rise = days.windows(2).all(|two| two[0] < two[1]);
        let within = days.iter().all(|d| (1..=3650).contains(d));
        ((1..=6).contains(&days.len()) && rise && within).then_some(AgeBounds(days))
    }

    pub fn days(&self) -> &[i64] {
        &self.0
    }

    /// In which of the ages something lies that is so many days old: up to the first bound, the second, …, older.
    pub fn place(&self, days: i64) -> usize {
        self.0.iter().position(|bound| days <= *bound).unwrap_or(self.0.len())
    }

    /// The ages in words, the youngest first.
    pub fn in_words(&self) -> Vec<String> {
        let from = |n: usize| if n == 0 { None } else { self.0.get(n - 1) };
        let one = |n: usize| match (from(n), self.0.get(n)) {
            (None, Some(to)) => format!("up to {to} days"),
            (Some(from), Some(to)) => format!("{} to {to}", from + 1),
            (_, None) => "older".into(),
        };
        (0..=self.0.len()).map(one).collect()
    }
}

/// A balance by age, one amount for each age of the bounds that it was made with.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Ages(pub Vec<Cents>);

impl Ages {
    pub fn none(bounds: &AgeBounds) -> Ages {
        Ages(vec![Cents::ZERO; bounds.0.len() + 1])
    }

    /// Always the balance that the ages were made from.
    pub fn total(&self) -> Cents {
        self.0.iter().copied().sum()
    }

    pub fn add(&mut self, other: &Ages) {
        self.0.resize(self.0.len().max(other.0.len()), Cents::ZERO);
        for (mine, theirs) in self.0.iter_mut().zip(&other.0) {
            *mine += *theirs;
        }
    }
}

/// The ages of what is left of some entries of one account. What was paid beyond all debts stands as a negative
/// amount in the youngest.
pub fn ages(entries: &[(NaiveDate, Cents)], today: NaiveDate, bounds: &AgeBounds) -> Ages {
    let mut debts: Vec<(NaiveDate, Cents)> = entries.iter().copied().filter(|(_, a)| a.is_positive()).collect();
    debts.sort_by_key(|(day, _)| *day);
    let mut paid: Cents = entries.iter().filter(|(_, a)| a.is_negative()).map(|(_, a)| -*a).sum();
    let mut out = Ages::none(bounds);
    for (day, amount) in debts {
        let covered = amount.min(paid);
        paid = paid - covered;
        out.0[bounds.place((today - day).num_days())] += amount - covered;
    }
    out.0[0] += -paid;
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(ago: i64) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, 23).unwrap() - chrono::Duration::days(ago)
    }

    #[test]
    fn the_oldest_is_paid_first() {
        let at = |list: &[(i64, i64)]| {
            let entries: Vec<_> = list.iter().map(|(ago, c)| (day(*ago), Cents::new(*c))).collect();
            ages(&entries, day(0), &AgeBounds::default()).0.into_iter().map(Cents::get).collect::<Vec<_>>()
        };
        assert_eq!(at(&[(130, 50), (40, 30), (5, 20)]), [20, 30, 0, 0, 50]);
        assert_eq!(at(&[(5, 20), (100, 50), (40, 30), (1, -60)]), [20, 20, 0, 0, 0]);
        let edges = [(30, 10), (31, 10), (60, 10), (61, 10), (90, 10), (91, 10), (120, 10), (121, 10)];
        assert_eq!(at(&edges), [10, 20, 20, 20, 10]);
        assert_eq!(at(&[(9, 10), (8, -25)]), [-15, 0, 0, 0, 0]);
    }

    #[test]
    fn bounds_rise_and_say_what_lies_between() {
        let own = AgeBounds::new(vec![14, 45]).unwrap();
        assert_eq!(own.in_words(), ["up to 14 days", "15 to 45", "older"]);
        assert_eq!([own.place(-3), own.place(14), own.place(15), own.place(46)], [0, 0, 1, 2]);
        for wrong in [vec![], vec![30, 30], vec![60, 30], vec![0], vec![4000], vec![1, 2, 3, 4, 5, 6, 7]] {
            assert_eq!(AgeBounds::new(wrong.clone()), None, "{wrong:?}");
        }
    }

    proptest! {
        #[test]
        fn ages_add_up_to_the_balance(entries in proptest::collection::vec((0i64..400, -5_000i64..5_000), 0..30)) {
            let entries: Vec<_> = entries.iter().map(|(ago, c)| (day(*ago), Cents::new(*c))).collect();
            let sum: Cents = entries.iter().map(|(_, c)| *c).sum();
            let made = ages(&entries, day(0), &AgeBounds::default());
            prop_assert_eq!(made.total(), sum);
            prop_assert!(sum.is_negative() || made.0.iter().all(|a| !a.is_negative()));
        }
    }
}
