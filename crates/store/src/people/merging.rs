//! Two records of one person become one, and can be parted again until something new hangs on them.

use super::get;
use crate::documents::{Became, Carried, Doc, Filled};
use crate::rows::Merge;
use crate::schema::{merges, people, problems};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use harbor_core::people::merging::{Fact, Held, How, OF_PERSON, OF_REGISTRATION, Outcome, settle};
use harbor_core::people::{Ethnicity, MaritalStatus, Race, Sex};
use serde_json::{Map, Value, json};
use std::collections::HashMap;
use uuid::Uuid;

/// The tables whose rows follow their person, with the column that points at the person: also those
/// whom the person answers for, and policies that the person holds for others. The ledger, consents,
/// openings and the audit never change; they are read under both records instead.
const FOLLOW: [(&str, &str); 28] = [
    ("visits", "person_id"),
    ("coverages", "person_id"),
    ("coverages", "holder_id"),
    ("people", "responsible_id"),
    ("allergies", "person_id"),
    ("medicines", "person_id"),
    ("problems", "person_id"),
    ("measurements", "person_id"),
    ("person_states", "person_id"),
    ("histories", "person_id"),
    ("orders", "person_id"),
    ("order_repeats", "person_id"),
    ("prescriptions", "person_id"),
    ("prescription_heads", "person_id"),
    ("approvals", "person_id"),
    ("accidents", "person_id"),
    ("referrals", "person_id"),
    ("written_estimates", "person_id"),
    ("lab_reports", "person_id"),
    ("waiting", "person_id"),
    ("series", "person_id"),
    ("messages", "person_id"),
    ("hardships", "person_id"),
    ("statement_wishes", "person_id"),
    ("statements", "guarantor_id"),
    ("statements", "to_person_id"),
    ("payment_plans", "guarantor_id"),
    ("call_notes", "guarantor_id"),
];

/// A tie between two people, and its kind.
type Tie = (Uuid, Uuid, String);

/// The record numbers under which a person is known: their own, and those of records merged into it.
pub async fn numbers_of(conn: &mut Conn, person: Uuid) -> Result<Vec<String>> {
    let merged_into: Option<Uuid> = people::table.find(person).select(people::merged_into).first(conn).await?;
    let ids = records_of(conn, merged_into.unwrap_or(person)).await?;
    Ok(people::table.filter(people::id.eq_any(ids)).select(people::record_number).load(conn).await?)
}

/// A record and all that were merged into it.
pub async fn records_of(conn: &mut Conn, person: Uuid) -> Result<Vec<Uuid>> {
    let mut ids: Vec<Uuid> = people::table.filter(people::merged_into.eq(person)).select(people::id).load(conn).await?;
    ids.push(person);
    Ok(ids)
}

/// Merges that stand and touch a person, the newest first.
pub async fn standing(conn: &mut Conn, person: Uuid) -> Result<Vec<Merge>> {
    Ok(merges::table
        .filter(merges::kept_id.eq(person).and(merges::undone_at.is_null()))
        .order(merges::merged_at.desc())
        .select(Merge::as_select())
        .load(conn)
        .await?)
}

#[derive(QueryableByName)]
struct RowId {
    #[diesel(sql_type = sql_types::Text)]
    id: String,
}

async fn rows(conn: &mut Conn, table: &str, column: &str, person: Uuid) -> Result<Vec<String>> {
    let found: Vec<RowId> = diesel::sql_query(format!("select id::text as id from {table} where {column} = $1"))
        .bind::<sql_types::Uuid, _>(person)
        .load(conn)
        .await?;
    Ok(found.into_iter().map(|r| r.id).collect())
}

fn listed(carried: &Carried, place: &str) -> Vec<String> {
    carried.rows.get(place).cloned().unwrap_or_default()
}

/// A fact that both records hold and in which they differ.
#[derive(Debug, Clone, PartialEq, Eq, serde::Serialize, utoipa::ToSchema)]
pub struct Difference {
    pub code: String,
    pub label: String,
    pub kept: String,
    pub gone: String,
}

/// The record of a person and the registration, column by column.
async fn columns(conn: &mut Conn, person: Uuid) -> Result<Value> {
    #[derive(QueryableByName)]
    struct Row {
        #[diesel(sql_type = sql_types::Jsonb)]
        row: Value,
    }
    let row: Row = diesel::sql_query(
        "select to_jsonb(p) || coalesce(to_jsonb(r), '{}') as row from people p left join registrations r on r.person_id = p.id where p.id = $1",
    )
    .bind::<sql_types::Uuid, _>(person)
    .get_result(conn)
    .await?;
    Ok(row.row)
}

fn held(record: &Value, fact: &Fact) -> Held {
    let text = |column: &&str| match &record[*column] {
        Value::Null => String::new(),
        Value::String(text) => text.clone(),
        other => other.to_string(),
    };
    fact.columns.iter().map(text).collect()
}

/// In what two records differ, so that somebody can choose.
pub async fn differences(conn: &mut Conn, kept: Uuid, gone: Uuid) -> Result<Vec<Difference>> {
    let (into, from) = (columns(conn, kept).await?, columns(conn, gone).await?);
    let one = |fact: &&Fact| settle(fact, &held(&into, fact), &held(&from, fact), None) == Outcome::Ask;
    let differ = OF_PERSON.iter().chain(OF_REGISTRATION).filter(one);
    let mut out = Vec::new();
    for fact in differ {
        out.push(Difference {
            code: fact.code.into(),
            label: fact.label.into(),
            kept: fact_in_words(conn, fact, held(&into, fact)).await?,
            gone: fact_in_words(conn, fact, held(&from, fact)).await?,
        });
    }
    Ok(out)
}

/// What a record holds of a fact, as people read it.
async fn fact_in_words(conn: &mut Conn, fact: &Fact, held: Held) -> Result<String> {
    let mut words = Vec::new();
    for (column, text) in fact.columns.iter().zip(held).filter(|(_, text)| !text.is_empty()) {
        words.push(column_in_words(conn, column, text).await?);
    }
    Ok(words.join(", "))
}

async fn column_in_words(conn: &mut Conn, column: &str, text: String) -> Result<String> {
    use crate::schema::{pharmacies, sites, staff};
    let label = |label: Option<&'static str>| label.map(str::to_owned);
    let id: Option<Uuid> = text.parse().ok();
    let named: Option<String> = match (column, id) {
        ("birth_date" | "deceased_on", _) => text.parse().ok().map(harbor_core::fields::typed_date::in_words),
        ("phone" | "other_phone" | "emergency_phone", _) if text.len() == 10 => {
            Some(format!("({}) {}-{}", &text[..3], &text[3..6], &text[6..]))
        }
        ("sex", _) => label(Sex::from_code(&text).map(|s| s.label())),
        ("marital_status", _) => label(MaritalStatus::from_code(&text).map(|s| s.label())),
        ("race", _) => label(Race::from_code(&text).map(|s| s.label())),
        ("ethnicity", _) => label(Ethnicity::from_code(&text).map(|s| s.label())),
        ("responsible_id", Some(id)) => {
            let p = get(conn, id).await?;
            Some(format!("{} {}", p.first_name, p.last_name))
        }
        ("usual_clinician_id", Some(id)) => staff::table.find(id).select(staff::name).first(conn).await.optional()?,
        ("pharmacy_id", Some(id)) => {
            pharmacies::table.find(id).select(pharmacies::name).first(conn).await.optional()?
        }
        ("usual_site_id", Some(id)) => sites::table.find(id).select(sites::name).first(conn).await.optional()?,
        _ => None,
    };
    Ok(named.unwrap_or(text))
}

/// Both records, locked: the lower id first, whichever of the two stays.
async fn lock_both(conn: &mut Conn, a: Uuid, b: Uuid) -> Result<()> {
    let both = people::table.filter(people::id.eq_any([a, b])).order(people::id).for_update().select(people::id);
    both.load::<Uuid>(conn).await?;
    Ok(())
}

impl Change<'_> {
    /// Sets columns of a table's row of a person from a JSON record.
    async fn set_columns(&mut self, table: &str, key: &str, person: Uuid, set: &Map<String, Value>) -> Result<()> {
        if set.is_empty() {
            return Ok(());
        }
        // Names of columns come from the core's list alone.
        let names: Vec<&str> = set.keys().map(String::as_str).collect();
        let assign: Vec<String> = names.iter().map(|n| format!("{n} = n.{n}")).collect();
        let text = format!(
            "update {table} t set {} from jsonb_populate_record(null::{table}, $1) n where t.{key} = $2",
            assign.join(", ")
        );
        diesel::sql_query(text)
            .bind::<sql_types::Jsonb, _>(Value::Object(set.clone()))
            .bind::<sql_types::Uuid, _>(person)
            .execute(self.conn())
            .await?;
        Ok(())
    }

    /// Fills the record that stays from the other one; gives what each column was and became.
    async fn fill(&mut self, kept: Uuid, gone: Uuid, choices: &HashMap<String, bool>) -> Result<Filled> {
        diesel::sql_query("insert into registrations (person_id) values ($1) on conflict do nothing")
            .bind::<sql_types::Uuid, _>(kept)
            .execute(self.conn())
            .await?;
        let (into, from) = (columns(self.conn(), kept).await?, columns(self.conn(), gone).await?);
        let (mut filled, mut asked) = (Filled::new(), Vec::new());
        for (table, key, facts) in [("people", "id", OF_PERSON), ("registrations", "person_id", OF_REGISTRATION)] {
            let mut set = Map::new();
            for fact in facts {
                let chosen = choices.get(fact.code).copied();
                match settle(fact, &held(&into, fact), &held(&from, fact), chosen) {
                    Outcome::Stays => {}
                    Outcome::Ask => asked.push(fact.label),
                    Outcome::Becomes(texts) => {
                        for (column, text) in fact.columns.iter().zip(texts) {
                            // Taken as it is, or, where two stand together, as the core put them.
                            let value = if fact.how == How::Together { json!(text) } else { from[*column].clone() };
                            filled.insert(
                                format!("{table}.{column}"),
                                Became { before: into[*column].clone(), after: value.clone() },
                            );
                            set.insert((*column).to_owned(), value);
                        }
                    }
                }
            }
            if asked.is_empty() {
                self.set_columns(table, key, kept, &set).await?;
            }
        }
        if !asked.is_empty() {
            let sentence =
                format!("The records differ in: {}. Choose which is right.", asked.join(", ").to_lowercase());
            return Err(StoreError::refused("choose", sentence));
        }
        self.refold(kept).await?;
        Ok(filled)
    }

    /// The names as the search reads them, after they may have changed.
    async fn refold(&mut self, person: Uuid) -> Result<()> {
        let p = get(self.conn(), person).await?;
        let folded =
            super::folded_names(&p.first_name, &p.middle_name, &p.last_name, &p.preferred_name, &p.former_name);
        diesel::update(people::table.find(person))
            .set((people::folded.eq(folded), people::version.eq(p.version + 1)))
            .execute(self.conn())
            .await?;
        super::finding::hear_new_words(self.conn()).await
    }

    /// A problem that stands on both lists stands twice on the one, since what is said of it may differ.
    async fn twin_problems(&mut self, kept: Uuid, gone: Uuid) -> Result<()> {
        diesel::sql_query(
            "update problems g set twin = true where g.person_id = $2 and exists (
                select from problems k where k.person_id = $1 and k.code = g.code
                    and (k.code <> '' or lower(k.title) = lower(g.title)))",
        )
        .bind::<sql_types::Uuid, _>(kept)
        .bind::<sql_types::Uuid, _>(gone)
        .execute(self.conn())
        .await?;
        Ok(())
    }

    /// Ties of the one become ties of the other, unless there is such a one; gives what was untied and tied.
    async fn carry_relations(&mut self, kept: Uuid, gone: Uuid) -> Result<(Vec<Tie>, Vec<Tie>)> {
        use crate::schema::relations as r;
        let of_gone = r::person_id.eq(gone).or(r::other_id.eq(gone));
        let old: Vec<Tie> = diesel::delete(r::table.filter(of_gone))
            .returning((r::person_id, r::other_id, r::kind))
            .get_results(self.conn())
            .await?;
        let mut made = Vec::new();
        for (person, other, kind) in &old {
            let swap = |id: &Uuid| if *id == gone { kept } else { *id };
            let (person, other) = (swap(person), swap(other));
            if person == other {
                continue;
            }
            let added = diesel::insert_into(r::table)
                .values((r::person_id.eq(person), r::other_id.eq(other), r::kind.eq(kind)))
                .on_conflict_do_nothing()
                .execute(self.conn())
                .await?;
            if added > 0 {
                made.push((person, other, kind.clone()));
            }
        }
        Ok((old, made))
    }

    async fn part_relations(&mut self, row: &Merge) -> Result<()> {
        use crate::schema::relations as r;
        for (person, other, _) in &row.stayed.relations {
            diesel::delete(r::table.find((person, other))).execute(self.conn()).await?;
        }
        for (person, other, kind) in &row.moved.relations {
            diesel::insert_into(r::table)
                .values((r::person_id.eq(person), r::other_id.eq(other), r::kind.eq(kind)))
                .on_conflict_do_nothing()
                .execute(self.conn())
                .await?;
        }
        Ok(())
    }

    /// Gives each column back what it was before the merge, where nobody changed it since.
    async fn unfill(&mut self, row: &Merge) -> Result<()> {
        let now = columns(self.conn(), row.kept_id).await?;
        for (table, key) in [("people", "id"), ("registrations", "person_id")] {
            let mut set = Map::new();
            for (place, change) in row.filled.iter() {
                let Some(column) = place.strip_prefix(table).and_then(|p| p.strip_prefix('.')) else { continue };
                if now[column] == change.after {
                    set.insert(column.to_owned(), change.before.clone());
                }
            }
            self.set_columns(table, key, row.kept_id, &set).await?;
        }
        self.refold(row.kept_id).await
    }

    /// Everything of `gone` is carried over to `kept`; `gone` is found under `kept` from then on. `choices` says, of
    /// what differs, whether the other record's is taken.
    pub async fn merge_people(&mut self, kept: Uuid, gone: Uuid, choices: &HashMap<String, bool>) -> Result<Merge> {
        if kept == gone {
            return Err(StoreError::refused("merge", "A record cannot be merged with itself."));
        }
        lock_both(self.conn(), kept, gone).await?;
        let (into, from) = (get(self.conn(), kept).await?, get(self.conn(), gone).await?);
        if into.merged_into.is_some() || from.merged_into.is_some() {
            return Err(StoreError::refused("merge", "One of the records is merged already."));
        }
        if !standing(self.conn(), gone).await?.is_empty() {
            let sentence = "Another record was merged into the one that goes. Keep that one, or part it first.";
            return Err(StoreError::refused("merge", sentence));
        }
        if into.responsible_id == Some(gone) || from.responsible_id == Some(kept) {
            return Err(StoreError::refused(
                "merge",
                "One answers for the other, so they are two people. Change the responsible party first if not.",
            ));
        }
        let filled = self.fill(kept, gone, choices).await?;
        let (untied, tied) = self.carry_relations(kept, gone).await?;
        let mut moved = Carried { relations: untied, ..Carried::default() };
        let mut stayed = Carried { relations: tied, ..Carried::default() };
        self.twin_problems(kept, gone).await?;
        for (table, column) in FOLLOW {
            let own = rows(self.conn(), table, column, kept).await?;
            let foreign = rows(self.conn(), table, column, gone).await?;
            diesel::sql_query(format!("update {table} set {column} = $1 where {column} = $2"))
                .bind::<sql_types::Uuid, _>(kept)
                .bind::<sql_types::Uuid, _>(gone)
                .execute(self.conn())
                .await
                .map_err(overlap)?;
            let place = format!("{table}.{column}");
            stayed.rows.insert(place.clone(), own);
            moved.rows.insert(place, foreign);
        }
        let row = Merge {
            id: Uuid::now_v7(),
            kept_id: kept,
            gone_id: gone,
            moved: Doc(moved),
            stayed: Doc(stayed),
            merged_at: self.now,
            merged_by: self.actor.name.clone(),
            undone_at: None,
            undone_by: None,
            filled: Doc(filled),
        };
        diesel::insert_into(merges::table).values(&row).execute(self.conn()).await?;
        diesel::update(people::table.find(gone)).set(people::merged_into.eq(kept)).execute(self.conn()).await?;
        let said = format!("{} into {}", from.record_number, into.record_number);
        self.audit("merged", "person", kept, Some(kept), said.clone());
        self.audit("merged", "person", gone, Some(gone), said);
        self.tell(Topic::Person, kept);
        self.tell(Topic::Person, gone);
        Ok(row)
    }

    /// Parts two records again; refused once something new hangs on the kept one.
    pub async fn part_people(&mut self, merge: Uuid) -> Result<Merge> {
        let row: Merge = merges::table
            .find(merge)
            .for_update()
            .select(Merge::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("merge"))?;
        lock_both(self.conn(), row.kept_id, row.gone_id).await?;
        if row.undone_at.is_some() {
            return Err(StoreError::refused("merge", "The records are parted already."));
        }
        for (table, column) in FOLLOW {
            let place = format!("{table}.{column}");
            let known = [listed(&row.moved, &place), listed(&row.stayed, &place)].concat();
            let now = rows(self.conn(), table, column, row.kept_id).await?;
            if now.iter().any(|id| !known.contains(id)) {
                let what = table.replace('_', " ");
                let sentence =
                    format!("Something new hangs on the record since ({what}); it cannot be parted by itself.");
                return Err(StoreError::refused("merge", sentence));
            }
        }
        for (table, column) in FOLLOW {
            diesel::sql_query(format!("update {table} set {column} = $1 where id::text = any($2)"))
                .bind::<sql_types::Uuid, _>(row.gone_id)
                .bind::<sql_types::Array<sql_types::Text>, _>(listed(&row.moved, &format!("{table}.{column}")))
                .execute(self.conn())
                .await?;
        }
        diesel::update(problems::table.filter(problems::person_id.eq(row.gone_id)))
            .set(problems::twin.eq(false))
            .execute(self.conn())
            .await?;
        self.part_relations(&row).await?;
        self.unfill(&row).await?;
        let (now, by) = (self.now, self.actor.name.clone());
        diesel::update(people::table.find(row.gone_id))
            .set(people::merged_into.eq(None::<Uuid>))
            .execute(self.conn())
            .await?;
        let row = diesel::update(merges::table.find(merge))
            .set((merges::undone_at.eq(now), merges::undone_by.eq(by)))
            .returning(Merge::as_returning())
            .get_result(self.conn())
            .await?;
        self.audit("parted", "person", row.kept_id, Some(row.kept_id), row.gone_id.to_string());
        self.audit("parted", "person", row.gone_id, Some(row.gone_id), row.kept_id.to_string());
        self.tell(Topic::Person, row.kept_id);
        self.tell(Topic::Person, row.gone_id);
        Ok(row)
    }
}

/// Two policies of one rank at one time cannot both count.
fn overlap(error: diesel::result::Error) -> StoreError {
    use diesel::result::{DatabaseErrorKind, Error};
    match error {
        Error::DatabaseError(DatabaseErrorKind::ExclusionViolation, _) => {
            StoreError::refused("merge", "Both records have a policy of the same rank; end one of them first.")
        }
        other => other.into(),
    }
}
