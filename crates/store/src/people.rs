//! People: finding, adding, changing.

use crate::rows::Person;
use crate::schema::people;
use crate::{Change, Conn, Result, StoreError};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::people::{Likeness, SearchTerms, TWIN_THRESHOLD, TwinScore, fold, sounds, twin_score};
use uuid::Uuid;

#[derive(QueryableByName)]
struct Found {
    #[diesel(sql_type = sql_types::Uuid)]
    id: Uuid,
}

/// All names of a person, folded, each word with a blank before it so that beginnings can be found.
pub fn folded_names(first: &str, middle: &str, last: &str, preferred: &str, former: &str) -> (String, Vec<String>) {
    let all = [first, middle, last, preferred, former].join(" ");
    (format!(" {}", fold(&all)), sounds(&all))
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

pub async fn many(conn: &mut Conn, ids: &[Uuid]) -> Result<Vec<Person>> {
    Ok(people::table.filter(people::id.eq_any(ids)).select(Person::as_select()).load(conn).await?)
}

/// Finds people: beginnings of names in any order first, then names that are spelt or sound alike.
pub async fn search(conn: &mut Conn, terms: &SearchTerms, limit: i64) -> Result<Vec<Person>> {
    if terms.is_empty() {
        return Ok(vec![]);
    }
    let mut ids = find(conn, terms, limit, false).await?;
    if (ids.len() as i64) < limit.min(5) && !terms.words.is_empty() {
        for id in find(conn, terms, limit, true).await? {
            if !ids.contains(&id) {
                ids.push(id);
            }
        }
    }
    ids.truncate(usize::try_from(limit).unwrap_or(0));
    let mut rows = many(conn, &ids).await?;
    rows.sort_by_key(|p| ids.iter().position(|id| *id == p.id));
    Ok(rows)
}

async fn find(conn: &mut Conn, terms: &SearchTerms, limit: i64, alike: bool) -> Result<Vec<Uuid>> {
    let mut text = String::from("select id from people where true");
    let mut query_words: Vec<String> = Vec::new();
    let mut n = 0;
    let mut place = || {
        n += 1;
        format!("${n}")
    };
    if alike {
        // Word similarity catches slips; the sounds catch other spellings.
        let whole = place();
        let codes = place();
        text.push_str(&format!(" and ({whole} <% folded or sounds @> {codes})"));
        query_words.push(terms.words.join(" "));
    } else {
        for word in &terms.words {
            text.push_str(&format!(" and folded like {}", place()));
            query_words.push(format!("% {}%", word.replace(['%', '_', '\\'], "")));
        }
    }
    if let Some(date) = terms.birth_date {
        text.push_str(&format!(" and birth_date = '{date}'"));
    }
    if let Some(year) = terms.birth_year {
        text.push_str(&format!(" and birth_date between '{year}-01-01' and '{year}-12-31'"));
    }
    let digits = terms.digits.as_ref().map(|d| {
        let p = place();
        text.push_str(&format!(
            " and (phone like '%' || {p} || '%' or record_number like '%' || {p}
               or exists (select 1 from coverages c where c.person_id = people.id and c.subscriber_number = {p}))"
        ));
        d.clone()
    });
    let record = terms.record_number.as_ref().map(|r| {
        text.push_str(&format!(" and record_number = {}", place()));
        r.clone()
    });
    if alike {
        text.push_str(" order by word_similarity($1, folded) desc, id");
    } else {
        text.push_str(" order by last_name, first_name, birth_date");
    }
    text.push_str(&format!(" limit {limit}"));
    let mut query = diesel::sql_query(text).into_boxed::<diesel::pg::Pg>();
    for (i, word) in query_words.iter().enumerate() {
        query = query.bind::<sql_types::Text, _>(word.clone());
        if alike && i == 0 {
            query = query.bind::<sql_types::Array<sql_types::Text>, _>(sounds(&terms.words.join(" ")));
        }
    }
    for value in digits.into_iter().chain(record) {
        query = query.bind::<sql_types::Text, _>(value);
    }
    Ok(query.load::<Found>(conn).await?.into_iter().map(|f| f.id).collect())
}

/// Records that are likely the same person, best first, with the reasons.
pub async fn likely_twins(conn: &mut Conn, wanted: &Likeness, limit: usize) -> Result<Vec<(Person, TwinScore)>> {
    let names = format!("{} {}", fold(&wanted.first), fold(&wanted.last));
    let candidates: Vec<Found> = diesel::sql_query(
        "select id from people where $1 <% folded or sounds @> $2 or (birth_date = $3 and folded like $4) or phone = $5 limit 60",
    )
    .bind::<sql_types::Text, _>(names.trim().to_owned())
    .bind::<sql_types::Array<sql_types::Text>, _>(sounds(&names))
    .bind::<sql_types::Nullable<sql_types::Date>, _>(wanted.birth_date)
    .bind::<sql_types::Text, _>(format!("% {}%", fold(&wanted.last).split(' ').next().unwrap_or("")))
    .bind::<sql_types::Nullable<sql_types::Text>, _>(wanted.phone.clone())
    .load(conn)
    .await?;
    let rows = many(conn, &candidates.iter().map(|f| f.id).collect::<Vec<_>>()).await?;
    let mut scored: Vec<(Person, TwinScore)> = rows
        .into_iter()
        .map(|p| {
            let score = twin_score(wanted, &likeness(&p));
            (p, score)
        })
        .filter(|(_, s)| s.score >= TWIN_THRESHOLD)
        .collect();
    scored.sort_by_key(|(_, s)| std::cmp::Reverse(s.score));
    scored.truncate(limit);
    Ok(scored)
}

fn likeness(p: &Person) -> Likeness {
    Likeness {
        first: p.first_name.clone(),
        last: p.last_name.clone(),
        other_names: vec![p.former_name.clone()].into_iter().filter(|n| !n.is_empty()).collect(),
        birth_date: p.birth_date,
        phone: p.phone.clone(),
        address: Some(fold(&p.address_line)).filter(|a| !a.is_empty()),
        subscriber_number: None,
    }
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
    pub sex: Option<String>,
    pub phone: Option<String>,
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

impl Change<'_> {
    pub async fn add_person(&mut self, d: &Details) -> Result<Person> {
        let number = next(self.conn(), "record_numbers").await?;
        let (folded, sounds) =
            folded_names(&d.first_name, &d.middle_name, &d.last_name, &d.preferred_name, &d.former_name);
        let row = Person {
            id: Uuid::now_v7(),
            record_number: format!("IH-{number}"),
            first_name: d.first_name.clone(),
            last_name: d.last_name.clone(),
            middle_name: d.middle_name.clone(),
            preferred_name: d.preferred_name.clone(),
            former_name: d.former_name.clone(),
            birth_date: d.birth_date,
            sex: d.sex.clone(),
            phone: d.phone.clone(),
            other_phone: None,
            email: d.email.clone(),
            email_declined: d.email_declined,
            address_line: d.address_line.clone(),
            address_line2: d.address_line2.clone(),
            city: d.city.clone(),
            state: d.state.clone(),
            postal_code: d.postal_code.clone(),
            language: d.language.clone(),
            responsible_id: d.responsible_id,
            usual_clinician_id: d.usual_clinician_id,
            chart_alert: d.chart_alert.clone(),
            billing_note: d.billing_note.clone(),
            privacy_notice_at: None,
            self_pay_told_at: None,
            self_pay_told_by: None,
            deceased_on: None,
            folded,
            sounds,
            version: 1,
            created_at: self.now,
        };
        diesel::insert_into(people::table).values(&row).execute(self.conn()).await?;
        self.audit("added", "person", row.id, Some(row.id), row.record_number.clone());
        self.tell("person", row.id);
        Ok(row)
    }

    /// Saves details over the version that the form was filled from.
    pub async fn save_person(&mut self, id: Uuid, version: i32, d: &Details) -> Result<Person> {
        let (folded, sounds) =
            folded_names(&d.first_name, &d.middle_name, &d.last_name, &d.preferred_name, &d.former_name);
        let saved = diesel::update(people::table.filter(people::id.eq(id).and(people::version.eq(version))))
            .set((d, people::folded.eq(folded), people::sounds.eq(sounds), people::version.eq(version + 1)))
            .returning(Person::as_returning())
            .get_result(self.conn())
            .await
            .optional()?;
        match saved {
            Some(row) => {
                self.audit("changed", "person", id, Some(id), "details");
                self.tell("person", id);
                Ok(row)
            }
            None => {
                let current = get(self.conn(), id).await?;
                Err(StoreError::Stale { current: serde_json::to_value(current).unwrap_or_default() })
            }
        }
    }

    /// Records that the privacy notice was given.
    pub async fn give_privacy_notice(&mut self, id: Uuid) -> Result<()> {
        let now = self.now;
        diesel::update(people::table.find(id)).set(people::privacy_notice_at.eq(now)).execute(self.conn()).await?;
        self.audit("gave privacy notice", "person", id, Some(id), "");
        self.tell("person", id);
        Ok(())
    }

    /// Records that the person was told that payment is due at the visit.
    pub async fn record_self_pay(&mut self, id: Uuid) -> Result<()> {
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::update(people::table.find(id))
            .set((people::self_pay_told_at.eq(now), people::self_pay_told_by.eq(by)))
            .execute(self.conn())
            .await?;
        self.audit("told that payment is due at the visit", "person", id, Some(id), "self-pay");
        self.tell("person", id);
        Ok(())
    }
}
