//! What is said of somebody's past and life when something of it stands there already.

use super::Item;
use crate::consult::HistoryKind;
use crate::people::fold;

/// The one entry that an entry of the histories says from now on: what is said anew stays one, and of its kind.
pub fn said_anew(understood: &[Item], kind: HistoryKind) -> Result<&Item, String> {
    match understood {
        [one] if one.history() == Some(kind) && !one.is_too_long() => Ok(one),
        _ => {
            let heard: Vec<String> = understood.iter().map(Item::in_words).collect();
            Err(format!("This is not one entry under {}; it reads: {}.", kind.label().to_lowercase(), heard.join("; ")))
        }
    }
}

/// All entries of a line that says nothing but histories.
pub fn said_of_the_past(understood: &[Item]) -> Result<&[Item], String> {
    let all = !understood.is_empty() && understood.iter().all(|i| i.history().is_some() && !i.is_too_long());
    if all {
        return Ok(understood);
    }
    let heard: Vec<String> = understood.iter().map(Item::in_words).collect();
    Err(format!("Not all of this is history; it reads: {}.", heard.join("; ")))
}

/// What something newly said is to an entry that holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Bearing {
    /// It says nothing new.
    Same,
    /// The entry says this from now on: somebody smokes ten a day or twenty, never both.
    Renews,
    /// Both hold beside each other.
    Apart,
}

/// Which of the entries that hold says `new` from now on, by its position; none when it stands beside them, and an
/// error when it says nothing that is not there.
pub fn renewed(new: &Item, held: &[Item]) -> Result<Option<usize>, String> {
    let all: Vec<Bearing> = held.iter().map(|h| bearing(new, h)).collect();
    match all.contains(&Bearing::Same) {
        true => Err(format!("{} stands there already.", new.told())),
        false => Ok(all.iter().position(|b| *b == Bearing::Renews)),
    }
}

/// Relatives of whom everybody has one.
fn is_one(relative: &str) -> bool {
    matches!(
        relative,
        "mother"
            | "father"
            | "maternal grandmother"
            | "maternal grandfather"
            | "paternal grandmother"
            | "paternal grandfather"
    )
}

/// Judges what is newly said by one entry that holds.
fn bearing(new: &Item, held: &Item) -> Bearing {
    if new.row() == held.row() {
        return Bearing::Same;
    }
    // Of a mother who had it at 40, that she had it says nothing more.
    if let (
        Item::Family { relative, condition, age: None, born: None, died: false },
        Item::Family { relative: kin, condition: known, .. },
    ) = (new, held)
        && is_one(relative)
        && relative == kin
        && fold(condition) == fold(known)
    {
        return Bearing::Same;
    }
    let renews = match (new, held) {
        (Item::Social { topic, said, .. }, Item::Social { topic: held, said: was, .. }) if topic == held => {
            match topic.as_str() {
                // Several can be taken, and several things done; none is the end of each, and each the end of none.
                "drugs" => said == was || [said, was].iter().any(|s| *s == "uses no drugs"),
                "exercise" => said == was || [said, was].iter().any(|s| *s == "does not exercise"),
                _ => true,
            }
        }
        // Two brothers may have the same: only what says more of the one that nothing more is known of is the same one.
        (
            Item::Family { relative, condition, .. },
            Item::Family { relative: kin, condition: held, age: None, born: None, died: false },
        ) => fold(relative) == fold(kin) && fold(condition) == fold(held),
        (Item::Past { surgical, what, .. }, Item::Past { surgical: way, what: held, when: None }) => {
            surgical == way && fold(what) == fold(held)
        }
        _ => false,
    };
    if renews { Bearing::Renews } else { Bearing::Apart }
}

#[cfg(test)]
mod tests {
    use super::super::{Known, understand};
    use super::*;
    use chrono::NaiveDate;

    fn read(line: &str) -> Vec<Item> {
        understand(line, &Known::nothing(NaiveDate::from_ymd_opt(2026, 11, 23).unwrap()))
    }

    #[test]
    fn what_is_said_anew_stays_one_entry_of_its_kind() {
        let anew = |line: &str, kind| said_anew(&read(line), kind).map(Item::in_words);
        assert!(anew("mother asthma at 40", HistoryKind::Family).is_ok());
        assert!(anew("mother asthma", HistoryKind::Social).unwrap_err().contains("not one entry under"));
        assert!(anew("mother asthma father gout", HistoryKind::Family).is_err());
        assert!(anew("", HistoryKind::Family).is_err());
        assert!(anew("smoker 10/day", HistoryKind::Social).is_ok());
    }

    #[test]
    fn a_line_of_histories_holds_nothing_else() {
        assert_eq!(said_of_the_past(&read("mother asthma, smoker 10/day")).map(<[Item]>::len), Ok(2));
        assert!(said_of_the_past(&read("mother asthma, bp 128/82")).unwrap_err().contains("it reads"));
        assert!(said_of_the_past(&[]).is_err());
    }

    #[test]
    fn one_habit_is_said_once_and_two_brothers_are_two() {
        use Bearing::{Apart, Renews, Same};
        for (new, held, is) in [
            ("smoker 10/day", "smoker 10/day", Same),
            ("smoker 10/day", "smoker 20/day", Renews),
            ("ex-smoker", "smoker 20/day", Renews),
            ("alcohol 2/week", "smoker 20/day", Apart),
            ("retired", "works as teacher", Renews),
            ("cocaine weekly", "cannabis daily", Apart),
            ("no drugs", "cannabis daily", Renews),
            ("cannabis daily", "no drugs", Renews),
            ("mother asthma", "mother asthma", Same),
            ("mother asthma at 40", "mother asthma", Renews),
            ("mother asthma", "mother asthma at 40", Same),
            ("brother asthma", "brother asthma at 40", Apart),
            ("brother asthma at 20", "brother asthma at 40", Apart),
            ("mother asthma", "father asthma", Apart),
            ("appendectomy 1998", "appendectomy", Renews),
            ("flu shot 2024", "flu shot 2023", Apart),
        ] {
            let (one, other) = (read(new), read(held));
            assert_eq!((one.len(), other.len()), (1, 1), "{new} / {held}: {one:?} {other:?}");
            assert_eq!(bearing(&one[0], &other[0]), is, "{new} / {held}");
        }
        let held = [read("father gout"), read("smoker 20/day")].concat();
        assert_eq!(renewed(&read("smoker 10/day")[0], &held), Ok(Some(1)));
        assert_eq!(renewed(&read("mother gout")[0], &held), Ok(None));
        assert!(renewed(&read("father gout")[0], &held).unwrap_err().contains("stands there already"));
    }
}
