//! Whether codes may be billed together, and in this order.

use super::{CodeReference, DiagnosisIndex};

/// Something to know about the codes of a visit.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Finding {
    /// The code it is about, as typed.
    pub code: String,
    pub sentence: String,
    /// True when a payer would refuse; false when it is advice from the release.
    pub stops_billing: bool,
    /// Two codes that the guidelines presume to belong together; a note may say that they do not.
    pub presumed: Option<Pair>,
}

/// Two codes as they stand in the visit.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Pair(pub String, pub String);

impl Pair {
    /// `I10+N18.30`; nothing for a text that holds no two codes.
    pub fn parse(text: &str) -> Option<Pair> {
        let (a, b) = text.split_once('+')?;
        let code = |t: &str| (3..=8).contains(&t.len()) && t.bytes().all(|c| c.is_ascii_alphanumeric() || c == b'.');
        (code(a) && code(b)).then(|| Pair(a.to_owned(), b.to_owned()))
    }
}

impl std::fmt::Display for Pair {
    fn fmt(&self, f: &mut std::fmt::Formatter) -> std::fmt::Result {
        write!(f, "{}+{}", self.0, self.1)
    }
}

impl Finding {
    fn stop(code: &str, sentence: String) -> Finding {
        Finding { code: code.to_owned(), sentence, stops_billing: true, presumed: None }
    }

    fn advice(code: &str, sentence: String) -> Finding {
        Finding { stops_billing: false, ..Finding::stop(code, sentence) }
    }
}

/// Codes that are only ever additional, by range of their beginnings, with why (ICD-10-CM Official Guidelines, in the order of
/// the rows: I.C.1.b, I.C.1.e, I.C.18.g, I.C.20.a.6, I.C.21.c.11, I.C.21.c.3).
const NEVER_FIRST: [(&str, &str, &str); 6] = [
    ("B95", "B97", "it names the germ, and the infection comes first"),
    ("Z16", "Z16", "it names the resistance, and the infection comes first"),
    ("R65", "R65", "the infection or the injury comes first"),
    ("V00", "Y99", "it tells the cause from outside, and what it caused comes first"),
    ("Z3A", "Z3A", "it tells the week, and why the pregnancy is looked after comes first"),
    ("Z68", "Z68", "the body mass index is told beside what it matters for"),
];

/// High blood pressure with a disease of the heart or the kidneys: the release has codes for both together (ICD-10-CM
/// Official Guidelines, I.C.9.a, which presumes that they belong together unless the note says otherwise).
fn hypertension(codes: &[&str], out: &mut Vec<Finding>) {
    let begins = |with: &[&str]| codes.iter().find(|c| with.iter().any(|w| super::undot(c).starts_with(w)));
    let Some(alone) = begins(&["I10"]) else { return };
    if let Some(joint) = begins(&["I11", "I12", "I13", "I15"]) {
        let said = "says the high blood pressure already";
        out.push(Finding::stop(alone, format!("{alone} and {joint} cannot be billed together: {joint} {said}.")));
        return;
    }
    let kidneys = begins(&["N18"]);
    let heart = begins(&["I50", "I514", "I515", "I516", "I517", "I518", "I519"]);
    let both = kidneys.is_some() && heart.is_some();
    for (with, code) in [(kidneys, "I12"), (heart, "I11")] {
        let Some(with) = with else { continue };
        let wanted = if both { "I13" } else { code };
        let sentence = format!(
            "{alone} with {with}: the guidelines presume that they belong together and want {wanted}, unless the note says that they are unrelated."
        );
        let presumed = Some(Pair((*alone).to_owned(), (*with).to_owned()));
        out.push(Finding { presumed, ..Finding::advice(alone, sentence) });
    }
}

impl DiagnosisIndex {
    /// Looks at all codes of a visit in their order (ICD-10-CM Official Guidelines, section I.A and I.B):
    /// each billable, none twice, no Excludes1 pair, no two that contradict each other, an underlying disease before its
    /// manifestation, and first only what may stand first.
    pub fn check_together<S: AsRef<str>>(&self, codes: &[S]) -> Vec<Finding> {
        let mut out = Vec::new();
        let codes: Vec<&str> = codes.iter().map(AsRef::as_ref).collect();
        let stop = Finding::stop;
        for (i, code) in codes.iter().enumerate() {
            match self.resolve(code) {
                Err(problem) => out.push(stop(code, problem.to_string())),
                Ok(billable) => {
                    let twice = codes[..i].iter().any(|c| self.resolve(c).is_ok_and(|b| b.code == billable.code));
                    if twice {
                        out.push(stop(code, format!("{} stands here twice.", billable.code)));
                    }
                }
            }
        }
        for (i, code) in codes.iter().enumerate() {
            self.excluded(code, i, &codes, &mut out);
            self.order(code, i, &codes, &mut out);
        }
        self.contradictions(&codes, &mut out);
        hypertension(&codes, &mut out);
        out
    }

    fn notes(&self, code: &str, pick: impl Fn(&super::CodeEntry) -> &Vec<String>) -> Vec<String> {
        let Some(position) = self.nearest(code) else { return vec![] };
        self.line_of(position).flat_map(|e| pick(e).clone()).collect()
    }

    /// The entry of a code, with or without its seventh character and placeholders.
    fn nearest(&self, code: &str) -> Option<usize> {
        let mut undotted = super::undot(code);
        while undotted.len() >= 3 {
            if let Some(position) = self.position(&undotted) {
                return Some(position);
            }
            undotted.pop();
        }
        None
    }

    fn excluded(&self, code: &str, at: usize, codes: &[&str], out: &mut Vec<Finding>) {
        for note in self.notes(code, |e| &e.excludes1) {
            for reference in CodeReference::in_note(&note) {
                // A note that names the code itself, or only some of a range, says nothing about the pair.
                if reference.qualified || reference.covers(code) {
                    continue;
                }
                for (j, other) in codes.iter().enumerate().filter(|(j, other)| *j != at && reference.covers(other)) {
                    let told = out.iter().any(|f| {
                        f.sentence.contains(code) && f.sentence.contains(*other) && f.sentence.contains("together")
                    });
                    if !told {
                        let (first, second) = if j < at { (*other, code) } else { (code, *other) };
                        out.push(Finding::stop(
                            code,
                            format!("{first} and {second} cannot be billed together: {code} excludes \"{note}\"."),
                        ));
                    }
                }
            }
        }
    }

    /// Whether a code is only told beside another.
    pub fn is_additional(&self, code: &str) -> bool {
        self.never_first(code).is_some()
    }

    /// Why a code is only ever an additional one; nothing where it may stand first.
    fn never_first(&self, code: &str) -> Option<&'static str> {
        let undotted = super::undot(code);
        let by_range = NEVER_FIRST.iter().find(|(from, to, _)| {
            let begin = |edge: &str| undotted.get(..edge.len().min(undotted.len())).unwrap_or("").to_owned();
            begin(from).as_str() >= *from && begin(to).as_str() <= *to
        });
        let of_another = || {
            let words = ["diseases classified elsewhere", "due to underlying condition"];
            let said = |e: &super::CodeEntry| words.iter().any(|w| e.title.contains(w)) && !e.heading;
            self.nearest(code).is_some_and(|p| self.line_of(p).any(said))
        };
        by_range.map(|(.., why)| *why).or_else(|| of_another().then_some("it is the sign of another disease"))
    }

    /// Two codes of one category that say the opposite of each other: `with` and `without` the same thing.
    fn contradictions(&self, codes: &[&str], out: &mut Vec<Finding>) {
        let title = |code: &str| Some(self.resolve(code).ok()?.title);
        for (i, code) in codes.iter().enumerate() {
            for other in &codes[..i] {
                let (Some(a), Some(b)) = (title(other), title(code)) else { continue };
                let plain = |t: &str| t.replace(" without ", " with ");
                if a != b && plain(&a) == plain(&b) {
                    out.push(Finding::stop(code, format!("{other} and {code} cannot be billed together: one says \"with\" what the other says \"without\".")));
                }
            }
        }
    }

    fn order(&self, code: &str, at: usize, codes: &[&str], out: &mut Vec<Finding>) {
        let mut tell = |sentence: String, stops_billing: bool| {
            out.push(Finding { stops_billing, ..Finding::advice(code, sentence) });
        };
        let first_notes = self.notes(code, |e| &e.code_first);
        let references: Vec<CodeReference> = first_notes.iter().flat_map(|n| CodeReference::in_note(n)).collect();
        let before = codes[..at].iter().any(|c| references.iter().any(|r| r.covers(c)));
        let after = codes[at + 1..].iter().find(|c| references.iter().any(|r| r.covers(c)));
        let never_first = self.never_first(code);
        if let Some(underlying) = after.filter(|_| !before) {
            tell(format!("{underlying} must come before {code}: the release says to code it first."), true);
        } else if let Some(why) = never_first.filter(|_| at == 0) {
            let first = if first_notes.is_empty() {
                String::new()
            } else {
                format!("; code first: {}", first_notes.join("; "))
            };
            tell(format!("{code} cannot stand first: {why}{first}."), true);
        } else if !first_notes.is_empty() && !before {
            tell(format!("{code}: code first, if applicable: {}.", first_notes.join("; ")), false);
        }
        for note in self.notes(code, |e| &e.use_additional) {
            let given = CodeReference::in_note(&note).iter().any(|r| codes.iter().any(|c| r.covers(c)));
            if !given {
                out.push(Finding::advice(code, format!("{code}: use an additional {note}.")));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::{CodeEntry, CodeProblem, DiagnosisIndex};
    use super::Pair;

    fn entry(code: &str, title: &str, parent: &str, leaf: bool) -> CodeEntry {
        CodeEntry {
            code: code.into(),
            title: title.into(),
            leaf,
            parent: (!parent.is_empty()).then(|| parent.into()),
            ..CodeEntry::default()
        }
    }

    fn index() -> DiagnosisIndex {
        let seventh = vec![('A', "initial encounter".to_owned()), ('D', "subsequent encounter".to_owned())];
        DiagnosisIndex::new(vec![
            CodeEntry {
                excludes1: vec!["type 1 diabetes mellitus (E10.-)".into()],
                use_additional: vec!["code to identify control using insulin (Z79.4)".into()],
                ..entry("E11", "Type 2 diabetes mellitus", "", false)
            },
            entry("E11.9", "Type 2 diabetes mellitus without complications", "E11", true),
            entry("E10", "Type 1 diabetes mellitus", "", false),
            entry("E10.9", "Type 1 diabetes mellitus without complications", "E10", true),
            CodeEntry { seventh: seventh.clone(), ..entry("W19", "Unspecified fall", "", true) },
            CodeEntry { seventh, ..entry("T15", "Foreign body on external eye", "", false) },
            entry("T15.0", "Foreign body in cornea", "T15", false),
            entry("T15.00", "Foreign body in cornea, unspecified eye", "T15.0", true),
            CodeEntry {
                code_first: vec!["underlying disease, such as: amyloidosis (E85.-)".into()],
                ..entry("I43", "Cardiomyopathy in diseases classified elsewhere", "", true)
            },
            entry("E85.4", "Organ-limited amyloidosis", "", true),
            entry("I10", "Essential (primary) hypertension", "", true),
            entry("I11.9", "Hypertensive heart disease without heart failure", "", true),
            entry("N18.30", "Chronic kidney disease, stage 3 unspecified", "", true),
            entry("Z00.00", "Encounter for general adult medical examination without abnormal findings", "", true),
            entry("Z00.01", "Encounter for general adult medical examination with abnormal findings", "", true),
            CodeEntry {
                code_first: vec!["the underlying physiological condition, such as: Alzheimer's (G30.-)".into()],
                ..entry("F02.80", "Dementia in other diseases classified elsewhere, unspecified severity", "", true)
            },
            CodeEntry {
                code_first: vec!["the underlying condition".into()],
                ..entry("E08.9", "Diabetes mellitus due to underlying condition without complications", "", true)
            },
            entry(
                "B95.61",
                "Methicillin susceptible Staphylococcus aureus infection as the cause of diseases classified elsewhere",
                "",
                true,
            ),
            entry("R65.20", "Severe sepsis without septic shock", "", true),
            entry("Z3A.20", "20 weeks gestation of pregnancy", "", true),
            entry("A41.9", "Sepsis, unspecified organism", "", true),
        ])
    }

    fn stops(codes: &[&str]) -> Vec<String> {
        index().check_together(codes).into_iter().filter(|f| f.stops_billing).map(|f| f.sentence).collect()
    }

    #[test]
    fn findings_and_injuries_belong_to_their_day() {
        for lasting in ["I10", "E11.9", "J45.909", "O09.90", "Q21.0"] {
            assert!(crate::consult::diagnoses::lasts(lasting), "{lasting}");
        }
        for of_the_day in ["R05.3", "S93.401A", "T78.40XA", "W19.XXXA", "Y92.009", "Z00.00"] {
            assert!(!crate::consult::diagnoses::lasts(of_the_day), "{of_the_day}");
        }
    }

    #[test]
    fn seventh_characters_with_placeholder() {
        let i = index();
        assert_eq!(i.resolve("T15.00XA").unwrap().code, "T15.00XA");
        assert_eq!(i.resolve("t1500a").unwrap().code, "T15.00XA");
        assert_eq!(i.resolve("W19.XXXD").unwrap().title, "Unspecified fall, subsequent encounter");
        assert!(matches!(i.resolve("W19"), Err(CodeProblem::NeedsSeventh { .. })));
        assert!(matches!(i.resolve("W19.XXXQ"), Err(CodeProblem::WrongSeventh { given: 'Q', .. })));
        assert!(matches!(i.resolve("T15.0"), Err(CodeProblem::TooGeneral { .. })));
        assert!(matches!(i.resolve("Q00.0"), Err(CodeProblem::Unknown(_))));
        assert!(matches!(i.resolve("é€X"), Err(CodeProblem::Unknown(_))));
        for broken in ["", "X", ".", "XXXXXXX", "T15.00XAA"] {
            assert!(i.resolve(broken).is_err(), "{broken}");
        }
    }

    #[test]
    fn what_is_only_additional_never_stands_first_nor_alone() {
        for code in ["F02.80", "E08.9", "B95.61", "R65.20", "Z3A.20", "W19.XXXA"] {
            let alone = stops(&[code]);
            assert!(alone.len() == 1 && alone[0].starts_with(&format!("{code} cannot stand first")), "{alone:?}");
            assert_eq!(stops(&["A41.9", code]), [""; 0], "behind another");
        }
        assert_eq!(stops(&["A41.9"]), [""; 0]);
    }

    #[test]
    fn with_and_without_the_same_contradict() {
        assert_eq!(stops(&["Z00.00", "Z00.01"]).len(), 1);
        assert_eq!(stops(&["Z00.01"]), [""; 0]);
    }

    #[test]
    fn high_blood_pressure_is_told_once_and_presumed_to_belong_to_the_kidneys() {
        assert_eq!(stops(&["I11.9", "I10"]).len(), 1);
        assert_eq!(stops(&["I10", "N18.30"]), [""; 0], "a presumption stops nothing");
        let advice = index().check_together(&["I10", "N18.30"]);
        assert!(advice.iter().any(|f| f.sentence.contains("want I12, unless the note says")), "{advice:?}");
        let pairs: Vec<String> = advice.iter().filter_map(|f| f.presumed.as_ref()).map(ToString::to_string).collect();
        assert_eq!(pairs, ["I10+N18.30"]);
        assert!(index().check_together(&["I10"]).is_empty());
        // Whichever of several stands first.
        assert_eq!(stops(&["I16.0", "I11.9", "I10"]).iter().filter(|s| s.contains("already")).count(), 1);
    }

    #[test]
    fn a_pair_is_written_and_read_the_same() {
        let pair = Pair("I10".into(), "N18.30".into());
        assert_eq!(Pair::parse(&pair.to_string()), Some(pair));
        assert!(
            ["", "I10", "I10+", "+I10", "I10+N18.30+E11", "I10 +N18.30", "soon+later enough"]
                .iter()
                .all(|t| Pair::parse(t).is_none())
        );
    }

    #[test]
    fn pairs_and_order() {
        assert_eq!(stops(&["E11.9"]), [""; 0]);
        assert_eq!(stops(&["E11.9", "E10.9"]).len(), 1);
        assert_eq!(stops(&["E10.9", "E11.9"]).len(), 1, "whichever comes first");
        assert_eq!(stops(&["E11.9", "E11.9"]), ["E11.9 stands here twice."]);
        assert_eq!(stops(&["E85.4", "I43"]), [""; 0]);
        assert_eq!(stops(&["I43", "E85.4"]), ["E85.4 must come before I43: the release says to code it first."]);
        assert!(stops(&["I43"])[0].contains("cannot stand first"));
        let advice = index().check_together(&["E11.9"]);
        assert!(advice[0].sentence.contains("additional code to identify control using insulin"));
    }
}
