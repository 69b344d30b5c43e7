//! What a text field accepts. One place, so that every form says the same about the same slip.

pub mod identifiers;
pub mod typed_date;

use unicode_normalization::UnicodeNormalization;

/// What is wrong with a field: its name on the form and a sentence a person can act on.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FieldFault {
    pub field: String,
    pub sentence: String,
}

impl FieldFault {
    pub fn new(field: impl Into<String>, sentence: impl Into<String>) -> Self {
        FieldFault { field: field.into(), sentence: sentence.into() }
    }
}

/// The faults found in one form.
#[derive(Debug, Default, Clone, PartialEq, Eq)]
pub struct Faults(pub Vec<FieldFault>);

impl Faults {
    pub fn add(&mut self, field: &str, sentence: impl Into<String>) {
        self.0.push(FieldFault::new(field, sentence));
    }

    /// Takes on what another look found, of the fields that nothing was said about yet.
    pub fn add_new(&mut self, found: Faults) {
        let told = |faults: &Faults, field: &str| faults.0.iter().any(|f| f.field == field);
        let new: Vec<FieldFault> = found.0.into_iter().filter(|f| !told(self, &f.field)).collect();
        self.0.extend(new);
    }

    pub fn none_or<T>(self, value: T) -> Result<T, Faults> {
        if self.0.is_empty() { Ok(value) } else { Err(self) }
    }

    /// Reads a code that must be one of its list; a faulty one comes back as the first of the list.
    pub fn coded<T: crate::Coded>(&mut self, field: &str, code: &str, sentence: &str) -> T {
        T::from_code(code).unwrap_or_else(|| {
            self.add(field, sentence);
            T::ALL[0]
        })
    }

    /// Reads a code of its list, or nothing.
    pub fn optional_coded<T: crate::Coded>(&mut self, field: &str, code: &str) -> Option<T> {
        (!code.is_empty()).then(|| self.coded(field, code, "Choose one of the list, or leave it empty."))
    }

    /// Checks a single line of text that must be there; a faulty one comes back empty.
    pub fn line(&mut self, field: &str, label: &str, text: &str, max: usize) -> String {
        match line(label, text, max) {
            Ok(clean) if clean.is_empty() => {
                self.add(field, format!("{label} is needed."));
                clean
            }
            Ok(clean) => clean,
            Err(sentence) => {
                self.add(field, sentence);
                String::new()
            }
        }
    }

    /// Checks a single line of text that may be empty.
    pub fn optional_line(&mut self, field: &str, label: &str, text: &str, max: usize) -> String {
        line(label, text, max).unwrap_or_else(|sentence| {
            self.add(field, sentence);
            String::new()
        })
    }

    /// Checks text of several lines.
    pub fn prose(&mut self, field: &str, label: &str, text: &str, max: usize) -> String {
        prose(label, text, max).unwrap_or_else(|sentence| {
            self.add(field, sentence);
            String::new()
        })
    }
}

/// A line: trimmed, composed (NFC), inner blanks single; no control or direction-changing
/// characters, at most `max` characters.
pub fn line(label: &str, text: &str, max: usize) -> Result<String, String> {
    let composed: String = text.nfc().collect();
    let joined = composed.split_whitespace().collect::<Vec<_>>().join(" ");
    check(label, &joined, max)?;
    Ok(joined)
}

/// Prose: as [`line`], but line breaks and tabs are kept.
pub fn prose(label: &str, text: &str, max: usize) -> Result<String, String> {
    let composed: String = text.replace("\r\n", "\n").replace('\r', "\n").nfc().collect();
    let kept = composed.trim_end().to_owned();
    let without_breaks: String = kept.chars().filter(|c| *c != '\n' && *c != '\t').collect();
    check(label, &without_breaks, max)?;
    Ok(kept)
}

fn check(label: &str, text: &str, max: usize) -> Result<(), String> {
    if text.chars().any(char::is_control) {
        return Err(format!("{label} holds a control character that cannot be kept; delete it and type it again."));
    }
    if text.chars().any(turns_direction) {
        return Err(format!(
            "{label} holds an invisible character that turns the writing direction; type it again without."
        ));
    }
    let length = text.chars().count();
    if length > max {
        return Err(format!("{label} is too long: {length} characters, at most {max}."));
    }
    Ok(())
}

/// Explicit embeddings, overrides and isolates (Unicode UAX 9): they can make a dose or a name read
/// otherwise than it is stored. Right-to-left letters themselves are fine.
fn turns_direction(c: char) -> bool {
    matches!(c, '\u{202A}'..='\u{202E}' | '\u{2066}'..='\u{2069}')
}

/// A name of a person: at least one letter, no digits other than in a suffix, at most 100 characters.
pub fn person_name(label: &str, text: &str) -> Result<String, String> {
    let name = line(label, text, 100)?;
    if name.is_empty() {
        return Err(format!("{label} is needed."));
    }
    if !name.chars().any(char::is_alphabetic) {
        return Err(format!("{label} needs at least one letter."));
    }
    Ok(name)
}

/// A North American telephone number, kept as ten digits; blanks and punctuation are ignored.
pub fn telephone(text: &str) -> Result<String, String> {
    if text.chars().any(char::is_alphabetic) {
        return Err("A telephone number holds digits only.".into());
    }
    let digits: String = text.chars().filter(char::is_ascii_digit).collect();
    let digits = if digits.len() == 11 { digits.strip_prefix('1').unwrap_or(&digits).to_owned() } else { digits };
    match digits.len() {
        10 => Ok(digits),
        7 => Err("The telephone number needs its area code.".into()),
        n => Err(format!("A telephone number has ten digits; this has {n}.")),
    }
}

/// An e-mail address, checked for its shape only.
pub fn email(text: &str) -> Result<String, String> {
    let address = line("E-mail", text, 254)?;
    let sentence = "This is not an e-mail address; it should look like name@example.org.";
    let (local, domain) = address.split_once('@').ok_or(sentence)?;
    let shaped = !local.is_empty()
        && domain.contains('.')
        && !domain.starts_with('.')
        && !domain.ends_with('.')
        && !address.contains(char::is_whitespace)
        && domain.chars().all(|c| c.is_alphanumeric() || c == '.' || c == '-');
    if shaped { Ok(address.to_lowercase()) } else { Err(sentence.into()) }
}

/// A postal code of the United States: five digits, or nine written with or without a dash.
pub fn postal_code(text: &str) -> Result<String, String> {
    let digits: String = text.chars().filter(|c| !c.is_whitespace() && *c != '-').collect();
    if !digits.bytes().all(|b| b.is_ascii_digit()) || !(digits.len() == 5 || digits.len() == 9) {
        return Err("A postal code has five digits, or nine.".into());
    }
    Ok(if digits.len() == 9 { format!("{}-{}", &digits[..5], &digits[5..]) } else { digits })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn lines_are_tidied_or_refused_with_a_sentence() {
        assert_eq!(line("Reason", "  cough \t six   weeks ", 50), Ok("cough six weeks".into()));
        assert!(line("Reason", "cough\u{0}", 50).is_err_and(|s| s.contains("control character")));
        assert!(line("Reason", "\u{202E}hguoc", 50).is_err_and(|s| s.contains("direction")));
        assert_eq!(line("Reason", "حساسية", 50), Ok("حساسية".into()), "right-to-left letters are words");
        assert_eq!(line("Reason", "tired 😴", 50), Ok("tired 😴".into()));
        assert_eq!(line("Reason", &"x".repeat(51), 50), Err("Reason is too long: 51 characters, at most 50.".into()));
    }

    #[test]
    fn telephones_and_mail() {
        assert_eq!(telephone("(207) 555-0142"), Ok("2075550142".into()));
        assert_eq!(telephone("+1 207 555 0142"), Ok("2075550142".into()));
        assert!(telephone("555-0142").is_err_and(|s| s.contains("area code")));
        assert!(telephone("call me").is_err());
        assert_eq!(email("Ines@Example.org"), Ok("ines@example.org".into()));
        for bad in ["ines", "@example.org", "ines@example", "i nes@example.org", "a@b..c/d"] {
            assert!(email(bad).is_err(), "{bad}");
        }
        assert_eq!(postal_code("049981234"), Ok("04998-1234".into()));
        assert!(postal_code("4998").is_err());
    }

    #[test]
    fn names_need_a_letter() {
        assert_eq!(person_name("Last name", "O"), Ok("O".into()));
        assert!(person_name("Last name", "12").is_err());
        assert!(person_name("Last name", " ").is_err());
    }

    proptest! {
        #[test]
        fn a_clean_line_stays_as_it_is(text in ".{0,80}") {
            if let Ok(clean) = line("Text", &text, 400) {
                prop_assert_eq!(line("Text", &clean, 400), Ok(clean));
            }
            let _ = (telephone(&text), email(&text), postal_code(&text), prose("Text", &text, 40));
        }
    }
}
