//! The chart of a person in ten seconds, beside the record and in the companion.

use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::orders::OrderState;
use harbor_store::consult::chart as store;
use harbor_store::rows::{Allergy, LabReport, ListedProblem, Measurement, Medicine, NoneKnown, Order};
use harbor_store::{orders, people};
use serde::Serialize;
use std::cmp::Reverse;
use std::collections::HashSet;
use utoipa::ToSchema;
use uuid::Uuid;

/// So many of the last reports are shown.
const REPORTS: usize = 5;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChartGlance {
    allergies: Vec<Allergy>,
    medicines: Vec<Medicine>,
    problems: Vec<ListedProblem>,
    none_known: Vec<NoneKnown>,
    /// The newest of each kind.
    measurements: Vec<Measurement>,
    reports: Vec<LabReport>,
    /// Orders of which nobody has read what came of them.
    open_orders: Vec<Order>,
}

/// Allergies, medicines, problems, last measurements and results of a person.
#[utoipa::path(get, path = "/api/people/{id}/chart", params(("id" = Uuid, Path)), responses((status = 200, body = ChartGlance), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<ChartGlance> {
    let mut conn = state.store.reader().await?;
    let person = people::get(&mut conn, *id).await?;
    let mut newest = store::measurements_of(&mut conn, person.id).await?;
    newest.sort_by_key(|m| Reverse(m.taken_at));
    let mut seen = HashSet::new();
    newest.retain(|m| seen.insert(*m.measure));
    let mut reports = orders::reports_of_person(&mut conn, person.id).await?;
    reports.sort_by_key(|r| Reverse(r.received_at));
    reports.truncate(REPORTS);
    let mut open_orders = orders::of_person(&mut conn, person.id).await?;
    open_orders.retain(|o| matches!(*o.state, OrderState::Sending | OrderState::Requested | OrderState::Accepted));
    Ok(Json(ChartGlance {
        allergies: store::allergies_of(&mut conn, person.id).await?,
        medicines: store::medicines_of(&mut conn, person.id).await?,
        problems: store::problems_of(&mut conn, person.id).await?,
        none_known: store::none_known_of(&mut conn, person.id).await?,
        measurements: newest,
        reports,
        open_orders,
    }))
}
