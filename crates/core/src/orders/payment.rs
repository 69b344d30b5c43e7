//! Who pays the laboratory: the clinic, the patient, or the insurance with the policy of that day.

use crate::coverage::Relationship;
use chrono::NaiveDate;

coded! {
    BillTo {
        Insurance = "insurance", "insurance";
        Patient = "patient", "patient";
        Clinic = "clinic", "clinic";
    }
}

/// What is known of who pays when an order is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct PayerFacts {
    /// The desk recorded that this visit is paid by the patient.
    pub self_pay: bool,
    /// A policy holds on that day.
    pub has_policy: bool,
}

/// Who pays as long as nobody says otherwise. Without a policy and without a word of the patient nobody knows, and it is
/// asked: a bill that comes as a surprise is worse than a question.
pub fn usual_payer(facts: PayerFacts) -> Option<BillTo> {
    match facts {
        PayerFacts { self_pay: true, .. } => Some(BillTo::Patient),
        PayerFacts { has_policy: true, .. } => Some(BillTo::Insurance),
        _ => None,
    }
}

/// What is missing of who pays, in words; `holds` says whether the policy chosen holds on the day, and is of this person.
pub fn payer_lacks(name: &str, bill_to: Option<BillTo>, holds: bool, day: NaiveDate) -> Option<String> {
    match bill_to {
        None => Some(format!("{name}: say who pays the laboratory.")),
        Some(BillTo::Insurance) if !holds => {
            Some(format!("{name}: no policy that pays on {}; say who pays the laboratory.", day.format("%b %-d, %Y")))
        }
        Some(_) => None,
    }
}

/// The policy under which the laboratory is paid, as it is told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TestPolicy {
    pub payer: String,
    pub subscriber_number: String,
    pub group_number: String,
    /// The patient to the policyholder.
    pub relationship: Relationship,
    /// The policyholder, when that is somebody else.
    pub holder: Option<String>,
}

/// Who gets the laboratory's bill, and who answers for what the patient owes.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TestAccount {
    pub bill_to: BillTo,
    /// Of an insurance only.
    pub policy: Option<TestPolicy>,
    /// Who answers for the patient; nothing when they answer for themselves.
    pub responsible: Option<String>,
    /// The clinic, by its name.
    pub clinic: String,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn who_pays_is_taken_from_what_is_recorded_or_asked() {
        let of = |self_pay, has_policy| usual_payer(PayerFacts { self_pay, has_policy });
        assert_eq!(of(false, true), Some(BillTo::Insurance));
        assert_eq!(of(true, true), Some(BillTo::Patient), "who wants to pay themselves has a reason");
        assert_eq!(of(false, false), None);
    }

    #[test]
    fn insurance_needs_a_policy_of_that_day() {
        let day = NaiveDate::from_ymd_opt(2026, 12, 1).unwrap_or_default();
        let of = |bill_to, holds| payer_lacks("CBC", bill_to, holds, day);
        assert_eq!(of(Some(BillTo::Insurance), true), None);
        assert!(of(Some(BillTo::Insurance), false).is_some_and(|s| s.contains("pays on Dec 1, 2026")));
        assert_eq!(of(Some(BillTo::Patient), false), None);
        assert_eq!(of(Some(BillTo::Clinic), false), None);
        assert_eq!(of(None, true).as_deref(), Some("CBC: say who pays the laboratory."));
    }
}
