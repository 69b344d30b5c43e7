//! Whom a report of an uncertain person may be about: what speaks for each, and what against, in words.

use crate::people::{Likeness, NamesAlike, digits_transposed, names_alike, twin_score};
use chrono::NaiveDate;

/// What a report says of its person. Everything may be missing.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct NamedPerson {
    /// Our record number, as far as the laboratory knows it.
    pub record_number: String,
    pub last: String,
    pub first: String,
    pub birth_date: Option<NaiveDate>,
    /// F, M or U; empty when not said.
    pub sex: String,
}

/// What is known here of somebody whom the report may be about.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Somebody {
    /// All of theirs, also of records merged into this one.
    pub record_numbers: Vec<String>,
    pub likeness: Likeness,
    pub sex: String,
    /// Names of the tests that are ordered for them and for which no result came.
    pub open_tests: Vec<OpenTest>,
    pub deceased_on: Option<NaiveDate>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OpenTest {
    pub loinc: String,
    pub name: String,
}

/// How much speaks for somebody, 0 to 100, and why.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Candidate {
    pub score: u8,
    pub for_it: Vec<String>,
    pub against_it: Vec<String>,
}

/// How what a report says of its person lies to what is known of somebody; nothing where either does not say.
struct Compared {
    /// The record number is theirs.
    number: Option<Number>,
    names: Option<NamesAlike>,
    born: Option<Born>,
    same_sex: Option<bool>,
}

#[derive(PartialEq, Eq)]
enum Number {
    Theirs,
    OneSlip,
    Other,
}

#[derive(PartialEq, Eq)]
enum Born {
    Same,
    Swapped,
    Other,
}

fn compare(named: &NamedPerson, who: &Somebody) -> Compared {
    let told = |text: &str| text.trim().to_uppercase();
    let number = (!named.record_number.trim().is_empty()).then(|| told(&named.record_number)).map(|number| {
        if who.record_numbers.iter().any(|n| told(n) == number) {
            Number::Theirs
        } else if who.record_numbers.iter().any(|n| strsim::osa_distance(&told(n), &number) == 1) {
            Number::OneSlip
        } else {
            Number::Other
        }
    });
    let has_name = !named.last.trim().is_empty() || !named.first.trim().is_empty();
    let born = match (named.birth_date, who.likeness.birth_date) {
        (Some(a), Some(b)) if a == b => Some(Born::Same),
        (Some(a), Some(b)) if digits_transposed(a, b) => Some(Born::Swapped),
        (Some(_), Some(_)) => Some(Born::Other),
        _ => None,
    };
    let said = |sex: &str| !sex.is_empty() && sex != "U";
    Compared {
        number,
        names: has_name.then(|| names_alike(&of_names(named), &who.likeness)),
        born,
        same_sex: (said(&named.sex) && said(&who.sex)).then(|| named.sex == who.sex),
    }
}

/// The names alone: what the birth date says is judged beside them.
fn of_names(named: &NamedPerson) -> Likeness {
    Likeness { first: named.first.clone(), last: named.last.clone(), ..Likeness::default() }
}

/// Judges somebody. It only ranks: a report is filed by a person who compared both. Without `tests` nothing is said of what
/// is ordered for them.
pub fn judge(named: &NamedPerson, tests: &[String], who: &Somebody) -> Candidate {
    let Compared { number, names, born, same_sex } = compare(named, who);
    let mut out = Candidate::default();
    let mut score = 0i32;
    match number {
        Some(Number::Theirs) => {
            score += 35;
            out.for_it.push("the record number is theirs".into());
        }
        Some(Number::OneSlip) => {
            score += 12;
            out.for_it.push("the record number differs in one sign".into());
        }
        Some(Number::Other) => {
            out.against_it.push(format!("the record number {} is not theirs", named.record_number.trim()));
        }
        None => {}
    }
    if let Some(alike) = names {
        let twin = twin_score(&of_names(named), &who.likeness);
        score += i32::from(twin.score) / 2;
        out.for_it.extend(twin.reasons);
        if !alike.last {
            out.against_it.push("the last name is another".into());
        }
        if !alike.first {
            out.against_it.push("the first name is another".into());
        }
    }
    match born {
        Some(Born::Same) => {
            score += 18;
            out.for_it.push("same birth date".into());
        }
        Some(Born::Swapped) => {
            score += 11;
            out.for_it.push("birth date with two digits swapped".into());
        }
        Some(Born::Other) => {
            score -= 15;
            out.against_it.push("the birth date is another".into());
        }
        None => {}
    }
    match same_sex {
        Some(true) => score += 3,
        Some(false) => {
            score -= 12;
            out.against_it.push("the sex is another".into());
        }
        None => {}
    }
    let waited: Vec<&OpenTest> = who.open_tests.iter().filter(|t| tests.contains(&t.loinc)).collect();
    if let Some(first) = waited.first() {
        score += 15;
        out.for_it.push(match waited.len() {
            1 => format!("{} is ordered for them and has no result", first.name),
            n => format!("{} and {} more are ordered for them and have no result", first.name, n - 1),
        });
    } else if !tests.is_empty() {
        out.against_it.push("none of these tests is ordered for them".into());
    }
    if let Some(day) = who.deceased_on {
        out.against_it.push(format!("died on {}", day.format("%b %-d, %Y")));
    }
    out.score = u8::try_from(score.clamp(0, 100)).unwrap_or(0);
    out
}

/// Whether what a report says of its person cannot be said of somebody: another birth date, another sex, or a name of
/// which nothing is alike. Then the report waits for a person, whatever number it bears: labels are mixed up.
pub fn contradicts(named: &NamedPerson, who: &Somebody) -> bool {
    let Compared { names, born, same_sex, .. } = compare(named, who);
    matches!(born, Some(Born::Swapped | Born::Other))
        || same_sex == Some(false)
        || names.is_some_and(|alike| !alike.last && !alike.first)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn day(y: i32, m: u32, d: u32) -> Option<NaiveDate> {
        NaiveDate::from_ymd_opt(y, m, d)
    }

    fn maren() -> Somebody {
        Somebody {
            record_numbers: vec!["IH-10007".into()],
            likeness: Likeness {
                first: "Maren".into(),
                last: "Quillfeather".into(),
                birth_date: day(1994, 3, 12),
                ..Likeness::default()
            },
            sex: "F".into(),
            open_tests: vec![OpenTest { loinc: "2276-4".into(), name: "Ferritin".into() }],
            deceased_on: None,
        }
    }

    fn named(number: &str, last: &str, first: &str, born: Option<NaiveDate>) -> NamedPerson {
        NamedPerson {
            record_number: number.into(),
            last: last.into(),
            first: first.into(),
            birth_date: born,
            sex: "F".into(),
        }
    }

    #[test]
    fn what_fits_better_ranks_higher_and_says_why() {
        let tests = ["2276-4".to_owned()];
        let score = |n: &NamedPerson| judge(n, &tests, &maren()).score;
        let all = named("IH-10007", "Quillfeather", "Maren", day(1994, 3, 12));
        let slipped = named("", "Quilfeather", "Marin", day(1994, 12, 3));
        let other_name = named("", "Obasi", "Maren", day(1994, 3, 12));
        let nothing = NamedPerson::default();
        assert!(score(&all) > score(&slipped), "{} {}", score(&all), score(&slipped));
        assert!(score(&slipped) > score(&other_name));
        assert!(score(&other_name) >= score(&nothing));
        let judged = judge(&slipped, &tests, &maren());
        assert_eq!(
            judged.for_it,
            [
                "last name spelt alike",
                "first name spelt alike",
                "birth date with two digits swapped",
                "Ferritin is ordered for them and has no result"
            ]
        );
        assert!(judged.against_it.is_empty(), "{judged:?}");
    }

    #[test]
    fn what_speaks_against_is_said_too() {
        let mut man = named("IH-10099", "Quillfeather", "Oskar", day(1961, 1, 30));
        man.sex = "M".into();
        let judged = judge(&man, &["600-7".into()], &maren());
        assert_eq!(
            judged.against_it,
            [
                "the record number IH-10099 is not theirs",
                "the first name is another",
                "the birth date is another",
                "the sex is another",
                "none of these tests is ordered for them"
            ]
        );
        let swapped = judge(&named("IH-10070", "", "", None), &[], &maren());
        assert_eq!(swapped.for_it, ["the record number differs in one sign"]);
        let dead = Somebody { deceased_on: day(2026, 1, 2), ..maren() };
        assert_eq!(judge(&NamedPerson::default(), &[], &dead).against_it, ["died on Jan 2, 2026"]);
    }

    #[test]
    fn a_mixed_up_label_is_no_report_of_the_one_it_is_on() {
        let same = named("IH-10007", "Quillfeather", "Maren", day(1994, 3, 12));
        assert!(!contradicts(&same, &maren()));
        assert!(!contradicts(&named("IH-10007", "Quilfeather-Obi", "Maren", None), &maren()), "people marry");
        assert!(!contradicts(&NamedPerson { record_number: "IH-10007".into(), ..NamedPerson::default() }, &maren()));
        assert!(contradicts(&named("IH-10007", "Quillfeather", "Maren", day(1994, 12, 3)), &maren()));
        assert!(contradicts(&named("IH-10007", "Obasi", "Oskar", day(1994, 3, 12)), &maren()));
        assert!(contradicts(&NamedPerson { sex: "M".into(), ..same }, &maren()));
    }
}
