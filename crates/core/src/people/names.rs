//! Names and ages: compared without case, accents and spelling, said as at the desk.

use chrono::{Datelike, NaiveDate};
use rphonetic::{DoubleMetaphone, Encoder};
use unicode_normalization::UnicodeNormalization;

/// The name without case, accents and punctuation, for comparing: `Søren O'Neill-Háj` is
/// `soren o neill haj`.
pub fn fold(name: &str) -> String {
    let mut out = String::with_capacity(name.len());
    if name.is_ascii() {
        // Nothing to take apart: what nearly every word of a code table is.
        for c in name.bytes() {
            match c {
                b'\'' => {}
                c if c.is_ascii_alphanumeric() => out.push(char::from(c.to_ascii_lowercase())),
                _ if out.ends_with(' ') || out.is_empty() => {}
                _ => out.push(' '),
            }
        }
        out.truncate(out.trim_end().len());
        return out;
    }
    for c in name.nfd().filter(|c| !unicode_normalization::char::is_combining_mark(*c)) {
        match c {
            'ø' | 'Ø' => out.push('o'),
            'ł' | 'Ł' => out.push('l'),
            'ß' => out.push_str("ss"),
            'æ' | 'Æ' => out.push_str("ae"),
            'œ' | 'Œ' => out.push_str("oe"),
            'đ' | 'Đ' | 'ð' | 'Ð' => out.push('d'),
            'þ' | 'Þ' => out.push_str("th"),
            '\'' | '’' => {}
            c if c.is_alphanumeric() => out.extend(c.to_lowercase()),
            _ if out.ends_with(' ') || out.is_empty() => {}
            _ => out.push(' '),
        }
    }
    out.trim_end().to_owned()
}

/// How each word of a name sounds (double metaphone), sorted, without repeats.
pub fn sounds(name: &str) -> Vec<String> {
    let metaphone = DoubleMetaphone::new(Some(6));
    let mut codes: Vec<String> = fold(name)
        .split(' ')
        .filter(|word| word.is_ascii() && word.len() > 1)
        .map(|word| metaphone.encode(word))
        .filter(|code| !code.is_empty())
        .collect();
    codes.sort();
    codes.dedup();
    codes
}

/// The age on a day, as said at the desk: years from two years on, months below, weeks below two months.
pub fn age_in_words(birth: NaiveDate, on: NaiveDate) -> String {
    let Some(years) = on.years_since(birth) else { return "not yet born".into() };
    if years >= 2 {
        return format!("{years} y");
    }
    let mut months = (on.year() - birth.year()) * 12 + on.month() as i32 - birth.month() as i32;
    if on.day() < birth.day() {
        months -= 1;
    }
    if months >= 2 { format!("{months} mo") } else { format!("{} wk", (on - birth).num_days() / 7) }
}

/// From this age on, in years, papers are set in large type.
const LARGE_TYPE_AGE: u32 = 75;

/// Whether papers for somebody born then are set in large type.
pub fn reads_large_type(birth: NaiveDate, on: NaiveDate) -> bool {
    on.years_since(birth).is_some_and(|age| age >= LARGE_TYPE_AGE)
}

/// How somebody wants to be called.
pub fn called<'a>(first: &'a str, preferred: &'a str) -> &'a str {
    if preferred.is_empty() { first } else { preferred }
}

/// Whether somebody born then is a minor on the day (younger than 18).
pub fn is_minor(birth: NaiveDate, on: NaiveDate) -> bool {
    on.years_since(birth).is_none_or(|age| age < 18)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).unwrap()
    }

    #[test]
    fn papers_are_set_for_who_reads_them() {
        let day = |y, m, d| NaiveDate::from_ymd_opt(y, m, d).unwrap();
        assert!(reads_large_type(day(1951, 11, 23), day(2026, 11, 23)));
        assert!(!reads_large_type(day(1951, 11, 24), day(2026, 11, 23)), "75 tomorrow");
        assert!(!reads_large_type(day(2027, 1, 1), day(2026, 11, 23)), "not yet born");
        assert_eq!((called("Joaquín", "Quino"), called("Ada", "")), ("Quino", "Ada"));
    }

    #[test]
    fn folding_forgives_accents_and_marks() {
        assert_eq!(fold("Ágnes  O'Neill-Søby"), "agnes oneill soby");
        assert_eq!(fold("  "), "");
        assert_eq!(sounds("Catherine Smyth"), sounds("Katherine Smith"));
    }

    #[test]
    fn ages_are_said_as_at_the_desk() {
        let on = day(2026, 11, 23);
        assert_eq!(age_in_words(day(1999, 11, 24), on), "26 y");
        assert_eq!(age_in_words(day(2025, 12, 1), on), "11 mo");
        assert_eq!(age_in_words(day(2026, 11, 1), on), "3 wk");
        assert_eq!(age_in_words(day(2026, 11, 24), on), "not yet born");
        assert!(is_minor(day(2008, 11, 24), on) && !is_minor(day(2008, 11, 23), on), "of age on the birthday");
    }
}
