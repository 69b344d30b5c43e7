//! Lists without times, and groups of clinicians.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

async fn list(hand: &Hand, name: &str) -> String {
    let clinic = hand.get("/api/clinic").await;
    let all = clinic["untimedLists"].as_array().unwrap();
    id(all.iter().find(|l| l["name"] == name).unwrap())
}

async fn entries(hand: &Hand, day: &str, list: &str) -> Vec<Value> {
    let view = hand.get(&format!("/api/schedule?day={day}")).await;
    let of_day = view["lists"].as_array().unwrap().iter().find(|l| l["list"]["id"] == list).unwrap();
    of_day["visitIds"].as_array().unwrap().clone()
}

#[actix_web::test]
async fn walk_ins_are_here_at_once_and_the_round_is_put_in_order() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let (walk, round) = (list(&desk, "Walk-ins").await, list(&desk, "Home visits").await);
    let people: Vec<Value> = futures_util::future::join_all(
        ["Brandvold", "Sorrentino", "Ferreira", "Takahashi"].map(|name| desk.person(name)),
    )
    .await
    .into_iter()
    .map(|p| p["id"].clone())
    .collect();
    let enter = |list: &str, person: &Value, day: &str| {
        let (desk, path) = (desk.clone(), format!("/api/lists/{list}/entries"));
        let body = json!({ "personId": person, "day": day, "reason": "x" });
        async move { desk.post(&path, body).await }
    };
    let before = entries(&desk, "2026-11-23", &walk).await.len();
    let visit = enter(&walk, &people[0], "2026-11-23").await.ok();
    assert_eq!((&visit["stage"], &visit["kind"]), (&json!("here"), &json!("in_person")));
    assert_eq!(entries(&desk, "2026-11-23", &walk).await.len(), before + 1);
    assert!(enter(&walk, &people[1], "2026-11-24").await.detail().contains("for another day book a time"));
    // The round of Tuesday takes three, in the order that the clinician likes.
    assert!(enter(&round, &people[0], "2026-11-27").await.detail().contains("no Home visits on this day"));
    assert!(enter(&round, &people[0], "2026-11-17").await.detail().contains("has passed"));
    let mut on_it = Vec::new();
    for person in &people[..3] {
        on_it.push(enter(&round, person, "2026-12-01").await.ok()["id"].clone());
    }
    let rounds = desk.get("/api/schedule?day=2026-12-01").await["lists"].clone();
    assert!(
        rounds.as_array().unwrap().iter().all(|l| l["takesMore"] == false),
        "full, and nobody walks in ahead: {rounds}"
    );
    let full = enter(&round, &people[3], "2026-12-01").await;
    assert!(full.detail().contains("takes 3 a day"), "{}", full.detail());
    desk.post(&format!("/api/visits/{}/list-place", on_it[2].as_str().unwrap()), json!({ "to": 0 })).await.ok();
    let order = entries(&desk, "2026-12-01", &round).await;
    assert_eq!(order, [on_it[2].clone(), on_it[0].clone(), on_it[1].clone()]);
    // One is cancelled, and there is room again.
    let cancel = json!({ "reason": "patient ill", "byPatient": true });
    desk.post(&format!("/api/visits/{}/cancel", on_it[0].as_str().unwrap()), cancel).await.ok();
    enter(&round, &people[3], "2026-12-01").await.ok();
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn the_last_place_of_a_list_is_given_once() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let round = list(&desk, "Home visits").await;
    let person = desk.person("Brandvold").await["id"].clone();
    let tasks: Vec<_> = (0..12)
        .map(|_| {
            let (desk, path) = (desk.clone(), format!("/api/lists/{round}/entries"));
            let body = json!({ "personId": person, "day": "2026-11-25", "reason": "race" });
            tokio::spawn(async move { desk.post(&path, body).await.status })
        })
        .collect();
    let mut given = 0;
    for task in tasks {
        given += usize::from(task.await.unwrap() == 200);
    }
    assert_eq!(given, 3);
    let sql = "update people set deceased_on = '2026-11-01' where id = (select person_id from list_entries e join visits v on v.id = e.visit_id limit 1); update list_entries set place = 9";
    let said = crate::guards::run(&product.database_url, sql).await.unwrap_err();
    assert!(said.contains("has died"), "{said}");
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_group_is_ones_own_or_the_clinics() {
    let product = Product::start().await.unwrap();
    let (desk, boss) = (Hand::sign_in(&product, "junia").await, Hand::sign_in(&product, "soren").await);
    let other = Hand::sign_in(&product, "casimir").await;
    let clinic = desk.get("/api/clinic").await;
    let who = clinic["staff"][1]["id"].clone();
    let form = |name: &str, all: bool| json!({ "name": name, "members": [who], "forClinic": all });
    assert_eq!(desk.post("/api/groups", form("Everybody's", true)).await.status, 403);
    assert_eq!(desk.post("/api/groups", json!({ "name": "x", "members": [] })).await.status, 422);
    let mine = desk.post("/api/groups", form("Mine", false)).await.ok();
    let again = desk.post("/api/groups", form("mine", false)).await.ok();
    assert_eq!(mine["id"], again["id"], "the same name replaces it");
    let seen =
        |all: Value| all.as_array().unwrap().iter().map(|g| g["name"].as_str().unwrap().to_owned()).collect::<Vec<_>>();
    assert!(seen(desk.get("/api/groups").await).contains(&"mine".to_owned()));
    assert!(!seen(other.get("/api/groups").await).contains(&"mine".to_owned()));
    let path = format!("/api/groups/{}", id(&mine));
    assert_eq!(other.ask("delete", &path, None).await.status, 422);
    desk.ask("delete", &path, None).await.ok();
    let shared = boss.post("/api/groups", form("Shared", true)).await.ok();
    assert!(seen(other.get("/api/groups").await).contains(&"Shared".to_owned()));
    assert_eq!(other.ask("delete", &format!("/api/groups/{}", id(&shared)), None).await.status, 422);
    product.stop().await.unwrap();
}
