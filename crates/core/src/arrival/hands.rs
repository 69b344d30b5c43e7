//! Clinicians' hands: who is with whom, whose next one is ready, who is done.

use super::Stage;
use super::waiting::InLine;

coded! {
    /// What a clinician is doing now.
    Doing {
        WithSomebody = "with_somebody", "with";
        OneIsReady = "one_is_ready", "free, one is ready in a room";
        NextWaits = "next_waits", "free, the next one waits";
        LastHasLeft = "last_has_left", "last patient has left";
        Free = "free", "free";
    }
}

/// The hands of one clinician.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Hands<Id> {
    pub clinician: Id,
    pub doing: Doing,
    pub with: Option<Id>,
}

/// Everybody who has had a patient in the building today.
pub fn hands<Id: Copy + Ord>(day: &[InLine<Id>]) -> Vec<Hands<Id>> {
    use Stage::*;
    let mut clinicians: Vec<Id> =
        day.iter().filter(|v| v.stage.is_present() || v.stage == Left).map(|v| v.clinician).collect();
    clinicians.sort_unstable();
    clinicians.dedup();
    let of = |clinician: Id| {
        let own = || day.iter().filter(move |v| v.clinician == clinician);
        let with = own().find(|v| v.stage == WithClinician).map(|v| v.visit);
        let doing = if with.is_some() {
            Doing::WithSomebody
        } else if own().any(|v| v.stage == InRoom) {
            Doing::OneIsReady
        } else if own().any(|v| v.stage.waits_for_room()) {
            Doing::NextWaits
        } else if own().any(|v| v.stage == Booked) {
            Doing::Free
        } else {
            Doing::LastHasLeft
        };
        Hands { clinician, doing, with }
    };
    clinicians.into_iter().map(of).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::{TimeZone, Utc};

    #[test]
    fn hands_tell_what_comes_next() {
        use Stage::*;
        let at = Utc.with_ymd_and_hms(2026, 11, 23, 10, 0, 0).unwrap();
        let one = |visit, clinician, stage| InLine {
            visit,
            clinician,
            site: 1,
            starts_at: at,
            stage,
            roomed_at: None,
            seen_at: None,
            done_at: None,
            usual: 20,
        };
        let day = [
            one(1, 1, WithClinician),
            one(2, 1, InRoom),
            one(3, 2, InRoom),
            one(4, 2, Here),
            one(5, 3, CheckedIn),
            one(6, 4, Left),
            one(7, 5, Left),
            one(8, 5, Booked),
            one(9, 6, Booked),
        ];
        let said: Vec<(u32, Doing)> = hands(&day).into_iter().map(|h| (h.clinician, h.doing)).collect();
        assert_eq!(
            said,
            [
                (1, Doing::WithSomebody),
                (2, Doing::OneIsReady),
                (3, Doing::NextWaits),
                (4, Doing::LastHasLeft),
                (5, Doing::Free)
            ],
            "who has not begun is not shown"
        );
        assert_eq!(hands(&day)[0].with, Some(1));
    }
}
