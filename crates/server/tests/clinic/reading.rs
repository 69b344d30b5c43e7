//! Reading a chart: the past as a line of time, words found in one person's notes, paper of a note and of the chart.

use crate::Hand;
use crate::building::Visit;
use harbor_demo::testing::Product;
use serde_json::{Value, json};

async fn found(hand: &Hand, person: &str, words: &str) -> Vec<Value> {
    hand.get(&format!("/api/people/{person}/notes?words={words}")).await.as_array().unwrap().clone()
}

#[actix_web::test]
async fn the_past_is_read_and_searched_in_one_chart() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.diagnosed(&["I10"]).await;
    let visit = visit.noted("history", "Wheezing at night; a dry cough <b>since</b> May.").await;
    let visit = visit.noted("plan", "Salbutamol as needed.").await.signed().await;
    visit.clinician.post(&visit.path("/addenda"), json!({ "body": "Rang: the wheeze is gone." })).await.ok();
    let person = visit.person.clone();
    let past = visit.clinician.get(&format!("/api/people/{person}/past")).await;
    let first = &past["visits"][0];
    assert_eq!((&first["visitId"], &first["signed"], &past["more"]), (&json!(visit.id), &json!(true), &json!(false)));
    assert_eq!(first["problems"], json!(["Essential (primary) hypertension"]));
    // Forms and beginnings of words, the match shown, addenda too.
    let wheeze = found(&visit.clinician, &person, "wheezes").await;
    let places: Vec<&str> = wheeze.iter().map(|f| f["place"].as_str().unwrap()).collect();
    assert_eq!(places, ["Addendum", "History of present illness"]);
    let hit: Vec<&str> = wheeze[1]["words"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|w| w["found"] == true)
        .map(|w| w["text"].as_str().unwrap())
        .collect();
    assert_eq!(hit, ["Wheezing"]);
    assert_eq!(found(&visit.clinician, &person, "salb%20need").await.len(), 1);
    for nothing in ["zebra", "wheeze%20salbutamol", "%27%20or%201%3D1", "%26%7C%21%3A%2A", "the"] {
        assert!(found(&visit.clinician, &person, nothing).await.is_empty(), "{nothing}");
    }
    // Only within this person's notes, and not for those who have no chart.
    let other = visit.clinician.person("Wren").await["id"].as_str().unwrap().to_owned();
    assert!(found(&visit.clinician, &other, "salbutamol").await.is_empty());
    let path = format!("/api/people/{person}/notes?words=wheeze");
    assert_eq!(visit.desk.ask("get", &path, None).await.status, 403);
    // On paper, and written down that it left.
    for path in [visit.path("/note-paper"), format!("/api/people/{person}/chart-paper")] {
        let (head, paper) = visit.clinician.file(&path).await;
        assert_eq!(head["content-type"], "application/pdf");
        assert!(paper.starts_with(b"%PDF-"), "{path}");
    }
    let manager = Hand::sign_in(&product, "soren").await;
    let looks = manager.get(&format!("/api/people/{person}/looks")).await.to_string();
    assert!(looks.contains("\"printed\""), "{looks}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_chart_at_a_glance_tells_trend_immunisations_and_visits() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    for text in ["bp 150/90; tdap 2021", "bp 140/88"] {
        let line = json!({ "text": text, "keep": true });
        visit.assistant.post(&visit.path("/quick-line"), line).await.ok();
    }
    let glance = visit.clinician.get(&format!("/api/people/{}/chart", visit.person)).await;
    assert_eq!(glance["trends"][0]["tenths"].as_array().unwrap().len(), 2, "{glance}");
    assert!(glance["immunisations"][0].as_str().unwrap().contains("Tdap"));
    assert_eq!(glance["lastVisit"]["id"], json!(visit.id));
    // Readings that were repeated have a mean, beside what is usual for the age.
    let chart = visit.clinician.get(&visit.path("/chart")).await;
    let mean = json!({ "measure": "systolic", "tenths": 1450, "readings": 2 });
    assert_eq!(chart["means"][0], mean);
    let usual = chart["usual"].as_array().unwrap().iter().find(|u| u["measure"] == "systolic").unwrap();
    assert_eq!((&usual["low"], &usual["high"]), (&json!(900), &json!(1299)));
    product.stop().await.unwrap();
}

#[test]
fn what_is_typed_is_words_and_no_sign_of_the_query_language() {
    use harbor_store::words::query;
    assert_eq!(query("asthma night"), "asthma:* & night:*");
    assert_eq!(query("a|b !c <-> ('x')"), "a:* & b:* & c:* & x:*");
    assert_eq!(query(" *:& "), "");
    assert_eq!(query(&"w ".repeat(100)).matches('w').count(), 12);
}
