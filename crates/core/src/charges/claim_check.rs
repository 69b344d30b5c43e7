//! The claim check: everything that a payer would refuse, told while the chart is open and again before sending.
//!
//! Each rule is a row of [`rules::RULES`]: its name, how grave it is, for whom it holds, where it is put right, and what it
//! looks for. What it does not know (a policy that was not verified, a limit that a payer never told) it says or leaves out; it
//! never takes it for right.

mod of_file;
mod rules;
mod words;

pub use of_file::{NOT_IN_A_FILE, check_of_file};

use super::ChargeLine;
use crate::consult::diagnoses::{DiagnosisIndex, Pair};
use crate::coverage::Relationship;
use crate::coverage::referrals::ReferralOfVisit;
use crate::money::Cents;
use crate::people::Sex;
use chrono::NaiveDate;

coded! {
    /// Whether a claim with the fault is sent.
    ClaimSeverity {
        Stops = "stops", "stops";
        Warns = "warns", "warns";
    }
}

coded! {
    /// Where a fault is put right; the screen makes a link of it.
    FixPlace {
        Registration = "registration", "registration";
        Coverage = "coverage", "coverage";
        Note = "note", "note";
        Charges = "charges", "charges";
        Staff = "staff", "staff settings";
        Clinic = "clinic", "clinic settings";
    }
}

/// The policy that a claim goes to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PolicyOnClaim {
    pub payer: String,
    pub subscriber_number: String,
    pub group_number: String,
    pub in_force: bool,
    /// The payer said that it is in force on the very day of the visit.
    pub verified: bool,
    /// The payer pays only for accidents at work.
    pub employment: bool,
    pub relationship: Relationship,
    pub holder_name: String,
    pub holder_birth: Option<NaiveDate>,
    pub holder_address: bool,
    /// Days from the visit until when the payer takes a claim; nothing while nobody has told.
    pub filing_days: Option<u32>,
    /// It pays only with a referral.
    pub needs_referral: bool,
}

/// Who did it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Rendering<'a> {
    pub npi: Option<&'a str>,
    pub taxonomy: Option<&'a str>,
}

/// What a claim check looks at.
#[derive(Debug, Clone)]
pub struct ClaimCandidate<'a> {
    pub today: NaiveDate,
    pub service_date: NaiveDate,
    /// First and last name as they are on record.
    pub name: String,
    pub birth_date: Option<NaiveDate>,
    pub sex: Option<Sex>,
    pub has_address: bool,
    /// Nothing for self-pay, whose charges are not claimed.
    pub policy: Option<PolicyOnClaim>,
    pub self_pay: bool,
    /// It is a charge without a visit.
    pub alone: bool,
    /// What the patient was told in writing that it would come to.
    pub estimated: Option<Cents>,
    pub diagnoses: Vec<String>,
    /// What the note says is unrelated, where the guidelines presume the contrary.
    pub unrelated: Vec<Pair>,
    pub lines: Vec<ChargeLine>,
    pub rendering: Rendering<'a>,
    /// The clinic's postal code, by its digits.
    pub billing_postal_code: &'a str,
    pub accident_date: Option<NaiveDate>,
    /// It happened at work, as it is on record.
    pub accident_at_work: bool,
    /// The payer's own number of the accident; empty where it gave none.
    pub accident_number: String,
    /// The employer at the time; empty where nobody said.
    pub employer: String,
    pub referral: Option<ReferralOfVisit>,
    /// How many referrals on file hold for the visit, whether it names one or not.
    pub referrals_on_file: usize,
    /// There is a supervising clinician, an approval of the payer.
    pub supervised: bool,
    pub approved: bool,
}

/// One thing that a payer would refuse.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ClaimFault {
    pub code: &'static str,
    pub severity: ClaimSeverity,
    pub place: FixPlace,
    pub sentence: String,
    /// The charge line at fault.
    pub line: Option<u32>,
    /// Two codes that the note may say are unrelated, which answers it.
    pub pair: Option<Pair>,
}

/// What is told of the chart to those who may not see it: that there is something.
const WITHHELD: &str = "Something of the chart is to be put right.";

impl ClaimFault {
    /// Whether the sentence names a diagnosis.
    pub fn tells_of_chart(&self) -> bool {
        self.place == FixPlace::Note
    }

    /// The sentence for somebody who may see the chart, or may not.
    pub fn told(&self, sees_chart: bool) -> &str {
        if self.tells_of_chart() && !sees_chart { WITHHELD } else { &self.sentence }
    }

    pub fn stops(&self) -> bool {
        self.severity == ClaimSeverity::Stops
    }
}

/// The outcome: which checks ran, by name, and what they found, what stops first.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ClaimCheck {
    pub checks: Vec<&'static str>,
    pub faults: Vec<ClaimFault>,
}

impl ClaimCheck {
    pub fn is_ready(&self) -> bool {
        !self.faults.iter().any(ClaimFault::stops)
    }

    pub fn stops(&self) -> impl Iterator<Item = &ClaimFault> {
        self.faults.iter().filter(|f| f.stops())
    }

    /// Whether a charge line is all that is missing: then the suggested level alone completes the charges.
    pub fn lacks_only_lines(&self) -> bool {
        !self.is_ready() && self.stops().all(|f| f.code == "no_lines")
    }

    /// `Ready: 27 checks passed.`, or how much is in the way.
    pub fn said(&self) -> String {
        let warnings = self.faults.iter().filter(|f| !f.stops()).count();
        let passed = self.checks.len().saturating_sub(self.faults.len());
        let said_of = match warnings {
            0 => String::new(),
            1 => ", 1 to look at".to_owned(),
            n => format!(", {n} to look at"),
        };
        match self.stops().count() {
            0 => format!("Ready: {passed} checks passed{said_of}."),
            1 => format!("1 thing is in the way{said_of}."),
            n => format!("{n} things are in the way{said_of}."),
        }
    }
}

/// Checks a claim before it exists, so that everything is told while it can still be put right.
pub fn check_claim(c: &ClaimCandidate, index: &DiagnosisIndex) -> ClaimCheck {
    let mut out = ClaimCheck::default();
    for rule in rules::RULES.iter().filter(|r| r.holds.holds(c)) {
        out.checks.push(rule.name);
        out.faults.extend((rule.find)(c, index).into_iter().map(|found| ClaimFault {
            code: found.code,
            severity: rule.severity,
            place: rule.place,
            sentence: found.sentence,
            line: found.line,
            pair: found.pair,
        }));
    }
    out.faults.sort_by_key(|f| f.severity != ClaimSeverity::Stops);
    out
}

#[cfg(test)]
mod tests;
