//! Who may do what: every route for every role and for nobody, in every spelling of its address.

use crate::Hand;
use harbor_core::house::permissions::Role;
use harbor_demo::attack::spellings::{LOGINS, concrete, ends_the_walk, raw, spellings};
use harbor_demo::testing::Product;
use harbor_server::routes::{Access, ROUTES, Route, document};
use harbor_store::people::whose::Whose;
use serde_json::json;
use std::sync::atomic::{AtomicU16, Ordering};

fn may(role: Role, access: Access) -> bool {
    access.permission().is_none_or(|p| role.may(p))
}

#[actix_web::test]
async fn every_route_opens_for_its_roles_and_no_other() {
    let product = Product::start().await.unwrap();
    let nobody = reqwest::Client::new();
    for (role, login) in LOGINS {
        let hand = Hand::sign_in(&product, login).await;
        for route in ROUTES.iter().filter(|r| !ends_the_walk(r)) {
            let body = (route.method != "get").then(|| json!({}));
            let reply = hand.ask(route.method, &concrete(route.pattern), body).await;
            let refused = reply.status == 403;
            let said = format!("{role}: {} {} gave {} {}", route.method, route.pattern, reply.status, reply.body);
            assert_eq!(refused, !may(role, route.access), "{said}");
            assert_ne!(reply.status, 500, "{said}");
            assert_ne!(reply.status, 401, "{said}");
            // What is of one person's is refused when it is not there, before any handler.
            if may(role, route.access) && route.access.whose().is_of_one() {
                assert_eq!(reply.status, 404, "{said}");
            }
        }
    }
    for route in ROUTES.iter().filter(|r| !matches!(r.access, Access::Public | Access::Stranger)) {
        let method = route.method.to_uppercase().parse().unwrap();
        let address = format!("{}{}", product.address(), concrete(route.pattern));
        let answer = nobody.request(method, address).send().await.unwrap();
        assert_eq!(answer.status(), 401, "{}", route.pattern);
        assert_eq!(answer.headers()["cache-control"], "no-store", "{}", route.pattern);
        assert_eq!(answer.headers()["x-content-type-options"], "nosniff", "{}", route.pattern);
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn no_spelling_of_an_address_opens_what_its_route_does_not() {
    let product = Product::start().await.unwrap();
    let mut hands = vec![None];
    for (role, login) in LOGINS {
        hands.push(Some((role, Hand::sign_in(&product, login).await)));
    }
    let asked = AtomicU16::new(0);
    for route in ROUTES.iter().filter(|r| !ends_the_walk(r) && r.access != Access::Public) {
        for hand in &hands {
            let more = hand
                .as_ref()
                .map_or(String::new(), |(_, h)| format!("cookie: {}\r\nx-harbor-csrf: {}\r\n", h.cookie, h.csrf));
            for path in spellings(&concrete(route.pattern)) {
                let (status, text) =
                    raw(product.address(), &route.method.to_uppercase(), &path, "127.0.0.1", &more).await.unwrap();
                // Refused as an address that is none, whoever asks: no handler ran.
                assert!(matches!(status, 400 | 404), "{} {path}: {status} {text}", route.method);
                assert!(text.contains("x-content-type-options: nosniff"), "{path}: {text}");
                asked.fetch_add(1, Ordering::Relaxed);
            }
        }
    }
    assert!(asked.load(Ordering::Relaxed) > 10_000, "every route, six hands, fourteen spellings");
    // The words of the first attack, with patients in the answer.
    for path in ["/%61pi/people?q=farrukh", "/api//people?q=farrukh", "/./api/people?q=farrukh", "/%66eeds/x"] {
        let (status, text) = raw(product.address(), "GET", path, "127.0.0.1", "").await.unwrap();
        assert_eq!(status, 400, "{path} {text}");
    }
    // Another name for the same machine, in the header or in the address.
    let doctor = hands.into_iter().flatten().find(|(r, _)| *r == Role::Clinician).unwrap().1;
    let cookie = format!("cookie: {}\r\n", doctor.cookie);
    let own = product.address().trim_start_matches("http://").to_owned();
    assert_eq!(raw(product.address(), "GET", "/api/me", &own, &cookie).await.unwrap().0, 200);
    for (path, host) in
        [("/api/me", "evil.example.org"), ("http://evil.example.org/api/me", own.as_str()), ("/api/me", "")]
    {
        let (status, text) = raw(product.address(), "GET", path, host, &cookie).await.unwrap();
        assert_eq!(status, 421, "{path} {host} {text}");
    }
    let twice = format!("{cookie}host: evil.example.org\r\n");
    assert!(matches!(raw(product.address(), "GET", "/api/me", &own, &twice).await.unwrap().0, 400 | 421));
    product.stop().await.unwrap();
}

#[test]
fn the_table_says_whose_record_every_address_with_an_id_reaches() {
    let nouns = ["people", "visits", "orders", "prescriptions", "results", "coverages", "payments", "claims", "series"];
    for route in ROUTES {
        let noun = route.pattern.split('/').nth(2).unwrap_or("");
        if nouns.contains(&noun) && route.pattern.contains("{id}") {
            assert!(route.access.whose().is_of_one(), "{} {} says not whose", route.method, route.pattern);
        }
        if let Access::Chart(_, Whose::Several) = route.access {
            // Those that answer about several people leave out what is closed; each has a test of its own.
            let tested = [
                "/api/results",
                "/api/results/review-usual",
                "/api/orders/open",
                "/api/orders/to-sign",
                "/api/orders/hands",
                "/api/orders/signed",
                "/api/renewals",
                "/api/renewals/answer",
            ];
            assert!(tested.contains(&route.pattern), "{} needs a test", route.pattern);
        }
    }
}

#[test]
fn the_api_document_holds_every_route() {
    let document = document();
    for Route { method, pattern, .. } in ROUTES {
        let item = document.paths.paths.get(*pattern).unwrap_or_else(|| panic!("{pattern} is not documented"));
        let documented = match *method {
            "get" => item.get.is_some(),
            "post" => item.post.is_some(),
            "put" => item.put.is_some(),
            "patch" => item.patch.is_some(),
            _ => item.delete.is_some(),
        };
        assert!(documented, "{method} {pattern}");
    }
    let count: usize = document
        .paths
        .paths
        .values()
        .map(|i| [&i.get, &i.post, &i.put, &i.patch, &i.delete].into_iter().filter(|o| o.is_some()).count())
        .sum();
    assert_eq!(count, ROUTES.len());
}

#[actix_web::test]
async fn a_change_needs_the_csrf_word() {
    let product = Product::start().await.unwrap();
    let mut hand = Hand::sign_in(&product, "junia").await;
    hand.csrf = "guessed".into();
    let reply = hand.post("/api/sign-out", json!({})).await;
    assert_eq!((reply.status, reply.body["type"].as_str()), (403, Some("urn:indigo-harbor:csrf")));
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
    let chart = looks.as_array().unwrap().iter().find(|l| l["entity"] == "chart").expect("a look at the chart");
    assert_eq!((&chart["action"], &chart["staffName"]), (&json!("looked at"), &json!("Dr. Oriane Valcourt")));
    product.stop().await.unwrap();
}
