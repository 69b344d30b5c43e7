//! Shifts, slots and bookings: what may be booked, and why not. [`supply`] makes shifts from weekly
//! templates, [`slots`] changes them by hand, [`open_times`] ranks what is free, and [`rebooking`] finds new
//! times when a clinician is away. [`series`] serves visits that come again, [`waiting`] says whom a freed time
//! suits.

pub mod open_times;
pub mod rebooking;
pub mod series;
pub mod slots;
pub mod supply;
pub mod untimed;
pub mod visit_type;
pub mod waiting;

use chrono::{DateTime, Duration, LocalResult, NaiveDate, NaiveTime, TimeZone, Utc};
use chrono_tz::Tz;

/// A stretch of time, the end excluded; never empty and never longer than a day.
///
/// ```
/// use harbor_core::schedule::Span;
/// use chrono::{TimeZone, Utc};
/// let at = |h| Utc.with_ymd_and_hms(2026, 11, 23, h, 0, 0).unwrap();
/// assert!(Span::new(at(9), at(9)).is_err());
/// assert!(Span::new(at(9), at(10)).unwrap().overlaps(&Span::new(at(9), at(11)).unwrap()));
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Span {
    start: DateTime<Utc>,
    end: DateTime<Utc>,
}

impl Span {
    pub fn new(start: DateTime<Utc>, end: DateTime<Utc>) -> Result<Span, BookingRefusal> {
        if end <= start {
            Err(BookingRefusal::EmptySpan)
        } else if end - start > Duration::hours(24) {
            Err(BookingRefusal::TooLong)
        } else {
            Ok(Span { start, end })
        }
    }

    pub fn start(&self) -> DateTime<Utc> {
        self.start
    }

    pub fn end(&self) -> DateTime<Utc> {
        self.end
    }

    pub fn minutes(&self) -> i64 {
        (self.end - self.start).num_minutes()
    }

    pub fn overlaps(&self, other: &Span) -> bool {
        self.start < other.end && other.start < self.end
    }

    pub fn holds(&self, at: DateTime<Utc>) -> bool {
        self.start <= at && at < self.end
    }

    pub fn contains(&self, other: &Span) -> bool {
        self.start <= other.start && other.end <= self.end
    }
}

/// Why a time cannot be booked.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BookingRefusal {
    #[error("A slot needs some length: its end lies at or before its start.")]
    EmptySpan,
    #[error("A slot is at most a day long.")]
    TooLong,
    #[error("This time has passed. Choose a later one, or write the visit up without an appointment.")]
    Past,
    #[error("This time is held ({0}) and cannot be booked.")]
    Held(String),
    #[error("The clinician does not work at this time.")]
    OutsideShift,
    #[error("Nobody works on this day ({0}). Choose another one.")]
    Closed(String),
    #[error("This time was just taken.")]
    Taken,
    #[error("{0} has died; no visit can be booked.")]
    Deceased(String),
    #[error("This time opens for booking {0}.")]
    NotYetOpen(String),
    #[error("A {visit_type} takes {needed} minutes; only {free} are free here.")]
    TooShort { visit_type: String, needed: i64, free: i64 },
    #[error("This time is kept for a {slot_type}. Book a {visit_type} over it only when it cannot wait.")]
    OtherType { visit_type: String, slot_type: String },
    #[error("They are booked at this time already: {0}. Book it all the same only if they can be at both.")]
    TwiceAtOnce(String),
    #[error("A {visit_type} is not booked by your role; ask {who}.")]
    NotYours { visit_type: String, who: String },
}

impl BookingRefusal {
    /// A stable word for programs.
    pub fn code(&self) -> &'static str {
        match self {
            BookingRefusal::Taken => "taken",
            BookingRefusal::OtherType { .. } => "other-type",
            BookingRefusal::NotYours { .. } => "not-yours",
            BookingRefusal::TwiceAtOnce(_) => "twice-at-once",
            BookingRefusal::OutsideShift => "outside_shift",
            BookingRefusal::Held(_) => "held",
            BookingRefusal::Closed(_) => "closed",
            _ => "booking",
        }
    }
}

/// Why visits are cancelled, as a clinic begins; each keeps its own list.
pub const USUAL_CANCEL_REASONS: [&str; 8] = [
    "patient ill",
    "patient forgot",
    "no longer needed",
    "no transport",
    "clinician away",
    "clinic closed",
    "booked by mistake",
    "patient died",
];

coded! {
    /// Who cancelled a visit.
    CancelledBy {
        Patient = "patient", "the patient";
        Clinic = "clinic", "the clinic";
    }
}

coded! {
    /// How waiting for a time ended.
    WaitingEnd {
        Placed = "placed", "placed";
        Withdrawn = "withdrawn", "withdrawn";
    }
}

coded! {
    /// What a visit is, as its note and claim need to know it.
    VisitKind {
        InPerson = "in_person", "in person";
        Phone = "phone", "by telephone";
        Video = "video", "by video";
        Home = "home", "at home";
        Administrative = "administrative", "administrative";
    }
}

/// A shift as the schedule knows it when it is asked for a booking.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Shift {
    pub span: Span,
    /// Held stretches with what they are held for.
    pub held: Vec<(Span, String)>,
    /// Live visits.
    pub taken: Vec<Span>,
}

/// What is to be booked.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Wish {
    pub visit_type: String,
    pub span: Span,
    /// The patient's name when the record says that the patient died.
    pub deceased: Option<String>,
    /// When the slot opens, by its release rule.
    pub opens: Option<DateTime<Utc>>,
    /// Why nobody works by the templates on this day, when the shift is one of theirs.
    pub closed: Option<String>,
    /// The minutes that the visit type takes.
    pub needed: i64,
    /// The type that the slot is kept for, when it is another one and nobody said that it cannot wait.
    pub kept_for: Option<String>,
    /// The roles that may book this type, in words, when the one who books has none of them.
    pub not_yours: Option<String>,
    /// Squeezed in beyond capacity: beside a visit that is there already.
    pub extra: bool,
    /// Another visit of the same person at that time, in words, when nobody said that this is right.
    pub elsewhere: Option<String>,
}

/// Whether the wish can be booked now. The database guards the same with its exclusion constraint,
/// since two wishes may be checked at one instant.
pub fn may_book(wish: &Wish, shift: Option<&Shift>, now: DateTime<Utc>, zone: Tz) -> Result<(), BookingRefusal> {
    if let Some(name) = &wish.deceased {
        return Err(BookingRefusal::Deceased(name.clone()));
    }
    if wish.span.end() <= now {
        return Err(BookingRefusal::Past);
    }
    if let Some(why) = &wish.closed {
        return Err(BookingRefusal::Closed(why.clone()));
    }
    if let Some(opens) = wish.opens.filter(|opens| *opens > now) {
        return Err(BookingRefusal::NotYetOpen(opens.with_timezone(&zone).format("%a %b %-d at %H:%M").to_string()));
    }
    if let Some(who) = &wish.not_yours {
        return Err(BookingRefusal::NotYours { visit_type: wish.visit_type.clone(), who: who.clone() });
    }
    // An extra booking begins within the shift and may end behind it.
    let within = |s: &&Shift| s.span.contains(&wish.span) || (wish.extra && s.span.holds(wish.span.start()));
    let shift = shift.filter(within).ok_or(BookingRefusal::OutsideShift)?;
    if let Some((_, what)) = shift.held.iter().find(|(span, _)| span.overlaps(&wish.span)) {
        return Err(BookingRefusal::Held(what.clone()));
    }
    if !wish.extra && shift.taken.iter().any(|span| span.overlaps(&wish.span)) {
        return Err(BookingRefusal::Taken);
    }
    if wish.span.minutes() < wish.needed {
        let (visit_type, needed, free) = (wish.visit_type.clone(), wish.needed, wish.span.minutes());
        return Err(BookingRefusal::TooShort { visit_type, needed, free });
    }
    if let Some(what) = &wish.elsewhere {
        return Err(BookingRefusal::TwiceAtOnce(what.clone()));
    }
    if let Some(slot_type) = &wish.kept_for {
        let (visit_type, slot_type) = (wish.visit_type.clone(), slot_type.clone());
        return Err(BookingRefusal::OtherType { visit_type, slot_type });
    }
    Ok(())
}

/// The stretch that a visit takes when it is booked over slots: as long as asked, and on to the end of the last slot
/// that it touches, so that no scrap is left.
pub fn over_whole_slots(asked: Span, slots: &[Span]) -> Span {
    let last = slots.iter().filter(|s| s.overlaps(&asked)).map(Span::end).max();
    Span { start: asked.start, end: last.map_or(asked.end, |end| end.max(asked.end)) }
}

/// The moment a local clock shows this time on this day. A time that the clock skips in spring is
/// taken an hour later; of a time that it shows twice in autumn, the first.
pub fn at_local(zone: Tz, day: NaiveDate, time: NaiveTime) -> DateTime<Utc> {
    match zone.from_local_datetime(&day.and_time(time)) {
        LocalResult::Single(t) | LocalResult::Ambiguous(t, _) => t.with_timezone(&Utc),
        LocalResult::None => zone
            .from_local_datetime(&(day.and_time(time) + Duration::hours(1)))
            .earliest()
            .map_or_else(|| Utc.from_utc_datetime(&day.and_time(time)), |t| t.with_timezone(&Utc)),
    }
}

/// The first and last moment of a local day; 23, 24 or 25 hours apart.
pub fn day_bounds(zone: Tz, day: NaiveDate) -> (DateTime<Utc>, DateTime<Utc>) {
    let next = day.succ_opt().unwrap_or(day);
    (at_local(zone, day, NaiveTime::MIN), at_local(zone, next, NaiveTime::MIN))
}

const CALL_WORDS: [&str; 24] = [
    "Amber", "Birch", "Cedar", "Clover", "Coral", "Fern", "Finch", "Heath", "Ivory", "Jade", "Lark", "Linden", "Maple",
    "Moss", "Olive", "Opal", "Pearl", "Plum", "Robin", "Sage", "Slate", "Tansy", "Thyme", "Willow",
];

/// The call-sign of the n-th visit of a day (counted from 0): easy to say and to hear, unique in its
/// day, and never telling who it is. The first 24 take each word once.
pub fn call_sign(n: u32) -> String {
    let words = CALL_WORDS.len() as u32;
    let word = CALL_WORDS[((n * 7) % words) as usize];
    format!("{word} {}", n / words * 10 + 1 + (n * 5 + 3) % 9)
}

#[cfg(test)]
mod tests {
    use super::*;
    use std::collections::HashSet;

    const ZONE: Tz = chrono_tz::America::New_York;

    fn at(h: u32, m: u32) -> DateTime<Utc> {
        at_local(ZONE, NaiveDate::from_ymd_opt(2026, 11, 23).unwrap(), NaiveTime::from_hms_opt(h, m, 0).unwrap())
    }

    fn span(h: u32, m: u32, minutes: i64) -> Span {
        Span::new(at(h, m), at(h, m) + Duration::minutes(minutes)).unwrap()
    }

    fn shift() -> Shift {
        Shift { span: span(8, 0, 240), held: vec![(span(10, 0, 20), "catch-up".into())], taken: vec![span(8, 40, 20)] }
    }

    fn wish(span: Span) -> Wish {
        Wish {
            visit_type: "follow-up".into(),
            span,
            deceased: None,
            opens: None,
            closed: None,
            needed: 20,
            kept_for: None,
            not_yours: None,
            extra: false,
            elsewhere: None,
        }
    }

    #[test]
    fn each_refusal_has_its_reason() {
        let now = at(8, 15);
        let book = |w: Wish| may_book(&w, Some(&shift()), now, ZONE);
        assert_eq!(book(wish(span(9, 0, 20))), Ok(()));
        assert_eq!(book(wish(span(8, 0, 20))), Ok(()), "a slot that has begun may still be booked");
        assert_eq!(book(wish(span(7, 0, 20))), Err(BookingRefusal::Past));
        assert_eq!(book(wish(span(8, 50, 20))), Err(BookingRefusal::Taken));
        assert_eq!(book(wish(span(9, 50, 20))), Err(BookingRefusal::Held("catch-up".into())));
        assert_eq!(book(wish(span(11, 50, 20))), Err(BookingRefusal::OutsideShift));
        let dead = Wish { deceased: Some("Ada Quill".into()), ..wish(span(9, 0, 20)) };
        assert!(book(dead).is_err_and(|r| r.to_string().starts_with("Ada Quill has died")));
        let later = Wish { opens: Some(at(9, 0)), ..wish(span(9, 30, 20)) };
        assert_eq!(book(later), Err(BookingRefusal::NotYetOpen("Mon Nov 23 at 09:00".into())));
        assert_eq!(may_book(&wish(span(9, 0, 20)), None, now, ZONE), Err(BookingRefusal::OutsideShift));
        let said = |w: Wish| book(w).unwrap_err().to_string();
        let closed = Wish { closed: Some("holiday".into()), ..wish(span(9, 0, 20)) };
        assert_eq!(book(closed), Err(BookingRefusal::Closed("holiday".into())));
        let long = Wish { needed: 40, ..wish(span(9, 0, 20)) };
        assert_eq!(said(long), "A follow-up takes 40 minutes; only 20 are free here.");
        let over = Wish { kept_for: Some("procedure".into()), ..wish(span(9, 0, 20)) };
        assert_eq!(said(over), "This time is kept for a procedure. Book a follow-up over it only when it cannot wait.");
        let foreign = Wish { not_yours: Some("a clinician".into()), ..wish(span(9, 0, 20)) };
        assert_eq!(said(foreign), "A follow-up is not booked by your role; ask a clinician.");
    }

    #[test]
    fn an_extra_booking_goes_beside_others_and_beyond_the_end_but_never_over_held_time() {
        let extra = |h, m, minutes| Wish { extra: true, ..wish(span(h, m, minutes)) };
        let book = |w: Wish| may_book(&w, Some(&shift()), at(8, 0), ZONE);
        assert_eq!(book(extra(8, 40, 20)), Ok(()));
        assert_eq!(book(extra(11, 50, 20)), Ok(()));
        assert_eq!(book(extra(12, 0, 20)), Err(BookingRefusal::OutsideShift));
        assert_eq!(book(extra(9, 50, 20)), Err(BookingRefusal::Held("catch-up".into())));
    }

    #[test]
    fn a_longer_visit_ends_with_a_slot_and_is_never_cut_short() {
        let slots = [span(9, 0, 20), span(9, 20, 20), span(10, 0, 20)];
        let over = |h, m, minutes| over_whole_slots(span(h, m, minutes), &slots);
        assert_eq!(over(9, 0, 20), span(9, 0, 20));
        assert_eq!(over(9, 0, 30), span(9, 0, 40), "on to the end of the slot");
        assert_eq!(over(9, 0, 50), span(9, 0, 50), "behind the last slot it touches there is none to end with");
        assert_eq!(over(9, 20, 45), span(9, 20, 60), "over a gap to the next slot");
        assert_eq!(over(10, 0, 90), span(10, 0, 90), "as long as asked, though no slot is so long");
    }

    #[test]
    fn local_days_around_the_clock_changes() {
        let day = |m, d| NaiveDate::from_ymd_opt(2026, m, d).unwrap();
        let hours = |d| {
            let (a, b) = day_bounds(ZONE, d);
            (b - a).num_hours()
        };
        assert_eq!((hours(day(3, 8)), hours(day(11, 1)), hours(day(11, 23))), (23, 25, 24));
        let skipped = at_local(ZONE, day(3, 8), NaiveTime::from_hms_opt(2, 30, 0).unwrap());
        assert_eq!(skipped.with_timezone(&ZONE).format("%H:%M").to_string(), "03:30");
    }

    #[test]
    fn call_signs_do_not_repeat_within_a_day() {
        let signs: HashSet<String> = (0..400).map(call_sign).collect();
        assert_eq!(signs.len(), 400);
    }
}
