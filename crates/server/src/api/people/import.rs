//! Bringing people, policies and balances in from a file: a dry run says row by row what would happen, then it happens, some
//! lines at a time, and can be taken back as a whole.

mod known;
mod newcomers;

use crate::access::Me;
use crate::api::coverage::policies::{CoverageForm, policy};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Bytes, Data, Json, Path, Query};
use chrono::NaiveDate;
use harbor_core::coverage::holder_refusal;
use harbor_core::fields::Faults;
use harbor_core::people::importing::ImportKind;
use harbor_formats::incoming::{Fields, IncomingPerson, IncomingPolicy};
use harbor_formats::{csv_people, fhir};
use harbor_store::people::imports::{self, Brought};
use harbor_store::rows::{Import, Payer};
use harbor_store::{Change, StoreError, coverage, tidings};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};
use std::collections::HashSet;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// So many people come in with one file.
const MOST: usize = 50_000;
/// So many lines come in with one change: everybody else saves between them.
const AT_ONCE: usize = 500;

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct ImportAsked {
    /// True writes nothing and says what would happen.
    dry_run: bool,
    /// Lines, with commas, of people who come in although somebody here is likely the same: they were looked at.
    #[serde(default)]
    also: String,
    /// The import's id, of the sender's making: how far it is is told under it, and it is taken back by it.
    id: Option<Uuid>,
    /// What the file is called, for the list of what came in.
    #[serde(default)]
    file: String,
}

impl ImportAsked {
    fn also(&self) -> Result<HashSet<u64>, Problem> {
        let lines = self.also.split(',').filter(|line| !line.is_empty()).map(str::parse);
        lines.collect::<Result<_, _>>().map_err(|_| Problem::field("also", "Lines are numbers with commas between."))
    }
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RowVerdict {
    line: u64,
    name: String,
    /// added, twin or refused.
    verdict: String,
    sentence: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ImportAnswer {
    rows: Vec<RowVerdict>,
    added: usize,
    twins: usize,
    refused: usize,
    /// Headings that nobody knows; their columns are left out.
    unknown_headings: Vec<String>,
    dry_run: bool,
    /// By this it is taken back; nothing when nobody came in.
    id: Option<Uuid>,
}

/// What happens to one row.
enum Outcome {
    Added(String),
    /// Here already.
    Twin(String),
    Refused(String),
}

/// Imports people with their first policy. Rows that are refused or likely registered already are left
/// out and told; all others are added.
#[utoipa::path(post, path = "/api/import/people", params(ImportAsked), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = ImportAnswer), (status = 422, body = Problem)))]
pub async fn people(state: Data<State>, me: Me, asked: Query<ImportAsked>, body: Bytes) -> Answer<ImportAnswer> {
    let file = read(move || csv_people::read(&body)).await?;
    bring_in(&state, &me, &asked, ImportKind::People, file.rows, file.unknown).await
}

/// Imports policies of people who are known here by their record number.
#[utoipa::path(post, path = "/api/import/policies", params(ImportAsked), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = ImportAnswer), (status = 422, body = Problem)))]
pub async fn policies(state: Data<State>, me: Me, asked: Query<ImportAsked>, body: Bytes) -> Answer<ImportAnswer> {
    let file = read(move || csv_people::read_policies(&body)).await?;
    bring_in(&state, &me, &asked, ImportKind::Policies, file.rows, file.unknown).await
}

/// Imports balances from before this ledger, of people who are known here by their record number. A line that
/// came in before is not taken again.
#[utoipa::path(post, path = "/api/import/balances", params(ImportAsked), request_body(content = String, content_type = "text/csv"), responses((status = 200, body = ImportAnswer), (status = 422, body = Problem)))]
pub async fn balances(state: Data<State>, me: Me, asked: Query<ImportAsked>, body: Bytes) -> Answer<ImportAnswer> {
    let file = read(move || csv_people::read_balances(&body)).await?;
    bring_in(&state, &me, &asked, ImportKind::Balances, file.rows, file.unknown).await
}

/// Imports people with their policies from a FHIR R4 bundle, or one Patient.
#[utoipa::path(post, path = "/api/import/fhir", params(ImportAsked), request_body(content = String, content_type = "application/fhir+json"), responses((status = 200, body = ImportAnswer), (status = 422, body = Problem)))]
pub async fn fhir(state: Data<State>, me: Me, asked: Query<ImportAsked>, body: Bytes) -> Answer<ImportAnswer> {
    let fault = |e: harbor_formats::Located| {
        format!("The file is no FHIR bundle of people: {} should be {}.", e.id, e.expected)
    };
    let rows = read(move || fhir::person::read(&body).map_err(fault)).await?;
    bring_in(&state, &me, &asked, ImportKind::People, rows, vec![]).await
}

/// Reads a file beside those who are served meanwhile.
async fn read<T: Send + 'static, E: ToString + Send + 'static>(
    work: impl FnOnce() -> Result<T, E> + Send + 'static,
) -> Result<T, Problem> {
    let read = actix_web::web::block(work).await.map_err(|e| Problem::refused("unreadable", e.to_string()))?;
    read.map_err(|e| Problem::refused("unreadable", e.to_string()))
}

/// What came in from files lately, the newest first.
#[utoipa::path(get, path = "/api/imports", responses((status = 200, body = Vec<Import>)))]
pub async fn list(state: Data<State>) -> Answer<Vec<Import>> {
    Ok(Json(imports::newest(&mut *state.store.reader().await?).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TakeBack {
    /// It is known who stays, since they were worked with.
    #[serde(default)]
    leave_used: bool,
}

/// Takes back what came in with a file. Whoever was worked with since stays; the first time that is refused with who they
/// are (`used-since`).
#[utoipa::path(post, path = "/api/imports/{id}/take-back", params(("id" = Uuid, Path)), request_body = TakeBack, responses((status = 200, body = Import), (status = 422, body = Problem)))]
pub async fn take_back(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<TakeBack>) -> Answer<Import> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| Ok(Json(change.take_import_back(*id, form.leave_used).await?)))
        .await
}

/// What decides row by row, some of a file at a time.
trait Lines {
    /// Takes the next lines in, or says why not; each gets its outcome, and what came in is noted.
    async fn take_in(
        &mut self,
        change: &mut Change<'_>,
        rows: &[IncomingPerson],
    ) -> Result<(Vec<Outcome>, Brought), Problem>;
}

async fn bring_in(
    state: &Data<State>,
    me: &Me,
    asked: &ImportAsked,
    kind: ImportKind,
    rows: Vec<IncomingPerson>,
    unknown_headings: Vec<String>,
) -> Answer<ImportAnswer> {
    let also = asked.also()?;
    if rows.len() > MOST {
        return Err(Problem::refused("too-many", format!("A file holds at most {MOST} lines; split it.")));
    }
    let payers = coverage::payers(&mut *state.store.reader().await?).await?;
    let mut run = Run {
        state,
        me,
        id: asked.id.unwrap_or_else(Uuid::now_v7),
        kind,
        file: asked.file.chars().filter(|c| !c.is_control()).take(120).collect(),
        answer: ImportAnswer {
            rows: Vec::with_capacity(rows.len()),
            added: 0,
            twins: 0,
            refused: 0,
            unknown_headings,
            dry_run: asked.dry_run,
            id: None,
        },
        begun: None,
    };
    match kind {
        ImportKind::People => {
            let lines = newcomers::Newcomers::new(state, payers, also, &rows).await?;
            run.all(lines, &rows).await?;
        }
        ImportKind::Policies => run.all(known::Policies { state, payers }, &rows).await?,
        ImportKind::Balances => run.all(known::Balances { state }, &rows).await?,
    }
    Ok(Json(run.answer))
}

/// One file on its way in.
struct Run<'a> {
    state: &'a Data<State>,
    me: &'a Me,
    id: Uuid,
    kind: ImportKind,
    file: String,
    answer: ImportAnswer,
    /// As noted; nothing before anything came in.
    begun: Option<Import>,
}

impl Run<'_> {
    async fn all(&mut self, mut lines: impl Lines, rows: &[IncomingPerson]) -> Result<(), Problem> {
        let (state, me) = (self.state, self.me);
        if self.answer.dry_run {
            return state
                .store
                .change(&me.actor(), state.now(), async |change| {
                    change.on_trial();
                    for some in rows.chunks(AT_ONCE) {
                        let (outcomes, _) = lines.take_in(change, some).await?;
                        self.tell_of(some, outcomes);
                        self.progress(rows.len()).await;
                    }
                    Ok(())
                })
                .await;
        }
        for some in rows.chunks(AT_ONCE) {
            let done = state
                .store
                .change(&me.actor(), state.now(), async |change| {
                    let (outcomes, brought) = lines.take_in(change, some).await?;
                    self.tell_of(some, outcomes);
                    let ends = self.answer.rows.len() == rows.len();
                    let nobody =
                        brought.people.is_empty() && brought.policies.is_empty() && brought.balances.is_empty();
                    // The last lines end it, whether they brought anybody or not.
                    let unsaid = !ends || self.begun.is_none();
                    if nobody && unsaid {
                        change.give_up();
                        return Ok::<_, Problem>(());
                    }
                    let mut begun = match self.begun.clone() {
                        Some(begun) => begun,
                        None => {
                            let row = imports::beginning(self.id, self.kind, self.file.clone(), rows.len(), change);
                            change.begin_import(&row).await?;
                            row
                        }
                    };
                    begun.done = i32::try_from(self.answer.rows.len()).unwrap_or(i32::MAX);
                    begun.added = i32::try_from(self.answer.added).unwrap_or(i32::MAX);
                    begun.ended_at = ends.then_some(change.now);
                    change.note_import(&begun, &brought).await?;
                    self.begun = Some(begun);
                    Ok(())
                })
                .await;
            if let Err(problem) = done {
                return Err(self.broken_off(problem));
            }
            self.progress(rows.len()).await;
        }
        self.answer.id = self.begun.as_ref().map(|begun| begun.id);
        Ok(())
    }

    /// Why it went no further, and what is in all the same.
    fn broken_off(&self, problem: Problem) -> Problem {
        match self.begun.as_ref() {
            Some(begun) if begun.done > 0 => {
                let far = format!(
                    "It broke off after {} lines. What came in so far stands below and can be taken back; sent again, the rest comes in.",
                    begun.done
                );
                Problem { detail: format!("{} {far}", problem.detail), ..problem }
            }
            _ => problem,
        }
    }

    fn tell_of(&mut self, rows: &[IncomingPerson], outcomes: Vec<Outcome>) {
        for (row, outcome) in rows.iter().zip(outcomes) {
            let names: Vec<&str> = ["recordNumber", "firstName", "lastName"]
                .iter()
                .filter_map(|f| row.fields.get(f).map(String::as_str))
                .collect();
            let (count, verdict, sentence) = match outcome {
                Outcome::Added(what) => (&mut self.answer.added, "added", what),
                Outcome::Twin(who) => (&mut self.answer.twins, "twin", who),
                Outcome::Refused(why) => (&mut self.answer.refused, "refused", why),
            };
            *count += 1;
            self.answer.rows.push(RowVerdict {
                line: row.line,
                name: names.join(" "),
                verdict: verdict.into(),
                sentence,
            });
        }
    }

    /// Says how far it is; a file of a few lines is done before anybody could read it.
    async fn progress(&self, of: usize) {
        if of <= AT_ONCE {
            return;
        }
        let told = async {
            let mut conn = self.state.store.reader().await?;
            tidings::progress(&mut conn, self.id, self.answer.rows.len(), of).await
        };
        if let Err(error) = told.await {
            tracing::debug!(error = error.for_log(), "progress was not told");
        }
    }
}

fn said(faults: Faults) -> String {
    faults.0.into_iter().map(|f| f.sentence).collect::<Vec<_>>().join(" ")
}

/// A form from the fields that it knows.
fn form<T: serde::de::DeserializeOwned>(fields: &Fields, more: Value) -> Result<T, Problem> {
    let mut value = json!(fields);
    for (key, extra) in more.as_object().into_iter().flatten() {
        value[key] = extra.clone();
    }
    serde_json::from_value(value).map_err(|e| Problem::refused("unreadable", e.to_string()))
}

/// The policy of a line, or why it is none.
fn policy_of(
    p: &IncomingPolicy,
    payers: &[Payer],
    holder: Option<Uuid>,
    state: &State,
) -> Result<Result<coverage::Policy, String>, Problem> {
    let named = p.fields.get("payer").map(|p| p.to_lowercase()).unwrap_or_default();
    let payer = payers.iter().find(|p| p.name.to_lowercase() == named || p.payer_code.to_lowercase() == named);
    let Some(payer) = payer else { return Ok(Err(format!("No payer is called “{named}”."))) };
    let mut typed: CoverageForm = form(&p.fields, json!({ "payerId": payer.id }))?;
    if p.holder.is_some() {
        typed.held_by(holder);
    }
    Ok(policy(&typed, state.today()).map_err(said))
}

/// Why somebody cannot hold a policy.
fn cannot_hold(payers: &[Payer], policy: &coverage::Policy, name: &str, born: Option<NaiveDate>) -> Option<String> {
    let filing = payers.iter().find(|p| p.id == policy.payer_id).map_or("", |p| &p.filing_code);
    holder_refusal(name, born, policy.starts_on, filing)
}

/// A policy that is to be added, and the outcome of its line.
struct ToAdd {
    person: Uuid,
    policy: coverage::Policy,
    outcome: usize,
}

/// Adds policies, together where all can stand and else one by one. Gives what came in with the line of each, and why
/// others cannot.
async fn add_policies(
    change: &mut Change<'_>,
    wanted: &[ToAdd],
) -> Result<(Vec<(usize, Uuid)>, Vec<(usize, String)>), Problem> {
    let refusal = |done: harbor_store::Result<Vec<_>>| match done {
        Ok(rows) => Ok(Ok(rows)),
        Err(StoreError::Refused { sentence, .. }) => Ok(Err(sentence)),
        Err(other) => Err(Problem::from(other)),
    };
    let (mut came, mut refused) = (vec![], vec![]);
    if wanted.is_empty() {
        return Ok((came, refused));
    }
    let set = |some: &[ToAdd]| some.iter().map(|w| (w.person, w.policy.clone())).collect::<Vec<_>>();
    let all = set(wanted);
    if let Ok(rows) = change.part(async |change| refusal(change.add_coverages(all).await)).await? {
        came.extend(wanted.iter().zip(rows).map(|(w, row)| (w.outcome, row.id)));
        return Ok((came, refused));
    }
    for one in wanted {
        let alone = set(std::slice::from_ref(one));
        match change.part(async |change| refusal(change.add_coverages(alone).await)).await? {
            Ok(rows) => came.extend(rows.into_iter().map(|row| (one.outcome, row.id))),
            Err(why) => refused.push((one.outcome, why)),
        }
    }
    Ok((came, refused))
}
