//! What a recorded substance is to the checks of prescribing.

use super::Product;

/// Families that people are allergic to as a whole, with the beginnings of their ATC codes.
pub(super) const ALLERGY_FAMILIES: [(&str, &[&str]); 6] = [
    ("penicillin", &["J01C"]),
    ("cephalosporin", &["J01DB", "J01DC", "J01DD", "J01DE"]),
    ("sulfonamide", &["J01E"]),
    ("nsaid", &["M01A", "N02BA"]),
    ("statin", &["C10AA"]),
    ("macrolide", &["J01FA"]),
];

/// What a recorded substance is to the checks: an ingredient, a family, or only words that no medicine is checked against.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Substance {
    Family(&'static str),
    Ingredient(String),
    Words,
}

impl Substance {
    /// What medicines are checked against; nothing where it is only words.
    pub fn in_words(&self) -> Option<String> {
        match self {
            Substance::Family(family) => Some(format!("{family} family")),
            Substance::Ingredient(ingredient) => Some(ingredient.clone()),
            Substance::Words => None,
        }
    }
}

/// Reads a substance as the checks do.
pub fn substance<'p>(said: &str, products: impl IntoIterator<Item = &'p Product>) -> Substance {
    let name = substance_read(said);
    if let Some((family, _)) = ALLERGY_FAMILIES.iter().find(|(family, _)| says(&name, family)) {
        return Substance::Family(family);
    }
    let is_said = |i: &&String| name.split(' ').any(|w| w == i.as_str());
    let found = products.into_iter().find_map(|p| p.ingredients.iter().find(is_said));
    found.map_or(Substance::Words, |i| Substance::Ingredient(i.clone()))
}

/// The international name of what the United States call otherwise; names come from the adopted lists of both.
pub fn international(name: String) -> String {
    const OTHERWISE: [(&str, &str); 11] = [
        ("albuterol", "salbutamol"),
        ("acetaminophen", "paracetamol"),
        ("glyburide", "glibenclamide"),
        ("epinephrine", "adrenaline"),
        ("cyclosporine", "ciclosporin"),
        ("cholecalciferol", "colecalciferol"),
        ("beclomethasone", "beclometasone"),
        ("clavulanate", "clavulanic"),
        ("hctz", "hydrochlorothiazide"),
        ("levothyroxin", "levothyroxine"),
        ("torsemide", "torasemide"),
    ];
    OTHERWISE.iter().find(|(here, _)| *here == name).map_or(name, |(_, there)| (*there).to_owned())
}

/// A recorded substance as the checks read it: folded, by its international name, and what is abbreviated in full.
pub fn substance_read(said: &str) -> String {
    const SHORT: [(&str, &str); 6] = [
        ("pcn", "penicillin"),
        ("pen", "penicillin"),
        ("sulfa", "sulfonamide"),
        ("sulpha", "sulfonamide"),
        ("sulphonamide", "sulfonamide"),
        ("sulphonamides", "sulfonamide"),
    ];
    let word = |w: &str| {
        let full = SHORT.iter().find(|(short, _)| *short == w).map_or(w, |(_, full)| *full);
        international(full.to_owned())
    };
    crate::people::fold(said).split(' ').map(word).collect::<Vec<_>>().join(" ")
}

/// Whether a name as it is read says a family.
pub(super) fn says(name: &str, family: &str) -> bool {
    family == name.trim_end_matches('s') || name.contains(family)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn propranolol() -> Product {
        Product {
            code: "propravel-40".into(),
            brand: "Propravel".into(),
            ingredients: vec!["propranolol".into()],
            atc: "C07AA05".into(),
            form: "tablet".into(),
            strength_mg: 40.0,
            strength: "40 mg".into(),
            route: "oral".into(),
            usual_dose: 1.0,
            usual_per_day: 2.0,
            usual_days: 7,
            max_mg_per_day: 160.0,
            from_age: 12,
        }
    }

    #[test]
    fn a_substance_is_a_family_an_ingredient_or_only_words() {
        let known = [propranolol()];
        assert_eq!(substance("Penicillins", &known), Substance::Family("penicillin"));
        assert_eq!(substance("Propranolol (old)", &known), Substance::Ingredient("propranolol".into()));
        assert_eq!(substance("peanut", &known), Substance::Words);
        for (short, family) in [("PCN", "penicillin"), ("sulfa drugs", "sulfonamide"), ("NSAIDs", "nsaid")] {
            assert_eq!(substance(short, &known), Substance::Family(family), "{short}");
        }
    }
}
