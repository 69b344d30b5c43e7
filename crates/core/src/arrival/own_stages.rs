//! The clinic's own stages between the fixed ones: a blood draw before the clinician comes, a watch after a vaccine.
//!
//! The fixed stages carry the visit line; an own stage lies within one of them and never changes a mark. So the
//! line stays the same whatever a clinic adds.

use super::Stage;

coded! {
    /// Where an own stage takes place.
    Where {
        Room = "room", "in the room";
        Lab = "lab", "at the blood draw";
        Waiting = "waiting", "in the waiting area";
    }
}

/// A stage of the clinic's own.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OwnStage<Id> {
    pub id: Id,
    pub name: String,
    /// The fixed stage within which it lies, and after which it comes.
    pub after: Stage,
    pub place: Where,
    /// Everybody passes it on the way; otherwise it is only chosen.
    pub walked: bool,
}

/// Where somebody is: a fixed stage, and the clinic's own within it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct At<Id> {
    pub stage: Stage,
    pub own: Option<Id>,
}

impl<Id> From<Stage> for At<Id> {
    fn from(stage: Stage) -> Self {
        At { stage, own: None }
    }
}

/// Whether the clinician is done with somebody: at an own stage that follows the clinician, or beyond. Who went
/// unseen was never begun.
pub fn is_done<Id>(at: At<Id>) -> bool {
    let after_the_clinician = at.stage == Stage::WithClinician && at.own.is_some();
    after_the_clinician || matches!(at.stage, Stage::ReadyToLeave | Stage::Left)
}

/// Where somebody stands for the waiting line and the clinicians' hands: done is done, wherever they sit.
pub fn in_line<Id>(at: At<Id>) -> Stage {
    if at.stage == Stage::WithClinician && at.own.is_some() { Stage::ReadyToLeave } else { at.stage }
}

/// Why a stage cannot be one of the clinic's own.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum OwnStageRefusal {
    #[error("An own stage comes after here, checked in, in room or with clinician.")]
    NotThere,
    #[error("Before somebody is in a room there is no room to stay in.")]
    NoRoomYet,
    #[error("There is a stage {0} already.")]
    SameName(String),
}

/// The fixed stages that one of the clinic's own may follow.
pub const MAY_FOLLOW: [Stage; 4] = [Stage::Here, Stage::CheckedIn, Stage::InRoom, Stage::WithClinician];

impl<Id: Copy + PartialEq> OwnStage<Id> {
    /// A stage that a clinic can have beside its others.
    pub fn checked(&self, others: &[OwnStage<Id>]) -> Result<(), OwnStageRefusal> {
        if !MAY_FOLLOW.contains(&self.after) {
            return Err(OwnStageRefusal::NotThere);
        }
        if self.after.waits_for_room() && self.place == Where::Room {
            return Err(OwnStageRefusal::NoRoomYet);
        }
        let fixed = Stage::ALL.iter().map(|s| s.label());
        let own = others.iter().filter(|o| o.id != self.id).map(|o| o.name.as_str());
        let same = fixed.chain(own).find(|name| name.to_lowercase() == self.name.to_lowercase());
        same.map_or(Ok(()), |name| Err(OwnStageRefusal::SameName(name.to_owned())))
    }

    /// Whether the exam room stays theirs meanwhile. Before the clinician was there it does, wherever they went;
    /// after, only when they stay in it.
    pub fn keeps_room(&self) -> bool {
        self.after == Stage::InRoom || self.place == Where::Room
    }
}

/// The own stages that everybody passes within a fixed one, in the clinic's order.
fn walked<Id: Copy>(within: Stage, own: &[OwnStage<Id>]) -> impl Iterator<Item = Id> + '_ {
    own.iter().filter(move |o| o.after == within && o.walked).map(|o| o.id)
}

/// Where somebody comes next; what the full stop key moves to. `own` stands in the clinic's order.
pub fn next<Id: Copy + PartialEq>(at: At<Id>, own: &[OwnStage<Id>]) -> Option<At<Id>> {
    let within = |own: Option<Id>| own.map(|id| At { stage: at.stage, own: Some(id) });
    let following = match at.own {
        None => walked(at.stage, own).next(),
        // From one that is only chosen the way goes on behind it.
        Some(here) => {
            own.iter().skip_while(|o| o.id != here).skip(1).find(|o| o.after == at.stage && o.walked).map(|o| o.id)
        }
    };
    // Who did not come, and comes after all, is here.
    let after_all = (at.stage == Stage::DidNotCome).then_some(Stage::Here);
    within(following).or_else(|| at.stage.next().or(after_all).map(At::from))
}

/// Where taking the last move back leads: the way of [`next`], backwards.
pub fn previous<Id: Copy + PartialEq>(at: At<Id>, own: &[OwnStage<Id>]) -> Option<At<Id>> {
    if let Some(here) = at.own {
        let before = own.iter().take_while(|o| o.id != here).filter(|o| o.after == at.stage && o.walked).last();
        return Some(At { stage: at.stage, own: before.map(|o| o.id) });
    }
    let back = at.stage.previous()?;
    Some(At { stage: back, own: walked(back, own).last() })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn own(id: u32, after: Stage, place: Where, walked: bool) -> OwnStage<u32> {
        OwnStage { id, name: format!("stage {id}"), after, place, walked }
    }

    #[test]
    fn own_stages_are_passed_in_order_or_only_chosen() {
        use Stage::*;
        let all = [
            own(1, InRoom, Where::Lab, true),
            own(2, InRoom, Where::Room, false),
            own(3, InRoom, Where::Room, true),
            own(4, WithClinician, Where::Waiting, false),
        ];
        let at = |stage, own| At { stage, own };
        assert_eq!(next(at(InRoom, None), &all), Some(at(InRoom, Some(1))));
        assert_eq!(next(at(InRoom, Some(1)), &all), Some(at(InRoom, Some(3))), "the second is only chosen");
        assert_eq!(next(at(InRoom, Some(2)), &all), Some(at(InRoom, Some(3))), "behind the one that was chosen");
        assert_eq!(next(at(InRoom, Some(3)), &all), Some(at(WithClinician, None)));
        assert_eq!(next(at(WithClinician, Some(4)), &all), Some(at(ReadyToLeave, None)));
        assert_eq!(previous(at(WithClinician, None), &all), Some(at(InRoom, Some(3))));
        assert_eq!(previous(at(InRoom, Some(2)), &all), Some(at(InRoom, Some(1))));
        assert_eq!(previous(at(WithClinician, Some(4)), &all), Some(at(WithClinician, None)));
        assert_eq!(next(at(Left, None), &all), None);
    }

    #[test]
    fn the_room_stays_theirs_until_the_clinician_was_there() {
        assert!(own(1, Stage::InRoom, Where::Lab, true).keeps_room());
        assert!(own(1, Stage::WithClinician, Where::Room, true).keeps_room());
        assert!(!own(1, Stage::WithClinician, Where::Lab, true).keeps_room());
        assert!(!own(1, Stage::CheckedIn, Where::Waiting, true).keeps_room());
    }

    #[test]
    fn a_watch_after_the_clinician_frees_their_hands() {
        let watch = At { stage: Stage::WithClinician, own: Some(1) };
        assert!(is_done(watch) && !is_done(At::<u32>::from(Stage::WithClinician)));
        assert!(!is_done(At { stage: Stage::InRoom, own: Some(1) }), "before the clinician came");
        assert!(is_done(At::<u32>::from(Stage::Left)) && !is_done(At::<u32>::from(Stage::LeftUnseen)));
        assert_eq!(in_line(watch), Stage::ReadyToLeave);
        assert_eq!(in_line(At { stage: Stage::InRoom, own: Some(1) }), Stage::InRoom);
    }

    #[test]
    fn a_stage_that_cannot_be_is_refused() {
        let one = own(1, Stage::InRoom, Where::Lab, true);
        assert_eq!(one.checked(&[]), Ok(()));
        assert_eq!(one.checked(std::slice::from_ref(&one)), Ok(()), "itself");
        assert_eq!(own(2, Stage::Left, Where::Lab, true).checked(&[]), Err(OwnStageRefusal::NotThere));
        assert_eq!(own(2, Stage::Here, Where::Room, true).checked(&[]), Err(OwnStageRefusal::NoRoomYet));
        let named = |name: &str| OwnStage { name: name.into(), ..own(2, Stage::InRoom, Where::Lab, true) };
        assert_eq!(named("STAGE 1").checked(&[one]), Err(OwnStageRefusal::SameName("stage 1".into())));
        assert_eq!(named("checked in").checked(&[]), Err(OwnStageRefusal::SameName("Checked in".into())));
    }

    proptest! {
        #[test]
        fn the_way_on_passes_every_walked_stage_once_and_the_way_back_is_the_same(
            stages in proptest::collection::vec((0usize..4, any::<bool>()), 0..8),
        ) {
            let within = MAY_FOLLOW;
            let all: Vec<OwnStage<u32>> = stages.iter().enumerate()
                .map(|(n, (s, w))| own(n as u32, within[*s], Where::Lab, *w)).collect();
            let mut at = At::from(Stage::Booked);
            let mut passed = vec![];
            while let Some(on) = next(at, &all) {
                prop_assert_eq!(previous(on, &all), Some(at));
                prop_assert!(on.stage == at.stage || at.stage.next() == Some(on.stage));
                passed.extend(on.own);
                at = on;
            }
            prop_assert_eq!(at, At::from(Stage::Left));
            let mut wanted: Vec<u32> = all.iter().filter(|o| o.walked).map(|o| o.id).collect();
            wanted.sort_by_key(|id| within.iter().position(|s| *s == all[*id as usize].after));
            prop_assert_eq!(passed, wanted);
        }
    }
}
