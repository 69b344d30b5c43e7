//! Text templates: words with fields between braces, which are filled in where the words were put.
//!
//! | written | asks for |
//! |---|---|
//! | `{how long}` | words |
//! | `{side: left \| right}` | one of these, or other words |
//! | `{temperature: number °C}` | a number, with its unit |
//! | `{since: date}` | a date |
//! | `{? No fever or chills.}` | whether the sentence is said |
//! | `{= allergies}` | nothing: it is what the chart says |
//!
//! A field that nobody filled stands in the note as it stands in the template, and is told before the note is signed. What the
//! chart does not know stays a field too: nothing is made up.

use crate::fields::typed_date::{self, Sense};
use crate::people::fold;
use chrono::NaiveDate;

coded! {
    /// What a template takes from the chart.
    ChartFact {
        Name = "name", "name";
        Age = "age", "age";
        Sex = "sex", "sex";
        Reason = "reason", "reason";
        Allergies = "allergies", "allergies";
        Medicines = "medicines", "medicines";
        Problems = "problems", "problems";
        BloodPressure = "blood_pressure", "blood pressure";
        Pulse = "pulse", "pulse";
        Temperature = "temperature", "temperature";
        Weight = "weight", "weight";
        Height = "height", "height";
        LastVisit = "last_visit", "last visit";
    }
}

coded! {
    /// What a field asks for.
    FieldKind {
        Words = "words", "words";
        Choice = "choice", "one of these";
        Number = "number", "a number";
        Date = "date", "a date";
        Optional = "optional", "said or not";
        Fact = "fact", "from the chart";
    }
}

/// A field of a template, or of a note in which it was not filled yet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TextField {
    pub kind: FieldKind,
    /// With its braces, as it stands in the text.
    pub source: String,
    /// What is asked; the sentence of an optional one.
    pub label: String,
    /// Of a choice.
    pub choices: Vec<String>,
    /// Of a number; may be empty.
    pub unit: String,
}

/// The longest field, in characters; what is longer between braces is prose.
const LONGEST_FIELD: usize = 400;

impl TextField {
    /// Reads what stands between two braces; nothing when it is no field.
    fn read(inner: &str) -> Option<TextField> {
        let long = inner.chars().count() > LONGEST_FIELD;
        if long || inner.contains(['\n', '{', '}']) || !inner.chars().any(char::is_alphanumeric) {
            return None;
        }
        let field = |kind, label: &str| TextField {
            kind,
            source: format!("{{{inner}}}"),
            label: label.trim().to_owned(),
            choices: vec![],
            unit: String::new(),
        };
        if let Some(sentence) = inner.strip_prefix('?') {
            return Some(field(FieldKind::Optional, sentence));
        }
        if let Some(fact) = inner.strip_prefix('=') {
            return Some(field(FieldKind::Fact, fact));
        }
        let Some((label, rest)) = inner.split_once(':') else { return Some(field(FieldKind::Words, inner)) };
        let rest = rest.trim();
        if rest.contains('|') {
            let choices: Vec<String> =
                rest.split('|').map(str::trim).filter(|c| !c.is_empty()).map(str::to_owned).collect();
            return Some(TextField { choices, ..field(FieldKind::Choice, label) });
        }
        if rest == "date" {
            return Some(field(FieldKind::Date, label));
        }
        match rest.strip_prefix("number") {
            Some(unit) if unit.is_empty() || unit.starts_with(' ') => {
                Some(TextField { unit: unit.trim().to_owned(), ..field(FieldKind::Number, label) })
            }
            _ => Some(field(FieldKind::Words, inner)),
        }
    }

    /// The fact that it takes from the chart, by code or words; nothing when there is none of that name.
    pub fn fact(&self) -> Option<ChartFact> {
        let said = fold(&self.label);
        let is = |f: &&ChartFact| said == fold(f.label()) || said == f.code();
        (self.kind == FieldKind::Fact).then(|| ChartFact::ALL.iter().find(is).copied()).flatten()
    }

    /// What stands in the text for an answer, or what is wrong with it.
    pub fn answered(&self, typed: &str, today: NaiveDate) -> Result<String, String> {
        let typed = typed.trim();
        match self.kind {
            FieldKind::Number => {
                let number = typed.strip_suffix(self.unit.as_str()).unwrap_or(typed).trim().replace(',', ".");
                let is_number = number.parse::<f64>().is_ok_and(f64::is_finite)
                    && number.chars().all(|c| c.is_ascii_digit() || c == '.' || c == '-');
                match is_number {
                    false => Err(format!("“{typed}” is no number; {} is asked for as one.", self.label)),
                    // 7/10, but 37.4 °C.
                    true if self.unit.starts_with('/') => Ok(format!("{number}{}", self.unit)),
                    true => Ok([number.as_str(), &self.unit].join(" ").trim_end().to_owned()),
                }
            }
            FieldKind::Date => typed_date::parse(typed, today, Sense::Any)
                .map(typed_date::in_words)
                .map_err(|fault| format!("{}: {fault}", self.label)),
            _ => Ok(typed.to_owned()),
        }
    }
}

enum Piece<'a> {
    Words(&'a str),
    Field(TextField),
}

fn pieces(text: &str) -> Vec<Piece<'_>> {
    let mut out = Vec::new();
    let mut rest = text;
    while let Some(open) = rest.find('{') {
        let after = &rest[open + 1..];
        match after.find('}').and_then(|close| Some((close, TextField::read(&after[..close])?))) {
            Some((close, field)) => {
                out.push(Piece::Words(&rest[..open]));
                out.push(Piece::Field(field));
                rest = &after[close + 1..];
            }
            // A brace that opens nothing is a letter like others.
            None => {
                out.push(Piece::Words(&rest[..=open]));
                rest = after;
            }
        }
    }
    out.push(Piece::Words(rest));
    out
}

/// The fields that stand in a text, in their order: of a template, or not filled yet in a note.
pub fn fields(text: &str) -> Vec<TextField> {
    let field = |piece| match piece {
        Piece::Field(field) => Some(field),
        Piece::Words(_) => None,
    };
    pieces(text).into_iter().filter_map(field).collect()
}

/// The words of a template for one chart: its facts stand there, as far as they are known; all else stays a field.
pub fn with_facts(text: &str, known: impl Fn(ChartFact) -> Option<String>) -> String {
    let mut out = String::with_capacity(text.len());
    for piece in pieces(text) {
        match piece {
            Piece::Words(words) => out.push_str(words),
            Piece::Field(field) => match field.fact().and_then(&known) {
                // What comes from the chart brings no fields of its own.
                Some(fact) => out.push_str(&fact.replace(['{', '}'], " ")),
                None if field.kind == FieldKind::Fact && field.fact().is_some() => {
                    out.push_str(&format!("{{{}: not known}}", field.label));
                }
                None => out.push_str(&field.source),
            },
        }
    }
    out
}

/// What keeps a template from being kept, in words; nothing when it is sound.
pub fn faults(text: &str) -> Vec<String> {
    let mut out = Vec::new();
    for field in fields(text) {
        match field.kind {
            FieldKind::Fact if field.fact().is_none() => {
                let known: Vec<&str> = facts_in_words();
                out.push(format!("The chart knows no “{}”; it knows {}.", field.label, known.join(", ")));
            }
            FieldKind::Choice if field.choices.len() < 2 => {
                out.push(format!("“{}” leaves nothing to choose from.", field.source));
            }
            _ if field.label.is_empty() => out.push(format!("“{}” does not say what it asks.", field.source)),
            _ => {}
        }
    }
    let opened = text.matches('{').count();
    if opened != text.matches('}').count() || opened != fields(text).len() {
        out.push("A brace opens or closes no field.".to_owned());
    }
    out
}

/// What a template may take from the chart.
pub fn facts_in_words() -> Vec<&'static str> {
    ChartFact::ALL.iter().map(|f| f.label()).collect()
}

/// How well a template answers to words, 0 for not at all: its title first, then the complaints that it is for.
pub fn fits(title: &str, complaints: &str, words: &str) -> u32 {
    let words = fold(words);
    let words: Vec<&str> = words.split_whitespace().collect();
    let begins = |text: &str| {
        let folded = fold(text);
        let own: Vec<&str> = folded.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty()).collect();
        !words.is_empty() && words.iter().all(|w| own.iter().any(|o| o.starts_with(w)))
    };
    if words.is_empty() {
        0
    } else if fold(title) == words.join(" ") {
        4
    } else if begins(title) {
        3
    } else if begins(&format!("{title} {complaints}")) {
        2
    } else {
        0
    }
}

/// Whether a complaint, as somebody came with it, is one that a template is for: one of its complaints stands in it whole.
pub fn is_for(complaints: &str, reason: &str) -> bool {
    let reason = format!(" {} ", fold(reason));
    complaints.split(',').map(fold).any(|c| !c.is_empty() && reason.contains(&format!(" {c} ")))
}

#[cfg(test)]
mod tests {
    use super::*;

    fn kinds(text: &str) -> Vec<(FieldKind, String)> {
        fields(text).into_iter().map(|f| (f.kind, f.label)).collect()
    }

    #[test]
    fn each_kind_of_field_is_read() {
        let text = "Cough for {how long}, {cough: dry | wet}, up to {temperature: number °C} since {since: date}. {? No fever.} \
                    Allergies: {= allergies}";
        let kinds = kinds(text);
        let expected = [
            (FieldKind::Words, "how long"),
            (FieldKind::Choice, "cough"),
            (FieldKind::Number, "temperature"),
            (FieldKind::Date, "since"),
            (FieldKind::Optional, "No fever."),
            (FieldKind::Fact, "allergies"),
        ];
        assert_eq!(kinds, expected.map(|(k, l)| (k, l.to_owned())));
        assert_eq!(fields(text)[1].choices, ["dry", "wet"]);
        assert_eq!(fields(text)[2].unit, "°C");
        assert!(faults(text).is_empty());
    }

    #[test]
    fn braces_of_prose_are_prose() {
        for text in ["{", "}", "{}", "a { b", "{ }", "{\n}", "{{}}", "{!}"] {
            assert_eq!(fields(text), [], "{text:?}");
        }
        assert_eq!(kinds("{ {side}"), [(FieldKind::Words, "side".to_owned())]);
        assert_eq!(fields(&format!("{{{}}}", "a".repeat(LONGEST_FIELD + 1))), []);
    }

    #[test]
    fn the_chart_fills_what_it_knows_and_nothing_else() {
        let known = |fact| match fact {
            ChartFact::Allergies => Some("penicillin {hives}".to_owned()),
            _ => None,
        };
        let text = "{= allergies}; {= weight}; {= blood group}; {side: left | right}";
        let filled = with_facts(text, known);
        assert_eq!(filled, "penicillin  hives ; {weight: not known}; {= blood group}; {side: left | right}");
        let left: Vec<FieldKind> = fields(&filled).into_iter().map(|f| f.kind).collect();
        assert_eq!(left, [FieldKind::Words, FieldKind::Fact, FieldKind::Choice], "what is not known is still asked");
    }

    #[test]
    fn answers_are_what_was_asked_for() {
        let today = NaiveDate::from_ymd_opt(2026, 11, 30).unwrap();
        let text = "{temperature: number °C} {since: date} {how}";
        let [number, date, words] = &fields(text)[..] else { panic!() };
        assert_eq!(number.answered("37,4", today).unwrap(), "37.4 °C");
        assert_eq!(number.answered("37.4 °C", today).unwrap(), "37.4 °C");
        let [pain] = &fields("{pain: number /10}")[..] else { panic!() };
        assert_eq!(pain.answered("7", today).unwrap(), "7/10");
        assert_eq!(pain.answered("7/10", today).unwrap(), "7/10");
        for no in ["warm", "", "1e3", "inf", "NaN", "3 7"] {
            assert!(number.answered(no, today).is_err(), "{no}");
        }
        assert_eq!(date.answered("11/24/2026", today).unwrap(), typed_date::in_words(today - chrono::Days::new(6)));
        assert!(date.answered("some time", today).unwrap_err().starts_with("since: "));
        assert_eq!(words.answered(" badly ", today).unwrap(), "badly");
    }

    #[test]
    fn a_template_that_asks_nothing_sensible_is_refused() {
        for (text, says) in [
            ("{= blood group}", "The chart knows no “blood group”"),
            ("{side: left |}", "“{side: left |}” leaves nothing"),
            ("{side", "A brace opens or closes no field."),
            ("side}", "A brace opens or closes no field."),
        ] {
            assert!(faults(text)[0].starts_with(says), "{text}: {:?}", faults(text));
        }
    }

    #[test]
    fn a_template_is_found_by_title_and_complaint() {
        assert!(fits("Sore throat", "pharyngitis", "sore throat") > fits("Sore throat", "pharyngitis", "throat"));
        assert!(fits("Sore throat", "pharyngitis", "phar") > 0);
        assert_eq!(fits("Sore throat", "pharyngitis", "knee"), 0);
        assert_eq!(fits("Sore throat", "pharyngitis", " "), 0);
        assert!(is_for("sore throat, pharyngitis", "Sore throat, fever"));
        assert!(!is_for("sore throat", "throaty"));
        assert!(!is_for("", "throat"));
    }

    proptest::proptest! {
        #[test]
        fn no_text_brings_it_down_and_words_stay(text in "[ a-z{}?=:|\\n]{0,60}|\\PC{0,60}") {
            let _ = faults(&text);
            let filled = with_facts(&text, |_| None);
            if fields(&text).iter().all(|f| f.kind != FieldKind::Fact) {
                proptest::prop_assert_eq!(filled, text);
            }
        }
    }
}
