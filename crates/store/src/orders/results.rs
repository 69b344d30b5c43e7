//! Laboratory reports and their values: filed, waiting, signed, and found again.

pub mod filing;
pub mod rising;
pub mod stand_ins;
mod values;

use crate::codes::Code;
use crate::documents::Doc;
use crate::rows::*;
use crate::schema::{lab_reports, orders, report_files, result_looks, result_questions, result_values, staff};
use crate::{Change, Conn, Result, StoreError, Topic, people};
use chrono::{DateTime, Utc};
use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::Integer;
use diesel_async::RunQueryDsl;
use harbor_core::orders::review::{Urgency, urgency};
use harbor_core::orders::truth::{Arrival, Issued, answered, arrival};
use harbor_core::orders::{LabReport as Read, OrderState, ReportStatus};
use std::collections::HashMap;
use uuid::Uuid;

/// A report with its values, in the order of the laboratory.
#[derive(Debug, Clone)]
pub struct Report {
    pub row: LabReport,
    pub values: Vec<ResultValue>,
}

pub async fn report(conn: &mut Conn, id: Uuid) -> Result<LabReport> {
    lab_reports::table
        .find(id)
        .select(LabReport::as_select())
        .first(conn)
        .await
        .optional()?
        .ok_or(StoreError::NotFound("result"))
}

pub async fn with_values(conn: &mut Conn, rows: Vec<LabReport>) -> Result<Vec<Report>> {
    use result_values as v;
    let ids: Vec<Uuid> = rows.iter().map(|r| r.id).collect();
    let values: Vec<ResultValue> = v::table
        .filter(v::report_id.eq_any(ids))
        .order((v::report_id, v::position))
        .select(ResultValue::as_select())
        .load(conn)
        .await?;
    let mut of: HashMap<Uuid, Vec<ResultValue>> = HashMap::new();
    for value in values {
        of.entry(value.report_id).or_default().push(value);
    }
    Ok(rows.into_iter().map(|row| Report { values: of.remove(&row.id).unwrap_or_default(), row }).collect())
}

/// What holds of the results of a person, the last issued first; not what was replaced, or came too late.
pub async fn of_person(conn: &mut Conn, person: Uuid, most: i64) -> Result<Vec<Report>> {
    use lab_reports as r;
    let rows = r::table
        .filter(r::person_id.eq(person).and(r::replaced.eq(false)))
        .order((r::issued_at.desc(), r::id.desc()))
        .limit(most)
        .select(LabReport::as_select())
        .load(conn)
        .await?;
    with_values(conn, rows).await
}

/// How many results of a person nobody has signed; what is only registered is none yet.
/// The newest number that counts for one of these LOINC codes: with its unit, and when it was reported.
pub async fn latest_value(
    conn: &mut Conn,
    person: Uuid,
    loinc: &[&str],
) -> Result<Option<(f64, String, DateTime<Utc>)>> {
    use lab_reports as r;
    use result_values as v;
    let found: Option<(Option<f64>, String, DateTime<Utc>)> = r::table
        .inner_join(v::table.on(v::report_id.eq(r::id)))
        .filter(r::person_id.eq(person).and(r::replaced.eq(false)).and(r::status.ne("cancelled")))
        .filter(v::loinc.eq_any(loinc).and(v::number.is_not_null()).and(v::comparator.is_null()))
        .order(r::issued_at.desc())
        .select((v::number, v::unit, r::issued_at))
        .first(conn)
        .await
        .optional()?;
    Ok(found.and_then(|(number, unit, at)| Some((number?, unit, at))))
}

pub async fn unseen_of(conn: &mut Conn, person: Uuid) -> Result<i64> {
    use lab_reports as r;
    let unseen = r::person_id.eq(person).and(r::replaced.eq(false)).and(r::reviewed_at.is_null());
    Ok(r::table.filter(unseen.and(r::status.ne(Code(ReportStatus::Registered)))).count().get_result(conn).await?)
}

/// Earlier values of the tests of a report: what holds of the person's other reports, the oldest first, each with when
/// it was issued.
pub async fn earlier_than(conn: &mut Conn, report: &LabReport) -> Result<Vec<(LabReport, ResultValue)>> {
    use {lab_reports as r, result_values as v};
    let Some(person) = report.person_id else { return Ok(vec![]) };
    let keys: Vec<String> = v::table.filter(v::report_id.eq(report.id)).select(v::test_key).load(conn).await?;
    let others = r::person_id.eq(person).and(r::replaced.eq(false)).and(r::id.ne(report.id));
    Ok(r::table
        .inner_join(v::table.on(v::report_id.eq(r::id)))
        .filter(others.and(v::test_key.eq_any(keys)).and(r::issued_at.le(report.issued_at)))
        .order((r::issued_at, v::position))
        .select((LabReport::as_select(), ResultValue::as_select()))
        .load(conn)
        .await?)
}

/// A report that waits, with what a list tells of it.
#[derive(Debug)]
pub struct Waiting {
    pub report: Report,
    pub person: Option<Person>,
    pub order: Option<Order>,
}

/// Most of a list; how many wait is told beside it, so that none falls off unseen.
pub const LISTED: i64 = 200;

fn pressing() -> diesel::expression::SqlLiteral<Integer> {
    let all: Vec<String> = Urgency::ALL.iter().map(|u| format!("'{}'", u.code())).collect();
    sql::<Integer>(&format!("array_position(array[{}], urgency)", all.join(", ")))
}

/// Reports that nobody has signed, the most pressing first, then the oldest; of these readers and of those that are
/// nobody's, or of all. Those whose person is uncertain are everybody's. What is only registered says nothing yet.
pub async fn waiting(conn: &mut Conn, readers: Option<&[Uuid]>) -> Result<(Vec<Waiting>, i64)> {
    use lab_reports as r;
    let unread = || {
        let waits = r::reviewed_at.is_null().and(r::replaced.eq(false));
        r::table.filter(waits.and(r::status.ne(Code(ReportStatus::Registered))))
    };
    let mut some = unread().into_boxed();
    let mut all = unread().into_boxed();
    if let Some(readers) = readers {
        let theirs = || r::reviewer_id.eq_any(readers).or(r::reviewer_id.is_null()).or(r::person_id.is_null());
        some = some.filter(theirs());
        all = all.filter(theirs());
    }
    let count = all.count().get_result(conn).await?;
    let rows: Vec<LabReport> =
        some.order((pressing(), r::received_at, r::id)).limit(LISTED).select(LabReport::as_select()).load(conn).await?;
    let persons = people::by_id(conn, rows.iter().filter_map(|w| w.person_id)).await?;
    let wanted: Vec<Uuid> = rows.iter().filter_map(|w| w.order_id).collect();
    let ordered: Vec<Order> =
        orders::table.filter(orders::id.eq_any(wanted)).select(Order::as_select()).load(conn).await?;
    let one = |report: Report| Waiting {
        person: report.row.person_id.and_then(|id| persons.get(&id).cloned()),
        order: ordered.iter().find(|o| Some(o.id) == report.row.order_id).cloned(),
        report,
    };
    Ok((with_values(conn, rows).await?.into_iter().map(one).collect(), count))
}

/// Who had each of these before their eyes: report, name, and when first.
pub async fn looks_at(
    conn: &mut Conn,
    reports: &[Uuid],
) -> Result<Vec<(Uuid, Uuid, String, chrono::DateTime<chrono::Utc>)>> {
    use result_looks as l;
    Ok(l::table
        .inner_join(staff::table.on(staff::id.eq(l::staff_id)))
        .filter(l::report_id.eq_any(reports))
        .order(l::looked_at)
        .select((l::report_id, l::staff_id, staff::name, l::looked_at))
        .load(conn)
        .await?)
}

/// What was asked when a report was handed on, the last first.
pub async fn questions_of(conn: &mut Conn, report: Uuid) -> Result<Vec<ResultQuestion>> {
    use result_questions as q;
    Ok(q::table
        .filter(q::report_id.eq(report))
        .order(q::asked_at.desc())
        .select(ResultQuestion::as_select())
        .load(conn)
        .await?)
}

/// What the files of a report are called; their content is asked for one by one.
pub async fn files_of(conn: &mut Conn, report: Uuid) -> Result<Vec<ReportFile>> {
    use report_files as f;
    Ok(f::table.filter(f::report_id.eq(report)).order(f::position).select(ReportFile::as_select()).load(conn).await?)
}

impl LabReport {
    fn issued(&self) -> Issued {
        Issued { status: *self.status, at: self.issued_at }
    }
}

/// A report as it came in.
#[derive(Debug, Clone)]
pub struct NewReport {
    pub read: Read,
    /// The order that it answers, where it names the person of that order.
    pub order: Option<Order>,
    pub digest: String,
}

impl Change<'_> {
    /// Files a report. The same report twice is one; of several of one number and person the most settled holds, in
    /// whatever order they come. Nothing is returned when the report had been here before.
    pub async fn file_report(&mut self, new: NewReport) -> Result<Option<LabReport>> {
        use lab_reports as r;
        let NewReport { read, order, digest } = new;
        // One report of a number at a time: two that came at once would both hold.
        self.alone_at("report", &read.number).await?;
        let hold: Vec<LabReport> = r::table
            .filter(r::number.eq(&read.number).and(r::replaced.eq(false)))
            .order(r::id)
            .select(LabReport::as_select())
            .for_update()
            .load(self.conn())
            .await?;
        // A report of this number that is about somebody else goes on to hold.
        let person = order.as_ref().map(|o| o.person_id);
        let before = hold.into_iter().find(|b| match (person, b.person_id) {
            (Some(person), Some(other)) => person == other,
            _ => b.record_number == read.subject.record_number,
        });
        let issued = Issued { status: read.status, at: read.issued };
        let late = arrival(issued, before.as_ref().map(LabReport::issued)) == Arrival::Late;
        let (order_id, person_id) = match (&order, &before) {
            (Some(o), _) => (Some(o.id), Some(o.person_id)),
            (None, Some(b)) => (b.order_id, b.person_id),
            (None, None) => (None, None),
        };
        let reviewer_id = match (&before, &order) {
            (Some(b), _) => b.reviewer_id,
            (None, Some(o)) => self.who_reads(o.orderer_id).await?,
            (None, None) => None,
        };
        let row = LabReport {
            id: Uuid::now_v7(),
            number: read.number,
            order_id,
            person_id,
            record_number: read.subject.record_number.clone(),
            status: read.status.into(),
            issued_at: read.issued,
            received_at: self.now,
            digest,
            replaces: before.as_ref().filter(|_| !late).map(|b| b.id),
            replaced: late,
            reviewed_at: None,
            reviewed_by: None,
            review_comment: String::new(),
            name: read.name,
            performer: read.performer,
            conclusion: read.conclusion,
            subject: Doc((&read.subject).into()),
            urgency: urgency(&read.values).into(),
            reviewer_id,
            reviewed_by_id: None,
        };
        let n =
            diesel::insert_into(r::table).values(&row).on_conflict(r::digest).do_nothing().execute(self.conn()).await?;
        if n == 0 {
            return Ok(None);
        }
        self.keep_values(row.id, &read.values).await?;
        for (at, f) in read.files.into_iter().enumerate() {
            let file = ReportFile {
                report_id: row.id,
                position: i32::try_from(at).unwrap_or(i32::MAX),
                title: f.title,
                media_type: f.media_type,
                content: f.content,
            };
            diesel::insert_into(report_files::table).values(&file).execute(self.conn()).await?;
        }
        if let Some(b) = before.filter(|_| !late) {
            diesel::update(r::table.find(b.id)).set(r::replaced.eq(true)).execute(self.conn()).await?;
        }
        if let Some(order) = order.as_ref().filter(|_| !late) {
            self.order_answered(order.id, read.status, &row.conclusion).await?;
        }
        self.audit("received", "result", row.id, person_id, format!("{} {}", row.number, row.status.code()));
        self.tell(Topic::Result, row.id);
        Ok(Some(row))
    }

    /// Who reads what comes for somebody's orders: they themselves, or everybody when they have left the clinic.
    pub(super) async fn who_reads(&mut self, orderer: Uuid) -> Result<Option<Uuid>> {
        let here = staff::table.find(orderer).filter(staff::active).select(staff::id);
        Ok(here.first(self.conn()).await.optional()?)
    }

    /// An order becomes what a report makes of it; one that was cancelled stays so.
    pub(super) async fn order_answered(&mut self, order: Uuid, status: ReportStatus, why: &str) -> Result<()> {
        let state = answered(status);
        let why = if state == OrderState::Rejected { why } else { "" };
        let moved = orders::table.filter(orders::id.eq(order).and(orders::state.ne("cancelled")));
        let visit: Option<Option<Uuid>> = diesel::update(moved)
            .set((orders::state.eq(Code(state)), orders::state_reason.eq(why)))
            .returning(orders::visit_id)
            .get_result(self.conn())
            .await
            .optional()?;
        if let Some(visit) = visit.flatten() {
            self.tell(Topic::Visit, visit);
        }
        Ok(())
    }

    /// Signs a result as seen, with a comment.
    pub async fn review_report(&mut self, id: Uuid, comment: &str) -> Result<LabReport> {
        use lab_reports as r;
        let (now, by, by_id) = (self.now, self.actor.name.clone(), self.actor.staff_id);
        let saved =
            diesel::update(r::table.filter(r::id.eq(id).and(r::reviewed_at.is_null()).and(r::replaced.eq(false))))
                .set((
                    r::reviewed_at.eq(now),
                    r::reviewed_by.eq(by),
                    r::reviewed_by_id.eq(by_id),
                    r::review_comment.eq(comment),
                ))
                .returning(LabReport::as_returning())
                .get_result(self.conn())
                .await
                .optional()?;
        let Some(row) = saved else {
            report(self.conn(), id).await?;
            return Err(StoreError::refused(
                "reviewed",
                "This result is signed already, or a newer one has replaced it.",
            ));
        };
        self.audit("reviewed", "result", id, row.person_id, comment);
        self.tell(Topic::Result, id);
        if let Some(order) = row.order_id {
            let visit: Option<Uuid> = orders::table.find(order).select(orders::visit_id).first(self.conn()).await?;
            if let Some(visit) = visit {
                self.tell(Topic::Visit, visit);
            }
        }
        Ok(row)
    }

    /// Somebody had a result before their eyes; the first time counts.
    pub async fn look_at_report(&mut self, id: Uuid, who: Uuid) -> Result<()> {
        use result_looks as l;
        let look = (l::report_id.eq(id), l::staff_id.eq(who), l::looked_at.eq(self.now));
        let n = diesel::insert_into(l::table).values(look).on_conflict_do_nothing().execute(self.conn()).await?;
        if n > 0 {
            let person = report(self.conn(), id).await?.person_id;
            self.audit("looked at", "result", id, person, "");
            self.tell(Topic::Result, id);
        }
        Ok(())
    }

    /// Hands a result on to a colleague, who reads it from now on, with a question.
    pub async fn hand_report_on(&mut self, id: Uuid, from: Uuid, to: Uuid, question: &str) -> Result<()> {
        use lab_reports as r;
        let waits = r::id.eq(id).and(r::reviewed_at.is_null()).and(r::replaced.eq(false));
        let handed: Option<Option<Uuid>> = diesel::update(r::table.filter(waits))
            .set(r::reviewer_id.eq(to))
            .returning(r::person_id)
            .get_result(self.conn())
            .await
            .optional()?;
        let Some(person) = handed else {
            return Err(StoreError::refused(
                "reviewed",
                "This result is signed already, or a newer one has replaced it.",
            ));
        };
        let row = ResultQuestion {
            id: Uuid::now_v7(),
            report_id: id,
            from_id: from,
            to_id: to,
            question: question.to_owned(),
            asked_at: self.now,
        };
        diesel::insert_into(result_questions::table).values(&row).execute(self.conn()).await?;
        self.audit("handed on", "result", id, person, question);
        self.tell(Topic::Result, id);
        Ok(())
    }
}
