//! Money at the desk: one payment for a household, the terminal that falls silent, voids, refunds, the till.

use crate::{Hand, Reply, id};
use harbor_demo::testing::Product;
use harbor_standins::Mood;
use serde_json::{Value, json};
use uuid::Uuid;

struct Desk {
    hand: Hand,
    site: String,
    joris: String,
}

impl Desk {
    /// The desk of the other site, whose till nobody has opened, with the father of three children who are here today.
    async fn start(product: &Product) -> Desk {
        let hand = Hand::sign_in(product, "junia").await;
        let site = id(&hand.get("/api/clinic").await["sites"][1]);
        let joris = hand.get("/api/people?q=Joris%20Achterberg").await[0]["person"].clone();
        Desk { joris: id(&joris), hand, site }
    }

    async fn collect(&self, amount: &str) -> Value {
        self.hand.get(&format!("/api/people/{}/collect?amount={amount}", self.joris)).await
    }

    fn form(&self, means: Value) -> Value {
        json!({ "personId": self.joris, "siteId": self.site, "means": means, "key": Uuid::now_v7(), "moreThanOwed": true })
    }

    async fn pay(&self, means: Value) -> Reply {
        self.hand.post("/api/payments", self.form(means)).await
    }

    async fn till(&self) -> Value {
        self.hand.get(&format!("/api/sites/{}/till", self.site)).await
    }

    async fn in_till(&self, method: &str) -> i64 {
        let till = self.till().await;
        let sum = till["expected"].as_array().unwrap().iter().find(|s| s["method"] == method);
        sum.map_or(0, |s| s["cents"].as_i64().unwrap())
    }
}

fn card(amount: &str) -> Value {
    json!([{ "method": "card", "amount": amount }])
}

fn sentence(reply: &Reply) -> &str {
    reply.body["fields"][0]["sentence"].as_str().unwrap_or("")
}

#[actix_web::test]
async fn one_payment_for_three_children() {
    let product = Product::start().await.unwrap();
    let desk = Desk::start(&product).await;
    let before = desk.collect("").await;
    let today: Vec<&Value> = before["dues"].as_array().unwrap().iter().filter(|d| d["today"] == true).collect();
    assert_eq!(today.len(), 3, "{before}");
    assert_eq!(before["askedCents"], 7_500, "three copays of 25.00");
    let typed = desk.collect("40%2B20").await;
    let shares: Vec<i64> =
        typed["dues"].as_array().unwrap().iter().map(|d| d["shareCents"].as_i64().unwrap()).collect();
    assert_eq!(&shares[..3], [2_500, 2_500, 1_000], "in the order of the day: {typed}");
    assert_eq!(
        typed["leftCents"].as_i64().unwrap(),
        before["askedCents"].as_i64().unwrap() + before["olderCents"].as_i64().unwrap() - 6_000
    );
    let means = json!([{ "method": "cash", "amount": "40" }, { "method": "card", "amount": "35" }]);
    let receipt = desk.pay(means).await.ok();
    assert_eq!((&receipt["cents"], receipt["parts"].as_array().unwrap().len()), (&json!(7_500), 3), "{receipt}");
    assert!(receipt["means"][1]["reference"].as_str().unwrap().starts_with("approval A"), "{receipt}");
    for due in &today {
        let money = desk.hand.get(&format!("/api/visits/{}/money", due["visitId"].as_str().unwrap())).await;
        assert_eq!(money["river"]["patientOwesCents"], -2_500, "each visit has its own copay");
    }
    let after = desk.collect("").await;
    assert_eq!(after["askedCents"], 0, "asked once: {after}");
    assert_eq!((desk.in_till("cash").await, desk.in_till("card").await), (4_000, 3_500));
    assert!(receipt["receiptNumber"].as_str().unwrap().starts_with("R-1"), "short, to be said: {receipt}");
    let send = format!("/api/payments/{}/send", receipt["number"].as_str().unwrap());
    let sent = desk.hand.post(&send, json!({})).await;
    if sent.status == 200 {
        let again = desk.hand.post(&send, json!({})).await;
        assert_eq!(again.body["type"], "urn:indigo-harbor:sent-before", "{}", again.body);
        desk.hand.post(&send, json!({ "again": true })).await.ok();
    } else {
        assert!(sent.detail().contains("did not agree to messages"), "{}", sent.body);
    }
    let (headers, paper) =
        desk.hand.file(&format!("/api/payments/{}/paper", receipt["number"].as_str().unwrap())).await;
    assert!(headers["content-type"] == "application/pdf" && paper.starts_with(b"%PDF-"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_cannot_be_paid_is_refused_in_words() {
    let product = Product::start().await.unwrap();
    let desk = Desk::start(&product).await;
    let one = |method: &str, amount: &str, reference: &str| json!([{ "method": method, "amount": amount, "reference": reference }]);
    for (means, said) in [
        (one("cash", "-5", ""), "more than zero"),
        (one("cash", "0", ""), "more than zero"),
        (one("cash", "1000000000", ""), "too large"),
        (one("cash", "12,5€", ""), "Type an amount"),
        (one("cash", "1.234", ""), "two digits"),
        (one("cheque", "5", " "), "needs its number"),
        (one("shells", "5", ""), "Choose cash"),
        (json!([{ "method": "card", "amount": "5" }, { "method": "card", "amount": "6" }]), "one card at a time"),
        (json!([]), "more than zero"),
    ] {
        let reply = desk.pay(means).await;
        assert!(reply.status == 422 && sentence(&reply).contains(said), "{said}: {}", reply.body);
    }
    // Shared out otherwise than paid, and for a visit of somebody else.
    let visit = desk.collect("").await["dues"][0]["visitId"].clone();
    let mut form = desk.form(one("cash", "25", ""));
    form["parts"] = json!([{ "personId": desk.joris, "what": "credit", "amount": "20" }]);
    assert!(sentence(&desk.hand.post("/api/payments", form.clone()).await).contains("20.00 is shared out, but 25.00"));
    form["parts"] = json!([{ "personId": desk.joris, "visitId": visit, "what": "visit", "amount": "25" }]);
    assert!(sentence(&desk.hand.post("/api/payments", form).await).contains("somebody else"));
    assert_eq!(desk.till().await["open"], Value::Null, "nothing was taken");
    // The same cheque number is asked about, not refused.
    let cheque = desk.form(one("cheque", "10", "1007"));
    desk.hand.post("/api/payments", cheque.clone()).await.ok();
    desk.hand.post("/api/payments", cheque).await.ok();
    let mut again = desk.form(one("cheque", "11", "1007"));
    let asked = desk.hand.post("/api/payments", again.clone()).await;
    assert!(
        asked.body["type"] == "urn:indigo-harbor:cheque-again" && asked.detail().contains("10.00"),
        "{}",
        asked.body
    );
    again["chequeAgain"] = json!(true);
    desk.hand.post("/api/payments", again).await.ok();
    assert_eq!(desk.in_till("cheque").await, 2_100);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_terminal_declines_falls_silent_and_charges_once() {
    let product = Product::start().await.unwrap();
    let desk = Desk::start(&product).await;
    assert!(desk.pay(card("10.13")).await.detail().contains("declined"));
    // Declined, then cash: nothing of the card stays behind.
    desk.pay(json!([{ "method": "cash", "amount": "10.13" }])).await.ok();
    assert_eq!((desk.in_till("card").await, desk.in_till("cash").await), (0, 1_013));
    // It times out and charges nothing; asked again with the same key it is still nothing.
    let silent = desk.form(card("10.14"));
    assert_eq!(desk.hand.post("/api/payments", silent.clone()).await.status, 503);
    assert_eq!(desk.hand.post("/api/payments", silent).await.status, 503);
    assert_eq!(desk.in_till("card").await, 0);
    // It times out, but the card is charged: the same key gets the approval, and once.
    let charged = desk.form(card("10.15"));
    assert_eq!(desk.hand.post("/api/payments", charged.clone()).await.status, 503);
    let receipt = desk.hand.post("/api/payments", charged.clone()).await.ok();
    assert_eq!(desk.hand.post("/api/payments", charged).await.ok()["number"], receipt["number"]);
    assert_eq!(desk.in_till("card").await, 1_015);
    // We gave up and turned to cash: the charge is found on the terminal's record before cash is taken.
    assert_eq!(desk.pay(card("20.15")).await.status, 503);
    let cash = desk.pay(json!([{ "method": "cash", "amount": "20.15" }])).await;
    assert!(cash.body["type"] == "urn:indigo-harbor:card-charged" && cash.detail().contains("20.15"), "{}", cash.body);
    assert_eq!((desk.in_till("card").await, desk.in_till("cash").await), (3_030, 1_013));
    // The same key with another amount is another payment: nothing is charged under the first one's name.
    let silent = desk.form(card("30.14"));
    assert_eq!(desk.hand.post("/api/payments", silent.clone()).await.status, 503);
    let mut changed = silent;
    changed["means"] = card("31");
    let refused = desk.hand.post("/api/payments", changed).await;
    assert!(sentence(&refused).contains("another amount"), "{}", refused.body);
    assert_eq!(desk.in_till("card").await, 3_030);
    let twice =
        product.outside.lock().received.iter().filter(|(p, w)| *p == "card terminal" && w.contains("2015")).count();
    assert_eq!(twice, 1, "one charge");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn power_cut_between_card_and_ledger_is_made_good_by_the_terminals_record() {
    let product = Product::start().await.unwrap();
    let desk = Desk::start(&product).await;
    // The terminal works on it and its answer never comes; meanwhile the server is gone.
    product.outside.lock().mood = Mood::Silent;
    let (hand, form) = (desk.hand.clone(), desk.form(card("75")));
    let asking = tokio::spawn(async move { hand.post("/api/payments", form).await.status });
    let charged = || product.outside.lock().received.iter().any(|(_, w)| w.contains("7500 cents"));
    while !charged() {
        tokio::time::sleep(std::time::Duration::from_millis(10)).await;
    }
    asking.abort();
    assert_eq!(desk.in_till("card").await, 0, "nothing is posted yet");
    product.outside.lock().mood = Mood::Usual;
    // Another server starts on the same data and reads the record.
    let settings = product.server.state.settings.clone();
    let second = harbor_server::start(settings, 0).await.unwrap();
    let path = format!("/api/sites/{}/till", desk.site);
    let till = desk.hand.until(&path, |t| !t["movements"].as_array().unwrap().is_empty()).await;
    assert_eq!((&till["movements"][0]["cents"], till["movements"].as_array().unwrap().len()), (&json!(7_500), 1));
    assert_eq!(desk.collect("").await["askedCents"], 0, "all three copays are paid");
    second.stop().await;
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_copay_of_a_visit_that_never_was_is_kept_and_used_elsewhere() {
    let product = Product::start().await.unwrap();
    let (desk, biller) = (Desk::start(&product).await, Hand::sign_in(&product, "agathe").await);
    let (visit, person) = crate::flow::visit_of(&desk.hand, "Sandoval").await;
    let paid = json!({ "personId": person, "siteId": desk.site, "key": Uuid::now_v7(),
        "means": [{ "method": "cash", "amount": "40" }],
        "parts": [{ "personId": person, "visitId": visit, "what": "visit", "amount": "40" }] });
    desk.hand.post("/api/payments", paid).await.ok();
    let account = format!("/api/people/{person}/account");
    let open = desk.hand.get(&account).await["visits"].clone();
    let own = |open: &Value| open.as_array().unwrap().iter().find(|v| v["visitId"] == *visit).cloned();
    assert_eq!(own(&open).unwrap()["overpaidCents"], 0, "a copay waits for its charge");
    let credit = format!("/api/visits/{visit}/credit");
    let keep = |key: Uuid| json!({ "key": key });
    assert_eq!(desk.hand.post(&credit, keep(Uuid::now_v7())).await.status, 422, "nothing is over yet");
    desk.hand.post(&format!("/api/visits/{visit}/stage"), json!({ "to": "left_unseen" })).await.ok();
    let open = desk.hand.get(&account).await["visits"].clone();
    assert_eq!(own(&open).unwrap()["overpaidCents"], 4_000, "nothing was done for it");
    // A part goes back, the rest is kept, once.
    let refund = json!({ "siteId": desk.site, "visitId": visit, "amount": "15", "method": "cash", "reason": "left", "key": Uuid::now_v7() });
    biller.post(&format!("/api/people/{person}/refunds"), refund).await.ok();
    let kept: Vec<_> = (0..4).map(|_| desk.hand.post(&credit, keep(Uuid::now_v7()))).collect();
    let kept = futures_util::future::join_all(kept).await;
    assert_eq!(kept.iter().filter(|r| r.status == 200).count(), 1);
    let after = desk.hand.get(&account).await;
    assert_eq!((&after["creditCents"], own(&after["visits"])), (&json!(2_500), None));
    // A child's copay is not owed yet, so there is nothing to use it for; what is owed takes as much as fits.
    let owing = desk.hand.get(&format!("/api/people/{}/account", desk.joris)).await["visits"].clone();
    let owed = owing.as_array().unwrap().iter().find(|v| v["patientOwesCents"].as_i64().unwrap() > 0).expect("a debt");
    let used = format!("/api/visits/{}/credit", owed["visitId"].as_str().unwrap());
    let form = json!({ "fromPersonId": person, "key": Uuid::now_v7() });
    desk.hand.post(&used, form).await.ok();
    let left = desk.hand.get(&account).await["creditCents"].as_i64().unwrap();
    assert_eq!(left, 2_500 - owed["patientOwesCents"].as_i64().unwrap().min(2_500));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn voids_refunds_and_credit_are_new_entries_with_reasons() {
    let product = Product::start().await.unwrap();
    let (desk, biller) = (Desk::start(&product).await, Hand::sign_in(&product, "agathe").await);
    let all = desk.collect("").await;
    let owed = all["askedCents"].as_i64().unwrap() + all["olderCents"].as_i64().unwrap();
    // 30.00 more than is owed stays as credit of the one who paid.
    let amount = format!("{}.{:02}", (owed + 3_000) / 100, owed % 100);
    let receipt = desk.pay(card(&amount)).await.ok();
    let account = format!("/api/people/{}/account", desk.joris);
    assert_eq!(desk.hand.get(&account).await["creditCents"], 3_000, "{receipt}");
    let refund = |amount: &str, method: &str| json!({ "siteId": desk.site, "amount": amount, "method": method, "reason": "moving away", "key": Uuid::now_v7() });
    let refunds = format!("/api/people/{}/refunds", desk.joris);
    assert_eq!(desk.hand.post(&refunds, refund("5", "cash")).await.status, 403, "giving back is not the desk's");
    let more = biller.post(&refunds, refund("30.01", "cash")).await;
    assert!(more.detail().contains("At most 30.00"), "{}", more.body);
    let form = refund("12", "cash");
    let given = biller.post(&refunds, form.clone()).await.ok();
    assert_eq!(biller.post(&refunds, form).await.ok()["number"], given["number"], "given back once");
    assert_eq!(
        (desk.hand.get(&account).await["creditCents"].clone(), desk.in_till("cash").await),
        (json!(1_800), -1_200)
    );
    // Part of its credit is gone, so the payment cannot be taken back whole.
    let void = format!("/api/payments/{}/void", receipt["number"].as_str().unwrap());
    assert!(desk.hand.post(&void, json!({ "reason": "wrong card" })).await.detail().contains("credit of this payment"));
    let second = desk.pay(card("9")).await.ok();
    let void = format!("/api/payments/{}/void", second["number"].as_str().unwrap());
    assert_eq!(sentence(&desk.hand.post(&void, json!({ "reason": " " })).await), "Reason is needed.");
    let back = desk.hand.post(&void, json!({ "reason": "wrong card" })).await.ok();
    assert_eq!((&back["kind"], &back["cents"]), (&json!("void"), &json!(-900)));
    assert!(desk.hand.post(&void, json!({ "reason": "wrong card" })).await.detail().contains("taken back already"));
    let shown = desk.hand.get(&format!("/api/payments/{}", second["number"].as_str().unwrap())).await;
    assert_eq!(shown["takenBack"], "wrong card");
    assert_eq!(desk.hand.get(&account).await["creditCents"], 1_800);
    assert!(
        product.outside.lock().received.iter().any(|(_, w)| w.starts_with("put back 900 cents")),
        "back on the card"
    );
    // Six voids at once take back once.
    let third = desk.pay(json!([{ "method": "cash", "amount": "7" }])).await.ok();
    let void = format!("/api/payments/{}/void", third["number"].as_str().unwrap());
    let tasks: Vec<_> = (0..6)
        .map(|_| {
            let (hand, void) = (desk.hand.clone(), void.clone());
            tokio::spawn(async move { hand.post(&void, json!({ "reason": "twice" })).await.status })
        })
        .collect();
    let mut done = 0;
    for task in tasks {
        done += i32::from(task.await.unwrap() == 200);
    }
    assert_eq!((done, desk.in_till("cash").await), (1, -1_200));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_till_is_counted_and_what_comes_later_lands_in_the_next() {
    let product = Product::start().await.unwrap();
    let desk = Desk::start(&product).await;
    let path = |what: &str| format!("/api/sites/{}/till/{what}", desk.site);
    desk.hand.post(&path("opening"), json!({ "cash": "100" })).await.ok();
    assert!(desk.hand.post(&path("opening"), json!({ "cash": "100" })).await.detail().contains("opened already"));
    let receipt =
        desk.pay(json!([{ "method": "cash", "amount": "40" }, { "method": "card", "amount": "5" }])).await.ok();
    let count = |cash: &str, reason: &str| json!({ "cash": cash, "card": "5", "stays": "100", "reason": reason });
    let short = desk.hand.post(&path("closing"), count("139", "")).await;
    assert!(short.detail().contains("cash differs by -1.00; say why"), "{}", short.body);
    let closed = desk.hand.post(&path("closing"), count("139", "wrong change given")).await.ok();
    assert_eq!((&closed["expected"]["cash"], &closed["counted"]["cash"]), (&json!(14_000), &json!(13_900)));
    let next = desk.till().await;
    assert_eq!((&next["open"], &next["leftCents"]), (&Value::Null, &json!(10_000)));
    // The slip is found after the count: it is put right in the next till, the closed one stays as it was.
    let void = format!("/api/payments/{}/void", receipt["number"].as_str().unwrap());
    desk.hand.post(&void, json!({ "reason": "paid twice" })).await.ok();
    assert_eq!((desk.in_till("cash").await, desk.in_till("card").await), (-4_000, -500));
    assert_eq!(desk.till().await["closed"][0]["till"]["expected"]["cash"], 14_000);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn father_and_mother_pay_for_the_same_children_at_once() {
    let product = Product::start().await.unwrap();
    let desk = Desk::start(&product).await;
    let dues = desk.collect("").await["dues"].clone();
    let children: Vec<Value> = dues.as_array().unwrap().iter().filter(|d| d["today"] == true).cloned().collect();
    let part =
        |d: &Value| json!({ "personId": d["personId"], "visitId": d["visitId"], "what": "visit", "amount": "5" });
    // Twelve payments over the same three visits, in both orders, and voids of what is there meanwhile.
    let tasks: Vec<_> = (0..12)
        .map(|n| {
            let mut form = desk.form(json!([{ "method": "cash", "amount": "15" }]));
            let mut parts: Vec<Value> = children.iter().map(part).collect();
            if n % 2 == 0 {
                parts.reverse();
            }
            form["parts"] = json!(parts);
            let hand = desk.hand.clone();
            tokio::spawn(async move {
                let receipt = hand.post("/api/payments", form).await.ok();
                let void = format!("/api/payments/{}/void", receipt["number"].as_str().unwrap());
                if n % 3 == 0 { hand.post(&void, json!({ "reason": "slip" })).await.status } else { 200 }
            })
        })
        .collect();
    for task in tasks {
        assert_eq!(task.await.unwrap(), 200);
    }
    assert_eq!(desk.in_till("cash").await, 8 * 1_500);
    let money = desk.hand.get(&format!("/api/visits/{}/money", children[0]["visitId"].as_str().unwrap())).await;
    assert_eq!(money["river"]["patientOwesCents"], -8 * 500);
    product.stop().await.unwrap();
}
