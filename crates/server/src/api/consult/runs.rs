//! The runs of a note, begun in words or with a code, and the diagnoses of a visit: its runs that have one.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::claims::{MOST_DIAGNOSES, TOO_MANY_DIAGNOSES};
use harbor_core::consult::ProblemState;
use harbor_core::consult::diagnoses::lasts;
use harbor_core::fields::Faults;
use harbor_core::visit_line::Mark;
use harbor_store::Change;
use harbor_store::consult::lists::NewProblem;
use harbor_store::rows::{NoteRun, Visit};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct RunBegins {
    /// What it is about, in the writer's words.
    words: String,
}

fn words_of(text: &str) -> Result<String, Problem> {
    let mut faults = Faults::default();
    let words = faults.line("words", "The problem", text, 120);
    faults.none_or(words).map_err(Into::into)
}

/// Begins a run in words, after the others; its code may come later.
#[utoipa::path(post, path = "/api/visits/{id}/runs", params(("id" = Uuid, Path)), request_body = RunBegins, responses((status = 200, body = NoteRun), (status = 422, body = Problem)))]
pub async fn begin(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<RunBegins>) -> Answer<NoteRun> {
    let words = words_of(&form.words)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            Ok(Json(change.add_run(&visit, &words).await?))
        })
        .await
}

/// What becomes of a run: one of these.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum RunBecomes {
    /// Other words, for one without a code.
    Words(String),
    /// Its code, or another one; drafts that lie in it go along.
    Code(String),
    /// Its place among the runs, counted from 0; the main one stands first.
    Place(usize),
}

#[utoipa::path(put, path = "/api/visits/{id}/runs/{run}", params(("id" = Uuid, Path), ("run" = Uuid, Path)), request_body = RunBecomes, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn become_(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>, form: Json<RunBecomes>) -> Answer<Done> {
    let (id, run) = *ids;
    let becomes = match form.into_inner() {
        RunBecomes::Words(text) => RunBecomes::Words(words_of(&text)?),
        other => other,
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(id).await?;
            match &becomes {
                RunBecomes::Words(words) => change.name_run(&visit, run, words).await?,
                RunBecomes::Place(to) => {
                    not_charged(change, &visit).await?;
                    change.move_run(&visit, run, *to).await?;
                }
                RunBecomes::Code(code) => {
                    not_charged(change, &visit).await?;
                    let found =
                        state.tables.diagnoses.resolve(code).map_err(|e| Problem::field("code", e.to_string()))?;
                    change.recode_run(&visit, run, &found.code, &found.title).await?;
                    list_what_lasts(change, &visit, &[(found.code, found.title)]).await?;
                }
            }
            Ok(DONE)
        })
        .await
}

/// Takes a run away in which nothing is written and under which nothing lies.
#[utoipa::path(delete, path = "/api/visits/{id}/runs/{run}", params(("id" = Uuid, Path), ("run" = Uuid, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn drop_run(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(ids.0).await?;
            not_charged(change, &visit).await?;
            change.drop_run(&visit, ids.1).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct DiagnosesForm {
    /// Codes in their order, the main one first.
    codes: Vec<String>,
    /// The run in words that a new code is for; otherwise it gets a run of its own.
    into: Option<Uuid>,
}

/// What the release says of the codes together.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DiagnosesAnswer {
    advice: Vec<String>,
    stops: Vec<String>,
}

/// Sets the diagnoses of a visit, in their order; those that last join the person's problems.
pub async fn diagnose(
    change: &mut Change<'_>,
    visit: &Visit,
    wanted: &[(String, String)],
    into: Option<Uuid>,
) -> Result<(), Problem> {
    if wanted.len() > MOST_DIAGNOSES {
        return Err(Problem::field("codes", TOO_MANY_DIAGNOSES));
    }
    not_charged(change, visit).await?;
    change.set_diagnoses(visit, wanted, into).await?;
    list_what_lasts(change, visit, wanted).await
}

async fn not_charged(change: &mut Change<'_>, visit: &Visit) -> Result<(), Problem> {
    if change.has_reached(visit.id, Mark::Charged).await? {
        return Err(Problem::refused("charged", "The charges are completed; correct the claim instead."));
    }
    Ok(())
}

async fn list_what_lasts(
    change: &mut Change<'_>,
    visit: &Visit,
    diagnoses: &[(String, String)],
) -> Result<(), Problem> {
    for (code, title) in diagnoses.iter().filter(|(code, _)| lasts(code)) {
        let state = ProblemState::Active;
        let new = NewProblem { code, title, state, since: "", visit: Some(visit.id) };
        change.add_problem(visit.person_id, &new).await?;
    }
    Ok(())
}

#[utoipa::path(put, path = "/api/visits/{id}/diagnoses", params(("id" = Uuid, Path)), request_body = DiagnosesForm, responses((status = 200, body = DiagnosesAnswer), (status = 422, body = Problem)))]
pub async fn set_diagnoses(
    state: Data<State>,
    me: Me,
    id: Path<Uuid>,
    form: Json<DiagnosesForm>,
) -> Answer<DiagnosesAnswer> {
    let mut wanted: Vec<(String, String)> = Vec::new();
    for code in &form.codes {
        let found = state.tables.diagnoses.resolve(code).map_err(|e| Problem::field("codes", e.to_string()))?;
        if wanted.iter().any(|(c, _)| *c == found.code) {
            return Err(Problem::field("codes", format!("{} stands here already.", found.code)));
        }
        wanted.push((found.code, found.title));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            diagnose(change, &visit, &wanted, form.into).await?;
            let codes: Vec<&str> = wanted.iter().map(|(c, _)| c.as_str()).collect();
            let (stops, advice): (Vec<_>, Vec<_>) =
                state.tables.diagnoses.check_together(&codes).into_iter().partition(|f| f.stops_billing);
            let said =
                |list: Vec<harbor_core::consult::diagnoses::Finding>| list.into_iter().map(|f| f.sentence).collect();
            Ok(Json(DiagnosesAnswer { advice: said(advice), stops: said(stops) }))
        })
        .await
}
