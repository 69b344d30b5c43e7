//! Two records of one person become one, and can be parted again until something new hangs on them.

use super::get;
use crate::rows::Merge;
use crate::schema::{merges, people};
use crate::{Change, Conn, Result, StoreError};
use diesel::prelude::*;
use diesel::sql_types;
use diesel_async::RunQueryDsl;
use serde_json::{Map, Value, json};
use uuid::Uuid;

/// The tables whose rows follow their person, with the column that points at the person: also those
/// whom the person answers for, and policies that the person holds for others. The ledger, consents,
/// openings and the audit never change; they are read under both records instead.
const FOLLOW: [(&str, &str); 14] = [
    ("visits", "person_id"),
    ("coverages", "person_id"),
    ("coverages", "holder_id"),
    ("people", "responsible_id"),
    ("allergies", "person_id"),
    ("medicines", "person_id"),
    ("problems", "person_id"),
    ("measurements", "person_id"),
    ("orders", "person_id"),
    ("prescriptions", "person_id"),
    ("lab_reports", "person_id"),
    ("waiting", "person_id"),
    ("series", "person_id"),
    ("messages", "person_id"),
];

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

fn listed(value: &Value, place: &str) -> Vec<String> {
    value[place].as_array().into_iter().flatten().filter_map(|v| v.as_str().map(str::to_owned)).collect()
}

impl Change<'_> {
    /// Everything of `gone` is carried over to `kept`; `gone` is found no longer.
    pub async fn merge_people(&mut self, kept: Uuid, gone: Uuid) -> Result<Merge> {
        if kept == gone {
            return Err(StoreError::refused("merge", "A record cannot be merged with itself."));
        }
        let (into, from) = (get(self.conn(), kept).await?, get(self.conn(), gone).await?);
        if into.merged_into.is_some() || from.merged_into.is_some() {
            return Err(StoreError::refused("merge", "One of the records is merged already."));
        }
        if into.responsible_id == Some(gone) || from.responsible_id == Some(kept) {
            return Err(StoreError::refused(
                "merge",
                "One answers for the other, so they are two people. Change the responsible party first if not.",
            ));
        }
        let (mut moved, mut stayed) = (Map::new(), Map::new());
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
            stayed.insert(place.clone(), json!(own));
            moved.insert(place, json!(foreign));
        }
        let row = Merge {
            id: Uuid::now_v7(),
            kept_id: kept,
            gone_id: gone,
            moved: Value::Object(moved),
            stayed: Value::Object(stayed),
            merged_at: self.now,
            merged_by: self.actor.name.clone(),
            undone_at: None,
            undone_by: None,
        };
        diesel::insert_into(merges::table).values(&row).execute(self.conn()).await?;
        diesel::update(people::table.find(gone)).set(people::merged_into.eq(kept)).execute(self.conn()).await?;
        let said = format!("{} into {}", from.record_number, into.record_number);
        self.audit("merged", "person", kept, Some(kept), said.clone());
        self.audit("merged", "person", gone, Some(gone), said);
        self.tell("person", kept);
        self.tell("person", gone);
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
        self.tell("person", row.kept_id);
        self.tell("person", row.gone_id);
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
