//! Finding people: what a typed search asks for, who fits best, and why.

use super::names::{fold, sounds};
use crate::fields::typed_date::{Sense, parse};
use chrono::{Datelike, NaiveDate};

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
    /// Letters that stood right before the digits, and may belong to them: `SM 47110`. They stand among the words as well.
    pub letters_before: Option<String>,
    /// A record number as printed, such as `IH-10042`.
    pub record_number: Option<String>,
}

impl SearchTerms {
    pub fn is_empty(&self) -> bool {
        *self == SearchTerms::default()
    }

    /// The same search, had the letters before the digits been a part of them.
    pub fn with_letters(&self) -> Option<SearchTerms> {
        let letters = self.letters_before.as_ref()?;
        let at = self.words.iter().position(|w| w.eq_ignore_ascii_case(letters))?;
        let mut terms = self.clone();
        terms.words.remove(at);
        terms.letters_before = None;
        terms.digits = Some(format!("{letters}{}", self.digits.as_deref().unwrap_or_default()));
        Some(terms)
    }
}

/// Takes a typed search apart: names in any order and any mix with a birth date, birth year, telephone,
/// record number or subscriber number, each as people type them.
pub fn search_terms(text: &str, today: NaiveDate) -> SearchTerms {
    let mut terms = SearchTerms::default();
    let text: String = text.chars().take(120).collect();
    let pieces: Vec<&str> = text.split([' ', ',', '\t']).filter(|w| !w.is_empty()).collect();
    let mut rest = pieces.as_slice();
    let mut before: Option<&str> = None;
    while let [word, others @ ..] = rest {
        rest = others;
        let digits: String = word.chars().filter(char::is_ascii_digit).collect();
        if let Some(date) = date_of_words(word, others, today) {
            terms.birth_date = Some(date);
            rest = &others[2..];
        } else if let Some((number, left)) = record_number(word, others) {
            terms.record_number = Some(number);
            rest = left;
        } else if digits.is_empty() {
            terms.words.extend(fold(word).split(' ').filter(|w| !w.is_empty()).map(str::to_owned));
        } else if let Some(year) = birth_year(word, today) {
            terms.birth_year = Some(year);
        } else if let Some(date) =
            looks_like_a_date(word, &digits).then(|| parse(word, today, Sense::Birth).ok()).flatten()
        {
            terms.birth_date = Some(date);
        } else if digits.len() >= 3 || terms.digits.is_some() {
            let kept = word.chars().filter(char::is_ascii_alphanumeric).map(|c| c.to_ascii_uppercase());
            if terms.digits.is_none() {
                terms.letters_before = before
                    .filter(|b| b.len() <= 5 && b.bytes().all(|c| c.is_ascii_alphabetic()))
                    .map(str::to_uppercase);
            }
            terms.digits.get_or_insert_default().extend(kept);
        }
        before = Some(word);
    }
    terms
}

/// The digits as those of a telephone: a number of the North American plan may be written with its country.
pub fn as_telephone(digits: &str) -> &str {
    digits.strip_prefix('1').filter(|d| d.len() == 10 && d.bytes().all(|b| b.is_ascii_digit())).unwrap_or(digits)
}

/// `Feb 11 1968` or `11 feb 68` in words of their own.
fn date_of_words(word: &str, others: &[&str], today: NaiveDate) -> Option<NaiveDate> {
    let [second, third, ..] = others else { return None };
    let lettered = |w: &&str| w.len() >= 3 && w.trim_end_matches('.').bytes().all(|b| b.is_ascii_alphabetic());
    if [word, *second].iter().filter(|w| lettered(w)).count() != 1 || !third.bytes().all(|b| b.is_ascii_digit()) {
        return None;
    }
    parse(&format!("{word} {second} {third}"), today, Sense::Birth).ok()
}

/// `IH-10005`, `ih10005` or `IH 10005`, and what is left behind it.
fn record_number<'a>(word: &str, others: &'a [&'a str]) -> Option<(String, &'a [&'a str])> {
    let upper = word.to_uppercase();
    let number = upper.strip_prefix("IH")?;
    let number = number.strip_prefix('-').unwrap_or(number);
    let plain = |n: &str| !n.is_empty() && n.bytes().all(|b| b.is_ascii_digit());
    match others {
        [next, left @ ..] if number.is_empty() && plain(next) => Some((format!("IH-{next}"), left)),
        _ => plain(number).then(|| (format!("IH-{number}"), others)),
    }
}

fn birth_year(word: &str, today: NaiveDate) -> Option<i32> {
    let year: i32 = word.parse().ok()?;
    (word.len() == 4 && (today.year() - 130..=today.year()).contains(&year)).then_some(year)
}

/// Whether a word is written as a whole date is: with strokes, points or two dashes, eight digits, or around its month.
fn looks_like_a_date(word: &str, digits: &str) -> bool {
    let around_month = word.starts_with(|c: char| c.is_ascii_digit())
        && word.ends_with(|c: char| c.is_ascii_digit())
        && word.chars().filter(|c| c.is_ascii_alphabetic()).count() >= 3;
    word.contains(['/', '.']) || word.matches('-').count() == 2 || digits.len() == 8 || around_month
}

/// The facts by which a person is found.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Findable<'a> {
    pub first: &'a str,
    pub middle: &'a str,
    pub last: &'a str,
    pub preferred: &'a str,
    pub former: &'a str,
    pub birth_date: Option<NaiveDate>,
    /// Digits alone.
    pub phones: Vec<&'a str>,
    pub record_number: &'a str,
    pub subscriber_numbers: Vec<&'a str>,
}

/// How well a person fits a search.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct Fit {
    /// 0 when every word is a whole name; more for beginnings, slips and sounds.
    pub distance: u32,
    /// Why the person was found, in words, without repeats.
    pub why: Vec<String>,
}

/// How far a typed word is from a word of a name that it is, or begins.
fn plain_distance(typed: &str, name: &str) -> Option<(u32, &'static str)> {
    name.starts_with(typed).then_some((u32::from(typed != name), ""))
}

/// How far a typed word is from a word of a name that is spelt or sounds like it.
fn alike_distance(typed: &str, name: &str) -> Option<(u32, &'static str)> {
    if typed.len() > 3
        && (strsim::osa_distance(typed, name) <= typed.len() / 4 || strsim::jaro_winkler(typed, name) >= 0.9)
    {
        Some((4, "spelt like "))
    } else if typed.len() > 2 && sounds(typed).first().is_some_and(|own| sounds(name).contains(own)) {
        Some((6, "sounds like "))
    } else {
        None
    }
}

/// How well a person fits, or nothing when some part of the search speaks against them.
pub fn fit(terms: &SearchTerms, person: &Findable) -> Option<Fit> {
    let names = [
        ("last name", person.last),
        ("first name", person.first),
        ("preferred name", person.preferred),
        ("former name", person.former),
        ("middle name", person.middle),
    ];
    let words: Vec<(&str, String)> = names
        .iter()
        .flat_map(|(kind, name)| fold(name).split(' ').map(|w| (*kind, w.to_owned())).collect::<Vec<_>>())
        .filter(|(_, word)| !word.is_empty())
        .collect();
    let mut found = Fit { distance: 0, why: vec![] };
    let mut because = |why: String| {
        if !found.why.contains(&why) {
            found.why.push(why);
        }
    };
    for typed in &terms.words {
        let nearest = |distance: fn(&str, &str) -> Option<(u32, &'static str)>| {
            let all = words.iter().filter_map(|(kind, word)| distance(typed, word).map(|d| (d, *kind, word)));
            all.min_by_key(|((distance, _), _, _)| *distance)
        };
        // Slips and sounds cost more to hear than beginnings, and count only where none is.
        let ((distance, likeness), kind, word) = nearest(plain_distance).or_else(|| nearest(alike_distance))?;
        found.distance += distance;
        because(match (likeness, kind) {
            ("", "last name" | "first name") => kind.to_owned(),
            _ => format!("{likeness}{kind} {}", capital(word)),
        });
    }
    if let Some(date) = terms.birth_date {
        (person.birth_date == Some(date)).then_some(())?;
        because("birth date".into());
    }
    if let Some(year) = terms.birth_year {
        (person.birth_date?.year() == year).then_some(())?;
        because("birth year".into());
    }
    if let Some(record) = &terms.record_number {
        (person.record_number == record).then_some(())?;
        because("record number".into());
    }
    if let Some(digits) = &terms.digits {
        let telephone = as_telephone(digits);
        let why = if person.subscriber_numbers.iter().any(|s| s.chars().filter(|c| *c != '-').eq(digits.chars())) {
            "subscriber number"
        } else if person.record_number.strip_prefix("IH-") == Some(digits) {
            "record number"
        } else if person.phones.iter().any(|p| p.starts_with(telephone) || p.ends_with(telephone)) {
            "telephone"
        } else {
            return None;
        };
        because(why.into());
    }
    Some(found)
}

fn capital(word: &str) -> String {
    let mut letters = word.chars();
    letters.next().map(|c| c.to_uppercase().chain(letters).collect()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).unwrap()
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
    fn numbers_and_dates_are_understood_as_they_are_typed() {
        let today = day(2026, 11, 23);
        for typed in ["Feb 11 1968", "11 feb 68", "11feb1968", "2/11/68", "february 11 1968"] {
            let t = search_terms(&format!("{typed} halvorsen"), today);
            assert_eq!((t.birth_date, t.words.len()), (Some(day(1968, 2, 11)), 1), "{typed}");
        }
        for typed in ["IH 10005", "ih10005", "IH-10005", "ih 10005"] {
            assert_eq!(search_terms(typed, today).record_number.as_deref(), Some("IH-10005"), "{typed}");
        }
        for typed in ["1-207-555-0104", "12075550104", "(207) 555-0104", "+1 207 555 0104"] {
            assert_eq!(search_terms(typed, today).digits.as_deref().map(as_telephone), Some("2075550104"), "{typed}");
        }
        let t = search_terms("SM 47110", today);
        assert_eq!(
            (t.digits.as_deref(), t.with_letters().unwrap().digits.as_deref()),
            (Some("47110"), Some("SM47110"))
        );
        assert_eq!(t.with_letters().unwrap().words, Vec::<String>::new());
        assert_eq!(search_terms("SM12-345 67", today).digits.as_deref(), Some("SM1234567"));
        // A name before a year, or a month that is a name, stays one.
        assert_eq!(search_terms("Lo 1968", today).with_letters(), None);
        assert_eq!(search_terms("June 1968", today).words, ["june"]);
    }

    fn wren() -> Findable<'static> {
        Findable {
            first: "Wren",
            last: "Takahashi-Doyle",
            preferred: "Birdie",
            former: "Okonjo",
            birth_date: Some(day(1992, 5, 17)),
            phones: vec!["2075550142"],
            record_number: "IH-10042",
            subscriber_numbers: vec!["SM44710"],
            ..Findable::default()
        }
    }

    fn found(typed: &str) -> Option<Fit> {
        fit(&search_terms(typed, day(2026, 11, 23)), &wren())
    }

    #[test]
    fn says_why_somebody_was_found() {
        let why = |typed: &str| found(typed).map(|f| f.why.join(", "));
        assert_eq!(why("tak wre 1992").as_deref(), Some("last name, first name, birth year"));
        assert_eq!(why("birdie").as_deref(), Some("preferred name Birdie"));
        assert_eq!(why("okonjo").as_deref(), Some("former name Okonjo"));
        assert_eq!(why("takahasi").as_deref(), Some("spelt like last name Takahashi"));
        assert_eq!(why("dowell").as_deref(), Some("sounds like last name Doyle"));
        assert_eq!(why("5/17/92").as_deref(), Some("birth date"));
        assert_eq!(why("0142").as_deref(), Some("telephone"));
        assert_eq!(why("sm44710").as_deref(), Some("subscriber number"));
        let dashed = Findable { subscriber_numbers: vec!["SM-447-10"], ..wren() };
        assert!(fit(&search_terms("sm44710", day(2026, 11, 23)), &dashed).is_some(), "without its dashes");
        let digits_alone = Findable { subscriber_numbers: vec!["12345678901"], ..wren() };
        assert!(
            fit(&search_terms("12345678901", day(2026, 11, 23)), &digits_alone).is_some(),
            "no country is taken off"
        );
        assert_eq!(why("1-207-555-0142").as_deref(), Some("telephone"));
        assert_eq!(why("IH-10042 wren").as_deref(), Some("first name, record number"));
    }

    #[test]
    fn whole_names_come_before_beginnings_slips_and_sounds() {
        let distance = |typed: &str| found(typed).map(|f| f.distance).unwrap();
        assert!(distance("doyle") < distance("doy"));
        assert!(distance("doy") < distance("takahasi"));
        assert!(distance("takahasi") < distance("dowell"));
        assert_eq!(distance("doyle wren"), 0, "in any order");
    }

    #[test]
    fn one_wrong_part_speaks_against() {
        for typed in ["wren smith", "wren 1991", "wren 5/18/92", "IH-10043", "2075550143", "xx"] {
            assert_eq!(found(typed), None, "{typed}");
        }
    }
}
