//! Fee schedules: which one holds for a visit, and what a service costs by it on a day.
//!
//! The standard schedule holds for everybody; who pays themselves may have one of their own, and so may a payer or one of its
//! plans. Where a schedule has no price for a service it says which schedule is asked instead, or none: then the price is missing
//! and is told.

use crate::money::Cents;
use chrono::NaiveDate;

coded! {
    /// Whose visits a schedule is for.
    HoldsFor {
        Everybody = "everybody", "everybody";
        SelfPay = "self_pay", "who pays for themselves";
        Payer = "payer", "a payer";
    }
}

coded! {
    /// What a claim for a service cannot do without.
    ServiceNeed {
        Supervising = "supervising", "a supervising clinician";
        Referring = "referring", "a referring clinician";
        Authorisation = "authorisation", "the payer's approval";
        Side = "side", "a side";
    }
}

/// A schedule; `P` tells payers apart.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FeeSchedule<P> {
    pub code: String,
    pub name: String,
    pub holds_for: HoldsFor,
    /// The payer, where it is for one.
    pub payer: Option<P>,
    /// One plan of that payer; empty for all of them.
    pub plan: String,
    /// The code of the schedule that is asked where this one has no price.
    pub falls_back: Option<String>,
}

/// Who pays for a visit, as far as it is known.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Paying<'a, P> {
    Themselves,
    Payer { payer: P, plan: &'a str },
    NotKnown,
}

/// A price of one service.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DatedPrice {
    pub schedule: String,
    pub cents: Cents,
    pub from: NaiveDate,
    pub until: Option<NaiveDate>,
}

impl DatedPrice {
    fn holds_on(&self, day: NaiveDate) -> bool {
        self.from <= day && self.until.is_none_or(|end| day <= end)
    }
}

/// The schedules that are asked for a visit, in their order: the most special that holds, then those it falls back on.
pub fn asked<'s, P: PartialEq>(all: &'s [FeeSchedule<P>], paying: &Paying<'_, P>) -> Vec<&'s FeeSchedule<P>> {
    let everybody = || all.iter().find(|s| s.holds_for == HoldsFor::Everybody);
    let first = match paying {
        Paying::NotKnown => everybody(),
        Paying::Themselves => all.iter().find(|s| s.holds_for == HoldsFor::SelfPay).or_else(everybody),
        Paying::Payer { payer, plan } => {
            let theirs = |s: &&FeeSchedule<P>| s.payer.as_ref() == Some(payer);
            let same = |s: &FeeSchedule<P>| s.plan.trim().to_lowercase() == plan.trim().to_lowercase();
            let of_plan = all.iter().filter(theirs).find(|s| !s.plan.trim().is_empty() && same(s));
            of_plan.or_else(|| all.iter().filter(theirs).find(|s| s.plan.trim().is_empty())).or_else(everybody)
        }
    };
    let mut chain: Vec<&FeeSchedule<P>> = Vec::new();
    let mut next = first;
    while let Some(schedule) = next {
        if chain.iter().any(|s| s.code == schedule.code) {
            break;
        }
        chain.push(schedule);
        next = schedule.falls_back.as_ref().and_then(|code| all.iter().find(|s| s.code == *code));
    }
    chain
}

/// The price of a service on a day, with the schedule that has it; nothing where none that is asked has one.
pub fn price<'s, P>(
    chain: &[&'s FeeSchedule<P>],
    of_service: &[DatedPrice],
    day: NaiveDate,
) -> Option<(Cents, &'s FeeSchedule<P>)> {
    chain.iter().find_map(|schedule| {
        let own = of_service.iter().filter(|p| p.schedule == schedule.code);
        let latest = own.filter(|p| p.holds_on(day)).max_by_key(|p| p.from)?;
        Some((latest.cents, *schedule))
    })
}

/// Whether asking `code` where `of` has no price would come round to itself.
pub fn goes_round<P>(all: &[FeeSchedule<P>], of: &str, code: &str) -> bool {
    let mut at = Some(code.to_owned());
    for _ in 0..=all.len() {
        match at {
            None => return false,
            Some(code) if code == of => return true,
            Some(code) => at = all.iter().find(|s| s.code == code).and_then(|s| s.falls_back.clone()),
        }
    }
    true
}

/// A raise is at most so much, up or down, in hundredths of a per cent.
pub const MOST_RAISE: i32 = 5_000;
/// To what prices are rounded, in cents.
pub const STEPS: [i64; 5] = [1, 5, 25, 50, 100];

/// A price raised by hundredths of a per cent (3 % is 300; below zero it is lowered), rounded to a whole number of `step` cents,
/// halves up; never below one step.
///
/// ```
/// use harbor_core::{charges::fee_schedules::raised, money::Cents};
/// assert_eq!(raised(Cents::new(14_000), 350, 100), Cents::new(14_500));
/// ```
pub fn raised(price: Cents, basis_points: i32, step: i64) -> Cents {
    let exact = i128::from(price.get()) * (10_000 + i128::from(basis_points));
    let step = i128::from(step.max(1));
    let unit = step * 10_000;
    let steps = (exact + unit / 2).div_euclid(unit).max(1);
    Cents::new(i64::try_from(steps * step).unwrap_or(Cents::LIMIT))
}

/// What a raise does to a service's own price, which was `before` until the day of the raise and would be `then` on it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Raise {
    To(Cents),
    Stays(&'static str),
}

pub fn raise(before: Cents, then: Option<Cents>, basis_points: i32, step: i64) -> Raise {
    let after = raised(before, basis_points, step);
    match then {
        None => Raise::Stays("It ends before that day."),
        Some(then) if then != before => Raise::Stays("Another price begins that very day and stays."),
        Some(_) if after == before => Raise::Stays("Too little to change it."),
        Some(_) => Raise::To(after),
    }
}

/// What a price that comes in does to those that a schedule has for its service.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Compared {
    New,
    /// It takes the place of this one.
    Changed(Cents),
    Same,
}

pub fn compare(new: &DatedPrice, there: &[DatedPrice]) -> Compared {
    let own = there.iter().filter(|p| p.schedule == new.schedule);
    match own.filter(|p| p.holds_on(new.from)).max_by_key(|p| p.from) {
        None => Compared::New,
        Some(p) if p.cents == new.cents && (new.until.is_none() || new.until == p.until) => Compared::Same,
        Some(p) => Compared::Changed(p.cents),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).expect("a day")
    }

    fn schedule(code: &str, holds_for: HoldsFor, payer: Option<u8>, plan: &str, back: Option<&str>) -> FeeSchedule<u8> {
        FeeSchedule {
            code: code.into(),
            name: code.into(),
            holds_for,
            payer,
            plan: plan.into(),
            falls_back: back.map(Into::into),
        }
    }

    fn all() -> Vec<FeeSchedule<u8>> {
        vec![
            schedule("standard", HoldsFor::Everybody, None, "", None),
            schedule("self-pay", HoldsFor::SelfPay, None, "", Some("standard")),
            schedule("seven", HoldsFor::Payer, Some(7), "", Some("standard")),
            schedule("seven-gold", HoldsFor::Payer, Some(7), "Gold", Some("seven")),
            schedule("nine", HoldsFor::Payer, Some(9), "", None),
        ]
    }

    fn codes(paying: Paying<u8>) -> Vec<String> {
        asked(&all(), &paying).into_iter().map(|s| s.code.clone()).collect()
    }

    fn cents(n: i64) -> Cents {
        Cents::new(n)
    }

    fn of(schedule: &str, cents: i64, from: NaiveDate, until: Option<NaiveDate>) -> DatedPrice {
        DatedPrice { schedule: schedule.into(), cents: Cents::new(cents), from, until }
    }

    #[test]
    fn the_most_special_schedule_is_asked_first_and_each_says_what_comes_after() {
        assert_eq!(codes(Paying::NotKnown), ["standard"]);
        assert_eq!(codes(Paying::Themselves), ["self-pay", "standard"]);
        assert_eq!(codes(Paying::Payer { payer: 7, plan: " gold " }), ["seven-gold", "seven", "standard"]);
        assert_eq!(codes(Paying::Payer { payer: 7, plan: "" }), ["seven", "standard"], "no plan is no plan of its own");
        assert_eq!(codes(Paying::Payer { payer: 7, plan: "Silver" }), ["seven", "standard"]);
        assert_eq!(codes(Paying::Payer { payer: 8, plan: "Gold" }), ["standard"], "another payer's plan of that name");
        assert_eq!(codes(Paying::Payer { payer: 9, plan: "" }), ["nine"], "it falls back on nothing");
        let only = vec![schedule("standard", HoldsFor::Everybody, None, "", None)];
        assert_eq!(asked(&only, &Paying::Themselves).len(), 1);
    }

    #[test]
    fn a_price_is_the_first_schedules_that_has_one_on_that_day_and_a_missing_one_is_missing() {
        let all = all();
        let gold = asked(&all, &Paying::Payer { payer: 7, plan: "Gold" });
        let prices = [
            of("standard", 14_000, day(2020, 1, 1), Some(day(2026, 12, 31))),
            of("standard", 15_000, day(2027, 1, 1), None),
            of("seven", 11_000, day(2026, 7, 1), Some(day(2026, 12, 31))),
        ];
        let at = |d| price(&gold, &prices, d).map(|(cents, s)| (cents.get(), s.code.clone()));
        assert_eq!(at(day(2026, 6, 30)), Some((14_000, "standard".into())));
        assert_eq!(at(day(2026, 7, 1)), Some((11_000, "seven".into())));
        assert_eq!(at(day(2026, 12, 31)), Some((11_000, "seven".into())), "the last day counts");
        assert_eq!(at(day(2027, 1, 1)), Some((15_000, "standard".into())), "the schedule ended at midnight");
        assert_eq!(at(day(2019, 12, 31)), None);
        let nine = asked(&all, &Paying::Payer { payer: 9, plan: "" });
        assert_eq!(price(&nine, &prices, day(2026, 8, 1)), None, "another's price is not taken");
    }

    #[test]
    fn schedules_do_not_ask_in_a_ring() {
        let all = all();
        assert!(goes_round(&all, "standard", "seven-gold"));
        assert!(goes_round(&all, "seven", "seven"));
        assert!(!goes_round(&all, "nine", "seven-gold"));
        let mut ring = all;
        ring[0].falls_back = Some("self-pay".into());
        assert_eq!(asked(&ring, &Paying::NotKnown).len(), 2, "a ring that is there all the same is walked once");
        assert!(goes_round(&ring, "nine", "standard"), "and nothing new hangs on it");
    }

    #[test]
    fn a_raise_is_rounded_to_whole_steps_halves_up() {
        for (cents, points, step, after) in [
            (14_000, 300, 1, 14_420),
            (14_000, 350, 100, 14_500),
            (14_000, -1_000, 25, 12_600),
            (1_250, 400, 25, 1_300),
            (1_050, 0, 100, 1_100),
            (10, -5_000, 25, 25),
            (333, 300, 1, 343),
        ] {
            assert_eq!(raised(Cents::new(cents), points, step).get(), after, "{cents} {points} {step}");
        }
    }

    #[test]
    fn a_raise_leaves_what_ends_what_begins_and_what_it_is_too_little_for() {
        let of = |then, points| raise(cents(14_000), then, points, 100);
        assert_eq!(of(Some(cents(14_000)), 350), Raise::To(cents(14_500)));
        assert_eq!(of(Some(cents(14_000)), 10), Raise::Stays("Too little to change it."));
        assert_eq!(of(Some(cents(15_000)), 350), Raise::Stays("Another price begins that very day and stays."));
        assert_eq!(of(None, 350), Raise::Stays("It ends before that day."));
    }

    #[test]
    fn a_price_that_comes_in_is_new_changed_or_the_same() {
        let there = [of("standard", 14_000, day(2026, 1, 1), Some(day(2026, 12, 31)))];
        let new = |schedule, cents, from, until| compare(&of(schedule, cents, from, until), &there);
        assert_eq!(new("standard", 14_000, day(2026, 7, 1), None), Compared::Same);
        assert_eq!(new("standard", 14_500, day(2026, 7, 1), None), Compared::Changed(cents(14_000)));
        assert_eq!(
            new("standard", 14_000, day(2026, 7, 1), Some(day(2026, 8, 1))),
            Compared::Changed(cents(14_000)),
            "it would end sooner"
        );
        assert_eq!(new("standard", 14_000, day(2027, 1, 1), None), Compared::New);
        assert_eq!(new("self-pay", 14_000, day(2026, 7, 1), None), Compared::New);
    }

    proptest! {
        #[test]
        fn a_raise_never_lowers_by_more_than_half_a_step_nor_gives_nothing(cents in 1i64..10_000_000, points in 0i32..=MOST_RAISE, n in 0usize..5) {
            let step = STEPS[n];
            let after = raised(Cents::new(cents), points, step).get();
            prop_assert!(after >= step && after % step == 0);
            prop_assert!(after + step / 2 >= cents, "{} after {}", after, cents);
        }
    }
}
