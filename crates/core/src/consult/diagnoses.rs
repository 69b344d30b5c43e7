//! Diagnosis codes of an ICD-10-CM release: what a code is, what may be billed, and finding one.
//!
//! Start at [`DiagnosisIndex`]: it is built once from the release's entries and then answers every
//! keystroke from memory.

mod check;
mod meanings;
mod references;
mod search;

pub use check::{Finding, Pair};
pub use meanings::Meaning;
pub use references::CodeReference;
pub use search::Hit;

use std::collections::HashMap;

/// One entry of the tabular list: a chapter, a section, a category or a code.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct CodeEntry {
    /// With its dot: `E11.9`. A section is named by its range (`E08-E13`), a chapter `Chapter 4`.
    pub code: String,
    pub title: String,
    /// Chapters and sections order the list; they are no codes.
    pub heading: bool,
    /// Nothing below it in the list: it may be billed, once its seventh character is added.
    pub leaf: bool,
    pub parent: Option<String>,
    pub inclusions: Vec<String>,
    pub excludes1: Vec<String>,
    pub excludes2: Vec<String>,
    pub code_first: Vec<String>,
    pub use_additional: Vec<String>,
    pub code_also: Vec<String>,
    /// Seventh characters defined here; they hold for everything below.
    pub seventh: Vec<(char, String)>,
}

/// Why a code cannot be billed as it stands.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum CodeProblem {
    #[error("{0} is not a code of this release.")]
    Unknown(String),
    #[error("{code} ({title}) is too general to bill; choose one of the {below} codes below it, such as {example}.")]
    TooGeneral { code: String, title: String, below: usize, example: String },
    #[error("{code} ({title}) needs a seventh character: {choices}.")]
    NeedsSeventh { code: String, title: String, choices: String },
    #[error("{code} cannot end in {given}; its seventh character is {choices}.")]
    WrongSeventh { code: String, given: char, choices: String },
}

/// A code that may be billed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BillableCode {
    /// With dot and seventh character: `T15.00XA`.
    pub code: String,
    pub title: String,
}

impl BillableCode {
    /// As X12 wants it: without the dot.
    pub fn undotted(&self) -> String {
        self.code.replace('.', "")
    }
}

/// A whole release in memory.
pub struct DiagnosisIndex {
    entries: Vec<CodeEntry>,
    /// Undotted code to entry.
    by_code: HashMap<String, usize>,
    parents: Vec<Option<usize>>,
    children: Vec<u32>,
    words: search::WordIndex,
    meanings: meanings::Meanings,
}

/// Where each undotted code stands, and below which entry each entry lies.
fn tree(entries: &[CodeEntry]) -> (HashMap<String, usize>, Vec<Option<usize>>) {
    let by_code: HashMap<String, usize> = entries.iter().enumerate().map(|(i, e)| (undot(&e.code), i)).collect();
    // The list's own order says which of two entries of one code is meant: a section of one category bears that
    // category's code, and lies above it.
    let mut open: Vec<usize> = Vec::new();
    let mut parents = Vec::with_capacity(entries.len());
    for (i, entry) in entries.iter().enumerate() {
        let parent =
            entry.parent.as_ref().and_then(|code| match open.iter().rposition(|o| entries[*o].code == *code) {
                Some(at) => {
                    open.truncate(at + 1);
                    open.last().copied()
                }
                None => by_code.get(&undot(code)).copied(),
            });
        if parent.is_none() {
            open.clear();
        }
        open.push(i);
        parents.push(parent);
    }
    (by_code, parents)
}

impl DiagnosisIndex {
    pub fn new(entries: Vec<CodeEntry>) -> Self {
        // The words take as long as the rest, and need nothing of it.
        let (words, (by_code, parents)) = std::thread::scope(|s| {
            let words = s.spawn(|| search::WordIndex::new(&entries));
            let rest = tree(&entries);
            (words.join().unwrap_or_else(|_| search::WordIndex::new(&entries)), rest)
        });
        let mut children = vec![0; entries.len()];
        for (i, parent) in parents.iter().enumerate() {
            if let Some(p) = parent.filter(|p| *p != i) {
                children[p] += 1;
            }
        }
        DiagnosisIndex { entries, by_code, parents, children, words, meanings: meanings::Meanings::default() }
    }

    /// The same, which also knows what people say: abbreviations of the trade and lay words.
    ///
    /// # Errors
    /// A row that names a code which the release lacks, or which is too general to bill.
    pub fn with_meanings(mut self, rows: Vec<Meaning>) -> Result<Self, CodeProblem> {
        self.meanings = meanings::Meanings::new(rows, &self)?;
        Ok(self)
    }

    /// How many entries there are that are codes, billable or not.
    pub fn len(&self) -> usize {
        self.entries.iter().filter(|e| !e.heading).count()
    }

    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    /// The entry with exactly this code, dotted or not.
    pub fn entry(&self, code: &str) -> Option<&CodeEntry> {
        self.position(&undot(code)).map(|i| &self.entries[i])
    }

    fn position(&self, undotted: &str) -> Option<usize> {
        self.by_code.get(undotted).copied()
    }

    /// The entry and everything it lies below, nearest first.
    fn line_of(&self, position: usize) -> impl Iterator<Item = &CodeEntry> {
        // A release that names an entry its own ancestor must not hang us: no list is deeper than 16.
        std::iter::successors(Some(position), |p| self.parents[*p]).take(16).map(|p| &self.entries[p])
    }

    /// The seventh characters that hold for an entry: those of the nearest entry that defines any.
    pub fn seventh_of(&self, code: &str) -> &[(char, String)] {
        self.position(&undot(code))
            .and_then(|p| self.line_of(p).find(|e| !e.seventh.is_empty()))
            .map_or(&[], |e| &e.seventh)
    }

    /// The code as it may be billed, or what is missing. Placeholders X are filled in when a seventh
    /// character follows a shorter code directly (`W19A` is `W19.XXXA`).
    pub fn resolve(&self, typed: &str) -> Result<BillableCode, CodeProblem> {
        let undotted = undot(typed);
        if let Some(position) = self.position(&undotted) {
            return self.billable_as_it_is(position);
        }
        let unknown = || CodeProblem::Unknown(typed.trim().chars().take(20).collect());
        let mut chars: Vec<char> = undotted.chars().collect();
        let Some(seventh) = chars.pop().filter(|_| (4..=7).contains(&undotted.chars().count())) else {
            return Err(unknown());
        };
        let mut base: String = chars.into_iter().collect();
        let position = loop {
            match self.position(&base) {
                Some(position) => break position,
                None if base.ends_with('X') => base.pop(),
                None => return Err(unknown()),
            };
        };
        let entry = &self.entries[position];
        let allowed = self.seventh_of(&entry.code);
        if entry.heading || allowed.is_empty() {
            return Err(unknown());
        }
        if !entry.leaf {
            return Err(self.too_general(position));
        }
        match allowed.iter().find(|(c, _)| *c == seventh) {
            Some((_, meaning)) => Ok(BillableCode {
                code: dot(&format!("{base:X<6}{seventh}")),
                title: format!("{}, {meaning}", entry.title),
            }),
            None => {
                Err(CodeProblem::WrongSeventh { code: entry.code.clone(), given: seventh, choices: choices(allowed) })
            }
        }
    }

    fn billable_as_it_is(&self, position: usize) -> Result<BillableCode, CodeProblem> {
        let entry = &self.entries[position];
        if entry.heading {
            return Err(CodeProblem::Unknown(entry.code.clone()));
        }
        if !entry.leaf {
            return Err(self.too_general(position));
        }
        let allowed = self.seventh_of(&entry.code);
        if allowed.is_empty() || undot(&entry.code).len() == 7 {
            Ok(BillableCode { code: entry.code.clone(), title: entry.title.clone() })
        } else {
            Err(CodeProblem::NeedsSeventh {
                code: entry.code.clone(),
                title: entry.title.clone(),
                choices: choices(allowed),
            })
        }
    }

    fn too_general(&self, position: usize) -> CodeProblem {
        let entry = &self.entries[position];
        let example = (position + 1..self.entries.len())
            .find(|p| self.entries[*p].leaf)
            .map_or_else(String::new, |p| self.entries[p].code.clone());
        CodeProblem::TooGeneral {
            code: entry.code.clone(),
            title: entry.title.clone(),
            below: self.children[position] as usize,
            example,
        }
    }

    /// The codes directly below an entry.
    pub fn below(&self, code: &str) -> Vec<&CodeEntry> {
        let Some(position) = self.position(&undot(code)) else { return vec![] };
        (position + 1..self.entries.len())
            .filter(|i| self.parents[*i] == Some(position))
            .map(|i| &self.entries[i])
            .collect()
    }
}

fn choices(seventh: &[(char, String)]) -> String {
    seventh.iter().map(|(c, meaning)| format!("{c} {meaning}")).collect::<Vec<_>>().join(", ")
}

/// Own favourites: use counts half after so many days, only that of the last year counts, and so many codes are liked.
pub const FAVOURITES_HALF_AFTER_DAYS: i32 = 90;
pub const FAVOURITES_OF_DAYS: i32 = 365;
pub const MOST_FAVOURITES: i32 = 40;

/// Capitals without dots and blanks.
fn undot(code: &str) -> String {
    code.chars().filter(|c| *c != '.' && !c.is_whitespace()).flat_map(char::to_uppercase).collect()
}

/// Whether a diagnosis joins the problem list when a visit records it. Findings (chapter R), injuries
/// and poisonings (S, T), what caused them (V to Y) and mere contacts with the clinic (Z) belong to
/// their day; ICD-10-CM chapters 18 to 21.
pub fn lasts(code: &str) -> bool {
    !code.starts_with(['R', 'S', 'T', 'V', 'W', 'X', 'Y', 'Z'])
}

/// With the dot after the third character.
pub fn dot(undotted: &str) -> String {
    match undotted.char_indices().nth(3) {
        Some((at, _)) => format!("{}.{}", &undotted[..at], &undotted[at..]),
        None => undotted.to_owned(),
    }
}
