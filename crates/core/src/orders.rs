//! Orders: what a test asks before it can go, under which diagnosis it belongs, and what came back.

pub mod candidates;
pub mod grid;
pub mod review;
pub mod rising;
pub mod search;
pub mod truth;
pub mod units;
pub mod values;
pub mod waiting;

use candidates::NamedPerson;

pub use values::{Comparator, FlaggedBy, Interpretation, Limits, ReportedValue, Said, interpret};

use chrono::{DateTime, NaiveDate, Utc};

coded! {
    OrderState {
        Draft = "draft", "not sent";
        /// Signed and waiting to be handed to the laboratory.
        Sending = "sending", "being handed over";
        Requested = "requested", "sent";
        Accepted = "accepted", "laboratory has it";
        /// A first report is here; the final one is owed.
        Preliminary = "preliminary", "first result here";
        Resulted = "resulted", "result here";
        /// The laboratory refused it, or took its report back; somebody decides what now.
        Rejected = "rejected", "refused by the laboratory";
        Cancelled = "cancelled", "cancelled";
    }
}

/// A test of the laboratory's list.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LabTest {
    pub code: String,
    pub name: String,
    pub short: String,
    pub loinc: String,
    pub specimen: String,
    /// Questions at order; each must be answered before the order can go.
    pub questions: Vec<String>,
    /// Beginnings of diagnosis codes that usually carry this test.
    pub usual_for: Vec<String>,
    /// Codes of the tests that it measures together.
    pub contains: Vec<String>,
    /// Days that it usually takes from sending to the result.
    pub usual_days: u32,
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
fn fit(test: &LabTest, diagnosis: &str) -> usize {
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
pub fn place(test: &LabTest, diagnoses: &[(String, String)]) -> Placement {
    let fits: Vec<usize> = diagnoses.iter().map(|(code, _)| fit(test, code)).collect();
    let best = fits.iter().copied().max().unwrap_or(0);
    if diagnoses.is_empty() {
        return Placement { diagnoses: vec![], reason: "The visit has no diagnosis yet.".into() };
    }
    if best == 0 {
        return Placement {
            diagnoses: vec![],
            reason: format!(
                "{} is not usually ordered for any of the visit's diagnoses; place it yourself.",
                test.name
            ),
        };
    }
    let chosen: Vec<usize> = (0..fits.len()).filter(|i| fits[*i] == best).collect();
    let names: Vec<&str> = chosen.iter().map(|i| diagnoses[*i].1.as_str()).collect();
    Placement { diagnoses: chosen, reason: format!("{} is usually ordered for {}.", test.name, names.join(" and ")) }
}

/// Why an order lies oddly where a person has put it, with the better place if there is one.
pub fn misfit(test: &LabTest, placed: &[usize], diagnoses: &[(String, String)]) -> Option<String> {
    let fits = |i: &usize| diagnoses.get(*i).is_some_and(|(code, _)| fit(test, code) > 0);
    if placed.is_empty() || placed.iter().any(fits) {
        return None;
    }
    let better = (0..diagnoses.len()).find(fits)?;
    Some(format!("{} fits better under {} ({}).", test.name, diagnoses[better].1, diagnoses[better].0))
}

/// What keeps an order from being sent, in words.
pub fn ready_to_send(
    test: &LabTest,
    answers: &[(String, String)],
    diagnoses: usize,
    insured_payer: Option<bool>,
) -> Result<(), String> {
    if diagnoses == 0 {
        return Err(format!("The {} order has no diagnosis.", test.name));
    }
    for question in &test.questions {
        let answered = answers.iter().any(|(q, a)| q == question && !a.trim().is_empty());
        if !answered {
            return Err(format!("{}: answer \"{question}\" before sending.", test.name));
        }
    }
    if insured_payer == Some(false) {
        return Err("The insurance is to pay the laboratory, but no policy is on file.".into());
    }
    Ok(())
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
    pub answers: Vec<(String, String)>,
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

    fn test(name: &str, usual: &[&str], questions: &[&str]) -> LabTest {
        LabTest {
            code: name.to_uppercase(),
            name: name.into(),
            short: name.into(),
            loinc: "2823-3".into(),
            specimen: "serum".into(),
            questions: questions.iter().map(|s| (*s).to_owned()).collect(),
            usual_for: usual.iter().map(|s| (*s).to_owned()).collect(),
            contains: vec![],
            usual_days: 1,
        }
    }

    fn lucan() -> Vec<(String, String)> {
        [("E78.5", "Hyperlipidemia"), ("I10", "Hypertension"), ("G47.33", "Sleep apnea"), ("N18.31", "Kidney disease")]
            .map(|(c, t)| (c.to_owned(), t.to_owned()))
            .to_vec()
    }

    #[test]
    fn orders_find_their_diagnosis() {
        assert_eq!(place(&test("Lipid panel", &["E78"], &[]), &lucan()).diagnoses, [0]);
        let p = place(&test("Potassium", &["N18", "I1"], &[]), &lucan());
        assert_eq!(p.diagnoses, [3], "the closer fit wins");
        assert_eq!(p.reason, "Potassium is usually ordered for Kidney disease.");
        let unfitting = place(&test("Ferritin", &["D50"], &[]), &lucan());
        assert_eq!(unfitting.diagnoses, [0usize; 0], "never the first because it is first");
        assert!(place(&test("Ferritin", &["D50"], &[]), &[]).reason.contains("no diagnosis yet"));
    }

    #[test]
    fn a_misplaced_order_says_where_it_fits() {
        let lipids = test("Lipid panel", &["E78"], &[]);
        assert_eq!(
            misfit(&lipids, &[2], &lucan()).as_deref(),
            Some("Lipid panel fits better under Hyperlipidemia (E78.5).")
        );
        assert_eq!(misfit(&lipids, &[2, 0], &lucan()), None);
        assert_eq!(misfit(&test("Ferritin", &["D50"], &[]), &[2], &lucan()), None, "nowhere better to go");
        assert!(misfit(&lipids, &[99], &lucan()).is_some());
    }

    #[test]
    fn questions_at_order_must_be_answered() {
        let t = test("Lipid panel", &[], &["Fasting?"]);
        assert!(ready_to_send(&t, &[], 1, None).is_err_and(|s| s.contains("Fasting?")));
        assert!(ready_to_send(&t, &[("Fasting?".into(), " ".into())], 1, None).is_err());
        assert_eq!(ready_to_send(&t, &[("Fasting?".into(), "yes".into())], 1, Some(true)), Ok(()));
        assert!(ready_to_send(&t, &[], 0, None).is_err_and(|s| s.contains("no diagnosis")));
        assert!(ready_to_send(&test("K", &[], &[]), &[], 1, Some(false)).is_err());
    }
}
