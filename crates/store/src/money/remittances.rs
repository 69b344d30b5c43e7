//! Posting remittances: once, whole, and only what balances.

use crate::codes::Code;
use crate::documents::{Doc, OutsideClaims};
use crate::money::ledger::About;
use crate::rows::{ChargeLine, Claim, Remittance, RemittedClaim, Visit};
use crate::schema::{claims, remittances, remitted_claims, visits};
use crate::{Change, Conn, Result, StoreError, Topic, charges, coverage, people};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::{ClaimEvent, ClaimState};
use harbor_core::money::ledger::{Account, Entry, Posting, Transaction};
use harbor_core::money::remittance::matching::{KnownClaim, KnownLine, Numbers, Standing, belongs};
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
        .filter(r::claim_id.is_null())
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

/// The claims that a remittance names, and what of them is decided already.
struct Ours {
    claims: HashMap<String, (Claim, Visit)>,
    known: HashMap<String, KnownClaim>,
    standing: Standing,
}

impl Ours {
    async fn load(conn: &mut Conn, r: &core::Remittance) -> Result<Ours> {
        let numbers: Vec<&str> = r.claims.iter().map(|c| c.claim_number.as_str()).collect();
        let found: Vec<(Claim, Visit)> = claims::table
            .inner_join(visits::table)
            .filter(claims::number.eq_any(numbers))
            .select((Claim::as_select(), Visit::as_select()))
            .load(conn)
            .await?;
        let visit_ids: Vec<Uuid> = found.iter().map(|(_, v)| v.id).collect();
        let persons = people::by_id(conn, found.iter().map(|(_, v)| v.person_id)).await?;
        let payers = coverage::payers(conn).await?;
        let services: HashMap<String, String> =
            charges::services(conn).await?.into_iter().map(|s| (s.code, s.external_code)).collect();
        let lines = charges::lines_of(conn, &visit_ids).await?;
        let of_visits = crate::claims::of_visits(conn, &visit_ids).await?;
        let mut known = HashMap::new();
        for (claim, visit) in &found {
            let payer = payers.iter().find(|p| p.id == claim.payer_id);
            let person = persons.get(&visit.person_id);
            let line = |l: &ChargeLine| {
                Some(KnownLine {
                    control: format!("{}-{}", claim.number, l.number),
                    code: services.get(&l.service_code).cloned().unwrap_or_default(),
                    fee: Cents::new(l.price_cents?).times(u32::try_from(l.units).ok()?)?,
                })
            };
            // The lines of today are those of the last claim; of an earlier version only the total is known.
            let later = of_visits.iter().any(|o| o.visit_id == visit.id && o.made_at > claim.made_at);
            let own = lines.iter().filter(|l| l.visit_id == visit.id).map(line).collect::<Option<Vec<_>>>();
            let is_last = claim.state != ClaimState::Void && !later;
            known.insert(
                claim.number.clone(),
                KnownClaim {
                    number: claim.number.clone(),
                    payer_id: payer.map(|p| p.payer_code.clone()).unwrap_or_default(),
                    payer_name: payer.map(|p| p.name.clone()).unwrap_or_default(),
                    patient_last: person.map(|p| p.last_name.clone()).unwrap_or_default(),
                    patient_first: person.map(|p| p.first_name.clone()).unwrap_or_default(),
                    total: Cents::new(claim.total_cents),
                    lines: own.filter(|_| is_last).unwrap_or_default(),
                },
            );
        }
        let standing = standing(conn, &found).await?;
        let claims = found.into_iter().map(|one| (one.0.number.clone(), one)).collect();
        Ok(Ours { claims, known, standing })
    }

    /// The claim that a decision belongs to with the lines that it is about, or why it waits.
    fn belongs(&mut self, r: &core::Remittance, c: &core::RemittedClaim) -> Result<(&(Claim, Visit), Numbers), String> {
        let number = c.claim_number.as_str();
        if c.is_reversal() && self.known.contains_key(number) && !self.standing.iter().any(|(n, _)| n == number) {
            return Err("It takes back what was not decided here.".into());
        }
        let numbers = belongs(r, c, self.known.get(number), &mut self.standing)?;
        let own = self.claims.get(number).ok_or_else(|| format!("No claim went out under the number {number}."))?;
        Ok((own, numbers))
    }
}

/// What of these claims is decided and not taken back, by the books.
async fn standing(conn: &mut Conn, found: &[(Claim, Visit)]) -> Result<Standing> {
    use crate::schema::{ledger_entries as e, ledger_transactions as t};
    let ids: Vec<Uuid> = found.iter().map(|(claim, _)| claim.id).collect();
    let rows: Vec<(Option<Uuid>, Option<i32>, i64)> = t::table
        .inner_join(e::table.on(e::transaction_id.eq(t::id)))
        .filter(t::claim_id.eq_any(ids))
        .filter(t::kind.eq_any([Code(Posting::Decision), Code(Posting::Reversal)]))
        .filter(e::account.eq(Code(Account::Payer)))
        .select((t::claim_id, e::line, e::cents))
        .load(conn)
        .await?;
    let mut left: HashMap<(Uuid, u32), i64> = HashMap::new();
    for (claim, line, cents) in rows {
        let Some(claim) = claim else { continue };
        *left.entry((claim, line.and_then(|l| u32::try_from(l).ok()).unwrap_or(0))).or_default() += cents;
    }
    let number = |id: Uuid| found.iter().find(|(c, _)| c.id == id).map(|(c, _)| c.number.clone());
    let stands = |((claim, line), cents): ((Uuid, u32), i64)| Some((number(claim).filter(|_| cents != 0)?, line));
    Ok(left.into_iter().filter_map(stands).collect())
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
        ours: Result<(&(Claim, Visit), Numbers), String>,
    ) -> Result<bool> {
        let mut transaction_id = None;
        if let Ok(((claim, visit), numbers)) = &ours {
            let decision = ledger::decision(&c.decisions_of(numbers));
            let posting = match decision {
                // A denial leaves nothing to post: it stays open against the payer. The claim still moves.
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
            // One line of a paid claim may be denied all the same.
            let reasons = if c.is_reversal() { vec![] } else { c.denials_in_words() };
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
            claim_id: ours.as_ref().ok().map(|((claim, _), _)| claim.id),
            patient_name: format!("{}, {}", c.patient_last, c.patient_first),
            subscriber_number: c.subscriber_number.to_string(),
            status: c.status.to_string(),
            charged_cents: c.charged.get(),
            paid_cents: c.paid.get(),
            share_cents: c.patient_share.get(),
            // What waits says first why.
            explanation: ours.as_ref().err().cloned().into_iter().chain(c.explanation()).collect(),
            transaction_id,
        };
        diesel::insert_into(remitted_claims::table).values(&remitted).execute(self.conn()).await?;
        Ok(ours.is_ok())
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
