//! Results of an uncertain person: whom they may be about, filed by somebody who compared both, and taken away again.

use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields;
use harbor_core::orders::search::ordered_as;
use harbor_store::orders::results;
use harbor_store::orders::results::filing::{self as store, Asker};
use harbor_store::people::registration::closed_charts;
use harbor_store::rows::Order;
use harbor_store::{orders, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Somebody whom a result may be about.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CandidateView {
    person: PersonCard,
    /// How much speaks for them, 0 to 100.
    score: u8,
    for_it: Vec<String>,
    against_it: Vec<String>,
    /// Their orders that wait for these very tests.
    orders: Vec<Order>,
    /// Their chart is under restriction: it is opened before anything is filed there.
    closed: bool,
}

/// So many are offered; more are found by searching.
const OFFERED: usize = 6;

/// Whom a result may be about, the likeliest first, with what speaks for and against each.
#[utoipa::path(get, path = "/api/results/{id}/candidates", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<CandidateView>), (status = 404, body = Problem)))]
pub async fn candidates(
    state: Data<State>,
    me: Me,
    id: Path<Uuid>,
    request: HttpRequest,
) -> Answer<Vec<CandidateView>> {
    let mut conn = state.store.reader().await?;
    let row = results::report(&mut conn, *id).await?;
    let report = results::with_values(&mut conn, vec![row]).await?.pop().ok_or_else(|| Problem::not_found("result"))?;
    let tests: Vec<String> = report.values.iter().map(|v| v.loinc.clone()).filter(|loinc| !loinc.is_empty()).collect();
    let tests = ordered_as(&state.tables.orderables, &tests);
    let asker = Asker { staff: me.staff.id, now: state.now() };
    let found = store::candidates(&mut conn, &(&report.row.subject.0).into(), &tests, asker, OFFERED).await?;
    shown::listed(&request, "candidates of a result", found.iter().map(|c| c.person.id));
    let view = |c: store::Ranked| CandidateView {
        score: c.judged.score,
        for_it: c.judged.for_it,
        against_it: c.judged.against_it,
        orders: c.orders,
        person: PersonCard::of(&c.person, state.today()),
        closed: c.closed,
    };
    Ok(Json(found.into_iter().map(view).collect()))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MatchForm {
    person_id: Uuid,
    /// The order of theirs that it answers, if it answers one.
    #[serde(default)]
    order_id: Option<Uuid>,
    /// What told that it is theirs; what spoke for them stands there otherwise.
    #[serde(default)]
    reason: String,
}

/// Files a result under a person, and answers their order with it.
#[utoipa::path(post, path = "/api/results/{id}/match", params(("id" = Uuid, Path)), request_body = MatchForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn match_to_person(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<MatchForm>) -> Answer<Done> {
    let reason = fields::line("Reason", &form.reason, 300).map_err(|s| Problem::field("reason", s))?;
    let reason = if reason.is_empty() { "compared and chosen".to_owned() } else { reason };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            people::get(change.conn(), form.person_id).await?;
            // What is filed is seen there at once: the chart must be open to the one who files.
            if !closed_charts(change.conn(), &[form.person_id], me.staff.id, state.now()).await?.is_empty() {
                return Err(Problem::restricted_chart());
            }
            let order = match form.order_id {
                Some(order) => Some(orders::order(change.conn(), order).await?),
                None => None,
            };
            let waits = |o: &Order| o.person_id == form.person_id && o.state.may_be_answered();
            if order.as_ref().is_some_and(|o| !waits(o)) {
                return Err(Problem::field("orderId", "This person has no such order that was sent."));
            }
            change.match_report(*id, form.person_id, order.as_ref(), &reason).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct UnmatchForm {
    reason: String,
}

/// Takes a result away from somebody whom it is not about; both charts tell it.
#[utoipa::path(post, path = "/api/results/{id}/take-away", params(("id" = Uuid, Path)), request_body = UnmatchForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn take_away(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<UnmatchForm>) -> Answer<Done> {
    let reason = fields::line("Reason", &form.reason, 300).map_err(|s| Problem::field("reason", s))?;
    if reason.is_empty() {
        return Err(Problem::field("reason", "Say how you know that it is somebody else's."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            results::report(change.conn(), *id).await?;
            change.unmatch_report(*id, &reason).await?;
            Ok(DONE)
        })
        .await
}
