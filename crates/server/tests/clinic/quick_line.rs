//! The quick line of a visit: what is kept, by whom, what is not and why, and taking back.

use crate::building::Visit;
use crate::flow::visit_of;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

fn list<'a>(value: &'a Value, name: &str) -> &'a Vec<Value> {
    value[name].as_array().unwrap_or_else(|| panic!("a list {name} in {value}"))
}

fn texts(value: &Value, name: &str, field: &str) -> Vec<String> {
    list(value, name).iter().map(|v| v[field].as_str().unwrap_or_default().to_owned()).collect()
}

struct Desk {
    doctor: Hand,
    visit: String,
    person: String,
}

impl Desk {
    async fn of(product: &Product, login: &str, who: &str) -> Desk {
        let doctor = Hand::sign_in(product, login).await;
        let (visit, person) = visit_of(&doctor, who).await;
        Desk { doctor, visit, person }
    }

    async fn keep(&self, text: &str) -> Value {
        let path = format!("/api/visits/{}/quick-line", self.visit);
        self.doctor.post(&path, json!({ "text": text, "keep": true })).await.ok()
    }

    async fn take_back(&self, kept: &Value) -> crate::Reply {
        let path = format!("/api/visits/{}/quick-line/taken-back", self.visit);
        self.doctor.post(&path, json!({ "done": kept["done"] })).await
    }

    async fn chart(&self) -> Value {
        self.doctor.get(&format!("/api/visits/{}/chart", self.visit)).await
    }
}

#[actix_web::test]
async fn a_whole_line_is_kept_and_taken_back() {
    let product = Product::start().await.unwrap();
    let desk = Desk::of(&product, "tobias", "Sorrentino").await;
    let before = desk.chart().await;
    let kept = desk
        .keep("bp 142/88 sitting; dx htn; order bmp; lisinopril 10 daily 90d; allergy latex rash; takes metformin 500 bid; \
               problem gout since 2019; mother asthma; appendectomy 1998; fu 3mo bp; refer derm mole")
        .await;
    let lost: Vec<&Value> = list(&kept, "items").iter().filter(|i| !i["notKept"].is_null()).collect();
    assert_eq!((lost.len(), &kept["left"]), (0, &json!("")), "{lost:?}");
    let chart = desk.chart().await;
    assert_eq!(texts(&chart, "diagnoses", "code"), ["I10"]);
    let order = &list(&chart, "orders")[0];
    assert_eq!((&order["order"]["testCode"], &order["codes"]), (&json!("BMP"), &json!(["I10"])), "in its lane");
    assert_eq!(list(&chart, "prescriptions")[0]["diagnosis"], "I10");
    assert!(list(&chart, "measurements").iter().any(|m| m["manner"] == "sitting"));
    let problems = list(&chart, "problems");
    let gout = problems.iter().find(|p| p["code"] == "M10.9").unwrap();
    assert_eq!((&gout["since"], &gout["visitId"]), (&json!("2019"), &Value::Null));
    assert!(problems.iter().any(|p| p["code"] == "I10"), "a diagnosis that lasts joins the list");
    assert!(texts(&chart, "histories", "kind").contains(&"surgical".to_owned()));
    let plan = list(&chart, "parts").iter().find(|p| p["part"] == "plan").unwrap();
    assert_eq!(plan["body"], "Follow-up in 90 days for bp\nReferral to dermatology, mole");
    desk.take_back(&kept).await.ok();
    let after = desk.chart().await;
    for name in
        ["measurements", "diagnoses", "orders", "prescriptions", "allergies", "medicines", "problems", "histories"]
    {
        assert_eq!(list(&after, name).len(), list(&before, name).len(), "{name}");
    }
    assert_ne!(desk.take_back(&kept).await.status, 200, "once");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_is_doubtful_or_not_allowed_says_why_and_stays_in_the_line() {
    let product = Product::start().await.unwrap();
    let desk = Desk::of(&product, "petra", "Sorrentino").await;
    let kept = desk.keep("hr 72; hr 720; dx htn; order cbc; allergy latex; feels well").await;
    assert_eq!((&kept["kept"], &kept["left"]), (&json!(3), &json!("hr 720; dx htn; feels well")));
    let why = |kind: &str| {
        let of = |i: &&Value| i["kind"] == kind && !i["notKept"].is_null();
        list(&kept, "items").iter().find(of).map(|i| i["notKept"].as_str().unwrap().to_owned()).unwrap_or_default()
    };
    assert_eq!(why("diagnosis"), "A clinical assistant does not write and sign notes, order and prescribe.");
    assert!(why("measure").contains("please check"));
    let prepared = desk.chart().await["orders"].as_array().unwrap().last().unwrap()["order"].clone();
    assert_eq!((&prepared["state"], &prepared["preparedBy"]), (&json!("draft"), &json!("Petra Lindqvist")));
    let again = desk.keep("allergy Latex").await;
    assert_eq!(list(&again, "items")[0]["notKept"], "An allergy to Latex stands here already.");
    assert_eq!(again["kept"], 0);
    let none = desk.keep("nkda").await;
    assert_eq!(list(&none, "items")[0]["notKept"], "The list of allergies is not empty.");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn nothing_is_kept_beside_a_signed_note_or_in_somebody_elses_visit() {
    let product = Product::start().await.unwrap();
    let desk = Desk::of(&product, "tobias", "Sorrentino").await;
    let kept = desk.keep("order cbc; mother asthma").await;
    let (other, _) = visit_of(&desk.doctor, "Winterbourne").await;
    let elsewhere = Desk { doctor: desk.doctor.clone(), visit: other, person: String::new() };
    assert_eq!(
        elsewhere.take_back(&kept).await.status,
        404,
        "what was put down in one visit is not taken back in another"
    );
    let chart = desk.chart().await;
    assert_eq!(list(&chart, "orders").len(), 1);
    assert_eq!(texts(&chart, "histories", "kind"), ["family"]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_diagnosis_picked_by_mistake_leaves_no_problem() {
    let product = Product::start().await.unwrap();
    let desk = Desk::of(&product, "tobias", "Sorrentino").await;
    let diagnoses = format!("/api/visits/{}/diagnoses", desk.visit);
    let set = |codes: Value| desk.doctor.put(&diagnoses, json!({ "codes": codes }));
    set(json!(["M10.9", "J45.20"])).await.ok();
    set(json!(["J45.20"])).await.ok();
    assert_eq!(texts(&desk.chart().await, "problems", "code"), ["J45.20"]);
    // Told before, it stays whatever a visit picks and takes back.
    desk.keep("problem gout since 2019").await;
    set(json!(["J45.20", "M10.9"])).await.ok();
    set(json!(["J45.20"])).await.ok();
    let mut left = texts(&desk.chart().await, "problems", "code");
    left.sort();
    assert_eq!(left, ["J45.20", "M10.9"]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_history_is_ended_with_a_reason_and_every_version_is_read() {
    let product = Product::start().await.unwrap();
    let desk = Desk::of(&product, "petra", "Sorrentino").await;
    desk.keep("smoker 10/day").await;
    let entry = list(&desk.chart().await, "histories")[0]["entryId"].as_str().unwrap().to_owned();
    let path = format!("/api/people/{}/histories/{entry}", desk.person);
    assert_eq!(desk.doctor.post(&format!("{path}/end"), json!({ "reason": " " })).await.status, 422);
    desk.doctor.post(&format!("{path}/end"), json!({ "reason": "has stopped" })).await.ok();
    assert_eq!(list(&desk.chart().await, "histories").len(), 0);
    assert_eq!(desk.doctor.post(&format!("{path}/end"), json!({ "reason": "twice" })).await.status, 422);
    desk.doctor.post(&format!("{path}/not-ended"), json!({})).await.ok();
    assert_eq!(list(&desk.chart().await, "histories").len(), 1);
    let versions = desk.doctor.get(&path).await;
    let told: Vec<(i64, Option<&str>)> =
        versions.as_array().unwrap().iter().map(|v| (v["version"].as_i64().unwrap(), v["ended"].as_str())).collect();
    assert_eq!(told, [(3, None), (2, Some("has stopped")), (1, None)]);
    let somebody = id(&desk.doctor.person("Winterbourne").await);
    let other = format!("/api/people/{somebody}/histories/{entry}");
    assert_eq!(desk.doctor.ask("get", &other, None).await.status, 404, "of another person");
    for change in ["update histories set ended = 'x'", "delete from histories", "truncate histories"] {
        assert!(crate::guards::run(&product.database_url, change).await.unwrap_err().contains("append-only"));
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn own_favourites_come_first() {
    let product = Product::start().await.unwrap();
    let desk = Desk::of(&product, "tobias", "Sorrentino").await;
    let first = |found: Value| found[0]["code"].as_str().unwrap().to_owned();
    // A rare sibling, and this clinician's own.
    desk.doctor.put(&format!("/api/visits/{}/diagnoses", desk.visit), json!({ "codes": ["M10.311"] })).await.ok();
    assert_eq!(first(desk.doctor.get("/api/codes?q=gout").await), "M10.311");
    let other = Hand::sign_in(&product, "oriane").await;
    assert_eq!(first(other.get("/api/codes?q=gout").await), "M10.9");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn odd_lines_end_in_a_sentence_and_lose_nothing() {
    let product = Product::start().await.unwrap();
    let desk = Desk::of(&product, "petra", "Sorrentino").await;
    let long = format!("allergy {}", "x".repeat(300));
    let kept = desk.keep(&long).await;
    assert_eq!(list(&kept, "items")[0]["notKept"], "This is too long for one fact; write it in the note.");
    assert_eq!(kept["left"], json!(long));
    let kept = desk.keep("allergy la\u{0}tex; mother \u{202e}asthma 🫀").await;
    assert_eq!(kept["kept"], 2, "{kept}");
    let story = "ä ".repeat(10_000);
    let kept = desk.keep(&story).await;
    assert_eq!((kept["kept"].as_i64(), kept["left"].as_str().map(|l| l.matches('ä').count())), (Some(0), Some(10_000)));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_problem_that_another_visit_diagnosed_too_stays() {
    let product = Product::start().await.unwrap();
    let desk = Desk::of(&product, "tobias", "Sorrentino").await;
    let path = format!("/api/visits/{}/diagnoses", desk.visit);
    desk.doctor.put(&path, json!({ "codes": ["M10.9"] })).await.ok();
    // Another visit of the same person, which diagnosed it as well.
    let (other, _) = visit_of(&desk.doctor, "Winterbourne").await;
    let sql = format!(
        "update visits set person_id = '{}' where id = '{other}';
         insert into note_runs (visit_id, code, title, position) values ('{other}', 'M10.9', 'Gout, unspecified', 1)",
        desk.person
    );
    crate::guards::run(&product.database_url, &sql).await.unwrap();
    desk.doctor.put(&path, json!({ "codes": [] })).await.ok();
    assert_eq!(texts(&desk.chart().await, "problems", "code"), ["M10.9"]);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn taking_back_needs_what_putting_down_needs_and_reaches_only_ones_own() {
    let product = Product::start().await.unwrap();
    let desk = Desk::of(&product, "tobias", "Sorrentino").await;
    let kept = desk
        .keep("dx gout; order cbc; lisinopril 10 daily 90d; problem asthma; takes metformin 500; allergy latex; mother asthma; fu 3mo bp")
        .await;
    let assistant = Desk::of(&product, "petra", "Sorrentino").await;
    let before = desk.chart().await;
    for one in list(&kept, "done") {
        let reply = assistant.take_back(&json!({ "done": [one] })).await;
        assert!([403, 404, 422].contains(&reply.status), "{one}: {} {}", reply.status, reply.body);
    }
    let after = desk.chart().await;
    for name in ["diagnoses", "orders", "prescriptions", "problems", "medicines", "allergies", "histories", "parts"] {
        assert_eq!(after[name], before[name], "{name}");
    }
    desk.take_back(&kept).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_order_goes_under_the_diagnosis_that_it_was_said_to_be_for() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10", "E78.5"]).await;
    let line = visit.path("/quick-line");
    let keep = async |text: &str| visit.clinician.post(&line, json!({ "text": text, "keep": true })).await.ok();
    // A lipid panel usually lies under the lipids; it was said to be for the pressure.
    keep("order lipids for htn").await;
    let order = async || visit.clinician.get(&visit.path("/chart")).await["orders"].clone();
    assert_eq!(order().await[0]["codes"], json!(["I10"]));
    // What it is for is not dropped where the visit does not have it.
    let left = keep("order cbc for gout").await;
    assert!(left["items"][0]["notKept"].as_str().unwrap().contains("no diagnosis M10.9 yet"), "{left}");
    assert_eq!(order().await.as_array().unwrap().len(), 1);
    product.stop().await.unwrap();
}
