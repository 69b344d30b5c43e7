//! How a child grows beside the reference: lines, points, and what is to be told of them.

use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::consult::growth::{Course, GrowthReference, LINES, Passed, REFERENCE, comparable};
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

/// The growth of a person up to 20 years. Without a birth date or a sex there is no figure: none is guessed.
#[utoipa::path(get, path = "/api/people/{id}/growth", params(("id" = Uuid, Path)), responses((status = 200, body = GrowthView), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<GrowthView> {
    let mut conn = state.store.reader().await?;
    let person = people::get(&mut conn, *id).await?;
    let answer = |charts, missing: Option<&str>| {
        Ok(Json(GrowthView { reference: REFERENCE.into(), charts, missing: missing.map(str::to_owned) }))
    };
    let (birth, sex) = match comparable(person.birth_date, person.sex.map(|s| *s), state.today()) {
        Ok(found) => found,
        Err(missing) => return answer(vec![], Some(missing)),
    };
    let mut rows = chart::measurements_of(&mut conn, person.id).await?;
    rows.retain(|m| m.standing != Standing::Impossible);
    let taken: Vec<(Measure, NaiveDate, f64)> =
        rows.iter().rev().map(|m| (*m.measure, state.local_day(m.taken_at), f64::from(m.tenths) / 10.0)).collect();
    let courses = state.tables.growth.courses(birth, sex, &taken);
    let missing = courses.is_empty().then_some("Nothing was measured yet that the reference knows.");
    answer(courses.into_iter().map(|course| view(&state.tables.growth, sex, course)).collect(), missing)
}

fn view(reference: &GrowthReference, sex: Sex, course: Course) -> GrowthChart {
    let line = |percent: f64| {
        let at = |(months, value)| GrowthAt { months, value };
        reference.line(course.table, sex, percent).into_iter().map(at).collect()
    };
    let point = |p: &Passed| GrowthPoint {
        day: p.day,
        months: p.months,
        value: p.value,
        z: p.at.z,
        percentile: p.at.percentile,
    };
    GrowthChart {
        table: course.table.code().into(),
        title: course.table.label().into(),
        unit: course.table.measure().unit().into(),
        lines: LINES.iter().map(|p| GrowthLine { percent: *p, points: line(*p) }).collect(),
        points: course.points.iter().map(point).collect(),
        told: course.told,
    }
}
