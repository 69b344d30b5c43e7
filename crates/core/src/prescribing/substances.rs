//! What a recorded substance is to the checks of prescribing.

use super::rules::Rules;

/// What medicines are checked against for a recorded substance, in words; nothing where it is only words to the checks.
pub fn substance_in_words(rules: &Rules, said: &str) -> Option<String> {
    let read = super::check::substance_of(rules, said);
    let groups = read.groups.iter().map(|g| g.name.as_str());
    let names: Vec<&str> = groups.chain(read.ingredients.iter().map(|i| i.name.as_str())).collect();
    (!names.is_empty()).then(|| names.join(", "))
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
