//! Charge lines that stand by themselves: what was done and documented, each once, each with the reason why it stands there.

use crate::charges::level::LevelSuggestion;

/// How a blood draw in the house is named among what a service is done by.
pub const BLOOD_DRAW: &str = "@draw";

/// Something that was done in this house.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Deed {
    /// The code of what was ordered and done, or [`BLOOD_DRAW`].
    pub code: String,
    /// Why a line stands there, as a sentence.
    pub reason: String,
    /// The diagnoses that it was for.
    pub diagnoses: Vec<String>,
}

/// A service of the catalogue, as far as lines stand by themselves.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chargeable {
    pub code: String,
    /// A level from 2 to 5, for somebody new or for somebody known.
    pub level: Option<u8>,
    pub new_patient: Option<bool>,
    pub done: Vec<String>,
}

/// A line as it stands by itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnLine {
    pub service: String,
    /// Positions among the visit's diagnoses, from 1; none where nothing says what it was for.
    pub pointers: Vec<u8>,
    pub reason: String,
}

/// What of a visit lines are made of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DoneInVisit {
    pub deeds: Vec<Deed>,
    /// The codes of the visit in their order, each with whether it is only told beside another.
    pub diagnoses: Vec<(String, bool)>,
    pub new_patient: bool,
    /// The level that is documented; nothing where the visit has none, such as one by telephone.
    pub level: Option<LevelSuggestion>,
}

/// At most so many diagnoses a line points at (X12 837P, SV107).
const MOST_POINTERS: usize = 4;

/// The lines that are missing: of what was done, and the level. `there` are the services that stand among the lines already,
/// or that somebody took off.
pub fn own_lines(visit: &DoneInVisit, catalogue: &[Chargeable], there: &[&str]) -> Vec<OwnLine> {
    let free = |s: &&Chargeable| !there.contains(&s.code.as_str());
    let mut out = Vec::new();
    let leveled = catalogue.iter().any(|s| s.level.is_some() && there.contains(&s.code.as_str()));
    if let Some(level) = visit.level.as_ref().filter(|_| !leveled)
        && let Some(wanted) = level.level
    {
        let fits =
            |s: &&Chargeable| s.level == Some(wanted) && s.new_patient.is_none_or(|new| new == visit.new_patient);
        if let Some(service) = catalogue.iter().filter(free).find(fits) {
            let pointers = visit.pointers(|_, additional| !additional);
            out.push(OwnLine { service: service.code.clone(), pointers, reason: level.reasons.join(" ") });
        }
    }
    for service in catalogue.iter().filter(free) {
        let mut deeds = visit.deeds.iter().filter(|d| service.done.contains(&d.code));
        let Some(first) = deeds.next() else { continue };
        let of_all: Vec<&String> = first.diagnoses.iter().chain(deeds.flat_map(|d| &d.diagnoses)).collect();
        let pointers = visit.pointers(|code, _| of_all.contains(&code));
        out.push(OwnLine { service: service.code.clone(), pointers, reason: first.reason.clone() });
    }
    out
}

impl DoneInVisit {
    fn pointers(&self, wanted: impl Fn(&String, bool) -> bool) -> Vec<u8> {
        let fits = self.diagnoses.iter().enumerate().filter(|(_, (code, additional))| wanted(code, *additional));
        fits.filter_map(|(i, _)| u8::try_from(i + 1).ok()).take(MOST_POINTERS).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::charges::level::{VisitEffort, suggest_level};

    fn service(code: &str, level: Option<u8>, new_patient: Option<bool>, done: &[&str]) -> Chargeable {
        Chargeable { code: code.into(), level, new_patient, done: done.iter().map(|d| (*d).to_owned()).collect() }
    }

    fn catalogue() -> Vec<Chargeable> {
        vec![
            service("VISIT3", Some(3), Some(false), &[]),
            service("NEW3", Some(3), Some(true), &[]),
            service("ECG", None, None, &["ECG"]),
            service("DRAW", None, None, &[BLOOD_DRAW]),
        ]
    }

    fn visit() -> DoneInVisit {
        let deed = |code: &str, diagnoses: &[&str]| Deed {
            code: code.into(),
            reason: format!("{code} was done."),
            diagnoses: diagnoses.iter().map(|d| (*d).to_owned()).collect(),
        };
        DoneInVisit {
            deeds: vec![
                deed("ECG", &["I48.91"]),
                deed(BLOOD_DRAW, &["E78.5"]),
                deed(BLOOD_DRAW, &["I48.91"]),
                deed("EYETEST", &[]),
            ],
            diagnoses: vec![("E78.5".into(), false), ("Z68.35".into(), true), ("I48.91".into(), false)],
            new_patient: false,
            level: Some(suggest_level(&VisitEffort { lasting: 1, tests: 2, ..VisitEffort::default() })),
        }
    }

    fn lines(v: &DoneInVisit, there: &[&str]) -> Vec<(String, Vec<u8>)> {
        own_lines(v, &catalogue(), there).into_iter().map(|l| (l.service, l.pointers)).collect()
    }

    #[test]
    fn each_deed_stands_once_and_points_at_what_it_was_for() {
        let expected = [("VISIT3", vec![1, 3]), ("ECG", vec![3]), ("DRAW", vec![1, 3])];
        assert_eq!(lines(&visit(), &[]), expected.map(|(s, p)| (s.to_owned(), p)));
        let reasons: Vec<String> = own_lines(&visit(), &catalogue(), &[]).into_iter().map(|l| l.reason).collect();
        assert!(reasons[0].contains("level 3 by complexity") && reasons[1] == "ECG was done.", "{reasons:?}");
    }

    #[test]
    fn what_stands_or_was_taken_off_does_not_come_again() {
        assert_eq!(lines(&visit(), &["VISIT3", "ECG", "DRAW"]), []);
        assert_eq!(lines(&visit(), &["NEW3"]).len(), 2, "a visit has one level, whoever chose it");
    }

    #[test]
    fn somebody_new_has_the_level_for_somebody_new_and_no_level_is_made_up() {
        let new = DoneInVisit { new_patient: true, ..visit() };
        assert_eq!(lines(&new, &[])[0].0, "NEW3");
        let nothing = DoneInVisit { level: Some(suggest_level(&VisitEffort::default())), deeds: vec![], ..visit() };
        assert_eq!(lines(&nothing, &[]), []);
        let telephone = DoneInVisit { level: None, deeds: vec![], ..visit() };
        assert_eq!(lines(&telephone, &[]), []);
    }

    #[test]
    fn what_was_for_nothing_that_is_told_points_at_nothing() {
        let mut v = visit();
        v.deeds = vec![Deed { code: "ECG".into(), reason: String::new(), diagnoses: vec!["R07.9".into()] }];
        v.level = None;
        assert_eq!(lines(&v, &[]), [("ECG".to_owned(), vec![])]);
    }
}
