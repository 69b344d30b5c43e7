//! Wrong sign-ins, counted before they are judged, so that many at once are no more than many in a row.

use crate::house::sessions::token_hash;
use crate::schema::sign_in_attempts as a;
use crate::{Conn, Result};
use chrono::{DateTime, Duration, Utc};
use diesel::prelude::*;
use diesel_async::{AsyncConnection, RunQueryDsl};

/// So many wrong tries for a name from one machine, or at one known device, within [`WINDOW`].
pub const FOR_A_NAME: i64 = 8;
/// So many wrong tries from one machine for whatever names.
pub const FROM_A_MACHINE: i64 = 40;
/// From so many wrong tries for a name on, from wherever, the next ones are judged slowly.
pub const SLOW_FROM: i64 = 16;
pub const WINDOW: Duration = Duration::minutes(15);

/// Who tries to come in.
#[derive(Debug, Clone)]
pub struct Knock<'a> {
    pub login: &'a str,
    pub machine: &'a str,
    /// The device's token, when this name signed in there before.
    pub device: Option<&'a str>,
}

/// What becomes of a try.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Admission {
    /// It is judged, after a while if the name is being guessed at. It counts as wrong until
    /// [`was_right`] says otherwise.
    Judged { attempt: i64, slowly: bool },
    /// Too many were wrong; the next is judged in so many seconds.
    Refused { seconds: i64 },
}

/// Counts a try. Whoever tries at a known device is not held up by what others guess elsewhere.
pub async fn admit(conn: &mut Conn, knock: &Knock<'_>) -> Result<Admission> {
    let device = knock.device.map(token_hash);
    let (login, machine) = (knock.login.to_owned(), knock.machine.to_owned());
    conn.transaction::<_, crate::StoreError, _>(async |conn| {
        // One after the other: a count and what it allows belong together.
        diesel::sql_query("select pg_advisory_xact_lock(7202)").execute(conn).await?;
        let since = Utc::now() - WINDOW;
        let wrong = a::table.filter(a::succeeded.eq(false).and(a::at.gt(since)));
        let of_name: Vec<(DateTime<Utc>, String, Option<Vec<u8>>)> =
            wrong.filter(a::login.eq(&login)).order(a::at).select((a::at, a::machine, a::device)).load(conn).await?;
        let own: Vec<DateTime<Utc>> = of_name
            .iter()
            .filter(|(_, m, d)| if device.is_some() { *d == device } else { d.is_none() && *m == machine })
            .map(|(at, ..)| *at)
            .collect();
        let wait = |first: Option<&DateTime<Utc>>| {
            let seconds = first.map_or(0, |at| (*at + WINDOW - Utc::now()).num_seconds());
            Admission::Refused { seconds: seconds.max(1) }
        };
        if own.len() as i64 >= FOR_A_NAME {
            return Ok(wait(own.as_slice().first()));
        }
        if device.is_none() {
            let all: Vec<DateTime<Utc>> = wrong
                .filter(a::machine.eq(&machine).and(a::device.is_null()))
                .order(a::at)
                .select(a::at)
                .load(conn)
                .await?;
            if all.len() as i64 >= FROM_A_MACHINE {
                return Ok(wait(all.as_slice().first()));
            }
        }
        let slowly = device.is_none() && of_name.len() as i64 >= SLOW_FROM;
        let attempt: i64 = diesel::insert_into(a::table)
            .values((a::login.eq(&login), a::machine.eq(&machine), a::device.eq(&device), a::succeeded.eq(false)))
            .returning(a::id)
            .get_result(conn)
            .await?;
        Ok(Admission::Judged { attempt, slowly })
    })
    .await
}

/// A try was right: it and the slips before it, at the same place, count no more.
pub async fn was_right(conn: &mut Conn, attempt: i64, knock: &Knock<'_>) -> Result<()> {
    let device = knock.device.map(token_hash);
    diesel::update(a::table.find(attempt)).set(a::succeeded.eq(true)).execute(conn).await?;
    let slips = a::table.filter(a::login.eq(knock.login).and(a::succeeded.eq(false)));
    match device {
        Some(device) => diesel::delete(slips.filter(a::device.eq(device))).execute(conn).await?,
        None => {
            diesel::delete(slips.filter(a::machine.eq(knock.machine).and(a::device.is_null()))).execute(conn).await?
        }
    };
    diesel::delete(a::table.filter(a::at.lt(Utc::now() - Duration::days(30)))).execute(conn).await?;
    Ok(())
}
