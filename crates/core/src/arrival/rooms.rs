//! Rooms: what they are for, where they lie in the clinic's own drawing, who may be brought into one.

use super::own_stages::At;
use super::{MoveRefusal, Stage};
use std::collections::HashMap;
use std::hash::Hash;

coded! {
    RoomKind {
        Exam = "exam", "examining";
        Lab = "lab", "blood draw";
        Checkout = "checkout", "checkout";
    }
}

/// The drawing of a site has so many columns and rows.
pub const DRAWING: i32 = 12;

/// Whether a place lies in the drawing.
pub fn is_place(x: i32, y: i32) -> bool {
    (0..DRAWING).contains(&x) && (0..DRAWING).contains(&y)
}

/// Whether somebody may be roomed there: an exam room that is in use, at the site of the visit.
pub fn may_room(name: &str, kind: RoomKind, in_use: bool, same_site: bool) -> Result<(), MoveRefusal> {
    if kind != RoomKind::Exam || !in_use {
        return Err(MoveRefusal::NoExamRoom(name.to_owned()));
    }
    if same_site { Ok(()) } else { Err(MoveRefusal::OtherSite(name.to_owned())) }
}

/// Where somebody is found in the building.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Spot {
    /// In line for a room.
    Waiting,
    Room,
    /// At one of the clinic's own stages, and in no exam room.
    Elsewhere,
    Leaving,
}

/// Where somebody at a stage is found; nothing when they are not in the building.
pub fn spot(stage: Stage, has_room: bool) -> Option<Spot> {
    match stage {
        s if s.waits_for_room() => Some(Spot::Waiting),
        Stage::ReadyToLeave => Some(Spot::Leaving),
        s if !s.is_present() => None,
        _ if has_room => Some(Spot::Room),
        _ => Some(Spot::Elsewhere),
    }
}

/// How many exam rooms of each site the waiting line can use: all that are there, but for those in which somebody
/// sits on after the clinician. `here`: who is in a room, by site.
pub fn for_the_line<Site: Copy + Eq + Hash, Id>(
    exam: impl IntoIterator<Item = Site>,
    here: impl IntoIterator<Item = (Site, At<Id>)>,
) -> HashMap<Site, usize> {
    let mut rooms: HashMap<Site, usize> = HashMap::new();
    for site in exam {
        *rooms.entry(site).or_default() += 1;
    }
    for (site, at) in here {
        if let Some(free) = rooms.get_mut(&site).filter(|_| at.stage == Stage::WithClinician && at.own.is_some()) {
            *free = free.saturating_sub(1);
        }
    }
    rooms
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn everybody_in_the_building_is_found_in_one_place() {
        assert_eq!(spot(Stage::CheckedIn, false), Some(Spot::Waiting));
        assert_eq!(spot(Stage::WithClinician, true), Some(Spot::Room));
        assert_eq!(spot(Stage::WithClinician, false), Some(Spot::Elsewhere), "watched in the waiting area");
        assert_eq!(spot(Stage::ReadyToLeave, true), Some(Spot::Leaving), "the room is not left yet");
        for &stage in Stage::ALL {
            assert_eq!(spot(stage, true).is_some(), stage.is_present());
        }
    }

    #[test]
    fn a_room_in_which_somebody_sits_on_is_not_for_the_line() {
        let sits_on = At { stage: Stage::WithClinician, own: Some(7) };
        let here = [(1, sits_on), (1, At::from(Stage::WithClinician)), (2, At { stage: Stage::InRoom, own: Some(7) })];
        let rooms = for_the_line([1, 1, 1, 2], here);
        assert_eq!((rooms[&1], rooms[&2]), (2, 1), "who is with the clinician is counted by the line itself");
        assert_eq!(for_the_line([1], [(1, sits_on), (1, sits_on), (3, sits_on)])[&1], 0);
    }

    #[test]
    fn nobody_is_roomed_at_the_checkout_or_in_another_town() {
        let to = |kind, in_use, same_site| may_room("Heron", kind, in_use, same_site);
        assert_eq!(to(RoomKind::Exam, true, true), Ok(()));
        assert_eq!(to(RoomKind::Exam, true, false), Err(MoveRefusal::OtherSite("Heron".into())));
        for wrong in
            [to(RoomKind::Checkout, true, true), to(RoomKind::Lab, true, true), to(RoomKind::Exam, false, true)]
        {
            assert_eq!(wrong, Err(MoveRefusal::NoExamRoom("Heron".into())));
        }
        assert!(is_place(0, 11) && !is_place(12, 0) && !is_place(0, -1));
    }
}
