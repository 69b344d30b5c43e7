//! The clinic's own daily work.

use super::for_log;
use crate::api::orders::again;
use crate::problem::Problem;
use crate::state::State;
use chrono::{NaiveDate, Timelike};
use harbor_store::house::staff;
use harbor_store::orders::results::rising::unread_critical;
use harbor_store::{Actor, Change, StoreError, prescribing};
use std::time::Duration;

/// Asks the payers about tomorrow's visits, once, when the evening has come.
async fn overnight(state: &State, begun: &mut Option<NaiveDate>) -> anyhow::Result<()> {
    let now = state.now();
    let tomorrow = state.today() + chrono::Duration::days(1);
    if *begun == Some(tomorrow) || now.with_timezone(&state.zone).hour() < harbor_core::coverage::EVENING {
        return Ok(());
    }
    state
        .store
        .change(&Actor::system("overnight"), now, async |change| {
            change.ask_overnight(tomorrow, false).await?;
            *begun = Some(tomorrow);
            Ok(())
        })
        .await
}

/// Makes the shifts of the days that have come into sight, once a day; several servers wait for each other.
async fn make_supply(state: &State, made: &mut Option<NaiveDate>) -> anyhow::Result<()> {
    let today = state.today();
    if *made == Some(today) {
        return Ok(());
    }
    let settle = async |change: &mut Change<'_>| {
        if change.settle_supply(today, None, state.zone).await?.is_still() {
            change.give_up();
        }
        Ok::<_, StoreError>(())
    };
    state.store.change(&Actor::system("working time"), state.now(), settle).await?;
    *made = Some(today);
    Ok(())
}

/// The clinic's own daily work: working time, benefits checks of the evening.
pub async fn every_day(state: State) {
    let (mut begun, mut made) = (None, None);
    loop {
        state.strangers.retain_recent();
        if let Err(error) = make_supply(&state, &mut made).await {
            tracing::warn!(error = for_log(&error), "working time");
        }
        if let Err(error) = not_come(&state).await {
            tracing::warn!(error = for_log(&error), "who did not come");
        }
        if let Err(error) = raise_critical(&state).await {
            tracing::warn!(error = for_log(&error), "critical results");
        }
        if let Err(error) = make_due_orders(&state).await {
            tracing::warn!(error = for_log(&error), "orders that come due");
        }
        if let Err(error) = state.follow_medicine_tables().await {
            tracing::warn!(error = for_log(&error), "tables of medicines");
        }
        if let Err(error) = end_courses(&state).await {
            tracing::warn!(error = for_log(&error), "courses that are over");
        }
        if state.settings.outside_url.is_some()
            && let Err(error) = overnight(&state, &mut begun).await
        {
            tracing::warn!(error = for_log(&error), "overnight benefits checks");
        }
        tokio::time::sleep(Duration::from_millis(700)).await;
    }
}

/// Gives critical results that nobody signed to the next clinician on duty, by the clinic's minutes.
async fn raise_critical(state: &State) -> anyhow::Result<()> {
    let mut conn = state.store.reader().await?;
    if unread_critical(&mut conn).await?.is_empty() {
        return Ok(());
    }
    let minutes = staff::clinic(&mut conn).await?.thresholds().critical;
    drop(conn);
    let raise = async |change: &mut Change<'_>| {
        if change.raise_critical(minutes).await? == 0 {
            change.give_up();
        }
        Ok(())
    };
    state.store.change(&Actor::system("the clinic's rule"), state.now(), raise).await
}

/// Makes drafts of orders that have come due again.
async fn make_due_orders(state: &State) -> anyhow::Result<()> {
    let is_due = harbor_store::orders::again::is_due(&mut *state.store.reader().await?, state.today()).await?;
    if !is_due {
        return Ok(());
    }
    let make = async |change: &mut Change<'_>| {
        if again::make_due(change, state).await? == 0 {
            change.give_up();
        }
        Ok::<_, Problem>(())
    };
    state.store.change(&Actor::system("repeated orders"), state.now(), make).await.map_err(|e| anyhow::anyhow!(e))
}

/// Ends the courses of medicines whose last day is over.
async fn end_courses(state: &State) -> anyhow::Result<()> {
    let today = state.today();
    if !prescribing::courses_are_over(&mut *state.store.reader().await?, today).await? {
        return Ok(());
    }
    let end = async |change: &mut Change<'_>| {
        if change.end_courses(today).await? == 0 {
            change.give_up();
        }
        Ok(())
    };
    state.store.change(&Actor::system("the end of a course"), state.now(), end).await
}

/// Marks those of today who did not come, by the clinic's rule; undone when they do come.
async fn not_come(state: &State) -> anyhow::Result<()> {
    let rule = staff::clinic(&mut *state.store.reader().await?).await?.thresholds();
    let booked_until = state.now() - chrono::Duration::minutes(rule.did_not_come);
    let since = harbor_core::schedule::day_bounds(state.zone, state.today()).0;
    let mark = async |change: &mut Change<'_>| {
        if change.mark_not_come(since, booked_until).await?.is_empty() {
            change.give_up();
        }
        Ok(())
    };
    state.store.change(&Actor::system("the clinic's rule"), state.now(), mark).await
}
