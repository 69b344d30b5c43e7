//! Who may sign in, and with what: the people who work here, their passwords, their second factors.

use crate::house::sessions::token_hash;
use crate::rows::Staff;
use crate::schema::{clinic, password_links as l, staff};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::{DateTime, Duration, Utc};
use diesel::prelude::*;
use diesel::result::Error as DieselError;
use diesel_async::RunQueryDsl;
use harbor_core::house::permissions::Role;
use uuid::Uuid;

/// A link for setting a password serves once, within this time.
pub const LINK_LASTS: Duration = Duration::hours(24);

/// The second factor of somebody, as it is kept.
#[derive(Debug, Clone, Default)]
pub struct SecondFactor {
    pub secret: Option<Vec<u8>>,
    /// The last time step that a code was used of.
    pub step: i64,
    pub recovery: Vec<String>,
}

pub async fn second_factor(conn: &mut Conn, who: Uuid) -> Result<SecondFactor> {
    let (secret, step, recovery) = staff::table
        .find(who)
        .select((staff::totp_secret, staff::totp_step, staff::recovery_codes))
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("member of staff"))?;
    Ok(SecondFactor { secret, step, recovery })
}

/// Uses the code of a time step; false when it, or a later one, was used before.
pub async fn use_step(conn: &mut Conn, who: Uuid, step: i64) -> Result<bool> {
    let used = diesel::update(staff::table.filter(staff::id.eq(who).and(staff::totp_step.lt(step))))
        .set(staff::totp_step.eq(step))
        .execute(conn)
        .await?;
    Ok(used > 0)
}

/// Uses a recovery code; false when there is no such one left.
pub async fn use_recovery(conn: &mut Conn, who: Uuid, hash: &str) -> Result<bool> {
    let used = diesel::sql_query(
        "update staff set recovery_codes = array_remove(recovery_codes, $2) where id = $1 and $2 = any(recovery_codes)",
    )
    .bind::<diesel::sql_types::Uuid, _>(who)
    .bind::<diesel::sql_types::Text, _>(hash)
    .execute(conn)
    .await?;
    Ok(used > 0)
}

/// The sites that somebody works at; none named: all of them.
pub async fn sites_of(conn: &mut Conn) -> Result<Vec<(Uuid, Vec<Uuid>, bool)>> {
    Ok(staff::table.select((staff::id, staff::site_ids, staff::totp_secret.is_not_null())).load(conn).await?)
}

/// What is known of somebody who works here.
#[derive(Debug, Clone)]
pub struct StaffForm {
    pub login: String,
    pub first_name: String,
    pub last_name: String,
    /// As everybody reads it, with title.
    pub name: String,
    pub role: Role,
    pub site_ids: Vec<Uuid>,
    /// Not said, they stay as they were; empty, there is none.
    pub npi: Option<String>,
    pub dea: Option<String>,
    pub taxonomy: Option<String>,
}

fn known_login(error: StoreError) -> StoreError {
    match error {
        StoreError::Database(DieselError::DatabaseError(_, about))
            if about.constraint_name() == Some("staff_login_key") =>
        {
            StoreError::refused("login", "Somebody has this sign-in name already.")
        }
        other => other,
    }
}

impl Change<'_> {
    /// Adds somebody who cannot sign in before they set a password by a link.
    pub async fn add_staff(&mut self, form: &StaffForm) -> Result<Staff> {
        let sort: Option<i32> = staff::table.select(diesel::dsl::max(staff::sort)).first(self.conn()).await?;
        let row = Staff {
            id: Uuid::now_v7(),
            login: form.login.clone(),
            name: form.name.clone(),
            last_name: form.last_name.clone(),
            first_name: form.first_name.clone(),
            role: form.role.into(),
            specialty: String::new(),
            npi: form.npi.clone().filter(|n| !n.is_empty()),
            taxonomy: form.taxonomy.clone().filter(|t| !t.is_empty()),
            // No password has this hash.
            password_hash: "!".into(),
            active: true,
            sort: sort.unwrap_or(0) + 1,
            dea: form.dea.clone().unwrap_or_default(),
        };
        let added = diesel::insert_into(staff::table).values((&row, staff::site_ids.eq(&form.site_ids)));
        added.execute(self.conn()).await.map_err(|e| known_login(e.into()))?;
        self.audit("added", "member of staff", row.id, None, format!("{}, {}", row.name, form.role));
        self.tell(Topic::Clinic, row.id);
        Ok(row)
    }

    /// Changes name, role and sites; a role changed, or nobody's any more, ends what is open.
    pub async fn change_staff(&mut self, id: Uuid, form: &StaffForm, active: bool) -> Result<Staff> {
        let old = crate::house::staff::get(self.conn(), id).await?;
        let npi = form.npi.clone().map_or(old.npi.clone(), |n| Some(n).filter(|n| !n.is_empty()));
        let dea = form.dea.clone().unwrap_or_else(|| old.dea.clone());
        let taxonomy = form.taxonomy.clone().map_or(old.taxonomy.clone(), |t| Some(t).filter(|t| !t.is_empty()));
        let numbered = npi != old.npi || dea != old.dea || taxonomy != old.taxonomy;
        let row: Staff = diesel::update(staff::table.find(id))
            .set((
                (staff::login.eq(&form.login), staff::name.eq(&form.name), staff::role.eq(form.role.code())),
                (staff::first_name.eq(&form.first_name), staff::last_name.eq(&form.last_name)),
                (staff::site_ids.eq(&form.site_ids), staff::active.eq(active)),
                (staff::npi.eq(npi), staff::dea.eq(dea), staff::taxonomy.eq(taxonomy)),
            ))
            .returning(Staff::as_returning())
            .get_result(self.conn())
            .await
            .map_err(|e| known_login(e.into()))?;
        let managers: i64 = staff::table
            .filter(staff::role.eq(Role::Manager.code()).and(staff::active))
            .count()
            .get_result(self.conn())
            .await?;
        if managers == 0 {
            return Err(StoreError::refused("last-manager", "Somebody must stay who manages the clinic."));
        }
        if !active || old.role != row.role {
            self.end_sessions_of(id, None).await?;
        }
        let what = if old.active && !active {
            "deactivated"
        } else if !old.active && active {
            "activated"
        } else {
            "changed"
        };
        let numbers = if numbered { ", other provider numbers" } else { "" };
        self.audit(what, "member of staff", id, None, format!("{}, {}{numbers}", row.name, form.role));
        self.tell(Topic::Clinic, id);
        Ok(row)
    }

    /// Makes a link by which somebody sets their password, once; an older one serves no more.
    pub async fn make_password_link(&mut self, who: Uuid, token: &str) -> Result<DateTime<Utc>> {
        let row = crate::house::staff::get(self.conn(), who).await?;
        if !row.active {
            return Err(StoreError::refused("inactive", "Activate the sign-in first."));
        }
        diesel::delete(l::table.filter(l::staff_id.eq(who))).execute(self.conn()).await?;
        let ends_at = Utc::now() + LINK_LASTS;
        diesel::insert_into(l::table)
            .values((
                (l::token_hash.eq(token_hash(token)), l::staff_id.eq(who)),
                (l::made_by.eq(self.actor.name.clone()), l::ends_at.eq(ends_at)),
            ))
            .execute(self.conn())
            .await?;
        self.audit("made a password link", "member of staff", who, None, row.name);
        Ok(ends_at)
    }

    /// Whose a link is that still serves.
    pub async fn owner_of_link(&mut self, token: &str) -> Result<Staff> {
        let of = l::table
            .filter(l::token_hash.eq(token_hash(token)).and(l::used_at.is_null()).and(l::ends_at.gt(Utc::now())))
            .select(l::staff_id)
            .for_update();
        let who: Uuid = of.first(self.conn()).await.optional()?.ok_or(StoreError::NotFound("link, or it was used"))?;
        let row = crate::house::staff::get(self.conn(), who).await?;
        if row.active { Ok(row) } else { Err(StoreError::NotFound("link, or it was used")) }
    }

    /// Sets the password by a link. The second factor goes with the old password: it may be what was lost.
    pub async fn use_password_link(&mut self, token: &str, hash: &str) -> Result<Staff> {
        let row = self.owner_of_link(token).await?;
        diesel::update(l::table.find(token_hash(token))).set(l::used_at.eq(Utc::now())).execute(self.conn()).await?;
        self.actor = crate::Actor { staff_id: Some(row.id), name: row.name.clone() };
        self.forget_second_factor(row.id).await?;
        self.set_password(row.id, hash, None).await?;
        Ok(row)
    }

    /// Keeps a new password's hash; every other session of theirs ends.
    pub async fn set_password(&mut self, who: Uuid, hash: &str, session: Option<Uuid>) -> Result<()> {
        diesel::update(staff::table.find(who)).set(staff::password_hash.eq(hash)).execute(self.conn()).await?;
        self.end_sessions_of(who, session).await?;
        self.audit("changed the password", "member of staff", who, None, "");
        Ok(())
    }

    pub async fn set_second_factor(&mut self, who: Uuid, secret: &[u8], step: i64, recovery: &[String]) -> Result<()> {
        diesel::update(staff::table.find(who))
            .set((staff::totp_secret.eq(Some(secret)), staff::totp_step.eq(step), staff::recovery_codes.eq(recovery)))
            .execute(self.conn())
            .await?;
        self.audit("set up the second factor", "member of staff", who, None, "");
        Ok(())
    }

    /// Takes the second factor away.
    pub async fn forget_second_factor(&mut self, who: Uuid) -> Result<()> {
        let none: Vec<String> = vec![];
        let had = diesel::update(staff::table.filter(staff::id.eq(who).and(staff::totp_secret.is_not_null())))
            .set((staff::totp_secret.eq(None::<Vec<u8>>), staff::recovery_codes.eq(none)))
            .execute(self.conn())
            .await?;
        if had > 0 {
            self.audit("took the second factor away", "member of staff", who, None, "");
        }
        Ok(())
    }

    /// Sets after how long screens lock, and who signs in with a second factor.
    pub async fn set_doors(&mut self, lock_minutes: i32, roles: &[Role]) -> Result<()> {
        let codes: Vec<&str> = roles.iter().map(|r| r.code()).collect();
        diesel::update(clinic::table)
            .set((clinic::lock_minutes.eq(lock_minutes), clinic::second_factor_roles.eq(&codes)))
            .execute(self.conn())
            .await?;
        let said = format!("lock after {lock_minutes} min; second factor: {}", codes.join(", "));
        self.audit("set the doors", "clinic", Uuid::nil(), None, said);
        self.tell(Topic::Clinic, Uuid::nil());
        Ok(())
    }
}
