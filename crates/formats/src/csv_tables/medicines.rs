//! The tables of prescribing: products, ingredients, and what is checked.

use super::{Row, rows};
use crate::Located;
use harbor_core::prescribing::approvals::{ApprovalAnswerKind, ApprovalQuestion, CoveredUse};
use harbor_core::prescribing::ingredients::{Ingredient, Schedule, Term, Way};
use harbor_core::prescribing::kidney::KidneyMeasure;
use harbor_core::prescribing::leaflets::LeafletRow;
use harbor_core::prescribing::rules::{
    AgeMark, AgeRule, Ages, AllergyGroup, AllergyTerm, CrossReaction, DoseBy, DoseRule, DoubledClass, DurationRule,
    Interaction, KidneyRule, LiverRule, PregnancyRule, ProblemHarm, Tables,
};
use harbor_core::prescribing::{Product, Rules, Severity};
use std::collections::BTreeMap;

impl Row<'_> {
    fn term(&self, column: usize) -> Result<Term, Located> {
        Term::parse(&self.text(column)).ok_or_else(|| self.wrong(column, "an ingredient, an ATC code or a @group"))
    }

    fn number_or_none<T: std::str::FromStr>(&self, column: usize) -> Result<Option<T>, Located> {
        self.optional(column, |t| t.parse().ok(), "a number, or nothing")
    }

    fn ages(&self, column: usize) -> Result<Ages, Located> {
        let mark = |column| self.optional(column, AgeMark::parse, "an age such as 28d, 6mo or 12y, or nothing");
        Ok(Ages { from: mark(column)?, until: mark(column + 1)? })
    }

    /// `none` is a statement of its own; an empty field is a fault.
    fn severity_or_none(&self, column: usize) -> Result<Option<Severity>, Located> {
        if self.text(column) == "none" { Ok(None) } else { self.severity(column).map(Some) }
    }
}

pub fn products(bytes: &[u8]) -> Result<Vec<Product>, Located> {
    let headings =
        ["code", "brand", "ingredients", "atc", "form", "strength", "route", "dose", "per_day", "days", "stock?"];
    rows(bytes, &headings, |r| {
        let routes = r.list(6);
        Ok(Product {
            code: r.text(0),
            brand: r.text(1),
            ingredients: r.list(2),
            atc: r.text(3),
            form: r.text(4),
            strength: r.text(5),
            route: routes.first().cloned().ok_or_else(|| r.wrong(6, "a way in"))?,
            routes,
            usual_dose: r.number(7)?,
            usual_per_day: r.number(8)?,
            usual_days: r.number(9)?,
            stock: r.optional(10, |t| (t == "yes").then_some(()), "yes, or nothing")?.is_some(),
        })
    })
}

pub fn ingredients(bytes: &[u8]) -> Result<Vec<Ingredient>, Located> {
    rows(bytes, &["name", "way", "atc", "also", "groups", "uses", "schedule"], |r| {
        Ok(Ingredient {
            name: r.text(0),
            way: Way::from_code(&r.text(1)).ok_or_else(|| r.wrong(1, "a way such as body or skin"))?,
            atc: r.text(2),
            also: r.list(3),
            groups: r.list(4),
            uses: r.list(5),
            schedule: r.optional(6, Schedule::from_code, "a schedule from II to V, or nothing")?,
        })
    })
}

/// The files of the tables, by name.
pub struct Files<'a> {
    pub ingredients: &'a [u8],
    pub interactions: &'a [u8],
    pub doubled: &'a [u8],
    pub problem_harms: &'a [u8],
    pub pregnancy: &'a [u8],
    pub ages: &'a [u8],
    pub kidney: &'a [u8],
    pub liver: &'a [u8],
    pub doses: &'a [u8],
    pub durations: &'a [u8],
    pub allergy_groups: &'a [u8],
    pub cross_reactions: &'a [u8],
    pub approvals: &'a [u8],
    pub approval_questions: &'a [u8],
    pub leaflets: &'a [u8],
}

macro_rules! shipped {
    ($name:literal) => {
        include_bytes!(concat!("../../../../data/prescribing/", $name))
    };
}

/// The products that ship with the product.
pub const SHIPPED_PRODUCTS: &[u8] = shipped!("products.csv");

/// The tables that ship with the product; a clinic reviews them before it relies on them.
pub const SHIPPED: Files<'static> = Files {
    ingredients: shipped!("ingredients.csv"),
    interactions: shipped!("interactions.csv"),
    doubled: shipped!("doubled.csv"),
    problem_harms: shipped!("problem_harms.csv"),
    pregnancy: shipped!("pregnancy.csv"),
    ages: shipped!("ages.csv"),
    kidney: shipped!("kidney.csv"),
    liver: shipped!("liver.csv"),
    doses: shipped!("doses.csv"),
    durations: shipped!("durations.csv"),
    allergy_groups: shipped!("allergy_groups.csv"),
    cross_reactions: shipped!("cross_reactions.csv"),
    approvals: shipped!("approvals.csv"),
    approval_questions: shipped!("approval_questions.csv"),
    leaflets: shipped!("leaflets.csv"),
};

/// The rules that ship, with their products.
pub fn shipped() -> Result<Rules, Located> {
    rules_of(&BTreeMap::new())
}

/// The files of a set of tables.
pub const NAMES: [&str; 16] = [
    "products.csv",
    "ingredients.csv",
    "interactions.csv",
    "doubled.csv",
    "problem_harms.csv",
    "pregnancy.csv",
    "ages.csv",
    "kidney.csv",
    "liver.csv",
    "doses.csv",
    "durations.csv",
    "allergy_groups.csv",
    "cross_reactions.csv",
    "approvals.csv",
    "approval_questions.csv",
    "leaflets.csv",
];

/// A file of the set that ships; empty where no file has the name.
pub fn shipped_file(name: &str) -> &'static [u8] {
    match name {
        "products.csv" => SHIPPED_PRODUCTS,
        "ingredients.csv" => SHIPPED.ingredients,
        "interactions.csv" => SHIPPED.interactions,
        "doubled.csv" => SHIPPED.doubled,
        "problem_harms.csv" => SHIPPED.problem_harms,
        "pregnancy.csv" => SHIPPED.pregnancy,
        "ages.csv" => SHIPPED.ages,
        "kidney.csv" => SHIPPED.kidney,
        "liver.csv" => SHIPPED.liver,
        "doses.csv" => SHIPPED.doses,
        "durations.csv" => SHIPPED.durations,
        "allergy_groups.csv" => SHIPPED.allergy_groups,
        "cross_reactions.csv" => SHIPPED.cross_reactions,
        "approvals.csv" => SHIPPED.approvals,
        "approval_questions.csv" => SHIPPED.approval_questions,
        "leaflets.csv" => SHIPPED.leaflets,
        _ => &[],
    }
}

/// The rules of a set of files by their names; one that is missing is as it ships.
///
/// # Errors
/// At the file, line and column of the first row that cannot be read; or, under `tables`, the first term that means nothing.
pub fn rules_of(files: &BTreeMap<String, String>) -> Result<Rules, Located> {
    let of = |name: &str| files.get(name).map_or(shipped_file(name), |content| content.as_bytes());
    let read = tables(&Files {
        ingredients: of("ingredients.csv"),
        interactions: of("interactions.csv"),
        doubled: of("doubled.csv"),
        problem_harms: of("problem_harms.csv"),
        pregnancy: of("pregnancy.csv"),
        ages: of("ages.csv"),
        kidney: of("kidney.csv"),
        liver: of("liver.csv"),
        doses: of("doses.csv"),
        durations: of("durations.csv"),
        allergy_groups: of("allergy_groups.csv"),
        cross_reactions: of("cross_reactions.csv"),
        approvals: of("approvals.csv"),
        approval_questions: of("approval_questions.csv"),
        leaflets: of("leaflets.csv"),
    })?;
    let products = products(of("products.csv")).map_err(|e| Located { id: "products.csv".into(), ..e })?;
    Rules::new(read, products).map_err(disagreeing)
}

/// Tables that do not agree with each other.
fn disagreeing(expected: String) -> Located {
    Located { segment: 0, byte: 0, id: "tables".into(), element: None, expected }
}

/// All tables that prescriptions are checked against. A fault names its file beside its line.
pub fn tables(files: &Files) -> Result<Tables, Located> {
    fn of<T>(file: &str, read: Result<T, Located>) -> Result<T, Located> {
        read.map_err(|e| Located { id: file.to_owned(), ..e })
    }
    Ok(Tables {
        ingredients: of("ingredients.csv", ingredients(files.ingredients))?,
        interactions: of("interactions.csv", interactions(files.interactions))?,
        doubled: of("doubled.csv", doubled(files.doubled))?,
        harms: of("problem_harms.csv", problem_harms(files.problem_harms))?,
        pregnancy: of("pregnancy.csv", pregnancy(files.pregnancy))?,
        ages: of("ages.csv", ages(files.ages))?,
        kidney: of("kidney.csv", kidney(files.kidney))?,
        liver: of("liver.csv", liver(files.liver))?,
        doses: of("doses.csv", doses(files.doses))?,
        durations: of("durations.csv", durations(files.durations))?,
        allergy_groups: of("allergy_groups.csv", allergy_groups(files.allergy_groups))?,
        cross_reactions: of("cross_reactions.csv", cross_reactions(files.cross_reactions))?,
        covered_uses: of("approvals.csv", covered_uses(files.approvals))?,
        approval_questions: of("approval_questions.csv", approval_questions(files.approval_questions))?,
        leaflets: of("leaflets.csv", leaflets(files.leaflets))?,
    })
}

fn interactions(bytes: &[u8]) -> Result<Vec<Interaction>, Located> {
    rows(bytes, &["a", "b", "c", "severity", "reason", "instead"], |r| {
        Ok(Interaction {
            a: r.term(0)?,
            b: r.term(1)?,
            c: r.optional(2, Term::parse, "an ingredient, an ATC code or a @group, or nothing")?,
            severity: r.severity(3)?,
            reason: r.text(4),
            instead: r.text(5),
        })
    })
}

fn doubled(bytes: &[u8]) -> Result<Vec<DoubledClass>, Located> {
    rows(bytes, &["class", "severity", "name", "instead"], |r| {
        Ok(DoubledClass { class: r.term(0)?, severity: r.severity(1)?, name: r.text(2), instead: r.text(3) })
    })
}

fn problem_harms(bytes: &[u8]) -> Result<Vec<ProblemHarm>, Located> {
    rows(bytes, &["medicine", "diagnosis", "severity", "reason", "instead"], |r| {
        let (medicine, severity) = (r.term(0)?, r.severity(2)?);
        Ok(ProblemHarm { medicine, diagnosis: r.text(1), severity, reason: r.text(3), instead: r.text(4) })
    })
}

fn pregnancy(bytes: &[u8]) -> Result<Vec<PregnancyRule>, Located> {
    let headings = ["medicine", "pregnancy", "pregnancy_reason", "breastfeeding", "breastfeeding_reason"];
    rows(bytes, &headings, |r| {
        Ok(PregnancyRule {
            medicine: r.term(0)?,
            pregnancy: r.severity_or_none(1)?,
            pregnancy_reason: r.text(2),
            breastfeeding: r.severity_or_none(3)?,
            breastfeeding_reason: r.text(4),
        })
    })
}

fn ages(bytes: &[u8]) -> Result<Vec<AgeRule>, Located> {
    rows(bytes, &["medicine", "from", "until", "severity", "reason", "instead"], |r| {
        let (medicine, ages, severity) = (r.term(0)?, r.ages(1)?, r.severity(3)?);
        Ok(AgeRule { medicine, ages, severity, reason: r.text(4), instead: r.text(5) })
    })
}

fn kidney(bytes: &[u8]) -> Result<Vec<KidneyRule>, Located> {
    let headings = ["medicine", "measure", "below", "action", "most_mg_per_day", "severity", "reason"];
    rows(bytes, &headings, |r| {
        Ok(KidneyRule {
            medicine: r.term(0)?,
            measure: KidneyMeasure::from_code(&r.text(1)).ok_or_else(|| r.wrong(1, "ckd_epi or cockcroft"))?,
            below: r.number(2)?,
            most_mg: most_mg(r, 3)?,
            severity: r.severity(5)?,
            reason: r.text(6),
        })
    })
}

/// `reduce` with the most a day, or `avoid` without.
fn most_mg(r: &Row, action: usize) -> Result<Option<f64>, Located> {
    match (r.text(action).as_str(), r.number_or_none::<f64>(action + 1)?) {
        ("avoid", None) => Ok(None),
        ("reduce", Some(most)) if most > 0.0 => Ok(Some(most)),
        _ => Err(r.wrong(action, "avoid, or reduce with the most a day")),
    }
}

fn liver(bytes: &[u8]) -> Result<Vec<LiverRule>, Located> {
    rows(bytes, &["medicine", "severity", "action", "most_mg_per_day", "reason"], |r| {
        Ok(LiverRule { medicine: r.term(0)?, severity: r.severity(1)?, most_mg: most_mg(r, 2)?, reason: r.text(4) })
    })
}

fn doses(bytes: &[u8]) -> Result<Vec<DoseRule>, Located> {
    let headings = ["medicine", "from", "until", "by", "low", "high", "single", "times", "most"];
    rows(bytes, &headings, |r| {
        let rule = DoseRule {
            medicine: r.term(0)?,
            ages: r.ages(1)?,
            by: DoseBy::from_code(&r.text(3)).ok_or_else(|| r.wrong(3, "mg, mg/kg, units or units/kg"))?,
            low: r.number(4)?,
            high: r.number(5)?,
            single: r.number(6)?,
            times: r.number(7)?,
            most: r.number_or_none(8)?,
        };
        let orderly = rule.low > 0.0 && rule.low <= rule.high && rule.single > 0.0 && rule.times > 0.0;
        if orderly { Ok(rule) } else { Err(r.wrong(4, "more than nothing, and no more than the high one")) }
    })
}

fn durations(bytes: &[u8]) -> Result<Vec<DurationRule>, Located> {
    rows(bytes, &["medicine", "least", "most", "severity", "reason"], |r| {
        let (medicine, severity) = (r.term(0)?, r.severity(3)?);
        let (least, most) = (r.number_or_none(1)?, r.number_or_none(2)?);
        Ok(DurationRule { medicine, least, most, severity, reason: r.text(4) })
    })
}

fn allergy_groups(bytes: &[u8]) -> Result<Vec<AllergyGroup>, Located> {
    rows(bytes, &["group", "words", "members"], |r| {
        let member = |text: &String| Term::parse(text).ok_or_else(|| r.wrong(2, "ingredients, ATC codes or @groups"));
        Ok(AllergyGroup {
            name: r.text(0),
            words: r.list(1),
            members: r.list(2).iter().map(member).collect::<Result<_, _>>()?,
        })
    })
}

fn cross_reactions(bytes: &[u8]) -> Result<Vec<CrossReaction>, Located> {
    rows(bytes, &["allergy", "medicine", "mild", "severe", "reason", "instead"], |r| {
        Ok(CrossReaction {
            allergy: AllergyTerm::parse(&r.text(0)).ok_or_else(|| r.wrong(0, "a term, or =group"))?,
            medicine: r.term(1)?,
            mild: r.severity(2)?,
            severe: r.severity(3)?,
            reason: r.text(4),
            instead: r.text(5),
        })
    })
}

fn covered_uses(bytes: &[u8]) -> Result<Vec<CoveredUse>, Located> {
    rows(bytes, &["payers", "medicine", "use", "codes", "granted_days"], |r| {
        let (payers, codes) = (r.list(0), r.list(3));
        if payers.is_empty() || codes.is_empty() {
            return Err(r.wrong(0, "at least one payer, and one beginning of a diagnosis code"));
        }
        Ok(CoveredUse { payers, medicine: r.term(1)?, name: r.text(2), codes, granted_days: r.number(4)? })
    })
}

fn approval_questions(bytes: &[u8]) -> Result<Vec<ApprovalQuestion>, Located> {
    rows(bytes, &["medicine", "question", "answer"], |r| {
        let answer = ApprovalAnswerKind::from_code(&r.text(2)).ok_or_else(|| r.wrong(2, "yes_no or words"))?;
        Ok(ApprovalQuestion { medicine: r.term(0)?, question: r.text(1), answer })
    })
}

fn leaflets(bytes: &[u8]) -> Result<Vec<LeafletRow>, Located> {
    rows(bytes, &["medicine", "what_for", "how", "watch", "call"], |r| {
        Ok(LeafletRow { medicine: r.term(0)?, what_for: r.text(1), how: r.text(2), watch: r.text(3), call: r.text(4) })
    })
}
