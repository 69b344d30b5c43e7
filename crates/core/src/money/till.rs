//! The till: what should lie in it by each means, what was counted, and who answers for the difference.

use super::ledger::{Account, Entry, LedgerRefusal, Method, Transaction};
use crate::money::Cents;

/// What one means should have come to, and what was counted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Counted {
    pub method: Method,
    pub expected: Cents,
    /// Nothing: nobody counted it, or nobody wrote it down.
    pub counted: Option<Cents>,
}

impl Counted {
    /// Positive: too much lies there.
    pub fn difference(&self) -> Cents {
        self.counted.unwrap_or(Cents::ZERO) - self.expected
    }

    /// What must be counted: the cash always, the rest where something should be there.
    pub fn is_missing(&self) -> bool {
        self.counted.is_none() && (self.method == Method::Cash || !self.expected.is_zero())
    }
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum TillRefusal {
    #[error("Nobody counts less than nothing.")]
    Negative,
    #[error("Count the {0} and write it down, also when it is nothing.")]
    NotCounted(Method),
    #[error("{0} differs by {1}; say why.")]
    NeedsReason(Method, Cents),
    #[error("No more than the {0} counted in cash can stay in the till.")]
    LeavesTooMuch(Cents),
}

/// What each means should come to: the cash at opening, and what came in and went out since.
pub fn expected(opening: Cents, movements: &[(Method, Cents)]) -> Vec<(Method, Cents)> {
    let of = |m: Method| {
        let moved: Cents = movements.iter().filter(|(method, _)| *method == m).map(|(_, amount)| *amount).sum();
        (m, if m == Method::Cash { opening + moved } else { moved })
    };
    Method::ALL.iter().map(|m| of(*m)).collect()
}

/// Closes a till: every difference needs a reason; `stays` of the cash remains for the next one. Answers what
/// goes to the bank in cash.
pub fn close(counts: &[Counted], reason: &str, stays: Cents) -> Result<Cents, TillRefusal> {
    if stays.is_negative() || counts.iter().any(|c| c.counted.is_some_and(Cents::is_negative)) {
        return Err(TillRefusal::Negative);
    }
    if let Some(c) = counts.iter().find(|c| c.is_missing()) {
        return Err(TillRefusal::NotCounted(c.method));
    }
    if let Some(c) = counts.iter().find(|c| !c.difference().is_zero() && reason.trim().is_empty()) {
        return Err(TillRefusal::NeedsReason(c.method, c.difference()));
    }
    let cash = counts.iter().find(|c| c.method == Method::Cash).and_then(|c| c.counted).unwrap_or(Cents::ZERO);
    if stays > cash { Err(TillRefusal::LeavesTooMuch(cash)) } else { Ok(cash - stays) }
}

/// What was too much or too little, as it is posted: what lies there is what was counted. Nothing when all agrees.
pub fn differences(counts: &[Counted]) -> Result<Option<Transaction>, LedgerRefusal> {
    let mut entries = Vec::new();
    for c in counts.iter().filter(|c| !c.difference().is_zero()) {
        let entry = |account, amount| Entry { account, amount, line: None, memo: format!("{} counted", c.method) };
        entries.push(entry(c.method.account(), c.difference()));
        entries.push(entry(Account::TillDifference, -c.difference()));
    }
    if entries.is_empty() { Ok(None) } else { Transaction::new(entries).map(Some) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_day_at_the_till() {
        let c = Cents::new;
        let moved =
            [(Method::Cash, c(4_000)), (Method::Card, c(2_500)), (Method::Cash, c(-1_000)), (Method::Cheque, c(700))];
        let should = expected(c(10_000), &moved);
        assert_eq!(
            should,
            [(Method::Cash, c(13_000)), (Method::Card, c(2_500)), (Method::Cheque, c(700)), (Method::Transfer, c(0))]
        );
        let count = |cash| -> Vec<Counted> {
            let of = |(method, expected): &(Method, Cents)| {
                let counted = if *method == Method::Cash { c(cash) } else { *expected };
                Counted { method: *method, expected: *expected, counted: Some(counted) }
            };
            should.iter().map(of).collect()
        };
        assert_eq!(close(&count(13_000), "", c(10_000)), Ok(c(3_000)));
        let short = close(&count(12_500), " ", c(10_000)).unwrap_err();
        assert_eq!(short.to_string(), "cash differs by -5.00; say why.");
        assert_eq!(close(&count(12_500), "wrong change given", c(10_000)), Ok(c(2_500)));
        assert_eq!(close(&count(13_000), "", c(13_001)), Err(TillRefusal::LeavesTooMuch(c(13_000))));
        assert_eq!(close(&count(-1), "x", c(0)), Err(TillRefusal::Negative));
        let blank: Vec<Counted> = count(13_000).into_iter().map(|x| Counted { counted: None, ..x }).collect();
        assert_eq!(close(&blank, "in a hurry", c(0)), Err(TillRefusal::NotCounted(Method::Cash)));
        let half: Vec<Counted> = blank
            .iter()
            .map(|x| if x.method == Method::Cash { Counted { counted: Some(x.expected), ..*x } } else { *x })
            .collect();
        assert_eq!(close(&half, "", c(0)), Err(TillRefusal::NotCounted(Method::Card)), "something came by card");
        let moved = differences(&count(12_500)).unwrap().unwrap();
        let entries: Vec<(Account, i64)> = moved.entries().iter().map(|e| (e.account, e.amount.get())).collect();
        assert_eq!(entries, [(Account::Cash, -500), (Account::TillDifference, 500)], "a shortage is on the books");
        assert_eq!(differences(&count(13_000)).unwrap(), None);
    }
}
