//! Finding, adding and changing people.

use super::views::{PersonCard, VisitCard};
use super::{DONE, Done, Typed};
use crate::access::{Me, shown};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::http::StatusCode;
use actix_web::web::{Data, Json, Path, Query};
use chrono::NaiveDate;
use harbor_core::arrival::missed::missed;
use harbor_core::fields::{self, Faults};
use harbor_core::people::{
    Ethnicity, Field, Fit, Likeness, MaritalStatus, Race, Section, Sex, death_refusal, search_terms,
};
use harbor_core::typed_date::{self, Sense};
use harbor_store::audit::AuditRow;
use harbor_store::people::household::{self, Member};
use harbor_store::people::registration::{self, Registrations};
use harbor_store::people::{Details, finding, merging};
use harbor_store::rows::{Consent, Merge, Person, Registration, Visit};
use harbor_store::{audit, facts, people as store, visits as visit_store};
use serde::{Deserialize, Serialize};
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

/// A person as the form sends it: everything as typed.
#[derive(Debug, Clone, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase", default)]
#[derive(Default)]
pub struct PersonForm {
    /// The version that the form was filled from; 0 for a new person.
    version: i32,
    /// Set when the likely twins were looked at and this is somebody else.
    not_a_twin: bool,
    first_name: String,
    last_name: String,
    middle_name: String,
    preferred_name: String,
    former_name: String,
    birth_date: String,
    sex: String,
    phone: String,
    other_phone: Option<String>,
    email: String,
    email_declined: bool,
    address_line: String,
    address_line2: String,
    city: String,
    state: String,
    postal_code: String,
    language: String,
    responsible_id: Option<Uuid>,
    usual_clinician_id: Option<Uuid>,
    chart_alert: String,
    billing_note: String,
    deceased_on: Option<String>,
    /// Registered only to answer for a patient, or as a policyholder.
    no_patient: bool,
    gender_identity: String,
    pronouns: String,
    marital_status: String,
    interpreter: bool,
    race: String,
    ethnicity: String,
    occupation: String,
    employer: String,
    outside_id: String,
    emergency_name: String,
    emergency_phone: Option<String>,
    emergency_relation: String,
    pharmacy_id: Option<Uuid>,
    usual_site_id: Option<Uuid>,
    outside_clinician: String,
    referred_by: String,
    heard_from: String,
}

/// Reads a field that may be empty with a reader of the core.
fn optional(faults: &mut Faults, field: &str, text: &str, read: fn(&str) -> Result<String, String>) -> Option<String> {
    if text.trim().is_empty() {
        return None;
    }
    read(text).map_err(|sentence| faults.add(field, sentence)).ok()
}

pub(super) fn details(f: &PersonForm, today: NaiveDate) -> Result<(Details, Registration), Faults> {
    let mut faults = Faults::default();
    let mut name = |field: &str, label: &str, text: &str| {
        fields::person_name(label, text).unwrap_or_else(|sentence| {
            faults.add(field, sentence);
            String::new()
        })
    };
    let first_name = name("firstName", "First name", &f.first_name);
    let last_name = name("lastName", "Last name", &f.last_name);
    let birth_date = if f.birth_date.trim().is_empty() {
        None
    } else {
        typed_date::parse(&f.birth_date, today, Sense::Birth).map_err(|e| faults.add("birthDate", e.to_string())).ok()
    };
    let sex = (!f.sex.is_empty()).then(|| f.sex.clone());
    if sex.as_deref().is_some_and(|s| Sex::from_code(s).is_none()) {
        faults.add("sex", "Choose female, male or unknown.");
    }
    let deceased_on = f.deceased_on.as_deref().filter(|t| !t.trim().is_empty()).and_then(|text| {
        typed_date::parse(text, today, Sense::Birth).map_err(|e| faults.add("deceasedOn", e.to_string())).ok()
    });
    if let Some(sentence) = deceased_on.and_then(|died| death_refusal(birth_date, died)) {
        faults.add("deceasedOn", sentence);
    }
    for (field, code, known) in [
        ("maritalStatus", &f.marital_status, MaritalStatus::from_code(&f.marital_status).is_some()),
        ("race", &f.race, Race::from_code(&f.race).is_some()),
        ("ethnicity", &f.ethnicity, Ethnicity::from_code(&f.ethnicity).is_some()),
    ] {
        if !code.is_empty() && !known {
            faults.add(field, "Choose one of the list, or leave it empty.");
        }
    }
    let state = faults.optional_line("state", "State", &f.state, 2).to_uppercase();
    if !state.is_empty() && (state.len() != 2 || !state.bytes().all(|b| b.is_ascii_uppercase())) {
        faults.add("state", "A state has two letters, such as ME.");
    }
    let d = Details {
        first_name,
        last_name,
        middle_name: faults.optional_line("middleName", "Middle name", &f.middle_name, 100),
        preferred_name: faults.optional_line("preferredName", "Preferred name", &f.preferred_name, 100),
        former_name: faults.optional_line("formerName", "Former name", &f.former_name, 100),
        birth_date,
        sex,
        phone: optional(&mut faults, "phone", &f.phone, fields::telephone),
        other_phone: optional(&mut faults, "otherPhone", f.other_phone.as_deref().unwrap_or(""), fields::telephone),
        email: optional(&mut faults, "email", &f.email, fields::email),
        email_declined: f.email_declined,
        address_line: faults.optional_line("addressLine", "Address", &f.address_line, 55),
        address_line2: faults.optional_line("addressLine2", "Address, second line", &f.address_line2, 55),
        city: faults.optional_line("city", "Town", &f.city, 30),
        state,
        postal_code: optional(&mut faults, "postalCode", &f.postal_code, fields::postal_code).unwrap_or_default(),
        language: faults.optional_line("language", "Language", &f.language, 40),
        responsible_id: f.responsible_id,
        usual_clinician_id: f.usual_clinician_id,
        chart_alert: faults.optional_line("chartAlert", "Chart alert", &f.chart_alert, 200),
        billing_note: faults.optional_line("billingNote", "Billing note", &f.billing_note, 400),
        deceased_on,
        patient: !f.no_patient,
    };
    let more = Registration {
        person_id: Uuid::nil(),
        gender_identity: faults.optional_line("genderIdentity", "Gender identity", &f.gender_identity, 40),
        pronouns: faults.optional_line("pronouns", "Pronouns", &f.pronouns, 30),
        marital_status: f.marital_status.clone(),
        interpreter: f.interpreter,
        race: f.race.clone(),
        ethnicity: f.ethnicity.clone(),
        occupation: faults.optional_line("occupation", "Occupation", &f.occupation, 60),
        employer: faults.optional_line("employer", "Employer", &f.employer, 60),
        outside_id: faults.optional_line("outsideId", "Id in another system", &f.outside_id, 40),
        emergency_name: faults.optional_line("emergencyName", "Emergency contact", &f.emergency_name, 80),
        emergency_phone: optional(
            &mut faults,
            "emergencyPhone",
            f.emergency_phone.as_deref().unwrap_or(""),
            fields::telephone,
        ),
        emergency_relation: faults.optional_line("emergencyRelation", "Relation", &f.emergency_relation, 40),
        pharmacy_id: f.pharmacy_id,
        usual_site_id: f.usual_site_id,
        outside_clinician: faults.optional_line("outsideClinician", "Outside clinician", &f.outside_clinician, 80),
        referred_by: faults.optional_line("referredBy", "Referred by", &f.referred_by, 80),
        heard_from: faults.optional_line("heardFrom", "How they heard of the clinic", &f.heard_from, 80),
        restricted: false,
    };
    faults.none_or((d, more))
}

pub(super) fn likeness(d: &Details) -> Likeness {
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
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
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
    change.commit().await?;
    Ok(Json(row))
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PersonView {
    person: Person,
    registration: Registration,
    card: PersonCard,
    /// Field and word of what the record lacks.
    gaps: Vec<Gap>,
    /// The parts of the form, each with what it lacks.
    sections: Vec<SectionView>,
    responsible: Option<PersonCard>,
    household: Vec<MemberView>,
    /// Every answer that was recorded, the newest first.
    consents: Vec<Consent>,
    /// Records merged into this one.
    merges: Vec<MergeView>,
    /// The record that stays, when this one was merged into it.
    merged_into: Option<PersonCard>,
    /// How often they did not come or left unseen, in words; empty when never.
    missed: String,
    /// Visits to come of somebody who died, to be cancelled.
    to_cancel: Vec<Visit>,
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
    Ok(Json(PersonView {
        merged_into,
        card: PersonCard::of(&person, today),
        missed: if missed.is_none() { String::new() } else { missed.to_string() },
        registration: registration::of(&mut conn, person.id).await?,
        sections: Section::ALL.iter().map(section).collect(),
        gaps: gaps.into_iter().map(Gap::from).collect(),
        household: household::of(&mut conn, &person).await?.into_iter().map(member).collect(),
        consents: registration::consents_of(&mut conn, &records).await?,
        merges: standing.into_iter().filter_map(merge).collect(),
        responsible,
        to_cancel,
        person,
    }))
}

#[utoipa::path(put, path = "/api/people/{id}", params(("id" = Uuid, Path)), request_body = PersonForm, responses((status = 200, body = Person), (status = 409, body = Problem), (status = 422, body = Problem)))]
pub async fn save(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PersonForm>) -> Answer<Person> {
    let (d, more) = details(&form, state.today())?;
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    let row = change.save_person(*id, form.version, &d, more, state.today()).await?;
    change.commit().await?;
    Ok(Json(row))
}

#[utoipa::path(get, path = "/api/people/{id}/visits", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<VisitCard>)))]
pub async fn visits(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<VisitCard>> {
    let mut conn = state.store.reader().await?;
    let rows = visit_store::of_person(&mut conn, *id).await?;
    let gathered = facts::gather(&mut conn, rows, &state.tables.diagnoses).await?;
    Ok(Json(gathered.iter().map(|g| VisitCard::of(g, state.today())).collect()))
}

/// Who looked at or changed this record.
#[utoipa::path(get, path = "/api/people/{id}/looks", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<AuditRow>)))]
pub async fn looks(state: Data<State>, id: Path<Uuid>) -> Answer<Vec<AuditRow>> {
    Ok(Json(audit::of_person(&mut *state.store.reader().await?, *id, 200).await?))
}

#[utoipa::path(post, path = "/api/people/{id}/self-pay", params(("id" = Uuid, Path)), responses((status = 200, body = Done)))]
pub async fn self_pay(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Done> {
    let mut change = state.store.begin(&me.actor(), state.now()).await?;
    store::get(change.conn(), *id).await?;
    change.record_self_pay(*id).await?;
    change.commit().await?;
    Ok(DONE)
}
