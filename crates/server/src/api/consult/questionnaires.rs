//! Questionnaires: asked and answered in a visit, told at once what must be, written by the clinic, in and out as FHIR R4.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpResponse;
use actix_web::web::{Bytes, Data, Json, Path};
use chrono::{DateTime, Utc};
use harbor_core::consult::questionnaires::{self as core, Answers, Questionnaire, shipped, writing};
use harbor_core::fields::Faults;
use harbor_core::people::Sex;
use harbor_formats::fhir::questionnaire as fhir;
use harbor_store::consult::questionnaires as store;
use harbor_store::documents::{AnswerGiven, Answered};
use harbor_store::rows::{Visit, WrittenQuestionnaire};
use harbor_store::visit_line::visits;
use harbor_store::{Change, Conn, people};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
pub struct AskedChoice {
    text: String,
    points: i32,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct AskedQuestion {
    link: String,
    text: String,
    /// Nothing to choose from: it is answered in words.
    choices: Vec<AskedChoice>,
    optional: bool,
}

/// A questionnaire as it is asked.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct QuestionnaireView {
    entry: String,
    version: u32,
    title: String,
    lead: String,
    questions: Vec<AskedQuestion>,
    /// What ships stays as its source has it; a clinic changes only its own.
    ships: bool,
    /// As it is written.
    body: String,
}

impl From<&Questionnaire> for QuestionnaireView {
    fn from(q: &Questionnaire) -> QuestionnaireView {
        let choice = |c: &core::Choice| AskedChoice { text: c.text.clone(), points: c.points };
        QuestionnaireView {
            entry: q.id.clone(),
            version: q.version,
            title: q.title.clone(),
            lead: q.lead.clone(),
            questions: q
                .questions
                .iter()
                .map(|q| AskedQuestion {
                    link: q.link.clone(),
                    text: q.text.clone(),
                    choices: q.choices.iter().map(choice).collect(),
                    optional: q.optional,
                })
                .collect(),
            ships: ships(&q.id),
            body: writing::written(q),
        }
    }
}

fn ships(entry: &str) -> bool {
    shipped().iter().any(|q| q.id == entry)
}

/// What a score came to.
#[derive(Debug, Serialize, ToSchema)]
pub struct ScoreTold {
    title: String,
    /// Nothing while an answer is missing that counts.
    points: Option<i32>,
    most: i32,
    raised: bool,
    words: String,
}

/// A questionnaire that was asked in a visit.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskedView {
    id: Uuid,
    visit_id: Uuid,
    asked: QuestionnaireView,
    answers: Answered,
    version: i32,
    scores: Vec<ScoreTold>,
    /// What must be told at once.
    alarms: Vec<String>,
    answered_at: DateTime<Utc>,
    answered_by: String,
    /// The clinic changed it since; these answers are to the version that was asked.
    outdated: bool,
}

impl AskedView {
    pub fn is_of(&self, visit: Uuid) -> bool {
        self.visit_id == visit
    }

    /// What its scores came to.
    pub fn in_words(&self) -> Vec<String> {
        self.scores.iter().map(|s| s.words.clone()).collect()
    }
}

/// The answers as the core reads them.
fn answers_of(given: &Answered) -> Answers {
    let one = |a: &AnswerGiven| match a {
        AnswerGiven::Chosen(n) => core::Answer::Chosen(*n as usize),
        AnswerGiven::Words(words) => core::Answer::Words(words.clone()),
    };
    given.iter().map(|(link, a)| (link.clone(), one(a))).collect()
}

fn given(answers: &Answers) -> Answered {
    let one = |a: &core::Answer| match a {
        core::Answer::Chosen(n) => AnswerGiven::Chosen(u32::try_from(*n).unwrap_or(u32::MAX)),
        core::Answer::Words(words) => AnswerGiven::Words(words.clone()),
    };
    answers.iter().map(|(link, a)| (link.clone(), one(a))).collect()
}

fn told(answer: &store::Answer, sex: Sex) -> AskedView {
    let answers = answers_of(&answer.response.answers);
    let score = |s: core::Scored| ScoreTold {
        words: s.in_words(),
        title: s.title,
        points: s.points,
        most: s.most,
        raised: s.raised,
    };
    let row = &answer.response;
    AskedView {
        id: row.id,
        visit_id: row.visit_id,
        asked: QuestionnaireView::from(&answer.to),
        answers: row.answers.0.clone(),
        version: row.version,
        scores: answer.to.score(&answers, sex).into_iter().map(score).collect(),
        alarms: answer.to.alarms(&answers).into_iter().map(str::to_owned).collect(),
        answered_at: row.answered_at,
        answered_by: row.answered_by.clone(),
        outdated: answer.outdated,
    }
}

/// All that a person was asked, the newest first.
pub async fn of_person(conn: &mut Conn, person: Uuid, sex: Option<Sex>) -> Result<Vec<AskedView>, Problem> {
    let sex = sex.unwrap_or(Sex::Unknown);
    Ok(store::of_person(conn, person).await?.iter().map(|a| told(a, sex)).collect())
}

async fn one_of_visit(conn: &mut Conn, visit: &Visit, id: Uuid) -> Result<(store::Answer, Sex, String), Problem> {
    let person = people::get(conn, visit.person_id).await?;
    let found = store::of_visit(conn, visit.id).await?.into_iter().find(|a| a.response.id == id);
    let found = found.ok_or_else(|| Problem::not_found("questionnaire"))?;
    Ok((found, person.sex.map_or(Sex::Unknown, |s| *s), person.record_number))
}

/// The questionnaires that can be asked.
#[utoipa::path(get, path = "/api/questionnaires", responses((status = 200, body = Vec<QuestionnaireView>)))]
pub async fn list(state: Data<State>) -> Answer<Vec<QuestionnaireView>> {
    let mut conn = state.store.reader().await?;
    Ok(Json(store::in_use(&mut conn).await?.iter().map(Into::into).collect()))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct QuestionnaireForm {
    title: String,
    body: String,
    /// The version that was seen; 0 for a new one.
    #[serde(default)]
    version: i32,
    /// It is asked no more.
    #[serde(default)]
    ended: bool,
}

impl QuestionnaireForm {
    fn read(&self, entry: &str) -> Result<Questionnaire, Problem> {
        let mut faults = Faults::default();
        let title = faults.line("title", "The name", &self.title, 80);
        faults.prose("body", "The questionnaire", &self.body, writing::LONGEST);
        faults.none_or(())?;
        let version = u32::try_from(self.version.saturating_add(1)).unwrap_or(1);
        writing::read(entry, version, &title, &self.body).map_err(|all| Problem::field("body", all.join(" ")))
    }
}

/// Reads a questionnaire as somebody writes it, to show how it will be asked; nothing is kept.
#[utoipa::path(post, path = "/api/questionnaires/read", request_body = QuestionnaireForm, responses((status = 200, body = QuestionnaireView), (status = 422, body = Problem)))]
pub async fn read(form: Json<QuestionnaireForm>) -> Answer<QuestionnaireView> {
    Ok(Json(QuestionnaireView::from(&form.read("")?)))
}

/// Adds a questionnaire of the clinic.
#[utoipa::path(post, path = "/api/questionnaires", request_body = QuestionnaireForm, responses((status = 200, body = WrittenQuestionnaire), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, form: Json<QuestionnaireForm>) -> Answer<WrittenQuestionnaire> {
    keep_new(&state, &me, &form).await
}

async fn keep_new(state: &State, me: &Me, form: &QuestionnaireForm) -> Answer<WrittenQuestionnaire> {
    let entry = Uuid::now_v7().to_string();
    let q = form.read(&entry)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            Ok(Json(change.write_questionnaire(&entry, 0, &q.title, &form.body, false).await?))
        })
        .await
}

/// Questionnaires that are asked no more, and may be asked again.
#[utoipa::path(get, path = "/api/questionnaires/ended", responses((status = 200, body = Vec<WrittenQuestionnaire>)))]
pub async fn ended(state: Data<State>) -> Answer<Vec<WrittenQuestionnaire>> {
    let mut conn = state.store.reader().await?;
    Ok(Json(store::asked_no_more(&mut conn).await?))
}

/// Changes a questionnaire of the clinic, or asks it no more. What was answered stays beside the version that was asked.
#[utoipa::path(put, path = "/api/questionnaires/{entry}", params(("entry" = String, Path)), request_body = QuestionnaireForm, responses((status = 200, body = WrittenQuestionnaire), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn set(
    state: Data<State>,
    me: Me,
    entry: Path<String>,
    form: Json<QuestionnaireForm>,
) -> Answer<WrittenQuestionnaire> {
    let ships = shipped().into_iter().find(|q| q.id == *entry);
    let q = form.read(&entry)?;
    if ships.as_ref().is_some_and(|s| Questionnaire { version: s.version, ..q.clone() } != *s) {
        return Err(Problem::refused(
            "ships",
            "What ships stays as its source has it; write one of your own, or ask this one no more.",
        ));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let last = store::written(change.conn(), &entry).await?.first().map(|row| row.version);
            let Some(last) = last.or(ships.as_ref().map(|_| 0)) else {
                return Err(Problem::not_found("questionnaire"));
            };
            // One that ships is seen in its version 1 also before anybody was asked.
            let seen = if last == 0 { 0 } else { form.version };
            Ok(Json(change.write_questionnaire(&entry, seen, &q.title, &form.body, form.ended).await?))
        })
        .await
}

fn as_fhir(text: Result<String, harbor_formats::Located>) -> Result<HttpResponse, Problem> {
    let text =
        text.map_err(|e| Problem::refused("unwritable", format!("This cannot be written as FHIR: {}.", e.expected)))?;
    Ok(HttpResponse::Ok().content_type("application/fhir+json").body(text))
}

fn unreadable(fault: &harbor_formats::Located) -> Problem {
    Problem::refused("unreadable", format!("This is not read as FHIR: {} should be {}.", fault.id, fault.expected))
}

/// A questionnaire as FHIR R4 Questionnaire.
#[utoipa::path(get, path = "/api/questionnaires/{entry}/fhir", params(("entry" = String, Path)), responses((status = 200, content_type = "application/fhir+json", body = String), (status = 404, body = Problem)))]
pub async fn one_as_fhir(state: Data<State>, entry: Path<String>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let found = store::in_use(&mut conn).await?.into_iter().find(|q| q.id == *entry);
    as_fhir(fhir::write(&found.ok_or_else(|| Problem::not_found("questionnaire"))?))
}

/// Takes a FHIR R4 Questionnaire in as a new one of the clinic.
#[utoipa::path(post, path = "/api/questionnaires/fhir", request_body(content = String, content_type = "application/fhir+json"), responses((status = 200, body = WrittenQuestionnaire), (status = 422, body = Problem)))]
pub async fn take_in(state: Data<State>, me: Me, body: Bytes) -> Answer<WrittenQuestionnaire> {
    let (title, text) = fhir::read(&body).map_err(|e| unreadable(&e))?;
    keep_new(&state, &me, &QuestionnaireForm { title, body: text, version: 0, ended: false }).await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct QuestionnaireMeant {
    entry: String,
}

/// Begins to ask a questionnaire in a visit, in the version that is in use.
#[utoipa::path(post, path = "/api/visits/{id}/questionnaires", params(("id" = Uuid, Path)), request_body = QuestionnaireMeant, responses((status = 200, body = AskedView), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn ask(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<QuestionnaireMeant>) -> Answer<AskedView> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            let row = begin(change, &visit, |q| q.id == form.entry).await?;
            let (answer, sex, _) = one_of_visit(change.conn(), &visit, row).await?;
            Ok(Json(told(&answer, sex)))
        })
        .await
}

/// Begins the questionnaire that is meant; the sentence says when there is none.
pub async fn begin(
    change: &mut Change<'_>,
    visit: &Visit,
    is_meant: impl Fn(&Questionnaire) -> bool,
) -> Result<Uuid, Problem> {
    change.writable(visit).await?;
    let found = store::in_use(change.conn()).await?.into_iter().find(is_meant);
    let found =
        found.ok_or_else(|| Problem::refused("questionnaire", "No questionnaire of this name is asked here."))?;
    Ok(change.ask(visit, &found).await?.id)
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct AnswersForm {
    answers: Answered,
    /// The version that was seen.
    version: i32,
}

/// The longest answer in words, in characters.
const LONGEST_ANSWER: usize = 2_000;

/// Keeps the answers that are there by now; what must be told at once comes back with them.
#[utoipa::path(put, path = "/api/visits/{id}/questionnaires/{response}", params(("id" = Uuid, Path), ("response" = Uuid, Path)), request_body = AnswersForm, responses((status = 200, body = AskedView), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn answer(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>, form: Json<AnswersForm>) -> Answer<AskedView> {
    let (id, response) = *ids;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(id).await?;
            change.writable(&visit).await?;
            let (before, sex, _) = one_of_visit(change.conn(), &visit, response).await?;
            let answers = checked(&before.to, &form.answers)?;
            change.answer(&visit, response, form.version, answers).await?;
            let (after, ..) = one_of_visit(change.conn(), &visit, response).await?;
            Ok(Json(told(&after, sex)))
        })
        .await
}

fn checked(q: &Questionnaire, answers: &Answered) -> Result<Answered, Problem> {
    let unfit = q.unfit(&answers_of(answers));
    if !unfit.is_empty() {
        return Err(Problem::field("answers", unfit.join(" ")));
    }
    let mut faults = Faults::default();
    let mut out = Answered::new();
    for (link, answer) in answers {
        match answer {
            AnswerGiven::Words(words) => {
                let words = faults.prose("answers", "The answer", words, LONGEST_ANSWER);
                if !words.trim().is_empty() {
                    out.insert(link.clone(), AnswerGiven::Words(words));
                }
            }
            chosen @ AnswerGiven::Chosen(_) => {
                out.insert(link.clone(), chosen.clone());
            }
        }
    }
    faults.none_or(out).map_err(Into::into)
}

/// Strikes answers that were put down by mistake; they stay in the record.
#[utoipa::path(delete, path = "/api/visits/{id}/questionnaires/{response}", params(("id" = Uuid, Path), ("response" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem)))]
pub async fn strike(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(ids.0).await?;
            change.writable(&visit).await?;
            change.strike_answers(&visit, ids.1).await?;
            Ok(DONE)
        })
        .await
}

/// What was answered as FHIR R4 QuestionnaireResponse.
#[utoipa::path(get, path = "/api/visits/{id}/questionnaires/{response}/fhir", params(("id" = Uuid, Path), ("response" = Uuid, Path)), responses((status = 200, content_type = "application/fhir+json", body = String), (status = 404, body = Problem)))]
pub async fn answers_as_fhir(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>) -> Result<HttpResponse, Problem> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = visits::get(change.conn(), ids.0).await?;
            let (answer, sex, record_number) = one_of_visit(change.conn(), &visit, ids.1).await?;
            let answers = answers_of(&answer.response.answers);
            let complete = answer.to.score(&answers, sex).iter().all(|s| s.missing == 0);
            // Leaving the house is recorded like a change.
            change.audit("wrote out", "questionnaire", ids.1, Some(visit.person_id), "FHIR R4");
            as_fhir(fhir::write_answers(&answer.to, &answers, &record_number, answer.response.answered_at, complete))
        })
        .await
}

/// Takes a FHIR R4 QuestionnaireResponse in, to a questionnaire that is asked here, for the patient of the visit.
#[utoipa::path(post, path = "/api/visits/{id}/questionnaires/fhir", params(("id" = Uuid, Path)), request_body(content = String, content_type = "application/fhir+json"), responses((status = 200, body = AskedView), (status = 422, body = Problem)))]
pub async fn take_answers_in(state: Data<State>, me: Me, id: Path<Uuid>, body: Bytes) -> Answer<AskedView> {
    let (entry, version, record_number) = fhir::answered_what(&body).map_err(|e| unreadable(&e))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(*id).await?;
            let person = people::get(change.conn(), visit.person_id).await?;
            if !record_number.is_empty() && record_number != person.record_number {
                return Err(Problem::refused("other-person", format!("These are the answers of {record_number}.")));
            }
            let row = begin(change, &visit, |q| q.id == entry).await?;
            let (asked, sex, _) = one_of_visit(change.conn(), &visit, row).await?;
            if version.is_some_and(|v| v != asked.to.version) {
                let sentence =
                    format!("They answer version {}; asked here is {}.", version.unwrap_or(0), asked.to.version);
                return Err(Problem::refused("version", sentence));
            }
            let answers = fhir::read_answers(&body, &asked.to).map_err(|e| unreadable(&e))?;
            let answers = checked(&asked.to, &given(&answers))?;
            change.answer(&visit, row, asked.response.version, answers).await?;
            let (after, ..) = one_of_visit(change.conn(), &visit, row).await?;
            Ok(Json(told(&after, sex)))
        })
        .await
}
