//! The API against a real PostgreSQL and the stand-ins; every test has a database of its own.

mod access;
mod approvals;
mod attack;
mod away;
mod backup;
mod bad_input;
mod batches;
mod booking;
mod building;
mod catalogue;
mod change;
mod charged_again;
mod charges;
mod charges_alone;
mod chart;
mod check_in;
mod claims;
mod coverage;
mod day;
mod denials;
mod deposits;
mod estimates;
mod exchange_folder;
mod flow;
mod growth;
mod guards;
mod histories;
mod import;
mod keeping;
mod letters;
mod line;
mod lists;
mod looking;
mod looks;
mod medicine_tables;
mod money;
mod nonsense;
mod open_times;
mod orders;
mod orders_again;
mod outside;
mod own_stages;
mod parts;
mod patient_money;
mod payments;
mod people;
mod prescribing;
mod prescribing_again;
mod questionnaires;
mod quick_line;
mod reading;
mod referrals;
mod registers;
mod registration;
mod restricted;
mod results;
mod rising;
mod running;
mod runs;
mod schema;
mod series;
mod sign_in;
mod signed_parts;
mod specimens;
mod stored;
mod supply;
mod taking_back;
mod texts;
mod together;
mod told;
mod two_servers;
mod unbooked;
mod untimed;
mod vaccines;
mod waiting;

use harbor_demo::PASSWORD;
use harbor_demo::testing::Product;
use serde_json::{Value, json};
use std::time::{Duration, Instant};

/// Everything that is asked about before a booking is meant: for tests of something else.
pub fn meant() -> Value {
    json!(["other_type", "twice_at_once", "same_day", "swallows", "age"])
}

/// Somebody who is signed in.
#[derive(Clone)]
pub struct Hand {
    pub http: reqwest::Client,
    pub base: String,
    pub cookie: String,
    pub csrf: String,
}

pub struct Reply {
    pub status: u16,
    pub body: Value,
    /// What the change told, as the answer says.
    pub told: Vec<Value>,
}

impl Reply {
    pub fn ok(self) -> Value {
        assert!(self.status == 200, "{} {}", self.status, self.body);
        self.body
    }

    pub fn detail(&self) -> &str {
        self.body["detail"].as_str().unwrap_or("")
    }
}

impl Hand {
    pub async fn sign_in(product: &Product, login: &str) -> Hand {
        Self::sign_in_at(product.address(), login).await
    }

    pub async fn sign_in_at(base: &str, login: &str) -> Hand {
        let http = reqwest::Client::new();
        let base = base.to_owned();
        let body = json!({ "login": login, "password": PASSWORD });
        let answer = http.post(format!("{base}/api/sign-in")).json(&body).send().await.unwrap();
        assert_eq!(answer.status(), 200);
        let cookie = answer.headers()["set-cookie"].to_str().unwrap().split(';').next().unwrap().to_owned();
        let me: Value = answer.json().await.unwrap();
        Hand { http, base, cookie, csrf: me["csrf"].as_str().unwrap().to_owned() }
    }

    pub async fn ask(&self, method: &str, path: &str, body: Option<Value>) -> Reply {
        let method = method.to_uppercase().parse().unwrap();
        let mut request = self
            .http
            .request(method, format!("{}{path}", self.base))
            .header("cookie", &self.cookie)
            .header("x-harbor-csrf", &self.csrf);
        if let Some(body) = body {
            request = request.json(&body);
        }
        Self::reply(request).await
    }

    async fn reply(request: reqwest::RequestBuilder) -> Reply {
        let answer = request.send().await.unwrap();
        let status = answer.status().as_u16();
        let told = answer.headers().get("x-harbor-told").map(|h| serde_json::from_slice(h.as_bytes()).unwrap());
        let text = answer.text().await.unwrap();
        let body = serde_json::from_str(&text).unwrap_or(Value::String(text));
        Reply { status, body, told: told.unwrap_or_default() }
    }

    pub async fn get(&self, path: &str) -> Value {
        self.ask("get", path, None).await.ok()
    }

    pub async fn post(&self, path: &str, body: Value) -> Reply {
        self.ask("post", path, Some(body)).await
    }

    pub async fn put(&self, path: &str, body: Value) -> Reply {
        self.ask("put", path, Some(body)).await
    }

    pub async fn patch(&self, path: &str, body: Value) -> Reply {
        self.ask("patch", path, Some(body)).await
    }

    pub async fn upload(&self, path: &str, bytes: Vec<u8>) -> Reply {
        self.send(path, "application/octet-stream", bytes).await
    }

    pub async fn send(&self, path: &str, kind: &str, bytes: Vec<u8>) -> Reply {
        self.send_as("POST", path, kind, bytes).await
    }

    pub async fn send_as(&self, method: &str, path: &str, kind: &str, bytes: Vec<u8>) -> Reply {
        let request = self
            .http
            .request(method.parse().expect("a method"), format!("{}{path}", self.base))
            .header("cookie", &self.cookie)
            .header("x-harbor-csrf", &self.csrf)
            .header("content-type", kind)
            .body(bytes);
        Self::reply(request).await
    }

    /// A file as a browser would save it: its headers and bytes.
    pub async fn file(&self, path: &str) -> (reqwest::header::HeaderMap, Vec<u8>) {
        let request = self.http.get(format!("{}{path}", self.base)).header("cookie", &self.cookie);
        let answer = request.send().await.expect("an answer");
        assert!(answer.status().is_success(), "{path}: {}", answer.status());
        (answer.headers().clone(), answer.bytes().await.expect("a body").to_vec())
    }

    /// Asks until the answer is as wanted.
    pub async fn until(&self, path: &str, wanted: impl Fn(&Value) -> bool) -> Value {
        let started = Instant::now();
        loop {
            let answer = self.get(path).await;
            if wanted(&answer) {
                return answer;
            }
            assert!(started.elapsed() < Duration::from_secs(20), "waited in vain at {path}: {answer}");
            tokio::time::sleep(Duration::from_millis(30)).await;
        }
    }

    /// Signs the note of a visit as it stands.
    pub async fn sign_note(&self, visit: &str) -> Reply {
        let chart = self.get(&format!("/api/visits/{visit}/chart")).await;
        let seen: Vec<Value> = chart["parts"].as_array().unwrap().iter().map(seen).collect();
        self.post(&format!("/api/visits/{visit}/sign"), json!({ "seen": seen })).await
    }

    /// An open slot of today or later.
    pub async fn open_slot(&self) -> Value {
        self.get("/api/open-times").await[0].clone()
    }

    pub async fn person(&self, name: &str) -> Value {
        self.get(&format!("/api/people?q={name}")).await[0]["person"].clone()
    }
}

/// A payment by one means, shared out as the core proposes.
pub fn payment(clinic: &Value, person: &str, amount: &str, method: &str, key: uuid::Uuid) -> Value {
    let mean = json!({ "method": method, "amount": amount });
    json!({ "personId": person, "siteId": clinic["sites"][0]["id"], "means": [mean], "key": key, "moreThanOwed": true })
}

/// A part of a note as somebody saw it.
pub fn seen(part: &Value) -> Value {
    json!({ "part": part["part"], "version": part["version"], "run": part["runId"] })
}

/// Puts a person's chart under restriction.
pub async fn restrict(product: &Product, person: &str) {
    let manager = Hand::sign_in(product, "soren").await;
    let form = json!({ "restricted": true, "reason": "works here as well" });
    manager.post(&format!("/api/people/{person}/restriction"), form).await.ok();
}

pub fn id(value: &Value) -> String {
    value["id"].as_str().expect("an id").to_owned()
}
