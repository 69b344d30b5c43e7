//! Prescribing with its checks.

pub mod facts;
pub mod states;

use super::orders::{as_sent, open_visit};
use super::{DONE, Done, Typed};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Data, Json, Path, Query};
use harbor_core::consult::Source;
use harbor_core::fields;
use harbor_core::prescribing::{
    Dosing, Finding, Medicine, MedicineState, Prescribed, PrescriptionEvent, PrescriptionState, Product, Severity,
    check as check_all, instructions, may_sign, quantity_of,
};
use harbor_store::consult::chart;
use harbor_store::consult::lists::NewMedicine;
use harbor_store::documents::{Doc, GivenWarning};
use harbor_store::rows::{Prescription, Visit};
use harbor_store::{Change, Conn, prescribing as store};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ProductView {
    code: String,
    brand: String,
    ingredients: Vec<String>,
    strength: String,
    form: String,
    dose: f64,
    per_day: f64,
    days: u32,
}

#[utoipa::path(get, path = "/api/products", params(Typed), responses((status = 200, body = Vec<ProductView>)))]
pub async fn products(state: Data<State>, typed: Query<Typed>) -> Json<Vec<ProductView>> {
    let view = |p: &Product| ProductView {
        code: p.code.clone(),
        brand: p.brand.clone(),
        ingredients: p.ingredients.clone(),
        strength: p.strength.clone(),
        form: p.form.clone(),
        dose: p.usual_dose,
        per_day: p.usual_per_day,
        days: p.usual_days,
    };
    let found = state.tables.medicines.find(&typed.q, &|_| 0);
    Json(found.into_iter().map(|at| view(&state.tables.rules.products()[at])).collect())
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PrescriptionForm {
    product_code: String,
    dose: f64,
    per_day: f64,
    days: u32,
    #[serde(default)]
    as_needed: bool,
    #[serde(default)]
    refills: i32,
    diagnosis: Option<String>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Checked {
    warnings: Vec<GivenWarning>,
    instructions: String,
    quantity: u32,
    needs_override: bool,
}

fn dosing(f: &PrescriptionForm) -> Result<(Dosing, u32), Problem> {
    let d = Dosing { dose: f.dose, per_day: f.per_day, days: f.days, as_needed: f.as_needed };
    let refills = u32::try_from(f.refills).unwrap_or(u32::MAX);
    let quantity = quantity_of(&d, refills).map_err(|(field, sentence)| Problem::field(field, sentence))?;
    Ok((d, quantity))
}

async fn findings(
    conn: &mut Conn,
    state: &State,
    visit: &Visit,
    product: &Product,
    d: &Dosing,
    own: Option<Uuid>,
) -> Result<Vec<Finding>, Problem> {
    let patient = facts::patient(conn, state, visit, own).await?;
    let rules = &state.tables.rules;
    let medicine = Medicine { dose: Some(d.dose), per_day: Some(d.per_day), ..rules.medicine_of(product) };
    Ok(check_all(rules, &Prescribed { medicine, days: Some(d.days) }, &patient))
}

fn view(list: &[Finding]) -> Vec<GivenWarning> {
    list.iter()
        .map(|w| GivenWarning { severity: w.severity.into(), kind: w.kind.code().into(), sentence: w.sentence.clone() })
        .collect()
}

fn product<'s>(state: &'s State, code: &str) -> Result<&'s Product, Problem> {
    state.tables.rules.product(code).ok_or_else(|| Problem::field("productCode", "Choose a product of the formulary."))
}

/// What would be said before signing, while it is being typed.
#[utoipa::path(post, path = "/api/visits/{id}/prescriptions/check", params(("id" = Uuid, Path)), request_body = PrescriptionForm, responses((status = 200, body = Checked), (status = 422, body = Problem)))]
pub async fn check(state: Data<State>, id: Path<Uuid>, form: Json<PrescriptionForm>) -> Answer<Checked> {
    let product = product(&state, &form.product_code)?;
    let (d, quantity) = dosing(&form)?;
    let mut conn = state.store.reader().await?;
    let visit = harbor_store::visit_line::visits::get(&mut conn, *id).await?;
    let found = findings(&mut conn, &state, &visit, product, &d, None).await?;
    Ok(Json(Checked {
        needs_override: found.iter().any(|w| w.severity == Severity::Serious),
        warnings: view(&found),
        instructions: instructions(product, &d, "", ""),
        quantity,
    }))
}

/// How a medicine is to be taken, as it was chosen or typed.
pub struct Wanted<'a> {
    pub dosing: &'a Dosing,
    pub refills: u32,
    /// `in the morning with food`; empty when nothing was said.
    pub when: &'a str,
    pub needed_for: &'a str,
}

/// A prescription that is not sent yet, with the warnings that stand now.
pub async fn draft(
    change: &mut Change<'_>,
    state: &State,
    me: &Me,
    visit: &Visit,
    product: &Product,
    wanted: Wanted<'_>,
    diagnosis: Option<String>,
) -> Result<Prescription, Problem> {
    let Wanted { dosing: d, refills, when, needed_for } = wanted;
    let quantity = quantity_of(d, refills).map_err(|(field, sentence)| Problem::field(field, sentence))?;
    let found = findings(change.conn(), state, visit, product, d, None).await?;
    let row = Prescription {
        id: Uuid::now_v7(),
        visit_id: visit.id,
        person_id: visit.person_id,
        product_code: product.code.clone(),
        medicine: product.name(),
        dose: d.dose,
        per_day: d.per_day,
        days: i32::try_from(d.days).unwrap_or(365),
        as_needed: d.as_needed,
        quantity: i32::try_from(quantity).unwrap_or(i32::MAX),
        refills: i32::try_from(refills).unwrap_or(0),
        instructions: instructions(product, d, when, needed_for),
        diagnosis,
        pharmacy_id: None,
        state: PrescriptionState::Draft.into(),
        warnings: Doc(view(&found)),
        override_reason: String::new(),
        prescribed_at: state.now(),
        prescribed_by: me.staff.name.clone(),
        prescriber_id: me.staff.id,
        sent_at: None,
        sent_document_id: None,
    };
    Ok(change.add_prescription(row).await?)
}

#[utoipa::path(post, path = "/api/visits/{id}/prescriptions", params(("id" = Uuid, Path)), request_body = PrescriptionForm, responses((status = 200, body = Prescription), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PrescriptionForm>) -> Answer<Prescription> {
    let product = product(&state, &form.product_code)?;
    let (d, _) = dosing(&form)?;
    let refills = u32::try_from(form.refills).unwrap_or(0);
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = open_visit(change, *id).await?;
            let wanted = Wanted { dosing: &d, refills, when: "", needed_for: "" };
            let row = draft(change, &state, &me, &visit, product, wanted, form.diagnosis.clone()).await?;
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct DiagnosisForm {
    code: Option<String>,
}

#[utoipa::path(put, path = "/api/prescriptions/{id}/diagnosis", params(("id" = Uuid, Path)), request_body = DiagnosisForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn place(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<DiagnosisForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = store::prescription(change.conn(), *id).await?;
            if row.state == PrescriptionState::Draft {
                open_visit(change, row.visit_id).await?;
                change.place_prescription(*id, form.code.as_deref()).await?;
                return Ok(DONE);
            }
            // Sent, it keeps one; the signed note tells it in an addendum.
            let Some(code) = &form.code else {
                return Err(Problem::field("code", "A prescription that was sent lies under one diagnosis."));
            };
            let visit = change.lock_visit(row.visit_id).await?;
            change.move_sent_prescription(&visit, &row, code).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SendForm {
    pharmacy_id: Uuid,
    #[serde(default)]
    override_reason: String,
}

/// What was handed to the pharmacy, byte for byte.
#[utoipa::path(get, path = "/api/prescriptions/{id}/sent", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/fhir+json", body = String), (status = 404, body = Problem)))]
pub async fn sent(state: Data<State>, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let document = store::prescription(&mut conn, *id).await?.sent_document_id;
    as_sent(&mut conn, document).await
}

/// Signs and sends; the checks run once more, since the chart may have changed meanwhile.
#[utoipa::path(post, path = "/api/prescriptions/{id}/send", params(("id" = Uuid, Path)), request_body = SendForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn send(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<SendForm>) -> Answer<Done> {
    let reason =
        fields::line("Override reason", &form.override_reason, 300).map_err(|s| Problem::field("overrideReason", s))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = store::prescription(change.conn(), *id).await?;
            let visit = open_visit(change, row.visit_id).await?;
            if row.diagnosis.is_none() {
                return Err(Problem::refused(
                    "no-diagnosis",
                    format!("The prescription for {} has no diagnosis.", row.medicine),
                ));
            }
            let product = product(&state, &row.product_code)?;
            let d = Dosing {
                dose: row.dose,
                per_day: row.per_day,
                days: u32::try_from(row.days).unwrap_or(1),
                as_needed: row.as_needed,
            };
            let found = findings(change.conn(), &state, &visit, product, &d, Some(row.id)).await?;
            may_sign(&found, &reason).map_err(|s| Problem::field("overrideReason", s))?;
            change.send_prescription(*id, form.pharmacy_id, &reason).await?;
            let own = format!("prescribed {}", state.today());
            let medicines = chart::medicines_of(change.conn(), row.person_id).await?;
            if !medicines.iter().any(|m| {
                m.product_code.as_deref() == Some(row.product_code.as_str()) && m.state == MedicineState::Taking
            }) {
                let new = NewMedicine {
                    name: &row.medicine,
                    product: Some(&row.product_code),
                    state: MedicineState::Taking,
                    how: &row.instructions,
                    since: &state.today().to_string(),
                    note: &own,
                    source: Source::Here,
                };
                change.add_medicine(row.person_id, &new).await?;
            }
            Ok(DONE)
        })
        .await
}

#[utoipa::path(delete, path = "/api/prescriptions/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn stop(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = store::prescription(change.conn(), *id).await?;
            if row.state == PrescriptionState::Draft {
                open_visit(change, row.visit_id).await?;
            }
            change.prescription_happened(*id, PrescriptionEvent::Stopped).await?;
            Ok(DONE)
        })
        .await
}
