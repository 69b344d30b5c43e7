//! What a change tells: other screens over LISTEN/NOTIFY, and the one that made it with its answer.

use crate::{Conn, Result, codes};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use std::cell::RefCell;
use uuid::Uuid;

/// One thing that changed.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct Tiding {
    pub topic: codes::Topic,
    pub id: Uuid,
    /// Whose it is.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub person: Option<Uuid>,
    /// The days of the schedule that look different now.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub days: Vec<NaiveDate>,
    /// The change that it comes from.
    pub change: Uuid,
}

tokio::task_local! {
    static TOLD: RefCell<Vec<Tiding>>;
}

/// Does some work and hears what its changes tell.
pub async fn hearing<T>(work: impl Future<Output = T>) -> (T, Vec<Tiding>) {
    TOLD.scope(RefCell::default(), async {
        let done = work.await;
        (done, TOLD.with(RefCell::take))
    })
    .await
}

/// Passes on what a committed change told, when its answer is listened for.
pub(crate) fn pass_on(tidings: Vec<Tiding>) {
    let _ = TOLD.try_with(|told| told.borrow_mut().extend(tidings));
}

/// Whose the visits are and on which day they lie.
pub(crate) async fn about_visits(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<(Uuid, Uuid, NaiveDate)>> {
    use crate::schema::visits as v;
    if ids.is_empty() {
        return Ok(vec![]);
    }
    Ok(v::table.filter(v::id.eq_any(ids)).select((v::id, v::person_id, v::day)).load(conn).await?)
}
