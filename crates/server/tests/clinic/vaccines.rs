//! What was given to protect from something is charged with the giving of it, and no longer when it was not given.

use crate::building::Visit;
use harbor_demo::testing::Product;
use serde_json::{Value, json};

async fn lines(visit: &Visit) -> Vec<(String, i64, Value)> {
    let charges = visit.clinician.get(&visit.path("/charges")).await;
    let of = |l: &Value| {
        let line = &l["line"];
        (line["serviceCode"].as_str().unwrap().to_owned(), line["units"].as_i64().unwrap(), line["pointers"].clone())
    };
    let mut all: Vec<_> = charges["lines"].as_array().unwrap().iter().map(of).collect();
    all.sort_by(|a, b| a.0.cmp(&b.0));
    all
}

async fn told(visit: &Visit, text: &str) -> Value {
    let line = json!({ "text": text, "keep": true });
    visit.assistant.post(&visit.path("/quick-line"), line).await.ok()["done"].clone()
}

fn expected(lines: &[(&str, i64)]) -> Vec<(String, i64, Value)> {
    lines.iter().map(|(code, units)| ((*code).to_owned(), *units, json!([2]))).collect()
}

#[actix_web::test]
async fn a_vaccine_is_charged_with_its_giving_and_not_once_it_is_taken_back() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10", "Z23"]).await;
    told(&visit, "flu shot given here lot FL23 left deltoid; tdap 2019; mmr given here 2026-11-02").await;
    let flu = [("FLUADM", 1), ("FLUVAX", 1)];
    assert_eq!(lines(&visit).await, expected(&flu), "what was given elsewhere or on another day is not of this visit");

    let tdap = told(&visit, "tdap given here lot TD4 right deltoid").await;
    let both = [flu.as_slice(), &[("TDAPVX", 1), ("VACADM", 1)]].concat();
    assert_eq!(lines(&visit).await, expected(&both), "the fund's own giving of the one, the general of the other");
    let more = told(&visit, "mmr given here lot M1; hep a given here lot HA2").await;
    let further = [both.as_slice(), &[("VACMORE", 2)]].concat();
    assert_eq!(lines(&visit).await, expected(&further));

    // One more, and one less: the giving of the further ones follows.
    let polio = told(&visit, "polio given here lot P9").await;
    let three = [both.as_slice(), &[("VACMORE", 3)]].concat();
    assert_eq!(lines(&visit).await, expected(&three));
    visit.assistant.post(&visit.path("/quick-line/taken-back"), json!({ "done": polio })).await.ok();
    assert_eq!(lines(&visit).await, expected(&further));

    for done in [more, tdap] {
        visit.assistant.post(&visit.path("/quick-line/taken-back"), json!({ "done": done })).await.ok();
    }
    assert_eq!(lines(&visit).await, expected(&flu), "what was not given is not charged");
    let sheet = visit.clinician.get(&visit.path("/chart")).await;
    let histories = sheet["histories"].as_array().unwrap();
    let entry = histories.iter().find(|h| h["detail"]["lot"] == "FL23").unwrap()["entryId"].clone();
    let back = format!("/api/people/{}/histories/{}/taken-back", visit.person, entry.as_str().unwrap());
    visit.assistant.post(&back, json!({})).await.ok();
    assert_eq!(lines(&visit).await, []);
    product.stop().await.unwrap();
}
