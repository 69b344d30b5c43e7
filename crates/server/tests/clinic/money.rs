//! Remittances: posted once, whole, and only what balances.

use crate::line::to_charges;
use crate::{Hand, id};
use harbor_core::money::Cents;
use harbor_core::money::remittance::{Adjustment, AdjustmentGroup, Remittance, RemittedClaim, RemittedLine};
use harbor_demo::testing::{Product, day};
use harbor_formats::x12::{Stamp, remittance};
use serde_json::{Value, json};

fn file(claim_number: &str, trace: &str, paid: i64) -> String {
    with(claim_number, trace, paid, |_| ())
}

pub(crate) fn adjusted(group: AdjustmentGroup, reason: &str, cents: i64) -> Adjustment {
    Adjustment { group, reason: reason.into(), amount: Cents::new(cents), quantity: None }
}

/// A remittance of one claim over 195.00 of which 100.00 is paid, or as it is changed.
pub(crate) fn with(claim_number: &str, trace: &str, paid: i64, change: impl FnOnce(&mut Remittance)) -> String {
    let off = adjusted(AdjustmentGroup::Contractual, "45", 19_500 - 10_000);
    let line = RemittedLine {
        line_control: format!("{claim_number}-1").into(),
        service_code: "IH214".into(),
        charged: Cents::new(19_500),
        paid: Cents::new(10_000),
        units: "1".into(),
        adjustments: vec![off],
        ..RemittedLine::default()
    };
    let claim = RemittedClaim {
        claim_number: claim_number.into(),
        status: "1".into(),
        charged: Cents::new(19_500),
        paid: Cents::new(10_000),
        lines: vec![line],
        ..RemittedClaim::default()
    };
    let mut r = Remittance {
        payer_name: "SALTMARSH MUTUAL HEALTH PLAN".into(),
        payer_id: "SALTM".into(),
        payee_name: "INDIGO HARBOR FAMILY CLINIC".into(),
        payee_npi: "1800000014".into(),
        trace: trace.into(),
        method: "ACH".into(),
        date: day(),
        amount: Cents::new(paid),
        claims: vec![claim],
        provider_adjustments: vec![],
    };
    change(&mut r);
    let at = day().and_hms_opt(9, 0, 0).unwrap();
    remittance::write(
        &Stamp { at, control: 7, production: false, sender: "CAUSEWAY".into(), receiver: "INDIGOHBR".into() },
        &harbor_standins::payer::desk(""),
        &[r],
    )
}

/// Remittances are found by trace, claim, patient, payer, day and by what of them waits; one page after the other.
#[actix_web::test]
async fn remittances_are_looked_for() {
    let product = Product::start().await.unwrap();
    let (biller, _, claim) = sent_claim(&product).await;
    let number = claim["number"].as_str().unwrap();
    biller.upload("/api/remittances", file(number, "T-KNOWN", 10_000).into_bytes()).await.ok();
    let strange = with("C99999", "T_ODD", 10_000, |r| {
        (r.claims[0].patient_last, r.claims[0].patient_first) = ("Wexcombe".into(), "Ada".into());
    });
    biller.upload("/api/remittances", strange.into_bytes()).await.ok();
    let traces = async |query: &str| -> Vec<String> {
        let list = biller.get(&format!("/api/remittances?{query}")).await;
        list.as_array().unwrap().iter().map(|r| r["remittance"]["trace"].as_str().unwrap().to_owned()).collect()
    };
    let today = day().to_string();
    for (query, found) in [
        ("q=t-kn".to_owned(), true),
        (format!("q={}", number.to_lowercase()), true),
        (format!("q=T-KN&payerCode=SALTM&from={today}&to={today}"), true),
        ("q=T-KN&payerCode=BEACN".into(), false),
        ("q=T-KN&to=1/1/2020".into(), false),
        ("q=T-KN&waiting=true".into(), false),
        ("q=%25".into(), false),
    ] {
        assert_eq!(traces(&query).await.contains(&"T-KNOWN".to_owned()), found, "{query}");
    }
    assert_eq!(traces("q=wexcombe").await, ["T_ODD"]);
    assert_eq!(traces("q=t_o").await, ["T_ODD"]);
    assert!(traces("q=t_k").await.is_empty(), "a sign is a sign");
    assert!(traces("waiting=true").await.contains(&"T_ODD".to_owned()));
    let all = biller.get("/api/remittances").await;
    let first = id(&all[0]["remittance"]);
    assert_eq!(
        traces(&format!("after={first}")).await.first().unwrap(),
        all[1]["remittance"]["trace"].as_str().unwrap()
    );
    assert_eq!(biller.ask("get", "/api/remittances?from=soon", None).await.status, 422);
    product.stop().await.unwrap();
}

async fn claim_of(biller: &Hand, visit: &str) -> Value {
    let claims = biller.get("/api/claims").await;
    claims.as_array().unwrap().iter().find(|c| c["visit"]["id"] == visit).unwrap()["claim"].clone()
}

#[actix_web::test]
async fn an_835_posts_once_however_often_it_comes() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let claim = claim_of(&biller, &walk.visit).await;
    let number = claim["number"].as_str().unwrap();
    let text = file(number, "T-ONCE", 10_000);
    // Eight uploads at one instant, some of them broken off on the way.
    let tasks: Vec<_> = (0..8)
        .map(|_| {
            let (biller, text) = (biller.clone(), text.clone());
            tokio::spawn(async move { biller.upload("/api/remittances", text.into_bytes()).await })
        })
        .collect();
    for (i, task) in tasks.into_iter().enumerate() {
        if i % 4 == 3 {
            task.abort();
        } else {
            assert_eq!(task.await.unwrap().status, 200);
        }
    }
    let again = biller.upload("/api/remittances", text.into_bytes()).await.ok();
    assert_eq!((&again["posted"], &again["postedBefore"]), (&json!(0), &json!(1)));
    let money = biller.get(&format!("/api/visits/{}/money", walk.visit)).await;
    let decisions = money["transactions"].as_array().unwrap().iter().filter(|t| t["kind"] == "decision").count();
    assert_eq!(decisions, 1);
    let paid: i64 = money["river"]["parts"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|p| p["part"] == "paid_by_payer")
        .map(|p| p["cents"].as_i64().unwrap())
        .sum();
    assert_eq!(paid, 10_000);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_cut_or_unbalanced_835_posts_nothing() {
    let product = Product::start().await.unwrap();
    let walk = to_charges(&product, "SM55510").await;
    let biller = Hand::sign_in(&product, "agathe").await;
    let claim = claim_of(&biller, &walk.visit).await;
    let number = claim["number"].as_str().unwrap();
    let whole = file(number, "T-CUT", 10_000);
    let before = biller.get("/api/remittances").await.as_array().unwrap().len();
    for cut in (0..whole.trim_end().len()).step_by(37) {
        let reply = biller.upload("/api/remittances", whole.as_bytes()[..cut].to_vec()).await;
        assert_eq!(reply.status, 422, "cut at {cut}");
        assert!(reply.detail().contains("segment"), "{}", reply.body);
    }
    let reply = biller.upload("/api/remittances", file(number, "T-OFF", 10_001).into_bytes()).await;
    assert_eq!(reply.body["type"], "urn:indigo-harbor:unbalanced");
    assert!(reply.detail().contains("0.01 is unexplained"), "{}", reply.body);
    assert_eq!(biller.get("/api/remittances").await.as_array().unwrap().len(), before);
    let money = biller.get(&format!("/api/visits/{}/money", walk.visit)).await;
    assert!(!money.to_string().contains("decision\""), "nothing was posted");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_line_that_matches_nothing_waits_with_its_money() {
    let product = Product::start().await.unwrap();
    let biller = Hand::sign_in(&product, "agathe").await;
    let done = biller.upload("/api/remittances", file("C99999999", "T-LOST", 10_000).into_bytes()).await.ok();
    assert_eq!(done["unmatched"], 1);
    let today = biller.get("/api/today").await;
    assert!(today.to_string().contains("C99999999, charged 195.00"), "it is somebody's work");
    product.stop().await.unwrap();
}

/// A file with many claims that nobody knows, so that posting it takes a while.
fn large_file(claims: usize) -> String {
    let one = file("C0", "T-KILLED", 10_000);
    let from = one.find("CLP*").unwrap();
    let to = one.find("SE*").unwrap();
    let claim = &one[from..to];
    let many: String = (0..claims).map(|n| claim.replace("C0", &format!("CX{n}"))).collect();
    let count = one[..from].matches("~").count() + many.matches("~").count() + 1 - 2;
    format!("{}{many}SE*{count}*0001~GE*1*7~IEA*1*000000007~", &one[..from])
        .replace("BPR*I*100*", &format!("BPR*I*{}*", claims * 100))
}

#[actix_web::test]
async fn a_server_killed_while_posting_has_posted_all_or_nothing() {
    let product = Product::start().await.unwrap();
    let port = std::net::TcpListener::bind(("127.0.0.1", 0)).unwrap().local_addr().unwrap().port();
    let base = format!("http://127.0.0.1:{port}");
    let mut server = std::process::Command::new(env!("CARGO_BIN_EXE_harbor"))
        .args(["serve", "--database", &product.database_url, "--port", &port.to_string()])
        .stdout(std::process::Stdio::null())
        .stderr(std::process::Stdio::null())
        .spawn()
        .unwrap();
    let http = reqwest::Client::new();
    while !http.get(format!("{base}/health")).send().await.is_ok_and(|a| a.status() == 200) {
        tokio::time::sleep(std::time::Duration::from_millis(30)).await;
    }
    let doomed = Hand::sign_in_at(&base, "agathe").await;
    let text = large_file(200);
    let bytes = text.clone().into_bytes();
    let upload = tokio::spawn(async move {
        let request =
            doomed.http.post(format!("{}/api/remittances", doomed.base)).header("cookie", doomed.cookie.clone());
        request.header("x-harbor-csrf", doomed.csrf.clone()).body(bytes).send().await
    });
    // Killed as soon as the database shows that the posting is under way.
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    let begun = "select 1 from pg_locks l join pg_database d on d.oid = l.database
                 where d.datname = current_database() and l.locktype = 'advisory' and l.objid = 7203";
    while client.query(begun, &[]).await.unwrap().is_empty() {
        tokio::time::sleep(std::time::Duration::from_millis(2)).await;
    }
    server.kill().unwrap();
    server.wait().unwrap();
    assert!(upload.await.unwrap().is_err(), "the upload broke off");
    let biller = Hand::sign_in(&product, "agathe").await;
    let count =
        |list: &Value| list.as_array().unwrap().iter().filter(|r| r["remittance"]["trace"] == "T-KILLED").count();
    assert_eq!(count(&biller.get("/api/remittances").await), 0, "nothing is half posted");
    let posted = biller.upload("/api/remittances", text.into_bytes()).await.ok();
    assert_eq!((&posted["posted"], &posted["unmatched"]), (&json!(1), &json!(200)));
    assert_eq!(count(&biller.get("/api/remittances").await), 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn two_payments_under_one_trace_in_one_file_are_two_and_come_once() {
    let product = Product::start().await.unwrap();
    let biller = Hand::sign_in(&product, "agathe").await;
    let one = |number: &str| file(number, "T-TWICE", 10_000);
    // The second payment's own set follows the first's in the same group.
    let (first, second) = (one("C91"), one("C92"));
    let (from, to) = (second.find("ST*").unwrap(), second.find("GE*").unwrap());
    let set = second[from..to].replace("*0001", "*0002");
    let at = first.find("GE*").unwrap();
    let both = format!("{}{set}{}", &first[..at], first[at..].replace("GE*1*", "GE*2*"));
    let done = biller.upload("/api/remittances", both.clone().into_bytes()).await.ok();
    assert_eq!((&done["posted"], &done["unmatched"]), (&json!(2), &json!(2)), "{done}");
    let again = biller.upload("/api/remittances", both.into_bytes()).await.ok();
    assert_eq!((&again["posted"], &again["postedBefore"]), (&json!(0), &json!(2)), "{again}");
    let list = biller.get("/api/remittances").await;
    let own = list.as_array().unwrap().iter().filter(|r| r["remittance"]["trace"] == "T-TWICE").count();
    assert_eq!(own, 2);
    product.stop().await.unwrap();
}

/// The one line of the claim, changed.
pub(crate) fn line(r: &mut Remittance) -> &mut RemittedLine {
    &mut r.claims[0].lines[0]
}

/// A claim that the payer has.
pub(crate) async fn sent_claim(product: &Product) -> (Hand, String, Value) {
    product.outside.lock().automatic = false;
    let walk = to_charges(product, "SM55510").await;
    let (biller, claim) = crate::line::send_claim(product, &walk).await;
    biller.until(&format!("/api/claims/{}", id(&claim)), |c| c["claim"]["claim"]["state"] == "accepted").await;
    (biller, walk.visit, claim)
}

#[actix_web::test]
async fn what_a_payer_does_not_pay_stays_open_and_is_never_written_off() {
    let product = Product::start().await.unwrap();
    let (biller, visit, claim) = sent_claim(&product).await;
    let number = claim["number"].as_str().unwrap();
    let denied = with(number, "T-DENIED", 0, |r| {
        r.claims[0].status = "4".into();
        r.claims[0].paid = Cents::ZERO;
        line(r).paid = Cents::ZERO;
        line(r).adjustments = vec![adjusted(AdjustmentGroup::Contractual, "16", 19_500)];
    });
    assert_eq!(biller.upload("/api/remittances", denied.into_bytes()).await.ok()["matched"], 1);
    let view = biller.get(&format!("/api/visits/{visit}")).await;
    assert_eq!(view["river"]["payerOwesCents"], 19_500, "all of it is open: {}", view["river"]);
    assert!(!view["river"].to_string().contains("written_off"), "{}", view["river"]);
    let now = biller.get(&format!("/api/claims/{}", id(&claim))).await["claim"]["claim"].clone();
    assert_eq!(now["state"], "denied");
    assert!(now["reasons"].to_string().contains("lacks something the payer needs"), "{now}");
    assert!(!biller.get("/api/today").await.to_string().contains("waits to be matched"), "it is matched");

    // Decided after all, one part is paid, one given up by contract, and one denied: that part stays open.
    let partly = with(number, "T-PARTLY", 10_000, |r| {
        line(r).adjustments = vec![
            adjusted(AdjustmentGroup::Contractual, "45", 5_000),
            adjusted(AdjustmentGroup::PayerInitiated, "97", 4_500),
        ];
    });
    biller.upload("/api/remittances", partly.into_bytes()).await.ok();
    let river = biller.get(&format!("/api/visits/{visit}")).await["river"].clone();
    assert_eq!(river["payerOwesCents"], 4_500, "{river}");
    let now = biller.get(&format!("/api/claims/{}", id(&claim))).await["claim"]["claim"].clone();
    assert_eq!(now["state"], "paid");
    assert!(now["reasons"].to_string().contains("45.00: Included in the payment"), "{now}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_decision_that_contradicts_the_claim_waits_with_its_reason() {
    let product = Product::start().await.unwrap();
    let (biller, visit, claim) = sent_claim(&product).await;
    let number = claim["number"].as_str().unwrap();
    type Bend = fn(&mut Remittance);
    let waits: [(&str, &str, Bend); 5] = [
        ("T-PAYER", "the claim went to", |r| (r.payer_id, r.payer_name) = ("BEACN".into(), "BEACON SHOALS".into())),
        ("T-PERSON", "It names NOBODY", |r| {
            (r.claims[0].patient_last, r.claims[0].patient_first) = ("NOBODY".into(), "NOA".into())
        }),
        ("T-LINE", "which the claim has not", |r| line(r).line_control = "C1-77".into()),
        ("T-CHARGE", "500.00 was charged", |r| {
            line(r).adjustments[0].amount = Cents::new(40_000);
            (line(r).charged, r.claims[0].charged) = (Cents::new(50_000), Cents::new(50_000));
        }),
        ("T-BACK", "was not decided here", |r| {
            r.claims[0].status = "22".into();
            (r.claims[0].charged, r.claims[0].paid, r.amount) = (Cents::new(-19_500), Cents::ZERO, Cents::ZERO);
            (line(r).charged, line(r).paid) = (Cents::new(-19_500), Cents::ZERO);
            line(r).adjustments[0].amount = Cents::new(-19_500);
        }),
    ];
    for (trace, why, change) in waits {
        let paid = if trace == "T-BACK" { 0 } else { 10_000 };
        let done = biller.upload("/api/remittances", with(number, trace, paid, change).into_bytes()).await.ok();
        assert_eq!((&done["matched"], &done["unmatched"]), (&json!(0), &json!(1)), "{trace}");
        let all = biller.get("/api/remittances").await.to_string();
        assert!(all.contains(why), "{trace}: {why}");
    }
    let river = biller.get(&format!("/api/visits/{visit}")).await["river"].clone();
    assert_eq!(river["payerOwesCents"], 19_500, "nothing of it was posted: {river}");
    // The right one is posted, and a second one waits until the first is taken back.
    biller.upload("/api/remittances", file(number, "T-RIGHT", 10_000).into_bytes()).await.ok();
    let second = biller.upload("/api/remittances", file(number, "T-SECOND", 10_000).into_bytes()).await.ok();
    assert_eq!(second["unmatched"], 1);
    let river = biller.get(&format!("/api/visits/{visit}")).await["river"].clone();
    assert_eq!(river["payerOwesCents"], 0, "{river}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_file_that_is_not_for_this_clinic_or_of_another_version_is_refused_with_that_reason() {
    let product = Product::start().await.unwrap();
    let biller = Hand::sign_in(&product, "agathe").await;
    let whole = file("C1", "T-ELSE", 10_000);
    let other = with("C1", "T-ELSE", 10_000, |r| r.payee_npi = "1999999984".into());
    for (text, kind) in [
        (other, "another-payee"),
        (whole.replace("*005010X221A1~", "*004010X091A1~"), "another-version"),
        (whole.replace("*ZZ*INDIGOHBR      *", "*ZZ*SOMEBODYELSE   *"), "another-receiver"),
        (whole.replace("BPR*I*100*C", "BPR*I*-100*C"), "unreadable"),
    ] {
        let refused = biller.upload("/api/remittances", text.into_bytes()).await;
        assert_eq!(refused.body["type"], format!("urn:indigo-harbor:{kind}"), "{}", refused.body);
    }
    // A debit is money to the clinic like a credit.
    let debit = whole.replace("BPR*I*100*C", "BPR*I*100*D");
    assert_eq!(biller.upload("/api/remittances", debit.into_bytes()).await.ok()["posted"], 1);
    product.stop().await.unwrap();
}
