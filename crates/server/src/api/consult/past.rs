//! Reading a chart: the past as a line of time, words found in notes, a note and the whole chart on paper.

use super::papers;
use crate::access::Me;
use crate::api::schedule::paper::{pdf, set};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Data, Json, Path, Query};
use chrono::{DateTime, NaiveDate, Utc};
use harbor_paper::Sheet;
use harbor_store::consult::{heads, past, runs};
use harbor_store::rows::Visit;
use harbor_store::visit_line::visits;
use harbor_store::{Conn, codes, orders, people, prescribing};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// Visits of one page of the line of time.
const PAGE: i64 = 40;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct PastAsked {
    /// Only what lies before; all of it without.
    before: Option<DateTime<Utc>>,
}

/// What was in one visit.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PastVisit {
    visit_id: Uuid,
    starts_at: DateTime<Utc>,
    kind: codes::VisitKind,
    reason: String,
    clinician_id: Uuid,
    /// The problems handled, the main one first.
    problems: Vec<String>,
    ordered: Vec<String>,
    prescribed: Vec<String>,
    signed: bool,
    struck: bool,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct Past {
    visits: Vec<PastVisit>,
    /// There is more before.
    more: bool,
}

async fn told(conn: &mut Conn, rows: &[Visit]) -> Result<Vec<PastVisit>, Problem> {
    let ids: Vec<Uuid> = rows.iter().map(|v| v.id).collect();
    let mut problems: HashMap<Uuid, Vec<String>> = HashMap::new();
    for run in runs::of_visits(conn, &ids).await? {
        problems.entry(run.visit_id).or_default().push(run.title);
    }
    let mut ordered: HashMap<Uuid, Vec<String>> = HashMap::new();
    for order in orders::of_visits(conn, &ids).await? {
        ordered.entry(order.visit_id.unwrap_or_default()).or_default().push(order.test_name);
    }
    let mut prescribed: HashMap<Uuid, Vec<String>> = HashMap::new();
    for p in prescribing::of_visits(conn, &ids).await? {
        prescribed.entry(p.visit_id.unwrap_or_default()).or_default().push(p.medicine);
    }
    let signed = heads::signed_among(conn, &ids).await?;
    let struck = heads::struck_among(conn, &ids).await?;
    let one = |v: &Visit| PastVisit {
        visit_id: v.id,
        starts_at: v.starts_at,
        kind: v.kind,
        reason: v.reason.clone(),
        clinician_id: v.clinician_id,
        problems: problems.remove(&v.id).unwrap_or_default(),
        ordered: ordered.remove(&v.id).unwrap_or_default(),
        prescribed: prescribed.remove(&v.id).unwrap_or_default(),
        signed: signed.contains(&v.id),
        struck: struck.contains(&v.id),
    };
    Ok(rows.iter().map(one).collect())
}

/// The visits at which a person was seen, the newest first.
#[utoipa::path(get, path = "/api/people/{id}/past", params(("id" = Uuid, Path), PastAsked), responses((status = 200, body = Past)))]
pub async fn show(state: Data<State>, id: Path<Uuid>, asked: Query<PastAsked>) -> Answer<Past> {
    let mut conn = state.store.reader().await?;
    let (rows, more) = past::seen(&mut conn, *id, asked.before, PAGE).await?;
    Ok(Json(Past { visits: told(&mut conn, &rows).await?, more }))
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct WordsAsked {
    words: String,
}

/// A stretch of words, found or around.
#[derive(Debug, Serialize, ToSchema)]
pub struct Stretch {
    text: String,
    found: bool,
}

/// Where words were found in the notes of a person.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FoundInNotes {
    visit_id: Uuid,
    day: NaiveDate,
    /// What the part is called, with the problem that it is of.
    place: String,
    struck: bool,
    words: Vec<Stretch>,
}

fn stretches(snippet: &str) -> Vec<Stretch> {
    let mut out = Vec::new();
    for (n, piece) in snippet.split(['\u{2}', '\u{3}']).enumerate() {
        if !piece.is_empty() {
            out.push(Stretch { text: piece.to_owned(), found: n % 2 == 1 });
        }
    }
    out
}

/// Finds words, by their beginnings and in their forms, in the notes of one person.
#[utoipa::path(get, path = "/api/people/{id}/notes", params(("id" = Uuid, Path), WordsAsked), responses((status = 200, body = Vec<FoundInNotes>)))]
pub async fn search(state: Data<State>, id: Path<Uuid>, asked: Query<WordsAsked>) -> Answer<Vec<FoundInNotes>> {
    let mut conn = state.store.reader().await?;
    let found = past::find(&mut conn, *id, &asked.words).await?;
    let one = |f: past::Found| {
        let part = harbor_core::consult::NotePart::from_code(&f.part).map_or("Addendum", |p| p.label());
        FoundInNotes {
            visit_id: f.visit_id,
            day: f.day,
            place: f.run.map_or_else(|| part.to_owned(), |run| format!("{part}, {run}")),
            struck: f.struck,
            words: stretches(&f.snippet),
        }
    };
    Ok(Json(found.into_iter().map(one).collect()))
}

/// A note as it stands, on paper; one that is not signed says so.
#[utoipa::path(get, path = "/api/visits/{id}/note-paper", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn note_paper(state: Data<State>, me: Me, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let visit = {
        let mut conn = state.store.reader().await?;
        visits::get(&mut conn, *id).await?
    };
    let data = papers::note(&state, &visit).await?;
    let paper = set(Sheet::Note, data).await?;
    papers::leaving(&state, &me, "note", visit.id, visit.person_id).await?;
    Ok(pdf("note", paper))
}

/// The chart of a person on paper: what holds now, and the visits.
#[utoipa::path(get, path = "/api/people/{id}/chart-paper", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn chart_paper(state: Data<State>, me: Me, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let person = {
        let mut conn = state.store.reader().await?;
        people::get(&mut conn, *id).await?
    };
    let data = papers::chart(&state, &person).await?;
    let paper = set(Sheet::Chart, data).await?;
    papers::leaving(&state, &me, "chart", person.id, person.id).await?;
    Ok(pdf("chart", paper))
}

/// The visits on the paper of a chart.
pub async fn last_visits(conn: &mut Conn, person: Uuid) -> Result<Vec<PastVisit>, Problem> {
    let (rows, _) = past::seen(conn, person, None, 20).await?;
    told(conn, &rows).await
}

impl PastVisit {
    /// Its day, and what it was about, for paper.
    pub fn in_words(&self) -> (DateTime<Utc>, String) {
        let about = if self.problems.is_empty() { self.reason.clone() } else { self.problems.join("; ") };
        let said = [("ordered: ", &self.ordered), ("prescribed: ", &self.prescribed)];
        let said =
            said.iter().filter(|(_, list)| !list.is_empty()).map(|(word, list)| format!("{word}{}", list.join(", ")));
        let struck = self.struck.then(|| "struck in error".to_owned());
        (self.starts_at, std::iter::once(about).chain(said).chain(struck).collect::<Vec<_>>().join(" · "))
    }
}
