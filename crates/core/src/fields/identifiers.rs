//! Identifiers that are parsed once, at the edge.

/// A National Provider Identifier.
///
/// Always true: ten digits whose Luhn check digit holds when 80840 is put before them
/// (ISO/IEC 7812-1 with the issuer prefix 80840, 45 CFR 162.406).
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct Npi(String);

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadNpi {
    #[error("A provider number (NPI) has exactly ten digits.")]
    Length,
    #[error("This provider number (NPI) has a wrong check digit; one digit is mistyped.")]
    CheckDigit,
}

impl Npi {
    pub fn parse(text: &str) -> Result<Npi, BadNpi> {
        let text = text.trim();
        if text.len() != 10 || !text.bytes().all(|b| b.is_ascii_digit()) {
            return Err(BadNpi::Length);
        }
        let prefixed: Vec<u32> = "80840".bytes().chain(text.bytes()).map(|b| u32::from(b - b'0')).collect();
        if luhn_sum(&prefixed).is_multiple_of(10) { Ok(Npi(text.to_owned())) } else { Err(BadNpi::CheckDigit) }
    }

    /// A made-up number with a valid check digit from nine digits, for the demo clinic.
    pub fn from_nine(nine: &str) -> Option<Npi> {
        (0..10).find_map(|d| Npi::parse(&format!("{nine}{d}")).ok())
    }

    pub fn as_str(&self) -> &str {
        &self.0
    }
}

/// Whether a registration number of the Drug Enforcement Administration can be right: two letters (or a letter and 9) and seven
/// digits, the last of which is the units of the sum of the odd ones and twice the even ones.
pub fn dea_is_valid(number: &str) -> bool {
    let bytes = number.as_bytes();
    let letters =
        bytes.len() == 9 && bytes[0].is_ascii_uppercase() && (bytes[1].is_ascii_uppercase() || bytes[1] == b'9');
    if !letters || !bytes[2..].iter().all(u8::is_ascii_digit) {
        return false;
    }
    let d: Vec<u32> = bytes[2..].iter().map(|b| u32::from(b - b'0')).collect();
    (d[0] + d[2] + d[4] + 2 * (d[1] + d[3] + d[5])) % 10 == d[6]
}

/// The Luhn sum over digits whose last one is the check digit.
fn luhn_sum(digits: &[u32]) -> u32 {
    digits
        .iter()
        .rev()
        .enumerate()
        .map(|(i, &d)| {
            let d = if i % 2 == 1 { d * 2 } else { d };
            if d > 9 { d - 9 } else { d }
        })
        .sum()
}

/// Whether a LOINC code's mod-10 check digit holds (LOINC Users' Guide, appendix "Check digit").
pub fn loinc_is_valid(code: &str) -> bool {
    let Some((number, check)) = code.split_once('-') else { return false };
    let mut digits: Vec<u32> = number.chars().filter_map(|c| c.to_digit(10)).collect();
    if number.is_empty() || digits.len() != number.len() || number.len() > 7 {
        return false;
    }
    let Some(check) = check.parse::<u32>().ok().filter(|_| check.len() == 1) else { return false };
    digits.push(check);
    luhn_sum(&digits).is_multiple_of(10)
}

/// A policy's subscriber number: 2 to 30 letters, digits and dashes, kept in capitals without blanks.
pub fn subscriber_number(text: &str) -> Result<String, &'static str> {
    let cleaned: String = text.chars().filter(|c| !c.is_whitespace()).flat_map(char::to_uppercase).collect();
    if cleaned.len() < 2 || cleaned.len() > 30 {
        return Err("A subscriber number has 2 to 30 letters and digits.");
    }
    if !cleaned.bytes().all(|b| b.is_ascii_alphanumeric() || b == b'-') {
        return Err("A subscriber number holds only letters, digits and dashes.");
    }
    Ok(cleaned)
}

/// Whether a text has the shape of a taxonomy code (NUCC): nine letters and digits, and an X.
pub fn taxonomy_is_valid(text: &str) -> bool {
    text.len() == 10 && text.ends_with('X') && text.bytes().all(|b| b.is_ascii_digit() || b.is_ascii_uppercase())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_taxonomy_code_has_its_shape() {
        assert!(["207Q00000X", "363LF0000X"].iter().all(|t| taxonomy_is_valid(t)));
        assert!(!["", "207q00000x", "207Q00000", "207Q000000", "family medicine"].iter().any(|t| taxonomy_is_valid(t)));
    }

    #[test]
    fn a_dea_number_has_its_check_digit() {
        assert!(dea_is_valid("AB1234563") && dea_is_valid("F91234563"));
        for wrong in ["AB1234560", "ab1234563", "AB123456", "1B1234563", "AB12345X3", ""] {
            assert!(!dea_is_valid(wrong), "{wrong}");
        }
    }

    #[test]
    fn npi_check_digit() {
        assert!(Npi::parse("1234567893").is_ok());
        assert_eq!(Npi::parse("1234567890"), Err(BadNpi::CheckDigit));
        assert_eq!(Npi::parse("12345"), Err(BadNpi::Length));
        assert_eq!(Npi::from_nine("123456789").map(|n| n.as_str().to_owned()), Some("1234567893".to_owned()));
    }

    #[test]
    fn loinc_check_digit() {
        assert!(loinc_is_valid("2823-3"));
        assert!(loinc_is_valid("718-7"));
        assert!(!loinc_is_valid("2823-4"));
        assert!(!loinc_is_valid("potassium"));
        assert!(!loinc_is_valid("-3"));
    }

    #[test]
    fn subscriber_numbers_are_tidied() {
        assert_eq!(subscriber_number(" sm 123-45 "), Ok("SM123-45".to_owned()));
        assert!(subscriber_number("1").is_err());
        assert!(subscriber_number("número").is_err());
    }
}
