//! The demo clinic is a world whose parts agree with each other, on whatever day it is loaded.

mod measured;
mod texts;

use chrono::{Days, NaiveDate};
use harbor_demo::attack::invariants::OPEN_DIFFERS;
use harbor_demo::testing::Loaded;
use tokio_postgres::{Client, NoTls};

struct World {
    loaded: Loaded,
    client: Client,
    day: NaiveDate,
}

impl World {
    async fn around(day: (i32, u32, u32)) -> World {
        let day = NaiveDate::from_ymd_opt(day.0, day.1, day.2).unwrap();
        let loaded = Loaded::around(day).await.unwrap();
        let (client, connection) = tokio_postgres::connect(&loaded.url, NoTls).await.unwrap();
        tokio::spawn(connection);
        World { loaded, client, day }
    }

    /// What a query answers, line by line as text; `$day` in it is the day of the world.
    async fn rows(&self, sql: &str) -> Vec<String> {
        let sql = sql.replace("$day", &format!("date '{}'", self.day));
        let found = self.client.query(&format!("select row::text from ({sql}) as row"), &[]).await;
        found.unwrap_or_else(|e| panic!("{sql}: {e:?}")).iter().map(|r| r.get(0)).collect()
    }

    async fn count(&self, sql: &str) -> usize {
        self.rows(sql).await.len()
    }

    async fn close(self) {
        drop(self.client);
        self.loaded.drop().await.unwrap();
    }
}

/// What must not be, each with a query that finds it.
const NEVER: [(&str, &str); 18] = [
    (
        "somebody is at two places at once",
        "select a.id from visits a join visits b on a.person_id = b.person_id and a.id < b.id
         where a.starts_at < b.ends_at and b.starts_at < a.ends_at
           and a.stage not in ('cancelled', 'did_not_come') and b.stage not in ('cancelled', 'did_not_come')",
    ),
    (
        "two patients have one clinician at one time",
        "select a.id from visits a join visits b on a.clinician_id = b.clinician_id and a.id < b.id
         where a.slot_id is not null and b.slot_id is not null and not a.extra and not b.extra
           and a.starts_at < b.ends_at and b.starts_at < a.ends_at and not a.rebook and not b.rebook
           and a.stage not in ('cancelled', 'did_not_come') and b.stage not in ('cancelled', 'did_not_come')",
    ),
    (
        "a visit to come lies in held time",
        "select v.id from visits v join slots s on s.clinician_id = v.clinician_id and s.held_for is not null
         where v.day >= $day and v.slot_id is not null and not v.rebook and v.starts_at < s.ends_at and s.starts_at < v.ends_at",
    ),
    (
        "a booked visit lies outside its shift",
        "select v.id from visits v join slots s on s.id = v.slot_id join shifts h on h.id = s.shift_id
         where v.stage = 'booked' and not v.extra and (v.starts_at < h.starts_at or v.ends_at > h.ends_at)",
    ),
    ("a day that is over has somebody still booked", "select id from visits where day < $day and stage = 'booked'"),
    ("somebody is in the building on another day", "select id from visits where day <> $day and stage in ('here', 'checked_in', 'in_room', 'with_clinician', 'ready_to_leave')"),
    ("a child is seen before birth", "select v.id from visits v join people p on p.id = v.person_id where v.day < p.birth_date"),
    ("somebody is older than 97 or not born", "select id from people where birth_date > $day or age($day, birth_date) >= interval '98 years'"),
    ("a telephone number that could be somebody's", r"select id from people where phone is not null and phone !~ '^[0-9]{3}55501[0-9]{2}$'"),
    ("an e-mail address that could be somebody's", "select id from people where email is not null and email not like '%@example.org'"),
    ("a postal code that is in use", r"select id from people where postal_code is not null and postal_code !~ '^0499[89]'"),
    ("a transaction that does not sum to zero", "select transaction_id from ledger_entries group by 1 having sum(cents) <> 0"),
    ("what is open is not what the entries say", OPEN_DIFFERS),
    ("a posting of a time to come", "select id from ledger_transactions where posted_at > $day + 1"),
    (
        "something left for the patient that no payer explains",
        "select t.id from ledger_transactions t where t.kind = 'decision' and exists (
             select from ledger_entries e where e.transaction_id = t.id and e.account = 'patient' and e.cents > 0)
         and not exists (select from remitted_claims r where r.transaction_id = t.id
             and exists (select from unnest(r.explanation) x where x like '%(patient responsibility)'))",
    ),
    ("a paid claim of a visit that nobody signed", "select c.id from claims c join visits v on v.id = c.visit_id where c.state in ('sent', 'accepted', 'paid') and not exists (select from visit_marks m where m.visit_id = v.id and m.mark = 'signed')"),
    ("a minor who answers for themselves", "select id from people where responsible_id = id and age($day, birth_date) < interval '18 years'"),
    ("a visit with the wrong clinic's children", "select v.id from visits v join people p on p.id = v.person_id join staff s on s.id = v.clinician_id where s.login = 'ifeoma' and age(v.day, p.birth_date) >= interval '19 years'"),
];

/// What there must be, with the least number of it.
const THERE: [(&str, usize, &str); 16] = [
    ("people", 225, "select id from people where patient"),
    ("visits behind", 2_000, "select id from visits where day < $day"),
    ("visits of the last six weeks of 18 months ago", 20, "select id from visits where day < $day - 480"),
    ("visits in the weeks ahead", 150, "select id from visits where day > $day"),
    ("stages of today", 6, "select distinct stage from visits where day = $day"),
    ("states of claims", 6, "select distinct state from claims"),
    ("results that wait", 3, "select id from lab_reports where reviewed_at is null"),
    ("a corrected result", 1, "select id from lab_reports where status = 'corrected'"),
    ("a result of an uncertain person", 1, "select id from lab_reports where person_id is null"),
    (
        "notes without a signature",
        1,
        "select id from visits v where day < $day and exists (select from visit_marks m where m.visit_id = v.id and m.mark = 'seen')
             and not exists (select from visit_marks m where m.visit_id = v.id and m.mark = 'signed')",
    ),
    ("a cancelled shift with people to rebook", 1, "select id from visits where rebook"),
    (
        "free slots in the next three days",
        30,
        "select s.id from slots s where s.starts_at between $day + 1 and $day + 4 and s.held_for is null and not exists (select from visits v where v.slot_id = s.id)",
    ),
    ("a denied claim with its reason", 1, "select id from claims where state = 'denied'"),
    ("a take-back", 1, "select id from remitted_claims where status = '22'"),
    ("a line that matches nothing", 1, "select id from remitted_claims where claim_id is null"),
    ("people with a preferred name", 10, "select id from people where preferred_name is not null"),
];

async fn agrees_with_itself(day: (i32, u32, u32)) {
    let world = World::around(day).await;
    for (what, sql) in NEVER {
        let found = world.rows(sql).await;
        assert!(found.is_empty(), "{}: {what}: {} rows, such as {:?}", world.day, found.len(), found.first());
    }
    for (what, least, sql) in THERE {
        let found = world.count(sql).await;
        assert!(found >= least, "{}: {what}: {found}, at least {least}", world.day);
    }
    world.close().await;
}

#[actix_web::test]
async fn on_the_day_of_the_tests() {
    agrees_with_itself((2026, 11, 23)).await;
}

#[actix_web::test]
async fn on_the_last_day_before_the_clock_goes_back() {
    agrees_with_itself((2026, 10, 30)).await;
}

#[actix_web::test]
async fn on_the_last_day_before_the_clock_goes_forward() {
    agrees_with_itself((2027, 3, 12)).await;
}

#[actix_web::test]
async fn before_the_turn_of_the_year() {
    agrees_with_itself((2026, 12, 22)).await;
}

#[actix_web::test]
async fn on_a_leap_day() {
    agrees_with_itself((2028, 2, 29)).await;
}

/// Ids carry the moment they were made; everything that people see is the same each time.
#[actix_web::test]
async fn it_is_the_same_world_each_time() {
    let day = (2026, 11, 23);
    let (one, two) = (World::around(day).await, World::around(day).await);
    for sql in [
        "select record_number, first_name, last_name, birth_date, phone, address_line from people order by 1",
        "select p.record_number, v.starts_at, v.ends_at, v.reason, v.stage, v.call_sign, v.extra, v.rebook
         from visits v join people p on p.id = v.person_id order by 2, 1",
        "select s.starts_at, s.ends_at, s.held_for, s.clinic, f.login from slots s join staff f on f.id = s.clinician_id order by 1, 5",
        "select number, state, total_cents from claims order by 1",
        "select account, sum(cents), count(*) from ledger_entries group by 1 order by 1",
    ] {
        let (first, second) = (one.rows(sql).await, two.rows(sql).await);
        assert!(!first.is_empty() && first == second, "{sql}");
    }
    one.close().await;
    two.close().await;
}

/// A month later nobody who was booked is forgotten: the world has a past and a future on every day.
#[actix_web::test]
async fn every_clinician_has_a_past_and_a_future() {
    let world = World::around((2026, 11, 23)).await;
    for login in ["oriane", "tobias", "ifeoma", "maelis"] {
        for (what, from, to) in [("behind", -28_i64, -1_i64), ("ahead", 1, 14)] {
            let at = |days: i64| match u64::try_from(days) {
                Ok(days) => world.day + Days::new(days),
                Err(_) => world.day - Days::new(days.unsigned_abs()),
            };
            let sql = format!(
                "select v.id from visits v join staff s on s.id = v.clinician_id where s.login = '{login}' and v.day between '{}' and '{}'",
                at(from),
                at(to)
            );
            let found = world.count(&sql).await;
            assert!(found >= 20, "{login} has {found} visits {what}");
        }
    }
    world.close().await;
}
