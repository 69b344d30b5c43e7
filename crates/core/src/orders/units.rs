//! Units of measured values, as UCUM defines them (The Unified Code for Units of Measure, version 2.2).

use octofhir_ucum::{convert, is_comparable, parse_expression};

/// Longer than any unit of a laboratory; what is longer is not read as one.
const LONGEST: usize = 60;

/// Whether a unit is one of UCUM. `mIU/L` is none: it is written `m[IU]/L`.
pub fn is_lawful(unit: &str) -> bool {
    !unit.is_empty()
        && unit.len() <= LONGEST
        && parse_expression(unit).is_ok_and(|read| octofhir_ucum::evaluate(&read).is_ok())
}

/// A unit as people write it: `m[IU]/L` is `mIU/L`, `10*3/uL` is `10³/µL`, `mL/min/{1.73_m2}` is `mL/min/1.73 m²`.
pub fn shown(unit: &str) -> String {
    if !is_lawful(unit) {
        return unit.to_owned();
    }
    let mut out = String::new();
    let mut signs = unit.chars().peekable();
    while let Some(c) = signs.next() {
        let next_is_digit = signs.peek().is_some_and(char::is_ascii_digit);
        match c {
            '{' | '}' | '[' | ']' => {}
            '_' => out.push(' '),
            // `10*3`, and `10^3`, which is lawful too: a power of ten.
            '*' | '^' if next_is_digit && out.ends_with("10") => {
                while let Some(digit) = signs.next_if(char::is_ascii_digit) {
                    out.push(raised(digit));
                }
            }
            'u' if !out.ends_with(char::is_alphabetic)
                && signs.peek().is_some_and(|n| matches!(n, 'L' | 'g' | 'm')) =>
            {
                out.push('µ');
            }
            '2' | '3' if out.ends_with('m') => out.push(raised(c)),
            c => out.push(c),
        }
    }
    out
}

fn raised(digit: char) -> char {
    const RAISED: [char; 10] = ['⁰', '¹', '²', '³', '⁴', '⁵', '⁶', '⁷', '⁸', '⁹'];
    digit.to_digit(10).and_then(|d| RAISED.get(d as usize).copied()).unwrap_or(digit)
}

/// A value in another unit of the same kind; none where no such is defined: grams do not become moles here, because
/// that depends on what was measured.
pub fn converted(value: f64, from: &str, to: &str) -> Option<f64> {
    if from == to {
        return Some(value);
    }
    if !is_lawful(from) || !is_lawful(to) || !is_comparable(from, to).unwrap_or(false) {
        return None;
    }
    // Counted of another thing, the number means another.
    let (one, other) = (annotations(from), annotations(to));
    if one != other {
        return None;
    }
    convert(value, from, to).ok().filter(|v| v.is_finite()).map(rounded)
}

/// What stands in braces says of what the unit is one: `{cells}/uL` is not `{copies}/uL`.
fn annotations(unit: &str) -> Vec<&str> {
    unit.split('{').skip(1).filter_map(|rest| rest.split('}').next()).collect()
}

/// Ten significant figures: a factor of ten written in two's powers leaves dust behind.
fn rounded(value: f64) -> f64 {
    format!("{value:.9e}").parse().unwrap_or(value)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lawful_units() {
        for unit in
            ["mg/dL", "mmol/L", "10*3/uL", "%", "m[IU]/L", "k[IU]/L", "mL/min/{1.73_m2}", "mm/h", "{INR}", "[pH]"]
        {
            assert!(is_lawful(unit), "{unit}");
        }
        for unit in ["mIU/L", "mL/min/1.73m2", "kIU/L", "", "mg per dl", "((((", "mg/", "🙂", &"m".repeat(100)] {
            assert!(!is_lawful(unit), "{unit}");
        }
    }

    #[test]
    fn units_as_people_write_them() {
        for (unit, is) in [
            ("m[IU]/L", "mIU/L"),
            ("10*3/uL", "10³/µL"),
            ("mL/min/{1.73_m2}", "mL/min/1.73 m²"),
            ("ug/L", "µg/L"),
            ("umol/L", "µmol/L"),
            ("mg/dL", "mg/dL"),
            ("mm[Hg]", "mmHg"),
            ("%", "%"),
            ("mIU/l", "mIU/l"),
        ] {
            assert_eq!(shown(unit), is, "{unit}");
        }
    }

    #[test]
    fn what_is_defined_is_converted_and_nothing_else() {
        for (value, from, to, is) in [
            (5.4, "g/L", "mg/dL", Some(540.0)),
            (5.4, "ug/L", "ng/mL", Some(5.4)),
            (11.0, "10*9/L", "10*3/uL", Some(11.0)),
            (4.1, "mmol/L", "mmol/L", Some(4.1)),
            (4.1, "mIU/L", "mIU/L", Some(4.1)),
            (90.0, "mg/dL", "mmol/L", None),
            (3.0, "{cells}/uL", "{copies}/uL", None),
            (3.0, "mIU/L", "m[IU]/L", None),
            (3.0, "", "mg/dL", None),
        ] {
            assert_eq!(converted(value, from, to), is, "{value} {from} to {to}");
        }
    }
}
