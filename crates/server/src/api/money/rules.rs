//! What the clinic decided about patients' money, as the manager sets it.

use crate::access::Me;
use crate::api::{DONE, Done};
use crate::asked::Typed;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json};
use harbor_core::fields::Faults;
use harbor_core::money::Cents;
use harbor_core::money::ages::AgeBounds;
use harbor_store::money::rules as store;
use harbor_store::rows::MoneyRules;
use serde::Deserialize;
use utoipa::ToSchema;

#[utoipa::path(get, path = "/api/money-rules", responses((status = 200, body = MoneyRules)))]
pub async fn show(state: Data<State>) -> Answer<MoneyRules> {
    Ok(Json(store::get(&mut *state.store.reader().await?).await?))
}

#[derive(Debug, Deserialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MoneyRulesForm {
    /// Days with commas between: 30, 60, 90, 120.
    age_bounds: String,
    statement_days: Typed,
    statement_least: String,
    small_balance: String,
    bad_debt_statements: Typed,
    bad_debt_days: Typed,
    how_to_pay: String,
}

/// The most of a least amount and of a small balance.
const SMALL: Cents = Cents::new(10_000);

#[utoipa::path(put, path = "/api/settings/money", request_body = MoneyRulesForm, responses((status = 200, body = Done), (status = 422, body = Problem)))]
pub async fn set(state: Data<State>, me: Me, form: Json<MoneyRulesForm>) -> Answer<Done> {
    let mut faults = Faults::default();
    let days: Result<Vec<i64>, _> = form.age_bounds.split(',').map(|d| d.trim().parse()).collect();
    let bounds = days.ok().and_then(AgeBounds::new);
    if bounds.is_none() {
        faults.add("ageBounds", "One to six days, each above the one before: 30, 60, 90, 120.");
    }
    let mut whole =
        |field: &str, typed: &Typed, range| i32::try_from(typed.wanted(&mut faults, field, range)).unwrap_or_default();
    let statement_days = whole("statementDays", &form.statement_days, 7..=366);
    let bad_debt_statements = whole("badDebtStatements", &form.bad_debt_statements, 0..=12);
    let bad_debt_days = whole("badDebtDays", &form.bad_debt_days, 0..=1000);
    let mut cents = |field: &str, typed: &str| match Cents::parse(typed) {
        Ok(cents) if cents <= SMALL && !cents.is_negative() => cents.get(),
        Ok(_) => {
            faults.add(field, format!("At most {SMALL}."));
            0
        }
        Err(why) => {
            faults.add(field, why.to_string());
            0
        }
    };
    let statement_least_cents = cents("statementLeast", &form.statement_least);
    let small_balance_cents = cents("smallBalance", &form.small_balance);
    let how_to_pay = faults.prose("howToPay", "How to pay", &form.how_to_pay, 600);
    faults.none_or(())?;
    let days = bounds.unwrap_or_default().days().iter().filter_map(|d| i32::try_from(*d).ok()).collect();
    let rules = MoneyRules {
        id: 1,
        age_bounds: days,
        statement_days,
        statement_least_cents,
        small_balance_cents,
        bad_debt_statements,
        bad_debt_days,
        how_to_pay,
    };
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            change.set_money_rules(&rules).await?;
            Ok(DONE)
        })
        .await
}
