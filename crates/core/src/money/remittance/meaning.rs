//! What each amount of a remittance means: given up by contract, the patient's share, decided by a payer before, or not paid,
//! which stays open against the payer until a person has seen to it.
//!
//! The reasons are those of the claim adjustment reason code list (X12 external code source 139), here in our own words. Nothing
//! is written off because a payer did not pay: only a contract gives it up.

use super::{Adjustment, AdjustmentGroup, RemittedClaim, line_number};
use crate::money::Cents;
use crate::money::denials::DeniedAmount;
use crate::money::ledger::LineDecision;

/// Where an amount that a payer did not pay goes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Meaning {
    /// Given up by contract or by law.
    Contractual,
    /// The patient's, or the next payer's.
    PatientShare,
    /// What a payer before decided (reason 23): it moves no money again.
    DecidedBefore,
    /// Not paid for another reason: open, for a person to work on.
    Denied,
}

/// Reasons under the group CO that give an amount up: 24 covered by a fixed arrangement, 45 above the contract's fee, 253 a legal
/// reduction of public payments.
const BY_CONTRACT: [&str; 3] = ["24", "45", "253"];

/// Reasons under the group PR that say that the patient is not insured: that is looked into before anybody is billed for it.
const NOT_INSURED: [&str; 3] = ["26", "27", "31"];

impl Adjustment {
    pub fn meaning(&self) -> Meaning {
        let reason = self.reason.as_str();
        match self.group {
            _ if reason == "23" => Meaning::DecidedBefore,
            AdjustmentGroup::Contractual if BY_CONTRACT.contains(&reason) => Meaning::Contractual,
            AdjustmentGroup::PatientResponsibility if !NOT_INSURED.contains(&reason) => Meaning::PatientShare,
            _ => Meaning::Denied,
        }
    }
}

/// Lessens what would be given up by contract where more is decided than is open: a payer that comes second may name what the first
/// gave up already once more.
///
/// # Errors
/// Where even what is paid and left to the patient is more than is open: the sentence that says so.
pub fn within_open(mut lines: Vec<LineDecision>, open: Cents) -> Result<Vec<LineDecision>, String> {
    let decided: Cents = lines.iter().map(|d| d.paid + d.written_off + d.patient_share).sum();
    let mut over = decided - open;
    for d in lines.iter_mut().rev().filter(|d| d.written_off.is_positive()) {
        if !over.is_positive() {
            break;
        }
        let less = over.min(d.written_off);
        d.written_off = d.written_off - less;
        over = over - less;
    }
    if over.is_positive() {
        return Err(format!("It decides {decided}, of which only {open} is open."));
    }
    Ok(lines)
}

/// What is said of one line, or of the claim as a whole besides its lines.
pub(super) struct Part<'a> {
    /// Nothing for the claim as a whole.
    pub line: Option<u32>,
    pub paid: Cents,
    pub adjustments: &'a [Adjustment],
}

impl Part<'_> {
    pub fn sum(&self, meaning: Meaning) -> Cents {
        self.adjustments.iter().filter(|a| a.meaning() == meaning).map(|a| a.amount).sum()
    }
}

impl RemittedClaim {
    /// Its lines, numbered as given, and what is left for the claim as a whole.
    pub(super) fn parts(&self, numbers: &[Option<u32>]) -> Vec<Part<'_>> {
        let of_lines: Cents = self.lines.iter().map(|l| l.paid).sum();
        let number = |at: usize| numbers.get(at).copied().flatten();
        let lines = self.lines.iter().enumerate().map(|(at, l)| Part {
            line: number(at),
            paid: l.paid,
            adjustments: &l.adjustments,
        });
        let whole = Part { line: None, paid: self.paid - of_lines, adjustments: &self.adjustments };
        lines.chain([whole]).collect()
    }

    /// What is to be posted, line by line, each line by its own control number.
    pub fn decisions(&self) -> Vec<LineDecision> {
        let numbers: Vec<Option<u32>> = self.lines.iter().map(|l| line_number(&l.line_control)).collect();
        self.decisions_of(&numbers)
    }

    /// What is to be posted of lines numbered as given; what is denied moves nothing and stays open against the payer.
    pub fn decisions_of(&self, numbers: &[Option<u32>]) -> Vec<LineDecision> {
        let of = |p: Part| LineDecision {
            line: p.line,
            paid: p.paid,
            written_off: p.sum(Meaning::Contractual),
            patient_share: p.sum(Meaning::PatientShare),
        };
        let moves = |d: &LineDecision| !(d.paid.is_zero() && d.written_off.is_zero() && d.patient_share.is_zero());
        self.parts(numbers).into_iter().map(of).filter(moves).collect()
    }

    /// What was not paid for a reason that is no contract, no share of the patient and no decision of another payer; whatever the
    /// payer calls the claim.
    pub fn not_paid(&self) -> impl Iterator<Item = &Adjustment> {
        self.all_adjustments().filter(|a| a.meaning() == Meaning::Denied && !a.amount.is_zero())
    }

    /// The same with the lines that they are of, numbered as given.
    pub fn denied_amounts(&self, numbers: &[Option<u32>]) -> Vec<DeniedAmount> {
        let of = |p: Part| {
            let denied = |a: &&Adjustment| a.meaning() == Meaning::Denied && !a.amount.is_zero();
            let one = |a: &Adjustment| DeniedAmount {
                line: p.line,
                group: a.group,
                reason: a.reason.clone(),
                amount: a.amount,
            };
            p.adjustments.iter().filter(denied).map(one).collect::<Vec<_>>()
        };
        self.parts(numbers).into_iter().flat_map(of).collect()
    }

    /// Whether nothing came of the claim but a refusal; a full deductible is none.
    pub fn is_denial(&self) -> bool {
        let left = || self.all_adjustments().any(|a| a.meaning() == Meaning::PatientShare && !a.amount.is_zero());
        !self.is_reversal()
            && self.paid.is_zero()
            && !left()
            && (self.status == "4" || self.not_paid().next().is_some())
    }

    /// Where the payer's own sum of the patient's share (CLP05) is not that of its adjustments under PR, as a sentence. The
    /// adjustments are what is posted.
    pub fn share_disagrees(&self) -> Option<String> {
        let of_adjustments: Cents = self
            .all_adjustments()
            .filter(|a| a.group == AdjustmentGroup::PatientResponsibility)
            .map(|a| a.amount)
            .sum();
        (self.patient_share != of_adjustments).then(|| {
            format!(
                "Claim {}: the payer sums the patient's share to {}, its adjustments to {of_adjustments}.",
                self.claim_number, self.patient_share
            )
        })
    }

    /// Each reason for which something was not paid, with its amount, in words.
    pub fn denials_in_words(&self) -> Vec<String> {
        self.not_paid().map(|a| format!("{}: {} ({})", a.amount, a.in_words(), a.group.label())).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn never_more_is_decided_than_is_open() {
        let line = |paid: i64, off: i64, share: i64| LineDecision {
            line: Some(1),
            paid: Cents::new(paid),
            written_off: Cents::new(off),
            patient_share: Cents::new(share),
        };
        let two = || vec![line(1_000, 500, 200), line(300, 400, 0)];
        assert_eq!(within_open(two(), Cents::new(2_400)), Ok(two()), "all of it is open");
        assert_eq!(within_open(two(), Cents::new(9_000)), Ok(two()), "more than that is open");
        let lessened = within_open(two(), Cents::new(1_900)).expect("it fits");
        assert_eq!(lessened, [line(1_000, 400, 200), line(300, 0, 0)], "the contract gave up 5.00 before");
        let why = within_open(two(), Cents::new(1_400)).expect_err("more is paid than is open");
        assert!(why.contains("only 14.00 is open"), "{why}");
    }
    use crate::money::remittance::RemittedLine;
    use AdjustmentGroup::{Contractual, Other, PatientResponsibility, PayerInitiated};

    fn adjustment(group: AdjustmentGroup, reason: &str, cents: i64) -> Adjustment {
        Adjustment { group, reason: reason.into(), amount: Cents::new(cents), quantity: None }
    }

    fn claim(status: &str, paid: i64, adjustments: Vec<Adjustment>) -> RemittedClaim {
        let adjusted: Cents = adjustments.iter().map(|a| a.amount).sum();
        let line = RemittedLine {
            line_control: "C1-1".into(),
            charged: Cents::new(paid) + adjusted,
            paid: Cents::new(paid),
            adjustments,
            ..RemittedLine::default()
        };
        RemittedClaim {
            claim_number: "C1".into(),
            status: status.into(),
            charged: line.charged,
            paid: line.paid,
            lines: vec![line],
            ..RemittedClaim::default()
        }
    }

    #[test]
    fn only_a_contract_gives_money_up() {
        for (group, reason, meaning) in [
            (Contractual, "45", Meaning::Contractual),
            (Contractual, "253", Meaning::Contractual),
            (Contractual, "24", Meaning::Contractual),
            (Contractual, "16", Meaning::Denied),
            (Contractual, "29", Meaning::Denied),
            (Contractual, "97", Meaning::Denied),
            (Contractual, "23", Meaning::DecidedBefore),
            (Other, "23", Meaning::DecidedBefore),
            (Other, "45", Meaning::Denied),
            (Other, "18", Meaning::Denied),
            (PayerInitiated, "45", Meaning::Denied),
            (PatientResponsibility, "1", Meaning::PatientShare),
            (PatientResponsibility, "3", Meaning::PatientShare),
            (PatientResponsibility, "96", Meaning::PatientShare),
            (PatientResponsibility, "26", Meaning::Denied),
            (PatientResponsibility, "27", Meaning::Denied),
            (PatientResponsibility, "31", Meaning::Denied),
            (Contractual, "9999", Meaning::Denied),
        ] {
            assert_eq!(adjustment(group, reason, 1).meaning(), meaning, "{group:?} {reason}");
        }
    }

    #[test]
    fn a_denial_moves_nothing_and_stays_open() {
        let denied = claim("4", 0, vec![adjustment(Contractual, "16", 14_000)]);
        assert_eq!(denied.decisions(), []);
        assert!(denied.is_denial());
        assert_eq!(
            denied.denials_in_words(),
            ["140.00: The claim lacks something the payer needs. (contractual obligation)"]
        );
        let called_processed = claim("1", 0, vec![adjustment(Contractual, "29", 14_000)]);
        assert!(called_processed.is_denial(), "whatever the payer calls it");
        let deductible = claim("1", 0, vec![adjustment(PatientResponsibility, "1", 14_000)]);
        assert!(!deductible.is_denial(), "a full deductible is no denial");
        assert_eq!(deductible.decisions()[0].patient_share, Cents::new(14_000));
    }

    #[test]
    fn of_a_paid_line_only_the_part_under_contract_is_given_up() {
        let c = claim(
            "1",
            9_000,
            vec![
                adjustment(Contractual, "45", 3_000),
                adjustment(PatientResponsibility, "2", 1_000),
                adjustment(Contractual, "97", 700),
                adjustment(PayerInitiated, "50", 300),
            ],
        );
        let expected = LineDecision {
            line: Some(1),
            paid: Cents::new(9_000),
            written_off: Cents::new(3_000),
            patient_share: Cents::new(1_000),
        };
        assert_eq!(c.decisions(), [expected]);
        assert!(!c.is_denial());
        assert_eq!(c.not_paid().map(|a| a.amount).sum::<Cents>(), Cents::new(1_000));
    }

    #[test]
    fn what_a_payer_before_decided_moves_no_money_again() {
        let second =
            claim("2", 2_000, vec![adjustment(Other, "23", 10_000), adjustment(PatientResponsibility, "3", 500)]);
        let d = second.decisions();
        assert_eq!(
            (d[0].paid, d[0].written_off, d[0].patient_share),
            (Cents::new(2_000), Cents::ZERO, Cents::new(500))
        );
        assert_eq!(second.not_paid().count(), 0);
    }
}
