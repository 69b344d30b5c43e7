//! Text templates: offered for the reason, written with what the chart says and never over what was typed, told while unfilled.

use crate::building::Visit;
use crate::{Hand, Reply, restrict};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

fn form(title: &str, body: &str) -> Value {
    json!({ "title": title, "complaints": "hiccups", "clinic": false, "texts": [{ "part": "history", "body": body }] })
}

impl Visit {
    async fn put_text(&self, entry: &Value) -> Reply {
        let path = self.path(&format!("/texts/{}", entry.as_str().unwrap()));
        self.clinician.post(&path, json!({ "run": null })).await
    }

    async fn body(&self, part: &str) -> String {
        let chart = self.clinician.get(&self.path("/chart")).await;
        let found = chart["parts"].as_array().unwrap().iter().find(|p| p["part"] == part).cloned();
        found.map_or(String::new(), |p| p["body"].as_str().unwrap().to_owned())
    }
}

async fn titles(hand: &Hand, words: &str) -> Vec<String> {
    let found = hand.get(&format!("/api/texts?words={words}")).await;
    found.as_array().unwrap().iter().map(|t| t["template"]["title"].as_str().unwrap().to_owned()).collect()
}

#[actix_web::test]
async fn a_template_goes_after_what_was_typed_with_what_the_chart_says() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.noted("history", "Came by bus.").await;
    let hand = &visit.clinician;
    let body = "Pressure {= blood pressure}, weight {= weight}. {side: left | right}. {? No fever.}";
    let made = hand.post("/api/texts", form("Hiccups", body)).await.ok();
    let line = json!({ "text": "bp 128/82", "keep": true });
    hand.post(&visit.path("/quick-line"), line).await.ok();
    let done = visit.put_text(&made["entryId"]).await.ok()["done"].clone();
    let filled = "Came by bus.\nPressure 128/82, weight {weight: not known}. {side: left | right}. {? No fever.}";
    assert_eq!(visit.body("history").await, filled);
    // What nobody filled is told, and what the chart does not know is not made up.
    let chart = hand.get(&visit.path("/chart")).await;
    let kinds: Vec<&str> =
        chart["toFill"][0]["fields"].as_array().unwrap().iter().map(|f| f["kind"].as_str().unwrap()).collect();
    assert_eq!(kinds, ["words", "choice", "optional"]);
    hand.post(&visit.path("/quick-line/taken-back"), json!({ "done": done })).await.ok();
    assert_eq!(visit.body("history").await, "Came by bus.");
    // By its name from the quick line; between two that answer alike nothing is guessed.
    hand.post("/api/texts", form("Hiccups of old", "Old {how long}.")).await.ok();
    let line = visit.path("/quick-line");
    let kept = |text: &'static str| hand.post(&line, json!({ "text": text, "keep": true }));
    let asked = kept("template hicc").await.ok();
    assert!(asked["items"][0]["notKept"].as_str().unwrap().starts_with("Which one: Hiccups"), "{asked}");
    let none = kept("template zebra").await.ok();
    assert_eq!(none["items"][0]["notKept"], "No template answers to “zebra”.");
    let one = kept("template hiccups of old").await.ok();
    assert_eq!(one["done"][0]["sentence"], "Old {how long}.");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_fits_the_reason_is_told_to_nobody_whose_chart_is_closed() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await;
    let pressure = json!({ "title": "Pressure", "complaints": "high blood pressure", "clinic": false,
        "texts": [{ "part": "history", "body": "Pressure." }] });
    visit.clinician.post("/api/texts", pressure).await.ok();
    let path = format!("/api/texts?visit={}", visit.id);
    let fitting = async || {
        let all = visit.clinician.get(&path).await;
        all.as_array().unwrap().iter().filter(|t| t["fitsReason"] == true).count()
    };
    assert!(fitting().await >= 1);
    restrict(&product, &visit.person).await;
    assert_eq!(fitting().await, 0);
    let why = json!({ "reason": "I am to see her" });
    visit.clinician.post(&format!("/api/people/{}/open-chart", visit.person), why).await.ok();
    assert!(fitting().await >= 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn ones_own_is_ones_own_and_the_clinics_is_everybodys() {
    let product = Product::start().await.unwrap();
    let oriane = Hand::sign_in(&product, "oriane").await;
    let other = Hand::sign_in(&product, "tobias").await;
    let manager = Hand::sign_in(&product, "soren").await;
    assert!(titles(&oriane, "").await.len() >= 12, "the clinic has its own");
    assert_eq!(titles(&oriane, "sore thr").await, ["Sore throat"]);
    let nowhere = oriane.ask("get", &format!("/api/texts?visit={}", uuid::Uuid::nil()), None).await;
    assert_eq!(nowhere.status, 404);
    let made = oriane.post("/api/texts", form("Hiccups", "For {how long}.")).await.ok();
    assert_eq!(titles(&oriane, "hiccups").await, ["Hiccups"]);
    assert!(titles(&other, "hiccups").await.is_empty());
    let path = format!("/api/texts/{}", made["entryId"].as_str().unwrap());
    let of = |body: &str, version: i32| {
        let mut form = form("Hiccups", body);
        form["version"] = json!(version);
        form
    };
    assert_eq!(other.put(&path, of("Mine now.", 1)).await.status, 404);
    oriane.put(&path, of("Since {since: date}.", 1)).await.ok();
    let stale = oriane.put(&path, of("Once more.", 1)).await;
    assert_eq!((stale.status, &stale.body["current"]["version"]), (409, &json!(2)));
    // A field that the chart does not know, a choice of one, and an empty one are told.
    for (body, says) in [
        ("{= blood group}", "The chart knows no “blood group”"),
        ("{side: left |}", "leaves nothing to choose from"),
        ("{side", "A brace opens or closes no field."),
        (" ", "A template says something in one part at least."),
    ] {
        let refused = oriane.put(&path, of(body, 2)).await;
        assert!(refused.status == 422 && refused.body.to_string().contains(says), "{body}: {}", refused.body);
    }
    // The manager writes the clinic's; who only records does not.
    let mut clinics = form("Hiccups, all", "For {how long}.");
    clinics["clinic"] = json!(true);
    manager.post("/api/texts", clinics.clone()).await.ok();
    assert_eq!(titles(&other, "hiccups").await, ["Hiccups, all"]);
    let assistant = Hand::sign_in(&product, "petra").await;
    assert_eq!(assistant.post("/api/texts", clinics).await.status, 403);
    let mut ended = of("Since {since: date}.", 2);
    ended["ended"] = json!(true);
    oriane.put(&path, ended).await.ok();
    assert_eq!(titles(&oriane, "hiccups").await, ["Hiccups, all"]);
    // Used no more, and taken back. One's own is nobody else's to find again.
    assert_eq!(oriane.get("/api/texts/ended").await[0]["title"], "Hiccups");
    assert_eq!(other.get("/api/texts/ended").await, json!([]));
    oriane.put(&path, of("Since {since: date}.", 3)).await.ok();
    assert_eq!(titles(&oriane, "hiccups").await.len(), 2);
    // What everybody uses is changed for everybody, and becomes nobody's own.
    let all = oriane.get("/api/texts?words=hiccups%20all").await[0]["template"].clone();
    let mut mine = form("Hiccups, all", "Changed {how}.");
    mine["version"] = json!(1);
    oriane.put(&format!("/api/texts/{}", all["entryId"].as_str().unwrap()), mine).await.ok();
    assert_eq!(titles(&other, "hiccups").await, ["Hiccups, all"]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn answers_to_fields_are_looked_at() {
    let product = Product::start().await.unwrap();
    let hand = Hand::sign_in(&product, "oriane").await;
    let answer = |source: &'static str, typed: &'static str| {
        hand.post("/api/texts/answer", json!({ "source": source, "typed": typed }))
    };
    assert_eq!(answer("{temperature: number °C}", "37,4").await.ok()["text"], "37.4 °C");
    let refused = answer("{temperature: number °C}", "warm").await;
    assert_eq!(refused.body["fields"][0]["sentence"], "“warm” is no number; temperature is asked for as one.");
    assert!(answer("{since: date}", "yesterday").await.ok()["text"].as_str().unwrap().len() > 5);
    assert_eq!(answer("no field", "1").await.status, 404);
    product.stop().await.unwrap();
}
