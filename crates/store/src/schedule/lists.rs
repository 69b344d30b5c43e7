//! Lists without times: home visits and walk-ins.

use crate::rows::{ListEntry, UntimedList, Visit};
use crate::schedule::supply::{time_of, weekday_of};
use crate::schema::{list_entries, untimed_lists, visits};
use crate::visit_line::visits::visit_type;
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::{Duration, NaiveDate};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::schedule::untimed::ListKind;
use harbor_core::schedule::{VisitKind, at_local, untimed as rules};
use uuid::Uuid;

/// The lists that are in use.
pub async fn all(conn: &mut Conn) -> Result<Vec<UntimedList>> {
    use untimed_lists as l;
    Ok(l::table.filter(l::active.eq(true)).order(l::name).select(UntimedList::as_select()).load(conn).await?)
}

/// Who is on the lists of a day, in order; the cancelled left out.
pub async fn of_day(conn: &mut Conn, day: NaiveDate) -> Result<Vec<ListEntry>> {
    use list_entries as e;
    Ok(e::table
        .inner_join(visits::table)
        .filter(e::day.eq(day).and(visits::stage.ne(Stage::Cancelled.code())))
        .order((e::list_id, e::place, e::visit_id))
        .select(ListEntry::as_select())
        .load(conn)
        .await?)
}

/// As the core sees a list.
pub fn in_core(l: &UntimedList) -> rules::UntimedList {
    rules::UntimedList {
        name: l.name.clone(),
        kind: *l.kind,
        weekdays: l.weekdays.iter().filter_map(|n| weekday_of(*n)).collect(),
        most: usize::try_from(l.most).unwrap_or(0),
    }
}

impl Change<'_> {
    pub async fn save_list(&mut self, row: &UntimedList) -> Result<()> {
        use untimed_lists as l;
        let there: i64 = l::table.find(row.id).count().get_result(self.conn()).await?;
        if there == 0 {
            diesel::insert_into(l::table).values(row).execute(self.conn()).await?;
        } else {
            diesel::update(l::table.find(row.id))
                .set((
                    (l::name.eq(&row.name), l::kind.eq(&row.kind), l::clinician_id.eq(row.clinician_id)),
                    (l::site_id.eq(row.site_id), l::visit_type_id.eq(row.visit_type_id), l::weekdays.eq(&row.weekdays)),
                    (l::from_minute.eq(row.from_minute), l::to_minute.eq(row.to_minute)),
                    (l::most.eq(row.most), l::active.eq(row.active)),
                ))
                .execute(self.conn())
                .await?;
        }
        self.audit("saved", "untimed list", row.id, None, row.name.clone());
        self.tell(Topic::Clinic, row.id);
        Ok(())
    }

    /// Puts somebody at the end of the list of a day. Whoever walks in is here at once.
    pub async fn enter_list(
        &mut self,
        list: Uuid,
        person: Uuid,
        day: NaiveDate,
        (reason, note): (&str, &str),
        zone: Tz,
    ) -> Result<Visit> {
        let row: UntimedList = untimed_lists::table
            .find(list)
            .select(UntimedList::as_select())
            .first(self.conn())
            .await
            .optional()?
            .filter(|l: &UntimedList| l.active)
            .ok_or(StoreError::NotFound("list"))?;
        let person = self.patient_to_book(person).await?;
        self.queue_for(&[day]).await?;
        let on_it: Vec<ListEntry> = of_day(self.conn(), day).await?.into_iter().filter(|e| e.list_id == list).collect();
        let rule = in_core(&row);
        let today = self.now.with_timezone(&zone).date_naive();
        let dead = person.deceased_on.map(|_| format!("{} {}", person.first_name, person.last_name));
        let closed = crate::schedule::supply::day_off(self.conn(), row.clinician_id, row.site_id, day).await?;
        rules::may_enter(&rule, (day, closed.as_deref()), today, on_it.len(), dead.as_deref())
            .map_err(|r| StoreError::refused("list", r.to_string()))?;
        let kind = visit_type(self.conn(), row.visit_type_id).await?;
        let walked_in = rule.kind == ListKind::WalkIn;
        let starts_at = if walked_in { self.now } else { at_local(zone, day, time_of(row.from_minute)) };
        let visit = Visit {
            clinician_id: row.clinician_id,
            site_id: row.site_id,
            visit_type_id: kind.id,
            starts_at,
            ends_at: starts_at + Duration::minutes(i64::from(kind.minutes)),
            day,
            call_sign: self.next_call_sign(day).await?,
            // It takes no slot of anybody's time.
            extra: true,
            appointment: !walked_in,
            ..self.new_visit(&person, if walked_in { VisitKind::InPerson } else { VisitKind::Home }, reason, note)
        };
        self.insert_visit(&visit).await?;
        let place = on_it.iter().map(|e| e.place).max().unwrap_or(0) + 1;
        let entry = ListEntry { visit_id: visit.id, list_id: list, day, place };
        diesel::insert_into(list_entries::table).values(&entry).execute(self.conn()).await?;
        self.audit("booked", "visit", visit.id, Some(person.id), row.name.clone());
        self.tell(Topic::Visit, visit.id);
        if walked_in { self.move_visit(visit.id, Stage::Here, None).await } else { Ok(visit) }
    }

    /// Moves somebody to another place (from 0) of the list.
    pub async fn reorder_list(&mut self, visit: Uuid, to: usize) -> Result<()> {
        use list_entries as e;
        let entry: ListEntry = e::table
            .find(visit)
            .select(ListEntry::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("list entry"))?;
        self.queue_for(&[entry.day]).await?;
        let order: Vec<Uuid> = of_day(self.conn(), entry.day)
            .await?
            .into_iter()
            .filter(|other| other.list_id == entry.list_id)
            .map(|other| other.visit_id)
            .collect();
        for (place, id) in rules::reordered(&order, visit, to).into_iter().enumerate() {
            diesel::update(e::table.find(id))
                .set(e::place.eq(i32::try_from(place).unwrap_or(0) + 1))
                .execute(self.conn())
                .await?;
        }
        self.audit("reordered", "list", entry.list_id, None, "");
        self.tell(Topic::Visit, visit);
        Ok(())
    }
}
