//! Finding, adding and changing people.

use crate::access::{Me, shown};
use crate::api::Typed;
use crate::api::people::addresses::{self, AddressCheck};
use crate::api::people::person_form::{PersonForm, details};
use crate::api::visit_line::views::{PersonCard, VisitCard};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::http::StatusCode;
use actix_web::web::{Data, Json, Path, Query};
use harbor_core::arrival::missed::missed;
use harbor_core::people::{Field, Fit, Likeness, Section, search_terms};
use harbor_store::audit::AuditRow;
use harbor_store::people::household::{self, Member};
use harbor_store::people::registration::{self, Registrations};
use harbor_store::people::{Details, finding, merging};
use harbor_store::rows::{ConsentAnswer, Merge, Person, Registration, Visit};
use harbor_store::visit_line::{facts, visits as visit_store};
use harbor_store::{Conn, StoreError, audit, people as store};
use serde::Serialize;
use serde_json::{Map, Value};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PersonHit {
    person: PersonCard,
    next_visit: Option<chrono::DateTime<chrono::Utc>>,
    /// By what the person was found, in words.
    why: String,
}

#[utoipa::path(get, path = "/api/people", params(Typed), responses((status = 200, body = Vec<PersonHit>)))]
pub async fn search(state: Data<State>, request: HttpRequest, typed: Query<Typed>) -> Answer<Vec<PersonHit>> {
    let today = state.today();
    let terms = search_terms(&typed.q, today);
    let mut conn = state.store.reader().await?;
    let found = finding::search(&mut conn, &terms, 20).await?;
    let ids: Vec<Uuid> = found.iter().map(|(p, _)| p.id).collect();
    shown::listed(&request, "search", ids.iter().copied());
    let next = visit_store::next_of(&mut conn, &ids, state.now()).await?;
    let hit = |(p, fit): (Person, Fit)| PersonHit {
        person: PersonCard::of(&p, today),
        next_visit: next.iter().find(|v| v.person_id == p.id).map(|v| v.starts_at),
        why: fit.why.join(", "),
    };
    Ok(Json(found.into_iter().map(hit).collect()))
}

pub(crate) fn likeness(d: &Details) -> Likeness {
    Likeness {
        first: d.first_name.clone(),
        last: d.last_name.clone(),
        other_names: vec![],
        birth_date: d.birth_date,
        phone: d.phone.clone(),
        address: Some(harbor_core::people::fold(&d.address_line)).filter(|a| !a.is_empty()),
        subscriber_number: None,
    }
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Twin {
    person: PersonCard,
    score: u8,
    reasons: Vec<String>,
}

async fn find_twins(state: &State, d: &Details) -> Result<Vec<Twin>, Problem> {
    let mut conn = state.store.reader().await?;
    let found = finding::likely_twins(&mut conn, &likeness(d), 5).await?;
    let twin = |(p, s): (Person, harbor_core::people::TwinScore)| Twin {
        person: PersonCard::of(&p, state.today()),
        score: s.score,
        reasons: s.reasons,
    };
    Ok(found.into_iter().map(twin).collect())
}

/// Records that are likely the person being registered.
#[utoipa::path(post, path = "/api/people/twins", request_body = PersonForm, responses((status = 200, body = Vec<Twin>)))]
pub async fn twins(state: Data<State>, form: Json<PersonForm>) -> Answer<Vec<Twin>> {
    Ok(Json(find_twins(&state, &details(&form, state.today())?.0).await?))
}

#[utoipa::path(post, path = "/api/people", request_body = PersonForm, responses((status = 200, body = Person), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn add(state: Data<State>, me: Me, form: Json<PersonForm>) -> Answer<Person> {
    let (d, more) = details(&form, state.today())?;
    if !form.not_a_twin {
        let twins = find_twins(&state, &d).await?;
        if !twins.is_empty() {
            return Err(Problem {
                current: serde_json::to_value(twins).ok().map(Box::new),
                ..Problem::new(
                    StatusCode::CONFLICT,
                    "likely-twin",
                    "Somebody much like this is registered already. Is it the same person?",
                )
            });
        }
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            // Two who register one person at one moment come one after the other; the second sees the first's record.
            if let Some(just) = change.registered_just_now(&d).await? {
                let reasons = vec![format!("registered a moment ago by {}", just.1)];
                let twin = Twin { person: PersonCard::of(&just.0, state.today()), score: 100, reasons };
                return Err(Problem {
                    current: serde_json::to_value(vec![twin]).ok().map(Box::new),
                    ..Problem::new(StatusCode::CONFLICT, "likely-twin", "Just this person was registered a moment ago.")
                });
            }
            let row = change.add_person(&d, more).await?;
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PersonView {
    person: Person,
    /// The form as the record holds it.
    form: PersonForm,
    registration: Registration,
    card: PersonCard,
    /// Field and word of what the record lacks.
    gaps: Vec<Gap>,
    /// The parts of the form, each with what it lacks.
    sections: Vec<SectionView>,
    responsible: Option<PersonCard>,
    household: Vec<MemberView>,
    /// Every answer that was recorded, the newest first.
    consents: Vec<ConsentAnswer>,
    /// Records merged into this one.
    merges: Vec<MergeView>,
    /// The record that stays, when this one was merged into it.
    merged_into: Option<PersonCard>,
    /// How often they did not come or left unseen, in words; empty when never.
    missed: String,
    /// Visits to come of somebody who died, to be cancelled.
    to_cancel: Vec<Visit>,
    /// What the address service said of the address on file; nothing when it was not checked.
    address_check: Option<AddressCheck>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct Gap {
    field: String,
    word: String,
}

impl From<Field> for Gap {
    fn from(field: Field) -> Gap {
        Gap { field: field.code().into(), word: field.label().into() }
    }
}

#[derive(Debug, Serialize, ToSchema)]
pub struct SectionView {
    code: String,
    label: String,
    gaps: Vec<Gap>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MemberView {
    person: PersonCard,
    ties: Vec<String>,
    linked: bool,
    same_address: bool,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MergeView {
    merge: Merge,
    gone: PersonCard,
}

#[utoipa::path(get, path = "/api/people/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = PersonView)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<PersonView> {
    let mut conn = state.store.reader().await?;
    let today = state.today();
    let person = store::get(&mut conn, *id).await?;
    let responsible = match person.responsible_id {
        Some(id) => Some(PersonCard::of(&store::get(&mut conn, id).await?, today)),
        None => None,
    };
    let gaps = Registrations::load(&mut conn, &[person.id]).await?.gaps(&person, today);
    let section = |s: &Section| SectionView {
        code: s.code().into(),
        label: s.label().into(),
        gaps: gaps.iter().filter(|f| f.section() == *s).map(|f| Gap::from(*f)).collect(),
    };
    let member = |m: Member| MemberView {
        person: PersonCard::of(&m.person, today),
        ties: m.ties,
        linked: m.linked,
        same_address: m.same_address,
    };
    let standing = merging::standing(&mut conn, person.id).await?;
    let gone = store::by_id(&mut conn, standing.iter().map(|m| m.gone_id)).await?;
    let merge = |merge: Merge| Some(MergeView { gone: PersonCard::of(gone.get(&merge.gone_id)?, today), merge });
    let records = merging::records_of(&mut conn, person.id).await?;
    let to_cancel = match person.deceased_on {
        Some(_) => registration::coming_visits(&mut conn, person.id, state.now()).await?,
        None => vec![],
    };
    let past = visit_store::of_person(&mut conn, person.id).await?;
    let missed = missed(past.iter().map(|v| (v.stage(), v.day)), today);
    let merged_into = match person.merged_into {
        Some(kept) => Some(PersonCard::of(&store::get(&mut conn, kept).await?, today)),
        None => None,
    };
    let more = registration::of(&mut conn, person.id).await?;
    Ok(Json(PersonView {
        merged_into,
        card: PersonCard::of(&person, today),
        missed: if missed.is_none() { String::new() } else { missed.to_string() },
        form: PersonForm::of(&person, &more),
        registration: more,
        sections: Section::ALL.iter().map(section).collect(),
        gaps: gaps.into_iter().map(Gap::from).collect(),
        household: household::of(&mut conn, &person).await?.into_iter().map(member).collect(),
        consents: registration::consents_of(&mut conn, &records).await?,
        merges: standing.into_iter().filter_map(merge).collect(),
        address_check: addresses::check_of(&mut conn, &person).await?,
        responsible,
        to_cancel,
        person,
    }))
}

/// Saves what was changed in the form, over the version that it was changed in. What is not sent stays as it is; a stale save
/// gets the form as it is held by now.
#[utoipa::path(patch, path = "/api/people/{id}", params(("id" = Uuid, Path)), request_body = PersonForm, responses((status = 200, body = PersonForm), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn save(state: Data<State>, me: Me, id: Path<Uuid>, sent: Json<Map<String, Value>>) -> Answer<PersonForm> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let held = form_of(change.conn(), *id).await?;
            let form = held.with(&sent).map_err(|e| Problem::unreadable("form", e))?;
            let (d, more) = details(&form, state.today())?;
            match change.save_person(*id, form.version, &d, more, state.today()).await {
                Ok(_) => Ok(Json(form_of(change.conn(), *id).await?)),
                Err(StoreError::Stale { .. }) => {
                    let current = serde_json::to_value(form_of(change.conn(), *id).await?).unwrap_or_default();
                    Err(StoreError::Stale { current }.into())
                }
                Err(other) => Err(other.into()),
            }
        })
        .await
}

async fn form_of(conn: &mut Conn, id: Uuid) -> Result<PersonForm, Problem> {
    let person = store::get(conn, id).await?;
    Ok(PersonForm::of(&person, &registration::of(conn, id).await?))
}

#[utoipa::path(get, path = "/api/people/{id}/visits", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<VisitCard>)))]
pub async fn visits(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<VisitCard>> {
    let mut conn = state.store.reader().await?;
    let rows = visit_store::of_person(&mut conn, *id).await?;
    let gathered = facts::gather(&mut conn, rows, state.asked_today()).await?;
    Ok(Json(gathered.iter().map(|g| VisitCard::of(g, state.today())).collect()))
}

/// Who looked at or changed this record.
#[utoipa::path(get, path = "/api/people/{id}/looks", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<AuditRow>)))]
pub async fn looks(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<AuditRow>> {
    Ok(Json(audit::of_person(&mut *state.store.reader().await?, *id, 200).await?))
}
