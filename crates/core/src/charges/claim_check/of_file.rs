//! A claim of somebody else's file, judged by the same rules as far as a file says what they ask.

use super::{ClaimCandidate, ClaimCheck, PolicyOnClaim, Rendering, check_claim};
use crate::charges::Catalogued;
use crate::charges::ChargeLine;
use crate::claims::{Claim, PersonOnClaim, Subscriber};
use crate::consult::diagnoses::{DiagnosisIndex, dot};
use crate::coverage::referrals::ReferralOfVisit;
use crate::money::Cents;
use crate::people::Sex;
use chrono::NaiveDate;

/// What a file cannot tell, so that nobody takes it for judged.
pub const NOT_IN_A_FILE: &str = "Not judged, because a file does not tell it: whether the policy is in force and verified, and the time left to file.";

/// What the claim check finds in a claim as it was read, `day` being the day that the file was written.
pub fn check_of_file(claim: &Claim, billing_postal_code: &str, day: NaiveDate, index: &DiagnosisIndex) -> ClaimCheck {
    let name = |p: &PersonOnClaim| format!("{} {} {}", p.first, p.middle, p.last);
    let has_address = |p: &PersonOnClaim| !p.address.line.is_empty() && !p.address.postal_code.is_empty();
    let patient = &claim.patient;
    let (employer, holder) = match &claim.subscriber {
        Some(Subscriber::Employer { name, .. }) => (name.clone(), patient),
        Some(Subscriber::Person(p)) => (String::new(), p),
        None => (String::new(), patient),
    };
    let accident = claim.accident.as_ref();
    let at_work = claim.filing_code == "WC" || accident.is_some_and(|a| a.cause == "EM");
    let candidate = ClaimCandidate {
        today: day,
        service_date: claim.lines.iter().map(|l| l.service_date).min().unwrap_or(day),
        name: name(patient),
        birth_date: Some(patient.birth_date),
        sex: Sex::from_code(&patient.sex),
        has_address: claim.subscriber.is_some() || has_address(patient),
        policy: Some(PolicyOnClaim {
            payer: claim.payer_name.clone(),
            subscriber_number: claim.subscriber_number.clone(),
            group_number: claim.group_number.clone(),
            in_force: true,
            verified: true,
            employment: at_work,
            relationship: claim.relationship,
            holder_name: name(holder),
            holder_birth: Some(holder.birth_date),
            // Of a holder who is not the patient a claim need not tell the address.
            holder_address: true,
            filing_days: None,
            needs_referral: false,
        }),
        self_pay: false,
        alone: false,
        estimated: None,
        diagnoses: claim.diagnoses.iter().map(|d| dot(d)).collect(),
        unrelated: vec![],
        lines: (1..)
            .zip(&claim.lines)
            .map(|(number, l)| ChargeLine {
                number,
                service: l.code.clone(),
                code: l.code.clone(),
                modifiers: l.modifiers.clone(),
                units: l.units,
                // The fee is that of all units; of one it is at least its part.
                price: Some(Cents::new(-(-l.fee.get()).div_euclid(i64::from(l.units.max(1))))),
                pointers: l.pointers.clone(),
                is_level: false,
                is_procedure: false,
                catalogued: Catalogued::default(),
            })
            .collect(),
        rendering: Rendering {
            npi: Some(&claim.rendering.npi),
            taxonomy: Some(&claim.rendering.taxonomy).filter(|t| !t.is_empty()).map(String::as_str),
        },
        billing_postal_code,
        accident_date: accident.map(|a| a.date),
        accident_at_work: accident.is_some_and(|a| a.cause == "EM"),
        accident_number: accident.map(|a| a.number.clone()).unwrap_or_default(),
        employer,
        supervised: claim.supervising.is_some(),
        referral: claim.referring.as_ref().map(|r| ReferralOfVisit { who: r.last_or_name.clone(), fault: None }),
        referrals_on_file: 0,
        approved: claim.prior_authorisation.is_some(),
    };
    check_claim(&candidate, index)
}
