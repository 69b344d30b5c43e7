//! A line taken apart into words, with where it pauses and where it ends.

/// How much of a line is read; the rest stays in the words left over.
pub const LONGEST: usize = 2_000;

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Ends {
    /// The next word belongs to it.
    Runs,
    /// A comma follows.
    Pauses,
    /// A semicolon, a full stop or a new line follows: nothing reaches over it.
    Stops,
}

#[derive(Debug, Clone)]
pub struct Word<'a> {
    /// As it was typed.
    pub typed: &'a str,
    /// With the signs around it: prose keeps its commas and full stops.
    pub raw: &'a str,
    /// In small letters, with decimal points.
    pub low: String,
    pub ends: Ends,
}

impl Word<'_> {
    pub fn is(&self, one_of: &[&str]) -> bool {
        one_of.contains(&self.low.as_str())
    }
}

/// The words of a line.
pub fn words(line: &str) -> Vec<Word<'_>> {
    let mut out: Vec<Word> = Vec::new();
    for piece in line.split(['\n', '\r', ';']) {
        for chunk in piece.split_whitespace() {
            for part in between_commas(chunk) {
                push(&mut out, part);
            }
        }
        if let Some(last) = out.last_mut() {
            last.ends = Ends::Stops;
        }
    }
    out
}

/// `cbc,cmp` are two; `37,1` is one number.
fn between_commas(chunk: &str) -> Vec<&str> {
    let mut parts = Vec::new();
    let mut from = 0;
    for (at, _) in chunk.match_indices(',') {
        let digit_before = chunk[from..at].bytes().last().is_some_and(|b| b.is_ascii_digit());
        let after = &chunk[at + 1..];
        let decimals = after.bytes().take_while(u8::is_ascii_digit).count();
        if digit_before && (1..=2).contains(&decimals) {
            continue;
        }
        parts.push(&chunk[from..=at]);
        from = at + 1;
    }
    if from < chunk.len() {
        parts.push(&chunk[from..]);
    }
    parts
}

fn push<'a>(out: &mut Vec<Word<'a>>, part: &'a str) {
    let raw = part;
    // The comma first: it stands behind a bracket.
    let (part, mut ends) = match part.strip_suffix(',') {
        Some(part) => (part, Ends::Pauses),
        None => (part, Ends::Runs),
    };
    let bare = part
        .trim_start_matches(['"', '\'', '(', '[', '-', '•', '·', '*', '–', '“'])
        .trim_end_matches(['"', ')', ']', '”', '?', '!']);
    // An inch mark belongs to its number.
    let bare = if part.ends_with('"') && bare.contains(|c: char| c.is_ascii_digit()) { part } else { bare };
    let bare = bare.strip_suffix(':').unwrap_or(bare);
    let bare = match bare.strip_suffix('.') {
        // `p.o.` and `dr.` go on; a sentence ends.
        Some(b) if b.contains('.') || b.chars().count() <= 2 && !b.bytes().all(|c| c.is_ascii_digit()) => b,
        Some(b) => {
            ends = Ends::Stops;
            b
        }
        None => bare,
    };
    if bare.is_empty() {
        // A lone sign: it joins nothing.
        if let Some(last) = out.last_mut().filter(|w| ends != Ends::Runs && w.ends == Ends::Runs) {
            last.ends = ends;
        }
        return;
    }
    let low = bare.to_lowercase();
    // `hr:72` and `t=37.1` are a name and a number.
    if let Some((name, value)) = low.split_once([':', '='])
        && !name.is_empty()
        && !value.is_empty()
        && name.bytes().all(|b| b.is_ascii_alphabetic())
    {
        let at = name.len();
        let (typed, after) = (&bare[..at.min(bare.len())], bare.get(at + 1..).unwrap_or(bare));
        out.push(Word { typed, raw: bare.get(..=at).unwrap_or(typed), low: name.to_owned(), ends: Ends::Runs });
        out.push(Word { typed: after, raw: after, low: decimal(value), ends });
        return;
    }
    out.push(Word { typed: bare, raw, low: decimal(&low), ends });
}

/// With a decimal point where a comma stands between digits.
fn decimal(low: &str) -> String {
    let bytes = low.as_bytes();
    low.char_indices()
        .map(|(i, c)| {
            let between = i > 0 && bytes[i - 1].is_ascii_digit() && bytes.get(i + 1).is_some_and(u8::is_ascii_digit);
            if c == ',' && between { '.' } else { c }
        })
        .collect()
}

/// What is said in sentences, and no list of facts: it stays words, but for measurements that name themselves.
pub fn is_prose(words: &[Word]) -> bool {
    const TELLING: [&str; 38] = [
        "is",
        "was",
        "are",
        "were",
        "says",
        "said",
        "she",
        "he",
        "they",
        "that",
        "which",
        "but",
        "feels",
        "felt",
        "reports",
        "reported",
        "complains",
        "complaining",
        "i",
        "we",
        "you",
        "his",
        "her",
        "their",
        "who",
        "when",
        "if",
        "maybe",
        "told",
        "asked",
        "wants",
        "would",
        "should",
        "could",
        "will",
        "been",
        "has",
        "have",
    ];
    words.iter().any(|w| w.is(&TELLING))
}
