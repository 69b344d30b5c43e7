//! The payer's desk for medicines: takes a request, and decides.
//!
//! What becomes of one, its quantity decides while the outside answers at once; otherwise somebody says it on the page:
//!
//! | quantity ends in | decision |
//! |---|---|
//! | 8 | waits for a person |
//! | 9 | not approved: another medicine first |
//! | anything else | approved for a year |

use crate::{After, Memory, Outgoing, World, moody, released};
use actix_web::{HttpResponse, web};
use chrono::Duration;
use harbor_core::prescribing::approvals::{ApprovalDecision, ApprovalRequest, ApprovalVerdict};
use harbor_formats::fhir::approval::{read_request, write_decision};
use serde_json::json;

/// What a person at the payer may say.
const WORDS: [&str; 2] = ["approve", "refuse"];

pub async fn request(world: web::Data<World>, body: web::Bytes) -> HttpResponse {
    if let Some(answer) = moody(&world) {
        return answer;
    }
    match read_request(&body) {
        Err(e) => HttpResponse::UnprocessableEntity().json(json!({ "error": e.to_string() })),
        Ok(asked) => {
            let mut memory = world.lock();
            let reference = asked.reference.clone();
            if memory.seen.insert(format!("approval {reference}")) {
                memory.received.push(("payer", format!("{}: approval for {}", asked.medicine, asked.covered_use)));
                if let Some(word) = said_by(asked.quantity).filter(|_| memory.automatic) {
                    say(&mut memory, &asked, word);
                }
                memory.approvals.push(asked);
            }
            HttpResponse::Created().json(json!({ "status": "accepted", "reference": reference }))
        }
    }
}

fn said_by(quantity: u32) -> Option<&'static str> {
    match quantity % 10 {
        8 => None,
        9 => Some("refuse"),
        _ => Some("approve"),
    }
}

fn say(memory: &mut Memory, asked: &ApprovalRequest, what: &str) {
    memory.controls += 1;
    let today = memory.clock().date_naive();
    let verdict = if what == "refuse" {
        ApprovalVerdict::Refused { reason: "another medicine is to be tried first".into() }
    } else {
        let number = format!("{}{:06}", asked.payer_code, memory.controls);
        ApprovalVerdict::Granted { number, until: Some(today + Duration::days(365)) }
    };
    let decision = ApprovalDecision { reference: asked.reference.clone(), verdict };
    if let Ok(content) = write_decision(&decision, today) {
        let what = format!("{}: {what}", asked.medicine);
        memory.outgoing.push(Outgoing { part: "payer", what, content, released: true });
    }
}

/// A person at the payer decides the n-th request.
pub async fn decide(world: web::Data<World>, said: web::Path<(usize, String)>) -> HttpResponse {
    let (n, what) = said.into_inner();
    if !world.payer_says(n, &what) {
        return HttpResponse::NotFound().finish();
    }
    HttpResponse::SeeOther().insert_header(("Location", "/")).finish()
}

impl World {
    /// Decides the n-th request that the payers have: `approve` or `refuse`; false where there is none.
    pub fn payer_says(&self, n: usize, what: &str) -> bool {
        let mut memory = self.lock();
        let asked = memory.approvals.get(n).cloned().filter(|_| WORDS.contains(&what));
        if let Some(asked) = &asked {
            say(&mut memory, asked, what);
        }
        asked.is_some()
    }
}

/// What the payers have decided since.
pub async fn decisions(world: web::Data<World>, after: web::Query<After>) -> HttpResponse {
    moody(&world).unwrap_or_else(|| HttpResponse::Ok().json(released(&world, "payer", after.after)))
}
