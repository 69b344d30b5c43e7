//! Shifts and slots: two weeks behind are not needed, six weeks ahead are.

use crate::{World, at};
use anyhow::Result;
use chrono::{Datelike, Days, Duration, Weekday};
use diesel_async::RunQueryDsl;
use harbor_store::rows::{Shift, Slot};
use harbor_store::{Conn, schema};

/// The slots of today and later.
pub async fn build(world: &mut World, conn: &mut Conn) -> Result<Vec<Slot>> {
    let mut shifts = Vec::new();
    let mut slots = Vec::new();
    for ahead in 0..42 {
        let day = world.day + Days::new(ahead);
        let (morning, saturday) = match day.weekday() {
            Weekday::Sun => continue,
            Weekday::Sat => ((9, 13), true),
            _ => ((8, 12), false),
        };
        for (n, login) in ["oriane", "tobias", "ifeoma", "maelis"].into_iter().enumerate() {
            if saturday && n % 2 != (day.iso_week().week() as usize) % 2 {
                continue;
            }
            let clinician = world.staff(login).id;
            let site = if n == 3 && !saturday { world.sites[1].id } else { world.sites[0].id };
            let mut halves = vec![morning];
            if !saturday {
                halves.push((13, 18));
            }
            for (from, to) in halves {
                let shift = Shift {
                    id: world.ids.fresh(),
                    clinician_id: clinician,
                    site_id: site,
                    starts_at: at(day, from, 0),
                    ends_at: at(day, to, 0),
                    cancelled_at: None,
                    cancel_reason: None,
                };
                cut(world, &shift, n, &mut slots);
                shifts.push(shift);
            }
        }
    }
    for chunk in shifts.chunks(500) {
        diesel::insert_into(schema::shifts::table).values(chunk).execute(conn).await?;
    }
    for chunk in slots.chunks(500) {
        diesel::insert_into(schema::slots::table).values(chunk).execute(conn).await?;
    }
    Ok(slots)
}

/// Cuts a shift into slots: mostly short ones, a long one, a held quarter at its end.
fn cut(world: &mut World, shift: &Shift, clinician: usize, slots: &mut Vec<Slot>) {
    let [consultation, long, new, child, ..] = [0, 1, 2, 3].map(|i| world.visit_types[i].id);
    let usual = if clinician == 2 { child } else { consultation };
    let mut start = shift.starts_at;
    let mut n = 0;
    while start < shift.ends_at {
        let left = (shift.ends_at - start).num_minutes();
        let (minutes, kind, held) = match n {
            3 if left >= 40 => (40, Some(if clinician.is_multiple_of(2) { long } else { new }), None),
            6 => (20, None, Some("catch-up")),
            _ => (20, Some(usual), None),
        };
        let minutes = minutes.min(left);
        let end = start + Duration::minutes(minutes);
        slots.push(Slot {
            id: world.ids.fresh(),
            shift_id: shift.id,
            clinician_id: shift.clinician_id,
            visit_type_id: kind,
            starts_at: start,
            ends_at: end,
            held_for: held.map(str::to_owned),
            clinic: String::new(),
            by_hand: false,
            withdrawn: false,
        });
        start = end;
        n += 1;
    }
}
