//! The catalogue: services, fee schedules, prices with their days, files in and out, and the yearly raise.

use crate::building::Visit;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

async fn row(hand: &Hand, code: &str) -> Value {
    let all = hand.get("/api/catalogue").await;
    all["services"].as_array().unwrap().iter().find(|r| r["service"]["code"] == code).cloned().unwrap_or(Value::Null)
}

/// The price that a schedule itself has for a service today.
async fn own(hand: &Hand, code: &str, schedule: &str) -> Value {
    let row = row(hand, code).await;
    let found = row["prices"].as_array().unwrap().iter().find(|p| p["schedule"] == schedule).cloned();
    found.unwrap_or(Value::Null)
}

fn verdicts(answer: &Value) -> Vec<(u64, &str, &str)> {
    let rows = answer["rows"].as_array().unwrap().iter();
    rows.map(|r| (r["line"].as_u64().unwrap(), r["verdict"].as_str().unwrap(), r["sentence"].as_str().unwrap()))
        .collect()
}

async fn bring(hand: &Hand, list: &str, dry_run: bool, text: &str) -> Value {
    let path = format!("/api/catalogue/{list}?dry_run={dry_run}&file=list.csv");
    hand.send(&path, "text/csv", text.as_bytes().to_vec()).await.ok()
}

#[actix_web::test]
async fn services_come_in_with_a_verdict_on_each_line_and_go_out_as_they_come_in() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let text = "Code;Name;Billing code;Most units;Needs;Not with;colour\n\
        SPIRO;Spirometry;IH940;1;;;blue\n\
        ALLERGY;Allergy test, one substance;IH950;40;;;red\n\
        DRESS;Dressing change, small;IH970;;;SUTURE;\n\
        BAD;;IH1;;;;\n\
        WORSE;Something;IH1;0;patience;;\n\
        ALLERGY;Allergy test again;IH950;;;;\n";
    let tried = bring(&manager, "services", true, text).await;
    assert_eq!(
        verdicts(&tried).iter().map(|(line, verdict, _)| (*line, *verdict)).collect::<Vec<_>>(),
        [(2, "changed"), (3, "new"), (4, "changed"), (5, "refused"), (6, "refused"), (7, "refused")],
        "{tried}"
    );
    assert_eq!(tried["unknownHeadings"], json!(["colour"]));
    assert_eq!(row(&manager, "ALLERGY").await, Value::Null, "nothing is written yet");
    let said = verdicts(&tried);
    assert!(said[2].2.contains("name") && said[2].2.contains("not beside"), "{tried}");
    assert!(said[4].2.contains("from 1 to 999") && said[4].2.contains("patience is no such need"), "{tried}");

    let done = bring(&manager, "services", false, text).await;
    assert_eq!((&done["new"], &done["changed"], &done["refused"]), (&json!(1), &json!(2), &json!(3)));
    let allergy = row(&manager, "ALLERGY").await["service"].clone();
    assert_eq!((&allergy["mostUnits"], &allergy["externalCode"]), (&json!(40), &json!("IH950")));

    // What goes out comes in as it is.
    let (_, file) = manager.file("/api/catalogue/services").await;
    let again = bring(&manager, "services", true, &String::from_utf8(file).unwrap()).await;
    let all = manager.get("/api/catalogue").await["services"].as_array().unwrap().len();
    assert_eq!(again["same"], json!(all), "{again}");
    let nonsense = manager.send("/api/catalogue/services", "text/csv", b"name\nx\n".to_vec()).await;
    assert!(nonsense.status == 422 && nonsense.detail().contains("lack a code"), "{}", nonsense.detail());
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_service_is_said_anew_field_by_field_and_only_by_those_who_may() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let form = json!({ "name": "Spirometry", "externalCode": "IH940", "mostUnits": "2", "needs": "referring" });
    manager.put("/api/catalogue/services/SPIRO", form.clone()).await.ok();
    assert_eq!(row(&manager, "SPIRO").await["typed"]["needs"], "referring");
    assert_eq!(manager.put("/api/catalogue/services/NOVEL", form.clone()).await.status, 404, "it is not there");
    assert_eq!(manager.put("/api/catalogue/services/SPIRO?new=true", form.clone()).await.status, 422, "it is there");
    manager.put("/api/catalogue/services/novel?new=true", form.clone()).await.ok();
    assert_eq!(row(&manager, "NOVEL").await["service"]["name"], "Spirometry");
    let wrong = manager.put("/api/catalogue/services/SPIRO", json!({ "name": "", "level": "9" })).await;
    assert_eq!(wrong.status, 422);
    let fields = wrong.body["fields"].to_string();
    assert!(fields.contains("name") && fields.contains("level"), "{fields}");
    let desk = Hand::sign_in(&product, "junia").await;
    assert_eq!(desk.put("/api/catalogue/services/SPIRO", form).await.status, 403);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_schedule_of_the_plan_the_payer_or_who_pays_themselves_is_asked_before_the_standard_one() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let visit = Visit::booked(&product, "oriane").await.here().await;
    let clinic = visit.desk.get("/api/clinic").await;
    let payer = clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == "SALTM").map(id).unwrap();
    let policy = visit.desk.get(&visit.path("")).await["coverages"][0]["coverage"].clone();
    let gold =
        json!({ "version": policy["version"], "payerId": payer, "subscriberNumber": "SM55510", "planName": "Gold" });
    visit.desk.put(&format!("/api/coverages/{}", id(&policy)), gold).await.ok();
    let visit = visit.roomed().await.diagnosed(&["R05.3"]).await;
    let body = json!([{ "serviceCode": "SPIRO", "units": 2, "pointers": [1] }, { "serviceCode": "ECG", "units": 1, "pointers": [1] }]);
    visit.clinician.put(&visit.path("/charges"), body).await.ok();
    let fees = async || {
        let charges = visit.clinician.get(&visit.path("/charges")).await;
        let line = |n: usize| (charges["lines"][n]["priceCents"].clone(), charges["lines"][n]["schedule"].clone());
        (line(0), line(1), charges["asked"].clone())
    };
    let of = |cents: i64, schedule: &str| (json!(cents), json!(schedule));
    assert_eq!(fees().await, (of(7_800, "Standard"), of(6_200, "Standard"), json!(["Standard"])));

    let add = async |name: &str, plan: &str, back: &str| {
        let form = json!({ "name": name, "payerId": payer, "plan": plan, "fallsBack": back });
        manager.post("/api/fee-schedules", form).await.ok()["code"].as_str().unwrap().to_owned()
    };
    let all = add("Saltmarsh, all plans", "", "standard").await;
    let gold = add("Saltmarsh gold", "gold", &all).await;
    let set = async |service: &str, schedule: &str, price: &str| {
        let body = json!({ "price": price, "schedule": schedule });
        manager.put(&format!("/api/services/{service}/price"), body).await
    };
    set("SPIRO", &gold, "50").await.ok();
    set("ECG", &all, "55.50").await.ok();
    let (spiro, ecg, asked) = fees().await;
    assert_eq!((spiro, ecg), (of(5_000, "Saltmarsh gold"), of(5_550, "Saltmarsh, all plans")));
    assert_eq!(asked, json!(["Saltmarsh gold", "Saltmarsh, all plans", "Standard"]));
    assert_eq!(set("SPIRO", "nowhere", "50").await.status, 404);

    // The patient pays: their own schedule, and the standard one where it has no price.
    visit.desk.post(&visit.path("/self-pay"), json!({})).await.ok();
    let (spiro, ecg, _) = fees().await;
    assert_eq!((spiro, ecg), (of(6_000, "Self-pay"), of(6_200, "Standard")));

    // Two for the same visits, a ring, and a name twice are refused.
    for (name, plan, back) in
        [("Another gold", "GOLD", "standard"), ("standard", "Silver", "standard"), ("Lost", "x", "nowhere")]
    {
        let form = json!({ "name": name, "payerId": payer, "plan": plan, "fallsBack": back });
        let status = manager.post("/api/fee-schedules", form).await.status;
        assert!(status == 422 || (name == "Lost" && status == 404), "{name}: {status}");
    }
    let ring = json!({ "name": "Saltmarsh, all plans", "payerId": payer, "plan": "", "fallsBack": gold });
    let ring = manager.put(&format!("/api/fee-schedules/{all}"), ring).await;
    assert!(ring.status == 422 && ring.detail().contains("ring"), "{}", ring.detail());
    let none = json!({ "name": "Saltmarsh, all plans", "payerId": payer, "plan": "", "fallsBack": "" });
    manager.put(&format!("/api/fee-schedules/{all}"), none).await.ok();
    let body = json!([{ "serviceCode": "PHONE", "units": 1, "pointers": [1] }]);
    visit.desk.ask("delete", &visit.path("/self-pay"), None).await.ok();
    visit.clinician.put(&visit.path("/charges"), body).await.ok();
    let charges = visit.clinician.get(&visit.path("/charges")).await;
    assert_eq!(charges["lines"][0]["priceCents"], Value::Null, "another's price is not taken: {charges}");
    assert!(charges["faults"].to_string().contains("no_fee"), "{charges}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_raise_is_shown_first_and_taken_back_as_a_whole() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let raise = async |percent: &str, from: &str, check: bool| {
        let body = json!({ "percent": percent, "from": from, "stepCents": 100, "checkOnly": check });
        manager.post("/api/fee-schedules/standard/raise", body).await
    };
    let later = json!({ "price": "80", "from": "1/1/2027" });
    manager.put("/api/services/SPIRO/price", later).await.ok();
    let tried = raise("3.5", "1/1/2027", true).await.ok();
    let of = |answer: &Value, code: &str| {
        let rows = answer["rows"].as_array().unwrap();
        rows.iter().find(|r| r["code"] == code).map(|r| (r["beforeCents"].clone(), r["afterCents"].clone())).unwrap()
    };
    assert_eq!(of(&tried, "VISIT3"), (json!(14_000), json!(14_500)));
    assert_eq!(of(&tried, "SPIRO"), (json!(7_800), Value::Null), "another price begins that very day");
    assert_eq!(own(&manager, "VISIT3", "standard").await["laterCents"], Value::Null, "nothing is written yet");

    let done = raise("3.5%", "1/1/2027", false).await.ok();
    let price = own(&manager, "VISIT3", "standard").await;
    assert_eq!(
        (&price["cents"], &price["laterCents"], &price["laterFrom"]),
        (&json!(14_000), &json!(14_500), &json!("2027-01-01"))
    );
    let back = format!("/api/price-changes/{}/take-back", done["change"].as_str().unwrap());
    manager.post(&back, json!({})).await.ok();
    assert_eq!(own(&manager, "VISIT3", "standard").await["laterCents"], Value::Null);
    assert_eq!(own(&manager, "SPIRO", "standard").await["laterCents"], json!(8_000), "what was set by hand stays");
    assert_eq!(manager.post(&back, json!({})).await.status, 422, "once");

    // Once somebody set one of them anew, the whole is not taken back over it.
    let again = raise("2", "1/1/2027", false).await.ok();
    manager.put("/api/services/VISIT3/price", json!({ "price": "150", "from": "2/1/2027" })).await.ok();
    let back = format!("/api/price-changes/{}/take-back", again["change"].as_str().unwrap());
    let refused = manager.post(&back, json!({})).await;
    assert!(refused.status == 422 && refused.detail().contains("VISIT3 has a newer price"), "{}", refused.detail());
    assert_eq!(own(&manager, "VISIT4", "standard").await["laterCents"], json!(19_900), "none of it was taken back");
    for (percent, from, field) in
        [("0", "1/1/2027", "percent"), ("51", "1/1/2027", "percent"), ("2", "1/1/2020", "from")]
    {
        let refused = raise(percent, from, false).await;
        assert!(refused.status == 422 && refused.body["fields"].to_string().contains(field), "{percent} {from}");
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn prices_come_in_from_a_file_and_can_be_taken_back() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let text = "service,schedule,price,from,to\n\
        VISIT3,standard,145.00,1/1/2027,\n\
        VISIT3,Self-pay,110,1/1/2027,12/31/2027\n\
        VISIT4,,195.00,,\n\
        NOTHING,,10,,\n\
        VISIT4,elsewhere,10,,\n\
        VISIT4,,-5,,\n\
        VISIT3,standard,146.00,1/1/2027,\n";
    let tried = bring(&manager, "prices", true, text).await;
    assert_eq!(
        verdicts(&tried).iter().map(|(line, verdict, _)| (*line, *verdict)).collect::<Vec<_>>(),
        [(2, "changed"), (3, "new"), (4, "same"), (5, "refused"), (6, "refused"), (7, "refused"), (8, "refused")],
        "{tried}"
    );
    let done = bring(&manager, "prices", false, text).await;
    assert_eq!(own(&manager, "VISIT3", "self-pay").await["laterCents"], json!(11_000));
    let (_, file) = manager.file("/api/catalogue/prices").await;
    let file = String::from_utf8(file).unwrap();
    assert!(file.contains("VISIT3,self-pay,110.00,01/01/2027,12/31/2027\n"), "{file}");
    assert_eq!(bring(&manager, "prices", true, &file).await["changed"], json!(0), "what goes out comes in as it is");
    let back = format!("/api/price-changes/{}/take-back", done["change"].as_str().unwrap());
    manager.post(&back, json!({})).await.ok();
    assert_eq!(own(&manager, "VISIT3", "standard").await["laterCents"], Value::Null);
    assert_eq!(own(&manager, "VISIT3", "self-pay").await, Value::Null);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn payers_are_kept_in_the_settings_and_how_long_they_take_claims_is_their_deadline() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let clinic = manager.get("/api/clinic").await;
    let fund = clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == "FERRY").unwrap().clone();
    let form = |name: &str, number: &str, code: &str, days: &str| {
        json!({ "name": name, "payerCode": number, "filingCode": code, "employment": code == "WC", "filingDays": days,
            "correctionDays": "90", "appealDays": "", "needsReferral": false,
                "telephone": "", "address": "" })
    };
    let path = format!("/api/settings/payers/{}", id(&fund));
    manager.put(&path, form("Ferrywright Employers' Fund", "FERRY", "WC", "60")).await.ok();
    manager.post("/api/settings/payers", form("Gannet Health", "gann1", "CI", "")).await.ok();
    let after = manager.get("/api/clinic").await["payers"].clone();
    let of = |number: &str| after.as_array().unwrap().iter().find(|p| p["payerCode"] == number).unwrap().clone();
    assert_eq!((&of("FERRY")["filingDays"], &of("GANN1")["filingDays"]), (&json!(60), &Value::Null));
    let told = (of("GANN1")["correctionDays"].clone(), of("GANN1")["appealDays"].clone());
    assert_eq!(told, (json!(90), Value::Null), "so long for corrections, and nobody told of appeals");
    for (body, field) in [
        (form("Other", "SALTM", "CI", ""), ""),
        (form("Other", "OTHER", "CI", "soon"), "filingDays"),
        (form("", "OTHER", "C", ""), "name"),
        (
            {
                let mut body = form("Other", "OTHER", "CI", "");
                body["appealDays"] = json!("1001");
                body
            },
            "appealDays",
        ),
    ] {
        let refused = manager.post("/api/settings/payers", body).await;
        assert!(refused.status == 422 && refused.body.to_string().contains(field), "{}", refused.body);
    }
    let nobody = "/api/settings/payers/00000000-0000-7000-8000-000000000009";
    assert_eq!(manager.put(nobody, form("Other", "OTHER", "CI", "")).await.status, 404);
    let biller = Hand::sign_in(&product, "agathe").await;
    assert_eq!(biller.put(&path, form("Other", "OTHER", "CI", "")).await.status, 403);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn an_accident_at_work_goes_to_the_employers_fund_as_soon_as_it_is_told() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["R05.3"]).await;
    let clinic = visit.desk.get("/api/clinic").await;
    let fund = clinic["payers"].as_array().unwrap().iter().find(|p| p["payerCode"] == "FERRY").map(id).unwrap();
    let accident = |cause: &str| json!({ "date": "11/2/2026", "cause": cause, "employer": "Kelp & Sons" });
    let codes = async || {
        let charges = visit.clinician.get(&visit.path("/charges")).await;
        let all = charges["faults"].as_array().unwrap().iter().map(|f| f["code"].as_str().unwrap().to_owned());
        all.collect::<Vec<_>>()
    };
    visit.desk.put(&visit.path("/accident"), accident("EM")).await.ok();
    assert!(codes().await.contains(&"not_the_fund".to_owned()), "nobody is on record who pays for it");
    visit.desk.put(&visit.path("/accident"), accident("OA")).await.ok();
    assert!(!codes().await.contains(&"not_the_fund".to_owned()));
    let policy = json!({ "payerId": fund, "subscriberNumber": "FW55510", "rank": "S" });
    let policy = visit.desk.post(&format!("/api/people/{}/coverages", visit.person), policy).await.ok();
    let payer = async || visit.desk.get(&visit.path("")).await["card"]["visit"]["coverageId"].clone();
    let before = payer().await;
    visit.desk.put(&visit.path("/accident"), accident("EM")).await.ok();
    assert_eq!(payer().await, policy["id"], "the fund's");
    let asked = visit.clinician.get(&visit.path("/charges")).await["asked"].clone();
    assert_eq!(asked, json!(["Employers' fund", "Standard"]), "by its own prices");
    visit.desk.put(&visit.path("/accident"), accident("OA")).await.ok();
    assert_eq!(payer().await, before, "and the plan's again when it was none");
    product.stop().await.unwrap();
}
