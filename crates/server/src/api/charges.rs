//! Charges of a visit, and the fee schedule.

pub mod again;
pub mod alone;
pub mod catalogue;
pub mod day;
pub mod estimates;
pub mod for_claim;
pub mod price_files;

use super::visit_line::visits::one;
use super::{DONE, Done};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::charges::fee_schedules::Paying;
use harbor_core::charges::level::suggest_level;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::house::permissions::Permission;
use harbor_core::money::Cents;
use harbor_core::schedule::VisitKind;
use harbor_core::visit_line::Mark;
use harbor_store::Conn;
use harbor_store::charges::documented::documented;
use harbor_store::charges::fees::{self, Fees, STANDARD};
use harbor_store::charges::{self as store, NewLine, catalogue as catalogue_store};
use harbor_store::codes;
use harbor_store::consult::runs;
use harbor_store::people::registration::chart_is_open;
use harbor_store::rows::{ChargeCorrection, ChargeLine, Service, VisitDiagnosis};
use harbor_store::visit_line::facts::Gathered;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ServiceView {
    service: Service,
    price_cents: Option<i64>,
    /// What it costs who pays alone.
    alone_cents: Option<i64>,
}

#[utoipa::path(get, path = "/api/services", responses((status = 200, body = Vec<ServiceView>)))]
pub async fn services(state: Data<State>) -> Answer<Vec<ServiceView>> {
    let mut conn = state.store.reader().await?;
    let fees = Fees::on(&mut conn, &[state.today()]).await?;
    let rows = store::services(&mut conn).await?;
    let view = |s: Service| ServiceView {
        price_cents: fees.price(&s.code, Paying::NotKnown, state.today()).map(|p| p.cents),
        alone_cents: fees.price(&s.code, Paying::Themselves, state.today()).map(|p| p.cents),
        service: s,
    };
    Ok(Json(rows.into_iter().map(view).collect()))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct PriceForm {
    price: String,
    /// The fee schedule; left out, the one for everybody.
    #[serde(default)]
    schedule: String,
    /// From which day on, as it is typed; left out, from today.
    #[serde(default)]
    from: String,
}

/// Sets a price from a day on; the first one holds everywhere it was missing.
#[utoipa::path(put, path = "/api/services/{code}/price", params(("code" = String, Path)), request_body = PriceForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn set_price(state: Data<State>, me: Me, code: Path<String>, form: Json<PriceForm>) -> Answer<Done> {
    let price = Cents::parse(&form.price).map_err(|e| Problem::field("price", e.to_string()))?;
    if !price.is_positive() {
        return Err(Problem::field("price", "A price is more than zero."));
    }
    let from = match form.from.trim() {
        "" => state.today(),
        typed => {
            typed_date::parse(typed, state.today(), Sense::Any).map_err(|e| Problem::field("from", e.to_string()))?
        }
    };
    let schedule = if form.schedule.is_empty() { STANDARD } else { &form.schedule };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_price(&code, schedule, price.get(), from).await?;
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
    /// The fee schedule that the price is of.
    schedule: Option<String>,
    /// What the payer allowed for one unit the last time, and when.
    allowed_cents: Option<i64>,
    allowed_on: Option<NaiveDate>,
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
    /// The fee schedules that are asked for the visit, in their order.
    asked: Vec<String>,
    /// Since when and why charges that were completed are open again.
    open_again: Option<ChargeCorrection>,
    /// Corrections that came to an end, the latest first.
    corrected: Vec<ChargeCorrection>,
}

#[utoipa::path(get, path = "/api/visits/{id}/charges", params(("id" = Uuid, Path)), responses((status = 200, body = ChargesView)))]
pub async fn show(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<ChargesView> {
    let mut conn = state.store.reader().await?;
    let g = one(&mut conn, &state, *id).await?;
    let services = store::services(&mut conn).await?;
    let lines = priced_lines(&mut conn, &g, &services).await?;
    let (open_again, corrected) = again::corrections(&mut conn, *id).await?;
    let fees = Fees::on(&mut conn, &[g.visit.day]).await?;
    let asked = fees.asked(fees::paying(&g.visit, g.coverage.as_ref())).into_iter().map(str::to_owned).collect();
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
        asked,
        open_again,
        corrected,
        diagnoses,
        lines,
    }))
}

/// The lines of a visit with their prices, and what its payer allowed for such before.
async fn priced_lines(conn: &mut Conn, g: &Gathered, services: &[Service]) -> Result<Vec<ChargeLineView>, Problem> {
    let rows = store::lines_of(conn, &[g.visit.id]).await?;
    let codes: Vec<String> = rows.iter().map(|l| l.service_code.clone()).collect();
    let allowed = match &g.coverage {
        Some(policy) if !codes.is_empty() => catalogue_store::allowed(conn, policy.payer_id, &codes).await?,
        _ => HashMap::new(),
    };
    let schedules = fees::schedules(conn).await?;
    let view = |(l, (priced, by)): (ChargeLine, (&harbor_core::charges::ChargeLine, &Option<String>))| {
        let service = services.iter().find(|s| s.code == l.service_code);
        let allowed = allowed.get(&l.service_code);
        let named = |code: &String| schedules.iter().find(|s| s.code == *code).map(|s| s.name.clone());
        ChargeLineView {
            service: service.map(|s| s.name.clone()).unwrap_or_default(),
            external_code: service.map(|s| s.external_code.clone()).unwrap_or_default(),
            price_cents: priced.price.map(Cents::get),
            schedule: by.as_ref().and_then(named),
            allowed_cents: allowed.map(|(cents, _)| *cents),
            allowed_on: allowed.map(|(_, day)| *day),
            line: l,
        }
    };
    Ok(rows.into_iter().zip(g.charges.iter().zip(&g.schedules)).map(view).collect())
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
    /// Another price of one unit than the schedule's, as it is typed, with why; both empty for the schedule's.
    #[serde(default)]
    own_price: String,
    #[serde(default)]
    own_price_reason: String,
}

impl LineForm {
    /// Another price than the schedule's, where one is said.
    fn own_price(&self, line: usize, faults: &mut Faults) -> Option<(i64, String)> {
        let why = faults.optional_line("ownPriceReason", "Reason", &self.own_price_reason, 120);
        if self.own_price.trim().is_empty() {
            return None;
        }
        match Cents::parse(&self.own_price) {
            Ok(cents) if cents.is_positive() && !why.is_empty() => Some((cents.get(), why)),
            Ok(cents) if cents.is_positive() => {
                faults.add("ownPriceReason", format!("Line {line}: say why it has another price."));
                None
            }
            Ok(_) => {
                faults.add("ownPrice", format!("Line {line}: a price is more than zero."));
                None
            }
            Err(e) => {
                faults.add("ownPrice", format!("Line {line}: {e}"));
                None
            }
        }
    }
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
            own_price: l.own_price(i + 1, &mut faults),
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
            if *visit.kind != VisitKind::Charge && !change.has_reached(*id, Mark::Signed).await? {
                return Err(Problem::refused("unsigned", "The note is unsigned; the charges are completed after it."));
            }
            let g = one(change.conn(), &state, *id).await?;
            let check = g.claim_check.unwrap_or_default();
            if let Some(fault) = check.stops().next() {
                return Err(Problem::refused("claim-check", fault.sentence.clone()));
            }
            change.complete_charges(&visit, &g.charges, &g.schedules, g.coverage.as_ref()).await?;
            Ok(DONE)
        })
        .await
}
