//! Specimens: into which containers the tests of a requisition go, and when they were taken.

use super::{OrderKind, OrderState};
use chrono::{DateTime, Utc};

coded! {
    /// Where the specimen is taken.
    TakenWhere {
        Here = "here", "here";
        Laboratory = "laboratory", "at the laboratory";
    }
}

/// What nobody's hands came to for so many days is no more for hands but for its orderer, to whom it is overdue.
pub const HANDS_WAIT_DAYS: i64 = 30;

/// What a specimen goes into.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ContainerRule {
    pub specimen: String,
    /// Codes of the tests that need this one; none stands for every other test of this specimen.
    pub tests: Vec<String>,
    pub container: String,
    /// So many tests are made from one, at least 1.
    pub up_to: usize,
}

/// A container that is filled, with the tests that are made from it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Container {
    pub specimen: String,
    /// Empty when no rule tells it: whoever takes it has to know.
    pub container: String,
    /// Positions in the tests asked about.
    pub tests: Vec<usize>,
}

/// The containers for these tests, each with its code and specimen, in the order in which they are first needed.
pub fn containers(rules: &[ContainerRule], tests: &[(&str, &str)]) -> Vec<Container> {
    let mut out: Vec<(usize, Container)> = Vec::new();
    for (at, (code, specimen)) in tests.iter().enumerate() {
        let of_specimen = || rules.iter().filter(|r| r.specimen == *specimen);
        let rule = of_specimen()
            .find(|r| r.tests.iter().any(|t| t == code))
            .or_else(|| of_specimen().find(|r| r.tests.is_empty()));
        let (container, up_to) = rule.map_or(("", usize::MAX), |r| (r.container.as_str(), r.up_to.max(1)));
        let fits = |(up_to, c): &&mut (usize, Container)| {
            c.specimen == *specimen && c.container == container && c.tests.len() < *up_to
        };
        match out.iter_mut().find(fits) {
            Some((_, there)) => there.tests.push(at),
            None => out.push((
                up_to,
                Container { specimen: (*specimen).to_owned(), container: container.to_owned(), tests: vec![at] },
            )),
        }
    }
    out.into_iter().map(|(_, c)| c).collect()
}

/// Whether it may be said of an order that its specimen was taken in this house, or at another time: it is one for the
/// laboratory, and nothing says that they work on it.
pub fn may_be_taken(kind: OrderKind, state: OrderState, taken_where: TakenWhere) -> bool {
    use OrderState::{Accepted, Draft, Requested, Sending, SpecimenTaken};
    kind == OrderKind::Laboratory
        && taken_where == TakenWhere::Here
        && matches!(state, Draft | Sending | Requested | Accepted | SpecimenTaken)
}

/// Whether a time may be the one at which a specimen was taken.
///
/// # Errors
/// The sentence that says why not: it is to come, or more than three days ago.
pub fn taken_at(at: DateTime<Utc>, now: DateTime<Utc>) -> Result<DateTime<Utc>, &'static str> {
    match (now - at).num_minutes() {
        minutes if minutes < 0 => Err("That time is still to come."),
        minutes if minutes > 3 * 24 * 60 => Err("That is more than three days ago; take a new specimen."),
        _ => Ok(at),
    }
}

/// A container as the laboratory is told of it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct TakenSpecimen {
    pub specimen: String,
    pub container: String,
    pub at: DateTime<Utc>,
    pub by: String,
    /// Our references of the orders that are made from it.
    pub orders: Vec<String>,
}

/// Whether a specimen is drawn from a vein: what is charged as a blood draw.
pub fn is_blood(specimen: &str) -> bool {
    ["blood", "serum", "plasma"].iter().any(|s| specimen.to_lowercase().contains(s))
}

#[cfg(test)]
mod tests {
    use super::*;
    use chrono::Duration;

    #[test]
    fn blood_is_drawn_and_the_rest_is_given() {
        assert!(["serum", "plasma", "Whole blood"].iter().all(|s| is_blood(s)));
        assert!(!["urine", "sputum", ""].iter().any(|s| is_blood(s)));
    }

    fn rules() -> Vec<ContainerRule> {
        let rule = |specimen: &str, tests: &[&str], container: &str, up_to| ContainerRule {
            specimen: specimen.into(),
            tests: tests.iter().map(|t| (*t).to_owned()).collect(),
            container: container.into(),
            up_to,
        };
        vec![rule("plasma", &["INR"], "citrate", 4), rule("plasma", &[], "heparin", 10), rule("serum", &[], "gel", 2)]
    }

    #[test]
    fn tests_share_a_container_as_far_as_it_reaches() {
        let tests = [("K", "serum"), ("INR", "plasma"), ("NA", "serum"), ("TROP", "plasma"), ("CREA", "serum")];
        let found: Vec<(String, Vec<usize>)> =
            containers(&rules(), &tests).into_iter().map(|c| (c.container, c.tests)).collect();
        let expected = [("gel", vec![0, 2]), ("citrate", vec![1]), ("heparin", vec![3]), ("gel", vec![4])];
        assert_eq!(found, expected.map(|(c, t)| (c.to_owned(), t)));
        let unknown = containers(&rules(), &[("X", "marrow"), ("Y", "marrow")]);
        assert_eq!((unknown.len(), unknown[0].container.as_str()), (1, ""), "no container is made up");
        assert!(containers(&rules(), &[]).is_empty());
    }

    #[test]
    fn a_specimen_was_taken_lately_and_not_tomorrow() {
        let now = DateTime::UNIX_EPOCH + Duration::days(100);
        assert_eq!(taken_at(now, now), Ok(now));
        assert!(taken_at(now + Duration::minutes(2), now).is_err());
        assert!(taken_at(now - Duration::days(4), now).is_err());
    }

    #[test]
    fn only_what_is_taken_here_is_said_to_be_taken() {
        use OrderKind::{Imaging, Laboratory};
        use TakenWhere::Here;
        assert!(may_be_taken(Laboratory, OrderState::Accepted, Here));
        assert!(may_be_taken(Laboratory, OrderState::SpecimenTaken, Here), "the time is put right");
        assert!(!may_be_taken(Laboratory, OrderState::Accepted, TakenWhere::Laboratory));
        assert!(!may_be_taken(Laboratory, OrderState::Preliminary, Here), "a result says that they have it");
        assert!(!may_be_taken(Imaging, OrderState::Requested, Here));
    }
}
