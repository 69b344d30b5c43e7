//! Results that wait for their reviewer.

use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields;
use harbor_store::documents::{Doc, ReportedValue};
use harbor_store::orders::Unreviewed;
use harbor_store::people::registration::closed_charts;
use harbor_store::rows::{LabReport, Order};
use harbor_store::{orders, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ResultView {
    report: LabReport,
    person: Option<PersonCard>,
    order: Option<Order>,
    /// Earlier values of the same measurements, newest first: LOINC, when, value.
    earlier: Vec<EarlierValue>,
    /// What a corrected result said before.
    before: Option<LabReport>,
    /// The person's chart is under restriction and not open to the one who looks: nothing of it is told.
    closed: bool,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct EarlierValue {
    loinc: String,
    at: chrono::DateTime<chrono::Utc>,
    number: f64,
}

#[utoipa::path(get, path = "/api/results", responses((status = 200, body = Vec<ResultView>)))]
pub async fn list(state: Data<State>, me: Me, request: HttpRequest) -> Answer<Vec<ResultView>> {
    let mut conn = state.store.reader().await?;
    let waiting = orders::unreviewed_with_context(&mut conn).await?;
    let persons: Vec<Uuid> = waiting.iter().filter_map(|w| w.report.person_id).collect();
    let closed = closed_charts(&mut conn, &persons, me.staff.id, state.now()).await?;
    shown::listed(&request, "results", persons.iter().copied().filter(|p| !closed.contains(p)));
    let view = |mut w: Unreviewed| {
        let closed = w.report.person_id.is_some_and(|p| closed.contains(&p));
        if closed {
            w.report.content = Doc::default();
            (w.order, w.before, w.earlier) = (None, None, vec![]);
        }
        ResultView {
            person: w.person.map(|p| PersonCard::of(&p, state.today())),
            earlier: w.earlier.iter().flat_map(values).collect(),
            order: w.order,
            before: w.before,
            report: w.report,
            closed,
        }
    };
    Ok(Json(waiting.into_iter().map(view).collect()))
}

/// The numbers of a report.
fn values(report: &LabReport) -> Vec<EarlierValue> {
    let number =
        |v: &ReportedValue| Some(EarlierValue { loinc: v.loinc.clone(), at: report.issued_at, number: v.number? });
    report.content.iter().filter_map(number).collect()
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ReviewForm {
    #[serde(default)]
    comment: String,
}

#[utoipa::path(post, path = "/api/results/{id}/review", params(("id" = Uuid, Path)), request_body = ReviewForm, responses((status = 200, body = LabReport), (status = 422, body = Problem)))]
pub async fn review(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ReviewForm>) -> Answer<LabReport> {
    let comment = fields::prose("Comment", &form.comment, 2000).map_err(|s| Problem::field("comment", s))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            if orders::report(change.conn(), *id).await?.person_id.is_none() {
                return Err(Problem::refused("uncertain", "File the result under its person first."));
            }
            let row = change.review_report(*id, &comment).await?;
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MatchForm {
    person_id: Uuid,
}

#[utoipa::path(post, path = "/api/results/{id}/match", params(("id" = Uuid, Path)), request_body = MatchForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn match_to_person(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<MatchForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            people::get(change.conn(), form.person_id).await?;
            // What is filed is seen there at once: the chart must be open to the one who files.
            if !closed_charts(change.conn(), &[form.person_id], me.staff.id, state.now()).await?.is_empty() {
                return Err(Problem::restricted_chart());
            }
            change.match_report(*id, form.person_id).await?;
            Ok(DONE)
        })
        .await
}
