//! Coming in and leaving: guesses, bodies that never end, sessions that lock and end, passwords and second factors.

use crate::guards::run;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use tokio::io::{AsyncReadExt, AsyncWriteExt};

async fn knock(product: &Product, login: &str, password: &str, cookie: Option<&str>) -> u16 {
    let mut request = reqwest::Client::new()
        .post(format!("{}/api/sign-in", product.address()))
        .json(&json!({ "login": login, "password": password }));
    if let Some(cookie) = cookie {
        request = request.header("cookie", cookie);
    }
    request.send().await.unwrap().status().as_u16()
}

/// Signs in and gives the cookie that the machine is known by.
async fn device(product: &Product, login: &str) -> String {
    let answer = reqwest::Client::new()
        .post(format!("{}/api/sign-in", product.address()))
        .json(&json!({ "login": login, "password": "harbor" }))
        .send()
        .await
        .unwrap();
    let mut cookies = answer.headers().get_all("set-cookie").iter().map(|c| c.to_str().unwrap());
    let device = cookies.rfind(|c| c.starts_with("harbor_device")).expect("a device cookie");
    assert!(device.contains("HttpOnly") && device.contains("SameSite=Strict"), "{device}");
    device.split(';').next().unwrap().to_owned()
}

#[actix_web::test]
async fn sixty_guesses_at_once_are_no_more_than_eight() {
    let product = Product::start().await.unwrap();
    let known = device(&product, "casimir").await;
    // Six at a time: more are turned away before anything is judged, as the next test shows.
    let mut judged = 0;
    for _ in 0..10 {
        let six = (0..6).map(|_| knock(&product, "casimir", "wrong", None));
        judged += futures_util::future::join_all(six).await.into_iter().filter(|s| *s == 401).count();
    }
    assert_eq!(judged, 8);
    assert_eq!(knock(&product, "casimir", "harbor", None).await, 429, "the right password waits where it was guessed");
    assert_eq!(
        knock(&product, "casimir", "harbor", Some(&known)).await,
        200,
        "at a known machine nobody is locked out"
    );
    for wanted in [401, 401, 401, 401, 401, 401, 401, 401, 429] {
        assert_eq!(knock(&product, "casimir", "wrong", Some(&known)).await, wanted, "a known machine guesses no more");
    }
    assert_eq!(knock(&product, "junia", "harbor", None).await, 200, "others are not held up");
    // A machine that tries many names is stopped too.
    let mut names = 0;
    for n in 0..60 {
        names += usize::from(knock(&product, &format!("nobody{n}"), "x", None).await == 401);
    }
    assert!((20..=40).contains(&names), "{names} names were tried from one machine");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_flood_of_sign_ins_is_turned_away_and_nobody_else_waits() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let flood = (0..80).map(|n| {
        let client = reqwest::Client::new();
        let request = client
            .post(format!("{}/api/sign-in", product.address()))
            .json(&json!({ "login": format!("unknown{n}"), "password": "x" }));
        async move { request.send().await.unwrap().status().as_u16() }
    });
    let work = async {
        let mut slowest = Duration::ZERO;
        for _ in 0..20 {
            let began = Instant::now();
            desk.get("/api/people?q=farr").await;
            slowest = slowest.max(began.elapsed());
        }
        slowest
    };
    let (answers, slowest) = futures_util::future::join(futures_util::future::join_all(flood), work).await;
    let turned_away = answers.iter().filter(|s| **s == 429).count();
    assert!(answers.iter().all(|s| matches!(s, 401 | 429)), "{answers:?}");
    assert!(turned_away >= 40, "only {turned_away} of 80 were turned away");
    assert!(slowest < Duration::from_secs(3), "a search took {slowest:?}");
    product.stop().await.unwrap();
}

/// Sends the head of a request and a little of its body, and gives how long the line stayed open.
async fn dawdle(product: &Product, head: &str) -> (String, Duration) {
    let mut line = tokio::net::TcpStream::connect(product.address().trim_start_matches("http://")).await.unwrap();
    let began = Instant::now();
    line.write_all(head.as_bytes()).await.unwrap();
    let mut answer = Vec::new();
    let ended = tokio::time::timeout(Duration::from_secs(30), line.read_to_end(&mut answer)).await;
    assert!(ended.is_ok(), "the line was still open: {}", String::from_utf8_lossy(&answer));
    (String::from_utf8_lossy(&answer).into_owned(), began.elapsed())
}

#[actix_web::test]
async fn a_body_that_never_ends_and_one_that_unfolds_are_refused() {
    let product = Product::start().await.unwrap();
    let slow = "POST /api/sign-in HTTP/1.1\r\nhost: 127.0.0.1\r\ncontent-type: application/json\r\ncontent-length: 40\r\n\r\n{\"lo";
    let lines = (0..20).map(|_| dawdle(&product, slow));
    for (answer, took) in futures_util::future::join_all(lines).await {
        assert!(answer.starts_with("HTTP/1.1 408"), "{answer}");
        assert!(took < Duration::from_secs(15), "{took:?}");
    }
    let large = "POST /api/sign-in HTTP/1.1\r\nhost: 127.0.0.1\r\ncontent-type: application/json\r\ncontent-length: 9999999\r\n\r\n{";
    let (answer, took) = dawdle(&product, large).await;
    assert!(answer.starts_with("HTTP/1.1 413") && took < Duration::from_secs(2), "{took:?} {answer}");
    let packed = "POST /api/sign-in HTTP/1.1\r\nhost: 127.0.0.1\r\ncontent-encoding: gzip\r\ncontent-type: application/json\r\ncontent-length: 2\r\n\r\n{}";
    assert!(dawdle(&product, packed).await.0.starts_with("HTTP/1.1 415"));
    // Each route takes as much as it needs.
    let desk = Hand::sign_in(&product, "junia").await;
    let reply = desk.post("/api/people", json!({ "firstName": "x".repeat(300 << 10) })).await;
    assert_eq!((reply.status, reply.body["type"].as_str()), (413, Some("urn:indigo-harbor:too-large")));
    product.stop().await.unwrap();
}

async fn age_session(product: &Product, column: &str, by: &str) {
    run(&product.database_url, &format!("update sessions set {column} = now() - interval '{by}'")).await.unwrap();
}

fn kind(reply: &crate::Reply) -> &str {
    reply.body["type"].as_str().unwrap_or("").trim_start_matches("urn:indigo-harbor:")
}

#[actix_web::test]
async fn a_screen_that_nobody_touches_locks_and_opens_with_the_password() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    age_session(&product, "seen_at", "10 minutes").await;
    // Looking again, as every tiding makes a screen do, renews nothing.
    desk.get("/api/today").await;
    age_session(&product, "seen_at", "12 minutes").await;
    let reply = desk.ask("get", "/api/today", None).await;
    assert_eq!((reply.status, kind(&reply)), (401, "locked"));
    let session = desk.get("/api/session").await;
    assert_eq!((&session["login"], &session["locked"]), (&json!("junia"), &json!(true)));
    let unlock = |password: &str| desk.post("/api/session/unlock", json!({ "password": password }));
    assert_eq!(unlock("guess").await.detail(), "The password is wrong.");
    assert_eq!(desk.ask("get", "/api/people?q=farr", None).await.status, 401, "still locked");
    unlock("harbor").await.ok();
    desk.get("/api/today").await;
    // Only somebody who is there renews it.
    age_session(&product, "seen_at", "9 minutes").await;
    desk.post("/api/session/here", json!({})).await.ok();
    age_session(&product, "created_at", "13 hours").await;
    let reply = desk.ask("get", "/api/today", None).await;
    assert_eq!((reply.status, kind(&reply)), (401, "signed-out"), "no session lasts for ever");
    product.stop().await.unwrap();
}

/// Reads a live stream until it ends.
async fn live_until_end(hand: &Hand) -> Duration {
    let began = Instant::now();
    let mut answer =
        hand.http.get(format!("{}/api/live", hand.base)).header("cookie", &hand.cookie).send().await.unwrap();
    assert_eq!(answer.status(), 200);
    let end = async { while let Ok(Some(_)) = answer.chunk().await {} };
    tokio::time::timeout(Duration::from_secs(20), end).await.expect("the live stream went on");
    began.elapsed()
}

#[actix_web::test]
async fn a_session_that_ends_ends_its_live_stream_and_is_seen_in_the_list() {
    let product = Product::start().await.unwrap();
    let (desk, other) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "junia").await);
    let manager = Hand::sign_in(&product, "soren").await;
    let own = desk.get("/api/me/sessions").await;
    let ids = |list: &Value, own: bool| -> Vec<String> {
        let rows = list.as_array().unwrap().iter().filter(|s| s["own"] == own);
        rows.map(|s| id(&s["session"])).collect()
    };
    assert_eq!((ids(&own, true).len(), ids(&own, false).len()), (1, 1));
    // One's own other one, by oneself.
    let end = async {
        tokio::time::sleep(Duration::from_millis(300)).await;
        desk.ask("delete", &format!("/api/me/sessions/{}", ids(&own, false)[0]), None).await.ok();
    };
    let (lasted, ()) = futures_util::future::join(live_until_end(&other), end).await;
    assert!(lasted < Duration::from_secs(10), "{lasted:?}");
    assert_eq!(other.ask("get", "/api/me", None).await.status, 401);
    // Nobody else's, but by who manages them.
    let foreign = id(&manager.get("/api/me/sessions").await[0]["session"]);
    assert_eq!(desk.ask("delete", &format!("/api/me/sessions/{foreign}"), None).await.status, 404);
    assert_eq!(desk.ask("delete", &format!("/api/staff/sessions/{foreign}"), None).await.status, 403);
    let end = async {
        tokio::time::sleep(Duration::from_millis(300)).await;
        manager.ask("delete", &format!("/api/staff/sessions/{}", ids(&own, true)[0]), None).await.ok();
    };
    futures_util::future::join(live_until_end(&desk), end).await;
    // Signing out and locking end it too.
    let third = Hand::sign_in(&product, "petra").await;
    let out = async {
        tokio::time::sleep(Duration::from_millis(300)).await;
        third.post("/api/session/lock", json!({})).await.ok();
    };
    futures_util::future::join(live_until_end(&third), out).await;
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_manager_lets_somebody_in_by_a_link_that_serves_once() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let who = json!({ "login": "Ragna", "firstName": "Ragna", "lastName": "Holt", "role": "front_desk" });
    let ragna = id(&manager.post("/api/staff", who.clone()).await.ok());
    let twice = manager.post("/api/staff", who).await;
    assert_eq!(twice.detail(), "Somebody has this sign-in name already.");
    assert_eq!(knock(&product, "ragna", "!", None).await, 401, "nobody comes in before a password is set");
    let link = manager.post(&format!("/api/staff/{ragna}/password-link"), json!({})).await.ok();
    let token = link["path"].as_str().unwrap().split('#').nth(1).unwrap().to_owned();
    let set = |password: &str| manager.post("/api/set-password", json!({ "token": token, "password": password }));
    assert_eq!(set("").await.ok()["name"], "Ragna Holt");
    assert!(set("ragna").await.body["fields"][0]["sentence"].as_str().unwrap().contains("at least 10"));
    assert!(set("ragnaholt1").await.body["fields"][0]["sentence"].as_str().unwrap().contains("easy to guess"));
    assert!(set("aaaaaaaaaaaaaaaa").await.body["fields"][0]["sentence"].as_str().unwrap().contains("easy to guess"));
    assert_eq!(set("heron tern plover eider").await.ok()["set"], true);
    assert_eq!(set("another good long one").await.status, 404, "it served once");
    assert_eq!(knock(&product, "ragna", "heron tern plover eider", None).await, 200);
    // Deactivated, she is out at once.
    let gone =
        json!({ "login": "ragna", "firstName": "Ragna", "lastName": "Holt", "role": "front_desk", "active": false });
    manager.put(&format!("/api/staff/{ragna}"), gone).await.ok();
    assert_eq!(knock(&product, "ragna", "heron tern plover eider", None).await, 401);
    let me = id(&manager.get("/api/me").await["staff"]);
    let leave = json!({ "login": "soren", "firstName": "S", "lastName": "W", "role": "biller" });
    assert_eq!(
        manager.put(&format!("/api/staff/{me}"), leave).await.detail(),
        "Somebody must stay who manages the clinic."
    );
    product.stop().await.unwrap();
}

/// The code that a device with this secret shows, some steps from now.
fn code(secret: &str, steps: u64) -> String {
    let now = std::time::SystemTime::now().duration_since(std::time::UNIX_EPOCH).unwrap().as_secs();
    let secret = totp_rs::Secret::try_from_base32(secret).unwrap();
    totp_rs::Builder::new().with_secret(secret).build().unwrap().generate(now + 30 * steps).to_string()
}

#[actix_web::test]
async fn a_second_factor_is_set_up_wanted_by_role_and_used_once() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let doctor = Hand::sign_in(&product, "oriane").await;
    let doors = json!({ "lockMinutes": 5, "secondFactorRoles": ["clinician"] });
    manager.put("/api/settings/doors", doors).await.ok();
    let reply = doctor.ask("get", "/api/people?q=farr", None).await;
    assert_eq!((reply.status, kind(&reply)), (403, "second-factor-wanted"));
    let me = doctor.get("/api/me").await;
    assert_eq!((&me["secondFactorWanted"], &me["lockMinutes"]), (&json!(true), &json!(5)));
    let new = doctor.post("/api/me/second-factor/new", json!({})).await.ok();
    let secret = new["secret"].as_str().unwrap();
    assert!(new["picture"].as_str().unwrap().starts_with("data:image/svg+xml,"));
    let keep = |code: &str, password: &str| {
        doctor.post("/api/me/second-factor", json!({ "secret": secret, "code": code, "password": password }))
    };
    assert_eq!(keep("000000", "harbor").await.status, 422);
    assert_eq!(keep(&code(secret, 0), "wrong").await.body["fields"][0]["field"], "oldPassword");
    let codes = keep(&code(secret, 0), "harbor").await.ok()["codes"].clone();
    assert_eq!(codes.as_array().unwrap().len(), 10);
    doctor.get("/api/people?q=farr").await;
    // From now on the password alone opens nothing, and a code serves once.
    let enter = async |code: &str| {
        let form = json!({ "login": "oriane", "password": "harbor", "code": code });
        let answer =
            reqwest::Client::new().post(format!("{}/api/sign-in", product.address())).json(&form).send().await.unwrap();
        (answer.status().as_u16(), answer.json::<Value>().await.unwrap()["type"].clone())
    };
    assert_eq!(enter("\u{0}given").await.0, 401, "no word opens it");
    assert_eq!(enter("").await, (401, json!("urn:indigo-harbor:second-factor")));
    assert_eq!(enter(&code(secret, 0)).await.0, 401, "this one was used when it was set up");
    // The same code twice: the clock may go on to the next one in between.
    let next = code(secret, 1);
    assert_eq!(enter(&next).await.0, 200);
    assert_eq!(enter(&next).await.0, 401, "a code serves once");
    let recovery = codes[0].as_str().unwrap();
    assert_eq!(enter(recovery).await.0, 200);
    assert_eq!(enter(recovery).await.0, 401, "so does a recovery code");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn coming_going_and_being_refused_are_on_record() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    assert_eq!(knock(&product, "junia", "wrong", None).await, 401);
    assert_eq!(knock(&product, "hunter2", "x", None).await, 401);
    assert_eq!(desk.ask("get", "/api/batches", None).await.status, 403);
    desk.post("/api/sign-out", json!({})).await.ok();
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let rows = client
        .query("select staff_name || ' ' || action || ' ' || detail from audit where entity in ('session', 'route') order by seq", &[])
        .await
        .unwrap();
    let said: Vec<String> = rows.iter().map(|r| r.get(0)).collect();
    for wanted in [
        "Junia Vance signed in 127.0.0.1",
        "Junia Vance failed to sign in a wrong password, at 127.0.0.1",
        "somebody failed to sign in an unknown name, at 127.0.0.1",
        "Junia Vance was refused get /api/batches: not allowed",
        "Junia Vance signed out ",
    ] {
        assert!(said.iter().any(|s| s == wanted), "{wanted} is not in {said:?}");
    }
    assert!(!said.iter().any(|s| s.contains("hunter2")), "what was typed as an unknown name may be a password");
    product.stop().await.unwrap();
}
