//! Calls about debts and payment plans: whom to call, what was said, what was agreed.

use super::coming;
use super::statements::{PlanView, plan_view};
use crate::access::{Me, shown};
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::HttpRequest;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::Faults;
use harbor_core::money::Cents;
use harbor_core::money::plans::Every;
use harbor_store::money::calls as store;
use harbor_store::money::plans;
use harbor_store::people;
use harbor_store::rows::CallNote;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ToCallView {
    person: PersonCard,
    owed_cents: i64,
    /// Why now.
    why: String,
    last: Option<CallNote>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CallList {
    /// The most pressing first; at most two hundred.
    calls: Vec<ToCallView>,
    all: usize,
    /// Plans that run, the oldest first.
    plans: Vec<PlanOf>,
}

#[derive(Debug, Serialize, ToSchema)]
pub struct PlanOf {
    person: PersonCard,
    plan: PlanView,
}

const ROWS: usize = 200;

/// Whom to call today about what they owe, and why; the plans that run.
#[utoipa::path(get, path = "/api/calls", responses((status = 200, body = CallList)))]
pub async fn list(state: Data<State>, request: HttpRequest) -> Answer<CallList> {
    let mut conn = state.store.reader().await?;
    let calls = store::list(&mut conn, state.today(), state.zone).await?;
    let running = plans::running(&mut conn).await?;
    let who = calls.iter().take(ROWS).map(|c| c.guarantor).chain(running.iter().map(|p| p.row.guarantor_id));
    let persons = people::by_id(&mut conn, who).await?;
    let card = |id: &Uuid| persons.get(id).map(|p| PersonCard::of(p, state.today()));
    shown::listed(&request, "calls", persons.keys().copied());
    Ok(Json(CallList {
        all: calls.len(),
        calls: calls
            .into_iter()
            .take(ROWS)
            .filter_map(|c| {
                let person = card(&c.guarantor)?;
                Some(ToCallView { person, owed_cents: c.owed.get(), why: c.why.in_words(), last: c.last })
            })
            .collect(),
        plans: running
            .iter()
            .filter_map(|p| Some(PlanOf { person: card(&p.row.guarantor_id)?, plan: plan_view(p, state.today()) }))
            .collect(),
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CallForm {
    sentence: String,
    /// An amount and a day, as they are typed; both or none.
    promised: String,
    promised_on: String,
    again_on: String,
}

fn amount(faults: &mut Faults, field: &str, typed: &str) -> Option<Cents> {
    match Cents::parse(typed) {
        Ok(cents) if cents.is_positive() => Some(cents),
        Ok(_) => {
            faults.add(field, "More than zero.");
            None
        }
        Err(why) => {
            faults.add(field, why.to_string());
            None
        }
    }
}

/// Notes what was said on the telephone, what was promised, and when to call again.
#[utoipa::path(post, path = "/api/people/{id}/calls", params(("id" = Uuid, Path)), request_body = CallForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn note(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<CallForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let sentence = faults.line("sentence", "What was said", &form.sentence, 300);
    let promised = match (form.promised.trim().is_empty(), form.promised_on.trim().is_empty()) {
        (true, true) => None,
        (true, false) => {
            faults.add("promised", "How much was promised?");
            None
        }
        (false, true) => {
            faults.add("promisedOn", "By when was it promised?");
            None
        }
        (false, false) => {
            let cents = amount(&mut faults, "promised", &form.promised);
            cents.zip(coming(&mut faults, "promisedOn", &form.promised_on, state.today()))
        }
    };
    let again_on = coming(&mut faults, "againOn", &form.again_on, state.today());
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.note_call(*id, &sentence, promised, again_on).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct PlanForm {
    instalment: String,
    /// two_weeks or month.
    every: String,
    /// A day as it is typed.
    first_on: String,
}

/// Agrees on a plan for everything that somebody answers for now.
#[utoipa::path(post, path = "/api/people/{id}/plan", params(("id" = Uuid, Path)), request_body = PlanForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn begin_plan(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<PlanForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let instalment = amount(&mut faults, "instalment", &form.instalment);
    let every: Every = faults.coded("every", &form.every, "Every two weeks, or every month.");
    let first_on = coming(&mut faults, "firstOn", &form.first_on, state.today());
    if form.first_on.trim().is_empty() {
        faults.add("firstOn", "When is the first due?");
    }
    faults.none_or(())?;
    let (Some(instalment), Some(first_on)) = (instalment, first_on) else {
        return Err(Problem::field("firstOn", "When is the first due?"));
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.begin_plan(*id, instalment, every, first_on, state.today()).await?;
            Ok(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct EndPlan {
    reason: String,
}

/// A plan holds no longer.
#[utoipa::path(post, path = "/api/people/{id}/plan/end", params(("id" = Uuid, Path)), request_body = EndPlan, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn end_plan(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<EndPlan>) -> Answer<Done> {
    let mut faults = Faults::default();
    let reason = faults.line("reason", "Reason", &form.reason, 120);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.end_plan(*id, &reason).await?;
            Ok(DONE)
        })
        .await
}
