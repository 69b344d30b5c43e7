//! One change: committed whole with what it tells, or rolled back so that nobody notices.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use harbor_store::{Actor, StoreError};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::time::Duration;

/// The connections of the program to this database, and those of them that hold a transaction open.
async fn connections(client: &tokio_postgres::Client) -> (BTreeSet<i32>, i64) {
    let sql =
        "select pid, state from pg_stat_activity where datname = current_database() and usename = 'harbor_program'";
    let rows = client.query(sql, &[]).await.unwrap();
    let open = rows.iter().filter(|r| r.get::<_, Option<&str>>(1).is_some_and(|s| s.starts_with("idle in")));
    (rows.iter().map(|r| r.get(0)).collect(), i64::try_from(open.count()).unwrap())
}

#[actix_web::test]
async fn a_refused_change_gives_its_connection_back_whole() {
    let product = Product::start().await.unwrap();
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let desk = Hand::sign_in(&product, "junia").await;
    let day = desk.get("/api/schedule?day=2026-11-23").await;
    let held = day["slots"].as_array().unwrap().iter().find(|s| s["heldFor"].is_string()).unwrap().clone();
    let person = desk.person("Brandvold").await;
    let body = json!({ "personId": person["id"], "slotId": held["id"], "reason": "refused", "meant": crate::meant() });
    assert_eq!(desk.post("/api/visits", body.clone()).await.status, 422);
    let (before, _) = connections(&client).await;
    for _ in 0..30 {
        assert_eq!(desk.post("/api/visits", body.clone()).await.status, 422);
    }
    // Whatever the pool opened before it has still: a broken connection would have been thrown away for a new one.
    let (after, in_transaction) = connections(&client).await;
    assert!(before.is_subset(&after), "{before:?} became {after:?}");
    assert_eq!(in_transaction, 0);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_change_that_says_nothing_or_is_given_up_leaves_nothing() {
    let product = Product::start().await.unwrap();
    let store = &product.server.state.store;
    let actor = Actor::system("test");
    let count =
        async || harbor_store::schedule::groups::seen_by(&mut store.reader().await.unwrap(), uuid::Uuid::nil()).await;
    let before = count().await.unwrap().len();
    let silent = store.change(&actor, product.server.state.now(), async |change| {
        harbor_store::people::get(change.conn(), uuid::Uuid::nil()).await.ok();
        Ok::<_, StoreError>(())
    });
    assert!(silent.await.unwrap_err().to_string().contains("must say what it did"));
    let staff = harbor_store::house::staff::all(&mut store.reader().await.unwrap()).await.unwrap();
    let members: Vec<uuid::Uuid> = staff
        .iter()
        .filter(|s| *s.role == harbor_core::house::permissions::Role::Clinician)
        .map(|s| s.id)
        .take(2)
        .collect();
    let given_up = store.change(&actor, product.server.state.now(), async |change| {
        change.save_group(None, "Never kept", &members).await?;
        change.give_up();
        Ok::<_, StoreError>(7)
    });
    assert_eq!(given_up.await.unwrap(), 7, "the answer of what was tried is kept");
    assert_eq!(count().await.unwrap().len(), before);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_part_goes_alone_and_a_refusal_within_it_takes_the_whole_change_along() {
    let product = Product::start().await.unwrap();
    let store = &product.server.state.store;
    let (actor, now) = (Actor::system("test"), product.server.state.now());
    let staff = harbor_store::house::staff::all(&mut store.reader().await.unwrap()).await.unwrap();
    let clinicians = staff.iter().filter(|s| *s.role == harbor_core::house::permissions::Role::Clinician);
    let members: Vec<uuid::Uuid> = clinicians.map(|s| s.id).take(2).collect();
    let names = async || {
        let seen = harbor_store::schedule::groups::seen_by(&mut store.reader().await.unwrap(), uuid::Uuid::nil())
            .await
            .unwrap();
        seen.into_iter().map(|g| g.name).collect::<Vec<_>>()
    };
    let kept = store.change(&actor, now, async |change| {
        change.save_group(None, "Kept", &members).await?;
        let part = async |change: &mut harbor_store::Change<'_>| {
            change.save_group(None, "Gone with its part", &members).await?;
            Ok::<_, StoreError>(Err::<(), _>("not this one"))
        };
        assert_eq!(change.part(part).await?, Err("not this one"));
        Ok::<_, StoreError>(())
    });
    kept.await.unwrap();
    let after = names().await;
    assert!(after.contains(&"Kept".into()) && !after.contains(&"Gone with its part".into()), "{after:?}");
    let refused = store.change(&actor, now, async |change| {
        change.save_group(None, "Gone as well", &members).await?;
        let part = async |_: &mut harbor_store::Change<'_>| {
            Err::<Result<(), ()>, _>(StoreError::refused("test", "The whole change is refused."))
        };
        change.part(part).await
    });
    assert!(refused.await.is_err());
    assert_eq!(names().await, after);
    // Its connection is whole: the next change on it is not refused as one within another.
    let next = store.change(&actor, now, async |change| {
        change.save_group(None, "Next", &members).await?;
        Ok::<_, StoreError>(())
    });
    next.await.unwrap();
    assert!(names().await.contains(&"Next".into()));
    product.stop().await.unwrap();
}

/// A screen asks, and only then its line stands: it knows whether it missed something in between.
#[actix_web::test]
async fn the_stream_begins_with_how_much_was_told_before() {
    let product = Product::start().await.unwrap();
    let (desk, other) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "petra").await);
    let told = async || other.get("/api/me").await["told"].as_u64().unwrap();
    let begins = async || {
        let line = other.http.get(format!("{}/api/live", other.base)).header("cookie", &other.cookie);
        let first = line.send().await.unwrap().chunk().await.unwrap().unwrap();
        let text = String::from_utf8_lossy(&first).into_owned();
        let said = text.split_once("event: begin\ndata: ").and_then(|(_, rest)| rest.trim().parse::<u64>().ok());
        said.unwrap_or_else(|| panic!("{text}"))
    };
    // What the world's own work tells at its start is over once two numbers agree.
    let mut before = told().await;
    while begins().await != before {
        before = told().await;
    }
    let person = id(&desk.person("Brandvold").await);
    desk.post(&format!("/api/people/{person}/consents"), json!({ "kind": "privacy_notice", "given": true })).await.ok();
    let started = std::time::Instant::now();
    while begins().await == before {
        assert!(started.elapsed() < Duration::from_secs(5), "it was told before the line stood");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_answer_tells_what_the_stream_tells() {
    let product = Product::start().await.unwrap();
    let (desk, other) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "petra").await);
    let mut stream =
        other.http.get(format!("{}/api/live", other.base)).header("cookie", &other.cookie).send().await.unwrap();
    let slot = desk.open_slot().await;
    let person = desk.person("Brandvold").await;
    let body = json!({ "personId": person["id"], "slotId": slot["id"], "reason": "told", "meant": crate::meant() });
    let reply = desk.post("/api/visits", body).await;
    let told = reply.told.clone();
    let visit = reply.ok();
    let about = told.iter().find(|t| t["topic"] == "visit").unwrap();
    assert_eq!((about["id"].clone(), about["person"].clone()), (visit["id"].clone(), person["id"].clone()));
    assert_eq!(about["days"], json!([visit["day"]]));
    let mut heard = String::new();
    let wanted = |heard: &str| -> Option<Value> {
        let lines = heard.lines().filter_map(|l| l.strip_prefix("data: "));
        lines.filter_map(|l| serde_json::from_str::<Value>(l).ok()).find(|t| t["id"] == visit["id"])
    };
    let found = loop {
        if let Some(found) = wanted(&heard) {
            break found;
        }
        let chunk = tokio::time::timeout(Duration::from_secs(5), stream.chunk()).await.expect("a tiding in time");
        heard.push_str(&String::from_utf8_lossy(&chunk.unwrap().unwrap()));
    };
    assert_eq!(&found, about, "one tiding, told twice under one change");
    // A move to another day shows on both.
    let times = desk.get("/api/open-times?from=2026-12-01").await;
    let moved = desk.post(&format!("/api/visits/{}/move", id(&visit)), json!({ "slotId": times[0]["id"] })).await;
    let told = moved.told.clone();
    let moved = moved.ok();
    assert_ne!(visit["day"], moved["day"]);
    let days: BTreeSet<String> = [&visit["day"], &moved["day"]].map(|d| d.as_str().unwrap().to_owned()).into();
    let about = told.iter().find(|t| t["topic"] == "visit").unwrap();
    let said: BTreeSet<String> =
        about["days"].as_array().unwrap().iter().map(|d| d.as_str().unwrap().to_owned()).collect();
    assert_eq!(said, days);
    // What only looks tells nothing; neither does what is refused.
    assert!(desk.ask("get", "/api/today", None).await.told.is_empty());
    assert!(desk.post("/api/people", json!({ "lastName": "" })).await.told.is_empty());
    product.stop().await.unwrap();
}
