//! The parts of a note: each saved over the version that its writer saw, carried from an earlier note, and reviewed.

use crate::rows::*;
use crate::schema::note_parts as p;
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::consult::NotePart as Part;
use harbor_core::consult::runs::{MOSTLY_CARRIED_PERCENT, carried_percent};
use uuid::Uuid;

/// Where a part stands: in a run, or in the note as a whole.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
pub struct PartAt {
    pub run: Option<Uuid>,
    pub part: Part,
}

impl PartAt {
    pub fn general(part: Part) -> PartAt {
        PartAt { run: None, part }
    }
}

impl WrittenPart {
    pub fn place(&self) -> PartAt {
        PartAt { run: self.run_id, part: *self.part }
    }
}

pub async fn parts(conn: &mut Conn, visit: Uuid) -> Result<Vec<WrittenPart>> {
    Ok(p::table.filter(p::visit_id.eq(visit)).select(WrittenPart::as_select()).load(conn).await?)
}

pub(super) async fn part(conn: &mut Conn, visit: Uuid, at: PartAt) -> Result<Option<WrittenPart>> {
    Ok(parts(conn, visit).await?.into_iter().find(|row| row.place() == at))
}

/// What was written in a part of an earlier note.
#[derive(Debug, Clone)]
pub struct Earlier {
    pub visit: Uuid,
    pub day: chrono::NaiveDate,
    pub body: String,
}

/// The text that a part had last time: for a run, in the last note that handled the same diagnosis; for a part of the
/// whole note, in the last note that had it.
pub async fn last_time(conn: &mut Conn, visit: &Visit, at: PartAt) -> Result<Option<Earlier>> {
    use diesel::sql_types::{Date, Nullable, Text, Uuid as SqlUuid};
    #[derive(QueryableByName)]
    struct Found {
        #[diesel(sql_type = SqlUuid)]
        visit_id: Uuid,
        #[diesel(sql_type = Date)]
        day: chrono::NaiveDate,
        #[diesel(sql_type = Text)]
        body: String,
    }
    // A note from before there were runs has the parts of its only diagnosis in the note as a whole.
    let found: Option<Found> = diesel::sql_query(
        "select v.id as visit_id, v.day, p.body
         from visits v join note_parts p on p.visit_id = v.id left join note_runs r on r.id = p.run_id
         where v.person_id = $1 and v.starts_at < $2 and v.id <> $3 and p.part = $4 and p.body <> ''
            and not exists (select from struck_notes s where s.visit_id = v.id) and
            case when $5 is null then p.run_id is null
                when p.run_id is not null then r.code = (select code from note_runs where id = $5)
                else (select array_agg(o.code) from note_runs o where o.visit_id = v.id)
                    = array[(select code from note_runs where id = $5)] end
         order by v.starts_at desc, v.id limit 1",
    )
    .bind::<SqlUuid, _>(visit.person_id)
    .bind::<diesel::sql_types::Timestamptz, _>(visit.starts_at)
    .bind::<SqlUuid, _>(visit.id)
    .bind::<Text, _>(at.part.code())
    .bind::<Nullable<SqlUuid>, _>(at.run)
    .get_result(conn)
    .await
    .optional()?;
    Ok(found.map(|f| Earlier { visit: f.visit_id, day: f.day, body: f.body }))
}

/// How much of a note stands word for word in the notes it was carried from, in percent, when that is most of it.
pub async fn mostly_carried(conn: &mut Conn, parts: &[WrittenPart]) -> Result<Option<u8>> {
    let sources: Vec<Uuid> = parts.iter().filter_map(|row| row.carried_from).collect();
    if sources.is_empty() {
        return Ok(None);
    }
    let earlier: Vec<String> = p::table.filter(p::visit_id.eq_any(sources)).select(p::body).load(conn).await?;
    let earlier: Vec<&str> = earlier.iter().map(String::as_str).collect();
    let now: Vec<&str> = parts.iter().map(|row| row.body.as_str()).collect();
    let percent = carried_percent(&now, &earlier);
    Ok((percent >= MOSTLY_CARRIED_PERCENT).then_some(percent))
}

impl Change<'_> {
    /// Begins the note of a visit with what is known of it: the reason for which it was booked.
    pub(crate) async fn begin_note(&mut self, visit: &Visit) -> Result<()> {
        if visit.reason.is_empty() {
            return Ok(());
        }
        let by = (self.now, &self.actor);
        let row = WrittenPart::written(visit.id, None, Part::Reason.into(), &visit.reason, by);
        diesel::insert_into(p::table).values(&row).on_conflict_do_nothing().execute(self.conn()).await?;
        self.tell(Topic::Note, visit.id);
        Ok(())
    }

    /// Saves a part of a note over the version that the writer has seen; 0 for a new one. What is written is no longer
    /// carried, and no longer reviewed.
    pub async fn save_part(&mut self, visit: &Visit, at: PartAt, body: &str, version: i32) -> Result<WrittenPart> {
        self.put_part(visit, at, body, version, None).await
    }

    /// Begins a part that is empty with what it said last time.
    pub async fn carry_part(&mut self, visit: &Visit, at: PartAt, version: i32) -> Result<WrittenPart> {
        if part(self.conn(), visit.id, at).await?.is_some_and(|row| !row.body.trim().is_empty()) {
            return Err(StoreError::refused("written", "Something is written here already; it is not written over."));
        }
        let earlier = last_time(self.conn(), visit, at).await?;
        let earlier =
            earlier.ok_or_else(|| StoreError::refused("nothing-earlier", "No earlier note says anything here."))?;
        self.put_part(visit, at, &earlier.body, version, Some(earlier.visit)).await
    }

    async fn put_part(
        &mut self,
        visit: &Visit,
        at: PartAt,
        body: &str,
        version: i32,
        carried: Option<Uuid>,
    ) -> Result<WrittenPart> {
        if let Some(run) = at.run {
            let runs = super::runs::runs_of(self.conn(), visit.id).await?;
            if runs.iter().all(|r| r.id != run) {
                return Err(StoreError::NotFound("run"));
            }
        }
        self.part_is_open(visit, at).await?;
        let mut row = WrittenPart::written(visit.id, at.run, at.part.into(), body, (self.now, &self.actor));
        row.version = version + 1;
        row.carried = carried.is_some();
        row.carried_from = carried;
        let saved: Option<WrittenPart> = if version == 0 {
            diesel::insert_into(p::table)
                .values(&row)
                .on_conflict_do_nothing()
                .returning(WrittenPart::as_returning())
                .get_result(self.conn())
                .await
                .optional()?
        } else {
            let stands = p::table.filter(
                p::visit_id
                    .eq(visit.id)
                    .and(p::run_id.is_not_distinct_from(at.run))
                    .and(p::part.eq(at.part.code()))
                    .and(p::version.eq(version)),
            );
            diesel::update(stands)
                .set((
                    p::body.eq(body),
                    p::version.eq(version + 1),
                    p::updated_at.eq(row.updated_at),
                    p::updated_by.eq(&row.updated_by),
                    p::written_by_id.eq(row.written_by_id),
                    // Where it began stays known while anything of it stands.
                    p::carried.eq(row.carried),
                    p::carried_from.eq(diesel::dsl::sql::<diesel::sql_types::Nullable<diesel::sql_types::Uuid>>(
                        "case when ",
                    )
                    .bind::<diesel::sql_types::Bool, _>(body.trim().is_empty())
                    .sql(" then null else coalesce(")
                    .bind::<diesel::sql_types::Nullable<diesel::sql_types::Uuid>, _>(carried)
                    .sql(", carried_from) end")),
                    p::reviewed_at.eq(None::<chrono::DateTime<chrono::Utc>>),
                    p::reviewed_by.eq(None::<String>),
                    p::reviewed_by_id.eq(None::<uuid::Uuid>),
                ))
                .returning(WrittenPart::as_returning())
                .get_result(self.conn())
                .await
                .optional()?
        };
        let Some(saved) = saved else {
            let current = part(self.conn(), visit.id, at).await?;
            return Err(StoreError::Stale { current: serde_json::to_value(current).unwrap_or_default() });
        };
        let deed = if carried.is_some() { "carried" } else { "wrote" };
        self.audit(deed, "note", visit.id, Some(visit.person_id), at.part.code());
        self.tell(Topic::Note, visit.id);
        Ok(saved)
    }

    /// Marks a part as reviewed in the version that was seen, or takes one's own mark back.
    pub async fn review_part(
        &mut self,
        visit: &Visit,
        at: PartAt,
        version: i32,
        reviewed: bool,
    ) -> Result<WrittenPart> {
        let row = part(self.conn(), visit.id, at).await?;
        let row = row.filter(|row| !row.body.trim().is_empty());
        let row = row.ok_or_else(|| StoreError::refused("empty", "Nothing is written here to be reviewed."))?;
        if row.version != version {
            return Err(StoreError::Stale { current: serde_json::to_value(&row).unwrap_or_default() });
        }
        self.part_is_open(visit, at).await?;
        if !reviewed && (row.reviewed_by_id.is_none() || row.reviewed_by_id != self.actor.staff_id) {
            return Err(StoreError::refused("not-yours", "Only who reviewed a part takes the mark back."));
        }
        let by = reviewed.then(|| self.actor.name.clone());
        let saved = diesel::update(p::table.find(row.id))
            .set((
                p::reviewed_at.eq(reviewed.then_some(self.now)),
                p::reviewed_by.eq(by),
                p::reviewed_by_id.eq(self.actor.staff_id.filter(|_| reviewed)),
                // Taken back, it looks carried no more: somebody had it in hand.
                p::carried.eq(false),
            ))
            .returning(WrittenPart::as_returning())
            .get_result(self.conn())
            .await?;
        let deed = if reviewed { "reviewed" } else { "took review back" };
        self.audit(deed, "note", visit.id, Some(visit.person_id), at.part.code());
        self.tell(Topic::Note, visit.id);
        Ok(saved)
    }
}
