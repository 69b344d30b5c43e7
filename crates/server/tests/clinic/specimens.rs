//! Who pays the laboratory, and the specimens: said before it goes, taken here, told on paper and over the line.

use crate::building::Visit;
use crate::orders::{now, ordered, path};
use crate::{Hand, restrict};
use harbor_core::orders::{BillTo, ReportStatus};
use harbor_demo::testing::Product;
use harbor_formats::fhir::laboratory::read_order;
use serde_json::{Value, json};

async fn heard(product: &Product, wanted: &str) -> bool {
    for _ in 0..200 {
        if product.outside.lock().received.iter().any(|(_, said)| said.contains(wanted)) {
            return true;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    false
}

#[actix_web::test]
async fn who_pays_is_taken_from_the_policy_of_the_day_or_asked() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E87.6"]).await;
    let potassium = ordered(&visit, &visit.assistant, "K").await;
    assert_eq!(
        (&potassium["payer"]["billTo"], &potassium["payer"]["policy"]),
        (&json!("insurance"), &json!("Saltmarsh Mutual Health Plan SM55510")),
        "{potassium}"
    );
    let pays = async |order: &Value, body: Value| visit.assistant.put(&path(order, "/payer"), body).await;
    let strange = json!({ "billTo": "insurance", "policy": visit.person });
    assert_eq!(pays(&potassium, strange).await.status, 422, "a policy of this person");
    pays(&potassium, json!({ "billTo": "clinic", "takenWhere": "laboratory" })).await.ok();
    let sodium = ordered(&visit, &visit.assistant, "NA").await;
    visit.clinician.put(&path(&sodium, "/diagnoses"), json!({ "codes": ["E87.6"] })).await.ok();
    // The policy ends yesterday: it does not pay, and nobody else is taken for granted.
    let policies = visit.desk.get(&visit.path("")).await["coverages"].clone();
    let policy = &policies[0]["coverage"];
    let ended = json!({ "payerId": policy["payerId"], "subscriberNumber": "SM55510", "version": policy["version"],
        "startsOn": "1/1/2020", "endsOn": "-1d" });
    let corrected = visit.desk.put(&format!("/api/coverages/{}", policy["id"].as_str().unwrap()), ended).await;
    corrected.ok();
    let lacking = now(&visit, "NA").await["lacking"].to_string();
    assert!(lacking.contains("no policy that pays on"), "{lacking}");
    let refused = visit.clinician.post(&visit.path("/orders/send"), json!({})).await;
    assert!(refused.detail().contains("say who pays"), "{}", refused.body);
    let new = ordered(&visit, &visit.assistant, "CREA").await;
    assert_eq!(new["payer"]["billTo"], Value::Null, "nobody knows");
    visit.clinician.put(&path(&new, "/diagnoses"), json!({ "codes": ["E87.6"] })).await.ok();
    pays(&new, json!({ "billTo": "patient" })).await.ok();
    pays(&sodium, json!({ "billTo": "patient" })).await.ok();
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    assert_eq!(pays(&sodium, json!({ "billTo": "clinic" })).await.status, 422, "what is signed stands");
    // A requisition has one payer: the clinic's is apart from the patient's.
    let number = async |code: &str| now(&visit, code).await["order"]["requisition"].clone();
    assert_eq!(number("NA").await, number("CREA").await);
    assert_ne!(number("NA").await, number("K").await);
    visit
        .clinician
        .until(&visit.path("/chart"), |c| c["orders"].to_string().matches("\"accepted\"").count() == 3)
        .await;
    let (_, sent) = visit.clinician.file(&path(&potassium, "/sent")).await;
    let account = read_order(&sent).unwrap().account.unwrap();
    assert_eq!((account.bill_to, account.policy.is_some(), account.clinic.is_empty()), (BillTo::Clinic, false, false));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_specimen_is_taken_here_and_the_laboratory_knows_when_and_by_whom() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E87.6", "D64.9"]).await;
    let potassium = ordered(&visit, &visit.assistant, "K").await;
    let count = ordered(&visit, &visit.assistant, "CBC").await;
    assert_eq!(count["containers"], json!([]), "told once, at the first");
    let first = now(&visit, "K").await;
    let containers: Vec<&str> =
        first["containers"].as_array().unwrap().iter().map(|c| c["container"].as_str().unwrap()).collect();
    assert_eq!(containers, ["serum gel tube", "EDTA tube"]);
    let hands = async || visit.assistant.get("/api/orders/hands").await.as_array().unwrap().clone();
    let theirs = async || hands().await.into_iter().find(|w| w["person"]["id"] == visit.person.as_str());
    assert!(theirs().await.is_none(), "a draft waits for its signer first");
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    visit
        .clinician
        .until(&visit.path("/chart"), |c| c["orders"].to_string().matches("\"accepted\"").count() == 2)
        .await;
    let waits = theirs().await.unwrap();
    assert_eq!((&waits["kind"], waits["containers"].as_array().unwrap().len()), (&json!("laboratory"), 2));
    let work = visit.assistant.get("/api/today").await.to_string();
    assert!(
        work.contains("Specimens to take") && work.contains("2 containers: Potassium, Complete blood count."),
        "{work}"
    );
    let taken = path(&potassium, "/specimen");
    assert_eq!(visit.desk.post(&taken, json!({})).await.status, 403);
    for (at, says) in [("tomorrow 8:00", "A time"), ("23:59", "still to come"), ("1/1/2026 8:00", "three days ago")] {
        let refused = visit.assistant.post(&taken, json!({ "at": at })).await;
        assert!(refused.status == 422 && refused.body.to_string().contains(says), "{at}: {}", refused.body);
    }
    visit.assistant.post(&taken, json!({ "at": "7:05" })).await.ok();
    for code in ["K", "CBC"] {
        let order = now(&visit, code).await;
        let said = (&order["state"], &order["order"]["takenBy"]);
        assert_eq!(said, (&json!("specimen taken"), &json!("Petra Lindqvist")), "one needle for all of them");
    }
    assert!(theirs().await.is_none());
    assert!(heard(&product, "EDTA").await || heard(&product, "blood taken").await, "the laboratory is told");
    visit.assistant.post(&taken, json!({ "at": "7:10" })).await.ok();
    let (_, labels) = visit.assistant.file(&path(&potassium, "/labels")).await;
    assert!(labels.starts_with(b"%PDF-"));
    // They work on it, which is no result; then nothing about the specimen is changed any more.
    let of_person = visit.clinician.get(&format!("/api/people/{}", visit.person)).await;
    let own = of_person["person"]["recordNumber"].as_str().unwrap().to_owned();
    let order = potassium["order"]["id"].as_str().unwrap();
    let mut begun = crate::results::potassium("GP-BEGUN", order, &own, ReportStatus::Registered, 4.0);
    begun.values.clear();
    crate::results::take(&product, &begun).await;
    assert_eq!(now(&visit, "K").await["state"], "in progress");
    assert!(crate::results::waiting(&visit.clinician, "GP-BEGUN").await.is_empty(), "there is nothing to read");
    assert_eq!(visit.assistant.post(&taken, json!({})).await.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_was_taken_before_goes_with_the_order() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E87.6"]).await;
    let potassium = ordered(&visit, &visit.assistant, "K").await;
    visit.assistant.post(&path(&potassium, "/specimen"), json!({})).await.ok();
    assert_eq!(now(&visit, "K").await["order"]["state"], "draft", "it waits for its signer");
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    visit.clinician.until(&visit.path("/chart"), |c| c["orders"][0]["order"]["state"] == "specimen_taken").await;
    let (_, sent) = visit.clinician.file(&path(&potassium, "/sent")).await;
    let read = read_order(&sent).unwrap();
    assert_eq!(read.specimens.len(), 1);
    let specimen = &read.specimens[0];
    assert_eq!(
        (specimen.container.as_str(), specimen.by.as_str(), specimen.orders[0].as_str()),
        ("serum gel tube", "Petra Lindqvist", potassium["order"]["id"].as_str().unwrap())
    );
    let policy = read.account.unwrap().policy.unwrap();
    assert_eq!((policy.payer.as_str(), policy.subscriber_number.as_str()), ("Saltmarsh Mutual Health Plan", "SM55510"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_closed_chart_tells_nothing_of_what_waits_for_hands() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10"]).await;
    ordered(&visit, &visit.clinician, "ECG").await;
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    let theirs = async |hand: &Hand| {
        let all = hand.get("/api/orders/hands").await;
        all.as_array().unwrap().iter().find(|w| w["person"]["id"] == visit.person.as_str()).unwrap().clone()
    };
    assert_eq!(theirs(&visit.assistant).await["name"], "Electrocardiogram, 12 leads");
    restrict(&product, &visit.person).await;
    let closed = theirs(&visit.assistant).await;
    assert_eq!((&closed["closed"], &closed["name"]), (&json!(true), &json!("")));
    assert!(!visit.assistant.get("/api/today").await.to_string().contains("Electrocardiogram"));
    product.stop().await.unwrap();
}
