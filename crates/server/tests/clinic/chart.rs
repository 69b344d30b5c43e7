//! The chart: measuring, allergies and medicines, orders in their lanes, results and their people.

use crate::flow::visit_of;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

fn list<'a>(value: &'a Value, name: &str) -> &'a Vec<Value> {
    value[name].as_array().unwrap_or_else(|| panic!("a list {name} in {value}"))
}

#[actix_web::test]
async fn the_quick_line_reads_back_before_it_keeps() {
    let product = Product::start().await.unwrap();
    let assistant = Hand::sign_in(&product, "petra").await;
    let (visit, _) = visit_of(&assistant, "Sorrentino").await;
    let path = format!("/api/visits/{visit}/quick-line");
    let line = |text: &'static str, keep: bool| {
        let (hand, path) = (assistant.clone(), path.clone());
        async move { hand.post(&path, json!({ "text": text, "keep": keep })).await.ok() }
    };
    let read = line("bp 152/94 t 99.5f w 150lb h 5ft11", false).await;
    assert_eq!(read["kept"], 0, "reading back keeps nothing");
    let said: Vec<&str> = list(&read, "items").iter().map(|i| i["sentence"].as_str().unwrap()).collect();
    assert_eq!(said[0], "Blood pressure, systolic 152 mmHg, high");
    assert!(said.contains(&"Temperature 37.5 °C") && said.contains(&"Weight 68 kg"), "{said:?}");
    assert!(list(&read, "items").iter().any(|i| i["convertedFrom"] == "99.5f"), "{read}");
    let kept = line("bp 152/94 w 68kg h 180cm hr 720", true).await;
    assert_eq!(kept["kept"], 5, "two pressures, weight, height and the index; the impossible rate is asked about");
    let impossible = list(&kept, "items").iter().find(|i| i["standing"] == "impossible").unwrap();
    assert!(impossible["sentence"].as_str().unwrap().contains("please check"));
    let chart = assistant.get(&format!("/api/visits/{visit}/chart")).await;
    let of = |measure: &str| list(&chart, "measurements").iter().find(|m| m["measure"] == measure).cloned();
    assert_eq!(of("bmi").unwrap()["tenths"], 210);
    assert_eq!(of("systolic").unwrap()["standing"], "high");
    assert!(of("heart_rate").is_none());
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_struck_measurement_no_longer_counts_and_history_stays_with_the_person() {
    let product = Product::start().await.unwrap();
    let assistant = Hand::sign_in(&product, "petra").await;
    let (visit, _) = visit_of(&assistant, "Sorrentino").await;
    let path = format!("/api/visits/{visit}");
    let line = json!({ "text": "w 98kg mother asthma smoker 10/day", "keep": true });
    assert_eq!(assistant.post(&format!("{path}/quick-line"), line).await.ok()["kept"], 3);
    let chart = assistant.get(&format!("{path}/chart")).await;
    let told: Vec<&Value> = list(&chart, "histories").iter().map(|h| &h["detail"]).collect();
    assert_eq!((&told[0]["relative"], &told[0]["condition"]), (&json!("mother"), &json!("asthma")), "{told:?}");
    assert_eq!((&told[1]["topic"], &told[1]["amount"]), (&json!("tobacco"), &json!("10/day")), "{told:?}");
    let weight = list(&chart, "measurements").iter().find(|m| m["measure"] == "weight").unwrap();
    let strike = format!("{path}/measurements/{}", id(weight));
    assistant.ask("delete", &strike, None).await.ok();
    let after = assistant.get(&format!("{path}/chart")).await;
    assert!(!list(&after, "measurements").iter().any(|m| m["id"] == weight["id"]));
    assert_eq!(assistant.ask("delete", &strike, None).await.status, 404, "struck once");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn allergies_and_medicines_change_state_and_keep_their_history() {
    let product = Product::start().await.unwrap();
    let assistant = Hand::sign_in(&product, "petra").await;
    let (visit, person) = visit_of(&assistant, "Sorrentino").await;
    let allergies = format!("/api/people/{person}/allergies");
    let wrong = assistant.post(&allergies, json!({ "substance": "", "severity": "awful" })).await;
    let at_fault: Vec<&str> = list(&wrong.body, "fields").iter().map(|f| f["field"].as_str().unwrap()).collect();
    assert_eq!((wrong.status, at_fault), (422, vec!["substance", "severity"]));
    let latex = json!({ "substance": "latex", "reaction": "rash", "severity": "mild" });
    let latex = id(&assistant.post(&allergies, latex).await.ok());
    let chart = || async { assistant.get(&format!("/api/visits/{visit}/chart")).await };
    assert!(chart().await["allergies"].to_string().contains("latex"));
    assistant.post(&format!("{allergies}/{latex}/end"), json!({ "reason": "tested" })).await.ok();
    assert!(!chart().await["allergies"].to_string().contains("latex"), "ended, not asked about at every visit");
    let medicines = format!("/api/people/{person}/medicines");
    assert_eq!(assistant.post(&medicines, json!({ "productCode": "no-such" })).await.status, 422);
    let herb =
        id(&assistant.post(&medicines, json!({ "name": "a herbal tea", "note": "from a neighbour" })).await.ok());
    let one = format!("{medicines}/{herb}");
    assert_eq!(assistant.put(&one, json!({ "state": "eaten" })).await.status, 422);
    assistant.put(&one, json!({ "state": "stopped" })).await.ok();
    let found = chart().await;
    let tea = list(&found, "medicines").iter().find(|m| m["id"] == herb.as_str()).unwrap();
    assert_eq!((&tea["state"], &tea["note"]), (&json!("stopped"), &json!("from a neighbour")));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_order_lies_under_what_it_is_for_and_says_when_it_does_not() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let (visit, _) = visit_of(&doctor, "Ferreira").await;
    let path = format!("/api/visits/{visit}");
    let chart = doctor.get(&format!("{path}/chart")).await;
    let order = |name: &str| list(&chart, "orders").iter().find(|o| o["order"]["testName"] == name).unwrap().clone();
    assert_eq!(order("Lipid panel")["codes"], json!(["E78.5"]));
    let lipids = format!("/api/orders/{}", id(&order("Lipid panel")["order"]));
    doctor.put(&format!("{lipids}/diagnoses"), json!({ "codes": ["G47.33"] })).await.ok();
    let moved = doctor.get(&format!("{path}/chart")).await;
    let misfit =
        list(&moved, "orders").iter().find(|o| o["order"]["testName"] == "Lipid panel").unwrap()["misfit"].clone();
    assert!(misfit.as_str().unwrap().contains("fits better under"), "{misfit}");
    let stranger = doctor.put(&format!("{lipids}/diagnoses"), json!({ "codes": ["J45.20"] })).await;
    assert_eq!(stranger.status, 422, "only the diagnoses of this visit have lanes");
    let fasting = json!([{ "question": "Fasting?", "answer": "yes" }]);
    doctor.put(&format!("{lipids}/answers"), fasting).await.ok();
    let unplaced = doctor.post(&format!("{path}/orders/send"), json!({})).await;
    assert!(unplaced.detail().contains("Thyrotropin"), "an order without a lane is not sent: {}", unplaced.body);
    let thyrotropin = format!("/api/orders/{}", id(&order("Thyrotropin")["order"]));
    doctor.ask("delete", &thyrotropin, None).await.ok();
    let after = doctor.get(&format!("{path}/chart")).await;
    assert!(!after["orders"].to_string().contains("Thyrotropin"));
    assert_eq!(doctor.post(&format!("{path}/orders"), json!({ "items": [] })).await.status, 422);
    assert_eq!(doctor.post(&format!("{path}/orders"), json!({ "items": ["NO-SUCH"] })).await.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_signed_note_takes_addenda_and_no_orders() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let (visit, _) = visit_of(&doctor, "Takahashi").await;
    let path = format!("/api/visits/{visit}");
    assert_eq!(
        doctor.post(&format!("{path}/addenda"), json!({ "body": "x" })).await.status,
        422,
        "nothing to add to yet"
    );
    let colleague = Hand::sign_in(&product, "tobias").await;
    let foreign = colleague.sign_note(&visit).await;
    assert_eq!(foreign.detail(), "Only the clinician of this visit signs its note.");
    let unplanned = doctor.sign_note(&visit).await;
    assert_eq!(unplanned.detail(), "A note needs an assessment or a plan before it is signed.");
    let plan = json!({ "body": "Lung function, then decide about asthma.", "version": 0 });
    doctor.put(&format!("{path}/note/plan"), plan).await.ok();
    doctor.sign_note(&visit).await.ok();
    assert_eq!(doctor.post(&format!("{path}/addenda"), json!({ "body": "  " })).await.status, 422);
    doctor.post(&format!("{path}/addenda"), json!({ "body": "She called: the cough is gone." })).await.ok();
    let chart = doctor.get(&format!("{path}/chart")).await;
    assert_eq!(chart["addenda"][0]["body"], "She called: the cough is gone.");
    let order = doctor.post(&format!("{path}/orders"), json!({ "items": ["K"] })).await;
    assert_eq!(order.body["type"], "urn:indigo-harbor:note-signed");
    product.stop().await.unwrap();
}
