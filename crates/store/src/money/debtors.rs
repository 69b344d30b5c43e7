//! Who owes: which payer what payers owe, and who answers for what patients owe.
//!
//! What a visit is owed for has one guarantor from its first entry on, whoever answers for the patient later: a debt does not
//! change hands by itself.

use super::ledger::About;
use crate::schema::{claims, ledger_entries as e, ledger_transactions as t, people};
use crate::{Conn, Result};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::ledger::{Account, Transaction};
use std::collections::HashMap;
use uuid::Uuid;

/// The debtors of what is posted together.
#[derive(Debug, Default)]
pub(super) struct Debtors {
    payers: HashMap<Uuid, Uuid>,
    of_visits: HashMap<Uuid, Uuid>,
    of_people: HashMap<Uuid, Uuid>,
}

impl Debtors {
    pub async fn of_all(conn: &mut Conn, all: &[(&About, &Transaction)]) -> Result<Debtors> {
        let with = |account: Account| {
            let has = move |transaction: &Transaction| transaction.entries().iter().any(|e| e.account == account);
            all.iter().filter(move |(_, transaction)| has(transaction)).map(|(about, _)| *about)
        };
        let mut found = Debtors::default();
        let billed: Vec<Uuid> = with(Account::Payer).filter_map(|about| about.claim).collect();
        if !billed.is_empty() {
            let rows = claims::table.filter(claims::id.eq_any(billed)).select((claims::id, claims::payer_id));
            found.payers = rows.load::<(Uuid, Uuid)>(conn).await?.into_iter().collect();
        }
        let visits: Vec<Uuid> = with(Account::Patient).filter_map(|about| about.visit).collect();
        let entries =
            || e::table.inner_join(t::table.on(t::id.eq(e::transaction_id))).filter(e::guarantor_id.is_not_null());
        if !visits.is_empty() {
            let rows: Vec<(Option<Uuid>, Option<Uuid>)> = entries()
                .filter(t::visit_id.eq_any(visits))
                .order((t::visit_id, e::id))
                .distinct_on(t::visit_id)
                .select((t::visit_id, e::guarantor_id))
                .load(conn)
                .await?;
            found.of_visits = rows.into_iter().filter_map(|(visit, who)| Some((visit?, who?))).collect();
        }
        let persons: Vec<Uuid> = with(Account::Patient).filter_map(|about| about.person).collect();
        if !persons.is_empty() {
            let rows: Vec<(Uuid, Option<Uuid>)> = people::table
                .filter(people::id.eq_any(&persons))
                .select((people::id, people::responsible_id))
                .load(conn)
                .await?;
            found.of_people = rows.into_iter().map(|(id, who)| (id, who.unwrap_or(id))).collect();
            let carried: Vec<(Option<Uuid>, Option<Uuid>)> = entries()
                .filter(t::visit_id.is_null().and(t::person_id.eq_any(persons)))
                .order((t::person_id, e::id))
                .distinct_on(t::person_id)
                .select((t::person_id, e::guarantor_id))
                .load(conn)
                .await?;
            // What is owed from before has its own, which a visit need not have.
            let bare = |person: &Uuid| with(Account::Patient).any(|a| a.visit.is_none() && a.person == Some(*person));
            let carried = carried.into_iter().filter_map(|(person, who)| Some((person?, who?)));
            found.of_people.extend(carried.filter(|(person, _)| bare(person)));
        }
        Ok(found)
    }

    /// The payer, and the guarantor.
    pub fn of(&self, about: &About) -> (Option<Uuid>, Option<Uuid>) {
        let payer = about.claim.and_then(|claim| self.payers.get(&claim)).copied();
        let of_visit = about.visit.and_then(|visit| self.of_visits.get(&visit));
        let of_person = || about.person.and_then(|person| self.of_people.get(&person));
        (payer, of_visit.or_else(of_person).copied())
    }
}
