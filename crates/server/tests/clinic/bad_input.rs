//! Every field against every kind of bad text: a clear sentence at the field, never a 500.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

fn nasty() -> Vec<String> {
    vec![
        String::new(),
        " ".into(),
        "x".repeat(400),
        "y".repeat(30_000),
        "nul \u{0} inside".into(),
        "bell \u{7}".into(),
        "\u{202E}turned".into(),
        "حساسية".into(),
        "😴🫀".into(),
        "'; drop table people; --".into(),
        "<script>alert(1)</script>".into(),
        "-1".into(),
        "1e999".into(),
        "NaN".into(),
        "99/99/9999".into(),
        "0".into(),
    ]
}

#[actix_web::test]
async fn no_field_brings_the_server_down() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let doctor = Hand::sign_in(&product, "oriane").await;
    let (biller, boss) = (Hand::sign_in(&product, "agathe").await, Hand::sign_in(&product, "soren").await);
    let wren = doctor.person("Takahashi").await;
    let person = id(&wren);
    let visit = id(&doctor.get(&format!("/api/people/{person}/visits")).await[0]["visit"]);
    let payer = desk.get("/api/clinic").await["payers"][0]["id"].clone();
    let site = desk.get("/api/clinic").await["sites"][0]["id"].clone();
    let (slot, site) = (desk.open_slot().await, site.as_str().unwrap());
    let at = |suffix: &str| format!("/api/visits/{visit}/{suffix}");
    let forms: Vec<(&Hand, &str, String, Value, &[&str])> = vec![
        (
            &desk,
            "post",
            "/api/people".into(),
            json!({ "firstName": "Ada", "lastName": "Quill", "notATwin": true }),
            &[
                "firstName",
                "lastName",
                "middleName",
                "preferredName",
                "birthDate",
                "sex",
                "phone",
                "email",
                "addressLine",
                "city",
                "state",
                "postalCode",
                "chartAlert",
                "formerName",
                "language",
                "billingNote",
                "otherPhone",
                "deceasedOn",
                "genderIdentity",
                "pronouns",
                "maritalStatus",
                "race",
                "ethnicity",
                "occupation",
                "employer",
                "outsideId",
                "emergencyName",
                "emergencyPhone",
                "emergencyRelation",
                "outsideClinician",
                "referredBy",
                "heardFrom",
            ],
        ),
        (
            &desk,
            "post",
            format!("/api/people/{person}/coverages"),
            json!({ "payerId": payer, "subscriberNumber": "AB12", "rank": "T", "startsOn": "1/1/2020", "endsOn": "1/2/2020" }),
            &["rank", "subscriberNumber", "groupNumber", "planName", "relationship", "startsOn", "endsOn", "copay"],
        ),
        (
            &desk,
            "post",
            "/api/visits".into(),
            json!({ "personId": person, "slotId": slot["id"], "reason": "", "note": "", "kind": "" }),
            &["note", "kind"],
        ),
        (
            &desk,
            "post",
            format!("/api/sites/{site}/till/closing"),
            json!({ "cash": "1", "card": "", "cheque": "", "transfer": "", "stays": "", "reason": "counted" }),
            &["cash", "card", "cheque", "transfer", "stays", "reason"],
        ),
        (
            &boss,
            "post",
            format!("/api/people/{person}/refunds"),
            json!({ "siteId": site, "amount": "1", "method": "cash", "reference": "", "reason": "x", "key": "00000000-0000-7000-8000-000000000001" }),
            &["amount", "method", "reference", "reason"],
        ),
        (&desk, "post", at("cancel"), json!({ "reason": "x" }), &["reason"]),
        (&doctor, "put", at("note/plan"), json!({ "body": "x", "version": 0 }), &["body"]),
        (&doctor, "post", at("quick-line"), json!({ "text": "x", "keep": true }), &["text"]),
        (&doctor, "post", at("addenda"), json!({ "body": "x" }), &["body"]),
        (
            &doctor,
            "post",
            format!("/api/people/{person}/allergies"),
            json!({ "substance": "dust" }),
            &["substance", "reaction", "severity"],
        ),
        (
            &doctor,
            "post",
            format!("/api/people/{person}/medicines"),
            json!({ "name": "tea" }),
            &["name", "note", "productCode"],
        ),
        (&biller, "put", "/api/services/SPLINT/price".into(), json!({ "price": "1" }), &["price"]),
        (&desk, "post", format!("/api/people/{person}/consents"), json!({ "kind": "text", "given": true }), &["kind"]),
        (
            &desk,
            "post",
            format!("/api/people/{person}/household"),
            json!({ "otherId": person, "kind": "sibling" }),
            &["otherId", "kind"],
        ),
        (&desk, "post", format!("/api/people/{person}/merge"), json!({ "goneId": person }), &["goneId"]),
        (&doctor, "post", format!("/api/people/{person}/open-chart"), json!({ "reason": "x" }), &["reason"]),
        (
            &desk,
            "post",
            "/api/addresses".into(),
            json!({ "addressLine": "7 Ropewalk", "city": "Port Calder" }),
            &["addressLine", "city", "state", "postalCode"],
        ),
    ];
    for (hand, method, path, form, fields) in forms {
        for field in fields {
            for text in nasty() {
                let mut body = form.clone();
                body[*field] = Value::String(text.clone());
                let reply = hand.ask(method, &path, Some(body)).await;
                let shown: String = text.chars().take(20).collect();
                assert!(reply.status < 500, "{method} {path} {field}={shown:?}: {} {}", reply.status, reply.body);
                if reply.status >= 400 {
                    assert!(!reply.detail().is_empty(), "{path} {field}={shown:?} says nothing: {}", reply.body);
                }
            }
        }
    }
    for q in nasty().iter().filter(|q| q.len() < 1000) {
        for path in ["/api/people", "/api/codes", "/api/orderables", "/api/products"] {
            let encoded: String = q.bytes().map(|b| format!("%{b:02X}")).collect();
            let reply = doctor.ask("get", &format!("{path}?q={encoded}"), None).await;
            assert!(reply.status < 500, "{path} {q:?} {}", reply.body);
        }
    }
    for body in ["", "{", "[]", "null", "{\"codes\": 7}"] {
        let reply = doctor.upload(&at("diagnoses"), body.as_bytes().to_vec()).await;
        assert!((400..500).contains(&reply.status));
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_second_of_two_savers_is_shown_what_changed() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let person = id(&desk.person("Brandvold").await);
    let path = format!("/api/people/{person}");
    let form = desk.get(&path).await["form"].clone();
    let version = form["version"].as_i64().unwrap();
    desk.patch(&path, json!({ "version": version, "chartAlert": "the first" })).await.ok();
    let reply = desk.patch(&path, json!({ "version": version, "employer": "Ropewalk Mill" })).await;
    assert_eq!(reply.status, 409);
    assert_eq!(reply.body["type"], "urn:indigo-harbor:stale");
    let current = &reply.body["current"];
    assert_eq!((&current["chartAlert"], &current["employer"]), (&json!("the first"), &form["employer"]));
    // What the second one changed is sent again over what the first one saved; neither is lost.
    let again = json!({ "version": current["version"], "employer": "Ropewalk Mill" });
    let saved = desk.patch(&path, again).await.ok();
    assert_eq!((&saved["chartAlert"], &saved["employer"]), (&json!("the first"), &json!("Ropewalk Mill")));
    let held = desk.get(&path).await["form"].clone();
    assert_eq!(held, saved, "the answer is what the record holds");
    let unreadable = desk.patch(&path, json!({ "version": held["version"], "interpreter": "perhaps" })).await;
    assert_eq!(unreadable.status, 400);
    assert_eq!(desk.get(&path).await["form"], saved);
    product.stop().await.unwrap();
}
