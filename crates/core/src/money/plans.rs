//! Payment plans: a debt paid in parts, each with its day; what was missed is told.

use crate::money::Cents;
use chrono::{Days, Months, NaiveDate};

coded! {
    Every {
        TwoWeeks = "two_weeks", "every two weeks";
        Month = "month", "every month";
    }
}

/// The most instalments of one plan.
pub const MOST_INSTALMENTS: i64 = 36;

/// What was agreed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Plan {
    pub total: Cents,
    pub instalment: Cents,
    pub every: Every,
    pub first_on: NaiveDate,
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum PlanRefusal {
    #[error("Nothing is owed that a plan could be for.")]
    NothingOwed,
    #[error("An instalment must be more than zero.")]
    NotPositive,
    #[error("With {0} it would take {1} instalments; at most 36.")]
    TooLong(Cents, i64),
    #[error("The first instalment is due today or later, within 60 days.")]
    FirstDay,
}

/// How a plan stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlanStands {
    pub paid: Cents,
    /// What should have come before today and did not.
    pub behind: Cents,
    /// How many instalments that is, the last perhaps in part.
    pub missed: u32,
    /// The next day on which something is due, and how much of it is left to pay; today counts.
    pub next: Option<(NaiveDate, Cents)>,
    pub done: bool,
}

impl Plan {
    pub fn checked(self, today: NaiveDate) -> Result<Plan, PlanRefusal> {
        if !self.total.is_positive() {
            return Err(PlanRefusal::NothingOwed);
        }
        if !self.instalment.is_positive() {
            return Err(PlanRefusal::NotPositive);
        }
        if self.first_on < today || self.first_on > today + Days::new(60) {
            return Err(PlanRefusal::FirstDay);
        }
        match self.count() {
            many if many > MOST_INSTALMENTS => Err(PlanRefusal::TooLong(self.instalment, many)),
            _ => Ok(self),
        }
    }

    fn count(&self) -> i64 {
        let (total, one) = (self.total.get(), self.instalment.get().max(1));
        (total + one - 1) / one
    }

    /// The days with what is due on each; the last is what is left. Together always the total.
    pub fn instalments(&self) -> Vec<(NaiveDate, Cents)> {
        let day = |n: u32| match self.every {
            Every::TwoWeeks => self.first_on + Days::new(14 * u64::from(n)),
            Every::Month => self.first_on.checked_add_months(Months::new(n)).unwrap_or(self.first_on),
        };
        let mut left = self.total;
        let mut out = Vec::new();
        for n in 0.. {
            if !left.is_positive() || !self.instalment.is_positive() {
                break;
            }
            let due = self.instalment.min(left);
            out.push((day(n), due));
            left = left - due;
        }
        out
    }

    /// How it stands when so much has been paid since it began.
    pub fn stands(&self, paid: Cents, today: NaiveDate) -> PlanStands {
        let all = self.instalments();
        let due: Cents = all.iter().filter(|(day, _)| *day < today).map(|(_, c)| *c).sum();
        let behind = (due - paid).max(Cents::ZERO);
        let one = self.instalment.get().max(1);
        let missed = u32::try_from((behind.get() + one - 1) / one).unwrap_or(u32::MAX);
        let mut sum = due;
        let next = all.iter().filter(|(day, _)| *day >= today).find_map(|(day, c)| {
            sum += *c;
            let open = (sum - paid.max(due)).min(*c);
            open.is_positive().then_some((*day, open))
        });
        PlanStands { paid, behind, missed, next, done: paid >= self.total }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(text: &str) -> NaiveDate {
        text.parse().unwrap()
    }

    fn plan() -> Plan {
        Plan {
            total: Cents::new(10_500),
            instalment: Cents::new(5_000),
            every: Every::Month,
            first_on: day("2026-08-31"),
        }
    }

    #[test]
    fn instalments_fall_on_the_day_of_the_month_or_its_last() {
        let days: Vec<_> = plan().instalments().into_iter().map(|(d, c)| (d.to_string(), c.get())).collect();
        assert_eq!(days, [("2026-08-31".into(), 5_000), ("2026-09-30".into(), 5_000), ("2026-10-31".into(), 500)]);
        let two = Plan { every: Every::TwoWeeks, ..plan() };
        assert_eq!(two.instalments()[1].0, day("2026-09-14"));
    }

    #[test]
    fn what_is_due_today_is_not_missed_before_tomorrow() {
        let at = |on: &str, paid| plan().stands(Cents::new(paid), day(on));
        let c = Cents::new;
        let next = |s: PlanStands| s.next.map(|(d, c)| (d.to_string(), c.get()));
        assert_eq!((at("2026-08-31", 0).missed, next(at("2026-08-31", 0))), (0, Some(("2026-08-31".into(), 5_000))));
        let late = at("2026-09-01", 2_000);
        assert_eq!((late.behind, late.missed, next(late)), (c(3_000), 1, Some(("2026-09-30".into(), 5_000))));
        assert_eq!((at("2026-10-01", 0).behind, at("2026-10-01", 0).missed), (c(10_000), 2));
        assert_eq!(next(at("2026-09-01", 7_000)), Some(("2026-09-30".into(), 3_000)), "paid ahead");
        let done = at("2026-09-01", 10_500);
        assert!(done.done && done.next.is_none() && done.missed == 0);
    }

    #[test]
    fn a_plan_begins_soon_and_ends_within_three_years_of_months() {
        let today = day("2026-08-30");
        assert_eq!(plan().checked(today), Ok(plan()));
        let small = Plan { instalment: Cents::new(100), ..plan() };
        assert_eq!(small.checked(today), Err(PlanRefusal::TooLong(Cents::new(100), 105)));
        assert_eq!(plan().checked(day("2026-09-01")), Err(PlanRefusal::FirstDay));
        assert_eq!(Plan { total: Cents::ZERO, ..plan() }.checked(today), Err(PlanRefusal::NothingOwed));
        assert_eq!(Plan { instalment: Cents::ZERO, ..plan() }.checked(today), Err(PlanRefusal::NotPositive));
    }

    proptest! {
        #[test]
        fn instalments_are_the_total_and_nobody_is_behind_who_paid_what_was_due(
            total in 1i64..500_000, instalment in 1i64..500_000, month in any::<bool>(), ahead in 0i64..900, paid in 0i64..600_000,
        ) {
            prop_assume!(total / instalment < 200);
            let every = if month { Every::Month } else { Every::TwoWeeks };
            let plan = Plan { total: Cents::new(total), instalment: Cents::new(instalment), every, first_on: day("2026-01-31") };
            let all = plan.instalments();
            prop_assert_eq!(all.iter().map(|(_, c)| c.get()).sum::<i64>(), total);
            prop_assert!(all.windows(2).all(|two| two[0].0 < two[1].0));
            let today = day("2026-01-31") + Days::new(ahead as u64);
            let s = plan.stands(Cents::new(paid), today);
            let due: i64 = all.iter().filter(|(d, _)| *d < today).map(|(_, c)| c.get()).sum();
            prop_assert_eq!(s.behind.is_zero(), paid >= due);
            prop_assert_eq!(s.missed == 0, s.behind.is_zero());
            if let Some((on, open)) = s.next {
                prop_assert!(on >= today && open.get() <= instalment && open.is_positive());
            }
        }
    }
}
