//! Codes named in the notes of a release: `(E10.-)`, `(J00-J22)`, `(A15.0, B20)`.

use super::undot;

/// A code, or all codes below one, or a range of categories.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CodeReference {
    /// Undotted.
    first: String,
    /// For a range, the last category, undotted.
    last: Option<String>,
    /// The note limits the reference in words ("with final character 2"), so that it holds only for some.
    pub qualified: bool,
}

impl CodeReference {
    /// Whether the code (dotted or not) is meant.
    pub fn covers(&self, code: &str) -> bool {
        let code = undot(code);
        match &self.last {
            None => code.starts_with(&self.first),
            Some(last) => {
                let head: String = code.chars().take(last.len().max(self.first.len())).collect();
                head.as_str() >= self.first.as_str() && (head.as_str() <= last.as_str() || code.starts_with(last))
            }
        }
    }

    /// All references in the brackets of a note.
    pub fn in_note(note: &str) -> Vec<CodeReference> {
        let mut out = Vec::new();
        let mut rest = note;
        while let Some(open) = rest.find('(') {
            let Some(close) = rest[open..].find(')') else { break };
            let inside = &rest[open + 1..open + close];
            let qualified = inside.contains("with ") || inside.contains("final");
            for part in inside.split([',', ';']) {
                out.extend(one(part.trim(), qualified));
            }
            rest = &rest[open + close..];
        }
        out
    }
}

fn one(text: &str, qualified: bool) -> Option<CodeReference> {
    let text = text.split_whitespace().next()?.trim_end_matches('.');
    if let Some((a, b)) = text.split_once('-').filter(|(_, b)| !b.is_empty()) {
        return (is_code(a) && is_code(b)).then(|| CodeReference { first: undot(a), last: Some(undot(b)), qualified });
    }
    let single = text.trim_end_matches('-').trim_end_matches('.');
    is_code(single).then(|| CodeReference { first: undot(single), last: None, qualified })
}

fn is_code(text: &str) -> bool {
    let bytes = text.as_bytes();
    bytes.len() >= 3
        && bytes.len() <= 8
        && bytes[0].is_ascii_uppercase()
        && bytes[1].is_ascii_digit()
        && bytes[2].is_ascii_alphanumeric()
        && (bytes.len() == 3 || bytes[3] == b'.')
        && bytes.iter().skip(4).all(u8::is_ascii_alphanumeric)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn notes_name_codes_in_several_ways() {
        let covers = |note: &str, code: &str| CodeReference::in_note(note).iter().any(|r| r.covers(code));
        assert!(covers("type 1 diabetes mellitus (E10.-)", "E10.9"));
        assert!(!covers("type 1 diabetes mellitus (E10.-)", "E11.9"));
        assert!(covers("influenza and others (J00-J22)", "J22"));
        assert!(covers("influenza and others (J00-J22)", "J11.1"));
        assert!(!covers("influenza and others (J00-J22)", "J30.9"));
        assert!(covers("tuberculosis (A15.0, B20)", "B20"));
        assert!(covers("burn (T20-T25)", "T25.011A"));
        assert!(covers("toxic effect (T51.0X-)", "T51.0X1A"));
        assert!(CodeReference::in_note("see body system-related chapters").is_empty());
        assert!(CodeReference::in_note("(E08-E13 with final characters .22)")[0].qualified);
        assert!(CodeReference::in_note("((((").is_empty());
    }
}
