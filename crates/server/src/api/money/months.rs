//! The months of the books: their figures, and closing them; the figures of any days.

use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Data, Json, Query};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense, in_words};
use harbor_core::money::Cents;
use harbor_core::money::months::{FiguresBy, MonthSums, month_of, next};
use harbor_formats::csv_files;
use harbor_store::documents::MonthFigures;
use harbor_store::house::staff;
use harbor_store::money::months as store;
use harbor_store::rows::ClosedMonth;
use harbor_store::{Conn, coverage};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::{IntoParams, ToSchema};

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MonthView {
    /// Its first day.
    month: NaiveDate,
    figures: MonthFigures,
    closed: Option<ClosedMonth>,
    /// It is over, and its turn to be closed.
    may_be_closed: bool,
}

/// Each month with entries, the newest first: those that are closed as they were closed, the others as they stand.
#[utoipa::path(get, path = "/api/months", responses((status = 200, body = Vec<MonthView>)))]
pub async fn list(state: Data<State>) -> Answer<Vec<MonthView>> {
    let mut conn = state.store.reader().await?;
    let closed: BTreeMap<NaiveDate, ClosedMonth> =
        store::closed(&mut conn).await?.into_iter().map(|c| (c.month, c)).collect();
    let open_from = closed.keys().next_back().map(|last| next(*last));
    let open = store::figures(&mut conn, open_from, state.zone).await?;
    let turn = open_from.or(open.keys().next().copied());
    let this = month_of(state.today());
    let of_open = |month: NaiveDate, figures: MonthFigures| MonthView {
        month,
        figures,
        closed: None,
        may_be_closed: turn == Some(month) && month < this,
    };
    let mut months: Vec<MonthView> = open.into_iter().map(|(month, sums)| of_open(month, sums.into())).collect();
    // A month without entries has its turn too.
    if let Some(turn) = turn.filter(|turn| *turn < this && months.iter().all(|m| m.month != *turn)) {
        months.push(of_open(turn, MonthFigures::default()));
    }
    months.extend(closed.into_values().map(|c| MonthView {
        month: c.month,
        figures: c.sums.0.clone(),
        closed: Some(c),
        may_be_closed: false,
    }));
    months.sort_by_key(|m| std::cmp::Reverse(m.month));
    Ok(Json(months))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct CloseMonth {
    /// Its first day.
    #[serde(deserialize_with = "crate::asked::day")]
    month: NaiveDate,
}

/// Closes a month: from then on it takes no entries.
#[utoipa::path(post, path = "/api/months", request_body = CloseMonth, responses((status = 200, body = ClosedMonth), (status = 422, body = Problem)))]
pub async fn close(state: Data<State>, me: Me, form: Json<CloseMonth>) -> Answer<ClosedMonth> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            Ok(Json(change.close_month(form.month, state.today(), state.zone).await?))
        })
        .await
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct FiguresAsked {
    /// day, clinician, payer or site.
    by: String,
    /// Days as they are typed; both count.
    from: String,
    to: String,
}

impl FiguresAsked {
    fn read(&self, today: NaiveDate) -> Result<(FiguresBy, NaiveDate, NaiveDate), Problem> {
        let mut faults = Faults::default();
        let by = faults.coded("by", &self.by, "By day, clinician, payer or site.");
        let mut day = |field: &str, typed: &str| {
            typed_date::parse(typed, today, Sense::Any).unwrap_or_else(|why| {
                faults.add(field, why.to_string());
                today
            })
        };
        let (from, to) = (day("from", &self.from), day("to", &self.to));
        if to < from {
            faults.add("to", "It ends before it begins.");
        }
        Ok(faults.none_or((by, from, to))?)
    }
}

#[derive(Debug, Serialize, ToSchema)]
pub struct FiguresRow {
    name: String,
    figures: MonthFigures,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct FiguresView {
    rows: Vec<FiguresRow>,
    total: MonthFigures,
}

async fn figures(
    conn: &mut Conn,
    state: &State,
    (by, from, to): (FiguresBy, NaiveDate, NaiveDate),
) -> Result<FiguresView, Problem> {
    let sums = store::figures_by(conn, by, (from, to), state.zone).await?;
    let named: BTreeMap<String, String> = match by {
        FiguresBy::Day => BTreeMap::new(),
        FiguresBy::Clinician => staff::all(conn).await?.into_iter().map(|s| (s.id.to_string(), s.name)).collect(),
        FiguresBy::Payer => coverage::payers(conn).await?.into_iter().map(|p| (p.id.to_string(), p.name)).collect(),
        FiguresBy::Site => staff::sites(conn).await?.into_iter().map(|s| (s.id.to_string(), s.name)).collect(),
    };
    let nobody = if by == FiguresBy::Payer { "no payer" } else { "no visit" };
    let name = |key: &Option<String>| match key {
        None => nobody.to_owned(),
        Some(key) => named.get(key).cloned().or_else(|| key.parse().ok().map(in_words)).unwrap_or_else(|| key.clone()),
    };
    let mut total = MonthSums::default();
    sums.values().for_each(|s| total.add(s));
    let rows = sums.iter().map(|(key, s)| FiguresRow { name: name(key), figures: (*s).into() }).collect();
    Ok(FiguresView { rows, total: total.into() })
}

/// What the entries of some days came to: charges, payments, what was given up, by day, clinician, payer or site.
#[utoipa::path(get, path = "/api/figures", params(FiguresAsked), responses((status = 200, body = FiguresView), (status = 422, body = Problem)))]
pub async fn figures_of(state: Data<State>, asked: Query<FiguresAsked>) -> Answer<FiguresView> {
    let asked = asked.read(state.today())?;
    Ok(Json(figures(&mut *state.store.reader().await?, &state, asked).await?))
}

/// The same as CSV; the last row is the sum.
#[utoipa::path(get, path = "/api/figures/file", params(FiguresAsked), responses((status = 200, content_type = "text/csv", body = String), (status = 422, body = Problem)))]
pub async fn figures_file(state: Data<State>, asked: Query<FiguresAsked>) -> Result<HttpResponse, Problem> {
    let (by, from, to) = asked.read(state.today())?;
    let view = figures(&mut *state.store.reader().await?, &state, (by, from, to)).await?;
    let heads = [
        "name",
        "charged",
        "from payers",
        "from patients",
        "by contract",
        "given up",
        "taken off",
        "carried over",
        "for no visit",
        "owed more",
    ];
    let line = |name: &str, f: &MonthFigures| -> Vec<String> {
        let sums = [
            f.charged,
            f.from_payers,
            f.from_patients,
            f.written_off,
            f.given_up,
            f.taken_off,
            f.carried_over,
            f.for_no_visit,
            f.owed_more,
        ];
        std::iter::once(name.to_owned()).chain(sums.map(|c| Cents::new(c).to_string())).collect()
    };
    let mut lines: Vec<Vec<String>> = view.rows.iter().map(|r| line(&r.name, &r.figures)).collect();
    lines.push(line("Together", &view.total));
    let content = csv_files::table(&heads.map(str::to_owned), &lines)
        .map_err(|e| Problem::refused("file", format!("The file cannot be written: {e}.")))?;
    Ok(HttpResponse::Ok()
        .content_type("text/csv; charset=utf-8")
        .insert_header(("content-disposition", format!("attachment; filename=\"figures-{from}-{to}.csv\"")))
        .body(content))
}
