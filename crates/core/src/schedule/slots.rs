//! Changing the slots of a shift by hand: split, join, add, delete, retype, hold, free. Each rule says what
//! comes out, or why it may not be done; a slot that somebody has is never touched.

use super::Span;
use chrono::{DateTime, Duration, Utc};

/// No slot is shorter.
pub const SHORTEST: i64 = 5;

/// A slot as these rules see it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Cut {
    pub span: Span,
    /// Somebody has a live visit in it.
    pub booked: bool,
}

/// Why slots cannot be changed so.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum SlotRefusal {
    #[error("Somebody is booked in this slot; move the visit first.")]
    Booked,
    #[error("A slot has at least {SHORTEST} minutes.")]
    TooShort,
    #[error("The slot cannot be split there: the time lies outside it.")]
    Outside,
    #[error("Only slots that touch each other can be joined.")]
    NotNeighbours,
    #[error("There is a slot at this time already.")]
    Overlaps,
    #[error("The time lies outside the shift; add it at its beginning or its end.")]
    OutsideShift,
    #[error("The clinician works elsewhere at this time.")]
    OtherShift,
    #[error("A {visit_type} takes {needed} minutes; the slot has {has}.")]
    TypeTooLong { visit_type: String, needed: i64, has: i64 },
}

fn span(start: DateTime<Utc>, end: DateTime<Utc>) -> Result<Span, SlotRefusal> {
    Span::new(start, end).ok().filter(|s| s.minutes() >= SHORTEST).ok_or(SlotRefusal::TooShort)
}

/// Cuts a slot in two at a moment inside it.
pub fn split(slot: Cut, at: DateTime<Utc>) -> Result<(Span, Span), SlotRefusal> {
    if slot.booked {
        return Err(SlotRefusal::Booked);
    }
    if at <= slot.span.start() || at >= slot.span.end() {
        return Err(SlotRefusal::Outside);
    }
    Ok((span(slot.span.start(), at)?, span(at, slot.span.end())?))
}

/// Makes one slot of two that touch.
pub fn join(a: Cut, b: Cut) -> Result<Span, SlotRefusal> {
    if a.booked || b.booked {
        return Err(SlotRefusal::Booked);
    }
    let (first, second) = if a.span.start() <= b.span.start() { (a.span, b.span) } else { (b.span, a.span) };
    if first.end() != second.start() {
        return Err(SlotRefusal::NotNeighbours);
    }
    span(first.start(), second.end())
}

/// Where a slot is added.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Place {
    /// Before the shift, which begins earlier for it.
    Beginning,
    /// After the shift, which ends later for it.
    End,
    /// At a free moment inside the shift.
    At(DateTime<Utc>),
}

/// The new slot and the shift as it is then. `others` are the clinician's other shifts.
pub fn add(
    shift: Span,
    slots: &[Span],
    others: &[Span],
    place: Place,
    minutes: i64,
) -> Result<(Span, Span), SlotRefusal> {
    let length = Duration::minutes(minutes.clamp(0, 24 * 60));
    let slot = match place {
        Place::Beginning => span(shift.start() - length, shift.start())?,
        Place::End => span(shift.end(), shift.end() + length)?,
        Place::At(start) => span(start, start + length)?,
    };
    let grown = Span::new(shift.start().min(slot.start()), shift.end().max(slot.end()))
        .map_err(|_| SlotRefusal::OutsideShift)?;
    if matches!(place, Place::At(_)) && grown != shift {
        return Err(SlotRefusal::OutsideShift);
    }
    if slots.iter().any(|s| s.overlaps(&slot)) {
        return Err(SlotRefusal::Overlaps);
    }
    if others.iter().any(|s| s.overlaps(&slot)) {
        return Err(SlotRefusal::OtherShift);
    }
    Ok((slot, grown))
}

/// Whether a slot may be deleted, held or made free.
pub fn change(slot: Cut) -> Result<(), SlotRefusal> {
    if slot.booked { Err(SlotRefusal::Booked) } else { Ok(()) }
}

/// Whether a slot may become one of another visit type.
pub fn retype(slot: Cut, visit_type: &str, minutes: i64) -> Result<(), SlotRefusal> {
    change(slot)?;
    let has = slot.span.minutes();
    if minutes > has {
        return Err(SlotRefusal::TypeTooLong { visit_type: visit_type.to_owned(), needed: minutes, has });
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::TimeZone;
    use proptest::prelude::*;

    fn at(minute: i64) -> DateTime<Utc> {
        Utc.with_ymd_and_hms(2026, 11, 23, 13, 0, 0).unwrap() + Duration::minutes(minute)
    }

    fn free(from: i64, to: i64) -> Cut {
        Cut { span: Span::new(at(from), at(to)).unwrap(), booked: false }
    }

    fn s(from: i64, to: i64) -> Span {
        free(from, to).span
    }

    #[test]
    fn splitting_and_joining_undo_each_other_and_leave_the_booked_alone() {
        let (a, b) = split(free(0, 40), at(25)).unwrap();
        assert_eq!((a.minutes(), b.minutes()), (25, 15));
        assert_eq!(join(Cut { span: b, booked: false }, Cut { span: a, booked: false }), Ok(s(0, 40)));
        assert_eq!(split(free(0, 40), at(40)), Err(SlotRefusal::Outside));
        assert_eq!(split(free(0, 20), at(3)), Err(SlotRefusal::TooShort));
        let taken = Cut { booked: true, ..free(0, 40) };
        assert_eq!(split(taken, at(20)), Err(SlotRefusal::Booked));
        assert_eq!(join(taken, free(40, 60)), Err(SlotRefusal::Booked));
        assert_eq!(join(free(0, 20), free(25, 40)), Err(SlotRefusal::NotNeighbours));
        assert_eq!(change(taken), Err(SlotRefusal::Booked));
        let long = retype(free(0, 20), "procedure", 40).unwrap_err();
        assert_eq!(long.to_string(), "A procedure takes 40 minutes; the slot has 20.");
    }

    #[test]
    fn a_slot_is_added_before_within_and_after() {
        let (shift, slots) = (s(0, 240), [s(0, 20), s(40, 240)]);
        assert_eq!(add(shift, &slots, &[], Place::Beginning, 20), Ok((s(-20, 0), s(-20, 240))));
        assert_eq!(add(shift, &slots, &[], Place::End, 30), Ok((s(240, 270), s(0, 270))));
        assert_eq!(add(shift, &slots, &[], Place::At(at(20)), 20), Ok((s(20, 40), shift)));
        assert_eq!(add(shift, &slots, &[], Place::At(at(30)), 20), Err(SlotRefusal::Overlaps));
        assert_eq!(add(shift, &slots, &[], Place::At(at(300)), 20), Err(SlotRefusal::OutsideShift));
        assert_eq!(add(shift, &slots, &[s(250, 400)], Place::End, 30), Err(SlotRefusal::OtherShift));
        assert_eq!(add(shift, &slots, &[], Place::End, 0), Err(SlotRefusal::TooShort));
        assert_eq!(add(shift, &slots, &[], Place::End, 24 * 60), Err(SlotRefusal::OutsideShift));
    }

    proptest! {
        #[test]
        fn whatever_is_added_overlaps_nothing(starts in proptest::collection::btree_set(0i64..24, 0..12), place in 0i64..300, minutes in 0i64..90) {
            let slots: Vec<Span> = starts.iter().map(|n| s(n * 10, n * 10 + 10)).collect();
            let shift = s(0, 240);
            for p in [Place::Beginning, Place::End, Place::At(at(place))] {
                if let Ok((slot, grown)) = add(shift, &slots, &[], p, minutes) {
                    prop_assert!(!slots.iter().any(|s| s.overlaps(&slot)));
                    prop_assert!(grown.contains(&slot) && grown.contains(&shift));
                    prop_assert_eq!(slot.minutes(), minutes);
                }
            }
        }
    }
}
