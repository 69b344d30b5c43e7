//! Denial work: what a payer did not pay for another reason than a contract, the patient's share or an earlier payer, until it is
//! paid after all, passed on, or given up by somebody who may.
//!
//! The reasons are those of the claim adjustment reason code list (X12 external code source 139), in our own words.

use super::Cents;
use super::remittance::Short;
use crate::house::permissions::Role;
use chrono::{Days, NaiveDate};

coded! {
    /// Where the work on a denial stands.
    DenialState {
        Open = "open", "to be worked on";
        Asked = "asked", "waits for the patient";
        Appealed = "appealed", "appealed";
        Corrected = "corrected", "charged again";
        SecondWanted = "second_wanted", "waits for a second person";
        PaidAfterAll = "paid_after_all", "paid after all";
        DeniedAgain = "denied_again", "denied again";
        TakenBack = "taken_back", "decision taken back";
        PassedOn = "passed_on", "with the next payer";
        ToPatient = "to_patient", "with the patient";
        GivenUp = "given_up", "given up";
    }
}

impl DenialState {
    /// Whether somebody has something to do, now or when an answer comes.
    pub fn is_live(self) -> bool {
        use DenialState as S;
        matches!(self, S::Open | S::Asked | S::Appealed | S::Corrected | S::SecondWanted)
    }
}

coded! {
    /// By what rates of denials are told.
    RatesBy {
        Payer = "payer", "by payer";
        Reason = "reason", "by reason";
        Clinician = "clinician", "by clinician";
        Service = "service", "by service";
    }
}

coded! {
    /// What usually helps against a denial.
    Remedy {
        Correct = "correct", "Correct and charge again";
        Attach = "attach", "Charge again with what was asked for";
        Appeal = "appeal", "Appeal";
        AskPayer = "ask_payer", "Ask the payer";
        AskPatient = "ask_patient", "Ask the patient";
        BillNext = "bill_next", "Bill the next policy";
    }
}

/// Reason code, what usually helps, and how.
const HELPS: &[(&str, Remedy, &str)] = &[
    ("4", Remedy::Correct, "Put the modifier right and charge again."),
    ("11", Remedy::Correct, "Point the service at the diagnosis that it was for and charge again."),
    ("15", Remedy::Correct, "Add the payer's number of its approval and charge again."),
    ("16", Remedy::Attach, "Read the payer's remarks, add what is missing, and charge again."),
    ("18", Remedy::AskPayer, "Look for the payer's first decision; where there is none, ask the payer for it."),
    ("22", Remedy::AskPatient, "Ask the patient who else insures them, and bill that payer first."),
    ("26", Remedy::AskPatient, "Check the policy's days; ask the patient for the card that held on the day."),
    ("27", Remedy::AskPatient, "Check the policy's days; ask the patient for the card that held on the day."),
    ("29", Remedy::Appeal, "Appeal with the acknowledgement that shows when the claim was taken."),
    ("31", Remedy::AskPatient, "Compare name, birth date and policy number with the card; ask the patient."),
    ("50", Remedy::Appeal, "Appeal with the part of the record that shows why it was needed."),
    ("96", Remedy::BillNext, "Bill the next policy; without one, look up what the plan covers and appeal."),
    ("97", Remedy::Correct, "Where the services were separate, say so with a modifier and charge again."),
    ("109", Remedy::AskPatient, "Ask the patient which payer holds for the visit, and bill that one."),
    ("119", Remedy::BillNext, "The plan's limit is used up: bill the next policy."),
    ("197", Remedy::Appeal, "Ask the payer to approve it afterwards, or appeal with the record."),
    ("204", Remedy::BillNext, "Bill the next policy; without one, look up what the plan covers and appeal."),
];

/// What usually helps against a reason, with the sentence that says how.
pub fn helps(reason: &str) -> (Remedy, &'static str) {
    let known = HELPS.iter().find(|(code, ..)| *code == reason);
    known.map_or((Remedy::AskPayer, "Ask the payer what is missing."), |(_, remedy, sentence)| (*remedy, sentence))
}

/// One amount that was not paid, with its reason.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DeniedAmount {
    /// Nothing for the claim as a whole.
    pub line: Option<u32>,
    /// X12 CAS01.
    pub group: super::remittance::AdjustmentGroup,
    pub reason: Short,
    pub amount: Cents,
}

/// What usually helps: by the reason of the largest amount.
pub fn remedy(amounts: &[DeniedAmount]) -> (Remedy, &'static str) {
    let largest = amounts.iter().max_by_key(|a| a.amount);
    largest.map_or((Remedy::AskPayer, "Ask the payer what is missing."), |a| helps(&a.reason))
}

/// Whether a payer lets the clinic bill the patient for it: only what it calls the patient's own (group PR), and never of a
/// plan whose members owe no more than it lets them (X12 SBR09 MC, MA, MB, OF).
pub fn may_bill_patient(amounts: &[DeniedAmount], filing_code: &str) -> Result<(), &'static str> {
    use super::remittance::AdjustmentGroup::PatientResponsibility;
    if matches!(filing_code, "MC" | "MA" | "MB" | "OF") {
        return Err("Members of a public plan are not billed beyond what the plan lets them owe.");
    }
    if amounts.iter().any(|a| a.group != PatientResponsibility) {
        return Err("The payer does not let the clinic bill the patient for this.");
    }
    Ok(())
}

/// The last days on which a payer takes a corrected claim, and an appeal; nothing where nobody told its limit.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Deadlines {
    pub correct_by: Option<NaiveDate>,
    pub appeal_by: Option<NaiveDate>,
}

impl Deadlines {
    /// By the day of the decision and the payer's own days, 1 to 1,000 each.
    pub fn of(decided: NaiveDate, correction_days: Option<u32>, appeal_days: Option<u32>) -> Deadlines {
        let after = |days: Option<u32>| decided.checked_add_days(Days::new(days?.into()));
        Deadlines { correct_by: after(correction_days), appeal_by: after(appeal_days) }
    }

    /// The day by which something must be done.
    pub fn first(self) -> Option<NaiveDate> {
        match (self.correct_by, self.appeal_by) {
            (Some(a), Some(b)) => Some(a.min(b)),
            (a, b) => a.or(b),
        }
    }
}

/// What somebody may give up alone, after a denial; above it a second person who may agrees.
pub const fn give_up_limit(role: Role) -> Cents {
    match role {
        Role::Biller => Cents::new(5_000),
        Role::Manager => Cents::new(50_000),
        Role::FrontDesk | Role::Assistant | Role::Clinician => Cents::ZERO,
    }
}

/// Whether somebody may agree that an amount is given up, which another one wants: within what they may alone, or where one of the
/// two is a manager.
fn may_agree(amount: Cents, wants: Role, agrees: Role) -> bool {
    let may = |role: Role| give_up_limit(role).is_positive();
    may(wants) && may(agrees) && (amount <= give_up_limit(agrees) || wants == Role::Manager || agrees == Role::Manager)
}

/// What becomes of an amount that somebody wants to give up.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum GiveUp {
    Now,
    /// Above what one may alone: somebody else must agree.
    SecondWanted,
}

/// Why an amount is not given up.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum GiveUpRefusal {
    #[error("Somebody else must agree to what you want to give up.")]
    SamePerson,
    #[error("For this much, a manager must be one of the two.")]
    TooMuch,
}

/// Whether an amount is given up now; `wanted` is who asked for it before, as somebody else or the same person with their role.
///
/// # Errors
/// When the one who asked agrees to it themselves, or the two may not give that much up together.
pub fn give_up(amount: Cents, role: Role, wanted: Option<(bool, Role)>) -> Result<GiveUp, GiveUpRefusal> {
    match wanted {
        Some((true, _)) => Err(GiveUpRefusal::SamePerson),
        Some((false, wants)) if !may_agree(amount, wants, role) => Err(GiveUpRefusal::TooMuch),
        None if amount > give_up_limit(role) => Ok(GiveUp::SecondWanted),
        _ => Ok(GiveUp::Now),
    }
}

/// What a new decision makes of a denial, and what of it was won back: what came more than the first time, never more than was denied.
pub fn answered(denied: Cents, came_before: Cents, came: Cents, denied_now: Cents) -> (DenialState, Cents) {
    let won = (came - came_before).max(Cents::ZERO).min(denied);
    let state = if denied_now.is_positive() { DenialState::DeniedAgain } else { DenialState::PaidAfterAll };
    (state, won)
}

/// When somebody looks at it again: on the day that they set, but never after a payer's deadline that an appeal has not met yet.
pub fn due(deadlines: Deadlines, look_again: Option<NaiveDate>, state: DenialState) -> Option<NaiveDate> {
    match (look_again, deadlines.first()) {
        (Some(day), Some(deadline)) if state != DenialState::Appealed => Some(day.min(deadline)),
        (day, deadline) => day.or(deadline),
    }
}

/// Whether a decision of these lines answers a denial of those: a payer decides a claim in parts. A claim as a whole (no line) is
/// met by every decision of it.
pub fn answers(denied: &[DeniedAmount], decided: &[Option<u32>]) -> bool {
    let whole = decided.is_empty() || decided.contains(&None) || denied.iter().any(|a| a.line.is_none());
    whole || denied.iter().any(|a| decided.contains(&a.line))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::money::remittance::AdjustmentGroup::{self, Contractual, PatientResponsibility};

    fn denied(group: AdjustmentGroup, reason: &str, cents: i64) -> DeniedAmount {
        DeniedAmount { line: Some(1), group, reason: reason.into(), amount: Cents::new(cents) }
    }

    #[test]
    fn what_helps_goes_by_the_largest_amount_and_an_unknown_reason_is_asked_about() {
        let both = [denied(Contractual, "16", 2_000), denied(Contractual, "29", 9_000)];
        assert_eq!(remedy(&both).0, Remedy::Appeal);
        assert_eq!(helps("27").0, Remedy::AskPatient, "coverage is looked into before anybody is billed");
        assert_eq!(helps("B7").0, Remedy::AskPayer);
        assert_eq!(remedy(&[]).0, Remedy::AskPayer);
        let words: Vec<_> =
            HELPS.iter().filter(|(code, ..)| crate::money::remittance::reason_in_words(code).is_none()).collect();
        assert!(words.is_empty(), "each has its words: {words:?}");
    }

    #[test]
    fn a_patient_is_billed_only_for_what_is_called_theirs_and_never_beyond_a_public_plan() {
        assert_eq!(may_bill_patient(&[denied(PatientResponsibility, "27", 500)], "CI"), Ok(()));
        assert!(may_bill_patient(&[denied(Contractual, "29", 500)], "CI").is_err(), "the clinic was late");
        let mixed = [denied(PatientResponsibility, "31", 500), denied(Contractual, "16", 1)];
        assert!(may_bill_patient(&mixed, "CI").is_err());
        assert!(may_bill_patient(&[denied(PatientResponsibility, "27", 500)], "MC").is_err());
    }

    #[test]
    fn a_day_that_was_set_never_hides_a_deadline_and_what_was_won_is_what_came_more() {
        let day = |d| NaiveDate::from_ymd_opt(2026, 12, d).expect("a day");
        let told = Deadlines { correct_by: Some(day(20)), appeal_by: Some(day(10)) };
        assert_eq!(due(told, Some(day(4)), DenialState::Asked), Some(day(4)));
        assert_eq!(due(told, Some(day(24)), DenialState::Asked), Some(day(10)), "the appeal is due before that");
        assert_eq!(due(told, Some(day(24)), DenialState::Appealed), Some(day(24)), "the appeal is written");
        assert_eq!(due(Deadlines::default(), Some(day(24)), DenialState::Open), Some(day(24)));
        assert_eq!(due(told, None, DenialState::Open), Some(day(10)));
        let c = Cents::new;
        assert_eq!(answered(c(9_500), c(10_000), c(14_000), c(500)), (DenialState::DeniedAgain, c(4_000)));
        assert_eq!(
            answered(c(9_500), c(0), c(12_000), c(0)),
            (DenialState::PaidAfterAll, c(9_500)),
            "never more than denied"
        );
        assert_eq!(answered(c(9_500), c(10_000), c(8_000), c(0)).1, c(0), "never below zero");
    }

    #[test]
    fn a_part_of_a_claim_answers_only_what_was_denied_of_it() {
        let first = [denied(Contractual, "16", 2_000)];
        assert!(answers(&first, &[Some(1), Some(2)]));
        assert!(!answers(&first, &[Some(2)]), "the other part of the claim");
        assert!(answers(&first, &[]) && answers(&first, &[None]), "the claim as a whole");
        assert!(answers(&[DeniedAmount { line: None, ..first[0].clone() }], &[Some(2)]));
    }

    #[test]
    fn deadlines_are_the_payers_and_unknown_where_nobody_told_them() {
        let day = NaiveDate::from_ymd_opt(2026, 11, 23).expect("a day");
        let both = Deadlines::of(day, Some(90), Some(30));
        assert_eq!(both.first(), NaiveDate::from_ymd_opt(2026, 12, 23));
        assert_eq!(both.correct_by, NaiveDate::from_ymd_opt(2027, 2, 21));
        assert_eq!(Deadlines::of(day, Some(90), None).first(), both.correct_by);
        assert_eq!(Deadlines::of(day, None, None).first(), None);
    }

    #[test]
    fn only_those_who_bill_give_up_and_only_up_to_their_limit() {
        assert!(give_up_limit(Role::Biller) < give_up_limit(Role::Manager));
        for role in Role::ALL {
            let bills = role.may(crate::house::permissions::Permission::Claims);
            assert_eq!(bills, give_up_limit(*role).is_positive(), "{role}");
        }
        let asked = |cents: i64, role, wanted| give_up(Cents::new(cents), role, wanted);
        assert_eq!(asked(5_000, Role::Biller, None), Ok(GiveUp::Now));
        assert_eq!(asked(5_001, Role::Biller, None), Ok(GiveUp::SecondWanted));
        assert_eq!(asked(5_001, Role::Manager, Some((true, Role::Manager))), Err(GiveUpRefusal::SamePerson));
        assert_eq!(asked(5_001, Role::Biller, Some((false, Role::Biller))), Err(GiveUpRefusal::TooMuch));
        assert_eq!(asked(90_000, Role::Manager, Some((false, Role::Biller))), Ok(GiveUp::Now));
        let much = Cents::new(90_000);
        assert!(
            !may_agree(much, Role::Biller, Role::Biller),
            "two billers do not give up what a manager may not alone"
        );
        assert!(may_agree(much, Role::Biller, Role::Manager) && may_agree(much, Role::Manager, Role::Biller));
        assert!(may_agree(Cents::new(4_000), Role::Biller, Role::Biller));
        assert!(!may_agree(Cents::new(1), Role::Manager, Role::FrontDesk));
        let live = DenialState::ALL.iter().filter(|s| s.is_live()).count();
        assert_eq!(live, 5);
    }
}
