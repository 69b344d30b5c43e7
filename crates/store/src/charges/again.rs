//! Charges that were completed are opened again, with the reason: then they are charged again, left as they were, or taken back.
//!
//! While they are open nothing moves on the books. Charged again, the charge of before is taken back and the new one posted, and
//! each claim that the payer may have is replaced or voided by one of its own.

use super::lines_of;
use crate::claims::{self, NewClaim};
use crate::codes::Code;
use crate::documents::{ChargedBefore, Doc, LineBefore};
use crate::money::ledger::{self, About};
use crate::rows::{ChargeCorrection, ChargeLine, Claim, Visit};
use crate::schema::{charge_corrections as c, charge_lines, ledger_transactions as t, visits};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::charges::CorrectionEnd;
use harbor_core::claims::chain::{Acts, Version, acts};
use harbor_core::claims::{ClaimEvent, Frequency};
use harbor_core::money::ledger::Posting;
use harbor_core::visit_line::{Mark, Reached};
use uuid::Uuid;

/// The corrections of a visit's charges, the latest first.
pub async fn corrections(conn: &mut Conn, visit: Uuid) -> Result<Vec<ChargeCorrection>> {
    Ok(c::table
        .filter(c::visit_id.eq(visit))
        .order(c::number.desc())
        .select(ChargeCorrection::as_select())
        .load(conn)
        .await?)
}

/// Which of these visits have charges that are open again.
pub async fn open_among(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<Uuid>> {
    Ok(c::table.filter(c::visit_id.eq_any(visits).and(c::outcome.is_null())).select(c::visit_id).load(conn).await?)
}

/// What a visit is charged again with.
#[derive(Debug, Clone, Default)]
pub(super) struct Again {
    /// How many times it was charged before.
    pub number: i64,
    /// The claim whose place the new one takes.
    pub replaces: Option<Uuid>,
    /// The void that the new one goes after.
    pub after: Option<Uuid>,
}

fn kept(l: ChargeLine) -> LineBefore {
    LineBefore {
        id: l.id,
        number: l.number,
        service_code: l.service_code,
        modifiers: l.modifiers,
        units: l.units,
        pointers: l.pointers,
        price_cents: l.price_cents,
        reason: l.reason,
        by_itself: l.by_itself,
        own_price_cents: l.own_price_cents,
        own_price_reason: l.own_price_reason,
        schedule: l.schedule,
    }
}

fn again(visit: Uuid, l: &LineBefore) -> ChargeLine {
    ChargeLine {
        id: l.id,
        visit_id: visit,
        number: l.number,
        service_code: l.service_code.clone(),
        modifiers: l.modifiers.clone(),
        units: l.units,
        pointers: l.pointers.clone(),
        price_cents: l.price_cents,
        reason: l.reason.clone(),
        by_itself: l.by_itself,
        own_price_cents: l.own_price_cents,
        own_price_reason: l.own_price_reason.clone(),
        schedule: l.schedule.clone(),
    }
}

impl Change<'_> {
    /// Opens completed charges again. Until that ends no claim of the visit is sent.
    pub async fn open_charges_again(&mut self, visit: &Visit, reason: &str) -> Result<ChargeCorrection> {
        let marks = self.marks_of_visit(visit.id).await?;
        let Some(charged) = marks.get(Mark::Charged).cloned() else {
            return Err(StoreError::refused("not-charged", "The charges are not completed; change them as they are."));
        };
        let number: i64 = c::table.filter(c::visit_id.eq(visit.id)).count().get_result(self.conn()).await?;
        let before = ChargedBefore {
            lines: lines_of(self.conn(), &[visit.id]).await?.into_iter().map(kept).collect(),
            coverage_id: visit.coverage_id,
            self_pay: visit.self_pay,
            accident_date: visit.accident_date,
            at: charged.at,
            by: charged.by,
        };
        let row = ChargeCorrection {
            id: Uuid::now_v7(),
            visit_id: visit.id,
            number: i32::try_from(number).unwrap_or(i32::MAX) + 1,
            reason: reason.into(),
            begun_at: self.now,
            begun_by: self.actor.name.clone(),
            before: Doc(before),
            outcome: None,
            ended_at: None,
            ended_by: None,
        };
        diesel::insert_into(c::table).values(&row).execute(self.conn()).await?;
        // The prices are computed anew.
        diesel::update(charge_lines::table.filter(charge_lines::visit_id.eq(visit.id)))
            .set((charge_lines::price_cents.eq(None::<i64>), charge_lines::schedule.eq(None::<String>)))
            .execute(self.conn())
            .await?;
        self.take_back(visit.id, Mark::Charged).await?;
        self.tell_beside_claims(visit.id, &format!("The charges were opened again: {reason}")).await?;
        self.audit("opened charges again", "visit", visit.id, Some(visit.person_id), reason);
        self.tell(Topic::Visit, visit.id);
        Ok(row)
    }

    async fn open_correction(&mut self, visit: Uuid) -> Result<Option<ChargeCorrection>> {
        Ok(corrections(self.conn(), visit).await?.into_iter().find(|row| row.outcome.is_none()))
    }

    async fn end_correction(&mut self, row: &ChargeCorrection, end: CorrectionEnd) -> Result<()> {
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::update(c::table.find(row.id))
            .set((c::outcome.eq(Code(end)), c::ended_at.eq(now), c::ended_by.eq(by)))
            .execute(self.conn())
            .await?;
        self.tell(Topic::Visit, row.visit_id);
        Ok(())
    }

    /// Leaves opened charges as they were: lines and payer stand as before.
    pub async fn leave_charges(&mut self, visit: &Visit) -> Result<()> {
        let Some(row) = self.open_correction(visit.id).await? else {
            return Err(StoreError::refused("not-open", "These charges are not open again."));
        };
        diesel::delete(charge_lines::table.filter(charge_lines::visit_id.eq(visit.id))).execute(self.conn()).await?;
        let lines: Vec<ChargeLine> = row.before.lines.iter().map(|l| again(visit.id, l)).collect();
        diesel::insert_into(charge_lines::table).values(&lines).execute(self.conn()).await?;
        let b = &row.before.0;
        let accident = b.accident_date.or(visit.accident_date);
        diesel::update(visits::table.find(visit.id))
            .set((
                visits::coverage_id.eq(b.coverage_id),
                visits::self_pay.eq(b.self_pay),
                visits::accident_date.eq(accident),
            ))
            .execute(self.conn())
            .await?;
        self.reach(visit.id, Mark::Charged, Reached { at: b.at, by: b.by.clone() }).await?;
        self.tell_beside_claims(visit.id, "The charges were left as they were.").await?;
        self.audit("left charges as they were", "visit", visit.id, Some(visit.person_id), "");
        self.end_correction(&row, CorrectionEnd::Left).await
    }

    /// Takes opened charges back: nothing is charged any more, and what the payer may have is voided. What stood
    /// there is kept with the correction.
    pub async fn take_charges_back(&mut self, visit: &Visit) -> Result<()> {
        let Some(row) = self.open_correction(visit.id).await? else {
            return Err(StoreError::refused("not-open", "These charges are not open again."));
        };
        self.uncharge(visit, &row).await?;
        self.follow_with_claims(visit, None).await?;
        diesel::delete(charge_lines::table.filter(charge_lines::visit_id.eq(visit.id))).execute(self.conn()).await?;
        self.audit("took charges back", "visit", visit.id, Some(visit.person_id), row.reason.clone());
        self.end_correction(&row, CorrectionEnd::TakenBack).await
    }

    /// Takes back what was charged before, where the charges were opened again, and lets the claims follow.
    pub(super) async fn charged_again(&mut self, visit: &Visit, goes_to: Option<Uuid>) -> Result<Again> {
        let before: i64 = t::table
            .filter(t::visit_id.eq(visit.id).and(t::kind.eq(Code(Posting::Charge))))
            .count()
            .get_result(self.conn())
            .await?;
        let Some(row) = self.open_correction(visit.id).await? else {
            // Charges that were taken back as a whole are charged anew.
            if before == 0 {
                return Ok(Again::default());
            }
            let acts = self.follow_with_claims(visit, goes_to).await?;
            return Ok(Again { number: before, replaces: acts.replaces, after: acts.after });
        };
        self.uncharge(visit, &row).await?;
        let acts = self.follow_with_claims(visit, goes_to).await?;
        self.end_correction(&row, CorrectionEnd::Charged).await?;
        Ok(Again { number: before, replaces: acts.replaces, after: acts.after })
    }

    /// Posts the charge that stands the other way round.
    async fn uncharge(&mut self, visit: &Visit, row: &ChargeCorrection) -> Result<()> {
        let history = ledger::history(self.conn(), visit.id).await?;
        let charged = history.into_iter().rfind(|(t, _)| *t.kind == Posting::Charge);
        let Some((charged, entries)) = charged else { return Ok(()) };
        let whole = harbor_core::money::ledger::Transaction::new(entries)
            .map_err(|e| StoreError::refused("ledger", e.to_string()))?;
        let about = About {
            visit: Some(visit.id),
            person: charged.person_id,
            claim: charged.claim_id,
            ..About::new(Posting::Uncharge, format!("uncharge:{}", charged.id), row.reason.clone())
        };
        self.post(&about, &whole.reversed("charge taken back")).await?;
        Ok(())
    }

    /// Withdraws what never got to a payer, and voids what another payer has.
    async fn follow_with_claims(&mut self, visit: &Visit, goes_to: Option<Uuid>) -> Result<Acts<Uuid>> {
        let all: Vec<Claim> = claims::of_visits(self.conn(), &[visit.id]).await?;
        let versions: Vec<Version<Uuid, Uuid>> = all.iter().map(Claim::version).collect();
        let acts = acts(&versions, goes_to.as_ref());
        for id in &acts.withdrawn {
            self.claim_happened(*id, ClaimEvent::Withdrawn, "Withdrawn: the charges were put right.", &[]).await?;
        }
        for claim in all.iter().filter(|claim| acts.voided.contains(&claim.id)) {
            self.add_claim(NewClaim {
                visit: visit.id,
                person: visit.person_id,
                coverage: claim.coverage_id,
                payer: claim.payer_id,
                total_cents: claim.total_cents,
                frequency: Frequency::Void,
                replaces: Some(claim.id),
                why: None,
            })
            .await?;
        }
        Ok(acts)
    }
}
