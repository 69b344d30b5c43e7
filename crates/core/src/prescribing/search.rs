//! Finding a medicine from three letters on. The index is held in memory: every keystroke of every prescriber asks it.

use super::Product;
use super::rules::Rules;
use super::strength::amounts;
use crate::people::fold;
use std::cmp::Reverse;
use std::collections::HashMap;

/// At most so many answers.
pub const MOST_FOUND: usize = 20;
/// Letters of the first word, from which on is searched.
const LETTERS: usize = 3;

/// How far a kind of word is from what somebody means who types it.
mod weight {
    pub const INGREDIENT: u16 = 0;
    pub const BRAND: u16 = 2;
    pub const ALSO: u16 = 1;
    pub const STRENGTH: u16 = 0;
    pub const FORM: u16 = 0;
    pub const USE: u16 = 6;
    /// A beginning instead of the whole word.
    pub const BEGINS: u16 = 1;
    /// An ingredient that nobody named.
    pub const UNNAMED: u16 = 4;
    /// Read as another word, with a slip.
    pub const SLIP: u16 = 20;
}

/// Words of forms that are not their beginnings.
const FORMS: [(&str, &[&str]); 12] = [
    ("suspension", &["liquid", "child", "children"]),
    ("syrup", &["liquid", "child", "children"]),
    ("solution", &["liquid", "child", "children"]),
    ("inhaler", &["puffer", "mdi", "spray"]),
    ("nebuliser solution", &["nebulizer", "neb"]),
    ("eye drops", &["ophthalmic"]),
    ("ear drops", &["otic"]),
    ("nasal spray", &["nose"]),
    ("injection", &["pen", "shot", "vial"]),
    ("powder", &["sachet"]),
    ("vaginal cream", &["gynaecological"]),
    ("suppository", &["rectal"]),
];

/// Within an ingredient, forms stand in this order; any other after them.
const FORM_ORDER: [&str; 8] = ["tablet", "capsule", "suspension", "solution", "syrup", "inhaler", "cream", "ointment"];

struct Entry {
    ingredients: String,
    how_many: u16,
    form: usize,
    /// In milligrams or units of the first ingredient.
    strength: f64,
    /// Position among the products.
    at: usize,
}

/// What was found of the same ingredients.
struct Group<'e> {
    liked: u32,
    weight: u16,
    entries: Vec<&'e Entry>,
}

/// An index over the products of a clinic.
pub struct MedicineSearch {
    /// Sorted by word; each with the products that it stands for, and how near it is to what is meant.
    words: Vec<(String, Vec<(u32, u16)>)>,
    entries: Vec<Entry>,
    /// How many products there are of the same ingredients: the common ones have more.
    of_group: HashMap<String, usize>,
}

impl MedicineSearch {
    pub fn new(rules: &Rules) -> MedicineSearch {
        let mut words: HashMap<String, HashMap<u32, u16>> = HashMap::new();
        let mut entries = Vec::new();
        let mut of_group: HashMap<String, usize> = HashMap::new();
        for (at, product) in rules.products().iter().enumerate() {
            let id = u32::try_from(at).unwrap_or(u32::MAX);
            for (word, weight) in words_of(rules, product) {
                let best = words.entry(word).or_default().entry(id).or_insert(weight);
                *best = (*best).min(weight);
            }
            let ingredients = product.ingredients.join(" / ");
            *of_group.entry(ingredients.clone()).or_default() += 1;
            entries.push(Entry {
                ingredients,
                how_many: u16::try_from(product.ingredients.len()).unwrap_or(u16::MAX),
                form: FORM_ORDER.iter().position(|f| *f == product.form).unwrap_or(FORM_ORDER.len()),
                strength: amounts(&product.strength).and_then(|a| a.first().map(|a| a.number())).unwrap_or(0.0),
                at,
            });
        }
        let mut words: Vec<(String, Vec<(u32, u16)>)> =
            words.into_iter().map(|(word, of)| (word, of.into_iter().collect())).collect();
        words.sort_unstable();
        MedicineSearch { words, entries, of_group }
    }

    /// Positions of the products that all words mean, the best first, those of one ingredient (or combination) together:
    /// by form, then by strength. `favourites` says how much a product is liked (the clinic's stock, one's own use); what is
    /// liked stands first of its ingredient, and its ingredient before others.
    pub fn find(&self, typed: &str, favourites: &dyn Fn(usize) -> u32) -> Vec<usize> {
        let asked = asked(typed);
        if !asked.iter().any(|w| w.chars().count() >= LETTERS && !w.starts_with(|c: char| c.is_ascii_digit())) {
            return vec![];
        }
        let mut met: HashMap<u32, u16> = HashMap::new();
        for (n, word) in asked.iter().enumerate() {
            let of_word = self.meant(word);
            met = if n == 0 {
                of_word
            } else {
                let both = |(id, weight): (u32, u16)| Some((id, weight + of_word.get(&id)?));
                met.into_iter().filter_map(both).collect()
            };
        }
        self.ranked(met, &asked, favourites)
    }

    /// The products that one word means, with how near.
    fn meant(&self, word: &str) -> HashMap<u32, u16> {
        let mut out: HashMap<u32, u16> = HashMap::new();
        let number = word.starts_with(|c: char| c.is_ascii_digit());
        let from = self.words.partition_point(|(w, _)| w.as_str() < word);
        let rows = self.words[from..].iter().take_while(|(w, _)| if number { w == word } else { w.starts_with(word) });
        let mut add = |of: &[(u32, u16)], more: u16| {
            for (id, weight) in of {
                let best = out.entry(*id).or_insert(u16::MAX);
                *best = (*best).min(weight + more);
            }
        };
        for (w, of) in rows {
            add(of, if w == word { 0 } else { weight::BEGINS });
        }
        if out.is_empty() && !number && word.len() >= 5 {
            let mut add = |of: &[(u32, u16)]| out.extend(of.iter().map(|(id, w)| (*id, w + weight::SLIP)));
            let first = word.chars().next();
            for (w, of) in self.words.iter().filter(|(w, _)| w.chars().next() == first) {
                // A slip in what is typed so far, against as much of the word.
                let begin: String = w.chars().take(word.chars().count()).collect();
                if strsim::osa_distance(&begin, word) <= 1
                    || w.len().abs_diff(word.len()) <= 1 && strsim::osa_distance(w, word) <= 1
                {
                    add(of);
                }
            }
        }
        out
    }

    fn ranked(&self, met: HashMap<u32, u16>, asked: &[String], favourites: &dyn Fn(usize) -> u32) -> Vec<usize> {
        let named = |e: &Entry| {
            let words: Vec<&str> = e.ingredients.split([' ', '/']).collect();
            let hit = |w: &String| words.iter().any(|i| i.starts_with(w.as_str()));
            u16::try_from(asked.iter().filter(|w| hit(w)).count()).unwrap_or(u16::MAX)
        };
        let mut groups: HashMap<&str, Group> = HashMap::new();
        for (id, weight) in met {
            let Some(entry) = self.entries.get(id as usize) else { continue };
            let weight = weight + entry.how_many.saturating_sub(named(entry).max(1)) * weight::UNNAMED;
            let group =
                groups.entry(&entry.ingredients).or_insert(Group { liked: 0, weight: u16::MAX, entries: vec![] });
            group.liked = group.liked.max(favourites(entry.at));
            group.weight = group.weight.min(weight);
            group.entries.push(entry);
        }
        let mut groups: Vec<(&str, Group)> = groups.into_iter().collect();
        // What is liked comes before what is as near, never before what is nearer.
        groups.sort_by_cached_key(|(name, g)| {
            let common = self.of_group.get(*name).copied().unwrap_or(0);
            (g.weight, Reverse(g.liked), Reverse(common), *name)
        });
        let each = (MOST_FOUND / groups.len().max(1)).max(3);
        let mut out = Vec::new();
        for (_, Group { mut entries, .. }) in groups {
            entries.sort_by(|x, y| {
                let liked = |e: &Entry| Reverse(favourites(e.at));
                (liked(x), x.form)
                    .cmp(&(liked(y), y.form))
                    .then(x.strength.total_cmp(&y.strength))
                    .then(x.at.cmp(&y.at))
            });
            out.extend(entries.iter().take(each).map(|e| e.at));
        }
        out.truncate(MOST_FOUND);
        out
    }
}

/// What was typed, word by word: numbers without their unit, letters folded.
fn asked(typed: &str) -> Vec<String> {
    let typed = typed.replace(',', ".");
    let words = typed.split(|c: char| c.is_whitespace() || c == '+' || c == ';').filter(|w| !w.is_empty());
    let mut out: Vec<String> = Vec::new();
    for word in words.take(8) {
        if word.starts_with(|c: char| c.is_ascii_digit()) {
            let number: String = word.chars().take_while(|c| c.is_ascii_digit() || matches!(c, '.' | '/')).collect();
            out.push(number.trim_end_matches(['/', '.']).to_owned());
        } else {
            // A unit that stands alone says nothing that its number does not.
            let folded = fold(word);
            let is_unit = matches!(folded.as_str(), "mg" | "mcg" | "g" | "ml" | "micrograms" | "of" | "for");
            out.extend(folded.split(' ').filter(|w| !w.is_empty() && !is_unit).map(str::to_owned));
        }
    }
    out
}

fn words_of(rules: &Rules, product: &Product) -> Vec<(String, u16)> {
    let mut out = Vec::new();
    let mut add = |text: &str, weight: u16| {
        out.extend(fold(text).split(' ').filter(|w| !w.is_empty()).map(|w| (w.to_owned(), weight)));
    };
    add(&product.brand, weight::BRAND);
    add(&product.form, weight::FORM);
    add(&product.route, weight::FORM);
    if let Some((_, words)) = FORMS.iter().find(|(form, _)| *form == product.form) {
        words.iter().for_each(|w| add(w, weight::FORM));
    }
    for name in &product.ingredients {
        add(name, weight::INGREDIENT);
        if let Some(ingredient) = rules.ingredient(name, &product.form) {
            ingredient.also.iter().for_each(|w| add(w, weight::ALSO));
            ingredient.uses.iter().for_each(|w| add(w, weight::USE));
        }
    }
    // `400/57 mg/5 mL` is found by 400, 57, 400/57 and 400/5.
    let numbers: String =
        product.strength.chars().take_while(|c| c.is_ascii_digit() || matches!(c, '.' | '/')).collect();
    let per =
        product.strength.rsplit_once('/').and_then(|(_, of)| of.split(' ').next()).filter(|n| n.parse::<f64>().is_ok());
    for number in numbers.split('/') {
        out.push((number.to_owned(), weight::STRENGTH));
        out.extend(per.map(|per| (format!("{number}/{per}"), weight::STRENGTH)));
    }
    out.push((numbers, weight::STRENGTH));
    out
}
