//! Finding people among any number of them.
//!
//! One inverted index holds the words of everybody's names, their first letters, birth years and birth
//! dates. Slips and sounds are looked for among the different words that names are made of
//! (`name_words`), which are few however many people there are; people then by those words.

use crate::rows::Person;
use crate::schema::{coverages, name_words, people};
use crate::{Conn, Result};
use chrono::NaiveDate;
use diesel::dsl::sql;
use diesel::pg::Pg;
use diesel::prelude::*;
use diesel::sql_types::{self, Bool, Text};
use diesel_async::RunQueryDsl;
use harbor_core::people::{
    Findable, Fit, Likeness, SearchTerms, TWIN_THRESHOLD, TwinScore, UNLIKE, as_telephone, fit, fold, sounds,
    twin_score,
};
use std::cmp::Reverse;
use uuid::Uuid;

/// So many are looked at before the best are chosen; more than that, and the search must say more.
const CANDIDATES: i64 = 60;
/// So many first letters of each word are words of the index themselves.
const BEGINNING: usize = 4;

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
    if let Some(whole) = terms.with_letters() {
        let found = Box::pin(search(conn, &whole, limit)).await?;
        if !found.is_empty() {
            return Ok(found);
        }
    }
    let numbered = match &terms.digits {
        Some(digits) => Some(by_digits(conn, digits).await?),
        None => None,
    };
    let rest = || who_fit(terms, numbered.as_deref());
    let mut rows = begin_so(conn, terms, rest()).await?;
    let add = |rows: &mut Vec<Person>, more: Vec<Person>| {
        for p in more {
            if !rows.iter().any(|r| r.id == p.id) {
                rows.push(p);
            }
        }
    };
    if (rows.len() as i64) == CANDIDATES && !terms.words.is_empty() {
        // Whole names too, so that no crowd of longer names keeps them out.
        let whole: Vec<Vec<String>> = terms.words.iter().map(|w| vec![w.clone()]).collect();
        add(&mut rows, have_one_of_each(conn, rest(), &whole).await?);
    }
    let dated = terms.birth_date.is_some() || terms.birth_year.is_some();
    if !terms.words.is_empty() && (rows.is_empty() || (rows.len() < limit.min(5) && !dated)) {
        let mut near = alike(conn, &terms.words).await?;
        // One word may be begun right and the other misspelt.
        near.iter_mut().zip(&terms.words).for_each(|(near, word)| near.push(beginning(word)));
        add(&mut rows, have_one_of_each(conn, rest(), &near).await?);
    }
    let found = ranked(conn, terms, rows, limit).await?;
    kept_ones(conn, found).await
}

/// Whoever was found under a record that was merged stands there as the record that stayed, and says so.
async fn kept_ones(conn: &mut Conn, found: Vec<(Person, Fit)>) -> Result<Vec<(Person, Fit)>> {
    let kept = super::by_id(conn, found.iter().filter_map(|(p, _)| p.merged_into)).await?;
    let mut out: Vec<(Person, Fit)> = Vec::with_capacity(found.len());
    for (person, mut fit) in found {
        let person = match person.merged_into {
            None => person,
            Some(into) => {
                fit.why.push(format!(
                    "known there as {} {}, {}",
                    person.first_name, person.last_name, person.record_number
                ));
                match kept.get(&into) {
                    Some(kept) => kept.clone(),
                    None => continue,
                }
            }
        };
        if !out.iter().any(|(p, _)| p.id == person.id) {
            out.push((person, fit));
        }
    }
    Ok(out)
}

/// The word of the index for the first letters of a typed word.
fn beginning(word: &str) -> String {
    format!("^{}", word.chars().take(BEGINNING).collect::<String>())
}

type Asked = people::BoxedQuery<'static, Pg>;

/// People of whose names one begins with each typed word, and who fit the rest.
async fn begin_so(conn: &mut Conn, terms: &SearchTerms, mut query: Asked) -> Result<Vec<Person>> {
    if !terms.words.is_empty() {
        query = query.filter(people::find_words.contains(terms.words.iter().map(|w| beginning(w)).collect::<Vec<_>>()));
    }
    for word in terms.words.iter().filter(|w| w.chars().count() > BEGINNING) {
        // Folded words hold letters and digits alone.
        query = query.filter(sql::<Bool>("' ' || folded like ").bind::<Text, _>(format!("% {word}%")));
    }
    Ok(query.select(Person::as_select()).limit(CANDIDATES).load(conn).await?)
}

/// People that have one word of each list in the index, and fit the rest.
async fn have_one_of_each(conn: &mut Conn, mut query: Asked, lists: &[Vec<String>]) -> Result<Vec<Person>> {
    for words in lists {
        query = query.filter(people::find_words.overlaps_with(words.clone()));
    }
    Ok(query.select(Person::as_select()).limit(CANDIDATES).load(conn).await?)
}

/// What the search says besides names.
fn who_fit(terms: &SearchTerms, numbered: Option<&[Uuid]>) -> Asked {
    let mut query = people::table.into_boxed::<Pg>();
    let year = terms.birth_year.map(year_word);
    let dates: Vec<String> = terms.birth_date.map(date_word).into_iter().chain(year).collect();
    if !dates.is_empty() {
        query = query.filter(people::find_words.contains(dates));
    }
    if let Some(record) = &terms.record_number {
        query = query.filter(people::record_number.eq(record.clone()));
    }
    if let Some(ids) = numbered {
        query = query.filter(people::id.eq_any(ids.to_vec()));
    }
    query
}

#[derive(QueryableByName)]
struct Found {
    #[diesel(sql_type = sql_types::Uuid)]
    id: Uuid,
}

/// People by the beginning or the end of a telephone number, the record number or a subscriber number.
async fn by_digits(conn: &mut Conn, digits: &str) -> Result<Vec<Uuid>> {
    let telephone = as_telephone(digits);
    let from_start = format!("{telephone}%");
    let from_end: String = telephone.chars().rev().chain(['%']).collect();
    let found: Vec<Found> = diesel::sql_query(
        "(select id from people where phone like $1 limit 100) union
         (select id from people where reverse(phone) like $2 limit 100) union
         (select id from people where other_phone like $1 limit 100) union
         (select id from people where reverse(other_phone) like $2 limit 100) union
         select id from people where record_number = 'IH-' || $3 union
         select person_id from coverages where replace(subscriber_number, '-', '') = $3",
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

/// Records whose names are near to these, also by sound and slips; or near in part, with the birth date or the telephone.
pub async fn near(conn: &mut Conn, wanted: &Likeness) -> Result<Vec<Person>> {
    let words = |name: &str| fold(name).split(' ').filter(|w| !w.is_empty()).map(str::to_owned).collect::<Vec<_>>();
    let (first, last) = (words(&wanted.first), words(&wanted.last));
    let all: Vec<String> = first.iter().chain(&last).cloned().collect();
    let near = alike(conn, &all).await?;
    let either = |range: &[Vec<String>], own: &[String]| [range.concat(), own.to_vec()].concat();
    let near_first = either(&near[..first.len()], &first);
    let near_last = either(&near[first.len()..], &last);
    let any = [near_first.clone(), near_last.clone()].concat();
    let persons = || {
        let standing = people::table.filter(people::merged_into.is_null());
        standing.select(Person::as_select()).into_boxed::<Pg>().limit(CANDIDATES)
    };
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
    Ok(rows)
}

/// Records that are likely the same person, best first, with the reasons.
pub async fn likely_twins(conn: &mut Conn, wanted: &Likeness, limit: usize) -> Result<Vec<(Person, TwinScore)>> {
    let mut scored: Vec<(Person, TwinScore)> = near(conn, wanted)
        .await?
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

/// Whether nothing speaks for two records being one person.
pub async fn are_unlike(conn: &mut Conn, one: Uuid, other: Uuid) -> Result<bool> {
    let (one, other) = (super::get(conn, one).await?, super::get(conn, other).await?);
    Ok(twin_score(&likeness(&one), &likeness(&other)).score < UNLIKE)
}

pub fn likeness(p: &Person) -> Likeness {
    likeness_of((&p.first_name, &p.last_name, &p.former_name), p.birth_date, p.phone.as_deref(), &p.address_line)
}

/// What twins are known by, of a record with first, last and former name.
pub(super) fn likeness_of(
    (first, last, former): (&str, &str, &str),
    birth_date: Option<NaiveDate>,
    phone: Option<&str>,
    address_line: &str,
) -> Likeness {
    Likeness {
        first: first.to_owned(),
        last: last.to_owned(),
        other_names: Some(former.to_owned()).into_iter().filter(|n| !n.is_empty()).collect(),
        birth_date,
        phone: phone.map(str::to_owned),
        address: Some(fold(address_line)).filter(|a| !a.is_empty()),
        subscriber_number: None,
    }
}
