//! Looks: what a person opened of somebody's record. A screen that looks again at what it shows already is the same
//! look; what it has in front of it is kept by session.

use crate::schema::look_marks as m;
use crate::{Change, Conn, Result};
use chrono::{DateTime, Duration, Utc};
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// What was shown in a list is shown anew after this time.
const LISTED_FOR: Duration = Duration::minutes(30);

/// How somebody came to see it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Opened {
    /// By opening it.
    Now,
    /// It stands on the screen already, and was looked at again because something changed.
    Again,
    /// As one of a list: typing on in a search shows the same people again.
    Listed,
}

/// Of these people, those whose being looked at is to be recorded now.
async fn unmarked(conn: &mut Conn, session: Uuid, what: &str, people: &[Uuid], opened: Opened) -> Result<Vec<Uuid>> {
    let at = Utc::now();
    let mut people = people.to_vec();
    people.sort_unstable();
    people.dedup();
    let stale: DateTime<Utc> = match opened {
        // In the future: every mark is older.
        Opened::Now => at + Duration::days(1),
        Opened::Again => DateTime::UNIX_EPOCH,
        Opened::Listed => at - LISTED_FOR,
    };
    let rows: Vec<Marked> = diesel::sql_query(
        "insert into look_marks (session_id, what, person_id, at) select $1, $2, p, $4 from unnest($3) p \
         on conflict (session_id, what, person_id) do update set at = excluded.at where look_marks.at < $5 \
         returning person_id",
    )
    .bind::<sql_types::Uuid, _>(session)
    .bind::<sql_types::Text, _>(what)
    .bind::<sql_types::Array<sql_types::Uuid>, _>(people)
    .bind::<sql_types::Timestamptz, _>(at)
    .bind::<sql_types::Timestamptz, _>(stale)
    .load(conn)
    .await?;
    Ok(rows.into_iter().map(|r| r.person_id).collect())
}

#[derive(QueryableByName)]
struct Marked {
    #[diesel(sql_type = sql_types::Uuid)]
    person_id: Uuid,
}

/// Whether anything of this is to be recorded: asked before a transaction is begun for it, since most looks are
/// again.
pub async fn is_new(conn: &mut Conn, session: Uuid, what: &str, person: Uuid) -> Result<bool> {
    let marked = m::table.filter(m::session_id.eq(session).and(m::what.eq(what)).and(m::person_id.eq(person)));
    Ok(!diesel::select(diesel::dsl::exists(marked)).get_result::<bool>(conn).await?)
}

impl Change<'_> {
    /// Records a look of a session at something of these people; returns how many rows it took.
    pub async fn looked(&mut self, session: Uuid, what: &str, people: &[Uuid], opened: Opened) -> Result<usize> {
        if people.is_empty() {
            return Ok(0);
        }
        let new = unmarked(self.conn(), session, what, people, opened).await?;
        let action = if opened == Opened::Listed { "saw in a list" } else { "looked at" };
        for person in &new {
            self.audit(action, what, *person, Some(*person), "");
        }
        Ok(new.len())
    }
}
