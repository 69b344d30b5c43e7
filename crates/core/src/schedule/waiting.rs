//! Who waits for a time, or for an earlier one than they have, and whom a freed time suits best.

use super::rebooking::Opening;
use chrono::{DateTime, Datelike, NaiveDate, NaiveTime, Utc, Weekday};
use chrono_tz::Tz;

/// Somebody who waits; what is left empty is any. `K` names clinicians, sites and visit types.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Waiting<K> {
    pub visit_type: K,
    pub minutes: i64,
    pub clinicians: Vec<K>,
    pub sites: Vec<K>,
    pub weekdays: Vec<Weekday>,
    /// Earliest and latest start by the clinic's clock, the end excluded.
    pub between: Option<(NaiveTime, NaiveTime)>,
    pub not_before: Option<NaiveDate>,
    /// The time that they have and would give up.
    pub has: Option<DateTime<Utc>>,
    pub since: DateTime<Utc>,
    pub urgent: bool,
}

/// Whether a freed time suits: it fits every wish, and it is earlier than what they have.
pub fn suits<K: PartialEq>(w: &Waiting<K>, o: &Opening<K>, now: DateTime<Utc>, zone: Tz) -> bool {
    let local = o.start.with_timezone(&zone);
    let any = |wanted: &[K], has: &K| wanted.is_empty() || wanted.contains(has);
    o.start > now
        && o.visit_type == w.visit_type
        && o.minutes >= w.minutes
        && any(&w.clinicians, &o.clinician)
        && any(&w.sites, &o.site)
        && (w.weekdays.is_empty() || w.weekdays.contains(&local.weekday()))
        && w.between.is_none_or(|(from, to)| (from..to).contains(&local.time()))
        && w.not_before.is_none_or(|day| local.date_naive() >= day)
        && w.has.is_none_or(|has| o.start < has)
}

/// Whether a visit serves somebody who waited for it: their first time of this type, or an earlier one than
/// they had. What was to be rebooked had no time.
pub fn is_served(had: Option<DateTime<Utc>>, has: DateTime<Utc>) -> bool {
    had.is_none_or(|had| has < had)
}

/// The numbers of those whom a freed time suits, in the order in which to ask them, each with the reasons:
/// what cannot wait first, then who has no time at all, then who gains most, then who waits longest.
pub fn whom_to_ask<K: PartialEq>(
    list: &[Waiting<K>],
    o: &Opening<K>,
    now: DateTime<Utc>,
    zone: Tz,
) -> Vec<(usize, Vec<String>)> {
    let gain = |w: &Waiting<K>| w.has.map(|has| (has - o.start).num_minutes());
    let mut fit: Vec<usize> = (0..list.len()).filter(|n| suits(&list[*n], o, now, zone)).collect();
    fit.sort_by_key(|n| {
        let w = &list[*n];
        (!w.urgent, w.has.is_some(), std::cmp::Reverse(gain(w)), w.since, *n)
    });
    let why = |n: usize| {
        let w = &list[n];
        let date = |at: DateTime<Utc>| at.with_timezone(&zone).date_naive();
        let mut out = Vec::new();
        if w.urgent {
            out.push("cannot wait".to_owned());
        }
        out.push(match w.has {
            None => "has no time yet".to_owned(),
            Some(has) => match (date(has) - date(o.start)).num_days() {
                0 => "earlier the same day".to_owned(),
                1 => "1 day earlier".to_owned(),
                days => format!("{days} days earlier"),
            },
        });
        match (date(now) - date(w.since)).num_days() {
            ..=0 => {}
            1 => out.push("waits since yesterday".to_owned()),
            days => out.push(format!("waits {days} days")),
        }
        (n, out)
    };
    fit.into_iter().map(why).collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::{Duration, TimeZone};

    const ZONE: Tz = chrono_tz::America::New_York;

    fn at(day: u32, hour: u32) -> DateTime<Utc> {
        ZONE.with_ymd_and_hms(2026, 11, day, hour, 0, 0).unwrap().with_timezone(&Utc)
    }

    fn somebody() -> Waiting<u8> {
        Waiting {
            visit_type: 1,
            minutes: 20,
            clinicians: vec![],
            sites: vec![],
            weekdays: vec![],
            between: None,
            not_before: None,
            has: Some(at(30, 9)),
            since: at(20, 9),
            urgent: false,
        }
    }

    fn freed() -> Opening<u8> {
        Opening { start: at(24, 9), minutes: 20, visit_type: 1, clinician: 1, site: 1 }
    }

    #[test]
    fn every_wish_is_a_limit() {
        let now = at(23, 10);
        let yes = |w: Waiting<u8>| suits(&w, &freed(), now, ZONE);
        assert!(yes(somebody()));
        assert!(!yes(Waiting { visit_type: 2, ..somebody() }));
        assert!(!yes(Waiting { minutes: 40, ..somebody() }));
        assert!(!yes(Waiting { clinicians: vec![2], ..somebody() }));
        assert!(!yes(Waiting { sites: vec![2], ..somebody() }));
        assert!(!yes(Waiting { weekdays: vec![Weekday::Mon], ..somebody() }), "it is a Tuesday");
        assert!(yes(Waiting { weekdays: vec![Weekday::Tue], ..somebody() }));
        let noon = NaiveTime::from_hms_opt(12, 0, 0).unwrap();
        assert!(!yes(Waiting { between: Some((noon, NaiveTime::from_hms_opt(18, 0, 0).unwrap())), ..somebody() }));
        assert!(!yes(Waiting { not_before: NaiveDate::from_ymd_opt(2026, 11, 25), ..somebody() }));
        assert!(!yes(Waiting { has: Some(at(24, 9)), ..somebody() }), "what they have is as early");
        assert!(!suits(&somebody(), &freed(), at(24, 9), ZONE), "it has begun");
        assert!(is_served(None, at(30, 9)) && is_served(Some(at(30, 9)), at(24, 9)));
        assert!(!is_served(Some(at(24, 9)), at(24, 9)), "another clinician at the same time is no gain");
    }

    #[test]
    fn they_are_asked_in_the_order_of_need() {
        let list = [
            somebody(),
            Waiting { since: at(10, 9), ..somebody() },
            Waiting { has: Some(at(30, 9) + Duration::days(20)), ..somebody() },
            Waiting { has: None, since: at(22, 9), ..somebody() },
            Waiting { urgent: true, has: Some(at(25, 9)), since: at(23, 9), ..somebody() },
            Waiting { visit_type: 9, ..somebody() },
        ];
        let asked = whom_to_ask(&list, &freed(), at(23, 10), ZONE);
        assert_eq!(asked.iter().map(|(n, _)| *n).collect::<Vec<_>>(), [4, 3, 2, 1, 0]);
        assert_eq!(asked[0].1, ["cannot wait", "1 day earlier"]);
        assert_eq!(asked[1].1, ["has no time yet", "waits since yesterday"]);
        assert_eq!(asked[4].1, ["6 days earlier", "waits 3 days"]);
    }
}
