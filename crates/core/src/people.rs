//! People: names, ages, finding, likely twins, and what a record still lacks.

use chrono::{Datelike, NaiveDate};
use rphonetic::{DoubleMetaphone, Encoder};
use unicode_normalization::UnicodeNormalization;

coded! {
    /// Sex as payers know it (X12 DMG03).
    Sex {
        Female = "F", "Female";
        Male = "M", "Male";
        Unknown = "U", "Unknown";
    }
}

/// The name without case, accents and punctuation, for comparing: `Søren O'Neill-Háj` is
/// `soren o neill haj`.
pub fn fold(name: &str) -> String {
    let mut out = String::with_capacity(name.len());
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

/// Whether somebody born then is a minor on the day (younger than 18).
pub fn is_minor(birth: NaiveDate, on: NaiveDate) -> bool {
    on.years_since(birth).is_none_or(|age| age < 18)
}

/// What one search asks for, taken apart from what was typed.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct SearchTerms {
    /// Folded parts of names, in the order typed.
    pub words: Vec<String>,
    /// A whole birth date, when one was typed.
    pub birth_date: Option<NaiveDate>,
    /// A birth year alone.
    pub birth_year: Option<i32>,
    /// Four or more digits that may be part of a telephone, record or subscriber number.
    pub digits: Option<String>,
    /// A record number as printed, such as `IH-10042`.
    pub record_number: Option<String>,
}

impl SearchTerms {
    pub fn is_empty(&self) -> bool {
        *self == SearchTerms::default()
    }
}

/// Takes a typed search apart: names in any order and any mix with a birth date, birth year, telephone,
/// record number or subscriber number.
pub fn search_terms(text: &str, today: NaiveDate) -> SearchTerms {
    use crate::typed_date::{Sense, parse};
    let mut terms = SearchTerms::default();
    let text: String = text.chars().take(120).collect();
    for word in text.split([' ', ',', '\t']).filter(|w| !w.is_empty()) {
        let digits: String = word.chars().filter(char::is_ascii_digit).collect();
        let upper = word.to_uppercase();
        if let Some(number) =
            upper.strip_prefix("IH-").filter(|n| !n.is_empty() && n.bytes().all(|b| b.is_ascii_digit()))
        {
            terms.record_number = Some(format!("IH-{number}"));
        } else if digits.is_empty() {
            terms.words.extend(fold(word).split(' ').filter(|w| !w.is_empty()).map(str::to_owned));
        } else if word.len() == 4
            && digits.len() == 4
            && matches!(word.parse::<i32>(), Ok(y) if (today.year() - 130..=today.year()).contains(&y))
        {
            terms.birth_year = word.parse().ok();
        } else if let Some(date) = (word.contains(['/', '.']) || word.matches('-').count() == 2 || digits.len() == 8)
            .then(|| parse(word, today, Sense::Birth).ok())
            .flatten()
        {
            terms.birth_date = Some(date);
        } else if digits.len() >= 3 {
            let kept: String = upper.chars().filter(|c| c.is_ascii_alphanumeric()).collect();
            let joined = terms.digits.take().unwrap_or_default() + &kept;
            terms.digits = Some(joined);
        }
    }
    terms
}

/// What is known of a person when asking whether somebody is already registered.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Likeness {
    pub first: String,
    pub last: String,
    pub other_names: Vec<String>,
    pub birth_date: Option<NaiveDate>,
    pub phone: Option<String>,
    pub address: Option<String>,
    pub subscriber_number: Option<String>,
}

/// How likely two records are one person, 0 to 100, with the reasons in words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TwinScore {
    pub score: u8,
    pub reasons: Vec<String>,
}

/// From this score on a record is shown as a likely twin.
pub const TWIN_THRESHOLD: u8 = 60;

/// Scores two records. Names weigh most; a birth date that differs outright speaks against, one with
/// two neighbouring digits transposed or day and month swapped still speaks for.
pub fn twin_score(a: &Likeness, b: &Likeness) -> TwinScore {
    let mut score = 0i32;
    let mut reasons = Vec::new();
    let last = best_name_match(&a.last, &b.last, &a.other_names, &b.other_names);
    let first = name_match(&a.first, &b.first);
    match last {
        NameMatch::Same => {
            score += 28;
            reasons.push("same last name".into())
        }
        NameMatch::Close => {
            score += 20;
            reasons.push("last name spelt alike".into())
        }
        NameMatch::Sounds => {
            score += 16;
            reasons.push("last name sounds alike".into())
        }
        NameMatch::Other => score -= 15,
    }
    match first {
        NameMatch::Same => {
            score += 24;
            reasons.push("same first name".into())
        }
        NameMatch::Close => {
            score += 18;
            reasons.push("first name spelt alike".into())
        }
        NameMatch::Sounds => {
            score += 14;
            reasons.push("first name sounds alike".into())
        }
        NameMatch::Other => score -= 25,
    }
    if let (Some(x), Some(y)) = (a.birth_date, b.birth_date) {
        if x == y {
            score += 36;
            reasons.push("same birth date".into());
        } else if digits_transposed(x, y) {
            score += 22;
            reasons.push("birth date with two digits swapped".into());
        } else if x.year() == y.year() && (x.month() == y.month() || x.day() == y.day()) {
            score += 4;
            reasons.push("birth date nearly the same".into());
        } else {
            score -= 30;
        }
    }
    let mut equal = |x: &Option<String>, y: &Option<String>, points: i32, reason: &str| {
        if x.is_some() && x == y {
            score += points;
            reasons.push(reason.to_owned());
        }
    };
    equal(&a.phone, &b.phone, 12, "same telephone");
    equal(&a.address, &b.address, 8, "same address");
    equal(&a.subscriber_number, &b.subscriber_number, 12, "same subscriber number");
    TwinScore { score: score.clamp(0, 100) as u8, reasons }
}

#[derive(PartialEq, Eq, Clone, Copy, PartialOrd, Ord)]
enum NameMatch {
    Other,
    Sounds,
    Close,
    Same,
}

fn name_match(a: &str, b: &str) -> NameMatch {
    // In one order, so that the score does not depend on which record is asked first.
    let (a, b) = (fold(a).min(fold(b)), fold(a).max(fold(b)));
    if a.is_empty() || b.is_empty() {
        NameMatch::Other
    } else if a == b {
        NameMatch::Same
    } else if strsim::jaro_winkler(&a, &b) >= 0.92 || (a.len().max(b.len()) > 3 && strsim::osa_distance(&a, &b) == 1) {
        NameMatch::Close
    } else if !sounds(&a).is_empty() && sounds(&a) == sounds(&b) {
        NameMatch::Sounds
    } else {
        NameMatch::Other
    }
}

fn best_name_match(a: &str, b: &str, other_a: &[String], other_b: &[String]) -> NameMatch {
    std::iter::once(a)
        .chain(other_a.iter().map(String::as_str))
        .flat_map(|x| std::iter::once(b).chain(other_b.iter().map(String::as_str)).map(move |y| name_match(x, y)))
        .max()
        .unwrap_or(NameMatch::Other)
}

fn digits_transposed(a: NaiveDate, b: NaiveDate) -> bool {
    if a.year() == b.year() && a.day() == b.month() && a.month() == b.day() {
        return true;
    }
    let (x, y) = (a.format("%Y%m%d").to_string().into_bytes(), b.format("%Y%m%d").to_string().into_bytes());
    let differing: Vec<usize> = (0..x.len()).filter(|&i| x[i] != y[i]).collect();
    matches!(differing.as_slice(), [i, j] if j - i == 1 && x[*i] == y[*j] && x[*j] == y[*i])
}

/// The facts of a record that decide whether it is complete enough for a visit.
#[derive(Debug, Clone, Default)]
pub struct RecordFacts {
    pub birth_date: Option<NaiveDate>,
    pub sex: Option<Sex>,
    pub has_address: bool,
    pub has_phone: bool,
    pub has_email_or_declined: bool,
    pub has_responsible_party: bool,
    pub privacy_notice: bool,
}

/// What a record lacks, by field, in the order of the registration form.
pub fn gaps(facts: &RecordFacts, on: NaiveDate) -> Vec<(&'static str, &'static str)> {
    let minor = facts.birth_date.is_some_and(|b| is_minor(b, on));
    [
        (facts.birth_date.is_none(), ("birthDate", "birth date")),
        (facts.sex.is_none(), ("sex", "sex")),
        (!facts.has_address, ("address", "address")),
        (!facts.has_phone, ("phone", "telephone")),
        (!facts.has_email_or_declined, ("email", "e-mail, or that it was declined")),
        (!facts.privacy_notice, ("privacyNotice", "privacy notice given")),
        (minor && !facts.has_responsible_party, ("responsibleParty", "responsible party for a minor")),
    ]
    .into_iter()
    .filter_map(|(lacking, gap)| lacking.then_some(gap))
    .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).unwrap()
    }

    #[test]
    fn folding_forgives_accents_and_marks() {
        assert_eq!(fold("Ágnes  O'Neill-Søby"), "agnes oneill soby");
        assert_eq!(fold("  "), "");
        assert_eq!(sounds("Catherine Smyth"), sounds("Katherine Smith"));
    }

    #[test]
    fn a_search_is_any_mix() {
        let today = day(2026, 11, 23);
        let t = search_terms("qua ine 1999", today);
        assert_eq!((t.words, t.birth_year), (vec!["qua".to_owned(), "ine".to_owned()], Some(1999)));
        let t = search_terms("3/4/62 Ferreira-Holm", today);
        assert_eq!(t.birth_date, Some(day(1962, 3, 4)));
        assert_eq!(t.words, ["ferreira", "holm"]);
        assert_eq!(search_terms("ih-10042", today).record_number.as_deref(), Some("IH-10042"));
        assert_eq!(search_terms("(207) 555-0142", today).digits.as_deref(), Some("2075550142"));
        assert_eq!(search_terms("SM4471", today).digits.as_deref(), Some("SM4471"));
        assert!(search_terms(" ,, ", today).is_empty());
    }

    #[test]
    fn twins_and_their_look_alikes() {
        let base = Likeness {
            first: "Ines".into(),
            last: "Quarrie".into(),
            birth_date: Some(day(1999, 2, 13)),
            phone: Some("2075550101".into()),
            ..Likeness::default()
        };
        let slip = Likeness { first: "Inés".into(), last: "Quarry".into(), ..base.clone() };
        assert!(twin_score(&base, &slip).score >= TWIN_THRESHOLD, "{:?}", twin_score(&base, &slip));
        let swapped = Likeness { birth_date: Some(day(1999, 2, 1)), ..base.clone() };
        assert!(twin_score(&base, &swapped).score < twin_score(&base, &base).score);
        let sister = Likeness { first: "Marta".into(), ..base.clone() };
        assert!(twin_score(&base, &sister).score < TWIN_THRESHOLD, "{:?}", twin_score(&base, &sister));
        let namesake = Likeness { birth_date: Some(day(1961, 7, 2)), phone: None, ..base.clone() };
        assert!(twin_score(&base, &namesake).score < TWIN_THRESHOLD);
        assert!(digits_transposed(day(1999, 3, 12), day(1999, 3, 21)));
        assert!(digits_transposed(day(1999, 3, 12), day(1999, 12, 3)));
        assert!(!digits_transposed(day(1999, 3, 12), day(1999, 3, 13)));
    }

    #[test]
    fn ages_and_gaps() {
        let on = day(2026, 11, 23);
        assert_eq!(age_in_words(day(1999, 11, 24), on), "26 y");
        assert_eq!(age_in_words(day(2025, 12, 1), on), "11 mo");
        assert_eq!(age_in_words(day(2026, 11, 1), on), "3 wk");
        let child = RecordFacts { birth_date: Some(day(2019, 1, 1)), ..RecordFacts::default() };
        assert!(gaps(&child, on).iter().any(|(f, _)| *f == "responsibleParty"));
        let adult = RecordFacts {
            birth_date: Some(day(1980, 1, 1)),
            sex: Some(Sex::Female),
            has_address: true,
            has_phone: true,
            has_email_or_declined: true,
            has_responsible_party: false,
            privacy_notice: true,
        };
        assert_eq!(gaps(&adult, on), []);
    }

    proptest! {
        #[test]
        fn scoring_is_even_handed(a in "[a-zé' -]{0,12}", b in "[a-zé' -]{0,12}") {
            let x = Likeness { first: a.clone(), last: b.clone(), ..Likeness::default() };
            let y = Likeness { first: b, last: a, ..Likeness::default() };
            prop_assert_eq!(twin_score(&x, &y).score, twin_score(&y, &x).score);
            let _ = search_terms(&x.first, day(2026, 1, 1));
        }
    }
}
