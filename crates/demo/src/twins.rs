//! A labelled set of pairs of records: what one person looks like twice, and who only looks alike.

use crate::{Chance, names};
use chrono::{Datelike, Days, NaiveDate};
use harbor_core::people::{Likeness, TWIN_THRESHOLD, twin_score};

/// Two records, and whether they are one person.
#[derive(Debug, Clone)]
pub struct Pair {
    pub a: Likeness,
    pub b: Likeness,
    pub same: bool,
    /// How the pair came about, for finding what goes wrong.
    pub how: &'static str,
}

/// What the score makes of a labelled set at its threshold.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Quality {
    pub precision: f64,
    pub recall: f64,
}

const TAILS: [&str; 10] = ["", "son", "ova", "berg", "man", "ston", "ley", "ford", "dale", "wick"];

fn pick<'a>(chance: &mut Chance, list: &[&'a str]) -> &'a str {
    list[chance.below(list.len())]
}

fn somebody(chance: &mut Chance) -> Likeness {
    let first = if chance.below(2) == 0 { pick(chance, &names::WOMEN) } else { pick(chance, &names::MEN) };
    let last = format!("{}{}", pick(chance, &names::LAST), pick(chance, &TAILS));
    let born = NaiveDate::from_ymd_opt(1930, 1, 1).unwrap_or_default() + Days::new(chance.below(33_000) as u64);
    Likeness {
        first: first.into(),
        last,
        other_names: vec![],
        birth_date: Some(born),
        phone: Some(format!("20755{:05}", chance.below(100_000))),
        address: Some(address(chance)),
        subscriber_number: Some(format!("SM{}", 10_000 + chance.below(90_000))),
    }
}

fn address(chance: &mut Chance) -> String {
    harbor_core::people::fold(&format!("{} {}", 1 + chance.below(180), pick(chance, &names::STREETS)))
}

/// One letter left out, doubled, or swapped with its neighbour.
fn slip(chance: &mut Chance, name: &str) -> String {
    let mut letters: Vec<char> = name.chars().collect();
    if letters.len() < 4 {
        letters.push('e');
        return letters.into_iter().collect();
    }
    let at = 1 + chance.below(letters.len() - 2);
    match chance.below(3) {
        0 => drop(letters.remove(at)),
        1 => letters.insert(at, letters[at]),
        _ => letters.swap(at, at + 1),
    }
    letters.into_iter().collect()
}

/// The last two digits of the year, or the day, typed the wrong way round.
fn swapped_digits(date: NaiveDate) -> Option<NaiveDate> {
    let flip = |n: u32| n % 10 * 10 + n / 10;
    let day = date.with_day(flip(date.day())).filter(|d| *d != date);
    let century = date.year() / 100 * 100;
    day.or_else(|| date.with_year(century + flip(date.year() as u32 % 100) as i32).filter(|d| *d != date))
}

/// The same person, registered a second time.
fn again(chance: &mut Chance, p: &Likeness, n: usize) -> (Likeness, &'static str) {
    let mut b = Likeness { subscriber_number: None, ..p.clone() };
    let how = match n % 7 {
        0 => {
            b.last = slip(chance, &p.last);
            "slip in the last name"
        }
        1 => {
            b.first = slip(chance, &p.first);
            b.phone = None;
            "slip in the first name, no telephone"
        }
        2 => {
            b.birth_date = p.birth_date.and_then(swapped_digits).or(p.birth_date);
            "digits of the birth date swapped"
        }
        3 => {
            b.address = Some(address(chance));
            b.phone = Some(format!("20755{:05}", chance.below(100_000)));
            "moved house, new telephone"
        }
        4 => {
            b.last = pick(chance, &names::LAST).into();
            b.other_names = vec![p.last.clone()];
            "new last name, the former one recorded"
        }
        5 => {
            b.address = None;
            b.phone = None;
            b.last = slip(chance, &p.last);
            "quick add with a slip"
        }
        _ => {
            b.first = names::SHORT
                .iter()
                .find(|(long, _)| *long == p.first)
                .map_or_else(|| p.first.chars().take(4).collect(), |(_, short)| (*short).to_owned());
            "short form of the first name"
        }
    };
    (b, how)
}

/// Somebody else who looks alike.
fn other(chance: &mut Chance, p: &Likeness, n: usize) -> (Likeness, &'static str) {
    let mut b = somebody(chance);
    let how = match n % 6 {
        0 => {
            // Born together, living together, on one policy.
            b = Likeness { first: b.first, ..p.clone() };
            "twin brother or sister"
        }
        1 => {
            let years = 22 + chance.below(16) as i32;
            b = Likeness { birth_date: p.birth_date.and_then(|d| d.with_year(d.year() - years)), ..p.clone() };
            "parent and child of one name"
        }
        2 => {
            (b.first, b.last) = (p.first.clone(), p.last.clone());
            "namesake"
        }
        3 => {
            b = Likeness { first: b.first, birth_date: b.birth_date, ..p.clone() };
            "of one household"
        }
        4 => {
            (b.first, b.last) = (p.first.clone(), p.last.clone());
            b.birth_date = p.birth_date.and_then(swapped_digits).or(b.birth_date);
            "cousin of one name with swapped digits"
        }
        _ => {
            b.birth_date = p.birth_date;
            "born on one day"
        }
    };
    if b.first == p.first && matches!(n % 6, 0 | 3) {
        b.first = slip(chance, "Theodora");
    }
    (b, how)
}

/// `count` pairs, half of them one person; the same on every machine.
pub fn pairs(count: usize) -> Vec<Pair> {
    let mut chance = Chance::new(20_261_123);
    (0..count)
        .map(|n| {
            let a = somebody(&mut chance);
            let same = n % 2 == 0;
            let (b, how) = if same { again(&mut chance, &a, n / 2) } else { other(&mut chance, &a, n / 2) };
            Pair { a, b, same, how }
        })
        .collect()
}

/// Precision and recall of the score at [`TWIN_THRESHOLD`].
pub fn quality(pairs: &[Pair]) -> Quality {
    let shown = |p: &&Pair| twin_score(&p.a, &p.b).score >= TWIN_THRESHOLD;
    let right = pairs.iter().filter(|p| p.same).filter(shown).count() as f64;
    let wrong = pairs.iter().filter(|p| !p.same).filter(shown).count() as f64;
    let all = pairs.iter().filter(|p| p.same).count() as f64;
    Quality { precision: right / (right + wrong).max(1.0), recall: right / all.max(1.0) }
}
