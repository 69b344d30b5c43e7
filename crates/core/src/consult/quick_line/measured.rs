//! Measurements on the quick line: names and their short forms, units converted, second readings, position and side.

use super::manner::{breathed, manners};
use super::words::{Ends, Word};
use super::{Item, Known, Measured};
use crate::consult::measurements::{Measure, Standing, Tenths, bmi};

pub fn measure_of(word: &str) -> Option<Measure> {
    Some(match word {
        "hr" | "pulse" | "p" | "puls" | "heartrate" => Measure::HeartRate,
        "t" | "temp" | "temperature" | "tmp" => Measure::Temperature,
        "rr" | "r" | "resp" | "resps" | "respirations" => Measure::RespiratoryRate,
        "sat" | "sats" | "spo2" | "o2" | "o2sat" | "sao2" => Measure::OxygenSaturation,
        "w" | "wt" | "weight" => Measure::Weight,
        "h" | "ht" | "height" | "length" => Measure::Height,
        "pain" => Measure::Pain,
        "waist" | "wc" => Measure::Waist,
        "hc" | "ofc" | "head" => Measure::HeadCircumference,
        "pf" | "pef" | "pefr" | "peakflow" => Measure::PeakFlow,
        "glucose" | "gluc" | "bg" | "bgl" | "fs" | "fsbg" | "fsg" | "bs" | "bsl" => Measure::Glucose,
        "va" => Measure::VisualAcuity,
        _ => return None,
    })
}

pub fn is_pressure(word: &str) -> bool {
    matches!(word, "bp" | "b/p" | "rr" | "pressure")
}

/// Measures that two words name.
const TWO_WORDS: [(&[&str], &[&str], &str); 7] = [
    (&["pulse"], &["ox", "oximetry", "oximeter"], "sat"),
    (&["heart"], &["rate"], "hr"),
    (&["respiratory", "resp", "breathing"], &["rate"], "rr"),
    (&["oxygen", "o2"], &["sat", "sats", "saturation"], "sat"),
    (&["blood"], &["pressure"], "bp"),
    (&["blood"], &["sugar", "glucose"], "bg"),
    (&["body"], &["temp", "temperature"], "t"),
];

/// `128/82`, also with its unit glued to it.
pub(super) fn pressure(word: &str) -> Option<(Tenths, Tenths)> {
    let (s, d) = word.trim_end_matches("mmhg").split_once('/')?;
    Some((whole(s)?, whole(d)?))
}

/// A pressure at the beginning of the words, also `128 / 82` and `128 over 82`, and how many words it takes.
fn pressure_at(words: &[Word]) -> Option<((Tenths, Tenths), usize)> {
    let first = words.first()?;
    if let Some(found) = pressure(&first.low) {
        return Some((found, 1));
    }
    let parted = words.get(1).is_some_and(|w| w.is(&["/", "over"]) && w.ends == Ends::Runs) && first.ends == Ends::Runs;
    let low = words.get(2).filter(|_| parted)?.low.trim_end_matches("mmhg");
    Some(((whole(&first.low)?, whole(low)?), 3))
}

fn whole(text: &str) -> Option<Tenths> {
    (1..=4).contains(&text.len()).then(|| tenths(text)).flatten()
}

fn tenths(text: &str) -> Option<Tenths> {
    exact_tenths(text).map(|v| Tenths(v.round() as i32))
}

/// In tenths, not rounded yet: 1.72 m are 172 cm.
fn exact_tenths(text: &str) -> Option<f64> {
    if !text.bytes().all(|b| b.is_ascii_digit() || b == b'.') {
        return None;
    }
    let value: f64 = text.parse().ok()?;
    (value.is_finite() && (0.0..10_000.0).contains(&value)).then_some(value * 10.0)
}

/// A measurement that begins the words, and how many it takes. `named` asks for its name: a bare `68kg` tells itself by
/// its unit, but not in the middle of a sentence.
pub fn measured(words: &[Word], known: &Known, named: bool) -> Option<(Vec<Item>, usize)> {
    let first = words.first()?;
    if first.ends == Ends::Runs
        && let Some(second) = words.get(1)
        && let Some((_, _, name)) = TWO_WORDS.iter().find(|(one, two, _)| first.is(one) && second.is(two))
    {
        let mut own = words[1..].to_vec();
        own[0].low = (*name).to_owned();
        return measured(&own, known, named).map(|(items, used)| (items, used + 1));
    }
    if let Some(found) = pressures(words, known) {
        return Some(found);
    }
    if first.is(&["peak"]) && words.get(1).is_some_and(|w| w.is(&["flow"])) {
        return blows(&words[2..], known).map(|(items, used)| (items, used + 2));
    }
    if first.is(&["finger", "fingerstick"]) {
        let stick = usize::from(words.get(1).is_some_and(|w| w.is(&["stick"])));
        let said = usize::from(words.get(1 + stick).is_some_and(|w| measure_of(&w.low) == Some(Measure::Glucose)));
        let skip = 1 + stick + said;
        return valued(Measure::Glucose, words.get(skip..)?, known).map(|(items, used)| (items, used + skip));
    }
    if first.is(&["head"]) && words.get(1).is_some_and(|w| w.is(&["circumference", "circ"])) {
        return valued(Measure::HeadCircumference, &words[2..], known).map(|(items, used)| (items, used + 2));
    }
    if first.is(&["visual"]) && words.get(1).is_some_and(|w| w.is(&["acuity"])) {
        return acuity(&words[2..], known).map(|(items, used)| (items, used + 2));
    }
    if let Some(measure) = measure_of(&first.low) {
        if measure == Measure::VisualAcuity {
            return acuity(&words[1..], known).map(|(items, used)| (items, used + 1));
        }
        if first.ends == Ends::Stops {
            return None;
        }
        // `glucose fasting 98`.
        let rest = &words[1..];
        let (said, led) = manners(rest);
        let rest = &rest[led..];
        let found = if measure == Measure::PeakFlow { blows(rest, known) } else { valued(measure, rest, known) };
        return found.map(|(items, used)| (items.into_iter().map(|i| taken(i, &said)).collect(), used + 1 + led));
    }
    // `fasting glucose 98`.
    let (said, led) = manners(words);
    if led > 0
        && words[led - 1].ends == Ends::Runs
        && words.get(led).is_some_and(|w| measure_of(&w.low).is_some())
        && let Some((items, used)) = measured(&words[led..], known, named)
    {
        return Some((items.into_iter().map(|i| taken(i, &said)).collect(), used + led));
    }
    if let Some((name, value)) = glued(&first.low)
        // `r16` may be a room.
        && name != "r"
        && let Some(measure) = measure_of(name)
    {
        let mut own = words.to_vec();
        own[0].low = value.to_owned();
        return valued(measure, &own, known);
    }
    if named { None } else { by_unit(words, known) }
}

/// A measurement with the manner that was said before its value.
fn taken(item: Item, said: &[&str]) -> Item {
    match item {
        Item::Measured(mut m) if !said.is_empty() => {
            let after = Some(m.manner.clone()).filter(|m| !m.is_empty());
            m.manner = said.iter().map(|s| (*s).to_owned()).chain(after).collect::<Vec<_>>().join(", ");
            Item::Measured(m)
        }
        other => other,
    }
}

/// `hr72`, `w68kg`: the name and what is glued to it.
pub(super) fn glued(word: &str) -> Option<(&str, &str)> {
    let rest = ["spo2", "o2sat", "o2"].iter().find_map(|name| word.strip_prefix(name).map(|rest| (*name, rest)));
    if let Some((name, rest)) = rest.filter(|(_, rest)| rest.starts_with(|c: char| c.is_ascii_digit())) {
        return Some((name, rest));
    }
    let at = word.find(|c: char| c.is_ascii_digit()).filter(|at| *at > 0)?;
    Some((&word[..at], &word[at..]))
}

/// Every reading of a pressure: `bp sitting 128/82 left 130/84`.
fn pressures(words: &[Word], known: &Known) -> Option<(Vec<Item>, usize)> {
    let first = words.first()?;
    let mut own = words.to_vec();
    let mut at = 1;
    // A manner may stand before the name: `standing bp 120/80`.
    let (mut before, led) = manners(words);
    if led > 0 && words.get(led).is_some_and(|w| is_pressure(&w.low)) {
        at = led + 1;
    } else if is_pressure(&first.low) {
        before = vec![];
    } else {
        before = vec![];
        let value = first.low.strip_prefix("bp")?;
        pressure(value)?;
        own[0].low = value.to_owned();
        at = 0;
    }
    let mut items = Vec::new();
    loop {
        let (mut said, led) = manners(own.get(at..)?);
        let place = at + led;
        let Some(((systolic, diastolic), took)) = pressure_at(own.get(place..).unwrap_or(&[])) else { break };
        let mut used = place + took;
        if own.get(used).is_some_and(|w| w.is(&["mmhg"])) && own[used - 1].ends == Ends::Runs {
            used += 1;
        }
        if own[used - 1].ends == Ends::Runs {
            let (after, n) = manners(&own[used..]);
            // What stands before a further value belongs to that one.
            let to_next = pressure_at(own.get(used + n..).unwrap_or(&[])).is_some();
            if !to_next || led == 0 && before.is_empty() && items.is_empty() {
                said.extend(after);
                used += n;
            }
        }
        let mut manner = std::mem::take(&mut before);
        manner.append(&mut said);
        let manner = manner.join(", ");
        let crossed = diastolic >= systolic;
        for (measure, value) in [(Measure::Systolic, systolic), (Measure::Diastolic, diastolic)] {
            let mut m = known.judge(measure, value, None);
            m.manner.clone_from(&manner);
            if crossed {
                m.standing = Standing::Impossible;
            }
            items.push(Item::Measured(m));
        }
        at = used;
        if own[at - 1].ends == Ends::Stops {
            break;
        }
        let again = usize::from(own.get(at).is_some_and(|w| w.is(&["and", "then", "repeat", "again"])));
        let (_, led) = manners(own.get(at + again..).unwrap_or(&[]));
        if pressure_at(own.get(at + again + led..).unwrap_or(&[])).is_none() {
            break;
        }
        at += again;
    }
    (!items.is_empty()).then_some((items, at))
}

/// The value of a named measure: its number, its unit, how it was taken.
fn valued(measure: Measure, words: &[Word], known: &Known) -> Option<(Vec<Item>, usize)> {
    let mut at = usize::from(words.first()?.is(&["is", "of", "was", "about"]));
    let value = words.get(at)?;
    let digits = value.low.bytes().take_while(|b| b.is_ascii_digit() || *b == b'.').count();
    let number = exact_tenths(&value.low[..digits])?;
    let mut unit = value.low[digits..].to_owned();
    let mut typed = value.typed.to_owned();
    at += 1;
    let next = |at: usize| words.get(at).filter(|_| words[at - 1].ends == Ends::Runs);
    if unit.is_empty()
        && let Some(u) = next(at).filter(|u| is_unit(&u.low))
    {
        unit.clone_from(&u.low);
        typed = format!("{typed} {}", u.typed);
        at += 1;
    }
    // `5 ft 10`, `12 lb 4 oz`: a second number of the smaller unit.
    let mut smaller = 0.0;
    if matches!(unit.as_str(), "ft" | "feet" | "foot" | "lb" | "lbs")
        && let Some(w) = next(at)
        && let Some((n, glued)) = small_number(&w.low)
    {
        let wanted: &[&str] = if unit.starts_with('l') { &["oz"] } else { &["in", "inch", "inches", "\""] };
        let follows = next(at + 1).is_some_and(|u| u.is(wanted));
        if wanted.contains(&glued) || glued.is_empty() && (follows || unit.starts_with('f')) {
            smaller = n;
            at += 1 + usize::from(glued.is_empty() && follows);
            typed = format!("{typed} {n}");
        }
    }
    let (kept, converted) = convert(measure, number, &unit, smaller)?;
    let mut m = known.judge(measure, kept, converted.then_some(typed));
    if words[at - 1].ends == Ends::Runs {
        let air = if measure == Measure::OxygenSaturation { breathed(&words[at..]) } else { None };
        let (said, used) = air.unwrap_or_else(|| {
            let (said, used) = manners(&words[at..]);
            (said.join(", "), used)
        });
        m.manner = said;
        at += used;
    }
    Some((vec![Item::Measured(m)], at))
}

/// Several blows one after the other: `pf 350 400 380`.
fn blows(words: &[Word], known: &Known) -> Option<(Vec<Item>, usize)> {
    let (mut items, mut at) = valued(Measure::PeakFlow, words, known)?;
    while words[at - 1].ends != Ends::Stops
        && words.get(at).is_some_and(|w| w.low.len() > 1 && w.low.bytes().all(|b| b.is_ascii_digit()))
        && let Some((more, used)) = valued(Measure::PeakFlow, &words[at..], known)
    {
        items.extend(more);
        at += used;
    }
    Some((items, at))
}

fn small_number(text: &str) -> Option<(f64, &str)> {
    let digits = text.bytes().take_while(|b| b.is_ascii_digit() || *b == b'.').count();
    let n: f64 = text[..digits].parse().ok()?;
    (n < 16.0).then_some((n, &text[digits..]))
}

fn is_unit(word: &str) -> bool {
    matches!(
        word,
        "kg" | "kgs"
            | "kilo"
            | "kilos"
            | "lb"
            | "lbs"
            | "pounds"
            | "g"
            | "grams"
            | "cm"
            | "in"
            | "inch"
            | "inches"
            | "ft"
            | "feet"
            | "foot"
            | "m"
            | "c"
            | "f"
            | "°c"
            | "°f"
            | "celsius"
            | "fahrenheit"
            | "%"
            | "bpm"
            | "/min"
            | "/10"
            | "mg/dl"
            | "mmol/l"
            | "mmol"
            | "mg"
            | "l/min"
            | "lpm"
    )
}

/// `68kg`, `38.5 °C`, `98%`, `72 bpm`: the unit tells what was measured.
fn by_unit(words: &[Word], known: &Known) -> Option<(Vec<Item>, usize)> {
    let first = words.first()?;
    let digits = first.low.bytes().take_while(|b| b.is_ascii_digit() || *b == b'.').count();
    if digits == 0 {
        return None;
    }
    let glued = &first.low[digits..];
    let unit = if glued.is_empty() && first.ends == Ends::Runs { words.get(1)?.low.as_str() } else { glued };
    let measure = match unit {
        "kg" | "kgs" | "kilo" | "kilos" | "lb" | "lbs" | "pounds" => Measure::Weight,
        "°c" | "°f" | "celsius" | "fahrenheit" => Measure::Temperature,
        "bpm" => Measure::HeartRate,
        "l/min" | "lpm" => Measure::PeakFlow,
        _ => return None,
    };
    valued(measure, words, known)
}

/// `20/20`, `6/12`; each eye on its own: `va r 20/20 l 20/40`.
fn acuity(words: &[Word], known: &Known) -> Option<(Vec<Item>, usize)> {
    let mut items = Vec::new();
    let mut at = 0;
    while let Some(rest) = words.get(at..) {
        let (mut said, led) = manners(rest);
        let Some((top, bottom)) = rest.get(led).and_then(|w| pressure(&w.low)) else { break };
        if top.0 <= 0 {
            break;
        }
        let mut used = led + 1;
        if led == 0 && rest[0].ends == Ends::Runs {
            let (after, n) = manners(&rest[1..]);
            said = after;
            used += n;
        }
        let value = Tenths((f64::from(bottom.0) * 200.0 / f64::from(top.0)).round() as i32);
        let mut m = known.judge(Measure::VisualAcuity, value, None);
        m.manner = said.join(", ");
        items.push(Item::Measured(m));
        at += used;
        if words[at - 1].ends == Ends::Stops {
            break;
        }
    }
    (!items.is_empty()).then_some((items, at))
}

/// Converts to the kept unit; tells whether anything changed. A bare temperature above 50 is Fahrenheit.
fn convert(measure: Measure, v: f64, unit: &str, smaller: f64) -> Option<(Tenths, bool)> {
    let to = |x: f64| (x.abs() < 1e8).then(|| (Tenths(x.round() as i32), true));
    match (measure, unit.trim_start_matches('°')) {
        (Measure::Temperature, "f" | "fahrenheit") => to((v - 320.0) / 1.8),
        (Measure::Temperature, "") if v > 500.0 => to((v - 320.0) / 1.8),
        (Measure::Temperature, "" | "c" | "celsius")
        | (Measure::Weight, "" | "kg" | "kgs" | "kilo" | "kilos")
        | (Measure::Height | Measure::Waist | Measure::HeadCircumference, "" | "cm")
        | (Measure::OxygenSaturation, "" | "%")
        | (Measure::Pain, "" | "/10")
        | (Measure::PeakFlow, "" | "l/min" | "lpm")
        | (Measure::Glucose, "" | "mg/dl" | "mg")
        | (Measure::HeartRate | Measure::RespiratoryRate, "" | "/min" | "bpm") => {
            Some((Tenths(v.round() as i32), false))
        }
        (Measure::Glucose, "mmol/l" | "mmol") => to(v * 18.016),
        (Measure::Weight, "lb" | "lbs" | "pounds" | "#") => to((v + smaller / 1.6) * 0.453_592_37),
        (Measure::Weight, "g" | "grams") => to(v / 1000.0),
        (Measure::Height | Measure::Waist | Measure::HeadCircumference, "in" | "inch" | "inches" | "\"") => {
            to(v * 2.54)
        }
        (Measure::Height, "m") => to(v * 100.0),
        (Measure::Height, "ft" | "feet" | "foot") => to(v * 30.48 + smaller * 25.4),
        (Measure::Height, feet) if feet.starts_with(['\'', '’']) || feet.starts_with("ft") => {
            let inches = feet
                .trim_start_matches("ft")
                .trim_start_matches(['\'', '’'])
                .trim_end_matches(['"', '\'', '’', '”'])
                .trim_end_matches("in");
            let inches: f64 =
                if inches.is_empty() { 0.0 } else { inches.parse().ok().filter(|i| (0.0..12.0).contains(i))? };
            to(v * 30.48 + inches * 25.4)
        }
        _ => None,
    }
}

/// The body mass index follows from weight and height. A grown person's height on file serves; a child's never does, since
/// it has grown.
pub fn add_bmi(items: &mut Vec<(Item, String)>, known: &Known) {
    let find = |wanted: Measure| {
        items.iter().rev().find_map(|(i, _)| match i {
            Item::Measured(m) if m.measure == wanted && m.standing != Standing::Impossible => Some(m.value),
            _ => None,
        })
    };
    let on_file = known.height_on_file.filter(|_| known.age.is_some_and(|age| age >= 18));
    if let (Some(weight), Some(height)) = (find(Measure::Weight), find(Measure::Height).or(on_file))
        && let Some(value) = bmi(weight, height)
    {
        items.push((Item::Measured(known.judge(Measure::Bmi, value, None)), String::new()));
    }
}

impl Known<'_> {
    fn judge(&self, measure: Measure, value: Tenths, converted_from: Option<String>) -> Measured {
        Measured {
            measure,
            value,
            standing: measure.standing(value, self.age, self.sex),
            manner: String::new(),
            converted_from,
        }
    }
}
