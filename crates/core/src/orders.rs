//! Orders: what a test asks before it can go, under which diagnosis it belongs, and what came back.

pub mod again;
pub mod candidates;
pub mod grid;
pub mod kinds;
pub mod payment;
pub mod questions;
pub mod review;
pub mod rising;
pub mod search;
pub mod specimens;
pub mod truth;
pub mod units;
pub mod values;
pub mod waiting;

use candidates::NamedPerson;
use questions::AnswerValue;

pub use kinds::{OrderKind, Priority, Request, lacking};
pub use payment::{BillTo, TestAccount, TestPolicy};
pub use questions::OrderQuestion;

pub use values::{Comparator, FlaggedBy, Interpretation, Limits, ReportedValue, Said, interpret};

use chrono::{DateTime, NaiveDate, Utc};

coded! {
    OrderState {
        Draft = "draft", "not sent";
        /// Signed and waiting to be handed to the laboratory.
        Sending = "sending", "being handed over";
        Requested = "requested", "sent";
        Accepted = "accepted", "laboratory has it";
        /// The laboratory has what it measures.
        SpecimenTaken = "specimen_taken", "specimen taken";
        InProgress = "in_progress", "in progress";
        /// A first report is here; the final one is owed.
        Preliminary = "preliminary", "first result here";
        Resulted = "resulted", "result here";
        /// Done in this house; it brings no report.
        Done = "done", "done";
        /// The laboratory refused it, or took its report back; somebody decides what now.
        Rejected = "rejected", "refused by the laboratory";
        Cancelled = "cancelled", "cancelled";
    }
}

/// What can be ordered: a test of the laboratory's list, a study, something that is done here, a specialty.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Orderable {
    pub kind: OrderKind,
    pub code: String,
    pub name: String,
    pub short: String,
    /// Of tests; empty for all else.
    pub loinc: String,
    pub specimen: String,
    pub questions: Vec<OrderQuestion>,
    /// Beginnings of diagnosis codes that usually carry this test.
    pub usual_for: Vec<String>,
    /// Codes of the tests that it measures together.
    pub contains: Vec<String>,
    /// Days that it usually takes from sending to the result.
    pub usual_days: u32,
}

impl Default for Orderable {
    fn default() -> Orderable {
        let none = String::new;
        Orderable {
            kind: OrderKind::Laboratory,
            code: none(),
            name: none(),
            short: none(),
            loinc: none(),
            specimen: none(),
            questions: vec![],
            usual_for: vec![],
            contains: vec![],
            usual_days: 1,
        }
    }
}

/// Where an order was put, and why.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Placement {
    /// Positions in the visit's diagnoses, from 0; empty when none fits.
    pub diagnoses: Vec<usize>,
    pub reason: String,
}

/// How well a diagnosis carries a test: the length of the longest beginning of its code that the
/// test is usually ordered for; zero when it does not.
fn fit(test: &Orderable, diagnosis: &str) -> usize {
    let code = diagnosis.replace('.', "");
    test.usual_for
        .iter()
        .map(|u| u.replace('.', ""))
        .filter(|u| code.starts_with(u.as_str()))
        .map(|u| u.len())
        .max()
        .unwrap_or(0)
}

/// Puts a new order under the diagnoses that usually carry it. It is never put under the first of the
/// list merely because that is the first: when none fits, it waits for a person to place it.
pub fn place(test: &Orderable, diagnoses: &[(String, String)]) -> Placement {
    let fits: Vec<usize> = diagnoses.iter().map(|(code, _)| fit(test, code)).collect();
    let best = fits.iter().copied().max().unwrap_or(0);
    if diagnoses.is_empty() {
        return Placement { diagnoses: vec![], reason: "There is no diagnosis yet.".into() };
    }
    if best == 0 {
        return Placement {
            diagnoses: vec![],
            reason: format!("{} is not usually ordered for any of the diagnoses here; place it yourself.", test.name),
        };
    }
    let chosen: Vec<usize> = (0..fits.len()).filter(|i| fits[*i] == best).collect();
    let names: Vec<&str> = chosen.iter().map(|i| diagnoses[*i].1.as_str()).collect();
    Placement { diagnoses: chosen, reason: format!("{} is usually ordered for {}.", test.name, names.join(" and ")) }
}

/// An order that lies oddly where a person has put it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Misfit {
    /// The position of the diagnosis that carries it better.
    pub better: usize,
    pub sentence: String,
}

/// Why an order lies oddly where a person has put it, when there is a better place.
pub fn misfit(test: &Orderable, placed: &[usize], diagnoses: &[(String, String)]) -> Option<Misfit> {
    let fits = |i: &usize| diagnoses.get(*i).is_some_and(|(code, _)| fit(test, code) > 0);
    if placed.is_empty() || placed.iter().any(fits) {
        return None;
    }
    let better = (0..diagnoses.len()).filter(fits).max_by_key(|i| (fit(test, &diagnoses[*i].0), usize::MAX - i))?;
    let (code, title) = &diagnoses[better];
    Some(Misfit { better, sentence: format!("{} fits better under {title} ({code}).", test.name) })
}

/// The person an order or prescription is about, as outside partners need to know them.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Subject {
    /// The clinic's record number.
    pub record_number: String,
    pub last: String,
    pub first: String,
    pub birth_date: NaiveDate,
    /// F, M or U.
    pub sex: String,
}

/// One test on a requisition.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RequestedTest {
    /// Our reference of the order; the laboratory returns it with the report.
    pub reference: String,
    pub loinc: String,
    pub name: String,
    /// Codes with their titles, the order's own.
    pub diagnoses: Vec<(String, String)>,
    pub answers: Vec<(String, AnswerValue)>,
    pub priority: Priority,
}

/// What is sent to the laboratory.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Requisition {
    pub reference: String,
    pub subject: Subject,
    pub orderer_name: String,
    pub orderer_npi: String,
    pub authored: DateTime<Utc>,
    pub tests: Vec<RequestedTest>,
    /// Who pays; an order that was signed before that was asked for says nothing.
    pub account: Option<TestAccount>,
    /// What was taken before it was sent; the rest is told when it is taken.
    pub specimens: Vec<specimens::TakenSpecimen>,
}

coded! {
    /// How settled a report is (FHIR DiagnosticReport.status).
    ReportStatus {
        Registered = "registered", "registered";
        Preliminary = "preliminary", "preliminary";
        Final = "final", "final";
        Corrected = "corrected", "corrected";
        Cancelled = "cancelled", "cancelled";
    }
}

/// A file that came with a report: a picture of it, a letter.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReportFile {
    pub title: String,
    pub media_type: String,
    pub content: Vec<u8>,
}

/// What came back from the laboratory for one order.
#[derive(Debug, Clone, PartialEq)]
pub struct LabReport {
    /// The laboratory's own number of the report.
    pub number: String,
    /// Our reference of the order; empty when the laboratory lost it.
    pub order_reference: String,
    pub subject: NamedPerson,
    pub status: ReportStatus,
    pub issued: DateTime<Utc>,
    /// What it is of: a panel, a test.
    pub name: String,
    /// Who measured and answers for it.
    pub performer: String,
    pub values: Vec<ReportedValue>,
    /// What the laboratory says of it as a whole.
    pub conclusion: String,
    pub files: Vec<ReportFile>,
}

#[cfg(test)]
mod tests {
    use super::*;

    fn test(name: &str, usual: &[&str]) -> Orderable {
        Orderable {
            name: name.into(),
            usual_for: usual.iter().map(|s| (*s).to_owned()).collect(),
            ..Orderable::default()
        }
    }

    fn lucan() -> Vec<(String, String)> {
        [("E78.5", "Hyperlipidemia"), ("I10", "Hypertension"), ("G47.33", "Sleep apnea"), ("N18.31", "Kidney disease")]
            .map(|(c, t)| (c.to_owned(), t.to_owned()))
            .to_vec()
    }

    #[test]
    fn orders_find_their_diagnosis() {
        assert_eq!(place(&test("Lipid panel", &["E78"]), &lucan()).diagnoses, [0]);
        let p = place(&test("Potassium", &["N18", "I1"]), &lucan());
        assert_eq!(p.diagnoses, [3], "the closer fit wins");
        assert_eq!(p.reason, "Potassium is usually ordered for Kidney disease.");
        let unfitting = place(&test("Ferritin", &["D50"]), &lucan());
        assert_eq!(unfitting.diagnoses, [0usize; 0], "never the first because it is first");
        assert!(place(&test("Ferritin", &["D50"]), &[]).reason.contains("no diagnosis yet"));
    }

    #[test]
    fn a_misplaced_order_says_where_it_fits() {
        let lipids = test("Lipid panel", &["E78"]);
        assert_eq!(
            misfit(&lipids, &[2], &lucan()),
            Some(Misfit { better: 0, sentence: "Lipid panel fits better under Hyperlipidemia (E78.5).".into() })
        );
        let potassium = test("Potassium", &["I1", "N18"]);
        assert_eq!(misfit(&potassium, &[0], &lucan()).map(|m| m.better), Some(3), "the closest fit is offered");
        assert_eq!(misfit(&lipids, &[2, 0], &lucan()), None);
        assert_eq!(misfit(&test("Ferritin", &["D50"]), &[2], &lucan()), None, "nowhere better to go");
        assert!(misfit(&lipids, &[99], &lucan()).is_some());
    }
}
