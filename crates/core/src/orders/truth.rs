//! Which of the reports of one number holds, in whatever order they came in, and whether a report is about the person of
//! its order.

use super::{OrderState, ReportStatus};
use chrono::{DateTime, Utc};

/// How far a report had come when it was issued.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Issued {
    pub status: ReportStatus,
    pub at: DateTime<Utc>,
}

impl Issued {
    /// What is settled later in the laboratory's work weighs more than what is issued later: a preliminary report that
    /// was under way for long says nothing new. A correction and a cancellation both follow a final report, and the later
    /// of the two holds.
    fn weight(self) -> (u8, DateTime<Utc>) {
        let settled = match self.status {
            ReportStatus::Registered => 0,
            ReportStatus::Preliminary => 1,
            ReportStatus::Final => 2,
            ReportStatus::Corrected | ReportStatus::Cancelled => 3,
        };
        (settled, self.at)
    }
}

/// What a report that comes in is to the one of its number that holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Arrival {
    First,
    /// It holds from now on, in the place of the other.
    Replaces,
    /// It came too late: the other goes on to hold, and this one is only kept.
    Late,
}

pub fn arrival(new: Issued, holds: Option<Issued>) -> Arrival {
    match holds {
        None => Arrival::First,
        Some(holds) if new.weight() > holds.weight() => Arrival::Replaces,
        Some(_) => Arrival::Late,
    }
}

/// Whether something of a report can be read by now: one that is only registered, or was cancelled, is no result.
pub fn is_result(status: ReportStatus) -> bool {
    matches!(status, ReportStatus::Preliminary | ReportStatus::Final | ReportStatus::Corrected)
}

/// What an order becomes by a report that holds: one that is only registered says that they
/// work on it, and one that was cancelled
/// leaves the order to a person.
pub fn answered(status: ReportStatus) -> OrderState {
    match status {
        ReportStatus::Registered => OrderState::InProgress,
        ReportStatus::Preliminary => OrderState::Preliminary,
        ReportStatus::Final | ReportStatus::Corrected => OrderState::Resulted,
        ReportStatus::Cancelled => OrderState::Rejected,
    }
}

/// What an order becomes whose report was about somebody else: it waits again.
pub fn waits_again(specimen_taken: bool) -> OrderState {
    if specimen_taken { OrderState::SpecimenTaken } else { OrderState::Accepted }
}

/// Whether the person that a report names is the one that its order is for: one of their record numbers, also of a record
/// that was merged into theirs. Who names nobody, or somebody else, is not certain, whatever the order's number says.
pub fn is_about(named: &str, numbers: &[String]) -> bool {
    let told = |text: &str| text.trim().to_uppercase();
    let named = told(named);
    !named.is_empty() && numbers.iter().any(|n| told(n) == named)
}

/// What a corrected report says otherwise than the one it stands for.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Changed {
    /// For each value of the report: what it said before, where that was something else. A value that is new was nothing.
    pub was: Vec<Option<String>>,
    /// Values that are not there any more, in words.
    pub gone: Vec<String>,
}

/// A value in words, with the test that it is of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Worded {
    pub test_key: String,
    pub name: String,
    pub words: String,
}

/// Compares value by value; of several of one test the first is compared with the first.
pub fn changed(now: &[Worded], before: &[Worded]) -> Changed {
    let mut left: Vec<&Worded> = before.iter().collect();
    let mut was = Vec::new();
    for value in now {
        let old = left.iter().position(|b| b.test_key == value.test_key).map(|at| left.remove(at));
        was.push(match old {
            Some(old) if old.words == value.words => None,
            Some(old) => Some(old.words.clone()),
            None => Some("not there".to_owned()),
        });
    }
    Changed { was, gone: left.into_iter().map(|b| format!("{} {}", b.name, b.words)).collect() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use ReportStatus::{Cancelled, Corrected, Final, Preliminary, Registered};
    use proptest::prelude::*;

    fn issued(status: ReportStatus, minute: i64) -> Issued {
        Issued { status, at: DateTime::UNIX_EPOCH + chrono::Duration::minutes(minute) }
    }

    #[test]
    fn a_late_preliminary_never_replaces_a_final() {
        for (new, holds, is) in [
            (issued(Preliminary, 9), Some(issued(Final, 5)), Arrival::Late),
            (issued(Final, 5), Some(issued(Preliminary, 9)), Arrival::Replaces),
            (issued(Corrected, 6), Some(issued(Final, 5)), Arrival::Replaces),
            (issued(Final, 7), Some(issued(Corrected, 6)), Arrival::Late),
            (issued(Corrected, 6), Some(issued(Corrected, 8)), Arrival::Late),
            (issued(Cancelled, 8), Some(issued(Corrected, 6)), Arrival::Replaces),
            (issued(Corrected, 9), Some(issued(Cancelled, 8)), Arrival::Replaces),
            (issued(Registered, 1), None, Arrival::First),
        ] {
            assert_eq!(arrival(new, holds), is, "{new:?} after {holds:?}");
        }
    }

    #[test]
    fn an_order_waits_until_a_settled_report_is_here() {
        let open: Vec<bool> = ReportStatus::ALL.iter().map(|s| answered(*s).is_open()).collect();
        let result: Vec<bool> = ReportStatus::ALL.iter().map(|s| *s != Final && *s != Corrected).collect();
        assert_eq!(open, result);
    }

    #[test]
    fn a_report_is_about_whom_it_names() {
        let numbers = ["IH-10005".to_owned(), "IH-10190".to_owned()];
        assert!(is_about("ih-10005 ", &numbers) && is_about("IH-10190", &numbers));
        assert!(!is_about("IH-10006", &numbers) && !is_about("", &numbers) && !is_about("IH-10005", &[]));
    }

    #[test]
    fn what_was_corrected_is_told_value_by_value() {
        let value = |name: &str, words: &str| Worded { test_key: name.into(), name: name.into(), words: words.into() };
        let before = [
            value("Sodium", "141"),
            value("Potassium", "5.3"),
            value("Culture", "no growth"),
            value("Potassium", "5.2"),
        ];
        let now =
            [value("Potassium", "4.1"), value("Sodium", "141"), value("Glucose", "92"), value("Potassium", "5.2")];
        let told = changed(&now, &before);
        assert_eq!(told.was, [Some("5.3".into()), None, Some("not there".into()), None]);
        assert_eq!(told.gone, ["Culture no growth"]);
    }

    fn any_status() -> impl Strategy<Value = ReportStatus> {
        prop_oneof![Just(Registered), Just(Preliminary), Just(Final), Just(Corrected), Just(Cancelled)]
    }

    proptest! {
        #[test]
        fn in_whatever_order_they_come_the_same_one_holds(
            all in prop::collection::vec((any_status(), 0i64..1000), 1..12)
                .prop_map(|all| all.into_iter().map(|(s, m)| issued(s, m)).collect::<Vec<_>>()),
            seed in any::<u64>(),
        ) {
            let end = |order: &[Issued]| {
                order.iter().fold(None, |holds, new| match arrival(*new, holds) {
                    Arrival::Late => holds,
                    Arrival::First | Arrival::Replaces => Some(*new),
                })
            };
            let mut other = all.clone();
            let turns = usize::try_from(seed % 97).unwrap_or(0) % other.len();
            other.rotate_left(turns);
            if seed % 2 == 0 {
                other.reverse();
            }
            // A correction and a cancellation of one instant are the only two that weigh the same and differ.
            let weight = |i: Option<Issued>| i.map(Issued::weight);
            prop_assert_eq!(weight(end(&all)), weight(end(&other)));
        }
    }
}
