//! The program for people who work without a browser.

use std::path::PathBuf;
use std::process::{Command, Output};

fn harbor(arguments: &[&str]) -> Output {
    Command::new(env!("CARGO_BIN_EXE_harbor")).args(arguments).output().expect("the harbor program")
}

fn said(out: &Output) -> String {
    String::from_utf8_lossy(&out.stdout).into_owned()
}

fn file(name: &str, content: &str) -> PathBuf {
    let path = std::env::temp_dir().join(format!("harbor-cli-{}-{name}", std::process::id()));
    std::fs::write(&path, content).expect("a file");
    path
}

#[test]
fn codes_are_searched_and_checked() {
    assert_eq!(said(&harbor(&["codes", "search", "chronic cough"])).lines().next(), Some("R05.3\tChronic cough"));
    let out = harbor(&["codes", "search", "hypertension"]);
    assert!(out.status.success());
    let lines = said(&out);
    assert_eq!((lines.lines().count(), lines.lines().next()), (10, Some("I10\tEssential (primary) hypertension")));
    assert!(lines.lines().all(|l| l.split('\t').count() == 2));

    let fine = harbor(&["codes", "check", "I10", "E78.5", "S93.401A"]);
    assert_eq!((fine.status.code(), said(&fine).as_str()), (Some(0), ""));
    let bad = harbor(&["codes", "check", "E11.9", "E10.9", "S93.401", "E11", "Q99.99X"]);
    assert_eq!(bad.status.code(), Some(1));
    let findings = said(&bad);
    for wanted in
        ["cannot be billed together", "needs a seventh character", "too general to bill", "not a code of this release"]
    {
        assert_eq!(findings.lines().filter(|l| l.contains(wanted)).count(), 1, "{wanted}: {findings}");
    }
}

#[test]
fn medicines_are_found_and_a_case_is_checked() {
    let found = said(&harbor(&["medicines", "search", "met dap"]));
    let first = found.lines().next().unwrap();
    assert_eq!(
        first.split('\t').skip(2).collect::<Vec<_>>(),
        ["metformin;dapagliflozin", "tablet", "1000/5 mg"],
        "{found}"
    );
    assert!(found.lines().count() <= 20 && found.lines().all(|l| l.split('\t').count() == 5));
    let case = |allergies: &str| {
        format!(
            r#"{{"patient":{{"age_days":12410,"sex":"F","weight_kg":61.0,"height_cm":165,"pregnant":false,"breastfeeding":false,
            "creatinine_mg_dl":0.9,"creatinine_days_old":40,"allergies_asked":true,"allergies":[{allergies}],
            "problems":["J45.20"],"taking":[{{"ingredients":["propranolol"],"strength":"40 mg","per_day":2}}]}},
            "item":{{"ingredients":["amoxicillin"],"strength":"500 mg","form":"capsule","dose":1,"per_day":3,"days":7,
            "last_dispensed_days_ago":null,"last_dispensed_for_days":null}}}}"#
        )
    };
    let harmless = file("case.json", &case(""));
    let out = harbor(&["medicines", "check", &harmless.to_string_lossy()]);
    assert_eq!((out.status.code(), said(&out).as_str()), (Some(0), ""));
    let allergic =
        file("allergic.json", &case(r#"{"substance":"penicillin","reaction":"hives","severity":"moderate"}"#));
    let out = harbor(&["medicines", "check", &allergic.to_string_lossy()]);
    assert_eq!(out.status.code(), Some(1));
    assert!(said(&out).starts_with("serious\tallergy\tAllergic to penicillin (hives)"), "{}", said(&out));
    let bent = file("bent.json", "{\"patient\":{}}");
    let out = harbor(&["medicines", "check", &bent.to_string_lossy()]);
    assert_eq!(out.status.code(), Some(2));
    assert!(String::from_utf8_lossy(&out.stderr).contains("case.item"), "{out:?}");
}

const BENEFITS: &str = "ISA*00*          *00*          *ZZ*INDIGOHBR      *ZZ*CAUSEWAY       *261123*0930*^*00501*000000042*0*T*:~\n\
GS*HS*INDIGOHBR*CAUSEWAY*20261123*0930*42*X*005010X279A1~\n\
ST*270*0001*005010X279A1~\nBHT*0022*13*BQ1*20261123*0930~\nHL*1**20*1~\nNM1*PR*2*BEACON SHOALS*****PI*BEACN~\n\
HL*2*1*21*1~\nNM1*1P*2*INDIGO HARBOR*****XX*1234567893~\nHL*3*2*22*0~\nTRN*1*BQ1*9INDIGOHBR~\n\
NM1*IL*1*ACHTERBERG*JORIS****MI*BS200~\nDMG*D8*19840602*M~\nDTP*291*D8*20261123~\nEQ*30~\nSE*13*0001~\nGE*1*42~\nIEA*1*000000042~\n";

#[test]
fn x12_files_are_checked_and_shown() {
    let good = file("good.270", BENEFITS);
    let out = harbor(&["x12", "check", &good.to_string_lossy()]);
    assert_eq!(out.status.code(), Some(0), "{}", said(&out));
    assert!(said(&out).contains("asks BEACON SHOALS about ACHTERBERG, JORIS"));
    let shown = harbor(&["x12", "show", &good.to_string_lossy()]);
    assert!(said(&shown).contains("birth date and sex") && said(&shown).contains("JORIS"));

    let bent = file("bent.270", &BENEFITS.replace("SE*13*", "SE*12*"));
    let out = harbor(&["x12", "check", &bent.to_string_lossy()]);
    assert_eq!(out.status.code(), Some(1));
    assert!(said(&out).contains("SE01: the number of segments from ST to SE, 13"), "{}", said(&out));
    let cut = file("cut.270", &BENEFITS[..200]);
    assert_eq!(harbor(&["x12", "show", &cut.to_string_lossy()]).status.code(), Some(1));
    assert_eq!(harbor(&["x12", "check", "/nowhere"]).status.code(), Some(2));
    for path in [good, bent, cut] {
        let _ = std::fs::remove_file(path);
    }
}

#[actix_web::test]
async fn the_audit_is_verified() {
    let product = harbor_demo::testing::Product::start().await.expect("product");
    let url = product.database_url.clone();
    let out = tokio::task::spawn_blocking(move || harbor(&["audit", "verify", "--database", &url])).await.expect("run");
    assert_eq!(out.status.code(), Some(0), "{}", String::from_utf8_lossy(&out.stderr));
    assert!(said(&out).starts_with("sound: "), "{}", said(&out));
    product.stop().await.expect("stop");
}

#[actix_web::test]
async fn signed_notes_are_compared_with_what_was_signed() {
    let product = harbor_demo::testing::Product::start().await.expect("product");
    let verify = async || {
        let url = product.database_url.clone();
        tokio::task::spawn_blocking(move || harbor(&["notes", "verify", "--database", &url])).await.expect("run")
    };
    let sound = verify().await;
    assert_eq!(sound.status.code(), Some(0), "{}", String::from_utf8_lossy(&sound.stderr));
    assert!(said(&sound).starts_with("sound: "), "{}", said(&sound));
    // Somebody with the keys to the database writes in a signed note.
    let (client, connection) =
        tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.expect("connect");
    tokio::spawn(connection);
    client
        .batch_execute(
            "set session_replication_role = replica;
             update note_parts set body = body || ' and not' where id = (
                 select p.id from note_parts p join note_signatures s using (visit_id) where p.body <> '' limit 1)",
        )
        .await
        .expect("written");
    let broken = verify().await;
    assert_eq!(broken.status.code(), Some(1), "{}", said(&broken));
    assert_eq!(said(&broken).lines().filter(|l| l.starts_with("broken: the note of visit ")).count(), 1);
    product.stop().await.expect("stop");
}

#[test]
fn a_quick_line_is_printed_one_thing_a_line() {
    let out = harbor(&["quick", "bp 128/82; mother asthma", "--age", "40", "--sex", "F"]);
    assert_eq!(out.status.code(), Some(0));
    let text = String::from_utf8(out.stdout).unwrap();
    assert_eq!(
        text.lines().collect::<Vec<_>>(),
        ["measure\tsystolic\t128\tmmHg\tusual", "measure\tdiastolic\t82\tmmHg\thigh", "family\tmother\tasthma\t\t"]
    );
    // The height tells the index of a grown person; without an age nothing is judged.
    let text = |args: &[&str]| String::from_utf8(harbor(args).stdout).unwrap();
    assert!(text(&["quick", "w 68", "--age", "40", "--height", "172"]).contains("bmi\t23\tkg/m²"));
    assert!(text(&["quick", "hr 72"]).ends_with("unjudged\n"));
    assert_eq!(harbor(&["quick", "hr 720", "--age", "40"]).status.code(), Some(1), "it cannot be");
    assert_eq!(harbor(&["quick", "hr 72", "--sex", "q"]).status.code(), Some(2));
}

/// A file of one claim over 100.00.
fn claims_file(diagnoses: &str, sex: &str) -> String {
    let at = chrono::NaiveDate::from_ymd_opt(2026, 11, 23).unwrap().and_hms_opt(9, 0, 0).unwrap();
    format!(
        "ISA*00*          *00*          *ZZ*INDIGOHBR      *ZZ*CAUSEWAY       *{}*0900*^*00501*000000042*0*T*:~\n\
             GS*HC*INDIGOHBR*CAUSEWAY*20261123*0900*42*X*005010X222A1~\nST*837*0001*005010X222A1~\n\
             BHT*0019*00*B42*20261123*0900*CH~\nNM1*41*2*CLINIC*****46*INDIGOHBR~\nPER*IC*OFFICE*TE*2075550100~\n\
             NM1*40*2*CAUSEWAY*****46*CAUSEWAY~\nHL*1**20*1~\nNM1*85*2*CLINIC*****XX*1234567893~\nN3*4 KELP LANE~\n\
             N4*PORT CALDER*ME*049981234~\nREF*EI*990000001~\nHL*2*1*22*0~\nSBR*P*18*G77******CI~\n\
             NM1*IL*1*QUARRIE*INES****MI*SM1~\nN3*7 ROPEWALK~\nN4*PORT CALDER*ME*04998~\nDMG*D8*19900213*{sex}~\n\
             NM1*PR*2*SALTMARSH*****PI*SALTM~\nCLM*C1*100***11:B:1*Y*A*Y*Y~\nHI*{diagnoses}~\n\
             NM1*82*1*VALCOURT*ORIANE****XX*1234567893~\nPRV*PE*PXC*207Q00000X~\nLX*1~\nSV1*HC:IH213*100*UN*1***1~\n\
             DTP*472*D8*20261120~\nREF*6R*C1-1~\nSE*26*0001~\nGE*1*42~\nIEA*1*000000042~\n",
        at.format("%y%m%d")
    )
}

#[test]
fn a_file_of_claims_is_judged_by_the_rules_of_the_screens() {
    let text = claims_file;
    let check = |name: &str, text: String| harbor(&["claim", "check", file(name, &text).to_str().unwrap()]);
    let fine = check("fine.837", text("ABK:R053", "F"));
    assert_eq!((fine.status.code(), said(&fine).as_str()), (Some(0), ""), "{}", String::from_utf8_lossy(&fine.stderr));
    assert!(
        String::from_utf8_lossy(&fine.stderr).contains("whether the policy is in force"),
        "what is not judged is said"
    );
    let bad = check("bad.837", text("ABK:F0280*ABF:N401", "F"));
    assert_eq!(bad.status.code(), Some(1));
    let lines = said(&bad);
    assert!(lines.contains("C1\tstops\tdiagnosis\tF02.80 cannot stand first"), "{lines}");
    assert!(lines.contains("C1\twarns\tsex_or_age\tN40.1:"), "{lines}");
    let cut = check("cut.837", text("ABK:R053", "F")[..600].to_owned());
    assert_eq!(cut.status.code(), Some(2), "{}", String::from_utf8_lossy(&cut.stderr));
}

#[test]
fn what_would_be_posted_of_a_remittance_is_planned() {
    let sent = file("sent.837", &claims_file("ABK:R053", "F"));
    let paid = |name: &str, claims: &str, amount: &str, outside: &str| {
        let text = format!(
            "ISA*00*          *00*          *ZZ*CAUSEWAY       *ZZ*INDIGOHBR      *261124*0900*^*00501*000000043*0*T*:~\n\
             GS*HP*CAUSEWAY*INDIGOHBR*20261124*0900*43*X*005010X221A1~\nST*835*0001~\n\
             BPR*I*{amount}*C*ACH************20261124~\nTRN*1*T1*1990000101~\nN1*PR*SALTMARSH~\n\
             N1*PE*CLINIC*XX*1234567893~\nLX*1~\n{claims}{outside}SE*0*0001~\nGE*1*43~\nIEA*1*000000043~\n"
        );
        let count = text.matches('~').count() - 4;
        file(name, &text.replace("SE*0*", &format!("SE*{count}*")))
    };
    let claim = "CLP*C1*1*100*60*10*12*P1~\nNM1*QC*1*QUARRIE*INES~\nSVC*HC:IH213*100*60**1~\nCAS*CO*45*20**97*10~\n\
                 CAS*PR*2*10~\nREF*6R*C1-1~\n";
    let plan = |paid: &PathBuf, more: &[&str]| {
        let sent = sent.to_str().expect("a path");
        harbor(&[&["remittance", "plan", paid.to_str().expect("a path"), "--claims", sent], more].concat())
    };
    let accounts = |out: &Output| {
        let row = |line: &str| line.split('\t').take(4).collect::<Vec<_>>().join(" ");
        said(out).lines().map(row).collect::<Vec<_>>()
    };
    let out = plan(&paid("paid.835", claim, "65", "PLB*1234567893*20261231*L6*-5~\n"), &[]);
    assert_eq!(
        accounts(&out),
        [
            "C1 1 payer_paid 60.00",
            "C1 1 contractual 20.00",
            "C1 1 patient_share 10.00",
            "C1 1 denied 10.00",
            "- 0 interest 5.00"
        ]
    );
    assert_eq!(out.status.code(), Some(1), "something is denied");
    assert!(said(&out).contains("\tCO 97: Included in the payment"), "{}", said(&out));
    let next = plan(&paid("next.835", claim, "60", ""), &["--next-payer"]);
    assert_eq!(accounts(&next)[2], "C1 1 next_payer 10.00");

    let other = plan(&paid("other.835", &claim.replace("QUARRIE", "OTHER"), "60", ""), &[]);
    assert_eq!(accounts(&other), ["C1 0 unmatched 60.00"]);
    let off = plan(&paid("off.835", claim, "61", ""), &[]);
    assert_eq!((off.status.code(), said(&off).as_str()), (Some(1), ""), "nothing is posted of what does not balance");
    assert!(String::from_utf8_lossy(&off.stderr).contains("is unexplained"));
    let nobody = harbor(&["remittance", "plan", "/nowhere.835", "--claims", sent.to_str().expect("a path")]);
    assert_eq!(nobody.status.code(), Some(2));
}
