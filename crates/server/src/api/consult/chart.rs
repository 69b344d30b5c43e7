//! The chart of a visit: what was measured, recorded, written, ordered and prescribed.

use super::histories::HistoryView;
use crate::access::Me;
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::consult::{KnownList, Reaction, ReviewedList, growth};
use harbor_core::fields::Faults;
use harbor_core::orders::misfit;
use harbor_core::prescribing::MedicineState;
use harbor_store::consult::chart as store;
use harbor_store::consult::lists::NewMedicine;
use harbor_store::consult::{heads, histories, notes, runs};
use harbor_store::rows::*;
use harbor_store::visit_line::visits;
use harbor_store::{Conn, orders, people, prescribing};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// An order beside the visit's diagnoses.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OrderView {
    order: Order,
    codes: Vec<String>,
    questions: Vec<String>,
    /// Why it lies oddly where it is, with the better place.
    misfit: Option<String>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChartView {
    person: PersonCard,
    /// The problems handled, the main one first.
    runs: Vec<NoteRun>,
    parts: Vec<WrittenPart>,
    /// How much of the note stands word for word in earlier ones, in percent; told from 60 on.
    mostly_carried: Option<u8>,
    /// Who supervises, and the documented minutes.
    head: Option<NoteHead>,
    signature: Option<NoteSignature>,
    cosignature: Option<NoteCosignature>,
    struck: Option<StruckNote>,
    addenda: Vec<Addendum>,
    measurements: Vec<Measurement>,
    allergies: Vec<Allergy>,
    medicines: Vec<Medicine>,
    problems: Vec<ListedProblem>,
    none_known: Vec<NoneKnown>,
    histories: Vec<HistoryView>,
    /// Who looked through which list; a change of the list takes the mark away.
    reviews: Vec<ListReview>,
    /// Whether growth is looked at: up to 20 years, and where nobody knows the age.
    growing: bool,
    diagnoses: Vec<VisitDiagnosis>,
    orders: Vec<OrderView>,
    prescriptions: Vec<Prescription>,
    reports: Vec<LabReport>,
}

use harbor_store::rows::ListedProblem;

/// The orders of a visit with their diagnoses and what does not fit.
pub async fn order_views(
    conn: &mut Conn,
    state: &State,
    visit: Uuid,
    diagnoses: &[VisitDiagnosis],
) -> Result<Vec<OrderView>, Problem> {
    let links = orders::links(conn, &[visit]).await?;
    let listed: Vec<(String, String)> = diagnoses.iter().map(|d| (d.code.clone(), d.title.clone())).collect();
    let rows = orders::of_visits(conn, &[visit]).await?;
    let view = |order: Order| {
        let codes: Vec<String> = links.iter().filter(|l| l.order_id == order.id).map(|l| l.code.clone()).collect();
        let test = state.tables.test(&order.test_code);
        let placed: Vec<usize> = codes.iter().filter_map(|c| listed.iter().position(|(d, _)| d == c)).collect();
        OrderView {
            misfit: test.and_then(|t| misfit(t, &placed, &listed)),
            questions: test.map(|t| t.questions.clone()).unwrap_or_default(),
            codes,
            order,
        }
    };
    Ok(rows.into_iter().map(view).collect())
}

#[utoipa::path(get, path = "/api/visits/{id}/chart", params(("id" = Uuid, Path)), responses((status = 200, body = ChartView)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<ChartView> {
    let mut conn = state.store.reader().await?;
    let visit = visits::get(&mut conn, *id).await?;
    let person = people::get(&mut conn, visit.person_id).await?;
    let diagnoses = runs::diagnoses_of(&mut conn, *id).await?;
    let parts = notes::parts(&mut conn, *id).await?;
    Ok(Json(ChartView {
        person: PersonCard::of(&person, state.today()),
        runs: runs::runs_of(&mut conn, *id).await?,
        mostly_carried: notes::mostly_carried(&mut conn, &parts).await?,
        parts,
        reviews: store::reviews_of(&mut conn, person.id).await?,
        head: heads::head(&mut conn, *id).await?,
        signature: store::signature(&mut conn, *id).await?,
        cosignature: heads::cosignature(&mut conn, *id).await?,
        struck: heads::struck(&mut conn, *id).await?,
        addenda: store::addenda_of(&mut conn, *id).await?,
        measurements: store::measurements_of(&mut conn, person.id).await?,
        allergies: store::allergies_of(&mut conn, person.id).await?,
        medicines: store::medicines_of(&mut conn, person.id).await?,
        problems: store::problems_of(&mut conn, person.id).await?,
        none_known: store::none_known_of(&mut conn, person.id).await?,
        histories: histories::of_person(&mut conn, person.id).await?.into_iter().map(Into::into).collect(),
        growing: growth::comparable(person.birth_date, person.sex.map(|s| *s), state.today())
            != Err(growth::ENDS_AT_TWENTY),
        orders: order_views(&mut conn, &state, *id, &diagnoses).await?,
        prescriptions: prescribing::of_visits(&mut conn, &[*id]).await?,
        reports: orders::reports_of_person(&mut conn, person.id).await?,
        diagnoses,
    }))
}

#[utoipa::path(delete, path = "/api/visits/{id}/measurements/{measurement}", params(("id" = Uuid, Path), ("measurement" = Uuid, Path)), responses((status = 200, body = Done)))]
pub async fn strike(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let visit = change.lock_visit(ids.0).await?;
            change.strike_measurement(ids.1, &visit).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct AllergyForm {
    substance: String,
    #[serde(default)]
    reaction: String,
    #[serde(default)]
    severity: String,
}

#[utoipa::path(post, path = "/api/people/{id}/allergies", params(("id" = Uuid, Path)), request_body = AllergyForm, responses((status = 200, body = Allergy), (status = 422, body = Problem)))]
pub async fn add_allergy(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<AllergyForm>) -> Answer<Allergy> {
    let mut faults = Faults::default();
    let substance = faults.line("substance", "Substance", &form.substance, 100);
    let reaction = faults.optional_line("reaction", "Reaction", &form.reaction, 100);
    let severity: Option<Reaction> = faults.optional_coded("severity", &form.severity);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            people::get(change.conn(), *id).await?;
            let row = change.add_allergy(*id, &substance, &reaction, severity).await?;
            Ok(Json(row))
        })
        .await
}

#[utoipa::path(delete, path = "/api/people/{id}/allergies/{allergy}", params(("id" = Uuid, Path), ("allergy" = Uuid, Path)), responses((status = 200, body = Done)))]
pub async fn end_allergy(state: Data<State>, me: Me, ids: Path<(Uuid, Uuid)>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.end_allergy(ids.0, ids.1).await?;
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
    let product = form.product_code.as_deref().and_then(|c| state.tables.product(c));
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
                    },
                )
                .await?;
            Ok(Json(row))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct MedicineStanding {
    state: String,
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
            change.set_medicine_state(ids.0, ids.1, wanted).await?;
            Ok(DONE)
        })
        .await
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
