//! The till of a site: opened with its cash, closed as it was counted.

use super::payments::{Receipt, receipts_of};
use crate::access::Me;
use crate::problem::{Answer, Problem};
use crate::state::State;
use actix_web::web::{Data, Json, Path};
use harbor_core::fields::Faults;
use harbor_core::money::Cents;
use harbor_core::money::ledger::Method;
use harbor_store::documents::{ByMeans, Doc};
use harbor_store::money::tills as store;
use harbor_store::rows::Till;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct MeansSum {
    method: String,
    cents: i64,
}

#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct TillView {
    /// Nothing was taken since the last one was closed, and none is opened.
    open: Option<Till>,
    /// What each means should come to.
    expected: Vec<MeansSum>,
    movements: Vec<Receipt>,
    /// What the last one left in the drawer.
    left_cents: i64,
    closed: Vec<ClosedTill>,
}

/// A till that was counted, all means together.
#[derive(Debug, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct ClosedTill {
    till: Till,
    expected_cents: i64,
    counted_cents: i64,
    difference_cents: i64,
}

impl From<Till> for ClosedTill {
    fn from(till: Till) -> Self {
        let sum = |by: &Option<Doc<ByMeans>>| -> Cents {
            by.iter().flat_map(|means| means.values()).map(|cents| Cents::new(*cents)).sum()
        };
        let (expected, counted) = (sum(&till.expected), sum(&till.counted));
        ClosedTill {
            expected_cents: expected.get(),
            counted_cents: counted.get(),
            difference_cents: (counted - expected).get(),
            till,
        }
    }
}

#[utoipa::path(get, path = "/api/sites/{id}/till", params(("id" = Uuid, Path)), responses((status = 200, body = TillView)))]
pub async fn show(state: Data<State>, id: Path<Uuid>) -> Answer<TillView> {
    let mut conn = state.store.reader().await?;
    let open = store::open_at(&mut conn, *id).await?;
    let closed = store::closed_at(&mut conn, *id).await?;
    let (mut expected, mut movements) = (Vec::new(), Vec::new());
    if let Some(till) = &open {
        for (method, amount) in store::expected(&mut conn, till).await? {
            expected.push(MeansSum { method: method.code().into(), cents: amount.get() });
        }
        let moved = store::movements(&mut conn, till.id).await?;
        movements = receipts_of(&mut conn, &state, &moved).await?;
    }
    let left_cents = closed.as_slice().first().and_then(|t| t.stays_cents).unwrap_or(0);
    Ok(Json(TillView {
        open,
        expected,
        movements,
        left_cents,
        closed: closed.into_iter().map(ClosedTill::from).collect(),
    }))
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct OpeningForm {
    /// The cash in the drawer.
    cash: String,
}

fn amount(faults: &mut Faults, field: &str, text: &str) -> Cents {
    let typed = if text.trim().is_empty() { Ok(Cents::ZERO) } else { Cents::parse(text) };
    match typed {
        Ok(amount) if !amount.is_negative() => amount,
        Ok(_) => {
            faults.add(field, "Nobody counts less than nothing.");
            Cents::ZERO
        }
        Err(e) => {
            faults.add(field, e.to_string());
            Cents::ZERO
        }
    }
}

#[utoipa::path(post, path = "/api/sites/{id}/till/opening", params(("id" = Uuid, Path)), request_body = OpeningForm, responses((status = 200, body = Till), (status = 422, body = Problem)))]
pub async fn open(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<OpeningForm>) -> Answer<Till> {
    let mut faults = Faults::default();
    let cash = amount(&mut faults, "cash", &form.cash);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let till = change.count_opening(*id, cash).await?;
            Ok(Json(till))
        })
        .await
}

#[derive(Debug, Deserialize, ToSchema)]
pub struct ClosingForm {
    cash: String,
    #[serde(default)]
    card: String,
    #[serde(default)]
    cheque: String,
    #[serde(default)]
    transfer: String,
    /// The cash that remains in the drawer for the next till.
    #[serde(default)]
    stays: String,
    #[serde(default)]
    reason: String,
}

/// Closes the till as it was counted; a difference needs its reason.
#[utoipa::path(post, path = "/api/sites/{id}/till/closing", params(("id" = Uuid, Path)), request_body = ClosingForm, responses((status = 200, body = Till), (status = 422, body = Problem)))]
pub async fn close(state: Data<State>, me: Me, id: Path<Uuid>, form: Json<ClosingForm>) -> Answer<Till> {
    let mut faults = Faults::default();
    let typed = [
        (Method::Cash, "cash", &form.cash),
        (Method::Card, "card", &form.card),
        (Method::Cheque, "cheque", &form.cheque),
        (Method::Transfer, "transfer", &form.transfer),
    ];
    // A field left blank was not counted; that is for the core to judge, and never a zero.
    let counted: Vec<(Method, Option<Cents>)> =
        typed.map(|(m, field, text)| (m, (!text.trim().is_empty()).then(|| amount(&mut faults, field, text)))).to_vec();
    let stays = amount(&mut faults, "stays", &form.stays);
    let reason = faults.optional_line("reason", "Reason", &form.reason, 200);
    faults.none_or(())?;
    state
        .store
        .change(&me.actor(), state.now(), async |change| {
            let till = change.close_till(*id, &counted, &reason, stays).await?;
            Ok(Json(till))
        })
        .await
}
