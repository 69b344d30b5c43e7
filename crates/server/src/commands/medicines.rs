//! `harbor medicines`: finding and checking, with the very code and tables that the screens use.

pub mod importing;

use anyhow::{Context, Result};
use harbor_core::prescribing::search::MedicineSearch;
use harbor_core::prescribing::{Severity, check as check_all};
use harbor_formats::csv_tables::medicines::shipped;
use harbor_formats::medicine_case;
use std::io::Read;
use std::path::{Path, PathBuf};

/// Finding medicines, checking a prescription, a clinic's own tables.
#[derive(clap::Subcommand)]
pub enum Medicines {
    /// The twenty best products for some words: code, brand, ingredients, form, strength.
    Search { words: String },
    /// What speaks against the prescription of a case in JSON (`-` reads standard input): severity, kind, sentence. Exits 1
    /// when something serious does, 2 when the case cannot be read.
    Check { case: PathBuf },
    /// A clinic's own tables (the files of data/prescribing, all or some): what they change, a row a line; kept unless it is a
    /// dry run. Exits 1 when a product that is in use goes, 2 when a table cannot be read.
    Import {
        folder: PathBuf,
        #[arg(long, env = "HARBOR_DATABASE")]
        database: String,
        /// The day from which they count, as 2026-12-31; today when it is not said.
        #[arg(long)]
        from: Option<chrono::NaiveDate>,
        /// Keeps nothing.
        #[arg(long)]
        dry_run: bool,
    },
}

impl Medicines {
    /// Does what was asked; says whether there is something serious to say.
    pub async fn run(self) -> Result<bool> {
        match self {
            Medicines::Search { words } => search(&words).map(|()| false),
            Medicines::Check { case } => check(&case),
            Medicines::Import { folder, database, from, dry_run } => {
                importing::import(&database, &folder, from, dry_run).await
            }
        }
    }
}

/// Prints what was found, the best first: code, brand, ingredients, form and strength.
pub fn search(words: &str) -> Result<()> {
    let rules = shipped()?;
    for at in MedicineSearch::new(&rules).find(words, &|at| rules.products()[at].liked(0)) {
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
