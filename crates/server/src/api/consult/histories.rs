//! Histories of a person: ended with a reason, and what an entry said before.

use crate::access::Me;
use crate::api::consult::own;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::{DateTime, NaiveDate, Utc};
use harbor_core::consult::HistoryKind;
use harbor_core::consult::diagnoses::DiagnosisIndex;
use harbor_core::consult::quick_line::{
    Immunised, Item, Known, When, age_now, renewed, said_anew, said_of_the_past, understand,
};
use harbor_core::fields;
use harbor_store::consult::{chart, histories};
use harbor_store::documents::HistoryDetail;
use harbor_store::rows::History;
use harbor_store::{Change, codes};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What holds of an entry, with its words.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HistoryView {
    entry_id: Uuid,
    kind: codes::HistoryKind,
    detail: HistoryDetail,
    words: String,
    /// A line that says the same, to be changed.
    typed: Option<String>,
    recorded_at: DateTime<Utc>,
    recorded_by: String,
}

impl HistoryView {
    pub fn words(&self) -> &str {
        &self.words
    }
}

impl HistoryView {
    /// As it is told on a day: how old a living relative is follows from the year of birth.
    pub fn on(row: History, today: NaiveDate) -> HistoryView {
        let detail = row.detail.0;
        let now = match &detail {
            HistoryDetail::Family { died: false, born: Some(year), .. } => age_now(*year, today),
            _ => None,
        };
        let item = item_of(&detail);
        HistoryView {
            typed: item.typed(),
            entry_id: row.entry_id,
            kind: row.kind,
            words: [Some(item.told()), now.map(|age| format!("now {age}"))]
                .into_iter()
                .flatten()
                .collect::<Vec<_>>()
                .join(", "),
            detail,
            recorded_at: row.recorded_at,
            recorded_by: row.recorded_by,
        }
    }
}

/// A time as exactly as it is known; empty when nobody said.
pub fn said(when: &Option<When>) -> String {
    when.map(|w| w.to_string()).unwrap_or_default()
}

/// What is kept of an item of somebody's past and life. A condition of the family gets its code when one is sure.
pub fn detail_of(item: &Item, diagnoses: &DiagnosisIndex) -> Option<HistoryDetail> {
    Some(match item {
        Item::Family { relative, condition, age, died, born } => HistoryDetail::Family {
            relative: relative.clone(),
            condition: condition.clone(),
            age: *age,
            died: *died,
            born: *born,
            code: diagnoses.surely(condition).map(|hit| hit.code),
        },
        Item::Social { topic, said, amount } => {
            HistoryDetail::Social { topic: topic.clone(), said: said.clone(), amount: amount.clone() }
        }
        Item::Past { surgical: true, what, when } => HistoryDetail::Surgical { what: what.clone(), when: said(when) },
        Item::Past { what, when, .. } => HistoryDetail::Hospital { what: what.clone(), when: said(when) },
        Item::Immunisation(i) => HistoryDetail::Immunisation {
            what: i.what.clone(),
            when: said(&i.when),
            given: i.given,
            product: i.product.clone(),
            lot: i.lot.clone(),
            site: i.site.clone(),
            dose: i.dose,
        },
        _ => return None,
    })
}

/// The same the other way round, for its words.
fn item_of(detail: &HistoryDetail) -> Item {
    let past =
        |surgical, what: &str, when: &str| Item::Past { surgical, what: what.to_owned(), when: When::parse(when) };
    match detail {
        HistoryDetail::Family { relative, condition, age, died, born, .. } => Item::Family {
            relative: relative.clone(),
            condition: condition.clone(),
            age: *age,
            died: *died,
            born: *born,
        },
        HistoryDetail::Social { topic, said, amount } => {
            Item::Social { topic: topic.clone(), said: said.clone(), amount: amount.clone() }
        }
        HistoryDetail::Surgical { what, when } => past(true, what, when),
        HistoryDetail::Hospital { what, when } => past(false, what, when),
        HistoryDetail::Immunisation { what, when, given, product, lot, site, dose } => Item::Immunisation(Immunised {
            what: what.clone(),
            when: When::parse(when),
            given: *given,
            product: product.clone(),
            lot: lot.clone(),
            site: site.clone(),
            dose: *dose,
        }),
    }
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct EndForm {
    /// Why it no longer holds.
    reason: String,
}

impl EndForm {
    /// Why something ends; nothing ends without saying so.
    pub fn reason(&self) -> Result<String, Problem> {
        let reason = fields::line("Reason", &self.reason, 200).map_err(|s| Problem::field("reason", s))?;
        if reason.is_empty() {
            return Err(Problem::field("reason", "Say why it no longer holds."));
        }
        Ok(reason)
    }
}

/// Ends an entry; it stays readable with its reason.
#[utoipa::path(post, path = "/api/people/{id}/histories/{entry}/end", params(("id" = Uuid, Path), ("entry" = Uuid, Path)), request_body = EndForm, responses((status = 200, body = Done), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn end(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>, form: Json<EndForm>) -> Answer<Done> {
    let reason = form.reason()?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.end_history(ids.0, ids.1, Some(&reason)).await?;
            charges_follow(change, ids.0, ids.1, &state.tables.diagnoses).await?;
            Ok(DONE)
        })
        .await
}

/// Takes the end of an entry back.
#[utoipa::path(post, path = "/api/people/{id}/histories/{entry}/not-ended", params(("id" = Uuid, Path), ("entry" = Uuid, Path)), responses((status = 200, body = Done), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn take_end_back(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.end_history(ids.0, ids.1, None).await?;
            charges_follow(change, ids.0, ids.1, &state.tables.diagnoses).await?;
            Ok(DONE)
        })
        .await
}

/// Puts down what is said of somebody's past and life, beside what holds or in its place.
pub async fn put_down(
    change: &mut Change<'_>,
    person: Uuid,
    visit: Option<Uuid>,
    said: &Item,
    diagnoses: &DiagnosisIndex,
) -> Result<Option<History>, Problem> {
    let Some(detail) = detail_of(said, diagnoses) else { return Ok(None) };
    let mut held = histories::of_person(change.conn(), person).await?;
    let items: Vec<Item> = held.iter().map(|row| item_of(&row.detail)).collect();
    let at = renewed(said, &items).map_err(|sentence| Problem::refused("stands", sentence))?;
    Ok(Some(match at {
        Some(at) => {
            let last = held.swap_remove(at);
            // What is said anew is of the visit in which it is said.
            let visit_id = visit.or(last.visit_id);
            change.set_history(History { visit_id, ..last }, detail).await?
        }
        None => change.add_history(person, visit, detail).await?,
    }))
}

/// What a visit charges by itself follows what is said to have been given in it.
async fn charges_follow(
    change: &mut Change<'_>,
    person: Uuid,
    entry: Uuid,
    diagnoses: &DiagnosisIndex,
) -> Result<(), Problem> {
    let last = histories::versions(change.conn(), person, entry).await?.into_iter().next();
    let Some(last) = last.filter(|v| *v.kind == HistoryKind::Immunisation) else { return Ok(()) };
    if let Some(visit) = last.visit_id {
        let visit = change.lock_visit(visit).await?;
        change.stand_by_themselves(&visit, diagnoses).await?;
    }
    Ok(())
}

/// Takes back what was put down last: the entry says what it said before, or no longer holds.
pub async fn take_last_back(change: &mut Change<'_>, me: &Me, person: Uuid, entry: Uuid) -> Result<(), Problem> {
    let mut versions = histories::versions(change.conn(), person, entry).await?.into_iter();
    let last = versions.next().filter(|v| v.ended.is_none()).ok_or_else(|| Problem::not_found("history"))?;
    own(me, Some(last.recorded_by.clone()), "history")?;
    match versions.next() {
        // One that had ended holds no more than it did.
        Some(before) if before.ended.is_none() => change.set_history(last, before.detail.0).await?,
        _ => change.end_history(person, entry, Some("entered by mistake")).await?,
    };
    Ok(())
}

/// Adds to what is known of somebody's past and life, as a line that the quick line understands.
#[utoipa::path(post, path = "/api/people/{id}/histories", params(("id" = Uuid, Path)), request_body = HistoryChange, responses((status = 200, body = Vec<HistoryView>), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn add(
    state: Data<State>,
    me: Me,
    person: Path<Uuid>,
    form: Json<HistoryChange>,
) -> Answer<Vec<HistoryView>> {
    let understood = form.understood(state.today())?;
    let all = said_of_the_past(&understood).map_err(|sentence| Problem::field("text", sentence))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let mut out = Vec::new();
            for said in all {
                let row = put_down(change, *person, None, said, &state.tables.diagnoses).await?;
                out.extend(row.map(|row| HistoryView::on(row, state.today())));
            }
            Ok(Json(out))
        })
        .await
}

/// Takes back what was said of an entry last, by whoever said it.
#[utoipa::path(post, path = "/api/people/{id}/histories/{entry}/taken-back", params(("id" = Uuid, Path), ("entry" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem), (status = 409, body = Problem)))]
pub async fn taken_back(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            take_last_back(change, &me, ids.0, ids.1).await?;
            charges_follow(change, ids.0, ids.1, &state.tables.diagnoses).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct HistoryChange {
    /// What it says now, as the quick line understands it.
    text: String,
}

impl HistoryChange {
    fn understood(&self, today: NaiveDate) -> Result<Vec<Item>, Problem> {
        let text = fields::line("What it says", &self.text, 300).map_err(|s| Problem::field("text", s))?;
        if text.is_empty() {
            return Err(Problem::field("text", "Say what it is."));
        }
        Ok(understand(&text, &Known::nothing(today)))
    }
}

/// Says an entry anew, as a line that the quick line understands; what it said before stays readable.
#[utoipa::path(put, path = "/api/people/{id}/histories/{entry}", params(("id" = Uuid, Path), ("entry" = Uuid, Path)), request_body = HistoryChange, responses((status = 200, body = HistoryView), (status = 404, body = Problem), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn change(
    state: Data<State>,
    me: Me,
    ids: Path<(Uuid, Uuid)>,
    form: Json<HistoryChange>,
) -> Answer<HistoryView> {
    let understood = form.understood(state.today())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let last = histories::versions(change.conn(), ids.0, ids.1).await?.into_iter().next();
            let last = last.ok_or_else(|| Problem::not_found("history"))?;
            let one = said_anew(&understood, *last.kind).map_err(|sentence| Problem::field("text", sentence))?;
            let detail = detail_of(one, &state.tables.diagnoses).ok_or_else(|| Problem::not_found("history"))?;
            let row = change.set_history(last, detail).await?;
            charges_follow(change, ids.0, ids.1, &state.tables.diagnoses).await?;
            Ok(Json(HistoryView::on(row, state.today())))
        })
        .await
}

/// What an entry said once.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HistoryVersion {
    version: i32,
    words: String,
    /// Why it no longer held.
    ended: Option<String>,
    recorded_at: DateTime<Utc>,
    recorded_by: String,
}

/// All that an entry ever said, the newest first.
#[utoipa::path(get, path = "/api/people/{id}/histories/{entry}", params(("id" = Uuid, Path), ("entry" = Uuid, Path)), responses((status = 200, body = Vec<HistoryVersion>), (status = 404, body = Problem)))]
pub async fn versions(state: Data<State>, ids: Path<(Uuid, Uuid)>) -> Answer<Vec<HistoryVersion>> {
    let mut conn = state.store.reader().await?;
    let rows = histories::versions(&mut conn, ids.0, ids.1).await?;
    if rows.is_empty() {
        return Err(Problem::not_found("history"));
    }
    let one = |row: History| HistoryVersion {
        version: row.version,
        words: item_of(&row.detail).told(),
        ended: row.ended,
        recorded_at: row.recorded_at,
        recorded_by: row.recorded_by,
    };
    Ok(Json(rows.into_iter().map(one).collect()))
}

/// An entry of a list that no longer holds, with why.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct EndedEntry {
    id: Uuid,
    words: String,
    reason: String,
    ended_at: DateTime<Utc>,
    ended_by: String,
}

/// What ended of a person.
#[derive(Debug, Serialize, ToSchema)]
pub struct EndedEntries {
    allergies: Vec<EndedEntry>,
    histories: Vec<EndedEntry>,
}

/// Allergies and histories that no longer hold, the last that ended first.
#[utoipa::path(get, path = "/api/people/{id}/ended", params(("id" = Uuid, Path)), responses((status = 200, body = EndedEntries)))]
pub async fn ended(state: Data<State>, id: Path<Uuid>) -> Answer<EndedEntries> {
    let mut conn = state.store.reader().await?;
    let allergies = chart::ended_allergies_of(&mut conn, *id).await?.into_iter().map(|a| EndedEntry {
        id: a.id,
        words: [a.substance, a.reaction].into_iter().filter(|t| !t.is_empty()).collect::<Vec<_>>().join(": "),
        reason: a.end_reason,
        ended_at: a.ended_at.unwrap_or(a.recorded_at),
        ended_by: a.recorded_by,
    });
    let histories = histories::ended_of(&mut conn, *id).await?.into_iter().map(|h| EndedEntry {
        id: h.entry_id,
        words: item_of(&h.detail).told(),
        reason: h.ended.unwrap_or_default(),
        ended_at: h.recorded_at,
        ended_by: h.recorded_by,
    });
    Ok(Json(EndedEntries { allergies: allergies.collect(), histories: histories.collect() }))
}
