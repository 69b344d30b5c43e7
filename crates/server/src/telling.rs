//! Telling patients of their new times: who is told, by which way, in which words.

use crate::api::money::payments::receipt_of;
use crate::problem::Problem;
use crate::state::State;
use chrono::{DateTime, Utc};
use harbor_core::money::Cents;
use harbor_core::people::called;
use harbor_core::people::messages::{
    Channel, Facts, Purpose, Way, Words, about_new_time, about_no_time, about_other_clinician, about_receipt, way_to,
};
use harbor_store::house::staff;
use harbor_store::people::messages as store;
use harbor_store::rows::{Message, Payment, Person, Visit};
use harbor_store::visit_line::visits;
use harbor_store::{Change, Conn, people};
use std::collections::HashMap;
use uuid::Uuid;

/// Who is told of what, and how each is reached.
pub struct Telling {
    people: HashMap<Uuid, Person>,
    ways: HashMap<Uuid, Option<Way>>,
    sites: HashMap<Uuid, String>,
    staff: HashMap<Uuid, String>,
}

impl Telling {
    /// Everything needed to tell the people of some visits.
    pub async fn load(conn: &mut Conn, state: &State, about: &[Visit]) -> Result<Telling, Problem> {
        let people = people::by_id(conn, about.iter().map(|v| v.person_id)).await?;
        let rows: Vec<Person> = people.values().cloned().collect();
        let reachable = store::reachable(conn, &rows).await?;
        let ways = rows.iter().zip(&reachable).map(|(p, r)| {
            // What falls out soonest decides how fast somebody must know.
            let first = about.iter().filter(|v| v.person_id == p.id).map(|v| v.day).min().unwrap_or(state.today());
            (p.id, way_to(r, (first - state.today()).num_days()))
        });
        Ok(Telling {
            ways: ways.collect(),
            people,
            sites: staff::sites(conn).await?.into_iter().map(|s| (s.id, s.name)).collect(),
            staff: staff::all(conn).await?.into_iter().map(|s| (s.id, s.name)).collect(),
        })
    }

    pub fn way(&self, person: Uuid) -> Option<&Way> {
        self.ways.get(&person).and_then(Option::as_ref)
    }

    /// Writes the message about a visit that had the time `before`; without `after` there is no new time.
    pub async fn tell(
        &self,
        change: &mut Change<'_>,
        state: &State,
        before: &Visit,
        after: Option<&Visit>,
    ) -> Result<Option<Message>, Problem> {
        let was = before.starts_at;
        match after {
            Some(after) => {
                let words = |f: &Facts, now: DateTime<Utc>| about_new_time(f, was, now);
                self.write(change, state, after, Purpose::Rebooked, words).await
            }
            None => self.write(change, state, before, Purpose::NoTime, about_no_time).await,
        }
    }

    /// Writes a message about a visit; `words` are made of the facts and the time of it.
    async fn write(
        &self,
        change: &mut Change<'_>,
        state: &State,
        about: &Visit,
        purpose: Purpose,
        words: impl Fn(&Facts, DateTime<Utc>) -> Words,
    ) -> Result<Option<Message>, Problem> {
        let (Some(person), Some(way)) = (self.people.get(&about.person_id), self.way(about.person_id)) else {
            return Ok(None);
        };
        let (nobody, telephone) = (String::new(), crate::papers::telephone(&state.clinic.telephone));
        let facts = Facts {
            name: called(&person.first_name, &person.preferred_name),
            clinic: &state.clinic.name,
            telephone: &telephone,
            clinician: self.staff.get(&about.clinician_id).unwrap_or(&nobody),
            site: self.sites.get(&about.site_id).unwrap_or(&nobody),
            zone: state.zone,
        };
        let words = words(&facts, about.starts_at);
        Ok(Some(change.add_message(person.id, Some(about.id), purpose, way, words).await?))
    }
}

/// Takes a rebooking plan, visit by visit into its slot, and tells everybody in it when that is wanted. The one
/// who calls makes it true, or drops it whole.
pub async fn take_plan(
    change: &mut Change<'_>,
    state: &State,
    lines: &[(Uuid, Uuid)],
    tell: bool,
) -> Result<Vec<Message>, Problem> {
    let ids: Vec<Uuid> = lines.iter().map(|(visit, _)| *visit).collect();
    let before = visits::many(change.conn(), &ids).await?;
    let moved = change.accept_plan(lines, state.zone).await?;
    let mut told = Vec::new();
    if tell {
        let about: Vec<Visit> = before.values().cloned().collect();
        let telling = Telling::load(change.conn(), state, &about).await?;
        for new in &moved {
            let Some(old) = before.get(&new.id) else { continue };
            told.extend(telling.tell(change, state, old, Some(new)).await?);
        }
    }
    Ok(told)
}

/// Tells those who were handed over to another clinician whom they will see.
pub async fn tell_handed_over(change: &mut Change<'_>, state: &State, ids: &[Uuid]) -> Result<Vec<Message>, Problem> {
    let mut about: Vec<Visit> = visits::many(change.conn(), ids).await?.into_values().collect();
    about.sort_by_key(|v| (v.starts_at, v.id));
    let telling = Telling::load(change.conn(), state, &about).await?;
    let mut told = Vec::new();
    for visit in &about {
        told.extend(telling.write(change, state, visit, Purpose::HandedOver, about_other_clinician).await?);
    }
    Ok(told)
}

/// Tells those of the rebooking list among some visits that there is no new time.
pub async fn tell_no_time(change: &mut Change<'_>, state: &State, ids: &[Uuid]) -> Result<Vec<Message>, Problem> {
    let mut about: Vec<Visit> = visits::many(change.conn(), ids).await?.into_values().collect();
    about.retain(|v| v.rebook);
    about.sort_by_key(|v| (v.starts_at, v.id));
    let telling = Telling::load(change.conn(), state, &about).await?;
    let mut told = Vec::new();
    for visit in &about {
        told.extend(telling.tell(change, state, visit, None).await?);
    }
    Ok(told)
}

/// Sends a receipt to the one who paid, when they agreed to messages.
pub async fn send_receipt(
    change: &mut Change<'_>,
    state: &State,
    payment: &Payment,
    again: bool,
) -> Result<Message, Problem> {
    let payer = people::get(change.conn(), payment.person_id).await?;
    let reachable = store::reachable(change.conn(), std::slice::from_ref(&payer)).await?;
    let way = reachable.first().and_then(|r| way_to(r, 0));
    let Some(way) = way.filter(|w| matches!(w.channel, Channel::Text | Channel::Email)) else {
        let said = format!("{} {} did not agree to messages; print the receipt.", payer.first_name, payer.last_name);
        return Err(Problem::refused("message", said));
    };
    let receipt = receipt_of(change.conn(), state, payment).await?;
    let (nobody, telephone) = (String::new(), crate::papers::telephone(&state.clinic.telephone));
    let facts = Facts {
        name: called(&payer.first_name, &payer.preferred_name),
        clinic: &state.clinic.name,
        telephone: &telephone,
        clinician: &nobody,
        site: &nobody,
        zone: state.zone,
    };
    let (paid, left) = (Cents::new(payment.cents), Cents::new(receipt.left_cents));
    let words = about_receipt(&facts, &receipt.receipt_number, paid, payment.at, left);
    if let Some(before) = store::told_before(change.conn(), payer.id, Purpose::Receipt, &words.subject).await?
        && !again
    {
        let when = before.made_at.with_timezone(&state.zone).format("%b %-d at %H:%M");
        let said = format!("This receipt was sent to {} on {when}. Send it once more?", before.reach);
        return Err(Problem::refused("sent-before", said));
    }
    Ok(change.add_message(payer.id, None, Purpose::Receipt, &way, words).await?)
}
