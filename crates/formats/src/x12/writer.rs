//! Writing an interchange with right counts and control numbers.

use chrono::NaiveDateTime;
use harbor_core::claims::lawful::{counterpart, most};
use std::borrow::Cow;
use std::fmt::Write;

/// When and under which numbers a file is written.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Stamp {
    /// Local time of the sender.
    pub at: NaiveDateTime,
    /// ISA13, at most nine digits.
    pub control: u32,
    /// ISA15: production when true, test otherwise.
    pub production: bool,
    pub sender: String,
    pub receiver: String,
}

/// Builds one interchange with one group and any number of sets.
pub(super) struct Writer {
    out: String,
    control: u32,
    set_count: usize,
    segment_count: usize,
    set_kind: &'static str,
    version: &'static str,
}

pub(super) const ELEMENT: char = '*';
pub(super) const COMPONENT: char = ':';
pub(super) const REPETITION: char = '^';
pub(super) const TERMINATOR: char = '~';

impl Writer {
    /// `group` is GS01; `version` GS08 and ST03.
    pub fn new(stamp: &Stamp, group: &str, version: &'static str) -> Writer {
        let mut out = String::with_capacity(4096);
        let control = stamp.control % 1_000_000_000;
        let date = stamp.at.format("%y%m%d");
        let time = stamp.at.format("%H%M");
        let fixed =
            |text: &str| format!("{:<15}", clean(text).chars().filter(char::is_ascii).take(15).collect::<String>());
        let (sender, receiver) = (fixed(&stamp.sender), fixed(&stamp.receiver));
        let usage = if stamp.production { 'P' } else { 'T' };
        let _ = writeln!(
            out,
            "ISA*00*          *00*          *ZZ*{sender}*ZZ*{receiver}*{date}*{time}*{REPETITION}*00501*{control:09}*0*{usage}*{COMPONENT}~"
        );
        let _ = writeln!(
            out,
            "GS*{group}*{}*{}*{}*{time}*{control}*X*{version}~",
            sender.trim_end(),
            receiver.trim_end(),
            stamp.at.format("%Y%m%d")
        );
        Writer { out, control, set_count: 0, segment_count: 0, set_kind: "", version }
    }

    pub fn begin_set(&mut self, kind: &'static str) {
        self.set_count += 1;
        self.segment_count = 1;
        self.set_kind = kind;
        // The 835 and 271 guides leave ST03 to all but the 835.
        let version = if kind == "835" { String::new() } else { format!("*{}", self.version) };
        let _ = writeln!(self.out, "ST*{kind}*{:04}{version}~", self.set_count);
    }

    pub fn end_set(&mut self) {
        let _ = writeln!(self.out, "SE*{}*{:04}~", self.segment_count + 1, self.set_count);
    }

    /// One segment from its elements; trailing empty ones are left off, separators inside text become blanks, letters
    /// outside the character set their counterparts in it, and what is longer than its element loses its end.
    pub fn put(&mut self, id: &str, elements: &[&str]) {
        self.out.push_str(id);
        let used = elements.iter().rposition(|e| !e.is_empty()).map_or(0, |n| n + 1);
        for (n, element) in elements[..used].iter().enumerate() {
            self.out.push(ELEMENT);
            let from = self.out.len();
            push_clean(&mut self.out, element, false);
            if let Some(most) = longest(id, n + 1).filter(|most| self.out.len() - from > *most) {
                self.out.truncate(from + most);
            }
        }
        self.out.push_str("~\n");
        self.segment_count += 1;
    }

    /// Like `put`, for elements that hold components already joined by the component separator.
    pub fn put_composite(&mut self, id: &str, elements: &[&str]) {
        self.out.push_str(id);
        let used = elements.iter().rposition(|e| !e.is_empty()).map_or(0, |n| n + 1);
        for element in &elements[..used] {
            self.out.push(ELEMENT);
            push_clean(&mut self.out, element.trim_end_matches(COMPONENT), true);
        }
        self.out.push_str("~\n");
        self.segment_count += 1;
    }

    pub fn finish(mut self) -> String {
        let _ = write!(self.out, "GE*{}*{}~\nIEA*1*{:09}~\n", self.set_count, self.control, self.control);
        self.out
    }
}

/// The most characters of the elements that people's own words go into.
fn longest(id: &str, element: usize) -> Option<usize> {
    Some(match (id, element) {
        ("NM1", 3) | ("N1", 2) | ("PER", 2) => most::LAST_NAME,
        ("NM1", 4) => most::FIRST_NAME,
        ("NM1", 5) => most::MIDDLE_NAME,
        ("NM1", 9) => most::MEMBER_NUMBER,
        ("N3", _) => most::STREET,
        ("N4", 1) => most::CITY,
        ("REF", 2) | ("SBR", 3) | ("TRN", 2) => most::REFERENCE,
        _ => return None,
    })
}

fn push_clean(out: &mut String, text: &str, components: bool) {
    let text = if text.is_ascii() { Cow::Borrowed(text) } else { Cow::Owned(folded(text)) };
    // What neither the basic nor the extended character set has (X12 005010, appendix B.1.1.2), and what separates.
    let forbidden = |c: char| {
        c == ELEMENT
            || c == TERMINATOR
            || c == REPETITION
            || c == '`'
            || c.is_control()
            || (c == COMPONENT && !components)
    };
    if text.chars().any(forbidden) {
        out.extend(text.chars().map(|c| if forbidden(c) { ' ' } else { c }));
    } else {
        out.push_str(&text);
    }
}

fn folded(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        match c {
            c if c.is_ascii() => out.push(c),
            c => match counterpart(c) {
                Some(letters) if c.is_lowercase() => out.push_str(&letters.to_lowercase()),
                Some(letters) => out.push_str(&letters),
                None => out.push(' '),
            },
        }
    }
    out
}

fn clean(text: &str) -> String {
    let mut out = String::new();
    push_clean(&mut out, text, false);
    out
}
