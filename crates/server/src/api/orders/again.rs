//! What can be ordered, with what is on record of it; what somebody orders most, sets, and what comes due again by itself.

use super::paying::visit_of;
use super::{For, draft, problems};
use crate::access::{Me, shown};
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path, Query};
use chrono::{Duration, NaiveDate};
use harbor_core::fields::{self, Faults, typed_date};
use harbor_core::house::permissions::Permission;
use harbor_core::orders::again::{
    KnownValue, LATELY_DAYS, OnRecord, Rhythm, ends, favourites, may_keep_set, on_record, said_first,
};
use harbor_core::orders::search::find;
use harbor_core::orders::{OrderState, Orderable};
use harbor_store::consult::runs;
use harbor_store::house::staff;
use harbor_store::orders::again as store;
use harbor_store::people::registration::closed_charts;
use harbor_store::rows::{Order, OrderRepeat, OrderSet};
use harbor_store::{Change, Conn, codes, orders, people};
use serde::{Deserialize, Serialize};
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// What is on record of a person that an order may repeat.
#[derive(Default)]
pub struct Lately {
    /// Each with its id, so that an order is not its own repetition.
    orders: Vec<(Uuid, OnRecord)>,
    values: Vec<KnownValue>,
}

impl Lately {
    pub async fn of(conn: &mut Conn, state: &State, person: Uuid) -> Result<Lately, Problem> {
        let since = state.now() - Duration::days(LATELY_DAYS + 1);
        let order = |o: Order| {
            let day = state.local_day(o.ordered_at);
            (o.id, OnRecord { code: o.test_code, day, by: o.ordered_by, state: *o.state })
        };
        let value = |(at, v): (chrono::DateTime<chrono::Utc>, harbor_store::rows::ResultValue)| KnownValue {
            day: state.local_day(at),
            said: v.told(),
            loinc: v.loinc,
        };
        Ok(Lately {
            orders: store::ordered_since(conn, person, since).await?.into_iter().map(order).collect(),
            values: store::known_since(conn, person, since).await?.into_iter().map(value).collect(),
        })
    }

    fn said(&self, state: &State, item: &Orderable, but: Option<Uuid>) -> Option<String> {
        let others: Vec<OnRecord> =
            self.orders.iter().filter(|(id, _)| Some(*id) != but).map(|(_, o)| o.clone()).collect();
        said_first(&on_record(item, &state.tables.orderables, &others, &self.values), state.today())
    }

    /// What is said of something that is not ordered yet.
    pub fn said_of_code(&self, state: &State, code: &str) -> Option<String> {
        self.said(state, state.tables.orderable(code)?, None)
    }

    /// What is said of a draft.
    pub fn said_of(&self, state: &State, order: &Order) -> Option<String> {
        self.said(state, state.tables.orderable(&order.test_code)?, Some(order.id))
    }
}

/// What can be ordered.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OrderableView {
    kind: codes::OrderKind,
    code: String,
    name: String,
    short: String,
    loinc: String,
    specimen: String,
    /// That it was ordered lately for this person, or that its result is here.
    already: Option<String>,
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct WhatToOrder {
    /// What is typed; without it what one orders most.
    #[serde(default)]
    q: String,
    /// For whom, so that a repetition is told.
    person: Option<Uuid>,
}

/// So many are offered for what is typed, and so many of those that one orders most.
const OFFERED: usize = 20;
const FAVOURITES: usize = 8;
/// What was ordered in this time counts.
const USED_DAYS: i64 = 365;

#[utoipa::path(get, path = "/api/orderables", params(WhatToOrder), responses((status = 200, body = Vec<OrderableView>), (status = 404, body = Problem)))]
pub async fn orderables(
    state: Data<State>,
    me: Me,
    asked: Query<WhatToOrder>,
    request: HttpRequest,
) -> Answer<Vec<OrderableView>> {
    let mut conn = state.store.reader().await?;
    let all = &state.tables.orderables;
    let found: Vec<&Orderable> = if asked.q.trim().is_empty() {
        let used = store::used_by(&mut conn, me.staff.id, state.now() - Duration::days(USED_DAYS)).await?;
        let most = favourites(&used, all.iter().map(|o| o.code.as_str()), FAVOURITES);
        most.into_iter().filter_map(|code| state.tables.orderable(code)).collect()
    } else {
        find(all, &asked.q, OFFERED)
    };
    let lately = match asked.person {
        // What is on record in a closed chart is not told.
        Some(person) if closed_charts(&mut conn, &[person], me.staff.id, state.now()).await?.is_empty() => {
            shown::listed(&request, "what can be ordered", [person]);
            Lately::of(&mut conn, &state, person).await?
        }
        _ => Lately::default(),
    };
    let view = |t: &Orderable| OrderableView {
        kind: t.kind.into(),
        code: t.code.clone(),
        name: t.name.clone(),
        short: t.short.clone(),
        loinc: t.loinc.clone(),
        specimen: t.specimen.clone(),
        already: lately.said(&state, t, None),
    };
    Ok(Json(found.into_iter().map(view).collect()))
}

/// Something of a set.
#[derive(Debug, Serialize, ToSchema)]
pub struct SetItem {
    code: String,
    name: String,
}

/// What is ordered together, whole or in part.
#[derive(Debug, Serialize, ToSchema)]
pub struct OrderSetView {
    id: Uuid,
    name: String,
    /// One's own; the others are the clinic's.
    own: bool,
    items: Vec<SetItem>,
    /// Codes that the list does not know any more.
    gone: Vec<String>,
}

#[utoipa::path(get, path = "/api/order-sets", responses((status = 200, body = Vec<OrderSetView>)))]
pub async fn sets(state: Data<State>, me: Me) -> Answer<Vec<OrderSetView>> {
    let mut conn = state.store.reader().await?;
    let view = |set: OrderSet| {
        let known = |code: &String| state.tables.orderable(code);
        OrderSetView {
            id: set.id,
            own: set.owner_id.is_some(),
            items: set
                .items
                .iter()
                .filter_map(known)
                .map(|o| SetItem { code: o.code.clone(), name: o.name.clone() })
                .collect(),
            gone: set.items.iter().filter(|c| known(c).is_none()).cloned().collect(),
            name: set.name,
        }
    };
    Ok(Json(store::sets(&mut conn, me.staff.id).await?.into_iter().map(view).collect()))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct OrderSetForm {
    name: String,
    /// Codes of what is ordered.
    items: Vec<String>,
    /// For the whole clinic; otherwise one's own.
    #[serde(default)]
    clinic: bool,
}

/// Who may keep or take away a set: one's own everybody who orders, the clinic's who signs orders.
fn may_keep(me: &Me, of_clinic: bool, owner: Option<Uuid>) -> Result<(), Problem> {
    may_keep_set(of_clinic, me.role.may(Permission::WriteNote), owner == Some(me.staff.id))
        .map_err(|s| Problem::refused("not-yours", s))
}

/// Keeps a set, new or changed.
#[utoipa::path(put, path = "/api/order-sets/{id}", params(("id" = Uuid, Path)), request_body = OrderSetForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn keep_set(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<OrderSetForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let name = faults.line("name", "Name", &form.name, 60);
    let mut items: Vec<String> = Vec::new();
    for code in &form.items {
        if state.tables.orderable(code).is_none() {
            faults.add("items", format!("Nothing that can be ordered has the code {code}."));
        } else if !items.contains(code) {
            items.push(code.clone());
        }
    }
    if items.is_empty() || items.len() > 40 {
        faults.add("items", "Between 1 and 40 things.");
    }
    let name = faults.none_or(name)?;
    let owner = if form.clinic { None } else { Some(me.staff.id) };
    may_keep(&me, form.clinic, owner)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            if let Ok(before) = store::set(change.conn(), *id).await {
                may_keep(&me, before.owner_id.is_none(), before.owner_id)?;
                if before.owner_id != owner {
                    return Err(Problem::refused("owner", "A set stays whose it is; keep a new one."));
                }
            }
            change.keep_set(OrderSet { id: *id, owner_id: owner, name, items }).await?;
            Ok(DONE)
        })
        .await
}

#[utoipa::path(delete, path = "/api/order-sets/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn drop_set(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let set = store::set(change.conn(), *id).await?;
            may_keep(&me, set.owner_id.is_none(), set.owner_id)?;
            change.drop_set(&set).await?;
            Ok(DONE)
        })
        .await
}

/// Something that comes due again.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RepeatView {
    id: Uuid,
    name: String,
    months: i32,
    until: NaiveDate,
    due: Option<NaiveDate>,
    orderer: String,
}

pub async fn repeats_of(conn: &mut Conn, person: Uuid) -> Result<Vec<RepeatView>, Problem> {
    let rows = store::repeats_of(conn, person).await?;
    let names = staff::all(conn).await?;
    let view = |r: OrderRepeat| RepeatView {
        orderer: names.iter().find(|s| s.id == r.orderer_id).map(|s| s.name.clone()).unwrap_or_default(),
        id: r.id,
        name: r.test_name,
        months: r.months,
        until: r.until,
        due: r.due,
    };
    Ok(rows.into_iter().map(view).collect())
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct RepeatForm {
    /// Months between two, 1 to 60.
    months: u32,
    /// The last day, as it is typed.
    until: String,
}

/// Lets an order come due again by itself until a day: then a draft is made in its orderer's name, to be signed.
#[utoipa::path(post, path = "/api/orders/{id}/repeat", params(("id" = Uuid, Path)), request_body = RepeatForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn repeat(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<RepeatForm>) -> Answer<Done> {
    let today = state.today();
    let until = typed_date::parse(&form.until, today, typed_date::Sense::Any)
        .map_err(|e| Problem::field("until", e.to_string()))?;
    let rhythm = Rhythm::new(form.months, until, today).map_err(|s| Problem::field("until", s))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = orders::order(change.conn(), *id).await?;
            if order.state == OrderState::Cancelled {
                return Err(Problem::refused("cancelled", "It is taken back."));
            }
            change.begin_repeat(&order, rhythm, today).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct EndRepeatForm {
    reason: String,
}

/// Ends what comes due again, with why.
#[utoipa::path(post, path = "/api/people/{id}/order-repeats/{repeat}/end", params(("id" = Uuid, Path), ("repeat" = Uuid, Path)), request_body = EndRepeatForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn end_repeat(
    state: Data<State>,
    me: Me,
    ids: Path<(Uuid, Uuid)>,
    form: Json<EndRepeatForm>,
) -> Answer<Done> {
    let why = fields::line("Reason", &form.reason, 200).map_err(|s| Problem::field("reason", s))?;
    if why.is_empty() {
        return Err(Problem::field("reason", "Say why it comes due no more."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let row = store::repeat(change.conn(), ids.1).await?;
            if row.person_id != ids.0 {
                return Err(Problem::not_found("repeated order"));
            }
            change.repeat_goes_on(&row, None, &why).await?;
            Ok(DONE)
        })
        .await
}

/// Makes drafts of what has come due, in the name of who let it, and tells how many; each under the diagnoses that it had,
/// where they are problems still. What nobody can order any more ends, with why.
pub async fn make_due(change: &mut Change<'_>, state: &State) -> Result<usize, Problem> {
    let today = state.today();
    let due = store::due(change.conn(), today).await?;
    let many = due.len();
    for (row, person) in due {
        let months = u32::try_from(row.months).unwrap_or(1);
        let rhythm = Rhythm { months, until: row.until };
        if let Some(why) = ends(person.deceased_on.is_some(), state.tables.orderable(&row.test_code).is_some()) {
            change.repeat_goes_on(&row, None, why).await?;
            continue;
        }
        let listed = problems(change.conn(), row.person_id).await?;
        let orderer = staff::get(change.conn(), row.orderer_id).await?;
        let wanted = For { person: row.person_id, visit: None, orderer };
        let prepared_by = format!("the repeat of every {months} months");
        let order = draft(change, state, &prepared_by, &wanted, &row.test_code, &listed).await?;
        let under: Vec<(String, String)> = listed.into_iter().filter(|(code, _)| row.under.contains(code)).collect();
        if !under.is_empty() {
            change.link_order(&order, &under).await?;
        }
        let next = row.due.and_then(|due| rhythm.goes_on(due, today));
        let why = if next.is_none() { "The last of them came due." } else { "" };
        change.repeat_goes_on(&row, next, why).await?;
    }
    Ok(many)
}

/// Orders what was ordered before once more, as a draft in one's own name: under the same diagnoses, where they are
/// problems still.
#[utoipa::path(post, path = "/api/orders/{id}/again", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn order_again(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let before = orders::order(change.conn(), *id).await?;
            let person = people::get(change.conn(), before.person_id).await?;
            super::may_be_ordered_for(&person)?;
            let orderer = match me.role.may(Permission::WriteNote) {
                true => me.staff.clone(),
                false => staff::get(change.conn(), before.orderer_id).await?,
            };
            let mut listed = problems(change.conn(), person.id).await?;
            // Of a visit whose diagnoses are no problems of the person the order keeps its own.
            if let Some(visit) = visit_of(change.conn(), before.visit_id).await? {
                let rows = runs::diagnoses_of(change.conn(), visit.id).await?;
                let new =
                    rows.into_iter().map(|d| (d.code, d.title)).filter(|(c, _)| listed.iter().all(|(l, _)| l != c));
                let new: Vec<(String, String)> = new.collect();
                listed.extend(new);
            }
            let links = orders::links(change.conn(), &[before.id]).await?;
            let prepared_by = super::preparer(&me, &orderer);
            let wanted = For { person: person.id, visit: None, orderer };
            let order = draft(change, &state, &prepared_by, &wanted, &before.test_code, &listed).await?;
            let under: Vec<(String, String)> =
                listed.into_iter().filter(|(code, _)| links.iter().any(|l| l.code == *code)).collect();
            if !under.is_empty() {
                change.link_order(&order, &under).await?;
            }
            // Whom one asks, and what: the same until somebody says otherwise. How soon is of its day.
            if order.kind.goes_on_paper() {
                change.request_order(&order, *order.priority, before.request.0).await?;
            }
            Ok(DONE)
        })
        .await
}
