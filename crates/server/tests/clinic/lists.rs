//! The lists of a person: what ends says why, what changes keeps what it was, what harms is told at once.

use crate::building::Visit;
use harbor_demo::testing::Product;
use serde_json::{Value, json};

impl Visit {
    async fn keep(&self, text: &str) {
        let kept = self.assistant.post(&self.path("/quick-line"), json!({ "text": text, "keep": true })).await.ok();
        assert!(kept["kept"].as_u64().unwrap() > 0, "{kept}");
    }

    async fn sheet(&self) -> Value {
        self.clinician.get(&self.path("/chart")).await
    }

    fn of_person(&self, rest: &str) -> String {
        format!("/api/people/{}/{rest}", self.person)
    }
}

#[actix_web::test]
async fn an_allergy_has_its_kind_and_ends_with_a_reason() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    let form = |substance: &str, since: &str| json!({ "substance": substance, "reaction": "hives", "kind": "intolerance", "since": since, "source": "other_clinic" });
    let add = visit.of_person("allergies");
    let made = visit.assistant.post(&add, form("Penicillins", "2019-04")).await.ok();
    assert_eq!(
        (&made["kind"], &made["source"], &made["since"]),
        (&json!("intolerance"), &json!("other_clinic"), &json!("2019-04"))
    );
    assert_eq!(
        visit.assistant.post(&add, form("penicillins", "")).await.detail(),
        "An allergy to penicillins stands here already."
    );
    let refused = visit.assistant.post(&add, form("peanut", "long ago")).await;
    assert_eq!(refused.body["fields"][0]["field"], "since");
    visit.assistant.post(&add, form("peanut", "")).await.ok();
    // What the checks make of each is told: words alone are checked against nothing.
    let groups = visit.sheet().await["allergiesRead"].clone();
    assert_eq!((&groups[0]["group"], &groups[1]["group"]), (&json!("penicillin family"), &Value::Null));
    let end = visit.of_person(&format!("allergies/{}/end", made["id"].as_str().unwrap()));
    let bare = visit.assistant.post(&end, json!({ "reason": " " })).await;
    assert_eq!(bare.body["fields"][0]["sentence"], "Say why it no longer holds.");
    visit.assistant.post(&end, json!({ "reason": "tested negative" })).await.ok();
    assert_eq!(visit.sheet().await["allergies"].as_array().unwrap().len(), 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_an_entry_said_before_stays_readable() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    visit.keep("takes metformin 500 bid since 2019").await;
    let chart = visit.sheet().await;
    let medicine = chart["medicines"][0]["id"].as_str().unwrap().to_owned();
    let path = visit.of_person(&format!("medicines/{medicine}"));
    visit.clinician.put(&path, json!({ "state": "stopped", "reason": "diarrhoea" })).await.ok();
    let now = visit.sheet().await["medicines"][0].clone();
    assert_eq!((&now["reason"], &now["since"]), (&json!("diarrhoea"), &json!("2019")));
    assert!(!now["until"].as_str().unwrap().is_empty(), "stopped today");
    visit.clinician.put(&path, json!({ "state": "taking" })).await.ok();
    assert_eq!(visit.sheet().await["medicines"][0]["until"], "");
    let former = visit.clinician.get(&visit.of_person(&format!("lists/{medicine}"))).await;
    let said: Vec<&str> = former.as_array().unwrap().iter().map(|v| v["said"]["state"].as_str().unwrap()).collect();
    assert_eq!(said, ["taking", "stopped"]);
    let by = [&former[0]["said"]["recorded_by"], &former[1]["said"]["recorded_by"]];
    assert_ne!(by[0], by[1], "each with who said so");
    // Of another person there is nothing to read here.
    let wren = visit.clinician.person("Wren").await["id"].as_str().unwrap().to_owned();
    let foreign = visit.clinician.ask("get", &format!("/api/people/{wren}/lists/{medicine}"), None).await;
    assert_eq!(foreign.status, 404);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_problem_weighs_ends_with_a_reason_and_warns_at_once() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    visit.keep("takes propranolol 40 bid").await;
    assert_eq!(visit.sheet().await["harms"], json!([]));
    visit.keep("problem asthma").await;
    let chart = visit.sheet().await;
    assert!(chart["harms"][0].as_str().unwrap().contains("narrows the airways"), "{}", chart["harms"]);
    let problem = visit.of_person(&format!("problems/{}", chart["problems"][0]["id"].as_str().unwrap()));
    visit.clinician.put(&problem, json!({ "state": "active", "weight": "major", "since": "2010" })).await.ok();
    visit.clinician.put(&problem, json!({ "state": "resolved", "reason": "spirometry normal" })).await.ok();
    let chart = visit.sheet().await;
    let now = &chart["problems"][0];
    assert_eq!(
        (&now["weight"], &now["since"], &now["endReason"]),
        (&json!("major"), &json!("2010"), &json!("spirometry normal"))
    );
    assert_eq!(chart["harms"], json!([]), "what is over does not warn");
    visit.clinician.put(&problem, json!({ "state": "resolved", "weight": "minor" })).await.ok();
    assert_eq!(visit.sheet().await["problems"][0]["endReason"], "spirometry normal", "what is not said stays");
    visit.clinician.put(&problem, json!({ "state": "recurrence" })).await.ok();
    // What came back counts again, on the sheet and for a prescription.
    assert!(visit.sheet().await["harms"][0].as_str().unwrap().contains("narrows the airways"));
    let form = json!({ "productCode": "propravel-40", "dose": 1, "perDay": 2, "days": 30, "diagnosis": null });
    let checked = visit.clinician.post(&visit.path("/prescriptions/check"), form).await.ok();
    assert!(checked["warnings"].to_string().contains("narrows the airways"), "{checked}");
    assert_eq!(visit.sheet().await["problems"][0]["endReason"], "");
    let wrong = visit.clinician.put(&problem, json!({ "state": "cured" })).await;
    assert_eq!(wrong.body["fields"][0]["field"], "state");
    product.stop().await.unwrap();
}
