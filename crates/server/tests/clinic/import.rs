//! People from a file: the dry run writes nothing, and every row gets its verdict.

use crate::Hand;
use harbor_demo::testing::Product;
use serde_json::{Value, json};

const FILE: &str = "Last name,First name,DOB,Sex,Phone,Payer,Member ID,Shoe size
Ropewalk,Runa,3/3/1985,F,207 555 0161,Saltmarsh Mutual Health Plan,SM8100,39
Ferreira-Holm,Lucan,2/11/1968,M,,,,
Saltbox,Pim,13/45/2019,M,,,,
Ropewalk,Runa,3/3/1985,F,207 555 0161,,,
Vell,Noor,7/7/1970,F,,Nobody Mutual,NM1,
Breakwater,Tove,5/5/2019,F,,SALTM,SM8200,
";

async fn send(hand: &Hand, dry_run: bool, text: &str) -> crate::Reply {
    hand.send(&format!("/api/import/people?dry_run={dry_run}"), "text/csv", text.as_bytes().to_vec()).await
}

fn verdicts(answer: &Value) -> Vec<(u64, String, String)> {
    let text = |r: &Value, key: &str| r[key].as_str().unwrap().to_owned();
    let rows = answer["rows"].as_array().unwrap();
    rows.iter().map(|r| (r["line"].as_u64().unwrap(), text(r, "verdict"), text(r, "sentence"))).collect()
}

#[actix_web::test]
async fn a_dry_run_says_row_by_row_what_would_happen_and_writes_nothing() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let answer = send(&manager, true, FILE).await.ok();
    assert_eq!((&answer["added"], &answer["twins"], &answer["refused"]), (&2.into(), &2.into(), &2.into()));
    assert_eq!(answer["unknownHeadings"], serde_json::json!(["Shoe size"]));
    let rows = verdicts(&answer);
    let (lines, kinds): (Vec<u64>, Vec<&str>) = rows.iter().map(|(l, v, _)| (*l, v.as_str())).unzip();
    assert_eq!(lines, [2, 3, 4, 5, 6, 7]);
    assert_eq!(kinds, ["added", "twin", "refused", "twin", "refused", "added"]);
    assert!(rows[0].2.ends_with("With a policy."));
    assert!(rows[1].2.contains("IH-10005 Lucan Ferreira-Holm"), "{}", rows[1].2);
    assert_eq!(rows[2].2, "There is no such day in the calendar.");
    assert!(rows[3].2.contains("Runa Ropewalk"), "twice in one file: {}", rows[3].2);
    assert!(rows[4].2.contains("No payer is called"));
    assert!(rows[5].2.contains("Without its policy: Tove Breakwater was 6"), "{}", rows[5].2);
    assert_eq!(manager.get("/api/people?q=ropewalk%20runa").await, serde_json::json!([]), "nothing was written");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_dry_run_uses_no_number_up_and_files_are_read_as_offices_save_them() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let number = async |first: &str| {
        let form = json!({ "firstName": first, "lastName": "Numberling", "notATwin": true });
        let made = manager.post("/api/people", form).await.ok();
        made["recordNumber"].as_str().unwrap().trim_start_matches("IH-").parse::<i64>().unwrap()
    };
    let before = number("One").await;
    let answer = send(&manager, true, FILE).await.ok();
    assert_eq!((&answer["added"], verdicts(&answer)[0].2.as_str()), (&2.into(), "Is new. With a policy."));
    assert_eq!(number("Two").await, before + 1, "what was only tried used no number up");
    let wide: Vec<u8> = [0xff, 0xfe]
        .into_iter()
        .chain("last;first;sex\r\nSøby;Inés;female\r\n".encode_utf16().flat_map(u16::to_le_bytes))
        .collect();
    let answer = manager.send("/api/import/people?dry_run=false", "text/csv", wide).await.ok();
    assert_eq!(answer["added"], 1, "{answer}");
    let found = manager.get("/api/people?q=soby%20ines").await;
    assert_eq!((&found[0]["person"]["name"], &found[0]["person"]["sex"]), (&json!("Søby, Inés"), &json!("F")));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn what_the_dry_run_promised_comes_in_and_a_second_time_nobody() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let answer = send(&manager, false, FILE).await.ok();
    assert_eq!(answer["added"], 2);
    let found = manager.get("/api/people?q=SM8100").await;
    assert_eq!(
        (&found[0]["person"]["name"], &found[0]["why"]),
        (&"Ropewalk, Runa".into(), &"subscriber number".into())
    );
    // Whoever was looked at, row by row, and is somebody else, comes in all the same.
    let odd = manager.send("/api/import/people?dry_run=true&also=x", "text/csv", FILE.as_bytes().to_vec()).await;
    assert_eq!(odd.body["fields"][0]["field"], "also");
    let also =
        manager.send("/api/import/people?dry_run=true&also=3,5", "text/csv", FILE.as_bytes().to_vec()).await.ok();
    assert_eq!((&also["added"], &also["twins"]), (&2.into(), &2.into()), "the two that were named, and no other");
    let again = send(&manager, false, FILE).await.ok();
    assert_eq!((&again["added"], &again["twins"]), (&0.into(), &4.into()), "brought in twice, added once");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_file_that_is_none_is_refused_with_a_sentence_and_only_a_manager_brings_people_in() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    for (text, wanted) in [
        ("", "The file is empty"),
        ("name;town\nInes;Port Calder", "lack a first name"),
        ("first,last,first\na,b,c", "Two columns are headed"),
    ] {
        let reply = send(&manager, true, text).await;
        assert_eq!(reply.status, 422);
        assert!(reply.detail().contains(wanted), "{text:?}: {}", reply.body);
    }
    let crowd = (0..50_001).fold("first,last".to_owned(), |text, n| format!("{text}\nA{n},B"));
    assert!(send(&manager, true, &crowd).await.detail().contains("at most 50000"));
    let desk = Hand::sign_in(&product, "junia").await;
    assert_eq!(send(&desk, true, FILE).await.status, 403);
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn policies_come_in_by_record_number_each_line_with_its_verdict() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let (runa, tove) = (add(&manager, "Runa", "3/3/1985").await, add(&manager, "Tove", "5/5/2019").await);
    let file = format!(
        "Record number,Payer,Member ID,Coverage from,Rank
{runa},SALTM,SM8100,1/1/2026,P
{runa},SALTM,SM8100,1/1/2026,P
{runa},BEACN,BS1,6/1/2026,P
{runa},BEACN,BS2,6/1/2026,S
IH-1,SALTM,SM1,,
{tove},SALTM,SM3,,
{runa},Nobody Mutual,X1,,
"
    );
    let send = async |dry: bool| {
        manager.send(&format!("/api/import/policies?dry_run={dry}"), "text/csv", file.clone().into_bytes()).await.ok()
    };
    let rows = verdicts(&send(true).await);
    let kinds: Vec<&str> = rows.iter().map(|(_, v, _)| v.as_str()).collect();
    assert_eq!(kinds, ["added", "twin", "refused", "added", "refused", "refused", "refused"], "{rows:?}");
    assert!(rows[2].2.contains("end it first"), "one that overlaps: {}", rows[2].2);
    assert_eq!(rows[4].2, "Nobody here has the record number IH-1.");
    assert!(rows[5].2.contains("Tove Ropewalk was 6"), "{}", rows[5].2);
    assert_eq!(send(false).await["added"], 2);
    assert_eq!(send(false).await["added"], 0, "a second time there is nothing to do");
    product.stop().await.unwrap();
}

async fn add(hand: &Hand, first: &str, born: &str) -> String {
    let form = serde_json::json!({ "firstName": first, "lastName": "Ropewalk", "birthDate": born, "sex": "F", "notATwin": true });
    hand.post("/api/people", form).await.ok()["recordNumber"].as_str().unwrap().to_owned()
}

#[actix_web::test]
async fn a_person_leaves_as_fhir_and_comes_into_another_clinic_with_policy_and_policyholder() {
    let here = Product::start().await.unwrap();
    let desk = Hand::sign_in(&here, "junia").await;
    let form = |first: &str, born: &str| {
        serde_json::json!({ "firstName": first, "lastName": "Ropewalk", "birthDate": born, "sex": "F",
            "phone": "207 555 0161", "addressLine": "3 Quay Steps", "city": "Port Calder", "state": "ME", "postalCode": "04998", "notATwin": true })
    };
    let mother = crate::id(&desk.post("/api/people", form("Runa", "3/3/1985")).await.ok());
    let child = crate::id(&desk.post("/api/people", form("Tove", "5/5/2019")).await.ok());
    let clinic = desk.get("/api/clinic").await;
    let policy = serde_json::json!({ "payerId": clinic["payers"][0]["id"], "subscriberNumber": "SM8100", "startsOn": "1/1/2026", "relationship": "19", "holderId": mother });
    desk.post(&format!("/api/people/{child}/coverages"), policy).await.ok();
    let (head, file) = desk.file(&format!("/api/people/{child}/fhir")).await;
    assert!(head["content-disposition"].to_str().unwrap().starts_with("attachment"));
    let manager = Hand::sign_in(&here, "soren").await;
    let send = async |hand: &Hand, bytes: &[u8]| {
        hand.send("/api/import/fhir?dry_run=false", "application/fhir+json", bytes.to_vec()).await
    };
    let again = send(&manager, &file).await.ok();
    assert_eq!((&again["twins"], &again["added"]), (&1.into(), &0.into()), "here she is known");
    let looks = manager.get(&format!("/api/people/{child}/looks")).await;
    assert!(looks.to_string().contains("wrote out"), "leaving the house is recorded");
    assert!(send(&manager, b"{}").await.detail().contains("no FHIR bundle"));
    here.stop().await.unwrap();

    let there = Product::start().await.unwrap();
    let manager = Hand::sign_in(&there, "soren").await;
    let answer = send(&manager, &file).await.ok();
    assert_eq!(answer["added"], 1, "{answer}");
    let found = manager.get("/api/people?q=ropewalk%20tove").await[0]["person"].clone();
    let id = found["id"].as_str().unwrap();
    let held = manager.get(&format!("/api/people/{id}/coverages")).await;
    assert_eq!((&held[0]["holder"], &held[0]["coverage"]["relationship"]), (&"Runa Ropewalk".into(), &"19".into()));
    let person = manager.get(&format!("/api/people/{id}")).await["person"].clone();
    assert_eq!((&person["birthDate"], &person["postalCode"]), (&"2019-05-05".into(), &"04998".into()));
    there.stop().await.unwrap();
}

#[actix_web::test]
async fn balances_from_before_come_in_once_with_their_age() {
    let product = Product::start().await.unwrap();
    let boss = Hand::sign_in(&product, "soren").await;
    let person = boss.get("/api/people?q=Joris%20Achterberg").await[0]["person"].clone();
    let number = person["recordNumber"].as_str().unwrap();
    let file = format!(
        "record number,amount,since,note\n{number},120.50,8/1/2026,old system\n{number},-20,11/20/2026,\nIH-99999,5,,\n{number},soon,,\n{number},5,1/1/2027,\n"
    );
    let send = async |dry: bool| {
        boss.send(&format!("/api/import/balances?dry_run={dry}"), "text/csv", file.clone().into_bytes()).await.ok()
    };
    let account = format!("/api/people/{}/account", person["id"].as_str().unwrap());
    let before = boss.get(&account).await;
    assert_eq!(
        (&send(true).await["added"], &boss.get(&account).await),
        (&json!(2), &before),
        "a dry run writes nothing"
    );
    let done = send(false).await;
    assert_eq!((&done["added"], &done["refused"]), (&json!(2), &json!(3)), "{done}");
    let after = boss.get(&account).await;
    assert_eq!((&after["carriedOverCents"], &after["creditCents"]), (&json!(12_050), &json!(2_000)));
    let grown = |n: usize| {
        after["owed"][0]["agesCents"][n].as_i64().unwrap() - before["owed"][0]["agesCents"][n].as_i64().unwrap()
    };
    assert_eq!((grown(0), grown(3)), (0, 12_050), "older than 90 days: {after}");
    assert_eq!(send(false).await["twins"], 2, "the same file again brings nothing");
    product.stop().await.unwrap();
}
