//! People in numbers, as a file brings them: who of them is here already, and adding the others in sets.

use super::{Details, finding, folded_names};
use crate::rows::{Person, Registration};
use crate::schema::{people, registrations};
use crate::{Change, Conn, Result, Topic};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::people::{Likeness, TwinFinder, TwinScore};
use std::collections::BTreeSet;
use uuid::Uuid;

/// So many are looked for one by one; for more, everybody who is here is walked past once.
const ONE_BY_ONE: usize = 50;
/// So many records are read, or rows written, at once.
const AT_ONCE: usize = 1_000;

/// Somebody who is here, as much as an import needs to know.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Known {
    pub id: Uuid,
    pub record_number: String,
    pub first_name: String,
    pub last_name: String,
    pub birth_date: Option<NaiveDate>,
}

impl From<&Person> for Known {
    fn from(p: &Person) -> Known {
        Known {
            id: p.id,
            record_number: p.record_number.clone(),
            first_name: p.first_name.clone(),
            last_name: p.last_name.clone(),
            birth_date: p.birth_date,
        }
    }
}

#[derive(Queryable)]
struct Light {
    id: Uuid,
    record_number: String,
    first_name: String,
    last_name: String,
    former_name: String,
    birth_date: Option<NaiveDate>,
    phone: Option<String>,
    address_line: String,
}

impl Light {
    fn likeness(&self) -> Likeness {
        let names = (self.first_name.as_str(), self.last_name.as_str(), self.former_name.as_str());
        finding::likeness_of(names, self.birth_date, self.phone.as_deref(), &self.address_line)
    }
}

/// Of each of these, who here is most likely the same person.
pub async fn twins_of_each(conn: &mut Conn, wanted: &[Likeness]) -> Result<Vec<Option<(Known, TwinScore)>>> {
    let mut out: Vec<Option<(Known, TwinScore)>> = Vec::with_capacity(wanted.len());
    if wanted.len() <= ONE_BY_ONE {
        for likeness in wanted {
            let twin = finding::likely_twins(conn, likeness, 1).await?.into_iter().next();
            out.push(twin.map(|(p, score)| ((&p).into(), score)));
        }
        return Ok(out);
    }
    out.resize(wanted.len(), None);
    let mut finder = TwinFinder::default();
    for (n, likeness) in wanted.iter().enumerate() {
        finder.add(likeness.clone(), n);
    }
    let mut after = Uuid::nil();
    loop {
        use people as p;
        let page: Vec<Light> = p::table
            .filter(p::merged_into.is_null().and(p::id.gt(after)))
            .order(p::id)
            .limit(AT_ONCE as i64)
            .select((
                p::id,
                p::record_number,
                p::first_name,
                p::last_name,
                p::former_name,
                p::birth_date,
                p::phone,
                p::address_line,
            ))
            .load(conn)
            .await?;
        let Some(last) = page.last() else { return Ok(out) };
        after = last.id;
        for here in page {
            for (n, score) in finder.likely(&here.likeness()) {
                let place = &mut out[*n];
                if place.as_ref().is_none_or(|(_, best)| best.score < score.score) {
                    let known = Known {
                        id: here.id,
                        record_number: here.record_number.clone(),
                        first_name: here.first_name.clone(),
                        last_name: here.last_name.clone(),
                        birth_date: here.birth_date,
                    };
                    *place = Some((known, score));
                }
            }
        }
        // Each page is work of its own for a moment; others have their turn between.
        tokio::task::yield_now().await;
    }
}

/// Teaches the search the words of names before they come in, so that nobody who registers one of the same name waits for
/// the end of an import.
pub async fn learn_words(conn: &mut Conn, people: &[Details]) -> Result<()> {
    let mut words = BTreeSet::new();
    for d in people {
        let folded = folded_names(&d.first_name, &d.middle_name, &d.last_name, &d.preferred_name, &d.former_name);
        words.extend(folded.split(' ').filter(|w| !w.is_empty()).map(str::to_owned));
    }
    let words: Vec<String> = words.into_iter().collect();
    for some in words.chunks(AT_ONCE) {
        diesel::sql_query("insert into name_words (word) select unnest($1) on conflict do nothing")
            .bind::<sql_types::Array<sql_types::Text>, _>(some)
            .execute(conn)
            .await?;
        finding::hear_new_words(conn).await?;
    }
    Ok(())
}

#[derive(QueryableByName)]
struct Numbered {
    #[diesel(sql_type = sql_types::BigInt)]
    value: i64,
}

impl Change<'_> {
    /// So many new record numbers; what is only tried uses none up.
    async fn record_numbers(&mut self, count: usize) -> Result<Vec<String>> {
        if self.is_trial() {
            return Ok((0..count).map(|_| format!("trial {}", Uuid::now_v7())).collect());
        }
        let count = i64::try_from(count).unwrap_or(i64::MAX);
        let next: Vec<Numbered> =
            diesel::sql_query("select nextval('record_numbers') as value from generate_series(1, $1)")
                .bind::<sql_types::BigInt, _>(count)
                .load(self.conn())
                .await?;
        Ok(next.into_iter().map(|n| format!("IH-{}", n.value)).collect())
    }

    pub async fn add_person(&mut self, d: &Details, more: Registration) -> Result<Person> {
        let added = self.add_people(vec![(d.clone(), more)]).await?;
        added.into_iter().next().ok_or(crate::StoreError::NotFound("person"))
    }

    /// Adds people, in the order given.
    pub async fn add_people(&mut self, new: Vec<(Details, Registration)>) -> Result<Vec<Person>> {
        let numbers = self.record_numbers(new.len()).await?;
        let now = self.now;
        let (rows, registered): (Vec<Person>, Vec<Registration>) = new
            .into_iter()
            .zip(numbers)
            .map(|((d, more), number)| {
                let row = row(d, number, now);
                let registration = Registration { person_id: row.id, restricted: false, ..more };
                (row, registration)
            })
            .unzip();
        for (rows, registered) in rows.chunks(AT_ONCE).zip(registered.chunks(AT_ONCE)) {
            diesel::insert_into(people::table).values(rows).execute(self.conn()).await?;
            diesel::insert_into(registrations::table).values(registered).execute(self.conn()).await?;
        }
        finding::hear_new_words(self.conn()).await?;
        for row in &rows {
            self.audit("added", "person", row.id, Some(row.id), row.record_number.clone());
            self.tell(Topic::Person, row.id);
        }
        Ok(rows)
    }
}

fn row(d: Details, record_number: String, now: chrono::DateTime<chrono::Utc>) -> Person {
    let folded = folded_names(&d.first_name, &d.middle_name, &d.last_name, &d.preferred_name, &d.former_name);
    Person {
        id: Uuid::now_v7(),
        record_number,
        first_name: d.first_name,
        last_name: d.last_name,
        middle_name: d.middle_name,
        preferred_name: d.preferred_name,
        former_name: d.former_name,
        birth_date: d.birth_date,
        sex: d.sex,
        phone: d.phone,
        other_phone: d.other_phone,
        email: d.email,
        email_declined: d.email_declined,
        address_line: d.address_line,
        address_line2: d.address_line2,
        city: d.city,
        state: d.state,
        postal_code: d.postal_code,
        language: d.language,
        responsible_id: d.responsible_id,
        usual_clinician_id: d.usual_clinician_id,
        chart_alert: d.chart_alert,
        billing_note: d.billing_note,
        deceased_on: d.deceased_on,
        folded,
        patient: d.patient,
        merged_into: None,
        version: 1,
        created_at: now,
    }
}
