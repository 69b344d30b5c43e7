//! A questionnaire as it is written and kept: a line for each thing, so that it is read, changed and compared as text.
//!
//! ```text
//! Over the last two weeks, how often have you been bothered by this?     what is said before the questions
//! answers: Not at all = 0 | Several days = 1                             for the questions that follow
//! 1. Feeling nervous                                                     a question by its number
//! 2. How hard was it? (optional) | Not at all = 0 | Very = 1             with answers of its own
//! 3. Anything else? (words)                                              answered in words
//! score Nerves: 1-2                                                      a sum over questions
//! 0-1 fine                                                               what it means, under the score
//! 2-2 not fine (women) !                                                 for one sex only; beyond what is usual
//! tell 1 from 1: Ask what is behind it.                                  told at once, from so many points on
//! ```

use super::{Alarm, Band, Choice, Question, Questionnaire, Score};
use crate::people::Sex;
use std::fmt::Write;

/// The longest text of a questionnaire, in characters.
pub const LONGEST: usize = 20_000;
/// The most questions that one asks.
pub const MOST_QUESTIONS: usize = 100;

/// Reads a questionnaire. The faults say on which line they are.
pub fn read(id: &str, version: u32, title: &str, text: &str) -> Result<Questionnaire, Vec<String>> {
    let mut q = Questionnaire {
        id: id.to_owned(),
        version,
        title: title.trim().to_owned(),
        lead: String::new(),
        questions: vec![],
        scores: vec![],
        alarms: vec![],
    };
    let mut answers: Vec<Choice> = vec![];
    let mut faults: Vec<String> = vec![];
    for (n, line) in (1..).zip(text.lines()) {
        let line = line.trim();
        if line.is_empty() {
            continue;
        }
        if let Err(fault) = one(&mut q, &mut answers, line) {
            faults.push(format!("Line {n}: {fault}"));
        }
    }
    if q.questions.len() > MOST_QUESTIONS {
        faults.push(format!("A questionnaire asks {MOST_QUESTIONS} questions at most."));
    }
    if faults.is_empty() {
        faults = q.faults();
    }
    if faults.is_empty() { Ok(q) } else { Err(faults) }
}

fn one(q: &mut Questionnaire, answers: &mut Vec<Choice>, line: &str) -> Result<(), String> {
    if let Some(rest) = line.strip_prefix("answers:") {
        *answers = choices(rest.split('|'))?;
    } else if let Some((link, rest)) = numbered(line) {
        q.questions.push(question(link, rest, answers)?);
    } else if let Some(rest) = line.strip_prefix("score ") {
        let (title, of) = rest.rsplit_once(':').ok_or("A score says which questions it counts: “score Title: 1-9”.")?;
        let of = links(of, &q.questions)?;
        q.scores.push(Score { title: title.trim().to_owned(), of, bands: vec![] });
    } else if let Some(rest) = line.strip_prefix("tell ") {
        q.alarms.push(alarm(rest)?);
    } else if let Some((from, to, rest)) = span(line) {
        let score = q.scores.last_mut().ok_or("This means a score, and no score stands before it.")?;
        score.bands.push(band(from, to, rest));
    } else if q.questions.is_empty() {
        q.lead = [q.lead.as_str(), line].join(" ").trim().to_owned();
    } else {
        return Err(format!("“{line}” is no question, score, meaning or sentence to tell."));
    }
    Ok(())
}

/// `12. text`; a question that came from elsewhere may be called `/44250-9`.
fn numbered(line: &str) -> Option<(&str, &str)> {
    let (link, rest) = line.split_once(". ").or_else(|| Some((line.strip_suffix('.')?, "")))?;
    is_link(link).then_some((link, rest.trim()))
}

/// What a question may be called.
pub fn is_link(link: &str) -> bool {
    let begins = link.starts_with(|c: char| c.is_ascii_digit() || c == '/');
    begins && link.len() <= 40 && link.chars().all(|c| c.is_ascii_alphanumeric() || "/-_".contains(c))
}

fn choices<'a>(texts: impl Iterator<Item = &'a str>) -> Result<Vec<Choice>, String> {
    let one = |text: &str| {
        let (text, points) =
            text.rsplit_once('=').ok_or(format!("“{}” does not say what it counts: “No = 0”.", text.trim()))?;
        let points: i32 = points.trim().parse().map_err(|_| format!("“{}” is no number of points.", points.trim()))?;
        if !(-999..=999).contains(&points) {
            return Err("An answer counts 999 points at most.".to_owned());
        }
        Ok(Choice { text: text.trim().to_owned(), points })
    };
    texts.map(one).collect()
}

fn question(link: &str, rest: &str, answers: &[Choice]) -> Result<Question, String> {
    let mut parts = rest.split('|');
    let mut text = parts.next().unwrap_or_default().trim();
    let (mut optional, mut words) = (false, false);
    loop {
        if let Some(before) = text.strip_suffix("(optional)") {
            (text, optional) = (before.trim_end(), true);
        } else if let Some(before) = text.strip_suffix("(words)") {
            (text, words) = (before.trim_end(), true);
        } else {
            break;
        }
    }
    let own = choices(parts)?;
    let choices = match (words, own.is_empty()) {
        (true, true) => vec![],
        (true, false) => return Err("A question is answered in words or by a choice, not both.".to_owned()),
        (false, false) => own,
        (false, true) if answers.is_empty() => {
            return Err("It has no answers: add “| Yes = 1 | No = 0”, or “(words)”.".to_owned());
        }
        (false, true) => answers.to_vec(),
    };
    Ok(Question { link: link.to_owned(), text: text.to_owned(), choices, optional })
}

/// `1-9, 11` among the questions that stand there.
fn links(text: &str, questions: &[Question]) -> Result<Vec<String>, String> {
    let mut out = Vec::new();
    for part in text.split(',') {
        let at = |link: &str| {
            let link = link.trim();
            questions.iter().position(|q| q.link == link).ok_or(format!("There is no question {link}."))
        };
        let (from, to) = match at(part) {
            Ok(_) => (part, part),
            Err(_) => part.split_once('-').unwrap_or((part, part)),
        };
        let (from, to) = (at(from)?, at(to)?);
        let counted =
            questions.get(from..=to).filter(|c| !c.is_empty()).ok_or(format!("“{}” runs backwards.", part.trim()))?;
        out.extend(counted.iter().map(|q| q.link.clone()));
    }
    Ok(out)
}

/// `5-9 mild`.
fn span(line: &str) -> Option<(i32, i32, &str)> {
    let (span, rest) = line.split_once(' ')?;
    let (from, to) = span.split_once('-')?;
    Some((from.parse().ok()?, to.parse().ok()?, rest.trim()))
}

fn band(from: i32, to: i32, rest: &str) -> Band {
    let (rest, raised) = rest.strip_suffix('!').map_or((rest, false), |before| (before.trim_end(), true));
    let (means, sex) = if let Some(before) = rest.strip_suffix("(women)") {
        (before, Some(Sex::Female))
    } else if let Some(before) = rest.strip_suffix("(men)") {
        (before, Some(Sex::Male))
    } else {
        (rest, None)
    };
    Band { from, to, means: means.trim().to_owned(), sex, raised }
}

/// `9 from 1: sentence`.
fn alarm(rest: &str) -> Result<Alarm, String> {
    let fault = "What is told at once says where: “tell 9 from 1: Ask now.”.";
    let (at, sentence) = rest.split_once(':').ok_or(fault)?;
    let (link, from) = at.split_once(" from ").ok_or(fault)?;
    let from = from.trim().parse().map_err(|_| fault)?;
    if sentence.trim().is_empty() {
        return Err(fault.to_owned());
    }
    Ok(Alarm { link: link.trim().to_owned(), from, sentence: sentence.trim().to_owned() })
}

fn answers_in_words(choices: &[Choice]) -> String {
    let one = |c: &Choice| format!("{} = {}", c.text, c.points);
    choices.iter().map(one).collect::<Vec<_>>().join(" | ")
}

/// The questionnaire as text, which [`read`] reads back.
pub fn written(q: &Questionnaire) -> String {
    let mut out = String::new();
    if !q.lead.is_empty() {
        let _ = writeln!(out, "{}", q.lead);
    }
    let mut answers: &[Choice] = &[];
    for (at, question) in q.questions.iter().enumerate() {
        let own = !question.choices.is_empty() && question.choices != answers;
        // Answers that the next question has too are said once.
        let shared = q.questions.get(at + 1).is_some_and(|next| next.choices == question.choices);
        if own && shared {
            let _ = writeln!(out, "answers: {}", answers_in_words(&question.choices));
            answers = &question.choices;
        }
        let _ = write!(out, "{}. {}", question.link, question.text);
        if question.optional {
            out.push_str(" (optional)");
        }
        if question.choices.is_empty() {
            out.push_str(" (words)");
        } else if question.choices != answers {
            let _ = write!(out, " | {}", answers_in_words(&question.choices));
        }
        out.push('\n');
    }
    for score in &q.scores {
        let _ = writeln!(out, "score {}: {}", score.title, score.of.join(", "));
        for b in &score.bands {
            let sex = match b.sex {
                Some(Sex::Female) => " (women)",
                Some(Sex::Male) => " (men)",
                _ => "",
            };
            let _ = writeln!(out, "{}-{} {}{sex}{}", b.from, b.to, b.means, if b.raised { " !" } else { "" });
        }
    }
    for a in &q.alarms {
        let _ = writeln!(out, "tell {} from {}: {}", a.link, a.from, a.sentence);
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::consult::questionnaires::shipped;

    #[test]
    fn what_ships_is_written_and_read_back_as_it_was() {
        for q in shipped() {
            let text = written(&q);
            assert_eq!(read(&q.id, q.version, &q.title, &text), Ok(q), "{text}");
        }
    }

    #[test]
    fn a_clinic_writes_its_own() {
        let text = "How was it?\nanswers: No = 0 | Yes = 2\n1. Cough\n2. Wheeze\n3. Nights (optional) | None = 0 | Some = 1\n\
                    4. What helps? (words)\nscore Chest: 1-3\n0-1 calm\n2-5 not calm !\ntell 2 from 2: Listen to the chest now.";
        let q = read("chest", 1, "Chest", text).unwrap();
        assert_eq!(q.lead, "How was it?");
        assert_eq!(q.questions.len(), 4);
        assert!(q.questions[2].optional && q.questions[3].choices.is_empty());
        assert_eq!(q.scores[0].of, ["1", "2", "3"]);
        assert!(q.scores[0].bands[1].raised);
        assert_eq!(q.alarms[0].from, 2);
        assert_eq!(read("chest", 1, "Chest", &written(&q)), Ok(q));
    }

    #[test]
    fn each_fault_says_where_it_is() {
        for (text, says) in [
            ("1. Cough", "Line 1: It has no answers"),
            ("answers: No", "Line 1: “No” does not say what it counts"),
            ("answers: No = many", "Line 1: “many” is no number of points"),
            ("1. Cough | No = 0 | Yes = 1\nscore Chest: 1-2", "Line 2: There is no question 2."),
            ("1. A (words)\n2. B (words)\nscore Chest: 2-1", "Line 3: “2-1” runs backwards."),
            ("0-4 mild", "Line 1: This means a score, and no score stands before it."),
            ("1. A | No = 0\nwhatever", "Line 2: “whatever” is no question"),
            ("1. A | No = 0 | Yes = 1\ntell 1: now", "Line 2: What is told at once says where"),
            ("1. A (words) | No = 0", "Line 1: A question is answered in words or by a choice"),
            ("1. A | No = 0 | Yes = 1\nscore S: 1\n0-0 fine", "The bands of S end before 1 points"),
            ("1. A | No = 0 | Yes = 1\n1. B | No = 0 | Yes = 1", "Two questions are called 1."),
            ("1. A (words)\n5. B (words)\nscore S: 9", "Line 3: There is no question 9."),
            ("", "It asks nothing."),
        ] {
            let faults = read("x", 1, "X", text).unwrap_err();
            assert!(faults[0].starts_with(says), "{text:?}: {faults:?}");
        }
    }

    proptest::proptest! {
        #[test]
        fn no_text_brings_it_down_and_what_is_read_is_read_back(text in "([0-9]{1,2}[.] ?[a-z()|= 0-9]{0,20}\n|answers: [a-z=|0-9 ]{0,20}\n|score [a-z]{1,4}: [0-9,-]{0,6}\n|[0-9]-[0-9] [a-z!]{0,6}\n|\\PC{0,12}\n){0,8}") {
            if let Ok(q) = read("x", 1, "X", &text) {
                proptest::prop_assert_eq!(read("x", 1, "X", &written(&q)), Ok(q));
            }
        }
    }
}
