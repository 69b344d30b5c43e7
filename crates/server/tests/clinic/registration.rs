//! Registration in full: required facts, consents, households, who answers, merging, restriction, death.

use crate::flow::visit_of;
use crate::{Hand, id, restrict};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

fn words(view: &Value) -> Vec<&str> {
    view["gaps"].as_array().unwrap().iter().map(|g| g["word"].as_str().unwrap()).collect()
}

async fn add(desk: &Hand, first: &str, last: &str, born: &str) -> String {
    let form = json!({ "firstName": first, "lastName": last, "birthDate": born, "notATwin": true });
    id(&desk.post("/api/people", form).await.ok())
}

/// Changes some fields of a record as it stands.
async fn change(hand: &Hand, person: &str, changes: Value) -> crate::Reply {
    let path = format!("/api/people/{person}");
    let mut form = changes;
    form["version"] = hand.get(&path).await["form"]["version"].clone();
    hand.patch(&path, form).await
}

#[actix_web::test]
async fn what_is_required_is_the_managers_choice_and_holds_at_once() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let manager = Hand::sign_in(&product, "soren").await;
    let person = add(&desk, "Ines", "Quarrie", "2/13/1999").await;
    let path = format!("/api/people/{person}");
    let before = desk.get(&path).await;
    assert!(words(&before).contains(&"sex") && !words(&before).contains(&"employer"));
    let contact = before["sections"].as_array().unwrap().iter().find(|s| s["code"] == "contact").unwrap();
    assert_eq!(contact["gaps"].as_array().unwrap().len(), 3, "address, telephone, e-mail");
    let settings = "/api/settings/required-fields";
    assert_eq!(desk.put(settings, json!({ "fields": [] })).await.status, 403, "a manager's page");
    let minors = manager.put(settings, json!({ "fields": ["responsibleParty"] })).await;
    assert_eq!(minors.status, 422, "the rule for minors is no choice");
    manager.put(settings, json!({ "fields": ["employer", "emergencyContact"] })).await.ok();
    assert_eq!(words(&desk.get(&path).await), ["emergency contact", "employer"]);
    let given = json!({ "employer": "Boat yard", "emergencyName": "Rune Quarrie", "emergencyPhone": "207 555 0117" });
    change(&desk, &person, given).await.ok();
    assert_eq!(words(&desk.get(&path).await), [""; 0]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn everything_that_was_typed_comes_back_as_it_was_typed() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = add(&desk, "Ines", "Quarrie", "2/13/1999").await;
    let clinic = desk.get("/api/clinic").await;
    let full = json!({
        "genderIdentity": "woman", "pronouns": "she", "maritalStatus": "single", "interpreter": true, "race": "declined",
        "ethnicity": "not_hispanic", "occupation": "boat builder", "employer": "Yard", "outsideId": "X-7",
        "emergencyRelation": "brother", "pharmacyId": clinic["pharmacies"][0]["id"], "usualSiteId": clinic["sites"][1]["id"],
        "outsideClinician": "Dr. Elswick, Marrow Ferry", "referredBy": "self", "heardFrom": "a neighbour", "otherPhone": "207 555 0171"
    });
    change(&desk, &person, full.clone()).await.ok();
    let view = desk.get(&format!("/api/people/{person}")).await;
    for (key, value) in full.as_object().unwrap() {
        let kept = if key == "otherPhone" { &view["person"][key] } else { &view["registration"][key] };
        let wanted = if key == "otherPhone" { json!("2075550171") } else { value.clone() };
        assert_eq!(*kept, wanted, "{key}");
    }
    let wrong =
        change(&desk, &person, json!({ "race": "martian", "maritalStatus": "x", "deceasedOn": "1/1/1990" })).await;
    let fields: Vec<&str> =
        wrong.body["fields"].as_array().unwrap().iter().map(|f| f["field"].as_str().unwrap()).collect();
    assert_eq!((wrong.status, fields), (422, vec!["deceasedOn", "maritalStatus", "race"]));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn birth_dates_and_names_that_cannot_be_are_refused_with_a_sentence() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let long = "x".repeat(400);
    for (first, born, field) in [
        ("Ines", "12/31/2026", "birthDate"),
        ("Ines", "1/1/1890", "birthDate"),
        ("Ines", "31/31/1999", "birthDate"),
        (long.as_str(), "2/13/1999", "firstName"),
        ("", "2/13/1999", "firstName"),
    ] {
        let form = json!({ "firstName": first, "lastName": "Quarrie", "birthDate": born });
        let reply = desk.post("/api/people", form).await;
        let said = reply.body["fields"][0]["sentence"].as_str().unwrap_or("").to_owned();
        assert_eq!((reply.status, reply.body["fields"][0]["field"].as_str()), (422, Some(field)), "{born}");
        assert!(said.len() > 10 && said.ends_with('.'), "{said}");
    }
    let one_letter = json!({ "firstName": "O", "lastName": "Å", "birthDate": "2/13/1999" });
    desk.post("/api/people", one_letter).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn consents_keep_their_history_and_the_newest_counts() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = add(&desk, "Ines", "Quarrie", "2/13/1999").await;
    let path = format!("/api/people/{person}/consents");
    assert_eq!(desk.post(&path, json!({ "kind": "tattoo", "given": true })).await.status, 422);
    desk.post(&path, json!({ "kind": "text", "given": true })).await.ok();
    desk.post(&path, json!({ "kind": "privacy_notice", "given": true })).await.ok();
    desk.post(&path, json!({ "kind": "text", "given": false })).await.ok();
    let view = desk.get(&format!("/api/people/{person}")).await;
    let said: Vec<(&str, bool)> = view["consents"]
        .as_array()
        .unwrap()
        .iter()
        .map(|c| (c["kind"].as_str().unwrap(), c["given"].as_bool().unwrap()))
        .collect();
    assert_eq!(said, [("text", false), ("privacy_notice", true), ("text", true)], "the newest first, none lost");
    assert_eq!(view["consents"][0]["recordedBy"], "Junia Vance");
    assert!(!words(&view).contains(&"privacy notice given"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn nobody_answers_in_a_circle_nor_the_dead_nor_a_child() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let mother = add(&desk, "Runa", "Ropewalk", "3/3/1985").await;
    let child = add(&desk, "Pim", "Ropewalk", "5/5/2019").await;
    let answers = |patient: &str, party: &str| {
        let (desk, patient, party) = (desk.clone(), patient.to_owned(), party.to_owned());
        async move { change(&desk, &patient, json!({ "responsibleId": party })).await }
    };
    answers(&child, &mother).await.ok();
    let circle = answers(&mother, &child).await;
    assert!(circle.detail().contains("a minor cannot answer"), "{}", circle.body);
    let aunt = add(&desk, "Tove", "Ropewalk", "3/3/1980").await;
    answers(&mother, &aunt).await.ok();
    let round = answers(&aunt, &mother).await;
    assert!(round.detail().contains("choose somebody who does not depend on the patient"), "{}", round.body);
    assert!(answers(&aunt, &aunt).await.detail().contains("answers for themselves"));
    change(&desk, &aunt, json!({ "responsibleId": null, "deceasedOn": "11/1/2026" })).await.ok();
    let dead = answers(&child, &aunt).await;
    assert!(dead.detail().contains("is deceased"), "{}", dead.body);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_responsible_party_need_not_be_a_patient() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let form = json!({ "firstName": "Marit", "lastName": "Saltbox", "noPatient": true, "notATwin": true });
    let party = id(&desk.post("/api/people", form).await.ok());
    let child = add(&desk, "Pim", "Saltbox", "5/5/2019").await;
    change(&desk, &child, json!({ "responsibleId": party })).await.ok();
    let view = desk.get(&format!("/api/people/{child}")).await;
    assert_eq!(
        (&view["responsible"]["name"], &view["responsible"]["patient"]),
        (&json!("Saltbox, Marit"), &json!(false))
    );
    assert!(!words(&view).contains(&"responsible party for a minor"));
    let household = view["household"].as_array().unwrap();
    assert_eq!(household[0]["ties"], json!(["responsible party"]));
    let slot = desk.open_slot().await;
    desk.post(
        "/api/visits",
        json!({ "personId": party, "slotId": slot["id"], "reason": "x", "meant": crate::meant() }),
    )
    .await
    .ok();
    let now = desk.get(&format!("/api/people/{party}")).await;
    assert_eq!(now["card"]["patient"], true, "whoever is booked is a patient");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_household_is_seen_from_both_sides_and_moves_together_by_name() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let mother = add(&desk, "Runa", "Ropewalk", "3/3/1985").await;
    let child = add(&desk, "Pim", "Ropewalk", "5/5/2019").await;
    let path = format!("/api/people/{child}/household");
    assert_eq!(desk.post(&path, json!({ "otherId": child, "kind": "sibling" })).await.status, 422);
    assert_eq!(desk.post(&path, json!({ "otherId": mother, "kind": "boss" })).await.status, 422);
    desk.post(&path, json!({ "otherId": mother, "kind": "parent" })).await.ok();
    let ties = |v: &Value| v["household"][0]["ties"].clone();
    assert_eq!(ties(&desk.get(&format!("/api/people/{child}")).await), json!(["parent"]));
    assert_eq!(ties(&desk.get(&format!("/api/people/{mother}")).await), json!(["child"]));
    let moved = json!({ "addressLine": "7 Ropewalk", "city": "Port Calder", "state": "ME", "postalCode": "04998" });
    change(&desk, &mother, moved).await.ok();
    let nobody = desk.post(&format!("/api/people/{mother}/moved-along"), json!({ "people": [] })).await;
    assert_eq!(nobody.status, 422, "each by name, nobody by default");
    desk.post(&format!("/api/people/{mother}/moved-along"), json!({ "people": [child] })).await.ok();
    let there = desk.get(&format!("/api/people/{child}")).await;
    assert_eq!(there["person"]["addressLine"], "7 Ropewalk");
    assert_eq!(there["household"][0]["sameAddress"], true);
    desk.ask("delete", &format!("{path}/{mother}"), None).await.ok();
    assert_eq!(desk.get(&format!("/api/people/{mother}")).await["household"], json!([]));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn two_records_of_one_person_become_one_and_can_be_parted() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let lucan = id(&desk.person("Ferreira").await);
    let twin = add(&desk, "Lukan", "Ferreira-Holm", "2/11/1968").await;
    let payer = desk.get("/api/clinic").await["payers"][1]["id"].clone();
    let second = json!({ "payerId": payer, "subscriberNumber": "BS99", "rank": "S", "startsOn": "1/1/2026" });
    desk.post(&format!("/api/people/{twin}/coverages"), second).await.ok();
    let slot = desk.open_slot().await;
    let booking = json!({ "personId": twin, "slotId": slot["id"], "reason": "x", "meant": crate::meant() });
    let visit = id(&desk.post("/api/visits", booking).await.ok());
    desk.post(&format!("/api/people/{twin}/consents"), json!({ "kind": "online_access", "given": true })).await.ok();
    let coverages = |who: String| {
        let desk = desk.clone();
        async move { desk.get(&format!("/api/people/{who}/coverages")).await.as_array().unwrap().len() }
    };
    let before = coverages(lucan.clone()).await;
    let child = add(&desk, "Pim", "Ferreira-Holm", "5/5/2019").await;
    change(&desk, &child, json!({ "responsibleId": twin })).await.ok();
    let merge = desk
        .post(&format!("/api/people/{lucan}/merge"), json!({ "goneId": twin, "choices": { "first_name": false } }))
        .await
        .ok();
    assert_eq!(coverages(lucan.clone()).await, before + 1, "the policy came along");
    let whose = desk.get(&format!("/api/people/{child}")).await["person"]["responsibleId"].clone();
    assert_eq!(whose, json!(lucan), "the child is still answered for");
    let slot = desk.open_slot().await;
    let gone = desk
        .post("/api/visits", json!({ "personId": twin, "slotId": slot["id"], "reason": "x", "meant": crate::meant() }))
        .await;
    assert_eq!(gone.body["type"], "urn:indigo-harbor:merged", "nobody is booked under the record that is gone");
    let view = desk.get(&format!("/api/people/{lucan}")).await;
    assert_eq!(view["merges"][0]["gone"]["name"], "Ferreira-Holm, Lukan");
    assert!(view["consents"].to_string().contains("online_access"), "consents are read under both records");
    let visits = desk.get(&format!("/api/people/{lucan}/visits")).await.to_string();
    assert!(visits.contains(&visit), "the visit came along");
    let found = desk.get("/api/people?q=lukan%20ferreira").await.to_string();
    assert!(!found.contains(&twin), "the record that is gone is found no longer");
    let again = desk
        .post(&format!("/api/people/{lucan}/merge"), json!({ "goneId": twin, "choices": { "first_name": false } }))
        .await;
    assert_eq!(again.detail(), "One of the records is merged already.");
    desk.ask("delete", &format!("/api/merges/{}", id(&merge)), None).await.ok();
    assert_eq!((coverages(lucan.clone()).await, coverages(twin.clone()).await), (before, 1), "parted as they were");
    let merge = desk
        .post(&format!("/api/people/{lucan}/merge"), json!({ "goneId": twin, "choices": { "first_name": false } }))
        .await
        .ok();
    let slot = desk.open_slot().await;
    desk.post(
        "/api/visits",
        json!({ "personId": lucan, "slotId": slot["id"], "reason": "new", "meant": crate::meant() }),
    )
    .await
    .ok();
    let late = desk.ask("delete", &format!("/api/merges/{}", id(&merge)), None).await;
    assert!(late.detail().contains("Something new hangs on the record"), "{}", late.body);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_parent_and_child_of_one_name_are_not_merged() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let father = add(&desk, "Rune", "Ropewalk", "3/3/1985").await;
    let son = add(&desk, "Rune", "Ropewalk", "5/5/2019").await;
    change(&desk, &son, json!({ "responsibleId": father })).await.ok();
    let reply = desk.post(&format!("/api/people/{father}/merge"), json!({ "goneId": son })).await;
    assert!(reply.detail().contains("so they are two people"), "{}", reply.body);
    let itself = desk.post(&format!("/api/people/{father}/merge"), json!({ "goneId": father })).await;
    assert_eq!(itself.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_restricted_chart_opens_with_a_reason_that_the_manager_reads() {
    let product = Product::start().await.unwrap();
    let assistant = Hand::sign_in(&product, "petra").await;
    let (visit, emeka) = visit_of(&assistant, "Sorrentino").await;
    restrict(&product, &emeka).await;
    let chart = format!("/api/visits/{visit}/chart");
    let closed = assistant.ask("get", &chart, None).await;
    assert_eq!((closed.status, closed.body["type"].as_str()), (403, Some("urn:indigo-harbor:restricted-chart")));
    let seen = assistant.get(&format!("/api/visits/{visit}")).await;
    assert_eq!((&seen["chartClosed"], &seen["allergies"]), (&json!(true), &json!([])));
    let open = format!("/api/people/{emeka}/open-chart");
    assert_eq!(assistant.post(&open, json!({ "reason": " " })).await.status, 422);
    assistant.post(&open, json!({ "reason": "I room him now" })).await.ok();
    assistant.ask("get", &chart, None).await.ok();
    let colleague = Hand::sign_in(&product, "davi").await;
    assert_eq!(colleague.ask("get", &chart, None).await.status, 403, "for the one who gave the reason only");
    let manager = Hand::sign_in(&product, "soren").await;
    let today = manager.get("/api/today").await;
    let told = today["waiting"].as_array().unwrap().iter().find(|w| w["group"] == "Restricted charts opened").unwrap();
    assert_eq!(told["sentence"], "Petra Lindqvist: I room him now");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn death_ends_coverage_and_booking_and_lists_what_is_to_be_cancelled() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let lucan = id(&desk.person("Ferreira").await);
    let slot = desk.open_slot().await;
    let booked = id(&desk
        .post("/api/visits", json!({ "personId": lucan, "slotId": slot["id"], "reason": "x", "meant": crate::meant() }))
        .await
        .ok());
    change(&desk, &lucan, json!({ "deceasedOn": "11/20/2026" })).await.ok();
    let view = desk.get(&format!("/api/people/{lucan}")).await;
    assert!(view["toCancel"].to_string().contains(&booked), "{}", view["toCancel"]);
    let coverages = desk.get(&format!("/api/people/{lucan}/coverages")).await;
    assert_eq!(coverages[0]["coverage"]["endsOn"], "2026-11-20");
    assert_eq!(coverages[0]["countsToday"], false);
    let slot = desk.open_slot().await;
    let refused = desk
        .post("/api/visits", json!({ "personId": lucan, "slotId": slot["id"], "reason": "x", "meant": crate::meant() }))
        .await;
    assert!(refused.detail().contains("deceased") || refused.detail().contains("died"), "{}", refused.body);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_address_has_candidates_and_its_service_may_be_away() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let typed = json!({ "addressLine": "59 chandler st", "city": "Port Calder", "state": "ME", "postalCode": "04998" });
    let answer = desk.post("/api/addresses", typed.clone()).await.ok();
    assert_eq!((&answer["reachable"], &answer["certain"]), (&json!(true), &json!(false)));
    let first = answer["candidates"][0].clone();
    assert_eq!(first["addressLine"], "59 Chandler Street");
    assert_eq!(desk.post("/api/addresses", first).await.ok()["certain"], true, "as the service writes it");
    for mood in [harbor_standins::Mood::Down, harbor_standins::Mood::Nonsense] {
        product.outside.lock().mood = mood;
        let away = desk.post("/api/addresses", typed.clone()).await.ok();
        assert_eq!((&away["reachable"], &away["candidates"]), (&json!(false), &json!([])), "never in the way");
    }
    product.stop().await.unwrap();
}
