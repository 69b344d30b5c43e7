//! Lists without times: home visits in the order of the round, walk-ins in the order of arrival.

use chrono::{Datelike, NaiveDate, Weekday};

coded! {
    ListKind {
        Home = "home", "home visits";
        WalkIn = "walk_in", "walk-ins";
    }
}

/// Why somebody cannot be put on a list.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum ListRefusal {
    #[error("There is no {0} on this day.")]
    NotThatDay(String),
    #[error("{name} takes {most} a day; all are given.")]
    Full { name: String, most: usize },
    #[error("Whoever walks in is here today; for another day book a time.")]
    WalkInLater,
    #[error("This day has passed.")]
    Past,
    #[error("Nobody works on this day ({0}). Choose another one.")]
    Closed(String),
    #[error("{0} has died; no visit can be booked.")]
    Deceased(String),
}

/// A list as the rules see it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UntimedList {
    pub name: String,
    pub kind: ListKind,
    pub weekdays: Vec<Weekday>,
    /// How many it takes a day.
    pub most: usize,
}

/// Whether one more may go on the list of a day; `taken` are on it, `closed` says why nobody works then.
pub fn may_enter(
    list: &UntimedList,
    (day, closed): (NaiveDate, Option<&str>),
    today: NaiveDate,
    taken: usize,
    deceased: Option<&str>,
) -> Result<(), ListRefusal> {
    if let Some(name) = deceased {
        return Err(ListRefusal::Deceased(name.to_owned()));
    }
    if day < today {
        return Err(ListRefusal::Past);
    }
    if list.kind == ListKind::WalkIn && day != today {
        return Err(ListRefusal::WalkInLater);
    }
    if !list.weekdays.contains(&day.weekday()) {
        return Err(ListRefusal::NotThatDay(list.name.clone()));
    }
    if let Some(why) = closed {
        return Err(ListRefusal::Closed(why.to_owned()));
    }
    if taken >= list.most {
        return Err(ListRefusal::Full { name: list.name.clone(), most: list.most });
    }
    Ok(())
}

/// The order with one moved to a place (from 0); nobody is lost or doubled.
pub fn reordered<K: Copy + PartialEq>(order: &[K], who: K, to: usize) -> Vec<K> {
    if !order.contains(&who) {
        return order.to_vec();
    }
    let mut out: Vec<K> = order.iter().copied().filter(|k| *k != who).collect();
    out.insert(to.min(out.len()), who);
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn a_list_takes_so_many_on_its_days() {
        let day = |d| NaiveDate::from_ymd_opt(2026, 11, d).unwrap();
        let round =
            UntimedList { name: "Home visits".into(), kind: ListKind::Home, weekdays: vec![Weekday::Tue], most: 2 };
        let enter = |list: &UntimedList, d, taken| may_enter(list, (day(d), None), day(23), taken, None);
        assert_eq!(enter(&round, 24, 1), Ok(()));
        assert_eq!(enter(&round, 24, 2).unwrap_err().to_string(), "Home visits takes 2 a day; all are given.");
        assert_eq!(enter(&round, 25, 0), Err(ListRefusal::NotThatDay("Home visits".into())));
        assert_eq!(enter(&round, 17, 0), Err(ListRefusal::Past));
        let closed = may_enter(&round, (day(24), Some("holiday")), day(23), 0, None);
        assert_eq!(closed, Err(ListRefusal::Closed("holiday".into())));
        let dead = may_enter(&round, (day(24), None), day(23), 0, Some("Ada Quill"));
        assert_eq!(dead, Err(ListRefusal::Deceased("Ada Quill".into())));
        let quay = UntimedList { kind: ListKind::WalkIn, weekdays: vec![Weekday::Mon, Weekday::Tue], ..round };
        assert_eq!(enter(&quay, 23, 0), Ok(()));
        assert_eq!(enter(&quay, 24, 0), Err(ListRefusal::WalkInLater));
    }

    proptest! {
        #[test]
        fn reordering_keeps_everybody(n in 0usize..9, who in 0usize..12, to in 0usize..12) {
            let order: Vec<usize> = (0..n).collect();
            let new = reordered(&order, who, to);
            let mut sorted = new.clone();
            sorted.sort_unstable();
            prop_assert_eq!(&sorted, &order);
            if who < n {
                prop_assert_eq!(new.iter().position(|k| *k == who), Some(to.min(n - 1)));
            }
        }
    }
}
