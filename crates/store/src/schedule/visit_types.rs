//! Visit types as the manager makes them.

use crate::rows::VisitType;
use crate::schema::{shift_templates, template_runs, visit_types};
use crate::{Change, Result, StoreError, Topic, schedule};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::schedule::visit_type::Draft;
use uuid::Uuid;

impl VisitType {
    /// The youngest and the oldest whom it is for, in whole years.
    pub fn ages(&self) -> (Option<u32>, Option<u32>) {
        let whole = |age: Option<i32>| age.and_then(|a| u32::try_from(a).ok());
        (whole(self.from_age), whole(self.to_age))
    }

    /// Opens for booking so many days before its day; nothing: always open.
    pub fn release_rule(&self) -> Option<u32> {
        self.release_days.and_then(|d| u32::try_from(d).ok())
    }
}

impl Change<'_> {
    /// Adds a visit type, or changes one. A type may grow only as far as the slots that templates keep for it.
    pub async fn save_visit_type(&mut self, id: Option<Uuid>, draft: &Draft, services: &[String]) -> Result<VisitType> {
        use visit_types as t;
        let all = schedule::visit_types(self.conn()).await?;
        let minutes = i32::try_from(draft.minutes).unwrap_or(0);
        if let Some(id) = id {
            let today = self.now.date_naive();
            let shortest: Option<i32> = template_runs::table
                .inner_join(shift_templates::table.on(shift_templates::id.eq(template_runs::template_id)))
                .filter(template_runs::visit_type_id.eq(id))
                .filter(shift_templates::ends_on.is_null().or(shift_templates::ends_on.ge(today)))
                .select(diesel::dsl::min(template_runs::minutes))
                .first(self.conn())
                .await?;
            if let Some(slot) = shortest.filter(|slot| *slot < minutes) {
                let sentence = format!(
                    "Weekly templates keep slots of {slot} minutes for it; make those longer first, or keep it at {slot}."
                );
                return Err(StoreError::refused("visit_type", sentence));
            }
        }
        let old = id.and_then(|id| all.iter().find(|t| t.id == id));
        if id.is_some() && old.is_none() {
            return Err(StoreError::NotFound("visit type"));
        }
        let row = VisitType {
            id: id.unwrap_or_else(Uuid::now_v7),
            name: draft.name.clone(),
            glyph: draft.glyph.clone(),
            pattern: draft.pattern.clone(),
            minutes,
            services: services.to_vec(),
            sort: old.map_or_else(|| all.iter().map(|t| t.sort).max().unwrap_or(0) + 1, |t| t.sort),
            release_days: draft.release_days.and_then(|d| i32::try_from(d).ok()),
            booked_by: draft.booked_by.iter().map(|r| (*r).into()).collect(),
            online: draft.online,
            ground: draft.ground.clone(),
            active: draft.active,
            from_age: draft.ages.0.and_then(|a| i32::try_from(a).ok()),
            to_age: draft.ages.1.and_then(|a| i32::try_from(a).ok()),
        };
        if old.is_some() {
            diesel::update(t::table.find(row.id))
                .set((
                    (t::name.eq(&row.name), t::glyph.eq(&row.glyph), t::pattern.eq(&row.pattern)),
                    (t::minutes.eq(row.minutes), t::services.eq(&row.services), t::ground.eq(&row.ground)),
                    (t::release_days.eq(row.release_days), t::booked_by.eq(&row.booked_by)),
                    (t::online.eq(row.online), t::active.eq(row.active)),
                    (t::from_age.eq(row.from_age), t::to_age.eq(row.to_age)),
                ))
                .execute(self.conn())
                .await?;
        } else {
            diesel::insert_into(t::table).values(&row).execute(self.conn()).await?;
        }
        self.audit(if old.is_some() { "changed" } else { "made" }, "visit type", row.id, None, row.name.clone());
        self.tell(Topic::Clinic, row.id);
        Ok(row)
    }
}
