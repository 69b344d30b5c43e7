//! Posting remittances: once, whole, and only what balances.

use crate::documents::{Doc, OutsideClaims};
use crate::money::ledger::About;
use crate::rows::{Claim, Remittance, RemittedClaim, Visit};
use crate::schema::{claims, remittances, remitted_claims, visits};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::ClaimEvent;
use harbor_core::money::ledger::{Account, Entry, Posting, Transaction};
use harbor_core::money::{Cents, ledger, remittance as core};
use std::collections::HashMap;
use uuid::Uuid;

pub async fn list(conn: &mut Conn) -> Result<Vec<Remittance>> {
    Ok(remittances::table
        .order(remittances::posted_at.desc())
        .limit(100)
        .select(Remittance::as_select())
        .load(conn)
        .await?)
}

/// What was decided about claims in these remittances, in the order of the files.
pub async fn claims_of(conn: &mut Conn, remittances: &[Uuid]) -> Result<Vec<RemittedClaim>> {
    use remitted_claims as r;
    let found = r::table.filter(r::remittance_id.eq_any(remittances)).order(r::id);
    Ok(found.select(RemittedClaim::as_select()).load(conn).await?)
}

/// What payers said of a visit's claims, for the sentence that explains a balance.
pub async fn of_claims(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<RemittedClaim>> {
    use remitted_claims as r;
    Ok(r::table.filter(r::claim_id.eq_any(ids)).order(r::id).select(RemittedClaim::as_select()).load(conn).await?)
}

/// Lines that match nothing and wait for a person.
pub async fn unmatched(conn: &mut Conn) -> Result<Vec<RemittedClaim>> {
    use remitted_claims as r;
    Ok(r::table
        .filter(r::transaction_id.is_null())
        .order(r::id.desc())
        .limit(100)
        .select(RemittedClaim::as_select())
        .load(conn)
        .await?)
}

pub async fn by_trace(conn: &mut Conn, payer_code: &str, trace: &str) -> Result<Option<Remittance>> {
    Ok(remittances::table
        .filter(remittances::payer_code.eq(payer_code).and(remittances::trace.eq(trace)))
        .select(Remittance::as_select())
        .first(conn)
        .await
        .optional()?)
}

/// What came of posting.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Posted {
    pub id: Uuid,
    pub matched: usize,
    pub unmatched: usize,
    /// False when it had been posted before; nothing was posted now.
    pub now: bool,
}

impl Change<'_> {
    /// Posts a whole remittance in this change. One that does not balance posts nothing.
    pub async fn post_remittance(&mut self, document: Uuid, r: &core::Remittance) -> Result<Posted> {
        if let Err(found) = r.check_balance() {
            let sentence = found.iter().map(ToString::to_string).collect::<Vec<_>>().join(" ");
            return Err(StoreError::refused("unbalanced", sentence));
        }
        // Two uploads at one instant queue here, so that the second finds what the first has posted.
        diesel::sql_query("select pg_advisory_xact_lock(7203)").execute(self.conn()).await?;
        if let Some(before) = by_trace(self.conn(), &r.payer_id, &r.trace).await? {
            return Ok(Posted { id: before.id, matched: 0, unmatched: 0, now: false });
        }
        let row = Remittance {
            id: Uuid::now_v7(),
            payer_name: r.payer_name.clone(),
            payer_code: r.payer_id.clone(),
            trace: r.trace.clone(),
            method: r.method.clone(),
            amount_cents: r.amount.get(),
            paid_on: r.date,
            document_id: document,
            outside_claims: Doc(r
                .provider_adjustments
                .iter()
                .map(|p| OutsideClaims {
                    reason: p.reason.clone(),
                    reference: p.reference.clone(),
                    cents: p.amount.get(),
                })
                .collect()),
            posted_at: self.now,
            posted_by: self.actor.name.clone(),
        };
        diesel::insert_into(remittances::table).values(&row).execute(self.conn()).await?;
        let mut posted = Posted { id: row.id, matched: 0, unmatched: 0, now: true };
        let numbers: Vec<&str> = r.claims.iter().map(|c| c.claim_number.as_str()).collect();
        let ours: Vec<(Claim, Visit)> = claims::table
            .inner_join(visits::table)
            .filter(claims::number.eq_any(numbers))
            .select((Claim::as_select(), Visit::as_select()))
            .load(self.conn())
            .await?;
        let ours: HashMap<&str, &(Claim, Visit)> = ours.iter().map(|one| (one.0.number.as_str(), one)).collect();
        for (i, claim) in r.claims.iter().enumerate() {
            let own = ours.get(claim.claim_number.as_str()).copied();
            if self.post_claim(&row, i, claim, own).await? { posted.matched += 1 } else { posted.unmatched += 1 }
        }
        for (i, p) in r.provider_adjustments.iter().enumerate() {
            self.post_outside(&row, i, p).await?;
        }
        self.audit("posted", "remittance", row.id, None, format!("{} {} {}", r.payer_name, r.trace, r.amount));
        self.tell(Topic::Remittance, row.id);
        Ok(posted)
    }

    async fn post_claim(
        &mut self,
        row: &Remittance,
        i: usize,
        c: &core::RemittedClaim,
        ours: Option<&(Claim, Visit)>,
    ) -> Result<bool> {
        let mut transaction_id = None;
        if let Some((claim, visit)) = ours {
            let decision = ledger::decision(&c.decisions());
            let posting = match decision {
                // A denial without adjustments leaves nothing to post; the claim still moves.
                Err(ledger::LedgerRefusal::Empty) => None,
                other => Some(other.map_err(|e| StoreError::refused("ledger", e.to_string()))?),
            };
            if let Some(transaction) = posting {
                let about = About {
                    visit: Some(visit.id),
                    person: Some(visit.person_id),
                    claim: Some(claim.id),
                    remittance: Some(row.id),
                    ..About::new(
                        if c.is_reversal() { Posting::Reversal } else { Posting::Decision },
                        format!("835:{}:{}:{i}", row.payer_code, row.trace),
                        format!("{} trace {}", row.payer_name, row.trace),
                    )
                };
                transaction_id = Some(self.post(&about, &transaction).await?);
            }
            let (event, word) = match () {
                () if c.is_reversal() => (ClaimEvent::TakenBack, "took its decision back"),
                () if c.is_denial() => (ClaimEvent::Denied, "denied the claim"),
                () => (ClaimEvent::Paid, "decided the claim"),
            };
            let reasons = if c.is_denial() { c.explanation() } else { vec![] };
            let sentence =
                format!("{} {word}: paid {} of {} (trace {}).", row.payer_name, c.paid, c.charged, row.trace);
            self.claim_happened(claim.id, event, &sentence, &reasons).await?;
            if !c.payer_claim_number.is_empty() {
                self.set_payer_claim_number(claim.id, c.payer_claim_number.as_str()).await?;
            }
        } else if !c.paid.is_zero() {
            self.hold_unmatched(row, i, c.paid).await?;
        }
        let remitted = RemittedClaim {
            id: Uuid::now_v7(),
            remittance_id: row.id,
            claim_number: c.claim_number.to_string(),
            claim_id: ours.map(|(claim, _)| claim.id),
            patient_name: format!("{}, {}", c.patient_last, c.patient_first),
            subscriber_number: c.subscriber_number.to_string(),
            status: c.status.to_string(),
            charged_cents: c.charged.get(),
            paid_cents: c.paid.get(),
            share_cents: c.patient_share.get(),
            explanation: c.explanation(),
            transaction_id,
        };
        diesel::insert_into(remitted_claims::table).values(&remitted).execute(self.conn()).await?;
        Ok(ours.is_some())
    }

    /// Money for a claim that we do not know stands in the bank and waits beside it.
    async fn hold_unmatched(&mut self, row: &Remittance, i: usize, paid: Cents) -> Result<()> {
        let entry = |account, amount| Entry { account, amount, line: None, memo: "unmatched claim".into() };
        self.post_aside(
            row,
            format!("835:{}:{}:{i}", row.payer_code, row.trace),
            vec![entry(Account::Bank, paid), entry(Account::PayerAdjustment, -paid)],
        )
        .await
    }

    async fn post_outside(&mut self, row: &Remittance, i: usize, p: &core::ProviderAdjustment) -> Result<()> {
        let memo = format!("{} {}", p.reason, p.reference);
        let entry = |account, amount| Entry { account, amount, line: None, memo: memo.clone() };
        self.post_aside(
            row,
            format!("835:{}:{}:P{i}", row.payer_code, row.trace),
            vec![entry(Account::Bank, -p.amount), entry(Account::PayerAdjustment, p.amount)],
        )
        .await
    }

    async fn post_aside(&mut self, row: &Remittance, key: String, entries: Vec<Entry>) -> Result<()> {
        match Transaction::new(entries) {
            Err(ledger::LedgerRefusal::Empty) => Ok(()),
            Err(e) => Err(StoreError::refused("ledger", e.to_string())),
            Ok(transaction) => {
                let about = About {
                    remittance: Some(row.id),
                    ..About::new(Posting::Adjustment, key, format!("{} trace {}", row.payer_name, row.trace))
                };
                self.post(&about, &transaction).await.map(|_| ())
            }
        }
    }
}
