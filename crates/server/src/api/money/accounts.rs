//! What a person owes and why; what a household could pay now, and how an amount would be shared out.

use crate::api::coverage::share::share_of;
use crate::api::visit_line::views::RiverView;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path, Query};
use chrono::{DateTime, Utc};
use harbor_core::fields::typed_date::in_words;
use harbor_core::money::Cents;
use harbor_core::money::ages::Ages;
use harbor_core::money::collect::{Due, asked_for, asked_today, copay, in_order, is_paid_today, overpaid, propose};
use harbor_core::money::ledger::Account;
use harbor_core::money::payments::For;
use harbor_store::money::accounts as store;
use harbor_store::money::accounts::PersonAccount;
use harbor_store::money::{rules, statements};
use harbor_store::people::household;
use harbor_store::rows::{Person, Visit};
use harbor_store::visit_line::facts::Gathered;
use harbor_store::visit_line::{facts, visits};
use harbor_store::{Conn, coverage, people};
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::{IntoParams, ToSchema};
use uuid::Uuid;

/// One visit of a person that something is still owed for.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OpenVisit {
    visit_id: Uuid,
    starts_at: DateTime<Utc>,
    reason: String,
    patient_owes_cents: i64,
    payer_owes_cents: i64,
    /// What may be kept as credit or given back.
    overpaid_cents: i64,
    river: RiverView,
}

/// What somebody owes, by the ages of the clinic, the youngest first.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Owed {
    who: String,
    cents: i64,
    ages_cents: Vec<i64>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct AccountView {
    /// The ages in words.
    ages: Vec<String>,
    /// The patient first, then each payer.
    owed: Vec<Owed>,
    visits: Vec<OpenVisit>,
    carried_over_cents: i64,
    credit_cents: i64,
}

fn owed(who: String, ages: &Ages) -> Owed {
    Owed { who, cents: ages.total().get(), ages_cents: ages.0.iter().map(|c| c.get()).collect() }
}

/// What is still owed for a person, by whom and how old, each visit with its river.
#[utoipa::path(get, path = "/api/people/{id}/account", params(("id" = Uuid, Path)), responses((status = 200, body = AccountView)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<AccountView> {
    let mut conn = state.store.reader().await?;
    let account = store::of_person(&mut conn, *id).await?;
    let balances = account.visits();
    let about = visits::many(&mut conn, &balances.keys().copied().collect::<Vec<_>>()).await?;
    let payers: HashMap<Uuid, String> =
        coverage::payers(&mut conn).await?.into_iter().map(|p| (p.id, p.name)).collect();
    let name_of = |payer: Option<Uuid>| payer.and_then(|p| payers.get(&p)).cloned().unwrap_or_else(|| "payer".into());
    let bounds = rules::get(&mut conn).await?.bounds();
    let on = (state.today(), state.zone);
    let mut patient = account.ages(None, Account::Patient, on, &bounds);
    let mut by_payer: Vec<(String, Ages)> = Vec::new();
    let mut open = Vec::new();
    for (id, b) in balances {
        let Some(v) = about.get(&id) else { continue };
        patient.add(&account.ages(Some(id), Account::Patient, on, &bounds));
        for (payer, ages) in account.payers(id, on, &bounds) {
            let name = name_of(payer);
            match by_payer.iter_mut().find(|(n, _)| *n == name) {
                Some((_, sum)) => sum.add(&ages),
                None => by_payer.push((name, ages)),
            }
        }
        if !b.patient_owes.is_zero() || !b.payer_owes.is_zero() {
            open.push(OpenVisit {
                visit_id: id,
                starts_at: v.starts_at,
                reason: v.reason.clone(),
                patient_owes_cents: b.patient_owes.get(),
                payer_owes_cents: b.payer_owes.get(),
                overpaid_cents: overpaid(v.stage(), &b).get(),
                river: b.into(),
            });
        }
    }
    open.sort_by_key(|v| v.starts_at);
    let mut all = vec![owed("patient".into(), &patient)];
    all.extend(by_payer.iter().map(|(name, ages)| owed(name.clone(), ages)));
    Ok(Json(AccountView {
        ages: bounds.in_words(),
        owed: all,
        visits: open,
        carried_over_cents: account.carried().get(),
        credit_cents: account.credit().get(),
    }))
}

/// What a due is for.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct DueFor {
    pub person: Uuid,
    pub visit: Option<Uuid>,
}

impl DueFor {
    pub fn what(&self) -> For<Uuid> {
        self.visit.map_or(For::CarriedOver, For::Visit)
    }
}

/// For what a part of a payment is, in words.
pub fn words_of(state: &State, visit: Option<&Visit>, credit: bool) -> String {
    match visit {
        Some(v) if v.day == state.today() => "visit today".into(),
        Some(v) => format!("visit of {}", in_words(v.day)),
        None if credit => "kept as credit".into(),
        None => "balance carried over".into(),
    }
}

/// What a patient is asked for at the desk for a visit.
pub async fn expected_of(conn: &mut Conn, g: &Gathered) -> Result<Cents, Problem> {
    let share = share_of(conn, g).await?;
    let on_file = g.coverage.as_ref().and_then(|c| c.copay_cents).map(Cents::new);
    Ok(asked_for(copay(share.map(|s| s.copay()), on_file), &g.balances))
}

/// The people behind the dues.
pub struct Household {
    pub people: Vec<Person>,
    pub visits: HashMap<Uuid, Visit>,
    pub accounts: HashMap<Uuid, PersonAccount>,
}

/// Everything that a household could pay now, in the order in which it is paid.
pub async fn dues_of(conn: &mut Conn, state: &State, person: Uuid) -> Result<(Vec<Due<DueFor>>, Household), Problem> {
    let payer = people::get(conn, person).await?;
    let mut all: Vec<Person> = household::of(conn, &payer).await?.into_iter().map(|m| m.person).collect();
    all.insert(0, payer);
    let ids: Vec<Uuid> = all.iter().map(|p| p.id).collect();
    let accounts = store::of_people(conn, &ids).await?;
    let today = visits::of_day_and_people(conn, state.today(), &ids).await?;
    let older: Vec<Uuid> = accounts.values().flat_map(|a| a.visits().into_keys()).collect();
    // What nobody else may learn is not read out to another of the household either.
    let asked: Vec<Uuid> = today.iter().map(|v| v.id).chain(older.iter().copied()).collect();
    let private = statements::confidential(conn, &asked).await?;
    let kept_from = |who: Uuid, visit: Uuid| who != person && private.contains(&visit);
    let mut dues = Vec::new();
    for g in facts::gather(conn, today, state.asked_today()).await? {
        if !is_paid_today(g.visit.stage()) || kept_from(g.person.id, g.visit.id) {
            continue;
        }
        let amount = expected_of(conn, &g).await?;
        let what = DueFor { person: g.person.id, visit: Some(g.visit.id) };
        dues.push(Due { what, today: true, since: g.visit.day, amount });
    }
    let about = visits::many(conn, &older).await?;
    for (who, account) in &accounts {
        for (visit, b) in account.visits() {
            let Some(v) = about.get(&visit).filter(|v| v.day != state.today()) else { continue };
            if kept_from(*who, visit) {
                continue;
            }
            let what = DueFor { person: *who, visit: Some(visit) };
            dues.push(Due { what, today: false, since: v.day, amount: b.patient_owes });
        }
        let since = account.carried_since().map_or(state.today(), |at| state.local_day(at));
        let what = DueFor { person: *who, visit: None };
        dues.push(Due { what, today: false, since, amount: account.carried() });
    }
    let visits = visits::many(conn, &dues.iter().filter_map(|d| d.what.visit).collect::<Vec<_>>()).await?;
    Ok((in_order(dues), Household { people: all, visits, accounts }))
}

#[derive(Debug, Deserialize, IntoParams)]
#[into_params(parameter_in = Query)]
pub struct CollectAsked {
    /// What is about to be paid, as typed so far; several means with a plus sign between.
    amount: Option<String>,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct DueView {
    person_id: Uuid,
    name: String,
    visit_id: Option<Uuid>,
    /// visit or carried_over.
    what: String,
    words: String,
    today: bool,
    cents: i64,
    /// What the typed amount pays of it.
    share_cents: i64,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct CollectView {
    dues: Vec<DueView>,
    /// Everything expected today.
    asked_cents: i64,
    older_cents: i64,
    /// What the clinic holds for the payer already.
    credit_cents: i64,
    /// What of the typed amount would be kept as credit.
    over_cents: i64,
    /// What would be owed after the typed amount.
    left_cents: i64,
    /// The typed amount in words, when it is more than is owed or larger than most.
    amount_in_words: String,
}

/// A payment at the desk above this is read back in words.
const LARGE: Cents = Cents::new(50_000);

/// What a person's household could pay now, and how a typed amount would be shared out.
#[utoipa::path(get, path = "/api/people/{id}/collect", params(("id" = Uuid, Path), CollectAsked), responses((status = 200, body = CollectView), (status = 422, body = Problem)))]
pub async fn collect(state: Data<State>, id: Path<Uuid>, asked: Query<CollectAsked>) -> Answer<CollectView> {
    let mut amount = Cents::ZERO;
    for typed in asked.amount.as_deref().unwrap_or("").split('+').filter(|t| !t.trim().is_empty()) {
        amount += Cents::parse(typed).map_err(|e| Problem::field("amount", e.to_string()))?;
    }
    let mut conn = state.store.reader().await?;
    let (dues, house) = dues_of(&mut conn, &state, *id).await?;
    let (shares, over) = propose(&dues, amount);
    let asked = asked_today(&dues);
    let all: Cents = dues.iter().map(|d| d.amount).sum();
    let paid: Cents = shares.iter().copied().sum();
    let view = |(d, share): (&Due<DueFor>, Cents)| DueView {
        person_id: d.what.person,
        name: house
            .people
            .iter()
            .find(|p| p.id == d.what.person)
            .map_or(String::new(), |p| format!("{} {}", p.first_name, p.last_name)),
        visit_id: d.what.visit,
        what: if d.what.visit.is_some() { "visit" } else { "carried_over" }.into(),
        words: words_of(&state, d.what.visit.and_then(|v| house.visits.get(&v)), false),
        today: d.today,
        cents: d.amount.get(),
        share_cents: share.get(),
    };
    Ok(Json(CollectView {
        dues: dues.iter().zip(shares).map(view).collect(),
        asked_cents: asked.get(),
        older_cents: (all - asked).get(),
        credit_cents: house.accounts.get(&*id).map_or(0, |a| a.credit().get()),
        over_cents: over.get(),
        left_cents: (all - paid).get(),
        amount_in_words: if over.is_positive() || amount > LARGE { amount.in_words() } else { String::new() },
    }))
}
