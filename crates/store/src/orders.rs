//! Orders.

pub mod results;

use crate::codes::Code;
use crate::documents::{Doc, QuestionAnswer};
use crate::jobs::JobKind;
use crate::rows::*;
use crate::schema::{order_diagnoses, orders};
use crate::{Change, Conn, Result, StoreError, Topic};
use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::Bool;
use diesel_async::RunQueryDsl;
use harbor_core::orders::OrderState;
use uuid::Uuid;

pub async fn of_visits(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<Order>> {
    Ok(orders::table
        .filter(orders::visit_id.eq_any(visits).and(orders::state.ne("cancelled")))
        .order(orders::id)
        .select(Order::as_select())
        .load(conn)
        .await?)
}

/// Orders of a visit that were sent and then taken back; they stay readable, with why.
pub async fn taken_back_of(conn: &mut Conn, visit: Uuid) -> Result<Vec<Order>> {
    let taken_back = orders::state.eq("cancelled").and(orders::state_reason.ne(""));
    Ok(orders::table
        .filter(orders::visit_id.eq(visit).and(taken_back))
        .order(orders::id)
        .select(Order::as_select())
        .load(conn)
        .await?)
}

/// Most of a list of open orders; how many there are is told beside it.
pub const LISTED: i64 = 200;

/// Orders that somebody still waits for, the oldest first, with their people, and how many there are; of one orderer or of
/// all.
pub async fn open(conn: &mut Conn, orderer: Option<Uuid>) -> Result<(Vec<(Order, Person)>, i64)> {
    use crate::schema::people;
    // Written out and not bound, so that the index of the open ones serves.
    let open = OrderState::OPEN.map(|s| format!("'{}'", s.code())).join(", ");
    let is_open = || sql::<Bool>(&format!("orders.state in ({open})"));
    let mut some = orders::table.inner_join(people::table.on(people::id.eq(orders::person_id))).into_boxed();
    let mut all = orders::table.into_boxed();
    if let Some(orderer) = orderer {
        some = some.filter(orders::orderer_id.eq(orderer));
        all = all.filter(orders::orderer_id.eq(orderer));
    }
    let count = all.filter(is_open()).count().get_result(conn).await?;
    let listed = some
        .filter(is_open())
        .order(orders::ordered_at)
        .limit(LISTED)
        .select((Order::as_select(), Person::as_select()))
        .load(conn)
        .await?;
    Ok((listed, count))
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

    /// Takes an order back that was sent, with why, and leaves telling the laboratory to a job. What it answers all the same
    /// is read like any other result.
    pub async fn take_order_back(&mut self, order: &Order, why: &str) -> Result<()> {
        let open = orders::state.eq_any(OrderState::OPEN.map(|s| s.code()));
        let n = diesel::update(orders::table.filter(orders::id.eq(order.id).and(open)))
            .set((orders::state.eq("cancelled"), orders::state_reason.eq(why)))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::refused(
                "not_open",
                "The order waits for nothing any more; its result may be here.",
            ));
        }
        self.add_job(JobKind::CancelOrder, order.id).await?;
        self.audit("taken back", "order", order.id, Some(order.person_id), why);
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

    /// Keeps what is handed over for a requisition, before it is: an answer may be lost, what was sent is not.
    pub async fn keep_sent_orders(&mut self, requisition: &str, content: &[u8]) -> Result<()> {
        let (document, _) = self.keep_document("requisition", "out", content).await?;
        diesel::update(orders::table.filter(orders::requisition.eq(requisition)))
            .set(orders::sent_document_id.eq(document))
            .execute(self.conn())
            .await?;
        self.audit("kept as sent", "document", document, None, requisition);
        Ok(())
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
}
