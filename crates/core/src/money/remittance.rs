//! A payer's remittance: read, balanced, and turned into what is to be posted.
//!
//! [`letter`] is one on paper, typed off. [`meaning`] says what each amount means, [`matching`] which claim a decision is about, [`plan`] what
//! would be posted, and what waits for a person.

pub mod letter;
pub mod matching;
pub mod meaning;
pub mod plan;
pub mod remarks;

use crate::money::Cents;
use crate::money::ledger::Account;
use chrono::NaiveDate;

/// Text of a few letters, kept without an allocation of its own: a large file holds millions of them.
pub type Short = compact_str::CompactString;

coded! {
    /// Why an amount was not paid, by who bears it (X12 CAS01).
    AdjustmentGroup {
        Contractual = "CO", "contractual obligation";
        PatientResponsibility = "PR", "patient responsibility";
        Other = "OA", "other adjustment";
        PayerInitiated = "PI", "payer-initiated reduction";
    }
}

/// One adjustment with its claim adjustment reason code.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Adjustment {
    pub group: AdjustmentGroup,
    pub reason: Short,
    pub amount: Cents,
    pub quantity: Option<String>,
}

impl Adjustment {
    /// Our own short words for the reason.
    pub fn in_words(&self) -> String {
        reason_in_words(&self.reason)
            .map_or_else(|| format!("Reason {} of the payer's list.", self.reason), str::to_owned)
    }
}

/// Our own short words for the usual claim adjustment reason codes.
pub fn reason_in_words(code: &str) -> Option<&'static str> {
    Some(match code {
        "1" => "The deductible is not used up yet.",
        "2" => "The patient's part of the cost after the deductible (coinsurance).",
        "3" => "The copay.",
        "4" => "The modifier is missing or does not fit the service.",
        "11" => "The diagnosis does not fit the service.",
        "15" => "The authorisation number is missing or not valid.",
        "16" => "The claim lacks something the payer needs.",
        "18" => "The payer has had this claim before.",
        "22" => "Another payer comes first.",
        "23" => "What the payer before decided.",
        "24" => "Covered by a fixed arrangement with the clinic.",
        "26" => "The service was before the policy began.",
        "27" => "The service was after the policy ended.",
        "29" => "The claim came too late.",
        "31" => "The payer does not know the patient as insured.",
        "45" => "The fee is above what the contract allows.",
        "50" => "The payer does not hold the service necessary.",
        "96" => "The plan does not cover this service.",
        "97" => "Included in the payment for another service of the visit.",
        "109" => "The claim belongs to another payer.",
        "119" => "The plan's limit for this service is used up.",
        "197" => "An authorisation was needed before the service.",
        "204" => "The plan does not cover this service.",
        "253" => "A legal reduction of public payments.",
        _ => return None,
    })
}

/// One service line of the payer's decision.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct RemittedLine {
    /// The clinic's line control number (REF*6R), when the payer returned it.
    pub line_control: Short,
    pub service_code: Short,
    pub modifiers: Vec<String>,
    pub charged: Cents,
    pub paid: Cents,
    pub units: Short,
    /// What had been billed, when the payer changed or bundled the service.
    pub original_code: Option<String>,
    pub service_date: Option<NaiveDate>,
    pub adjustments: Vec<Adjustment>,
    pub allowed: Option<Cents>,
    pub remarks: Vec<String>,
}

/// One claim of the payer's decision.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct RemittedClaim {
    /// The clinic's claim number as it was sent (CLP01).
    pub claim_number: Short,
    /// CLP02: 1, 2, 3 paid, 4 denied, 22 reversal of an earlier payment, …
    pub status: Short,
    pub charged: Cents,
    pub paid: Cents,
    pub patient_share: Cents,
    pub filing_code: Short,
    pub payer_claim_number: Short,
    pub patient_last: Short,
    pub patient_first: Short,
    pub subscriber_number: Short,
    pub adjustments: Vec<Adjustment>,
    pub lines: Vec<RemittedLine>,
    pub remarks: Vec<String>,
}

impl RemittedClaim {
    pub fn is_reversal(&self) -> bool {
        self.status == "22"
    }

    /// The payer sent the claim on to the next payer by itself (CLP02 19 to 21).
    pub fn is_forwarded(&self) -> bool {
        matches!(self.status.as_str(), "19" | "20" | "21")
    }

    fn all_adjustments(&self) -> impl Iterator<Item = &Adjustment> {
        self.adjustments.iter().chain(self.lines.iter().flat_map(|l| &l.adjustments))
    }

    /// Why the patient owes, or why the payer did not pay: each reason with its amount, in words.
    pub fn explanation(&self) -> Vec<String> {
        self.all_adjustments().map(|a| format!("{}: {} ({})", a.amount, a.in_words(), a.group.label())).collect()
    }
}

/// The line of the visit from our line control number, `CLAIM-2` being line 2.
pub fn line_number(control: &str) -> Option<u32> {
    control.rsplit_once('-').and_then(|(_, n)| n.parse().ok())
}

/// An adjustment outside any claim (X12 PLB).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ProviderAdjustment {
    pub reason: String,
    pub reference: String,
    /// Positive takes money from the payment, as in PLB04.
    pub amount: Cents,
}

impl ProviderAdjustment {
    /// Where such money stands in the ledger.
    pub fn account(&self) -> Account {
        match self.reason.as_str() {
            "L6" => Account::Interest,
            "WO" => Account::Takeback,
            "FB" => Account::ForwardBalance,
            _ => Account::PayerAdjustment,
        }
    }
}

/// A whole remittance (one transaction set 835).
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Remittance {
    pub payer_name: String,
    pub payer_id: String,
    pub payee_name: String,
    pub payee_npi: String,
    /// The trace or cheque number (TRN02): with the payer it names the remittance.
    pub trace: String,
    /// BPR04: ACH, CHK, NON …
    pub method: String,
    pub date: NaiveDate,
    pub amount: Cents,
    pub claims: Vec<RemittedClaim>,
    pub provider_adjustments: Vec<ProviderAdjustment>,
}

/// A place where the figures of a remittance contradict each other (005010X221A1, section 1.10.2.1).
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum Imbalance {
    #[error(
        "Claim {claim}, line {line}: charge {charged} less adjustments {adjusted} is not the {paid} paid; {difference} is unexplained."
    )]
    Line { claim: String, line: usize, charged: Cents, adjusted: Cents, paid: Cents, difference: Cents },
    #[error(
        "Claim {claim}: charge {charged} less adjustments {adjusted} is not the {paid} paid; {difference} is unexplained."
    )]
    Claim { claim: String, charged: Cents, adjusted: Cents, paid: Cents, difference: Cents },
    #[error(
        "The claims sum to {claims}, less adjustments outside claims {outside}; the payment is {paid}; {difference} is unexplained."
    )]
    File { claims: Cents, outside: Cents, paid: Cents, difference: Cents },
}

impl Remittance {
    /// Checks all three balances; a remittance with any imbalance is refused whole.
    pub fn check_balance(&self) -> Result<(), Vec<Imbalance>> {
        let mut found = Vec::new();
        for claim in &self.claims {
            for (i, line) in claim.lines.iter().enumerate() {
                let adjusted: Cents = line.adjustments.iter().map(|a| a.amount).sum();
                let difference = line.charged - adjusted - line.paid;
                if !difference.is_zero() {
                    found.push(Imbalance::Line {
                        claim: claim.claim_number.to_string(),
                        line: i + 1,
                        charged: line.charged,
                        adjusted,
                        paid: line.paid,
                        difference,
                    });
                }
            }
            let adjusted: Cents = claim.all_adjustments().map(|a| a.amount).sum();
            let difference = claim.charged - adjusted - claim.paid;
            if !difference.is_zero() {
                found.push(Imbalance::Claim {
                    claim: claim.claim_number.to_string(),
                    charged: claim.charged,
                    adjusted,
                    paid: claim.paid,
                    difference,
                });
            }
        }
        let claims: Cents = self.claims.iter().map(|c| c.paid).sum();
        let outside: Cents = self.provider_adjustments.iter().map(|p| p.amount).sum();
        let difference = claims - outside - self.amount;
        if !difference.is_zero() {
            found.push(Imbalance::File { claims, outside, paid: self.amount, difference });
        }
        if found.is_empty() { Ok(()) } else { Err(found) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::money::ledger::LineDecision;

    fn cents(c: i64) -> Cents {
        Cents::new(c)
    }

    fn adjustment(group: AdjustmentGroup, reason: &str, amount: i64) -> Adjustment {
        Adjustment { group, reason: reason.into(), amount: cents(amount), quantity: None }
    }

    fn sample() -> Remittance {
        let line = RemittedLine {
            line_control: "C100-1".into(),
            charged: cents(18_000),
            paid: cents(9_500),
            adjustments: vec![
                adjustment(AdjustmentGroup::Contractual, "45", 5_000),
                adjustment(AdjustmentGroup::PatientResponsibility, "3", 2_500),
                adjustment(AdjustmentGroup::PatientResponsibility, "2", 1_000),
            ],
            ..RemittedLine::default()
        };
        let claim = RemittedClaim {
            claim_number: "C100".into(),
            status: "1".into(),
            charged: cents(18_000),
            paid: cents(9_500),
            lines: vec![line],
            ..RemittedClaim::default()
        };
        Remittance {
            payer_name: "Saltmarsh Mutual Health Plan".into(),
            payer_id: "SALTM".into(),
            payee_name: "Indigo Harbor Family Clinic".into(),
            payee_npi: "1234567893".into(),
            trace: "T1".into(),
            method: "ACH".into(),
            date: NaiveDate::from_ymd_opt(2026, 11, 23).unwrap(),
            amount: cents(9_000),
            claims: vec![claim],
            provider_adjustments: vec![ProviderAdjustment {
                reason: "WO".into(),
                reference: "C77".into(),
                amount: cents(500),
            }],
        }
    }

    #[test]
    fn balances_at_all_three_levels() {
        assert_eq!(sample().check_balance(), Ok(()));
        let mut off = sample();
        off.amount = cents(9_001);
        assert!(
            matches!(off.check_balance().unwrap_err().as_slice(), [Imbalance::File { difference, .. }] if *difference == cents(-1))
        );
        let mut off = sample();
        off.claims[0].lines[0].adjustments[0].amount = cents(4_999);
        let found = off.check_balance().unwrap_err();
        assert!(
            found[0].to_string().contains("line 1") && found[0].to_string().contains("0.01 is unexplained"),
            "{}",
            found[0]
        );
        assert_eq!(found.len(), 2, "the claim does not balance either");
    }

    #[test]
    fn a_decision_splits_paid_written_off_and_share() {
        let d = sample().claims[0].decisions();
        assert_eq!(
            d,
            [LineDecision {
                line: Some(1),
                paid: cents(9_500),
                written_off: cents(5_000),
                patient_share: cents(3_500)
            }]
        );
        assert_eq!(
            sample().claims[0].explanation()[2],
            "10.00: The patient's part of the cost after the deductible (coinsurance). (patient responsibility)"
        );
    }

    #[test]
    fn a_claim_level_adjustment_is_posted_without_a_line() {
        let claim = RemittedClaim {
            status: "1".into(),
            charged: cents(700),
            adjustments: vec![adjustment(AdjustmentGroup::Contractual, "45", 700)],
            ..RemittedClaim::default()
        };
        assert_eq!(
            claim.decisions(),
            [LineDecision { line: None, paid: Cents::ZERO, written_off: cents(700), patient_share: Cents::ZERO }]
        );
    }
}
