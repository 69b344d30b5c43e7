//! Shifts, slots and visits of a day, and what of them is free.

use crate::charges::alone::NO_TYPE;
use crate::rows::{NOT_LIVE, ScheduleNote, Shift, Slot, VisitType};
use crate::schema::{shifts, slots, visit_types, visits};
use crate::visit_line::visits::somebody_comes;
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::{DateTime, Duration, NaiveDate, Utc};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::schedule::day_bounds;
use std::collections::HashMap;
use uuid::Uuid;

/// The types of visits, whether they are still booked or not.
pub async fn visit_types(conn: &mut Conn) -> Result<Vec<VisitType>> {
    let chosen = visit_types::table.filter(visit_types::id.ne(NO_TYPE));
    Ok(chosen.order(visit_types::sort).select(VisitType::as_select()).load(conn).await?)
}

pub async fn shifts(conn: &mut Conn, from: DateTime<Utc>, to: DateTime<Utc>) -> Result<Vec<Shift>> {
    Ok(shifts::table
        .filter(shifts::starts_at.lt(to).and(shifts::ends_at.gt(from)).and(shifts::cancelled_at.is_null()))
        .order(shifts::starts_at)
        .select(Shift::as_select())
        .load(conn)
        .await?)
}

pub async fn slots(conn: &mut Conn, from: DateTime<Utc>, to: DateTime<Utc>) -> Result<Vec<Slot>> {
    Ok(slots::table
        .inner_join(shifts::table)
        .filter(slots::starts_at.lt(to).and(slots::ends_at.gt(from)).and(shifts::cancelled_at.is_null()))
        .order(slots::starts_at)
        .select(Slot::as_select())
        .load(conn)
        .await?)
}

pub async fn shift(conn: &mut Conn, id: Uuid) -> Result<Shift> {
    shifts::table.find(id).select(Shift::as_select()).first(conn).await.optional()?.ok_or(StoreError::NotFound("shift"))
}

pub async fn slot(conn: &mut Conn, id: Uuid) -> Result<(Slot, Shift)> {
    slots::table
        .inner_join(shifts::table)
        .filter(slots::id.eq(id))
        .select((Slot::as_select(), Shift::as_select()))
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("slot"))
}

/// Where and when open times are looked for.
#[derive(Debug, Clone)]
pub struct Window {
    pub from: DateTime<Utc>,
    pub to: DateTime<Utc>,
    /// Empty: any.
    pub clinicians: Vec<Uuid>,
    pub sites: Vec<Uuid>,
    /// Only shifts with a slot of these types.
    pub visit_types: Vec<Uuid>,
}

/// The slots of a clinician that touch a stretch of time.
pub async fn slots_of_clinician(
    conn: &mut Conn,
    clinician: Uuid,
    from: DateTime<Utc>,
    to: DateTime<Utc>,
) -> Result<Vec<Slot>> {
    Ok(slots::table
        .filter(slots::clinician_id.eq(clinician).and(slots::withdrawn.eq(false)))
        .filter(slots::starts_at.lt(to).and(slots::ends_at.gt(from)))
        .order(slots::starts_at)
        .select(Slot::as_select())
        .load(conn)
        .await?)
}

/// Slots that nobody has, nor holds, soonest first, each with its site.
pub async fn open_slots(
    conn: &mut Conn,
    (from, to): (DateTime<Utc>, DateTime<Utc>),
    limit: i64,
) -> Result<Vec<(Slot, Uuid)>> {
    let taken = visits::table
        .filter(visits::stage.ne_all(NOT_LIVE).and(visits::rebook.eq(false)).and(somebody_comes()))
        .filter(visits::clinician_id.eq(slots::clinician_id))
        .filter(visits::starts_at.lt(slots::ends_at).and(visits::ends_at.gt(slots::starts_at)))
        // No visit is longer than its type may be; the lower bound lets the index find the few in question.
        .filter(diesel::dsl::sql::<diesel::sql_types::Bool>("visits.starts_at > slots.starts_at - interval '8 hours'"))
        .select(visits::id);
    Ok(slots::table
        .inner_join(shifts::table)
        .filter(slots::ends_at.gt(from).and(slots::starts_at.lt(to)))
        .filter(slots::held_for.is_null().and(shifts::cancelled_at.is_null()))
        .filter(diesel::dsl::not(diesel::dsl::exists(taken)))
        .order((slots::starts_at, slots::clinician_id))
        .limit(limit)
        .select((Slot::as_select(), shifts::site_id))
        .load(conn)
        .await?)
}

/// The shifts of a window, soonest first.
pub async fn shifts_of(conn: &mut Conn, w: &Window) -> Result<Vec<Shift>> {
    let mut query = shifts::table
        // A shift lies within one day; the lower bound is for the index.
        .filter(shifts::starts_at.lt(w.to).and(shifts::starts_at.gt(w.from - Duration::days(1))))
        .filter(shifts::ends_at.gt(w.from).and(shifts::cancelled_at.is_null()))
        .order((shifts::starts_at, shifts::id))
        .select(Shift::as_select())
        .into_boxed();
    if !w.clinicians.is_empty() {
        query = query.filter(shifts::clinician_id.eq_any(&w.clinicians));
    }
    if !w.sites.is_empty() {
        query = query.filter(shifts::site_id.eq_any(&w.sites));
    }
    if !w.visit_types.is_empty() {
        let of_type = slots::table
            .filter(slots::shift_id.eq(shifts::id))
            .filter(slots::visit_type_id.assume_not_null().eq_any(&w.visit_types).and(slots::held_for.is_null()))
            .select(slots::id);
        query = query.filter(diesel::dsl::exists(of_type));
    }
    Ok(query.load(conn).await?)
}

/// A free slot, as much of it as open times are put together from: a search reads tens of thousands.
#[derive(Debug, Clone, Copy, PartialEq, Eq, diesel::Queryable)]
pub struct FreeSlot {
    pub id: Uuid,
    pub shift_id: Uuid,
    pub clinician_id: Uuid,
    pub visit_type_id: Option<Uuid>,
    pub starts_at: DateTime<Utc>,
    pub ends_at: DateTime<Utc>,
}

/// Slots as they are, by their ids.
pub async fn slots_by_id(conn: &mut Conn, ids: &[Uuid]) -> Result<HashMap<Uuid, Slot>> {
    let found: Vec<Slot> = slots::table.filter(slots::id.eq_any(ids)).select(Slot::as_select()).load(conn).await?;
    Ok(found.into_iter().map(|s| (s.id, s)).collect())
}

/// The free slots of these shifts within a window, each clinician's in order, for putting together open times of
/// any length.
pub async fn free_slots(conn: &mut Conn, w: &Window, of: &[Shift]) -> Result<Vec<FreeSlot>> {
    if of.is_empty() {
        return Ok(vec![]);
    }
    let query = slots::table
        .filter(slots::starts_at.ge(w.from).and(slots::starts_at.lt(w.to)))
        .filter(slots::held_for.is_null())
        .filter(slots::shift_id.eq_any(of.iter().map(|s| s.id)))
        .order((slots::clinician_id, slots::starts_at))
        .select((
            slots::id,
            slots::shift_id,
            slots::clinician_id,
            slots::visit_type_id,
            slots::starts_at,
            slots::ends_at,
        ));
    let mut found: Vec<FreeSlot> = query.load(conn).await?;
    let taken: Vec<(Uuid, DateTime<Utc>, DateTime<Utc>)> = visits::table
        .filter(visits::stage.ne_all(NOT_LIVE).and(visits::rebook.eq(false)).and(somebody_comes()))
        .filter(visits::starts_at.lt(w.to).and(visits::starts_at.gt(w.from - Duration::hours(8))))
        .order((visits::clinician_id, visits::starts_at))
        .select((visits::clinician_id, visits::starts_at, visits::ends_at))
        .load(conn)
        .await?;
    found.retain(|s| {
        let from =
            taken.partition_point(|(c, start, _)| (*c, *start) < (s.clinician_id, s.starts_at - Duration::hours(8)));
        !taken[from..]
            .iter()
            .take_while(|(c, start, _)| *c == s.clinician_id && *start < s.ends_at)
            .any(|(_, _, end)| *end > s.starts_at)
    });
    Ok(found)
}

/// What is left of a day for one clinician.
#[derive(Debug, Clone, PartialEq, Eq, diesel::QueryableByName, serde::Serialize, utoipa::ToSchema)]
#[serde(rename_all = "camelCase")]
pub struct RoomLeft {
    #[diesel(sql_type = diesel::sql_types::Date)]
    pub day: NaiveDate,
    #[diesel(sql_type = diesel::sql_types::Uuid)]
    pub clinician_id: Uuid,
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    pub slots: i64,
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    pub open: i64,
    /// Visits of the day, those that were cancelled or missed left out.
    #[diesel(sql_type = diesel::sql_types::BigInt)]
    pub visits: i64,
}

/// Room left and visits per day and clinician, from one local day on until before another.
pub async fn room_left(
    conn: &mut Conn,
    (from, to): (NaiveDate, NaiveDate),
    now: DateTime<Utc>,
    zone: Tz,
) -> Result<Vec<RoomLeft>> {
    let bounds = (day_bounds(zone, from).0, day_bounds(zone, to).0);
    Ok(diesel::sql_query(
        "select day, clinician_id, sum(slots)::bigint as slots, sum(open)::bigint as open, sum(visits)::bigint as visits
         from (
            select (s.starts_at at time zone $4)::date as day, s.clinician_id, count(*) as slots,
                count(*) filter (where s.starts_at >= $3 and not exists (
                    select from visits v where v.clinician_id = s.clinician_id
                        and v.stage not in ('cancelled', 'did_not_come', 'left_unseen') and not v.rebook
                        and v.kind <> 'charge'
                        and v.starts_at < s.ends_at and v.ends_at > s.starts_at
                        and v.starts_at > s.starts_at - interval '8 hours')) as open,
                0 as visits
            from slots s join shifts h on h.id = s.shift_id
            where s.starts_at >= $1 and s.starts_at < $2 and h.cancelled_at is null and s.held_for is null
            group by 1, 2
            union all
            select day, clinician_id, 0, 0, count(*) from visits
            where day >= $5 and day < $6 and not rebook and kind <> 'charge'
                and stage not in ('cancelled', 'did_not_come', 'left_unseen')
            group by 1, 2) as each
         group by 1, 2 order by 1, 2",
    )
    .bind::<diesel::sql_types::Timestamptz, _>(bounds.0)
    .bind::<diesel::sql_types::Timestamptz, _>(bounds.1)
    .bind::<diesel::sql_types::Timestamptz, _>(now)
    .bind::<diesel::sql_types::Text, _>(zone.name())
    .bind::<diesel::sql_types::Date, _>(from)
    .bind::<diesel::sql_types::Date, _>(to)
    .load(conn)
    .await?)
}

/// Notes pinned to times of a day.
pub async fn notes(conn: &mut Conn, from: DateTime<Utc>, to: DateTime<Utc>) -> Result<Vec<ScheduleNote>> {
    use crate::schema::schedule_notes as n;
    Ok(n::table
        .filter(n::at.ge(from).and(n::at.lt(to)).and(n::removed_at.is_null()))
        .order(n::at)
        .select(ScheduleNote::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    pub async fn pin_note(&mut self, clinician: Uuid, at: DateTime<Utc>, body: &str) -> Result<ScheduleNote> {
        let row = ScheduleNote {
            id: Uuid::now_v7(),
            clinician_id: clinician,
            at,
            body: body.to_owned(),
            made_at: self.now,
            made_by: self.actor.name.clone(),
            removed_at: None,
        };
        diesel::insert_into(crate::schema::schedule_notes::table).values(&row).execute(self.conn()).await?;
        self.audit("pinned", "schedule note", row.id, None, body);
        self.tell(Topic::Schedule, clinician);
        Ok(row)
    }

    pub async fn remove_note(&mut self, id: Uuid) -> Result<()> {
        use crate::schema::schedule_notes as n;
        let now = self.now;
        let gone: Vec<Uuid> = diesel::update(n::table.filter(n::id.eq(id).and(n::removed_at.is_null())))
            .set(n::removed_at.eq(now))
            .returning(n::clinician_id)
            .get_results(self.conn())
            .await?;
        let Some(clinician) = gone.into_iter().next() else { return Err(StoreError::NotFound("note")) };
        self.audit("removed", "schedule note", id, None, "");
        self.tell(Topic::Schedule, clinician);
        Ok(())
    }
}
