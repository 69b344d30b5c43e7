//! An amount as it is typed: in units of the form, by weight of the medicine, or by weight of a child.

use super::{DoseUnit, Often, Portion};
use crate::prescribing::Product;
use crate::prescribing::strength::{Amount, amounts, plain};

/// `400 mg`, `50,000 units`, `20 mEq`: what is no number of tablets or millilitres; nothing for what is, and for nothing at all.
fn weighed_or_counted(text: &str) -> Option<Amount> {
    let end = text.find(|c: char| !(c.is_ascii_digit() || matches!(c, '.' | ','))).unwrap_or(text.len());
    let (digits, unit) = text.split_at(end);
    let plain = digits.replace(',', "").parse().ok().map(|n: f64| (n, unit));
    // `1/2 g` and the like are read as portions are.
    let (number, unit) = match plain.filter(|(_, unit)| !unit.trim_start().starts_with('/')) {
        Some(read) => read,
        None => Portion::read_start(text).map(|(n, unit)| (n.number(), unit))?,
    };
    if number <= 0.0 {
        return None;
    }
    match unit.trim() {
        "mg" => Some(Amount::Milligrams(number)),
        "mcg" | "ug" | "µg" | "micrograms" => Some(Amount::Milligrams(number / 1000.0)),
        "g" => Some(Amount::Milligrams(number * 1000.0)),
        "units" | "unit" | "iu" => Some(Amount::Units(number)),
        "meq" => Some(Amount::Milliequivalents(number)),
        _ => None,
    }
}

/// An amount as it was typed: in units of the form (`1/2`, `2 tab`, `8 mL`), or in milligrams, international units or
/// milliequivalents, which the strength turns into units of the form. What cannot be measured out is refused with what can.
pub fn amount_typed(typed: &str, product: &Product) -> Result<Portion, String> {
    let unit = DoseUnit::of(&product.form, &product.strength);
    let text = typed.trim().to_lowercase();
    let first = product.ingredients.first().map_or("", String::as_str);
    let one = amounts(&product.strength).and_then(|a| Some(a.first()?.of(first)));
    let of_strength = |wanted: Amount| {
        let (wanted, one) = match (wanted.of(first), one) {
            (Amount::Milligrams(wanted), Some(Amount::Milligrams(one)))
            | (Amount::Units(wanted), Some(Amount::Units(one)))
            | (Amount::Milliequivalents(wanted), Some(Amount::Milliequivalents(one))) => (wanted, one),
            _ => return Err(format!("{} has no strength to count that by; say how many.", product.name())),
        };
        let exact = wanted / one;
        let near = Portion::near(exact, unit.smallest());
        if (near.number() - exact).abs() > 0.05 * exact {
            return Err(format!(
                "{} of {} cannot be measured out; {} {} is the nearest.",
                typed.trim(),
                product.name(),
                near,
                unit.of_many(near)
            ));
        }
        Ok(near)
    };
    if let Some(wanted) = weighed_or_counted(&text) {
        return of_strength(wanted);
    }
    let (number, rest) = Portion::read_start(&text).ok_or_else(|| format!("“{}” is no amount.", typed.trim()))?;
    let amount = match rest.trim() {
        "" => number,
        other => {
            let stem = |w: &str| w.trim_end_matches('.').trim_end_matches('s').to_owned();
            let said = stem(other);
            let own = unit.label().to_lowercase();
            if said.len() >= 2 && own.starts_with(&said) || stem(&own) == said {
                number
            } else {
                return Err(format!("{} is counted in {}.", product.name(), unit.of_many(Portion::whole(2))));
            }
        }
    };
    if amount == Portion::NONE { Err("A dose is more than nothing.".into()) } else { Ok(amount) }
}

/// How far the amount that can be measured out may lie from the one that was wished, as a part of it.
const MEASURED_WITHIN: f64 = 0.2;

/// A child's dose as it is wished: `15 mg/kg`, `15 mg/kg/dose`, or `45 mg/kg/day` in as many doses as are taken. Gives the
/// amount that can be measured out; nothing where the text says no such wish.
pub fn amount_by_weight(
    typed: &str,
    often: &Often,
    kg: Option<f64>,
    product: &Product,
) -> Option<Result<Portion, String>> {
    let text: String = typed.to_lowercase().split_whitespace().collect();
    let (wished, rest) = Portion::read_start(&text)?;
    let wished = wished.number();
    let per_dose = match rest {
        "mg/kg" | "mg/kg/dose" => wished,
        "mg/kg/day" | "mg/kg/d" | "mg/kgaday" => wished / often.per_day(),
        _ => return None,
    };
    let Some(kg) = kg else { return Some(Err("The weight is not known: weigh first, or say how much.".into())) };
    let Some(one) = product.milligrams() else {
        return Some(Err(format!("{} has no strength in milligrams; say how many.", product.name())));
    };
    let unit = DoseUnit::of(&product.form, &product.strength);
    let exact = per_dose * kg / one;
    let near = Portion::near(exact, unit.smallest());
    if wished == 0.0 || !exact.is_finite() || (near.number() - exact).abs() > MEASURED_WITHIN * exact {
        let mg = plain(per_dose * kg);
        return Some(Err(format!("{mg} mg of {} cannot be measured out.", product.name())));
    }
    Some(Ok(near))
}

#[cfg(test)]
mod tests {
    use super::super::tests::product;
    use super::*;

    #[test]
    fn amounts_are_typed_in_units_or_in_milligrams() {
        let tablet = product("tablet", "500 mg");
        let liquid = product("suspension", "250 mg/5 mL");
        for (typed, of, amount) in [
            ("1", &tablet, "1"),
            ("half", &tablet, "0.5"),
            ("1 1/2 tab", &tablet, "1.5"),
            ("½", &tablet, "0.5"),
            ("0.33", &tablet, "0.33"),
            ("250 mg", &tablet, "0.5"),
            ("1 g", &tablet, "2"),
            ("2500 mg", &tablet, "5"),
            ("1/2 g", &tablet, "1"),
            ("8 mL", &liquid, "8"),
            ("400 mg", &liquid, "8"),
            ("408mg", &liquid, "8"),
        ] {
            assert_eq!(amount_typed(typed, of).unwrap().to_string(), amount, "{typed}");
        }
        for wrong in ["", "0", "-1", "1e9", "nan", "much", "300 mg", "2 mL", "1/0"] {
            assert!(amount_typed(wrong, &tablet).is_err(), "{wrong}");
        }
        assert_eq!(
            amount_typed("300 mg", &tablet).unwrap_err(),
            "300 mg of Brand 500 mg tablet cannot be measured out; 0.5 tablet is the nearest."
        );
    }

    #[test]
    fn vitamin_d_is_typed_in_units_and_potassium_in_milliequivalents() {
        let of = |ingredient: &str, form: &str, strength: &str| Product {
            ingredients: vec![ingredient.to_owned()],
            ..product(form, strength)
        };
        let vitamin = of("colecalciferol", "capsule", "25 micrograms");
        let weekly = of("ergocalciferol", "capsule", "1250 micrograms");
        let potassium = of("potassium chloride", "solution", "1500 mg/15 mL");
        for (typed, of, amount) in [
            ("2000 units", &vitamin, "2"),
            ("1,000 IU", &vitamin, "1"),
            ("50000 units", &weekly, "1"),
            ("20 mEq", &potassium, "15"),
        ] {
            assert_eq!(amount_typed(typed, of).map(|a| a.to_string()).as_deref(), Ok(amount), "{typed}");
        }
        // Of what nobody weighs a unit of, and of another measure, it is asked.
        for (typed, of) in [
            ("20 mEq", &vitamin),
            ("1000 units", &potassium),
            ("5 mg", &of("insulin glargine", "injection", "100 units/mL")),
        ] {
            assert!(amount_typed(typed, of).is_err(), "{typed}");
        }
    }

    #[test]
    fn a_childs_dose_is_what_can_be_measured_out() {
        let of = |typed: &str, kg, product: &Product| amount_by_weight(typed, &Often::Times(2), kg, product);
        // 80 mg/kg a day in two doses at 11 kg are 8.8 mL of 50 mg/mL.
        let liquid = product("suspension", "250 mg/5 mL");
        let amount = |typed: &str| of(typed, Some(11.0), &liquid).unwrap().unwrap().to_string();
        assert_eq!([amount("80 mg/kg/day"), amount("40 mg/kg"), amount("40mg/kg/dose")], ["9", "9", "9"]);
        assert_eq!(of("8 mL", Some(11.0), &liquid), None, "no wish by weight");
        for (typed, kg, of_what) in [
            ("80 mg/kg/day", None, &liquid),
            ("0 mg/kg", Some(11.0), &liquid),
            ("1 mg/kg", Some(11.0), &liquid),
            ("5 mg/kg", Some(11.0), &product("injection", "100 units/mL")),
        ] {
            assert!(of(typed, kg, of_what).unwrap().is_err(), "{typed} at {kg:?} kg");
        }
    }
}
