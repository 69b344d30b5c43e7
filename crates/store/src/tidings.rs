//! What a change tells: other screens over LISTEN/NOTIFY, and the one that made it with its answer.

use crate::change::CHANNEL;
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

/// How far something long has come: no tiding, since nothing is stale for it, but told on the same line.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize)]
struct Progress {
    topic: &'static str,
    id: Uuid,
    done: usize,
    of: usize,
}

/// Tells every screen how far something long has come; at once, while its own change is still open on another connection.
pub async fn progress(conn: &mut Conn, id: Uuid, done: usize, of: usize) -> Result<()> {
    let said = Progress { topic: "progress", id, done, of };
    notify(conn, &serde_json::json!(said).to_string()).await
}

/// Says something on the channel that servers listen on.
pub(crate) async fn notify(conn: &mut Conn, said: &str) -> Result<()> {
    diesel::sql_query("select pg_notify($1, $2)")
        .bind::<diesel::sql_types::Text, _>(CHANNEL)
        .bind::<diesel::sql_types::Text, _>(said)
        .execute(conn)
        .await?;
    Ok(())
}

/// Whose the visits are and on which day they lie.
pub(crate) async fn about_visits(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<(Uuid, Uuid, NaiveDate)>> {
    use crate::schema::visits as v;
    if ids.is_empty() {
        return Ok(vec![]);
    }
    Ok(v::table.filter(v::id.eq_any(ids)).select((v::id, v::person_id, v::day)).load(conn).await?)
}
