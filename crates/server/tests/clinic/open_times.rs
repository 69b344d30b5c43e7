//! Open times through the API: every combination of wishes, page by page.

use crate::{Hand, id};
use chrono::{DateTime, Datelike, NaiveTime, Timelike, Weekday};
use chrono_tz::America::New_York;
use chrono_tz::Tz;
use harbor_demo::testing::Product;
use serde_json::{Value, json};
use std::collections::HashSet;

fn local(s: &Value) -> DateTime<Tz> {
    DateTime::parse_from_rfc3339(s["startsAt"].as_str().unwrap()).unwrap().with_timezone(&New_York)
}

async fn look(desk: &Hand, wish: &str) -> Vec<Value> {
    desk.get(&format!("/api/open-times?from=2026-11-24{wish}")).await.as_array().unwrap().clone()
}

async fn of_clinic(desk: &Hand, what: &str, name: &str) -> String {
    let clinic = desk.get("/api/clinic").await;
    let all = clinic[what].as_array().unwrap();
    id(all.iter().find(|x| x["name"].as_str().unwrap().contains(name)).unwrap())
}

#[actix_web::test]
async fn pages_follow_one_another_without_a_gap_and_without_a_repeat() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let kind = of_clinic(&desk, "visitTypes", "Long consultation").await;
    let (mut seen, mut pages, mut before) = (HashSet::new(), 0, Vec::new());
    loop {
        let page = look(&desk, &format!("&visitTypeId={kind}&skip={}", pages * 12)).await;
        for s in &page {
            assert_eq!(s["visitTypeId"], kind.as_str());
            assert!(seen.insert(id(s)), "offered on two pages: {s}");
            before.push(local(s));
        }
        pages += 1;
        if page.len() < 12 {
            break;
        }
    }
    assert!(pages > 2, "there is more than one page of them: {pages}");
    // Without a wish for an hour or a person the soonest day comes first, on every page.
    let days: Vec<_> = before.iter().map(DateTime::date_naive).collect();
    assert!(days.is_sorted(), "{days:?}");
    // All of them, and only them: what the days themselves show as free.
    let mut free = 0;
    for day in days.iter().collect::<HashSet<_>>() {
        let view = desk.get(&format!("/api/schedule?day={day}")).await;
        let live: Vec<&Value> = view["visits"]
            .as_array()
            .unwrap()
            .iter()
            .map(|v| &v["visit"])
            .filter(|v| v["stage"] == "booked" && v["rebook"] == false)
            .collect();
        for slot in view["slots"].as_array().unwrap() {
            let taken = live.iter().any(|v| {
                v["clinicianId"] == slot["clinicianId"]
                    && v["startsAt"].as_str() < slot["endsAt"].as_str()
                    && v["endsAt"].as_str() > slot["startsAt"].as_str()
            });
            if slot["visitTypeId"] == kind.as_str() && slot["heldFor"].is_null() && !taken {
                assert!(seen.contains(&id(slot)), "free, but never offered: {slot}");
                free += 1;
            }
        }
    }
    assert_eq!(free, seen.len());
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn several_types_sites_and_clinicians_are_any_of_them() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let long = of_clinic(&desk, "visitTypes", "Long consultation").await;
    let child = of_clinic(&desk, "visitTypes", "Child visit").await;
    let two = look(&desk, &format!("&visitTypeId={long},{child}")).await;
    let kinds: HashSet<&str> = two.iter().map(|s| s["visitTypeId"].as_str().unwrap()).collect();
    assert_eq!(kinds, HashSet::from([long.as_str(), child.as_str()]));
    for s in &two {
        let least = if s["visitTypeId"] == long.as_str() { 40 } else { 20 };
        assert!(s["minutes"].as_i64() >= Some(least), "each as long as its type: {s}");
    }
    let (oriane, maelis) = (of_clinic(&desk, "staff", "Valcourt").await, of_clinic(&desk, "staff", "Corrigan").await);
    let theirs = look(&desk, &format!("&clinicianId={oriane},{maelis}")).await;
    let whose: HashSet<&str> = theirs.iter().map(|s| s["clinicianId"].as_str().unwrap()).collect();
    assert_eq!(whose, HashSet::from([oriane.as_str(), maelis.as_str()]));
    let hill = of_clinic(&desk, "sites", "Lantern Hill").await;
    let there = look(&desk, &format!("&siteId={hill}")).await;
    assert!(!there.is_empty() && there.iter().all(|s| s["siteId"] == hill.as_str()));
    let quay = of_clinic(&desk, "sites", "Quayside").await;
    let both = look(&desk, &format!("&siteId={hill},{quay}&clinicianId={oriane},{maelis}")).await;
    assert_eq!(both, theirs, "all sites are any site");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_wished_hour_draws_and_the_limits_bind() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let around = look(&desk, "&around=15:00").await;
    let three = NaiveTime::from_hms_opt(15, 0, 0).unwrap();
    let first = local(&around[0]);
    assert!((first.time() - three).num_minutes().abs() <= 20, "{first}");
    assert!(around[0]["reasons"].to_string().contains("at the wished time"));
    type Holds = fn(DateTime<Tz>) -> bool;
    let wishes: [(&str, Holds); 3] = [
        ("&weekdays=6", |t| t.weekday() == Weekday::Sat),
        ("&weekdays=2,5&before=9:30", |t| {
            [Weekday::Tue, Weekday::Fri].contains(&t.weekday()) && (t.hour(), t.minute()) < (9, 30)
        }),
        ("&after=16.30", |t| (t.hour(), t.minute()) >= (16, 30)),
    ];
    for (wish, holds) in wishes {
        let found = look(&desk, wish).await;
        assert!(!found.is_empty(), "{wish}");
        assert!(found.iter().all(|s| holds(local(s))), "{wish}: {found:?}");
    }
    let long = look(&desk, "&minutes=60").await;
    assert!(!long.is_empty() && long.iter().all(|s| s["minutes"].as_i64() >= Some(60)));
    assert!(look(&desk, "&minutes=480").await.is_empty(), "nobody is free for eight hours on end");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_wish_that_cannot_be_says_so_at_its_field() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    for (wish, field) in [
        ("after=15:00&before=14:00", "before"),
        ("after=12&before=12", "before"),
        ("around=teatime", "around"),
        ("minutes=481", "minutes"),
        ("minutes=-5", "minutes"),
        ("skip=601", "skip"),
        ("siteId=here", "siteId"),
        ("visitTypeId=a,b", "visitTypeId"),
        ("clinicianId=everybody", "clinicianId"),
        ("weekdays=Mon", "weekdays"),
    ] {
        let reply = desk.ask("get", &format!("/api/open-times?{wish}"), None).await;
        assert_eq!((reply.status, &reply.body["fields"][0]["field"]), (422, &json!(field)), "{wish}: {}", reply.body);
    }
    let nobody = desk.ask("get", "/api/open-times?personId=00000000-0000-7000-8000-000000000001", None).await;
    assert_eq!(nobody.status, 404);
    for (query, status) in [
        ("from=soon", 400),
        ("skip=-1", 400),
        ("from=1200-01-01", 400),
        ("from=9000-01-01", 400),
        ("from=2199-12-31", 200),
    ] {
        let reply = desk.ask("get", &format!("/api/open-times?{query}"), None).await;
        assert_eq!(reply.status, status, "{query}: {}", reply.body);
    }
    product.stop().await.unwrap();
}
