//! Rooms: what they are for, where they lie in the clinic's own drawing, who may be brought into one.

use super::MoveRefusal;

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
pub fn may_room(name: &str, kind: Option<RoomKind>, in_use: bool, same_site: bool) -> Result<(), MoveRefusal> {
    if kind != Some(RoomKind::Exam) || !in_use {
        return Err(MoveRefusal::NoExamRoom(name.to_owned()));
    }
    if same_site { Ok(()) } else { Err(MoveRefusal::OtherSite(name.to_owned())) }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nobody_is_roomed_at_the_checkout_or_in_another_town() {
        let to = |kind, in_use, same_site| may_room("Heron", kind, in_use, same_site);
        assert_eq!(to(Some(RoomKind::Exam), true, true), Ok(()));
        assert_eq!(to(Some(RoomKind::Exam), true, false), Err(MoveRefusal::OtherSite("Heron".into())));
        for wrong in
            [to(Some(RoomKind::Checkout), true, true), to(None, true, true), to(Some(RoomKind::Exam), false, true)]
        {
            assert_eq!(wrong, Err(MoveRefusal::NoExamRoom("Heron".into())));
        }
        assert!(is_place(0, 11) && !is_place(12, 0) && !is_place(0, -1));
    }
}
