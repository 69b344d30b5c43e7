//! Questionnaires: asked in a visit, scored by the core, told at once what must be, kept with the version that was asked.

use crate::building::Visit;
use crate::{Hand, Reply};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

const CHEST: &str = "answers: No = 0 | Yes = 2\n1. Cough\n2. Wheeze\nscore Chest: 1-2\n0-1 calm\n2-4 not calm !";

impl Visit {
    async fn ask(&self, entry: &str) -> Reply {
        self.assistant.post(&self.path("/questionnaires"), json!({ "entry": entry })).await
    }

    async fn answer(&self, asked: &Value, answers: Value) -> Reply {
        let path = self.path(&format!("/questionnaires/{}", asked["id"].as_str().unwrap()));
        self.assistant.put(&path, json!({ "answers": answers, "version": asked["version"] })).await
    }
}

fn all(questions: u32, answer: u32) -> Value {
    (1..=questions).map(|n| (n.to_string(), json!(answer))).collect::<serde_json::Map<_, _>>().into()
}

#[actix_web::test]
async fn the_assistant_asks_and_a_dangerous_answer_is_told_at_once() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    let asked = visit.ask("phq-9").await.ok();
    assert_eq!(asked["scores"][0]["words"], "PHQ-9: 9 answers are missing");
    // One answer is enough for that.
    let told = visit.answer(&asked, json!({ "9": 1 })).await.ok();
    assert!(told["alarms"][0].as_str().unwrap().contains("self-harm"), "{told}");
    assert_eq!(told["scores"][0]["points"], Value::Null);
    let whole = visit.answer(&told, all(9, 1)).await.ok();
    assert_eq!(
        (&whole["scores"][0]["points"], &whole["scores"][0]["words"]),
        (&json!(9), &json!("PHQ-9: 9 of 27, mild"))
    );
    // What was seen before is not written over.
    let stale = visit.answer(&told, all(9, 3)).await;
    assert_eq!((stale.status, &stale.body["current"]["version"]), (409, &whole["version"]));
    for (answers, says) in [
        (json!({ "9": 4 }), "has no such answer"),
        (json!({ "99": 0 }), "There is no question 99 any more."),
        (json!({ "1": "often" }), "is answered by a choice"),
    ] {
        let refused = visit.answer(&whole, answers).await;
        assert!(refused.status == 422 && refused.body.to_string().contains(says), "{}", refused.body);
    }
    let chart = visit.clinician.get(&visit.path("/chart")).await;
    assert_eq!(chart["asked"][0]["answeredBy"], visit.assistant.get("/api/me").await["staff"]["name"]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_was_answered_is_signed_and_stays() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    // From the quick line, and taken back.
    let line = json!({ "text": "gad7", "keep": true });
    let kept = visit.assistant.post(&visit.path("/quick-line"), line).await.ok();
    assert_eq!(kept["done"][0]["kind"], "questionnaire");
    let back = json!({ "done": kept["done"] });
    visit.assistant.post(&visit.path("/quick-line/taken-back"), back).await.ok();
    assert_eq!(visit.clinician.get(&visit.path("/chart")).await["asked"], json!([]));
    let asked = visit.ask("gad-7").await.ok();
    let whole = visit.answer(&asked, all(7, 2)).await.ok();
    let visit = visit.diagnosed(&["F41.1"]).await.noted("assessment", "As expected.").await.signed().await;
    let chart = visit.clinician.get(&visit.path("/chart")).await;
    let facts = chart["signature"]["facts"].as_str().unwrap();
    assert!(facts.contains("questionnaire gad-7 1 {\"1\":2,"), "{facts}");
    let late = visit.answer(&whole, all(7, 0)).await;
    assert_eq!(late.detail(), "The note is signed; add an addendum.");
    let struck = visit.path(&format!("/questionnaires/{}", asked["id"].as_str().unwrap()));
    assert_eq!(visit.assistant.ask("delete", &struck, None).await.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_clinic_writes_its_own_and_answers_stay_with_their_version() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    let manager = Hand::sign_in(&product, "soren").await;
    let form = |body: &str, version: i32| json!({ "title": "Chest", "body": body, "version": version });
    let wrong = manager.post("/api/questionnaires/read", form("1. Cough", 0)).await;
    assert!(wrong.body["fields"][0]["sentence"].as_str().unwrap().starts_with("Line 1: It has no answers"));
    let read = manager.post("/api/questionnaires/read", form(CHEST, 0)).await.ok();
    assert_eq!(read["questions"][1]["choices"][1]["points"], 2);
    let made = manager.post("/api/questionnaires", form(CHEST, 0)).await.ok();
    let entry = made["entry"].as_str().unwrap();
    let asked = visit.ask(entry).await.ok();
    // Changed while it is being filled in: the answers are to what was asked.
    let changed = format!("{CHEST}\n").replace("2. Wheeze", "2. Wheeze at night");
    manager.put(&format!("/api/questionnaires/{entry}"), form(&changed, 1)).await.ok();
    assert_eq!(manager.put(&format!("/api/questionnaires/{entry}"), form(CHEST, 1)).await.status, 409);
    let told = visit.answer(&asked, json!({ "1": 1, "2": 0 })).await.ok();
    assert_eq!(told["asked"]["questions"][1]["text"], "Wheeze");
    assert_eq!((&told["outdated"], &told["scores"][0]["words"]), (&json!(true), &json!("Chest: 2 of 4, not calm")));
    assert_eq!(visit.ask(entry).await.ok()["asked"]["version"], 2);
    // What ships stays as its source has it, and can be asked no more.
    let ships = manager.get("/api/questionnaires").await;
    let phq = ships.as_array().unwrap().iter().find(|q| q["entry"] == "phq-2").unwrap();
    let mut other = json!({ "title": "PHQ-2", "body": CHEST, "version": 1 });
    assert!(manager.put("/api/questionnaires/phq-2", other.clone()).await.detail().starts_with("What ships stays"));
    // Also what it tells at once.
    let phq_9 = ships.as_array().unwrap().iter().find(|q| q["entry"] == "phq-9").unwrap();
    let silent: Vec<&str> = phq_9["body"].as_str().unwrap().lines().filter(|l| !l.starts_with("tell ")).collect();
    let silenced = json!({ "title": "PHQ-9", "body": silent.join("\n"), "version": 1 });
    assert!(manager.put("/api/questionnaires/phq-9", silenced).await.detail().starts_with("What ships stays"));
    other["body"] = phq["body"].clone();
    other["ended"] = json!(true);
    manager.put("/api/questionnaires/phq-2", other.clone()).await.ok();
    assert_eq!(visit.ask("phq-2").await.detail(), "No questionnaire of this name is asked here.");
    // It can be found and asked again.
    let gone = manager.get("/api/questionnaires/ended").await;
    assert_eq!((gone.as_array().unwrap().len(), &gone[0]["entry"]), (1, &json!("phq-2")));
    other["ended"] = json!(false);
    other["version"] = gone[0]["version"].clone();
    manager.put("/api/questionnaires/phq-2", other).await.ok();
    visit.ask("phq-2").await.ok();
    assert_eq!(manager.get("/api/questionnaires/ended").await, json!([]));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn questionnaires_and_answers_go_out_and_come_in_as_fhir() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    let manager = Hand::sign_in(&product, "soren").await;
    let (kind, out) = manager.file("/api/questionnaires/phq-9/fhir").await;
    assert_eq!(kind["content-type"], "application/fhir+json");
    let taken = manager.send("/api/questionnaires/fhir", "application/fhir+json", out).await.ok();
    assert_eq!(taken["title"], "PHQ-9");
    let entry = taken["entry"].as_str().unwrap().to_owned();
    let bad = manager.send("/api/questionnaires/fhir", "application/fhir+json", b"{}".to_vec()).await;
    assert!(bad.detail().contains("resourceType should be Questionnaire"), "{}", bad.detail());
    let asked = visit.ask(&entry).await.ok();
    let whole = visit.answer(&asked, all(9, 2)).await.ok();
    let path = visit.path(&format!("/questionnaires/{}/fhir", asked["id"].as_str().unwrap()));
    let (_, answers) = visit.clinician.file(&path).await;
    let again =
        visit.assistant.send(&visit.path("/questionnaires/fhir"), "application/fhir+json", answers.clone()).await.ok();
    assert_eq!((&again["answers"], &again["scores"]), (&whole["answers"], &whole["scores"]));
    // Somebody else's answers are not this patient's.
    let other: Value = serde_json::from_slice(&answers).unwrap();
    let mut other = other;
    other["subject"]["identifier"]["value"] = json!("IH99999");
    let refused = visit
        .assistant
        .send(&visit.path("/questionnaires/fhir"), "application/fhir+json", other.to_string().into())
        .await;
    assert_eq!(refused.detail(), "These are the answers of IH99999.");
    product.stop().await.unwrap();
}
