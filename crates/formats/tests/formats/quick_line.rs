//! The quick line against the tables that ship: diagnoses, tests of the laboratory, medicines.

use chrono::NaiveDate;
use harbor_core::consult::diagnoses::DiagnosisIndex;
use harbor_core::consult::quick_line::{Item, Known, understand};
use harbor_core::orders::Orderable;
use harbor_core::prescribing::Product;
use harbor_formats::{csv_tables, icd10cm};
use std::sync::LazyLock;

struct Tables {
    diagnoses: DiagnosisIndex,
    tests: Vec<Orderable>,
    products: Vec<Product>,
}

static TABLES: LazyLock<Tables> = LazyLock::new(|| {
    let data = |name: &str| std::fs::read(format!("{}/../../data/{name}", env!("CARGO_MANIFEST_DIR"))).unwrap();
    let release = icd10cm::table::read(&data("icd10cm-2026-04.table.gz")).unwrap();
    let words = csv_tables::diagnosis_words(&data("diagnosis_words.csv")).unwrap();
    Tables {
        diagnoses: DiagnosisIndex::new(release.entries).with_meanings(words).unwrap(),
        tests: csv_tables::laboratory_tests(&data("laboratory_tests.csv")).unwrap(),
        products: csv_tables::medicines::products(&data("prescribing/products.csv")).unwrap(),
    }
});

fn rows(line: &str) -> Vec<String> {
    let today = NaiveDate::from_ymd_opt(2026, 11, 30).unwrap();
    let known = Known {
        age: Some(40),
        diagnoses: Some(&TABLES.diagnoses),
        tests: &TABLES.tests,
        products: &TABLES.products,
        ..Known::nothing(today)
    };
    let items = understand(line, &known);
    items.iter().map(|i| i.row().iter().filter(|c| !c.is_empty()).cloned().collect::<Vec<_>>().join(" | ")).collect()
}

#[test]
fn orders_with_the_diagnosis_they_are_for() {
    let both = ["order | CBC | Complete blood count | for I10", "order | TSH | Thyrotropin | for I10"];
    assert_eq!(rows("order cbc tsh for htn"), both);
    assert_eq!(rows("order cbc, tsh for I10; hr 72")[..2], both);
    assert_eq!(rows("order cbc for her trip"), ["words | order cbc for her trip"], "no diagnosis is guessed");
}

#[test]
fn orders_by_their_names() {
    // A name of two words is taken whole; nothing of it is left as words.
    assert_eq!(rows("order uric acid, free t4, pregnancy test").len(), 3);
    assert!(rows("order uric acid")[0].contains("URIC"), "{:?}", rows("order uric acid"));
    assert_eq!(
        rows("order cbc, cmp a1c and lipids"),
        [
            "order | CBC | Complete blood count",
            "order | CMP | Comprehensive metabolic panel",
            "order | A1C | Hemoglobin A1c",
            "order | LIPID | Lipid panel",
        ]
    );
    assert_eq!(rows("cbc tsh").len(), 2, "nothing but tests needs no word before it");
    assert_eq!(rows("get a1c in 3 months"), ["words | get a1c in 3 months"], "no order of today");
    assert_eq!(rows("order a pizza"), ["words | order a pizza"]);
    assert_eq!(rows("k cl are fine"), ["words | k cl are fine"]);
}

#[test]
fn diagnoses_and_problems_with_their_codes() {
    assert_eq!(rows("dx htn, dm2"), ["diagnosis | I10 | htn", "diagnosis | E11.9 | dm2"]);
    // How far a treatment has come is no diagnosis.
    assert_eq!(rows("dx asthma, initial")[0], "diagnosis | J45.909 | asthma");
    assert_eq!(rows("dx asthma, initial").len(), 2, "the rest is words");
    // What is told as history is over; a new one is an emergency.
    assert_eq!(
        rows("hx mi 2018, stroke"),
        ["problem | I25.2 | mi | active, since 2018", "problem | Z86.73 | stroke | active"]
    );
    assert_eq!(rows("dx mi"), ["diagnosis | I21.9 | mi"]);
    assert_eq!(
        rows("problem asthma since 2010, gout resolved"),
        ["problem | J45.909 | asthma | active, since 2010", "problem | M10.9 | gout | resolved"]
    );
    assert_eq!(rows("I10"), ["diagnosis | I10 | Essential (primary) hypertension"]);
    assert_eq!(rows("dx ankle sprain right"), ["diagnosis | ankle sprain right"], "its seventh character is missing");
}

#[test]
fn prescriptions_prefilled_and_what_is_doubtful() {
    assert_eq!(
        rows("amoxicillin 500 tid 7d"),
        ["prescription | amoxicillin 500 mg capsule | 1 capsule three times a day | 7"]
    );
    assert_eq!(
        rows("rx ibuprofen 400mg 1 tab q8h prn pain 5 days"),
        ["prescription | ibuprofen 400 mg tablet | 1 tablet three times a day, when needed for pain | 5"]
    );
    assert_eq!(
        rows("lisinopril 10mg po qd #90 3 refills"),
        ["prescription | lisinopril 10 mg tablet | 1 tablet once a day | 90"]
    );
    assert!(
        rows("albuterol 2 puffs q4h prn wheeze 10d")[0].starts_with("prescription | salbutamol"),
        "by its other name"
    );
    let doubtful = rows("rx amoxicillin");
    assert!(doubtful[0].contains("several fit") && doubtful[0].contains("how often was not said"), "{doubtful:?}");
    assert!(
        rows("amoxicillin 333 tid 7d")[0].contains("no such strength here"),
        "{:?}",
        rows("amoxicillin 333 tid 7d")
    );
    assert_eq!(rows("amoxicillin helped last time"), ["words | amoxicillin helped last time"]);
    // An amount that no strength has is so many whole units of the largest one that makes it.
    for (line, row) in [
        ("prednisone 40 daily 5d", "prescription | prednisone 20 mg tablet | 2 tablets once a day | 5"),
        ("prednisone 30 mg daily 5d", "prescription | prednisone 10 mg tablet | 3 tablets once a day | 5"),
        (
            "levothyroxine 150 daily 90d",
            "prescription | levothyroxine 75 micrograms tablet | 2 tablets once a day | 90",
        ),
    ] {
        assert_eq!(rows(line), [row], "{line}");
    }
    // Some letters that begin one name mean another medicine, which may not be in the formulary.
    assert!(rows("nitro 100 bid 5d")[0].contains("“nitro” may mean another medicine"));
    assert_eq!(rows("takes nitro"), ["medicine | nitro | taking"]);
    assert_eq!(rows("amox 500 tid 7d"), rows("amoxicillin 500 tid 7d"));
    assert!(rows("amoxicillin 375 bid 10d")[0].contains("no such strength here"), "no half units are guessed");
}

#[test]
fn what_is_said_closer_of_a_problem_belongs_to_it() {
    assert_eq!(
        rows("problem asthma, mild intermittent since 2010"),
        ["problem | J45.20 | asthma mild intermittent | active, since 2010"]
    );
    assert_eq!(
        rows("problem asthma, mild intermittent since childhood"),
        ["problem | J45.909 | asthma | active", "words | mild intermittent since childhood"]
    );
    assert_eq!(rows("problem asthma, gout").len(), 2);
    assert_eq!(rows("dx htn, dm2").len(), 2);
}

#[test]
fn a_prescription_is_dosed_only_when_nothing_is_doubtful() {
    let known = Known { products: &TABLES.products, ..Known::nothing(NaiveDate::from_ymd_opt(2026, 11, 30).unwrap()) };
    let dosing = |line: &str| match understand(line, &known).into_iter().next() {
        Some(Item::Prescription(p)) => p.dosage(),
        other => panic!("{line}: {other:?}"),
    };
    let (d, refills) = dosing("lisinopril 10 bid 30d 2 refills").unwrap();
    assert_eq!((d.at_most(), d.days(), d.as_needed, refills), ((1.0, 2.0), 30, None, 2));
    assert!(dosing("rx amoxicillin").unwrap_err().starts_with("Not clear yet"));
    // As needed without a number of times: nobody guesses how often.
    assert!(dosing("rx ibuprofen 400 prn pain 5d").unwrap_err().contains("how often a day"));
}

#[test]
fn medicines_that_are_taken() {
    for (line, row) in [
        ("takes metformin 500 bid since 2019", "medicine | metformin 500 mg | twice a day | taking, since 2019"),
        ("stopped ibuprofen", "medicine | ibuprofen | stopped"),
        ("takes acetaminophen 500", "medicine | acetaminophen 500 mg | taking"),
        ("not taking lisinopril", "medicine | lisinopril | not_taking"),
        ("takes grandmother's tea", "medicine | grandmother's tea | taking"),
        ("on metformin", "medicine | metformin | taking"),
        // Since when it is taken, it is taken already: no prescription. An amount is no year.
        ("metformin 500 bid since 2019 taking", "medicine | metformin 500 mg | twice a day | taking, since 2019"),
        ("takes vitamin d 2000 iu daily", "medicine | vitamin d 2000 iu | once a day | taking"),
        ("admitted 2021 covid pneumonia", "hospital | covid pneumonia | 2021"),
        ("gad 7", "questionnaire | GAD-7"),
    ] {
        assert_eq!(rows(line), [row], "{line}");
    }
}

#[test]
fn a_whole_visit_on_one_line() {
    let all = rows("bp 142/88 hr 76; dx htn; order bmp; lisinopril 10 daily 90d; fu 3mo bp; smoker 5/day; feels well");
    assert_eq!(
        all,
        [
            "measure | systolic | 142 | mmHg | high",
            "measure | diastolic | 88 | mmHg | high",
            "measure | heart_rate | 76 | /min | usual",
            "diagnosis | I10 | htn",
            "order | BMP | Basic metabolic panel",
            "prescription | lisinopril 10 mg tablet | 1 tablet once a day | 90",
            "follow_up | 90 | bp",
            "social | tobacco | smokes | 5/day",
            "words | feels well",
        ]
    );
}

#[test]
fn every_test_of_the_list_is_ordered_by_its_code_and_reads_back() {
    let today = NaiveDate::from_ymd_opt(2026, 11, 30).unwrap();
    let known = Known { tests: &TABLES.tests, products: &TABLES.products, ..Known::nothing(today) };
    for test in &TABLES.tests {
        let item = Item::Order { code: test.code.clone(), name: test.name.clone(), under: None };
        assert_eq!(understand(&item.typed().unwrap(), &known), [item], "{}", test.code);
    }
}
