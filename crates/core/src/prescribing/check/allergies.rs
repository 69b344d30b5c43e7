//! Allergies: to the ingredient itself, to its group, and what crosses over.

use super::{Prescribed, Told, because, pair};
use crate::consult::Reaction;
use crate::people::fold;
use crate::prescribing::Severity;
use crate::prescribing::findings::{Allergy, FindingKind, Patient};
use crate::prescribing::ingredients::Ingredient;
use crate::prescribing::rules::{AllergyGroup, AllergyTerm, Rules};

/// What a recorded substance is to the checks.
#[derive(Debug, Default)]
pub struct SubstanceRead<'r> {
    pub groups: Vec<&'r AllergyGroup>,
    pub ingredients: Vec<&'r Ingredient>,
}

impl SubstanceRead<'_> {
    /// Words that no medicine is checked against.
    pub fn is_only_words(&self) -> bool {
        self.groups.is_empty() && self.ingredients.is_empty()
    }
}

/// Reads a substance as it was written: groups and ingredients by any of their names, in one or in several.
pub fn substance_of<'r>(rules: &'r Rules, said: &str) -> SubstanceRead<'r> {
    let text = format!(" {} ", fold(said));
    let says = |word: &String| {
        let word = fold(word);
        text.contains(&format!(" {word} ")) || text.contains(&format!(" {word}s "))
    };
    let groups = rules.allergy_groups.iter().filter(|g| g.words.iter().any(says)).collect();
    SubstanceRead { groups, ingredients: rules.spoken_of(said) }
}

/// Reactions that can kill, or may not come twice. A reaction that nobody recorded may have been one.
fn was_severe(allergy: &Allergy) -> bool {
    const WORDS: [&str; 18] = [
        "anaphyl",
        "angio",
        "swell",
        "swollen",
        "throat",
        "tongue",
        "breath",
        "wheez",
        "asthma",
        "shock",
        "collapse",
        "stevens",
        "necroly",
        "dress",
        "blister",
        "faint",
        "intensive",
        "hospital",
    ];
    let reaction = allergy.reaction.to_lowercase();
    match allergy.severity {
        Some(Reaction::Severe) => true,
        _ if WORDS.iter().any(|w| reaction.contains(w)) => true,
        None => reaction.trim().is_empty(),
        Some(_) => false,
    }
}

pub(super) fn check(rules: &Rules, item: &Prescribed, patient: &Patient, told: &mut Told) {
    if !patient.allergies_asked {
        told.missing(Severity::Caution, "allergies", "Nobody has asked about allergies yet.".to_owned());
    }
    for allergy in &patient.allergies {
        let read = substance_of(rules, &allergy.substance);
        if read.is_only_words() {
            let sentence = format!("Allergy to “{}” is only in words; not checked against it.", allergy.substance);
            told.missing(Severity::Caution, &format!("allergy {}", fold(&allergy.substance)), sentence);
            continue;
        }
        for part in &item.medicine.parts {
            if let Some((severity, sentence)) = against(rules, allergy, &read, part.ingredient) {
                let about = pair(&fold(&allergy.substance), &part.ingredient.name);
                told.tell(severity, FindingKind::Allergy, about, sentence);
            }
        }
    }
}

/// The gravest that one allergy says about one ingredient.
fn against(
    rules: &Rules,
    allergy: &Allergy,
    read: &SubstanceRead,
    ingredient: &Ingredient,
) -> Option<(Severity, String)> {
    let reaction = allergy.reaction.trim();
    let reaction = if reaction.is_empty() { String::new() } else { format!(" ({reaction})") };
    let start = format!("Allergic to {}{reaction}", allergy.substance);
    let name = &ingredient.name;
    if read.ingredients.iter().any(|i| i.name == *name) {
        return Some((Severity::Serious, format!("{start}: {name} is just that.")));
    }
    if let Some(group) = read.groups.iter().find(|g| g.members.iter().any(|m| m.means(ingredient))) {
        return Some((Severity::Serious, format!("{start}: {name} is one of the {}.", group.name)));
    }
    let severe = was_severe(allergy);
    let crosses = |from: &AllergyTerm| match from {
        AllergyTerm::Medicine(term) => read.ingredients.iter().any(|i| term.means(i)),
        AllergyTerm::Group(name) => read.groups.iter().any(|g| g.name == *name),
    };
    let rows = rules.cross_reactions.iter().filter(|r| r.medicine.means(ingredient) && crosses(&r.allergy));
    let grave = |r: &crate::prescribing::rules::CrossReaction| if severe { r.severe } else { r.mild };
    let row = rows.max_by_key(|r| (r.medicine.narrowness(), grave(r)))?;
    Some((grave(row), format!("{start}; {name}: {}", because(&row.reason, &row.instead))))
}
