//! A decision that waits is matched by a person: what would match, and the match.

use super::ours::Ours;
use super::{Found, Posted, remitted};
use crate::money::ledger::About;
use crate::rows::{Remittance, RemittedClaim};
use crate::schema::{claims, people, remitted_claims, visits};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::ledger::{Account, Entry, Posting, Transaction};
use harbor_core::money::remittance::matching::{Candidate, KnownClaim, candidates};
use harbor_core::money::{Cents, remittance as core};
use harbor_core::people::fold;
use uuid::Uuid;

/// So many claims are looked at for one decision.
const LOOKED_AT: i64 = 300;

/// The remittance as far as matching needs it.
fn source(row: &Remittance) -> core::Remittance {
    core::Remittance {
        payer_name: row.payer_name.clone(),
        payer_id: row.payer_code.clone(),
        payee_name: String::new(),
        payee_npi: String::new(),
        trace: row.trace.clone(),
        method: row.method.clone(),
        date: row.paid_on,
        amount: Cents::new(row.amount_cents),
        claims: vec![],
        provider_adjustments: vec![],
    }
}

fn as_it_came(row: &RemittedClaim) -> Result<core::RemittedClaim> {
    let kept = row.decision.as_ref().ok_or_else(|| {
        StoreError::refused("not-kept", "This decision came before its lines were kept; post it from its file.")
    })?;
    Ok(kept.whole(row))
}

/// The claims that a waiting decision might be about, the likeliest first, each with its visit.
pub async fn candidates_of(
    conn: &mut Conn,
    remittance: &Remittance,
    row: &RemittedClaim,
) -> Result<Vec<(Candidate, Uuid, Uuid)>> {
    let c = as_it_came(row)?;
    let name = fold(&c.patient_last);
    let charged = if c.is_reversal() { -c.charged } else { c.charged };
    let number: String = c.claim_number.chars().filter(char::is_ascii_digit).collect();
    let mut query = claims::table
        .inner_join(visits::table)
        .inner_join(people::table.on(people::id.eq(visits::person_id)))
        .filter(claims::total_cents.eq(charged.get()).or(claims::number.like(format!("%{number}%"))))
        .order(claims::made_at.desc())
        .limit(LOOKED_AT)
        .select(visits::id)
        .into_boxed();
    let words: Vec<String> = name.split_whitespace().map(str::to_owned).collect();
    if !words.is_empty() {
        query = query.or_filter(people::find_words.contains(words));
    }
    let found: Vec<Uuid> = query.load(conn).await?;
    let ours = Ours::of_visits(conn, &found).await?;
    let known: Vec<KnownClaim> = ours.known().cloned().collect();
    let ranked = candidates(&source(remittance), &c, &known);
    let with_visit = |one: Candidate| {
        let (claim, visit) = ours.claim(&one.number)?;
        Some((one, claim.id, visit.id))
    };
    Ok(ranked.into_iter().filter_map(with_visit).collect())
}

impl Change<'_> {
    /// Posts a decision that waited to the claim that a person names: its money leaves where it waited.
    pub async fn match_by_hand(&mut self, id: Uuid, number: &str) -> Result<Posted> {
        diesel::sql_query("select pg_advisory_xact_lock(7203)").execute(self.conn()).await?;
        let row = remitted(self.conn(), id).await?;
        if row.claim_id.is_some() {
            return Err(StoreError::refused("matched", "This decision is matched already; look at the list again."));
        }
        let c = as_it_came(&row)?;
        let remittance = super::get(self.conn(), row.remittance_id).await?;
        let visit: Option<Uuid> = claims::table
            .filter(claims::number.eq(number))
            .select(claims::visit_id)
            .first(self.conn())
            .await
            .optional()?;
        let visit = visit.ok_or(StoreError::NotFound("claim"))?;
        let mut ours = Ours::of_visits(self.conn(), &[visit]).await?;
        let cannot = |why: String| StoreError::refused("not-matched", why);
        let ((claim, visit), numbers) = ours.by_hand(&c, number).map_err(cannot)?;
        let lines = self.lines_to_post(&c, &claim, &numbers).await?.map_err(cannot)?;
        if !c.paid.is_zero() {
            self.release_unmatched(&remittance, &row, c.paid).await?;
        }
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::update(remitted_claims::table.find(id))
            .set((
                remitted_claims::claim_id.eq(claim.id),
                remitted_claims::matched_at.eq(now),
                remitted_claims::matched_by.eq(by),
            ))
            .execute(self.conn())
            .await?;
        self.audit("matched", "remitted claim", id, Some(visit.person_id), format!("{} to {number}", row.claim_number));
        let found = Found { claim, visit, numbers, lines, remitted: id, key: format!("match:{id}") };
        self.post_decision(&remittance, &c, &found).await?;
        self.tell(Topic::Remittance, remittance.id);
        Ok(Posted { id: remittance.id, matched: 1, unmatched: 0, now: true })
    }

    async fn release_unmatched(&mut self, remittance: &Remittance, row: &RemittedClaim, paid: Cents) -> Result<()> {
        let entry = |account, amount| Entry { account, amount, line: None, memo: "matched by hand".into() };
        let transaction = Transaction::new(vec![entry(Account::Bank, -paid), entry(Account::Unmatched, paid)])
            .map_err(|e| StoreError::refused("ledger", e.to_string()))?;
        let about = About {
            remittance: Some(remittance.id),
            ..About::new(
                Posting::Matched,
                format!("unmatched:{}", row.id),
                format!("{} trace {}", remittance.payer_name, remittance.trace),
            )
        };
        self.post(&about, &transaction).await?;
        Ok(())
    }
}
