//! The past of a person as a line of time, and words found in their notes.

use crate::rows::Visit;
use crate::schema::visits;
use crate::visit_line::visits::somebody_comes;
use crate::words::query;
use crate::{Conn, Result};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// Visits at which somebody was seen, the newest first, from a time backwards; and whether there are more.
pub async fn seen(
    conn: &mut Conn,
    person: Uuid,
    before: Option<DateTime<Utc>>,
    most: i64,
) -> Result<(Vec<Visit>, bool)> {
    let mut wanted = visits::table
        .filter(visits::person_id.eq(person))
        .filter(visits::stage.ne_all(["booked", "cancelled", "did_not_come", "left_unseen"]).and(somebody_comes()))
        .order((visits::starts_at.desc(), visits::id))
        .limit(most + 1)
        .select(Visit::as_select())
        .into_boxed();
    if let Some(before) = before {
        wanted = wanted.filter(visits::starts_at.lt(before));
    }
    let mut rows: Vec<Visit> = wanted.load(conn).await?;
    let more = rows.len() > usize::try_from(most).unwrap_or(0);
    rows.truncate(usize::try_from(most).unwrap_or(0));
    Ok((rows, more))
}

/// Where words were found.
#[derive(Debug, Clone, QueryableByName)]
pub struct Found {
    #[diesel(sql_type = sql_types::Uuid)]
    pub visit_id: Uuid,
    #[diesel(sql_type = sql_types::Date)]
    pub day: NaiveDate,
    /// A part of the note by its code, or `addendum`.
    #[diesel(sql_type = sql_types::Text)]
    pub part: String,
    /// What the run is about that the part is of.
    #[diesel(sql_type = sql_types::Nullable<sql_types::Text>)]
    pub run: Option<String>,
    #[diesel(sql_type = sql_types::Bool)]
    pub struck: bool,
    /// The words around, with what was found between U+0002 and U+0003.
    #[diesel(sql_type = sql_types::Text)]
    pub snippet: String,
}

/// The most places that are shown.
pub const MOST_FOUND: i64 = 60;

/// Finds words, by their beginnings, in the notes and addenda of one person; the newest first.
pub async fn find(conn: &mut Conn, person: Uuid, typed: &str) -> Result<Vec<Found>> {
    let query = query(typed);
    if query.is_empty() {
        return Ok(vec![]);
    }
    // The places are found by what the database keeps of each part; only those that are shown are read again for their words.
    Ok(diesel::sql_query(
        "with asked as (select to_tsquery('english', $2) as q),
         places as (
            select v.id, v.day, v.starts_at, p.part, r.title, p.body
            from visits v join note_parts p on p.visit_id = v.id left join note_runs r on r.id = p.run_id, asked
            where v.person_id = $1 and p.searched @@ asked.q
            union all
            select v.id, v.day, v.starts_at, 'addendum', null, a.body
            from visits v join addenda a on a.visit_id = v.id, asked
            where v.person_id = $1 and to_tsvector('english', a.body) @@ asked.q
            order by starts_at desc, part limit $3)
         select id as visit_id, day, part, title as run,
            exists (select from struck_notes s where s.visit_id = places.id) as struck,
            ts_headline('english', body, asked.q,
                'MaxFragments=1, MaxWords=24, MinWords=12, StartSel=' || chr(2) || ', StopSel=' || chr(3)) as snippet
         from places, asked order by starts_at desc, part",
    )
    .bind::<sql_types::Uuid, _>(person)
    .bind::<sql_types::Text, _>(query)
    .bind::<sql_types::BigInt, _>(MOST_FOUND)
    .load(conn)
    .await?)
}
