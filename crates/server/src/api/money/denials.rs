//! Denial work: the list, one denial with what helps, and what is done about it.

mod appeal;

use super::coming;
use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path, Query};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::money::Cents;
use harbor_core::money::denials::{DenialState, RatesBy, give_up_limit, remedy};
use harbor_core::money::remittance::reason_in_words;
use harbor_store::money::denials::rates::DenialRate;
use harbor_store::money::denials::{self as store, GivesUp, Sought};
use harbor_store::money::remittances;
use harbor_store::rows::{Denial, DenialEvent, RemittedClaim};
use harbor_store::visit_line::visits;
use harbor_store::{Conn, claims, codes, coverage, house::staff, people};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// An amount that was not paid, with its reason in words.
#[derive(Debug, Serialize, ToSchema)]
pub struct DeniedView {
    line: Option<u32>,
    cents: i64,
    /// Group and reason as they stand in the file, such as CO 16.
    code: String,
    words: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DenialView {
    denial: Denial,
    person: PersonCard,
    day: NaiveDate,
    claim: String,
    payer: String,
    owner: Option<String>,
    reasons: Vec<DeniedView>,
    remedy: codes::Remedy,
    helps: String,
    overdue: bool,
}

#[derive(Debug, Default, Deserialize, IntoParams)]
#[serde(rename_all = "camelCase", default)]
#[into_params(parameter_in = Query)]
pub struct DenialsAsked {
    /// Those that came to an end, in place of those to be worked on.
    ended: bool,
    payer_id: Option<Uuid>,
    /// Only what the one who asks works on.
    mine: bool,
    /// The last one of the page before.
    after: Option<Uuid>,
}

/// So many a page.
const PAGE: i64 = 100;

async fn views(conn: &mut Conn, state: &State, rows: Vec<Denial>) -> Result<Vec<DenialView>, Problem> {
    let on = visits::many(conn, &rows.iter().map(|r| r.visit_id).collect::<Vec<_>>()).await?;
    let persons = people::by_id(conn, on.values().map(|v| v.person_id)).await?;
    let numbers: HashMap<Uuid, String> = claims::many(conn, &rows.iter().map(|r| r.claim_id).collect::<Vec<_>>())
        .await?
        .into_iter()
        .map(|c| (c.id, c.number))
        .collect();
    let payers = coverage::payers(conn).await?;
    let names: HashMap<Uuid, String> = staff::all(conn).await?.into_iter().map(|s| (s.id, s.name)).collect();
    let today = state.today();
    let view = |row: Denial| {
        let visit = on.get(&row.visit_id)?;
        let reason = |p: &harbor_store::documents::DeniedPart| DeniedView {
            line: p.line,
            cents: p.cents,
            code: format!("{} {}", p.group.code(), p.reason),
            words: in_words(&p.reason),
        };
        let (remedy, helps) = remedy(&row.denied());
        Some(DenialView {
            person: PersonCard::of(persons.get(&visit.person_id)?, today),
            day: visit.day,
            claim: numbers.get(&row.claim_id).cloned().unwrap_or_default(),
            payer: payers.iter().find(|p| p.id == row.payer_id).map(|p| p.name.clone()).unwrap_or_default(),
            owner: row.owner_id.and_then(|id| names.get(&id)).cloned(),
            reasons: row.amounts.iter().map(reason).collect(),
            remedy: remedy.into(),
            helps: helps.into(),
            overdue: row.state.is_live() && row.due_on.is_some_and(|d| d < today),
            denial: row,
        })
    };
    Ok(rows.into_iter().filter_map(view).collect())
}

fn in_words(reason: &str) -> String {
    reason_in_words(reason).map_or_else(|| format!("Reason {reason} of the payer's list."), str::to_owned)
}

/// Denials to be worked on, what is due first at the top; or those that ended, the latest first.
#[utoipa::path(get, path = "/api/denials", params(DenialsAsked), responses((status = 200, body = Vec<DenialView>), (status = 404, body = Problem)))]
pub async fn list(
    state: Data<State>,
    me: Me,
    request: HttpRequest,
    asked: Query<DenialsAsked>,
) -> Answer<Vec<DenialView>> {
    let owner = asked.mine.then_some(me.staff.id);
    let sought = Sought { live: !asked.ended, payer: asked.payer_id, owner, after: asked.after };
    let mut conn = state.store.reader().await?;
    let rows = store::page(&mut conn, &sought, PAGE).await?;
    let views = views(&mut conn, &state, rows).await?;
    shown::listed(&request, "denials", views.iter().map(|v| v.person.id));
    Ok(Json(views))
}

/// One denial with what may be done about it.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DenialDetail {
    view: DenialView,
    decision: RemittedClaim,
    /// What the payer remarked beside its reasons, in words.
    remarks: Vec<String>,
    events: Vec<DenialEvent>,
    /// What of it is open against the payer.
    open_cents: i64,
    /// Who is asked next, where the person had another policy on the day.
    next_payer: Option<String>,
    /// Why the patient cannot be billed for it; nothing where they can.
    not_the_patients: Option<String>,
    /// Whether the one who asks may give it up without a second person.
    gives_up_alone: bool,
    /// Who wants to give it up.
    wanted_by: Option<String>,
    /// It was the one who asks.
    wanted_by_me: bool,
    /// What a letter to the payer begins with.
    proposed_words: String,
}

#[utoipa::path(get, path = "/api/denials/{id}", params(("id" = Uuid, Path)), responses((status = 200, body = DenialDetail), (status = 404, body = Problem)))]
pub async fn show(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<DenialDetail> {
    let mut conn = state.store.reader().await?;
    let row = store::get(&mut conn, *id).await?;
    let decision = remittances::remitted(&mut conn, row.remitted_claim_id).await?;
    let events = store::events(&mut conn, *id).await?;
    let open = store::still_open(&mut conn, &row).await?;
    let next = store::next_payer(&mut conn, &row).await?;
    let not_the_patients = store::not_the_patients(&mut conn, &row).await?;
    let wanted_by = match row.wanted_by {
        Some(id) => staff::all(&mut conn).await?.into_iter().find(|s| s.id == id).map(|s| s.name),
        None => None,
    };
    let wanted_by_me = row.wanted_by == Some(me.staff.id);
    let view = views(&mut conn, &state, vec![row]).await?.pop().ok_or_else(|| Problem::not_found("denial"))?;
    Ok(Json(DenialDetail {
        remarks: decision.remarks(),
        decision,
        events,
        open_cents: open.get(),
        next_payer: next,
        not_the_patients: not_the_patients.map(str::to_owned),
        gives_up_alone: open <= give_up_limit(me.role),
        wanted_by,
        wanted_by_me,
        proposed_words: appeal::proposed(&view),
        view,
    }))
}

/// What somebody does about a denial.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "what", rename_all = "snake_case")]
pub enum DenialWork {
    /// The one who asks works on it.
    Own,
    /// Anybody may.
    Leave,
    /// Something was found out.
    Note {
        sentence: String,
        #[serde(rename = "lookAgain")]
        look_again: String,
    },
    /// The patient was asked; the day is when somebody looks again.
    AskPatient {
        sentence: String,
        #[serde(rename = "lookAgain")]
        look_again: String,
    },
    /// A letter to the payer, kept as a PDF; the day is when somebody looks again.
    Appeal {
        words: String,
        #[serde(rename = "lookAgain")]
        look_again: String,
    },
    BillNext,
    BillPatient,
    /// With the reason; above what one may alone, a second person agrees with theirs.
    GiveUp {
        reason: String,
    },
    /// A second person does not agree.
    Keep {
        reason: String,
    },
}

/// Does something about a denial.
#[utoipa::path(post, path = "/api/denials/{id}", params(("id" = Uuid, Path)), request_body = DenialWork, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn work(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<DenialWork>) -> Answer<Done> {
    let mut faults = Faults::default();
    let (mut words, mut day) = (String::new(), None);
    match &*form {
        DenialWork::Note { sentence, look_again: typed } | DenialWork::AskPatient { sentence, look_again: typed } => {
            words = faults.line("sentence", "What was said", sentence, 300);
            day = coming(&mut faults, "lookAgain", typed, state.today());
        }
        DenialWork::Appeal { words: typed, look_again: on } => {
            words = faults.prose("words", "Letter", typed, 4000);
            if words.is_empty() {
                faults.add("words", "Say why the payer should decide otherwise.");
            }
            day = coming(&mut faults, "lookAgain", on, state.today());
        }
        DenialWork::GiveUp { reason } | DenialWork::Keep { reason } => {
            words = faults.line("reason", "Reason", reason, 200);
        }
        DenialWork::Own | DenialWork::Leave | DenialWork::BillNext | DenialWork::BillPatient => {}
    }
    faults.none_or(())?;
    let letter = match &*form {
        DenialWork::Appeal { .. } => Some(appeal::letter(&state, &me, *id, &words).await?),
        _ => None,
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            match &*form {
                DenialWork::Own => change.own_denial(*id, Some((me.staff.id, me.staff.name.clone()))).await?,
                DenialWork::Leave => change.own_denial(*id, None).await?,
                DenialWork::Note { .. } => change.denial_was_worked_on(*id, None, &words, day, None).await?,
                DenialWork::AskPatient { .. } => {
                    change.denial_was_worked_on(*id, Some(DenialState::Asked), &words, day, None).await?;
                }
                DenialWork::Appeal { .. } => {
                    let content = letter.as_deref().unwrap_or_default();
                    let (document, _) = change.keep_document("appeal", "out", content).await?;
                    let said = "A letter of appeal was written.";
                    change.denial_was_worked_on(*id, Some(DenialState::Appealed), said, day, Some(document)).await?;
                }
                DenialWork::BillNext => change.bill_next_for_denial(*id).await?,
                DenialWork::BillPatient => change.bill_patient_for_denial(*id).await?,
                DenialWork::GiveUp { .. } => {
                    let who = GivesUp { staff: me.staff.id, role: me.role };
                    change.give_up_denial(*id, who, &words).await?;
                }
                DenialWork::Keep { .. } => change.keep_denial(*id, &words).await?,
            }
            Ok::<_, Problem>(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct RatesAsked {
    /// payer, reason, clinician or service.
    by: String,
    /// Days as they are typed.
    from: String,
    to: String,
}

/// How much was denied of what payers decided on these days, and what of it was won back; the dearest first.
#[utoipa::path(get, path = "/api/denials/rates", params(RatesAsked), responses((status = 200, body = Vec<DenialRate>), (status = 422, body = Problem)))]
pub async fn rates(state: Data<State>, asked: Query<RatesAsked>) -> Answer<Vec<DenialRate>> {
    let mut faults = Faults::default();
    let by: RatesBy = faults.coded("by", &asked.by, "By payer, reason, clinician or service.");
    let mut day = |field: &str, typed: &str| {
        typed_date::parse(typed, state.today(), Sense::Any).unwrap_or_else(|why| {
            faults.add(field, why.to_string());
            state.today()
        })
    };
    let (from, to) = (day("from", &asked.from), day("to", &asked.to));
    faults.none_or(())?;
    let mut rows = store::rates::rates(&mut *state.store.reader().await?, by, from, to).await?;
    if by == RatesBy::Reason {
        for row in &mut rows {
            row.name = format!("{}: {}", row.name, in_words(&row.name));
        }
    }
    Ok(Json(rows))
}

/// A sum for sentences.
fn dollars(cents: i64) -> String {
    Cents::new(cents).to_string()
}
