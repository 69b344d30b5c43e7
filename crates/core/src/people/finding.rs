//! Finding people: what a typed search asks for, who fits best, and why.

use super::names::{fold, sounds};
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
    use crate::fields::typed_date::{Sense, parse};
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
        let why = if person.subscriber_numbers.iter().any(|s| s == digits) {
            "subscriber number"
        } else if person.record_number.strip_prefix("IH-") == Some(digits) {
            "record number"
        } else if person.phones.iter().any(|p| p.starts_with(digits.as_str()) || p.ends_with(digits.as_str())) {
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
