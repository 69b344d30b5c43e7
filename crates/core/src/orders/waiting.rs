//! An order is a promise: it is open until its result is here, and overdue when the test's usual time is over.

use super::OrderState;
use chrono::{DateTime, Utc};

impl OrderState {
    /// It was sent, and nobody has its result: somebody still waits for it.
    pub const OPEN: [OrderState; 7] = [
        OrderState::Sending,
        OrderState::Requested,
        OrderState::Accepted,
        OrderState::SpecimenTaken,
        OrderState::InProgress,
        OrderState::Preliminary,
        OrderState::Rejected,
    ];

    pub fn is_open(self) -> bool {
        OrderState::OPEN.contains(&self)
    }

    /// A result may be filed as its answer: it went to the laboratory and was not taken back.
    pub fn may_be_answered(self) -> bool {
        !matches!(self, OrderState::Draft | OrderState::Done | OrderState::Cancelled)
    }
}

/// Whole days after which an order that was sent waits for longer than its test usually takes; none while it does not.
/// What the laboratory refused waits for a person at once.
pub fn days_overdue(state: OrderState, sent: DateTime<Utc>, usual_days: u32, now: DateTime<Utc>) -> Option<i64> {
    match state {
        OrderState::Rejected => Some(0),
        state if state.is_open() => {
            let over = (now - sent).num_hours() - i64::from(usual_days) * 24;
            (over > 0).then_some(over / 24)
        }
        _ => None,
    }
}

/// Days that a clinic may say a result usually takes.
pub const USUAL_DAYS: std::ops::RangeInclusive<u32> = 1..=180;

/// What makes an open order work, in words; `over` as [`days_overdue`] tells it.
pub fn in_words(state: OrderState, why: &str, over: i64) -> String {
    match (state, over) {
        (OrderState::Rejected, _) if why.is_empty() => "refused by the laboratory".into(),
        (OrderState::Rejected, _) => format!("refused by the laboratory: {why}"),
        (_, 0) => "no result yet, over its usual time".into(),
        (_, 1) => "no result yet, a day over its usual time".into(),
        (_, days) => format!("no result yet, {days} days over its usual time"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::Duration;

    #[test]
    fn an_order_is_overdue_when_its_usual_time_is_over() {
        let now = DateTime::UNIX_EPOCH + Duration::days(100);
        let of = |state, hours: i64, usual| days_overdue(state, now - Duration::hours(hours), usual, now);
        assert_eq!(of(OrderState::Accepted, 24, 1), None);
        assert_eq!(of(OrderState::Accepted, 25, 1), Some(0));
        assert_eq!(of(OrderState::Requested, 24 * 6, 2), Some(4));
        assert_eq!(of(OrderState::Preliminary, 24 * 6, 2), Some(4), "the final one is still owed");
        assert_eq!(of(OrderState::Rejected, 1, 9), Some(0), "it waits for a person, not for the laboratory");
        for done in [OrderState::Draft, OrderState::Done, OrderState::Resulted, OrderState::Cancelled] {
            assert_eq!(of(done, 1000, 1), None);
            assert_eq!(done.may_be_answered(), done == OrderState::Resulted);
        }
        assert_eq!(in_words(OrderState::Rejected, "clotted", 0), "refused by the laboratory: clotted");
        assert_eq!(in_words(OrderState::Accepted, "", 4), "no result yet, 4 days over its usual time");
    }
}
