//! Questionnaires with scores: what is asked, what the answers come to, and which answer must be told at once.
//!
//! Nothing is guessed: a score with an answer missing is no score, and where a band depends on the sex, somebody of whom it
//! is not known gets no band.

mod shipped;
#[cfg(test)]
mod tests;
pub mod writing;

pub use shipped::shipped;

use crate::people::Sex;
use std::collections::{BTreeMap, BTreeSet};

/// Whether what ships is asked in its shipped version: nobody asked or wrote one as new of it, or ended it.
pub fn ships_still(shipped: u32, kept: Option<(u32, bool)>) -> bool {
    kept.is_none_or(|(version, ended)| version < shipped && !ended)
}

/// A questionnaire in one of its versions; answers are kept with the version that was asked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Questionnaire {
    /// Stable over its versions: `phq-9`.
    pub id: String,
    /// From 1 on.
    pub version: u32,
    pub title: String,
    /// What is said before the questions.
    pub lead: String,
    pub questions: Vec<Question>,
    pub scores: Vec<Score>,
    pub alarms: Vec<Alarm>,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Question {
    /// Stable within the questionnaire; FHIR R4 calls it linkId.
    pub link: String,
    pub text: String,
    /// What may be answered, each with what it counts; nothing to choose from is an answer in words, which counts nothing.
    pub choices: Vec<Choice>,
    /// Whether a score may be told without its answer: it does not count then.
    pub optional: bool,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Choice {
    pub text: String,
    pub points: i32,
}

/// A sum over some of the questions, with what it means.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Score {
    pub title: String,
    /// The links of the questions that count.
    pub of: Vec<String>,
    pub bands: Vec<Band>,
}

/// What a score from `from` to `to`, both included, means.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Band {
    pub from: i32,
    pub to: i32,
    pub means: String,
    /// Only for this sex; for everybody otherwise.
    pub sex: Option<Sex>,
    /// Beyond what is usual: a screen that is positive, a state that asks for a look.
    pub raised: bool,
}

/// An answer that is told at once, whatever the score.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Alarm {
    pub link: String,
    /// From so many points on.
    pub from: i32,
    pub sentence: String,
}

/// What was answered to one question: the place of the choice, counted from 0, or words.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Answer {
    Chosen(usize),
    Words(String),
}

/// The answers by the links of their questions.
pub type Answers = BTreeMap<String, Answer>;

/// What a score came to.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Scored {
    pub title: String,
    /// Nothing while an answer is missing that counts.
    pub points: Option<i32>,
    pub most: i32,
    /// What it means; nothing when no band is sure.
    pub means: Option<String>,
    pub raised: bool,
    /// How many of the questions that count are not answered.
    pub missing: usize,
}

impl Scored {
    /// `PHQ-9: 11 of 27, moderate`.
    pub fn in_words(&self) -> String {
        match (self.points, &self.means) {
            (None, _) if self.missing == 1 => format!("{}: one answer is missing", self.title),
            (None, _) => format!("{}: {} answers are missing", self.title, self.missing),
            (Some(n), Some(means)) => format!("{}: {n} of {}, {means}", self.title, self.most),
            (Some(n), None) => format!("{}: {n} of {}", self.title, self.most),
        }
    }
}

impl Question {
    fn points(&self, answer: Option<&Answer>) -> Option<i32> {
        match answer? {
            Answer::Chosen(n) => self.choices.get(*n).map(|c| c.points),
            Answer::Words(_) => None,
        }
    }

    fn most(&self) -> i32 {
        self.choices.iter().map(|c| c.points).max().unwrap_or(0)
    }

    fn least(&self) -> i32 {
        let least = self.choices.iter().map(|c| c.points).min().unwrap_or(0);
        if self.optional { least.min(0) } else { least }
    }
}

impl Questionnaire {
    fn question(&self, link: &str) -> Option<&Question> {
        self.questions.iter().find(|q| q.link == link)
    }

    /// Answers that the questionnaire cannot take: to no question of it, or no choice of the question.
    pub fn unfit(&self, answers: &Answers) -> Vec<String> {
        let mut out = Vec::new();
        for (link, answer) in answers {
            match (self.question(link), answer) {
                (None, _) => out.push(format!("There is no question {link} any more.")),
                (Some(q), Answer::Chosen(n)) if *n >= q.choices.len() => {
                    out.push(format!("“{}” has no such answer.", q.text));
                }
                (Some(q), Answer::Words(_)) if !q.choices.is_empty() => {
                    out.push(format!("“{}” is answered by a choice.", q.text));
                }
                _ => {}
            }
        }
        out
    }

    /// What the answers come to, for somebody of this sex.
    pub fn score(&self, answers: &Answers, sex: Sex) -> Vec<Scored> {
        self.scores.iter().map(|score| self.one_score(score, answers, sex)).collect()
    }

    fn one_score(&self, score: &Score, answers: &Answers, sex: Sex) -> Scored {
        let counted: Vec<&Question> = score.of.iter().filter_map(|link| self.question(link)).collect();
        let got = |q: &&Question| q.points(answers.get(&q.link));
        let missing = counted.iter().filter(|q| !q.optional && got(q).is_none()).count();
        let points = (missing == 0).then(|| counted.iter().filter_map(got).sum::<i32>());
        let band = points
            .and_then(|n| score.bands.iter().find(|b| (b.from..=b.to).contains(&n) && b.sex.is_none_or(|s| s == sex)));
        Scored {
            title: score.title.clone(),
            points,
            most: counted.iter().map(|q| q.most()).sum(),
            means: band.map(|b| b.means.clone()),
            raised: band.is_some_and(|b| b.raised),
            missing,
        }
    }

    /// What must be told at once, also while other answers are missing.
    pub fn alarms(&self, answers: &Answers) -> Vec<&str> {
        let rings = |a: &&Alarm| {
            let points = self.question(&a.link).and_then(|q| q.points(answers.get(&a.link)));
            points.is_some_and(|n| n >= a.from)
        };
        self.alarms.iter().filter(rings).map(|a| a.sentence.as_str()).collect()
    }

    /// What keeps a questionnaire from being used, in words; nothing when it is sound.
    pub fn faults(&self) -> Vec<String> {
        let mut out = Vec::new();
        if self.title.trim().is_empty() {
            out.push("It has no title.".to_owned());
        }
        if self.questions.is_empty() {
            out.push("It asks nothing.".to_owned());
        }
        let mut links = BTreeSet::new();
        for q in &self.questions {
            if !links.insert(&q.link) {
                out.push(format!("Two questions are called {}.", q.link));
            }
            if q.text.trim().is_empty() {
                out.push(format!("Question {} says nothing.", q.link));
            }
            let texts: BTreeSet<&str> = q.choices.iter().map(|c| c.text.trim()).collect();
            if texts.len() < q.choices.len() || texts.contains("") {
                out.push(format!("The answers of “{}” are not told apart.", q.text));
            }
        }
        for score in &self.scores {
            self.faults_of(score, &mut out);
        }
        for alarm in &self.alarms {
            let within = self.question(&alarm.link).is_some_and(|q| q.most() >= alarm.from);
            if !within {
                out.push(format!("No answer ever tells “{}”.", alarm.sentence));
            }
        }
        out
    }

    fn faults_of(&self, score: &Score, out: &mut Vec<String>) {
        let mut counted: Vec<&Question> = Vec::new();
        for link in &score.of {
            match self.question(link) {
                None => out.push(format!("{} counts a question {link} that is not there.", score.title)),
                Some(q) if q.choices.is_empty() => {
                    out.push(format!("{} counts “{}”, which is answered in words.", score.title, q.text));
                }
                Some(q) => counted.push(q),
            }
        }
        if counted.is_empty() {
            out.push(format!("{} counts nothing.", score.title));
            return;
        }
        let least: i32 = counted.iter().map(|q| q.least()).sum();
        let most: i32 = counted.iter().map(|q| q.most()).sum();
        if score.bands.is_empty() {
            return;
        }
        // Each sex sees bands that follow each other without a gap, from the least to the most points.
        for sex in [Sex::Female, Sex::Male] {
            let mut bands: Vec<&Band> = score.bands.iter().filter(|b| b.sex.is_none_or(|s| s == sex)).collect();
            bands.sort_by_key(|b| b.from);
            let mut next: i32 = least;
            for band in bands {
                if band.from != next || band.to < band.from {
                    out.push(format!("The bands of {} do not follow each other at {next} points.", score.title));
                    return;
                }
                next = band.to + 1;
            }
            if next != most + 1 {
                out.push(format!("The bands of {} end before {most} points, or after.", score.title));
                return;
            }
        }
    }
}
