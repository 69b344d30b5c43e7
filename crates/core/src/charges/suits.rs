//! Which diagnosis codes are of one sex or one time of life. The release says so in its chapters and titles; the ranges below
//! repeat it as data. What does not fit is told and stops nothing: bodies differ from records, and a payer can be told so.

use crate::people::Sex;

/// Codes from one beginning to another, of a sex, of an age in days, or both.
struct Suits {
    from: &'static str,
    to: &'static str,
    sex: Option<Sex>,
    /// The first and the last day of life that it is for.
    days: Option<(u32, u32)>,
    what: &'static str,
}

const YEAR: u32 = 366;

const fn of(from: &'static str, to: &'static str, what: &'static str) -> Suits {
    Suits { from, to, sex: None, days: None, what }
}

const fn female(from: &'static str, to: &'static str, what: &'static str) -> Suits {
    Suits { sex: Some(Sex::Female), ..of(from, to, what) }
}

const fn male(from: &'static str, to: &'static str, what: &'static str) -> Suits {
    Suits { sex: Some(Sex::Male), ..of(from, to, what) }
}

const fn aged(from: &'static str, to: &'static str, days: (u32, u32), what: &'static str) -> Suits {
    Suits { days: Some(days), ..of(from, to, what) }
}

const SUITS: [Suits; 19] = [
    female("C51", "C58", "a cancer of female organs"),
    male("C60", "C63", "a cancer of male organs"),
    female("D25", "D28", "a benign growth of female organs"),
    male("D29", "D29", "a benign growth of male organs"),
    male("N40", "N53", "a disease of male organs"),
    female("N70", "N98", "a disease of female organs"),
    female("O00", "O9A", "pregnancy and birth"),
    female("Z32", "Z36", "pregnancy"),
    female("Z39", "Z39", "the time after a birth"),
    female("Z3A", "Z3A", "a week of pregnancy"),
    aged("O00", "O9A", (9 * 365, 65 * YEAR), "pregnancy and birth"),
    aged("Z001", "Z0011", (0, 28), "an examination of a newborn"),
    aged("Z0012", "Z0012", (29, 18 * YEAR), "an examination of a child"),
    aged("Z000", "Z000", (17 * 365, u32::MAX), "an examination of an adult"),
    aged("Z38", "Z38", (0, 28), "a child born alive"),
    aged("P00", "P96", (0, 2 * YEAR), "a condition from around birth"),
    aged("F03", "F03", (15 * 365, u32::MAX), "dementia"),
    aged("N951", "N951", (15 * 365, 125 * YEAR), "the menopause"),
    aged("R54", "R54", (40 * 365, u32::MAX), "frailty of old age"),
];

/// What a code says that does not fit the sex or the age on record; nothing where it fits or neither is known.
pub fn does_not_suit(code: &str, sex: Option<Sex>, age_days: Option<u32>) -> Option<String> {
    let code: String = code.chars().filter(char::is_ascii_alphanumeric).collect::<String>().to_uppercase();
    let begin = |edge: &str| code.get(..edge.len()).unwrap_or(&code);
    let mut of_it: Vec<&Suits> = SUITS.iter().filter(|s| begin(s.from) >= s.from && begin(s.to) <= s.to).collect();
    // Of an age the narrowest row counts: one for a child's examination before one for any.
    of_it.sort_by_key(|s| std::cmp::Reverse(s.from.len()));
    let wrong_sex = of_it.iter().find(|s| match (s.sex, sex) {
        (Some(wanted), Some(is)) => is != Sex::Unknown && is != wanted,
        _ => false,
    });
    if let Some(s) = wrong_sex {
        return Some(format!("{} is told of {}, and the record says otherwise", s.what, words(s.sex)));
    }
    let (days, age) = (of_it.iter().find(|s| s.days.is_some())?, age_days?);
    let (first, last) = days.days?;
    (age < first || age > last).then(|| format!("{} does not fit the age", days.what))
}

fn words(sex: Option<Sex>) -> &'static str {
    if sex == Some(Sex::Male) { "men" } else { "women" }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_code_of_one_sex_is_told_where_the_record_says_the_other() {
        let sex = |code, sex| does_not_suit(code, Some(sex), Some(34 * 366)).is_some();
        assert!(sex("N40.1", Sex::Female) && !sex("N40.1", Sex::Male));
        assert!(sex("O09.90", Sex::Male) && !sex("O09.90", Sex::Female));
        assert!(sex("Z3A.20", Sex::Male) && sex("Z34.90", Sex::Male));
        assert!(!sex("N40.1", Sex::Unknown), "nobody guesses");
        assert!(does_not_suit("N40.1", None, None).is_none());
        assert!(!sex("I10", Sex::Female) && !sex("N39.0", Sex::Male));
    }

    #[test]
    fn examinations_are_of_their_age() {
        let age = |code, days| does_not_suit(code, None, Some(days)).is_some();
        assert!(age("Z00.00", 5 * 366) && !age("Z00.00", 40 * 366));
        assert!(age("Z00.129", 40 * 366) && !age("Z00.129", 5 * 366));
        assert!(age("Z00.110", 60) && !age("Z00.110", 5) && !age("Z00.111", 20));
        assert!(age("P07.30", 30 * 366) && !age("P07.30", 100));
        assert!(!age("", 5) && !age("Z", 5) && !age("é", 5));
    }
}
