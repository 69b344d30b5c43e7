//! Visits that come again.

use crate::rows::{Series, Visit};
use crate::schedule::booking::Booking;
use crate::schema::{series, series_visits, visits};
use crate::{Change, Conn, Result};
use chrono::{DateTime, Utc};
use chrono_tz::Tz;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use uuid::Uuid;

/// The series of which a visit is one, with all its visits in order.
pub async fn of_visit(conn: &mut Conn, visit: Uuid) -> Result<Option<(Series, Vec<Visit>)>> {
    let found: Option<Series> = series_visits::table
        .inner_join(series::table.on(series::id.eq(series_visits::series_id)))
        .filter(series_visits::visit_id.eq(visit))
        .select(Series::as_select())
        .first(conn)
        .await
        .optional()?;
    let Some(found) = found else { return Ok(None) };
    let all = series_visits::table
        .inner_join(visits::table.on(visits::id.eq(series_visits::visit_id)))
        .filter(series_visits::series_id.eq(found.id))
        .order(visits::starts_at)
        .select(Visit::as_select())
        .load(conn)
        .await?;
    Ok(Some((found, all)))
}

impl Change<'_> {
    /// Books a whole series: every visit of it, or none.
    pub async fn book_series(&mut self, bookings: &[Booking], rule: &str, zone: Tz) -> Result<Vec<Visit>> {
        let Some(first) = bookings.first() else { return Ok(vec![]) };
        let row = Series {
            id: Uuid::now_v7(),
            person_id: first.person_id,
            rule: rule.to_owned(),
            made_at: self.now,
            made_by: self.actor.name.clone(),
        };
        diesel::insert_into(series::table).values(&row).execute(self.conn()).await?;
        let mut out = Vec::new();
        for booking in bookings {
            let visit = self.book(booking, zone).await?;
            diesel::insert_into(series_visits::table)
                .values((series_visits::visit_id.eq(visit.id), series_visits::series_id.eq(row.id)))
                .execute(self.conn())
                .await?;
            out.push(visit);
        }
        self.audit("booked", "series", row.id, Some(first.person_id), format!("{rule}, {} visits", out.len()));
        Ok(out)
    }

    /// Cancels what is still to come of a series from a moment on. Gives how many those were.
    pub async fn cancel_rest(
        &mut self,
        series_id: Uuid,
        from: DateTime<Utc>,
        by_patient: bool,
        reason: &str,
    ) -> Result<usize> {
        let rest: Vec<Uuid> = series_visits::table
            .inner_join(visits::table.on(visits::id.eq(series_visits::visit_id)))
            .filter(series_visits::series_id.eq(series_id))
            .filter(visits::starts_at.ge(from).and(visits::stage.eq("booked")))
            .select(visits::id)
            .load(self.conn())
            .await?;
        for visit in &rest {
            self.cancel_visit(*visit, by_patient, reason).await?;
        }
        self.audit("cancelled", "series", series_id, None, format!("{} visits", rest.len()));
        Ok(rest.len())
    }
}
