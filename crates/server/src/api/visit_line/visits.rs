//! One visit: who, the line, who pays, what is owed.

use super::views::{RiverView, VisitCard};
use crate::access::Me;
use crate::api::coverage::policies::{CoverageView, views as coverage_views};
use crate::api::coverage::share::{ShareView, share_of};
use crate::api::people::records::Gap;
use crate::api::schedule::booking::reason_and_note;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::fields::Faults;
use harbor_core::house::permissions::Permission;
use harbor_core::visit_line::work_list::next_step;
use harbor_store::codes::{self, Code};
use harbor_store::consult::chart;
use harbor_store::coverage::kept;
use harbor_store::money::accounts;
use harbor_store::people::registration::{Registrations, chart_is_open};
use harbor_store::rows::{Allergy, NoneKnown, Person, Visit};
use harbor_store::visit_line::facts::Gathered;
use harbor_store::visit_line::{facts, visits};
use harbor_store::{Conn, StoreError};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct VisitView {
    card: VisitCard,
    person: Person,
    gaps: Vec<Gap>,
    coverages: Vec<CoverageView>,
    /// When and by whom the patient was told that payment is due at this visit.
    self_pay: Option<SelfPayTold>,
    share: Option<ShareView>,
    river: RiverView,
    /// What the patient owes besides this visit.
    older_cents: i64,
    allergies: Vec<Allergy>,
    none_known: Vec<NoneKnown>,
    /// Somebody else may see the patient instead.
    may_hand_over: bool,
    /// Under restriction, and not open to the one who looks.
    chart_closed: bool,
    /// What the one who looks does next with it.
    next: Option<codes::NextStep>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct SelfPayTold {
    at: DateTime<Utc>,
    by: String,
    /// The patient keeps the visit from the plan and pays for it in full (45 CFR 164.522(a)(1)(vi)).
    kept_from_plan: bool,
}

/// One visit with its facts.
pub async fn one(conn: &mut Conn, state: &State, id: Uuid) -> Result<Gathered, Problem> {
    let visit = visits::get(conn, id).await?;
    let found = facts::gather(conn, vec![visit], state.asked_today()).await?;
    found.into_iter().next().ok_or_else(|| StoreError::NotFound("visit").into())
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AboutForm {
    version: i32,
    reason: String,
    #[serde(default)]
    note: String,
    clinician_id: Uuid,
}

/// Puts right what a visit is about, and who sees the patient who is here.
#[utoipa::path(put, path = "/api/visits/{id}", params(("id" = Uuid, Path)), request_body = AboutForm, responses((status = 200, body = Visit), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn correct_visit(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<AboutForm>) -> Answer<Visit> {
    let mut faults = Faults::default();
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let (reason, note) = reason_and_note(change, &mut faults, &form.reason, &form.note).await?;
            faults.none_or(())?;
            let visit = change.correct_visit(*id, form.version, (&reason, &note), form.clinician_id).await?;
            Ok(Json(visit))
        })
        .await
}

#[utoipa::path(get, path = "/api/visits/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = VisitView), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<VisitView> {
    let mut conn = state.store.reader().await?;
    let g = one(&mut conn, &state, *id).await?;
    let older_cents = accounts::of_person(&mut conn, g.person.id).await?.owed(Some(g.visit.id)).get();
    // Allergies are no secret at the desk's side of the chart; they are shown to whoever may see the chart.
    let chart_closed = !chart_is_open(&mut conn, g.person.id, me.staff.id, state.now()).await?;
    let sees_chart = me.role.may(Permission::SeeChart) && !chart_closed;
    let allergies = if sees_chart { chart::allergies_of(&mut conn, g.person.id).await? } else { vec![] };
    let none_known = if sees_chart { chart::none_known_of(&mut conn, g.person.id).await? } else { vec![] };
    Ok(Json(VisitView {
        card: VisitCard::of(&g, state.today()),
        next: next_step(me.role, &g.line(), g.visit.stage()).map(Code),
        gaps: Registrations::load(&mut conn, &[g.person.id])
            .await?
            .gaps(&g.person, g.visit.day)
            .into_iter()
            .map(Gap::from)
            .collect(),
        coverages: coverage_views(&mut conn, g.person.id, g.visit.day).await?,
        self_pay: match visits::self_pay_told(&mut conn, *id).await? {
            Some(told) => {
                let kept_from_plan = kept::kept(&mut conn, *id).await?.is_some();
                Some(SelfPayTold { at: told.at, by: told.by, kept_from_plan })
            }
            None => None,
        },
        share: share_of(&mut conn, &g).await?,
        older_cents,
        may_hand_over: g.visit.stage().may_hand_over().is_ok(),
        river: g.balances.into(),
        person: g.person,
        allergies,
        none_known,
        chart_closed,
    }))
}
