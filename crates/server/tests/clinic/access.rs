//! Who may do what: every route for every role.

use crate::Hand;
use harbor_core::permissions::Role;
use harbor_demo::testing::Product;
use harbor_server::routes::{Access, ROUTES, document};
use serde_json::json;

fn concrete(pattern: &str) -> String {
    let nobody = "00000000-0000-7000-8000-000000000000";
    ["{id}", "{measurement}", "{allergy}", "{medicine}"]
        .iter()
        .fold(pattern.to_owned(), |path, part| path.replace(part, nobody))
        .replace("{part}", "plan")
        .replace("{code}", "I10")
}

#[actix_web::test]
async fn every_route_opens_for_its_roles_and_no_other() {
    let product = Product::start().await.unwrap();
    let logins = [
        (Role::FrontDesk, "junia"),
        (Role::Assistant, "petra"),
        (Role::Clinician, "oriane"),
        (Role::Biller, "agathe"),
        (Role::Manager, "soren"),
    ];
    let nobody = reqwest::Client::new();
    for (role, login) in logins {
        let hand = Hand::sign_in(&product, login).await;
        for (method, pattern, access) in ROUTES {
            // The live stream never ends, and signing out ends the walk.
            if pattern.ends_with("/live") || pattern.ends_with("/sign-out") || pattern.ends_with("/sign-in") {
                continue;
            }
            let body = (*method != "get").then(|| json!({}));
            let reply = hand.ask(method, &concrete(pattern), body).await;
            let refused = reply.status == 403;
            let may = match access {
                Access::Public | Access::Stranger | Access::SignedIn => true,
                Access::Needs(p) => role.may(*p),
            };
            assert_eq!(refused, !may, "{role}: {method} {pattern} gave {} {}", reply.status, reply.body);
            assert_ne!(reply.status, 500, "{role}: {method} {pattern} {}", reply.body);
            assert_ne!(reply.status, 401, "{role}: {method} {pattern}");
        }
    }
    for (method, pattern, access) in ROUTES {
        let method = method.to_uppercase().parse().unwrap();
        if !matches!(access, Access::Public | Access::Stranger) {
            let answer =
                nobody.request(method, format!("{}{}", product.address(), concrete(pattern))).send().await.unwrap();
            assert_eq!(answer.status(), 401, "{pattern}");
        }
    }
    product.stop().await.unwrap();
}

#[test]
fn the_api_document_holds_every_route() {
    let document = document();
    for (method, pattern, _) in ROUTES {
        let item = document.paths.paths.get(*pattern).unwrap_or_else(|| panic!("{pattern} is not documented"));
        let documented = match *method {
            "get" => item.get.is_some(),
            "post" => item.post.is_some(),
            "put" => item.put.is_some(),
            _ => item.delete.is_some(),
        };
        assert!(documented, "{method} {pattern}");
    }
    let count: usize = document
        .paths
        .paths
        .values()
        .map(|i| [&i.get, &i.post, &i.put, &i.delete].into_iter().filter(|o| o.is_some()).count())
        .sum();
    assert_eq!(count, ROUTES.len());
}

#[actix_web::test]
async fn sign_in_is_throttled_and_a_change_needs_the_csrf_word() {
    let product = Product::start().await.unwrap();
    let mut hand = Hand::sign_in(&product, "junia").await;
    hand.csrf = "guessed".into();
    let reply = hand.post("/api/sign-out", json!({})).await;
    assert_eq!((reply.status, reply.body["type"].as_str()), (403, Some("urn:indigo-harbor:csrf")));
    for wanted in [401, 401, 401, 401, 401, 401, 401, 401, 429] {
        let reply = hand.post("/api/sign-in", json!({ "login": "casimir", "password": "wrong" })).await;
        assert_eq!(reply.status, wanted);
    }
    let reply = hand.post("/api/sign-in", json!({ "login": "casimir", "password": "harbor" })).await;
    assert_eq!(reply.status, 429, "the right password waits too");
    let reply = hand.post("/api/sign-in", json!({ "login": "nobody", "password": "harbor" })).await;
    assert_eq!(reply.status, 401);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_chart_look_is_recorded_and_a_manager_reads_it() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let wren = doctor.person("Takahashi").await;
    let visits = doctor.get(&format!("/api/people/{}/visits", crate::id(&wren))).await;
    doctor.get(&format!("/api/visits/{}/chart", crate::id(&visits[0]["visit"]))).await;
    let manager = Hand::sign_in(&product, "soren").await;
    let looks = manager.get(&format!("/api/people/{}/looks", crate::id(&wren))).await;
    assert_eq!(looks[0]["action"], "looked at");
    assert_eq!(looks[0]["staffName"], "Dr. Oriane Valcourt");
    product.stop().await.unwrap();
}
