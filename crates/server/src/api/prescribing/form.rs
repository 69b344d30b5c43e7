//! A prescription as it is typed: its fields, read by the core, and taken up again to be changed.

use super::{ProductView, product, product_view};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields;
use harbor_core::prescribing::typed::{Meant, ReadFor, Typed, TypedStep};
use harbor_core::prescribing::{Dosage, Product};
use harbor_store::prescribing as store;
use harbor_store::rows::Prescription;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A later step of a dosage: a taper, or a slow beginning.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct StepForm {
    dose: String,
    often: String,
    days: String,
}

#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PrescriptionForm {
    pub product_code: String,
    /// As it is typed: `1`, `1/2`, `8 mL`, `250 mg`, `1-2`; for a child `15 mg/kg`, `50 mg/kg/day`.
    dose: String,
    /// `tid`, `every 8 hours`, `morning and bedtime`.
    often: String,
    /// The way in; empty is the usual one of the product.
    #[serde(default)]
    route: String,
    /// `7`, `2 weeks`, `until 12/24`; empty where the quantity says how long.
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
    /// The prescription that this one takes the place of: it ends when this one is signed.
    #[serde(default)]
    pub replaces: Option<Uuid>,
}

const fn yes() -> bool {
    true
}

/// What was typed, as it is meant.
#[derive(Debug, Clone)]
pub struct Wanted {
    pub dosage: Dosage,
    pub route: String,
    pub quantity: u32,
    pub refills: u32,
    /// Empty where they follow from the dosage.
    pub instructions: String,
    pub substitution: bool,
    pub note: String,
    pub diagnosis: Option<String>,
    pub replaces: Option<Uuid>,
}

impl Wanted {
    /// A dosage as it was said, with nothing else.
    pub fn plain(product: &Product, dosage: Dosage, refills: u32, diagnosis: Option<String>) -> Wanted {
        let quantity = dosage.quantity();
        Wanted {
            dosage,
            route: product.route.clone(),
            quantity,
            refills,
            instructions: String::new(),
            substitution: true,
            note: String::new(),
            diagnosis,
            replaces: None,
        }
    }

    /// As the patient reads it: in words of one's own, or as the dosage says it.
    pub fn instructions(&self, product: &Product) -> String {
        if self.instructions.is_empty() { self.in_words(product) } else { self.instructions.clone() }
    }

    pub fn in_words(&self, product: &Product) -> String {
        match product.by_route(&self.route) {
            Some(product) => self.dosage.in_words(&product),
            None => self.dosage.in_words(product),
        }
    }
}

impl PrescriptionForm {
    /// Reads what was typed, for somebody of a weight; each fault stands at its field.
    pub fn read(&self, state: &State, product: &Product, kg: Option<f64>) -> Result<Wanted, Problem> {
        let step = |s: &StepForm| TypedStep { dose: s.dose.clone(), often: s.often.clone(), days: s.days.clone() };
        let typed = Typed {
            dose: self.dose.clone(),
            often: self.often.clone(),
            days: self.days.clone(),
            quantity: self.quantity.clone(),
            then: self.then.iter().map(step).collect(),
            as_needed: self.as_needed,
            needed_for: self.needed_for.clone(),
            most_per_day: self.most_per_day.clone(),
            food: self.food.clone(),
            refills: self.refills.clone(),
        };
        let schedule = state.rules().schedule(product);
        let read = typed.read(ReadFor { product, schedule, kg, today: state.today() });
        let Meant { dosage, quantity, refills } = read.map_err(|(field, sentence)| Problem::field(field, sentence))?;
        let route = if self.route.is_empty() { &product.route } else { &self.route };
        if !product.routes.contains(route) {
            let sentence = format!("{} is given by: {}.", product.name(), product.routes.join(", "));
            return Err(Problem::field("route", sentence));
        }
        let line = |field: &'static str, label: &str, text: &str, most| {
            fields::line(label, text, most).map_err(|s| Problem::field(field, s))
        };
        Ok(Wanted {
            dosage,
            route: route.clone(),
            quantity,
            refills,
            instructions: line("instructions", "Instructions", &self.instructions, 500)?,
            substitution: self.substitution,
            note: line("note", "Note to the pharmacist", &self.note, 300)?,
            diagnosis: self.diagnosis.clone(),
            replaces: self.replaces,
        })
    }

    /// The same in the place of another.
    pub fn instead_of(self, old: Uuid) -> PrescriptionForm {
        PrescriptionForm { replaces: Some(old), ..self }
    }

    /// The fields of what was written. Nothing where its dosage is not known in structure.
    fn of(row: &Prescription, product: &Product) -> Option<PrescriptionForm> {
        let count = |n: i32| u32::try_from(n).unwrap_or(0);
        let dosage = Dosage::read(&row.dosage)?;
        let own_words = row.instructions != row.dosage;
        let typed = Typed::of(&Meant { dosage, quantity: count(row.quantity), refills: count(row.refills) });
        let step = |s: TypedStep| StepForm { dose: s.dose, often: s.often, days: s.days };
        Some(PrescriptionForm {
            product_code: product.code.clone(),
            dose: typed.dose,
            often: typed.often,
            route: if product.routes.contains(&row.route) { row.route.clone() } else { String::new() },
            days: typed.days,
            quantity: typed.quantity,
            then: typed.then.into_iter().map(step).collect(),
            as_needed: typed.as_needed,
            needed_for: typed.needed_for,
            most_per_day: typed.most_per_day,
            food: typed.food,
            refills: typed.refills,
            diagnosis: row.diagnosis.clone(),
            instructions: if own_words { row.instructions.clone() } else { String::new() },
            substitution: row.substitution,
            note: row.note.clone(),
            replaces: row.replaces_id,
        })
    }
}

/// A prescription taken up again: its product, and what stands in the fields.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TakenUp {
    product: ProductView,
    form: PrescriptionForm,
}

#[utoipa::path(get, path = "/api/prescriptions/{id}/fields", params(("id" = Uuid, Path)), responses((status = 200, body = TakenUp), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn taken_up(state: Data<State>, id: Path<Uuid>) -> Answer<TakenUp> {
    let row = store::prescription(&mut *state.store.reader().await?, *id).await?;
    let product = product(&state, &row.product_code)?;
    let form = PrescriptionForm::of(&row, product).ok_or_else(|| {
        Problem::refused("in-words", "It is known in words only; find the medicine and write it anew.")
    })?;
    Ok(Json(TakenUp { product: product_view(&state, product), form }))
}
