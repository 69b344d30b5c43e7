//! Written estimates for whoever has no policy or does not use it (45 CFR 149.610).

mod paper;

use crate::access::Me;
use crate::api::schedule::paper::{pdf, set};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::charges::estimates as core;
use harbor_core::charges::fee_schedules::Paying;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::money::Cents;
use harbor_paper::Sheet;
use harbor_store::charges::estimates::{self as store, NewEstimate};
use harbor_store::charges::fees::Fees;
use harbor_store::charges::services;
use harbor_store::documents::EstimateLine;
use harbor_store::rows::{Visit, WrittenEstimate};
use harbor_store::visit_line::visits;
use harbor_store::{Conn, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A service that may be estimated, at the price of who pays alone.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OfferedService {
    code: String,
    name: String,
    price_cents: Option<i64>,
    /// The visit's type usually brings it.
    usual: bool,
}

/// With what an estimate begins.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct EstimateBegin {
    day: NaiveDate,
    reason: String,
    /// By when it is given without being asked for; nothing where none is due.
    due: Option<NaiveDate>,
    services: Vec<OfferedService>,
}

#[utoipa::path(get, path = "/api/people/{id}/estimates", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<WrittenEstimate>)))]
pub async fn list(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<WrittenEstimate>> {
    Ok(Json(store::of_person(&mut *state.store.reader().await?, *id).await?))
}

/// What the visit's type usually brings, at the prices of who pays alone, and what else there is.
#[utoipa::path(get, path = "/api/visits/{id}/estimate", params(("id" = Uuid, Path)), responses((status = 200, body = EstimateBegin), (status = 404, body = Problem)))]
pub async fn begin(state: Data<State>, id: Path<Uuid>) -> Answer<EstimateBegin> {
    let mut conn = state.store.reader().await?;
    let visit = visits::get(&mut conn, *id).await?;
    let usual = visits::visit_type(&mut conn, visit.visit_type_id).await?.services;
    let booked = visit.placed_at.with_timezone(&state.zone).date_naive();
    Ok(Json(EstimateBegin {
        due: core::due(booked, visit.day),
        services: offered(&mut conn, visit.day, &usual).await?,
        day: visit.day,
        reason: visit.reason,
    }))
}

async fn offered(conn: &mut Conn, day: NaiveDate, usual: &[String]) -> Result<Vec<OfferedService>, Problem> {
    let fees = Fees::on(conn, &[day]).await?;
    let there = services(conn).await?.into_iter().filter(|s| !s.is_out_of_time(day));
    let view = |s: harbor_store::rows::Service| OfferedService {
        price_cents: fees.price(&s.code, Paying::Themselves, day).map(|p| p.cents),
        usual: usual.contains(&s.code),
        code: s.code,
        name: s.name,
    };
    Ok(there.map(view).collect())
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct EstimatedForm {
    /// Of the catalogue.
    code: String,
    /// 1 to 999.
    units: u32,
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct EstimateForm {
    /// The visit that it is for; left out where the patient only asks what it would cost.
    visit_id: Option<Uuid>,
    /// Without a visit: the day as typed; empty where it is not known.
    #[serde(default)]
    day: String,
    /// What the care is, in plain words.
    reason: String,
    /// Codes of the diagnoses as far as they are known, with spaces or commas between.
    #[serde(default)]
    diagnoses: String,
    services: Vec<EstimatedForm>,
}

/// Gives a written estimate: its paper is set and kept.
#[utoipa::path(post, path = "/api/people/{id}/estimates", params(("id" = Uuid, Path)), request_body = EstimateForm, responses((status = 200, body = WrittenEstimate), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn give(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<EstimateForm>) -> Answer<WrittenEstimate> {
    let mut faults = Faults::default();
    let mut conn = state.store.reader().await?;
    let visit = match form.visit_id {
        Some(visit) => Some(visits::get(&mut conn, visit).await?),
        None => None,
    };
    if visit.as_ref().is_some_and(|v| v.person_id != *id) {
        return Err(Problem::field("visitId", "This visit is somebody else's."));
    }
    let day = day_of(&mut faults, &state, visit.as_ref(), &form.day);
    let reason = faults.line("reason", "What it is for", &form.reason, 200);
    let diagnoses = codes(&mut faults, &state, &form.diagnoses);
    let lines = lines_of(&mut conn, &mut faults, &form.services, day.unwrap_or_else(|| state.today())).await?;
    let (lines, total) = faults.none_or(lines)?;
    let person = people::get(&mut conn, *id).await?;
    let estimate = paper::Estimate {
        id: Uuid::now_v7(),
        person: &person,
        visit: visit.as_ref(),
        day,
        reason: &reason,
        diagnoses: &diagnoses,
        lines: &lines,
        total,
    };
    let paper = set(Sheet::Estimate, paper::content(&mut conn, &state, &estimate).await?).await?;
    let id = estimate.id;
    drop(conn);
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let new = NewEstimate {
                id,
                person: person.id,
                visit: form.visit_id,
                day,
                reason,
                lines,
                total_cents: total.get(),
                paper,
            };
            Ok(Json(change.give_estimate(new).await?))
        })
        .await
}

fn day_of(faults: &mut Faults, state: &State, visit: Option<&Visit>, typed: &str) -> Option<NaiveDate> {
    if let Some(visit) = visit {
        return Some(visit.day);
    }
    match typed.trim() {
        "" => None,
        typed => typed_date::parse(typed, state.today(), Sense::Any)
            .map_err(|e| faults.add("day", e.to_string()))
            .ok()
            .filter(|day| {
                let ahead = *day >= state.today();
                if !ahead {
                    faults.add("day", "This day is over; an estimate is for care that is to come.");
                }
                ahead
            }),
    }
}

fn codes(faults: &mut Faults, state: &State, typed: &str) -> Vec<String> {
    let words = typed.split([' ', ',', ';']).filter(|w| !w.is_empty());
    let mut found = Vec::new();
    for word in words {
        match state.tables.diagnoses.resolve(word) {
            Ok(code) => found.push(code.code),
            Err(why) => faults.add("diagnoses", format!("{word}: {why}")),
        }
    }
    found
}

/// The lines with their prices, and what they come to.
async fn lines_of(
    conn: &mut Conn,
    faults: &mut Faults,
    typed: &[EstimatedForm],
    day: NaiveDate,
) -> Result<(Vec<EstimateLine>, Cents), Problem> {
    if typed.len() > 50 {
        faults.add("services", "An estimate holds at most 50 services.");
        return Ok((vec![], Cents::ZERO));
    }
    let fees = Fees::on(conn, &[day]).await?;
    let catalogue = services(conn).await?;
    let mut lines = Vec::with_capacity(typed.len());
    let mut said = Vec::with_capacity(typed.len());
    for t in typed {
        let Some(s) = catalogue.iter().find(|s| s.code == t.code && !s.is_out_of_time(day)) else {
            faults.add("services", "Choose services of the catalogue that are offered on that day.");
            return Ok((vec![], Cents::ZERO));
        };
        let price = fees.price(&s.code, Paying::Themselves, day).map(|p| p.cents);
        said.push(core::EstimatedService { name: &s.name, units: t.units, price: price.map(Cents::new) });
        lines.push(EstimateLine {
            service_code: s.code.clone(),
            name: s.name.clone(),
            external_code: s.external_code.clone(),
            units: t.units,
            price_cents: price.unwrap_or_default(),
        });
    }
    let total = core::total(&said).map_err(|sentence| faults.add("services", sentence)).unwrap_or_default();
    Ok((lines, total))
}

#[utoipa::path(get, path = "/api/people/{id}/estimates/{estimate}/paper", params(("id" = Uuid, Path), ("estimate" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, path: Path<(Uuid, Uuid)>) -> Result<HttpResponse, Problem> {
    let (person, id) = path.into_inner();
    Ok(pdf("estimate", store::paper(&mut *state.store.reader().await?, person, id).await?))
}
