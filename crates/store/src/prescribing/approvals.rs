//! How payers stand to medicines: covered uses that were chosen, requests, and what was decided.

use crate::codes::Code;
use crate::jobs::JobKind;
use crate::rows::{Approval, Person, Prescription};
use crate::schema::{approvals, people, prescriptions};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::prescribing::approvals::{ApprovalEvent, ApprovalState, ApprovalVerdict, counts_on};
use std::collections::HashMap;
use uuid::Uuid;

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Approval> {
    let found = approvals::table.find(id).select(Approval::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("approval"))
}

/// All of a person, the latest first.
pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<Approval>> {
    use approvals as a;
    let all = a::table.filter(a::person_id.eq(person)).order((a::asked_at.desc(), a::id.desc())).limit(200);
    Ok(all.select(Approval::as_select()).load(conn).await?)
}

/// What stands for a prescription: its own; otherwise the latest of the same product and policy that counts on the day.
pub async fn standing(
    conn: &mut Conn,
    of: &Prescription,
    coverage: Option<Uuid>,
    day: NaiveDate,
) -> Result<Option<Approval>> {
    let all = of_person(conn, of.person_id).await?;
    // A draft that was written anew with another product is not what was asked for.
    let of_it = |a: &&Approval| a.prescription_id == of.id && a.product_code == of.product_code;
    let own = all.iter().find(|a| of_it(a) && *a.state != ApprovalState::Withdrawn);
    let other = || {
        all.iter().find(|a| {
            a.product_code == of.product_code
                && coverage == Some(a.coverage_id)
                && *a.state == ApprovalState::Granted
                && counts_on(*a.state, a.until, day)
        })
    };
    Ok(own.or_else(other).cloned())
}

/// Numbers of what payers approved for visits, by visit and payer: the first where there are several.
pub async fn numbers_of_visits(conn: &mut Conn, visits: &[Uuid]) -> Result<HashMap<(Uuid, Uuid), String>> {
    use approvals as a;
    use prescriptions as p;
    let rows: Vec<(Option<Uuid>, Uuid, String)> = a::table
        .inner_join(p::table.on(p::id.eq(a::prescription_id)))
        .filter(p::visit_id.eq_any(visits).and(a::state.eq(Code(ApprovalState::Granted))))
        .filter(a::product_code.eq(p::product_code))
        .order(a::asked_at)
        .select((p::visit_id, a::payer_id, a::number))
        .load(conn)
        .await?;
    let mut out = HashMap::new();
    for (visit, payer, number) in rows {
        if let Some(visit) = visit {
            out.entry((visit, payer)).or_insert(number);
        }
    }
    Ok(out)
}

/// Requests about a prescriber's prescriptions that wait, or that were decided since a day and nobody acted on.
pub async fn waiting_for(conn: &mut Conn, prescriber: Uuid) -> Result<Vec<(Approval, Prescription, Person)>> {
    use approvals as a;
    use prescriptions as p;
    let open = [ApprovalState::Asking, ApprovalState::Waiting, ApprovalState::Refused].map(Code);
    Ok(a::table
        .inner_join(p::table.on(p::id.eq(a::prescription_id)))
        .inner_join(people::table.on(people::id.eq(a::person_id)))
        .filter(a::state.eq_any(open).and(p::prescriber_id.eq(prescriber)))
        .filter(p::state.ne("stopped").and(p::state.ne("stopping")))
        .order(a::asked_at)
        .limit(200)
        .select((Approval::as_select(), Prescription::as_select(), Person::as_select()))
        .load(conn)
        .await?)
}

impl Change<'_> {
    /// Keeps a covered use, or a request, in the place of what stood before for the same prescription; what a payer has
    /// granted for the same product stays as long as it counts.
    pub async fn stand_to_payer(&mut self, row: &Approval, today: NaiveDate) -> Result<()> {
        use approvals as a;
        let before: Option<Approval> = a::table
            .filter(a::prescription_id.eq(row.prescription_id).and(a::state.ne(Code(ApprovalState::Withdrawn))))
            .for_update()
            .select(Approval::as_select())
            .first(self.conn())
            .await
            .optional()?;
        if let Some(before) = before {
            let granted = *before.state == ApprovalState::Granted && counts_on(*before.state, before.until, today);
            if granted && before.product_code == row.product_code {
                return Err(StoreError::refused("approval", "The payer has approved this already."));
            }
            self.approval_happened(before.id, ApprovalEvent::Withdrawn).await?;
        }
        diesel::insert_into(a::table).values(row).execute(self.conn()).await?;
        self.audit("stands to the payer", "prescription", row.prescription_id, Some(row.person_id), row.state.code());
        if *row.state == ApprovalState::Asking {
            self.add_job(JobKind::AskApproval, row.id).await?;
        }
        self.tell(Topic::Person, row.person_id);
        Ok(())
    }

    pub async fn approval_happened(&mut self, id: Uuid, event: ApprovalEvent) -> Result<ApprovalState> {
        use approvals as a;
        let row: Option<Approval> =
            a::table.find(id).for_update().select(Approval::as_select()).first(self.conn()).await.optional()?;
        let row = row.ok_or(StoreError::NotFound("approval"))?;
        let refused = || StoreError::refused("approval", format!("This is {} already.", row.state.label()));
        let next = row.state.after(event).ok_or_else(refused)?;
        diesel::update(a::table.find(id)).set(a::state.eq(Code(next))).execute(self.conn()).await?;
        self.audit("approval", "prescription", row.prescription_id, Some(row.person_id), next.code());
        self.tell(Topic::Person, row.person_id);
        Ok(next)
    }

    pub async fn keep_sent_approval(&mut self, id: Uuid, content: &[u8]) -> Result<()> {
        let (document, _) = self.keep_document("approval request", "out", content).await?;
        let sent = approvals::sent_document_id.eq(document);
        diesel::update(approvals::table.find(id)).set(sent).execute(self.conn()).await?;
        self.audit("kept as sent", "document", document, None, id.to_string());
        Ok(())
    }

    /// What the payer decided. A pharmacy that has the prescription already is told the number.
    pub async fn decide_approval(&mut self, id: Uuid, verdict: &ApprovalVerdict) -> Result<()> {
        use approvals as a;
        let before = get(self.conn(), id).await?;
        let now = self.now;
        match verdict {
            ApprovalVerdict::Granted { number, until } => {
                let same = before.number == *number && before.until == *until;
                if *before.state == ApprovalState::Granted && same {
                    return Ok(());
                }
                let decided = (a::number.eq(number), a::until.eq(until), a::decided_at.eq(now));
                diesel::update(a::table.find(id)).set(decided).execute(self.conn()).await?;
                let next = self.approval_happened(id, ApprovalEvent::Granted).await?;
                let of = super::prescription(self.conn(), before.prescription_id).await?;
                if next == ApprovalState::Granted && of.sent_document_id.is_some() && of.state.stands() {
                    self.add_job(JobKind::SendPrescription, of.id).await?;
                }
            }
            ApprovalVerdict::Refused { reason } => {
                let refused = (a::refusal.eq(reason.chars().take(300).collect::<String>()), a::decided_at.eq(now));
                diesel::update(a::table.find(id)).set(refused).execute(self.conn()).await?;
                self.approval_happened(id, ApprovalEvent::Refused).await?;
            }
        }
        Ok(())
    }
}
