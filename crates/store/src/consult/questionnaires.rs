//! Questionnaires, those that ship and the clinic's own, and what was answered in visits.

use crate::documents::{Answered, Doc};
use crate::rows::{QuestionnaireResponse as Response, Visit, WrittenQuestionnaire as Written};
use crate::schema::{questionnaire_responses as r, questionnaires as q, visits};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::consult::questionnaires::{Questionnaire, shipped, ships_still, writing};
use uuid::Uuid;

fn as_read(row: &Written) -> Result<Questionnaire> {
    writing::read(&row.entry, u32::try_from(row.version).unwrap_or(1), &row.title, &row.body)
        .map_err(|faults| StoreError::refused("questionnaire", faults.join(" ")))
}

/// Those that can be asked: what ships, as long as it is in use, and the clinic's own in their last versions.
pub async fn in_use(conn: &mut Conn) -> Result<Vec<Questionnaire>> {
    let last = last_of_each(conn).await?;
    let mut out = Vec::new();
    for ships in shipped() {
        let kept = last.iter().find(|row| row.entry == ships.id);
        if ships_still(ships.version, kept.map(|row| (u32::try_from(row.version).unwrap_or(0), row.ended))) {
            out.push(ships);
        }
    }
    for row in last.iter().filter(|row| !row.ended) {
        if out.iter().all(|ships| ships.id != row.entry) {
            out.push(as_read(row)?);
        }
    }
    out.sort_by(|a, b| a.title.cmp(&b.title));
    Ok(out)
}

async fn last_of_each(conn: &mut Conn) -> Result<Vec<Written>> {
    let last = q::table.distinct_on(q::entry).order((q::entry, q::version.desc()));
    Ok(last.select(Written::as_select()).load(conn).await?)
}

/// Those that are asked no more, as they were written last.
pub async fn asked_no_more(conn: &mut Conn) -> Result<Vec<Written>> {
    let asked: Vec<String> = in_use(conn).await?.into_iter().map(|q| q.id).collect();
    let mut rows = last_of_each(conn).await?;
    rows.retain(|row| row.ended && !asked.contains(&row.entry));
    rows.sort_by(|a, b| a.title.cmp(&b.title));
    Ok(rows)
}

/// The versions that were answered, or are written.
pub async fn written(conn: &mut Conn, entry: &str) -> Result<Vec<Written>> {
    Ok(q::table.filter(q::entry.eq(entry)).order(q::version.desc()).select(Written::as_select()).load(conn).await?)
}

/// A response beside what it answers.
#[derive(Debug, Clone)]
pub struct Answer {
    pub response: Response,
    pub to: Questionnaire,
    /// There is a newer version by now.
    pub outdated: bool,
}

/// All that a person answered and nobody struck, the newest first.
pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<Answer>> {
    let responses: Vec<Response> = r::table
        .inner_join(visits::table.on(visits::id.eq(r::visit_id)))
        .filter(visits::person_id.eq(person).and(r::struck_at.is_null()))
        .order((visits::starts_at.desc(), r::answered_at.desc()))
        .limit(200)
        .select(Response::as_select())
        .load(conn)
        .await?;
    with_questions(conn, responses).await
}

/// Those of one visit, without the struck ones.
pub async fn of_visit(conn: &mut Conn, visit: Uuid) -> Result<Vec<Answer>> {
    let responses: Vec<Response> = r::table
        .filter(r::visit_id.eq(visit).and(r::struck_at.is_null()))
        .order(r::id)
        .select(Response::as_select())
        .load(conn)
        .await?;
    with_questions(conn, responses).await
}

async fn with_questions(conn: &mut Conn, responses: Vec<Response>) -> Result<Vec<Answer>> {
    if responses.is_empty() {
        return Ok(vec![]);
    }
    let entries: Vec<&str> = responses.iter().map(|row| row.entry.as_str()).collect();
    let rows: Vec<Written> = q::table.filter(q::entry.eq_any(entries)).select(Written::as_select()).load(conn).await?;
    let mut out = Vec::with_capacity(responses.len());
    for response in responses {
        let of: Vec<&Written> = rows.iter().filter(|row| row.entry == response.entry).collect();
        let asked = of.iter().find(|row| row.version == response.entry_version);
        let asked = asked.ok_or(StoreError::NotFound("questionnaire"))?;
        let outdated = of.iter().any(|row| row.version > asked.version);
        out.push(Answer { to: as_read(asked)?, outdated, response });
    }
    Ok(out)
}

impl Change<'_> {
    /// Writes a questionnaire of the clinic, over the version that its writer saw; 0 for a new one.
    pub async fn write_questionnaire(
        &mut self,
        entry: &str,
        seen: i32,
        title: &str,
        body: &str,
        ended: bool,
    ) -> Result<Written> {
        let row = Written {
            entry: entry.to_owned(),
            version: seen + 1,
            title: title.to_owned(),
            body: body.to_owned(),
            ended,
            recorded_at: self.now,
            recorded_by: self.actor.name.clone(),
        };
        let n = diesel::insert_into(q::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?;
        if n == 0 {
            let current = written(self.conn(), entry).await?.into_iter().next();
            return Err(StoreError::Stale { current: serde_json::to_value(current).unwrap_or_default() });
        }
        let detail = format!("{entry} {}", row.version);
        self.audit(if ended { "ended" } else { "wrote" }, "questionnaire", Uuid::nil(), None, detail);
        self.tell(Topic::Texts, Uuid::nil());
        Ok(row)
    }

    /// Begins to ask, in the version that is in use.
    pub async fn ask(&mut self, visit: &Visit, asked: &Questionnaire) -> Result<Response> {
        let version = i32::try_from(asked.version).unwrap_or(1);
        // What ships is put down when it is first asked: its answers are kept beside its words.
        let ships = Written {
            entry: asked.id.clone(),
            version,
            title: asked.title.clone(),
            body: writing::written(asked),
            ended: false,
            recorded_at: self.now,
            recorded_by: self.actor.name.clone(),
        };
        diesel::insert_into(q::table).values(&ships).on_conflict_do_nothing().execute(self.conn()).await?;
        let row = Response {
            id: Uuid::now_v7(),
            visit_id: visit.id,
            entry: asked.id.clone(),
            entry_version: version,
            answers: Doc(Answered::new()),
            version: 1,
            answered_at: self.now,
            answered_by: self.actor.name.clone(),
            struck_at: None,
        };
        diesel::insert_into(r::table).values(&row).execute(self.conn()).await?;
        self.audit("asked", "questionnaire", row.id, Some(visit.person_id), asked.id.clone());
        self.tell(Topic::Note, visit.id);
        Ok(row)
    }

    /// Keeps the answers that are there by now, over the version that was seen.
    pub async fn answer(&mut self, visit: &Visit, id: Uuid, version: i32, answers: Answered) -> Result<Response> {
        let open = r::table.filter(r::id.eq(id).and(r::visit_id.eq(visit.id)).and(r::struck_at.is_null()));
        let saved: Option<Response> = diesel::update(open.filter(r::version.eq(version)))
            .set((
                r::answers.eq(Doc(answers)),
                r::version.eq(version + 1),
                r::answered_at.eq(self.now),
                r::answered_by.eq(self.actor.name.clone()),
            ))
            .returning(Response::as_returning())
            .get_result(self.conn())
            .await
            .optional()?;
        let Some(saved) = saved else {
            let current: Option<Response> = open.select(Response::as_select()).first(self.conn()).await.optional()?;
            let current = current.ok_or(StoreError::NotFound("questionnaire"))?;
            return Err(StoreError::Stale { current: serde_json::to_value(current).unwrap_or_default() });
        };
        self.audit("answered", "questionnaire", id, Some(visit.person_id), saved.entry.clone());
        self.tell(Topic::Note, visit.id);
        Ok(saved)
    }

    /// Strikes answers that were put down by mistake; they stay in the record.
    pub async fn strike_answers(&mut self, visit: &Visit, id: Uuid) -> Result<()> {
        let n = diesel::update(r::table.filter(r::id.eq(id).and(r::visit_id.eq(visit.id)).and(r::struck_at.is_null())))
            .set(r::struck_at.eq(Some(self.now)))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::NotFound("questionnaire"));
        }
        self.audit("struck", "questionnaire", id, Some(visit.person_id), "");
        self.tell(Topic::Note, visit.id);
        Ok(())
    }
}
