//! Claims: what is sent to a payer, and the states a claim passes.

pub mod answers;
pub mod assembling;
pub mod chain;
mod claim;
pub mod lawful;
pub mod paper_form;

pub use claim::{
    Accident, AddressOnClaim, Attachment, AttachmentWay, Biller, Claim, ClaimLine, EarlierDecision, EarlierPayer,
    Facility, MOST_DIAGNOSES, PersonOnClaim, ProviderOnClaim, Subscriber, TOO_MANY_DIAGNOSES,
};

use crate::charges::claim_check::FixPlace;
use chrono::{Days, NaiveDate};

coded! {
    ClaimState {
        Ready = "ready", "Ready";
        Sent = "sent", "Sent";
        Accepted = "accepted", "Accepted";
        Rejected = "rejected", "Rejected";
        Paid = "paid", "Paid";
        Denied = "denied", "Denied";
        Void = "void", "Void";
    }
}

coded! {
    /// Which day of a claim a list goes by.
    ByDay {
        Service = "service", "day of service";
        Entry = "entry", "day of entry";
        Billing = "billing", "day of billing";
        Deadline = "deadline", "deadline";
    }
}

/// The last day on which a payer takes a claim; nothing where it told no limit.
pub fn deadline(service: NaiveDate, filing_days: Option<u32>) -> Option<NaiveDate> {
    service.checked_add_days(Days::new(filing_days?.into()))
}

coded! {
    /// What became of a file of claims.
    BatchState {
        Sending = "sending", "Sending";
        Sent = "sent", "Sent";
        Accepted = "accepted", "Accepted";
        Rejected = "rejected", "Rejected";
    }
}

coded! {
    /// Whether a claim is the first of its visit or takes the place of another (X12 CLM05-3).
    Frequency {
        Original = "1", "original";
        Replacement = "7", "replacement";
        Void = "8", "void";
    }
}

/// Something that happened to a claim.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ClaimEvent {
    /// Put into a batch and handed over.
    Sent,
    /// The file was taken (999 AK9 A) or the claim acknowledged (277CA A1, A2).
    Accepted,
    /// The file or the claim was refused (999 AK9 R, 277CA A3, A4, A6–A8).
    Rejected,
    Paid,
    Denied,
    /// The payer took its decision back (835 CLP02 22).
    TakenBack,
    /// Corrected here and ready to go again.
    Corrected,
    /// Its charges were charged again or taken back before it got anywhere.
    Withdrawn,
    /// The payer took the version that replaces or voids it.
    Superseded,
}

#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("A claim that is {from} cannot be {event:?}.")]
pub struct ClaimRefusal {
    pub from: ClaimState,
    pub event: ClaimEvent,
}

impl ClaimState {
    /// The state after the event. A late acknowledgement never undoes a decision, and the same
    /// event twice changes nothing.
    pub fn after(self, event: ClaimEvent) -> Result<ClaimState, ClaimRefusal> {
        use ClaimEvent as E;
        use ClaimState::*;
        let next = match (self, event) {
            (Ready, E::Sent) => Sent,
            (Sent | Accepted, E::Accepted) => Accepted,
            (Paid | Denied, E::Accepted) => self,
            (Sent | Accepted | Rejected, E::Rejected) => Rejected,
            (Sent | Accepted | Denied | Paid, E::Paid) => Paid,
            (Sent | Accepted | Denied | Paid, E::Denied) => Denied,
            (Paid | Denied, E::TakenBack) => Accepted,
            (Rejected | Denied, E::Corrected) => Ready,
            (Ready | Rejected, E::Withdrawn) => Void,
            (Sent | Accepted | Paid | Denied | Ready, E::Superseded) => Void,
            _ => return Err(ClaimRefusal { from: self, event }),
        };
        Ok(next)
    }

    /// Whether the payer has it and has not decided.
    pub fn waits_for_payer(self) -> bool {
        matches!(self, ClaimState::Sent | ClaimState::Accepted)
    }
}

/// What a status category of a 277CA means for the claim (X12 code source 507, STC01-1).
pub fn status_event(category: &str) -> Option<ClaimEvent> {
    match category {
        "A0" | "A1" | "A2" | "A5" => Some(ClaimEvent::Accepted),
        "A3" | "A4" | "A6" | "A7" | "A8" => Some(ClaimEvent::Rejected),
        _ => None,
    }
}

/// The claim status codes (X12 code source 508) that we meet, each in our own short words, with where it is put right.
const STATUSES: &[(&str, &str, Option<FixPlace>)] = &[
    ("19", "taken in for processing", None),
    ("20", "accepted for processing", None),
    ("21", "information is missing or invalid", None),
    ("33", "subscriber not found", Some(FixPlace::Coverage)),
    ("97", "patient is not eligible at the payer", Some(FixPlace::Coverage)),
    ("116", "the claim belongs to another payer", Some(FixPlace::Coverage)),
    ("158", "birth date", Some(FixPlace::Registration)),
    ("164", "subscriber number", Some(FixPlace::Coverage)),
    ("187", "dates of service", Some(FixPlace::Charges)),
    ("251", "accident date", Some(FixPlace::Charges)),
    ("254", "main diagnosis", Some(FixPlace::Note)),
    ("255", "diagnosis", Some(FixPlace::Note)),
    ("454", "service code", Some(FixPlace::Charges)),
    ("562", "provider number", Some(FixPlace::Staff)),
];

/// Our own short words for a claim status code.
pub fn status_in_words(code: &str) -> String {
    let known = STATUSES.iter().find(|(c, ..)| *c == code);
    known.map_or_else(|| format!("status {code} of the payer's list"), |(_, words, _)| (*words).to_owned())
}

/// Where a reason in those words is put right; nothing where nobody can say.
pub fn fixed_at(reason: &str) -> Option<FixPlace> {
    STATUSES.iter().find(|(_, words, _)| *words == reason).and_then(|(.., place)| *place)
}

#[cfg(test)]
mod tests {
    use super::*;
    use ClaimState::*;
    use proptest::prelude::*;

    #[test]
    fn the_usual_way_and_the_ways_round() {
        let follow = |start: ClaimState, events: &[ClaimEvent]| events.iter().try_fold(start, |s, e| s.after(*e));
        use ClaimEvent as E;
        assert_eq!(follow(Ready, &[E::Sent, E::Accepted, E::Accepted, E::Paid]), Ok(Paid));
        assert_eq!(follow(Ready, &[E::Sent, E::Rejected, E::Corrected, E::Sent]), Ok(Sent));
        assert_eq!(follow(Sent, &[E::Paid, E::Accepted]), Ok(Paid), "a late acknowledgement undoes nothing");
        assert_eq!(follow(Paid, &[E::TakenBack, E::Denied]), Ok(Denied));
        assert!(Ready.after(E::Paid).is_err());
        assert!(Void.after(E::Sent).is_err());
    }

    const EVENTS: [ClaimEvent; 9] = [
        ClaimEvent::Sent,
        ClaimEvent::Accepted,
        ClaimEvent::Rejected,
        ClaimEvent::Paid,
        ClaimEvent::Denied,
        ClaimEvent::TakenBack,
        ClaimEvent::Corrected,
        ClaimEvent::Withdrawn,
        ClaimEvent::Superseded,
    ];

    #[test]
    fn what_is_told_twice_changes_nothing_the_second_time() {
        for &state in ClaimState::ALL {
            for event in EVENTS {
                let Ok(once) = state.after(event) else { continue };
                // A claim goes out again only after it was corrected, and a decision is taken back once.
                let twice = once.after(event);
                let once_only = !matches!(
                    event,
                    ClaimEvent::Accepted | ClaimEvent::Rejected | ClaimEvent::Paid | ClaimEvent::Denied
                );
                assert_eq!(twice.is_err(), once_only, "{state:?} {event:?}");
                assert!(once_only || twice == Ok(once), "{state:?} {event:?}");
            }
        }
    }

    proptest! {
        #[test]
        fn a_payer_decides_only_what_was_sent(picks in proptest::collection::vec(0usize..9, 0..40)) {
            let (mut state, mut sent, mut decided) = (Ready, false, false);
            for event in picks.into_iter().map(|n| EVENTS[n]) {
                let Ok(next) = state.after(event) else { continue };
                sent = match event {
                    ClaimEvent::Sent => true,
                    ClaimEvent::Corrected => false,
                    _ => sent,
                };
                decided = matches!(next, Paid | Denied) || (decided && event != ClaimEvent::TakenBack && next != Ready);
                state = next;
                prop_assert!(sent || matches!(state, Ready | Void), "{state:?} without having been sent");
                if state == Void {
                    prop_assert!(EVENTS.iter().all(|e| Void.after(*e).is_err()), "what is void stays so");
                    break;
                }
                prop_assert_eq!(state.waits_for_payer(), sent && !decided && state != Rejected);
            }
        }
    }

    #[test]
    fn a_deadline_is_counted_only_where_the_payer_told_it() {
        let day = NaiveDate::from_ymd_opt(2026, 11, 23).unwrap();
        assert_eq!(deadline(day, Some(90)), NaiveDate::from_ymd_opt(2027, 2, 21));
        assert_eq!((deadline(day, None), deadline(NaiveDate::MAX, Some(1))), (None, None));
    }

    #[test]
    fn status_categories() {
        assert_eq!(status_event("A2"), Some(ClaimEvent::Accepted));
        assert_eq!(status_event("A7"), Some(ClaimEvent::Rejected));
        assert_eq!(status_event("E0"), None);
        assert_eq!(status_in_words("164"), "subscriber number");
        assert_eq!(status_in_words("999"), "status 999 of the payer's list");
        assert_eq!(fixed_at(&status_in_words("251")), Some(FixPlace::Charges));
        assert_eq!((fixed_at("accepted for processing"), fixed_at("something else")), (None, None));
    }
}
