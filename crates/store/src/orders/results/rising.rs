//! Critical results that nobody signs: given to the next clinician on duty, each step kept.

use crate::codes::Code;
use crate::rows::*;
use crate::schema::{lab_reports, result_questions, result_risings, shifts, staff};
use crate::{Change, Conn, Result, Topic};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::orders::review::Urgency;
use harbor_core::orders::rising::{next_reader, rises};
use uuid::Uuid;

/// Critical results that nobody signed, the oldest first.
pub async fn unread_critical(conn: &mut Conn) -> Result<Vec<LabReport>> {
    use lab_reports as r;
    let unread = r::reviewed_at.is_null().and(r::replaced.eq(false));
    Ok(r::table
        .filter(unread.and(r::urgency.eq(Code(Urgency::Critical))))
        .order((r::received_at, r::id))
        .select(LabReport::as_select())
        .load(conn)
        .await?)
}

/// To whom a report rose, the first step first.
pub async fn risings_of(conn: &mut Conn, report: Uuid) -> Result<Vec<ResultRising>> {
    use result_risings as s;
    Ok(s::table
        .filter(s::report_id.eq(report))
        .order((s::risen_at, s::id))
        .select(ResultRising::as_select())
        .load(conn)
        .await?)
}

/// Clinicians who work now, in the order of the clinic.
async fn on_duty(conn: &mut Conn, now: DateTime<Utc>) -> Result<Vec<Uuid>> {
    let working = shifts::starts_at.le(now).and(shifts::ends_at.gt(now)).and(shifts::cancelled_at.is_null());
    let mut all: Vec<Uuid> = shifts::table
        .inner_join(staff::table.on(staff::id.eq(shifts::clinician_id)))
        .filter(working.and(staff::active).and(staff::role.eq("clinician")))
        .order((staff::sort, staff::id))
        .select(staff::id)
        .load(conn)
        .await?;
    all.dedup();
    Ok(all)
}

impl Change<'_> {
    /// Gives each critical result that nobody signed for so many minutes to the next clinician on duty; tells how many rose.
    pub async fn raise_critical(&mut self, minutes: i64) -> Result<usize> {
        let now = self.now;
        // One server at a time, so that a result takes one step and not two.
        diesel::sql_query("select pg_advisory_xact_lock(hashtext('critical results'))").execute(self.conn()).await?;
        let waiting = unread_critical(self.conn()).await?;
        let duty = if waiting.is_empty() { vec![] } else { on_duty(self.conn(), now).await? };
        let mut risen = 0;
        for report in waiting {
            let steps = risings_of(self.conn(), report.id).await?;
            let asked: Vec<ResultQuestion> = result_questions::table
                .filter(result_questions::report_id.eq(report.id))
                .select(ResultQuestion::as_select())
                .load(self.conn())
                .await?;
            let given = steps.iter().map(|s| s.risen_at).chain(asked.iter().map(|q| q.asked_at)).max();
            if !rises(given.unwrap_or(report.received_at).max(report.received_at), minutes, now) {
                continue;
            }
            let had_it: Vec<Uuid> = report
                .reviewer_id
                .into_iter()
                .chain(steps.iter().flat_map(|s| s.from_id.into_iter().chain([s.to_id])))
                .chain(asked.iter().flat_map(|q| [q.from_id, q.to_id]))
                .collect();
            let Some(to) = next_reader(&duty, &had_it) else { continue };
            diesel::update(lab_reports::table.find(report.id))
                .set(lab_reports::reviewer_id.eq(to))
                .execute(self.conn())
                .await?;
            let step = ResultRising {
                id: Uuid::now_v7(),
                report_id: report.id,
                from_id: report.reviewer_id,
                to_id: to,
                risen_at: now,
            };
            diesel::insert_into(result_risings::table).values(&step).execute(self.conn()).await?;
            self.audit("rose", "result", report.id, report.person_id, format!("to {to}"));
            self.tell(Topic::Result, report.id);
            risen += 1;
        }
        Ok(risen)
    }
}
