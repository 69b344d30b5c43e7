//! What stands between a visit and a mark: each said in a sentence, with whose it is and where it is cleared.

use super::{BenefitsState, Mark, MarkOnLine, Pays, VisitFacts};
use crate::house::permissions::Role;

coded! {
    /// The place where a blocker is cleared; the screen turns it into a link.
    Place {
        Details = "details", "details";
        Coverage = "coverage", "coverage";
        Benefits = "benefits", "benefits check";
        CheckIn = "check_in", "check-in";
        Rooming = "rooming", "rooming";
        Note = "note", "note";
        Diagnoses = "diagnoses", "diagnoses";
        Orders = "orders", "orders";
        Prescriptions = "prescriptions", "prescriptions";
        Charges = "charges", "charges";
        Claim = "claim", "claim";
        Money = "money", "money";
        Schedule = "schedule", "schedule";
    }
}

/// Something that stands between the visit and a mark.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Blocker {
    pub mark: Mark,
    /// Stable, for tests and links.
    pub code: &'static str,
    pub sentence: String,
    pub role: Role,
    pub place: Place,
}

impl Blocker {
    /// The same blocker without what it tells of the chart, for a chart under restriction: that something is to be
    /// done stays, what it is opens with a reason.
    pub(super) fn without_chart(self) -> Blocker {
        let sentence = match self.code {
            "run_without_code" => "A problem has no diagnosis code yet.",
            "order_without_diagnosis" => "An order has no diagnosis.",
            "prescription_without_diagnosis" => "A prescription has no diagnosis.",
            "claim_check" => "The claim check found something; the chart is under restriction.",
            _ => return self,
        };
        Blocker { sentence: sentence.into(), ..self }
    }
}

/// Two blockers never say the same: the one at the earlier mark stays.
pub(super) fn say_once(marks: &mut [MarkOnLine]) {
    let mut said: Vec<String> = Vec::new();
    for mark in marks {
        mark.blockers.retain(|b| {
            let new = !said.contains(&b.sentence);
            said.push(b.sentence.clone());
            new
        });
    }
}

/// What stands between this visit and a mark.
pub(super) fn blockers_of(facts: &VisitFacts, mark: Mark) -> Vec<Blocker> {
    let mut found = Vec::new();
    let mut block = |code, role, place, sentence: String| found.push(Blocker { mark, code, sentence, role, place });
    match mark {
        Mark::Booked | Mark::Here | Mark::Roomed | Mark::Seen => {}
        Mark::CheckedIn => {
            if !facts.registration_gaps.is_empty() {
                let list = facts.registration_gaps.join(", ");
                block("registration_gaps", Role::FrontDesk, Place::Details, format!("Registration lacks: {list}."));
            }
            if facts.pays == Pays::Unknown {
                block(
                    "no_coverage",
                    Role::FrontDesk,
                    Place::Coverage,
                    "No coverage on file, and self-pay is not recorded.".into(),
                );
            }
            if let Some(sentence) = &facts.referral_lack {
                block("referral", Role::FrontDesk, Place::Coverage, sentence.clone());
            }
            if let Some(sentence) = &facts.estimate_lack {
                block("estimate", Role::FrontDesk, Place::Coverage, sentence.clone());
            }
            match &facts.benefits {
                BenefitsState::NotAsked => {
                    block("benefits_not_asked", Role::FrontDesk, Place::Benefits, "Coverage is not verified.".into())
                }
                BenefitsState::Waiting => block(
                    "benefits_waiting",
                    Role::FrontDesk,
                    Place::Benefits,
                    "The payer has not answered the benefits check yet.".into(),
                ),
                BenefitsState::Refused(why) => {
                    block("benefits_refused", Role::FrontDesk, Place::Benefits, format!("Benefits check: {why}"))
                }
                BenefitsState::NoAnswer(why) => {
                    block("benefits_no_answer", Role::FrontDesk, Place::Benefits, format!("No answer: {why}"))
                }
                BenefitsState::NotNeeded | BenefitsState::InForce => {}
            }
        }
        Mark::Signed => {
            let seen = facts.marks.has(Mark::Seen);
            if facts.diagnoses == 0 && seen && facts.pays != Pays::Nobody {
                block("no_diagnosis", Role::Clinician, Place::Diagnoses, "The visit has no diagnosis.".into());
            }
            for words in facts.runs_without_code.iter().filter(|_| facts.pays != Pays::Nobody) {
                block(
                    "run_without_code",
                    Role::Clinician,
                    Place::Diagnoses,
                    format!("“{words}” has no diagnosis code yet."),
                );
            }
            for order in &facts.orders_without_diagnosis {
                block(
                    "order_without_diagnosis",
                    Role::Clinician,
                    Place::Orders,
                    format!("The {order} order has no diagnosis."),
                );
            }
            if facts.orders_unsent > 0 {
                let n = facts.orders_unsent;
                block(
                    "orders_unsent",
                    Role::Clinician,
                    Place::Orders,
                    format!("{n} {} not sent.", if n == 1 { "order is" } else { "orders are" }),
                );
            }
            for item in &facts.prescriptions_without_diagnosis {
                block(
                    "prescription_without_diagnosis",
                    Role::Clinician,
                    Place::Prescriptions,
                    format!("The prescription for {item} has no diagnosis."),
                );
            }
            if facts.prescriptions_unsent > 0 {
                let n = facts.prescriptions_unsent;
                block(
                    "prescriptions_unsent",
                    Role::Clinician,
                    Place::Prescriptions,
                    format!("{n} {} not sent.", if n == 1 { "prescription is" } else { "prescriptions are" }),
                );
            }
            if facts.note_struck {
                block(
                    "note_struck",
                    Role::Clinician,
                    Place::Note,
                    "The note is struck in error; write the visit up anew if it took place.".into(),
                );
            } else if seen {
                block("note_unsigned", Role::Clinician, Place::Note, "The note is unsigned.".into());
            }
        }
        Mark::Charged => {
            if facts.note_struck && facts.marks.has(Mark::Signed) {
                let said = "The note is struck in error; nothing is charged for it.";
                block("note_struck", Role::Clinician, Place::Note, said.into());
            } else if facts.marks.has(Mark::Signed) || facts.alone {
                if facts.charge_lines == 0 {
                    block("no_charges", Role::Biller, Place::Charges, "No charge has been entered.".into());
                }
                for fault in &facts.claim_faults {
                    block("claim_check", Role::Biller, Place::Charges, fault.clone());
                }
                if facts.charge_lines > 0 && facts.claim_faults.is_empty() {
                    block(
                        "charges_open",
                        Role::Biller,
                        Place::Charges,
                        "The charges are ready to be completed.".into(),
                    );
                }
            }
        }
        Mark::Claimed => {
            if facts.marks.has(Mark::Charged) {
                if facts.note_struck {
                    let said = "The note is struck in error; take its charges back.";
                    block("note_struck", Role::Biller, Place::Charges, said.into());
                }
                if let Some(who) = &facts.cosigner_missing {
                    block(
                        "cosign_missing",
                        Role::Clinician,
                        Place::Note,
                        format!("{who} has not co-signed the note yet."),
                    );
                }
                if facts.claim_rejections.is_empty() {
                    block("claim_unsent", Role::Biller, Place::Claim, "The claim waits to be sent.".into());
                }
                for why in &facts.claim_rejections {
                    block("claim_rejected", Role::Biller, Place::Claim, format!("Payer rejected: {why}"));
                }
            }
        }
        Mark::Settled => {
            if facts.marks.has(Mark::Charged) {
                for why in facts.claim_rejections.iter().filter(|_| facts.marks.has(Mark::Claimed)) {
                    block("claim_denied", Role::Biller, Place::Claim, format!("Payer denied: {why}"));
                }
                if facts.waiting_for_payer {
                    block("payer_waiting", Role::Biller, Place::Claim, "The payer has not decided yet.".into());
                }
                if facts.patient_balance.is_positive() && facts.payer_balance.is_zero() {
                    block(
                        "patient_owes",
                        Role::FrontDesk,
                        Place::Money,
                        format!("The patient owes {}.", facts.patient_balance),
                    );
                }
                if facts.patient_balance.is_negative() && facts.payer_balance.is_zero() {
                    block(
                        "patient_credit",
                        Role::Biller,
                        Place::Money,
                        format!("The patient has a credit of {}.", -facts.patient_balance),
                    );
                }
            }
        }
    }
    found
}
