//! What is asked at every letter: the searches of diagnoses and medicines, the quick line, and the checks of a prescription.

use crate::percentile;
use anyhow::{Context, Result};
use chrono::NaiveDate;
use harbor_core::consult::quick_line::{Known, understand};
use harbor_core::people::Sex;
use harbor_core::prescribing::search::MedicineSearch;
use harbor_core::prescribing::{Allergy, Dated, Medicine, Patient, Prescribed, Rules, check};
use harbor_formats::csv_tables::medicines::{SHIPPED, SHIPPED_PRODUCTS, products, tables};
use harbor_server::tables::Tables;
use harbor_server::tables::medicines::MedicineTables;
use std::time::Instant;

pub fn diagnosis_search() -> Result<()> {
    let tables = Tables::shared()?;
    let phrases = [
        "essential hypertension",
        "type 2 diabetes mellitus without complications",
        "obstructive sleep apnea",
        "chronic cough",
        "fracture of lower end of radius",
        "other specified disorders",
        "pain in right knee",
        "major depressive disorder single",
        "e11.9",
        "s93.401",
        "encounter for screening",
        "acute upper respiratory infection",
        "o",
        "unspecified",
        // What people say, and slips of the finger.
        "heart attack",
        "htn with ckd",
        "R ankle sprain",
        "migrane headake",
        "diabetis",
        "bad cough at night",
        "inguinal hernia left",
        "melanoma of back",
    ];
    let mut times = Vec::new();
    for _ in 0..20 {
        for phrase in phrases {
            for end in 1..=phrase.len() {
                let begun = Instant::now();
                std::hint::black_box(tables.diagnoses.search(&phrase[..end], &[], 12));
                times.push(begun.elapsed());
            }
        }
    }
    let n = times.len();
    let p99 = percentile(&mut times, 0.99);
    println!(
        "| diagnosis search over the full release, per keystroke, p99 of {n} | {:.2} ms | 2 ms |",
        p99.as_secs_f64() * 1e3
    );
    Ok(())
}

/// The quick line, per keystroke, with every table that a screen has.
pub fn quick_line() -> Result<()> {
    let tables = Tables::shared()?;
    let known = Known {
        age: Some(40),
        diagnoses: Some(&tables.diagnoses),
        tests: &tables.orderables,
        products: MedicineTables::shipped()?.rules.products(),
        ..Known::nothing(NaiveDate::from_ymd_opt(2026, 11, 30).context("a day")?)
    };
    let lines = [
        "bp 128/82 sitting left arm hr 72 t 37,1 w 150 lb h 5'10\" sat 98%",
        "mother breast cancer 41, father died mi 60; smoker 1 ppd for 20 years; no alcohol; lives alone",
        "dx htn, dm2; order cbc, cmp a1c; amoxicillin 500 tid 7d; fu 3mo bp; refer cardiology for palpitations",
        "problem asthma since 2010 resolved; allergy penicillin hives severe; takes metformin 500 bid since 2019",
        "she says that the cough began two weeks ago after her son had been ill, and that it is worse at night",
    ];
    let mut times = Vec::new();
    for _ in 0..20 {
        for line in lines {
            for end in (1..=line.len()).filter(|end| line.is_char_boundary(*end)) {
                let begun = Instant::now();
                std::hint::black_box(understand(&line[..end], &known));
                times.push(begun.elapsed());
            }
        }
    }
    let n = times.len();
    let p99 = percentile(&mut times, 0.99);
    println!("| the quick line, per keystroke, p99 of {n} | {:.2} ms | 1 ms |", p99.as_secs_f64() * 1e3);
    Ok(())
}

/// As many products as a large formulary has.
const PRODUCTS: usize = 20_000;

/// The search of medicines, per keystroke, among many products: the shipped ones in the packs of many makers.
pub fn medicine_search() -> Result<()> {
    let mut all = products(SHIPPED_PRODUCTS)?;
    let shipped = all.len();
    for n in shipped..PRODUCTS {
        let mut copy = all[n % shipped].clone();
        copy.code = format!("{}-{n}", copy.code);
        copy.brand = format!("{} {}", copy.brand, n / shipped);
        all.push(copy);
    }
    let rules = Rules::new(tables(&SHIPPED)?, all).map_err(anyhow::Error::msg)?;
    let index = MedicineSearch::new(&rules);
    let phrases = [
        "metformin dapagliflozin",
        "amoxicillin 250 susp",
        "ibuprofen child",
        "acetaminophen 500",
        "lisinopril hydrochlorothiazide 20/25",
        "pain",
        "blood pressure",
        "tablet 10",
        "amoxicilin",
        "prednisolnoe",
    ];
    let mut times = Vec::new();
    for _ in 0..20 {
        for phrase in phrases {
            for end in 1..=phrase.len() {
                let begun = Instant::now();
                std::hint::black_box(index.find(&phrase[..end], &|at| u32::from(at % 50 == 0)));
                times.push(begun.elapsed());
            }
        }
    }
    let n = times.len();
    let p99 = percentile(&mut times, 0.99);
    println!(
        "| medicine search among {PRODUCTS} products, per keystroke, p99 of {n} | {:.2} ms | 2 ms |",
        p99.as_secs_f64() * 1e3
    );
    Ok(())
}

/// All checks of one prescription for somebody who takes twenty medicines and has fifteen problems.
pub fn prescription_checks() -> Result<()> {
    let rules = &MedicineTables::shipped()?.rules;
    let every = |n: usize| &rules.products()[n % rules.products().len()];
    let allergy = |substance: &str| Allergy { substance: substance.into(), reaction: "hives".into(), severity: None };
    let patient = Patient {
        age_days: Some(27_000),
        sex: Sex::Female,
        weight: Some(Dated { value: 62.0, days_old: 10 }),
        height: Some(163.0),
        creatinine: Some(Dated { value: 1.4, days_old: 30 }),
        allergies_asked: true,
        allergies: ["penicillin", "sulfa", "aspirin"].map(allergy).to_vec(),
        problems: (0..15).map(|n| rules.harms[n * 17 % rules.harms.len()].diagnosis.clone()).collect(),
        taking: (0..20).map(|n| rules.medicine_of(every(n * 31))).collect(),
        ..Patient::default()
    };
    let mut times = Vec::new();
    for _ in 0..10 {
        for product in rules.products() {
            let medicine = Medicine { dose: Some(1.0), per_day: Some(2.0), ..rules.medicine_of(product) };
            let item = Prescribed { medicine, days: Some(30) };
            let begun = Instant::now();
            std::hint::black_box(check(rules, &item, &patient));
            times.push(begun.elapsed());
        }
    }
    let n = times.len();
    let p99 = percentile(&mut times, 0.99);
    println!("| all checks of one prescription, p99 of {n} | {:.2} ms | 1 ms |", p99.as_secs_f64() * 1e3);
    Ok(())
}
