//! `harbor remittance`: what would be posted of a payer's file, by the rules that post.

use super::claims::read;
use anyhow::{Context, Result, bail};
use clap::Subcommand;
use harbor_core::money::remittance::Remittance;
use harbor_core::money::remittance::matching::{KnownClaim, KnownLine, Standing};
use harbor_core::money::remittance::plan::{PlanAccount, plan};
use harbor_formats::Located;
use harbor_formats::x12::{self, claim, remittance};
use std::collections::HashMap;
use std::path::{Path, PathBuf};

#[derive(Subcommand)]
pub enum Remittances {
    /// Print what would be posted of an 835: claim, line, account, amount and sentence, by tabs; `-` reads standard input. Line 0
    /// is the claim as a whole; of what is outside claims the first column is the payer's reference. A file that does not balance
    /// posts nothing: what is wrong stands on stderr.
    Plan {
        file: PathBuf,
        /// The claims that were sent, as an 837P file.
        #[arg(long)]
        claims: PathBuf,
        /// Each patient has another policy after this payer.
        #[arg(long)]
        next_payer: bool,
    },
}

impl Remittances {
    /// Prints the plan. Says whether something waits for a person: what is denied, unmatched, or does not balance.
    ///
    /// # Errors
    /// When a file cannot be read, with its place.
    pub fn run(self) -> Result<bool> {
        let Remittances::Plan { file, claims, next_payer } = self;
        let known = sent(&claims).with_context(|| claims.display().to_string())?;
        let (payments, wrong) = payments(&file).with_context(|| file.display().to_string())?;
        if !wrong.is_empty() {
            wrong.iter().for_each(|sentence| eprintln!("{sentence}"));
            return Ok(true);
        }
        let mut standing = Standing::default();
        let mut waits = false;
        for r in &payments {
            for claim in &r.claims {
                // A finding on the claim, not a refusal of the file.
                if let Some(sentence) = claim.share_disagrees() {
                    eprintln!("{sentence}");
                }
            }
            for row in plan(r, |number| known.get(number), next_payer, &mut standing) {
                waits |= matches!(row.account, PlanAccount::Denied | PlanAccount::Unmatched);
                println!("{}\t{}\t{}\t{}\t{}", row.claim, row.line, row.account.code(), row.amount, row.sentence);
            }
        }
        Ok(waits)
    }
}

/// The claims of an 837P file by their numbers.
fn sent(file: &Path) -> Result<HashMap<String, KnownClaim>> {
    let bytes = read(file)?;
    let text = x12::envelope::decode(&bytes);
    let document = x12::read(&text).map_err(unreadable)?;
    let mut known = HashMap::new();
    for set in document.interchanges.iter().flat_map(|i| &i.groups).flat_map(|g| &g.sets) {
        for c in claim::read(set).map_err(unreadable)?.claims {
            let lines =
                c.lines.iter().map(|l| KnownLine { control: l.control.clone(), code: l.code.clone(), fee: l.fee });
            let one = KnownClaim {
                number: c.number.clone(),
                payer_id: c.payer_id.clone(),
                payer_name: c.payer_name.clone(),
                patient_last: c.patient.last.clone(),
                patient_first: c.patient.first.clone(),
                total: c.total(),
                lines: lines.collect(),
            };
            known.insert(c.number, one);
        }
    }
    Ok(known)
}

/// The payments of an 835 file, and what of it does not balance.
fn payments(file: &Path) -> Result<(Vec<Remittance>, Vec<String>)> {
    let bytes = read(file)?;
    let text = x12::envelope::decode(&bytes);
    let document = x12::read(&text).map_err(unreadable)?;
    let (mut all, mut wrong) = (vec![], vec![]);
    for group in document.interchanges.iter().flat_map(|i| &i.groups) {
        if group.version != remittance::VERSION {
            bail!("the file is written by version {}; {} is read here", group.version, remittance::VERSION);
        }
        for set in &group.sets {
            if set.kind != "835" {
                bail!("the file holds a set {}; a remittance is a set 835", set.kind);
            }
            let r = remittance::read(set).map_err(unreadable)?;
            wrong.extend(r.check_balance().err().into_iter().flatten().map(|imbalance| imbalance.to_string()));
            all.push(r);
        }
    }
    if all.is_empty() {
        bail!("the file holds no remittance");
    }
    Ok((all, wrong))
}

fn unreadable(e: Located) -> anyhow::Error {
    anyhow::anyhow!("{e}")
}
