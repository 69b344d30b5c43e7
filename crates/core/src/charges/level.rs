//! The level of an office visit, by the minutes that the clinician documented for the day or by how complex it was, with its
//! reasons in words. It is never above what is documented, and says what would have to be documented for the next one.
//! (The framework is the one that the Centers for Medicare & Medicaid Services use since 2021; the words are ours.)

use chrono::{Months, NaiveDate};

/// A visit that the group had with the patient before: by whom, of which specialty, when.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct SeenBefore<'a> {
    pub day: NaiveDate,
    pub specialty: &'a str,
}

/// For so long somebody who was seen is not new.
const NEW_AFTER: Months = Months::new(36);

/// Whether the patient is new: nobody of this group and specialty saw them face to face within three years before the day.
/// Nurse practitioners count in their physicians' specialty, which is what `specialty` says of them.
pub fn is_new_patient(day: NaiveDate, specialty: &str, before: &[SeenBefore]) -> bool {
    let since = day.checked_sub_months(NEW_AFTER).unwrap_or(NaiveDate::MIN);
    !before.iter().any(|b| b.day < day && b.day >= since && b.specialty == specialty)
}

/// The specialty that a clinician counts in, by the taxonomy code (NUCC): its first four places are the physicians' field;
/// nurse practitioners count in the field that they work in.
pub fn specialty(taxonomy: &str) -> &str {
    const IN_FIELD: [(&str, &str); 4] =
        [("363LF", "207Q"), ("363LP02", "2080"), ("363LA2", "207R"), ("363LW0", "207V")];
    let of_field = IN_FIELD.iter().find(|(own, _)| taxonomy.starts_with(own)).map(|(_, field)| *field);
    of_field.unwrap_or_else(|| taxonomy.get(..4).unwrap_or(taxonomy))
}

/// How much a visit took, as its note and orders document it.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub struct VisitEffort {
    pub new_patient: bool,
    /// Of the clinician's own time on that day, as somebody documented it; never how long a door was closed.
    pub minutes: Option<u32>,
    /// Problems that last, and those of the day, each with a diagnosis.
    pub lasting: u32,
    pub passing: u32,
    /// Tests ordered, and results of earlier ones reviewed.
    pub tests: u32,
    /// Medicines prescribed, changed, renewed or stopped.
    pub prescriptions: u32,
}

/// A level from 2 (brief) to 5 (most complex), with its reasons.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LevelSuggestion {
    /// Nothing while neither minutes nor a problem is documented.
    pub level: Option<u8>,
    pub reasons: Vec<String>,
    /// What would have to be documented for the next level.
    pub next: Vec<String>,
}

/// Minutes from which a level holds, of somebody known and of somebody new, from level 2 on.
const MINUTES: [[u32; 4]; 2] = [[10, 20, 30, 40], [15, 30, 45, 60]];

/// Each of the three from 2 to 4: what a note's facts alone can show. A threat to life, which is level 5, is for words.
const HIGHEST_BY_FACTS: u8 = 4;

fn problems(e: &VisitEffort) -> Option<u8> {
    match (e.lasting, e.passing) {
        (0, 0) => None,
        (0, 1) => Some(2),
        (2.., _) => Some(4),
        _ => Some(3),
    }
}

fn tests(e: &VisitEffort) -> u8 {
    match e.tests {
        0 | 1 => 2,
        2 => 3,
        _ => 4,
    }
}

/// A prescription is a moderate risk, and no more than that.
fn risk(e: &VisitEffort) -> u8 {
    if e.prescriptions > 0 { 4 } else { 2 }
}

/// The level that two of the three reach.
fn by_complexity(e: &VisitEffort) -> Option<u8> {
    let mut three = [problems(e)?, tests(e), risk(e)];
    three.sort_unstable();
    Some(three[1])
}

fn by_minutes(e: &VisitEffort) -> Option<u8> {
    let steps = MINUTES[usize::from(e.new_patient)];
    let reached = steps.iter().filter(|from| e.minutes.is_some_and(|m| m >= **from)).count();
    (reached > 0).then(|| 1 + u8::try_from(reached).unwrap_or(4))
}

fn many(n: u32, one: &str) -> String {
    if n == 1 { format!("1 {one}") } else { format!("{n} {one}s") }
}

/// Suggests the level; the higher of time and complexity counts.
pub fn suggest_level(e: &VisitEffort) -> LevelSuggestion {
    let (complexity, time) = (by_complexity(e), by_minutes(e));
    let mut reasons = Vec::new();
    match complexity {
        Some(level) => reasons.push(format!(
            "{}, {}, {}, {}: level {level} by complexity, which two of problems, tests and risk reach.",
            many(e.lasting, "lasting problem"),
            many(e.passing, "problem") + " of the day",
            many(e.tests, "test") + " ordered or reviewed",
            many(e.prescriptions, "medicine") + " prescribed or changed",
        )),
        None => reasons.push("No problem has a diagnosis, so there is no level by complexity.".to_owned()),
    }
    let whose = if e.new_patient { "somebody new" } else { "somebody known" };
    match (e.minutes, time) {
        (None, _) => reasons.push("No minutes are documented.".to_owned()),
        (Some(m), Some(level)) => reasons.push(format!("{m} minutes with {whose}: level {level} by time.")),
        (Some(m), None) => reasons.push(format!("{m} minutes with {whose} are too few for a level by time.")),
    }
    let level = complexity.max(time);
    LevelSuggestion { level, reasons, next: next(e, level) }
}

fn next(e: &VisitEffort, level: Option<u8>) -> Vec<String> {
    let wanted = level.map_or(2, |l| l + 1);
    if wanted > 5 {
        return vec![];
    }
    let minutes = MINUTES[usize::from(e.new_patient)][usize::from(wanted) - 2];
    let mut out = vec![format!("Level {wanted} by time: {minutes} minutes of the clinician's own time, documented.")];
    if wanted > HIGHEST_BY_FACTS {
        out.push(format!("Level {wanted} by complexity: a threat to life or limb in the clinician's own words."));
        return out;
    }
    let lacks: Vec<&str> = [
        (
            problems(e).unwrap_or(0),
            if wanted == 4 { "two lasting problems" } else { "a lasting problem or two of the day" },
        ),
        (tests(e), if wanted == 4 { "three tests ordered or reviewed" } else { "two tests ordered or reviewed" }),
        (risk(e), "a medicine prescribed or changed"),
    ]
    .into_iter()
    .filter(|(is, _)| *is < wanted)
    .map(|(_, what)| what)
    .collect();
    let reached = 3 - lacks.len();
    let how_many = if reached == 1 { "one" } else { "two" };
    out.push(format!("Level {wanted} by complexity: {how_many} more of {}, where it was so.", lacks.join("; ")));
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn level(e: VisitEffort) -> Option<u8> {
        suggest_level(&e).level
    }

    #[test]
    fn levels_by_complexity_take_two_of_three() {
        let none = VisitEffort::default();
        assert_eq!(level(none), None, "nothing is documented");
        assert_eq!(level(VisitEffort { passing: 1, ..none }), Some(2));
        assert_eq!(level(VisitEffort { lasting: 1, tests: 2, ..none }), Some(3));
        assert_eq!(level(VisitEffort { lasting: 2, prescriptions: 1, ..none }), Some(4));
        assert_eq!(
            level(VisitEffort { passing: 1, prescriptions: 3, ..none }),
            Some(2),
            "a prescription alone raises nothing"
        );
        assert_eq!(
            level(VisitEffort { lasting: 9, tests: 9, prescriptions: 9, ..none }),
            Some(4),
            "never high by counting"
        );
    }

    #[test]
    fn levels_by_time_go_by_documented_minutes() {
        let of = |minutes, new_patient| {
            level(VisitEffort { passing: 1, minutes: Some(minutes), new_patient, ..VisitEffort::default() })
        };
        assert_eq!([of(9, false), of(20, false), of(40, false)], [Some(2), Some(3), Some(5)]);
        assert_eq!([of(41, true), of(60, true)], [Some(3), Some(5)]);
        let unseen = VisitEffort { minutes: Some(9), ..VisitEffort::default() };
        assert_eq!(level(unseen), None, "too few minutes and no problem");
    }

    #[test]
    fn the_next_level_says_what_it_wants() {
        let s = suggest_level(&VisitEffort { lasting: 1, tests: 2, ..VisitEffort::default() });
        assert_eq!(
            s.next,
            [
                "Level 4 by time: 30 minutes of the clinician's own time, documented.",
                "Level 4 by complexity: two more of two lasting problems; three tests ordered or reviewed; a medicine prescribed or changed, where it was so."
            ]
        );
        let top = suggest_level(&VisitEffort { minutes: Some(90), ..VisitEffort::default() });
        assert_eq!((top.level, top.next.len()), (Some(5), 0));
    }

    #[test]
    fn who_was_seen_within_three_years_in_the_specialty_is_not_new() {
        let day = |y, m, d| NaiveDate::from_ymd_opt(y, m, d).expect("a day");
        let seen = |day, specialty| SeenBefore { day, specialty };
        let today = day(2026, 11, 23);
        let new = |before: &[SeenBefore]| is_new_patient(today, "family medicine", before);
        assert!(new(&[]));
        assert!(!new(&[seen(day(2023, 11, 23), "family medicine")]), "three years to the day");
        assert!(new(&[seen(day(2023, 11, 22), "family medicine")]));
        assert!(new(&[seen(day(2026, 5, 1), "paediatrics")]), "another specialty");
        assert!(new(&[seen(today, "family medicine")]), "the visit itself, and another of the same day");
    }

    #[test]
    fn nurse_practitioners_count_in_their_physicians_specialty() {
        assert_eq!(specialty("363LF0000X"), specialty("207Q00000X"));
        assert_eq!(specialty("363LP0200X"), specialty("208000000X"));
        assert_ne!(specialty("207R00000X"), specialty("207Q00000X"));
        assert_eq!([specialty(""), specialty("é")], ["", "é"]);
    }

    proptest! {
        #[test]
        fn more_documented_is_never_less(lasting in 0..4u32, passing in 0..4u32, tests in 0..6u32, scripts in 0..3u32, minutes in 0..90u32, new: bool) {
            let e = VisitEffort { new_patient: new, minutes: Some(minutes), lasting, passing, tests, prescriptions: scripts };
            let is = level(e);
            for more in [
                VisitEffort { lasting: lasting + 1, ..e },
                VisitEffort { passing: passing + 1, ..e },
                VisitEffort { tests: tests + 1, ..e },
                VisitEffort { prescriptions: scripts + 1, ..e },
                VisitEffort { minutes: Some(minutes + 10), ..e },
            ] {
                prop_assert!(level(more) >= is, "{more:?}");
            }
            prop_assert!(is.is_none_or(|l| (2..=5).contains(&l)));
            prop_assert_eq!(suggest_level(&e).next.is_empty(), is == Some(5));
        }
    }
}
