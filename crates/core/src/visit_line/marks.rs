//! Which marks a visit has reached, and what a move through the building does to them.

use super::Mark;
use crate::arrival::Stage;
use chrono::{DateTime, Utc};

/// When a mark was reached and by whom.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Reached {
    pub at: DateTime<Utc>,
    pub by: String,
}

/// The marks that a visit has reached; each at most once.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Marks([Option<Reached>; Mark::ALL.len()]);

impl Marks {
    pub fn get(&self, mark: Mark) -> Option<&Reached> {
        self.0[mark as usize].as_ref()
    }

    pub fn has(&self, mark: Mark) -> bool {
        self.get(mark).is_some()
    }

    /// When the mark was reached.
    pub fn at(&self, mark: Mark) -> Option<DateTime<Utc>> {
        self.get(mark).map(|r| r.at)
    }

    /// Reaches a mark, or takes it back.
    pub fn set(&mut self, mark: Mark, reached: Option<Reached>) {
        self.0[mark as usize] = reached;
    }

    /// Those that are reached, in the order of the line.
    pub fn iter(&self) -> impl Iterator<Item = (Mark, &Reached)> {
        Mark::ALL.iter().filter_map(|mark| Some((*mark, self.get(*mark)?)))
    }
}

impl FromIterator<(Mark, Reached)> for Marks {
    fn from_iter<I: IntoIterator<Item = (Mark, Reached)>>(reached: I) -> Self {
        let mut marks = Marks::default();
        for (mark, r) in reached {
            marks.set(mark, Some(r));
        }
        marks
    }
}

/// What a move between two fixed stages does to the marks.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct OfMove {
    pub reached: Vec<Mark>,
    pub taken_back: Option<Mark>,
}

/// The marks that a move reaches, or the one that it takes back when it is a step back.
pub fn of_move(from: Stage, to: Stage, marks: &Marks) -> OfMove {
    let mark_of = |stage| match stage {
        Stage::Here => Some(Mark::Here),
        Stage::CheckedIn => Some(Mark::CheckedIn),
        Stage::InRoom => Some(Mark::Roomed),
        Stage::WithClinician => Some(Mark::Seen),
        _ => None,
    };
    if from.previous() == Some(to) {
        return OfMove { reached: vec![], taken_back: mark_of(from) };
    }
    // Whoever is checked in was here, also when nobody said so before.
    let here = (to == Stage::CheckedIn && !marks.has(Mark::Here)).then_some(Mark::Here);
    OfMove { reached: here.into_iter().chain(mark_of(to)).collect(), taken_back: None }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_move_on_reaches_and_a_step_back_takes_back() {
        let mut marks = Marks::default();
        let moved = |from, to, marks: &Marks| of_move(from, to, marks);
        assert_eq!(moved(Stage::Booked, Stage::Here, &marks).reached, [Mark::Here]);
        assert_eq!(moved(Stage::Booked, Stage::CheckedIn, &marks).reached, [Mark::Here, Mark::CheckedIn]);
        marks.set(Mark::Here, Some(Reached { at: DateTime::UNIX_EPOCH, by: "Junia".into() }));
        assert_eq!(moved(Stage::Here, Stage::CheckedIn, &marks).reached, [Mark::CheckedIn]);
        assert_eq!(moved(Stage::InRoom, Stage::WithClinician, &marks).reached, [Mark::Seen]);
        let back = moved(Stage::WithClinician, Stage::InRoom, &marks);
        assert_eq!((back.reached, back.taken_back), (vec![], Some(Mark::Seen)));
        assert_eq!(moved(Stage::WithClinician, Stage::ReadyToLeave, &marks), OfMove::default());
    }

    #[test]
    fn marks_are_listed_in_the_order_of_the_line() {
        let reached = |by: &str| Reached { at: DateTime::UNIX_EPOCH, by: by.into() };
        let marks: Marks = [(Mark::Seen, reached("b")), (Mark::Booked, reached("a"))].into_iter().collect();
        assert_eq!(marks.iter().map(|(m, _)| m).collect::<Vec<_>>(), [Mark::Booked, Mark::Seen]);
        assert!(marks.has(Mark::Seen) && !marks.has(Mark::Here));
    }
}
