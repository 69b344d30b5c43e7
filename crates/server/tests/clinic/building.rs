//! A visit brought by its people to where a test begins, and what each of them does next with it.
//!
//! `Visit::booked(&product, "oriane").await.roomed().await.diagnosed(&["I10"]).await`: each step does what is still to be done before it.

use crate::{Hand, id};
use harbor_demo::testing::Product;
use serde_json::{Value, json};

/// How far a visit is; each comes after the one before.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum Stand {
    Booked,
    Here,
    CheckedIn,
    Roomed,
    Begun,
    Signed,
    Charged,
}

pub struct Visit {
    pub id: String,
    pub person: String,
    pub desk: Hand,
    pub assistant: Hand,
    pub clinician: Hand,
    stand: Stand,
}

impl Visit {
    /// Somebody new, insured, at a clinician's next open time.
    pub async fn booked(product: &Product, clinician: &str) -> Visit {
        let (desk, assistant) = (Hand::sign_in(product, "junia").await, Hand::sign_in(product, "petra").await);
        let form = json!({
            "firstName": "Ines", "lastName": "Quarrie", "birthDate": "2/13/1999", "sex": "F", "phone": "207 555 0199",
            "emailDeclined": true, "addressLine": "7 Ropewalk", "city": "Port Calder", "state": "me", "postalCode": "04998"
        });
        let person = id(&desk.post("/api/people", form).await.ok());
        let notice = json!({ "kind": "privacy_notice", "given": true });
        desk.post(&format!("/api/people/{person}/consents"), notice).await.ok();
        let clinic = desk.get("/api/clinic").await;
        let among = |list: &str, key: &str, value: &str| {
            clinic[list].as_array().unwrap().iter().find(|x| x[key] == value).map(id).unwrap()
        };
        let policy = json!({ "payerId": among("payers", "payerCode", "SALTM"), "subscriberNumber": "SM55510" });
        desk.post(&format!("/api/people/{person}/coverages"), policy).await.ok();
        let open = desk.get(&format!("/api/open-times?clinicianId={}", among("staff", "login", clinician))).await;
        let booking = json!({ "personId": person, "slotId": open[0]["id"], "reason": "High blood pressure", "meant": crate::meant() });
        let visit = id(&desk.post("/api/visits", booking).await.ok());
        Visit {
            id: visit,
            person,
            desk,
            assistant,
            clinician: Hand::sign_in(product, clinician).await,
            stand: Stand::Booked,
        }
    }

    pub fn path(&self, rest: &str) -> String {
        format!("/api/visits/{}{rest}", self.id)
    }

    async fn up_to(&mut self, wanted: Stand) {
        while self.stand < wanted {
            self.stand = match self.stand {
                Stand::Booked => {
                    self.desk.post(&self.path("/stage"), json!({ "to": "here" })).await.ok();
                    Stand::Here
                }
                Stand::Here => {
                    let policy = id(&self.desk.get(&self.path("")).await["coverages"][0]["coverage"]);
                    let about = json!({ "visitId": self.id });
                    self.desk.post(&format!("/api/coverages/{policy}/benefits"), about).await.ok();
                    let said = |v: &Value| v["coverages"][0]["benefits"]["outcome"] == "in_force";
                    self.desk.until(&self.path(""), said).await;
                    self.desk.post(&self.path("/check-in"), json!({})).await.ok();
                    Stand::CheckedIn
                }
                Stand::CheckedIn => {
                    let clinic = self.desk.get("/api/clinic").await;
                    let rooms = clinic["rooms"].as_array().unwrap();
                    let free = rooms.iter().find(|r| r["name"] == "Curlew").unwrap()["id"].clone();
                    let to = json!({ "to": "in_room", "roomId": free });
                    self.assistant.post(&self.path("/stage"), to).await.ok();
                    Stand::Roomed
                }
                Stand::Roomed => {
                    self.clinician.post(&self.path("/stage"), json!({ "to": "with_clinician" })).await.ok();
                    Stand::Begun
                }
                Stand::Begun => {
                    let none = json!({ "list": "allergies" });
                    self.assistant.post(&format!("/api/people/{}/none-known", self.person), none).await.ok();
                    self.clinician.sign_note(&self.id).await.ok();
                    Stand::Signed
                }
                Stand::Signed => {
                    let lines = json!([{ "serviceCode": "VISIT4", "units": 1, "pointers": [1] }]);
                    self.clinician.put(&self.path("/charges"), lines).await.ok();
                    self.clinician.post(&self.path("/charges/complete"), json!({})).await.ok();
                    Stand::Charged
                }
                Stand::Charged => return,
            };
        }
    }

    pub async fn here(mut self) -> Visit {
        self.up_to(Stand::Here).await;
        self
    }

    /// With the payer's word that the policy is in force.
    pub async fn checked_in(mut self) -> Visit {
        self.up_to(Stand::CheckedIn).await;
        self
    }

    pub async fn roomed(mut self) -> Visit {
        self.up_to(Stand::Roomed).await;
        self
    }

    pub async fn diagnosed(mut self, codes: &[&str]) -> Visit {
        self.up_to(Stand::Begun).await;
        self.clinician.put(&self.path("/diagnoses"), json!({ "codes": codes })).await.ok();
        self
    }

    /// Writes a part of the note that is still empty.
    pub async fn noted(mut self, part: &str, body: &str) -> Visit {
        self.up_to(Stand::Begun).await;
        self.clinician.put(&self.path(&format!("/note/{part}")), json!({ "body": body, "version": 0 })).await.ok();
        self
    }

    pub async fn signed(mut self) -> Visit {
        self.up_to(Stand::Signed).await;
        self
    }

    /// One visit charge, for the first diagnosis.
    pub async fn charged(mut self) -> Visit {
        self.up_to(Stand::Charged).await;
        self
    }

    async fn next_of(&self, hands: &[(&'static str, &Hand)]) -> Vec<(&'static str, String)> {
        let mut found = Vec::new();
        for (role, hand) in hands {
            if let Some(step) = hand.get(&self.path("")).await["next"].as_str() {
                found.push((*role, step.to_owned()));
            }
        }
        found
    }
}

/// The next step goes from hand to hand, and nobody is told to do what is another's. An assistant may check in as well.
#[actix_web::test]
async fn the_next_step_of_a_visit_goes_from_hand_to_hand() {
    let product = Product::start().await.unwrap();
    let biller = Hand::sign_in(&product, "agathe").await;
    let mut visit = Visit::booked(&product, "oriane").await;
    let (desk, assistant, clinician) = (visit.desk.clone(), visit.assistant.clone(), visit.clinician.clone());
    let hands = [("desk", &desk), ("assistant", &assistant), ("clinician", &clinician), ("biller", &biller)];
    let steps = |found: &[(&'static str, String)]| found.iter().map(|(r, s)| format!("{r}: {s}")).collect::<Vec<_>>();
    let mut seen = vec![steps(&visit.next_of(&hands).await)];
    visit = visit.here().await;
    seen.push(steps(&visit.next_of(&hands).await));
    visit = visit.checked_in().await;
    seen.push(steps(&visit.next_of(&hands).await));
    visit = visit.roomed().await;
    seen.push(steps(&visit.next_of(&hands).await));
    visit = visit.diagnosed(&["I10"]).await.noted("plan", "Tablets; back in four weeks.").await;
    seen.push(steps(&visit.next_of(&hands).await));
    visit = visit.signed().await;
    seen.push(steps(&visit.next_of(&hands).await));
    visit = visit.charged().await;
    seen.push(steps(&visit.next_of(&hands).await));
    let wanted: [&[&str]; 7] = [
        &["desk: mark_here", "assistant: mark_here"],
        &["desk: check_in", "assistant: check_in"],
        &["assistant: choose_room"],
        &["assistant: measure", "clinician: begin"],
        &["clinician: open_note"],
        &["clinician: complete_charges", "biller: complete_charges"],
        &["biller: open_billing"],
    ];
    assert_eq!(seen, wanted);
    product.stop().await.unwrap();
}
