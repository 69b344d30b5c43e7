//! Sessions: opened by a sign-in, renewed by what a person does, locked when nobody is there, ended by
//! signing out, by somebody of the list, or by age. Only hashes of tokens are kept.

use crate::rows::Staff;
use crate::schema::{clinic, devices, look_marks, sessions as s, staff};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::{DateTime, Duration, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use serde::Serialize;
use sha2::{Digest, Sha256};
use utoipa::ToSchema;
use uuid::Uuid;

/// A session ends so long after its sign-in, whatever happens in it.
pub const LIFETIME: Duration = Duration::hours(12);
/// A screen says at most once a minute that somebody is there; the lock allows for that.
const SLACK: Duration = Duration::seconds(60);

/// A session that has not ended.
#[derive(Debug, Clone)]
pub struct Session {
    pub id: Uuid,
    pub staff: Staff,
    pub csrf: String,
    /// Nobody was there for the clinic's minutes, or somebody locked it: it opens with the password again.
    pub locked: bool,
    /// A second factor is set up.
    pub second_factor: bool,
}

/// A session as its owner reads it in the list.
#[derive(Debug, Clone, PartialEq, Serialize, ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct OpenSession {
    pub id: Uuid,
    pub staff_id: Uuid,
    pub name: String,
    pub machine: String,
    pub agent: String,
    pub created_at: DateTime<Utc>,
    pub seen_at: DateTime<Utc>,
    pub locked: bool,
}

pub fn token_hash(token: &str) -> Vec<u8> {
    Sha256::digest(token.as_bytes()).to_vec()
}

/// The key under which this person's browsers keep what was typed and not saved yet; nobody else is told.
pub async fn draft_key(conn: &mut Conn, staff: Uuid) -> Result<String> {
    use crate::schema::draft_keys as k;
    Ok(k::table.find(staff).select(k::key).first(conn).await?)
}

/// The session of a token, unless it has ended.
pub async fn find(conn: &mut Conn, token: &str) -> Result<Option<Session>> {
    let now = Utc::now();
    let minutes = clinic::table.select(clinic::lock_minutes).single_value();
    let found = s::table
        .inner_join(staff::table.on(staff::id.eq(s::staff_id)))
        .filter(s::token_hash.eq(token_hash(token)).and(s::created_at.gt(now - LIFETIME)))
        .filter(staff::active)
        .select((
            Staff::as_select(),
            s::id,
            s::csrf,
            s::seen_at,
            s::locked_at,
            minutes,
            staff::totp_secret.is_not_null(),
        ))
        .first::<(Staff, Uuid, String, DateTime<Utc>, Option<DateTime<Utc>>, Option<i32>, bool)>(conn)
        .await
        .optional()?;
    Ok(found.map(|(staff, id, csrf, seen_at, locked_at, minutes, second_factor)| {
        let idle = Duration::minutes(i64::from(minutes.unwrap_or(0))) + SLACK;
        Session { id, staff, csrf, locked: locked_at.is_some() || now - seen_at > idle, second_factor }
    }))
}

/// Whether a session still goes on, unlocked; what a live stream asks now and then.
pub async fn is_open(conn: &mut Conn, id: Uuid) -> Result<bool> {
    let now = Utc::now();
    let minutes: i32 = clinic::table.select(clinic::lock_minutes).first(conn).await?;
    let idle = Duration::minutes(i64::from(minutes)) + SLACK;
    let open = s::table
        .inner_join(staff::table.on(staff::id.eq(s::staff_id)))
        .filter(s::id.eq(id).and(s::locked_at.is_null()).and(staff::active))
        .filter(s::created_at.gt(now - LIFETIME).and(s::seen_at.gt(now - idle)));
    Ok(diesel::select(diesel::dsl::exists(open)).get_result(conn).await?)
}

/// Somebody is there: the session is renewed.
pub async fn renew(conn: &mut Conn, id: Uuid) -> Result<()> {
    diesel::update(s::table.filter(s::id.eq(id).and(s::locked_at.is_null())))
        .set(s::seen_at.eq(Utc::now()))
        .execute(conn)
        .await?;
    Ok(())
}

/// The open sessions of somebody, or of everybody, the latest first.
pub async fn open_sessions(conn: &mut Conn, of: Option<Uuid>) -> Result<Vec<OpenSession>> {
    let mut rows = s::table.inner_join(staff::table.on(staff::id.eq(s::staff_id))).into_boxed();
    if let Some(who) = of {
        rows = rows.filter(s::staff_id.eq(who));
    }
    let minutes: i32 = clinic::table.select(clinic::lock_minutes).first(conn).await?;
    let now = Utc::now();
    let found = rows
        .filter(s::created_at.gt(now - LIFETIME))
        .order(s::seen_at.desc())
        .select((s::id, s::staff_id, staff::name, s::machine, s::agent, s::created_at, s::seen_at, s::locked_at))
        .load::<(Uuid, Uuid, String, String, String, DateTime<Utc>, DateTime<Utc>, Option<DateTime<Utc>>)>(conn)
        .await?;
    let view = |(id, staff_id, name, machine, agent, created_at, seen_at, locked_at): (
        _,
        _,
        _,
        _,
        _,
        _,
        DateTime<Utc>,
        Option<_>,
    )| {
        let idle = now - seen_at > Duration::minutes(i64::from(minutes)) + SLACK;
        OpenSession { id, staff_id, name, machine, agent, created_at, seen_at, locked: locked_at.is_some() || idle }
    };
    Ok(found.into_iter().map(view).collect())
}

/// Whether somebody signed in at this machine before.
pub async fn knows_device(conn: &mut Conn, device: &str, login: &str) -> Result<bool> {
    let known = devices::table
        .inner_join(staff::table.on(staff::id.eq(devices::staff_id)))
        .filter(devices::token_hash.eq(token_hash(device)).and(staff::login.eq(login)));
    Ok(diesel::select(diesel::dsl::exists(known)).get_result(conn).await?)
}

/// What a sign-in opens.
#[derive(Debug, Clone)]
pub struct NewSession<'a> {
    pub token: &'a str,
    pub csrf: &'a str,
    pub device: &'a str,
    pub machine: &'a str,
    pub agent: &'a str,
}

impl Change<'_> {
    /// Opens a session for somebody whose sign-in was right; their machine is known from then on.
    pub async fn open_session(&mut self, who: &Staff, new: &NewSession<'_>) -> Result<Uuid> {
        let (id, now) = (Uuid::now_v7(), Utc::now());
        diesel::insert_into(s::table)
            .values((
                (s::id.eq(id), s::token_hash.eq(token_hash(new.token)), s::csrf.eq(new.csrf)),
                (s::staff_id.eq(who.id), s::machine.eq(new.machine), s::agent.eq(new.agent)),
            ))
            .execute(self.conn())
            .await?;
        diesel::insert_into(devices::table)
            .values((devices::token_hash.eq(token_hash(new.device)), devices::staff_id.eq(who.id)))
            .on_conflict((devices::token_hash, devices::staff_id))
            .do_update()
            .set(devices::last_at.eq(now))
            .execute(self.conn())
            .await?;
        let old = s::table.filter(s::created_at.lt(now - LIFETIME));
        let gone: Vec<Uuid> = diesel::delete(old).returning(s::id).get_results(self.conn()).await?;
        diesel::delete(look_marks::table.filter(look_marks::session_id.eq_any(gone))).execute(self.conn()).await?;
        self.audit("signed in", "session", id, None, new.machine.to_owned());
        Ok(id)
    }

    /// Locks a session: it shows nothing until the password is given again.
    pub async fn lock_session(&mut self, id: Uuid) -> Result<()> {
        diesel::update(s::table.filter(s::id.eq(id).and(s::locked_at.is_null())))
            .set(s::locked_at.eq(Utc::now()))
            .execute(self.conn())
            .await?;
        self.audit("locked", "session", id, None, "");
        self.tell(Topic::Session, id);
        Ok(())
    }

    pub async fn unlock_session(&mut self, id: Uuid) -> Result<()> {
        diesel::update(s::table.filter(s::id.eq(id)))
            .set((s::locked_at.eq(None::<DateTime<Utc>>), s::seen_at.eq(Utc::now())))
            .execute(self.conn())
            .await?;
        self.audit("unlocked", "session", id, None, "");
        Ok(())
    }

    /// Ends a session; its live stream ends with it.
    pub async fn end_session(&mut self, id: Uuid, how: &'static str) -> Result<()> {
        let ended = diesel::delete(s::table.filter(s::id.eq(id))).execute(self.conn()).await?;
        if ended == 0 {
            return Err(StoreError::NotFound("session"));
        }
        diesel::delete(look_marks::table.filter(look_marks::session_id.eq(id))).execute(self.conn()).await?;
        self.audit(how, "session", id, None, "");
        self.tell(Topic::Session, id);
        Ok(())
    }

    /// Ends every session of somebody but one.
    pub async fn end_sessions_of(&mut self, who: Uuid, but: Option<Uuid>) -> Result<()> {
        let all: Vec<Uuid> = s::table.filter(s::staff_id.eq(who)).select(s::id).load(self.conn()).await?;
        for id in all.into_iter().filter(|id| Some(*id) != but) {
            self.end_session(id, "ended").await?;
        }
        Ok(())
    }
}
