//! Policies and balances of people who are known here by their record number.

use super::{Lines, Outcome, ToAdd, add_policies, cannot_hold, policy_of, said};
use crate::problem::Problem;
use crate::state::State;
use harbor_core::fields::typed_date::Sense;
use harbor_core::fields::{Faults, typed_date};
use harbor_core::money::Cents;
use harbor_core::schedule::day_bounds;
use harbor_formats::incoming::IncomingPerson;
use harbor_store::money::carried_over::CarriedOver;
use harbor_store::people::imports::Brought;
use harbor_store::rows::{Payer, Person};
use harbor_store::{Change, Conn, coverage, people as store};
use std::collections::HashMap;
use std::collections::hash_map::Entry;
use uuid::Uuid;

/// Those of some lines who are here, by their record number.
async fn by_number(conn: &mut Conn, rows: &[IncomingPerson]) -> Result<HashMap<String, Person>, Problem> {
    let numbers: Vec<String> = rows.iter().filter_map(|row| row.fields.get("recordNumber").cloned()).collect();
    let here = store::by_record_numbers(conn, &numbers).await?;
    Ok(here.into_iter().map(|p| (p.record_number.clone(), p)).collect())
}

fn number(row: &IncomingPerson) -> &str {
    row.fields.get("recordNumber").map_or("", String::as_str)
}

fn nobody(number: &str) -> Outcome {
    Outcome::Refused(format!("Nobody here has the record number {number}."))
}

pub(super) struct Policies<'a> {
    pub(super) state: &'a State,
    pub(super) payers: Vec<Payer>,
}

impl Policies<'_> {
    /// The policy of a line, or why it is none.
    fn judged(&self, row: &IncomingPerson, person: &Person) -> Result<Result<coverage::Policy, String>, Problem> {
        let Some(p) = row.policies.first() else {
            return Ok(Err("The line has neither a payer nor a subscriber number.".into()));
        };
        let policy = policy_of(p, &self.payers, None, self.state)?;
        let name = format!("{} {}", person.first_name, person.last_name);
        Ok(policy.and_then(|policy| match cannot_hold(&self.payers, &policy, &name, person.birth_date) {
            Some(why) => Err(why),
            None => Ok(policy),
        }))
    }
}

impl Lines for Policies<'_> {
    async fn take_in(
        &mut self,
        change: &mut Change<'_>,
        rows: &[IncomingPerson],
    ) -> Result<(Vec<Outcome>, Brought), Problem> {
        let here = by_number(change.conn(), rows).await?;
        let ids: Vec<Uuid> = here.values().map(|p| p.id).collect();
        let held = coverage::of_people(change.conn(), &ids).await?;
        let key = |person: Uuid, payer: Uuid, number: &str| (person, payer, number.to_owned());
        // With the line that brings it; nothing: it was here before.
        let mut on_file: HashMap<_, Option<usize>> =
            held.iter().map(|c| (key(c.person_id, c.payer_id, &c.subscriber_number), None)).collect();
        let mut again: Vec<(usize, usize)> = vec![];
        let (mut outcomes, mut wanted): (Vec<Outcome>, Vec<ToAdd>) = (vec![], vec![]);
        for row in rows {
            let outcome = match here.get(number(row)) {
                None => nobody(number(row)),
                Some(person) => match self.judged(row, person)? {
                    Err(why) => Outcome::Refused(why),
                    Ok(policy) => match on_file.entry(key(person.id, policy.payer_id, &policy.subscriber_number)) {
                        Entry::Occupied(known) => {
                            again.extend(known.get().map(|first| (outcomes.len(), first)));
                            Outcome::Twin("This policy is on file.".into())
                        }
                        Entry::Vacant(open) => {
                            open.insert(Some(outcomes.len()));
                            wanted.push(ToAdd { person: person.id, policy, outcome: outcomes.len() });
                            Outcome::Added(format!("{} {} gets a policy.", person.first_name, person.last_name))
                        }
                    },
                },
            };
            outcomes.push(outcome);
        }
        let (came, refused) = add_policies(change, &wanted).await?;
        for (n, why) in refused {
            // What says the same once more fares the same.
            for (line, _) in again.iter().filter(|(_, first)| *first == n) {
                outcomes[*line] = Outcome::Refused(why.clone());
            }
            outcomes[n] = Outcome::Refused(why);
        }
        let policies = came.into_iter().map(|(_, id)| id).collect();
        Ok((outcomes, Brought { policies, ..Brought::default() }))
    }
}

pub(super) struct Balances<'a> {
    pub(super) state: &'a State,
}

impl Balances<'_> {
    /// What a line carries over: owed when above zero, a credit below it; or why it is nothing.
    fn judged(&self, row: &IncomingPerson, person: &Person) -> Result<CarriedOver, String> {
        let text = |field: &str| row.fields.get(field).cloned().unwrap_or_default();
        let today = self.state.today();
        let amount = Cents::parse(&text("amount")).map_err(|e| e.to_string())?;
        if amount.is_zero() {
            return Err("Nothing is owed.".into());
        }
        let since = match text("since") {
            typed if typed.is_empty() => today,
            typed => typed_date::parse(&typed, today, Sense::Any).map_err(|e| e.to_string())?,
        };
        if since > today {
            return Err("It is owed since a day to come.".into());
        }
        let mut faults = Faults::default();
        let note = faults.optional_line("note", "Note", &text("note"), 120);
        if !faults.0.is_empty() {
            return Err(said(faults));
        }
        Ok(CarriedOver {
            key: format!("{}:{since}:{amount}", person.record_number),
            person: person.id,
            amount,
            since: day_bounds(self.state.zone, since).0,
            memo: if note.is_empty() { "carried over".to_owned() } else { note },
        })
    }
}

impl Lines for Balances<'_> {
    async fn take_in(
        &mut self,
        change: &mut Change<'_>,
        rows: &[IncomingPerson],
    ) -> Result<(Vec<Outcome>, Brought), Problem> {
        let here = by_number(change.conn(), rows).await?;
        let (mut outcomes, mut wanted, mut lines): (Vec<Outcome>, Vec<CarriedOver>, Vec<usize>) =
            (vec![], vec![], vec![]);
        for row in rows {
            let outcome = match here.get(number(row)) {
                None => nobody(number(row)),
                Some(person) => match self.judged(row, person) {
                    Err(why) => Outcome::Refused(why),
                    Ok(balance) => {
                        let what = if balance.amount.is_negative() { "has to their credit" } else { "owes" };
                        let amount = balance.amount.max(-balance.amount);
                        lines.push(outcomes.len());
                        wanted.push(balance);
                        Outcome::Added(format!("{} {} {what} {amount}.", person.first_name, person.last_name))
                    }
                },
            };
            outcomes.push(outcome);
        }
        let mut balances = vec![];
        for (n, posted) in lines.into_iter().zip(change.carry_over_all(&wanted).await?) {
            match posted {
                Some(id) => balances.push(id),
                None => outcomes[n] = Outcome::Twin("This balance came in before.".into()),
            }
        }
        Ok((outcomes, Brought { balances, ..Brought::default() }))
    }
}
