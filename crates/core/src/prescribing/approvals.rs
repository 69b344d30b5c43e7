//! Medicines that a payer pays only for some uses: which those are, which of them the chart meets, what is asked otherwise,
//! and what becomes of a request.

use super::ingredients::Term;
use super::{Product, Rules};
use crate::fields;
use chrono::NaiveDate;

/// A use that payers pay a medicine for.
#[derive(Debug, Clone, PartialEq)]
pub struct CoveredUse {
    /// Codes of the payers that have this rule.
    pub payers: Vec<String>,
    pub medicine: Term,
    /// The use in plain words.
    pub name: String,
    /// Beginnings of the diagnosis codes that meet it.
    pub codes: Vec<String>,
    /// How long an approval for this use is usually given, in days.
    pub granted_days: u32,
}

coded! {
    /// How a question of a payer is answered.
    ApprovalAnswerKind {
        YesNo = "yes_no", "yes or no";
        Words = "words", "in words";
    }
}

/// What payers ask before they approve a medicine.
#[derive(Debug, Clone, PartialEq)]
pub struct ApprovalQuestion {
    pub medicine: Term,
    pub question: String,
    pub answer: ApprovalAnswerKind,
}

/// A use with the diagnosis of the chart that meets it, where one does.
#[derive(Debug, Clone, PartialEq)]
pub struct UseInChart<'r> {
    pub covered: &'r CoveredUse,
    pub met_by: Option<String>,
}

/// What a payer wants for a product before it pays.
#[derive(Debug, Clone, PartialEq)]
pub struct NeedsApproval<'r> {
    pub uses: Vec<UseInChart<'r>>,
    pub questions: Vec<&'r ApprovalQuestion>,
}

/// What somebody says of a medicine that a payer approves: a covered use, or a request.
#[derive(Debug, Clone, Default)]
pub struct SaidToPayer {
    /// One of the covered uses by its name; empty for another use.
    pub covered_use: String,
    pub reason: String,
    /// Questions with their answers.
    pub answers: Vec<(String, String)>,
    /// Asks the payer; otherwise the use is chosen.
    pub ask: bool,
}

/// What is kept of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeptForPayer {
    pub state: ApprovalState,
    pub reason: String,
    pub answers: Vec<(String, String)>,
}

/// What is wrong with it: the field at fault (`answer0` is the first question's) and a sentence.
pub type ApprovalFault = (String, String);

impl NeedsApproval<'_> {
    /// A use is only said to be covered where the chart meets it. A request says why where it does not, and answers every
    /// question.
    pub fn said(&self, said: &SaidToPayer) -> Result<KeptForPayer, ApprovalFault> {
        let fault = |field: &str, sentence: &str| Err((field.to_owned(), sentence.to_owned()));
        let line = |field: &str, label: &str, text: &str, most| {
            fields::line(label, text, most).map_err(|sentence| (field.to_owned(), sentence))
        };
        let chosen = self.uses.iter().find(|u| u.covered.name == said.covered_use);
        if chosen.is_none() && !said.covered_use.is_empty() {
            return fault("coveredUse", "Choose one of the covered uses, or none of them.");
        }
        let met = chosen.is_some_and(|u| u.met_by.is_some());
        if !said.ask {
            let covered = KeptForPayer { state: ApprovalState::Covered, reason: String::new(), answers: vec![] };
            return if met {
                Ok(covered)
            } else {
                fault("coveredUse", "The chart does not meet this use; ask the payer.")
            };
        }
        let reason = line("reason", "Why it is needed", &said.reason, 500)?;
        if reason.is_empty() && !met {
            return fault("reason", "Say why it is needed: the chart meets no covered use.");
        }
        let mut answers = vec![];
        for (n, asked) in self.questions.iter().enumerate() {
            let field = format!("answer{n}");
            let given = said.answers.iter().find(|(question, _)| *question == asked.question).map_or("", |(_, a)| a);
            let answer = line(&field, "Answer", given, 300)?;
            if answer.is_empty() {
                return fault(&field, "The payer asks this.");
            }
            answers.push((asked.question.clone(), answer));
        }
        Ok(KeptForPayer { state: ApprovalState::Asking, reason, answers })
    }
}

/// Whether a payer pays a product only with its approval, for somebody who has these diagnoses; nothing where no rule of
/// the payer speaks of it.
pub fn needs_approval<'r>(
    rules: &'r Rules,
    payer: &str,
    product: &Product,
    present: &[String],
) -> Option<NeedsApproval<'r>> {
    let medicine = rules.medicine_of(product);
    let means = |term: &Term| medicine.parts.iter().any(|part| term.means(part.ingredient));
    let met = |covered: &CoveredUse| {
        present.iter().find(|code| covered.codes.iter().any(|begins| code.starts_with(begins.as_str()))).cloned()
    };
    let uses: Vec<UseInChart> = rules
        .covered_uses
        .iter()
        .filter(|u| u.payers.iter().any(|p| p == payer) && means(&u.medicine))
        .map(|covered| UseInChart { covered, met_by: met(covered) })
        .collect();
    if uses.is_empty() {
        return None;
    }
    let questions = rules.approval_questions.iter().filter(|q| means(&q.medicine)).collect();
    Some(NeedsApproval { uses, questions })
}

coded! {
    /// What became of an approval.
    ApprovalState {
        /// A covered use that the chart meets was chosen: nothing is asked.
        Covered = "covered", "covered use";
        Asking = "asking", "being asked";
        Waiting = "waiting", "payer decides";
        Granted = "granted", "approved";
        Refused = "refused", "not approved";
        Withdrawn = "withdrawn", "not wanted any more";
    }
}

/// Something that happened to a request.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ApprovalEvent {
    HandedOver,
    Granted,
    Refused,
    Withdrawn,
}

impl ApprovalState {
    /// The state after an event; nothing where it cannot happen. A payer may decide before its receipt has come, and may
    /// change its mind; what was withdrawn here stays so.
    pub fn after(self, event: ApprovalEvent) -> Option<ApprovalState> {
        use ApprovalEvent as E;
        use ApprovalState::*;
        Some(match (self, event) {
            (Asking | Waiting, E::HandedOver) => Waiting,
            (Granted | Refused | Withdrawn, E::HandedOver) => self,
            (Asking | Waiting | Granted | Refused, E::Granted) => Granted,
            (Asking | Waiting | Granted | Refused, E::Refused) => Refused,
            (Withdrawn, E::Granted | E::Refused) => Withdrawn,
            (_, E::Withdrawn) => Withdrawn,
            (Covered, _) => return None,
        })
    }

    /// Whether the payer has still to decide.
    pub fn waits(self) -> bool {
        matches!(self, ApprovalState::Asking | ApprovalState::Waiting)
    }
}

/// Whether an approval counts on a day: a covered use always, a granted one until its last day.
pub fn counts_on(state: ApprovalState, until: Option<NaiveDate>, day: NaiveDate) -> bool {
    match state {
        ApprovalState::Covered => true,
        ApprovalState::Granted => until.is_none_or(|last| day <= last),
        _ => false,
    }
}

/// A request to a payer, as it is handed over.
#[derive(Debug, Clone, PartialEq)]
pub struct ApprovalRequest {
    pub reference: String,
    pub subject: crate::orders::Subject,
    pub payer_code: String,
    pub policy: crate::orders::TestPolicy,
    pub prescriber_name: String,
    pub prescriber_npi: String,
    pub asked: chrono::DateTime<chrono::Utc>,
    pub medicine: String,
    pub product_code: String,
    pub instructions: String,
    pub quantity: u32,
    pub days: u32,
    /// The use that it is asked for, and why in words.
    pub covered_use: String,
    pub reason: String,
    /// Code and title of the diagnosis.
    pub diagnosis: Option<(String, String)>,
    /// Questions with their answers.
    pub answers: Vec<(String, String)>,
}

/// What a payer decided.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ApprovalDecision {
    /// Our reference of the request.
    pub reference: String,
    pub verdict: ApprovalVerdict,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum ApprovalVerdict {
    Granted { number: String, until: Option<NaiveDate> },
    Refused { reason: String },
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_request_goes_its_way_and_a_late_receipt_undoes_nothing() {
        use ApprovalEvent as E;
        use ApprovalState::*;
        assert_eq!(Asking.after(E::HandedOver), Some(Waiting));
        assert_eq!(Waiting.after(E::Granted), Some(Granted));
        assert_eq!(Granted.after(E::HandedOver), Some(Granted), "the receipt came after the decision");
        assert_eq!(Granted.after(E::Refused), Some(Refused), "the payer changed its mind");
        assert_eq!(Withdrawn.after(E::Granted), Some(Withdrawn));
        assert_eq!(Covered.after(E::Granted), None, "nobody was asked");
        assert!(ApprovalState::ALL.iter().all(|s| s.after(E::Withdrawn) == Some(Withdrawn)));
        assert!(ApprovalState::ALL.iter().filter(|s| s.waits()).eq(&[Asking, Waiting]));
    }

    #[test]
    fn a_use_is_covered_where_the_chart_meets_it_and_a_request_answers_every_question() {
        let covered = CoveredUse {
            payers: vec!["P".into()],
            medicine: Term::Atc("A10BJ".into()),
            name: "diabetes".into(),
            codes: vec!["E11".into()],
            granted_days: 365,
        };
        let asked = ApprovalQuestion {
            medicine: Term::Atc("A10BJ".into()),
            question: "What was tried?".into(),
            answer: ApprovalAnswerKind::Words,
        };
        let with = |met_by: Option<&str>, said: SaidToPayer| {
            let uses = vec![UseInChart { covered: &covered, met_by: met_by.map(str::to_owned) }];
            NeedsApproval { uses, questions: vec![&asked] }.said(&said)
        };
        let diabetes = || SaidToPayer { covered_use: "diabetes".into(), ..SaidToPayer::default() };
        let ask = || SaidToPayer { ask: true, ..SaidToPayer::default() };
        let answers = || vec![("What was tried?".to_owned(), " metformin ".to_owned())];
        let at = |kept: Result<KeptForPayer, ApprovalFault>| kept.unwrap_err().0;
        assert_eq!(with(Some("E11.9"), diabetes()).unwrap().state, ApprovalState::Covered);
        assert_eq!(at(with(None, diabetes())), "coveredUse", "nobody calls covered what the chart does not meet");
        assert_eq!(at(with(Some("E11.9"), SaidToPayer::default())), "coveredUse", "none was chosen");
        assert_eq!(at(with(None, SaidToPayer { covered_use: "flying".into(), ..ask() })), "coveredUse");
        assert_eq!(at(with(None, ask())), "reason");
        assert_eq!(at(with(None, SaidToPayer { reason: "weight".into(), ..ask() })), "answer0");
        let whole = with(None, SaidToPayer { reason: "weight".into(), answers: answers(), ..ask() }).unwrap();
        assert_eq!((whole.state, whole.answers[0].1.as_str()), (ApprovalState::Asking, "metformin"));
        let met = SaidToPayer { ask: true, answers: answers(), ..diabetes() };
        assert_eq!(with(Some("E11.9"), met).unwrap().reason, "", "the use says why");
    }

    #[test]
    fn an_approval_counts_until_its_last_day() {
        let day = |d| NaiveDate::from_ymd_opt(2026, 12, d).unwrap();
        let counts = |state, d| counts_on(state, Some(day(10)), day(d));
        assert!(counts(ApprovalState::Granted, 10) && !counts(ApprovalState::Granted, 11));
        assert!(counts_on(ApprovalState::Granted, None, day(31)), "until nobody said");
        assert!(counts(ApprovalState::Covered, 31));
        assert!(!counts(ApprovalState::Waiting, 1) && !counts(ApprovalState::Refused, 1));
    }
}
