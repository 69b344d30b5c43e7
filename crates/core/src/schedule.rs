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
    /// It may be meant: told once, and booked when that is said.
    #[error("{}", .0.iter().map(ToString::to_string).collect::<Vec<_>>().join(" "))]
    AskFirst(Vec<Question>),
    #[error("A {visit_type} is not booked by your role; ask {who}.")]
    NotYours { visit_type: String, who: String },
}

impl BookingRefusal {
    /// A stable word for programs.
    pub fn code(&self) -> &'static str {
        match self {
            BookingRefusal::Taken => "taken",
            BookingRefusal::AskFirst(_) => "ask-first",
            BookingRefusal::NotYours { .. } => "not-yours",
            BookingRefusal::OutsideShift => "outside_shift",
            BookingRefusal::Held(_) => "held",
            BookingRefusal::Closed(_) => "closed",
            _ => "booking",
        }
    }
}

coded! {
    /// What is asked about before a visit is booked, since it is seldom meant.
    Doubt {
        OtherType = "other_type", "over another type's time";
        TwiceAtOnce = "twice_at_once", "booked at this time already";
        SameDay = "same_day", "booked on this day already";
        Swallows = "swallows", "takes more than its slot";
        Age = "age", "not the type's age";
    }
}

/// A doubt with the sentence that tells it.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("{sentence}")]
pub struct Question {
    pub doubt: Doubt,
    pub sentence: String,
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
        Charge = "charge", "a charge alone";
    }
}

impl VisitKind {
    /// Whether somebody chooses it of a visit: a charge that stands alone is raised as such.
    pub fn is_chosen(self) -> bool {
        self != VisitKind::Charge
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
    /// The type that the slot is kept for, when it is another one.
    pub kept_for: Option<String>,
    /// What of other slots it takes, in words.
    pub swallows: Option<String>,
    /// Whom the type is for and how old the person is, in words, when that does not fit.
    pub age: Option<String>,
    /// The roles that may book this type, in words, when the one who books has none of them.
    pub not_yours: Option<String>,
    /// An extra booking, beyond capacity: beside a visit that is there already.
    pub extra: bool,
    /// Another visit of the same person at that time, in words.
    pub elsewhere: Option<String>,
    /// Other visits of the same person on that day, in words.
    pub same_day: Option<String>,
    /// What was asked about before, and is meant.
    pub meant: Vec<Doubt>,
}

impl Wish {
    /// What there is to ask about, as far as nobody said that it is meant.
    fn questions(&self) -> Vec<Question> {
        let mut out = Vec::new();
        let mut ask = |doubt: Doubt, sentence: Option<String>| {
            out.extend(sentence.filter(|_| !self.meant.contains(&doubt)).map(|sentence| Question { doubt, sentence }));
        };
        let visit_type = &self.visit_type;
        let twice = |what: &String| {
            format!("They are booked at this time already: {what}. Book it all the same only if they can be at both.")
        };
        ask(Doubt::TwiceAtOnce, self.elsewhere.as_ref().map(twice));
        let same_day = |what: &String| format!("They come on this day already: {what}.");
        // At the same time is on the same day; one sentence says it.
        ask(Doubt::SameDay, self.same_day.as_ref().filter(|_| self.elsewhere.is_none()).map(same_day));
        let other_type = |kept: &String| {
            format!("This time is kept for a {kept}. Book a {visit_type} over it only when it cannot wait.")
        };
        ask(Doubt::OtherType, self.kept_for.as_ref().map(other_type));
        ask(Doubt::Swallows, self.swallows.as_ref().map(|what| format!("It takes {what} as well.")));
        ask(Doubt::Age, self.age.clone());
        out
    }
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
    let questions = wish.questions();
    if !questions.is_empty() {
        return Err(BookingRefusal::AskFirst(questions));
    }
    Ok(())
}

/// What a visit takes besides its own slot: a slot of another type, or a piece of one, of which the rest could not be
/// booked. Whole slots of its own type are what was asked for. Each slot comes with its type's name; nothing when it is
/// of the visit's own type.
pub fn swallowed(visit: Span, slots: &[(Span, Option<String>)], zone: Tz) -> Option<String> {
    let words = |(slot, other): &(Span, Option<String>)| {
        let at = slot.start().with_timezone(&zone).format("%H:%M");
        let what = other.as_ref().map_or_else(|| format!("{at}"), |kind| format!("{at} ({kind})"));
        let (from, to) = (slot.start().max(visit.start()), slot.end().min(visit.end()));
        let taken = (to - from).num_minutes();
        match (taken == slot.minutes(), other) {
            (true, None) => None,
            (true, Some(_)) => Some(format!("the slot at {what}")),
            (false, _) => Some(format!("{taken} of the {} minutes at {what}", slot.minutes())),
        }
    };
    let all: Vec<String> = slots.iter().filter(|(slot, _)| slot.overlaps(&visit)).filter_map(words).collect();
    (!all.is_empty()).then(|| all.join(" and "))
}

/// Whom a type is for, and how old the person is, when that does not fit. Ages are whole years; nothing is asked
/// about a person whose birth date nobody knows.
pub fn unfit_age(kind: &str, ages: (Option<u32>, Option<u32>), age: Option<u32>) -> Option<String> {
    let age = age?;
    let (from, to) = ages;
    if from.is_none_or(|from| age >= from) && to.is_none_or(|to| age <= to) {
        return None;
    }
    let whom = match (from, to) {
        (Some(from), Some(to)) => format!("{from} to {to} years"),
        (Some(from), None) => format!("{from} years and older"),
        (None, Some(to)) => format!("at most {to} years"),
        (None, None) => return None,
    };
    Some(format!("A {kind} is for people of {whom}; this one is {age}."))
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
            same_day: None,
            swallows: None,
            age: None,
            meant: vec![],
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
        let code = |w: Wish| book(w).unwrap_err().code();
        assert_eq!(code(over.clone()), "ask-first");
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
    fn what_is_seldom_meant_is_asked_about_at_once_and_only_once() {
        let book = |w: Wish| may_book(&w, Some(&shift()), at(8, 0), ZONE);
        let odd = Wish {
            same_day: Some("14:00 with Dr. Renneberg".into()),
            swallows: Some("10 of the 20 minutes at 09:20".into()),
            age: unfit_age("well-child visit", (None, Some(17)), Some(46)),
            ..wish(span(9, 0, 20))
        };
        let refused = book(odd.clone()).unwrap_err();
        assert_eq!(
            refused.to_string(),
            "They come on this day already: 14:00 with Dr. Renneberg. It takes 10 of the 20 minutes at 09:20 as well. \
             A well-child visit is for people of at most 17 years; this one is 46."
        );
        let BookingRefusal::AskFirst(questions) = refused else { panic!("asked about") };
        let meant: Vec<Doubt> = questions.iter().map(|q| q.doubt).collect();
        assert_eq!(book(Wish { meant: meant[1..].to_vec(), ..odd.clone() }).unwrap_err().code(), "ask-first");
        assert_eq!(book(Wish { meant, ..odd }), Ok(()));
    }

    #[test]
    fn an_age_is_only_asked_about_when_it_is_known_and_does_not_fit() {
        let asked = |ages, age| unfit_age("visit", ages, age);
        assert_eq!(asked((Some(65), None), None), None, "an unknown age is never guessed");
        assert_eq!((asked((None, Some(17)), Some(17)), asked((Some(18), Some(40)), Some(18))), (None, None));
        assert!(asked((None, Some(17)), Some(18)).is_some() && asked((Some(65), None), Some(64)).is_some());
        assert_eq!(asked((None, None), Some(120)), None);
    }

    #[test]
    fn only_pieces_and_slots_of_other_types_are_asked_about() {
        let slots = [(span(9, 0, 20), None), (span(9, 20, 20), None), (span(9, 40, 30), Some("procedure".to_owned()))];
        let over = |minutes| swallowed(span(9, 0, minutes), &slots, ZONE);
        assert_eq!((over(20), over(40)), (None, None), "40 minutes over two slots of 20 are just those");
        assert_eq!(over(30).unwrap(), "10 of the 20 minutes at 09:20");
        assert_eq!(over(50).unwrap(), "10 of the 30 minutes at 09:40 (procedure)");
        assert_eq!(over(70).unwrap(), "the slot at 09:40 (procedure)");
        assert_eq!(over(10).unwrap(), "10 of the 20 minutes at 09:00");
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
