//! What the guide requires of a claim and our reader does not need.

use super::Batch;

/// The faults that a clearing house finds in a batch that reads well: what the guide requires and the
/// reader does not need.
pub fn faults(batch: &Batch) -> Vec<(String, String)> {
    let mut out = Vec::new();
    for c in &batch.claims {
        let mut fault = |text: &str| out.push((c.number.clone(), text.to_owned()));
        if c.lines.is_empty() {
            fault("no service line (LX, SV1)");
        }
        if c.diagnoses.is_empty() {
            fault("no diagnosis (HI)");
        }
        if c.subscriber_number.is_empty() {
            fault("no subscriber number (NM109)");
        }
        if harbor_core::fields::identifiers::Npi::parse(&c.rendering.npi).is_err() {
            fault("no valid rendering provider number (NM1*82)");
        }
        if c.accident.as_ref().is_some_and(|a| a.date == chrono::NaiveDate::MIN) {
            fault("an accident without its date (DTP*439)");
        }
        if c.lines.iter().any(|l| l.service_date == chrono::NaiveDate::MIN) {
            fault("a service line without its date (DTP*472)");
        }
        if c.lines.iter().any(|l| l.pointers.iter().any(|p| usize::from(*p) > c.diagnoses.len())) {
            fault("a pointer to a diagnosis that is not there (SV107)");
        }
    }
    out
}
