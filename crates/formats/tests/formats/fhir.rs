//! HL7 FHIR R4: what goes to the laboratory and the pharmacy reads back the same; nonsense is located.

use chrono::{NaiveDate, TimeZone, Utc};
use harbor_core::orders::{
    Interpretation, LabReport, ReportStatus, ReportedValue, RequestedTest, Requisition, Subject,
};
use harbor_core::prescribing::SentItem;
use harbor_formats::fhir::{laboratory, person, pharmacy};
use harbor_formats::incoming::{Fields, IncomingPolicy};
use proptest::prelude::*;
use serde_json::Value;

fn subject() -> Subject {
    Subject {
        record_number: "IH-10005".into(),
        last: "Ferreira-Holm".into(),
        first: "Lucan".into(),
        birth_date: NaiveDate::from_ymd_opt(1968, 2, 11).unwrap(),
        sex: "M".into(),
    }
}

fn requisition() -> Requisition {
    let test = |reference: &str, loinc: &str, name: &str, answers: &[(&str, &str)]| RequestedTest {
        reference: reference.into(),
        loinc: loinc.into(),
        name: name.into(),
        diagnoses: vec![("E78.5".into(), "Hyperlipidemia, unspecified".into())],
        answers: answers.iter().map(|(q, a)| ((*q).to_owned(), (*a).to_owned())).collect(),
    };
    Requisition {
        reference: "R0019C5".into(),
        subject: subject(),
        orderer_name: "Dr. Oriane Valcourt".into(),
        orderer_npi: "1234567893".into(),
        authored: Utc.with_ymd_and_hms(2026, 11, 23, 15, 20, 0).unwrap(),
        tests: vec![
            test("O1", "57698-3", "Lipid panel", &[("Fasting?", "yes"), ("Last dose when?", "7 in the morning")]),
            test("O2", "2823-3", "Potassium", &[]),
        ],
    }
}

fn value(number: Option<f64>, text: &str) -> ReportedValue {
    ReportedValue {
        loinc: "2823-3".into(),
        name: "Potassium".into(),
        number,
        text: text.into(),
        unit: if number.is_some() { "mmol/L".into() } else { String::new() },
        low: number.map(|_| 3.5),
        high: number.map(|_| 5.1),
        interpretation: number.map(|_| Interpretation::High),
    }
}

fn report(status: ReportStatus) -> LabReport {
    LabReport {
        number: "GP-8117".into(),
        order_reference: "O2".into(),
        record_number: "IH-10005".into(),
        status,
        issued: Utc.with_ymd_and_hms(2026, 11, 24, 9, 0, 0).unwrap(),
        values: vec![value(Some(5.4), "")],
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
    for wanted in ["Task", "Patient", "Practitioner"] {
        assert!(kinds.contains(&wanted), "{kinds:?}");
    }
}

#[test]
fn a_report_reads_back_in_every_state() {
    for status in ReportStatus::ALL {
        let sent = report(*status);
        let text = laboratory::write_report(&sent).unwrap();
        assert_eq!(laboratory::read_report(text.as_bytes()).unwrap(), sent, "{status}");
    }
}

#[test]
fn a_value_may_be_words_and_an_order_may_be_lost() {
    let mut sent = report(ReportStatus::Final);
    sent.order_reference.clear();
    sent.values = vec![ReportedValue { interpretation: None, ..value(None, "not detected") }];
    let text = laboratory::write_report(&sent).unwrap();
    let read = laboratory::read_report(text.as_bytes()).unwrap();
    assert_eq!((read.order_reference.as_str(), read.values[0].text.as_str()), ("", "not detected"));
    assert_eq!((read.values[0].number, read.values[0].interpretation), (None, None));
}

#[test]
fn below_a_number_is_not_that_number_and_the_first_code_need_not_be_loinc() {
    let mut sent = report(ReportStatus::Final);
    sent.values = vec![ReportedValue { loinc: "2823-3".into(), ..value(Some(5.0), "") }];
    let mut written: Value = serde_json::from_str(&laboratory::write_report(&sent).unwrap()).unwrap();
    let own = serde_json::json!({ "system": "urn:laboratory:test", "code": "777" });
    written["contained"][0]["code"]["coding"].as_array_mut().unwrap().insert(0, own);
    let read = |v: &Value| laboratory::read_report(v.to_string().as_bytes()).unwrap().values.remove(0);
    assert_eq!((read(&written).loinc.as_str(), read(&written).number), ("2823-3", Some(5.0)));
    written["contained"][0]["valueQuantity"]["comparator"] = "<".into();
    let below = read(&written);
    assert_eq!((below.number, below.text.as_str()), (None, "<5"));
    written["contained"][0]["code"]["coding"].as_array_mut().unwrap().truncate(1);
    assert_eq!(read(&written).loinc, "", "a code of their own is no LOINC code");
    written["contained"][0].as_object_mut().unwrap().remove("valueQuantity");
    written["contained"][0]["valueCodeableConcept"] = serde_json::json!({ "text": "positive" });
    assert_eq!((read(&written).number, read(&written).text.as_str()), (None, "positive"));
}

#[test]
fn a_prescription_reads_back() {
    let sent = SentItem {
        reference: "RX-1".into(),
        subject: subject(),
        prescriber_name: "Dr. Oriane Valcourt".into(),
        prescriber_npi: "1234567893".into(),
        authored: Utc.with_ymd_and_hms(2026, 11, 23, 15, 20, 0).unwrap(),
        medicine: "Lisovane 20 mg tablet".into(),
        product_code: "lisovane-20".into(),
        instructions: "Take 1 tablet by mouth once a day for 30 days.".into(),
        quantity: 30,
        days: 30,
        refills: 2,
        reason: Some(("I10".into(), "Essential (primary) hypertension".into())),
    };
    let text = pharmacy::write_prescription(&sent).unwrap();
    assert_eq!(pharmacy::read_prescription(text.as_bytes()).unwrap(), sent);
    let bare = SentItem { reason: None, refills: 0, ..sent };
    let text = pharmacy::write_prescription(&bare).unwrap();
    assert_eq!(pharmacy::read_prescription(text.as_bytes()).unwrap(), bare);
}

#[test]
fn the_wrong_resource_is_refused_and_says_what_was_expected() {
    let order = laboratory::write_order(&requisition()).unwrap();
    for bytes in [&b""[..], b"{", b"null", b"[]", b"<html>what a lovely day</html>", br#"{"resourceType":"Patient"}"#] {
        let said = laboratory::read_order(bytes).unwrap_err().to_string();
        assert!(said.len() > 10, "{said}");
        assert!(laboratory::read_report(bytes).is_err() && pharmacy::read_prescription(bytes).is_err());
    }
    assert!(laboratory::read_report(order.as_bytes()).is_err(), "an order is no report");
    let mut without: Value = serde_json::from_str(&order).unwrap();
    without["entry"].as_array_mut().unwrap().retain(|e| e["resource"]["resourceType"] != "Task");
    let said = laboratory::read_order(without.to_string().as_bytes()).unwrap_err().to_string();
    assert!(said.contains("Task"), "{said}");
}

proptest! {
    #[test]
    fn no_bytes_make_a_reader_panic(bytes in proptest::collection::vec(any::<u8>(), 0..300)) {
        let _ = laboratory::read_order(&bytes);
        let _ = laboratory::read_report(&bytes);
        let _ = pharmacy::read_prescription(&bytes);
    }

    #[test]
    fn no_bent_file_makes_a_reader_panic(at in 0usize..2_000, with in "[ -~]{0,3}") {
        for text in [laboratory::write_order(&requisition()).unwrap(), laboratory::write_report(&report(ReportStatus::Final)).unwrap()] {
            let at = at.min(text.len());
            if text.is_char_boundary(at) {
                let end = (at + 5).min(text.len());
                if text.is_char_boundary(end) {
                    let bent = format!("{}{with}{}", &text[..at], &text[end..]);
                    let _ = laboratory::read_order(bent.as_bytes());
                    let _ = laboratory::read_report(bent.as_bytes());
                }
            }
        }
    }

    #[test]
    fn any_names_and_answers_read_back(first in "[\\p{L} '-]{1,20}", answer in "[ -~]{1,40}", number in -1e6f64..1e6) {
        let mut sent = requisition();
        sent.subject.first = first;
        sent.tests[0].answers[0].1 = answer;
        let text = laboratory::write_order(&sent).unwrap();
        prop_assert_eq!(laboratory::read_order(text.as_bytes()).unwrap(), sent);
        let rounded = (number * 100.0).round() / 100.0;
        let mut reported = report(ReportStatus::Final);
        reported.values[0].number = Some(rounded);
        let text = laboratory::write_report(&reported).unwrap();
        prop_assert_eq!(laboratory::read_report(text.as_bytes()).unwrap().values[0].number, Some(rounded));
    }
}

fn fields(of: &[(&'static str, &str)]) -> Fields {
    of.iter().map(|(name, value)| (*name, (*value).to_owned())).collect()
}

#[test]
fn a_person_with_policies_reads_back_with_the_policyholder() {
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
    let policies = [IncomingPolicy { fields: policy, holder: Some(holder.clone()) }];
    let text = person::write("IH-10033", &person, &policies).unwrap();
    let back = person::read(text.as_bytes()).unwrap();
    assert_eq!(back.len(), 1, "the policyholder is no patient of the bundle");
    let mut expected = person;
    expected.insert("outsideId", "IH-10033".into());
    assert_eq!(back[0].fields, expected);
    assert_eq!(back[0].policies[0].fields, policies[0].fields);
    assert_eq!(back[0].policies[0].holder.as_ref().unwrap(), &holder);
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
