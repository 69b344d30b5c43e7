//! Charges of a visit, and the fee schedule.

pub mod day;
pub mod for_claim;

use super::visit_line::visits::one;
use super::{DONE, Done};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::charges::level::suggest_level;
use harbor_core::fields::Faults;
use harbor_core::house::permissions::Permission;
use harbor_core::money::Cents;
use harbor_core::visit_line::Mark;
use harbor_store::charges::documented::documented;
use harbor_store::charges::{self as store, NewLine};
use harbor_store::codes;
use harbor_store::consult::runs;
use harbor_store::people::registration::chart_is_open;
use harbor_store::rows::{ChargeLine, Service, VisitDiagnosis};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ServiceView {
    service: Service,
    price_cents: Option<i64>,
}

#[utoipa::path(get, path = "/api/services", responses((status = 200, body = Vec<ServiceView>)))]
pub async fn services(state: Data<State>) -> Answer<Vec<ServiceView>> {
    let mut conn = state.store.reader().await?;
    let prices = store::prices_on(&mut conn, state.today()).await?;
    let rows = store::services(&mut conn).await?;
    Ok(Json(rows.into_iter().map(|s| ServiceView { price_cents: prices.get(&s.code).copied(), service: s }).collect()))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct PriceForm {
    price: String,
}

/// Sets a price from today on; it holds everywhere it was missing.
#[utoipa::path(put, path = "/api/services/{code}/price", params(("code" = String, Path)), request_body = PriceForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_price(state: Data<State>, me: Me, code: Path<String>, form: Json<PriceForm>) -> Answer<Done> {
    let price = Cents::parse(&form.price).map_err(|e| Problem::field("price", e.to_string()))?;
    if !price.is_positive() {
        return Err(Problem::field("price", "A price is more than zero."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_price(&code, price.get(), state.today()).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FaultView {
    code: String,
    severity: codes::ClaimSeverity,
    /// Where it is put right.
    place: codes::FixPlace,
    sentence: String,
    line: Option<u32>,
    /// Two codes with a `+` between, which the note may say are unrelated.
    pair: Option<String>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChargeLineView {
    line: ChargeLine,
    service: String,
    external_code: String,
    price_cents: Option<i64>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChargesView {
    lines: Vec<ChargeLineView>,
    diagnoses: Vec<VisitDiagnosis>,
    /// Why the diagnoses are not told to the one who looks; empty when they are.
    diagnoses_withheld: String,
    /// Nothing while neither minutes nor a problem is documented.
    suggested_level: Option<u8>,
    suggested_service: Option<String>,
    reasons: Vec<String>,
    /// What would have to be documented for the next level.
    next_level: Vec<String>,
    /// Nobody of this group and specialty saw the patient within three years.
    new_patient: bool,
    /// The checks that ran, by name.
    checks: Vec<String>,
    faults: Vec<FaultView>,
    /// How it stands, as a sentence.
    said: String,
    /// Nothing stops the claim.
    ready: bool,
    /// A charge line is all that is missing.
    lacks_only_lines: bool,
    total_cents: i64,
    completed: bool,
}

#[utoipa::path(get, path = "/api/visits/{id}/charges", params(("id" = Uuid, Path)), responses((status = 200, body = ChargesView)))]
pub async fn show(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<ChargesView> {
    let mut conn = state.store.reader().await?;
    let g = one(&mut conn, &state, *id).await?;
    let services = store::services(&mut conn).await?;
    let prices = store::prices_on(&mut conn, g.visit.day).await?;
    let lines: Vec<ChargeLineView> = store::lines_of(&mut conn, &[*id])
        .await?
        .into_iter()
        .map(|l| {
            let service = services.iter().find(|s| s.code == l.service_code);
            ChargeLineView {
                service: service.map(|s| s.name.clone()).unwrap_or_default(),
                external_code: service.map(|s| s.external_code.clone()).unwrap_or_default(),
                price_cents: l.price_cents.or_else(|| prices.get(&l.service_code).copied()),
                line: l,
            }
        })
        .collect();
    let diagnoses = runs::diagnoses_of(&mut conn, *id).await?;
    let said = documented(&mut conn, &g.visit, &state.tables.diagnoses).await?;
    let suggestion = said.done.level.unwrap_or_else(|| suggest_level(&said.effort));
    let new_patient = said.effort.new_patient;
    let check = g.claim_check.unwrap_or_default();
    let withheld = if !me.role.may(Permission::SeeChart) {
        "Diagnoses are told to those who may see the chart."
    } else if !chart_is_open(&mut conn, g.person.id, me.staff.id, state.now()).await? {
        "The chart is under restriction: diagnoses are told once it is opened with a reason."
    } else {
        ""
    };
    let sees = withheld.is_empty();
    let diagnoses = if sees { diagnoses } else { vec![] };
    Ok(Json(ChargesView {
        diagnoses_withheld: withheld.into(),
        total_cents: lines.iter().map(|l| l.price_cents.unwrap_or(0) * i64::from(l.line.units)).sum(),
        lacks_only_lines: check.lacks_only_lines(),
        suggested_service: services
            .iter()
            .find(|s| {
                s.level.is_some()
                    && s.level == suggestion.level.map(i16::from)
                    && s.new_patient.is_none_or(|new| new == new_patient)
            })
            .map(|s| s.code.clone()),
        suggested_level: suggestion.level,
        reasons: suggestion.reasons,
        next_level: suggestion.next,
        new_patient,
        said: check.said(),
        ready: check.is_ready(),
        checks: check.checks.iter().map(|c| (*c).to_owned()).collect(),
        faults: check
            .faults
            .into_iter()
            .map(|f| FaultView {
                code: f.code.into(),
                severity: f.severity.into(),
                place: f.place.into(),
                // What is wrong may name a diagnosis; that something is wrong, and where, is told to everybody.
                sentence: f.told(sees).to_owned(),
                pair: f.pair.filter(|_| sees).map(|p| p.to_string()),
                line: f.line,
            })
            .collect(),
        completed: g.facts.marks.has(Mark::Charged),
        diagnoses,
        lines,
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct LineForm {
    /// Of a line that stands there, so that it stays the one that it is.
    id: Option<Uuid>,
    service_code: String,
    #[serde(default)]
    modifiers: Vec<String>,
    units: i32,
    #[serde(default)]
    pointers: Vec<i32>,
}

#[utoipa::path(put, path = "/api/visits/{id}/charges", params(("id" = Uuid, Path)), request_body = Vec<LineForm>, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_lines(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<Vec<LineForm>>) -> Answer<Done> {
    let mut faults = Faults::default();
    if form.len() > 50 {
        faults.add("lines", "A claim holds at most 50 lines.");
    }
    let mut lines = Vec::new();
    for (i, l) in form.iter().enumerate() {
        if !(0..=999).contains(&l.units) {
            faults.add("units", format!("Line {}: units must be 1 to 999.", i + 1));
        }
        if l.pointers.len() > 12 || l.modifiers.len() > 4 {
            faults.add("lines", format!("Line {}: up to four modifiers and four pointers.", i + 1));
        }
        let modifiers =
            l.modifiers.iter().map(|m| faults.optional_line("modifiers", "Modifier", m, 2).to_uppercase()).collect();
        lines.push(NewLine {
            id: l.id,
            service_code: l.service_code.clone(),
            modifiers,
            units: l.units,
            pointers: l.pointers.clone(),
        });
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            let known = store::services(change.conn()).await?;
            if let Some(unknown) = lines.iter().find(|l| !known.iter().any(|s| s.code == l.service_code)) {
                return Err(Problem::field("lines", format!("{} is not in the catalogue.", unknown.service_code)));
            }
            change.set_charge_lines(&visit, &lines).await?;
            Ok(DONE)
        })
        .await
}

/// Looks once more at what was done and documented, and adds the lines that are missing.
#[utoipa::path(post, path = "/api/visits/{id}/charges/by-themselves", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn by_themselves(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            if !change.stand_by_themselves(&visit, &state.tables.diagnoses).await? {
                change.give_up();
            }
            Ok(DONE)
        })
        .await
}

/// Completes the charges: prices are fixed, the ledger is charged, and a claim is made for the payer.
#[utoipa::path(post, path = "/api/visits/{id}/charges/complete", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn complete(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            if change.has_reached(*id, Mark::Charged).await? {
                change.give_up();
                return Ok(DONE);
            }
            if !change.has_reached(*id, Mark::Signed).await? {
                return Err(Problem::refused("unsigned", "The note is unsigned; the charges are completed after it."));
            }
            let g = one(change.conn(), &state, *id).await?;
            let check = g.claim_check.unwrap_or_default();
            if let Some(fault) = check.stops().next() {
                return Err(Problem::refused("claim-check", fault.sentence.clone()));
            }
            change.complete_charges(&visit, &g.charges, g.coverage.as_ref()).await?;
            Ok(DONE)
        })
        .await
}
