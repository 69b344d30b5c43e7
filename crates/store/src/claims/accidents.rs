//! Accidents as they are kept with the person, and what a claim tells of a visit besides its lines.

use crate::rows::{Accident, Visit, VisitBilling};
use crate::schema::{accidents, visit_billing};
use crate::{Change, Conn, Result, Topic};
use chrono::{DateTime, NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::assembling::AccidentCause;
use harbor_core::consult::diagnoses::Pair;
use uuid::Uuid;

/// The accidents of these people, the newest first.
pub async fn of_people(conn: &mut Conn, people: &[Uuid]) -> Result<Vec<Accident>> {
    use accidents as a;
    Ok(a::table
        .filter(a::person_id.eq_any(people))
        .order((a::happened_on.desc(), a::told_at.desc()))
        .select(Accident::as_select())
        .load(conn)
        .await?)
}

/// The accident that a visit is for: of its person, on the day that the visit names.
pub fn of_visit<'a>(all: &'a [Accident], visit: &Visit) -> Option<&'a Accident> {
    all.iter().find(|a| a.person_id == visit.person_id && Some(a.happened_on) == visit.accident_date)
}

/// Whether a visit is for an accident at work, as far as it is on record.
pub fn is_at_work(all: &[Accident], visit: &Visit) -> bool {
    of_visit(all, visit).is_some_and(|a| a.cause == AccidentCause::Work)
}

/// What is said of visits for their claims.
pub async fn billing(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<VisitBilling>> {
    use visit_billing as b;
    Ok(b::table.filter(b::visit_id.eq_any(visits)).select(VisitBilling::as_select()).load(conn).await?)
}

impl VisitBilling {
    /// Before anybody said anything.
    pub fn nothing(visit: Uuid, now: DateTime<Utc>) -> VisitBilling {
        VisitBilling {
            visit_id: visit,
            onset: None,
            last_seen: None,
            unrelated: vec![],
            said_at: now,
            said_by: String::new(),
            referral_id: None,
        }
    }
}

/// An accident as somebody tells it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ToldAccident {
    pub happened_on: NaiveDate,
    pub cause: AccidentCause,
    pub state: String,
    pub number: String,
    pub employer: String,
    pub employer_line: String,
    pub employer_city: String,
    pub employer_state: String,
    pub employer_postal_code: String,
}

impl Change<'_> {
    /// Keeps an accident with the person, or what is told anew of the one of that day.
    pub async fn tell_accident(&mut self, person: Uuid, told: ToldAccident) -> Result<()> {
        use accidents as a;
        let known: Vec<Accident> = of_people(self.conn(), &[person]).await?;
        let id = known.iter().find(|k| k.happened_on == told.happened_on).map_or_else(Uuid::now_v7, |k| k.id);
        let row = Accident {
            id,
            person_id: person,
            happened_on: told.happened_on,
            cause: told.cause.into(),
            state: told.state,
            number: told.number,
            employer: told.employer,
            employer_line: told.employer_line,
            employer_city: told.employer_city,
            employer_state: told.employer_state,
            employer_postal_code: told.employer_postal_code,
            told_at: self.now,
            told_by: self.actor.name.clone(),
        };
        diesel::delete(a::table.find(id)).execute(self.conn()).await?;
        diesel::insert_into(a::table).values(&row).execute(self.conn()).await?;
        self.audit("told of an accident", "person", person, Some(person), row.happened_on.to_string());
        self.tell(Topic::Person, person);
        Ok(())
    }

    /// Says of two codes of a visit that they are unrelated, or that they are not.
    pub async fn say_unrelated(&mut self, visit: &Visit, pair: &Pair, unrelated: bool) -> Result<()> {
        let known = billing(self.conn(), &[visit.id]).await?.pop();
        let mut said = known.unwrap_or_else(|| VisitBilling::nothing(visit.id, self.now));
        said.unrelated.retain(|p| *p != pair.to_string());
        if unrelated {
            said.unrelated.push(pair.to_string());
        }
        self.say_for_claim(visit, said).await
    }

    /// Keeps what is said of a visit for its claim.
    pub async fn say_for_claim(&mut self, visit: &Visit, said: VisitBilling) -> Result<()> {
        use visit_billing as b;
        let row = VisitBilling { said_at: self.now, said_by: self.actor.name.clone(), ..said };
        diesel::delete(b::table.find(visit.id)).execute(self.conn()).await?;
        diesel::insert_into(b::table).values(&row).execute(self.conn()).await?;
        self.audit("said for the claim", "visit", visit.id, Some(visit.person_id), "");
        self.tell(Topic::Visit, visit.id);
        Ok(())
    }
}
