//! What is to be done, on the quick line: diagnoses and problems, orders, referrals, follow-up, templates and
//! questionnaires.

use super::when::length;
use super::words::{Ends, Word};
use super::{Item, Known, onset};
use crate::consult::ProblemState;
use crate::orders::{OrderKind, Orderable};
use crate::people::fold;

/// Questionnaires that ship, by what people call them; `questionnaire asthma` asks one by its name.
pub fn questionnaire(words: &[Word]) -> Option<(Item, usize)> {
    let first = words.first()?;
    let ships = |word: &Word| {
        Some(match word.low.as_str() {
            "phq2" | "phq-2" => "PHQ-2",
            "phq9" | "phq-9" | "phq" => "PHQ-9",
            "gad7" | "gad-7" | "gad" => "GAD-7",
            "audit-c" | "auditc" | "audit" => "AUDIT-C",
            _ => return None,
        })
    };
    if let Some(name) = ships(first) {
        let letter = first.is(&["audit"]) && first.ends == Ends::Runs && words.get(1).is_some_and(|w| w.is(&["c"]));
        // `gad 7` is one name.
        let figure = name.rsplit('-').next().is_some_and(|n| words.get(1).is_some_and(|w| w.low == n));
        let both = letter || (figure && first.ends == Ends::Runs && !first.low.ends_with(|c: char| c.is_ascii_digit()));
        return Some((Item::Questionnaire(name.to_owned()), 1 + usize::from(both)));
    }
    if first.low != "questionnaire" || first.ends != Ends::Runs {
        return None;
    }
    let rest = words.get(1..)?;
    if let Some(name) = rest.first().and_then(ships) {
        return Some((Item::Questionnaire(name.to_owned()), 2));
    }
    let (said, used) = until_stop(rest)?;
    Some((Item::Questionnaire(said), 1 + used))
}

/// `template cough`, `/cough`.
pub fn template(words: &[Word]) -> Option<(Item, usize)> {
    let first = words.first()?;
    if let Some(name) = first.typed.strip_prefix('/').filter(|n| n.starts_with(|c: char| c.is_alphabetic())) {
        return Some((Item::Template(name.to_owned()), 1));
    }
    if !first.is(&["template", "tpl", "text"]) || first.ends != Ends::Runs {
        return None;
    }
    let (said, used) = until_stop(words.get(1..)?)?;
    Some((Item::Template(said), 1 + used))
}

fn until_stop(words: &[Word]) -> Option<(String, usize)> {
    let used = words.iter().position(|w| w.ends == Ends::Stops).map_or(words.len(), |at| at + 1);
    let said: Vec<&str> = words[..used].iter().map(|w| w.typed).collect();
    (!said.is_empty()).then(|| (said.join(" "), used))
}

/// `dx htn, dm2`, `problem asthma since 2010 resolved`. Each gets its code when there is one that can be billed as it
/// stands; otherwise it stays words, to be coded later.
pub fn diagnoses(words: &[Word], known: &Known) -> Option<(Vec<Item>, usize)> {
    let first = words.first()?;
    let as_problem = match first.low.as_str() {
        "dx" | "diagnosis" | "diagnoses" | "imp" | "impression" => false,
        "problem" | "problems" | "pmh" | "pmhx" | "hx" | "history" | "known" => true,
        _ => {
            // A code that stands alone tells itself.
            let code = known.diagnoses?.resolve(&first.low).ok().filter(|_| is_code(&first.low))?;
            return Some((vec![Item::Diagnosis { code: Some(code.code), words: code.title }], 1));
        }
    };
    let mut at = 1 + usize::from(words.get(1).is_some_and(|w| w.is(&["of"])));
    // `dx at 30` says when, and of whom is not clear.
    if words.get(at).is_some_and(|w| w.is(&["at", "age", "aged"]))
        && words.get(at + 1).is_some_and(|w| w.low.starts_with(|c: char| c.is_ascii_digit()))
    {
        return None;
    }
    // `history` and `known` are said of much else.
    if first.is(&["history", "known"]) && (at == 1 || words.len() > 8) || first.ends == Ends::Stops {
        return None;
    }
    let mut items = Vec::new();
    while at < words.len() {
        let Some((mut item, used)) = one_diagnosis(&words[at..], as_problem, known) else { break };
        if first.is(&["hx", "history", "pmh", "pmhx"]) {
            long_over(&mut item, known);
        }
        // How bad something is, or how far it has come, is none by itself: it stays words.
        let of_degree = words[at].is(&[
            "mild",
            "moderate",
            "severe",
            "intermittent",
            "persistent",
            "stable",
            "controlled",
            "uncontrolled",
        ]);
        let alone = words[at].ends != Ends::Runs || words.get(at + 1).is_none_or(|w| w.is(&["encounter", "visit"]));
        let how_far = alone && words[at].is(&["acute", "chronic", "initial", "subsequent", "sequela"]);
        // `asthma, mild intermittent`: what is none by itself and one with what stands before it belongs to that.
        if let Some(closer) = items.last().and_then(|last| told_closer(last, &item, known)) {
            items.pop();
            items.push(closer);
            at += used;
            if words[at - 1].ends != Ends::Pauses {
                break;
            }
            continue;
        }
        let in_words = matches!(&item, Item::Problem { code: None, .. } | Item::Diagnosis { code: None, .. });
        if (of_degree && in_words || how_far) && !items.is_empty() {
            break;
        }
        // Only a problem that is called one stands in words; `hx` of much is told in sentences.
        if matches!(&item, Item::Problem { code: None, .. }) && !first.is(&["problem", "problems"]) {
            break;
        }
        items.push(item);
        at += used;
        if words[at - 1].ends != Ends::Pauses {
            break;
        }
    }
    (!items.is_empty()).then_some((items, at))
}

/// What was an emergency and is told as history is over: it has a code of its own, and the code of the emergency would be
/// wrong on every claim.
const LONG_OVER: [(&str, &str); 6] = [
    ("I21", "I25.2"),
    ("I22", "I25.2"),
    ("I63", "Z86.73"),
    ("G45", "Z86.73"),
    ("I26", "Z86.711"),
    ("I82.4", "Z86.718"),
];

fn long_over(item: &mut Item, known: &Known) {
    let Item::Problem { code: Some(code), .. } = item else { return };
    let over = LONG_OVER.iter().find(|(acute, _)| code.starts_with(acute)).map(|(_, over)| *over);
    if let Some(hit) = over.and_then(|over| known.diagnoses?.resolve(over).ok()) {
        *code = hit.code;
    }
}

/// A diagnosis with what was said of it behind a comma, where both together have a code that is another one.
fn told_closer(last: &Item, more: &Item, known: &Known) -> Option<Item> {
    let joined = |said: &str, more: &str, code: &Option<String>| {
        let words = format!("{said} {more}");
        let hit = known.diagnoses?.surely(&words).filter(|hit| code.as_ref() != Some(&hit.code))?;
        Some((Some(hit.code), words))
    };
    match (last, more) {
        (Item::Diagnosis { code, words: said }, Item::Diagnosis { code: own, words }) => {
            let (code, words) = joined(said, words, code).filter(|(code, _)| own.is_none() || own == code)?;
            Some(Item::Diagnosis { code, words })
        }
        (Item::Problem { code, words: said, .. }, Item::Problem { code: own, words, state, since }) => {
            let (code, words) = joined(said, words, code).filter(|(code, _)| own.is_none() || own == code)?;
            Some(Item::Problem { code, words, state: *state, since: *since })
        }
        _ => None,
    }
}

/// A letter and two digits at least.
fn is_code(word: &str) -> bool {
    let bytes = word.as_bytes();
    bytes.len() >= 3 && bytes[0].is_ascii_alphabetic() && bytes[1].is_ascii_digit() && bytes[2].is_ascii_alphanumeric()
}

fn one_diagnosis(words: &[Word], as_problem: bool, known: &Known) -> Option<(Item, usize)> {
    let mut said: Vec<&str> = Vec::new();
    let mut state = ProblemState::Active;
    let mut since = None;
    let mut at = 0;
    while let Some(word) = words.get(at) {
        let told = match word.low.as_str() {
            "active" => Some(ProblemState::Active),
            "inactive" => Some(ProblemState::Inactive),
            "resolved" => Some(ProblemState::Resolved),
            "recurrent" | "recurrence" if as_problem && !said.is_empty() => Some(ProblemState::Recurrence),
            "remission" => Some(ProblemState::Remission),
            _ => None,
        };
        if let Some(told) = told.filter(|_| as_problem) {
            state = told;
            if said.last() == Some(&"in") {
                said.pop();
            }
            at += 1;
        } else if as_problem
            && !said.is_empty()
            && let Some((when, used)) = onset(&words[at..], known)
        {
            since = Some(when);
            at += used;
        } else {
            said.push(word.typed);
            at += 1;
        }
        if words[at - 1].ends != Ends::Runs {
            break;
        }
    }
    let said = said.join(" ");
    if said.is_empty() {
        return None;
    }
    let code = known.diagnoses.and_then(|index| index.surely(&said)).map(|hit| hit.code);
    let item = if as_problem {
        Item::Problem { code, words: said, state, since }
    } else {
        Item::Diagnosis { code, words: said }
    };
    Some((item, at))
}

/// The test that words name exactly: code, short name, or the whole of a name.
fn test_named<'a>(words: &[Word], known: &Known<'a>) -> Option<(&'a Orderable, usize)> {
    // What the trade calls them otherwise.
    const OTHERWISE: [(&str, &str); 45] = [
        ("lipids", "LIPID"),
        ("lipid", "LIPID"),
        ("cholesterol", "LIPID"),
        ("hba1c", "A1C"),
        ("hgba1c", "A1C"),
        ("lytes", "BMP"),
        ("chem7", "BMP"),
        ("chem-7", "BMP"),
        ("inr", "INR"),
        ("pt/inr", "INR"),
        ("vitd", "VITD"),
        ("sed", "ESR"),
        ("strep", "STREP"),
        ("urinalysis", "UA"),
        ("creatinine", "CREA"),
        ("potassium", "K"),
        ("uric acid", "URIC"),
        ("b12", "B12"),
        ("vitamin d", "VITD"),
        ("free t4", "FT4"),
        ("free t3", "FT3"),
        ("thyroid", "TSH"),
        ("liver enzymes", "ALT"),
        ("sodium", "NA"),
        ("glucose", "GLU"),
        ("sugar", "GLU"),
        ("microalbumin", "UACR"),
        ("sed rate", "ESR"),
        ("pregnancy test", "HCG"),
        ("urine hcg", "HCG"),
        ("covid", "COV"),
        ("flu test", "FLU"),
        ("hep c", "HCV"),
        ("troponin", "TROP"),
        ("digoxin", "DIG"),
        ("lithium", "LITH"),
        ("urine culture", "UCX"),
        ("stool blood", "FIT"),
        ("rheumatoid factor", "RF"),
        ("crp", "CRP"),
        ("kidney function", "CREA"),
        ("egfr", "EGFR"),
        ("hemoglobin", "HGB"),
        ("platelets", "PLT"),
        ("ferritin", "FERR"),
    ];
    for many in (1..=4.min(words.len())).rev() {
        if words[..many - 1].iter().any(|w| w.ends != Ends::Runs) {
            continue;
        }
        let said = fold(&words[..many].iter().map(|w| w.low.as_str()).collect::<Vec<_>>().join(" "));
        if said.is_empty() {
            continue;
        }
        let other = OTHERWISE.iter().find(|(word, _)| fold(word) == said).map(|(_, code)| *code);
        let is = |t: &&Orderable| {
            fold(&t.code) == said || fold(&t.short) == said || fold(&t.name) == said || other == Some(t.code.as_str())
        };
        if let Some(test) = known.tests.iter().find(is) {
            return Some((test, many));
        }
        // The beginning of a name, when it is long enough to mean one.
        let begins = |t: &&Orderable| said.len() >= 5 && fold(&t.name).starts_with(&said);
        if let Some(test) = known.tests.iter().find(begins) {
            return Some((test, many));
        }
    }
    None
}

/// `order cbc, cmp a1c`, `labs lipids`; without the word only when nothing but tests stands there.
pub fn orders(words: &[Word], known: &Known) -> Option<(Vec<Item>, usize)> {
    let first = words.first()?;
    let asked = first.is(&["order", "orders", "lab", "labs", "check", "get"]);
    if asked && first.ends == Ends::Stops {
        return None;
    }
    let mut at = usize::from(asked);
    let mut items: Vec<Item> = Vec::new();
    while let Some(word) = words.get(at) {
        if word.is(&["and", "+", "&", "plus", "test", "level", "levels"]) && !items.is_empty() {
            at += 1;
            continue;
        }
        let Some((test, used)) = test_named(&words[at..], known) else { break };
        // Unasked, `cardiology` or `ecg` may be part of what is told; a test is meant.
        if !asked && test.kind != OrderKind::Laboratory {
            break;
        }
        let item = Item::Order { code: test.code.clone(), name: test.name.clone(), under: None };
        if !items.contains(&item) {
            items.push(item);
        }
        at += used;
        if words[at - 1].ends == Ends::Stops {
            break;
        }
    }
    if items.is_empty() {
        return None;
    }
    // `order cbc for htn`: under which diagnosis, where one is surely meant.
    let behind = words.get(at).filter(|w| w.is(&["for"]) && words[at - 1].ends != Ends::Stops);
    if behind.is_some_and(|w| w.ends == Ends::Runs)
        && let Some((said, used)) = until_stop(&words[at + 1..])
        && let Some(index) = known.diagnoses
        && let Some(hit) = index.surely(&said)
    {
        for item in &mut items {
            if let Item::Order { under, .. } = item {
                *under = Some(hit.code.clone());
            }
        }
        at += 1 + used;
    }
    // `get a1c in 3 months` is no order of today.
    if length(&words[at..]).is_some() {
        return None;
    }
    // Letters such as K, Na and CK stand in sentences too.
    let alone = words.get(at).is_none() || words[at - 1].ends == Ends::Stops;
    (asked || alone).then_some((items, at))
}

/// `refer cardiology for palpitations`, `referral derm: mole`.
pub fn referral(words: &[Word]) -> Option<(Item, usize)> {
    const SHORT: [(&str, &str); 14] = [
        ("cards", "cardiology"),
        ("cardio", "cardiology"),
        ("derm", "dermatology"),
        ("ortho", "orthopedics"),
        ("gi", "gastroenterology"),
        ("neuro", "neurology"),
        ("ophtho", "ophthalmology"),
        ("pt", "physical therapy"),
        ("ot", "occupational therapy"),
        ("psych", "psychiatry"),
        ("uro", "urology"),
        ("endo", "endocrinology"),
        ("pulm", "pulmonology"),
        ("nephro", "nephrology"),
    ];
    let first = words.first()?;
    // `ortho referral knee pain`: to whom stands first.
    let turned = first.ends == Ends::Runs && words.get(1).is_some_and(|w| w.is(&["referral", "consult"]));
    let mut own = words.to_vec();
    if turned {
        own.swap(0, 1);
        let ends = own[0].ends;
        own[0].ends = Ends::Runs;
        own[1].ends = ends;
    } else if !first.is(&["refer", "referral", "ref"]) || first.ends == Ends::Stops {
        return None;
    }
    let words = own.as_slice();
    let from = 1 + usize::from(words.get(1).is_some_and(|w| w.is(&["to"])));
    let (_, used) = until_stop(words.get(from..)?)?;
    let said = &words[from..from + used];
    let split = said.iter().position(|w| w.is(&["for", "re", "because", "with", "due"]));
    let (to, question) = match split {
        Some(at) if at > 0 => (&said[..at], &said[at + 1..]),
        _ => {
            // `referral derm: mole` and `refer derm mole`: the first word says to whom, `physical therapy` two.
            let two = said.len() > 1
                && (said[1].is(&["therapy", "surgery", "medicine", "health", "clinic", "care"])
                    || said[0].is(&["dr", "dr.", "doctor"]));
            said.split_at((1 + usize::from(two)).min(said.len()))
        }
    };
    let text = |list: &[Word]| list.iter().map(|w| w.typed).collect::<Vec<_>>().join(" ");
    let whom = text(to);
    let whom = SHORT.iter().find(|(s, _)| *s == whom.to_lowercase()).map_or(whom, |(_, long)| (*long).to_owned());
    Some((Item::Referral { to: whom, question: text(question) }, from + used))
}

/// `fu 3mo bp`, `follow up in 2 weeks for wound`, `rtc 6 months`.
pub fn follow_up(words: &[Word]) -> Option<(Item, usize)> {
    let first = words.first()?;
    let mut at = match first.low.as_str() {
        "fu" | "f/u" | "followup" | "follow-up" | "rtc" | "rv" | "recheck" => 1,
        "follow" if words.get(1).is_some_and(|w| w.is(&["up"])) => 2,
        "return" | "back" | "see" => 1,
        _ => return None,
    };
    at += usize::from(first.is(&["return", "see"]) && words.get(at).is_some_and(|w| w.is(&["to", "visit", "again"])));
    let before: Vec<&Word> = words[at..].iter().take_while(|w| w.ends == Ends::Runs).collect();
    // What it is for may stand before the time: `fu bp 3mo`.
    let place =
        (at..=(at + before.len()).min(words.len().saturating_sub(1))).find(|i| length(&words[*i..]).is_some())?;
    if place > at && first.is(&["return", "back", "see"]) {
        return None;
    }
    let (days, used) = length(&words[place..])?;
    let mut of: Vec<&str> = words[at..place].iter().filter(|w| !w.is(&["for", "in"])).map(|w| w.typed).collect();
    at = place + used;
    while words[at - 1].ends != Ends::Stops
        && let Some(word) = words.get(at)
    {
        if !(of.is_empty() && word.is(&["for", "re", "to", "check"])) {
            of.push(word.typed);
        }
        at += 1;
    }
    Some((Item::FollowUp { days, of: of.join(" ") }, at))
}
