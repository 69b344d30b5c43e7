//! A larger clinic than the demo's: more clinicians, with weeks and patients of their own, for pictures and
//! measurements.

use crate::schedule::{half_day, usual_runs};
use crate::{Chance, ZONE, names};
use anyhow::Result;
use chrono::{Days, NaiveDate, Weekday};
use diesel::prelude::*;
use diesel_async::RunQueryDsl;
use harbor_core::schedule::supply::Template;
use harbor_store::rows::{Slot, Staff};
use harbor_store::schedule::booking::{Booking, Place};
use harbor_store::schedule::supply::WholeTemplate;
use harbor_store::{Actor, Store, schema};
use std::collections::HashSet;
use uuid::Uuid;

/// Adds so many clinicians, who work for so many days from a day on, with this share of the first days booked.
pub async fn more_clinicians(url: &str, day: NaiveDate, count: usize, days: i32, share: usize) -> Result<()> {
    let store = Store::open(url, 2).await?;
    store
        .change(&Actor::system("crowd"), crate::opening(day), async |change| {
            let mut chance = Chance::new(12);
            diesel::update(schema::clinic::table)
                .set(schema::clinic::supply_days.eq(days))
                .execute(change.conn())
                .await?;
            let like: Staff = schema::staff::table
                .filter(schema::staff::login.eq("oriane"))
                .select(Staff::as_select())
                .first(change.conn())
                .await?;
            let sites: Vec<Uuid> =
                schema::sites::table.order(schema::sites::sort).select(schema::sites::id).load(change.conn()).await?;
            let types = harbor_store::schedule::visit_types(change.conn()).await?;
            let mut added = Vec::new();
            for n in 0..count {
                let (last, first) = (*chance.pick(&names::LAST), *chance.pick(&names::WOMEN));
                let row = Staff {
                    id: Uuid::now_v7(),
                    login: format!("crowd{n}"),
                    name: format!("Dr. {first} {last}"),
                    last_name: last.into(),
                    first_name: first.into(),
                    npi: None,
                    sort: 100 + i32::try_from(n).unwrap_or(0),
                    dea: String::new(),
                    ..like.clone()
                };
                diesel::insert_into(schema::staff::table).values(&row).execute(change.conn()).await?;
                for weekday in [Weekday::Mon, Weekday::Tue, Weekday::Wed, Weekday::Thu, Weekday::Fri] {
                    for afternoon in [false, true] {
                        let (from, to) = half_day(afternoon);
                        let template = WholeTemplate::of_core(
                            &Template {
                                key: Uuid::now_v7(),
                                clinician: row.id,
                                site: sites[n % sites.len()],
                                weekday,
                                from,
                                to,
                                every_weeks: 1,
                                runs: usual_runs(types[0].id, types[1 + n % 2].id, afternoon, ""),
                                begins: day,
                                ends: None,
                            },
                            1,
                        );
                        diesel::insert_into(schema::shift_templates::table)
                            .values(&template.template)
                            .execute(change.conn())
                            .await?;
                        diesel::insert_into(schema::template_runs::table)
                            .values(&template.runs)
                            .execute(change.conn())
                            .await?;
                    }
                }
                added.push(row.id);
            }
            change.settle_supply(day, None, ZONE).await?;
            let until = crate::at(day + Days::new(14), 0, 0);
            let slots: Vec<Slot> = schema::slots::table
                .filter(schema::slots::clinician_id.eq_any(&added).and(schema::slots::held_for.is_null()))
                .filter(schema::slots::starts_at.lt(until).and(schema::slots::ends_at.gt(change.now)))
                .order((schema::slots::starts_at, schema::slots::id))
                .select(Slot::as_select())
                .load(change.conn())
                .await?;
            let people: Vec<Uuid> = schema::people::table
                .filter(schema::people::deceased_on.is_null().and(schema::people::merged_into.is_null()))
                .order(schema::people::record_number)
                .select(schema::people::id)
                .load(change.conn())
                .await?;
            let mut busy = HashSet::new();
            for slot in slots {
                let person = *chance.pick(&people);
                if chance.below(100) >= share || !busy.insert((slot.starts_at.date_naive(), person)) {
                    continue;
                }
                let (reason, ..) = names::reason(&mut chance, false);
                let booking = Booking {
                    person_id: person,
                    place: Place::slot_surely(slot.id),
                    reason: reason.into(),
                    note: String::new(),
                    kind: harbor_core::schedule::VisitKind::InPerson,
                    role: None,
                };
                change.book(&booking, ZONE).await?;
            }
            Ok::<_, anyhow::Error>(())
        })
        .await?;
    diesel::sql_query("analyze").execute(&mut *store.reader().await?).await?;
    Ok(())
}
