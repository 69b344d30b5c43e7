//! The clinic's catalogue in the settings: services, fee schedules, and what is set in them.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use chrono::NaiveDate;
use harbor_core::charges::catalogue as core;
use harbor_core::charges::fee_schedules::{HoldsFor, MOST_RAISE, Raise, STEPS, raise as core_raise};
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::money::Cents;
use harbor_store::charges::catalogue::{self as store, NewPrice};
use harbor_store::charges::fees::{self, Fees};
use harbor_store::coverage;
use harbor_store::rows::{FeeSchedule, PriceChange, Service};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ScheduleView {
    schedule: FeeSchedule,
    payer: Option<String>,
    /// How many services have a price of its own in it today.
    prices: usize,
}

/// A price that one schedule itself has, and the next one that is set.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OwnPrice {
    schedule: String,
    cents: Option<i64>,
    later_cents: Option<i64>,
    later_from: Option<NaiveDate>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CatalogueRow {
    service: Service,
    /// Its fields as they are typed.
    #[schema(value_type = HashMap<String, String>)]
    typed: BTreeMap<&'static str, String>,
    prices: Vec<OwnPrice>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CatalogueView {
    services: Vec<CatalogueRow>,
    schedules: Vec<ScheduleView>,
    /// What was set together lately.
    changes: Vec<PriceChange>,
}

#[utoipa::path(get, path = "/api/catalogue", responses((status = 200, body = CatalogueView)))]
pub async fn show(state: Data<State>) -> Answer<CatalogueView> {
    let mut conn = state.store.reader().await?;
    let today = state.today();
    let fees = Fees::on(&mut conn, &[today]).await?;
    let schedules = fees::schedules(&mut conn).await?;
    let later = store::later_than(&mut conn, today).await?;
    let payers = coverage::payers(&mut conn).await?;
    let rows = harbor_store::charges::services(&mut conn).await?;
    let own = |service: &Service| -> Vec<OwnPrice> {
        let of = |s: &FeeSchedule| {
            let next = later.iter().find(|p| p.service_code == service.code && p.schedule == s.code);
            OwnPrice {
                schedule: s.code.clone(),
                cents: fees.own(&service.code, &s.code, today),
                later_cents: next.map(|p| p.cents),
                later_from: next.map(|p| p.starts_on),
            }
        };
        schedules.iter().map(of).filter(|p| p.cents.is_some() || p.later_cents.is_some()).collect()
    };
    let services: Vec<CatalogueRow> = rows
        .into_iter()
        .map(|service| CatalogueRow { typed: service.in_core().typed(), prices: own(&service), service })
        .collect();
    let views = schedules.iter().map(|s| ScheduleView {
        payer: s.payer_id.and_then(|id| payers.iter().find(|p| p.id == id)).map(|p| p.name.clone()),
        prices: services.iter().flat_map(|r| &r.prices).filter(|p| p.schedule == s.code && p.cents.is_some()).count(),
        schedule: s.clone(),
    });
    Ok(Json(CatalogueView { schedules: views.collect(), services, changes: store::changes(&mut conn).await? }))
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct KeepAsked {
    /// True for a service that is not in the catalogue yet.
    #[serde(default)]
    new: bool,
}

/// Says a service anew, or adds one; its fields as they are typed.
#[utoipa::path(put, path = "/api/catalogue/services/{code}", params(("code" = String, Path), KeepAsked), request_body = HashMap<String, String>, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn keep_service(
    state: Data<State>,
    me: Me,
    code: Path<String>,
    asked: Query<KeepAsked>,
    form: Json<BTreeMap<String, String>>,
) -> Answer<Done> {
    let mut fields = form.into_inner();
    fields.insert("code".into(), code.into_inner());
    let read = core::read(&fields, state.today())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let known = harbor_store::charges::services(change.conn()).await?;
            let there = known.iter().any(|s| s.code == read.code);
            if there && asked.new {
                return Err(Problem::field("code", format!("{} is in the catalogue already.", read.code)));
            }
            if !there && !asked.new {
                return Err(Problem::not_found("service"));
            }
            change.keep_service(&read.into()).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ScheduleForm {
    name: String,
    /// The payer whose visits it is for; nothing only of the schedules for everybody and for who pays for themselves.
    payer_id: Option<Uuid>,
    /// One plan of that payer; empty for all of them.
    #[serde(default)]
    plan: String,
    /// Which schedule is asked where this one has no price; empty: none.
    #[serde(default)]
    falls_back: String,
}

impl ScheduleForm {
    fn schedule(&self, code: String, holds_for: HoldsFor) -> Result<FeeSchedule, Faults> {
        let mut faults = Faults::default();
        let name = faults.line("name", "Name", &self.name, 60);
        let plan = faults.optional_line("plan", "Plan", &self.plan, 60);
        if (holds_for == HoldsFor::Payer) != self.payer_id.is_some() {
            faults.add("payerId", "Say for which payer's visits it is.");
        }
        faults.none_or(FeeSchedule {
            code,
            name,
            holds_for: holds_for.into(),
            payer_id: self.payer_id,
            plan,
            falls_back: Some(self.falls_back.clone()).filter(|c| !c.is_empty()),
        })
    }
}

/// A code for a schedule of this name, of which there is none yet.
fn new_code(name: &str, all: &[FeeSchedule]) -> String {
    let plain: String = name.to_lowercase().chars().map(|c| if c.is_ascii_alphanumeric() { c } else { '-' }).collect();
    let parts: Vec<&str> = plain.split('-').filter(|p| !p.is_empty()).collect();
    let stem: String = parts.join("-").chars().take(30).collect();
    let stem = if stem.is_empty() { "schedule".to_owned() } else { stem };
    let free = |code: &String| !all.iter().any(|s| s.code == *code);
    std::iter::once(stem.clone()).chain((2..).map(|n| format!("{stem}-{n}"))).find(free).unwrap_or(stem)
}

/// Adds a fee schedule for a payer, or for one of its plans.
#[utoipa::path(post, path = "/api/fee-schedules", request_body = ScheduleForm, responses((status = 200, body = FeeSchedule), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn add_schedule(state: Data<State>, me: Me, form: Json<ScheduleForm>) -> Answer<FeeSchedule> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let all = fees::schedules(change.conn()).await?;
            let schedule = form.schedule(new_code(&form.name, &all), HoldsFor::Payer)?;
            let payers = coverage::payers(change.conn()).await?;
            if !payers.iter().any(|p| Some(p.id) == schedule.payer_id) {
                return Err(Problem::not_found("payer"));
            }
            change.keep_schedule(&schedule).await?;
            Ok(Json(schedule))
        })
        .await
}

/// Says a fee schedule anew.
#[utoipa::path(put, path = "/api/fee-schedules/{code}", params(("code" = String, Path)), request_body = ScheduleForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn set_schedule(state: Data<State>, me: Me, code: Path<String>, form: Json<ScheduleForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let all = fees::schedules(change.conn()).await?;
            let old = all.iter().find(|s| s.code == *code).ok_or_else(|| Problem::not_found("fee schedule"))?;
            let schedule = form.schedule(old.code.clone(), *old.holds_for)?;
            let payers = coverage::payers(change.conn()).await?;
            if schedule.payer_id.is_some_and(|id| !payers.iter().any(|p| p.id == id)) {
                return Err(Problem::not_found("payer"));
            }
            change.keep_schedule(&schedule).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RaiseForm {
    /// As it is typed: `3.5` raises by three and a half per cent, `-2` lowers by two.
    percent: String,
    /// From which day on the new prices hold, as it is typed.
    from: String,
    /// To a whole number of so many cents.
    step_cents: i64,
    /// True writes nothing and says what would be.
    check_only: bool,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RaisedRow {
    code: String,
    name: String,
    before_cents: i64,
    /// Nothing where the price stays, with why.
    after_cents: Option<i64>,
    sentence: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RaiseAnswer {
    rows: Vec<RaisedRow>,
    from: NaiveDate,
    /// By this it is taken back; nothing when it was only tried.
    change: Option<Uuid>,
}

/// Hundredths of a per cent, as a percentage is typed.
fn basis_points(typed: &str) -> Result<i32, Problem> {
    let wrong =
        || Problem::field("percent", "A raise is a number from -50 to 50 with at most two digits after the point.");
    let points = Cents::parse(typed.trim().trim_end_matches('%')).map_err(|_| wrong())?.get();
    let points = i32::try_from(points).map_err(|_| wrong())?;
    if points == 0 || points.abs() > MOST_RAISE { Err(wrong()) } else { Ok(points) }
}

/// Raises the prices that a schedule itself has by a percentage from a day on: first it says what would be.
#[utoipa::path(post, path = "/api/fee-schedules/{code}/raise", params(("code" = String, Path)), request_body = RaiseForm, responses((status = 200, body = RaiseAnswer), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn raise(state: Data<State>, me: Me, code: Path<String>, form: Json<RaiseForm>) -> Answer<RaiseAnswer> {
    let points = basis_points(&form.percent)?;
    if !STEPS.contains(&form.step_cents) {
        return Err(Problem::field("stepCents", "Prices are rounded to 1, 5, 25, 50 or 100 cents."));
    }
    let from =
        typed_date::parse(&form.from, state.today(), Sense::Any).map_err(|e| Problem::field("from", e.to_string()))?;
    if from < state.today() {
        return Err(Problem::field("from", "A raise holds from today on, or from a later day."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let schedules = fees::schedules(change.conn()).await?;
            let schedule =
                schedules.iter().find(|s| s.code == *code).ok_or_else(|| Problem::not_found("fee schedule"))?;
            let services = harbor_store::charges::services(change.conn()).await?;
            let day_before = from.pred_opt().unwrap_or(from);
            let fees = Fees::on(change.conn(), &[day_before, from]).await?;
            let (mut rows, mut new) = (vec![], vec![]);
            for service in services {
                let Some(before) = fees.own(&service.code, &schedule.code, day_before) else { continue };
                let then = fees.own(&service.code, &schedule.code, from).map(Cents::new);
                let (after_cents, sentence) = match core_raise(Cents::new(before), then, points, form.step_cents) {
                    Raise::To(after) => (Some(after.get()), ""),
                    Raise::Stays(why) => (None, why),
                };
                new.extend(after_cents.map(|cents| NewPrice {
                    service: service.code.clone(),
                    schedule: schedule.code.clone(),
                    cents,
                    from,
                    until: None,
                }));
                let (code, name) = (service.code, service.name);
                rows.push(RaisedRow { code, name, before_cents: before, after_cents, sentence: sentence.into() });
            }
            if form.check_only || new.is_empty() {
                change.give_up();
                return Ok(Json(RaiseAnswer { rows, from, change: None }));
            }
            let what = format!("{} {}% from {}", schedule.name, form.percent.trim(), typed_date::short(from));
            let id = change.set_prices(&what, &new).await?;
            Ok(Json(RaiseAnswer { rows, from, change: Some(id) }))
        })
        .await
}

/// Takes back what was set together: what stood before stands again.
#[utoipa::path(post, path = "/api/price-changes/{id}/take-back", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn take_back(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.take_prices_back(*id).await?;
            Ok(DONE)
        })
        .await
}
