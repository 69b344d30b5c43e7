//! A note by runs: begun in words, given a code, moved and dropped; carried from last time, reviewed, signed as a whole.

use crate::building::Visit;
use crate::flow::visit_of;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

fn runs(chart: &Value) -> Vec<(String, String)> {
    let text = |v: &Value| v.as_str().unwrap_or("-").to_owned();
    chart["runs"].as_array().unwrap().iter().map(|r| (text(&r["code"]), text(&r["title"]))).collect()
}

fn codes(chart: &Value) -> Vec<(String, u64)> {
    let listed = chart["diagnoses"].as_array().unwrap().iter();
    listed.map(|d| (d["code"].as_str().unwrap().to_owned(), d["position"].as_u64().unwrap())).collect()
}

fn part<'a>(chart: &'a Value, part: &str, run: &Value) -> &'a Value {
    let parts = chart["parts"].as_array().unwrap();
    parts.iter().find(|p| p["part"] == part && p["runId"] == *run).unwrap_or(&Value::Null)
}

impl Visit {
    async fn chart(&self) -> Value {
        self.clinician.get(&self.path("/chart")).await
    }

    async fn write(&self, part: &str, run: &Value, body: &str, version: i32) -> crate::Reply {
        let form = json!({ "body": body, "version": version, "run": run });
        self.clinician.put(&self.path(&format!("/note/{part}")), form).await
    }

    async fn begin(&self, words: &str) -> Value {
        let run = self.clinician.post(&self.path("/runs"), json!({ "words": words })).await.ok();
        run["id"].clone()
    }

    async fn becomes(&self, run: &Value, what: Value) -> crate::Reply {
        self.clinician.put(&self.path(&format!("/runs/{}", run.as_str().unwrap())), what).await
    }

    async fn diagnose(&self, codes: &[&str]) -> crate::Reply {
        self.clinician.put(&self.path("/diagnoses"), json!({ "codes": codes })).await
    }
}

#[actix_web::test]
async fn a_run_begins_in_words_and_gets_its_code_later() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.diagnosed(&["I10"]).await;
    let knee = visit.begin("knee, left").await;
    visit.write("history", &knee, "Twisted it on the stairs.", 0).await.ok();
    visit.write("plan", &knee, "Rest, cold, back in two weeks.", 0).await.ok();
    let chart = visit.chart().await;
    assert_eq!(
        runs(&chart),
        [("I10".into(), "Essential (primary) hypertension".into()), ("-".into(), "knee, left".into())]
    );
    assert_eq!(codes(&chart), [("I10".into(), 1)]);
    // It stands in the way of the signature until it has a code.
    let line = visit.clinician.get(&visit.path("")).await.to_string();
    assert!(line.contains("“knee, left” has no diagnosis code yet."), "{line}");
    let early = visit.clinician.sign_note(&visit.id).await;
    assert_eq!(early.detail(), "“knee, left” has no diagnosis code yet.");
    // First in its place, and then with its code: its words stay with it.
    visit.becomes(&knee, json!({ "place": 0 })).await.ok();
    visit.becomes(&knee, json!({ "code": "M25.562" })).await.ok();
    let chart = visit.chart().await;
    assert_eq!(codes(&chart), [("M25.562".into(), 1), ("I10".into(), 2)]);
    assert_eq!(part(&chart, "history", &knee)["body"], "Twisted it on the stairs.");
    // A code that goes leaves what was written, in words again; a run without words goes.
    visit.diagnose(&[]).await.ok();
    assert_eq!(runs(&visit.chart().await), [("-".into(), "Pain in left knee".into())]);
    let written = visit.clinician.ask("delete", &visit.path(&format!("/runs/{}", knee.as_str().unwrap())), None).await;
    assert_eq!(written.detail(), "Something is written in this run; empty it first.");
    let other = visit.begin("sleep").await;
    visit.clinician.ask("delete", &visit.path(&format!("/runs/{}", other.as_str().unwrap())), None).await.ok();
    assert_eq!(runs(&visit.chart().await).len(), 1);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn drafts_go_along_with_a_run_and_what_was_sent_holds_it() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.diagnosed(&["I10"]).await;
    let run = visit.chart().await["runs"][0]["id"].clone();
    let under = json!({ "items": ["TSH"], "under": "I10" });
    visit.clinician.post(&visit.path("/orders"), under).await.ok();
    visit.becomes(&run, json!({ "code": "E03.9" })).await.ok();
    let chart = visit.chart().await;
    assert_eq!((&chart["orders"][0]["codes"], codes(&chart)), (&json!(["E03.9"]), vec![("E03.9".to_owned(), 1)]));
    let elsewhere = json!({ "items": ["K"], "under": "I10" });
    assert_eq!(visit.clinician.post(&visit.path("/orders"), elsewhere).await.status, 422, "no such diagnosis any more");
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    let held = visit.becomes(&run, json!({ "code": "I10" })).await;
    assert!(held.detail().starts_with("Something that lies under E03.9 is sent"), "{}", held.detail());
    // A draft that is off holds nothing.
    visit.diagnose(&["E03.9", "I10"]).await.ok();
    let added = visit.clinician.post(&visit.path("/orders"), json!({ "items": ["K"], "under": "I10" })).await.ok();
    let potassium = added.as_array().unwrap().iter().find(|o| o["order"]["testCode"] == "K").unwrap();
    visit.clinician.ask("delete", &format!("/api/orders/{}", id(&potassium["order"])), None).await.ok();
    visit.diagnose(&["E03.9"]).await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn parts_of_a_run_and_of_the_note_are_kept_apart() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.diagnosed(&["I10", "E78.5"]).await;
    let chart = visit.chart().await;
    let (first, second) = (chart["runs"][0]["id"].clone(), chart["runs"][1]["id"].clone());
    visit.write("plan", &first, "Tablets.", 0).await.ok();
    visit.write("plan", &second, "Diet.", 0).await.ok();
    let stale = visit.write("plan", &first, "Other tablets.", 0).await;
    assert_eq!(
        (stale.status, &stale.body["current"]["body"]),
        (409, &json!("Tablets.")),
        "that run's, not the other's"
    );
    let odd = visit.write("advice", &first, "Walk.", 0).await;
    assert_eq!(odd.detail(), "Advice is a part of the whole note.");
    // What fits no diagnosis by itself lies under the one of its own line, or of the run in focus.
    let one = json!({ "text": "dx gerd; order tsh; omeprazole 20 daily 30d", "keep": true });
    visit.clinician.post(&visit.path("/quick-line"), one).await.ok();
    let chart = visit.chart().await;
    assert_eq!(
        (&chart["orders"][0]["codes"], &chart["prescriptions"][0]["diagnosis"]),
        (&json!(["K21.9"]), &json!("K21.9"))
    );
    let focused = json!({ "text": "order uric acid", "keep": true, "part": "plan", "run": second });
    visit.clinician.post(&visit.path("/quick-line"), focused).await.ok();
    let placed = visit.chart().await["orders"].as_array().unwrap().last().unwrap()["codes"].clone();
    assert_eq!(placed, json!(["E78.5"]));
    // A run of another visit is none of this one.
    let (other, _) = visit_of(&visit.clinician, "Takahashi").await;
    let foreign = json!({ "body": "x", "version": 0, "run": first });
    assert_eq!(visit.clinician.put(&format!("/api/visits/{other}/note/plan"), foreign).await.status, 404);
    let run = first.as_str().unwrap();
    let moved = visit.clinician.put(&format!("/api/visits/{other}/runs/{run}"), json!({ "place": 0 })).await;
    assert_eq!(moved.status, 404);
    // Plain words of the quick line go where the focus is; the plan of the run takes what follows.
    let line =
        json!({ "text": "no chest pain on effort today; fu 3mo bp", "keep": true, "part": "history", "run": second });
    visit.clinician.post(&visit.path("/quick-line"), line).await.ok();
    let chart = visit.chart().await;
    assert_eq!(part(&chart, "history", &second)["body"], "no chest pain on effort today");
    assert_eq!(part(&chart, "plan", &second)["body"], "Diet.\nFollow-up in 90 days for bp");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_is_carried_looks_carried_until_somebody_touched_or_reviewed_it() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let (visit, _) = visit_of(&doctor, "Ferreira").await;
    let path = format!("/api/visits/{visit}");
    let earlier = doctor.get(&format!("{path}/note/examination/last-time")).await;
    let run = {
        let chart = doctor.get(&format!("{path}/chart")).await;
        chart["runs"].as_array().unwrap().iter().find(|r| r["code"] == "I10").unwrap()["id"].clone()
    };
    let at = |rest: &str| format!("{path}/note/plan{rest}");
    let of_run = doctor.get(&format!("{}?run={}", at("/last-time"), run.as_str().unwrap())).await;
    assert!(of_run["body"].as_str().is_some_and(|b| !b.is_empty()), "{of_run} beside {earlier}");
    let none_yet = json!({ "version": 0, "run": run });
    let carried = doctor.post(&at("/carried"), none_yet.clone()).await.ok();
    assert_eq!((&carried["carried"], &carried["body"]), (&json!(true), &of_run["body"]));
    let chart = doctor.get(&format!("{path}/chart")).await;
    assert_eq!(chart["mostlyCarried"], 100, "all that is written");
    let again = doctor.post(&at("/carried"), json!({ "version": 1, "run": run })).await;
    assert_eq!(again.detail(), "Something is written here already; it is not written over.");
    // Reviewed by one; only they take it back, and writing takes it away.
    let seen = |reviewed: bool| json!({ "version": 1, "run": run, "reviewed": reviewed });
    let reviewed = doctor.put(&at("/reviewed"), seen(true)).await.ok();
    assert_eq!((&reviewed["carried"], &reviewed["reviewedBy"]), (&json!(false), &json!("Dr. Oriane Valcourt")));
    let colleague = Hand::sign_in(&product, "tobias").await;
    assert_eq!(
        colleague.put(&at("/reviewed"), seen(false)).await.detail(),
        "Only who reviewed a part takes the mark back."
    );
    let written = doctor.put(&at(""), json!({ "body": "Something quite different from before, and a good deal of it as well.", "version": 1, "run": run })).await.ok();
    assert_eq!((&written["reviewedBy"], &written["carried"]), (&Value::Null, &json!(false)));
    assert_eq!(doctor.put(&at("/reviewed"), seen(true)).await.status, 409, "not what was seen");
    assert_eq!(doctor.get(&format!("{path}/chart")).await["mostlyCarried"], Value::Null);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_list_is_reviewed_until_it_changes() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await;
    let reviewed = async || -> Vec<String> {
        let chart = visit.chart().await;
        chart["reviews"].as_array().unwrap().iter().map(|r| r["list"].as_str().unwrap().to_owned()).collect()
    };
    for list in ["allergies", "medicines", "problems", "histories"] {
        visit.assistant.put(&visit.path(&format!("/lists/{list}/reviewed")), json!({})).await.ok();
    }
    assert_eq!(reviewed().await.len(), 4);
    let person = &visit.person;
    visit.assistant.post(&format!("/api/people/{person}/allergies"), json!({ "substance": "latex" })).await.ok();
    visit.assistant.post(&format!("/api/people/{person}/none-known"), json!({ "list": "medicines" })).await.ok();
    let line = json!({ "text": "problem gout since 2019; mother asthma", "keep": true });
    visit.assistant.post(&visit.path("/quick-line"), line).await.ok();
    assert_eq!(reviewed().await, Vec::<String>::new(), "each change took its mark away");
    visit.assistant.put(&visit.path("/lists/allergies/reviewed"), json!({})).await.ok();
    let foreign = visit.clinician.ask("delete", &visit.path("/lists/allergies/reviewed"), None).await;
    assert_eq!(foreign.status, 404, "one takes back one's own mark only");
    visit.assistant.ask("delete", &visit.path("/lists/allergies/reviewed"), None).await.ok();
    assert_eq!(visit.assistant.put(&visit.path("/lists/shoes/reviewed"), json!({})).await.status, 404);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_signature_is_of_everything_that_the_note_says() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.diagnosed(&["I10"]).await;
    let run = visit.chart().await["runs"][0]["id"].clone();
    visit.write("plan", &run, "Lisinopril, and salt.", 0).await.ok();
    visit.write("assessment", &run, "", 0).await.ok();
    let line =
        "bp 150/90; allergy latex rash; mother asthma; takes metformin 500 bid; order bmp; lisinopril 10 daily 90d";
    let kept = visit.clinician.post(&visit.path("/quick-line"), json!({ "text": line, "keep": true })).await.ok();
    assert_eq!(kept["left"], "");
    visit.clinician.post(&visit.path("/orders/send"), json!({})).await.ok();
    let item = visit.chart().await["prescriptions"][0].clone();
    let pharmacy = visit.desk.get("/api/clinic").await["pharmacies"][0]["id"].clone();
    let send = json!({ "items": [{ "id": id(&item), "pharmacyId": pharmacy }] });
    visit.clinician.post(&visit.path("/prescriptions/sign"), send).await.ok();
    visit.clinician.sign_note(&visit.id).await.ok();
    let chart = visit.chart().await;
    let facts = chart["signature"]["facts"].as_str().unwrap();
    for said in [
        "diagnosis 1 I10",
        "measurement systolic 1500",
        "order BMP",
        "prescription lisovane-10",
        "allergy latex rash",
        "medicine Metfjord 500",
        "history family",
    ] {
        assert!(facts.lines().any(|l| l.starts_with(said)), "{said} in {facts}");
    }
    assert_eq!(part(&chart, "assessment", &run), &Value::Null, "an emptied part says nothing");
    // After that the runs are as they were signed; another diagnosis is told in an addendum.
    let late = visit.clinician.post(&visit.path("/runs"), json!({ "words": "and another thing" })).await;
    assert_eq!(late.detail(), "The note is signed; add an addendum.");
    assert_eq!(visit.becomes(&run, json!({ "code": "I16.0" })).await.detail(), "The note is signed; add an addendum.");
    visit.diagnose(&["I10", "E78.5"]).await.ok();
    let addendum = visit.chart().await["addenda"][0]["body"].clone();
    assert_eq!(addendum, "Diagnoses changed after signing: I10 became I10, E78.5.");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_unsigned_note_stays_on_its_writers_today_however_old_it_is() {
    let product = Product::start().await.unwrap();
    let doctor = Hand::sign_in(&product, "oriane").await;
    let (visit, _) = visit_of(&doctor, "Takahashi").await;
    let (client, connection) = tokio_postgres::connect(&product.database_url, tokio_postgres::NoTls).await.unwrap();
    tokio::spawn(connection);
    // Five hundred that are somebody else's and older than four of her own, two years back.
    let copies = format!(
        "set session_replication_role = replica;
         insert into visits select (jsonb_populate_record(v, jsonb_build_object('id', gen_random_uuid(), 'slot_id', null,
             'day', v.day - 730 + n, 'starts_at', (v.day - 730 + n) + time '03:00', 'ends_at', (v.day - 730 + n) + time '03:20', 'call_sign', 'Old ' || n,
             'clinician_id', case when n < 500 then (select id from staff where login = 'tobias') else v.clinician_id end))).*
         from visits v, generate_series(1, 503) n where v.id = '{visit}';
         insert into visit_marks select v.id, m, v.starts_at, 'someone'
             from visits v, unnest(array['booked', 'here', 'checked_in', 'roomed', 'seen']) m where v.day < current_date - 100
             and not exists (select from visit_marks m where m.visit_id = v.id)"
    );
    client.batch_execute(&copies).await.unwrap();
    let today = doctor.get("/api/today").await;
    let waiting = today["waiting"].as_array().unwrap();
    let old = waiting
        .iter()
        .filter(|w| w["group"] == "Finish and sign" && w["card"]["person"]["name"] == "Takahashi-Doyle, Wren");
    assert_eq!(old.count(), 5, "four of long ago and the one of today");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_supervising_clinician_signs_under_the_signature() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.diagnosed(&["I10"]).await;
    let over = Hand::sign_in(&product, "tobias").await;
    let staff = visit.clinician.get("/api/clinic").await["staff"].clone();
    let who = |login: &str| staff.as_array().unwrap().iter().find(|s| s["login"] == login).unwrap()["id"].clone();
    let head = |supervising: Value, minutes: Value| json!({ "kind": "phone", "supervisingId": supervising, "minutes": minutes });
    for odd in [who("oriane"), who("petra")] {
        let refused = visit.clinician.put(&visit.path("/note-head"), head(odd, Value::Null)).await;
        assert_eq!(refused.body["fields"][0]["field"], "supervisingId", "{}", refused.body);
    }
    assert_eq!(visit.clinician.put(&visit.path("/note-head"), head(Value::Null, json!(721))).await.status, 422);
    visit.clinician.put(&visit.path("/note-head"), head(who("tobias"), json!(25))).await.ok();
    let run = visit.chart().await["runs"][0]["id"].clone();
    visit.write("plan", &run, "Rest.", 0).await.ok();
    assert_eq!(over.post(&visit.path("/co-sign"), json!({})).await.detail(), "The note is not signed yet.");
    let none = json!({ "list": "allergies" });
    visit.assistant.post(&format!("/api/people/{}/none-known", visit.person), none).await.ok();
    visit.clinician.sign_note(&visit.id).await.ok();
    let waits = over.get("/api/today").await["waiting"].to_string();
    assert!(waits.contains("Co-sign notes") && waits.contains("Signed by Dr. Oriane Valcourt."), "{waits}");
    assert_eq!(visit.clinician.post(&visit.path("/co-sign"), json!({})).await.status, 422, "not under one's own");
    over.post(&visit.path("/co-sign"), json!({})).await.ok();
    let chart = visit.chart().await;
    assert_eq!(chart["cosignature"]["digest"], chart["signature"]["digest"]);
    assert!(chart["signature"]["facts"].as_str().unwrap().contains(", 25 minutes"));
    assert!(!over.get("/api/today").await["waiting"].to_string().contains("Co-sign notes"));
    let late = visit.clinician.put(&visit.path("/note-head"), head(Value::Null, Value::Null)).await;
    assert_eq!(late.body["type"], "urn:indigo-harbor:note-signed", "{}", late.body);
    assert_eq!(visit.clinician.get(&visit.path("")).await["card"]["visit"]["kind"], "phone");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_struck_note_is_read_and_never_written_in() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.diagnosed(&["I10"]).await;
    let run = visit.chart().await["runs"][0]["id"].clone();
    visit.write("plan", &run, "Rest.", 0).await.ok();
    let colleague = Hand::sign_in(&product, "tobias").await;
    let strike = |reason: &str| json!({ "reason": reason });
    let foreign = colleague.post(&visit.path("/strike-note"), strike("mine")).await;
    assert_eq!(foreign.detail(), "Only the clinician of this visit strikes its note.");
    assert_eq!(visit.clinician.post(&visit.path("/strike-note"), strike("  ")).await.status, 422, "a reason is told");
    visit.clinician.post(&visit.path("/strike-note"), strike("wrong patient")).await.ok();
    let chart = visit.chart().await;
    assert_eq!(
        (&chart["struck"]["reason"], &part(&chart, "plan", &run)["body"]),
        (&json!("wrong patient"), &json!("Rest."))
    );
    for late in [
        visit.write("plan", &run, "Other.", 1).await,
        visit.clinician.sign_note(&visit.id).await,
        visit.clinician.post(&visit.path("/strike-note"), strike("again")).await,
    ] {
        assert_eq!(late.status, 422, "{}", late.body);
        assert!(late.detail().contains("struck"), "{}", late.body);
    }
    // Nor is anything diagnosed or ordered beside it; what was measured is of the person, and is kept.
    let typed = json!({ "text": "hr 72; dx gout; order tsh; fu 3mo", "keep": true });
    let kept = visit.clinician.post(&visit.path("/quick-line"), typed).await.ok();
    assert_eq!((&kept["kept"], &kept["left"]), (&json!(1), &json!("dx gout; order tsh; fu 3mo")), "{kept}");
    for late in [
        visit.diagnose(&["I10", "M10.9"]).await,
        visit.clinician.post(&visit.path("/runs"), json!({ "words": "more" })).await,
        visit.clinician.post(&visit.path("/orders"), json!({ "items": ["TSH"] })).await,
    ] {
        assert!(late.status == 422 && late.detail().contains("struck"), "{}", late.body);
    }
    let line = visit.clinician.get(&visit.path("")).await.to_string();
    assert!(line.contains("The note is struck in error; write the visit up anew if it took place."));
    product.stop().await.unwrap();
}
