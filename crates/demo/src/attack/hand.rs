//! Somebody who is signed in, and asks.

use anyhow::{Context, Result};
use serde_json::{Value, json};
use std::time::Duration;

#[derive(Debug, Clone)]
pub struct Hand {
    http: reqwest::Client,
    pub base: String,
    pub cookie: String,
    pub csrf: String,
}

impl Hand {
    pub async fn sign_in(base: &str, login: &str) -> Result<Hand> {
        let http = reqwest::Client::builder().timeout(Duration::from_secs(20)).no_proxy().build()?;
        let body = json!({ "login": login, "password": crate::PASSWORD });
        let answer = http.post(format!("{base}/api/sign-in")).json(&body).send().await?.error_for_status()?;
        let cookie = answer.headers()["set-cookie"].to_str()?.split(';').next().unwrap_or("").to_owned();
        let me: Value = answer.json().await?;
        let csrf = me["csrf"].as_str().context("a word for changes")?.to_owned();
        Ok(Hand { http, base: base.to_owned(), cookie, csrf })
    }

    /// Status and answer; nothing when the line broke.
    pub async fn ask(&self, method: &str, path: &str, body: Option<&Value>) -> Option<(u16, Value)> {
        let method = method.to_uppercase().parse().ok()?;
        let mut request = self
            .http
            .request(method, format!("{}{path}", self.base))
            .header("cookie", &self.cookie)
            .header("x-harbor-csrf", &self.csrf);
        if let Some(body) = body {
            request = request.json(body);
        }
        let answer = request.send().await.ok()?;
        let status = answer.status().as_u16();
        let text = answer.text().await.ok()?;
        Some((status, serde_json::from_str(&text).unwrap_or(Value::String(text))))
    }

    pub async fn get(&self, path: &str) -> Value {
        self.ask("get", path, None).await.map_or(Value::Null, |(_, body)| body)
    }

    /// What is there; anything but success is an error.
    pub async fn read(&self, path: &str) -> Result<Value> {
        self.done("get", path, None).await
    }

    pub async fn send(&self, method: &str, path: &str, body: Value) -> Result<Value> {
        self.done(method, path, Some(&body)).await
    }

    async fn done(&self, method: &str, path: &str, body: Option<&Value>) -> Result<Value> {
        let (status, answer) = self.ask(method, path, body).await.with_context(|| format!("no answer to {path}"))?;
        anyhow::ensure!((200..300).contains(&status), "{path}: {status} {answer}");
        Ok(answer)
    }

    /// The stream of tidings, for as long as its answer is held.
    pub async fn live(&self) -> Result<reqwest::Response> {
        // Without the time limit of the others: it stays open.
        let http = reqwest::Client::builder().no_proxy().build()?;
        Ok(http.get(format!("{}/api/live", self.base)).header("cookie", &self.cookie).send().await?)
    }
}
