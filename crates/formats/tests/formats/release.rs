//! The ICD-10-CM release that ships, as released and as the compact table that the program reads.

use harbor_core::consult::diagnoses::DiagnosisIndex;
use harbor_formats::icd10cm::{Release, read, table};

fn data(name: &str) -> Vec<u8> {
    std::fs::read(format!("{}/../../data/{name}", env!("CARGO_MANIFEST_DIR"))).unwrap()
}

fn released() -> Release {
    read(&data("icd10cm-tabular-2026-04.xml.gz")).unwrap()
}

#[test]
fn the_table_holds_the_release_whole() {
    let released = released();
    assert!(released.entries.len() > 40_000);
    assert!(table::read(&data("icd10cm-2026-04.table.gz")).unwrap() == released, "harbor codes import makes it anew");
    assert!(table::read(&table::write(&released).unwrap()).unwrap() == released);
}

#[test]
fn a_category_that_is_a_section_by_itself_is_billed() {
    let index = DiagnosisIndex::new(released().entries);
    // Human immunodeficiency virus disease: the section B20 holds the one category B20, which has nothing below it.
    for code in ["B20", "I10", "R05.3", "Z37.0"] {
        assert_eq!(index.resolve(code).map(|b| b.code), Ok(code.into()));
    }
    assert!(index.resolve("E11").is_err(), "a category with codes below it");
}

#[test]
fn what_is_no_table_is_refused_with_the_line() {
    for (bytes, line) in [
        ("nothing", 0),
        ("harbor-codes 1\tx\nE0\tc\tA00", 2),
        ("harbor-codes 1\tx\nE1\tc\tA00\tTitle", 2),
        ("harbor-codes 1\tx\nE0\tc\tA00\tTitle\nzwhat", 3),
        ("harbor-codes 1\tx\nia note of nothing", 2),
    ] {
        assert_eq!(table::read(bytes.as_bytes()).map_err(|e| e.segment), Err(line), "{bytes}");
    }
    let headings = "harbor-codes 1\tx\nE0\th\tChapter 1\tTitle";
    assert!(table::read(headings.as_bytes()).is_err(), "no code at all");
}

fn told() -> DiagnosisIndex {
    let rows = harbor_formats::csv_tables::diagnosis_words(&data("diagnosis_words.csv")).unwrap();
    assert!(rows.len() >= 800, "{} rows", rows.len());
    DiagnosisIndex::new(released().entries).with_meanings(rows).unwrap()
}

#[test]
fn every_billable_code_of_the_release_can_be_picked() {
    let released = released();
    let leaves: Vec<String> =
        released.entries.iter().filter(|e| e.leaf && !e.heading).map(|e| e.code.clone()).collect();
    let index = DiagnosisIndex::new(released.entries);
    assert!(leaves.len() > 35_000, "{}", leaves.len());
    for code in leaves {
        let bare = code.replace('.', "");
        let seventh = index.seventh_of(&code);
        if seventh.is_empty() || bare.len() == 7 {
            assert_eq!(index.resolve(&code).map(|b| b.code), Ok(code.clone()));
        } else {
            assert!(index.resolve(&code).is_err(), "{code} lacks its seventh character");
            for (c, _) in seventh {
                let full = format!("{bare:X<6}{c}");
                let billed = index.resolve(&full).unwrap_or_else(|e| panic!("{full}: {e}"));
                assert_eq!(billed.undotted(), full);
            }
        }
    }
    for code in ["B20", "F99", "P84", "R99", "Z66", "T07.XXXA"] {
        assert_eq!(index.resolve(code).map(|b| b.code), Ok(code.into()));
    }
}

#[test]
fn what_people_say_finds_what_they_mean_in_ten() {
    let index = told();
    for (said, code) in [
        ("htn", "I10"),
        ("uti", "N39.0"),
        ("afib", "I48.91"),
        ("heart attack", "I21.9"),
        ("pinkeye", "H10.9"),
        ("flu", "J11.1"),
        ("migraine", "G43.909"),
        ("migrane", "G43.909"),
        ("diabetis", "E11.9"),
        ("hart attack", "I21.9"),
        ("neumonia", "J18.9"),
        ("hyprtension", "I10"),
        ("right ankle sprain", "S93.401"),
        ("sprained ankle left", "S93.402"),
        ("R knee pain", "M25.561"),
        ("pain finger rt", "M79.644"),
        ("ear infection both", "H66.93"),
        ("dvt left leg", "I82.402"),
        ("copd exacerbation", "J44.1"),
        ("stomach bug", "A09"),
        ("ckd stage 3", "N18.30"),
        ("type 2 diabetes", "E11.9"),
        ("low back pain", "M54.50"),
        ("sore throat", "J02.9"),
        ("asthma", "J45.909"),
        ("depression", "F32.A"),
        ("sinusitis", "J01.90"),
        ("anemia", "D64.9"),
        ("heartb", "R12"),
        ("swollen ankles", "R60.0"),
    ] {
        let hits = index.search(said, &[], 10);
        let listed: Vec<&str> = hits.iter().map(|h| h.code.as_str()).collect();
        assert!(listed.contains(&code), "{said} gives {listed:?}");
    }
    assert_eq!(index.search("heart attack", &[], 1)[0].found_by.as_deref(), Some("heart attack"));
    assert_eq!(index.search("xqzzvw", &[], 10), []);
}

#[test]
fn every_row_of_the_table_finds_its_own_first_code() {
    let index = told();
    let rows = harbor_formats::csv_tables::diagnosis_words(&data("diagnosis_words.csv")).unwrap();
    let lost: Vec<String> = rows
        .iter()
        .filter(|row| !index.search(&row.words, &[], 10).iter().any(|h| h.code == row.codes[0]))
        .map(|row| row.words.clone())
        .collect();
    assert_eq!(lost, [""; 0]);
}
