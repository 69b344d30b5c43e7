//! A payer's decision on paper, as somebody types it off: balanced by the same rules as a file, while it is typed.

use super::matching::KnownClaim;
use super::{Adjustment, AdjustmentGroup, Imbalance, ProviderAdjustment, Remittance, RemittedClaim, RemittedLine};
use crate::money::Cents;
use chrono::NaiveDate;

coded! {
    /// How a payer's letter says that the money comes (X12 BPR04).
    LetterMethod {
        Cheque = "CHK", "cheque";
        Transfer = "ACH", "bank transfer";
        NoMoney = "NON", "no money";
    }
}

/// What the letter says of a line of a claim.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LetterLine {
    /// Its place in the claim, from 1.
    pub number: usize,
    pub paid: Cents,
    pub adjustments: Vec<Adjustment>,
}

/// What the letter says of a claim: of each line that it names. All amounts are typed as they were decided, also where the
/// letter takes a decision back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LetterClaim {
    pub known: KnownClaim,
    pub takes_back: bool,
    /// The payer's own number of the claim; empty where the letter has none.
    pub payer_claim_number: String,
    pub lines: Vec<LetterLine>,
}

/// A letter of a payer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Letter {
    pub payer_name: String,
    pub payer_id: String,
    /// The number of the cheque or transfer, or of the letter.
    pub trace: String,
    pub method: LetterMethod,
    pub date: NaiveDate,
    pub amount: Cents,
    pub claims: Vec<LetterClaim>,
    /// As in X12 PLB04: positive takes money from the payment.
    pub outside: Vec<ProviderAdjustment>,
}

/// How far a letter is explained while it is typed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Standing {
    /// Of each claim, of each of its lines: what neither the payment nor a reason explains; nothing of a line that the letter does
    /// not name.
    pub unexplained: Vec<Vec<Option<Cents>>>,
    /// The payment less what its claims and the amounts outside of them come to.
    pub left: Cents,
}

impl LetterLine {
    fn unexplained(&self, known: &KnownClaim) -> Option<Cents> {
        let fee = known.lines.get(self.number.checked_sub(1)?)?.fee;
        Some(fee - self.paid - self.adjustments.iter().map(|a| a.amount).sum())
    }
}

impl Letter {
    pub fn standing(&self) -> Standing {
        let of_claim = |c: &LetterClaim| {
            (1..=c.known.lines.len())
                .map(|n| c.lines.iter().find(|l| l.number == n).and_then(|l| l.unexplained(&c.known)))
                .collect()
        };
        let paid = |c: &LetterClaim| {
            let sum: Cents = c.lines.iter().map(|l| l.paid).sum();
            if c.takes_back { -sum } else { sum }
        };
        let claims: Cents = self.claims.iter().map(paid).sum();
        let outside: Cents = self.outside.iter().map(|o| o.amount).sum();
        Standing { unexplained: self.claims.iter().map(of_claim).collect(), left: self.amount - claims + outside }
    }

    /// The letter as a remittance, to be posted like one that came as a file.
    ///
    /// # Errors
    /// What does not balance, as in a file.
    pub fn remittance(&self, payee: (&str, &str)) -> Result<Remittance, Vec<Imbalance>> {
        let remittance = self.as_typed(payee);
        remittance.check_balance().map(|()| remittance)
    }

    /// The same whether it balances or not, to be looked at.
    pub fn as_typed(&self, payee: (&str, &str)) -> Remittance {
        Remittance {
            payer_name: self.payer_name.clone(),
            payer_id: self.payer_id.clone(),
            payee_name: payee.0.to_owned(),
            payee_npi: payee.1.to_owned(),
            trace: self.trace.clone(),
            method: self.method.code().into(),
            date: self.date,
            amount: self.amount,
            claims: self.claims.iter().map(LetterClaim::remitted).collect(),
            provider_adjustments: self.outside.clone(),
        }
    }
}

impl LetterClaim {
    fn remitted(&self) -> RemittedClaim {
        let signed = |amount: Cents| if self.takes_back { -amount } else { amount };
        let line = |l: &LetterLine| {
            let known = self.known.lines.get(l.number.checked_sub(1)?)?;
            let adjustments = l.adjustments.iter().map(|a| Adjustment { amount: signed(a.amount), ..a.clone() });
            Some(RemittedLine {
                line_control: known.control.as_str().into(),
                service_code: known.code.as_str().into(),
                charged: signed(known.fee),
                paid: signed(l.paid),
                adjustments: adjustments.collect(),
                ..RemittedLine::default()
            })
        };
        let lines: Vec<RemittedLine> = self.lines.iter().filter_map(line).collect();
        let share = lines.iter().flat_map(|l| &l.adjustments);
        let share: Cents = share.filter(|a| a.group == AdjustmentGroup::PatientResponsibility).map(|a| a.amount).sum();
        let paid: Cents = lines.iter().map(|l| l.paid).sum();
        let status = match (self.takes_back, paid.is_zero() && share.is_zero()) {
            (true, _) => "22",
            (false, true) => "4",
            (false, false) => "1",
        };
        RemittedClaim {
            claim_number: self.known.number.as_str().into(),
            status: status.into(),
            charged: lines.iter().map(|l| l.charged).sum(),
            paid,
            patient_share: share,
            payer_claim_number: self.payer_claim_number.as_str().into(),
            patient_last: self.known.patient_last.as_str().into(),
            patient_first: self.known.patient_first.as_str().into(),
            lines,
            ..RemittedClaim::default()
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::matching::KnownLine;
    use super::*;
    use proptest::prelude::*;

    fn known() -> KnownClaim {
        let line =
            |n: u32, fee: i64| KnownLine { control: format!("C7-{n}"), code: format!("IH{n}"), fee: Cents::new(fee) };
        KnownClaim {
            number: "C7".into(),
            payer_id: "SALTM".into(),
            payer_name: "Saltmarsh".into(),
            patient_last: "Quarrie".into(),
            patient_first: "Ines".into(),
            total: Cents::new(21_300),
            lines: vec![line(1, 19_500), line(2, 1_800)],
        }
    }

    fn adjustment(group: AdjustmentGroup, reason: &str, cents: i64) -> Adjustment {
        Adjustment { group, reason: reason.into(), amount: Cents::new(cents), quantity: None }
    }

    fn letter() -> Letter {
        let lines = vec![
            LetterLine {
                number: 1,
                paid: Cents::new(10_000),
                adjustments: vec![
                    adjustment(AdjustmentGroup::Contractual, "45", 7_000),
                    adjustment(AdjustmentGroup::PatientResponsibility, "3", 2_500),
                ],
            },
            LetterLine {
                number: 2,
                paid: Cents::ZERO,
                adjustments: vec![adjustment(AdjustmentGroup::Contractual, "97", 1_800)],
            },
        ];
        Letter {
            payer_name: "Saltmarsh".into(),
            payer_id: "SALTM".into(),
            trace: "4411".into(),
            method: LetterMethod::Cheque,
            date: NaiveDate::from_ymd_opt(2026, 11, 20).unwrap(),
            amount: Cents::new(10_000),
            claims: vec![LetterClaim { known: known(), takes_back: false, payer_claim_number: String::new(), lines }],
            outside: vec![],
        }
    }

    #[test]
    fn what_is_not_explained_is_told_line_by_line_and_of_the_payment() {
        let mut l = letter();
        assert_eq!(
            l.standing(),
            Standing { unexplained: vec![vec![Some(Cents::ZERO), Some(Cents::ZERO)]], left: Cents::ZERO }
        );
        l.claims[0].lines[0].adjustments.pop();
        l.claims[0].lines.pop();
        l.amount = Cents::new(9_000);
        let standing = l.standing();
        assert_eq!(standing.unexplained, [[Some(Cents::new(2_500)), None]], "the letter does not name the second line");
        assert_eq!(standing.left, Cents::new(-1_000));
        let found = l.remittance(("Indigo Harbor", "1")).unwrap_err();
        assert!(
            matches!(found[..], [Imbalance::Line { .. }, Imbalance::Claim { .. }, Imbalance::File { .. }]),
            "{found:?}"
        );
    }

    #[test]
    fn a_letter_is_a_remittance_like_one_of_a_file() {
        let r = letter().remittance(("Indigo Harbor", "1")).unwrap();
        let c = &r.claims[0];
        assert_eq!((c.status.as_str(), c.patient_share, c.charged), ("1", Cents::new(2_500), Cents::new(21_300)));
        assert_eq!(c.lines[1].line_control, "C7-2");
        assert_eq!(known().matches(&r, c), Ok(vec![Some(1), Some(2)]));
        assert_eq!(r.method, "CHK");
    }

    #[test]
    fn what_is_taken_back_is_typed_as_it_was_and_what_pays_nothing_is_denied() {
        let mut l = letter();
        l.claims[0].takes_back = true;
        l.amount = Cents::new(-10_000);
        let r = l.remittance(("Indigo Harbor", "1")).unwrap();
        assert_eq!((r.claims[0].status.as_str(), r.claims[0].paid), ("22", Cents::new(-10_000)));
        let mut l = letter();
        l.claims[0].lines.remove(0);
        l.amount = Cents::ZERO;
        assert_eq!(l.remittance(("Indigo Harbor", "1")).unwrap().claims[0].status, "4");
        // Kept off a later payment: the money is less, and that is told outside the claims.
        let kept = ProviderAdjustment { reason: "FB".into(), reference: "C7".into(), amount: Cents::new(4_000) };
        let l = Letter { outside: vec![kept], amount: Cents::new(6_000), ..letter() };
        assert_eq!(l.standing().left, Cents::ZERO);
        assert!(l.remittance(("Indigo Harbor", "1")).is_ok());
    }

    proptest! {
        /// Whatever is typed: it is posted exactly where nothing is left unexplained.
        #[test]
        fn it_is_taken_exactly_where_it_is_explained(
            paid in prop::collection::vec(0i64..3, 2), reasons in prop::collection::vec(0i64..3, 2),
            amount in -4i64..5, outside in -2i64..3, takes_back: bool,
        ) {
            let mut known = known();
            (known.lines[0].fee, known.lines[1].fee) = (Cents::new(2), Cents::new(1));
            let line = |n: usize| LetterLine {
                number: n + 1,
                paid: Cents::new(paid[n]),
                adjustments: vec![adjustment(AdjustmentGroup::Contractual, "45", reasons[n])],
            };
            let claim = LetterClaim { known, takes_back, payer_claim_number: String::new(), lines: vec![line(0), line(1)] };
            let kept = ProviderAdjustment { reason: "FB".into(), reference: String::new(), amount: Cents::new(outside) };
            let l = Letter { claims: vec![claim], outside: vec![kept], amount: Cents::new(amount), ..letter() };
            let standing = l.standing();
            let explained = standing.left.is_zero() && standing.unexplained.iter().flatten().all(|u| *u == Some(Cents::ZERO));
            prop_assert_eq!(l.remittance(("", "")).is_ok(), explained);
        }
    }
}
