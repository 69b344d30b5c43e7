//! How often a dose is taken.

coded! {
    /// A named time of the day.
    DayTime {
        Morning = "morning", "in the morning";
        Noon = "noon", "at noon";
        Evening = "evening", "in the evening";
        Bedtime = "bedtime", "at bedtime";
    }
}

/// How often.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Often {
    /// A single dose.
    Once,
    /// 1 to 24 times a day.
    Times(u32),
    /// Every 1 to 23 hours.
    EveryHours(u32),
    /// At named times, each once, in their order.
    At(Vec<DayTime>),
    /// Every 2 to 90 days.
    EveryDays(u32),
    /// 1 to 6 times a week.
    TimesAWeek(u32),
}

impl Often {
    pub fn per_day(&self) -> f64 {
        match self {
            Often::Once => 1.0,
            Often::Times(n) => f64::from(*n),
            Often::EveryHours(h) => 24.0 / f64::from(*h),
            Often::At(times) => times.len() as f64,
            Often::EveryDays(n) => 1.0 / f64::from(*n),
            Often::TimesAWeek(n) => f64::from(*n) / 7.0,
        }
    }

    /// The most doses that fall into so many days.
    pub fn doses_in(&self, days: u32) -> u32 {
        match self {
            Often::Once => days.min(1),
            Often::Times(n) => n.saturating_mul(days),
            Often::EveryHours(h) => days.saturating_mul(24).div_ceil(*h),
            Often::At(times) => u32::try_from(times.len()).unwrap_or(u32::MAX).saturating_mul(days),
            Often::EveryDays(n) => days.div_ceil(*n),
            // In a week that is begun all of its doses may be taken already.
            Often::TimesAWeek(n) => (days / 7) * n + (days % 7).min(*n),
        }
    }

    /// The nearest way to say so many times a day, where there is one.
    pub fn of_per_day(per_day: f64) -> Option<Often> {
        if !per_day.is_finite() || per_day <= 0.0 || per_day > 24.0 {
            return None;
        }
        let near = |x: f64| (x - x.round()).abs() < 0.02 * x.max(1.0);
        if per_day >= 0.99 {
            return near(per_day).then(|| Often::Times(per_day.round() as u32));
        }
        let (weekly, every) = (per_day * 7.0, 1.0 / per_day);
        if near(weekly) && weekly.round() >= 1.0 {
            return Some(Often::TimesAWeek(weekly.round() as u32));
        }
        (every <= 90.5).then(|| Often::EveryDays(every.round() as u32))
    }

    pub fn in_words(&self) -> String {
        let times = |n: u32| match n {
            1 => "once".to_owned(),
            2 => "twice".to_owned(),
            3 => "three times".to_owned(),
            4 => "four times".to_owned(),
            n => format!("{n} times"),
        };
        match self {
            Often::Once => "as a single dose".to_owned(),
            Often::Times(n) => format!("{} a day", times(*n)),
            Often::EveryHours(1) => "every hour".to_owned(),
            Often::EveryHours(h) => format!("every {h} hours"),
            Often::At(at) => match at.as_slice() {
                [] => String::new(),
                [one] => one.label().to_owned(),
                [first @ .., last] => {
                    let first: Vec<&str> = first.iter().map(|t| t.label()).collect();
                    format!("{} and {}", first.join(", "), last.label())
                }
            },
            Often::EveryDays(2) => "every other day".to_owned(),
            Often::EveryDays(n) => format!("every {n} days"),
            Often::TimesAWeek(n) => format!("{} a week", times(*n)),
        }
    }

    /// Reads how often, in words or in the short ways of the trade: `tid`, `q6h`, `3x`, `every 8 hours`, `morning and
    /// bedtime`, `every other day`, `weekly`, `1-0-1`.
    pub fn read(typed: &str) -> Option<Often> {
        let text: String = typed.to_lowercase().replace([',', '+', '&'], " ").replace('.', "");
        let text = text
            .split_whitespace()
            .filter(|w| !matches!(*w, "and" | "in" | "the" | "at" | "as" | "per" | "a" | "each"));
        let words: Vec<&str> = text.collect();
        let whole = |w: &str, most: u32| w.parse::<u32>().ok().filter(|n| (1..=most).contains(n));
        let counted = |w: &str| match w {
            "once" => Some(1),
            "twice" => Some(2),
            "three" | "thrice" => Some(3),
            "four" => Some(4),
            w => whole(w.trim_end_matches('x').trim_start_matches('x'), 24),
        };
        let named: Option<Vec<DayTime>> = words.iter().map(|w| day_time(w)).collect();
        if let Some(mut times) = named.filter(|t| !t.is_empty()) {
            times.sort_unstable();
            times.dedup();
            return Some(Often::At(times));
        }
        match words.as_slice() {
            ["single", "dose"] | ["once" | "single" | "stat"] => Some(Often::Once),
            ["daily" | "qd" | "od" | "qday"] => Some(Often::Times(1)),
            ["bid" | "bd"] => Some(Often::Times(2)),
            ["tid" | "tds"] => Some(Often::Times(3)),
            ["qid" | "qds"] => Some(Often::Times(4)),
            ["qod"] | ["every", "other", "day"] => Some(Often::EveryDays(2)),
            ["weekly"] | ["every", "week"] => Some(Often::TimesAWeek(1)),
            ["every" | "q", "hour"] => Some(Often::EveryHours(1)),
            ["every", "day"] => Some(Often::Times(1)),
            ["every" | "q", n, "hours" | "hour" | "hrs" | "h"] => hours(whole(n, 168)?),
            ["every" | "q", n, "days"] => {
                whole(n, 90).map(|n| if n == 1 { Often::Times(1) } else { Often::EveryDays(n) })
            }
            ["every" | "q", n, "weeks"] => {
                whole(n, 12).map(|n| if n == 1 { Often::TimesAWeek(1) } else { Often::EveryDays(n * 7) })
            }
            [one] if one.starts_with('q') && one.ends_with('h') => hours(whole(&one[1..one.len() - 1], 168)?),
            [one] if one.split('-').count() >= 3 => shape(one),
            [n, "times" | "x", "day"] | [n, "day" | "daily"] | [n, "times", "daily"] | [n, "times"] => {
                counted(n).map(Often::Times)
            }
            [n, "times" | "x", "week"] | [n, "week" | "weekly"] => {
                let n = counted(n)?;
                if n == 7 { Some(Often::Times(1)) } else { (n < 7).then_some(Often::TimesAWeek(n)) }
            }
            [one] => {
                let bare = one.trim_end_matches("/day").trim_end_matches("/d");
                counted(bare).map(Often::Times)
            }
            _ => None,
        }
    }
}

fn hours(n: u32) -> Option<Often> {
    match n {
        24 => Some(Often::Times(1)),
        n if n < 24 => Some(Often::EveryHours(n)),
        n if n % 24 == 0 => Some(Often::EveryDays(n / 24)),
        _ => None,
    }
}

/// `1-0-1` or `1-0-0-1`: morning, noon, evening, bedtime, the same amount at each.
fn shape(text: &str) -> Option<Often> {
    let marks: Vec<u32> = text.split('-').map(|n| n.parse().ok()).collect::<Option<_>>()?;
    let fine = marks.len() <= 4 && marks.iter().all(|n| *n <= 1) && marks.contains(&1);
    let times = DayTime::ALL.iter().zip(&marks).filter(|(_, n)| **n == 1).map(|(t, _)| *t).collect();
    fine.then_some(Often::At(times))
}

fn day_time(word: &str) -> Option<DayTime> {
    Some(match word {
        "morning" | "mornings" | "qam" | "am" | "breakfast" => DayTime::Morning,
        "noon" | "lunch" | "midday" => DayTime::Noon,
        "evening" | "evenings" | "qpm" | "pm" | "supper" => DayTime::Evening,
        "bedtime" | "night" | "nightly" | "hs" | "qhs" => DayTime::Bedtime,
        _ => return None,
    })
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;
    use proptest::prelude::*;

    pub fn any_often() -> impl Strategy<Value = Often> {
        prop_oneof![
            Just(Often::Once),
            (1..=24_u32).prop_map(Often::Times),
            (1..=23_u32).prop_map(Often::EveryHours),
            proptest::sample::subsequence(DayTime::ALL.to_vec(), 1..=4).prop_map(Often::At),
            (2..=90_u32).prop_map(Often::EveryDays),
            (1..=6_u32).prop_map(Often::TimesAWeek),
        ]
    }

    #[test]
    fn often_is_read_in_the_ways_people_write_it() {
        use DayTime::{Bedtime, Morning};
        for (typed, often) in [
            ("tid", Often::Times(3)),
            ("3", Often::Times(3)),
            ("3x/day", Often::Times(3)),
            ("3 times a day", Often::Times(3)),
            ("twice daily", Often::Times(2)),
            ("q6h", Often::EveryHours(6)),
            ("every 8 hours", Often::EveryHours(8)),
            ("q24h", Often::Times(1)),
            ("every 72 hours", Often::EveryDays(3)),
            ("morning and bedtime", Often::At(vec![Morning, Bedtime])),
            ("at night", Often::At(vec![Bedtime])),
            ("1-0-0-1", Often::At(vec![Morning, Bedtime])),
            ("every other day", Often::EveryDays(2)),
            ("weekly", Often::TimesAWeek(1)),
            ("twice a week", Often::TimesAWeek(2)),
            ("stat", Often::Once),
        ] {
            assert_eq!(Often::read(typed), Some(often), "{typed}");
        }
        for nonsense in ["", "every 3 months", "often", "0", "25", "q0h", "2-0-1", "every 0 days", "-3"] {
            assert_eq!(Often::read(nonsense), None, "{nonsense}");
        }
        assert_eq!(Often::of_per_day(1.0 / 7.0), Some(Often::TimesAWeek(1)));
        assert_eq!(Often::of_per_day(1.0 / 90.0), Some(Often::EveryDays(90)));
        assert_eq!(Often::of_per_day(2.5), None);
    }

    proptest! {
        #[test]
        fn words_are_read_back_and_doses_never_grow_fewer(often in any_often(), days in 0..400_u32) {
            prop_assert_eq!(Often::read(&often.in_words()), Some(often.clone()));
            prop_assert!(often.doses_in(days) <= often.doses_in(days + 1));
        }
    }
}
