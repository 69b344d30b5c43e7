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
    // What the checks make of each is told.
    let groups = visit.sheet().await["allergiesRead"].clone();
    assert_eq!((&groups[0]["group"], &groups[1]["group"]), (&json!("penicillins"), &json!("no medicine")));
    let end = visit.of_person(&format!("allergies/{}/end", made["id"].as_str().unwrap()));
    let bare = visit.assistant.post(&end, json!({ "reason": " " })).await;
    assert_eq!(bare.body["fields"][0]["sentence"], "Say why it no longer holds.");
    visit.assistant.post(&end, json!({ "reason": "tested negative" })).await.ok();
    assert_eq!(visit.sheet().await["allergies"].as_array().unwrap().len(), 1);
    let ended = visit.clinician.get(&visit.of_person("ended")).await["allergies"][0].clone();
    assert_eq!((&ended["words"], &ended["reason"]), (&json!("Penicillins: hives"), &json!("tested negative")));
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
    let form = json!({ "productCode": "propravel-40", "dose": "1", "often": "2", "days": "30", "diagnosis": null });
    let checked = visit.clinician.post(&visit.path("/prescriptions/check"), form).await.ok();
    assert!(checked["findings"].to_string().contains("narrows the airways"), "{checked}");
    assert_eq!(visit.sheet().await["problems"][0]["endReason"], "");
    let wrong = visit.clinician.put(&problem, json!({ "state": "cured" })).await;
    assert_eq!(wrong.body["fields"][0]["field"], "state");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_problem_stands_in_words_until_its_code_is_known() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    let add = visit.of_person("problems");
    visit.keep("problem funny turns since 2024").await;
    let kept = visit.assistant.post(&add, json!({ "words": "Funny turns" })).await;
    assert_eq!(kept.detail(), "It stands on the list already.");
    visit.assistant.post(&add, json!({ "words": "bad nights" })).await.ok();
    visit.assistant.post(&add, json!({ "code": "J45.909" })).await.ok();
    let general = visit.assistant.post(&add, json!({ "code": "J45" })).await;
    assert_eq!(general.body["fields"][0]["field"], "code");
    let chart = visit.sheet().await;
    let words = chart["problems"].as_array().unwrap().iter().find(|p| p["title"] == "funny turns").unwrap().clone();
    assert_eq!((&words["code"], &words["since"]), (&json!(""), &json!("2024")));
    let code = visit.of_person(&format!("problems/{}/code", words["id"].as_str().unwrap()));
    let twice = visit.assistant.put(&code, json!({ "code": "J45.909" })).await;
    assert_eq!(twice.detail(), "J45.909 stands on the list already.");
    visit.assistant.put(&code, json!({ "code": "G40.909" })).await.ok();
    let now =
        visit.sheet().await["problems"].as_array().unwrap().iter().find(|p| p["id"] == words["id"]).unwrap().clone();
    assert_eq!((&now["code"], &now["since"]), (&json!("G40.909"), &json!("2024")));
    let former = visit.clinician.get(&visit.of_person(&format!("lists/{}", words["id"].as_str().unwrap()))).await;
    assert_eq!(former[0]["said"]["title"], "funny turns", "what it was called stays readable");
    let coded = visit.assistant.put(&code, json!({ "code": "I10" })).await;
    assert_eq!(coded.status, 404, "what has a code is no problem in words");
    product.stop().await.unwrap();
}

/// Two records of one person, each with the same problems: the merge keeps both entries, and parting gives each its own.
#[actix_web::test]
async fn records_with_the_same_problem_become_one() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    let desk = &visit.desk;
    let form = json!({ "firstName": "Inga", "lastName": "Quarrie", "birthDate": "2/13/1999", "notATwin": true });
    let other = desk.post("/api/people", form).await.ok()["id"].as_str().unwrap().to_owned();
    let problems = |person: &str| format!("/api/people/{person}/problems");
    for person in [visit.person.clone(), other.clone()] {
        for form in [json!({ "code": "I10" }), json!({ "words": "bad nights" })] {
            visit.assistant.post(&problems(&person), form).await.ok();
        }
    }
    let merge = json!({ "goneId": other, "unlike": true, "choices": { "first_name": false } });
    let merged = desk.post(&format!("/api/people/{}/merge", visit.person), merge).await.ok();
    let listed = visit.sheet().await["problems"].as_array().unwrap().len();
    assert_eq!(listed, 4, "what the two say of a problem may differ");
    let again = visit.assistant.post(&problems(&visit.person), json!({ "code": "I10" })).await;
    assert_eq!(again.detail(), "It stands on the list already.");
    desk.ask("delete", &format!("/api/merges/{}", merged["id"].as_str().unwrap()), None).await.ok();
    assert_eq!(visit.sheet().await["problems"].as_array().unwrap().len(), 2);
    let again = visit.assistant.post(&problems(&other), json!({ "code": "I10" })).await;
    assert_eq!(again.detail(), "It stands on the list already.", "parted, it is its own again");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_history_is_said_anew_as_the_line_that_says_it() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    visit.keep("mother asthma; tdap given lot A12 left deltoid dose 2").await;
    let told = visit.sheet().await["histories"].as_array().unwrap().clone();
    let of = |kind: &str| told.iter().find(|h| h["kind"] == kind).unwrap().clone();
    let (family, tdap) = (of("family"), of("immunisation"));
    assert_eq!(family["detail"]["code"], "J45.909", "a sure condition has its code: {family}");
    let detail = &tdap["detail"];
    assert_eq!(
        (&detail["given"], &detail["lot"], &detail["site"], &detail["dose"]),
        (&json!(true), &json!("A12"), &json!("left deltoid"), &json!(2))
    );
    let entry = visit.of_person(&format!("histories/{}", family["entryId"].as_str().unwrap()));
    assert_eq!(family["typed"], "mother asthma");
    let anew = visit.assistant.put(&entry, json!({ "text": "mother asthma at 12, born 1950" })).await.ok();
    assert!(anew["words"].as_str().unwrap().starts_with("mother, asthma at 12, born 1950, now "), "{anew}");
    for (wrong, said) in [("smoker 10/day", "Social history"), ("what a day", "what a day"), ("", "Say what it is.")] {
        let refused = visit.assistant.put(&entry, json!({ "text": wrong })).await;
        assert!(refused.body["fields"][0]["sentence"].as_str().unwrap().contains(said), "{}", refused.body);
    }
    let versions = visit.clinician.get(&entry).await;
    let said: Vec<&str> = versions.as_array().unwrap().iter().map(|v| v["words"].as_str().unwrap()).collect();
    assert_eq!(said, ["mother, asthma at 12, born 1950", "mother, asthma"], "what it said before stays");
    visit.assistant.post(&format!("{entry}/end"), json!({ "reason": "a cousin's" })).await.ok();
    let gone = visit.clinician.get(&visit.of_person("ended")).await["histories"][0].clone();
    assert_eq!((&gone["reason"], &gone["endedBy"]), (&json!("a cousin's"), &json!("Petra Lindqvist")), "{gone}");
    let ended = visit.assistant.put(&entry, json!({ "text": "mother gout" })).await;
    assert_eq!(ended.detail(), "This has ended; take the end back first.");
    let wren = visit.clinician.person("Wren").await["id"].as_str().unwrap().to_owned();
    let path = format!("/api/people/{wren}/histories/{}", family["entryId"].as_str().unwrap());
    assert_eq!(visit.assistant.put(&path, json!({ "text": "mother gout" })).await.status, 404);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn one_habit_is_said_once_and_taken_back_to_what_it_was() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    let path = visit.of_person("histories");
    let words = async || -> Vec<String> {
        let sheet = visit.sheet().await;
        let all = sheet["histories"].as_array().unwrap().iter();
        all.map(|h| h["words"].as_str().unwrap().to_owned()).collect()
    };
    // Without a visit too, several at once, and nothing but histories.
    let put = visit.clinician.post(&path, json!({ "text": "smoker 20/day, mother asthma" })).await.ok();
    assert_eq!(put.as_array().unwrap().len(), 2, "{put}");
    let refused = visit.clinician.post(&path, json!({ "text": "father gout, bp 128/82" })).await;
    let sentence = refused.body["fields"][0]["sentence"].as_str().unwrap();
    assert!(sentence.starts_with("Not all of this is history; it reads: "), "{sentence}");
    assert_eq!(words().await.len(), 2, "nothing of it was kept");
    // The line says the habit anew: one entry, with what it said before, and taken back it says that again.
    let line = json!({ "text": "smoker 10/day", "keep": true });
    let kept = visit.assistant.post(&visit.path("/quick-line"), line).await.ok();
    assert_eq!(words().await.iter().filter(|w| w.contains("smokes")).collect::<Vec<_>>(), ["smokes, 10/day"]);
    let back = json!({ "done": kept["done"] });
    visit.assistant.post(&visit.path("/quick-line/taken-back"), back).await.ok();
    assert_eq!(words().await.iter().filter(|w| w.contains("smokes")).collect::<Vec<_>>(), ["smokes, 20/day"]);
    let again = visit.clinician.post(&path, json!({ "text": "smoker 20/day" })).await;
    assert!(again.detail().ends_with("stands there already."), "{}", again.body);
    // Who put it down takes it back, and nobody else.
    let entry = format!("{path}/{}", put[1]["entryId"].as_str().unwrap());
    let other = visit.assistant.post(&format!("{entry}/taken-back"), json!({})).await;
    assert!(other.detail().ends_with("put this down; end it instead."), "{}", other.body);
    visit.clinician.post(&format!("{entry}/taken-back"), json!({})).await.ok();
    assert!(words().await.iter().all(|w| !w.contains("asthma")));
    assert_eq!(visit.clinician.post(&format!("{entry}/taken-back"), json!({})).await.status, 404);
    product.stop().await.unwrap();
}
