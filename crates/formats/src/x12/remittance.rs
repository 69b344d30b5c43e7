//! 835 remittances, 005010X221A1.

use super::claim::{amount, money};
use super::envelope::{Segment, Set};
use super::person::put_address;
use super::writer::{Stamp, Writer};
use super::{d8, date};
use crate::Located;
use harbor_core::claims::AddressOnClaim;
use harbor_core::money::Cents;
use harbor_core::money::remittance::{
    Adjustment, AdjustmentGroup, ProviderAdjustment, Remittance, RemittedClaim, RemittedLine,
};

pub const VERSION: &str = "005010X221A1";

/// Reads a set 835. It is read, not yet balanced: see [`Remittance::check_balance`].
pub fn read(set: &Set) -> Result<Remittance, Located> {
    let first = set.segments.first().ok_or_else(|| Located {
        segment: 0,
        byte: 0,
        id: "BPR".into(),
        element: None,
        expected: "BPR at the beginning of an 835".into(),
    })?;
    if first.id != "BPR" {
        return Err(first.wrong(None, "BPR at the beginning of an 835"));
    }
    let mut r = Remittance {
        payer_name: String::new(),
        payer_id: String::new(),
        payee_name: String::new(),
        payee_npi: String::new(),
        trace: String::new(),
        method: first.get(4).into(),
        date: date(first.get(16)).unwrap_or(chrono::NaiveDate::MIN),
        amount: amount(first, 2)?,
        claims: Vec::new(),
        provider_adjustments: Vec::new(),
    };
    // A credit and a debit are both money to the clinic (BPR03); a payment is never below zero.
    if r.amount.is_negative() {
        return Err(first.wrong(Some(2), "a payment that is not below zero"));
    }
    if !matches!(first.get(3), "C" | "D") {
        return Err(first.wrong(Some(3), "C or D"));
    }
    for s in &set.segments[1..] {
        segment(&mut r, s, set.component)?;
    }
    if r.trace.is_empty() {
        return Err(first.wrong(None, "a trace number (TRN02) in the remittance"));
    }
    if r.date == chrono::NaiveDate::MIN {
        return Err(first.wrong(Some(16), "the date of payment CCYYMMDD"));
    }
    Ok(r)
}

fn segment(r: &mut Remittance, s: &Segment, component: char) -> Result<(), Located> {
    match s.id {
        "TRN" => {
            r.trace = s.get(2).into();
            r.payer_id = s.get(3).into();
        }
        "N1" if r.claims.is_empty() => match s.get(1) {
            "PR" => r.payer_name = s.get(2).into(),
            "PE" => {
                r.payee_name = s.get(2).into();
                r.payee_npi = s.get(4).into();
            }
            _ => {}
        },
        "REF" if r.claims.is_empty() && s.get(1) == "2U" => r.payer_id = s.get(2).into(),
        "CLP" => {
            let [number, status, charged, paid, share, filing, payer_number] = s.first();
            if number.is_empty() {
                return Err(s.wrong(Some(1), "the clinic's claim number"));
            }
            r.claims.push(RemittedClaim {
                claim_number: number.into(),
                status: status.into(),
                charged: money(s, 3, charged)?,
                paid: money(s, 4, paid)?,
                patient_share: if share.is_empty() { Cents::ZERO } else { money(s, 5, share)? },
                filing_code: filing.into(),
                payer_claim_number: payer_number.into(),
                ..RemittedClaim::default()
            });
        }
        "PLB" => provider_adjustments(r, s, component)?,
        _ => {
            if let Some(claim) = r.claims.last_mut() {
                claim_segment(claim, s, component)?;
            }
        }
    }
    Ok(())
}

fn claim_segment(claim: &mut RemittedClaim, s: &Segment, component: char) -> Result<(), Located> {
    match s.id {
        "NM1" => {
            let [who, _, last, first, _, _, _, _, number] = s.first();
            if who == "QC" {
                (claim.patient_last, claim.patient_first) = (last.into(), first.into());
            }
            if who == "IL" || (who == "QC" && claim.subscriber_number.is_empty()) {
                claim.subscriber_number = number.into();
            }
        }
        "CAS" => {
            let adjustments = match claim.lines.last_mut() {
                Some(line) => &mut line.adjustments,
                None => &mut claim.adjustments,
            };
            read_adjustments(s, adjustments)?;
        }
        "SVC" => {
            let [service, charged, paid, _, units, original] = s.first();
            let mut parts = service.split(component).skip(1);
            let original = original.split(component).nth(1).filter(|c| !c.is_empty()).map(str::to_owned);
            // Most claims have one line; room for four would be most of the memory of a large file.
            if claim.lines.is_empty() {
                claim.lines.reserve_exact(1);
            }
            claim.lines.push(RemittedLine {
                service_code: parts.next().unwrap_or("").into(),
                modifiers: parts.take(4).filter(|m| !m.is_empty()).map(str::to_owned).collect(),
                charged: money(s, 2, charged)?,
                paid: money(s, 3, paid)?,
                units: units.into(),
                original_code: original,
                ..RemittedLine::default()
            });
        }
        "DTM" if matches!(s.get(1), "472" | "150") => {
            if let Some(line) = claim.lines.last_mut() {
                line.service_date = Some(date(s.get(2)).ok_or_else(|| s.wrong(Some(2), "a date CCYYMMDD"))?);
            }
        }
        "REF" if s.get(1) == "6R" => {
            if let Some(line) = claim.lines.last_mut() {
                line.line_control = s.get(2).into();
            }
        }
        "AMT" if s.get(1) == "B6" => {
            if let Some(line) = claim.lines.last_mut() {
                line.allowed = Some(amount(s, 2)?);
            }
        }
        "LQ" if s.get(1) == "HE" => {
            if let Some(line) = claim.lines.last_mut() {
                line.remarks.push(s.get(2).into());
            }
        }
        "MOA" => claim.remarks.extend((3..=7).map(|n| s.get(n)).filter(|t| !t.is_empty()).map(str::to_owned)),
        "MIA" => claim
            .remarks
            .extend([5, 20, 21, 22, 23].map(|n| s.get(n)).into_iter().filter(|t| !t.is_empty()).map(str::to_owned)),
        _ => {}
    }
    Ok(())
}

/// One CAS segment holds a group and up to six triplets of reason, amount and quantity.
pub(super) fn read_adjustments(s: &Segment, out: &mut Vec<Adjustment>) -> Result<(), Located> {
    let elements = s.first::<19>();
    let group = AdjustmentGroup::from_code(elements[0])
        .ok_or_else(|| s.wrong(Some(1), "an adjustment group CO, PR, OA or PI"))?;
    out.reserve_exact(elements[1..].chunks_exact(3).filter(|part| !part[0].is_empty()).count());
    for (triplet, part) in elements[1..].chunks_exact(3).enumerate() {
        let (at, reason, quantity) = (2 + triplet * 3, part[0], part[2]);
        if reason.is_empty() {
            if part[1].is_empty() {
                continue;
            }
            return Err(s.wrong(Some(at), "the reason of this adjustment"));
        }
        let quantity = Some(quantity).filter(|q| !q.is_empty()).map(str::to_owned);
        out.push(Adjustment { group, reason: reason.into(), amount: money(s, at + 1, part[1])?, quantity });
    }
    Ok(())
}

fn provider_adjustments(r: &mut Remittance, s: &Segment, component: char) -> Result<(), Located> {
    for pair in 0..6 {
        let at = 3 + pair * 2;
        if s.get(at).is_empty() {
            continue;
        }
        let (reason, reference) = s.get(at).split_once(component).unwrap_or((s.get(at), ""));
        r.provider_adjustments.push(ProviderAdjustment {
            reason: reason.into(),
            reference: reference.into(),
            amount: amount(s, at + 1)?,
        });
    }
    Ok(())
}

/// What a payer says of itself in each remittance.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PayerDesk {
    /// TRN03: a `1` and the nine digits of its tax number.
    pub company: String,
    pub address: AddressOnClaim,
    /// Of those who answer about the file (PER*BL).
    pub telephone: String,
}

/// Writes one interchange with one 835 for each remittance.
pub fn write(stamp: &Stamp, desk: &PayerDesk, remittances: &[Remittance]) -> String {
    let mut w = Writer::new(stamp, "HP", VERSION);
    for r in remittances {
        w.begin_set("835");
        put(&mut w, desk, r);
        w.end_set();
    }
    w.finish()
}

fn put(w: &mut Writer, desk: &PayerDesk, r: &Remittance) {
    let day = d8(r.date);
    w.put("BPR", &["I", &r.amount.to_x12(), "C", &r.method, "", "", "", "", "", "", "", "", "", "", "", &day]);
    // A payer's number that is no company's stands in a reference of its own (REF*2U).
    let company = if r.payer_id.len() == 10 { &r.payer_id } else { &desk.company };
    w.put("TRN", &["1", &r.trace, company]);
    w.put("DTM", &["405", &day]);
    w.put("N1", &["PR", &r.payer_name]);
    put_address(w, &desk.address);
    if company != &r.payer_id {
        w.put("REF", &["2U", &r.payer_id]);
    }
    w.put("PER", &["BL", "REMITTANCES", "TE", &desk.telephone]);
    w.put("N1", &["PE", &r.payee_name, "XX", &r.payee_npi]);
    w.put("LX", &["1"]);
    for c in &r.claims {
        put_claim(w, c);
    }
    for p in &r.provider_adjustments {
        let reason = if p.reference.is_empty() { p.reason.clone() } else { format!("{}:{}", p.reason, p.reference) };
        w.put_composite("PLB", &[&r.payee_npi, &format!("{}1231", &day[..4]), &reason, &p.amount.to_x12()]);
    }
}

fn put_claim(w: &mut Writer, c: &RemittedClaim) {
    let share = if c.patient_share.is_zero() { String::new() } else { c.patient_share.to_x12() };
    w.put(
        "CLP",
        &[
            &c.claim_number,
            &c.status,
            &c.charged.to_x12(),
            &c.paid.to_x12(),
            &share,
            &c.filing_code,
            &c.payer_claim_number,
        ],
    );
    put_adjustments(w, &c.adjustments);
    let qualifier = if c.subscriber_number.is_empty() { "" } else { "MI" };
    w.put("NM1", &["QC", "1", &c.patient_last, &c.patient_first, "", "", "", qualifier, &c.subscriber_number]);
    for chunk in c.remarks.chunks(5) {
        let mut elements = vec!["", ""];
        elements.extend(chunk.iter().map(String::as_str));
        w.put("MOA", &elements);
    }
    for line in &c.lines {
        let code = |code: &str| {
            let mut text = format!("HC:{code}");
            for m in &line.modifiers {
                text = format!("{text}:{m}");
            }
            text
        };
        let original = line.original_code.as_deref().map_or_else(String::new, |o| format!("HC:{o}"));
        w.put_composite(
            "SVC",
            &[&code(&line.service_code), &line.charged.to_x12(), &line.paid.to_x12(), "", &line.units, &original],
        );
        if let Some(day) = line.service_date {
            w.put("DTM", &["472", &d8(day)]);
        }
        put_adjustments(w, &line.adjustments);
        if !line.line_control.is_empty() {
            w.put("REF", &["6R", &line.line_control]);
        }
        if let Some(allowed) = line.allowed {
            w.put("AMT", &["B6", &allowed.to_x12()]);
        }
        for remark in &line.remarks {
            w.put("LQ", &["HE", remark]);
        }
    }
}

/// Neighbours of one group share a segment, six at most, so that the order is kept.
pub(super) fn put_adjustments(w: &mut Writer, adjustments: &[Adjustment]) {
    for run in adjustments.chunk_by(|a, b| a.group == b.group) {
        for six in run.chunks(6) {
            let mut elements = vec![run[0].group.code().to_owned()];
            for a in six {
                elements.extend([a.reason.to_string(), a.amount.to_x12(), a.quantity.clone().unwrap_or_default()]);
            }
            w.put("CAS", &elements.iter().map(String::as_str).collect::<Vec<_>>());
        }
    }
}
