//! What people owe and have to their credit, derived from the entries each time it is asked for.

use crate::schema::{ledger_entries, ledger_transactions, visits};
use crate::{Conn, Result, codes};
use chrono::{DateTime, NaiveDate, Utc};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::ages::{AgeBounds, Ages, ages};
use harbor_core::money::collect::owed_together;
use harbor_core::money::ledger::{Account, Balances, Entry};
use std::collections::{BTreeMap, HashMap};
use uuid::Uuid;

/// An entry with its day, of a visit or of none.
#[derive(Debug, Clone)]
struct Dated {
    visit: Option<Uuid>,
    at: DateTime<Utc>,
    entry: Entry,
    /// Of what a payer owes: which one.
    payer: Option<Uuid>,
}

/// Everything that was posted for a person.
#[derive(Debug, Clone, Default)]
pub struct PersonAccount {
    entries: Vec<Dated>,
    /// Entries of this person's credit, also those that paid for others of the household.
    credit: Vec<Cents>,
}

impl PersonAccount {
    /// The account as it stood at a moment, what was posted then included.
    pub fn as_of(&self, at: DateTime<Utc>) -> PersonAccount {
        let entries = self.entries.iter().filter(|d| d.at <= at).cloned().collect();
        PersonAccount { entries, credit: self.credit.clone() }
    }

    /// What the clinic holds for the person.
    pub fn credit(&self) -> Cents {
        -self.credit.iter().copied().sum::<Cents>()
    }

    /// What is owed from before this ledger.
    pub fn carried(&self) -> Cents {
        self.patient(None).map(|d| d.entry.amount).sum()
    }

    /// Since when there is a balance from before.
    pub fn carried_since(&self) -> Option<DateTime<Utc>> {
        self.patient(None).map(|d| d.at).min()
    }

    /// What the patient owes over all, or besides one visit.
    pub fn owed(&self, besides: Option<Uuid>) -> Cents {
        let others = self.visits().into_iter().filter(|(visit, _)| Some(*visit) != besides);
        owed_together(others.map(|(_, b)| b.patient_owes).chain([self.carried()]))
    }

    fn patient(&self, visit: Option<Uuid>) -> impl Iterator<Item = &Dated> {
        self.entries.iter().filter(move |d| d.visit == visit && d.entry.account == Account::Patient)
    }

    /// The balances of the visits.
    pub fn visits(&self) -> BTreeMap<Uuid, Balances> {
        let mut by_visit: BTreeMap<Uuid, Vec<&Entry>> = BTreeMap::new();
        for d in &self.entries {
            if let Some(visit) = d.visit {
                by_visit.entry(visit).or_default().push(&d.entry);
            }
        }
        by_visit.into_iter().map(|(visit, entries)| (visit, Balances::of(entries))).collect()
    }

    /// The payers that owe something for a visit, each with how old it is.
    pub fn payers(&self, visit: Uuid, (today, zone): (NaiveDate, Tz), bounds: &AgeBounds) -> Vec<(Option<Uuid>, Ages)> {
        let own = self.entries.iter().filter(|d| d.visit == Some(visit) && d.entry.account == Account::Payer);
        let mut of_payers: BTreeMap<Option<Uuid>, Vec<(NaiveDate, Cents)>> = BTreeMap::new();
        for d in own {
            of_payers.entry(d.payer).or_default().push((d.at.with_timezone(&zone).date_naive(), d.entry.amount));
        }
        let aged = of_payers.into_iter().map(|(payer, dated)| (payer, ages(&dated, today, bounds)));
        aged.filter(|(_, ages)| !ages.total().is_zero()).collect()
    }

    /// How old what one account is owed for a visit is; without a visit, what was carried over.
    pub fn ages(
        &self,
        visit: Option<Uuid>,
        account: Account,
        (today, zone): (NaiveDate, Tz),
        bounds: &AgeBounds,
    ) -> Ages {
        let own = self.entries.iter().filter(|d| d.visit == visit && d.entry.account == account);
        let dated: Vec<_> = own.map(|d| (d.at.with_timezone(&zone).date_naive(), d.entry.amount)).collect();
        ages(&dated, today, bounds)
    }
}

#[derive(QueryableByName)]
struct Record {
    #[diesel(sql_type = sql_types::Uuid)]
    record: Uuid,
    #[diesel(sql_type = sql_types::Uuid)]
    person: Uuid,
}

/// The records that stand for people: their own, and those merged into it.
pub async fn records_of(conn: &mut Conn, persons: &[Uuid]) -> Result<Vec<(Uuid, Uuid)>> {
    let found: Vec<Record> = diesel::sql_query(
        "with recursive r (record, person) as (
             select id, id from people where id = any($1)
             union select p.id, r.person from people p join r on p.merged_into = r.record)
         select record, person from r",
    )
    .bind::<sql_types::Array<sql_types::Uuid>, _>(persons)
    .load(conn)
    .await?;
    Ok(found.into_iter().map(|r| (r.record, r.person)).collect())
}

/// The accounts of several people at once.
pub async fn of_people(conn: &mut Conn, persons: &[Uuid]) -> Result<HashMap<Uuid, PersonAccount>> {
    use {ledger_entries as e, ledger_transactions as t};
    // Visits follow a merged record; transactions without a visit never change and are found by the old one.
    let records: HashMap<Uuid, Uuid> = records_of(conn, persons).await?.into_iter().collect();
    let ids: Vec<Uuid> = records.keys().copied().collect();
    let owners: HashMap<Uuid, Uuid> = visits::table
        .filter(visits::person_id.eq_any(persons))
        .select((visits::id, visits::person_id))
        .load::<(Uuid, Uuid)>(conn)
        .await?
        .into_iter()
        .collect();
    let of_visits: Vec<Uuid> = owners.keys().copied().collect();
    type Row = (Option<Uuid>, Option<Uuid>, DateTime<Utc>, codes::Account, i64, Option<Uuid>);
    let rows: Vec<Row> = t::table
        .inner_join(e::table.on(e::transaction_id.eq(t::id)))
        .filter(
            t::visit_id
                .eq_any(&of_visits)
                .or(t::person_id.eq_any(&ids).and(t::visit_id.is_null().or(e::account.eq(Account::Unapplied.code())))),
        )
        .order(e::id)
        .select((t::visit_id, t::person_id, t::posted_at, e::account, e::cents, e::payer_id))
        .load(conn)
        .await?;
    let mut out: HashMap<Uuid, PersonAccount> = persons.iter().map(|p| (*p, PersonAccount::default())).collect();
    for (visit, person, at, account, cents, owes) in rows {
        let entry = Entry { account: *account, amount: Cents::new(cents), line: None, memo: String::new() };
        let record = person.and_then(|p| records.get(&p));
        if account == Account::Unapplied
            && let Some(one) = record.and_then(|p| out.get_mut(p))
        {
            one.credit.push(entry.amount);
        }
        let owner = match visit {
            Some(visit) => owners.get(&visit),
            None => record,
        };
        if let Some(one) = owner.and_then(|o| out.get_mut(o)) {
            one.entries.push(Dated { visit, at, entry, payer: owes });
        }
    }
    Ok(out)
}

pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<PersonAccount> {
    Ok(of_people(conn, &[person]).await?.remove(&person).unwrap_or_default())
}
