//! What a payer leaves to the patient goes to the next policy first, with a claim of its own; what is taken back comes back from
//! there.

use super::Found;
use crate::claims::{self, NewClaim};
use crate::codes::Code;
use crate::coverage;
use crate::money::ledger::About;
use crate::rows::{Claim, Coverage, Remittance, Visit};
use crate::schema::{ledger_entries as e, ledger_transactions as t};
use crate::{Change, Conn, Result, StoreError};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::chain::{Version, acts};
use harbor_core::claims::{ClaimEvent, ClaimState, Frequency};
use harbor_core::coverage::next_after;
use harbor_core::money::Cents;
use harbor_core::money::ledger::{Account, LedgerRefusal, Posting, passed_on};
use std::collections::HashMap;
use uuid::Uuid;

/// The policy that is asked after this claim's, on the day of the visit.
pub(crate) async fn next_policy(conn: &mut Conn, claim: &Claim, visit: &Visit) -> Result<Option<Coverage>> {
    let policies = coverage::of_person(conn, visit.person_id).await?;
    let payers = coverage::payers(conn).await?;
    let known = claims::accidents::of_people(conn, &[visit.person_id]).await?;
    let at_work = claims::accidents::is_at_work(&known, visit);
    let is_fund = |id| payers.iter().any(|p| p.id == id && p.employment);
    let paying: Vec<Uuid> =
        coverage::paying_by_cause(&policies, visit, at_work, is_fund).into_iter().map(|c| c.id).collect();
    let next = next_after(&paying, claim.coverage_id);
    // Two policies of one payer are one payer's matter.
    Ok(policies.into_iter().find(|c| Some(c.id) == next && c.payer_id != claim.payer_id))
}

impl Change<'_> {
    pub(super) async fn pass_on(
        &mut self,
        row: &Remittance,
        found: &Found,
        shares: &[(Option<u32>, Cents)],
        forwarded: bool,
    ) -> Result<()> {
        let left: Cents = shares.iter().map(|(_, share)| *share).sum();
        if !left.is_positive() {
            return Ok(());
        }
        let Some(policy) = next_policy(self.conn(), &found.claim, &found.visit).await? else { return Ok(()) };
        let why = format!("{} left {left}, which goes to this payer.", row.payer_name);
        let next = self.claim_to_next(&found.claim, &found.visit, &policy, &why).await?;
        self.post_passed_on(row, found, next.id, shares, "next").await?;
        if forwarded && next.state == ClaimState::Ready {
            let said = format!("{} sent it on by itself.", row.payer_name);
            self.claim_happened(next.id, ClaimEvent::Sent, &said, &[]).await?;
        }
        Ok(())
    }

    /// The claim to the next payer: one that was not sent yet is the one; one that it has is replaced.
    pub(crate) async fn claim_to_next(
        &mut self,
        claim: &Claim,
        visit: &Visit,
        policy: &Coverage,
        why: &str,
    ) -> Result<Claim> {
        let all = claims::of_visits(self.conn(), &[visit.id]).await?;
        let own = || all.iter().filter(|c| c.payer_id == policy.payer_id);
        if let Some(ready) = own().rfind(|c| c.state == ClaimState::Ready && *c.frequency != Frequency::Void) {
            return Ok(ready.clone());
        }
        let versions: Vec<Version<Uuid, Uuid>> = own().map(Claim::version).collect();
        let acts = acts(&versions, Some(&policy.payer_id));
        for id in &acts.withdrawn {
            self.claim_happened(*id, ClaimEvent::Withdrawn, "Withdrawn: it goes anew.", &[]).await?;
        }
        self.add_claim(NewClaim {
            visit: visit.id,
            person: visit.person_id,
            coverage: policy.id,
            payer: policy.payer_id,
            total_cents: claim.total_cents,
            frequency: if acts.replaces.is_some() { Frequency::Replacement } else { Frequency::Original },
            replaces: acts.replaces.or(acts.after),
            why: Some(why.to_owned()),
        })
        .await
    }

    async fn post_passed_on(
        &mut self,
        row: &Remittance,
        found: &Found,
        claim: Uuid,
        shares: &[(Option<u32>, Cents)],
        key: &str,
    ) -> Result<()> {
        let transaction = match passed_on(shares) {
            Err(LedgerRefusal::Empty) => return Ok(()),
            other => other.map_err(|e| StoreError::refused("ledger", e.to_string()))?,
        };
        let about = About {
            visit: Some(found.visit.id),
            person: Some(found.visit.person_id),
            claim: Some(claim),
            remittance: Some(row.id),
            ..About::new(
                Posting::PassedOn,
                format!("{}:{key}:{claim}", found.key),
                format!("after {} trace {}", row.payer_name, row.trace),
            )
        };
        self.post(&about, &transaction).await?;
        Ok(())
    }

    /// Of what a reversal takes from the patient, what had been passed on comes back from the next payer.
    pub(super) async fn take_back_passed_on(
        &mut self,
        row: &Remittance,
        found: &Found,
        shares: &[(Option<u32>, Cents)],
    ) -> Result<()> {
        let passed: Vec<(Option<Uuid>, Option<i32>, i64)> = t::table
            .inner_join(e::table.on(e::transaction_id.eq(t::id)))
            .filter(t::visit_id.eq(found.visit.id).and(t::kind.eq(Code(Posting::PassedOn))))
            .filter(e::account.eq(Code(Account::Payer)))
            .select((t::claim_id, e::line, e::cents))
            .load(self.conn())
            .await?;
        let mut of_claims: HashMap<Uuid, HashMap<Option<u32>, Cents>> = HashMap::new();
        for (claim, line, cents) in passed {
            let Some(claim) = claim else { continue };
            let line = line.and_then(|l| u32::try_from(l).ok());
            *of_claims.entry(claim).or_default().entry(line).or_default() += Cents::new(cents);
        }
        for (claim, lines) in of_claims {
            if claim == found.claim.id {
                continue;
            }
            let back = |(line, share): &(Option<u32>, Cents)| {
                let stands = lines.get(line).copied().unwrap_or_default();
                let back = (-*share).min(stands);
                back.is_positive().then_some((*line, -back))
            };
            let back: Vec<(Option<u32>, Cents)> = shares.iter().filter_map(back).collect();
            if back.is_empty() {
                continue;
            }
            self.post_passed_on(row, found, claim, &back, "back").await?;
            let next = claims::get(self.conn(), claim).await?;
            let said = format!("{} took back what it left for this payer.", row.payer_name);
            if *next.state == ClaimState::Ready {
                self.claim_happened(claim, ClaimEvent::Withdrawn, &said, &[]).await?;
            } else {
                self.tell_of_claim(claim, &said).await?;
            }
        }
        Ok(())
    }
}
