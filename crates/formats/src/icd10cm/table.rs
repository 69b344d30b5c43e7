//! A release as a compact table, so that every start of the program does not read the XML anew.
//!
//! Gzip around lines of UTF-8. The first is `harbor-codes 1` and the release's version; then one line an entry, `E`, with depth, `h` for a
//! heading or `c` for a code, code and title between tabs, and after it a line for each of its notes: a letter and the text. Parents
//! and leaves follow from the depths.

use super::{Release, unpacked, wrong};
use crate::Located;
use harbor_core::consult::diagnoses::CodeEntry;
use std::fmt::Write as _;
use std::io::Write as _;

const FIRST: &str = "harbor-codes 1";

/// The table of a release.
///
/// # Errors
/// When packing fails; in memory it does not.
pub fn write(release: &Release) -> std::io::Result<Vec<u8>> {
    let mut text = format!("{FIRST}\t{}\n", release.version);
    let mut open: Vec<&str> = Vec::new();
    for e in &release.entries {
        open.truncate(e.parent.as_ref().and_then(|p| open.iter().rposition(|o| o == p)).map_or(0, |at| at + 1));
        let _ = writeln!(text, "E{}\t{}\t{}\t{}", open.len(), if e.heading { 'h' } else { 'c' }, e.code, e.title);
        open.push(&e.code);
        for (letter, notes) in lists(e) {
            for note in notes {
                let _ = writeln!(text, "{letter}{note}");
            }
        }
        for (character, note) in &e.seventh {
            let _ = writeln!(text, "7{character}{note}");
        }
    }
    let mut packed = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::best());
    packed.write_all(text.as_bytes())?;
    packed.finish()
}

fn lists(e: &CodeEntry) -> [(char, &Vec<String>); 6] {
    [
        ('i', &e.inclusions),
        ('1', &e.excludes1),
        ('2', &e.excludes2),
        ('f', &e.code_first),
        ('u', &e.use_additional),
        ('a', &e.code_also),
    ]
}

/// Reads a table.
///
/// # Errors
/// When it is none, or a line of it cannot be read; the segment told is the line's number.
pub fn read(bytes: &[u8]) -> Result<Release, Located> {
    let plain = unpacked(bytes)?;
    let text = std::str::from_utf8(&plain).map_err(|e| wrong(e.valid_up_to(), "", "UTF-8".into()))?;
    let mut lines = text.lines();
    let version = lines.next().and_then(|l| l.strip_prefix(FIRST)?.strip_prefix('\t'));
    let version = version.ok_or_else(|| wrong(0, "", format!("a table that begins with {FIRST}")))?.to_owned();
    let mut entries: Vec<CodeEntry> = Vec::with_capacity(60_000);
    let mut open: Vec<usize> = Vec::new();
    for (n, line) in lines.enumerate() {
        let fault = || Located { segment: n + 2, ..wrong(0, "", "a line of the table".into()) };
        if let Some(rest) = line.strip_prefix('E') {
            let mut parts = rest.splitn(4, '\t');
            let mut part = || parts.next().ok_or_else(fault);
            let depth: usize = part()?.parse().map_err(|_| fault())?;
            let heading = part()? == "h";
            let (code, title) = (part()?.to_owned(), part()?.to_owned());
            if depth > open.len() {
                return Err(fault());
            }
            open.truncate(depth);
            let parent = open.last().map(|p| {
                entries[*p].leaf = false;
                entries[*p].code.clone()
            });
            open.push(entries.len());
            entries.push(CodeEntry { code, title, heading, leaf: !heading, parent, ..CodeEntry::default() });
            continue;
        }
        let entry = entries.last_mut().ok_or_else(fault)?;
        let mut rest = line.chars();
        let letter = rest.next().ok_or_else(fault)?;
        let list = match letter {
            'i' => &mut entry.inclusions,
            '1' => &mut entry.excludes1,
            '2' => &mut entry.excludes2,
            'f' => &mut entry.code_first,
            'u' => &mut entry.use_additional,
            'a' => &mut entry.code_also,
            '7' => {
                let character = rest.next().ok_or_else(fault)?;
                entry.seventh.push((character, rest.as_str().to_owned()));
                continue;
            }
            _ => return Err(fault()),
        };
        list.push(rest.as_str().to_owned());
    }
    if entries.iter().all(|e| e.heading) {
        return Err(wrong(plain.len(), "", "at least one code".into()));
    }
    Ok(Release { version, entries })
}
