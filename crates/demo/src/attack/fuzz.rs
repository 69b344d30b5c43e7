//! Forms and questions made from the API document and then spoilt: an answer that the document does not declare is a
//! fault, and so is one without a word.

use super::Tally;
use super::api::{Api, NOBODY, encoded, fields, nonsense, with};
use super::hand::Hand;
use super::spellings::ends_the_walk;
use crate::Chance;
use anyhow::Result;
use harbor_core::house::permissions::Role;
use harbor_server::routes::{ROUTES, Route};
use serde_json::{Value, json};

/// Routes after which the walk could not go on as it began: everybody's password, session or second factor.
fn is_left_out(route: &Route) -> bool {
    ends_the_walk(route)
        || ["/api/me/", "/api/staff", "/api/settings/doors", "/api/session"]
            .iter()
            .any(|p| route.pattern.starts_with(p))
            && route.method != "get"
}

/// Ids of things that are there, by the noun of their address.
async fn there(hands: &[Hand]) -> Vec<(&'static str, String)> {
    let [desk, _, doctor, biller, manager] = hands else { return vec![] };
    let id = |v: &Value| v["id"].as_str().unwrap_or(NOBODY).to_owned();
    let person = doctor.get("/api/people?q=Ferreira").await[0]["person"].clone();
    let visits = doctor.get(&format!("/api/people/{}/visits", id(&person))).await;
    let visit = id(&visits[0]["visit"]);
    let chart = doctor.get(&format!("/api/visits/{visit}/chart")).await;
    let clinic = doctor.get("/api/clinic").await;
    let slot = desk.get("/api/open-times").await[0].clone();
    let policies = desk.get(&format!("/api/people/{}/coverages", id(&person))).await;
    vec![
        ("orders", id(&chart["orders"][0]["order"])),
        ("results", id(&chart["reports"][0])),
        ("coverages", id(&policies[0]["coverage"])),
        ("sites", id(&clinic["sites"][0])),
        ("visit-types", id(&clinic["visitTypes"][0])),
        ("slots", id(&slot)),
        ("shifts", slot["shiftId"].as_str().unwrap_or(NOBODY).to_owned()),
        ("supply", id(&manager.get("/api/supply").await["templates"][0])),
        ("claims", id(&biller.get("/api/claims").await[0]["claim"])),
        ("people", id(&person)),
        ("visits", visit),
    ]
}

fn declared(api: &Api, route: &Route, status: u16) -> bool {
    api.operation(route.method, route.pattern)["responses"].get(status.to_string()).is_some()
}

/// So many requests as one role.
pub async fn run(hand: &Hand, hands: &[Hand], role: Role, times: usize) -> Result<Tally> {
    let mut tally = Tally::of(format!("fuzz as {role}, against the document"));
    let (api, there) = (Api::load(), there(hands).await);
    let mut chance = Chance::new(7 + role as u64);
    let routes: Vec<&Route> = ROUTES.iter().filter(|r| !is_left_out(r)).collect();
    let words = ["", "%", "-1", "99999999999999999999", "2026-02-30", "\u{0}", "true", "';--", "é\u{202E}", NOBODY];
    let word = |chance: &mut Chance| words[chance.below(words.len())];
    let spoilt = nonsense();
    for n in 0..times {
        let route = routes[n % routes.len()];
        let noun = route.pattern.split('/').nth(2).unwrap_or("");
        let known = there.iter().find(|(name, _)| *name == noun).map_or(NOBODY, |(_, id)| id.as_str());
        let about = match chance.below(6) {
            0 => NOBODY.to_owned(),
            1 => encoded(word(&mut chance)).replace("%", "%25"),
            _ => known.to_owned(),
        };
        let mut path = route.pattern.replace("{id}", &about).replace("{part}", "plan").replace("{code}", "SPLINT");
        for part in ["{measurement}", "{allergy}", "{medicine}", "{other}", "{token}"] {
            path = path.replace(part, NOBODY);
        }
        path = path.replace("{side}", "front");
        let operation = api.operation(route.method, route.pattern);
        let mut sign = '?';
        for parameter in operation["parameters"].as_array().into_iter().flatten().filter(|p| p["in"] == "query") {
            if chance.below(2) == 0 {
                let name = parameter["name"].as_str().unwrap_or("q");
                path += &format!("{sign}{name}={}", encoded(word(&mut chance)));
                sign = '&';
            }
        }
        let schema = &operation["requestBody"]["content"]["application/json"]["schema"];
        let body = (route.method != "get").then(|| {
            let mut form = if schema.is_null() { json!({}) } else { api.sample(schema, 0) };
            for _ in 0..chance.below(4) {
                let mut places = Vec::new();
                fields(&form, "", &mut places);
                let at = chance.pick(&places).clone();
                form = with(&form, &at, chance.pick(&spoilt));
            }
            form
        });
        let Some((status, answer)) = hand.ask(route.method, &path, body.as_ref()).await else {
            tally.asked(false, || format!("{role}: {} {path}: the line broke", route.method));
            continue;
        };
        let silent = status >= 400 && answer["detail"].as_str().is_none_or(str::is_empty);
        let right = status < 500 && declared(&api, route, status) && !silent;
        tally.asked(right, || format!("{role}: {} {}: {status} {answer}", route.method, route.pattern));
    }
    Ok(tally)
}
