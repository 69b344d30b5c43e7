//! Medicines on the quick line: which product is meant, prescribed or taken.

use super::sig::{Sig, form_of, plain, sig};
use super::words::{Ends, Word};
use super::{Item, Known, onset};
use crate::people::fold;
use crate::prescribing::dosage::{AsNeeded, DayTime, Food, Step};
use crate::prescribing::{Dosage, MedicineState, Often, Portion, Product, international};

/// The products that the first words name, by ingredient or brand, and how many words name them.
pub fn products<'a>(words: &[Word], known: &Known<'a>) -> Option<(Vec<&'a Product>, usize)> {
    let first = international(fold(&words.first()?.low));
    if first.len() < 4 || !first.bytes().all(|b| b.is_ascii_alphabetic()) {
        return None;
    }
    let names = |p: &Product, word: &str| {
        p.ingredients.iter().any(|i| fold(i).split(' ').any(|part| part.starts_with(word)))
            || fold(&p.brand).starts_with(word)
    };
    let mut found: Vec<&Product> = known.products.iter().filter(|p| names(p, &first)).collect();
    if found.is_empty() {
        return None;
    }
    let mut used = 1;
    while words[used - 1].ends == Ends::Runs
        && let Some(next) = words.get(used)
    {
        let word = international(fold(&next.low));
        if word.len() < 3 || form_of(&word).is_some() {
            break;
        }
        let narrowed: Vec<&Product> = found.iter().copied().filter(|p| names(p, &word)).collect();
        if narrowed.is_empty() {
            break;
        }
        found = narrowed;
        used += 1;
    }
    // Whoever names one ingredient means it alone, where it exists alone.
    if used == 1 && found.iter().any(|p| p.ingredients.len() == 1) {
        found.retain(|p| p.ingredients.len() == 1);
    }
    Some((found, used))
}

/// A prescription as it was understood, and what is doubtful about it.
#[derive(Debug, Clone, PartialEq)]
pub struct Prescribed {
    /// Product code; empty when none of the formulary fits.
    pub product: String,
    /// With strength and form.
    pub medicine: String,
    pub sig: Sig,
    pub form: String,
    pub doubts: Vec<String>,
}

impl Prescribed {
    /// How it is dosed, with its refills, when nothing about it is doubtful; otherwise what is still to be said.
    pub fn dosage(&self) -> Result<(Dosage, u32), String> {
        if !self.doubts.is_empty() {
            // Read back, it tells its doubts itself.
            return Err("Not clear yet.".to_owned());
        }
        let (Some(dose), Some(days)) = (self.sig.dose, self.sig.days) else {
            return Err("Say how much at a time and for how long.".to_owned());
        };
        // As needed without a number of times: once a day would be a guess.
        let per_day = self.sig.per_day.ok_or("Say how often a day it may be taken at most.")?;
        let dosage =
            dosage_of(&self.sig, dose, per_day, days).ok_or("Say how much and how often in the prescription.")?;
        Ok((dosage.checked().map_err(|(_, sentence)| sentence)?, self.sig.refills.unwrap_or(0)))
    }
}

/// What was said of how it is taken, as a dosage.
fn dosage_of(sig: &Sig, dose: f64, per_day: f64, days: u32) -> Option<Dosage> {
    let at = sig.at.and_then(|at| DayTime::ALL.iter().find(|t| t.label() == at));
    let often = match at {
        Some(at) if per_day <= 1.0 => Often::At(vec![*at]),
        _ => Often::of_per_day(per_day)?,
    };
    let food = sig.with.and_then(|with| Food::ALL.iter().find(|f| f.label() == with).copied());
    let needed = AsNeeded { reason: sig.needed_for.clone(), most_per_day: None };
    Some(Dosage {
        steps: vec![Step { amount: Portion::of(dose)?, up_to: None, often, days }],
        as_needed: sig.as_needed.then_some(needed),
        food,
    })
}

/// Whether a product has so many milligrams in one unit of its form.
fn has(product: &Product, mg: f64) -> bool {
    product.milligrams().is_some_and(|of| (of - mg).abs() < 1e-6)
}

/// The most units of a counted form that are meant by an amount.
const MOST_UNITS: f64 = 4.0;

/// The strength that makes an amount in the fewest whole units, where exactly one does: `prednisone 40` is two of 20 mg.
fn in_whole_units<'a>(products: &[&'a Product], amount: Option<f64>) -> (Vec<&'a Product>, Option<f64>) {
    let Some(amount) = amount else { return (vec![], None) };
    // An amount without a unit is in that of the strength.
    let units = |p: &Product| {
        let said = p.strength.split([' ', '/']).next().and_then(|n| n.parse::<f64>().ok());
        let fits = |of: f64| {
            let n = amount / of;
            (of > 0.0 && n > 1.5 && n <= MOST_UNITS && (n - n.round()).abs() < 1e-6).then(|| n.round())
        };
        p.milligrams().and_then(fits).or_else(|| said.and_then(fits))
    };
    let counted = products.iter().copied().filter(|p| matches!(p.form.as_str(), "tablet" | "capsule"));
    let all: Vec<(&Product, f64)> = counted.filter_map(|p| units(p).map(|n| (p, n))).collect();
    let Some(fewest) = all.iter().map(|(_, n)| *n).reduce(f64::min) else { return (vec![], None) };
    let best: Vec<&Product> = all.iter().filter(|(_, n)| *n <= fewest).map(|(p, _)| *p).collect();
    (best, Some(fewest))
}

/// Beginnings that the trade uses for one medicine alone.
const MEANT: [(&str, &str); 3] = [("amox", "amoxicillin"), ("azithro", "azithromycin"), ("clinda", "clindamycin")];

/// Whether a word surely means a product: `nitro` begins nitrofurantoin and means another medicine that may not be in the
/// formulary. Half of a name is sure enough.
fn surely_names(word: &str, product: &Product) -> bool {
    let word = international(fold(word));
    let half = |name: &str| name.starts_with(&word) && word.chars().count() * 2 >= name.chars().count();
    let begins = |name: &str| name.split(' ').any(|part| part.starts_with(&word));
    let (brand, names) = (fold(&product.brand), product.ingredients.iter().map(|i| fold(i)));
    let mut names: Vec<String> = names.collect();
    names.retain(|name| begins(name));
    if names.is_empty() {
        return half(&brand);
    }
    brand == word || names.iter().any(|n| MEANT.contains(&(word.as_str(), n.as_str())) || n.split(' ').any(half))
}

/// `amoxicillin 500 tid 7d`, `rx ibuprofen 400 prn pain`. Without `rx` it needs to say more than a name.
pub fn prescription(words: &[Word], known: &Known) -> Option<(Item, usize)> {
    let asked = words.first()?.is(&["rx", "prescribe", "start"]);
    let from = usize::from(asked);
    let (found, named) = products(words.get(from..)?, known)?;
    let rest = words.get(from + named..).unwrap_or(&[]);
    let runs = words[from + named - 1].ends != Ends::Stops;
    let (sig, used) = if runs { sig(rest) } else { (Sig::default(), 0) };
    if !asked && !(sig.is_said() && (sig.per_day.is_some() || sig.days.is_some() || sig.as_needed)) {
        return None;
    }
    // `metformin 500 bid since 2019` is taken already.
    let after = words.get(from + named + used).filter(|_| runs && words[from + named + used - 1].ends == Ends::Runs);
    if !asked && after.is_some_and(|w| w.is(&["since", "taking", "currently"])) {
        return episode(words, 0, MedicineState::Taking, known);
    }
    let mut doubts = Vec::new();
    let strengths = |list: &[&Product]| {
        let mut said: Vec<String> = list.iter().map(|p| format!("{} {}", p.strength, p.form)).collect();
        said.dedup();
        said.join(", ")
    };
    let of_form: Vec<&Product> = found.iter().copied().filter(|p| sig.form.is_none_or(|f| p.form == f)).collect();
    let of_form = if of_form.is_empty() {
        doubts.push(format!("no such form here; there is {}", strengths(&found)));
        found
    } else {
        of_form
    };
    let fitting: Vec<&Product> = match sig.strength_mg {
        Some(mg) => of_form
            .iter()
            .copied()
            .filter(|p| has(p, mg) || p.strength.split([' ', '/']).next() == Some(plain(mg).as_str()))
            .collect(),
        None => of_form.clone(),
    };
    let mut sig = sig;
    let fitting = if fitting.is_empty() && sig.dose.is_none() {
        let (whole, units) = in_whole_units(&of_form, sig.strength_mg);
        sig.dose = units;
        whole
    } else {
        fitting
    };
    let product = match fitting.as_slice() {
        [] => {
            doubts.push(format!("no such strength here; there is {}", strengths(&of_form)));
            None
        }
        [one] => Some(*one),
        [one, ..] => {
            doubts.push(format!("several fit: {}", strengths(&fitting)));
            Some(*one)
        }
    };
    if sig.dose.is_none() && matches!(product.map(|p| p.form.as_str()), Some("tablet" | "capsule" | "patch" | "powder"))
    {
        // One unit of a counted form is what is meant by a strength alone; an amount of a liquid is not guessed.
        sig.dose = Some(1.0);
    }
    if let (None, Some(quantity), Some(dose), Some(per_day)) = (sig.days, sig.quantity, sig.dose, sig.per_day) {
        sig.days = dosage_of(&sig, dose, per_day, 1).and_then(|d| d.lasting(quantity)).map(|d| d.days());
    }
    if let Some(p) = product
        && !surely_names(words[from].typed, p)
    {
        doubts.push(format!(
            "“{}” may mean another medicine; write {} in full",
            words[from].typed,
            p.ingredients.join(" / ")
        ));
    }
    if sig.per_day.is_none() && !sig.as_needed {
        doubts.push("how often was not said".to_owned());
    }
    if sig.days.is_none() {
        doubts.push("for how long was not said".to_owned());
    }
    if sig.dose.is_none() {
        doubts.push("how much at a time was not said".to_owned());
    }
    let said: String = words[from..from + named].iter().map(|w| w.low.as_str()).collect::<Vec<_>>().join(" ");
    let prescribed = Prescribed {
        product: product.map(|p| p.code.clone()).unwrap_or_default(),
        medicine: product.map_or(said, |p| format!("{} {} {}", p.ingredients.join(" / "), p.strength, p.form)),
        form: product.map(|p| p.form.clone()).unwrap_or_default(),
        sig,
        doubts,
    };
    Some((Item::Prescription(Box::new(prescribed)), from + named + used))
}

/// `takes metformin 500 bid since 2019`, `stopped ibuprofen`, `not taking statin`; several with commas between them.
pub fn taken(words: &[Word], known: &Known) -> Option<(Vec<Item>, usize)> {
    let (item, mut at) = one_taken(words, known)?;
    let lead = if words[0].is(&["not", "unsure", "unclear", "unknown"]) { 2 } else { 1 };
    let lists = words[0].is(&["meds", "medicines"]);
    let mut items = vec![item];
    // What follows a comma is another one where it is a medicine that is known, or where a list was begun.
    while at < words.len()
        && words[at - 1].ends == Ends::Pauses
        && (lists || products(&words[at..], known).is_some())
        && let own = [&words[..lead], &words[at..]].concat()
        && let Some((next, used)) = one_taken(&own, known)
    {
        items.push(next);
        at += used - lead;
    }
    Some((items, at))
}

fn one_taken(words: &[Word], known: &Known) -> Option<(Item, usize)> {
    let first = words.first()?;
    let second = words.get(1).filter(|_| first.ends == Ends::Runs)?;
    let (state, from) = match first.low.as_str() {
        "takes" | "taking" | "takes:" | "med" | "meds" | "medicine" | "medicines" | "uses" => {
            (MedicineState::Taking, 1)
        }
        "on" if products(&words[1..], known).is_some_and(|(found, _)| surely_names(second.typed, found[0])) => {
            (MedicineState::Taking, 1)
        }
        "stopped" | "stop" | "discontinued" | "dc" if !second.is(&["smoking"]) => (MedicineState::Stopped, 1),
        "not" if second.is(&["taking", "using"]) => (MedicineState::NotTaking, 2),
        "unsure" | "unclear" | "unknown" if second.is(&["medicine", "med", "taking", "about"]) => {
            (MedicineState::Unknown, 2)
        }
        _ => return None,
    };
    let rest = words.get(from..).filter(|r| !r.is_empty())?;
    // `stopped` says much that is no medicine.
    if surely_found(rest, known).is_none() && matches!(first.low.as_str(), "stopped" | "stop" | "uses" | "dc") {
        return None;
    }
    episode(words, from, state, known)
}

/// The products that words surely mean; what may mean another medicine is kept as it was said.
fn surely_found<'a>(words: &[Word], known: &Known<'a>) -> Option<(Vec<&'a Product>, usize)> {
    products(words, known).filter(|(found, _)| surely_names(words[0].typed, found[0]))
}

/// What is, or was, taken from the word at `from` on.
fn episode(words: &[Word], from: usize, state: MedicineState, known: &Known) -> Option<(Item, usize)> {
    let found = surely_found(words.get(from..)?, known);
    let named = found.as_ref().map_or(1, |(_, used)| *used);
    let mut at = from + named;
    let mut what: Vec<&str> = words[from..at].iter().map(|w| w.typed).collect();
    let mut how = Sig::default();
    let mut since = None;
    let mut said = String::new();
    while words[at - 1].ends == Ends::Runs
        && let Some(word) = words.get(at)
    {
        if since.is_none()
            && let Some((when, used)) = onset(&words[at..], known).filter(|_| !word.is(&["on", "at"]))
        {
            since = Some(when);
            at += used;
            continue;
        }
        if word.is(&["taking", "currently"]) {
            at += 1;
            continue;
        }
        // An amount of what is not weighed stands with the name: `vitamin d 2000 iu`.
        let counted = words.get(at + 1).filter(|_| word.ends == Ends::Runs && word.low.parse::<f64>().is_ok());
        if let Some(unit) = counted.filter(|w| w.is(&["iu", "units", "unit"])) {
            what.extend([word.typed, unit.typed]);
            at += 2;
            continue;
        }
        let (more, used) = sig(&words[at..]);
        if used == 0 {
            if found.is_some() {
                break;
            }
            what.push(word.typed);
            at += 1;
            continue;
        }
        if let Some(mg) = more.strength_mg {
            what.push("");
            said = format!("{} mg", plain(mg));
        }
        how = more;
        at += used;
    }
    let what = what.into_iter().filter(|w| !w.is_empty()).collect::<Vec<_>>().join(" ");
    let what = format!("{what} {said}").trim().to_owned();
    let product = found.and_then(|(list, _)| {
        let fits = |p: &&&Product| how.strength_mg.is_none_or(|mg| has(p, mg));
        let fitting: Vec<&&Product> = list.iter().filter(fits).collect();
        match fitting.as_slice() {
            [one] => Some(one.code.clone()),
            _ => None,
        }
    });
    Some((Item::Medicine { what, product, how: how.in_words(how.form.unwrap_or("")), state, since }, at))
}
