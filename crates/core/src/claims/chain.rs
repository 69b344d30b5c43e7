//! The chain of a claim's versions: what becomes of the claims of a visit whose charges are charged again, or taken back.
//!
//! A claim that the payer may have is never simply changed: it is replaced there (X12 CLM05-3 7) or voided (8), each by a claim
//! of its own that names it. One that never got there is withdrawn here.

use super::{ClaimState, Frequency};

/// One version of a claim; `I` tells claims apart, `P` payers.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Version<I, P> {
    pub id: I,
    pub payer: P,
    pub frequency: Frequency,
    pub state: ClaimState,
    /// The payer gave it a number: it has it, whatever became of it since.
    pub numbered: bool,
    /// The version whose place it takes.
    pub replaces: Option<I>,
}

impl<I: PartialEq, P> Version<I, P> {
    /// Whether the payer may have it.
    pub fn may_be_there(&self) -> bool {
        match self.state {
            ClaimState::Sent | ClaimState::Accepted | ClaimState::Paid | ClaimState::Denied => true,
            ClaimState::Ready | ClaimState::Rejected => self.numbered,
            ClaimState::Void => false,
        }
    }

    /// Whether it voids another, and the payer may have it but has not given it a number.
    pub fn voids_unacknowledged(&self) -> bool {
        self.frequency == Frequency::Void && self.state == ClaimState::Sent && !self.numbered
    }

    /// Whether it is what the payer goes by: there, and no later version that is there takes its place.
    fn stands(&self, all: &[Version<I, P>]) -> bool {
        let later = |v: &Version<I, P>| v.may_be_there() && v.comes_after(self, all);
        self.may_be_there() && self.frequency != Frequency::Void && !all.iter().any(later)
    }

    /// Whether it takes the place of that one, also by way of others: where one between was refused after it had been replaced, what
    /// replaced it stands for both.
    fn comes_after(&self, earlier: &Version<I, P>, all: &[Version<I, P>]) -> bool {
        let mut before = self.replaces.as_ref();
        // A chain is never longer than all of them.
        for _ in all {
            match before {
                Some(id) if *id == earlier.id => return true,
                Some(id) => before = all.iter().find(|v| v.id == *id).and_then(|v| v.replaces.as_ref()),
                None => return false,
            }
        }
        false
    }
}

/// What is done with the claims of a visit.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Acts<I> {
    /// They never got to the payer.
    pub withdrawn: Vec<I>,
    /// Each gets a claim that voids it.
    pub voided: Vec<I>,
    /// What the claim that is made now takes the place of; nothing: it is the first.
    pub replaces: Option<I>,
    /// A claim that voids the one before and that the payer has not acknowledged: the first claim that is made now goes only after
    /// that. Were the void refused, two would stand there.
    pub after: Option<I>,
}

/// What becomes of the claims of a visit when it is charged again to `goes_to`, or to no payer any more.
pub fn acts<I: Clone + PartialEq, P: PartialEq>(all: &[Version<I, P>], goes_to: Option<&P>) -> Acts<I> {
    let unsent = |v: &&Version<I, P>| v.state != ClaimState::Void && !v.may_be_there();
    let standing = || all.iter().filter(|v| v.stands(all));
    let ids = |some: &mut dyn Iterator<Item = &Version<I, P>>| some.map(|v| v.id.clone()).collect();
    Acts {
        withdrawn: ids(&mut all.iter().filter(unsent)),
        voided: ids(&mut standing().filter(|v| Some(&v.payer) != goes_to)),
        replaces: standing().filter(|v| Some(&v.payer) == goes_to).last().map(|v| v.id.clone()),
        after: all.iter().rfind(|v| v.voids_unacknowledged() && Some(&v.payer) == goes_to).map(|v| v.id.clone()),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::claims::ClaimEvent;
    use crate::money::Cents;
    use crate::money::ledger::{Balances, Entry, LineDecision, Transaction, charge, decision};
    use ClaimState::{Accepted, Paid, Ready, Rejected, Sent, Void};
    use Frequency::{Original, Replacement};
    use proptest::prelude::*;

    fn version(id: u32, payer: char, state: ClaimState) -> Version<u32, char> {
        Version { id, payer, frequency: Original, state, numbered: matches!(state, Accepted | Paid), replaces: None }
    }

    fn done(withdrawn: &[u32], voided: &[u32], replaces: Option<u32>) -> Acts<u32> {
        Acts { withdrawn: withdrawn.into(), voided: voided.into(), replaces, after: None }
    }

    #[test]
    fn one_that_never_got_there_is_withdrawn_and_one_that_did_is_replaced_or_voided() {
        for state in [Ready, Rejected] {
            assert_eq!(acts(&[version(1, 'a', state)], Some(&'a')), done(&[1], &[], None), "{state:?}");
        }
        for state in [Sent, Accepted, Paid, ClaimState::Denied] {
            let all = [version(1, 'a', state)];
            assert_eq!(acts(&all, Some(&'a')), done(&[], &[], Some(1)), "{state:?}: the same payer");
            assert_eq!(acts(&all, Some(&'b')), done(&[], &[1], None), "{state:?}: another payer");
            assert_eq!(acts(&all, None), done(&[], &[1], None), "{state:?}: nobody any more");
        }
        assert_eq!(acts(&[version(1, 'a', Void)], Some(&'a')), done(&[], &[], None));
        // One that the payer denied, and that was made ready to go again: the payer has it.
        let again = Version { numbered: true, ..version(1, 'a', Ready) };
        assert_eq!(acts(&[again], Some(&'a')), done(&[], &[], Some(1)));
    }

    #[test]
    fn the_last_version_that_is_there_is_the_one_that_is_replaced() {
        let first = version(1, 'a', Paid);
        let waits = Version { frequency: Replacement, replaces: Some(1), ..version(2, 'a', Ready) };
        assert_eq!(acts(&[first.clone(), waits.clone()], Some(&'a')), done(&[2], &[], Some(1)));
        let gone = Version { state: Accepted, numbered: true, ..waits };
        assert_eq!(acts(&[first.clone(), gone], Some(&'a')), done(&[], &[], Some(2)));
        let voids = Version { frequency: Frequency::Void, replaces: Some(1), ..version(2, 'a', Ready) };
        assert_eq!(acts(&[first.clone(), voids.clone()], Some(&'a')), done(&[2], &[], Some(1)), "not gone yet");
        let voided = Version { state: Sent, ..voids };
        let waits = Acts { after: Some(2), ..done(&[], &[], None) };
        assert_eq!(
            acts(&[first.clone(), voided.clone()], Some(&'a')),
            waits,
            "a new one is the first again, after the void"
        );
        let acknowledged = Version { state: Accepted, numbered: true, ..voided };
        assert_eq!(acts(&[first, acknowledged], Some(&'a')), done(&[], &[], None));
    }

    #[test]
    fn what_replaced_one_that_is_refused_later_stands_for_both() {
        let first = version(1, 'a', Sent);
        let refused = Version { frequency: Replacement, replaces: Some(1), ..version(2, 'a', Rejected) };
        let third = Version { frequency: Replacement, replaces: Some(2), ..version(3, 'a', Sent) };
        let all = [first.clone(), refused.clone(), third];
        assert_eq!(acts(&all, Some(&'a')), done(&[2], &[], Some(3)), "the first is not replaced once more");
        assert_eq!(acts(&all, None), done(&[2], &[3], None), "one is voided, not two");
        assert_eq!(acts(&[first, refused], Some(&'a')), done(&[2], &[], Some(1)));
    }

    /// A visit with its claims and what is on the books.
    #[derive(Default)]
    struct Visit {
        all: Vec<Version<u32, char>>,
        posted: Vec<Transaction>,
        charged: Option<Transaction>,
    }

    impl Visit {
        fn add(&mut self, payer: char, frequency: Frequency, replaces: Option<u32>) {
            let id = u32::try_from(self.all.len()).expect("few");
            self.all.push(Version { id, payer, frequency, state: Ready, numbered: false, replaces });
        }

        fn correct(&mut self, payer: Option<char>, fee: i64) {
            if let Some(before) = self.charged.take() {
                self.posted.push(before.reversed("charged again"));
            }
            let acts = acts(&self.all, payer.as_ref());
            for id in &acts.withdrawn {
                self.all[*id as usize].state = Void;
            }
            for id in acts.voided {
                self.add(self.all[id as usize].payer, Frequency::Void, Some(id));
            }
            if let Some(payer) = payer {
                let frequency = if acts.replaces.is_some() { Replacement } else { Original };
                self.add(payer, frequency, acts.replaces.or(acts.after));
            }
            let made = charge(&[(1, Cents::new(fee))], payer.is_some()).expect("a charge");
            self.charged = Some(made.clone());
            self.posted.push(made);
        }

        /// As the exchange or the payer tells of one of the claims.
        fn happens(&mut self, which: usize, event: ClaimEvent) {
            let Some(n) = which.checked_rem(self.all.len()) else { return };
            let Ok(next) = self.all[n].state.after(event) else { return };
            let before = self.all[n].replaces.map(|id| self.all[id as usize].clone());
            // What goes after a void is not sent before that is acknowledged.
            let waits = self.all[n].frequency == Original && before.as_ref().is_some_and(Version::voids_unacknowledged);
            if event == ClaimEvent::Sent && waits {
                return;
            }
            self.all[n].state = next;
            self.all[n].numbered |= event == ClaimEvent::Accepted;
            // A void that was refused: what waited for it replaces what still stands.
            let refused = self.all[n].clone();
            if refused.frequency == Frequency::Void && next == Rejected && !refused.numbered {
                let waiting = self.all.iter().position(|v| v.replaces == Some(refused.id) && v.state == Ready);
                if let Some(waiting) = waiting {
                    (self.all[waiting].frequency, self.all[waiting].replaces) = (Replacement, refused.replaces);
                    self.all[n].state = Void;
                }
            }
            if event == ClaimEvent::Paid {
                let line = LineDecision {
                    line: Some(1),
                    paid: Cents::new(100),
                    written_off: Cents::ZERO,
                    patient_share: Cents::new(50),
                };
                self.posted.extend(decision(&[line]));
            }
        }
    }

    #[derive(Debug, Clone, Copy)]
    enum Deed {
        Correct(Option<char>, i64),
        Happens(usize, u8),
    }

    fn deed() -> impl Strategy<Value = Deed> {
        let payer = prop_oneof![Just(None), Just(Some('a')), Just(Some('b'))];
        prop_oneof![
            (payer, 1i64..50_000).prop_map(|(p, fee)| Deed::Correct(p, fee)),
            (any::<usize>(), 0u8..6).prop_map(|(n, e)| Deed::Happens(n, e)),
        ]
    }

    const EVENTS: [ClaimEvent; 6] = [
        ClaimEvent::Sent,
        ClaimEvent::Accepted,
        ClaimEvent::Rejected,
        ClaimEvent::Paid,
        ClaimEvent::Denied,
        ClaimEvent::TakenBack,
    ];

    proptest! {
        #![proptest_config(ProptestConfig::with_cases(3000))]
        #[test]
        fn whatever_happens_the_books_and_the_chain_agree(deeds in proptest::collection::vec(deed(), 1..40)) {
            let mut visit = Visit::default();
            for deed in deeds {
                let corrected = match deed {
                    Deed::Correct(payer, fee) => {
                        visit.correct(payer, fee);
                        Some((payer, fee))
                    }
                    Deed::Happens(n, e) => {
                        visit.happens(n, EVENTS[usize::from(e)]);
                        None
                    }
                };
                let entries: Vec<Entry> = visit.posted.iter().flat_map(|t| t.entries().to_vec()).collect();
                prop_assert_eq!(entries.iter().map(|e| e.amount).sum::<Cents>(), Cents::ZERO);
                // No version's place is taken twice, and at each payer one version stands at most.
                let living = || visit.all.iter().filter(|v| v.state != Void);
                for v in &visit.all {
                    prop_assert!(living().filter(|l| l.replaces == Some(v.id)).count() <= 1, "{:?}", visit.all);
                }
                for payer in ['a', 'b'] {
                    let standing = visit.all.iter().filter(|v| v.payer == payer && v.stands(&visit.all)).count();
                    prop_assert!(standing <= 1, "{} stand at {}: {:?}", standing, payer, visit.all);
                }
                let Some((payer, fee)) = corrected else { continue };
                prop_assert_eq!(Balances::of(&entries).charged, Cents::new(fee), "only the last charge is on the books");
                let unsent: Vec<_> = living().filter(|v| v.state == Ready && v.frequency != Frequency::Void).collect();
                let to: Vec<char> = unsent.iter().filter(|v| !v.numbered).map(|v| v.payer).collect();
                prop_assert_eq!(to, payer.into_iter().collect::<Vec<_>>(), "one claim is to go: {:?}", visit.all);
                for v in visit.all.iter().filter(|v| v.stands(&visit.all) && Some(v.payer) != payer) {
                    prop_assert!(living().any(|l| l.replaces == Some(v.id)), "{:?} is to be voided: {:?}", v, visit.all);
                }
            }
        }
    }
}
