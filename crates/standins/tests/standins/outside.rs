//! The stand-ins over HTTP, as the clinic meets them: every row of their tables, the same thing sent twice, nonsense sent
//! to them, their moods, and the page on which a person plays the other side.

use chrono::{DateTime, NaiveDate, TimeZone, Utc};
use harbor_core::coverage::{BenefitQuestion, InsuredPerson};
use harbor_core::orders::{
    Interpretation, LabReport, Priority, ReportStatus, ReportedValue, RequestedTest, Requisition, Said, Subject,
};
use harbor_core::prescribing::{DoseUnit, SentItem};
use harbor_formats::fhir::laboratory::write_order;
use harbor_formats::fhir::pharmacy::write_prescription;
use harbor_formats::fhir::reports::read_report;
use harbor_formats::x12::{self, Stamp, benefits};
use harbor_standins::{Mood, World};
use serde_json::{Value, json};

pub fn now() -> DateTime<Utc> {
    Utc.with_ymd_and_hms(2026, 11, 23, 15, 20, 0).unwrap()
}

pub struct Outside {
    world: World,
    base: String,
    handle: actix_web::dev::ServerHandle,
    http: reqwest::Client,
}

impl Outside {
    pub fn open(automatic: bool) -> Outside {
        let world = World::new(Some(now()), automatic);
        let (base, handle) = harbor_standins::start(world.clone()).unwrap();
        Outside { world, base, handle, http: reqwest::Client::new() }
    }

    pub async fn post(&self, path: &str, body: impl Into<reqwest::Body>) -> (u16, String) {
        let request = self.http.post(format!("{}{path}", self.base)).header("content-type", "application/json");
        let answer = request.body(body).send().await.unwrap();
        (answer.status().as_u16(), answer.text().await.unwrap())
    }

    /// A form of a page, as a browser sends it.
    pub async fn form(&self, path: &str, fields: &[(&str, &str)]) -> u16 {
        let typed = reqwest::Url::parse_with_params("http://form/", fields).unwrap();
        let request = self.http.post(format!("{}{path}", self.base)).body(typed.query().unwrap().to_owned());
        let request = request.header("content-type", "application/x-www-form-urlencoded");
        request.send().await.unwrap().status().as_u16()
    }

    async fn send(&self, path: &str, body: Value) -> (u16, Value) {
        let (status, text) = self.post(path, body.to_string()).await;
        (status, serde_json::from_str(&text).unwrap_or(Value::String(text)))
    }

    pub async fn get(&self, path: &str) -> (u16, String) {
        let answer = self.http.get(format!("{}{path}", self.base)).send().await.unwrap();
        (answer.status().as_u16(), answer.text().await.unwrap())
    }

    /// What was let go of after a number, with its own number.
    pub async fn released(&self, path: &str, after: usize) -> Vec<(usize, String)> {
        let (status, text) = self.get(&format!("{path}?after={after}")).await;
        assert_eq!(status, 200);
        let all: Vec<Value> = serde_json::from_str(&text).unwrap();
        let one = |v: &Value| (v["number"].as_u64().unwrap() as usize, v["content"].as_str().unwrap().to_owned());
        all.iter().map(one).collect()
    }

    fn received(&self, part: &str) -> usize {
        self.world.lock().received.iter().filter(|(p, _)| *p == part).count()
    }

    pub async fn close(self) {
        self.handle.stop(false).await;
    }
}

pub fn lucan() -> Subject {
    Subject {
        record_number: "IH-10005".into(),
        last: "Ferreira-Holm".into(),
        first: "Lucan".into(),
        birth_date: NaiveDate::from_ymd_opt(1968, 2, 11).unwrap(),
        sex: "M".into(),
    }
}

pub fn requisition(reference: &str, loincs: &[&str]) -> Requisition {
    let test = |(n, loinc): (usize, &&str)| RequestedTest {
        reference: format!("{reference}-{n}"),
        loinc: (*loinc).into(),
        name: format!("test {loinc}"),
        diagnoses: vec![("I10".into(), "Hypertension".into())],
        answers: vec![],
        priority: Priority::Routine,
    };
    Requisition {
        reference: reference.into(),
        subject: lucan(),
        orderer_name: "Dr. Oriane Valcourt".into(),
        orderer_npi: "1234567893".into(),
        authored: now(),
        tests: loincs.iter().enumerate().map(test).collect(),
        account: None,
        specimens: vec![],
    }
}

async fn reports(outside: &Outside) -> Vec<LabReport> {
    let all = outside.released("/laboratory/reports", 0).await;
    all.iter().map(|(_, content)| read_report(content.as_bytes()).unwrap()).collect()
}

#[actix_web::test]
async fn the_laboratory_measures_what_its_table_says() {
    let outside = Outside::open(true);
    let order = requisition("RQ1", &["2823-3", "57698-3", "3016-3", "2276-4", "99999-9"]);
    let (status, answer) = outside.post("/laboratory/fhir", write_order(&order).unwrap()).await;
    assert_eq!(status, 201, "{answer}");
    let found = reports(&outside).await;
    let of = |n: usize| found.iter().find(|r| r.number.ends_with(&format!("-{n}"))).unwrap();
    assert!(found.iter().all(|r| r.status == ReportStatus::Final && r.issued == now()));
    let potassium = &of(0).values[0];
    assert_eq!(potassium.interpretation, Some(Interpretation::High), "{potassium:?}");
    let lipids = &of(1).values;
    let high =
        lipids.iter().filter(|v| matches!(v.interpretation, Some(Interpretation::High | Interpretation::CriticalHigh)));
    assert!(lipids.len() == 4 && high.count() >= 2, "{lipids:?}");
    assert_eq!(of(2).values[0].interpretation, Some(Interpretation::Normal));
    // The person is uncertain: no number of ours, and its February 11 reads November 2.
    let (order, named) = (&of(3).order_reference, &of(3).subject);
    assert_eq!((order.as_str(), named.record_number.as_str(), named.last.as_str()), ("", "", "Ferreira-Holm"));
    assert_eq!(named.birth_date, NaiveDate::from_ymd_opt(1968, 11, 2));
    assert_eq!(of(1).subject.birth_date, Some(lucan().birth_date));
    assert_eq!(
        of(4).values[0].said,
        Said::Words("nothing abnormal found".into()),
        "it says in words what it cannot measure"
    );
    assert!(found.iter().flat_map(|r| &r.values).all(ReportedValue::has_lawful_unit));
    outside.close().await;
}

#[actix_web::test]
async fn a_correction_waits_until_somebody_releases_it() {
    let outside = Outside::open(true);
    outside.post("/laboratory/fhir", write_order(&requisition("RQ2", &["3016-3"])).unwrap()).await;
    assert_eq!(reports(&outside).await.len(), 1);
    let (_, page) = outside.get("/").await;
    let release = page.split("action=/release/").nth(1).and_then(|p| p.split('>').next()).expect("something waits");
    assert!(page.contains("corrected"), "{page}");
    let (status, _) = outside.post(&format!("/release/{release}"), "").await;
    assert!(status == 200 || status == 303, "{status}");
    let after = reports(&outside).await;
    assert_eq!((after.len(), after[1].status), (2, ReportStatus::Corrected));
    assert_eq!(after[1].values[0].interpretation, Some(Interpretation::High));
    assert_eq!(after[0].order_reference, after[1].order_reference);
    // Whoever has read the first meets only the second; released twice it goes out once.
    let all = outside.released("/laboratory/reports", 0).await;
    assert_eq!(outside.released("/laboratory/reports", all[0].0).await, [all[1].clone()]);
    outside.post(&format!("/release/{release}"), "").await;
    outside.post("/release/4711", "").await;
    assert_eq!(reports(&outside).await.len(), 2);
    outside.close().await;
}

#[actix_web::test]
async fn what_is_sent_twice_is_one_and_nonsense_is_refused() {
    let outside = Outside::open(true);
    let order = write_order(&requisition("RQ3", &["2823-3"])).unwrap();
    let item = SentItem {
        reference: "RX1".into(),
        subject: lucan(),
        prescriber_name: "Dr. Oriane Valcourt".into(),
        prescriber_npi: "1234567893".into(),
        authored: now(),
        medicine: "Calmora 20 mg tablet".into(),
        product_code: "P001".into(),
        instructions: "Take one tablet in the morning.".into(),
        dosage: None,
        group: "H1".into(),
        pharmacy: "Breakwater Pharmacy".into(),
        route: "oral".into(),
        unit: DoseUnit::Tablet,
        substitution: true,
        note: String::new(),
        replaces: None,
        approval: None,
        quantity: 30,
        days: 30,
        refills: 2,
        reason: Some(("I10".into(), "Hypertension".into())),
    };
    let prescription = write_prescription(&item).unwrap();
    let message = json!({ "reference": "M1", "channel": "text", "to": "2075550101", "body": "Your visit" }).to_string();
    for (path, body, part, taken) in [
        ("/laboratory/fhir", &order, "laboratory", 201),
        ("/pharmacy/fhir", &prescription, "pharmacy", 201),
        ("/messages", &message, "messages", 202),
    ] {
        for _ in 0..2 {
            assert_eq!(outside.post(path, body.clone()).await.0, taken, "{path}");
        }
        assert_eq!(outside.received(part), 1, "{path}");
        for nonsense in ["", "{", "[]", "\u{0}", "{\"resourceType\":\"Bundle\"}", "{\"resourceType\":7}"] {
            let (status, _) = outside.post(path, nonsense).await;
            assert!((400..500).contains(&status), "{path} {nonsense:?}: {status}");
        }
        assert_eq!(outside.received(part), 1, "{path} took nonsense");
    }
    for nonsense in ["", "ISA", "ISA*00*", "no wind today"] {
        for path in ["/exchange/files", "/exchange/benefits"] {
            assert_eq!(outside.post(path, nonsense).await.0, 422, "{path} {nonsense:?}");
        }
    }
    outside.close().await;
}

#[actix_web::test]
async fn messages_arrive_fail_bounce_or_are_never_heard_of() {
    let outside = Outside::open(true);
    for (n, (channel, to, fate)) in [
        ("text", "2075550101", Some("delivered")),
        ("text", "2075550198", Some("failed")),
        ("text", "2075550197", None),
        ("email", "wren@example.org", Some("delivered")),
        ("email", "bounce.me@example.org", Some("bounced")),
        ("email", "not.98@example.org", Some("delivered")),
    ]
    .into_iter()
    .enumerate()
    {
        let before = outside.released("/messages/fates", 0).await.len();
        let body = json!({ "reference": format!("M{n}"), "channel": channel, "to": to, "subject": "s", "body": "b" });
        assert_eq!(outside.send("/messages", body).await.0, 202);
        let fates = outside.released("/messages/fates", 0).await;
        let told = fates.get(before).map(|(_, content)| serde_json::from_str::<Value>(content).unwrap());
        assert_eq!(told.as_ref().map(|t| t["fate"].as_str().unwrap()), fate, "{channel} {to}");
        if let Some(told) = told {
            assert_eq!(told["reference"], format!("M{n}"));
            assert_eq!(told["why"].as_str().unwrap().is_empty(), fate == Some("delivered"));
        }
    }
    for wrong in [json!({ "channel": "pigeon", "to": "x" }), json!({ "channel": "text", "to": "" })] {
        let mut body = json!({ "reference": "M9", "body": "b" });
        body.as_object_mut().unwrap().extend(wrong.as_object().unwrap().clone());
        assert_eq!(outside.send("/messages", body).await.0, 422);
    }
    outside.close().await;
}

#[actix_web::test]
async fn the_terminal_charges_once_and_remembers_it() {
    let outside = Outside::open(true);
    let charge = async |reference: &str, cents: i64| {
        outside.send("/card/charges", json!({ "reference": reference, "cents": cents })).await
    };
    let (_, first) = charge("P1", 2500).await;
    assert_eq!(first["approved"], true);
    assert_eq!(charge("P1", 2500).await.1, first, "asked again it is the same charge");
    assert_eq!(charge("P2", 2513).await.1["approved"], false);
    // Both time out; only one of them was charged, which the record tells.
    assert_eq!((charge("P3", 2514).await.0, charge("P4", 2515).await.0), (504, 504));
    let on_record = async |reference: &str| outside.get(&format!("/card/charges/{reference}")).await.0;
    assert_eq!((on_record("P2").await, on_record("P3").await, on_record("P4").await), (404, 404, 200));
    let (status, again) = charge("P4", 2515).await;
    assert_eq!((status, &again["approved"]), (200, &json!(true)), "repeated, it says what it did");
    let (_, back) = outside.send("/card/refunds", json!({ "reference": "R1", "cents": 2500 })).await;
    assert_eq!(back["approved"], true);
    let (_, twice) = outside.send("/card/refunds", json!({ "reference": "R1", "cents": 2500 })).await;
    assert_eq!(twice, back, "money goes back once");
    assert_eq!(outside.received("card terminal"), 3, "two charges and a refund");
    outside.close().await;
}

fn question(subscriber: &str) -> String {
    let stamp = Stamp {
        at: now().naive_utc(),
        control: 7,
        production: false,
        sender: "INDIGOHBR".into(),
        receiver: "CAUSEWAY".into(),
    };
    let q = BenefitQuestion {
        trace: "BQ7".into(),
        payer_name: "SALTMARSH MUTUAL HEALTH PLAN".into(),
        payer_id: "SALTM".into(),
        provider_name: "INDIGO HARBOR FAMILY CLINIC".into(),
        provider_npi: "1234567893".into(),
        subscriber: InsuredPerson {
            last: "QUARRIE".into(),
            first: "INES".into(),
            subscriber_number: subscriber.into(),
            ..InsuredPerson::default()
        },
        dependent: None,
        service_date: now().date_naive(),
    };
    benefits::write_question(&stamp, &q)
}

#[actix_web::test]
async fn a_benefits_question_is_answered_at_once_with_its_own_trace() {
    let outside = Outside::open(false);
    let ask = async |subscriber: &str| {
        let (status, text) = outside.post("/exchange/benefits", question(subscriber)).await;
        assert_eq!(status, 200);
        let document = x12::read(&text).map_err(|e| e.to_string())?;
        benefits::read_answer(&document.interchanges[0].groups[0].sets[0]).map_err(|e| e.to_string())
    };
    let good = ask("SM510").await.unwrap();
    assert_eq!((good.trace.as_str(), good.active), ("BQ7", Some(true)), "never waits for anybody");
    assert_eq!(ask("SM592").await.unwrap().refusals[0].reason, "75");
    assert!(ask("SM597").await.is_err(), "nonsense is no answer");
    assert_eq!(outside.received("payer"), 3);
    outside.close().await;
}

#[actix_web::test]
async fn each_mood_is_kept_to_by_every_part() {
    let outside = Outside::open(true);
    let asked: [(&str, Option<Value>); 8] = [
        ("/laboratory/fhir", Some(json!({}))),
        ("/laboratory/reports", None),
        ("/exchange/files", None),
        ("/exchange/benefits", Some(json!({}))),
        ("/pharmacy/fhir", Some(json!({}))),
        ("/messages", Some(json!({ "reference": "M1", "channel": "text", "to": "1", "body": "b" }))),
        ("/addresses", Some(json!({ "line": "7 Ropewalk" }))),
        ("/card/charges", Some(json!({ "reference": "P1", "cents": 100 }))),
    ];
    for (mood, status, words) in [(Mood::Down, 503, "closed"), (Mood::Nonsense, 200, "lovely day")] {
        outside.world.lock().mood = mood;
        for (path, body) in &asked {
            let (said, text) = match body {
                Some(body) => outside.post(path, body.to_string()).await,
                None => outside.get(path).await,
            };
            assert!(said == status && text.contains(words), "{mood:?} {path}: {said} {text}");
        }
    }
    assert!(outside.world.lock().received.is_empty(), "nobody works in such a mood");
    // Silent: it is worked on, and the answer never comes.
    outside.world.lock().mood = Mood::Silent;
    let request = outside.http.post(format!("{}/messages", outside.base)).header("content-type", "application/json");
    let sent = request.body(asked[5].1.as_ref().unwrap().to_string()).send();
    let answer = tokio::time::timeout(std::time::Duration::from_millis(400), sent).await;
    assert!(answer.is_err(), "an answer came");
    assert_eq!(outside.received("messages"), 1);
    outside.close().await;
}

#[actix_web::test]
async fn the_page_shows_what_came_in_and_runs_nothing_of_it() {
    let outside = Outside::open(false);
    let body = json!({ "reference": "M1", "channel": "text", "to": "1", "body": "<script>alert(1)</script> & \"so\"" });
    outside.send("/messages", body).await;
    let (status, page) = outside.get("/").await;
    assert_eq!(status, 200);
    assert!(page.contains("&lt;script>alert(1)") && !page.contains("<script>"), "{page}");
    assert!(page.contains("messages: text to 1") && page.contains("Waiting to be released"));
    assert!(outside.released("/messages/fates", 0).await.is_empty(), "its fate waits for somebody");
    // From now on it is answered at once; what waits goes on to wait.
    assert!(page.contains("waits for somebody"));
    outside.form("/automatic", &[("x", "1")]).await;
    assert!(outside.get("/").await.1.contains("is answered at once"));
    outside.send("/messages", json!({ "reference": "M2", "channel": "text", "to": "1", "body": "b" })).await;
    assert_eq!(outside.released("/messages/fates", 0).await.len(), 1);
    outside.close().await;
}
