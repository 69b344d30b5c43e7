//! Dates as people type them, and read back in words.

use chrono::{Datelike, Days, Months, NaiveDate, NaiveTime, Weekday};

/// What the date is for: it decides how a short year or a missing one is understood.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Sense {
    /// Never after today; a two-digit year is the latest that is not in the future.
    Birth,
    /// The nearest one: a missing year is the one that brings it closest to today.
    Any,
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadDate {
    #[error("Type a date, such as 3/4/62, 4 mar 1962, +2w or fri.")]
    NotUnderstood,
    #[error("There is no such day in the calendar.")]
    NoSuchDay,
    #[error("A birth date cannot be in the future.")]
    BirthInFuture,
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

/// A time of day by the 24-hour clock: 9, 9:00, 9.30 or 14:30.
pub fn time(text: &str) -> Result<NaiveTime, BadTime> {
    let text = text.trim().replace('.', ":");
    let whole = if text.contains(':') { text } else { format!("{text}:00") };
    NaiveTime::parse_from_str(&whole, "%H:%M").map_err(|_| BadTime)
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
    let parts: Vec<&str> = lower.split(|c: char| !c.is_alphanumeric()).filter(|p| !p.is_empty()).collect();
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
        [y, m, d] if y.len() == 4 && m.bytes().all(|b| b.is_ascii_digit()) => {
            (Some(number(y)?), number(m)?, number(d)?)
        }
        [a, b, rest @ ..] if rest.len() <= 1 => {
            let year = rest.first().map(|y| short_year(y, today, sense)).transpose()?;
            if let Some(m) = name_index(a, &MONTHS) {
                (year, m as i32 + 1, number(b.trim_end_matches(char::is_alphabetic))?)
            } else if let Some(m) = name_index(b, &MONTHS) {
                (year, m as i32 + 1, number(a.trim_end_matches(char::is_alphabetic))?)
            } else {
                (year, number(a)?, number(b)?)
            }
        }
        _ => return Err(BadDate::NotUnderstood),
    };
    let (month, day) = (u32::try_from(month).unwrap_or(0), u32::try_from(day).unwrap_or(0));
    match year {
        Some(year) => NaiveDate::from_ymd_opt(year, month, day).ok_or(BadDate::NoSuchDay),
        None => [today.year() - 1, today.year(), today.year() + 1]
            .into_iter()
            .filter_map(|y| NaiveDate::from_ymd_opt(y, month, day))
            .filter(|d| sense == Sense::Any || *d <= today)
            .min_by_key(|d| (*d - today).num_days().abs())
            .ok_or(BadDate::NoSuchDay),
    }
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
    let latest = if sense == Sense::Birth { today.year() } else { today.year() + 50 };
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
        let wanted = [("9", at(9, 0)), (" 9:05 ", at(9, 5)), ("14.30", at(14, 30)), ("23:59", at(23, 59))];
        for (text, right) in wanted {
            assert_eq!(time(text), Ok(right), "{text}");
        }
        for text in ["", "noon", "24:00", "9:60", "9:0:0", "-1", "99999999999"] {
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
        ] {
            assert_eq!(parse(typed, today, Sense::Birth), Ok(day(1962, 3, 4)), "{typed}");
        }
        assert_eq!(parse("11/24/26", today, Sense::Birth), Err(BadDate::BirthInFuture));
        assert_eq!(parse("1/2/26", today, Sense::Birth), Ok(day(2026, 1, 2)));
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
