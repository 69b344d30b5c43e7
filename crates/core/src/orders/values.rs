//! The values of a report, as the laboratory said them: nothing is made a number that is none.

use super::units;

coded! {
    /// How a number stands to what was measured (FHIR R4 Quantity.comparator): below five is not five.
    Comparator {
        Below = "<", "below";
        AtMost = "<=", "at most";
        AtLeast = ">=", "at least";
        Above = ">", "above";
    }
}

coded! {
    /// How a value lies (HL7 v3 ObservationInterpretation).
    Interpretation {
        CriticalLow = "LL", "critically low";
        Low = "L", "low";
        Normal = "N", "normal";
        High = "H", "high";
        CriticalHigh = "HH", "critically high";
        Abnormal = "A", "outside";
        CriticalAbnormal = "AA", "critically outside";
        Positive = "POS", "positive";
        Negative = "NEG", "negative";
    }
}

impl Interpretation {
    /// Somebody has to know of it at once.
    pub fn is_critical(self) -> bool {
        matches!(self, Interpretation::CriticalLow | Interpretation::CriticalHigh | Interpretation::CriticalAbnormal)
    }

    /// It is as it should be. Whether it is good to be negative depends on what was looked for.
    pub fn is_usual(self) -> bool {
        self == Interpretation::Normal
    }

    /// It is marked: neither as it should be nor merely told.
    pub fn is_outside(self) -> bool {
        !matches!(self, Interpretation::Normal | Interpretation::Negative)
    }
}

coded! {
    /// Who says how a value lies.
    FlaggedBy {
        Laboratory = "laboratory", "the laboratory";
        /// Compared by us with the limits that the laboratory sent.
        Range = "range", "the range";
    }
}

/// What was measured or seen.
#[derive(Debug, Clone, PartialEq)]
pub enum Said {
    Number {
        comparator: Option<Comparator>,
        value: f64,
    },
    /// Words, or the words of a code.
    Words(String),
    /// It was not measured, and why, as far as the laboratory says.
    NotMeasured(String),
}

impl Said {
    pub fn number(value: f64) -> Said {
        Said::Number { comparator: None, value }
    }

    /// A number that may be drawn and compared with others.
    pub fn exactly(&self) -> Option<f64> {
        match self {
            Said::Number { comparator: None, value } => Some(*value),
            _ => None,
        }
    }

    /// `<5`, `7.3`, `no growth`; without the unit.
    pub fn in_words(&self) -> String {
        match self {
            Said::Number { comparator, value } => {
                format!("{}{value}", comparator.map(Comparator::code).unwrap_or_default())
            }
            Said::Words(words) => words.clone(),
            Said::NotMeasured(why) if why.is_empty() => "not measured".into(),
            Said::NotMeasured(why) => format!("not measured: {why}"),
        }
    }
}

/// The ends of a range; either may be missing.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Limits {
    pub low: Option<f64>,
    pub high: Option<f64>,
}

impl Limits {
    pub fn between(low: f64, high: f64) -> Limits {
        Limits { low: Some(low), high: Some(high) }
    }

    pub fn are_given(self) -> bool {
        self.low.is_some() || self.high.is_some()
    }

    /// `3.5–5.1`, `up to 200`, `from 40`; empty when neither is given.
    pub fn in_words(self) -> String {
        match (self.low, self.high) {
            (Some(low), Some(high)) => format!("{low}–{high}"),
            (None, Some(high)) => format!("up to {high}"),
            (Some(low), None) => format!("from {low}"),
            (None, None) => String::new(),
        }
    }

    /// Whether what was said surely lies below, and whether it surely lies above; none when neither it nor the opposite
    /// is sure.
    fn place(self, comparator: Option<Comparator>, value: f64) -> Option<Place> {
        use Comparator::{Above, AtLeast, AtMost, Below};
        let under = self.low.is_some_and(|low| match comparator {
            None | Some(AtMost) => value < low,
            Some(Below) => value <= low,
            Some(Above | AtLeast) => false,
        });
        let over = self.high.is_some_and(|high| match comparator {
            None | Some(AtLeast) => value > high,
            Some(Above) => value >= high,
            Some(Below | AtMost) => false,
        });
        // `<5` may be far below a low limit of 3; of a range without one it is surely within.
        let open_below = matches!(comparator, Some(Below | AtMost)) && self.low.is_some();
        let open_above = matches!(comparator, Some(Above | AtLeast)) && self.high.is_some();
        let past_high = self.high.is_some_and(|h| value > h) && matches!(comparator, Some(Below | AtMost));
        let past_low = self.low.is_some_and(|l| value < l) && matches!(comparator, Some(Above | AtLeast));
        match (under, over) {
            (true, _) => Some(Place::Below),
            (_, true) => Some(Place::Above),
            _ if open_below || open_above || past_high || past_low => None,
            _ => Some(Place::Within),
        }
    }
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Place {
    Below,
    Within,
    Above,
}

/// How a value lies to the limits that the laboratory sent. It is critical only by critical limits of theirs: how far
/// outside the range is dangerous differs from test to test, and is not guessed. None where the limits do not tell.
pub fn interpret(said: &Said, usual: Limits, critical: Limits) -> Option<Interpretation> {
    let Said::Number { comparator, value } = said else { return None };
    if !value.is_finite() {
        return None;
    }
    match critical.place(*comparator, *value).filter(|_| critical.are_given()) {
        Some(Place::Below) => return Some(Interpretation::CriticalLow),
        Some(Place::Above) => return Some(Interpretation::CriticalHigh),
        _ => {}
    }
    if !usual.are_given() {
        return None;
    }
    Some(match usual.place(*comparator, *value)? {
        Place::Below => Interpretation::Low,
        Place::Within => Interpretation::Normal,
        Place::Above => Interpretation::High,
    })
}

/// One value of a report.
#[derive(Debug, Clone, PartialEq)]
pub struct ReportedValue {
    /// Empty when the laboratory gives no LOINC code.
    pub loinc: String,
    /// The laboratory's own code, after its system and a bar; empty when it gives none.
    pub own_code: String,
    pub name: String,
    pub said: Said,
    /// UCUM where it is lawful, as it was written where it is not; empty when there is none.
    pub unit: String,
    pub usual: Limits,
    /// Beyond these somebody has to know at once; only what the laboratory sent.
    pub critical: Limits,
    /// The range in words, where the laboratory says it so: `not seen`, `below 1:40`.
    pub range: String,
    pub interpretation: Option<Interpretation>,
    pub flagged_by: Option<FlaggedBy>,
    pub method: String,
    pub note: String,
}

impl ReportedValue {
    /// A value with nothing said of it but itself.
    pub fn new(loinc: &str, name: &str, said: Said) -> ReportedValue {
        ReportedValue {
            loinc: loinc.into(),
            own_code: String::new(),
            name: name.into(),
            said,
            unit: String::new(),
            usual: Limits::default(),
            critical: Limits::default(),
            range: String::new(),
            interpretation: None,
            flagged_by: None,
            method: String::new(),
            note: String::new(),
        }
    }

    /// A measured number in its range, both ends in the same unit, interpreted by it.
    pub fn measured(loinc: &str, name: &str, number: f64, unit: &str, low: f64, high: f64) -> ReportedValue {
        ReportedValue {
            unit: unit.into(),
            usual: Limits::between(low, high),
            ..ReportedValue::new(loinc, name, Said::number(number))
        }
        .interpreted()
    }

    /// With how it lies, where the laboratory does not say it: what it says is never replaced.
    pub fn interpreted(mut self) -> ReportedValue {
        if self.interpretation.is_none() {
            self.interpretation = interpret(&self.said, self.usual, self.critical);
            self.flagged_by = self.interpretation.map(|_| FlaggedBy::Range);
        }
        self
    }

    /// What tells that two values are of one test: the code, in the system that both know; the name where there is none.
    pub fn test_key(&self) -> String {
        test_key(&self.loinc, &self.own_code, &self.name)
    }

    /// Whether the unit is one of UCUM; what has none is lawful.
    pub fn has_lawful_unit(&self) -> bool {
        self.unit.is_empty() || units::is_lawful(&self.unit)
    }
}

/// See [`ReportedValue::test_key`].
pub fn test_key(loinc: &str, own_code: &str, name: &str) -> String {
    match (loinc, own_code) {
        ("", "") => format!("name {}", crate::people::fold(name)),
        ("", own) => format!("own {own}"),
        (loinc, _) => format!("loinc {loinc}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use Interpretation::*;
    use proptest::prelude::*;

    fn number(text: &str) -> Said {
        let comparator = ["<=", ">=", "<", ">"].iter().find(|c| text.starts_with(**c));
        let value = text.trim_start_matches(['<', '>', '=']).parse().unwrap();
        Said::Number { comparator: comparator.and_then(|c| Comparator::from_code(c)), value }
    }

    #[test]
    fn a_number_lies_where_it_surely_lies() {
        let usual = Limits::between(3.5, 5.1);
        for (said, is) in [
            ("4.0", Some(Normal)),
            ("3.5", Some(Normal)),
            ("5.1", Some(Normal)),
            ("5.4", Some(High)),
            ("60", Some(High)),
            ("2.0", Some(Low)),
            ("<3.5", Some(Low)),
            ("<=3.5", None),
            ("<4", None),
            (">5.1", Some(High)),
            (">=5.1", None),
            (">4", None),
            ("<9", None),
            (">1", None),
        ] {
            assert_eq!(interpret(&number(said), usual, Limits::default()), is, "{said}");
        }
        let below = Limits { low: None, high: Some(200.0) };
        assert_eq!(interpret(&number("<5"), below, Limits::default()), Some(Normal));
        assert_eq!(interpret(&number("<250"), below, Limits::default()), None);
        assert_eq!(interpret(&number(">200"), below, Limits::default()), Some(High));
        assert_eq!(interpret(&Said::number(f64::NAN), below, Limits::default()), None);
        assert_eq!(interpret(&number("5"), Limits::default(), Limits::default()), None);
        assert_eq!(interpret(&Said::Words("5".into()), usual, Limits::default()), None);
    }

    #[test]
    fn critical_is_only_what_the_laboratory_says_is() {
        let (usual, critical) = (Limits::between(3.5, 5.1), Limits::between(2.8, 6.2));
        assert_eq!(interpret(&number("9.9"), usual, Limits::default()), Some(High));
        for (said, is) in [
            ("6.3", CriticalHigh),
            ("6.2", High),
            ("2.7", CriticalLow),
            (">6.2", CriticalHigh),
            (">6", High),
            ("<2", CriticalLow),
            ("4", Normal),
        ] {
            assert_eq!(interpret(&number(said), usual, critical), Some(is), "{said}");
        }
        assert_eq!(interpret(&number("6.3"), Limits::default(), critical), Some(CriticalHigh));
        assert_eq!(interpret(&number("4"), Limits::default(), critical), None, "no range says that it is normal");
    }

    #[test]
    fn limits_in_words() {
        let limits = [
            Limits::between(3.5, 5.1),
            Limits { low: None, high: Some(200.0) },
            Limits { low: Some(40.0), high: None },
        ];
        assert_eq!(limits.map(Limits::in_words), ["3.5–5.1", "up to 200", "from 40"]);
        assert_eq!(Limits::default().in_words(), "");
    }

    #[test]
    fn what_the_laboratory_flags_is_never_replaced() {
        let mut value = ReportedValue::measured("2823-3", "Potassium", 9.0, "mmol/L", 3.5, 5.1);
        assert_eq!((value.interpretation, value.flagged_by), (Some(High), Some(FlaggedBy::Range)));
        value.interpretation = Some(Normal);
        value.flagged_by = Some(FlaggedBy::Laboratory);
        assert_eq!(value.clone().interpreted(), value);
    }

    #[test]
    fn one_test_is_known_by_the_code_that_both_know() {
        let value = |loinc: &str, own: &str, name: &str| test_key(loinc, own, name);
        assert_eq!(value("2823-3", "gp|K1", "Potassium"), value("2823-3", "", "Kalium"));
        assert_ne!(value("", "gp|K1", "Potassium"), value("", "gp|K2", "Potassium"));
        assert_eq!(value("", "", "Potássium"), value("", "", "POTASSIUM"));
    }

    proptest! {
        #[test]
        fn what_is_below_some_number_is_told_only_where_all_of_it_is(
            value in -50i32..50, low in -20i32..0, width in 1i32..30, drop in 1i32..40,
        ) {
            let usual = Limits::between(f64::from(low), f64::from(low + width));
            let below = Said::Number { comparator: Some(Comparator::Below), value: f64::from(value) };
            if let Some(told) = interpret(&below, usual, Limits::default()) {
                let one_of_it = Said::number(f64::from(value - drop));
                prop_assert_eq!(interpret(&one_of_it, usual, Limits::default()), Some(told));
            }
        }
    }
}
