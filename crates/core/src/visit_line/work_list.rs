//! What each role does next with a visit: the tasks of Today, and the one button beside a visit in hand, from the visit
//! line alone.

use crate::arrival::Stage;
use crate::house::permissions::{Permission, Role};
use crate::visit_line::{Mark, VisitLine};

coded! {
    /// Where a task is done; the screen turns it into a link.
    TaskPlace {
        Arrival = "arrival", "arrival";
        CheckIn = "check_in", "check-in";
        Room = "room", "rooms";
        Rooming = "rooming", "rooming";
        Note = "note", "note";
        Charges = "charges", "charges";
        Claim = "claim", "claim";
        Money = "money", "money";
        Results = "results", "results";
        Orders = "orders", "orders";
        Remittances = "remittances", "remittances";
        Denials = "denials", "denials";
        Bank = "bank", "bank";
        Batches = "batches", "batches";
        Person = "person", "person";
        Rebooking = "rebooking", "rebooking list";
        Till = "till", "till";
        Renewals = "renewals", "renewals";
        Overridden = "overridden", "overridden warnings";
        Told = "told", "messages and calls";
    }
}

/// One thing for one role to do with one visit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Task {
    /// What is done next; tasks of one group stand together.
    pub group: &'static str,
    /// The word on its one button.
    pub action: &'static str,
    pub place: TaskPlace,
    /// The order of the groups: somebody who waits in the building before paper, paper before money.
    pub rank: u8,
}

/// Tomorrow's visit whose benefits check was refused: there is still time to call.
pub const REFUSED_TOMORROW: Task =
    Task { group: "Coverage refused for tomorrow", action: "Fix coverage", place: TaskPlace::CheckIn, rank: 1 };
/// A laboratory report that waits for its reviewer.
pub const REVIEW_RESULT: Task = Task { group: "Review results", action: "Review", place: TaskPlace::Results, rank: 2 };
/// An order whose result is longer away than its test usually takes, or that the laboratory refused.
pub const OVERDUE_ORDER: Task =
    Task { group: "Overdue orders", action: "See orders", place: TaskPlace::Orders, rank: 3 };
/// An order without a visit that somebody prepared in one's name; one of a visit is signed with its note.
pub const SIGN_ORDER: Task = Task { group: "Orders to sign", action: "See orders", place: TaskPlace::Orders, rank: 2 };
/// A pharmacy asks for another round of what one prescribed.
pub const RENEWAL_ASKED: Task =
    Task { group: "Renewals asked for", action: "Answer", place: TaskPlace::Renewals, rank: 2 };
/// A prescription without a visit that one laid ready; one of a visit stands on its line.
pub const SIGN_PRESCRIPTION: Task =
    Task { group: "Prescriptions to sign", action: "See prescriptions", place: TaskPlace::Person, rank: 2 };
/// The pharmacy did not take it, and nothing was prescribed in its place.
pub const PHARMACY_REFUSED: Task =
    Task { group: "Not taken by the pharmacy", action: "See prescriptions", place: TaskPlace::Person, rank: 2 };
/// A payer did not approve a medicine.
pub const APPROVAL_REFUSED: Task =
    Task { group: "Not approved by the payer", action: "See prescriptions", place: TaskPlace::Person, rank: 2 };
/// A payer has still to decide.
pub const APPROVAL_WAITS: Task =
    Task { group: "Payers decide", action: "See prescriptions", place: TaskPlace::Person, rank: 4 };
/// Serious warnings that prescribers overrode in the last week; who watches over the clinic reads which and why.
pub const OVERRIDDEN: Task =
    Task { group: "Warnings overridden", action: "Read them", place: TaskPlace::Overridden, rank: 5 };
/// A specimen that is taken in this house.
pub const TAKE_SPECIMEN: Task =
    Task { group: "Specimens to take", action: "See orders", place: TaskPlace::Orders, rank: 1 };
/// Something that was ordered to be done in this house.
pub const DO_HERE: Task = Task { group: "To be done here", action: "See orders", place: TaskPlace::Orders, rank: 1 };
/// A critical result that nobody signed; who watches over the clinic learns that there is one, not of whom.
pub const UNREAD_CRITICAL: Task =
    Task { group: "Critical results unread", action: "See results", place: TaskPlace::Results, rank: 1 };
/// A note that somebody else signed under one's supervision.
pub const COSIGN: Task = Task { group: "Co-sign notes", action: "Open note", place: TaskPlace::Note, rank: 2 };
/// A remittance line that matches no claim of ours.
pub const MATCH_LINE: Task =
    Task { group: "Match remittance lines", action: "Open remittances", place: TaskPlace::Remittances, rank: 4 };
/// A payer's letter that nobody has typed off yet.
pub const ENTER_LETTER: Task =
    Task { group: "Payers' letters to enter", action: "Open remittances", place: TaskPlace::Remittances, rank: 4 };
/// Money that came to the bank and is no payment yet, or a payment whose money has not come.
pub const MATCH_DEPOSITS: Task =
    Task { group: "Match the bank", action: "Open the bank", place: TaskPlace::Bank, rank: 4 };
/// What payers did not pay, where a deadline is near or somebody else must agree.
pub const DENIALS: Task = Task { group: "Denials due", action: "Open denials", place: TaskPlace::Denials, rank: 3 };
/// Somebody wants to take more off a patient's debt than they may alone.
pub const AGREE_REDUCTION: Task =
    Task { group: "A second person must agree", action: "Open balance", place: TaskPlace::Money, rank: 3 };
/// The clearing house answered something that is none of ours, or nothing that moves a claim.
pub const STRAY_ANSWER: Task =
    Task { group: "Answers that match nothing", action: "Open batches", place: TaskPlace::Batches, rank: 4 };
/// A visit whose shift was cancelled: it needs a new time before its old one comes.
pub const REBOOK: Task =
    Task { group: "Needs a new time", action: "Find a time", place: TaskPlace::Rebooking, rank: 2 };
/// A till of an earlier day that nobody counted: the longer it stays open, the less a difference can be explained.
pub const COUNT_TILL: Task =
    Task { group: "Tills to count", action: "Count the till", place: TaskPlace::Till, rank: 1 };
/// Somebody whom no message reaches.
pub const CALL: Task = Task { group: "To call", action: "Open the call", place: TaskPlace::Told, rank: 3 };
/// A letter that waits for the printer.
pub const PRINT_LETTER: Task =
    Task { group: "Letters to print", action: "Open letters", place: TaskPlace::Told, rank: 3 };
/// A restricted chart that somebody opened with a reason.
pub const CHART_OPENED: Task =
    Task { group: "Restricted charts opened", action: "Open record", place: TaskPlace::Person, rank: 0 };

/// What the task looks at besides the line.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Standing {
    pub stage: Stage,
    /// The day of the visit is over.
    pub past: bool,
    /// The visit is with the clinician who asks.
    pub own: bool,
}

/// The task that this visit is for this role, if it is one.
pub fn task(role: Role, line: &VisitLine, standing: Standing) -> Option<Task> {
    if role == Role::FrontDesk
        && let Some(task) = at_the_desk(line, standing)
    {
        return Some(task);
    }
    let mark = line.current?;
    // Somebody who did not come on an earlier day is no task any more.
    if standing.past && matches!(mark, Mark::Booked | Mark::Here | Mark::CheckedIn | Mark::Roomed | Mark::Seen) {
        return None;
    }
    if role == Role::Clinician && !standing.own {
        return None;
    }
    let task = |group, action, place, rank| Some(Task { group, action, place, rank });
    match (role, mark) {
        (Role::FrontDesk, Mark::CheckedIn) if standing.stage != Stage::Booked => {
            task("Check in", "Check in", TaskPlace::CheckIn, 0)
        }
        (Role::FrontDesk, Mark::Here) => task("Expected", "Mark as here", TaskPlace::Arrival, 2),
        (Role::FrontDesk, Mark::Settled) if line.next_role == Some(Role::FrontDesk) => {
            task("Collect", "Collect", TaskPlace::Money, 3)
        }
        (Role::Assistant, Mark::Roomed) => task("Bring to a room", "Choose a room", TaskPlace::Room, 0),
        (Role::Assistant, Mark::Seen) if standing.stage == Stage::InRoom => {
            task("Measure and record", "Open rooming", TaskPlace::Rooming, 1)
        }
        (Role::Clinician, Mark::Seen) if standing.stage == Stage::InRoom => {
            task("Ready to be seen", "Open visit", TaskPlace::Note, 0)
        }
        (Role::Clinician, Mark::Signed) => task("Finish and sign", "Open note", TaskPlace::Note, 1),
        (Role::Clinician, Mark::Charged) => task("Complete charges", "Open charges", TaskPlace::Charges, 3),
        (Role::Biller, Mark::Claimed) if line.is_blocked_by("claim_rejected") => {
            task("Correct claims", "Open claim", TaskPlace::Claim, 0)
        }
        (Role::Biller, Mark::Claimed) => task("Send claims", "Open claim", TaskPlace::Claim, 1),
        (Role::Biller, Mark::Charged) => task("Complete charges", "Open charges", TaskPlace::Charges, 2),
        (Role::Biller, Mark::Settled) if line.next_role == Some(Role::Biller) => {
            task("Follow up with the payer", "Open claim", TaskPlace::Claim, 3)
        }
        _ => None,
    }
}

/// Who stands at the desk on the way out comes before all; what check-in left open is closed while they are in the
/// building, or when they have left.
fn at_the_desk(line: &VisitLine, standing: Standing) -> Option<Task> {
    if standing.past || line.ended.is_some() {
        return None;
    }
    if standing.stage == Stage::ReadyToLeave {
        let place = TaskPlace::Money;
        return Some(Task { group: "On the way out", action: "Check out", place, rank: 0 });
    }
    let check_in = line.marks.iter().find(|m| m.mark == Mark::CheckedIn)?;
    let open = check_in.reached.is_some() && !check_in.blockers.is_empty();
    open.then_some(Task { group: "Left open at check-in", action: "Close it", place: TaskPlace::CheckIn, rank: 1 })
}

coded! {
    /// The one thing that somebody does next with the visit in their hand.
    NextStep {
        CameAfterAll = "came_after_all", "They came after all";
        MarkHere = "mark_here", "Mark as here";
        CheckIn = "check_in", "Check in";
        ChooseRoom = "choose_room", "Choose a room";
        Measure = "measure", "Measure and record";
        Begin = "begin", "Begin the visit";
        OpenNote = "open_note", "Open the note";
        CompleteCharges = "complete_charges", "Complete charges";
        OpenBilling = "open_billing", "Open billing";
        OpenBalance = "open_balance", "Open balance";
    }
}

/// What this role does next with a visit that it has in hand, if the next mark is its to make.
pub fn next_step(role: Role, line: &VisitLine, stage: Stage) -> Option<NextStep> {
    if line.ended.is_some() {
        let after_all = stage == Stage::DidNotCome && role.may(Permission::CheckIn);
        return after_all.then_some(NextStep::CameAfterAll);
    }
    let step = match line.current? {
        Mark::Here if role.may(Permission::CheckIn) => NextStep::MarkHere,
        Mark::CheckedIn if role.may(Permission::CheckIn) => NextStep::CheckIn,
        Mark::Roomed if role == Role::Assistant => NextStep::ChooseRoom,
        Mark::Seen if role == Role::Assistant => NextStep::Measure,
        Mark::Seen if role == Role::Clinician && stage == Stage::InRoom => NextStep::Begin,
        Mark::Signed if role == Role::Clinician => NextStep::OpenNote,
        Mark::Charged if role.may(Permission::EditCharges) => NextStep::CompleteCharges,
        Mark::Claimed if role.may(Permission::Claims) => NextStep::OpenBilling,
        Mark::Settled if role.may(Permission::TakeMoney) => NextStep::OpenBalance,
        _ => return None,
    };
    Some(step)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::money::Cents;
    use crate::visit_line::{BenefitsState, Pays, Reached, VisitFacts, visit_line};
    use chrono::{DateTime, TimeZone, Utc};

    fn reached(hour: u32) -> Option<Reached> {
        let at: DateTime<Utc> = Utc.with_ymd_and_hms(2026, 11, 23, hour, 0, 0).unwrap();
        Some(Reached { at, by: "someone".into() })
    }

    fn facts() -> VisitFacts {
        let booked = Utc.with_ymd_and_hms(2026, 11, 20, 9, 0, 0).unwrap();
        VisitFacts { benefits: BenefitsState::InForce, ..VisitFacts::booked(booked, "Junia", Pays::Insurance) }
    }

    fn on_day(stage: Stage) -> Standing {
        Standing { stage, past: false, own: true }
    }

    fn groups(f: &VisitFacts, standing: Standing) -> Vec<(Role, &'static str)> {
        let line = visit_line(f);
        Role::ALL.iter().filter_map(|r| task(*r, &line, standing).map(|t| (*r, t.group))).collect()
    }

    #[test]
    fn each_hand_gets_the_visit_when_it_is_its_turn() {
        let mut f = facts();
        assert_eq!(groups(&f, on_day(Stage::Booked)), [(Role::FrontDesk, "Expected")]);
        f.marks.set(Mark::Here, reached(9));
        assert_eq!(groups(&f, on_day(Stage::Here)), [(Role::FrontDesk, "Check in")]);
        f.marks.set(Mark::CheckedIn, reached(9));
        assert_eq!(groups(&f, on_day(Stage::CheckedIn)), [(Role::Assistant, "Bring to a room")]);
        f.marks.set(Mark::Roomed, reached(9));
        let in_room = groups(&f, on_day(Stage::InRoom));
        assert_eq!(in_room, [(Role::Assistant, "Measure and record"), (Role::Clinician, "Ready to be seen")]);
        f.marks.set(Mark::Seen, reached(10));
        assert_eq!(groups(&f, on_day(Stage::WithClinician)), [(Role::Clinician, "Finish and sign")]);
        f.marks.set(Mark::Signed, reached(10));
        let charging = groups(&f, on_day(Stage::Left));
        assert_eq!(charging, [(Role::Clinician, "Complete charges"), (Role::Biller, "Complete charges")]);
        f.marks.set(Mark::Charged, reached(11));
        assert_eq!(groups(&f, on_day(Stage::Left)), [(Role::Biller, "Send claims")]);
        f.claim_rejections = vec!["no such subscriber".into()];
        assert_eq!(groups(&f, on_day(Stage::Left)), [(Role::Biller, "Correct claims")]);
        f.claim_rejections.clear();
        f.marks.set(Mark::Claimed, reached(12));
        (f.payer_balance, f.waiting_for_payer) = (Cents::new(9000), true);
        assert_eq!(groups(&f, on_day(Stage::Left)), [(Role::Biller, "Follow up with the payer")]);
        (f.payer_balance, f.patient_balance, f.waiting_for_payer) = (Cents::ZERO, Cents::new(2000), false);
        assert_eq!(groups(&f, on_day(Stage::Left)), [(Role::FrontDesk, "Collect")]);
        f.marks.set(Mark::Settled, reached(13));
        assert_eq!(groups(&f, on_day(Stage::Left)), []);
    }

    #[test]
    fn the_desk_closes_what_check_in_left_open_and_nobody_on_the_way_out_is_missing() {
        let mut f = facts();
        for mark in [Mark::Here, Mark::CheckedIn, Mark::Roomed] {
            f.marks.set(mark, reached(9));
        }
        f.registration_gaps = vec!["address"];
        let desk = |f: &VisitFacts, standing| {
            let found = groups(f, standing).into_iter().find(|(role, _)| *role == Role::FrontDesk);
            found.map(|(_, group)| group)
        };
        assert_eq!(desk(&f, on_day(Stage::InRoom)), Some("Left open at check-in"));
        assert_eq!(desk(&f, Standing { past: true, ..on_day(Stage::Left) }), None);
        f.marks.set(Mark::Seen, reached(10));
        assert_eq!(desk(&f, on_day(Stage::ReadyToLeave)), Some("On the way out"));
        f.registration_gaps.clear();
        assert_eq!(desk(&f, on_day(Stage::Left)), None);
        let missed = VisitFacts { stage: Stage::DidNotCome, ..facts() };
        let step = |role| next_step(role, &visit_line(&missed), Stage::DidNotCome);
        assert_eq!((step(Role::FrontDesk), step(Role::Biller)), (Some(NextStep::CameAfterAll), None));
    }

    #[test]
    fn the_visit_in_hand_offers_each_role_the_step_that_is_its_own() {
        let mut f = facts();
        let steps = |f: &VisitFacts, stage| {
            let line = visit_line(f);
            Role::ALL.iter().filter_map(|r| next_step(*r, &line, stage).map(|s| (*r, s))).collect::<Vec<_>>()
        };
        let of = |steps: &[(Role, NextStep)], role| steps.iter().find(|(r, _)| *r == role).map(|(_, s)| *s);
        assert_eq!(of(&steps(&f, Stage::Booked), Role::FrontDesk), Some(NextStep::MarkHere));
        assert_eq!(of(&steps(&f, Stage::Booked), Role::Clinician), None);
        for mark in [Mark::Here, Mark::CheckedIn, Mark::Roomed] {
            f.marks.set(mark, reached(9));
        }
        let in_room = steps(&f, Stage::InRoom);
        assert_eq!(of(&in_room, Role::Assistant), Some(NextStep::Measure));
        assert_eq!(of(&in_room, Role::Clinician), Some(NextStep::Begin));
        assert_eq!(of(&steps(&f, Stage::CheckedIn), Role::Clinician), None, "not before the patient is in a room");
        f.marks.set(Mark::Seen, reached(10));
        assert_eq!(steps(&f, Stage::WithClinician), [(Role::Clinician, NextStep::OpenNote)], "nobody else signs");
        f.stage = Stage::Cancelled;
        assert_eq!(steps(&f, Stage::Cancelled), [], "a cancelled visit asks for nothing");
    }

    #[test]
    fn yesterdays_absent_and_others_patients_are_no_task() {
        let mut f = facts();
        assert_eq!(groups(&f, Standing { past: true, ..on_day(Stage::Booked) }), []);
        for (mark, at) in [
            (Mark::Here, reached(8)),
            (Mark::CheckedIn, reached(8)),
            (Mark::Roomed, reached(8)),
            (Mark::Seen, reached(9)),
        ] {
            f.marks.set(mark, at);
        }
        let other = Standing { own: false, ..on_day(Stage::WithClinician) };
        assert_eq!(groups(&f, other), [], "a colleague's note is not mine to sign");
        let unsigned = Standing { past: true, ..on_day(Stage::Left) };
        assert_eq!(groups(&f, unsigned), [(Role::Clinician, "Finish and sign")], "an unsigned note stays a task");
    }

    #[test]
    fn those_who_wait_in_the_building_come_first() {
        let mut f = facts();
        let expected = task(Role::FrontDesk, &visit_line(&f), on_day(Stage::Booked)).unwrap();
        f.marks.set(Mark::Here, reached(9));
        let here = task(Role::FrontDesk, &visit_line(&f), on_day(Stage::Here)).unwrap();
        assert!(here.rank < expected.rank);
        f.stage = Stage::Cancelled;
        assert_eq!(groups(&f, on_day(Stage::Cancelled)), [], "a cancelled visit asks for nothing");
    }
}
