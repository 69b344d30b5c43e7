//! States of a person that checks depend on: each word is kept, the latest counts.

use crate::rows::PersonStateRow;
use crate::schema::person_states;
use crate::{Change, Conn, Result, Topic};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::prescribing::person_states::{PersonState, StateSaid};
use uuid::Uuid;

/// The words about a person's states, newest first.
pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<PersonStateRow>> {
    use person_states as s;
    Ok(s::table
        .filter(s::person_id.eq(person))
        .order((s::recorded_at.desc(), s::id.desc()))
        .limit(100)
        .select(PersonStateRow::as_select())
        .load(conn)
        .await?)
}

impl PersonStateRow {
    pub fn said(&self) -> StateSaid {
        StateSaid { state: *self.state, holds: self.holds, due: self.due, said_on: self.said_on }
    }
}

impl Change<'_> {
    pub async fn say_state(
        &mut self,
        person: Uuid,
        state: PersonState,
        holds: bool,
        due: Option<NaiveDate>,
        today: NaiveDate,
    ) -> Result<PersonStateRow> {
        let row = PersonStateRow {
            id: Uuid::now_v7(),
            person_id: person,
            state: state.into(),
            holds,
            due,
            said_on: today,
            recorded_at: self.now,
            recorded_by: self.actor.name.clone(),
        };
        diesel::insert_into(person_states::table).values(&row).execute(self.conn()).await?;
        let word = if holds { state.code().to_owned() } else { format!("not {}", state.code()) };
        self.audit("said", "person", person, Some(person), word);
        self.tell(Topic::Person, person);
        Ok(row)
    }
}
