//! Every two writes that touch one record, at one moment: each gets an answer that makes sense, and none breaks.

use super::Tally;
use super::hand::Hand;
use crate::testing::Product;
use anyhow::{Context, Result};
use futures_util::future::join;
use serde_json::{Value, json};
use uuid::Uuid;

/// A write, by whom.
#[derive(Clone)]
struct Write {
    who: usize,
    method: &'static str,
    path: String,
    body: Value,
}

const DESK: usize = 0;
const ASSISTANT: usize = 1;
const DOCTOR: usize = 2;
const BILLER: usize = 3;
const MANAGER: usize = 4;

/// Writes to one person, one visit and one shift.
async fn writes(hands: &[Hand]) -> Result<Vec<Write>> {
    let desk = &hands[DESK];
    let id = |v: &Value| v["id"].as_str().map(str::to_owned).context("an id");
    let clinic = desk.get("/api/clinic").await;
    let site = id(&clinic["sites"][1])?;
    // Letters that no other pair has.
    let fresh: String = Uuid::new_v4().simple().to_string().bytes().map(|b| char::from(b'a' + b % 26)).collect();
    let name = |n: usize| format!("Undertow{}", &fresh[n * 12..n * 12 + 12]);
    let mut people = Vec::new();
    for n in 0..2 {
        let form = json!({ "firstName": "Pair", "lastName": name(n), "notATwin": true });
        let (_, made) = desk.ask("post", "/api/people", Some(&form)).await.context("an answer")?;
        people.push((id(&made)?, made));
    }
    let (person, row) = people[0].clone();
    let open = desk.get("/api/open-times?from=2026-12-01").await;
    let (slot, other) = (open[0].clone(), open[1].clone());
    let booking = json!({ "personId": person, "slotId": slot["id"], "reason": "x", "meant": ["twice_at_once", "same_day", "other_type", "age", "swallows"] });
    let (_, visit) = desk.ask("post", "/api/visits", Some(&booking)).await.context("an answer")?;
    let at = format!("/api/visits/{}", id(&visit)?);
    let about = format!("/api/people/{person}");
    let mut form = row.clone();
    form["chartAlert"] = json!("one");
    form["notATwin"] = json!(true);
    let key = Uuid::now_v7();
    let pay = json!({ "personId": person, "siteId": site, "key": key, "moreThanOwed": true,
        "means": [{ "method": "cash", "amount": "40" }] });
    let new = json!({ "personId": people[1].0, "slotId": other["id"], "reason": "x", "meant": ["twice_at_once", "same_day", "other_type", "age", "swallows"] });
    let write = |who, method, path: &str, body| Write { who, method, path: path.to_owned(), body };
    Ok(vec![
        write(DESK, "put", &about, form),
        write(DESK, "post", &format!("{about}/consents"), json!({ "kind": "text", "given": true })),
        write(
            DESK,
            "post",
            &format!("{about}/merge"),
            json!({ "goneId": people[1].0, "choices": { "last_name": false } }),
        ),
        write(
            DESK,
            "post",
            &format!("/api/people/{}/merge", people[1].0),
            json!({ "goneId": person, "choices": { "last_name": true } }),
        ),
        write(
            MANAGER,
            "post",
            &format!("{about}/restriction"),
            json!({ "restricted": true, "reason": "works here too" }),
        ),
        write(
            DESK,
            "post",
            &format!("{at}/move"),
            json!({ "slotId": other["id"], "meant": ["twice_at_once", "same_day", "other_type", "age", "swallows"] }),
        ),
        write(DESK, "post", &format!("{at}/cancel"), json!({ "reason": "patient ill", "byPatient": true })),
        write(DESK, "post", "/api/visits", new),
        write(MANAGER, "post", "/api/shifts/cancel", json!({ "ids": [other["shiftId"]], "reason": "ill" })),
        write(MANAGER, "post", &format!("/api/slots/{}", id(&other)?), json!({ "what": "hold", "heldFor": "meeting" })),
        write(DOCTOR, "put", &format!("{at}/note/plan"), json!({ "body": "Rest.", "version": 0 })),
        write(DOCTOR, "put", &format!("{at}/diagnoses"), json!({ "codes": ["I10"] })),
        write(DOCTOR, "post", &format!("{at}/sign"), json!({ "seen": [{ "part": "plan", "version": 1 }] })),
        write(ASSISTANT, "post", &format!("{at}/quick-line"), json!({ "text": "bp 120/80", "keep": true })),
        write(ASSISTANT, "post", &format!("{about}/allergies"), json!({ "substance": "wool" })),
        write(ASSISTANT, "post", &format!("{about}/none-known"), json!({ "list": "allergies" })),
        write(DESK, "post", "/api/payments", pay),
        write(
            BILLER,
            "post",
            &format!("{about}/refunds"),
            json!({ "siteId": site, "amount": "10", "method": "cash", "reason": "moved", "key": key }),
        ),
        write(BILLER, "post", &format!("{at}/credit"), json!({ "fromPersonId": person, "key": key })),
        write(
            DESK,
            "post",
            &format!("/api/sites/{site}/till/closing"),
            json!({ "cash": "0", "card": "0", "cheque": "0", "transfer": "0", "reason": "x" }),
        ),
        write(
            BILLER,
            "put",
            &format!("{at}/charges"),
            json!([{ "serviceCode": "VISIT3", "units": 1, "pointers": [1] }]),
        ),
    ])
}

/// Every pair, so many times, each time on records of their own.
pub async fn run(product: &Product, rounds: usize) -> Result<Tally> {
    let mut tally = Tally::of("pairs of writes to one record");
    let mut hands = Vec::new();
    for (_, login) in super::spellings::LOGINS {
        hands.push(Hand::sign_in(product.address(), login).await?);
    }
    for _ in 0..rounds {
        let count = writes(&hands).await?.len();
        for first in 0..count {
            // Fresh records for each first write; the second ones meet what the ones before have left.
            let all = writes(&hands).await?;
            for second in first..count {
                let (a, b) = (&all[first], &all[second]);
                let send = |w: &Write| {
                    let (hand, w) = (hands[w.who].clone(), w.clone());
                    async move { hand.ask(w.method, &w.path, Some(&w.body)).await }
                };
                for (answer, write) in <[_; 2]>::from(join(send(a), send(b)).await).into_iter().zip([a, b]) {
                    let right = answer.as_ref().is_some_and(|(status, _)| *status < 500);
                    tally.asked(right, || {
                        format!("{} {} beside {} {}: {answer:?}", write.method, write.path, b.method, b.path)
                    });
                }
            }
        }
    }
    Ok(tally)
}
