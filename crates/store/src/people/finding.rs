//! Finding people among any number of them.
//!
//! Names are made of few different words (`name_words`), however many people there are. What was typed
//! is first turned into the words it may mean there: whole, as a beginning, spelt or sounding alike.
//! People are then found by whole words in one inverted index, which also holds birth years and dates.

use crate::rows::Person;
use crate::schema::{coverages, name_words, people};
use crate::{Conn, Result};
use chrono::NaiveDate;
use diesel::pg::Pg;
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::people::{
    Findable, Fit, Likeness, SearchTerms, TWIN_THRESHOLD, TwinScore, fit, fold, sounds, twin_score,
};
use std::cmp::Reverse;
use uuid::Uuid;

/// So many are looked at before the best are chosen; more than that, and the search must say more.
const CANDIDATES: i64 = 100;
/// So many words of names are tried for one typed word.
const MEANINGS: i32 = 300;

/// Tells the database how words sound that it has not heard yet.
pub async fn hear_new_words(conn: &mut Conn) -> Result<()> {
    use name_words as w;
    let new: Vec<String> = w::table.filter(w::sounds.is_null()).select(w::word).load(conn).await?;
    if new.is_empty() {
        return Ok(());
    }
    let heard: Vec<String> = new.iter().map(|word| sounds(word).into_iter().next().unwrap_or_default()).collect();
    diesel::sql_query(
        "update name_words w set sounds = array_remove(array[n.sound], '')
         from unnest($1, $2) as n(word, sound) where n.word = w.word",
    )
    .bind::<sql_types::Array<sql_types::Text>, _>(new)
    .bind::<sql_types::Array<sql_types::Text>, _>(heard)
    .execute(conn)
    .await?;
    Ok(())
}

#[derive(QueryableByName)]
struct Meaning {
    #[diesel(sql_type = sql_types::Integer)]
    n: i32,
    #[diesel(sql_type = sql_types::Text)]
    word: String,
}

/// The words of names that each typed word may be the beginning of.
async fn beginnings(conn: &mut Conn, typed: &[String]) -> Result<Vec<Vec<String>>> {
    let found: Vec<Meaning> = diesel::sql_query(
        "select t.n::integer as n, m.word from unnest($1) with ordinality as t(typed, n), lateral (
             select word from name_words where word >= t.typed collate \"C\" and word < (t.typed || chr(1114111)) collate \"C\"
             order by word limit $2) m",
    )
    .bind::<sql_types::Array<sql_types::Text>, _>(typed)
    .bind::<sql_types::Integer, _>(MEANINGS)
    .load(conn)
    .await?;
    Ok(by_word(typed.len(), found))
}

/// The words of names that are spelt or sound like each typed word, the nearest first.
async fn alike(conn: &mut Conn, typed: &[String]) -> Result<Vec<Vec<String>>> {
    let heard: Vec<String> = typed.iter().map(|word| sounds(word).into_iter().next().unwrap_or_default()).collect();
    let found: Vec<Meaning> = diesel::sql_query(
        "select t.n::integer as n, m.word from unnest($1, $2) with ordinality as t(typed, sound, n), lateral (
             select word from name_words
             where (word collate \"default\") % t.typed or (t.sound <> '' and sounds && array[t.sound])
             order by similarity(word, t.typed) desc, word limit 60) m",
    )
    .bind::<sql_types::Array<sql_types::Text>, _>(typed)
    .bind::<sql_types::Array<sql_types::Text>, _>(heard)
    .load(conn)
    .await?;
    Ok(by_word(typed.len(), found))
}

fn by_word(count: usize, found: Vec<Meaning>) -> Vec<Vec<String>> {
    let mut meanings = vec![Vec::new(); count];
    for m in found {
        if let Some(list) = usize::try_from(m.n - 1).ok().and_then(|n| meanings.get_mut(n)) {
            list.push(m.word);
        }
    }
    meanings
}

fn year_word(year: i32) -> String {
    format!("year {year}")
}

fn date_word(date: NaiveDate) -> String {
    let start = NaiveDate::from_ymd_opt(2000, 1, 1).unwrap_or(date);
    format!("date {}", (date - start).num_days())
}

/// Finds people, best first, with the reasons why each was found.
pub async fn search(conn: &mut Conn, terms: &SearchTerms, limit: usize) -> Result<Vec<(Person, Fit)>> {
    if terms.is_empty() {
        return Ok(vec![]);
    }
    let mut rows = Vec::new();
    let add = |rows: &mut Vec<Person>, more: Vec<Person>| {
        for p in more {
            if !rows.iter().any(|r| r.id == p.id) {
                rows.push(p);
            }
        }
    };
    if terms.words.is_empty() {
        add(&mut rows, candidates(conn, terms, &[]).await?);
    } else {
        // Whole names first, so that no crowd of longer names keeps them out.
        let whole: Vec<Vec<String>> = terms.words.iter().map(|w| vec![w.clone()]).collect();
        add(&mut rows, candidates(conn, terms, &whole).await?);
        if (rows.len() as i64) < CANDIDATES {
            let meanings = beginnings(conn, &terms.words).await?;
            if meanings != whole {
                add(&mut rows, candidates(conn, terms, &meanings).await?);
            }
            if rows.len() < limit.min(5) {
                let mut either = alike(conn, &terms.words).await?;
                either.iter_mut().zip(meanings).for_each(|(a, b)| a.extend(b));
                add(&mut rows, candidates(conn, terms, &either).await?);
            }
        }
    }
    ranked(conn, terms, rows, limit).await
}

/// People that have, for each typed word, one of its meanings among their names, and fit the rest.
async fn candidates(conn: &mut Conn, terms: &SearchTerms, meanings: &[Vec<String>]) -> Result<Vec<Person>> {
    if meanings.iter().any(Vec::is_empty) {
        return Ok(vec![]);
    }
    let mut query = people::table.select(Person::as_select()).into_boxed::<Pg>();
    for words in meanings {
        query = query.filter(people::find_words.overlaps_with(words.clone()));
    }
    if let Some(date) = terms.birth_date {
        query = query.filter(people::find_words.contains(vec![date_word(date)]));
    }
    if let Some(year) = terms.birth_year {
        query = query.filter(people::find_words.contains(vec![year_word(year)]));
    }
    if let Some(record) = &terms.record_number {
        query = query.filter(people::record_number.eq(record.clone()));
    }
    if let Some(digits) = &terms.digits {
        query = query.filter(people::id.eq_any(by_digits(conn, digits).await?));
    }
    Ok(query.limit(CANDIDATES).load(conn).await?)
}

#[derive(QueryableByName)]
struct Found {
    #[diesel(sql_type = sql_types::Uuid)]
    id: Uuid,
}

/// People by the beginning or the end of a telephone number, the record number or a subscriber number.
async fn by_digits(conn: &mut Conn, digits: &str) -> Result<Vec<Uuid>> {
    let from_start = format!("{digits}%");
    let from_end: String = digits.chars().rev().chain(['%']).collect();
    let found: Vec<Found> = diesel::sql_query(
        "(select id from people where phone like $1 limit 100) union
         (select id from people where reverse(phone) like $2 limit 100) union
         (select id from people where other_phone like $1 limit 100) union
         (select id from people where reverse(other_phone) like $2 limit 100) union
         select id from people where record_number = 'IH-' || $3 union
         select person_id from coverages where subscriber_number = $3",
    )
    .bind::<sql_types::Text, _>(from_start)
    .bind::<sql_types::Text, _>(from_end)
    .bind::<sql_types::Text, _>(digits)
    .load(conn)
    .await?;
    Ok(found.into_iter().map(|f| f.id).collect())
}

async fn ranked(conn: &mut Conn, terms: &SearchTerms, rows: Vec<Person>, limit: usize) -> Result<Vec<(Person, Fit)>> {
    let ids: Vec<Uuid> = rows.iter().map(|p| p.id).collect();
    let policies: Vec<(Uuid, String)> = match terms.digits {
        None => vec![],
        Some(_) => {
            coverages::table
                .filter(coverages::person_id.eq_any(ids))
                .select((coverages::person_id, coverages::subscriber_number))
                .load(conn)
                .await?
        }
    };
    let mut found: Vec<(Person, Fit)> = rows
        .into_iter()
        .filter_map(|p| {
            let findable = Findable {
                subscriber_numbers: policies.iter().filter(|(id, _)| *id == p.id).map(|(_, n)| n.as_str()).collect(),
                ..findable(&p)
            };
            fit(terms, &findable).map(|f| (p, f))
        })
        .collect();
    let order = |p: &Person| (fold(&p.last_name), fold(&p.first_name), p.birth_date, p.id);
    found.sort_by_cached_key(|(p, f)| (f.distance, order(p)));
    found.truncate(limit);
    Ok(found)
}

fn findable(p: &Person) -> Findable<'_> {
    Findable {
        first: &p.first_name,
        middle: &p.middle_name,
        last: &p.last_name,
        preferred: &p.preferred_name,
        former: &p.former_name,
        birth_date: p.birth_date,
        phones: p.phone.iter().chain(&p.other_phone).map(String::as_str).collect(),
        record_number: &p.record_number,
        subscriber_numbers: vec![],
    }
}

/// Records that are likely the same person, best first, with the reasons.
pub async fn likely_twins(conn: &mut Conn, wanted: &Likeness, limit: usize) -> Result<Vec<(Person, TwinScore)>> {
    let words = |name: &str| fold(name).split(' ').filter(|w| !w.is_empty()).map(str::to_owned).collect::<Vec<_>>();
    let (first, last) = (words(&wanted.first), words(&wanted.last));
    let all: Vec<String> = first.iter().chain(&last).cloned().collect();
    let near = alike(conn, &all).await?;
    let either = |range: &[Vec<String>], own: &[String]| [range.concat(), own.to_vec()].concat();
    let near_first = either(&near[..first.len()], &first);
    let near_last = either(&near[first.len()..], &last);
    let any = [near_first.clone(), near_last.clone()].concat();
    let persons = || people::table.select(Person::as_select()).into_boxed::<Pg>().limit(CANDIDATES);
    let mut rows: Vec<Person> = persons()
        .filter(people::find_words.overlaps_with(near_first))
        .filter(people::find_words.overlaps_with(near_last))
        .load(conn)
        .await?;
    if let Some(date) = wanted.birth_date {
        // Both names may have changed or been swapped about; then the birth date must be the same.
        let same_day = persons()
            .filter(people::find_words.contains(vec![date_word(date)]))
            .filter(people::find_words.overlaps_with(any.clone()));
        rows.extend(same_day.load(conn).await?);
    }
    if let Some(phone) = &wanted.phone {
        let same_phone = persons().filter(people::phone.eq(phone)).filter(people::find_words.overlaps_with(any));
        rows.extend(same_phone.load(conn).await?);
    }
    rows.sort_by_key(|p| p.id);
    rows.dedup_by_key(|p| p.id);
    let mut scored: Vec<(Person, TwinScore)> = rows
        .into_iter()
        .map(|p| {
            let score = twin_score(wanted, &likeness(&p));
            (p, score)
        })
        .filter(|(_, s)| s.score >= TWIN_THRESHOLD)
        .collect();
    scored.sort_by_key(|(p, s)| (Reverse(s.score), p.id));
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
