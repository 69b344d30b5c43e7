//! The claims that a remittance may be about, as the clinic knows them.

use crate::codes::Code;
use crate::rows::{ChargeLine, Claim, Visit};
use crate::schema::{claims, visits};
use crate::{Conn, Result as Stored, charges, coverage, people};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::ClaimState;
use harbor_core::money::ledger::{Account, Posting};
use harbor_core::money::remittance::matching::{KnownClaim, KnownLine, Numbers, Standing, belongs, stands_from_now_on};
use harbor_core::money::{Cents, remittance as core};
use std::collections::HashMap;
use uuid::Uuid;

/// The claims that a remittance names with the others of their visits, and what of them is decided already.
pub(super) struct Ours {
    claims: HashMap<String, (Claim, Visit)>,
    known: HashMap<String, KnownClaim>,
    standing: Standing,
}

impl Ours {
    pub async fn load(conn: &mut Conn, r: &core::Remittance) -> Stored<Ours> {
        let numbers: Vec<&str> = r.claims.iter().map(|c| c.claim_number.as_str()).collect();
        Self::of_numbers(conn, &numbers).await
    }

    /// The claims under these numbers.
    pub async fn of_numbers(conn: &mut Conn, numbers: &[&str]) -> Stored<Ours> {
        let named = claims::table.filter(claims::number.eq_any(numbers)).select(claims::visit_id);
        let visits: Vec<Uuid> = named.load(conn).await?;
        Self::of_visits(conn, &visits).await
    }

    /// The claims of these visits.
    pub async fn of_visits(conn: &mut Conn, visits: &[Uuid]) -> Stored<Ours> {
        let found: Vec<(Claim, Visit)> = claims::table
            .inner_join(visits::table)
            .filter(claims::visit_id.eq_any(visits))
            .select((Claim::as_select(), Visit::as_select()))
            .load(conn)
            .await?;
        let visit_ids: Vec<Uuid> = found.iter().map(|(_, v)| v.id).collect();
        let persons = people::by_id(conn, found.iter().map(|(_, v)| v.person_id)).await?;
        let payers = coverage::payers(conn).await?;
        let services: HashMap<String, String> =
            charges::services(conn).await?.into_iter().map(|s| (s.code, s.external_code)).collect();
        let lines = charges::lines_of(conn, &visit_ids).await?;
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
            let later = found.iter().any(|(o, _)| {
                o.visit_id == visit.id && o.payer_id == claim.payer_id && (o.made_at, o.id) > (claim.made_at, claim.id)
            });
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

    pub fn known(&self) -> impl Iterator<Item = &KnownClaim> {
        self.known.values()
    }

    /// The claim with its visit.
    pub fn claim(&self, number: &str) -> Option<&(Claim, Visit)> {
        self.claims.get(number)
    }

    /// The claim that a decision belongs to with the lines that it is about, or why it waits.
    pub fn belongs(
        &mut self,
        r: &core::Remittance,
        c: &core::RemittedClaim,
    ) -> Result<((Claim, Visit), Numbers), String> {
        let named = self.known.get(c.claim_number.as_str());
        let meant = named.map(|named| self.forwarded(r, named).unwrap_or_else(|| named.clone()));
        let number = meant.as_ref().map(|k| k.number.clone()).unwrap_or_default();
        self.is_to_take_back(c, &number)?;
        let numbers = belongs(r, c, meant.as_ref(), &mut self.standing)?;
        let own = self.claims.get(&number).ok_or_else(|| format!("No claim went out under the number {number}."))?;
        Ok((own.clone(), numbers))
    }

    /// The claim that the payer of the named one forwarded to this payer, which then names it by the number that it was given.
    fn forwarded(&self, r: &core::Remittance, named: &KnownClaim) -> Option<KnownClaim> {
        if named.is_of(r) {
            return None;
        }
        let visit = self.claims.get(&named.number)?.1.id;
        let of_visit = self.claims.values().filter(|(c, v)| v.id == visit && c.state != ClaimState::Void);
        let mut others = of_visit.filter_map(|(c, _)| self.known.get(&c.number));
        others.find(|k| k.is_of(r)).map(|k| k.under(named))
    }

    /// A person says that a decision is about this claim. What is decided must be open all the same.
    pub fn by_hand(&mut self, c: &core::RemittedClaim, number: &str) -> Result<((Claim, Visit), Numbers), String> {
        let known = self.known.get(number).ok_or_else(|| format!("No claim went out under the number {number}."))?;
        let numbers = known.numbers_where_they_fit(c);
        self.is_to_take_back(c, number)?;
        stands_from_now_on(c, number, &numbers, &mut self.standing)?;
        let own = self.claims.get(number).ok_or_else(|| format!("No claim went out under the number {number}."))?;
        Ok((own.clone(), numbers))
    }

    fn is_to_take_back(&self, c: &core::RemittedClaim, number: &str) -> Result<(), String> {
        if c.is_reversal() && self.known.contains_key(number) && !self.standing.iter().any(|(n, _)| n == number) {
            return Err("It takes back what was not decided here.".into());
        }
        Ok(())
    }
}

/// What of these claims is decided and not taken back, by the books.
async fn standing(conn: &mut Conn, found: &[(Claim, Visit)]) -> Stored<Standing> {
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
