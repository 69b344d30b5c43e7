//! The clinic's own stages between the fixed ones.

use crate::flow::visit_of;
use crate::guards::run;
use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

fn form(name: &str, after: &str, place: &str, walked: bool) -> Value {
    json!({ "name": name, "afterStage": after, "place": place, "walked": walked, "active": true })
}

async fn own_stage(hand: &Hand, name: &str) -> Value {
    let clinic = hand.get("/api/clinic").await;
    clinic["ownStages"].as_array().unwrap().iter().find(|s| s["name"] == name).expect(name)["id"].clone()
}

/// The card of a visit on the plan of the building, and in which list it stands.
async fn found(hand: &Hand, visit: &str) -> (String, Value) {
    let view = hand.get("/api/in-clinic").await;
    for list in ["waiting", "inRooms", "elsewhere", "leaving"] {
        if let Some(p) = view[list].as_array().unwrap().iter().find(|p| p["card"]["visit"]["id"] == visit) {
            return (list.to_owned(), p.clone());
        }
    }
    panic!("nowhere: {view}")
}

#[actix_web::test]
async fn somebody_passes_the_clinics_own_stages_on_and_back() {
    let product = Product::start().await.unwrap();
    let assistant = Hand::sign_in(&product, "petra").await;
    let manager = Hand::sign_in(&product, "soren").await;
    let (visit, _) = visit_of(&assistant, "Sorrentino").await;
    let clinic = assistant.get("/api/clinic").await;
    let room = clinic["rooms"].as_array().unwrap().iter().find(|r| r["name"] == "Curlew").unwrap()["id"].clone();
    let path = format!("/api/visits/{visit}/stage");
    let go = |body: Value| {
        let (hand, path) = (assistant.clone(), path.clone());
        async move { hand.post(&path, body).await }
    };
    let settings = |stage: &str, body: Value| {
        let (hand, path) = (manager.clone(), format!("/api/settings/own-stages/{stage}"));
        async move { hand.put(&path, body).await }
    };
    // A stage that everybody passes, put before the one that is only chosen.
    let scale = uuid::Uuid::now_v7().to_string();
    settings(&scale, form("Scale", "in_room", "room", true)).await.ok();
    manager.post(&format!("/api/settings/own-stages/{scale}/place"), json!({ "to": 0 })).await.ok();
    let names: Vec<Value> = manager.get("/api/clinic").await["ownStages"].as_array().unwrap().clone();
    assert_eq!(names.iter().map(|s| s["name"].as_str().unwrap()).collect::<Vec<_>>()[..2], ["Scale", "Blood draw"]);
    let draw = own_stage(&assistant, "Blood draw").await;
    go(json!({ "to": "in_room", "roomId": room })).await.ok();
    let at_scale = go(json!({ "to": "next" })).await.ok();
    assert_eq!((&at_scale["stage"], &at_scale["ownStageId"]), (&json!("in_room"), &json!(scale)));
    let line = found(&assistant, &visit).await.1["card"]["line"].clone();
    // The blood draw leaves the room theirs; the line of the visit does not change.
    go(json!({ "to": "in_room", "ownStageId": draw })).await.ok();
    let (list, card) = found(&assistant, &visit).await;
    assert_eq!((list.as_str(), &card["card"]["stage"]), ("inRooms", &json!("Blood draw")));
    assert_eq!(card["card"]["visit"]["roomId"], room);
    assert_eq!(card["card"]["line"], line);
    // Behind the blood draw comes the clinician, and the way back leads over the scale.
    assert_eq!(go(json!({ "to": "next" })).await.ok()["stage"], "with_clinician");
    let back = go(json!({ "to": "back" })).await.ok();
    assert_eq!(back["ownStageId"], json!(scale));
    let seen = found(&assistant, &visit).await.1["card"]["line"]["marks"].as_array().unwrap().clone();
    assert_eq!(seen.iter().find(|m| m["mark"] == "seen").unwrap()["at"], Value::Null);
    // After the clinician a watch in the waiting area gives the room up and frees the clinician's hands.
    let watch = own_stage(&assistant, "Watched after a vaccine").await;
    assert_eq!(go(json!({ "to": "in_room", "ownStageId": watch })).await.status, 404, "it follows another stage");
    go(json!({ "to": "with_clinician" })).await.ok();
    let watched = go(json!({ "to": "with_clinician", "ownStageId": watch })).await.ok();
    assert_eq!(watched["roomId"], Value::Null);
    assert!(watched["doneAt"].is_string());
    assert_eq!(found(&assistant, &visit).await.0, "elsewhere");
    let hands = assistant.get("/api/in-clinic").await["clinicians"].clone();
    assert!(!hands.to_string().contains(&visit), "nobody is with them: {hands}");
    // While somebody is there the stage stays what it is.
    let (name, moved) = ("Watched after a vaccine", form("Watched after a vaccine", "in_room", "waiting", false));
    let watch = watch.as_str().unwrap();
    assert_eq!(settings(watch, moved.clone()).await.detail(), "Somebody is at this stage.");
    let unused =
        json!({ "name": name, "afterStage": "with_clinician", "place": "waiting", "walked": false, "active": false });
    assert_eq!(settings(watch, unused.clone()).await.detail(), "Somebody is at this stage.");
    let left = go(json!({ "to": "next" })).await.ok();
    assert_eq!((&left["stage"], &left["doneAt"]), (&json!("ready_to_leave"), &watched["doneAt"]), "done once");
    settings(watch, unused).await.ok();
    assert!(!manager.get("/api/clinic").await["ownStages"].to_string().contains(name));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn a_stage_that_cannot_be_is_refused_with_its_sentence() {
    let product = Product::start().await.unwrap();
    let manager = Hand::sign_in(&product, "soren").await;
    let put = |body: Value| {
        let (hand, path) = (manager.clone(), format!("/api/settings/own-stages/{}", uuid::Uuid::now_v7()));
        async move { hand.put(&path, body).await }
    };
    for (body, said) in [
        (form("", "in_room", "room", true), "Name is needed."),
        (form("Scale", "nowhere", "room", true), "Choose the stage that it follows."),
        (form("Scale", "in_room", "moon", true), "Choose where it takes place."),
        (form("Scale", "left", "waiting", true), "An own stage comes after here"),
        (form("Scale", "here", "room", true), "there is no room to stay in"),
        (form("BLOOD DRAW", "in_room", "lab", true), "There is a stage Blood draw already."),
        (form("checked in", "in_room", "lab", true), "There is a stage Checked in already."),
    ] {
        let reply = put(body.clone()).await;
        assert_eq!(reply.status, 422, "{body}");
        assert!(reply.body.to_string().contains(said), "{said}: {}", reply.body);
    }
    // Two managers who add one name at once leave one of it.
    let both = futures_util::future::join_all((0..2).map(|_| put(form("Scale", "in_room", "room", true)))).await;
    let mut statuses: Vec<u16> = both.iter().map(|r| r.status).collect();
    statuses.sort_unstable();
    assert_eq!(statuses, [200, 422]);
    // The database knows it too.
    let url = &product.database_url;
    let elsewhere = "update visits set own_stage_id = (select id from own_stages where after_stage = 'with_clinician') where stage = 'in_room'";
    assert!(run(url, elsewhere).await.unwrap_err().contains("visits_within_stage"));
    let twice = "insert into own_stages select gen_random_uuid(), upper(name), after_stage, place, walked, sort, active from own_stages";
    assert!(run(url, twice).await.unwrap_err().contains("own_stages_one_name"));
    product.stop().await.unwrap();
}

#[actix_web::test]
async fn only_a_manager_sets_them() {
    let product = Product::start().await.unwrap();
    let desk = Hand::sign_in(&product, "junia").await;
    let stage = own_stage(&desk, "Blood draw").await;
    let path = format!("/api/settings/own-stages/{}", stage.as_str().unwrap());
    assert_eq!(desk.put(&path, form("Draw", "in_room", "lab", false)).await.status, 403);
    let unknown = format!("/api/settings/own-stages/{}/place", uuid::Uuid::now_v7());
    let manager = Hand::sign_in(&product, "soren").await;
    assert_eq!(manager.post(&unknown, json!({ "to": 0 })).await.status, 404);
    let (visit, _) = visit_of(&desk, "Sorrentino").await;
    let nowhere = json!({ "to": "here", "ownStageId": uuid::Uuid::now_v7() });
    assert_eq!(desk.post(&format!("/api/visits/{visit}/stage"), nowhere).await.status, 404);
    assert_eq!(id(&desk.get(&format!("/api/visits/{visit}")).await["card"]["visit"]), visit);
    product.stop().await.unwrap();
}
