//! A child's growth beside the reference.

use crate::Hand;
use crate::flow::visit_of;
use harbor_demo::testing::Product;
use serde_json::{Value, json};

#[actix_web::test]
async fn a_childs_points_lie_between_the_lines() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "ifeoma").await;
    let (visit, person) = visit_of(&doctor, "Fenna").await;
    let growth = || async { doctor.get(&format!("/api/people/{person}/growth")).await };
    let line = |text: &str| json!({ "text": text, "keep": true });
    let path = format!("/api/visits/{visit}/quick-line");
    assert_eq!(doctor.post(&path, line("w 26kg h 128cm")).await.ok()["kept"], 3, "and the index");
    let view = growth().await;
    let chart = |view: &Value, table: &str| {
        view["charts"].as_array().unwrap().iter().find(|c| c["table"] == table).cloned().unwrap_or_default()
    };
    for (table, value) in
        [("weight_for_age_2_20y_kg", 26.0), ("stature_for_age_2_20y_cm", 128.0), ("bmi_for_age_2_20y_kg_m2", 15.9)]
    {
        let of = chart(&view, table);
        let last = of["points"].as_array().unwrap().last().unwrap().clone();
        assert_eq!(last["value"], value, "{table}");
        let (percentile, z) = (last["percentile"].as_f64().unwrap(), last["z"].as_f64().unwrap());
        assert!((20.0..80.0).contains(&percentile) && z.abs() < 1.0, "{table}: {last}");
        assert_eq!(of["lines"].as_array().unwrap().len(), 9);
    }
    assert!(view["reference"].as_str().unwrap().contains("2000"));
    // Far heavier at once: two lines and more are crossed, and that is told.
    doctor.post(&path, line("w 45kg")).await.ok();
    let told = chart(&growth().await, "weight_for_age_2_20y_kg")["told"].to_string();
    assert!(told.contains("major percentile lines up"), "{told}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn without_a_birth_date_or_a_sex_nothing_is_guessed() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "tobias").await;
    let (visit, person) = visit_of(&doctor, "Sorrentino").await;
    let told = doctor.get(&format!("/api/people/{person}/growth")).await;
    assert_eq!(told["missing"], "The reference ends at 20 years.");
    for (what, sentence) in [
        ("birth_date = current_date - 900, sex = null", "The sex is not known, and the reference differs by it."),
        ("birth_date = null", "The birth date is not known, so growth cannot be compared."),
    ] {
        let sql = format!("update people set {what} where id = '{person}'");
        crate::guards::run(&product.database_url, &sql).await.unwrap();
        assert_eq!(doctor.get(&format!("/api/people/{person}/growth")).await["missing"], sentence);
    }
    let line = json!({ "text": "hr 120 w 30kg", "keep": true });
    let kept = doctor.post(&format!("/api/visits/{visit}/quick-line"), line).await.ok();
    let standing: Vec<&Value> = kept["items"].as_array().unwrap().iter().map(|i| &i["standing"]).collect();
    assert_eq!(standing, [&json!("unjudged"), &json!("usual")], "no age is guessed, and no index from an old height");
    product.stop().await.unwrap();
}
