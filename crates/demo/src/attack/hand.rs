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
}
