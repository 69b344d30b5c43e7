//! A critical result that nobody signs goes from one clinician to the next until somebody does.

use chrono::{DateTime, Duration, Utc};

/// Whether a critical result rises now: since it came, or was last given to somebody, longer than the clinic allows.
pub fn rises(last_given: DateTime<Utc>, minutes: i64, now: DateTime<Utc>) -> bool {
    now - last_given >= Duration::minutes(minutes)
}

/// Who reads it next: of those on duty, in the order of the clinic, the first who had it not yet. Nobody when all had it, or
/// none is on duty: then it stays where it is, and goes on to be told as unread.
pub fn next_reader<Who: Copy + PartialEq>(on_duty: &[Who], had_it: &[Who]) -> Option<Who> {
    on_duty.iter().copied().find(|id| !had_it.contains(id))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_critical_result_goes_round_once() {
        let ids = [1, 2, 3];
        assert_eq!(next_reader(&ids, &[]), Some(ids[0]));
        assert_eq!(next_reader(&ids, &ids[..1]), Some(ids[1]));
        assert_eq!(next_reader(&ids, &ids), None);
        assert_eq!(next_reader(&[], &ids), None);
        let now = DateTime::UNIX_EPOCH + Duration::hours(9);
        assert!(rises(now - Duration::minutes(30), 30, now) && !rises(now - Duration::minutes(29), 30, now));
    }
}
