//! Charges without a visit, as the visit-like entries that bear them: nobody is seen, and nothing is written.

use super::{NewLine, fees::Fees, services};
use crate::rows::{Staff, Visit};
use crate::schema::{staff, visit_types};
use crate::visit_line::facts::{Asked, gather};
use crate::{Change, Result, StoreError, Topic};
use chrono::{DateTime, Duration, NaiveDate, Utc};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::arrival::Stage;
use harbor_core::charges::alone::{AloneRefusal, ChargeAlone, charge_alone};
use harbor_core::charges::fee_schedules::Paying;
use harbor_core::house::permissions::Role;
use harbor_core::money::Cents;
use harbor_core::schedule::VisitKind;
use uuid::Uuid;

/// What charges alone have in the place of a visit type. Nobody chooses it, and no list of types shows it.
pub const NO_TYPE: Uuid = Uuid::from_u128(0x1d_16_0a_10_4e);

/// What is to be charged.
#[derive(Debug, Clone)]
pub struct NewChargeAlone {
    pub person: Uuid,
    pub service: String,
    pub day: NaiveDate,
    /// Noon of the day, where it stands among the patient's visits.
    pub at: DateTime<Utc>,
    /// For whose work it is.
    pub clinician: Uuid,
    pub site: Uuid,
}

/// Why it is not charged.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum NotAlone {
    Refused(AloneRefusal),
    NoSuchService,
    NoSuchClinician,
}

impl Change<'_> {
    /// Charges a service to who answers for the patient, at the price of who pays alone.
    pub async fn charge_alone(&mut self, new: &NewChargeAlone, asked: Asked<'_>) -> Result<Result<Visit, NotAlone>> {
        let person = self.patient_to_book(new.person).await?;
        let Some(service) = services(self.conn()).await?.into_iter().find(|s| s.code == new.service) else {
            return Ok(Err(NotAlone::NoSuchService));
        };
        let who: Option<Staff> = staff::table
            .find(new.clinician)
            .filter(staff::role.eq(Role::Clinician.code()))
            .select(Staff::as_select())
            .first(self.conn())
            .await
            .optional()?;
        let Some(who) = who else { return Ok(Err(NotAlone::NoSuchClinician)) };
        let price = Fees::on(self.conn(), &[new.day]).await?.price(&service.code, Paying::Themselves, new.day);
        let wanted = ChargeAlone {
            service: &service.name,
            is_level: service.level.is_some(),
            out_of_time: service.is_out_of_time(new.day),
            price: price.map(|p| Cents::new(p.cents)),
            day: new.day,
            today: asked.today,
        };
        if let Err(refusal) = charge_alone(&wanted) {
            return Ok(Err(NotAlone::Refused(refusal)));
        }
        self.queue_for(&[new.day]).await?;
        let visit = Visit {
            clinician_id: who.id,
            site_id: new.site,
            visit_type_id: self.no_type().await?,
            starts_at: new.at,
            ends_at: new.at + Duration::minutes(1),
            day: new.day,
            call_sign: self.next_call_sign(new.day).await?,
            extra: true,
            appointment: false,
            self_pay: true,
            stage: Stage::Left.into(),
            ..self.new_visit(&person, VisitKind::Charge, &service.name, "")
        };
        self.insert_visit(&visit).await?;
        let line = NewLine {
            id: None,
            service_code: service.code.clone(),
            modifiers: vec![],
            units: 1,
            pointers: vec![],
            own_price: None,
        };
        self.set_charge_lines(&visit, &[line]).await?;
        let gathered = gather(self.conn(), vec![visit.clone()], asked).await?;
        let g = gathered.into_iter().next().ok_or(StoreError::NotFound("visit"))?;
        self.complete_charges(&visit, &g.charges, &g.schedules, None).await?;
        self.audit("charged without a visit", "visit", visit.id, Some(person.id), service.name);
        self.tell(Topic::Visit, visit.id);
        Ok(Ok(visit))
    }

    /// The row in the place of a visit type, made when the first such charge is raised.
    async fn no_type(&mut self) -> Result<Uuid> {
        use visit_types as t;
        diesel::insert_into(t::table)
            .values((
                t::id.eq(NO_TYPE),
                t::name.eq("Charge alone"),
                t::glyph.eq("C"),
                t::pattern.eq("plain"),
                t::minutes.eq(5),
                t::services.eq(Vec::<String>::new()),
                t::sort.eq(0),
                t::booked_by.eq(Vec::<String>::new()),
                t::online.eq(false),
                t::ground.eq("sheet"),
                t::active.eq(false),
            ))
            .on_conflict_do_nothing()
            .execute(self.conn())
            .await?;
        Ok(NO_TYPE)
    }
}
