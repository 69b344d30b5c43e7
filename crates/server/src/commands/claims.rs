//! `harbor claim`: files of claims, judged by the rules that the screens use.

use crate::tables::Tables;
use anyhow::{Context, Result};
use clap::Subcommand;
use harbor_core::charges::claim_check::{NOT_IN_A_FILE, check_of_file};
use harbor_formats::Located;
use harbor_formats::x12::{self, Set, claim};
use std::io::Read;
use std::path::{Path, PathBuf};

#[derive(Subcommand)]
pub enum Claims {
    /// Judge the claims of an 837P file: claim, severity, code and sentence a line, by tabs; `-` reads standard input.
    Check { file: PathBuf },
}

/// What was found in a file: its lines, and whether anything would stop a claim.
struct Judged {
    lines: Vec<String>,
    stops: bool,
}

impl Claims {
    /// Prints what is found. Says whether anything stops a claim.
    ///
    /// # Errors
    /// When the file cannot be read, with its place.
    pub fn run(self) -> Result<bool> {
        let Claims::Check { file } = self;
        let bytes = read(&file)?;
        let judged = judge(&x12::envelope::decode(&bytes)).with_context(|| file.display().to_string())?;
        judged.lines.iter().for_each(|line| println!("{line}"));
        eprintln!("{NOT_IN_A_FILE}");
        Ok(judged.stops)
    }
}

pub(super) fn read(file: &Path) -> Result<Vec<u8>> {
    let mut bytes = Vec::new();
    if file.as_os_str() == "-" {
        std::io::stdin().read_to_end(&mut bytes).context("reading standard input")?;
        return Ok(bytes);
    }
    std::fs::read(file).with_context(|| format!("reading {}", file.display()))
}

fn judge(text: &str) -> Result<Judged> {
    let unreadable = |e: Located| anyhow::anyhow!("{e}");
    let document = x12::read(text).map_err(unreadable)?;
    let sets: Vec<&Set> = document.interchanges.iter().flat_map(|i| &i.groups).flat_map(|g| &g.sets).collect();
    let index = &Tables::shared()?.diagnoses;
    let mut out = Judged { lines: vec![], stops: false };
    for set in sets {
        let batch = claim::read(set).map_err(unreadable)?;
        for (number, fault) in claim::faults(&batch) {
            out.stops = true;
            out.lines.push(format!("{number}\tstops\tguide\tThe claim has {fault}."));
        }
        for c in &batch.claims {
            let day = batch.written.or_else(|| c.lines.iter().map(|l| l.service_date).max()).unwrap_or_default();
            let check = check_of_file(c, &batch.biller.address.postal_code, day, index);
            out.stops |= !check.is_ready();
            out.lines.extend(
                check.faults.iter().map(|f| format!("{}\t{}\t{}\t{}", c.number, f.severity.code(), f.code, f.sentence)),
            );
        }
    }
    Ok(out)
}
