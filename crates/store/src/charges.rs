//! Services, prices and the charge lines of a visit.

pub mod again;
pub mod alone;
pub mod catalogue;
pub mod documented;
pub mod estimates;
pub mod fees;

use crate::claims::NewClaim;
use crate::money::ledger::About;
use crate::rows::{ChargeLine, Coverage, Service, Visit};
use crate::schema::{charge_lines, charges_taken_off, services};
use crate::{Change, Conn, Result, StoreError, Topic};
use chrono::NaiveDate;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::claims::Frequency;
use harbor_core::money::Cents;
use harbor_core::money::ledger::Posting;
use harbor_core::visit_line::Mark;
use uuid::Uuid;

pub async fn services(conn: &mut Conn) -> Result<Vec<Service>> {
    Ok(services::table.order(services::name).select(Service::as_select()).load(conn).await?)
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

impl Service {
    /// Whether the catalogue has it for other days than this one.
    pub fn is_out_of_time(&self, day: NaiveDate) -> bool {
        self.starts_on.is_some_and(|from| day < from) || self.ends_on.is_some_and(|end| end < day)
    }
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
    /// Another price than the schedule's, with why.
    pub own_price: Option<(i64, String)>,
}

impl Change<'_> {
    /// Sets all lines of a visit; refused once the charges are completed.
    pub async fn set_charge_lines(&mut self, visit: &Visit, lines: &[NewLine]) -> Result<()> {
        use charge_lines as c;
        if self.has_reached(visit.id, Mark::Charged).await? {
            return Err(StoreError::refused(
                "charged",
                "The charges are completed; open them again first, with the reason.",
            ));
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
                own_price_cents: l.own_price.as_ref().map(|(cents, _)| *cents),
                own_price_reason: l.own_price.as_ref().map(|(_, why)| why.clone()).unwrap_or_default(),
                schedule: None,
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

    /// Completes the charges: prices are fixed, the ledger is charged, and a claim is made when a policy pays. Charges that were
    /// opened again are charged again: what was charged before is taken back, and the claims follow.
    pub async fn complete_charges(
        &mut self,
        visit: &Visit,
        lines: &[harbor_core::charges::ChargeLine],
        schedules: &[Option<String>],
        policy: Option<&Coverage>,
    ) -> Result<()> {
        use charge_lines as c;
        let fees = harbor_core::charges::fees(lines).map_err(|s| StoreError::refused("claim-check", s))?;
        for (line, schedule) in lines.iter().zip(schedules) {
            let own = c::visit_id.eq(visit.id).and(c::number.eq(i32::try_from(line.number).unwrap_or(0)));
            diesel::update(c::table.filter(own))
                .set((c::price_cents.eq(line.price.map(Cents::get)), c::schedule.eq(schedule)))
                .execute(self.conn())
                .await?;
        }
        let again = self.charged_again(visit, policy.map(|p| p.payer_id)).await?;
        self.reach_now(visit.id, Mark::Charged).await?;
        let key = match again.number {
            0 => format!("charge:{}", visit.id),
            n => format!("charge:{}:{n}", visit.id),
        };
        let mut about = About {
            visit: Some(visit.id),
            person: Some(visit.person_id),
            ..About::new(Posting::Charge, key, format!("visit of {}", visit.day))
        };
        if let Some(policy) = policy {
            let total: Cents = fees.iter().map(|(_, fee)| *fee).sum();
            let new = NewClaim {
                visit: visit.id,
                person: visit.person_id,
                coverage: policy.id,
                payer: policy.payer_id,
                total_cents: total.get(),
                replaces: again.replaces.or(again.after),
                frequency: if again.replaces.is_some() { Frequency::Replacement } else { Frequency::Original },
                why: None,
            };
            about.claim = Some(self.add_claim(new).await?.id);
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
}
