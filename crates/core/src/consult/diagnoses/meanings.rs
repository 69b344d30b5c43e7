//! What people say: abbreviations of the trade, lay words, sides, and slips of the finger.

use super::search::{Everything, Found, Typed};
use super::{CodeProblem, DiagnosisIndex};
use crate::people::fold;
use std::collections::BTreeMap;

/// A row of our own table: what is said, and what it means.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Meaning {
    /// `heart attack`, `htn`.
    pub words: String,
    /// The same in the release's words, for finding what more words narrow; may be empty.
    pub means: String,
    /// What is meant when nothing more is said, most likely first. A seventh character may still be missing.
    pub codes: Vec<String>,
}

struct Row {
    said: String,
    words: Vec<String>,
    means: Vec<String>,
    entries: Vec<u32>,
}

#[derive(Default)]
pub(super) struct Meanings {
    rows: Vec<Row>,
    /// All words of the rows, sorted, each with the rows that say it.
    words: Vec<(String, Vec<u32>)>,
}

/// Words that narrow nothing.
pub(super) const FILLERS: [&str; 18] = [
    "of",
    "the",
    "in",
    "with",
    "and",
    "on",
    "to",
    "a",
    "an",
    "my",
    "nos",
    "unspecified",
    "due",
    "has",
    "for",
    "at",
    "by",
    "some",
];

const SIDES: [&str; 3] = ["right", "left", "bilateral"];

/// How much better than the release's own words a row is: said whole, begun, and with more words beside it.
const SAID_WHOLE: i32 = 250;
const BEGUN: i32 = 90;
const NARROWED: i32 = 60;
/// How many words are tried for one that is none.
const GUESSES: usize = 3;
/// What a further code of the same row is put back.
const NEXT_OF_ROW: i32 = 5;

impl Meanings {
    pub(super) fn new(rows: Vec<Meaning>, index: &DiagnosisIndex) -> Result<Self, CodeProblem> {
        let split = |text: &str| -> Vec<String> { fold(text).split(' ').map(str::to_owned).collect() };
        let mut made = Vec::with_capacity(rows.len());
        for row in rows {
            let mut entries = Vec::with_capacity(row.codes.len());
            for code in &row.codes {
                match index.resolve(code) {
                    Ok(_) | Err(CodeProblem::NeedsSeventh { .. }) => {}
                    Err(problem) => return Err(problem),
                }
                let position = index.position(&super::undot(code)).ok_or_else(|| CodeProblem::Unknown(code.clone()))?;
                entries.push(position as u32);
            }
            let means = if row.means.is_empty() { vec![] } else { split(&row.means) };
            made.push(Row { words: split(&row.words), said: row.words, means, entries });
        }
        let mut said: BTreeMap<String, Vec<u32>> = BTreeMap::new();
        for (at, row) in made.iter().enumerate() {
            for word in &row.words {
                said.entry(word.clone()).or_default().push(at as u32);
            }
        }
        let words = said.into_iter().collect();
        Ok(Meanings { rows: made, words })
    }

    /// Sides as people shorten them: `R ankle sprain`, `lt knee`. A letter that stands alone is none.
    pub(super) fn with_sides(&self, words: Vec<Typed>) -> Vec<Typed> {
        if words.len() < 2 {
            return words;
        }
        words
            .into_iter()
            .map(|typed| match typed.word.as_str() {
                "r" | "rt" => Typed::of(SIDES[0]),
                "l" | "lt" => Typed::of(SIDES[1]),
                "bilat" | "both" | "bl" => Typed::of(SIDES[2]),
                _ => typed,
            })
            .collect()
    }
}

impl Meanings {
    /// The rows that say any of the words.
    fn touched_by(&self, typed: &[Typed]) -> impl Iterator<Item = &Row> {
        let mut rows: Vec<u32> = Vec::new();
        for (at, typed_word) in typed.iter().enumerate() {
            let word = typed_word.word.as_str();
            let from = self.words.partition_point(|(w, _)| w.as_str() < word);
            let is_last = at + 1 == typed.len();
            let begins = |w: &str| w == word || w.strip_suffix('s') == Some(word) || is_last && word.len() >= 3;
            let starting =
                self.words[from..].iter().take_while(|(w, _)| w.starts_with(word)).filter(|(w, _)| begins(w));
            rows.extend(starting.flat_map(|(_, rows)| rows));
            if let Some(one) = word.strip_suffix('s')
                && let Ok(found) = self.words.binary_search_by(|(w, _)| w.as_str().cmp(one))
            {
                rows.extend(&self.words[found].1);
            }
        }
        rows.sort_unstable();
        rows.dedup();
        rows.into_iter().map(|at| &self.rows[at as usize])
    }
}

/// The same word, one or several: `headaches`, `headache`.
fn is_same(typed: &str, word: &str) -> bool {
    let several = |one: &str, more: &str| one.len() > 3 && more.strip_suffix('s') == Some(one);
    typed == word || several(word, typed) || several(typed, word)
}

impl Row {
    /// The typed words that this row does not need, and whether the last one was only begun; nothing when a word of the
    /// row was not typed. Only the last typed word may be a beginning.
    fn left_of(&self, typed: &[Typed]) -> Option<(Vec<usize>, bool)> {
        if self.words.len() > typed.len() {
            return None;
        }
        let mut used = vec![false; typed.len()];
        let mut begun = false;
        for word in &self.words {
            let whole = typed.iter().enumerate().find(|(i, t)| !used[*i] && is_same(&t.word, word)).map(|(i, _)| i);
            let at = whole.or_else(|| {
                let last = typed.len() - 1;
                let begins = !used[last] && typed[last].word.len() >= 3 && word.starts_with(&typed[last].word);
                begun |= begins;
                begins.then_some(last)
            })?;
            used[at] = true;
        }
        Some(((0..typed.len()).filter(|i| !used[*i]).collect(), begun))
    }
}

impl DiagnosisIndex {
    /// What the words mean by our own table.
    pub(super) fn find_by_meaning<'a>(&'a self, typed: &[Typed], liked: &[u32], found: &mut Everything<'a>) {
        let mut said_whole: Vec<(&Row, Vec<usize>)> = Vec::new();
        for row in self.meanings.touched_by(typed) {
            let Some((left, begun)) = row.left_of(typed) else { continue };
            let more: Vec<&str> = left.iter().map(|i| typed[*i].word.as_str()).collect();
            let better = match (begun, more.is_empty()) {
                (true, _) => BEGUN,
                (false, true) => SAID_WHOLE,
                (false, false) => NARROWED,
            };
            for (place, entry) in self.meant(row, &more).enumerate() {
                let rank = self.burden(entry).min(60) - 100 * typed.len() as i32 - better + NEXT_OF_ROW * place as i32;
                found.keep_better(entry, Found { rank, by: Some(&row.said) });
            }
            if !begun && !row.means.is_empty() {
                said_whole.push((row, left));
            }
        }
        // What is said longest says most; each costs a search of its own.
        said_whole.sort_by_key(|(row, _)| std::cmp::Reverse(row.words.len()));
        for (row, left) in said_whole.into_iter().take(2) {
            let mut words: Vec<Typed> = row.means.iter().map(|w| Typed::of(w)).collect();
            words.extend(left.into_iter().map(|i| typed[i].clone()));
            self.find_in_release(&words, (typed.len(), Some(&row.said)), liked, found);
        }
    }

    /// The codes of a row that hold the further words too: on the side that was said.
    fn meant<'a>(&'a self, row: &'a Row, more: &[&str]) -> impl Iterator<Item = u32> + 'a {
        let side = SIDES.iter().find(|s| more.contains(s)).copied();
        let more: Vec<String> =
            more.iter().filter(|w| !FILLERS.contains(w) && !SIDES.contains(w)).map(|w| (*w).to_owned()).collect();
        row.entries.iter().filter_map(move |e| {
            let entry = match side {
                Some(side) => self.on_side(*e, side)?,
                None => *e,
            };
            more.iter().all(|w| self.holds(entry, w)).then_some(entry)
        })
    }

    fn holds(&self, entry: u32, start: &str) -> bool {
        let entry = &self.entries[entry as usize];
        std::iter::once(&entry.title)
            .chain(&entry.inclusions)
            .any(|text| fold(text).split(' ').any(|w| w.starts_with(start)))
    }

    /// The sibling that says the same of one side: the one whose title differs least.
    fn on_side(&self, entry: u32, side: &str) -> Option<u32> {
        let bag = |at: usize| -> Vec<String> {
            let title = fold(&self.entries[at].title);
            title.split(' ').filter(|w| !matches!(*w, "unspecified" | "of" | "the")).map(str::to_owned).collect()
        };
        let position = entry as usize;
        let own = bag(position);
        if own.iter().any(|w| w == side) {
            return Some(entry);
        }
        let parent = self.parents[position]?;
        (parent + 1..self.entries.len())
            .take_while(|at| self.parents[*at].is_some_and(|p| p >= parent))
            .filter(|at| self.parents[*at] == Some(parent) && *at != position)
            .filter_map(|at| {
                let words = bag(at);
                words.iter().any(|w| w == side).then(|| {
                    let strange = words.iter().filter(|w| *w != side && !own.contains(w)).count();
                    let lost = own.iter().filter(|w| !words.contains(w)).count();
                    (strange + lost, at)
                })
            })
            .min()
            .map(|(_, at)| at as u32)
    }

    /// What may have been meant by words that are in no list as they stand, likeliest first. When each word begins
    /// something, one of them may still be a slip that happens to be a word.
    pub(super) fn put_right(&self, typed: &[Typed]) -> Vec<Vec<Typed>> {
        let known = |t: &Typed| {
            let words = &self.meanings.words;
            let ours =
                words.get(words.partition_point(|(w, _)| *w < t.word)).is_some_and(|(w, _)| w.starts_with(&t.word));
            ours || self.begins_a_word(&t.word)
        };
        let strange: Vec<bool> = typed.iter().map(|t| !known(t)).collect();
        let some_strange = strange.contains(&true);
        let near: Vec<Vec<&str>> = typed
            .iter()
            .zip(&strange)
            .map(|(t, strange)| if *strange || !some_strange { self.near(&t.word, !some_strange) } else { vec![] })
            .collect();
        let mut guesses = Vec::new();
        for choice in 0..GUESSES {
            if some_strange {
                let with = typed.iter().zip(&near).zip(&strange).map(|((t, near), strange)| {
                    match (near.get(choice), strange) {
                        (Some(word), true) => Some(Typed::of(word)),
                        (None, true) => near.first().map(|word| Typed::of(word)),
                        _ => Some(t.clone()),
                    }
                });
                guesses.extend(with.collect::<Option<Vec<Typed>>>());
                continue;
            }
            for (i, near) in near.iter().enumerate() {
                if let Some(word) = near.get(choice) {
                    let mut guess = typed.to_vec();
                    guess[i] = Typed::of(word);
                    guesses.push(guess);
                }
            }
        }
        guesses
    }

    /// Words one slip away, two for long ones: a letter too many, missing, wrong, or two changed over. The beginning of
    /// a longer word counts too; `other` leaves out what begins as it was typed.
    fn near(&self, typed: &str, other: bool) -> Vec<&str> {
        let length = typed.len();
        if length < 4 || !typed.is_ascii() {
            return vec![];
        }
        let slips = if length >= 8 { 2 } else { 1 };
        let letters = mask(typed);
        let bytes = typed.as_bytes();
        // What people say is meant before what only the release says, and what they often say before the rest.
        let ours = self.meanings.words.iter().map(|(w, rows)| (usize::MAX - rows.len(), w));
        let mut near: Vec<(usize, usize, usize, &str)> = ours
            .chain(self.vocabulary().iter().map(|w| (usize::MAX, w)))
            .filter(|(_, w)| {
                if other && w.starts_with(typed) {
                    return false;
                }
                let w = w.as_bytes();
                // The first letter is seldom wrong, but may be dropped, doubled or changed over.
                w.len() + slips >= length && w.len() > 1 && (w[0] == bytes[0] || w[1] == bytes[0] || w[0] == bytes[1])
            })
            .filter_map(|(list, word)| {
                let whole =
                    if word.len() <= length + slips { slips_between(typed, word, letters, slips) } else { None };
                let begun = if word.len() > length && word.is_ascii() {
                    slips_between(typed, &word[..length], letters, slips)
                } else {
                    None
                };
                // A whole word is meant before one that is begun.
                let best = whole.map(|d| 2 * d).into_iter().chain(begun.map(|d| 2 * d + 1)).min()?;
                Some((best, list, word.len(), word.as_str()))
            })
            .collect();
        near.sort_unstable();
        let mut words: Vec<&str> = near.into_iter().map(|(_, _, _, word)| word).collect();
        words.dedup();
        words.truncate(GUESSES);
        words
    }
}

/// A bit for each letter that stands in a word.
fn mask(word: &str) -> u32 {
    word.bytes().filter(u8::is_ascii_lowercase).fold(0, |m, b| m | 1 << (b - b'a'))
}

/// How many slips lie between two words, when they are few enough.
fn slips_between(typed: &str, word: &str, letters: u32, most: usize) -> Option<usize> {
    // A slip changes at most two of the letters that occur: cheap to see, and it spares nearly all the rest.
    if (mask(word) ^ letters).count_ones() as usize > 2 * most {
        return None;
    }
    match one_slip(typed.as_bytes(), word.as_bytes()) {
        Some(slips) => Some(slips),
        None if most < 2 => None,
        None => Some(strsim::osa_distance(typed, word)).filter(|d| *d <= most),
    }
}

/// Whether two words are the same, or one slip lies between them; without room of its own, since it is asked of thousands.
fn one_slip(a: &[u8], b: &[u8]) -> Option<usize> {
    let same = a.iter().zip(b).take_while(|(x, y)| x == y).count();
    let (ra, rb) = (&a[same..], &b[same..]);
    match (ra, rb) {
        ([], []) => Some(0),
        ([x1, x2, x @ ..], [y1, y2, y @ ..]) if x1 == y2 && x2 == y1 && x == y => Some(1),
        ([_, x @ ..], [_, y @ ..]) if x == y => Some(1),
        ([_, x @ ..], y) if x == y => Some(1),
        (x, [_, y @ ..]) if x == y => Some(1),
        _ => None,
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn one_slip_is_what_the_distance_says(a in "[abc]{0,6}", b in "[abc]{0,6}") {
            let exact = strsim::osa_distance(&a, &b);
            prop_assert_eq!(one_slip(a.as_bytes(), b.as_bytes()), Some(exact).filter(|d| *d <= 1));
        }
    }
}
