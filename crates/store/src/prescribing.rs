//! Prescriptions, and the pharmacies they go to.

pub mod person_states;

use crate::codes::Code;
use crate::jobs::JobKind;
use crate::rows::{Pharmacy, Prescription};
use crate::schema::{pharmacies, prescriptions};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::prescribing::{PrescriptionEvent, PrescriptionState};
use uuid::Uuid;

pub async fn of_visits(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<Prescription>> {
    use prescriptions as p;
    Ok(p::table
        .filter(p::visit_id.eq_any(visits).and(p::state.ne("stopped")))
        .order(p::id)
        .select(Prescription::as_select())
        .load(conn)
        .await?)
}

pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<Prescription>> {
    use prescriptions as p;
    Ok(p::table
        .filter(p::person_id.eq(person))
        .order(p::prescribed_at.desc())
        .limit(100)
        .select(Prescription::as_select())
        .load(conn)
        .await?)
}

pub async fn prescription(conn: &mut Conn, id: Uuid) -> Result<Prescription> {
    prescriptions::table
        .find(id)
        .select(Prescription::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("prescription"))
}

pub async fn pharmacies(conn: &mut Conn) -> Result<Vec<Pharmacy>> {
    Ok(pharmacies::table.order(pharmacies::name).select(Pharmacy::as_select()).load(conn).await?)
}

impl Change<'_> {
    /// Keeps what is handed to the pharmacy, before it is.
    pub async fn keep_sent_prescription(&mut self, id: Uuid, content: &[u8]) -> Result<()> {
        let (document, _) = self.keep_document("prescription", "out", content).await?;
        diesel::update(prescriptions::table.find(id))
            .set(prescriptions::sent_document_id.eq(document))
            .execute(self.conn())
            .await?;
        self.audit("kept as sent", "document", document, None, id.to_string());
        Ok(())
    }

    pub async fn add_prescription(&mut self, row: Prescription) -> Result<Prescription> {
        diesel::insert_into(prescriptions::table).values(&row).execute(self.conn()).await?;
        self.audit("prescribed", "prescription", row.id, Some(row.person_id), row.medicine.clone());
        self.tell(Topic::Visit, row.visit_id);
        Ok(row)
    }

    /// Puts a prescription under the one diagnosis that it is for.
    pub async fn place_prescription(&mut self, id: Uuid, code: Option<&str>) -> Result<()> {
        use prescriptions as p;
        let (visit, person): (Uuid, Uuid) = diesel::update(p::table.find(id))
            .set(p::diagnosis.eq(code))
            .returning((p::visit_id, p::person_id))
            .get_result(self.conn())
            .await?;
        self.audit("placed", "prescription", id, Some(person), code.unwrap_or("nowhere"));
        self.tell(Topic::Visit, visit);
        Ok(())
    }

    /// Puts a prescription that was sent under another diagnosis; the signed note of its visit tells it in an addendum.
    pub async fn move_sent_prescription(
        &mut self,
        visit: &crate::rows::Visit,
        row: &Prescription,
        code: &str,
    ) -> Result<()> {
        let there = crate::consult::runs::diagnoses_of(self.conn(), visit.id).await?;
        if there.iter().all(|d| d.code != code) {
            return Err(StoreError::refused("no_diagnosis", "That diagnosis is not there any more."));
        }
        self.place_prescription(row.id, Some(code)).await?;
        let was = row.diagnosis.as_deref().unwrap_or("no diagnosis");
        self.tell_beside_note(visit, format!("{}: for {code} instead of {was}.", row.medicine)).await
    }

    /// Something happened to a prescription; the core says what becomes of it.
    pub async fn prescription_happened(&mut self, id: Uuid, event: PrescriptionEvent) -> Result<PrescriptionState> {
        use prescriptions as p;
        let row: Prescription = p::table
            .find(id)
            .for_update()
            .select(Prescription::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("prescription"))?;
        let next = row.state.after(event).map_err(|refused| StoreError::refused("sent", refused.to_string()))?;
        let now = self.now;
        let sent_at = if next == PrescriptionState::Sent { row.sent_at.or(Some(now)) } else { row.sent_at };
        diesel::update(p::table.find(id))
            .set((p::state.eq(Code(next)), p::sent_at.eq(sent_at)))
            .execute(self.conn())
            .await?;
        self.audit(event.word(), "prescription", id, Some(row.person_id), next.code());
        self.tell(Topic::Visit, row.visit_id);
        Ok(next)
    }

    pub async fn send_prescription(&mut self, id: Uuid, pharmacy: Uuid, override_reason: &str) -> Result<()> {
        use prescriptions as p;
        self.prescription_happened(id, PrescriptionEvent::Signed).await?;
        diesel::update(p::table.find(id))
            .set((p::pharmacy_id.eq(pharmacy), p::override_reason.eq(override_reason)))
            .execute(self.conn())
            .await?;
        self.add_job(JobKind::SendPrescription, id).await?;
        self.audit("signed and sent", "prescription", id, None, override_reason);
        Ok(())
    }
}
