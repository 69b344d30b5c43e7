//! What services cost: the fee schedules with their prices, read once for all visits that are asked about.

use crate::rows::{Coverage, FeeSchedule, Price, Visit};
use crate::schema::{fee_schedules, prices};
use crate::{Conn, Result};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::charges::fee_schedules::{self as core, DatedPrice, Paying};
use harbor_core::money::Cents;
use std::collections::HashMap;
use uuid::Uuid;

/// The schedule for everybody.
pub const STANDARD: &str = "standard";

/// The schedules, the one for everybody first.
pub async fn schedules(conn: &mut Conn) -> Result<Vec<FeeSchedule>> {
    use fee_schedules as s;
    let mut all: Vec<FeeSchedule> = s::table.order(s::name).select(FeeSchedule::as_select()).load(conn).await?;
    all.sort_by_key(|s| (s.payer_id.is_some(), s.code != STANDARD));
    Ok(all)
}

pub(super) fn in_core(s: &FeeSchedule) -> core::FeeSchedule<Uuid> {
    core::FeeSchedule {
        code: s.code.clone(),
        name: s.name.clone(),
        holds_for: *s.holds_for,
        payer: s.payer_id,
        plan: s.plan.clone(),
        falls_back: s.falls_back.clone(),
    }
}

/// A price with the schedule that has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Priced {
    pub cents: i64,
    pub schedule: String,
    pub schedule_name: String,
}

impl Price {
    /// As the core knows it.
    pub fn in_core(&self) -> DatedPrice {
        DatedPrice {
            schedule: self.schedule.clone(),
            cents: Cents::new(self.cents),
            from: self.starts_on,
            until: self.ends_on,
        }
    }
}

/// The schedules, and the prices that hold on some days.
#[derive(Debug, Default)]
pub struct Fees {
    schedules: Vec<core::FeeSchedule<Uuid>>,
    prices: HashMap<String, Vec<DatedPrice>>,
}

impl Fees {
    /// With the prices that hold on any of these days.
    pub async fn on(conn: &mut Conn, days: &[NaiveDate]) -> Result<Fees> {
        let (Some(first), Some(last)) = (days.iter().min(), days.iter().max()) else { return Ok(Fees::default()) };
        let schedules = schedules(conn).await?.iter().map(in_core).collect();
        let rows: Vec<Price> = prices::table
            .filter(prices::starts_on.le(last))
            .filter(prices::ends_on.is_null().or(prices::ends_on.ge(first)))
            .select(Price::as_select())
            .load(conn)
            .await?;
        let mut prices: HashMap<String, Vec<DatedPrice>> = HashMap::new();
        for p in rows {
            let dated = p.in_core();
            prices.entry(p.service_code).or_default().push(dated);
        }
        Ok(Fees { schedules, prices })
    }

    /// The schedules that are asked for a visit, by name, in their order.
    pub fn asked(&self, paying: Paying<'_, Uuid>) -> Vec<&str> {
        core::asked(&self.schedules, &paying).into_iter().map(|s| s.name.as_str()).collect()
    }

    /// What a service costs whoever pays, on a day.
    pub fn price(&self, service: &str, paying: Paying<'_, Uuid>, day: NaiveDate) -> Option<Priced> {
        let chain = core::asked(&self.schedules, &paying);
        let (cents, schedule) = core::price(&chain, self.prices.get(service)?, day)?;
        Some(Priced { cents: cents.get(), schedule: schedule.code.clone(), schedule_name: schedule.name.clone() })
    }

    /// The price that one schedule itself has.
    pub fn own(&self, service: &str, schedule: &str, day: NaiveDate) -> Option<i64> {
        let only: Vec<_> = self.schedules.iter().filter(|s| s.code == schedule).collect();
        Some(core::price(&only, self.prices.get(service)?, day)?.0.get())
    }
}

/// Who pays for a visit under a policy, or under none.
pub fn paying<'a>(visit: &Visit, policy: Option<&'a Coverage>) -> Paying<'a, Uuid> {
    match policy {
        Some(c) => Paying::Payer { payer: c.payer_id, plan: &c.plan_name },
        None if visit.self_pay => Paying::Themselves,
        None => Paying::NotKnown,
    }
}
