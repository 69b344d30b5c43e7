//! A backup holds the whole clinic, and a restored one is as true as the first.

use harbor_demo::testing::Product;
use harbor_store::audit::{Verdict, verify};
use harbor_store::backup::{backup, restore};
use harbor_store::cluster::{create_database, drop_database};
use std::collections::BTreeMap;

/// How many rows each table has.
async fn rows(url: &str) -> BTreeMap<String, i64> {
    let (client, connection) = tokio_postgres::connect(url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let tables =
        "select table_name from information_schema.tables where table_schema = 'public' and table_type = 'BASE TABLE'";
    let mut found = BTreeMap::new();
    for table in client.query(tables, &[]).await.unwrap() {
        let name: String = table.get(0);
        let count = client.query_one(&format!("select count(*) from \"{name}\""), &[]).await.unwrap().get(0);
        found.insert(name, count);
    }
    found
}

#[actix_web::test]
async fn a_clinic_is_written_down_and_brought_back_whole() {
    let product = Product::start().await.unwrap();
    let file = std::env::temp_dir().join(format!("harbor-backup-{}", uuid::Uuid::now_v7().simple()));
    backup(&product.database_url, &file).unwrap();
    assert!(backup(&product.database_url, &file).is_err(), "a backup is not written over");
    let name = format!("restored_{}", uuid::Uuid::now_v7().simple());
    create_database(&product.cluster, &name, None).await.unwrap();
    let url = product.cluster.url(&name);
    assert_eq!(restore(&url, &file).await.unwrap(), 0, "its tables are today's");
    let (before, after) = (rows(&product.database_url).await, rows(&url).await);
    assert!(before.len() > 60 && before["visits"] > 2_000, "{before:?}");
    assert_eq!(before, after);
    let store = harbor_store::Store::open(&product.cluster.program_url(&name), 1).await.unwrap();
    let verdict = verify(&mut store.reader().await.unwrap()).await.unwrap();
    assert!(matches!(verdict, Verdict::Sound { .. }), "{verdict:?}");
    // The guards came with it, and the program's role has no more rights than before.
    let (client, connection) =
        tokio_postgres::connect(&product.cluster.program_url(&name), tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let refused = client.execute("update audit set detail = ''", &[]).await.unwrap_err();
    assert!(refused.to_string().contains("db error") || refused.to_string().contains("permission"), "{refused}");
    drop(store);
    assert!(restore(&url, &file).await.unwrap_err().to_string().contains("already"), "never over a clinic");
    let half = std::env::temp_dir().join(format!("harbor-half-{}", uuid::Uuid::now_v7().simple()));
    let bytes = std::fs::read(&file).unwrap();
    std::fs::write(&half, &bytes[..bytes.len() / 2]).unwrap();
    let other = format!("{name}_half");
    create_database(&product.cluster, &other, None).await.unwrap();
    assert!(restore(&product.cluster.url(&other), &half).await.is_err());
    assert!(rows(&product.cluster.url(&other)).await.is_empty(), "half a backup brings nothing");
    for database in [&name, &other] {
        drop_database(&product.cluster, database).await.unwrap();
    }
    for path in [file, half] {
        std::fs::remove_file(path).unwrap();
    }
    product.stop().await.unwrap();
}

/// What a step must not lose: everything that stands in the tables it touches.
async fn said(url: &str) -> Vec<String> {
    let (client, connection) = tokio_postgres::connect(url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let mut found = Vec::new();
    for table in ["visit_marks", "visits", "people", "registrations", "allergies", "measurements", "messages", "claims"]
    {
        let sql = format!(
            "select md5(string_agg(t::text, '|' order by t::text)) from (select to_jsonb({table}) as t from {table}) x"
        );
        found.push(format!(
            "{table} {}",
            client.query_one(&sql, &[]).await.unwrap().get::<_, Option<String>>(0).unwrap_or_default()
        ));
    }
    found
}

#[actix_web::test]
async fn the_last_steps_of_the_tables_lose_nothing_of_a_clinic_with_people_in_it() {
    let product = Product::start().await.unwrap();
    let before = said(&product.database_url).await;
    let steps = 3;
    assert_eq!(harbor_store::redo(&product.database_url, steps).await.unwrap(), steps);
    assert_eq!(said(&product.database_url).await, before);
    // The program works on as before, with its own rights.
    let desk = crate::Hand::sign_in(&product, "junia").await;
    assert!(desk.get("/api/today").await["visitsToday"].as_u64().unwrap() > 5);
    product.stop().await.unwrap();
}
