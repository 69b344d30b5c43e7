//! What the benchmarks measure is measured well: the sets are fair, and the rules do better than the plain way.

use harbor_core::people::{TWIN_THRESHOLD, twin_score};
use harbor_core::schedule::rebooking::{one_after_the_other, plan};
use harbor_demo::ZONE;
use harbor_demo::mornings::measure;
use harbor_demo::rebooking::fallen_out;
use harbor_demo::twins::{pairs, quality};
use std::collections::BTreeMap;

#[test]
fn twins_are_found_and_look_alikes_left_alone() {
    let pairs = pairs(6_000);
    let q = quality(&pairs);
    let mut wrong: BTreeMap<&str, usize> = BTreeMap::new();
    for p in &pairs {
        if (twin_score(&p.a, &p.b).score >= TWIN_THRESHOLD) != p.same {
            *wrong.entry(p.how).or_default() += 1;
        }
    }
    assert!(q.precision >= 0.98 && q.recall >= 0.95, "{q:?}, wrong: {wrong:#?}");
}

#[test]
fn the_set_is_half_and_half_and_the_same_every_time() {
    let (one, two) = (pairs(500), pairs(500));
    assert_eq!(one.iter().filter(|p| p.same).count(), 250);
    assert!(one.iter().zip(&two).all(|(x, y)| x.a == y.a && x.b == y.b));
    let kinds: std::collections::BTreeSet<&str> = one.iter().map(|p| p.how).collect();
    assert_eq!(kinds.len(), 13, "seven ways to be registered twice, six to look alike");
}

#[test]
fn over_many_days_the_plan_leaves_fewer_without_a_time() {
    let (mut planned, mut by_hand) = (0, 0);
    for number in 0..60 {
        let (people, openings) = fallen_out(number, 18, 24);
        let (a, b) = (plan(&people, &openings, &[], ZONE), one_after_the_other(&people, &openings, ZONE));
        assert!((a.unplaced, a.burden) <= (b.unplaced, b.burden), "day {number}");
        planned += a.unplaced;
        by_hand += b.unplaced;
    }
    assert!(planned < by_hand, "{planned} without a time, {by_hand} one after the other");
}

#[test]
fn the_expected_time_is_at_most_half_as_wrong_as_the_plain_rule() {
    let errors = measure(40);
    let (ours, plain) = errors.means();
    assert!(errors.looks > 1_000, "{errors:?}");
    assert!(ours * 2.0 <= plain, "{ours:.2} minutes against {plain:.2}");
    assert_eq!(measure(3), measure(3), "the same mornings every time");
}
