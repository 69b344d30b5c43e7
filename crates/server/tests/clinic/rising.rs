//! A critical result that nobody signs goes from one clinician to the next, and a view of it never contradicts itself.

use crate::results::{opened, ordered, potassium, take, waiting};
use crate::{Hand, id};
use harbor_core::orders::ReportStatus;
use harbor_demo::testing::Product;
use serde_json::{Value, json};

/// A view of a result puts its reader and its steps side by side: both are of the same moment, also when it rises in between.
#[actix_web::test]
async fn a_view_read_at_one_moment_does_not_see_what_changes_meanwhile() {
    use harbor_store::orders::results::report;
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    take(&product, &potassium("GP-ONE", &order, &own, ReportStatus::Final, 7.4)).await;
    let one: uuid::Uuid = id(&waiting(&visit.clinician, "GP-ONE").await[0]).parse().unwrap();
    let store = harbor_store::Store::open(&product.database_url, 1).await.unwrap();
    let read = store.at_one_moment(async |conn| {
        let before = report(conn, one).await?.received_at;
        received_before(&product, 30).await;
        Ok::<_, harbor_store::StoreError>((before, report(conn, one).await?.received_at))
    });
    let (before, meanwhile) = read.await.unwrap();
    assert_eq!(before, meanwhile);
    // The connection is free again, and what was changed is seen.
    let after = report(&mut store.reader().await.unwrap(), one).await.unwrap().received_at;
    assert_eq!(before - after, chrono::Duration::minutes(30));
    product.stop().await.unwrap();
}

/// Lets what came in have come so many minutes before.
async fn received_before(product: &Product, minutes: i32) {
    use diesel_async::{AsyncConnection, SimpleAsyncConnection};
    let mut conn = harbor_store::Conn::establish(&product.database_url).await.unwrap();
    let earlier = format!("update lab_reports set received_at = received_at - interval '{minutes} minutes'");
    conn.batch_execute(&earlier).await.unwrap();
}

#[actix_web::test]
async fn a_critical_result_that_nobody_signs_rises() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    let (oriane, manager) = (&visit.clinician, Hand::sign_in(&product, "soren").await);
    let rule = |critical: i32| json!({ "waitLong": 15, "waitTooLong": 30, "lateAfter": 10, "didNotComeAfter": 60, "criticalAfter": critical });
    assert_eq!(manager.put("/api/settings/thresholds", rule(4)).await.status, 422);
    manager.put("/api/settings/thresholds", rule(45)).await.ok();
    take(&product, &potassium("GP-RISE", &order, &own, ReportStatus::Final, 7.4)).await;
    take(&product, &potassium("GP-HIGH", &order, &own, ReportStatus::Final, 5.9)).await;
    let one = waiting(oriane, "GP-RISE").await.remove(0);
    received_before(&product, 44).await;
    assert!(!manager.get("/api/today").await.to_string().contains("Unread for"));
    received_before(&product, 1).await;
    let path = format!("/api/results/{}", id(&one));
    let view = oriane.until(&path, |v| v["risen"].as_array().is_some_and(|r| !r.is_empty())).await;
    assert_eq!(view["mine"], false, "it lies with the next on duty: {view}");
    let to = view["risen"][0]["to"].as_str().unwrap().to_owned();
    // Who watches over the clinic learns that there is one and with whom it lies, not of whom.
    let told = manager.get("/api/today").await;
    let row = told["waiting"].as_array().unwrap().iter().find(|w| w["group"] == "Critical results unread").unwrap();
    let sentence = row["sentence"].as_str().unwrap();
    assert!(sentence.contains(&to) && sentence.starts_with("Unread for 45 min"), "{sentence}");
    assert_eq!((&row["person"], &row["card"]), (&Value::Null, &Value::Null));
    assert_eq!(opened(oriane, &waiting(oriane, "GP-HIGH").await[0]).await["risen"], json!([]), "only what is critical");
    // It goes round once: whoever had it is not asked again by itself.
    tokio::time::sleep(std::time::Duration::from_millis(1500)).await;
    assert_eq!(opened(oriane, &one).await["risen"].as_array().unwrap().len(), 1, "the next step waits its time too");
    oriane.post(&format!("{path}/review"), json!({ "comment": "Called her in." })).await.ok();
    assert!(!manager.get("/api/today").await.to_string().contains("Critical results unread"));
    product.stop().await.unwrap();
}
