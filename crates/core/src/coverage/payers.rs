//! A payer as the clinic keeps it: what claims and questions to it go by.

use crate::fields::Faults;

/// A payer's particulars.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct PayerEntry {
    pub name: String,
    /// Its number at the clearing house (NM109 of loop 2010BB).
    pub number: String,
    /// What kind of plan it is (X12 SBR09), such as CI commercial, MB Medicare part B, MC Medicaid, WC workers' compensation.
    pub filing_code: String,
    /// Pays for accidents at work, and for nothing else.
    pub employment: bool,
    /// Days from the visit until when it takes a claim, 1 to 1,000; nothing while nobody has told.
    pub filing_days: Option<i32>,
    /// Days from its decision until when it takes a corrected claim, and an appeal, 1 to 1,000 each; nothing while nobody has told.
    pub correction_days: Option<i32>,
    pub appeal_days: Option<i32>,
    /// It pays only with a referral.
    pub needs_referral: bool,
    pub telephone: String,
    pub address: String,
}

/// Checks a payer's particulars; `at` names the field of the form or the file.
pub fn read(p: PayerEntry, faults: &mut Faults, at: impl Fn(&str) -> String) -> PayerEntry {
    let filing_code = p.filing_code.trim().to_uppercase();
    if filing_code.len() != 2 || !filing_code.bytes().all(|b| b.is_ascii_alphanumeric()) {
        faults.add(&at("filingCode"), "Has two letters or digits, such as CI.");
    } else if p.employment != (filing_code == "WC") {
        faults.add(&at("filingCode"), "A payer for accidents at work has the code WC, and no other has it.");
    }
    for (field, days) in
        [("filingDays", p.filing_days), ("correctionDays", p.correction_days), ("appealDays", p.appeal_days)]
    {
        if days.is_some_and(|d| !(1..=1000).contains(&d)) {
            faults.add(&at(field), "Has 1 to 1,000 days, or is left out.");
        }
    }
    let number = faults.line(&at("payerCode"), "Number", &p.number, 15).to_uppercase();
    // NM109 is an element of the file: it holds no sign that parts elements.
    if !number.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'-') {
        faults.add(&at("payerCode"), "A payer's number has letters and digits.");
    }
    PayerEntry {
        name: faults.line(&at("name"), "Name", &p.name, 60),
        number,
        filing_code,
        employment: p.employment,
        filing_days: p.filing_days,
        correction_days: p.correction_days,
        appeal_days: p.appeal_days,
        needs_referral: p.needs_referral,
        telephone: faults.optional_line(&at("telephone"), "Telephone", &p.telephone, 20),
        address: faults.optional_line(&at("address"), "Address", &p.address, 120),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_payer_is_what_claims_can_go_by() {
        let sound = || PayerEntry {
            name: "Saltmarsh".into(),
            number: "saltm".into(),
            filing_code: "ci".into(),
            filing_days: Some(90),
            ..PayerEntry::default()
        };
        let found = |p: PayerEntry| {
            let mut faults = Faults::default();
            let read = read(p, &mut faults, str::to_owned);
            (read, faults.0.into_iter().map(|f| f.field).collect::<Vec<_>>())
        };
        let (read, faults) = found(sound());
        assert_eq!((read.number.as_str(), read.filing_code.as_str(), faults.len()), ("SALTM", "CI", 0));
        for (wrong, field) in [
            (PayerEntry { name: " ".into(), ..sound() }, "name"),
            (PayerEntry { number: "A*B".into(), ..sound() }, "payerCode"),
            (PayerEntry { filing_code: "C".into(), ..sound() }, "filingCode"),
            (PayerEntry { employment: true, ..sound() }, "filingCode"),
            (PayerEntry { filing_code: "WC".into(), ..sound() }, "filingCode"),
            (PayerEntry { filing_days: Some(0), ..sound() }, "filingDays"),
            (PayerEntry { filing_days: Some(1001), ..sound() }, "filingDays"),
        ] {
            assert_eq!(found(wrong).1, [field]);
        }
    }
}
