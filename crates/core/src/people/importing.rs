//! Bringing people in from a file, and taking a file back as a whole.

use std::collections::HashSet;
use std::hash::Hash;

coded! {
    /// What a file brings.
    ImportKind {
        /// With their policies.
        People = "people", "people";
        Policies = "policies", "policies";
        Balances = "balances", "balances";
    }
}

/// A policy that came in with a file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct BroughtPolicy<Id> {
    pub id: Id,
    pub person: Id,
    /// Whoever holds it, when that is somebody else.
    pub holder: Option<Id>,
}

/// What of a file stays when it is taken back: whoever was worked with since, their policies with them, the person of a
/// policy that was worked with, and whoever holds a policy that stays. `used` are people and policies that were worked with.
pub fn staying<Id: Copy + Eq + Hash>(used: &HashSet<Id>, policies: &[BroughtPolicy<Id>]) -> HashSet<Id> {
    let mut stay = used.clone();
    loop {
        let before = stay.len();
        for p in policies {
            if stay.contains(&p.id) || stay.contains(&p.person) {
                stay.extend([p.id, p.person]);
                stay.extend(p.holder);
            }
        }
        if stay.len() == before {
            return stay;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn whoever_was_worked_with_stays_with_all_that_their_policies_need() {
        let policy = |id, person, holder| BroughtPolicy { id, person, holder };
        // The child of 1 is 2, whose own child is 3; 4 has nothing to do with them.
        let policies = [policy(12, 2, Some(1)), policy(13, 3, Some(2)), policy(14, 4, None)];
        let stay = |used: &[i32]| {
            let mut stay: Vec<i32> = staying(&used.iter().copied().collect(), &policies).into_iter().collect();
            stay.sort_unstable();
            stay
        };
        assert_eq!(stay(&[]), [0; 0]);
        assert_eq!(stay(&[3]), [1, 2, 3, 12, 13], "the policy's holder, and the holder of the holder's");
        assert_eq!(stay(&[1]), [1], "a policy that nobody used goes, whoever holds it");
        assert_eq!(stay(&[14]), [4, 14], "the person of a policy that a claim went out under");
    }
}
