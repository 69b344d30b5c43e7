//! Deposits at the bank, matched to the payers' payments. Nothing here is posted: the books hold what was paid.

use crate::rows::{Deposit, DepositExplanation, DepositPart, Remittance};
use crate::schema::{
    deposit_explanations as e, deposit_parts as p, deposits as d, open_deposits, open_payments, remittances as r,
};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::deposits::{COMES_WITHIN_DAYS, OpenDeposit as Wanted, OpenPayment, by_itself, share};

use std::collections::{BTreeMap, HashMap};
use uuid::Uuid;

/// So many are shown at once.
const MOST: i64 = 200;

/// A deposit with what is still to be matched of it.
pub struct OpenDeposit {
    pub deposit: Deposit,
    pub open: Cents,
}

/// A payment with what of it has not come yet.
pub struct ExpectedMoney {
    pub remittance: Remittance,
    pub open: Cents,
}

impl ExpectedMoney {
    pub fn to_match(&self) -> OpenPayment<Uuid> {
        OpenPayment {
            key: self.remittance.id,
            paid_on: self.remittance.paid_on,
            open: self.open,
            trace: self.remittance.trace.clone(),
            payer: self.remittance.payer_name.clone(),
        }
    }
}

impl OpenDeposit {
    pub fn to_match(&self) -> Wanted {
        Wanted { day: self.deposit.day, open: self.open, reference: self.deposit.reference.clone() }
    }
}

/// Deposits of which something is not matched, the oldest first.
pub async fn unmatched(conn: &mut Conn) -> Result<Vec<OpenDeposit>> {
    let rows: Vec<(Deposit, i64)> = d::table
        .inner_join(open_deposits::table.on(open_deposits::id.eq(d::id)))
        .filter(open_deposits::open_cents.ne(0))
        .order((d::day, d::id))
        .limit(MOST)
        .select((Deposit::as_select(), open_deposits::open_cents))
        .load(conn)
        .await?;
    Ok(rows.into_iter().map(|(deposit, open)| OpenDeposit { deposit, open: Cents::new(open) }).collect())
}

/// Deposits that are matched or explained to the cent, the newest first.
pub async fn matched(conn: &mut Conn) -> Result<Vec<Deposit>> {
    Ok(d::table
        .inner_join(open_deposits::table.on(open_deposits::id.eq(d::id)))
        .filter(open_deposits::open_cents.eq(0))
        .order((d::day.desc(), d::id))
        .limit(50)
        .select(Deposit::as_select())
        .load(conn)
        .await?)
}

/// Payments whose money has not come, or not whole, the oldest first. Those from before the clinic began to enter what comes to its
/// bank, and whose money may have come before, are not asked for; a clinic that enters none is asked for nothing.
pub async fn expected(conn: &mut Conn) -> Result<Vec<ExpectedMoney>> {
    let begun: Option<NaiveDate> = d::table.select(diesel::dsl::min(d::day)).first(conn).await?;
    let Some(begun) = begun else { return Ok(vec![]) };
    let rows: Vec<(Remittance, i64)> = r::table
        .inner_join(open_payments::table.on(open_payments::id.eq(r::id)))
        .filter(r::paid_on.ge(begun - chrono::Duration::days(COMES_WITHIN_DAYS)).and(open_payments::open_cents.ne(0)))
        .order((r::paid_on, r::id))
        .limit(MOST)
        .select((Remittance::as_select(), open_payments::open_cents))
        .load(conn)
        .await?;
    Ok(rows.into_iter().map(|(remittance, open)| ExpectedMoney { remittance, open: Cents::new(open) }).collect())
}

/// Payments whose money should have come by now.
pub async fn overdue(conn: &mut Conn, today: NaiveDate) -> Result<Vec<ExpectedMoney>> {
    let mut all = expected(conn).await?;
    all.retain(|m| (today - m.remittance.paid_on).num_days() > COMES_WITHIN_DAYS);
    Ok(all)
}

/// Which payments these deposits are, and what was said of them; what was taken apart left out.
pub async fn parts_of(conn: &mut Conn, deposits: &[Uuid]) -> Result<Vec<(Uuid, Remittance, Cents)>> {
    let rows: Vec<(DepositPart, Remittance)> = p::table
        .inner_join(r::table)
        .filter(p::deposit_id.eq_any(deposits))
        .order((p::at, p::id))
        .select((DepositPart::as_select(), Remittance::as_select()))
        .load(conn)
        .await?;
    let mut sums: Vec<(Uuid, Remittance, Cents)> = Vec::new();
    for (part, remittance) in rows {
        let cents = Cents::new(part.cents);
        match sums.iter_mut().find(|(of, r, _)| *of == part.deposit_id && r.id == remittance.id) {
            Some((.., sum)) => *sum += cents,
            None => sums.push((part.deposit_id, remittance, cents)),
        }
    }
    sums.retain(|(.., sum)| !sum.is_zero());
    Ok(sums)
}

pub async fn explanations_of(conn: &mut Conn, deposits: &[Uuid]) -> Result<Vec<DepositExplanation>> {
    let of = e::table.filter(e::deposit_id.eq_any(deposits)).order((e::at, e::id));
    Ok(of.select(DepositExplanation::as_select()).load(conn).await?)
}

/// On which days the money of these payments came.
pub async fn came_on(conn: &mut Conn, remittances: &[Uuid]) -> Result<HashMap<Uuid, Vec<NaiveDate>>> {
    let rows: Vec<(Uuid, NaiveDate, i64)> = p::table
        .inner_join(d::table)
        .filter(p::remittance_id.eq_any(remittances))
        .select((p::remittance_id, d::day, p::cents))
        .load(conn)
        .await?;
    let mut sums: BTreeMap<(Uuid, NaiveDate), i64> = BTreeMap::new();
    for (of, day, cents) in rows {
        *sums.entry((of, day)).or_default() += cents;
    }
    let mut out: HashMap<Uuid, Vec<NaiveDate>> = HashMap::new();
    for ((of, day), _) in sums.into_iter().filter(|(_, sum)| *sum != 0) {
        out.entry(of).or_default().push(day);
    }
    Ok(out)
}

impl Change<'_> {
    /// Two who match at one instant queue here, so that the second sees what the first has matched.
    async fn queue_for_the_bank(&mut self) -> Result<()> {
        diesel::sql_query("select pg_advisory_xact_lock(7204)").execute(self.conn()).await?;
        Ok(())
    }

    /// Puts down what came to the bank. Where it is one payment without doubt it is matched to it; says whether it was.
    pub async fn add_deposit(&mut self, day: NaiveDate, cents: Cents, reference: &str) -> Result<(Deposit, bool)> {
        self.queue_for_the_bank().await?;
        let row = Deposit {
            id: Uuid::now_v7(),
            day,
            cents: cents.get(),
            reference: reference.to_owned(),
            entered_at: self.now,
            entered_by: self.actor.name.clone(),
        };
        diesel::insert_into(d::table).values(&row).execute(self.conn()).await?;
        self.audit("entered", "deposit", row.id, None, format!("{cents} on {day}"));
        self.tell(Topic::Deposit, row.id);
        let payments: Vec<OpenPayment<Uuid>> =
            expected(self.conn()).await?.iter().map(ExpectedMoney::to_match).collect();
        let wanted = Wanted { day, open: cents, reference: row.reference.clone() };
        let sure = by_itself(&wanted, &payments);
        if let Some(remittance) = sure {
            self.put_deposit_part(row.id, remittance, cents).await?;
        }
        Ok((row, sure.is_some()))
    }

    async fn put_deposit_part(&mut self, deposit: Uuid, remittance: Uuid, cents: Cents) -> Result<()> {
        let row = DepositPart {
            id: Uuid::now_v7(),
            deposit_id: deposit,
            remittance_id: remittance,
            cents: cents.get(),
            at: self.now,
            by: self.actor.name.clone(),
        };
        diesel::insert_into(p::table).values(&row).execute(self.conn()).await?;
        self.audit("matched", "deposit", deposit, None, cents.to_string());
        self.tell(Topic::Deposit, deposit);
        self.tell(Topic::Remittance, remittance);
        Ok(())
    }

    async fn open_of_deposit(&mut self, id: Uuid) -> Result<Cents> {
        let open: Option<i64> =
            open_deposits::table.find(id).select(open_deposits::open_cents).first(self.conn()).await.optional()?;
        open.map(Cents::new).ok_or(StoreError::NotFound("deposit"))
    }

    async fn open_of_payment(&mut self, id: Uuid) -> Result<Cents> {
        let open: Option<i64> =
            open_payments::table.find(id).select(open_payments::open_cents).first(self.conn()).await.optional()?;
        open.map(Cents::new).ok_or(StoreError::NotFound("payment"))
    }

    /// Somebody says which payments a deposit is. Each gets what is open of it, in their order, as far as the deposit goes.
    pub async fn match_deposit(&mut self, id: Uuid, remittances: &[Uuid]) -> Result<()> {
        self.queue_for_the_bank().await?;
        let open = self.open_of_deposit(id).await?;
        let mut wanted: Vec<(Uuid, Cents)> = Vec::new();
        for remittance in remittances {
            if !wanted.iter().any(|(w, _)| w == remittance) {
                wanted.push((*remittance, self.open_of_payment(*remittance).await?));
            }
        }
        let parts = share(open, &wanted);
        if parts.is_empty() {
            let sentence = "Nothing of this deposit, or of these payments, is left to match.";
            return Err(StoreError::refused("nothing-left", sentence));
        }
        for (remittance, cents) in parts {
            self.put_deposit_part(id, remittance, cents).await?;
        }
        Ok(())
    }

    /// A deposit is no longer any payment, nor explained.
    pub async fn take_deposit_apart(&mut self, id: Uuid) -> Result<()> {
        self.queue_for_the_bank().await?;
        self.open_of_deposit(id).await?;
        let parts = parts_of(self.conn(), &[id]).await?;
        let said: i64 = explanations_of(self.conn(), &[id]).await?.iter().map(|e| e.cents).sum();
        if parts.is_empty() && said == 0 {
            return Err(StoreError::refused("nothing-left", "This deposit is matched to nothing."));
        }
        for (_, remittance, cents) in parts {
            self.put_deposit_part(id, remittance.id, -cents).await?;
        }
        if said != 0 {
            self.put_deposit_explanation((Some(id), None), Cents::new(-said), "taken back").await?;
        }
        Ok(())
    }

    /// What is left of a deposit is no payment of a payer: why.
    pub async fn explain_deposit(&mut self, id: Uuid, reason: &str) -> Result<()> {
        self.queue_for_the_bank().await?;
        let open = self.open_of_deposit(id).await?;
        self.put_deposit_explanation((Some(id), None), open, reason).await
    }

    /// What is left of a payment does not come: why.
    pub async fn explain_payment(&mut self, id: Uuid, reason: &str) -> Result<()> {
        self.queue_for_the_bank().await?;
        let open = self.open_of_payment(id).await?;
        self.put_deposit_explanation((None, Some(id)), open, reason).await
    }

    async fn put_deposit_explanation(
        &mut self,
        (deposit_id, remittance_id): (Option<Uuid>, Option<Uuid>),
        cents: Cents,
        reason: &str,
    ) -> Result<()> {
        if cents.is_zero() {
            return Err(StoreError::refused("nothing-left", "Nothing is left to explain."));
        }
        let row = DepositExplanation {
            id: Uuid::now_v7(),
            deposit_id,
            remittance_id,
            cents: cents.get(),
            reason: reason.to_owned(),
            at: self.now,
            by: self.actor.name.clone(),
        };
        diesel::insert_into(e::table).values(&row).execute(self.conn()).await?;
        let of = deposit_id.or(remittance_id).unwrap_or_default();
        let what = if deposit_id.is_some() { "deposit" } else { "remittance" };
        self.audit("explained", what, of, None, format!("{cents}: {reason}"));
        self.tell(Topic::Deposit, of);
        Ok(())
    }
}
