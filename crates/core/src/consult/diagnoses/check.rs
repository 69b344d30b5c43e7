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
}

impl DiagnosisIndex {
    /// Looks at all codes of a visit in their order (ICD-10-CM Official Guidelines, section I.A and I.B):
    /// each billable, none twice, no Excludes1 pair, an underlying disease before its manifestation.
    pub fn check_together<S: AsRef<str>>(&self, codes: &[S]) -> Vec<Finding> {
        let mut out = Vec::new();
        let codes: Vec<&str> = codes.iter().map(AsRef::as_ref).collect();
        let stop = |code: &str, sentence: String| Finding { code: code.to_owned(), sentence, stops_billing: true };
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
                        out.push(Finding {
                            code: code.to_owned(),
                            sentence: format!(
                                "{first} and {second} cannot be billed together: {code} excludes \"{note}\"."
                            ),
                            stops_billing: true,
                        });
                    }
                }
            }
        }
    }

    fn order(&self, code: &str, at: usize, codes: &[&str], out: &mut Vec<Finding>) {
        let first_notes = self.notes(code, |e| &e.code_first);
        if !first_notes.is_empty() {
            let references: Vec<CodeReference> = first_notes.iter().flat_map(|n| CodeReference::in_note(n)).collect();
            let before = codes[..at].iter().any(|c| references.iter().any(|r| r.covers(c)));
            let after = codes[at + 1..].iter().find(|c| references.iter().any(|r| r.covers(c)));
            let manifestation = self
                .nearest(code)
                .is_some_and(|p| self.line_of(p).any(|e| e.title.contains("in diseases classified elsewhere")));
            if let Some(underlying) = after.filter(|_| !before) {
                out.push(Finding {
                    code: code.to_owned(),
                    sentence: format!("{underlying} must come before {code}: the release says to code it first."),
                    stops_billing: true,
                });
            } else if manifestation && at == 0 {
                out.push(Finding {
                    code: code.to_owned(),
                    sentence: format!("{code} cannot stand first; code first: {}.", first_notes.join("; ")),
                    stops_billing: true,
                });
            } else if !before {
                out.push(Finding {
                    code: code.to_owned(),
                    sentence: format!("{code}: code first, if applicable: {}.", first_notes.join("; ")),
                    stops_billing: false,
                });
            }
        }
        for note in self.notes(code, |e| &e.use_additional) {
            let given = CodeReference::in_note(&note).iter().any(|r| codes.iter().any(|c| r.covers(c)));
            if !given {
                out.push(Finding {
                    code: code.to_owned(),
                    sentence: format!("{code}: use an additional {note}."),
                    stops_billing: false,
                });
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::{CodeEntry, CodeProblem, DiagnosisIndex};

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
