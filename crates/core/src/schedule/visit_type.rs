//! Visit types: what the clinic's manager may make of them. A type is told by a glyph and an edge besides its
//! ground, so that colour alone never says anything.

use crate::fields::Faults;
use crate::house::permissions::{Permission, Role};
use std::ops::RangeInclusive;

/// Glyphs to choose from; each stands in the shipped typeface.
pub const GLYPHS: [&str; 12] = ["◆", "◈", "✚", "●", "▲", "☏", "■", "○", "△", "□", "◇", "★"];
/// Edges to choose from.
pub const PATTERNS: [&str; 6] = ["solid", "double", "dashed", "dotted", "ridge", "thin"];
/// Grounds to choose from.
pub const GROUNDS: [&str; 5] = ["sheet", "tide", "kelp", "brass", "indigo"];

/// Ages of people, in whole years.
pub const AGES: RangeInclusive<i64> = 0..=130;

/// A visit type as somebody wants it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Draft {
    pub name: String,
    pub glyph: String,
    pub pattern: String,
    pub ground: String,
    /// Minutes, 5 to 480.
    pub minutes: i64,
    /// Opens for booking so many days before; nothing: always open.
    pub release_days: Option<i64>,
    pub booked_by: Vec<Role>,
    pub online: bool,
    pub active: bool,
    /// The youngest and the oldest whom it is for, in whole years, 0 to 130; nothing: no bound.
    pub ages: (Option<i64>, Option<i64>),
}

/// What is wrong with a draft, beside the clinic's other types (name, glyph and edge of those in use).
pub fn check(draft: &Draft, others: &[(String, String, String)]) -> Faults {
    let mut faults = Faults::default();
    if others.iter().any(|(name, ..)| name.to_lowercase() == draft.name.to_lowercase()) {
        faults.add("name", "Another visit type has this name.");
    }
    let known = |list: &[&str], word: &str| list.contains(&word);
    if !known(&GLYPHS, &draft.glyph) {
        faults.add("glyph", "Choose a glyph from the list.");
    }
    if !known(&PATTERNS, &draft.pattern) {
        faults.add("pattern", "Choose an edge from the list.");
    }
    if !known(&GROUNDS, &draft.ground) {
        faults.add("ground", "Choose a ground from the list.");
    }
    if draft.active && others.iter().any(|(_, glyph, _)| *glyph == draft.glyph) {
        faults.add("glyph", "Another visit type has this glyph; nobody could tell them apart.");
    }
    if !(5..=480).contains(&draft.minutes) || draft.minutes % 5 != 0 {
        faults.add("minutes", "A visit takes 5 to 480 minutes, in steps of 5.");
    }
    if draft.release_days.is_some_and(|d| !(0..=365).contains(&d)) {
        faults.add("releaseDays", "A release rule says 0 to 365 days.");
    }
    let (from, to) = draft.ages;
    for (field, age) in [("fromAge", from), ("toAge", to)] {
        if age.is_some_and(|a| !AGES.contains(&a)) {
            faults.add(field, "An age is 0 to 130 years.");
        }
    }
    if from.zip(to).is_some_and(|(from, to)| from > to) {
        faults.add("toAge", "The oldest is younger than the youngest.");
    }
    if draft.booked_by.is_empty() {
        faults.add("bookedBy", "Say who may book it.");
    }
    if let Some(role) = draft.booked_by.iter().find(|r| !r.may(Permission::Book)) {
        faults.add("bookedBy", format!("A {role} books no visits."));
    }
    faults
}

#[cfg(test)]
mod tests {
    use super::*;

    fn draft() -> Draft {
        Draft {
            name: "Travel".into(),
            glyph: "★".into(),
            pattern: "solid".into(),
            ground: "tide".into(),
            minutes: 30,
            release_days: Some(2),
            booked_by: vec![Role::FrontDesk],
            online: false,
            active: true,
            ages: (None, Some(17)),
        }
    }

    #[test]
    fn a_type_is_told_from_the_others_without_colour() {
        let others = [("Consultation".to_owned(), "◆".to_owned(), "solid".to_owned())];
        assert_eq!(check(&draft(), &others), Faults::default());
        let fault = |d: Draft| check(&d, &others).0.iter().map(|f| f.field.clone()).collect::<Vec<_>>();
        assert_eq!(fault(Draft { glyph: "◆".into(), ..draft() }), ["glyph"]);
        assert!(fault(Draft { glyph: "◆".into(), active: false, ..draft() }).is_empty(), "one that is not used");
        assert_eq!(fault(Draft { name: "consultation".into(), ..draft() }), ["name"]);
        assert_eq!(fault(Draft { ages: (Some(18), Some(17)), ..draft() }), ["toAge"]);
        assert_eq!(fault(Draft { ages: (Some(-1), Some(131)), ..draft() }), ["fromAge", "toAge"]);
        assert_eq!(
            fault(Draft { glyph: "X".into(), pattern: "wavy".into(), ground: "red".into(), ..draft() }).len(),
            3
        );
    }

    #[test]
    fn lengths_release_rules_and_roles_have_limits() {
        let fault = |d: Draft| check(&d, &[]).0.iter().map(|f| f.field.clone()).collect::<Vec<_>>();
        for minutes in [0, 3, 7, 485, -20] {
            assert_eq!(fault(Draft { minutes, ..draft() }), ["minutes"]);
        }
        assert_eq!(fault(Draft { release_days: Some(366), ..draft() }), ["releaseDays"]);
        assert_eq!(fault(Draft { booked_by: vec![], ..draft() }), ["bookedBy"]);
        assert_eq!(fault(Draft { booked_by: vec![Role::Biller], ..draft() }), ["bookedBy"]);
    }
}
