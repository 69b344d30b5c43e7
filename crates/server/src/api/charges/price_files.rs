//! Services and prices as files: out as CSV, and in again with a verdict on each line before anything is written.

use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Bytes, Data, Json, Query};
use chrono::NaiveDate;
use harbor_core::charges::catalogue::{self as core, CatalogueEntry};
use harbor_core::charges::fee_schedules::{Compared, DatedPrice, compare};
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::money::Cents;
use harbor_formats::csv_catalogue::{self as csv, PRICE_FIELDS, SERVICE_FIELDS};
use harbor_formats::incoming::Fields;
use harbor_store::charges::catalogue::{self as store, NewPrice};
use harbor_store::charges::fees::{self, STANDARD};
use harbor_store::rows::{FeeSchedule, Price, Service};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct CatalogueFileAsked {
    /// True writes nothing and says what would be.
    #[serde(default)]
    dry_run: bool,
    /// What the file is called.
    #[serde(default)]
    file: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CatalogueVerdict {
    line: u64,
    name: String,
    /// new, changed, same or refused.
    verdict: String,
    sentence: String,
}

#[derive(Debug, Default, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CatalogueFileAnswer {
    rows: Vec<CatalogueVerdict>,
    new: usize,
    changed: usize,
    same: usize,
    refused: usize,
    /// Headings that nobody knows; their columns are left out.
    unknown_headings: Vec<String>,
    dry_run: bool,
    /// By this prices are taken back; nothing for services, and when nothing was set.
    change: Option<Uuid>,
}

impl CatalogueFileAnswer {
    fn tell(&mut self, line: u64, name: &str, verdict: &str, sentence: impl Into<String>) {
        match verdict {
            "new" => self.new += 1,
            "changed" => self.changed += 1,
            "same" => self.same += 1,
            _ => self.refused += 1,
        }
        let (name, verdict, sentence) = (name.to_owned(), verdict.to_owned(), sentence.into());
        self.rows.push(CatalogueVerdict { line, name, verdict, sentence });
    }
}

fn said(faults: Faults) -> String {
    faults.0.into_iter().map(|f| f.sentence).collect::<Vec<_>>().join(" ")
}

fn unreadable(e: impl ToString) -> Problem {
    Problem::refused("unreadable", e.to_string())
}

/// Takes in services: those that are new are added, those that are told otherwise are said anew. None is removed.
#[utoipa::path(post, path = "/api/catalogue/services", params(CatalogueFileAsked), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = CatalogueFileAnswer), (status = 422, body = Problem)))]
pub async fn import_services(
    state: Data<State>,
    me: Me,
    asked: Query<CatalogueFileAsked>,
    body: Bytes,
) -> Answer<CatalogueFileAnswer> {
    let file = csv::read_services(&body).map_err(unreadable)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let known: Vec<CatalogueEntry> =
                harbor_store::charges::services(change.conn()).await?.iter().map(Service::in_core).collect();
            let mut answer =
                CatalogueFileAnswer { unknown_headings: file.unknown, dry_run: asked.dry_run, ..Default::default() };
            let mut seen: Vec<String> = vec![];
            let mut wrote = false;
            for (line, fields) in file.rows {
                let name = fields.get("name").or(fields.get("code")).cloned().unwrap_or_default();
                let read = match core::read(&fields, state.today()) {
                    Ok(read) => read,
                    Err(faults) => {
                        answer.tell(line, &name, "refused", said(faults));
                        continue;
                    }
                };
                if seen.contains(&read.code) {
                    answer.tell(line, &name, "refused", format!("{} stands in the file twice.", read.code));
                    continue;
                }
                seen.push(read.code.clone());
                let before = known.iter().find(|k| k.code == read.code);
                let differs = before.map(|b| read.differences(b)).unwrap_or_default();
                match before {
                    None => answer.tell(line, &name, "new", format!("{} comes into the catalogue.", read.code)),
                    Some(_) if differs.is_empty() => {
                        answer.tell(line, &name, "same", "");
                        continue;
                    }
                    Some(_) => answer.tell(line, &name, "changed", format!("Changed: {}.", differs.join(", "))),
                }
                if !asked.dry_run {
                    change.keep_service(&read.into()).await?;
                    wrote = true;
                }
            }
            if !wrote {
                change.give_up();
            }
            Ok(Json(answer))
        })
        .await
}

/// A price of a file, or what speaks against it.
fn price(fields: &Fields, today: NaiveDate, schedules: &[FeeSchedule]) -> Result<NewPrice, String> {
    let text = |name: &str| fields.get(name).map_or("", String::as_str);
    let wanted = if text("schedule").is_empty() { STANDARD } else { text("schedule") };
    let is = |s: &&FeeSchedule| s.code == wanted || s.name.eq_ignore_ascii_case(wanted);
    let schedule = schedules.iter().find(is).ok_or_else(|| format!("There is no fee schedule called {wanted}."))?;
    let cents = Cents::parse(text("price")).map_err(|e| e.to_string())?;
    if !cents.is_positive() {
        return Err("A price is more than zero.".into());
    }
    let day = |name: &str| match text(name) {
        "" => Ok(None),
        typed => typed_date::parse(typed, today, Sense::Any).map(Some).map_err(|e| e.to_string()),
    };
    let from = day("from")?.unwrap_or(today);
    let until = day("until")?;
    if until.is_some_and(|end| end < from) {
        return Err("It ends before it begins.".into());
    }
    let service = text("service").trim().to_uppercase();
    Ok(NewPrice { service, schedule: schedule.code.clone(), cents: cents.get(), from, until })
}

/// Takes in prices, all under one name by which they can be taken back.
#[utoipa::path(post, path = "/api/catalogue/prices", params(CatalogueFileAsked), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = CatalogueFileAnswer), (status = 422, body = Problem)))]
pub async fn import_prices(
    state: Data<State>,
    me: Me,
    asked: Query<CatalogueFileAsked>,
    body: Bytes,
) -> Answer<CatalogueFileAnswer> {
    let file = csv::read_prices(&body).map_err(unreadable)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let services = harbor_store::charges::services(change.conn()).await?;
            let schedules = fees::schedules(change.conn()).await?;
            let there = store::all_prices(change.conn()).await?;
            let mut answer =
                CatalogueFileAnswer { unknown_headings: file.unknown, dry_run: asked.dry_run, ..Default::default() };
            let mut new: Vec<NewPrice> = vec![];
            for (line, fields) in file.rows {
                let code = fields.get("service").cloned().unwrap_or_default();
                let p = match price(&fields, state.today(), &schedules) {
                    Ok(p) => p,
                    Err(why) => {
                        answer.tell(line, &code, "refused", why);
                        continue;
                    }
                };
                let Some(service) = services.iter().find(|s| s.code == p.service) else {
                    answer.tell(line, &code, "refused", format!("{} is not in the catalogue.", p.service));
                    continue;
                };
                let same_day = |n: &NewPrice| (&n.service, &n.schedule, n.from) == (&p.service, &p.schedule, p.from);
                if new.iter().any(same_day) {
                    answer.tell(line, &service.name, "refused", "It stands in the file twice for that day.");
                    continue;
                }
                let (verdict, sentence) = compared(&p, &there);
                answer.tell(line, &service.name, verdict, sentence);
                if verdict != "same" {
                    new.push(p);
                }
            }
            if asked.dry_run || new.is_empty() {
                change.give_up();
            } else {
                let name = if asked.file.is_empty() { "a file" } else { &asked.file };
                answer.change = Some(change.set_prices(name, &new).await?);
            }
            Ok(Json(answer))
        })
        .await
}

/// What a price would do to those that are there: its verdict, and a sentence.
fn compared(p: &NewPrice, there: &[Price]) -> (&'static str, String) {
    let of_service: Vec<DatedPrice> =
        there.iter().filter(|t| t.service_code == p.service).map(Price::in_core).collect();
    let new = p.in_core();
    let (now, day) = (new.cents, typed_date::short(p.from));
    match compare(&new, &of_service) {
        Compared::New => ("new", format!("{now} from {day}.")),
        Compared::Same => ("same", String::new()),
        Compared::Changed(before) => ("changed", format!("{now} instead of {before} from {day}.")),
    }
}

fn as_file(name: &str, content: Vec<u8>) -> HttpResponse {
    HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("content-disposition", format!("attachment; filename=\"{name}.csv\"")))
        .body(content)
}

/// The catalogue as CSV; what is read back from it is the same.
#[utoipa::path(get, path = "/api/catalogue/services", responses((status = 200, content_type = "text/csv", body = String)))]
pub async fn export_services(state: Data<State>) -> Result<HttpResponse, Problem> {
    let services = harbor_store::charges::services(&mut *state.store.reader().await?).await?;
    let rows: Vec<Fields> = services.iter().map(|s| s.in_core().typed()).collect();
    Ok(as_file("services", csv::write(&SERVICE_FIELDS, &rows).map_err(unreadable)?))
}

/// Every price that holds now or later, as CSV.
#[utoipa::path(get, path = "/api/catalogue/prices", responses((status = 200, content_type = "text/csv", body = String)))]
pub async fn export_prices(state: Data<State>) -> Result<HttpResponse, Problem> {
    let today = state.today();
    let all = store::all_prices(&mut *state.store.reader().await?).await?;
    let day = |d: NaiveDate| d.format("%m/%d/%Y").to_string();
    let row = |p: Price| -> Fields {
        let cells = [
            ("service", p.service_code),
            ("schedule", p.schedule),
            ("price", Cents::new(p.cents).to_string()),
            ("from", day(p.starts_on)),
            ("until", p.ends_on.map(day).unwrap_or_default()),
        ];
        cells.into_iter().filter(|(_, text)| !text.is_empty()).collect()
    };
    let rows: Vec<Fields> = all.into_iter().filter(|p| p.ends_on.is_none_or(|end| end >= today)).map(row).collect();
    Ok(as_file("prices", csv::write(&PRICE_FIELDS, &rows).map_err(unreadable)?))
}
