//! What orders wait for from hands in this house: specimens to take, things to do here.

use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::orders::questions::moment;
use harbor_core::orders::specimens::{Container, HANDS_WAIT_DAYS, containers, may_be_taken, taken_at};
use harbor_core::orders::{OrderKind, Priority};
use harbor_store::people::registration::closed_charts;
use harbor_store::rows::{Order, Person};
use harbor_store::{Conn, codes, orders as store};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A container to fill.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct ContainerView {
    /// Empty when no rule tells which: whoever takes it has to know.
    pub container: String,
    pub specimen: String,
    /// Short names of the tests that are made from it.
    pub tests: Vec<String>,
}

/// The containers for orders of one requisition, with the positions of their orders.
pub fn needed(state: &State, rows: &[Order]) -> Vec<(ContainerView, Vec<usize>)> {
    let asked: Vec<(&str, &str)> = rows.iter().map(|o| (o.test_code.as_str(), o.specimen.as_str())).collect();
    let short = |at: &usize| {
        state.tables.orderable(&rows[*at].test_code).map_or(rows[*at].test_name.clone(), |t| t.short.clone())
    };
    let view = |c: Container| {
        let tests = c.tests.iter().map(short).collect();
        (ContainerView { container: c.container, specimen: c.specimen, tests }, c.tests)
    };
    containers(&state.tables.containers, &asked).into_iter().map(view).collect()
}

/// Something for hands: the specimens of one requisition, or one thing to do.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ForHands {
    /// One of its orders: what is done is said of it.
    id: Uuid,
    visit_id: Option<Uuid>,
    kind: codes::OrderKind,
    /// What was ordered, in words.
    name: String,
    containers: Vec<ContainerView>,
    priority: codes::Priority,
    ordered_at: DateTime<Utc>,
    ordered_by: String,
    person: PersonCard,
    /// The chart is under restriction and not open to the one who looks: what was ordered is not told.
    closed: bool,
}

impl ForHands {
    /// `2 containers: CBC, K` as a list of tasks tells it.
    pub fn sentence(&self) -> String {
        match (*self.kind, self.containers.len()) {
            _ if self.closed => "For a chart under restriction.".into(),
            (OrderKind::Laboratory, 1) => format!("One container: {}.", self.name),
            (OrderKind::Laboratory, many) => format!("{many} containers: {}.", self.name),
            _ => format!("{}.", self.name),
        }
    }

    pub fn kind(&self) -> OrderKind {
        *self.kind
    }

    pub fn since(&self) -> DateTime<Utc> {
        self.ordered_at
    }

    pub fn person(self) -> PersonCard {
        self.person
    }
}

/// Everything for hands: at once before urgent before the rest, then the oldest first.
pub async fn for_hands(conn: &mut Conn, state: &State, me: &Me) -> Result<Vec<ForHands>, Problem> {
    let rows = store::hands::waiting_for_hands(conn, state.now() - chrono::Duration::days(HANDS_WAIT_DAYS)).await?;
    let persons: Vec<Uuid> = rows.iter().map(|(_, p)| p.id).collect();
    let closed = closed_charts(conn, &persons, me.staff.id, state.now()).await?;
    let mut together: Vec<(Person, Vec<Order>)> = Vec::new();
    for (order, person) in rows {
        let same = |(_, orders): &&mut (Person, Vec<Order>)| {
            order.requisition.is_some() && orders[0].requisition == order.requisition
        };
        match together.iter_mut().find(same) {
            Some((_, orders)) => orders.push(order),
            None => together.push((person, vec![order])),
        }
    }
    let view = |(person, orders): (Person, Vec<Order>)| {
        let closed = closed.contains(&person.id);
        let first = &orders[0];
        let containers = match *first.kind {
            OrderKind::Laboratory if !closed => needed(state, &orders).into_iter().map(|(c, _)| c).collect(),
            _ => vec![],
        };
        let names: Vec<&str> = orders.iter().map(|o| o.test_name.as_str()).collect();
        let soonest = orders.iter().map(|o| *o.priority).max().unwrap_or(Priority::Routine);
        ForHands {
            name: if closed { String::new() } else { names.join(", ") },
            person: PersonCard::of(&person, state.today()),
            id: first.id,
            visit_id: first.visit_id,
            kind: first.kind,
            containers,
            priority: soonest.into(),
            ordered_at: first.ordered_at,
            ordered_by: first.ordered_by.clone(),
            closed,
        }
    };
    let mut out: Vec<ForHands> = together.into_iter().map(view).collect();
    out.sort_by_key(|w| (std::cmp::Reverse(*w.priority), w.ordered_at));
    Ok(out)
}

/// Specimens to take and things to do here.
#[utoipa::path(get, path = "/api/orders/hands", responses((status = 200, body = Vec<ForHands>)))]
pub async fn waiting(state: Data<State>, me: Me, request: HttpRequest) -> Answer<Vec<ForHands>> {
    let mut conn = state.store.reader().await?;
    let all = for_hands(&mut conn, &state, &me).await?;
    shown::listed(&request, "orders for hands", all.iter().filter(|w| !w.closed).map(|w| w.person.id));
    Ok(Json(all))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct TakenForm {
    /// When, as it is typed: `8:05`, `yesterday 21:30`; empty is now.
    #[serde(default)]
    at: String,
}

/// The specimens of an order and of those of its requisition were taken here. Said again it puts the time right.
#[utoipa::path(post, path = "/api/orders/{id}/specimen", params(("id" = Uuid, Path)), request_body = TakenForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn taken(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<TakenForm>) -> Answer<Done> {
    let now = state.now();
    let local = now.with_timezone(&state.zone).naive_local();
    let at = match form.at.trim() {
        "" => now,
        typed => {
            let said = "A time, with its day when it was not today: yesterday 21:30.";
            let understood = moment(typed, local).ok_or_else(|| Problem::field("at", said))?;
            harbor_core::schedule::at_local(state.zone, understood.date(), understood.time())
        }
    };
    let at = taken_at(at, now).map_err(|s| Problem::field("at", s))?;
    state
        .store
        .change(&me.actor(), now, async |change| {
            let order = store::order(change.conn(), *id).await?;
            let visit = match order.visit_id {
                Some(visit) => Some(change.lock_visit(visit).await?),
                None => None,
            };
            let mut rows = store::hands::taken_together(change.conn(), &order).await?;
            rows.retain(|o| may_be_taken(*o.kind, *o.state, *o.taken_where));
            if !rows.iter().any(|o| o.id == order.id) {
                return Err(Problem::refused("no-specimen", "No specimen of it is to be taken here."));
            }
            change.specimen_taken(&rows, at).await?;
            if let Some(visit) = visit {
                change.stand_by_themselves(&visit, &state.tables.diagnoses).await?;
            }
            Ok(DONE)
        })
        .await
}
