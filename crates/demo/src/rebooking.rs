//! Days on which a clinician falls out, for measuring the rebooking plan.

use crate::{Chance, at};
use chrono::{Days, Duration, NaiveDate, Weekday};
use harbor_core::schedule::rebooking::{Displaced, Opening};

/// So many people of a day that falls out, and so many open slots of the two weeks behind it. The same
/// number gives the same day.
pub fn fallen_out(number: u64, people: usize, slots: usize) -> (Vec<Displaced<u8>>, Vec<Opening<u8>>) {
    let mut chance = Chance::new(number.wrapping_mul(977) + 3);
    let day = NaiveDate::from_ymd_opt(2026, 11, 23).unwrap_or_default();
    let wishes = [Weekday::Mon, Weekday::Wed, Weekday::Fri];
    let displaced = (0..people)
        .map(|n| Displaced {
            person: u8::try_from(n).unwrap_or(u8::MAX),
            site: 1,
            busy: vec![],
            start: at(day, 8, 0) + Duration::minutes(20 * (n % 27) as i64),
            minutes: [20, 20, 20, 40][chance.below(4)],
            visit_type: u8::from(chance.below(5) == 0),
            clinician: 1,
            same_clinician: chance.below(3) > 0,
            sites: if chance.below(4) == 0 { vec![1] } else { vec![] },
            weekdays: if chance.below(4) == 0 { wishes[chance.below(3)..].to_vec() } else { vec![] },
            weight: [1, 1, 1, 3][chance.below(4)],
        })
        .collect();
    let openings = (0..slots)
        .map(|_| {
            let ahead = day + Days::new(1 + chance.below(14) as u64);
            Opening {
                start: at(ahead, 8, 0) + Duration::minutes(20 * chance.below(27) as i64),
                minutes: [20, 20, 40][chance.below(3)],
                visit_type: u8::from(chance.below(5) == 0),
                clinician: 1 + chance.below(4) as u8,
                site: 1 + u8::from(chance.below(4) == 0),
            }
        })
        .collect();
    (displaced, openings)
}
