//! Files with a line of headings (CSV, RFC 4180) as offices save them: the fields of each line under the names of our forms.
//!
//! Headings are understood in any order, case and spacing, and by their usual other names. A heading that nobody knows is told,
//! not guessed at; its column is left out.

use crate::incoming::Fields;
use std::borrow::Cow;

/// A file that was read: its lines (from 1) with their fields, none of them empty.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct FieldsFile {
    pub rows: Vec<(u64, Fields)>,
    /// Headings that nobody knows.
    pub unknown: Vec<String>,
}

/// Why a file cannot be read.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum FileFault {
    #[error("The file is empty; its first line holds the headings.")]
    Empty,
    #[error("The headings lack {0}, which every line needs.")]
    Lacks(&'static str),
    #[error("Two columns are headed {0}.")]
    Twice(String),
    #[error("Line {line} cannot be read: {why}.")]
    Line { line: u64, why: String },
}

/// A field, and the headings that it goes by, without blanks and marks.
pub type Headings = [(&'static str, &'static [&'static str])];

/// Reads a file whose headings are those of `known`, and which cannot do without `needed`; UTF-8 or UTF-16 with or without a mark
/// at its beginning, or Latin-1; its columns parted by commas, semicolons or tabs.
pub fn read(bytes: &[u8], known: &[&Headings], needed: &[(&str, &'static str)]) -> Result<FieldsFile, FileFault> {
    let text = decode(bytes);
    let text = text.trim_start_matches('\u{feff}');
    if text.trim().is_empty() {
        return Err(FileFault::Empty);
    }
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(separator(text))
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let line_fault = |line: u64, e: csv::Error| FileFault::Line { line, why: e.to_string() };
    let headings = reader.headers().map_err(|e| line_fault(1, e))?.clone();
    let mut columns: Vec<Option<&'static str>> = Vec::new();
    let mut file = FieldsFile::default();
    for heading in &headings {
        let plain: String = heading.chars().filter(|c| c.is_alphanumeric()).flat_map(char::to_lowercase).collect();
        let mut all = known.iter().copied().flatten();
        let field = all.find(|(_, names)| names.contains(&plain.as_str())).map(|(field, _)| *field);
        if field.is_some() && columns.contains(&field) {
            return Err(FileFault::Twice(heading.to_owned()));
        }
        if field.is_none() && !heading.is_empty() {
            file.unknown.push(heading.to_owned());
        }
        columns.push(field);
    }
    for (needed, word) in needed {
        if !columns.contains(&Some(needed)) {
            return Err(FileFault::Lacks(word));
        }
    }
    let mut lines = Lines { bytes: text.as_bytes(), at: 0, line: 1 };
    for record in reader.records() {
        let record = record.map_err(|e| {
            let line = e.position().map_or(0, csv::Position::line);
            line_fault(line, e)
        })?;
        let line = record.position().map_or(0, |p| lines.of(p.byte()));
        let found: Fields = columns
            .iter()
            .zip(record.iter())
            .filter_map(|(column, text)| column.map(|c| (c, text.to_owned())))
            .filter(|(_, text)| !text.is_empty())
            .collect();
        if !found.is_empty() {
            file.rows.push((line, found));
        }
    }
    Ok(file)
}

/// Counts lines as the records come, each byte once. The reader's own count is one short behind a line end of two
/// characters, of which it has read only the first.
struct Lines<'a> {
    bytes: &'a [u8],
    at: usize,
    line: u64,
}

impl Lines<'_> {
    /// The line (from 1) on which the record at a byte begins; records come in their order.
    fn of(&mut self, byte: u64) -> u64 {
        let from = usize::try_from(byte).unwrap_or(0).clamp(self.at, self.bytes.len());
        let begins = from + self.bytes[from..].iter().take_while(|b| matches!(b, b'\r' | b'\n')).count();
        self.line += self.bytes[self.at..begins].iter().filter(|b| **b == b'\n').count() as u64;
        self.at = begins;
        self.line
    }
}

/// The text of a file as programs of offices save it: UTF-16 by its mark or by its many zero bytes, UTF-8, else Latin-1.
fn decode(bytes: &[u8]) -> Cow<'_, str> {
    let wide = |bytes: &[u8], read: fn([u8; 2]) -> u16| {
        let units: Vec<u16> = bytes.chunks_exact(2).map(|pair| read([pair[0], pair[1]])).collect();
        Cow::Owned(String::from_utf16_lossy(&units))
    };
    let zeros = |from: usize| {
        let of = bytes.iter().skip(from).step_by(2).take(64);
        of.len() >= 4 && of.filter(|b| **b == 0).count() * 2 > bytes.len().div_ceil(2).min(64)
    };
    match bytes {
        [0xff, 0xfe, rest @ ..] => wide(rest, u16::from_le_bytes),
        [0xfe, 0xff, rest @ ..] => wide(rest, u16::from_be_bytes),
        _ if zeros(1) => wide(bytes, u16::from_le_bytes),
        _ if zeros(0) => wide(bytes, u16::from_be_bytes),
        _ => crate::x12::envelope::decode(bytes),
    }
}

/// What parts the columns: what the line of headings has most of, outside of quotes.
fn separator(text: &str) -> u8 {
    let mut quoted = false;
    let mut count = [(b',', 0usize), (b';', 0), (b'\t', 0)];
    for byte in text.lines().next().unwrap_or("").bytes() {
        quoted ^= byte == b'"';
        for (separator, n) in &mut count {
            *n += usize::from(!quoted && byte == *separator);
        }
    }
    // The first of equals: a comma.
    count.iter().rev().max_by_key(|(_, n)| *n).map_or(b',', |(separator, _)| *separator)
}
/// Writes a table for a spreadsheet: a text that one would take for a formula is quoted.
///
/// # Errors
/// When a row cannot be written, which memory alone can cause.
pub fn table(heads: &[String], rows: &[Vec<String>]) -> Result<Vec<u8>, csv::Error> {
    let safe = |text: &String| match text.chars().next() {
        Some('=' | '+' | '@' | '\t' | '\r') => format!("'{text}"),
        Some('-') if text[1..].chars().any(|c| !matches!(c, '0'..='9' | '.' | ',')) => format!("'{text}"),
        _ => text.clone(),
    };
    let mut writer = csv::Writer::from_writer(vec![]);
    writer.write_record(heads.iter().map(safe))?;
    for row in rows {
        writer.write_record(row.iter().map(safe))?;
    }
    writer.into_inner().map_err(|e| csv::Error::from(e.into_error()))
}
