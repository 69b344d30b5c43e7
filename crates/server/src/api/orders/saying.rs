//! What is said with an order before it is signed: answers to its questions, how soon, what is to be found out, by whom.

use super::views::asked;
use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::Faults;
use harbor_store::codes;
use harbor_store::documents::{OrderRequest, QuestionAnswer};
use harbor_store::{orders as store, people};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct OrderAnswer {
    question: String,
    answer: String,
}

/// Answers questions of an order, each as what it asks for; those that are not named stay as they are.
#[utoipa::path(put, path = "/api/orders/{id}/answers", params(("id" = Uuid, Path)), request_body = Vec<OrderAnswer>, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn answer(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<Vec<OrderAnswer>>) -> Answer<Done> {
    let now = state.now().with_timezone(&state.zone).naive_local();
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            let person = people::get(change.conn(), order.person_id).await?;
            let mut kept: Vec<QuestionAnswer> = order.answers.0.clone();
            for given in form.iter() {
                let question = asked(&state, &order, &person).into_iter().find(|q| q.text == given.question);
                let question = question.ok_or_else(|| Problem::field("answer", "This is not asked with the order."))?;
                let answer = question.answer(&given.answer, now).map_err(|s| Problem::field("answer", s))?;
                kept.retain(|a| a.question != question.text);
                if !answer.is_empty() {
                    kept.push(QuestionAnswer { asked: question.spec(), question: question.text, answer });
                }
            }
            change.answer_order(&order, kept).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RequestForm {
    priority: codes::Priority,
    #[serde(default)]
    question: String,
    #[serde(default)]
    to_whom: String,
    #[serde(default)]
    enclosed: Vec<codes::Enclosed>,
}

/// Says with an order how soon, what is to be found out, by whom, and what of the chart goes with it.
#[utoipa::path(put, path = "/api/orders/{id}/request", params(("id" = Uuid, Path)), request_body = RequestForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn request(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<RequestForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let question = faults.optional_line("question", "Question", &form.question, 1000);
    let to_whom = faults.optional_line("toWhom", "To whom", &form.to_whom, 200);
    faults.none_or(())?;
    let mut enclosed = form.enclosed.clone();
    enclosed.sort_by_key(|e| **e);
    enclosed.dedup();
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let order = store::order(change.conn(), *id).await?;
            let request = OrderRequest { question, to_whom, enclosed };
            change.request_order(&order, *form.priority, request).await?;
            Ok(DONE)
        })
        .await
}
