//! Kinds of orders, what is said with each, and what still has to be said before it can go.

use super::OrderState;
use crate::orders::questions::OrderQuestion;

coded! {
    OrderKind {
        Laboratory = "laboratory", "laboratory";
        Imaging = "imaging", "imaging";
        /// Done in this house.
        Procedure = "procedure", "done here";
        Referral = "referral", "referral";
    }
}

impl OrderKind {
    /// It goes out on paper, and its answer comes as words and files.
    pub fn goes_on_paper(self) -> bool {
        matches!(self, OrderKind::Imaging | OrderKind::Referral)
    }

    /// Its result is data that the level of a visit weighs; a referral and what is done here are none.
    pub fn counts_as_test(self) -> bool {
        matches!(self, OrderKind::Laboratory | OrderKind::Imaging)
    }

    /// Whoever does it must know what is asked.
    pub fn needs_question(self) -> bool {
        self.goes_on_paper()
    }

    /// The state of an order that was signed, and waits for nothing more from its signer.
    pub fn once_signed(self) -> OrderState {
        match self {
            OrderKind::Laboratory => OrderState::Sending,
            _ => OrderState::Requested,
        }
    }

    /// What a state is called for an order of this kind.
    pub fn told(self, state: OrderState) -> &'static str {
        match (self, state) {
            (OrderKind::Procedure, OrderState::Requested) => "to be done here",
            (OrderKind::Imaging | OrderKind::Referral, OrderState::Requested) => "signed, answer awaited",
            (OrderKind::Imaging | OrderKind::Referral, OrderState::Draft) => "not signed",
            (OrderKind::Procedure, OrderState::Draft) => "not signed",
            (OrderKind::Referral, OrderState::Resulted) => "answer here",
            (OrderKind::Imaging | OrderKind::Referral, OrderState::Rejected) => "refused",
            _ => state.label(),
        }
    }
}

coded! {
    /// How soon (FHIR R4, value set request-priority).
    Priority {
        Routine = "routine", "routine";
        Urgent = "urgent", "urgent";
        Stat = "stat", "at once";
    }
}

coded! {
    /// What of the chart goes with a referral or an imaging request.
    Enclosed {
        Problems = "problems", "problems";
        Medicines = "medicines", "medicines";
        Allergies = "allergies", "allergies";
        Results = "results", "results of the last year";
        Note = "note", "the note of this visit";
    }
}

/// What is said with an order, whatever it is for.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    pub priority: Priority,
    /// What is to be found out.
    pub question: String,
    /// Who is asked; empty when anybody may do it.
    pub to_whom: String,
    pub enclosed: Vec<Enclosed>,
}

impl Default for Request {
    fn default() -> Request {
        Request { priority: Priority::Routine, question: String::new(), to_whom: String::new(), enclosed: vec![] }
    }
}

/// What must be said before an order can go, each in words, what is asked first first; nothing when it may go.
///
/// `questions` are those of the item that are asked of this person; `answered` are the texts of those with an answer.
pub fn lacking(
    kind: OrderKind,
    name: &str,
    request: &Request,
    (questions, answered): (&[OrderQuestion], &[String]),
    diagnoses: usize,
) -> Vec<String> {
    let mut out = Vec::new();
    if diagnoses == 0 {
        out.push(format!("{name} has no diagnosis."));
    }
    if kind == OrderKind::Referral && request.to_whom.trim().is_empty() {
        out.push(format!("{name}: say to whom."));
    }
    if kind.needs_question() && request.question.trim().is_empty() {
        out.push(format!("{name}: say what is to be found out."));
    }
    let open = |q: &&OrderQuestion| q.required && !answered.contains(&q.text);
    for question in questions.iter().filter(open) {
        out.push(format!("{name}: answer \"{}\" before sending.", question.text));
    }
    out
}

/// Whether somebody may sign an order: only one that stands under their own name. A colleague's is taken over first, and
/// shows it, or is left.
///
/// # Errors
/// The sentence that says so.
pub fn may_sign(name: &str, orderer: &str, is_mine: bool) -> Result<(), String> {
    match is_mine {
        true => Ok(()),
        false => Err(format!("{name} is ordered by {orderer}. Take it over in your own name, or leave it.")),
    }
}

/// Whether an order may be laid under so many diagnoses.
///
/// # Errors
/// The sentence that says why not: signed, it keeps at least one, and only who signs orders lays it elsewhere.
pub fn may_lie(is_signed: bool, signs: bool, under: usize) -> Result<(), &'static str> {
    match (is_signed, signs, under) {
        (true, false, _) => Err("It is signed; a clinician lays it elsewhere."),
        (true, true, 0) => Err("An order that was signed keeps at least one diagnosis."),
        _ => Ok(()),
    }
}

/// Whether anything is ordered for somebody.
///
/// # Errors
/// The sentence that says why not.
pub fn may_be_ordered_for(is_merged: bool, has_died: bool) -> Result<(), &'static str> {
    match is_merged || has_died {
        true => Err("Nothing is ordered for this record any more."),
        false => Ok(()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::orders::questions::AnswerKind;

    #[test]
    fn an_order_says_all_that_it_lacks() {
        let fasting = [OrderQuestion { text: "Fasting?".into(), kind: AnswerKind::YesNo, required: true }];
        let optional = [OrderQuestion { required: false, ..fasting[0].clone() }];
        let nothing = Request::default();
        let of = |kind, request: &Request, questions: &[OrderQuestion], answered: &[String], diagnoses| {
            lacking(kind, "Item", request, (questions, answered), diagnoses)
        };
        let both = ["Item has no diagnosis.", "Item: answer \"Fasting?\" before sending."];
        assert_eq!(of(OrderKind::Laboratory, &nothing, &fasting, &[], 0), both);
        assert!(of(OrderKind::Laboratory, &nothing, &fasting, &["Fasting?".into()], 1).is_empty(), "it asks not why");
        assert!(of(OrderKind::Procedure, &nothing, &optional, &[], 1).is_empty());
        assert_eq!(of(OrderKind::Imaging, &nothing, &[], &[], 1), ["Item: say what is to be found out."]);
        assert_eq!(of(OrderKind::Referral, &nothing, &[], &[], 1).len(), 2);
        let asked = Request { question: "Pneumonia?".into(), to_whom: "Dr. Sorrel".into(), ..nothing };
        assert!(of(OrderKind::Referral, &asked, &[], &[], 1).is_empty());
    }

    #[test]
    fn nobody_signs_a_colleagues_order_by_accident() {
        assert_eq!(may_sign("Potassium", "Dr. Renneberg", true), Ok(()));
        let refused = may_sign("Potassium", "Dr. Renneberg", false);
        assert!(refused.is_err_and(|s| s.starts_with("Potassium is ordered by Dr. Renneberg.")));
    }

    #[test]
    fn a_signed_order_keeps_a_diagnosis_and_is_moved_by_who_signs() {
        assert_eq!(may_lie(false, false, 0), Ok(()), "a draft may wait for its place");
        assert_eq!(may_lie(true, true, 1), Ok(()));
        assert!(may_lie(true, true, 0).is_err_and(|s| s.contains("at least one")));
        assert!(may_lie(true, false, 1).is_err_and(|s| s.contains("a clinician")));
    }

    #[test]
    fn nothing_is_ordered_for_the_dead_or_for_a_merged_record() {
        assert_eq!(may_be_ordered_for(false, false), Ok(()));
        assert!(may_be_ordered_for(true, false).is_err() && may_be_ordered_for(false, true).is_err());
    }

    #[test]
    fn a_state_has_a_word_for_its_kind() {
        assert_eq!(OrderKind::Procedure.told(OrderKind::Procedure.once_signed()), "to be done here");
        assert_eq!(OrderKind::Laboratory.told(OrderKind::Laboratory.once_signed()), "being handed over");
        assert_eq!(OrderKind::Referral.told(OrderState::Resulted), "answer here");
    }
}
