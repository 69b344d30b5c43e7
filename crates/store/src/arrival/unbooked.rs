//! Visits without an appointment: somebody at the desk, on the telephone, at home; paper work.

use crate::rows::{Staff, Visit};
use crate::schema::staff;
use crate::visit_line::visits::visit_type;
use crate::{Change, Result, StoreError, Topic, coverage};
use chrono::{DateTime, Duration, Utc};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::arrival::unbooked::begin;
use harbor_core::house::permissions::Role;
use harbor_core::schedule::VisitKind;
use harbor_core::visit_line::{Mark, Reached};
use uuid::Uuid;

/// A visit that nobody booked.
#[derive(Debug, Clone)]
pub struct Unbooked {
    pub person: Uuid,
    pub kind: VisitKind,
    pub clinician: Uuid,
    pub site: Uuid,
    pub visit_type: Uuid,
    pub at: DateTime<Utc>,
    pub reason: String,
}

impl Change<'_> {
    /// Whoever is here in person goes the way of all others through check-in; everything else is over already and
    /// is written up, with the policy that counted on that day.
    pub async fn begin_unbooked(&mut self, new: &Unbooked, zone: Tz) -> Result<Visit> {
        let person = self.patient_to_book(new.person).await?;
        let dead = person.deceased_on.map(|_| format!("{} {}", person.first_name, person.last_name));
        let stage = begin(new.kind, (new.at, self.now), zone, dead.as_deref())
            .map_err(|r| StoreError::refused("unbooked", r.to_string()))?;
        let who: Staff = staff::table
            .find(new.clinician)
            .filter(staff::role.eq(Role::Clinician.code()).and(staff::active.eq(true)))
            .select(Staff::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("clinician"))?;
        let kind = visit_type(self.conn(), new.visit_type).await?;
        let day = new.at.with_timezone(&zone).date_naive();
        self.queue_for(&[day]).await?;
        let ends_at = new.at + Duration::minutes(i64::from(kind.minutes));
        let mut visit = Visit {
            clinician_id: who.id,
            site_id: new.site,
            visit_type_id: kind.id,
            starts_at: new.at,
            ends_at,
            day,
            call_sign: self.next_call_sign(day).await?,
            extra: true,
            appointment: false,
            ..self.new_visit(&person, new.kind, &new.reason, "")
        };
        if stage == Stage::Left {
            let policies = coverage::of_person(self.conn(), person.id).await?;
            visit.coverage_id = coverage::counting(&policies, person.id, day).map(|c| c.id);
            visit.stage = stage.into();
        }
        self.insert_visit(&visit).await?;
        if stage == Stage::Left {
            self.reach(visit.id, Mark::Seen, Reached { at: new.at, by: who.name }).await?;
        }
        self.audit(
            "began",
            "visit",
            visit.id,
            Some(person.id),
            format!("{}, without an appointment", new.kind.label()),
        );
        self.tell(Topic::Visit, visit.id);
        if stage == Stage::Here { self.move_visit(visit.id, Stage::Here, None).await } else { Ok(visit) }
    }
}
