//! Services, prices and the charge lines of a visit.

pub mod documented;

use crate::money::ledger::About;
use crate::rows::{ChargeLine, Coverage, Price, Service, Visit};
use crate::schema::{charge_lines, charges_taken_off, prices, services};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::money::Cents;
use harbor_core::money::ledger::Posting;
use harbor_core::visit_line::Mark;
use std::collections::HashMap;
use uuid::Uuid;

pub async fn services(conn: &mut Conn) -> Result<Vec<Service>> {
    Ok(services::table.order(services::name).select(Service::as_select()).load(conn).await?)
}

/// Prices of the standard fee schedule in force on a day, by service.
pub async fn prices_on(conn: &mut Conn, day: NaiveDate) -> Result<HashMap<String, i64>> {
    let rows: Vec<(String, i64)> = prices::table
        .filter(prices::schedule.eq("standard").and(prices::starts_on.le(day)))
        .filter(prices::ends_on.is_null().or(prices::ends_on.ge(day)))
        .select((prices::service_code, prices::cents))
        .load(conn)
        .await?;
    Ok(rows.into_iter().collect())
}

pub async fn lines_of(conn: &mut Conn, visits: &[Uuid]) -> Result<Vec<ChargeLine>> {
    use charge_lines as c;
    Ok(c::table
        .filter(c::visit_id.eq_any(visits))
        .order((c::visit_id, c::number))
        .select(ChargeLine::as_select())
        .load(conn)
        .await?)
}

/// A charge line as the form sets it.
#[derive(Debug, Clone)]
pub struct NewLine {
    /// Of a line that stands there: it stays the one that it is.
    pub id: Option<Uuid>,
    pub service_code: String,
    pub modifiers: Vec<String>,
    pub units: i32,
    pub pointers: Vec<i32>,
}

impl Change<'_> {
    /// Sets all lines of a visit; refused once the charges are completed.
    pub async fn set_charge_lines(&mut self, visit: &Visit, lines: &[NewLine]) -> Result<()> {
        use charge_lines as c;
        if self.has_reached(visit.id, Mark::Charged).await? {
            return Err(StoreError::refused("charged", "The charges are completed; correct them with a new claim."));
        }
        let mut there = lines_of(self.conn(), &[visit.id]).await?;
        diesel::delete(c::table.filter(c::visit_id.eq(visit.id))).execute(self.conn()).await?;
        let mut rows = Vec::with_capacity(lines.len());
        for (number, l) in (1..).zip(lines) {
            // By its id, or else the same service: a line that stays is the same line, with the reason why it stands there.
            let same = there.iter().position(|t| l.id.map_or(t.service_code == l.service_code, |id| t.id == id));
            let same = same.map(|at| there.swap_remove(at)).filter(|t| t.service_code == l.service_code);
            rows.push(ChargeLine {
                id: same.as_ref().map_or_else(Uuid::now_v7, |t| t.id),
                visit_id: visit.id,
                number,
                service_code: l.service_code.clone(),
                modifiers: l.modifiers.clone(),
                units: l.units,
                pointers: l.pointers.clone(),
                price_cents: None,
                by_itself: same.as_ref().is_some_and(|t| t.by_itself),
                reason: same.map(|t| t.reason).unwrap_or_default(),
            });
        }
        let (now, by) = (self.now, self.actor.name.clone());
        for off in there.iter().filter(|t| t.by_itself) {
            use charges_taken_off as o;
            diesel::insert_into(o::table)
                .values((o::visit_id.eq(visit.id), o::service_code.eq(&off.service_code), o::at.eq(now), o::by.eq(&by)))
                .on_conflict_do_nothing()
                .execute(self.conn())
                .await?;
        }
        diesel::insert_into(c::table).values(&rows).execute(self.conn()).await?;
        self.audit("set charges", "visit", visit.id, Some(visit.person_id), format!("{} lines", rows.len()));
        self.tell(Topic::Visit, visit.id);
        Ok(())
    }

    /// Completes the charges: prices are fixed, the ledger is charged, and a claim is made when a policy pays.
    pub async fn complete_charges(
        &mut self,
        visit: &Visit,
        lines: &[harbor_core::charges::ChargeLine],
        policy: Option<&Coverage>,
    ) -> Result<()> {
        use charge_lines as c;
        let fees = harbor_core::charges::fees(lines).map_err(|s| StoreError::refused("claim-check", s))?;
        for line in lines {
            let own = c::visit_id.eq(visit.id).and(c::number.eq(i32::try_from(line.number).unwrap_or(0)));
            diesel::update(c::table.filter(own))
                .set(c::price_cents.eq(line.price.map(Cents::get)))
                .execute(self.conn())
                .await?;
        }
        self.reach_now(visit.id, Mark::Charged).await?;
        let mut about = About {
            visit: Some(visit.id),
            person: Some(visit.person_id),
            ..About::new(Posting::Charge, format!("charge:{}", visit.id), format!("visit of {}", visit.day))
        };
        if let Some(policy) = policy {
            let total: Cents = fees.iter().map(|(_, fee)| *fee).sum();
            let claim = self.add_claim(visit.id, visit.person_id, policy.id, policy.payer_id, total.get()).await?;
            about.claim = Some(claim.id);
            if visit.coverage_id.is_none() {
                self.set_payer_of_visit(visit.id, Some(policy.id), false, visit.accident_date).await?;
            }
        }
        let transaction = harbor_core::money::ledger::charge(&fees, policy.is_some())
            .map_err(|e| StoreError::refused("ledger", e.to_string()))?;
        self.post(&about, &transaction).await?;
        self.audit("completed charges", "visit", visit.id, Some(visit.person_id), "");
        self.tell(Topic::Visit, visit.id);
        Ok(())
    }

    /// Sets a price from a day on: the one in force before ends the day before, and one that begins later stays and ends the
    /// new one. The first price of a service holds wherever it was missing, so also for visits of earlier days.
    pub async fn set_price(&mut self, service: &str, cents: i64, from: NaiveDate) -> Result<()> {
        use prices as p;
        let known: i64 = services::table.filter(services::code.eq(service)).count().get_result(self.conn()).await?;
        if known == 0 {
            return Err(StoreError::NotFound("service"));
        }
        let own = p::service_code.eq(service).and(p::schedule.eq("standard"));
        let priced: i64 = p::table.filter(p::service_code.eq(service)).count().get_result(self.conn()).await?;
        let from = harbor_core::charges::price_holds_from(priced == 0, from);
        let later: Option<NaiveDate> = p::table
            .filter(own.and(p::starts_on.gt(from)))
            .select(diesel::dsl::min(p::starts_on))
            .first(self.conn())
            .await?;
        // What was set for this very day is said anew.
        diesel::delete(p::table.filter(own.and(p::starts_on.eq(from)))).execute(self.conn()).await?;
        diesel::update(
            p::table.filter(own.and(p::starts_on.lt(from))).filter(p::ends_on.is_null().or(p::ends_on.ge(from))),
        )
        .set(p::ends_on.eq(from.pred_opt()))
        .execute(self.conn())
        .await?;
        let row = Price {
            id: Uuid::now_v7(),
            service_code: service.into(),
            schedule: "standard".into(),
            cents,
            starts_on: from,
            ends_on: later.and_then(|day| day.pred_opt()),
        };
        diesel::insert_into(p::table).values(&row).execute(self.conn()).await?;
        self.audit("set price", "price", row.id, None, format!("{service} {cents}"));
        self.tell(Topic::Prices, row.id);
        Ok(())
    }
}
