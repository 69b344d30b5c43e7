//! What is taken off patients' debts: discounts, hardship, small balances, bad debts; hardship as it is documented.

use crate::access::Me;
use crate::api::visit_line::views::PersonCard;
use crate::api::{DONE, Done};
use crate::asked::Typed;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use chrono::NaiveDate;
use harbor_core::fields::Faults;
use harbor_core::fields::typed_date::{self, Sense};
use harbor_core::money::reductions::{ReductionKind, most_off, typed};
use harbor_store::house::staff;
use harbor_store::money::reductions::{self as store, Decider, NewReduction};
use harbor_store::money::{rules, statements};
use harbor_store::rows::{Hardship, Reduction};
use harbor_store::visit_line::visits;
use harbor_store::{Conn, codes, people};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ReductionView {
    reduction: Reduction,
    asked_by: String,
    settled_by: Option<String>,
    back_by: Option<String>,
    /// The one who asks now wanted it.
    mine: bool,
}

/// A way to take something off, and why it is not open.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ReductionWay {
    kind: codes::ReductionKind,
    /// The most that may be taken off so.
    most_cents: i64,
    /// Why nothing may; empty where something may.
    not_open: String,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ReductionsView {
    owed_cents: i64,
    /// Who answers for it.
    guarantor: Option<PersonCard>,
    /// It stands on nobody else's statement.
    confidential: bool,
    ways: Vec<ReductionWay>,
    reductions: Vec<ReductionView>,
}

async fn views(conn: &mut Conn, me: &Me, rows: Vec<Reduction>) -> Result<Vec<ReductionView>, Problem> {
    let names: HashMap<Uuid, String> = staff::all(conn).await?.into_iter().map(|s| (s.id, s.name)).collect();
    let name = |id: Option<Uuid>| id.and_then(|id| names.get(&id)).cloned();
    let view = |reduction: Reduction| ReductionView {
        asked_by: name(Some(reduction.asked_by)).unwrap_or_default(),
        settled_by: name(reduction.settled_by),
        back_by: name(reduction.back_by),
        mine: reduction.asked_by == me.staff.id,
        reduction,
    };
    Ok(rows.into_iter().map(view).collect())
}

/// What was taken off what the patient owes for a visit, and what may be.
#[utoipa::path(get, path = "/api/visits/{id}/reductions", params(("id" = Uuid, Path)), responses((status = 200, body = ReductionsView)))]
pub async fn of_visit(state: Data<State>, me: Me, id: Path<Uuid>) -> Answer<ReductionsView> {
    let mut conn = state.store.reader().await?;
    let visit = visits::get(&mut conn, *id).await?;
    let debt = store::debt(&mut conn, &visit, state.today(), state.zone).await?;
    let rules = rules::get(&mut conn).await?.for_reductions();
    let guarantor = match store::guarantor_of(&mut conn, *id).await? {
        Some(who) => Some(PersonCard::of(&people::get(&mut conn, who).await?, state.today())),
        None => None,
    };
    let way = |kind: &ReductionKind| {
        let most = most_off(*kind, &debt, &rules, state.today());
        ReductionWay {
            kind: (*kind).into(),
            most_cents: most.as_ref().map_or(0, |most| most.get()),
            not_open: most.err().map(|e| e.to_string()).unwrap_or_default(),
        }
    };
    let rows = store::of_visits(&mut conn, &[*id]).await?;
    Ok(Json(ReductionsView {
        owed_cents: debt.owed.get(),
        confidential: !statements::confidential(&mut conn, &[*id]).await?.is_empty(),
        guarantor,
        ways: if debt.owed.is_positive() { ReductionKind::ALL.iter().map(way).collect() } else { vec![] },
        reductions: views(&mut conn, &me, rows).await?,
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ReductionForm {
    /// The same key takes off once.
    key: Uuid,
    /// discount, hardship, small_balance or bad_debt.
    kind: String,
    /// In dollars, or with % of what is owed.
    amount: String,
    reason: String,
}

/// Takes something off what the patient owes for a visit; above what one may alone, a second person agrees.
#[utoipa::path(post, path = "/api/visits/{id}/reductions", params(("id" = Uuid, Path)), request_body = ReductionForm, responses((status = 200, body = Reduction), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn take_off(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ReductionForm>) -> Answer<Reduction> {
    let mut faults = Faults::default();
    let kind: ReductionKind = faults.coded("kind", &form.kind, "Choose what it is.");
    let reason = faults.line("reason", "Reason", &form.reason, 200);
    faults.none_or(())?;
    let who = Decider { staff: me.staff.id, role: me.role };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let owed = harbor_store::money::ledger::balance(change.conn(), *id).await?.patient_owes;
            let amount = typed(&form.amount, owed).map_err(|said| Problem::field("amount", said))?;
            let new = NewReduction { key: form.key, visit: *id, kind, amount, reason: reason.clone() };
            Ok(Json(change.take_off(&new, who, (state.today(), state.zone)).await?))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(tag = "what", rename_all = "snake_case")]
pub enum ReductionWork {
    Agree,
    Refuse,
    /// It is owed again.
    TakeBack {
        reason: String,
    },
}

/// A second person agrees or not; or what was taken off is owed again.
#[utoipa::path(post, path = "/api/reductions/{id}", params(("id" = Uuid, Path)), request_body = ReductionWork, responses((status = 200, body = Done), (status = 404, body = Problem), (status = 422, body = Problem)))]
pub async fn work(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ReductionWork>) -> Answer<Done> {
    let mut faults = Faults::default();
    let reason = match &*form {
        ReductionWork::TakeBack { reason } => faults.line("reason", "Reason", reason, 200),
        ReductionWork::Agree | ReductionWork::Refuse => String::new(),
    };
    faults.none_or(())?;
    let who = Decider { staff: me.staff.id, role: me.role };
    let on = (state.today(), state.zone);
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            match &*form {
                ReductionWork::Agree => change.answer_reduction(*id, who, true, on).await?,
                ReductionWork::Refuse => change.answer_reduction(*id, who, false, on).await?,
                ReductionWork::TakeBack { .. } => change.take_reduction_back(*id, who, &reason).await?,
            }
            Ok::<_, Problem>(DONE)
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct HardshipForm {
    percent: Typed,
    /// Days as they are typed.
    from: String,
    to: String,
    /// What was shown for it.
    shown: String,
}

/// Documents that somebody cannot pay all.
#[utoipa::path(post, path = "/api/people/{id}/hardships", params(("id" = Uuid, Path)), request_body = HardshipForm, responses((status = 200, body = Hardship), (status = 422, body = Problem)))]
pub async fn add_hardship(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<HardshipForm>) -> Answer<Hardship> {
    let mut faults = Faults::default();
    let percent = form.percent.wanted(&mut faults, "percent", 1..=100);
    let mut day = |field: &str, text: &str| -> NaiveDate {
        typed_date::parse(text, state.today(), Sense::Any).unwrap_or_else(|why| {
            faults.add(field, why.to_string());
            state.today()
        })
    };
    let (from, to) = (day("from", &form.from), day("to", &form.to));
    if to < from {
        faults.add("to", "It ends before it begins.");
    }
    let shown = faults.line("shown", "What was shown", &form.shown, 200);
    faults.none_or(())?;
    let percent = u32::try_from(percent).unwrap_or_default();
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            Ok(Json(change.add_hardship(*id, percent, (from, to), &shown).await?))
        })
        .await
}

/// A hardship holds no longer; what was taken off for it stays so.
#[utoipa::path(delete, path = "/api/people/{id}/hardships/{hardship}", params(("id" = Uuid, Path), ("hardship" = Uuid, Path)), responses((status = 200, body = Done), (status = 404, body = Problem)))]
pub async fn end_hardship(state: Data<State>, me: Me, path: Path<(Uuid, Uuid)>) -> Answer<Done> {
    let (person, hardship) = path.into_inner();
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.end_hardship(person, hardship).await?;
            Ok(DONE)
        })
        .await
}
