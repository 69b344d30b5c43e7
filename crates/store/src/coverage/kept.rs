//! Visits that the patient keeps from the plan by paying in full (45 CFR 164.522(a)(1)(vi)). The database takes no claim of
//! such a visit, and no policy for it.

use crate::rows::KeptFromPlan;
use crate::schema::kept_from_plan as k;
use crate::{Change, Conn, Result, StoreError, claims};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// When it was asked to keep a visit from the plan.
pub async fn kept(conn: &mut Conn, visit: Uuid) -> Result<Option<KeptFromPlan>> {
    Ok(k::table.find(visit).select(KeptFromPlan::as_select()).first(conn).await.optional()?)
}

impl Change<'_> {
    /// The patient asks that the plan learns nothing of a visit, and pays for it alone.
    pub async fn keep_from_plan(&mut self, id: Uuid) -> Result<()> {
        let person = self.visit_to_pay_for(id).await?.person_id;
        if !claims::of_visits(self.conn(), &[id]).await?.is_empty() {
            let sentence = "A claim was made of this visit already; it can no longer be kept from the plan.";
            return Err(StoreError::refused("claimed", sentence));
        }
        self.tell_self_pay(id).await?;
        let (now, by) = (self.now, self.actor.name.clone());
        let made = diesel::insert_into(k::table)
            .values((k::visit_id.eq(id), k::asked_at.eq(now), k::asked_by.eq(by)))
            .on_conflict_do_nothing()
            .execute(self.conn())
            .await?;
        if made == 1 {
            self.audit("keeps the visit from the plan", "visit", id, Some(person), "asked by the patient");
        }
        Ok(())
    }

    /// The patient no longer asks so: from here on the plan may be asked to pay.
    pub async fn no_longer_keep(&mut self, id: Uuid) -> Result<()> {
        let person = self.visit_to_pay_for(id).await?.person_id;
        if diesel::delete(k::table.find(id)).execute(self.conn()).await? == 0 {
            return Err(StoreError::refused("not-kept", "This visit is not kept from the plan."));
        }
        self.audit("no longer keeps the visit from the plan", "visit", id, Some(person), "");
        self.take_self_pay_back(id).await
    }
}
