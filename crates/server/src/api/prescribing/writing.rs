//! Writing a prescription: what was typed is read by the core, and what speaks against it is told while it is typed.

use super::form::{PrescriptionForm, Wanted};
use super::{facts, product};
use crate::access::Me;
use crate::api::orders::{open_visit, problems};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use chrono::{DateTime, NaiveDate, Utc};
use harbor_core::prescribing::{
    DoseUnit, Finding, Medicine, Prescribed, PrescriptionState, Product, Severity, check as check_all,
};
use harbor_store::consult::runs;
use harbor_store::documents::{Doc, GivenWarning};
use harbor_store::prescribing::{self as store, EarlierOverride};
use harbor_store::rows::{Prescription, Visit};
use harbor_store::{Change, Conn, codes};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

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
    let rules = state.rules();
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

/// Where a prescription is written: in a visit, or for a person without one.
pub struct Place {
    person: Uuid,
    visit: Option<Uuid>,
    day: NaiveDate,
}

impl Place {
    pub fn visit(visit: &Visit) -> Place {
        Place { person: visit.person_id, visit: Some(visit.id), day: visit.day }
    }

    pub fn person(person: Uuid, today: NaiveDate) -> Place {
        Place { person, visit: None, day: today }
    }

    fn about(&self, form: &PrescriptionForm, itself: Option<Uuid>) -> facts::About {
        facts::About::new(self.person, self.visit, self.day, form.replaces.into_iter().chain(itself).collect())
    }

    /// The diagnoses that a prescription written here may lie under.
    async fn diagnoses(&self, conn: &mut Conn) -> Result<Vec<String>, Problem> {
        Ok(match self.visit {
            Some(visit) => runs::diagnoses_of(conn, visit).await?.into_iter().map(|d| d.code).collect(),
            None => problems(conn, self.person).await?.into_iter().map(|(code, _)| code).collect(),
        })
    }

    /// What was typed, as it may be kept here: under a diagnosis that is here, in the place of one that stands.
    async fn wanted(
        &self,
        conn: &mut Conn,
        state: &State,
        product: &Product,
        form: &PrescriptionForm,
    ) -> Result<Wanted, Problem> {
        let kg = facts::weight(conn, state, self.person, self.day).await?.map(|w| w.value);
        let wanted = form.read(state, product, kg)?;
        let mut replaced = None;
        if let Some(id) = wanted.replaces {
            let old = store::prescription(conn, id).await?;
            if old.person_id != self.person {
                return Err(Problem::not_found("prescription"));
            }
            may_be_replaced(&old)?;
            replaced = old.diagnosis;
        }
        if let Some(code) = &wanted.diagnosis
            && !self.diagnoses(conn).await?.contains(code)
            && (self.visit.is_some() || replaced.as_ref() != Some(code))
        {
            return Err(Problem::field("diagnosis", "That diagnosis is not there any more."));
        }
        Ok(wanted)
    }
}

/// Refuses what no other prescription may take the place of.
pub fn may_be_replaced(old: &Prescription) -> Result<(), Problem> {
    old.state.may_be_replaced().map_err(|sentence| Problem::refused("not-replaced", sentence))
}

/// What would be said before signing, while it is being typed.
async fn checked(
    conn: &mut Conn,
    state: &State,
    place: &Place,
    form: &PrescriptionForm,
    itself: Option<Uuid>,
) -> Answer<Checked> {
    let product = product(state, &form.product_code)?;
    let kg = facts::weight(conn, state, place.person, place.day).await?.map(|w| w.value);
    let wanted = form.read(state, product, kg)?;
    let about = place.about(form, itself);
    let (dose, per_day) = wanted.dosage.at_most();
    let found = findings(conn, state, &about, product, (dose, per_day, wanted.dosage.days())).await?;
    let by_weight = facts::by_weight(conn, state, &about, product, (dose, per_day)).await?;
    let before = store::overridden_before(conn, place.person).await?;
    Ok(Json(Checked {
        needs_override: found.iter().any(|f| f.severity == Severity::Serious),
        findings: finding_views(given(&found), &before),
        instructions: wanted.instructions(product),
        quantity: wanted.quantity,
        unit: DoseUnit::of(&product.form, &product.strength).into(),
        days: wanted.dosage.days(),
        by_weight,
    }))
}

/// Which prescription is being changed, where the fields are not of a new one.
#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct Itself {
    draft: Option<Uuid>,
}

#[utoipa::path(post, path = "/api/visits/{id}/prescriptions/check", params(("id" = Uuid, Path), Itself), request_body = PrescriptionForm, responses((status = 200, body = Checked), (status = 422, body = Problem)))]
pub async fn check(
    state: Data<State>,
    id: Path<Uuid>,
    itself: Query<Itself>,
    form: Json<PrescriptionForm>,
) -> Answer<Checked> {
    let mut conn = state.store.reader().await?;
    let visit = harbor_store::visit_line::visits::get(&mut conn, *id).await?;
    checked(&mut conn, &state, &Place::visit(&visit), &form, itself.draft).await
}

#[utoipa::path(post, path = "/api/people/{id}/prescriptions/check", params(("id" = Uuid, Path), Itself), request_body = PrescriptionForm, responses((status = 200, body = Checked), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn check_for_person(
    state: Data<State>,
    id: Path<Uuid>,
    itself: Query<Itself>,
    form: Json<PrescriptionForm>,
) -> Answer<Checked> {
    let mut conn = state.store.reader().await?;
    checked(&mut conn, &state, &Place::person(*id, state.today()), &form, itself.draft).await
}

/// A prescription that is not signed yet, with what stands against it now.
pub async fn draft(
    change: &mut Change<'_>,
    state: &State,
    me: &Me,
    place: &Place,
    product: &Product,
    wanted: Wanted,
) -> Result<Prescription, Problem> {
    let row = row(state, me, place, product, wanted);
    let mut rows = [row];
    refresh_drafts(change.conn(), state, &mut rows).await?;
    let [row] = rows;
    Ok(change.add_prescription(row).await?)
}

fn row(state: &State, me: &Me, place: &Place, product: &Product, wanted: Wanted) -> Prescription {
    let (dose, per_day) = wanted.dosage.at_most();
    let count = |n: u32| i32::try_from(n).unwrap_or(i32::MAX);
    Prescription {
        id: Uuid::now_v7(),
        visit_id: place.visit,
        person_id: place.person,
        product_code: product.code.clone(),
        medicine: product.name(),
        dose,
        per_day,
        days: count(wanted.dosage.days()),
        quantity: count(wanted.quantity),
        refills: count(wanted.refills),
        instructions: wanted.instructions(product),
        dosage: wanted.in_words(product),
        diagnosis: wanted.diagnosis,
        pharmacy_id: None,
        state: PrescriptionState::Draft.into(),
        warnings: Doc(vec![]),
        prescribed_at: state.now(),
        prescribed_by: me.staff.name.clone(),
        prescriber_id: me.staff.id,
        sent_at: None,
        sent_document_id: None,
        head_id: None,
        unit: DoseUnit::of(&product.form, &product.strength).into(),
        substitution: wanted.substitution,
        note: wanted.note,
        overrides: Doc(vec![]),
        replaces_id: wanted.replaces,
        renews_id: None,
        route: wanted.route,
    }
}

/// Reads what was typed for a place and keeps it as a draft.
pub async fn draft_typed(
    change: &mut Change<'_>,
    state: &State,
    me: &Me,
    place: &Place,
    form: &PrescriptionForm,
) -> Result<Prescription, Problem> {
    let product = product(state, &form.product_code)?;
    let wanted = place.wanted(change.conn(), state, product, form).await?;
    draft(change, state, me, place, product, wanted).await
}

#[utoipa::path(post, path = "/api/visits/{id}/prescriptions", params(("id" = Uuid, Path)), request_body = PrescriptionForm, responses((status = 200, body = Prescription), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PrescriptionForm>) -> Answer<Prescription> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = open_visit(change, *id).await?;
            Ok(Json(draft_typed(change, &state, &me, &Place::visit(&visit), &form).await?))
        })
        .await
}

/// For a person without a visit, under one of their problems.
#[utoipa::path(post, path = "/api/people/{id}/prescriptions", params(("id" = Uuid, Path)), request_body = PrescriptionForm, responses((status = 200, body = Prescription), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn add_for_person(
    state: Data<State>,
    me: Me,
    id: Path<Uuid>,
    form: Json<PrescriptionForm>,
) -> Answer<Prescription> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let place = Place::person(*id, state.today());
            Ok(Json(draft_typed(change, &state, &me, &place, &form).await?))
        })
        .await
}

/// Writes a draft anew; only who wrote it does.
#[utoipa::path(put, path = "/api/prescriptions/{id}", params(("id" = Uuid, Path)), request_body = PrescriptionForm, responses((status = 200, body = Prescription), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn rewrite(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PrescriptionForm>) -> Answer<Prescription> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let old = store::locked(change.conn(), *id).await?;
            if *old.state != PrescriptionState::Draft {
                return Err(Problem::refused("sent", "This prescription has been signed already."));
            }
            if old.prescriber_id != me.staff.id {
                let sentence = format!("{} wrote this prescription; write your own.", old.prescribed_by);
                return Err(Problem::refused("not-yours", sentence));
            }
            let place = match old.visit_id {
                Some(visit) => Place::visit(&open_visit(change, visit).await?),
                None => Place::person(old.person_id, state.today()),
            };
            let product = product(&state, &form.product_code)?;
            let wanted = place.wanted(change.conn(), &state, product, &form).await?;
            let new = row(&state, &me, &place, product, wanted);
            let mut rows = [Prescription { id: old.id, renews_id: old.renews_id, ..new }];
            refresh_drafts(change.conn(), &state, &mut rows).await?;
            let [row] = rows;
            Ok(Json(change.rewrite_prescription(row).await?))
        })
        .await
}
