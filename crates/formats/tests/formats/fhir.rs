//! HL7 FHIR R4: what goes to the laboratory and the pharmacy reads back the same; nonsense is located.

use chrono::{NaiveDate, TimeZone, Utc};
use harbor_core::coverage::Relationship;
use harbor_core::orders::questions::AnswerValue;
use harbor_core::orders::specimens::TakenSpecimen;
use harbor_core::orders::{BillTo, Priority, RequestedTest, Requisition, Subject, TestAccount, TestPolicy};
use harbor_core::prescribing::{Dosage, DoseUnit, SentItem};
use harbor_formats::fhir::pharmacy::words::{
    PharmacyWord, read_renewal_refused, read_word, write_renewal_refused, write_word,
};
use harbor_formats::fhir::specimen::{Taken, read_taken, write_taken};
use harbor_formats::fhir::{laboratory, person, pharmacy, reports};
use harbor_formats::incoming::{Fields, IncomingPolicy};
use proptest::prelude::*;
use serde_json::Value;

pub fn subject() -> Subject {
    Subject {
        record_number: "IH-10005".into(),
        last: "Ferreira-Holm".into(),
        first: "Lucan".into(),
        birth_date: NaiveDate::from_ymd_opt(1968, 2, 11).unwrap(),
        sex: "M".into(),
    }
}

fn requisition() -> Requisition {
    let test = |reference: &str, loinc: &str, name: &str, answers: &[(&str, AnswerValue)]| RequestedTest {
        reference: reference.into(),
        loinc: loinc.into(),
        name: name.into(),
        diagnoses: vec![("E78.5".into(), "Hyperlipidemia, unspecified".into())],
        answers: answers.iter().map(|(q, a)| ((*q).to_owned(), a.clone())).collect(),
        priority: Priority::Routine,
    };
    let answers = [
        ("Fasting?", AnswerValue::YesNo(true)),
        ("Weight?", AnswerValue::Number { number: "72.5".into(), unit: "kg".into() }),
        ("Since when?", AnswerValue::Date("2026-11-20".parse().unwrap())),
        ("Last dose when?", AnswerValue::Moment("2026-11-23T12:00:00Z".parse().unwrap())),
        ("Why?", AnswerValue::Words("not known".into())),
    ];
    Requisition {
        reference: "R0019C5".into(),
        subject: subject(),
        orderer_name: "Dr. Oriane Valcourt".into(),
        orderer_npi: "1234567893".into(),
        authored: Utc.with_ymd_and_hms(2026, 11, 23, 15, 20, 0).unwrap(),
        tests: vec![test("O1", "57698-3", "Lipid panel", &answers), test("O2", "2823-3", "Potassium", &[])],
        account: Some(TestAccount {
            bill_to: BillTo::Insurance,
            policy: Some(TestPolicy {
                payer: "Harborlight Mutual".into(),
                subscriber_number: "HM-4471".into(),
                group_number: "G-9".into(),
                relationship: Relationship::Spouse,
                holder: Some("Ida Ferreira-Holm".into()),
            }),
            responsible: Some("Ida Ferreira-Holm".into()),
            clinic: String::new(),
        }),
        specimens: vec![specimen("serum", "serum gel tube", &["O1", "O2"])],
    }
}

fn specimen(specimen: &str, container: &str, orders: &[&str]) -> TakenSpecimen {
    TakenSpecimen {
        specimen: specimen.into(),
        container: container.into(),
        at: Utc.with_ymd_and_hms(2026, 11, 23, 15, 5, 0).unwrap(),
        by: "Yusra Calder".into(),
        orders: orders.iter().map(|o| (*o).to_owned()).collect(),
    }
}

#[test]
fn an_order_reads_back_with_its_questions_and_reasons() {
    let sent = requisition();
    let text = laboratory::write_order(&sent).unwrap();
    assert_eq!(laboratory::read_order(text.as_bytes()).unwrap(), sent);
    let bundle: Value = serde_json::from_str(&text).unwrap();
    let kinds: Vec<&str> =
        bundle["entry"].as_array().unwrap().iter().map(|e| e["resource"]["resourceType"].as_str().unwrap()).collect();
    assert_eq!(bundle["type"], "transaction");
    assert_eq!(kinds.iter().filter(|k| **k == "ServiceRequest").count(), 2);
    assert_eq!(kinds.iter().filter(|k| **k == "QuestionnaireResponse").count(), 1, "only where something was asked");
    for wanted in ["Task", "Patient", "Practitioner", "Coverage", "Account", "Specimen", "Organization"] {
        assert!(kinds.contains(&wanted), "{kinds:?}");
    }
    assert_eq!(kinds.iter().filter(|k| **k == "Task").count(), 2, "each test is taken or refused on its own");
}

/// Orders paid by everybody who may pay, with and without specimens.
pub fn order_variants() -> Vec<Requisition> {
    let account = |bill_to, policy: Option<TestPolicy>, responsible: Option<&str>, clinic: &str| TestAccount {
        bill_to,
        policy,
        responsible: responsible.map(str::to_owned),
        clinic: clinic.into(),
    };
    let own = TestPolicy {
        relationship: Relationship::SelfHolder,
        holder: None,
        group_number: String::new(),
        ..requisition().account.unwrap().policy.unwrap()
    };
    let paid = [
        account(BillTo::Clinic, None, None, "Indigo Harbor Clinic"),
        account(BillTo::Patient, None, None, ""),
        account(BillTo::Patient, None, Some("Ida Ferreira-Holm"), ""),
        account(BillTo::Insurance, Some(own), None, ""),
    ];
    let by = |account| Requisition { account: Some(account), specimens: vec![], ..requisition() };
    let mut out: Vec<Requisition> = paid.map(by).to_vec();
    out.push(requisition());
    out
}

pub fn taken() -> Taken {
    Taken {
        requisition: "R0019C5".into(),
        specimens: vec![specimen("serum", "serum gel tube", &["O1", "O2"]), specimen("urine", "", &["O3"])],
    }
}

#[test]
fn who_pays_is_told_whoever_it_is() {
    for sent in order_variants() {
        let text = laboratory::write_order(&sent).unwrap();
        assert_eq!(laboratory::read_order(text.as_bytes()).unwrap(), sent);
        let bundle: Value = serde_json::from_str(&text).unwrap();
        let guarantor = resource_of(&bundle, "Account").pointer("/guarantor/0/party/reference").cloned().unwrap();
        assert!(
            bundle["entry"].as_array().unwrap().iter().any(|e| e["fullUrl"] == guarantor),
            "somebody answers for it"
        );
    }
    let silent = Requisition { account: None, ..requisition() };
    let text = laboratory::write_order(&silent).unwrap();
    assert_eq!(laboratory::read_order(text.as_bytes()).unwrap().account, None, "nobody is made to pay");
}

fn resource_of<'v>(bundle: &'v Value, kind: &str) -> &'v Value {
    let mut all = bundle["entry"].as_array().unwrap().iter().map(|e| &e["resource"]);
    all.find(|r| r["resourceType"] == kind).unwrap()
}

#[test]
fn specimens_taken_later_name_their_orders() {
    let text = write_taken(&taken()).unwrap();
    assert_eq!(read_taken(text.as_bytes()).unwrap(), Some(taken()));
    let order = laboratory::write_order(&requisition()).unwrap();
    assert_eq!(read_taken(order.as_bytes()).unwrap(), None, "an order with its specimen is an order");
    assert_eq!(laboratory::read_taken_back(text.as_bytes()).unwrap(), None);
}

#[test]
fn an_order_taken_back_says_which_and_why() {
    let taken_back = laboratory::TakenBack {
        reference: "O1".into(),
        requisition: "R0019C5".into(),
        reason: "the wrong patient".into(),
        at: Utc.with_ymd_and_hms(2026, 11, 23, 16, 0, 0).unwrap(),
    };
    let text = laboratory::write_taken_back(&taken_back).unwrap();
    assert_eq!(laboratory::read_taken_back(text.as_bytes()).unwrap(), Some(taken_back));
    let order = laboratory::write_order(&requisition()).unwrap();
    assert_eq!(laboratory::read_taken_back(order.as_bytes()).unwrap(), None, "what is asked for is not taken back");
    assert!(laboratory::read_taken_back(b"{}").is_err());
}

#[test]
fn an_order_laid_elsewhere_says_for_which_diagnoses_it_is() {
    let moved = laboratory::Moved {
        reference: "O1".into(),
        requisition: "R0019C5".into(),
        diagnoses: vec![("E78.5".into(), "Hyperlipidemia".into()), ("I10".into(), "Hypertension".into())],
        at: Utc.with_ymd_and_hms(2026, 11, 23, 16, 0, 0).unwrap(),
    };
    let text = laboratory::write_moved(&moved).unwrap();
    assert_eq!(laboratory::read_moved(text.as_bytes()).unwrap(), Some(moved));
    assert_eq!(laboratory::read_taken_back(text.as_bytes()).unwrap(), None, "it is still wanted");
    let order = laboratory::write_order(&requisition()).unwrap();
    assert_eq!(laboratory::read_moved(order.as_bytes()).unwrap(), None);
}

/// Everything that a bundle refers to.
fn references(value: &Value, into: &mut Vec<String>) {
    match value {
        Value::Object(object) => {
            into.extend(object.get("reference").and_then(Value::as_str).map(str::to_owned));
            object.values().for_each(|v| references(v, into));
        }
        Value::Array(all) => all.iter().for_each(|v| references(v, into)),
        _ => {}
    }
}

#[test]
fn what_a_bundle_refers_to_is_in_it_whatever_the_receiver_has() {
    let order = laboratory::write_order(&requisition()).unwrap();
    let nobody = Requisition { orderer_npi: String::new(), ..requisition() };
    let unnumbered = laboratory::write_order(&nobody).unwrap();
    assert_eq!(laboratory::read_order(unnumbered.as_bytes()).unwrap(), nobody);
    for text in [order, unnumbered, pharmacy::write_prescription(&prescription()).unwrap()] {
        let bundle: Value = serde_json::from_str(&text).unwrap();
        let entries = bundle["entry"].as_array().unwrap();
        let mut addresses: Vec<&str> = entries.iter().map(|e| e["fullUrl"].as_str().unwrap()).collect();
        assert!(
            addresses.iter().all(|a| a.starts_with("urn:uuid:"))
                && entries.iter().all(|e| e["resource"]["id"].is_null())
        );
        let mut referred = Vec::new();
        references(&bundle, &mut referred);
        assert!(referred.len() >= 2 && referred.iter().all(|r| addresses.contains(&r.as_str())), "{referred:?}");
        addresses.sort_unstable();
        addresses.dedup();
        assert_eq!(addresses.len(), entries.len());
    }
    assert_eq!(laboratory::write_order(&requisition()).unwrap(), laboratory::write_order(&requisition()).unwrap());
}

pub fn prescription() -> SentItem {
    SentItem {
        reference: "RX-1".into(),
        subject: subject(),
        prescriber_name: "Dr. Oriane Valcourt".into(),
        prescriber_npi: "1234567893".into(),
        authored: Utc.with_ymd_and_hms(2026, 11, 23, 15, 20, 0).unwrap(),
        medicine: "Lisovane 20 mg tablet".into(),
        product_code: "lisovane-20".into(),
        instructions: "Take 1 tablet by mouth once a day for 30 days.".into(),
        dosage: None,
        group: "H1".into(),
        pharmacy: "Breakwater Pharmacy".into(),
        route: "oral".into(),
        unit: DoseUnit::Tablet,
        substitution: true,
        note: String::new(),
        replaces: None,
        approval: None,
        quantity: 30,
        days: 30,
        refills: 2,
        reason: Some(("I10".into(), "Essential (primary) hypertension".into())),
    }
}

#[test]
fn a_prescription_reads_back() {
    let sent = prescription();
    let text = pharmacy::write_prescription(&sent).unwrap();
    assert_eq!(pharmacy::read_prescription(text.as_bytes()).unwrap(), sent);
    // In structure: every kind of often, a range, as needed and food are read back to the same.
    for words in [
        "Take 2 tablets by mouth once a day for 3 days, then 1 tablet once a day for 3 days.",
        "Take 1 to 2 tablets by mouth every 6 hours with food if needed for pain, no more than 6 tablets a day, for 5 days.",
        "Take 0.5 tablet by mouth in the morning and at bedtime for 30 days.",
        "Take 1 tablet by mouth once a week on an empty stomach for 84 days.",
        "Take 1 tablet by mouth every other day if needed for 10 days.",
        "Take 2 tablets by mouth as a single dose for 1 day.",
    ] {
        let dosage = Dosage::read(words);
        assert!(dosage.is_some(), "{words}");
        let replaces = Some("RX-0".to_owned());
        let approval = Some("PA-77".to_owned());
        let note = "blister".into();
        let item = SentItem { dosage, note, substitution: false, replaces, approval, ..sent.clone() };
        let text = pharmacy::write_prescription(&item).unwrap();
        assert_eq!(pharmacy::read_prescription(text.as_bytes()).unwrap(), item, "{words}");
    }
    let bare = SentItem { reason: None, refills: 0, ..sent };
    let text = pharmacy::write_prescription(&bare).unwrap();
    assert_eq!(pharmacy::read_prescription(text.as_bytes()).unwrap(), bare);
}

#[test]
fn a_word_of_the_pharmacy_reads_back_and_what_is_missing_is_named() {
    let dispensed = PharmacyWord::Dispensed {
        reference: "D1".into(),
        prescription: "RX-1".into(),
        on: NaiveDate::from_ymd_opt(2026, 11, 23).unwrap(),
        quantity: 15.0,
        unit: DoseUnit::Tablet,
        days: Some(15),
        in_part: true,
    };
    let refused = PharmacyWord::Refused { prescription: "RX-1".into(), reason: "out of stock".into() };
    let asked =
        PharmacyWord::RenewalAsked { reference: "N1".into(), prescription: "RX-1".into(), note: "runs out".into() };
    let told = write_renewal_refused("N1", "see me first").unwrap();
    assert_eq!(read_renewal_refused(told.as_bytes()).unwrap(), ("N1".into(), "see me first".into()));
    for word in [&dispensed, &refused, &asked] {
        assert_eq!(read_word(write_word(word).unwrap().as_bytes()).unwrap(), *word);
    }
    let sane: Value = serde_json::from_str(&write_word(&dispensed).unwrap()).unwrap();
    for field in ["identifier", "authorizingPrescription", "quantity", "whenHandedOver"] {
        let mut without = sane.clone();
        without.as_object_mut().unwrap().remove(field);
        let said = read_word(without.to_string().as_bytes()).unwrap_err().to_string();
        assert!(said.contains(field), "{said}");
    }
}

#[test]
fn the_wrong_resource_is_refused_and_says_what_was_expected() {
    let order = laboratory::write_order(&requisition()).unwrap();
    for bytes in [&b""[..], b"{", b"null", b"[]", b"<html>what a lovely day</html>", br#"{"resourceType":"Patient"}"#] {
        let said = laboratory::read_order(bytes).unwrap_err().to_string();
        assert!(said.len() > 10, "{said}");
        assert!(reports::read_report(bytes).is_err() && pharmacy::read_prescription(bytes).is_err());
    }
    assert!(reports::read_report(order.as_bytes()).is_err(), "an order is no report");
    let mut without: Value = serde_json::from_str(&order).unwrap();
    without["entry"].as_array_mut().unwrap().retain(|e| e["resource"]["resourceType"] != "Task");
    let said = laboratory::read_order(without.to_string().as_bytes()).unwrap_err().to_string();
    assert!(said.contains("Task"), "{said}");
}

proptest! {
    #[test]
    fn no_bytes_make_a_reader_panic(bytes in proptest::collection::vec(any::<u8>(), 0..300)) {
        let _ = laboratory::read_order(&bytes);
        let _ = reports::read_report(&bytes);
        let _ = pharmacy::read_prescription(&bytes);
    }

    #[test]
    fn no_bent_file_makes_a_reader_panic(at in 0usize..2_000, with in "[ -~]{0,3}") {
        for text in [laboratory::write_order(&requisition()).unwrap(), reports::write_report(&crate::reports::report()).unwrap()] {
            let at = at.min(text.len());
            if text.is_char_boundary(at) {
                let end = (at + 5).min(text.len());
                if text.is_char_boundary(end) {
                    let bent = format!("{}{with}{}", &text[..at], &text[end..]);
                    let _ = laboratory::read_order(bent.as_bytes());
                    let _ = reports::read_report(bent.as_bytes());
                }
            }
        }
    }

    #[test]
    fn any_names_and_answers_read_back(first in "[\\p{L} '-]{1,20}", answer in "[ -~]{1,40}") {
        let mut sent = requisition();
        sent.subject.first = first;
        sent.tests[0].answers[0].1 = AnswerValue::Words(answer);
        let text = laboratory::write_order(&sent).unwrap();
        prop_assert_eq!(laboratory::read_order(text.as_bytes()).unwrap(), sent);
    }
}

fn fields(of: &[(&'static str, &str)]) -> Fields {
    of.iter().map(|(name, value)| (*name, (*value).to_owned())).collect()
}

/// A child with a policy that somebody else holds.
fn child() -> (Fields, [IncomingPolicy; 1]) {
    let person = fields(&[
        ("firstName", "Mees"),
        ("middleName", "Ruben"),
        ("lastName", "Achterberg"),
        ("preferredName", "Mees-Jan"),
        ("formerName", "Søby"),
        ("birthDate", "2017-05-04"),
        ("sex", "M"),
        ("phone", "2075550134"),
        ("otherPhone", "2075550135"),
        ("email", "mees@example.org"),
        ("addressLine", "14 Ropewalk Lane"),
        ("city", "Port Calder"),
        ("state", "ME"),
        ("postalCode", "04998"),
        ("language", "Dutch"),
        ("maritalStatus", "single"),
        ("emergencyName", "Saskia Achterberg"),
        ("emergencyPhone", "2075550136"),
        ("emergencyRelation", "mother"),
    ]);
    let holder =
        fields(&[("firstName", "Saskia"), ("lastName", "Achterberg"), ("birthDate", "1985-02-03"), ("sex", "F")]);
    let policy = fields(&[
        ("payer", "Saltmarsh Mutual Health Plan"),
        ("subscriberNumber", "SM10033"),
        ("groupNumber", "G12"),
        ("planName", "PPO"),
        ("startsOn", "2026-01-01"),
        ("endsOn", "2026-12-31"),
        ("rank", "S"),
        ("relationship", "19"),
    ]);
    let policies = [IncomingPolicy { fields: policy, holder: Some(holder) }];
    (person, policies)
}

pub fn person_with_policies() -> String {
    let (person, policies) = child();
    person::write("IH-10033", &person, &policies).unwrap()
}

#[test]
fn a_person_with_policies_reads_back_with_the_policyholder() {
    let (person, policies) = child();
    let text = person::write("IH-10033", &person, &policies).unwrap();
    let back = person::read(text.as_bytes()).unwrap();
    assert_eq!(back.len(), 1, "the policyholder is no patient of the bundle");
    let mut expected = person;
    expected.insert("outsideId", "IH-10033".into());
    assert_eq!(back[0].fields, expected);
    assert_eq!(back[0].policies[0].fields, policies[0].fields);
    assert_eq!(back[0].policies[0].holder, policies[0].holder);
}

#[test]
fn a_stranger_s_bundle_is_read_leniently_and_what_is_no_person_says_why() {
    let bundle = r#"{ "resourceType": "Bundle", "type": "collection", "entry": [
        { "fullUrl": "urn:uuid:b7", "resource": { "resourceType": "Patient", "active": true,
          "name": [{ "use": "nickname", "given": ["Ro"] }, { "family": "Vell", "given": ["Noor"] }],
          "telecom": [{ "system": "phone", "value": "207 555 0170" }, { "system": "fax", "value": "1" }, { "system": "phone", "value": "207 555 0171" }],
          "birthDate": "1970-07-07", "gender": "other" } },
        { "resource": { "resourceType": "Coverage", "status": "active", "beneficiary": { "reference": "urn:uuid:b7" },
          "subscriberId": "NM1", "payor": [{ "identifier": { "value": "SALTM" } }] } },
        { "resource": { "resourceType": "Coverage", "status": "active", "beneficiary": { "reference": "Patient/other" }, "payor": [{ "display": "x" }] } }] }"#;
    let read = person::read(bundle.as_bytes()).unwrap();
    let noor = &read[0];
    let get = |name: &str| noor.fields[name].as_str();
    assert_eq!((get("firstName"), get("preferredName"), get("sex")), ("Noor", "Ro", "U"));
    assert_eq!((get("phone"), get("otherPhone")), ("207 555 0170", "207 555 0171"));
    assert_eq!(noor.policies.len(), 1);
    assert_eq!(noor.policies[0].fields["payer"], "SALTM");
    assert_eq!((noor.policies[0].fields["relationship"].as_str(), &noor.policies[0].holder), ("18", &None));
    let nobody = person::read(br#"{ "resourceType": "Bundle", "type": "collection" }"#).unwrap_err();
    assert_eq!(nobody.expected, "at least one Patient");
    assert!(person::read(b"<Patient/>").unwrap_err().expected.contains("well-formed JSON"));
    assert!(person::read(br#"{ "resourceType": "Patient", "gender": "7" }"#).is_err(), "not lawful");
}
