//! Presence: the stages a patient passes in the building, and the moves between them.
//!
//! [`walk`] is check-in, [`alerts`] what must be looked at first, [`forms`] what is signed, [`waiting`] when
//! each who waits will be roomed, [`hands`] what the clinicians are doing, [`rooms`] where they are,
//! [`own_stages`] what a clinic puts between the fixed stages, [`unbooked`] who comes without an appointment,
//! [`missed`] who did not come.

pub mod alerts;
pub mod forms;
pub mod hands;
pub mod missed;
pub mod own_stages;
pub mod rooms;
pub mod unbooked;
pub mod waiting;
pub mod walk;

use chrono::{DateTime, Duration, Utc};

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
    #[error("{0} is no room for examining that is in use.")]
    NoExamRoom(String),
    #[error("{0} is at another site than the visit.")]
    OtherSite(String),
    #[error("The visit is {}; move the booking on the schedule instead.", .0.label().to_lowercase())]
    NotHereYet(Stage),
    #[error("The visit is {}; another clinician cannot take it over any more.", .0.label().to_lowercase())]
    Begun(Stage),
    #[error("Check-in asks first: {0}")]
    CheckInOpen(String),
    #[error("This visit is of {0}. Mark it as here only if they come today instead: it is moved to today then.")]
    OtherDay(String),
    #[error("Nothing was moved here that could be taken back.")]
    NothingToTakeBack,
    #[error("Your last move is taken back already; choose a stage from the menu to go further.")]
    TakenBackAlready,
    #[error("The last move was made by {0}; take it back from the menu if it was a slip.")]
    NotYourMove(String),
}

/// The last move of a visit, as it was recorded.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LastMove<Id> {
    /// Nobody: the clinic's own rule.
    pub by: Option<Id>,
    pub name: String,
    /// It took back another one.
    pub back: bool,
}

/// Whether the key that takes back may act: on the last move of this visit, when this hand made it, and once. Whoever
/// wants more says where to.
pub fn may_take_back<Id: PartialEq>(last: Option<&LastMove<Id>>, me: &Id) -> Result<(), MoveRefusal> {
    match last {
        None => Err(MoveRefusal::NothingToTakeBack),
        Some(last) if last.by.as_ref() != Some(me) => Err(MoveRefusal::NotYourMove(last.name.clone())),
        Some(last) if last.back => Err(MoveRefusal::TakenBackAlready),
        Some(_) => Ok(()),
    }
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

    /// Whether the patient is here and not yet in a room.
    pub fn waits_for_room(self) -> bool {
        matches!(self, Stage::Here | Stage::CheckedIn)
    }

    /// Whether somebody else may see the patient instead: once they are here, until the clinician has begun.
    pub fn may_hand_over(self) -> Result<(), MoveRefusal> {
        use Stage::*;
        match self {
            Here | CheckedIn | InRoom => Ok(()),
            Booked => Err(MoveRefusal::NotHereYet(self)),
            _ => Err(MoveRefusal::Begun(self)),
        }
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
                    // They came after all.
                    | (DidNotCome, Here)
                    | (Here, InRoom | Cancelled | LeftUnseen)
                    | (CheckedIn | InRoom, LeftUnseen)
                    | (WithClinician, Left)
                    | (InRoom, ReadyToLeave)
            );
        if fine { Ok(()) } else { Err(MoveRefusal::NotFromHere { from: self, to }) }
    }
}

/// The clinic's own thresholds of the day, in minutes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Thresholds {
    /// Waiting as long as this is shown as long, and as too long.
    pub long: i64,
    pub too_long: i64,
    /// Who comes so much after the time booked is late.
    pub late: i64,
    /// Who has not come so long after the time booked did not come.
    pub did_not_come: i64,
    /// A critical result that nobody signed for so long goes to the next clinician on duty.
    pub critical: i64,
}

impl Thresholds {
    /// Minutes that a critical result may wait for its reader.
    pub const CRITICAL: std::ops::RangeInclusive<i64> = 5..=1440;

    /// Thresholds that make sense: each longer than the one before it, at most a day's work.
    pub fn checked(self) -> Option<Thresholds> {
        let fine = (1..=240).contains(&self.long)
            && (self.long + 1..=480).contains(&self.too_long)
            && (1..=240).contains(&self.late)
            && (self.late..=600).contains(&self.did_not_come)
            && Thresholds::CRITICAL.contains(&self.critical);
        fine.then_some(self)
    }

    /// How a stretch of waiting reads.
    pub fn wait(&self, minutes: i64) -> Wait {
        match minutes {
            m if m >= self.too_long => Wait::TooLong,
            m if m >= self.long => Wait::Long,
            _ => Wait::Fine,
        }
    }

    /// How long somebody has been here. Who waits for a room is judged by the whole time, others by the time in
    /// their stage.
    pub fn stay(
        &self,
        stage: Stage,
        (here_at, stage_at): (Option<DateTime<Utc>>, DateTime<Utc>),
        now: DateTime<Utc>,
    ) -> Stay {
        let since = |at: DateTime<Utc>| (now - at).num_minutes().max(0);
        let (total, in_stage) = (here_at.map_or(0, since), since(stage_at));
        Stay { in_stage, total, wait: self.wait(if stage.waits_for_room() { total } else { in_stage }) }
    }

    /// How many minutes late somebody came, or is by now; nothing when they are in time by the clinic's rule.
    pub fn late_by(&self, booked: DateTime<Utc>, here: Option<DateTime<Utc>>, now: DateTime<Utc>) -> Option<i64> {
        let late = (here.unwrap_or(now) - booked).num_minutes();
        (late >= self.late).then_some(late)
    }

    /// Whether a booked visit counts as not come by now.
    pub fn has_not_come(&self, stage: Stage, booked: DateTime<Utc>, now: DateTime<Utc>) -> bool {
        stage == Stage::Booked && now >= booked + Duration::minutes(self.did_not_come)
    }
}

/// How long somebody has been here, in minutes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Stay {
    pub in_stage: i64,
    pub total: i64,
    pub wait: Wait,
}

coded! {
    Wait {
        Fine = "fine", "waiting";
        Long = "long", "waiting long";
        TooLong = "too_long", "waiting too long";
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;

    #[test]
    fn lateness_waiting_and_not_coming_by_the_clinics_rule() {
        let rule = Thresholds { long: 15, too_long: 30, late: 10, did_not_come: 45, critical: 30 }.checked().unwrap();
        assert_eq!([14, 15, 29, 30].map(|m| rule.wait(m)), [Wait::Fine, Wait::Long, Wait::Long, Wait::TooLong]);
        let at = |h, m| Utc.with_ymd_and_hms(2026, 11, 23, h, m, 0).unwrap();
        let stay = |stage| rule.stay(stage, (Some(at(9, 0)), at(9, 30)), at(9, 40));
        assert_eq!(stay(Stage::CheckedIn), Stay { in_stage: 10, total: 40, wait: Wait::TooLong });
        assert_eq!(stay(Stage::InRoom).wait, Wait::Fine, "ten minutes in the room");
        assert_eq!(rule.late_by(at(9, 0), Some(at(9, 12)), at(11, 0)), Some(12));
        assert_eq!(rule.late_by(at(9, 0), Some(at(9, 9)), at(11, 0)), None);
        assert_eq!(rule.late_by(at(9, 0), None, at(9, 10)), Some(10), "not here yet");
        assert!(rule.has_not_come(Stage::Booked, at(9, 0), at(9, 45)));
        assert!(!rule.has_not_come(Stage::Booked, at(9, 0), at(9, 44)));
        assert!(!rule.has_not_come(Stage::Here, at(9, 0), at(12, 0)));
        assert_eq!(Stage::DidNotCome.may_become(Stage::Here), Ok(()), "they came after all");
        // The night when the clock goes back: minutes are minutes.
        let before = Utc.with_ymd_and_hms(2026, 11, 1, 5, 30, 0).unwrap();
        assert!(!rule.has_not_come(Stage::Booked, before, before + Duration::minutes(44)));
        for wrong in [
            Thresholds { long: 0, ..rule },
            Thresholds { too_long: 15, ..rule },
            Thresholds { did_not_come: 9, ..rule },
            Thresholds { late: -1, ..rule },
            Thresholds { critical: 4, ..rule },
        ] {
            assert_eq!(wrong.checked(), None);
        }
    }

    #[test]
    fn somebody_else_takes_over_only_between_coming_and_being_seen() {
        let may: Vec<Stage> = Stage::ALL.iter().copied().filter(|s| s.may_hand_over().is_ok()).collect();
        assert_eq!(may, [Stage::Here, Stage::CheckedIn, Stage::InRoom]);
        let said = |s: Stage| s.may_hand_over().unwrap_err().to_string();
        assert_eq!(said(Stage::Booked), "The visit is booked; move the booking on the schedule instead.");
        assert!(said(Stage::WithClinician).contains("cannot take it over any more"));
    }

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
    fn the_key_takes_back_the_last_move_of_this_hand_and_no_other() {
        let last = |by: Option<u8>, back| LastMove { by, name: "Petra".into(), back };
        assert_eq!(may_take_back(Some(&last(Some(1), false)), &1), Ok(()));
        assert_eq!(may_take_back(Some(&last(Some(1), true)), &1), Err(MoveRefusal::TakenBackAlready));
        assert_eq!(may_take_back(Some(&last(Some(2), false)), &1), Err(MoveRefusal::NotYourMove("Petra".into())));
        assert!(may_take_back(Some(&last(None, false)), &1).is_err(), "the clinic's rule is nobody's own move");
        assert_eq!(may_take_back(None, &1), Err(MoveRefusal::NothingToTakeBack));
    }

    #[test]
    fn nobody_is_seen_before_arriving() {
        assert!(Stage::Booked.may_become(Stage::WithClinician).is_err());
        assert!(Stage::DidNotCome.may_become(Stage::InRoom).is_err());
        assert_eq!(Stage::Here.may_become(Stage::InRoom), Ok(()));
        let said = Stage::Left.may_become(Stage::InRoom).unwrap_err().to_string();
        assert_eq!(said, "The visit is left; it cannot become in room from there.");
    }
}
