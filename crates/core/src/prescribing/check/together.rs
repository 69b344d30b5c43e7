//! What else is taken: interactions of two and of three, and therapy that is doubled.

use super::{Prescribed, Told, because, pair};
use crate::people::fold;
use crate::prescribing::Severity;
use crate::prescribing::findings::{FindingKind, Patient};
use crate::prescribing::ingredients::{Ingredient, Way};
use crate::prescribing::rules::{Interaction, Medicine, Rules};

pub(super) fn check(rules: &Rules, item: &Prescribed, patient: &Patient, told: &mut Told) {
    // The same once more, after it was dispensed, is its renewal and not a second one.
    let is_renewal = |other: &Medicine| patient.dispensed.is_some() && other.is_the_same_as(&item.medicine);
    let others: Vec<&Medicine> = patient.taking.iter().filter(|m| !is_renewal(m)).collect();
    for other in &others {
        for words in &other.unknown {
            let sentence = format!("“{words}” is in no table; not checked against it.");
            told.missing(Severity::Caution, &format!("taking {}", fold(words)), sentence);
        }
        with_one(rules, &item.medicine, other, told);
        doubled(rules, &item.medicine, other, told);
    }
    with_two(rules, &item.medicine, &others, told);
}

/// The gravest interaction with one other medicine.
fn with_one(rules: &Rules, item: &Medicine, other: &Medicine, told: &mut Told) {
    let mut gravest: Option<(&Interaction, &Ingredient, &Ingredient)> = None;
    for row in rules.interactions.iter().filter(|r| r.c.is_none()) {
        let pairs = [(&row.a, &row.b), (&row.b, &row.a)];
        let met = pairs.iter().find_map(|(mine, theirs)| {
            let own = item.parts.iter().map(|p| p.ingredient).filter(|i| mine.means(i));
            let mut meeting = own.flat_map(|i| other.parts.iter().map(move |p| (i, p.ingredient)));
            meeting.find(|(i, o)| i.name != o.name && theirs.means(o))
        });
        if let Some((mine, theirs)) = met
            && gravest.is_none_or(|(g, ..)| row.severity > g.severity)
        {
            gravest = Some((row, mine, theirs));
        }
    }
    if let Some((row, mine, theirs)) = gravest {
        let sentence = format!("With {}: {}", other.label, because(&row.reason, &row.instead));
        told.tell(row.severity, FindingKind::Interaction, pair(&mine.name, &theirs.name), sentence);
    }
}

/// Three together, at least one of them in what is prescribed; two of them may be in one tablet.
fn with_two(rules: &Rules, item: &Medicine, others: &[&Medicine], told: &mut Told) {
    let own = item.parts.iter().map(|p| (p.ingredient, true, &item.label));
    let theirs = others.iter().flat_map(|o| o.parts.iter().map(|p| (p.ingredient, false, &o.label)));
    let all: Vec<(&Ingredient, bool, &String)> = own.chain(theirs).collect();
    for row in &rules.interactions {
        let Some(c) = &row.c else { continue };
        let meant = |term: &crate::prescribing::ingredients::Term| -> Vec<usize> {
            (0..all.len()).filter(|n| term.means(all[*n].0)).collect()
        };
        let (firsts, seconds, thirds) = (meant(&row.a), meant(&row.b), meant(c));
        let met = firsts.iter().find_map(|x| {
            seconds.iter().find_map(|y| {
                thirds.iter().find_map(|z| {
                    let three = [all[*x], all[*y], all[*z]];
                    let apart = |a: usize, b: usize| three[a].0.name != three[b].0.name;
                    let differ = apart(0, 1) && apart(1, 2) && apart(0, 2);
                    let mixed = three.iter().any(|t| t.1) && three.iter().any(|t| !t.1);
                    (differ && mixed).then_some(three)
                })
            })
        });
        if let Some(three) = met {
            let mut labels: Vec<&str> = three.iter().filter(|t| !t.1).map(|t| t.2.as_str()).collect();
            labels.dedup();
            let mut names: Vec<&str> = three.iter().map(|t| t.0.name.as_str()).collect();
            names.sort_unstable();
            let sentence = format!("With {}: {}", labels.join(" and "), because(&row.reason, &row.instead));
            told.tell(row.severity, FindingKind::Interaction, names.join("+"), sentence);
        }
    }
}

/// The same ingredient twice, or two of a family of which one is enough.
fn doubled(rules: &Rules, item: &Medicine, other: &Medicine, told: &mut Told) {
    let mut told_of: Option<(Severity, String, String)> = None;
    let mut keep = |severity: Severity, about: String, sentence: String| {
        if told_of.as_ref().is_none_or(|(s, ..)| severity > *s) {
            told_of = Some((severity, about, sentence));
        }
    };
    let pairs = item.parts.iter().flat_map(|p| other.parts.iter().map(move |o| (p.ingredient, o.ingredient)));
    for (mine, theirs) in pairs {
        let about = pair(&mine.name, &theirs.name);
        if mine.name == theirs.name {
            let (severity, how) = match (mine.way, theirs.way) {
                (Way::Body, Way::Body) => (Severity::Serious, ""),
                (a, b) if a == b => (Severity::Caution, ""),
                _ => (Severity::Note, ", in another way"),
            };
            keep(severity, about, format!("{} is already taken as {}{how}; stop one.", mine.name, other.label));
            continue;
        }
        for row in rules.doubled.iter().filter(|r| r.class.means(mine) && r.class.means(theirs)) {
            let sentence = format!("With {} these are two {}; {}.", other.label, row.name, row.instead);
            keep(row.severity, about.clone(), sentence);
        }
    }
    if let Some((severity, about, sentence)) = told_of {
        told.tell(severity, FindingKind::Doubled, about, sentence);
    }
}
