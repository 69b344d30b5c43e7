//! What came to the bank against what payers said that they pay: matched one to the other, and what differs is work.
//!
//! A deposit may hold several payments, and a payment may come in several deposits. Nothing of this is posted: the books hold
//! what was paid; this says whether it came.

use crate::money::Cents;
use crate::people::fold;
use chrono::NaiveDate;

/// So long after a payment its money should have come; later it is work.
pub const COMES_WITHIN_DAYS: i64 = 7;

/// So many days a deposit may lie from the payment that it is proposed for.
const NEAR_DAYS: i64 = 14;

/// A deposit as far as it is not matched yet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenDeposit {
    pub day: NaiveDate,
    pub open: Cents,
    /// What the bank says of it.
    pub reference: String,
}

/// A payment as far as its money has not come yet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenPayment<K> {
    pub key: K,
    pub paid_on: NaiveDate,
    pub open: Cents,
    pub trace: String,
    pub payer: String,
}

/// A payment that a deposit may be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DepositCandidate<K> {
    pub key: K,
    /// What agrees, the strongest first.
    pub agrees: Vec<&'static str>,
}

/// A trace that is found within longer words by chance says nothing.
const SHORTEST_TRACE: usize = 4;

fn names(reference: &str, trace: &str) -> bool {
    let plain = |text: &str| text.chars().filter(char::is_ascii_alphanumeric).collect::<String>().to_uppercase();
    let trace = plain(trace);
    trace.len() >= SHORTEST_TRACE && plain(reference).contains(&trace)
}

/// The payments that a deposit may be, the likeliest first.
pub fn candidates<K: Copy>(deposit: &OpenDeposit, payments: &[OpenPayment<K>]) -> Vec<DepositCandidate<K>> {
    let told = fold(&deposit.reference);
    let mut found: Vec<(u8, i64, DepositCandidate<K>)> = payments
        .iter()
        .filter_map(|p| {
            let apart = (deposit.day - p.paid_on).num_days().abs();
            let trace = names(&deposit.reference, &p.trace);
            let amount = p.open == deposit.open;
            let payer = fold(&p.payer).split_whitespace().next().is_some_and(|w| w.len() > 3 && told.contains(w));
            let said = [(trace, "number", 4u8), (amount, "amount", 2), (payer, "payer", 1)];
            let weight: u8 = said.iter().filter(|(is, ..)| *is).map(|(.., weight)| weight).sum();
            let near = apart <= NEAR_DAYS;
            // The payer alone, or a like amount of another season, is no hint.
            let counts = trace || near && weight >= 2;
            let agrees = said.iter().filter(|(is, ..)| *is).map(|(_, word, _)| *word).collect();
            counts.then_some((weight, apart, DepositCandidate { key: p.key, agrees }))
        })
        .collect();
    found.sort_by_key(|(weight, apart, _)| (std::cmp::Reverse(*weight), *apart));
    found.into_iter().map(|(.., c)| c).collect()
}

/// The one payment that a deposit is without doubt: its number stands in what the bank says, and the amount is its. Anything less is
/// for a person to say.
pub fn by_itself<K: Copy>(deposit: &OpenDeposit, payments: &[OpenPayment<K>]) -> Option<K> {
    let sure = |p: &&OpenPayment<K>| p.open == deposit.open && names(&deposit.reference, &p.trace);
    let mut all = payments.iter().filter(sure);
    let first = all.next()?;
    all.next().is_none().then_some(first.key)
}

/// How a deposit is shared out over the payments that somebody says it is, in their order: to each what is open of it, never more than
/// is left. Money that came and money that was taken back are not mixed.
pub fn share<K: Copy>(open: Cents, payments: &[(K, Cents)]) -> Vec<(K, Cents)> {
    let mut left = open;
    let mut out = Vec::new();
    for (key, wants) in payments {
        if left.is_zero() || wants.is_zero() || wants.is_negative() != left.is_negative() {
            continue;
        }
        let part = if left.is_negative() { left.max(*wants) } else { left.min(*wants) };
        left = left - part;
        out.push((*key, part));
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, d).unwrap()
    }

    fn payment(key: u8, cents: i64, trace: &str, payer: &str, on: u32) -> OpenPayment<u8> {
        OpenPayment { key, paid_on: day(on), open: Cents::new(cents), trace: trace.into(), payer: payer.into() }
    }

    fn deposit(cents: i64, reference: &str, on: u32) -> OpenDeposit {
        OpenDeposit { day: day(on), open: Cents::new(cents), reference: reference.into() }
    }

    #[test]
    fn a_deposit_is_matched_by_itself_only_where_number_and_amount_agree() {
        let payments =
            [payment(1, 12_000, "SALTM500-001", "Saltmarsh Mutual", 18), payment(2, 12_000, "77", "Beacon", 18)];
        assert_eq!(by_itself(&deposit(12_000, "ACH CREDIT SALTM500001 SALTMARSH", 20), &payments), Some(1));
        assert_eq!(by_itself(&deposit(11_900, "SALTM500001", 20), &payments), None, "another amount");
        assert_eq!(by_itself(&deposit(12_000, "77 street", 20), &payments), None, "so short a number is chance");
        let twins = [payments[0].clone(), OpenPayment { key: 3, ..payments[0].clone() }];
        assert_eq!(by_itself(&deposit(12_000, "SALTM500001", 20), &twins), None, "two payments under one number");
    }

    #[test]
    fn what_may_be_is_ranked_by_what_agrees_and_how_near_it_lies() {
        let payments = [
            payment(1, 5_000, "X-1000", "Beacon Shoals", 3),
            payment(2, 5_000, "X-2000", "Beacon Shoals", 18),
            payment(3, 7_000, "X-3000", "Saltmarsh", 19),
            payment(4, 9_000, "X-4000", "Saltmarsh", 1),
        ];
        let found = candidates(&deposit(5_000, "BEACON SHOALS X3000", 20), &payments);
        let keys: Vec<u8> = found.iter().map(|c| c.key).collect();
        assert_eq!(keys, [3, 2], "the number first; a like amount seventeen days before is none");
        assert_eq!(found[1].agrees, ["amount", "payer"]);
        assert_eq!(candidates(&deposit(1, "SALTMARSH", 20), &payments), [], "the payer alone says nothing");
    }

    #[test]
    fn a_deposit_is_shared_out_in_order_and_never_beyond_itself() {
        let c = Cents::new;
        assert_eq!(share(c(100), &[(1, c(60)), (2, c(60))]), [(1, c(60)), (2, c(40))]);
        assert_eq!(share(c(50), &[(1, c(60))]), [(1, c(50))], "the rest comes another day");
        assert_eq!(share(c(100), &[(1, c(-20)), (2, c(30))]), [(2, c(30))]);
        assert_eq!(share(c(-100), &[(1, c(-60)), (2, c(5))]), [(1, c(-60))]);
    }

    proptest! {
        #[test]
        fn no_share_is_beyond_what_is_open_on_either_side(open in -50i64..50, wants in prop::collection::vec(-50i64..50, 0..6)) {
            let payments: Vec<(usize, Cents)> = wants.iter().copied().map(Cents::new).enumerate().collect();
            let parts = share(Cents::new(open), &payments);
            let sum: i64 = parts.iter().map(|(_, c)| c.get()).sum();
            prop_assert!(sum.abs() <= open.abs() && (sum == 0 || sum.signum() == open.signum()));
            for (key, part) in parts {
                let wanted = wants[key];
                prop_assert!(part.get().signum() == wanted.signum() && part.get().abs() <= wanted.abs());
            }
        }
    }
}
