//! Dates as people type them, and read back in words.

use chrono::{Datelike, Days, Months, NaiveDate, NaiveTime, Weekday};

/// What the date is for: it decides how a short year or a missing one is understood.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sense {
    /// Never after today, and never without its year; a two-digit year is the latest that is not in the future.
    Birth,
    /// Never after today; a missing year is the latest that is not in the future.
    Death,
    /// The nearest one: a missing year is the one that brings it closest to today.
    Any,
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadDate {
    #[error("Type a date, such as 3/4/62, 4 mar 1962, +2w or fri.")]
    NotUnderstood,
    #[error("There is no such day in the calendar.")]
    NoSuchDay,
    #[error("A birth date has its year: type it as well.")]
    BirthWithoutYear,
    #[error("A birth date cannot be in the future.")]
    BirthInFuture,
    #[error("A date of death cannot be in the future.")]
    DeathInFuture,
    #[error("A birth date more than 130 years ago is surely a slip.")]
    BirthTooLongAgo,
}

/// The years in which a clinic's dates lie; outside them no day is a slip away from a real one.
pub const YEARS: std::ops::Range<i32> = 1850..2200;

/// Whether a day is one that a clinic may ask about.
pub fn is_usable(day: NaiveDate) -> bool {
    YEARS.contains(&day.year())
}

/// A time of day that cannot be read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
#[error("Type a time such as 9:00 or 14:30.")]
pub struct BadTime;

/// A time of day as people write it: 9, 9:00, 9.30, 930, 14:30, 15h, 15h30, 3pm or 3:15 p.m.
pub fn time(text: &str) -> Result<NaiveTime, BadTime> {
    let text: String = text.to_lowercase().chars().filter(|c| !c.is_whitespace()).collect();
    let letters = text.trim_start_matches(|c: char| c.is_ascii_digit() || matches!(c, ':' | '.' | 'h'));
    let afternoon = match letters.trim_end_matches('.') {
        "" => None,
        "am" | "a.m" | "a" => Some(false),
        "pm" | "p.m" | "p" => Some(true),
        _ => return Err(BadTime),
    };
    let digits = text[..text.len() - letters.len()].replace(['.', 'h'], ":");
    let digits = digits.strip_suffix(':').unwrap_or(&digits);
    let (hour, minute) = match digits.split_once(':') {
        Some(parts) => parts,
        None if digits.len() > 2 => digits.split_at_checked(digits.len() - 2).ok_or(BadTime)?,
        None => (digits, "00"),
    };
    if hour.is_empty() || hour.len() > 2 || minute.len() != 2 {
        return Err(BadTime);
    }
    let (hour, minute): (u32, u32) = (hour.parse().map_err(|_| BadTime)?, minute.parse().map_err(|_| BadTime)?);
    let hour = match afternoon {
        None => hour,
        Some(_) if !(1..=12).contains(&hour) => return Err(BadTime),
        Some(afternoon) => hour % 12 + if afternoon { 12 } else { 0 },
    };
    NaiveTime::from_hms_opt(hour, minute, 0).ok_or(BadTime)
}

/// The days of a unit of time as people write it; a month is thirty, as packs and memories are.
pub fn days_of_unit(word: &str) -> Option<u32> {
    Some(match word.trim_end_matches('.') {
        "d" | "day" | "days" => 1,
        "w" | "wk" | "wks" | "week" | "weeks" => 7,
        "m" | "mo" | "mos" | "mth" | "mths" | "month" | "months" => 30,
        "y" | "yr" | "yrs" | "year" | "years" => 365,
        _ => return None,
    })
}

const MONTHS: [&str; 12] = [
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
];
const DAYS: [&str; 7] = ["monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday"];

/// Understands `3/4/62` (month first, as in the United States), `3-4-1962`, `1962-03-04`, `03041962`,
/// `4 mar`, `mar 4 1962`, `today`, `tomorrow`, `yesterday`, `+2w`, `-3d`, `+1m`, `fri`.
pub fn parse(text: &str, today: NaiveDate, sense: Sense) -> Result<NaiveDate, BadDate> {
    let date = understand(text, today, sense)?;
    if !is_usable(date) {
        return Err(BadDate::NoSuchDay);
    }
    if sense == Sense::Birth {
        if date > today {
            return Err(BadDate::BirthInFuture);
        }
        if today.years_since(date).is_none_or(|age| age > 130) {
            return Err(BadDate::BirthTooLongAgo);
        }
    }
    if sense == Sense::Death && date > today {
        return Err(BadDate::DeathInFuture);
    }
    Ok(date)
}

fn understand(text: &str, today: NaiveDate, sense: Sense) -> Result<NaiveDate, BadDate> {
    let lower = text.trim().to_lowercase();
    if lower.is_empty() || lower.len() > 40 {
        return Err(BadDate::NotUnderstood);
    }
    match lower.as_str() {
        "today" | "now" => return Ok(today),
        "tomorrow" => return add_days(today, 1),
        "yesterday" => return add_days(today, -1),
        _ => {}
    }
    if lower.starts_with('+') || lower.starts_with('-') {
        return relative(&lower, today);
    }
    if let Some(day) = name_index(&lower, &DAYS) {
        return Ok(next_weekday(today, day));
    }
    let parts = parts(&lower);
    let (year, month, day) = match parts.as_slice() {
        [all] if all.len() == 8 && all.bytes().all(|b| b.is_ascii_digit()) => {
            let first = number(&all[..4])?;
            if YEARS.contains(&first) {
                (Some(first), number(&all[4..6])?, number(&all[6..])?)
            } else {
                (Some(number(&all[4..])?), number(&all[..2])?, number(&all[2..4])?)
            }
        }
        [all] if all.len() == 6 && all.bytes().all(|b| b.is_ascii_digit()) => {
            (Some(short_year(&all[4..], today, sense)?), number(&all[..2])?, number(&all[2..4])?)
        }
        [y, m, d] if y.len() == 4 && [y, m].iter().all(|n| n.bytes().all(|b| b.is_ascii_digit())) => {
            (Some(number(y)?), number(m)?, number(d)?)
        }
        [a, b, rest @ ..] if rest.len() <= 1 => {
            let year = rest.first().map(|y| short_year(y, today, sense)).transpose()?;
            if let Some(m) = name_index(a, &MONTHS) {
                (year, m as i32 + 1, number(b)?)
            } else if let Some(m) = name_index(b, &MONTHS) {
                (year, m as i32 + 1, number(a)?)
            } else {
                (year, number(a)?, number(b)?)
            }
        }
        _ => return Err(BadDate::NotUnderstood),
    };
    let (month, day) = (u32::try_from(month).unwrap_or(0), u32::try_from(day).unwrap_or(0));
    match year {
        Some(year) => NaiveDate::from_ymd_opt(year, month, day).ok_or(BadDate::NoSuchDay),
        // The nearest year would make a newborn of whoever left theirs out.
        None if sense == Sense::Birth => Err(BadDate::BirthWithoutYear),
        None => [today.year() - 1, today.year(), today.year() + 1]
            .into_iter()
            .filter_map(|y| NaiveDate::from_ymd_opt(y, month, day))
            .filter(|d| sense == Sense::Any || *d <= today)
            .min_by_key(|d| (*d - today).num_days().abs())
            .ok_or(BadDate::NoSuchDay),
    }
}

/// Words and numbers, each by itself however they are written together; the ending of an ordinal is none.
fn parts(text: &str) -> Vec<&str> {
    let mut found = Vec::new();
    for piece in text.split(|c: char| !c.is_alphanumeric()).filter(|p| !p.is_empty()) {
        let mut begun = 0;
        let kinds = piece.char_indices().zip(piece.chars().skip(1));
        for ((at, one), next) in kinds {
            if one.is_ascii_digit() != next.is_ascii_digit() {
                found.push(&piece[begun..at + one.len_utf8()]);
                begun = at + one.len_utf8();
            }
        }
        found.push(&piece[begun..]);
    }
    found.retain(|part| !matches!(*part, "st" | "nd" | "rd" | "th"));
    found
}

fn relative(text: &str, today: NaiveDate) -> Result<NaiveDate, BadDate> {
    let (sign, rest) = text.split_at(1);
    let unit = rest.chars().last().filter(|c| c.is_ascii_alphabetic()).unwrap_or('d');
    let digits = rest.trim_end_matches(|c: char| c.is_ascii_alphabetic());
    let count: u32 = digits.parse().map_err(|_| BadDate::NotUnderstood)?;
    if count > 5000 {
        return Err(BadDate::NotUnderstood);
    }
    let back = sign == "-";
    let days = i64::from(count) * if back { -1 } else { 1 };
    let months = |n: u32| {
        if back { today.checked_sub_months(Months::new(n)) } else { today.checked_add_months(Months::new(n)) }
            .ok_or(BadDate::NoSuchDay)
    };
    match unit {
        'd' => add_days(today, days),
        'w' => add_days(today, days * 7),
        'm' => months(count),
        'y' => months(count * 12),
        _ => Err(BadDate::NotUnderstood),
    }
}

fn add_days(date: NaiveDate, days: i64) -> Result<NaiveDate, BadDate> {
    let by = Days::new(days.unsigned_abs());
    if days < 0 { date.checked_sub_days(by) } else { date.checked_add_days(by) }.ok_or(BadDate::NoSuchDay)
}

fn next_weekday(today: NaiveDate, index: usize) -> NaiveDate {
    let ahead = (index as u64 + 7 - u64::from(today.weekday().num_days_from_monday())) % 7;
    today.checked_add_days(Days::new(ahead)).unwrap_or(today)
}

/// The one name that starts with these at least three letters.
fn name_index(text: &str, names: &[&str]) -> Option<usize> {
    let text = text.trim_end_matches('.');
    (text.len() >= 3).then(|| names.iter().position(|n| n.starts_with(text))).flatten()
}

fn number(text: &str) -> Result<i32, BadDate> {
    if text.is_empty() || text.len() > 4 || !text.bytes().all(|b| b.is_ascii_digit()) {
        return Err(BadDate::NotUnderstood);
    }
    text.parse().map_err(|_| BadDate::NotUnderstood)
}

fn short_year(text: &str, today: NaiveDate, sense: Sense) -> Result<i32, BadDate> {
    let value = number(text)?;
    if text.len() == 4 {
        return Ok(value);
    }
    if text.len() != 2 {
        return Err(BadDate::NotUnderstood);
    }
    let year = today.year() - today.year() % 100 + value;
    let latest = if sense == Sense::Any { today.year() + 50 } else { today.year() };
    Ok(if year > latest { year - 100 } else { year })
}

/// The date in words: "Sunday, March 4, 1962".
pub fn in_words(date: NaiveDate) -> String {
    let weekday = DAYS[date.weekday().num_days_from_monday() as usize];
    let month = MONTHS[date.month0() as usize];
    format!("{}, {} {}, {}", capital(weekday), capital(month), date.day(), date.year())
}

/// A short form for tables, where month and day cannot be taken for one another: "Mar 4, 1962".
pub fn short(date: NaiveDate) -> String {
    format!("{} {}, {}", capital(&MONTHS[date.month0() as usize][..3]), date.day(), date.year())
}

/// The short name of a day of the week.
pub fn weekday_short(day: Weekday) -> String {
    capital(&DAYS[day.num_days_from_monday() as usize][..3])
}

fn capital(word: &str) -> String {
    let mut chars = word.chars();
    chars.next().map(|c| c.to_ascii_uppercase().to_string() + chars.as_str()).unwrap_or_default()
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(y: i32, m: u32, d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(y, m, d).unwrap()
    }

    #[test]
    fn a_time_is_read_as_people_write_it() {
        let at = |h, m| NaiveTime::from_hms_opt(h, m, 0).unwrap();
        let wanted = [
            ("9", at(9, 0)),
            (" 9:05 ", at(9, 5)),
            ("14.30", at(14, 30)),
            ("23:59", at(23, 59)),
            ("3pm", at(15, 0)),
            ("3:15 p.m.", at(15, 15)),
            ("12 am", at(0, 0)),
            ("12:30PM", at(12, 30)),
            ("15h", at(15, 0)),
            ("15h30", at(15, 30)),
            ("9.20", at(9, 20)),
            ("920", at(9, 20)),
            ("1530", at(15, 30)),
        ];
        for (text, right) in wanted {
            assert_eq!(time(text), Ok(right), "{text}");
        }
        let wrong =
            ["", "noon", "24:00", "9:60", "9:0:0", "-1", "99999999999", "13pm", "0am", "9:5", "960", "h", "pm", "9 o"];
        for text in wrong {
            assert_eq!(time(text), Err(BadTime), "{text}");
        }
    }

    #[test]
    fn birth_dates_in_any_usual_typing() {
        let today = day(2026, 11, 23);
        for typed in [
            "3/4/62",
            "03-04-1962",
            "1962-03-04",
            "4 mar 62",
            "Mar 4, 1962",
            "03041962",
            "19620304",
            "030462",
            "4th march 1962",
            "04mar1962",
            "mar4,1962",
            "4mar62",
        ] {
            assert_eq!(parse(typed, today, Sense::Birth), Ok(day(1962, 3, 4)), "{typed}");
        }
        assert_eq!(parse("11/24/26", today, Sense::Birth), Err(BadDate::BirthInFuture));
        assert_eq!(parse("1/2/26", today, Sense::Birth), Ok(day(2026, 1, 2)));
        // Months of four letters are no years.
        assert_eq!(parse("June 4 1962", today, Sense::Birth), Ok(day(1962, 6, 4)));
        assert_eq!(parse("july 4, 1962", today, Sense::Any), Ok(day(1962, 7, 4)));
        for typed in ["3/4", "4 mar", "march 4th"] {
            assert_eq!(parse(typed, today, Sense::Birth), Err(BadDate::BirthWithoutYear), "{typed}");
        }
        assert_eq!(parse("11/24/26", today, Sense::Death), Err(BadDate::DeathInFuture));
        assert_eq!(parse("24 nov", today, Sense::Death), Ok(day(2025, 11, 24)), "the last one");
        assert_eq!(parse("today", today, Sense::Death), Ok(today));
        assert_eq!(parse("1/2/1880", today, Sense::Birth), Err(BadDate::BirthTooLongAgo));
        assert_eq!(parse("2/30/62", today, Sense::Birth), Err(BadDate::NoSuchDay));
        assert_eq!(parse("soon", today, Sense::Birth), Err(BadDate::NotUnderstood));
    }

    #[test]
    fn dates_ahead() {
        let monday = day(2026, 11, 23);
        for (typed, date) in [
            ("fri", day(2026, 11, 27)),
            ("mon", monday),
            ("+2w", day(2026, 12, 7)),
            ("+1m", day(2026, 12, 23)),
            ("-3d", day(2026, 11, 20)),
            ("tomorrow", day(2026, 11, 24)),
            ("4 jan", day(2027, 1, 4)),
            ("10/30", day(2026, 10, 30)),
        ] {
            assert_eq!(parse(typed, monday, Sense::Any), Ok(date), "{typed}");
        }
        assert_eq!(in_words(monday), "Monday, November 23, 2026");
    }

    proptest! {
        #[test]
        fn nothing_panics(text in ".{0,30}") {
            let _ = parse(&text, day(2026, 11, 23), Sense::Any);
        }

        #[test]
        fn the_short_form_is_understood(days in 0u64..40_000) {
            let date = day(1920, 1, 1) + Days::new(days);
            prop_assert_eq!(parse(&short(date), day(2026, 11, 23), Sense::Any), Ok(date));
        }
    }
}
