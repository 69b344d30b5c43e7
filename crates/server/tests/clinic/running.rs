//! A clinic of one's own: begun from a file, served by the program, watched, and ended by a signal.

use crate::Hand;
use harbor_demo::testing::Product;
use harbor_store::cluster::{create_database, drop_database};
use serde_json::{Value, json};
use std::io::{BufRead, BufReader, Read};
use std::os::unix::net::UnixDatagram;
use std::process::{Child, Command, Stdio};
use std::time::Duration;

const EXAMPLE: &str = include_str!("../../../../packaging/clinic.json");
const UNIT: &str = include_str!("../../../../packaging/indigo-harbor.service");

fn harbor() -> Command {
    Command::new(env!("CARGO_BIN_EXE_harbor"))
}

/// Writes a file to begin with and runs `harbor begin` on it: whether it succeeded, and what it said.
fn begin(url: &str, content: &str) -> (bool, String) {
    let file = std::env::temp_dir().join(format!("harbor-begin-{}.json", uuid::Uuid::now_v7().simple()));
    std::fs::write(&file, content).unwrap();
    let out = harbor().args(["begin", "--database", url]).arg(&file).output().unwrap();
    std::fs::remove_file(file).unwrap();
    (out.status.success(), String::from_utf8_lossy(&out.stdout).into_owned() + &String::from_utf8_lossy(&out.stderr))
}

/// The program as it serves, ended when dropped.
struct Serving {
    child: Child,
    base: String,
    watched_at: String,
    /// Where it tells systemd how it is.
    told: UnixDatagram,
}

impl Serving {
    fn tells(&self) -> String {
        let mut bytes = [0; 200];
        self.told.set_read_timeout(Some(Duration::from_secs(10))).unwrap();
        let n = self.told.recv(&mut bytes).unwrap();
        String::from_utf8_lossy(&bytes[..n]).trim().to_owned()
    }
}

impl Drop for Serving {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn serve(url: &str) -> Serving {
    let socket = std::env::temp_dir().join(format!("harbor-notify-{}", uuid::Uuid::now_v7().simple()));
    let told = UnixDatagram::bind(&socket).unwrap();
    let mut child = harbor()
        .args(["serve", "--database", url, "--port", "0", "--watch", "127.0.0.1:0", "--log", "json"])
        .env_remove("RUST_LOG")
        .env("NOTIFY_SOCKET", &socket)
        .stdout(Stdio::piped())
        .stderr(Stdio::piped())
        .spawn()
        .unwrap();
    let mut said = BufReader::new(child.stdout.take().unwrap()).lines().map_while(Result::ok);
    let mut after = |word: &str| {
        let line = said.next().unwrap_or_default();
        line.strip_prefix(word).unwrap_or_else(|| panic!("{line}")).to_owned()
    };
    let (base, watched_at) = (after("ready "), after("watched at "));
    Serving { child, base, watched_at, told }
}

#[actix_web::test]
async fn a_clinic_begins_in_an_empty_database_and_its_manager_signs_in() {
    let product = Product::start().await.unwrap();
    let name = format!("begun_{}", uuid::Uuid::now_v7().simple());
    create_database(&product.cluster, &name, None).await.unwrap();
    let url = product.cluster.url(&name);
    let spoilt = EXAMPLE.replace("America/New_York", "Atlantis").replace("\"11\"", "\"1\"").replace("1800000071", "1");
    let (done, said) = begin(&url, &spoilt);
    assert!(!done);
    for place in ["zone: ", "npi: ", "sites[0].placeOfService: "] {
        assert!(said.contains(place), "{place} in {said}");
    }
    let (done, said) = begin(&url, EXAMPLE);
    assert!(done, "{said}");
    let token = said.trim().rsplit('#').next().unwrap().to_owned();
    let (again, said) = begin(&url, EXAMPLE);
    assert!(!again && said.contains("holds a clinic already"), "{said}");

    let serving = serve(&product.cluster.program_url(&name));
    let http = reqwest::Client::new();
    let password = "saltmarsh heron at dawn";
    let set = json!({ "token": token, "password": password });
    let answer = http.post(format!("{}/api/set-password", serving.base)).json(&set).send().await.unwrap();
    assert_eq!(answer.status(), 200, "{}", answer.text().await.unwrap());
    let sign_in = json!({ "login": "manager", "password": password });
    let answer = http.post(format!("{}/api/sign-in", serving.base)).json(&sign_in).send().await.unwrap();
    assert_eq!(answer.status(), 200);
    let cookie = answer.headers()["set-cookie"].to_str().unwrap().split(';').next().unwrap().to_owned();
    let me: Value = answer.json().await.unwrap();
    let manager = Hand { http, base: serving.base.clone(), cookie, csrf: me["csrf"].as_str().unwrap().to_owned() };
    let clinic = manager.get("/api/clinic").await;
    assert_eq!(
        (clinic["sites"][0]["name"].as_str(), clinic["payers"][0]["name"].as_str()),
        (Some("Saltmarsh Lane"), Some("Tidewater Mutual"))
    );
    // Every first view of an empty clinic opens.
    for view in ["today", "schedule?day=2026-11-30", "in-clinic", "people?q=nobody", "supply", "staff", "services"] {
        manager.get(&format!("/api/{view}")).await;
    }
    drop(serving);
    drop_database(&product.cluster, &name).await.unwrap();
    product.stop().await.unwrap();
}

/// The value of a metric's line that begins so.
fn value(metrics: &str, beginning: &str) -> Option<f64> {
    let line = metrics.lines().find(|l| l.starts_with(beginning))?;
    line.rsplit(' ').next()?.parse().ok()
}

#[actix_web::test]
async fn it_is_watched_without_naming_a_patient_and_ends_when_told_to() {
    let product = Product::start().await.unwrap();
    let mut serving = serve(&product.cluster.program_url(product.database()));
    assert_eq!(serving.tells(), "READY=1");
    let desk = Hand::sign_in_at(&serving.base, "junia").await;
    let found = desk.get("/api/people?q=Brandvold").await;
    let person = found[0]["person"]["id"].as_str().unwrap().to_owned();
    desk.get(&format!("/api/people/{person}")).await;
    let http = reqwest::Client::new();
    let ask = async |path: &str| {
        let answer = http.get(format!("{}{path}", serving.watched_at)).send().await.unwrap();
        (answer.status().as_u16(), answer.text().await.unwrap())
    };
    assert_eq!(ask("/health").await.0, 200);
    assert_eq!(ask("/ready").await, (200, "ready\n".into()));
    let (status, metrics) = ask("/metrics").await;
    assert_eq!(status, 200);
    assert!(metrics.trim_end().ends_with("# EOF"), "the end of an OpenMetrics text");
    let answered = "harbor_answers_total{method=\"GET\",route=\"/api/people/{id}\",status=\"200\"}";
    assert_eq!(value(&metrics, answered), Some(1.0), "{metrics}");
    let within = "harbor_answer_seconds_bucket{le=\"+Inf\",method=\"GET\",route=\"/api/people\"}";
    assert_eq!(value(&metrics, within), Some(1.0), "{metrics}");
    assert_eq!(value(&metrics, "harbor_database_up"), Some(1.0));
    assert!(value(&metrics, "harbor_resident_memory_bytes").is_some_and(|bytes| bytes > 1e6), "{metrics}");
    assert_eq!(
        http.get(format!("{}/metrics", serving.base)).send().await.unwrap().status(),
        200,
        "a screen, and no metrics"
    );
    assert!(
        !http.get(format!("{}/metrics", serving.base)).send().await.unwrap().text().await.unwrap().contains("harbor_")
    );

    // A database that lacks a step is not ready, and says what to do; one that does not answer says that.
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let last = "select max(version) from __diesel_schema_migrations";
    let version: String = client.query_one(last, &[]).await.unwrap().get(0);
    client.execute("delete from __diesel_schema_migrations where version = $1", &[&version]).await.unwrap();
    let (status, said) = ask("/ready").await;
    assert!(status == 503 && said.contains("lacks 1 steps") && said.contains("harbor migrate"), "{said}");

    // As systemd ends it.
    let ended = Command::new("kill").args(["-TERM", &serving.child.id().to_string()]).status().unwrap();
    assert!(ended.success());
    let mut log = String::new();
    serving.child.stderr.take().unwrap().read_to_string(&mut log).unwrap();
    assert!(serving.child.wait().unwrap().success(), "{log}");
    assert_eq!(serving.tells(), "STOPPING=1");
    let lines: Vec<Value> =
        log.lines().map(|l| serde_json::from_str(l).unwrap_or_else(|e| panic!("{e}: {l}"))).collect();
    let seen = lines.iter().find(|l| l["route"] == "/api/people/{id}").expect("a line about the look");
    assert_eq!((seen["status"].as_u64(), seen["method"].as_str()), (Some(200), Some("GET")));
    for told in ["Brandvold", person.as_str(), "q="] {
        assert!(!log.contains(told) && !metrics.contains(told), "{told} in {log}");
    }
    product.stop().await.unwrap();
}

#[test]
fn the_unit_asks_the_program_for_what_it_knows() {
    let help = harbor().args(["serve", "--help"]).output().unwrap();
    let help = String::from_utf8_lossy(&help.stdout).into_owned();
    let started = UNIT.lines().skip_while(|l| !l.starts_with("ExecStart=")).take(2).collect::<String>();
    let flags: Vec<&str> = started.split_whitespace().filter(|w| w.starts_with("--")).collect();
    assert!(flags.len() > 5, "{started}");
    for flag in flags {
        assert!(help.contains(flag), "{flag} is in the unit and not in the program");
    }
    assert!(UNIT.contains("Type=notify"), "the program tells systemd when it is ready");
}
