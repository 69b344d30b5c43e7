//! An amount in units of a form, in thousandths.

use std::fmt;

/// So many thousandths of a unit, up to a thousand units.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Portion(u32);

impl Portion {
    pub const NONE: Portion = Portion(0);
    pub const HALF: Portion = Portion(500);
    pub const ONE: Portion = Portion(1000);
    pub const THOUSAND: u64 = 1000;
    const MOST: u32 = 1_000_000;

    pub const fn whole(n: u32) -> Portion {
        Portion::thousandths_of(n.saturating_mul(1000))
    }

    pub const fn thousandths_of(n: u32) -> Portion {
        Portion(if n > Portion::MOST { Portion::MOST } else { n })
    }

    pub fn thousandths(self) -> u64 {
        u64::from(self.0)
    }

    pub fn number(self) -> f64 {
        f64::from(self.0) / 1000.0
    }

    /// A number as a portion, to the nearest thousandth; nothing where it is out of range.
    pub fn of(number: f64) -> Option<Portion> {
        let thousandths = (number * 1000.0).round();
        (thousandths.is_finite() && (0.0..=f64::from(Portion::MOST)).contains(&thousandths))
            .then_some(Portion(thousandths as u32))
    }

    /// The nearest whole number of the smallest part that can be measured out, and at least one of them.
    pub fn near(number: f64, smallest: Portion) -> Portion {
        let parts = (number / smallest.number()).round().clamp(1.0, f64::from(Portion::MOST));
        Portion::of(parts * smallest.number()).unwrap_or(Portion(Portion::MOST))
    }

    /// `2`, `0.5`, `1/2`, `1 1/2`, `½`, `1½`, `half`, `one`, at the beginning of a text; with what follows.
    pub fn read_start(text: &str) -> Option<(Portion, &str)> {
        let text = text.trim_start();
        for (word, portion) in [
            ("half a", Portion::HALF),
            ("half", Portion::HALF),
            ("one", Portion::ONE),
            ("two", Portion::whole(2)),
            ("a ", Portion::ONE),
        ] {
            if let Some(rest) =
                text.strip_prefix(word).filter(|r| !r.starts_with(char::is_alphanumeric) || word.ends_with(' '))
            {
                return Some((portion, rest));
            }
        }
        let (whole, rest) = number(text);
        if let Some((part, rest)) = sign(rest.trim_start()) {
            return Portion::of(whole.unwrap_or(0.0) + part).map(|p| (p, rest));
        }
        let whole = whole?;
        if let Some((below, rest)) = rest.strip_prefix('/').map(number).and_then(|(n, r)| Some((n?, r))) {
            return (below > 0.0).then(|| Portion::of(whole / below)).flatten().map(|p| (p, rest));
        }
        // `1 1/2`
        let (above, after) = number(rest.trim_start());
        if rest.starts_with(' ')
            && let (Some(above), Some(below)) = (above, after.strip_prefix('/').map(number))
            && let (Some(below), rest) = below
            && below > above
        {
            return Portion::of(whole + above / below).map(|p| (p, rest));
        }
        Portion::of(whole).map(|p| (p, rest))
    }
}

/// Digits with a decimal point, and what follows.
fn number(text: &str) -> (Option<f64>, &str) {
    let end = text.find(|c: char| !(c.is_ascii_digit() || c == '.')).unwrap_or(text.len());
    // A power of ten is a slip, never a dose.
    let rest = &text[end..];
    let power = rest.starts_with(['e', 'E']) && rest[1..].starts_with(|c: char| c.is_ascii_digit());
    (if power { None } else { text[..end].parse().ok() }, rest)
}

fn sign(text: &str) -> Option<(f64, &str)> {
    let sign = text.chars().next()?;
    let part = match sign {
        '½' => 0.5,
        '¼' => 0.25,
        '¾' => 0.75,
        '⅓' => 1.0 / 3.0,
        '⅔' => 2.0 / 3.0,
        _ => return None,
    };
    Some((part, &text[sign.len_utf8()..]))
}

impl fmt::Display for Portion {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{}", self.number())
    }
}
