//! A clinic's own tables of medicines: tried, refused with their place, counting from their day, followed by the server.

use crate::building::Visit;
use crate::id;
use chrono::NaiveDate;
use harbor_demo::testing::Product;
use harbor_server::commands::medicines::importing::import;
use serde_json::{Value, json};
use std::path::PathBuf;

const PRODUCTS: &str = include_str!("../../../../data/prescribing/products.csv");

/// A folder with one table in it.
fn folder(name: &str, content: &str) -> PathBuf {
    let folder = std::env::temp_dir().join(format!("harbor-tables-{}", uuid::Uuid::now_v7().simple()));
    std::fs::create_dir_all(&folder).unwrap();
    std::fs::write(folder.join(name), content).unwrap();
    folder
}

fn without(code: &str) -> String {
    PRODUCTS.lines().filter(|l| !l.starts_with(&format!("{code},"))).collect::<Vec<_>>().join("\n")
}

fn has(found: &Value, code: &str) -> bool {
    found.as_array().unwrap().iter().any(|p| p["code"] == code)
}

#[actix_web::test]
async fn a_product_that_is_withdrawn_between_search_and_signature_is_refused() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    visit.clinician.put(&visit.path("/diagnoses"), json!({ "codes": ["I10"] })).await.ok();
    let form = json!({ "productCode": "lisovane-10", "dose": "1", "often": "daily", "days": "90", "diagnosis": "I10" });
    let draft = id(&visit.clinician.post(&visit.path("/prescriptions"), form).await.ok());
    let today = NaiveDate::from_ymd_opt(2026, 11, 23);
    let tables = folder("products.csv", &without("lisovane-10"));
    let url = &product.database_url;
    // Tried, it says that a draft is of it, and keeps nothing; tomorrow's does not count today.
    assert!(import(url, &tables, today, true).await.unwrap(), "a draft is of what goes");
    assert!(import(url, &tables, today.and_then(|d| d.succ_opt()), false).await.unwrap());
    tokio::time::sleep(std::time::Duration::from_secs(2)).await;
    let search = "/api/products?q=lisovane";
    assert!(has(&visit.clinician.get(search).await, "lisovane-10"));
    import(url, &tables, today, false).await.unwrap();
    let found = visit.clinician.until(search, |l| !has(l, "lisovane-10")).await;
    assert!(has(&found, "lisovane-20"), "the others stay");
    let items = json!({ "items": [{ "id": draft, "pharmacyId": null }] });
    let refused = visit.clinician.post(&visit.path("/prescriptions/sign"), items).await;
    assert_eq!(refused.body["fields"][0]["field"], "productCode", "{}", refused.body);
    // The chart still opens, and what cannot be signed is taken away.
    assert_eq!(visit.clinician.get(&visit.path("/chart")).await["prescriptions"].as_array().unwrap().len(), 1);
    visit.clinician.ask("DELETE", &format!("/api/prescriptions/{draft}"), None).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn tables_that_cannot_be_read_name_their_place_and_change_nothing() {
    let product = Product::start().await.unwrap();
    let url = &product.database_url;
    for (name, content, said) in [
        ("products.csv", "code,brand\na,b\n".to_owned(), "products.csv, line 1"),
        ("products.csv", PRODUCTS.replace(",oral,1,1,90", ",oral,one,1,90"), "products.csv, line 2"),
        (
            "doses.csv",
            "medicine,from,until,by,low,high,single,times,most\nmoonlight,18y,,mg,1,2,1,1,\n".into(),
            "moonlight",
        ),
        ("product.csv", PRODUCTS.to_owned(), "product.csv is no table"),
        ("notes.txt", "nothing".into(), "holds no table"),
    ] {
        let tables = folder(name, &content);
        let error = import(url, &tables, None, false).await.unwrap_err().to_string();
        assert!(error.contains(said), "{said}: {error}");
    }
    let lines = PRODUCTS.replace("lisovane-10,Lisovane", "lisovane-10,Lisomoor");
    assert!(!import(url, &folder("products.csv", &lines), None, true).await.unwrap(), "nothing that is in use goes");
    product.stop().await.unwrap();
}
