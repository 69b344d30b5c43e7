//! What the clinic takes off a patient's debt: a discount, hardship, a balance too small to ask for, a bad debt. It touches only
//! what the patient owes, never the charge; always somebody does it and says why; and it can be taken back.
//!
//! A copay is part of what the plan pays for: it is not waived by routine, only for somebody whose hardship is documented (42 USC
//! 1320a-7a(i)(6)(A)).

use crate::house::permissions::Role;
use crate::money::Cents;
use crate::money::denials::{GiveUp, GiveUpRefusal, give_up};
use crate::money::ledger::Account;
use chrono::NaiveDate;

coded! {
    ReductionKind {
        Discount = "discount", "discount";
        Hardship = "hardship", "hardship";
        SmallBalance = "small_balance", "small balance";
        BadDebt = "bad_debt", "bad debt";
    }
}

coded! {
    ReductionState {
        /// A second person must agree.
        Wanted = "wanted", "waits for a second person";
        Made = "made", "made";
        NotAgreed = "not_agreed", "not agreed";
        TakenBack = "taken_back", "taken back";
    }
}

impl ReductionKind {
    pub fn account(self) -> Account {
        match self {
            ReductionKind::Discount => Account::Discount,
            ReductionKind::Hardship => Account::Hardship,
            ReductionKind::SmallBalance => Account::SmallBalance,
            ReductionKind::BadDebt => Account::BadDebt,
        }
    }
}

/// What the clinic set for small balances and bad debts.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct ReductionRules {
    /// Up to it a household's whole debt is small.
    pub small_balance: Cents,
    /// So many statements must have been sent,
    pub statements: u32,
    /// the first of them so many days ago.
    pub days: i64,
}

/// What is known when something is to be taken off a visit's debt.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Debt {
    /// What the patient owes for the visit.
    pub owed: Cents,
    /// What of it is copay.
    pub copay: Cents,
    /// What the guarantor owes over all.
    pub household: Cents,
    /// So much of a hundred may be taken off for hardship, where one is documented for the day of the visit.
    pub hardship: Option<u32>,
    /// What was taken off for it already.
    pub for_hardship: Cents,
    /// Statements that asked for this visit, and when the first was sent.
    pub statements: u32,
    pub first_statement: Option<NaiveDate>,
    /// The guarantor pays by a plan and is not behind.
    pub plan_is_kept: bool,
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ReductionRefusal {
    #[error("The amount must be more than zero.")]
    NotPositive,
    #[error("Only {0} is owed for this visit.")]
    MoreThanOwed(Cents),
    #[error("{0} of it is copay, which is not taken off by routine: at most {1}. Document a hardship first.")]
    Copay(Cents, Cents),
    #[error("No hardship is documented for the day of this visit.")]
    NoHardship,
    #[error("The documented hardship takes off {percent} %: at most {most}.")]
    BeyondHardship { percent: u32, most: Cents },
    #[error("The household owes {owed} in all, which is above the {limit} that the clinic calls small.")]
    NotSmall { owed: Cents, limit: Cents },
    #[error("A small balance is taken off whole.")]
    NotWhole,
    #[error("{sent} of {wanted} statements were sent.")]
    TooFewStatements { sent: u32, wanted: u32 },
    #[error("The first statement was sent {since} days ago; a debt is given up as bad after {wanted}.")]
    TooEarly { since: i64, wanted: i64 },
    #[error("A payment plan is kept.")]
    PlanIsKept,
}

/// Whether so much may be taken off a debt.
pub fn may_take_off(
    kind: ReductionKind,
    amount: Cents,
    d: &Debt,
    rules: &ReductionRules,
    today: NaiveDate,
) -> Result<(), ReductionRefusal> {
    use ReductionRefusal::*;
    if !amount.is_positive() {
        return Err(NotPositive);
    }
    if amount > d.owed {
        return Err(MoreThanOwed(d.owed));
    }
    match kind {
        ReductionKind::Discount => {
            let copay = d.copay.min(d.owed);
            if amount > d.owed - copay {
                return Err(Copay(copay, d.owed - copay));
            }
        }
        ReductionKind::Hardship => {
            let percent = d.hardship.ok_or(NoHardship)?;
            // Of what was owed before anything was taken off for it, so that it is not taken off again and again.
            let most = share(percent, d.owed + d.for_hardship) - d.for_hardship;
            if amount > most {
                return Err(BeyondHardship { percent, most });
            }
        }
        ReductionKind::SmallBalance => {
            if d.household > rules.small_balance {
                return Err(NotSmall { owed: d.household, limit: rules.small_balance });
            }
            if amount != d.owed {
                return Err(NotWhole);
            }
        }
        ReductionKind::BadDebt => {
            if d.plan_is_kept {
                return Err(PlanIsKept);
            }
            if d.statements < rules.statements {
                return Err(TooFewStatements { sent: d.statements, wanted: rules.statements });
            }
            let since = d.first_statement.map_or(0, |first| (today - first).num_days());
            if rules.statements > 0 && since < rules.days {
                return Err(TooEarly { since, wanted: rules.days });
            }
        }
    }
    Ok(())
}

/// The most that may be taken off a debt in this way.
///
/// # Errors
/// Why nothing may.
pub fn most_off(
    kind: ReductionKind,
    d: &Debt,
    rules: &ReductionRules,
    today: NaiveDate,
) -> Result<Cents, ReductionRefusal> {
    let most = match kind {
        ReductionKind::Discount => d.owed - d.copay.min(d.owed),
        ReductionKind::Hardship => share(d.hardship.unwrap_or(100), d.owed + d.for_hardship) - d.for_hardship,
        ReductionKind::SmallBalance | ReductionKind::BadDebt => d.owed,
    };
    // Where nothing is left, the whole debt is asked about, so that the reason is told.
    let asked = if most.is_positive() { most.min(d.owed) } else { d.owed };
    may_take_off(kind, asked, d, rules, today).map(|()| asked)
}

/// Who may: what is documented or small alone, the rest within the limits of giving up, above them with a second person.
pub fn who_may(
    kind: ReductionKind,
    amount: Cents,
    role: Role,
    wanted: Option<(bool, Role)>,
) -> Result<GiveUp, GiveUpRefusal> {
    match kind {
        ReductionKind::Hardship | ReductionKind::SmallBalance if wanted.is_none() => Ok(GiveUp::Now),
        _ => give_up(amount, role, wanted),
    }
}

/// So many of a hundred, half a cent rounded down: never more is taken off than was said.
pub fn share(percent: u32, of: Cents) -> Cents {
    Cents::new(of.get() * i64::from(percent) / 100)
}

/// An amount as it is typed: in dollars, or in per cent of what is owed.
pub fn typed(text: &str, owed: Cents) -> Result<Cents, String> {
    let Some(percent) = text.trim().strip_suffix('%') else {
        return Cents::parse(text).map_err(|e| e.to_string());
    };
    match percent.trim().parse::<u32>() {
        Ok(percent @ 1..=100) => Ok(share(percent, owed)),
        _ => Err("Between 1 and 100 per cent.".into()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const RULES: ReductionRules = ReductionRules { small_balance: Cents::new(300), statements: 3, days: 90 };

    fn day(ago: i64) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, 23).unwrap() - chrono::Duration::days(ago)
    }

    fn debt() -> Debt {
        Debt {
            owed: Cents::new(10_000),
            copay: Cents::new(2_500),
            household: Cents::new(12_000),
            hardship: None,
            for_hardship: Cents::ZERO,
            statements: 3,
            first_statement: Some(day(91)),
            plan_is_kept: false,
        }
    }

    fn asked(kind: ReductionKind, cents: i64, d: &Debt) -> Result<(), ReductionRefusal> {
        may_take_off(kind, Cents::new(cents), d, &RULES, day(0))
    }

    #[test]
    fn a_discount_leaves_the_copay_and_never_takes_more_than_is_owed() {
        use ReductionKind::Discount;
        use ReductionRefusal::*;
        let d = debt();
        assert_eq!(asked(Discount, 7_500, &d), Ok(()));
        assert_eq!(asked(Discount, 7_501, &d), Err(Copay(Cents::new(2_500), Cents::new(7_500))));
        assert_eq!(asked(Discount, 10_001, &d), Err(MoreThanOwed(Cents::new(10_000))));
        assert_eq!(asked(Discount, 0, &d), Err(NotPositive));
        let only_copay = Debt { owed: Cents::new(2_000), ..debt() };
        assert_eq!(asked(Discount, 1, &only_copay), Err(Copay(Cents::new(2_000), Cents::ZERO)));
        assert_eq!(most_off(Discount, &d, &RULES, day(0)), Ok(Cents::new(7_500)));
        assert_eq!(most_off(Discount, &only_copay, &RULES, day(0)), Err(Copay(Cents::new(2_000), Cents::ZERO)));
        let own_pay = Debt { copay: Cents::ZERO, ..debt() };
        assert_eq!(asked(Discount, 10_000, &own_pay), Ok(()));
    }

    #[test]
    fn hardship_takes_off_what_is_documented_once() {
        use ReductionKind::Hardship;
        assert_eq!(asked(Hardship, 100, &debt()), Err(ReductionRefusal::NoHardship));
        let half = Debt { hardship: Some(50), ..debt() };
        assert_eq!(asked(Hardship, 5_000, &half), Ok(()), "the copay too");
        assert_eq!(most_off(Hardship, &half, &RULES, day(0)), Ok(Cents::new(5_000)));
        assert_eq!(most_off(Hardship, &debt(), &RULES, day(0)), Err(ReductionRefusal::NoHardship));
        let after = Debt { owed: Cents::new(5_000), for_hardship: Cents::new(5_000), ..half.clone() };
        let most = Cents::ZERO;
        assert_eq!(asked(Hardship, 1, &after), Err(ReductionRefusal::BeyondHardship { percent: 50, most }));
        assert_eq!(asked(Hardship, 10_000, &Debt { hardship: Some(100), ..half }), Ok(()));
    }

    #[test]
    fn small_is_the_whole_household_and_a_bad_debt_was_asked_for() {
        use ReductionKind::{BadDebt, SmallBalance};
        use ReductionRefusal::*;
        let limit = Cents::new(300);
        assert_eq!(asked(SmallBalance, 10_000, &debt()), Err(NotSmall { owed: Cents::new(12_000), limit }));
        let small = Debt { owed: Cents::new(300), household: Cents::new(300), ..debt() };
        assert_eq!(asked(SmallBalance, 300, &small), Ok(()));
        assert_eq!(asked(SmallBalance, 100, &small), Err(NotWhole));
        assert_eq!(asked(BadDebt, 10_000, &debt()), Ok(()));
        let two = Debt { statements: 2, ..debt() };
        assert_eq!(asked(BadDebt, 10_000, &two), Err(TooFewStatements { sent: 2, wanted: 3 }));
        let young = Debt { first_statement: Some(day(89)), ..debt() };
        assert_eq!(asked(BadDebt, 10_000, &young), Err(TooEarly { since: 89, wanted: 90 }));
        assert_eq!(asked(BadDebt, 10_000, &Debt { plan_is_kept: true, ..debt() }), Err(PlanIsKept));
    }

    #[test]
    fn above_the_limits_a_second_person_agrees_but_not_to_what_is_documented() {
        use ReductionKind::*;
        let much = Cents::new(60_000);
        assert_eq!(who_may(Discount, Cents::new(5_000), Role::Biller, None), Ok(GiveUp::Now));
        assert_eq!(who_may(BadDebt, much, Role::Manager, None), Ok(GiveUp::SecondWanted));
        assert_eq!(who_may(Hardship, much, Role::Biller, None), Ok(GiveUp::Now));
        assert_eq!(who_may(BadDebt, much, Role::Manager, Some((false, Role::Biller))), Ok(GiveUp::Now));
        assert_eq!(who_may(BadDebt, much, Role::Biller, Some((true, Role::Biller))), Err(GiveUpRefusal::SamePerson));
    }

    #[test]
    fn amounts_are_typed_in_dollars_or_per_cent_of_what_is_owed() {
        let owed = Cents::new(3_333);
        assert_eq!(typed("12.50", owed), Ok(Cents::new(1_250)));
        assert_eq!(typed(" 50 % ", owed), Ok(Cents::new(1_666)), "never more than was said");
        assert!(typed("101%", owed).is_err() && typed("0%", owed).is_err() && typed("x", owed).is_err());
    }
}
