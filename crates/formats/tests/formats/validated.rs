//! X12 files of every variant, held against an independent reader of the implementation guides.

#[path = "../validator.rs"]
mod validator;

use crate::x12::{a_claim, a_remittance, biller, day, desk, parties, stamp};
use crate::x12_claims::{first_of_two, second};
use harbor_core::claims::*;
use harbor_core::money::Cents;
use harbor_core::money::remittance::*;
use harbor_formats::x12::claim_status::ClaimStatus;
use harbor_formats::x12::{claim, claim_status, file_ack, remittance};
use validator::x12_findings;

fn claims(name: &str, of: &[Claim]) -> (String, String) {
    (format!("{name}.837"), claim::write(&stamp(), &biller(), "B42", of))
}

fn with(change: impl Fn(&mut Claim)) -> Claim {
    let mut c = a_claim("C1", 2, false);
    change(&mut c);
    c
}

/// Every way in which a claim is written.
fn variants() -> Vec<(String, String)> {
    let at_work = with(|c| {
        let address = biller().address;
        c.subscriber = Some(Subscriber::Employer { name: "KELP & SONS".into(), address });
        c.accident = Some(Accident { cause: "EM".into(), date: day(2), state: None, number: "W-88".into() });
        c.filing_code = "WC".into();
        c.subscriber_number = "E100".into();
    });
    let auto = with(|c| {
        c.accident =
            Some(Accident { cause: "AA".into(), date: day(2), state: Some("ME".into()), number: "A-1".into() });
        (c.onset, c.last_seen) = (Some(day(1)), Some(day(9)));
        c.attachments = vec![Attachment { kind: "OZ".into(), way: AttachmentWay::Fax, number: "AT1".into() }];
    });
    let replaced = with(|c| (c.frequency, c.original_reference) = ("7".into(), Some("P900".into())));
    let void = with(|c| (c.frequency, c.original_reference) = ("8".into(), Some("P900".into())));
    let approved = with(|c| {
        c.prior_authorisation = Some("PA-7".into());
        c.supervising = c.referring.clone();
    });
    let long = with(|c| {
        c.patient.last = "Wolfeschlegelsteinhausenbergerdorff-Montmorency-Laval-Achterberg-Núñez".into();
        c.patient.first = "Maximiliane Éléonore Scholastica Wilhelmina".into();
        c.patient.middle = "x".repeat(40);
        c.patient.address.line = "Große Straße ".repeat(9);
        c.payer_name = "Łódź & Ærø Mutual, of \"Old\" Harbour".into();
    });
    let twelve = with(|c| {
        c.diagnoses = (0..12).map(|n| format!("E11{n:02}")).collect();
        c.lines[0].pointers = vec![1, 2, 3, 12];
        c.lines[0].modifiers = ["25", "59", "LT", "GA"].map(str::to_owned).to_vec();
    });
    let mut plain = a_claim("C2", 1, true);
    (plain.facility, plain.referral, plain.referring) = (None, None, None);
    let own_address = Biller { pay_to: Some(biller().address), ..biller() };
    let many: Vec<Claim> = (0..30)
        .map(|n| {
            let mut c = a_claim(&format!("C{n}"), 1 + n % 4, n % 3 == 0);
            (c.payer_name, c.payer_id) = (format!("PAYER {}", n % 3), format!("PAY{}", n % 3));
            c
        })
        .collect();
    vec![
        claims("own", &[a_claim("C1", 3, false)]),
        claims("child", &[plain, a_claim("C3", 1, true)]),
        claims("at-work", &[at_work]),
        claims("auto", &[auto]),
        claims("replaced", &[replaced]),
        claims("void", &[void]),
        claims("approved", &[approved]),
        claims("second", &[second("C5")]),
        claims("first-of-two", &[first_of_two("C7")]),
        claims("long", &[long]),
        claims("twelve", &[twelve]),
        claims("many", &many),
        ("pay-to.837".into(), claim::write(&stamp(), &own_address, "B42", &[a_claim("C1", 1, false)])),
    ]
}

#[test]
fn claims_of_every_kind_are_lawful_to_an_independent_reader() {
    let files = variants();
    assert!(files.iter().all(|(_, text)| text.is_ascii()));
    if let Some(found) = x12_findings(&files) {
        assert_eq!(found, "");
    }
}

#[test]
fn acknowledgements_and_remittances_are_lawful_to_an_independent_reader() {
    let set = |outcome: &str, errors| file_ack::SetAck {
        kind: "837".into(),
        control: "0001".into(),
        outcome: outcome.into(),
        errors,
    };
    let error = file_ack::SetError {
        segment: "CLM".into(),
        position: 22,
        segment_code: "8".into(),
        element: Some((2, "6".into())),
    };
    let ack = |outcome: &str, set| file_ack::FileAck {
        group_kind: "HC".into(),
        group_control: "42".into(),
        group_version: claim::VERSION.into(),
        outcome: outcome.into(),
        sets: vec![set],
    };
    let status = |category: &str, code: &str, number: &str| ClaimStatus {
        claim_number: "C1".into(),
        statuses: vec![(category.into(), code.into(), "PR".into())],
        payer_claim_number: number.into(),
        patient_last: "QUARRIE".into(),
        patient_first: "INES".into(),
        subscriber_number: "SM1".into(),
        charged: Cents::new(10_050),
        service_date: Some(day(20)),
        lines: vec![],
    };
    let of_line = ClaimStatus {
        lines: vec![claim_status::LineStatus {
            control: "C1-1".into(),
            code: "IH001".into(),
            charged: Cents::new(10_050),
            statuses: vec![("A7".into(), "454".into(), String::new())],
        }],
        ..status("A7", "454", "")
    };
    let told =
        claim_status::write(&stamp(), &parties(), &[status("A2", "20", "P900"), status("A7", "164", ""), of_line]);
    let mut takeback = a_remittance();
    takeback.claims.truncate(1);
    takeback.claims[0].status = "22".into();
    takeback.amount = Cents::new(9_000);
    let files = vec![
        ("taken.999".to_owned(), file_ack::write(&stamp(), &ack("A", set("A", vec![])))),
        ("refused.999".to_owned(), file_ack::write(&stamp(), &ack("R", set("R", vec![error])))),
        ("told.277".to_owned(), told),
        ("paid.835".to_owned(), remittance::write(&stamp(), &desk(), &[a_remittance()])),
        ("back.835".to_owned(), remittance::write(&stamp(), &desk(), &[takeback])),
        (
            "nothing.835".to_owned(),
            remittance::write(
                &stamp(),
                &desk(),
                &[Remittance {
                    amount: Cents::ZERO,
                    method: "NON".into(),
                    claims: vec![a_remittance().claims.remove(1)],
                    provider_adjustments: vec![],
                    ..a_remittance()
                }],
            ),
        ),
    ];
    if let Some(found) = x12_findings(&files) {
        assert_eq!(found, "");
    }
}

#[test]
fn the_independent_reader_finds_what_is_wrong() {
    let (_, text) = claims("own", &[a_claim("C1", 1, false)]);
    let bent = [
        ("sex", text.replacen("19680229*M", "19680229*X", 1)),
        ("lost", text.replacen("DTP*472*D8*20261123~\n", "", 1)),
    ];
    let bent = bent.map(|(name, t)| (name.to_owned(), t));
    let Some(found) = x12_findings(&bent) else { return };
    assert!(found.contains("sex\t") && found.contains("DMG03") && found.contains("lost\t"), "{found}");
}
