//! Requests of pharmacies for another round.

use crate::codes::Code;
use crate::jobs::JobKind;
use crate::rows::{Person, Prescription, RenewalRequest};
use crate::schema::{people, prescriptions, renewal_requests};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::prescribing::RenewalAnswer;
use uuid::Uuid;

/// Waiting requests about a prescriber's prescriptions, the oldest first.
pub async fn waiting_for(conn: &mut Conn, prescriber: Uuid) -> Result<Vec<(RenewalRequest, Prescription, Person)>> {
    use prescriptions as p;
    use renewal_requests as r;
    Ok(r::table
        .inner_join(p::table.on(p::id.eq(r::prescription_id)))
        .inner_join(people::table.on(people::id.eq(p::person_id)))
        .filter(r::answer.is_null().and(p::prescriber_id.eq(prescriber)))
        .order(r::asked_at)
        .limit(200)
        .select((RenewalRequest::as_select(), Prescription::as_select(), Person::as_select()))
        .load(conn)
        .await?)
}

pub async fn request(conn: &mut Conn, id: Uuid) -> Result<RenewalRequest> {
    let found = renewal_requests::table.find(id).select(RenewalRequest::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("renewal request"))
}

impl Change<'_> {
    /// Keeps a request; false where the same was told before.
    pub async fn keep_renewal_request(&mut self, row: &RenewalRequest, person: Uuid) -> Result<bool> {
        let insert = diesel::insert_into(renewal_requests::table).values(row).on_conflict_do_nothing();
        let n = insert.execute(self.conn()).await?;
        if n > 0 {
            self.audit("asked to renew", "prescription", row.prescription_id, Some(person), row.reference.clone());
            self.tell(Topic::Person, person);
        }
        Ok(n > 0)
    }

    /// Answers a request, once.
    pub async fn answer_renewal(
        &mut self,
        id: Uuid,
        answer: RenewalAnswer,
        reason: &str,
        new: Option<Uuid>,
    ) -> Result<()> {
        use renewal_requests as r;
        let by = self.actor.name.clone();
        let now = self.now;
        let n = diesel::update(r::table.filter(r::id.eq(id).and(r::answer.is_null())))
            .set((
                r::answer.eq(Code(answer)),
                r::answered_at.eq(now),
                r::answered_by.eq(by),
                r::reason.eq(reason),
                r::new_id.eq(new),
            ))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::refused("answered", "This request has been answered already."));
        }
        if answer == RenewalAnswer::No {
            self.add_job(JobKind::RefuseRenewal, id).await?;
        }
        let of = request(self.conn(), id).await?.prescription_id;
        let person = super::prescription(self.conn(), of).await?.person_id;
        self.audit("answered a renewal", "prescription", of, Some(person), answer.code());
        self.tell(Topic::Person, person);
        Ok(())
    }

    pub async fn renewal_told(&mut self, id: Uuid) -> Result<()> {
        let now = self.now;
        diesel::update(renewal_requests::table.find(id))
            .set(renewal_requests::told_at.eq(now))
            .execute(self.conn())
            .await?;
        Ok(())
    }
}
