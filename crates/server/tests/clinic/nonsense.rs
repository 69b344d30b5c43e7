//! Every route of the API document, asked with nonsense: for each field of each form, and each parameter, values of the
//! wrong kind, size and meaning. Whatever comes, the answer is a problem that says something, and never a 500.

use crate::flow::visit_of;
use crate::{Hand, id};
use harbor_core::house::permissions::Role;
use harbor_demo::attack::api::{Api, NOBODY, encoded, fields, nonsense, with};
use harbor_demo::testing::Product;
use harbor_server::routes::{Access, ROUTES, Route};
use serde_json::{Value, json};

struct Hands {
    all: Vec<(Role, Hand)>,
    /// Ids of what is there, by the noun of the address.
    there: Vec<(&'static str, String)>,
}

impl Hands {
    async fn open(product: &Product) -> Hands {
        let logins = [
            (Role::FrontDesk, "junia"),
            (Role::Assistant, "petra"),
            (Role::Clinician, "oriane"),
            (Role::Biller, "agathe"),
            (Role::Manager, "soren"),
        ];
        let mut all = Vec::new();
        for (role, login) in logins {
            all.push((role, Hand::sign_in(product, login).await));
        }
        let doctor = all[2].1.clone();
        let (visit, person) = visit_of(&doctor, "Ferreira").await;
        let chart = doctor.get(&format!("/api/visits/{visit}/chart")).await;
        let clinic = doctor.get("/api/clinic").await;
        let seen = all[0].1.get(&format!("/api/visits/{visit}")).await;
        let slot = doctor.open_slot().await;
        let supply = all[4].1.get("/api/supply").await;
        let there = vec![
            ("orders", id(&chart["orders"][0]["order"])),
            ("results", id(&chart["reports"][0])),
            ("coverages", id(&seen["coverages"][0]["coverage"])),
            ("sites", id(&clinic["sites"][0])),
            ("visit-types", id(&clinic["visitTypes"][0])),
            ("slots", id(&slot)),
            ("shifts", slot["shiftId"].as_str().unwrap().to_owned()),
            ("supply", id(&supply["templates"][0])),
            ("claims", id(&all[3].1.get("/api/claims").await[0]["claim"])),
            ("people", person),
            ("visits", visit),
        ];
        Hands { all, there }
    }

    /// Somebody who may use a route.
    fn who_may(&self, access: &Access) -> &Hand {
        let may = |role: Role| access.permission().is_none_or(|p| role.may(p));
        // The manager last, since a clinic is not to be set to nonsense before it was asked.
        &self.all.iter().find(|(role, _)| may(*role)).expect("somebody may").1
    }

    fn address(&self, pattern: &str) -> String {
        let noun = pattern.split('/').nth(2).unwrap_or("");
        let found = self.there.iter().find(|(n, _)| *n == noun).map_or(NOBODY, |(_, id)| id.as_str());
        let path = pattern.replace("{id}", found).replace("{part}", "plan").replace("{code}", "SPLINT");
        ["{measurement}", "{allergy}", "{medicine}", "{other}", "{token}"]
            .iter()
            .fold(path, |p, n| p.replace(n, NOBODY))
            .replace("{side}", "front")
            .replace("{reference}", "x")
    }
}

/// Routes that end the walk, or never answer.
fn is_left_out(pattern: &str) -> bool {
    ["/live", "/sign-out", "/sign-in", "/session/lock", "/settings/doors"].iter().any(|end| pattern.ends_with(end))
}

/// What is wrong with an answer to nonsense, if anything is.
fn fault(reply: &crate::Reply) -> Option<&'static str> {
    let kind = reply.body["type"].as_str().unwrap_or("");
    match reply.status {
        500.. => Some("breaks"),
        400.. if reply.detail().is_empty() => Some("refuses without a word"),
        400.. if !kind.starts_with("urn:indigo-harbor:") => Some("refuses without a kind"),
        _ => None,
    }
}

/// Every fault, so that all are told at once.
#[derive(Default)]
struct Faults(Vec<String>);

impl Faults {
    fn note(&mut self, reply: &crate::Reply, what: impl FnOnce() -> String) {
        if let Some(fault) = fault(reply) {
            self.0.push(format!("{} {fault}: {}", what(), reply.body));
        }
    }

    fn none(self) {
        assert!(self.0.is_empty(), "{} answers are wrong:\n{}", self.0.len(), self.0.join("\n"));
    }
}

#[actix_web::test]
async fn no_form_brings_the_server_down() {
    let product = Product::start().await.unwrap();
    let (hands, api) = (Hands::open(&product).await, Api::load());
    let (mut asked, mut faults) = (0, Faults::default());
    for Route { method, pattern, access, .. } in ROUTES.iter().filter(|r| r.method != "get" && !is_left_out(r.pattern))
    {
        let hand = hands.who_may(access);
        let path = hands.address(pattern);
        let content = &api.operation(method, pattern)["requestBody"]["content"];
        let form = match content["application/json"]["schema"].clone() {
            Value::Null => json!({}),
            schema => api.sample(&schema, 0),
        };
        let mut places = Vec::new();
        fields(&form, "", &mut places);
        for at in places.iter().take(40) {
            for value in nonsense() {
                let body = with(&form, at, &value);
                let shown: String = value.to_string().chars().take(24).collect();
                let reply = hand.ask(method, &path, Some(body)).await;
                faults.note(&reply, || format!("{method} {pattern} {at} = {shown}"));
                asked += 1;
            }
        }
        for bytes in [&b""[..], b"{", b"\xff\xfe\x00", b"null", b"[1,", b"\"x\""] {
            let reply = hand.send_as(&method.to_uppercase(), &path, "application/json", bytes.to_vec()).await;
            faults.note(&reply, || format!("{method} {pattern} with {bytes:?}"));
        }
        let reply = hand.send_as(&method.to_uppercase(), &path, "image/png", b"\x89PNG\r\n\x1a\n".to_vec()).await;
        faults.note(&reply, || format!("{method} {pattern} with a picture"));
    }
    faults.none();
    assert!(asked > 3_000, "{asked} forms were sent");
    // After all of it the clinic still works.
    let view = hands.all[0].1.get("/api/schedule").await;
    assert!(!view["slots"].as_array().unwrap().is_empty());
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn no_question_brings_the_server_down() {
    let product = Product::start().await.unwrap();
    let (hands, api) = (Hands::open(&product).await, Api::load());
    let words = [
        "",
        " ",
        "%",
        "x",
        "-1",
        "0",
        "1e9",
        "99999999999999999999",
        "2026-02-30",
        "-262143-01-01",
        "+262142-12-31",
        "true",
        "[]",
        "\u{0}",
        "é\u{301}\u{202E}",
        NOBODY,
        "';--",
    ];
    let (mut asked, mut faults) = (0, Faults::default());
    for Route { method, pattern, access, .. } in ROUTES.iter().filter(|r| r.method == "get" && !is_left_out(r.pattern))
    {
        let hand = hands.who_may(access);
        let parameters = api.operation(method, pattern)["parameters"].as_array().cloned().unwrap_or_default();
        let path = hands.address(pattern);
        for parameter in parameters.iter().filter(|p| p["in"] == "query") {
            let name = parameter["name"].as_str().unwrap();
            for word in words {
                let reply = hand.ask("get", &format!("{path}?{name}={}", encoded(word)), None).await;
                faults.note(&reply, || format!("{pattern}?{name}={word:?}"));
                asked += 1;
            }
            let long = "x".repeat(20_000);
            let reply = hand.ask("get", &format!("{path}?{name}={long}"), None).await;
            assert!(reply.status < 500, "{pattern}?{name}= very long: {}", reply.status);
        }
        // What is asked for in the address itself.
        for part in ["{id}", "{code}", "{token}", "{side}"].iter().filter(|p| pattern.contains(**p)) {
            for word in words {
                let strange = hands.address(&pattern.replace(part, &encoded(word)));
                let reply = hand.ask("get", &strange, None).await;
                if reply.status >= 500 {
                    faults.note(&reply, || strange);
                }
                asked += 1;
            }
        }
    }
    faults.none();
    assert!(asked > 800, "{asked} questions were asked");
    product.stop().await.unwrap();
}
