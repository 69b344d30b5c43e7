//! Ordering tests, laying them under diagnoses, sending them.

pub mod results;
pub mod waiting;

use super::consult::chart::{OrderView, order_views};
use super::{DONE, Done, Typed};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Data, Json, Path, Query};
use harbor_core::fields::Faults;
use harbor_core::orders::search::find;
use harbor_core::orders::{OrderState, place, ready_to_send};
use harbor_core::visit_line::Mark;
use harbor_store::consult::runs;
use harbor_store::documents::{Doc, QuestionAnswer};
use harbor_store::rows::{Order, Visit};
use harbor_store::{Change, Conn, claims, orders as store};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TestView {
    code: String,
    name: String,
    short: String,
    loinc: String,
    specimen: String,
    questions: Vec<String>,
}

/// So many tests are offered for what is typed.
const OFFERED: usize = 20;

#[utoipa::path(get, path = "/api/lab-tests", params(Typed), responses((status = 200, body = Vec<TestView>)))]
pub async fn tests(state: Data<State>, typed: Query<Typed>) -> Json<Vec<TestView>> {
    let found = find(&state.tables.tests, &typed.q, OFFERED);
    let view = |t: &harbor_core::orders::LabTest| TestView {
        code: t.code.clone(),
        name: t.name.clone(),
        short: t.short.clone(),
        loinc: t.loinc.clone(),
        specimen: t.specimen.clone(),
        questions: t.questions.clone(),
    };
    Json(found.into_iter().map(view).collect())
}

/// A visit whose orders and prescriptions may still change.
pub async fn open_visit(change: &mut Change<'_>, id: Uuid) -> Result<Visit, Problem> {
    let visit = change.lock_visit(id).await?;
    if change.has_reached(id, Mark::Signed).await? {
        return Err(Problem::refused("note-signed", "The note is signed; order from a new visit."));
    }
    change.writable(&visit).await?;
    Ok(visit)
}

/// An order that is not sent yet, laid under the diagnoses that usually carry it.
pub async fn draft(
    change: &mut Change<'_>,
    state: &State,
    me: &Me,
    visit: &Visit,
    code: &str,
    listed: &[(String, String)],
) -> Result<Order, Problem> {
    let test = state
        .tables
        .test(code)
        .ok_or_else(|| Problem::field("tests", format!("The laboratory has no test {code}.")))?;
    let placement = place(test, listed);
    let codes: Vec<String> = placement.diagnoses.iter().map(|i| listed[*i].0.clone()).collect();
    let row = Order {
        id: Uuid::now_v7(),
        visit_id: visit.id,
        person_id: visit.person_id,
        test_code: test.code.clone(),
        test_name: test.name.clone(),
        loinc: test.loinc.clone(),
        specimen: test.specimen.clone(),
        state: OrderState::Draft.into(),
        answers: Doc::default(),
        placement_reason: placement.reason,
        requisition: None,
        ordered_at: state.now(),
        ordered_by: me.staff.name.clone(),
        orderer_id: me.staff.id,
        sent_at: None,
        sent_document_id: None,
        state_reason: String::new(),
    };
    Ok(change.add_order(row, &codes).await?)
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct OrderForm {
    /// Codes of the laboratory's list.
    tests: Vec<String>,
    /// The diagnosis of the run that they are ordered in; otherwise each goes where it usually lies.
    under: Option<String>,
}

#[utoipa::path(post, path = "/api/visits/{id}/orders", params(("id" = Uuid, Path)), request_body = OrderForm, responses((status = 200, body = Vec<OrderView>), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<OrderForm>) -> Answer<Vec<OrderView>> {
    if form.tests.is_empty() || form.tests.len() > 40 {
        return Err(Problem::field("tests", "Choose one test or more."));
    }
    let diagnoses = state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = open_visit(change, *id).await?;
            let diagnoses = runs::diagnoses_of(change.conn(), *id).await?;
            let listed: Vec<(String, String)> = diagnoses.iter().map(|d| (d.code.clone(), d.title.clone())).collect();
            for code in &form.tests {
                let order = draft(change, &state, &me, &visit, code, &listed).await?;
                if let Some(under) = &form.under {
                    if !listed.iter().any(|(code, _)| code == under) {
                        return Err(Problem::field("under", "The visit has no such diagnosis any more."));
                    }
                    change.link_order(&order, std::slice::from_ref(under)).await?;
                }
            }
            Ok::<_, Problem>(diagnoses)
        })
        .await?;
    let mut conn = state.store.reader().await?;
    Ok(Json(order_views(&mut conn, &state, *id, &diagnoses).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct PlaceForm {
    codes: Vec<String>,
}

/// Lays an order under these diagnoses and no other.
#[utoipa::path(put, path = "/api/orders/{id}/diagnoses", params(("id" = Uuid, Path)), request_body = PlaceForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn place_order(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PlaceForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            open_visit(change, order.visit_id).await?;
            if order.state != OrderState::Draft && form.codes.is_empty() {
                return Err(Problem::field("codes", "An order that was sent keeps at least one diagnosis."));
            }
            let mut codes = form.codes.clone();
            codes.sort();
            codes.dedup();
            change.link_order(&order, &codes).await?;
            Ok(DONE)
        })
        .await
}

#[utoipa::path(put, path = "/api/orders/{id}/answers", params(("id" = Uuid, Path)), request_body = Vec<QuestionAnswer>, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn answer(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<Vec<QuestionAnswer>>) -> Answer<Done> {
    let mut faults = Faults::default();
    let mut kept = Vec::new();
    for qa in form.iter().take(20) {
        let answer = faults.optional_line("answer", "Answer", &qa.answer, 200);
        kept.push(QuestionAnswer { question: qa.question.chars().take(200).collect(), answer });
    }
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            if order.state != OrderState::Draft {
                return Err(Problem::refused("sent", "The order has been sent; call the laboratory."));
            }
            change.answer_order(&order, kept).await?;
            Ok(DONE)
        })
        .await
}

#[utoipa::path(delete, path = "/api/orders/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
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

/// Answers as they are kept, as pairs.
pub fn answers_of(order: &Order) -> Vec<(String, String)> {
    order.answers.iter().map(|a| (a.question.clone(), a.answer.clone())).collect()
}

/// Sends every draft order of the visit; the first that is not ready says why.
#[utoipa::path(post, path = "/api/visits/{id}/orders/send", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn send(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = open_visit(change, *id).await?;
            let links = store::links(change.conn(), &[*id]).await?;
            let drafts: Vec<Order> = store::of_visits(change.conn(), &[*id])
                .await?
                .into_iter()
                .filter(|o| o.state == OrderState::Draft)
                .collect();
            if drafts.is_empty() {
                return Err(Problem::refused("nothing", "There is no order to send."));
            }
            for order in &drafts {
                let test = state.tables.test(&order.test_code).ok_or_else(|| Problem::not_found("test"))?;
                let placed = links.iter().filter(|l| l.order_id == order.id).count();
                ready_to_send(test, &answers_of(order), placed, None).map_err(|s| Problem::refused("not-ready", s))?;
            }
            let ids: Vec<Uuid> = drafts.iter().map(|o| o.id).collect();
            change.send_orders(&visit, &ids).await?;
            Ok(DONE)
        })
        .await
}
