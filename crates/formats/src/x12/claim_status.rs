//! 277CA claim acknowledgements, 005010X214.

use super::envelope::Set;
use super::writer::{Stamp, Writer};
use crate::Located;

pub const VERSION: &str = "005010X214";

/// One status: its category such as A1, its code, the entity it is about.
pub type Status = (String, String, String);

/// What is said of one claim.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ClaimStatus {
    /// The clinic's claim number (TRN02 of the patient level).
    pub claim_number: String,
    /// STC segments: category such as A1, status code, entity.
    pub statuses: Vec<Status>,
    pub payer_claim_number: String,
    pub patient_last: String,
    pub patient_first: String,
    /// Line control number and its statuses.
    pub lines: Vec<(String, Vec<Status>)>,
}

impl ClaimStatus {
    /// The category that decides: a refusal outweighs an acceptance.
    pub fn deciding(&self) -> Option<&Status> {
        let all = || self.statuses.iter().chain(self.lines.iter().flat_map(|(_, s)| s));
        all()
            .find(|(category, ..)| matches!(category.as_str(), "A3" | "A4" | "A6" | "A7" | "A8"))
            .or_else(|| all().next())
    }
}

pub fn write(stamp: &Stamp, reference: &str, payer: &str, statuses: &[ClaimStatus]) -> String {
    let mut w = Writer::new(stamp, "HN", VERSION);
    w.begin_set("277");
    let (day, time) = (stamp.at.format("%Y%m%d").to_string(), stamp.at.format("%H%M").to_string());
    w.put("BHT", &["0085", "08", reference, &day, &time, "TH"]);
    w.put("HL", &["1", "", "20", "1"]);
    w.put("NM1", &["PR", "2", payer]);
    w.put("HL", &["2", "1", "21", "1"]);
    w.put("HL", &["3", "2", "19", "1"]);
    for (i, c) in statuses.iter().enumerate() {
        w.put("HL", &[&(i + 4).to_string(), "3", "PT"]);
        w.put("NM1", &["QC", "1", &c.patient_last, &c.patient_first]);
        w.put("TRN", &["2", &c.claim_number]);
        for s in &c.statuses {
            put_status(&mut w, s, &day);
        }
        if !c.payer_claim_number.is_empty() {
            w.put("REF", &["1K", &c.payer_claim_number]);
        }
        for (control, statuses) in &c.lines {
            w.put("SVC", &["HC"]);
            for s in statuses {
                put_status(&mut w, s, &day);
            }
            w.put("REF", &["FJ", control]);
        }
    }
    w.end_set();
    w.finish()
}

fn put_status(w: &mut Writer, (category, code, entity): &Status, day: &str) {
    w.put_composite("STC", &[&format!("{category}:{code}:{entity}"), day]);
}

pub fn read(set: &Set) -> Result<Vec<ClaimStatus>, Located> {
    let mut out: Vec<ClaimStatus> = Vec::new();
    let mut at_patient = false;
    let mut in_line = false;
    for s in &set.segments {
        match s.id {
            "HL" => {
                at_patient = s.get(3) == "PT";
                in_line = false;
                if at_patient {
                    out.push(ClaimStatus::default());
                }
            }
            _ if !at_patient => {}
            _ => {
                let claim = out.last_mut().ok_or_else(|| s.wrong(None, "HL before this segment"))?;
                match (s.id, s.get(1)) {
                    ("NM1", "QC") => (claim.patient_last, claim.patient_first) = (s.get(3).into(), s.get(4).into()),
                    ("TRN", _) => claim.claim_number = s.get(2).into(),
                    ("STC", composite) => {
                        let mut parts = composite.split(set.component).map(str::to_owned);
                        let mut next = || parts.next().unwrap_or_default();
                        let status = (next(), next(), next());
                        if status.0.is_empty() {
                            return Err(s.wrong(Some(1), "a status category such as A1"));
                        }
                        match claim.lines.last_mut().filter(|_| in_line) {
                            Some((_, statuses)) => statuses.push(status),
                            None => claim.statuses.push(status),
                        }
                    }
                    ("REF", "1K") => claim.payer_claim_number = s.get(2).into(),
                    ("SVC", _) => {
                        in_line = true;
                        claim.lines.push((String::new(), vec![]));
                    }
                    ("REF", "FJ") if in_line => {
                        if let Some((control, _)) = claim.lines.last_mut() {
                            *control = s.get(2).into();
                        }
                    }
                    _ => {}
                }
            }
        }
    }
    match out.iter().find(|c| c.claim_number.is_empty()) {
        Some(_) => Err(Located {
            segment: 0,
            byte: 0,
            id: "TRN".into(),
            element: Some(2),
            expected: "a claim number at every patient".into(),
        }),
        None => Ok(out),
    }
}
