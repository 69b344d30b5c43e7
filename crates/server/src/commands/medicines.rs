//! `harbor medicines`: finding and checking, with the very code and tables that the screens use.

pub mod importing;

use anyhow::{Context, Result};
use harbor_core::prescribing::search::MedicineSearch;
use harbor_core::prescribing::{Severity, check as check_all};
use harbor_formats::csv_tables::medicines::shipped;
use harbor_formats::medicine_case;
use std::io::Read;
use std::path::Path;

/// Prints what was found, the best first: code, brand, ingredients, form and strength.
pub fn search(words: &str) -> Result<()> {
    let rules = shipped()?;
    for at in MedicineSearch::new(&rules).find(words, &|_| 0) {
        let p = &rules.products()[at];
        println!("{}\t{}\t{}\t{}\t{}", p.code, p.brand, p.ingredients.join(";"), p.form, p.strength);
    }
    Ok(())
}

/// Prints what speaks against the prescription of a case, the gravest first: severity, kind and sentence. Says whether
/// anything serious was told.
pub fn check(case: &Path) -> Result<bool> {
    let mut bytes = Vec::new();
    if case.as_os_str() == "-" {
        std::io::stdin().read_to_end(&mut bytes).context("reading standard input")?;
    } else {
        bytes = std::fs::read(case).with_context(|| format!("reading {}", case.display()))?;
    }
    let rules = shipped()?;
    let case = medicine_case::read(&bytes, &rules).map_err(|e| anyhow::anyhow!("{}: expected {}", e.id, e.expected))?;
    let findings = check_all(&rules, &case.item, &case.patient);
    for f in &findings {
        println!("{}\t{}\t{}", f.severity.code(), f.kind.code(), f.sentence);
    }
    Ok(findings.iter().any(|f| f.severity == Severity::Serious))
}
