//! Text templates: found, put into a note with what the chart says, filled in, and written.

use super::quick_line::Kept;
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use harbor_core::consult::measurements::{Measure, Tenths};
use harbor_core::consult::runs::belongs_in_run;
use harbor_core::consult::texts::{ChartFact, TextField, faults, fields, fits, is_for, with_facts};
use harbor_core::consult::{KnownList, NotePart, PART_LIMIT};
use harbor_core::fields::{Faults, prose, typed_date};
use harbor_core::people::age_in_words;
use harbor_core::prescribing::MedicineState;
use harbor_store::consult::notes::{self, PartAt};
use harbor_store::consult::texts::{self, NewText};
use harbor_store::consult::{chart, runs};
use harbor_store::documents::TextOfPart;
use harbor_store::people::registration::closed_charts;
use harbor_store::rows::{TextTemplate, Visit, WrittenPart};
use harbor_store::visit_line::visits;
use harbor_store::{Change, Conn, codes, people};
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// A field that is still to be filled.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct FieldToFill {
    kind: codes::FieldKind,
    /// As it stands in the text.
    source: String,
    label: String,
    choices: Vec<String>,
    unit: String,
}

impl From<TextField> for FieldToFill {
    fn from(f: TextField) -> FieldToFill {
        FieldToFill { kind: f.kind.into(), source: f.source, label: f.label, choices: f.choices, unit: f.unit }
    }
}

/// The fields of a part that nobody filled.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PartToFill {
    part: codes::NotePart,
    run_id: Option<Uuid>,
    fields: Vec<FieldToFill>,
}

/// The parts of a note in which fields of templates were left.
pub fn to_fill(parts: &[WrittenPart]) -> Vec<PartToFill> {
    let one = |p: &WrittenPart| PartToFill {
        part: p.part,
        run_id: p.run_id,
        fields: fields(&p.body).into_iter().map(Into::into).collect(),
    };
    parts.iter().map(one).filter(|p| !p.fields.is_empty()).collect()
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct TextsFor {
    /// Beginnings of words of the title or of what it is for; all of them without.
    #[serde(default)]
    words: String,
    /// The visit for whose reason they are wanted.
    visit: Option<Uuid>,
}

/// A template as it is offered.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OfferedText {
    template: TextTemplate,
    /// It is for what the visit was booked for.
    fits_reason: bool,
}

/// Templates that somebody may use: those for the reason of the visit first, then one's own, then the clinic's.
#[utoipa::path(get, path = "/api/texts", params(TextsFor), responses((status = 200, body = Vec<OfferedText>), (status = 404, body = Problem)))]
pub async fn list(state: Data<State>, me: Me, asked: Query<TextsFor>) -> Answer<Vec<OfferedText>> {
    let mut conn = state.store.reader().await?;
    let reason = match asked.visit {
        Some(visit) => {
            let visit = visits::get(&mut conn, visit).await?;
            // What fits would tell what somebody comes for whose chart is not open here.
            let closed = closed_charts(&mut conn, &[visit.person_id], me.staff.id, state.now()).await?;
            if closed.is_empty() { visit.reason } else { String::new() }
        }
        None => String::new(),
    };
    let rows = texts::in_use(&mut conn, me.staff.id).await?;
    let mut found: Vec<(u32, OfferedText)> = rows
        .into_iter()
        .map(|t| (fits(&t.title, &t.complaints, &asked.words), t))
        .filter(|(fit, _)| *fit > 0 || asked.words.trim().is_empty())
        .map(|(fit, t)| (fit, OfferedText { fits_reason: is_for(&t.complaints, &reason), template: t }))
        .collect();
    found.sort_by_key(|(fit, t)| (std::cmp::Reverse(*fit), !t.fits_reason));
    Ok(Json(found.into_iter().map(|(_, t)| t).collect()))
}

/// Templates that are used no more, and may be used again.
#[utoipa::path(get, path = "/api/texts/ended", responses((status = 200, body = Vec<TextTemplate>)))]
pub async fn ended(state: Data<State>, me: Me) -> Answer<Vec<TextTemplate>> {
    let mut conn = state.store.reader().await?;
    Ok(Json(texts::used_no_more(&mut conn, me.staff.id).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct TextWanted {
    /// The run that has the focus.
    run: Option<Uuid>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct TextPut {
    /// What was written where, for taking it back.
    done: Vec<Kept>,
}

/// Writes a template into the note: after what stands there, never over it.
#[utoipa::path(post, path = "/api/visits/{id}/texts/{entry}", params(("id" = Uuid, Path), ("entry" = Uuid, Path)), request_body = TextWanted, responses((status = 200, body = TextPut), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn put_into_note(
    state: Data<State>,
    me: Me,
    ids: Path<(Uuid, Uuid)>,
    form: Json<TextWanted>,
) -> Answer<TextPut> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(ids.0).await?;
            change.writable(&visit).await?;
            let template = texts::one(change.conn(), ids.1, me.staff.id).await?;
            Ok(Json(TextPut { done: put(change, &visit, &template, form.run).await? }))
        })
        .await
}

/// Writes a template into the note, its facts taken from the chart.
pub async fn put(
    change: &mut Change<'_>,
    visit: &Visit,
    template: &TextTemplate,
    run: Option<Uuid>,
) -> Result<Vec<Kept>, Problem> {
    // What belongs to a problem goes to the run in focus, or to the main one.
    let run = match run {
        Some(run) => Some(run),
        None => runs::runs_of(change.conn(), visit.id).await?.first().map(|r| r.id),
    };
    let known = facts(change.conn(), visit).await?;
    let mut done = Vec::new();
    for text in template.texts.iter() {
        let at = PartAt { run: run.filter(|_| belongs_in_run(*text.part)), part: *text.part };
        let words = with_facts(&text.body, |fact| known.get(&fact).cloned());
        done.push(write_after(change, visit, at, words).await?);
    }
    Ok(done)
}

/// Writes at the end of a part of the note, after what stands there.
pub async fn write_after(
    change: &mut Change<'_>,
    visit: &Visit,
    at: PartAt,
    sentence: String,
) -> Result<Kept, Problem> {
    let before = notes::parts(change.conn(), visit.id).await?.into_iter().find(|p| p.place() == at);
    let (body, version) = before.map(|p| (p.body, p.version)).unwrap_or_default();
    let body = [body.trim_end(), &sentence].join("\n").trim_start().to_owned();
    let body = prose(at.part.label(), &body, PART_LIMIT).map_err(|s| Problem::field(at.part.code(), s))?;
    change.save_part(visit, at, &body, version).await?;
    Ok(Kept::Written { part: at.part.into(), run: at.run, sentence })
}

/// What the chart knows on the day of the visit. What it does not know is not in it.
async fn facts(conn: &mut Conn, visit: &Visit) -> Result<BTreeMap<ChartFact, String>, Problem> {
    let person = people::get(conn, visit.person_id).await?;
    let none_known = chart::none_known_of(conn, person.id).await?;
    let listed = |list: KnownList, words: Vec<String>| match words.is_empty() {
        false => Some(words.join(", ")),
        true => none_known.iter().any(|n| *n.list == list).then(|| "none known".to_owned()),
    };
    let allergies = chart::allergies_of(conn, person.id).await?;
    let medicines = chart::medicines_of(conn, person.id).await?;
    let problems = chart::problems_of(conn, person.id).await?;
    let measured = chart::measurements_of(conn, person.id).await?;
    let today = |measure: Measure| {
        let latest = measured.iter().find(|m| m.visit_id == visit.id && m.measure == measure)?;
        Some(Tenths(latest.tenths).to_string())
    };
    let with_unit = |measure: Measure| today(measure).map(|n| [&n, measure.unit()].join(" "));
    let pressure = today(Measure::Systolic).zip(today(Measure::Diastolic)).map(|(high, low)| format!("{high}/{low}"));
    let last = visits::before(conn, visit).await?;
    let how_taken = |m: &harbor_store::rows::Medicine| [m.name.as_str(), &m.how].join(" ").trim_end().to_owned();
    let taken = medicines.iter().filter(|m| m.state == MedicineState::Taking).map(how_taken).collect();
    let known = [
        (ChartFact::Name, Some(format!("{} {}", person.first_name, person.last_name))),
        (ChartFact::Age, person.birth_date.map(|b| age_in_words(b, visit.day))),
        (ChartFact::Sex, person.sex.map(|s| s.label().to_owned())),
        (ChartFact::Reason, Some(visit.reason.clone()).filter(|r| !r.is_empty())),
        (ChartFact::Allergies, listed(KnownList::Allergies, allergies.into_iter().map(|a| a.substance).collect())),
        (ChartFact::Medicines, listed(KnownList::Medicines, taken)),
        (ChartFact::Problems, listed(KnownList::Problems, problems.into_iter().map(|p| p.title).collect())),
        (ChartFact::BloodPressure, pressure),
        (ChartFact::Pulse, with_unit(Measure::HeartRate)),
        (ChartFact::Temperature, with_unit(Measure::Temperature)),
        (ChartFact::Weight, with_unit(Measure::Weight)),
        (ChartFact::Height, with_unit(Measure::Height)),
        (ChartFact::LastVisit, last.map(|v| typed_date::in_words(v.day))),
    ];
    Ok(known.into_iter().filter_map(|(fact, said)| Some((fact, said?))).collect())
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct FieldAnswer {
    /// The field as it stands in the text.
    source: String,
    typed: String,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct FieldAnswered {
    text: String,
}

/// What stands in the text for an answer: a number with its unit, a date in words.
#[utoipa::path(post, path = "/api/texts/answer", request_body = FieldAnswer, responses((status = 200, body = FieldAnswered), (status = 422, body = Problem)))]
pub async fn answer(state: Data<State>, form: Json<FieldAnswer>) -> Answer<FieldAnswered> {
    let field = fields(&form.source).into_iter().next().ok_or_else(|| Problem::not_found("field"))?;
    let text = field.answered(&form.typed, state.today()).map_err(|s| Problem::field("typed", s))?;
    Ok(Json(FieldAnswered { text }))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct TextForm {
    title: String,
    /// What somebody comes with, for whom it is offered; parted by commas.
    #[serde(default)]
    complaints: String,
    texts: Vec<TextOfPart>,
    /// For everybody here, not only for oneself.
    clinic: bool,
    /// The version that was seen; 0 for a new one.
    #[serde(default)]
    version: i32,
    /// It is used no more.
    #[serde(default)]
    ended: bool,
}

/// The most text that one part of a template has, in characters.
const LONGEST_TEXT: usize = 4_000;

impl TextForm {
    fn checked(&self, me: &Me) -> Result<NewText<'_>, Problem> {
        let mut found = Faults::default();
        found.line("title", "The name", &self.title, 60);
        found.optional_line("complaints", "What it is for", &self.complaints, 300);
        let mut texts: Vec<TextOfPart> = Vec::new();
        for text in &self.texts {
            let body = found.prose("texts", text.part.label(), &text.body, LONGEST_TEXT);
            if let Some(fault) = faults(&body).into_iter().next() {
                found.add("texts", format!("{}: {fault}", text.part.label()));
            }
            if texts.iter().any(|t| t.part == text.part) {
                found.add("texts", format!("{} stands here twice.", text.part.label()));
            }
            if !body.trim().is_empty() {
                texts.push(TextOfPart { part: text.part, body });
            }
        }
        if texts.is_empty() {
            found.add("texts", "A template says something in one part at least.");
        }
        texts.sort_by_key(|t| NotePart::ALL.iter().position(|p| t.part == *p));
        found.none_or(())?;
        Ok(NewText {
            owner: (!self.clinic).then_some(me.staff.id),
            title: self.title.trim(),
            complaints: self.complaints.trim(),
            texts,
            ended: self.ended,
        })
    }
}

#[utoipa::path(post, path = "/api/texts", request_body = TextForm, responses((status = 200, body = TextTemplate), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, form: Json<TextForm>) -> Answer<TextTemplate> {
    let new = form.checked(&me)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| Ok(Json(change.write_text(None, new.clone()).await?)))
        .await
}

/// Changes a template of the clinic or one's own, or uses it no more. What was written from it stays.
#[utoipa::path(put, path = "/api/texts/{entry}", params(("entry" = Uuid, Path)), request_body = TextForm, responses((status = 200, body = TextTemplate), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn set(state: Data<State>, me: Me, entry: Path<Uuid>, form: Json<TextForm>) -> Answer<TextTemplate> {
    let mut new = form.checked(&me)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            // Somebody else's own is not found here, and what everybody uses becomes nobody's own.
            let before = texts::to_change(change.conn(), *entry, me.staff.id).await?;
            if before.owner_id.is_none() {
                new.owner = None;
            }
            Ok(Json(change.write_text(Some((*entry, form.version)), new.clone()).await?))
        })
        .await
}
