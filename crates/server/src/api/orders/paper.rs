//! The paper of an order: a requisition with its scannable reference, a request, a letter of referral, labels for specimens.

use super::hands::{ContainerView, needed};
use super::paying::Paying;
use super::views::asked;
use crate::access::Me;
use crate::api::consult::papers as chart_papers;
use crate::api::schedule::paper::{pdf, set};
use crate::papers::{born, head, local, telephone};
use crate::problem::Problem;
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Data, Path, Query};
use harbor_core::orders::kinds::Enclosed;
use harbor_core::orders::specimens::TakenWhere;
use harbor_core::orders::{OrderKind, Priority};
use harbor_core::people::age_in_words;
use harbor_paper::{Sheet, bars};
use harbor_store::orders::results;
use harbor_store::rows::{Order, OrderDiagnosis, Person, ResultValue};
use harbor_store::visit_line::visits;
use harbor_store::{Conn, orders as store, people};
use serde::Deserialize;
use serde_json::{Value, json};
use utoipa::IntoParams;
use uuid::Uuid;

/// A year of results goes with a letter, so many at most.
const RESULTS_ENCLOSED: i64 = 40;
const DAYS_ENCLOSED: i64 = 365;

/// What is scanned: the requisition's number, or the order's own where there is none.
fn reference(order: &Order) -> String {
    match &order.requisition {
        Some(requisition) => requisition.clone(),
        None => format!("O{}", &order.id.simple().to_string()[20..].to_uppercase()),
    }
}

fn scannable(reference: &str) -> Result<Vec<u8>, Problem> {
    bars(reference).map_err(|e| Problem::refused("paper", e.to_string()))
}

fn title(order: &Order) -> &'static str {
    match *order.kind {
        OrderKind::Laboratory => "Laboratory requisition",
        OrderKind::Imaging => "Request for imaging",
        OrderKind::Procedure => "Order, to be done here",
        OrderKind::Referral => "Referral",
    }
}

fn item(state: &State, person: &Person, order: &Order, links: &[OrderDiagnosis]) -> Value {
    let under: Vec<Value> =
        links.iter().filter(|l| l.order_id == order.id).map(|l| json!({ "code": l.code, "title": l.title })).collect();
    let answer = |q: harbor_core::orders::OrderQuestion| {
        let kept = order.answers.iter().find(|a| a.question == q.text);
        let words = kept.map_or("not answered", |a| a.answer.as_str());
        json!({ "label": q.text, "words": words })
    };
    json!({
        "name": order.test_name,
        "detail": order.specimen,
        "under": under,
        "answers": asked(state, order, person).into_iter().map(answer).collect::<Vec<_>>(),
    })
}

/// Who pays the laboratory, who answers for it, and the specimens that were taken; lines of a requisition.
async fn pays(conn: &mut Conn, state: &State, person: &Person, rows: &[Order]) -> Result<Vec<Value>, Problem> {
    let Some(first) = rows.first().filter(|o| *o.kind == OrderKind::Laboratory) else { return Ok(vec![]) };
    let paying = Paying::of(conn, state, person).await?;
    let policy = paying.told_of(conn, rows).await?.into_values().next();
    let line = |label: &str, words: String| json!({ "label": label, "words": words });
    let payer = first.bill_to.map_or("not said yet", |b| b.label());
    let mut out =
        vec![line("Paid by", [Some(payer.to_owned()), policy].into_iter().flatten().collect::<Vec<_>>().join(": "))];
    out.extend(paying.responsible.clone().map(|name| line("Responsible party", name)));
    let taken = match (first.taken_at, *first.taken_where) {
        (Some(at), _) => format!("{} by {}", local(state, at, "%B %-d, %Y at %-I:%M %p"), first.taken_by),
        (None, TakenWhere::Laboratory) => "to be taken at the laboratory".into(),
        (None, TakenWhere::Here) => "not taken yet".into(),
    };
    out.push(line("Specimens", taken));
    let into = |c: &ContainerView| {
        let container = if c.container.is_empty() { "container not listed" } else { &c.container };
        format!("{container} ({})", c.tests.join(", "))
    };
    let containers: Vec<String> = needed(state, rows).iter().map(|(c, _)| into(c)).collect();
    out.push(line("Containers", containers.join("; ")));
    Ok(out)
}

/// What of the chart goes with it, as it stands now.
async fn enclosed(conn: &mut Conn, state: &State, order: &Order, codes: &[&str]) -> Result<Vec<Value>, Problem> {
    let wanted = |e: Enclosed| order.request.enclosed.iter().any(|w| **w == e);
    let mut out = Vec::new();
    for list in chart_papers::lists(conn, order.person_id, state.today()).await? {
        let known =
            [(Enclosed::Problems, "Problems"), (Enclosed::Medicines, "Medicines"), (Enclosed::Allergies, "Allergies")];
        if known.iter().any(|(e, label)| list["label"] == *label && wanted(*e)) {
            out.push(list);
        }
    }
    if wanted(Enclosed::Results) {
        let from = state.now() - chrono::Duration::days(DAYS_ENCLOSED);
        let reports = results::of_person(conn, order.person_id, RESULTS_ENCLOSED).await?;
        let lines: Vec<String> = reports
            .iter()
            .filter(|r| r.row.issued_at >= from)
            .map(|r| {
                let values: Vec<String> = r.values.iter().map(ResultValue::in_words).collect();
                let seen = if r.row.reviewed_at.is_some() { "" } else { " (not reviewed)" };
                let told = if values.is_empty() { r.row.conclusion.clone() } else { values.join(", ") };
                format!("{}: {told}{seen}", local(state, r.row.issued_at, "%b %-d, %Y"))
            })
            .collect();
        let words = if lines.is_empty() { "none in the last year".into() } else { lines.join("\n") };
        out.push(json!({ "label": "Results of the last year", "words": words }));
    }
    if let Some(visit) = order.visit_id.filter(|_| wanted(Enclosed::Note)) {
        let visit = visits::get(conn, visit).await?;
        out.extend(chart_papers::written_for(conn, state, &visit, codes).await?);
    }
    Ok(out)
}

/// Everything of an order that goes out, also as a draft, which says so.
#[utoipa::path(get, path = "/api/orders/{id}/paper", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn paper(state: Data<State>, me: Me, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let data = {
        let mut conn = state.store.reader().await?;
        let order = store::order(&mut conn, *id).await?;
        let person = people::get(&mut conn, order.person_id).await?;
        let rows = match &order.requisition {
            Some(requisition) => store::of_requisition(&mut conn, requisition).await?,
            None => vec![order.clone()],
        };
        let links = store::links(&mut conn, &rows.iter().map(|o| o.id).collect::<Vec<_>>()).await?;
        let codes: Vec<&str> = links.iter().map(|l| l.code.as_str()).collect();
        let named = reference(&order);
        let at = |when| local(&state, when, "%B %-d, %Y at %-I:%M %p");
        let urgency = if order.priority == Priority::Routine { "" } else { order.priority.label() };
        let age = person.birth_date.map(|b| age_in_words(b, state.today()));
        let line =
            [Some(born(&person)), age, person.sex.map(|s| s.label().to_owned()), Some(person.record_number.clone())];
        let reach = [
            person.address_line.clone(),
            person.city.clone(),
            person.phone.as_deref().map(telephone).unwrap_or_default(),
        ];
        let parted = |parts: Vec<String>| parts.into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>().join(" · ");
        let data = json!({
            "head": head(&state),
            "title": if *order.kind == OrderKind::Referral { order.test_name.as_str() } else { title(&order) },
            "urgency": urgency,
            "dated": local(&state, order.signed_at.unwrap_or(order.ordered_at), "%B %-d, %Y"),
            "bars": scannable(&named)?,
            "reference": named,
            "to": order.request.to_whom,
            "patient": {
                "name": format!("{} {}", person.first_name, person.last_name),
                "line": parted(line.into_iter().flatten().collect()),
                "reach": parted(reach.to_vec()),
            },
            "question": order.request.question,
            "items": rows.iter().map(|o| item(&state, &person, o, &links)).collect::<Vec<_>>(),
            "pays": pays(&mut conn, &state, &person, &rows).await?,
            "enclosed": enclosed(&mut conn, &state, &order, &codes).await?,
            "signed": order.signed_at.map_or("Not signed: this is a draft.".into(), |s| format!("Signed by {}, {}", order.ordered_by, at(s))),
            "answer-to": if order.kind.goes_on_paper() { format!("Please answer to {}, {}.", order.ordered_by, state.clinic.name) } else { String::new() },
        });
        (order, data)
    };
    let (order, data) = data;
    let sheet = set(Sheet::Order, data).await?;
    chart_papers::leaving(&state, &me, "order", order.id, order.person_id).await?;
    Ok(pdf("order", sheet))
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct HowMany {
    /// Labels of each specimen, 1 to 20.
    #[serde(default)]
    each: Option<u32>,
}

/// Labels for the specimens of a requisition, each specimen so many times.
#[utoipa::path(get, path = "/api/orders/{id}/labels", params(("id" = Uuid, Path), HowMany), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn labels(
    state: Data<State>,
    me: Me,
    id: Path<Uuid>,
    asked: Query<HowMany>,
) -> Result<HttpResponse, Problem> {
    let each = asked.each.unwrap_or(1);
    if !(1..=20).contains(&each) {
        return Err(Problem::field("each", "Between 1 and 20 labels of each specimen."));
    }
    let (order, data) = {
        let mut conn = state.store.reader().await?;
        let order = store::order(&mut conn, *id).await?;
        let Some(requisition) = order.requisition.clone().filter(|_| *order.kind == OrderKind::Laboratory) else {
            return Err(Problem::refused(
                "no-requisition",
                "Labels bear the requisition's number: sign the order first.",
            ));
        };
        let person = people::get(&mut conn, order.person_id).await?;
        let rows = store::of_requisition(&mut conn, &requisition).await?;
        let taken = rows.iter().filter_map(|o| o.taken_at).min();
        let labels: Vec<Value> = needed(&state, &rows)
            .iter()
            .flat_map(|(c, _)| {
                let into = if c.container.is_empty() { &c.specimen } else { &c.container };
                (0..each).map(move |_| json!({ "specimen": into, "tests": c.tests.join(" ") }))
            })
            .collect();
        let data = json!({
            "patient": format!("{}, {}", person.last_name, person.first_name),
            "born": born(&person),
            "record": person.record_number,
            "bars": scannable(&requisition)?,
            "reference": requisition,
            "day": match taken {
                Some(at) => local(&state, at, "%b %-d, %Y %-I:%M %p"),
                None => local(&state, state.now(), "%b %-d, %Y"),
            },
            "labels": labels,
        });
        (order, data)
    };
    let sheet = set(Sheet::Labels, data).await?;
    chart_papers::leaving(&state, &me, "labels", order.id, order.person_id).await?;
    Ok(pdf("labels", sheet))
}
