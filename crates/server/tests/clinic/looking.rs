//! Looking at the schedule: day, week and month agree; notes are pinned; dates are understood.

use crate::{Hand, id};
use chrono::{Datelike, NaiveDate};
use harbor_demo::testing::Product;
use serde_json::{Value, json};
use std::collections::{BTreeMap, HashSet};

fn ids(list: &Value) -> HashSet<String> {
    list.as_array().unwrap().iter().map(id).collect()
}

fn live(v: &Value) -> bool {
    !["cancelled", "did_not_come", "left_unseen"].contains(&v["visit"]["stage"].as_str().unwrap())
        && v["visit"]["rebook"] == false
}

#[actix_web::test]
async fn the_week_of_one_is_their_seven_days() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let clinic = desk.get("/api/clinic").await;
    let clinicians: Vec<&Value> =
        clinic["staff"].as_array().unwrap().iter().filter(|s| s["role"] == "clinician").collect();
    let mut seen = 0;
    for who in &clinicians {
        // Whatever day of the week is asked for.
        let wednesday = desk.get(&format!("/api/schedule/week?day=2026-12-02&clinicianId={}", id(who))).await;
        let sunday = desk.get(&format!("/api/schedule/week?day=2026-12-06&clinicianId={}", id(who))).await;
        assert_eq!(wednesday, sunday);
        let days: Vec<&str> = wednesday.as_array().unwrap().iter().map(|d| d["day"].as_str().unwrap()).collect();
        assert_eq!((days.len(), days[0], days[6]), (7, "2026-11-30", "2026-12-06"));
        for week_day in wednesday.as_array().unwrap() {
            let whole = desk.get(&format!("/api/schedule?day={}", week_day["day"].as_str().unwrap())).await;
            for part in ["shifts", "slots", "notes"] {
                let theirs: Vec<Value> =
                    whole[part].as_array().unwrap().iter().filter(|x| x["clinicianId"] == who["id"]).cloned().collect();
                assert_eq!(ids(&week_day[part]), ids(&Value::Array(theirs.clone())), "{part}");
                seen += theirs.len();
            }
        }
    }
    assert!(seen > 200, "there was something to see: {seen}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_month_counts_what_its_days_show() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let month = desk.get("/api/schedule/month?day=2026-11-23").await;
    let mut by_day: BTreeMap<&str, (i64, i64, i64)> = BTreeMap::new();
    for row in month.as_array().unwrap() {
        let sum = by_day.entry(row["day"].as_str().unwrap()).or_default();
        let of = |what: &str| row[what].as_i64().unwrap();
        *sum = (sum.0 + of("slots"), sum.1 + of("open"), sum.2 + of("visits"));
    }
    // Whole weeks: from the Monday before the first to the Sunday after the last.
    let (first, last) = (*by_day.keys().next().unwrap(), *by_day.keys().last().unwrap());
    assert!(("2026-10-26".."2026-11-01").contains(&first), "{first}");
    assert!(("2026-12-01"..="2026-12-06").contains(&last), "{last}");
    for day in ["2026-11-19", "2026-11-23", "2026-11-24", "2026-11-27", "2026-12-02"] {
        let whole = desk.get(&format!("/api/schedule?day={day}")).await;
        let visits: Vec<&Value> = whole["visits"].as_array().unwrap().iter().filter(|v| live(v)).collect();
        let bookable: Vec<&Value> =
            whole["slots"].as_array().unwrap().iter().filter(|s| s["heldFor"].is_null()).collect();
        let open = bookable.iter().filter(|s| {
            // Half past ten has begun on the first of these days at 10:20.
            let begun = day == "2026-11-23" && s["startsAt"].as_str().unwrap() < "2026-11-23T15:20";
            let taken = visits.iter().map(|v| &v["visit"]).any(|v| {
                v["clinicianId"] == s["clinicianId"]
                    && v["startsAt"].as_str() < s["endsAt"].as_str()
                    && v["endsAt"].as_str() > s["startsAt"].as_str()
            });
            !begun && !taken && day >= "2026-11-23"
        });
        let counted = (bookable.len() as i64, open.count() as i64, visits.len() as i64);
        assert_eq!(by_day[day], counted, "{day}: slots, open, visits");
    }
    // Every month is whole weeks, also those that begin on a Monday or end on a Sunday.
    for month in 1..=12 {
        let rows = desk.get(&format!("/api/schedule/month?day=2026-{month:02}-15")).await;
        for row in rows.as_array().unwrap() {
            let day: NaiveDate = row["day"].as_str().unwrap().parse().unwrap();
            let from_first = (day - NaiveDate::from_ymd_opt(2026, month, 1).unwrap()).num_days();
            assert!((-6..=36).contains(&from_first) && day.year() >= 2025, "{month}: {day}");
        }
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_note_is_pinned_to_a_time_and_taken_off_again() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let clinic = desk.get("/api/clinic").await;
    let who = id(clinic["staff"].as_array().unwrap().iter().find(|s| s["lastName"] == "Valcourt").unwrap());
    let note = |time: &str, body: &str| json!({ "clinicianId": who, "day": "2026-12-02", "time": time, "body": body });
    for (form, field) in [(note("tennish", "x"), "time"), (note("10:00", "  "), "body"), (note("25", "x"), "time")] {
        let reply = desk.post("/api/schedule/notes", form).await;
        assert_eq!((reply.status, &reply.body["fields"][0]["field"]), (422, &json!(field)), "{}", reply.body);
    }
    assert_eq!(desk.post("/api/schedule/notes", note("10:00", &"x".repeat(121))).await.status, 422);
    let pinned = desk.post("/api/schedule/notes", note("10.20", "patient will be late")).await.ok();
    assert_eq!(pinned["at"], "2026-12-02T15:20:00Z", "by the clinic's clock");
    let shown = desk.get("/api/schedule?day=2026-12-02").await["notes"].clone();
    assert_eq!((ids(&shown).len(), &shown[0]["madeBy"]), (1, &json!("Junia Vance")));
    assert_eq!(desk.get("/api/schedule?day=2026-12-03").await["notes"], json!([]));
    let biller = Hand::sign_in(&product, "agathe").await;
    let path = format!("/api/schedule/notes/{}", id(&pinned));
    assert_eq!(biller.ask("delete", &path, None).await.status, 403);
    desk.ask("delete", &path, None).await.ok();
    assert_eq!(desk.get("/api/schedule?day=2026-12-02").await["notes"], json!([]));
    assert_eq!(desk.ask("delete", &path, None).await.status, 404, "taken off once");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn dates_are_understood_as_people_type_them_and_read_back_in_words() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let read = async |text: &str, sense: &str| {
        let encoded: String = text.bytes().map(|b| format!("%{b:02X}")).collect();
        desk.ask("get", &format!("/api/dates?text={encoded}&sense={sense}"), None).await
    };
    // Today is Monday, November 23, 2026.
    for (text, sense, date) in [
        ("today", "", "2026-11-23"),
        ("tomorrow", "", "2026-11-24"),
        ("fri", "", "2026-11-27"),
        ("mon", "", "2026-11-23"),
        ("+2w", "", "2026-12-07"),
        ("+1m", "", "2026-12-23"),
        ("-3d", "", "2026-11-20"),
        ("4 mar", "", "2027-03-04"),
        ("12/24", "", "2026-12-24"),
        ("3/4/62", "birth", "1962-03-04"),
        ("3/4/26", "birth", "2026-03-04"),
        ("03041962", "birth", "1962-03-04"),
        ("mar 4 1962", "birth", "1962-03-04"),
        ("1962-03-04", "birth", "1962-03-04"),
    ] {
        let reply = read(text, sense).await.ok();
        assert_eq!(reply["date"], date, "{text}");
    }
    assert_eq!(read("fri", "").await.ok()["words"], "Friday, November 27, 2026");
    for (text, sense, said) in [
        ("someday", "", "Type a date"),
        ("2/30/2026", "", "no such day"),
        ("12/24/2026", "birth", "future"),
        ("1/1/1850", "birth", "130 years"),
        ("", "", "Type a date"),
    ] {
        let reply = read(text, sense).await;
        assert!(reply.status == 422 && reply.detail().contains(said), "{text}: {}", reply.body);
    }
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_day_far_away_is_empty_and_a_wrong_one_is_refused() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    for day in ["1990-01-01", "2199-12-31"] {
        let view = desk.get(&format!("/api/schedule?day={day}")).await;
        for part in ["shifts", "slots", "visits", "notes"] {
            assert_eq!(view[part], json!([]), "{day} {part}");
        }
    }
    for path in [
        "/api/schedule?day=2026-02-30",
        "/api/schedule?day=soon",
        "/api/schedule/week?day=2026-11-23",
        "/api/schedule/week?clinicianId=x",
        "/api/schedule/month?day=November",
        "/api/schedule/changes?day=x",
        "/api/shifts",
    ] {
        let reply = desk.ask("get", path, None).await;
        assert!((400..500).contains(&reply.status) && !reply.detail().is_empty(), "{path}: {}", reply.body);
    }
    // The first and the last day that the calendar knows do no harm either.
    for day in ["-262143-01-01", "%2B262142-12-31", "0000-01-01", "9999-12-31"] {
        for path in ["/api/schedule", "/api/schedule/month", "/api/schedule/changes"] {
            let reply = desk.ask("get", &format!("{path}?day={day}"), None).await;
            assert!(reply.status < 500, "{path} {day}: {} {}", reply.status, reply.body);
        }
    }
    product.stop().await.unwrap();
}
