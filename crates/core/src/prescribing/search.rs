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
    /// Position of its group among the groups.
    group: u32,
    /// Within the group: by form, then by strength.
    place: u32,
}

/// Products of the same ingredients.
struct Group {
    ingredients: String,
    how_many: u16,
    /// How many products there are: the common ones have more.
    products: usize,
}

/// What was found of a group.
#[derive(Clone, Copy)]
struct Met {
    group: u32,
    liked: u32,
    weight: u16,
    unnamed: u16,
}

/// Of a product that is not meant.
const NOT: u16 = u16::MAX;

/// An index over the products of a clinic.
pub struct MedicineSearch {
    /// Sorted by word; each with the products that it stands for, and how near it is to what is meant.
    words: Vec<(String, Vec<(u32, u16)>)>,
    entries: Vec<Entry>,
    groups: Vec<Group>,
}

impl MedicineSearch {
    pub fn new(rules: &Rules) -> MedicineSearch {
        let mut words: HashMap<String, HashMap<u32, u16>> = HashMap::new();
        let mut entries = Vec::new();
        let mut groups: Vec<Group> = Vec::new();
        let mut known: HashMap<String, u32> = HashMap::new();
        for (at, product) in rules.products().iter().enumerate() {
            let id = u32::try_from(at).unwrap_or(u32::MAX);
            for (word, weight) in words_of(rules, product) {
                let best = words.entry(word).or_default().entry(id).or_insert(weight);
                *best = (*best).min(weight);
            }
            let ingredients = product.ingredients.join(" / ");
            let group = *known.entry(ingredients.clone()).or_insert_with(|| {
                let how_many = u16::try_from(product.ingredients.len()).unwrap_or(u16::MAX);
                groups.push(Group { ingredients, how_many, products: 0 });
                u32::try_from(groups.len() - 1).unwrap_or(u32::MAX)
            });
            groups[group as usize].products += 1;
            entries.push(Entry { group, place: 0 });
        }
        let order = |product: &Product| {
            let form = FORM_ORDER.iter().position(|f| *f == product.form).unwrap_or(FORM_ORDER.len());
            // In milligrams or units of the first ingredient.
            let strength = amounts(&product.strength).and_then(|a| a.first().map(|a| a.number())).unwrap_or(0.0);
            (form, strength)
        };
        let mut placed: Vec<(usize, (usize, f64))> = rules.products().iter().map(order).enumerate().collect();
        placed.sort_by(|(_, x), (_, y)| x.0.cmp(&y.0).then(x.1.total_cmp(&y.1)));
        for (place, (at, _)) in placed.into_iter().enumerate() {
            entries[at].place = u32::try_from(place).unwrap_or(u32::MAX);
        }
        let mut words: Vec<(String, Vec<(u32, u16)>)> =
            words.into_iter().map(|(word, of)| (word, of.into_iter().collect())).collect();
        words.sort_unstable();
        MedicineSearch { words, entries, groups }
    }

    /// Positions of the products that all words mean, the best first, those of one ingredient (or combination) together:
    /// by form, then by strength. `favourites` says how much a product is liked (the clinic's stock, one's own use); what is
    /// liked stands first of its ingredient, and its ingredient before others.
    pub fn find(&self, typed: &str, favourites: &dyn Fn(usize) -> u32) -> Vec<usize> {
        let asked = asked(typed);
        if !asked.iter().any(|w| w.chars().count() >= LETTERS && !w.starts_with(|c: char| c.is_ascii_digit())) {
            return vec![];
        }
        let mut met: Vec<u16> = Vec::new();
        for (n, word) in asked.iter().enumerate() {
            let of_word = self.meant(word);
            if n == 0 {
                met = of_word;
            } else {
                for (weight, more) in met.iter_mut().zip(of_word) {
                    *weight = if *weight == NOT || more == NOT { NOT } else { *weight + more };
                }
            }
        }
        self.ranked(&met, &asked, favourites)
    }

    /// How near each product is to what one word means.
    fn meant(&self, word: &str) -> Vec<u16> {
        let mut out = vec![NOT; self.entries.len()];
        let mut add = |of: &[(u32, u16)], more: u16| {
            for (id, weight) in of {
                let best = &mut out[*id as usize];
                *best = (*best).min(weight + more);
            }
        };
        let number = word.starts_with(|c: char| c.is_ascii_digit());
        let from = self.words.partition_point(|(w, _)| w.as_str() < word);
        let rows = self.words[from..].iter().take_while(|(w, _)| if number { w == word } else { w.starts_with(word) });
        let mut any = false;
        for (w, of) in rows {
            any = true;
            add(of, if w == word { 0 } else { weight::BEGINS });
        }
        if !any && !number && word.len() >= 5 {
            let first = word.chars().next();
            let typed: Vec<char> = word.chars().collect();
            let mut letters: Vec<char> = Vec::new();
            for (w, of) in self.words.iter().filter(|(w, _)| w.chars().next() == first) {
                letters.clear();
                letters.extend(w.chars());
                // A slip in what is typed so far, against as much of the word.
                let begin = &letters[..letters.len().min(typed.len())];
                if one_slip_at_most(begin, &typed) || one_slip_at_most(&letters, &typed) {
                    add(of, weight::SLIP);
                }
            }
        }
        out
    }

    fn ranked(&self, met: &[u16], asked: &[String], favourites: &dyn Fn(usize) -> u32) -> Vec<usize> {
        let unnamed = |g: &Group| {
            let hit = |w: &&String| g.ingredients.split([' ', '/']).any(|i| i.starts_with(w.as_str()));
            let named = u16::try_from(asked.iter().filter(hit).count()).unwrap_or(u16::MAX);
            g.how_many.saturating_sub(named.max(1)) * weight::UNNAMED
        };
        let mut of_group: Vec<Option<Met>> = vec![None; self.groups.len()];
        for (at, weight) in met.iter().enumerate().filter(|(_, weight)| **weight != NOT) {
            let group = self.entries[at].group;
            let found = of_group[group as usize].get_or_insert_with(|| Met {
                group,
                liked: 0,
                weight: NOT,
                unnamed: unnamed(&self.groups[group as usize]),
            });
            found.liked = found.liked.max(favourites(at));
            found.weight = found.weight.min(weight + found.unnamed);
        }
        let mut found: Vec<Met> = of_group.into_iter().flatten().collect();
        let each = (MOST_FOUND / found.len().max(1)).max(3);
        // What is liked comes before what is as near, never before what is nearer.
        found.sort_by_key(|m| {
            let group = &self.groups[m.group as usize];
            (m.weight, Reverse(m.liked), Reverse(group.products), group.ingredients.as_str())
        });
        // So many groups fill the answers, whatever is in them.
        found.truncate(MOST_FOUND);
        let place: HashMap<u32, usize> = found.iter().enumerate().map(|(n, m)| (m.group, n)).collect();
        let mut answers: Vec<(usize, Reverse<u32>, u32, usize)> = met
            .iter()
            .enumerate()
            .filter(|(_, weight)| **weight != NOT)
            .filter_map(|(at, _)| {
                let entry = &self.entries[at];
                Some((*place.get(&entry.group)?, Reverse(favourites(at)), entry.place, at))
            })
            .collect();
        answers.sort_unstable();
        let mut out: Vec<usize> = Vec::with_capacity(MOST_FOUND);
        for group in answers.chunk_by(|x, y| x.0 == y.0) {
            out.extend(group.iter().take(each).map(|(.., at)| *at));
        }
        out.truncate(MOST_FOUND);
        out
    }
}

/// Whether one letter too many, too few, another, or two that changed places make one of the other; or nothing.
fn one_slip_at_most(x: &[char], y: &[char]) -> bool {
    if x.len().abs_diff(y.len()) > 1 {
        return false;
    }
    let same = x.iter().zip(y).take_while(|(a, b)| a == b).count();
    let (x, y) = (&x[same..], &y[same..]);
    match (x, y) {
        ([], _) | (_, []) => true,
        ([_, x_rest @ ..], [_, y_rest @ ..]) => {
            let swapped = || x.len() > 1 && y.len() > 1 && x[0] == y[1] && x[1] == y[0] && x[2..] == y[2..];
            x_rest == y_rest || x_rest == y || x == y_rest || swapped()
        }
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

#[cfg(test)]
mod tests {
    use super::one_slip_at_most;
    use proptest::prelude::*;

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(4000))]
        #[test]
        fn a_slip_is_what_the_distance_of_words_says(x in "[ab]{0,6}", y in "[ab]{0,6}") {
            let letters = |w: &str| w.chars().collect::<Vec<_>>();
            let slip = one_slip_at_most(&letters(&x), &letters(&y));
            prop_assert_eq!(slip, strsim::osa_distance(&x, &y) <= 1, "{} {}", x, y);
        }
    }
}
