//! Results: which report holds, who reads it, whom it is about, and how it is found again.

use crate::building::Visit;
use crate::{Hand, id, restrict};
use harbor_core::orders::candidates::NamedPerson;
use harbor_core::orders::{LabReport, Limits, ReportFile, ReportStatus, ReportedValue, Said};
use harbor_demo::testing::Product;
use harbor_formats::fhir::reports::write_report;
use harbor_server::work::take_report;
use serde_json::{Value, json};

fn potassium_of(number: f64) -> ReportedValue {
    let usual = ReportedValue::measured("2823-3", "Potassium", number, "mmol/L", 3.5, 5.1);
    ReportedValue { critical: Limits::between(2.8, 6.2), interpretation: None, flagged_by: None, ..usual }.interpreted()
}

/// A report of one potassium.
pub fn potassium(number: &str, order: &str, about: &str, status: ReportStatus, value: f64) -> LabReport {
    LabReport {
        number: number.into(),
        order_reference: order.into(),
        subject: NamedPerson { record_number: about.into(), ..NamedPerson::default() },
        status,
        issued: harbor_demo::testing::now(),
        name: "Potassium".into(),
        performer: "Gannet Point Laboratory".into(),
        values: vec![potassium_of(value)],
        conclusion: String::new(),
        files: vec![],
    }
}

pub async fn take(product: &Product, report: &LabReport) {
    take_report(&product.server.state, &write_report(report).unwrap()).await.unwrap();
}

/// The reports of a number that wait for a reader.
pub async fn waiting(doctor: &Hand, number: &str) -> Vec<Value> {
    let all = doctor.get("/api/results?all=true").await;
    all["waiting"].as_array().unwrap().iter().filter(|r| r["number"] == number).cloned().collect()
}

pub async fn opened(doctor: &Hand, one: &Value) -> Value {
    doctor.get(&format!("/api/results/{}", id(one))).await
}

/// A visit with an order of potassium that was sent, with the number of its person.
pub async fn ordered(product: &Product) -> (Visit, String, String) {
    // What the laboratory says is said by the test.
    product.outside.lock().automatic = false;
    let visit = Visit::booked(product, "oriane").await.roomed().await.diagnosed(&["E87.6"]).await;
    let ordered = visit.clinician.post(&visit.path("/orders"), json!({ "items": ["K"] })).await.ok();
    let person = visit.clinician.get(&format!("/api/people/{}", visit.person)).await;
    let number = person["person"]["recordNumber"].as_str().unwrap().to_owned();
    (visit, ordered[0]["order"]["id"].as_str().unwrap().to_owned(), number)
}

async fn state_of_order(visit: &Visit) -> Value {
    visit.clinician.get(&visit.path("/chart")).await["orders"][0]["order"]["state"].clone()
}

#[actix_web::test]
async fn the_same_report_twice_is_one_and_a_corrected_one_says_what_changed() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let send = async |status, value| take(&product, &potassium("GP-TWICE", "", "", status, value)).await;
    for _ in 0..3 {
        send(ReportStatus::Final, 4.0).await;
    }
    let seen = waiting(&doctor, "GP-TWICE").await;
    assert_eq!((seen.len(), seen[0]["person"].is_null()), (1, true), "nothing is filed by guess");
    // A preliminary one that was under way for long says nothing new.
    send(ReportStatus::Preliminary, 3.9).await;
    let seen = waiting(&doctor, "GP-TWICE").await;
    assert_eq!((seen.len(), &seen[0]["status"]), (1, &json!("final")));
    send(ReportStatus::Corrected, 6.0).await;
    let seen = waiting(&doctor, "GP-TWICE").await;
    assert_eq!((seen.len(), &seen[0]["urgency"]), (1, &json!("outside")));
    assert_eq!(opened(&doctor, &seen[0]).await["values"][0]["was"], "4 mmol/L");
    product.stop().await.unwrap();
}

/// The end is the same in whatever order the reports of a number come, also all at once.
#[actix_web::test]
async fn in_whatever_order_reports_come_the_same_one_holds() {
    let product = Product::start().await.unwrap();
    let (visit, _, own) = ordered(&product).await;
    let all = visit.clinician.post(&visit.path("/orders"), json!({ "items": vec!["K"; 9] })).await.ok();
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    let orders: Vec<String> =
        all.as_array().unwrap().iter().map(|o| o["order"]["id"].as_str().unwrap().to_owned()).collect();
    let mut chance: u64 = 20_261_123;
    for (n, order) in orders.iter().enumerate() {
        let said = |status, minutes, value| LabReport {
            issued: harbor_demo::testing::now() + chrono::Duration::minutes(minutes),
            ..potassium(&format!("GP-ANY-{n}"), order, &own, status, value)
        };
        let mut reports = vec![
            said(ReportStatus::Preliminary, 0, 3.9),
            said(ReportStatus::Preliminary, 9, 4.4),
            said(ReportStatus::Final, 1, 4.0),
            said(ReportStatus::Corrected, 2, 5.8),
            said(ReportStatus::Corrected, 3, 6.5),
        ];
        for at in (1..reports.len()).rev() {
            chance = chance.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
            reports.swap(at, usize::try_from(chance >> 33).unwrap() % (at + 1));
        }
        let [a, b, c, d, e] = &reports[..] else { unreachable!() };
        if n % 2 == 0 {
            for report in &reports {
                take(&product, report).await;
            }
        } else {
            let at_once = |r| take(&product, r);
            tokio::join!(at_once(a), at_once(b), at_once(c), at_once(d), at_once(e));
        }
        let hold = waiting(&visit.clinician, &format!("GP-ANY-{n}")).await;
        let told: Vec<&ReportStatus> = reports.iter().map(|r| &r.status).collect();
        assert_eq!((hold.len(), &hold[0]["status"]), (1, &json!("corrected")), "{n}: {told:?}");
        let view = opened(&visit.clinician, &hold[0]).await;
        assert_eq!(view["values"][0]["value"]["number"], 6.5, "{n}: {told:?}");
        assert_eq!(view["order"]["state"], "resulted");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_report_about_somebody_else_waits_whatever_order_it_names() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    let uncertain = async || {
        let seen = waiting(&visit.clinician, "GP-WHOSE").await;
        (seen.len(), seen.iter().filter(|r| r["person"].is_null()).count())
    };
    let send = async |about: &str, status, value| {
        take(&product, &potassium("GP-WHOSE", &order, about, status, value)).await;
    };
    for about in ["IH-10005", ""] {
        send(about, ReportStatus::Final, 6.9).await;
    }
    // Their number on the label of somebody born on another day.
    let mut mixed_up = potassium("GP-WHOSE-2", &order, &own, ReportStatus::Final, 6.9);
    mixed_up.subject.birth_date = chrono::NaiveDate::from_ymd_opt(1950, 1, 1);
    take(&product, &mixed_up).await;
    assert!(waiting(&visit.clinician, "GP-WHOSE-2").await[0]["person"].is_null());
    assert_eq!(uncertain().await, (2, 2), "nobody is certain");
    assert_ne!(state_of_order(&visit).await, "resulted");
    // Their own comes in beside those, and is filed.
    send(&own.to_lowercase(), ReportStatus::Preliminary, 4.4).await;
    assert_eq!(uncertain().await, (3, 2));
    assert_eq!(state_of_order(&visit).await, "preliminary");
    // The final one takes its place in the chart too, and what comes late is not shown beside it.
    send(&own, ReportStatus::Final, 4.5).await;
    send(&own, ReportStatus::Preliminary, 4.3).await;
    let chart = visit.clinician.get(&visit.path("/chart")).await;
    let shown: Vec<&Value> = chart["reports"].as_array().unwrap().iter().map(|r| &r["status"]).collect();
    assert_eq!(shown, [&json!("final")]);
    // A cancelled report is no result: somebody decides what becomes of the order.
    send(&own, ReportStatus::Cancelled, 4.4).await;
    assert_eq!(state_of_order(&visit).await, "rejected");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_uncertain_result_is_filed_under_its_order_and_taken_away_again() {
    let product = Product::start().await.unwrap();
    let (visit, order, _) = ordered(&product).await;
    let doctor = &visit.clinician;
    doctor.post(&visit.path("/orders/send"), json!({})).await.ok();
    let named = NamedPerson {
        last: "Quarry".into(),
        first: "Inez".into(),
        birth_date: chrono::NaiveDate::from_ymd_opt(1999, 2, 13),
        sex: "F".into(),
        ..NamedPerson::default()
    };
    take(&product, &LabReport { subject: named, ..potassium("GP-LOST", "", "", ReportStatus::Final, 6.9) }).await;
    let lost = waiting(doctor, "GP-LOST").await.remove(0);
    assert_eq!((&lost["urgency"], &lost["named"]), (&json!("critical"), &json!("Quarry, Inez")));
    let path = format!("/api/results/{}", id(&lost));
    let refused = doctor.post(&format!("{path}/review"), json!({})).await;
    assert_eq!(refused.detail(), "File the result under its person first.");
    let first = doctor.get(&format!("{path}/candidates")).await[0].clone();
    assert_eq!(first["person"]["id"], visit.person.as_str(), "{first}");
    let reasons = first["forIt"].to_string();
    for reason in ["last name sounds alike", "same birth date", "Potassium is ordered for them and has no result"] {
        assert!(reasons.contains(reason), "{reasons}");
    }
    // Under nobody, under an order of somebody else, by who only looks: refused.
    let match_to = |person: &str, order: &str| json!({ "personId": person, "orderId": order, "reason": "compared" });
    let nobody = match_to(&uuid::Uuid::now_v7().to_string(), &order);
    assert_eq!(doctor.post(&format!("{path}/match"), nobody).await.status, 404);
    let lucan = id(&doctor.person("Ferreira").await);
    assert_eq!(doctor.post(&format!("{path}/match"), match_to(&lucan, &order)).await.status, 422);
    assert_eq!(visit.assistant.post(&format!("{path}/match"), match_to(&visit.person, &order)).await.status, 403);
    doctor.post(&format!("{path}/match"), match_to(&visit.person, &order)).await.ok();
    assert_eq!(state_of_order(&visit).await, "resulted");
    assert_eq!(opened(doctor, &lost).await["mine"], true, "who ordered reads it");
    doctor.post(&format!("{path}/review"), json!({ "comment": "Called." })).await.ok();
    // It was somebody else's after all.
    let away = format!("{path}/take-away");
    assert_eq!(doctor.post(&away, json!({ "reason": " " })).await.status, 422);
    doctor.post(&away, json!({ "reason": "the laboratory called" })).await.ok();
    assert_eq!(doctor.post(&away, json!({ "reason": "again" })).await.status, 422, "it is filed under nobody");
    assert_eq!(state_of_order(&visit).await, "accepted");
    let again = waiting(doctor, "GP-LOST").await.remove(0);
    assert!(again["person"].is_null(), "signed by nobody: {again}");
    doctor.post(&format!("{path}/match"), json!({ "personId": lucan })).await.ok();
    for (person, filed) in [(&visit.person, json!([false, true])), (&lucan, json!([true]))] {
        let grid = doctor.get(&format!("/api/people/{person}/results")).await;
        let of_this = grid["filings"].as_array().unwrap().iter().filter(|f| f["reportId"] == id(&lost).as_str());
        let told: Vec<&Value> = of_this.map(|f| &f["filed"]).collect();
        assert_eq!(json!(told), filed, "both charts tell it");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_record_that_is_closed_takes_no_result_and_tells_none() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    let doctor = &visit.clinician;
    let mut named = potassium("GP-NAMED", "", "", ReportStatus::Final, 4.0);
    named.subject.last = "Quarrie".into();
    named.subject.first = "Ines".into();
    take(&product, &named).await;
    take(&product, &potassium("GP-OWN", &order, &own, ReportStatus::Final, 6.9)).await;
    restrict(&product, &visit.person).await;
    let mine = waiting(doctor, "GP-OWN").await.remove(0);
    assert_eq!((&mine["closed"], &mine["name"], &mine["outside"]), (&json!(true), &json!(""), &json!(0)));
    let path = format!("/api/results/{}", id(&mine));
    assert_eq!(doctor.ask("get", &path, None).await.status, 403);
    assert_eq!(doctor.post(&format!("{path}/review"), json!({ "comment": "fine" })).await.status, 403);
    let lost = waiting(doctor, "GP-NAMED").await.remove(0);
    let lost = format!("/api/results/{}", id(&lost));
    let first = doctor.get(&format!("{lost}/candidates")).await[0].clone();
    assert_eq!((&first["closed"], &first["orders"]), (&json!(true), &json!([])));
    // Neither that something is ordered for her nor that nothing is.
    assert!(!first.to_string().contains("ordered for them"), "{first}");
    let under = json!({ "personId": visit.person });
    assert_eq!(doctor.post(&format!("{lost}/match"), under.clone()).await.status, 403);
    doctor.post(&format!("/api/people/{}/open-chart", visit.person), json!({ "reason": "I ordered it" })).await.ok();
    assert_eq!(waiting(doctor, "GP-OWN").await[0]["outside"], 1);
    doctor.post(&format!("{lost}/match"), under).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_is_pressing_comes_first_and_what_is_usual_is_signed_together() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    let doctor = &visit.clinician;
    for (number, value) in [("GP-U1", 4.0), ("GP-U2", 4.1), ("GP-U3", 4.2), ("GP-HIGH", 5.5), ("GP-CRIT", 7.0)] {
        take(&product, &potassium(number, &order, &own, ReportStatus::Final, value)).await;
    }
    let list = doctor.get("/api/results").await;
    let list = list["waiting"].as_array().unwrap();
    assert_eq!(list[0]["number"], "GP-CRIT");
    let order = ["critical", "outside", "untold", "usual"];
    let ranks: Vec<usize> = list.iter().map(|r| order.iter().position(|u| *u == r["urgency"]).unwrap()).collect();
    assert!(ranks.is_sorted(), "{ranks:?}");
    let today = doctor.get("/api/today").await.to_string();
    assert!(today.contains("Critical: somebody has to know at once."), "{today}");
    let of = |number: &str| id(list.iter().find(|r| r["number"] == number).unwrap());
    for number in ["GP-U1", "GP-HIGH"] {
        doctor.post(&format!("/api/results/{}/looked", of(number)), json!({})).await.ok();
        doctor.post(&format!("/api/results/{}/looked", of(number)), json!({})).await.ok();
    }
    let again = doctor.get("/api/results").await;
    let fit = again["waiting"].as_array().unwrap().iter().filter(|r| r["together"] == true);
    assert_eq!(fit.map(|r| r["number"].clone()).collect::<Vec<_>>(), ["GP-U1"], "the list offers no other");
    let ids = ["GP-U1", "GP-U2", "GP-HIGH"].map(of);
    let done = doctor.post("/api/results/review-usual", json!({ "ids": ids })).await.ok();
    assert_eq!(done["signed"], json!([of("GP-U1")]));
    let why = |at: usize| done["left"][at]["why"].as_str().unwrap().to_owned();
    assert!(why(0).contains("You have not looked at it") && why(1).contains("Not everything"), "{done}");
    // Twice, and of a chart that was closed meanwhile: each stays, with its reason.
    let again = doctor.post("/api/results/review-usual", json!({ "ids": [of("GP-U1")] })).await.ok();
    assert!(again["left"][0]["why"].as_str().unwrap().contains("signed already"));
    doctor.post(&format!("/api/results/{}/looked", of("GP-U3")), json!({})).await.ok();
    restrict(&product, &visit.person).await;
    let closed = doctor.post("/api/results/review-usual", json!({ "ids": [of("GP-U3")] })).await.ok();
    assert_eq!(closed["left"][0]["why"], "Its chart is under restriction.");
    assert_eq!(doctor.post("/api/results/review-usual", json!({ "ids": [] })).await.status, 422);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_result_is_handed_on_with_a_question_and_whoever_looked_is_shown() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    let (oriane, tobias) = (&visit.clinician, Hand::sign_in(&product, "tobias").await);
    take(&product, &potassium("GP-ASK", &order, &own, ReportStatus::Final, 5.5)).await;
    let mine = async |hand: &Hand| hand.get("/api/results").await.to_string().contains("GP-ASK");
    assert!(mine(oriane).await && !mine(&tobias).await, "who ordered reads it");
    let one = waiting(&tobias, "GP-ASK").await.remove(0);
    assert_eq!((&one["mine"], one["reader"].as_str().is_some()), (&json!(false), true));
    let path = format!("/api/results/{}", id(&one));
    oriane.post(&format!("{path}/looked"), json!({})).await.ok();
    let staff = oriane.get("/api/clinic").await["staff"].clone();
    let who = |login: &str| id(staff.as_array().unwrap().iter().find(|s| s["login"] == login).unwrap());
    let hand = |to: &str, question: &str| json!({ "to": who(to), "question": question });
    for (form, field) in [
        (hand("tobias", " "), "Say what you ask."),
        (hand("oriane", "Mine?"), "It is yours already"),
        (hand("junia", "Yours?"), "does not sign results"),
    ] {
        let refused = oriane.post(&format!("{path}/hand-on"), form).await;
        assert!(refused.status == 422 && refused.body.to_string().contains(field), "{}", refused.body);
    }
    oriane.post(&format!("{path}/hand-on"), hand("tobias", "Is the dose too high?")).await.ok();
    assert!(!mine(oriane).await && mine(&tobias).await);
    let view = opened(&tobias, &one).await;
    assert_eq!((&view["questions"][0]["question"], &view["mine"]), (&json!("Is the dose too high?"), &json!(true)));
    assert_eq!((&view["looks"][0]["me"], view["looks"].as_array().unwrap().len()), (&json!(false), 1));
    // The corrected one goes to the colleague too.
    take(&product, &potassium("GP-ASK", &order, &own, ReportStatus::Corrected, 5.6)).await;
    let corrected = waiting(&tobias, "GP-ASK").await.remove(0);
    assert_eq!((&corrected["mine"], &corrected["status"]), (&json!(true), &json!("corrected")));
    let signed = format!("/api/results/{}/review", id(&corrected));
    tobias.post(&signed, json!({ "comment": "Halve it." })).await.ok();
    assert_eq!(oriane.post(&signed, json!({})).await.status, 422, "signed once");
    assert_eq!(tobias.post(&format!("{path}/hand-on"), hand("oriane", "x")).await.status, 422);
    // Signed, it is found for ever.
    let view = opened(oriane, &corrected).await;
    assert_eq!(
        (&view["report"]["reviewComment"], &view["values"][0]["was"]),
        (&json!("Halve it."), &json!("5.5 mmol/L"))
    );
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn values_are_kept_as_they_were_said_and_read_over_time() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    let doctor = &visit.clinician;
    let sodium = |n: f64, unit: &str| ReportedValue::measured("2951-2", "Sodium", n, unit, 135.0, 145.0);
    let below = Said::Number { comparator: harbor_core::orders::Comparator::from_code("<"), value: 5.0 };
    let mut first = potassium("GP-T1", &order, &own, ReportStatus::Final, 4.0);
    first.issued -= chrono::Duration::days(30);
    first.values = vec![
        sodium(0.14, "mol/L"),
        ReportedValue { unit: "mg/L".into(), ..ReportedValue::new("1988-5", "C-reactive protein", below) },
        ReportedValue { unit: "mIU/L".into(), ..ReportedValue::new("3016-3", "Thyrotropin", Said::number(2.1)) },
    ];
    let mut second = potassium("GP-T2", &order, &own, ReportStatus::Final, 4.0);
    second.values = vec![
        sodium(141.0, "mmol/L"),
        ReportedValue { unit: "mg/L".into(), ..ReportedValue::new("1988-5", "C-reactive protein", Said::number(7.0)) },
        ReportedValue { unit: "m[IU]/L".into(), ..ReportedValue::new("3016-3", "Thyrotropin", Said::number(2.4)) },
    ];
    second.conclusion = "Nothing to worry about.".into();
    second.files = vec![ReportFile {
        title: "As printed".into(),
        media_type: "text/html".into(),
        content: b"%PDF-1.7 made up".to_vec(),
    }];
    take(&product, &first).await;
    take(&product, &second).await;
    let view = opened(doctor, &waiting(doctor, "GP-T2").await[0]).await;
    let earlier = |at: usize| view["values"][at]["earlier"][0].clone();
    assert_eq!((&earlier(0)["number"], &earlier(0)["converted"]), (&json!(140.0), &json!(true)));
    assert_eq!((&earlier(1)["words"], &earlier(1)["number"]), (&json!("<5"), &Value::Null), "below five is not five");
    assert_eq!(earlier(2)["number"], Value::Null, "an unlawful unit is not taken for a lawful one");
    assert_eq!(view["values"][2]["unit"], "mIU/L", "as people write it");
    assert_eq!(view["report"]["conclusion"], "Nothing to worry about.");
    // The file is what its bytes are, not what it calls itself.
    let file = format!("/api/results/{}/files/0", id(&view["report"]));
    let (headers, bytes) = doctor.file(&file).await;
    assert_eq!(
        (headers["content-type"].to_str().unwrap(), bytes.as_slice()),
        ("application/pdf", b"%PDF-1.7 made up".as_slice())
    );
    assert_eq!(doctor.ask("get", &file.replace("files/0", "files/1"), None).await.status, 404);
    let grid = doctor.get(&format!("/api/people/{}/results", visit.person)).await;
    let lines: Vec<(&str, usize)> = grid["lines"]
        .as_array()
        .unwrap()
        .iter()
        .map(|l| (l["name"].as_str().unwrap(), l["cells"].as_array().unwrap().len()))
        .collect();
    assert_eq!(
        lines,
        [("Sodium", 2), ("C-reactive protein", 2), ("Thyrotropin", 1), ("Thyrotropin", 1)],
        "what cannot be converted stands apart"
    );
    assert_eq!(grid["lines"][0]["cells"][1]["convertedFrom"], "mol/L");
    assert_eq!(grid["reports"].as_array().unwrap().len(), 2);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_order_is_kept_as_sent_taken_back_with_a_reason_and_told() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    let doctor = &visit.clinician;
    let path = format!("/api/orders/{order}");
    let back = format!("{path}/taken-back");
    let why = json!({ "reason": "the wrong patient" });
    assert_eq!(doctor.ask("get", &format!("{path}/sent"), None).await.status, 404, "nothing was sent yet");
    assert_eq!(doctor.post(&back, why.clone()).await.status, 422, "a draft is removed, not taken back");
    product.outside.lock().automatic = false;
    doctor.post(&visit.path("/orders/send"), json!({})).await.ok();
    doctor.until(&visit.path("/chart"), |c| c["orders"][0]["order"]["state"] == "accepted").await;
    let (headers, sent) = doctor.file(&format!("{path}/sent")).await;
    assert_eq!(headers["content-type"].to_str().unwrap(), "application/fhir+json");
    let read = harbor_formats::fhir::laboratory::read_order(&sent).unwrap();
    assert_eq!((read.tests[0].reference.as_str(), read.subject.record_number.as_str()), (order.as_str(), own.as_str()));
    let open = async |hand: &Hand| hand.get("/api/orders/open").await["orders"].to_string().contains(&order);
    assert!(open(doctor).await, "it is open until its result is here");
    let tobias = Hand::sign_in(&product, "tobias").await;
    assert!(!open(&tobias).await && tobias.get("/api/orders/open?all=true").await.to_string().contains(&order));
    assert_eq!(doctor.post(&back, json!({ "reason": " " })).await.status, 422);
    assert_eq!(visit.assistant.post(&back, why.clone()).await.status, 403);
    doctor.post(&back, why.clone()).await.ok();
    assert_eq!(doctor.post(&back, why).await.status, 422, "once");
    assert!(!open(doctor).await);
    // It stays readable with its reason, and the laboratory hears of it.
    let chart = doctor.get(&visit.path("/chart")).await;
    let kept = &chart["orders"][0]["order"];
    assert_eq!((&kept["state"], &kept["stateReason"]), (&json!("cancelled"), &json!("the wrong patient")));
    for _ in 0..100 {
        if product.outside.lock().received.iter().any(|(_, said)| said.contains("taken back: the wrong patient")) {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    assert!(product.outside.lock().received.iter().any(|(_, said)| said.contains("taken back: the wrong patient")));
    // What was on its way comes all the same, is read, and wakes nothing.
    take(&product, &potassium("GP-BACK", &order, &own, ReportStatus::Final, 4.0)).await;
    assert_eq!(waiting(doctor, "GP-BACK").await[0]["person"]["id"], visit.person.as_str());
    assert_eq!(state_of_order(&visit).await, "cancelled");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_the_laboratory_refuses_and_what_is_late_becomes_work() {
    let product = Product::start().await.unwrap();
    let (visit, order, own) = ordered(&product).await;
    let doctor = &visit.clinician;
    product.outside.lock().automatic = false;
    doctor.post(&visit.path("/orders/send"), json!({})).await.ok();
    doctor.until(&visit.path("/chart"), |c| c["orders"][0]["order"]["state"] == "accepted").await;
    let work = async || doctor.get("/api/today").await.to_string();
    assert!(!work().await.contains("Overdue orders"));
    let mut refused = potassium("GP-REF", &order, &own, ReportStatus::Cancelled, 4.0);
    refused.values.clear();
    refused.conclusion = "clotted".into();
    take(&product, &refused).await;
    assert!(work().await.contains("Potassium: refused by the laboratory: clotted."));
    let listed = doctor.get("/api/orders/open").await;
    let mine = listed["orders"].as_array().unwrap().iter().find(|o| o["id"] == order.as_str()).unwrap().clone();
    assert_eq!(
        (&mine["state"], &mine["late"]),
        (&json!("refused by the laboratory"), &json!("refused by the laboratory: clotted"))
    );
    // Of a chart that is closed nothing is told but that something is open.
    restrict(&product, &visit.person).await;
    assert!(!work().await.contains("Potassium"));
    let listed = doctor.get("/api/orders/open").await;
    let mine = listed["orders"].as_array().unwrap().iter().find(|o| o["id"] == order.as_str()).unwrap().clone();
    assert_eq!((&mine["testName"], &mine["late"], &mine["closed"]), (&json!(""), &Value::Null, &json!(true)));
    product.stop().await.unwrap();
}
