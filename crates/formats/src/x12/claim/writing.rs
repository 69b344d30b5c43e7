//! From claims to a file.

use super::VERSION;
use super::others::{put_decisions, put_other};
use crate::x12::d8;
use crate::x12::person::{put_address, put_demographics, put_provider};
use crate::x12::writer::{Stamp, Writer};
use harbor_core::claims::{Biller, Claim, ClaimLine, Subscriber};
use std::fmt::Write as _;

/// Writes one interchange with one 837P set that holds all claims of a batch.
pub fn write(stamp: &Stamp, biller: &Biller, batch_reference: &str, claims: &[Claim]) -> String {
    let mut w = Writer::new(stamp, "HC", VERSION);
    w.begin_set("837");
    let (day, time) = (stamp.at.format("%Y%m%d").to_string(), stamp.at.format("%H%M").to_string());
    w.put("BHT", &["0019", "00", batch_reference, &day, &time, "CH"]);
    w.put("NM1", &["41", "2", &biller.organisation, "", "", "", "", "46", &biller.submitter_id]);
    w.put("PER", &["IC", &biller.contact, "TE", &biller.telephone]);
    w.put("NM1", &["40", "2", &biller.receiver_name, "", "", "", "", "46", &biller.receiver_id]);
    w.put("HL", &["1", "", "20", if claims.is_empty() { "0" } else { "1" }]);
    w.put("PRV", &["BI", "PXC", &biller.taxonomy]);
    w.put("NM1", &["85", "2", &biller.organisation, "", "", "", "", "XX", &biller.npi]);
    put_address(&mut w, &biller.address);
    w.put("REF", &["EI", &biller.tax_id]);
    if let Some(address) = &biller.pay_to {
        w.put("NM1", &["87", "2"]);
        put_address(&mut w, address);
    }
    let mut level = 1;
    let mut buffer = String::new();
    for claim in claims {
        level += 1;
        put_claim(&mut w, claim, &mut level, &mut buffer);
    }
    w.end_set();
    w.finish()
}

fn put_claim(w: &mut Writer, c: &Claim, level: &mut u32, buffer: &mut String) {
    let own = c.subscriber.is_none();
    let subscriber_level = level.to_string();
    w.put("HL", &[&subscriber_level, "1", "22", if own { "0" } else { "1" }]);
    w.put("SBR", &[c.rank.code(), if own { "18" } else { "" }, &c.group_number, "", "", "", "", "", &c.filing_code]);
    match &c.subscriber {
        None => {
            let s = &c.patient;
            w.put("NM1", &["IL", "1", &s.last, &s.first, &s.middle, "", "", "MI", &c.subscriber_number]);
            put_address(w, &s.address);
            put_demographics(w, s);
            put_accident_number(w, c);
        }
        Some(Subscriber::Person(s)) => {
            w.put("NM1", &["IL", "1", &s.last, &s.first, &s.middle, "", "", "MI", &c.subscriber_number]);
            put_address(w, &s.address);
            put_demographics(w, s);
        }
        Some(Subscriber::Employer { name, address }) => {
            let qualifier = if c.subscriber_number.is_empty() { "" } else { "MI" };
            w.put("NM1", &["IL", "2", name, "", "", "", "", qualifier, &c.subscriber_number]);
            if !address.line.is_empty() {
                put_address(w, address);
            }
        }
    }
    w.put("NM1", &["PR", "2", &c.payer_name, "", "", "", "", "PI", &c.payer_id]);
    if let Some(subscriber) = &c.subscriber {
        *level += 1;
        w.put("HL", &[&level.to_string(), &subscriber_level, "23", "0"]);
        // X12 element 1069: 20 is an employee.
        let relationship = if matches!(subscriber, Subscriber::Employer { .. }) { "20" } else { c.relationship.code() };
        w.put("PAT", &[relationship]);
        let p = &c.patient;
        w.put("NM1", &["QC", "1", &p.last, &p.first, &p.middle]);
        put_address(w, &p.address);
        put_demographics(w, p);
        put_accident_number(w, c);
    }
    put_header(w, c, buffer);
    for other in &c.others {
        put_other(w, other, &c.patient);
    }
    for (i, line) in c.lines.iter().enumerate() {
        put_line(w, i + 1, line, buffer);
    }
}

/// The payer's number of the accident stands with the patient (2010BA or 2010CA).
fn put_accident_number(w: &mut Writer, c: &Claim) {
    if let Some(a) = c.accident.as_ref().filter(|a| !a.number.is_empty()) {
        w.put("REF", &["Y4", &a.number]);
    }
}

fn put_header(w: &mut Writer, c: &Claim, buffer: &mut String) {
    buffer.clear();
    let _ = write!(buffer, "{}:B:{}", c.place_of_service, c.frequency);
    let mut cause = String::new();
    if let Some(a) = &c.accident {
        cause = a.cause.clone();
        if let Some(state) = &a.state {
            let _ = write!(cause, ":::{state}");
        }
    }
    w.put_composite("CLM", &[&c.number, &c.total().to_x12(), "", "", buffer, "Y", "A", "Y", "Y", "", &cause]);
    let dates = [("431", c.onset), ("304", c.last_seen), ("439", c.accident.as_ref().map(|a| a.date))];
    for (qualifier, day) in dates {
        if let Some(day) = day {
            w.put("DTP", &[qualifier, "D8", &d8(day)]);
        }
    }
    for a in &c.attachments {
        let qualifier = if a.number.is_empty() { "" } else { "AC" };
        w.put("PWK", &[&a.kind, a.way.code(), "", "", qualifier, &a.number]);
    }
    if c.patient_paid.is_positive() {
        w.put("AMT", &["F5", &c.patient_paid.to_x12()]);
    }
    for (qualifier, value) in [("9F", &c.referral), ("G1", &c.prior_authorisation), ("F8", &c.original_reference)] {
        if let Some(value) = value {
            w.put("REF", &[qualifier, value]);
        }
    }
    let codes: Vec<String> = c
        .diagnoses
        .iter()
        .take(12)
        .enumerate()
        .map(|(i, d)| format!("{}:{d}", if i == 0 { "ABK" } else { "ABF" }))
        .collect();
    w.put_composite("HI", &codes.iter().map(String::as_str).collect::<Vec<_>>());
    if let Some(p) = &c.referring {
        put_provider(w, "DN", p, false);
    }
    put_provider(w, "82", &c.rendering, true);
    if let Some(f) = &c.facility {
        w.put("NM1", &["77", "2", &f.name]);
        put_address(w, &f.address);
    }
    if let Some(p) = &c.supervising {
        put_provider(w, "DQ", p, false);
    }
}

fn put_line(w: &mut Writer, number: usize, line: &ClaimLine, buffer: &mut String) {
    w.put("LX", &[&number.to_string()]);
    buffer.clear();
    let _ = write!(buffer, "HC:{}", line.code);
    for modifier in line.modifiers.iter().take(4) {
        let _ = write!(buffer, ":{modifier}");
    }
    let pointers = line.pointers.iter().map(u8::to_string).collect::<Vec<_>>().join(":");
    let place = line.place.as_deref().unwrap_or_default();
    w.put_composite("SV1", &[buffer, &line.fee.to_x12(), "UN", &line.units.to_string(), place, "", &pointers]);
    w.put("DTP", &["472", "D8", &d8(line.service_date)]);
    w.put("REF", &["6R", &line.control]);
    put_decisions(w, line, buffer);
}
