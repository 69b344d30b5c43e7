//! Presence: the stages a patient passes in the building, and the moves between them.

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

/// The expected minutes until a waiting patient is roomed: those before in the queue at the
/// clinician's usual pace, less what the present patient has already had.
pub fn expected_wait(ahead: u32, pace_minutes: u32, present_for: Option<u32>) -> u32 {
    let current = present_for.map_or(0, |spent| pace_minutes.saturating_sub(spent));
    ahead.saturating_mul(pace_minutes).saturating_add(current)
}

#[cfg(test)]
mod tests {
    use super::*;

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
}
