//! What was given to protect from something: the vaccine is charged, and the giving of it.

use super::{BLOOD_DRAW, Chargeable, Deed};
use crate::consult::quick_line::immunised::is_vaccine_code;

/// How the giving of the first vaccine of a visit is named among what a service is done by.
pub const GIVING: &str = "@giving";
/// How the giving of each further one is named.
pub const GIVING_FURTHER: &str = "@giving-further";

/// A vaccine that was given in a visit.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Vaccine {
    /// What it protects from, by its short code such as `flu`; nothing where the product has none for it.
    pub code: Option<&'static str>,
    pub name: String,
    pub by: String,
}

/// Whether something that begins with `@` names what is done here: [`BLOOD_DRAW`], a vaccine (`@flu`), the giving of one
/// (`@giving-flu`), or of any ([`GIVING`], [`GIVING_FURTHER`]).
pub fn is_done_code(code: &str) -> bool {
    let Some(short) = code.strip_prefix('@') else { return true };
    [BLOOD_DRAW, GIVING, GIVING_FURTHER].contains(&code)
        || is_vaccine_code(short)
        || short.strip_prefix("giving-").is_some_and(is_vaccine_code)
}

/// What giving vaccines is charged by. Where the catalogue has a service for the giving of that very vaccine, as some payers
/// want it, that one holds; of all others the first is told apart from the further ones.
pub(super) fn vaccine_deeds(given: &[Vaccine], catalogue: &[Chargeable]) -> Vec<Deed> {
    let mut out: Vec<Deed> = Vec::new();
    let mut others = 0;
    let mut reasons: Vec<String> = Vec::new();
    for vaccine in given {
        let reason = format!("{} was given here by {}.", vaccine.name, vaccine.by);
        let deed = |code: String| Deed { code, reason: reason.clone(), diagnoses: vec![], times: 1 };
        out.extend(vaccine.code.map(|code| deed(format!("@{code}"))));
        let own = vaccine.code.map(|code| format!("@giving-{code}"));
        match own.filter(|own| catalogue.iter().any(|s| s.done.contains(own))) {
            Some(own) => out.push(deed(own)),
            None => {
                others += 1;
                if others == 1 {
                    out.push(deed(GIVING.into()));
                } else {
                    reasons.push(reason);
                }
            }
        }
    }
    if others > 1 {
        let code = GIVING_FURTHER.into();
        out.push(Deed { code, reason: reasons.join(" "), diagnoses: vec![], times: others - 1 });
    }
    out
}

#[cfg(test)]
mod tests {
    use super::super::{DoneInVisit, own_lines};
    use super::*;

    fn lines(given: &[(&str, Option<&'static str>)]) -> Vec<(String, u32, Vec<u8>)> {
        let service = |code: &str, done: &[&str]| Chargeable {
            code: code.into(),
            level: None,
            new_patient: None,
            done: done.iter().map(|d| (*d).to_owned()).collect(),
            units: 1,
            modifiers: vec![],
            diagnoses: vec!["Z23".into()],
        };
        let catalogue = [
            service("FLUVAX", &["@flu"]),
            service("FLUADM", &["@giving-flu"]),
            service("TDAPVX", &["@tdap"]),
            service("VACADM", &["@giving"]),
            service("VACMORE", &["@giving-further"]),
        ];
        let vaccine =
            |(name, code): &(&str, Option<&'static str>)| Vaccine { code: *code, name: (*name).into(), by: "P".into() };
        let visit = DoneInVisit {
            deeds: vec![],
            vaccines: given.iter().map(vaccine).collect(),
            diagnoses: vec![("I10".into(), false), ("Z23".into(), false)],
            new_patient: false,
            level: None,
        };
        own_lines(&visit, &catalogue, &[]).into_iter().map(|l| (l.service, l.units, l.pointers)).collect()
    }

    fn expected(lines: &[(&str, u32)]) -> Vec<(String, u32, Vec<u8>)> {
        lines.iter().map(|(code, units)| ((*code).to_owned(), *units, vec![2])).collect()
    }

    #[test]
    fn a_vaccine_is_charged_and_its_giving_by_the_service_that_is_meant_for_it() {
        assert_eq!(lines(&[("Tdap", Some("tdap"))]), expected(&[("TDAPVX", 1), ("VACADM", 1)]));
        let flu = ("influenza vaccine", Some("flu"));
        assert_eq!(lines(&[flu]), expected(&[("FLUVAX", 1), ("FLUADM", 1)]));
        assert_eq!(
            lines(&[flu, ("Tdap", Some("tdap")), ("MMR", Some("mmr")), ("something of the sea", None)]),
            expected(&[("FLUVAX", 1), ("FLUADM", 1), ("TDAPVX", 1), ("VACADM", 1), ("VACMORE", 2)]),
            "a vaccine that the catalogue does not have is not made up, but somebody gave it"
        );
    }

    #[test]
    fn only_what_can_be_done_here_is_such_a_code() {
        for known in ["@draw", "@flu", "@giving-hepb", "@giving", "@giving-further", "ECG"] {
            assert!(is_done_code(known), "{known}");
        }
        for unknown in ["@", "@Flu", "@giving-", "@giving-sea", "@drawn"] {
            assert!(!is_done_code(unknown), "{unknown}");
        }
    }
}
