//! Presence: the stages a patient passes in the building, and the moves between them.

use chrono::{DateTime, Utc};

coded! {
    /// Where the patient is.
    Stage {
        Booked = "booked", "Booked";
        Here = "here", "Here";
        CheckedIn = "checked_in", "Checked in";
        InRoom = "in_room", "In room";
        WithClinician = "with_clinician", "With clinician";
        ReadyToLeave = "ready_to_leave", "Ready to leave";
        Left = "left", "Left";
        LeftUnseen = "left_unseen", "Left without being seen";
        DidNotCome = "did_not_come", "Did not come";
        Cancelled = "cancelled", "Cancelled";
    }
}

/// A move that the stage does not allow.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum MoveRefusal {
    #[error("The visit is {from}; it cannot become {to} from there.", from = from.label().to_lowercase(), to = to.label().to_lowercase())]
    NotFromHere { from: Stage, to: Stage },
    #[error("Choose a room first.")]
    NeedsRoom,
    #[error("{0} is occupied.")]
    RoomOccupied(String),
    #[error("Check-in is not finished; finish it first, or room the patient with check-in open.")]
    CheckInOpen,
}

impl Stage {
    /// The stage that usually follows; what the full stop key moves to.
    pub fn next(self) -> Option<Stage> {
        use Stage::*;
        match self {
            Booked => Some(Here),
            Here => Some(CheckedIn),
            CheckedIn => Some(InRoom),
            InRoom => Some(WithClinician),
            WithClinician => Some(ReadyToLeave),
            ReadyToLeave => Some(Left),
            Left | LeftUnseen | DidNotCome | Cancelled => None,
        }
    }

    /// The stage that taking the last move back returns to.
    pub fn previous(self) -> Option<Stage> {
        use Stage::*;
        match self {
            Here | DidNotCome | Cancelled => Some(Booked),
            CheckedIn | LeftUnseen => Some(Here),
            InRoom => Some(CheckedIn),
            WithClinician => Some(InRoom),
            ReadyToLeave => Some(WithClinician),
            Left => Some(ReadyToLeave),
            Booked => None,
        }
    }

    /// Whether the patient is in the building.
    pub fn is_present(self) -> bool {
        use Stage::*;
        matches!(self, Here | CheckedIn | InRoom | WithClinician | ReadyToLeave)
    }

    /// Whether the move is one that happens in a clinic: one step on or back, into a room straight
    /// from the waiting room (check-in finished later), out without being seen, or never come.
    pub fn may_become(self, to: Stage) -> Result<(), MoveRefusal> {
        use Stage::*;
        let fine = self.next() == Some(to)
            || self.previous() == Some(to)
            || matches!(
                (self, to),
                (Booked, DidNotCome | Cancelled | CheckedIn)
                    | (Here, InRoom | Cancelled | LeftUnseen)
                    | (CheckedIn | InRoom, LeftUnseen)
                    | (WithClinician, Left)
                    | (InRoom, ReadyToLeave)
            );
        if fine { Ok(()) } else { Err(MoveRefusal::NotFromHere { from: self, to }) }
    }
}

coded! {
    /// The steps of check-in, in their usual order.
    CheckInStep {
        Visit = "visit", "Visit";
        Details = "details", "Details and contact";
        Coverage = "coverage", "Coverage";
        Benefits = "benefits", "Benefits check";
        Collect = "collect", "Balances and copay";
    }
}

/// The usual minutes that a clinician spends with a patient, until the clinic has measured its own.
pub const USUAL_MINUTES: u32 = 20;

/// One visit of a clinician's day, as the waiting line sees it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct InLine<Id> {
    pub visit: Id,
    pub clinician: Id,
    pub starts_at: DateTime<Utc>,
    pub stage: Stage,
    pub seen_at: Option<DateTime<Utc>>,
}

/// Those who wait for a room, in expected order, with the minutes until each is roomed: everybody of
/// the same clinician who is before them takes the usual minutes, less what the one who is with the
/// clinician has already had. Those booked earlier go first, also when they came later.
pub fn waiting_line<Id: Copy + Ord>(day: &[InLine<Id>], now: DateTime<Utc>) -> Vec<(Id, u32)> {
    use Stage::*;
    let mut line: Vec<(u32, DateTime<Utc>, Id)> = day
        .iter()
        .filter(|p| matches!(p.stage, Here | CheckedIn))
        .map(|p| {
            let same = || day.iter().filter(|o| o.clinician == p.clinician);
            let ahead = same()
                .filter(|o| matches!(o.stage, Here | CheckedIn | InRoom))
                .filter(|o| (o.starts_at, o.visit) < (p.starts_at, p.visit))
                .count();
            let spent = same()
                .find(|o| o.stage == WithClinician)
                .and_then(|o| o.seen_at)
                .map(|at| u32::try_from((now - at).num_minutes()).unwrap_or(0));
            let ahead = u32::try_from(ahead).unwrap_or(u32::MAX);
            (expected_wait(ahead, USUAL_MINUTES, spent), p.starts_at, p.visit)
        })
        .collect();
    line.sort_unstable();
    line.into_iter().map(|(minutes, _, visit)| (visit, minutes)).collect()
}

/// The expected minutes until a waiting patient is roomed: those before in the queue at the
/// clinician's usual pace, less what the present patient has already had.
fn expected_wait(ahead: u32, pace_minutes: u32, present_for: Option<u32>) -> u32 {
    let current = present_for.map_or(0, |spent| pace_minutes.saturating_sub(spent));
    ahead.saturating_mul(pace_minutes).saturating_add(current)
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;

    #[test]
    fn moving_on_and_back_meet() {
        for &stage in Stage::ALL {
            if let Some(next) = stage.next() {
                assert_eq!(stage.may_become(next), Ok(()));
                assert_eq!(next.previous(), Some(stage));
            }
        }
    }

    #[test]
    fn nobody_is_seen_before_arriving() {
        assert!(Stage::Booked.may_become(Stage::WithClinician).is_err());
        assert!(Stage::DidNotCome.may_become(Stage::InRoom).is_err());
        assert_eq!(Stage::Here.may_become(Stage::InRoom), Ok(()));
        let said = Stage::Left.may_become(Stage::InRoom).unwrap_err().to_string();
        assert_eq!(said, "The visit is left; it cannot become in room from there.");
    }

    #[test]
    fn waiting_is_the_queue_at_the_usual_pace() {
        assert_eq!(expected_wait(0, 20, None), 0);
        assert_eq!(expected_wait(2, 20, Some(5)), 55);
        assert_eq!(expected_wait(1, 20, Some(90)), 20);
    }

    #[test]
    fn the_waiting_line_goes_by_clinician_and_time_booked() {
        let at = |h, m| Utc.with_ymd_and_hms(2026, 11, 23, h, m, 0).unwrap();
        let now = at(10, 20);
        let one =
            |visit, clinician, h, m, stage| InLine { visit, clinician, starts_at: at(h, m), stage, seen_at: None };
        let with = InLine { seen_at: Some(at(10, 12)), ..one(1, 7, 9, 40, Stage::WithClinician) };
        let day = [
            one(4, 7, 10, 20, Stage::Here),
            one(3, 7, 10, 0, Stage::CheckedIn),
            with,
            one(5, 8, 10, 0, Stage::Here),
            one(6, 7, 8, 0, Stage::Left),
            one(7, 7, 9, 0, Stage::Booked),
        ];
        // The colleague is free; ours has 12 minutes to go with the one inside.
        assert_eq!(waiting_line(&day, now), [(5, 0), (3, 12), (4, 32)]);
        assert_eq!(waiting_line::<u32>(&[], now), []);
    }

    #[test]
    fn who_waits_in_a_room_is_still_before_the_next() {
        let at = |m| Utc.with_ymd_and_hms(2026, 11, 23, 10, m, 0).unwrap();
        let one = |visit, m, stage| InLine { visit, clinician: 1, starts_at: at(m), stage, seen_at: None };
        let day = [one(1, 0, Stage::InRoom), one(2, 20, Stage::CheckedIn)];
        assert_eq!(waiting_line(&day, at(25)), [(2, 20)]);
    }
}
