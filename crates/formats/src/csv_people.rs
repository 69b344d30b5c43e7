//! Patients with their first policy, and policies and balances of patients who are known, as CSV (RFC 4180) with a line of
//! headings.

use crate::csv_files::{self, FileFault, Headings};
use crate::incoming::{Fields, IncomingPerson, IncomingPolicy};
use harbor_core::people::Sex;

/// A file that was read.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct PeopleFile {
    pub rows: Vec<IncomingPerson>,
    /// Headings that nobody knows.
    pub unknown: Vec<String>,
}

/// Field, and the headings it goes by, without blanks and marks.
const PERSON: [(&str, &[&str]); 19] = [
    ("firstName", &["firstname", "first", "givenname", "given"]),
    ("middleName", &["middlename", "middle"]),
    ("lastName", &["lastname", "last", "familyname", "surname", "family"]),
    ("preferredName", &["preferredname", "calledname", "nickname"]),
    ("formerName", &["formername", "maidenname", "birthname"]),
    ("birthDate", &["birthdate", "dateofbirth", "dob", "born"]),
    ("sex", &["sex"]),
    ("phone", &["phone", "mobile", "telephone", "mobilephone", "cell"]),
    ("otherPhone", &["otherphone", "homephone", "phone2"]),
    ("email", &["email", "mail", "emailaddress"]),
    ("addressLine", &["address", "addressline", "street", "address1"]),
    ("addressLine2", &["addressline2", "address2", "apartment"]),
    ("city", &["city", "town"]),
    ("state", &["state"]),
    ("postalCode", &["postalcode", "zip", "zipcode", "postcode"]),
    ("language", &["language"]),
    ("outsideId", &["outsideid", "id", "externalid", "recordnumber", "mrn"]),
    ("employer", &["employer"]),
    ("occupation", &["occupation"]),
];

const POLICY: [(&str, &[&str]); 9] = [
    ("payer", &["payer", "insurance", "insurer", "payername"]),
    ("subscriberNumber", &["subscribernumber", "policynumber", "memberid", "subscriberid"]),
    ("groupNumber", &["groupnumber", "group"]),
    ("planName", &["planname", "plan"]),
    ("startsOn", &["startson", "coveragefrom", "policystart", "effective"]),
    ("endsOn", &["endson", "coverageto", "policyend", "terminates"]),
    ("rank", &["rank", "order", "priority"]),
    ("relationship", &["relationship", "relationtosubscriber"]),
    ("copay", &["copay"]),
];

/// Reads a file of people; UTF-8 or UTF-16 with or without a mark at its beginning, or Latin-1; its columns parted by commas,
/// semicolons or tabs.
pub fn read(bytes: &[u8]) -> Result<PeopleFile, FileFault> {
    read_with(bytes, &PERSON, &[("firstName", "a first name"), ("lastName", "a last name")])
}

/// Reads a file of policies of people who are known by their record number here.
pub fn read_policies(bytes: &[u8]) -> Result<PeopleFile, FileFault> {
    let known: [(&str, &[&str]); 1] = [("recordNumber", &["recordnumber", "record", "mrn"])];
    let needed =
        [("recordNumber", "a record number"), ("payer", "a payer"), ("subscriberNumber", "a subscriber number")];
    read_with(bytes, &known, &needed)
}

/// Reads a file of balances of people who are known by their record number here.
pub fn read_balances(bytes: &[u8]) -> Result<PeopleFile, FileFault> {
    let known: [(&str, &[&str]); 4] = [
        ("recordNumber", &["recordnumber", "record", "mrn"]),
        ("amount", &["amount", "balance", "openingbalance", "owed"]),
        ("since", &["since", "date", "asof"]),
        ("note", &["note", "memo", "remark"]),
    ];
    read_with(bytes, &known, &[("recordNumber", "a record number"), ("amount", "an amount")])
}

fn read_with(bytes: &[u8], of_person: &Headings, needed: &[(&str, &'static str)]) -> Result<PeopleFile, FileFault> {
    let file = csv_files::read(bytes, &[of_person, &POLICY], needed)?;
    let person = |(line, found): (u64, Fields)| {
        let found = found.into_iter().map(|(column, text)| (column, as_the_form_has_it(column, text)));
        let (policy, fields): (Fields, Fields) =
            found.partition(|(name, _)| POLICY.iter().any(|(field, _)| field == name));
        let covered = policy.contains_key("payer") || policy.contains_key("subscriberNumber");
        let policies = if covered { vec![IncomingPolicy { fields: policy, holder: None }] } else { vec![] };
        IncomingPerson { line, fields, policies }
    };
    Ok(PeopleFile { rows: file.rows.into_iter().map(person).collect(), unknown: file.unknown })
}

/// Words of a list as the forms have them; what is not understood stays, and is refused where it is judged.
fn as_the_form_has_it(column: &str, text: String) -> String {
    match column {
        "sex" => Sex::as_written(&text).map_or(text, |sex| sex.code().to_owned()),
        _ => text,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn headings_are_known_by_their_usual_names_in_any_order() {
        let text = "\u{feff}Surname, Given name,DOB,Shoe size,Member ID\r\n\"Quarrie\", Ines ,2/13/1999,38,SM1\r\n\r\nVell,Noor,,,\r\n";
        let file = read(text.as_bytes()).unwrap();
        assert_eq!(file.unknown, ["Shoe size"]);
        assert_eq!(file.rows.len(), 2, "an empty line is no person");
        let ines = &file.rows[0];
        assert_eq!(
            (ines.line, ines.fields["lastName"].as_str(), ines.fields["firstName"].as_str()),
            (2, "Quarrie", "Ines")
        );
        assert_eq!(ines.policies[0].fields["subscriberNumber"], "SM1");
        assert!(!file.rows[1].fields.contains_key("birthDate"), "an empty field is none");
    }

    #[test]
    fn what_is_no_list_of_people_says_why() {
        assert_eq!(read(b" \n"), Err(FileFault::Empty));
        assert_eq!(read(b"first,town\nInes,Port Calder"), Err(FileFault::Lacks("a last name")));
        assert_eq!(read(b"first,last,given name\na,b,c"), Err(FileFault::Twice("given name".into())));
        assert_eq!(read("first,last\nInés,Søby".as_bytes()).unwrap().rows[0].fields["lastName"], "Søby");
        assert_eq!(read(b"first,last\nIn\xe9s,Soby").unwrap().rows[0].fields["firstName"], "Inés", "Latin-1");
    }

    #[test]
    fn files_are_read_as_offices_save_them() {
        let text = "first;last;sex;dob\r\nInés;Søby;female;2/13/1999\r\n\"Noor;Ada\";Vell;m;\r\n";
        let utf16 = |mark: &[u8], of: fn(u16) -> [u8; 2]| {
            mark.iter().copied().chain(text.encode_utf16().flat_map(of)).collect::<Vec<u8>>()
        };
        let latin: Vec<u8> = text.chars().map(|c| u8::try_from(u32::from(c)).unwrap()).collect();
        for (how, bytes) in [
            ("UTF-8", text.as_bytes().to_vec()),
            ("Latin-1", latin),
            ("UTF-16 with its mark", utf16(&[0xff, 0xfe], u16::to_le_bytes)),
            ("UTF-16, the other way", utf16(&[0xfe, 0xff], u16::to_be_bytes)),
            ("UTF-16 without a mark", utf16(&[], u16::to_le_bytes)),
            ("with tabs", text.replace(';', "\t").replace("Noor\tAda", "Noor;Ada").into_bytes()),
        ] {
            let file = read(&bytes).unwrap_or_else(|e| panic!("{how}: {e}"));
            let of = |row: usize, field: &str| file.rows[row].fields.get(field).cloned().unwrap_or_default();
            assert_eq!(
                (of(0, "firstName"), of(0, "lastName"), of(0, "sex")),
                ("Inés".into(), "Søby".into(), "F".into()),
                "{how}"
            );
            assert_eq!(
                (of(1, "firstName"), of(1, "sex"), file.rows[1].line),
                ("Noor;Ada".into(), "M".into(), 3),
                "{how}"
            );
        }
        let odd = read(b"first,last,sex\na,b,perhaps").unwrap();
        assert_eq!(odd.rows[0].fields["sex"], "perhaps", "what is not understood is left for its judge");
    }

    #[test]
    fn a_long_file_is_read_in_one_go() {
        let text = (0..50_000).fold("first,last\r\n".to_owned(), |text, n| text + &format!("Ann{n},Bee\r\n"));
        let began = std::time::Instant::now();
        let file = read(text.as_bytes()).unwrap();
        assert_eq!((file.rows.len(), file.rows[49_999].line), (50_000, 50_001));
        // It took minutes when every line was counted from the beginning.
        assert!(began.elapsed() < std::time::Duration::from_secs(10), "{:?}", began.elapsed());
    }

    #[test]
    fn policies_name_their_person_by_record_number() {
        let file = read_policies(b"MRN,Insurance,Member ID,Coverage to\nIH-10004,Saltmarsh,SM9,12/31/2026\n").unwrap();
        assert_eq!(file.rows[0].fields["recordNumber"], "IH-10004");
        assert_eq!(file.rows[0].policies[0].fields["endsOn"], "12/31/2026");
        assert_eq!(read_policies(b"mrn,payer\nIH-1,x"), Err(FileFault::Lacks("a subscriber number")));
    }

    #[test]
    fn balances_name_their_person_and_what_is_owed() {
        let file = read_balances(b"Number;x,Balance,Since\nIH-1,12.50,3/4/2026\n");
        assert_eq!(file, Err(FileFault::Lacks("a record number")));
        let file = read_balances(b"MRN,Balance,Since,Colour\nIH-10004,-12.50,3/4/2026,red\n").unwrap();
        assert_eq!(
            (file.rows[0].fields["amount"].as_str(), file.rows[0].fields["since"].as_str()),
            ("-12.50", "3/4/2026")
        );
        assert_eq!(file.unknown, ["Colour"]);
        assert_eq!(read_balances(b"mrn\nIH-1"), Err(FileFault::Lacks("an amount")));
    }

    proptest! {
        #[test]
        fn no_bytes_make_it_panic(bytes in proptest::collection::vec(any::<u8>(), 0..300)) {
            let _ = (read(&bytes), read_balances(&bytes));
        }

        #[test]
        fn every_line_with_names_is_a_person(names in proptest::collection::vec("[A-Za-z]{1,12}", 1..20)) {
            let text = names.iter().fold("first,last".to_owned(), |text, n| format!("{text}\n{n},\"{n}, {n}\""));
            let file = read(text.as_bytes()).unwrap();
            prop_assert_eq!(file.rows.len(), names.len());
            prop_assert!(file.rows.iter().zip(&names).all(|(r, n)| r.fields["firstName"] == *n));
        }
    }
}
