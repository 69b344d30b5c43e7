//! What a test or a study asks at order, and the answers as what they are: yes or no, a number with its unit, a day, a moment,
//! one of several.
//!
//! A question is kept with each answer as it was asked, so that an old answer keeps its meaning when the list changes.

use crate::fields::typed_date::{self, Sense};
use crate::people::Sex;
use chrono::{DateTime, NaiveDate, NaiveDateTime, TimeZone, Utc};
use chrono_tz::Tz;

#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AnswerKind {
    YesNo,
    Number {
        unit: String,
    },
    Date,
    /// A day with a time.
    Moment,
    Choice(Vec<String>),
    /// Yes or no, asked of those who may be pregnant.
    Pregnancy,
    Words,
}

/// Years of age between which a pregnancy is asked for.
const MAY_BE_PREGNANT: std::ops::RangeInclusive<i32> = 10..=55;

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OrderQuestion {
    pub text: String,
    pub kind: AnswerKind,
    /// Without an answer the order cannot go.
    pub required: bool,
}

/// An answer as a machine takes it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum AnswerValue {
    YesNo(bool),
    /// As it was typed.
    Number {
        number: String,
        unit: String,
    },
    Date(NaiveDate),
    Moment(DateTime<Utc>),
    Words(String),
}

/// Said where nobody knows; a question is answered by it, and nothing is guessed.
pub const NOT_KNOWN: &str = "not known";

/// A moment as it is typed: a time of today, or a day and a time (`yesterday 21:30`); nothing when it is none.
pub fn moment(typed: &str, now: NaiveDateTime) -> Option<NaiveDateTime> {
    let (day, time) = match typed.trim().rsplit_once(' ') {
        Some((day, time)) => (day.trim(), time),
        None => ("today", typed.trim()),
    };
    let day = match day.to_lowercase().as_str() {
        "today" => Some(now.date()),
        "yesterday" => now.date().pred_opt(),
        day => typed_date::parse(day, now.date(), Sense::Death).ok(),
    };
    Some(day?.and_time(typed_date::time(time).ok()?))
}

impl OrderQuestion {
    /// Reads how the lists write it: `Fasting?=yes/no`, `Weight=number kg`, `Last dose when?=moment`, `Since when?=date`,
    /// `Which side?=left|right|both`, `What was tried?=words`; `optional` before the kind when it may stay open.
    pub fn parse(spec: &str) -> Option<OrderQuestion> {
        let (text, kind) = spec.rsplit_once('=')?;
        let (kind, required) = kind.trim().strip_prefix("optional ").map_or((kind.trim(), true), |k| (k.trim(), false));
        let kind = match kind {
            "yes/no" => AnswerKind::YesNo,
            "pregnancy" => AnswerKind::Pregnancy,
            "date" => AnswerKind::Date,
            "moment" => AnswerKind::Moment,
            "words" => AnswerKind::Words,
            kind if kind.contains('|') => {
                let choices: Vec<String> = kind.split('|').map(|c| c.trim().to_owned()).collect();
                if choices.iter().any(String::is_empty) {
                    return None;
                }
                AnswerKind::Choice(choices)
            }
            kind => AnswerKind::Number { unit: kind.strip_prefix("number ")?.trim().to_owned() },
        };
        let text = text.trim().to_owned();
        (!text.is_empty()).then_some(OrderQuestion { text, kind, required })
    }

    /// The question as the lists write it.
    pub fn spec(&self) -> String {
        let kind = match &self.kind {
            AnswerKind::YesNo => "yes/no".into(),
            AnswerKind::Pregnancy => "pregnancy".into(),
            AnswerKind::Number { unit } => format!("number {unit}"),
            AnswerKind::Date => "date".into(),
            AnswerKind::Moment => "moment".into(),
            AnswerKind::Choice(choices) => choices.join("|"),
            AnswerKind::Words => "words".into(),
        };
        format!("{}={}{kind}", self.text, if self.required { "" } else { "optional " })
    }

    /// Whether it is asked of somebody; where sex or age are not known, it is.
    pub fn is_asked(&self, sex: Option<Sex>, age: Option<i32>) -> bool {
        self.kind != AnswerKind::Pregnancy
            || (sex != Some(Sex::Male) && age.is_none_or(|years| MAY_BE_PREGNANT.contains(&years)))
    }

    /// An answer as it is kept, or why it is none. Empty is no answer yet.
    ///
    /// # Errors
    /// A sentence that says what is wanted.
    pub fn answer(&self, typed: &str, now: NaiveDateTime) -> Result<String, String> {
        let typed = typed.trim();
        let wanted = |what: &str| Err(format!("{} {what}.", self.text));
        if typed.is_empty() || typed.eq_ignore_ascii_case(NOT_KNOWN) {
            return Ok(typed.to_lowercase());
        }
        match &self.kind {
            AnswerKind::YesNo | AnswerKind::Pregnancy => match typed.to_lowercase().as_str() {
                "yes" | "y" => Ok("yes".into()),
                "no" | "n" => Ok("no".into()),
                _ => wanted("takes yes, no or not known"),
            },
            AnswerKind::Number { unit } => {
                let number = typed.strip_suffix(unit.as_str()).unwrap_or(typed).trim().replace(',', ".");
                let plain = number.chars().all(|c| c.is_ascii_digit() || c == '.') && number.len() <= 12;
                match number.parse::<f64>() {
                    Ok(_) if plain => Ok(number),
                    _ => wanted(&format!("takes a number of {unit}, or not known")),
                }
            }
            AnswerKind::Date => match typed_date::parse(typed, now.date(), Sense::Death) {
                Ok(day) if day <= now.date() => Ok(day.to_string()),
                Ok(_) => wanted("takes a day that has been"),
                Err(bad) => wanted(&format!("takes a day, or not known: {bad}")),
            },
            AnswerKind::Moment => match moment(typed, now) {
                Some(at) if at <= now => Ok(at.format("%Y-%m-%d %H:%M").to_string()),
                Some(_) => wanted("takes a moment that has been"),
                None => wanted("takes a time, with its day when it was not today: yesterday 21:30"),
            },
            AnswerKind::Choice(choices) => {
                let low = typed.to_lowercase();
                match choices.iter().find(|c| c.to_lowercase() == low) {
                    Some(choice) => Ok(choice.clone()),
                    None => wanted(&format!("takes one of {}", choices.join(", "))),
                }
            }
            AnswerKind::Words => Ok(typed.chars().take(200).collect()),
        }
    }

    /// A kept answer as what it is, for those outside. What does not fit any more, and what is not known, goes as words.
    pub fn value(&self, kept: &str, zone: Tz) -> AnswerValue {
        let as_it_is = match &self.kind {
            AnswerKind::YesNo | AnswerKind::Pregnancy if kept == "yes" => Some(AnswerValue::YesNo(true)),
            AnswerKind::YesNo | AnswerKind::Pregnancy if kept == "no" => Some(AnswerValue::YesNo(false)),
            AnswerKind::Number { unit } if kept.parse::<f64>().is_ok() => {
                Some(AnswerValue::Number { number: kept.to_owned(), unit: unit.clone() })
            }
            AnswerKind::Date => kept.parse().ok().map(AnswerValue::Date),
            AnswerKind::Moment => NaiveDateTime::parse_from_str(kept, "%Y-%m-%d %H:%M")
                .ok()
                .and_then(|at| zone.from_local_datetime(&at).earliest())
                .map(|at| AnswerValue::Moment(at.to_utc())),
            _ => None,
        };
        as_it_is.unwrap_or_else(|| AnswerValue::Words(kept.to_owned()))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn asked(spec: &str) -> OrderQuestion {
        OrderQuestion::parse(spec).unwrap()
    }

    fn now() -> NaiveDateTime {
        NaiveDate::from_ymd_opt(2026, 11, 23).unwrap().and_hms_opt(10, 20, 0).unwrap()
    }

    #[test]
    fn a_question_is_read_as_the_lists_write_it() {
        for spec in
            ["Fasting?=yes/no", "Weight=number kg", "Side?=left|right|both", "Why?=optional words", "A = b?=date"]
        {
            assert_eq!(asked(spec).spec(), spec);
        }
        for bad in ["Fasting?", "=yes/no", "Fasting?=maybe", "Side?=left||right", "Weight=number"] {
            assert_eq!(OrderQuestion::parse(bad), None, "{bad}");
        }
    }

    #[test]
    fn an_answer_is_what_was_asked_for() {
        for (spec, typed, kept) in [
            ("Fasting?=yes/no", " Y", "yes"),
            ("Fasting?=yes/no", "Not known", "not known"),
            ("Weight=number kg", "72.50 kg", "72.50"),
            ("Weight=number kg", "72,5", "72.5"),
            ("Since?=date", "11/20/2026", "2026-11-20"),
            ("Last?=moment", "8:00", "2026-11-23 08:00"),
            ("Last?=moment", "yesterday 21:30", "2026-11-22 21:30"),
            ("Last?=moment", "11/20/2026 7:15", "2026-11-20 07:15"),
            ("Side?=left|right", "LEFT", "left"),
            ("Why?=words", " since the fall ", "since the fall"),
            ("Why?=words", "  ", ""),
        ] {
            assert_eq!(asked(spec).answer(typed, now()).as_deref(), Ok(kept), "{spec} {typed}");
        }
        for (spec, typed) in [
            ("Fasting?=yes/no", "perhaps"),
            ("Weight=number kg", "72 lb"),
            ("Weight=number kg", "inf"),
            ("Weight=number kg", "1e3"),
            ("Since?=date", "12/24/2026"),
            ("Last?=moment", "11:00"),
            ("Last?=moment", "some day"),
            ("Side?=left|right", "l"),
        ] {
            assert!(asked(spec).answer(typed, now()).is_err_and(|s| s.ends_with('.')), "{spec} {typed}");
        }
    }

    #[test]
    fn a_pregnancy_is_asked_of_whom_it_may_concern() {
        let question = asked("Pregnant?=pregnancy");
        for (sex, age, is_asked) in [
            (Some(Sex::Female), Some(34), true),
            (Some(Sex::Female), Some(8), false),
            (Some(Sex::Female), Some(81), false),
            (Some(Sex::Male), Some(34), false),
            (None, Some(34), true),
            (Some(Sex::Female), None, true),
        ] {
            assert_eq!(question.is_asked(sex, age), is_asked, "{sex:?} {age:?}");
        }
        assert!(asked("Fasting?=yes/no").is_asked(Some(Sex::Male), None));
        assert_eq!(question.answer("no", now()).as_deref(), Ok("no"));
    }

    #[test]
    fn an_answer_goes_out_as_what_it_is() {
        let zone = chrono_tz::America::New_York;
        let value = |spec: &str, kept: &str| asked(spec).value(kept, zone);
        assert_eq!(value("F?=yes/no", "no"), AnswerValue::YesNo(false));
        assert_eq!(value("F?=yes/no", "not known"), AnswerValue::Words("not known".into()));
        assert_eq!(value("W=number kg", "72.50"), AnswerValue::Number { number: "72.50".into(), unit: "kg".into() });
        assert_eq!(value("S=date", "2026-11-20"), AnswerValue::Date("2026-11-20".parse().unwrap()));
        assert_eq!(value("L=moment", "2026-11-23 08:00"), AnswerValue::Moment("2026-11-23T13:00:00Z".parse().unwrap()));
        assert_eq!(value("L=moment", "an old answer"), AnswerValue::Words("an old answer".into()));
    }
}
