//! Ordering: finding what can be ordered, and laying it under diagnoses, in a visit or without one.

pub mod again;
pub mod answering;
pub mod hands;
pub mod paper;
pub mod paying;
pub mod placing;
pub mod results;
pub mod saying;
pub mod signing;
pub mod views;
pub mod waiting;

use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Data, Json, Path};
use harbor_core::house::permissions::Permission;
use harbor_core::orders::kinds;
use harbor_core::orders::specimens::TakenWhere;
use harbor_core::orders::{OrderState, Orderable, Priority, place};
use harbor_core::visit_line::Mark;
use harbor_store::consult::{chart, runs};
use harbor_store::documents::Doc;
use harbor_store::house::staff;
use harbor_store::rows::{Order, Person, Staff, Visit};
use harbor_store::{Change, Conn, claims, orders as store, people};
use paying::Paying;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use views::{OrderView, of_visit, viewed};

/// A visit whose orders and prescriptions may still change.
pub async fn open_visit(change: &mut Change<'_>, id: Uuid) -> Result<Visit, Problem> {
    let visit = change.lock_visit(id).await?;
    if change.has_reached(id, Mark::Signed).await? {
        return Err(Problem::refused("note-signed", "The note is signed; order from a new visit, or without one."));
    }
    change.writable(&visit).await?;
    Ok(visit)
}

/// For whom an order is made, in which visit, and in whose name.
pub struct For {
    pub person: Uuid,
    pub visit: Option<Uuid>,
    /// The clinician who is to sign it.
    pub orderer: Staff,
}

/// In whose name somebody orders in a visit: their own, or, who only prepares, that of the visit's clinician.
pub async fn orderer(change: &mut Change<'_>, me: &Me, visit: &Visit) -> Result<Staff, Problem> {
    if me.role.may(Permission::WriteNote) {
        return Ok(me.staff.clone());
    }
    Ok(staff::get(change.conn(), visit.clinician_id).await?)
}

/// Who prepares an order in somebody else's name; nobody in one's own.
pub fn preparer(me: &Me, orderer: &Staff) -> String {
    if orderer.id == me.staff.id { String::new() } else { me.staff.name.clone() }
}

/// Nothing is ordered for the dead, nor for a record that was merged into another.
pub fn may_be_ordered_for(person: &Person) -> Result<(), Problem> {
    kinds::may_be_ordered_for(person.merged_into.is_some(), person.deceased_on.is_some())
        .map_err(|s| Problem::refused("no-order", s))
}

/// An order that is not signed yet, laid under the diagnoses that usually carry it.
pub async fn draft(
    change: &mut Change<'_>,
    state: &State,
    prepared_by: &str,
    wanted: &For,
    code: &str,
    listed: &[(String, String)],
) -> Result<Order, Problem> {
    let item = state
        .tables
        .orderable(code)
        .ok_or_else(|| Problem::field("items", format!("Nothing that can be ordered has the code {code}.")))?;
    let placement = place(item, listed);
    let under: Vec<(String, String)> = placement.diagnoses.iter().map(|i| listed[*i].clone()).collect();
    let mut row = made(item, wanted, state.now(), placement.reason, prepared_by.to_owned());
    pays(change.conn(), state, &mut row).await?;
    Ok(change.add_order(row, &under).await?)
}

/// Puts down who usually pays the laboratory for a new order.
pub async fn pays(conn: &mut Conn, state: &State, row: &mut Order) -> Result<(), Problem> {
    if row.kind != harbor_core::orders::OrderKind::Laboratory {
        return Ok(());
    }
    let person = people::get(conn, row.person_id).await?;
    let visit = paying::visit_of(conn, row.visit_id).await?;
    let (bill_to, policy) = Paying::of(conn, state, &person).await?.usual(visit.as_ref());
    (row.bill_to, row.coverage_id) = (bill_to.map(Into::into), policy);
    Ok(())
}

/// A draft of an order.
pub fn made(
    item: &Orderable,
    wanted: &For,
    at: chrono::DateTime<chrono::Utc>,
    placement_reason: String,
    prepared_by: String,
) -> Order {
    Order {
        id: Uuid::now_v7(),
        visit_id: wanted.visit,
        person_id: wanted.person,
        test_code: item.code.clone(),
        test_name: item.name.clone(),
        loinc: item.loinc.clone(),
        specimen: item.specimen.clone(),
        state: OrderState::Draft.into(),
        answers: Doc::default(),
        placement_reason,
        requisition: None,
        ordered_at: at,
        ordered_by: wanted.orderer.name.clone(),
        orderer_id: wanted.orderer.id,
        sent_at: None,
        sent_document_id: None,
        state_reason: String::new(),
        kind: item.kind.into(),
        priority: Priority::Routine.into(),
        request: Doc::default(),
        prepared_by,
        taken_over_from: String::new(),
        signed_at: None,
        done_at: None,
        done_by: String::new(),
        bill_to: None,
        coverage_id: None,
        taken_where: TakenWhere::Here.into(),
        taken_at: None,
        taken_by: String::new(),
    }
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct OrderForm {
    /// Codes of what is ordered.
    items: Vec<String>,
    /// The diagnosis of the run that they are ordered in; otherwise each goes where it usually lies.
    under: Option<String>,
    /// Without a visit: the clinician who is to sign, for who only prepares.
    clinician: Option<Uuid>,
}

impl OrderForm {
    fn checked(&self) -> Result<(), Problem> {
        if self.items.is_empty() || self.items.len() > 40 {
            return Err(Problem::field("items", "Choose one or more, at most 40 at once."));
        }
        Ok(())
    }

    async fn add(
        &self,
        change: &mut Change<'_>,
        state: &State,
        me: &Me,
        wanted: &For,
        listed: &[(String, String)],
    ) -> Result<(), Problem> {
        let under = match &self.under {
            Some(code) => {
                let found = listed.iter().find(|(listed, _)| listed == code).cloned();
                Some(found.ok_or_else(|| Problem::field("under", "That diagnosis is not there any more."))?)
            }
            None => None,
        };
        for code in &self.items {
            let order = draft(change, state, &preparer(me, &wanted.orderer), wanted, code, listed).await?;
            if let Some(under) = &under {
                change.link_order(&order, std::slice::from_ref(under)).await?;
            }
        }
        Ok(())
    }
}

#[utoipa::path(post, path = "/api/visits/{id}/orders", params(("id" = Uuid, Path)), request_body = OrderForm, responses((status = 200, body = Vec<OrderView>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<OrderForm>) -> Answer<Vec<OrderView>> {
    form.checked()?;
    let (diagnoses, person) = state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = open_visit(change, *id).await?;
            let diagnoses = runs::diagnoses_of(change.conn(), *id).await?;
            let listed: Vec<(String, String)> = diagnoses.iter().map(|d| (d.code.clone(), d.title.clone())).collect();
            let orderer = orderer(change, &me, &visit).await?;
            let wanted = For { person: visit.person_id, visit: Some(visit.id), orderer };
            form.add(change, &state, &me, &wanted, &listed).await?;
            Ok::<_, Problem>((diagnoses, visit.person_id))
        })
        .await?;
    let mut conn = state.store.reader().await?;
    let person = people::get(&mut conn, person).await?;
    Ok(Json(of_visit(&mut conn, &state, &person, *id, &diagnoses).await?))
}

/// The person's problems as an order or a prescription may lie under them: with a code, and still there.
pub async fn problems(conn: &mut Conn, person: Uuid) -> Result<Vec<(String, String)>, Problem> {
    let rows = chart::problems_of(conn, person).await?;
    let coded = rows.into_iter().filter(|p| p.state.counts() && !p.code.is_empty());
    Ok(coded.map(|p| (p.code, p.title)).collect())
}

/// Orders of a person without a visit, and the problems that they may lie under.
#[derive(Debug, Serialize, ToSchema)]
pub struct PersonOrders {
    orders: Vec<OrderView>,
    problems: Vec<views::OrderedFor>,
    /// What comes due again by itself.
    repeats: Vec<again::RepeatView>,
}

async fn beside_visits(conn: &mut Conn, state: &State, id: Uuid) -> Result<PersonOrders, Problem> {
    let person = people::get(conn, id).await?;
    let listed = problems(conn, id).await?;
    let rows = store::beside_visits(conn, id).await?;
    let links = store::links(conn, &rows.iter().map(|o| o.id).collect::<Vec<_>>()).await?;
    Ok(PersonOrders {
        orders: viewed(conn, state, &person, rows, (&links, &listed)).await?,
        repeats: again::repeats_of(conn, id).await?,
        problems: listed.into_iter().map(|(code, title)| views::OrderedFor { code, title }).collect(),
    })
}

#[utoipa::path(get, path = "/api/people/{id}/orders", params(("id" = Uuid, Path)), responses((status = 200, body = PersonOrders), (status = 404, body = Problem)))]
pub async fn of_person(state: Data<State>, id: Path<Uuid>) -> Answer<PersonOrders> {
    let mut conn = state.store.reader().await?;
    Ok(Json(beside_visits(&mut conn, &state, *id).await?))
}

/// Orders for a person without a visit, under their problems.
#[utoipa::path(post, path = "/api/people/{id}/orders", params(("id" = Uuid, Path)), request_body = OrderForm, responses((status = 200, body = PersonOrders), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn add_for_person(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<OrderForm>) -> Answer<PersonOrders> {
    form.checked()?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let person = people::get(change.conn(), *id).await?;
            may_be_ordered_for(&person)?;
            let orderer = match form.clinician {
                Some(clinician) => staff::get(change.conn(), clinician).await?,
                None => me.staff.clone(),
            };
            let signs = orderer.active && orderer.role.may(Permission::WriteNote);
            if !signs || (me.role.may(Permission::WriteNote) && orderer.id != me.staff.id) {
                return Err(Problem::field("clinician", "Choose the clinician who is to sign it."));
            }
            let listed = problems(change.conn(), *id).await?;
            let wanted = For { person: *id, visit: None, orderer };
            form.add(change, &state, &me, &wanted, &listed).await
        })
        .await?;
    let mut conn = state.store.reader().await?;
    Ok(Json(beside_visits(&mut conn, &state, *id).await?))
}

/// What was handed to the laboratory with this order, byte for byte.
#[utoipa::path(get, path = "/api/orders/{id}/sent", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/fhir+json", body = String), (status = 404, body = Problem)))]
pub async fn sent(state: Data<State>, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let document = store::order(&mut conn, *id).await?.sent_document_id;
    as_sent(&mut conn, document).await
}

/// A bundle as it was handed over.
pub async fn as_sent(conn: &mut Conn, document: Option<Uuid>) -> Result<HttpResponse, Problem> {
    let document = claims::document(conn, document.ok_or_else(|| Problem::not_found("file"))?).await?;
    Ok(HttpResponse::Ok()
        .content_type("application/fhir+json")
        .insert_header(("content-security-policy", "sandbox"))
        .insert_header(("content-disposition", format!("attachment; filename=\"{}.json\"", document.kind)))
        .body(document.content))
}
