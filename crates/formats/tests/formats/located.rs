//! What is wrong with an X12 file is said with its place: segment, element, and what was expected.

use harbor_formats::x12::{self, remittance, show};

const ISA: &str =
    "ISA*00*          *00*          *ZZ*CAUSEWAY       *ZZ*INDIGOHBR      *261123*0900*^*00501*000000001*0*T*:~";

fn file(body: &str, segments: usize) -> String {
    format!(
        "{ISA}GS*HP*CAUSEWAY*INDIGOHBR*20261123*0900*1*X*005010X221A1~ST*835*0001~{body}SE*{segments}*0001~GE*1*1~IEA*1*000000001~"
    )
}

const HEAD: &str = "BPR*I*95*C*ACH************20261123~TRN*1*T1*SALTM~N1*PR*SALTMARSH~N1*PE*CLINIC*XX*1234567893~LX*1~";

fn read(text: &str) -> Result<harbor_core::money::remittance::Remittance, harbor_formats::Located> {
    let document = x12::read(text)?;
    remittance::read(&document.interchanges[0].groups[0].sets[0])
}

fn wrong(body: &str, segments: usize) -> (usize, String, Option<usize>) {
    let found = read(&file(body, segments)).unwrap_err();
    (found.segment, found.id.clone(), found.element)
}

#[test]
fn a_sound_file_reads_and_balances() {
    let body = format!("{HEAD}CLP*C1*1*100*95*5*12*P1~CAS*PR*3*5~");
    let r = read(&file(&body, 9)).unwrap();
    assert_eq!((r.claims.len(), r.check_balance()), (1, Ok(())));
    assert_eq!(r.claims[0].adjustments[0].in_words(), "The copay.");
}

#[test]
fn each_fault_is_told_with_its_segment_and_element() {
    // The set begins with segment 4: ISA, GS, ST come before.
    assert_eq!(wrong("TRN*1*T1*SALTM~", 3), (4, "TRN".into(), None), "an 835 begins with BPR");
    assert_eq!(wrong(&HEAD.replace("*95*", "*9x*"), 7), (4, "BPR".into(), Some(2)), "an amount that is none");
    assert_eq!(wrong(&HEAD.replace("20261123", "20261340"), 7), (4, "BPR".into(), Some(16)), "a day that is none");
    assert_eq!(wrong(&HEAD.replace("TRN*1*T1", "TRN*1*"), 7), (4, "BPR".into(), None), "no trace number");
    let with = |claim: &str| wrong(&format!("{HEAD}{claim}"), 8);
    assert_eq!(with("CLP**1*100*95~"), (9, "CLP".into(), Some(1)));
    assert_eq!(with("CLP*C1*1*1,00*95~"), (9, "CLP".into(), Some(3)));
    let after = |segment: &str| wrong(&format!("{HEAD}CLP*C1*1*100*95*5~{segment}"), 9);
    assert_eq!(after("CAS*XX*3*5~"), (10, "CAS".into(), Some(1)), "a group that does not exist");
    assert_eq!(after("CAS*PR**5~"), (10, "CAS".into(), Some(2)), "an amount without a reason");
    assert_eq!(after("CAS*PR*3*five~"), (10, "CAS".into(), Some(3)));
    assert_eq!(after("CAS*PR*3*5**1*2.345~"), (10, "CAS".into(), Some(6)), "money has two decimals");
}

#[test]
fn unknown_but_lawful_segments_are_passed_over_and_blank_lines_forgiven() {
    let body = format!("{HEAD}CLP*C1*1*100*95*5~NM1*QC*1*QUARRIE*INES~ZZZ*1*2~PER*CX~CAS*PR*3*5~");
    let spread = file(&body, 12).replace('~', "~\r\n");
    let r = read(&spread).unwrap();
    assert_eq!((r.claims[0].patient_last.as_str(), r.claims[0].adjustments.len()), ("QUARRIE", 1));
}

#[test]
fn the_envelope_is_checked_before_anything_inside() {
    let sound = file(HEAD, 7);
    assert!(x12::read(&sound).is_ok());
    for (change, to, wanted) in [
        ("SE*7*", "SE*8*", "the number of segments"),
        ("SE*7*0001", "SE*7*0002", "control number of ST02"),
        ("GE*1*1", "GE*2*1", "the number of transaction sets"),
        ("GE*1*1", "GE*1*9", "control number of GS06"),
        ("IEA*1*", "IEA*2*", "the number of groups"),
        ("IEA*1*000000001", "IEA*1*000000002", "control number of ISA13"),
        ("GS*HP", "G?*HP", "identifier of two or three capitals"),
        ("*ZZ*CAUSEWAY       *", "*ZZ*CAUSEWAY*", "ISA"),
    ] {
        let Err(found) = x12::read(&sound.replacen(change, to, 1)) else { panic!("{change} → {to} was read") };
        assert!(found.to_string().contains(wanted), "{change} → {to}: {found}");
    }
    let Err(empty) = x12::read("  \n") else { panic!("nothing was read as something") };
    assert!(empty.to_string().contains("begins with ISA"));
}

#[test]
fn check_and_show_speak_of_what_they_read() {
    let sound = file(&format!("{HEAD}CLP*C1*1*100*95*5*12*P1~CAS*PR*3*5~"), 9);
    let good = show::check(sound.as_bytes());
    assert!(good.findings.is_empty() && good.summary.join(" ").contains("835"), "{:?}", good.summary);
    let unbalanced = show::check(sound.replace("CAS*PR*3*5~", "CAS*PR*3*4~").as_bytes());
    assert!(!unbalanced.findings.is_empty(), "a claim that is off by one dollar is a finding");
    assert!(!show::check(&sound.as_bytes()[..200]).findings.is_empty(), "cut off");
}
