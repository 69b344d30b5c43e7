//! The chart of a person in ten seconds, beside the record and in the companion.

use super::histories::HistoryView;
use crate::api::orders::results::ToldReport;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::consult::HistoryKind;
use harbor_store::consult::{chart as store, histories, past};
use harbor_store::orders::results;
use harbor_store::rows::{Allergy, ListedProblem, Measurement, Medicine, NoneKnown, Order, Visit};
use harbor_store::visit_line::visits;
use harbor_store::{codes, orders, people};
use serde::Serialize;
use std::cmp::Reverse;
use std::collections::HashSet;
use utoipa::ToSchema;
use uuid::Uuid;

/// So many of the last reports are shown.
const REPORTS: i64 = 5;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChartGlance {
    allergies: Vec<Allergy>,
    medicines: Vec<Medicine>,
    problems: Vec<ListedProblem>,
    none_known: Vec<NoneKnown>,
    /// The newest of each kind.
    measurements: Vec<Measurement>,
    /// Of each kind that was measured more than once, its values in tenths, the oldest first.
    trends: Vec<MeasuredTrend>,
    immunisations: Vec<String>,
    reports: Vec<ToldReport>,
    /// How many of all results nobody has reviewed.
    unseen: i64,
    last_visit: Option<Visit>,
    next_visit: Option<Visit>,
    /// Orders of which nobody has read what came of them.
    open_orders: Vec<Order>,
}

/// The values of one kind over time.
#[derive(Debug, Serialize, ToSchema)]
pub struct MeasuredTrend {
    measure: codes::Measure,
    tenths: Vec<i32>,
}

/// So many values are enough to see where it goes.
const VALUES: usize = 12;

fn trends(newest_first: &[Measurement]) -> Vec<MeasuredTrend> {
    let mut out: Vec<MeasuredTrend> = Vec::new();
    for m in newest_first {
        match out.iter_mut().find(|t| t.measure == m.measure) {
            Some(trend) if trend.tenths.len() < VALUES => trend.tenths.insert(0, m.tenths),
            Some(_) => {}
            None => out.push(MeasuredTrend { measure: m.measure, tenths: vec![m.tenths] }),
        }
    }
    out.retain(|t| t.tenths.len() > 1);
    out
}

/// Allergies, medicines, problems, last measurements and results of a person.
#[utoipa::path(get, path = "/api/people/{id}/chart", params(("id" = Uuid, Path)), responses((status = 200, body = ChartGlance), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<ChartGlance> {
    let mut conn = state.store.reader().await?;
    let person = people::get(&mut conn, *id).await?;
    let mut newest = store::measurements_of(&mut conn, person.id).await?;
    newest.sort_by_key(|m| Reverse(m.taken_at));
    let trends = trends(&newest);
    let told = histories::of_person(&mut conn, person.id).await?;
    let given = told.into_iter().filter(|h| h.kind == HistoryKind::Immunisation);
    let (last, _) = past::seen(&mut conn, person.id, None, 1).await?;
    let mut seen = HashSet::new();
    newest.retain(|m| seen.insert(*m.measure));
    let mut open_orders = orders::of_person(&mut conn, person.id).await?;
    open_orders.retain(|o| o.state.is_open());
    Ok(Json(ChartGlance {
        allergies: store::allergies_of(&mut conn, person.id).await?,
        medicines: store::medicines_of(&mut conn, person.id).await?,
        problems: store::problems_of(&mut conn, person.id).await?,
        none_known: store::none_known_of(&mut conn, person.id).await?,
        measurements: newest,
        trends,
        immunisations: given.map(|h| HistoryView::on(h, state.today()).words().to_owned()).collect(),
        unseen: results::unseen_of(&mut conn, person.id).await?,
        last_visit: last.into_iter().next(),
        next_visit: visits::next_of(&mut conn, &[person.id], state.now()).await?.into_iter().next(),
        reports: results::of_person(&mut conn, person.id, REPORTS).await?.into_iter().map(Into::into).collect(),
        open_orders,
    }))
}
