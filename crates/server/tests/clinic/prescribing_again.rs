//! What becomes of a prescription later: renewed, changed, written anew; with and without a visit.

use crate::building::Visit;
use crate::{Hand, id, restrict};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

fn form(product: &str, dose: &str, often: &str, days: &str) -> Value {
    json!({ "productCode": product, "dose": dose, "often": often, "days": days, "diagnosis": "I10" })
}

/// A visit with pressure as its diagnosis (it is a problem of the person too), and these prescribed in it.
async fn prescribed(product: &Product, codes: &[&str]) -> (Visit, Vec<String>) {
    let visit = Visit::booked(product, "oriane").await.roomed().await;
    visit.clinician.put(&visit.path("/diagnoses"), json!({ "codes": ["I10"] })).await.ok();
    let pharmacy = visit.desk.get("/api/clinic").await["pharmacies"][0]["id"].clone();
    let mut ids = vec![];
    for code in codes {
        let draft = visit.clinician.post(&visit.path("/prescriptions"), form(code, "1", "daily", "90")).await.ok();
        ids.push(id(&draft));
    }
    if !ids.is_empty() {
        let items: Vec<Value> = ids.iter().map(|id| json!({ "id": id, "pharmacyId": pharmacy })).collect();
        visit.clinician.post(&visit.path("/prescriptions/sign"), json!({ "items": items })).await.ok();
        let sent = |c: &Value| c["prescriptions"].as_array().unwrap().iter().all(|p| p["state"] == "sent");
        visit.clinician.until(&visit.path("/chart"), sent).await;
    }
    (visit, ids)
}

fn of(list: &Value, id: &str) -> Value {
    let found = list["items"].as_array().unwrap().iter().find(|x| x["item"]["id"] == id);
    found.unwrap_or_else(|| panic!("{id} is not in {list}")).clone()
}

#[actix_web::test]
async fn several_are_renewed_without_a_visit_under_one_signature() {
    let product = Product::start().await.unwrap();
    let (visit, ids) = prescribed(&product, &["lisovane-10", "amlokeel-5"]).await;
    let own = format!("/api/people/{}/prescriptions", visit.person);
    let renew = format!("{own}/renew");
    let laid = visit.clinician.post(&renew, json!({ "ids": ids })).await.ok();
    let [one, two] = [&laid[0], &laid[1]];
    assert_eq!((&one["visitId"], &one["renewsId"], &one["state"]), (&Value::Null, &json!(ids[0]), &json!("draft")));
    let twice = visit.clinician.post(&renew, json!({ "ids": [ids[0]] })).await;
    assert!(twice.status == 422 && twice.detail().contains("laid ready already"), "{}", twice.detail());
    // A draft of no visit is not signed with one.
    let items = json!({ "items": [{ "id": id(one), "pharmacyId": null }, { "id": id(two), "pharmacyId": null }] });
    assert_eq!(visit.clinician.post(&visit.path("/prescriptions/sign"), items.clone()).await.status, 404);
    let signed = visit.clinician.post(&format!("{own}/sign"), items).await.ok();
    assert_eq!(signed["items"], 2);
    let list = visit.clinician.get(&own).await;
    let (old, new) = (of(&list, &ids[0]), of(&list, &id(one)));
    assert_eq!((&new["item"]["headId"], &new["item"]["state"]), (&signed["headId"], &json!("printed")));
    assert!(old["followedOn"].is_string() && old["item"]["state"] == "sent", "it goes on beside: {old}");
    // Somebody who only sees charts reads them; nobody else lays any ready.
    assert_eq!(visit.assistant.post(&renew, json!({ "ids": ids })).await.status, 403);
    assert_eq!(visit.assistant.get(&own).await["items"].as_array().unwrap().len(), 4);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_changed_one_takes_the_place_of_the_old_and_both_say_so() {
    let product = Product::start().await.unwrap();
    let (visit, ids) = prescribed(&product, &["lisovane-10"]).await;
    let taken_up = visit.clinician.get(&format!("/api/prescriptions/{}/fields", ids[0])).await;
    assert_eq!((&taken_up["form"]["dose"], &taken_up["form"]["days"]), (&json!("1"), &json!("90")));
    let mut change = taken_up["form"].clone();
    change["productCode"] = json!("lisovane-20");
    change["replaces"] = json!(ids[0]);
    let new = id(&visit.clinician.post(&visit.path("/prescriptions"), change).await.ok());
    let before = visit.clinician.get(&visit.path("/chart")).await;
    assert!(!before["prescriptions"].to_string().contains("doubled"), "it takes its place: {before}");
    let pharmacy = visit.desk.get("/api/clinic").await["pharmacies"][0]["id"].clone();
    let items = json!({ "items": [{ "id": new, "pharmacyId": pharmacy }] });
    visit.clinician.post(&visit.path("/prescriptions/sign"), items).await.ok();
    let told = |_: &Value| {
        let memory = product.outside.lock();
        let stopped = memory.received.iter().any(|(part, what)| {
            *part == "pharmacy" && what.contains("stopped: Lisovane 10 mg tablet (changed to Lisovane 20 mg tablet")
        });
        stopped && memory.prescriptions.iter().any(|p| p.replaces.as_deref() == Some(ids[0].as_str()))
    };
    let chart = visit.clinician.until(&visit.path("/chart"), told).await;
    let list = visit.clinician.get(&format!("/api/people/{}/prescriptions", visit.person)).await;
    let (old, now) = (of(&list, &ids[0]), of(&list, &new));
    assert!(old["ended"]["reason"].as_str().unwrap().starts_with("changed to Lisovane 20 mg"), "{old}");
    assert!(now["insteadOf"].as_str().unwrap().starts_with("Lisovane 10 mg"), "{now}");
    // Only the new one is taken.
    let state = |name: &str| {
        let found = chart["medicines"].as_array().unwrap().iter().find(|m| m["name"].as_str().unwrap().contains(name));
        found.unwrap()["state"].clone()
    };
    assert_eq!((state("Lisovane 10"), state("Lisovane 20")), (json!("stopped"), json!("taking")));
    // What has ended is changed no more.
    let mut again = form("lisovane-10", "1", "daily", "90");
    again["replaces"] = json!(ids[0]);
    assert_eq!(visit.clinician.post(&visit.path("/prescriptions"), again).await.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_draft_is_written_anew_by_its_writer_and_a_dose_by_weight_needs_a_weight() {
    let product = Product::start().await.unwrap();
    let (visit, _) = prescribed(&product, &[]).await;
    let draft =
        id(&visit.clinician.post(&visit.path("/prescriptions"), form("amoxelle-500", "1", "tid", "7")).await.ok());
    let put = format!("/api/prescriptions/{draft}");
    let other = Hand::sign_in(&product, "tobias").await;
    assert_eq!(other.put(&put, form("amoxelle-500", "1", "bid", "7")).await.status, 422);
    let again = visit.clinician.put(&put, form("amoxelle-500", "1", "bid", "10")).await.ok();
    assert_eq!((&again["id"], &again["quantity"]), (&json!(draft), &json!(20)));
    let chart = visit.clinician.get(&visit.path("/chart")).await;
    assert_eq!(chart["prescriptions"].as_array().unwrap().len(), 1);
    // Beside itself it is not doubled.
    let check = format!("{}?draft={draft}", visit.path("/prescriptions/check"));
    let told = visit.clinician.post(&check, form("amoxelle-500", "1", "bid", "10")).await.ok();
    assert!(!told["findings"].to_string().contains("doubled"), "{told}");
    let by_weight = visit.clinician.put(&put, form("amoxelle-junior-50", "15 mg/kg", "tid", "7")).await;
    assert_eq!(by_weight.body["fields"][0]["sentence"], "The weight is not known: weigh first, or say how much.");
    let muscle = json!({ "productCode": "ceftrdock-500", "dose": "1", "often": "once", "route": "intravenous", "diagnosis": "I10" });
    let told = visit.clinician.post(&check, muscle).await.ok();
    assert_eq!(told["instructions"], "Inject 1 injection into a vein as a single dose for 1 day.");
    let wrong =
        json!({ "productCode": "ceftrdock-500", "dose": "1", "often": "once", "route": "oral", "diagnosis": "I10" });
    assert_eq!(visit.clinician.put(&put, wrong).await.body["fields"][0]["field"], "route");
    let nowhere =
        json!({ "productCode": "lisovane-10", "dose": "1", "often": "daily", "days": "90", "diagnosis": "E11.9" });
    assert_eq!(visit.clinician.put(&put, nowhere).await.body["fields"][0]["field"], "diagnosis");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_pharmacys_request_is_answered_with_a_change() {
    let product = Product::start().await.unwrap();
    let (visit, ids) = prescribed(&product, &["lisovane-10"]).await;
    assert!(product.outside.pharmacy_says(0, "renew"));
    let list = visit.clinician.until("/api/renewals", |l| l.as_array().unwrap().len() == 1).await;
    let request = id(&list[0]);
    let answer = |more: Value| {
        let mut item = json!({ "id": request, "answer": "changed" });
        item.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        json!({ "items": [item] })
    };
    let unsaid = visit.clinician.post("/api/renewals/answer", answer(json!({}))).await;
    assert_eq!(unsaid.body["fields"][0]["field"], "answer");
    let changed = json!({ "changed": form("lisovane-10", "2", "daily", "60") });
    visit.clinician.post("/api/renewals/answer", answer(changed)).await.ok();
    let own = format!("/api/people/{}/prescriptions", visit.person);
    let list = visit.clinician.until(&own, |l| l["items"][0]["item"]["state"] == "sent").await;
    assert_eq!(
        (&list["items"][0]["item"]["quantity"], &list["items"][0]["item"]["replacesId"]),
        (&json!(120), &json!(ids[0]))
    );
    let old = of(&list, &ids[0]);
    assert!(matches!(old["item"]["state"].as_str(), Some("stopping" | "stopped")), "{old}");
    assert_eq!(visit.clinician.get("/api/renewals").await, json!([]));
    product.stop().await.unwrap();
}

/// Neither sees the draft of the other; who signs second is checked against what the first has signed.
#[actix_web::test]
async fn two_who_sign_at_once_for_one_person_wait_for_each_other() {
    let product = Product::start().await.unwrap();
    let (visit, _) = prescribed(&product, &[]).await;
    let other = Hand::sign_in(&product, "tobias").await;
    let own = format!("/api/people/{}/prescriptions", visit.person);
    let lay = async |hand: &Hand, code: &str| id(&hand.post(&own, form(code, "1", "daily", "30")).await.ok());
    let (one, two) = (lay(&visit.clinician, "warfelin-5").await, lay(&other, "ibudrift-400").await);
    let sign = format!("{own}/sign");
    let items = |id: &str| json!({ "items": [{ "id": id, "pharmacyId": null }] });
    let (a, b) =
        futures_util::future::join(visit.clinician.post(&sign, items(&one)), other.post(&sign, items(&two))).await;
    let statuses = [a.status, b.status];
    assert!(statuses == [200, 422] || statuses == [422, 200], "{} {}", a.body, b.body);
    let refused = if a.status == 422 { a } else { b };
    assert_eq!(refused.body["fields"][0]["field"], "overrideReason");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn papers_go_home_and_it_is_written_down_that_they_left() {
    let product = Product::start().await.unwrap();
    let (visit, ids) = prescribed(&product, &["lisovane-10", "warfelin-5"]).await;
    let papers = [
        format!("/api/prescriptions/{}/paper", ids[0]),
        format!("/api/prescriptions/{}/leaflet", ids[0]),
        format!("/api/prescriptions/{}/leaflet?large=true", ids[1]),
        format!("/api/people/{}/medicines-paper", visit.person),
        format!("/api/people/{}/medicines-paper?large=true", visit.person),
    ];
    let mut sizes = vec![];
    for path in &papers {
        let (head, paper) = visit.assistant.file(path).await;
        assert_eq!(head["content-type"], "application/pdf", "{path}");
        assert!(paper.starts_with(b"%PDF-"), "{path}");
        sizes.push(paper);
        assert_eq!(visit.desk.ask("get", path, None).await.status, 403, "{path}");
    }
    assert_ne!(sizes[3], sizes[4], "large type is another paper");
    let manager = Hand::sign_in(&product, "soren").await;
    let looks = manager.get(&format!("/api/people/{}/looks", visit.person)).await.to_string();
    assert!(looks.contains("\"printed\""), "{looks}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_manager_reads_what_was_overridden_and_enters_provider_numbers() {
    let product = Product::start().await.unwrap();
    let (visit, _) = prescribed(&product, &["warfelin-5"]).await;
    let manager = Hand::sign_in(&product, "soren").await;
    assert_eq!(manager.get("/api/overridden-warnings").await, json!([]));
    let draft = visit.clinician.post(&visit.path("/prescriptions"), form("ibudrift-400", "1", "tid", "5")).await.ok();
    let serious = draft["warnings"].as_array().unwrap().iter().filter(|w| w["severity"] == "serious");
    let overrides: Vec<Value> = serious.map(|w| json!({ "about": w["about"], "reason": "three days only" })).collect();
    let items = json!({ "items": [{ "id": id(&draft), "pharmacyId": null, "overrides": overrides }] });
    visit.clinician.post(&visit.path("/prescriptions/sign"), items).await.ok();
    let list = manager.get("/api/overridden-warnings?days=30").await;
    let one = &list[0];
    assert_eq!((&one["reason"], &one["by"]), (&json!("three days only"), &json!("Dr. Oriane Valcourt")));
    assert!(one["sentence"].as_str().unwrap().contains("Warfelin") && one.get("personId").is_none(), "{list}");
    assert_eq!(one["medicine"], "Ibudrift 400 mg tablet");
    let today = manager.get("/api/today").await;
    assert!(today["waiting"].as_array().unwrap().iter().any(|w| w["group"] == "Warnings overridden"), "{today}");
    assert_eq!(visit.clinician.ask("get", "/api/overridden-warnings", None).await.status, 403);
    // Provider numbers are entered here; a slip is seen, and what is not said stays.
    let staff = manager.get("/api/staff").await;
    let mut rows = staff.as_array().unwrap().iter();
    let row = rows.find(|s| s["staff"]["login"] == "maelis").unwrap()["staff"].clone();
    let path = format!("/api/staff/{}", id(&row));
    let with = |more: Value| {
        let mut body = json!({
            "login": "maelis", "firstName": "Maelis", "lastName": "Corrigan", "name": row["name"], "role": "clinician",
        });
        body.as_object_mut().unwrap().extend(more.as_object().unwrap().clone());
        body
    };
    for (field, wrong) in [("npi", "1234567890"), ("npi", "12"), ("dea", "BV1234567"), ("dea", "x")] {
        assert_eq!(
            manager.put(&path, with(json!({ field: wrong }))).await.body["fields"][0]["field"],
            field,
            "{wrong}"
        );
    }
    let kept = manager.put(&path, with(json!({ "dea": "bc1234563" }))).await.ok();
    assert_eq!((&kept["dea"], &kept["npi"]), (&json!("BC1234563"), &row["npi"]));
    let gone = manager.put(&path, with(json!({ "dea": "" }))).await.ok();
    assert_eq!(gone["dea"], "");
    product.stop().await.unwrap();
}

/// What is laid ready without a visit, and what a pharmacy did not take, comes to Today and goes when it is done; of a closed
/// chart it tells nothing.
#[actix_web::test]
async fn what_waits_about_prescriptions_is_told_until_it_is_done() {
    let product = Product::start().await.unwrap();
    let (visit, _) = prescribed(&product, &[]).await;
    let own = format!("/api/people/{}/prescriptions", visit.person);
    let pharmacy = visit.desk.get("/api/clinic").await["pharmacies"][0]["id"].clone();
    let group = async |group: &str| -> Vec<String> {
        let today = visit.clinician.get("/api/today").await;
        let waiting = today["waiting"].as_array().unwrap().iter().filter(|w| w["group"] == group);
        waiting.map(|w| w["sentence"].as_str().unwrap().to_owned()).collect()
    };
    // Eighty-nine tablets: see the pharmacy's own table.
    let draft = id(&visit.clinician.post(&own, form("lisovane-10", "1", "daily", "89")).await.ok());
    assert_eq!(group("Prescriptions to sign").await, ["Lisovane 10 mg tablet."]);
    restrict(&product, &visit.person).await;
    assert_eq!(group("Prescriptions to sign").await, ["A prescription of a chart under restriction."]);
    visit
        .clinician
        .post(&format!("/api/people/{}/open-chart", visit.person), json!({ "reason": "my patient" }))
        .await
        .ok();
    let items = json!({ "items": [{ "id": draft, "pharmacyId": pharmacy }] });
    visit.clinician.post(&format!("{own}/sign"), items).await.ok();
    assert!(group("Prescriptions to sign").await.is_empty());
    visit.clinician.until(&own, |l| l["items"][0]["item"]["state"] == "refused").await;
    assert_eq!(group("Not taken by the pharmacy").await, ["Lisovane 10 mg tablet: out of stock."]);
    // Another in its place answers it.
    let mut other = form("lisovane-20", "1", "daily", "90");
    other["replaces"] = json!(draft);
    let next = id(&visit.clinician.post(&own, other).await.ok());
    let items = json!({ "items": [{ "id": next, "pharmacyId": pharmacy }] });
    visit.clinician.post(&format!("{own}/sign"), items).await.ok();
    assert!(group("Not taken by the pharmacy").await.is_empty());
    product.stop().await.unwrap();
}
