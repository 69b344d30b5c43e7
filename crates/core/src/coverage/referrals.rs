//! Referrals to the clinic: who sent a person here, for which days and how many visits, and what of it is left.
//!
//! What nobody told (until when, for how many visits, for which payer) limits nothing. A referral is counted down by the visits
//! that name it, in the order in which they take place, so the visit too many is at fault and not the first.

use crate::arrival::Stage;
use crate::fields::typed_date;
use chrono::NaiveDate;

/// What a referral allows.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Allowed {
    pub from: NaiveDate,
    /// Its last day.
    pub until: Option<NaiveDate>,
    /// Visits, 1 to 999.
    pub visits: Option<u32>,
    /// It was taken back.
    pub ended: bool,
}

/// The visit that wants one.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct WantedFor {
    pub day: NaiveDate,
    /// Visits that name the referral and lie before this one.
    pub before: u32,
    /// The referral names another payer than the one that pays for the visit.
    pub other_payer: bool,
}

/// Why a referral does not hold for a visit.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ReferralFault {
    Ended,
    OtherPayer,
    From(NaiveDate),
    Until(NaiveDate),
    UsedUp(u32),
}

impl ReferralFault {
    /// In a sentence; `who` referred.
    pub fn sentence(self, who: &str) -> String {
        let short = typed_date::short;
        match self {
            ReferralFault::Ended => format!("The referral of {who} was taken back."),
            ReferralFault::OtherPayer => format!("The referral of {who} is for another payer."),
            ReferralFault::From(day) => format!("The referral of {who} holds from {}.", short(day)),
            ReferralFault::Until(day) => format!("The referral of {who} held until {}.", short(day)),
            ReferralFault::UsedUp(1) => format!("The referral of {who} was for one visit, which took place."),
            ReferralFault::UsedUp(n) => format!("The referral of {who} was for {n} visits; this is one more."),
        }
    }
}

impl Allowed {
    /// Why it does not hold for this visit; nothing where it does.
    pub fn fault_for(&self, visit: WantedFor) -> Option<ReferralFault> {
        if self.ended {
            return Some(ReferralFault::Ended);
        }
        if visit.other_payer {
            return Some(ReferralFault::OtherPayer);
        }
        if visit.day < self.from {
            return Some(ReferralFault::From(self.from));
        }
        if let Some(until) = self.until.filter(|u| visit.day > *u) {
            return Some(ReferralFault::Until(until));
        }
        self.visits.filter(|n| visit.before >= *n).map(ReferralFault::UsedUp)
    }

    /// Visits left after as many as name it; nothing where nobody told how many it allows.
    pub fn left(&self, named: u32) -> Option<u32> {
        self.visits.map(|n| n.saturating_sub(named))
    }

    /// How far the visits that name it count it down, by how far each of them is.
    pub fn counted(&self, visits: impl IntoIterator<Item = Stage>) -> CountedDown {
        let (mut used, mut booked) = (0, 0);
        for stage in visits.into_iter().filter(|s| counts(*s)) {
            *(if stage == Stage::Booked { &mut booked } else { &mut used }) += 1;
        }
        CountedDown { used, booked, left: self.left(used + booked) }
    }
}

/// Whether a visit that names a referral counts it down: booked, or come; not what was cancelled, missed or left unseen.
pub fn counts(stage: Stage) -> bool {
    !matches!(stage, Stage::Cancelled | Stage::DidNotCome | Stage::LeftUnseen)
}

/// How far a referral is counted down.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct CountedDown {
    /// Visits that took place or take place now, and those that are booked.
    pub used: u32,
    pub booked: u32,
    /// Nothing where nobody told how many it allows.
    pub left: Option<u32>,
}

/// The referral that a visit names.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReferralOfVisit {
    /// Who referred, with the title as it is told.
    pub who: String,
    pub fault: Option<ReferralFault>,
}

/// What is wrong with the referral of a visit, and whether its payer would refuse it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ReferralLack {
    pub sentence: String,
    pub stops: bool,
}

/// What `payer` would say of the referral of a visit. `needed` where it pays only with one; `on_file` hold for the visit and wait
/// to be chosen: which one a visit is for nobody guesses.
pub fn lack(payer: &str, needed: bool, named: Option<&ReferralOfVisit>, on_file: usize) -> Option<ReferralLack> {
    let sentence = match named {
        Some(r) => r.fault?.sentence(&r.who),
        None if !needed => return None,
        None if on_file == 0 => format!("{payer} pays only with a referral; none on file holds for this visit."),
        None => format!("{payer} pays only with a referral; say which one of those on file the visit is for."),
    };
    Some(ReferralLack { sentence, stops: needed })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn day(d: u32) -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, d).unwrap()
    }

    fn six() -> Allowed {
        Allowed { from: day(2), until: Some(day(20)), visits: Some(6), ended: false }
    }

    fn wanted(d: u32, before: u32) -> WantedFor {
        WantedFor { day: day(d), before, other_payer: false }
    }

    #[test]
    fn a_referral_holds_on_its_first_and_last_day_and_for_as_many_visits_as_it_allows() {
        for (visit, fault) in [
            (wanted(1, 0), Some(ReferralFault::From(day(2)))),
            (wanted(2, 0), None),
            (wanted(20, 5), None),
            (wanted(21, 0), Some(ReferralFault::Until(day(20)))),
            (wanted(10, 6), Some(ReferralFault::UsedUp(6))),
            (WantedFor { other_payer: true, ..wanted(10, 0) }, Some(ReferralFault::OtherPayer)),
        ] {
            assert_eq!(six().fault_for(visit), fault, "{visit:?}");
        }
        let ended = Allowed { ended: true, ..six() };
        assert_eq!(ended.fault_for(wanted(10, 0)), Some(ReferralFault::Ended));
        assert_eq!((six().left(2), six().left(9)), (Some(4), Some(0)));
    }

    #[test]
    fn what_nobody_told_limits_nothing() {
        let open = Allowed { from: day(2), until: None, visits: None, ended: false };
        assert_eq!(open.fault_for(wanted(30, 400)), None);
        assert_eq!(open.left(400), None);
    }

    #[test]
    fn what_was_booked_counts_and_what_never_was_does_not() {
        use Stage::{Booked, Cancelled, DidNotCome, InRoom, Left, LeftUnseen};
        let counted = six().counted([Booked, Cancelled, Left, DidNotCome, InRoom, LeftUnseen]);
        assert_eq!(counted, CountedDown { used: 2, booked: 1, left: Some(3) });
        assert_eq!(Allowed { visits: None, ..six() }.counted([Left]).left, None);
    }

    #[test]
    fn each_fault_is_a_sentence() {
        let said = |f: ReferralFault| f.sentence("Dr. Okafor-Lund");
        assert_eq!(said(ReferralFault::Until(day(20))), "The referral of Dr. Okafor-Lund held until Nov 20, 2026.");
        assert!(said(ReferralFault::UsedUp(1)).contains("for one visit"));
        assert!(said(ReferralFault::UsedUp(6)).contains("for 6 visits; this is one more"));
    }

    #[test]
    fn only_a_payer_that_asks_for_one_would_refuse() {
        let named = |fault| ReferralOfVisit { who: "Dr. Okafor-Lund".into(), fault };
        let lack = |needed, named: Option<ReferralOfVisit>, on_file| {
            lack("Commonweal Care", needed, named.as_ref(), on_file).map(|l| (l.sentence, l.stops))
        };
        assert_eq!(lack(false, None, 2), None);
        assert_eq!(lack(true, Some(named(None)), 0), None);
        let (sentence, stops) = lack(true, None, 0).unwrap();
        assert!(stops && sentence.contains("none on file"), "{sentence}");
        assert!(lack(true, None, 2).unwrap().0.contains("say which one"));
        let over = Some(named(Some(ReferralFault::UsedUp(2))));
        assert_eq!((lack(true, over.clone(), 1).unwrap().1, lack(false, over, 1).unwrap().1), (true, false));
    }

    proptest! {
        /// Of any visits in their order, exactly the first that it allows are good, whatever else lies between.
        #[test]
        fn of_visits_in_their_order_the_first_ones_are_good(allowed in 1u32..10, named in 0u32..20) {
            let referral = Allowed { visits: Some(allowed), ..six() };
            let good = (0..named).filter(|n| referral.fault_for(wanted(5, *n)).is_none()).count();
            prop_assert_eq!(good, named.min(allowed) as usize);
            prop_assert_eq!(referral.left(named), Some(allowed - named.min(allowed)));
        }
    }
}
