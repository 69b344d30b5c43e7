//! Payments of patients: by several means at once, for several visits at once, taken back, given back.
//!
//! A payment becomes one transaction for each visit that it pays, so that every visit balances by itself.

use super::ledger::{Account, Entry, LedgerRefusal, Method, Transaction, entry};
use crate::money::Cents;

/// One means of a payment.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Mean {
    pub method: Method,
    pub amount: Cents,
    /// A cheque's number, a card's approval, a transfer's reference.
    pub reference: String,
}

impl Mean {
    /// Something that can be taken: more than nothing, and a cheque with its number.
    pub fn checked(&self) -> Result<(), LedgerRefusal> {
        if !self.amount.is_positive() {
            return Err(LedgerRefusal::NotPositive);
        }
        if self.method == Method::Cheque && self.reference.trim().is_empty() {
            return Err(LedgerRefusal::ChequeNumber);
        }
        Ok(())
    }

    fn memo(&self) -> String {
        let word = self.method.label();
        if self.reference.trim().is_empty() { word.to_owned() } else { format!("{word} {}", self.reference.trim()) }
    }
}

/// For what a part of a payment is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum For<K> {
    Visit(K),
    /// A balance carried over from before this ledger.
    CarriedOver,
    /// Kept until it is used.
    Credit,
}

impl<K> For<K> {
    /// The account that a payment for this lessens.
    pub fn account(&self) -> Account {
        match self {
            For::Visit(_) | For::CarriedOver => Account::Patient,
            For::Credit => Account::Unapplied,
        }
    }
}

/// What the means come to, when they can be taken together.
pub fn total(means: &[Mean]) -> Result<Cents, LedgerRefusal> {
    if means.is_empty() {
        return Err(LedgerRefusal::NotPositive);
    }
    means.iter().try_for_each(Mean::checked)?;
    if means.iter().filter(|m| m.method == Method::Card).count() > 1 {
        return Err(LedgerRefusal::SeveralCards);
    }
    let sum = means.iter().try_fold(Cents::ZERO, |sum, m| sum.checked_add(m.amount));
    sum.filter(|s| s.get() <= Cents::TYPED_LIMIT).ok_or(LedgerRefusal::TooLarge)
}

/// Lays the means out over what is paid, in order: one transaction for each part, none for a part of zero.
///
/// Always true of the answer: each transaction takes exactly its part from the patient, and over all of them
/// each means brings exactly its amount.
pub fn lay_out<K: Copy>(
    means: &[Mean],
    parts: &[(For<K>, Cents)],
) -> Result<Vec<(For<K>, Transaction)>, LedgerRefusal> {
    let paid = total(means)?;
    if parts.iter().any(|(_, amount)| amount.is_negative()) {
        return Err(LedgerRefusal::NotPositive);
    }
    let shared: Cents = parts.iter().map(|(_, amount)| *amount).sum();
    if shared != paid {
        return Err(LedgerRefusal::SharedOtherwise { shared, paid });
    }
    let mut left: Vec<(&Mean, Cents)> = means.iter().map(|m| (m, m.amount)).collect();
    let mut out = Vec::new();
    for (what, amount) in parts.iter().filter(|(_, amount)| amount.is_positive()) {
        let mut entries: Vec<Entry> = Vec::new();
        let mut open = *amount;
        for (mean, rest) in left.iter_mut().filter(|(_, rest)| rest.is_positive()) {
            let part = open.min(*rest);
            entries.push(entry(mean.method.account(), part, None, &mean.memo()));
            entries.push(entry(what.account(), -part, None, &mean.memo()));
            *rest = *rest - part;
            open = open - part;
            if open.is_zero() {
                break;
            }
        }
        out.push((*what, Transaction::new(entries)?));
    }
    Ok(out)
}

/// A payment by one means for one visit, before or after its charge.
pub fn payment(amount: Cents, method: Method, reference: &str) -> Result<Transaction, LedgerRefusal> {
    let means = [Mean { method, amount, reference: reference.to_owned() }];
    let mut made = lay_out(&means, &[(For::Visit(()), amount)])?;
    made.pop().map(|(_, transaction)| transaction).ok_or(LedgerRefusal::Empty)
}

/// Money given back to the patient, from what the clinic holds too much of: `held` is the credit, or what was
/// overpaid for a visit.
pub fn refund<K>(mean: &Mean, from: &For<K>, held: Cents) -> Result<Transaction, LedgerRefusal> {
    total(std::slice::from_ref(mean))?;
    if mean.amount > held {
        return Err(LedgerRefusal::MoreThanHeld(held.max(Cents::ZERO)));
    }
    let memo = format!("given back, {}", mean.memo());
    Transaction::new(vec![
        entry(from.account(), mean.amount, None, &memo),
        entry(mean.method.account(), -mean.amount, None, &memo),
    ])
}

/// Uses a credit for something that is owed.
pub fn use_credit(amount: Cents, credit: Cents, owed: Cents) -> Result<Transaction, LedgerRefusal> {
    if !amount.is_positive() {
        return Err(LedgerRefusal::NotPositive);
    }
    if amount > credit {
        return Err(LedgerRefusal::MoreThanHeld(credit.max(Cents::ZERO)));
    }
    if amount > owed {
        return Err(LedgerRefusal::MoreThanOwed(owed.max(Cents::ZERO)));
    }
    Transaction::new(vec![
        entry(Account::Unapplied, amount, None, "credit used"),
        entry(Account::Patient, -amount, None, "credit used"),
    ])
}

/// Keeps as credit what was paid too much for a visit, as [`overpaid`](super::collect::overpaid) tells it.
pub fn keep_as_credit(overpaid: Cents) -> Result<Transaction, LedgerRefusal> {
    if !overpaid.is_positive() {
        return Err(LedgerRefusal::MoreThanHeld(Cents::ZERO));
    }
    Transaction::new(vec![
        entry(Account::Patient, overpaid, None, "kept as credit"),
        entry(Account::Unapplied, -overpaid, None, "kept as credit"),
    ])
}

/// A balance from before this ledger: owed when positive, a credit when negative.
pub fn carried_over(amount: Cents) -> Result<Transaction, LedgerRefusal> {
    let account = if amount.is_negative() { Account::Unapplied } else { Account::Patient };
    Transaction::new(vec![
        entry(account, amount, None, "carried over"),
        entry(Account::Opening, -amount, None, "carried over"),
    ])
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::money::ledger::{Balances, charge};
    use proptest::prelude::*;

    fn mean(method: Method, cents: i64) -> Mean {
        Mean { method, amount: Cents::new(cents), reference: "R1".into() }
    }

    #[test]
    fn three_children_are_paid_for_with_two_means() {
        let means = [mean(Method::Cash, 4_000), mean(Method::Card, 3_500)];
        let parts = [1, 2, 3].map(|v| (For::Visit(v), Cents::new(2_500)));
        let made = lay_out(&means, &parts).unwrap();
        assert_eq!(made.len(), 3);
        let second = &made[1].1;
        assert_eq!(
            second.entries().iter().map(|e| (e.account, e.amount.get(), e.memo.as_str())).collect::<Vec<_>>(),
            [
                (Account::Cash, 1_500, "cash R1"),
                (Account::Patient, -1_500, "cash R1"),
                (Account::Card, 1_000, "card R1"),
                (Account::Patient, -1_000, "card R1"),
            ]
        );
        let wrong = lay_out(&means, &parts[..2]).unwrap_err();
        assert_eq!(wrong.to_string(), "50.00 is shared out, but 75.00 is paid.");
    }

    #[test]
    fn what_cannot_be_taken_together() {
        let refuse = |means: &[Mean]| total(means).unwrap_err();
        assert_eq!(refuse(&[]), LedgerRefusal::NotPositive);
        assert_eq!(refuse(&[mean(Method::Cash, 500), mean(Method::Card, -100)]), LedgerRefusal::NotPositive);
        assert_eq!(refuse(&[mean(Method::Card, 500), mean(Method::Card, 100)]), LedgerRefusal::SeveralCards);
        let blank = Mean { reference: " ".into(), ..mean(Method::Cheque, 500) };
        assert_eq!(refuse(&[blank]), LedgerRefusal::ChequeNumber);
        assert_eq!(
            refuse(&[mean(Method::Cash, 600_000_000), mean(Method::Card, 600_000_000)]),
            LedgerRefusal::TooLarge
        );
        let below =
            lay_out(&[mean(Method::Cash, 500)], &[(For::Visit(1), Cents::new(600)), (For::Credit, Cents::new(-100))]);
        assert_eq!(below.unwrap_err(), LedgerRefusal::NotPositive);
    }

    #[test]
    fn nothing_is_given_back_that_is_not_held() {
        let cash = mean(Method::Cash, 1_000);
        assert_eq!(
            refund(&cash, &For::<u8>::Credit, Cents::new(900)).unwrap_err(),
            LedgerRefusal::MoreThanHeld(Cents::new(900))
        );
        let given = refund(&cash, &For::<u8>::Credit, Cents::new(1_000)).unwrap();
        assert_eq!(given.entries()[0].account, Account::Unapplied);
        let ten = Cents::new(1_000);
        assert_eq!(use_credit(ten, ten, Cents::new(999)).unwrap_err(), LedgerRefusal::MoreThanOwed(Cents::new(999)));
        assert_eq!(use_credit(ten, Cents::new(-5), ten).unwrap_err(), LedgerRefusal::MoreThanHeld(Cents::ZERO));
        assert!(keep_as_credit(Cents::new(-5)).is_err() && carried_over(Cents::ZERO).is_err());
    }

    #[derive(Debug, Clone)]
    enum Act {
        Charge(i64),
        Pay(Vec<i64>, Vec<i64>),
        Void(usize),
        GiveBack(i64),
        UseCredit(i64),
        KeepAsCredit,
        CarryOver(i64),
    }

    fn act() -> impl Strategy<Value = Act> {
        prop_oneof![
            (1i64..50_000).prop_map(Act::Charge),
            (proptest::collection::vec(1i64..20_000, 1..4), proptest::collection::vec(0i64..100, 3))
                .prop_map(|(m, p)| Act::Pay(m, p)),
            any::<usize>().prop_map(Act::Void),
            (1i64..30_000).prop_map(Act::GiveBack),
            (1i64..30_000).prop_map(Act::UseCredit),
            Just(Act::KeepAsCredit),
            (-9_000i64..9_000).prop_map(Act::CarryOver),
        ]
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(2000))]
        #[test]
        fn any_history_sums_to_zero_and_derived_balances_agree_with_plain_adding(acts in proptest::collection::vec(act(), 1..40)) {
            // What happened to one visit, kept as plain numbers beside the ledger.
            let (mut owes, mut credit, mut carried, mut received) = (0i64, 0i64, 0i64, 0i64);
            let mut posted: Vec<(For<u8>, Transaction)> = Vec::new();
            type Laid = Vec<(For<u8>, Transaction)>;
            let mut payments: Vec<(Laid, Vec<i64>, i64)> = Vec::new();
            for act in acts {
                match act {
                    Act::Charge(c) => {
                        posted.push((For::Visit(1), charge(&[(1, Cents::new(c))], false).unwrap()));
                        owes += c;
                    }
                    Act::Pay(amounts, weights) => {
                        let methods = [Method::Cash, Method::Card, Method::Cheque];
                        let means: Vec<Mean> = amounts.iter().zip(methods).map(|(c, m)| mean(m, *c)).collect();
                        let sum: i64 = amounts.iter().sum();
                        let first = sum * weights[0] / 100;
                        let second = (sum - first) * weights[1] / 100;
                        let parts = [first, second, sum - first - second];
                        let kinds = [For::Visit(1), For::CarriedOver, For::Credit];
                        let laid: Vec<_> = kinds.into_iter().zip(parts.map(Cents::new)).collect();
                        let made = lay_out(&means, &laid).unwrap();
                        for m in &means {
                            let brought: Cents = made.iter().flat_map(|(_, t)| t.entries()).filter(|e| e.account == m.method.account()).map(|e| e.amount).sum();
                            prop_assert_eq!(brought, m.amount);
                        }
                        owes -= parts[0]; carried -= parts[1]; credit += parts[2]; received += sum;
                        posted.extend(made.clone());
                        payments.push((made, parts.to_vec(), sum));
                    }
                    Act::Void(n) if !payments.is_empty() => {
                        let (made, parts, sum) = payments.remove(n % payments.len());
                        posted.extend(made.into_iter().map(|(k, t)| (k, t.reversed("voided"))));
                        owes += parts[0]; carried += parts[1]; credit -= parts[2]; received -= sum;
                    }
                    Act::Void(_) => {}
                    Act::GiveBack(c) => if let Ok(t) = refund(&mean(Method::Cash, c), &For::<u8>::Credit, Cents::new(credit)) {
                        prop_assert!(c <= credit);
                        posted.push((For::Credit, t));
                        credit -= c; received -= c;
                    },
                    Act::UseCredit(c) => if let Ok(t) = use_credit(Cents::new(c), Cents::new(credit), Cents::new(owes)) {
                        posted.push((For::Visit(1), t));
                        credit -= c; owes -= c;
                    },
                    Act::KeepAsCredit => if let Ok(t) = keep_as_credit(Cents::new(-owes)) {
                        posted.push((For::Visit(1), t));
                        credit -= owes; owes = 0;
                    },
                    Act::CarryOver(c) => if let Ok(t) = carried_over(Cents::new(c)) {
                        posted.push((For::CarriedOver, t));
                        if c > 0 { carried += c } else { credit -= c }
                    },
                }
            }
            let sum_of = |keep: &dyn Fn(&For<u8>, &Entry) -> bool| -> i64 {
                posted.iter().flat_map(|(k, t)| t.entries().iter().map(move |e| (k, e))).filter(|(k, e)| keep(k, e)).map(|(_, e)| e.amount.get()).sum()
            };
            prop_assert_eq!(sum_of(&|_, _| true), 0);
            prop_assert_eq!(sum_of(&|k, e| matches!(k, For::Visit(_)) && e.account == Account::Patient), owes);
            prop_assert_eq!(sum_of(&|k, e| !matches!(k, For::Visit(_)) && e.account == Account::Patient), carried);
            prop_assert_eq!(-sum_of(&|_, e| e.account == Account::Unapplied), credit);
            prop_assert_eq!(sum_of(&|_, e| e.account.method().is_some()), received);
            let visit: Vec<Entry> = posted.iter().filter(|(k, _)| matches!(k, For::Visit(_))).flat_map(|(_, t)| t.entries().to_vec()).collect();
            let b = Balances::of(&visit);
            prop_assert_eq!(b.patient_owes.get(), owes);
            prop_assert_eq!(b.left(), b.charged - b.written_off - b.paid_by_payer - b.paid_by_patient);
        }
    }
}
