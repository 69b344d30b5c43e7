//! The lists of a person: allergies, medicines, problems; that none is known; and who looked through them.

use super::histories::EndForm;
use crate::access::Me;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::consult::lists::taken_until;
use harbor_core::consult::quick_line::When;
use harbor_core::consult::{AllergyKind, KnownList, ProblemState, Reaction, ReviewedList, Source, Weight};
use harbor_core::fields::Faults;
use harbor_core::prescribing::MedicineState;
use harbor_store::consult::chart as store;
use harbor_store::consult::lists::{MedicineNow, NewAllergy, NewMedicine, NewProblem, ProblemNow, versions};
use harbor_store::people;
use harbor_store::rows::{Allergy, ListReview, ListVersion, ListedProblem, Medicine};
use serde::Deserialize;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Deserialize, ToSchema)]
pub struct AllergyForm {
    substance: String,
    #[serde(default)]
    reaction: String,
    #[serde(default)]
    severity: String,
    #[serde(default)]
    kind: String,
    /// A year, a month or a day.
    #[serde(default)]
    since: String,
    #[serde(default)]
    source: String,
}

/// A time as exactly as it is known, as a form gives it.
fn time(faults: &mut Faults, field: &str, typed: &str) -> String {
    let typed = typed.trim();
    if !typed.is_empty() && When::parse(typed).is_none() {
        faults.add(field, "Type a year, a month or a day: 2019, 2019-04 or 2019-04-23.");
    }
    When::parse(typed).map(|w| w.to_string()).unwrap_or_default()
}

#[utoipa::path(post, path = "/api/people/{id}/allergies", params(("id" = Uuid, Path)), request_body = AllergyForm, responses((status = 200, body = Allergy), (status = 422, body = Problem)))]
pub async fn add_allergy(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<AllergyForm>) -> Answer<Allergy> {
    let mut faults = Faults::default();
    let substance = faults.line("substance", "Substance", &form.substance, 100);
    let reaction = faults.optional_line("reaction", "Reaction", &form.reaction, 100);
    let severity: Option<Reaction> = faults.optional_coded("severity", &form.severity);
    let kind: Option<AllergyKind> = faults.optional_coded("kind", &form.kind);
    let source: Option<Source> = faults.optional_coded("source", &form.source);
    let since = time(&mut faults, "since", &form.since);
    faults.none_or(())?;
    let new = NewAllergy {
        substance: &substance,
        reaction: &reaction,
        severity,
        kind: kind.unwrap_or(AllergyKind::Allergy),
        since: &since,
        source: source.unwrap_or(Source::Told),
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            people::get(change.conn(), *id).await?;
            let row = change.add_allergy(*id, &new).await?;
            Ok(Json(row))
        })
        .await
}

/// Ends an allergy; it stays readable with its reason.
#[utoipa::path(post, path = "/api/people/{id}/allergies/{allergy}/end", params(("id" = Uuid, Path), ("allergy" = Uuid, Path)), request_body = EndForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn end_allergy(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>, form: Json<EndForm>) -> Answer<Done> {
    let reason = form.reason()?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.end_allergy(ids.0, ids.1, &reason).await?;
            Ok(DONE)
        })
        .await
}

#[utoipa::path(post, path = "/api/people/{id}/allergies/{allergy}/not-ended", params(("id" = Uuid, Path), ("allergy" = Uuid, Path)), responses((status = 200, body = Done)))]
pub async fn take_end_of_allergy_back(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.take_end_of_allergy_back(ids.0, ids.1).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MedicineForm {
    #[serde(default)]
    name: String,
    product_code: Option<String>,
    #[serde(default)]
    note: String,
}

#[utoipa::path(post, path = "/api/people/{id}/medicines", params(("id" = Uuid, Path)), request_body = MedicineForm, responses((status = 200, body = Medicine), (status = 422, body = Problem)))]
pub async fn add_medicine(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<MedicineForm>) -> Answer<Medicine> {
    let mut faults = Faults::default();
    let product = form.product_code.as_deref().and_then(|c| state.rules().product(c));
    if form.product_code.is_some() && product.is_none() {
        faults.add("productCode", "This product is not in the formulary.");
    }
    let name = match product {
        Some(p) => format!("{} {} {}", p.brand, p.strength, p.form),
        None => faults.line("name", "Medicine", &form.name, 100),
    };
    let note = faults.optional_line("note", "Note", &form.note, 200);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            people::get(change.conn(), *id).await?;
            let row = change
                .add_medicine(
                    *id,
                    &NewMedicine {
                        name: &name,
                        product: product.map(|p| p.code.as_str()),
                        state: MedicineState::Taking,
                        how: "",
                        since: "",
                        note: &note,
                        source: Source::Told,
                        prescription: None,
                    },
                )
                .await?;
            Ok(Json(row))
        })
        .await
}

/// How it is with a medicine; what is not said stays.
#[derive(Debug, Deserialize, ToSchema)]
pub struct MedicineStanding {
    state: String,
    how: Option<String>,
    /// Since when and until when: a year, a month or a day.
    since: Option<String>,
    until: Option<String>,
    source: Option<String>,
    /// Why it is taken, or why no longer.
    reason: Option<String>,
    note: Option<String>,
}

#[utoipa::path(put, path = "/api/people/{id}/medicines/{medicine}", params(("id" = Uuid, Path), ("medicine" = Uuid, Path)), request_body = MedicineStanding, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_medicine(
    state: Data<State>,
    me: Me,
    ids: Path<(Uuid, Uuid)>,
    form: Json<MedicineStanding>,
) -> Answer<Done> {
    let said = "Choose taking, not taking, stopped or unknown.";
    let wanted = MedicineState::from_code(&form.state).ok_or_else(|| Problem::field("state", said))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let before = store::medicines_of(change.conn(), ids.0).await?.into_iter().find(|m| m.id == ids.1);
            let before = before.ok_or_else(|| Problem::not_found("medicine"))?;
            let mut faults = Faults::default();
            let mut text = |field: &str, label: &str, said: &Option<String>, stands: &str, most: usize| match said {
                Some(said) => faults.optional_line(field, label, said, most),
                None => stands.to_owned(),
            };
            let how = text("how", "How it is taken", &form.how, &before.how, 200);
            let reason = text("reason", "The reason", &form.reason, &before.reason, 200);
            let note = text("note", "Note", &form.note, &before.note, 200);
            let source: Option<Source> = form.source.as_deref().and_then(|code| faults.optional_coded("source", code));
            let since = form.since.as_ref().map_or(before.since.clone(), |s| time(&mut faults, "since", s));
            let said = form.until.as_ref().map(|s| time(&mut faults, "until", s));
            faults.none_or(())?;
            let until = taken_until(wanted, said.as_deref(), (*before.state, &before.until), state.today());
            let now = MedicineNow {
                state: wanted,
                how: &how,
                since: &since,
                until: &until,
                source: source.unwrap_or(*before.source),
                reason: &reason,
                note: &note,
            };
            change.set_medicine(ids.0, ids.1, &now).await?;
            Ok(DONE)
        })
        .await
}

/// A problem for the list: a code that may be billed, or words until the code is known.
#[derive(Debug, Deserialize, ToSchema)]
pub struct ProblemForm {
    #[serde(default)]
    code: String,
    #[serde(default)]
    words: String,
}

/// The code of a problem with its title.
fn coded(state: &State, code: &str) -> Result<(String, String), Problem> {
    let found = state.tables.diagnoses.resolve(code).map_err(|e| Problem::field("code", e.to_string()))?;
    Ok((found.code, found.title))
}

/// Puts a problem on the list of a person.
#[utoipa::path(post, path = "/api/people/{id}/problems", params(("id" = Uuid, Path)), request_body = ProblemForm, responses((status = 200, body = ListedProblem), (status = 422, body = Problem)))]
pub async fn add_problem(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ProblemForm>) -> Answer<ListedProblem> {
    let (code, title) = if form.code.trim().is_empty() {
        let mut faults = Faults::default();
        let words = faults.line("words", "The problem", &form.words, 100);
        faults.none_or((String::new(), words))?
    } else {
        coded(&state, &form.code)?
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            people::get(change.conn(), *id).await?;
            let new = NewProblem { code: &code, title: &title, state: ProblemState::Active, since: "", visit: None };
            match change.add_problem(*id, &new).await? {
                Some(row) => Ok(Json(row)),
                None => Err(Problem::refused("known", "It stands on the list already.")),
            }
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ProblemCode {
    code: String,
}

/// Gives a problem that stands in words its code.
#[utoipa::path(put, path = "/api/people/{id}/problems/{problem}/code", params(("id" = Uuid, Path), ("problem" = Uuid, Path)), request_body = ProblemCode, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn code_problem(
    state: Data<State>,
    me: Me,
    ids: Path<(Uuid, Uuid)>,
    form: Json<ProblemCode>,
) -> Answer<Done> {
    let (code, title) = coded(&state, &form.code)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.code_problem(ids.0, ids.1, &code, &title).await?;
            Ok(DONE)
        })
        .await
}

/// How it is with a problem; what is not said stays.
#[derive(Debug, Deserialize, ToSchema)]
pub struct ProblemStanding {
    state: String,
    /// major, minor, or empty where nobody said.
    weight: Option<String>,
    /// A year, a month or a day.
    since: Option<String>,
    /// Why it is no longer one.
    reason: Option<String>,
}

/// Says how it is with a problem of the list.
#[utoipa::path(put, path = "/api/people/{id}/problems/{problem}", params(("id" = Uuid, Path), ("problem" = Uuid, Path)), request_body = ProblemStanding, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set_problem(
    state: Data<State>,
    me: Me,
    ids: Path<(Uuid, Uuid)>,
    form: Json<ProblemStanding>,
) -> Answer<Done> {
    let said = "Choose active, inactive, resolved, recurrence or remission.";
    let wanted = ProblemState::from_code(&form.state).ok_or_else(|| Problem::field("state", said))?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let before = store::problems_of(change.conn(), ids.0).await?.into_iter().find(|p| p.id == ids.1);
            let before = before.ok_or_else(|| Problem::not_found("problem"))?;
            let mut faults = Faults::default();
            let weight: Option<Weight> = match &form.weight {
                Some(code) => faults.optional_coded("weight", code),
                None => before.weight.map(|w| *w),
            };
            let since = form.since.as_ref().map_or(before.since.clone(), |s| time(&mut faults, "since", s));
            let reason = form.reason.as_ref().map(|r| faults.optional_line("reason", "The reason", r, 200));
            faults.none_or(())?;
            let end_reason = wanted.end_reason(reason.as_deref(), &before.end_reason);
            let now = ProblemNow { state: wanted, weight, since: &since, end_reason: &end_reason };
            change.set_problem(ids.0, ids.1, &now).await?;
            Ok(DONE)
        })
        .await
}

/// What an entry of a list said before it was changed, the oldest first, with who changed it when.
#[utoipa::path(get, path = "/api/people/{id}/lists/{entry}", params(("id" = Uuid, Path), ("entry" = Uuid, Path)), responses((status = 200, body = Vec<ListVersion>), (status = 404, body = Problem)))]
pub async fn former(state: Data<State>, ids: Path<(Uuid, Uuid)>) -> Answer<Vec<ListVersion>> {
    let mut conn = state.store.reader().await?;
    let (person, entry) = *ids;
    let here = store::problems_of(&mut conn, person).await?.iter().any(|p| p.id == entry)
        || store::medicines_of(&mut conn, person).await?.iter().any(|m| m.id == entry)
        || store::allergies_of(&mut conn, person).await?.iter().any(|a| a.id == entry);
    if !here {
        return Err(Problem::not_found("entry"));
    }
    Ok(Json(versions(&mut conn, entry).await?))
}

fn list_of(code: &str) -> Result<KnownList, Problem> {
    KnownList::from_code(code).ok_or_else(|| Problem::field("list", "Choose allergies, medicines or problems."))
}

/// Takes back that none is known.
#[utoipa::path(delete, path = "/api/people/{id}/none-known/{list}", params(("id" = Uuid, Path), ("list" = String, Path)), responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn take_none_known_back(state: Data<State>, me: Me, ids: Path<(Uuid, String)>) -> Answer<Done> {
    let list = list_of(&ids.1)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.take_none_known_back(ids.0, list).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct NoneKnownForm {
    list: String,
}

#[utoipa::path(post, path = "/api/people/{id}/none-known", params(("id" = Uuid, Path)), request_body = NoneKnownForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn none_known(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<NoneKnownForm>) -> Answer<Done> {
    let list = list_of(&form.list)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            people::get(change.conn(), *id).await?;
            change.state_none_known(*id, list).await?;
            Ok(DONE)
        })
        .await
}

fn reviewed_list(code: &str) -> Result<ReviewedList, Problem> {
    ReviewedList::from_code(code).ok_or_else(|| Problem::not_found("list"))
}

/// Marks a list of the person as looked through by whoever asks, in this visit.
#[utoipa::path(put, path = "/api/visits/{id}/lists/{list}/reviewed", params(("id" = Uuid, Path), ("list" = String, Path)), responses((status = 200, body = ListReview)))]
pub async fn review_list(state: Data<State>, me: Me, ids: Path<(Uuid, String)>) -> Answer<ListReview> {
    let list = reviewed_list(&ids.1)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(ids.0).await?;
            Ok(Json(change.review_list(&visit, list).await?))
        })
        .await
}

#[utoipa::path(delete, path = "/api/visits/{id}/lists/{list}/reviewed", params(("id" = Uuid, Path), ("list" = String, Path)), responses((status = 200, body = Done), (status = 404, body = Problem)))]
pub async fn take_review_back(state: Data<State>, me: Me, ids: Path<(Uuid, String)>) -> Answer<Done> {
    let list = reviewed_list(&ids.1)?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(ids.0).await?;
            change.take_review_of_list_back(&visit, list).await?;
            Ok(DONE)
        })
        .await
}
