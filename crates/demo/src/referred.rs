//! Who was referred: the public plan pays only with a referral, so each of its people has one and their visits name it.

use crate::World;
use anyhow::Result;
use chrono::Days;
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_store::Conn;
use harbor_store::rows::{Referral, VisitBilling};
use harbor_store::schema::{referrals, visit_billing, visits};
use uuid::Uuid;

/// Its doctors in Marrow Ferry, with provider numbers made for this clinic.
const FROM: [(&str, &str, &str); 3] = [
    ("Sorrel", "Anstruther", "1800000717"),
    ("Halvard", "Tidewell", "1800000725"),
    ("Odalys", "Brinksworth", "1800000733"),
];

pub async fn build(world: &mut World, conn: &mut Conn) -> Result<()> {
    let Some(plan) = world.payers.iter().find(|p| p.needs_referral).map(|p| p.id) else { return Ok(()) };
    let mut members: Vec<Uuid> = world.coverages.iter().filter(|c| c.payer_id == plan).map(|c| c.person_id).collect();
    members.sort();
    members.dedup();
    let soon = world.day + Days::new(3);
    let now = crate::at(world.day, 0, 0);
    // Of one who comes later the referral runs out before.
    let comes_later: Option<Uuid> = visits::table
        .filter(visits::person_id.eq_any(&members).and(visits::starts_at.ge(now)))
        .group_by(visits::person_id)
        .having(diesel::dsl::min(visits::day).gt(soon))
        .order(visits::person_id)
        .select(visits::person_id)
        .first(conn)
        .await
        .optional()?;
    let told_at = crate::at(world.day - Days::new(2), 9, 0);
    let mut written: Vec<Referral> = Vec::new();
    for (n, person_id) in members.into_iter().enumerate() {
        let (first, last, npi) = FROM[n % FROM.len()];
        written.push(Referral {
            id: world.ids.fresh(),
            person_id,
            payer_id: Some(plan),
            from_last: last.into(),
            from_first: first.into(),
            from_npi: npi.into(),
            question: "please see and treat".into(),
            number: format!("CR{:05}", 41_000 + n),
            valid_from: world.day - Days::new(600),
            valid_until: Some(if comes_later == Some(person_id) { soon } else { world.day + Days::new(180) }),
            visits: None,
            told_at,
            told_by: "Junia Vance".into(),
            ended_at: None,
            ended_by: String::new(),
        });
    }
    diesel::insert_into(referrals::table).values(&written).execute(conn).await?;
    for referral in &written {
        let of: Vec<Uuid> =
            visits::table.filter(visits::person_id.eq(referral.person_id)).select(visits::id).load(conn).await?;
        let said: Vec<VisitBilling> = of
            .into_iter()
            .map(|id| VisitBilling {
                referral_id: Some(referral.id),
                said_by: "Junia Vance".into(),
                ..VisitBilling::nothing(id, told_at)
            })
            .collect();
        diesel::insert_into(visit_billing::table).values(&said).on_conflict_do_nothing().execute(conn).await?;
    }
    Ok(())
}
