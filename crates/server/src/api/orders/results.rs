//! Results that wait for their reader: listed, opened, signed, handed on.

pub mod filing;
pub mod grid;
pub mod telling;

use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use actix_web::{HttpRequest, HttpResponse};
use chrono::{DateTime, Utc};
use harbor_core::fields;
use harbor_core::house::permissions::Permission;
use harbor_core::orders::review::{Signable, not_together};
use harbor_core::orders::truth::{Worded, changed};
use harbor_core::orders::units::{converted, shown as unit_shown};
use harbor_store::house::staff;
use harbor_store::orders::results::filing::filings_of_report;
use harbor_store::orders::results::rising::risings_of;
use harbor_store::orders::results::stand_ins;
use harbor_store::orders::results::{self as store, Report, Waiting};
use harbor_store::people::registration::closed_charts;
use harbor_store::rows::{LabReport, Order, ReportFile, ResultFiling, ResultValue};
use harbor_store::{Conn, codes, orders, people};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// A value as it is told in a list.
#[derive(Debug, Serialize, ToSchema)]
pub struct ToldValue {
    name: String,
    /// With the unit.
    words: String,
    flag: Option<codes::Interpretation>,
}

/// A report with its values in words.
#[derive(Debug, Serialize, ToSchema)]
pub struct ToldReport {
    #[serde(flatten)]
    row: LabReport,
    values: Vec<ToldValue>,
}

impl From<Report> for ToldReport {
    fn from(report: Report) -> ToldReport {
        let told = |v: ResultValue| ToldValue { words: v.told(), name: v.name, flag: v.flag };
        ToldReport { row: report.row, values: report.values.into_iter().map(told).collect() }
    }
}

/// Who had a result before their eyes and did not sign it.
#[derive(Debug, Clone, Serialize, ToSchema)]
pub struct ResultLook {
    name: String,
    at: DateTime<Utc>,
    /// The one who asks.
    me: bool,
}

/// A result in the list of those that wait.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WaitingResult {
    id: Uuid,
    number: String,
    /// What was ordered, or else what the laboratory calls it.
    name: String,
    /// The laboratory's code of what was ordered.
    test_code: Option<String>,
    status: codes::ReportStatus,
    urgency: codes::Urgency,
    received_at: DateTime<Utc>,
    person: Option<PersonCard>,
    /// Whom the laboratory named, where the person is not certain.
    named: String,
    /// Who is to read it; nobody where everybody may.
    reader: Option<String>,
    mine: bool,
    /// Values that are marked.
    outside: usize,
    /// It is as usual and the one who asks looked at it: it may be signed with others.
    together: bool,
    looks: Vec<ResultLook>,
    /// The person's chart is under restriction and not open to the one who looks: nothing of it is told.
    closed: bool,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct WaitingResults {
    waiting: Vec<WaitingResult>,
    /// How many wait in all, also those that the list does not hold.
    count: i64,
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct WhoseResults {
    /// Those of all readers; otherwise one's own and those that are nobody's.
    #[serde(default)]
    all: bool,
}

async fn names(conn: &mut Conn) -> Result<HashMap<Uuid, String>, Problem> {
    Ok(staff::all(conn).await?.into_iter().map(|s| (s.id, s.name)).collect())
}

/// Results that nobody has signed, the most pressing first, then the oldest. Who signs none sees all that wait.
#[utoipa::path(get, path = "/api/results", params(WhoseResults), responses((status = 200, body = WaitingResults)))]
pub async fn list(
    state: Data<State>,
    me: Me,
    asked: Query<WhoseResults>,
    request: HttpRequest,
) -> Answer<WaitingResults> {
    let mut conn = state.store.reader().await?;
    let reads = me.role.may(Permission::ReviewResults);
    let readers = stand_ins::readers(&mut conn, me.staff.id, state.today()).await?;
    let (waiting, count) = store::waiting(&mut conn, (reads && !asked.all).then_some(&readers[..])).await?;
    let persons: Vec<Uuid> = waiting.iter().filter_map(|w| w.report.row.person_id).collect();
    let closed = closed_charts(&mut conn, &persons, me.staff.id, state.now()).await?;
    shown::listed(&request, "results", persons.iter().copied().filter(|p| !closed.contains(p)));
    let ids: Vec<Uuid> = waiting.iter().map(|w| w.report.row.id).collect();
    let looks = store::looks_at(&mut conn, &ids).await?;
    let names = names(&mut conn).await?;
    let view = |w: Waiting| {
        let row = w.report.row;
        let closed = row.person_id.is_some_and(|p| closed.contains(&p));
        let told = |text: String| if closed { String::new() } else { text };
        let seen = looks.iter().any(|(report, who, ..)| *report == row.id && *who == me.staff.id);
        WaitingResult {
            name: told(w.order.as_ref().map_or(row.name.clone(), |o| o.test_name.clone())),
            test_code: w.order.map(|o| o.test_code).filter(|_| !closed),
            named: [row.subject.last.as_str(), row.subject.first.as_str()]
                .into_iter()
                .filter(|n| !n.is_empty() && w.person.is_none())
                .collect::<Vec<_>>()
                .join(", "),
            person: w.person.map(|p| PersonCard::of(&p, state.today())),
            reader: row.reviewer_id.and_then(|id| names.get(&id).cloned()),
            mine: row.reviewer_id.is_some_and(|id| readers.contains(&id)),
            outside: if closed { 0 } else { w.report.values.iter().filter(|v| v.is_outside()).count() },
            together: !closed && not_together(signable(&row, seen)).is_none(),
            looks: looks
                .iter()
                .filter(|(report, ..)| *report == row.id)
                .map(|(_, who, name, at)| ResultLook { name: name.clone(), at: *at, me: *who == me.staff.id })
                .collect(),
            urgency: row.urgency,
            status: row.status,
            received_at: row.received_at,
            number: row.number,
            id: row.id,
            closed,
        }
    };
    Ok(Json(WaitingResults { waiting: waiting.into_iter().map(view).collect(), count }))
}

/// A value of a result, with what stands beside it.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ValueView {
    value: ResultValue,
    /// What was said, without the unit: `<5`, `no growth`.
    words: String,
    /// The unit as people write it.
    unit: String,
    /// The usual range in words.
    range: String,
    /// It is marked.
    outside: bool,
    /// It may be drawn: an exact number.
    exact: Option<f64>,
    /// What it said before it was corrected.
    was: Option<String>,
    /// The same test before, the oldest first.
    earlier: Vec<EarlierValue>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct EarlierValue {
    report_id: Uuid,
    at: DateTime<Utc>,
    words: String,
    /// As it was reported.
    unit: String,
    /// In the unit of the value it stands beside; nothing where that is not defined, or it is no exact number.
    number: Option<f64>,
    /// It was reported in another unit, and is converted.
    converted: bool,
    flag: Option<codes::Interpretation>,
    outside: bool,
}

/// A question with which a result was handed on.
#[derive(Debug, Serialize, ToSchema)]
pub struct AskedOfColleague {
    from: String,
    to: String,
    question: String,
    at: DateTime<Utc>,
}

/// A step that a critical result took by itself.
#[derive(Debug, Serialize, ToSchema)]
pub struct ResultRisen {
    to: String,
    at: DateTime<Utc>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ResultView {
    report: LabReport,
    values: Vec<ValueView>,
    person: Option<PersonCard>,
    order: Option<Order>,
    /// Values of the report it replaces that are not there any more.
    gone: Vec<String>,
    reader: Option<String>,
    mine: bool,
    looks: Vec<ResultLook>,
    questions: Vec<AskedOfColleague>,
    /// To whom it rose by itself, because nobody signed it.
    risen: Vec<ResultRisen>,
    files: Vec<ReportFile>,
    /// Where it was filed by somebody, and taken away.
    filings: Vec<ResultFiling>,
}

fn worded(report: &Report) -> Vec<Worded> {
    let one = |v: &ResultValue| Worded { test_key: v.test_key.clone(), name: v.name.clone(), words: v.told() };
    report.values.iter().map(one).collect()
}

fn earlier_of(value: &ResultValue, all: &[(LabReport, ResultValue)]) -> Vec<EarlierValue> {
    let one = |(report, v): &(LabReport, ResultValue)| {
        let number = v.said().exactly().and_then(|n| converted(n, &v.unit, &value.unit));
        EarlierValue {
            report_id: report.id,
            at: report.issued_at,
            words: v.said().in_words(),
            unit: unit_shown(&v.unit),
            converted: number.is_some() && v.unit != value.unit,
            number,
            flag: v.flag,
            outside: v.is_outside(),
        }
    };
    all.iter().filter(|(_, v)| v.test_key == value.test_key).map(one).collect()
}

/// A result with everything that is looked at beside it; also one that was signed long ago.
#[utoipa::path(get, path = "/api/results/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = ResultView), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<ResultView> {
    Ok(Json(state.store.at_one_moment(async |conn| view(conn, &state, &me, *id).await).await?))
}

async fn view(conn: &mut Conn, state: &State, me: &Me, id: Uuid) -> Result<ResultView, Problem> {
    let row = store::report(conn, id).await?;
    let report = store::with_values(conn, vec![row]).await?.pop().ok_or_else(|| Problem::not_found("result"))?;
    let before = match report.row.replaces {
        Some(before) => {
            let row = store::report(conn, before).await?;
            store::with_values(conn, vec![row]).await?.pop()
        }
        None => None,
    };
    let told = before.as_ref().map(|before| changed(&worded(&report), &worded(before))).unwrap_or_default();
    let earlier = store::earlier_than(conn, &report.row).await?;
    let person = match report.row.person_id {
        Some(person) => Some(people::get(conn, person).await?),
        None => None,
    };
    let order = match report.row.order_id {
        Some(order) => Some(orders::order(conn, order).await?),
        None => None,
    };
    let readers = stand_ins::readers(conn, me.staff.id, state.today()).await?;
    let names = names(conn).await?;
    let name = |id: Uuid| names.get(&id).cloned().unwrap_or_default();
    let looks = store::looks_at(conn, &[id]).await?;
    let questions = store::questions_of(conn, id).await?;
    let mut was = told.was.into_iter();
    let values = report.values.into_iter().map(|value| ValueView {
        words: value.said().in_words(),
        unit: unit_shown(&value.unit),
        range: value.usual_range(),
        outside: value.is_outside(),
        exact: value.said().exactly(),
        was: was.next().flatten(),
        earlier: earlier_of(&value, &earlier),
        value,
    });
    Ok(ResultView {
        values: values.collect(),
        person: person.map(|p| PersonCard::of(&p, state.today())),
        order,
        gone: told.gone,
        reader: report.row.reviewer_id.map(name),
        mine: report.row.reviewer_id.is_some_and(|id| readers.contains(&id)),
        looks: looks.into_iter().map(|(_, who, name, at)| ResultLook { name, at, me: who == me.staff.id }).collect(),
        questions: questions
            .into_iter()
            .map(|q| AskedOfColleague {
                from: name(q.from_id),
                to: name(q.to_id),
                question: q.question,
                at: q.asked_at,
            })
            .collect(),
        risen: risings_of(conn, id)
            .await?
            .into_iter()
            .map(|s| ResultRisen { to: name(s.to_id), at: s.risen_at })
            .collect(),
        files: store::files_of(conn, id).await?,
        filings: filings_of_report(conn, id).await?,
        report: report.row,
    })
}

/// A file that came with a result, byte for byte.
#[utoipa::path(get, path = "/api/results/{id}/files/{position}", params(("id" = Uuid, Path), ("position" = i32, Path)), responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream"), (status = 404, body = Problem)))]
pub async fn file(state: Data<State>, ids: Path<(Uuid, i32)>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let files = store::files_of(&mut conn, ids.0).await?;
    let file = files.into_iter().find(|f| f.position == ids.1).ok_or_else(|| Problem::not_found("file"))?;
    // Shown as what its bytes are, never as what it calls itself.
    let kind = if file.content.starts_with(b"%PDF-") { "application/pdf" } else { "application/octet-stream" };
    Ok(HttpResponse::Ok()
        .content_type(kind)
        .insert_header(("Content-Disposition", if kind == "application/pdf" { "inline" } else { "attachment" }))
        .body(file.content))
}

/// Says that one has a result before one's eyes; whoever looked and did not sign is shown.
#[utoipa::path(post, path = "/api/results/{id}/looked", params(("id" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem)))]
pub async fn looked(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    let mut conn = state.store.reader().await?;
    if store::looks_at(&mut conn, &[*id]).await?.iter().any(|(_, who, ..)| *who == me.staff.id) {
        return Ok(DONE);
    }
    drop(conn);
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            store::report(change.conn(), *id).await?;
            change.look_at_report(*id, me.staff.id).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ReviewForm {
    #[serde(default)]
    comment: String,
    /// The patient is told that it is here.
    tell: Option<telling::TellBy>,
}

#[utoipa::path(post, path = "/api/results/{id}/review", params(("id" = Uuid, Path)), request_body = ReviewForm, responses((status = 200, body = LabReport), (status = 422, body = Problem)))]
pub async fn review(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ReviewForm>) -> Answer<LabReport> {
    let comment = fields::prose("Comment", &form.comment, 2000).map_err(|s| Problem::field("comment", s))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            if store::report(change.conn(), *id).await?.person_id.is_none() {
                return Err(Problem::refused("uncertain", "File the result under its person first."));
            }
            let row = change.review_report(*id, &comment).await?;
            if let Some(by) = form.tell {
                telling::tell_of(change, &state, &row, by).await?;
            }
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ReviewManyForm {
    ids: Vec<Uuid>,
}

/// A result that was not signed with the others, and why.
#[derive(Debug, Serialize, ToSchema)]
pub struct LeftUnsigned {
    id: Uuid,
    why: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct SignedTogether {
    signed: Vec<Uuid>,
    left: Vec<LeftUnsigned>,
}

/// Signs all of these that are as usual and that one has looked at; each other stays, with the reason.
#[utoipa::path(post, path = "/api/results/review-usual", request_body = ReviewManyForm, responses((status = 200, body = SignedTogether), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn review_usual(state: Data<State>, me: Me, form: Json<ReviewManyForm>) -> Answer<SignedTogether> {
    if form.ids.is_empty() || form.ids.len() > 200 {
        return Err(Problem::field("ids", "Choose between 1 and 200 results."));
    }
    let mut conn = state.store.reader().await?;
    let left = left_unsigned(&mut conn, &state, &me, &form.ids).await?;
    drop(conn);
    if left.len() == form.ids.len() {
        return Ok(Json(SignedTogether { signed: vec![], left }));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            // What became of one meanwhile counts.
            let left = left_unsigned(change.conn(), &state, &me, &form.ids).await?;
            let mut signed = Vec::new();
            for id in form.ids.iter().filter(|id| left.iter().all(|l| l.id != **id)) {
                change.review_report(*id, "").await?;
                signed.push(*id);
            }
            Ok(Json(SignedTogether { signed, left }))
        })
        .await
}

/// What the rules need to know of a report that is to be signed with others.
fn signable(row: &LabReport, seen: bool) -> Signable {
    Signable {
        status: *row.status,
        urgency: *row.urgency,
        replaces: row.replaces.is_some(),
        person_is_certain: row.person_id.is_some(),
        seen,
    }
}

/// Which of these are not signed together, and why.
async fn left_unsigned(conn: &mut Conn, state: &State, me: &Me, ids: &[Uuid]) -> Result<Vec<LeftUnsigned>, Problem> {
    let looks = store::looks_at(conn, ids).await?;
    let mut left = Vec::new();
    for id in ids {
        let row = store::report(conn, *id).await?;
        let person: Vec<Uuid> = row.person_id.into_iter().collect();
        let closed = closed_charts(conn, &person, me.staff.id, state.now()).await?;
        let seen = looks.iter().any(|(report, who, ..)| report == id && *who == me.staff.id);
        let why = match not_together(signable(&row, seen)) {
            _ if !closed.is_empty() => Some("Its chart is under restriction."),
            _ if row.replaced || row.reviewed_at.is_some() => Some("It is signed already, or was replaced."),
            why => why,
        };
        left.extend(why.map(|why| LeftUnsigned { id: *id, why: why.to_owned() }));
    }
    Ok(left)
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct HandOnForm {
    /// The colleague who reads it from now on.
    to: Uuid,
    question: String,
}

/// Hands a result on to a colleague who signs results, with a question.
#[utoipa::path(post, path = "/api/results/{id}/hand-on", params(("id" = Uuid, Path)), request_body = HandOnForm, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn hand_on(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<HandOnForm>) -> Answer<Done> {
    let question = fields::prose("Question", &form.question, 1000).map_err(|s| Problem::field("question", s))?;
    if question.is_empty() {
        return Err(Problem::field("question", "Say what you ask."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            store::report(change.conn(), *id).await?;
            let colleague = staff::get(change.conn(), form.to).await?;
            if colleague.id == me.staff.id {
                return Err(Problem::field("to", "It is yours already; choose a colleague."));
            }
            if !colleague.active || !colleague.role.may(Permission::ReviewResults) {
                return Err(Problem::field("to", format!("{} does not sign results.", colleague.name)));
            }
            change.hand_report_on(*id, me.staff.id, colleague.id, &question).await?;
            Ok(DONE)
        })
        .await
}
