//! Bringing a day that is there already to what the templates want, as far as people allow.

use super::{MadeShift, MadeSlot};
use crate::schedule::Span;

/// A slot that is there. `K` names it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Present<K> {
    pub key: K,
    pub slot: MadeSlot<K>,
    /// Somebody has it, or a person changed it by hand: it stays.
    pub fixed: bool,
}

/// A shift that is there.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PresentShift<K> {
    pub key: K,
    /// The template that made it; nothing for a one-off shift, which no template touches.
    pub template: Option<K>,
    pub clinician: K,
    pub site: K,
    pub span: Span,
    /// It stands for the day on which it does not take place, so that it is not made anew.
    pub cancelled: bool,
    /// It was handed to somebody else than its template's clinician: what was agreed between two stays.
    pub handed_over: bool,
    pub slots: Vec<Present<K>>,
    /// Where a person took a slot away: none is made there again.
    pub emptied: Vec<Span>,
}

impl<K: Copy> PresentShift<K> {
    /// From the first to the last slot that stays; nothing when all may go.
    fn fixed_span(&self) -> Option<Span> {
        let fixed = self.slots.iter().filter(|s| s.fixed).map(|s| s.slot.span);
        fixed.reduce(|a, b| hull(a, b).unwrap_or(a))
    }
}

fn hull(a: Span, b: Span) -> Option<Span> {
    Span::new(a.start().min(b.start()), a.end().max(b.end())).ok()
}

/// Why something is not as the template says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Left {
    /// Somebody is booked, or a person changed the slot.
    SlotStays,
    /// The clinician has another shift at this time.
    OtherShift,
    /// The shift was handed to somebody else.
    HandedOver,
    /// Patients are booked at the old site.
    OtherSite,
}

impl Left {
    /// The sentence for the one who changed the template.
    pub fn sentence(self) -> &'static str {
        match self {
            Left::SlotStays => "stays as it is: somebody is booked, or it was changed by hand",
            Left::OtherShift => "is not made: the clinician has another shift then",
            Left::HandedOver => "stays as it is: the shift was handed over",
            Left::OtherSite => "stays at its site: somebody is booked there",
        }
    }
}

/// A shift that stays, with what changes about it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChangedShift<K> {
    pub key: K,
    /// Its own time from now on; it holds every slot that stays.
    pub span: Span,
    pub site: K,
    pub add: Vec<MadeSlot<K>>,
    pub remove: Vec<K>,
}

/// What to do so that a day is as the templates say, as far as that can be.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SettledDay<K> {
    pub make: Vec<MadeShift<K>>,
    pub change: Vec<ChangedShift<K>>,
    pub drop: Vec<K>,
    /// What could not be: whose time, and why.
    pub left: Vec<(K, Span, Left)>,
}

impl<K> SettledDay<K> {
    /// Whether there is nothing to do.
    pub fn is_still(&self) -> bool {
        self.make.is_empty() && self.change.is_empty() && self.drop.is_empty()
    }
}

/// What one shift wants to become.
struct Claim<'a, K> {
    present: Option<&'a PresentShift<K>>,
    wanted: Option<&'a MadeShift<K>>,
    /// What it takes for certain.
    least: Option<Span>,
    /// What it would take.
    full: Span,
    granted: bool,
}

/// Compares what the templates want of one day with what is there. Doing what the answer says and asking
/// again gives nothing more to do; no slot that is fixed changes, and no two shifts of a clinician overlap.
pub fn settle_day<K: Copy + PartialEq>(wanted: &[MadeShift<K>], present: &[PresentShift<K>]) -> SettledDay<K> {
    let mut out = SettledDay { make: vec![], change: vec![], drop: vec![], left: vec![] };
    let mut claims: Vec<Claim<K>> = Vec::new();
    // One-off shifts stay, and so does what was handed to somebody else.
    let mut standing: Vec<(K, Span)> = Vec::new();
    for p in present.iter().filter(|p| !p.cancelled) {
        let Some(template) = p.template else {
            standing.push((p.clinician, p.span));
            continue;
        };
        let want = wanted.iter().find(|w| w.template == template);
        if p.handed_over {
            standing.push((p.clinician, p.span));
            if want.is_none_or(|w| w.span != p.span) {
                out.left.push((p.clinician, p.span, Left::HandedOver));
            }
            continue;
        }
        let fixed = p.fixed_span();
        let moves_away = want.is_some_and(|w| w.site != p.site) && fixed.is_some();
        let want = want.filter(|_| !moves_away);
        if moves_away {
            out.left.push((p.clinician, p.span, Left::OtherSite));
        }
        let full = match (want, fixed) {
            (Some(w), Some(f)) => hull(w.span, f).unwrap_or(f),
            (Some(w), None) => w.span,
            (None, Some(f)) => f,
            (None, None) => {
                out.drop.push(p.key);
                continue;
            }
        };
        claims.push(Claim { present: Some(p), wanted: want, least: fixed, full, granted: false });
    }
    for w in wanted {
        if !present.iter().any(|p| p.template == Some(w.template)) {
            claims.push(Claim { present: None, wanted: Some(w), least: None, full: w.span, granted: false });
        }
    }
    grant(&mut claims, &standing);
    for claim in &claims {
        carry_out(claim, &mut out);
    }
    out
}

fn whose<K: Copy>(claim: &Claim<K>) -> Option<K> {
    claim.present.map(|p| p.clinician).or(claim.wanted.map(|w| w.clinician))
}

/// Grants each claim its full time where nobody else's least or granted time is in the way; what is granted
/// late may depend on nothing, since a claim only ever grows into free time.
fn grant<K: Copy + PartialEq>(claims: &mut [Claim<K>], standing: &[(K, Span)]) {
    for at in 0..claims.len() {
        let Some(clinician) = whose(&claims[at]) else { continue };
        let full = claims[at].full;
        let against = |span: Option<Span>| span.is_some_and(|s| s.overlaps(&full));
        let blocked = standing.iter().any(|(who, span)| *who == clinician && span.overlaps(&full))
            || claims.iter().enumerate().any(|(n, c)| {
                n != at && whose(c) == Some(clinician) && against(if c.granted { Some(c.full) } else { c.least })
            });
        claims[at].granted = !blocked;
    }
}

fn carry_out<K: Copy + PartialEq>(claim: &Claim<K>, out: &mut SettledDay<K>) {
    let Some(present) = claim.present else {
        let Some(w) = claim.wanted else { return };
        match claim.granted {
            true => out.make.push(w.clone()),
            false => out.left.push((w.clinician, w.span, Left::OtherShift)),
        }
        return;
    };
    let none = Vec::new();
    let (slots, site) = claim.wanted.map_or((&none, present.site), |w| (&w.slots, w.site));
    let span = match (claim.granted, claim.least) {
        (true, _) => claim.full,
        (false, Some(least)) => least,
        (false, None) => {
            // Nobody is in it, and its new time is taken: it goes.
            out.drop.push(present.key);
            out.left.push((present.clinician, claim.full, Left::OtherShift));
            return;
        }
    };
    if !claim.granted && span != claim.full {
        out.left.push((present.clinician, claim.full, Left::OtherShift));
    }
    let mut changed = ChangedShift { key: present.key, span, site, add: vec![], remove: vec![] };
    let stays = |p: &&Present<K>| p.fixed || (slots.contains(&p.slot) && span.contains(&p.slot.span));
    let staying: Vec<&Present<K>> = present.slots.iter().filter(stays).collect();
    changed.remove = present.slots.iter().filter(|p| !stays(p)).map(|p| p.key).collect();
    let mut told: Vec<Span> = Vec::new();
    for slot in slots.iter().filter(|s| span.contains(&s.span)) {
        if staying.iter().any(|p| p.slot == *slot) || present.emptied.iter().any(|e| e.overlaps(&slot.span)) {
            continue;
        }
        match staying.iter().find(|p| p.slot.span.overlaps(&slot.span)) {
            Some(in_the_way) => told.push(in_the_way.slot.span),
            None => changed.add.push(slot.clone()),
        }
    }
    if claim.wanted.is_none() {
        told.extend(staying.iter().map(|p| p.slot.span));
    }
    told.dedup();
    out.left.extend(told.into_iter().map(|span| (present.clinician, span, Left::SlotStays)));
    if span != present.span || site != present.site || !changed.add.is_empty() || !changed.remove.is_empty() {
        out.change.push(changed);
    }
}

#[cfg(test)]
mod tests {
    use super::super::*;
    use super::*;
    use proptest::prelude::*;

    const ZONE: Tz = chrono_tz::America::New_York;

    fn sunday() -> NaiveDate {
        NaiveDate::from_ymd_opt(2026, 11, 29).unwrap()
    }

    fn span(from: u32, to: u32) -> Span {
        let at = |h| at_local(ZONE, sunday(), NaiveTime::from_hms_opt(h, 0, 0).unwrap());
        Span::new(at(from), at(to)).unwrap()
    }

    /// A shift of the template with this key, cut into slots of `minutes` of this type.
    fn made(key: u32, from: u32, to: u32, minutes: i64, visit_type: u32) -> MadeShift<u32> {
        let runs = [Run { count: 99, minutes, purpose: Purpose::Open(visit_type), clinic: String::new() }];
        let span = span(from, to);
        MadeShift { template: key, clinician: 1, site: 1, span, slots: cut(&runs, span) }
    }

    /// The day after it was done as told. New keys count on.
    fn apply(day: &[PresentShift<u32>], s: &SettledDay<u32>) -> Vec<PresentShift<u32>> {
        let mut next = 1 + day.iter().flat_map(|p| p.slots.iter().map(|s| s.key).chain([p.key])).max().unwrap_or(0);
        let mut fresh = move || {
            next += 1;
            next
        };
        let mut out: Vec<PresentShift<u32>> = day.iter().filter(|p| !s.drop.contains(&p.key)).cloned().collect();
        for change in &s.change {
            let p = out.iter_mut().find(|p| p.key == change.key).expect("it is there");
            (p.span, p.site) = (change.span, change.site);
            p.slots.retain(|slot| !change.remove.contains(&slot.key));
            p.slots.extend(change.add.iter().map(|slot| Present { key: fresh(), slot: slot.clone(), fixed: false }));
        }
        for w in &s.make {
            let slots = w.slots.iter().map(|slot| Present { key: fresh(), slot: slot.clone(), fixed: false });
            let slots = slots.collect();
            out.push(PresentShift {
                key: fresh(),
                template: Some(w.template),
                clinician: w.clinician,
                site: w.site,
                span: w.span,
                cancelled: false,
                handed_over: false,
                slots,
                emptied: vec![],
            });
        }
        out
    }

    fn day_of(wanted: &[MadeShift<u32>]) -> Vec<PresentShift<u32>> {
        apply(&[], &settle_day(wanted, &[]))
    }

    #[test]
    fn a_longer_morning_grows_round_what_is_booked_and_tells_what_stays() {
        let mut day = day_of(&[made(1, 8, 12, 20, 7)]);
        day[0].slots[1].fixed = true;
        let s = settle_day(&[made(1, 9, 13, 60, 7)], &day);
        assert!(s.left.is_empty(), "8:20 lies before them all");
        let after = apply(&day, &s);
        assert_eq!(after[0].span.start(), day[0].slots[1].slot.span.start(), "it begins with who is booked");
        assert_eq!((after[0].span.end(), after[0].slots.len()), (span(8, 13).end(), 5));
        // Booked in the middle of an hour: that hour is not made, and it is told.
        let mut day = day_of(&[made(1, 8, 12, 20, 7)]);
        day[0].slots[4].fixed = true;
        let s = settle_day(&[made(1, 8, 12, 60, 7)], &day);
        assert_eq!(s.left, [(1, day[0].slots[4].slot.span, Left::SlotStays)]);
        assert_eq!(apply(&day, &s)[0].slots.len(), 4);
    }

    #[test]
    fn what_people_decided_is_left_alone() {
        let wanted = [made(1, 8, 12, 20, 7)];
        let mut day = day_of(&wanted);
        day[0].cancelled = true;
        assert!(settle_day(&wanted, &day).is_still(), "a cancelled shift is not made again");
        day[0].cancelled = false;
        (day[0].clinician, day[0].handed_over) = (2, true);
        assert!(settle_day(&wanted, &day).is_still(), "nor one that was handed over");
        let away = settle_day(&[], &day);
        assert!(away.is_still(), "nor does it end when the first one is away");
        assert_eq!(away.left, [(2, day[0].span, Left::HandedOver)]);
        let mut day = day_of(&wanted);
        let gone = day[0].slots.remove(3);
        assert_eq!(settle_day(&wanted, &day).change.len(), 1);
        day[0].emptied.push(gone.slot.span);
        assert!(settle_day(&wanted, &day).is_still(), "nor a slot that was deleted by hand");
        let mut one_off = day_of(&wanted);
        one_off[0].template = None;
        let s = settle_day(&wanted, &one_off);
        assert!(s.is_still());
        assert_eq!(s.left, [(1, span(8, 12), Left::OtherShift)]);
        let mut booked = day_of(&wanted);
        booked[0].slots[0].fixed = true;
        let elsewhere = MadeShift { site: 2, ..wanted[0].clone() };
        assert_eq!(settle_day(&[elsewhere], &booked).left[0].2, Left::OtherSite);
    }

    #[test]
    fn two_halves_of_a_day_trade_places_when_nobody_is_booked() {
        let day = day_of(&[made(1, 8, 12, 20, 7), made(2, 13, 17, 20, 8)]);
        let swapped = [made(1, 13, 17, 20, 7), made(2, 8, 12, 20, 8)];
        let s = settle_day(&swapped, &day);
        assert_eq!((s.left.len(), s.change.len()), (0, 2));
        let after = apply(&day, &s);
        assert!(settle_day(&swapped, &after).is_still());
        // A day that is closed loses everything that nobody has.
        let mut day = after;
        day[1].slots[0].fixed = true;
        let closed = settle_day(&[], &day);
        assert_eq!((closed.drop.len(), closed.change[0].span.minutes(), closed.left.len()), (1, 20, 1));
    }

    fn some_day() -> impl Strategy<Value = Vec<MadeShift<u32>>> {
        let one = (1u32..4, 8u32..16, 1u32..6, 1i64..7, 0u32..3);
        proptest::collection::vec(one, 0..4).prop_map(|all| {
            let mut out: Vec<MadeShift<u32>> = Vec::new();
            for (key, from, hours, tens, kind) in all {
                let shift = made(key, from, from + hours, tens * 10, kind);
                // Templates of one clinician do not overlap, and each makes one shift a day.
                if !out.iter().any(|o| o.template == key || o.span.overlaps(&shift.span)) {
                    out.push(shift);
                }
            }
            out
        })
    }

    proptest! {
        #[test]
        fn a_changed_template_never_touches_what_is_fixed_and_settles_at_once(
            first in some_day(),
            second in some_day(),
            fixed in proptest::collection::vec(any::<bool>(), 60),
            one_off in any::<bool>(),
        ) {
            let mut before = day_of(&first);
            for (n, slot) in before.iter_mut().flat_map(|p| &mut p.slots).enumerate() {
                slot.fixed = fixed[n % 60];
            }
            if one_off && let Some(p) = before.first_mut() {
                p.template = None;
            }
            let settled = settle_day(&second, &before);
            let after = apply(&before, &settled);
            for slot in before.iter().flat_map(|p| &p.slots).filter(|s| s.fixed) {
                prop_assert!(after.iter().any(|p| p.slots.contains(slot)), "a fixed slot was touched");
            }
            for (n, a) in after.iter().enumerate() {
                prop_assert!(after[n + 1..].iter().all(|b| !a.span.overlaps(&b.span)), "shifts overlap");
                for (m, s) in a.slots.iter().enumerate() {
                    prop_assert!(a.span.contains(&s.slot.span), "a slot lies outside its shift");
                    prop_assert!(a.slots[m + 1..].iter().all(|o| !s.slot.span.overlaps(&o.slot.span)), "slots overlap");
                }
            }
            let again = settle_day(&second, &after);
            prop_assert!(again.is_still(), "asked twice, done twice: {:?} then {:?}", settled, again);
        }
    }
}
