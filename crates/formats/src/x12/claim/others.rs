//! Payers before and after the one that a claim goes to (loops 2320, 2330A, 2330B), and what they decided of each line (2430).

use super::amount;
use crate::Located;
use crate::x12::envelope::Segment;
use crate::x12::remittance::{put_adjustments, read_adjustments};
use crate::x12::writer::Writer;
use crate::x12::{d8, date};
use harbor_core::claims::{ClaimLine, EarlierDecision, EarlierPayer, PersonOnClaim};
use harbor_core::coverage::{Rank, Relationship};

pub(super) fn put_other(w: &mut Writer, o: &EarlierPayer, patient: &PersonOnClaim) {
    w.put("SBR", &[o.rank.code(), o.relationship.code(), &o.group_number, "", "", "", "", "", &o.filing_code]);
    put_adjustments(w, &o.adjustments);
    for (qualifier, amount) in [("D", o.paid), ("EAF", o.left)] {
        if let Some(amount) = amount {
            w.put("AMT", &[qualifier, &amount.to_x12()]);
        }
    }
    // The patient assigns benefits to the clinic and lets it tell the payer what it needs: the signature on file of CLM08, CLM09.
    w.put("OI", &["", "", "Y", "", "", "Y"]);
    let (last, first) = if o.subscriber_last.is_empty() {
        (&patient.last, &patient.first)
    } else {
        (&o.subscriber_last, &o.subscriber_first)
    };
    w.put("NM1", &["IL", "1", last, first, "", "", "", "MI", &o.subscriber_number]);
    w.put("NM1", &["PR", "2", &o.name, "", "", "", "", "PI", &o.id]);
    if let Some(day) = o.decided_on {
        w.put("DTP", &["573", "D8", &d8(day)]);
    }
    if !o.claim_number.is_empty() {
        w.put("REF", &["F8", &o.claim_number]);
    }
}

pub(super) fn put_decisions(w: &mut Writer, line: &ClaimLine, buffer: &str) {
    for (payer, decision) in &line.decided {
        w.put_composite("SVD", &[payer, &decision.paid.to_x12(), buffer, "", &line.units.to_string()]);
        put_adjustments(w, &decision.adjustments);
        w.put("DTP", &["573", "D8", &d8(decision.on)]);
    }
}

/// An SBR behind CLM begins another payer.
pub(super) fn begin(s: &Segment) -> Result<EarlierPayer, Located> {
    Ok(EarlierPayer {
        name: String::new(),
        id: String::new(),
        rank: Rank::from_code(s.get(1)).ok_or_else(|| s.wrong(Some(1), "P, S or T"))?,
        relationship: Relationship::from_code(s.get(2)).unwrap_or(Relationship::Other),
        group_number: s.get(3).into(),
        filing_code: s.get(9).into(),
        subscriber_last: String::new(),
        subscriber_first: String::new(),
        subscriber_number: String::new(),
        claim_number: String::new(),
        paid: None,
        left: None,
        adjustments: vec![],
        decided_on: None,
    })
}

/// A segment of another payer's loops; nothing where it belongs elsewhere.
pub(super) fn segment(o: &mut EarlierPayer, s: &Segment) -> Result<(), Located> {
    match (s.id, s.get(1)) {
        ("CAS", _) => read_adjustments(s, &mut o.adjustments)?,
        ("AMT", "D") => o.paid = Some(amount(s, 2)?),
        ("AMT", "EAF") => o.left = Some(amount(s, 2)?),
        ("NM1", "IL") => {
            (o.subscriber_last, o.subscriber_first) = (s.get(3).into(), s.get(4).into());
            o.subscriber_number = s.get(9).into();
        }
        ("NM1", "PR") => (o.name, o.id) = (s.get(3).into(), s.get(9).into()),
        ("DTP", "573") => o.decided_on = Some(day(s)?),
        ("REF", "F8") => o.claim_number = s.get(2).into(),
        _ => {}
    }
    Ok(())
}

/// A segment of what another payer decided of a line.
pub(super) fn decision(line: &mut ClaimLine, s: &Segment) -> Result<(), Located> {
    match (s.id, line.decided.last_mut()) {
        ("SVD", _) => {
            let decided = EarlierDecision { paid: amount(s, 2)?, adjustments: vec![], on: chrono::NaiveDate::MIN };
            line.decided.push((s.get(1).into(), decided));
        }
        ("CAS", Some((_, d))) => read_adjustments(s, &mut d.adjustments)?,
        ("DTP", Some((_, d))) => d.on = day(s)?,
        _ => {}
    }
    Ok(())
}

fn day(s: &Segment) -> Result<chrono::NaiveDate, Located> {
    date(s.get(3)).ok_or_else(|| s.wrong(Some(3), "a date CCYYMMDD"))
}
