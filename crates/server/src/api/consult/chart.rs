//! The chart of a visit: what was measured, recorded, written, ordered and prescribed.

use super::histories::HistoryView;
use super::questionnaires::{self, AskedView};
use super::texts::{PartToFill, to_fill};
use crate::access::Me;
use crate::api::orders::results::ToldReport;
use crate::api::orders::views::{OrderView, of_visit};
use crate::api::prescribing::facts::{present, taken};
use crate::api::prescribing::states;
use crate::api::prescribing::writing::refresh_drafts;
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::consult::heading::Heading;
use harbor_core::consult::lists::is_new_here;
use harbor_core::consult::measurements::{Measure, Tenths, means};
use harbor_core::consult::quick_line::When;
use harbor_core::consult::{NotePart, growth};
use harbor_core::people::Sex;
use harbor_core::prescribing::{Rules, harms_now, substance_in_words};
use harbor_store::consult::chart as store;
use harbor_store::consult::{heads, histories, notes, runs, signed_parts};
use harbor_store::house::staff;
use harbor_store::orders::results;
use harbor_store::rows::*;
use harbor_store::visit_line::visits;
use harbor_store::{Conn, codes, people, prescribing};
use serde::Serialize;
use utoipa::ToSchema;
use uuid::Uuid;

/// So many of the last reports stand on the sheet.
const REPORTS: i64 = 8;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ChartView {
    person: PersonCard,
    /// The problems handled, the main one first.
    runs: Vec<NoteRun>,
    parts: Vec<WrittenPart>,
    /// Fields of templates that nobody filled yet.
    to_fill: Vec<PartToFill>,
    /// What the person was asked, in this visit and before.
    asked: Vec<AskedView>,
    /// How much of the note stands word for word in earlier ones, in percent; told from 60 on.
    mostly_carried: Option<u8>,
    /// Who supervises, and the documented minutes.
    head: Option<NoteHead>,
    /// How the visit was done, who answers for the note, and whose hand wrote it.
    heading: String,
    /// Medicines that are taken and harm a problem that is there.
    harms: Vec<String>,
    /// What each allergy is to the checks of prescriptions.
    allergies_read: Vec<AllergyRead>,
    /// Parts that were signed before the rest.
    signed_parts: Vec<PartSignature>,
    signature: Option<NoteSignature>,
    cosignature: Option<NoteCosignature>,
    struck: Option<StruckNote>,
    addenda: Vec<Addendum>,
    measurements: Vec<Measurement>,
    /// What is usual for this person's age and sex, as far as both are known.
    usual: Vec<UsualRange>,
    /// Readings that were repeated in this visit.
    means: Vec<MeanOfReadings>,
    allergies: Vec<Allergy>,
    medicines: Vec<Medicine>,
    problems: Vec<ListedProblem>,
    /// Problems that are new in this visit.
    new_problems: Vec<Uuid>,
    none_known: Vec<NoneKnown>,
    /// Pregnancy and breastfeeding, where they matter.
    states: Vec<states::KnownState>,
    histories: Vec<HistoryView>,
    /// Who looked through which list; a change of the list takes the mark away.
    reviews: Vec<ListReview>,
    /// Whether growth is looked at: up to 20 years, and where nobody knows the age.
    growing: bool,
    diagnoses: Vec<VisitDiagnosis>,
    orders: Vec<OrderView>,
    prescriptions: Vec<Prescription>,
    /// Which of them are controlled substances.
    controlled: Vec<Uuid>,
    /// The pharmacy that the person prefers.
    pharmacy_id: Option<Uuid>,
    /// The last of the results, with their values.
    reports: Vec<ToldReport>,
    /// How many of all results nobody has signed.
    unseen_results: i64,
}

use harbor_store::rows::ListedProblem;

/// The usual range of a measure in tenths, both ends included.
#[derive(Debug, Serialize, ToSchema)]
pub struct UsualRange {
    measure: codes::Measure,
    low: i32,
    high: i32,
}

/// The mean of readings of one measure, in tenths.
#[derive(Debug, Serialize, ToSchema)]
pub struct MeanOfReadings {
    measure: codes::Measure,
    tenths: i32,
    readings: usize,
}

fn is_new(problem: &ListedProblem, visit: &Visit) -> bool {
    is_new_here(problem.visit_id == Some(visit.id), When::parse(&problem.since), visit.day)
}

/// What was measured more than once in a visit.
fn means_of(measured: &[Measurement], visit: Uuid) -> Vec<MeanOfReadings> {
    let here = measured.iter().filter(|m| m.visit_id == visit);
    let readings: Vec<(Measure, Tenths)> = here.map(|m| (*m.measure, Tenths(m.tenths))).collect();
    let view = |(measure, mean, readings): (Measure, Tenths, usize)| MeanOfReadings {
        measure: measure.into(),
        tenths: mean.0,
        readings,
    };
    means(&readings).into_iter().map(view).collect()
}

/// What a recorded allergy is to the checks.
#[derive(Debug, Serialize, ToSchema)]
pub struct AllergyRead {
    id: Uuid,
    /// The family or ingredient that medicines are checked against; nothing where it is only words.
    group: Option<String>,
}

/// What stands over the note of a visit.
pub async fn heading(conn: &mut Conn, state: &State, visit: &Visit, parts: &[WrittenPart]) -> Result<String, Problem> {
    // The reason comes from the booking, whoever moved the visit on.
    let booked = |p: &WrittenPart| p.part == NotePart::Reason && p.body == visit.reason;
    let hands = parts
        .iter()
        .filter(|p| !p.body.is_empty() && !booked(p))
        .map(|p| (p.updated_by.as_str(), p.updated_at.with_timezone(&state.zone).date_naive()))
        .collect();
    let head = heads::head(conn, visit.id).await?;
    let people = staff::all(conn).await?;
    let name = |id: Option<Uuid>| people.iter().find(|s| Some(s.id) == id).map(|s| s.name.as_str());
    let heading = Heading {
        kind: *visit.kind,
        appointment: visit.appointment,
        day: visit.day,
        clinician: name(Some(visit.clinician_id)).unwrap_or_default(),
        supervising: name(head.as_ref().and_then(|h| h.supervising_id)),
        minutes: head.as_ref().and_then(|h| h.minutes),
        hands,
    };
    Ok(heading.in_words())
}

#[utoipa::path(get, path = "/api/visits/{id}/chart", params(("id" = Uuid, Path)), responses((status = 200, body = ChartView)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<ChartView> {
    let mut conn = state.store.reader().await?;
    let visit = visits::get(&mut conn, *id).await?;
    let person = people::get(&mut conn, visit.person_id).await?;
    let diagnoses = runs::diagnoses_of(&mut conn, *id).await?;
    let parts = notes::parts(&mut conn, *id).await?;
    let told = histories::of_person(&mut conn, person.id).await?;
    let measurements = store::measurements_of(&mut conn, person.id).await?;
    let age = person.birth_date.and_then(|b| visit.day.years_since(b));
    let sex = person.sex.map_or(Sex::Unknown, |s| *s);
    let range = |m: &Measure| {
        let (low, high) = m.usual_if_known(age, sex)?;
        Some(UsualRange { measure: (*m).into(), low, high })
    };
    let usual = Measure::ALL.iter().filter_map(range).collect();
    let allergies = store::allergies_of(&mut conn, person.id).await?;
    let medicines = store::medicines_of(&mut conn, person.id).await?;
    let problems = store::problems_of(&mut conn, person.id).await?;
    let rules = state.rules();
    let mut prescriptions = prescribing::of_visits(&mut conn, &[*id]).await?;
    refresh_drafts(&mut conn, &state, &mut prescriptions).await?;
    let read = |a: &Allergy| AllergyRead { id: a.id, group: substance_in_words(rules, &a.substance) };
    let there = present(&problems, &diagnoses);
    let harms = harms_now(rules, &taken(rules, &medicines), &there).into_iter().map(|f| f.sentence).collect();
    Ok(Json(ChartView {
        person: PersonCard::of(&person, state.today()),
        runs: runs::runs_of(&mut conn, *id).await?,
        mostly_carried: notes::mostly_carried(&mut conn, &parts).await?,
        to_fill: to_fill(&parts),
        heading: heading(&mut conn, &state, &visit, &parts).await?,
        asked: questionnaires::of_person(&mut conn, person.id, person.sex.map(|s| *s)).await?,
        parts,
        reviews: store::reviews_of(&mut conn, person.id).await?,
        head: heads::head(&mut conn, *id).await?,
        harms,
        allergies_read: allergies.iter().map(read).collect(),
        signed_parts: signed_parts::of_visit(&mut conn, *id).await?,
        signature: store::signature(&mut conn, *id).await?,
        cosignature: heads::cosignature(&mut conn, *id).await?,
        struck: heads::struck(&mut conn, *id).await?,
        addenda: store::addenda_of(&mut conn, *id).await?,
        usual,
        means: means_of(&measurements, visit.id),
        measurements,
        allergies,
        medicines,
        new_problems: problems.iter().filter(|p| is_new(p, &visit)).map(|p| p.id).collect(),
        problems,
        none_known: store::none_known_of(&mut conn, person.id).await?,
        states: states::known(&mut conn, &state, person.id, person.sex.map(|s| *s)).await?,
        histories: told.into_iter().map(|h| HistoryView::on(h, state.today())).collect(),
        growing: growth::comparable(person.birth_date, person.sex.map(|s| *s), state.today())
            != Err(growth::ENDS_AT_TWENTY),
        orders: of_visit(&mut conn, &state, &person, *id, &diagnoses).await?,
        controlled: prescriptions.iter().filter(|p| is_controlled(rules, p)).map(|p| p.id).collect(),
        pharmacy_id: prescribing::preferred_pharmacy(&mut conn, person.id).await?,
        prescriptions,
        reports: results::of_person(&mut conn, person.id, REPORTS).await?.into_iter().map(Into::into).collect(),
        unseen_results: results::unseen_of(&mut conn, person.id).await?,
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

pub fn is_controlled(rules: &Rules, p: &Prescription) -> bool {
    rules.product(&p.product_code).is_some_and(|product| rules.schedule(product).is_some())
}
