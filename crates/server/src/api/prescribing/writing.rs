//! Writing a prescription: what was typed is read by the core, and what speaks against it is told while it is typed.

use super::{facts, product};
use crate::access::Me;
use crate::api::orders::open_visit;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::fields;
use harbor_core::prescribing::controlled::refills_allowed;
use harbor_core::prescribing::dosage::{AsNeeded, Food, MOST_QUANTITY, MOST_REFILLS, Step, amount_typed};
use harbor_core::prescribing::{
    Dosage, DoseUnit, Finding, Medicine, Often, Portion, Prescribed, PrescriptionState, Product, Severity,
    check as check_all,
};
use harbor_store::documents::{Doc, GivenWarning};
use harbor_store::prescribing::EarlierOverride;
use harbor_store::rows::{Prescription, Visit};
use harbor_store::{Change, Conn, codes, prescribing as store};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A later step of a dosage: a taper, or a slow beginning.
#[derive(Debug, Deserialize, ToSchema)]
pub struct StepForm {
    dose: String,
    often: String,
    days: String,
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PrescriptionForm {
    product_code: String,
    /// As it is typed: `1`, `1/2`, `8 mL`, `250 mg`, `1-2`.
    dose: String,
    /// `tid`, `every 8 hours`, `morning and bedtime`.
    often: String,
    /// Empty where the quantity says how long.
    #[serde(default)]
    days: String,
    /// Empty where it follows from dose and days.
    #[serde(default)]
    quantity: String,
    #[serde(default)]
    then: Vec<StepForm>,
    #[serde(default)]
    as_needed: bool,
    #[serde(default)]
    needed_for: String,
    #[serde(default)]
    most_per_day: String,
    /// A code of the list, or empty.
    #[serde(default)]
    food: String,
    #[serde(default)]
    refills: String,
    diagnosis: Option<String>,
    /// Words of one's own instead of those that follow from the dosage.
    #[serde(default)]
    instructions: String,
    /// The pharmacy may hand out the same of another maker.
    #[serde(default = "yes")]
    substitution: bool,
    #[serde(default)]
    note: String,
}

const fn yes() -> bool {
    true
}

/// What was typed, as it is meant.
#[derive(Debug, Clone)]
pub struct Wanted {
    pub dosage: Dosage,
    pub quantity: u32,
    pub refills: u32,
    /// Empty where they follow from the dosage.
    pub instructions: String,
    pub substitution: bool,
    pub note: String,
    pub diagnosis: Option<String>,
}

impl Wanted {
    /// A dosage as it was said, with nothing else.
    pub fn plain(dosage: Dosage, refills: u32, diagnosis: Option<String>) -> Wanted {
        let quantity = dosage.quantity();
        Wanted {
            dosage,
            quantity,
            refills,
            instructions: String::new(),
            substitution: true,
            note: String::new(),
            diagnosis,
        }
    }
}

fn whole(field: &'static str, typed: &str, most: u32) -> Result<u32, Problem> {
    let read = typed.trim().parse::<u32>().ok().filter(|n| *n <= most);
    read.ok_or_else(|| Problem::field(field, format!("Type a whole number up to {most}.")))
}

/// `1`, `1/2`, `1-2`, `1 to 2`.
fn dose(typed: &str, product: &Product) -> Result<(Portion, Option<Portion>), Problem> {
    let fault = |sentence| Problem::field("dose", sentence);
    let parts = typed.split_once(" to ").or_else(|| typed.split_once('-').filter(|(low, _)| !low.trim().is_empty()));
    match parts {
        Some((low, high)) => {
            let amounts = (amount_typed(low, product).map_err(fault)?, amount_typed(high, product).map_err(fault)?);
            Ok((amounts.0, Some(amounts.1)))
        }
        None => Ok((amount_typed(typed, product).map_err(fault)?, None)),
    }
}

fn often(typed: &str) -> Result<Often, Problem> {
    Often::read(typed).ok_or_else(|| {
        Problem::field("often", "Say how often: 3, tid, every 8 hours, morning and bedtime, once a week.")
    })
}

impl PrescriptionForm {
    /// Reads what was typed; each fault stands at its field.
    fn read(&self, state: &State, product: &Product) -> Result<Wanted, Problem> {
        let (amount, up_to) = dose(&self.dose, product)?;
        let how_often = often(&self.often)?;
        let most_days = harbor_core::prescribing::dosage::MOST_DAYS;
        let days = match self.days.trim() {
            "" if how_often == Often::Once => 1,
            "" if !self.quantity.trim().is_empty() && self.then.is_empty() => 1,
            "" => return Err(Problem::field("days", "Say for how many days, or how many to dispense.")),
            typed => whole("days", typed, most_days)?,
        };
        let mut steps = vec![Step { amount, up_to, often: how_often, days }];
        for later in &self.then {
            let (amount, up_to) = dose(&later.dose, product)?;
            steps.push(Step {
                amount,
                up_to,
                often: often(&later.often)?,
                days: whole("days", &later.days, most_days)?,
            });
        }
        let food = match self.food.as_str() {
            "" => None,
            code => Some(Food::from_code(code).ok_or_else(|| Problem::field("food", "Choose one of the list."))?),
        };
        let as_needed = self.as_needed.then(|| self.needed()).transpose()?;
        let dosage = Dosage { steps, as_needed, food };
        let mut dosage = dosage.checked().map_err(|(field, sentence)| Problem::field(field, sentence))?;
        let mut quantity = dosage.quantity();
        if !self.quantity.trim().is_empty() {
            quantity = whole("quantity", &self.quantity, MOST_QUANTITY)?;
            if self.days.trim().is_empty() {
                let too_few = || Problem::field("quantity", "This is less than one dose.");
                dosage = dosage.lasting(quantity).ok_or_else(too_few)?;
            }
        }
        if quantity == 0 {
            return Err(Problem::field("quantity", "Dispense at least one."));
        }
        let refills = if self.refills.trim().is_empty() { 0 } else { whole("refills", &self.refills, MOST_REFILLS)? };
        if let Some(schedule) = state.tables.rules.schedule(product) {
            let lawful = refills_allowed(schedule, refills, dosage.days());
            lawful.map_err(|(field, sentence)| Problem::field(field, sentence))?;
        }
        let line = |field: &'static str, label: &str, text: &str, most| {
            fields::line(label, text, most).map_err(|s| Problem::field(field, s))
        };
        Ok(Wanted {
            dosage,
            quantity,
            refills,
            instructions: line("instructions", "Instructions", &self.instructions, 500)?,
            substitution: self.substitution,
            note: line("note", "Note to the pharmacist", &self.note, 300)?,
            diagnosis: self.diagnosis.clone(),
        })
    }

    fn needed(&self) -> Result<AsNeeded, Problem> {
        let reason = fields::line("What it is needed for", &self.needed_for, 60)
            .map_err(|s| Problem::field("neededFor", s))?
            .replace(',', " and");
        let most_per_day = match self.most_per_day.trim() {
            "" => None,
            typed => {
                let read = Portion::read_start(&typed.to_lowercase()).map(|(p, _)| p).filter(|p| *p > Portion::NONE);
                Some(read.ok_or_else(|| Problem::field("mostPerDay", "Say how many a day at most."))?)
            }
        };
        Ok(AsNeeded { reason, most_per_day })
    }
}

/// A finding that was overridden for this person before: it is told quieter, never hidden.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Before {
    reason: String,
    by: String,
    at: DateTime<Utc>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FindingView {
    severity: codes::Severity,
    kind: String,
    sentence: String,
    about: String,
    before: Option<Before>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Checked {
    findings: Vec<FindingView>,
    instructions: String,
    quantity: u32,
    unit: codes::DoseUnit,
    days: u32,
    /// Of a child: what the dose comes to by weight, with the weight and its age.
    by_weight: Option<String>,
    needs_override: bool,
}

/// What stands against a prescription now.
pub async fn findings(
    conn: &mut Conn,
    state: &State,
    about: &facts::About,
    product: &Product,
    dosage: (f64, f64, u32),
) -> Result<Vec<Finding>, Problem> {
    let patient = facts::patient(conn, state, about, product).await?;
    let rules = &state.tables.rules;
    let (dose, per_day, days) = dosage;
    let medicine = Medicine { dose: Some(dose), per_day: Some(per_day), ..rules.medicine_of(product) };
    Ok(check_all(rules, &Prescribed { medicine, days: Some(days) }, &patient))
}

pub fn given(list: &[Finding]) -> Vec<GivenWarning> {
    let one = |f: &Finding| GivenWarning {
        severity: f.severity.into(),
        kind: f.kind.code().into(),
        sentence: f.sentence.clone(),
        about: f.about.clone(),
    };
    list.iter().map(one).collect()
}

/// What stands against drafts now: the chart may have changed since they were written, and who signs answers to today.
pub async fn refresh_drafts(conn: &mut Conn, state: &State, rows: &mut [Prescription]) -> Result<(), Problem> {
    for row in rows.iter_mut().filter(|row| *row.state == PrescriptionState::Draft) {
        // One whose product was withdrawn keeps what was said; signing refuses it.
        let Ok(product) = product(state, &row.product_code) else { continue };
        let about = facts::About::prescription(row, state.today());
        let days = u32::try_from(row.days).unwrap_or(1);
        let found = findings(conn, state, &about, product, (row.dose, row.per_day, days)).await?;
        row.warnings = Doc(given(&found));
    }
    Ok(())
}

pub fn finding_views(found: Vec<GivenWarning>, before: &[EarlierOverride]) -> Vec<FindingView> {
    let one = |f: GivenWarning| {
        let earlier = before.iter().find(|b| b.about == f.about && !b.about.is_empty());
        let before = earlier.map(|b| Before { reason: b.reason.clone(), by: b.by.clone(), at: b.at });
        FindingView { severity: f.severity, kind: f.kind, sentence: f.sentence, about: f.about, before }
    };
    found.into_iter().map(one).collect()
}

/// What would be said before signing, while it is being typed.
#[utoipa::path(post, path = "/api/visits/{id}/prescriptions/check", params(("id" = Uuid, Path)), request_body = PrescriptionForm, responses((status = 200, body = Checked), (status = 422, body = Problem)))]
pub async fn check(state: Data<State>, id: Path<Uuid>, form: Json<PrescriptionForm>) -> Answer<Checked> {
    let product = product(&state, &form.product_code)?;
    let wanted = form.read(&state, product)?;
    let mut conn = state.store.reader().await?;
    let visit = harbor_store::visit_line::visits::get(&mut conn, *id).await?;
    let about = facts::About::visit(&visit);
    let (dose, per_day) = wanted.dosage.at_most();
    let found = findings(&mut conn, &state, &about, product, (dose, per_day, wanted.dosage.days())).await?;
    let by_weight = facts::by_weight(&mut conn, &state, &about, product, (dose, per_day)).await?;
    let before = store::overridden_before(&mut conn, visit.person_id).await?;
    Ok(Json(Checked {
        needs_override: found.iter().any(|f| f.severity == Severity::Serious),
        findings: finding_views(given(&found), &before),
        instructions: instructions(&wanted, product),
        quantity: wanted.quantity,
        unit: DoseUnit::of(&product.form, &product.strength).into(),
        days: wanted.dosage.days(),
        by_weight,
    }))
}

fn instructions(wanted: &Wanted, product: &Product) -> String {
    if wanted.instructions.is_empty() { wanted.dosage.in_words(product) } else { wanted.instructions.clone() }
}

/// A prescription that is not signed yet, with what stands against it now.
pub async fn draft(
    change: &mut Change<'_>,
    state: &State,
    me: &Me,
    visit: &Visit,
    product: &Product,
    wanted: Wanted,
) -> Result<Prescription, Problem> {
    let about = facts::About::visit(visit);
    let (dose, per_day) = wanted.dosage.at_most();
    let found = findings(change.conn(), state, &about, product, (dose, per_day, wanted.dosage.days())).await?;
    let row = row(state, me, (visit.person_id, Some(visit.id)), product, wanted, &found);
    Ok(change.add_prescription(row).await?)
}

pub fn row(
    state: &State,
    me: &Me,
    whose: (Uuid, Option<Uuid>),
    product: &Product,
    wanted: Wanted,
    found: &[Finding],
) -> Prescription {
    let (dose, per_day) = wanted.dosage.at_most();
    let count = |n: u32| i32::try_from(n).unwrap_or(i32::MAX);
    Prescription {
        id: Uuid::now_v7(),
        visit_id: whose.1,
        person_id: whose.0,
        product_code: product.code.clone(),
        medicine: product.name(),
        dose,
        per_day,
        days: count(wanted.dosage.days()),
        quantity: count(wanted.quantity),
        refills: count(wanted.refills),
        instructions: instructions(&wanted, product),
        diagnosis: wanted.diagnosis,
        pharmacy_id: None,
        state: PrescriptionState::Draft.into(),
        warnings: Doc(given(found)),
        prescribed_at: state.now(),
        prescribed_by: me.staff.name.clone(),
        prescriber_id: me.staff.id,
        sent_at: None,
        sent_document_id: None,
        head_id: None,
        dosage: wanted.dosage.in_words(product),
        unit: DoseUnit::of(&product.form, &product.strength).into(),
        substitution: wanted.substitution,
        note: wanted.note,
        overrides: Doc(vec![]),
        replaces_id: None,
        renews_id: None,
    }
}

#[utoipa::path(post, path = "/api/visits/{id}/prescriptions", params(("id" = Uuid, Path)), request_body = PrescriptionForm, responses((status = 200, body = Prescription), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PrescriptionForm>) -> Answer<Prescription> {
    let product = product(&state, &form.product_code)?;
    let wanted = form.read(&state, product)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = open_visit(change, *id).await?;
            Ok(Json(draft(change, &state, &me, &visit, product, wanted).await?))
        })
        .await
}
