//! What orders wait for from hands in this house: who pays is said, specimens are taken, things are done.

use crate::codes::Code;
use crate::jobs::JobKind;
use crate::rows::*;
use crate::schema::{orders, people};
use crate::{Change, Conn, Result, StoreError};
use chrono::{DateTime, Utc};
use diesel::dsl::sql;
use diesel::prelude::*;
use diesel::sql_types::Bool;
use diesel_async::RunQueryDsl;
use harbor_core::orders::specimens::TakenWhere;
use harbor_core::orders::{BillTo, OrderKind, OrderState};
use uuid::Uuid;

/// Signed orders since a time whose specimen is to be taken here, and what is to be done here; the oldest first, with
/// their people.
pub async fn waiting_for_hands(conn: &mut Conn, since: DateTime<Utc>) -> Result<Vec<(Order, Person)>> {
    // Written out and not bound, so that the index of what waits for hands serves.
    let waits = "orders.state in ('requested', 'accepted', 'sending') and orders.taken_at is null \
                 and orders.kind in ('laboratory', 'procedure') and orders.taken_where = 'here'";
    Ok(orders::table
        .inner_join(people::table.on(people::id.eq(orders::person_id)))
        .filter(sql::<Bool>(waits).and(orders::ordered_at.ge(since)))
        .order((orders::ordered_at, orders::id))
        .limit(super::LISTED)
        .select((Order::as_select(), Person::as_select()))
        .load(conn)
        .await?)
}

/// The orders whose specimens are taken together with that of this one: its requisition's, or the drafts beside it.
pub async fn taken_together(conn: &mut Conn, order: &Order) -> Result<Vec<Order>> {
    if let Some(requisition) = &order.requisition {
        return super::of_requisition(conn, requisition).await;
    }
    let beside = orders::person_id.eq(order.person_id).and(orders::visit_id.is_not_distinct_from(order.visit_id));
    Ok(orders::table
        .filter(beside.and(orders::state.eq("draft")).and(orders::kind.eq(Code(OrderKind::Laboratory))))
        .order(orders::id)
        .select(Order::as_select())
        .load(conn)
        .await?)
}

impl Change<'_> {
    /// Says of a draft who pays, and where the specimen is taken.
    pub async fn say_who_pays(
        &mut self,
        order: &Order,
        bill_to: Option<BillTo>,
        policy: Option<Uuid>,
        taken_where: TakenWhere,
    ) -> Result<()> {
        let draft = orders::id.eq(order.id).and(orders::state.eq("draft"));
        let n = diesel::update(orders::table.filter(draft))
            .set((
                orders::bill_to.eq(bill_to.map(Code)),
                orders::coverage_id.eq(policy),
                orders::taken_where.eq(Code(taken_where)),
            ))
            .execute(self.conn())
            .await?;
        if n == 0 {
            return Err(StoreError::refused("sent", "The order is signed; take it back instead."));
        }
        let said = bill_to.map_or("nobody yet", |b| b.label());
        self.audit("said who pays", "order", order.id, Some(order.person_id), said);
        self.tell_order(order);
        Ok(())
    }

    /// The specimens of these orders were taken here. What the laboratory has already is told to it; the time may be put
    /// right as long as no result is here.
    pub async fn specimen_taken(&mut self, taken: &[Order], at: DateTime<Utc>) -> Result<()> {
        let by = self.actor.name.clone();
        for order in taken {
            diesel::update(orders::table.find(order.id))
                .set((orders::taken_at.eq(at), orders::taken_by.eq(&by)))
                .execute(self.conn())
                .await?;
            let has_it = orders::state.eq_any([OrderState::Requested, OrderState::Accepted].map(|s| s.code()));
            diesel::update(orders::table.filter(orders::id.eq(order.id).and(has_it)))
                .set(orders::state.eq(Code(OrderState::SpecimenTaken)))
                .execute(self.conn())
                .await?;
            self.audit("specimen taken", "order", order.id, Some(order.person_id), at.to_rfc3339());
            self.tell_order(order);
        }
        let sent = |o: &&Order| o.sent_document_id.is_some();
        if let Some(first) = taken.iter().find(sent) {
            self.tell_specimen(first.id).await?;
        }
        Ok(())
    }

    /// Leaves telling the laboratory of the specimens of an order's requisition to a job.
    pub async fn tell_specimen(&mut self, order: Uuid) -> Result<()> {
        self.add_job(JobKind::TellSpecimen, order).await
    }
}
