//! Orders and laboratory reports.

use crate::codes::Code;
use crate::documents::{Doc, QuestionAnswer, ReportedValue};
use crate::jobs::JobKind;
use crate::rows::*;
use crate::schema::{lab_reports, order_diagnoses, orders};
use crate::{Change, Conn, Result, StoreError, Topic, people};
use chrono::{DateTime, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::orders::truth::{Arrival, Issued, arrival, is_result};
use harbor_core::orders::{OrderState, ReportStatus};
use uuid::Uuid;

pub async fn of_visits(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<Order>> {
    Ok(orders::table
        .filter(orders::visit_id.eq_any(visits).and(orders::state.ne("cancelled")))
        .order(orders::id)
        .select(Order::as_select())
        .load(conn)
        .await?)
}

pub async fn links(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<OrderDiagnosis>> {
    use order_diagnoses as d;
    Ok(d::table.filter(d::visit_id.eq_any(visits)).select(OrderDiagnosis::as_select()).load(conn).await?)
}

pub async fn order(conn: &mut Conn, id: Uuid) -> Result<Order> {
    orders::table.find(id).select(Order::as_select()).first(conn).await.optional()?.ok_or(StoreError::NotFound("order"))
}

pub async fn of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<Order>> {
    Ok(orders::table
        .filter(orders::person_id.eq(person).and(orders::state.ne("cancelled")))
        .order(orders::ordered_at.desc())
        .limit(100)
        .select(Order::as_select())
        .load(conn)
        .await?)
}

/// Orders of one requisition, in the order they were made.
pub async fn of_requisition(conn: &mut Conn, requisition: &str) -> Result<Vec<Order>> {
    Ok(orders::table
        .filter(orders::requisition.eq(requisition))
        .order(orders::id)
        .select(Order::as_select())
        .load(conn)
        .await?)
}

/// Reports that nobody has reviewed, oldest first; those whose person is uncertain among them.
pub async fn unreviewed(conn: &mut Conn) -> Result<Vec<LabReport>> {
    use lab_reports as r;
    Ok(r::table
        .filter(r::reviewed_at.is_null().and(r::replaced.eq(false)))
        .order(r::received_at)
        .limit(300)
        .select(LabReport::as_select())
        .load(conn)
        .await?)
}

/// What holds of the results of a person, the last issued first; not what was replaced, or came too late.
pub async fn reports_of_person(conn: &mut Conn, person: Uuid) -> Result<Vec<LabReport>> {
    use lab_reports as r;
    Ok(r::table
        .filter(r::person_id.eq(person).and(r::replaced.eq(false)))
        .order(r::issued_at.desc())
        .limit(200)
        .select(LabReport::as_select())
        .load(conn)
        .await?)
}

/// A report with everything that is looked at beside it.
#[derive(Debug)]
pub struct Unreviewed {
    pub report: LabReport,
    pub person: Option<Person>,
    pub order: Option<Order>,
    /// The report that a corrected one replaces.
    pub before: Option<LabReport>,
    /// The person's other reports that stand, newest first.
    pub earlier: Vec<LabReport>,
}

/// All reports that wait for their reviewer, gathered in five queries however many there are.
pub async fn unreviewed_with_context(conn: &mut Conn) -> Result<Vec<Unreviewed>> {
    use lab_reports as r;
    let waiting = unreviewed(conn).await?;
    let persons = people::by_id(conn, waiting.iter().filter_map(|w| w.person_id)).await?;
    let wanted: Vec<Uuid> = waiting.iter().filter_map(|w| w.order_id).collect();
    let rows: Vec<Order> =
        orders::table.filter(orders::id.eq_any(wanted)).select(Order::as_select()).load(conn).await?;
    let replaced: Vec<Uuid> = waiting.iter().filter_map(|w| w.replaces).collect();
    let before: Vec<LabReport> =
        r::table.filter(r::id.eq_any(replaced)).select(LabReport::as_select()).load(conn).await?;
    let earlier: Vec<LabReport> = r::table
        .filter(r::person_id.eq_any(persons.keys().copied().collect::<Vec<_>>()).and(r::replaced.eq(false)))
        .order(r::issued_at.desc())
        .select(LabReport::as_select())
        .load(conn)
        .await?;
    let whole = |report: LabReport| Unreviewed {
        person: report.person_id.and_then(|id| persons.get(&id).cloned()),
        order: rows.iter().find(|o| Some(o.id) == report.order_id).cloned(),
        before: before.iter().find(|b| Some(b.id) == report.replaces).cloned(),
        earlier: earlier
            .iter()
            .filter(|e| report.person_id.is_some() && e.person_id == report.person_id && e.id != report.id)
            .cloned()
            .collect(),
        report,
    };
    Ok(waiting.into_iter().map(whole).collect())
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

impl LabReport {
    fn issued(&self) -> Issued {
        Issued { status: *self.status, at: self.issued_at }
    }
}

/// A report as it came in.
#[derive(Debug, Clone)]
pub struct NewReport {
    pub number: String,
    /// The order that it answers, where it names the person of that order.
    pub order: Option<Order>,
    pub record_number: String,
    pub status: ReportStatus,
    pub issued_at: DateTime<Utc>,
    pub content: Vec<ReportedValue>,
    pub digest: String,
}

impl Change<'_> {
    pub async fn add_order(&mut self, row: Order, codes: &[String]) -> Result<Order> {
        diesel::insert_into(orders::table).values(&row).execute(self.conn()).await?;
        self.link_order(&row, codes).await?;
        self.audit("ordered", "order", row.id, Some(row.person_id), row.test_name.clone());
        Ok(row)
    }

    /// Lays an order under these diagnoses of its visit, and under no other.
    pub async fn link_order(&mut self, order: &Order, codes: &[String]) -> Result<()> {
        use order_diagnoses as d;
        diesel::delete(d::table.filter(d::order_id.eq(order.id))).execute(self.conn()).await?;
        let rows: Vec<OrderDiagnosis> = codes
            .iter()
            .map(|c| OrderDiagnosis { order_id: order.id, visit_id: order.visit_id, code: c.clone() })
            .collect();
        diesel::insert_into(d::table).values(&rows).execute(self.conn()).await?;
        self.audit("placed", "order", order.id, Some(order.person_id), codes.join(" "));
        self.tell(Topic::Visit, order.visit_id);
        Ok(())
    }

    pub async fn answer_order(&mut self, order: &Order, answers: Vec<QuestionAnswer>) -> Result<()> {
        diesel::update(orders::table.find(order.id)).set(orders::answers.eq(Doc(answers))).execute(self.conn()).await?;
        self.audit("answered questions", "order", order.id, Some(order.person_id), "");
        self.tell(Topic::Visit, order.visit_id);
        Ok(())
    }

    pub async fn cancel_order(&mut self, order: &Order) -> Result<()> {
        let n = diesel::update(orders::table.filter(orders::id.eq(order.id).and(orders::state.eq("draft"))))
            .set(orders::state.eq("cancelled"))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::refused("sent", "The order has been sent; call the laboratory."));
        }
        diesel::delete(order_diagnoses::table.filter(order_diagnoses::order_id.eq(order.id)))
            .execute(self.conn())
            .await?;
        self.audit("cancelled", "order", order.id, Some(order.person_id), "");
        self.tell(Topic::Visit, order.visit_id);
        Ok(())
    }

    /// Gathers the draft orders of a visit into a requisition and leaves the handing-over to a job.
    pub async fn send_orders(&mut self, visit: &Visit, ids: &[Uuid]) -> Result<String> {
        let id = Uuid::now_v7();
        // The end of the id: its beginning is the time, the same for two requisitions of one instant.
        let requisition = format!("R{}", &id.simple().to_string()[20..].to_uppercase());
        let n = diesel::update(orders::table.filter(orders::id.eq_any(ids).and(orders::state.eq("draft"))))
            .set((orders::state.eq("sending"), orders::requisition.eq(&requisition)))
            .execute(self.conn())
            .await?;
        if n != ids.len() {
            return Err(StoreError::refused("sent", "Some of these orders have been sent already."));
        }
        if let Some(first) = ids.first() {
            self.add_job(JobKind::SendOrders, *first).await?;
        }
        self.audit("sent orders", "visit", visit.id, Some(visit.person_id), requisition.clone());
        self.tell(Topic::Visit, visit.id);
        Ok(requisition)
    }

    /// Moves the orders of a requisition on; an order that has its result stays there.
    pub async fn orders_became(&mut self, requisition: &str, state: OrderState) -> Result<()> {
        let now = self.now;
        let moved: Vec<(Uuid, Uuid)> = diesel::update(
            orders::table
                .filter(orders::requisition.eq(requisition).and(orders::state.eq_any(["sending", "requested"]))),
        )
        .set((orders::state.eq(Code(state)), orders::sent_at.eq(now)))
        .returning((orders::visit_id, orders::person_id))
        .load(self.conn())
        .await?;
        for (visit, person) in moved {
            self.audit("laboratory", "visit", visit, Some(person), format!("{requisition} {}", state.code()));
            self.tell(Topic::Visit, visit);
        }
        Ok(())
    }

    /// Files a report. The same report twice is one; of several of one number and person the most settled holds, in
    /// whatever order they come. Nothing is returned when the report had been here before.
    pub async fn file_report(&mut self, new: NewReport) -> Result<Option<LabReport>> {
        use lab_reports as r;
        let hold: Vec<LabReport> = r::table
            .filter(r::number.eq(&new.number).and(r::replaced.eq(false)))
            .order(r::id)
            .select(LabReport::as_select())
            .for_update()
            .load(self.conn())
            .await?;
        // A report of this number that is about somebody else goes on to hold.
        let person = new.order.as_ref().map(|o| o.person_id);
        let before = hold.into_iter().find(|b| match (person, b.person_id) {
            (Some(person), Some(other)) => person == other,
            _ => b.record_number == new.record_number,
        });
        let issued = Issued { status: new.status, at: new.issued_at };
        let late = arrival(issued, before.as_ref().map(LabReport::issued)) == Arrival::Late;
        let (order_id, person_id) = match (&new.order, &before) {
            (Some(o), _) => (Some(o.id), Some(o.person_id)),
            (None, Some(b)) => (b.order_id, b.person_id),
            (None, None) => (None, None),
        };
        let row = LabReport {
            id: Uuid::now_v7(),
            number: new.number,
            order_id,
            person_id,
            record_number: new.record_number,
            status: new.status.into(),
            issued_at: new.issued_at,
            received_at: self.now,
            content: Doc(new.content),
            digest: new.digest,
            replaces: before.as_ref().filter(|_| !late).map(|b| b.id),
            replaced: late,
            reviewed_at: None,
            reviewed_by: None,
            review_comment: String::new(),
        };
        let n =
            diesel::insert_into(r::table).values(&row).on_conflict(r::digest).do_nothing().execute(self.conn()).await?;
        if n == 0 {
            return Ok(None);
        }
        if let Some(b) = before.filter(|_| !late) {
            diesel::update(r::table.find(b.id)).set(r::replaced.eq(true)).execute(self.conn()).await?;
        }
        if let Some(order) = new.order.as_ref().filter(|_| !late) {
            // What is only registered, or was cancelled, is no result: the order goes on to wait for one.
            let state = if is_result(new.status) { OrderState::Resulted } else { OrderState::Accepted };
            let moved = orders::table.filter(orders::id.eq(order.id).and(orders::state.ne("cancelled")));
            diesel::update(moved).set(orders::state.eq(Code(state))).execute(self.conn()).await?;
            self.tell(Topic::Visit, order.visit_id);
        }
        self.audit("received", "result", row.id, person_id, format!("{} {}", row.number, row.status.code()));
        self.tell(Topic::Result, row.id);
        Ok(Some(row))
    }

    /// Signs a result as seen, with a comment.
    pub async fn review_report(&mut self, id: Uuid, comment: &str) -> Result<LabReport> {
        use lab_reports as r;
        let (now, by) = (self.now, self.actor.name.clone());
        let saved =
            diesel::update(r::table.filter(r::id.eq(id).and(r::reviewed_at.is_null()).and(r::replaced.eq(false))))
                .set((r::reviewed_at.eq(now), r::reviewed_by.eq(by), r::review_comment.eq(comment)))
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
            let order = order_visit(self.conn(), order).await?;
            self.tell(Topic::Visit, order);
        }
        Ok(row)
    }

    /// Files an unmatched report under a person; a deliberate act of somebody, never a guess.
    pub async fn match_report(&mut self, id: Uuid, person: Uuid) -> Result<()> {
        use lab_reports as r;
        let n = diesel::update(r::table.filter(r::id.eq(id).and(r::person_id.is_null())))
            .set(r::person_id.eq(person))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::refused("matched", "This result is filed under a person already."));
        }
        self.audit("matched", "result", id, Some(person), "");
        self.tell(Topic::Result, id);
        Ok(())
    }
}

async fn order_visit(conn: &mut Conn, order: Uuid) -> Result<Uuid> {
    Ok(orders::table.find(order).select(orders::visit_id).first(conn).await?)
}
