//! Orders that somebody still waits for: listed, and taken back after they were sent.

use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path, Query};
use chrono::{DateTime, Utc};
use harbor_core::fields;
use harbor_core::house::permissions::Permission;
use harbor_core::orders::OrderState;
use harbor_core::orders::waiting::{days_overdue, in_words};
use harbor_store::house::staff;
use harbor_store::orders::OpenOf;
use harbor_store::people::registration::closed_charts;
use harbor_store::rows::{Order, Person};
use harbor_store::{codes, orders as store};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct TakeBackForm {
    reason: String,
}

/// Takes an order back that was sent, also after the note was signed; the laboratory is told why.
#[utoipa::path(post, path = "/api/orders/{id}/taken-back", params(("id" = Uuid, Path)), request_body = TakeBackForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn take_back(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<TakeBackForm>) -> Answer<Done> {
    let reason = fields::line("Reason", &form.reason, 200).map_err(|s| Problem::field("reason", s))?;
    if reason.is_empty() {
        return Err(Problem::field("reason", "Say why it is not wanted any more; the laboratory is told."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            change.take_order_back(&order, &reason).await?;
            Ok(DONE)
        })
        .await
}

/// An order that somebody still waits for.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OpenOrder {
    id: Uuid,
    visit_id: Option<Uuid>,
    kind: codes::OrderKind,
    test_name: String,
    /// In the words of its kind.
    state: String,
    refused: bool,
    ordered_at: DateTime<Utc>,
    ordered_by: String,
    /// Who is asked, where it is said.
    to_whom: String,
    person: PersonCard,
    /// What makes it work: that it is late or was refused; nothing while it is within its usual time.
    late: Option<String>,
    /// The chart is under restriction and not open to the one who looks: what was ordered is not told.
    closed: bool,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct OpenOrders {
    orders: Vec<OpenOrder>,
    /// How many there are, also those that the list does not hold.
    count: i64,
}

#[derive(Debug, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase")]
#[into_params(parameter_in = Query)]
pub struct WhoseOrders {
    /// Those of all clinicians; otherwise one's own.
    #[serde(default)]
    all: bool,
    /// Of one kind: laboratory, imaging, procedure or referral.
    kind: Option<codes::OrderKind>,
    /// Of one clinician.
    clinician: Option<Uuid>,
    /// A part of the name of the laboratory or colleague who is asked.
    #[serde(default)]
    to_whom: String,
}

/// Orders that were signed and of which no result is here, the oldest first. Who orders nothing sees those of all.
#[utoipa::path(get, path = "/api/orders/open", params(WhoseOrders), responses((status = 200, body = OpenOrders), (status = 422, body = Problem)))]
pub async fn open(state: Data<State>, me: Me, asked: Query<WhoseOrders>, request: HttpRequest) -> Answer<OpenOrders> {
    let mut conn = state.store.reader().await?;
    let own = Some(me.staff.id).filter(|_| me.role.may(Permission::WriteNote) && !asked.all);
    let to_whom = fields::line("Who is asked", &asked.to_whom, 200).map_err(|s| Problem::field("toWhom", s))?;
    let of = OpenOf { orderer: asked.clinician.or(own), kind: asked.kind.map(|k| *k), to_whom };
    let (mut listed, mut count) = store::open(&mut conn, &of).await?;
    let usual = staff::clinic(&mut conn).await?.usual_days.0;
    let persons: Vec<Uuid> = listed.iter().map(|(_, p)| p.id).collect();
    let closed = closed_charts(&mut conn, &persons, me.staff.id, state.now()).await?;
    if !of.to_whom.is_empty() {
        // That it is found by who is asked would tell who is asked.
        let found = listed.len();
        listed.retain(|(_, p)| !closed.contains(&p.id));
        count -= i64::try_from(found - listed.len()).unwrap_or(0);
    }
    let persons: Vec<Uuid> = listed.iter().map(|(_, p)| p.id).collect();
    shown::listed(&request, "open orders", persons.into_iter().filter(|p| !closed.contains(p)));
    let view = |(o, p): (Order, Person)| {
        let closed = closed.contains(&p.id);
        OpenOrder {
            late: late(&state, &usual, &o).filter(|_| !closed),
            person: PersonCard::of(&p, state.today()),
            id: o.id,
            visit_id: o.visit_id,
            test_name: if closed { String::new() } else { o.test_name },
            kind: o.kind,
            refused: o.state == OrderState::Rejected,
            state: o.kind.told(*o.state).to_owned(),
            ordered_at: o.ordered_at,
            ordered_by: o.ordered_by,
            to_whom: if closed { String::new() } else { o.request.0.to_whom },
            closed,
        }
    };
    Ok(Json(OpenOrders { orders: listed.into_iter().map(view).collect(), count }))
}

/// What makes an order work, in words; nothing while it is within its usual time, of the clinic or else of the list.
pub fn late(state: &State, usual: &BTreeMap<String, u32>, order: &Order) -> Option<String> {
    let listed = || state.tables.orderable(&order.test_code).map_or(1, |t| t.usual_days);
    let usual = usual.get(&order.test_code).copied().unwrap_or_else(listed);
    let over = days_overdue(*order.state, order.sent_at.unwrap_or(order.ordered_at), usual, state.now())?;
    Some(in_words(*order.state, &order.state_reason, over))
}
