//! Posting remittances: once, whole, and only what balances.

pub mod by_hand;
pub mod letters;
mod ours;
mod passing;

use crate::documents::{AdjustedPart, Decided, DecidedLine, Doc, OutsideClaims};
use crate::money::ledger::About;
use crate::rows::{Claim, Remittance, RemittedClaim, Visit};
use crate::schema::{remittances, remitted_claims};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel::sql_types::Text;
use diesel_async::RunQueryDsl;
use harbor_core::claims::ClaimEvent;
use harbor_core::money::ledger::{Account, Entry, LineDecision, Posting, Transaction};
use harbor_core::money::remittance::matching::Numbers;
use harbor_core::money::remittance::meaning::within_open;
use harbor_core::money::{Cents, ledger, remittance as core};
use ours::Ours;
pub(super) use passing::next_policy;
use uuid::Uuid;

define_sql_function! {
    fn upper(text: Text) -> Text;
}

/// What is looked for; what is nothing is not asked.
#[derive(Debug, Clone, Default)]
pub struct SoughtRemittances {
    /// The beginning of a trace or of a patient's name as the payer writes it, last name first; or a claim's number.
    pub words: String,
    pub payer_code: Option<String>,
    /// On which days they were paid.
    pub from: Option<NaiveDate>,
    pub to: Option<NaiveDate>,
    /// Only those of which something matches nothing yet.
    pub waiting: bool,
    /// The last one of the page before.
    pub after: Option<Uuid>,
}

/// A page of the remittances, those that came last first.
pub async fn page(conn: &mut Conn, s: &SoughtRemittances, limit: i64) -> Result<Vec<Remittance>> {
    use remittances as r;
    use remitted_claims as c;
    let mut q = r::table.into_boxed();
    if !s.words.is_empty() {
        let words = s.words.to_uppercase();
        let begins = format!("{}%", words.replace('\\', "\\\\").replace('%', "\\%").replace('_', "\\_"));
        let named = c::table
            .filter(c::claim_number.eq(words).or(upper(c::patient_name).like(begins.clone())))
            .select(c::remittance_id);
        q = q.filter(upper(r::trace).like(begins).or(r::id.eq_any(named)));
    }
    if let Some(code) = &s.payer_code {
        q = q.filter(r::payer_code.eq(code.clone()));
    }
    if let Some(from) = s.from {
        q = q.filter(r::paid_on.ge(from));
    }
    if let Some(to) = s.to {
        q = q.filter(r::paid_on.le(to));
    }
    if s.waiting {
        q = q.filter(r::id.eq_any(c::table.filter(c::claim_id.is_null()).select(c::remittance_id)));
    }
    if let Some(after) = s.after {
        let last = get(conn, after).await?;
        q = q.filter(r::posted_at.lt(last.posted_at).or(r::posted_at.eq(last.posted_at).and(r::id.lt(after))));
    }
    let q = q.order((r::posted_at.desc(), r::id.desc())).limit(limit);
    Ok(q.select(Remittance::as_select()).load(conn).await?)
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
        .filter(r::claim_id.is_null())
        .order(r::id.desc())
        .limit(100)
        .select(RemittedClaim::as_select())
        .load(conn)
        .await?)
}

pub async fn by_trace(conn: &mut Conn, payer_code: &str, trace: &str, part: i32) -> Result<Option<Remittance>> {
    Ok(remittances::table
        .filter(remittances::payer_code.eq(payer_code).and(remittances::trace.eq(trace)))
        .filter(remittances::part.eq(part))
        .select(Remittance::as_select())
        .first(conn)
        .await
        .optional()?)
}

/// One decision.
pub async fn remitted(conn: &mut Conn, id: Uuid) -> Result<RemittedClaim> {
    let found = remitted_claims::table.find(id).select(RemittedClaim::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("decision"))
}

/// The remittance that a decision came in.
pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Remittance> {
    let found = remittances::table.find(id).select(Remittance::as_select()).first(conn).await.optional()?;
    found.ok_or(StoreError::NotFound("remittance"))
}

/// These remittances, the oldest first.
pub async fn many(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<Remittance>> {
    let found = remittances::table.filter(remittances::id.eq_any(ids)).order((remittances::posted_at, remittances::id));
    Ok(found.select(Remittance::as_select()).load(conn).await?)
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

/// A decision with the claim that it is about, and what of it is posted.
pub(super) struct Found {
    pub claim: Claim,
    pub visit: Visit,
    pub numbers: Numbers,
    pub lines: Vec<LineDecision>,
    /// The decision as it is kept.
    pub remitted: Uuid,
    /// Under which it is posted once.
    pub key: String,
}

/// With what every key of a payment's postings begins.
fn key_of(row: &Remittance) -> String {
    let part = if row.part > 0 { format!("#{}", row.part) } else { String::new() };
    format!("835:{}:{}{part}", row.payer_code, row.trace)
}

fn kept(all: &[core::Adjustment]) -> Vec<AdjustedPart> {
    let part = |a: &core::Adjustment| AdjustedPart {
        group: a.group.into(),
        reason: a.reason.to_string(),
        cents: a.amount.get(),
    };
    all.iter().map(part).collect()
}

fn adjustments(kept: &[AdjustedPart]) -> Vec<core::Adjustment> {
    let one = |a: &AdjustedPart| core::Adjustment {
        group: *a.group,
        reason: a.reason.as_str().into(),
        amount: Cents::new(a.cents),
        quantity: None,
    };
    kept.iter().map(one).collect()
}

impl Decided {
    /// A decision as it came.
    pub fn of(c: &core::RemittedClaim) -> Decided {
        let line = |l: &core::RemittedLine| DecidedLine {
            control: l.line_control.to_string(),
            code: l.service_code.to_string(),
            billed: l.original_code.clone(),
            charged_cents: l.charged.get(),
            allowed_cents: l.allowed.map(Cents::get),
            paid_cents: l.paid.get(),
            adjustments: kept(&l.adjustments),
            remarks: l.remarks.clone(),
        };
        Decided {
            patient_last: c.patient_last.to_string(),
            patient_first: c.patient_first.to_string(),
            payer_claim_number: c.payer_claim_number.to_string(),
            lines: c.lines.iter().map(line).collect(),
            adjustments: kept(&c.adjustments),
            remarks: c.remarks.clone(),
        }
    }

    /// The decision as it came, of the row that it is kept with.
    pub(crate) fn whole(&self, row: &RemittedClaim) -> core::RemittedClaim {
        let line = |l: &DecidedLine| core::RemittedLine {
            line_control: l.control.as_str().into(),
            service_code: l.code.as_str().into(),
            original_code: l.billed.clone(),
            charged: Cents::new(l.charged_cents),
            allowed: l.allowed_cents.map(Cents::new),
            paid: Cents::new(l.paid_cents),
            adjustments: adjustments(&l.adjustments),
            remarks: l.remarks.clone(),
            ..core::RemittedLine::default()
        };
        core::RemittedClaim {
            claim_number: row.claim_number.as_str().into(),
            status: row.status.as_str().into(),
            charged: Cents::new(row.charged_cents),
            paid: Cents::new(row.paid_cents),
            patient_share: Cents::new(row.share_cents),
            payer_claim_number: self.payer_claim_number.as_str().into(),
            patient_last: self.patient_last.as_str().into(),
            patient_first: self.patient_first.as_str().into(),
            subscriber_number: row.subscriber_number.as_str().into(),
            adjustments: adjustments(&self.adjustments),
            lines: self.lines.iter().map(line).collect(),
            remarks: self.remarks.clone(),
            ..core::RemittedClaim::default()
        }
    }
}

impl RemittedClaim {
    /// What the payer remarked beside its reasons, in words; nothing of one whose lines were not kept.
    pub fn remarks(&self) -> Vec<String> {
        self.decision.as_ref().map(|d| d.whole(self).remarks_in_words()).unwrap_or_default()
    }
}

impl Change<'_> {
    /// Posts a whole remittance in this change. One that does not balance posts nothing. `part` tells payments under one trace in
    /// one file apart, from 0.
    pub async fn post_remittance(&mut self, document: Uuid, r: &core::Remittance, part: i32) -> Result<Posted> {
        if let Err(found) = r.check_balance() {
            let sentence = found.iter().map(ToString::to_string).collect::<Vec<_>>().join(" ");
            return Err(StoreError::refused("unbalanced", sentence));
        }
        // Two uploads at one instant queue here, so that the second finds what the first has posted.
        diesel::sql_query("select pg_advisory_xact_lock(7203)").execute(self.conn()).await?;
        if let Some(before) = by_trace(self.conn(), &r.payer_id, &r.trace, part).await? {
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
            part,
        };
        diesel::insert_into(remittances::table).values(&row).execute(self.conn()).await?;
        let mut posted = Posted { id: row.id, matched: 0, unmatched: 0, now: true };
        let mut ours = Ours::load(self.conn(), r).await?;
        for (i, claim) in r.claims.iter().enumerate() {
            let own = ours.belongs(r, claim);
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
        ours: Result<((Claim, Visit), Numbers), String>,
    ) -> Result<bool> {
        let id = Uuid::now_v7();
        let posted = match ours {
            Ok(((claim, visit), numbers)) => match self.lines_to_post(c, &claim, &numbers).await? {
                Ok(lines) => Ok((claim, visit, numbers, lines)),
                Err(why) => Err(why),
            },
            Err(why) => Err(why),
        };
        let waits = posted.as_ref().err().cloned();
        let remitted = RemittedClaim {
            id,
            remittance_id: row.id,
            claim_number: c.claim_number.to_string(),
            claim_id: posted.as_ref().ok().map(|(claim, ..)| claim.id),
            patient_name: format!("{}, {}", c.patient_last, c.patient_first),
            subscriber_number: c.subscriber_number.to_string(),
            status: c.status.to_string(),
            charged_cents: c.charged.get(),
            paid_cents: c.paid.get(),
            share_cents: c.patient_share.get(),
            // What waits says first why.
            explanation: waits.clone().into_iter().chain(c.explanation()).collect(),
            transaction_id: None,
            decision: Some(Doc(Decided::of(c))),
            matched_at: None,
            matched_by: None,
        };
        diesel::insert_into(remitted_claims::table).values(&remitted).execute(self.conn()).await?;
        if let Ok((claim, visit, numbers, lines)) = posted {
            let key = format!("{}:{i}", key_of(row));
            let found = Found { claim, visit, numbers, lines, remitted: id, key };
            self.post_decision(row, c, &found).await?;
        } else if !c.paid.is_zero() {
            self.hold_unmatched(row, i, c.paid).await?;
        }
        Ok(waits.is_none())
    }

    /// What is posted of a decision, never more than is open; or why it waits.
    async fn lines_to_post(
        &mut self,
        c: &core::RemittedClaim,
        claim: &Claim,
        numbers: &Numbers,
    ) -> Result<Result<Vec<LineDecision>, String>> {
        let lines = c.decisions_of(numbers);
        if c.is_reversal() {
            return Ok(Ok(lines));
        }
        let open = super::ledger::open_at_payer(self.conn(), claim.visit_id, claim.payer_id).await?;
        Ok(within_open(lines, open))
    }

    /// Posts a decision whose claim is found, and lets the claim, the next payer and the denial work follow.
    async fn post_decision(&mut self, row: &Remittance, c: &core::RemittedClaim, found: &Found) -> Result<()> {
        let Found { claim, visit, .. } = found;
        // A denial leaves nothing to post: it stays open against the payer. The claim still moves.
        let posting = match ledger::decision(&found.lines) {
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
                    found.key.clone(),
                    format!("{} trace {}", row.payer_name, row.trace),
                )
            };
            let posted = self.post(&about, &transaction).await?;
            diesel::update(remitted_claims::table.find(found.remitted))
                .set(remitted_claims::transaction_id.eq(posted))
                .execute(self.conn())
                .await?;
        }
        let (event, word) = match () {
            () if c.is_reversal() => (ClaimEvent::TakenBack, "took its decision back"),
            () if c.is_denial() => (ClaimEvent::Denied, "denied the claim"),
            () => (ClaimEvent::Paid, "decided the claim"),
        };
        // One line of a paid claim may be denied all the same.
        let reasons = if c.is_reversal() { vec![] } else { c.denials_in_words() };
        let sentence = format!("{} {word}: paid {} of {} (trace {}).", row.payer_name, c.paid, c.charged, row.trace);
        self.claim_happened(claim.id, event, &sentence, &reasons).await?;
        if !c.payer_claim_number.is_empty() {
            self.set_payer_claim_number(claim.id, c.payer_claim_number.as_str()).await?;
        }
        let shares: Vec<(Option<u32>, Cents)> =
            found.lines.iter().filter(|d| !d.patient_share.is_zero()).map(|d| (d.line, d.patient_share)).collect();
        if c.is_reversal() {
            self.take_back_passed_on(row, found, &shares).await?;
        } else {
            self.pass_on(row, found, &shares, c.is_forwarded()).await?;
        }
        self.denials_follow(row, c, found).await
    }

    /// Money for a claim that we do not know stands in the bank and waits beside it.
    async fn hold_unmatched(&mut self, row: &Remittance, i: usize, paid: Cents) -> Result<()> {
        let entry = |account, amount| Entry { account, amount, line: None, memo: "unmatched claim".into() };
        self.post_aside(
            row,
            format!("{}:{i}", key_of(row)),
            vec![entry(Account::Bank, paid), entry(Account::Unmatched, -paid)],
        )
        .await
    }

    async fn post_outside(&mut self, row: &Remittance, i: usize, p: &core::ProviderAdjustment) -> Result<()> {
        let memo = format!("{} {}", p.reason, p.reference);
        let entry = |account, amount| Entry { account, amount, line: None, memo: memo.clone() };
        self.post_aside(
            row,
            format!("{}:P{i}", key_of(row)),
            vec![entry(Account::Bank, -p.amount), entry(p.account(), p.amount)],
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
