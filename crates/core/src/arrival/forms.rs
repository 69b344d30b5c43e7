//! Forms that patients sign, drawn with a finger or typed, and how long a signature holds.

use chrono::{Months, NaiveDate};

coded! {
    /// How a form was signed.
    SignedAs {
        Drawn = "drawn", "drawn on the screen";
        Typed = "typed", "typed name";
        Paper = "paper", "on paper";
    }
}

/// Whether a form is to be signed: never signed, or run out. Without months a signature holds for ever.
pub fn is_due(signed: Option<NaiveDate>, valid_months: Option<u32>, today: NaiveDate) -> bool {
    match (signed, valid_months) {
        (None, _) => true,
        (Some(_), None) => false,
        (Some(day), Some(months)) => day.checked_add_months(Months::new(months)).is_some_and(|end| end <= today),
    }
}

/// A point of a stroke: the pad is [`PAD`] units wide and high.
pub type Point = (u16, u16);
pub const PAD: Point = (600, 180);
const MOST_POINTS: usize = 4_000;

/// A signature.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Signature {
    Drawn(Vec<Vec<Point>>),
    Typed,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum BadSignature {
    #[error("Sign on the pad, or choose to type the name.")]
    Blank,
    #[error("The drawing is too large; clear it and sign again.")]
    TooLarge,
}

/// Takes a drawing as a signature: more than a dot, within the pad.
pub fn drawn(strokes: Vec<Vec<Point>>) -> Result<Signature, BadSignature> {
    let points: Vec<&Point> = strokes.iter().flatten().collect();
    if points.len() > MOST_POINTS || points.iter().any(|(x, y)| *x > PAD.0 || *y > PAD.1) {
        return Err(BadSignature::TooLarge);
    }
    let far = |pick: fn(&Point) -> u16| {
        let all = points.iter().map(|p| pick(p));
        all.clone().max().unwrap_or(0) - all.min().unwrap_or(0)
    };
    if points.len() < 3 || far(|p| p.0) + far(|p| p.1) < 20 {
        return Err(BadSignature::Blank);
    }
    Ok(Signature::Drawn(strokes))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_signature_holds_as_long_as_the_form_says() {
        let day = |y, m, d| NaiveDate::from_ymd_opt(y, m, d).unwrap();
        let today = day(2026, 11, 23);
        assert!(is_due(None, None, today) && !is_due(Some(day(1999, 1, 1)), None, today));
        assert!(is_due(Some(day(2025, 11, 23)), Some(12), today), "it runs out on its birthday");
        assert!(!is_due(Some(day(2025, 11, 24)), Some(12), today));
        assert!(
            !is_due(Some(day(2024, 2, 29)), Some(12), day(2025, 2, 27))
                && is_due(Some(day(2024, 2, 29)), Some(12), day(2025, 2, 28))
        );
    }

    #[test]
    fn a_dot_is_no_signature() {
        assert_eq!(drawn(vec![]), Err(BadSignature::Blank));
        assert_eq!(drawn(vec![vec![(5, 5); 50]]), Err(BadSignature::Blank));
        assert_eq!(drawn(vec![vec![(0, 0), (601, 5), (9, 9)]]), Err(BadSignature::TooLarge));
        assert_eq!(drawn(vec![vec![(1, 1); 5_000]]), Err(BadSignature::TooLarge));
        assert!(drawn(vec![vec![(10, 90), (60, 20), (110, 150)], vec![(120, 90), (200, 95)]]).is_ok());
    }
}
