//! Claims in files: what each kind of claim carries, in whatever letters people are called.

use crate::x12::{a_claim, biller, day, question, read_batch, stamp};
use harbor_core::claims::*;
use harbor_core::coverage::*;
use harbor_core::money::Cents;
use harbor_core::money::remittance::*;
use harbor_formats::x12::{self, benefits, claim};

fn address() -> AddressOnClaim {
    biller().address
}

/// A claim to a second payer with what the first decided, line by line.
pub fn second(number: &str) -> Claim {
    let adjustment = |group, reason: &str, amount| Adjustment {
        group,
        reason: reason.into(),
        amount: Cents::new(amount),
        quantity: None,
    };
    let mut c = a_claim(number, 2, false);
    c.rank = Rank::Second;
    c.patient_paid = Cents::ZERO;
    c.others = vec![EarlierPayer {
        name: "BEACON SHOALS BENEFIT TRUST".into(),
        id: "BEACN".into(),
        rank: Rank::First,
        relationship: Relationship::Spouse,
        group_number: "G5".into(),
        filing_code: "CI".into(),
        subscriber_last: "FERREIRA-HOLM".into(),
        subscriber_first: "NOOR".into(),
        subscriber_number: "BS77".into(),
        claim_number: "P900".into(),
        paid: Some(Cents::new(20_000)),
        left: Some(Cents::new(5_150)),
        adjustments: vec![],
        decided_on: None,
    }];
    for line in &mut c.lines {
        let decision = EarlierDecision {
            paid: Cents::new(6_000),
            adjustments: vec![
                adjustment(AdjustmentGroup::Contractual, "45", 2_000),
                adjustment(AdjustmentGroup::PatientResponsibility, "2", line.fee.get() - 8_000),
            ],
            on: day(20),
        };
        line.decided = vec![("BEACN".into(), decision)];
    }
    c
}

/// A claim to a first payer that is told who is asked after it.
pub fn first_of_two(number: &str) -> Claim {
    let mut c = a_claim(number, 2, false);
    let nothing_decided =
        EarlierPayer { claim_number: String::new(), paid: None, left: None, ..second("").others[0].clone() };
    c.others = vec![EarlierPayer { rank: Rank::Second, ..nothing_decided }];
    c
}

#[test]
fn the_first_payer_is_told_of_the_second_with_nothing_decided_and_reads_back() {
    let c = first_of_two("C7");
    let text = claim::write(&stamp(), &biller(), "B1", std::slice::from_ref(&c));
    assert!(text.contains("SBR*S*01*G5******CI~\nOI***Y***Y~\nNM1*IL*1*FERREIRA-HOLM*NOOR"), "{text}");
    assert!(!text.contains("AMT*D") && !text.contains("SVD"), "{text}");
    assert_eq!(read_batch(&text).claims, [c]);
}

#[test]
fn accidents_replacements_and_authorisations_read_back() {
    let mut c = a_claim("C9", 1, false);
    c.accident = Some(Accident { cause: "AA".into(), date: day(2), state: Some("ME".into()), number: "AC-12".into() });
    (c.onset, c.last_seen) = (Some(day(1)), Some(day(9)));
    c.attachments = vec![Attachment { kind: "OZ".into(), way: AttachmentWay::Fax, number: "AT1".into() }];
    c.frequency = "7".into();
    c.original_reference = Some("P900".into());
    c.prior_authorisation = Some("PA1".into());
    c.supervising = c.referring.take();
    let text = claim::write(&stamp(), &biller(), "B1", std::slice::from_ref(&c));
    assert!(
        text.contains("CLM*C9*100.5***11:B:7*Y*A*Y*Y**AA:::ME~")
            && text.contains("DTP*439*D8*20261102~\nPWK*OZ*FX***AC*AT1~"),
        "{text}"
    );
    assert_eq!(read_batch(&text).claims, [c]);
}

#[test]
fn an_accident_at_work_names_the_employer_and_the_payers_number_of_it() {
    let mut c = a_claim("C4", 1, false);
    c.subscriber = Some(Subscriber::Employer { name: "KELP & SONS".into(), address: address() });
    // The employee of the policyholder is none of a family's relationships.
    c.relationship = Relationship::Other;
    c.subscriber_number = String::new();
    c.accident = Some(Accident { cause: "EM".into(), date: day(2), state: None, number: "W-88".into() });
    let text = claim::write(&stamp(), &biller(), "B1", std::slice::from_ref(&c));
    for wanted in
        ["NM1*IL*2*KELP & SONS~", "HL*3*2*23*0~", "PAT*20~", "REF*Y4*W-88~", "CLM*C4*100.5***11:B:1*Y*A*Y*Y**EM~"]
    {
        assert!(text.contains(wanted), "{wanted} in\n{text}");
    }
    assert_eq!(read_batch(&text).claims, [c]);
}

#[test]
fn a_claim_is_told_segment_by_segment() {
    let mut accident = a_claim("C9", 1, true);
    accident.accident = Some(Accident { cause: "EM".into(), date: day(2), state: None, number: "W-88".into() });
    let text = claim::write(&stamp(), &biller(), "B1", &[a_claim("C1", 2, false), accident, second("C5")]);
    let document = x12::read(&text).unwrap();
    let set = &document.interchanges[0].groups[0].sets[0];
    let told = claim::told(set, "C9").unwrap();
    let says = |what: &str| told.iter().find(|t| t.what == what).map(|t| t.says.as_str());
    assert_eq!(says("patient"), Some("FERREIRA-HOLM, IDA"));
    assert_eq!(says("claim"), Some("C9, 100.5 in all, place 11, original, accident at work"));
    assert_eq!(says("diagnoses"), Some("E78.5, I10, T15.00XA"));
    assert_eq!(says("service"), Some("IH001, 100.5 for 1, diagnoses 1, 3"));
    assert_eq!(says("payer's number of the accident"), Some("W-88"));
    assert!(told.iter().all(|t| !t.what.is_empty() && text.contains(&t.segment)), "{told:#?}");
    assert!(!told.iter().any(|t| t.segment.contains("C1-1") || t.segment.contains("C5")), "of this claim alone");
    let second = claim::told(set, "C5").unwrap();
    assert!(second.iter().any(|t| t.what == "payer before decided" && t.says == "BEACN paid 60"), "{second:#?}");
    assert_eq!(claim::told(set, "C7"), None);
}

#[test]
fn a_second_payers_claim_carries_the_firsts_decision_and_reads_back() {
    let c = second("C5");
    let mut third = second("C6");
    third.rank = Rank::Third;
    third.others.push(EarlierPayer {
        rank: Rank::Second,
        id: "COMMW".into(),
        name: "COMMONWEAL CARE".into(),
        paid: Some(Cents::ZERO),
        adjustments: vec![Adjustment {
            group: AdjustmentGroup::Other,
            reason: "23".into(),
            amount: Cents::new(20_000),
            quantity: None,
        }],
        decided_on: Some(day(22)),
        ..third.others[0].clone()
    });
    let text = claim::write(&stamp(), &biller(), "B1", &[c.clone(), third.clone()]);
    for wanted in [
        "SBR*P*01*G5******CI~\nAMT*D*200~\nAMT*EAF*51.5~\nOI***Y***Y~",
        "SVD*BEACN*60*HC:IH001**1~\nCAS*CO*45*20~\nCAS*PR*2*20.5~\nDTP*573*D8*20261120~",
        "NM1*PR*2*COMMONWEAL CARE*****PI*COMMW~\nDTP*573*D8*20261122~",
    ] {
        assert!(text.contains(wanted), "{wanted} in\n{text}");
    }
    assert_eq!(read_batch(&text).claims, [c, third]);
}

#[test]
fn what_people_are_called_never_breaks_a_file() {
    let mut c = a_claim("C1", 1, false);
    c.patient.last = "Wolfeschlegelsteinhausenbergerdorff-Montmorency-Laval-Achterberg-Valcourt".into();
    c.patient.first = "Zoë".into();
    c.patient.address.line = "ø".repeat(60);
    let text = claim::write(&stamp(), &biller(), "B1", &[c]);
    assert!(text.is_ascii(), "{text}");
    let back = read_batch(&text).claims.remove(0);
    assert_eq!(
        (back.patient.last.len(), back.patient.first.as_str(), back.patient.address.line.len()),
        (60, "Zoe", 55)
    );
    let mut q = question();
    q.subscriber.first = "Łukasz Bartłomiej Aleksander Maksymilian".into();
    let text = benefits::write_question(&stamp(), &q);
    assert!(text.is_ascii() && text.contains("*Lukasz Bartlomiej Aleksander Maksym*"), "{text}");
}

#[test]
fn a_separator_inside_a_name_cannot_break_the_file() {
    let mut c = a_claim("C1", 1, false);
    c.patient.first = "LU*CAN~HL:1^".into();
    let back = read_batch(&claim::write(&stamp(), &biller(), "B1", &[c]));
    assert_eq!(back.claims[0].patient.first, "LU CAN HL 1 ");
}
