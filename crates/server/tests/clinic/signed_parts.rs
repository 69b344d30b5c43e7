//! A part of a note is signed before the rest: by who wrote it or the clinician of the visit, and for good.

use crate::building::Visit;
use crate::guards::run;
use crate::{Hand, seen};
use harbor_demo::testing::Product;
use harbor_store::Store;
use harbor_store::consult::signing::broken_signatures;
use serde_json::json;
use uuid::Uuid;

#[actix_web::test]
async fn a_part_is_signed_alone_and_stays_as_it_was_signed() {
    let product = Product::start().await.unwrap();
    let visit = Visit::booked(&product, "oriane").await.diagnosed(&["I10"]).await;
    let colleague = Hand::sign_in(&product, "tobias").await;
    let other = Hand::sign_in(&product, "ifeoma").await;
    let part = visit.path("/note/plan");
    let alone = visit.path("/note/plan/signed");
    let empty = visit.clinician.post(&alone, json!({ "version": 0 })).await;
    assert_eq!(empty.detail(), "Nothing is written here to be signed.");
    colleague.put(&part, json!({ "body": "Salt less; a diary.", "version": 0 })).await.ok();
    // Who neither wrote it nor sees the patient signs nothing; nobody signs what they did not see.
    let refused = other.post(&alone, json!({ "version": 1 })).await;
    assert_eq!(refused.detail(), "Only who wrote this part, or the clinician of this visit, signs it.");
    assert_eq!(colleague.post(&alone, json!({ "version": 0 })).await.status, 409);
    let before = visit.clinician.post(&visit.path("/addenda"), json!({ "body": "Rang." })).await;
    assert_eq!(before.detail(), "The note is not signed yet; write in the note itself.");
    colleague.post(&alone, json!({ "version": 1 })).await.ok();
    assert_eq!(colleague.post(&alone, json!({ "version": 1 })).await.detail(), "This part is signed already.");
    // From now on it is fixed, by whatever way somebody comes; the rest goes on.
    let fixed = "This part is signed; add an addendum.";
    let again = json!({ "body": "Something else.", "version": 1 });
    assert_eq!(visit.clinician.put(&part, again).await.detail(), fixed);
    let review = json!({ "version": 1, "reviewed": true });
    assert_eq!(visit.clinician.put(&visit.path("/note/plan/reviewed"), review).await.detail(), fixed);
    let line = json!({ "text": "and walk more every day", "keep": true, "part": "plan" });
    let kept = visit.clinician.post(&visit.path("/quick-line"), line).await.ok();
    assert_eq!((&kept["kept"], &kept["left"]), (&json!(0), &json!("and walk more every day")), "{kept}");
    visit.clinician.post(&visit.path("/addenda"), json!({ "body": "Rang: salt is hard." })).await.ok();
    visit.clinician.put(&visit.path("/note/advice"), json!({ "body": "Walk.", "version": 0 })).await.ok();
    // The whole is signed over it, and says what was signed alone and added.
    let chart = visit.clinician.get(&visit.path("/chart")).await;
    assert_eq!(chart["signedParts"][0]["signedBy"], "Dr. Tobias Renneberg");
    let saw: Vec<_> = chart["parts"].as_array().unwrap().iter().map(seen).collect();
    let signed = visit.clinician.post(&visit.path("/sign"), json!({ "seen": saw })).await.ok();
    let facts = signed["facts"].as_str().unwrap();
    for line in ["part signed by Dr. Tobias Renneberg at ", "Rang: salt is hard."] {
        assert!(facts.contains(line), "{facts}");
    }
    let late = visit.clinician.post(&visit.path("/note/advice/signed"), json!({ "version": 1 })).await;
    assert_eq!(late.detail(), "The note is signed; add an addendum.");
    // What was changed past every guard is found.
    let store = Store::open(&product.database_url, 1).await.unwrap();
    let broken = async || broken_signatures(&mut store.reader().await.unwrap()).await.unwrap();
    assert_eq!(broken().await, Vec::<Uuid>::new());
    let url = &product.database_url;
    let body = format!("update note_parts set body = 'Salt more.' where visit_id = '{}' and part = 'plan'", visit.id);
    assert!(run(url, &body).await.is_err(), "the database refuses it");
    for statement in
        ["alter table note_parts disable trigger user", &body, "alter table note_parts enable trigger user"]
    {
        run(url, statement).await.unwrap();
    }
    assert_eq!(broken().await, [visit.id.parse::<Uuid>().unwrap()]);
    product.stop().await.unwrap();
}
