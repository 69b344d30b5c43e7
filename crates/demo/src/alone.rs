//! What somebody pays for alone: a form that was filled in without a visit, and a visit ahead that still wants its estimate.

use crate::World;
use anyhow::Result;
use chrono::{Days, Duration};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::consult::diagnoses::DiagnosisIndex;
use harbor_store::Change;
use harbor_store::charges::alone::NewChargeAlone;
use harbor_store::schema::visits;
use harbor_store::visit_line::facts::Asked;
use uuid::Uuid;

pub async fn build(world: &World, change: &mut Change<'_>) -> Result<()> {
    let Some(person) = world.people.iter().rev().find(|p| p.patient && p.deceased_on.is_none()) else { return Ok(()) };
    let day = world.day - Days::new(3);
    let form = NewChargeAlone {
        person: person.id,
        service: "FORM".into(),
        day,
        at: crate::at(day, 12, 0),
        clinician: person.usual_clinician_id.unwrap_or(world.staff("oriane").id),
        site: world.sites[0].id,
    };
    // Nothing of it has a diagnosis, so no table of codes is looked at.
    let none = DiagnosisIndex::new(vec![]);
    let charged = change.charge_alone(&form, Asked { index: &none, today: world.day }).await?;
    charged.map_err(|why| anyhow::anyhow!("{why:?}"))?;
    let insured: Vec<Uuid> = world.coverages.iter().map(|c| c.person_id).collect();
    let ahead: Option<Uuid> = visits::table
        .filter(visits::starts_at.gt(crate::at(world.day, 0, 0) + Duration::days(8)).and(visits::stage.eq("booked")))
        .filter(visits::person_id.ne_all(insured))
        .order((visits::starts_at, visits::id))
        .select(visits::id)
        .first(change.conn())
        .await
        .optional()?;
    if let Some(visit) = ahead {
        change.tell_self_pay(visit).await?;
    }
    Ok(())
}
