//! Times as people say them beside a fact: `2019`, `3/2019`, `mar 2019`, `3 years ago`, and how long: `3mo`, `for 7 days`.

use super::words::{Ends, Word};
use crate::fields::typed_date::days_of_unit;
use chrono::{Datelike, Months, NaiveDate};
use std::fmt;

/// A day, a month or a year, as exactly as it is known.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct When {
    pub year: i32,
    pub month: Option<u32>,
    pub day: Option<u32>,
}

impl fmt::Display for When {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{:04}", self.year)?;
        if let Some(month) = self.month {
            write!(f, "-{month:02}")?;
            if let Some(day) = self.day {
                write!(f, "-{day:02}")?;
            }
        }
        Ok(())
    }
}

impl When {
    pub fn of(day: NaiveDate) -> When {
        When { year: day.year(), month: Some(day.month()), day: Some(day.day()) }
    }

    /// The first day that it may have been.
    pub fn first_day(self) -> Option<NaiveDate> {
        NaiveDate::from_ymd_opt(self.year, self.month.unwrap_or(1), self.day.unwrap_or(1))
    }

    /// The last day that it may have been.
    pub fn last_day(self) -> Option<NaiveDate> {
        match (self.month, self.day) {
            (Some(_), Some(_)) => self.first_day(),
            (Some(_), None) => self.first_day()?.checked_add_months(Months::new(1))?.pred_opt(),
            _ => NaiveDate::from_ymd_opt(self.year, 12, 31),
        }
    }

    /// Reads what is printed: `2019`, `2019-03`, `2019-03-04`.
    pub fn parse(text: &str) -> Option<When> {
        let mut parts = text.split('-');
        let year = year(parts.next()?)?;
        let month = parts.next().map(|m| m.parse::<u32>().ok().filter(|m| (1..=12).contains(m)));
        let day = parts.next().map(|d| d.parse::<u32>().ok());
        if parts.next().is_some() || month == Some(None) || day == Some(None) {
            return None;
        }
        let (month, day) = (month.flatten(), day.flatten());
        if let (Some(month), Some(day)) = (month, day) {
            NaiveDate::from_ymd_opt(year, month, day)?;
        }
        Some(When { year, month, day })
    }
}

fn year(text: &str) -> Option<i32> {
    (text.len() == 4 && text.bytes().all(|b| b.is_ascii_digit()))
        .then(|| text.parse().ok())
        .flatten()
        .filter(|y| (1900..2100).contains(y))
}

const MONTHS: [&str; 12] = ["jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"];

fn month(word: &str) -> Option<u32> {
    if word.len() < 3 || !word.bytes().all(|b| b.is_ascii_alphabetic()) || word.len() > 9 {
        return None;
    }
    MONTHS.iter().position(|m| word.starts_with(m)).map(|m| m as u32 + 1)
}

/// A moment that begins the words, and how many of them it takes. `since`, `in`, `from` before it are taken too.
pub fn moment(words: &[Word], today: NaiveDate) -> Option<(When, usize)> {
    let lead = usize::from(words.first()?.is(&["since", "in", "from", "on", "at"]));
    let first = words.get(lead)?;
    let (when, used) = bare_moment(&words[lead..], first, today)?;
    Some((when, lead + used))
}

fn bare_moment(words: &[Word], first: &Word, today: NaiveDate) -> Option<(When, usize)> {
    let low = first.low.as_str();
    match low {
        "today" | "now" => return Some((When::of(today), 1)),
        "yesterday" => return Some((When::of(today.pred_opt()?), 1)),
        "last" if words.get(1).is_some_and(|w| w.is(&["year"])) => {
            return Some((When { year: today.year() - 1, month: None, day: None }, 2));
        }
        "last" if words.get(1).is_some_and(|w| w.is(&["month"])) => {
            let then = today.checked_sub_months(Months::new(1))?;
            return Some((When { year: then.year(), month: Some(then.month()), day: None }, 2));
        }
        _ => {}
    }
    // `2000 iu` is an amount.
    let is_amount = first.ends == Ends::Runs
        && words.get(1).is_some_and(|w| w.is(&["iu", "units", "unit", "u", "mg", "mcg", "ug", "g", "ml", "%", "ppm"]));
    if let Some(when) = When::parse(low).filter(|_| !is_amount) {
        return Some((when, 1));
    }
    if let Some(month) = month(low)
        && let Some(year) = words.get(1).and_then(|w| year(&w.low))
    {
        return Some((When { year, month: Some(month), day: None }, 2));
    }
    if let Some((m, y)) = low.split_once('/') {
        if let (Ok(m @ 1..=12), Some(year)) = (m.parse::<u32>(), year(y)) {
            return Some((When { year, month: Some(m), day: None }, 1));
        }
        if y.contains('/')
            && let Ok(day) = crate::fields::typed_date::parse(low, today, crate::fields::typed_date::Sense::Death)
        {
            return Some((When::of(day), 1));
        }
    }
    let (days, used) = length(words)?;
    let ago = words.get(used).filter(|w| w.is(&["ago"]))?;
    let _ = ago;
    let when = match days {
        d if d.is_multiple_of(365) => When { year: today.year() - (d / 365) as i32, month: None, day: None },
        d if d.is_multiple_of(30) => {
            let then = today.checked_sub_months(Months::new(d / 30))?;
            When { year: then.year(), month: Some(then.month()), day: None }
        }
        d => When::of(today.checked_sub_days(chrono::Days::new(u64::from(d)))?),
    };
    Some((when, used + 1))
}

/// A number that may be spelt.
pub fn number(word: &str) -> Option<u32> {
    const SPELT: [&str; 13] =
        ["zero", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten", "eleven", "twelve"];
    if word == "a" || word == "an" {
        return Some(1);
    }
    word.parse().ok().or_else(|| SPELT.iter().position(|s| *s == word).map(|n| n as u32))
}

/// How many days a length is, months of 30 and years of 365, and how many words it takes. `for`, `x` and `in` before it
/// are taken too.
pub fn length(words: &[Word]) -> Option<(u32, usize)> {
    let first = words.first()?;
    if first.is(&["for", "x", "in", "times"]) && first.ends == Ends::Runs {
        let (days, used) = bare_length(&words[1..])?;
        return Some((days, used + 1));
    }
    bare_length(words)
}

fn bare_length(words: &[Word]) -> Option<(u32, usize)> {
    let first = words.first()?;
    if first.is(&["tomorrow"]) {
        return Some((1, 1));
    }
    if first.is(&["next"]) && first.ends == Ends::Runs {
        return Some((days_of_unit(&words.get(1)?.low).filter(|days| *days > 1)?, 2));
    }
    let low = words.first()?.low.trim_start_matches(['x', '+']);
    let digits = low.bytes().take_while(u8::is_ascii_digit).count();
    let (count, unit, used) = if digits > 0 && digits < low.len() {
        (low[..digits].parse().ok()?, low[digits..].trim_start_matches('-'), 1)
    } else {
        (number(low)?, words.get(1)?.low.as_str(), 2)
    };
    let days = days_of_unit(unit)?.checked_mul(count)?;
    (days > 0 && days <= 365 * 130).then_some((days, used))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_time_that_is_half_known_begins_and_ends() {
        for (said, first, last) in [
            ("2024", "2024-01-01", "2024-12-31"),
            ("2024-02", "2024-02-01", "2024-02-29"),
            ("2023-12", "2023-12-01", "2023-12-31"),
            ("2024-02-11", "2024-02-11", "2024-02-11"),
        ] {
            let when = When::parse(said).unwrap();
            let day = |text: &str| text.parse().ok();
            assert_eq!((when.first_day(), when.last_day()), (day(first), day(last)), "{said}");
        }
    }
}
