//! X12 sets: what is written is read back the same, and what is cut or bent is refused with its place.

use chrono::{NaiveDate, NaiveDateTime};
use harbor_core::claims::*;
use harbor_core::coverage::*;
use harbor_core::money::Cents;
use harbor_core::money::remittance::*;
use harbor_formats::x12::{self, Stamp, benefits, claim, claim_status, file_ack, remittance, show};
use proptest::prelude::*;

pub fn day(d: u32) -> NaiveDate {
    NaiveDate::from_ymd_opt(2026, 11, d).unwrap()
}

pub fn stamp() -> Stamp {
    let at: NaiveDateTime = day(23).and_hms_opt(9, 30, 0).unwrap();
    Stamp { at, control: 42, production: false, sender: "INDIGOHBR".into(), receiver: "CAUSEWAY".into() }
}

fn address() -> AddressOnClaim {
    AddressOnClaim {
        line: "4 KELP LANE".into(),
        line2: String::new(),
        city: "PORT CALDER".into(),
        state: "ME".into(),
        postal_code: "049981234".into(),
    }
}

fn person(first: &str) -> PersonOnClaim {
    PersonOnClaim {
        last: "FERREIRA-HOLM".into(),
        first: first.into(),
        middle: String::new(),
        birth_date: NaiveDate::from_ymd_opt(1968, 2, 29).unwrap(),
        sex: "M".into(),
        address: address(),
    }
}

pub fn biller() -> Biller {
    Biller {
        organisation: "INDIGO HARBOR FAMILY CLINIC".into(),
        npi: "1234567893".into(),
        taxonomy: "261QP2300X".into(),
        tax_id: "990000001".into(),
        address: address(),
        pay_to: None,
        contact: "AGATHE MARLOWE".into(),
        telephone: "2075550100".into(),
        submitter_id: "INDIGOHBR".into(),
        receiver_name: "CAUSEWAY EXCHANGE".into(),
        receiver_id: "CAUSEWAY".into(),
    }
}

pub fn a_claim(number: &str, lines: usize, dependent: bool) -> Claim {
    Claim {
        number: number.into(),
        payer_name: "SALTMARSH MUTUAL HEALTH PLAN".into(),
        payer_id: "SALTM".into(),
        filing_code: "CI".into(),
        rank: Rank::First,
        subscriber_number: "SM1001".into(),
        group_number: "G77".into(),
        patient: person(if dependent { "IDA" } else { "LUCAN" }),
        subscriber: dependent.then(|| Subscriber::Person(person("LUCAN"))),
        relationship: if dependent { Relationship::Child } else { Relationship::SelfHolder },
        place_of_service: "11".into(),
        frequency: "1".into(),
        original_reference: None,
        accident: None,
        onset: None,
        last_seen: None,
        attachments: vec![],
        patient_paid: Cents::new(2500),
        prior_authorisation: None,
        referral: Some("RF9".into()),
        diagnoses: vec!["E785".into(), "I10".into(), "T1500XA".into()],
        rendering: ProviderOnClaim {
            last_or_name: "VALCOURT".into(),
            first: "ORIANE".into(),
            npi: "1234567893".into(),
            taxonomy: "207Q00000X".into(),
        },
        referring: Some(ProviderOnClaim {
            last_or_name: "OUTSIDE".into(),
            first: "ANNE".into(),
            npi: "1234567893".into(),
            taxonomy: String::new(),
        }),
        supervising: None,
        facility: Some(Facility { name: "QUAYSIDE".into(), address: address() }),
        others: vec![],
        lines: (1..=lines)
            .map(|n| ClaimLine {
                control: format!("{number}-{n}"),
                code: format!("IH{n:03}"),
                modifiers: if n % 2 == 0 { vec!["25".into()] } else { vec![] },
                fee: Cents::new(10_050 * n as i64),
                units: 1,
                // A laboratory's, beside the office.
                place: (n == 2).then(|| "81".into()),
                pointers: vec![1, 3],
                service_date: day(23),
                decided: vec![],
            })
            .collect(),
    }
}

pub fn read_batch(text: &str) -> claim::Batch {
    let document = x12::read(text).unwrap();
    claim::read(&document.interchanges[0].groups[0].sets[0]).unwrap()
}

/// Where a payer's remittances come from.
pub fn desk() -> remittance::PayerDesk {
    remittance::PayerDesk { company: "1990000101".into(), address: address(), telephone: "2075550190".into() }
}

pub fn a_remittance() -> Remittance {
    let adjustment = |group, reason: &str, amount| Adjustment {
        group,
        reason: reason.into(),
        amount: Cents::new(amount),
        quantity: None,
    };
    let line = RemittedLine {
        line_control: "C1-1".into(),
        service_code: "IH214".into(),
        modifiers: vec!["25".into()],
        charged: Cents::new(18_000),
        paid: Cents::new(9_500),
        units: "1".into(),
        original_code: None,
        service_date: Some(day(20)),
        adjustments: vec![
            adjustment(AdjustmentGroup::Contractual, "45", 5_000),
            adjustment(AdjustmentGroup::PatientResponsibility, "3", 2_500),
            adjustment(AdjustmentGroup::PatientResponsibility, "2", 1_000),
        ],
        allowed: Some(Cents::new(13_000)),
        remarks: vec!["N130".into()],
    };
    let paid = RemittedClaim {
        claim_number: "C1".into(),
        status: "1".into(),
        charged: Cents::new(18_000),
        paid: Cents::new(9_500),
        patient_share: Cents::new(3_500),
        filing_code: "12".into(),
        payer_claim_number: "P900".into(),
        patient_last: "FERREIRA-HOLM".into(),
        patient_first: "LUCAN".into(),
        subscriber_number: "SM1001".into(),
        adjustments: vec![],
        lines: vec![line],
        remarks: vec!["MA01".into()],
    };
    let denied = RemittedClaim {
        claim_number: "C2".into(),
        status: "4".into(),
        charged: Cents::new(700),
        filing_code: "12".into(),
        payer_claim_number: "P901".into(),
        patient_last: "QUARRIE".into(),
        patient_first: "INES".into(),
        adjustments: (0..8)
            .map(|i| adjustment(AdjustmentGroup::Contractual, &(40 + i).to_string(), if i == 0 { 700 } else { 0 }))
            .collect(),
        ..RemittedClaim::default()
    };
    Remittance {
        payer_name: "SALTMARSH MUTUAL HEALTH PLAN".into(),
        payer_id: "1999999999".into(),
        payee_name: "INDIGO HARBOR FAMILY CLINIC".into(),
        payee_npi: "1234567893".into(),
        trace: "T77001".into(),
        method: "ACH".into(),
        date: day(23),
        amount: Cents::new(9_000),
        claims: vec![paid, denied],
        provider_adjustments: vec![ProviderAdjustment {
            reason: "WO".into(),
            reference: "OLD1".into(),
            amount: Cents::new(500),
        }],
    }
}

fn read_remittance(text: &str) -> Result<Remittance, harbor_formats::Located> {
    let document = x12::read(text)?;
    remittance::read(&document.interchanges[0].groups[0].sets[0])
}

#[test]
fn a_batch_reads_back_and_shows_its_loops() {
    let claims = [a_claim("C1", 3, false), a_claim("C2", 1, true)];
    let text = claim::write(&stamp(), &biller(), "B42", &claims);
    let back = read_batch(&text);
    assert_eq!(back.claims, claims);
    assert_eq!(back.biller, biller());
    assert_eq!(back.reference, "B42");
    for wanted in [
        "CLM*C1*603***11:B:1*Y*A*Y*Y~",
        "HI*ABK:E785*ABF:I10*ABF:T1500XA~",
        "SV1*HC:IH002:25*201*UN*1*81**1:3~",
        "HL*4*3*23*0~",
        "PAT*19~",
        "REF*6R*C1-2~",
        "N4*PORT CALDER*ME*049981234~",
    ] {
        assert!(text.contains(wanted), "{wanted} in\n{text}");
    }
    let check = show::check(text.as_bytes());
    assert_eq!(check.findings, [""; 0]);
    assert!(check.summary[0].contains("2 claims, 703.50 in all"), "{}", check.summary[0]);
}

#[test]
fn a_remittance_reads_back_and_balances() {
    let r = a_remittance();
    let text = remittance::write(&stamp(), &desk(), std::slice::from_ref(&r));
    assert_eq!(read_remittance(&text).unwrap(), r);
    assert_eq!(r.check_balance(), Ok(()));
    assert_eq!(text.matches("CAS*CO*").count(), 3, "six triplets fill a segment, eight take two");
}

#[test]
fn files_cut_off_anywhere_are_refused_with_a_place() {
    let whole = [
        remittance::write(&stamp(), &desk(), &[a_remittance()]),
        claim::write(&stamp(), &biller(), "B1", &[a_claim("C1", 2, true)]),
    ];
    for text in whole {
        for cut in 0..text.trim_end().len() {
            let Err(error) = x12::read(&text[..cut]) else { panic!("cut at {cut} was taken") };
            assert!(error.byte <= cut && !error.to_string().is_empty());
        }
        assert!(x12::read(&text).is_ok());
    }
}

#[test]
fn wrong_counts_and_control_numbers_are_located() {
    let text = claim::write(&stamp(), &biller(), "B1", &[a_claim("C1", 1, false)]);
    for (find, replace, expected) in [
        ("IEA*1*000000042", "IEA*2*000000042", "IEA01: the number of groups, 1"),
        ("IEA*1*000000042", "IEA*1*000000043", "IEA02: the control number of ISA13"),
        ("GE*1*42", "GE*1*41", "GE02: the control number of GS06"),
        ("SE*", "SE*9", "SE01: the number of segments"),
        ("CLM*C1*100.5", "CLM*C1*abc", "CLM02: an amount"),
        ("SV1*HC:", "SV1*XX:", "SV101: a service code with qualifier HC"),
        ("DMG*D8*19680229", "DMG*D8*19680230", "DMG02: a birth date"),
    ] {
        let bent = text.replacen(find, replace, 1);
        assert_ne!(bent, text);
        let findings = show::check(bent.as_bytes()).findings;
        assert!(findings.iter().any(|f| f.contains(expected)), "{expected}: {findings:?}");
    }
}

#[test]
fn other_separators_and_line_ends_are_taken_from_the_file() {
    let text = remittance::write(&stamp(), &desk(), &[a_remittance()]);
    let other = text.replace('\n', "\r\n").replace('*', "|").replace(':', ">");
    assert_eq!(read_remittance(&other).unwrap(), a_remittance());
    let without_breaks = text.replace('\n', "");
    assert_eq!(read_remittance(&without_breaks).unwrap(), a_remittance());
    let twice = format!("{text}{text}");
    assert_eq!(x12::read(&twice).unwrap().interchanges.len(), 2);
}

pub fn question() -> BenefitQuestion {
    BenefitQuestion {
        trace: "BQ1".into(),
        payer_name: "BEACON SHOALS BENEFIT TRUST".into(),
        payer_id: "BEACN".into(),
        provider_name: "INDIGO HARBOR FAMILY CLINIC".into(),
        provider_npi: "1234567893".into(),
        subscriber: InsuredPerson {
            last: "ACHTERBERG".into(),
            first: "JORIS".into(),
            birth_date: Some(day(1)),
            sex: Some("M".into()),
            subscriber_number: "BS200".into(),
            group_number: "G1".into(),
        },
        dependent: None,
        service_date: day(23),
    }
}

#[test]
fn benefit_questions_and_answers_read_back() {
    let own = question();
    let child = BenefitQuestion {
        dependent: Some((
            InsuredPerson {
                last: "ACHTERBERG".into(),
                first: "MEES".into(),
                birth_date: Some(day(2)),
                ..InsuredPerson::default()
            },
            Relationship::Child,
        )),
        ..question()
    };
    for q in [own.clone(), child] {
        let text = benefits::write_question(&stamp(), &q);
        let document = x12::read(&text).unwrap();
        assert_eq!(benefits::read_question(&document.interchanges[0].groups[0].sets[0]).unwrap(), q);
    }
    let active = BenefitAnswer {
        trace: "BQ1".into(),
        payer_name: "BEACON SHOALS BENEFIT TRUST".into(),
        active: Some(true),
        plan_name: "HIGH DEDUCTIBLE".into(),
        copay: Some(Cents::ZERO),
        coinsurance: Some(2000),
        deductible: Some(Cents::new(250_000)),
        deductible_left: Some(Cents::new(180_025)),
        out_of_pocket: Some(Cents::new(600_000)),
        out_of_pocket_left: Some(Cents::new(400_000)),
        plan_begins: Some(day(1)),
        plan_ends: None,
        refusals: vec![],
        messages: vec!["REFERRAL NEEDED FOR SPECIALISTS".into()],
        copay_covers_visit: true,
        not_covered: vec!["80".into(), "AL".into()],
        other_plans: vec!["SALTMARSH MUTUAL".into()],
    };
    let refused = BenefitAnswer {
        trace: "BQ1".into(),
        payer_name: "BEACON SHOALS BENEFIT TRUST".into(),
        refusals: vec![Refusal { place: "2100C".into(), reason: "75".into(), follow_up: "C".into() }],
        ..BenefitAnswer::default()
    };
    for a in [active, refused] {
        let text = benefits::write_answer(&stamp(), &own, &a);
        let document = x12::read(&text).unwrap();
        assert_eq!(benefits::read_answer(&document.interchanges[0].groups[0].sets[0]).unwrap(), a);
    }
}

#[test]
fn of_several_plans_under_one_number_the_first_counts_and_the_others_are_told() {
    let q = question();
    let in_force = BenefitAnswer { active: Some(true), plan_name: "GOLD".into(), ..BenefitAnswer::default() };
    let text = benefits::write_answer(&stamp(), &q, &in_force);
    // A second plan with a copay of its own, and one segment that names two types that are not covered.
    let more = "EB*1**30**SILVER~EB*B*IND*30**SILVER*27*40~EB*I*IND*80^AL~";
    let text = text.replace("SE*", &format!("{more}SE*"));
    let count: usize = text.split("SE*").nth(1).unwrap().split('*').next().unwrap().parse().unwrap();
    let text = text.replace(&format!("SE*{count}*"), &format!("SE*{}*", count + 3));
    let document = x12::read(&text).unwrap();
    let a = benefits::read_answer(&document.interchanges[0].groups[0].sets[0]).unwrap();
    assert_eq!((a.plan_name.as_str(), a.copay), ("GOLD", None));
    assert_eq!(a.other_plans, ["SILVER"]);
    assert_eq!(a.not_covered, ["80", "AL"]);
}

/// Who tells whom what became of claims.
pub fn parties() -> claim_status::Parties {
    claim_status::Parties {
        reference: "B42".into(),
        payer: ("CAUSEWAY EXCHANGE".into(), "CAUSEWAY".into()),
        receiver: (biller().organisation, biller().submitter_id),
        provider: (biller().organisation, biller().npi),
    }
}

#[test]
fn acknowledgements_read_back() {
    let ack = file_ack::FileAck {
        group_kind: "HC".into(),
        group_control: "42".into(),
        group_version: claim::VERSION.into(),
        outcome: "R".into(),
        sets: vec![file_ack::SetAck {
            kind: "837".into(),
            control: "0001".into(),
            outcome: "R".into(),
            errors: vec![file_ack::SetError {
                segment: "CLM".into(),
                position: 22,
                segment_code: "8".into(),
                element: Some((2, "6".into())),
            }],
        }],
    };
    let text = file_ack::write(&stamp(), &ack);
    let document = x12::read(&text).unwrap();
    let back = file_ack::read(&document.interchanges[0].groups[0].sets[0]).unwrap();
    assert_eq!(back, ack);
    assert!(!back.is_accepted());
    assert_eq!(back.reasons(), ["segment 22 (CLM), element 2: error 6"]);

    let status = |c: &str, s: &str| (c.to_owned(), s.to_owned(), "PR".to_owned());
    let statuses = vec![
        claim_status::ClaimStatus {
            claim_number: "C1".into(),
            statuses: vec![status("A2", "20")],
            payer_claim_number: "P1".into(),
            patient_last: "A".into(),
            patient_first: "B".into(),
            subscriber_number: "SM1".into(),
            charged: Cents::new(10_050),
            service_date: Some(day(20)),
            lines: vec![],
        },
        claim_status::ClaimStatus {
            claim_number: "C2".into(),
            statuses: vec![status("A1", "19")],
            lines: vec![claim_status::LineStatus {
                control: "C2-1".into(),
                code: "IH001".into(),
                charged: Cents::new(5_000),
                statuses: vec![status("A7", "164")],
            }],
            ..Default::default()
        },
    ];
    let text = claim_status::write(&stamp(), &parties(), &statuses);
    let document = x12::read(&text).unwrap();
    let back = claim_status::read(&document.interchanges[0].groups[0].sets[0]).unwrap();
    assert_eq!(back, statuses);
    assert_eq!(back[1].deciding().map(|s| s.0.as_str()), Some("A7"), "a refused line decides");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(300))]

    #[test]
    fn no_bytes_make_a_reader_panic(bytes in proptest::collection::vec(any::<u8>(), 0..400)) {
        let _ = show::check(&bytes);
        let _ = show::show(&bytes);
    }

    #[test]
    fn no_bent_file_makes_a_reader_panic(at in 0usize..1500, with in "[ -~]{0,4}") {
        for text in [remittance::write(&stamp(), &desk(), &[a_remittance()]), claim::write(&stamp(), &biller(), "B", &[a_claim("C", 2, true)]), benefits::write_question(&stamp(), &question())] {
            let at = at.min(text.len());
            let bent = format!("{}{with}{}", &text[..at], &text[(at + with.len()).min(text.len())..]);
            let _ = show::show(bent.as_bytes());
            let _ = show::check(bent.as_bytes());
        }
    }

    #[test]
    fn any_sound_remittance_reads_back(paid in 0i64..1_000_000, off in 0i64..500_000, share in 0i64..500_000, outside in -10_000i64..10_000, trace in "[A-Z0-9]{1,20}") {
        let mut r = a_remittance();
        r.trace = trace;
        // No payer sends a bill: a payment is never below zero.
        let outside = outside.min(paid);
        let c = &mut r.claims[0];
        (c.lines[0].paid, c.paid) = (Cents::new(paid), Cents::new(paid));
        c.lines[0].adjustments.truncate(2);
        (c.lines[0].adjustments[0].amount, c.lines[0].adjustments[1].amount) = (Cents::new(off), Cents::new(share));
        (c.lines[0].charged, c.charged) = (Cents::new(paid + off + share), Cents::new(paid + off + share));
        r.provider_adjustments[0].amount = Cents::new(outside);
        r.amount = Cents::new(paid - outside);
        prop_assert_eq!(r.check_balance(), Ok(()));
        let back = read_remittance(&remittance::write(&stamp(), &desk(), std::slice::from_ref(&r))).unwrap();
        prop_assert_eq!(back, r);
    }
}
