//! Statements: what is due, the runs that make them, one person's, how they want them, and the papers.

pub mod paper;

use crate::access::{Me, shown};
use crate::api::schedule::paper::pdf;
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use actix_web::{HttpRequest, HttpResponse};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_store::money::open_debts::{of_all_guarantors, of_guarantors};
use harbor_store::money::statements as store;
use harbor_store::money::statements::gathering::{AskedOn, Draft, KeptApart, drafts};
use harbor_store::money::{calls, plans, reductions};
use harbor_store::rows::{CallNote, Hardship, PaymentPlan, StatementRun, StatementSent, StatementWish};
use harbor_store::{Conn, codes, people};
use paper::{document_of, make_one, set_together};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A statement as it would go out now, or the reason why none does.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DraftView {
    guarantor_id: Uuid,
    to: PersonCard,
    cents: i64,
    visits: usize,
    way: Option<codes::StatementWay>,
    /// Why none goes out; empty where one does.
    not_now: String,
}

/// A debt that stands on nobody's statement.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct KeptApartView {
    visit_id: Option<Uuid>,
    person: Option<PersonCard>,
    day: NaiveDate,
    cents: i64,
    why: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DueStatements {
    /// Those that would go out, the largest first; at most two hundred.
    due: Vec<DraftView>,
    /// Those that do not, with the reason; at most two hundred.
    not_now: Vec<DraftView>,
    kept_apart: Vec<KeptApartView>,
    /// How many would go out, and over how much.
    count: usize,
    cents: i64,
}

const ROWS: usize = 200;

fn draft_view(state: &State, d: &Draft) -> DraftView {
    DraftView {
        guarantor_id: d.guarantor,
        to: PersonCard::of(&d.to, state.today()),
        cents: d.owes.get(),
        visits: d.debts.iter().filter(|debt| debt.visit_id.is_some()).count(),
        way: d.way.as_ref().ok().map(|way| (*way).into()),
        not_now: d.way.as_ref().err().map(ToString::to_string).unwrap_or_default(),
    }
}

async fn apart_views(conn: &mut Conn, state: &State, apart: &[KeptApart]) -> Result<Vec<KeptApartView>, Problem> {
    let persons = people::by_id(conn, apart.iter().filter_map(|a| a.debt.person_id)).await?;
    let view = |a: &KeptApart| KeptApartView {
        visit_id: a.debt.visit_id,
        person: a.debt.person_id.and_then(|id| persons.get(&id)).map(|p| PersonCard::of(p, state.today())),
        day: a.debt.service_day,
        cents: a.debt.cents().get(),
        why: a.why.into(),
    };
    Ok(apart.iter().map(view).collect())
}

fn asked_on(state: &State, asked_for: bool) -> AskedOn {
    AskedOn { today: state.today(), zone: state.zone, asked_for }
}

/// What a run would make now, and what it would not, with the reasons.
#[utoipa::path(get, path = "/api/statements/due", responses((status = 200, body = DueStatements)))]
pub async fn due(state: Data<State>, request: HttpRequest) -> Answer<DueStatements> {
    let mut conn = state.store.reader().await?;
    let debts = of_all_guarantors(&mut conn).await?;
    let (all, apart) = drafts(&mut conn, debts, asked_on(&state, false)).await?;
    let (due, not_now): (Vec<Draft>, Vec<Draft>) =
        all.into_iter().filter(|d| d.owes.is_positive()).partition(|d| d.way.is_ok());
    let apart = apart_views(&mut conn, &state, &apart[..apart.len().min(ROWS)]).await?;
    shown::listed(&request, "statements", due.iter().chain(&not_now).take(2 * ROWS).map(|d| d.to.id));
    Ok(Json(DueStatements {
        count: due.len(),
        cents: due.iter().map(|d| d.owes.get()).sum(),
        due: due.iter().take(ROWS).map(|d| draft_view(&state, d)).collect(),
        not_now: not_now.iter().take(ROWS).map(|d| draft_view(&state, d)).collect(),
        kept_apart: apart,
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct StatementRunForm {
    /// Of the sender's making: the same run begins once.
    id: Uuid,
}

/// Makes all that is due; they are made by themselves, and the run tells how far it is.
#[utoipa::path(post, path = "/api/statements/runs", request_body = StatementRunForm, responses((status = 200, body = StatementRun), (status = 422, body = Problem)))]
pub async fn begin(state: Data<State>, me: Me, form: Json<StatementRunForm>) -> Answer<StatementRun> {
    let mut conn = state.store.reader().await?;
    // What was begun before is not begun again, though nothing is due any more.
    if let Some(run) = store::runs(&mut conn).await?.into_iter().find(|run| run.id == form.id) {
        return Ok(Json(run));
    }
    let debts = of_all_guarantors(&mut conn).await?;
    let (all, _) = drafts(&mut conn, debts, asked_on(&state, false)).await?;
    drop(conn);
    let asked = all.iter().filter(|d| d.way.is_ok()).count();
    if asked == 0 {
        return Err(Problem::refused("none-due", "No statement is due."));
    }
    state
        .store
        .change(&me.actor(), state.now(), async |change| Ok(Json(change.begin_statements(form.id, asked).await?)))
        .await
}

/// The newest runs.
#[utoipa::path(get, path = "/api/statements/runs", responses((status = 200, body = Vec<StatementRun>)))]
pub async fn runs(state: Data<State>) -> Answer<Vec<StatementRun>> {
    Ok(Json(store::runs(&mut *state.store.reader().await?).await?))
}

/// The letters of a run for the printer, in one file.
#[utoipa::path(get, path = "/api/statements/runs/{id}/letters", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn letters(state: Data<State>, request: HttpRequest, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let run = store::run(&mut conn, *id).await?;
    let all = store::of_run(&mut conn, run.id).await?;
    let by_post: Vec<StatementSent> = all.into_iter().filter(|s| s.way.code() == "letter").collect();
    drop(conn);
    if by_post.is_empty() {
        return Err(Problem::refused("no-letters", "This run has no letters."));
    }
    shown::opened(&request, "statements", by_post.iter().map(|s| s.to_person_id));
    Ok(pdf("statements", set_together(&state, &by_post).await?))
}

/// One statement as it was made.
#[utoipa::path(get, path = "/api/statements/{id}/paper", params(("id" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 404, body = Problem)))]
pub async fn one(state: Data<State>, id: Path<Uuid>) -> Result<HttpResponse, Problem> {
    let mut conn = state.store.reader().await?;
    let row = store::get(&mut conn, *id).await?;
    Ok(pdf("statement", document_of(&mut conn, &row).await?))
}

/// How a plan stands today.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PlanView {
    pub plan: PaymentPlan,
    pub total_cents: i64,
    pub paid_cents: i64,
    pub behind_cents: i64,
    pub missed: u32,
    pub next_on: Option<NaiveDate>,
    pub next_cents: i64,
    pub done: bool,
}

pub(super) fn plan_view(live: &plans::LivePlan, today: NaiveDate) -> PlanView {
    let s = live.stands(today);
    PlanView {
        plan: live.row.clone(),
        total_cents: live.plan.total.get(),
        paid_cents: s.paid.get(),
        behind_cents: s.behind.get(),
        missed: s.missed,
        next_on: s.next.map(|(day, _)| day),
        next_cents: s.next.map_or(0, |(_, cents)| cents.get()),
        done: s.done,
    }
}

/// How somebody is asked for what they owe.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AskedOfPerson {
    /// What they answer for, over the household.
    owed_cents: i64,
    /// What would stand on a statement that is asked for now; one to them, others to those who want to be reached elsewhere.
    drafts: Vec<DraftView>,
    kept_apart: Vec<KeptApartView>,
    wish: Option<StatementWish>,
    sent: Vec<StatementSent>,
    plan: Option<PlanView>,
    hardships: Vec<Hardship>,
    calls: Vec<CallNote>,
}

#[utoipa::path(get, path = "/api/people/{id}/statements", params(("id" = Uuid, Path)), responses((status = 200, body = AskedOfPerson)))]
pub async fn of_person(state: Data<State>, id: Path<Uuid>) -> Answer<AskedOfPerson> {
    let mut conn = state.store.reader().await?;
    let debts = of_guarantors(&mut conn, &[*id]).await?;
    let owed: i64 = debts.iter().map(|d| d.cents().get()).sum();
    let (all, apart) = drafts(&mut conn, debts, asked_on(&state, true)).await?;
    let kept_apart = apart_views(&mut conn, &state, &apart).await?;
    let plan = plans::of_guarantor(&mut conn, *id).await?;
    Ok(Json(AskedOfPerson {
        owed_cents: owed,
        drafts: all.iter().filter(|d| d.owes.is_positive()).map(|d| draft_view(&state, d)).collect(),
        kept_apart,
        wish: store::wishes(&mut conn, &[*id]).await?.remove(&*id),
        sent: store::of_person(&mut conn, *id).await?,
        plan: plan.map(|live| plan_view(&live, state.today())),
        hardships: reductions::hardships(&mut conn, &[*id]).await?,
        calls: calls::of_guarantor(&mut conn, *id).await?,
    }))
}

/// Makes the statements that somebody asks for about one guarantor, whether or not their turn has come.
#[utoipa::path(post, path = "/api/people/{id}/statements", params(("id" = Uuid, Path)), responses((status = 200, body = Vec<StatementSent>), (status = 422, body = Problem)))]
pub async fn make(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<Vec<StatementSent>> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let made = make_one(change, &state, *id, None, asked_on(&state, true)).await?;
            if made.is_empty() {
                return Err(Problem::refused("nothing", "Nothing is to be asked for, or nobody can be written to."));
            }
            Ok(Json(made))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct WishForm {
    /// Why none is sent; empty: they are.
    held_because: String,
    large_type: bool,
    by_email: bool,
    /// Where alone they want to be written to, line by line; empty: where they live.
    other_address: String,
}

#[utoipa::path(put, path = "/api/people/{id}/statements", params(("id" = Uuid, Path)), request_body = WishForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn wish(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<WishForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let held_because = faults.optional_line("heldBecause", "Why none is sent", &form.held_because, 120);
    let other_address = faults.prose("otherAddress", "Address", &form.other_address, 300);
    if other_address.lines().count() > 5 {
        faults.add("otherAddress", "At most five lines.");
    }
    faults.none_or(())?;
    let row = StatementWish {
        id: Uuid::now_v7(),
        person_id: *id,
        held_because,
        large_type: form.large_type,
        by_email: form.by_email,
        other_address,
        at: state.now(),
        by: me.staff.name.clone(),
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.wish_statements(&row).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ConfidentialForm {
    confidential: bool,
}

/// A visit stands on nobody else's statement, or does again.
#[utoipa::path(put, path = "/api/visits/{id}/confidential", params(("id" = Uuid, Path)), request_body = ConfidentialForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn confidential(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ConfidentialForm>) -> Answer<Done> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.keep_confidential(*id, form.confidential).await?;
            Ok(DONE)
        })
        .await
}
