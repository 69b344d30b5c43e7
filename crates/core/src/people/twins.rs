//! Likely twins: whether two records are one person, scored with reasons in words.

use super::names::{fold, sounds};
use chrono::{Datelike, NaiveDate};

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

/// Below this score two records are quite unlike, and joining them is asked about.
pub const UNLIKE: u8 = 30;

/// Scores two records. Names weigh most; a birth date that differs outright speaks against, one with
/// two neighbouring digits transposed or day and month swapped still speaks for.
pub fn twin_score(a: &Likeness, b: &Likeness) -> TwinScore {
    score_heard(&Heard::of(a), &Heard::of(b))
}

/// A name as it is compared.
#[derive(Debug, Clone)]
struct HeardName {
    folded: String,
    sounds: Vec<String>,
}

impl HeardName {
    fn of(name: &str) -> HeardName {
        let folded = fold(name);
        HeardName { sounds: sounds(&folded), folded }
    }
}

/// A record whose names were heard once, for comparing it with many.
#[derive(Debug, Clone)]
pub(super) struct Heard {
    known: Likeness,
    first: HeardName,
    /// With other last names that they have or had.
    last: Vec<HeardName>,
}

impl Heard {
    pub(super) fn of(known: &Likeness) -> Heard {
        let last = std::iter::once(&known.last).chain(&known.other_names);
        Heard {
            first: HeardName::of(&known.first),
            last: last.map(|n| HeardName::of(n)).collect(),
            known: known.clone(),
        }
    }
}

/// [`twin_score`] of records that were heard.
pub(super) fn score_heard(x: &Heard, y: &Heard) -> TwinScore {
    let (a, b) = (&x.known, &y.known);
    let mut score = 0i32;
    let mut reasons: Vec<String> = Vec::new();
    let last = last_name_match(x, y);
    let first = first_name_match(&x.first, &y.first);
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
        // Twins share everything else: name, birth date, house, telephone and policy.
        NameMatch::Other => score -= 45,
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
    // What differs although both are known speaks a little against: people move, cousins share names.
    let mut equal = |x: &Option<String>, y: &Option<String>, points: i32, reason: &str| match (x, y) {
        (Some(x), Some(y)) if x == y => {
            score += points;
            reasons.push(reason.to_owned());
        }
        (Some(_), Some(_)) => score -= AGAINST,
        _ => {}
    };
    equal(&a.phone, &b.phone, 12, "same telephone");
    equal(&a.address, &b.address, 8, "same address");
    equal(&a.subscriber_number, &b.subscriber_number, 12, "same subscriber number");
    // One name is enough to ask, unless the birth dates say outright that they are two.
    let two = matches!((a.birth_date, b.birth_date), (Some(x), Some(y)) if x != y);
    if last == NameMatch::Same && first == NameMatch::Same && !two {
        score = score.max(i32::from(TWIN_THRESHOLD));
    }
    TwinScore { score: score.clamp(0, 100) as u8, reasons }
}

/// Which names of two records are alike: the same, spelt alike or sounding alike.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct NamesAlike {
    pub last: bool,
    pub first: bool,
}

pub fn names_alike(a: &Likeness, b: &Likeness) -> NamesAlike {
    let (a, b) = (Heard::of(a), Heard::of(b));
    NamesAlike {
        last: last_name_match(&a, &b) != NameMatch::Other,
        first: first_name_match(&a.first, &b.first) != NameMatch::Other,
    }
}

/// The best that any two last names of theirs make, also those they had.
fn last_name_match(x: &Heard, y: &Heard) -> NameMatch {
    let all = x.last.iter().flat_map(|m| y.last.iter().map(move |n| name_match(m, n)));
    all.max().unwrap_or(NameMatch::Other)
}

/// Points off for a telephone, an address or a subscriber number that differs.
const AGAINST: i32 = 8;

/// First names also match by their short forms: one begins with the other, or both are known to be one.
fn first_name_match(a: &HeardName, b: &HeardName) -> NameMatch {
    let plain = name_match(a, b);
    if plain != NameMatch::Other {
        return plain;
    }
    let (a, b) = (a.folded.as_str(), b.folded.as_str());
    let common = a.chars().zip(b.chars()).take_while(|(x, y)| x == y).count();
    let shorter = a.chars().count().min(b.chars().count());
    // Chris of Christopher, Cy of Cyprian, Mati of Mateusz.
    let begins = (common == shorter && shorter >= 2) || (common >= 3 && shorter <= 4);
    if begins || SHORT_FORMS.iter().any(|f| f.contains(&a) && f.contains(&b)) {
        NameMatch::Close
    } else {
        NameMatch::Other
    }
}

/// Usual short forms that do not begin like the name they stand for.
const SHORT_FORMS: [&[&str]; 22] = [
    &["william", "bill", "billy", "will", "liam"],
    &["robert", "bob", "bobby", "rob"],
    &["richard", "dick", "rick", "rich"],
    &["margaret", "peggy", "meg", "maggie", "greta"],
    &["marguerite", "margo", "margot", "daisy"],
    &["elizabeth", "betty", "liz", "beth", "lisa", "elsie"],
    &["katherine", "catherine", "kate", "kitty", "katie"],
    &["james", "jim", "jimmy", "jamie"],
    &["john", "jack", "johnny"],
    &["edward", "ned", "ted", "eddie"],
    &["theodore", "ted", "theo"],
    &["charles", "chuck", "charlie"],
    &["henry", "harry", "hank"],
    &["alexander", "sasha", "sandy", "alex"],
    &["alexandra", "sasha", "sandra", "alex"],
    &["helen", "nell", "ellen", "lena"],
    &["mary", "molly", "polly", "mamie"],
    &["dorothy", "dot", "dolly"],
    &["anthony", "tony"],
    &["francis", "frank"],
    &["joaquin", "quino"],
    &["jose", "pepe"],
];

#[derive(Debug, PartialEq, Eq, Clone, Copy, PartialOrd, Ord)]
enum NameMatch {
    Other,
    Sounds,
    Close,
    Same,
}

fn name_match(a: &HeardName, b: &HeardName) -> NameMatch {
    // In one order, so that the score does not depend on which record is asked first.
    let (a, b) = if a.folded <= b.folded { (a, b) } else { (b, a) };
    let (x, y) = (a.folded.as_str(), b.folded.as_str());
    if x.is_empty() || y.is_empty() {
        NameMatch::Other
    } else if x == y {
        NameMatch::Same
    } else if strsim::jaro_winkler(x, y) >= 0.92 || (x.len().max(y.len()) > 3 && strsim::osa_distance(x, y) == 1) {
        NameMatch::Close
    } else if !a.sounds.is_empty() && a.sounds == b.sounds {
        NameMatch::Sounds
    } else {
        NameMatch::Other
    }
}

/// Two dates that one slip makes of each other: day and month, or two neighbouring digits, swapped.
pub fn digits_transposed(a: NaiveDate, b: NaiveDate) -> bool {
    if a.year() == b.year() && a.day() == b.month() && a.month() == b.day() {
        return true;
    }
    let (x, y) = (a.format("%Y%m%d").to_string().into_bytes(), b.format("%Y%m%d").to_string().into_bytes());
    let differing: Vec<usize> = (0..x.len()).filter(|&i| x[i] != y[i]).collect();
    matches!(differing.as_slice(), [i, j] if j - i == 1 && x[*i] == y[*j] && x[*j] == y[*i])
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).unwrap()
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
        for (short, long) in [("Bill", "William"), ("Chris", "Christopher"), ("Cy", "Cyprian"), ("Mati", "Mateusz")] {
            let (short, long) = (HeardName::of(short), HeardName::of(long));
            assert!(first_name_match(&short, &long) == NameMatch::Close, "{short:?} and {long:?}");
            assert!(first_name_match(&long, &short) == NameMatch::Close);
        }
        assert!(first_name_match(&HeardName::of("Marta"), &HeardName::of("Oriane")) == NameMatch::Other);
        let sister = Likeness { first: "Marta".into(), ..base.clone() };
        assert!(twin_score(&base, &sister).score < TWIN_THRESHOLD, "{:?}", twin_score(&base, &sister));
        let namesake = Likeness { birth_date: Some(day(1961, 7, 2)), phone: None, ..base.clone() };
        assert!(twin_score(&base, &namesake).score < TWIN_THRESHOLD);
        let of_name = |phone: &str| Likeness {
            first: "Ines".into(),
            last: "Quarrie".into(),
            phone: Some(phone.into()),
            ..Likeness::default()
        };
        assert!(
            twin_score(&of_name("2075550199"), &base).score >= TWIN_THRESHOLD,
            "the same name alone is asked about"
        );
        assert!(twin_score(&of_name("2075550199"), &of_name("2075550198")).score >= TWIN_THRESHOLD);
        assert!(twin_score(&base, &Likeness { first: "Oriane".into(), ..of_name("2075550101") }).score < UNLIKE);
        assert!(digits_transposed(day(1999, 3, 12), day(1999, 3, 21)));
        assert!(digits_transposed(day(1999, 3, 12), day(1999, 12, 3)));
        assert!(!digits_transposed(day(1999, 3, 12), day(1999, 3, 13)));
    }

    proptest! {
        #[test]
        fn scoring_is_even_handed(a in "[a-zé' -]{0,12}", b in "[a-zé' -]{0,12}") {
            let x = Likeness { first: a.clone(), last: b.clone(), ..Likeness::default() };
            let y = Likeness { first: b, last: a, ..Likeness::default() };
            prop_assert_eq!(twin_score(&x, &y).score, twin_score(&y, &x).score);
        }
    }
}
