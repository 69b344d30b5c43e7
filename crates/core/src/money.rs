//! Money in whole cents; below it the ledger and what moves it.

pub mod ages;
pub mod calls;
pub mod collect;
pub mod denials;
pub mod deposits;
pub mod ledger;
pub mod months;
pub mod payments;
pub mod plans;
pub mod receivables;
pub mod reductions;
pub mod remittance;
pub mod statements;
pub mod till;

use std::fmt;
use std::iter::Sum;

/// An amount of US dollars in whole cents, negative when owed the other way.
///
/// Always true of a value: it lies within ±[`Cents::LIMIT`], so that a sum of a million amounts
/// cannot overflow. Arithmetic is checked; the operators saturate at the limit rather than wrap,
/// and [`Cents::checked_add`] tells when that would happen.
///
/// ```
/// use harbor_core::money::Cents;
/// assert_eq!(Cents::parse("1,234.5"), Ok(Cents::new(123_450)));
/// assert_eq!(Cents::new(-2505).to_string(), "-25.05");
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default)]
pub struct Cents(i64);

/// Why a typed amount was not understood.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadAmount {
    #[error("Type an amount, such as 25 or 25.00.")]
    NotANumber,
    #[error("An amount has at most two digits after the point.")]
    TooFine,
    #[error("The amount is too large: at most 9,999,999.99.")]
    TooLarge,
}

impl Cents {
    pub const ZERO: Cents = Cents(0);
    /// The largest amount, in cents: ten billion dollars.
    pub const LIMIT: i64 = 1_000_000_000_000;
    /// The largest amount that a person may type, in cents.
    pub const TYPED_LIMIT: i64 = 999_999_999;

    pub const fn new(cents: i64) -> Self {
        if cents > Self::LIMIT {
            Cents(Self::LIMIT)
        } else if cents < -Self::LIMIT {
            Cents(-Self::LIMIT)
        } else {
            Cents(cents)
        }
    }

    pub const fn get(self) -> i64 {
        self.0
    }

    pub const fn is_zero(self) -> bool {
        self.0 == 0
    }

    pub const fn is_positive(self) -> bool {
        self.0 > 0
    }

    pub const fn is_negative(self) -> bool {
        self.0 < 0
    }

    /// The sum, or nothing when it would leave the limits.
    pub fn checked_add(self, other: Cents) -> Option<Cents> {
        let sum = self.0.checked_add(other.0)?;
        (sum.abs() <= Self::LIMIT).then_some(Cents(sum))
    }

    /// The amount for `units` of something at this price, or nothing when it would leave the limits.
    pub fn times(self, units: u32) -> Option<Cents> {
        let product = self.0.checked_mul(i64::from(units))?;
        (product.abs() <= Self::LIMIT).then_some(Cents(product))
    }

    /// A share of this amount, in hundredths of a per cent (20 % is 2000), halves rounded up.
    pub fn share(self, basis_points: u32) -> Cents {
        let exact = i128::from(self.0) * i128::from(basis_points);
        let rounded = (exact + 5000 * exact.signum()) / 10_000;
        Cents::new(i64::try_from(rounded).unwrap_or(Self::LIMIT))
    }

    pub fn min(self, other: Cents) -> Cents {
        Cents(self.0.min(other.0))
    }

    pub fn max(self, other: Cents) -> Cents {
        Cents(self.0.max(other.0))
    }

    /// Reads an amount as people type it: optional `$`, thousands set off by commas, and a point before the cents; or
    /// a comma before the cents, as `25,00` is typed. What could be read two ways is refused.
    pub fn parse(text: &str) -> Result<Cents, BadAmount> {
        let amount = Self::parse_decimal(&plain_decimal(text)?)?;
        if amount.0.abs() > Self::TYPED_LIMIT { Err(BadAmount::TooLarge) } else { Ok(amount) }
    }

    /// Reads a plain decimal as the X12 data type R allows it: sign, digits, at most two decimals
    /// (more are accepted only when they are zeros).
    pub fn parse_decimal(text: &str) -> Result<Cents, BadAmount> {
        let (negative, digits) = match text.strip_prefix('-') {
            Some(rest) => (true, rest),
            None => (false, text),
        };
        let (whole, fraction) = digits.split_once('.').unwrap_or((digits, ""));
        if whole.is_empty() && fraction.is_empty() {
            return Err(BadAmount::NotANumber);
        }
        if !whole.bytes().chain(fraction.bytes()).all(|b| b.is_ascii_digit()) {
            return Err(BadAmount::NotANumber);
        }
        let significant = fraction.trim_end_matches('0').as_bytes();
        if significant.len() > 2 {
            return Err(BadAmount::TooFine);
        }
        let digit = |n: usize| i64::from(significant.get(n).map_or(0, |d| d - b'0'));
        let fraction = digit(0) * 10 + digit(1);
        if whole.len() > 12 {
            return Err(BadAmount::TooLarge);
        }
        let whole: i64 = if whole.is_empty() { 0 } else { whole.parse().map_err(|_| BadAmount::NotANumber)? };
        let cents = whole.checked_mul(100).and_then(|w| w.checked_add(fraction)).ok_or(BadAmount::TooLarge)?;
        if cents > Self::LIMIT {
            return Err(BadAmount::TooLarge);
        }
        Ok(Cents(if negative { -cents } else { cents }))
    }

    /// The shortest plain decimal, as X12 wants it: `25`, `25.5`, `-0.05`.
    pub fn to_x12(self) -> String {
        let sign = if self.0 < 0 { "-" } else { "" };
        let whole = self.0.unsigned_abs() / 100;
        let rest = self.0.unsigned_abs() % 100;
        if rest == 0 {
            format!("{sign}{whole}")
        } else if rest.is_multiple_of(10) {
            format!("{sign}{whole}.{}", rest / 10)
        } else {
            format!("{sign}{whole}.{rest:02}")
        }
    }
}

/// An amount as typed, with a point before its cents and nothing between its thousands.
fn plain_decimal(text: &str) -> Result<String, BadAmount> {
    let typed = text.trim().trim_start_matches('$').trim_start();
    let (sign, typed) = typed.strip_prefix('-').map_or(("", typed), |rest| ("-", rest));
    let (whole, cents) = match (typed.matches(',').count(), typed.split_once('.')) {
        (_, Some((whole, cents))) => (whole, cents),
        (1, None) => match typed.split_once(',') {
            Some((whole, cents)) if cents.len() < 3 => (whole, cents),
            _ => (typed, ""),
        },
        _ => (typed, ""),
    };
    let groups: Vec<&str> = whole.split([',', ' ']).collect();
    let grouped = groups.len() == 1
        || groups.iter().enumerate().all(|(n, g)| if n == 0 { (1..=3).contains(&g.len()) } else { g.len() == 3 });
    if !grouped || cents.contains(',') {
        return Err(BadAmount::NotANumber);
    }
    let point = if cents.is_empty() && !typed.contains('.') { "" } else { "." };
    Ok(format!("{sign}{}{point}{cents}", groups.concat()))
}

const UNITS: [&str; 20] = [
    "zero",
    "one",
    "two",
    "three",
    "four",
    "five",
    "six",
    "seven",
    "eight",
    "nine",
    "ten",
    "eleven",
    "twelve",
    "thirteen",
    "fourteen",
    "fifteen",
    "sixteen",
    "seventeen",
    "eighteen",
    "nineteen",
];
const TENS: [&str; 10] = ["", "", "twenty", "thirty", "forty", "fifty", "sixty", "seventy", "eighty", "ninety"];

/// A number in words, as it stands beside the figures so that a slip of the hand is seen: of dollars, of tablets.
pub fn number_in_words(n: u64) -> String {
    let index = |n: u64| usize::try_from(n).unwrap_or(0);
    let and = |head: String, rest: u64| if rest == 0 { head } else { format!("{head} {}", number_in_words(rest)) };
    match n {
        0..20 => UNITS[index(n)].to_owned(),
        20..100 if n.is_multiple_of(10) => TENS[index(n / 10)].to_owned(),
        20..100 => format!("{}-{}", TENS[index(n / 10)], UNITS[index(n % 10)]),
        100..1_000 => and(format!("{} hundred", UNITS[index(n / 100)]), n % 100),
        1_000..1_000_000 => and(format!("{} thousand", number_in_words(n / 1_000)), n % 1_000),
        _ => and(format!("{} million", number_in_words(n / 1_000_000)), n % 1_000_000),
    }
}

impl Cents {
    /// The amount in words, so that a slip of the hand is seen: `two thousand five hundred dollars`.
    pub fn in_words(self) -> String {
        let (dollars, cents) = (self.0.unsigned_abs() / 100, self.0.unsigned_abs() % 100);
        let sign = if self.0 < 0 { "minus " } else { "" };
        let dollar = if dollars == 1 { "dollar" } else { "dollars" };
        let and = match cents {
            0 => String::new(),
            1 => " and one cent".into(),
            n => format!(" and {} cents", number_in_words(n)),
        };
        format!("{sign}{} {dollar}{and}", number_in_words(dollars))
    }
}

impl fmt::Display for Cents {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let sign = if self.0 < 0 { "-" } else { "" };
        write!(f, "{sign}{}.{:02}", self.0.unsigned_abs() / 100, self.0.unsigned_abs() % 100)
    }
}

impl std::ops::Add for Cents {
    type Output = Cents;
    fn add(self, other: Cents) -> Cents {
        Cents::new(self.0.saturating_add(other.0))
    }
}

impl std::ops::Sub for Cents {
    type Output = Cents;
    fn sub(self, other: Cents) -> Cents {
        Cents::new(self.0.saturating_sub(other.0))
    }
}

impl std::ops::Neg for Cents {
    type Output = Cents;
    fn neg(self) -> Cents {
        Cents(-self.0)
    }
}

impl std::ops::AddAssign for Cents {
    fn add_assign(&mut self, other: Cents) {
        *self = *self + other;
    }
}

impl Sum for Cents {
    fn sum<I: Iterator<Item = Cents>>(items: I) -> Cents {
        items.fold(Cents::ZERO, |total, item| total + item)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn amounts_are_read_as_people_type_them() {
        for (typed, cents) in [
            ("25", 2_500),
            ("25.00", 2_500),
            ("25,00", 2_500),
            ("25,5", 2_550),
            ("2,500", 250_000),
            ("2,500.00", 250_000),
            ("1,234,567.89", 123_456_789),
            ("$ 12.5", 1_250),
            ("1 250", 125_000),
            ("-3.10", -310),
            (".50", 50),
            ("0,05", 5),
        ] {
            assert_eq!(Cents::parse(typed).map(Cents::get), Ok(cents), "{typed}");
        }
        for unclear in
            ["2,5000", "25,00.00", "1,23,456", "1.234,50", "12,345,6", "1,,000", ",", "", "25.00.00", "12 34"]
        {
            assert!(Cents::parse(unclear).is_err(), "{unclear} could be read two ways");
        }
    }

    #[test]
    fn an_amount_in_words_shows_a_slip() {
        for (cents, words) in [
            (2_500, "twenty-five dollars"),
            (250_000, "two thousand five hundred dollars"),
            (101, "one dollar and one cent"),
            (1_234_567, "twelve thousand three hundred forty-five dollars and sixty-seven cents"),
            (-50, "minus zero dollars and fifty cents"),
        ] {
            assert_eq!(Cents::new(cents).in_words(), words);
        }
    }

    #[test]
    fn amounts_as_people_type_them() {
        for (typed, cents) in [("25", 2500), ("$25.5", 2550), ("1,200.05", 120_005), (".5", 50), ("7.", 700)] {
            assert_eq!(Cents::parse(typed), Ok(Cents::new(cents)), "{typed}");
        }
        assert_eq!(Cents::parse(""), Err(BadAmount::NotANumber));
        assert_eq!(Cents::parse("twenty"), Err(BadAmount::NotANumber));
        assert_eq!(Cents::parse("1.005"), Err(BadAmount::TooFine));
        assert_eq!(Cents::parse("10000000"), Err(BadAmount::TooLarge));
    }

    #[test]
    fn a_share_rounds_halves_away_from_zero() {
        assert_eq!(Cents::new(12_345).share(2000), Cents::new(2469));
        assert_eq!(Cents::new(25).share(5000), Cents::new(13));
        assert_eq!(Cents::new(-25).share(5000), Cents::new(-13));
    }

    proptest! {
        #[test]
        fn x12_reads_back(cents in -Cents::LIMIT..=Cents::LIMIT) {
            let amount = Cents::new(cents);
            prop_assert_eq!(Cents::parse_decimal(&amount.to_x12()), Ok(amount));
            prop_assert_eq!(Cents::parse_decimal(&amount.to_string()), Ok(amount));
        }

        #[test]
        fn nothing_panics(text in ".*") {
            let _ = Cents::parse(&text);
        }
    }
}
