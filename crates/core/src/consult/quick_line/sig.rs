//! How a medicine is taken: strength, dose, how often, when needed, for how long.

use super::when::length;
use super::words::{Ends, Word};

/// How something is taken, as far as it was said.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Sig {
    /// Strength in milligrams.
    pub strength_mg: Option<f64>,
    pub form: Option<&'static str>,
    /// Units of the form at a time.
    pub dose: Option<f64>,
    pub per_day: Option<f64>,
    /// `at bedtime`, `in the morning`.
    pub at: Option<&'static str>,
    /// `with food`.
    pub with: Option<&'static str>,
    pub as_needed: bool,
    pub needed_for: String,
    pub days: Option<u32>,
    pub refills: Option<u32>,
    /// Units of the form to be dispensed, as `#90` says.
    pub quantity: Option<u32>,
}

impl Sig {
    pub fn is_said(&self) -> bool {
        self.strength_mg.is_some()
            || self.per_day.is_some()
            || self.days.is_some()
            || self.as_needed
            || self.dose.is_some()
    }

    /// At what time of the day, and with what: `in the morning with food`.
    pub fn when(&self) -> String {
        [self.at, self.with].into_iter().flatten().collect::<Vec<_>>().join(" ")
    }

    /// `1 capsule three times a day, when needed for pain`.
    pub fn in_words(&self, form: &str) -> String {
        let mut parts = Vec::new();
        if let Some(dose) = self.dose {
            let unit = match form {
                "solution" | "suspension" | "syrup" => "mL",
                "inhaler" => "puff",
                other => other,
            };
            let more = if dose > 1.0 && unit != "mL" && !unit.is_empty() { "s" } else { "" };
            parts.push(format!("{} {unit}{more}", plain(dose)).trim_end().to_owned());
        }
        match self.per_day {
            Some(x) if x >= 1.0 => parts.push(match x as u32 {
                1 => "once a day".to_owned(),
                2 => "twice a day".to_owned(),
                3 => "three times a day".to_owned(),
                4 => "four times a day".to_owned(),
                _ => format!("{} times a day", plain(x)),
            }),
            Some(x) if x > 0.4 => parts.push("every other day".to_owned()),
            Some(_) => parts.push("once a week".to_owned()),
            None => {}
        }
        let mut text = parts.join(" ");
        let when = self.when();
        if !when.is_empty() {
            text = format!("{text} {when}").trim().to_owned();
        }
        if self.as_needed {
            let need = if self.needed_for.is_empty() { String::new() } else { format!(" for {}", self.needed_for) };
            text = format!("{text}{}when needed{need}", if text.is_empty() { "" } else { ", " });
        }
        text
    }
}

pub fn plain(x: f64) -> String {
    format!("{}", (x * 100.0).round() / 100.0)
}

pub fn form_of(word: &str) -> Option<&'static str> {
    Some(match word {
        "tab" | "tabs" | "tablet" | "tablets" | "t" => "tablet",
        "cap" | "caps" | "capsule" | "capsules" | "c" => "capsule",
        "susp" | "suspension" | "liquid" => "suspension",
        "sol" | "solution" => "solution",
        "syrup" => "syrup",
        "cream" | "crm" => "cream",
        "oint" | "ointment" => "ointment",
        "gel" => "gel",
        "drop" | "drops" | "gtt" | "gtts" => "drops",
        "puff" | "puffs" | "inhaler" | "mdi" => "inhaler",
        "patch" | "patches" => "patch",
        "powder" | "sachet" | "sachets" => "powder",
        _ => return None,
    })
}

/// How often, in times a day, with how many words say it.
fn frequency(words: &[Word]) -> Option<(f64, Option<&'static str>, usize)> {
    let first = words.first()?;
    let bare: String = first.low.chars().filter(|c| *c != '.').collect();
    let second = words.get(1).map(|w| w.low.as_str());
    let third = words.get(2).map(|w| w.low.as_str());
    let plain = match bare.as_str() {
        "qd" | "daily" | "od" | "q24h" | "qday" => Some((1.0, None)),
        "qam" | "mornings" | "am" => Some((1.0, Some("in the morning"))),
        "qpm" | "evenings" | "pm" => Some((1.0, Some("in the evening"))),
        "qhs" | "hs" | "nightly" | "bedtime" | "qn" => Some((1.0, Some("at bedtime"))),
        "bid" | "bd" | "q12h" => Some((2.0, None)),
        "tid" | "tds" | "q8h" => Some((3.0, None)),
        "qid" | "qds" | "q6h" => Some((4.0, None)),
        "q4h" => Some((6.0, None)),
        "q4-6h" => Some((6.0, None)),
        "q6-8h" => Some((4.0, None)),
        "q3h" => Some((8.0, None)),
        "q2h" => Some((12.0, None)),
        "qod" => Some((0.5, None)),
        "weekly" | "qwk" | "qweek" => Some((1.0 / 7.0, None)),
        _ => None,
    };
    if let Some((per_day, at)) = plain {
        return Some((per_day, at, 1));
    }
    let counted = match bare.as_str() {
        "once" => Some(1.0),
        "twice" => Some(2.0),
        "thrice" => Some(3.0),
        _ => None,
    };
    if let Some(n) = counted {
        return match (second, third) {
            (Some("daily"), _) => Some((n, None, 2)),
            (Some("a" | "per"), Some("day")) => Some((n, None, 3)),
            (Some("a" | "per"), Some("week")) => Some((n / 7.0, None, 3)),
            (Some("weekly"), _) => Some((n / 7.0, None, 2)),
            _ => None,
        };
    }
    if bare == "at" && matches!(second, Some("night" | "bedtime")) {
        return Some((1.0, Some("at bedtime"), 2));
    }
    if bare == "every" || bare == "q" {
        if second == Some("day") || second == Some("morning") || second == Some("night") {
            let at = match second {
                Some("morning") => Some("in the morning"),
                Some("night") => Some("at bedtime"),
                _ => None,
            };
            return Some((1.0, at, 2));
        }
        if second == Some("other") && third == Some("day") {
            return Some((0.5, None, 3));
        }
        if second == Some("week") {
            return Some((1.0 / 7.0, None, 2));
        }
        let hours: f64 = second?.trim_end_matches('h').parse().ok()?;
        let used = if second?.ends_with('h') { 2 } else { 3 };
        if used == 3 && !matches!(third, Some("h" | "hours" | "hour" | "hrs")) {
            return None;
        }
        return ((1.0..=24.0).contains(&hours)).then_some((24.0 / hours, None, used));
    }
    // `3x/day`, `3x daily`, `x3/day`, `2/day`, `3 times a day`, `1-0-1`.
    let shape: Vec<u32> = bare.split('-').filter_map(|n| n.parse().ok()).collect();
    if shape.len() == 3
        && bare.split('-').count() == 3
        && shape.iter().all(|n| *n <= 1)
        && shape.iter().sum::<u32>() > 0
    {
        return Some((f64::from(shape.iter().sum::<u32>()), None, 1));
    }
    let digits: String = bare.trim_start_matches('x').chars().take_while(char::is_ascii_digit).collect();
    let n: f64 = digits.parse().ok().filter(|n| (1.0..=24.0).contains(n))?;
    let rest = bare.trim_start_matches('x')[digits.len()..].trim_start_matches('x');
    match (rest, second, third) {
        ("/day" | "/d" | "d/day" | "daily", _, _) => Some((n, None, 1)),
        ("/week" | "/wk", _, _) => Some((n / 7.0, None, 1)),
        ("", Some("daily"), _) if bare.contains('x') => Some((n, None, 2)),
        ("", Some("times"), Some("daily")) => Some((n, None, 3)),
        ("", Some("times" | "x"), Some("a" | "per")) if words.get(3).is_some_and(|w| w.is(&["day"])) => {
            Some((n, None, 4))
        }
        ("", Some("a" | "per"), Some("day")) if bare.contains('x') => Some((n, None, 3)),
        _ => None,
    }
}

/// An amount with its unit in milligrams; `500`, `500mg`, `0.5 g`, `125 mcg`.
fn strength(words: &[Word]) -> Option<(f64, usize)> {
    let first = words.first()?;
    let digits = first.low.bytes().take_while(|b| b.is_ascii_digit() || *b == b'.').count();
    let number: f64 = first.low[..digits].parse().ok().filter(|n: &f64| *n > 0.0 && *n < 100_000.0)?;
    let glued = &first.low[digits..];
    // `250/5`: so many milligrams in so many millilitres.
    if let Some(ml) = glued.strip_prefix("mg").unwrap_or(glued).strip_prefix('/') {
        let ml: f64 = ml.trim_end_matches("ml").parse().ok().filter(|n: &f64| *n >= 1.0 && *n <= 20.0)?;
        return (number >= 10.0).then_some((number / ml, 1));
    }
    let of = |unit: &str| match unit {
        "mg" | "milligrams" => Some(1.0),
        "mcg" | "µg" | "ug" | "micrograms" => Some(0.001),
        "g" | "gram" | "grams" => Some(1000.0),
        _ => None,
    };
    if glued.is_empty() {
        let unit = words.get(1).filter(|_| first.ends == Ends::Runs).and_then(|w| of(&w.low));
        return Some(unit.map_or((number, 1), |u| (number * u, 2)));
    }
    of(glued).map(|u| (number * u, 1))
}

/// `with food`, `before meals`.
fn with_what(words: &[Word]) -> Option<(&'static str, usize)> {
    let first = words.first()?;
    let second = words.get(1).filter(|_| first.ends == Ends::Runs)?;
    let food = second.is(&["food", "meals", "meal", "breakfast"]);
    Some((
        match first.low.as_str() {
            "with" if food => "with food",
            "before" if food => "before meals",
            "after" if food => "after meals",
            "with" if second.is(&["water"]) => "with water",
            _ => return None,
        },
        2,
    ))
}

/// Reads how something is taken; gives how many words it took.
pub fn sig(words: &[Word]) -> (Sig, usize) {
    let mut sig = Sig::default();
    let mut at = 0;
    while let Some(word) = words.get(at) {
        let rest = &words[at..];
        if let Some((per_day, when, used)) = frequency(rest).filter(|_| sig.per_day.is_none()) {
            sig.per_day = Some(per_day);
            sig.at = when;
            at += used;
        } else if word.is(&["prn"]) || word.is(&["as", "when"]) && rest.get(1).is_some_and(|w| w.is(&["needed"])) {
            sig.as_needed = true;
            at += if word.is(&["prn"]) { 1 } else { 2 };
            let mut reason = Vec::new();
            while words.get(at - 1).is_some_and(|w| w.ends == Ends::Runs)
                && let Some(next) = words.get(at)
                && length(&words[at..]).is_none()
                && frequency(&words[at..]).is_none()
                && !next.low.starts_with(|c: char| c.is_ascii_digit() || c == '#')
                && !next.is(&["rf", "refill", "refills"])
            {
                if !(reason.is_empty() && next.is(&["for"])) {
                    reason.push(next.typed);
                }
                at += 1;
            }
            sig.needed_for = reason.join(" ");
        } else if let Some((with, used)) = with_what(rest) {
            sig.with = Some(with);
            at += used;
        } else if let Some((days, used)) = length(rest).filter(|_| sig.days.is_none()) {
            sig.days = Some(days);
            at += used;
        } else if let Some(n) = word.low.strip_prefix('#').and_then(|n| n.parse().ok()).filter(|n| *n <= 1000) {
            sig.quantity = Some(n);
            at += 1;
        } else if let Some((n, used)) = refills(rest) {
            sig.refills = Some(n);
            at += used;
        } else if word.is(&[
            "po",
            "p.o",
            "oral",
            "orally",
            "by",
            "mouth",
            "top",
            "topically",
            "inhaled",
            "sl",
            "sc",
            "im",
            "take",
            "for",
        ]) {
            at += 1;
        } else if let Some(form) = form_of(&word.low).filter(|_| at > 0 || word.low.len() > 1) {
            sig.form = sig.form.or(Some(form));
            at += 1;
        } else if let Some((dose, used)) = dose(rest).filter(|_| sig.dose.is_none()) {
            sig.dose = Some(dose.0);
            sig.form = sig.form.or(dose.1);
            at += used;
        } else if let Some((mg, used)) = strength(rest).filter(|_| sig.strength_mg.is_none()) {
            sig.strength_mg = Some(mg);
            at += used;
        } else {
            break;
        }
        if words[at - 1].ends == Ends::Stops {
            break;
        }
        if words[at - 1].ends == Ends::Pauses
            && words.get(at).is_none_or(|_| {
                frequency(&words[at..]).is_none() && length(&words[at..]).is_none() && !words[at].is(&["prn"])
            })
        {
            break;
        }
    }
    (sig, at)
}

/// `2 tabs`, `10 ml`, `2puffs`.
fn dose(words: &[Word]) -> Option<((f64, Option<&'static str>), usize)> {
    let first = words.first()?;
    let digits = first.low.bytes().take_while(|b| b.is_ascii_digit() || *b == b'.' || *b == b'/').count();
    let number = &first.low[..digits];
    let amount: f64 = match number {
        "1/2" => 0.5,
        n => n.parse().ok().filter(|n| (0.1..=200.0).contains(n))?,
    };
    let glued = &first.low[digits..];
    let (unit, used) = if glued.is_empty() {
        (words.get(1).filter(|_| first.ends == Ends::Runs)?.low.as_str(), 2)
    } else {
        (glued, 1)
    };
    if unit == "ml" {
        return Some(((amount, None), used));
    }
    let form = form_of(unit)?;
    Some(((amount, Some(form)), used))
}

fn refills(words: &[Word]) -> Option<(u32, usize)> {
    let first = words.first()?;
    if first.is(&["rf", "refill", "refills"]) {
        return words.get(1)?.low.parse().ok().filter(|n| *n <= 12).map(|n| (n, 2));
    }
    let n = first.low.parse().ok().filter(|n| *n <= 12)?;
    words.get(1)?.is(&["rf", "refill", "refills"]).then_some((n, 2))
}
