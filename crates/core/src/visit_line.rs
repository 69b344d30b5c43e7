//! The visit line: nine marks from booked to settled, each with what blocks it and who acts next.
//!
//! A line is computed from the facts of a visit and is never stored, so it cannot disagree with them.

pub mod blockers;
pub mod marks;
pub mod work_list;

use crate::arrival::Stage;
use crate::house::permissions::Role;
use crate::money::Cents;
pub use blockers::{Blocker, Place};
use blockers::{blockers_of, say_once};
use chrono::{DateTime, Utc};
pub use marks::{Marks, Reached};

coded! {
    Mark {
        Booked = "booked", "Booked";
        Here = "here", "Here";
        CheckedIn = "checked_in", "Checked in";
        Roomed = "roomed", "Roomed";
        Seen = "seen", "Seen";
        Signed = "signed", "Signed";
        Charged = "charged", "Charged";
        Claimed = "claimed", "Claimed";
        Settled = "settled", "Settled";
    }
}

/// How the visit is paid for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Pays {
    Insurance,
    SelfPay,
    /// Nothing is charged: an administrative entry.
    Nobody,
    /// Neither a policy nor self-pay is recorded.
    Unknown,
}

/// The facts of a visit, gathered by the store.
#[derive(Debug, Clone)]
pub struct VisitFacts {
    pub stage: Stage,
    /// False for a visit written up without an appointment.
    pub appointment: bool,
    /// A charge without a visit: nobody is seen, and nothing is written.
    pub alone: bool,
    pub pays: Pays,
    pub marks: Marks,
    /// What the registration lacks, in words.
    pub registration_gaps: Vec<&'static str>,
    /// Nothing when no answer is needed or the answer is "in force"; otherwise why not.
    pub benefits: BenefitsState,
    /// Why the payer would refuse the visit for want of a referral, in a sentence.
    pub referral_lack: Option<String>,
    /// The written estimate that who pays alone has not been given, in a sentence.
    pub estimate_lack: Option<String>,
    pub diagnoses: usize,
    /// The runs of the note that are in words only.
    pub runs_without_code: Vec<String>,
    pub orders_without_diagnosis: Vec<String>,
    pub orders_unsent: usize,
    pub prescriptions_without_diagnosis: Vec<String>,
    pub prescriptions_unsent: usize,
    /// What the claim check found, in words.
    pub claim_faults: Vec<String>,
    pub charge_lines: usize,
    /// Who supervises the visit and has not signed under its signed note.
    pub cosigner_missing: Option<String>,
    /// The note is struck in error.
    pub note_struck: bool,
    /// The payer's reasons when the claim was rejected or denied.
    pub claim_rejections: Vec<String>,
    pub waiting_for_payer: bool,
    pub payer_balance: Cents,
    pub patient_balance: Cents,
}

/// Whether the policy is in force on the day of the visit, as far as the payer said so of that very day.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BenefitsState {
    NotNeeded,
    NotAsked,
    Waiting,
    InForce,
    Refused(String),
    /// The payer is down, or said nothing that can be read: why, in a sentence. Nothing was refused.
    NoAnswer(String),
}

impl BenefitsState {
    /// What the attempts to ask about one policy and one day come to, the latest first. A payer that is down takes back
    /// nothing that it said before, and asking again about what is in force leaves it so until the answer comes.
    pub fn of_attempts(attempts: impl IntoIterator<Item = BenefitsState>) -> BenefitsState {
        use BenefitsState::*;
        let mut attempts = attempts.into_iter();
        let Some(latest) = attempts.next() else { return NotAsked };
        let mut said_before = || attempts.find(|b| matches!(b, InForce | Refused(_)));
        match latest {
            Waiting => said_before().filter(|b| *b == InForce).unwrap_or(Waiting),
            NoAnswer(why) => said_before().unwrap_or(NoAnswer(why)),
            settled => settled,
        }
    }
}

impl VisitFacts {
    /// A freshly booked visit of a person whose record is complete, as a start for tests and readers.
    pub fn booked(at: DateTime<Utc>, by: &str, pays: Pays) -> Self {
        VisitFacts {
            stage: Stage::Booked,
            appointment: true,
            alone: false,
            pays,
            marks: Marks::from_iter([(Mark::Booked, Reached { at, by: by.to_owned() })]),
            registration_gaps: vec![],
            benefits: if pays == Pays::Insurance { BenefitsState::NotAsked } else { BenefitsState::NotNeeded },
            referral_lack: None,
            estimate_lack: None,
            diagnoses: 0,
            runs_without_code: vec![],
            orders_without_diagnosis: vec![],
            orders_unsent: 0,
            prescriptions_without_diagnosis: vec![],
            prescriptions_unsent: 0,
            claim_faults: vec![],
            charge_lines: 0,
            cosigner_missing: None,
            note_struck: false,
            claim_rejections: vec![],
            waiting_for_payer: false,
            payer_balance: Cents::ZERO,
            patient_balance: Cents::ZERO,
        }
    }
}

/// One mark on the line of this visit.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct MarkOnLine {
    pub mark: Mark,
    pub reached: Option<Reached>,
    pub blockers: Vec<Blocker>,
}

/// The line of one visit.
///
/// Always true: the marks stand in the order of [`Mark::ALL`]; `current` is the first mark that is
/// not reached; a blocker stands at a mark that is not reached, or at check-in, which may be finished with something left
/// open; no two blockers say the same.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct VisitLine {
    pub marks: Vec<MarkOnLine>,
    /// Nothing when the line is at its end, or the visit ended early.
    pub current: Option<Mark>,
    /// Who acts next.
    pub next_role: Option<Role>,
    /// How the visit ended early, in a word.
    pub ended: Option<&'static str>,
}

impl VisitLine {
    /// Whether what stands before the present mark has this code.
    pub fn is_blocked_by(&self, code: &str) -> bool {
        let present = self.marks.iter().find(|m| Some(m.mark) == self.current);
        present.is_some_and(|m| m.blockers.iter().any(|b| b.code == code))
    }

    /// The line as it is shown of a person whose chart is under restriction.
    pub fn without_chart(mut self) -> VisitLine {
        for mark in &mut self.marks {
            mark.blockers = std::mem::take(&mut mark.blockers).into_iter().map(Blocker::without_chart).collect();
        }
        self
    }

    pub fn blockers(&self) -> impl Iterator<Item = &Blocker> {
        self.marks.iter().flat_map(|m| &m.blockers)
    }
}

/// The marks of this kind of visit.
fn marks_of(facts: &VisitFacts) -> Vec<Mark> {
    use Mark::*;
    let ended_early = matches!(facts.stage, Stage::Cancelled | Stage::DidNotCome);
    Mark::ALL
        .iter()
        .copied()
        .filter(|mark| match mark {
            Booked => facts.appointment && !facts.alone,
            Here => !facts.alone && !ended_early && (facts.appointment || facts.marks.has(Mark::Here)),
            CheckedIn | Roomed => {
                !facts.alone
                    && !ended_early
                    && facts.stage != Stage::LeftUnseen
                    && (facts.appointment || facts.marks.has(Mark::Here))
            }
            Seen | Signed => !facts.alone && !ended_early && facts.stage != Stage::LeftUnseen,
            Charged | Settled => !ended_early && facts.stage != Stage::LeftUnseen && facts.pays != Pays::Nobody,
            Claimed => {
                !ended_early
                    && facts.stage != Stage::LeftUnseen
                    && !matches!(facts.pays, Pays::Nobody | Pays::SelfPay)
                    && !facts.alone
            }
        })
        .collect()
}

/// Computes the line of a visit.
pub fn visit_line(facts: &VisitFacts) -> VisitLine {
    let mut marks: Vec<MarkOnLine> = marks_of(facts)
        .into_iter()
        .map(|mark| {
            let reached = facts.marks.get(mark).cloned();
            // What check-in left open stays told until the charges are made; from then on it is the claim's matter.
            let left_open = mark == Mark::CheckedIn && !facts.marks.has(Mark::Charged);
            let blockers = if reached.is_some() && !left_open { vec![] } else { blockers_of(facts, mark) };
            MarkOnLine { mark, reached, blockers }
        })
        .collect();
    say_once(&mut marks);
    let ended = match facts.stage {
        Stage::Cancelled => Some("cancelled"),
        Stage::DidNotCome => Some("did not come"),
        Stage::LeftUnseen => Some("left without being seen"),
        _ => None,
    };
    let current = if ended.is_some() { None } else { marks.iter().find(|m| m.reached.is_none()).map(|m| m.mark) };
    VisitLine { next_role: current.map(|mark| acts_for(facts, mark)), marks, current, ended }
}

/// Who brings a visit to this mark.
fn acts_for(facts: &VisitFacts, mark: Mark) -> Role {
    match mark {
        Mark::Booked | Mark::Here | Mark::CheckedIn => Role::FrontDesk,
        Mark::Roomed => Role::Assistant,
        Mark::Seen | Mark::Signed => Role::Clinician,
        Mark::Charged | Mark::Claimed => Role::Biller,
        Mark::Settled if facts.patient_balance.is_positive() && facts.payer_balance.is_zero() => Role::FrontDesk,
        Mark::Settled => Role::Biller,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;

    fn at(h: u32) -> DateTime<Utc> {
        Utc.with_ymd_and_hms(2026, 11, 23, h, 0, 0).unwrap()
    }

    fn by(h: u32) -> Option<Reached> {
        Some(Reached { at: at(h), by: "someone".into() })
    }

    #[test]
    fn an_insured_visit_has_nine_marks() {
        let line = visit_line(&VisitFacts::booked(at(8), "Junia", Pays::Insurance));
        assert_eq!(line.marks.len(), 9);
        assert_eq!(line.current, Some(Mark::Here));
        assert_eq!(line.next_role, Some(Role::FrontDesk));
        assert_eq!(line.blockers().map(|b| b.code).collect::<Vec<_>>(), ["benefits_not_asked"]);
    }

    #[test]
    fn a_charge_alone_is_only_charged_and_settled() {
        let alone = VisitFacts {
            stage: Stage::Left,
            alone: true,
            appointment: false,
            ..VisitFacts::booked(at(8), "J", Pays::SelfPay)
        };
        let mut facts = VisitFacts { marks: Marks::default(), ..alone };
        let line = visit_line(&facts);
        assert_eq!(line.marks.iter().map(|m| m.mark).collect::<Vec<_>>(), [Mark::Charged, Mark::Settled]);
        assert!(line.is_blocked_by("no_charges"), "without a signature it waits for its line");
        facts.charge_lines = 1;
        assert!(visit_line(&facts).is_blocked_by("charges_open"));
        facts.marks.set(Mark::Charged, by(9));
        facts.patient_balance = Cents::new(2_500);
        assert!(visit_line(&facts).is_blocked_by("patient_owes"));
    }

    #[test]
    fn other_visits_have_shorter_lines() {
        let count = |f: &VisitFacts| visit_line(f).marks.len();
        let self_pay = VisitFacts::booked(at(8), "J", Pays::SelfPay);
        assert_eq!(count(&self_pay), 8, "nothing is claimed");
        let admin = VisitFacts { appointment: false, pays: Pays::Nobody, marks: Marks::default(), ..self_pay.clone() };
        assert_eq!(visit_line(&admin).marks.iter().map(|m| m.mark).collect::<Vec<_>>(), [Mark::Seen, Mark::Signed]);
        let cancelled = VisitFacts { stage: Stage::Cancelled, ..self_pay.clone() };
        assert_eq!(
            (count(&cancelled), visit_line(&cancelled).ended, visit_line(&cancelled).current),
            (1, Some("cancelled"), None)
        );
        let mut unseen = VisitFacts { stage: Stage::LeftUnseen, ..self_pay };
        unseen.marks.set(Mark::Here, by(9));
        assert_eq!(count(&unseen), 2);
    }

    #[test]
    fn blockers_name_what_where_and_who() {
        let mut facts = VisitFacts::booked(at(8), "J", Pays::Unknown);
        facts.registration_gaps = vec!["sex", "address"];
        let line = visit_line(&facts);
        let said: Vec<&str> = line.blockers().map(|b| b.sentence.as_str()).collect();
        assert_eq!(said, ["Registration lacks: sex, address.", "No coverage on file, and self-pay is not recorded."]);

        facts = VisitFacts::booked(at(8), "J", Pays::Insurance);
        for (mark, at) in [(Mark::Here, by(9)), (Mark::CheckedIn, by(9)), (Mark::Roomed, by(9)), (Mark::Seen, by(10))] {
            facts.marks.set(mark, at);
        }
        facts.orders_without_diagnosis = vec!["potassium".into()];
        // Finished with something open, check-in goes on telling it, once; the charges take it over.
        let open = visit_line(&facts);
        assert_eq!(open.blockers().filter(|b| b.mark == Mark::CheckedIn).count(), 1);
        facts.claim_faults = vec!["Coverage is not verified.".into()];
        facts.marks.set(Mark::Signed, by(11));
        assert_eq!(visit_line(&facts).blockers().filter(|b| b.sentence == "Coverage is not verified.").count(), 1);
        facts.claim_faults.clear();
        facts.marks.set(Mark::Signed, None);
        facts.benefits = BenefitsState::InForce;
        let line = visit_line(&facts);
        assert_eq!(line.current, Some(Mark::Signed));
        assert!(
            line.blockers().any(|b| b.sentence == "The potassium order has no diagnosis." && b.place == Place::Orders)
        );
        assert!(line.blockers().all(|b| b.role == Role::Clinician));

        facts.marks.set(Mark::Signed, by(11));
        facts.marks.set(Mark::Charged, by(12));
        facts.claim_rejections = vec!["subscriber number".into()];
        let line = visit_line(&facts);
        assert!(line.blockers().any(|b| b.sentence == "Payer rejected: subscriber number" && b.role == Role::Biller));
    }

    #[test]
    fn a_payer_that_is_down_takes_nothing_back_and_refuses_nothing() {
        use BenefitsState::*;
        let of = |attempts: &[BenefitsState]| BenefitsState::of_attempts(attempts.iter().cloned());
        let (down, no) = (|| NoAnswer("down".into()), || Refused("no such subscriber".into()));
        assert_eq!(of(&[]), NotAsked);
        assert_eq!(of(&[down()]), down());
        assert_eq!(of(&[down(), InForce]), InForce, "the last good answer stands");
        assert_eq!(of(&[down(), down(), no(), InForce]), no(), "the newest of them");
        assert_eq!(of(&[Waiting, InForce]), InForce);
        assert_eq!(of(&[Waiting, no()]), Waiting, "what was put right is asked about anew");
        assert_eq!(of(&[no(), InForce]), no());
        let facts = VisitFacts { benefits: down(), ..VisitFacts::booked(at(8), "J", Pays::Insurance) };
        let told: Vec<&str> = visit_line(&facts).blockers().map(|b| b.code).collect();
        assert_eq!(told, ["benefits_no_answer"]);
    }

    #[test]
    fn a_settled_line_has_no_blocker() {
        let mut f = VisitFacts::booked(at(8), "J", Pays::Insurance);
        for (mark, at) in [(Mark::Here, by(9)), (Mark::CheckedIn, by(9)), (Mark::Roomed, by(9)), (Mark::Seen, by(10))] {
            f.marks.set(mark, at);
        }
        for (mark, at) in
            [(Mark::Signed, by(11)), (Mark::Charged, by(12)), (Mark::Claimed, by(13)), (Mark::Settled, by(14))]
        {
            f.marks.set(mark, at);
        }
        let line = visit_line(&f);
        assert_eq!((line.current, line.next_role, line.blockers().count()), (None, None, 0));
    }

    #[test]
    fn the_patient_is_asked_only_when_the_payer_is_done() {
        let mut f = VisitFacts::booked(at(8), "J", Pays::Insurance);
        for (mark, at) in [
            (Mark::Here, by(9)),
            (Mark::CheckedIn, by(9)),
            (Mark::Roomed, by(9)),
            (Mark::Seen, by(10)),
            (Mark::Signed, by(11)),
            (Mark::Charged, by(12)),
            (Mark::Claimed, by(13)),
        ] {
            f.marks.set(mark, at);
        }
        (f.patient_balance, f.payer_balance, f.waiting_for_payer) = (Cents::new(2000), Cents::new(9000), true);
        assert_eq!(visit_line(&f).blockers().map(|b| b.code).collect::<Vec<_>>(), ["payer_waiting"]);
        (f.payer_balance, f.waiting_for_payer) = (Cents::ZERO, false);
        let line = visit_line(&f);
        assert_eq!(line.blockers().map(|b| b.sentence.as_str()).collect::<Vec<_>>(), ["The patient owes 20.00."]);
        assert_eq!(line.next_role, Some(Role::FrontDesk));
    }
}
