//! Signing orders: one's own, many at once, a colleague's only after it was taken over; and what was done here.

use super::open_visit;
use super::paying::Paying;
use super::views::lacks;
use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::orders::OrderState;
use harbor_core::orders::kinds::may_sign;
use harbor_store::people::registration::closed_charts;
use harbor_store::rows::Order;
use harbor_store::{Change, codes, orders as store, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Signs these drafts; the first that is not ready says why, and none is signed.
async fn sign_all(change: &mut Change<'_>, state: &State, me: &Me, drafts: &[Order]) -> Result<(), Problem> {
    let links = store::links(change.conn(), &drafts.iter().map(|o| o.id).collect::<Vec<_>>()).await?;
    for order in drafts {
        if order.state != OrderState::Draft {
            return Err(Problem::refused("sent", format!("{} is signed already.", order.test_name)));
        }
        may_sign(&order.test_name, &order.ordered_by, order.orderer_id == me.staff.id)
            .map_err(|s| Problem::refused("not-yours", s))?;
        let person = people::get(change.conn(), order.person_id).await?;
        let paying = Paying::of(change.conn(), state, &person).await?;
        let placed = links.iter().filter(|l| l.order_id == order.id).count();
        if let Some(first) = lacks(state, order, &person, placed, &paying).into_iter().next() {
            return Err(Problem::refused("not-ready", first));
        }
    }
    Ok(change.sign_orders(drafts).await?)
}

/// Signs every draft order of the visit and sends what is sent.
#[utoipa::path(post, path = "/api/visits/{id}/orders/send", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn send(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            open_visit(change, *id).await?;
            let mut drafts = store::of_visits(change.conn(), &[*id]).await?;
            drafts.retain(|o| o.state == OrderState::Draft);
            if drafts.is_empty() {
                return Err(Problem::refused("nothing", "There is no order to send."));
            }
            sign_all(change, &state, &me, &drafts).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct SignOrdersForm {
    ids: Vec<Uuid>,
}

/// Signs these orders, of any people: all of them or none.
#[utoipa::path(post, path = "/api/orders/signed", request_body = SignOrdersForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn sign(state: Data<State>, me: Me, form: Json<SignOrdersForm>) -> Answer<Done> {
    if form.ids.is_empty() || form.ids.len() > 200 {
        return Err(Problem::field("ids", "Choose between 1 and 200 orders."));
    }
    let mut ids = form.ids.clone();
    ids.sort();
    ids.dedup();
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let mut drafts = Vec::new();
            for id in &ids {
                let order = store::order(change.conn(), *id).await?;
                if let Some(visit) = order.visit_id {
                    change.lock_visit(visit).await?;
                }
                drafts.push(order);
            }
            let persons: Vec<Uuid> = drafts.iter().map(|o| o.person_id).collect();
            if !closed_charts(change.conn(), &persons, me.staff.id, state.now()).await?.is_empty() {
                return Err(Problem::refused("closed", "One of these charts is under restriction; open it first."));
            }
            sign_all(change, &state, &me, &drafts).await?;
            Ok(DONE)
        })
        .await
}

/// Puts a colleague's draft under one's own name; it shows whose it was.
#[utoipa::path(post, path = "/api/orders/{id}/taken-over", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn take_over(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            if order.orderer_id == me.staff.id {
                return Err(Problem::refused("yours", "It stands under your name already."));
            }
            change.take_order_over(&order, &me.staff).await?;
            Ok(DONE)
        })
        .await
}

/// An order that waits for one's signature.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OrderToSign {
    id: Uuid,
    visit_id: Option<Uuid>,
    test_name: String,
    kind: codes::OrderKind,
    priority: codes::Priority,
    /// The diagnoses that it lies under.
    under: Vec<String>,
    prepared_by: String,
    ordered_at: DateTime<Utc>,
    ordered_by: String,
    /// It stands under one's own name; the others were of somebody who has left, and are taken over first.
    mine: bool,
    person: PersonCard,
    /// What must be said before it can be signed.
    lacking: Vec<String>,
    /// The chart is under restriction and not open to the one who looks: what is ordered is not told.
    closed: bool,
}

/// Orders under one's own name that are not signed, and those of somebody who has left; the oldest first.
#[utoipa::path(get, path = "/api/orders/to-sign", responses((status = 200, body = Vec<OrderToSign>)))]
pub async fn to_sign(state: Data<State>, me: Me, request: HttpRequest) -> Answer<Vec<OrderToSign>> {
    let mut conn = state.store.reader().await?;
    let rows = store::to_sign(&mut conn, me.staff.id).await?;
    let persons: Vec<Uuid> = rows.iter().map(|(_, p)| p.id).collect();
    let closed = closed_charts(&mut conn, &persons, me.staff.id, state.now()).await?;
    shown::listed(&request, "orders to sign", persons.into_iter().filter(|p| !closed.contains(p)));
    let links = store::links(&mut conn, &rows.iter().map(|(o, _)| o.id).collect::<Vec<_>>()).await?;
    let paying = Paying::of_people(&mut conn, &state, &rows.iter().map(|(_, p)| p).collect::<Vec<_>>()).await?;
    let view = |(o, p): (Order, harbor_store::rows::Person)| {
        let closed = closed.contains(&p.id);
        let own: Vec<String> =
            links.iter().filter(|l| l.order_id == o.id).map(|l| format!("{} {}", l.code, l.title)).collect();
        OrderToSign {
            lacking: match paying.get(&p.id) {
                Some(paying) if !closed => lacks(&state, &o, &p, own.len(), paying),
                _ => vec![],
            },
            mine: o.orderer_id == me.staff.id,
            ordered_by: o.ordered_by,
            under: if closed { vec![] } else { own },
            person: PersonCard::of(&p, state.today()),
            id: o.id,
            visit_id: o.visit_id,
            test_name: if closed { String::new() } else { o.test_name },
            kind: o.kind,
            priority: o.priority,
            prepared_by: o.prepared_by,
            ordered_at: o.ordered_at,
            closed,
        }
    };
    Ok(Json(rows.into_iter().map(view).collect()))
}

/// What was ordered here is done.
#[utoipa::path(post, path = "/api/orders/{id}/done", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn done(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            let visit = match order.visit_id {
                Some(visit) => Some(change.lock_visit(visit).await?),
                None => None,
            };
            change.order_done(&order).await?;
            if let Some(visit) = visit {
                change.stand_by_themselves(&visit, &state.tables.diagnoses).await?;
            }
            Ok(DONE)
        })
        .await
}

/// Takes a draft away.
#[utoipa::path(delete, path = "/api/orders/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn cancel(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            change.cancel_order(&order).await?;
            Ok(DONE)
        })
        .await
}
