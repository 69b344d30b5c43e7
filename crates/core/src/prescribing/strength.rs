//! Strengths as they are written on packs.

/// How much of an ingredient is in one unit of the form: a tablet, a millilitre, a puff.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Amount {
    Milligrams(f64),
    /// International units, as insulin is measured.
    Units(f64),
    /// Milliequivalents, as salts are measured.
    Milliequivalents(f64),
}

/// What is counted by its effect or its charge by some and weighed by others: milligrams in one international unit of vitamin
/// D (40 units are one microgram, by the definition of the unit), and in one milliequivalent of potassium chloride (its molar
/// mass, 74.55 g).
const WEIGHED: [(&str, Amount, f64); 3] = [
    ("colecalciferol", Amount::Units(1.0), 0.001 / 40.0),
    ("ergocalciferol", Amount::Units(1.0), 0.001 / 40.0),
    ("potassium chloride", Amount::Milliequivalents(1.0), 74.55),
];

impl Amount {
    /// The bare number, in milligrams, units or milliequivalents.
    pub fn number(self) -> f64 {
        match self {
            Amount::Milligrams(n) | Amount::Units(n) | Amount::Milliequivalents(n) => n,
        }
    }

    pub fn times(self, by: f64) -> Amount {
        match self {
            Amount::Milligrams(n) => Amount::Milligrams(n * by),
            Amount::Units(n) => Amount::Units(n * by),
            Amount::Milliequivalents(n) => Amount::Milliequivalents(n * by),
        }
    }

    /// The same amount of an ingredient as it is weighed, where that is known; otherwise as it is.
    pub fn of(self, ingredient: &str) -> Amount {
        use std::mem::discriminant;
        let known =
            WEIGHED.iter().find(|(name, one, _)| *name == ingredient && discriminant(one) == discriminant(&self));
        known.map_or(self, |(_, _, mg)| Amount::Milligrams(self.number() * mg))
    }
}

/// Reads a strength: `500 mg`, `875/125 mg`, `400/57 mg/5 mL`, `100 units/mL`, `160/4.5 micrograms`. One amount for each
/// ingredient that it tells of, each for one unit of the form. What is not an amount in that unit (`1 %`, `25 micrograms/h`)
/// gives nothing: it is not known, and nobody guesses.
pub fn amounts(text: &str) -> Option<Vec<Amount>> {
    let text = text.trim().to_lowercase().replace([',', '\u{a0}'], "").replace('µ', "u");
    let text = text.replace("mcg", "ug").replace("micrograms", "ug").replace("microgram", "ug");
    let end = text.find(|c: char| !(c.is_ascii_digit() || c == '.' || c == '/')).unwrap_or(text.len());
    let (numbers, rest) = text.split_at(end);
    let numbers: Vec<f64> = numbers.split('/').map(|n| n.parse::<f64>().ok()).collect::<Option<_>>()?;
    if numbers.iter().any(|n| !n.is_finite() || *n <= 0.0) {
        return None;
    }
    let mut parts = rest.trim().splitn(2, '/').map(str::trim);
    let unit = parts.next()?;
    let per = match parts.next() {
        None => 1.0,
        Some(of) => {
            let of = of.strip_suffix("ml")?.trim();
            if of.is_empty() { 1.0 } else { of.parse::<f64>().ok().filter(|n| n.is_finite() && *n > 0.0)? }
        }
    };
    let amount = |n: f64| match unit {
        "mg" => Some(Amount::Milligrams(n / per)),
        "g" => Some(Amount::Milligrams(n * 1000.0 / per)),
        "ug" => Some(Amount::Milligrams(n / 1000.0 / per)),
        "unit" | "units" | "iu" => Some(Amount::Units(n / per)),
        "meq" => Some(Amount::Milliequivalents(n / per)),
        _ => None,
    };
    numbers.into_iter().map(amount).collect()
}

/// A number as people write it: no needless zeros, at most three places.
pub fn plain(x: f64) -> String {
    let places = if x.abs() < 0.1 { 1e4 } else { 1e2 };
    format!("{}", (x * places).round() / places)
}

/// An amount of milligrams in the unit that people would use: `250 micrograms`, `1.5 g`.
pub fn weighed(mg: f64) -> String {
    if mg > 0.0 && mg < 0.95 {
        format!("{} micrograms", plain(mg * 1000.0))
    } else if mg >= 10_000.0 {
        format!("{} g", plain(mg / 1000.0))
    } else {
        format!("{} mg", plain(mg))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use Amount::{Milliequivalents, Milligrams, Units};
    use proptest::prelude::*;

    #[test]
    fn strengths_are_read_as_packs_write_them() {
        for (text, expected) in [
            ("500 mg", vec![Milligrams(500.0)]),
            ("875/125 mg", vec![Milligrams(875.0), Milligrams(125.0)]),
            ("250 mg/5 mL", vec![Milligrams(50.0)]),
            ("400/57 mg/5 mL", vec![Milligrams(80.0), Milligrams(11.4)]),
            ("100 units/mL", vec![Units(100.0)]),
            ("100,000 units/mL", vec![Units(100_000.0)]),
            ("250 micrograms", vec![Milligrams(0.25)]),
            ("2.5 mcg", vec![Milligrams(0.0025)]),
            ("17 g", vec![Milligrams(17_000.0)]),
            ("20 mEq/15 mL", vec![Milliequivalents(20.0 / 15.0)]),
        ] {
            assert_eq!(amounts(text), Some(expected), "{text}");
        }
        for unknown in ["1 %", "25 micrograms/h", "", "mg", "0 mg", "strong", "1/0 mg", "100000 units/g"] {
            assert_eq!(amounts(unknown), None, "{unknown}");
        }
        assert_eq!([weighed(0.25), weighed(500.0), weighed(17_000.0)], ["250 micrograms", "500 mg", "17 g"]);
    }

    #[test]
    fn what_some_count_and_others_weigh_is_one_amount() {
        let close = |a: Amount, mg: f64| matches!(a, Milligrams(n) if (n - mg).abs() < 1e-9);
        assert!(close(Units(1000.0).of("colecalciferol"), 0.025));
        assert!(close(Units(50_000.0).of("ergocalciferol"), 1.25));
        assert!(close(Milliequivalents(20.0).of("potassium chloride"), 1491.0));
        // Of others a unit is what it is: nobody guesses what it weighs.
        assert_eq!(Units(10.0).of("insulin glargine"), Units(10.0));
        assert_eq!(Milliequivalents(10.0).of("sodium bicarbonate"), Milliequivalents(10.0));
        assert_eq!(Milligrams(600.0).of("potassium chloride"), Milligrams(600.0));
    }

    proptest! {
        #[test]
        fn no_text_breaks_the_reading(text in ".{0,40}") {
            if let Some(read) = amounts(&text) {
                prop_assert!(read.iter().all(|a| a.number().is_finite() && a.number() > 0.0));
            }
        }
    }
}
