//! How a child grows beside the reference: lines, points, and what is to be told of them.

use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::consult::growth::{BELOW_TWO, GrowthTable, LINES, REFERENCE, crossing, months_between, table_for};
use harbor_core::consult::measurements::{Measure, Standing};
use harbor_core::people::Sex;
use harbor_store::consult::chart;
use harbor_store::people;
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
pub struct GrowthAt {
    months: f64,
    value: f64,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct GrowthLine {
    /// Of a hundred children of this age and sex so many lie below.
    percent: f64,
    points: Vec<GrowthAt>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct GrowthPoint {
    day: NaiveDate,
    months: f64,
    value: f64,
    z: f64,
    percentile: f64,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct GrowthChart {
    table: String,
    title: String,
    unit: String,
    lines: Vec<GrowthLine>,
    /// The oldest first.
    points: Vec<GrowthPoint>,
    /// What is to be told: lines crossed, and how far the reference goes.
    told: Vec<String>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct GrowthView {
    reference: String,
    charts: Vec<GrowthChart>,
    /// Why nothing is shown.
    missing: Option<String>,
}

fn nothing(missing: &str) -> Json<GrowthView> {
    Json(GrowthView { reference: REFERENCE.into(), charts: vec![], missing: Some(missing.into()) })
}

/// The growth of a person up to 20 years. Without a birth date or a sex there is no figure: none is guessed.
#[utoipa::path(get, path = "/api/people/{id}/growth", params(("id" = Uuid, Path)), responses((status = 200, body = GrowthView), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<GrowthView> {
    let mut conn = state.store.reader().await?;
    let person = people::get(&mut conn, *id).await?;
    let Some(birth) = person.birth_date else {
        return Ok(nothing("The birth date is not known, so growth cannot be compared."));
    };
    let Some(sex) = person.sex.map(|s| *s).filter(|s| *s != Sex::Unknown) else {
        return Ok(nothing("The sex is not known, and the reference differs by it."));
    };
    if months_between(birth, state.today()).is_none_or(|m| m > 240.0) {
        return Ok(nothing("The reference ends at 20 years."));
    }
    let zone = state.zone;
    let mut taken = chart::measurements_of(&mut conn, person.id).await?;
    taken.reverse();
    let reference = &state.tables.growth;
    let mut charts: Vec<GrowthChart> = Vec::new();
    for table in GrowthTable::ALL {
        let mut points = Vec::new();
        for m in taken.iter().filter(|m| m.standing != Standing::Impossible) {
            let day = m.taken_at.with_timezone(&zone).date_naive();
            let Some(months) = months_between(birth, day) else { continue };
            if table_for(*m.measure, months) != Some(*table) {
                continue;
            }
            let value = f64::from(m.tenths) / 10.0;
            if let Some(at) = reference.standing(*table, sex, months, value) {
                points.push(GrowthPoint { day, months, value, z: at.z, percentile: at.percentile });
            }
        }
        if points.is_empty() {
            continue;
        }
        let passed: Vec<(NaiveDate, f64)> = points.iter().map(|p| (p.day, p.percentile)).collect();
        let mut told: Vec<String> = crossing(&passed).into_iter().collect();
        if points.iter().any(|p| p.months < 24.0) {
            told.push(BELOW_TWO.into());
        }
        let unit = match table {
            GrowthTable::WeightInfant | GrowthTable::Weight | GrowthTable::WeightForLength => Measure::Weight.unit(),
            GrowthTable::Bmi => Measure::Bmi.unit(),
            _ => Measure::Height.unit(),
        };
        let line = |percent: f64| {
            let at = |(months, value)| GrowthAt { months, value };
            reference.line(*table, sex, percent).into_iter().map(at).collect()
        };
        charts.push(GrowthChart {
            table: table.code().into(),
            title: table.label().into(),
            unit: unit.into(),
            lines: LINES.iter().map(|p| GrowthLine { percent: *p, points: line(*p) }).collect(),
            points,
            told,
        });
    }
    let missing = charts.is_empty().then(|| "Nothing was measured yet that the reference knows.".to_owned());
    Ok(Json(GrowthView { reference: REFERENCE.into(), charts, missing }))
}
