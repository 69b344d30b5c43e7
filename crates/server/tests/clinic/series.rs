//! Visits that come again.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

#[actix_web::test]
async fn a_series_is_looked_over_booked_whole_and_its_rest_cancelled() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = desk.person("Brandvold").await["id"].clone();
    let open = desk.get("/api/open-times?from=2026-12-01").await;
    let first = open[0].clone();
    let asked =
        |count: u32, every: u32| json!({ "slotId": first["id"], "every": every, "unit": "weeks", "count": count });
    assert!(desk.post("/api/series/plan", asked(1, 1)).await.detail().contains("2 to 52"));
    assert!(desk.post("/api/series/plan", asked(3, 60)).await.detail().contains("1 to 26 weeks"));
    let plan = desk.post("/api/series/plan", asked(8, 1)).await.ok();
    let lines = plan.as_array().unwrap();
    assert_eq!((lines.len(), &lines[0]["slot"]["id"], &lines[0]["differs"]), (8, &first["id"], &json!("")));
    for line in lines.iter().filter(|l| l["slot"].is_object()) {
        assert_eq!(line["slot"]["visitTypeId"], first["visitTypeId"]);
        assert_eq!(line["slot"]["clinicianId"], first["clinicianId"]);
    }
    // The last of them lies beyond what the clinic makes by itself, and was made for it.
    assert!(lines[7]["slot"].is_object(), "{plan}");
    let far = json!({ "slotId": first["id"], "every": 12, "unit": "months", "count": 3 });
    let far = desk.post("/api/series/plan", far).await.ok();
    assert_eq!(far[2]["differs"], "working time is made at most 400 days ahead", "{far}");
    // One day is left out; the rest is booked at once.
    let slots: Vec<Value> = lines.iter().filter(|l| l["slot"].is_object()).map(|l| l["slot"]["id"].clone()).collect();
    let mut chosen = slots.clone();
    chosen.remove(1);
    let form = |slots: &[Value]| {
        json!({ "personId": person, "every": 1, "unit": "weeks", "slotIds": slots, "reason": "wound care",
        "kind": "video", "minutes": 20, "meant": crate::meant() })
    };
    for (unit, every, sentence) in [
        ("days", 1, "Choose weeks or months."),
        ("weeks", 0, "every 1 to 26 weeks"),
        ("months", 13, "every 1 to 12 months"),
    ] {
        let mut odd = form(&chosen);
        (odd["unit"], odd["every"]) = (unit.into(), every.into());
        assert!(desk.post("/api/series", odd).await.detail().contains(sentence), "every {every} {unit}");
    }
    assert!(desk.post("/api/series", form(&[])).await.detail().contains("at least one visit"));
    let visits = desk.post("/api/series", form(&chosen)).await.ok();
    let visits = visits.as_array().unwrap();
    assert_eq!(visits.len(), chosen.len());
    assert!(visits.iter().all(|v| v["kind"] == "video"), "each is of the kind that was said");
    // One of its times is gone: nothing of it is booked.
    let mut clash = vec![slots[1].clone()];
    clash.push(chosen[0].clone());
    let refused = desk.post("/api/series", form(&clash)).await;
    assert_eq!((refused.status, refused.body["type"].as_str()), (409, Some("urn:indigo-harbor:taken")));
    let single = json!({ "personId": person, "slotId": slots[1], "reason": "still free", "meant": crate::meant() });
    desk.post("/api/visits", single).await.ok();
    let seen = desk.get(&format!("/api/visits/{}/series", id(&visits[1]))).await;
    assert_eq!(seen["visits"].as_array().unwrap().len(), chosen.len());
    let words = seen["series"]["rule"].as_str().unwrap().to_owned();
    assert_eq!(words, format!("every week, {} times", chosen.len()));
    let rest = json!({ "from": visits[1]["startsAt"], "reason": "no longer needed", "byPatient": true });
    let gone = desk.post(&format!("/api/series/{}/cancel-rest", id(&seen["series"])), rest).await.ok();
    assert_eq!(gone["visits"], chosen.len() - 1);
    let after = desk.get(&format!("/api/visits/{}/series", id(&visits[0]))).await;
    let stages: Vec<&str> = after["visits"].as_array().unwrap().iter().map(|v| v["stage"].as_str().unwrap()).collect();
    assert_eq!(stages[0], "booked");
    assert!(stages[1..].iter().all(|s| *s == "cancelled"));
    product.stop().await.unwrap();
}
