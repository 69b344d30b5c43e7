//! The tables that prescriptions are checked against. They hold facts and their short reasons; the code that reads them
//! knows no medicine by name.
//!
//! A table may speak of a medicine more than once. Where one row is meant, the narrowest wins (an ingredient before its
//! family); where several rows warn, the gravest does. Sources: general pharmacological knowledge in our own words; a
//! clinic reviews the tables before it relies on them.

use super::approvals::{ApprovalQuestion, CoveredUse};
use super::ingredients::{Ingredient, Schedule, Term, Way};
use super::kidney::KidneyMeasure;
use super::leaflets::LeafletRow;
pub use super::medicine::{Medicine, Part};
use super::strength::{Amount, amounts};
use super::{Product, Severity};
use crate::people::fold;
use std::collections::HashMap;

/// How far two strengths may lie apart, as a part of them, that packs call the same: 8 milliequivalents of potassium chloride
/// are 596 mg, and are sold as 600.
const SAME_STRENGTH: f64 = 0.01;

/// Two, or three, that harm together.
#[derive(Debug, Clone, PartialEq)]
pub struct Interaction {
    pub a: Term,
    pub b: Term,
    pub c: Option<Term>,
    pub severity: Severity,
    pub reason: String,
    pub instead: String,
}

/// A family of which one is enough.
#[derive(Debug, Clone, PartialEq)]
pub struct DoubledClass {
    pub class: Term,
    pub severity: Severity,
    /// What the family is called, in the plural.
    pub name: String,
    pub instead: String,
}

/// What harms with a problem.
#[derive(Debug, Clone, PartialEq)]
pub struct ProblemHarm {
    pub medicine: Term,
    /// Beginning of a diagnosis code.
    pub diagnosis: String,
    pub severity: Severity,
    pub reason: String,
    pub instead: String,
}

/// What a medicine does to the unborn and to the child at the breast. Without a severity no harm is known.
#[derive(Debug, Clone, PartialEq)]
pub struct PregnancyRule {
    pub medicine: Term,
    pub pregnancy: Option<Severity>,
    pub pregnancy_reason: String,
    pub breastfeeding: Option<Severity>,
    pub breastfeeding_reason: String,
}

/// An age in days, from which or until which a rule holds, with the words it was written in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct AgeMark {
    pub days: u32,
    pub number: u32,
    pub unit: AgeUnit,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AgeUnit {
    Days,
    Months,
    Years,
}

impl AgeMark {
    /// `28d`, `6mo`, `12y`. A year has 365.25 days, a month a twelfth of it; the mark is the first whole day of that age.
    pub fn parse(text: &str) -> Option<AgeMark> {
        let at = text.find(|c: char| !c.is_ascii_digit())?;
        let number: u32 = text[..at].parse().ok().filter(|n| *n <= 1000)?;
        let (unit, days) = match &text[at..] {
            "d" => (AgeUnit::Days, f64::from(number)),
            "mo" => (AgeUnit::Months, f64::from(number) * 30.4375),
            "y" => (AgeUnit::Years, f64::from(number) * 365.25),
            _ => return None,
        };
        Some(AgeMark { days: days.floor() as u32, number, unit })
    }

    pub fn in_words(self) -> String {
        let unit = match self.unit {
            AgeUnit::Days => "day",
            AgeUnit::Months => "month",
            AgeUnit::Years => "year",
        };
        format!("{} {unit}{}", self.number, if self.number == 1 { "" } else { "s" })
    }
}

/// From when until when of an age something holds; the end does not belong to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Ages {
    pub from: Option<AgeMark>,
    pub until: Option<AgeMark>,
}

impl Ages {
    pub fn hold(&self, days: u32) -> bool {
        self.from.is_none_or(|f| days >= f.days) && self.until.is_none_or(|u| days < u.days)
    }
}

#[derive(Debug, Clone, PartialEq)]
pub struct AgeRule {
    pub medicine: Term,
    pub ages: Ages,
    pub severity: Severity,
    pub reason: String,
    pub instead: String,
}

#[derive(Debug, Clone, PartialEq)]
pub struct KidneyRule {
    pub medicine: Term,
    pub measure: KidneyMeasure,
    /// Holds below this value of the measure.
    pub below: f64,
    /// The most a day that is left; nothing where it is to be avoided.
    pub most_mg: Option<f64>,
    pub severity: Severity,
    pub reason: String,
}

#[derive(Debug, Clone, PartialEq)]
pub struct LiverRule {
    pub medicine: Term,
    pub severity: Severity,
    pub most_mg: Option<f64>,
    pub reason: String,
}

coded! {
    /// What the amounts of a dose rule are counted in.
    DoseBy {
        Milligrams = "mg", "mg";
        MilligramsPerKilogram = "mg/kg", "mg/kg";
        Units = "units", "units";
        UnitsPerKilogram = "units/kg", "units/kg";
    }
}

impl DoseBy {
    pub fn goes_by_weight(self) -> bool {
        matches!(self, DoseBy::MilligramsPerKilogram | DoseBy::UnitsPerKilogram)
    }

    /// The bare number of an amount, where it is of this kind.
    pub fn number(self, amount: Amount) -> Option<f64> {
        match (self, amount) {
            (DoseBy::Milligrams | DoseBy::MilligramsPerKilogram, Amount::Milligrams(n)) => Some(n),
            (DoseBy::Units | DoseBy::UnitsPerKilogram, Amount::Units(n)) => Some(n),
            _ => None,
        }
    }
}

/// The usual amounts of an ingredient at an age.
#[derive(Debug, Clone, PartialEq)]
pub struct DoseRule {
    pub medicine: Term,
    pub ages: Ages,
    pub by: DoseBy,
    /// The least and the most a day, and the most at a time.
    pub low: f64,
    pub high: f64,
    pub single: f64,
    /// The most times a day.
    pub times: f64,
    /// By weight, never above this much a day.
    pub most: Option<f64>,
}

/// How long a course is, in days.
#[derive(Debug, Clone, PartialEq)]
pub struct DurationRule {
    pub medicine: Term,
    pub least: Option<u32>,
    pub most: Option<u32>,
    pub severity: Severity,
    pub reason: String,
}

/// A group that people are allergic to as a whole, with the words for it. Without members it is no medicine.
#[derive(Debug, Clone, PartialEq)]
pub struct AllergyGroup {
    pub name: String,
    pub words: Vec<String>,
    pub members: Vec<Term>,
}

/// What an allergy may reach besides what it is to.
#[derive(Debug, Clone, PartialEq)]
pub struct CrossReaction {
    pub allergy: AllergyTerm,
    pub medicine: Term,
    pub mild: Severity,
    pub severe: Severity,
    pub reason: String,
    pub instead: String,
}

/// What an allergy is to: an ingredient that the term means, or a group said as such.
#[derive(Debug, Clone, PartialEq)]
pub enum AllergyTerm {
    Medicine(Term),
    Group(String),
}

impl AllergyTerm {
    /// `=penicillins`, or a term.
    pub fn parse(text: &str) -> Option<AllergyTerm> {
        match text.strip_prefix('=') {
            Some(group) => (!group.is_empty()).then(|| AllergyTerm::Group(group.to_owned())),
            None => Term::parse(text).map(AllergyTerm::Medicine),
        }
    }
}

/// The rows of all tables, as they are read.
#[derive(Debug, Clone, Default, PartialEq)]
pub struct Tables {
    pub ingredients: Vec<Ingredient>,
    pub interactions: Vec<Interaction>,
    pub doubled: Vec<DoubledClass>,
    pub harms: Vec<ProblemHarm>,
    pub pregnancy: Vec<PregnancyRule>,
    pub ages: Vec<AgeRule>,
    pub kidney: Vec<KidneyRule>,
    pub liver: Vec<LiverRule>,
    pub doses: Vec<DoseRule>,
    pub durations: Vec<DurationRule>,
    pub allergy_groups: Vec<AllergyGroup>,
    pub cross_reactions: Vec<CrossReaction>,
    pub covered_uses: Vec<CoveredUse>,
    pub approval_questions: Vec<ApprovalQuestion>,
    pub leaflets: Vec<LeafletRow>,
}

impl Tables {
    /// Every term that a rule speaks of, with the table it stands in.
    pub fn terms_mut(&mut self) -> Vec<(&'static str, &mut Term)> {
        let mut out: Vec<(&'static str, &mut Term)> = Vec::new();
        for i in &mut self.interactions {
            out.push(("interactions", &mut i.a));
            out.push(("interactions", &mut i.b));
            out.extend(i.c.as_mut().map(|c| ("interactions", c)));
        }
        out.extend(self.doubled.iter_mut().map(|r| ("doubled", &mut r.class)));
        out.extend(self.harms.iter_mut().map(|r| ("problem harms", &mut r.medicine)));
        out.extend(self.pregnancy.iter_mut().map(|r| ("pregnancy", &mut r.medicine)));
        out.extend(self.ages.iter_mut().map(|r| ("ages", &mut r.medicine)));
        out.extend(self.kidney.iter_mut().map(|r| ("kidney", &mut r.medicine)));
        out.extend(self.liver.iter_mut().map(|r| ("liver", &mut r.medicine)));
        out.extend(self.doses.iter_mut().map(|r| ("doses", &mut r.medicine)));
        out.extend(self.durations.iter_mut().map(|r| ("durations", &mut r.medicine)));
        out.extend(self.covered_uses.iter_mut().map(|r| ("approvals", &mut r.medicine)));
        out.extend(self.approval_questions.iter_mut().map(|r| ("approval questions", &mut r.medicine)));
        out.extend(self.leaflets.iter_mut().map(|r| ("leaflets", &mut r.medicine)));
        for group in &mut self.allergy_groups {
            out.extend(group.members.iter_mut().map(|t| ("allergy groups", t)));
        }
        for row in &mut self.cross_reactions {
            if let AllergyTerm::Medicine(term) = &mut row.allergy {
                out.push(("cross-reactions", term));
            }
            out.push(("cross-reactions", &mut row.medicine));
        }
        out
    }
}

/// The tables with their indexes, and the products that the clinic prescribes.
#[derive(Debug, Default)]
pub struct Rules {
    tables: Tables,
    by_name: HashMap<String, Vec<usize>>,
    products: Vec<Product>,
    by_code: HashMap<String, usize>,
    by_brand: HashMap<String, usize>,
    /// Words of the longest name.
    longest: usize,
}

impl std::ops::Deref for Rules {
    type Target = Tables;

    fn deref(&self) -> &Tables {
        &self.tables
    }
}

impl Rules {
    /// Refuses terms that mean nothing in the tables, naming the first.
    pub fn new(mut tables: Tables, products: Vec<Product>) -> Result<Rules, String> {
        let mut by_name: HashMap<String, Vec<usize>> = HashMap::new();
        for (n, ingredient) in tables.ingredients.iter().enumerate() {
            for name in std::iter::once(&ingredient.name).chain(&ingredient.also) {
                let rows = by_name.entry(fold(name)).or_default();
                if !rows.contains(&n) {
                    rows.push(n);
                }
            }
        }
        let ingredients = std::mem::take(&mut tables.ingredients);
        for (table, term) in tables.terms_mut() {
            if let Term::Name(name, way @ None) = term
                && ingredients.iter().any(|i| i.name == *name && i.way == Way::Body)
            {
                *way = Some(Way::Body);
            }
            let known = ingredients.iter().any(|i| term.means(i))
                || matches!(term, Term::Atc(begins) if products.iter().any(|p| p.atc.starts_with(begins.as_str())));
            if !known {
                return Err(format!("{term} in the table of {table} means no ingredient"));
            }
        }
        tables.ingredients = ingredients;
        let longest = by_name.keys().map(|n| n.split(' ').count()).max().unwrap_or(0);
        for product in &products {
            if let Some(name) = product.ingredients.iter().find(|i| !by_name.contains_key(&fold(i))) {
                return Err(format!("{name} of {} is no ingredient of the tables", product.code));
            }
        }
        let by_code = products.iter().enumerate().map(|(n, p)| (p.code.clone(), n)).collect();
        let by_brand = products.iter().enumerate().map(|(n, p)| (fold(&p.brand), n)).collect();
        Ok(Rules { tables, by_name, products, by_code, by_brand, longest })
    }

    pub fn products(&self) -> &[Product] {
        &self.products
    }

    pub fn product(&self, code: &str) -> Option<&Product> {
        self.by_code.get(code).map(|n| &self.products[*n])
    }

    /// The strictest schedule of what is in a product; nothing where none of it is controlled.
    pub fn schedule(&self, product: &Product) -> Option<Schedule> {
        let of = product.ingredients.iter().filter_map(|i| self.ingredient(i, &product.form)?.schedule);
        of.min()
    }

    /// The rows of an ingredient by any of its names; what stands behind the name as its salt does not matter.
    fn rows(&self, name: &str) -> Option<&[usize]> {
        let folded = fold(name);
        let mut known = folded.as_str();
        loop {
            if let Some(rows) = self.by_name.get(known) {
                return Some(rows);
            }
            known = known.rsplit_once(' ')?.0;
        }
    }

    /// The ingredient in the way that a form takes, where it has one; otherwise in the way it has.
    pub fn ingredient(&self, name: &str, form: &str) -> Option<&Ingredient> {
        let rows: Vec<&Ingredient> = self.rows(name)?.iter().map(|n| &self.tables.ingredients[*n]).collect();
        let fitting = Way::of_form(form).iter().find_map(|way| rows.iter().find(|i| i.way == *way));
        fitting.or(rows.first()).copied()
    }

    /// The ingredients that words speak of, by any of their names, in the order they are said.
    pub fn spoken_of(&self, words: &str) -> Vec<&Ingredient> {
        let folded = fold(words);
        let words: Vec<&str> = folded.split(' ').filter(|w| !w.is_empty()).collect();
        let mut found: Vec<&Ingredient> = Vec::new();
        let mut at = 0;
        while at < words.len() {
            let longest = self.longest.min(words.len() - at);
            let hit = (1..=longest).rev().find_map(|n| Some((n, self.by_name.get(&words[at..at + n].join(" "))?)));
            match hit {
                Some((n, rows)) => {
                    let one = &self.tables.ingredients[rows[0]];
                    if found.iter().all(|f| f.name != one.name) {
                        found.push(one);
                    }
                    at += n;
                }
                None => at += 1,
            }
        }
        found
    }

    /// A product of the clinic, by what is in it, its form and its strength.
    pub fn product_with(&self, ingredients: &[String], form: &str, strength: &str) -> Option<&Product> {
        let wanted: Vec<&str> =
            ingredients.iter().filter_map(|i| Some(self.ingredient(i, form)?.name.as_str())).collect();
        let said = amounts(strength);
        let is = |p: &Product, s: Amount, h: Amount| {
            p.ingredients.iter().any(|i| {
                let (s, h) = (s.of(i), h.of(i));
                std::mem::discriminant(&s) == std::mem::discriminant(&h)
                    && (h.number() - s.number()).abs() <= h.number() * SAME_STRENGTH
            })
        };
        self.products.iter().find(|p| {
            p.ingredients.len() == wanted.len()
                && wanted.iter().all(|w| p.ingredients.iter().any(|i| i == w))
                && (form.is_empty() || p.form == form)
                && match (&said, amounts(&p.strength)) {
                    (Some(said), Some(has)) => said.iter().all(|s| has.iter().any(|h| is(p, *s, *h))),
                    _ => p.strength == strength,
                }
        })
    }

    /// A medicine by what is in it. The strength may tell the amount of each ingredient or of the first alone.
    pub fn medicine(&self, ingredients: &[String], form: &str, strength: &str) -> Medicine<'_> {
        let said = amounts(strength).unwrap_or_default();
        let product =
            (said.len() < ingredients.len()).then(|| self.product_with(ingredients, form, strength)).flatten();
        if let Some(product) = product {
            return self.medicine_of(product);
        }
        let mut out =
            Medicine { label: ingredients.join(" / "), parts: vec![], unknown: vec![], dose: None, per_day: None };
        for (n, name) in ingredients.iter().enumerate() {
            match self.ingredient(name, form) {
                Some(ingredient) => {
                    let amount = said.get(n).map(|a| a.of(&ingredient.name));
                    out.parts.push(Part { ingredient, amount });
                }
                None => out.unknown.push(name.clone()),
            }
        }
        out
    }

    pub fn medicine_of(&self, product: &Product) -> Medicine<'_> {
        let said = amounts(&product.strength).unwrap_or_default();
        let parts = product.ingredients.iter().enumerate().filter_map(|(n, name)| {
            let ingredient = self.ingredient(name, &product.form)?;
            Some(Part { ingredient, amount: said.get(n).map(|a| a.of(&ingredient.name)) })
        });
        Medicine {
            label: product.ingredients.join(" / "),
            parts: parts.collect(),
            unknown: vec![],
            dose: None,
            per_day: None,
        }
    }

    /// A medicine that was only written down in words: what is recognised in them counts, and nothing else is known.
    pub fn medicine_in_words(&self, words: &str) -> Medicine<'_> {
        let mut parts: Vec<Part> =
            self.spoken_of(words).into_iter().map(|ingredient| Part { ingredient, amount: None }).collect();
        if parts.is_empty()
            && let Some(product) = fold(words).split(' ').find_map(|w| self.by_brand.get(w))
        {
            parts = self.medicine_of(&self.products[*product]).parts;
            parts.iter_mut().for_each(|p| p.amount = None);
        }
        let unknown = if parts.is_empty() { vec![words.to_owned()] } else { vec![] };
        Medicine { label: words.to_owned(), parts, unknown, dose: None, per_day: None }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn ages_are_read_and_hold_from_the_day_they_name() {
        let twelve = AgeMark::parse("12y").unwrap();
        assert_eq!((twelve.days, twelve.in_words()), (4383, "12 years".to_owned()));
        assert_eq!(AgeMark::parse("1mo").unwrap().in_words(), "1 month");
        let child = Ages { from: AgeMark::parse("1mo"), until: Some(twelve) };
        assert!([30, 4382].iter().all(|d| child.hold(*d)) && [29, 4383].iter().all(|d| !child.hold(*d)));
        for nonsense in ["", "y", "12", "12w", "99999y"] {
            assert_eq!(AgeMark::parse(nonsense), None, "{nonsense}");
        }
    }
}
