//! The standing attack: bounded, on loopback alone, against a product of its own. The tests run it short.
//!
//! Four parts: [`spellings`] of every route, [`fuzz`] against the API document as each role, [`pairs`] of writes to one
//! record at one moment, and [`kills`] of the server in the middle of its work. After each the records are held against
//! [`invariants`].

pub mod api;
pub mod fuzz;
pub mod hand;
pub mod invariants;
pub mod kills;
pub mod pairs;
pub mod spellings;

use anyhow::Result;
use std::path::Path;

/// What became of one part.
#[derive(Debug, Clone)]
pub struct Tally {
    pub part: String,
    pub asked: usize,
    /// What was wrong, the first ones in words.
    pub faults: Vec<String>,
    pub wrong: usize,
}

impl Tally {
    pub fn of(part: impl Into<String>) -> Tally {
        Tally { part: part.into(), asked: 0, faults: vec![], wrong: 0 }
    }

    /// Counts one question, and tells about it when its answer was wrong.
    pub fn asked(&mut self, right: bool, what: impl FnOnce() -> String) {
        self.asked += 1;
        if !right {
            self.wrong += 1;
            if self.faults.len() < 40 {
                self.faults.push(what());
            }
        }
    }
}

/// How much of everything.
#[derive(Debug, Clone, Copy)]
pub struct Size {
    pub fuzzed_per_role: usize,
    pub rounds_per_pair: usize,
    pub kills: usize,
}

pub const SHORT: Size = Size { fuzzed_per_role: 250, rounds_per_pair: 1, kills: 2 };
pub const WHOLE: Size = Size { fuzzed_per_role: 4_000, rounds_per_pair: 6, kills: 20 };

/// Runs every part; `server` is the program that is killed.
pub async fn run(server: &Path, size: Size, say: impl Fn(&str)) -> Result<Vec<Tally>> {
    let product = crate::testing::Product::start().await?;
    let mut hands = Vec::new();
    for (_, login) in spellings::LOGINS {
        hands.push(hand::Hand::sign_in(product.address(), login).await?);
    }
    let mut all = Vec::new();
    say("spellings");
    all.push(spellings::run(product.address(), &hands).await?);
    for (hand, (role, _)) in hands.iter().zip(spellings::LOGINS) {
        say(&format!("fuzz as {role}"));
        all.push(fuzz::run(hand, &hands, role, size.fuzzed_per_role).await?);
    }
    all.push(invariants::held(&product.database_url, None, &[], "records after the fuzz").await?);
    product.stop().await?;
    say("pairs of writes");
    let product = crate::testing::Product::start().await?;
    all.push(pairs::run(&product, size.rounds_per_pair).await?);
    let outside = product.outside.clone();
    all.push(invariants::held(&product.database_url, Some(&outside), &[], "records after the pairs").await?);
    say("kills");
    all.push(kills::run(&product, server, size.kills).await?);
    product.stop().await?;
    Ok(all)
}

/// The outcome as a table.
pub fn table(all: &[Tally]) -> String {
    let mut out = format!("{:<44} {:>8} {:>8}\n", "part", "asked", "wrong");
    for t in all {
        out += &format!("{:<44} {:>8} {:>8}\n", t.part, t.asked, t.wrong);
    }
    for fault in all.iter().flat_map(|t| &t.faults) {
        out += &format!("wrong: {fault}\n");
    }
    out
}
