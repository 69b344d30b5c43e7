//! Medicines that a payer pays for some uses only: chosen, asked for, granted and refused.

use crate::building::Visit;
use crate::{Hand, id};
use harbor_core::prescribing::approvals::{ApprovalDecision, ApprovalVerdict};
use harbor_demo::testing::Product;
use harbor_formats::fhir::approval::write_decision;
use harbor_standins::{Mood, Outgoing};
use serde_json::{Value, json};

async fn diagnosed(product: &Product, code: &str) -> Visit {
    let visit = Visit::booked(product, "oriane").await.roomed().await;
    visit.clinician.put(&visit.path("/diagnoses"), json!({ "codes": [code] })).await.ok();
    visit
}

/// One injection a week: four in as many weeks, and so on.
async fn draft(visit: &Visit, code: &str, days: &str) -> String {
    let form = json!({ "productCode": "semagholm-0_25", "dose": "1", "often": "once a week", "days": days, "diagnosis": code });
    id(&visit.clinician.post(&visit.path("/prescriptions"), form).await.ok())
}

fn asking(answers: &[&str]) -> Value {
    let questions = [
        "Which other medicines for diabetes were tried and for how long?",
        "Has the patient had inflammation of the pancreas?",
    ];
    let answers: Vec<Value> =
        questions.iter().zip(answers).map(|(q, a)| json!({ "question": q, "answer": a })).collect();
    json!({ "ask": true, "reason": "weight and pressure", "answers": answers })
}

#[actix_web::test]
async fn a_request_is_granted_and_its_number_goes_to_the_pharmacy_and_onto_the_claim() {
    let product = Product::start().await.unwrap();
    let visit = diagnosed(&product, "I10").await;
    let item = draft(&visit, "I10", "28").await;
    let path = format!("/api/prescriptions/{item}/approval");
    let view = visit.clinician.get(&path).await;
    assert_eq!((&view["payer"], &view["standing"]), (&json!("Saltmarsh Mutual Health Plan"), &Value::Null));
    assert_eq!(view["uses"], json!([{ "name": "type 2 diabetes", "metBy": null }]));
    // The chart meets no use: it is not said to be covered, and the payer's questions are answered first.
    let covered = visit.clinician.post(&path, json!({ "coveredUse": "type 2 diabetes" })).await;
    assert_eq!(covered.body["fields"][0]["field"], "coveredUse");
    assert_eq!(visit.clinician.post(&path, json!({ "ask": true })).await.body["fields"][0]["field"], "reason");
    assert_eq!(visit.clinician.post(&path, asking(&["metformin"])).await.body["fields"][0]["field"], "answer1");
    // Signed and handed over while the payer still decides.
    product.outside.lock().automatic = false;
    visit.clinician.post(&path, asking(&["metformin, 6 months", "no"])).await.ok();
    visit.clinician.until(&path, |v| v["standing"]["state"] == "waiting").await;
    let pharmacy = visit.desk.get("/api/clinic").await["pharmacies"][0]["id"].clone();
    let items = json!({ "items": [{ "id": item, "pharmacyId": pharmacy }] });
    visit.clinician.post(&visit.path("/prescriptions/sign"), items).await.ok();
    visit.clinician.until(&visit.path("/chart"), |c| c["prescriptions"][0]["state"] == "sent").await;
    assert_eq!(product.outside.lock().prescriptions[0].approval, None);
    let today = visit.clinician.get("/api/today").await;
    assert!(today["waiting"].as_array().unwrap().iter().any(|w| w["group"] == "Payers decide"), "{today}");
    assert!(product.outside.payer_says(0, "approve"));
    let granted = visit.clinician.until(&path, |v| v["standing"]["state"] == "granted").await;
    let number = granted["standing"]["number"].as_str().unwrap().to_owned();
    assert!(granted["counts"] == true && granted["standing"]["until"].is_string(), "{granted}");
    let told = |_: &Value| product.outside.lock().prescriptions[0].approval.as_deref() == Some(number.as_str());
    visit.clinician.until(&path, told).await;
    let again = visit.clinician.post(&path, asking(&["metformin", "no"])).await;
    assert!(again.status == 422 && again.detail().contains("approved this already"), "{}", again.detail());
    // The same medicine later needs no second request.
    let next = draft(&visit, "I10", "28").await;
    let later = visit.clinician.get(&format!("/api/prescriptions/{next}/approval")).await;
    assert_eq!((&later["standing"]["number"], &later["counts"]), (&json!(number), &json!(true)));
    visit.clinician.ask("DELETE", &format!("/api/prescriptions/{next}"), None).await.ok();
    let visit = visit.noted("plan", "As written.").await.charged().await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let claims = biller.get("/api/claims?state=ready").await;
    let mut ready = claims.as_array().unwrap().iter();
    let claim = ready.find(|c| c["visit"]["id"] == visit.id.as_str()).unwrap()["claim"]["id"].clone();
    biller.post("/api/batches", json!({ "claimIds": [claim] })).await.ok();
    let batches = biller.get("/api/batches").await;
    let (_, file) = biller.file(&format!("/api/files/{}", batches[0]["documentId"].as_str().unwrap())).await;
    let file = String::from_utf8(file).unwrap();
    assert!(file.contains(&format!("REF*G1*{number}~")), "{file}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_refused_request_says_why_and_comes_to_today_until_it_is_asked_again() {
    let product = Product::start().await.unwrap();
    let visit = diagnosed(&product, "I10").await;
    // Nine weeks: see the payer's own table.
    let path = format!("/api/prescriptions/{}/approval", draft(&visit, "I10", "63").await);
    visit.clinician.post(&path, asking(&["metformin", "no"])).await.ok();
    let refused = visit.clinician.until(&path, |v| v["standing"]["state"] == "refused").await;
    assert_eq!(refused["standing"]["refusal"], "another medicine is to be tried first");
    let group = |today: &Value| {
        today["waiting"].as_array().unwrap().iter().filter(|w| w["group"] == "Not approved by the payer").count()
    };
    assert_eq!(group(&visit.clinician.get("/api/today").await), 1);
    visit.clinician.post(&path, asking(&["metformin and gliclazide", "no"])).await.ok();
    visit.clinician.until(&path, |v| v["standing"]["decidedAt"].is_string()).await;
    let chart = visit.clinician.get(&format!("/api/people/{}/prescriptions", visit.person)).await;
    assert_eq!(chart["items"].as_array().unwrap().len(), 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_covered_use_that_the_chart_meets_asks_nobody() {
    let product = Product::start().await.unwrap();
    let visit = diagnosed(&product, "E11.9").await;
    let item = draft(&visit, "E11.9", "28").await;
    let path = format!("/api/prescriptions/{item}/approval");
    assert_eq!(visit.clinician.get(&path).await["uses"][0]["metBy"], "E11.9");
    visit.clinician.post(&path, json!({ "coveredUse": "type 2 diabetes" })).await.ok();
    let view = visit.clinician.get(&path).await;
    assert_eq!((&view["standing"]["state"], &view["counts"]), (&json!("covered"), &json!(true)));
    assert_eq!(visit.clinician.post(&path, json!({ "coveredUse": "flying" })).await.status, 422);
    let plain =
        json!({ "productCode": "lisovane-10", "dose": "1", "often": "daily", "days": "90", "diagnosis": "E11.9" });
    let plain = id(&visit.clinician.post(&visit.path("/prescriptions"), plain).await.ok());
    let free = format!("/api/prescriptions/{plain}/approval");
    assert_eq!(visit.clinician.get(&free).await["uses"], json!([]));
    assert!(visit.clinician.post(&free, asking(&[])).await.detail().contains("without being asked"));
    assert!(product.outside.lock().approvals.is_empty(), "nobody was asked");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_draft_that_becomes_another_product_is_not_what_was_approved() {
    let product = Product::start().await.unwrap();
    let visit = diagnosed(&product, "I10").await;
    let item = draft(&visit, "I10", "28").await;
    let path = format!("/api/prescriptions/{item}/approval");
    visit.clinician.post(&path, asking(&["metformin", "no"])).await.ok();
    visit.clinician.until(&path, |v| v["standing"]["state"] == "granted").await;
    let stronger = json!({ "productCode": "semagholm-0_5", "dose": "1", "often": "once a week", "days": "28", "diagnosis": "I10" });
    visit.clinician.put(&format!("/api/prescriptions/{item}"), stronger).await.ok();
    let view = visit.clinician.get(&path).await;
    assert_eq!((&view["standing"], &view["counts"]), (&Value::Null, &json!(false)));
    visit.clinician.post(&path, asking(&["metformin", "no"])).await.ok();
    visit.clinician.until(&path, |v| v["standing"]["state"] == "granted").await;
    assert_eq!(product.outside.lock().approvals.len(), 2);
    product.stop().await.unwrap();
}

/// A payer that is down, talks nonsense, changes its mind, or speaks of what is not ours.
#[actix_web::test]
async fn what_goes_wrong_at_the_payer_loses_no_request() {
    let product = Product::start().await.unwrap();
    let visit = diagnosed(&product, "I10").await;
    let path = format!("/api/prescriptions/{}/approval", draft(&visit, "I10", "28").await);
    product.outside.lock().automatic = false;
    product.outside.lock().mood = Mood::Down;
    visit.clinician.post(&path, asking(&["metformin", "no"])).await.ok();
    let said = |t: &Value| t["troubles"].to_string().contains("A request for approval, to the payer");
    visit.clinician.until("/api/today", said).await;
    assert_eq!(visit.clinician.get(&path).await["standing"]["state"], "asking");
    product.outside.lock().mood = Mood::Usual;
    visit.clinician.until(&path, |v| v["standing"]["state"] == "waiting").await;
    assert_eq!(product.outside.lock().approvals.len(), 1, "asked once");
    // The payer takes its no back.
    for (word, state) in [("refuse", "refused"), ("approve", "granted")] {
        assert!(product.outside.payer_says(0, word));
        visit.clinician.until(&path, |v| v["standing"]["state"] == state).await;
    }
    let number = visit.clinician.get(&path).await["standing"]["number"].clone();
    // About a request that nobody made, and a word that is none: set aside, and the next one is still heard.
    let strange = ApprovalDecision {
        reference: uuid::Uuid::now_v7().to_string(),
        verdict: ApprovalVerdict::Refused { reason: "unknown".into() },
    };
    for content in [write_decision(&strange, chrono::Utc::now().date_naive()).unwrap(), "no wind today".into()] {
        let out = Outgoing { part: "payer", what: String::new(), content, released: true };
        product.outside.lock().outgoing.push(out);
    }
    assert!(product.outside.payer_says(0, "refuse"));
    let refused = visit.clinician.until(&path, |v| v["standing"]["state"] == "refused").await;
    assert_eq!(refused["standing"]["number"], number, "what it had granted is still told");
    product.stop().await.unwrap();
}
