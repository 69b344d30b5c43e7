//! Charges: the suggested visit level, and the claim check that runs while the chart is open.

use crate::claims::{MOST_DIAGNOSES, TOO_MANY_DIAGNOSES};
use crate::consult::diagnoses::DiagnosisIndex;
use crate::money::Cents;
use crate::people::Sex;
use crate::schedule::VisitKind;
use chrono::NaiveDate;

/// How much a visit took, from what its note and orders show.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct VisitEffort {
    pub new_patient: bool,
    pub minutes: Option<u32>,
    pub problems: u32,
    pub tests_ordered: u32,
    pub prescriptions: u32,
}

/// A level from 2 (brief) to 5 (most complex), with its reasons.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LevelSuggestion {
    pub level: u8,
    pub reasons: Vec<String>,
}

/// Suggests the level by time when it was recorded, and otherwise by two of three: problems, what was
/// ordered or reviewed, and risk of the treatment. The higher of time and complexity counts.
pub fn suggest_level(effort: &VisitEffort) -> LevelSuggestion {
    let problems = match effort.problems {
        0 | 1 => 2,
        2 => 3,
        3 | 4 => 4,
        _ => 5,
    };
    let data = match effort.tests_ordered {
        0 => 2,
        1 => 3,
        2..=4 => 4,
        _ => 5,
    };
    let risk = if effort.prescriptions > 0 { 4 } else { 2 };
    let mut three = [problems, data, risk];
    three.sort_unstable();
    let complexity = three[1];
    let mut reasons = vec![format!(
        "{} problem(s), {} test(s) ordered, {} prescription(s): level {complexity} by complexity.",
        effort.problems, effort.tests_ordered, effort.prescriptions
    )];
    let by_time = effort.minutes.map(|minutes| {
        let steps: [u32; 3] = if effort.new_patient { [30, 45, 60] } else { [20, 30, 40] };
        2 + steps.iter().filter(|s| minutes >= **s).count() as u8
    });
    if let (Some(level), Some(minutes)) = (by_time, effort.minutes) {
        reasons.push(format!("{minutes} minutes: level {level} by time."));
    }
    LevelSuggestion { level: complexity.max(by_time.unwrap_or(0)), reasons }
}

/// A charge line as the check sees it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChargeLine {
    pub number: u32,
    pub service: String,
    /// The external code; empty when the catalogue has none.
    pub code: String,
    pub modifiers: Vec<String>,
    pub units: u32,
    /// The price of one unit; nothing when no fee schedule in force has one.
    pub price: Option<Cents>,
    pub pointers: Vec<u8>,
}

impl ChargeLine {
    pub fn fee(&self) -> Option<Cents> {
        self.price.and_then(|p| p.times(self.units))
    }
}

/// The fees of the lines as they are charged, by line number: price times units.
///
/// Refused when a line has no price, or a fee leaves the range of money.
pub fn fees(lines: &[ChargeLine]) -> Result<Vec<(u32, Cents)>, String> {
    lines
        .iter()
        .map(|line| {
            let Some(_) = line.price else { return Err(format!("Line {}: {} has no fee.", line.number, line.service)) };
            let fee = line.fee().ok_or_else(|| format!("Line {}: the fee is too large.", line.number))?;
            Ok((line.number, fee))
        })
        .collect()
}

/// The day from which a new price holds. The first price of a service holds wherever one was missing,
/// so also for visits of earlier days; a later one from its own day on.
pub fn price_holds_from(first: bool, set_on: NaiveDate) -> NaiveDate {
    if first { NaiveDate::from_ymd_opt(2000, 1, 1).unwrap_or(set_on).min(set_on) } else { set_on }
}

/// The policy that a claim goes to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PolicyOnClaim {
    pub payer: String,
    pub subscriber_number: String,
    pub in_force: bool,
    /// The payer pays only for accidents at work.
    pub employment: bool,
    pub holder_birth_date: bool,
    pub holder_address: bool,
}

/// Where the service took place, as the claim tells it (place of service codes of the Centers for Medicare & Medicaid
/// Services, X12 CLM05-1): the site's own code for whoever came, 12 for a visit at home, 10 for one by telephone or video,
/// during which the patient is taken to be at home. An administrative entry has none, since nothing is claimed for it.
pub fn place_of_service(kind: VisitKind, site: &str) -> Option<&str> {
    match kind {
        VisitKind::InPerson => Some(site),
        VisitKind::Home => Some("12"),
        VisitKind::Phone | VisitKind::Video => Some("10"),
        VisitKind::Administrative => None,
    }
}

/// What a claim check looks at.
#[derive(Debug, Clone)]
pub struct ClaimCandidate<'a> {
    pub service_date: NaiveDate,
    pub birth_date: Option<NaiveDate>,
    pub sex: Option<Sex>,
    pub has_address: bool,
    /// Nothing for self-pay, whose charges are not claimed.
    pub policy: Option<PolicyOnClaim>,
    pub self_pay: bool,
    pub diagnoses: Vec<String>,
    pub lines: Vec<ChargeLine>,
    pub rendering_npi: Option<&'a str>,
    pub accident_date: Option<NaiveDate>,
}

/// One thing that a payer would refuse.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ClaimFault {
    pub code: &'static str,
    pub sentence: String,
    /// The charge line at fault.
    pub line: Option<u32>,
}

impl ClaimFault {
    /// Whether the sentence names a diagnosis.
    pub fn tells_of_chart(&self) -> bool {
        self.code == "diagnosis"
    }
}

/// The outcome: how many checks ran, by name, and what they found.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ClaimCheck {
    pub checks: Vec<&'static str>,
    pub faults: Vec<ClaimFault>,
}

impl ClaimCheck {
    pub fn is_ready(&self) -> bool {
        self.faults.is_empty()
    }
}

impl ClaimCheck {
    /// Whether a charge line is all that is missing: then the suggested level alone completes the charges.
    pub fn lacks_only_lines(&self) -> bool {
        !self.faults.is_empty() && self.faults.iter().all(|f| f.code == "no_lines")
    }
}

/// Checks a claim before it exists, so that everything is told while it can still be put right.
pub fn check_claim(c: &ClaimCandidate, index: &DiagnosisIndex) -> ClaimCheck {
    let mut out = ClaimCheck::default();
    let mut check = |name: &'static str, faults: Vec<(&'static str, String, Option<u32>)>| {
        out.checks.push(name);
        out.faults.extend(faults.into_iter().map(|(code, sentence, line)| ClaimFault { code, sentence, line }));
    };
    let when = |bad: bool, code: &'static str, sentence: &str| {
        if bad { vec![(code, sentence.to_owned(), None)] } else { vec![] }
    };
    let insured = c.policy.as_ref();

    check("birth date", when(c.birth_date.is_none(), "birth_date", "The patient's birth date is missing."));
    check(
        "birth date before the visit",
        when(c.birth_date.is_some_and(|b| b > c.service_date), "birth_after", "The patient was born after the visit."),
    );
    check("sex", when(c.sex.is_none(), "sex", "The patient's sex is missing."));
    check("address", when(insured.is_some() && !c.has_address, "address", "The patient's address is missing."));
    check(
        "payer",
        when(
            insured.is_none() && !c.self_pay,
            "no_policy",
            "There is no policy for the date of the visit, and self-pay is not recorded.",
        ),
    );
    check(
        "policy in force",
        when(
            insured.is_some_and(|p| !p.in_force),
            "policy_ended",
            "The policy is not in force on the date of the visit.",
        ),
    );
    check(
        "subscriber number",
        when(
            insured.is_some_and(|p| p.subscriber_number.is_empty()),
            "subscriber_number",
            "The policy has no subscriber number.",
        ),
    );
    check(
        "policyholder",
        when(
            insured.is_some_and(|p| !p.holder_birth_date),
            "holder_birth",
            "The policyholder's birth date is missing.",
        ),
    );
    check(
        "policyholder's address",
        when(insured.is_some_and(|p| !p.holder_address), "holder_address", "The policyholder's address is missing."),
    );
    check(
        "accident date",
        when(
            insured.is_some_and(|p| p.employment) && c.accident_date.is_none(),
            "accident_date",
            "An accident at work needs the date of the accident.",
        ),
    );
    check(
        "accident before the visit",
        when(
            c.accident_date.is_some_and(|a| a > c.service_date),
            "accident_after",
            "The accident lies after the visit.",
        ),
    );
    check(
        "clinician's provider number",
        when(
            c.rendering_npi.is_none_or(|n| crate::fields::identifiers::Npi::parse(n).is_err()),
            "npi",
            "The clinician has no valid provider number.",
        ),
    );
    check("charges", when(c.lines.is_empty(), "no_lines", "There is no charge line."));
    check("number of lines", when(c.lines.len() > 50, "too_many_lines", "A claim holds at most 50 lines."));
    check("diagnoses", when(c.diagnoses.is_empty(), "no_diagnosis", "There is no diagnosis."));
    check("number of diagnoses", when(c.diagnoses.len() > MOST_DIAGNOSES, "too_many_diagnoses", TOO_MANY_DIAGNOSES));
    let findings = index.check_together(&c.diagnoses);
    check(
        "diagnosis codes",
        findings.iter().filter(|f| f.stops_billing).map(|f| ("diagnosis", f.sentence.clone(), None)).collect(),
    );

    let per_line =
        |test: &dyn Fn(&ChargeLine) -> Option<(&'static str, String)>| -> Vec<(&'static str, String, Option<u32>)> {
            c.lines.iter().filter_map(|l| test(l).map(|(code, s)| (code, s, Some(l.number)))).collect()
        };
    check(
        "service codes",
        per_line(&|l| {
            (insured.is_some() && l.code.is_empty())
                .then(|| ("service_code", format!("Line {}: {} has no external code.", l.number, l.service)))
        }),
    );
    check(
        "fees",
        per_line(&|l| match l.price {
            None => {
                Some(("no_fee", format!("Line {} has no fee: {} is not in the fee schedule.", l.number, l.service)))
            }
            Some(p) if !p.is_positive() => Some(("zero_fee", format!("Line {} has a fee of zero.", l.number))),
            Some(_) if l.fee().is_none() => {
                Some(("fee_too_large", format!("Line {}: units times price is too large.", l.number)))
            }
            Some(_) => None,
        }),
    );
    check(
        "units",
        per_line(&|l| {
            (l.units == 0 || l.units > 999).then(|| ("units", format!("Line {}: units must be 1 to 999.", l.number)))
        }),
    );
    check(
        "modifiers",
        per_line(&|l| {
            let wrong = l.modifiers.len() > 4
                || l.modifiers.iter().any(|m| m.len() != 2 || !m.bytes().all(|b| b.is_ascii_alphanumeric()));
            wrong.then(|| ("modifiers", format!("Line {}: up to four modifiers of two letters or digits.", l.number)))
        }),
    );
    check(
        "diagnosis pointers",
        per_line(&|l| {
            if l.pointers.is_empty() {
                return Some(("no_pointer", format!("Line {} points at no diagnosis.", l.number)));
            }
            if l.pointers.len() > 4 {
                return Some(("too_many_pointers", format!("Line {} points at more than four diagnoses.", l.number)));
            }
            let wrong = l.pointers.iter().find(|p| **p == 0 || usize::from(**p) > c.diagnoses.len())?;
            Some(("pointer", format!("Line {} points at diagnosis {wrong}, which is not there.", l.number)))
        }),
    );
    check(
        "same diagnosis pointed at twice",
        per_line(&|l| {
            let twice = l.pointers.iter().enumerate().any(|(i, p)| l.pointers[..i].contains(p));
            twice.then(|| ("pointer_twice", format!("Line {} points at one diagnosis twice.", l.number)))
        }),
    );
    check(
        "duplicate services",
        c.lines
            .iter()
            .enumerate()
            .filter(|(i, l)| {
                !l.code.is_empty() && c.lines[..*i].iter().any(|e| e.code == l.code && e.modifiers == l.modifiers)
            })
            .map(|(_, l)| {
                (
                    "duplicate",
                    format!("Line {} repeats {}; raise the units or add a modifier.", l.number, l.service),
                    Some(l.number),
                )
            })
            .collect(),
    );
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::consult::diagnoses::{CodeEntry, DiagnosisIndex};

    fn index() -> DiagnosisIndex {
        DiagnosisIndex::new(vec![
            CodeEntry { code: "R05".into(), title: "Cough".into(), leaf: false, ..Default::default() },
            CodeEntry {
                code: "R05.3".into(),
                title: "Chronic cough".into(),
                leaf: true,
                parent: Some("R05".into()),
                ..Default::default()
            },
        ])
    }

    fn sound<'a>() -> ClaimCandidate<'a> {
        let day = NaiveDate::from_ymd_opt(2026, 11, 23).unwrap();
        ClaimCandidate {
            service_date: day,
            birth_date: NaiveDate::from_ymd_opt(1990, 1, 1),
            sex: Some(Sex::Female),
            has_address: true,
            policy: Some(PolicyOnClaim {
                payer: "Saltmarsh".into(),
                subscriber_number: "SM1".into(),
                in_force: true,
                employment: false,
                holder_birth_date: true,
                holder_address: true,
            }),
            self_pay: false,
            diagnoses: vec!["R05.3".into()],
            lines: vec![ChargeLine {
                number: 1,
                service: "Visit".into(),
                code: "IH213".into(),
                modifiers: vec![],
                units: 1,
                price: Some(Cents::new(15_000)),
                pointers: vec![1],
            }],
            rendering_npi: Some("1234567893"),
            accident_date: None,
        }
    }

    fn found(c: &ClaimCandidate) -> Vec<&'static str> {
        check_claim(c, &index()).faults.iter().map(|f| f.code).collect()
    }

    #[test]
    fn only_a_missing_line_may_be_filled_with_the_suggested_level() {
        let fault = |code| ClaimFault { code, sentence: String::new(), line: None };
        let lacks = |faults: Vec<ClaimFault>| ClaimCheck { faults, ..ClaimCheck::default() }.lacks_only_lines();
        assert!(lacks(vec![fault("no_lines")]));
        assert!(!lacks(vec![fault("no_lines"), fault("diagnosis")]), "something else is in the way");
        assert!(!lacks(vec![]), "nothing is missing");
    }

    #[test]
    fn fees_are_price_times_units_or_a_refusal_that_names_the_line() {
        let line = |number, units, price| ChargeLine {
            number,
            service: "Visit".into(),
            code: "IH214".into(),
            modifiers: vec![],
            units,
            price,
            pointers: vec![1],
        };
        let two = [line(1, 1, Some(Cents::new(19_500))), line(2, 3, Some(Cents::new(1_250)))];
        assert_eq!(fees(&two), Ok(vec![(1, Cents::new(19_500)), (2, Cents::new(3_750))]));
        assert_eq!(fees(&[line(1, 1, None)]), Err("Line 1: Visit has no fee.".to_owned()));
        let huge = fees(&[line(4, u32::MAX, Some(Cents::new(i64::MAX / 2)))]);
        assert_eq!(huge, Err("Line 4: the fee is too large.".to_owned()));
    }

    #[test]
    fn only_the_first_price_reaches_back() {
        let day = |y, m, d| NaiveDate::from_ymd_opt(y, m, d).unwrap();
        assert_eq!(price_holds_from(true, day(2026, 11, 23)), day(2000, 1, 1));
        assert_eq!(price_holds_from(false, day(2026, 11, 23)), day(2026, 11, 23));
        assert_eq!(price_holds_from(true, day(1999, 1, 1)), day(1999, 1, 1), "never later than asked");
    }

    #[test]
    fn a_sound_claim_passes_every_check_and_says_how_many() {
        let check = check_claim(&sound(), &index());
        assert_eq!(check.faults, []);
        assert!(check.checks.len() >= 20, "{}", check.checks.len());
    }

    #[test]
    fn every_fault_is_told() {
        assert_eq!(found(&ClaimCandidate { policy: None, ..sound() }), ["no_policy"]);
        assert_eq!(found(&ClaimCandidate { policy: None, self_pay: true, ..sound() }), [""; 0]);
        assert_eq!(found(&ClaimCandidate { diagnoses: vec!["R05".into()], ..sound() }), ["diagnosis"]);
        assert_eq!(found(&ClaimCandidate { diagnoses: vec![], ..sound() }), ["no_diagnosis", "pointer"]);
        assert_eq!(found(&ClaimCandidate { rendering_npi: Some("1234567890"), ..sound() }), ["npi"]);
        assert_eq!(found(&ClaimCandidate { birth_date: None, sex: None, ..sound() }), ["birth_date", "sex"]);
        let mut c = sound();
        c.policy.as_mut().unwrap().employment = true;
        assert_eq!(found(&c), ["accident_date"]);
        c.accident_date = NaiveDate::from_ymd_opt(2026, 12, 1);
        assert_eq!(found(&c), ["accident_after"]);
        let line = |f: &dyn Fn(&mut ChargeLine)| {
            let mut c = sound();
            f(&mut c.lines[0]);
            found(&c)
        };
        assert_eq!(line(&|l| l.price = None), ["no_fee"]);
        assert_eq!(line(&|l| l.price = Some(Cents::ZERO)), ["zero_fee"]);
        assert_eq!(line(&|l| l.units = 0), ["units"]);
        assert_eq!(line(&|l| l.pointers = vec![]), ["no_pointer"]);
        assert_eq!(line(&|l| l.pointers = vec![1, 1]), ["pointer_twice"]);
        assert_eq!(line(&|l| l.modifiers = vec!["2".into()]), ["modifiers"]);
        let mut c = sound();
        c.lines.push(ChargeLine { number: 2, ..c.lines[0].clone() });
        assert_eq!(found(&c), ["duplicate"]);
    }

    #[test]
    fn levels_by_time_or_complexity() {
        let level = |e: VisitEffort| suggest_level(&e).level;
        assert_eq!(level(VisitEffort { problems: 1, ..Default::default() }), 2);
        assert_eq!(level(VisitEffort { problems: 2, tests_ordered: 2, prescriptions: 1, ..Default::default() }), 4);
        assert_eq!(level(VisitEffort { problems: 1, minutes: Some(41), ..Default::default() }), 5);
        assert_eq!(level(VisitEffort { problems: 1, minutes: Some(41), new_patient: true, ..Default::default() }), 3);
    }

    #[test]
    fn the_place_of_service_follows_the_visit_and_its_site() {
        assert_eq!(place_of_service(VisitKind::InPerson, "11"), Some("11"));
        assert_eq!(place_of_service(VisitKind::InPerson, "20"), Some("20"), "an urgent-care site");
        assert_eq!(place_of_service(VisitKind::Home, "11"), Some("12"));
        assert_eq!(place_of_service(VisitKind::Video, "11"), Some("10"));
        assert_eq!(place_of_service(VisitKind::Administrative, "11"), None);
    }
}
