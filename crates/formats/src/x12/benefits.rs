//! 270 benefit questions and 271 answers, 005010X279A1.

use super::claim::amount;
use super::envelope::{Segment, Set};
use super::writer::{Stamp, Writer};
use super::{d8, date};
use crate::Located;
use harbor_core::coverage::share::OFFICE_VISIT;
use harbor_core::coverage::{BenefitAnswer, BenefitQuestion, InsuredPerson, Refusal, Relationship};
use harbor_core::money::Cents;

pub const VERSION: &str = "005010X279A1";

/// Writes one question.
pub fn write_question(stamp: &Stamp, q: &BenefitQuestion) -> String {
    let mut w = Writer::new(stamp, "HS", VERSION);
    w.begin_set("270");
    let (day, time) = (stamp.at.format("%Y%m%d").to_string(), stamp.at.format("%H%M").to_string());
    w.put("BHT", &["0022", "13", &q.trace, &day, &time]);
    w.put("HL", &["1", "", "20", "1"]);
    w.put("NM1", &["PR", "2", &q.payer_name, "", "", "", "", "PI", &q.payer_id]);
    w.put("HL", &["2", "1", "21", "1"]);
    w.put("NM1", &["1P", "2", &q.provider_name, "", "", "", "", "XX", &q.provider_npi]);
    w.put("HL", &["3", "2", "22", if q.dependent.is_some() { "1" } else { "0" }]);
    if q.dependent.is_none() {
        w.put("TRN", &["1", &q.trace, "9INDIGOHBR"]);
    }
    put_person(&mut w, "IL", &q.subscriber, None);
    if let Some((person, relationship)) = &q.dependent {
        w.put("HL", &["4", "3", "23", "0"]);
        w.put("TRN", &["1", &q.trace, "9INDIGOHBR"]);
        put_person(&mut w, "03", person, Some(*relationship));
    }
    w.put("DTP", &["291", "D8", &d8(q.service_date)]);
    w.put("EQ", &["30"]);
    w.end_set();
    w.finish()
}

fn put_person(w: &mut Writer, code: &str, p: &InsuredPerson, relationship: Option<Relationship>) {
    let qualifier = if p.subscriber_number.is_empty() { "" } else { "MI" };
    w.put("NM1", &[code, "1", &p.last, &p.first, "", "", "", qualifier, &p.subscriber_number]);
    if !p.group_number.is_empty() {
        w.put("REF", &["6P", &p.group_number]);
    }
    if p.birth_date.is_some() || p.sex.is_some() {
        let birth = p.birth_date.map(d8).unwrap_or_default();
        let qualifier = if birth.is_empty() { "" } else { "D8" };
        w.put("DMG", &[qualifier, &birth, p.sex.as_deref().unwrap_or("")]);
    }
    if let Some(r) = relationship {
        let code = match r {
            Relationship::Spouse => "01",
            Relationship::Child => "19",
            _ => "34",
        };
        w.put("INS", &["N", code]);
    }
}

/// Reads a set 270.
pub fn read_question(set: &Set) -> Result<BenefitQuestion, Located> {
    let mut q = BenefitQuestion {
        trace: String::new(),
        payer_name: String::new(),
        payer_id: String::new(),
        provider_name: String::new(),
        provider_npi: String::new(),
        subscriber: InsuredPerson::default(),
        dependent: None,
        service_date: chrono::NaiveDate::MIN,
    };
    for s in &set.segments {
        match (s.id, s.get(1)) {
            ("BHT", _) => q.trace = s.get(3).into(),
            ("NM1", "PR") => (q.payer_name, q.payer_id) = (s.get(3).into(), s.get(9).into()),
            ("NM1", "1P") => (q.provider_name, q.provider_npi) = (s.get(3).into(), s.get(9).into()),
            ("NM1", "IL") => q.subscriber = insured(s),
            ("NM1", "03") => q.dependent = Some((insured(s), Relationship::Other)),
            ("REF", "6P") => current(&mut q).group_number = s.get(2).into(),
            ("DMG", _) => {
                let birth = match s.get(2) {
                    "" => None,
                    text => Some(date(text).ok_or_else(|| s.wrong(Some(2), "a birth date CCYYMMDD"))?),
                };
                let person = current(&mut q);
                person.birth_date = birth;
                person.sex = Some(s.get(3)).filter(|t| !t.is_empty()).map(str::to_owned);
            }
            ("INS", _) => {
                if let Some((_, relationship)) = &mut q.dependent {
                    *relationship = Relationship::from_code(s.get(2)).unwrap_or(Relationship::Other);
                }
            }
            ("DTP", "291") => q.service_date = date(s.get(3)).ok_or_else(|| s.wrong(Some(3), "a date CCYYMMDD"))?,
            _ => {}
        }
    }
    Ok(q)
}

fn current(q: &mut BenefitQuestion) -> &mut InsuredPerson {
    match &mut q.dependent {
        Some((person, _)) => person,
        None => &mut q.subscriber,
    }
}

fn insured(s: &Segment) -> InsuredPerson {
    InsuredPerson {
        last: s.get(3).into(),
        first: s.get(4).into(),
        subscriber_number: s.get(9).into(),
        ..Default::default()
    }
}

/// Writes one answer to a question.
pub fn write_answer(stamp: &Stamp, q: &BenefitQuestion, a: &BenefitAnswer) -> String {
    let mut w = Writer::new(stamp, "HB", VERSION);
    w.begin_set("271");
    let (day, time) = (stamp.at.format("%Y%m%d").to_string(), stamp.at.format("%H%M").to_string());
    let refuse = |w: &mut Writer, place: &str| {
        for r in a.refusals.iter().filter(|r| r.place == place) {
            w.put("AAA", &["N", "", &r.reason, &r.follow_up]);
        }
    };
    w.put("BHT", &["0022", "11", &a.trace, &day, &time]);
    w.put("HL", &["1", "", "20", "1"]);
    refuse(&mut w, "2000A");
    w.put("NM1", &["PR", "2", &a.payer_name, "", "", "", "", "PI", &q.payer_id]);
    refuse(&mut w, "2100A");
    w.put("HL", &["2", "1", "21", "1"]);
    w.put("NM1", &["1P", "2", &q.provider_name, "", "", "", "", "XX", &q.provider_npi]);
    refuse(&mut w, "2100B");
    w.put("HL", &["3", "2", "22", if q.dependent.is_some() { "1" } else { "0" }]);
    w.put("TRN", &["2", &a.trace, "9INDIGOHBR"]);
    put_person(&mut w, "IL", &q.subscriber, None);
    refuse(&mut w, "2100C");
    if let Some((person, relationship)) = &q.dependent {
        w.put("HL", &["4", "3", "23", "0"]);
        put_person(&mut w, "03", person, Some(*relationship));
        refuse(&mut w, "2100D");
    }
    for (code, day) in [("346", a.plan_begins), ("347", a.plan_ends)] {
        if let Some(day) = day {
            w.put("DTP", &[code, "D8", &d8(day)]);
        }
    }
    if let Some(active) = a.active {
        w.put("EB", &[if active { "1" } else { "6" }, "", "30", "", &a.plan_name]);
    }
    let money = |w: &mut Writer, kind: &str, period: &str, amount: Option<Cents>| {
        if let Some(amount) = amount {
            w.put("EB", &[kind, "IND", "30", "", "", period, &amount.to_x12()]);
        }
    };
    if let Some(copay) = a.copay {
        let service = if a.copay_covers_visit { OFFICE_VISIT } else { "30" };
        w.put("EB", &["B", "IND", service, "", "", "27", &copay.to_x12()]);
    }
    if let Some(rate) = a.coinsurance {
        w.put("EB", &["A", "IND", "30", "", "", "27", "", &fraction(rate)]);
    }
    money(&mut w, "C", "23", a.deductible);
    money(&mut w, "C", "29", a.deductible_left);
    money(&mut w, "G", "23", a.out_of_pocket);
    money(&mut w, "G", "29", a.out_of_pocket_left);
    for kind in &a.not_covered {
        w.put("EB", &["I", "IND", kind]);
    }
    for message in &a.messages {
        w.put("MSG", &[message]);
    }
    for plan in &a.other_plans {
        w.put("EB", &["R", "", "30"]);
        w.put("LS", &["2120"]);
        let number: String = plan.chars().filter(char::is_ascii_alphanumeric).take(12).collect();
        w.put("NM1", &["PRP", "2", plan, "", "", "", "", "PI", &number.to_uppercase()]);
        w.put("LE", &["2120"]);
    }
    w.end_set();
    w.finish()
}

/// Basis points as the decimal that EB08 wants: 2000 is 0.2.
fn fraction(basis_points: u32) -> String {
    let text = format!("{}.{:04}", basis_points / 10_000, basis_points % 10_000);
    text.trim_end_matches('0').trim_end_matches('.').to_owned()
}

fn basis_points(text: &str) -> Option<u32> {
    let value: f64 = text.parse().ok()?;
    (0.0..=1.0).contains(&value).then(|| (value * 10_000.0).round() as u32)
}

/// Reads a set 271.
pub fn read_answer(set: &Set) -> Result<BenefitAnswer, Located> {
    let mut a = BenefitAnswer::default();
    let mut place = "2000A";
    for s in &set.segments {
        match s.id {
            "BHT" => a.trace = s.get(3).into(),
            "HL" => {
                place = match s.get(3) {
                    "20" => "2000A",
                    "21" => "2000B",
                    "22" => "2000C",
                    "23" => "2000D",
                    _ => return Err(s.wrong(Some(3), "level 20, 21, 22 or 23")),
                }
            }
            "NM1" => {
                place = match s.get(1) {
                    "PR" => {
                        a.payer_name = s.get(3).into();
                        "2100A"
                    }
                    "1P" => "2100B",
                    "IL" => "2100C",
                    "03" => "2100D",
                    // Loop 2120: who else pays.
                    "PR1" | "PRP" | "SEP" | "TTP" => {
                        a.other_plans.push(s.get(3).into());
                        place
                    }
                    _ => place,
                }
            }
            "AAA" => {
                a.refusals.push(Refusal { place: place.into(), reason: s.get(3).into(), follow_up: s.get(4).into() })
            }
            "DTP" => {
                let day = || date(s.get(3)).ok_or_else(|| s.wrong(Some(3), "a date CCYYMMDD"));
                match s.get(1) {
                    "346" => a.plan_begins = Some(day()?),
                    "347" => a.plan_ends = Some(day()?),
                    _ => {}
                }
            }
            "EB" => benefit(&mut a, s, set.repetition)?,
            "MSG" => a.messages.push(s.get(1).into()),
            _ => {}
        }
    }
    Ok(a)
}

/// Benefits of the plan (service type 30 or none) and of the visit (98) count, and of any type that it is not
/// covered; others are kept as they are by the file itself. When several plans are in force under one number
/// the first counts and the others are told.
fn benefit(a: &mut BenefitAnswer, s: &Segment, repetition: char) -> Result<(), Located> {
    // EB03 repeats: one segment may name several service types.
    let kinds: Vec<&str> = s.get(3).split(repetition).filter(|k| !k.is_empty()).collect();
    if s.get(1) == "I" {
        a.not_covered.extend(kinds.iter().map(|k| (*k).to_owned()));
        return Ok(());
    }
    let visit = kinds.contains(&OFFICE_VISIT) && !kinds.contains(&"30");
    if !(kinds.is_empty() || kinds.contains(&"30") || visit) {
        return Ok(());
    }
    let plan = s.get(5);
    if a.active == Some(true) && !plan.is_empty() && plan != a.plan_name {
        if matches!(s.get(1), "1" | "2" | "3" | "4" | "5") {
            a.other_plans.push(plan.into());
        }
        return Ok(());
    }
    let left = s.get(6) == "29";
    match s.get(1) {
        "1" | "2" | "3" | "4" | "5" => {
            a.active = Some(true);
            a.plan_name = plan.into();
        }
        "6" | "7" | "8" => {
            a.active = Some(false);
            a.plan_name = plan.into();
        }
        "A" => a.coinsurance = Some(basis_points(s.get(8)).ok_or_else(|| s.wrong(Some(8), "a share between 0 and 1"))?),
        "B" if visit || a.copay.is_none() => {
            a.copay = Some(amount(s, 7)?);
            a.copay_covers_visit = visit;
        }
        "C" if left => a.deductible_left = Some(amount(s, 7)?),
        "C" => a.deductible = Some(amount(s, 7)?),
        "G" if left => a.out_of_pocket_left = Some(amount(s, 7)?),
        "G" => a.out_of_pocket = Some(amount(s, 7)?),
        _ => {}
    }
    Ok(())
}
