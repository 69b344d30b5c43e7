//! The questionnaires that ship with it, each free to use, with the source of its bands.

use super::{Alarm, Band, Choice, Question, Questionnaire, Score};
use crate::people::Sex;

fn choices(texts: &[&str]) -> Vec<Choice> {
    (0..).zip(texts).map(|(points, text)| Choice { text: (*text).into(), points }).collect()
}

fn questions(texts: &[&str], answers: &[&str]) -> Vec<Question> {
    (1..)
        .zip(texts)
        .map(|(n, text)| Question {
            link: n.to_string(),
            text: (*text).into(),
            choices: choices(answers),
            optional: false,
        })
        .collect()
}

fn band(from: i32, to: i32, means: &str, raised: bool) -> Band {
    Band { from, to, means: means.into(), sex: None, raised }
}

fn score_of(title: &str, questions: &[Question], bands: Vec<Band>) -> Score {
    Score { title: title.into(), of: questions.iter().map(|q| q.link.clone()).collect(), bands }
}

const TWO_WEEKS: &str = "Over the last two weeks, how often have you been bothered by any of the following problems?";
const HOW_OFTEN: [&str; 4] = ["Not at all", "Several days", "More than half the days", "Nearly every day"];
const MOOD: [&str; 9] = [
    "Little interest or pleasure in doing things",
    "Feeling down, depressed, or hopeless",
    "Trouble falling or staying asleep, or sleeping too much",
    "Feeling tired or having little energy",
    "Poor appetite or overeating",
    "Feeling bad about yourself, or that you are a failure or have let yourself or your family down",
    "Trouble concentrating on things, such as reading the newspaper or watching television",
    "Moving or speaking so slowly that other people could have noticed; or the opposite, being so fidgety or restless \
     that you have been moving around a lot more than usual",
    "Thoughts that you would be better off dead or of hurting yourself in some way",
];
const WORRY: [&str; 7] = [
    "Feeling nervous, anxious, or on edge",
    "Not being able to stop or control worrying",
    "Worrying too much about different things",
    "Trouble relaxing",
    "Being so restless that it is hard to sit still",
    "Becoming easily annoyed or irritable",
    "Feeling afraid, as if something awful might happen",
];

/// PHQ-2, PHQ-9, GAD-7 and AUDIT-C.
pub fn shipped() -> Vec<Questionnaire> {
    vec![phq_2(), phq_9(), gad_7(), audit_c()]
}

/// Two questions for depression; positive from 3 of 6 (Kroenke, Spitzer, Williams, Medical Care 2003).
fn phq_2() -> Questionnaire {
    let questions = questions(&MOOD[..2], &HOW_OFTEN);
    let bands = vec![band(0, 2, "screen negative", false), band(3, 6, "screen positive: ask on with the PHQ-9", true)];
    Questionnaire {
        id: "phq-2".into(),
        version: 1,
        title: "PHQ-2".into(),
        lead: TWO_WEEKS.into(),
        scores: vec![score_of("PHQ-2", &questions, bands)],
        questions,
        alarms: vec![],
    }
}

/// Nine questions for depression and how severe it is (Kroenke, Spitzer, Williams, Journal of General Internal Medicine 2001).
fn phq_9() -> Questionnaire {
    let mut questions = questions(&MOOD, &HOW_OFTEN);
    let bands = vec![
        band(0, 4, "none or minimal", false),
        band(5, 9, "mild", false),
        band(10, 14, "moderate", true),
        band(15, 19, "moderately severe", true),
        band(20, 27, "severe", true),
    ];
    let scores = vec![score_of("PHQ-9", &questions, bands)];
    // Beside the score: it counts nothing.
    questions.push(Question {
        link: "10".into(),
        text: "How difficult have these problems made it for you to do your work, take care of things at home, or get \
               along with other people?"
            .into(),
        choices: choices(&["Not difficult at all", "Somewhat difficult", "Very difficult", "Extremely difficult"]),
        optional: true,
    });
    Questionnaire {
        id: "phq-9".into(),
        version: 1,
        title: "PHQ-9".into(),
        lead: TWO_WEEKS.into(),
        questions,
        scores,
        alarms: vec![Alarm {
            link: "9".into(),
            from: 1,
            sentence: "Thoughts of being better off dead or of self-harm: ask about it now.".into(),
        }],
    }
}

/// Seven questions for anxiety (Spitzer, Kroenke, Williams, Löwe, Archives of Internal Medicine 2006).
fn gad_7() -> Questionnaire {
    let questions = questions(&WORRY, &HOW_OFTEN);
    let bands = vec![
        band(0, 4, "minimal", false),
        band(5, 9, "mild", false),
        band(10, 14, "moderate", true),
        band(15, 21, "severe", true),
    ];
    Questionnaire {
        id: "gad-7".into(),
        version: 1,
        title: "GAD-7".into(),
        lead: TWO_WEEKS.into(),
        scores: vec![score_of("GAD-7", &questions, bands)],
        questions,
        alarms: vec![],
    }
}

/// Three questions about alcohol; positive from 3 for women and from 4 for men (Bush and others, Archives of Internal Medicine
/// 1998; Bradley and others, Archives of Internal Medicine 2003).
fn audit_c() -> Questionnaire {
    let ask = |n: u8, text: &str, answers: &[&str]| Question {
        link: n.to_string(),
        text: text.into(),
        choices: choices(answers),
        optional: false,
    };
    let questions = vec![
        ask(
            1,
            "How often do you have a drink containing alcohol?",
            &["Never", "Monthly or less", "2 to 4 times a month", "2 to 3 times a week", "4 or more times a week"],
        ),
        ask(
            2,
            "How many drinks containing alcohol do you have on a typical day when you are drinking?",
            &["1 or 2, or none", "3 or 4", "5 or 6", "7 to 9", "10 or more"],
        ),
        ask(
            3,
            "How often do you have six or more drinks on one occasion?",
            &["Never", "Less than monthly", "Monthly", "Weekly", "Daily or almost daily"],
        ),
    ];
    let for_sex = |from, to, means, raised, sex| Band { sex: Some(sex), ..band(from, to, means, raised) };
    let bands = vec![
        for_sex(0, 2, "screen negative", false, Sex::Female),
        for_sex(3, 12, "screen positive", true, Sex::Female),
        for_sex(0, 3, "screen negative", false, Sex::Male),
        for_sex(4, 12, "screen positive", true, Sex::Male),
    ];
    Questionnaire {
        id: "audit-c".into(),
        version: 1,
        title: "AUDIT-C".into(),
        lead: String::new(),
        scores: vec![score_of("AUDIT-C", &questions, bands)],
        questions,
        alarms: vec![],
    }
}
