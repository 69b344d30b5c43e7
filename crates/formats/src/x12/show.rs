//! An X12 file as people read it, and a check of a whole file.

use super::{benefits, claim, claim_status, envelope, file_ack, remittance};
use crate::Located;
use std::fmt::Write;

/// What a check of a file found.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Check {
    /// One line for each transaction set that reads well.
    pub summary: Vec<String>,
    /// What is wrong, with its place.
    pub findings: Vec<String>,
}

/// Checks the envelope and every transaction set; a remittance must also balance.
pub fn check(bytes: &[u8]) -> Check {
    let text = envelope::decode(bytes);
    let mut out = Check::default();
    let document = match envelope::read(&text) {
        Ok(document) => document,
        Err(e) => {
            out.findings.push(e.to_string());
            return out;
        }
    };
    for set in document.interchanges.iter().flat_map(|i| &i.groups).flat_map(|g| &g.sets) {
        match check_set(set) {
            Ok((line, findings)) => {
                out.summary.push(line);
                out.findings.extend(findings);
            }
            Err(e) => out.findings.push(format!("set {} {}: {e}", set.kind, set.control)),
        }
    }
    out
}

fn check_set(set: &envelope::Set) -> Result<(String, Vec<String>), Located> {
    let mut findings = Vec::new();
    let line = match set.kind {
        "837" => {
            let batch = claim::read(set)?;
            findings.extend(claim::faults(&batch).into_iter().map(|(c, f)| format!("claim {c}: {f}")));
            let total: harbor_core::money::Cents = batch.claims.iter().map(harbor_core::claims::Claim::total).sum();
            format!(
                "837P {}: {} claims, {total} in all, billed by {}",
                set.control,
                batch.claims.len(),
                batch.biller.organisation
            )
        }
        "835" => {
            let r = remittance::read(set)?;
            if let Err(found) = r.check_balance() {
                findings.extend(found.iter().map(|i| format!("set 835 {}: {i}", set.control)));
            }
            format!(
                "835 {}: {} pays {} on {}, trace {}, {} claims",
                set.control,
                r.payer_name,
                r.amount,
                r.date,
                r.trace,
                r.claims.len()
            )
        }
        "270" => {
            let q = benefits::read_question(set)?;
            format!("270 {}: asks {} about {}, {}", set.control, q.payer_name, q.subscriber.last, q.subscriber.first)
        }
        "271" => {
            let a = benefits::read_answer(set)?;
            let state = match a.active {
                Some(true) => "in force",
                Some(false) => "not in force",
                None => "refused",
            };
            format!("271 {}: {} answers {state}", set.control, a.payer_name)
        }
        "999" => {
            let a = file_ack::read(set)?;
            let reasons = a.reasons();
            format!(
                "999 {}: group {} {}{}",
                set.control,
                a.group_control,
                if a.is_accepted() { "accepted" } else { "rejected" },
                list(&reasons)
            )
        }
        "277" => {
            let statuses = claim_status::read(set)?;
            format!("277CA {}: {} claims", set.control, statuses.len())
        }
        other => format!("{other} {}: {} segments, not a set we read", set.control, set.segments.len()),
    };
    Ok((line, findings))
}

fn list(items: &[String]) -> String {
    if items.is_empty() { String::new() } else { format!(" ({})", items.join("; ")) }
}

/// The file for reading: what each set says in a sentence, then its segments one a line.
pub fn show(bytes: &[u8]) -> Result<String, Located> {
    let text = envelope::decode(bytes);
    let document = envelope::read(&text)?;
    let mut out = String::new();
    for interchange in &document.interchanges {
        let e = &interchange.envelope;
        let usage = if e.usage == "P" { "production" } else { "test" };
        let _ = writeln!(out, "Interchange {} from {} to {} ({usage})", e.control, e.sender, e.receiver);
        for group in &interchange.groups {
            let _ = writeln!(out, "  Group {} {} version {}", group.kind, group.control, group.version);
            for set in &group.sets {
                match check_set(set) {
                    Ok((line, _)) => {
                        let _ = writeln!(out, "    {line}");
                    }
                    Err(e) => {
                        let _ = writeln!(out, "    {} {}: {e}", set.kind, set.control);
                    }
                }
                for s in &set.segments {
                    let meaning = meaning(s.id);
                    let values: Vec<&str> = s.elements().skip(1).filter(|v| !v.is_empty()).collect();
                    let _ = writeln!(out, "      {:<4} {meaning:<26} {}", s.id, values.join(" | "));
                }
            }
        }
    }
    Ok(out)
}

/// What a segment is about, in our words.
fn meaning(id: &str) -> &'static str {
    match id {
        "BHT" => "beginning",
        "HL" => "level",
        "NM1" => "name",
        "N1" => "party",
        "N3" => "street",
        "N4" => "town",
        "DMG" => "birth date and sex",
        "SBR" => "subscriber",
        "PAT" => "patient's relationship",
        "PRV" => "specialty",
        "PER" => "contact",
        "REF" => "reference",
        "CLM" => "claim",
        "HI" => "diagnoses",
        "LX" => "line",
        "SV1" => "service",
        "DTP" | "DTM" => "date",
        "AMT" => "amount",
        "BPR" => "payment",
        "TRN" => "trace",
        "CLP" => "claim decision",
        "SVC" => "line decision",
        "CAS" => "adjustment",
        "PLB" => "adjustment outside claims",
        "EB" => "benefit",
        "EQ" => "question",
        "AAA" => "refusal",
        "STC" => "status",
        "AK1" | "AK2" | "AK9" | "IK3" | "IK4" | "IK5" => "acknowledgement",
        "LQ" | "MOA" | "MIA" => "remark",
        _ => "",
    }
}
