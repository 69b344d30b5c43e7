//! The months of the books: their figures, and closing them.

use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json};
use chrono::NaiveDate;
use harbor_core::money::months::{month_of, next};
use harbor_store::documents::MonthFigures;
use harbor_store::money::months as store;
use harbor_store::rows::ClosedMonth;
use serde::{Deserialize, Serialize};
use std::collections::BTreeMap;
use utoipa::ToSchema;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MonthView {
    /// Its first day.
    month: NaiveDate,
    figures: MonthFigures,
    closed: Option<ClosedMonth>,
    /// It is over, and its turn to be closed.
    may_be_closed: bool,
}

/// Each month with entries, the newest first: those that are closed as they were closed, the others as they stand.
#[utoipa::path(get, path = "/api/months", responses((status = 200, body = Vec<MonthView>)))]
pub async fn list(state: Data<State>) -> Answer<Vec<MonthView>> {
    let mut conn = state.store.reader().await?;
    let closed: BTreeMap<NaiveDate, ClosedMonth> =
        store::closed(&mut conn).await?.into_iter().map(|c| (c.month, c)).collect();
    let open_from = closed.keys().next_back().map(|last| next(*last));
    let open = store::figures(&mut conn, open_from, state.zone).await?;
    let turn = open_from.or(open.keys().next().copied());
    let this = month_of(state.today());
    let of_open = |month: NaiveDate, figures: MonthFigures| MonthView {
        month,
        figures,
        closed: None,
        may_be_closed: turn == Some(month) && month < this,
    };
    let mut months: Vec<MonthView> = open.into_iter().map(|(month, sums)| of_open(month, sums.into())).collect();
    // A month without entries has its turn too.
    if let Some(turn) = turn.filter(|turn| *turn < this && months.iter().all(|m| m.month != *turn)) {
        months.push(of_open(turn, MonthFigures::default()));
    }
    months.extend(closed.into_values().map(|c| MonthView {
        month: c.month,
        figures: c.sums.0.clone(),
        closed: Some(c),
        may_be_closed: false,
    }));
    months.sort_by_key(|m| std::cmp::Reverse(m.month));
    Ok(Json(months))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct CloseMonth {
    /// Its first day.
    #[serde(deserialize_with = "crate::asked::day")]
    month: NaiveDate,
}

/// Closes a month: from then on it takes no entries.
#[utoipa::path(post, path = "/api/months", request_body = CloseMonth, responses((status = 200, body = ClosedMonth), (status = 422, body = Problem)))]
pub async fn close(state: Data<State>, me: Me, form: Json<CloseMonth>) -> Answer<ClosedMonth> {
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            Ok(Json(change.close_month(form.month, state.today(), state.zone).await?))
        })
        .await
}
