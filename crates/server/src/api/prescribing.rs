//! Prescribing: finding a medicine, writing with the checks beside it, signing several at once, ending.

pub mod approvals;
pub mod ending;
pub mod facts;
pub mod form;
pub mod of_person;
pub mod overridden;
pub mod papers;
pub mod renewals;
pub mod signing;
pub mod states;
pub mod writing;

use super::Typed;
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Query};
use harbor_core::prescribing::{DoseUnit, Often, Portion, Product};
use harbor_store::codes;
use serde::Serialize;
use utoipa::ToSchema;

/// A product with what is usual for it.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ProductView {
    code: String,
    brand: String,
    ingredients: Vec<String>,
    strength: String,
    form: String,
    /// The ways in that the form allows, the usual one first.
    routes: Vec<String>,
    /// What a dose counts.
    unit: codes::DoseUnit,
    dose: String,
    /// In words, which are read back as they are.
    often: String,
    days: u32,
    /// Of a controlled substance: II to V.
    schedule: Option<&'static str>,
    /// The clinic keeps it itself, or wants it before others of its kind.
    stock: bool,
}

fn product_view(state: &State, p: &Product) -> ProductView {
    ProductView {
        code: p.code.clone(),
        brand: p.brand.clone(),
        ingredients: p.ingredients.clone(),
        strength: p.strength.clone(),
        form: p.form.clone(),
        routes: p.routes.clone(),
        unit: DoseUnit::of(&p.form, &p.strength).into(),
        dose: Portion::of(p.usual_dose).unwrap_or(Portion::ONE).to_string(),
        often: Often::of_per_day(p.usual_per_day).map(|o| o.in_words()).unwrap_or_default(),
        days: p.usual_days,
        schedule: state.rules().schedule(p).map(|s| s.code()),
        stock: p.stock,
    }
}

/// Products for some words, from three letters on: of the same ingredients together, what is prescribed most and
/// what the clinic keeps first, then by form and strength.
#[utoipa::path(get, path = "/api/products", params(Typed), responses((status = 200, body = Vec<ProductView>)))]
pub async fn products(state: Data<State>, me: Me, typed: Query<Typed>) -> Answer<Vec<ProductView>> {
    let products = state.rules().products();
    let used = state.favourites.products(&state.store, me.staff.id, state.today()).await?;
    let liked = |at: usize| products[at].liked(used.get(&products[at].code).copied().unwrap_or(0));
    let found = state.medicines.get().search.find(&typed.q, &liked);
    Ok(Json(found.into_iter().map(|at| product_view(&state, &products[at])).collect()))
}

/// A product of the formulary; one that was withdrawn since it was found is not there any more.
fn product<'s>(state: &'s State, code: &str) -> Result<&'s Product, Problem> {
    let gone = || Problem::field("productCode", "Choose a product of the formulary; this one is not in it.");
    state.rules().product(code).ok_or_else(gone)
}
