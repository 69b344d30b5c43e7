//! The ledger as it lies in the database: append-only, each transaction summing to zero.

use super::debtors::Debtors;
use super::months;
use crate::codes::Code;
use crate::rows::LedgerTransaction;
use crate::schema::{ledger_entries, ledger_transactions};
use crate::{Change, Conn, Result, StoreError, Topic, codes};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::ledger::{Account, Balances, Entry, Posting, Transaction};
use harbor_core::visit_line::Mark;
use std::collections::HashMap;
use uuid::Uuid;

/// What a transaction is about.
#[derive(Debug, Clone)]
pub struct About {
    pub kind: Posting,
    pub visit: Option<Uuid>,
    pub person: Option<Uuid>,
    pub claim: Option<Uuid>,
    pub remittance: Option<Uuid>,
    pub payment: Option<Uuid>,
    /// Since when it counts; left out: now.
    pub since: Option<chrono::DateTime<chrono::Utc>>,
    /// The same key posts once, whatever happens to the line between.
    pub key: String,
    pub memo: String,
}

impl About {
    /// A transaction of this kind, under this key, about nothing yet.
    pub fn new(kind: Posting, key: impl Into<String>, memo: impl Into<String>) -> About {
        About {
            kind,
            visit: None,
            person: None,
            claim: None,
            remittance: None,
            payment: None,
            since: None,
            key: key.into(),
            memo: memo.into(),
        }
    }
}

fn entry(account: codes::Account, cents: i64, line: Option<i32>, memo: String) -> Entry {
    Entry { account: *account, amount: Cents::new(cents), line: line.and_then(|l| u32::try_from(l).ok()), memo }
}

/// The balances of visits, from all their entries.
pub async fn balances(conn: &mut Conn, visits: &[Uuid]) -> Result<HashMap<Uuid, Balances>> {
    let rows: Vec<(Option<Uuid>, codes::Account, i64)> = ledger_entries::table
        .inner_join(ledger_transactions::table.on(ledger_transactions::id.eq(ledger_entries::transaction_id)))
        .filter(ledger_transactions::visit_id.eq_any(visits))
        .select((ledger_transactions::visit_id, ledger_entries::account, ledger_entries::cents))
        .load(conn)
        .await?;
    let mut entries: HashMap<Uuid, Vec<Entry>> = HashMap::new();
    for (visit, account, cents) in rows {
        if let Some(visit) = visit {
            entries.entry(visit).or_default().push(entry(account, cents, None, String::new()));
        }
    }
    Ok(entries.into_iter().map(|(visit, e)| (visit, Balances::of(&e))).collect())
}

pub async fn balance(conn: &mut Conn, visit: Uuid) -> Result<Balances> {
    Ok(balances(conn, &[visit]).await?.remove(&visit).unwrap_or_default())
}

/// What of a visit is open against a payer.
pub async fn open_at_payer(conn: &mut Conn, visit: Uuid, payer: Uuid) -> Result<Cents> {
    use ledger_entries as e;
    let cents: Vec<i64> = e::table
        .inner_join(ledger_transactions::table.on(ledger_transactions::id.eq(e::transaction_id)))
        .filter(ledger_transactions::visit_id.eq(visit))
        .filter(e::account.eq(Code(Account::Payer)).and(e::payer_id.eq(payer)))
        .select(e::cents)
        .load(conn)
        .await?;
    Ok(cents.into_iter().map(Cents::new).sum())
}

/// The transactions of a visit, oldest first, with their entries.
pub async fn history(conn: &mut Conn, visit: Uuid) -> Result<Vec<(LedgerTransaction, Vec<Entry>)>> {
    let transactions: Vec<LedgerTransaction> = ledger_transactions::table
        .filter(ledger_transactions::visit_id.eq(visit))
        .order((ledger_transactions::posted_at, ledger_transactions::id))
        .select(LedgerTransaction::as_select())
        .load(conn)
        .await?;
    with_entries(conn, transactions).await
}

/// Transactions with their entries, in the order given.
pub(crate) async fn as_posted(
    conn: &mut Conn,
    transactions: Vec<LedgerTransaction>,
) -> Result<Vec<(LedgerTransaction, Transaction)>> {
    let read = with_entries(conn, transactions).await?.into_iter().map(|(row, entries)| {
        let whole = Transaction::new(entries).map_err(|e| StoreError::refused("ledger", e.to_string()))?;
        Ok((row, whole))
    });
    read.collect()
}

async fn with_entries(
    conn: &mut Conn,
    transactions: Vec<LedgerTransaction>,
) -> Result<Vec<(LedgerTransaction, Vec<Entry>)>> {
    use ledger_entries as e;
    let ids: Vec<Uuid> = transactions.iter().map(|t| t.id).collect();
    let rows: Vec<(Uuid, codes::Account, i64, Option<i32>, String)> = e::table
        .filter(e::transaction_id.eq_any(ids))
        .order(e::id)
        .select((e::transaction_id, e::account, e::cents, e::line, e::memo))
        .load(conn)
        .await?;
    let mut of: HashMap<Uuid, Vec<Entry>> = HashMap::new();
    for (transaction, account, cents, line, memo) in rows {
        of.entry(transaction).or_default().push(entry(account, cents, line, memo));
    }
    let own = |t: LedgerTransaction| {
        let entries = of.remove(&t.id).unwrap_or_default();
        (t, entries)
    };
    Ok(transactions.into_iter().map(own).collect())
}

/// Whether a key has been posted already.
pub async fn is_posted(conn: &mut Conn, key: &str) -> Result<bool> {
    let there = ledger_transactions::table.filter(ledger_transactions::idempotency_key.eq(key)).count();
    Ok(there.get_result::<i64>(conn).await? > 0)
}

/// The transactions of a payment, with their entries.
pub async fn of_payment(conn: &mut Conn, payment: Uuid) -> Result<Vec<(LedgerTransaction, Vec<Entry>)>> {
    let transactions: Vec<LedgerTransaction> = ledger_transactions::table
        .filter(ledger_transactions::payment_id.eq(payment))
        .order(ledger_transactions::id)
        .select(LedgerTransaction::as_select())
        .load(conn)
        .await?;
    with_entries(conn, transactions).await
}

impl Change<'_> {
    /// Posts a transaction; a key that was posted before is refused by the database.
    pub async fn post(&mut self, about: &About, transaction: &Transaction) -> Result<Uuid> {
        let posted = self.post_all(std::slice::from_ref(&(about, transaction))).await?;
        posted.into_iter().next().ok_or(StoreError::NotFound("transaction"))
    }

    /// Posts transactions, in the order given.
    pub async fn post_all(&mut self, all: &[(&About, &Transaction)]) -> Result<Vec<Uuid>> {
        use ledger_entries as e;
        // What counts since a closed month lands in the open one.
        let dated = all.iter().any(|(about, _)| about.since.is_some());
        let open = if dated { months::open_since(self.conn()).await? } else { None };
        let since = |about: &About| about.since.map(|at| open.map_or(at, |open| at.max(open)));
        let row = |about: &About| LedgerTransaction {
            id: Uuid::now_v7(),
            kind: about.kind.into(),
            visit_id: about.visit,
            person_id: about.person,
            claim_id: about.claim,
            remittance_id: about.remittance,
            payment_id: about.payment,
            idempotency_key: about.key.clone(),
            posted_at: since(about).unwrap_or(self.now),
            posted_by: self.actor.name.clone(),
            memo: about.memo.clone(),
        };
        let rows: Vec<LedgerTransaction> = all.iter().map(|(about, _)| row(about)).collect();
        let debtors = Debtors::of_all(self.conn(), all).await?;
        diesel::insert_into(ledger_transactions::table).values(&rows).execute(self.conn()).await?;
        let entry = |(row, (about, transaction)): (&LedgerTransaction, &(&About, &Transaction))| {
            let id = row.id;
            let (payer, guarantor) = debtors.of(about);
            let values = move |x: &Entry| {
                (
                    e::transaction_id.eq(id),
                    e::account.eq(Code(x.account)),
                    e::cents.eq(x.amount.get()),
                    e::line.eq(x.line.and_then(|l| i32::try_from(l).ok())),
                    e::memo.eq(x.memo.clone()),
                    e::payer_id.eq(payer.filter(|_| x.account == Account::Payer)),
                    e::guarantor_id.eq(guarantor.filter(|_| x.account == Account::Patient)),
                )
            };
            transaction.entries().iter().map(values).collect::<Vec<_>>()
        };
        let entries: Vec<_> = rows.iter().zip(all).flat_map(entry).collect();
        diesel::insert_into(e::table).values(entries).execute(self.conn()).await?;
        for (row, (about, _)) in rows.iter().zip(all) {
            self.audit("posted", "ledger", row.id, about.person, format!("{} {}", about.kind, about.memo));
            if let Some(visit) = about.visit {
                self.settle_if_done(visit).await?;
                self.tell(Topic::Visit, visit);
            }
        }
        Ok(rows.into_iter().map(|row| row.id).collect())
    }

    /// A visit is settled from the moment on when nothing is left; a later entry may open it again.
    async fn settle_if_done(&mut self, visit: Uuid) -> Result<()> {
        use crate::schema::visits as v;
        let settled = balance(self.conn(), visit).await?.is_settled();
        let changed = diesel::update(v::table.filter(v::id.eq(visit).and(v::settled.ne(settled))))
            .set(v::settled.eq(settled))
            .execute(self.conn())
            .await?;
        match (changed, settled) {
            (0, _) => {}
            (_, true) => self.reach_now(visit, Mark::Settled).await?,
            (_, false) => self.take_back(visit, Mark::Settled).await?,
        }
        Ok(())
    }
}
