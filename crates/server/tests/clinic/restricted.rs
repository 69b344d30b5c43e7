//! A chart under restriction: no route reads or writes in it before it was opened with a reason.

use crate::flow::visit_of;
use crate::{Hand, id};
use harbor_core::house::permissions::Role;
use harbor_demo::testing::Product;
use harbor_server::routes::{Access, ROUTES};
use serde_json::{Value, json};

struct Chart {
    person: String,
    visit: String,
    order: String,
    prescription: String,
    report: String,
    allergy: String,
    medicine: String,
    measurement: String,
}

impl Chart {
    /// Lucan's, which has something of everything.
    async fn of_lucan(doctor: &Hand) -> Chart {
        let (visit, person) = visit_of(doctor, "Ferreira").await;
        let form = json!({ "productCode": doctor.get("/api/products?q=amox").await[0]["code"], "dose": "1", "often": "3", "days": "7" });
        let prescription = id(&doctor.post(&format!("/api/visits/{visit}/prescriptions"), form).await.ok());
        let allergy =
            doctor.post(&format!("/api/people/{person}/allergies"), json!({ "substance": "wool" })).await.ok();
        let medicine =
            doctor.post(&format!("/api/people/{person}/medicines"), json!({ "name": "fish oil" })).await.ok();
        let chart = doctor.get(&format!("/api/visits/{visit}/chart")).await;
        let first = |list: &str| id(&chart[list][0]);
        Chart {
            order: id(&chart["orders"][0]["order"]),
            report: first("reports"),
            measurement: first("measurements"),
            allergy: id(&allergy),
            medicine: id(&medicine),
            person,
            visit,
            prescription,
        }
    }

    /// The address of a route, with what it is about filled in.
    fn address(&self, pattern: &str) -> String {
        let about = match pattern.split('/').nth(2) {
            Some("people") => &self.person,
            Some("orders") => &self.order,
            Some("prescriptions") => &self.prescription,
            Some("results") => &self.report,
            _ => &self.visit,
        };
        let filled = pattern.replace("{id}", about).replace("{part}", "plan").replace("{allergy}", &self.allergy);
        filled
            .replace("{medicine}", &self.medicine)
            .replace("{measurement}", &self.measurement)
            .replace("{repeat}", &self.person)
            .replace("{position}", "0")
    }
}

/// Every route that reaches one person's chart, as the table says, with its address.
fn routes(chart: &Chart) -> Vec<(&'static str, String)> {
    ROUTES
        .iter()
        .filter(|r| matches!(r.access, Access::Chart(_, whose) if whose.is_of_one()))
        .map(|r| (r.method, chart.address(r.pattern)))
        .collect()
}

#[actix_web::test]
async fn no_route_reads_or_writes_in_it_before_a_reason_was_given() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let chart = Chart::of_lucan(&doctor).await;
    let before = doctor.get(&format!("/api/visits/{}/chart", chart.visit)).await;
    let registration = format!("/api/people/{}", chart.person);
    let manager = Hand::sign_in(&product, "soren").await;
    let form = json!({ "restricted": true, "reason": "works here himself" });
    manager.post(&format!("{registration}/restriction"), form).await.ok();
    let all = routes(&chart);
    assert!(all.len() >= 18, "{} routes are about a chart", all.len());
    let ask = async |hand: &Hand, method: &str, path: &str| {
        let body = (method != "get").then(|| json!({}));
        hand.ask(method, path, body).await
    };
    for (method, path) in &all {
        let reply = ask(&doctor, method, path).await;
        let kind = reply.body["type"].as_str().unwrap_or("");
        assert_eq!((reply.status, kind), (403, "urn:indigo-harbor:restricted-chart"), "{method} {path} {}", reply.body);
    }
    // Nothing of it changed, and whoever opens it finds it as it was.
    doctor.post(&format!("{registration}/open-chart"), json!({ "reason": "I see him now" })).await.ok();
    let after = doctor.get(&format!("/api/visits/{}/chart", chart.visit)).await;
    assert_eq!(after, before);
    for (method, path) in &all {
        let reply = ask(&doctor, method, path).await;
        assert_ne!(reply.body["type"], "urn:indigo-harbor:restricted-chart", "{method} {path} is open now");
    }
    // It is open to nobody else, and those who may never see a chart do not learn that it is restricted.
    let colleague = Hand::sign_in(&product, "tobias").await;
    let assistant = Hand::sign_in(&product, "petra").await;
    for hand in [&colleague, &assistant] {
        let reply = ask(hand, "get", &format!("/api/visits/{}/chart", chart.visit)).await;
        assert_eq!(reply.body["type"], "urn:indigo-harbor:restricted-chart");
    }
    assert!(!Role::FrontDesk.may(harbor_core::house::permissions::Permission::SeeChart));
    let refused =
        ask(&Hand::sign_in(&product, "junia").await, "get", &format!("/api/visits/{}/chart", chart.visit)).await;
    assert_eq!(refused.body["type"], "urn:indigo-harbor:not-allowed");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_is_not_there_is_not_found_and_other_charts_stay_open() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let nobody = "00000000-0000-7000-8000-000000000009";
    for path in
        [format!("/api/visits/{nobody}/chart"), format!("/api/orders/{nobody}"), format!("/api/prescriptions/{nobody}")]
    {
        let method = if path.ends_with("chart") { "get" } else { "delete" };
        assert_eq!(doctor.ask(method, &path, None).await.status, 404, "{path}");
    }
    assert_eq!(doctor.ask("get", "/api/visits/not-an-id/chart", None).await.status, 404);
    let (visit, _) = visit_of(&doctor, "Takahashi").await;
    let chart = doctor.get(&format!("/api/visits/{visit}/chart")).await;
    assert!(matches!(&chart["medicines"], Value::Array(a) if !a.is_empty()));
    product.stop().await.unwrap();
}
