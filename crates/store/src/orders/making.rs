//! Making orders, laying them under diagnoses, signing them, and what becomes of them.

use crate::codes::Code;
use crate::documents::{Doc, OrderRequest, QuestionAnswer};
use crate::jobs::JobKind;
use crate::rows::*;
use crate::schema::{order_diagnoses, orders};
use crate::{Change, Result, StoreError, Topic};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::orders::{OrderKind, OrderState, Priority};
use std::collections::BTreeMap;
use uuid::Uuid;

/// A diagnosis that an order lies under: its code and its words.
pub type Under = (String, String);

fn sent() -> StoreError {
    StoreError::refused("sent", "The order is signed; take it back instead.")
}

impl Change<'_> {
    pub async fn add_order(&mut self, row: Order, under: &[Under]) -> Result<Order> {
        diesel::insert_into(orders::table).values(&row).execute(self.conn()).await?;
        self.link_order(&row, under).await?;
        self.audit("ordered", "order", row.id, Some(row.person_id), row.test_name.clone());
        Ok(row)
    }

    /// Tells the screens that show an order: its visit's, or its person's.
    pub(in crate::orders) fn tell_order(&mut self, order: &Order) {
        match order.visit_id {
            Some(visit) => self.tell(Topic::Visit, visit),
            None => self.tell(Topic::Person, order.person_id),
        }
    }

    /// Lays an order under these diagnoses, and under no other.
    pub async fn link_order(&mut self, order: &Order, under: &[Under]) -> Result<()> {
        use order_diagnoses as d;
        diesel::delete(d::table.filter(d::order_id.eq(order.id))).execute(self.conn()).await?;
        let row = |(code, title): &Under| OrderDiagnosis {
            order_id: order.id,
            visit_id: order.visit_id,
            code: code.clone(),
            title: title.clone(),
        };
        let rows: Vec<OrderDiagnosis> = under.iter().map(row).collect();
        diesel::insert_into(d::table).values(&rows).execute(self.conn()).await?;
        let codes: Vec<&str> = under.iter().map(|(code, _)| code.as_str()).collect();
        self.audit("placed", "order", order.id, Some(order.person_id), codes.join(" "));
        self.tell_order(order);
        Ok(())
    }

    /// Lays a signed order elsewhere: its visit's signed note tells it in an addendum, its claims bear a remark for who bills,
    /// and the laboratory that has it is told.
    pub async fn move_signed_order(&mut self, visit: Option<&Visit>, order: &Order, under: &[Under]) -> Result<()> {
        let before = super::links(self.conn(), &[order.id]).await?;
        self.link_order(order, under).await?;
        if let Some(visit) = visit {
            let was: Vec<&str> = before.iter().map(|l| l.code.as_str()).collect();
            let is: Vec<&str> = under.iter().map(|(code, _)| code.as_str()).collect();
            let words = format!("{}: for {} instead of {}.", order.test_name, is.join(", "), was.join(", "));
            self.tell_beside_claims(visit.id, &words).await?;
            self.tell_beside_note(visit, words).await?;
        }
        if order.kind == OrderKind::Laboratory && order.state.is_open() && order.requisition.is_some() {
            self.add_job(JobKind::MoveOrder, order.id).await?;
        }
        Ok(())
    }

    pub async fn answer_order(&mut self, order: &Order, answers: Vec<QuestionAnswer>) -> Result<()> {
        let n = diesel::update(orders::table.filter(orders::id.eq(order.id).and(orders::state.eq("draft"))))
            .set(orders::answers.eq(Doc(answers)))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(sent());
        }
        self.audit("answered questions", "order", order.id, Some(order.person_id), "");
        self.tell_order(order);
        Ok(())
    }

    /// Says with an order how soon, what is to be found out, by whom, and what goes with it.
    pub async fn request_order(&mut self, order: &Order, priority: Priority, request: OrderRequest) -> Result<()> {
        let n = diesel::update(orders::table.filter(orders::id.eq(order.id).and(orders::state.eq("draft"))))
            .set((orders::priority.eq(Code(priority)), orders::request.eq(Doc(request))))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(sent());
        }
        self.audit("said with", "order", order.id, Some(order.person_id), "");
        self.tell_order(order);
        Ok(())
    }

    pub async fn cancel_order(&mut self, order: &Order) -> Result<()> {
        let n = diesel::update(orders::table.filter(orders::id.eq(order.id).and(orders::state.eq("draft"))))
            .set(orders::state.eq("cancelled"))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(sent());
        }
        diesel::delete(order_diagnoses::table.filter(order_diagnoses::order_id.eq(order.id)))
            .execute(self.conn())
            .await?;
        self.audit("cancelled", "order", order.id, Some(order.person_id), "");
        self.tell_order(order);
        Ok(())
    }

    /// Takes an order back that was signed, with why, and leaves telling the laboratory to a job. What it answers all the
    /// same is read like any other result.
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
        if order.kind == OrderKind::Laboratory {
            self.add_job(JobKind::CancelOrder, order.id).await?;
        }
        self.audit("taken back", "order", order.id, Some(order.person_id), why);
        self.tell_order(order);
        Ok(())
    }

    /// Puts a colleague's draft under one's own name; whose it was stays on it.
    pub async fn take_order_over(&mut self, order: &Order, by: &Staff) -> Result<()> {
        let n = diesel::update(orders::table.filter(orders::id.eq(order.id).and(orders::state.eq("draft"))))
            .set((
                orders::orderer_id.eq(by.id),
                orders::ordered_by.eq(&by.name),
                orders::taken_over_from.eq(&order.ordered_by),
            ))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(sent());
        }
        self.audit("taken over", "order", order.id, Some(order.person_id), format!("from {}", order.ordered_by));
        self.tell_order(order);
        Ok(())
    }

    /// Signs drafts: tests become one requisition for each person and visit, which a job hands over; the others wait for
    /// whoever does them.
    pub async fn sign_orders(&mut self, drafts: &[Order]) -> Result<()> {
        let now = self.now;
        let ids: Vec<Uuid> = drafts.iter().map(|o| o.id).collect();
        let still = orders::table.filter(orders::id.eq_any(&ids).and(orders::state.eq("draft")));
        let n = diesel::update(still)
            .set((orders::signed_at.eq(now), orders::state.eq(Code(OrderState::Sending))))
            .execute(self.conn())
            .await?;
        if n != ids.len() {
            return Err(StoreError::refused("sent", "Some of these orders are signed already."));
        }
        // A requisition is of one person, one visit and one payer.
        type Apart = (Uuid, Option<Uuid>, Option<&'static str>, Option<Uuid>);
        let mut requisitions: BTreeMap<Apart, Vec<&Order>> = BTreeMap::new();
        for order in drafts {
            if order.kind == OrderKind::Laboratory {
                let payer = (order.bill_to.map(|b| b.code()), order.coverage_id);
                requisitions.entry((order.person_id, order.visit_id, payer.0, payer.1)).or_default().push(order);
            } else {
                diesel::update(orders::table.find(order.id))
                    .set((orders::state.eq(Code(order.kind.once_signed())), orders::sent_at.eq(now)))
                    .execute(self.conn())
                    .await?;
            }
            self.audit("signed", "order", order.id, Some(order.person_id), order.test_name.clone());
            self.tell_order(order);
        }
        for ((person, ..), tests) in requisitions {
            let id = Uuid::now_v7();
            // The end of the id: its beginning is the time, the same for two requisitions of one instant.
            let requisition = format!("R{}", &id.simple().to_string()[20..].to_uppercase());
            let ids: Vec<Uuid> = tests.iter().map(|o| o.id).collect();
            diesel::update(orders::table.filter(orders::id.eq_any(&ids)))
                .set(orders::requisition.eq(&requisition))
                .execute(self.conn())
                .await?;
            self.add_job(JobKind::SendOrders, ids[0]).await?;
            self.audit("sent orders", "requisition", ids[0], Some(person), requisition);
        }
        Ok(())
    }

    /// Something that was ordered here is done.
    pub async fn order_done(&mut self, order: &Order) -> Result<()> {
        let (now, by) = (self.now, self.actor.name.clone());
        let waits = orders::id.eq(order.id).and(orders::kind.eq("procedure")).and(orders::state.eq("requested"));
        let n = diesel::update(orders::table.filter(waits))
            .set((orders::state.eq("done"), orders::done_at.eq(now), orders::done_by.eq(by)))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::refused("not_waiting", "It is not signed, or is done or taken back already."));
        }
        self.audit("done", "order", order.id, Some(order.person_id), order.test_name.clone());
        self.tell_order(order);
        Ok(())
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
        let moved: Vec<Order> = diesel::update(
            orders::table
                .filter(orders::requisition.eq(requisition).and(orders::state.eq_any(["sending", "requested"]))),
        )
        .set((orders::state.eq(Code(state)), orders::sent_at.eq(now)))
        .returning(Order::as_returning())
        .load(self.conn())
        .await?;
        // Its specimen may have been taken before they took the order in.
        let taken = orders::requisition.eq(requisition).and(orders::taken_at.is_not_null());
        diesel::update(orders::table.filter(taken.and(orders::state.eq(Code(OrderState::Accepted)))))
            .set(orders::state.eq(Code(OrderState::SpecimenTaken)))
            .execute(self.conn())
            .await?;
        for order in moved {
            let detail = format!("{requisition} {}", state.code());
            self.audit("laboratory", "order", order.id, Some(order.person_id), detail);
            self.tell_order(&order);
        }
        Ok(())
    }
}
