//! Medicines on the quick line: which product is meant, and how it is taken.

use super::when::length;
use super::words::{Ends, Word};
use super::{Item, Known, onset};
use crate::people::fold;
use crate::prescribing::{MedicineState, Product};

/// How something is taken, as far as it was said.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Sig {
    /// Strength in milligrams.
    pub strength_mg: Option<f64>,
    pub form: Option<&'static str>,
    /// Units of the form at a time.
    pub dose: Option<f64>,
    pub per_day: Option<f64>,
    /// `at bedtime`, `in the morning`.
    pub at: Option<&'static str>,
    pub as_needed: bool,
    pub needed_for: String,
    pub days: Option<u32>,
    pub refills: Option<u32>,
    /// Units of the form to be dispensed, as `#90` says.
    pub quantity: Option<u32>,
}

impl Sig {
    fn is_said(&self) -> bool {
        self.strength_mg.is_some()
            || self.per_day.is_some()
            || self.days.is_some()
            || self.as_needed
            || self.dose.is_some()
    }

    /// `1 capsule three times a day, when needed for pain`.
    pub fn in_words(&self, form: &str) -> String {
        let mut parts = Vec::new();
        if let Some(dose) = self.dose {
            let unit = match form {
                "solution" | "suspension" | "syrup" => "mL",
                "inhaler" => "puff",
                other => other,
            };
            let more = if dose > 1.0 && unit != "mL" && !unit.is_empty() { "s" } else { "" };
            parts.push(format!("{} {unit}{more}", plain(dose)).trim_end().to_owned());
        }
        match self.per_day {
            Some(x) if x >= 1.0 => parts.push(match x as u32 {
                1 => "once a day".to_owned(),
                2 => "twice a day".to_owned(),
                3 => "three times a day".to_owned(),
                4 => "four times a day".to_owned(),
                _ => format!("{} times a day", plain(x)),
            }),
            Some(x) if x > 0.4 => parts.push("every other day".to_owned()),
            Some(_) => parts.push("once a week".to_owned()),
            None => {}
        }
        let mut text = parts.join(" ");
        if let Some(at) = self.at {
            text = format!("{text} {at}").trim().to_owned();
        }
        if self.as_needed {
            let need = if self.needed_for.is_empty() { String::new() } else { format!(" for {}", self.needed_for) };
            text = format!("{text}{}when needed{need}", if text.is_empty() { "" } else { ", " });
        }
        text
    }
}

fn plain(x: f64) -> String {
    format!("{}", (x * 100.0).round() / 100.0)
}

fn form_of(word: &str) -> Option<&'static str> {
    Some(match word {
        "tab" | "tabs" | "tablet" | "tablets" | "t" => "tablet",
        "cap" | "caps" | "capsule" | "capsules" | "c" => "capsule",
        "susp" | "suspension" | "liquid" => "suspension",
        "sol" | "solution" => "solution",
        "syrup" => "syrup",
        "cream" | "crm" => "cream",
        "oint" | "ointment" => "ointment",
        "gel" => "gel",
        "drop" | "drops" | "gtt" | "gtts" => "drops",
        "puff" | "puffs" | "inhaler" | "mdi" => "inhaler",
        "patch" | "patches" => "patch",
        "powder" | "sachet" | "sachets" => "powder",
        _ => return None,
    })
}

/// How often, in times a day, with how many words say it.
fn frequency(words: &[Word]) -> Option<(f64, Option<&'static str>, usize)> {
    let first = words.first()?;
    let bare: String = first.low.chars().filter(|c| *c != '.').collect();
    let second = words.get(1).map(|w| w.low.as_str());
    let third = words.get(2).map(|w| w.low.as_str());
    let plain = match bare.as_str() {
        "qd" | "daily" | "od" | "q24h" | "qday" => Some((1.0, None)),
        "qam" | "mornings" | "am" => Some((1.0, Some("in the morning"))),
        "qpm" | "evenings" | "pm" => Some((1.0, Some("in the evening"))),
        "qhs" | "hs" | "nightly" | "bedtime" | "qn" => Some((1.0, Some("at bedtime"))),
        "bid" | "bd" | "q12h" => Some((2.0, None)),
        "tid" | "tds" | "q8h" => Some((3.0, None)),
        "qid" | "qds" | "q6h" => Some((4.0, None)),
        "q4h" => Some((6.0, None)),
        "q4-6h" => Some((6.0, None)),
        "q6-8h" => Some((4.0, None)),
        "q3h" => Some((8.0, None)),
        "q2h" => Some((12.0, None)),
        "qod" => Some((0.5, None)),
        "weekly" | "qwk" | "qweek" => Some((1.0 / 7.0, None)),
        _ => None,
    };
    if let Some((per_day, at)) = plain {
        return Some((per_day, at, 1));
    }
    let counted = match bare.as_str() {
        "once" => Some(1.0),
        "twice" => Some(2.0),
        "thrice" => Some(3.0),
        _ => None,
    };
    if let Some(n) = counted {
        return match (second, third) {
            (Some("daily"), _) => Some((n, None, 2)),
            (Some("a" | "per"), Some("day")) => Some((n, None, 3)),
            (Some("a" | "per"), Some("week")) => Some((n / 7.0, None, 3)),
            (Some("weekly"), _) => Some((n / 7.0, None, 2)),
            _ => None,
        };
    }
    if bare == "at" && matches!(second, Some("night" | "bedtime")) {
        return Some((1.0, Some("at bedtime"), 2));
    }
    if bare == "every" || bare == "q" {
        if second == Some("day") || second == Some("morning") || second == Some("night") {
            let at = match second {
                Some("morning") => Some("in the morning"),
                Some("night") => Some("at bedtime"),
                _ => None,
            };
            return Some((1.0, at, 2));
        }
        if second == Some("other") && third == Some("day") {
            return Some((0.5, None, 3));
        }
        if second == Some("week") {
            return Some((1.0 / 7.0, None, 2));
        }
        let hours: f64 = second?.trim_end_matches('h').parse().ok()?;
        let used = if second?.ends_with('h') { 2 } else { 3 };
        if used == 3 && !matches!(third, Some("h" | "hours" | "hour" | "hrs")) {
            return None;
        }
        return ((1.0..=24.0).contains(&hours)).then_some((24.0 / hours, None, used));
    }
    // `3x/day`, `3x daily`, `x3/day`, `2/day`, `3 times a day`, `1-0-1`.
    let shape: Vec<u32> = bare.split('-').filter_map(|n| n.parse().ok()).collect();
    if shape.len() == 3
        && bare.split('-').count() == 3
        && shape.iter().all(|n| *n <= 1)
        && shape.iter().sum::<u32>() > 0
    {
        return Some((f64::from(shape.iter().sum::<u32>()), None, 1));
    }
    let digits: String = bare.trim_start_matches('x').chars().take_while(char::is_ascii_digit).collect();
    let n: f64 = digits.parse().ok().filter(|n| (1.0..=24.0).contains(n))?;
    let rest = bare.trim_start_matches('x')[digits.len()..].trim_start_matches('x');
    match (rest, second, third) {
        ("/day" | "/d" | "d/day" | "daily", _, _) => Some((n, None, 1)),
        ("/week" | "/wk", _, _) => Some((n / 7.0, None, 1)),
        ("", Some("daily"), _) if bare.contains('x') => Some((n, None, 2)),
        ("", Some("times"), Some("daily")) => Some((n, None, 3)),
        ("", Some("times" | "x"), Some("a" | "per")) if words.get(3).is_some_and(|w| w.is(&["day"])) => {
            Some((n, None, 4))
        }
        ("", Some("a" | "per"), Some("day")) if bare.contains('x') => Some((n, None, 3)),
        _ => None,
    }
}

/// An amount with its unit in milligrams; `500`, `500mg`, `0.5 g`, `125 mcg`.
fn strength(words: &[Word]) -> Option<(f64, usize)> {
    let first = words.first()?;
    let digits = first.low.bytes().take_while(|b| b.is_ascii_digit() || *b == b'.').count();
    let number: f64 = first.low[..digits].parse().ok().filter(|n: &f64| *n > 0.0 && *n < 100_000.0)?;
    let glued = &first.low[digits..];
    let of = |unit: &str| match unit {
        "mg" | "milligrams" => Some(1.0),
        "mcg" | "µg" | "ug" | "micrograms" => Some(0.001),
        "g" | "gram" | "grams" => Some(1000.0),
        _ => None,
    };
    if glued.is_empty() {
        let unit = words.get(1).filter(|_| first.ends == Ends::Runs).and_then(|w| of(&w.low));
        return Some(unit.map_or((number, 1), |u| (number * u, 2)));
    }
    of(glued).map(|u| (number * u, 1))
}

/// Reads how something is taken; gives how many words it took.
pub fn sig(words: &[Word], mut taken: impl FnMut(&Word)) -> (Sig, usize) {
    let mut sig = Sig::default();
    let mut at = 0;
    while let Some(word) = words.get(at) {
        let rest = &words[at..];
        if let Some((per_day, when, used)) = frequency(rest).filter(|_| sig.per_day.is_none()) {
            sig.per_day = Some(per_day);
            sig.at = when;
            at += used;
        } else if word.is(&["prn"]) || word.is(&["as", "when"]) && rest.get(1).is_some_and(|w| w.is(&["needed"])) {
            sig.as_needed = true;
            at += if word.is(&["prn"]) { 1 } else { 2 };
            let mut reason = Vec::new();
            while words.get(at - 1).is_some_and(|w| w.ends == Ends::Runs)
                && let Some(next) = words.get(at)
                && length(&words[at..]).is_none()
                && frequency(&words[at..]).is_none()
                && !next.low.starts_with(|c: char| c.is_ascii_digit() || c == '#')
                && !next.is(&["rf", "refill", "refills"])
            {
                if !(reason.is_empty() && next.is(&["for"])) {
                    reason.push(next.typed);
                }
                at += 1;
            }
            sig.needed_for = reason.join(" ");
        } else if let Some((days, used)) = length(rest).filter(|_| sig.days.is_none()) {
            sig.days = Some(days);
            at += used;
        } else if let Some(n) = word.low.strip_prefix('#').and_then(|n| n.parse().ok()).filter(|n| *n <= 1000) {
            sig.quantity = Some(n);
            at += 1;
        } else if let Some((n, used)) = refills(rest) {
            sig.refills = Some(n);
            at += used;
        } else if word.is(&[
            "po",
            "p.o",
            "oral",
            "orally",
            "by",
            "mouth",
            "top",
            "topically",
            "inhaled",
            "sl",
            "sc",
            "im",
            "take",
            "for",
        ]) {
            at += 1;
        } else if let Some(form) = form_of(&word.low).filter(|_| at > 0 || word.low.len() > 1) {
            sig.form = sig.form.or(Some(form));
            at += 1;
        } else if let Some((dose, used)) = dose(rest).filter(|_| sig.dose.is_none()) {
            sig.dose = Some(dose.0);
            sig.form = sig.form.or(dose.1);
            at += used;
        } else if let Some((mg, used)) = strength(rest).filter(|_| sig.strength_mg.is_none()) {
            sig.strength_mg = Some(mg);
            at += used;
        } else {
            taken(word);
            break;
        }
        if words[at - 1].ends == Ends::Stops {
            break;
        }
        if words[at - 1].ends == Ends::Pauses
            && words.get(at).is_none_or(|_| {
                frequency(&words[at..]).is_none() && length(&words[at..]).is_none() && !words[at].is(&["prn"])
            })
        {
            break;
        }
    }
    (sig, at)
}

/// `2 tabs`, `10 ml`, `2puffs`.
fn dose(words: &[Word]) -> Option<((f64, Option<&'static str>), usize)> {
    let first = words.first()?;
    let digits = first.low.bytes().take_while(|b| b.is_ascii_digit() || *b == b'.' || *b == b'/').count();
    let number = &first.low[..digits];
    let amount: f64 = match number {
        "1/2" => 0.5,
        n => n.parse().ok().filter(|n| (0.1..=200.0).contains(n))?,
    };
    let glued = &first.low[digits..];
    let (unit, used) = if glued.is_empty() {
        (words.get(1).filter(|_| first.ends == Ends::Runs)?.low.as_str(), 2)
    } else {
        (glued, 1)
    };
    if unit == "ml" {
        return Some(((amount, None), used));
    }
    let form = form_of(unit)?;
    Some(((amount, Some(form)), used))
}

fn refills(words: &[Word]) -> Option<(u32, usize)> {
    let first = words.first()?;
    if first.is(&["rf", "refill", "refills"]) {
        return words.get(1)?.low.parse().ok().filter(|n| *n <= 12).map(|n| (n, 2));
    }
    let n = first.low.parse().ok().filter(|n| *n <= 12)?;
    words.get(1)?.is(&["rf", "refill", "refills"]).then_some((n, 2))
}

/// The international name of what the United States call otherwise; names come from the adopted lists of both.
fn international(name: String) -> String {
    const OTHERWISE: [(&str, &str); 11] = [
        ("albuterol", "salbutamol"),
        ("acetaminophen", "paracetamol"),
        ("glyburide", "glibenclamide"),
        ("epinephrine", "adrenaline"),
        ("cyclosporine", "ciclosporin"),
        ("cholecalciferol", "colecalciferol"),
        ("beclomethasone", "beclometasone"),
        ("clavulanate", "clavulanic"),
        ("hctz", "hydrochlorothiazide"),
        ("levothyroxin", "levothyroxine"),
        ("torsemide", "torasemide"),
    ];
    OTHERWISE.iter().find(|(here, _)| *here == name).map_or(name, |(_, there)| (*there).to_owned())
}

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

/// `amoxicillin 500 tid 7d`, `rx ibuprofen 400 prn pain`. Without `rx` it needs to say more than a name.
pub fn prescription(words: &[Word], known: &Known) -> Option<(Item, usize)> {
    let asked = words.first()?.is(&["rx", "prescribe", "start"]);
    let from = usize::from(asked);
    let (found, named) = products(words.get(from..)?, known)?;
    let rest = words.get(from + named..).unwrap_or(&[]);
    let runs = words[from + named - 1].ends != Ends::Stops;
    let (sig, used) = if runs { sig(rest, |_| ()) } else { (Sig::default(), 0) };
    if !asked && !(sig.is_said() && (sig.per_day.is_some() || sig.days.is_some() || sig.as_needed)) {
        return None;
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
            .filter(|p| {
                (p.strength_mg - mg).abs() < 1e-6 || p.strength.split([' ', '/']).next() == Some(plain(mg).as_str())
            })
            .collect(),
        None => of_form.clone(),
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
    let mut sig = sig;
    if sig.dose.is_none() && matches!(product.map(|p| p.form.as_str()), Some("tablet" | "capsule" | "patch" | "powder"))
    {
        // One unit of a counted form is what is meant by a strength alone; an amount of a liquid is not guessed.
        sig.dose = Some(1.0);
    }
    if let (None, Some(quantity), Some(dose), Some(per_day)) = (sig.days, sig.quantity, sig.dose, sig.per_day) {
        sig.days = crate::prescribing::days_of(quantity, dose, per_day).filter(|days| *days > 0);
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
    let named: String = words[from..from + named].iter().map(|w| w.low.as_str()).collect::<Vec<_>>().join(" ");
    let prescribed = Prescribed {
        product: product.map(|p| p.code.clone()).unwrap_or_default(),
        medicine: product.map_or(named, |p| format!("{} {} {}", p.ingredients.join(" / "), p.strength, p.form)),
        form: product.map(|p| p.form.clone()).unwrap_or_default(),
        sig,
        doubts,
    };
    Some((Item::Prescription(Box::new(prescribed)), from + named_words(words, from, known) + used))
}

fn named_words(words: &[Word], from: usize, known: &Known) -> usize {
    products(&words[from..], known).map_or(0, |(_, used)| used)
}

/// `takes metformin 500 bid since 2019`, `stopped ibuprofen`, `not taking statin`.
pub fn taken(words: &[Word], known: &Known) -> Option<(Item, usize)> {
    let first = words.first()?;
    let second = words.get(1).filter(|_| first.ends == Ends::Runs)?;
    let (state, from) = match first.low.as_str() {
        "takes" | "taking" | "takes:" | "med" | "meds" | "medicine" | "medicines" | "uses" => {
            (MedicineState::Taking, 1)
        }
        "on" if products(&words[1..], known).is_some() => (MedicineState::Taking, 1),
        "stopped" | "stop" | "discontinued" | "dc" if !second.is(&["smoking"]) => (MedicineState::Stopped, 1),
        "not" if second.is(&["taking", "using"]) => (MedicineState::NotTaking, 2),
        "unsure" | "unclear" | "unknown" if second.is(&["medicine", "med", "taking", "about"]) => {
            (MedicineState::Unknown, 2)
        }
        _ => return None,
    };
    let rest = words.get(from..).filter(|r| !r.is_empty())?;
    let found = products(rest, known);
    // `stopped` says much that is no medicine.
    if found.is_none() && matches!(first.low.as_str(), "stopped" | "stop" | "uses" | "dc") {
        return None;
    }
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
        let (more, used) = sig(&words[at..], |_| ());
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
        let fits = |p: &&&Product| how.strength_mg.is_none_or(|mg| (p.strength_mg - mg).abs() < 1e-6);
        let fitting: Vec<&&Product> = list.iter().filter(fits).collect();
        match fitting.as_slice() {
            [one] => Some(one.code.clone()),
            _ => None,
        }
    });
    Some((Item::Medicine { what, product, how: how.in_words(how.form.unwrap_or("")), state, since }, at))
}
