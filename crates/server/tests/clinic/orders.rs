//! Orders of every kind, in a visit and without one: what they ask, who signs them, where they lie, what comes of them.

use crate::building::Visit;
use crate::{Hand, id, restrict};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

/// A draft of a visit that lies under its diagnosis.
pub async fn ordered(visit: &Visit, by: &Hand, item: &str) -> Value {
    let all = by.post(&visit.path("/orders"), json!({ "items": [item] })).await.ok();
    all.as_array().unwrap().iter().find(|o| o["order"]["testCode"] == item).unwrap().clone()
}

pub async fn now(visit: &Visit, item: &str) -> Value {
    let chart = visit.clinician.get(&visit.path("/chart")).await;
    chart["orders"].as_array().unwrap().iter().find(|o| o["order"]["testCode"] == item).unwrap().clone()
}

pub fn path(order: &Value, rest: &str) -> String {
    format!("/api/orders/{}{rest}", order["order"]["id"].as_str().unwrap())
}

async fn answer(by: &Hand, order: &Value, question: &str, answer: &str) -> crate::Reply {
    by.put(&path(order, "/answers"), json!([{ "question": question, "answer": answer }])).await
}

#[actix_web::test]
async fn a_question_takes_what_it_asks_for_and_keeps_how_it_was_asked() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["M17.11"]).await;
    let knee = ordered(&visit, &visit.assistant, "XR-KNEE").await;
    assert_eq!((&knee["order"]["kind"], &knee["codes"]), (&json!("imaging"), &json!(["M17.11"])));
    assert_eq!(knee["questions"][0]["choices"], json!(["left", "right", "both"]));
    assert_eq!(answer(&visit.assistant, &knee, "Which side?", "upper").await.status, 422);
    assert_eq!(answer(&visit.assistant, &knee, "Is it raining?", "yes").await.status, 422);
    answer(&visit.assistant, &knee, "Which side?", "LEFT").await.ok();
    let request = json!({ "priority": "urgent", "question": "Arthritis?", "toWhom": "", "enclosed": ["medicines"] });
    let lacking = now(&visit, "XR-KNEE").await["lacking"].clone();
    assert!(lacking.to_string().contains("what is to be found out"), "{lacking}");
    visit.assistant.put(&path(&knee, "/request"), request.clone()).await.ok();
    // Who may be pregnant is asked, and nothing is taken for granted.
    let knee_now = now(&visit, "XR-KNEE").await;
    let asks_pregnancy = knee_now["questions"].to_string().contains("Pregnant?");
    if asks_pregnancy {
        assert!(knee_now["lacking"].to_string().contains("Pregnant?"), "{knee_now}");
        answer(&visit.assistant, &knee, "Pregnant?", "not known").await.ok();
    }
    assert_eq!(now(&visit, "XR-KNEE").await["lacking"], json!([]));
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    let signed = now(&visit, "XR-KNEE").await;
    assert_eq!(
        (&signed["state"], &signed["order"]["answers"][0]["asked"]),
        (&json!("signed, answer awaited"), &json!("Which side?=left|right|both"))
    );
    assert_eq!(visit.assistant.put(&path(&knee, "/request"), request).await.status, 422, "what is signed stands");
    assert_eq!(answer(&visit.assistant, &knee, "Which side?", "right").await.status, 422);
    let (_, paper) = visit.clinician.file(&path(&knee, "/paper")).await;
    assert!(paper.starts_with(b"%PDF-"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_helper_prepares_and_only_the_one_it_is_for_signs() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E87.6"]).await;
    let tobias = Hand::sign_in(&product, "tobias").await;
    let potassium = ordered(&visit, &visit.assistant, "K").await;
    let names = (&potassium["order"]["orderedBy"], &potassium["order"]["preparedBy"]);
    assert_eq!(names, (&json!("Dr. Oriane Valcourt"), &json!("Petra Lindqvist")));
    let ids = json!({ "ids": [potassium["order"]["id"]] });
    assert_eq!(visit.assistant.post("/api/orders/signed", ids.clone()).await.status, 403);
    let refused = tobias.post("/api/orders/signed", ids.clone()).await;
    assert!(refused.detail().contains("is ordered by Dr. Oriane Valcourt"), "{}", refused.body);
    let mine = visit.clinician.get("/api/orders/to-sign").await;
    assert!(mine.to_string().contains(potassium["order"]["id"].as_str().unwrap()));
    assert_eq!(tobias.get("/api/orders/to-sign").await.to_string().matches("\"K\"").count(), 0);
    // Taken over, it says whose it was.
    tobias.post(&path(&potassium, "/taken-over"), json!({})).await.ok();
    assert_eq!(visit.clinician.post("/api/orders/signed", ids.clone()).await.status, 422);
    tobias.post("/api/orders/signed", ids.clone()).await.ok();
    let signed = now(&visit, "K").await["order"].clone();
    assert_eq!(
        (&signed["orderedBy"], &signed["takenOverFrom"]),
        (&json!("Dr. Tobias Renneberg"), &json!("Dr. Oriane Valcourt"))
    );
    assert_eq!(tobias.post("/api/orders/signed", ids).await.status, 422, "once");
    assert_eq!(tobias.post(&path(&potassium, "/taken-over"), json!({})).await.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_order_lies_elsewhere_after_signing_and_everybody_is_told() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10", "E87.6"]).await;
    let visit = visit.noted("assessment", "Low potassium.").await;
    product.outside.lock().automatic = false;
    let potassium = ordered(&visit, &visit.clinician, "K").await;
    let place = path(&potassium, "/diagnoses");
    visit.clinician.put(&place, json!({ "codes": ["I10"] })).await.ok();
    let lipids = ordered(&visit, &visit.clinician, "TSH").await;
    visit.clinician.put(&path(&lipids, "/diagnoses"), json!({ "codes": ["I10", "E87.6"] })).await.ok();
    assert_eq!(now(&visit, "TSH").await["under"][0]["title"], "Hypokalemia");
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    let sent = visit.clinician.until(&visit.path("/chart"), |c| c["orders"][0]["order"]["state"] == "accepted").await;
    assert_eq!(sent["orders"][0]["codes"], json!(["I10"]));
    visit.clinician.sign_note(&visit.id).await.ok();
    for (codes, by, status) in [
        (json!([]), &visit.clinician, 422),
        (json!(["M17.11"]), &visit.clinician, 422),
        (json!(["E87.6"]), &visit.assistant, 422),
        (json!(["E87.6"]), &visit.clinician, 200),
    ] {
        assert_eq!(by.put(&place, json!({ "codes": codes })).await.status, status, "{codes}");
    }
    let chart = visit.clinician.get(&visit.path("/chart")).await;
    assert_eq!(chart["addenda"][0]["body"], "Potassium: for E87.6 instead of I10.");
    let order = potassium["order"]["id"].as_str().unwrap();
    let heard = || product.outside.lock().received.iter().any(|(_, said)| *said == format!("{order} is for E87.6 now"));
    for _ in 0..200 {
        if heard() {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(50)).await;
    }
    assert!(heard(), "the laboratory is told");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_moves_after_the_claim_was_made_is_told_beside_it() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10", "E87.6"]).await;
    let potassium = ordered(&visit, &visit.clinician, "K").await;
    visit.clinician.put(&path(&potassium, "/diagnoses"), json!({ "codes": ["I10"] })).await.ok();
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    let visit = visit.noted("assessment", "Low potassium.").await.charged().await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let ready = biller.get("/api/claims?state=ready").await;
    let of_visit = |c: &&Value| c["visit"]["id"] == visit.id.as_str();
    let claim = id(&ready.as_array().unwrap().iter().find(of_visit).unwrap()["claim"]);
    visit.clinician.put(&path(&potassium, "/diagnoses"), json!({ "codes": ["E87.6"] })).await.ok();
    let told = biller.get(&format!("/api/claims/{claim}")).await;
    let last = told["events"].as_array().unwrap().last().unwrap().clone();
    assert_eq!(
        (&last["sentence"], &last["state"]),
        (&json!("Potassium: for E87.6 instead of I10."), &json!("ready")),
        "the claim stays as it is"
    );
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_order_without_a_visit_lies_under_a_problem_and_is_followed() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    let theirs = format!("/api/people/{}/orders", visit.person);
    let problem = json!({ "code": "E11.9" });
    visit.clinician.post(&format!("/api/people/{}/problems", visit.person), problem).await.ok();
    let tobias = Hand::sign_in(&product, "tobias").await;
    let asked = json!({ "items": ["A1C", "R-EYE"] });
    assert_eq!(visit.assistant.post(&theirs, asked.clone()).await.status, 422, "somebody must be there to sign");
    let nobody = json!({ "items": ["A1C"], "clinician": visit.assistant.get("/api/me").await["staff"]["id"] });
    assert_eq!(visit.assistant.post(&theirs, nobody).await.status, 422, "an assistant signs nothing");
    let for_him = json!({ "items": ["A1C", "R-EYE"], "clinician": tobias.get("/api/me").await["staff"]["id"] });
    let made = visit.assistant.post(&theirs, for_him).await.ok();
    let find = |all: &Value, code: &str| {
        all["orders"].as_array().unwrap().iter().find(|o| o["order"]["testCode"] == code).unwrap().clone()
    };
    let (a1c, eye) = (find(&made, "A1C"), find(&made, "R-EYE"));
    assert_eq!(a1c["codes"], json!(["E11.9"]), "it found the problem");
    assert_eq!(eye["lacking"].as_array().unwrap().len(), 3, "no diagnosis, to whom, what: {eye}");
    visit.assistant.put(&path(&eye, "/diagnoses"), json!({ "codes": ["E11.9"] })).await.ok();
    let letter = json!({ "priority": "routine", "question": "Changes of the retina?", "toWhom": "Dr. Sorrel Anstruther",
        "enclosed": ["problems", "medicines", "allergies", "results"] });
    visit.assistant.put(&path(&eye, "/request"), letter).await.ok();
    let work = tobias.get("/api/today").await.to_string();
    assert!(work.contains("Orders to sign") && work.contains("Hemoglobin A1c, prepared by Petra Lindqvist."), "{work}");
    tobias.post("/api/orders/signed", json!({ "ids": [a1c["order"]["id"], eye["order"]["id"]] })).await.ok();
    assert!(!tobias.get("/api/today").await.to_string().contains("Orders to sign"));
    let open = tobias.get("/api/orders/open").await;
    let mine = open["orders"].as_array().unwrap().iter().find(|o| o["id"] == eye["order"]["id"]).unwrap().clone();
    assert_eq!((&mine["visitId"], &mine["kind"]), (&Value::Null, &json!("referral")));
    for (asked, found) in [("sorrel", 1), ("%", 0), ("_", 0), ("Gannet", 0)] {
        let listed = tobias.get(&format!("/api/orders/open?toWhom={}", asked.replace('%', "%25"))).await.to_string();
        assert_eq!(listed.matches(eye["order"]["id"].as_str().unwrap()).count(), found, "{asked}");
    }
    let (_, paper) = tobias.file(&path(&eye, "/paper")).await;
    assert!(paper.starts_with(b"%PDF-"));
    // The answer comes by post: it is a report that its orderer reads, and by that the order has its answer.
    let came = |words: &str, pdf: &str| json!({ "performer": "Dr. Sorrel Anstruther", "words": words, "pdf": pdf });
    assert_eq!(visit.assistant.post(&path(&eye, "/answer-came"), came("", "")).await.status, 422);
    assert_eq!(visit.assistant.post(&path(&eye, "/answer-came"), came("", "bm8gUERG")).await.status, 422);
    assert_eq!(visit.assistant.post(&path(&eye, "/answer-came"), came("", "%%%")).await.status, 422);
    visit.assistant.post(&path(&eye, "/answer-came"), came("No retinopathy.", "JVBERi0xLjQ=")).await.ok();
    let waiting = tobias.get("/api/results").await;
    let one = waiting["waiting"].as_array().unwrap().iter().find(|r| r["name"] == "Referral to ophthalmology").unwrap();
    let view = tobias.get(&format!("/api/results/{}", id(one))).await;
    assert_eq!(
        (&view["report"]["conclusion"], &view["report"]["reviewedAt"]),
        (&json!("No retinopathy."), &Value::Null)
    );
    assert_eq!(view["files"].as_array().unwrap().len(), 1);
    assert_eq!(find(&tobias.get(&theirs).await, "R-EYE")["state"], "answer here");
    // Asked again, it asks the same of the same.
    tobias.post(&path(&eye, "/again"), json!({})).await.ok();
    let all = tobias.get(&theirs).await;
    let drafts = |o: &&Value| o["order"]["testCode"] == "R-EYE" && o["order"]["state"] == "draft";
    let again = all["orders"].as_array().unwrap().iter().find(drafts).unwrap()["order"]["request"].clone();
    assert_eq!(
        (&again["toWhom"], &again["question"]),
        (&json!("Dr. Sorrel Anstruther"), &json!("Changes of the retina?"))
    );
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_is_done_here_is_done_once_and_taken_back_only_before() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10"]).await;
    let ecg = ordered(&visit, &visit.clinician, "ECG").await;
    let charges = visit.clinician.get(&visit.path("/charges")).await;
    assert!(charges["reasons"][0].as_str().unwrap().contains(" 0 tests ordered"), "no test by that: {charges}");
    assert_eq!(visit.assistant.post(&path(&ecg, "/done"), json!({})).await.status, 422, "not before it is signed");
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    assert_eq!(now(&visit, "ECG").await["state"], "to be done here");
    visit.assistant.post(&path(&ecg, "/done"), json!({})).await.ok();
    let done = now(&visit, "ECG").await;
    assert_eq!((&done["state"], &done["order"]["doneBy"]), (&json!("done"), &json!("Petra Lindqvist")));
    assert_eq!(visit.assistant.post(&path(&ecg, "/done"), json!({})).await.status, 422);
    assert_eq!(visit.clinician.post(&path(&ecg, "/taken-back"), json!({ "reason": "x" })).await.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn specimens_get_as_many_labels_as_asked_and_none_before_signing() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E87.6"]).await;
    let potassium = ordered(&visit, &visit.clinician, "K").await;
    assert_eq!(visit.clinician.ask("get", &path(&potassium, "/labels"), None).await.status, 422);
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    assert_eq!(visit.clinician.ask("get", &path(&potassium, "/labels?each=21"), None).await.status, 422);
    let pages = |pdf: &[u8]| {
        let text = String::from_utf8_lossy(pdf).into_owned();
        let count = text.split("/Count ").nth(1).and_then(|rest| rest.split(|c: char| !c.is_ascii_digit()).next());
        count.and_then(|n| n.parse::<u32>().ok())
    };
    let (_, one) = visit.clinician.file(&path(&potassium, "/labels")).await;
    let (_, three) = visit.clinician.file(&path(&potassium, "/labels?each=3")).await;
    assert_eq!((pages(&one), pages(&three)), (Some(1), Some(3)));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_closed_chart_tells_nothing_of_what_waits_for_a_signature() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["E87.6"]).await;
    let potassium = ordered(&visit, &visit.clinician, "K").await;
    let tobias = Hand::sign_in(&product, "tobias").await;
    tobias.post(&path(&potassium, "/taken-over"), json!({})).await.ok();
    restrict(&product, &visit.person).await;
    let listed = tobias.get("/api/orders/to-sign").await;
    let one = listed.as_array().unwrap().iter().find(|o| o["id"] == potassium["order"]["id"]).unwrap();
    assert_eq!((&one["closed"], &one["testName"], &one["under"]), (&json!(true), &json!(""), &json!([])));
    let refused = tobias.post("/api/orders/signed", json!({ "ids": [potassium["order"]["id"]] })).await;
    assert_eq!(refused.status, 422, "{}", refused.body);
    product.stop().await.unwrap();
}
