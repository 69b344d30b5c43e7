//! 277CA claim acknowledgements, 005010X214.

use super::envelope::Set;
use super::writer::{Stamp, Writer};
use super::{d8, date};
use crate::Located;
use chrono::NaiveDate;
use harbor_core::money::Cents;

pub const VERSION: &str = "005010X214";

/// One status: its category such as A1, its code, the entity it is about.
pub type Status = (String, String, String);

/// What is said of one line of a claim.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct LineStatus {
    /// The clinic's line control number (REF*FJ).
    pub control: String,
    pub code: String,
    pub charged: Cents,
    pub statuses: Vec<Status>,
}

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
    pub subscriber_number: String,
    /// STC04 of the claim.
    pub charged: Cents,
    pub service_date: Option<NaiveDate>,
    pub lines: Vec<LineStatus>,
}

/// Who tells whom, each with its number.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Parties {
    /// BHT03.
    pub reference: String,
    /// The payer or the clearing house, by its id.
    pub payer: (String, String),
    /// Who sent the claims, by the number it has there.
    pub receiver: (String, String),
    /// Who billed, by its NPI.
    pub provider: (String, String),
}

impl ClaimStatus {
    /// The category that decides: a refusal outweighs an acceptance.
    pub fn deciding(&self) -> Option<&Status> {
        let all = || self.statuses.iter().chain(self.lines.iter().flat_map(|l| &l.statuses));
        all()
            .find(|(category, ..)| matches!(category.as_str(), "A3" | "A4" | "A6" | "A7" | "A8"))
            .or_else(|| all().next())
    }
}

pub fn write(stamp: &Stamp, parties: &Parties, statuses: &[ClaimStatus]) -> String {
    let mut w = Writer::new(stamp, "HN", VERSION);
    w.begin_set("277");
    let (day, time) = (stamp.at.format("%Y%m%d").to_string(), stamp.at.format("%H%M").to_string());
    let accepted =
        |c: &&ClaimStatus| c.deciding().is_some_and(|(category, ..)| matches!(category.as_str(), "A1" | "A2"));
    let (taken, refused): (Vec<&ClaimStatus>, Vec<&ClaimStatus>) = statuses.iter().partition(accepted);
    let sum = |of: &[&ClaimStatus]| of.iter().map(|c| c.charged).sum::<Cents>().to_x12();
    let all: Cents = statuses.iter().map(|c| c.charged).sum();
    // How many were taken and refused, and for how much, as the receiver and the provider level tell it.
    let totals = |w: &mut Writer, counts: [&str; 2]| {
        let levels = [(&taken, counts[0], "YU"), (&refused, counts[1], "YY")];
        for (of, count, _) in levels.iter().filter(|(of, ..)| !of.is_empty()) {
            w.put("QTY", &[count, &of.len().to_string()]);
        }
        for (of, _, amount) in levels.iter().filter(|(of, ..)| !of.is_empty()) {
            w.put("AMT", &[amount, &sum(of)]);
        }
    };
    w.put("BHT", &["0085", "08", &parties.reference, &day, &time, "TH"]);
    w.put("HL", &["1", "", "20", "1"]);
    let (name, id) = &parties.payer;
    w.put("NM1", &["AY", "2", name, "", "", "", "", "46", id]);
    w.put("TRN", &["1", &parties.reference]);
    w.put("DTP", &["050", "D8", &day]);
    w.put("DTP", &["009", "D8", &day]);
    w.put("HL", &["2", "1", "21", "1"]);
    let (name, id) = &parties.receiver;
    w.put("NM1", &["41", "2", name, "", "", "", "", "46", id]);
    w.put("TRN", &["2", &parties.reference]);
    w.put_composite("STC", &["A1:19:PR", &day, "WQ", &all.to_x12()]);
    totals(&mut w, ["90", "AA"]);
    w.put("HL", &["3", "2", "19", "1"]);
    let (name, id) = &parties.provider;
    w.put("NM1", &["85", "2", name, "", "", "", "", "XX", id]);
    w.put("TRN", &["1", "0"]);
    w.put_composite("STC", &["A1:19:PR", "", "WQ", &all.to_x12()]);
    totals(&mut w, ["QA", "QC"]);
    for (i, c) in statuses.iter().enumerate() {
        w.put("HL", &[&(i + 4).to_string(), "3", "PT"]);
        w.put("NM1", &["QC", "1", &c.patient_last, &c.patient_first, "", "", "", "MI", &c.subscriber_number]);
        w.put("TRN", &["2", &c.claim_number]);
        let action = if accepted(&c) { "WQ" } else { "U" };
        for s in &c.statuses {
            put_status(&mut w, s, &day, action, Some(c.charged));
        }
        if !c.payer_claim_number.is_empty() {
            w.put("REF", &["1K", &c.payer_claim_number]);
        }
        if let Some(on) = c.service_date {
            w.put("DTP", &["472", "D8", &d8(on)]);
        }
        for line in &c.lines {
            w.put_composite("SVC", &[&format!("HC:{}", line.code), &line.charged.to_x12(), "", "", "", "", "1"]);
            for s in &line.statuses {
                put_status(&mut w, s, &day, action, None);
            }
            w.put("REF", &["FJ", &line.control]);
        }
    }
    w.end_set();
    w.finish()
}

fn put_status(w: &mut Writer, (category, code, entity): &Status, day: &str, action: &str, charged: Option<Cents>) {
    let charged = charged.map(Cents::to_x12).unwrap_or_default();
    w.put_composite("STC", &[&format!("{category}:{code}:{entity}"), day, action, &charged]);
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
                    ("NM1", "QC") => {
                        (claim.patient_last, claim.patient_first) = (s.get(3).into(), s.get(4).into());
                        claim.subscriber_number = s.get(9).into();
                    }
                    ("TRN", _) => claim.claim_number = s.get(2).into(),
                    ("STC", composite) => {
                        let mut parts = composite.split(set.component).map(str::to_owned);
                        let mut next = || parts.next().unwrap_or_default();
                        let status = (next(), next(), next());
                        if status.0.is_empty() {
                            return Err(s.wrong(Some(1), "a status category such as A1"));
                        }
                        match claim.lines.last_mut().filter(|_| in_line) {
                            Some(line) => line.statuses.push(status),
                            None => {
                                claim.charged = Cents::parse_decimal(s.get(4)).unwrap_or(claim.charged);
                                claim.statuses.push(status);
                            }
                        }
                    }
                    ("DTP", "472") if !in_line => claim.service_date = date(s.get(3).split('-').next().unwrap_or("")),
                    ("REF", "1K") => claim.payer_claim_number = s.get(2).into(),
                    ("SVC", _) => {
                        in_line = true;
                        claim.lines.push(LineStatus {
                            code: s.get(1).split(set.component).nth(1).unwrap_or("").into(),
                            charged: Cents::parse_decimal(s.get(2)).unwrap_or_default(),
                            ..LineStatus::default()
                        });
                    }
                    ("REF", "FJ") if in_line => {
                        if let Some(line) = claim.lines.last_mut() {
                            line.control = s.get(2).into();
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
