//! The quick line: one line of typing turned into structure.

use super::measurements::{Measure, Standing, Tenths, bmi};

/// One thing understood from the line.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Item {
    Measured(Measured),
    /// `mother asthma`, `father mi 54`.
    Family {
        relative: &'static str,
        condition: String,
        age: Option<u32>,
    },
    /// `smoker 10/day`, `non-smoker`, `alcohol 2/week`.
    Social {
        topic: &'static str,
        detail: String,
    },
    /// Words left over; offered as a diagnosis search.
    Words(String),
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Measured {
    pub measure: Measure,
    pub value: Tenths,
    pub standing: Standing,
    /// What was typed, when a unit was converted.
    pub converted_from: Option<String>,
}

impl Measured {
    /// How it reads back: `Temperature 37.1 °C, high`.
    pub fn in_words(&self) -> String {
        let standing = match self.standing {
            Standing::Low => ", low",
            Standing::High => ", high",
            Standing::Usual => "",
            Standing::Impossible => ", impossible: please check",
        };
        let unit = self.measure.unit();
        let space = if unit.is_empty() { "" } else { " " };
        format!("{} {}{space}{unit}{standing}", self.measure.label(), self.value)
    }
}

const RELATIVES: [&str; 12] = [
    "mother",
    "father",
    "sister",
    "brother",
    "son",
    "daughter",
    "grandmother",
    "grandfather",
    "aunt",
    "uncle",
    "cousin",
    "child",
];

/// Understands a line for somebody of this age in years. Height already on file serves for the body mass index.
pub fn understand(line: &str, age: u32, height_on_file: Option<Tenths>) -> Vec<Item> {
    let text: String = line.chars().take(400).collect::<String>().to_lowercase();
    let words: Vec<&str> = text.split([' ', ',', ';', '\t', '\n']).filter(|w| !w.is_empty()).collect();
    let mut items: Vec<Item> = Vec::new();
    let mut loose: Vec<&str> = Vec::new();
    let mut i = 0;
    while i < words.len() {
        let word = words[i].trim_end_matches(':');
        if let Some(relative) = RELATIVES.iter().find(|r| **r == word) {
            let rest: Vec<&str> = words[i + 1..].iter().copied().take_while(|w| !starts_something(w)).collect();
            let age = rest.last().and_then(|w| w.parse::<u32>().ok()).filter(|a| *a < 130);
            let condition = rest[..rest.len() - usize::from(age.is_some())].join(" ");
            i += 1 + rest.len();
            if condition.is_empty() {
                loose.push(word);
            } else {
                items.push(Item::Family { relative, condition, age });
            }
            continue;
        }
        if let Some((topic, takes_detail, said)) = social(word) {
            let detail = words.get(i + 1).filter(|w| takes_detail && w.starts_with(|c: char| c.is_ascii_digit()));
            items.push(Item::Social {
                topic,
                detail: detail.map_or_else(|| said.to_owned(), |d| format!("{said}, {d}")),
            });
            i += 1 + usize::from(detail.is_some());
            continue;
        }
        match measured(word, &words[i + 1..], age) {
            Some((mut found, used)) => {
                items.append(&mut found);
                i += 1 + used;
            }
            None => {
                loose.push(words[i]);
                i += 1;
            }
        }
    }
    add_bmi(&mut items, age, height_on_file);
    if !loose.is_empty() {
        items.push(Item::Words(loose.join(" ")));
    }
    items
}

fn starts_something(word: &str) -> bool {
    RELATIVES.contains(&word) || social(word).is_some() || measure_of(word).is_some() || word == "bp"
}

fn social(word: &str) -> Option<(&'static str, bool, &'static str)> {
    Some(match word {
        "smoker" | "smokes" => ("tobacco", true, "smokes"),
        "non-smoker" | "nonsmoker" => ("tobacco", false, "does not smoke"),
        "ex-smoker" => ("tobacco", false, "has stopped smoking"),
        "alcohol" | "drinks" => ("alcohol", true, "drinks alcohol"),
        "teetotal" => ("alcohol", false, "drinks no alcohol"),
        _ => return None,
    })
}

fn measure_of(word: &str) -> Option<Measure> {
    Some(match word {
        "hr" | "pulse" | "p" => Measure::HeartRate,
        "t" | "temp" => Measure::Temperature,
        "rr" | "resp" => Measure::RespiratoryRate,
        "sat" | "spo2" | "o2" => Measure::OxygenSaturation,
        "w" | "wt" | "weight" => Measure::Weight,
        "h" | "ht" | "height" => Measure::Height,
        "pain" => Measure::Pain,
        _ => return None,
    })
}

/// A measurement that starts at `word`, with how many of the following words it used.
fn measured(word: &str, after: &[&str], age: u32) -> Option<(Vec<Item>, usize)> {
    // `bp128/82` and `w68kg` are typed as often as `bp 128/82`.
    let split =
        word.find(|c: char| c.is_ascii_digit()).filter(|at| *at > 0 && word != "o2" && !word.starts_with("spo2"));
    let (key, glued) = split.map_or((word, None), |at| (&word[..at], Some(&word[at..])));
    let (value, used) = match glued {
        Some(v) => (v, 0),
        None => (*after.first()?, 1),
    };
    let next = after.get(used).copied();
    if key == "bp" || key == "rr" && value.contains('/') {
        let (s, d) = value.split_once('/')?;
        let (s, d) = (tenths(s)?, tenths(d)?);
        return Some((vec![item(Measure::Systolic, s, age, None), item(Measure::Diastolic, d, age, None)], used));
    }
    let measure = measure_of(key)?;
    let digits_end = value.find(|c: char| !c.is_ascii_digit() && c != '.').unwrap_or(value.len());
    let number = tenths(&value[..digits_end])?;
    let mut unit = value[digits_end..].to_owned();
    let mut used = used;
    if unit.is_empty()
        && let Some(u) = next.filter(|u| ["kg", "lb", "lbs", "cm", "in", "ft", "m", "c", "f", "%"].contains(u))
    {
        unit = u.to_owned();
        used += 1;
    }
    let typed = format!("{}{unit}", &value[..digits_end]);
    let (kept, converted) = convert(measure, number, &unit)?;
    Some((vec![item(measure, kept, age, converted.then_some(typed))], used))
}

fn item(measure: Measure, value: Tenths, age: u32, converted_from: Option<String>) -> Item {
    Item::Measured(Measured { measure, value, standing: measure.standing(value, age), converted_from })
}

fn tenths(text: &str) -> Option<Tenths> {
    let value: f64 = text.parse().ok()?;
    (value.is_finite() && (0.0..10_000.0).contains(&value)).then(|| Tenths((value * 10.0).round() as i32))
}

/// Converts to the kept unit; tells whether anything changed. A bare temperature above 50 is Fahrenheit.
fn convert(measure: Measure, value: Tenths, unit: &str) -> Option<(Tenths, bool)> {
    let v = f64::from(value.0);
    let to = |x: f64| Some((Tenths(x.round() as i32), true));
    match (measure, unit.trim_start_matches('°')) {
        (Measure::Temperature, "f") => to((v - 320.0) / 1.8),
        (Measure::Temperature, "") if value.0 > 500 => to((v - 320.0) / 1.8),
        (Measure::Temperature, "" | "c")
        | (Measure::Weight, "" | "kg")
        | (Measure::Height, "" | "cm")
        | (Measure::OxygenSaturation, "" | "%") => Some((value, false)),
        (Measure::Weight, "lb" | "lbs") => to(v * 0.453_592_37),
        (Measure::Weight, "g") => to(v / 1000.0),
        (Measure::Height, "in" | "\"") => to(v * 2.54),
        (Measure::Height, "m") => to(v * 100.0),
        (Measure::Height, feet) if feet.starts_with('\'') || feet.starts_with("ft") => {
            let inches = feet
                .trim_start_matches("ft")
                .trim_start_matches('\'')
                .trim_end_matches(['"', '\''])
                .trim_end_matches("in");
            let inches: f64 = if inches.is_empty() { 0.0 } else { inches.parse().ok()? };
            to(v * 30.48 + inches * 25.4)
        }
        (Measure::Pain, "" | "/10") => Some((value, false)),
        (Measure::HeartRate | Measure::RespiratoryRate, "" | "/min") => Some((value, false)),
        _ => None,
    }
}

fn add_bmi(items: &mut Vec<Item>, age: u32, height_on_file: Option<Tenths>) {
    let find = |wanted: Measure| {
        items.iter().find_map(|i| match i {
            Item::Measured(m) if m.measure == wanted && m.standing != Standing::Impossible => Some(m.value),
            _ => None,
        })
    };
    if let (Some(weight), Some(height)) = (find(Measure::Weight), find(Measure::Height).or(height_on_file))
        && let Some(value) = bmi(weight, height)
    {
        items.push(item(Measure::Bmi, value, age, None));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn said(line: &str) -> Vec<String> {
        understand(line, 40, None)
            .iter()
            .map(|i| match i {
                Item::Measured(m) => m.in_words(),
                Item::Family { relative, condition, age } => format!("{relative}: {condition} {age:?}"),
                Item::Social { topic, detail } => format!("{topic}: {detail}"),
                Item::Words(w) => format!("words: {w}"),
            })
            .collect()
    }

    #[test]
    fn the_usual_line() {
        assert_eq!(
            said("bp 128/82 hr 72 t 37.1 w 68kg h 172cm"),
            [
                "Blood pressure, systolic 128 mmHg",
                "Blood pressure, diastolic 82 mmHg, high",
                "Heart rate 72 /min",
                "Temperature 37.1 °C",
                "Weight 68 kg",
                "Height 172 cm",
                "Body mass index 23 kg/m²",
            ]
        );
    }

    #[test]
    fn units_are_converted() {
        assert_eq!(said("t 98.6f"), ["Temperature 37 °C"]);
        assert_eq!(said("t98.6"), ["Temperature 37 °C"]);
        assert_eq!(said("w 150 lb h 5'10\""), ["Weight 68 kg", "Height 177.8 cm", "Body mass index 21.5 kg/m²"]);
        let items = understand("w 150lb", 40, Some(Tenths(1778)));
        assert!(matches!(&items[0], Item::Measured(m) if m.converted_from.as_deref() == Some("150lb")));
        assert!(matches!(&items[1], Item::Measured(m) if m.measure == Measure::Bmi), "height on file serves");
    }

    #[test]
    fn slips_are_questioned_and_never_lost() {
        assert_eq!(said("hr 720"), ["Heart rate 720 /min, impossible: please check"]);
        assert_eq!(said("bp 128"), ["words: bp 128"]);
        assert_eq!(said("w kg"), ["words: w kg"]);
    }

    #[test]
    fn family_social_and_the_rest() {
        assert_eq!(
            said("mother asthma father heart attack 54 smoker 10/day cough"),
            ["mother: asthma None", "father: heart attack Some(54)", "tobacco: smokes, 10/day", "words: cough"]
        );
    }

    proptest! {
        #[test]
        fn nothing_panics(line in ".{0,60}", age in 0u32..130) {
            let _ = understand(&line, age, None);
        }

        #[test]
        fn numbers_of_any_size_are_safe(a in "(bp|w|h|t|hr|pain) [0-9./'\"]{0,12}(kg|lb|cm|f|ft)?") {
            let _ = understand(&a, 3, None);
        }
    }
}
