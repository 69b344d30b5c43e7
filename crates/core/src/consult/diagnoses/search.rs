//! Finding a diagnosis by words in any order, beginnings of words, inclusion terms or code fragments.

use super::meanings::FILLERS;
use super::{CodeEntry, CodeProblem, DiagnosisIndex, undot};
use crate::people::fold;
use std::cell::RefCell;
use std::collections::HashMap;

/// One code found.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hit {
    pub code: String,
    pub title: String,
    /// The inclusion term that matched, when the title did not.
    pub found_by: Option<String>,
    /// What is missing before it may be billed.
    pub missing: Option<CodeProblem>,
}

/// Where a word stands: in a title or in an inclusion term.
#[derive(Clone, Copy)]
struct Posting {
    entry: u32,
    in_title: bool,
}

/// All words of a release, sorted, each with the entries it stands in.
pub(super) struct WordIndex {
    vocabulary: Vec<String>,
    postings: Vec<Vec<Posting>>,
    /// Undotted codes, sorted, with their entries.
    codes: Vec<(String, u32)>,
    /// How much an entry is put back: long titles and long codes are more special.
    burden: Vec<i32>,
}

#[derive(Clone, Copy, Default)]
struct Score {
    words: u8,
    total: i32,
    /// The best weight that the present word has found in this entry.
    best_of_word: i32,
}

/// Reused from keystroke to keystroke, so that a search allocates next to nothing. Between searches every score is empty.
#[derive(Default)]
struct Scratch {
    scores: Vec<Score>,
    /// The entries that held the present word.
    touched: Vec<u32>,
}

thread_local! {
    static SCRATCH: RefCell<Scratch> = RefCell::default();
}

/// So many of what one way of looking finds are ranked on; nobody reads further.
const MOST: usize = 100;

const EXACT_IN_TITLE: i32 = 100;
const START_IN_TITLE: i32 = 80;
const EXACT_IN_INCLUSION: i32 = 70;
const START_IN_INCLUSION: i32 = 50;
const BY_CODE: i32 = 200;

impl WordIndex {
    pub(super) fn new(entries: &[CodeEntry]) -> Self {
        let mut words: HashMap<String, Vec<Posting>> = HashMap::with_capacity(32_768);
        let mut codes = Vec::new();
        let mut burden = Vec::with_capacity(entries.len());
        for (i, entry) in entries.iter().enumerate() {
            let title = fold(&entry.title);
            burden.push(burden_of(entry, &title));
            if entry.heading {
                continue;
            }
            codes.push((undot(&entry.code), i as u32));
            let mut put = |text: &str, in_title: bool| {
                for word in text.split(' ').filter(|w| !w.is_empty()) {
                    let posting = Posting { entry: i as u32, in_title };
                    match words.get_mut(word) {
                        Some(list) if list.last().is_some_and(|p| p.entry == posting.entry) => {}
                        Some(list) => list.push(posting),
                        None => {
                            words.insert(word.to_owned(), vec![posting]);
                        }
                    }
                }
            };
            put(&title, true);
            for inclusion in &entry.inclusions {
                put(&fold(inclusion), false);
            }
        }
        codes.sort();
        let mut words: Vec<(String, Vec<Posting>)> = words.into_iter().collect();
        words.sort_unstable_by(|a, b| a.0.cmp(&b.0));
        let (vocabulary, postings) = words.into_iter().unzip();
        WordIndex { vocabulary, postings, codes, burden }
    }
}

/// Long titles and long codes are more special; what is not further specified is what people mean, before its rare
/// siblings; pregnancies, newborns and outer causes are meant only by who says so.
fn burden_of(entry: &CodeEntry, title: &str) -> i32 {
    let length = 2 * title.split(' ').count() as i32 + 3 * entry.code.len() as i32;
    let general = if entry.leaf { 0 } else { 12 };
    let unspecified = entry.leaf && (title.starts_with("unspecified") || title.ends_with("unspecified"));
    let chapter = match entry.code.as_bytes().first() {
        Some(b'O' | b'P') => 12,
        Some(b'V'..=b'Y') => 20,
        Some(b'T' | b'Z') => 5,
        _ => 0,
    };
    length + general + chapter - if unspecified { 10 } else { 0 }
}

/// One word that was typed.
#[derive(Clone)]
pub(super) struct Typed {
    /// Folded.
    pub word: String,
    /// Undotted, when it may be the beginning of a code.
    code: Option<String>,
}

impl Typed {
    pub fn of(word: &str) -> Typed {
        Typed { word: word.to_owned(), code: None }
    }
}

/// The words of a line; one that is written with a dash stands for several.
fn typed_words(line: &str) -> Vec<Typed> {
    let mut out = Vec::new();
    for word in line.split_whitespace().take(12) {
        let code = undot(word);
        let folded = fold(word);
        if looks_like_code(&code) {
            out.push(Typed { word: folded, code: Some(code) });
        } else {
            out.extend(folded.split(' ').filter(|p| !p.is_empty()).map(Typed::of));
        }
    }
    out
}

/// What was found: how far it is put back (less is better), and by which of our own words.
pub(super) struct Found<'a> {
    pub rank: i32,
    pub by: Option<&'a str>,
}

/// Everything found, by entry.
#[derive(Default)]
pub(super) struct Everything<'a>(HashMap<u32, Found<'a>>);

impl<'a> std::ops::Deref for Everything<'a> {
    type Target = HashMap<u32, Found<'a>>;
    fn deref(&self) -> &Self::Target {
        &self.0
    }
}

impl<'a> Everything<'a> {
    /// The better of two ways to find the same entry.
    pub fn keep_better(&mut self, entry: u32, new: Found<'a>) {
        match self.0.get_mut(&entry) {
            Some(was) if was.rank <= new.rank => {}
            Some(was) => *was = new,
            None => {
                self.0.insert(entry, new);
            }
        }
    }

    fn extend_better(&mut self, more: Everything<'a>) {
        for (entry, found) in more.0 {
            self.keep_better(entry, found);
        }
    }
}

impl DiagnosisIndex {
    /// The best `limit` codes for what was typed; `favourites` (dotted codes) come first among the found.
    /// Looked for in the release's titles and inclusion terms, and in our own table of what people say. Where
    /// nothing is found, slips of the finger are forgiven.
    pub fn search(&self, typed: &str, favourites: &[String], limit: usize) -> Vec<Hit> {
        let line: String = typed.chars().take(120).collect();
        let mut words = self.meanings.with_sides(typed_words(&line));
        if words.is_empty() || limit == 0 {
            return vec![];
        }
        let liked: Vec<u32> = favourites.iter().filter_map(|f| self.position(&undot(f))).map(|p| p as u32).collect();
        let mut found = self.find(&words, &liked);
        if found.is_empty() {
            words.retain(|w| !FILLERS.contains(&w.word.as_str()));
            found = self.find(&words, &liked);
        }
        let mut typed: Vec<String> = words.iter().map(|w| w.word.clone()).collect();
        if found.is_empty() {
            for guess in self.put_right(&words) {
                found.extend_better(self.find(&guess, &liked));
                typed.extend(guess.into_iter().map(|w| w.word));
            }
            found.extend_better(self.find_with_one_less(&words, &liked));
        }
        self.go_into_general_ones(&mut found, limit);
        let mut ranked: Vec<(i32, u32, Option<&str>)> = found
            .0
            .into_iter()
            .map(|(entry, f)| {
                let place = liked.iter().position(|p| *p == entry);
                (place.map_or(f.rank, |place| place as i32 - 10_000), entry, f.by)
            })
            .collect();
        if ranked.len() > limit {
            ranked.select_nth_unstable(limit - 1);
            ranked.truncate(limit);
        }
        ranked.sort_unstable();
        let typed: Vec<&str> = typed.iter().map(String::as_str).collect();
        ranked.into_iter().map(|(_, i, by)| self.hit(i as usize, &typed, by)).collect()
    }

    /// The code that these words surely mean: found as they stand, without forgiving a slip or leaving a word out, and
    /// billable as it is. Nothing, when nothing is sure.
    pub fn surely(&self, typed: &str) -> Option<Hit> {
        let line: String = typed.chars().take(120).collect();
        let words = self.meanings.with_sides(typed_words(&line));
        let (entry, found) = self.find(&words, &[]).0.into_iter().min_by_key(|(entry, found)| (found.rank, *entry))?;
        let words: Vec<&str> = words.iter().map(|w| w.word.as_str()).collect();
        Some(self.hit(entry as usize, &words, found.by)).filter(|hit| hit.missing.is_none())
    }

    /// What holds all of the words but one: `bad cough`, `gout flare`.
    fn find_with_one_less(&self, words: &[Typed], liked: &[u32]) -> Everything<'_> {
        let mut all = Everything::default();
        for without in 0..if words.len() > 1 { words.len() } else { 0 } {
            let mut fewer = words.to_vec();
            fewer.remove(without);
            all.extend_better(self.find(&fewer, liked));
        }
        all
    }

    /// Where little was found, the codes below what is too general to bill are offered too.
    fn go_into_general_ones(&self, found: &mut Everything<'_>, enough: usize) {
        let general: Vec<(u32, i32, Option<&str>)> = found
            .iter()
            .filter(|(entry, _)| !self.entries[**entry as usize].leaf)
            .map(|(entry, f)| (*entry, f.rank, f.by))
            .collect();
        for (entry, rank, by) in general {
            if found.len() >= enough {
                return;
            }
            let below = (entry as usize + 1..self.entries.len())
                .take_while(|at| self.parents[*at].is_some_and(|p| p >= entry as usize))
                .filter(|at| self.entries[*at].leaf)
                .take(80);
            for at in below {
                let at = at as u32;
                // Among the general ones themselves, but after what says itself what was typed.
                let beyond = 20 + self.burden(at) / 4;
                found.keep_better(at, Found { rank: rank + beyond, by });
            }
        }
    }

    /// Everything that holds all of the words, by the release's words and by ours.
    fn find(&self, words: &[Typed], liked: &[u32]) -> Everything<'_> {
        let mut found = Everything::default();
        if words.is_empty() {
            return found;
        }
        self.find_in_release(words, (words.len(), None), liked, &mut found);
        self.find_by_meaning(words, liked, &mut found);
        found
    }

    /// Entries whose titles or inclusion terms hold every word, or whose codes begin as typed. `said` is how many words
    /// were typed to say these, and by which of ours.
    pub(super) fn find_in_release<'a>(
        &self,
        words: &[Typed],
        (said, by): (usize, Option<&'a str>),
        liked: &[u32],
        found: &mut Everything<'a>,
    ) {
        SCRATCH.with_borrow_mut(|Scratch { scores, touched }| {
            scores.resize(self.entries.len(), Score::default());
            let mut first: Vec<u32> = Vec::new();
            for (asked, typed) in words.iter().take(200).enumerate() {
                let asked = asked as u8;
                touched.clear();
                if let Some(code) = &typed.code {
                    self.mark_codes(code, asked, scores, touched);
                }
                self.mark_words(&typed.word, asked, scores, touched);
                // Entries that held the word go on.
                for i in touched.iter() {
                    let score = &mut scores[*i as usize];
                    score.words = asked + 1;
                    score.total += score.best_of_word;
                    score.best_of_word = 0;
                }
                if asked == 0 {
                    first.clone_from(touched);
                }
            }
            let asked = words.len().min(200) as i32;
            let rank = |i: u32| self.words.burden[i as usize] - scores[i as usize].total * said as i32 / asked.max(1);
            let mut best: Vec<(i32, u32)> = touched.iter().map(|i| (rank(*i), *i)).collect();
            let liked: Vec<(i32, u32)> = best.iter().filter(|(_, i)| liked.contains(i)).copied().collect();
            if best.len() > MOST {
                best.select_nth_unstable(MOST - 1);
                best.truncate(MOST);
            }
            for (rank, i) in best.into_iter().chain(liked) {
                found.keep_better(i, Found { rank, by });
            }
            for i in first {
                scores[i as usize] = Score::default();
            }
        });
    }

    /// Whether any word of the release begins so.
    pub(super) fn begins_a_word(&self, start: &str) -> bool {
        let vocabulary = &self.words.vocabulary;
        vocabulary.get(vocabulary.partition_point(|w| w.as_str() < start)).is_some_and(|w| w.starts_with(start))
    }

    pub(super) fn vocabulary(&self) -> &[String] {
        &self.words.vocabulary
    }

    /// How far an entry is put back for being special.
    pub(super) fn burden(&self, entry: u32) -> i32 {
        self.words.burden[entry as usize]
    }

    fn mark_words(&self, start: &str, asked: u8, scores: &mut [Score], touched: &mut Vec<u32>) {
        let vocabulary = &self.words.vocabulary;
        let from = vocabulary.partition_point(|w| w.as_str() < start);
        for (word, postings) in
            vocabulary[from..].iter().zip(&self.words.postings[from..]).take_while(|(w, _)| w.starts_with(start))
        {
            let exact = word.len() == start.len();
            for p in postings {
                let weight = match (exact, p.in_title) {
                    (true, true) => EXACT_IN_TITLE,
                    (false, true) => START_IN_TITLE,
                    (true, false) => EXACT_IN_INCLUSION,
                    (false, false) => START_IN_INCLUSION,
                };
                mark(scores, touched, p.entry, asked, weight);
            }
        }
    }

    fn mark_codes(&self, start: &str, asked: u8, scores: &mut [Score], touched: &mut Vec<u32>) {
        // A seventh character or placeholder that was typed already does not hide the code.
        let mut start = start.to_owned();
        while start.len() > 3
            && !self
                .words
                .codes
                .get(self.words.codes.partition_point(|(c, _)| *c < start))
                .is_some_and(|(c, _)| c.starts_with(&start))
        {
            start.pop();
        }
        let from = self.words.codes.partition_point(|(c, _)| *c < start);
        for (_, entry) in self.words.codes[from..].iter().take_while(|(c, _)| c.starts_with(&start)) {
            mark(scores, touched, *entry, asked, BY_CODE);
        }
    }

    fn hit(&self, position: usize, words: &[&str], by: Option<&str>) -> Hit {
        let entry = &self.entries[position];
        let title = fold(&entry.title);
        let in_title = |w: &&str| title.split(' ').any(|t| t.starts_with(w));
        let matched = |inclusion: &str| {
            let folded = fold(inclusion);
            words.iter().filter(|w| folded.split(' ').any(|t| t.starts_with(*w))).count()
        };
        let found_by = match by {
            Some(by) => Some(by.to_owned()),
            None if words.iter().all(in_title) => None,
            None => entry.inclusions.iter().max_by_key(|i| matched(i)).filter(|i| matched(i) > 0).cloned(),
        };
        Hit {
            code: entry.code.clone(),
            title: entry.title.clone(),
            found_by,
            missing: self.billable_as_it_is(position).err(),
        }
    }
}

fn looks_like_code(code: &str) -> bool {
    let bytes = code.as_bytes();
    bytes.len() >= 2 && bytes.len() <= 8 && bytes[0].is_ascii_alphabetic() && bytes[1].is_ascii_digit()
}

/// An entry counts only while every word before was found in it.
fn mark(scores: &mut [Score], touched: &mut Vec<u32>, entry: u32, asked: u8, weight: i32) {
    let score = &mut scores[entry as usize];
    if score.words == asked {
        if score.best_of_word == 0 {
            touched.push(entry);
        }
        score.best_of_word = score.best_of_word.max(weight);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn entry(code: &str, title: &str, inclusions: &[&str]) -> CodeEntry {
        CodeEntry {
            code: code.into(),
            title: title.into(),
            leaf: true,
            inclusions: inclusions.iter().map(|s| (*s).to_owned()).collect(),
            ..CodeEntry::default()
        }
    }

    fn index() -> DiagnosisIndex {
        DiagnosisIndex::new(vec![
            entry("I10", "Essential (primary) hypertension", &["high blood pressure"]),
            entry("I15.0", "Renovascular hypertension", &[]),
            entry("J45.20", "Mild intermittent asthma, uncomplicated", &["Mild intermittent asthma NOS"]),
            entry("R05.3", "Chronic cough", &["Persistent cough", "Refractory cough"]),
            entry("G47.33", "Obstructive sleep apnea (adult) (pediatric)", &["Obstructive sleep apnea hypopnea"]),
        ])
    }

    fn codes(typed: &str) -> Vec<String> {
        index().search(typed, &[], 10).into_iter().map(|h| h.code).collect()
    }

    #[test]
    fn words_in_any_order_and_their_beginnings() {
        assert_eq!(codes("hypertension"), ["I10", "I15.0"]);
        assert_eq!(codes("apn slee"), ["G47.33"]);
        assert_eq!(codes("asth mild"), ["J45.20"]);
        assert_eq!(codes("g47"), ["G47.33"]);
        assert_eq!(codes("j45.20 asthma"), ["J45.20"]);
        assert_eq!(codes("zebra"), [""; 0]);
        assert_eq!(codes("   "), [""; 0]);
    }

    #[test]
    fn inclusion_terms_are_synonyms_and_say_so() {
        let hits = index().search("high blood", &[], 5);
        assert_eq!((hits[0].code.as_str(), hits[0].found_by.as_deref()), ("I10", Some("high blood pressure")));
    }

    #[test]
    fn favourites_come_first() {
        let hits = index().search("hypert", &["I15.0".into()], 5);
        assert_eq!(hits[0].code, "I15.0");
    }

    proptest! {
        #[test]
        fn nothing_panics(text in ".{0,40}") {
            let _ = index().search(&text, &[], 3);
            let _ = index().check_together(&[text]);
        }
    }
}
