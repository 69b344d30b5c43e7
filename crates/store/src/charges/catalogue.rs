//! The clinic's catalogue: its services, its fee schedules, and the prices that are set in them.

use super::fees::{self, STANDARD};
use crate::documents::{Doc, PriceBefore};
use crate::rows::{FeeSchedule, Price, PriceChange, Service};
use crate::schema::{fee_schedules, price_changes, prices, services};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::charges::catalogue::CatalogueEntry;
use harbor_core::charges::fee_schedules::{DatedPrice, goes_round};
use harbor_core::money::Cents;
use std::collections::{BTreeSet, HashMap};
use uuid::Uuid;

/// A price that is to be set from a day on; one that ends by itself says until when.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct NewPrice {
    pub service: String,
    pub schedule: String,
    pub cents: i64,
    pub from: NaiveDate,
    pub until: Option<NaiveDate>,
}

impl NewPrice {
    /// As the core knows it.
    pub fn in_core(&self) -> DatedPrice {
        DatedPrice {
            schedule: self.schedule.clone(),
            cents: Cents::new(self.cents),
            from: self.from,
            until: self.until,
        }
    }
}

/// The prices of a service in a schedule, the latest first.
pub async fn prices_of(conn: &mut Conn, service: &str, schedule: &str) -> Result<Vec<Price>> {
    Ok(prices::table
        .filter(prices::service_code.eq(service).and(prices::schedule.eq(schedule)))
        .order(prices::starts_on.desc())
        .select(Price::as_select())
        .load(conn)
        .await?)
}

/// Every price that there is or was, by service, schedule and day.
pub async fn all_prices(conn: &mut Conn) -> Result<Vec<Price>> {
    Ok(prices::table
        .order((prices::service_code, prices::schedule, prices::starts_on))
        .select(Price::as_select())
        .load(conn)
        .await?)
}

/// Prices that begin after a day.
pub async fn later_than(conn: &mut Conn, day: NaiveDate) -> Result<Vec<Price>> {
    Ok(prices::table
        .filter(prices::starts_on.gt(day))
        .order(prices::starts_on)
        .select(Price::as_select())
        .load(conn)
        .await?)
}

/// What was set together lately, the newest first.
pub async fn changes(conn: &mut Conn) -> Result<Vec<PriceChange>> {
    Ok(price_changes::table
        .order((price_changes::at.desc(), price_changes::id.desc()))
        .limit(20)
        .select(PriceChange::as_select())
        .load(conn)
        .await?)
}

impl Service {
    /// As the core knows it.
    pub fn in_core(&self) -> CatalogueEntry {
        let s = self;
        CatalogueEntry {
            code: s.code.clone(),
            name: s.name.clone(),
            external_code: s.external_code.clone(),
            service_type: s.service_type.clone(),
            level: s.level.and_then(|l| u8::try_from(l).ok()),
            new_patient: s.new_patient,
            procedure: s.procedure,
            done: s.done.clone(),
            modifiers: s.modifiers.clone(),
            units: u32::try_from(s.units).unwrap_or(1),
            most_units: s.most_units.and_then(|m| u32::try_from(m).ok()),
            place: s.place.clone(),
            diagnoses: s.diagnoses.clone(),
            needs: s.needs.iter().map(|n| **n).collect(),
            not_with: s.not_with.clone(),
            starts_on: s.starts_on,
            ends_on: s.ends_on,
        }
    }
}

impl From<CatalogueEntry> for Service {
    fn from(e: CatalogueEntry) -> Service {
        Service {
            code: e.code,
            name: e.name,
            external_code: e.external_code,
            level: e.level.map(i16::from),
            service_type: e.service_type,
            new_patient: e.new_patient,
            procedure: e.procedure,
            done: e.done,
            modifiers: e.modifiers,
            units: i32::try_from(e.units).unwrap_or(1),
            most_units: e.most_units.and_then(|m| i32::try_from(m).ok()),
            place: e.place,
            diagnoses: e.diagnoses,
            needs: e.needs.into_iter().map(Into::into).collect(),
            not_with: e.not_with,
            starts_on: e.starts_on,
            ends_on: e.ends_on,
        }
    }
}

fn before(p: Price) -> PriceBefore {
    PriceBefore {
        service_code: p.service_code,
        schedule: p.schedule,
        cents: p.cents,
        starts_on: p.starts_on,
        ends_on: p.ends_on,
        change_id: p.change_id,
    }
}

impl Change<'_> {
    /// Sets a price from a day on: the one in force before ends the day before, and one that begins later stays and ends the
    /// new one. The first price of a service holds wherever it was missing, so also for visits of earlier days.
    pub async fn set_price(&mut self, service: &str, schedule: &str, cents: i64, from: NaiveDate) -> Result<()> {
        let known: i64 = services::table.filter(services::code.eq(service)).count().get_result(self.conn()).await?;
        if known == 0 {
            return Err(StoreError::NotFound("service"));
        }
        let there: i64 = fee_schedules::table.find(schedule).count().get_result(self.conn()).await?;
        if there == 0 {
            return Err(StoreError::NotFound("fee schedule"));
        }
        let own = prices::service_code.eq(service).and(prices::schedule.eq(STANDARD));
        let priced: i64 = prices::table.filter(own).count().get_result(self.conn()).await?;
        // One of a payer's schedule was never missing: the standard one held.
        let from = harbor_core::charges::price_holds_from(priced == 0 && schedule == STANDARD, from);
        let new = NewPrice { service: service.into(), schedule: schedule.into(), cents, from, until: None };
        let id = self.put_price(&new, None).await?;
        self.audit("set price", "price", id, None, format!("{service} {schedule} {cents} from {from}"));
        self.tell(Topic::Prices, id);
        Ok(())
    }

    /// Writes a price between those that are there.
    async fn put_price(&mut self, new: &NewPrice, change: Option<Uuid>) -> Result<Uuid> {
        use prices as p;
        let own = || p::service_code.eq(new.service.clone()).and(p::schedule.eq(new.schedule.clone()));
        let later: Option<NaiveDate> = p::table
            .filter(own().and(p::starts_on.gt(new.from)))
            .select(diesel::dsl::min(p::starts_on))
            .first(self.conn())
            .await?;
        // What was set for this very day is said anew.
        diesel::delete(p::table.filter(own().and(p::starts_on.eq(new.from)))).execute(self.conn()).await?;
        diesel::update(
            p::table
                .filter(own().and(p::starts_on.lt(new.from)))
                .filter(p::ends_on.is_null().or(p::ends_on.ge(new.from))),
        )
        .set(p::ends_on.eq(new.from.pred_opt()))
        .execute(self.conn())
        .await?;
        let next = later.and_then(|day| day.pred_opt());
        let row = Price {
            id: Uuid::now_v7(),
            service_code: new.service.clone(),
            schedule: new.schedule.clone(),
            cents: new.cents,
            starts_on: new.from,
            ends_on: [new.until, next].into_iter().flatten().min(),
            change_id: change,
        };
        diesel::insert_into(p::table).values(&row).execute(self.conn()).await?;
        Ok(row.id)
    }

    /// Sets many prices at once, under a name by which all of it can be taken back.
    pub async fn set_prices(&mut self, what: &str, all: &[NewPrice]) -> Result<Uuid> {
        use price_changes as c;
        let mut kept = Vec::new();
        let series: BTreeSet<(&str, &str)> = all.iter().map(|n| (n.service.as_str(), n.schedule.as_str())).collect();
        for (service, schedule) in series {
            kept.extend(prices_of(self.conn(), service, schedule).await?.into_iter().map(before));
        }
        let row = PriceChange {
            id: Uuid::now_v7(),
            what: what.into(),
            at: self.now,
            by: self.actor.name.clone(),
            before: Doc(kept),
            taken_back_at: None,
        };
        diesel::insert_into(c::table).values(&row).execute(self.conn()).await?;
        for new in all {
            self.put_price(new, Some(row.id)).await?;
        }
        self.audit("set prices", "prices", row.id, None, format!("{what}: {}", all.len()));
        self.tell(Topic::Prices, row.id);
        Ok(row.id)
    }

    /// Takes back what was set together: what stood before stands again. Refused once one of these prices was set anew.
    pub async fn take_prices_back(&mut self, id: Uuid) -> Result<()> {
        use price_changes as c;
        let row: PriceChange = c::table
            .find(id)
            .for_update()
            .select(PriceChange::as_select())
            .first(self.conn())
            .await
            .optional()?
            .ok_or(StoreError::NotFound("change of prices"))?;
        if row.taken_back_at.is_some() {
            return Err(StoreError::refused("taken-back", "These prices were taken back already."));
        }
        let of_it: Vec<Price> =
            prices::table.filter(prices::change_id.eq(id)).select(Price::as_select()).load(self.conn()).await?;
        let mut series: BTreeSet<(String, String)> = of_it.into_iter().map(|p| (p.service_code, p.schedule)).collect();
        series.extend(row.before.iter().map(|b| (b.service_code.clone(), b.schedule.clone())));
        for (service, schedule) in series {
            let there = prices_of(self.conn(), &service, &schedule).await?;
            let stood = |p: &Price| {
                let was = |b: &&PriceBefore| {
                    (b.service_code.as_str(), b.schedule.as_str(), b.starts_on, b.cents)
                        == (service.as_str(), schedule.as_str(), p.starts_on, p.cents)
                };
                row.before.iter().any(|b| was(&b))
            };
            if let Some(newer) = there.iter().find(|p| p.change_id != Some(id) && !stood(p)) {
                let said = format!(
                    "{service} has a newer price from {} on; set it by hand.",
                    harbor_core::fields::typed_date::short(newer.starts_on)
                );
                return Err(StoreError::refused("newer-price", said));
            }
            let own = prices::service_code.eq(&service).and(prices::schedule.eq(&schedule));
            diesel::delete(prices::table.filter(own)).execute(self.conn()).await?;
            let again: Vec<Price> = row
                .before
                .iter()
                .filter(|b| b.service_code == service && b.schedule == schedule)
                .map(|b| Price {
                    id: Uuid::now_v7(),
                    service_code: b.service_code.clone(),
                    schedule: b.schedule.clone(),
                    cents: b.cents,
                    starts_on: b.starts_on,
                    ends_on: b.ends_on,
                    change_id: b.change_id,
                })
                .collect();
            diesel::insert_into(prices::table).values(&again).execute(self.conn()).await?;
        }
        let now = self.now;
        diesel::update(c::table.find(id)).set(c::taken_back_at.eq(now)).execute(self.conn()).await?;
        self.audit("took prices back", "prices", id, None, row.what.clone());
        self.tell(Topic::Prices, id);
        Ok(())
    }

    /// Adds a service or says one anew.
    pub async fn keep_service(&mut self, service: &Service) -> Result<()> {
        let (row, code) = (service.clone(), service.code.clone());
        let there: i64 = services::table.find(&code).count().get_result(self.conn()).await?;
        if there == 0 {
            diesel::insert_into(services::table).values(&row).execute(self.conn()).await?;
        } else {
            diesel::update(services::table.find(&code))
                .set((
                    services::name.eq(row.name),
                    services::external_code.eq(row.external_code),
                    services::level.eq(row.level),
                    services::service_type.eq(row.service_type),
                    services::new_patient.eq(row.new_patient),
                    services::procedure.eq(row.procedure),
                    services::done.eq(row.done),
                    services::modifiers.eq(row.modifiers),
                    services::units.eq(row.units),
                    services::most_units.eq(row.most_units),
                    services::place.eq(row.place),
                    services::diagnoses.eq(row.diagnoses),
                    services::needs.eq(row.needs),
                    services::not_with.eq(row.not_with),
                    services::starts_on.eq(row.starts_on),
                    services::ends_on.eq(row.ends_on),
                ))
                .execute(self.conn())
                .await?;
        }
        let id = Uuid::nil();
        self.audit(if there == 0 { "added service" } else { "changed service" }, "service", id, None, code);
        self.tell(Topic::Prices, id);
        Ok(())
    }

    /// Adds a fee schedule or says one anew; the one for everybody stays for everybody.
    pub async fn keep_schedule(&mut self, schedule: &FeeSchedule) -> Result<()> {
        use fee_schedules as s;
        let all = fees::schedules(self.conn()).await?;
        let others = || all.iter().filter(|o| o.code != schedule.code);
        let refused = |sentence: String| Err(StoreError::refused("fee-schedule", sentence));
        if others().any(|o| o.name.to_lowercase() == schedule.name.to_lowercase()) {
            return refused(format!("There is a fee schedule called {} already.", schedule.name));
        }
        let same = |o: &&FeeSchedule| {
            o.payer_id == schedule.payer_id
                && o.holds_for == schedule.holds_for
                && o.plan.to_lowercase() == schedule.plan.to_lowercase()
        };
        if let Some(other) = others().find(same) {
            return refused(format!("{} is for the same visits.", other.name));
        }
        if let Some(back) = &schedule.falls_back {
            if !all.iter().any(|o| o.code == *back) {
                return Err(StoreError::NotFound("fee schedule"));
            }
            let core: Vec<_> = all.iter().map(fees::in_core).collect();
            if goes_round(&core, &schedule.code, back) {
                return refused("These fee schedules would ask one another in a ring.".into());
            }
        }
        let row = schedule.clone();
        if let Some(old) = all.iter().find(|o| o.code == schedule.code) {
            if old.holds_for != schedule.holds_for {
                return refused(format!("{} stays for {}.", old.name, old.holds_for.label()));
            }
            diesel::update(s::table.find(&schedule.code))
                .set((
                    s::name.eq(row.name),
                    s::payer_id.eq(row.payer_id),
                    s::plan.eq(row.plan),
                    s::falls_back.eq(row.falls_back),
                ))
                .execute(self.conn())
                .await?;
        } else {
            diesel::insert_into(s::table).values(&row).execute(self.conn()).await?;
        }
        self.audit("kept fee schedule", "fee schedule", Uuid::nil(), None, schedule.name.clone());
        self.tell(Topic::Prices, Uuid::nil());
        Ok(())
    }
}

/// The latest that a payer allowed for one unit of each of these services, with its day: the payer's part and the patient's, by
/// what it decided of their lines in its last 500 paid claims. What it denied says nothing.
pub async fn allowed(conn: &mut Conn, payer: Uuid, services: &[String]) -> Result<HashMap<String, (i64, NaiveDate)>> {
    #[derive(diesel::QueryableByName)]
    struct Row {
        #[diesel(sql_type = diesel::sql_types::Text)]
        service_code: String,
        #[diesel(sql_type = diesel::sql_types::BigInt)]
        cents: i64,
        #[diesel(sql_type = diesel::sql_types::Date)]
        day: NaiveDate,
    }
    let rows: Vec<Row> = diesel::sql_query(
        "with lately as (
             select id, visit_id from claims where payer_id = $1 and state = 'paid'
             order by made_at desc, id desc limit 500)
         select distinct on (l.service_code) l.service_code, (sum(e.cents) / l.units)::bigint as cents, v.day
         from lately c
         join visits v on v.id = c.visit_id
         join charge_lines l on l.visit_id = c.visit_id and l.service_code = any($2) and l.units > 0
         join ledger_transactions t on t.claim_id = c.id and t.visit_id = v.id and t.kind in ('decision', 'reversal')
         join ledger_entries e on e.transaction_id = t.id and e.line = l.number and e.account in ('bank', 'patient')
         group by l.id, v.id
         having sum(e.cents) > 0
         order by l.service_code, v.day desc",
    )
    .bind::<diesel::sql_types::Uuid, _>(payer)
    .bind::<diesel::sql_types::Array<diesel::sql_types::Text>, _>(services)
    .load(conn)
    .await?;
    Ok(rows.into_iter().map(|r| (r.service_code, (r.cents, r.day))).collect())
}
