//! Claims: what the file tells, and answers that belong to nothing we know.

use crate::building::Visit;
use crate::line::{send_claim, to_charges};
use crate::{Hand, id};
use harbor_core::claims::Subscriber;
use harbor_demo::testing::Product;
use harbor_formats::x12::claim_status::{self, ClaimStatus, Parties};
use harbor_formats::x12::{self, Stamp, file_ack};
use harbor_standins::Outgoing;
use serde_json::{Value, json};

pub fn stamp(sender: &str, control: u32) -> Stamp {
    let at = chrono::NaiveDate::from_ymd_opt(2026, 11, 23).unwrap().and_hms_opt(15, 0, 0).unwrap();
    Stamp { at, control, production: false, sender: sender.into(), receiver: "INDIGOHBR".into() }
}

/// Something that the clearing house has for us.
pub fn exchange_says(product: &Product, what: &str, content: String) {
    let waits = Outgoing { part: "exchange", what: what.into(), content, released: true };
    product.outside.lock().outgoing.push(waits);
}

pub fn acknowledged(sender: &str, control: i64, version: &str, outcome: &str) -> String {
    let ack = file_ack::FileAck {
        group_kind: "HC".into(),
        group_control: control.to_string(),
        group_version: version.into(),
        outcome: outcome.into(),
        sets: vec![],
    };
    file_ack::write(&stamp(sender, 600_001), &ack)
}

async fn text(hand: &Hand, path: &str) -> String {
    String::from_utf8(hand.file(path).await.1).unwrap()
}

/// The file of the latest batch, as it went out.
pub async fn sent(biller: &Hand) -> (Value, String) {
    let batch = biller.get("/api/batches").await[0].clone();
    let file = text(biller, &format!("/api/files/{}", batch["documentId"].as_str().unwrap())).await;
    (batch, file)
}

fn read(file: &str) -> harbor_formats::x12::claim::Batch {
    let document = x12::read(file).unwrap();
    x12::claim::read(&document.interchanges[0].groups[0].sets[0]).unwrap()
}

#[actix_web::test]
async fn an_answer_about_anothers_file_moves_nothing_and_becomes_work() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let walk = to_charges(&product, "SM55510").await;
    let (biller, claim) = send_claim(&product, &walk).await;
    let batch = biller.until("/api/batches", |b| b[0]["state"] == "accepted").await[0].clone();
    let control = batch["control"].as_i64().unwrap();

    // Our number, but of another sender, another kind of file, and one that never went out.
    exchange_says(&product, "999", acknowledged("ELSEWHERE", control, x12::claim::VERSION, "R"));
    exchange_says(&product, "999", acknowledged("CAUSEWAY", control, x12::benefits::VERSION, "R"));
    exchange_says(&product, "999", acknowledged("CAUSEWAY", 987_654, x12::claim::VERSION, "R"));
    let unknown = ClaimStatus {
        claim_number: "C99999999".into(),
        statuses: vec![("A7".into(), "164".into(), "PR".into())],
        patient_last: "NOBODY".into(),
        patient_first: "NOA".into(),
        ..ClaimStatus::default()
    };
    let parties = Parties {
        reference: "B1".into(),
        payer: ("CAUSEWAY EXCHANGE".into(), "CAUSEWAY".into()),
        receiver: ("INDIGO HARBOR FAMILY CLINIC".into(), "INDIGOHBR".into()),
        provider: ("INDIGO HARBOR FAMILY CLINIC".into(), "1234567893".into()),
    };
    exchange_says(&product, "277CA", claim_status::write(&stamp("CAUSEWAY", 600_002), &parties, &[unknown]));
    let stray = biller.until("/api/stray-answers", |s| s.as_array().unwrap().len() == 4).await;
    let said: Vec<&str> = stray.as_array().unwrap().iter().map(|s| s["sentence"].as_str().unwrap()).collect();
    assert_eq!(
        said,
        [
            "It names as its sender ELSEWHERE, not CAUSEWAY.",
            "It names the version 005010X279A1, not 005010X222A1.",
            "No file of claims went out under the number 987654.",
            "Claim C99999999 of NOA NOBODY is none of ours; it is said: subscriber number (A7 164)."
        ]
    );
    let now = biller.get(&format!("/api/claims/{}", id(&claim))).await;
    assert_eq!(now["claim"]["claim"]["state"], "accepted", "nothing moved it");
    let today = biller.get("/api/today").await;
    let groups: Vec<&str> = today["waiting"].as_array().unwrap().iter().map(|w| w["group"].as_str().unwrap()).collect();
    assert_eq!(groups.iter().filter(|g| **g == "Answers that match nothing").count(), 4, "{groups:?}");

    // Somebody sees to it, once.
    let seen = format!("/api/stray-answers/{}/seen", id(&stray[0]));
    biller.post(&seen, json!({})).await.ok();
    assert_eq!(biller.post(&seen, json!({})).await.status, 422);
    let nobody = "/api/stray-answers/00000000-0000-7000-8000-000000000009/seen";
    assert_eq!(biller.post(nobody, json!({})).await.status, 404);
    assert_eq!(biller.get("/api/stray-answers").await.as_array().unwrap().len(), 3);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn no_control_number_is_used_twice_whatever_is_in_the_file() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    let (biller, _) = send_claim(&product, &walk).await;
    let (_, file) = sent(&biller).await;
    let readable =
        format!("/api/files/{}?as=text", biller.get("/api/batches").await[0]["documentId"].as_str().unwrap());
    let readable = text(&biller, &readable).await;
    assert!(readable.contains("837P 0001: 1 claims, 195.00 in all") && readable.contains("diagnoses"), "{readable}");
    let control = |text: &str| x12::read(text).unwrap().interchanges[0].envelope.control.clone();
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let rows =
        client.query("select content from documents where kind = '270' and direction = 'out'", &[]).await.unwrap();
    let asked: Vec<Vec<u8>> = rows.iter().map(|row| row.get(0)).collect();
    assert!(!asked.is_empty(), "benefits were asked for");
    let mut all: Vec<String> = asked.iter().map(|f| control(std::str::from_utf8(f).unwrap())).collect();
    all.push(control(&file));
    let how_many = all.len();
    all.sort_unstable();
    all.dedup();
    assert_eq!(all.len(), how_many, "{all:?}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_accident_at_work_goes_out_with_the_employer_and_the_funds_number() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.here().await;
    let clinic = visit.desk.get("/api/clinic").await;
    let fund = clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == "FERRY").map(id).unwrap();
    let policy = json!({ "payerId": fund, "subscriberNumber": "FW55510", "rank": "S" });
    let policy = visit.desk.post(&format!("/api/people/{}/coverages", visit.person), policy).await.ok();
    let visit = visit
        .roomed()
        .await
        .diagnosed(&["S93.401A"])
        .await
        .noted("plan", "Seen; back in four weeks.")
        .await
        .signed()
        .await;
    let pays = json!({ "coverageId": id(&policy) });
    visit.desk.post(&visit.path("/payer"), pays).await.ok();
    let codes = async || {
        let charges = visit.clinician.get(&visit.path("/charges")).await;
        let all = charges["faults"].as_array().unwrap().clone();
        all.iter().map(|f| f["code"].as_str().unwrap().to_owned()).collect::<Vec<_>>()
    };
    assert_eq!(codes().await, ["accident_date", "employer", "accident_number"]);
    let told = async |body: Value| visit.desk.put(&visit.path("/accident"), body).await;
    assert_eq!(told(json!({ "date": "1/1/2031", "cause": "EM" })).await.status, 422, "it has happened");
    assert_eq!(told(json!({ "date": "11/2/2026", "cause": "AA" })).await.status, 422, "in which state");
    told(json!({
        "date": "11/2/2026", "cause": "EM", "number": "W-88", "employer": "Kelp & Sons",
        "employerLine": "9 Ropewalk", "employerCity": "Port Calder", "employerState": "ME", "employerPostalCode": "04998"
    }))
    .await
    .ok();
    assert_eq!(codes().await, [""; 0]);
    visit.clinician.post(&visit.path("/charges/complete"), json!({})).await.ok();
    let biller = Hand::sign_in(&product, "agathe").await;
    let claims = biller.get("/api/claims?state=ready").await;
    let claim =
        claims.as_array().unwrap().iter().find(|c| c["visit"]["id"] == visit.id.as_str()).unwrap()["claim"].clone();
    let told = async || biller.get(&format!("/api/claims/{}/as-sent", id(&claim))).await;
    let before = told().await;
    assert!(before["sentAt"].is_null() && before["segments"].to_string().contains("REF*Y4*W-88"), "{before}");
    biller.post("/api/batches", json!({ "claimIds": [claim["id"]] })).await.ok();
    let after = told().await;
    assert!(after["sentAt"].is_string() && after["segments"] == before["segments"], "{after}");
    let sent = read(&sent(&biller).await.1).claims.remove(0);
    assert!(matches!(&sent.subscriber, Some(Subscriber::Employer { name, .. }) if name == "KELP & SONS"), "{sent:?}");
    let accident = sent.accident.unwrap();
    assert_eq!((accident.cause.as_str(), accident.number.as_str()), ("EM", "W-88"));
    let form = format!("/api/claims/{}/form", id(&claim));
    assert!(biller.file(&form).await.1.starts_with(b"%PDF-"));
    // It tells diagnoses, so a chart under restriction stays closed here too.
    let manager = Hand::sign_in(&product, "soren").await;
    let closed = json!({ "restricted": true, "reason": "works here" });
    manager.post(&format!("/api/people/{}/restriction", visit.person), closed).await.ok();
    for path in [format!("/api/claims/{}/as-sent", id(&claim)), form] {
        assert_eq!(biller.ask("get", &path, None).await.body["type"], "urn:indigo-harbor:restricted-chart", "{path}");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_site_elsewhere_is_told_on_the_claim_and_in_the_patients_calendar() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let sites = manager.get("/api/clinic").await["sites"].clone();
    let quayside = sites.as_array().unwrap().iter().find(|s| s["name"] == "Quayside").unwrap().clone();
    let at = format!("/api/settings/sites/{}", id(&quayside));
    let half =
        json!({ "addressLine": "18 Lantern Hill", "city": "", "state": "", "postalCode": "", "placeOfService": "11" });
    assert_eq!(manager.put(&at, half).await.status, 422, "a whole address or none");
    let visit = Visit::booked(&product, "oriane").await;
    let calendar = text(&visit.desk, &visit.path("/calendar")).await;
    assert!(!calendar.contains("18 Lantern Hill"), "{calendar}");
    let whole = json!({
        "addressLine": "18 Lantern Hill", "city": "Port Calder", "state": "me", "postalCode": "04998-0118", "placeOfService": "11"
    });
    manager.put(&at, whole).await.ok();
    let calendar = text(&visit.desk, &visit.path("/calendar")).await;
    assert!(calendar.contains("18 Lantern Hill"), "{calendar}");
    let visit =
        visit.roomed().await.diagnosed(&["I10"]).await.noted("plan", "Seen; back in four weeks.").await.charged().await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let claims = biller.get("/api/claims?state=ready").await;
    let claim =
        claims.as_array().unwrap().iter().find(|c| c["visit"]["id"] == visit.id.as_str()).unwrap()["claim"].clone();
    biller.post("/api/batches", json!({ "claimIds": [claim["id"]] })).await.ok();
    let sent = read(&sent(&biller).await.1).claims.remove(0);
    let place = sent.facility.unwrap();
    assert_eq!(
        (place.name.as_str(), place.address.line.as_str(), place.address.postal_code.as_str()),
        ("QUAYSIDE", "18 LANTERN HILL", "049980118")
    );
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn claims_are_looked_for_by_day_payer_and_clinician_and_summed() {
    let product = Product::start().await.unwrap();
    let biller = Hand::sign_in(&product, "agathe").await;
    let clinic = biller.get("/api/clinic").await;
    let listed = async |asked: &str| biller.get(&format!("/api/claims?{asked}")).await.as_array().unwrap().clone();
    let sums = async |asked: &str| biller.get(&format!("/api/claims/sums?{asked}")).await;
    // Page by page, the whole list.
    let paged = async |asked: &str| {
        let mut all: Vec<Value> = Vec::new();
        loop {
            let after =
                all.last().map(|c| format!("&after={}", c["claim"]["id"].as_str().unwrap())).unwrap_or_default();
            let page = listed(&format!("limit=300&{asked}{after}")).await;
            if page.is_empty() {
                return all;
            }
            all.extend(page);
        }
    };
    let all = paged("").await;
    assert!(all.len() > 100 && all[..70] == listed("limit=70").await[..], "{}", all.len());
    let payer = clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == "BEACN").map(id).unwrap();
    let clinician = clinic["staff"].as_array().unwrap().iter().find(|s| s["login"] == "tobias").map(id).unwrap();
    let day = |c: &Value| c["visit"]["day"].as_str().unwrap().to_owned();
    type Fits<'a> = &'a dyn Fn(&Value) -> bool;
    let wrong = |c: &Value| !c["claim"]["reasons"].as_array().unwrap().is_empty();
    let cases: [(String, Fits); 7] = [
        ("state=ready".into(), &|c| c["claim"]["state"] == "ready"),
        (format!("payerId={payer}"), &|c| c["claim"]["payerId"] == payer.as_str()),
        (format!("clinicianId={clinician}"), &|c| c["visit"]["clinicianId"] == clinician.as_str()),
        ("from=2026-10-01&to=10/31/2026".into(), &|c| {
            ("2026-10-01".to_owned()..="2026-10-31".to_owned()).contains(&day(c))
        }),
        ("least=150&most=200".into(), &|c| (15_000..=20_000).contains(&c["claim"]["totalCents"].as_i64().unwrap())),
        ("wrong=true".into(), &wrong),
        ("by=deadline&to=2027-01-15".into(), &|c| c["deadline"].as_str().is_some_and(|d| d <= "2027-01-15")),
    ];
    for (asked, fits) in &cases {
        let found = paged(asked).await;
        let expected: Vec<&Value> = all.iter().filter(|c| fits(c)).map(|c| &c["claim"]["id"]).collect();
        assert!(
            !expected.is_empty() && expected.len() < all.len(),
            "{asked} tells some from others: {}",
            expected.len()
        );
        assert_eq!(found.iter().map(|c| &c["claim"]["id"]).collect::<Vec<_>>(), expected, "{asked}");
        let cents: i64 = found.iter().map(|c| c["claim"]["totalCents"].as_i64().unwrap()).sum();
        assert_eq!(sums(asked).await, json!({ "claims": found.len(), "cents": cents, "more": false }), "{asked}");
    }
    let nobody = "/api/claims?after=00000000-0000-7000-8000-000000000009";
    assert_eq!(biller.ask("GET", nobody, None).await.status, 404, "no such last claim");
    for wrong in ["by=moon", "state=lost", "from=soon", "least=much"] {
        assert_eq!(biller.ask("GET", &format!("/api/claims?{wrong}"), None).await.status, 422, "{wrong}");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_is_looked_for_often_is_kept_under_a_name_of_ones_own() {
    let product = Product::start().await.unwrap();
    let biller = Hand::sign_in(&product, "agathe").await;
    let keep = async |name: &str, asked: &str| {
        biller.put("/api/saved-views", json!({ "place": "claims", "name": name, "asked": asked })).await
    };
    keep("Late ones", r#"{"by":"deadline"}"#).await.ok();
    keep("late ones", r#"{"by":"deadline","wrong":true}"#).await.ok();
    keep("Denied", r#"{"state":"denied"}"#).await.ok();
    let mine = biller.get("/api/saved-views?place=claims").await;
    let names: Vec<&str> = mine.as_array().unwrap().iter().map(|v| v["name"].as_str().unwrap()).collect();
    assert_eq!(names.len(), 2, "one of that name is said anew: {mine}");
    assert!(mine.to_string().contains("wrong"), "{mine}");
    assert_eq!(keep(" ", "{}").await.status, 422);
    assert_eq!(keep("Long", &"x".repeat(1001)).await.status, 422);
    // They are nobody else's.
    let manager = Hand::sign_in(&product, "soren").await;
    assert_eq!(manager.get("/api/saved-views?place=claims").await, json!([]));
    let path = format!("/api/saved-views/{}", id(&mine[0]));
    assert_eq!(manager.ask("delete", &path, None).await.status, 404);
    biller.ask("delete", &path, None).await.ok();
    assert_eq!(biller.get("/api/saved-views?place=claims").await.as_array().unwrap().len(), 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_first_payer_is_told_of_the_policy_that_is_asked_after_it() {
    let product = Product::start().await.unwrap();
    product.outside.lock().automatic = false;
    let walk = to_charges(&product, "SM55510").await;
    let desk = Hand::sign_in(&product, "junia").await;
    let clinic = desk.get("/api/clinic").await;
    let payer =
        |code: &str| clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == code).map(id).unwrap();
    // The employers' fund pays for accidents at work and comes after nobody.
    for (rank, code, number) in [("S", "BEACN", "BB7781"), ("T", "FERRY", "F1")] {
        let policy =
            json!({ "payerId": payer(code), "subscriberNumber": number, "rank": rank, "startsOn": "1/1/2026" });
        desk.post(&format!("/api/people/{}/coverages", walk.person), policy).await.ok();
    }
    let (biller, _) = send_claim(&product, &walk).await;
    let (_, file) = sent(&biller).await;
    let claim = read(&file).claims.remove(0);
    let others: Vec<(&str, &str, &str, Option<_>)> =
        claim.others.iter().map(|o| (o.id.as_str(), o.rank.code(), o.subscriber_number.as_str(), o.paid)).collect();
    assert_eq!(others, [("BEACN", "S", "BB7781", None)], "{file}");
    product.stop().await.unwrap();
}
