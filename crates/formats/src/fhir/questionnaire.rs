//! Questionnaires and what was answered, as FHIR R4 Questionnaire and QuestionnaireResponse.
//!
//! The points of an answer are the standard's own extension `ordinalValue`; what a sum of them means has no place in
//! R4 and goes along as text, in the way in which it is written here.

use super::{resource, text, wrong};
use crate::Located;
use chrono::{DateTime, SecondsFormat, Utc};
use harbor_core::consult::questionnaires::writing::{self, is_link};
use harbor_core::consult::questionnaires::{Answer, Answers, Choice, Question, Questionnaire};
use serde_json::{Value, json};

const POINTS: &str = "http://hl7.org/fhir/StructureDefinition/ordinalValue";
/// The lines of a score, its meanings, and what is told at once.
const SCORING: &str = "urn:indigo-harbor:questionnaire-scoring";
const URL: &str = "urn:indigo-harbor:questionnaire:";

fn is_scoring(line: &str) -> bool {
    line.starts_with("score ") || line.starts_with("tell ")
}

/// A Questionnaire.
pub fn write(q: &Questionnaire) -> Result<String, Located> {
    let item = |question: &Question| {
        let option = |(place, c): (usize, &Choice)| {
            json!({
                "extension": [{ "url": POINTS, "valueDecimal": c.points }],
                "valueCoding": { "code": place.to_string(), "display": c.text }
            })
        };
        let mut item = json!({
            "linkId": question.link, "text": question.text, "required": !question.optional,
            "type": if question.choices.is_empty() { "text" } else { "choice" }
        });
        if !question.choices.is_empty() {
            item["answerOption"] = question.choices.iter().enumerate().map(option).collect();
        }
        item
    };
    let mut out = json!({
        "resourceType": "Questionnaire", "url": format!("{URL}{}", q.id), "version": q.version.to_string(),
        "title": q.title, "status": "active",
        "item": q.questions.iter().map(item).collect::<Vec<_>>()
    });
    if !q.lead.is_empty() {
        out["description"] = json!(q.lead);
    }
    let written = writing::written(q);
    let scoring: Vec<&str> = written.lines().skip_while(|line| !is_scoring(line)).collect();
    if !scoring.is_empty() {
        out["extension"] = json!([{ "url": SCORING, "valueString": scoring.join("\n") }]);
    }
    let out = out.to_string();
    resource(out.as_bytes(), "Questionnaire")?;
    Ok(out)
}

/// A Questionnaire that came in, as title and as the text in which it is written here; that text is read and judged as any
/// other. Answers are choices; what is asked otherwise is answered in words. Groups come without their heads.
pub fn read(bytes: &[u8]) -> Result<(String, String), Located> {
    let value = resource(bytes, "Questionnaire")?;
    let title = [text(&value, "/title"), text(&value, "/name")].into_iter().find(|t| !t.is_empty()).unwrap_or_default();
    let mut questions = Vec::new();
    gather(&value, &mut questions, 0)?;
    let numbered = questions.iter().any(|q| !is_link(&q.link));
    if numbered {
        // Names that cannot be written here become numbers.
        for (n, question) in (1..).zip(&mut questions) {
            question.link = i32::to_string(&n);
        }
    }
    let asked = Questionnaire {
        id: String::new(),
        version: 1,
        title: String::new(),
        lead: one_line(text(&value, "/description")),
        questions,
        scores: vec![],
        alarms: vec![],
    };
    let scoring = value["extension"].as_array().and_then(|all| all.iter().find(|e| e["url"] == SCORING));
    let scoring = scoring.filter(|_| !numbered).and_then(|e| e["valueString"].as_str()).unwrap_or_default();
    Ok((one_line(title), format!("{}{scoring}", writing::written(&asked))))
}

fn one_line(text: &str) -> String {
    text.split_whitespace().collect::<Vec<_>>().join(" ")
}

/// Groups within groups beyond this are no questionnaire that anybody fills in.
const DEEPEST: usize = 8;

fn gather(of: &Value, out: &mut Vec<Question>, depth: usize) -> Result<(), Located> {
    if depth > DEEPEST {
        return Err(wrong("Questionnaire.item", format!("{DEEPEST} groups within each other at most")));
    }
    for item in of["item"].as_array().into_iter().flatten() {
        let kind = text(item, "/type");
        if kind != "group" && kind != "display" {
            out.push(question(item, kind));
        }
        gather(item, out, depth + 1)?;
    }
    Ok(())
}

fn question(item: &Value, kind: &str) -> Question {
    let choice = |option: &Value| {
        let points = option["extension"].as_array().into_iter().flatten().find(|e| e["url"] == POINTS);
        let points = points.and_then(|e| e["valueDecimal"].as_f64()).unwrap_or(0.0);
        let said = ["/valueCoding/display", "/valueCoding/code", "/valueString"].map(|at| text(option, at));
        let said = said.into_iter().find(|t| !t.is_empty()).unwrap_or_default();
        // These signs part answers where they are written.
        let said = one_line(said).replace(['|', '='], "/");
        Choice { text: said, points: points.clamp(-999.0, 999.0).round() as i32 }
    };
    let choices: Vec<Choice> = match kind {
        "boolean" => vec![Choice { text: "No".into(), points: 0 }, Choice { text: "Yes".into(), points: 1 }],
        _ => item["answerOption"].as_array().into_iter().flatten().map(choice).collect(),
    };
    Question {
        link: text(item, "/linkId").to_owned(),
        text: one_line(text(item, "/text")).replace('|', "/"),
        choices,
        optional: item["required"] != true,
    }
}

/// A QuestionnaireResponse; not complete while a score lacks an answer.
pub fn write_answers(
    q: &Questionnaire,
    answers: &Answers,
    record_number: &str,
    at: DateTime<Utc>,
    complete: bool,
) -> Result<String, Located> {
    let item = |question: &Question| {
        let answer = match answers.get(&question.link)? {
            Answer::Words(words) => json!({ "valueString": words }),
            Answer::Chosen(n) => {
                json!({ "valueCoding": { "code": n.to_string(), "display": question.choices.get(*n)?.text } })
            }
        };
        Some(json!({ "linkId": question.link, "text": question.text, "answer": [answer] }))
    };
    let out = json!({
        "resourceType": "QuestionnaireResponse",
        "questionnaire": format!("{URL}{}|{}", q.id, q.version),
        "status": if complete { "completed" } else { "in-progress" },
        "subject": { "identifier": { "system": "urn:indigo-harbor:record", "value": record_number } },
        "authored": at.to_rfc3339_opts(SecondsFormat::Secs, true),
        "item": q.questions.iter().filter_map(item).collect::<Vec<_>>()
    })
    .to_string();
    resource(out.as_bytes(), "QuestionnaireResponse")?;
    Ok(out)
}

/// The questionnaire, version and patient that a QuestionnaireResponse names.
pub fn answered_what(bytes: &[u8]) -> Result<(String, Option<u32>, String), Located> {
    let value = resource(bytes, "QuestionnaireResponse")?;
    let named = text(&value, "/questionnaire");
    let (url, version) = named.split_once('|').map_or((named, None), |(url, v)| (url, v.parse().ok()));
    let entry = url.strip_prefix(URL).unwrap_or(url).to_owned();
    Ok((entry, version, text(&value, "/subject/identifier/value").to_owned()))
}

/// Reads the answers to a questionnaire. A choice is known by its words, or by its place.
pub fn read_answers(bytes: &[u8], q: &Questionnaire) -> Result<Answers, Located> {
    let value = resource(bytes, "QuestionnaireResponse")?;
    let mut out = Answers::new();
    answers_in(&value, q, &mut out, 0)?;
    Ok(out)
}

fn answers_in(of: &Value, q: &Questionnaire, out: &mut Answers, depth: usize) -> Result<(), Located> {
    if depth > DEEPEST {
        return Err(wrong("QuestionnaireResponse.item", format!("{DEEPEST} groups within each other at most")));
    }
    for item in of["item"].as_array().into_iter().flatten() {
        answers_in(item, q, out, depth + 1)?;
        let link = text(item, "/linkId");
        let Some(answer) = item.pointer("/answer/0") else { continue };
        let question = q.questions.iter().find(|question| question.link == link);
        let question = question.ok_or_else(|| {
            wrong("QuestionnaireResponse.item.linkId", format!("a question of {}, not {link}", q.title))
        })?;
        let given = match &answer["valueBoolean"] {
            Value::Bool(yes) => Some(Answer::Chosen(usize::from(*yes))),
            _ if question.choices.is_empty() => {
                Some(text(answer, "/valueString")).filter(|w| !w.is_empty()).map(|w| Answer::Words(w.to_owned()))
            }
            _ => {
                let said = ["/valueCoding/display", "/valueString"].map(|at| one_line(text(answer, at)));
                let by_words = question.choices.iter().position(|c| said.contains(&c.text));
                by_words.or_else(|| text(answer, "/valueCoding/code").parse().ok()).map(Answer::Chosen)
            }
        };
        let given = given.filter(|g| !matches!(g, Answer::Chosen(n) if *n >= question.choices.len()));
        let given = given
            .ok_or_else(|| wrong("QuestionnaireResponse.item.answer", format!("an answer to “{}”", question.text)))?;
        out.insert(link.to_owned(), given);
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use harbor_core::consult::questionnaires::shipped;

    #[test]
    fn what_ships_goes_out_and_comes_back() {
        for q in shipped() {
            let (title, text) = read(write(&q).unwrap().as_bytes()).unwrap();
            assert_eq!(title, q.title);
            assert_eq!(writing::read(&q.id, q.version, &title, &text), Ok(q));
        }
    }

    #[test]
    fn answers_go_out_and_come_back() {
        let q = &shipped()[1];
        let answers: Answers = [("1".to_owned(), Answer::Chosen(3)), ("9".to_owned(), Answer::Chosen(0))].into();
        let at = DateTime::from_timestamp(1_790_000_000, 0).unwrap();
        let out = write_answers(q, &answers, "IH10005", at, false).unwrap();
        assert_eq!(answered_what(out.as_bytes()).unwrap(), (q.id.clone(), Some(1), "IH10005".to_owned()));
        assert_eq!(read_answers(out.as_bytes(), q).unwrap(), answers);
        assert!(out.contains("in-progress"));
        let other = &shipped()[0];
        assert!(read_answers(out.as_bytes(), other).unwrap_err().expected.contains("not 9"));
    }

    #[test]
    fn one_from_elsewhere_is_read_as_far_as_it_goes() {
        let foreign = json!({
            "resourceType": "Questionnaire", "status": "active", "title": "Chest",
            "item": [{ "linkId": "g", "type": "group", "text": "Chest", "item": [
                { "linkId": "/1-2", "type": "boolean", "text": "Cough?" },
                { "linkId": "x", "type": "decimal", "text": "How | many?" },
                { "linkId": "y", "type": "choice", "text": "Where?", "required": true,
                  "answerOption": [{ "valueString": "left = l" }, { "valueString": "right" }] }
            ] }]
        });
        let (title, text) = read(foreign.to_string().as_bytes()).unwrap();
        let q = writing::read("chest", 1, &title, &text).unwrap();
        let links: Vec<&str> = q.questions.iter().map(|q| q.link.as_str()).collect();
        assert_eq!(links, ["1", "2", "3"]);
        assert_eq!(q.questions[0].choices.len(), 2);
        assert!(q.questions[1].choices.is_empty() && q.questions[1].text == "How / many?");
        assert_eq!(q.questions[2].choices[0].text, "left / l");
        assert!(read(br#"{"resourceType":"Questionnaire","status":"active","item":[{"type":"choice"}]}"#).is_err());
        assert!(read(br#"{"resourceType":"Patient"}"#).is_err());
    }
}
