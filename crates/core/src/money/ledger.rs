//! The ledger: every cent as an entry in a transaction that sums to zero.
//!
//! Double entry: a positive amount is owed to the clinic or held by it, a negative one is where it
//! came from. Nothing is ever changed; a slip is put right by a new transaction. Balances, ages and who
//! owes are derived from the entries and stored nowhere.
//!
//! [`payments`] lays a payment out over visits, [`collect`] proposes to which, [`ages`] tells how old a
//! balance is, [`till`] counts what lies in the drawer.

use crate::money::Cents;
use crate::money::reductions::ReductionKind;

coded! {
    /// Where money stands.
    Account {
        /// What payers owe for a visit.
        Payer = "payer", "owed by payer";
        /// What patients owe for a visit; negative while a copay waits for its charge.
        Patient = "patient", "owed by patient";
        /// Fees earned, negative by nature.
        Fees = "fees", "fees";
        /// Given up by contract or by law.
        WriteOff = "write_off", "written off";
        /// Given up by somebody's decision after a payer denied it.
        GivenUp = "given_up", "given up";
        /// Taken off what a patient owes.
        Discount = "discount", "discounts";
        /// Taken off for somebody who showed that they cannot pay it.
        Hardship = "hardship", "hardship";
        /// Too little to be worth the postage.
        SmallBalance = "small_balance", "small balances";
        /// Asked for often and not paid.
        BadDebt = "bad_debt", "bad debt";
        /// Money of a patient that is not yet for any visit; negative while the clinic holds it.
        Unapplied = "unapplied", "credit";
        /// What came in by each means.
        Cash = "cash", "cash";
        Card = "card", "card";
        Cheque = "cheque", "cheque";
        Transfer = "transfer", "transfer";
        /// Money that payers sent to the bank.
        Bank = "bank", "bank";
        /// Money in the bank of which nobody knows yet which claim it is for.
        Unmatched = "unmatched", "waits to be matched";
        /// What payers added for paying late (X12 PLB L6).
        Interest = "interest", "interest";
        /// What payers kept for what they had paid too much before (X12 PLB WO).
        Takeback = "takeback", "taken back by payers";
        /// What payers carried to or from another payment (X12 PLB FB).
        ForwardBalance = "forward_balance", "carried to another payment";
        /// Other adjustments of a payer outside any claim (X12 PLB).
        PayerAdjustment = "payer_adjustment", "payer's adjustments outside claims";
        /// Balances carried over from before this ledger.
        Opening = "opening", "carried over";
        /// What was too much (negative) or too little in a till when it was counted.
        TillDifference = "till_difference", "differences of tills";
    }
}

coded! {
    /// What a transaction records.
    Posting {
        Charge = "charge", "charge";
        Uncharge = "uncharge", "charge taken back";
        Payment = "payment", "payment";
        Decision = "decision", "payer's decision";
        Reversal = "reversal", "decision taken back";
        Adjustment = "adjustment", "payer's adjustment";
        /// What a payer left to the patient goes to the next policy first.
        PassedOn = "passed_on", "passed to the next payer";
        /// What a payer denied becomes the patient's.
        ToPatient = "to_patient", "moved to the patient";
        GivenUp = "given_up", "given up";
        /// Something was taken off what a patient owes.
        Reduction = "reduction", "taken off the patient's debt";
        ReductionBack = "reduction_back", "owed again";
        /// Money that waited found its claim.
        Matched = "matched", "matched";
        Void = "void", "payment taken back";
        Refund = "refund", "refund";
        Credit = "credit", "credit used";
        CarriedOver = "carried_over", "carried over";
        Till = "till", "till difference";
    }
}

coded! {
    /// What happened at the desk.
    PaymentKind {
        Payment = "payment", "payment";
        Void = "void", "taken back";
        Refund = "refund", "refund";
    }
}

coded! {
    /// What became of a request to the card terminal.
    CardState {
        Asked = "asked", "asked";
        Posted = "posted", "posted";
        Declined = "declined", "declined";
        NotCharged = "not_charged", "not charged";
    }
}

coded! {
    /// How a patient pays.
    Method {
        Cash = "cash", "cash";
        Card = "card", "card";
        Cheque = "cheque", "cheque";
        Transfer = "transfer", "transfer";
    }
}

impl Method {
    /// Where money that comes by this means lies.
    pub fn account(self) -> Account {
        match self {
            Method::Cash => Account::Cash,
            Method::Card => Account::Card,
            Method::Cheque => Account::Cheque,
            Method::Transfer => Account::Transfer,
        }
    }
}

impl Account {
    /// The means by which money came to lie there.
    pub fn method(self) -> Option<Method> {
        Method::ALL.iter().copied().find(|m| m.account() == self)
    }
}

/// One side of a transaction. `line` is the charge line it belongs to, when it belongs to one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Entry {
    pub account: Account,
    pub amount: Cents,
    pub line: Option<u32>,
    pub memo: String,
}

/// A transaction about one visit.
///
/// Always true: the entries sum to zero, none of them is zero, and there are at least two.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Transaction {
    entries: Vec<Entry>,
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum LedgerRefusal {
    #[error("The entries do not sum to zero; {0} is left over.")]
    Unbalanced(Cents),
    #[error("There is nothing to post.")]
    Empty,
    #[error("The amount must be more than zero.")]
    NotPositive,
    #[error("The amounts are too large.")]
    TooLarge,
    #[error("A cheque needs its number.")]
    ChequeNumber,
    #[error("Take one card at a time.")]
    SeveralCards,
    #[error("{shared} is shared out, but {paid} is paid.")]
    SharedOtherwise { shared: Cents, paid: Cents },
    #[error("At most {0} can be given back from here.")]
    MoreThanHeld(Cents),
    #[error("Only {0} is owed there.")]
    MoreThanOwed(Cents),
}

impl Transaction {
    pub fn new(entries: Vec<Entry>) -> Result<Transaction, LedgerRefusal> {
        let entries: Vec<Entry> = entries.into_iter().filter(|e| !e.amount.is_zero()).collect();
        let mut sum = Cents::ZERO;
        for entry in &entries {
            sum = sum.checked_add(entry.amount).ok_or(LedgerRefusal::TooLarge)?;
        }
        if entries.is_empty() {
            Err(LedgerRefusal::Empty)
        } else if !sum.is_zero() {
            Err(LedgerRefusal::Unbalanced(sum))
        } else {
            Ok(Transaction { entries })
        }
    }

    pub fn entries(&self) -> &[Entry] {
        &self.entries
    }

    /// The same amounts the other way round: how a posting is taken back.
    pub fn reversed(&self, memo: &str) -> Transaction {
        let entries =
            self.entries.iter().map(|e| Entry { amount: -e.amount, memo: memo.to_owned(), ..e.clone() }).collect();
        Transaction { entries }
    }
}

pub(super) fn entry(account: Account, amount: Cents, line: Option<u32>, memo: &str) -> Entry {
    Entry { account, amount, line, memo: memo.to_owned() }
}

/// The charges of a visit become owed by the payer, or by the patient when nobody insures them.
pub fn charge(lines: &[(u32, Cents)], insured: bool) -> Result<Transaction, LedgerRefusal> {
    let debtor = if insured { Account::Payer } else { Account::Patient };
    Transaction::new(
        lines
            .iter()
            .flat_map(|&(line, fee)| {
                [entry(debtor, fee, Some(line), "charge"), entry(Account::Fees, -fee, Some(line), "charge")]
            })
            .collect(),
    )
}

/// What a payer decided on one line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LineDecision {
    pub line: Option<u32>,
    pub paid: Cents,
    /// Given up by contract or by law.
    pub written_off: Cents,
    /// What the payer leaves to the patient (group code PR).
    pub patient_share: Cents,
}

/// The payer's decision on a claim: what it paid, what is written off, what becomes the patient's.
pub fn decision(lines: &[LineDecision]) -> Result<Transaction, LedgerRefusal> {
    Transaction::new(
        lines
            .iter()
            .flat_map(|d| {
                [
                    entry(Account::Bank, d.paid, d.line, "paid by payer"),
                    entry(Account::WriteOff, d.written_off, d.line, "written off by contract"),
                    entry(Account::Patient, d.patient_share, d.line, "patient's share"),
                    entry(Account::Payer, -(d.paid + d.written_off + d.patient_share), d.line, "decided by payer"),
                ]
            })
            .collect(),
    )
}

/// What a payer left to the patient, by charge line, becomes the next payer's; taken back where negative.
pub fn passed_on(shares: &[(Option<u32>, Cents)]) -> Result<Transaction, LedgerRefusal> {
    moved(shares, Account::Patient, Account::Payer, "passed to the next payer")
}

/// What a payer denied becomes the patient's.
pub fn to_patient(amount: Cents) -> Result<Transaction, LedgerRefusal> {
    moved(&[(None, amount)], Account::Payer, Account::Patient, "denied by the payer")
}

/// What a payer denied is given up.
pub fn given_up(amount: Cents) -> Result<Transaction, LedgerRefusal> {
    moved(&[(None, amount)], Account::Payer, Account::GivenUp, "given up after a denial")
}

/// Something is taken off what a patient owes; the charge itself stays what it was.
pub fn taken_off(kind: ReductionKind, amount: Cents) -> Result<Transaction, LedgerRefusal> {
    moved(&[(None, amount)], Account::Patient, kind.account(), kind.label())
}

fn moved(
    amounts: &[(Option<u32>, Cents)],
    from: Account,
    to: Account,
    memo: &str,
) -> Result<Transaction, LedgerRefusal> {
    let both =
        |&(line, amount): &(Option<u32>, Cents)| [entry(to, amount, line, memo), entry(from, -amount, line, memo)];
    Transaction::new(amounts.iter().flat_map(both).collect())
}

/// The balances of one visit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Balances {
    pub charged: Cents,
    /// By contract or by law.
    pub written_off: Cents,
    /// By somebody's decision.
    pub given_up: Cents,
    /// Taken off what the patient owes: discounts, hardship, small balances, bad debt.
    pub taken_off: Cents,
    pub paid_by_payer: Cents,
    pub paid_by_patient: Cents,
    pub payer_owes: Cents,
    pub patient_owes: Cents,
}

impl Balances {
    /// Adds up entries, in any order.
    pub fn of<'a>(entries: impl IntoIterator<Item = &'a Entry>) -> Balances {
        let mut b = Balances::default();
        for e in entries {
            match e.account {
                Account::Fees => b.charged += -e.amount,
                Account::WriteOff => b.written_off += e.amount,
                Account::GivenUp => b.given_up += e.amount,
                Account::Discount | Account::Hardship | Account::SmallBalance | Account::BadDebt => {
                    b.taken_off += e.amount;
                }
                Account::Bank => b.paid_by_payer += e.amount,
                // A credit that is used for a visit is money that the patient paid.
                Account::Cash | Account::Card | Account::Cheque | Account::Transfer | Account::Unapplied => {
                    b.paid_by_patient += e.amount;
                }
                Account::Payer => b.payer_owes += e.amount,
                Account::Patient => b.patient_owes += e.amount,
                Account::Unmatched
                | Account::Interest
                | Account::Takeback
                | Account::ForwardBalance
                | Account::PayerAdjustment
                | Account::Opening
                | Account::TillDifference => {}
            }
        }
        b
    }

    /// What is still open: always charged − written off − given up − taken off − paid.
    pub fn left(&self) -> Cents {
        self.payer_owes + self.patient_owes
    }

    pub fn is_settled(&self) -> bool {
        self.charged.is_positive() && self.payer_owes.is_zero() && self.patient_owes.is_zero()
    }

    /// The stretches of the amount river with the sentence that explains each.
    pub fn river(&self) -> Vec<(&'static str, Cents, String)> {
        let b = self;
        [
            ("charged", b.charged, format!("The clinic's fee for this visit is {}.", b.charged)),
            (
                "written_off",
                b.written_off,
                format!("By its contract with the payer the clinic gives up {}.", b.written_off),
            ),
            ("given_up", b.given_up, format!("After a denial the clinic gives up {}.", b.given_up)),
            ("taken_off", b.taken_off, format!("The clinic takes {} off what the patient owes.", b.taken_off)),
            ("paid_by_payer", b.paid_by_payer, format!("The payer paid {}.", b.paid_by_payer)),
            ("paid_by_patient", b.paid_by_patient, format!("The patient paid {}.", b.paid_by_patient)),
            ("payer_owes", b.payer_owes, format!("{} waits for the payer's decision.", b.payer_owes)),
            (
                "patient_owes",
                b.patient_owes,
                if b.patient_owes.is_negative() {
                    format!("The patient has paid {} ahead.", -b.patient_owes)
                } else {
                    format!("{} is left for the patient.", b.patient_owes)
                },
            ),
        ]
        .into_iter()
        .filter(|(_, amount, _)| !amount.is_zero())
        .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::money::payments::payment;
    use proptest::prelude::*;

    #[test]
    fn a_visit_from_charge_to_zero() {
        let mut all = Vec::new();
        let mut post = |t: Result<Transaction, LedgerRefusal>| {
            all.extend(t.unwrap().entries().to_vec());
            Balances::of(&all)
        };
        let b = post(payment(Cents::new(2500), Method::Card, "ends 4242"));
        assert_eq!(b.patient_owes, Cents::new(-2500));
        let b = post(charge(&[(1, Cents::new(18_000)), (2, Cents::new(4_000))], true));
        assert_eq!((b.payer_owes, b.left()), (Cents::new(22_000), Cents::new(19_500)));
        let b = post(decision(&[
            LineDecision {
                line: Some(1),
                paid: Cents::new(9_500),
                written_off: Cents::new(5_000),
                patient_share: Cents::new(3_500),
            },
            LineDecision {
                line: Some(2),
                paid: Cents::new(3_000),
                written_off: Cents::new(1_000),
                patient_share: Cents::ZERO,
            },
        ]));
        assert_eq!((b.payer_owes, b.patient_owes), (Cents::ZERO, Cents::new(1_000)));
        assert_eq!(
            b.river().iter().map(|(s, ..)| *s).collect::<Vec<_>>(),
            ["charged", "written_off", "paid_by_payer", "paid_by_patient", "patient_owes"]
        );
        assert!(post(payment(Cents::new(1_000), Method::Cash, "")).is_settled());
    }

    #[test]
    fn refusals() {
        assert_eq!(payment(Cents::ZERO, Method::Cash, ""), Err(LedgerRefusal::NotPositive));
        assert_eq!(payment(Cents::new(5), Method::Cheque, " "), Err(LedgerRefusal::ChequeNumber));
        assert_eq!(Transaction::new(vec![]), Err(LedgerRefusal::Empty));
        let lone = Entry { account: Account::Cash, amount: Cents::new(5), line: None, memo: String::new() };
        assert_eq!(Transaction::new(vec![lone]), Err(LedgerRefusal::Unbalanced(Cents::new(5))));
    }

    #[derive(Debug, Clone)]
    enum Act {
        Charge(i64, bool),
        Pay(i64),
        Decide(i64, i64, i64),
        TakeBack(usize),
        PassOn(i64),
        GiveUp(i64),
        ToPatient(i64),
        TakeOff(usize, i64),
    }

    fn act() -> impl Strategy<Value = Act> {
        prop_oneof![
            (1i64..100_000, any::<bool>()).prop_map(|(c, i)| Act::Charge(c, i)),
            (1i64..50_000).prop_map(Act::Pay),
            (-50_000i64..50_000, -9000i64..9000, -9000i64..9000).prop_map(|(a, b, c)| Act::Decide(a, b, c)),
            any::<usize>().prop_map(Act::TakeBack),
            (-9000i64..9000).prop_map(Act::PassOn),
            (1i64..9000).prop_map(Act::GiveUp),
            (1i64..9000).prop_map(Act::ToPatient),
            (0usize..4, 1i64..9000).prop_map(|(kind, c)| Act::TakeOff(kind, c)),
        ]
    }

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(4000))]
        #[test]
        fn every_history_sums_to_zero_and_leaves_what_the_river_says(acts in proptest::collection::vec(act(), 1..30)) {
            let mut posted: Vec<Transaction> = Vec::new();
            for act in acts {
                let made = match act {
                    Act::Charge(c, insured) => charge(&[(1, Cents::new(c))], insured).ok(),
                    Act::Pay(c) => payment(Cents::new(c), Method::Cash, "").ok(),
                    Act::Decide(paid, off, share) => decision(&[LineDecision { line: Some(1), paid: Cents::new(paid), written_off: Cents::new(off), patient_share: Cents::new(share) }]).ok(),
                    Act::TakeBack(i) if !posted.is_empty() => Some(posted[i % posted.len()].reversed("taken back")),
                    Act::TakeBack(_) => None,
                    Act::PassOn(c) => passed_on(&[(Some(1), Cents::new(c))]).ok(),
                    Act::GiveUp(c) => given_up(Cents::new(c)).ok(),
                    Act::ToPatient(c) => to_patient(Cents::new(c)).ok(),
                    Act::TakeOff(kind, c) => taken_off(ReductionKind::ALL[kind], Cents::new(c)).ok(),
                };
                posted.extend(made);
            }
            let entries: Vec<Entry> = posted.iter().flat_map(|t| t.entries().to_vec()).collect();
            prop_assert_eq!(entries.iter().map(|e| e.amount).sum::<Cents>(), Cents::ZERO);
            let b = Balances::of(&entries);
            prop_assert_eq!(b.left(), b.charged - b.written_off - b.given_up - b.taken_off - b.paid_by_payer - b.paid_by_patient);
        }
    }
}
