//! Every row of the payers' table.

use chrono::NaiveDate;
use harbor_core::claims::{AddressOnClaim, Claim, ClaimLine, PersonOnClaim, ProviderOnClaim};
use harbor_core::coverage::{BenefitQuestion, InsuredPerson, Rank, Relationship};
use harbor_core::money::Cents;
use harbor_core::money::remittance::{ProviderAdjustment, Remittance, RemittedClaim};
use harbor_standins::payer::{benefits, decide, is_accepted, status, take_back};

fn day() -> NaiveDate {
    NaiveDate::from_ymd_opt(2026, 11, 23).unwrap()
}

fn question(payer: &str, subscriber: &str) -> BenefitQuestion {
    BenefitQuestion {
        trace: "BQ1".into(),
        payer_name: "PAYER".into(),
        payer_id: payer.into(),
        provider_name: String::new(),
        provider_npi: String::new(),
        subscriber: InsuredPerson { subscriber_number: subscriber.into(), ..InsuredPerson::default() },
        dependent: None,
        service_date: day(),
    }
}

pub fn claim(payer: &str, subscriber: &str) -> Claim {
    let person = PersonOnClaim {
        last: "QUARRIE".into(),
        first: "INES".into(),
        middle: String::new(),
        birth_date: day(),
        sex: "F".into(),
        address: AddressOnClaim::default(),
    };
    let line = |n: i64, fee: i64| ClaimLine {
        control: format!("C1-{n}"),
        code: "IH214".into(),
        modifiers: vec![],
        fee: Cents::new(fee),
        units: 1,
        place: None,
        pointers: vec![1],
        service_date: day(),
        decided: vec![],
    };
    Claim {
        number: "C1".into(),
        payer_name: "PAYER".into(),
        payer_id: payer.into(),
        filing_code: "CI".into(),
        rank: Rank::First,
        subscriber_number: subscriber.into(),
        group_number: String::new(),
        patient: person,
        subscriber: None,
        relationship: Relationship::SelfHolder,
        place_of_service: "11".into(),
        frequency: "1".into(),
        original_reference: None,
        accident: None,
        onset: None,
        last_seen: None,
        attachments: vec![],
        patient_paid: Cents::ZERO,
        prior_authorisation: None,
        referral: None,
        diagnoses: vec!["I10".into()],
        rendering: ProviderOnClaim::default(),
        referring: None,
        supervising: None,
        facility: None,
        others: vec![],
        lines: vec![line(1, 19_500), line(2, 1_805)],
    }
}

#[test]
fn benefits_by_the_ending_of_the_number() {
    let reason = |n: &str| benefits(&question("SALTM", n), day()).refusals.first().map(|r| r.reason.clone());
    for (ending, wanted) in [("92", "75"), ("93", "71"), ("94", "73"), ("96", "42")] {
        assert_eq!(reason(&format!("SM5{ending}")).as_deref(), Some(wanted), "{ending}");
    }
    assert_eq!(reason("SM510"), None);
    assert_eq!(benefits(&question("SALTM", "SM591"), day()).active, Some(false));
    assert!(benefits(&question("SALTM", "SM595"), day()).plan_ends.is_some_and(|d| d < day()));
    assert_eq!(benefits(&question("SALTM", "SM510"), day()).copay, Some(Cents::new(2500)));
    assert_eq!(benefits(&question("SALTM", "SM582"), day()).not_covered, ["80", "2"]);
    assert_eq!(benefits(&question("SALTM", "SM585"), day()).other_plans, ["PPO SELECT", "COMMONWEAL CARE"]);
    let mut of_child = question("SALTM", "SM598");
    assert!(benefits(&of_child, day()).refusals.is_empty(), "a policyholder is on the own policy");
    of_child.dependent = Some((InsuredPerson::default(), Relationship::Child));
    let refusal = benefits(&of_child, day()).refusals.remove(0);
    assert_eq!((refusal.place.as_str(), refusal.reason.as_str()), ("2100D", "67"));
    assert_eq!(benefits(&question("BEACN", "BS510"), day()).deductible, Some(Cents::new(250_000)));
    assert_eq!(
        benefits(&question("COMWC", "é"), day()).active,
        Some(true),
        "a number cut inside a letter is no matter"
    );
}

fn balanced(c: RemittedClaim, outside: Vec<ProviderAdjustment>) {
    let kept: Cents = outside.iter().map(|p| p.amount).sum();
    let r = Remittance {
        payer_name: String::new(),
        payer_id: String::new(),
        payee_name: String::new(),
        payee_npi: String::new(),
        trace: "T".into(),
        method: "ACH".into(),
        date: day(),
        amount: c.paid - kept,
        claims: vec![c],
        provider_adjustments: outside,
    };
    assert_eq!(r.check_balance(), Ok(()));
}

#[test]
fn every_decision_balances_and_follows_its_plan() {
    for payer in ["SALTM", "BEACN", "COMWC", "FERRY"] {
        for ending in ["10", "81", "91", "83", "84"] {
            balanced(decide(&claim(payer, &format!("X{ending}"))), vec![]);
        }
    }
    let saltmarsh = decide(&claim("SALTM", "SM10"));
    // 126.75 and 11.73 allowed; copay 25.00 once, then a fifth of the rest of each line.
    assert_eq!((saltmarsh.paid, saltmarsh.patient_share), (Cents::new(9_078), Cents::new(4_770)));
    assert_eq!(decide(&claim("BEACN", "BS10")).paid, Cents::ZERO, "all of it is deductible");
    assert_eq!(decide(&claim("COMWC", "CC10")).patient_share, Cents::ZERO);
    assert_eq!(decide(&claim("SALTM", "SM81")).status, "4");
    assert_eq!(decide(&claim("SALTM", "SM84")).claim_number, "XC1");
}

#[test]
fn a_decision_taken_back_leaves_nothing() {
    let given = decide(&claim("SALTM", "SM83"));
    let back = take_back(&given);
    assert!(back.is_reversal());
    assert_eq!(given.paid + back.paid, Cents::ZERO);
    let forward = ProviderAdjustment { reason: "FB".into(), reference: "C1".into(), amount: back.paid };
    balanced(back, vec![forward]);
}

#[test]
fn what_the_clearing_house_refuses() {
    assert!(is_accepted(&status(&claim("SALTM", "SM10"))));
    let unknown = status(&claim("SALTM", "SM92"));
    assert_eq!((is_accepted(&unknown), unknown.statuses[0].1.as_str()), (false, "164"));
    let work = status(&claim("FERRY", "FW10"));
    assert_eq!((is_accepted(&work), work.statuses[0].1.as_str()), (false, "251"));
}
