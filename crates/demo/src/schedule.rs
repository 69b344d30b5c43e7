//! Working time: weekly templates, an exception, lists without times; shifts and slots made from them.

use crate::{World, ZONE, at};
use anyhow::Result;
use chrono::{Datelike, Days, NaiveDate, NaiveTime, Weekday};
use diesel_async::RunQueryDsl;
use harbor_core::schedule::supply::{Exception, Purpose, Run, Template, shifts_of_day};
use harbor_core::schedule::untimed::ListKind;
use harbor_store::rows::{ClinicianGroup, Shift, Slot, SupplyException, UntimedList};
use harbor_store::schedule::supply::{FROM_TEMPLATE, WholeTemplate};
use harbor_store::{Conn, schema};
use uuid::Uuid;

/// So many days of shifts are there, today among them.
pub const AHEAD: u64 = 42;

const LOGINS: [&str; 4] = ["oriane", "tobias", "ifeoma", "maelis"];

/// The slots of today and later.
pub async fn build(world: &mut World, conn: &mut Conn) -> Result<Vec<Slot>> {
    let templates = templates(world);
    for t in &templates {
        let whole = WholeTemplate::of_core(t, 1);
        diesel::insert_into(schema::shift_templates::table).values(&whole.template).execute(conn).await?;
        diesel::insert_into(schema::template_runs::table).values(&whole.runs).execute(conn).await?;
    }
    let holiday = around(world, conn).await?;
    let closed = [Exception::Closed { site: None, from: holiday, to: holiday }];
    let mut shifts = Vec::new();
    let mut slots = Vec::new();
    for ahead in 0..AHEAD {
        for made in shifts_of_day(&templates, &closed, world.day + Days::new(ahead), ZONE) {
            let shift = Shift {
                id: world.ids.fresh(),
                clinician_id: made.clinician,
                site_id: made.site,
                starts_at: made.span.start(),
                ends_at: made.span.end(),
                cancelled_at: None,
                cancel_reason: None,
                template_id: Some(made.template),
            };
            for slot in made.slots {
                let (visit_type_id, held_for) = match slot.purpose {
                    Purpose::Open(kind) => (Some(kind), None),
                    Purpose::Held(what) => (None, Some(what)),
                };
                slots.push(Slot {
                    id: world.ids.fresh(),
                    shift_id: shift.id,
                    clinician_id: shift.clinician_id,
                    visit_type_id,
                    starts_at: slot.span.start(),
                    ends_at: slot.span.end(),
                    held_for,
                    clinic: slot.clinic,
                    by_hand: false,
                    withdrawn: false,
                });
            }
            shifts.push(shift);
        }
    }
    for chunk in shifts.chunks(500) {
        diesel::insert_into(schema::shifts::table).values(chunk).execute(conn).await?;
    }
    for chunk in slots.chunks(500) {
        diesel::insert_into(schema::slots::table).values(chunk).execute(conn).await?;
        diesel::insert_into(schema::slot_events::table).values(made_events(world.day, chunk)).execute(conn).await?;
    }
    Ok(slots)
}

type Event<'a> = (
    diesel::dsl::Eq<schema::slot_events::slot_id, Uuid>,
    diesel::dsl::Eq<schema::slot_events::clinician_id, Uuid>,
    diesel::dsl::Eq<schema::slot_events::starts_at, chrono::DateTime<chrono::Utc>>,
    diesel::dsl::Eq<schema::slot_events::ends_at, chrono::DateTime<chrono::Utc>>,
    diesel::dsl::Eq<schema::slot_events::what, &'a str>,
    diesel::dsl::Eq<schema::slot_events::detail, &'a str>,
    diesel::dsl::Eq<schema::slot_events::at, chrono::DateTime<chrono::Utc>>,
    diesel::dsl::Eq<schema::slot_events::by, &'a str>,
);

/// The first line in the history of each slot.
fn made_events(day: NaiveDate, slots: &[Slot]) -> Vec<Event<'static>> {
    use diesel::ExpressionMethods;
    use schema::slot_events as e;
    let when = at(day - Days::new(30), 20, 0);
    let event = |s: &Slot| {
        (
            e::slot_id.eq(s.id),
            e::clinician_id.eq(s.clinician_id),
            e::starts_at.eq(s.starts_at),
            e::ends_at.eq(s.ends_at),
            e::what.eq("made"),
            e::detail.eq(FROM_TEMPLATE),
            e::at.eq(when),
            e::by.eq("working time"),
        )
    };
    slots.iter().map(event).collect()
}

/// Everybody's week: two halves a day from Monday to Friday, every second Saturday a morning.
fn templates(world: &mut World) -> Vec<Template<Uuid>> {
    let mut out = Vec::new();
    let begins = world.day - Days::new(u64::from(world.day.weekday().num_days_from_monday()) + 28);
    for (n, login) in LOGINS.into_iter().enumerate() {
        let clinician = world.staff(login).id;
        for weekday in [Weekday::Mon, Weekday::Tue, Weekday::Wed, Weekday::Thu, Weekday::Fri, Weekday::Sat] {
            let saturday = weekday == Weekday::Sat;
            let site = world.sites[usize::from(n == 3 && !saturday)].id;
            let morning = NaiveTime::from_hms_opt(9, 0, 0).unwrap_or_default();
            let halves =
                if saturday { vec![(morning, half_day(true).0)] } else { vec![half_day(false), half_day(true)] };
            for (from, to) in halves {
                // Saturdays are taken in turns, two by two.
                let turn = (n + begins.iso_week().week() as usize) % 2;
                out.push(Template {
                    key: world.ids.fresh(),
                    clinician,
                    site,
                    weekday,
                    from,
                    to,
                    every_weeks: if saturday { 2 } else { 1 },
                    runs: runs(world, n, from == half_day(true).0, weekday),
                    begins: if saturday { begins + Days::new(7 * turn as u64) } else { begins },
                    ends: None,
                });
            }
        }
    }
    out
}

/// Mostly short slots, a long one, a held third of an hour; some afternoons are named clinics.
fn runs(world: &World, n: usize, afternoon: bool, weekday: Weekday) -> Vec<Run<Uuid>> {
    let [consultation, long, new, child] = [0, 1, 2, 3].map(|i| world.visit_types[i].id);
    let usual = if n == 2 { child } else { consultation };
    let clinic = match (n, afternoon, weekday) {
        (2, true, Weekday::Wed) => "Immunisations",
        (3, true, Weekday::Tue) => "Diabetes",
        (1, true, Weekday::Thu) => "Travel",
        _ => "",
    };
    usual_runs(usual, if n.is_multiple_of(2) { long } else { new }, afternoon, clinic)
}

/// Half a day of one kind of visit with a longer one in it.
pub fn usual_runs(usual: Uuid, longer: Uuid, afternoon: bool, clinic: &str) -> Vec<Run<Uuid>> {
    let run = |count, minutes, purpose| Run { count, minutes, purpose, clinic: clinic.to_owned() };
    vec![
        run(3, 20, Purpose::Open(usual)),
        run(1, 40, Purpose::Open(longer)),
        run(2, 20, Purpose::Open(usual)),
        Run { clinic: String::new(), ..run(1, 20, Purpose::Held("catch-up".into())) },
        run(if afternoon { 7 } else { 4 }, 20, Purpose::Open(usual)),
    ]
}

/// When a half of a working day begins and ends.
pub fn half_day(afternoon: bool) -> (NaiveTime, NaiveTime) {
    let hour = |h| NaiveTime::from_hms_opt(h, 0, 0).unwrap_or_default();
    if afternoon { (hour(13), hour(18)) } else { (hour(8), hour(12)) }
}

/// A holiday to come, the lists without times, and a group that the clinic looks at together.
async fn around(world: &mut World, conn: &mut Conn) -> Result<NaiveDate> {
    let holiday = NaiveDate::from_ymd_opt(world.day.year() + 1, 1, 1).unwrap_or(world.day);
    let exception = SupplyException {
        id: world.ids.fresh(),
        clinician_id: None,
        site_id: None,
        from_day: holiday,
        to_day: holiday,
        reason: "New Year's Day".into(),
        made_at: at(world.day - Days::new(20), 11, 0),
        made_by: "Soren Whitlock".into(),
        removed_at: None,
    };
    diesel::insert_into(schema::supply_exceptions::table).values(&exception).execute(conn).await?;
    let home = UntimedList {
        id: world.ids.fresh(),
        name: "Home visits".into(),
        kind: ListKind::Home.into(),
        clinician_id: world.staff("oriane").id,
        site_id: world.sites[0].id,
        visit_type_id: world.visit_types[1].id,
        weekdays: vec![1, 2, 3, 4],
        from_minute: 12 * 60,
        to_minute: 13 * 60,
        most: 3,
        active: true,
    };
    let walk_ins = UntimedList {
        id: world.ids.fresh(),
        name: "Walk-ins".into(),
        kind: ListKind::WalkIn.into(),
        clinician_id: world.staff("maelis").id,
        site_id: world.sites[1].id,
        visit_type_id: world.visit_types[0].id,
        weekdays: vec![1, 2, 3, 4, 5],
        from_minute: 8 * 60,
        to_minute: 12 * 60,
        most: 12,
        active: true,
    };
    diesel::insert_into(schema::untimed_lists::table).values(vec![home, walk_ins]).execute(conn).await?;
    let group = ClinicianGroup {
        id: world.ids.fresh(),
        name: "Family and children".into(),
        owner_id: None,
        members: vec![world.staff("oriane").id, world.staff("ifeoma").id],
    };
    diesel::insert_into(schema::clinician_groups::table).values(&group).execute(conn).await?;
    Ok(holiday)
}
