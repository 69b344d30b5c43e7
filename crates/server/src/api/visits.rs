//! One visit: who, the line, who pays, what is owed.

use super::coverage::{CoverageView, views as coverage_views};
use super::people::Gap;
use super::share::{ShareView, share_of};
use super::views::{RiverView, VisitCard};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::permissions::Permission;
use harbor_store::facts::{self, Gathered};
use harbor_store::people::registration::{Registrations, chart_is_open};
use harbor_store::rows::{Allergy, NoneKnown, Person};
use harbor_store::{Conn, StoreError, accounts, chart, visits};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct VisitView {
    card: VisitCard,
    person: Person,
    gaps: Vec<Gap>,
    coverages: Vec<CoverageView>,
    share: Option<ShareView>,
    river: RiverView,
    /// What the patient owes besides this visit.
    older_cents: i64,
    allergies: Vec<Allergy>,
    none_known: Vec<NoneKnown>,
    /// Under restriction, and not open to the one who looks.
    chart_closed: bool,
}

/// One visit with its facts.
pub async fn one(conn: &mut Conn, state: &State, id: Uuid) -> Result<Gathered, Problem> {
    let visit = visits::get(conn, id).await?;
    let found = facts::gather(conn, vec![visit], &state.tables.diagnoses).await?;
    found.into_iter().next().ok_or_else(|| StoreError::NotFound("visit").into())
}

#[utoipa::path(get, path = "/api/visits/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = VisitView), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<VisitView> {
    let mut conn = state.store.reader().await?;
    let g = one(&mut conn, &state, *id).await?;
    let account = accounts::of_person(&mut conn, g.person.id).await?;
    let other =
        account.visits().into_iter().filter(|(v, _)| *v != g.visit.id).map(|(_, b)| b.patient_owes.get().max(0));
    let older_cents = other.sum::<i64>() + account.carried().get().max(0);
    // Allergies are no secret at the desk's side of the chart; they are shown to whoever may see the chart.
    let chart_closed = !chart_is_open(&mut conn, g.person.id, me.staff.id, state.now()).await?;
    let sees_chart = me.role.may(Permission::SeeChart) && !chart_closed;
    let allergies = if sees_chart { chart::allergies_of(&mut conn, g.person.id).await? } else { vec![] };
    let none_known = if sees_chart { chart::none_known_of(&mut conn, g.person.id).await? } else { vec![] };
    Ok(Json(VisitView {
        card: VisitCard::of(&g, state.today()),
        gaps: Registrations::load(&mut conn, &[g.person.id])
            .await?
            .gaps(&g.person, g.visit.day)
            .into_iter()
            .map(Gap::from)
            .collect(),
        coverages: coverage_views(&mut conn, g.person.id, g.visit.day).await?,
        share: share_of(&mut conn, &g).await?,
        older_cents,
        river: g.balances.into(),
        person: g.person,
        allergies,
        none_known,
        chart_closed,
    }))
}
