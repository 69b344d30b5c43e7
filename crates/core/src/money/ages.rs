//! How old a balance is: money that comes in pays the oldest debt first.

use crate::money::Cents;
use chrono::NaiveDate;

/// The ages at which a balance moves on, in days.
pub const BOUNDS: [i64; 3] = [30, 60, 90];

/// A balance by age: up to 30 days, up to 60, up to 90, older.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Ages(pub [Cents; 4]);

impl Ages {
    /// Always the balance that the ages were made from.
    pub fn total(&self) -> Cents {
        self.0.iter().copied().sum()
    }

    pub fn add(&mut self, other: &Ages) {
        for (mine, theirs) in self.0.iter_mut().zip(other.0) {
            *mine += theirs;
        }
    }
}

/// The ages of what is left of some entries of one account. What was paid beyond all debts stands as a negative
/// amount in the youngest.
pub fn ages(entries: &[(NaiveDate, Cents)], today: NaiveDate) -> Ages {
    let mut debts: Vec<(NaiveDate, Cents)> = entries.iter().copied().filter(|(_, a)| a.is_positive()).collect();
    debts.sort_by_key(|(day, _)| *day);
    let mut paid: Cents = entries.iter().filter(|(_, a)| a.is_negative()).map(|(_, a)| -*a).sum();
    let mut out = Ages::default();
    for (day, amount) in debts {
        let covered = amount.min(paid);
        paid = paid - covered;
        let old = (today - day).num_days();
        let at = BOUNDS.iter().position(|bound| old <= *bound).unwrap_or(BOUNDS.len());
        out.0[at] += amount - covered;
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
            ages(&entries, day(0)).0.map(Cents::get)
        };
        assert_eq!(at(&[(100, 50), (40, 30), (5, 20)]), [20, 30, 0, 50]);
        assert_eq!(at(&[(5, 20), (100, 50), (40, 30), (1, -60)]), [20, 20, 0, 0]);
        assert_eq!(at(&[(30, 10), (31, 10), (60, 10), (61, 10), (90, 10), (91, 10)]), [10, 20, 20, 10]);
        assert_eq!(at(&[(9, 10), (8, -25)]), [-15, 0, 0, 0]);
    }

    proptest! {
        #[test]
        fn ages_add_up_to_the_balance(entries in proptest::collection::vec((0i64..400, -5_000i64..5_000), 0..30)) {
            let entries: Vec<_> = entries.iter().map(|(ago, c)| (day(*ago), Cents::new(*c))).collect();
            let sum: Cents = entries.iter().map(|(_, c)| *c).sum();
            let made = ages(&entries, day(0));
            prop_assert_eq!(made.total(), sum);
            prop_assert!(sum.is_negative() || made.0.iter().all(|a| !a.is_negative()));
        }
    }
}
