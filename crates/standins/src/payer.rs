//! The payers: what they know of a subscriber and how they decide a claim.
//!
//! | subscriber number ends in | benefits | claim |
//! |---|---|---|
//! | 91 | inactive | denied: policy ended (27) |
//! | 92 | subscriber unknown (75) | rejected by 277CA: subscriber number (164) |
//! | 93 | birth date refused (71) | decided |
//! | 94 | name refused (73) | decided |
//! | 95 | plan ended last month | denied: policy ended (27) |
//! | 98 | of a dependent: the patient is not on the policy (2100D, 67) | decided |
//! | 99 | of a dependent: birth date refused (2100D, 71) | decided |
//! | 82 | in force; vaccines and procedures are not covered | decided |
//! | 85 | two plans in force under the number, and another payer is known | decided |
//! | 96 | cannot answer now (42) | decided |
//! | 97 | nonsense instead of an answer | decided |
//! | 81 | in force | denied: came too late (29) |
//! | 83 | in force | paid, then taken back when released |
//! | 84 | in force | paid under a claim number that nobody knows |
//! | any other | in force | decided by the plan below |
//!
//! A claim that replaces another takes its decision back and decides anew, in one remittance; one that voids it only takes it
//! back. What is then too much is kept off a later payment (PLB FB).
//!
//! | payer | plan |
//! |---|---|
//! | SALTM | allows 65 %; copay 25.00, then 20 % of the rest |
//! | BEACN | allows 75 %; all of it is the patient's deductible |
//! | COMWC | allows 55 % and pays it |
//! | FERRY | allows 90 % and pays it; a claim without accident date is rejected (251) |

use chrono::{Datelike, Duration, NaiveDate};
use harbor_core::claims::{AddressOnClaim, Claim, ClaimLine};
use harbor_core::coverage::{BenefitAnswer, BenefitQuestion, Refusal};
use harbor_core::money::Cents;
use harbor_core::money::remittance::{Adjustment, AdjustmentGroup, RemittedClaim, RemittedLine};
use harbor_formats::x12::claim_status::ClaimStatus;
use harbor_formats::x12::remittance::PayerDesk;

/// The last two characters of a subscriber number.
pub fn ending(subscriber: &str) -> &str {
    subscriber.get(subscriber.len().saturating_sub(2)..).unwrap_or("")
}

/// The answer to a benefits question.
pub fn benefits(q: &BenefitQuestion, today: NaiveDate) -> BenefitAnswer {
    let refused = |place: &str, reason: &str| BenefitAnswer {
        trace: q.trace.clone(),
        payer_name: q.payer_name.clone(),
        refusals: vec![Refusal { place: place.into(), reason: reason.into(), follow_up: "C".into() }],
        ..BenefitAnswer::default()
    };
    match ending(&q.subscriber.subscriber_number) {
        "92" => return refused("2100C", "75"),
        "93" => return refused("2100C", "71"),
        "94" => return refused("2100C", "73"),
        "96" => return refused("2100A", "42"),
        "98" if q.dependent.is_some() => return refused("2100D", "67"),
        "99" if q.dependent.is_some() => return refused("2100D", "71"),
        _ => {}
    }
    let mut a = BenefitAnswer {
        trace: q.trace.clone(),
        payer_name: q.payer_name.clone(),
        active: Some(true),
        plan_begins: NaiveDate::from_ymd_opt(today.year(), 1, 1),
        ..BenefitAnswer::default()
    };
    match q.payer_id.as_str() {
        "SALTM" => {
            a.plan_name = "PPO".into();
            a.copay = Some(Cents::new(2500));
            a.coinsurance = Some(2000);
            a.deductible = Some(Cents::new(50_000));
            // Met: what this payer decides takes no deductible either.
            a.deductible_left = Some(Cents::ZERO);
            a.out_of_pocket = Some(Cents::new(300_000));
            a.out_of_pocket_left = Some(Cents::new(212_500));
        }
        "BEACN" => {
            a.plan_name = "High deductible".into();
            a.coinsurance = Some(0);
            a.deductible = Some(Cents::new(250_000));
            a.deductible_left = Some(Cents::new(164_000));
        }
        "FERRY" => a.plan_name = "Accident at work".into(),
        _ => a.plan_name = "Public plan".into(),
    }
    match ending(&q.subscriber.subscriber_number) {
        "82" => a.not_covered = vec!["80".into(), "2".into()],
        "85" => a.other_plans = vec![format!("{} SELECT", a.plan_name), "COMMONWEAL CARE".into()],
        "91" => a.active = Some(false),
        "95" => {
            a.active = Some(false);
            a.plan_ends = Some(today - Duration::days(30));
        }
        _ => {}
    }
    a
}

/// What the clearing house says of a claim before the payer decides.
pub fn status(claim: &Claim) -> ClaimStatus {
    let employment = claim.payer_id == "FERRY";
    let (category, code) = match ending(&claim.subscriber_number) {
        "92" => ("A7", "164"),
        _ if employment && claim.accident.is_none() => ("A7", "251"),
        _ => ("A2", "20"),
    };
    let person = &claim.patient;
    ClaimStatus {
        claim_number: claim.number.clone(),
        statuses: vec![(category.into(), code.into(), "PR".into())],
        payer_claim_number: if category == "A2" { payer_number(claim) } else { String::new() },
        patient_last: person.last.clone(),
        patient_first: person.first.clone(),
        subscriber_number: claim.subscriber_number.clone(),
        charged: claim.total(),
        service_date: claim.lines.first().map(|l| l.service_date),
        lines: vec![],
    }
}

fn payer_number(claim: &Claim) -> String {
    format!("{}{}", claim.payer_id, claim.number)
}

pub fn is_accepted(status: &ClaimStatus) -> bool {
    status.statuses.iter().all(|(category, ..)| category == "A2")
}

fn adjustment(group: AdjustmentGroup, reason: &str, amount: Cents) -> Option<Adjustment> {
    (!amount.is_zero()).then(|| Adjustment { group, reason: reason.into(), amount, quantity: None })
}

/// Where a payer's remittances come from.
pub fn desk(payer: &str) -> PayerDesk {
    let nth = ["SALTM", "BEACN", "COMWC", "FERRY"].iter().position(|p| *p == payer).map_or(9, |n| n + 1);
    PayerDesk {
        company: format!("199000010{nth}"),
        address: AddressOnClaim {
            line: format!("{nth} EXCHANGE STREET"),
            line2: String::new(),
            city: "MARROW FERRY".into(),
            state: "ME".into(),
            postal_code: "049990001".into(),
        },
        telephone: "2075550190".into(),
    }
}

/// The payer's decision.
pub fn decide(claim: &Claim) -> RemittedClaim {
    let person = &claim.patient;
    let refusal = match ending(&claim.subscriber_number) {
        "91" | "95" => Some("27"),
        "81" => Some("29"),
        _ => None,
    };
    let mut copay_left = if claim.payer_id == "SALTM" { Cents::new(2500) } else { Cents::ZERO };
    let lines: Vec<RemittedLine> =
        claim.lines.iter().map(|l| decide_line(claim, l, refusal, &mut copay_left)).collect();
    let share = |l: &RemittedLine| -> Cents {
        l.adjustments.iter().filter(|a| a.group == AdjustmentGroup::PatientResponsibility).map(|a| a.amount).sum()
    };
    RemittedClaim {
        claim_number: if ending(&claim.subscriber_number) == "84" {
            format!("X{}", claim.number).into()
        } else {
            claim.number.as_str().into()
        },
        status: if refusal.is_some() { "4".into() } else { "1".into() },
        charged: claim.total(),
        paid: lines.iter().map(|l| l.paid).sum(),
        patient_share: lines.iter().map(share).sum(),
        filing_code: "12".into(),
        payer_claim_number: payer_number(claim).into(),
        patient_last: person.last.as_str().into(),
        patient_first: person.first.as_str().into(),
        subscriber_number: claim.subscriber_number.as_str().into(),
        adjustments: vec![],
        lines,
        // Of what is refused it says that one may ask for another look.
        remarks: refusal.map(|_| "MA01".to_owned()).into_iter().collect(),
    }
}

fn decide_line(claim: &Claim, line: &ClaimLine, refusal: Option<&str>, copay_left: &mut Cents) -> RemittedLine {
    use AdjustmentGroup::{Contractual, PatientResponsibility};
    let base = RemittedLine {
        line_control: line.control.as_str().into(),
        service_code: line.code.as_str().into(),
        modifiers: line.modifiers.clone(),
        charged: line.fee,
        units: line.units.to_string().into(),
        service_date: Some(line.service_date),
        ..RemittedLine::default()
    };
    if let Some(reason) = refusal {
        return RemittedLine { adjustments: adjustment(Contractual, reason, line.fee).into_iter().collect(), ..base };
    }
    let percent = match claim.payer_id.as_str() {
        "SALTM" => 6500,
        "BEACN" => 7500,
        "FERRY" => 9000,
        _ => 5500,
    };
    let allowed = line.fee.share(percent);
    let copay = (*copay_left).min(allowed);
    *copay_left = *copay_left - copay;
    let (deductible, coinsurance) = match claim.payer_id.as_str() {
        "BEACN" => (allowed, Cents::ZERO),
        "SALTM" => (Cents::ZERO, (allowed - copay).share(2000)),
        _ => (Cents::ZERO, Cents::ZERO),
    };
    let adjustments = [
        adjustment(Contractual, "45", line.fee - allowed),
        adjustment(PatientResponsibility, "3", copay),
        adjustment(PatientResponsibility, "1", deductible),
        adjustment(PatientResponsibility, "2", coinsurance),
    ];
    RemittedLine {
        paid: allowed - copay - deductible - coinsurance,
        allowed: Some(allowed),
        adjustments: adjustments.into_iter().flatten().collect(),
        ..base
    }
}

/// The same decision taken back.
pub fn take_back(c: &RemittedClaim) -> RemittedClaim {
    let negative = |a: &Adjustment| Adjustment { amount: -a.amount, ..a.clone() };
    RemittedClaim {
        status: "22".into(),
        charged: -c.charged,
        paid: -c.paid,
        patient_share: -c.patient_share,
        adjustments: c.adjustments.iter().map(negative).collect(),
        lines: c
            .lines
            .iter()
            .map(|l| RemittedLine {
                charged: -l.charged,
                paid: -l.paid,
                allowed: l.allowed.map(|a| -a),
                adjustments: l.adjustments.iter().map(negative).collect(),
                ..l.clone()
            })
            .collect(),
        ..c.clone()
    }
}
