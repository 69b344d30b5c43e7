//! All results of a person as a grid: a test a line, a report a column; what was signed stays found for ever.

use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, NaiveDate, Utc};
use harbor_core::consult::quick_line::When;
use harbor_core::orders::grid::{Placed, lines};
use harbor_core::orders::units::shown;
use harbor_core::prescribing::MedicineState;
use harbor_store::consult::chart;
use harbor_store::orders::results::filing::filings_of_person;
use harbor_store::orders::results::{self as store};
use harbor_store::rows::{Medicine, ResultFiling, ResultValue};
use harbor_store::{codes, people};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// A column.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct GridReport {
    id: Uuid,
    name: String,
    number: String,
    status: codes::ReportStatus,
    issued_at: DateTime<Utc>,
    reviewed_at: Option<DateTime<Utc>>,
    reviewed_by: Option<String>,
    comment: String,
    conclusion: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct GridCell {
    /// Its column, from 0.
    report: usize,
    words: String,
    /// In the unit of the line, where it is an exact number.
    number: Option<f64>,
    /// It was reported in another unit: which.
    converted_from: Option<String>,
    flag: Option<codes::Interpretation>,
    outside: bool,
    low: Option<f64>,
    high: Option<f64>,
    note: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct GridLine {
    panel: String,
    name: String,
    unit: String,
    /// The newest first.
    cells: Vec<GridCell>,
}

/// A medicine over the days that it may have been taken.
#[derive(Debug, Serialize, ToSchema)]
pub struct TakenOver {
    id: Uuid,
    name: String,
    state: codes::MedicineState,
    /// Nothing where nobody said since when.
    from: Option<NaiveDate>,
    /// Nothing while it is taken, and where nobody said until when.
    until: Option<NaiveDate>,
}

impl From<Medicine> for TakenOver {
    fn from(m: Medicine) -> TakenOver {
        TakenOver {
            from: When::parse(&m.since).and_then(When::first_day),
            until: When::parse(&m.until).and_then(When::last_day),
            id: m.id,
            name: m.name,
            state: m.state,
        }
    }
}

#[derive(Debug, Serialize, ToSchema)]
pub struct ResultGrid {
    /// The newest first.
    reports: Vec<GridReport>,
    lines: Vec<GridLine>,
    /// What was taken when, for the plot of a line.
    medicines: Vec<TakenOver>,
    /// What was filed here by somebody, and taken away.
    filings: Vec<ResultFiling>,
}

/// More reports than anybody has.
const MOST: i64 = 5000;

#[utoipa::path(get, path = "/api/people/{id}/results", params(("id" = Uuid, Path)), responses((status = 200, body = ResultGrid), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<ResultGrid> {
    let mut conn = state.store.reader().await?;
    let person = people::get(&mut conn, *id).await?;
    let reports = store::of_person(&mut conn, person.id, MOST).await?;
    let newest = reports.len();
    let all: Vec<(usize, &ResultValue)> =
        reports.iter().enumerate().flat_map(|(at, r)| r.values.iter().map(move |v| (at, v))).collect();
    let placed: Vec<Placed> = all
        .iter()
        .map(|(at, v)| Placed {
            report: newest - at,
            panel: &reports[*at].row.name,
            test_key: &v.test_key,
            name: &v.name,
            unit: &v.unit,
            number: v.said().exactly(),
        })
        .collect();
    let cell = |c: &harbor_core::orders::grid::Cell| {
        let (report, v) = all[c.value];
        GridCell {
            report,
            words: v.said().in_words(),
            number: c.number,
            converted_from: c.converted.then(|| shown(&v.unit)),
            flag: v.flag,
            outside: v.is_outside(),
            low: v.low.filter(|_| !c.converted),
            high: v.high.filter(|_| !c.converted),
            note: v.note.clone(),
        }
    };
    let lines = lines(&placed)
        .into_iter()
        .map(|line| GridLine {
            cells: line.cells.iter().map(cell).collect(),
            unit: shown(&line.unit),
            panel: line.panel,
            name: line.name,
        })
        .collect();
    Ok(Json(ResultGrid {
        lines,
        reports: reports
            .iter()
            .map(|r| GridReport {
                id: r.row.id,
                name: r.row.name.clone(),
                number: r.row.number.clone(),
                status: r.row.status,
                issued_at: r.row.issued_at,
                reviewed_at: r.row.reviewed_at,
                reviewed_by: r.row.reviewed_by.clone(),
                comment: r.row.review_comment.clone(),
                conclusion: r.row.conclusion.clone(),
            })
            .collect(),
        medicines: chart::medicines_of(&mut conn, person.id)
            .await?
            .into_iter()
            .filter(|m| m.state != MedicineState::NotTaking)
            .map(Into::into)
            .collect(),
        filings: filings_of_person(&mut conn, person.id).await?,
    }))
}
