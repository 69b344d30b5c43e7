//! Months of the books: what came to what, and when a month may be closed. A closed month takes no entries; what is put right later
//! lands in the open one.

use crate::money::Cents;
use crate::money::ledger::Account;
use chrono::{Datelike, Months, NaiveDate};

coded! {
    /// By what the figures of some days stand together.
    FiguresBy {
        Day = "day", "by day";
        Clinician = "clinician", "by clinician";
        Payer = "payer", "by payer";
        Site = "site", "by site";
    }
}

/// The first day of the month of a day.
pub fn month_of(day: NaiveDate) -> NaiveDate {
    day.with_day(1).unwrap_or(day)
}

/// The first day of the month after.
pub fn next(month: NaiveDate) -> NaiveDate {
    month.checked_add_months(Months::new(1)).unwrap_or(month)
}

/// What the entries of a time came to. Always: charged and carried over, less all that is below it, is what is owed more (or
/// less) at its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct MonthSums {
    pub charged: Cents,
    pub carried_over: Cents,
    pub from_payers: Cents,
    pub from_patients: Cents,
    pub written_off: Cents,
    pub given_up: Cents,
    pub taken_off: Cents,
    /// By how much what is owed has grown.
    pub owed_more: Cents,
    /// Of the money that came in: what is held for patients, waits to be matched or came outside any claim.
    pub for_no_visit: Cents,
}

impl MonthSums {
    pub fn of(sums: impl IntoIterator<Item = (Account, Cents)>) -> MonthSums {
        let mut s = MonthSums::default();
        for (account, cents) in sums {
            match account {
                Account::Fees => s.charged += -cents,
                Account::Opening => s.carried_over += -cents,
                Account::Bank => s.from_payers += cents,
                Account::Cash | Account::Card | Account::Cheque | Account::Transfer | Account::TillDifference => {
                    s.from_patients += cents;
                }
                Account::WriteOff => s.written_off += cents,
                Account::GivenUp => s.given_up += cents,
                Account::Discount | Account::Hardship | Account::SmallBalance | Account::BadDebt => {
                    s.taken_off += cents;
                }
                Account::Payer | Account::Patient => s.owed_more += cents,
                Account::Unapplied
                | Account::Unmatched
                | Account::Interest
                | Account::Takeback
                | Account::ForwardBalance
                | Account::PayerAdjustment => s.for_no_visit += -cents,
            }
        }
        s
    }

    /// Adds the figures of another time or part.
    pub fn add(&mut self, other: &MonthSums) {
        self.charged += other.charged;
        self.carried_over += other.carried_over;
        self.from_payers += other.from_payers;
        self.from_patients += other.from_patients;
        self.written_off += other.written_off;
        self.given_up += other.given_up;
        self.taken_off += other.taken_off;
        self.owed_more += other.owed_more;
        self.for_no_visit += other.for_no_visit;
    }

    /// What is left over; zero for whole transactions.
    pub fn off_by(&self) -> Cents {
        let came_in = self.from_payers + self.from_patients - self.for_no_visit;
        self.charged + self.carried_over - came_in - self.written_off - self.given_up - self.taken_off - self.owed_more
    }
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum CloseRefusal {
    #[error("This is no first day of a month.")]
    NoMonth,
    #[error("This month is not over yet.")]
    NotOver,
    #[error("This month is closed already.")]
    Closed,
    #[error("Close the months in their order: {} comes first.", .0.format("%B %Y"))]
    OutOfOrder(NaiveDate),
    #[error("Count the till first: {0} of this month is still open.")]
    TillOpen(usize),
}

/// Whether a month may be closed. `closed` is the last that is, `first` the day of the first entry ever, `open_tills` counts those
/// opened within it or before and not closed.
pub fn may_close(
    month: NaiveDate,
    today: NaiveDate,
    closed: Option<NaiveDate>,
    first: Option<NaiveDate>,
    open_tills: usize,
) -> Result<(), CloseRefusal> {
    if month_of(month) != month {
        return Err(CloseRefusal::NoMonth);
    }
    if today < next(month) {
        return Err(CloseRefusal::NotOver);
    }
    if closed.is_some_and(|c| month <= c) {
        return Err(CloseRefusal::Closed);
    }
    let turn = closed.map(next).or(first.map(month_of));
    if let Some(turn) = turn.filter(|turn| *turn < month) {
        return Err(CloseRefusal::OutOfOrder(turn));
    }
    if open_tills > 0 { Err(CloseRefusal::TillOpen(open_tills)) } else { Ok(()) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::money::ledger::{LineDecision, Method, charge, decision, taken_off};
    use crate::money::payments::payment;
    use crate::money::reductions::ReductionKind;

    fn day(text: &str) -> NaiveDate {
        text.parse().unwrap()
    }

    #[test]
    fn months_are_closed_in_order_once_over_and_counted() {
        let close = |month, closed: Option<&str>, tills| {
            may_close(day(month), day("2026-11-23"), closed.map(day), Some(day("2026-08-14")), tills)
        };
        assert_eq!(close("2026-11-01", Some("2026-10-01"), 0), Err(CloseRefusal::NotOver));
        assert_eq!(close("2026-10-01", Some("2026-09-01"), 0), Ok(()));
        assert_eq!(close("2026-10-01", Some("2026-09-01"), 1), Err(CloseRefusal::TillOpen(1)));
        assert_eq!(close("2026-10-01", None, 0), Err(CloseRefusal::OutOfOrder(day("2026-08-01"))));
        assert_eq!(close("2026-08-01", None, 0), Ok(()));
        assert_eq!(close("2026-07-01", None, 0), Ok(()), "an empty month before all");
        assert_eq!(close("2026-09-01", Some("2026-09-01"), 0), Err(CloseRefusal::Closed));
        assert_eq!(close("2026-10-02", None, 0), Err(CloseRefusal::NoMonth));
        assert_eq!(
            CloseRefusal::OutOfOrder(day("2026-08-01")).to_string(),
            "Close the months in their order: August 2026 comes first."
        );
    }

    #[test]
    fn a_month_is_explained_to_the_cent() {
        let c = Cents::new;
        let decided = LineDecision { line: Some(1), paid: c(9_000), written_off: c(4_000), patient_share: c(5_000) };
        let entries: Vec<_> = [
            charge(&[(1, c(18_000))], true).unwrap(),
            decision(&[decided]).unwrap(),
            payment(c(2_000), Method::Cash, "").unwrap(),
            taken_off(ReductionKind::Discount, c(1_000)).unwrap(),
        ]
        .iter()
        .flat_map(|t| t.entries().to_vec())
        .collect();
        let s = MonthSums::of(entries.iter().map(|e| (e.account, e.amount)));
        assert_eq!((s.charged, s.from_payers, s.from_patients), (c(18_000), c(9_000), c(2_000)));
        assert_eq!((s.written_off, s.taken_off, s.owed_more, s.off_by()), (c(4_000), c(1_000), c(2_000), c(0)));
        let mut twice = s;
        twice.add(&s);
        assert_eq!((twice.charged, twice.owed_more, twice.off_by()), (c(36_000), c(4_000), c(0)));
        let all = Account::ALL.iter().enumerate().map(|(n, a)| (*a, c(1 << n)));
        let total: i64 = (0..Account::ALL.len()).map(|n| 1i64 << n).sum();
        assert_eq!(MonthSums::of(all).off_by(), c(-total), "every account has its place");
    }
}
