//! People: adding, changing, and (in [`finding`]) finding them.

pub mod addresses;
pub mod finding;
pub mod household;
pub mod imports;
pub mod many;
pub mod merging;
pub mod messages;
pub mod registration;
pub mod whose;

use crate::rows::{Person, Registration};
use crate::schema::people;
use crate::{Change, Conn, Result, StoreError, Topic, codes};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::people::fold;
use std::collections::HashMap;
use uuid::Uuid;

/// All names of a person, folded, as the search reads them.
pub fn folded_names(first: &str, middle: &str, last: &str, preferred: &str, former: &str) -> String {
    fold(&[first, middle, last, preferred, former].join(" "))
}

/// Keeps others from changing what hangs on a person until the change ends.
pub(crate) async fn lock(conn: &mut Conn, id: Uuid) -> Result<()> {
    people::table.find(id).for_update().select(people::id).first::<Uuid>(conn).await?;
    Ok(())
}

pub async fn get(conn: &mut Conn, id: Uuid) -> Result<Person> {
    people::table
        .find(id)
        .select(Person::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("person"))
}

/// Whoever has these record numbers, and is not merged into somebody else.
pub async fn by_record_numbers(conn: &mut Conn, numbers: &[String]) -> Result<Vec<Person>> {
    let standing = people::record_number.eq_any(numbers).and(people::merged_into.is_null());
    Ok(people::table.filter(standing).select(Person::as_select()).load(conn).await?)
}

pub async fn many(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<Person>> {
    Ok(people::table.filter(people::id.eq_any(ids)).select(Person::as_select()).load(conn).await?)
}

pub async fn by_id(conn: &mut Conn, ids: impl Iterator<Item = Uuid>) -> Result<HashMap<Uuid, Person>> {
    Ok(many(conn, &ids.collect::<Vec<_>>()).await?.into_iter().map(|p| (p.id, p)).collect())
}

/// What a form may set on a person; every field is checked before it comes here.
#[derive(Debug, Clone, PartialEq, Default, AsChangeset)]
#[diesel(table_name = people, treat_none_as_null = true)]
pub struct Details {
    pub first_name: String,
    pub last_name: String,
    pub middle_name: String,
    pub preferred_name: String,
    pub former_name: String,
    pub birth_date: Option<NaiveDate>,
    pub sex: Option<codes::Sex>,
    pub phone: Option<String>,
    pub other_phone: Option<String>,
    pub email: Option<String>,
    pub email_declined: bool,
    pub address_line: String,
    pub address_line2: String,
    pub city: String,
    pub state: String,
    pub postal_code: String,
    pub language: String,
    pub responsible_id: Option<Uuid>,
    pub usual_clinician_id: Option<Uuid>,
    pub chart_alert: String,
    pub billing_note: String,
    pub deceased_on: Option<NaiveDate>,
    /// False for somebody who only answers for a patient, or holds a policy.
    pub patient: bool,
}

#[derive(QueryableByName)]
struct Next {
    #[diesel(sql_type = sql_types::BigInt)]
    value: i64,
}

/// The next number of a sequence.
pub(crate) async fn next(conn: &mut Conn, sequence: &'static str) -> Result<i64> {
    let next: Next = diesel::sql_query(format!("select nextval('{sequence}') as value")).get_result(conn).await?;
    Ok(next.value)
}

/// So long a record of just the same names and birth date is taken for the same registration sent by two hands.
const A_MOMENT: chrono::Duration = chrono::Duration::minutes(2);

impl Change<'_> {
    /// Waits for whoever registers somebody of these names, and gives the record that they just made, with who made
    /// it.
    pub async fn registered_just_now(&mut self, d: &Details) -> Result<Option<(Person, String)>> {
        let folded = folded_names(&d.first_name, &d.middle_name, &d.last_name, &d.preferred_name, &d.former_name);
        diesel::sql_query("select pg_advisory_xact_lock(7501, hashtext($1))")
            .bind::<sql_types::Text, _>(&folded)
            .execute(self.conn())
            .await?;
        let since = self.now - A_MOMENT;
        let found: Option<Person> = people::table
            .filter(people::folded.eq(&folded).and(people::birth_date.is_not_distinct_from(d.birth_date)))
            .filter(people::created_at.ge(since).and(people::merged_into.is_null()))
            .select(Person::as_select())
            .first(self.conn())
            .await
            .optional()?;
        let Some(row) = found else { return Ok(None) };
        let by = crate::audit::of_person(self.conn(), row.id, 50).await?;
        let by = by.into_iter().find(|a| a.action == "added").map(|a| a.staff_name).unwrap_or_default();
        Ok(Some((row, by)))
    }

    /// Saves details over the version that the form was filled from.
    pub async fn save_person(
        &mut self,
        id: Uuid,
        version: i32,
        d: &Details,
        more: Registration,
        today: NaiveDate,
    ) -> Result<Person> {
        if let Some(party) = d.responsible_id {
            self.refuse_wrong_party(id, party, today).await?;
        }
        let folded = folded_names(&d.first_name, &d.middle_name, &d.last_name, &d.preferred_name, &d.former_name);
        let saved = diesel::update(people::table.filter(people::id.eq(id).and(people::version.eq(version))))
            .set((d, people::folded.eq(folded), people::version.eq(version + 1)))
            .returning(Person::as_returning())
            .get_result(self.conn())
            .await
            .optional()?;
        match saved {
            Some(row) => {
                finding::hear_new_words(self.conn()).await?;
                // Setting and lifting a restriction is an act of its own.
                let restricted = registration::of(self.conn(), id).await?.restricted;
                self.keep_registration(Registration { person_id: id, restricted, ..more }).await?;
                if let Some(day) = row.deceased_on {
                    self.end_coverage_at_death(id, day).await?;
                }
                self.audit("changed", "person", id, Some(id), "details");
                self.tell(Topic::Person, id);
                Ok(row)
            }
            None => {
                let current = get(self.conn(), id).await?;
                Err(StoreError::Stale { current: serde_json::to_value(current).unwrap_or_default() })
            }
        }
    }
}
