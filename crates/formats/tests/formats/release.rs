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
