//! The demo clinic: a small invented world around one day, the same on every machine for the same day.
//!
//! Begin at [`load`]. [`names`] holds whom the world is made of, [`people`], [`schedule`] and [`past`]
//! build it, [`today`] puts the day in motion. [`stack`] brings up a whole product for the start
//! command and the tests.

mod alone;
pub mod attack;
pub mod crowd;
mod desk;
mod front;
mod histories;
mod money_in;
pub mod mornings;
pub mod names;
pub mod past;
pub mod people;
mod prescribed;
pub mod rebooking;
mod referred;
pub mod schedule;
pub mod stack;
pub mod staff;
pub mod testing;
pub mod texts;
pub mod today;
pub mod twins;

use anyhow::Result;
use chrono::{DateTime, Datelike, Days, NaiveDate, NaiveTime, Utc, Weekday};
use chrono_tz::Tz;
use harbor_store::{Actor, Conn, Store};
use std::collections::HashSet;
use uuid::Uuid;

pub const ZONE: Tz = chrono_tz::America::New_York;
/// One password for all invented people of the demo.
pub const PASSWORD: &str = "harbor";

/// The working day that the demo shows: this one, or the Monday after a weekend.
pub fn demo_day(now: DateTime<Utc>) -> NaiveDate {
    let day = now.with_timezone(&ZONE).date_naive();
    match day.weekday() {
        Weekday::Sat => day + Days::new(2),
        Weekday::Sun => day + Days::new(1),
        _ => day,
    }
}

/// A moment of a day at the clinic.
pub fn at(day: NaiveDate, hour: u32, minute: u32) -> DateTime<Utc> {
    let time = NaiveTime::from_hms_opt(hour, minute, 0).unwrap_or(NaiveTime::MIN);
    harbor_core::schedule::at_local(ZONE, day, time)
}

/// The moment at which the demo opens: mid-morning.
pub fn opening(day: NaiveDate) -> DateTime<Utc> {
    at(day, 10, 20)
}

/// Chance that is the same everywhere: a linear congruential generator (Knuth's MMIX constants).
pub struct Chance(u64);

impl Chance {
    pub fn new(seed: u64) -> Self {
        Chance(seed.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1))
    }

    /// A number below `n`.
    pub fn below(&mut self, n: usize) -> usize {
        self.0 = self.0.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
        usize::try_from(self.0 >> 33).unwrap_or(0) % n.max(1)
    }

    pub fn pick<'a, T>(&mut self, list: &'a [T]) -> &'a T {
        &list[self.below(list.len())]
    }
}

/// Ids in order, the same everywhere.
pub struct Ids {
    millis: u64,
    count: u32,
}

impl Ids {
    pub fn new(day: NaiveDate) -> Self {
        Ids { millis: u64::try_from(at(day, 0, 0).timestamp_millis()).unwrap_or(0), count: 0 }
    }

    pub fn fresh(&mut self) -> Uuid {
        self.count += 1;
        let mut bytes = [0u8; 10];
        bytes[6..].copy_from_slice(&self.count.to_be_bytes());
        uuid::Builder::from_unix_timestamp_millis(self.millis, &bytes).into_uuid()
    }
}

/// Everything built so far, while the world is being made.
pub struct World {
    pub day: NaiveDate,
    pub ids: Ids,
    pub chance: Chance,
    pub staff: Vec<harbor_store::rows::Staff>,
    pub sites: Vec<harbor_store::rows::Site>,
    pub rooms: Vec<harbor_store::rows::Room>,
    pub visit_types: Vec<harbor_store::rows::VisitType>,
    pub payers: Vec<harbor_store::rows::Payer>,
    pub people: Vec<harbor_store::rows::Person>,
    pub coverages: Vec<harbor_store::rows::Coverage>,
    /// The first people of the list have threads of their own, which chance leaves alone.
    pub threads: usize,
    /// Who has a visit on which day, so that chance books nobody twice.
    pub busy: HashSet<(NaiveDate, Uuid)>,
}

impl World {
    pub fn staff(&self, login: &str) -> &harbor_store::rows::Staff {
        self.staff.iter().find(|s| s.login == login).unwrap_or(&self.staff[0])
    }

    /// Somebody at work, as who did something.
    pub fn actor(&self, login: &str) -> Actor {
        let who = self.staff(login);
        Actor { staff_id: Some(who.id), name: who.name.clone() }
    }

    pub fn person(&self, last: &str, first: &str) -> &harbor_store::rows::Person {
        self.people.iter().find(|p| p.last_name == last && p.first_name == first).unwrap_or(&self.people[0])
    }
}

/// A code of the demo data. One that the core does not know is a slip in the data, and every test of the demo finds it.
fn coded<T: harbor_core::Coded>(code: &str) -> harbor_store::codes::Code<T> {
    let known = T::from_code(code);
    harbor_store::codes::Code(known.unwrap_or_else(|| panic!("“{code}” of the demo data is no {}", T::NAME)))
}

/// Loads the demo clinic around a day into an empty, migrated database.
pub async fn load(url: &str, day: NaiveDate) -> Result<()> {
    let store = Store::open(url, 2).await?;
    store
        .change(&Actor::system("demo"), opening(day), async |change| {
            let mut world = World {
                day,
                ids: Ids::new(day),
                chance: Chance::new(u64::try_from(day.num_days_from_ce()).unwrap_or(1)),
                staff: vec![],
                sites: vec![],
                rooms: vec![],
                visit_types: vec![],
                payers: vec![],
                people: vec![],
                coverages: vec![],
                threads: 0,
                busy: HashSet::new(),
            };
            staff::build(&mut world, change.conn()).await?;
            people::build(&mut world, change.conn()).await?;
            let slots = schedule::build(&mut world, change.conn()).await?;
            past::build(&mut world, change.conn()).await?;
            today::build(&mut world, change, &slots).await?;
            desk::build(&mut world, change).await?;
            money_in::build(&world, change).await?;
            cards(&world, change).await?;
            front::build(&mut world, change).await?;
            prescribed::build(&mut world, change.conn()).await?;
            referred::build(&mut world, change.conn()).await?;
            alone::build(&world, change).await?;
            harbor_store::people::finding::hear_new_words(change.conn()).await?;
            change.audit("loaded", "clinic", Uuid::nil(), None, format!("demo clinic around {day}"));
            Ok::<_, anyhow::Error>(())
        })
        .await?;
    // The planner is to know at once how much there is.
    use diesel_async::RunQueryDsl;
    diesel::sql_query("analyze").execute(&mut *store.reader().await?).await?;
    Ok(())
}

/// One policy has both sides of its card on file.
async fn cards(world: &World, change: &mut harbor_store::Change<'_>) -> Result<()> {
    let owner = world.person("Ferreira-Holm", "Lucan").id;
    let Some(policy) = world.coverages.iter().find(|c| c.person_id == owner) else { return Ok(()) };
    change.add_card(policy.id, "front", "image/png", include_bytes!("../assets/card-front.png")).await?;
    change.add_card(policy.id, "back", "image/png", include_bytes!("../assets/card-back.png")).await?;
    Ok(())
}

/// Whether the database holds a clinic.
pub async fn is_loaded(conn: &mut Conn) -> bool {
    harbor_store::house::staff::clinic(conn).await.is_ok()
}
