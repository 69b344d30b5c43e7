//! What a visit is about, and who sees the patient, as it is put right on arrival.

use super::Visit;
use crate::schema::{slots, staff, visits};
use crate::{Change, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::MoveRefusal;
use harbor_core::house::permissions::Role;
use uuid::Uuid;

impl Change<'_> {
    /// Sets reason and note, and hands somebody who is here to another clinician: beside what that one has booked,
    /// and the time of the first is free again.
    pub async fn correct_visit(
        &mut self,
        id: Uuid,
        version: i32,
        (reason, note): (&str, &str),
        clinician: Uuid,
    ) -> Result<Visit> {
        let old = self.lock_visit(id).await?;
        if old.version != version {
            return Err(StoreError::Stale { current: serde_json::to_value(&old).unwrap_or_default() });
        }
        let handed = clinician != old.clinician_id;
        if handed {
            old.stage().may_hand_over().map_err(|r: MoveRefusal| StoreError::refused("stage", r.to_string()))?;
            let known: i64 = staff::table
                .filter(staff::id.eq(clinician).and(staff::role.eq(Role::Clinician.code())).and(staff::active.eq(true)))
                .count()
                .get_result(self.conn())
                .await?;
            if known == 0 {
                return Err(StoreError::NotFound("clinician"));
            }
        }
        let slot = old.slot_id.filter(|_| !handed);
        let visit: Visit = diesel::update(visits::table.find(id))
            .set((
                (visits::reason.eq(reason), visits::booking_note.eq(note)),
                (visits::clinician_id.eq(clinician), visits::slot_id.eq(slot)),
                visits::extra.eq(old.extra || handed),
                visits::version.eq(old.version + 1),
            ))
            .returning(Visit::as_returning())
            .get_result(self.conn())
            .await?;
        if handed {
            self.record_move(&old, &visit, "on arrival").await?;
            if let Some(freed) = old.slot_id {
                let row = slots::table.find(freed).select(crate::rows::Slot::as_select());
                if let Some(row) = row.first(self.conn()).await.optional()? {
                    self.record_slot(&row, "visit handed to somebody else", "").await?;
                }
            }
        }
        self.audit("put right", "visit", id, Some(old.person_id), if handed { "another clinician" } else { "reason" });
        self.tell(Topic::Visit, id);
        Ok(visit)
    }
}
