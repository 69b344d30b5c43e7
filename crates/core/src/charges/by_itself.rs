//! Charge lines that stand by themselves: what was done and documented, each once, each with the reason why it stands there.

mod vaccines;

pub use vaccines::{GIVING, GIVING_FURTHER, Vaccine, is_done_code};

use crate::charges::level::LevelSuggestion;
use vaccines::vaccine_deeds;

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
    /// How often it was done, from 1.
    pub times: u32,
}

/// A service of the catalogue, as far as lines stand by themselves.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Chargeable {
    pub code: String,
    /// A level from 2 to 5, for somebody new or for somebody known.
    pub level: Option<u8>,
    pub new_patient: Option<bool>,
    pub done: Vec<String>,
    /// With how many units and which modifiers a line begins.
    pub units: u32,
    pub modifiers: Vec<String>,
    /// Its usual diagnoses: codes, or how they begin.
    pub diagnoses: Vec<String>,
}

/// A line as it stands by itself.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnLine {
    pub service: String,
    pub units: u32,
    pub modifiers: Vec<String>,
    /// Positions among the visit's diagnoses, from 1; none where nothing says what it was for.
    pub pointers: Vec<u8>,
    pub reason: String,
}

/// What of a visit lines are made of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct DoneInVisit {
    pub deeds: Vec<Deed>,
    /// What was given to protect from something, each once.
    pub vaccines: Vec<Vaccine>,
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
            out.push(service.line(1, pointers, level.reasons.join(" ")));
        }
    }
    let given = vaccine_deeds(&visit.vaccines, catalogue);
    for service in catalogue.iter().filter(free) {
        let deeds: Vec<&Deed> = visit.deeds.iter().chain(&given).filter(|d| service.done.contains(&d.code)).collect();
        let Some(first) = deeds.first() else { continue };
        let of_all: Vec<&String> = deeds.iter().flat_map(|d| &d.diagnoses).collect();
        let mut pointers = visit.pointers(|code, _| of_all.contains(&code));
        if of_all.is_empty() {
            // Nobody said what it was for: the diagnoses that the clinic tells of this service, where the visit has one.
            pointers = visit.pointers(|code, _| service.diagnoses.iter().any(|usual| code.starts_with(usual.as_str())));
        }
        let times = deeds.iter().map(|d| d.times).max().unwrap_or(1);
        out.push(service.line(times, pointers, first.reason.clone()));
    }
    out
}

/// Of the services that stand among the lines by themselves, those for which nothing is documented any more.
pub fn lost_lines<'a>(visit: &DoneInVisit, catalogue: &[Chargeable], by_themselves: &[&'a str]) -> Vec<&'a str> {
    let given = vaccine_deeds(&visit.vaccines, catalogue);
    let is_done = |code: &String| visit.deeds.iter().chain(&given).any(|d| d.code == *code);
    let is_lost = |of: &&&str| {
        let service = catalogue.iter().find(|s| s.code == **of);
        service.is_some_and(|s| !s.done.is_empty() && !s.done.iter().any(is_done))
    };
    by_themselves.iter().filter(is_lost).copied().collect()
}

/// Of the lines that stand by themselves, each with its reason, those of which something else is documented by now, such as one
/// vaccine more: as they are to stand. What a person changed of a line stays while its reason does.
pub fn changed_lines(visit: &DoneInVisit, catalogue: &[Chargeable], standing: &[(&str, &str)]) -> Vec<OwnLine> {
    // A level follows the note, and is told where it differs.
    let done = DoneInVisit { level: None, ..visit.clone() };
    let is_other = |l: &OwnLine| standing.iter().any(|(service, reason)| *service == l.service && *reason != l.reason);
    own_lines(&done, catalogue, &[]).into_iter().filter(is_other).collect()
}

impl Chargeable {
    fn line(&self, times: u32, pointers: Vec<u8>, reason: String) -> OwnLine {
        let units = self.units.max(1).saturating_mul(times);
        OwnLine { service: self.code.clone(), units, modifiers: self.modifiers.clone(), pointers, reason }
    }
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
        Chargeable {
            code: code.into(),
            level,
            new_patient,
            done: done.iter().map(|d| (*d).to_owned()).collect(),
            units: 1,
            modifiers: vec![],
            diagnoses: vec![],
        }
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
            times: 1,
        };
        DoneInVisit {
            deeds: vec![
                deed("ECG", &["I48.91"]),
                deed(BLOOD_DRAW, &["E78.5"]),
                deed(BLOOD_DRAW, &["I48.91"]),
                deed("EYETEST", &[]),
            ],
            vaccines: vec![],
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
    fn a_line_begins_as_the_catalogue_says_and_points_at_the_usual_diagnosis_where_nobody_said_one() {
        let injection = Chargeable {
            units: 2,
            modifiers: vec!["LT".into()],
            diagnoses: vec!["E78".into()],
            ..service("INJ", None, None, &["INJ"])
        };
        let of = |diagnoses: &[&str]| {
            let diagnoses = diagnoses.iter().map(|d| (*d).to_owned()).collect();
            let deed = Deed { code: "INJ".into(), reason: String::new(), diagnoses, times: 3 };
            own_lines(&DoneInVisit { deeds: vec![deed], level: None, ..visit() }, std::slice::from_ref(&injection), &[])
        };
        let line = &of(&[])[0];
        assert_eq!((line.units, &line.modifiers, &line.pointers), (6, &vec!["LT".to_owned()], &vec![1]));
        assert_eq!(of(&["I48.91"])[0].pointers, [3], "what was said is not second-guessed");
        assert_eq!(of(&["R07.9"])[0].pointers, [0u8; 0], "not even where it does not stand in the visit");
    }

    #[test]
    fn a_line_goes_when_nothing_of_it_is_documented_any_more() {
        let mut v = visit();
        assert_eq!(lost_lines(&v, &catalogue(), &["VISIT3", "ECG", "DRAW"]), [""; 0]);
        v.deeds.retain(|d| d.code != "ECG");
        assert_eq!(lost_lines(&v, &catalogue(), &["VISIT3", "ECG", "DRAW", "GONE"]), ["ECG"], "a level is not done");
    }

    #[test]
    fn a_line_follows_what_is_documented_and_keeps_what_a_person_changed() {
        let mut v = visit();
        v.deeds[0].times = 2;
        let standing = [("ECG", "ECG was done."), ("DRAW", "Something else was said."), ("VISIT3", "the level")];
        let changed = changed_lines(&v, &catalogue(), &standing);
        assert_eq!(changed.iter().map(|l| l.service.as_str()).collect::<Vec<_>>(), ["DRAW"], "the reason decides");
        v.deeds[0].reason = "ECG was done twice.".into();
        let changed = changed_lines(&v, &catalogue(), &standing);
        assert_eq!((changed[0].service.as_str(), changed[0].units), ("ECG", 2));
    }

    #[test]
    fn what_was_for_nothing_that_is_told_points_at_nothing() {
        let mut v = visit();
        v.deeds = vec![Deed { code: "ECG".into(), reason: String::new(), diagnoses: vec!["R07.9".into()], times: 1 }];
        v.level = None;
        assert_eq!(lines(&v, &[]), [("ECG".to_owned(), vec![])]);
    }
}
