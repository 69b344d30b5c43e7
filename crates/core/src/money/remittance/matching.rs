//! Whether a decision is about a claim: number, payer, person and charge must all agree, and no decision may stand that was not
//! taken back; anything else waits, whatever the number says.

use super::{Remittance, RemittedClaim, RemittedLine, line_number};
use crate::money::Cents;
use crate::people::fold;
use std::collections::{BTreeMap, HashSet};

/// A claim as it is known here.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct KnownClaim {
    pub number: String,
    pub payer_id: String,
    pub payer_name: String,
    pub patient_last: String,
    pub patient_first: String,
    pub total: Cents,
    /// In their order, the first being line 1; none where only the total is known.
    pub lines: Vec<KnownLine>,
}

/// A line of a claim as it is known here.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct KnownLine {
    /// The line control number that it was sent with (REF*6R).
    pub control: String,
    /// The code that payers know.
    pub code: String,
    pub fee: Cents,
}

/// The number of each remitted line among the claim's; nothing for one that only the total is known of.
pub type Numbers = Vec<Option<u32>>;

impl KnownClaim {
    /// The claim's lines that a decision is about.
    ///
    /// # Errors
    /// Why it cannot be about this claim, as a sentence.
    pub fn matches(&self, r: &Remittance, c: &RemittedClaim) -> Result<Numbers, String> {
        if let Some(why) = self.other_payer(r).or_else(|| self.other_person(c)) {
            return Err(why);
        }
        let numbers = self.numbers(c)?;
        match self.other_charge(c, &numbers) {
            Some(why) => Err(why),
            None => Ok(numbers),
        }
    }

    /// Each line by its control number, or, where the payer returned none, by what was billed and its charge.
    fn numbers(&self, c: &RemittedClaim) -> Result<Numbers, String> {
        if self.lines.is_empty() {
            return Ok(c.lines.iter().map(|l| line_number(&l.line_control)).collect());
        }
        let number = |at: usize| u32::try_from(at + 1).ok();
        let mut taken: HashSet<usize> = HashSet::new();
        let mut of = |l: &RemittedLine| {
            let billed = l.original_code.as_deref().unwrap_or(&l.service_code);
            if l.line_control.is_empty() {
                let charged = if l.charged.is_negative() { -l.charged } else { l.charged };
                let fits = |(at, k): &(usize, &KnownLine)| !taken.contains(at) && k.code == billed && k.fee == charged;
                let found = self.lines.iter().enumerate().find(fits).map(|(at, _)| at);
                taken.extend(found);
                let sentence = || format!("It decides {billed} over {charged}, which the claim has not.");
                return found.map(number).ok_or_else(sentence);
            }
            let found = self.lines.iter().position(|k| k.control == l.line_control.as_str());
            found.map(number).ok_or_else(|| format!("It decides a line {}, which the claim has not.", l.line_control))
        };
        c.lines.iter().map(&mut of).collect()
    }

    /// As far as its lines are found among the claim's; the others are of the claim as a whole.
    pub fn numbers_where_they_fit(&self, c: &RemittedClaim) -> Numbers {
        self.numbers(c).unwrap_or_else(|_| {
            let found = |l: &RemittedLine| self.lines.iter().position(|k| k.control == l.line_control.as_str());
            c.lines.iter().map(|l| found(l).and_then(|at| u32::try_from(at + 1).ok())).collect()
        })
    }

    /// Whether a remittance comes from the payer of this claim.
    pub fn is_of(&self, r: &Remittance) -> bool {
        self.other_payer(r).is_none()
    }

    /// The claim as another payer names it, that forwarded its own to this one under its own number.
    pub fn under(&self, other: &KnownClaim) -> KnownClaim {
        let control = |at: usize| other.lines.get(at).map(|l| l.control.clone()).unwrap_or_default();
        let lines = self.lines.iter().enumerate().map(|(at, l)| KnownLine { control: control(at), ..l.clone() });
        KnownClaim { lines: lines.collect(), ..self.clone() }
    }

    fn other_payer(&self, r: &Remittance) -> Option<String> {
        let same_id = !r.payer_id.is_empty() && r.payer_id.eq_ignore_ascii_case(&self.payer_id);
        let (theirs, ours) = (fold(&r.payer_name), fold(&self.payer_name));
        // A name is cut where the element ends.
        let same_name =
            !theirs.is_empty() && !ours.is_empty() && (theirs.starts_with(&ours) || ours.starts_with(&theirs));
        let sentence = || format!("The remittance is {}'s; the claim went to {}.", r.payer_name, self.payer_name);
        (!same_id && !same_name).then(sentence)
    }

    fn other_person(&self, c: &RemittedClaim) -> Option<String> {
        if c.patient_last.is_empty() {
            return None;
        }
        let begins = |theirs: &str, ours: &str| {
            let (theirs, ours) = (fold(theirs), fold(ours));
            theirs.is_empty() || ours.starts_with(&theirs) || (!ours.is_empty() && theirs.starts_with(&ours))
        };
        let same = fold(&c.patient_last) == fold(&self.patient_last) && begins(&c.patient_first, &self.patient_first);
        let sentence = || {
            format!(
                "It names {}, {}; the claim is {}, {}'s.",
                c.patient_last, c.patient_first, self.patient_last, self.patient_first
            )
        };
        (!same).then(sentence)
    }

    /// The charge is the claim's, or that of the lines that it decides: a payer may split a claim, and a line.
    fn other_charge(&self, c: &RemittedClaim, numbers: &[Option<u32>]) -> Option<String> {
        let signed = |amount: Cents| if c.is_reversal() { -amount } else { amount };
        let mut of_line: BTreeMap<u32, Cents> = BTreeMap::new();
        for (line, number) in c.lines.iter().zip(numbers) {
            *of_line.entry(number.unwrap_or(0)).or_default() += signed(line.charged);
        }
        let fee = |number: u32| self.lines.get(usize::try_from(number).ok()?.checked_sub(1)?).map(|k| k.fee);
        let other = of_line.iter().find(|(number, charged)| fee(**number).is_some_and(|fee| fee != **charged));
        if let Some((number, charged)) = other {
            let fee = fee(*number).unwrap_or_default();
            return Some(format!("It says {charged} was charged for line {number}; that is {fee}."));
        }
        let charged = signed(c.charged);
        let split =
            !self.lines.is_empty() && !c.lines.is_empty() && of_line.values().copied().sum::<Cents>() == charged;
        let sentence = || format!("It says {charged} was charged; the claim is over {}.", self.total);
        (charged != self.total && !split).then(sentence)
    }
}

/// What of some claims is decided and not taken back: by claim and line, line 0 for a claim without lines.
pub type Standing = HashSet<(String, u32)>;

/// The lines of a decision, as they stand in [`Standing`].
fn decided_lines(numbers: &[Option<u32>]) -> Vec<u32> {
    let mut lines: Vec<u32> = numbers.iter().copied().flatten().collect();
    lines.sort_unstable();
    lines.dedup();
    if lines.is_empty() { vec![0] } else { lines }
}

/// The lines that a decision is about, which stands from now on; or why it waits.
///
/// # Errors
/// When number, payer, person or charge are another claim's, or a decision stands already.
pub fn belongs(
    r: &Remittance,
    c: &RemittedClaim,
    known: Option<&KnownClaim>,
    standing: &mut Standing,
) -> Result<Numbers, String> {
    let known = known.ok_or_else(|| format!("No claim went out under the number {}.", c.claim_number))?;
    let numbers = known.matches(r, c)?;
    stands_from_now_on(c, &known.number, &numbers, standing)?;
    Ok(numbers)
}

/// Notes that a decision of these lines stands, or is taken back.
///
/// # Errors
/// When one stands already.
pub fn stands_from_now_on(
    c: &RemittedClaim,
    claim: &str,
    numbers: &[Option<u32>],
    standing: &mut Standing,
) -> Result<(), String> {
    let lines = decided_lines(numbers);
    let key = |line: u32| (claim.to_owned(), line);
    if c.is_reversal() {
        for line in lines {
            standing.remove(&key(line));
        }
        return Ok(());
    }
    if standing.contains(&key(0)) || lines.iter().any(|line| standing.contains(&key(*line))) {
        return Err("The claim is decided already, and that was not taken back.".into());
    }
    standing.extend(lines.into_iter().map(key));
    Ok(())
}

/// A claim that a decision without a match might be about, with what speaks for it and against it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Candidate {
    pub number: String,
    /// What agrees.
    pub agrees: Vec<&'static str>,
    /// Why it did not match by itself.
    pub differs: Option<String>,
}

/// So many candidates are told.
const MOST_CANDIDATES: usize = 8;

/// Of these claims those that a decision might be about, the likeliest first. A person decides; nothing is matched by this.
pub fn candidates(r: &Remittance, c: &RemittedClaim, claims: &[KnownClaim]) -> Vec<Candidate> {
    let charged = if c.is_reversal() { -c.charged } else { c.charged };
    let look = |k: &KnownClaim| {
        let code = |l: &RemittedLine| l.original_code.clone().unwrap_or_else(|| l.service_code.to_string());
        let services = !c.lines.is_empty() && c.lines.iter().all(|l| k.lines.iter().any(|own| own.code == code(l)));
        let person = !c.patient_last.is_empty() && k.other_person(c).is_none();
        let facts = [
            (one_slip(&c.claim_number, &k.number), 3, "a number like it"),
            (person, 3, "the same patient"),
            (charged == k.total, 2, "the same charge"),
            (k.is_of(r), 1, "the same payer"),
            (services, 1, "the same services"),
        ];
        let agreed = || facts.iter().filter(|(so, ..)| *so);
        let weight: u32 = agreed().map(|(_, weight, _)| weight).sum();
        let agrees = agreed().map(|(.., word)| *word).collect();
        (weight, Candidate { number: k.number.clone(), agrees, differs: k.matches(r, c).err() })
    };
    let mut found: Vec<(u32, Candidate)> = claims.iter().map(look).filter(|(weight, _)| *weight >= 3).collect();
    found.sort_by(|a, b| b.0.cmp(&a.0).then_with(|| b.1.number.cmp(&a.1.number)));
    found.into_iter().take(MOST_CANDIDATES).map(|(_, c)| c).collect()
}

/// Whether two numbers are one, but for a sign that is wrong, missing, too much, or two that changed places.
fn one_slip(a: &str, b: &str) -> bool {
    strsim::osa_distance(a, b) <= 1
}

#[cfg(test)]
mod tests {
    use super::*;

    fn claim(number: &str, last: &str, first: &str, cents: i64, payer: &str) -> KnownClaim {
        KnownClaim {
            number: number.into(),
            payer_id: payer.into(),
            payer_name: payer.into(),
            patient_last: last.into(),
            patient_first: first.into(),
            total: Cents::new(cents),
            lines: vec![KnownLine { control: format!("{number}-1"), code: "IH214".into(), fee: Cents::new(cents) }],
        }
    }

    fn decision(number: &str, last: &str, first: &str, cents: i64) -> (Remittance, RemittedClaim) {
        let c = RemittedClaim {
            claim_number: number.into(),
            patient_last: last.into(),
            patient_first: first.into(),
            charged: Cents::new(cents),
            lines: vec![RemittedLine {
                service_code: "IH214".into(),
                charged: Cents::new(cents),
                ..Default::default()
            }],
            ..RemittedClaim::default()
        };
        let r = Remittance {
            payer_name: "SALTM".into(),
            payer_id: "SALTM".into(),
            payee_name: String::new(),
            payee_npi: String::new(),
            trace: "T".into(),
            method: "ACH".into(),
            date: chrono::NaiveDate::MIN,
            amount: Cents::ZERO,
            claims: vec![],
            provider_adjustments: vec![],
        };
        (r, c)
    }

    #[test]
    fn candidates_are_ranked_by_what_agrees_and_say_what_differs() {
        let ours = [
            claim("C1042", "Moreau", "Lise", 19_500, "BEACN"),
            claim("C1024", "Quarrie", "Ines", 19_500, "SALTM"),
            claim("C2000", "Quarrie", "Ines", 7_000, "SALTM"),
            claim("C3000", "Brandvold", "Ola", 7_000, "BEACN"),
        ];
        let (r, c) = decision("C1204", "QUARRIE", "I", 19_500);
        let found = candidates(&r, &c, &ours);
        let numbers: Vec<&str> = found.iter().map(|f| f.number.as_str()).collect();
        assert_eq!(numbers, ["C1024", "C2000", "C1042"], "{found:?}");
        assert_eq!(
            found[0].agrees,
            ["a number like it", "the same patient", "the same charge", "the same payer", "the same services"]
        );
        assert_eq!(found[0].differs, None, "but for its number it is the one");
        assert!(found[1].differs.as_ref().is_some_and(|d| d.contains("195.00")), "{found:?}");
        assert!(found[2].differs.as_ref().is_some_and(|d| d.contains("the claim went to BEACN")), "{found:?}");
        let (r, c) = decision("X1", "NOBODY", "NOA", 1);
        assert_eq!(candidates(&r, &c, &ours), [], "one payer in common is not enough");
    }

    #[test]
    fn a_claim_that_was_forwarded_is_known_under_the_number_of_the_first() {
        let first = claim("C1", "Quarrie", "Ines", 19_500, "SALTM");
        let second = claim("C2", "Quarrie", "Ines", 19_500, "BEACN");
        let (mut r, mut c) = decision("C1", "QUARRIE", "INES", 19_500);
        (r.payer_id, r.payer_name) = ("BEACN".into(), "BEACN".into());
        c.lines[0].line_control = "C1-1".into();
        assert!(second.is_of(&r) && !first.is_of(&r));
        assert_eq!(second.under(&first).matches(&r, &c), Ok(vec![Some(1)]));
    }
}
