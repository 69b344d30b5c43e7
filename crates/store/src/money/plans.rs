//! Payment plans: what was agreed, and what came since.

use super::open_debts::of_guarantors;
use crate::rows::PaymentPlan;
use crate::schema::{payment_plans as p, plan_debts as d};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::plans::{Every, Plan, PlanStands};
use std::collections::HashMap;
use uuid::Uuid;

/// A plan with what has been paid of what it is for.
#[derive(Debug, Clone)]
pub struct LivePlan {
    pub row: PaymentPlan,
    pub plan: Plan,
    /// By any means: what of these debts is no longer owed.
    pub paid: Cents,
    pub visits: Vec<Uuid>,
}

impl LivePlan {
    pub fn stands(&self, today: NaiveDate) -> PlanStands {
        self.plan.stands(self.paid, today)
    }
}

/// The plans that run, by their guarantors.
pub async fn of_guarantors_all(conn: &mut Conn, who: &[Uuid]) -> Result<HashMap<Uuid, LivePlan>> {
    let rows: Vec<PaymentPlan> = p::table
        .filter(p::ended_at.is_null().and(p::guarantor_id.eq_any(who)))
        // Of two after a merge, the newer one.
        .order((p::at, p::id))
        .select(PaymentPlan::as_select())
        .load(conn)
        .await?;
    if rows.is_empty() {
        return Ok(HashMap::new());
    }
    let ids: Vec<Uuid> = rows.iter().map(|r| r.id).collect();
    let of: Vec<(Uuid, Uuid, i64)> =
        d::table.filter(d::plan_id.eq_any(ids)).select((d::plan_id, d::visit_id, d::cents)).load(conn).await?;
    let guarantors: Vec<Uuid> = rows.iter().map(|r| r.guarantor_id).collect();
    let open: HashMap<Option<Uuid>, i64> =
        of_guarantors(conn, &guarantors).await?.iter().fold(HashMap::new(), |mut sums, d| {
            *sums.entry(d.visit_id).or_default() += d.cents().get();
            sums
        });
    let live = |row: PaymentPlan| {
        let mine: Vec<&(Uuid, Uuid, i64)> = of.iter().filter(|(plan, ..)| *plan == row.id).collect();
        let total: i64 = mine.iter().map(|(.., cents)| cents).sum();
        let left: i64 =
            mine.iter().map(|(_, visit, cents)| open.get(&Some(*visit)).copied().unwrap_or(0).clamp(0, *cents)).sum();
        let plan = Plan {
            total: Cents::new(total),
            instalment: Cents::new(row.instalment_cents),
            every: *row.every,
            first_on: row.first_on,
        };
        let visits = mine.iter().map(|(_, visit, _)| *visit).collect();
        (row.guarantor_id, LivePlan { row, plan, paid: Cents::new(total - left), visits })
    };
    Ok(rows.into_iter().map(live).collect())
}

pub async fn of_guarantor(conn: &mut Conn, who: Uuid) -> Result<Option<LivePlan>> {
    Ok(of_guarantors_all(conn, &[who]).await?.remove(&who))
}

/// Every plan that runs.
pub async fn running(conn: &mut Conn) -> Result<Vec<LivePlan>> {
    let who: Vec<Uuid> = p::table.filter(p::ended_at.is_null()).select(p::guarantor_id).load(conn).await?;
    let mut all: Vec<LivePlan> = of_guarantors_all(conn, &who).await?.into_values().collect();
    all.sort_by_key(|live| (live.row.at, live.row.id));
    Ok(all)
}

impl Change<'_> {
    /// A plan for everything that a guarantor owes for visits now.
    pub async fn begin_plan(
        &mut self,
        guarantor: Uuid,
        instalment: Cents,
        every: Every,
        first_on: NaiveDate,
        today: NaiveDate,
    ) -> Result<()> {
        crate::people::lock(self.conn(), guarantor).await?;
        if let Some(live) = of_guarantor(self.conn(), guarantor).await? {
            if !live.stands(today).done {
                return Err(StoreError::refused("plan", "A plan runs already; end it first."));
            }
            self.end_plan(guarantor, "paid").await?;
        }
        let mut by_visit: HashMap<Uuid, i64> = HashMap::new();
        for debt in of_guarantors(self.conn(), &[guarantor]).await? {
            if let Some(visit) = debt.visit_id {
                *by_visit.entry(visit).or_default() += debt.cents().get();
            }
        }
        by_visit.retain(|_, cents| *cents > 0);
        let plan = Plan { total: Cents::new(by_visit.values().sum()), instalment, every, first_on };
        let plan = plan.checked(today).map_err(|e| StoreError::refused("plan", e.to_string()))?;
        let row = PaymentPlan {
            id: Uuid::now_v7(),
            guarantor_id: guarantor,
            instalment_cents: plan.instalment.get(),
            every: every.into(),
            first_on,
            at: self.now,
            by: self.actor.name.clone(),
            ended_at: None,
            ended_by: None,
            ended_because: None,
        };
        diesel::insert_into(p::table).values(&row).execute(self.conn()).await?;
        let debts: Vec<_> = by_visit
            .into_iter()
            .map(|(visit, cents)| (d::plan_id.eq(row.id), d::visit_id.eq(visit), d::cents.eq(cents)))
            .collect();
        diesel::insert_into(d::table).values(debts).execute(self.conn()).await?;
        let said = format!("{} {}, {} in all", plan.instalment, every.label(), plan.total);
        self.audit("began", "plan", row.id, Some(guarantor), said);
        self.tell(Topic::Owed, guarantor);
        Ok(())
    }

    pub async fn end_plan(&mut self, guarantor: Uuid, because: &str) -> Result<()> {
        let live = p::table.filter(p::guarantor_id.eq(guarantor).and(p::ended_at.is_null()));
        let ended = diesel::update(live)
            .set((p::ended_at.eq(self.now), p::ended_by.eq(self.actor.name.clone()), p::ended_because.eq(because)))
            .returning(p::id)
            .get_results::<Uuid>(self.conn())
            .await?;
        let Some(id) = ended.as_slice().first() else { return Err(StoreError::NotFound("plan")) };
        self.audit("ended", "plan", *id, Some(guarantor), because.to_owned());
        self.tell(Topic::Owed, guarantor);
        Ok(())
    }
}
