//! Finding a diagnosis by words in any order, beginnings of words, inclusion terms or code fragments.

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

thread_local! {
    /// Reused from keystroke to keystroke, so that a search allocates next to nothing.
    static SCORES: RefCell<Vec<Score>> = const { RefCell::new(Vec::new()) };
}

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
            burden.push(
                2 * title.split(' ').count() as i32 + 3 * entry.code.len() as i32 + if entry.leaf { 0 } else { 12 },
            );
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

impl DiagnosisIndex {
    /// The best `limit` codes for what was typed; `favourites` (dotted codes) come first among the found.
    pub fn search(&self, typed: &str, favourites: &[String], limit: usize) -> Vec<Hit> {
        let query: String = typed.chars().take(120).collect();
        let words: Vec<String> = query.split_whitespace().take(12).map(str::to_owned).collect();
        if words.is_empty() || limit == 0 {
            return vec![];
        }
        SCORES.with_borrow_mut(|scores| {
            scores.clear();
            scores.resize(self.entries.len(), Score::default());
            let mut asked = 0u8;
            for word in &words {
                let code = undot(word);
                let as_code = looks_like_code(&code);
                let folded = fold(word);
                // One typed word may fold into several ("non-st").
                let parts: Vec<&str> = folded.split(' ').filter(|p| !p.is_empty()).collect();
                if as_code {
                    self.mark_codes(&code, asked, scores);
                    if let [part] = parts.as_slice() {
                        self.mark_words(part, asked, scores);
                    }
                    asked += 1;
                    settle(scores, asked);
                } else {
                    for part in parts {
                        self.mark_words(part, asked, scores);
                        asked += 1;
                        settle(scores, asked);
                    }
                }
            }
            if asked == 0 {
                return vec![];
            }
            let mut found: Vec<(i32, u32)> = scores
                .iter()
                .enumerate()
                .filter(|(_, s)| s.words == asked)
                .map(|(i, s)| (self.words.burden[i] - s.total, i as u32))
                .collect();
            for (rank, i) in &mut found {
                if favourites.iter().any(|f| self.is_or_extends(f, *i)) {
                    *rank -= 10_000;
                }
            }
            if found.len() > limit {
                found.select_nth_unstable(limit - 1);
                found.truncate(limit);
            }
            found.sort_unstable();
            found.into_iter().map(|(_, i)| self.hit(i as usize, &words)).collect()
        })
    }

    fn is_or_extends(&self, favourite: &str, entry: u32) -> bool {
        let code = undot(&self.entries[entry as usize].code);
        undot(favourite) == code
    }

    fn mark_words(&self, start: &str, asked: u8, scores: &mut [Score]) {
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
                mark(&mut scores[p.entry as usize], asked, weight);
            }
        }
    }

    fn mark_codes(&self, start: &str, asked: u8, scores: &mut [Score]) {
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
            mark(&mut scores[*entry as usize], asked, BY_CODE);
        }
    }

    fn hit(&self, position: usize, words: &[String]) -> Hit {
        let entry = &self.entries[position];
        let in_title = |w: &String| fold(&entry.title).split(' ').any(|t| t.starts_with(&fold(w)));
        let found_by = if words.iter().all(in_title) {
            None
        } else {
            entry.inclusions.iter().max_by_key(|i| {
                let folded = fold(i);
                words.iter().filter(|w| folded.split(' ').any(|t| t.starts_with(&fold(w)))).count()
            })
        };
        let found_by = found_by.filter(|i| words.iter().any(|w| fold(i).split(' ').any(|t| t.starts_with(&fold(w)))));
        Hit {
            code: entry.code.clone(),
            title: entry.title.clone(),
            found_by: found_by.cloned(),
            missing: self.billable_as_it_is(position).err(),
        }
    }
}

fn looks_like_code(code: &str) -> bool {
    let bytes = code.as_bytes();
    bytes.len() >= 2 && bytes.len() <= 8 && bytes[0].is_ascii_alphabetic() && bytes[1].is_ascii_digit()
}

/// An entry counts only while every word before was found in it.
fn mark(score: &mut Score, asked: u8, weight: i32) {
    if score.words == asked {
        score.best_of_word = score.best_of_word.max(weight);
    }
}

/// Closes a word: entries that held it go on.
fn settle(scores: &mut [Score], asked: u8) {
    for s in scores {
        if s.best_of_word > 0 {
            s.words = asked;
            s.total += s.best_of_word;
            s.best_of_word = 0;
        }
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
