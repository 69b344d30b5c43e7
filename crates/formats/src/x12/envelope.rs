//! The envelope: ISA … IEA, GS … GE, ST … SE (X12 005010, appendix B of the implementation guides).

use crate::Located;
use std::borrow::Cow;

/// A file taken apart; it borrows from the text that was read.
pub struct Document<'a> {
    pub interchanges: Vec<Interchange<'a>>,
}

pub struct Interchange<'a> {
    pub envelope: Envelope,
    pub groups: Vec<Group<'a>>,
}

/// What the ISA segment says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Envelope {
    pub sender: String,
    pub receiver: String,
    pub control: String,
    /// ISA15: T for test, P for production.
    pub usage: String,
    pub element: char,
    pub component: char,
    pub repetition: char,
    pub terminator: char,
}

pub struct Group<'a> {
    /// GS01, such as HC or HP.
    pub kind: String,
    pub control: String,
    /// GS08, such as 005010X222A1.
    pub version: String,
    pub sets: Vec<Set<'a>>,
}

/// One transaction set, from ST to SE.
pub struct Set<'a> {
    /// ST01: 837, 835, …
    pub kind: &'a str,
    pub control: &'a str,
    /// ST03 where it is there, otherwise GS08.
    pub version: String,
    pub component: char,
    pub repetition: char,
    /// All segments between ST and SE.
    pub segments: Vec<Segment<'a>>,
}

/// One segment. `elements[0]` is element 01.
#[derive(Debug, Clone)]
pub struct Segment<'a> {
    pub id: &'a str,
    raw: &'a str,
    separator: char,
    /// Number in the file, from 1.
    pub number: usize,
    pub byte: usize,
}

impl<'a> Segment<'a> {
    /// Element `n` (from 1), empty when it is not there.
    pub fn get(&self, n: usize) -> &'a str {
        let mut rest = self.raw;
        for _ in 0..n {
            match self.cut(rest) {
                (_, Some(after)) => rest = after,
                (_, None) => return "",
            }
        }
        self.cut(rest).0
    }

    /// The first `N` elements behind the identifier in one pass, empty where they are not there.
    pub fn first<const N: usize>(&self) -> [&'a str; N] {
        let mut out = [""; N];
        let mut rest = self.cut(self.raw).1;
        for place in &mut out {
            let Some(from) = rest else { break };
            (*place, rest) = self.cut(from);
        }
        out
    }

    /// What stands before the next separator, and what stands behind it. Byte by byte, since elements
    /// are short; the separator is ASCII, so no character is cut in two.
    fn cut(&self, from: &'a str) -> (&'a str, Option<&'a str>) {
        match from.bytes().position(|b| b == self.separator as u8) {
            Some(at) => (&from[..at], Some(&from[at + 1..])),
            None => (from, None),
        }
    }

    /// All elements, the identifier first.
    pub fn elements(&self) -> impl Iterator<Item = &'a str> {
        self.raw.split(self.separator)
    }

    pub fn wrong(&self, element: Option<usize>, expected: impl Into<String>) -> Located {
        Located { segment: self.number, byte: self.byte, id: self.id.to_owned(), element, expected: expected.into() }
    }
}

/// The text of a file: UTF-8, or Latin-1 where it is not.
pub fn decode(bytes: &[u8]) -> Cow<'_, str> {
    match std::str::from_utf8(bytes) {
        Ok(text) => Cow::Borrowed(text),
        Err(_) => Cow::Owned(bytes.iter().map(|b| char::from(*b)).collect()),
    }
}

fn nowhere(byte: usize, expected: &str) -> Located {
    Located { segment: 0, byte, id: String::new(), element: None, expected: expected.into() }
}

/// Takes a file apart and checks the envelope: separators, control numbers, counts.
pub fn read(text: &str) -> Result<Document<'_>, Located> {
    let mut at = skip_blank(text, 0);
    let mut number = 0;
    let mut interchanges = Vec::new();
    while at < text.len() {
        let (interchange, next) = read_interchange(text, at, &mut number)?;
        interchanges.push(interchange);
        at = skip_blank(text, next);
    }
    if interchanges.is_empty() {
        return Err(nowhere(0, "an X12 file begins with ISA; this one is empty"));
    }
    Ok(Document { interchanges })
}

fn skip_blank(text: &str, from: usize) -> usize {
    // Most segments begin right behind the one before.
    if text.as_bytes().get(from).is_some_and(u8::is_ascii_uppercase) {
        return from;
    }
    text[from..].find(|c: char| !c.is_whitespace() && c != '\u{feff}').map_or(text.len(), |n| from + n)
}

const ISA_LENGTHS: [usize; 16] = [2, 10, 2, 10, 2, 15, 2, 15, 6, 4, 1, 5, 9, 1, 1, 1];

fn read_interchange<'a>(text: &'a str, at: usize, number: &mut usize) -> Result<(Interchange<'a>, usize), Located> {
    let isa_error = |element, expected: &str| Located {
        segment: 1,
        byte: at,
        id: "ISA".into(),
        element,
        expected: expected.into(),
    };
    let head = text
        .get(at..at + 106)
        .ok_or_else(|| isa_error(None, "the ISA segment is 106 characters long; the file ends before"))?;
    if !head.starts_with("ISA") {
        return Err(nowhere(at, "an interchange begins with ISA"));
    }
    if !head.is_ascii() {
        return Err(isa_error(None, "the ISA segment holds plain characters only"));
    }
    let element = char::from(head.as_bytes()[3]);
    let component = char::from(head.as_bytes()[104]);
    let terminator = char::from(head.as_bytes()[105]);
    let fields: Vec<&str> = head[..105].split(element).skip(1).collect();
    if fields.len() != 16 {
        return Err(isa_error(None, "16 elements of fixed width"));
    }
    for (i, (field, length)) in fields.iter().zip(ISA_LENGTHS).enumerate() {
        if field.len() != length {
            return Err(isa_error(Some(i + 1), &format!("{length} characters, found {}", field.len())));
        }
    }
    let separators = [element, component, terminator];
    if separators.iter().any(|c| c.is_ascii_alphanumeric())
        || element == component
        || element == terminator
        || component == terminator
    {
        return Err(isa_error(None, "three different separators that are no letters or digits"));
    }
    let envelope = Envelope {
        sender: fields[5].trim().to_owned(),
        receiver: fields[7].trim().to_owned(),
        control: fields[12].to_owned(),
        usage: fields[14].to_owned(),
        element,
        component,
        repetition: fields[10].chars().next().unwrap_or('^'),
        terminator,
    };
    *number += 1;
    let repetition = envelope.repetition;
    let mut reader = Reader { text, at: at + 106, number, element, component, repetition, terminator };
    let mut groups: Vec<Group<'a>> = Vec::new();
    loop {
        let segment = reader.next("IEA or another functional group")?;
        match segment.id {
            "GS" => groups.push(read_group(&mut reader, &segment)?),
            "TA1" => {}
            "IEA" => {
                if segment.get(1).parse() != Ok(groups.len()) {
                    return Err(segment.wrong(Some(1), format!("the number of groups, {}", groups.len())));
                }
                if segment.get(2) != envelope.control {
                    return Err(segment.wrong(Some(2), format!("the control number of ISA13, {}", envelope.control)));
                }
                let at = reader.at;
                return Ok((Interchange { envelope, groups }, at));
            }
            _ => return Err(segment.wrong(None, "GS or IEA here")),
        }
    }
}

fn read_group<'a>(reader: &mut Reader<'a, '_>, gs: &Segment<'a>) -> Result<Group<'a>, Located> {
    let version = gs.get(8).to_owned();
    let mut sets = Vec::new();
    let mut seen: std::collections::HashSet<&str> = std::collections::HashSet::new();
    loop {
        let segment = reader.next("GE or another transaction set")?;
        match segment.id {
            "ST" => {
                let set = read_set(reader, &segment, &version)?;
                if !seen.insert(set.control) {
                    return Err(segment.wrong(Some(2), "a control number of its own for every transaction set"));
                }
                sets.push(set);
            }
            "GE" => {
                if segment.get(1).parse() != Ok(sets.len()) {
                    return Err(segment.wrong(Some(1), format!("the number of transaction sets, {}", sets.len())));
                }
                if segment.get(2) != gs.get(6) {
                    return Err(segment.wrong(Some(2), format!("the control number of GS06, {}", gs.get(6))));
                }
                return Ok(Group { kind: gs.get(1).to_owned(), control: gs.get(6).to_owned(), version, sets });
            }
            _ => return Err(segment.wrong(None, "ST or GE here")),
        }
    }
}

fn read_set<'a>(reader: &mut Reader<'a, '_>, st: &Segment<'a>, version: &str) -> Result<Set<'a>, Located> {
    let (component, repetition) = (reader.component, reader.repetition);
    let mut segments = Vec::new();
    loop {
        let segment = reader.next("SE at the end of the transaction set")?;
        match segment.id {
            "SE" => {
                let count = segments.len() + 2;
                if segment.get(1).parse() != Ok(count) {
                    return Err(segment.wrong(Some(1), format!("the number of segments from ST to SE, {count}")));
                }
                if segment.get(2) != st.get(2) {
                    return Err(segment.wrong(Some(2), format!("the control number of ST02, {}", st.get(2))));
                }
                let version = if st.get(3).is_empty() { version.to_owned() } else { st.get(3).to_owned() };
                return Ok(Set { kind: st.get(1), control: st.get(2), version, component, repetition, segments });
            }
            "ST" | "GE" | "GS" | "IEA" | "ISA" => return Err(segment.wrong(None, "SE before the set is closed")),
            _ => segments.push(segment),
        }
    }
}

struct Reader<'a, 'n> {
    text: &'a str,
    at: usize,
    number: &'n mut usize,
    element: char,
    component: char,
    repetition: char,
    terminator: char,
}

impl<'a> Reader<'a, '_> {
    fn next(&mut self, expected: &str) -> Result<Segment<'a>, Located> {
        let start = skip_blank(self.text, self.at);
        *self.number += 1;
        let missing = |byte, what: String| Located {
            segment: *self.number,
            byte,
            id: String::new(),
            element: None,
            expected: what,
        };
        if start >= self.text.len() {
            return Err(missing(start, format!("{expected}; the file ends here")));
        }
        let rest = &self.text[start..];
        let end = rest
            .find(self.terminator)
            .ok_or_else(|| missing(start, format!("the segment is not closed by {}", self.terminator)))?;
        let raw = &rest[..end];
        self.at = start + end + self.terminator.len_utf8();
        let id = raw.split(self.element).next().unwrap_or("");
        let segment = Segment { id, raw, separator: self.element, number: *self.number, byte: start };
        if !(2..=3).contains(&id.len()) || !id.bytes().all(|b| b.is_ascii_uppercase() || b.is_ascii_digit()) {
            return Err(missing(
                start,
                "a segment begins with its identifier of two or three capitals and digits".into(),
            ));
        }
        Ok(segment)
    }
}
