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
    let lines = decided_lines(&numbers);
    let key = |line: u32| (known.number.clone(), line);
    if c.is_reversal() {
        for line in lines {
            standing.remove(&key(line));
        }
        return Ok(numbers);
    }
    if standing.contains(&key(0)) || lines.iter().any(|line| standing.contains(&key(*line))) {
        return Err("The claim is decided already, and that was not taken back.".into());
    }
    standing.extend(lines.into_iter().map(key));
    Ok(numbers)
}
