//! Who works here, their sign-ins and sessions, and the clinic itself.

use crate::rows::{Clinic, Room, Site, Staff};
use crate::schema::{clinic, rooms, sessions, sign_in_attempts, sites, staff};
use crate::{Conn, Result, StoreError};
use chrono::{Duration, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use sha2::{Digest, Sha256};
use uuid::Uuid;

/// Wrong sign-ins within a quarter of an hour before a login must wait.
pub const ATTEMPTS: i64 = 8;

pub async fn clinic(conn: &mut Conn) -> Result<Clinic> {
    clinic::table.select(Clinic::as_select()).first(conn).await.optional()?.ok_or(StoreError::NotFound("clinic"))
}

pub async fn all(conn: &mut Conn) -> Result<Vec<Staff>> {
    Ok(staff::table.order((staff::sort, staff::name)).select(Staff::as_select()).load(conn).await?)
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Staff> {
    staff::table
        .find(id)
        .select(Staff::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("member of staff"))
}

pub async fn by_login(conn: &mut Conn, login: &str) -> Result<Option<Staff>> {
    Ok(staff::table
        .filter(staff::login.eq(login).and(staff::active))
        .select(Staff::as_select())
        .first(conn)
        .await
        .optional()?)
}

pub async fn sites(conn: &mut Conn) -> Result<Vec<Site>> {
    Ok(sites::table.order(sites::sort).select(Site::as_select()).load(conn).await?)
}

pub async fn rooms(conn: &mut Conn) -> Result<Vec<Room>> {
    Ok(rooms::table.order(rooms::sort).select(Room::as_select()).load(conn).await?)
}

/// Wrong sign-ins of late; an unknown login counts like a known one.
pub async fn recent_failures(conn: &mut Conn, login: &str) -> Result<i64> {
    use sign_in_attempts as a;
    Ok(a::table
        .filter(a::login.eq(login).and(a::succeeded.eq(false)).and(a::at.gt(Utc::now() - Duration::minutes(15))))
        .count()
        .get_result(conn)
        .await?)
}

pub async fn record_attempt(conn: &mut Conn, login: &str, succeeded: bool) -> Result<()> {
    use sign_in_attempts as a;
    if succeeded {
        diesel::delete(a::table.filter(a::login.eq(login))).execute(conn).await?;
    }
    diesel::insert_into(a::table).values((a::login.eq(login), a::succeeded.eq(succeeded))).execute(conn).await?;
    Ok(())
}

fn token_hash(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}

/// Keeps a session; only the hash of its token is stored.
pub async fn open_session(conn: &mut Conn, token: &str, csrf: &str, staff_id: Uuid) -> Result<()> {
    use sessions as s;
    diesel::insert_into(s::table)
        .values((s::token_hash.eq(token_hash(token)), s::csrf.eq(csrf), s::staff_id.eq(staff_id)))
        .execute(conn)
        .await?;
    diesel::delete(s::table.filter(s::seen_at.lt(Utc::now() - Duration::days(1)))).execute(conn).await?;
    Ok(())
}

/// The person and CSRF word of a session that was used within its idle limit; using it renews it,
/// once a minute at most, so that a busy screen does not queue for its own session's row.
pub async fn session(conn: &mut Conn, token: &str, idle_minutes: i32) -> Result<Option<(Staff, String)>> {
    use sessions as s;
    let hash = token_hash(token);
    let now = Utc::now();
    let found: Option<(Staff, String, chrono::DateTime<Utc>)> = s::table
        .inner_join(staff::table.on(staff::id.eq(s::staff_id)))
        .filter(s::token_hash.eq(&hash).and(s::seen_at.gt(now - Duration::minutes(i64::from(idle_minutes)))))
        .filter(staff::active)
        .select((Staff::as_select(), s::csrf, s::seen_at))
        .first(conn)
        .await
        .optional()?;
    let Some((who, csrf, seen_at)) = found else { return Ok(None) };
    if now - seen_at > Duration::minutes(1) {
        diesel::update(s::table.filter(s::token_hash.eq(hash))).set(s::seen_at.eq(now)).execute(conn).await?;
    }
    Ok(Some((who, csrf)))
}

pub async fn close_session(conn: &mut Conn, token: &str) -> Result<()> {
    diesel::delete(sessions::table.filter(sessions::token_hash.eq(token_hash(token)))).execute(conn).await?;
    Ok(())
}
