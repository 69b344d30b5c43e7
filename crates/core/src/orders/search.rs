//! Finding what can be ordered, and which of them a reported value may answer.

use super::Orderable;
use crate::people::fold;

/// Tests for what is typed, the best first: by code, short name, LOINC, beginnings of the words of the name, and by what
/// a panel contains.
pub fn find<'a>(tests: &'a [Orderable], typed: &str, most: usize) -> Vec<&'a Orderable> {
    let line: String = typed.chars().take(100).collect();
    let whole = fold(&line);
    let words: Vec<&str> = whole.split(' ').filter(|w| !w.is_empty()).collect();
    let mut found: Vec<(u8, &Orderable)> =
        tests.iter().filter_map(|t| Some((rank(tests, t, line.trim(), &whole, &words)?, t))).collect();
    found.sort_by_key(|(rank, _)| *rank);
    found.into_iter().map(|(_, t)| t).take(most).collect()
}

/// How well a test fits; less is better, nothing is not at all.
fn rank(tests: &[Orderable], test: &Orderable, typed: &str, whole: &str, words: &[&str]) -> Option<u8> {
    let (name, short, code) = (fold(&test.name), fold(&test.short), fold(&test.code));
    if whole.is_empty() {
        return Some(9);
    }
    if code == whole || short == whole || test.loinc == typed {
        return Some(0);
    }
    if name.starts_with(whole) {
        return Some(1);
    }
    let text = format!(" {name} {short} {code}");
    if words.iter().all(|w| text.contains(&format!(" {w}"))) || test.loinc.starts_with(typed) {
        return Some(2);
    }
    let parts = test.contains.iter().filter_map(|c| tests.iter().find(|t| t.code == *c));
    let holds = |part: &Orderable| {
        let text = format!(" {} {} {}", fold(&part.name), fold(&part.short), fold(&part.code));
        words.iter().all(|w| text.contains(&format!(" {w}")))
    };
    parts.into_iter().any(holds).then_some(3)
}

/// LOINC codes of the tests that values of these LOINC codes may be the answer to: the tests themselves, and the panels
/// that contain one.
pub fn ordered_as(tests: &[Orderable], loincs: &[String]) -> Vec<String> {
    let measured: Vec<&str> = tests.iter().filter(|t| loincs.contains(&t.loinc)).map(|t| t.code.as_str()).collect();
    let panels = tests.iter().filter(|t| t.contains.iter().any(|c| measured.contains(&c.as_str())));
    let mut out: Vec<String> = loincs.iter().cloned().chain(panels.map(|t| t.loinc.clone())).collect();
    out.sort();
    out.dedup();
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    fn list() -> Vec<Orderable> {
        let test = |code: &str, name: &str, loinc: &str, contains: &[&str]| Orderable {
            code: code.into(),
            name: name.into(),
            short: code.into(),
            loinc: loinc.into(),
            contains: contains.iter().map(|c| (*c).to_owned()).collect(),
            ..Orderable::default()
        };
        vec![
            test("BMP", "Basic metabolic panel", "51990-0", &["K", "CREA"]),
            test("UACR", "Albumin/creatinine ratio, urine", "9318-7", &[]),
            test("K", "Potassium", "2823-3", &[]),
            test("CREA", "Creatinine", "2160-0", &[]),
        ]
    }

    #[test]
    fn a_test_is_found_by_what_people_type() {
        let list = list();
        let codes = |typed: &str| find(&list, typed, 20).iter().map(|t| t.code.as_str()).collect::<Vec<_>>();
        assert_eq!(codes("creat"), ["CREA", "UACR", "BMP"], "the panel that contains it comes last");
        assert_eq!(codes("crea"), ["CREA", "UACR", "BMP"]);
        assert_eq!(codes("k"), ["K", "BMP"]);
        assert_eq!(codes("pan met"), ["BMP"]);
        assert_eq!(codes("2160-0"), ["CREA"]);
        assert_eq!(codes("zebra"), [""; 0]);
        assert_eq!(codes("").len(), 4);
        assert_eq!(find(&list, "creat", 1).len(), 1);
    }

    #[test]
    fn a_value_answers_its_test_and_the_panels_with_it() {
        assert_eq!(ordered_as(&list(), &["2823-3".into()]), ["2823-3", "51990-0"]);
        assert_eq!(ordered_as(&list(), &["718-7".into()]), ["718-7"]);
        assert!(ordered_as(&list(), &[]).is_empty());
    }
}
