//! The runs of a note: one per problem handled, begun in words or with a code, the main one first. A run is the lane of
//! what is ordered and prescribed for its diagnosis; the diagnoses of a visit are its runs that have a code.

use super::NotePart;

/// So many runs a note may have: as many as a claim takes diagnoses.
pub const MOST_RUNS: usize = crate::claims::MOST_DIAGNOSES;
pub const TOO_MANY_RUNS: &str = "A note takes at most 12 runs; write the rest in the plan, or in a visit of its own.";

/// The parts that every run has, in their order.
pub const PARTS_OF_RUN: [NotePart; 4] =
    [NotePart::History, NotePart::Examination, NotePart::Assessment, NotePart::Plan];

/// The parts that a note has once, in their order. A note without any run may use the others too.
pub const GENERAL_PARTS: [NotePart; 6] = [
    NotePart::Reason,
    NotePart::PastHistory,
    NotePart::Systems,
    NotePart::Examination,
    NotePart::Procedures,
    NotePart::Advice,
];

/// Whether a part may be written in a run.
pub fn belongs_in_run(part: NotePart) -> bool {
    PARTS_OF_RUN.contains(&part)
}

/// A run as it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Run<Id> {
    pub id: Id,
    /// Nothing while it is in words only.
    pub code: Option<String>,
    /// The title of its code, or the words it began with.
    pub title: String,
    /// Whether anything is written in it.
    pub written: bool,
}

/// A run as it shall stand, in its place.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Placed<Id> {
    /// Nothing for a new one.
    pub id: Option<Id>,
    pub code: Option<String>,
    pub title: String,
}

/// The runs for the diagnoses that are wanted, in their order. A run keeps its text: one whose code goes stays in words
/// if anything is written in it, and goes with its code otherwise. A new code takes the run `into`, if that is one in
/// words, and gets a run of its own at the end otherwise. Runs in words keep their places.
pub fn follow<Id: Copy + PartialEq>(
    runs: &[Run<Id>],
    wanted: &[(String, String)],
    into: Option<Id>,
) -> Vec<Placed<Id>> {
    let has = |code: &str| runs.iter().find(|r| r.code.as_deref() == Some(code));
    let free = into.filter(|id| runs.iter().any(|r| r.id == *id && r.code.is_none()));
    let takes = free.and_then(|id| wanted.iter().find(|(code, _)| has(code).is_none()).map(|w| (id, w)));
    let mut coded: Vec<Placed<Id>> = Vec::new();
    for (code, title) in wanted {
        let by_code = has(code).map(|r| r.id);
        let id = by_code.or_else(|| takes.filter(|(_, w)| w.0 == *code).map(|(id, _)| id));
        coded.push(Placed { id, code: Some(code.clone()), title: title.clone() });
    }
    let keeps_code = |run: &Run<Id>| coded.iter().any(|p| p.id == Some(run.id));
    let mut left = coded.clone().into_iter();
    let mut out = Vec::new();
    for run in runs {
        if keeps_code(run) {
            out.extend(left.next());
        } else if run.code.is_none() || run.written {
            out.push(Placed { id: Some(run.id), code: None, title: run.title.clone() });
        }
    }
    out.extend(left);
    out
}

/// The lane of what fits no diagnosis by itself: that of the only diagnosis of its own line, or of the run in focus.
pub fn lane_meant(diagnosed: &[String], in_focus: Option<String>) -> Option<String> {
    if let [code] = diagnosed { Some(code.clone()) } else { in_focus }
}

/// Moves one of a list to another place, counted from 0; past the end is the end.
pub fn moved<Id: Copy + PartialEq>(ids: &[Id], id: Id, to: usize) -> Vec<Id> {
    let mut rest: Vec<Id> = ids.iter().copied().filter(|other| *other != id).collect();
    if rest.len() < ids.len() {
        rest.insert(to.min(rest.len()), id);
    }
    rest
}

/// How much of a note stands word for word in the notes it was carried from, in percent of its letters: sentence by
/// sentence, without regard to case, blanks and stops. Nothing written is nothing carried.
pub fn carried_percent(now: &[&str], earlier: &[&str]) -> u8 {
    let known: std::collections::HashSet<String> = earlier.iter().flat_map(|text| sentences(text)).collect();
    let (mut carried, mut all) = (0, 0);
    for sentence in now.iter().flat_map(|text| sentences(text)) {
        let letters = sentence.chars().filter(|c| c.is_alphanumeric()).count();
        all += letters;
        if known.contains(&sentence) {
            carried += letters;
        }
    }
    (carried * 100).checked_div(all).map_or(0, |percent| u8::try_from(percent).unwrap_or(100))
}

/// From so much on a note is told to be mostly carried before it is signed.
pub const MOSTLY_CARRIED_PERCENT: u8 = 60;

fn sentences(text: &str) -> Vec<String> {
    text.split(['.', '\n', ';', '?', '!'])
        .map(|s| s.split_whitespace().collect::<Vec<_>>().join(" ").to_lowercase())
        .filter(|s| !s.is_empty())
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn run(id: u8, code: Option<&str>, written: bool) -> Run<u8> {
        let title = code.map_or_else(|| format!("words {id}"), |c| format!("title of {c}"));
        Run { id, code: code.map(str::to_owned), title, written }
    }

    fn wanted(codes: &[&str]) -> Vec<(String, String)> {
        codes.iter().map(|c| ((*c).to_owned(), format!("title of {c}"))).collect()
    }

    fn placed(runs: &[Run<u8>], codes: &[&str], into: Option<u8>) -> Vec<(Option<u8>, Option<String>)> {
        follow(runs, &wanted(codes), into).into_iter().map(|p| (p.id, p.code)).collect()
    }

    fn c(code: &str) -> Option<String> {
        Some(code.to_owned())
    }

    #[test]
    fn a_run_keeps_its_text_whatever_becomes_of_its_code() {
        let runs = [run(1, Some("I10"), true), run(2, None, false), run(3, Some("E11.9"), false)];
        // Turned round: the runs in words stay where they are.
        assert_eq!(
            placed(&runs, &["E11.9", "I10"], None),
            [(Some(3), c("E11.9")), (Some(2), None), (Some(1), c("I10"))]
        );
        // A written run stays in words, an empty one goes with its code.
        assert_eq!(placed(&runs, &[], None), [(Some(1), None), (Some(2), None)]);
        assert_eq!(follow(&runs, &[], None)[0].title, "title of I10");
    }

    #[test]
    fn a_new_code_takes_the_run_in_words_that_it_is_meant_for() {
        let runs = [run(1, Some("I10"), true), run(2, None, true)];
        assert_eq!(placed(&runs, &["I10", "M10.9"], Some(2)), [(Some(1), c("I10")), (Some(2), c("M10.9"))]);
        // A run that has a code keeps it, and a code that is there takes no other run.
        assert_eq!(
            placed(&runs, &["I10", "M10.9"], Some(1)),
            [(Some(1), c("I10")), (Some(2), None), (None, c("M10.9"))]
        );
        assert_eq!(placed(&runs, &["I10"], Some(2)), [(Some(1), c("I10")), (Some(2), None)]);
        assert_eq!(placed(&[], &["M10.9"], None), [(None, c("M10.9"))]);
    }

    #[test]
    fn nothing_is_lost_or_doubled_whatever_is_wanted() {
        let codes = ["A", "B", "C", "D"];
        for shape in 0..81_u32 {
            // Each of four runs: in words, coded and empty, coded and written.
            let kinds: Vec<u32> = (0..4).map(|i| shape / 3_u32.pow(i) % 3).collect();
            let runs: Vec<Run<u8>> = (0..4_u8)
                .zip(&kinds)
                .map(|(i, kind)| run(i, (*kind > 0).then(|| codes[usize::from(i)]), *kind == 2))
                .collect();
            for chosen in 0..16_u32 {
                let mut list: Vec<&str> = (0..4).filter(|i| chosen >> i & 1 == 1).map(|i| codes[i]).collect();
                if shape % 2 == 0 {
                    list.reverse();
                }
                for into in [None, Some(0), Some(3)] {
                    let out = follow(&runs, &wanted(&list), into);
                    let told: Vec<&str> = out.iter().filter_map(|p| p.code.as_deref()).collect();
                    assert_eq!(told, list, "{runs:?}");
                    let mut ids: Vec<u8> = out.iter().filter_map(|p| p.id).collect();
                    ids.sort_unstable();
                    let n = ids.len();
                    ids.dedup();
                    assert_eq!(n, ids.len(), "a run twice: {out:?}");
                    assert!(runs.iter().all(|r| !r.written || ids.contains(&r.id)), "text lost: {out:?}");
                }
            }
        }
    }

    #[test]
    fn a_lane_is_meant_by_the_line_before_the_focus() {
        let (one, two) = (["I10".to_owned()], ["I10".to_owned(), "E11.9".to_owned()]);
        assert_eq!(lane_meant(&one, c("M10.9")), c("I10"));
        assert_eq!((lane_meant(&two, c("M10.9")), lane_meant(&two, None)), (c("M10.9"), None));
    }

    #[test]
    fn a_run_is_moved() {
        assert_eq!(moved(&[1, 2, 3], 3, 0), [3, 1, 2]);
        assert_eq!(moved(&[1, 2, 3], 1, 9), [2, 3, 1]);
        assert_eq!(moved(&[1, 2, 3], 7, 0), [1, 2, 3]);
    }

    #[test]
    fn what_is_carried_is_counted_by_letters() {
        assert_eq!(carried_percent(&["No fever.  NO cough."], &["no fever. No cough."]), 100);
        assert_eq!(carried_percent(&["abcde. fghij"], &["abcde"]), 50);
        assert_eq!(carried_percent(&[" .\n"], &["abc"]), 0);
        assert_eq!(carried_percent(&["abc"], &[]), 0);
    }

    #[test]
    fn every_part_has_its_place() {
        for part in NotePart::ALL {
            assert!(belongs_in_run(*part) || GENERAL_PARTS.contains(part), "{part:?}");
        }
    }
}
