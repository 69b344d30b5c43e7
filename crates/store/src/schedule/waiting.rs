//! Who waits for a time or for an earlier one, and when and where people can come at all.

use crate::rows::{PersonLimits, Slot, Visit, WaitingEntry};
use crate::schedule::supply::{time_of, weekday_of};
use crate::schema::{contact_confirmations, people, person_limits, visits, waiting};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::NaiveTime;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::schedule::waiting::Waiting;
use std::collections::HashMap;
use uuid::Uuid;

/// Everybody who waits, the longest first, with the visit that each has.
pub async fn list(conn: &mut Conn) -> Result<Vec<(WaitingEntry, Option<Visit>)>> {
    use waiting as w;
    let rows: Vec<(WaitingEntry, Option<Visit>)> = w::table
        .left_join(visits::table.on(w::visit_id.eq(visits::id.nullable())))
        .inner_join(people::table.on(people::id.eq(w::person_id)))
        .filter(w::closed_as.is_null().and(people::deceased_on.is_null()))
        .order((w::made_at, w::id))
        .select((WaitingEntry::as_select(), Option::<Visit>::as_select()))
        .load(conn)
        .await?;
    // A visit that took place or was cancelled is not to be moved any more.
    Ok(rows.into_iter().filter(|(_, v)| v.as_ref().is_none_or(|v| v.stage == Stage::Booked)).collect())
}

/// As the core sees somebody who waits.
pub fn in_core(w: &WaitingEntry, has: Option<&Visit>, minutes: i64) -> Waiting<Uuid> {
    let whole_day = w.from_minute == 0 && w.to_minute == 1440;
    let last = NaiveTime::from_hms_opt(23, 59, 59).unwrap_or_default();
    let to = if w.to_minute >= 1440 { last } else { time_of(w.to_minute) };
    Waiting {
        visit_type: w.visit_type_id,
        minutes: has.map_or(minutes, |v| (v.ends_at - v.starts_at).num_minutes()),
        clinicians: w.clinician_ids.clone(),
        sites: w.site_ids.clone(),
        weekdays: w.weekdays.iter().filter_map(|n| weekday_of(*n)).collect(),
        between: (!whole_day).then(|| (time_of(w.from_minute), to)),
        not_before: w.not_before,
        // Whoever is to be rebooked has no time.
        has: has.filter(|v| !v.rebook).map(|v| v.starts_at),
        since: w.made_at,
        urgent: w.urgent,
    }
}

pub async fn limits_of(conn: &mut Conn, persons: &[Uuid]) -> Result<HashMap<Uuid, PersonLimits>> {
    use person_limits as l;
    let rows: Vec<PersonLimits> =
        l::table.filter(l::person_id.eq_any(persons)).select(PersonLimits::as_select()).load(conn).await?;
    Ok(rows.into_iter().map(|r| (r.person_id, r)).collect())
}

/// When a person's contact was last confirmed, and by whom.
pub async fn contact_confirmed(
    conn: &mut Conn,
    person: Uuid,
) -> Result<Option<(chrono::DateTime<chrono::Utc>, String)>> {
    use contact_confirmations as c;
    Ok(c::table
        .filter(c::person_id.eq(person))
        .order(c::id.desc())
        .select((c::at, c::by))
        .first(conn)
        .await
        .optional()?)
}

impl Change<'_> {
    pub async fn wait_for(&mut self, row: &WaitingEntry) -> Result<()> {
        diesel::insert_into(waiting::table).values(row).execute(self.conn()).await?;
        self.audit("waits", "waiting list", row.id, Some(row.person_id), "");
        self.tell(Topic::Waiting, row.id);
        Ok(())
    }

    /// Ends the waiting: a time was found, or nobody wants one any more.
    pub async fn stop_waiting(&mut self, id: Uuid, how: &str) -> Result<()> {
        use waiting as w;
        let now = self.now;
        let gone: Vec<Uuid> = diesel::update(w::table.filter(w::id.eq(id).and(w::closed_as.is_null())))
            .set((w::closed_as.eq(how), w::closed_at.eq(now)))
            .returning(w::person_id)
            .get_results(self.conn())
            .await?;
        let Some(person) = gone.into_iter().next() else { return Err(StoreError::NotFound("waiting person")) };
        self.audit(how, "waiting list", id, Some(person), "");
        self.tell(Topic::Waiting, id);
        Ok(())
    }

    pub async fn set_limits(&mut self, row: &PersonLimits) -> Result<()> {
        use person_limits as l;
        diesel::delete(l::table.find(row.person_id)).execute(self.conn()).await?;
        diesel::insert_into(l::table).values(row).execute(self.conn()).await?;
        self.audit("changed", "limits", row.person_id, Some(row.person_id), row.note.clone());
        self.tell(Topic::Person, row.person_id);
        Ok(())
    }

    /// The way to reach a person was asked and is right; what was wrong is corrected.
    pub async fn confirm_contact(&mut self, person: Uuid, phone: Option<&str>, email: Option<&str>) -> Result<()> {
        use contact_confirmations as c;
        let old = crate::people::get(self.conn(), person).await?;
        if old.phone.as_deref() != phone || old.email.as_deref() != email {
            diesel::update(people::table.find(person))
                .set((
                    people::phone.eq(phone),
                    people::email.eq(email),
                    people::email_declined.eq(old.email_declined && email.is_none()),
                    people::version.eq(old.version + 1),
                ))
                .execute(self.conn())
                .await?;
        }
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::insert_into(c::table)
            .values((c::person_id.eq(person), c::phone.eq(phone), c::email.eq(email), c::at.eq(now), c::by.eq(by)))
            .execute(self.conn())
            .await?;
        self.audit("confirmed", "contact", person, Some(person), "");
        self.tell(Topic::Person, person);
        Ok(())
    }
}

/// A slot as a freed time.
pub fn freed(slot: &Slot, site: Uuid, minutes: i64) -> Option<harbor_core::schedule::rebooking::Opening<Uuid>> {
    Some(harbor_core::schedule::rebooking::Opening {
        start: slot.starts_at,
        minutes,
        visit_type: slot.visit_type_id?,
        clinician: slot.clinician_id,
        site,
    })
}
