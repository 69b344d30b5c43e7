//! Prescriptions: written as people say it, checked against what is known today, signed together, stopped.

use crate::building::Visit;
use crate::guards::run;
use crate::{Hand, id, restrict};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

fn form(product: &str, dose: &str, often: &str, days: &str) -> Value {
    json!({ "productCode": product, "dose": dose, "often": often, "days": days, "diagnosis": "I10" })
}

impl Visit {
    fn whose(&self, rest: &str) -> String {
        format!("/api/people/{}/{rest}", self.person)
    }

    async fn pharmacy(&self) -> Value {
        self.desk.get("/api/clinic").await["pharmacies"][0]["id"].clone()
    }

    async fn prescribe(&self, form: Value) -> Value {
        self.clinician.post(&self.path("/prescriptions"), form).await.ok()
    }

    async fn with_pressure(self) -> Visit {
        self.clinician.put(&self.path("/diagnoses"), json!({ "codes": ["I10"] })).await.ok();
        self
    }

    async fn chart_of(&self) -> Value {
        self.clinician.get(&self.path("/chart")).await
    }

    async fn checked(&self, form: Value) -> Value {
        self.clinician.post(&self.path("/prescriptions/check"), form).await.ok()
    }
}

#[actix_web::test]
async fn two_items_have_one_signature_and_each_goes_its_way() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.with_pressure().await;
    let first = visit.prescribe(form("lisovane-10", "1", "once a day", "90")).await;
    let second = visit.prescribe(form("amlokeel-5", "half", "at bedtime", "30")).await;
    assert_eq!(second["instructions"], "Take 0.5 tablet by mouth at bedtime for 30 days.");
    assert_eq!((&second["quantity"], &second["unit"]), (&json!(15), &json!("tablet")));
    let pharmacy = visit.pharmacy().await;
    let items =
        json!({ "items": [{ "id": id(&first), "pharmacyId": pharmacy }, { "id": id(&second), "pharmacyId": null }] });
    let sign = visit.path("/prescriptions/sign");
    // Somebody else's hand is not the prescriber's.
    let other = Hand::sign_in(&product, "tobias").await;
    let refused = other.post(&sign, items.clone()).await;
    assert!(refused.detail().contains("Valcourt") && refused.status == 422, "{}", refused.detail());
    let signed = visit.clinician.post(&sign, items.clone()).await.ok();
    assert_eq!(signed["items"], 2);
    assert_eq!(visit.clinician.post(&sign, items).await.status, 422, "signed once");
    let chart = visit.clinician.until(&visit.path("/chart"), |c| c["prescriptions"][0]["state"] == "sent").await;
    let [one, two] = [&chart["prescriptions"][0], &chart["prescriptions"][1]];
    assert_eq!((&one["headId"], &two["state"]), (&two["headId"], &json!("printed")));
    let sent = visit.clinician.get(&format!("/api/prescriptions/{}/sent", id(one))).await;
    let request =
        sent["entry"].as_array().unwrap().iter().find(|e| e["resource"]["resourceType"] == "MedicationRequest");
    let repeat = &request.unwrap()["resource"]["dosageInstruction"][0]["timing"]["repeat"];
    assert_eq!((&repeat["frequency"], &repeat["boundsDuration"]["value"]), (&json!(1), &json!(90)));
    let taken = chart["medicines"].as_array().unwrap().iter().filter(|m| !m["prescriptionId"].is_null()).count();
    assert_eq!(taken, 2, "what is prescribed is told from what is merely taken");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_stop_reaches_the_pharmacy_and_the_list() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.with_pressure().await;
    let item = id(&visit.prescribe(form("lisovane-10", "1", "daily", "90")).await);
    let stop = format!("/api/prescriptions/{item}/stop");
    let early = visit.clinician.post(&stop, json!({ "reason": "cough" })).await;
    assert!(early.detail().contains("not signed yet"), "{}", early.detail());
    let items = json!({ "items": [{ "id": item, "pharmacyId": visit.pharmacy().await }] });
    visit.clinician.post(&visit.path("/prescriptions/sign"), items).await.ok();
    visit.clinician.until(&visit.path("/chart"), |c| c["prescriptions"][0]["state"] == "sent").await;
    assert_eq!(visit.clinician.post(&stop, json!({ "reason": " " })).await.body["fields"][0]["field"], "reason");
    assert_eq!(visit.clinician.ask("DELETE", &format!("/api/prescriptions/{item}"), None).await.status, 422);
    visit.clinician.post(&stop, json!({ "reason": "dry cough" })).await.ok();
    let heard = |_: &Value| {
        let memory = product.outside.lock();
        memory
            .received
            .iter()
            .any(|(part, what)| *part == "pharmacy" && what.contains("stopped: Lisovane 10 mg tablet (dry cough)"))
    };
    let chart = visit.clinician.until(&visit.path("/chart"), heard).await;
    let medicine =
        chart["medicines"].as_array().unwrap().iter().find(|m| m["prescriptionId"] == item.as_str()).unwrap();
    assert_eq!((&medicine["state"], &medicine["reason"]), (&json!("stopped"), &json!("dry cough")));
    assert_eq!(visit.clinician.post(&stop, json!({ "reason": "again" })).await.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_the_pharmacy_says_is_heard_once_and_a_refill_that_is_too_early_is_told() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.with_pressure().await;
    let pharmacy = visit.pharmacy().await;
    let sign = async |product: &str, days: &str| {
        let item = id(&visit.prescribe(form(product, "1", "daily", days)).await);
        let items = json!({ "items": [{ "id": item, "pharmacyId": pharmacy }] });
        visit.clinician.post(&visit.path("/prescriptions/sign"), items).await.ok();
        item
    };
    let of = |chart: &Value, item: &str| {
        chart["prescriptions"].as_array().unwrap().iter().find(|p| p["id"] == item).unwrap()["state"].clone()
    };
    // What becomes of each, the quantity says: see the pharmacy's own table.
    for (code, days, state) in
        [("lisovane-10", "87", "dispensed"), ("amlokeel-5", "88", "partly_dispensed"), ("metorill-50", "89", "refused")]
    {
        let item = sign(code, days).await;
        visit.clinician.until(&visit.path("/chart"), |c| of(c, &item) == state).await;
    }
    let chart = visit.chart_of().await;
    let refused = chart["medicines"]
        .as_array()
        .unwrap()
        .iter()
        .find(|m| m["name"].as_str().unwrap().starts_with("Metorill"))
        .unwrap();
    assert_eq!(
        (&refused["state"], &refused["reason"]),
        (&json!("stopped"), &json!("the pharmacy did not take it: out of stock"))
    );
    let again = visit.checked(form("lisovane-10", "1", "daily", "90")).await;
    let early = again["findings"].as_array().unwrap().iter().find(|f| f["kind"] == "too_early").unwrap();
    assert_eq!(early["sentence"], "Dispensed 0 days ago for 87 days: 87 days are left. Ask what became of it.");
    assert!(!again["findings"].to_string().contains("doubled"), "it is the same once more: {again}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_course_ends_by_itself_on_its_day() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.with_pressure().await;
    for (code, days) in [("amoxelle-500", "7"), ("lisovane-10", "30")] {
        let item = id(&visit.prescribe(form(code, "1", "tid", days)).await);
        let items = json!({ "items": [{ "id": item, "pharmacyId": null }] });
        visit.clinician.post(&visit.path("/prescriptions/sign"), items).await.ok();
    }
    // Some days later.
    run(
        &product.database_url,
        "update medicines set until = '2026-11-01' where until <> '' and prescription_id is not null",
    )
    .await
    .unwrap();
    let over = |c: &Value| {
        let of = |begins: &str| {
            c["medicines"]
                .as_array()
                .unwrap()
                .iter()
                .find(|m| m["name"].as_str().unwrap().starts_with(begins))
                .unwrap()
                .clone()
        };
        let (course, for_good) = (of("Amoxelle"), of("Lisovane"));
        assert_eq!(for_good["state"], "taking");
        course["state"] == "stopped" && course["reason"] == "the course is over"
    };
    visit.clinician.until(&visit.path("/chart"), over).await;
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_renewal_is_asked_checked_with_todays_facts_and_answered() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.with_pressure().await;
    let pharmacy = visit.pharmacy().await;
    let first = id(&visit.prescribe(form("lisovane-10", "1", "daily", "90")).await);
    let second = id(&visit.prescribe(form("amlokeel-5", "1", "daily", "90")).await);
    let items = json!({ "items": [{ "id": first, "pharmacyId": pharmacy }, { "id": second, "pharmacyId": pharmacy }] });
    visit.clinician.post(&visit.path("/prescriptions/sign"), items).await.ok();
    let both = |c: &Value| c["prescriptions"].as_array().unwrap().iter().all(|p| p["state"] == "sent");
    visit.clinician.until(&visit.path("/chart"), both).await;
    assert!((0..2).all(|n| product.outside.pharmacy_says(n, "renew")));
    let list = visit.clinician.until("/api/renewals", |l| l.as_array().unwrap().len() == 2).await;
    let today = visit.clinician.get("/api/today").await;
    let groups = today["waiting"].as_array().unwrap().iter().filter(|w| w["group"] == "Renewals asked for").count();
    assert_eq!(groups, 2);
    // Somebody else neither sees nor answers them.
    let other = Hand::sign_in(&product, "tobias").await;
    assert_eq!(other.get("/api/renewals").await.as_array().unwrap().len(), 0);
    let of = |list: &Value, begins: &str| {
        let found = list.as_array().unwrap().iter().find(|r| r["medicine"].as_str().unwrap().starts_with(begins));
        found.unwrap().clone()
    };
    let (lisinopril, amlodipine) = (of(&list, "Lisovane"), of(&list, "Amlokeel"));
    let answer = |items: Value| json!({ "items": items });
    // A chart that is closed tells nothing, and nothing is answered for it.
    restrict(&product, &visit.person).await;
    let shut = visit.clinician.get("/api/renewals").await;
    assert!(shut[0]["closed"] == true && shut[0]["medicine"] == "" && shut[0]["findings"] == json!([]), "{shut}");
    let blind =
        visit.clinician.post("/api/renewals/answer", answer(json!([{ "id": id(&amlodipine), "answer": "yes" }]))).await;
    assert_eq!(blind.status, 404);
    visit.clinician.post(&visit.whose("open-chart"), json!({ "reason": "my patient" })).await.ok();
    let theirs = other.post("/api/renewals/answer", answer(json!([{ "id": id(&amlodipine), "answer": "yes" }]))).await;
    assert_eq!(theirs.status, 404);
    // What became known since is checked: she is pregnant now.
    visit.clinician.post(&visit.whose("states"), json!({ "state": "pregnant", "holds": true })).await.ok();
    let now = of(&visit.clinician.get("/api/renewals").await, "Lisovane");
    assert_eq!(
        (&now["findings"][0]["kind"], &now["findings"][0]["severity"]),
        (&json!("pregnancy"), &json!("serious"))
    );
    let refused =
        visit.clinician.post("/api/renewals/answer", answer(json!([{ "id": id(&lisinopril), "answer": "yes" }]))).await;
    assert_eq!(refused.body["fields"][0]["field"], "overrideReason");
    let unsaid =
        visit.clinician.post("/api/renewals/answer", answer(json!([{ "id": id(&lisinopril), "answer": "no" }]))).await;
    assert_eq!(unsaid.body["fields"][0]["field"], "reason");
    let said = json!([
        { "id": id(&lisinopril), "answer": "no", "reason": "pregnant: another medicine" },
        { "id": id(&amlodipine), "answer": "yes" },
    ]);
    visit.clinician.post("/api/renewals/answer", answer(said.clone())).await.ok();
    assert_eq!(visit.clinician.post("/api/renewals/answer", answer(said)).await.status, 422, "answered once");
    let heard = |_: &Value| {
        let memory = product.outside.lock();
        let told = |text: &str| memory.received.iter().any(|(part, what)| *part == "pharmacy" && what.contains(text));
        told("not renewed") && memory.prescriptions.iter().any(|p| p.replaces.as_deref() == Some(second.as_str()))
    };
    let chart = visit.clinician.until(&visit.path("/chart"), heard).await;
    assert_eq!(chart["prescriptions"].as_array().unwrap().len(), 2, "what is renewed without a visit is of none");
    assert_eq!(visit.clinician.get("/api/renewals").await.as_array().unwrap().len(), 0);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_controlled_substance_is_printed_or_signed_with_the_second_factor() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.with_pressure().await;
    let check = visit.path("/prescriptions/check");
    let found = visit.clinician.get("/api/products?q=oxycodone%205%20tab").await;
    assert_eq!((&found[0]["schedule"], &found[0]["ingredients"]), (&json!("II"), &json!(["oxycodone"])));
    let code = found[0]["code"].as_str().unwrap();
    let mut refilled = form(code, "1", "q6h", "3");
    refilled["refills"] = json!("1");
    assert_eq!(visit.clinician.post(&check, refilled).await.body["fields"][0]["field"], "refills");
    // The quick line writes it all the same; signing refuses what the schedule does not allow.
    let line = "oxycodone 5mg 1 tab q6h 3d 2 refills";
    visit.clinician.post(&visit.path("/quick-line"), json!({ "text": line, "keep": true })).await.ok();
    let drafted = id(&visit.chart_of().await["prescriptions"][0]);
    let sign = visit.path("/prescriptions/sign");
    let on_paper = json!({ "items": [{ "id": drafted, "pharmacyId": null }] });
    assert_eq!(visit.clinician.post(&sign, on_paper).await.body["fields"][0]["field"], "refills");
    visit.clinician.ask("DELETE", &format!("/api/prescriptions/{drafted}"), None).await.ok();
    let item = id(&visit.prescribe(form(code, "1", "q6h", "3")).await);
    let to =
        |pharmacy: &Value, factor: &str| json!({ "items": [{ "id": item, "pharmacyId": pharmacy }], "code": factor });
    let pharmacy = visit.pharmacy().await;
    for factor in ["", "123456"] {
        let refused = visit.clinician.post(&sign, to(&pharmacy, factor)).await;
        assert_eq!(
            (refused.status, &refused.body["fields"][0]["field"]),
            (422, &json!("code")),
            "{}",
            refused.detail()
        );
    }
    visit.clinician.post(&sign, to(&Value::Null, "")).await.ok();
    assert_eq!(visit.chart_of().await["prescriptions"][0]["state"], "printed");
    // Who has no DEA number signs none at all.
    let other = Hand::sign_in(&product, "maelis").await;
    let theirs = id(&other.post(&visit.path("/prescriptions"), form(code, "1", "q6h", "3")).await.ok());
    let refused = other.post(&sign, json!({ "items": [{ "id": theirs, "pharmacyId": null }] })).await;
    assert!(refused.body.to_string().contains("DEA number"), "{}", refused.body);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_is_typed_is_read_or_its_field_is_named() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.with_pressure().await;
    let check = visit.path("/prescriptions/check");
    for (field, dose, often, days) in [
        ("dose", "0", "tid", "7"),
        ("dose", "-1", "tid", "7"),
        ("dose", "1e9", "tid", "7"),
        ("dose", "some", "tid", "7"),
        ("dose", "2-1", "tid", "7"),
        ("dose", "300 mg", "tid", "7"),
        ("often", "1", "now and then", "7"),
        ("days", "1", "tid", ""),
        ("days", "1", "tid", "0"),
        ("days", "1", "tid", "400"),
        ("days", "1", "tid", "seven"),
    ] {
        let told = visit.clinician.post(&check, form("amoxelle-500", dose, often, days)).await;
        assert_eq!(told.body["fields"][0]["field"], field, "{dose} {often} {days}: {}", told.body);
    }
    assert_eq!(
        visit.clinician.post(&check, form("gone-1", "1", "tid", "7")).await.body["fields"][0]["field"],
        "productCode"
    );
    // Quantity and days say each other.
    let mut by_quantity = form("amoxelle-500", "1", "tid", "");
    by_quantity["quantity"] = json!("30");
    let read = visit.checked(by_quantity).await;
    assert_eq!((&read["days"], &read["quantity"], &read["unit"]), (&json!(10), &json!(30), &json!("capsule")));
    // A taper, as needed, with food: read back in words.
    let mut taper = form("predwick-20", "2", "in the morning", "3");
    taper["then"] = json!([{ "dose": "1", "often": "in the morning", "days": "3" }, { "dose": "1/2", "often": "morning", "days": "4" }]);
    taper["food"] = json!("with_food");
    let read = visit.checked(taper).await;
    assert_eq!(
        (&read["instructions"], &read["quantity"]),
        (
            &json!(
                "Take 2 tablets by mouth in the morning with food for 3 days, then 1 tablet in the morning for 3 days, then 0.5 tablet in the morning for 4 days."
            ),
            &json!(11)
        )
    );
    let mut needed = form("ibudrift-400", "1-2", "q6h", "5");
    needed["asNeeded"] = json!(true);
    needed["neededFor"] = json!("pain");
    needed["mostPerDay"] = json!("6");
    let read = visit.checked(needed).await;
    assert_eq!(read["quantity"], 30);
    assert!(
        read["instructions"].as_str().unwrap().contains("if needed for pain, no more than 6 tablets a day, for 5 days"),
        "{read}"
    );
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn pregnancy_is_asked_where_it_matters_and_holds_for_its_time() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.with_pressure().await;
    let lisinopril = || form("lisovane-10", "1", "daily", "90");
    let about = |checked: &Value, kind: &str, severity: &str| {
        checked["findings"].as_array().unwrap().iter().any(|f| f["kind"] == kind && f["severity"] == severity)
    };
    let checked = visit.checked(lisinopril()).await;
    assert!(checked["findings"].to_string().contains("Whether she is pregnant is not known"), "{checked}");
    let say = visit.whose("states");
    let states = visit.chart_of().await["states"].clone();
    assert_eq!((&states[0]["state"], &states[0]["holds"]), (&json!("pregnant"), &Value::Null), "nobody has said");
    visit.assistant.post(&say, json!({ "state": "pregnant", "holds": false })).await.ok();
    let checked = visit.checked(lisinopril()).await;
    assert!(!checked["findings"].to_string().contains("pregnan"), "{checked}");
    visit.assistant.post(&say, json!({ "state": "pregnant", "holds": true, "due": "+12w" })).await.ok();
    let checked = visit.checked(lisinopril()).await;
    assert!(about(&checked, "pregnancy", "serious") && checked["needsOverride"] == true, "{checked}");
    for (wrong, field) in [
        (json!({ "state": "pregnant", "holds": true, "due": "+3y" }), "due"),
        (json!({ "state": "pregnant", "holds": false, "due": "+12w" }), "due"),
        (json!({ "state": "tired", "holds": true }), "state"),
    ] {
        assert_eq!(visit.assistant.post(&say, wrong.clone()).await.body["fields"][0]["field"], field, "{wrong}");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_was_overridden_before_is_told_to_the_next_prescriber() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.with_pressure().await;
    visit
        .assistant
        .post(
            &visit.whose("allergies"),
            json!({ "substance": "penicillin", "reaction": "hives", "severity": "moderate" }),
        )
        .await
        .ok();
    let amoxicillin = || form("amoxelle-500", "1", "tid", "7");
    let item = id(&visit.prescribe(amoxicillin()).await);
    // What becomes known after it was written stands on the draft too.
    visit.assistant.post(&visit.whose("states"), json!({ "state": "pregnant", "holds": false })).await.ok();
    visit
        .assistant
        .post(&visit.whose("allergies"), json!({ "substance": "amoxicillin", "reaction": "rash", "severity": "mild" }))
        .await
        .ok();
    let both = visit.chart_of().await["prescriptions"][0]["warnings"].clone();
    let serious = both.as_array().unwrap().iter().filter(|w| w["severity"] == "serious").count();
    assert_eq!(serious, 2, "{both}");
    let serious = visit.chart_of().await["prescriptions"][0]["warnings"][0].clone();
    assert_eq!((&serious["kind"], &serious["severity"]), (&json!("allergy"), &json!("serious")));
    let sign = visit.path("/prescriptions/sign");
    let with = |overrides: Value| json!({ "items": [{ "id": item, "pharmacyId": null, "overrides": overrides }] });
    let unsaid = visit.clinician.post(&sign, with(json!([{ "about": "else", "reason": "fine" }]))).await;
    assert_eq!(unsaid.body["fields"][0]["field"], "overrideReason", "a reason for another pair is none");
    let one = json!([{ "about": serious["about"], "reason": "tolerated in 2024" }]);
    let half = visit.clinician.post(&sign, with(one)).await;
    assert_eq!(half.body["fields"][0]["field"], "overrideReason", "each its own reason");
    let each = both.as_array().unwrap().iter().filter(|w| w["severity"] == "serious");
    let said: Value = each.map(|w| json!({ "about": w["about"], "reason": "tolerated in 2024" })).collect();
    visit.clinician.post(&sign, with(said)).await.ok();
    let again = visit.checked(amoxicillin()).await;
    let before = &again["findings"][0]["before"];
    assert_eq!(
        (&before["reason"], &again["findings"][0]["severity"]),
        (&json!("tolerated in 2024"), &json!("serious"))
    );
    product.stop().await.unwrap();
}
