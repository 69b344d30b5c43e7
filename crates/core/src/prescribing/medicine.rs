//! A medicine as the checks see it: its ingredients with their amounts, and how it is taken.

use super::ingredients::Ingredient;
use super::strength::Amount;

/// One ingredient of a medicine, with how much of it is in one unit of the form.
#[derive(Debug, Clone, Copy)]
pub struct Part<'r> {
    pub ingredient: &'r Ingredient,
    pub amount: Option<Amount>,
}

/// A medicine as the checks see it.
#[derive(Debug, Clone)]
pub struct Medicine<'r> {
    /// What people call it.
    pub label: String,
    pub parts: Vec<Part<'r>>,
    /// Names that no table knows.
    pub unknown: Vec<String>,
    /// Units of the form at a time: 1 tablet, 10 millilitres.
    pub dose: Option<f64>,
    pub per_day: Option<f64>,
}

impl Medicine<'_> {
    /// The same ingredients, whatever the strength.
    pub fn is_the_same_as(&self, other: &Medicine) -> bool {
        let names = |m: &Medicine| {
            let mut names: Vec<String> = m.parts.iter().map(|p| p.ingredient.name.clone()).collect();
            names.sort_unstable();
            names
        };
        !self.parts.is_empty() && names(self) == names(other)
    }
}
