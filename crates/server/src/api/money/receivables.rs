//! Receivables: what is owed, by whom and how old; each figure opens into its visits; all of it as CSV.

use crate::access::shown;
use crate::api::visit_line::views::PersonCard;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Query};
use actix_web::{HttpRequest, HttpResponse};
use chrono::{Duration, NaiveDate};
use harbor_core::fields::Faults;
use harbor_core::money::Cents;
use harbor_core::money::ages::{AgeBounds, Ages};
use harbor_core::money::receivables::{AgedFrom, AgedRow, OwedBy, aged};
use harbor_formats::csv_files;
use harbor_store::house::staff;
use harbor_store::money::open_debts::OpenDebt;
use harbor_store::money::receivables::{self as store, Key, Within};
use harbor_store::money::rules;
use harbor_store::{Conn, coverage, people};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// A screen shows so many rows; the sums are over all, and the file holds all.
const ROWS: usize = 200;
/// So many visits behind a figure.
const VISITS: i64 = 200;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ReceivablesAsked {
    /// payer, guarantor, clinician or site.
    by: String,
    /// service, owed or last_entry.
    from: String,
}

impl ReceivablesAsked {
    fn read(&self) -> Result<(OwedBy, AgedFrom), Problem> {
        let mut faults = Faults::default();
        let by = faults.coded("by", &self.by, "By payer, guarantor, clinician or site.");
        let from = faults.coded("from", &self.from, "From the visit, from when it was owed, or from the last entry.");
        Ok(faults.none_or((by, from))?)
    }
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ReceivableRow {
    /// Of the payer, guarantor, clinician or site; nothing where it is of none.
    id: Option<Uuid>,
    name: String,
    /// Who a guarantor is.
    person: Option<PersonCard>,
    ages_cents: Vec<i64>,
    /// What was paid ahead, below zero.
    ahead_cents: i64,
    cents: i64,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ReceivablesView {
    ages: Vec<String>,
    /// Who owes most first; at most two hundred.
    rows: Vec<ReceivableRow>,
    /// How many there are.
    all: usize,
    /// Over all of them.
    total: ReceivableRow,
}

struct Report {
    bounds: AgeBounds,
    rows: Vec<AgedRow<Key>>,
}

async fn report(conn: &mut Conn, today: NaiveDate, by: OwedBy, from: AgedFrom) -> Result<Report, Problem> {
    let bounds = rules::get(conn).await?.bounds();
    let rows = aged(&store::sums(conn, by, from).await?, today, &bounds);
    Ok(Report { bounds, rows })
}

/// What the rows are called, and the people among them.
async fn named(
    conn: &mut Conn,
    state: &State,
    by: OwedBy,
    rows: &[AgedRow<Key>],
) -> Result<Vec<ReceivableRow>, Problem> {
    let ids = rows.iter().filter_map(|r| r.key);
    let mut cards: HashMap<Uuid, PersonCard> = HashMap::new();
    let names: HashMap<Uuid, String> = match by {
        OwedBy::Payer => coverage::payers(conn).await?.into_iter().map(|p| (p.id, p.name)).collect(),
        OwedBy::Clinician => staff::all(conn).await?.into_iter().map(|s| (s.id, s.name)).collect(),
        OwedBy::Site => staff::sites(conn).await?.into_iter().map(|s| (s.id, s.name)).collect(),
        OwedBy::Guarantor => {
            let found = people::by_id(conn, ids).await?;
            cards = found.iter().map(|(id, p)| (*id, PersonCard::of(p, state.today()))).collect();
            cards.iter().map(|(id, card)| (*id, card.name.clone())).collect()
        }
    };
    let nobody = match by {
        OwedBy::Payer => "payer unknown",
        OwedBy::Guarantor => "guarantor unknown",
        OwedBy::Clinician | OwedBy::Site => "for no visit",
    };
    let name = |key: Key| key.and_then(|id| names.get(&id)).cloned().unwrap_or_else(|| nobody.into());
    Ok(rows.iter().map(|r| row(r, name(r.key), r.key.and_then(|id| cards.remove(&id)))).collect())
}

fn row(r: &AgedRow<Key>, name: String, person: Option<PersonCard>) -> ReceivableRow {
    ReceivableRow {
        id: r.key,
        name,
        person,
        ages_cents: r.ages.0.iter().map(|c| c.get()).collect(),
        ahead_cents: r.ahead.get(),
        cents: r.total().get(),
    }
}

fn total(report: &Report) -> AgedRow<Key> {
    let mut sum = AgedRow { key: None, ages: Ages::none(&report.bounds), ahead: Cents::ZERO };
    for r in &report.rows {
        sum.ages.add(&r.ages);
        sum.ahead += r.ahead;
    }
    sum
}

/// What is open by age: what payers owe by payer, what patients owe by guarantor, or both by clinician or site.
#[utoipa::path(get, path = "/api/receivables", params(ReceivablesAsked), responses((status = 200, body = ReceivablesView), (status = 422, body = Problem)))]
pub async fn show(state: Data<State>, request: HttpRequest, asked: Query<ReceivablesAsked>) -> Answer<ReceivablesView> {
    let (by, from) = asked.read()?;
    let mut conn = state.store.reader().await?;
    let report = report(&mut conn, state.today(), by, from).await?;
    let shown = &report.rows[..report.rows.len().min(ROWS)];
    let rows = named(&mut conn, &state, by, shown).await?;
    shown::listed(&request, "receivables", rows.iter().filter_map(|r| r.person.as_ref().map(|p| p.id)));
    Ok(Json(ReceivablesView {
        ages: report.bounds.in_words(),
        all: report.rows.len(),
        total: row(&total(&report), "Together".into(), None),
        rows,
    }))
}

/// The same report as CSV, every row of it; the last is the sum.
#[utoipa::path(get, path = "/api/receivables/file", params(ReceivablesAsked), responses((status = 200, content_type = "text/csv", body = String), (status = 422, body = Problem)))]
pub async fn export(
    state: Data<State>,
    request: HttpRequest,
    asked: Query<ReceivablesAsked>,
) -> Result<HttpResponse, Problem> {
    let (by, from) = asked.read()?;
    let mut conn = state.store.reader().await?;
    let report = report(&mut conn, state.today(), by, from).await?;
    let mut rows = named(&mut conn, &state, by, &report.rows).await?;
    shown::opened(&request, "receivables", rows.iter().filter_map(|r| r.person.as_ref().map(|p| p.id)));
    rows.push(row(&total(&report), "Together".into(), None));
    let mut heads = vec!["name".to_owned(), "record".to_owned()];
    heads.extend(report.bounds.in_words());
    heads.extend(["paid ahead".to_owned(), "together".to_owned()]);
    let line = |r: &ReceivableRow| {
        let record = r.person.as_ref().map(|p| p.record_number.clone()).unwrap_or_default();
        let sums = r.ages_cents.iter().copied().chain([r.ahead_cents, r.cents]);
        [r.name.clone(), record].into_iter().chain(sums.map(|c| Cents::new(c).to_string())).collect()
    };
    let lines: Vec<Vec<String>> = rows.iter().map(line).collect();
    let content = csv_files::table(&heads, &lines)
        .map_err(|e| Problem::refused("file", format!("The file cannot be written: {e}.")))?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("content-disposition", format!("attachment; filename=\"receivables-{}.csv\"", state.today())))
        .body(content))
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct BehindAsked {
    by: String,
    from: String,
    /// The row; left out: the one of nobody.
    id: Option<Uuid>,
    /// Which of the ages, the youngest is 0; left out: what was paid ahead.
    age: Option<usize>,
}

/// A debt behind a figure.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DebtView {
    visit_id: Option<Uuid>,
    person: Option<PersonCard>,
    /// The day from which it is old.
    day: NaiveDate,
    /// Who owes it, where that is a payer.
    payer: Option<String>,
    cents: i64,
}

/// The visits behind a figure of the report, the oldest first; at most two hundred.
#[utoipa::path(get, path = "/api/receivables/visits", params(BehindAsked), responses((status = 200, body = Vec<DebtView>), (status = 422, body = Problem)))]
pub async fn visits(state: Data<State>, request: HttpRequest, asked: Query<BehindAsked>) -> Answer<Vec<DebtView>> {
    let (by, from) = ReceivablesAsked { by: asked.by.clone(), from: asked.from.clone() }.read()?;
    let mut conn = state.store.reader().await?;
    let bounds = rules::get(&mut conn).await?.bounds();
    let ago = |days: i64| state.today() - Duration::days(days);
    let (after, until) = match asked.age {
        None => (None, None),
        Some(age) if age > bounds.days().len() => return Err(Problem::field("age", "There is no such age.")),
        // Older than the bound before, and not older than its own.
        Some(age) => (
            bounds.days().get(age).map(|to| ago(to + 1)),
            age.checked_sub(1).and_then(|n| bounds.days().get(n)).map(|from| ago(from + 1)),
        ),
    };
    let within = Within { by, from, key: asked.id, after, until, ahead: asked.age.is_none() };
    let debts = store::within(&mut conn, &within, VISITS).await?;
    let persons = people::by_id(&mut conn, debts.iter().filter_map(|d| d.person_id)).await?;
    let payers: HashMap<Uuid, String> =
        coverage::payers(&mut conn).await?.into_iter().map(|p| (p.id, p.name)).collect();
    let day = |d: &OpenDebt| match from {
        AgedFrom::Service => d.service_day,
        AgedFrom::Owed => d.owed_day,
        AgedFrom::LastEntry => d.last_day,
    };
    let view = |d: &OpenDebt| DebtView {
        visit_id: d.visit_id,
        person: d.person_id.and_then(|id| persons.get(&id)).map(|p| PersonCard::of(p, state.today())),
        day: day(d),
        payer: d.payer_id.and_then(|id| payers.get(&id)).cloned(),
        cents: d.cents().get(),
    };
    shown::listed(&request, "receivables", debts.iter().filter_map(|d| d.person_id));
    Ok(Json(debts.iter().map(view).collect()))
}
