//! The ICD-10-CM tabular list as released (XML), to the entries of [`harbor_core::consult::diagnoses`].

pub mod table;

use crate::Located;
use harbor_core::consult::diagnoses::CodeEntry;
use quick_xml::Reader;
use quick_xml::events::{BytesStart, Event};
use std::borrow::Cow;

/// A release.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Release {
    /// The fiscal year it belongs to.
    pub version: String,
    pub entries: Vec<CodeEntry>,
}

/// Reads the tabular list; gzip is recognised by its first bytes.
///
/// # Errors
/// When it is no whole tabular list.
pub fn read(bytes: &[u8]) -> Result<Release, Located> {
    read_plain(&unpacked(bytes)?)
}

fn unpacked(bytes: &[u8]) -> Result<Cow<'_, [u8]>, Located> {
    if !bytes.starts_with(&[0x1f, 0x8b]) {
        return Ok(Cow::Borrowed(bytes));
    }
    let mut plain = Vec::new();
    // The release has some ten megabytes; a file that unpacks to far more is not one.
    let mut limited = std::io::Read::take(flate2::read::GzDecoder::new(bytes), 200_000_000);
    std::io::Read::read_to_end(&mut limited, &mut plain)
        .map_err(|e| wrong(0, "", format!("a readable gzip file ({e})")))?;
    Ok(Cow::Owned(plain))
}

fn wrong(byte: usize, id: &str, expected: String) -> Located {
    Located { segment: 0, byte, id: id.to_owned(), element: None, expected }
}

/// Which list of the entry the notes go to.
#[derive(Clone, Copy, PartialEq, Eq)]
enum Notes {
    Inclusions,
    Excludes1,
    Excludes2,
    CodeFirst,
    UseAdditional,
    CodeAlso,
}

#[derive(Default)]
struct State {
    version: String,
    done: Vec<CodeEntry>,
    /// Entries that are open, with the position where each will stand.
    open: Vec<usize>,
    notes: Option<Notes>,
    seventh: Option<char>,
    text: String,
    skipping: usize,
}

fn read_plain(bytes: &[u8]) -> Result<Release, Located> {
    let mut reader = Reader::from_reader(bytes);
    let mut s = State::default();
    let mut saw_root = false;
    loop {
        let at = usize::try_from(reader.buffer_position()).unwrap_or(0);
        match reader.read_event().map_err(|e| wrong(at, "", format!("well-formed XML ({e})")))? {
            Event::Eof => break,
            Event::Start(tag) => {
                saw_root |= tag.name().as_ref() == "ICD10CM.tabular";
                start(&mut s, &tag, at)?;
            }
            Event::Empty(_) | Event::Comment(_) | Event::Decl(_) | Event::PI(_) | Event::DocType(_) => {}
            Event::Text(t) => s.text.push_str(t.as_ref()),
            Event::CData(t) => s.text.push_str(t.as_ref()),
            Event::GeneralRef(r) => s.text.push_str(match r.as_ref() {
                "amp" => "&",
                "lt" => "<",
                "gt" => ">",
                "quot" => "\"",
                "apos" => "'",
                _ => " ",
            }),
            Event::End(tag) => end(&mut s, tag.name().as_ref()),
        }
    }
    if !saw_root || !s.open.is_empty() {
        return Err(wrong(bytes.len(), "ICD10CM.tabular", "a whole tabular list; the file ends before".into()));
    }
    if s.done.iter().all(|e| e.heading) {
        return Err(wrong(bytes.len(), "diag", "at least one code".into()));
    }
    Ok(Release { version: s.version, entries: s.done })
}

fn start(s: &mut State, tag: &BytesStart, at: usize) -> Result<(), Located> {
    s.text.clear();
    if s.skipping > 0 {
        s.skipping += 1;
        return Ok(());
    }
    match tag.name().as_ref() {
        "introduction" | "sectionIndex" | "visualImpairment" => s.skipping = 1,
        "chapter" | "section" | "diag" => {
            if s.open.len() > 12 {
                return Err(wrong(at, "diag", "entries at most twelve deep".into()));
            }
            let parent = s.open.last().map(|p| s.done[*p].code.clone());
            // By where it lies, not by its code: a section of one category bears that category's code (B20).
            if let Some(above) = s.open.last() {
                s.done[*above].leaf = false;
            }
            let heading = tag.name().as_ref() != "diag";
            let mut entry = CodeEntry { parent, heading, leaf: !heading, ..CodeEntry::default() };
            if tag.name().as_ref() == "section"
                && let Ok(Some(id)) = tag.try_get_attribute("id")
            {
                entry.code = id.value.into_owned();
            }
            s.open.push(s.done.len());
            s.done.push(entry);
        }
        "inclusionTerm" | "includes" => s.notes = Some(Notes::Inclusions),
        "excludes1" => s.notes = Some(Notes::Excludes1),
        "excludes2" => s.notes = Some(Notes::Excludes2),
        "codeFirst" => s.notes = Some(Notes::CodeFirst),
        "useAdditionalCode" => s.notes = Some(Notes::UseAdditional),
        "codeAlso" => s.notes = Some(Notes::CodeAlso),
        "sevenChrNote" | "notes" => s.notes = None,
        "extension" => {
            let character = tag.try_get_attribute("char").ok().flatten();
            s.seventh = character.and_then(|c| c.value.chars().next());
        }
        _ => {}
    }
    Ok(())
}

fn end(s: &mut State, name: &str) {
    if s.skipping > 0 {
        s.skipping -= 1;
        return;
    }
    let text = s.text.split_whitespace().collect::<Vec<_>>().join(" ");
    s.text.clear();
    let Some(entry) = s.open.last().map(|p| &mut s.done[*p]) else {
        if name == "version" {
            s.version = text;
        }
        return;
    };
    match name {
        "name" => entry.code = if entry.heading { format!("Chapter {text}") } else { text },
        "desc" => entry.title = text,
        "note" => {
            if let Some(notes) = s.notes {
                let list = match notes {
                    Notes::Inclusions => &mut entry.inclusions,
                    Notes::Excludes1 => &mut entry.excludes1,
                    Notes::Excludes2 => &mut entry.excludes2,
                    Notes::CodeFirst => &mut entry.code_first,
                    Notes::UseAdditional => &mut entry.use_additional,
                    Notes::CodeAlso => &mut entry.code_also,
                };
                list.push(text);
            }
        }
        "extension" => {
            if let Some(character) = s.seventh.take() {
                entry.seventh.push((character, text));
            }
        }
        "inclusionTerm" | "includes" | "excludes1" | "excludes2" | "codeFirst" | "useAdditionalCode" | "codeAlso" => {
            s.notes = None;
        }
        "chapter" | "section" | "diag" => {
            s.open.pop();
        }
        _ => {}
    }
}
