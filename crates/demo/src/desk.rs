//! What lies on the front desk: a shift that falls out, the round and a walk-in, who waits for something earlier.

use crate::{World, ZONE, at, coded};
use anyhow::{Context, Result};
use chrono::{Datelike, Duration, NaiveDate, Weekday};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::people::Consent;
use harbor_store::rows::{PersonLimits, UntimedList, Visit, WaitingEntry};
use harbor_store::schedule::lists;
use harbor_store::{Change, schema};
use uuid::Uuid;

pub async fn build(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    fallen_out(world, change).await?;
    untimed(world, change).await?;
    waiting(world, change).await
}

/// The first day after one that is a day of these, and no holiday.
fn next_day(day: NaiveDate, wanted: impl Fn(Weekday) -> bool) -> NaiveDate {
    day.iter_days().skip(1).find(|d| wanted(d.weekday()) && (d.month(), d.day()) != (1, 1)).unwrap_or(day)
}

/// Maelis Corrigan is away in the afternoon of the next working day; whoever was booked waits for a new time.
async fn fallen_out(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    use schema::{shifts, visits};
    let away = world.staff("maelis").id;
    let day = next_day(world.day, |d| !matches!(d, Weekday::Sat | Weekday::Sun));
    let shift: Uuid = shifts::table
        .filter(shifts::clinician_id.eq(away).and(shifts::starts_at.eq(at(day, 13, 0))))
        .select(shifts::id)
        .first(change.conn())
        .await
        .context("an afternoon to cancel")?;
    change.now = at(world.day, 8, 40);
    change.cancel_shifts(&[shift], "course in Marrow Ferry", crate::ZONE).await?;
    let displaced: Vec<Uuid> = visits::table
        .filter(visits::rebook.eq(true))
        .order(visits::starts_at)
        .select(visits::person_id)
        .load(change.conn())
        .await?;
    // One of them depends on the bus that runs twice a week.
    if let Some(person) = displaced.get(1) {
        let limits = PersonLimits {
            person_id: *person,
            site_ids: vec![],
            weekdays: vec![2, 4],
            same_clinician: false,
            note: "comes by the bus".into(),
        };
        change.set_limits(&limits).await?;
    }
    // Another wants no messages, and one's number is out of service.
    if let Some(person) = displaced.get(2) {
        for kind in [Consent::Text, Consent::Email] {
            change.record_consent(*person, kind, false).await?;
        }
    }
    if let Some(person) = displaced.get(3) {
        change.confirm_contact(*person, Some("2075550198"), None).await?;
        change.record_consent(*person, Consent::Text, true).await?;
    }
    Ok(())
}

/// Two homes on the next round, and one who walked in this morning.
async fn untimed(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    let all = lists::all(change.conn()).await?;
    let of = |kind: &str| all.iter().find(|l| l.kind == coded(kind)).cloned();
    let (Some(round), Some(walk_ins)) = (of("home"), of("walk_in")) else { return Ok(()) };
    let on_round = |l: &UntimedList, d: Weekday| l.weekdays.contains(&(d.number_from_monday() as i32));
    let day = next_day(world.day, |d| on_round(&round, d));
    let born_before = world.day.year() - 78;
    let old: Vec<Uuid> = world
        .people
        .iter()
        .skip(world.threads)
        .filter(|p| p.deceased_on.is_none() && p.birth_date.is_some_and(|b| b.year() < born_before))
        .map(|p| p.id)
        .filter(|p| !world.busy.contains(&(day, *p)))
        .take(2)
        .collect();
    change.now = at(world.day, 8, 55);
    for (person, reason) in old.iter().zip(["Leg ulcer, dressing", "Cannot leave the house, blood pressure"]) {
        change.enter_list(round.id, *person, day, (reason, ""), ZONE).await?;
        world.busy.insert((day, *person));
    }
    let someone = world.people.iter().skip(world.threads).find(|p| {
        p.deceased_on.is_none()
            && p.birth_date.is_some_and(|b| (1970..2000).contains(&b.year()))
            && !world.busy.contains(&(world.day, p.id))
    });
    if let Some(person) = someone.map(|p| p.id) {
        change.now = at(world.day, 9, 52);
        change.enter_list(walk_ins.id, person, world.day, ("Splinter in the hand", ""), ZONE).await?;
        world.busy.insert((world.day, person));
    }
    Ok(())
}

/// One has a time and wants an earlier one, another waits for a first time.
async fn waiting(world: &mut World, change: &mut Change<'_>) -> Result<()> {
    use schema::visits;
    let later: Vec<Visit> = visits::table
        .filter(visits::stage.eq("booked").and(visits::rebook.eq(false)).and(visits::slot_id.is_not_null()))
        .filter(visits::starts_at.gt(at(world.day + chrono::Days::new(8), 8, 0)))
        .order((visits::starts_at, visits::id))
        .limit(2)
        .select(Visit::as_select())
        .load(change.conn())
        .await?;
    change.now = at(world.day, 9, 5) - Duration::days(2);
    let made_by = change.actor.name.clone();
    let entry = |id: Uuid, person_id: Uuid, visit_type_id: Uuid, made_at| WaitingEntry {
        id,
        person_id,
        visit_id: None,
        visit_type_id,
        clinician_ids: vec![],
        site_ids: vec![],
        weekdays: vec![],
        from_minute: 0,
        to_minute: 1440,
        not_before: None,
        urgent: false,
        note: String::new(),
        made_at,
        made_by: made_by.clone(),
        closed_as: None,
        closed_at: None,
    };
    let now = change.now;
    if let Some(visit) = later.as_slice().first() {
        let row = entry(world.ids.fresh(), visit.person_id, visit.visit_type_id, now);
        change
            .wait_for(&WaitingEntry { visit_id: Some(visit.id), note: "can come at short notice".into(), ..row })
            .await?;
    }
    if let Some(visit) = later.get(1) {
        let row = entry(world.ids.fresh(), visit.person_id, visit.visit_type_id, now);
        let wish = WaitingEntry { visit_id: Some(visit.id), from_minute: 13 * 60, urgent: true, ..row };
        change.wait_for(&wish).await?;
    }
    change.now = crate::opening(world.day);
    Ok(())
}
