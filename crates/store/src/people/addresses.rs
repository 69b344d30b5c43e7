//! What the address service said of the addresses on file.

use crate::rows::Person;
use crate::schema::address_checks;
use crate::{Change, Conn, Result, Topic};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;

/// The address in one line, as it was asked about.
fn one_line(p: &Person) -> String {
    [&p.address_line, &p.city, &p.state, &p.postal_code].map(|text| text.trim()).join(", ")
}

/// Whether the service knows the address that a person has now, and since when; nothing when nobody asked about it.
pub async fn check_of(conn: &mut Conn, person: &Person) -> Result<Option<(bool, DateTime<Utc>)>> {
    use address_checks as a;
    Ok(a::table
        .filter(a::person_id.eq(person.id).and(a::address.eq(one_line(person))))
        .select((a::known, a::at))
        .first(conn)
        .await
        .optional()?)
}

impl Change<'_> {
    /// Keeps what the service says of the address on file.
    pub async fn keep_address_check(&mut self, person: &Person, known: bool) -> Result<()> {
        use address_checks as a;
        let now = self.now;
        let values = (a::address.eq(one_line(person)), a::known.eq(known), a::at.eq(now));
        diesel::insert_into(a::table)
            .values((a::person_id.eq(person.id), values.clone()))
            .on_conflict(a::person_id)
            .do_update()
            .set(values)
            .execute(self.conn())
            .await?;
        let said = if known { "the service knows it" } else { "the service does not know it" };
        self.audit("checked address", "person", person.id, Some(person.id), said);
        self.tell(Topic::Person, person.id);
        Ok(())
    }
}
