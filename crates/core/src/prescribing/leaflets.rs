//! What a patient reads about an ingredient, in plain words of our own: what it is for, how to take it, what to watch, when
//! to call. A word of the narrowest row counts; where that has none, the next wider one's.

use super::Rules;
use super::ingredients::{Ingredient, Term};

/// A row of the table; empty words are left to a wider row.
#[derive(Debug, Clone, PartialEq)]
pub struct LeafletRow {
    pub medicine: Term,
    pub what_for: String,
    pub how: String,
    pub watch: String,
    pub call: String,
}

/// A leaflet with all its words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Leaflet {
    pub what_for: String,
    pub how: String,
    pub watch: String,
    pub call: String,
}

/// The leaflet of an ingredient; nothing where a part of it is in no row: half a leaflet would look like a whole one.
pub fn leaflet(rules: &Rules, ingredient: &Ingredient) -> Option<Leaflet> {
    let mut rows: Vec<&LeafletRow> = rules.leaflets.iter().filter(|r| r.medicine.means(ingredient)).collect();
    rows.sort_by_key(|r| std::cmp::Reverse(r.medicine.narrowness()));
    let word = |of: fn(&LeafletRow) -> &String| rows.iter().map(|r| of(r)).find(|w| !w.is_empty()).cloned();
    Some(Leaflet {
        what_for: word(|r| &r.what_for)?,
        how: word(|r| &r.how)?,
        watch: word(|r| &r.watch)?,
        call: word(|r| &r.call)?,
    })
}
