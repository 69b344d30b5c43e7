//! To what a payment goes: today's copays first, then the oldest balance; what is over is kept as credit.

use super::ledger::Balances;
use crate::arrival::Stage;
use crate::money::Cents;
use chrono::NaiveDate;

/// Something that a household could pay for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Due<K> {
    pub what: K,
    /// Expected today, for a visit of today.
    pub today: bool,
    /// Since when it is owed.
    pub since: NaiveDate,
    pub amount: Cents,
}

/// Puts dues into the order in which they are paid, leaving out what is not owed.
pub fn in_order<K: Ord>(mut dues: Vec<Due<K>>) -> Vec<Due<K>> {
    dues.retain(|d| d.amount.is_positive());
    dues.sort_by(|a, b| (!a.today, a.since, &a.what).cmp(&(!b.today, b.since, &b.what)));
    dues
}

/// Shares an amount out over dues in their order; the last number is what is left for the credit.
pub fn propose<K>(dues: &[Due<K>], amount: Cents) -> (Vec<Cents>, Cents) {
    let mut left = amount.max(Cents::ZERO);
    let shares = dues
        .iter()
        .map(|d| {
            let part = d.amount.max(Cents::ZERO).min(left);
            left = left - part;
            part
        })
        .collect();
    (shares, left)
}

/// What is asked for at the desk: everything expected today. Older balances are shown beside it.
pub fn asked_today<K>(dues: &[Due<K>]) -> Cents {
    dues.iter().filter(|d| d.today).map(|d| d.amount).sum()
}

/// Whether a visit of today is paid for today.
pub fn is_paid_today(stage: Stage) -> bool {
    stage == Stage::Booked || stage.is_present() || stage == Stage::Left
}

/// The copay: as the payer told it, else as the policy has it on file.
pub fn copay(told: Option<Cents>, on_file: Option<Cents>) -> Cents {
    told.or(on_file).unwrap_or_default()
}

/// What is owed over several balances: what was paid too much for one is not set off against another by itself.
pub fn owed_together(balances: impl IntoIterator<Item = Cents>) -> Cents {
    balances.into_iter().map(|b| b.max(Cents::ZERO)).sum()
}

/// What is asked for at the desk for a visit: what the patient owes once the payer has decided; before that
/// the copay, as far as it is not paid yet, or what is owed already when that is more.
pub fn asked_for(copay: Cents, b: &Balances) -> Cents {
    let decided = b.charged.is_positive() && b.payer_owes.is_zero();
    let rest = (copay - b.paid_by_patient).max(Cents::ZERO);
    if decided { b.patient_owes.max(Cents::ZERO) } else { rest.max(b.patient_owes) }
}

/// What was paid too much for a visit, and may be kept as credit or given back. A copay that waits for its charge
/// is not too much, unless the visit never took place.
pub fn overpaid(stage: Stage, b: &Balances) -> Cents {
    let decided = b.charged.is_positive() && b.payer_owes.is_zero();
    let never = matches!(stage, Stage::Cancelled | Stage::DidNotCome | Stage::LeftUnseen) && b.charged.is_zero();
    if decided || never { (-b.patient_owes).max(Cents::ZERO) } else { Cents::ZERO }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn due(what: u32, today: bool, day: u32, cents: i64) -> Due<u32> {
        Due { what, today, since: NaiveDate::from_ymd_opt(2026, 11, day).unwrap(), amount: Cents::new(cents) }
    }

    #[test]
    fn todays_children_come_before_old_balances() {
        let dues = in_order(vec![
            due(1, false, 3, 4_000),
            due(2, true, 23, 2_500),
            due(3, false, 1, 1_000),
            due(4, true, 23, 2_500),
            due(5, false, 2, 0),
        ]);
        assert_eq!(dues.iter().map(|d| d.what).collect::<Vec<_>>(), [2, 4, 3, 1]);
        assert_eq!(asked_today(&dues), Cents::new(5_000));
        let cents =
            |(shares, credit): (Vec<Cents>, Cents)| (shares.iter().map(|c| c.get()).collect::<Vec<_>>(), credit.get());
        assert_eq!(cents(propose(&dues, Cents::new(5_500))), (vec![2_500, 2_500, 500, 0], 0));
        assert_eq!(cents(propose(&dues, Cents::new(12_000))), (vec![2_500, 2_500, 1_000, 4_000], 2_000));
        assert_eq!(cents(propose(&dues, Cents::new(-5))), (vec![0, 0, 0, 0], 0));
    }

    #[test]
    fn who_pays_today_and_what_is_owed_together() {
        assert!(is_paid_today(Stage::Booked) && is_paid_today(Stage::Left) && !is_paid_today(Stage::Cancelled));
        assert!(!is_paid_today(Stage::DidNotCome) && !is_paid_today(Stage::LeftUnseen));
        let c = Cents::new;
        assert_eq!((copay(Some(c(0)), Some(c(5))), copay(None, Some(c(5))), copay(None, None)), (c(0), c(5), c(0)));
        assert_eq!(owed_together([c(10), c(-4), c(5)]), c(15));
    }

    #[test]
    fn a_copay_before_the_charge_is_not_too_much() {
        let c = Cents::new;
        let b = |charged, payer_owes, patient_owes| Balances {
            charged: c(charged),
            payer_owes: c(payer_owes),
            patient_owes: c(patient_owes),
            ..Balances::default()
        };
        assert_eq!(overpaid(Stage::CheckedIn, &b(0, 0, -2_500)), c(0), "it waits for its charge");
        assert_eq!(overpaid(Stage::LeftUnseen, &b(0, 0, -2_500)), c(2_500), "nothing was done for it");
        assert_eq!(overpaid(Stage::Left, &b(9_000, 6_500, -2_500)), c(0), "the payer has not decided");
        assert_eq!(overpaid(Stage::Left, &b(9_000, 0, -300)), c(300));
        assert_eq!(overpaid(Stage::Left, &b(9_000, 0, 300)), c(0));
    }

    #[test]
    fn a_copay_is_asked_for_once_and_not_after_the_payer_has_decided() {
        let copay = Cents::new(2_500);
        let at = |charged, payer_owes, patient_owes, paid| {
            let c = Cents::new;
            let b = Balances {
                charged: c(charged),
                payer_owes: c(payer_owes),
                patient_owes: c(patient_owes),
                paid_by_patient: c(paid),
                ..Balances::default()
            };
            asked_for(copay, &b).get()
        };
        assert_eq!(at(0, 0, 0, 0), 2_500);
        assert_eq!(at(0, 0, -1_000, 1_000), 1_500);
        assert_eq!(at(0, 0, -9_000, 9_000), 0);
        assert_eq!(at(9_000, 9_000, 0, 0), 2_500, "charged, the payer has not decided");
        assert_eq!(at(9_000, 0, 1_200, 2_500), 1_200, "decided");
        assert_eq!(at(9_000, 0, -300, 2_500), 0, "paid too much");
        assert_eq!(at(9_000, 0, 9_000, 0), 9_000, "self-pay");
    }

    proptest! {
        #[test]
        fn every_cent_goes_somewhere_and_nothing_is_paid_twice(
            dues in proptest::collection::vec((any::<bool>(), 1u32..28, -100i64..9_000), 0..12), amount in 0i64..60_000,
        ) {
            let dues = in_order(dues.into_iter().enumerate().map(|(n, (t, d, c))| due(n as u32, t, d, c)).collect());
            let (shares, credit) = propose(&dues, Cents::new(amount));
            prop_assert_eq!(shares.iter().copied().sum::<Cents>() + credit, Cents::new(amount));
            for (n, (share, due)) in shares.iter().zip(&dues).enumerate() {
                prop_assert!(*share <= due.amount && !share.is_negative());
                // Nothing later is paid while something before it is open.
                prop_assert!(*share == due.amount || shares[n + 1..].iter().all(|s| s.is_zero()) && credit.is_zero());
            }
        }
    }
}
